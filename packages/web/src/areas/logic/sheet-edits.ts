/** What the hands do on a sheet of rungs, as edits of the document: pasting, dragging, moving, splitting. Nothing here knows the screen. */
import {
  type Cursor,
  type Edit,
  type Project,
  type ProjectPou,
  type RungEdit,
  type RungText,
  Problems,
  editRung,
  guessTag,
  isOutput,
  makeSource,
  newNames,
  nodesOf,
  parseRungLine,
  rungsOfText,
  rungsToText,
  runText,
  splitComment,
} from '@ferrule/core';
import type { Dragged } from '../../components/drag.js';
import { newId } from '../../document/store.js';

export type Ladder = ProjectPou & { readonly language: 'LD' };

/** What the parser says of a line, with the column; undefined when it is a rung. */
export function lineProblem(text: string): string | undefined {
  const problems = new Problems();
  const parsed = parseRungLine(
    makeSource('', text, { kind: 'rung', pouId: '', pou: '', rungId: '', number: 0 }),
    problems,
  );
  const d = problems.list[0];
  return parsed ? undefined : `Column ${(d?.at.start ?? 0) + 1}: ${d?.message ?? 'this is not a rung.'}`;
}

/** The edits that declare what a line names for the first time. */
export function declarations(project: Project, line: string, known: (name: string) => boolean): readonly Edit[] {
  let tags = project.tags;
  return newNames(project, line, known).map(({ name, type }): Edit => {
    const tag = { id: newId('t'), name, ...guessTag(name, tags, type, project.modules) };
    tags = [...tags, tag];
    return { kind: 'addTag', tag };
  });
}

/** Several edits as one, or the one alone. */
export const together = (label: string, edits: readonly Edit[]): Edit =>
  edits.length === 1 ? edits[0]! : { kind: 'group', label, edits };

/** A typed line as a rung: a comment behind `//` is the rung's comment. */
export function rungOfLine(text: string): Omit<RungText, 'id'> {
  return splitComment(text);
}

/** Rungs `from` to `to` as text for the clipboard. */
export const copyRungs = (pou: Ladder, from: number, to: number): string =>
  rungsToText(pou.rungs.slice(Math.min(from, to), Math.max(from, to) + 1));

/** Rungs pasted below rung `at`, with new ids. Lines that cannot be read come too, and say what is wrong with them. */
export function pasteRungs(pou: Ladder, text: string, at: number): Edit | undefined {
  const rungs = rungsOfText(text);
  return rungs.length
    ? together(
        'Paste rungs',
        rungs.map((r, i): Edit => ({ kind: 'addRung', pou: pou.id, rung: { id: newId('r'), ...r }, at: at + i })),
      )
    : undefined;
}

export const isRungText = (text: string): boolean =>
  text.split('\n').some((l) => /\S.*->|^\s*->.*/.test(l)) && !/^\s*->/.test(text.trim());

export type DropWhere = 'insertBefore' | 'insertAfter' | 'addLeg' | 'retag';
export interface Drop {
  readonly line: string;
  readonly element: number;
  readonly edits: readonly Edit[];
}

/** What dropping would make of the rung: its line, and the edits that bring it about; undefined where it does not fit. */
export function dropOn(
  pou: Ladder,
  rung: RungText,
  element: number,
  where: DropWhere,
  dragged: Dragged,
  copies: boolean,
): Drop | undefined {
  const edit: RungEdit =
    where === 'retag' ? { kind: 'retag', text: dragged.tag ?? dragged.text } : { kind: where, text: dragged.text };
  const isMove =
    !copies &&
    dragged.cursor !== undefined &&
    where !== 'retag' &&
    dragged.rung !== undefined &&
    dragged.pou === pou.id;
  if (isMove && dragged.rung === rung.id) return moveWithin(pou, rung, element, edit, dragged.cursor!);
  const r = editRung(rung.line, { element }, edit);
  if ('refused' in r) return undefined;
  const edits: Edit[] = [{ kind: 'changeRung', pou: pou.id, id: rung.id, to: { line: r.line } }];
  if (isMove) {
    const from = pou.rungs.find((x) => x.id === dragged.rung);
    const left = from && editRung(from.line, dragged.cursor!, { kind: 'delete' });
    if (!from || !left || 'refused' in left) return undefined;
    edits.push({ kind: 'changeRung', pou: pou.id, id: from.id, to: { line: left.line } });
  }
  return { line: r.line, element: r.cursor.element, edits };
}

/** Inserted first, then taken away where it was: the place it goes to stays what it was. */
function moveWithin(pou: Ladder, rung: RungText, element: number, edit: RungEdit, cursor: Cursor): Drop | undefined {
  const from = Math.min(cursor.element, cursor.to ?? cursor.element),
    to = Math.max(cursor.element, cursor.to ?? cursor.element);
  if (element >= from && element <= to) return undefined;
  const put = editRung(rung.line, { element }, edit);
  if ('refused' in put) return undefined;
  const count = to - from + 1;
  const shift = element < from ? count : 0;
  const taken = editRung(put.line, { element: from + shift, to: to + shift }, { kind: 'delete' });
  if ('refused' in taken || taken.line === rung.line) return undefined;
  return {
    line: taken.line,
    element: Math.max(0, put.cursor.element - (element > to ? count : 0)),
    edits: [{ kind: 'changeRung', pou: pou.id, id: rung.id, to: { line: taken.line } }],
  };
}

/** Text pasted at an element: outputs join outputs, conditions stand behind the cursor or take the place of the run. */
export function pasteAt(line: string, cursor: Cursor, text: string): ReturnType<typeof editRung> {
  const rung = parseRungLine(makeSource('', line), new Problems())?.rung;
  const nodes = rung ? nodesOf(rung) : [];
  const node = nodes[cursor.element];
  if (/^\s*->/.test(text)) {
    const output = node && isOutput(node) ? cursor.element : nodes.findIndex(isOutput);
    return editRung(line, { element: Math.max(0, output) }, { kind: 'addLeg', text });
  }
  return editRung(line, cursor, {
    kind: cursor.to !== undefined && cursor.to !== cursor.element ? 'replace' : 'insertAfter',
    text,
  });
}

export { runText };
