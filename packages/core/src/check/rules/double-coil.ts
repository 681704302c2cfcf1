import type { Span } from '../../language/source.js';
import { rootOf } from '../checked.js';
import type { Rule } from './rule.js';
import { eachStatement } from './walk.js';

/**
 * A tag driven by two plain coils: the last one in the scan wins, the first has no effect.
 * Breaks it: `A -> Motor` and later `B -> Motor`. Does not: `A -> set Motor` and `B -> reset Motor`.
 */
export const doubleCoil: Rule = {
  code: 'DOUBLE_COIL',
  about: 'A tag is driven by two plain coils; the last one in the scan wins.',
  check(program, report) {
    const coils = new Map<string, Span[]>();
    for (const pou of program.pous) eachStatement(pou.body, (rung) => {
      if (rung.kind !== 'rung') return;
      for (const s of rung.body) {
        if (s.kind !== 'assign' || !s.coil || s.coil.mode === 'set' || s.coil.mode === 'reset') continue;
        if (s.target.kind === 'element' || s.target.kind === 'member') continue;
        const key = `${rootOf(s.target).owner ?? ''}.${rootOf(s.target).name}.${s.target.kind === 'part' ? s.target.shift : ''}`.toLowerCase();
        coils.set(key, [...(coils.get(key) ?? []), s.at]);
      }
    });
    for (const places of coils.values()) {
      const [first, ...others] = places;
      for (const at of others) report(at, `'${at.source.text.slice(at.start, at.end).replace(/^[!^]+/, '')}' is driven by another coil already${rungNumber(first!)}; only the last one in the scan counts. Join the conditions in one rung, or use set and reset.`, [{ message: 'the first coil', at: first! }]);
    }
  },
};

function rungNumber(at: Span): string {
  const o = at.source.origin;
  return o.kind === 'rung' ? ` in ${o.pou} rung ${o.number}` : '';
}
