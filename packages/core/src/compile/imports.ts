/**
 * What a module is given by its host: pure functions of numbers, and the two that turn values into characters
 * and back in the module's own memory. Nothing else can be reached from inside.
 */
import { MATH } from '../checked/tree.js';
import { F64, I32, I64, type ValueType } from './wasm.js';

export interface Import {
  readonly module: 'math' | 'text';
  readonly name: string;
  readonly parameters: readonly ValueType[];
  readonly result?: ValueType;
}

/** In the order of their function indices. */
export const IMPORTS: readonly Import[] = [
  ...MATH.map((name): Import => ({
    module: 'math',
    name,
    parameters: name === 'pow' || name === 'atan2' ? [F64, F64] : [F64],
    result: F64,
  })),
  // (type, wide, value as bits, address of the string)
  { module: 'text', name: 'write', parameters: [I32, I32, I64, I32] },
  // (type, wide, address of the string) -> value as bits
  { module: 'text', name: 'read', parameters: [I32, I32, I32], result: I64 },
];

export const importIndex = (name: string): number => IMPORTS.findIndex((i) => i.name === name);
