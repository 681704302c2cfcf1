/** What the name of a new tag suggests, the next free address, and series of tags from one line. */
import type { IoModule, Tag } from './document.js';

/** What a name suggests: buttons and sensors are inputs, motors, valves and lamps outputs, with the next free bit. A type that is known already decides first. */
export function guessTag(
  name: string,
  tags: readonly Tag[],
  type?: string,
  modules?: readonly IoModule[],
): Omit<Tag, 'id' | 'name'> {
  const guess = fromName(name);
  if (type && type !== guess.type) return { type };
  if (!guess.area) return { type: guess.type };
  return {
    type: guess.type,
    address: nextFree(guess.area, 1, tags, modules),
    ...(guess.area === 'I' ? { wiring: /(OK|Closed)$/.test(name) ? 'NC' : 'NO' } : {}),
  };
}

function fromName(name: string): { readonly type: string; readonly area?: 'I' | 'Q' } {
  const stem = name.replace(/_?\d+$/, '');
  if (/(PB|_S|Up|Down|Open|Shut|Closed|Seen|OK|Sensor|Switch|Button)$/.test(stem)) return { type: 'BOOL', area: 'I' };
  if (/(Motor|Valve|Lamp|Pump|Out|Close|Drive|Fan|Heater|Horn)$/.test(stem) || /^Lamp/.test(stem))
    return { type: 'BOOL', area: 'Q' };
  if (/(Timer|Delay|Dwell)$/.test(stem)) return { type: 'TON' };
  if (/(Counter|Run)$/.test(stem)) return { type: 'CTU' };
  if (/(Count|Total|Number|Code)$/.test(stem)) return { type: 'INT' };
  if (/(Length|Force|Level|Temp|Speed|Limit|Pressure)$/.test(stem)) return { type: 'REAL' };
  return { type: 'BOOL' };
}

const LETTER: Readonly<Record<string, string>> = { 1: 'X', 8: 'B', 16: 'W', 32: 'D', 64: 'L' };
const BITS: Readonly<Record<string, number>> = { X: 1, B: 8, W: 16, D: 32, L: 64 };
const WIDTH: Readonly<Record<string, number>> = {
  BOOL: 1,
  BYTE: 8,
  SINT: 8,
  USINT: 8,
  CHAR: 8,
  WORD: 16,
  INT: 16,
  UINT: 16,
  WCHAR: 16,
  DWORD: 32,
  DINT: 32,
  UDINT: 32,
  REAL: 32,
  LWORD: 64,
  LINT: 64,
  ULINT: 64,
  LREAL: 64,
  TIME: 64,
  LTIME: 64,
};

/** Bits a value of this elementary type takes at an address; undefined for a type without one size. */
export const bitsOf = (type: string): number | undefined => WIDTH[type.toUpperCase()];

/** The next free address of so many bits (1, 8, 16, 32 or 64), standing on a whole multiple of its size: on a module where the I/O layout has a free place, else behind everything. */
export function nextFree(
  area: 'I' | 'Q' | 'M',
  bits: number,
  tags: readonly Tag[],
  modules: readonly IoModule[] = [],
): string {
  const used = new Set<number>();
  for (const t of tags) {
    const m = new RegExp(`^%${area}([XBWDL]?)(\\d+)(?:\\.(\\d))?$`, 'i').exec(t.address ?? '');
    if (!m) continue;
    const first = Number(m[2]) * 8;
    if (m[3] !== undefined) used.add(first + Number(m[3]));
    else for (let b = 0; b < Math.max(8, BITS[m[1]!.toUpperCase()] ?? 8); b++) used.add(first + b);
  }
  const isFree = (bit: number) => {
    for (let b = bit; b < bit + bits; b++) if (used.has(b)) return false;
    return true;
  };
  const places = modules
    .filter((m) => m.area === area)
    .sort((a, b) => a.start - b.start)
    .flatMap((m) =>
      Array.from(
        { length: Math.floor((m.bytes * 8) / bits) },
        (_, i) => Math.ceil((m.start * 8) / bits) * bits + i * bits,
      ).filter((b) => b + bits <= (m.start + m.bytes) * 8),
    );
  let bit = places.find(isFree) ?? 0;
  while (!isFree(bit)) bit += bits;
  return bits === 1 ? `%${area}X${bit >> 3}.${bit & 7}` : `%${area}${LETTER[bits]!}${bit >> 3}`;
}

const MOST = 1000;

/**
 * The names of a series typed in one line: `Valve01..50`, `Valve01…Valve50`. An array, `Recipe[1..50]`, is one tag.
 * A name alone is a series of one.
 */
export function seriesNames(
  text: string,
): { readonly names: readonly string[]; readonly bounds?: string } | { readonly refused: string } {
  const t = text.trim();
  const array = /^([A-Za-z_]\w*)\s*\[([^\]]+)\]$/.exec(t);
  if (array)
    return /^\s*-?\d+\s*\.\.\s*-?\d+\s*(,\s*-?\d+\s*\.\.\s*-?\d+\s*)*$/.test(array[2]!)
      ? { names: [array[1]!], bounds: array[2]!.replace(/\s+/g, '') }
      : { refused: 'Write the bounds of an array as [1..50].' };
  const m = /^([A-Za-z_]\w*?)(\d+)\s*(?:\.\.+|…)\s*(?:([A-Za-z_]\w*?))?(\d+)$/.exec(t);
  if (m) {
    const [, stem, first, other, last] = m;
    if (other && other.toLowerCase() !== stem!.toLowerCase())
      return { refused: `A series goes from '${stem}' to '${stem}', not to '${other}'.` };
    const from = Number(first),
      to = Number(last);
    if (to < from) return { refused: `A series goes up; ${to} comes before ${from}.` };
    if (to - from >= MOST) return { refused: `That would be ${to - from + 1} tags; make at most ${MOST} at once.` };
    return {
      names: Array.from({ length: to - from + 1 }, (_, i) => stem! + String(from + i).padStart(first!.length, '0')),
    };
  }
  return /^[A-Za-z_]\w*$/.test(t)
    ? { names: [t] }
    : { refused: 'A name has letters, digits and underscores, a letter first.' };
}

/** The tags of a series, each with what its name suggests; the addresses follow each other. */
export function seriesTags(
  text: string,
  tags: readonly Tag[],
  newId: () => string,
  type?: string,
  modules?: readonly IoModule[],
): readonly Tag[] | { readonly refused: string } {
  const s = seriesNames(text);
  if ('refused' in s) return s;
  const made: Tag[] = [];
  for (const name of s.names) {
    if (tags.some((t) => t.name.toLowerCase() === name.toLowerCase()))
      return { refused: `There is a tag ‘${name}’ already.` };
    const guess = guessTag(name, [...tags, ...made], type, modules);
    made.push({ id: newId(), name, ...(s.bounds ? { type: `ARRAY[${s.bounds}] OF ${guess.type}` } : guess) });
  }
  return made;
}
