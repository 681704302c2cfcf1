/** Places: what stands for memory and can be read or written — variables, members, elements, bits. */
import { didYouMean, slipText, Problems } from '../language/diagnostic.js';
import type { Span } from '../language/source.js';
import type { Expression } from '../language/tree.js';
import {
  type BlockMember,
  type Member,
  type Type,
  elementary,
  isBits,
  isInteger,
  isScalar,
  sizeOf,
  typeText,
} from '../types/type.js';
import { type Address, type Checked, type Place, type Variable, rootOf } from '../checked/tree.js';
import { coerce, invalid } from '../names/values.js';
import { lineage } from '../names/lineage.js';
import { type Alias, type PouScope, bareScope, findNamed, findVariable, key } from '../names/scope.js';
import { parseAddress } from '../types/address.js';

/**
 * The place an expression names; undefined, with a problem reported, when it names none. Where its type could not be
 * made out, that was told at its declaration, and not once more in every line that uses it.
 */
export function placeOf(scope: PouScope, e: Expression): Place | undefined {
  const place = namedPlace(scope, e);
  return place?.type.kind === 'unknown' ? undefined : place;
}

function namedPlace(scope: PouScope, e: Expression): Place | undefined {
  const { problems } = scope.project;
  switch (e.kind) {
    case 'name': {
      const v = findVariable(scope, e.name);
      if (v) return { kind: 'variable', variable: v, type: v.type, at: e.at };
      const alias = scope.project.aliases.get(key(e.name));
      if (alias) return aliasPlace(scope, alias, e.at);
      const decl = findNamed(scope.project, e.name, scope.context);
      if (decl?.kind === 'pou')
        problems.error(
          'TYPE_MISMATCH',
          `'${e.name}' is a ${decl.pou.toLowerCase().replace('_', ' ')}; ${decl.pou === 'FUNCTION_BLOCK' || decl.pou === 'CLASS' ? 'declare an instance of it and use that' : 'it has no value of its own'}.`,
          e.at,
        );
      else
        problems.error(
          'UNKNOWN_NAME',
          `There is no tag '${e.name}'.${slipText(
            e.name,
            [...scope.variables.values(), ...(scope.instance?.values() ?? []), ...scope.project.globals.values()].map(
              (x) => x.name,
            ),
          )}`,
          e.at,
        );
      return undefined;
    }
    case 'this':
      return thisPlace(scope, e.at);
    case 'super':
      problems.error(
        'MISPLACED',
        'SUPER stands before a method, or alone as SUPER() in the statements of a derived block.',
        e.at,
      );
      return undefined;
    case 'direct':
      return directPlace(scope, e.address, e.at);
    case 'member':
      return memberPlace(scope, e);
    case 'index':
      return elementPlace(scope, e);
    case 'part':
      return partPlace(scope, e);
    case 'dereference': {
      const base = placeOf(scope, e.base);
      if (!base) return undefined;
      if (base.type.kind === 'ref')
        return {
          kind: 'target',
          reference: { kind: 'read', place: base, type: base.type, at: base.at },
          base,
          type: base.type.target,
          at: e.at,
        };
      problems.error(
        'TYPE_MISMATCH',
        `Only a reference stands for something else; this is ${typeText(base.type)}.`,
        e.at,
      );
      return undefined;
    }
    case 'missing':
      return undefined;
    case 'call': {
      const given = scope.project.parts.expression(scope, e);
      if (given.kind !== 'invalid')
        problems.error(
          'NOT_WRITABLE',
          'What a call gives has no place of its own: put it into a variable, and use that here.',
          e.at,
        );
      return undefined;
    }
    default:
      scope.project.parts.expression(scope, e);
      problems.error('NOT_WRITABLE', 'A tag is wanted here, not a value.', e.at);
      return undefined;
  }
}

/** What a second name stands for, as if it stood where the name is. Its own mistakes are told where it is declared. */
function aliasPlace(scope: PouScope, alias: Alias, at: Span): Place | undefined {
  const quiet = bareScope({ ...scope.project, problems: new Problems(), references: [], aliases: new Map() });
  const there = (p: Place): Place =>
    'base' in p ? ({ ...p, at, base: there(p.base) } as Place) : ({ ...p, at, alias: alias.name } as Place);
  const place = placeOf(quiet, alias.place);
  return place && there(place);
}

