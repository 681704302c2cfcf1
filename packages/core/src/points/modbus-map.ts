/**
 * Points as the four tables of Modbus (Modbus application protocol V1.1b3, 4.3). Made from the addresses of the tags,
 * so that a number stays where it is when others come and go; a tag may have a number of its own (`Tag.modbus`).
 */
import { parseAddress } from '../types/address.js';
import { type Type, baseOf, isSigned, sizeOf } from '../types/type.js';
import type { Value } from '../runtime/paths.js';
import { type Point, mayHold } from './points.js';

export type Table = 'discrete' | 'coil' | 'input' | 'holding';
export const TABLES: readonly Table[] = ['discrete', 'coil', 'input', 'holding'];

export interface Mapped {
  readonly point: Point;
  readonly table: Table;
  /** Counted from 0, as on the wire. */
  readonly number: number;
  /** Numbers that it takes: one, or as many registers as its bytes need. */
  readonly count: number;
}
export interface ModbusMap {
  readonly points: readonly Mapped[];
  /** What is not mapped, and why, in words. */
  readonly left: readonly string[];
}

/**
 * Where each area begins in a table; single bytes have a range of their own, for two of them share a word's address.
 */
const BASE = { I: 0, Q: 10_000, M: 20_000 } as const,
  BYTES = 5_000,
  /** Tags without an address, one behind the other. */ FREE = 30_000,
  /** The last number is the quality's (`modbus-server`). */ MOST = 65_535;

/** Registers of a value: one for up to two bytes; TIME is milliseconds in two. */
export function registersOf(type: Type): number {
  return baseOf(type) === 'TIME' ? 2 : Math.max(1, sizeOf(type) / 2);
}

/** `coil 12`, `holding 40`: what a tag may state for itself. */
export function parseNumber(text: string): { readonly table: Table; readonly number: number } | undefined {
  const m = /^\s*(discrete|coil|input|holding)\s+(\d{1,5})\s*$/i.exec(text),
    number = Number(m?.[2]);
  return m && number < MOST ? { table: m[1]!.toLowerCase() as Table, number } : undefined;
}

/** The same of another program, where a bit may be one of a register: `holding 40.3`. */
export function parseItem(
  text: string,
): { readonly table: Table; readonly number: number; readonly bit?: number } | undefined {
  const m = /^\s*(discrete|coil|input|holding)\s+(\d{1,5})(?:\.(\d{1,2}))?\s*$/i.exec(text),
    table = m?.[1]?.toLowerCase() as Table | undefined,
    number = Number(m?.[2]),
    bit = m?.[3] === undefined ? undefined : Number(m[3]);
  if (!table || number > MOST || (bit !== undefined && (bit > 15 || table === 'coil' || table === 'discrete')))
    return undefined;
  return { table, number, ...(bit === undefined ? {} : { bit }) };
}

/**
 * The mapping of all points. Those that others may write are coils and holding registers, the others discrete inputs
 * and input registers.
 */
export function modbusMap(points: readonly Point[]): ModbusMap {
  const mapped: Mapped[] = [],
    left: string[] = [],
    taken = new Map<string, Point>();
  const free: Record<Table, number> = { discrete: FREE, coil: FREE, input: FREE, holding: FREE };
  const nextOwn = new Map<string, number>();
  for (const point of points) {
    const { tag, type } = point;
    if (type.kind === 'string') {
      left.push(`${point.path}: text is not carried over Modbus.`);
      continue;
    }
    const isBit = baseOf(type) === 'BOOL',
      count = isBit ? 1 : registersOf(type);
    const own = tag.modbus === undefined ? undefined : parseNumber(tag.modbus);
    if (tag.modbus !== undefined && !own) {
      left.push(`${point.path}: '${tag.modbus}' is no place; write for example coil 12 or holding 40.`);
      continue;
    }
    const table: Table = isBit
      ? point.access === 'write'
        ? 'coil'
        : 'discrete'
      : point.access === 'write'
        ? 'holding'
        : 'input';
    if (own && own.table !== table) {
      left.push(
        `${point.path}: others ${point.access === 'write' ? 'may write it' : 'only read it'} and it is ${isBit ? 'a bit' : 'a number'}, so it is a ${WORDS[table]}, not a ${WORDS[own.table]}.`,
      );
      continue;
    }
    let number: number;
    if (own) {
      number = nextOwn.get(tag.id) ?? own.number;
      nextOwn.set(tag.id, number + count);
    } else {
      const from = isWholeTag(point) ? numberOfAddress(tag.address, isBit, sizeOf(type)) : undefined;
      number = from ?? free[table];
      if (from === undefined) free[table] += count;
    }
    const numbers = Array.from({ length: count }, (_, i) => `${table} ${number + i}`),
      other = numbers.map((n) => taken.get(n)).find((p) => p !== undefined);
    if (number + count > MOST) left.push(`${point.path}: there is no number left for it.`);
    else if (other) left.push(`${point.path}: ${WORDS[table]} ${number} is taken by ${other.path}.`);
    else {
      for (const n of numbers) taken.set(n, point);
      mapped.push({ point, table, number, count });
    }
  }
  return { points: mapped, left };
}

