/**
 * Why there was power at a place of a rung, or none: the elements that decided it, the one that came last, and what
 * would have to close. Works on the rung's flow and on what each element let through in that scan.
 */
import type { FlowStep } from '../language/tree.js';

/** Bits of `powerOf`: 1 power in, 2 power out, 4 closed. */
export interface RungState {
  readonly flow: readonly FlowStep[];
  readonly bits: readonly number[];
  /** The scan since which an element has been as it is; 0 for since the start. */ readonly since: (
    element: number,
  ) => number;
}

export interface Decided {
  /** Scan since which the wire has been as it is. */
  readonly since: number;
  /** Elements on the way that decided, in reading order. */
  readonly elements: readonly number[];
  /** The one among them that came last; undefined where there is none. */
  readonly cause?: number;
}

const ALWAYS: Decided = { since: -1, elements: [] };

export function wirePower(s: Pick<RungState, 'flow' | 'bits'>, wire: number): boolean {
  const step = stepTo(s.flow, wire);
  if (!step || step.kind === 'source') return true;
  if (step.kind === 'join') return step.from.some((w) => wirePower(s, w));
  return step.kind === 'sink' ? false : (s.bits[step.element]! & 2) !== 0;
}
const stepTo = (flow: readonly FlowStep[], wire: number): FlowStep | undefined =>
  flow.find((f) => (f.kind === 'source' ? f.wire === wire : f.kind !== 'sink' && f.to === wire));

const with_ = (d: Decided, element: number, since: number): Decided =>
  since >= d.since
    ? { since, elements: [...d.elements, element], cause: element }
    : { ...d, elements: [...d.elements, element] };

/** What decided that a wire has power, or that it has none. */
export function decided(s: RungState, wire: number): Decided {
  const step = stepTo(s.flow, wire);
  if (!step || step.kind === 'source' || step.kind === 'sink') return ALWAYS;
  const isOn = wirePower(s, wire);
  if (step.kind === 'join') {
    // On since the first leg that still carries; off since the last leg went off.
    const legs = step.from.filter((w) => wirePower(s, w) === isOn).map((w) => decided(s, w));
    return legs.reduce((a, b) => ((isOn ? b.since < a.since : b.since > a.since) ? b : a));
  }
  const own = s.since(step.element);
  if (step.kind === 'block') return { since: own, elements: [step.element], cause: step.element };
  if (isOn) return with_(decided(s, step.from), step.element, own);
  const isClosed = (s.bits[step.element]! & 4) !== 0,
    before = wirePower(s, step.from);
  const here: Decided = { since: own, elements: [step.element], cause: step.element };
  if (before) return here;
  const there = decided(s, step.from);
  // Off since the first of them opened.
  return isClosed || there.since <= own ? there : here;
}

/** The fewest elements that would have to close for power on a wire; none when it has power. */
export function missing(s: RungState, wire: number): readonly number[] {
  const step = stepTo(s.flow, wire);
  if (!step || step.kind === 'source' || step.kind === 'sink' || wirePower(s, wire)) return [];
  if (step.kind === 'join') return step.from.map((w) => missing(s, w)).reduce((a, b) => (b.length < a.length ? b : a));
  const isClosed = (s.bits[step.element]! & 4) !== 0;
  return [...missing(s, step.from), ...(isClosed && step.kind === 'contact' ? [] : [step.element])];
}

/** Every open element on some way to a wire without power. */
export function blocking(s: RungState, wire: number): readonly number[] {
  const step = stepTo(s.flow, wire);
  if (!step || step.kind === 'source' || step.kind === 'sink' || wirePower(s, wire)) return [];
  if (step.kind === 'join') return [...new Set(step.from.flatMap((w) => blocking(s, w)))];
  const isClosed = (s.bits[step.element]! & 4) !== 0;
  return [...blocking(s, step.from), ...(isClosed && step.kind === 'contact' ? [] : [step.element])];
}
