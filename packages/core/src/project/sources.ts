/** A project document to the declarations the front end checks: tags, types, rungs lowered, devices as blocks. */
import { Problems, didYouMean } from '../language/diagnostic.js';
import { parseExpressionText, parseFile, parseVariableSections, parseVariableText } from '../language/parser.js';
import { type Source, makeSource } from '../language/source.js';
import type { Configuration, Declaration, Expression, Name, Pou, Statement, TaskDecl, VariableBlock } from '../language/tree.js';
import { Kept } from '../language/kept.js';
import { type LoweredRung, lowerRung } from '../ladder/lower.js';
import { type ParsedRung, parseRungLine } from '../ladder/parse.js';
import { type DeviceKind, deviceBlock, deviceBlockName } from '../machine/device.js';
import { DEVICE_KINDS, deviceKind } from '../machine/library.js';
import type { Device, Project, ProjectPou, Tag } from './document.js';
import { SYSTEM, SYSTEM_TEXT } from '../library/system.js';
import type { Wire } from '../runtime/engine.js';

export const MACHINE = 'Machine';

/** A program without variables and statements, for those that are not written as text. */
const programDecl = (name: Name): Pou => ({ kind: 'pou', pou: 'PROGRAM', name, context: { namespace: '', using: [] }, modifiers: [], implements: [], methods: [], blocks: [], body: [], at: name.at });

export interface ProjectSources {
  readonly declarations: Declaration[];
  readonly rungs: ReadonlyMap<string, { readonly source: Source; readonly parsed?: ParsedRung }>;
  readonly wires: readonly (Wire & { readonly source: Source })[];
}

/** `name` is the file path that problems are printed with. Every problem goes to `problems`; a broken rung only drops out itself. */
export function projectSources(project: Project, name: string, problems: Problems, kept = new Kept()): ProjectSources {
  const rungs = new Map<string, { source: Source; parsed?: ParsedRung }>();
  const types = kept.group('types'), tags = kept.group('tags'), texts = kept.group('texts');
  const declarations: Declaration[] = [
    ...project.types.flatMap((t) => types.get(t.id, t.text, name, problems, (own) => parseFile(makeSource(name, `TYPE ${t.text} END_TYPE`, { kind: 'pou', id: t.id, name: 'Types' }), own))),
    ...project.tags.map((t) => tags.get(t.id, t.standsFor ? `${t.name} = ${t.standsFor}` : tagText(t), t.constant ? (t.retain ? 'both' : 'constant') : t.retain ? 'retain' : '', problems, (own) => ({ kind: 'globals' as const, block: tagBlock(t, name, own) }))),
    ...project.pous.flatMap((p) => (p.language === 'LD' ? [ladderPou(p, name, problems, rungs, kept)] : texts.get(p.id, p.text, p.name, problems, (own) => parseFile(makeSource(name, p.text, { kind: 'pou', id: p.id, name: p.name }), own)))),
  ];
  const machine = kept.group('machine').get('', JSON.stringify(project.machine.devices), name, problems, (own) => machineDeclarations(project, name, own));
  const hasSystem = asksSystem(project);
  if (hasSystem) declarations.push(...kept.group('system').get('', '', '', problems, (own) => parseFile(makeSource('system.st', SYSTEM_TEXT, { kind: 'library' }), own)));
  declarations.push(...machine.declarations, configuration(project, name, problems, machine.declarations.length > 0, hasSystem));
  return { declarations, rungs, wires: machine.wires };
}

/** Whether some logic, check or rule names a system tag, and nothing of the project has that name. */
function asksSystem(p: Project): boolean {
  const asks = (text: string | undefined): boolean => text !== undefined && /(?<![\w.])System\s*\.\s*[A-Za-z]/i.test(text);
  const isTaken = (n: string) => n.toLowerCase() === SYSTEM.toLowerCase();
  if (p.tags.some((t) => isTaken(t.name)) || p.pous.some((x) => isTaken(x.name))) return false;
  return p.pous.some((x) => (x.language === 'ST' ? asks(x.text) : x.rungs.some((r) => asks(r.line)))) || p.rules.some((r) => asks(r.sentence)) || p.checks.some((c) => c.rows.some((r) => asks(r.when) || (r.expect ?? []).some(asks))) || p.scope.some(asks);
}

