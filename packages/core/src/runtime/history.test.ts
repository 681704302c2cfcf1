/**
 * Laws of the bench's time: replay gives the same bytes, looking never changes what is looked at, lines do not touch
 * each other.
 */
import fc from 'fast-check';
import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { type BenchEvent, Engine, History, type Value } from '../bench.js';
import type { Project } from '../document.js';
import { compile } from '../workspace.js';
import { imageOf, ladderProject, program } from '../../test/support.js';

const demo = JSON.parse(
  readFileSync(new URL('../../../../examples/wire-end-crimp-cell.ferrule.json', import.meta.url), 'utf8'),
) as Project;
/** The demo with one rung changed: other logic, the same tags. */
const changed: Project = {
  ...demo,
  pous: demo.pous.map((p) =>
    p.language === 'LD' ? { ...p, rungs: [...p.rungs, { id: 'extra', line: 'Running & DieDown -> Extra' }] } : p,
  ),
  tags: [...demo.tags, { id: 'extra', name: 'Extra', type: 'BOOL' }],
};
const built = [demo, changed].map((project) => {
  const c = compile([{ kind: 'project', name: 'p', project }]);
  if (c.hasErrors) throw new Error(c.diagnostics.map((d) => d.message).join());
  return { image: c.build(true), options: { stepNs: 10_000_000n, wires: c.wires } };
});
const one = built[0]!;
const bytes = (h: History) => Buffer.from(h.engine.snapshot().bytes).toString('hex');

const eventArb: fc.Arbitrary<BenchEvent> = fc.oneof(
  fc
    .tuple(fc.constantFrom('Start', 'Stop', 'Reset'), fc.boolean())
    .map(([d, v]): BenchEvent => ({ kind: 'write', path: `Machine.${d}.Pressed`, value: v })),
  fc
    .tuple(fc.constantFrom('DieDown', 'GuardShut', 'Running', 'FeedMotor'), fc.option(fc.boolean()))
    .map(([p, v]): BenchEvent => ({ kind: 'force', path: p, ...(v === null ? {} : { value: v }) })),
  fc.constant<BenchEvent>({ kind: 'releaseAll' }),
);
type Act =
  | { do: 'run' | 'goTo'; n: number }
  | { do: 'event'; event: BenchEvent }
  | { do: 'step'; unit: 'over' | 'into' | 'out' | 'task'; back: boolean }
  | { do: 'logic' | 'cold' | 'warm' }
  | { do: 'pulse'; n: number }
  | { do: 'line'; n: number };
const actArb: fc.Arbitrary<Act> = fc.oneof(
  { weight: 4, arbitrary: fc.integer({ min: 1, max: 300 }).map((n): Act => ({ do: 'run', n })) },
  { weight: 4, arbitrary: eventArb.map((event): Act => ({ do: 'event', event })) },
  {
    weight: 2,
    arbitrary: fc
      .tuple(fc.constantFrom('over', 'into', 'out', 'task'), fc.boolean())
      .map(([unit, back]): Act => ({ do: 'step', unit: unit as 'over', back })),
  },
  fc.nat(600).map((n): Act => ({ do: 'goTo', n })),
  fc.constantFrom('logic', 'cold', 'warm').map((x): Act => ({ do: x as 'cold' })),
  fc.integer({ min: 1, max: 40 }).map((n): Act => ({ do: 'pulse', n })),
  fc.nat(3).map((n): Act => ({ do: 'line', n })),
);

