/** Type specifications to types, with their sizes; recursion and unknown names are reported once. */
import { didYouMean } from '../language/diagnostic.js';
import type { Expression, Initial, TypeSpec } from '../language/tree.js';
import {
  type Constant, type ElementaryName, type Member, type Type, UNKNOWN, alignOf, defaultValue, elementCount, elementary, elementaryByName,
  DEFAULT_STRING_MAX, ELEMENTARY_NAMES, isReal, rangeOf, roundUp, sizeOf, typeText,
} from '../types/type.js';
import { checkExpression, coerce } from './expressions.js';
import { layoutBlock } from './pou.js';
import { type PouScope, key } from './scope.js';

const MAX_BYTES = 16 * 1024 * 1024;

export function resolveType(scope: PouScope, spec: TypeSpec, name = ''): Type {
  const { project } = scope;
  switch (spec.kind) {
    case 'named': return namedType(scope, spec.name.text, spec.at);
    case 'array': return arrayType(scope, spec);
    case 'struct': return structType(scope, spec, name);
    case 'enum': return enumType(scope, spec, name);
    case 'subrange': {
      const base = elementaryByName(spec.base.text);
      const low = constantInteger(scope, spec.low), high = constantInteger(scope, spec.high);
      if (!base || low === undefined || high === undefined) {
        if (!base) project.problems.error('UNKNOWN_TYPE', `'${spec.base.text}' is not an integer type.`, spec.base.at);
        return UNKNOWN;
      }
      const range = rangeOf(base.name);
      if (low > high || low < range.low || high > range.high) {
        project.problems.error('OUT_OF_RANGE', `The limits ${low}..${high} do not lie in ${base.name} (${range.low}..${range.high}), lower one first.`, spec.at);
        return UNKNOWN;
      }
      return { kind: 'subrange', name, base: base.name, low, high };
    }
    case 'string': {
      const max = spec.length ? constantInteger(scope, spec.length) : BigInt(DEFAULT_STRING_MAX);
      if (max === undefined) return UNKNOWN;
      if (max < 1n || max > 32767n) {
        project.problems.error('OUT_OF_RANGE', `A string holds 1 to 32767 characters, not ${max}.`, spec.length!.at);
        return UNKNOWN;
      }
      return { kind: 'string', wide: spec.wide, max: Number(max) };
    }
    case 'ref':
    {
      const target = resolveType(scope, spec.target);
      return target.kind === 'unknown' ? UNKNOWN : { kind: 'ref', target };
    }
  }
}

function namedType(scope: PouScope, name: string, at: TypeSpec['at']): Type {
  const { project } = scope;
  if (!name) return UNKNOWN;
  const simple = elementaryByName(name);
  if (simple) return simple;
  const done = project.types.get(key(name));
  if (done) return done;
  const decl = project.typeDecls.get(key(name));
  if (decl) {
    if (project.open.has(`type ${key(name)}`)) {
      project.problems.error('RECURSION', `The type '${decl.name.text}' contains itself.`, at);
      return UNKNOWN;
    }
    project.open.add(`type ${key(name)}`);
    const type = resolveType({ project, variables: new Map() }, decl.spec, decl.name.text);
    project.open.delete(`type ${key(name)}`);
    project.types.set(key(name), type);
    if (decl.initial) {
      const initial = initialValue({ project, variables: new Map() }, decl.initial, type);
      if (initial !== undefined) project.typeInitials.set(type, initial);
    }
    return type;
  }
  const block = project.pouDecls.get(key(name)) ?? project.library.get(key(name));
  if (block?.pou === 'FUNCTION_BLOCK') {
    const pou = layoutBlock(project, block, at);
    return pou ? { kind: 'block', name: pou.name, layout: pou.layout } : UNKNOWN;
  }
  if (block) project.problems.error('UNKNOWN_TYPE', `'${name}' is a ${block.pou.toLowerCase()}, not a type.`, at);
  else project.problems.error('UNKNOWN_TYPE', `There is no type '${name}'.${didYouMean(name, [...ELEMENTARY_NAMES, ...[...project.typeDecls.values()].map((t) => t.name.text), ...[...project.pouDecls.values()].map((p) => p.name.text), ...[...project.library.values()].map((p) => p.name.text)])}`, at);
  return UNKNOWN;
}

