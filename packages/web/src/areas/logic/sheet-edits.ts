/**
 * What the hands do on a sheet of rungs, as edits of the document: pasting, dragging, moving, splitting. Nothing here
 * knows the screen.
 */
import {
  type Cursor,
  type Node,
  type RungEdit,
  editRung,
  isOutput,
  nodesOf,
  parseRungLine,
  rungsOfText,
  rungsToText,
  runText,
  splitComment,
} from '@ferrule/core/ladder';
import { type Declared, type OwnTypes, declareNames, newNames } from '@ferrule/core/workspace';
import type { Edit, Project, ProjectPou, RungText } from '@ferrule/core/document';
import { Problems, makeSource } from '@ferrule/core/language';
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

/**
 * What declares the names that a line of a program or block names for the first time: the edits, and each as one would
 * read it.
 */
export const declarations = (
  project: Project,
  pou: ProjectPou | undefined,
  line: string,
  known: (name: string) => boolean,
  own: OwnTypes = new Map(),
): Declared => declareNames(project, pou, newNames(project, line, known, own), newId);

/** Several edits as one, or the one alone. */
export const together = (label: string, edits: readonly Edit[]): Edit =>
  edits.length === 1 ? edits[0]! : { kind: 'group', label, edits };

/** A typed line as a rung: a comment behind `//` is the rung's comment. */
export function rungOfLine(text: string): Omit<RungText, 'id'> {
  return splitComment(text);
}

/** Whether what is typed for an element is a rung of its own: conditions and `->`, and it can be read. */
export const isWholeRung = (text: string): boolean =>
  /\S\s*->/.test(text) && lineProblem(rungOfLine(text).line) === undefined;

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

/**
 * A line with what was typed at an element put in as it stands, for text that makes no rung yet: nothing typed is lost.
 * The line then cannot be read, and the rung is unfinished until its text is mended.
 */
export function lineAsTyped(
  line: string,
  cursor: Cursor,
  where: 'insertAfter' | 'insertBefore' | 'replace' | 'addLeg',
  text: string,
): string {
  const nodes = nodesOfLine(line);
  const from = nodes[Math.min(cursor.element, cursor.to ?? cursor.element)],
    to = nodes[Math.max(cursor.element, cursor.to ?? cursor.element)] ?? from;
  if (!from || !to) return `${line} ${text}`.trim();
  const [before, held, behind] = [
    line.slice(0, from.start),
    line.slice(from.start, to.end),
    line.slice(to.end),
  ] as const;
  if (where === 'replace') return `${before}${text}${behind}`;
  if (isOutput(from)) return `${before}${held}, ${text.replace(/^\s*->\s*/, '')}${behind}`;
  return where === 'addLeg'
    ? `${before}(${held} | ${text})${behind}`
    : where === 'insertBefore'
      ? `${before}${text} & ${held}${behind}`
      : `${before}${held} & ${text}${behind}`;
}

/**
 * The edit that takes a part out of a rung. A rung that is left without an output stays, unfinished; one that is left
 * without anything goes. Refused with the sentence why.
 */
export function takeOutEdit(
  pou: Ladder,
  rung: RungText,
  cursor: Cursor,
): { readonly edit: Edit; readonly cursor: Cursor; readonly isUnfinished: boolean } | { readonly refused: string } {
  const to = (line: string): Edit => ({ kind: 'changeRung', pou: pou.id, id: rung.id, to: { line } });
  const r = editRung(rung.line, cursor, { kind: 'delete' });
  if ('line' in r) return { edit: to(r.line), cursor: r.cursor, isUnfinished: false };
  const nodes = nodesOfLine(rung.line),
    outputs = nodes.filter(isOutput);
  const last = Math.max(cursor.element, cursor.to ?? cursor.element),
    first = nodes[Math.min(cursor.element, cursor.to ?? cursor.element)];
  if (outputs.length !== 1 || !first || !isOutput(first) || nodes[last] !== outputs[0]) return r;
  const line = rung.line
    .slice(0, first.start)
    .replace(/->\s*$/, '')
    .trim();
  return line || rung.comment || rung.heading
    ? { edit: to(line), cursor: { element: 0 }, isUnfinished: true }
    : { edit: { kind: 'removeRung', pou: pou.id, id: rung.id }, cursor: { element: 0 }, isUnfinished: false };
}

function nodesOfLine(line: string): readonly Node[] {
  const rung = parseRungLine(makeSource('', line), new Problems())?.rung;
  return rung ? nodesOf(rung) : [];
}

export type DropWhere = 'insertBefore' | 'insertAfter' | 'addLeg' | 'retag';
export interface Drop {
  readonly line: string;
  readonly element: number;
  readonly edits: readonly Edit[];
  /** Number of the rung that loses its only output by it, and so becomes unfinished. */
  readonly leaves?: number;
}
export interface Refused {
  readonly refused: string;
}

