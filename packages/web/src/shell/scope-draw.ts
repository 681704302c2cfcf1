/**
 * The scope's picture: bands, ribbons and curves from columns of scan, smallest, largest and last value. Knows only a
 * canvas.
 */
import type { Course } from '@ferrule/core/bench';

export const ROW = 22,
  AXIS = 16;

export interface ScopePicture {
  readonly from: number;
  readonly to: number;
  readonly now: number;
  readonly start: number;
  readonly end: number;
  readonly scanMs: number;
  readonly courses: readonly Course[];
  readonly others?: readonly Course[] | undefined;
  readonly otherEnd?: number;
  /** Scan from which the other line differs, by path. */
  readonly differs?: Readonly<Record<string, number>>;
  readonly cursors: readonly (number | undefined)[];
  readonly seams: readonly { readonly scan: number }[];
  readonly forced: readonly boolean[];
  /** When the link to another program was away, and which rows come from there. */
  readonly away?: { readonly course: Course; readonly rows: readonly boolean[] };
  /** So far the rows are scrolled, in CSS px; the axis stays. */
  readonly scrolled: number;
}

let colours = new Map<string, string>();
/** After a change of theme. */
export function forgetColours(): void {
  colours = new Map();
}
function colour(name: string): string {
  let c = colours.get(name);
  if (c === undefined)
    colours.set(name, (c = getComputedStyle(document.documentElement).getPropertyValue(`--${name}`).trim()));
  return c;
}

/** Draws everything; widths in CSS px. */
export function drawScope(canvas: HTMLCanvasElement, width: number, height: number, p: ScopePicture): void {
  const ratio = window.devicePixelRatio || 1;
  if (canvas.width !== Math.round(width * ratio) || canvas.height !== Math.round(height * ratio)) {
    canvas.width = Math.round(width * ratio);
    canvas.height = Math.round(height * ratio);
    canvas.style.width = `${width}px`;
    canvas.style.height = `${height}px`;
  }
  const g = canvas.getContext('2d')!;
  g.setTransform(ratio, 0, 0, ratio, 0, 0);
  const span = Math.max(1, p.to - p.from);
  const x = (scan: number) => ((scan - p.from) / span) * width;
  g.clearRect(0, 0, width, height);
  g.lineWidth = 1;
  g.font = '500 10.5px "Inter Variable", sans-serif';
  g.textBaseline = 'middle';
  const floor = height - AXIS;
  for (const t of ticks(p.from * p.scanMs, p.to * p.scanMs, width)) {
    const at = x(t.ms / p.scanMs);
    g.strokeStyle = colour('edge');
    line(g, at, 0, floor);
    g.fillStyle = colour('soft');
    if (at < width - 30) g.fillText(t.text, at + 3, height - AXIS / 2);
  }
  g.save();
  g.beginPath();
  g.rect(0, 0, width, floor);
  g.clip();
  g.translate(0, -p.scrolled);
  const last = Math.min(p.end, p.to);
  if (p.away) drawAway(g, p.away, x, last, width);
  p.courses.forEach((c, i) => {
    if ((i + 1) * ROW <= p.scrolled || i * ROW >= p.scrolled + floor) return;
    drawCourse(g, c, i * ROW, x, last, width, p.forced[i] ? 'forced' : 'copper');
    const other = p.others?.[i];
    if (other) drawOther(g, other, i * ROW, x, Math.min(p.to, p.otherEnd ?? p.to));
    const d = p.differs?.[c.path.toLowerCase()];
    if (d !== undefined) {
      g.fillStyle = colour('bad');
      const at = x(d);
      g.beginPath();
      g.moveTo(at - 4, i * ROW + 1);
      g.lineTo(at + 4, i * ROW + 1);
      g.lineTo(at, i * ROW + 7);
      g.fill();
    }
  });
  g.restore();
  g.setLineDash([2, 3]);
  g.strokeStyle = colour('faint');
  for (const s of p.seams) if (s.scan > p.from && s.scan < p.to) line(g, x(s.scan), 0, floor);
  g.setLineDash([5, 3]);
  p.cursors.forEach((c, i) => {
    if (c === undefined) return;
    g.strokeStyle = g.fillStyle = colour('copper-ink');
    line(g, x(c), 0, floor);
    g.fillText(i ? 'B' : 'A', x(c) + 3, floor - 6);
  });
  g.setLineDash([]);
  g.fillStyle = colour('sheet');
  g.globalAlpha = 0.55;
  if (p.end > p.now) g.fillRect(x(p.now), 0, x(last) - x(p.now), floor);
  g.globalAlpha = 1;
  const at = x(p.now);
  g.fillStyle = g.strokeStyle = colour('ink');
  g.lineWidth = 1.5;
  line(g, at, 0, floor);
  g.beginPath();
  g.moveTo(at - 6, 0);
  g.lineTo(at + 6, 0);
  g.lineTo(at, 8);
  g.fill();
  g.lineWidth = 1;
  drawOverview(g, width, height, p);
}