function arrayType(scope: PouScope, spec: TypeSpec & { kind: 'array' }): Type {
  const { problems } = scope.project;
  const bounds: { low: number; high: number }[] = [];
  for (const r of spec.ranges) {
    const low = constantInteger(scope, r.low), high = constantInteger(scope, r.high);
    if (low === undefined || high === undefined) return UNKNOWN;
    if (high < low || high - low > 10_000_000n) {
      problems.error('OUT_OF_RANGE', `The bounds ${low}..${high} must run upwards over at most 10 million elements.`, r.low.at);
      return UNKNOWN;
    }
    bounds.push({ low: Number(low), high: Number(high) });
  }
  const element = resolveType(scope, spec.element);
  if (element.kind === 'unknown') return UNKNOWN;
  const type: Type = { kind: 'array', bounds, element };
  if (elementCount(type) * sizeOf(element) > MAX_BYTES) {
    problems.error('OUT_OF_RANGE', `This array needs ${elementCount(type) * sizeOf(element)} bytes; at most ${MAX_BYTES} are possible.`, spec.at);
    return UNKNOWN;
  }
  return type;
}

function structType(scope: PouScope, spec: TypeSpec & { kind: 'struct' }, name: string): Type {
  const members: Member[] = [];
  let offset = 0, align = 1;
  const seen = new Set<string>();
  for (const d of spec.members) {
    const type = resolveType(scope, d.type);
    for (const n of d.names) {
      if (seen.has(key(n.text))) scope.project.problems.error('DUPLICATE_NAME', `The structure has a member '${n.text}' already.`, n.at);
      seen.add(key(n.text));
      if (type.kind === 'unknown') continue;
      const initial = (d.initial && initialValue(scope, d.initial, type)) ?? scope.project.typeInitials.get(type);
      offset = roundUp(offset, alignOf(type));
      members.push({ name: n.text, type, offset, ...(initial !== undefined ? { initial } : {}) });
      offset += sizeOf(type);
      align = Math.max(align, alignOf(type));
    }
  }
  return { kind: 'struct', name: name || 'STRUCT', members, size: Math.max(roundUp(offset, align), 1), align };
}

function enumType(scope: PouScope, spec: TypeSpec & { kind: 'enum' }, name: string): Type {
  const { project } = scope;
  const base = spec.base ? elementaryByName(spec.base.text) : elementary('INT');
  if (!base) {
    project.problems.error('UNKNOWN_TYPE', `'${spec.base!.text}' is not an integer type.`, spec.base!.at);
    return UNKNOWN;
  }
  let next = 0n;
  const values: { name: string; value: bigint }[] = [];
  for (const v of spec.values) {
    if (values.some((o) => key(o.name) === key(v.name.text))) project.problems.error('DUPLICATE_NAME', `'${v.name.text}' is a value of this enumeration already.`, v.name.at);
    const value = v.value ? (constantInteger(scope, v.value) ?? next) : next;
    values.push({ name: v.name.text, value });
    next = value + 1n;
  }
  const type: Type = { kind: 'enum', name: name || 'enumeration', base: base.name, values };
  for (const v of values) project.enumValues.set(key(v.name), [...(project.enumValues.get(key(v.name)) ?? []), { type, value: v.value }]);
  return type;
}

/** An integer that must be known before the run (bounds, lengths, repetitions). */
export function constantInteger(scope: PouScope, e: Expression): bigint | undefined {
  const c = checkExpression(scope, e);
  if (c.kind === 'constant' && typeof c.value === 'bigint') return c.value;
  if (c.kind !== 'invalid') scope.project.problems.error('NOT_CONSTANT', 'This must be a whole number known before the run: a literal or a constant.', e.at);
  return undefined;
}

