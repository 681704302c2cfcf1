/** What the name of a new tag suggests, the next free address, and series of tags from one line. */
import { parseAddress } from '../types/address.js';
import type { IoModule, Project, Tag } from '../document/document.js';
import { kindOf } from '../wiring/kinds.js';

/** Inputs, outputs and their wiring that a project's machine knows by the names in its wires. */
export interface Around {
  readonly modules?: readonly IoModule[] | undefined;
  readonly machine?: Project['machine'] | undefined;
}

/**
 * What a new tag is by its name: buttons and sensors are inputs, motors, valves and lamps outputs, each with the next
 * free bit. What is known goes before what is guessed: a type that is asked for, the terminal that the machine's wire
 * of that name ends at, the row above (the last of `tags`) where only the number or the last letter is another.
 */
export function guessTag(
  name: string,
  tags: readonly Tag[],
  type?: string,
  { modules, machine }: Around = {},
): Omit<Tag, 'id' | 'name'> {
  const above = tags.at(-1),
    wired = machine && wiredTo(machine, name),
    like = above && isNextTo(above.name, name) ? above : undefined;
  const guess = wired ?? (like ? ofTag(like) : fromName(name));
  if (type && type !== guess.type) return { type };
  if (!guess.area) return { type: guess.type };
  const bits = bitsOf(guess.type);
  if (bits === undefined) return { type: guess.type };
  return {
    type: guess.type,
    address: nextFree(guess.area, bits, tags, modules),
    ...(guess.area === 'I' && guess.type === 'BOOL'
      ? { wiring: guess.wiring ?? (/(OK|Closed)$/.test(name) ? 'NC' : 'NO') }
      : {}),
  };
}

interface Guess {
  readonly type: string;
  readonly area?: 'I' | 'Q' | undefined;
  readonly wiring?: 'NO' | 'NC' | undefined;
}

/** `Valve1` and `Valve2`, `InA` and `InB`: the same but for the number or the letter at the end. */
function isNextTo(a: string, b: string): boolean {
  const stem = (n: string) => /^(.*?[A-Za-z_])(\d+|(?<=[a-z\d_])[A-Z])$/.exec(n)?.[1]?.toLowerCase();
  const s = stem(a);
  return s !== undefined && s === stem(b) && a.toLowerCase() !== b.toLowerCase();
}
function ofTag(t: Tag): Guess {
  const area = /^%([IQ])/i.exec(t.address ?? '')?.[1]?.toUpperCase() as 'I' | 'Q' | undefined;
  return { type: t.type, area, wiring: t.wiring };
}

/** What the machine's wire of this name ends at: what a device gives is an input, what works it an output. */
function wiredTo(machine: Project['machine'], name: string): Guess | undefined {
  for (const d of machine.devices)
    for (const [terminal, tag] of Object.entries(d.wires ?? {})) {
      if (tag.toLowerCase() !== name.toLowerCase()) continue;
      const t = kindOf(machine, d.type)?.terminals.find((x) => x.name.toLowerCase() === terminal.toLowerCase());
      if (t && !t.mechanical) return { type: t.type, area: t.direction === 'out' ? 'I' : 'Q' };
    }
  return undefined;
}

/**
 * The words of the trade in the languages that names are written in; each by itself, or at the end of a longer word.
 */
const words = (text: string): ReadonlySet<string> => new Set(text.trim().split(/\s+/));
const IN = words(`in input inp eingang entree entrada ingresso ingang`),
  OUT = words(`out output outp ausgang sortie salida uscita uitgang`),
  INPUTS = words(`
    pb button btn switch sensor limitswitch prox photo photocell eye barrier encoder feedback
    taster schalter knopf endschalter lichtschranke geber initiator
    bouton poussoir capteur interrupteur detecteur
    boton pulsador interruptor detector
    pulsante sensore finecorsa interruttore
    knop drukknop schakelaar`),
  OUTPUTS = words(`
    motor valve lamp light pump drive fan heater horn siren buzzer beacon solenoid contactor relay brake blower
    ventil lampe leuchte pumpe hupe heizung luefter schuetz magnet bremse
    moteur vanne voyant pompe electrovanne verin klaxon
    valvula lampara bomba piloto sirena freno
    motore valvola lampada pompa spia elettrovalvola
    klep pomp lampje`),
  ENDS_IN = words(`up down open shut closed seen ok`),
  ENDS_OUT = words(`close`);
const MANY = 5;

const wordsOf = (name: string): readonly string[] =>
  (name.match(/[A-Z]+(?![a-z])|[A-Z]?[a-z]+/g) ?? []).map((w) => w.toLowerCase());
/** A word of the list, or a long one that ends with one of them: Motorschuetz, Starttaster. */
const isOf = (word: string, list: ReadonlySet<string>): boolean =>
  list.has(word) || [...list].some((w) => w.length >= MANY && word.length > w.length && word.endsWith(w));

