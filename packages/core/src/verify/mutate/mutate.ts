/**
 * Changes the logic by itself, one small thing at a time, and sees whether the checks notice: an honest figure of how
 * good they are.
 */
import { editRung } from '../../ladder/edit.js';
import { parseRungLine } from '../../ladder/parse.js';
import { printRung } from '../../ladder/print.js';
import { type Node, type Output, type Part, type Rung, isElement, nodesOf, parallel } from '../../ladder/rung.js';
import { Problems } from '../../language/diagnostic.js';
import { parseFile, parseStatementsText } from '../../language/parser.js';
import { makeSource, positionOf } from '../../language/source.js';
import type { BinaryOp, Expression, Statement } from '../../language/tree.js';
import { Compiler } from '../../workspace/compile.js';
import type { Project } from '../../document/document.js';
import { type ProofPlan, planProof } from '../play/plan.js';
import { prove } from '../play/play.js';

/** Where the logic was changed: an element of a rung, or a stretch of a text. */
export type MutantPlace =
  | { readonly kind: 'rung'; readonly rung: string; readonly number: number; readonly element: number }
  | { readonly kind: 'text'; readonly line: number; readonly at: number };
export interface Mutant {
  readonly pou: string;
  readonly pouId: string;
  readonly place: MutantPlace;
  /** `StopOK inverted`. */
  readonly what: string;
  /** The rung's line, or the whole text, as it was and as it is. */
  readonly before: string;
  readonly after: string;
}
export interface MutantResult extends Mutant {
  /** The check or rule that noticed; undefined when none did. */ readonly noticedBy?: string;
}

/** A change of a text: what it is, and what is put in place of a stretch of it. */
interface Change {
  readonly what: string;
  readonly start: number;
  readonly end: number;
  readonly put: string;
}

const TURNED: Readonly<Record<string, BinaryOp>> = { '>=': '<', '>': '<=', '<=': '>', '<': '>=', '=': '<>', '<>': '=' };
const DURATION = /\b(\d+(?:\.\d+)?)(\s*)(ms|min|s|m|h|d)\b/i;

/** Twice and half of a duration as it is written: `300 ms`, `T#1.5s`. */
function durations(text: string): readonly (readonly [string, string])[] {
  const m = DURATION.exec(text);
  return m && Number(m[1]) > 0
    ? [
        ['twice as long', 2],
        ['half as long', 0.5],
      ].map(
        ([words, by]) =>
          [
            words as string,
            text.replace(DURATION, `${Number((Number(m[1]) * (by as number)).toPrecision(12))}${m[2]}${m[3]}`),
          ] as const,
      )
    : [];
}

/**
 * Changes of statements: conditions negated, comparisons turned round, AND for OR, assignments left out, values,
 * numbers and times changed.
 */
