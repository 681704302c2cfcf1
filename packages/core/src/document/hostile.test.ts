/** Files from hostile hands: read, or said what is wrong with them; never a crash, never without an end. */
import { readFileSync } from 'node:fs';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { History, scanStep } from '@ferrule/core/bench';
import type { Project } from '@ferrule/core/document';
import { compile } from '@ferrule/core/workspace';
import {
  folderToDocument,
  playRecording,
  projectToFolder,
  readRecording,
  readTags,
  recordRun,
} from '@ferrule/core/files';
import { parseProject } from '@ferrule/core/schema';

const parsed = parseProject(
  readFileSync(new URL('../../../../examples/wire-end-crimp-cell.ferrule.json', import.meta.url), 'utf8'),
);
if ('problems' in parsed) throw new Error(parsed.problems[0]);
const project: Project = parsed.project;
const INTERNAL =
  /undefined|is not a function|Cannot (read|destructure|convert|mix)|not iterable|is not defined|InvalidCharacter/;

const anything = fc.letrec((tie) => ({
  any: fc.oneof(
    { depthSize: 'small' },
    fc.constantFrom<unknown>(
      null,
      true,
      0,
      -1,
      1.5,
      1e308,
      '',
      'x',
      '../x',
      '__proto__',
      'constructor',
      '99999999999999999999',
    ),
    fc.string({ maxLength: 8 }),
    fc.array(tie('any'), { maxLength: 3 }),
    fc.dictionary(fc.constantFrom('id', 'file', 'name', 'scan', 'kind', 'lines', '__proto__'), tie('any'), {
      maxKeys: 3,
      noNullPrototype: true,
    }),
  ),
})).any;

/** A copy with something else at one place of it. */
function changed(value: unknown, place: readonly number[], to: unknown): unknown {
  const [first, ...rest] = place;
  if (first === undefined || typeof value !== 'object' || value === null) return to;
  const keys = Object.keys(value);
  if (!keys.length) return to;
  const key = keys[first % keys.length]!;
  const copy = (Array.isArray(value) ? [...(value as unknown[])] : { ...value }) as Record<string, unknown>;
  copy[key] = changed(copy[key], rest, to);
  return copy;
}
const placeArb = fc.array(fc.nat(50), { minLength: 1, maxLength: 4 });

describe('a folder', () => {
  const folder = projectToFolder(project);
  it('law: with something else at any place of its files it is read, or its file is named', () => {
    fc.assert(
      fc.property(
        fc.constantFrom(...folder.keys()),
        placeArb,
        anything,
        fc.string({ maxLength: 20 }),
        (path, place, to, text) => {
          const files = new Map(folder);
          if (path.endsWith('.json'))
            files.set(path, JSON.stringify(changed(JSON.parse(folder.get(path)!), place, to)) ?? '');
          else {
            const whole = folder.get(path)!,
              at = (place[0]! * 97) % (whole.length + 1);
            files.set(path, whole.slice(0, at) + text + whole.slice(at + text.length));
          }
          const r = folderToDocument(files);
          if ('problem' in r) {
            expect(r.problem).toMatch(/^[\w./-]+[:.]? ?/);
            expect(r.problem).not.toMatch(INTERNAL);
          } else parseProject(JSON.stringify(r.document));
        },
      ),
      { numRuns: 800 },
    );
  });
});

describe('a recording', () => {
  const compiled = compile([{ kind: 'project', name: 'p', project }]),
    image = compiled.build(true),
    made = () => new History(image, { stepNs: scanStep(image), wires: compiled.wires });
  const history = made();
  history.applyAll([{ kind: 'write', path: 'Machine.Start.Pressed', value: true }]);
  history.run(40);
  history.applyAll([{ kind: 'force', path: 'DieDown', value: true }]);
  history.run(10);
  const run = recordRun(history, project, 'run');
  it('law: with something else at any place it is refused in a sentence, or played to an end', () => {
    let played = 0;
    fc.assert(
      fc.property(placeArb, anything, (place, to) => {
        const { project: _, ...rest } = run;
        const text = JSON.stringify(
          changed({ ...rest, start: { scan: 0, state: 'AAAA', forces: [{ path: 'DieDown', value: '1' }] } }, place, to),
        );
        const r = readRecording(text ?? '');
        if ('error' in r) {
          expect(r.error).not.toMatch(INTERNAL);
          return;
        }
        const p = playRecording(made(), image, r);
        if ('error' in p) expect(p.error).not.toMatch(INTERNAL);
        const { start: _s, ...cold } = r,
          again = playRecording(made(), image, cold);
        if ('error' in again) expect(again.error).not.toMatch(INTERNAL);
        else played++;
      }),
      { numRuns: 300 },
    );
    expect(played).toBeGreaterThan(20);
  }, 60_000);
  it('that would play for ever, or begins nowhere, is refused', () => {
    const with_ = (change: object) => readRecording(JSON.stringify({ ...run, ...change }));
    expect(with_({ end: 1e15 })).toEqual({ error: expect.stringContaining('scans') as string });
    expect(with_({ end: -1 })).toHaveProperty('error');
    expect(with_({ stepNs: 'soon' })).toHaveProperty('error');
    expect(with_({ start: { scan: 0, state: '%%%', forces: [] } })).toHaveProperty('error');
    expect(with_({ events: [{ scan: -5, kind: 'write', path: 'A', value: '1' }] })).toHaveProperty('error');
    expect(with_({ events: [{ scan: 1, kind: 'write', path: 5, value: {} }] })).toHaveProperty('error');
    expect(with_({})).not.toHaveProperty('error');
  });
});

it('law: any text as tags is rows with a fate each, or one sentence', () => {
  fc.assert(
    fc.property(
      fc.oneof(
        fc.string({ maxLength: 200 }),
        fc
          .array(
            fc.array(
              fc.oneof(
                fc.string({ maxLength: 12 }),
                fc.constantFrom('Name', 'Type', 'BOOL', '%IX0.0', '"', "'", '=1+1', '\u0000'),
              ),
              { maxLength: 6 },
            ),
            { maxLength: 8 },
          )
          .map((rows) => rows.map((r) => r.join('\t')).join('\n')),
      ),
      (text) => {
        const r = readTags(text, project, () => 'new');
        if ('error' in r) expect(r.error).not.toMatch(INTERNAL);
        else for (const row of r.rows) expect(row.fate === 'refused' ? row.note : 'said').toBeTruthy();
      },
    ),
    { numRuns: 500 },
  );
});
