/** The type system (clause 6.4) and how each type lies in memory. Sizes and offsets are in bytes. */
export type ElementaryName =
  | 'BOOL'
  | 'BYTE'
  | 'WORD'
  | 'DWORD'
  | 'LWORD'
  | 'SINT'
  | 'INT'
  | 'DINT'
  | 'LINT'
  | 'USINT'
  | 'UINT'
  | 'UDINT'
  | 'ULINT'
  | 'REAL'
  | 'LREAL'
  | 'TIME'
  | 'LTIME'
  | 'DATE'
  | 'LDATE'
  | 'TOD'
  | 'LTOD'
  | 'DT'
  | 'LDT'
  | 'CHAR'
  | 'WCHAR';

export interface Elementary {
  readonly kind: 'elementary';
  readonly name: ElementaryName;
}
export interface Member {
  readonly name: string;
  readonly type: Type;
  readonly offset: number;
  readonly initial?: Constant;
}
/** STRING[max] and WSTRING[max]: a length (4 bytes), then `max` characters of one or two bytes. */
export interface StringType {
  readonly kind: 'string';
  readonly wide: boolean;
  readonly max: number;
}
/** `overlap`: members lie over each other, so a BOOL among them may be any byte; all but 0 is TRUE. */
export interface Struct {
  readonly kind: 'struct';
  readonly name: string;
  readonly members: readonly Member[];
  readonly size: number;
  readonly align: number;
  readonly overlap?: boolean;
  /** Names of members whose type could not be made out. */ readonly lost?: readonly string[];
}
/** `open`: ARRAY [*], a parameter of any length; its bounds come with each call and are 0..-1 here. */
export interface ArrayType {
  readonly kind: 'array';
  readonly bounds: readonly { readonly low: number; readonly high: number }[];
  readonly element: Type;
  readonly open?: boolean;
}
export interface EnumType {
  readonly kind: 'enum';
  readonly name: string;
  readonly base: ElementaryName;
  readonly values: readonly { readonly name: string; readonly value: bigint }[];
}
export interface Subrange {
  readonly kind: 'subrange';
  readonly name: string;
  readonly base: ElementaryName;
  readonly low: bigint;
  readonly high: bigint;
}
/** An instance of a function block or class; its members are filled in when it has been laid out. */
export interface BlockType {
  readonly kind: 'block';
  readonly name: string;
  readonly layout: BlockLayout;
}
/** Types of untyped literals: they take the type their place asks for (clause 6.6.1.2, generic types). */
export interface LiteralType {
  readonly kind: 'anyInt' | 'anyReal';
}
/** Name of the hidden member that says of which class an instance is. */
export const CLASS_NUMBER = 'class number';
export const DEFAULT_STRING_MAX = 254;
export interface Unknown {
  readonly kind: 'unknown';
}

export interface BlockMember extends Member {
  readonly section: 'input' | 'output' | 'inout' | 'local' | 'hidden';
  readonly retain: boolean;
  /**
   * Who may use an inner variable, and the block that declares it (6.6.5.11); without it only the block and those
   * derived from it.
   */
  readonly access?: 'PUBLIC' | 'PROTECTED' | 'PRIVATE' | 'INTERNAL';
  readonly owner?: string;
  /** Of a device of the machine model: what the project knows it by. */ readonly id?: string;
}
export interface BlockLayout {
  members: BlockMember[];
  size: number;
  align: number;
  /** Names of variables whose type could not be made out. */ lost?: string[];
}

/** REF_TO: the address of a variable, 0 for NULL. */
export interface RefType {
  readonly kind: 'ref';
  readonly target: Type;
}

/** A variable of an interface: the address of an instance that implements it, 0 for NULL. */
export interface InterfaceType {
  readonly kind: 'interface';
  readonly name: string;
}

export type Type =
  | RefType
  | InterfaceType
  | Elementary
  | StringType
  | Struct
  | ArrayType
  | EnumType
  | Subrange
  | BlockType
  | LiteralType
  | Unknown;

/** The first byte of a variable as memory is laid out; `checked/tree` says what a variable is. */
export type AddressOf = (variable: never) => number;

