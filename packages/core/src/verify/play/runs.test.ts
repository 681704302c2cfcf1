/** Runs as files, as sequence checks, and what a start would do. */
import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { Engine, History, firstScans, profileScan } from '../../bench.js';
import { type Project, applyEdit } from '../../document.js';
import { checkFromRun, checkOfWrong, saidAt, planProof, proposeCheck, prove } from '../../verify.js';
import { compile } from '../../workspace.js';
import { playRecording, readRecording, recordRun } from '../../files.js';
import { imageOf, ladderProject } from '../../../test/support.js';

const demo = JSON.parse(
  readFileSync(new URL('../../../../../examples/wire-end-crimp-cell.ferrule.json', import.meta.url), 'utf8'),
) as Project;
const compiled = compile([{ kind: 'project', name: 'p', project: demo }]);
const image = compiled.build(true),
  options = { stepNs: 10_000_000n, wires: compiled.wires };
const press = (h: History, d: string, scans: number) => {
  h.apply({ kind: 'write', path: `Machine.${d}.Pressed`, value: true });
  h.schedule(scans, { kind: 'write', path: `Machine.${d}.Pressed`, value: false });
};

describe('a recording', () => {
  const run = () => {
    const h = new History(image, options);
    h.run(30);
    press(h, 'Start', 15);
    h.run(200);
    h.apply({ kind: 'force', path: 'GuardShut', value: false });
    h.run(20);
    h.apply({ kind: 'releaseAll' });
    h.apply({ kind: 'write', path: 'Machine.Length.Entry', value: 61.25 });
    h.run(50);
    return h;
  };
  it('replays to the same bytes elsewhere, and says so', () => {
    const r = recordRun(run(), demo, 'One');
    const text = JSON.stringify(r);
    expect(r.start).toBe(undefined);
    expect(r.events.map((e) => [e.scan, e.kind, e.path, e.value])).toEqual([
      [30, 'write', 'Machine.Start.Pressed', '1'],
      [45, 'write', 'Machine.Start.Pressed', '0'],
      [230, 'force', 'GuardShut', '0'],
      [250, 'releaseAll', undefined, undefined],
      [250, 'write', 'Machine.Length.Entry', '61.25'],
    ]);
    const again = new History(image, options);
    again.run(77);
    const read = readRecording(text);
    if ('error' in read) throw new Error(read.error);
    expect(playRecording(again, image, read)).toEqual({ isSame: true, scans: 300, dropped: [] });
    // The run before it is still there.
    expect(again.lines().map((l) => l.end)).toEqual([77, 300]);
  });
  it('of a run after changed logic begins with its state, and other logic is told', () => {
    const h = run();
    const other = {
      ...demo,
      pous: demo.pous.map((p) =>
        p.language === 'LD' && p.name === 'Cell'
          ? { ...p, rungs: p.rungs.map((x, i) => (i === 0 ? { ...x, line: x.line.replace(' & !BatchDone', '') } : x)) }
          : p,
      ),
    };
    const c = compile([{ kind: 'project', name: 'p', project: other }]),
      next = c.build(true);
    h.replaceImage(next, { ...options, wires: c.wires });
    press(h, 'Start', 10);
    h.run(120);
    const r = recordRun(h, other, 'Two');
    expect(r.start?.scan).toBe(300);
    const again = new History(next, { ...options, wires: c.wires });
    expect(playRecording(again, next, r)).toMatchObject({ isSame: true, scans: 420 });
    const played = playRecording(new History(image, options), image, { ...r, digest: 'x' });
    expect(played).toMatchObject({ isSame: false });
  });
  it('that is none is refused with a sentence', () => {
    for (const [text, said] of [
      ['{', 'not a recording'],
      ['{"format":"x"}', 'ferrule-recording'],
      ['{"format":"ferrule-recording","version":2}', 'version 2'],
      ['{"format":"ferrule-recording","version":1}', 'not complete'],
      ['{"format":"ferrule-recording","version":1,"events":[{}],"end":1,"digest":"","stepNs":"1"}', 'Event 1'],
    ] as const)
      expect(readRecording(text)).toMatchObject({ error: expect.stringContaining(said) as string });
    const h = new History(image, options);
    expect(playRecording(h, image, { ...recordRun(h, demo, ''), stepNs: '5000000' })).toMatchObject({
      error: expect.stringContaining('5 ms') as string,
    });
    expect(
      playRecording(h, image, {
        ...recordRun(h, demo, ''),
        events: [{ scan: 0, kind: 'write', path: 'Nowhere', value: '1' }],
      }),
    ).toMatchObject({ dropped: [expect.stringContaining('Nowhere') as string] });
  });
});

