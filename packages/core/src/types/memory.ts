/** Values in linear memory: little-endian, BOOL one byte unless it is located at a bit. */
import { type AddressOf, type Constant, type Type, baseOf, isReal, isSigned, sizeOf, stride } from './type.js';

/** Longest text of an elementary value, in characters. */
export const TEXT_MAX = 40;

/** Memory that is written to, and where the variables in it lie that references stand for. */
export interface Memory {
  readonly view: DataView;
  readonly where: AddressOf;
}
/** Writes a constant of any type at an address. Members that the constant leaves out keep their bytes. */
export function writeConstant(memory: Memory, address: number, type: Type, value: Constant): void {
  write(memory, address, type, value, address, false);
}
/** The same into memory that is all zeros: what is zero is left alone, however large it is. */
export function writeIntoZeros(memory: Memory, address: number, type: Type, value: Constant): void {
  write(memory, address, type, value, address, true);
}

/** `instance` is the address of the block around the value. */
function write(
  memory: Memory,
  address: number,
  type: Type,
  value: Constant,
  instance: number,
  ontoZeros: boolean,
): void {
  const { view } = memory;
  if (ontoZeros && isZero(value)) return;
  if (typeof value === 'string') {
    writeText(view, address, type, value);
    return;
  }
  if (typeof value === 'object' && 'addressOf' in value) {
    view.setInt32(address, value.addressOf(memory.where, instance), true);
    return;
  }
  if (typeof value === 'object' && 'array' in value) {
    if (type.kind !== 'array') throw new Error('array value for a type that is none');
    const { element } = type,
      step = stride(element);
    value.array.forEach((v, i) => {
      const at = address + i * step;
      write(memory, at, element, v, element.kind === 'block' ? at : instance, ontoZeros);
    });
  } else if (typeof value === 'object') {
    if (type.kind !== 'struct' && type.kind !== 'block') throw new Error('member values for a type without members');
    for (const m of type.kind === 'struct' ? type.members : type.layout.members) {
      const v = value.members.get(m.name.toLowerCase());
      if (v !== undefined)
        write(
          memory,
          address + m.offset,
          m.type,
          v,
          m.type.kind === 'block' ? address + m.offset : instance,
          ontoZeros,
        );
    }
  } else writeScalar(view, address, type, value);
}

const zeros = new WeakMap<object, boolean>();
/** Whether a value is all zeros in memory. */
function isZero(value: Constant): boolean {
  if (typeof value !== 'object') return value === '' || value === false || value === 0n || Object.is(value, 0);
  let known = zeros.get(value);
  if (known === undefined) {
    known =
      'array' in value
        ? value.array.every((v, i) => (i && v === value.array[i - 1] ? true : isZero(v)))
        : 'members' in value && [...value.members.values()].every(isZero);
    zeros.set(value, known);
  }
  return known;
}

/** Writes the characters of a STRING; what is too long keeps its left part (choices.md). */
export function writeText(view: DataView, address: number, type: Type, value: string): void {
  if (type.kind !== 'string') throw new Error('characters for a type that is no string');
  const text = value.slice(0, type.max);
  view.setInt32(address, text.length, true);
  for (let i = 0; i < type.max; i++) {
    const c = i < text.length ? text.charCodeAt(i) : 0;
    if (type.wide) view.setUint16(address + 4 + 2 * i, c, true);
    else view.setUint8(address + 4 + i, c & 0xff);
  }
}

export function readText(view: DataView, address: number, type: Type): string {
  if (type.kind !== 'string') throw new Error('characters of a type that is no string');
  const length = Math.min(Math.max(view.getInt32(address, true), 0), type.max);
  let text = '';
  for (let i = 0; i < length; i++)
    text += String.fromCharCode(type.wide ? view.getUint16(address + 4 + 2 * i, true) : view.getUint8(address + 4 + i));
  return text;
}

/** Writes one elementary value; integers wrap into the type. */
export function writeScalar(view: DataView, address: number, type: Type, value: bigint | number | boolean): void {
  const size = sizeOf(type);
  if (isReal(type)) {
    if (size === 4) view.setFloat32(address, Number(value), true);
    else view.setFloat64(address, Number(value), true);
    return;
  }
  const v =
    typeof value === 'bigint' ? value : BigInt(typeof value === 'boolean' ? (value ? 1 : 0) : Math.trunc(value));
  if (size === 1) view.setUint8(address, Number(BigInt.asUintN(8, v)));
  else if (size === 2) view.setUint16(address, Number(BigInt.asUintN(16, v)), true);
  else if (size === 4) view.setUint32(address, Number(BigInt.asUintN(32, v)), true);
  else view.setBigUint64(address, BigInt.asUintN(64, v), true);
}

/** Reads one elementary value: BOOL as boolean, REAL and LREAL as number, all else as bigint (times in ns). */
export function readScalar(view: DataView, address: number, type: Type): bigint | number | boolean {
  const base = baseOf(type);
  if (!base) throw new Error('only elementary values are read one by one');
  const size = sizeOf(type);
  if (base === 'BOOL') return view.getUint8(address) !== 0;
  if (isReal(type)) return size === 4 ? view.getFloat32(address, true) : view.getFloat64(address, true);
  const signed = isSigned(base);
  if (size === 1) return BigInt(signed ? view.getInt8(address) : view.getUint8(address));
  if (size === 2) return BigInt(signed ? view.getInt16(address, true) : view.getUint16(address, true));
  if (size === 4) return BigInt(signed ? view.getInt32(address, true) : view.getUint32(address, true));
  return signed ? view.getBigInt64(address, true) : view.getBigUint64(address, true);
}
