/**
 * Every operation means one thing: the columns of the table (value, WebAssembly, terms of the solver, C) are run against each other on edge
 * and on random operands, for every type that the operation has.
 */
import { execFileSync } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, it } from 'vitest';
import { FERRULE_C } from '../../src/back/c/runtime/core.js';
import { FERRULE_H } from '../../src/back/c/runtime/header.js';
import { FERRULE_MATH_C } from '../../src/back/c/runtime/math.js';
import { IMPORTS, importIndex } from '../../src/compile/imports.js';
import { HELPERS, helperCode } from '../../src/compile/strings.js';
import { Code, encodeModule } from '../../src/compile/wasm.js';
import type { Machine } from '../../src/ir/machine.js';
import { C_TYPES, OPS, type OpName } from '../../src/ir/ops.js';
import type { Folded } from '../../src/ir/ops/fold.js';
import { type Operand, pushConstant, wasmOf } from '../../src/ir/ops/wasm.js';
import { SOLVER, sortOf } from '../../src/verify/prove/operations.js';
import { Terms, bitsOfReal, evaluator, realOf, variablesOf } from '../../src/verify/prove/term.js';
import * as math from '../../src/types/math.js';
import { C_FLAGS, folder } from '../c-build.js';
import { seeded } from '../generate.js';

const SIGNED: readonly Machine[] = ['i8', 'i16', 'i32', 'i64'];
const UNSIGNED: readonly Machine[] = ['u8', 'u16', 'u32', 'u64'];
const REALS: readonly Machine[] = ['f32', 'f64'];
const WHOLE = [...SIGNED, ...UNSIGNED];
const NUMBERS = [...WHOLE, ...REALS];
const ALL: readonly Machine[] = ['bool', ...NUMBERS, 'time'];

/** One operation of one type: what its operands are, and of what type the result is. */
interface Form {
  readonly op: OpName;
  readonly from: Machine;
  readonly to: Machine;
  readonly args: readonly Machine[];
}
const same =
  (types: readonly Machine[], count: number) =>
  (op: OpName): Form[] =>
    types.map((t) => ({ op, from: t, to: t, args: Array<Machine>(count).fill(t) }));
const compares = (op: OpName): Form[] => ALL.map((t) => ({ op, from: t, to: 'bool', args: [t, t] }));
const shifts = (op: OpName): Form[] =>
  (['bool', ...UNSIGNED] as Machine[]).map((t) => ({ op, from: t, to: t, args: [t, 'i64'] }));
const one =
  (from: Machine, to: Machine, ...args: readonly Machine[]) =>
  (op: OpName): Form[] => [{ op, from, to, args }];
const math1 = one('f64', 'f64', 'f64'),
  math2 = one('f64', 'f64', 'f64', 'f64');

/** Types of every operation that works on values; the others work on memory, and programs of strings test them. */
const FORMS: Record<OpName, ((op: OpName) => Form[]) | 'memory'> = {
  add: same([...NUMBERS, 'time'], 2),
  sub: same([...NUMBERS, 'time'], 2),
  mul: same(NUMBERS, 2),
  div: same(NUMBERS, 2),
  mod: same(WHOLE, 2),
  neg: same([...SIGNED, ...REALS, 'time'], 1),
  abs: same([...SIGNED, ...REALS, 'time'], 1),
  sqrt: same(REALS, 1),
  and: same(['bool', ...UNSIGNED], 2),
  or: same(['bool', ...UNSIGNED], 2),
  xor: same(['bool', ...UNSIGNED], 2),
  not: same(['bool', ...UNSIGNED], 1),
  shl: shifts,
  shr: shifts,
  rol: shifts,
  ror: shifts,
  eq: compares,
  ne: compares,
  lt: compares,
  le: compares,
  gt: compares,
  ge: compares,
  min: same(ALL, 2),
  max: same(ALL, 2),
  select: (op) => ALL.map((t) => ({ op, from: t, to: t, args: ['bool', t, t] })),
  convert: (op) => ALL.flatMap((t) => ALL.map((to): Form => ({ op, from: t, to, args: [t] }))),
  truncate: (op) => REALS.flatMap((t) => WHOLE.map((to): Form => ({ op, from: t, to, args: [t] }))),
  bits: (op) => [...one('f64', 'i64', 'f64')(op), ...one('i64', 'f64', 'i64')(op)],
  swap: same(ALL, 1),
  isBcd: one('u64', 'bool', 'u64'),
  fromBcd: one('u64', 'u64', 'u64'),
  toBcd: one('u64', 'u64', 'u64'),
  days: one('i64', 'i64', 'i64', 'i64', 'i64'),
  civil: one('i64', 'i64', 'i64'),
  textLength: 'memory',
  textCompare: 'memory',
  textFind: 'memory',
  textToInt: 'memory',
  textFirst: 'memory',
  textRead: 'memory',
  classOf: 'memory',
  sin: math1,
  cos: math1,
  tan: math1,
  asin: math1,
  acos: math1,
  atan: math1,
  exp: math1,
  log: math1,
  log10: math1,
  pow: math2,
  atan2: math2,
};
const forms = (Object.keys(OPS) as OpName[]).flatMap((op) => {
  const made = FORMS[op];
  return made === 'memory' ? [] : made(op);
});

