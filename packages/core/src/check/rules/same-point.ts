import type { Variable } from '../../checked/tree.js';
import type { Rule } from './rule.js';

/** Two tags on one point of the I/O that are not declared as second names of each other. */
export const samePoint: Rule = {
  code: 'SAME_POINT',
  about: 'Two tags lie on the same point of the inputs or outputs.',
  help: {
    why: 'A point is one wire. Under two names it reads as if it were two, and what one rung writes the other overwrites. If both names are wanted, declare one as a second name of the other: then rungs show both.',
    breaks: 'Motor AT %QX0.0 : BOOL;  Valve AT %QX0.0 : BOOL;',
    holds: 'Motor AT %QX0.0 : BOOL;  Valve AT %QX0.1 : BOOL;',
  },
  check(program, report) {
    const first = new Map<string, Variable>();
    const located = [...program.globals, ...program.instances.flatMap((i) => i.pou.variables)];
    for (const v of located) {
      const a = v.address;
      if (!a || a.area === 'M' || v.section === 'hidden' || v.at.source.origin.kind === 'library') continue;
      const key = `${a.area} ${a.byte} ${a.bit ?? ''} ${a.size}`,
        known = first.get(key);
      if (!known) first.set(key, v);
      else if (known !== v)
        report(
          v.at,
          `'${v.name}' lies on the same point as '${known.name}' (${a.text}). Give it another address, or make it a second name of '${known.name}'.`,
          [{ message: `'${known.name}'`, at: known.at }],
        );
    }
  },
};
