/** One walk over the checked statements for the rules that need it. */
import { type Checked, type CheckedStatement, isPlace } from '../checked.js';

export function eachStatement(list: readonly CheckedStatement[], visit: (s: CheckedStatement) => void): void {
  for (const s of list) {
    visit(s);
    switch (s.kind) {
      case 'if': s.branches.forEach((b) => eachStatement(b.body, visit)); eachStatement(s.otherwise ?? [], visit); break;
      case 'case': s.arms.forEach((a) => eachStatement(a.body, visit)); eachStatement(s.otherwise ?? [], visit); break;
      case 'for': case 'while': case 'repeat': case 'rung': eachStatement(s.body, visit); break;
      default:
    }
  }
}

/** The expressions that stand directly in a statement. */
export function expressionsOf(s: CheckedStatement): Checked[] {
  switch (s.kind) {
    case 'assign': case 'evaluate': case 'setPower': return [s.value];
    case 'if': return s.branches.map((b) => b.condition);
    case 'case': return [s.selector];
    case 'for': return [s.from, s.to, s.by];
    case 'while': return [s.condition];
    case 'repeat': return [s.until];
    case 'blockCall': return s.call.inputs.flatMap((i) => (isPlace(i.value) ? [] : [i.value]));
    default: return [];
  }
}

export function eachExpression(c: Checked, visit: (c: Checked) => void): void {
  visit(c);
  switch (c.kind) {
    case 'not': case 'negate': case 'convert': eachExpression(c.arg, visit); break;
    case 'binary': eachExpression(c.left, visit); eachExpression(c.right, visit); break;
    case 'builtin': c.args.forEach((a) => eachExpression(a, visit)); break;
    default:
  }
}
