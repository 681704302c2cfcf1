/**
 * `names.c`: what the program's tags and variables are called and where they lie, for whoever asks for them by name.
 */
import { ELEMENTARY_NAMES, type Type, baseOf, elementCount, sizeOf, stride, typeText } from '../../types/type.js';
import type { CTypes } from './types.js';
import type { Spot } from './surroundings.js';

const KINDS = {
  string: 'KIND_STRING',
  wide: 'KIND_WSTRING',
  array: 'KIND_ARRAY',
  struct: 'KIND_STRUCT',
  none: 'KIND_NONE',
};

export interface NamedSpot {
  readonly name: string;
  readonly type: Type;
  readonly spot: Spot;
  readonly isProgram: boolean;
}

export class Reflection {
  private readonly lines: string[] = [];
  private readonly known = new Map<string, string>();

  constructor(private readonly types: CTypes) {}

  /** The text of a table of types and one of names; `include` is what declares the memory. */
  print(spots: readonly NamedSpot[], include: string, table: string): string {
    const rows = spots.map(({ name, type, spot, isProgram }) => {
      const bytes = spot.kind === 'bytes';
      const at = bytes ? `(void *)(${spot.c})` : `(void *)&${spot.c}`;
      return `  {${quoted(name)}, ${this.type(type, bytes)}, ${at}, ${bytes && spot.bit !== undefined ? spot.bit : -1}, ${isProgram ? 1 : 0}},`;
    });
    return `${include}\n#include "trace.h"\n\n${this.lines.join('\n')}\nconst struct name ${table}[] = {\n${rows.join('\n')}\n  {NULL, NULL, NULL, -1, 0},\n};\n`;
  }

  private type(t: Type, bytes: boolean): string {
    const key = `${bytes ? 'b ' : ''}${keyOf(t)}`;
    const known = this.known.get(key);
    if (known) return `&${known}`;
    // The entry is made after those that it is made of, and takes the next free name then.
    const line = this.describe(t, bytes),
      name = `type_${this.known.size}`;
    this.known.set(key, name);
    this.lines.push(line);
    return `&${name}`;
  }
  private describe(t: Type, bytes: boolean): string {
    const row = (fields: Record<string, string | number>) =>
      `static const struct type ${NAME} = {${Object.entries({ text: quoted(typeText(t)), ...fields })
        .map(([k, v]) => `.${k} = ${v}`)
        .join(', ')}};`;
    switch (t.kind) {
      case 'string':
        return this.named(row({ kind: t.wide ? KINDS.wide : KINDS.string, count: t.max }));
      case 'array': {
        const element = this.type(t.element, bytes);
        const step = bytes ? `${stride(t.element)}` : this.sizeOf(t.element);
        const bounds = `bounds_${this.lines.length}`;
        this.lines.push(`static const int32_t ${bounds}[] = {${t.bounds.flatMap((b) => [b.low, b.high]).join(', ')}};`);
        return this.named(
          row({ kind: KINDS.array, count: t.bounds.length, element, bounds, step, length: elementCount(t) }),
        );
      }
      case 'struct':
      case 'block': {
        const inBytes = bytes || (t.kind === 'struct' && t.overlap === true);
        const members = (t.kind === 'struct' ? t.members : t.layout.members).filter(
          (m) => !('section' in m) || (m.section !== 'hidden' && m.section !== 'inout'),
        );
        const rows = members.map((m) => {
          const offset = inBytes
            ? `${m.offset}`
            : `offsetof(${this.types.tagOf(t)}, ${this.types.member(t, m.offset, m.type).path})`;
          return `{${quoted(m.name)}, ${this.type(m.type, inBytes)}, ${offset}}`;
        });
        const list = `members_${this.lines.length}`;
        this.lines.push(`static const struct member ${list}[] = {${[...rows, '{NULL, NULL, 0}'].join(', ')}};`);
        return this.named(row({ kind: KINDS.struct, members: list }));
      }
      case 'ref':
      case 'interface':
      case 'unknown':
      case 'anyInt':
      case 'anyReal':
        return this.named(row({ kind: KINDS.none }));
      default: {
        const base = ELEMENTARY_NAMES.indexOf(baseOf(t)!);
        if (t.kind === 'enum') {
          const list = `values_${this.lines.length}`;
          this.lines.push(
            `static const struct value ${list}[] = {${[...t.values.map((v) => `{${quoted(v.name)}, ${v.value === -(2n ** 63n) ? 'INT64_MIN' : `INT64_C(${BigInt.asIntN(64, v.value)})`}}`), '{NULL, 0}'].join(', ')}};`,
          );
          return this.named(row({ kind: base, size: sizeOf(t), values: list }));
        }
        if (t.kind === 'subrange')
          return this.named(row({ kind: base, size: sizeOf(t), is_range: 1, low: limit(t.low), high: limit(t.high) }));
        return this.named(row({ kind: base, size: sizeOf(t) }));
      }
    }
  }
  /** The name is the next free one: types inside have taken theirs. */
  private named(line: string): string {
    return line.replace(NAME, `type_${this.known.size}`);
  }
  private sizeOf(t: Type): string {
    return `sizeof(${this.types.declare(t, '').trimEnd()})`;
  }
}
const NAME = '@name';

const limit = (n: bigint): string => (n === -(2n ** 63n) ? 'INT64_MIN' : `INT64_C(${BigInt.asIntN(64, n)})`);

/** Text as a literal of C; bytes of UTF-8. */
export function quoted(text: string): string {
  let c = '"';
  for (const byte of new TextEncoder().encode(text)) {
    if (byte === 0x22 || byte === 0x5c) c += `\\${String.fromCharCode(byte)}`;
    else if (byte >= 0x20 && byte < 0x7f && byte !== 0x3f) c += String.fromCharCode(byte);
    else c += `\\${byte.toString(8).padStart(3, '0')}`;
  }
  return `${c}"`;
}

function keyOf(t: Type): string {
  switch (t.kind) {
    case 'array':
      return `[${t.bounds.map((b) => `${b.low}..${b.high}`).join()}] ${keyOf(t.element)}`;
    case 'struct':
    case 'block':
      return `${t.kind} ${t.name}`;
    case 'string':
      return `${t.wide ? 'w' : ''}string ${t.max}`;
    case 'enum':
      return `enum ${t.name} ${t.values.map((v) => v.name).join()}`;
    case 'subrange':
      return `range ${t.name} ${t.base} ${t.low} ${t.high}`;
    case 'elementary':
      return t.name;
    default:
      return 'none';
  }
}
