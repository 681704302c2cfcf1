/** New logic takes over the old values by path and type (architecture.md, engine point 9). */
import type { Image, Symbol } from '../compile/image.js';
import { CLASS_NUMBER, type Type, elementCount, isScalar, sameType, sizeOf, stride, typeText } from '../types/type.js';

export interface Transferred {
  readonly bytes: Uint8Array;
  readonly kept: number;
  readonly lost: readonly string[];
}

/** The new image's first state with every value of the old one that fits. `lost` names what did not fit, in words. */
export function transferState(from: Image, bytes: Uint8Array, to: Image, only?: (s: Symbol) => boolean): Transferred {
  const result = to.initial.slice();
  const lost: string[] = [];
  let kept = 0;
  // The clock goes on, edges of event tasks are remembered.
  result.set(bytes.subarray(0, 64));
  for (const [name, symbol] of to.symbols) {
    if (symbol.isView || (only && !only(symbol))) continue;
    const old = from.symbols.get(name);
    if (!old) continue;
    if (symbol.bit !== undefined || old.bit !== undefined) {
      if (symbol.bit === undefined || old.bit === undefined) {
        lost.push(`${symbol.name}: was and is not both a single bit`);
        continue;
      }
      const on = (bytes[old.address]! >> old.bit) & 1;
      result[symbol.address] = on
        ? result[symbol.address]! | (1 << symbol.bit)
        : result[symbol.address]! & ~(1 << symbol.bit);
      kept++;
    } else copy(old.type, old.address, symbol.type, symbol.address, symbol.name);
  }
  for (const [name, symbol] of from.symbols)
    if (!symbol.isView && !to.symbols.has(name) && symbol.section !== 'hidden' && (!only || only(symbol)))
      lost.push(`${symbol.name}: no longer there`);
  return { bytes: result, kept, lost };

  function copy(a: Type, from_: number, b: Type, to_: number, path: string): void {
    if (isScalar(a) && isScalar(b)) {
      if (sameType(a, b)) {
        result.set(bytes.subarray(from_, from_ + sizeOf(a)), to_);
        kept++;
      } else lost.push(`${path}: was ${typeText(a)}, is ${typeText(b)}`);
    } else if (a.kind === 'string' && b.kind === 'string') {
      if (sameType(a, b) && a.max <= b.max) {
        result.set(bytes.subarray(from_, from_ + 4 + a.max * (a.wide ? 2 : 1)), to_);
        kept++;
      } else lost.push(`${path}: was ${typeText(a)}, is ${typeText(b)}`);
    } else if (
      a.kind === 'array' &&
      b.kind === 'array' &&
      a.bounds.length === b.bounds.length &&
      a.bounds.every((x, i) => i === 0 || (x.low === b.bounds[i]!.low && x.high === b.bounds[i]!.high))
    ) {
      const first = Math.max(a.bounds[0]!.low, b.bounds[0]!.low),
        last = Math.min(a.bounds[0]!.high, b.bounds[0]!.high);
      const row = (t: typeof a) => elementCount(t) / (t.bounds[0]!.high - t.bounds[0]!.low + 1);
      for (let i = first; i <= last; i++)
        for (let j = 0; j < row(a); j++) {
          copy(
            a.element,
            from_ + ((i - a.bounds[0]!.low) * row(a) + j) * stride(a.element),
            b.element,
            to_ + ((i - b.bounds[0]!.low) * row(b) + j) * stride(b.element),
            `${path}[${i}]`,
          );
        }
    } else {
      const am = a.kind === 'struct' ? a.members : a.kind === 'block' ? a.layout.members : undefined;
      const bm = b.kind === 'struct' ? b.members : b.kind === 'block' ? b.layout.members : undefined;
      if (!am || !bm) {
        lost.push(`${path}: was ${typeText(a)}, is ${typeText(b)}`);
        return;
      }
      for (const m of bm) {
        const old = am.find((x) => x.name.toLowerCase() === m.name.toLowerCase());
        // Addresses and class numbers belong to the image they were made in.
        if (
          old &&
          m.name !== CLASS_NUMBER &&
          m.type.kind !== 'ref' &&
          m.type.kind !== 'interface' &&
          !('section' in m && m.section === 'inout')
        )
          copy(old.type, from_ + old.offset, m.type, to_ + m.offset, `${path}.${m.name}`);
      }
    }
  }
}
