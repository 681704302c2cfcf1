/**
 * What an editor of structured text asks: what stands here, where it is declared and used, what could stand here.
 * Offsets are in the text as the project keeps it.
 */
import type { CheckedPou, Reference, Variable } from '../checked/tree.js';
import { standardFunctionNames } from '../library/functions.js';
import { OWN_BLOCKS } from '../library/own.js';
import { SYSTEM, SYSTEM_TAGS } from '../library/system.js';
import { STANDARD_BLOCKS } from '../library/blocks.js';
import { Problems } from '../language/diagnostic.js';
import { parseFile } from '../language/parser.js';
import { type Origin, type Source, makeSource, positionOf } from '../language/source.js';
import type { Statement } from '../language/tree.js';
import { type Image, branchProbe } from '../compile/image.js';
import { findPath } from '../runtime/paths.js';
import { type Type, ELEMENTARY_NAMES, baseOf, typeText } from '../types/type.js';
import type { Compiled } from '../workspace/compile.js';
import type { Project } from '../document/document.js';
import type { Edit } from '../document/edits/index.js';
import { unfinishedRungs } from './uses.js';
import { changeOf } from '../document/edits/texts.js';
import { renameTag, replaceName } from './rename.js';

/** Where a text stands: a whole text of a block, or a rung's line. */
export type TextPlace = { readonly kind: 'pou'; readonly id: string } | { readonly kind: 'rung'; readonly id: string };

const isAt = (o: Origin, place: TextPlace): boolean =>
  (o.kind === 'pou' && place.kind === 'pou' && o.id === place.id) ||
  (o.kind === 'rung' && place.kind === 'rung' && o.rungId === place.id);

/** The use of a variable that an offset stands on. */
function referenceAt(compiled: Compiled, place: TextPlace, offset: number): Reference | undefined {
  return compiled.program.references.find(
    (r) => isAt(r.at.source.origin, place) && offset >= r.at.start && offset <= r.at.end,
  );
}
function variableAt(compiled: Compiled, place: TextPlace, offset: number): Variable | undefined {
  const used = referenceAt(compiled, place, offset);
  if (used) return used.variable;
  return variablesOf(compiled).find(
    (v) => isAt(v.at.source.origin, place) && offset >= v.at.start && offset <= v.at.end,
  );
}
const variablesOf = (compiled: Compiled): readonly Variable[] => [
  ...compiled.program.globals,
  ...compiled.program.pous.flatMap((p) => p.variables),
];

export interface HoverFact {
  readonly name: string;
  readonly type: string;
  readonly section: string;
  readonly description?: string;
  readonly address?: string;
  /** The path its value is read by, where there is one instance to read. */
  readonly path?: string;
  readonly start: number;
  readonly end: number;
}

/** What stands at an offset; undefined where nothing is known of it. */
export function hoverAt(project: Project, compiled: Compiled, place: TextPlace, offset: number): HoverFact | undefined {
  const used = referenceAt(compiled, place, offset);
  const v = used?.variable ?? variableAt(compiled, place, offset);
  if (!v) return undefined;
  const tag =
    v.section === 'global' ? project.tags.find((t) => t.name.toLowerCase() === v.name.toLowerCase()) : undefined;
  const span = used?.at ?? v.at;
  const owner = v.owner ? valueRoot(compiled, v.owner) : '';
  return {
    name: v.name,
    type: typeText(v.type),
    section: SECTIONS[v.section] ?? v.section,
    start: span.start,
    end: span.end,
    ...(tag?.description ? { description: tag.description } : {}),
    ...(v.address ? { address: v.address.text } : {}),
    ...(owner !== undefined ? { path: owner ? `${owner}.${used?.path ?? v.name}` : (used?.path ?? v.name) } : {}),
  };
}
const SECTIONS: Readonly<Record<string, string>> = {
  global: 'tag',
  input: 'input',
  output: 'output',
  inout: 'in-out',
  local: 'local',
  temp: 'temporary',
  result: 'result',
  hidden: '',
  bound: 'bound',
};

/**
 * The path of the instance whose values are shown for a program or block: the program itself, or the first instance of
 * a block.
 */
export function valueRoot(compiled: Compiled, pou: string): string | undefined {
  const run = compiled.program.instances.find((i) => i.pou.name.toLowerCase() === pou.toLowerCase());
  if (run) return run.name;
  return instancesOf(compiled, pou)[0];
}