function changesIn(text: string, body: readonly Statement[], offset = 0): readonly Change[] {
  const found: Change[] = [];
  const said = (e: { readonly at: { readonly start: number; readonly end: number } }) => {
    const t = text.slice(e.at.start, e.at.end).replace(/\s+/g, ' ');
    return t.length > 40 ? `${t.slice(0, 39)}…` : t;
  };
  const add = (what: string, at: { readonly start: number; readonly end: number }, put: string) =>
    found.push({ what, start: at.start + offset, end: at.end + offset, put });
  const number = (e: Expression) => {
    if (e.kind !== 'literal') return;
    const l = e.literal,
      mine = text.slice(e.at.start, e.at.end);
    if (l.type === 'bool') add(`${mine} turned round`, e.at, l.value ? 'FALSE' : 'TRUE');
    else if (l.type === 'int' && /^\d+$/.test(mine)) add(`${mine} one more`, e.at, String(l.value + 1n));
    else if (l.type === 'real' && /^\d+\.\d+$/.test(mine)) {
      const more = Number((l.value * 1.1 || 0.1).toPrecision(12));
      add(`${mine} a tenth more`, e.at, Number.isInteger(more) ? more.toFixed(1) : String(more));
    } else if (l.type === 'time') for (const [words, put] of durations(mine)) add(`${mine} ${words}`, e.at, put);
  };
  const expression = (e: Expression): void => {
    switch (e.kind) {
      case 'literal':
        number(e);
        break;
      case 'unary':
        if (e.op === 'NOT') add(`NOT ${said(e.arg)} without its NOT`, { start: e.at.start, end: e.at.start + 3 }, '');
        expression(e.arg);
        break;
      case 'binary': {
        if (TURNED[e.op]) add(`${said(e)} turned round`, e.opAt, TURNED[e.op]!);
        else if (e.op === 'AND' || e.op === 'OR')
          add(
            `${e.op === 'AND' ? 'OR' : 'AND'} instead of ${e.op} in ${said(e)}`,
            e.opAt,
            e.op === 'AND' ? 'OR' : 'AND',
          );
        expression(e.left);
        expression(e.right);
        break;
      }
      case 'call':
        for (const a of e.args) if (!a.output) expression(a.value);
        break;
      case 'member':
      case 'part':
      case 'dereference':
        expression(e.base);
        break;
      // An index one more is another place: as a rule a fault at once.
      default:
    }
  };
  const condition = (e: Expression) => {
    add(`${said(e)} negated`, e.at, `NOT (${text.slice(e.at.start, e.at.end)})`);
    expression(e);
  };
  const statements = (list: readonly Statement[]): void => {
    for (const s of list) statement(s);
  };
  const statement = (s: Statement): void => {
    switch (s.kind) {
      case 'assign':
        add(`${said(s)} left out`, s.at, '');
        expression(s.value);
        break;
      case 'call':
        expression(s.call);
        break;
      case 'if':
        for (const b of s.branches) {
          condition(b.condition);
          statements(b.body);
        }
        statements(s.otherwise ?? []);
        break;
      case 'case':
        for (const a of s.arms) statements(a.body);
        statements(s.otherwise ?? []);
        break;
      case 'for':
      case 'repeat':
        statements(s.body);
        break;
      case 'while':
        condition(s.condition);
        statements(s.body);
        break;
      default:
    }
  };
  statements(body);
  return found;
}

/**
 * Rungs with one leg of a branch taken away, or one of several outputs; with the first element or output that is gone.
 */
function without(rung: Rung): readonly { readonly rung: Rung; readonly gone: Node; readonly isLeg: boolean }[] {
  const first = (p: Part): Node => (isElement(p) ? p : first(p.kind === 'series' ? p.parts[0]! : p.legs[0]!));
  const logic = (p: Part): readonly { readonly part: Part; readonly gone: Node }[] => {
    if (isElement(p)) return [];
    const list = p.kind === 'series' ? p.parts : p.legs;
    const inside = list.flatMap((x, i) =>
      logic(x).map(({ part, gone }) => ({
        gone,
        part:
          p.kind === 'series'
            ? { ...p, parts: list.map((y, k) => (k === i ? part : y)) }
            : { ...p, legs: list.map((y, k) => (k === i ? part : y)) },
      })),
    );
    return [
      ...(p.kind === 'parallel'
        ? list.map((leg, i) => ({ gone: first(leg), part: parallel(list.filter((_, k) => k !== i)) }))
        : []),
      ...inside,
    ];
  };
  const outputs = (
    list: readonly Output[],
  ): readonly { readonly outputs: readonly Output[]; readonly gone: Node; readonly isLeg: boolean }[] => [
    ...(list.length > 1
      ? list.flatMap((o, i) =>
          o.kind === 'path' ? [] : [{ outputs: list.filter((_, k) => k !== i), gone: o as Node, isLeg: false }],
        )
      : []),
    ...list.flatMap((o, i) => {
      if (o.kind !== 'path') return [];
      const put = (x: Output) => list.map((y, k) => (k === i ? x : y));
      return [
        ...logic(o.logic).map(({ part, gone }) => ({ outputs: put({ ...o, logic: part }), gone, isLeg: true })),
        ...outputs(o.outputs).map((x) => ({ ...x, outputs: put({ ...o, outputs: x.outputs }) })),
      ];
    }),
  ];
  return [
    ...(rung.logic
      ? logic(rung.logic).map(({ part, gone }) => ({ rung: { ...rung, logic: part }, gone, isLeg: true }))
      : []),
    ...outputs(rung.outputs).map(({ outputs: o, gone, isLeg }) => ({ rung: { ...rung, outputs: o }, gone, isLeg })),
  ];
}

