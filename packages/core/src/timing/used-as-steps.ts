/**
 * Whole numbers that the logic uses as steps though nobody has named their values: what a CASE chooses by, and what is
 * compared with several numbers by `=`, as contacts do.
 */
import type { Project, ProjectPou, RungText } from '../document/document.js';
import { type Token, lex } from '../language/lexer.js';

/** A name as it stands in a program, with the program, block or function it stands in; both in lower case. */
export interface UsedAsStep {
  readonly pou: string;
  readonly path: string;
}

/** What one text or rung does with names: those that a CASE chooses by, and the numbers that others are compared with. */
interface Found {
  readonly chosen: readonly string[];
  readonly compared: readonly (readonly [path: string, number: string])[];
}
/** Read once: an edit leaves all rungs and texts but its own as they are. */
const found = new WeakMap<object, Found>();
function foundIn(thing: ProjectPou | RungText, text: string, isRung: boolean): Found {
  let known = found.get(thing);
  if (!known) found.set(thing, (known = look(lex(text, { rung: isRung }).tokens)));
  return known;
}

function look(tokens: readonly Token[]): Found {
  const chosen: string[] = [],
    compared: (readonly [string, string])[] = [];
  for (let i = 0; i < tokens.length; i++) {
    const path = pathAt(tokens, i);
    if (!path) continue;
    const [next, number] = [tokens[path.end], tokens[path.end + 1]];
    if (tokens[i - 1]?.text === 'CASE' && next?.text === 'OF') chosen.push(path.text);
    else if (next?.text === '=' && number?.kind === 'int') compared.push([path.text, String(number.value)]);
    i = path.end - 1;
  }
  return { chosen, compared };
}

/** Whatever cannot be read is left out: its problem is told elsewhere. */
export function usedAsSteps(project: Project): readonly UsedAsStep[] {
  return project.pous.flatMap((pou) => {
    const chosen = new Set<string>(),
      compared = new Map<string, Set<string>>();
    const parts =
      pou.language === 'LD' ? pou.rungs.map((r) => foundIn(r, r.line, true)) : [foundIn(pou, pou.text, false)];
    for (const part of parts) {
      for (const path of part.chosen) chosen.add(path);
      for (const [path, number] of part.compared)
        compared.set(path, (compared.get(path) ?? new Set<string>()).add(number));
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
