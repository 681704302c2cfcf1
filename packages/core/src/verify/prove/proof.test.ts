/**
 * A scan as formulas is the scan that the engine runs; rules are proved, broken with inputs that break them, or said to
 * be open.
 */
import { readFileSync } from 'node:fs';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { Engine, History, scanStep, transferState } from '../../bench.js';
import { type Project, emptyProject } from '../../document.js';
import { compile } from '../../workspace.js';
import { planProof, prove as playChecks } from '../../verify.js';
import { OLDEST, bitsAt, scanSystem } from './scan.js';
import { OutOfReach } from './state.js';
import { PRELUDE, generateProgram, seeded } from '../../../test/generate.js';
import { type RuleProof, type Way, proveRules, scanOptions } from './prove-rules.js';
import { type Term, evaluator } from './term.js';
import { type LoadedSolver, loadSolver } from './z3.js';
import { RuleJudge } from '../play/play.js';
import { generator } from '../search/search.js';

const example = (name: string) =>
  JSON.parse(readFileSync(new URL(`../../../../../examples/${name}.ferrule.json`, import.meta.url), 'utf8')) as Project;
const STEP = 10_000_000n;

/** Runs logic with random inputs and compares every place after every scan with what the formulas say of it. */
function sameAsEngine(
  files: Parameters<typeof compile>[0],
  scans: number,
  calm = 0.1,
): { compared: number; unknown: number } {
  const compiled = compile(files);
  expect(compiled.diagnostics.filter((d) => d.severity === 'error')).toEqual([]);
  const image = compiled.build(false),
    engine = new Engine(image, { stepNs: STEP });
  const system = scanSystem(compiled.program, image, scanOptions(emptyProject('p'), compiled, image, STEP), []);
  const random = generator(5);
  let compared = 0,
    unknown = 0;
  const held = new Map<string, bigint>(),
    evaluators = new Map<string, ReturnType<typeof evaluator>>();
  for (let n = 0; n < scans; n++) {
    const before = engine.memory.slice(0, image.stateSize),
      now = engine.timeNs;
    const given = new Map<Term, bigint>();
    for (const { slot, input } of system.inputs) {
      if (!held.has(slot.key) || random() < calm)
        held.set(
          slot.key,
          BigInt.asUintN(slot.sort || 1, BigInt(Math.floor(random() * 2 ** Math.min(slot.sort || 1, 40)))),
        );
      const v = held.get(slot.key)!;
      given.set(input, v);
      for (let i = 0; i < slot.bytes; i++) {
        if (slot.bit === undefined) engine.memory[slot.address + i] = Number((v >> BigInt(8 * i)) & 255n);
        else engine.memory[slot.address] = (engine.memory[slot.address]! & ~(1 << slot.bit)) | (Number(v) << slot.bit);
      }
    }
    const state = new Map<Term, bigint>();
    const at = (memory: Uint8Array, key: string, clock: bigint): bigint => {
      const s = system.slots.get(key)!;
      const raster = /^raster of task (\d+)$/.exec(key);
      if (raster) return clock % image.tasks[Number(raster[1])]!.intervalNs;
      if (s.address < 0) return n === 0 ? 1n : 0n;
      const bits = bitsAt(memory, s);
      return system.ages.has(key) ? BigInt.asUintN(64, clock - bits) : bits;
    };
    for (const s of system.slots.values()) state.set(s.state, at(before, s.key, now));
    if (!engine.runScan()) break;
    const variables = [...state.keys(), ...given.keys()],
      values = [...state.values(), ...given.values()];
    for (const s of system.slots.values()) {
      if (s.address < 0) continue;
      let of = evaluators.get(s.key);
      if (!of) evaluators.set(s.key, (of = evaluator([system.next(s)], new Map(variables.map((v, i) => [v, i])))));
      const said = of(values)?.[0];
      if (said === undefined) {
        unknown++;
        continue;
      }
      const is = at(engine.memory, s.key, now + STEP);
      if (said !== is && said !== OLDEST)
        throw new Error(`after scan ${n}: place ${s.key} (${s.bytes} bytes) is ${is}, said to be ${said}`);
      compared++;
    }
  }
  return { compared, unknown };
}

