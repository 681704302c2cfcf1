/**
 * Each example worked for a simulated day, and through three upsets: no rule broken, and it never stands still for
 * good.
 */
import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { Engine, scanStep } from '../../src/bench.js';
import type { Project } from '../../src/document.js';
import { planProof } from '../../src/verify.js';
import { RuleJudge } from '../../src/verify/play/play.js';

interface Worked {
  readonly name: string;
  /** What the operator does first, and then once a minute. */
  readonly begin: (o: Operator) => void;
  readonly minute: (o: Operator, n: number) => void;
  /** What goes on as long as the machine works, and for how many minutes it may stay the same. */
  readonly progress: (e: Engine) => unknown;
  readonly patience: number;
  readonly upsets: readonly string[];
  /** Where pieces are numbered: how many fell, and how many are nowhere. */
  readonly lossless?: (e: Engine) => { readonly lost: number; readonly missing: number };
}

/** Works the panel: what is pressed is let go after a second. */
class Operator {
  private readonly held: { readonly path: string; readonly until: number }[] = [];
  private seed = 20_261;
  constructor(
    readonly engine: Engine,
    private readonly second: number,
  ) {}
  random(n: number): number {
    return (this.seed = (this.seed * 48_271) % 2_147_483_647) % n;
  }
  is(path: string): boolean {
    return this.engine.read(path) === true;
  }
  put(path: string, value: boolean | number): void {
    this.engine.write(`Machine.${path}`, value);
  }
  tap(path: string, seconds = 1): void {
    this.put(path, true);
    this.held.push({ path, until: this.engine.scan + seconds * this.second });
  }
  letGo(): void {
    for (let i = this.held.length - 1; i >= 0; i--)
      if (this.engine.scan >= this.held[i]!.until) {
        this.put(this.held[i]!.path, false);
        this.held.splice(i, 1);
      }
  }
}

const EXAMPLES: readonly Worked[] = [
  {
    name: 'wire-end-crimp-cell',
    patience: 3,
    upsets: ['Feed.Jam', 'Clamp.Jam', 'Piece.WeakCrimp'],
    begin: (o) => o.tap('Start.Pressed'),
    minute: (o) => {
      if (o.is('Fault') || o.is('BatchDone')) o.tap('Reset.Pressed');
      else if (!o.is('Running')) o.tap('Start.Pressed');
    },
    progress: (e) => [e.read('Machine.Piece.Good'), e.read('Machine.Piece.Reject')].join(),
  },
  {
    name: 'dust-extractor',
    patience: 8,
    upsets: ['Fan.NoFeedback', 'Gate2.Jam', 'Air.Clogged'],
    begin: () => undefined,
    // Saws come and go; a full filter is shaken, a fault reset, when all of them are off.
    minute: (o, n) => {
      const off = o.is('Fault') || o.is('LampFilter') || o.is('Locked');
      for (let i = 1; i <= 3; i++) o.put(`Switch${i}.Turned`, !off && o.random(3) > 0);
      if (off) {
        o.tap('Reset.Pressed', 2);
        o.tap('Air.Shake', 2);
      }
      if (n % 97 === 0) {
        o.put('Emergency.Struck', true);
        o.tap('Emergency.Struck', 20);
      }
    },
    progress: (e) => (['Saw1', 'Saw2', 'Saw3'].some((s) => e.read(`${s}Turns`) === true) ? e.scan : 0),
  },
  {
    name: 'canal-lock',
    patience: 12,
    upsets: ['GateDown.Jam', 'Chamber.Stalled', 'GateUp.OpenStuckOff'],
    begin: () => undefined,
    minute: (o, n) => {
      if (o.is('Fault')) o.tap('Reset.Pressed');
      else if (n % 3 === 0) o.tap(o.random(2) ? 'Chamber.Below' : 'Chamber.Above');
    },
    progress: (e) => e.read('BoatsCounted'),
  },
  {
    name: 'ceramic-kiln',
    patience: 45,
    upsets: ['Chamber.Probe1Broken', 'Track.Stuck', 'Blower.Overload'],
    begin: (o) => {
      o.put('Auto.Turned', true);
      o.put('Track.Often', 90);
      o.put('RecipeEntry.Entry', 2);
      o.tap('Reset.Pressed', 2);
    },
    minute: (o, n) => {
      if (o.is('Fault') || o.is('AnyAlarm') || !o.is('Armed') || o.engine.read('FireStep') === 5n)
        o.tap('Reset.Pressed', 2);
      else if (!o.is('Running')) o.tap('Start.Pressed');
      if (n % 30 === 0) o.put('RecipeEntry.Entry', 1 + o.random(4));
    },
    progress: (e) => [e.read('GoodFirings'), e.read('SpoiledFirings')].join(),
  },
  {
    name: 'tile-grading-line',
    patience: 3,
    upsets: ['StackerA.Jam', 'Gauge.NoRead', 'Sorter.Jam'],
    begin: (o) => o.tap('Start.Pressed'),
    minute: (o) => {
      for (const l of ['A', 'B', 'C']) if (o.is(`CartsLow${l}`)) o.tap(`Magazine${l}.Fill`);
      if (o.is('Fault')) o.tap('Reset.Pressed');
      else if (!o.is('Running')) o.tap('Start.Pressed');
    },
    progress: (e) => ['A', 'B', 'C'].map((l) => e.read(`Tiles${l}`)).join(),
    lossless: (e) => {
      const n = (path: string) => Number(e.read(path)),
        lanes = ['A', 'B', 'C'];
      const sum = (of: (l: string) => readonly string[]) => lanes.flatMap(of).reduce((s, p) => s + n(p), 0);
      // Whatever has come lies somewhere, or has left on a cart; the counts of the logic say the same.
      const before = n('Machine.Infeed.Line.Count') + n('Machine.Weigher.Line.Count'),
        onSorter = ['Sorter.Held', 'Infeed.Out', 'Weigher.Out', 'Feed.Out'].filter(
          (p) => n(`Machine.${p}.Number`) > 0,
        ).length,
        handed = sum((l) => [
          `Machine.Rolls${l}.Line.Count`,
          `Machine.Stacker${l}.Plate.Count`,
          `Machine.Stacker${l}.Load.Count`,
          `Machine.Gate${l}.Pieces`,
        ]),
        under = lanes.filter(
          (l, i) => n(`Machine.Rolls${l}.Out.Number`) > 0 || n(`Machine.Sorter.Out${i + 1}.Number`) > 0,
        ).length,
        onCarts = sum((l) => [`Machine.Stacker${l}.CartOut.Count`]);
      return {
        lost:
          sum((l) => [`Machine.Stacker${l}.Lost`, `Machine.Rolls${l}.Lost`]) +
          n('Machine.Sorter.Lost') +
          n('Machine.Infeed.Lost') +
          n('Machine.Weigher.Lost'),
        missing: n('Machine.Feed.Total') - (before + onSorter + handed + under + onCarts),
      };
    },
  },
];