/** As people call them. */
export const WORDS: Readonly<Record<Table, string>> = {
  discrete: 'discrete input',
  coil: 'coil',
  input: 'input register',
  holding: 'holding register',
};

const isWholeTag = (p: Point): boolean => p.path === p.tag.name;

/** From an address as it is written: `%IX1.3` is bit 11 of the inputs, `%QW4` word 2 of the outputs. */
function numberOfAddress(text: string | undefined, isBit: boolean, bytes: number): number | undefined {
  const a = text === undefined ? undefined : parseAddress(text);
  if (!a) return undefined;
  const base = BASE[a.area];
  if (isBit) return a.bit === undefined ? undefined : base + a.byte * 8 + a.bit;
  if (bytes === 1 || a.byte % 2) return a.byte < BYTES ? base + BYTES + a.byte : undefined;
  return a.byte / 2 < BYTES ? base + a.byte / 2 : undefined;
}

/** Which half of a value of two registers and more comes first; within a register the high byte always does (4.2). */
export type WordOrder = 'high first' | 'low first';

/** A value as registers. TIME is milliseconds as a number of 32 bits, at its limits where it is beyond them. */
export function toRegisters(type: Type, value: Value, order: WordOrder): number[] {
  const count = registersOf(type),
    view = new DataView(new ArrayBuffer(8)),
    base = baseOf(type);
  if (base === 'REAL') view.setFloat32(0, Number(value));
  else if (base === 'LREAL') view.setFloat64(0, Number(value));
  else {
    const whole = base === 'TIME' ? clamp((value as bigint) / 1_000_000n) : BigInt(value as bigint | boolean);
    if (count === 1) view.setUint16(0, Number(BigInt.asUintN(16, whole)));
    else if (count === 2) view.setUint32(0, Number(BigInt.asUintN(32, whole)));
    else view.setBigUint64(0, BigInt.asUintN(64, whole));
  }
  const words = Array.from({ length: count }, (_, i) => view.getUint16(2 * i));
  return order === 'low first' ? words.reverse() : words;
}

const clamp = (ms: bigint): bigint => (ms > 0x7fffffffn ? 0x7fffffffn : ms < -0x80000000n ? -0x80000000n : ms);

/**
 * The value that registers hold; undefined where it is none of the type: outside a subrange, no value of an
 * enumeration, or too wide.
 */
export function fromRegisters(type: Type, registers: readonly number[], order: WordOrder): Value | undefined {
  const words = order === 'low first' ? [...registers].reverse() : registers,
    view = new DataView(new ArrayBuffer(8)),
    base = baseOf(type)!;
  words.forEach((w, i) => view.setUint16(2 * i, w));
  if (base === 'BOOL') return words[0] !== 0;
  if (base === 'REAL') return view.getFloat32(0);
  if (base === 'LREAL') return view.getFloat64(0);
  const signed = isSigned(base);
  const whole =
    words.length === 1
      ? BigInt(signed ? view.getInt16(0) : view.getUint16(0))
      : words.length === 2
        ? BigInt(signed || base === 'TIME' ? view.getInt32(0) : view.getUint32(0))
        : base === 'ULINT' || base === 'LWORD'
          ? view.getBigUint64(0)
          : view.getBigInt64(0);
  if (base === 'TIME') return whole * 1_000_000n;
  if (sizeOf(type) === 1 && (signed ? BigInt.asIntN(8, whole) : BigInt.asUintN(8, whole)) !== whole) return undefined;
  return mayHold(type, whole) ? whole : undefined;
}

/**
 * The mapping as rows with a head, for a sheet: what an operator screen's engineer needs. `order` where it is known:
 * the controller has it.
 */
export function modbusRows(map: ModbusMap, order: WordOrder | undefined): string[][] {
  return [
    ['Point', 'Type', 'Table', 'Number', 'Registers', 'Access', 'Word order', 'Unit', 'Range', 'Description'],
    ...map.points.map(({ point, table, number, count }) => [
      point.path,
      typeWords(point.type),
      WORDS[table],
      String(number),
      table === 'coil' || table === 'discrete' ? '' : String(count),
      point.access === 'write' ? 'read and write' : 'read',
      count > 1 ? (order ?? 'as set at the controller') : '',
      baseOf(point.type) === 'TIME' ? 'ms' : (point.tag.unit ?? ''),
      point.tag.range ?? '',
      point.tag.description ?? '',
    ]),
  ];
}
const typeWords = (t: Type): string => ('name' in t ? t.name : t.kind);
