/** Compiled expressions against a plain evaluator written from the standard: wrapping integers in BigInt. */
import fc from 'fast-check';
import { expect, it } from 'vitest';
import { engineOf, program } from '../support.js';

const WIDTHS = { SINT: 8, INT: 16, DINT: 32, LINT: 64, USINT: 8, UINT: 16, UDINT: 32, ULINT: 64 } as const;
type Name = keyof typeof WIDTHS;
const wrap = (t: Name, v: bigint) => (t.startsWith('U') ? BigInt.asUintN(WIDTHS[t], v) : BigInt.asIntN(WIDTHS[t], v));

interface Expr {
  readonly text: string;
  readonly value: (t: Name, env: readonly bigint[]) => bigint | 'fault';
}
const both = (a: bigint | 'fault', b: bigint | 'fault', f: (a: bigint, b: bigint) => bigint | 'fault') =>
  a === 'fault' || b === 'fault' ? 'fault' : f(a, b);
const OPS: Record<string, (t: Name, a: bigint, b: bigint) => bigint | 'fault'> = {
  '+': (t, a, b) => wrap(t, a + b),
  '-': (t, a, b) => wrap(t, a - b),
  '*': (t, a, b) => wrap(t, a * b),
  '/': (t, a, b) => (b === 0n ? 'fault' : wrap(t, a / b)),
  MOD: (t, a, b) => (b === 0n ? 0n : wrap(t, a % b)),
};
const { expr } = fc.letrec<{ expr: Expr }>((tie) => ({
  expr: fc.oneof(
    { maxDepth: 5 },
    fc.nat(3).map((i): Expr => ({ text: `v${i}`, value: (_, env) => env[i]! })),
    fc.tuple(fc.constantFrom(...Object.keys(OPS)), tie('expr'), tie('expr')).map(([op, a, b]): Expr => ({
      text: `(${a.text} ${op} ${b.text})`,
      value: (t, env) => both(a.value(t, env), b.value(t, env), (x, y) => OPS[op]!(t, x, y)),
    })),
    fc.tuple(fc.constantFrom('MIN', 'MAX'), tie('expr'), tie('expr')).map(([f, a, b]): Expr => ({
      text: `${f}(${a.text}, ${b.text})`,
      value: (t, env) => both(a.value(t, env), b.value(t, env), (x, y) => ((f === 'MIN') === x < y ? x : y)),
    })),
    fc
      .tuple(fc.constantFrom('<', '>=', '<>'), tie('expr'), tie('expr'), tie('expr'), tie('expr'))
      .map(([op, a, b, c, d]): Expr => ({
        text: `SEL(${a.text} ${op} ${b.text}, ${c.text}, ${d.text})`,
        value: (t, env) => {
          const v = [a, b, c, d].map((x) => x.value(t, env));
          if (v.includes('fault')) return 'fault';
          const [x, y, no, yes] = v as bigint[];
          return (op === '<' ? x! < y! : op === '>=' ? x! >= y! : x !== y) ? yes! : no!;
        },
      })),
  ),
}));

it('2,000 generated programs agree with the evaluator', () => {
  fc.assert(
    fc.property(
      fc.constantFrom(...(Object.keys(WIDTHS) as Name[])),
      expr,
      fc.array(fc.bigInt({ min: -(2n ** 63n), max: 2n ** 63n - 1n }), { minLength: 4, maxLength: 4 }),
      (t, e, raw) => {
        const env = raw.map((v) => wrap(t, v));
        const engine = engineOf(program(`v0, v1, v2, v3, r : ${t};`, `r := ${e.text};`));
        env.forEach((v, i) => engine.write(`P.v${i}`, v));
        engine.runScan();
        const wanted = e.value(t, env);
        if (wanted === 'fault') expect(engine.fault?.kind).toBe('DIVISION');
        else expect(engine.read('P.r')).toBe(wanted);
      },
    ),
    { numRuns: 2000, seed: 20261 },
  );
}, 120_000);
