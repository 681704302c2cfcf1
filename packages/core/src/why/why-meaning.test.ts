/** Why evaluates with the language's own meaning, and what it calls deciding does decide. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { Engine } from '../bench.js';
import { compile } from '../workspace.js';
import type { Checked } from '../checked/tree.js';
import { decidingParts, evaluate, readsOf } from './evaluate.js';

const TAGS = `a, b, c, d : BOOL; i, j : INT; u : USINT; l : DINT; w : WORD; r : REAL; x : LREAL; t : TIME; s : STRING; e : Colour; f : ARRAY [0..3] OF INT;`;
const TYPES = 'TYPE Colour : (Red, Green, Blue); END_TYPE';
/**
 * The program with an expression assigned to a result of its type; the checked expression and an engine that has run
 * it.
 */
function compiled(expression: string, type: string) {
  const text = `${TYPES} VAR_GLOBAL ${TAGS} END_VAR PROGRAM P VAR q : ${type}; END_VAR q := ${expression}; END_PROGRAM`;
  const c = compile([{ kind: 'text', name: 't.st', text }]);
  if (c.hasErrors) throw new Error(`${expression}: ${c.diagnostics.map((d) => d.message).join()}`);
  const s = c.program.pous.find((p) => p.name === 'P')!.body[0]!;
  if (s.kind !== 'assign') throw new Error('no assignment');
  return { value: s.value, engine: new Engine(c.build(false), { stepNs: 10_000_000n }) };
}
interface Values {
  readonly bools: readonly boolean[];
  readonly i: number;
  readonly j: number;
  readonly u: number;
  readonly l: number;
  readonly w: number;
  readonly r: number;
  readonly t: number;
  readonly s: string;
  readonly e: number;
}
const valuesArb: fc.Arbitrary<Values> = fc.record({
  bools: fc.array(fc.boolean(), { minLength: 4, maxLength: 4 }),
  i: fc.oneof(fc.integer({ min: -32768, max: 32767 }), fc.constantFrom(0, 1, -1, 300, -301, 32767, -32768)),
  j: fc.oneof(fc.integer({ min: -5, max: 5 }), fc.constantFrom(0, 7)),
  u: fc.integer({ min: 0, max: 255 }),
  l: fc.oneof(fc.integer({ min: -(2 ** 31), max: 2 ** 31 - 1 }), fc.constantFrom(0, 100_000)),
  w: fc.integer({ min: 0, max: 65_535 }),
  r: fc.oneof(fc.float({ noDefaultInfinity: true }), fc.constantFrom(0, 1.5, -300.5)),
  t: fc.integer({ min: 0, max: 100_000 }),
  s: fc.constantFrom('', 'a', 'abc', 'xyz'),
  e: fc.integer({ min: 0, max: 2 }),
});
function set(engine: Engine, v: Values): void {
  v.bools.forEach((b, n) => engine.write('abcd'[n]!, b));
  for (const [name, value] of Object.entries({ i: v.i, j: v.j, u: v.u, l: v.l, w: v.w, e: v.e }))
    engine.write(name, BigInt(value));
  engine.write('r', v.r);
  engine.write('x', v.r);
  engine.write('t', BigInt(v.t) * 1_000_000n);
  engine.write('s', v.s);
}
const number: fc.Arbitrary<string> = fc.constantFrom(
  'i + j',
  'i * j',
  'i / j',
  'i MOD j',
  'ABS(i)',
  'MAX(i, j)',
  'LIMIT(-3, i, 3)',
  '-i',
  'i - j * 7',
  'SEL(a, i, j)',
  'f[1] + i',
  'BOOL_TO_INT(b)',
  'USINT_TO_INT(u + 10)',
  'DINT_TO_INT(l)',
  'WORD_TO_INT(SHL(w, 3))',
  'REAL_TO_INT(r)',
  'LEN(s)',
  'TRUNC(r) + i',
);
const leaf: fc.Arbitrary<string> = fc.oneof(
  fc.constantFrom('a', 'b', 'c', 'd', 'w.3', 'w.15'),
  fc
    .tuple(number, fc.constantFrom('>', '<', '>=', '=', '<>'), fc.constantFrom('300', '0', 'i', 'j', '-1'))
    .map(([n, op, m]) => `(${n} ${op} ${m})`),
  fc.constantFrom(
    '(r * 2.0 > 1.0)',
    '(SQRT(x) < 10.0)',
    '(t + T#1s > T#5s)',
    "(s = 'abc')",
    "(CONCAT(s, 'c') = 'abc')",
    '(e = Green)',
    '(e > Red)',
    '(w AND 16#FF) = 16#0F',
    '(SHR(w, 4) = 1)',
    '(u + 250 > 5)',
    '(x <> x)',
  ),
);
const condition: fc.Arbitrary<string> = fc.letrec<{ c: string }>((tie) => ({
  c: fc.oneof(
    { depthSize: 'small', withCrossShrink: true },
    leaf,
    fc.tuple(tie('c'), fc.constantFrom('AND', 'OR'), tie('c')).map(([x, op, y]) => `(${x} ${op} ${y})`),
    tie('c').map((x) => `NOT (${x})`),
    fc.tuple(tie('c'), tie('c')).map(([x, y]) => `(${x} XOR ${y})`),
  ),
})).c;

