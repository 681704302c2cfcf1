/** Type specifications to types, with their sizes; recursion and unknown names are reported once. */
import { didYouMean } from '../language/diagnostic.js';
import type { Expression, Initial, TypeDecl, TypeSpec } from '../language/tree.js';
import {
  type BlockLayout,
  type Constant,
  type Member,
  type Struct,
  type Type,
  UNKNOWN,
  alignOf,
  defaultValue,
  elementCount,
  elementary,
  elementaryByName,
  DEFAULT_STRING_MAX,
  ELEMENTARY_NAMES,
  isInteger,
  isReal,
  rangeOf,
  roundUp,
  sizeOf,
  typeText,
} from '../types/type.js';
import { type Where, fixedAddress } from '../checked/tree.js';
import { checkInterface } from './classes.js';
import { checkExpression } from './expressions.js';
import { coerce } from '../names/values.js';
import { type PouScope, type ProjectScope, bareScope, findNamed, fullName, key, namesOf } from '../names/scope.js';

const MAX_BYTES = 16 * 1024 * 1024;
/** All that a project keeps, in bytes (choices.md). */
export const MAX_STATE = 64 * 1024 * 1024;

export interface TypeOptions {
  /** A parameter: ARRAY [*] and an ABSTRACT block may stand here. */
  readonly isParameter?: boolean;
  /** Behind REF_TO: a type may refer to itself. */
  readonly byReference?: boolean;
}

