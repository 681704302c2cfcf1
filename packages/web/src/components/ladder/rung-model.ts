/** What a rung needs to be drawn: its structure, its layout, and the tags and rungs whose values it shows. */
import {
  type Element,
  type Node,
  type Rung,
  type RungLayout,
  layoutRung,
  nodesOf,
  parseRungLine,
} from '@ferrule/core/ladder';
import type { Pins } from '@ferrule/core/workspace';
import type { RungText } from '@ferrule/core/document';
import { Problems, makeSource } from '@ferrule/core/language';
import type { TagFacts } from '../../bench/protocol.js';

export interface RungModel {
  /** The line it was made from. */
  readonly line: string;
  readonly rung: Rung | undefined;
  readonly nodes: readonly Node[];
  readonly layout: RungLayout | undefined;
  /** Why the line cannot be read, with the offset in it. */
  readonly problem?: { readonly message: string; readonly at: number };
  readonly paths: readonly string[];
  /** The rows inside the box of a block: its pins, each with the path that its value is read by. */
  readonly pinsOf: (e: Element & { readonly kind: 'call' }) => readonly PinRow[];
  /** The path a name on the rung is read by: variables of the program itself stand behind its name. */
  readonly pathOf: (name: string) => string;
}

/** Variables of the program or block a rung stands in, and the path they are read by. */
export interface OwnNames {
  readonly root?: string;
  readonly variables: Readonly<Record<string, TagFacts>>;
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

/** A row inside the box of a block. */
export interface PinRow {
  readonly text: string;
  /** Its value, as the names of the rung are written; undefined where the argument stands for no pin by name. */
  readonly path?: string;
  /** A duration: its value comes in ms. */ readonly isTime?: boolean;
}

/**
 * Pins listed inside the block: what is written to them, all but the preset, which its progress line shows, and what a
 * block of the project's own gives out besides its power.
 */
function pinRows(e: Element & { kind: 'call' }, type: string, pins: Pins | undefined): readonly PinRow[] {
  const look = blockLook(type);
  const shown = look === 'timer' ? 'pt' : look === 'counter' ? 'pv' : '';
  const timed = (name: string) => (/^L?TIME$/i.test(pins?.get(name.toLowerCase())?.type ?? '') ? { isTime: true } : {});
  const given = e.args
    .filter((a) => a.pin?.toLowerCase() !== shown)
    .map((a) => ({
      text: `${a.pin ?? ''} ${a.output ? '=>' : ':='} ${a.value}`,
      ...(a.pin ? { path: `${e.name}.${a.pin}`, ...timed(a.pin) } : {}),
    }));
  const outputs = [...(pins?.values() ?? [])].filter((p) => p.section === 'VAR_OUTPUT');
  const power = e.outPin ?? outputs.find((p) => p.type?.toUpperCase() === 'BOOL')?.name;
  const isTold = (name: string) =>
    [power, ...e.args.map((a) => a.pin)].some((x) => x?.toLowerCase() === name.toLowerCase());
  return [
    ...given,
    ...outputs
      .filter((p) => !isTold(p.name))
      .map((p) => ({ text: p.name, path: `${e.name}.${p.name}`, ...timed(p.name) })),
  ];
}

interface ModelOptions {
  readonly own?: OwnNames | undefined;
  /** Pins of the project's own blocks; undefined for those of the library. */
  readonly pins?: (type: string) => Pins | undefined;
  /** Lines of text under a contact or coil, by its tag. */ readonly under?: (tag: string) => number;
  readonly textWidth?: (text: string) => number;
  /** What stands in the box of a block is written out and widens it, as on paper; else it is cut off. */
  readonly isWhole?: boolean;
}
/** Width of a letter inside the box of a block, in pixels, and of what is left and right of its text. */
export const BOX_LETTER = 6.6,
  BOX_MARGIN = 20;

/** What is written of the preset of a timer (`PT`) or counter (`PV`), and which of the two it is. */
export function presetOf(e: Element & { kind: 'call' }, type: string): { readonly pin: string; readonly text: string } {
  const pin = blockLook(type) === 'timer' ? 'PT' : 'PV',
    value = e.args.find((a) => a.pin?.toUpperCase() === pin)?.value;
  return { pin, text: value === undefined ? `${pin} not given` : `${pin} := ${value}` };
}

interface Made {
  readonly key: string;
  readonly model: RungModel;
  /** What it was made or found good with last; with the same nothing need be looked at. */
  with: readonly unknown[];
}
const made = new WeakMap<RungText, Made>();

/** The model of a rung, made anew only when the rung, its room or the kind of its blocks is another. */
export function modelOf(
  text: RungText,
  tags: Readonly<Record<string, TagFacts>>,
  width: number,
  options: ModelOptions = {},
): RungModel {
  const known = made.get(text),
    by = [tags, width, options.own, options.under, options.pins, options.isWhole];
  if (known?.with.every((x, i) => x === by[i])) return known.model;
  const keyOf = (nodes: readonly Node[]) =>
    `${width} ${options.isWhole ? 'w' : ''} ${options.own?.root ?? ''} ${nodes
      .map((n) =>
        n.kind === 'call'
          ? `${blockType(n, tags) ?? '-'}${[...(options.pins?.(blockType(n, tags) ?? '')?.values() ?? [])].map((p) => p.name).join(',')}`
          : n.kind === 'contact' || n.kind === 'coil'
            ? `${options.under?.(n.tag) ?? ''}${isOwn(n.tag, options.own) ? 'o' : ''}`
            : '',
      )
      .join('')}`;
  if (known && known.key === keyOf(known.model.nodes)) {
    known.with = by;
    return known.model;
  }
  const model = makeModel(text, tags, width, options);
  made.set(text, { key: keyOf(model.nodes), model, with: by });
  return model;
}

/** Pixels that the longest line in the box of a block needs. */
function insideOf(e: Element & { kind: 'call' }, type: string, pins: readonly PinRow[]): number {
  const lines = [...pins.map((p) => p.text), ...(blockLook(type) === 'plain' ? [] : [presetOf(e, type).text])];
  return Math.max(0, ...lines.map((l) => l.length)) * BOX_LETTER + 2 * BOX_MARGIN;
}

const isOwn = (path: string, own: OwnNames | undefined): boolean =>
  (/^\w+/.exec(path)?.[0].toLowerCase() ?? '') in (own?.variables ?? {});

function makeModel(
  text: RungText,
  tags: Readonly<Record<string, TagFacts>>,
  width: number,
  { own, under, pins, textWidth = labelWidth, isWhole }: ModelOptions,
): RungModel {
  const pinsOf = (e: Element & { kind: 'call' }): readonly PinRow[] => {
    const type = blockType(e, tags);
    return type === undefined ? [] : pinRows(e, type, pins?.(type));
  };
  const pathOf = (name: string): string => (own?.root && isOwn(name, own) ? `${own.root}.${name}` : name);
  const problems = new Problems();
  const parsed = parseRungLine(
    makeSource('', text.line, { kind: 'rung', pouId: '', pou: '', rungId: text.id, number: 0 }),
    problems,
  );
  if (!parsed) {
    const d = problems.list[0];
    return {
      line: text.line,
      rung: undefined,
      nodes: [],
      layout: undefined,
      paths: [],
      pinsOf,
      pathOf,
      ...(d ? { problem: { message: d.message, at: d.at.start } } : {}),
    };
  }
  const { rung } = parsed;
  const layout = layoutRung(rung, {
    width,
    textWidth,
    ...(under ? { under } : {}),
    call: (e) => {
      const type = blockType(e, tags);
      return type
        ? {
            isBlock: true,
            title: `${e.name} ${type}${e.outPin ? `.${e.outPin}` : ''}`,
            rows: (blockLook(type) === 'plain' ? 0 : 2) + pinsOf(e).length,
            ...(isWhole ? { inside: insideOf(e, type, pinsOf(e)) } : {}),
          }
        : { isBlock: false, rows: 0 };
    },
  });
  const nodes = nodesOf(rung);
  const paths = nodes.flatMap((n): string[] => {
    if (n.kind === 'contact' || n.kind === 'coil') return [n.tag];
    if (n.kind !== 'call') return [];
    const look = blockLook(blockType(n, tags) ?? '');
    const main =
      look === 'timer' ? [`${n.name}.ET`, `${n.name}.PT`] : look === 'counter' ? [`${n.name}.CV`, `${n.name}.PV`] : [];
    return [...main, ...pinsOf(n).flatMap((p) => p.path ?? [])];
  });
  return { line: text.line, rung, nodes, layout, paths: paths.map(pathOf), pinsOf, pathOf };
}

/** The text that editing an element in place starts from. */
export function nodeText(line: string, node: Node): string {
  return line.slice(node.start, node.end);
}

/** A stretch of the top of a rung that nothing stands in: between the last condition on it and its outputs. */
export interface FreeStretch {
  readonly x: number;
  readonly width: number;
  readonly wireY: number;
}
const FREE_MARGIN = 10;
export function freeStretch(layout: RungLayout): FreeStretch | undefined {
  const wireY = Math.min(...layout.boxes.map((b) => b.wireY)),
    first = layout.boxes.filter((b) => b.wireY === wireY),
    isOutput = (kind: string) => kind === 'coil' || kind === 'action' || kind === 'return';
  const from = Math.max(0, ...first.filter((b) => !isOutput(b.kind)).map((b) => b.x + b.width)),
    to = Math.min(layout.width, ...layout.boxes.filter((b) => isOutput(b.kind) && b.y < wireY + 20).map((b) => b.x));
  // A block and the legs of a branch reach over the wire only at their own place; what is joined there leaves room.
  const x = from + FREE_MARGIN,
    width = to - FREE_MARGIN - x;
  return Number.isFinite(wireY) && width > 0 ? { x, width, wireY } : undefined;
}

/** Width of a comment in pixels, as the sheet writes it. */
export const commentWidth = (text: string): number => labelWidth(text) * 1.04 + 18;