/** What a page shows of a tag or variable beside its value. */
export interface TagFacts {
  readonly type: string;
  /** Set for a function block instance. */ readonly block?: string;
  readonly values?: readonly string[];
}
/** Facts by lower-case name. */
export const factsOf = (
  variables: readonly { readonly name: string; readonly type: Type }[],
): Readonly<Record<string, TagFacts>> =>
  Object.fromEntries(
    variables.map((v) => [
      v.name.toLowerCase(),
      {
        type: typeText(v.type),
        ...(v.type.kind === 'block' ? { block: v.type.name } : {}),
        ...(v.type.kind === 'enum' ? { values: v.type.values.map((x) => x.name) } : {}),
      },
    ]),
  );

/** Paths of all instances of a function block, global ones first; not those inside arrays. */
export function instancesOf(compiled: Compiled, block: string): string[] {
  const found: string[] = [];
  const isIt = (t: Type) => t.kind === 'block' && t.name.toLowerCase() === block.toLowerCase();
  const look = (name: string, t: Type, depth: number): void => {
    if (isIt(t)) found.push(name);
    if (depth < 6 && t.kind === 'block')
      for (const m of t.layout.members)
        if (m.section !== 'hidden' && m.section !== 'inout') look(`${name}.${m.name}`, m.type, depth + 1);
    if (depth < 6 && t.kind === 'struct') for (const m of t.members) look(`${name}.${m.name}`, m.type, depth + 1);
  };
  for (const v of compiled.program.globals) look(v.name, v.type, 0);
  for (const i of compiled.program.instances)
    for (const m of i.pou.layout.members)
      if (m.section !== 'hidden' && m.section !== 'inout') look(`${i.name}.${m.name}`, m.type, 0);
  return found;
}

export type DefinitionPlace =
  { readonly kind: 'tag'; readonly id: string } | { readonly kind: 'pou'; readonly id: string; readonly at: number };

/** Where what stands at an offset is declared. */
export function placeOfDefinition(
  project: Project,
  compiled: Compiled,
  place: TextPlace,
  offset: number,
  word: string,
): DefinitionPlace | undefined {
  const v = variableAt(compiled, place, offset);
  const o = v?.at.source.origin;
  if (o?.kind === 'tag') return { kind: 'tag', id: o.id };
  if (v && o?.kind === 'pou') return { kind: 'pou', id: o.id, at: v.at.start };
  const pou = project.pous.find((p) => p.name.toLowerCase() === word.toLowerCase());
  if (pou) return { kind: 'pou', id: pou.id, at: 0 };
  const type = project.types.find((t) => new RegExp(`^\\s*${word}\\b`, 'i').test(t.text));
  return type && { kind: 'pou', id: type.id, at: 0 };
}

export interface FoundUse {
  readonly place: DefinitionPlace | { readonly kind: 'rung'; readonly pou: string; readonly id: string };
  readonly where: string;
  readonly isWrite: boolean;
  readonly start: number;
  readonly end: number;
}

/** Every use of what stands at an offset, in the order of the project. */
export function referencesAt(compiled: Compiled, place: TextPlace, offset: number): readonly FoundUse[] {
  const v = variableAt(compiled, place, offset);
  if (!v) return [];
  return compiled.program.references
    .filter(
      (r) =>
        r.variable === v ||
        (r.variable.name === v.name && r.variable.owner === v.owner && r.variable.section === v.section),
    )
    .flatMap((r): FoundUse[] => {
      const o = r.at.source.origin;
      const common = { isWrite: r.isWrite, start: r.at.start, end: r.at.end };
      if (o.kind === 'rung')
        return [{ ...common, place: { kind: 'rung', pou: o.pouId, id: o.rungId }, where: `${o.pou} rung ${o.number}` }];
      if (o.kind === 'pou')
        return [
          {
            ...common,
            place: { kind: 'pou', id: o.id, at: r.at.start },
            where: `${o.name} line ${r.at.source.text.slice(0, r.at.start).split('\n').length}`,
          },
        ];
      return [];
    });
}