/** The declaration of a tag as the standard writes it. */
export function tagText(t: Tag): string {
  return `${t.name}${t.address ? ` AT ${t.address}` : ''} : ${t.type}${t.initial ? ` := ${t.initial}` : ''};`;
}

function tagBlock(t: Tag, name: string, problems: Problems): VariableBlock {
  if (t.standsFor) {
    const source = makeSource(name, t.standsFor, { kind: 'tag', id: t.id, name: t.name });
    const at = { source, start: 0, end: t.standsFor.length };
    const standsFor = parseExpressionText(source, problems);
    return { section: 'VAR_GLOBAL', constant: false, retain: false, variables: [{ names: [{ text: t.name, at }], type: { kind: 'named', name: { text: 'BOOL', at }, at }, standsFor }] };
  }
  const source = makeSource(name, tagText(t), { kind: 'tag', id: t.id, name: t.name });
  return { section: 'VAR_GLOBAL', constant: t.constant ?? false, retain: t.retain ?? false, variables: [parseVariableText(source, problems)] };
}

interface ReadRung { readonly source: Source; readonly parsed?: ParsedRung; readonly lowered?: LoweredRung }

function ladderPou(p: ProjectPou & { language: 'LD' }, name: string, problems: Problems, rungs: Map<string, { source: Source; parsed?: ParsedRung }>, kept: Kept): Pou {
  const own = kept.group(`rungs ${p.id}`);
  const list = p.rungs.map((r, i) => {
    const read = own.get(r.id, r.line, p.name, problems, (found): ReadRung => {
      const source = makeSource(name, r.line, { kind: 'rung', pouId: p.id, pou: p.name, rungId: r.id, number: i + 1 });
      const parsed = parseRungLine(source, found);
      return parsed ? { source, parsed, lowered: lowerRung(source, r.id, parsed) } : { source };
    });
    // The same rung may stand elsewhere now; its number is for people and nothing else depends on it.
    const { origin } = read.source;
    if (origin.kind === 'rung') (origin as { number: number }).number = i + 1;
    rungs.set(r.id, read);
    return read;
  });
  const declared = kept.group('variables').get(p.id, p.variables ?? '', `${p.name} ${p.kind}`, problems, (found) => ({ blocks: parseVariableSections(makeSource(name, p.variables ?? '', { kind: 'pou', id: p.id, name: p.name }), found) }));
  // As long as all its rungs are the ones read before, the program is the same object.
  const last = kept.group('ladder').get<{ list: readonly ReadRung[]; declared: unknown; pou: Pou | undefined }>(p.id, p.name, name, problems, () => ({ list: [], declared: undefined, pou: undefined }));
  if (last.pou && last.declared === declared && last.list.length === list.length && last.list.every((r, i) => r === list[i])) return last.pou;
  const at = { source: makeSource(name, p.name, { kind: 'pou', id: p.id, name: p.name }), start: 0, end: p.name.length };
  const lowered = list.flatMap((r) => r.lowered ?? []);
  last.pou = { ...programDecl({ text: p.name, at }), pou: p.kind === 'functionBlock' ? 'FUNCTION_BLOCK' : 'PROGRAM', blocks: [...declared.blocks, ...lowered.flatMap((l) => l.declares)], body: lowered.map((l) => l.statement) };
  last.list = list;
  last.declared = declared;
  return last.pou;
}

function machineDeclarations(project: Project, name: string, problems: Problems): { declarations: Declaration[]; wires: (Wire & { source: Source })[] } {
  const { devices } = project.machine;
  if (!devices.length) return { declarations: [], wires: [] };
  const declarations: Declaration[] = [];
  const wires: (Wire & { source: Source })[] = [];
  const variables: VariableBlock['variables'][number][] = [];
  const body: Statement[] = [];
  const kinds = new Set<DeviceKind>();
  for (const d of devices) {
    const source = makeSource(name, deviceText(d), { kind: 'device', id: d.id, name: d.name });
    const at = { source, start: 0, end: d.name.length };
    const kind = deviceKind(d.type);
    if (!kind) {
      problems.error('UNKNOWN_DEVICE', `There is no kind of device '${d.type}'.${didYouMean(d.type, DEVICE_KINDS.map((k) => k.type))}`, at);
      continue;
    }
    kinds.add(kind);
    variables.push(parseVariableText(source, problems));
    const callee: Expression = { kind: 'name', name: d.name, at };
    body.push({ kind: 'call', call: { kind: 'call', callee, args: [], at }, at });
    wires.push(...deviceWires(d, kind, devices, source, problems));
  }
  for (const k of kinds) declarations.push(...parseFile(makeSource(`devices/${k.type}.st`, deviceBlock(k), { kind: 'library' }), problems));
  const at = { source: makeSource(name, MACHINE, { kind: 'library' }), start: 0, end: MACHINE.length };
  declarations.push({ ...programDecl({ text: MACHINE, at }), blocks: [{ section: 'VAR', constant: false, retain: false, variables }], body });
  return { declarations, wires };
}

