/** The same generated logic as rungs and as C: Boolean, mixed (timers, counters, arithmetic) and numeric. */
import { type Project, emptyProject } from '@ferrule/core/document';

export type Kind = 'boolean' | 'mixed' | 'numeric';
export interface Workload {
  readonly project: Project;
  readonly c: string;
  readonly names: readonly string[];
}

/** A small generator with a seed: the same logic in every run. */
export function random(seed: number): (below: number) => number {
  let s = seed >>> 0;
  return (below) => {
    s = (Math.imul(s, 1664525) + 1013904223) >>> 0;
    return Math.floor((s / 4294967296) * below);
  };
}

const RUNGS_PER_PROGRAM = 100;

export function workload(kind: Kind, rungs: number): Workload {
  const next = random(12345 + rungs);
  const bools = Math.max(40, Math.round(rungs * 0.8)),
    ints = Math.max(20, Math.round(rungs * 0.2)),
    reals = Math.max(20, Math.round(rungs * 0.3));
  const lines: string[] = [];
  const c: string[] = [];
  const timers: number[] = [],
    counters: number[] = [];
  const b = () => `b${next(bools)}`,
    d = () => `d${next(ints)}`,
    r = () => `r${next(reals)}`;
  const near = (i: number) => `b${(i + next(30)) % bools}`;
  /** A condition as rung and as C. */
  const condition = (i: number): [string, string] => {
    const t = [near(i), near(i), near(i), b(), near(i), near(i)] as const;
    switch (next(5)) {
      case 0:
        return [`(${t[0]} | ${t[1]}) & ${t[2]} & !${t[3]}`, `((${t[0]} | ${t[1]}) & ${t[2]} & !${t[3]})`];
      case 1:
        return [`${t[0]} & ${t[1]} & ${t[2]}`, `(${t[0]} & ${t[1]} & ${t[2]})`];
      case 2:
        return [
          `(${t[0]} & !${t[1]} | ${t[2]} & ${t[3]} | ${t[4]}) & !${t[5]}`,
          `((${t[0]} & !${t[1]} | ${t[2]} & ${t[3]} | ${t[4]}) & !${t[5]})`,
        ];
      case 3:
        return [`!${t[0]} & (${t[1]} | ${t[2]} | ${t[3]})`, `(!${t[0]} & (${t[1]} | ${t[2]} | ${t[3]}))`];
      default:
        return [`(${t[0]} | !${t[1]}) & (${t[2]} | !${t[3]})`, `((${t[0]} | !${t[1]}) & (${t[2]} | !${t[3]}))`];
    }
  };
  const bool = (i: number) => {
    const [line, text] = condition(i);
    const to = `b${12 + next(bools - 12)}`;
    const coil = next(8);
    if (coil === 0) {
      lines.push(`${line} -> set ${to}`);
      c.push(`if ${text} ${to} = 1;`);
    } else if (coil === 1) {
      lines.push(`${line} -> reset ${to}`);
      c.push(`if ${text} ${to} = 0;`);
    } else {
      lines.push(`${line} -> ${to}`);
      c.push(`${to} = ${text};`);
    }
  };
  const timer = (i: number) => {
    const [line, text] = condition(i);
    const n = timers.push((1 + next(20)) * 10) - 1,
      to = `b${12 + next(bools - 12)}`;
    lines.push(`${line} & T${n}(PT := ${timers[n]} ms) -> ${to}`);
    c.push(`t${n}.in = ${text}; t${n}.pt = ${timers[n]}000000LL; ton(&t${n}); ${to} = t${n}.q;`);
  };
  const counter = (i: number) => {
    const [line, text] = condition(i);
    const reset = b();
    const n = counters.push(2 + next(30)) - 1,
      to = `b${12 + next(bools - 12)}`;
    lines.push(`${line} & C${n}(R := ${reset}, PV := ${counters[n]}) -> ${to}`);
    c.push(`c${n}.cu = ${text}; c${n}.r = ${reset}; c${n}.pv = ${counters[n]}; ctu(&c${n}); ${to} = c${n}.q;`);
  };
  const integer = (i: number) => {
    const [x, y, z, to] = [d(), d(), d(), d()];
    const k = 1 + next(9),
      limit = next(1000);
    const contact = near(i);
    switch (next(3)) {
      case 0:
        lines.push(`${contact} & ${x} < ${limit} -> { ${to} := ${x} + ${y} * ${k} - ${z}; }`);
        c.push(
          `if (${contact} & (${x} < ${limit})) ${to} = (int32_t)((uint32_t)${x} + (uint32_t)${y} * ${k}u - (uint32_t)${z});`,
        );
        break;
      case 1:
        lines.push(`${contact} | ${x} >= ${y} -> { ${to} := ${x} / ${k + 1} + ${z} MOD ${k + 2}; }`);
        c.push(`if (${contact} | (${x} >= ${y})) ${to} = ${x} / ${k + 1} + ${z} % ${k + 2};`);
        break;
      default:
        lines.push(`${contact} -> { ${to} := ${x} + 1; }`);
        c.push(`if (${contact}) ${to} = (int32_t)((uint32_t)${x} + 1u);`);
    }
  };
  const real = (i: number) => {
    const [x, y, z, to] = [r(), r(), r(), r()];
    const f = (1 + next(9)) / 10,
      contact = near(i);
    switch (next(4)) {
      case 0:
        lines.push(`-> { ${to} := ${x} * ${f} + ${y} * ${(1 - f).toFixed(1)}; }`);
        c.push(`${to} = ${x} * ${f} + ${y} * ${(1 - f).toFixed(1)};`);
        break;
      case 1:
        lines.push(`${contact} & ${x} < ${y} -> { ${to} := SQRT(ABS(${z}) + 1.0); }`);
        c.push(`if (${contact} & (${x} < ${y})) ${to} = sqrt(fabs(${z}) + 1.0);`);
        break;
      case 2: {
        const at = next(64);
        lines.push(`${contact} -> { a[${at}] := ${x} - ${y}; ${to} := a[Index] * 0.5 + ${z} * 0.25; }`);
        c.push(`if (${contact}) { a[${at}] = ${x} - ${y}; ${to} = a[Index] * 0.5 + ${z} * 0.25; }`);
        break;
      }
      default:
        lines.push(`${contact} -> { ${to} := LIMIT(-100.0, ${x} + ${y} - ${z}, 100.0); }`);
        c.push(
          `if (${contact}) { double v = ${x} + ${y} - ${z}; ${to} = v < -100.0 ? -100.0 : v > 100.0 ? 100.0 : v; }`,
        );
    }
  };
  for (let i = 0; i < rungs; i++) {
    const pick = next(100);
    if (kind === 'boolean') bool(i);
    else if (kind === 'mixed') {
      if (pick < 45) bool(i);
      else if (pick < 62) timer(i);
      else if (pick < 75) counter(i);
      else integer(i);
    } else if (pick < 30) integer(i);
    else if (pick < 80) real(i);
    else bool(i);
  }
  const head = [
    '-> { Scan := Scan + 1; Index := Scan MOD 64; }',
    ...Array.from({ length: 12 }, (_, k) => `Scan.${k % 8} ${k >= 8 ? `& !Scan.${k - 7}` : ''} -> b${k}`),
  ];
  const headC = [
    'Scan++; Index = Scan % 64;',
    ...Array.from(
      { length: 12 },
      (_, k) => `b${k} = ((Scan >> ${k % 8}) & 1)${k >= 8 ? ` & !((Scan >> ${k - 7}) & 1)` : ''};`,
    ),
  ];
  const all = [...head, ...lines];
  const tags: Project['tags'] = [
    { id: 'Scan', name: 'Scan', type: 'DINT' },
    { id: 'Index', name: 'Index', type: 'DINT' },
    { id: 'a', name: 'a', type: 'ARRAY [0..63] OF LREAL' },
    ...Array.from({ length: bools }, (_, i) => ({ id: `b${i}`, name: `b${i}`, type: 'BOOL' })),
    ...Array.from({ length: ints }, (_, i) => ({ id: `d${i}`, name: `d${i}`, type: 'DINT', initial: String(i % 17) })),
    ...Array.from({ length: reals }, (_, i) => ({ id: `r${i}`, name: `r${i}`, type: 'LREAL', initial: `${i % 13}.5` })),
    ...timers.map((_, i) => ({ id: `T${i}`, name: `T${i}`, type: 'TON' })),
    ...counters.map((_, i) => ({ id: `C${i}`, name: `C${i}`, type: 'CTU' })),
  ];
  const pous: Project['pous'] = Array.from({ length: Math.ceil(all.length / RUNGS_PER_PROGRAM) }, (_, p) => ({
    id: `p${p}`,
    name: `Part${p}`,
    language: 'LD' as const,
    kind: 'program' as const,
    rungs: all.slice(p * RUNGS_PER_PROGRAM, (p + 1) * RUNGS_PER_PROGRAM).map((line, i) => ({ id: `r${p}_${i}`, line })),
  }));
  const bodies = [...headC, ...c];
  const parts = Array.from(
    { length: Math.ceil(bodies.length / RUNGS_PER_PROGRAM) },
    (_, p) =>
      `void part${p}(void) {\n${bodies.slice(p * RUNGS_PER_PROGRAM, (p + 1) * RUNGS_PER_PROGRAM).join('\n')}\n}`,
  );
  const source = `#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <math.h>
#include <time.h>
struct ton { uint8_t in, q, was; int64_t pt, et, since; };
struct ctu { uint8_t cu, r, q, was; int16_t pv, cv; };
int64_t now;
int32_t Scan, Index; double a[64];
uint8_t ${Array.from({ length: bools }, (_, i) => `b${i}`).join(', ')};
int32_t ${Array.from({ length: ints }, (_, i) => `d${i} = ${i % 17}`).join(', ')};
double ${Array.from({ length: reals }, (_, i) => `r${i} = ${i % 13}.5`).join(', ')};
${timers.length ? `struct ton ${timers.map((_, i) => `t${i}`).join(', ')};` : ''}
${counters.length ? `struct ctu ${counters.map((_, i) => `c${i}`).join(', ')};` : ''}
static void ton(struct ton *t) {
  if (t->in) { if (!t->was) t->since = now; t->et = now - t->since; t->q = t->et >= t->pt; if (t->q) t->et = t->pt; } else { t->q = 0; t->et = 0; }
  t->was = t->in;
}
static void ctu(struct ctu *c) { if (c->r) c->cv = 0; else if (c->cu && !c->was && c->cv < 32767) c->cv++; c->was = c->cu; c->q = c->cv >= c->pv; }
${parts.join('\n')}
int main(int argc, char **argv) {
  int rounds = atoi(argv[1]), scans = atoi(argv[2]);
  for (int k = 0; k < rounds; k++) {
    struct timespec s, e;
    clock_gettime(CLOCK_MONOTONIC, &s);
    for (int i = 0; i < scans; i++) { ${parts.map((_, i) => `part${i}();`).join(' ')} now += 10000000; }
    clock_gettime(CLOCK_MONOTONIC, &e);
    printf("%f\\n", ((e.tv_sec - s.tv_sec) * 1e9 + (e.tv_nsec - s.tv_nsec)) / scans);
  }
  ${Array.from({ length: bools }, (_, i) => `printf("%d ", b${i});`).join('')}
  ${Array.from({ length: ints }, (_, i) => `printf("%d ", d${i});`).join('')}
  ${Array.from({ length: reals }, (_, i) => `printf("%.17g ", r${i});`).join('')}
  return 0;
}
`;
  const names = [
    ...Array.from({ length: bools }, (_, i) => `b${i}`),
    ...Array.from({ length: ints }, (_, i) => `d${i}`),
    ...Array.from({ length: reals }, (_, i) => `r${i}`),
  ];
  return { project: { ...emptyProject(`${kind} ${rungs}`), tags, pous, tasks: [] }, c: source, names };
}