function memberPlace(scope: PouScope, e: Expression & { kind: 'member' }): Place | undefined {
  const base = placeOf(scope, e.base);
  if (!base) return undefined;
  const members =
    base.type.kind === 'struct' ? base.type.members : base.type.kind === 'block' ? base.type.layout.members : undefined;
  const found =
    members?.find((m) => key(m.name) === key(e.name.text) && !isHiddenFrom(scope, base, m)) ??
    members?.find((m) => key(m.name) === key(e.name.text));
  if (found && isHiddenFrom(scope, base, found)) {
    scope.project.problems.error(
      'NOT_ACCESSIBLE',
      `'${found.name}' is an inner variable of ${typeText(base.type)}; ${(found as BlockMember).access === 'PRIVATE' ? 'it is PRIVATE' : 'only its own statements and those of blocks derived from it see it'}. Make it an output, or VAR PUBLIC.`,
      e.name.at,
    );
    return undefined;
  }
  if (found)
    return {
      kind: 'member',
      base,
      offset: found.offset,
      type: found.type,
      at: e.at,
      ...('section' in found && found.section === 'inout' ? { isReference: true } : {}),
    };
  const lost = base.type.kind === 'struct' ? base.type.lost : base.type.kind === 'block' ? base.type.layout.lost : [],
    isLost = lost?.some((name) => key(name) === key(e.name.text));
  if (!isLost) {
    scope.project.problems.error(
      'UNKNOWN_MEMBER',
      members
        ? `${typeText(base.type)} has no member '${e.name.text}'.${didYouMean(
            e.name.text,
            members.map((m) => m.name),
          )}`
        : `${typeText(base.type)} has no members, so '.${e.name.text}' has no meaning here.`,
      e.name.at,
    );
  }
  return undefined;
}

/** The instance that the statements belong to: of the block itself, or of the block around a method. */
export function thisPlace(scope: PouScope, at: Span, asBase = false): Place | undefined {
  const own = scope.pou?.owner ?? (scope.pou?.pou === 'FUNCTION_BLOCK' ? scope.pou : undefined);
  const pou = asBase ? own?.base : own;
  if (!pou) {
    scope.project.problems.error(
      'MISPLACED',
      asBase
        ? `SUPER needs a block that extends another one.`
        : 'THIS has a meaning only in a function block, a class and their methods.',
      at,
    );
    return undefined;
  }
  const type: Type = { kind: 'block', name: pou.name, layout: pou.layout };
  return {
    kind: 'variable',
    variable: {
      name: 'THIS',
      type,
      section: 'inout',
      at,
      isConstant: false,
      isRetained: false,
      owner: pou.name,
      home: { kind: 'instance', offset: 0 },
    },
    type,
    at,
  };
}

/** Whether the block or class that holds these statements is, or is derived from, the one of that name. */
export function isWithin(scope: PouScope, owner: string, itselfOnly = false): boolean {
  const own = scope.pou?.owner ?? scope.pou;
  return itselfOnly ? own?.name === owner : lineage(own).some((p) => p.name === owner);
}

/**
 * Inner variables are for the block itself and what is derived from it (6.6.5.11); checks and rules may look at
 * everything.
 */
function isHiddenFrom(scope: PouScope, base: Place, m: Member | BlockMember): boolean {
  if (base.type.kind !== 'block' || !('section' in m) || !scope.pou) return false;
  if (m.section !== 'local' || m.access === 'PUBLIC') return false;
  if (m.access === 'INTERNAL') return spaceOf(m.owner ?? '') !== spaceOf(scope.pou.name);
  return !isWithin(scope, m.owner ?? '', m.access === 'PRIVATE');
}

export const spaceOf = (name: string): string => key(name.slice(0, Math.max(name.lastIndexOf('.'), 0)));

