/** What always holds of the engine (ARCHITECTURE.md, and the heads of its files), each with a test that fails without it. */
import fc from 'fast-check';
import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { Engine, History, type BenchEvent, transferState } from '../bench.js';
import type { Project } from '../document.js';
import { compile } from '../workspace.js';
import { engineOf, imageOf, ladderProject, program } from '../../test/support.js';

const demo = JSON.parse(
  readFileSync(new URL('../../../../examples/wire-end-crimp-cell.ferrule.json', import.meta.url), 'utf8'),
) as Project;
const compiledDemo = compile([{ kind: 'project', name: 'demo', project: demo }]);
const demoImage = { watched: compiledDemo.build(true), plain: compiledDemo.build(false) };
const options = { stepNs: 10_000_000n, wires: compiledDemo.wires };
const hash = (bytes: Uint8Array) => {
  let h = 2166136261;
  for (const b of bytes) h = Math.imul(h ^ b, 16777619);
  return h >>> 0;
};

/** What an operator may do to the demo. */
const eventArb: fc.Arbitrary<BenchEvent> = fc.oneof(
  fc
    .tuple(fc.constantFrom('Start', 'Stop', 'Reset'), fc.boolean())
    .map(([d, v]): BenchEvent => ({ kind: 'write', path: `Machine.${d}.Pressed`, value: v })),
  fc
    .tuple(fc.constantFrom('DieDown', 'GuardShut', 'Running', 'FeedMotor'), fc.option(fc.boolean()))
    .map(([p, v]): BenchEvent => ({ kind: 'force', path: p, ...(v === null ? {} : { value: v }) })),
  fc
    .constantFrom('Feed.Jam', 'Piece.WeakCrimp', 'Track.Blocked')
    .map((u): BenchEvent => ({ kind: 'write', path: `Machine.${u}`, value: true })),
  fc.constant<BenchEvent>({ kind: 'releaseAll' }),
);
const scriptArb = fc.array(fc.record({ scans: fc.integer({ min: 0, max: 60 }), event: eventArb }), {
  minLength: 1,
  maxLength: 8,
});

it('same project, same bytes', () => {
  const again = compile([{ kind: 'project', name: 'demo', project: demo }]);
  expect(hash(again.build(true).wasm)).toBe(hash(demoImage.watched.wasm));
  expect(hash(again.build(false).initial)).toBe(hash(demoImage.plain.initial));
});

it('the module imports nothing but pure functions of arithmetic and of text in its own memory', () => {
  const imports = WebAssembly.Module.imports(new WebAssembly.Module(demoImage.watched.wasm));
  expect(
    imports.every(
      (i) =>
        i.kind === 'function' &&
        (i.module === 'math'
          ? typeof Math[i.name as 'sin'] === 'function'
          : i.module === 'text' && ['read', 'write'].includes(i.name)),
    ),
  ).toBe(true);
});

it('a snapshot restored and run on equals running on', () => {
  fc.assert(
    fc.property(scriptArb, fc.integer({ min: 0, max: 100 }), (script, more) => {
      const e = new Engine(demoImage.watched, options);
      for (const s of script) {
        apply(e, s.event);
        for (let i = 0; i < s.scans; i++) e.runScan();
      }
      const at = e.snapshot();
      for (let i = 0; i < more; i++) e.runScan();
      const there = e.snapshot();
      const other = new Engine(demoImage.watched, options);
      other.restore(at);
      for (let i = 0; i < more; i++) other.runScan();
      expect(other.snapshot()).toEqual(there);
    }),
    { numRuns: 40 },
  );
});

it('the watched and the plain build hold the same state after every scan', () => {
  fc.assert(
    fc.property(scriptArb, (script) => {
      const a = new Engine(demoImage.watched, options),
        b = new Engine(demoImage.plain, options);
      for (const s of script) {
        apply(a, s.event);
        apply(b, s.event);
        for (let i = 0; i < s.scans; i++) {
          a.runScan();
          b.runScan();
          expect(hash(a.snapshot().bytes)).toBe(hash(b.snapshot().bytes));
        }
      }
    }),
    { numRuns: 30 },
  );
});