describe('a scan as formulas', () => {
  it.each(['wire-end-crimp-cell', 'dust-extractor', 'canal-lock'])('%s', (name) => {
    const p = example(name),
      r = sameAsEngine([{ kind: 'project', name, project: p }], 400);
    expect(r.compared).toBeGreaterThan(10_000);
    expect(r.unknown / r.compared).toBeLessThan(0.3);
  });
});

it('computed indexes in one and two dimensions, bits of words, in-outs and loops are followed to the last place', () => {
  const text = `
VAR_GLOBAL a AT %IB0 : USINT; b AT %IB1 : USINT; c AT %IW2 : INT; END_VAR
FUNCTION_BLOCK Raise VAR_INPUT up : INT; END_VAR VAR_IN_OUT x : INT; END_VAR VAR n : INT; END_VAR
n := n + 1; IF up > 3 THEN x := x + up; RETURN; END_IF; x := x - n; END_FUNCTION_BLOCK
FUNCTION Largest : INT VAR_INPUT p : INT; q : INT; END_VAR VAR_OUTPUT second : BOOL; END_VAR
Largest := p; second := q > p; IF second THEN Largest := q; END_IF; END_FUNCTION
PROGRAM Main
VAR m : ARRAY [1..3, 0..2] OF INT; v : ARRAY [-1..2] OF INT; out : INT; w : WORD; i : INT; r : Raise; s : Raise; f : BOOL;
  rows : ARRAY [0..1] OF STRUCT k : INT; t : ARRAY [2..4] OF SINT; END_STRUCT; END_VAR
m[a MOD 3 + 1, b MOD 3] := c;
out := m[b MOD 3 + 1, a MOD 3] + m[2, a MOD 3];
v[c MOD 2] := out;
w.3 := a > b; w.%B1 := USINT_TO_BYTE(a); f := w.9 XOR w.3;
rows[a MOD 2].t[b MOD 3 + 2] := USINT_TO_SINT(b); rows[b MOD 2].k := rows[a MOD 2].t[3];
r(up := c, x := m[2, 1]); s(up := v[-1], x := out);
out := Largest(p := v[0], q := rows[0].k, second => f);
FOR i := 0 TO 2 DO IF m[3, i] > 50 THEN EXIT; END_IF; IF f THEN CONTINUE; END_IF; v[i] := v[i] + m[1, i]; END_FOR;
CASE a OF 0..9: out := out / 2; 10, 12: out := -out; ELSE out := out MOD 7; END_CASE;
END_PROGRAM`;
  const r = sameAsEngine([{ kind: 'text', name: 't.st', text }], 300, 0.6);
  expect(r.compared).toBeGreaterThan(6000);
  expect(r.unknown).toBe(0);
});

it('dimensions of one element, and texts that a condition chooses, are followed like others', () => {
  const text = `
VAR_GLOBAL a AT %IB0 : USINT; b AT %IX1.0 : BOOL; c AT %IW2 : INT; END_VAR
FUNCTION Same : INT VAR_INPUT t : STRING[8]; n : INT; END_VAR Same := n; END_FUNCTION
PROGRAM Main
VAR thin : ARRAY [1..5, 1..1] OF INT; flat : ARRAY [0..0, 0..3] OF INT; deep : ARRAY [0..1, 0..0, 0..2] OF INT;
  one : INT := 1; none : INT; x : INT; y : INT; z : INT; s : STRING[8] := 'abc'; t : STRING[8]; k : INT; END_VAR
thin[a MOD 5 + 1, one] := c; x := thin[a MOD 3 + 2, one];
flat[none, a MOD 4] := c; y := flat[none, c MOD 2 + 1];
deep[a MOD 2, none, a MOD 3] := c; z := deep[a MOD 2, none, c MOD 2 + 1];
t := SEL(b, s, 'other'); k := Same(t := SEL(b, s, t), n := c); k := k + Same(t := MAX(s, t), n := x);
END_PROGRAM`;
  const r = sameAsEngine([{ kind: 'text', name: 't.st', text }], 300, 0.6);
  expect(r.compared).toBeGreaterThan(5000);
  expect(r.unknown).toBe(0);
});

