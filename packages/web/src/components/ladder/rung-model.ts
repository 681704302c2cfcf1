/** What a rung needs to be drawn: its structure, its layout, and the tags and rungs whose values it shows. */
import { type Element, type Node, type Rung, type RungLayout, type RungText, Problems, layoutRung, makeSource, nodesOf, parseRungLine } from '@ferrule/core';
import type { TagFacts } from '../../bench/protocol.js';

export interface RungModel {
  readonly rung: Rung | undefined;
  readonly nodes: readonly Node[];
  readonly layout: RungLayout | undefined;
  /** Why the line cannot be read, with the offset in it. */
  readonly problem?: { readonly message: string; readonly at: number };
  readonly paths: readonly string[];
}

const WIDTHS = new Map<string, number>();
let context: CanvasRenderingContext2D | null | undefined;
/** Width in pixels of an element's label. */
export function labelWidth(text: string): number {
  let w = WIDTHS.get(text);
  if (w === undefined) {
    context ??= document.createElement('canvas').getContext('2d');
    if (context) context.font = '600 12.5px "Inter Variable", sans-serif';
    w = context ? context.measureText(text).width : text.length * 7;
    WIDTHS.set(text, w);
  }
  return w;
}

export type BlockLook = 'timer' | 'counter' | 'plain';
export function blockLook(type: string): BlockLook {
  return /^(TON|TOF|TP)(_|$)/i.test(type) ? 'timer' : /^CT(U|D|UD)(_|$)/i.test(type) ? 'counter' : 'plain';
}

/** The block type of a call, or undefined for a function in a contact. */
export function blockType(e: Element & { kind: 'call' }, tags: Readonly<Record<string, TagFacts>>): string | undefined {
  return e.type ?? tags[e.name.toLowerCase()]?.block;
}

/** Pins listed inside the block: all but the preset, which its progress line shows. */
export function listedPins(e: Element & { kind: 'call' }, type: string) {
  const look = blockLook(type);
  const shown = look === 'timer' ? 'pt' : look === 'counter' ? 'pv' : '';
  return e.args.filter((a) => a.pin?.toLowerCase() !== shown);
}

export function modelOf(text: RungText, tags: Readonly<Record<string, TagFacts>>, width: number, textWidth: (text: string) => number = labelWidth): RungModel {
  const problems = new Problems();
  const parsed = parseRungLine(makeSource('', text.line, { kind: 'rung', pouId: '', pou: '', rungId: text.id, number: 0 }), problems);
  if (!parsed) {
    const d = problems.list[0];
    return { rung: undefined, nodes: [], layout: undefined, paths: [], ...(d ? { problem: { message: d.message, at: d.at.start } } : {}) };
  }
  const { rung } = parsed;
  const layout = layoutRung(rung, {
    width, textWidth,
    call: (e) => {
      const type = blockType(e, tags);
      return type ? { isBlock: true, rows: (blockLook(type) === 'plain' ? 0 : 2) + listedPins(e, type).length } : { isBlock: false, rows: 0 };
    },
  });
  const nodes = nodesOf(rung);
  const paths = nodes.flatMap((n): string[] => {
    if (n.kind === 'contact' || n.kind === 'coil') return [n.tag];
    if (n.kind !== 'call') return [];
    const look = blockLook(blockType(n, tags) ?? '');
    return look === 'timer' ? [`${n.name}.ET`, `${n.name}.PT`] : look === 'counter' ? [`${n.name}.CV`, `${n.name}.PV`] : [];
  });
  return { rung, nodes, layout, paths };
}

/** The text that editing an element in place starts from. */
export function nodeText(line: string, node: Node): string {
  return line.slice(node.start, node.end);
}