function apply(e: Engine, x: BenchEvent): void {
  if (x.kind === 'write') e.write(x.path, x.value);
  else if (x.kind === 'force') e.force(x.path, x.value);
  else e.setForces([]);
}

it('stops behind the k-th step for every k of a scan, and the rest of the scan gives the same state', () => {
  const text = program(
    'a : INT; b : INT; i : INT; t : TON;',
    'a := a + 1;\nIF a > 1 THEN b := 10; ELSE b := 20; END_IF;\nFOR i := 1 TO 3 DO b := b + i; END_FOR;\nt(IN := TRUE, PT := T#1s);\na := a * 2;',
  );
  const whole = engineOf(text, true);
  whole.runScan();
  const states: number[] = [];
  for (let k = 0; ; k++) {
    const e = engineOf(text, true);
    const r = e.runSteps(k);
    states.push(Number(e.read('P.a')));
    if (r.done) {
      expect(hash(e.snapshot().bytes)).toBe(hash(whole.snapshot().bytes));
      break;
    }
    expect(r.at).toBeDefined();
    expect(k).toBeLessThan(60);
  }
  // 8 statements of the program, with the FOR body three times, and those inside the timer.
  expect(states.length).toBeGreaterThan(9);
  expect(states[0]).toBe(0);
  expect(states.at(-1)).toBe(2);
});

describe('faults are data and end the scan', () => {
  it('an index out of range says which, where and when', () => {
    const e = engineOf(program('a : ARRAY [1..3] OF INT; i : INT := 1;', 'i := i + 1;\na[i] := 7;'));
    while (e.runScan());
    expect(e.fault).toMatchObject({ kind: 'INDEX', scan: 2, timeNs: 20_000_000n });
    expect(e.faultLine()).toBe("fault: t.st:4:3: The index 'i' is 4, outside the array. (t_ms=20)");
  });
  it('a division of integers by zero', () => {
    const e = engineOf(program('a : INT := 5; z : INT;', 'a := a / z;'));
    expect(e.runScan()).toBe(false);
    expect(e.fault!.kind).toBe('DIVISION');
  });
  it('an endless loop trips the watchdog at the same place every time', () => {
    const run = () => {
      const e = engineOf(program('n : DINT;', 'WHILE TRUE DO n := n + 1; END_WHILE;'));
      e.runScan();
      return [e.fault!.kind, e.read('P.n')];
    };
    expect(run()).toEqual(['WATCHDOG', 9_999_999n]);
    expect(run()).toEqual(run());
  });
  it('nothing runs after a fault until the past or a restart is taken', () => {
    const e = engineOf(program('a : INT := 5; z : INT;', 'a := a / z;'));
    e.runScan();
    expect(e.runScan()).toBe(false);
    e.restart();
    expect(e.fault).toBeUndefined();
  });
});

describe('tasks in simulated time (cli.md)', () => {
  const text = (tasks: string, instances: string) =>
    `PROGRAM A VAR n : INT; END_VAR n := n + 1; END_PROGRAM\nPROGRAM B VAR n : INT; END_VAR n := n + 1; END_PROGRAM\nCONFIGURATION C RESOURCE R ON Cpu ${tasks} ${instances} END_RESOURCE END_CONFIGURATION`;
  it('each runs at 0 and whenever its interval has elapsed, on its own raster', () => {
    const e = engineOf(
      text(
        'TASK Fast(INTERVAL := T#10ms, PRIORITY := 1); TASK Slow(INTERVAL := T#25ms, PRIORITY := 2);',
        'PROGRAM a1 WITH Fast : A; PROGRAM b1 WITH Slow : B;',
      ),
    );
    const slow = [];
    for (let i = 0; i < 8; i++) {
      e.runScan();
      slow.push(Number(e.read('b1.n')));
    }
    expect(slow).toEqual([1, 1, 1, 2, 2, 3, 3, 3]);
    expect(e.read('a1.n')).toBe(8n);
  });
  it('due together they run by priority, and a program without a task runs last in every scan', () => {
    const order =
      'VAR_GLOBAL log : DINT; END_VAR PROGRAM A log := log * 10 + 1; END_PROGRAM PROGRAM B log := log * 10 + 2; END_PROGRAM PROGRAM D log := log * 10 + 3; END_PROGRAM CONFIGURATION C TASK Low(INTERVAL := T#10ms, PRIORITY := 9); TASK High(INTERVAL := T#10ms, PRIORITY := 0); PROGRAM d : D; PROGRAM a WITH Low : A; PROGRAM b WITH High : B; END_CONFIGURATION';
    const e = engineOf(order);
    e.runScan();
    expect(e.read('log')).toBe(213n);
  });
  it('an event task runs once per rise', () => {
    const e = engineOf(
      `VAR_GLOBAL go : BOOL; END_VAR ${text('TASK Ev(SINGLE := go, PRIORITY := 1);', 'PROGRAM a1 WITH Ev : A;')}`,
    );
    const n = [false, true, true, false, true].map((go) => {
      e.write('go', go);
      e.runScan();
      return Number(e.read('a1.n'));
    });
    expect(n).toEqual([0, 1, 1, 1, 2]);
  });
});