function deviceText(d: Device): string {
  const given = Object.entries(d.parameters ?? {}).map(([k, v]) => `${k} := ${v}`).join(', ');
  return `${d.name} : ${deviceBlockName(d.type)}${given ? ` := (${given})` : ''};`;
}

function deviceWires(d: Device, kind: DeviceKind, devices: readonly Device[], source: Source, problems: Problems): (Wire & { source: Source })[] {
  const at = { source, start: 0, end: d.name.length };
  return Object.entries(d.wires ?? {}).flatMap(([terminal, to]): (Wire & { source: Source })[] => {
    const t = kind.terminals.find((x) => x.name.toLowerCase() === terminal.toLowerCase());
    if (!t) { problems.error('UNKNOWN_TERMINAL', `A ${kind.type} has no terminal '${terminal}'.${didYouMean(terminal, kind.terminals.map((x) => x.name))}`, at); return []; }
    const here = `${MACHINE}.${d.name}.${t.name}`;
    const other = devices.find((x) => x.name.toLowerCase() === to.split('.')[0]!.toLowerCase());
    if (other) {
      if (t.direction === 'out') { problems.error('BAD_WIRE', `'${terminal}' is an output of '${d.name}'; a mechanical link is written at the device it acts on.`, at); return []; }
      return [{ from: `${MACHINE}.${to}`, to: here, kind: 'link' as const, source }];
    }
    return [t.direction === 'out' ? { from: here, to, kind: 'toTag' as const, source } : { from: to, to: here, kind: 'toMachine' as const, source }];
  });
}

function configuration(project: Project, name: string, problems: Problems, hasMachine: boolean, hasSystem: boolean): Configuration {
  const source = makeSource(name, '', { kind: 'pou', id: 'tasks', name: 'Tasks' });
  const at = { source, start: 0, end: 0 };
  const named = (text: string) => ({ text, at });
  const programs = project.pous.filter((p) => p.kind === 'program').map((p) => p.name);
  const given = project.tasks.length ? project.tasks : [{ id: '', name: 'Main', interval: '10 ms', priority: 0, programs }];
  const tasks: TaskDecl[] = given.map((t) => ({
    name: named(t.name),
    ...(t.event ? { single: parseExpressionText(makeSource(name, t.event, { kind: 'pou', id: 'tasks', name: `Task ${t.name}` }), problems) } : { interval: durationExpression(t.interval, t.name, name, problems) }),
    priority: { kind: 'literal', literal: { type: 'int', value: BigInt(t.priority) }, at },
  }));
  // The system's own program runs before all others: with the task that comes first.
  const [first] = [...given].sort((a, b) => a.priority - b.priority);
  const clock = hasSystem ? [{ name: named(`${SYSTEM}Clock`), ...(first ? { task: named(first.name) } : {}), program: named(`${SYSTEM}Clock`), connections: [] }] : [];
  const instances = given.flatMap((t) => t.programs.map((p) => ({ name: named(p), task: named(t.name), program: named(p), connections: [] })));
  const free = programs.filter((p) => !instances.some((i) => i.name.text.toLowerCase() === p.toLowerCase())).map((p) => ({ name: named(p), program: named(p), connections: [] }));
  return { kind: 'configuration', name: named(''), resources: [], globals: [], tasks, instances: [...clock, ...instances, ...free, ...(hasMachine ? [{ name: named(MACHINE), program: named(MACHINE), connections: [] }] : [])], config: [], access: [] };
}

function durationExpression(text: string, task: string, name: string, problems: Problems): Expression {
  const source = makeSource(name, `x : TIME := ${text};`, { kind: 'pou', id: 'tasks', name: `Task ${task}` });
  const v = parseVariableText(source, problems);
  return v.initial?.kind === 'value' ? v.initial.value : { kind: 'missing', at: { source, start: 0, end: 0 } };
}