/** Of these a proof knows only that equal operands give equal results. */
const MARKED = new Set<OpName>(['swap', 'isBcd', 'fromBcd', 'toBcd', 'days', 'civil']);

const isReal = (t: Machine): boolean => t === 'f32' || t === 'f64';
const bits = (t: Machine): number => (t === 'bool' ? 1 : t === 'time' ? 64 : Number(t.slice(1)));
const wrap = (t: Machine, v: bigint): bigint =>
  t.startsWith('i') || t === 'time' ? BigInt.asIntN(bits(t), v) : BigInt.asUintN(bits(t), v);

const random = seeded(4711);
const WILD = new DataView(new ArrayBuffer(8));
const wild = (): bigint => {
  WILD.setUint32(0, random(2 ** 32));
  WILD.setUint32(4, random(2 ** 32));
  return WILD.getBigUint64(0);
};
/** Where things turn: ends of the ranges, the middle, halves, what is no number. */
function edges(t: Machine): Folded[] {
  if (isReal(t)) {
    const list = [0, -0, 0.5, 1.5, 2.5, -0.5, -1.5, 1, -1, 3.7, -3.7, 127.5, 255.5, 1e10, -1e19, 2 ** 63, 2 ** 64];
    return [...list, Infinity, -Infinity, NaN, 1e-310].map((x) => (t === 'f32' ? Math.fround(x) : x));
  }
  const low = wrap(t, 1n << BigInt(bits(t) - 1)),
    high = wrap(t, low - 1n);
  return [...new Set([0n, 1n, -1n, 2n, 7n, 10n, 100n, low, low + 1n, high, high - 1n, 12345n].map((v) => wrap(t, v)))];
}
function any(t: Machine): Folded {
  if (isReal(t)) {
    const kind = random(3);
    const x = kind === 0 ? WILD.getFloat64(0) : (random(2_000_001) - 1_000_000) / 10 ** random(7);
    if (kind === 0) wild();
    return t === 'f32' ? Math.fround(x) : x;
  }
  return wrap(t, random(2) ? wild() : BigInt(random(41) - 20));
}
/** What an operation may be given: the places where a check stands before it are left out. */
function isAsked(f: Form, args: readonly Folded[]): boolean {
  if (f.op === 'div' && !isReal(f.from)) return args[1] !== 0n;
  if (f.op === 'days')
    return args.every((a, i) => (i ? a >= 1n && a <= (i === 1 ? 12n : 31n) : a > -5000n && a < 9000n));
  if (f.op === 'civil') return args[0]! > -2_000_000n && args[0]! < 4_000_000n;
  return true;
}
function operands(f: Form): Folded[][] {
  const rows: Folded[][] = [];
  const lists = f.args.map((t, i) =>
    f.op === 'days'
      ? [0n, 1n, 2n, 3n, 4n, 12n, 28n, 29n, 31n, 1900n, 1970n, 2000n, 2024n, -401n]
      : f.op === 'civil'
        ? [0n, -1n, 59n, 60n, 365n, 11016n, 11017n, -719468n, -719469n, 20000n]
        : i && t === 'i64' && f.args[0] !== 'i64'
          ? [0n, 1n, 7n, 8n, 15n, 16n, 31n, 32n, 33n, 63n, 64n, 65n, -1n, 1n << 40n]
          : edges(t),
  );
  const walk = (row: Folded[]): void => {
    if (row.length === lists.length) rows.push(row);
    else for (const v of lists[row.length]!) walk([...row, v]);
  };
  walk([]);
  for (let i = 0; i < 60; i++)
    rows.push(f.op === 'days' || f.op === 'civil' ? lists.map((l) => l[random(l.length)]!) : f.args.map((t) => any(t)));
  return rows.filter((row) => isAsked(f, row));
}

/** A value as text, so that two that differ in a bit differ; what is no number has no sign. */
function shown(t: Machine, v: Folded): string {
  if (!isReal(t)) return String(v);
  return Number.isNaN(v) ? 'NaN' : Object.is(v, -0) ? '-0' : String(v);
}
const toJs = (t: Machine, v: Folded): bigint | number =>
  isReal(t) ? v : wasmOf(t) === wasmOf('i64') ? BigInt.asIntN(64, BigInt(v)) : Number(BigInt.asIntN(32, BigInt(v)));
