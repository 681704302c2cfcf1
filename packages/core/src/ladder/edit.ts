/**
 * Edits of one rung on its structure. Each takes the element under the cursor (counted from 0 in reading order)
 * and gives the new rung and where the cursor goes, or a sentence why not. Nothing can dangle: what is left
 * over after a deletion closes up by itself.
 */
import { Problems } from '../language/diagnostic.js';
import { makeSource } from '../language/source.js';
import { parseRungLine } from './parse.js';
import { printRung } from './print.js';
import { type Element, type Node, type Output, type Part, type Rung, isElement, nodesOf, parallel, series } from './rung.js';

/** Where the cursor stands: the n-th element of the rung. */
export interface Cursor { readonly element: number }

export type RungEdit =
  | { readonly kind: 'insertAfter' | 'insertBefore' | 'replace'; readonly text: string }
  /** A leg parallel to the element; to a coil, another output. */
  | { readonly kind: 'addLeg'; readonly text: string }
  /** NO to NC and back; a plain coil to a negated one. */
  | { readonly kind: 'negate' }
  /** To the edge form and back. */
  | { readonly kind: 'edge' }
  /** A coil to set, reset, plain. */
  | { readonly kind: 'latch' }
  | { readonly kind: 'delete' };

export const RUNG_EDITS: readonly RungEdit['kind'][] = ['insertAfter', 'insertBefore', 'replace', 'addLeg', 'negate', 'edge', 'latch', 'delete'];

export type Edited = { readonly line: string; readonly cursor: Cursor } | { readonly refused: string };

/** Applies an edit at the cursor of a rung line. */
export function editRung(line: string, cursor: Cursor, edit: RungEdit): Edited {
  const rung = parse(line);
  if (!rung) return { refused: 'This rung cannot be read yet; mend its line first.' };
  const nodes = nodesOf(rung);
  const node = nodes[cursor.element];
  if (!node && nodes.length) return { refused: 'The cursor is behind the end of the rung.' };
  const changed = node && isOutput(node) ? editOutput(rung, cursor.element, node, edit) : editElement(rung, cursor.element, edit);
  if ('refused' in changed) return changed;
  const result = parse(printRung(changed.rung));
  if (!result) return { refused: 'That would not be a rung.' };
  const last = Math.max(0, nodesOf(result).length - 1);
  return { line: printRung(result), cursor: { element: Math.min(Math.max(0, changed.element), last) } };
}

/** The element counts at which Left and Right stop. */
export function cursorStops(line: string): number {
  const rung = parse(line);
  return rung ? nodesOf(rung).length : 0;
}

type Changed = { readonly rung: Rung; readonly element: number } | { readonly refused: string };

function parse(line: string): Rung | undefined {
  return parseRungLine(makeSource('', line), new Problems())?.rung;
}

const isOutput = (n: Node): n is Exclude<Output, { kind: 'path' }> => n.kind === 'coil' || n.kind === 'action' || n.kind === 'return';

function parseLogic(text: string): Part | string {
  const problems = new Problems();
  const r = parseRungLine(makeSource('', `${text} -> x`), problems);
  return r?.rung.logic ?? problems.list[0]?.message ?? 'Write an element, for example StopOK, !Fault or Level > 5.';
}
function parseOutputs(text: string): readonly Output[] | string {
  const problems = new Problems();
  const r = parseRungLine(makeSource('', `-> ${text.replace(/^\s*->/, '')}`), problems);
  return r?.rung.outputs ?? problems.list[0]?.message ?? 'Write an output, for example Motor, set Fault or { Total := 0 }.';
}

function editElement(rung: Rung, index: number, edit: RungEdit): Changed {
  if (edit.kind === 'latch') return { refused: 'Set and reset belong to coils.' };
  if (edit.kind === 'delete') return { rung: replaceElement(rung, index, () => undefined), element: index };
  if (edit.kind === 'negate' || edit.kind === 'edge') {
    let refused = '';
    const result = replaceElement(rung, index, (e) => {
      if (e.kind === 'contact') return { ...e, mode: edit.kind === 'negate' ? ({ open: 'closed', closed: 'open', rising: 'falling', falling: 'rising' } as const)[e.mode] : ({ open: 'rising', closed: 'falling', rising: 'open', falling: 'closed' } as const)[e.mode] };
      if (e.kind === 'compare' && edit.kind === 'negate') return { ...e, op: NEGATED[e.op]! };
      refused = e.kind === 'call' ? 'A block has no opposite; negate the contact behind it.' : 'A comparison has no edge.';
      return e;
    });
    return refused ? { refused } : { rung: result, element: index };
  }
  const logic = parseLogic(edit.text);
  if (typeof logic === 'string') return { refused: logic };
  if (!rung.logic) return { rung: { ...rung, logic }, element: 0 };
  const added = countElements(logic);
  switch (edit.kind) {
    case 'replace': return { rung: replaceElement(rung, index, () => logic), element: index };
    case 'insertBefore': return { rung: replaceElement(rung, index, (e) => series([logic, e])), element: index };
    case 'insertAfter': return { rung: replaceElement(rung, index, (e) => series([e, logic])), element: index + added };
    case 'addLeg': return { rung: replaceElement(rung, index, (e) => parallel([e, logic])), element: index + 1 };
  }
}

