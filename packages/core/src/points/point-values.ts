/**
 * The values of points as last looked at, and when each changed. Several read them, each at its own pace: what changed
 * since one looked last is told by a count of the looks.
 */
import { type Value, readLocation } from '../runtime/paths.js';
import { sizeOf } from '../types/type.js';
import type { Point } from './points.js';

export class PointValues {
  readonly values: Value[] = [];
  /** Milliseconds of the clock that is given to `look`. */
  readonly changedMs: number[] = [];
  /** How often was looked. */
  looks = 0;
  private readonly changedAt: number[] = [];
  private before = new Uint8Array(0);
  private readonly places: readonly { readonly from: number; readonly to: number; readonly mask: number }[];

  constructor(readonly points: readonly Point[]) {
    this.places = points.map(({ location: l }) => ({
      from: l.address,
      to: l.address + (l.bit === undefined ? sizeOf(l.type) : 1),
      mask: l.bit === undefined ? 0 : 1 << l.bit,
    }));
  }

  /** Takes the values from memory, at `nowMs`. */
  look(memory: Uint8Array, nowMs: number): void {
    const { before, places, points } = this,
      view = new DataView(memory.buffer, memory.byteOffset, memory.byteLength),
      isFirst = before.length !== memory.length;
    for (let i = 0; i < points.length; i++) {
      const { from, to, mask } = places[i]!;
      let isOther = isFirst;
      if (mask) isOther ||= ((before[from]! ^ memory[from]!) & mask) !== 0;
      else for (let at = from; at < to && !isOther; at++) isOther = before[at] !== memory[at];
      if (isOther) this.note(i, readLocation(view, points[i]!.location), nowMs);
    }
    if (isFirst) this.before = memory.slice();
    else before.set(memory);
    this.looks++;
  }

  /** Takes values that were sent: the number of each point, and what it is. */
  take(changes: readonly (readonly [number, Value])[], nowMs: number): void {
    for (const [i, value] of changes) if (i < this.points.length) this.note(i, value, nowMs);
    this.looks++;
  }

  /** Of a text, what lies behind its end does not count. */
  private note(i: number, value: Value, nowMs: number): void {
    if (Object.is(this.values[i], value)) return;
    this.values[i] = value;
    this.changedMs[i] = nowMs;
    this.changedAt[i] = this.looks;
  }

  /** The numbers of the points that changed from the look `looks` on; those that have a value, for 0. */
  changedSince(looks: number): number[] {
    const changed: number[] = [];
    for (let i = 0; i < this.points.length; i++) if (this.changedAt[i]! >= looks) changed.push(i);
    return changed;
  }
}