const fromJs = (t: Machine, v: bigint | number): Folded => (isReal(t) ? Number(v) : wrap(t, BigInt(v)));

interface Case extends Form {
  readonly rows: readonly (readonly Folded[])[];
  readonly expected: readonly string[];
}
const cases: readonly Case[] = forms.map((f) => {
  const rows = operands(f),
    { fold } = OPS[f.op];
  if (fold === 'memory') throw new Error(`${f.op} has no value`);
  return { ...f, rows, expected: rows.map((row) => shown(f.to, fold(f.from, f.to, ...row))) };
});
const title = (f: Form, row: readonly Folded[]): string =>
  `${f.op} ${f.from} to ${f.to} of ${row.map(String).join(', ')}`;

/** A module with a function for each form, and for some rows also one whose operands are known beforehand. */
function asWasm(list: readonly { form: Form; known?: readonly Folded[] }[]): ((...args: never[]) => bigint | number)[] {
  const functions: Code[] = HELPERS.map(helperCode);
  const exports = list.map(({ form, known }, n) => {
    const code = new Code(form.args.map(wasmOf), wasmOf(form.to));
    const around = { code, helper: (name: never) => IMPORTS.length + HELPERS.indexOf(name), math: importIndex };
    const args = form.args.map((t, i): Operand => {
      const constant = known?.[i];
      if (constant === undefined || (i === 0 && form.args.length > 1)) return { push: () => code.get(i) };
      return { push: () => pushConstant(code, t, constant), constant };
    });
    OPS[form.op].wasm(around, form.from, form.to, ...args);
    return { name: `f${n}`, function: IMPORTS.length + functions.push(code) - 1 };
  });
  const bytes = encodeModule({ functions, exports, globals: [], memoryBytes: 1, imports: IMPORTS });
  const instance = new WebAssembly.Instance(new WebAssembly.Module(bytes), {
    math: math as unknown as Record<string, () => number>,
    text: { write: () => undefined, read: () => 0n },
  });
  return exports.map((e) => instance.exports[e.name] as (...args: never[]) => bigint | number);
}

it('has no operation that is left out', () => {
  expect(forms.length).toBeGreaterThan(300);
  for (const f of cases) expect(f.rows.length, f.op).toBeGreaterThan(8);
});

it('gives the value in WebAssembly', () => {
  const run = asWasm(cases.map((form) => ({ form })));
  const wrong = cases.flatMap((f, n) =>
    f.rows.flatMap((row, i) => {
      const got = shown(f.to, fromJs(f.to, run[n]!(...(f.args.map((t, k) => toJs(t, row[k]!)) as never[]))));
      return got === f.expected[i] ? [] : [`${title(f, row)}: ${got}, not ${f.expected[i]}`];
    }),
  );
  expect(wrong).toEqual([]);
});

it('keeps whole numbers in the range of their type, with no bit set beside', () => {
  const run = asWasm(cases.map((form) => ({ form })));
  const wrong = cases.flatMap((f, n) =>
    isReal(f.to) || wasmOf(f.to) === wasmOf('i64')
      ? []
      : f.rows.flatMap((row) => {
          const got = run[n]!(...(f.args.map((t, k) => toJs(t, row[k]!)) as never[]));
          const range = toJs(f.to, wrap(f.to, BigInt(got)));
          return got === range ? [] : [`${title(f, row)}: ${got}`];
        }),
  );
  expect(wrong).toEqual([]);
});

it('gives the same in WebAssembly where an operand is known before the run', () => {
  const known = cases.flatMap((f) =>
    f.rows
      .filter((_, i) => i % 5 === 0)
      .slice(0, 60)
      .map((row) => ({ form: f, row })),
  );
  const run = asWasm(known.map(({ form, row }) => ({ form, known: row })));
  const wrong = known.flatMap(({ form, row }, n) => {
    const { fold } = OPS[form.op];
    const expected = fold === 'memory' ? '' : shown(form.to, fold(form.from, form.to, ...row));
    const got = shown(form.to, fromJs(form.to, run[n]!(...(form.args.map((t, k) => toJs(t, row[k]!)) as never[]))));
    return got === expected ? [] : [`${title(form, row)}: ${got}, not ${expected}`];
  });
  expect(wrong).toEqual([]);
});