/** The edit that gives what stands at an offset another name, everywhere. */
export function renameAt(
  project: Project,
  compiled: Compiled,
  place: TextPlace,
  offset: number,
  to: string,
): Edit | { readonly refused: string } {
  if (!/^[A-Za-z_]\w*$/.test(to))
    return { refused: `‘${to}’ is not a name: letters, digits and underscores, a letter first.` };
  const v = variableAt(compiled, place, offset);
  if (!v) return { refused: 'Stand on the name of a tag or variable first.' };
  const same = (a: string) => a.toLowerCase() === to.toLowerCase();
  if (v.section === 'global') {
    const named = referenceAt(compiled, place, offset)?.alias ?? v.name;
    const tag = project.tags.find((t) => t.name.toLowerCase() === named.toLowerCase());
    if (!tag) return { refused: `‘${v.name}’ is not a tag of this project.` };
    if (project.tags.some((t) => t !== tag && same(t.name))) return { refused: `There is a tag ‘${to}’ already.` };
    return renameTag(project, compiled, tag, to);
  }
  const owner = compiled.program.pous.find((p) => p.name === v.owner);
  if (owner?.variables.some((x) => x !== v && same(x.name)))
    return { refused: `There is a variable ‘${to}’ here already.` };
  const o = v.at.source.origin;
  if (o.kind !== 'pou') return { refused: 'This name is declared on a rung; rename it there.' };
  if (v.section !== 'local' && v.section !== 'temp' && owner?.pou !== 'PROGRAM')
    return {
      refused: `‘${v.name}’ is ${v.section === 'result' ? 'the result' : 'a pin'} of the block; calls of the block name it too. Rename it by hand there.`,
    };
  const spans = new Map<number, number>([[v.at.start, v.at.start + v.name.length]]);
  const rungs = new Map<string, { pou: string; text: string; starts: number[] }>();
  for (const r of compiled.program.references) {
    if (r.variable !== v && !(r.variable.name === v.name && r.variable.owner === v.owner)) continue;
    const at = r.at.source.origin;
    if (at.kind === 'pou' && at.id === o.id) spans.set(r.at.start, r.at.start + v.name.length);
    if (at.kind === 'rung') {
      const k = rungs.get(at.rungId) ?? { pou: at.pouId, text: r.at.source.text, starts: [] };
      k.starts.push(r.at.start);
      rungs.set(at.rungId, k);
    }
  }
  const put = (text: string, starts: readonly number[]) =>
    [...new Set(starts)].sort((a, b) => b - a).reduce((t, s) => t.slice(0, s) + to + t.slice(s + v.name.length), text);
  const edits: Edit[] = [changeOf(project, o.id, put(v.at.source.text, [...spans.keys()]))];
  for (const [id, r] of rungs) edits.push({ kind: 'changeRung', pou: r.pou, id, to: { line: put(r.text, r.starts) } });
  for (const r of unfinishedRungs(project, compiled)) {
    if (r.pou !== o.id) continue;
    const line = replaceName(r.line, v.name, to, true);
    if (line !== r.line) edits.push({ kind: 'changeRung', pou: r.pou, id: r.id, to: { line } });
  }
  return { kind: 'group', label: `Rename ${v.name} to ${to}`, edits };
}

export interface Completion {
  readonly label: string;
  readonly kind: 'variable' | 'member' | 'function' | 'block' | 'type' | 'keyword' | 'value' | 'pin' | 'snippet';
  readonly detail?: string;
  readonly info?: string;
  readonly insert?: string;
}

