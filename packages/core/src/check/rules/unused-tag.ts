import type { Rule } from './rule.js';

/** A tag without an address that nothing reads or writes. Located ones may be wired for later. */
export const unusedTag: Rule = {
  code: 'UNUSED_TAG',
  about: 'A tag is declared but never used.',
  check(program, report) {
    const used = new Set(program.references.map((r) => r.variable));
    for (const v of program.globals) {
      if (v.section === 'global' && v.at.source.origin.kind === 'tag' && !v.address && !used.has(v)) report(v.at, `'${v.name}' is never used; delete it, or use it.`);
    }
  },
};
