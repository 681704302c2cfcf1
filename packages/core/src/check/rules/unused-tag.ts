import type { Rule } from './rule.js';
import { ownPous, usageOf } from '../../checked/walk.js';

/**
 * A tag without an address, or a variable of a POU, that nothing reads or writes. Located ones may be wired for later.
 */
export const unusedTag: Rule = {
  code: 'UNUSED_TAG',
  about: 'A tag is declared but never used.',
  help: {
    why: "It takes memory and the reader's time, and may be the sign of a forgotten rung.",
    breaks: 'VAR Spare : INT; END_VAR',
    holds: 'VAR Spare AT %IW10 : INT; END_VAR (* wired, for later *)',
  },
  whole: true,
  check(program, report) {
    const { used } = usageOf(program);
    for (const v of program.globals) {
      if (v.section === 'global' && v.at.source.origin.kind === 'tag' && !v.address && !used.has(v))
        report(v.at, `'${v.name}' is never used; delete it, or use it.`);
    }
    for (const pou of ownPous(program)) {
      if (pou.method?.modifiers.includes('ABSTRACT')) continue;
      for (const v of pou.variables)
        if (
          (v.section === 'local' || v.section === 'temp') &&
          !v.address &&
          !v.openAddress &&
          !used.has(v) &&
          v.at.source.origin.kind !== 'device'
        )
          report(v.at, `'${v.name}' is never used in ${pou.name}; delete it, or use it.`);
    }
  },
};