/** Behind what stood in for a value that did not come: slanted lines. */
function drawAway(
  g: CanvasRenderingContext2D,
  { course, rows }: NonNullable<ScopePicture['away']>,
  x: (scan: number) => number,
  end: number,
  width: number,
): void {
  g.strokeStyle = colour('bad');
  g.globalAlpha = 0.45;
  for (const { x1, x2, state } of bandSpans(course.points, x, end, width)) {
    if (state !== 'on' && state !== 'mixed') continue;
    rows.forEach((isThere, i) => {
      if (!isThere) return;
      g.save();
      g.beginPath();
      g.rect(x1, i * ROW + 1, x2 - x1, ROW - 2);
      g.clip();
      g.beginPath();
      // On a raster that does not move with where it begins.
      for (let at = Math.floor(x1 / 6) * 6 - ROW; at < x2; at += 6) {
        g.moveTo(at, (i + 1) * ROW);
        g.lineTo(at + ROW, i * ROW);
      }
      g.stroke();
      g.restore();
    });
  }
  g.globalAlpha = 1;
}

/** The whole line as a thin bar below, with the window on it. */
function drawOverview(g: CanvasRenderingContext2D, width: number, height: number, p: ScopePicture): void {
  const all = Math.max(1, p.end - p.start),
    shown = p.to - p.from;
  if (shown >= all) return;
  const x = (scan: number) => ((scan - p.start) / all) * width;
  g.fillStyle = colour('edge');
  g.fillRect(0, height - 3, width, 3);
  g.fillStyle = colour('copper');
  g.fillRect(Math.max(0, x(p.from)), height - 3, Math.max(3, x(p.to) - x(p.from)), 3);
}

function line(g: CanvasRenderingContext2D, x: number, y1: number, y2: number): void {
  g.beginPath();
  g.moveTo(Math.round(x) + 0.5, y1);
  g.lineTo(Math.round(x) + 0.5, y2);
  g.stroke();
}

export interface BandSpan {
  /** Pixels from `x1` up to, not with, `x2`. */
  readonly x1: number;
  readonly x2: number;
  /** mixed: on and off by turns within each pixel. unknown: not yet replayed. */
  readonly state: 'on' | 'off' | 'mixed' | 'unknown';
}
const ON = 1,
  OFF = 2,
  BOTH = 3,
  UNKNOWN = 4;
/**
 * What is drawn of a BOOL, pixel by pixel: what it was within each pixel, so a pulse, of on or of off, takes one
 * however short it is. A pixel in which it only changed from one to the other counts as on.
 */
export function bandSpans(
  points: Float64Array,
  x: (scan: number) => number,
  end: number,
  width: number,
): readonly BandSpan[] {
  const seen = new Uint8Array(Math.ceil(width)),
    n = points.length / 4;
  for (let i = 0; i < n; i++) {
    const low = points[4 * i + 1]!,
      high = points[4 * i + 2]!,
      x1 = x(points[4 * i]!),
      x2 = i + 1 < n ? x(points[4 * i + 4]!) : x(end);
    const what = Number.isNaN(high) ? UNKNOWN : low !== high ? BOTH : high ? ON : OFF;
    const last = Math.min(seen.length - 1, Math.max(Math.floor(x1), Math.ceil(x2 - 1e-9) - 1));
    for (let p = Math.max(0, Math.floor(x1 + 1e-9)); p <= last; p++) seen[p]! |= what;
  }
  const spans: BandSpan[] = [];
  const add = (x1: number, x2: number, state: BandSpan['state']) => {
    const before = spans[spans.length - 1];
    if (before && before.state === state && before.x2 === x1) spans[spans.length - 1] = { ...before, x2 };
    else spans.push({ x1, x2, state });
  };
  for (let p = 0; p < seen.length;) {
    let q = p + 1;
    while (q < seen.length && seen[q] === seen[p]) q++;
    const what = seen[p]!;
    if (what === BOTH) {
      const left = p > 0 ? seen[p - 1]! : OFF,
        right = q < seen.length ? seen[q]! : OFF;
      // A short pulse may lie over the border of two pixels; more than that is by turns.
      if (q - p <= 2 && left === ON && right === ON) add(p, q, 'off');
      else if (q - p <= 2 && (left === right || q - p === 1)) add(p, q, 'on');
      else add(p, q, 'mixed');
    } else if (what & UNKNOWN) add(p, q, 'unknown');
    else if (what) add(p, q, what === ON ? 'on' : 'off');
    p = q;
  }
  return spans;
}