function play(h: History, acts: readonly Act[]): void {
  let which = 0;
  for (const a of acts) {
    if (a.do === 'run') h.run(a.n);
    else if (a.do === 'goTo') h.goTo(h.start + (a.n % (h.end - h.start + 1)));
    else if (a.do === 'event') h.apply(a.event);
    else if (a.do === 'step') h.stepInside(a.unit, a.back ? -1 : 1);
    else if (a.do === 'logic') {
      which = 1 - which;
      h.replaceImage(built[which]!.image, built[which]!.options);
    } else if (a.do === 'pulse') {
      h.apply({ kind: 'write', path: 'Machine.Start.Pressed', value: true });
      h.schedule(a.n, { kind: 'write', path: 'Machine.Start.Pressed', value: false });
    } else if (a.do === 'line') {
      const l = h.lines();
      h.switchTo(l[a.n % l.length]!.id);
    } else h.restart(a.do as 'cold' | 'warm');
  }
}
const newHistory = () => new History(one.image, one.options);

describe('whatever was done on the bench', () => {
  it('the recording replays to the same bytes', () => {
    fc.assert(
      fc.property(fc.array(actArb, { maxLength: 14 }), (acts) => {
        const h = newHistory();
        play(h, acts);
        h.goTo(h.end);
        const there = bytes(h);
        const start = h.recordingStart(),
          again = new History(h.image, one.options);
        again.load(h.recording(), h.end, start);
        again.goTo(again.end);
        expect(bytes(again)).toBe(there);
      }),
      { numRuns: 120 },
    );
  });
  it('looking back, stepping inside scans and asking change nothing', () => {
    fc.assert(
      fc.property(
        fc.array(actArb, { maxLength: 10 }),
        fc.array(fc.nat(800), { minLength: 1, maxLength: 6 }),
        (acts, looks) => {
          const h = newHistory(),
            still = newHistory();
          h.traces.follow('Dwell.ET');
          play(h, acts);
          play(still, acts);
          h.goTo(h.end);
          still.goTo(still.end);
          for (const n of looks) {
            h.goTo(h.start + (n % (h.end - h.start + 1)));
            // At the end a step on would be a new scan.
            for (const unit of ['over', 'into', 'task'] as const) h.stepInside(unit, n % 2 && h.now < h.end ? 1 : -1);
            h.past.lastChange('Running', Math.min(h.end, n + 1));
            h.traces.courses(['Dwell.ET'], 0, Math.max(1, h.end), 100, 10_000);
          }
          h.goTo(h.end);
          expect(bytes(h)).toBe(bytes(still));
          h.run(40);
          still.run(40);
          expect(bytes(h)).toBe(bytes(still));
        },
      ),
      { numRuns: 60 },
    );
  });
  it('the last change of a value is the one that a scan by scan look finds', () => {
    fc.assert(
      fc.property(fc.array(actArb, { maxLength: 10 }), fc.nat(900), (acts, at) => {
        const h = newHistory();
        play(h, acts);
        const scan = h.start + (at % (h.end - h.start + 1));
        for (const path of ['Running', 'Dwell.ET', 'Step', 'DieDown']) {
          const found = h.past.lastChange(path, scan);
          let value: Value | undefined, last: number | undefined;
          for (let n = h.start; n <= scan; n++) {
            const v = h.past.engineAt(n).read(path);
            if (n > h.start && v !== value) last = n;
            value = v;
          }
          expect(found && !found.byChange ? found.scan : undefined, path).toBe(found?.byChange ? undefined : last);
        }
      }),
      { numRuns: 40 },
    );
  });
});