function fromName(name: string): Guess {
  const all = wordsOf(name);
  // A letter behind tells tags apart and says nothing: LampA.
  const named = all.length > 1 && all.at(-1)!.length === 1 ? all.slice(0, -1) : all;
  const [first = '', last = ''] = [named[0], named.at(-1)];
  if (/(Timer|Delay|Dwell)$/i.test(last)) return { type: 'TON' };
  if (/(Counter)$/i.test(last)) return { type: 'CTU' };
  if (/^(count|total|number|code)$/.test(last)) return { type: 'INT' };
  if (/^(length|force|level|temp|temperature|speed|limit|pressure|weight|torque|flow)$/.test(last))
    return { type: 'REAL' };
  if (isOf(last, INPUTS) || IN.has(last) || ENDS_IN.has(last) || /_S\d*$/.test(name))
    return { type: 'BOOL', area: 'I' };
  if (isOf(last, OUTPUTS) || OUT.has(last) || ENDS_OUT.has(last)) return { type: 'BOOL', area: 'Q' };
  if (named.length > 1 && IN.has(first)) return { type: 'BOOL', area: 'I' };
  if (named.length > 1 && OUT.has(first)) return { type: 'BOOL', area: 'Q' };
  if (/^(in|out)$/.test(named.join(''))) return { type: 'BOOL', area: named[0] === 'in' ? 'I' : 'Q' };
  if (named.some((w) => isOf(w, INPUTS))) return { type: 'BOOL', area: 'I' };
  if (named.some((w) => isOf(w, OUTPUTS))) return { type: 'BOOL', area: 'Q' };
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

/**
 * The next free address of so many bits (1, 8, 16, 32 or 64), standing on a whole multiple of its size: on a module
 * where the I/O layout has a free place, else behind everything.
 */
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

/** A new tag as it is typed: `InD`, `InD %I`, `Speed : INT %QW`, `Level AT %IW4 : INT`; the name may be a series. */
export function readNewTag(text: string): { readonly name: string; readonly type?: string; readonly address?: string } {
  let left = text.trim();
  let address: string | undefined;
  const take = (pattern: RegExp) => {
    const m = pattern.exec(left);
    if (!m || address !== undefined) return;
    address = m[1]!;
    left = (left.slice(0, m.index) + left.slice(m.index + m[0].length)).trim();
  };
  take(/\s+(?:AT\s+)?(%[IQM]\S*|[IQM][XBWDL]?\d+\.\d+|[IQM][BWDL]\d+)\s*$/i);
  take(/\s+AT\s+(\S+)(?=\s*:)/i);
  const [, name, type] = /^([^:]*?)\s*:\s*(.+)$/.exec(left) ?? [undefined, left, undefined];
  return { name: name!, ...(type ? { type } : {}), ...(address === undefined ? {} : { address }) };
}

/**
 * An address as people type it, for a tag of a type (the one that the width asks for, where none is said): `%IX0.3`,
 * `I0.3`, `QW2`, and `%I`, `%Q`, `%IW`, `%M` for the next free one. Refused with the sentence why.
 */
export function addressFor(
  text: string,
  type: string | undefined,
  tags: readonly Tag[],
  modules?: readonly IoModule[],
): { readonly address: string; readonly type: string } | { readonly refused: string } {
  const m = /^%?([IQM])([XBWDL]?)(\d+(?:\.\d+)?)?$/i.exec(text.trim());
  if (!m)
    return {
      refused: `‘${text.trim()}’ is no address. Write one as %IX0.3 or %QW2; %I, %Q, %IW alone take the next free one.`,
    };
  const area = m[1]!.toUpperCase() as 'I',
    letter = m[2]!.toUpperCase(),
    typeBits = type === undefined ? undefined : bitsOf(type),
    bits = letter ? BITS[letter]! : m[3]?.includes('.') ? 1 : (typeBits ?? 1);
  if (type !== undefined && typeBits === undefined)
    return { refused: `A tag of type ${type} has no address of its own; only numbers and BOOL have one.` };
  if (typeBits !== undefined && typeBits !== bits)
    return {
      refused: `%${area}${LETTER[bits]!} is ${bits} bit${bits === 1 ? '' : 's'} wide, and ${type} takes ${typeBits}: write %${area}${LETTER[typeBits]!}${typeBits === 1 ? '0.0' : '0'}, or %${area}${typeBits === 1 ? '' : LETTER[typeBits]!} for the next free one.`,
    };
  const made = type ?? WIDTHS[bits]!;
  if (m[3] === undefined) return { address: nextFree(area, bits, tags, modules), type: made };
  const address = `%${area}${LETTER[bits]!}${m[3]}${bits === 1 && !m[3].includes('.') ? '.0' : ''}`;
  if (!parseAddress(address))
    return {
      refused: `There is no ${address}: a bit is 0 to 7 of a byte from 0 to 65535, and only bits have a point.`,
    };
  return { address, type: made };
}
const WIDTHS: Readonly<Record<number, string>> = { 1: 'BOOL', 8: 'BYTE', 16: 'INT', 32: 'DINT', 64: 'LINT' };

/** The tags of a series, each with what its name suggests; the addresses follow each other. */
export function seriesTags(
  text: string,
  tags: readonly Tag[],
  newId: () => string,
  type?: string,
  around: Around = {},
): readonly Tag[] | { readonly refused: string } {
  const said = readNewTag(text);
  const s = seriesNames(said.name);
  if ('refused' in s) return s;
  const made: Tag[] = [];
  for (const name of s.names) {
    if (tags.some((t) => t.name.toLowerCase() === name.toLowerCase()))
      return { refused: `There is a tag ‘${name}’ already.` };
    const before = [...tags, ...made];
    const guess = guessTag(name, before, said.type ?? type, around);
    if (s.bounds) {
      made.push({ id: newId(), name, type: `ARRAY[${s.bounds}] OF ${guess.type}` });
      continue;
    }
    if (said.address === undefined) {
      made.push({ id: newId(), name, ...guess });
      continue;
    }
    const at = addressFor(said.address, said.type ?? type, before, around.modules);
    if ('refused' in at) return at;
    if (made.length && at.address === made[0]!.address)
      return { refused: `Only one of them can be at ${at.address}; write %${at.address[1]!} for the next free ones.` };
    const { wiring } = guess.address?.startsWith('%I') ? guess : { wiring: undefined };
    made.push({
      id: newId(),
      name,
      type: at.type,
      address: at.address,
      ...(at.type === 'BOOL' && /^%I/.test(at.address) ? { wiring: wiring ?? 'NO' } : {}),
    });
  }
  return made;
}
