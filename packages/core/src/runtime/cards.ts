/**
 * Cards of inputs and outputs of a controller, as its program's addresses need them: 16 bits a card, or 8 bytes where
 * there are wider values only. One that is pulled reads 0 and passes nothing on, as forces put in by the card itself
 * do; so a recording of it plays like any other.
 */
import { byName } from '../language/words.js';
import type { Symbol } from '../compile/image.js';
import { sizeOf } from '../types/type.js';
import type { Force } from './engine.js';
import type { Paths } from './paths.js';

export interface Card {
  /** Names it: `IX0` carries %IX0.0 to %IX1.7, `IB8` what lies from %IB8 to %IB15 and on no card of bits. */ readonly id: string;
  /** `Inputs %IX0.0 to %IX1.7`. */ readonly words: string;
  /** Tags that it carries, whole or in part. */ readonly tags: readonly string[];
}

interface Slot {
  readonly area: 'I' | 'Q';
  readonly isBits: boolean;
  /** First byte of the area that it carries, and how many. */
  readonly byte: number;
  readonly bytes: number;
}
const BITS_BYTES = 2,
  WIDE_BYTES = 8;

const idOf = (s: Slot): string => `${s.area}${s.isBits ? 'X' : 'B'}${s.byte}`;
const wordsOf = ({ area, isBits, byte, bytes }: Slot): string =>
  `${area === 'I' ? 'Inputs' : 'Outputs'} ${isBits ? `%${area}X${byte}.0 to %${area}X${byte + bytes - 1}.7` : `%${area}B${byte} to %${area}B${byte + bytes - 1}`}`;

/** The card that an id names, whether a program uses it or not. */
function slotOf(id: string): Slot | undefined {
  const m = /^([IQ])([XB])(\d{1,5})$/.exec(id);
  if (!m) return undefined;
  const isBits = m[2] === 'X',
    bytes = isBits ? BITS_BYTES : WIDE_BYTES,
    byte = Number(m[3]);
  return byte % bytes ? undefined : { area: m[1] as 'I', isBits, byte, bytes };
}
/** `Inputs %IX0.0 to %IX1.7`; the id itself where it names no card. */
export const cardWords = (id: string): string => {
  const slot = slotOf(id);
  return slot ? wordsOf(slot) : id;
};

interface Placed {
  readonly s: Symbol;
  readonly area: 'I' | 'Q';
  readonly byte: number;
  readonly size: number;
}
/** Inputs and outputs that have a place in their area. */
function placedIn(image: Paths): readonly Placed[] {
  return [...image.symbols.values()].flatMap((s) => {
    const area = s.section === 'input' ? ('I' as const) : s.section === 'output' ? ('Q' as const) : undefined;
    if (s.isView || !area) return [];
    const byte = s.address - image.areas[area].start,
      size = s.bit === undefined ? sizeOf(s.type) : 1;
    return byte >= 0 && byte < image.areas[area].size ? [{ s, area, byte, size }] : [];
  });
}
const pairOf = (area: string, byte: number): string => `${area}${byte - (byte % BITS_BYTES)}`;
/** The pairs of bytes that a card of bits carries: those in which some bit has a name. */
const pairsOfBits = (placed: readonly Placed[]): ReadonlySet<string> =>
  new Set(placed.filter((p) => p.s.bit !== undefined).map((p) => pairOf(p.area, p.byte)));

/** The cards that a program's inputs and outputs lie on, inputs first, in the order of their addresses. */
export function cardsOf(image: Paths): readonly Card[] {
  const placed = placedIn(image),
    bits = pairsOfBits(placed),
    cards = new Map<string, { slot: Slot; first: number; last: number; readonly tags: string[] }>();
  for (const { s, area, byte, size } of placed)
    for (let b = byte; b < byte + size; b++) {
      const isBits = bits.has(pairOf(area, b)),
        bytes = isBits ? BITS_BYTES : WIDE_BYTES,
        slot = { area, isBits, byte: b - (b % bytes), bytes },
        id = idOf(slot),
        card = cards.get(id) ?? { slot, first: b, last: b, tags: [] };
      cards.set(id, card);
      card.first = Math.min(card.first, b);
      card.last = Math.max(card.last, b);
      if (card.tags.at(-1) !== s.name) card.tags.push(s.name);
    }
  return [...cards]
    .sort(([, a], [, b]) => byName(a.slot.area, b.slot.area) || a.first - b.first)
    .map(([id, { slot, first, last, tags }]) => ({
      id,
      // Of wider values the bytes that are in use: a card of bits may carry those before them.
      words: wordsOf(slot.isBits ? slot : { ...slot, byte: first, bytes: last - first + 1 }),
      tags,
    }));
}

/** What stands for cards that are pulled, byte by byte; bytes that the program does not have are left out. */
export function pulledForces(image: Paths, ids: readonly string[]): readonly Force[] {
  if (!ids.length) return [];
  const bits = pairsOfBits(placedIn(image));
  return ids.flatMap((id) => {
    const slot = slotOf(id);
    if (!slot) return [];
    const { area, isBits, byte, bytes } = slot;
    return Array.from({ length: bytes }, (_, i) => byte + i)
      .filter((b) => b < image.areas[area].size && bits.has(pairOf(area, b)) === isBits)
      .map((b): Force => ({ path: `%${area}B${b}`, value: 0n, by: 'card' }));
  });
}
/** Tags, in small letters, whose values lie where a pulled card stands for them. */
export function pulledTags(image: Paths, forces: readonly Force[]): ReadonlySet<string> {
  const tags = new Set<string>(),
    pulled = forces.flatMap((f) => {
      const m = f.by === 'card' ? /^%([IQ])B(\d+)$/i.exec(f.path) : undefined;
      return m ? [image.areas[m[1]!.toUpperCase() as 'I'].start + Number(m[2])] : [];
    });
  if (!pulled.length) return tags;
  const bytes = new Set(pulled);
  for (const s of image.symbols.values()) {
    if (s.section !== 'input' && s.section !== 'output') continue;
    const size = s.bit === undefined ? sizeOf(s.type) : 1;
    for (let b = s.address; b < s.address + size; b++)
      if (bytes.has(b)) {
        tags.add(s.name.toLowerCase());
        break;
      }
  }
  return tags;
}
