import type { Rule } from './rule.js';

/**
 * A tag that is wired to the machine model and has no input or output address, be it none or one of the memory: the
 * bench moves it, and a controller has no point for it.
 */
export const noAddress: Rule = {
  code: 'NO_ADDRESS',
  about: 'A tag is wired to the machine and is no input or output.',
  help: {
    why: 'At the bench the machine model sets it, or obeys it. A controller knows inputs and outputs by their addresses alone: there nothing sets it, and what it switches stays off.',
    breaks: 'LevelHigh : BOOL; (* wired to Tank.High *)',
    holds: 'LevelHigh AT %IX0.3 : BOOL; (* wired to Tank.High *)',
  },
  check(program, report, wires) {
    if (!wires.length) return;
    const ends = new Map<string, { readonly terminal: string; readonly isInput: boolean }>();
    for (const w of wires) {
      if (w.kind === 'link') continue;
      const isInput = w.kind === 'toTag',
        [tag, terminal] = isInput ? [w.to, w.from] : [w.from, w.to];
      ends.set(tag.split(/[.[]/)[0]!.toLowerCase(), { terminal: terminal.slice(terminal.indexOf('.') + 1), isInput });
    }
    for (const v of program.globals) {
      const end =
        v.at.source.origin.kind === 'tag' &&
        (!v.address || v.address.area === 'M') &&
        !v.openAddress &&
        ends.get(v.name.toLowerCase());
      if (!end) continue;
      const where = `'${v.name}' is wired to ${end.terminal} and ${v.address ? `lies in memory (${v.address.text})` : 'has no address'}`;
      report(
        v.at,
        end.isInput
          ? `${where}: at a controller nothing sets it. Give it an input address (%I).`
          : `${where}: at a controller it switches nothing. Give it an output address (%Q).`,
      );
    }
  },
};
