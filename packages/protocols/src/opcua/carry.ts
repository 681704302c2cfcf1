/** How values are carried over OPC UA (OPC 10000-6), and back. */
import type { Value } from '@ferrule/core/bench';
import { rangeOf } from '@ferrule/core/language';
import { DataType } from 'node-opcua-variant';
import type { Shape } from './model.js';

/**
 * The data types of OPC 10000-3 and -6 that carry the standard's elementary types; times are durations in ms, dates
 * points in time.
 */
const CARRIED: Readonly<Record<Shape['base'], { readonly name: string; readonly as: DataType }>> = {
  BOOL: { name: 'Boolean', as: DataType.Boolean },
  BYTE: { name: 'Byte', as: DataType.Byte },
  WORD: { name: 'UInt16', as: DataType.UInt16 },
  DWORD: { name: 'UInt32', as: DataType.UInt32 },
  LWORD: { name: 'UInt64', as: DataType.UInt64 },
  SINT: { name: 'SByte', as: DataType.SByte },
  INT: { name: 'Int16', as: DataType.Int16 },
  DINT: { name: 'Int32', as: DataType.Int32 },
  LINT: { name: 'Int64', as: DataType.Int64 },
  USINT: { name: 'Byte', as: DataType.Byte },
  UINT: { name: 'UInt16', as: DataType.UInt16 },
  UDINT: { name: 'UInt32', as: DataType.UInt32 },
  ULINT: { name: 'UInt64', as: DataType.UInt64 },
  REAL: { name: 'Float', as: DataType.Float },
  LREAL: { name: 'Double', as: DataType.Double },
  TIME: { name: 'Duration', as: DataType.Double },
  LTIME: { name: 'Duration', as: DataType.Double },
  TOD: { name: 'Duration', as: DataType.Double },
  LTOD: { name: 'Duration', as: DataType.Double },
  DATE: { name: 'DateTime', as: DataType.DateTime },
  LDATE: { name: 'DateTime', as: DataType.DateTime },
  DT: { name: 'DateTime', as: DataType.DateTime },
  LDT: { name: 'DateTime', as: DataType.DateTime },
  CHAR: { name: 'String', as: DataType.String },
  WCHAR: { name: 'String', as: DataType.String },
  STRING: { name: 'String', as: DataType.String },
  WSTRING: { name: 'String', as: DataType.String },
};
/** The name of the data type that a client is told, and the built-in type of the value. */
export const carriedAs = (s: Shape): { readonly name: string; readonly as: DataType } =>
  s.enumeration ? { name: s.enumeration, as: DataType.Int32 } : CARRIED[s.base];

const MS = 1_000_000n;

/** A value as OPC UA carries it. Of points in time whole milliseconds. */
export function carry(s: Shape, value: Value): unknown {
  if (s.enumeration) return Number(value);
  switch (s.base) {
    case 'LWORD':
    case 'ULINT':
    case 'LINT':
      return pairOf(value as bigint);
    case 'TIME':
    case 'LTIME':
    case 'TOD':
    case 'LTOD':
      return Number(value) / 1e6;
    case 'DATE':
    case 'LDATE':
    case 'DT':
    case 'LDT':
      return new Date(Number(floorDiv(value as bigint, MS)));
    case 'CHAR':
    case 'WCHAR':
      return String.fromCharCode(Number(value));
    default:
      return typeof value === 'bigint' ? Number(value) : value;
  }
}
const floorDiv = (a: bigint, b: bigint): bigint => (a >= 0n ? a / b : -((-a + b - 1n) / b));