/** What one element of a rung may be instead, as changes of its line. */
function changesOf(line: string, n: Node, element: number): readonly Change[] {
  const change = (what: string, put: string): Change => ({ what, start: n.start, end: n.end, put });
  const edited = (what: string, kind: 'negate' | 'delete'): Change[] => {
    const e = editRung(line, { element }, { kind });
    return 'line' in e ? [{ what, start: 0, end: line.length, put: e.line }] : [];
  };
  switch (n.kind) {
    case 'contact':
      return n.mode === 'open' || n.mode === 'closed'
        ? [...edited(`${n.tag} inverted`, 'negate'), ...edited(`${n.tag} left out`, 'delete')]
        : [
            change(`${n.tag} without its edge`, n.mode === 'rising' ? n.tag : `!${n.tag}`),
            ...edited(`${n.tag} left out`, 'delete'),
          ];
    case 'compare':
      return TURNED[n.op]
        ? [
            change(`${n.left} ${n.op} ${n.right} turned round`, `${n.left} ${TURNED[n.op]} ${n.right}`),
            ...edited(`${n.left} ${n.op} ${n.right} left out`, 'delete'),
          ]
        : [];
    case 'coil':
      return n.mode === 'set'
        ? [change(`${n.tag} no longer held`, n.tag)]
        : n.mode === 'plain'
          ? [change(`${n.tag} negated`, `!${n.tag}`), change(`${n.tag} set instead`, `set ${n.tag}`)]
          : n.mode === 'rising' || n.mode === 'falling'
            ? [change(`${n.tag} without its edge`, n.tag)]
            : [];
    case 'call':
      return n.args.flatMap((a): readonly Change[] => {
        if (a.output) return [];
        const times = durations(a.value),
          whole = /^\d+$/.test(a.value.trim()) ? Number(a.value) : undefined,
          at = line.indexOf(a.value, a.start);
        if (at < 0) return [];
        return [
          ...times.map(([words, put]) => ({ what: `${n.name} ${words}`, start: at, end: at + a.value.length, put })),
          ...(whole === undefined
            ? []
            : [
                {
                  what: `${n.name} ${a.pin ?? ''} one more`,
                  start: at,
                  end: at + a.value.length,
                  put: String(whole + 1),
                },
              ]),
        ];
      });
    case 'action': {
      const problems = new Problems(),
        body = parseStatementsText(makeSource('', n.text), problems);
      return problems.list.length ? [] : changesIn(n.text, body, n.textStart);
    }
    default:
      return [];
  }
}

/**
 * Every small change that is tried: of a rung, contacts inverted or left out, an edge forgotten, a leg of a branch or
 * one of several outputs taken away, a coil negated, set instead or no longer held, presets changed; of a text and of
 * actions, conditions negated, comparisons turned round, AND for OR, assignments left out, values changed.
 */