describe('Why', () => {
  it('finds the cause of an arithmetic condition that is off', () => {
    const { value, engine } = compiled('(ABS(i) > 300) AND a', 'BOOL');
    engine.write('i', -200n);
    engine.write('a', true);
    const parts = decidingParts(value, 'P', engine);
    expect(parts.map((p) => p.at.source.text.slice(p.at.start, p.at.end))).toEqual(['(ABS(i) > 300)']);
    expect(evaluate(parts[0]!, 'P', engine)).toBe(false);
    expect(readsOf(parts[0]!, 'P', engine)).toEqual(['i']);
  });

  it('law: the value of any expression is what the engine computes', () => {
    fc.assert(
      fc.property(
        fc.oneof(
          number.map((n) => [n, 'INT'] as const),
          condition.map((c) => [c, 'BOOL'] as const),
        ),
        valuesArb,
        ([expression, type], v) => {
          const { value, engine } = compiled(expression, type);
          set(engine, v);
          const said = evaluate(value, 'P', engine);
          // A fault has no value; of a condition one part may decide all the same.
          if (engine.runScan()) expect(said).toEqual(engine.read('P.q'));
          else if (type === 'INT') expect(said).toBeUndefined();
        },
      ),
      { numRuns: 1500 },
    );
  });

  it('law: a whole number of 64 bits is told to its last digit', () => {
    const wide = fc.constantFrom(
      ['g + h', 'LINT'],
      ['g * h', 'LINT'],
      ['-g', 'LINT'],
      ['LINT_TO_ULINT(g)', 'ULINT'],
      ['LINT_TO_ULINT(g) / 3', 'ULINT'],
      ['LINT_TO_LWORD(g) XOR 16#FFFF', 'LWORD'],
      ['MAX(g, h)', 'LINT'],
      ['k + LTIME#1ns', 'LTIME'],
    );
    const long = fc.oneof(fc.bigInt({ min: -(2n ** 63n), max: 2n ** 63n - 1n }), fc.constantFrom(0n, 2n ** 53n + 1n));
    fc.assert(
      fc.property(wide, long, long, ([expression, type], g, h) => {
        const text = `VAR_GLOBAL g, h : LINT; k : LTIME; END_VAR PROGRAM P VAR q : ${type}; END_VAR q := ${expression}; END_PROGRAM`;
        const c = compile([{ kind: 'text', name: 't.st', text }]);
        expect(c.diagnostics.map((d) => d.message)).toEqual([]);
        const s = c.program.pous.find((p) => p.name === 'P')!.body[0]!;
        const engine = new Engine(c.build(false), { stepNs: 10_000_000n });
        engine.write('g', g);
        engine.write('h', h);
        engine.write('k', g);
        const said = s.kind === 'assign' && evaluate(s.value, 'P', engine);
        engine.runScan();
        expect([expression, said]).toEqual([expression, engine.read('P.q')]);
      }),
      { numRuns: 300 },
    );
  });

  it('law: what decides does: turned round together its parts turn the condition, one alone by itself', () => {
    /** The value of the condition with some of its leaves turned round. */
    const turned = (e: Checked, parts: ReadonlySet<Checked>, engine: Engine): boolean => {
      if (parts.has(e)) return evaluate(e, 'P', engine) !== true;
      if (e.kind === 'not') return !turned(e.arg, parts, engine);
      if (
        e.kind === 'binary' &&
        (e.op === 'AND' || e.op === 'OR') &&
        e.type.kind === 'elementary' &&
        e.type.name === 'BOOL'
      ) {
        const [x, y] = [turned(e.left, parts, engine), turned(e.right, parts, engine)];
        return e.op === 'AND' ? x && y : x || y;
      }
      return evaluate(e, 'P', engine) === true;
    };
    const runs = (engine: Engine): boolean => {
      const before = engine.snapshot(),
        ok = engine.runScan();
      engine.restore(before);
      return ok;
    };
    fc.assert(
      fc.property(condition, valuesArb, (expression, v) => {
        const { value, engine } = compiled(expression, 'BOOL');
        set(engine, v);
        const now = evaluate(value, 'P', engine);
        // What faults has no value, and none of its parts need be told.
        if (now === undefined || !runs(engine)) return;
        const parts = decidingParts(value, 'P', engine);
        if (parts.some((p) => evaluate(p, 'P', engine) === undefined)) return;
        expect(parts.length).toBeGreaterThan(0);
        expect(turned(value, new Set(), engine)).toBe(now);
        expect(turned(value, new Set(parts), engine)).toBe(!now);
        if (parts.length === 1) expect(turned(value, new Set([parts[0]!]), engine)).toBe(!now);
      }),
      { numRuns: 800 },
    );
  });
});
