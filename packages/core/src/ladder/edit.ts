/**
 * Edits of one rung on its structure. Each takes the element under the cursor (counted from 0 in reading order)
 * and gives the new rung and where the cursor goes, or a sentence why not. Nothing can dangle: what is left
 * over after a deletion closes up by itself.
 */
import { Problems } from '../language/diagnostic.js';
import { makeSource } from '../language/source.js';
import { parseRungLine } from './parse.js';
import { printOutput, printPart, printRung } from './print.js';
import { type Changed, moveOutput, movePart, retag, stretchLeg } from './restructure.js';
export type { Changed } from './restructure.js';
import { replaceOutput, replaceRun } from './run.js';
import { simplifyRung } from './simplify.js';
import {
  type Node,
  type Output,
  type Part,
  type Rung,
  countElements,
  isElement,
  isOutput,
  nodesOf,
  parallel,
  series,
} from './rung.js';

/** Where the cursor stands: the n-th element of the rung, or a run of elements from there to `to`. */
export interface Cursor {
  readonly element: number;
  readonly to?: number;
}

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
  | { readonly kind: 'delete' }
  /** The leg under the cursor spans one part more, or one less, at its right or left end. */
  | { readonly kind: 'closeFurther' | 'closeNearer' | 'openEarlier' | 'openLater' }
  /** The run moves along the rung: past its neighbour, into and out of legs; up and down from leg to leg. */
  | { readonly kind: 'moveLeft' | 'moveRight' | 'moveUp' | 'moveDown' }
  /** Only the tag of a contact or coil. */
  | { readonly kind: 'retag'; readonly text: string }
  /** Fewer elements with the same meaning. */
  | { readonly kind: 'simplify' };

export const RUNG_EDITS: readonly RungEdit['kind'][] = [
  'insertAfter',
  'insertBefore',
  'replace',
  'addLeg',
  'negate',
  'edge',
  'latch',
  'delete',
  'closeFurther',
  'closeNearer',
  'openEarlier',
  'openLater',
  'moveLeft',
  'moveRight',
  'moveUp',
  'moveDown',
  'retag',
  'simplify',
];

export type Edited = { readonly line: string; readonly cursor: Cursor } | { readonly refused: string };

/** Applies an edit at the cursor of a rung line. */
export function editRung(line: string, cursor: Cursor, edit: RungEdit): Edited {
  const rung = parse(line);
  if (!rung) return { refused: 'This rung cannot be read yet; mend its line first.' };
  const nodes = nodesOf(rung);
  const node = nodes[cursor.element];
  if (!node && nodes.length) return { refused: 'The cursor is behind the end of the rung.' };
  const changed = node ? editAt(rung, nodes, cursor, edit) : editElement(rung, 0, 0, edit);
  if ('refused' in changed) return changed;
  const result = parse(printRung(changed.rung));
  if (!result) return { refused: 'That would not be a rung.' };
  const last = Math.max(0, nodesOf(result).length - 1);
  return { line: printRung(result), cursor: { element: Math.min(Math.max(0, changed.element), last) } };
}

function editAt(rung: Rung, nodes: readonly Node[], cursor: Cursor, edit: RungEdit): Changed {
  const from = Math.min(cursor.element, cursor.to ?? cursor.element),
    to = Math.min(nodes.length - 1, Math.max(cursor.element, cursor.to ?? cursor.element));
  const node = nodes[from]!;
  switch (edit.kind) {
    case 'closeFurther':
    case 'closeNearer':
    case 'openEarlier':
    case 'openLater':
      return stretchLeg(rung, from, edit.kind);
    case 'moveLeft':
    case 'moveRight':
    case 'moveUp':
    case 'moveDown':
      return isOutput(node) ? moveOutput(rung, node, edit.kind) : movePart(rung, from, to, edit.kind);
    case 'simplify':
      return { rung: simplifyRung(rung), element: 0 };
    case 'retag':
      return retag(rung, from, node, edit.text);
    default:
  }
  if (isOutput(node)) {
    if (to === from || edit.kind !== 'delete') return editOutput(rung, from, node, edit);
    const doomed = nodes.slice(from, to + 1);
    const outputs = doomed.reduce((r, n) => ({ ...r, outputs: replaceOutput(r, n as Output, () => []) }), rung).outputs;
    return outputs.length ? { rung: { ...rung, outputs }, element: Math.max(0, from - 1) } : { refused: LAST_OUTPUT };
  }
  const last = isOutput(nodes[to]!) ? nodes.findIndex((n) => isOutput(n)) - 1 : to;
  return editElement(rung, from, Math.max(from, last), edit);
}