function elementPlace(scope: PouScope, e: Expression & { kind: 'index' }): Place | undefined {
  const { problems } = scope.project;
  const base = placeOf(scope, e.base);
  if (!base) return undefined;
  if (base.type.kind !== 'array') {
    if (base.type.kind !== 'unknown')
      problems.error('TYPE_MISMATCH', `Only an array has elements; this is ${typeText(base.type)}.`, e.at);
    return undefined;
  }
  const array = base.type;
  if (e.indices.length !== array.bounds.length) {
    problems.error(
      'WRONG_ARGUMENTS',
      `This array has ${array.bounds.length} dimension${array.bounds.length > 1 ? 's' : ''}, but ${e.indices.length} ${e.indices.length > 1 ? 'indices are' : 'index is'} given.`,
      e.at,
    );
    return undefined;
  }
  const indices: Checked[] = e.indices.map((i, n) => {
    const c = scope.project.parts.expression(scope, i);
    if (c.kind === 'invalid') return c;
    if (!isInteger(c.type) && c.type.kind !== 'anyInt') {
      problems.error('TYPE_MISMATCH', `An index is a whole number, but this is ${typeText(c.type)}.`, i.at);
      return invalid(i.at);
    }
    const b = array.bounds[n]!;
    if (c.kind === 'constant' && !array.open && (Number(c.value) < b.low || Number(c.value) > b.high)) {
      problems.error('OUT_OF_RANGE', `The index ${c.value} is outside ${b.low}..${b.high}.`, i.at);
      return invalid(i.at);
    }
    return c.kind === 'constant'
      ? coerce(scope, c, elementary('DINT'))
      : { kind: 'convert', arg: c, type: elementary('LINT'), at: c.at };
  });
  if (indices.some((i) => i.kind === 'invalid')) return undefined;
  if (!array.open) return { kind: 'element', base, array, indices, type: array.element, at: e.at };
  return { kind: 'element', base, array, indices, bounds: openBounds(base, e.at), type: array.element, at: e.at };
}

/** The bounds of an ARRAY [*]: they came with the call. */
export function openBounds(base: Place, at: Span): { low: Checked; high: Checked }[] {
  const { bounds } = rootOf(base);
  const read = (v: Variable): Checked => ({
    kind: 'read',
    place: { kind: 'variable', variable: v, type: v.type, at },
    type: v.type,
    at,
  });
  return (bounds ?? []).map((b) => ({ low: read(b.low), high: read(b.high) }));
}

const PART_BITS = { X: 1, B: 8, W: 16, D: 32, L: 64 } as const;
const PART_TYPES = { X: 'BOOL', B: 'BYTE', W: 'WORD', D: 'DWORD', L: 'LWORD' } as const;

const PART_WORDS = { X: 'bit', B: 'byte', W: 'word', D: 'double word', L: 'long word' } as const;

function partPlace(scope: PouScope, e: Expression & { kind: 'part' }): Place | undefined {
  const base = placeOf(scope, e.base);
  if (!base) return undefined;
  if (!isBits(base.type) && !isInteger(base.type)) {
    if (base.type.kind !== 'unknown')
      scope.project.problems.error('TYPE_MISMATCH', `${typeText(base.type)} has no bits to take apart.`, e.at);
    return undefined;
  }
  const shift = e.index * PART_BITS[e.size];
  if (shift + PART_BITS[e.size] > sizeOf(base.type) * 8) {
    scope.project.problems.error(
      'OUT_OF_RANGE',
      `${typeText(base.type)} has ${(sizeOf(base.type) * 8) / PART_BITS[e.size]} ${PART_WORDS[e.size]}${sizeOf(base.type) * 8 === PART_BITS[e.size] ? '' : 's'}, counted from 0; there is no '.${e.size === 'X' ? '' : `%${e.size}`}${e.index}'.`,
      e.at,
    );
    return undefined;
  }
  return { kind: 'part', base, shift, type: elementary(PART_TYPES[e.size]), at: e.at };
}

