/**
 * Geometry of a rung: where each element stands and how the wires run, in pixels at 100 %. A pure function of
 * the rung and the room it has, so the same rung looks the same everywhere (editor, print, compare, help).
 */
import { callText } from './print.js';
import { type Element, type Output, type Part, type Rung, isElement } from './rung.js';

export interface Box {
  /** Number of the element in the rung, from 0 in reading order. */
  readonly element: number;
  readonly kind: 'contact' | 'compare' | 'block' | 'function' | 'coil' | 'action' | 'return';
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly height: number;
  /** Height of the wire, from the rung's top. */
  readonly wireY: number;
}

/** A straight run of wire. It carries power when one of `sources` lets power out; -1 is the left rail. */
export interface WireRun {
  readonly x1: number;
  readonly y1: number;
  readonly x2: number;
  readonly y2: number;
  readonly sources: readonly number[];
}

/** Where a wide rung goes on in the next row. */
export interface RowBreak {
  readonly x: number;
  readonly y: number;
  readonly end: boolean;
}

export interface RungLayout {
  readonly width: number;
  readonly height: number;
  readonly boxes: readonly Box[];
  readonly wires: readonly WireRun[];
  readonly breaks: readonly RowBreak[];
}

export interface LabelOptions {
  /** Width of a text in pixels. */
  readonly textWidth: (text: string) => number;
  /** How a call looks: as a block with pins, or as a function in a contact. */
  readonly call: (e: Element & { readonly kind: 'call' }) => {
    readonly isBlock: boolean;
    readonly rows: number;
    /** Name and type, as they stand side by side in the box. */ readonly title?: string;
    /** Pixels that what stands inside needs, where it is not to be cut off. */ readonly inside?: number;
  };
  /** Room between the rails. */
  readonly width: number;
  /**
   * Lines of text under the symbol of a contact or coil, by its tag (an address, a description); one where it is left
   * out.
   */
  readonly under?: (tag: string) => number;
}

const LEFT = 14,
  RIGHT = 14,
  GAP = 14,
  BRANCH = 16;
/**
 * Above the wire the name and half the symbol, below it the other half and what stands under it: nothing is kept free
 * for what is not there.
 */
const ABOVE = 27,
  BELOW = 14,
  UNDER_LINE = 11,
  LEG_GAP = 2,
  EDGE = 3;
const MIN_ELEMENT = 76,
  COIL = 88,
  BLOCK = 152,
  BLOCK_ABOVE = 28,
  BLOCK_ROW = 16;

/** Whole pixels, so that neighbouring wires meet without a seam. */
const even = (n: number): number => Math.ceil(n / 2) * 2;

interface Measure {
  readonly width: number;
  readonly above: number;
  readonly below: number;
}

export function layoutRung(rung: Rung, options: LabelOptions): RungLayout {
  return new Layout(options).rung(rung);
}

class Layout {
  private readonly boxes: Box[] = [];
  private readonly wires: WireRun[] = [];
  private readonly breaks: RowBreak[] = [];
  private next = 0;

  constructor(private readonly options: LabelOptions) {}

  private under(tag: string | undefined): number {
    return BELOW + (tag === undefined ? 0 : UNDER_LINE * (this.options.under?.(tag) ?? 1));
  }

  rung(rung: Rung): RungLayout {
    const parts: readonly Part[] = !rung.logic ? [] : rung.logic.kind === 'series' ? rung.logic.parts : [rung.logic];
    const outputs = this.measureOutputs(rung.outputs);
    const room = Math.max(this.options.width, 320);
    const rows = this.breakRows(parts, outputs.width, room);
    const widest = Math.max(...rows.map((r) => LEFT + r.reduce((w, p) => w + this.measure(p).width, 0)), 0);
    const width = Math.max(room, LEFT + outputs.width + RIGHT, widest + RIGHT);
    let top = EDGE;
    let x = LEFT;
    let sources: readonly number[] = [-1];
    let wireY = 0;
    let bottom = 0;
    rows.forEach((row, i) => {
      const isLast = i === rows.length - 1;
      const sizes = row.map((p) => this.measure(p));
      if (isLast) sizes.push(outputs);
      const above = Math.max(ABOVE, ...sizes.map((m) => m.above));
      wireY = top + above;
      x = LEFT;
      this.wire(0, wireY, x, wireY, sources);
      if (i > 0) this.breaks.push({ x: 0, y: wireY, end: false });
      for (const p of row) {
        const m = this.measure(p);
        sources = this.place(p, x, wireY, m.width, sources);
        x += m.width;
      }
      bottom = top + above + Math.max(BELOW, ...sizes.map((m) => m.below));
      if (!isLast) {
        this.wire(x, wireY, width, wireY, sources);
        this.breaks.push({ x: width, y: wireY, end: true });
        top = bottom + LEG_GAP;
      }
    });
    this.placeOutputs(rung.outputs, x, wireY, width, sources);
    return { width, height: bottom + EDGE, boxes: this.boxes, wires: this.wires, breaks: this.breaks };
  }