/** A value known before the run. Integers and times are bigint (times in ns), reals number. */
export type Constant =
  | bigint
  | number
  | boolean
  | string
  | { readonly array: readonly Constant[] }
  /**
   * REF(variable): known once memory is laid out. The instance is the block whose variable starts so; `place` is what
   * it refers to, for whoever has names instead of addresses.
   */
  | { readonly addressOf: (where: AddressOf, instance: number) => number; readonly place: unknown }
  | { readonly members: ReadonlyMap<string, Constant> };

interface Facts {
  size: number;
  kind: 'bool' | 'bits' | 'signed' | 'unsigned' | 'real' | 'time' | 'date' | 'char';
}
const FACTS: Record<ElementaryName, Facts> = {
  BOOL: { size: 1, kind: 'bool' },
  BYTE: { size: 1, kind: 'bits' },
  WORD: { size: 2, kind: 'bits' },
  DWORD: { size: 4, kind: 'bits' },
  LWORD: { size: 8, kind: 'bits' },
  SINT: { size: 1, kind: 'signed' },
  INT: { size: 2, kind: 'signed' },
  DINT: { size: 4, kind: 'signed' },
  LINT: { size: 8, kind: 'signed' },
  USINT: { size: 1, kind: 'unsigned' },
  UINT: { size: 2, kind: 'unsigned' },
  UDINT: { size: 4, kind: 'unsigned' },
  ULINT: { size: 8, kind: 'unsigned' },
  REAL: { size: 4, kind: 'real' },
  LREAL: { size: 8, kind: 'real' },
  TIME: { size: 8, kind: 'time' },
  LTIME: { size: 8, kind: 'time' },
  // Points in time are nanoseconds since 1970-01-01, times of day since midnight.
  DATE: { size: 8, kind: 'date' },
  LDATE: { size: 8, kind: 'date' },
  TOD: { size: 8, kind: 'date' },
  LTOD: { size: 8, kind: 'date' },
  DT: { size: 8, kind: 'date' },
  LDT: { size: 8, kind: 'date' },
  CHAR: { size: 1, kind: 'char' },
  WCHAR: { size: 2, kind: 'char' },
};

export const ELEMENTARY_NAMES = Object.keys(FACTS) as ElementaryName[];
const elementaries = Object.fromEntries(
  ELEMENTARY_NAMES.map((name) => [name, { kind: 'elementary', name }]),
) as unknown as Record<ElementaryName, Elementary>;
export const BOOL = elementaries.BOOL;
export const UNKNOWN: Unknown = { kind: 'unknown' };
export const elementary = (name: ElementaryName): Elementary => elementaries[name];
const LONG_NAMES: Record<string, ElementaryName> = {
  TIME_OF_DAY: 'TOD',
  LTIME_OF_DAY: 'LTOD',
  DATE_AND_TIME: 'DT',
  LDATE_AND_TIME: 'LDT',
};
export const elementaryByName = (name: string): Elementary | undefined =>
  elementaries[LONG_NAMES[name.toUpperCase()] ?? (name.toUpperCase() as ElementaryName)];

/** The elementary type whose values a type holds: itself, an enumeration's or a subrange's base. */
export function baseOf(t: Type): ElementaryName | undefined {
  if (t.kind === 'elementary') return t.name;
  return t.kind === 'enum' || t.kind === 'subrange' ? t.base : undefined;
}

const kindOf = (t: Type) => {
  const b = baseOf(t);
  return b && FACTS[b].kind;
};
export const isBool = (t: Type) => kindOf(t) === 'bool';
export const isInteger = (t: Type) => t.kind !== 'enum' && (kindOf(t) === 'signed' || kindOf(t) === 'unsigned');
export const isReal = (t: Type) => kindOf(t) === 'real';
export const isTime = (t: Type) => kindOf(t) === 'time';
export const isDate = (t: Type) => kindOf(t) === 'date';
export const isChar = (t: Type) => kindOf(t) === 'char';
export const isString = (t: Type): t is StringType => t.kind === 'string';
export const isBits = (t: Type) => kindOf(t) === 'bits';
export const isBitString = (t: Type) => isBits(t) || isBool(t);
export const isNumeric = (t: Type) => isInteger(t) || isReal(t) || t.kind === 'anyInt' || t.kind === 'anyReal';
export const isSigned = (name: ElementaryName) => ['signed', 'time', 'date'].includes(FACTS[name].kind);
export const isScalar = (t: Type) => baseOf(t) !== undefined;

