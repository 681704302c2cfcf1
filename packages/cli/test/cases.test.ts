/**
 * The command line by cases: `cases/check/NAME.st` with `NAME.expected` (what `ferrule check` prints) and
 * `cases/run/NAME.st` with `NAME.csv` (the trace), options in the text's first line, an optional `NAME.stimulus.csv`.
 * `UPDATE_CASES=1` writes expectations anew; read the difference like code.
 */
import { spawnSync } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { basename, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, describe, expect, it } from 'vitest';
import { emptyProject } from '@ferrule/core/document';
import { main } from '../src/main.js';
import { splitNames } from '../src/run.js';

const cases = fileURLToPath(new URL('./cases', import.meta.url));
const demo = fileURLToPath(new URL('../../../examples/wire-end-crimp-cell.ferrule.json', import.meta.url));
const temporary = mkdtempSync(join(tmpdir(), 'ferrule-'));
afterAll(() => rmSync(temporary, { recursive: true }));

async function ferrule(...args: string[]) {
  let out = '',
    error = '';
  const code = await main(args, {
    out: (t) => {
      out += t;
    },
    error: (t) => {
      error += t;
    },
  });
  return { code, out, error };
}
const file = (name: string, text: string | Uint8Array) => {
  const path = join(temporary, name);
  writeFileSync(path, text);
  return path;
};

function same(path: string, text: string): void {
  if (process.env['UPDATE_CASES']) writeFileSync(path, text);
  expect(text).toBe(readFileSync(path, 'utf8'));
}
const names = (folder: string) =>
  readdirSync(join(cases, folder), { recursive: true, encoding: 'utf8' })
    .filter((f) => f.endsWith('.st'))
    .sort();

describe('check', () => {
  it.each(names('check'))('%s', async (name) => {
    const path = join(cases, 'check', name);
    const r = await ferrule('check', path);
    same(path.replace('.st', '.expected'), r.out.replaceAll(`${path}:`, `${basename(name)}:`));
    expect(r.code).toBe(/^0 errors/m.test(r.out) ? 0 : 1);
  });
});

describe('run', () => {
  it.each(names('run'))('%s', async (name) => {
    const path = join(cases, 'run', name);
    const options = /^\(\*\s*(.*?)\s*\*\)/.exec(readFileSync(path, 'utf8'))![1]!.split(/\s+/);
    const stimulus = path.replace('.st', '.stimulus.csv');
    const r = await ferrule('run', path, ...options, ...(existsSync(stimulus) ? ['--stimulus', stimulus] : []));
    same(path.replace('.st', '.csv'), r.out + r.error.replaceAll(`${path}:`, `${basename(name)}:`));
  });
});