it('generated programs: what the formulas say is what the engine does', () => {
  let compared = 0,
    unknown = 0,
    beyond = 0;
  const wrong: string[] = [];
  for (let seed = 1; seed <= 40 && wrong.length < 3; seed++) {
    try {
      const r = sameAsEngine(
        [{ kind: 'text', name: 't.st', text: PRELUDE + generateProgram('P', seeded(seed), 5) }],
        4,
      );
      compared += r.compared;
      unknown += r.unknown;
    } catch (e) {
      if (e instanceof OutOfReach) beyond++;
      else wrong.push(`seed ${seed}: ${(e as Error).message}`);
    }
  }
  expect(wrong).toEqual([]);
  expect(compared).toBeGreaterThan(3 * unknown);
  expect(beyond).toBeLessThan(28);
});

/** A project of rungs over three inputs, with a rule. */
function small(
  lines: readonly string[],
  rules: readonly { sentence: string; assumed?: boolean }[],
  tags: Project['tags'] = [],
): Project {
  const bool = (name: string, address?: string) => ({ id: name, name, type: 'BOOL', ...(address ? { address } : {}) });
  return {
    ...emptyProject('small'),
    tags: [
      bool('A', '%IX0.0'),
      bool('B', '%IX0.1'),
      bool('C', '%IX0.2'),
      bool('X', '%QX0.0'),
      bool('Y', '%QX0.1'),
      bool('M'),
      bool('N'),
      ...tags,
    ],
    pous: [
      {
        id: 'p',
        name: 'Main',
        language: 'LD',
        kind: 'program',
        rungs: lines.map((line, i) => ({ id: `r${i}`, line })),
      },
    ],
    rules: rules.map((r, i) => ({ id: `g${i}`, name: `Rule ${i}`, ...r })),
  };
}
let solver: LoadedSolver;
beforeAll(async () => {
  solver = await loadSolver();
});
afterAll(async () => {
  await solver.close();
});
const prove = async (p: Project, ways?: readonly Way[]): Promise<RuleProof[]> => {
  const r = await proveRules(p, planProof(p, 'p'), { stepNs: STEP, solver, ...(ways ? { ways } : {}) });
  expect(r.problem).toBeUndefined();
  // That nothing faults is a rule of every project.
  return r.rules.filter((x) => x.id !== 'never-faults');
};

/**
 * Plays all inputs in all states that any lead to, on the engine itself: whether the rule breaks from a cold start, or
 * only after a warm restart.
 */
function breaksEver(plan: ReturnType<typeof planProof>): 'cold' | 'warm' | undefined {
  const image = plan.image!,
    engine = new Engine(image, { stepNs: STEP }),
    rule = plan.rules[0]!;
  /** Without the header, where the clock is. */
  const key = () => Buffer.from(engine.memory.slice(64, image.stateSize)).toString('latin1');
  for (const warm of [false, true]) {
    engine.restart();
    const known = new Set<string>([key()]),
      queue = [engine.snapshot()];
    for (const state of queue)
      for (let inputs = 0; inputs < 4; inputs++) {
        engine.restore(state);
        engine.force('A', (inputs & 1) !== 0);
        engine.force('B', (inputs & 2) !== 0);
        if (!engine.runScan()) continue;
        const judge = new RuleJudge(rule, STEP);
        judge.judge(engine, undefined, []);
        if (judge.failure) return warm ? 'warm' : 'cold';
        engine.setForces([]);
        for (const restart of warm ? [false, true] : [false]) {
          if (restart) engine.restart(transferState(image, engine.snapshot().bytes, image, 'retained').bytes);
          if (known.has(key())) continue;
          known.add(key());
          queue.push(engine.snapshot());
        }
      }
  }
  return undefined;
}