export function elementCount(t: ArrayType): number {
  return t.bounds.reduce((n, b) => n * (b.high - b.low + 1), 1);
}

export function sizeOf(t: Type): number {
  switch (t.kind) {
    case 'struct':
      return t.size;
    case 'block':
      return t.layout.size;
    case 'array':
      return elementCount(t) * stride(t.element);
    case 'string':
      return roundUp(4 + t.max * (t.wide ? 2 : 1), 4);
    case 'ref':
    case 'interface':
      return 4;
    case 'anyInt':
    case 'anyReal':
    case 'unknown':
      return 8;
    default:
      return FACTS[baseOf(t)!].size;
  }
}
export function alignOf(t: Type): number {
  switch (t.kind) {
    case 'struct':
      return t.align;
    case 'block':
      return t.layout.align;
    case 'array':
      return alignOf(t.element);
    case 'string':
    case 'ref':
    case 'interface':
      return 4;
    default:
      return sizeOf(t);
  }
}
/** Distance between two elements of an array of this type. */
export const stride = (t: Type): number => roundUp(sizeOf(t), alignOf(t));
export const roundUp = (n: number, to: number): number => Math.ceil(n / to) * to;

/** Lowest and highest value of an integer, bit string or time type. */
export function rangeOf(name: ElementaryName): { low: bigint; high: bigint } {
  const { size, kind } = FACTS[name];
  if (kind === 'bool') return { low: 0n, high: 1n };
  const bits = BigInt(size * 8);
  if (kind === 'signed' || kind === 'time' || kind === 'date')
    return { low: -(1n << (bits - 1n)), high: (1n << (bits - 1n)) - 1n };
  return { low: 0n, high: (1n << bits) - 1n };
}

/** Wraps a value into a type, modulo 2^width (choices.md). */
export function wrap(value: bigint, name: ElementaryName): bigint {
  const bits = FACTS[name].size * 8;
  return isSigned(name) ? BigInt.asIntN(bits, value) : BigInt.asUintN(bits, value);
}

export function typeText(t: Type): string {
  switch (t.kind) {
    case 'elementary':
      return t.name;
    case 'string':
      return `${t.wide ? 'WSTRING' : 'STRING'}${t.max === DEFAULT_STRING_MAX ? '' : `[${t.max}]`}`;
    case 'ref':
      return t.target.kind === 'unknown' ? 'NULL' : `REF_TO ${typeText(t.target)}`;
    case 'struct':
    case 'enum':
    case 'block':
    case 'interface':
      return t.name;
    case 'subrange':
      return t.name || `${t.base} (${t.low}..${t.high})`;
    case 'array':
      return `ARRAY [${t.bounds.map((b) => (t.open ? '*' : `${b.low}..${b.high}`)).join(', ')}] OF ${typeText(t.element)}`;
    case 'anyInt':
      return 'a whole number';
    case 'anyReal':
      return 'a real number';
    case 'unknown':
      return '?';
  }
}

export function sameType(a: Type, b: Type): boolean {
  if (a === b) return true;
  if (a.kind !== b.kind) return false;
  if (a.kind === 'elementary') return a.name === (b as Elementary).name;
  if (a.kind === 'array') {
    const o = b as ArrayType;
    return (
      a.bounds.length === o.bounds.length &&
      (a.open ?? false) === (o.open ?? false) &&
      a.bounds.every((x, i) => x.low === o.bounds[i]!.low && x.high === o.bounds[i]!.high) &&
      sameType(a.element, o.element)
    );
  }
  if (a.kind === 'ref') {
    const o = (b as RefType).target;
    return a.target.kind === 'unknown' || o.kind === 'unknown' || sameType(a.target, o);
  }
  if (a.kind === 'string') return a.wide === (b as StringType).wide;
  if (a.kind === 'anyInt' || a.kind === 'anyReal' || a.kind === 'unknown') return true;
  if (a.kind === 'subrange') return a.base === (b as Subrange).base;
  return 'name' in a && a.name === (b as { name: string }).name;
}