export function resolveType(scope: PouScope, spec: TypeSpec, name = '', options: TypeOptions = {}): Type {
  const { project } = scope;
  switch (spec.kind) {
    case 'named':
      return namedType(scope, spec.name.text, spec.at, options);
    case 'array':
      return arrayType(scope, spec, options);
    case 'struct':
      return structType(scope, spec, name);
    case 'enum':
      return enumType(scope, spec, name);
    case 'subrange': {
      const alias = elementaryByName(spec.base.text) ?? namedType(scope, spec.base.text, spec.base.at, {});
      const base = alias.kind === 'elementary' ? alias : undefined;
      const low = constantInteger(scope, spec.low),
        high = constantInteger(scope, spec.high);
      if (!base || low === undefined || high === undefined) {
        if (!base && alias.kind !== 'unknown')
          project.problems.error('UNKNOWN_TYPE', `'${spec.base.text}' is not an integer type.`, spec.base.at);
        return UNKNOWN;
      }
      if (!isInteger(base)) {
        project.problems.error('TYPE_MISMATCH', `A subrange needs an integer type, not ${base.name}.`, spec.base.at);
        return UNKNOWN;
      }
      const range = rangeOf(base.name);
      if (low > high || low < range.low || high > range.high) {
        project.problems.error(
          'OUT_OF_RANGE',
          `The limits ${low}..${high} do not lie in ${base.name} (${range.low}..${range.high}), lower one first.`,
          spec.at,
        );
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
    case 'ref': {
      const target = resolveType(scope, spec.target, '', { byReference: true });
      return target.kind === 'unknown' ? UNKNOWN : { kind: 'ref', target };
    }
  }
}

function namedType(scope: PouScope, name: string, at: TypeSpec['at'], options: TypeOptions): Type {
  const { project } = scope;
  if (!name) return UNKNOWN;
  const simple = elementaryByName(name);
  if (simple) return simple;
  const decl = findNamed(project, name, scope.context);
  const id = decl && key(fullName(decl));
  if (decl?.kind === 'type') return declaredType(project, decl, id!, at, options);
  if (decl?.kind === 'interface')
    return checkInterface(project, decl, at)
      ? { kind: 'interface', name: fullName(decl) }
      : project.open.has(`interface ${id}`)
        ? { kind: 'interface', name: fullName(decl) }
        : UNKNOWN;
  if (decl?.kind === 'pou' && (decl.pou === 'FUNCTION_BLOCK' || decl.pou === 'CLASS')) {
    if (options.byReference && project.open.has(id!))
      return { kind: 'block', name: fullName(decl), layout: openLayout(project, id!) };
    const pou = project.parts.block(project, decl, at);
    if (pou?.isAbstract && !options.byReference && !options.isParameter)
      project.problems.error('ABSTRACT', `'${name}' is ABSTRACT; only what is derived from it can have instances.`, at);
    return pou ? { kind: 'block', name: pou.name, layout: pou.layout } : UNKNOWN;
  }
  if (decl) project.problems.error('UNKNOWN_TYPE', `'${name}' is a ${decl.pou.toLowerCase()}, not a type.`, at);
  else
    project.problems.error(
      'UNKNOWN_TYPE',
      `There is no type '${name}'.${didYouMean(name, [...ELEMENTARY_NAMES, ...namesOf(project, () => true), ...[...project.library.values()].map((p) => p.name.text)])}`,
      at,
    );
  return UNKNOWN;
}

function declaredType(
  project: ProjectScope,
  decl: TypeDecl,
  id: string,
  at: TypeSpec['at'],
  options: TypeOptions,
): Type {
  const done = project.types.get(id);
  if (done && (options.byReference || !project.open.has(`type ${id}`))) return done;
  if (project.open.has(`type ${id}`)) {
    project.problems.error(
      'RECURSION',
      `The type '${decl.name.text}' contains itself; a REF_TO it would be possible.`,
      at,
    );
    return UNKNOWN;
  }
  project.open.add(`type ${id}`);
  const scope = bareScope(project, decl.context);
  // A structure is known before its members are, so that they may refer to it.
  const early: Struct | undefined =
    decl.spec.kind === 'struct' ? { kind: 'struct', name: fullName(decl), members: [], size: 0, align: 1 } : undefined;
  if (early) project.types.set(id, early);
  let type = resolveType(scope, decl.spec, fullName(decl));
  if (early && type.kind === 'struct') type = Object.assign(early, type);
  const initial = decl.initial ? initialValue(scope, decl.initial, type) : project.typeInitials.get(type);
  // An alias with a start value of its own is an object of its own: the start value belongs to it alone.
  if (decl.initial && decl.spec.kind === 'named') type = { ...type };
  if (initial !== undefined) project.typeInitials.set(type, initial);
  project.open.delete(`type ${id}`);
  project.types.set(id, type);
  return type;
}

/** The layout of a block that is being laid out; it is filled in by the time anything reads it. */
function openLayout(project: ProjectScope, id: string): BlockLayout {
  let layout = project.openLayouts.get(id);
  if (!layout) {
    layout = { members: [], size: 0, align: 1 };
    project.openLayouts.set(id, layout);
  }
  return layout;
}

function arrayType(scope: PouScope, spec: TypeSpec & { kind: 'array' }, options: TypeOptions): Type {
  const { problems } = scope.project;
  if (!spec.ranges.length) {
    const element = resolveType(scope, spec.element);
    if (!options.isParameter) {
      problems.error(
        'MISPLACED',
        'An array of any length can only be a parameter: VAR_IN_OUT, or VAR_INPUT of a function or method.',
        spec.at,
      );
      return UNKNOWN;
    }
    return element.kind === 'unknown'
      ? UNKNOWN
      : {
          kind: 'array',
          bounds: Array.from({ length: spec.dimensions }, () => ({ low: 0, high: -1 })),
          element,
          open: true,
        };
  }
  const bounds: { low: number; high: number }[] = [];
  for (const r of spec.ranges) {
    const low = constantInteger(scope, r.low),
      high = constantInteger(scope, r.high);
    if (low === undefined || high === undefined) return UNKNOWN;
    if (high < low || high - low >= 16_777_216n) {
      problems.error(
        'OUT_OF_RANGE',
        `The bounds ${low}..${high} must run upwards over at most 16,777,216 elements.`,
        r.low.at,
      );
      return UNKNOWN;
    }
    bounds.push({ low: Number(low), high: Number(high) });
  }
  const element = resolveType(scope, spec.element);
  if (element.kind === 'unknown') return UNKNOWN;
  const type: Type = { kind: 'array', bounds, element };
  if (elementCount(type) * sizeOf(element) > MAX_BYTES) {
    problems.error(
      'OUT_OF_RANGE',
      `This array needs ${elementCount(type) * sizeOf(element)} bytes; at most ${MAX_BYTES} are possible.`,
      spec.at,
    );
    return UNKNOWN;
  }
  // Elements whose type has an initial value of its own begin with it.
  const start = scope.project.typeInitials.get(element);
  if (start !== undefined)
    scope.project.typeInitials.set(type, { array: new Array<Constant>(elementCount(type)).fill(start) });
  return type;
}

function structType(scope: PouScope, spec: TypeSpec & { kind: 'struct' }, name: string): Type {
  const { problems } = scope.project;
  const members: Member[] = [],
    lost: string[] = [];
  let offset = 0,
    align = 1,
    end = 0;
  const seen = new Set<string>();
  for (const d of spec.members) {
    const type = resolveType(scope, d.type);
    for (const n of d.names) {
      if (seen.has(key(n.text)))
        problems.error('DUPLICATE_NAME', `The structure has a member '${n.text}' already.`, n.at);
      seen.add(key(n.text));
      if (type.kind === 'unknown') {
        lost.push(n.text);
        continue;
      }
      const initial = (d.initial && initialValue(scope, d.initial, type)) ?? scope.project.typeInitials.get(type);
      // `AT %B4` places a member relative to the structure (table 11); otherwise it follows the one before.
      const given = d.address && relativeOffset(d.address.text);
      if (d.address && given === undefined)
        problems.error(
          'BAD_ADDRESS',
          `'${d.address.text}' is not a place within a structure; write for example %B4 or %W2, counted in bytes.`,
          d.address.at,
        );
      offset = given ?? roundUp(spec.overlap ? 0 : offset, alignOf(type));
      members.push({ name: n.text, type, offset, ...(initial !== undefined ? { initial } : {}) });
      offset += sizeOf(type);
      end = Math.max(end, offset);
      align = Math.max(align, alignOf(type));
    }
  }
  if (!spec.overlap) {
    const placed = [...members].sort((a, b) => a.offset - b.offset);
    for (const [i, m] of placed.slice(1).entries())
      if (m.offset < placed[i]!.offset + sizeOf(placed[i]!.type))
        problems.error(
          'OVERLAP',
          `The member '${m.name}' lies over '${placed[i]!.name}'; write STRUCT OVERLAP where that is meant.`,
          spec.at,
        );
  }
  if (!(end <= MAX_STATE)) {
    problems.error(
      'OUT_OF_RANGE',
      `The structure ${name ? `'${name}' ` : ''}needs ${end.toLocaleString('en')} bytes; all that a project keeps is at most ${MAX_STATE.toLocaleString('en')}.`,
      spec.at,
    );
    return UNKNOWN;
  }
  return {
    kind: 'struct',
    name: name || 'STRUCT',
    members,
    size: Math.max(roundUp(end, align), 1),
    align,
    ...(spec.overlap ? { overlap: true } : {}),
    ...(lost.length ? { lost } : {}),
  };
}

/** `%B4`, `%W2`, `%D8`: byte offsets, as addresses everywhere count bytes. */
function relativeOffset(text: string): number | undefined {
  const m = /^%[BWDL](\d{1,6})$/i.exec(text);
  return m ? Number(m[1]) : undefined;
}

function enumType(scope: PouScope, spec: TypeSpec & { kind: 'enum' }, name: string): Type {
  const { project } = scope;
  const base = spec.base ? elementaryByName(spec.base.text) : elementary('INT');
  if (!base || isReal(base)) {
    project.problems.error('UNKNOWN_TYPE', `'${spec.base!.text}' is not an integer type.`, spec.base!.at);
    return UNKNOWN;
  }
  let next = 0n;
  const values: { name: string; value: bigint }[] = [];
  for (const v of spec.values) {
    if (values.some((o) => key(o.name) === key(v.name.text)))
      project.problems.error('DUPLICATE_NAME', `'${v.name.text}' is a value of this enumeration already.`, v.name.at);
    const value = v.value ? (constantInteger(scope, v.value) ?? next) : next;
    values.push({ name: v.name.text, value });
    next = value + 1n;
  }
  for (const v of values)
    if (v.value < rangeOf(base.name).low || v.value > rangeOf(base.name).high)
      project.problems.error('OUT_OF_RANGE', `${v.value} does not fit ${base.name}.`, spec.at);
  const type: Type = { kind: 'enum', name: name || 'enumeration', base: base.name, values };
  for (const v of values)
    project.enumValues.set(key(v.name), [...(project.enumValues.get(key(v.name)) ?? []), { type, value: v.value }]);
  return type;
}

/** An integer that must be known before the run (bounds, lengths, repetitions). */
export function constantInteger(scope: PouScope, e: Expression): bigint | undefined {
  const c = checkExpression(scope, e);
  if (c.kind === 'constant' && typeof c.value === 'bigint') return c.value;
  if (c.kind !== 'invalid')
    scope.project.problems.error(
      'NOT_CONSTANT',
      'This must be a whole number known before the run: a literal or a constant.',
      e.at,
    );
  return undefined;
}

/** The constant a declaration starts with. */
export function initialValue(scope: PouScope, init: Initial, type: Type): Constant | undefined {
  const { problems } = scope.project;
  if (type.kind === 'unknown') return undefined;
  if (init.kind === 'array') {
    if (type.kind !== 'array') {
      problems.error('TYPE_MISMATCH', `A list in brackets needs an array, but this is ${typeText(type)}.`, init.at);
      return undefined;
    }
    return arrayInitial(scope, init, type);
  }
  if (init.kind === 'struct') {
    if (type.kind !== 'struct' && type.kind !== 'block') {
      problems.error('TYPE_MISMATCH', `Values of members need a structure, but this is ${typeText(type)}.`, init.at);
      return undefined;
    }
    const members: readonly Member[] = type.kind === 'struct' ? type.members : type.layout.members;
    const result = new Map<string, Constant>((defaultValue(type) as { members: Map<string, Constant> }).members);
    for (const m of init.members) {
      const member = members.find((x) => key(x.name) === key(m.name.text));
      if (!member) {
        problems.error(
          'UNKNOWN_MEMBER',
          `${typeText(type)} has no member '${m.name.text}'.${didYouMean(
            m.name.text,
            members.map((x) => x.name),
          )}`,
          m.name.at,
        );
        continue;
      }
      const v = initialValue(scope, m.value, member.type);
      if (v !== undefined) result.set(key(member.name), v);
    }
    return { members: result };
  }
  const c = coerce(scope, checkExpression(scope, init.value, type), type);
  if (c.kind === 'address') {
    const { place } = c;
    return { addressOf: (where, instance) => fixedAddress(place, where as Where, instance), place };
  }
  if (c.kind === 'constant' && (type.kind === 'ref' || type.kind === 'interface')) return 0n;
  if (c.kind === 'constant') {
    return isReal(type) ? Number(c.value) : c.value;
  }
  if (c.kind !== 'invalid')
    problems.error('NOT_CONSTANT', 'An initial value must be known before the run: a literal or a constant.', init.at);
  return undefined;
}

function arrayInitial(scope: PouScope, init: Initial & { kind: 'array' }, type: Type & { kind: 'array' }): Constant {
  const count = elementCount(type);
  const fallback = scope.project.typeInitials.get(type.element) ?? defaultValue(type.element);
  const values: Constant[] = [];
  for (const item of init.items) {
    const times = item.count ? Number(constantInteger(scope, item.count) ?? 1n) : 1;
    const given = item.values.length
      ? item.values.map((v) => initialValue(scope, v, type.element) ?? fallback)
      : [fallback];
    for (let i = 0; i < times && values.length <= count; i++) values.push(...given);
  }
  if (values.length > count)
    scope.project.problems.error('OUT_OF_RANGE', `The array has ${count} elements; the list has more.`, init.at);
  while (values.length < count) values.push(fallback);
  return { array: values.slice(0, count) };
}
