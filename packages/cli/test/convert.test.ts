/**
 * `ferrule convert`: every form that is read to every form that is written; what cannot be carried is listed, and XML
 * is a FILE like the others.
 */
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, describe, expect, it } from 'vitest';
import { main } from '../src/main.js';

const temporary = mkdtempSync(join(tmpdir(), 'ferrule-convert-'));
afterAll(() => rmSync(temporary, { recursive: true }));
const demo = fileURLToPath(new URL('../../../examples/wire-end-crimp-cell.ferrule.json', import.meta.url));
const at = (name: string) => join(temporary, name);
async function ferrule(...args: string[]) {
  let out = '',
    error = '';
  const code = await main(args, { out: (t) => (out += t), error: (t) => (error += t) });
  return { code, out, error };
}

describe('convert', () => {
  it('goes round by XML and a folder of text, and nothing is lost', async () => {
    expect(await ferrule('convert', demo, at('cell.xml'))).toEqual({ code: 0, out: '', error: '' });
    expect(await ferrule('convert', at('cell.xml'), `${at('cell')}/`)).toEqual({ code: 0, out: '', error: '' });
    expect(await ferrule('convert', at('cell'), at('cell.ferrule.json'))).toEqual({ code: 0, out: '', error: '' });
    expect(readFileSync(at('cell.ferrule.json'), 'utf8')).toBe(readFileSync(demo, 'utf8'));
    expect((await ferrule('diff', demo, at('cell.xml'))).out).toBe('No differences.\n');
  });
  it('check, run and verify take XML', async () => {
    expect((await ferrule('check', at('cell.xml'))).out).toBe('0 errors, 0 warnings\n');
    const [xml, project] = await Promise.all(
      [at('cell.xml'), demo].map((f) => ferrule('run', f, '--for', '100ms', '--record', 'Step,StartPB', '--out', '-')),
    );
    expect(xml).toEqual(project);
    const r = await ferrule('verify', at('cell.xml'), '--only', 'Good cycle');
    expect([r.code, r.out]).toEqual([0, expect.stringMatching(/^ok .*Good cycle/m)]);
  });
  it('lists what text has no place for, and ends with 1', async () => {
    const r = await ferrule('convert', demo, at('cell.st'));
    expect(r.code).toBe(1);
    expect(r.error).toMatch(/^The machine with its 22 devices: text has no place for it\.$/m);
    expect((await ferrule('check', at('cell.st'))).out).toMatch(/^0 errors/m);
    expect((await ferrule('convert', at('cell.st'), at('again.xml'))).code).toBe(0);
    expect((await ferrule('check', at('again.xml'))).out).toMatch(/^0 errors/m);
  });
  it('takes texts into one project', async () => {
    writeFileSync(at('a.st'), 'FUNCTION Twice : INT VAR_INPUT x : INT; END_VAR Twice := 2 * x; END_FUNCTION');
    writeFileSync(at('b.st'), 'PROGRAM P VAR n : INT; END_VAR n := Twice(x := n + 1); END_PROGRAM');
    expect((await ferrule('convert', at('a.st'), at('b.st'), at('both.xml'))).code).toBe(0);
    const r = await ferrule('run', at('both.xml'), '--for', '30ms', '--record', 'P.n', '--out', '-');
    expect(r.out).toBe('t_ms,P.n\n0,2\n10,6\n20,14\n');
  });
  it('what cannot be is one line, exit 2, and nothing is written', async () => {
    writeFileSync(at('bad.xml'), '<Project schemaVersion="7.0"/>');
    for (const [args, why] of [
      [[demo, at('x.pdf')], /x\.pdf: nothing is written in that form; end it with \.st, \.xml, \.ferrule\.json or \//],
      [[demo], /convert takes what is read and, last, what is written/],
      [
        [at('bad.xml'), at('y.st')],
        /bad\.xml: Line 1: the file is of schema version 7\.0, this Ferrule reads 1\.0; save it as that/,
      ],
      [[demo, demo, at('y.st')], /convert makes one project/],
      [[demo, at('nowhere/y.st')], /y\.st cannot be written/],
      [['--nonsense', demo, at('y.st')], /there is no option --nonsense/],
    ] as const) {
      const r = await ferrule('convert', ...args);
      expect([r.code, r.out, r.error]).toEqual([2, '', expect.stringMatching(why)]);
    }
    const check = await ferrule('check', at('bad.xml'));
    expect([check.code, check.out]).toEqual([2, '']);
  });
});