const NEGATED: Record<string, string> = { '=': '<>', '<>': '=', '<': '>=', '>=': '<', '>': '<=', '<=': '>' };

function editOutput(rung: Rung, index: number, node: Exclude<Output, { kind: 'path' }>, edit: RungEdit): Changed {
  switch (edit.kind) {
    case 'delete': {
      const outputs = replaceOutput(rung, node, () => []);
      if (!outputs.length) return { refused: 'A rung needs an output; delete the rung, or replace this one.' };
      return { rung: { ...rung, outputs }, element: Math.max(0, index - 1) };
    }
    case 'negate': case 'edge': case 'latch': {
      if (node.kind !== 'coil') return { refused: 'Only a coil can be changed so.' };
      const modes = { negate: { plain: 'negated', negated: 'plain', rising: 'falling', falling: 'rising', set: 'reset', reset: 'set' }, edge: { plain: 'rising', rising: 'plain', negated: 'falling', falling: 'negated', set: 'rising', reset: 'falling' }, latch: { plain: 'set', set: 'reset', reset: 'plain', negated: 'set', rising: 'set', falling: 'set' } } as const;
      return { rung: { ...rung, outputs: replaceOutput(rung, node, (o) => [{ ...(o as typeof node), mode: modes[edit.kind][node.mode] }]) }, element: index };
    }
    case 'insertBefore': case 'insertAfter': {
      // In front of an output, conditions join the rung; they are typed at its end.
      if (edit.kind === 'insertAfter' || !rung.logic) {
        const logic = parseLogic(edit.text);
        if (typeof logic === 'string') return { refused: logic };
        const joined = rung.logic ? series([rung.logic, logic]) : logic;
        return { rung: { ...rung, logic: joined }, element: countElements(joined) - 1 };
      }
      const logic = parseLogic(edit.text);
      if (typeof logic === 'string') return { refused: logic };
      const path = (o: Output): Output[] => [{ kind: 'path', logic, outputs: [o], start: 0, end: 0 }];
      const only = rung.outputs.length === 1;
      return only ? { rung: { ...rung, logic: series([rung.logic, logic]) }, element: index } : { rung: { ...rung, outputs: replaceOutput(rung, node, path) }, element: index };
    }
    case 'replace': case 'addLeg': {
      const outputs = parseOutputs(edit.text);
      if (typeof outputs === 'string') return { refused: outputs };
      return { rung: { ...rung, outputs: replaceOutput(rung, node, (o) => (edit.kind === 'replace' ? [...outputs] : [o, ...outputs])) }, element: edit.kind === 'replace' ? index : index + 1 };
    }
  }
}

function countElements(p: Part): number {
  return isElement(p) ? 1 : (p.kind === 'series' ? p.parts : p.legs).reduce((n, x) => n + countElements(x), 0);
}

/** Replaces the n-th element of the rung; nothing in its place closes the gap. */
function replaceElement(rung: Rung, index: number, change: (e: Element) => Part | undefined): Rung {
  let n = 0;
  const part = (p: Part): Part | undefined => {
    if (p.kind === 'series' || p.kind === 'parallel') {
      const kept = (p.kind === 'series' ? p.parts : p.legs).flatMap((x) => part(x) ?? []);
      if (!kept.length) return undefined;
      return p.kind === 'series' ? series(kept) : parallel(kept);
    }
    return n++ === index ? change(p) : p;
  };
  const output = (o: Output): Output[] => {
    if (o.kind !== 'path') { n++; return [o]; }
    const logic = part(o.logic);
    const outputs = o.outputs.flatMap(output);
    return logic ? [{ ...o, logic, outputs }] : outputs;
  };
  const logic = rung.logic && part(rung.logic);
  const outputs = rung.outputs.flatMap(output);
  return { ...(logic ? { logic } : {}), outputs };
}

function replaceOutput(rung: Rung, target: Output, change: (o: Output) => Output[]): Output[] {
  const output = (o: Output): Output[] => {
    if (o === target || (o.kind !== 'path' && o.start === target.start && o.end === target.end && o.kind === target.kind)) return change(o);
    if (o.kind !== 'path') return [o];
    const outputs = o.outputs.flatMap(output);
    return outputs.length ? [{ ...o, outputs }] : [];
  };
  return rung.outputs.flatMap(output);
}