/** Works an example for so many minutes; tells what broke, with the minute. */
function work(
  x: Worked,
  minutes: number,
  during: (o: Operator, minute: number) => void = () => undefined,
): {
  readonly engine: Engine;
  readonly still: readonly number[];
  readonly broken: readonly string[];
  readonly different: number;
} {
  const project = JSON.parse(
    readFileSync(new URL(`../../../../examples/${x.name}.ferrule.json`, import.meta.url), 'utf8'),
  ) as Project;
  const plan = planProof({ ...project, checks: [] }, 'p'),
    stepNs = scanStep(plan.image!),
    engine = new Engine(plan.image!, { stepNs, wires: plan.compiled.wires });
  const judges = plan.rules.map((r) => new RuleJudge(r, stepNs)),
    second = Number(1_000_000_000n / stepNs),
    o = new Operator(engine, second);
  for (const j of judges) j.startCheck();
  x.begin(o);
  const still: number[] = [],
    seen = new Set<unknown>();
  let last: unknown,
    since = 0;
  for (let m = 0; m < minutes; m++) {
    if (m > 0) x.minute(o, m);
    during(o, m);
    for (let s = 0; s < 60; s++) {
      o.letGo();
      for (let i = 0; i < second; i++) {
        if (!engine.runScan()) throw new Error(`minute ${m}: ${engine.faultLine()}`);
        for (const j of judges) j.judge(engine, undefined, []);
      }
    }
    const now = x.progress(engine);
    if (now !== last) {
      last = now;
      since = m;
      seen.add(now);
    } else if (m - since === x.patience) still.push(m);
  }
  return {
    engine,
    still,
    broken: judges.flatMap((j) => {
      const { failure } = j;
      return failure ? [`${j.rule.name}: ${failure.seen} in minute ${Math.floor(Number(failure.timeNs) / 6e10)}`] : [];
    }),
    different: seen.size,
  };
}

describe.each(EXAMPLES)('$name', (x) => {
  it('runs a day', { timeout: 600_000 }, () => {
    const { engine, still, broken, different } = work(x, 24 * 60);
    expect(broken).toEqual([]);
    expect(still, 'minutes in which it had stood still too long').toEqual([]);
    expect(different).toBeGreaterThan(50);
    expect(engine.timeNs).toBe(86_400_000_000_000n);
    expect(x.lossless?.(engine) ?? { lost: 0, missing: 0 }).toEqual({ lost: 0, missing: 0 });
  });
  it.each(x.upsets)('survives %s', (upset) => {
    // Three times a while, at different moments of its work; the last of it without.
    const far = Math.max(5, x.patience),
      { still, broken, different } = work(x, 8 * far, (o, m) =>
        o.put(upset, m < 6 * far && m % (2 * far) === Math.ceil(far * 0.6) + Math.floor(m / (2 * far))),
      );
    expect(broken).toEqual([]);
    expect(
      still.filter((m) => m > 6 * far + x.patience),
      'minutes in which it stood still although all was well again',
    ).toEqual([]);
    expect(different).toBeGreaterThan(1);
  });
});