describe('a stretch of a run as a sequence check', () => {
  let n = 0;
  const id = () => `x${n++}`;
  const playsOn = (project: Project, rows: ReturnType<typeof checkFromRun>) =>
    prove(planProof({ ...project, checks: [{ id: 'r', name: 'Recorded', rows }], rules: [] }, 'p'), {
      stepNs: 10_000_000n,
    }).checks[0]!;
  it('what went wrong at the end of a run is a check that fails, and passes once it is mended', () => {
    const project = (line: string): Project => ({
      ...ladderProject(
        ['Go AT %IX0.0 : BOOL', 'Stop AT %IX0.1 : BOOL', 'Other : BOOL', 'Motor AT %QX0.0 : BOOL', 'Lamp : BOOL'],
        ['Go -> set Motor', line, 'Other -> Lamp'],
      ),
    });
    const wrong = project('Stop & Go -> reset Motor'),
      mended = project('Stop -> reset Motor');
    const c = compile([{ kind: 'project', name: 'p', project: wrong }]);
    const h = new History(c.build(true), { stepNs: 10_000_000n });
    const at = (scans: number, path: string, value: boolean) => {
      h.run(scans);
      h.apply({ kind: 'write', path, value });
    };
    at(20, 'Go', true);
    at(20, 'Go', false);
    at(10, 'Other', true);
    at(30, 'Stop', true);
    h.run(15);
    expect(saidAt(h, ['Motor', 'Lamp'], h.end).map((x) => x.said)).toEqual(['Motor is on', 'Lamp is on']);
    const made = checkOfWrong(h, wrong, { to: h.end, path: 'Motor' }, id);
    if ('error' in made) throw new Error(made.error);
    expect(made.rows.flatMap((r) => r.do ?? [])).toEqual([
      'set Go to on',
      'set Go to off',
      'set Other to on',
      'set Stop to on',
    ]);
    expect(made.rows.at(-1)!.expect).toEqual(['Motor is off']);
    expect(playsOn(wrong, made.rows).failure).toMatchObject({ row: made.rows.length, expected: 'Motor is off' });
    expect(playsOn(mended, made.rows).ok).toBe(true);
    // What is no run from the cold start, or has no value to speak of, is said.
    expect(checkOfWrong(h, wrong, { to: h.end, path: 'Nothing' }, id)).toHaveProperty('error');
    expect(checkOfWrong(h, mended, { to: h.end, path: 'Motor' }, id)).toEqual({
      error: expect.stringContaining('it does not go wrong: Motor is off there') as string,
    });
  });
  it('says what was done and what came of it, passes where it was recorded, and fails on broken logic', () => {
    const h = new History(image, options);
    h.run(50);
    press(h, 'Start', 20);
    h.run(300);
    const rows = checkFromRun(h, demo, 0, h.end, ['Step', 'FeedMotor', 'DieClose', 'Running', 'Dwell.ET'], id);
    expect(rows[0]).toMatchObject({ when: 'after 500 ms', do: ['tap Start for 200 ms'] });
    expect(rows.flatMap((r) => [r.when ?? '', ...(r.expect ?? [])]).join('\n')).toMatch(
      /Running is on within[^]*once Step is Crimping within[^]*DieClose is on within/,
    );
    expect(playsOn(demo, rows).failure).toBe(undefined);
    const broken = {
      ...demo,
      pous: demo.pous.map((p) =>
        p.language === 'LD'
          ? {
              ...p,
              rungs: p.rungs.map((r) => ({
                ...r,
                line: r.line.replace(
                  'Running & Step = Crimping & ClampShut & !FeedMotor -> DieClose',
                  'Running & Step = Crimping & ClampOpen & !FeedMotor -> DieClose',
                ),
              })),
            }
          : p,
      ),
    };
    expect(playsOn(broken, rows).ok).toBe(false);
  });
  it('is proposed without what does not matter: things done for nothing, tags that stood still or never came to rest', () => {
    const h = new History(image, options);
    h.run(30);
    // A button that the idle cell does not listen to, before and after the start that matters.
    press(h, 'Reset', 10);
    h.run(20);
    press(h, 'Start', 20);
    h.run(10);
    h.apply({ kind: 'write', path: 'Machine.Batch.Entry', value: 20 });
    h.run(300);
    const paths = ['Step', 'FeedMotor', 'DieClose', 'Running', 'EStopOK', 'Fault'];
    const whole = checkFromRun(h, demo, 0, h.end, paths, id),
      made = proposeCheck(h, demo, { from: 0, to: h.end, paths }, id);
    expect(whole.flatMap((r) => r.do ?? [])).toEqual([
      'tap Reset for 100 ms',
      'tap Start for 200 ms',
      'enter 20 at Batch',
    ]);
    expect(made.rows.flatMap((r) => r.do ?? [])).toEqual(['tap Start for 200 ms']);
    expect(made.leftOut).toBe(2);
    // The start is at its moment still, and what never changed is not spoken of.
    expect(made.rows[0]).toMatchObject({ when: 'after 500 ms' });
    expect(JSON.stringify(made.rows)).not.toMatch(/EStopOK|Fault/);
    expect(playsOn(demo, made.rows).ok).toBe(true);
  });
  it('nothing done and nothing changed is still something to expect; a blinking lamp is not', () => {
    const h = new History(image, options);
    h.run(200);
    expect(
      proposeCheck(h, demo, { from: 0, to: h.end, paths: ['Running', 'FeedMotor'] }, id).rows.flatMap(
        (r) => r.expect ?? [],
      ),
    ).toEqual(['Running is off', 'FeedMotor is off']);
    const blink = {
      ...demo,
      tags: [...demo.tags, { id: 'wo', name: 'Wobble', type: 'BOOL' }],
      pous: demo.pous.map((p) =>
        p.language === 'LD' && p.name === 'Cell'
          ? { ...p, rungs: [{ id: 'bb', line: '!Wobble -> Wobble' }, ...p.rungs] }
          : p,
      ),
    };
    const c = compile([{ kind: 'project', name: 'p', project: blink }]),
      b = new History(c.build(true), { ...options, wires: c.wires });
    b.run(20);
    press(b, 'Start', 20);
    b.run(100);
    expect(
      JSON.stringify(proposeCheck(b, blink, { from: 0, to: b.end, paths: ['Running', 'Wobble'] }, id).rows),
    ).not.toContain('Wobble');
  });
  it('what runs only while a button is held is expected to run, not to stand again', () => {
    const jogging = (line: string) => ({
      ...demo,
      tags: [...demo.tags, { id: 'jo', name: 'Jogging', type: 'BOOL' }],
      pous: demo.pous.map((p) =>
        p.language === 'LD' && p.name === 'Cell' ? { ...p, rungs: [{ id: 'jj', line }, ...p.rungs] } : p,
      ),
    });
    const jog = jogging('StartPB -> Jogging'),
      c = compile([{ kind: 'project', name: 'p', project: jog }]),
      h = new History(c.build(true), { ...options, wires: c.wires });
    h.run(20);
    press(h, 'Start', 100);
    h.run(150);
    const { rows, leftOut } = proposeCheck(h, jog, { from: 0, to: h.end, paths: ['Jogging'] }, id);
    expect(leftOut).toBe(0);
    expect(rows.map((r) => [r.when, r.do, r.expect])).toEqual([
      ['after 200 ms', ['tap Start for 1 s'], ['Jogging is on within 3 scans']],
      ['after 1.47 s', undefined, ['Jogging is off']],
    ]);
    expect(playsOn(jog, rows).ok).toBe(true);
    expect(playsOn(jogging('StartPB & ResetPB -> Jogging'), rows).ok).toBe(false);
    expect(playsOn(jogging('StartPB | Jogging -> Jogging'), rows).ok).toBe(false);
  });
  it('names holds, turns, entries, forces and upsets as the checks do', () => {
    const h = new History(image, options);
    for (const [path, value] of [
      ['Machine.Auto.Turned', false],
      ['Machine.Stop.Pressed', true],
      ['Machine.Emergency.Struck', true],
      ['Machine.Batch.Entry', 12],
      ['Machine.Feed.Jam', true],
      ['Machine.Feed.Jam', false],
    ] as const) {
      h.apply({ kind: 'write', path, value });
      h.run(10);
    }
    h.apply({ kind: 'force', path: 'DieDown', value: true });
    h.run(5);
    h.apply({ kind: 'force', path: 'DieDown' });
    h.run(5);
    h.apply({ kind: 'force', path: 'ClampShut', value: false });
    h.apply({ kind: 'force', path: 'DieUp', value: true });
    h.run(5);
    h.apply({ kind: 'force', path: 'DieUp' });
    h.apply({ kind: 'releaseAll' });
    h.run(5);
    const rows = checkFromRun(h, demo, 0, h.end, ['Running'], id);
    expect(rows.flatMap((r) => r.do ?? [])).toEqual([
      'turn Auto left',
      'hold Stop',
      'strike Emergency',
      'enter 12 at Batch',
      'upset Feed.Jam',
      'clear Feed.Jam',
      'force DieDown on',
      'release DieDown',
      'force ClampShut off',
      'force DieUp on',
      'release DieUp',
      'release ClampShut',
    ]);
    expect(playsOn(demo, rows).ok).toBe(true);
  });
  it('begins with what was forced before the restart, and keeps what was done before the logic was changed', () => {
    const h = new History(image, options);
    h.apply({ kind: 'force', path: 'GuardShut', value: false });
    h.run(20);
    h.restart();
    h.run(10);
    h.apply({ kind: 'write', path: 'Machine.Batch.Entry', value: 7 });
    h.run(10);
    const other = { ...demo, rules: [] },
      c = compile([{ kind: 'project', name: 'p', project: other }]);
    h.replaceImage(c.build(true), { ...options, wires: c.wires });
    h.apply({ kind: 'write', path: 'Machine.Auto.Turned', value: false });
    h.run(10);
    expect(checkFromRun(h, other, 0, h.end, ['Running'], id).flatMap((r) => (r.do ? [[r.when, ...r.do]] : []))).toEqual(
      [
        ['at once', 'force GuardShut off'],
        ['after 100 ms', 'enter 7 at Batch'],
        ['after 100 ms', 'turn Auto left'],
      ],
    );
  });
  it('names the handle where a device has several', () => {
    const lock = JSON.parse(
      readFileSync(new URL('../../../../../examples/canal-lock.ferrule.json', import.meta.url), 'utf8'),
    ) as Project;
    const c = compile([{ kind: 'project', name: 'p', project: lock }]);
    const h = new History(c.build(true), { ...options, wires: c.wires });
    h.run(50);
    h.apply({ kind: 'write', path: 'Machine.Chamber.Above', value: true });
    h.schedule(20, { kind: 'write', path: 'Machine.Chamber.Above', value: false });
    h.run(100);
    const rows = checkFromRun(h, lock, 0, h.end, ['BoatAbove', 'BoatBelow'], id);
    expect(rows[0]).toMatchObject({ when: 'after 500 ms', do: ['tap Chamber.Above for 200 ms'] });
    expect(playsOn(lock, rows).failure).toBe(undefined);
    expect(rows[rows.length - 1]!.expect).toContain('BoatBelow is off');
    const said = (text: string) => playsOn(lock, [{ id: 'k', do: [text], expect: ['BoatAbove is on within 5 scans'] }]);
    expect(said('hold Chamber.above').ok).toBe(true);
    expect(said('tap Chamber').failure?.seen).toBe(
      "'Chamber' has several things to work; write 'Chamber.Below' or 'Chamber.Above'.",
    );
    expect(said('tap Chamber.Side').failure?.seen).toContain("no 'Side'");
    expect(said('enter 4 at Chamber').failure?.seen).toContain('cannot be given a number');
  });
});