describe('lines of history', () => {
  it('do not touch each other', () => {
    fc.assert(
      fc.property(
        fc.array(eventArb, { minLength: 1, maxLength: 4 }),
        fc.integer({ min: 1, max: 500 }),
        (events, back) => {
          const h = newHistory();
          h.apply({ kind: 'write', path: 'Machine.Start.Pressed', value: true });
          h.run(600);
          const before = bytes(h);
          h.goTo(back);
          for (const e of events) {
            h.apply(e);
            h.run(70);
          }
          const after = bytes(h),
            lines = h.lines();
          h.switchTo(lines[0]!.id);
          expect(bytes(h)).toBe(before);
          h.switchTo(lines[lines.length - 1]!.id);
          expect(bytes(h)).toBe(after);
        },
      ),
      { numRuns: 40 },
    );
  });
  it('say where they first differ', () => {
    const h = newHistory();
    h.apply({ kind: 'write', path: 'Machine.Start.Pressed', value: true });
    h.run(200);
    h.goTo(50);
    h.run(50);
    h.goTo(90);
    h.apply({ kind: 'write', path: 'Machine.Stop.Pressed', value: true });
    h.run(60);
    const [first] = h.lines();
    expect(h.lines()).toHaveLength(2);
    expect(h.past.differences(first!.id, ['Running', 'Extra', 'StopOK', 'Dwell.ET'], 1000)).toEqual({
      at: [92, undefined, 92, undefined],
      next: 151,
      isAll: true,
    });
    // In pieces it is the same, and when both go on it goes on.
    expect(h.past.differences(first!.id, ['Running', 'Dwell.ET'], 2)).toEqual({
      at: [undefined, undefined],
      next: 92,
      isAll: false,
    });
    expect(h.past.differences(first!.id, ['Running', 'Dwell.ET'], 2, 92)).toEqual({
      at: [92, undefined],
      next: 94,
      isAll: false,
    });
    expect(h.past.differences(first!.id, ['Dwell.ET'], 1000, 151)).toEqual({ at: [undefined], next: 151, isAll: true });
    expect(h.past.differences(99, ['Running'], 1000)).toBe(undefined);
  });
  it('a restart keeps the run before it, its forces and, warm, what is retained', () => {
    const image = imageOf(
      'VAR_GLOBAL RETAIN Kept : INT; END_VAR VAR_GLOBAL Lost : INT; In AT %IX0.0 : BOOL; END_VAR PROGRAM P VAR_EXTERNAL Kept : INT; Lost : INT; END_VAR Kept := Kept + 1; Lost := Lost + 1; END_PROGRAM',
      true,
    );
    const h = new History(image, { stepNs: 10_000_000n });
    h.apply({ kind: 'force', path: 'In', value: true });
    h.run(5);
    h.restart('warm');
    expect([h.now, h.engine.read('Kept'), h.engine.read('Lost')]).toEqual([0, 5n, 0n]);
    expect(h.forces()).toEqual([{ path: 'In', value: true }]);
    h.run(2);
    h.restart('cold');
    expect([h.engine.read('Kept'), h.engine.read('Lost')]).toEqual([0n, 0n]);
    expect(h.lines().map((l) => [l.beginning, l.end])).toEqual([
      ['start', 5],
      ['warm restart', 2],
      ['cold restart', 0],
    ]);
  });
});

