import type { Span } from '../../language/source.js';
import { rootOf } from '../../checked/tree.js';
import type { Rule } from './rule.js';
import { ownPous, writingsOf } from '../../checked/walk.js';

/** An output written from two programs: which value goes out depends on the order they run in. */
export const writeOrder: Rule = {
  code: 'WRITE_ORDER',
  about: 'An output is written from two programs; what goes out depends on the order they run in.',
  help: {
    why: 'Outputs leave once, at the end of the scan. With two programs writing, the one that runs last decides, and moving a program to another task changes the machine.',
    breaks: 'PROGRAM A … Motor := Run; …\nPROGRAM B … Motor := Jog; …',
    holds: 'PROGRAM B … JogWish := Jog; …\nPROGRAM A … Motor := Run OR JogWish; …',
  },
  check(program, report) {
    const writers = new Map<string, { readonly pou: string; readonly at: Span }>();
    const told = new Set<string>();
    for (const pou of ownPous(program))
      for (const { s, name } of writingsOf(pou)) {
        if (
          s.kind !== 'assign' ||
          rootOf(s.target).address?.area !== 'Q' ||
          s.coil?.mode === 'set' ||
          s.coil?.mode === 'reset'
        )
          continue;
        if (!name) continue;
        const before = writers.get(name);
        if (!before) writers.set(name, { pou: pou.name, at: s.at });
        else if (before.pou !== pou.name && !told.has(`${name} ${pou.name}`)) {
          told.add(`${name} ${pou.name}`);
          report(
            s.at,
            `'${rootOf(s.target).name}' is written in ${before.pou} too; the program that runs last decides. Write each output in one program only.`,
            [{ message: 'the other one', at: before.at }],
          );
        }
      }
  },
};