describe('forces (product.md 7)', () => {
  it('an input force replaces what the machine sends, an output force what the machine receives', () => {
    const e = new Engine(demoImage.watched, options);
    e.force('StopOK', false);
    e.force('FeedMotor', true);
    for (let i = 0; i < 50; i++) e.runScan();
    expect([e.read('StopOK'), e.read('FeedMotor'), e.read('Machine.Feed.Run')]).toEqual([false, false, true]);
    expect(Number(e.read('WireOut'))).toBeGreaterThan(10);
    e.setForces([]);
    e.runScan();
    e.runScan();
    expect([e.read('StopOK'), e.read('Machine.Feed.Run')]).toEqual([true, false]);
  });
  it('an input that nothing feeds is what it was set to when it is released, also what it was set to meanwhile', () => {
    const e = engineOf(
      'VAR_GLOBAL LidShut AT %IX0.0 : BOOL; Speed AT %IW2 : INT; Kept : BOOL; Hot : BOOL; END_VAR PROGRAM P Hot := LidShut; END_PROGRAM',
    );
    const seen = () => {
      e.runScan();
      return [e.read('LidShut'), e.read('Hot'), Number(e.read('Speed'))];
    };
    e.write('Speed', 70n);
    e.force('LidShut', true);
    e.force('Speed', 5n);
    expect(seen()).toEqual([true, true, 5]);
    // Forced again it is still no less what its terminal gives.
    e.force('Speed', 6n);
    expect(seen()).toEqual([true, true, 6]);
    e.force('LidShut', undefined);
    e.force('speed', undefined);
    expect(seen()).toEqual([false, false, 70]);
    // Set while it is forced, to the same and to another value.
    e.force('LidShut', true);
    e.write('LidShut', true);
    e.force('Speed', 5n);
    e.write('Speed', 90n);
    expect(seen()).toEqual([true, true, 5]);
    const snapshot = e.snapshot();
    e.releaseAll();
    expect(seen()).toEqual([true, true, 90]);
    // A snapshot knows it too.
    e.write('Speed', 0n);
    e.restore(snapshot);
    expect(seen()).toEqual([true, true, 5]);
    e.releaseAll();
    expect(seen()).toEqual([true, true, 90]);
    // Memory has nobody that gives it: it keeps what it was forced to.
    e.force('Kept', true);
    e.runScan();
    e.force('Kept', undefined);
    e.runScan();
    expect(e.read('Kept')).toBe(true);
  });
  it('lie within each other, and on cards that are pulled and put in, and what is released is the terminal again', () => {
    // The law: whatever is forced, pulled and set in whatever order, once all is let go the inputs are what they were set to.
    const source =
      'VAR_GLOBAL A AT %IX0.0 : BOOL; B AT %IX0.3 : BOOL; W AT %IB0 : BYTE; V AT %IW2 : WORD; END_VAR PROGRAM P ; END_PROGRAM';
    const paths = ['A', 'B', 'W', 'V', 'V.9'] as const,
      cards = ['%IB0', '%IB2', '%IB3'] as const;
    const value = (path: string, n: number) =>
      /^[AB]$|\./.test(path) ? n % 2 === 1 : path === 'W' ? BigInt(n % 256) : BigInt(n);
    const act = fc.oneof(
      fc.record({ kind: fc.constantFrom('force', 'write'), path: fc.constantFrom(...paths), n: fc.nat(65_535) }),
      fc.record({ kind: fc.constant('release'), path: fc.constantFrom(...paths), n: fc.constant(0) }),
      fc.record({ kind: fc.constantFrom('pull', 'put in'), path: fc.constantFrom(...cards), n: fc.constant(0) }),
      fc.record({ kind: fc.constantFrom('scan', 'snapshot'), path: fc.constant(''), n: fc.constant(0) }),
    );
    fc.assert(
      fc.property(fc.array(act, { maxLength: 30 }), (acts) => {
        const [e, free] = [engineOf(source), engineOf(source)];
        for (const { kind, path, n } of acts)
          if (kind === 'scan') e.runScan();
          else if (kind === 'snapshot') e.restore(e.snapshot());
          else if (kind === 'write') {
            e.write(path, value(path, n));
            free.write(path, value(path, n));
          } else if (kind === 'pull' || kind === 'put in') e.force(path, kind === 'pull' ? 0n : undefined, 'card');
          else e.force(path, kind === 'force' ? value(path, n) : undefined);
        e.runScan();
        // Where forces lie within each other the one made last is seen: the last of all is.
        const last = e.listForces().at(-1);
        if (last) expect(e.read(last.path)).toBe(last.value);
        e.releaseAll();
        for (const path of cards) e.force(path, undefined, 'card');
        e.runScan();
        expect([e.read('W'), e.read('V')]).toEqual([free.read('W'), free.read('V')]);
      }),
    );
  });
  it('reach a single bit', () => {
    const e = engineOf('VAR_GLOBAL w : WORD; END_VAR PROGRAM P w := 0; END_PROGRAM');
    e.force('w.3', true);
    e.runScan();
    expect(e.read('w')).toBe(8n);
  });
});