function drawBand(g: CanvasRenderingContext2D, spans: readonly BandSpan[], top: number, ink: string): void {
  g.fillStyle = ink;
  for (const { x1, x2, state } of spans) {
    if (state === 'on') {
      g.beginPath();
      g.roundRect(x1, top + 5, x2 - x1, ROW - 10, Math.min(1.5, (x2 - x1) / 4));
      g.fill();
    }
    // On and off too fast to tell at this zoom: half height.
    else if (state === 'mixed') g.fillRect(x1, top + 8, x2 - x1, ROW - 16);
    else if (state === 'unknown') {
      g.globalAlpha = 0.25;
      for (let at = x1; at < x2; at += 4) g.fillRect(at, top + ROW / 2, 1, 1);
      g.globalAlpha = 1;
    }
  }
}

function drawCourse(
  g: CanvasRenderingContext2D,
  c: Course,
  top: number,
  x: (scan: number) => number,
  end: number,
  width: number,
  ink: string,
): void {
  g.strokeStyle = colour('edge');
  g.beginPath();
  g.moveTo(0, top + ROW - 1.5);
  g.lineTo(x(end), top + ROW - 1.5);
  g.stroke();
  if (c.kind === 'trace') drawCurve(g, c.points, top, x, end, colour(ink));
  else if (c.kind === 'band') drawBand(g, bandSpans(c.points, x, end, width), top, colour(ink));
  else drawRibbon(g, c, top, x, end);
}

/** Steps one after the other, each with its name where there is room; one that is short takes a pixel. */
function drawRibbon(
  g: CanvasRenderingContext2D,
  c: Course,
  top: number,
  x: (scan: number) => number,
  end: number,
): void {
  const { points } = c,
    n = points.length / 4;
  for (let i = 0; i < n; i++) {
    const low = points[4 * i + 1]!,
      high = points[4 * i + 2]!,
      value = points[4 * i + 3]!;
    const x1 = Math.max(0, x(points[4 * i]!)),
      next = i + 1 < n ? x(points[4 * i + 4]!) : x(end);
    if (next <= x1 || Number.isNaN(value)) continue;
    g.fillStyle = colour(i === n - 1 ? 'glow' : low !== high ? 'faint' : i % 2 ? 'edge' : 'paper');
    g.beginPath();
    g.roundRect(x1 + 0.5, top + 3, Math.max(1, next - x1 - 1), ROW - 6, 2);
    g.fill();
    if (next - x1 > 28 && low === high) {
      g.save();
      g.beginPath();
      g.rect(x1, top, next - x1 - 3, ROW);
      g.clip();
      g.fillStyle = colour('soft');
      g.fillText(c.names?.[value] ?? String(value), x1 + 5, top + ROW / 2 + 0.5);
      g.restore();
    }
  }
}

export function rangeOf(points: Float64Array): { readonly low: number; readonly high: number } {
  let low = Infinity,
    high = -Infinity;
  for (let i = 0; i < points.length; i += 4) {
    // What is not known yet, or no number, has no height.
    if (points[i + 1]! < low) low = points[i + 1]!;
    if (points[i + 2]! > high) high = points[i + 2]!;
  }
  return { low, high };
}