it('the first scans after a start: what would be switched on, outputs first', () => {
  const project = ladderProject(
    ['Lamp AT %QX0.0 : BOOL', 'Late : BOOL', 'T : TON', 'Idle : BOOL', 'N : INT'],
    ['-> Lamp', 'T(PT := 50 ms) -> Late', 'Lamp & Late -> Idle', '-> { N := 7; }'],
  );
  // A timer without a contact before it runs out at once.
  const c = compile([{ kind: 'project', name: 'p', project }]);
  expect(
    firstScans(c.build(true), { stepNs: 10_000_000n }).on.map((f) => [f.path, f.value, f.scan, f.isOutput]),
  ).toEqual([
    ['Lamp', '1', 1, true],
    ['N', '7', 1, false],
    ['Idle', '1', 6, false],
    ['Late', '1', 6, false],
  ]);
  const retained = imageOf(
    'VAR_GLOBAL RETAIN Was : BOOL; END_VAR VAR_GLOBAL Out AT %QX0.0 : BOOL; END_VAR PROGRAM P VAR_EXTERNAL Was : BOOL; Out : BOOL; END_VAR Out := Was; Was := TRUE; END_PROGRAM',
    true,
  );
  const h = new History(retained, { stepNs: 10_000_000n });
  h.run(3);
  // From initial values it comes on a scan after it was noted; with the retained value at once.
  expect(firstScans(retained, { stepNs: 10_000_000n }).on.map((f) => [f.path, f.scan])).toEqual([
    ['Out', 2],
    ['Was', 1],
  ]);
});

