import { type ElementaryName, type Type, baseOf } from '../types/type.js';

/** Integers lie in the range of their type and wrap in it (choices.md). */
export type Whole = 'i8' | 'u8' | 'i16' | 'u16' | 'i32' | 'u32' | 'i64' | 'u64';
/** How a value is kept while it is worked with. */
export type Machine =
  | 'bool'
  | Whole
  | 'f32'
  | 'f64'
  /** Durations: 64 bits of nanoseconds in meaning; a small board may keep them in coarser ticks. */
  | 'time'
  /** Address of what is too large for a value. */
  | 'pointer';

/** How values of each elementary type are worked with. */
export const MACHINES: Record<ElementaryName, Machine> = {
  BOOL: 'bool',
  BYTE: 'u8',
  WORD: 'u16',
  DWORD: 'u32',
  LWORD: 'u64',
  SINT: 'i8',
  INT: 'i16',
  DINT: 'i32',
  LINT: 'i64',
  USINT: 'u8',
  UINT: 'u16',
  UDINT: 'u32',
  ULINT: 'u64',
  REAL: 'f32',
  LREAL: 'f64',
  TIME: 'time',
  LTIME: 'time',
  DATE: 'i64',
  LDATE: 'i64',
  TOD: 'i64',
  LTOD: 'i64',
  DT: 'i64',
  LDT: 'i64',
  CHAR: 'u8',
  WCHAR: 'u16',
};

/** How a value of this type is worked with. */
export function machineOf(t: Type): Machine {
  const base = baseOf(t);
  return base ? MACHINES[base] : 'pointer';
}
