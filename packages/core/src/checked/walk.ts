/** One walk over the checked statements for the rules that need it. */
import {
  type Checked,
  type CheckedPou,
  type CheckedProgram,
  type CheckedStatement,
  type Place,
  type Variable,
  isPlace,
} from './tree.js';

/** The POUs that the user wrote. */
export const ownPous = (program: CheckedProgram): CheckedPou[] =>
  program.pous.filter((p) => p.at.source.origin.kind !== 'library');

/** The lists of statements directly in a statement. */
export function bodiesOf(s: CheckedStatement): readonly (readonly CheckedStatement[])[] {
  switch (s.kind) {
    case 'if':
      return [...s.branches.map((b) => b.body), ...(s.otherwise ? [s.otherwise] : [])];
    case 'case':
      return [...s.arms.map((a) => a.body), ...(s.otherwise ? [s.otherwise] : [])];
    case 'for':
    case 'while':
    case 'repeat':
    case 'rung':
      return [s.body];
    default:
      return [];
  }
}

export function eachStatement(
  list: readonly CheckedStatement[],
  visit: (s: CheckedStatement, list: readonly CheckedStatement[]) => void,
): void {
  for (const s of list) {
    visit(s, list);
    for (const b of bodiesOf(s)) eachStatement(b, visit);
  }
}

/** The expressions that stand directly in a statement, those of indices included. */
export function expressionsOf(s: CheckedStatement): Checked[] {
  switch (s.kind) {
    case 'assign':
      return [s.value, ...inPlace(s.target)];
    case 'evaluate':
    case 'setPower':
      return [s.value];
    case 'probe':
      return [s.closed];
    case 'edge':
      return [s.of];
    case 'copy':
      return [...inPlace(s.target), ...(isPlace(s.from) ? inPlace(s.from) : [s.from])];
    case 'if':
      return s.branches.map((b) => b.condition);
    case 'case':
      return [s.selector];
    case 'for':
      return [s.from, s.to, s.by];
    case 'while':
      return [s.condition];
    case 'repeat':
      return [s.until];
    case 'blockCall':
      return [
        ...inPlace(s.call.instance),
        ...s.call.inputs.flatMap((i) => (isPlace(i.value) ? inPlace(i.value) : [i.value])),
        ...s.call.outputs.flatMap((o) => inPlace(o.to)),
      ];
    default:
      return [];
  }
}

function inPlace(p: Place): Checked[] {
  switch (p.kind) {
    case 'variable':
      return [];
    case 'element':
      return [...p.indices, ...inPlace(p.base)];
    case 'target':
      return [p.reference];
    default:
      return inPlace(p.base);
  }
}

export function eachExpression(c: Checked, visit: (c: Checked) => void): void {
  visit(c);
  switch (c.kind) {
    case 'not':
    case 'negate':
    case 'convert':
    case 'text':
    case 'notNull':
    case 'attempt':
      eachExpression(c.arg, visit);
      break;
    case 'binary':
      eachExpression(c.left, visit);
      eachExpression(c.right, visit);
      break;
    case 'builtin':
      c.args.forEach((a) => eachExpression(a, visit));
      break;
    case 'read':
    case 'address':
      inPlace(c.place).forEach((e) => eachExpression(e, visit));
      break;
    case 'call':
      c.call.inputs.forEach((i) => (isPlace(i) ? inPlace(i) : [i]).forEach((e) => eachExpression(e, visit)));
      if (c.call.self) eachExpression(c.call.self, visit);
      break;
    default:
  }
}

/** Every expression of a POU. */
export function eachExpressionOf(pou: CheckedPou, visit: (c: Checked) => void): void {
  eachStatement(pou.body, (s) => expressionsOf(s).forEach((e) => eachExpression(e, visit)));
}

/** Places that the calls in a statement may write: outputs that are taken over, and what is handed over as in-out. */
export function writtenByCalls(s: CheckedStatement): readonly Place[] {
  const places: Place[] = [];
  if (s.kind === 'blockCall') {
    for (const i of s.call.inputs) if (i.isReference && isPlace(i.value)) places.push(i.value);
    places.push(...s.call.outputs.map((o) => o.to));
  }
  for (const e of expressionsOf(s))
    eachExpression(e, (c) => {
      if (c.kind !== 'call') return;
      const parameters = c.call.pou.variables.filter(
        (v) => v.section === 'input' || v.section === 'inout' || v.section === 'bound',
      );
      c.call.inputs.forEach((x, i) => {
        if (isPlace(x) && parameters[i]?.section === 'inout') places.push(x);
      });
      places.push(...c.call.outputs.map((o) => o.to));
    });
  return places;
}

export type Writing = CheckedStatement & { readonly kind: 'assign' | 'copy' | 'blockCall' };
/**
 * A statement that writes, whether it stands in a rung itself, and for an assignment or copy the name of what it
 * writes.
 */
export interface Written {
  readonly s: Writing;
  readonly inRung: boolean;
  readonly name: string | undefined;
}
const writings = new WeakMap<CheckedPou, Written[]>();

/** The statements of a POU that write: assignments, copies and calls of blocks. Found once for each POU. */
export function writingsOf(pou: CheckedPou): readonly Written[] {
  let list = writings.get(pou);
  if (!list) {
    const found: Written[] = [];
    const walk = (statements: readonly CheckedStatement[], inRung: boolean): void => {
      for (const s of statements) {
        if (s.kind === 'assign' || s.kind === 'copy' || s.kind === 'blockCall')
          found.push({ s, inRung, name: s.kind === 'blockCall' ? undefined : fixedName(s.target) });
        for (const b of bodiesOf(s)) walk(b, s.kind === 'rung');
      }
    };
    walk(pou.body, false);
    writings.set(pou, (list = found));
  }
  return list;
}

/**
 * Name of a place as the user would write it, without case; undefined where an index or a reference makes it many
 * places.
 */
export function fixedName(p: Place): string | undefined {
  switch (p.kind) {
    case 'variable':
      return `${p.variable.owner ?? ''}:${p.variable.name}`.toLowerCase();
    case 'member': {
      const b = fixedName(p.base);
      return b && `${b}.${p.offset}`;
    }
    case 'part': {
      const b = fixedName(p.base);
      return b && `${b}#${p.shift}`;
    }
    default:
      return undefined;
  }
}

export interface Usage {
  readonly used: ReadonlySet<Variable>;
  readonly read: ReadonlySet<Variable>;
  readonly written: ReadonlySet<Variable>;
}
const usages = new WeakMap<CheckedProgram, Usage>();

/** Which variables are read and written anywhere. */
export function usageOf(program: CheckedProgram): Usage {
  let usage = usages.get(program);
  if (!usage) {
    const read = new Set<Variable>(),
      written = new Set<Variable>(),
      used = new Set<Variable>();
    for (const r of program.references) {
      used.add(r.variable);
      (r.isWrite ? written : read).add(r.variable);
    }
    usages.set(program, (usage = { used, read, written }));
  }
  return usage;
}