/** What could stand at an offset of a block's text. `before` is the line up to there. */
export function completionsAt(
  project: Project,
  compiled: Compiled,
  pouName: string,
  before: string,
): readonly Completion[] {
  const pou = compiled.program.pous.find((p) => p.name.toLowerCase() === pouName.toLowerCase());
  const path = /([A-Za-z_]\w*(?:\[[^\]]*\])*(?:\.[A-Za-z_]\w*(?:\[[^\]]*\])*)*)\.\w*$/.exec(before)?.[1];
  if (path)
    return membersOf(typeOfPath(compiled, pou, path), pou?.name).map((m) => ({
      label: m.name,
      kind: 'member',
      detail: typeText(m.type),
    }));
  const enumeration = /([A-Za-z_]\w*)#\w*$/.exec(before)?.[1];
  if (enumeration) {
    const t = compiled.program.types.get(enumeration.toLowerCase());
    return t?.kind === 'enum' ? t.values.map((v) => ({ label: v.name, kind: 'value', detail: t.name })) : [];
  }
  if (/:\s*[A-Za-z_]?\w*$/.test(before) && !/:=/.test(before.slice(before.lastIndexOf(':'))))
    return typesThere(project, compiled);
  const call = openCall(before);
  const pins = call && /[(,]\s*\w*$/.test(before) ? pinsOf(compiled, pou, call.name) : [];
  const wanted = /([A-Za-z_][\w.]*)\s*(?::=|=|<>)\s*\w*$/.exec(before)?.[1];
  const enumOf = wanted ? typeOfPath(compiled, pou, wanted) : undefined;
  return [
    ...pins.map((p): Completion => ({
      label: p.name,
      kind: 'pin',
      detail: p.type,
      insert: `${p.name} ${p.isOutput ? '=>' : ':='} `,
    })),
    ...(enumOf?.kind === 'enum'
      ? enumOf.values.map((v): Completion => ({ label: v.name, kind: 'value', detail: enumOf.name }))
      : []),
    ...(pou?.variables ?? [])
      .filter((v) => v.section !== 'hidden' && v.section !== 'bound')
      .map((v): Completion => ({
        label: v.name,
        kind: 'variable',
        detail: `${typeText(v.type)} · ${SECTIONS[v.section] ?? ''}`,
      })),
    ...SYSTEM_TAGS.map((t): Completion => ({
      label: `${SYSTEM}.${t.name}`,
      kind: 'variable',
      detail: t.type,
      info: t.about,
    })),
    ...project.tags.map((t): Completion => ({
      label: t.name,
      kind: 'variable',
      detail: t.type,
      info: [t.description, t.address].filter(Boolean).join(' · '),
    })),
    ...compiled.program.pous
      .filter((p) => p.pou === 'FUNCTION')
      .map((p): Completion => ({ label: p.name, kind: 'function', detail: p.result ? typeText(p.result.type) : '' })),
    ...standardFunctionNames().map((n): Completion => ({ label: n, kind: 'function', detail: 'standard function' })),
  ];
}

/** Types where one is wanted, the project's own first. */
function typesThere(project: Project, compiled: Compiled): Completion[] {
  const blocks = new Map(
    compiled.program.pous
      .filter((p) => p.pou === 'FUNCTION_BLOCK' || p.pou === 'CLASS')
      .map((p) => [p.name.toLowerCase(), p.name]),
  );
  const choices = typeChoices(project).map((c): Completion => ({
    label: c.name,
    kind: c.kind,
    ...(c.about ? { detail: c.about } : {}),
  }));
  for (const c of choices) blocks.delete(c.label.toLowerCase());
  // Several blocks may stand in one text.
  return [
    ...[...blocks.values()].map((label): Completion => ({ label, kind: 'block', detail: 'own block' })),
    ...choices,
  ];
}

/**
 * What a variable can be declared as, the likeliest first: the project's own, the usual types, the blocks, the rest.
 */
export function typeChoices(
  project: Project,
): readonly { readonly name: string; readonly kind: 'block' | 'type'; readonly about: string }[] {
  const plain = (name: string) => ({ name, kind: 'type', about: '' }) as const;
  return [
    ...project.pous
      .filter((p) => p.kind === 'functionBlock')
      .map((p) => ({ name: p.name, kind: 'block', about: p.description ?? 'own block' }) as const),
    ...project.types.map(
      (t) => ({ name: /^\s*(\w+)/.exec(t.text)?.[1] ?? '', kind: 'type', about: 'own type' }) as const,
    ),
    ...['BOOL', 'INT', 'REAL', 'TIME'].map(plain),
    ...[...STANDARD_BLOCKS, ...OWN_BLOCKS].map((b) => ({ name: b.name, kind: 'block', about: b.about }) as const),
    ...ELEMENTARY_NAMES.filter((n) => !/^(BOOL|INT|REAL|TIME)$/.test(n)).map(plain),
    plain('STRING'),
    plain('ARRAY[1..10] OF INT'),
  ];
}

/** An instance that a rung declares where it stands (`Keep1:SR(…)`). */
export interface RungInstance {
  readonly name: string;
  /** What its values are read by; undefined inside a block of which there is no instance. */
  readonly path?: string;
  readonly type: string;
  readonly pou: string;
  readonly pouId: string;
  readonly rung: number;
  readonly rungId: string;
}