describe('inside a scan', () => {
  const three = imageOf(
    'VAR_GLOBAL A : INT; B : INT; C : INT; END_VAR FUNCTION_BLOCK Twice VAR_INPUT x : INT; END_VAR VAR_OUTPUT y : INT; END_VAR y := x; y := y + x; END_FUNCTION_BLOCK PROGRAM P VAR_EXTERNAL A : INT; B : INT; C : INT; END_VAR VAR t : Twice; END_VAR A := A + 1; t(x := A); B := t.y; C := C + 1; END_PROGRAM',
    true,
  );
  const read = (h: History) => ['A', 'B', 'C'].map((p) => Number(h.engine.read(p)));
  it('a statement at a time, over a call or into it, and back', () => {
    const h = new History(three, { stepNs: 10_000_000n });
    h.run(1);
    const line = () => h.halt?.at && h.halt.at.source.text.slice(h.halt.at.start, h.halt.at.end);
    h.stepInside('over', 1);
    expect([line(), ...read(h)]).toEqual(['t(x := A)', 2, 2, 1]);
    h.stepInside('into', 1);
    expect([line(), h.halt!.depth]).toEqual(['y := x', 1]);
    expect(h.callPath()).toHaveLength(2);
    h.stepInside('out', 1);
    expect([line(), ...read(h)]).toEqual(['B := t.y', 2, 2, 1]);
    h.stepInside('over', -1);
    expect(line()).toBe('t(x := A)');
    h.stepInside('over', -1);
    expect([line(), h.isInside, h.now, ...read(h)]).toEqual([undefined, false, 1, 1, 2, 1]);
    h.stepInside('over', -1);
    expect([line(), h.now, ...read(h)]).toEqual(['C := C + 1', 0, 1, 2, 0]);
    h.stepInside('over', 1);
    expect([h.isInside, h.now, h.end]).toEqual([false, 1, 1]);
  });
  it('a write in the middle of a scan takes effect with the next one', () => {
    const h = new History(three, { stepNs: 10_000_000n });
    h.stepInside('over', 1);
    h.apply({ kind: 'write', path: 'A', value: 10n });
    expect([h.now, h.end, ...read(h)]).toEqual([1, 1, 10, 2, 1]);
    h.run(1);
    expect(read(h)).toEqual([11, 22, 2]);
  });
  it('stops before a place, goes on from there, and stops at the next', () => {
    const h = new History(three, { stepNs: 10_000_000n });
    const stops = {
      mayHave: () => true,
      at: (x: { at?: { start: number; end: number; source: { text: string } } }) =>
        /^(B :=|y := y)/.test(x.at!.source.text.slice(x.at!.start, x.at!.end)),
    };
    h.run(100, stops);
    expect([h.now, h.end, h.halt!.depth]).toEqual([0, 1, 1]);
    h.run(100, stops);
    expect([h.now, h.halt!.depth, ...read(h)]).toEqual([0, 0, 1, 0, 0]);
    h.run(100, stops);
    expect([h.now, h.end, h.halt!.depth]).toEqual([1, 2, 1]);
  });
  it('stops before the very first step', () => {
    const h = new History(three, { stepNs: 10_000_000n });
    const stops = {
      mayHave: () => true,
      at: (x: { at?: { start: number; source: { text: string } } }) =>
        x.at!.source.text.slice(x.at!.start).startsWith('A :='),
    };
    h.run(100, stops);
    expect([h.now, h.isInside, ...read(h)]).toEqual([0, true, 0, 0, 0]);
    h.run(100, stops);
    expect([h.now, h.isInside, ...read(h)]).toEqual([1, true, 1, 2, 1]);
    h.stepInside('over', -1);
    expect([h.now, h.isInside]).toEqual([1, false]);
  });
  it('one task at a time', () => {
    const image = imageOf(
      'VAR_GLOBAL A : INT; B : INT; END_VAR PROGRAM P VAR_EXTERNAL A : INT; END_VAR A := A + 1; A := A + 1; END_PROGRAM PROGRAM Q VAR_EXTERNAL B : INT; END_VAR B := B + 1; END_PROGRAM CONFIGURATION C RESOURCE R ON X TASK Fast(INTERVAL := T#10ms, PRIORITY := 1); TASK Slow(INTERVAL := T#10ms, PRIORITY := 2); PROGRAM p1 WITH Fast : P; PROGRAM q1 WITH Slow : Q; END_RESOURCE END_CONFIGURATION',
      true,
    );
    const h = new History(image, { stepNs: 10_000_000n });
    const at = () => ['A', 'B'].map((p) => Number(h.engine.read(p)));
    h.stepInside('task', 1);
    expect([h.now, ...at()]).toEqual([0, 2, 0]);
    h.stepInside('task', 1);
    expect([h.now, h.isInside, ...at()]).toEqual([1, false, 2, 1]);
    h.stepInside('task', -1);
    expect([h.now, ...at()]).toEqual([0, 2, 0]);
    h.stepInside('task', -1);
    expect([h.now, ...at()]).toEqual([0, 0, 0]);
  });
});