describe('history', () => {
  it('going back and forward equals never having gone', () => {
    fc.assert(
      fc.property(scriptArb, fc.array(fc.nat(600), { maxLength: 5 }), (script, jumps) => {
        const play = (h: History) => {
          for (const s of script) {
            h.apply(s.event);
            h.run(s.scans);
          }
        };
        const straight = new History(demoImage.watched, options),
          other = new History(demoImage.watched, options);
        play(straight);
        play(other);
        for (const j of jumps) other.goTo(j % (other.end + 1));
        other.goTo(other.end);
        expect(other.engine.snapshot()).toEqual(straight.engine.snapshot());
        other.run(30);
        straight.run(30);
        expect(other.engine.snapshot()).toEqual(straight.engine.snapshot());
      }),
      { numRuns: 40 },
    );
  });
  it('a recording replays to the same bytes', () => {
    fc.assert(
      fc.property(scriptArb, (script) => {
        const h = new History(demoImage.watched, options);
        for (const s of script) {
          h.apply(s.event);
          h.run(s.scans);
        }
        const again = new History(demoImage.watched, options);
        again.load(h.recording(), h.end);
        again.goTo(again.end);
        expect(hash(again.engine.snapshot().bytes)).toBe(hash(h.engine.snapshot().bytes));
      }),
      { numRuns: 40 },
    );
  });
  it('shows any earlier scan as it was, with its power', () => {
    const h = new History(demoImage.watched, options);
    h.apply({ kind: 'write', path: 'Machine.Start.Pressed', value: true });
    const seen: number[] = [];
    for (let i = 0; i < 700; i++) {
      h.run(1);
      seen.push(hash(h.engine.memory.subarray(0, demoImage.watched.size)));
    }
    for (const n of [699, 1, 350, 250, 251, 500, 2]) {
      expect(h.goTo(n)).toBe(true);
      expect(hash(h.engine.memory.subarray(0, demoImage.watched.size))).toBe(seen[n - 1]);
    }
  });
  it('another input in the past makes another line; the one before is kept', () => {
    const h = new History(demoImage.watched, options);
    h.apply({ kind: 'write', path: 'Machine.Start.Pressed', value: true });
    h.run(100);
    h.goTo(40);
    h.apply({ kind: 'write', path: 'Machine.Stop.Pressed', value: true });
    expect(h.end).toBe(40);
    h.run(5);
    expect(h.engine.read('Running')).toBe(false);
    const [first] = h.lines();
    expect(h.lines().map((l) => [l.from, l.end, l.isCurrent])).toEqual([
      [0, 100, false],
      [40, 45, true],
    ]);
    h.switchTo(first!.id, 45);
    expect(h.engine.read('Running')).toBe(true);
    expect(h.end).toBe(100);
  });
  it('a tag added late to the scope has its past too', () => {
    const h = new History(demoImage.watched, options);
    h.apply({ kind: 'write', path: 'Machine.Start.Pressed', value: true });
    h.traces.follow('Step');
    h.run(300);
    h.traces.follow('FeedMotor');
    const other = new History(demoImage.watched, options);
    other.traces.follow('FeedMotor');
    other.apply({ kind: 'write', path: 'Machine.Start.Pressed', value: true });
    other.run(300);
    expect(h.traces.courses(['FeedMotor'], 0, 300, 300, 1e6)).toEqual(
      other.traces.courses(['FeedMotor'], 0, 300, 300, 1e6),
    );
    expect(h.traces.courses(['FeedMotor'], 0, 300, 300, 1e6).courses[0]!.points.length).toBeGreaterThan(4);
  });
  it('keeps its memory within the budget and thins out the old', () => {
    const h = new History(demoImage.watched, options, 20 * demoImage.watched.stateSize);
    h.run(20_000);
    expect(h.goTo(7_321)).toBe(true);
    expect(h.now).toBe(7_321);
  });
});

