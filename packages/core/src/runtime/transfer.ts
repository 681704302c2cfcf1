/**
 * New logic takes over the old values by path and type (architecture.md, engine point 9); what got another name in its
 * project is found by that (`renamed.ts`).
 *
 * Changed logic: `transferState` copies values by path and type and lists what did not fit. The scans before it stay,
 * run by the logic that ran them. An edit that is no change of the program (a comment, a watch list) leaves the time
 * line alone.
 *
 * What is copied follows from the two images alone (`transferPlan`), so that a controller can work it out beside its
 * scan, and between two scans only copies (`transferBy`).
 */
import { HEADER, type Image } from '../compile/image.js';
import { type Renamed, renamedIn } from './renamed.js';
import { CLASS_NUMBER, type Type, elementCount, isScalar, sameType, sizeOf, stride, typeText } from '../types/type.js';

export interface Transferred {
  readonly bytes: Uint8Array;
  readonly kept: number;
  readonly lost: readonly string[];
  /**
   * Variables inside of programs, blocks and structures that are no longer there, in words. Apart from `lost`: whoever
   * takes a timer off a rung at the bench knows, and who swaps a running program wants to be told.
   */
  readonly gone: readonly string[];
  /** What has another name now, and kept its value. */ readonly renamed: readonly Renamed[];
}

/**
 * A place in memory that lives through a warm restart: bytes from `from` up to `to`, or one bit of the byte at `from`.
 */
export interface RetainedPlace {
  readonly path: string;
  readonly type: Type;
  readonly from: number;
  readonly to: number;
  readonly bit?: number;
}

/** All that a program retains: tags declared RETAIN, and such variables of its programs and of the blocks in them. */
export function retainedPlaces(image: Image): readonly RetainedPlace[] {
  const places: RetainedPlace[] = [];
  const look = (type: Type, at: number, path: string): void => {
    if (type.kind === 'block')
      for (const m of type.layout.members) {
        const from = at + m.offset,
          here = `${path}.${m.name}`;
        if (m.retain) places.push({ path: here, type: m.type, from, to: from + sizeOf(m.type) });
        else look(m.type, from, here);
      }
    else if (type.kind === 'array' && holdsBlocks(type.element))
      for (let i = 0; i < elementCount(type); i++) look(type.element, at + i * stride(type.element), `${path}[${i}]`);
  };
  for (const s of image.symbols.values()) {
    if (s.isView) continue;
    const { name: path, type, address: from } = s;
    if (!s.isRetained) look(type, from, path);
    else if (s.bit !== undefined) places.push({ path, type, from, to: from + 1, bit: s.bit });
    else places.push({ path, type, from, to: from + sizeOf(type) });
  }
  return places;
}

/** How what a program retains lies, as text: two programs with the same text read each other's retained bytes alike. */
export const retainedLayout = (image: Image): string =>
  retainedPlaces(image)
    .map((p) => `${p.path.toLowerCase()} : ${layoutText(p.type)}`)
    .join('\n');

/** A type with all that decides how its bytes are read. */
function layoutText(t: Type): string {
  switch (t.kind) {
    case 'struct':
      return `(${t.members.map((m) => `${m.offset} ${m.name} : ${layoutText(m.type)}`).join('; ')})`;
    case 'block':
      return `(${t.layout.members.map((m) => `${m.offset} ${m.name} : ${layoutText(m.type)}`).join('; ')})`;
    case 'array':
      return `[${t.bounds.map((b) => `${b.low}..${b.high}`).join()}] ${layoutText(t.element)}`;
    case 'enum':
      return `(${t.values.map((v) => `${v.name} ${v.value}`).join()})`;
    default:
      return `${typeText(t)} ${isScalar(t) || t.kind === 'string' ? sizeOf(t) : ''}`;
  }
}
/**
 * How many values a type holds that are the same bytes in every image; undefined where some belong to the image they
 * were made in (addresses, class numbers).
 */