describe('a warm restart', () => {
  it('keeps what is retained in programs, in blocks and in whole instances, and nothing else', () => {
    const image = imageOf(
      `FUNCTION_BLOCK B VAR RETAIN r : INT; END_VAR VAR n : INT; END_VAR r := r + 1; n := n + 1; END_FUNCTION_BLOCK
       PROGRAM P VAR RETAIN k : INT; c : B; END_VAR VAR n : INT; b : B; many : ARRAY [1..2] OF B; END_VAR
       k := k + 1; n := n + 1; b(); c(); many[2](); END_PROGRAM`,
      true,
    );
    const h = new History(image, { stepNs: 10_000_000n });
    h.run(5);
    h.restart('warm');
    const values = ['P.k', 'P.n', 'P.b.r', 'P.b.n', 'P.c.r', 'P.c.n', 'P.many[2].r', 'P.many[2].n', 'P.many[1].r'];
    expect(values.map((v) => Number(h.engine.read(v)))).toEqual([5, 0, 5, 0, 5, 5, 5, 0, 0]);
    h.restart('cold');
    expect(values.map((v) => Number(h.engine.read(v)))).toEqual([0, 0, 0, 0, 0, 0, 0, 0, 0]);
  });
});

describe('traces', () => {
  it('show every change exactly, and wide columns hold every value that occurred', () => {
    const image = imageOf(
      program(
        'i : INT; r : REAL; b : BOOL; q : BOOL;',
        'i := i + 1; IF i > 700 THEN i := -5; END_IF; r := INT_TO_REAL(i) * 0.5; b := (i MOD 7) = 0; q := i = 300;',
      ),
      true,
    );
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 3000 }),
        fc.nat(3000),
        fc.integer({ min: 1, max: 2500 }),
        fc.integer({ min: 5, max: 400 }),
        fc.boolean(),
        (scans, from, span, pixels, late) => {
          const h = new History(image, { stepNs: 10_000_000n }),
            paths = ['P.i', 'P.r', 'P.b', 'P.q'];
          if (!late) for (const p of paths) h.traces.follow(p);
          h.run(scans);
          if (late) for (const p of paths) h.traces.follow(p);
          const start = from % scans,
            to = Math.min(scans, start + span);
          const { courses, complete } = h.traces.courses(paths, start, to, pixels, 1e9);
          expect(complete).toBe(true);
          for (const c of courses) {
            const e = new Engine(image, { stepNs: 10_000_000n });
            const values: number[] = [Number(e.read(c.path))];
            for (let n = 0; n < to; n++) {
              e.runScan();
              values.push(Number(e.read(c.path)));
            }
            let k = 0;
            for (let n = start; n <= to; n++) {
              while (k + 4 < c.points.length && c.points[k + 4]! <= n) k += 4;
              const [at, low, high, last] = c.points.subarray(k, k + 4) as unknown as [number, number, number, number];
              expect(at).toBeLessThanOrEqual(Math.max(n, start + 1));
              // Exact where a column is one change; else within its bounds.
              if (to - start <= pixels) expect(n >= at ? last : values[n]).toBe(values[n]);
              else {
                expect(values[n]!).toBeGreaterThanOrEqual(low - 1e-3);
                expect(values[n]!).toBeLessThanOrEqual(high + 1e-3);
              }
            }
          }
        },
      ),
      { numRuns: 60, examples: [[1366, 1365, 1, 5, false]] },
    );
  });
  it('go on after a look into the past, in the middle of a block', () => {
    const h = newHistory();
    h.traces.follow('Step');
    h.apply({ kind: 'write', path: 'Machine.Start.Pressed', value: true });
    h.run(300);
    h.goTo(17);
    h.goTo(300);
    h.run(300);
    h.goTo(400);
    h.run(400);
    const straight = newHistory();
    straight.apply({ kind: 'write', path: 'Machine.Start.Pressed', value: true });
    straight.run(h.end);
    straight.traces.follow('Step');
    expect([...h.traces.courses(['Step'], 0, h.end, h.end, 1e9).courses[0]!.points]).toEqual([
      ...straight.traces.courses(['Step'], 0, h.end, h.end, 1e9).courses[0]!.points,
    ]);
  });
});