/**
 * The elements a run really holds: where it crosses legs it is widened to whole parts. Undefined for one element, or
 * among outputs.
 */
export function runRange(line: string, cursor: Cursor): { readonly from: number; readonly to: number } | undefined {
  const rung = parse(line);
  if (!rung || cursor.to === undefined || cursor.to === cursor.element) return undefined;
  const nodes = nodesOf(rung);
  const from = Math.min(cursor.element, cursor.to),
    last = nodes.findIndex((n, i) => i > from && isOutput(n));
  const first = nodes[from];
  if (!first || isOutput(first)) return undefined;
  let held: readonly Node[] = [];
  replaceRun(rung, from, last > 0 ? Math.min(Math.max(cursor.element, cursor.to), last - 1) : from, (p) => {
    held = nodesOf({ logic: p, outputs: [] });
    return p;
  });
  const at = nodes.indexOf(held[0]!);
  return at < 0 ? undefined : { from: at, to: at + held.length - 1 };
}

/** A line's part from one element to another, as text for the clipboard; whole legs where the run crosses them. */
export function runText(line: string, cursor: Cursor): string | undefined {
  const rung = parse(line);
  if (!rung) return undefined;
  const nodes = nodesOf(rung);
  const from = Math.min(cursor.element, cursor.to ?? cursor.element),
    to = Math.max(cursor.element, cursor.to ?? cursor.element);
  const node = nodes[from];
  if (!node) return undefined;
  if (isOutput(node))
    return `-> ${nodes
      .slice(from, to + 1)
      .filter(isOutput)
      .map(printOutput)
      .join(', ')}`;
  let text: string | undefined;
  const last = nodes.findIndex((n, i) => i > from && isOutput(n));
  replaceRun(rung, from, last > 0 ? Math.min(to, last - 1) : to, (p) => {
    text = printPart(p);
    return p;
  });
  return text;
}

/** The element counts at which Left and Right stop. */
export function cursorStops(line: string): number {
  const rung = parse(line);
  return rung ? nodesOf(rung).length : 0;
}

function parse(line: string): Rung | undefined {
  return parseRungLine(makeSource('', line), new Problems())?.rung;
}

function parseLogic(text: string): Part | string {
  const problems = new Problems();
  const r = parseRungLine(makeSource('', `${text} -> x`), problems);
  return r?.rung.logic ?? problems.list[0]?.message ?? 'Write an element, for example StopOK, !Fault or Level > 5.';
}
function parseOutputs(text: string): readonly Output[] | string {
  const problems = new Problems();
  const r = parseRungLine(makeSource('', `-> ${text.replace(/^\s*->/, '')}`), problems);
  return (
    r?.rung.outputs ?? problems.list[0]?.message ?? 'Write an output, for example Motor, set Fault or { Total := 0 }.'
  );
}

const LAST_OUTPUT = 'A rung needs an output; delete the rung, or replace this one.';