export function mutantsOf(project: Project): readonly Mutant[] {
  return project.pous.flatMap((p): readonly Mutant[] => {
    const common = { pou: p.name, pouId: p.id };
    const apply = (text: string, c: Change) => text.slice(0, c.start) + c.put + text.slice(c.end);
    if (p.language !== 'LD') {
      const source = makeSource('', p.text, { kind: 'pou', id: p.id, name: p.name }),
        problems = new Problems(),
        declared = parseFile(source, problems);
      if (problems.list.some((d) => d.severity === 'error')) return [];
      const bodies = declared.flatMap((d) => (d.kind === 'pou' ? [d.body, ...d.methods.map((m) => m.body)] : []));
      return bodies
        .flatMap((b) => changesIn(p.text, b))
        .map((c) => ({
          ...common,
          place: { kind: 'text', line: positionOf(source, c.start).line, at: c.start },
          what: c.what,
          before: p.text,
          after: apply(p.text, c),
        }));
    }
    return p.rungs.flatMap((r, i): Mutant[] => {
      const parsed = parseRungLine(
        makeSource('', r.line, { kind: 'rung', pouId: p.id, pou: p.name, rungId: r.id, number: i + 1 }),
        new Problems(),
      );
      if (!parsed) return [];
      const nodes = nodesOf(parsed.rung),
        seen = new Set([r.line]);
      const mine = (element: number, what: string, after: string): Mutant[] => {
        if (seen.has(after)) return [];
        seen.add(after);
        return [
          { ...common, place: { kind: 'rung', rung: r.id, number: i + 1, element }, what, before: r.line, after },
        ];
      };
      const named = (n: Node) =>
        'tag' in n
          ? n.tag
          : n.kind === 'call'
            ? n.name
            : n.kind === 'compare'
              ? `${n.left} ${n.op} ${n.right}`
              : n.kind === 'action'
                ? `{ ${n.text.trim()} }`
                : 'return';
      return [
        ...nodes.flatMap((n, element) =>
          changesOf(r.line, n, element).flatMap((c) => mine(element, c.what, apply(r.line, c))),
        ),
        ...without(parsed.rung).flatMap(({ rung, gone, isLeg }) =>
          mine(
            nodes.indexOf(gone),
            isLeg ? `the leg with ${named(gone)} taken away` : `the output ${named(gone)} taken away`,
            printRung(rung),
          ),
        ),
      ];
    });
  });
}

/** The project with the change in it. */
export function mutated(project: Project, m: Mutant): Project {
  const { place } = m;
  return {
    ...project,
    pous: project.pous.map((p) =>
      p.id !== m.pouId
        ? p
        : p.language === 'LD'
          ? place.kind === 'rung'
            ? { ...p, rungs: p.rungs.map((r) => (r.id === place.rung ? { ...r, line: m.after } : r)) }
            : p
          : { ...p, text: m.after },
    ),
  };
}

/** `Cell rung 3: Running left out`. */
export const mutantLine = (m: Mutant): string =>
  `${m.pou} ${m.place.kind === 'rung' ? `rung ${m.place.number}` : `line ${m.place.line}`}: ${m.what}`;

/** Runs of checks and rules that fail on the logic as it is: what fails anyway notices nothing. */
export interface Failing {
  readonly keys: ReadonlySet<string>;
  readonly names: readonly string[];
}
const keyOf = (x: { readonly id: string; readonly run?: number }): string => `${x.id} ${x.run ?? ''}`;
export function failingAlready(plan: ProofPlan, stepNs: bigint): Failing {
  const r = prove(plan, { stepNs }),
    bad = [...r.checks, ...r.rules].filter((x) => !x.ok);
  return { keys: new Set(bad.map(keyOf)), names: [...new Set(bad.map((x) => x.name))] };
}

/**
 * Plays the checks on a changed project until one notices; those that fail on the logic as it is are not asked. A
 * change that is no logic any more counts for nothing: undefined. `compiler` keeps what was read from one change to the
 * next.
 */
export function tryMutant(
  project: Project,
  m: Mutant,
  stepNs: bigint,
  compiler = new Compiler(),
  failing?: Failing,
): MutantResult | undefined {
  const plan = planProof(mutated(project, m), project.name, compiler);
  if (!plan.image) return undefined;
  const asked = failing?.keys.size
    ? {
        ...plan,
        checks: plan.checks.filter((c) => !failing.keys.has(keyOf(c))),
        rules: plan.rules.filter((r) => !failing.keys.has(keyOf(r))),
      }
    : plan;
  const r = prove(asked, { stepNs, stopAtFirst: true });
  const failed = [...r.checks, ...r.rules].find((x) => !x.ok);
  return { ...m, ...(failed ? { noticedBy: failed.name } : {}) };
}
