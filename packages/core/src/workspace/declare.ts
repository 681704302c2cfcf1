/**
 * Where a new name is declared: a program's become tags; those of a block or function of the project's own become
 * variables of its own, so that each instance keeps its own value (6.5.2, table 13).
 */
import { lex } from '../language/lexer.js';
import type { Project, ProjectPou, Tag } from '../document/document.js';
import type { Edit } from '../document/edits/index.js';
import { guessTag } from './guess.js';
import { OWN_SECTIONS, type OwnSection, addOwn } from './own-table.js';

export interface ToDeclare {
  readonly name: string;
  /** Undefined where nothing asks for one: then its name tells. */ readonly type?: string | undefined;
}
export interface Declared {
  readonly edits: readonly Edit[];
  /** Each as one would read it: `Pump1 : BOOL %QX0.3`. */ readonly said: readonly string[];
  readonly names: readonly string[];
}

/** Whether new names of this unit are its own variables rather than tags. */
export const declaresOwn = (pou: ProjectPou | undefined): pou is ProjectPou =>
  pou?.kind === 'functionBlock' || pou?.kind === 'function';

/**
 * The edits that declare names where they are used.
 * @param section where a block's own go; `VAR` unless said.
 */
export function declareNames(
  project: Project,
  pou: ProjectPou | undefined,
  names: readonly ToDeclare[],
  newId: (prefix: string) => string,
  section: OwnSection = 'VAR',
): Declared {
  if (declaresOwn(pou)) {
    const rows = names.map(({ name, type }) => ({ section, name, type: type ?? guessTag(name, [], undefined).type }));
    const edits: Edit[] = !rows.length
      ? []
      : pou.language === 'LD'
        ? [
            {
              kind: 'changePou',
              id: pou.id,
              to: { variables: rows.reduce(withOwn, pou.variables ?? '') },
            },
          ]
        : [{ kind: 'changeText', pou: pou.id, text: rows.reduce(withOwnInText, pou.text) }];
    return { edits, said: rows.map((r) => `${r.name} : ${r.type}`), names: rows.map((r) => r.name) };
  }
  let { tags } = project;
  const made = names.map(({ name, type }): Tag => {
    const tag = { id: newId('t'), name, ...guessTag(name, tags, type, project) };
    tags = [...tags, tag];
    return tag;
  });
  return {
    edits: made.map((tag) => ({ kind: 'addTag', tag })),
    said: made.map((t) => `${t.name} : ${t.type}${t.address ? ` ${t.address}` : ''}`),
    names: made.map((t) => t.name),
  };
}

interface Row {
  readonly section: OwnSection;
  readonly name: string;
  readonly type: string;
}

/** Sections with one more variable; where rows cannot show what is there, in a section of its own behind it. */
function withOwn(text: string, row: Row): string {
  const next = addOwn(text, row);
  return next === text ? `${text.trimEnd()}\n${addOwn('', row)}` : next;
}

/** The text of a block or function with one more variable in its head, in front of its methods and its body. */
export function withOwnInText(text: string, row: Row): string {
  const { tokens } = lex(text);
  const word = (i: number) => (tokens[i] ? text.slice(tokens[i].start, tokens[i].end).toUpperCase() : '');
  const isSection = (i: number) => (OWN_SECTIONS as readonly string[]).includes(word(i));
  const head = tokens.findIndex((_, i) => word(i) === 'FUNCTION_BLOCK' || word(i) === 'FUNCTION');
  // The sections stand one behind the other; the head ends in front of them, else with its line.
  let from = head + 1;
  const line = text.indexOf('\n', tokens[head]?.start ?? 0),
    isOnHead = (i: number) => tokens[i] !== undefined && word(i) !== '' && (line < 0 || tokens[i].start < line);
  while (isOnHead(from) && !isSection(from)) from++;
  if (!isSection(from)) {
    const at = line < 0 ? text.length : line + 1;
    return `${text.slice(0, at)}${line < 0 ? '\n' : ''}${addOwn('', row)}${text.slice(at)}`;
  }
  let to = from;
  for (let i = from; isSection(i);) {
    while (word(i) && word(i) !== 'END_VAR') i++;
    if (!word(i)) break;
    to = i;
    i++;
  }
  const [a, b] = [tokens[from]!.start, tokens[to]!.end];
  return text.slice(0, a) + withOwn(text.slice(a, b), row).trimEnd() + text.slice(b);
}