/** A variable for an address used directly in the logic (6.5.5); the same one each time. */
function directPlace(scope: PouScope, text: string, at: Span): Place | undefined {
  const { globals, problems } = scope.project;
  const existing = globals.get(key(text));
  if (existing) return { kind: 'variable', variable: existing, type: existing.type, at };
  const a = parseAddress(text);
  if (!a) {
    problems.error(
      'BAD_ADDRESS',
      `'${text}' is not an address; write for example %IX0.0 (bits 0 to 7), %QW2 or %MD4.`,
      at,
    );
    return undefined;
  }
  const address: Address = {
    area: a.area,
    byte: a.byte,
    size: a.size,
    text,
    ...(a.bit !== undefined ? { bit: a.bit } : {}),
  };
  const variable: Variable = {
    name: text,
    type: elementary(a.width),
    section: 'hidden',
    at,
    isConstant: false,
    isRetained: false,
    address,
    home: { kind: 'global' },
  };
  globals.set(key(text), variable);
  return { kind: 'variable', variable, type: variable.type, at };
}

/** Records a use of a place and gives its value. Constants are read as their value. */
export function readsAsValue(scope: PouScope, place: Place): Checked {
  noteUse(scope, place, false);
  if (
    place.kind === 'variable' &&
    place.variable.isConstant &&
    place.variable.initial !== undefined &&
    typeof place.variable.initial !== 'object'
  ) {
    return { kind: 'constant', value: place.variable.initial, type: place.type, at: place.at };
  }
  return { kind: 'read', place, type: place.type, at: place.at };
}

export function noteUse(scope: PouScope, place: Place, isWrite: boolean): void {
  const variable = rootOf(place);
  const root = rootPlace(place);
  scope.project.references.push({
    variable,
    at: root.at,
    isWrite,
    path: place.at.source.text.slice(place.at.start, place.at.end),
    ...(root.kind === 'variable' && root.alias ? { alias: root.alias } : {}),
  });
}

const rootPlace = (p: Place): Place => (p.kind === 'variable' ? p : rootPlace(p.base));

/** A place that may be assigned to; reports why not. */
export function writablePlace(scope: PouScope, e: Expression): Place | undefined {
  const place = placeOf(scope, e);
  if (!place) return undefined;
  const { problems } = scope.project;
  const v = rootOf(place);
  noteUse(scope, place, true);
  const refuse = (message: string): undefined => {
    problems.error('NOT_WRITABLE', message, e.at);
    return undefined;
  };
  if (v.isConstant) return refuse(`'${v.name}' is a constant and cannot be written.`);
  const isOwn =
    v.owner !== undefined && (v.owner === scope.pou?.name || (scope.pou !== undefined && isWithin(scope, v.owner)));
  if (v.section === 'input' && isOwn && !throughReference(place))
    return refuse(`'${v.name}' is an input of ${v.owner}; only its caller can write it.`);
  // From outside only inputs of an instance are writable (choices.md).
  for (let p: Place = place; p.kind !== 'variable'; p = p.base) {
    if (
      p.kind === 'member' &&
      p.base.type.kind === 'block' &&
      !(p.base.kind === 'variable' && p.base.variable.name === 'THIS')
    ) {
      const { offset } = p;
      const m = p.base.type.layout.members.find((x) => x.offset === offset);
      if (m && m.section !== 'input' && m.section !== 'inout' && !(m.section === 'local' && m.access === 'PUBLIC'))
        return refuse(
          `'${m.name}' is ${m.section === 'output' ? 'an output' : 'an inner variable'} of ${typeText(p.base.type)}; only its inputs can be written from outside.`,
        );
    }
  }
  return place;
}

/** What an input refers to is not the input itself. */
const throughReference = (p: Place): boolean =>
  p.kind !== 'variable' && (p.kind === 'target' || throughReference(p.base));

/** Whether the instance at a place is surely of the type it is declared with, and not of one derived from it. */
export function isExact(p: Place): boolean {
  if (p.kind === 'variable') return p.variable.section !== 'inout';
  return p.kind !== 'target' && !(p.kind === 'member' && p.isReference);
}

/** A composite place used as a whole (assignment of structures and arrays, in-out arguments). */
export function isWhole(t: Type): boolean {
  return !isScalar(t) && t.kind !== 'unknown' && t.kind !== 'string' && t.kind !== 'ref' && t.kind !== 'interface';
}
