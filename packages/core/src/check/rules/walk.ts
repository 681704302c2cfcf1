/** One walk over the checked statements for the rules that need it. */
import { type Checked, type CheckedPou, type CheckedProgram, type CheckedStatement, type Place, isPlace } from '../checked.js';

/** The POUs that the user wrote. */
export const ownPous = (program: CheckedProgram): CheckedPou[] => program.pous.filter((p) => p.at.source.origin.kind !== 'library');

/** The lists of statements directly in a statement. */
export function bodiesOf(s: CheckedStatement): readonly (readonly CheckedStatement[])[] {
  switch (s.kind) {
    case 'if': return [...s.branches.map((b) => b.body), ...(s.otherwise ? [s.otherwise] : [])];
    case 'case': return [...s.arms.map((a) => a.body), ...(s.otherwise ? [s.otherwise] : [])];
    case 'for': case 'while': case 'repeat': case 'rung': return [s.body];
    default: return [];
  }
}

export function eachStatement(list: readonly CheckedStatement[], visit: (s: CheckedStatement, list: readonly CheckedStatement[]) => void): void {
  for (const s of list) {
    visit(s, list);
    for (const b of bodiesOf(s)) eachStatement(b, visit);
  }
}

/** The expressions that stand directly in a statement, those of indices included. */
export function expressionsOf(s: CheckedStatement): Checked[] {
  switch (s.kind) {
    case 'assign': return [s.value, ...inPlace(s.target)];
    case 'evaluate': case 'setPower': return [s.value];
    case 'probe': return [s.closed];
    case 'edge': return [s.of];
    case 'copy': return [...inPlace(s.target), ...(isPlace(s.from) ? inPlace(s.from) : [s.from])];
    case 'if': return s.branches.map((b) => b.condition);
    case 'case': return [s.selector];
    case 'for': return [s.from, s.to, s.by];
    case 'while': return [s.condition];
    case 'repeat': return [s.until];
    case 'blockCall': return [...inPlace(s.call.instance), ...s.call.inputs.flatMap((i) => (isPlace(i.value) ? inPlace(i.value) : [i.value])), ...s.call.outputs.flatMap((o) => inPlace(o.to))];
    default: return [];
  }
}

function inPlace(p: Place): Checked[] {
  switch (p.kind) {
    case 'variable': return [];
    case 'element': return [...p.indices, ...inPlace(p.base)];
    case 'target': return [p.reference];
    default: return inPlace(p.base);
  }
}

export function eachExpression(c: Checked, visit: (c: Checked) => void): void {
  visit(c);
  switch (c.kind) {
    case 'not': case 'negate': case 'convert': case 'text': case 'notNull': case 'attempt': eachExpression(c.arg, visit); break;
    case 'binary': eachExpression(c.left, visit); eachExpression(c.right, visit); break;
    case 'builtin': c.args.forEach((a) => eachExpression(a, visit)); break;
    case 'read': case 'address': inPlace(c.place).forEach((e) => eachExpression(e, visit)); break;
    case 'call': c.call.inputs.forEach((i) => (isPlace(i) ? inPlace(i) : [i]).forEach((e) => eachExpression(e, visit))); if (c.call.self) eachExpression(c.call.self, visit); break;
    default:
  }
}

/** Every expression of what the user wrote. */
export function eachOwnExpression(program: CheckedProgram, visit: (c: Checked) => void): void {
  for (const pou of ownPous(program)) eachStatement(pou.body, (s) => expressionsOf(s).forEach((e) => eachExpression(e, visit)));
}

/** Name of a place as the user would write it, without case; undefined where an index or a reference makes it many places. */
export function fixedName(p: Place): string | undefined {
  switch (p.kind) {
    case 'variable': return `${p.variable.owner ?? ''}:${p.variable.name}`.toLowerCase();
    case 'member': { const b = fixedName(p.base); return b && `${b}.${p.offset}`; }
    case 'part': { const b = fixedName(p.base); return b && `${b}#${p.shift}`; }
    default: return undefined;
  }
}
