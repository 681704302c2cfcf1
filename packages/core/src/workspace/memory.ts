/**
 * What lies where in the input, output and internal memory: for the memory map. Bits are counted from the start of an
 * area.
 */
import type { CheckedProgram, Variable } from '../checked/tree.js';
import { isBool, sizeOf, typeText } from '../types/type.js';

export interface MemoryEntry {
  readonly name: string;
  readonly type: string;
  readonly address: string;
  readonly firstBit: number;
  readonly bits: number;
  /** Others that it lies over in part: an accident. */ readonly over: readonly string[];
  /** Wider or equal ones that it is a view of. */ readonly within: readonly string[];
}
export interface MemoryArea {
  readonly area: 'I' | 'Q' | 'M';
  readonly entries: readonly MemoryEntry[];
  /** Bytes up to the last one used. */ readonly bytes: number;
  readonly freeBits: number;
}

/** The areas in the order I, Q, M; entries by their place, wider ones first. */
export function memoryMap(program: CheckedProgram): readonly MemoryArea[] {
  const placed = [...program.globals, ...program.pous.flatMap((p) => p.variables)].filter(
    (v): v is Variable & { address: NonNullable<Variable['address']> } => v.address !== undefined,
  );
  return (['I', 'Q', 'M'] as const).map((area) => {
    const list = placed
      .filter((v) => v.address.area === area)
      .map((v) => ({
        name: v.owner ? `${v.owner}.${v.name}` : v.name,
        type: typeText(v.type),
        address: v.address.text,
        firstBit: v.address.byte * 8 + (v.address.bit ?? 0),
        bits: v.address.bit !== undefined ? 1 : isBool(v.type) ? 8 : sizeOf(v.type) * 8,
      }))
      .sort((a, b) => a.firstBit - b.firstBit || b.bits - a.bits);
    const covers = (a: (typeof list)[number], b: (typeof list)[number]) =>
      a.firstBit < b.firstBit + b.bits && b.firstBit < a.firstBit + a.bits;
    const holds = (a: (typeof list)[number], b: (typeof list)[number]) =>
      a.firstBit <= b.firstBit && a.firstBit + a.bits >= b.firstBit + b.bits;
    const entries = list.map((e) => ({
      ...e,
      over: list.filter((o) => o !== e && covers(e, o) && !holds(o, e) && !holds(e, o)).map((o) => o.name),
      within: list
        .filter((o) => o !== e && holds(o, e) && (o.bits > e.bits || list.indexOf(o) < list.indexOf(e)))
        .map((o) => o.name),
    }));
    const bytes = Math.ceil(Math.max(0, ...list.map((e) => e.firstBit + e.bits)) / 8);
    const used = new Set<number>();
    for (const e of list) for (let b = 0; b < e.bits; b++) used.add(e.firstBit + b);
    return { area, entries, bytes, freeBits: bytes * 8 - used.size };
  });
}