/**
 * What dropping would make of the rung: its line, and the edits that bring it about; or the sentence why it cannot be.
 */
export function dropOn(
  pou: Ladder,
  rung: RungText,
  element: number,
  where: DropWhere,
  dragged: Dragged,
  copies: boolean,
): Drop | Refused {
  const asOutput = /^\s*->/.test(dragged.text) && where !== 'retag';
  const nodes = nodesOfLine(rung.line);
  if (!nodes.length && where !== 'retag') {
    const line = asOutput ? `${rung.line} ${dragged.text}` : dragged.text + (rung.line ? ` & ${rung.line}` : '');
    if (lineProblem(line)) return { refused: 'This rung is unfinished; mend its line first (Enter).' };
    return dropped(pou, rung, { line, element: 0 }, dragged, copies);
  }
  // An output goes to the outputs, wherever on the rung it is let go.
  if (asOutput) {
    if (!isOutput(nodes[element]!)) element = nodes.length - 1;
    where = 'addLeg';
  }
  const edit: RungEdit =
    where === 'retag' ? { kind: 'retag', text: dragged.tag ?? dragged.text } : { kind: where, text: dragged.text };
  if (isMoved(pou, dragged, copies) && where !== 'retag' && dragged.rung === rung.id)
    return moveWithin(pou, rung, element, edit, dragged.cursor!);
  const r = editRung(rung.line, { element }, edit);
  if ('refused' in r) return r;
  const to = { line: r.line, element: r.cursor.element };
  return dropped(pou, rung, to, dragged, copies || where === 'retag');
}

const isMoved = (pou: Ladder, dragged: Dragged, copies: boolean): boolean =>
  !copies && dragged.cursor !== undefined && dragged.rung !== undefined && dragged.pou === pou.id;

/** The rung as it becomes; what is moved there leaves the rung it stood on. */
function dropped(
  pou: Ladder,
  rung: RungText,
  to: { readonly line: string; readonly element: number },
  dragged: Dragged,
  copies: boolean,
): Drop | Refused {
  const edits: Edit[] = [{ kind: 'changeRung', pou: pou.id, id: rung.id, to: { line: to.line } }];
  if (!isMoved(pou, dragged, copies)) return { ...to, edits };
  const from = pou.rungs.find((x) => x.id === dragged.rung);
  if (!from) return { refused: 'The rung it comes from is gone.' };
  const left = takeOutEdit(pou, from, dragged.cursor!);
  if ('refused' in left) return left;
  edits.push(left.edit);
  return { ...to, edits, ...(left.isUnfinished ? { leaves: pou.rungs.indexOf(from) + 1 } : {}) };
}

/** Inserted first, then taken away where it was: the place it goes to stays what it was. */
function moveWithin(pou: Ladder, rung: RungText, element: number, edit: RungEdit, cursor: Cursor): Drop | Refused {
  const from = Math.min(cursor.element, cursor.to ?? cursor.element),
    to = Math.max(cursor.element, cursor.to ?? cursor.element);
  if (element >= from && element <= to) return { refused: 'It is there already.' };
  const put = editRung(rung.line, { element }, edit);
  if ('refused' in put) return put;
  const count = to - from + 1;
  const shift = element < from ? count : 0;
  const taken = editRung(put.line, { element: from + shift, to: to + shift }, { kind: 'delete' });
  if ('refused' in taken) return taken;
  if (taken.line === rung.line) return { refused: 'It is there already.' };
  return {
    line: taken.line,
    element: Math.max(0, put.cursor.element - (element > to ? count : 0)),
    edits: [{ kind: 'changeRung', pou: pou.id, id: rung.id, to: { line: taken.line } }],
  };
}

/**
 * The edit that moves rungs `from` to `last` in front of rung `to` (behind all where it is their count), or puts a copy
 * there; undefined where they are there already.
 */
export function moveRungsTo(
  pou: Ladder,
  [from, last]: readonly [number, number],
  to: number,
  copies: boolean,
): Edit | undefined {
  if (copies) return pasteRungs(pou, copyRungs(pou, from, last), to);
  if (to >= from && to <= last + 1) return undefined;
  return together(
    'Move rungs',
    pou.rungs
      .slice(from, last + 1)
      .map((r, i): Edit => ({ kind: 'moveRung', pou: pou.id, id: r.id, to: to > last ? to - 1 : to + i })),
  );
}

/** Text pasted at an element: outputs join outputs, conditions stand behind the cursor or take the place of the run. */
export function pasteAt(line: string, cursor: Cursor, text: string): ReturnType<typeof editRung> {
  const nodes = nodesOfLine(line);
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