it('gives the value as a term for the solver, or says no more than that equals give equals', () => {
  const terms = new Terms();
  const wrong: string[] = [];
  let followed = 0;
  const unknown = (sort: number, why: string): never => {
    throw new Error(`${why} of ${sort} bits`);
  };
  const asBits = (t: Machine, v: Folded): bigint =>
    isReal(t) ? bitsOfReal(Number(v), bits(t)) : BigInt.asUintN(Math.max(1, bits(t)), BigInt(v));
  for (const f of cases) {
    const variables = f.args.map((t, i) => terms.variable(`x${i} ${t}`, sortOf(t)));
    // Shifts are followed by numbers that are known before the run.
    const hasShift = ['shl', 'shr', 'rol', 'ror'].includes(f.op);
    const index = new Map(variables.map((v, i) => [v, i] as const));
    const open = SOLVER[f.op](terms, f.from, f.to, variables, unknown),
      run = evaluator([open], index);
    const isFollowed = !variablesOf([open]).length || open.op !== 'apply';
    if (isFollowed) followed++;
    else if (!hasShift)
      expect([f.op, ...f.args, f.to].some((x) => isReal(x as Machine)) || MARKED.has(f.op)).toBe(true);
    f.rows.forEach((row, i) => {
      const args = row.map((v, k) => asBits(f.args[k]!, v)),
        constants = row.map((v, k) => terms.bits(asBits(f.args[k]!, v), sortOf(f.args[k]!)));
      const folded = SOLVER[f.op](terms, f.from, f.to, constants, unknown).value;
      const values = [folded, isFollowed ? run(args)?.[0] : undefined];
      if (hasShift) expect(folded).toBeDefined();
      for (const v of values) {
        if (v === undefined) continue;
        const got = shown(f.to, isReal(f.to) ? realOf(v, bits(f.to)) : wrap(f.to, v));
        if (got !== f.expected[i]) wrong.push(`${title(f, row)}: ${got}, not ${f.expected[i]}`);
      }
      if (isFollowed && !isReal(f.to)) expect(values[1], title(f, row)).toBeDefined();
    });
  }
  expect(wrong).toEqual([]);
  expect(followed).toBeGreaterThan(200);
});

it('gives the value in C', () => {
  const here = folder();
  try {
    for (const [name, text] of [
      ['ferrule.h', FERRULE_H],
      ['ferrule.c', FERRULE_C],
      ['ferrule_math.c', FERRULE_MATH_C],
    ] as const)
      writeFileSync(join(here.path, name), text);
    const functions = cases.map((f, n) => {
      const names = f.args.map((_, i) => `x${i}`);
      const read = f.args.map((t, i) => `  ${C_TYPES[t]} x${i}; memcpy(&x${i}, in + ${8 * i}, sizeof x${i});`);
      return `static void f${n}(const uint8_t *in, uint8_t *out) {\n${read.join('\n')}\n  ${C_TYPES[f.to]} r = ${OPS[f.op].c(f.from, f.to, ...names)};\n  memcpy(out, &r, sizeof r);\n}\n`;
    });
    writeFileSync(
      join(here.path, 'main.c'),
      `#include "ferrule.h"
#include <stdio.h>
void logic_start(void) {}
void logic_scan(void) {}
${functions.join('')}
static void (*const all[])(const uint8_t *, uint8_t *) = {${cases.map((_, n) => `f${n}`).join(', ')}};
int main(void) {
  uint8_t row[28], out[8];
  while (fread(row, 28, 1, stdin) == 1) {
    uint32_t n;
    memcpy(&n, row, 4);
    memset(out, 0, 8);
    all[n](row + 4, out);
    fwrite(out, 8, 1, stdout);
  }
  return 0;
}
`,
    );
    execFileSync('gcc', [...C_FLAGS, '-O1', '-o', 'main', 'main.c', 'ferrule.c', 'ferrule_math.c', '-lm'], {
      cwd: here.path,
    });
    const bytes = new DataView(new ArrayBuffer(28 * cases.reduce((sum, f) => sum + f.rows.length, 0)));
    let at = 0;
    cases.forEach((f, n) => {
      for (const row of f.rows) {
        bytes.setUint32(at, n, true);
        row.forEach((v, i) => {
          const t = f.args[i]!,
            to = at + 4 + 8 * i;
          if (t === 'f32') bytes.setFloat32(to, Number(v), true);
          else if (t === 'f64') bytes.setFloat64(to, Number(v), true);
          else bytes.setBigUint64(to, BigInt.asUintN(64, BigInt(v)), true);
        });
        at += 28;
      }
    });
    const out = execFileSync(join(here.path, 'main'), {
      input: new Uint8Array(bytes.buffer),
      maxBuffer: 1 << 28,
    });
    const results = new DataView(out.buffer, out.byteOffset, out.byteLength);
    at = 0;
    const wrong: string[] = [];
    for (const f of cases)
      f.rows.forEach((row, i) => {
        const v: Folded =
          f.to === 'f32'
            ? results.getFloat32(at, true)
            : f.to === 'f64'
              ? results.getFloat64(at, true)
              : wrap(f.to, results.getBigUint64(at, true));
        if (shown(f.to, v) !== f.expected[i]) wrong.push(`${title(f, row)}: ${shown(f.to, v)}, not ${f.expected[i]}`);
        at += 8;
      });
    expect(wrong).toEqual([]);
  } finally {
    here.remove();
  }
});
