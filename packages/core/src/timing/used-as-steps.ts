/**
 * Whole numbers that the logic uses as steps though nobody has named their values: what a CASE chooses by, and what is
 * compared with several numbers by `=`, as contacts do.
 */
import type { Project, ProjectPou } from '../document/document.js';
import { type Token, lex } from '../language/lexer.js';

/** A name as it stands in a program, with the program, block or function it stands in; both in lower case. */
export interface UsedAsStep {
  readonly pou: string;
  readonly path: string;
}

const tokensOf = (p: ProjectPou): readonly (readonly Token[])[] =>
  (p.language === 'LD' ? p.rungs.map((r) => lex(r.line, { rung: true })) : [lex(p.text)]).map((x) => x.tokens);

/** Whatever cannot be read is left out: its problem is told elsewhere. */
export function usedAsSteps(project: Project): readonly UsedAsStep[] {
  return project.pous.flatMap((pou) => {
    const chosen = new Set<string>(),
      compared = new Map<string, Set<string>>();
    for (const tokens of tokensOf(pou)) {
      for (let i = 0; i < tokens.length; i++) {
        const path = pathAt(tokens, i);
        if (!path) continue;
        const before = tokens[i - 1],
          [next, number] = [tokens[path.end], tokens[path.end + 1]];
        if (before?.text === 'CASE' && next?.text === 'OF') chosen.add(path.text);
        else if (next?.text === '=' && number?.kind === 'int') {
          const all = compared.get(path.text) ?? new Set();
          compared.set(path.text, all.add(String(number.value)));
        }
        i = path.end - 1;
      }
    }
    for (const [path, numbers] of compared) if (numbers.size > 1) chosen.add(path);
    return [...chosen].map((path) => ({ pou: pou.name.toLowerCase(), path }));
  });
}

/** `Cell.Step` from a token on: its text in lower case, and where it ends. */
function pathAt(tokens: readonly Token[], from: number): { readonly text: string; readonly end: number } | undefined {
  const names: string[] = [];
  let i = from;
  while (tokens[i]?.kind === 'name') {
    names.push(tokens[i]!.text.toLowerCase());
    i++;
    if (tokens[i]?.text !== '.' || tokens[i + 1]?.kind !== 'name') break;
    i++;
  }
  return names.length ? { text: names.join('.'), end: i } : undefined;
}
