/** Which tags of a program hold steps. */
import type { Image } from '../compile/image.js';
import { type Project, MACHINE } from '../document/document.js';
import { stepTagOf } from '../document/step-names.js';
import { findPath } from '../runtime/paths.js';
import { usedAsSteps } from './used-as-steps.js';
import { type BlockType, type Type, isInteger } from '../types/type.js';

export interface StepTag {
  readonly path: string;
  readonly type: string;
  /** A whole number, no enumeration. */ readonly isNumber?: true;
  /** Names of its values; a number has the names that its tag gives it. */ readonly names: Readonly<
    Record<number, string>
  >;
  /** The plan's sequence whose steps it holds. */ readonly sequence?: string;
  /** The value it begins with, where the plan tells it. */ readonly first?: number;
}

const MOST = 200,
  DEEP = 4;

/**
 * Tags, variables and members of instances whose type is an enumeration, whole numbers whose values have names, and
 * those that hold the step of a sequence of the plan; these come first, and whole numbers without names that the logic
 * uses as steps last. The machine model's own are left out. `also`: paths of whole numbers that somebody asks for.
 */
export function stepTags(project: Project, image: Image, also: readonly string[] = []): readonly StepTag[] {
  const found = new Map<string, StepTag>();
  const put = (path: string, type: Type, named?: Readonly<Record<number, string>>, most = MOST) => {
    const key = path.toLowerCase();
    if (found.has(key) || found.size >= most) return;
    if (type.kind === 'enum') found.set(key, { path, type: type.name, names: enumNames(type) });
    else if (isInteger(type) && named)
      found.set(key, { path, type: 'name' in type ? String(type.name) : 'INT', isNumber: true, names: named });
  };
  const sequences = project.plan?.sequences ?? [];
  for (const s of sequences) {
    const path = stepTagOf(s, sequences),
      at = findPath(image, path);
    if ('error' in at) continue;
    put(path, at.location.type, namesOf(project, path) ?? {});
    const tag = found.get(path.toLowerCase());
    if (!tag || tag.sequence !== undefined) continue;
    const first = valueNamed(tag.names, s.steps[0]?.name);
    found.set(path.toLowerCase(), { ...tag, sequence: s.id, ...(first === undefined ? {} : { first }) });
  }
  const { paths, instances } = partsOf(image);
  for (const [path, type] of paths) put(path, type, namesOf(project, path));
  // What a program or block has of its own by that name comes before the tag.
  const ofType = new Map<string, { readonly type: BlockType; readonly paths: string[] }>();
  for (const [path, type] of instances) {
    const key = type.name.toLowerCase(),
      known = ofType.get(key);
    if (known) known.paths.push(path);
    else ofType.set(key, { type, paths: [path] });
  }
  const used = new Set(
    usedAsSteps(project).flatMap((u) => {
      const own = ofType.get(u.pou),
        first = u.path.split('.')[0];
      return own?.type.layout.members.some((m) => m.name.toLowerCase() === first)
        ? own.paths.map((path) => `${path}.${u.path}`.toLowerCase())
        : [u.path];
    }),
  );
  for (const [path, type] of paths) if (used.has(path.toLowerCase())) put(path, type, {});
  // What is asked for is among them however many there are.
  const asked = new Set(also.map((p) => p.toLowerCase()));
  for (const [path, type] of paths) if (asked.has(path.toLowerCase())) put(path, type, {}, Infinity);
  return [...found.values()];
}

/** Whole numbers of the program, without the machine model's: the values of any of them can be steps. */
export const wholeNumbers = (image: Image): readonly string[] =>
  partsOf(image).paths.flatMap(([path, type]) => (isInteger(type) ? [path] : []));

/** Tags, variables and members of instances, without elements of arrays and what is the machine model's. */
function partsOf(image: Image): {
  readonly paths: readonly (readonly [path: string, type: Type])[];
  readonly instances: readonly (readonly [path: string, type: BlockType])[];
} {
  const paths: (readonly [path: string, type: Type])[] = [],
    instances: (readonly [path: string, type: BlockType])[] = [];
  const walk = (path: string, type: Type, depth: number) => {
    paths.push([path, type]);
    if (depth >= DEEP) return;
    if (type.kind === 'block') {
      instances.push([path, type]);
      for (const m of type.layout.members)
        if (m.section !== 'hidden' && m.section !== 'inout') walk(`${path}.${m.name}`, m.type, depth + 1);
    }
    if (type.kind === 'struct') for (const m of type.members) walk(`${path}.${m.name}`, m.type, depth + 1);
  };
  for (const s of image.symbols.values()) {
    if (s.isView || s.name.toLowerCase().split('.')[0] === MACHINE.toLowerCase()) continue;
    walk(s.name, s.type, 0);
  }
  return { paths, instances };
}

/** The value with this name, however it is spelled in capitals; undefined where none has it. */
export function valueNamed(names: Readonly<Record<number, string>>, name: string | undefined): number | undefined {
  const hit = Object.entries(names).find(([, n]) => n.toLowerCase() === name?.toLowerCase());
  return hit && Number(hit[0]);
}

const enumNames = (t: Extract<Type, { kind: 'enum' }>): Record<number, string> =>
  Object.fromEntries(t.values.map((v) => [Number(v.value), v.name]));

/** Names that a whole number's tag gives its values. */
const namesOf = (project: Project, path: string): Readonly<Record<number, string>> | undefined => {
  const tag = project.tags.find((t) => t.name.toLowerCase() === path.toLowerCase());
  return tag?.valueNames ? readValueNames(tag.valueNames) : undefined;
};

/** `0 Idle, 10 Fill, 20 Mix` as names by value; parts that are none are left out. */
export function readValueNames(text: string): Readonly<Record<number, string>> {
  return Object.fromEntries(
    text.split(',').flatMap((part) => {
      const m = /^\s*(-?\d+)\s*[:=]?\s*(\S.*?)\s*$/.exec(part);
      return m ? [[Number(m[1]), m[2]!]] : [];
    }),
  );
}
