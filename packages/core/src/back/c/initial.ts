/** Start values as statements of C, into memory that is all zeros; runs of equal elements are written by a loop. */
import type { Place as CheckedPlace } from '../../checked/tree.js';
import { machineOf } from '../../ir/machine.js';
import type { Constant, Type } from '../../types/type.js';
import { NotInC, isOpen } from './types.js';
import { type Surroundings, dot, literal } from './surroundings.js';

const isZero = (value: Constant): boolean =>
  typeof value === 'object'
    ? 'array' in value
      ? value.array.every((v, i) => (i > 0 && v === value.array[i - 1]) || isZero(v))
      : 'members' in value && [...value.members.values()].every(isZero)
    : value === '' || value === false || value === 0n || Object.is(value, 0);

const isSame = (a: Constant, b: Constant): boolean =>
  a === b ||
  (typeof a === 'object' &&
    typeof b === 'object' &&
    'members' in a &&
    'members' in b &&
    a.members.size === b.members.size &&
    [...a.members].every(([k, v]) => b.members.has(k) && isSame(v, b.members.get(k)!)));

/** The block around a value, for references to its own variables. */
export interface Instance {
  readonly c: string;
  readonly type?: Type;
}

/** `c` is what takes the value; `instance` the block around it, for references to its own variables. */
export function initialStatements(
  around: Surroundings,
  type: Type,
  value: Constant,
  c: string,
  indent: string,
  instance: Instance = { c },
): string[] {
  if (isZero(value)) return [];
  if (typeof value === 'string')
    return [
      `${indent}text_assign(&${c}, ${type.kind === 'string' ? type.max : 0}, ${type.kind === 'string' && type.wide ? 2 : 1}, ${around.text(value, type.kind === 'string' && type.wide)});`,
    ];
  if (typeof value !== 'object')
    return [
      `${indent}${plain(c)} = ${literal(machineOf(type), typeof value === 'boolean' ? (value ? 1n : 0n) : value)};`,
    ];
  if ('addressOf' in value) {
    if (type.kind !== 'ref' && type.kind !== 'interface') throw new NotInC('a reference as the start of a value');
    return [`${indent}${plain(c)} = ${addressAtStart(around, value.place as CheckedPlace, instance)};`];
  }
  if ('array' in value) {
    if (type.kind !== 'array') throw new NotInC('an array as the start of a value');
    const lines: string[] = [];
    const { array } = value;
    for (let from = 0; from < array.length;) {
      let to = from + 1;
      while (to < array.length && isSame(array[from]!, array[to]!)) to++;
      if (!isZero(array[from]!)) {
        const element = (index: string, deeper: string) =>
          initialStatements(
            around,
            type.element,
            array[from]!,
            `${c}[${index}]`,
            deeper,
            type.element.kind === 'block' ? { c: `${c}[${index}]`, type: type.element } : instance,
          );
        if (to - from === 1) lines.push(...element(String(from), indent));
        else {
          const i = `i${indent.length / 2}`;
          lines.push(
            `${indent}for (uint32_t ${i} = ${from}u; ${i} < ${to}u; ${i}++) {`,
            ...element(i, `${indent}  `),
            `${indent}}`,
          );
        }
      }
      from = to;
    }
    return lines;
  }
  if (type.kind !== 'struct' && type.kind !== 'block') throw new NotInC('members as the start of a value');
  return (type.kind === 'struct' ? type.members : type.layout.members).flatMap((m) => {
    const v = value.members.get(m.name.toLowerCase());
    if (v === undefined || isZero(v)) return [];
    if (type.kind === 'struct' && type.overlap) {
      if (typeof v === 'object' || typeof v === 'string')
        throw new NotInC('a start value of parts that lie over others');
      return [
        `${indent}put_${machineOf(m.type)}(${dot(c)}bytes + ${m.offset}, ${literal(machineOf(m.type), typeof v === 'boolean' ? (v ? 1n : 0n) : v)});`,
      ];
    }
    const here = `${dot(c)}${around.types.member(type, m.offset, m.type).path}`;
    return initialStatements(
      around,
      m.type,
      v,
      here,
      indent,
      m.type.kind === 'block' ? { c: here, type: m.type } : instance,
    );
  });
}
const plain = (c: string): string => (c.startsWith('(*') && c.endsWith(')') ? c.slice(1, -1) : c);

/** `&logic.Motor`, for a place that is known before the run. */
function addressAtStart(around: Surroundings, p: CheckedPlace, instance: Instance): string {
  const c = fixedSpot(around, p, instance);
  return isOpen(p.type) ? c : p.type.kind === 'string' ? `(void *)&${c}` : `&${c}`;
}
/** A place that is known before the run, as C says it. */
export function fixedSpot(around: Surroundings, p: CheckedPlace, instance: Instance): string {
  switch (p.kind) {
    case 'variable': {
      if (p.variable.home.kind === 'instance') {
        if (p.variable.name === 'THIS') return instance.c;
        if (instance.type?.kind !== 'block')
          throw new NotInC('a start value that refers to a variable of its own block');
        return `${dot(instance.c)}${around.types.member(instance.type, p.variable.home.offset, p.type).path}`;
      }
      const at = around.tag(p.variable);
      if (at.kind === 'bytes') throw new NotInC('a reference to a tag that shares its memory with others');
      return at.c;
    }
    case 'member':
      if (p.base.type.kind !== 'struct' && p.base.type.kind !== 'block') throw new NotInC('members of a value');
      return `${dot(fixedSpot(around, p.base, instance))}${around.types.member(p.base.type, p.offset, p.type).path}`;
    case 'element': {
      let at = 0;
      p.indices.forEach((c, i) => {
        const b = p.array.bounds[i]!;
        at = at * (b.high - b.low + 1) + (c.kind === 'constant' ? Number(c.value) : b.low) - b.low;
      });
      return `${fixedSpot(around, p.base, instance)}[${at}]`;
    }
    default:
      throw new NotInC('a start value that refers through a reference');
  }
}