  /** Fills rows from the left; the outputs stand in the last one. */
  private breakRows(parts: readonly Part[], outputWidth: number, room: number): Part[][] {
    const rows: Part[][] = [[]];
    let used = LEFT;
    parts.forEach((p, i) => {
      const w = this.measure(p).width;
      const tail = i === parts.length - 1 ? outputWidth + RIGHT : RIGHT;
      if (rows[rows.length - 1]!.length && used + w + tail > room) {
        rows.push([]);
        used = LEFT;
      }
      rows[rows.length - 1]!.push(p);
      used += w;
    });
    // Not even the last part leaves room for the outputs: they get a row of their own.
    if (rows[rows.length - 1]!.length && used + outputWidth + RIGHT > room) rows.push([]);
    return rows;
  }

  private measure(p: Part): Measure {
    if (p.kind === 'series') {
      const m = p.parts.map((x) => this.measure(x));
      return {
        width: m.reduce((w, x) => w + x.width, 0),
        above: Math.max(...m.map((x) => x.above)),
        below: Math.max(...m.map((x) => x.below)),
      };
    }
    if (p.kind === 'parallel') {
      const m = p.legs.map((x) => this.measure(x));
      const rest = m.slice(1).reduce((h, x) => h + LEG_GAP + x.above + x.below, 0);
      return { width: Math.max(...m.map((x) => x.width)) + 2 * BRANCH, above: m[0]!.above, below: m[0]!.below + rest };
    }
    return this.measureElement(p);
  }

  private measureElement(e: Element): Measure {
    const text = e.kind === 'contact' ? e.tag : e.kind === 'compare' ? `${e.left} ${e.op} ${e.right}` : callText(e);
    if (e.kind === 'call') {
      const look = this.options.call(e);
      if (look.isBlock)
        return {
          width: even(
            Math.max(
              BLOCK,
              this.options.textWidth(look.title ?? `${e.name} ${e.type ?? 'CTUD'}`) + 40,
              look.inside ?? 0,
            ) + GAP,
          ),
          above: BLOCK_ABOVE,
          below: 4 + Math.max(1, look.rows) * BLOCK_ROW,
        };
    }
    return {
      width: even(Math.max(MIN_ELEMENT, this.options.textWidth(text) + GAP + 4)),
      above: ABOVE,
      below: this.under(e.kind === 'contact' ? e.tag : undefined),
    };
  }

  /** Places a part in `width` pixels from x on; returns where its power comes out of. */
  private place(p: Part, x: number, y: number, width: number, sources: readonly number[]): readonly number[] {
    if (p.kind === 'series') {
      let at = x;
      let power = sources;
      for (const q of p.parts) {
        const w = this.measure(q).width;
        power = this.place(q, at, y, w, power);
        at += w;
      }
      this.wire(at, y, x + width, y, power);
      return power;
    }
    if (p.kind === 'parallel') return this.placeLegs(p.legs, x, y, width, sources);
    const m = this.measureElement(p);
    const index = this.next++;
    const kind = p.kind === 'call' ? (this.options.call(p).isBlock ? 'block' : 'function') : p.kind;
    const inset = kind === 'block' ? GAP / 2 : (m.width - 18) / 2;
    this.boxes.push({ element: index, kind, x, y: y - m.above, width: m.width, height: m.above + m.below, wireY: y });
    this.wire(x, y, x + inset, y, sources);
    this.wire(x + m.width - inset, y, x + width, y, [index]);
    return [index];
  }