describe('bad input is one clear line and exit 2', () => {
  const good = file('good.st', 'PROGRAM P VAR a : INT; r : REAL; w AT %IW2 : INT; END_VAR a := a + 1; END_PROGRAM');
  it.each([
    ['no such file', ['check', 'nothing.st'], 'there is no such file'],
    ['a file that is not UTF-8', ['check', file('latin.st', new Uint8Array([80, 228, 10]))], 'it is not UTF-8'],
    ['an unknown command', ['fly'], "there is no command 'fly'"],
    ['an unknown option', ['run', good, '--fast'], 'there is no option --fast'],
    ['an option without its value', ['run', good, '--for'], '--for needs a value'],
    ['a duration without a unit', ['run', good, '--for', '20'], 'has no unit'],
    ['a scan of nothing', ['run', good, '--scan', '0ms'], 'above zero'],
    ['an unknown tag to record', ['run', good, '--record', 'nope'], "There is no tag 'nope'"],
    ['a whole block to record', ['run', good, '--record', 'P'], 'has no single value'],
    ['a stimulus that is not there', ['run', good, '--stimulus', 'no.csv'], 'it cannot be read'],
    [
      'a stimulus with an unknown tag',
      ['run', good, '--stimulus', file('s1.csv', 't_ms,nope\n0,1\n')],
      "line 1: There is no tag 'nope'",
    ],
    [
      'a stimulus with an empty header cell',
      ['run', good, '--stimulus', file('s2.csv', 't_ms,,a\n0,1,2\n')],
      'line 1: column 2 has no name',
    ],
    ['a stimulus without a header', ['run', good, '--stimulus', file('s3.csv', '')], "must start with 't_ms'"],
    [
      'a stimulus with a value out of range',
      ['run', good, '--stimulus', file('s4.csv', 't_ms,w\n0,1\n10,40000\n')],
      'line 3, w: 40000 is outside INT',
    ],
    [
      'a stimulus with a wrong time',
      ['run', good, '--stimulus', file('s5.csv', 't_ms,w\nsoon,1\n')],
      "line 2: 'soon' is not a time",
    ],
    [
      'a project of a newer version',
      ['check', file('new.ferrule.json', readFileSync(demo, 'utf8').replace('"version": 1', '"version": 9'))],
      'version: the project is of version 9',
    ],
    [
      'a project that is cut off',
      ['verify', file('cut.ferrule.json', readFileSync(demo, 'utf8').slice(0, 5000))],
      'This is not JSON',
    ],
    ['checks of a text', ['verify', good], 'live in a project'],
    ['a check that is not there', ['verify', demo, '--only', 'Nope'], "there is no check or rule 'Nope'"],
  ])('%s', async (_, args, message) => {
    const r = await ferrule(...args);
    expect(r.code).toBe(2);
    expect(r.out).toBe('');
    expect(r.error.split('\n')[0]).toContain(message);
  });
  it('a byte-order mark, CRLF and tabs are taken as they come', async () => {
    expect(
      (
        await ferrule(
          'check',
          file('bom.st', '\ufeffPROGRAM P\r\n\tVAR a : INT; END_VAR\r\n\ta := 1;\r\nEND_PROGRAM\r\n'),
        )
      ).out,
    ).toBe('0 errors, 0 warnings\n');
  });
});

describe('exit codes', () => {
  it('run-time faults end with 3, the rows before them written', async () => {
    const r = await ferrule(
      'run',
      file('fault.st', 'PROGRAM P VAR a : INT := 2; z : INT; END_VAR\na := a - 1;\nz := 10 / a;\nEND_PROGRAM'),
      '--for',
      '100ms',
      '--record',
      'a,z',
    );
    expect(r.code).toBe(3);
    expect(r.out).toBe('t_ms,a,z\n0,1,10\n');
    expect(r.error).toContain("fault.st:3:6: Division by zero in '10 / a': the number on the left is 10. (t_ms=10)");
  });
  it('errors of the program print what check prints, with 1', async () => {
    const path = file('bad.st', 'PROGRAM P x := 1; END_PROGRAM');
    const [a, b] = [await ferrule('run', path), await ferrule('check', path)];
    expect([a.code, a.out]).toEqual([1, b.out]);
  });
});

