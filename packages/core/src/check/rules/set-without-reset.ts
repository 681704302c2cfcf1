import type { Span } from '../../language/source.js';
import type { Rule } from './rule.js';
import { fixedName, writingsOf } from '../../checked/walk.js';

/** A tag that is set but never reset stays on for ever; one that is reset but never set never comes on. */
export const setWithoutReset: Rule = {
  code: 'SET_WITHOUT_RESET',
  about: 'A tag is set and nothing ever resets it, or the other way round.',
  help: {
    why: 'A set coil leaves the tag on when its rung loses power. Without a reset it stays on until the next cold start, and the machine looks stuck.',
    breaks: 'Jam -> set Fault',
    holds: 'Jam -> set Fault\nResetPB & !Jam -> reset Fault',
  },
  whole: true,
  check(program, report) {
    const latches = new Map<string, { readonly mode: 'set' | 'reset'; readonly at: Span; readonly text: string }[]>();
    const others = new Set<string>();
    const write = (name: string | undefined) => {
      if (name) others.add(name);
    };
    for (const pou of program.pous)
      for (const { s, name } of writingsOf(pou)) {
        if (s.kind === 'assign') {
          const mode = s.coil?.mode;
          if (name && (mode === 'set' || mode === 'reset'))
            latches.set(name, [
              ...(latches.get(name) ?? []),
              { mode, at: s.at, text: s.target.at.source.text.slice(s.target.at.start, s.target.at.end) },
            ]);
          else write(name);
        } else if (s.kind === 'blockCall') s.call.outputs.forEach((o) => write(fixedName(o.to)));
        else write(name);
      }
    for (const [name, list] of latches) {
      if (others.has(name) || new Set(list.map((l) => l.mode)).size === 2) continue;
      for (const l of list)
        report(
          l.at,
          l.mode === 'set'
            ? `'${l.text}' is set here, but nothing ever resets it; once on it stays on. Add a reset coil, or use a plain coil.`
            : `'${l.text}' is reset here, but nothing ever sets it.`,
        );
    }
  },
};