function plainValues(type: Type): number | undefined {
  if (isScalar(type) || type.kind === 'string') return 1;
  let count = plain.get(type);
  if (count === undefined) plain.set(type, (count = countPlain(type) ?? -1));
  return count < 0 ? undefined : count;
}
const plain = new WeakMap<Type, number>();
function countPlain(type: Type): number | undefined {
  if (type.kind === 'array') {
    const one = plainValues(type.element);
    return one === undefined ? undefined : one * elementCount(type);
  }
  const members = type.kind === 'struct' ? type.members : type.kind === 'block' ? type.layout.members : undefined;
  let sum = 0;
  for (const m of members ?? []) {
    const one = m.name === CLASS_NUMBER || ('section' in m && m.section === 'inout') ? undefined : plainValues(m.type);
    if (one === undefined) return undefined;
    sum += one;
  }
  return members && sum;
}
/** A program without variables has no value that could be lost. */
const isEmpty = (type: Type): boolean =>
  type.kind === 'block' && type.layout.members.every((m) => m.section === 'hidden');
const holdsBlocks = (type: Type): boolean =>
  type.kind === 'block' || (type.kind === 'array' && holdsBlocks(type.element));

/** What is copied to take one image's values over into another, worked out once: no state is needed for it. */
export interface TransferPlan {
  /** Bytes, three numbers each: from where, to where, how many. */ readonly spans: Int32Array;
  /** Single bits, four numbers each: byte and bit from where, byte and bit to where. */ readonly bits: Int32Array;
  readonly kept: number;
  readonly lost: readonly string[];
  readonly gone: readonly string[];
  readonly renamed: readonly Renamed[];
}

/**
 * The new image's first state with every value of the old one that fits. `lost` names what did not fit, in words.
 * `which`: all values, as when logic changes while it runs; or only retained ones, as after a warm restart, where the
 * clock and the edges of event tasks begin anew. `base` is what the new image held before: what only it has stays as it
 * was.
 */
export const transferState = (
  from: Image,
  bytes: Uint8Array,
  to: Image,
  which: 'all' | 'retained' = 'all',
  base: Uint8Array = to.initial,
): Transferred => transferBy(transferPlan(from, to, which), bytes, base);

/** As `transferState`, by a plan made before; `base` is what the new image holds. */
export function transferBy(plan: TransferPlan, bytes: Uint8Array, base: Uint8Array): Transferred {
  const { spans, bits, kept, lost, gone, renamed } = plan,
    result = base.slice();
  for (let i = 0; i < spans.length; i += 3) {
    const from = spans[i]!,
      to = spans[i + 1]!,
      size = spans[i + 2]!;
    // Most are short: a copy of a range has its price.
    if (size > 32) result.set(bytes.subarray(from, from + size), to);
    else for (let at = 0; at < size; at++) result[to + at] = bytes[from + at]!;
  }
  for (let i = 0; i < bits.length; i += 4) {
    const mask = 1 << bits[i + 3]!,
      isOn = (bytes[bits[i]!]! >> bits[i + 1]!) & 1;
    if (isOn) result[bits[i + 2]!]! |= mask;
    else result[bits[i + 2]!]! &= ~mask;
  }
  return { bytes: result, kept, lost, gone, renamed };
}