  private placeLegs(
    legs: readonly Part[],
    x: number,
    y: number,
    width: number,
    sources: readonly number[],
  ): readonly number[] {
    let legY = y;
    let before: Measure | undefined;
    const ends: (readonly number[])[] = [];
    const heights: number[] = [];
    for (const leg of legs) {
      const m = this.measure(leg);
      if (before) legY += before.below + LEG_GAP + m.above;
      this.wire(x, legY, x + BRANCH, legY, sources);
      const inner = width - 2 * BRANCH;
      const power = this.place(leg, x + BRANCH, legY, inner, sources);
      if (isElement(leg) && m.width < inner) this.wire(x + BRANCH + m.width, legY, x + BRANCH + inner, legY, power);
      this.wire(x + width - BRANCH, legY, x + width, legY, power);
      ends.push(power);
      heights.push(legY);
      before = m;
    }
    const all = [...new Set(ends.flat())];
    const bottom = heights[heights.length - 1]!;
    this.wire(x, y, x, bottom, sources);
    // Each stretch of the joining wire carries what comes in from below it.
    for (let i = heights.length - 1; i > 0; i--)
      this.wire(x + width, heights[i - 1]!, x + width, heights[i]!, [...new Set(ends.slice(i).flat())]);
    return all;
  }

  private measureOutputs(outputs: readonly Output[]): Measure {
    const m = outputs.map((o) => this.measureOutput(o));
    const rest = m.slice(1).reduce((h, x) => h + LEG_GAP + x.above + x.below, 0);
    return {
      width: Math.max(...m.map((x) => x.width)) + (outputs.length > 1 ? BRANCH : 0),
      above: m[0]!.above,
      below: m[0]!.below + rest,
    };
  }

  private measureOutput(o: Output): Measure {
    if (o.kind !== 'path')
      return {
        width: even(
          Math.max(
            COIL,
            this.options.textWidth(o.kind === 'coil' ? o.tag : o.kind === 'action' ? o.text : 'return') + 28,
          ),
        ),
        above: ABOVE,
        below: this.under(o.kind === 'coil' ? o.tag : undefined),
      };
    const logic = this.measure(o.logic),
      rest = this.measureOutputs(o.outputs);
    return {
      width: logic.width + rest.width,
      above: Math.max(logic.above, rest.above),
      below: Math.max(logic.below, rest.below),
    };
  }

  private placeOutputs(
    outputs: readonly Output[],
    x: number,
    y: number,
    width: number,
    sources: readonly number[],
  ): void {
    const right = width - RIGHT;
    const branchX = outputs.length > 1 ? right - this.measureOutputs(outputs).width : x;
    if (outputs.length > 1) this.wire(x, y, branchX, y, sources);
    let outY = y;
    let before: Measure | undefined;
    for (const o of outputs) {
      const m = this.measureOutput(o);
      if (before) outY += before.below + LEG_GAP + m.above;
      this.placeOutput(o, outputs.length > 1 ? branchX : x, outY, width, sources);
      before = m;
    }
    if (outputs.length > 1) this.wire(branchX, y, branchX, outY, sources);
  }

  private placeOutput(o: Output, x: number, y: number, width: number, sources: readonly number[]): void {
    if (o.kind === 'path') {
      const m = this.measure(o.logic);
      const power = this.place(o.logic, x, y, m.width, sources);
      this.placeOutputs(o.outputs, x + m.width, y, width, power);
      return;
    }
    const m = this.measureOutput(o);
    const left = width - RIGHT - m.width;
    const half = o.kind === 'coil' ? 14 : m.width / 2 - 6;
    const centre = left + m.width / 2;
    this.boxes.push({
      element: this.next++,
      kind: o.kind,
      x: left,
      y: y - m.above,
      width: m.width,
      height: m.above + m.below,
      wireY: y,
    });
    this.wire(x, y, centre - half, y, sources);
    this.wire(centre + half, y, width, y, sources);
  }

  private wire(x1: number, y1: number, x2: number, y2: number, sources: readonly number[]): void {
    if (x1 !== x2 || y1 !== y2) this.wires.push({ x1, y1, x2, y2, sources });
  }
}