describe('changed logic keeps its state', () => {
  const take = (before: string, after: string) => {
    const a = imageOf(before),
      b = imageOf(after);
    const e = new Engine(a, { stepNs: 10_000_000n });
    for (let i = 0; i < 3; i++) e.runScan();
    const moved = transferState(a, e.snapshot().bytes, b);
    const n = new Engine(b, { stepNs: 10_000_000n });
    n.restore({ scan: e.scan, bytes: moved.bytes, forces: [] });
    return { n, moved };
  };
  it('by name and type; what does not fit is listed', () => {
    const { n, moved } = take(
      program('a : INT; b : INT; c : INT;', 'a := a + 1; b := 7; c := 9;'),
      program('x : DINT; a : INT; b : DINT;', 'a := a + 1;'),
    );
    expect([n.read('P.a'), n.read('P.b')]).toEqual([3n, 0n]);
    expect(moved.lost).toEqual(['P.b: was INT, is DINT']);
  });
  it('inside blocks, structures and arrays', () => {
    const { n } = take(
      program('t : TON; a : ARRAY [1..3] OF INT;', 't(IN := TRUE, PT := T#1s); a[2] := 5;'),
      program('a : ARRAY [0..4] OF INT; t : TON;', 't(IN := TRUE, PT := T#1s);'),
    );
    expect([n.read('P.t.ET'), n.read('P.a[2]')]).toEqual([20_000_000n, 5n]);
  });
  it('on the bench: the history goes on from the same scan', () => {
    const image = (lines: string[]) =>
      compile([{ kind: 'project', name: 'p', project: ladderProject(['N : INT', 'Q : BOOL'], lines) }]).build(true);
    const h = new History(image(['-> { N := N + 1; }']), { stepNs: 10_000_000n });
    h.run(10);
    h.replaceImage(image(['-> { N := N + 2; }', '-> Q']), { stepNs: 10_000_000n });
    expect(h.now).toBe(10);
    h.run(1);
    expect([h.engine.read('N'), h.engine.read('Q')]).toEqual([12n, true]);
    // What the earlier logic ran is still there, as it ran it.
    expect(h.goTo(5)).toBe(true);
    expect([h.engine.read('N'), h.isEarlierLogic]).toEqual([5n, true]);
    h.goTo(11);
    expect([h.engine.read('N'), h.isEarlierLogic]).toEqual([12n, false]);
  });
});