it('the first scans are looked at past the longest timer that a wrong contact starts at once', () => {
  const late = ladderProject(
    ['GateOpen AT %QX0.0 : BOOL', 'Guard AT %IX0.0 : BOOL', 'Slow : TON', 'Blink AT %QX0.1 : BOOL', 'Half : TON'],
    ['!Guard & Slow(PT := 10 s) -> GateOpen', '!Blink & Half(PT := 300 ms) -> Blink'],
  );
  const image = compile([{ kind: 'project', name: 'p', project: late }]).build(true);
  const { on, scans } = firstScans(image, { stepNs: 10_000_000n });
  expect(on.filter((f) => f.isOutput).map((f) => [f.path, f.scan])).toEqual([
    ['Blink', 31],
    ['GateOpen', 1001],
  ]);
  expect(scans).toBeGreaterThan(1000);
  // A timer inside a block of one's own, in an array of them, counts as well.
  const inside = imageOf(
    'FUNCTION_BLOCK B VAR t : TON; END_VAR VAR_OUTPUT Q : BOOL; END_VAR t(IN := TRUE, PT := T#2s); Q := t.Q; END_FUNCTION_BLOCK VAR_GLOBAL Out AT %QX0.0 : BOOL; END_VAR PROGRAM P VAR_EXTERNAL Out : BOOL; END_VAR VAR b : ARRAY[1..3] OF B; END_VAR b[2](); Out := b[2].Q; END_PROGRAM',
    true,
  );
  expect(firstScans(inside, { stepNs: 10_000_000n }).on.map((f) => [f.path, f.scan])).toEqual([['Out', 201]]);
});