describe('examples', () => {
  it('check without problems and verify', async () => {
    expect(await ferrule('check', demo)).toEqual({ code: 0, out: '0 errors, 0 warnings\n', error: '' });
    const r = await ferrule('verify', demo, '--junit', join(temporary, 'j.xml'), '--report', join(temporary, 'r.html'));
    expect(r.code).toBe(0);
    expect(r.out.trimEnd().split('\n')).toEqual([
      ...Array.from({ length: 21 }, () => expect.stringMatching(/^ok /)),
      '21 passed, 0 failed, 0 open',
    ]);
    expect(readFileSync(join(temporary, 'j.xml'), 'utf8')).toContain('failures="0"');
    expect(readFileSync(join(temporary, 'r.html'), 'utf8')).toContain('21 passed, 0 failed, 0 open');
  });
  it('verify tells what the checks would not notice of changed logic, in the report too', async () => {
    const dust = demo.replace('wire-end-crimp-cell', 'dust-extractor'),
      r = await ferrule('verify', dust, '--changes', '--report', join(temporary, 'c.html')),
      lines = r.out.trimEnd().split('\n');
    const [, noticed, tried] = /^(\d+) of (\d+) changes noticed$/.exec(
      lines.find((l) => l.endsWith('changes noticed'))!,
    )!;
    expect(Number(tried)).toBeGreaterThan(100);
    expect(lines.filter((l) => l.startsWith('not noticed: Extraction rung '))).toHaveLength(
      Number(tried) - Number(noticed),
    );
    expect(lines.at(-1)).toMatch(/^\d+ passed, 0 failed, 0 open$/);
    expect(readFileSync(join(temporary, 'c.html'), 'utf8')).toContain(`<b>${noticed} of ${tried}</b> small changes`);
  });
  it('verify searches and proves on request, and says which strength was reached', async () => {
    const dust = demo.replace('wire-end-crimp-cell', 'dust-extractor'),
      r = await ferrule(
        'verify',
        dust,
        '--only',
        'Never three at once',
        '--search',
        '0.1',
        '--proof',
        '--report',
        join(temporary, 'p.html'),
      );
    expect(r.out).toMatch(
      /^ok rule Never three at once \(proved for all inputs from a cold start and after a warm restart \(induction over \d scans?\); held on \d+ scans; no counterexample in [\d,]+ scans of search, depth [\d,]+\)\n1 passed, 0 failed, 0 open\n$/,
    );
    expect(readFileSync(join(temporary, 'p.html'), 'utf8')).toContain('Every rule is proved, each within these bounds');
    const broken = file(
      'three.ferrule.json',
      readFileSync(dust, 'utf8').replace(' & (!Gate1Valve | !Gate2Valve) -> Gate3Valve', ' -> Gate3Valve'),
    );
    const s = await ferrule('verify', broken, '--only', 'Never three at once', '--search', '1');
    expect(s.code).toBe(1);
    expect(s.out).toMatch(/FAILED rule Never three at once: (in check|a search broke it at scan)/);
    expect((await ferrule('verify', dust, '--search', 'many')).error).toContain(
      "'many' is not a number of millions of scans",
    );
    // A thousand million scans are cut off by the time, and what is said is how far it came.
    const cut = await ferrule('verify', dust, '--only', 'Never three at once', '--search', '1000', '--within', '4');
    expect(cut.out).toMatch(/no counterexample in \d{1,3}(,\d{3}){1,2} scans of search, depth/);
    expect((await ferrule('verify', dust, '--search', '1', '--within', 'soon')).error).toContain(
      "'soon' is not a number of seconds",
    );
  }, 60_000);
  /** A project of one text program, without a machine. */
  const tiny = (name: string, body: string, rules: readonly string[], tags: readonly object[] = []) =>
    file(
      `${name}.ferrule.json`,
      JSON.stringify({
        ...emptyProject(name),
        tags: [
          { id: 'a', name: 'A', type: 'BOOL', address: '%IX0.0' },
          { id: 'q', name: 'Q', type: 'BOOL', address: '%QX0.0' },
          ...tags,
        ],
        pous: [{ id: 'p', name: 'Main', language: 'ST', kind: 'program', text: `PROGRAM Main\n${body}\nEND_PROGRAM` }],
        rules: rules.map((sentence, i) => ({ id: `r${i}`, name: `R${i}`, sentence })),
      }),
    );
  it('verify says ok, FAILED or OPEN, and no more than is true', async () => {
    const lines = async (path: string, ...options: string[]) => {
      const r = await ferrule('verify', path, ...options);
      return { code: r.code, lines: r.out.trimEnd().split('\n') };
    };
    // Nobody looked: open, not ok; with --strict that is no pass.
    const q = tiny('unseen', 'Q := A;', ['Q requires A']);
    expect(await lines(q)).toEqual({
      code: 0,
      lines: [
        'OPEN rule R0: no check played it',
        'OPEN rule never faults: no check played it',
        '0 passed, 0 failed, 2 open',
      ],
    });
    expect((await lines(q, '--strict')).code).toBe(1);
    expect(await lines(q, '--proof', '--strict')).toMatchObject({
      code: 0,
      lines: [
        expect.stringMatching(/^ok rule R0 \(proved for all inputs from a cold start and after a warm restart/),
        expect.stringMatching(/^ok rule never faults \(proved/),
        '2 passed, 0 failed, 0 open',
      ],
    });
    const count = tiny(
      'count',
      'IF C < 200 THEN C := C + 1; END_IF; Q := C >= 200;',
      ['never Q'],
      [{ id: 'c', name: 'C', type: 'INT' }],
    );
    expect(await lines(count, '--proof')).toMatchObject({
      code: 1,
      lines: [
        "FAILED rule R0: breaks without any input, at scan 200: 'Q' held",
        expect.stringMatching(/^ok/),
        '1 passed, 1 failed, 0 open',
      ],
    });
    const hmi = (access: object) =>
      tiny('hmi', 'Q := A AND Hmi;', ['never Q'], [{ id: 'h', name: 'Hmi', type: 'BOOL', ...access }]);
    expect((await lines(hmi({ access: 'write' }), '--proof')).lines[0]).toMatch(
      /^FAILED rule R0: free inputs break it/,
    );
    expect((await lines(hmi({}), '--proof')).lines[0]).toContain('with Hmi staying FALSE, which nothing writes');
    const kept = tiny(
      'kept',
      'IF A THEN Rt := TRUE; Nr := TRUE; END_IF;',
      ['always NOT Rt OR Nr'],
      [
        { id: 'x', name: 'Rt', type: 'BOOL', retain: true },
        { id: 'y', name: 'Nr', type: 'BOOL' },
      ],
    );
    expect((await lines(kept, '--proof')).lines[0]).toMatch(
      /^OPEN rule R0: proved for all inputs from a cold start \(every one of \d states\); after a warm restart inputs can break it/,
    );
    const cut = tiny(
      'cut',
      'Q := TRUE;\nIF Ix > 5 THEN V := 100 / (Ix - 7); END_IF;\nQ := FALSE;',
      ['never Q'],
      [
        { id: 'x', name: 'Ix', type: 'INT', address: '%IW2' },
        { id: 'v', name: 'V', type: 'INT' },
      ],
    );
    expect((await lines(cut, '--proof')).lines).toEqual([
      expect.stringMatching(
        /^ok rule R0 \(proved for all inputs .*, unless the logic faults: Main:3 can divide by zero\)$/,
      ),
      expect.stringMatching(
        /^FAILED rule never faults: free inputs break it within \d+ scans?: fault: .*Division by zero/,
      ),
      '1 passed, 1 failed, 0 open',
    ]);
  }, 60_000);
  it('verify of logic that faults in its first scan ends at once and says so, whatever is asked for', async () => {
    const dead = tiny(
      'dead',
      'V := 1 / Z; Q := A;',
      ['never Q'],
      [
        { id: 'v', name: 'V', type: 'INT' },
        { id: 'z', name: 'Z', type: 'INT' },
      ],
    );
    const before = performance.now(),
      r = await ferrule('verify', dead, '--search', '1000', '--proof', '--changes', '--within', '60');
    expect(performance.now() - before).toBeLessThan(20_000);
    expect(r.code).toBe(1);
    expect(r.out).toMatch(/OPEN rule R0: nothing can be proved: the first scan ends in a fault: .*Division by zero/);
    expect(r.out).toMatch(/FAILED rule never faults: .*Division by zero in '1 \/ Z'/);
  }, 60_000);
  it('verify --within bounds all of it, however slow the logic is; what was not decided is open', async () => {
    const slow = tiny(
      'slow',
      'FOR i := 1 TO 9_000_000 DO n := n + i; END_FOR; Q := A AND n = 0;',
      ['never Q'],
      [
        { id: 'i', name: 'i', type: 'DINT' },
        { id: 'n', name: 'n', type: 'DINT' },
      ],
    );
    const before = performance.now(),
      r = await ferrule('verify', slow, '--search', '1000', '--proof', '--changes', '--within', '3');
    expect(performance.now() - before).toBeLessThan(25_000);
    expect(r.out).toMatch(/OPEN rule R0: /);
  }, 60_000);
  it('verify takes a folder of projects, each under its name, and writes all as data', async () => {
    const folder = mkdtempSync(join(temporary, 'several-'));
    for (const [name, sentence] of [
      ['one', 'Q requires A'],
      ['two', 'never Q'],
    ] as const)
      writeFileSync(join(folder, `${name}.ferrule.json`), readFileSync(tiny(name, 'Q := A;', [sentence])));
    const json = join(temporary, 'all.json'),
      junit = join(temporary, 'all.xml');
    const r = await ferrule('verify', folder, '--proof', '--json', json, '--junit', junit);
    expect(r.code).toBe(1);
    expect(r.out.split('\n').filter((l) => !/^(ok|FAILED|OPEN) /.test(l))).toEqual([
      'one.ferrule.json: one',
      'two.ferrule.json: two',
      '3 passed, 1 failed, 0 open',
      '',
    ]);
    const data = JSON.parse(readFileSync(json, 'utf8')) as {
      projects: { project: string; rules: { name: string; verdict: string }[] }[];
      totals: object;
    };
    expect(data.totals).toEqual({ passed: 3, failed: 1, open: 0 });
    expect(data.projects.map((p) => [p.project, p.rules.map((x) => `${x.name} ${x.verdict}`)])).toEqual([
      ['one', ['R0 ok', 'never faults ok']],
      ['two', ['R0 FAILED', 'never faults ok']],
    ]);
    expect(readFileSync(junit, 'utf8')).toMatch(
      /<testsuites name="ferrule" tests="4" failures="1" errors="0" skipped="0"/,
    );
    expect((await ferrule('verify', folder, '--junit', junit)).code).toBe(0);
    expect(readFileSync(junit, 'utf8')).toContain('skipped="4"');
    expect((await ferrule('verify', folder, '--report', 'x.html')).error).toContain('a report is of one project');
  }, 60_000);
  it('verify of the folder of examples works, as the README says', async () => {
    const r = await ferrule('verify', join(demo, '..'));
    expect(r.code).toBe(0);
    expect(r.out).toMatch(/\n\d+ passed, 0 failed, 0 open\n$/);
  }, 60_000);
  it('a broken rung fails verify with 1, a folder stands for its project', async () => {
    const broken = file(
      'broken.ferrule.json',
      readFileSync(demo, 'utf8').replace('GoodTotal := GoodTotal + 1', 'GoodTotal := GoodTotal + 2'),
    );
    const r = await ferrule('verify', broken, '--only', 'Good cycle');
    expect(r.code).toBe(1);
    expect(r.out).toMatch(/^FAILED check Good cycle: row 5, scan \d+, [\d.]+ s: expected 'GoodTotal = 1 within 2 s'/);
    const alone = mkdtempSync(join(temporary, 'alone-'));
    writeFileSync(join(alone, 'cell.ferrule.json'), readFileSync(demo));
    expect((await ferrule('verify', alone)).code).toBe(0);
  });
  it('write a trace as VCD', async () => {
    const out = join(temporary, 't.vcd');
    expect(
      (await ferrule('run', demo, '--for', '100ms', '--record', 'LampReady,WireOut,Step', '--out', out)).code,
    ).toBe(0);
    const vcd = readFileSync(out, 'utf8');
    expect(vcd).toContain('$timescale 1 ns $end');
    expect(vcd).toContain('$var wire 1 ! LampReady $end');
    expect(vcd).toContain('#0\n1!\nr0 "\nb0 #');
  });
});

it('names to record split at commas outside brackets', () => {
  expect(splitNames('a, b.c,d[1,2] ,e[3]')).toEqual(['a', 'b.c', 'd[1,2]', 'e[3]']);
});

it('a byte-order mark, CRLF and tabs are taken; places count as an editor does', async () => {
  const path = file(
    'windows.st',
    new Uint8Array([
      0xef,
      0xbb,
      0xbf,
      ...new TextEncoder().encode('PROGRAM P\r\n\tVAR a : INT; END_VAR\r\n\ta := b;\r\nEND_PROGRAM\r\n'),
    ]),
  );
  const r = await ferrule('check', path);
  expect(r.out).toContain("windows.st:3:7: error UNKNOWN_NAME There is no tag 'b'.");
  expect(r.code).toBe(1);
});

describe('all commands', () => {
  const counting = () => file('counting.st', 'PROGRAM Main\nVAR n : DINT; END_VAR\nn := n + 1;\nEND_PROGRAM\n');
  it('tells its version; helps after a command, too', async () => {
    const { version } = JSON.parse(
      readFileSync(fileURLToPath(new URL('../../../package.json', import.meta.url)), 'utf8'),
    ) as { version: string };
    expect(await ferrule('--version')).toEqual({ code: 0, out: `ferrule ${version}\n`, error: '' });
    for (const args of [['--help'], ['run', '--help'], ['verify', demo, '-h'], ['check', '--help', 'nothing.st']])
      expect(await ferrule(...args)).toMatchObject({ code: 0, error: '', out: expect.stringMatching(/^Usage:/) });
  });
  it('takes what stands behind -- as files, and no option for one', async () => {
    expect(await ferrule('check', '--', counting())).toMatchObject({ code: 0 });
    expect(await ferrule('check', '--', '--help')).toMatchObject({
      code: 2,
      error: 'ferrule: --help: there is no such file.\n',
    });
    expect(await ferrule('run', '-x', counting())).toMatchObject({
      code: 2,
      error: 'ferrule: there is no option -x.\n',
    });
  });
  it('says before anything is computed that an output cannot be written, or has no form', async () => {
    // Ten million scans would take their time.
    const long = ['run', counting(), '--for', '1000h', '--record', 'n', '--record-last', '--out'];
    expect(await ferrule(...long, 'trace.xyz')).toMatchObject({
      code: 2,
      error: "ferrule: --out: 'trace.xyz' ends in no form that is written; write .csv, .vcd or -.\n",
    });
    const nowhere = join(temporary, 'no', 'such', 'trace.csv');
    expect(await ferrule(...long, nowhere)).toMatchObject({
      code: 2,
      error: `ferrule: --out: ${nowhere} cannot be written (no such folder, or it is read-only).\n`,
    });
    expect(await ferrule('verify', demo, '--junit', temporary)).toEqual({
      code: 2,
      out: '',
      error: `ferrule: --junit: ${temporary} cannot be written (it is a folder).\n`,
    });
    for (const option of ['json', 'report'])
      expect(await ferrule('verify', demo, `--${option}`, nowhere)).toMatchObject({ code: 2, out: '' });
  });
  it('tells all problems of a project file, one a line', async () => {
    const path = file(
      'wrong.ferrule.json',
      JSON.stringify({
        ...emptyProject('Wrong'),
        tags: Array.from({ length: 7 }, (_, i) => ({ id: `t${i}`, name: 7, type: 'INT' })),
      }),
    );
    const { code, out, error } = await ferrule('check', path);
    expect({ code, out }).toEqual({ code: 2, out: '' });
    const lines = error.trimEnd().split('\n');
    expect(lines.length).toBeGreaterThanOrEqual(7);
    for (const line of lines) expect(line.startsWith(`ferrule: ${path}: `)).toBe(true);
    expect(error).not.toMatch(/more\)/);
  });
  it('ends when its reader goes away', () => {
    const command = fileURLToPath(new URL('../bin/ferrule.mjs', import.meta.url));
    // Computed to its end it would take minutes.
    const { stdout, status } = spawnSync(
      '/bin/sh',
      ['-c', `"${process.execPath}" "${command}" run "${counting()}" --for 1000h --record n | head -n 2`],
      { encoding: 'utf8', timeout: 55_000 },
    );
    expect([stdout, status]).toEqual(['t_ms,n\n0,1\n', 0]);
  });
  it('starts nothing with an option that there is not', () => {
    const command = fileURLToPath(new URL('../bin/ferrule.mjs', import.meta.url));
    for (const target of ['serve', 'controller']) {
      const { stderr, status } = spawnSync(process.execPath, [command, target, '--nonsense'], { encoding: 'utf8' });
      expect([status, stderr]).toEqual([
        2,
        `ferrule: ${target} takes no option --nonsense; its settings come from the environment (README, Settings).\n`,
      ]);
    }
  });
});