function drawCurve(
  g: CanvasRenderingContext2D,
  points: Float64Array,
  top: number,
  x: (scan: number) => number,
  end: number,
  ink: string,
): void {
  if (!points.length) return;
  const { low, high } = rangeOf(points);
  const y = (v: number) => top + ROW - 3 - (high > low ? ((v - low) / (high - low)) * (ROW - 7) : 0);
  g.strokeStyle = ink;
  g.lineWidth = 1.5;
  g.beginPath();
  let before = NaN;
  for (let i = 0; i < points.length; i += 4) {
    const px = Math.max(0, x(points[i]!)),
      value = y(points[i + 3]!);
    if (Number.isNaN(value) || Number.isNaN(before)) {
      // A piece that is not known: the pen is lifted over it.
      if (!Number.isNaN(before)) g.lineTo(px, before);
      if (!Number.isNaN(value)) g.moveTo(px, value);
      before = value;
      continue;
    }
    // A value holds until the next one; neighbours in consecutive scans join into a slope by themselves.
    g.lineTo(px, before);
    if (points[i + 1] !== points[i + 2]) {
      g.lineTo(px, y(points[i + 1]!));
      g.lineTo(px, y(points[i + 2]!));
    }
    before = value;
    g.lineTo(px, before);
  }
  if (!Number.isNaN(before)) g.lineTo(x(end), before);
  g.stroke();
  g.lineWidth = 1;
}

/** The same tag on the line laid over: thin and dashed, under its own. */
function drawOther(
  g: CanvasRenderingContext2D,
  c: Course,
  top: number,
  x: (scan: number) => number,
  end: number,
): void {
  // Of steps only where they begin: a line through their names would be read as something else.
  if (!c.points.length) return;
  if (c.kind === 'ribbon') {
    g.strokeStyle = colour('ink');
    for (let i = 0; i < c.points.length; i += 4) line(g, x(c.points[i]!), top + ROW - 5, top + ROW - 1);
    return;
  }
  const { low, high } = c.kind === 'band' ? { low: 0, high: 1 } : rangeOf(c.points);
  const y = (v: number) => top + ROW - 3 - (high > low ? ((v - low) / (high - low)) * (ROW - 7) : 0);
  g.strokeStyle = colour('ink');
  g.setLineDash([3, 2]);
  g.beginPath();
  let before = y(c.points[3]!);
  g.moveTo(Math.max(0, x(c.points[0]!)), before);
  for (let i = 0; i < c.points.length; i += 4) {
    const px = x(c.points[i]!);
    g.lineTo(px, before);
    if (c.points[i + 1] !== c.points[i + 2]) {
      g.lineTo(px, y(c.points[i + 1]!));
      g.lineTo(px, y(c.points[i + 2]!));
    }
    before = y(c.points[i + 3]!);
    g.lineTo(px, before);
  }
  g.lineTo(x(end), before);
  g.stroke();
  g.setLineDash([]);
}

/** Round times along the axis, about one every 90 px. */
export function ticks(
  fromMs: number,
  toMs: number,
  width: number,
): readonly { readonly ms: number; readonly text: string }[] {
  const steps = [
    1, 2, 5, 10, 20, 50, 100, 200, 500, 1e3, 2e3, 5e3, 1e4, 3e4, 6e4, 3e5, 6e5, 18e5, 36e5, 72e5, 216e5, 864e5,
  ];
  const want = (toMs - fromMs) / Math.max(1, width / 90),
    step = steps.find((s) => s >= want) ?? steps[steps.length - 1]!;
  const list: { ms: number; text: string }[] = [];
  for (let n = Math.ceil(fromMs / step); n * step <= toMs && list.length < 60; n++)
    list.push({ ms: n * step, text: timeText(n * step, step) });
  return list;
}

export function timeText(ms: number, step = 1): string {
  const p = (n: number) => String(Math.floor(n)).padStart(2, '0');
  const hours = Math.floor(ms / 3.6e6),
    minutes = Math.floor(ms / 6e4) % 60,
    seconds = (ms / 1000) % 60;
  if (hours) return `${hours}:${p(minutes)}:${p(seconds)}`;
  if (minutes)
    return step < 1000
      ? `${minutes}:${p(seconds)}.${String(Math.round(ms % 1000)).padStart(3, '0')}`
      : `${minutes}:${p(seconds)}`;
  return `${step < 10 ? seconds.toFixed(3) : step < 100 ? seconds.toFixed(2) : step < 1000 ? seconds.toFixed(1) : seconds.toFixed(0)} s`;
}

/** The value of a course after a scan; undefined before its beginning and where it is not known. */
export function valueAt(c: Course, scan: number): number | undefined {
  let low = 0,
    high = c.points.length / 4;
  while (low < high) {
    const mid = (low + high) >> 1;
    if (c.points[4 * mid]! <= scan) low = mid + 1;
    else high = mid;
  }
  const value = low ? c.points[4 * (low - 1) + 3]! : NaN;
  return Number.isNaN(value) ? undefined : value;
}