it('the time of a scan adds up over its rungs, and every rung is there', () => {
  const h = new History(image, options);
  h.run(20);
  let now = 0;
  const parts = profileScan(new Engine(image, options), h.past.engineAt(19).snapshot(), () => (now += 0.001), 2);
  const rungs = demo.pous.reduce((n, p) => n + (p.language === 'LD' && p.kind === 'program' ? p.rungs.length : 0), 0);
  expect(parts).toHaveLength(rungs);
  expect(new Set(parts.map((p) => p.task))).toEqual(new Set(['Main']));
  expect(parts.every((p) => p.micros >= 0)).toBe(true);
});

it('what belongs to the bench is edited, undone and renamed with the tags', () => {
  const put = (p: Project, to: NonNullable<Project['bench']>) => {
    const r = applyEdit(p, { kind: 'changeBench', to });
    if ('refused' in r) throw new Error();
    return r;
  };
  const one = put(demo, {
    watches: [{ id: 'w', name: 'W', rows: [{ path: 'Step' }, { path: 'Dwell.ET', format: 'time' }] }],
  });
  const two = put(one.project, { keys: [{ path: 'StartPB', key: 'q' }] });
  expect(two.project.bench).toEqual({ watches: one.project.bench!.watches, keys: [{ path: 'StartPB', key: 'q' }] });
  const back = applyEdit(two.project, two.inverse);
  expect('project' in back && back.project.bench).toEqual(one.project.bench);
  const start = applyEdit(one.project, one.inverse);
  expect('project' in start && start.project).toEqual(demo);
});