const CHAINS: readonly (readonly ElementaryName[])[] = [
  ['SINT', 'INT', 'DINT', 'LINT'],
  ['USINT', 'UINT', 'UDINT', 'ULINT'],
  ['USINT', 'INT'],
  ['UINT', 'DINT'],
  ['UDINT', 'LINT'],
  ['INT', 'REAL', 'LREAL'],
  ['UINT', 'REAL'],
  ['DINT', 'LREAL'],
  ['UDINT', 'LREAL'],
  ['BOOL', 'BYTE', 'WORD', 'DWORD', 'LWORD'],
  ['TIME', 'LTIME'],
  ['DATE', 'LDATE'],
  ['TOD', 'LTOD'],
  ['DT', 'LDT'],
];
const WIDER = new Map<ElementaryName, Set<ElementaryName>>();
for (const chain of CHAINS)
  chain.slice(0, -1).forEach((from, i) => WIDER.set(from, (WIDER.get(from) ?? new Set()).add(chain[i + 1]!)));
for (let changed = true; changed;) {
  changed = false;
  for (const set of WIDER.values())
    for (const t of [...set])
      for (const u of WIDER.get(t) ?? [])
        if (!set.has(u)) {
          set.add(u);
          changed = true;
        }
}

/** Whether a value of `from` may stand where `to` is wanted without a conversion (figure 12, implicit conversions). */
export function widensTo(from: ElementaryName, to: ElementaryName): boolean {
  return from === to || (WIDER.get(from)?.has(to) ?? false);
}

/** The narrowest type both widen to; undefined when there is none. */
export function commonType(a: ElementaryName, b: ElementaryName): ElementaryName | undefined {
  if (widensTo(a, b)) return b;
  if (widensTo(b, a)) return a;
  return [...(WIDER.get(a) ?? [])].filter((t) => widensTo(b, t)).sort((x, y) => FACTS[x].size - FACTS[y].size)[0];
}

/**
 * The value a variable has when nothing else is said (table 10): zero, an enumeration's first value, a subrange's lower
 * limit if 0 is outside it.
 */
export function defaultValue(t: Type): Constant {
  // Large types are made of few different ones: each is worked out once.
  const isKept = t.kind === 'array' || (t.kind === 'struct' && t.members.length > 0),
    known = isKept ? defaults.get(t) : undefined;
  if (known !== undefined) return known;
  const value = makeDefault(t);
  if (isKept && !holdsBlock(t)) defaults.set(t, value);
  return value;
}
const defaults = new WeakMap<Type, Constant>();
/** Layouts of blocks may still be growing. */
const holdsBlock = (t: Type): boolean =>
  t.kind === 'block' ||
  (t.kind === 'array' && holdsBlock(t.element)) ||
  (t.kind === 'struct' && t.members.some((m) => holdsBlock(m.type)));

function makeDefault(t: Type): Constant {
  switch (t.kind) {
    case 'string':
      return '';
    case 'enum':
      return t.values[0]?.value ?? 0n;
    case 'subrange':
      return t.low <= 0n && t.high >= 0n ? 0n : t.low;
    case 'elementary':
      return t.name === 'BOOL' ? false : FACTS[t.name].kind === 'real' ? 0 : 0n;
    case 'array': {
      const one = defaultValue(t.element);
      return { array: new Array<Constant>(elementCount(t)).fill(one) };
    }
    case 'struct':
      return { members: new Map(t.members.map((m) => [m.name.toLowerCase(), m.initial ?? defaultValue(m.type)])) };
    case 'block':
      return {
        members: new Map(
          t.layout.members
            .filter((m) => m.section !== 'inout')
            .map((m) => [m.name.toLowerCase(), m.initial ?? defaultValue(m.type)]),
        ),
      };
    default:
      return 0n;
  }
}