/** Every instance that a rung declares, in the order of the project. */
export function rungInstances(compiled: Compiled): readonly RungInstance[] {
  return compiled.program.pous.flatMap((p) => {
    const root = compiled.program.instances.find((i) => i.pou === p)?.name ?? instancesOf(compiled, p.name)[0];
    return p.variables.flatMap((v): RungInstance[] => {
      const o = v.at.source.origin;
      if (o.kind !== 'rung' || v.type.kind !== 'block' || v.section === 'hidden') return [];
      return [
        {
          name: v.name,
          ...(root === undefined ? {} : { path: `${root}.${v.name}` }),
          type: typeText(v.type),
          pou: p.name,
          pouId: o.pouId,
          rung: o.number,
          rungId: o.rungId,
        },
      ];
    });
  });
}

/** Blocks for an instance that is declared on a rung (`N1:`), the project's own first. */
export function blocksFor(project: Project): readonly { readonly name: string; readonly about: string }[] {
  return [
    ...project.pous
      .filter((p) => p.kind === 'functionBlock')
      .map((p) => ({ name: p.name, about: p.description ?? 'own block' })),
    ...[...STANDARD_BLOCKS, ...OWN_BLOCKS].map(({ name, about }) => ({ name, about })),
  ];
}

function typeOfPath(compiled: Compiled, pou: CheckedPou | undefined, path: string): Type | undefined {
  const steps = path.replace(/\[[^\]]*\]/g, '[]').split('.');
  const named = (list: readonly { name: string; type: Type }[], n: string) =>
    list.find((v) => v.name.toLowerCase() === n.toLowerCase())?.type;
  let type: Type | undefined;
  steps.forEach((step, i) => {
    const name = step.replace(/(\[\])+$/, '');
    type = i
      ? named(type ? membersOf(type, pou?.name) : [], name)
      : (named(pou?.variables ?? [], name) ?? named(compiled.program.globals, name));
    for (let k = (step.match(/\[\]/g) ?? []).length; k > 0; k--)
      type = type?.kind === 'array' ? type.element : undefined;
  });
  return type;
}

function membersOf(t: Type | undefined, inside?: string): readonly { readonly name: string; readonly type: Type }[] {
  if (t?.kind === 'struct') return t.members;
  if (t?.kind === 'block')
    return t.layout.members.filter(
      (m) => m.section !== 'hidden' && (m.section !== 'local' || m.access === 'PUBLIC' || t.name === inside),
    );
  return t?.kind === 'ref' ? membersOf(t.target, inside) : [];
}

/** The call whose parentheses are open at the end of a text, and how many commas stand in it. */
function openCall(before: string): { readonly name: string; readonly argument: number } | undefined {
  let depth = 0,
    argument = 0;
  for (let i = before.length - 1; i >= 0; i--) {
    const c = before[i]!;
    if (c === ';') return undefined;
    if (c === ')' || c === ']') depth++;
    else if ((c === '(' || c === '[') && depth > 0) depth--;
    else if (c === ',' && depth === 0) argument++;
    else if (c === '(') {
      const name = /([A-Za-z_][\w.]*)\s*$/.exec(before.slice(0, i))?.[1];
      return name ? { name, argument } : undefined;
    }
  }
  return undefined;
}

interface Pin {
  readonly name: string;
  readonly type: string;
  readonly isOutput: boolean;
}
function pinsOf(compiled: Compiled, pou: CheckedPou | undefined, name: string): readonly Pin[] {
  const t = typeOfPath(compiled, pou, name);
  if (t?.kind === 'block')
    return t.layout.members
      .filter((m) => m.section === 'input' || m.section === 'output' || m.section === 'inout')
      .map((m) => ({ name: m.name, type: typeText(m.type), isOutput: m.section === 'output' }));
  const f = compiled.program.pous.find((p) => p.pou === 'FUNCTION' && p.name.toLowerCase() === name.toLowerCase());
  return f
    ? f.variables
        .filter((v) => v.section === 'input' || v.section === 'output' || v.section === 'inout')
        .map((v) => ({ name: v.name, type: typeText(v.type), isOutput: v.section === 'output' }))
    : [];
}

export interface Signature {
  readonly name: string;
  readonly pins: readonly Pin[];
  /** The pin being written, from 0. */ readonly active: number;
}