function editElement(rung: Rung, index: number, to: number, edit: RungEdit): Changed {
  if (edit.kind === 'latch') return { refused: 'Set and reset belong to coils.' };
  if (edit.kind === 'delete') return { rung: replaceRun(rung, index, to, () => undefined), element: index };
  if (edit.kind === 'negate' || edit.kind === 'edge') {
    let refused = '';
    const result = replaceRun(rung, index, index, (e) => {
      if (!isElement(e)) return e;
      if (e.kind === 'contact')
        return {
          ...e,
          mode:
            edit.kind === 'negate'
              ? ({ open: 'closed', closed: 'open', rising: 'falling', falling: 'rising' } as const)[e.mode]
              : ({ open: 'rising', closed: 'falling', rising: 'open', falling: 'closed' } as const)[e.mode],
        };
      if (e.kind === 'compare' && edit.kind === 'negate') return { ...e, op: NEGATED[e.op]! };
      refused =
        e.kind === 'call' ? 'A block has no opposite; negate the contact behind it.' : 'A comparison has no edge.';
      return e;
    });
    return refused ? { refused } : { rung: result, element: index };
  }
  if (!('text' in edit)) return { refused: 'That cannot be done with an element.' };
  const logic = parseLogic(edit.text);
  if (typeof logic === 'string') return { refused: logic };
  if (!rung.logic) return { rung: { ...rung, logic }, element: 0 };
  const added = countElements(logic);
  switch (edit.kind) {
    case 'replace':
      return { rung: replaceRun(rung, index, to, () => logic), element: index };
    case 'insertBefore':
      return { rung: replaceRun(rung, index, index, (e) => series([logic, e])), element: index };
    case 'insertAfter':
      return { rung: replaceRun(rung, to, to, (e) => series([e, logic])), element: to + added };
    case 'addLeg':
      return { rung: replaceRun(rung, index, to, (e) => parallel([e, logic])), element: to + 1 };
    default:
      return { refused: 'That cannot be done with an element.' };
  }
}

const NEGATED: Record<string, string> = { '=': '<>', '<>': '=', '<': '>=', '>=': '<', '>': '<=', '<=': '>' };

function editOutput(rung: Rung, index: number, node: Exclude<Output, { kind: 'path' }>, edit: RungEdit): Changed {
  switch (edit.kind) {
    case 'delete': {
      const outputs = replaceOutput(rung, node, () => []);
      if (!outputs.length) return { refused: LAST_OUTPUT };
      return { rung: { ...rung, outputs }, element: Math.max(0, index - 1) };
    }
    case 'negate':
    case 'edge':
    case 'latch': {
      if (node.kind !== 'coil') return { refused: 'Only a coil can be changed so.' };
      const modes = {
        negate: {
          plain: 'negated',
          negated: 'plain',
          rising: 'falling',
          falling: 'rising',
          set: 'reset',
          reset: 'set',
        },
        edge: {
          plain: 'rising',
          rising: 'plain',
          negated: 'falling',
          falling: 'negated',
          set: 'rising',
          reset: 'falling',
        },
        latch: { plain: 'set', set: 'reset', reset: 'plain', negated: 'set', rising: 'set', falling: 'set' },
      } as const;
      return {
        rung: {
          ...rung,
          outputs: replaceOutput(rung, node, (o) => [{ ...(o as typeof node), mode: modes[edit.kind][node.mode] }]),
        },
        element: index,
      };
    }
    case 'insertBefore':
    case 'insertAfter': {
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
      return only
        ? { rung: { ...rung, logic: series([rung.logic, logic]) }, element: index }
        : { rung: { ...rung, outputs: replaceOutput(rung, node, path) }, element: index };
    }
    case 'replace':
    case 'addLeg': {
      const outputs = parseOutputs(edit.text);
      if (typeof outputs === 'string') return { refused: outputs };
      return {
        rung: {
          ...rung,
          outputs: replaceOutput(rung, node, (o) => (edit.kind === 'replace' ? [...outputs] : [o, ...outputs])),
        },
        element: edit.kind === 'replace' ? index : index + 1,
      };
    }
    default:
      return { refused: 'That cannot be done with an output.' };
  }
}