/** The value that came; undefined where the point cannot hold it. `carried` is of the point's data type. */
export function uncarry(s: Shape, carried: unknown): Value | undefined {
  const value = rawOf(s, carried);
  if (value === undefined || typeof value !== 'bigint') return value;
  const { low, high } = s.base === 'STRING' || s.base === 'WSTRING' ? { low: 0n, high: 0n } : rangeOf(s.base);
  if (value < (s.low ?? low) || value > (s.high ?? high) || (s.only && !s.only.includes(value))) return undefined;
  return value;
}
function rawOf(s: Shape, carried: unknown): Value | undefined {
  if (s.enumeration) return BigInt(carried as number);
  switch (s.base) {
    case 'BOOL':
      return carried as boolean;
    case 'REAL':
    case 'LREAL':
      return carried as number;
    case 'LINT':
    case 'LWORD':
    case 'ULINT': {
      const [high, low] = carried as [number, number],
        whole = (BigInt(high >>> 0) << 32n) | BigInt(low >>> 0);
      return s.base === 'LINT' ? BigInt.asIntN(64, whole) : whole;
    }
    case 'TIME':
    case 'LTIME':
    case 'TOD':
    case 'LTOD': {
      const ms = carried as number,
        whole = Math.trunc(ms);
      return Number.isFinite(ms) ? BigInt(whole) * MS + BigInt(Math.round((ms - whole) * 1e6)) : undefined;
    }
    case 'DATE':
    case 'LDATE':
    case 'DT':
    case 'LDT': {
      const at = carried instanceof Date ? carried.getTime() : NaN;
      return Number.isFinite(at) ? BigInt(at) * MS : undefined;
    }
    case 'CHAR':
    case 'WCHAR': {
      const text = carried as string | null;
      return text?.length === 1 ? BigInt(text.charCodeAt(0)) : undefined;
    }
    case 'STRING':
    case 'WSTRING': {
      const text = (carried as string | null) ?? '';
      return text.length <= s.max! && (s.base === 'WSTRING' || [...text].every((c) => c <= '\u00ff'))
        ? text
        : undefined;
    }
    default:
      return BigInt(carried as number);
  }
}

/** Whole numbers that a data type holds. */
const WHOLE: Readonly<Partial<Record<DataType, readonly [bigint, bigint]>>> = {
  [DataType.SByte]: [-128n, 127n],
  [DataType.Byte]: [0n, 255n],
  [DataType.Int16]: [-32_768n, 32_767n],
  [DataType.UInt16]: [0n, 65_535n],
  [DataType.Int32]: [-(2n ** 31n), 2n ** 31n - 1n],
  [DataType.UInt32]: [0n, 2n ** 32n - 1n],
  [DataType.Int64]: [-(2n ** 63n), 2n ** 63n - 1n],
  [DataType.UInt64]: [0n, 2n ** 64n - 1n],
};

/**
 * A scalar of one data type as another carries it: numbers as long as nothing of them is lost but decimals that a Float
 * has not, bits as 0 and 1. Undefined where that cannot be.
 */
export function convert(raw: unknown, from: DataType, to: DataType): unknown {
  if (from === to) return raw;
  const limits = WHOLE[to];
  if (limits) {
    const whole = wholeOf(raw, from);
    if (whole === undefined || whole < limits[0] || whole > limits[1]) return undefined;
    return to === DataType.Int64 || to === DataType.UInt64 ? pairOf(whole) : Number(whole);
  }
  if (to === DataType.Boolean) {
    const whole = wholeOf(raw, from);
    return whole === 0n || whole === 1n ? whole === 1n : undefined;
  }
  if (to === DataType.Float || to === DataType.Double) {
    if (from === DataType.Float || from === DataType.Double) return raw;
    const whole = from === DataType.Boolean ? undefined : wholeOf(raw, from);
    return whole === undefined ? undefined : Number(whole);
  }
  return undefined;
}
function wholeOf(raw: unknown, from: DataType): bigint | undefined {
  if (from === DataType.Boolean) return raw === true ? 1n : 0n;
  if (from === DataType.Int64 || from === DataType.UInt64) {
    const [high, low] = raw as [number, number],
      whole = (BigInt(high >>> 0) << 32n) | BigInt(low >>> 0);
    return from === DataType.Int64 ? BigInt.asIntN(64, whole) : whole;
  }
  if (from !== DataType.Float && from !== DataType.Double && !WHOLE[from]) return undefined;
  return Number.isInteger(raw) ? BigInt(raw as number) : undefined;
}
const pairOf = (whole: bigint): [number, number] => {
  const bits = BigInt.asUintN(64, whole);
  return [Number(bits >> 32n), Number(bits & 0xffffffffn)];
};
