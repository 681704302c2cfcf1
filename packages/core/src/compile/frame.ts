/**
 * Values of a call that may come back to where it was made from, through an interface, for another instance: each call
 * has them for itself, in a frame on a stack behind everything else. What may not come back has fixed memory, which is
 * faster, and is most of it.
 */
import type { CheckedPou, Variable } from '../checked/tree.js';
import { alignOf, roundUp, sizeOf } from '../types/type.js';
import type { Code } from './wasm.js';

/** Every frame begins at such an address. */
export const FRAME_ALIGN = 8;

export interface Frame {
  /** Where each variable lies, from the beginning of the frame. */
  readonly offsets: ReadonlyMap<Variable, number>;
  /** Bytes of the outputs: they come first, so that they lie alike in all that an interface's method may be. */
  readonly outputBytes: number;
  /** Bytes of all variables; room for text on its way comes behind them. */
  readonly bytes: number;
}

const frames = new WeakMap<CheckedPou, Frame>();

/** The frame of a function, method or block. */
export function frameOf(pou: CheckedPou): Frame {
  const known = frames.get(pou);
  if (known) return known;
  const all = pou.variables.filter((v) => v.home.kind === 'frame' && v.section !== 'hidden'),
    isOutput = (v: Variable) => v.section === 'output';
  const offsets = new Map<Variable, number>();
  let next = 0;
  const place = (v: Variable) => {
    next = roundUp(next, alignOf(v.type));
    offsets.set(v, next);
    next += sizeOf(v.type);
  };
  all.filter(isOutput).forEach(place);
  const outputBytes = roundUp(next, FRAME_ALIGN);
  all.filter((v) => !isOutput(v)).forEach(place);
  const frame = { offsets, outputBytes, bytes: roundUp(next, FRAME_ALIGN) };
  frames.set(pou, frame);
  return frame;
}

/** Memory outside the state, fixed or in the frame of the call at hand. */
export interface Room {
  /** The local that holds where the frame begins; undefined where the memory is fixed. */
  readonly base: number | undefined;
  readonly offset: number;
}

/** Pushes what `Room.offset` counts from. */
export const pushBase = (code: Code, room: Room): Code => (room.base === undefined ? code.i32(0) : code.get(room.base));
/** Pushes the address of the room. */
export const pushRoom = (code: Code, room: Room): Code =>
  room.base === undefined ? code.i32(room.offset) : code.get(room.base).i32(room.offset).op(0x6a);
