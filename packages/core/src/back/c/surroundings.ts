/** What the printers of statements and of start values share: where things lie, and how C writes a constant. */
import type { CheckedPou, Variable } from '../../checked/tree.js';
import type { Machine } from '../../ir/machine.js';
import type { Span } from '../../language/source.js';
import type { Type } from '../../types/type.js';
import type { Names } from './names.js';
import type { CTypes } from './types.js';

/** What printing a unit needs to know about the whole. */
export interface Surroundings {
  readonly types: CTypes;
  /** Names that no variable of a unit may have. */
  readonly globals: Names;
  /** How C names a tag or instance: `logic.Motor`; its bytes where it shares them with others. */
  tag(v: Variable): Spot;
  functionName(pou: CheckedPou, isVirtual: boolean): string;
  /** Number of a place in the list that faults are told from. */
  locate(at: Span, isUnsigned: boolean): number;
  /** Name of characters that never change. */
  text(text: string, wide: boolean): string;
}

/** Where something lies, as C says it: a variable, or bytes that others share. */
export type Spot =
  | { readonly kind: 'variable'; readonly c: string; readonly type: Type }
  | { readonly kind: 'bytes'; readonly c: string; readonly bit?: number; readonly type: Type };

/** Without the parentheses around all of it. */
export function bare(c: string): string {
  if (!c.startsWith('(') || !c.endsWith(')')) return c;
  let depth = 0;
  for (let i = 0; i < c.length; i++) {
    if (c[i] === '(') depth++;
    if (c[i] === ')' && --depth === 0 && i < c.length - 1) return c;
  }
  return c.slice(1, -1);
}

/** A constant as C writes it. */
export function literal(type: Machine, value: bigint | number): string {
  if (type === 'bool') return value ? 'true' : 'false';
  if (type === 'f32' || type === 'f64') {
    const number = Number(value);
    if (!Number.isFinite(number) || Object.is(number, -0)) {
      const view = new DataView(new ArrayBuffer(8));
      if (type === 'f32') {
        view.setFloat32(0, number);
        return `bits_i32_f32((int32_t)UINT32_C(0x${view.getUint32(0).toString(16)}))`;
      }
      view.setFloat64(0, number);
      return `bits_i64_f64((int64_t)UINT64_C(0x${view.getBigUint64(0).toString(16)}))`;
    }
    const text = String(type === 'f32' ? Math.fround(number) : number);
    const c = `${/[.e]/.test(text) ? text : `${text}.0`}${type === 'f32' ? 'f' : ''}`;
    return number < 0 ? `(${c})` : c;
  }
  const whole = BigInt(value);
  if (type === 'u64') return whole > 0xffffffffn ? `UINT64_C(${whole})` : `${whole}u`;
  if (type === 'u32') return whole > 0xffffn ? `UINT32_C(${whole})` : `${whole}u`;
  if (type === 'time') return `TIME_NS(${whole})`;
  if (type === 'i64') {
    if (whole === -(2n ** 63n)) return 'INT64_MIN';
    return whole >= -32768n && whole <= 32767n ? signed(`${whole}`) : `INT64_C(${whole})`;
  }
  if (type === 'i32') {
    if (whole === -(2n ** 31n)) return 'INT32_MIN';
    return whole >= -32768n && whole <= 32767n ? signed(`${whole}`) : `INT32_C(${whole})`;
  }
  return signed(`${whole}`);
}
const signed = (c: string): string => (c.startsWith('-') ? `(${c})` : c);

/** `x.` of `x`, `p->` of `(*p)`. */
export const dot = (c: string): string => {
  const inner = /^\(\*(\w+)\)$/.exec(c)?.[1];
  return inner ? `${inner}->` : `${c}.`;
};