/** What `transferState` copies between these two images. */
export function transferPlan(from: Image, to: Image, which: 'all' | 'retained' = 'all'): TransferPlan {
  const spans: number[] = [],
    bits: number[] = [],
    lost: string[] = [],
    gone = new Set<string>(),
    renamed = renamedIn(from, to),
    pathBefore = new Map(renamed.map((r) => [r.to.toLowerCase(), r.from.toLowerCase()])),
    goesOn = new Set(renamed.map((r) => r.from.toLowerCase()));
  let kept = 0;
  const span = (at: number, into: number, size: number): void => {
    const last = spans.length - 3;
    // What lies side by side in both is one span.
    if (last >= 0 && spans[last]! + spans[last + 2]! === at && spans[last + 1]! + spans[last + 2]! === into)
      spans[last + 2]! += size;
    else spans.push(at, into, size);
  };
  if (which === 'all') span(0, 0, HEADER.size);
  for (const [name, symbol] of to.symbols) {
    if (symbol.isView) continue;
    const old = from.symbols.get(name) ?? from.symbols.get(pathBefore.get(name) ?? '');
    if (!old) continue;
    const keeps = which === 'all' || symbol.isRetained;
    if (!keeps && symbol.type.kind !== 'block' && symbol.type.kind !== 'array') continue;
    if (symbol.bit !== undefined || old.bit !== undefined) {
      if (symbol.bit === undefined || old.bit === undefined) {
        lost.push(`${symbol.name}: was and is not both a single bit`);
        continue;
      }
      bits.push(old.address, old.bit, symbol.address, symbol.bit);
      kept++;
    } else copy(old.type, old.address, symbol.type, symbol.address, symbol.name, keeps);
  }
  for (const [name, symbol] of from.symbols)
    if (
      !symbol.isView &&
      !to.symbols.has(name) &&
      !goesOn.has(name) &&
      symbol.section !== 'hidden' &&
      !isEmpty(symbol.type) &&
      (which === 'all' || symbol.isRetained)
    )
      lost.push(`${symbol.name}: no longer there`);
  return { spans: Int32Array.from(spans), bits: Int32Array.from(bits), kept, lost, gone: [...gone], renamed };

  /** `keeps`: this value is taken; otherwise only what is retained inside of it. */
  function copy(a: Type, from_: number, b: Type, to_: number, path: string, keeps: boolean): void {
    if (!keeps && !holdsBlocks(b)) return;
    const same = keeps && a === b ? plainValues(b) : undefined;
    if (same !== undefined) {
      span(from_, to_, sizeOf(a));
      kept += same;
      return;
    }
    if (isScalar(a) && isScalar(b)) {
      if (sameType(a, b)) {
        span(from_, to_, sizeOf(a));
        kept++;
      } else lost.push(`${path}: was ${typeText(a)}, is ${typeText(b)}`);
    } else if (a.kind === 'string' && b.kind === 'string') {
      if (sameType(a, b) && a.max <= b.max) {
        span(from_, to_, 4 + a.max * (a.wide ? 2 : 1));
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
            keeps,
          );
        }
    } else {
      const am = a.kind === 'struct' ? a.members : a.kind === 'block' ? a.layout.members : undefined;
      const bm = b.kind === 'struct' ? b.members : b.kind === 'block' ? b.layout.members : undefined;
      if (!am || !bm) {
        lost.push(`${path}: was ${typeText(a)}, is ${typeText(b)}`);
        return;
      }
      const found = new Set<string>();
      for (const m of bm) {
        const name = m.name.toLowerCase(),
          was = am.some((x) => x.name.toLowerCase() === name)
            ? name
            : pathBefore.get(`${path}.${name}`.toLowerCase())?.split('.').at(-1),
          old = am.find((x) => x.name.toLowerCase() === was);
        if (was !== undefined) found.add(was);
        // Addresses and class numbers belong to the image they were made in.
        if (
          old &&
          m.name !== CLASS_NUMBER &&
          m.type.kind !== 'ref' &&
          m.type.kind !== 'interface' &&
          !('section' in m && m.section === 'inout')
        )
          copy(
            old.type,
            from_ + old.offset,
            m.type,
            to_ + m.offset,
            `${path}.${m.name}`,
            keeps || ('retain' in m && m.retain === true),
          );
      }
      for (const x of am)
        if (
          !found.has(x.name.toLowerCase()) &&
          (keeps || ('retain' in x && x.retain === true)) &&
          !('section' in x && (x.section === 'hidden' || x.section === 'inout'))
        )
          // Of the elements of an array it is said once.
          gone.add(`${path.replace(/\[-?\d+\]/g, '[..]')}.${x.name}: no longer there`);
    }
  }
}