it('a search for a moment finds the nearest one on either side', () => {
  const h = new History(imageOf(program('i : INT;', 'i := i + 1; IF i = 100 THEN i := 0; END_IF;'), true), {
    stepNs: 10_000_000n,
  });
  h.run(1000);
  const holds = (e: Engine) => e.read('P.i') === 50n;
  expect(h.past.find(500, -1, holds, 5000)).toEqual({ found: 450 });
  expect(h.past.find(500, 1, holds, 5000)).toEqual({ found: 550 });
  expect(h.past.find(20, -1, holds, 5000)).toEqual({});
  expect(h.past.find(980, 1, holds, 5000)).toEqual({});
});

it('a search in pieces, and over a place where the line was left, finds what a scan by scan look finds', () => {
  const h = new History(
    imageOf(
      `VAR_GLOBAL In AT %IX0.0 : BOOL; END_VAR ${program('i : INT;', 'i := i + 1; IF i = 100 OR (In AND i = 60) THEN i := 0; END_IF;').replace('PROGRAM P', 'PROGRAM P VAR_EXTERNAL In : BOOL; END_VAR')}`,
      true,
    ),
    { stepNs: 10_000_000n },
  );
  h.run(500);
  h.goTo(230);
  h.apply({ kind: 'write', path: 'In', value: true });
  h.run(400);
  const holds = (e: Engine) => (e.read('P.i') as bigint) >= 50n;
  const begins: number[] = [];
  for (let n = 1; n <= h.end; n++) if (holds(h.past.engineAt(n)) && !holds(h.past.engineAt(n - 1))) begins.push(n);
  expect(begins.length).toBeGreaterThan(8);
  for (const most of [1, 7, 50, 4096])
    for (const from of [...begins, 0, 231, 333, h.end])
      for (const direction of [1, -1] as const) {
        let at = from,
          r = h.past.find(at, direction, holds, most);
        while (r.next !== undefined) {
          at = r.next;
          r = h.past.find(at, direction, holds, most);
        }
        expect(r.found, `${direction} from ${from}, ${most} at a time`).toBe(
          direction > 0 ? begins.find((b) => b > from) : begins.findLast((b) => b < from),
        );
      }
});

it('conditions compiled beside the program change neither state nor time line', () => {
  const project = ladderProject(['N : INT', 'Q : BOOL'], ['-> { N := N + 1; }', 'N > 5 -> Q']);
  const compiled = compile([{ kind: 'project', name: 'p', project }]);
  const h = new History(compiled.build(true), { stepNs: 10_000_000n });
  h.traces.follow('N');
  h.run(20);
  const before = bytes(h);
  h.swapImage(compiled.build(true));
  expect([h.now, bytes(h)]).toEqual([20, before]);
  h.goTo(3);
  h.run(30);
  expect(h.engine.read('N')).toBe(33n);
  expect(h.traces.courses(['N'], 0, 33, 33, 1e9).courses[0]!.points.length).toBe(4 * 34);
});

it('a value that has not changed for a long time is found by its marks, wherever it is looked for', () => {
  const h = new History(
    imageOf(
      'VAR_GLOBAL Mark AT %IX0.0 : BOOL; Busy : DINT; END_VAR PROGRAM P VAR_EXTERNAL Busy : DINT; END_VAR Busy := Busy + 1; END_PROGRAM',
      true,
    ),
    { stepNs: 10_000_000n },
  );
  const at = [700, 40_000, 40_300, 120_000];
  for (const n of at) {
    h.run(n - h.now);
    h.apply({ kind: 'write', path: 'Mark', value: !h.engine.read('Mark') });
  }
  h.run(10_000);
  for (const n of [600, 701, 800, 16_384, 16_385, 39_999, 40_001, 40_301, 65_536, 119_999, 120_001, 130_000])
    expect(h.past.lastChange('Mark', n)?.scan, `asked at ${n}`).toBe(
      [...at].reverse().find((x) => x < n) === undefined ? undefined : [...at].reverse().find((x) => x < n)! + 1,
    );
});