/** The pins of the call that is being written, with the one the cursor is at. */
export function signatureAt(compiled: Compiled, pouName: string, before: string): Signature | undefined {
  const call = openCall(before);
  if (!call) return undefined;
  const pou = compiled.program.pous.find((p) => p.name.toLowerCase() === pouName.toLowerCase());
  const pins = pinsOf(compiled, pou, call.name);
  if (!pins.length) return undefined;
  const named = /(\w+)\s*(?::=|=>)[^,(]*$/.exec(before)?.[1];
  const active = named ? pins.findIndex((p) => p.name.toLowerCase() === named.toLowerCase()) : call.argument;
  return { name: call.name, pins, active: Math.min(active, pins.length - 1) };
}

export interface TextWatch {
  /** Values to show at the end of lines (from 1): the name as written, the path it is read by, and its type. */
  readonly lines: readonly {
    readonly line: number;
    readonly name: string;
    readonly path: string;
    readonly type: string;
  }[];
  /** Branches, by the line of their first statement, with the name of the place that tells whether they were taken. */
  readonly branches: readonly { readonly line: number; readonly probe: string }[];
  /** All instances whose values could be shown; the first is taken unless another one is asked for. */
  readonly instances: readonly string[];
  readonly root: string | undefined;
}

/** What can be watched beside the lines of a block's text. */
export function watchText(
  compiled: Compiled,
  image: Image,
  pouId: string,
  pouName: string,
  wanted?: string,
): TextWatch {
  const instances = compiled.program.instances.some((i) => i.pou.name.toLowerCase() === pouName.toLowerCase())
    ? compiled.program.instances.filter((i) => i.pou.name.toLowerCase() === pouName.toLowerCase()).map((i) => i.name)
    : instancesOf(compiled, pouName);
  const root = wanted && instances.includes(wanted) ? wanted : instances[0];
  const seen = new Set<string>();
  const lines: { line: number; name: string; path: string; type: string }[] = [];
  let source: Source | undefined;
  for (const r of compiled.program.references) {
    const o = r.at.source.origin;
    if (o.kind !== 'pou' || o.id !== pouId) continue;
    source = r.at.source;
    const isOwn = r.variable.section !== 'global';
    if (isOwn && root === undefined) continue;
    const path = isOwn ? `${root}.${r.path}` : r.path;
    const { line } = positionOf(r.at.source, r.at.start);
    if (seen.has(`${line} ${path.toLowerCase()}`)) continue;
    seen.add(`${line} ${path.toLowerCase()}`);
    const found = findPath(image, path);
    if ('location' in found && (baseOf(found.location.type) || found.location.type.kind === 'string'))
      lines.push({ line, name: r.path, path, type: typeText(found.location.type) });
  }
  const prefix = branchProbe(pouId, 0).slice(0, -1);
  const branches = source
    ? [...image.probes.keys()]
        .filter((k) => k.startsWith(prefix))
        .map((probe) => ({ line: positionOf(source!, Number(probe.slice(prefix.length))).line, probe }))
    : [];
  return { lines, branches, instances, root };
}

/** The statements around an offset of a text, the innermost first, as stretches of the text. */
export function statementsAround(
  text: string,
  offset: number,
): readonly { readonly start: number; readonly end: number }[] {
  const found: { start: number; end: number }[] = [];
  const look = (list: readonly Statement[]): void => {
    for (const s of list) {
      if (offset < s.at.start || offset > s.at.end + 1) continue;
      if (s.kind === 'if') {
        for (const b of s.branches) look(b.body);
        look(s.otherwise ?? []);
      } else if (s.kind === 'case') {
        for (const a of s.arms) look(a.body);
        look(s.otherwise ?? []);
      } else if (s.kind === 'for' || s.kind === 'while' || s.kind === 'repeat') look(s.body);
      // The semicolon behind a statement belongs to it.
      found.push({ start: s.at.start, end: text[s.at.end] === ';' ? s.at.end + 1 : s.at.end });
      return;
    }
  };
  for (const d of parseFile(makeSource('', text, { kind: 'pou', id: '', name: '' }), new Problems()))
    if (d.kind === 'pou') {
      look(d.body);
      for (const m of d.methods) look(m.body);
    }
  return found;
}