/** The constant a declaration starts with. */
export function initialValue(scope: PouScope, init: Initial, type: Type): Constant | undefined {
  const { problems } = scope.project;
  if (type.kind === 'unknown') return undefined;
  if (init.kind === 'array') {
    if (type.kind !== 'array') { problems.error('TYPE_MISMATCH', `A list in brackets needs an array, but this is ${typeText(type)}.`, init.at); return undefined; }
    return arrayInitial(scope, init, type);
  }
  if (init.kind === 'struct') {
    if (type.kind !== 'struct' && type.kind !== 'block') { problems.error('TYPE_MISMATCH', `Values of members need a structure, but this is ${typeText(type)}.`, init.at); return undefined; }
    const members: readonly Member[] = type.kind === 'struct' ? type.members : type.layout.members;
    const result = new Map<string, Constant>((defaultValue(type) as { members: Map<string, Constant> }).members);
    for (const m of init.members) {
      const member = members.find((x) => key(x.name) === key(m.name.text));
      if (!member) { problems.error('UNKNOWN_MEMBER', `${typeText(type)} has no member '${m.name.text}'.${didYouMean(m.name.text, members.map((x) => x.name))}`, m.name.at); continue; }
      const v = initialValue(scope, m.value, member.type);
      if (v !== undefined) result.set(key(member.name), v);
    }
    return { members: result };
  }
  const c = coerce(scope, checkExpression(scope, init.value, type), type);
  if (c.kind === 'constant') {
    if (type.kind === 'subrange' && typeof c.value === 'bigint' && (c.value < type.low || c.value > type.high)) problems.error('OUT_OF_RANGE', `${c.value} is outside ${typeText(type)} (${type.low}..${type.high}).`, init.at);
    return isReal(type) ? Number(c.value) : c.value;
  }
  if (c.kind !== 'invalid') problems.error('NOT_CONSTANT', 'An initial value must be known before the run: a literal or a constant.', init.at);
  return undefined;
}

function arrayInitial(scope: PouScope, init: Initial & { kind: 'array' }, type: Type & { kind: 'array' }): Constant {
  const count = elementCount(type);
  const fallback = scope.project.typeInitials.get(type.element) ?? defaultValue(type.element);
  const values: Constant[] = [];
  for (const item of init.items) {
    const times = item.count ? Number(constantInteger(scope, item.count) ?? 1n) : 1;
    const value = item.value ? (initialValue(scope, item.value, type.element) ?? fallback) : fallback;
    for (let i = 0; i < times && values.length <= count; i++) values.push(value);
  }
  if (values.length > count) scope.project.problems.error('OUT_OF_RANGE', `The array has ${count} elements; the list has more.`, init.at);
  while (values.length < count) values.push(fallback);
  return { array: values.slice(0, count) };
}

/** `%QX0.3` in parts; bytes count whatever the width (architecture.md 11). */
export function parseAddress(text: string): { area: 'I' | 'Q' | 'M'; width: ElementaryName; byte: number; bit?: number; size: number } | undefined {
  const m = /^%([IQM])([XBWDL]?)(\d+)(?:\.(\d+))?$/i.exec(text);
  if (!m) return undefined;
  const area = m[1]!.toUpperCase() as 'I';
  const letter = (m[2] || 'X').toUpperCase();
  const byte = Number(m[3]);
  if (letter === 'X') {
    const bit = m[4] === undefined ? 0 : Number(m[4]);
    return bit > 7 || byte > 65535 ? undefined : { area, width: 'BOOL', byte, bit, size: 1 };
  }
  if (m[4] !== undefined || byte > 65535) return undefined;
  const width = ({ B: 'BYTE', W: 'WORD', D: 'DWORD', L: 'LWORD' } as const)[letter as 'B'];
  return { area, width, byte, size: { BYTE: 1, WORD: 2, DWORD: 4, LWORD: 8 }[width] };
}