describe('proofs', () => {
  it('what one coil forbids the other is proved; without the contact inputs that break it are given', async () => {
    const [sound] = await prove(small(['A & !Y -> X', 'B & !X -> Y'], [{ sentence: 'never X and Y together' }]));
    expect(sound).toMatchObject({
      strength: 'proved',
      words: 'Proved for all inputs from a cold start and after a warm restart (every one of 3 states).',
      assumptions: [],
    });
    const [broken] = await prove(small(['A & !Y -> X', 'B -> Y'], [{ sentence: 'never X and Y together' }]));
    expect(broken).toMatchObject({ strength: 'failed', scan: 1, inputs: ['before scan 1: A on, B on'] });
  });
  it('inputs that break a rule can be kept as a check: it fails there, and passes on the sound logic', async () => {
    const rules = [{ sentence: 'never X and Y together' }],
      bad = small(['A & T(PT := 50 ms) -> X', 'B -> Y'], rules, [{ id: 'T', name: 'T', type: 'TON' }]),
      good = small(['A & T(PT := 50 ms) & !Y -> X', 'B & !X -> Y'], rules, [{ id: 'T', name: 'T', type: 'TON' }]);
    const [found] = await prove(bad);
    expect(found!.strength).toBe('failed');
    const checks = [{ id: 'k', name: 'Against', rows: found!.rows! }],
      played = (p: Project) => playChecks(planProof({ ...p, checks }, 'p'), { stepNs: STEP }).checks[0]!;
    expect(found!.rows!.at(-1)!.expect).toEqual([`keeps '${bad.rules[0]!.name}'`]);
    expect([played(bad).failure?.scan, played(good).ok]).toEqual([found!.scan, true]);
  });
  it('rules over earlier scans are proved and broken like others', async () => {
    const [held, gone, both] = await prove(
      small(
        ['A & !C | X & B -> X', 'X & !C -> Y'],
        [
          { sentence: 'always NOT X OR PREVIOUS(X) OR A' },
          { sentence: 'always NOT PREVIOUS(X) OR X' },
          { sentence: 'never PREVIOUS(Y, 2) AND NOT PREVIOUS(X, 2)' },
        ],
      ),
    );
    expect(held).toMatchObject({ strength: 'proved' });
    expect(gone).toMatchObject({ strength: 'failed' });
    expect(both).toMatchObject({ strength: 'proved' });
  });
  it('an assumption is named where it is needed, and not where it has nothing to say', async () => {
    const p = small(
      ['A -> X', 'B -> Y', 'C & !N -> M', 'N -> N'],
      [
        { sentence: 'never X and Y together' },
        { sentence: 'never A and B together', assumed: true },
        { sentence: 'M requires C' },
      ],
    );
    const [withIt, without] = await prove(p);
    expect(withIt).toMatchObject({
      strength: 'proved',
      words: expect.stringMatching(
        /^Proved with the assumption 'Rule 1', for all other inputs from a cold start/,
      ) as string,
      assumptions: ['Rule 1'],
    });
    expect(without).toMatchObject({ strength: 'proved', assumptions: [] });
    expect((await prove({ ...p, rules: p.rules.filter((r) => !r.assumed) }))[0]).toMatchObject({ strength: 'failed' });
  });
  it('assumptions that no run can keep prove nothing, and it is said', async () => {
    const p = small(
      ['A -> X'],
      [{ sentence: 'never X' }, { sentence: 'always A', assumed: true }, { sentence: 'never A', assumed: true }],
    );
    const r = await proveRules(p, planProof(p, 'p'), { stepNs: STEP, solver });
    expect(r.contradiction).toBe(true);
    expect(r.rules[0]).toMatchObject({ strength: 'unable' });
    expect(r.rules[0]!.words).toMatch(/contradict each other.*'Rule 1' and 'Rule 2'/);
  });
  it('rules over time: a lamp that must follow, one that must last', async () => {
    const p = small(
      ['A & Wait(PT := 50 ms) -> X', 'A & Keep(PT := 30 ms) -> Y'],
      [
        { sentence: 'after X, M is off within 10 ms' },
        { sentence: 'Y stays at least 30 ms' },
        { sentence: 'Y stays at least 60 ms' },
        { sentence: 'X requires A' },
      ],
      [
        { id: 'w', name: 'Wait', type: 'TON' },
        { id: 'k', name: 'Keep', type: 'TOF' },
      ],
    );
    const said = await prove(p);
    expect(said.map((x) => x.strength)).toEqual(['proved', 'proved', 'failed', 'proved']);
  });
  it('numbers: limits of what inputs may be, steps, analogue values', async () => {
    const p = small(
      [
        'Level >= 2.7 & A -> X',
        'Level <= 0.3 & B -> Y',
        'A & Step = Idle -> { Step := Work; }',
        'B & Step = Work -> { Step := Idle; }',
      ],
      [
        { sentence: 'never X and Y together' },
        { sentence: 'X requires Level > 2.0' },
        { sentence: 'always Step = Idle OR Step = Work' },
      ],
      [
        { id: 'l', name: 'Level', type: 'REAL', address: '%ID4' },
        { id: 's', name: 'Step', type: 'Steps' },
      ],
    );
    expect(
      (await prove({ ...p, types: [{ id: 't', text: 'Steps : (Idle, Work, Lost);' }] })).map((x) => x.strength),
    ).toEqual(['proved', 'proved', 'proved']);
  });
  it('a loop without an end known before the run is said to be out of reach, with its place', async () => {
    const p = small(
      ['A -> X'],
      [{ sentence: 'never X and Y together' }],
      [{ id: 'n', name: 'Count', type: 'INT', address: '%IW2' }],
    );
    const [r] = await prove({
      ...p,
      pous: [
        ...p.pous,
        {
          id: 'q',
          name: 'Loops',
          language: 'ST',
          kind: 'program',
          text: 'PROGRAM Loops\nVAR i : INT; END_VAR\nWHILE i < Count DO i := i + 1; END_WHILE;\ni := 0;\nEND_PROGRAM\n',
        },
      ],
      tasks: [{ ...p.tasks[0]!, programs: ['Main', 'Loops'] }],
    });
    expect(r).toMatchObject({ strength: 'unable' });
    expect(r!.words).toMatch(/cannot follow a loop whose number of passes is not known \(Loops line 3|Loops:3/);
  });

  /** Every sequence of inputs up to a depth, on the engine: whether one breaks the rule. */
  const breaksWithin = (p: Project, depth: number): boolean => {
    const plan = planProof(p, 'p'),
      image = plan.image!,
      engine = new Engine(image, { stepNs: STEP }),
      judge = new RuleJudge(plan.rules[0]!, STEP);
    const at = image.areas.I.start;
    const go = (left: number): boolean => {
      if (!left) return false;
      const here = engine.snapshot(),
        memory = judge.memory;
      for (let inputs = 0; inputs < 8; inputs++) {
        engine.restore(here);
        judge.resume(memory);
        engine.memory[at] = inputs;
        engine.runScan();
        judge.judge(engine, undefined, []);
        if (judge.failure) return true;
        if (go(left - 1)) return true;
      }
      return false;
    };
    engine.restart();
    return go(depth);
  };
  it('law: never proved where some inputs break it, always broken where few scans suffice', async () => {
    const names = ['A', 'B', 'C', 'X', 'Y', 'M', 'N'],
      random = generator(11);
    const pick = <T>(list: readonly T[]): T => list[Math.floor(random() * list.length)]!;
    const contact = () => `${random() < 0.35 ? '!' : random() < 0.15 ? '^' : ''}${pick(names)}`;
    const path = () =>
      Array.from({ length: 1 + Math.floor(random() * 2) }, () =>
        random() < 0.4 ? `(${contact()} | ${contact()})` : contact(),
      ).join(' & ');
    const coil = () => pick(['X', 'Y', 'M', 'N', 'set M', 'reset M', 'set N', 'reset N']);
    const counts = { proved: 0, cold: 0, failed: 0, broken: 0, open: 0, unable: 0 };
    for (let n = 0; n < 24; n++) {
      const timer = random() < 0.4 ? ` & T1(PT := ${pick([10, 20, 30])} ms)` : '';
      const lines = [...Array.from({ length: 3 }, () => `${path()} -> ${coil()}`), `${path()}${timer} -> X`];
      const sentence = pick([
        'never X and Y together',
        'X requires A',
        'never M AND NOT N',
        'after X, Y within 20 ms',
        'M stays at least 20 ms',
        'always A OR NOT Y OR M',
      ]);
      const p = small(lines, [{ sentence }], [{ id: 't1', name: 'T1', type: pick(['TON', 'TOF', 'TP']) }]);
      if (planProof(p, 'p').rules.some((r) => r.problem)) continue;
      const [r] = await prove(p, ([['induction'], ['states', 'induction'], undefined] as const)[n % 3]),
        isBroken = breaksWithin(p, 5);
      counts[r!.strength]++;
      if (isBroken !== (r!.strength === 'broken' || r!.strength === 'failed') && (isBroken || r!.strength === 'proved'))
        throw new Error(
          `${lines.join('; ')}: ${sentence}: said ${r!.strength}, is ${isBroken ? 'broken' : 'sound'} for five scans`,
        );
    }
    expect(counts.proved).toBeGreaterThan(2);
    expect(counts.broken + counts.failed).toBeGreaterThan(2);
  });
  it('law: where states are few, the verdict is what playing all sequences of inputs finds, with and without warm restarts', async () => {
    const random = generator(77),
      pick = <T>(list: readonly T[]) => list[Math.floor(random() * list.length)]!;
    const condition = () =>
      `${random() < 0.3 ? 'NOT ' : ''}${pick(['A', 'B', 'M', 'N', 'K', 'Count > 1', 'Count = 2', 'E.Q'])}`;
    const both = () => `${condition()} ${pick(['AND', 'OR', 'XOR'])} ${condition()}`;
    const statement = (): string =>
      pick([
        () => `${pick(['M', 'N', 'K', 'X'])} := ${both()};`,
        () => `IF ${condition()} THEN M := TRUE; N := TRUE; END_IF;`,
        () => `IF ${condition()} THEN M := TRUE; K := ${pick(['TRUE', 'FALSE'])}; END_IF;`,
        () => `IF ${both()} THEN ${pick(['M', 'N', 'K'])} := ${pick(['TRUE', 'FALSE'])}; END_IF;`,
        () => `IF ${condition()} THEN Count := (Count + 1) MOD 4; ELSIF ${condition()} THEN Count := 0; END_IF;`,
        () => `E(CLK := ${both()});`,
        () => `IF ${both()} THEN RETURN; END_IF;`,
      ])();
    const seen = { proved: 0, cold: 0, failed: 0 };
    for (let n = 0; n < 200; n++) {
      const body = Array.from({ length: 2 + Math.floor(random() * 5) }, statement).join('\n');
      const kept = [0, 1, 2].map(() => random() < 0.45);
      const bool = (name: string, to: object = {}) => ({ id: name, name, type: 'BOOL', ...to });
      const p: Project = {
        ...emptyProject('law'),
        tags: [
          bool('A', { address: '%IX0.0' }),
          bool('B', { address: '%IX0.1' }),
          bool('X', { address: '%QX0.0' }),
          ...['M', 'N', 'K'].map((name, i) => bool(name, kept[i] ? { retain: true } : {})),
          { id: 'Count', name: 'Count', type: 'USINT', ...(random() < 0.3 ? { retain: true } : {}) },
          { id: 'E', name: 'E', type: pick(['R_TRIG', 'F_TRIG']) },
        ],
        pous: [{ id: 'p', name: 'Main', language: 'ST', kind: 'program', text: `PROGRAM Main\n${body}\nEND_PROGRAM` }],
        rules: [
          {
            id: 'r',
            name: 'R',
            sentence: pick([
              `never ${both()} AND ${condition()}`,
              `always ${both()} OR ${condition()}`,
              `never ${both()} AND PREVIOUS(M)`,
              'always NOT M OR N',
              'never K AND NOT M',
              'always M = N',
            ]),
          },
        ],
      };
      const plan = planProof(p, 'law');
      if (!plan.image || plan.rules.some((r) => r.problem)) continue;
      const truth = breaksEver(plan);
      const [r] = await prove(p, ([['states'], ['induction'], undefined] as const)[n % 3]);
      const said = r!.strength,
        why = `${body}\n${p.rules[0]!.sentence}: ${said}, ${r!.words}`;
      if (
        truth === 'cold'
          ? said !== 'failed'
          : truth === 'warm'
            ? said === 'proved'
            : said === 'failed' || said === 'broken'
      )
        throw new Error(`${truth ?? 'nothing'} breaks it: ${why}`);
      // Every state was looked at: nothing may be left open.
      if (n % 3 === 0 && said !== (truth === 'cold' ? 'failed' : truth === 'warm' ? 'cold' : 'proved'))
        throw new Error(`${truth}: ${why}`);
      if (said in seen) seen[said as keyof typeof seen]++;
    }
    expect(Math.min(seen.proved, seen.failed)).toBeGreaterThan(15);
    expect(seen.cold).toBeGreaterThan(0);
  }, 120_000);
  it.each([
    ['wire-end-crimp-cell', 4, []],
    ['dust-extractor', 5, []],
    ['canal-lock', 8, []],
    ['ceramic-kiln', 13, ['Power between nothing and all', 'No cart goes against a door']],
  ] as const)(
    'the rules of %s are proved, but for what needs arithmetic or the machine',
    async (name, count, open) => {
      const p = example(name),
        plan = planProof(p, name),
        r = await proveRules(p, plan, { stepNs: scanStep(plan.image!), solver });
      expect(r.rules.filter((x) => x.strength !== 'proved').map((x) => x.name)).toEqual(open);
      expect(r.rules).toHaveLength(count + 1);
      // What is assumed is named by the one rule that needs it.
      if (name === 'canal-lock')
        expect(r.rules.filter((x) => x.assumptions.length).map((x) => [x.name, x.assumptions])).toEqual([
          ['Never green on a shut gate', ['A gate is not open and shut at once']],
        ]);
    },
    180_000,
  );
});

it('a block of a program with a task of its own is followed as it runs', () => {
  const text = `FUNCTION_BLOCK Count VAR_INPUT Add : INT; END_VAR VAR_OUTPUT N : INT; END_VAR N := N + Add; END_FUNCTION_BLOCK
    VAR_GLOBAL On AT %IX0.0 : BOOL; END_VAR
    PROGRAM P VAR fb : Count; calls, got : INT; END_VAR
      IF On THEN calls := calls + 1; fb(Add := calls, N => got); END_IF; END_PROGRAM
    CONFIGURATION C TASK Fast(INTERVAL := T#10ms, PRIORITY := 1); TASK Slow(INTERVAL := T#30ms, PRIORITY := 0);
      PROGRAM A WITH Fast : P(fb WITH Slow); PROGRAM B WITH Fast : P; END_CONFIGURATION`;
  const { compared, unknown } = sameAsEngine([{ kind: 'text', name: 't.st', text }], 60);
  expect(compared).toBeGreaterThan(300);
  expect(unknown).toBe(0);
});

it('what breaks a rule after a warm restart stands on the bench as it was found', async () => {
  const p: Project = {
    ...small(
      ['A & B -> set Kept', 'A & B -> set N', 'Kept & !N & C -> X'],
      [{ sentence: 'never X' }, { sentence: 'always NOT Kept OR N' }],
      [{ id: 'Kept', name: 'Kept', type: 'BOOL', retain: true }],
    ),
  };
  const plan = planProof(p, 'p');
  for (const r of await prove(p)) {
    expect(r.words).toMatch(/after a warm restart inputs can break it \(scan \d after it\)/);
    expect(r.warmAt).toHaveLength(1);
    const h = new History(plan.image!, { stepNs: STEP, wires: plan.compiled.wires });
    h.load(r.recording!, r.scan!, undefined, r.warmAt);
    expect(h.seams().map((s) => s.beginning)).toEqual([]);
    expect(h.lines().map((l) => l.beginning)).toEqual(expect.arrayContaining(['recording', 'warm restart']));
    expect(h.now).toBe(r.scan! - r.warmAt![0]!);
    expect(h.engine.read('Kept')).toBe(true);
    expect(h.engine.read('N')).toBe(false);
    if (r.name === 'Rule 0') expect(h.engine.read('X')).toBe(true);
  }
});
