/** A project document to the declarations the front end checks: tags, types, rungs lowered, devices as blocks. */
import { Problems, didYouMean } from '../language/diagnostic.js';
import {
  parseExpressionText,
  parseFile,
  parseStatementsText,
  parseVariableSections,
  parseVariableText,
} from '../language/parser.js';
import { type Source, type Span, makeSource } from '../language/source.js';
import type {
  Configuration,
  Declaration,
  Expression,
  Name,
  Pou,
  Statement,
  TaskDecl,
  VariableBlock,
} from '../language/tree.js';
import { Kept } from '../language/kept.js';
import { type LoweredRung, lowerRung } from '../ladder/lower.js';
import { type ParsedRung, parseRungLine } from '../ladder/parse.js';
import {
  type DeviceKind,
  LINE,
  LOAD,
  PART,
  PART_TYPES,
  deviceBlock,
  deviceBlockName,
  deviceHead,
  isHandedOn,
  limitsOf,
  powerText,
} from '../machine/device.js';
import { readPicture } from '../wiring/picture.js';
import { DEVICE_KINDS, shippedKind } from '../machine/library.js';
import { isBoughtClosed, kindOf, ownKind } from '../wiring/kinds.js';
import { type Device, MACHINE, type Project, type ProjectPou, type Tag, tagText } from '../document/document.js';
import { SYSTEM, systemText } from '../library/system.js';
import type { Wire } from '../runtime/engine.js';

/** A program without variables and statements, for those that are not written as text. */
const programDecl = (name: Name): Pou => ({
  kind: 'pou',
  pou: 'PROGRAM',
  name,
  context: { namespace: '', using: [] },
  modifiers: [],
  implements: [],
  methods: [],
  blocks: [],
  body: [],
  at: name.at,
});

export interface ProjectSources {
  readonly declarations: Declaration[];
  readonly rungs: ReadonlyMap<string, { readonly source: Source; readonly parsed?: ParsedRung }>;
  readonly wires: readonly (Wire & { readonly source: Source })[];
}

/**
 * `name` is the file path that problems are printed with. Every problem goes to `problems`; a broken rung only drops
 * out itself.
 */
export function projectSources(project: Project, name: string, problems: Problems, kept = new Kept()): ProjectSources {
  const rungs = new Map<string, { source: Source; parsed?: ParsedRung }>();
  const types = kept.group('types'),
    tags = kept.group('tags'),
    texts = kept.group('texts');
  const declarations: Declaration[] = [
    ...project.types.flatMap((t) =>
      types.get(t.id, t.text, name, problems, (own) =>
        parseFile(makeSource(name, `TYPE ${t.text} END_TYPE`, { kind: 'pou', id: t.id, name: 'Types' }), own),
      ),
    ),
    ...project.tags.map((t) =>
      tags.get(
        t.id,
        t.standsFor ? `${t.name} = ${t.standsFor}` : tagText(t),
        t.constant ? (t.retain ? 'both' : 'constant') : t.retain ? 'retain' : '',
        problems,
        (own) => ({ kind: 'globals' as const, block: tagBlock(t, name, own) }),
      ),
    ),
    ...project.pous.flatMap((p) =>
      p.language === 'LD'
        ? [ladderPou(p, name, problems, rungs, kept)]
        : texts.get(p.id, p.text, p.name, problems, (own) =>
            parseFile(makeSource(name, p.text, { kind: 'pou', id: p.id, name: p.name }), own),
          ),
    ),
  ];
  const machine = kept
    .group('machine')
    .get('', JSON.stringify(project.machine), name, problems, (own) => machineDeclarations(project, name, own));
  const hasSystem = asksSystem(project);
  const hasOutside = hasSystem && (project.outside?.isOn === true || asks(project, OUTSIDE_LOST)),
    hasCards = hasSystem && asks(project, CARD_PULLED);
  if (hasSystem)
    declarations.push(
      ...kept
        .group('system')
        .get('', `${hasOutside} ${hasCards}`, '', problems, (own) =>
          parseFile(makeSource('system.st', systemText(hasOutside, hasCards), { kind: 'library' }), own),
        ),
    );
  declarations.push(
    ...machine.declarations,
    configuration(project, name, problems, project.machine.devices.length > 0, hasSystem),
  );
  return { declarations, rungs, wires: machine.wires };
}

// The word stands first: then a line without it is passed over at once.
const ANY_SYSTEM = /System(?<![\w.]System)\s*\.\s*[A-Za-z]/i,
  OUTSIDE_LOST = /System(?<![\w.]System)\s*\.\s*OutsideLost\b/i,
  CARD_PULLED = /System(?<![\w.]System)\s*\.\s*CardPulled\b/i;

/**
 * Whether the project has the system tag: something names it, or inputs come from another program; and nothing else has
 * that name.
 */
function asksSystem(p: Project): boolean {
  const isTaken = (n: string) => n.toLowerCase() === SYSTEM.toLowerCase();
  if (p.tags.some((t) => isTaken(t.name)) || p.pous.some((x) => isTaken(x.name))) return false;
  return p.outside?.isOn === true || asks(p, ANY_SYSTEM);
}
/** Whether some logic, check, rule or the scope says it. */
function asks(p: Project, what: RegExp): boolean {
  const says = (text: string | undefined): boolean => text !== undefined && what.test(text);
  return (
    p.pous.some((x) => (x.language === 'ST' ? says(x.text) : x.rungs.some((r) => says(r.line)))) ||
    p.rules.some((r) => says(r.sentence)) ||
    p.checks.some((c) => c.rows.some((r) => says(r.when) || (r.expect ?? []).some(says))) ||
    p.scope.some(says)
  );
}

function tagBlock(t: Tag, name: string, problems: Problems): VariableBlock {
  if (t.standsFor) {
    const source = makeSource(name, t.standsFor, { kind: 'tag', id: t.id, name: t.name });
    const at = { source, start: 0, end: t.standsFor.length };
    const standsFor = parseExpressionText(source, problems);
    return {
      section: 'VAR_GLOBAL',
      constant: false,
      retain: false,
      variables: [
        { names: [{ text: t.name, at }], type: { kind: 'named', name: { text: 'BOOL', at }, at }, standsFor },
      ],
    };
  }
  const source = makeSource(name, tagText(t), { kind: 'tag', id: t.id, name: t.name });
  return {
    section: 'VAR_GLOBAL',
    constant: t.constant ?? false,
    retain: t.retain ?? false,
    variables: [parseVariableText(source, problems)],
  };
}

interface ReadRung {
  readonly source: Source;
  readonly parsed?: ParsedRung;
  readonly lowered?: LoweredRung;
}

function ladderPou(
  p: ProjectPou & { language: 'LD' },
  name: string,
  problems: Problems,
  rungs: Map<string, { source: Source; parsed?: ParsedRung }>,
  kept: Kept,
): Pou {
  const own = kept.group(`rungs ${p.id}`);
  const list = p.rungs.map((r, i) => {
    const read = own.get(r.id, r.line, p.name, problems, (found): ReadRung => {
      const source = makeSource(name, r.line, { kind: 'rung', pouId: p.id, pou: p.name, rungId: r.id, number: i + 1 });
      const own = new Problems();
      const parsed = parseRungLine(source, own);
      for (const d of own.list) found.add(parsed ? d : { ...d, unfinished: true });
      return parsed ? { source, parsed, lowered: lowerRung(source, r.id, parsed) } : { source };
    });
    // The same rung may stand elsewhere now; its number is for people and nothing else depends on it.
    const { origin } = read.source;
    if (origin.kind === 'rung') (origin as { number: number }).number = i + 1;
    rungs.set(r.id, read);
    return read;
  });
  const declared = kept.group('variables').get(p.id, p.variables ?? '', `${p.name} ${p.kind}`, problems, (found) => ({
    blocks: parseVariableSections(makeSource(name, p.variables ?? '', { kind: 'pou', id: p.id, name: p.name }), found),
  }));
  // As long as all its rungs are the ones read before, the program is the same object.
  const last = kept
    .group('ladder')
    .get<{ list: readonly ReadRung[]; declared: unknown; pou: Pou | undefined }>(p.id, p.name, name, problems, () => ({
      list: [],
      declared: undefined,
      pou: undefined,
    }));
  if (
    last.pou &&
    last.declared === declared &&
    last.list.length === list.length &&
    last.list.every((r, i) => r === list[i])
  )
    return last.pou;
  const at = {
    source: makeSource(name, p.name, { kind: 'pou', id: p.id, name: p.name }),
    start: 0,
    end: p.name.length,
  };
  const lowered = list.flatMap((r) => r.lowered ?? []);
  last.pou = {
    ...programDecl({ text: p.name, at }),
    pou: p.kind === 'functionBlock' ? 'FUNCTION_BLOCK' : 'PROGRAM',
    blocks: [...declared.blocks, ...lowered.flatMap((l) => l.declares)],
    body: lowered.map((l) => l.statement),
  };
  last.list = list;
  last.declared = declared;
  return last.pou;
}

function machineDeclarations(
  project: Project,
  name: string,
  problems: Problems,
): { declarations: Declaration[]; wires: (Wire & { source: Source })[] } {
  const { devices } = project.machine;
  if (!devices.length && !project.machine.kinds?.length) return { declarations: [], wires: [] };
  const declarations: Declaration[] = [];
  const wires: (Wire & { source: Source })[] = [];
  const variables: VariableBlock['variables'][number][] = [];
  const body: Statement[] = [];
  const kinds = new Set<DeviceKind>();
  const supply = devices.find((d) => d.type.toLowerCase() === 'supply')?.name;
  for (const d of devices) {
    const source = makeSource(name, deviceText(d), { kind: 'device', id: d.id, name: d.name });
    const at = { source, start: 0, end: d.name.length };
    const kind = kindOf(project.machine, d.type);
    if (!kind) {
      problems.error(
        'UNKNOWN_DEVICE',
        `There is no kind of device '${d.type}'.${didYouMean(
          d.type,
          [...DEVICE_KINDS, ...(project.machine.kinds ?? [])].map((k) => k.type),
        )}`,
        at,
      );
      continue;
    }
    kinds.add(kind);
    variables.push(
      parseVariableText(makeSource(name, deviceText(sensible(d, kind, at, problems)), source.origin), problems),
    );
    const callee: Expression = { kind: 'name', name: d.name, at };
    const dead = powerText(kind, d.name, supply);
    if (dead) body.push(...parseStatementsText(makeSource(name, dead, { kind: 'library' }), problems));
    body.push({ kind: 'call', call: { kind: 'call', callee, args: [], at }, at });
    wires.push(...deviceWires(d, kind, devices, source, problems));
  }
  loopsOfSignals(project, name, problems);
  partsOnTheirWay(project, name, problems);
  if (
    [...kinds].some((k) => k.terminals.some((t) => t.type === PART || t.type === LINE || t.type === LOAD)) ||
    project.machine.kinds?.length
  )
    declarations.push(...parseFile(makeSource('devices/parts.st', PART_TYPES, { kind: 'library' }), problems));
  const own = ownKinds(project, name, problems);
  for (const k of kinds)
    if (shippedKind(k.type))
      declarations.push(
        ...parseFile(makeSource(`devices/${k.type}.st`, deviceBlock(k), { kind: 'library' }), problems),
      );
  declarations.push(...own);
  if (!devices.length) return { declarations, wires };
  const at = { source: makeSource(name, MACHINE, { kind: 'library' }), start: 0, end: MACHINE.length };
  declarations.push({
    ...programDecl({ text: MACHINE, at }),
    blocks: [{ section: 'VAR', constant: false, retain: false, variables }],
    body,
  });
  return { declarations, wires };
}

/**
 * The project's own kinds of devices, each a block of its own; also those that no device is of, so that a slip is seen
 * at once.
 */
function ownKinds(project: Project, name: string, problems: Problems): Declaration[] {
  const taken = new Set<string>();
  return (project.machine.kinds ?? []).flatMap((own) => {
    const k = ownKind(own),
      head = deviceHead(k).split('\n').length - 1;
    const source = makeSource(name, deviceBlock(k), { kind: 'deviceKind', id: own.id, name: own.type, head });
    const at = { source, start: 0, end: 0 },
      low = own.type.toLowerCase();
    if (shippedKind(own.type) || taken.has(low)) {
      problems.error(
        'DUPLICATE_NAME',
        `There is a kind of device '${own.type}' already; give this one another name.`,
        at,
      );
      return [];
    }
    taken.add(low);
    for (const wrong of readPicture(own).problems)
      problems.add({
        severity: 'warning',
        code: 'PICTURE',
        message: `Picture, shape ${own.picture.findIndex((s) => s.id === wrong.shape) + 1}, ${wrong.field}: ${wrong.message}`,
        at,
      });
    return parseFile(source, problems);
  });
}

/** The device without parameters that make no sense: each is told, and it works on with what the kind says. */
function sensible(d: Device, kind: DeviceKind, at: Span, problems: Problems): Device {
  const out = Object.entries(d.parameters ?? {})
    .filter(([name, text]) => {
      const p = kind.parameters.find((x) => x.name.toLowerCase() === name.toLowerCase()),
        limits = p && limitsOf(p),
        value = Number(text.replaceAll('_', ''));
      if (!p || !limits || Number.isNaN(value) || (value >= limits[0] && value <= limits[1])) return false;
      const unit = p.unit ? ` ${p.unit}` : '',
        [low, high] = limits;
      problems.add({
        severity: 'warning',
        code: 'OUT_OF_RANGE',
        message: `'${p.name}' of '${d.name}' is ${text}${unit}; ${high === Infinity ? `it must be at least ${low}` : `it must lie between ${low} and ${high}`}${unit}. Until then it works with ${p.initial}${unit}.`,
        at,
      });
      return true;
    })
    .map(([name]) => name);
  return out.length
    ? {
        ...d,
        parameters: Object.fromEntries(Object.entries(d.parameters ?? {}).filter(([name]) => !out.includes(name))),
      }
    : d;
}

/**
 * Links that come back to the device they left, except where an effect back is meant: each takes what the other gave a
 * scan before, which is rarely wanted.
 */
function loopsOfSignals(project: Project, name: string, problems: Problems): void {
  const { devices } = project.machine,
    named = new Map(devices.map((d) => [d.name.toLowerCase(), d]));
  const from = (d: Device): { readonly device: Device; readonly said: string }[] =>
    Object.entries(d.wires ?? {}).flatMap(([t, to]) => {
      const device = named.get(to.split('.')[0]!.toLowerCase()),
        terminal = kindOf(project.machine, d.type)?.terminals.find((x) => x.name.toLowerCase() === t.toLowerCase());
      return device && terminal && !terminal.back ? [{ device, said: `${to} → ${d.name}.${terminal.name}` }] : [];
    });
  const state = new Map<Device, 'open' | 'done'>();
  const path: { device: Device; said: string }[] = [];
  const visit = (d: Device): void => {
    state.set(d, 'open');
    for (const link of from(d)) {
      path.push({ device: d, said: link.said });
      if (state.get(link.device) === 'open') {
        const loop = path.slice(path.findIndex((p) => p.device === link.device));
        problems.add({
          severity: 'warning',
          code: 'SIGNAL_LOOP',
          message: `The signals go round in a loop: ${loop
            .map((p) => p.said)
            .reverse()
            .join(
              ', ',
            )}. Each takes what the other gave one scan before; take one of these links away unless you mean that.`,
          at: {
            source: makeSource(name, d.name, { kind: 'device', id: link.device.id, name: link.device.name }),
            start: 0,
            end: d.name.length,
          },
        });
      } else if (!state.has(link.device)) visit(link.device);
      path.pop();
    }
    state.set(d, 'done');
  };
  for (const d of devices) if (!state.has(d)) visit(d);
}

/** Parts that would be in two places, and parts that are longer than what takes them. */
function partsOnTheirWay(project: Project, name: string, problems: Problems): void {
  const { machine } = project,
    named = new Map(machine.devices.map((d) => [d.name.toLowerCase(), d]));
  const at = (d: Device) => ({
    source: makeSource(name, d.name, { kind: 'device', id: d.id, name: d.name }),
    start: 0,
    end: d.name.length,
  });
  const handed = machine.devices.flatMap((d) =>
    Object.entries(d.wires ?? {}).flatMap(([terminal, to]) => {
      const [device = '', end = ''] = to.split('.'),
        from = named.get(device.toLowerCase()),
        out = from && kindOf(machine, from.type)?.terminals.find((t) => t.name.toLowerCase() === end.toLowerCase());
      return from && out?.direction === 'out' && isHandedOn(out)
        ? [{ from, out: out.name, to: d, said: `${d.name}.${terminal}` }]
        : [];
    }),
  );
  const taken = new Map<string, string>();
  for (const h of handed) {
    const key = `${h.from.name}.${h.out}`,
      before = taken.get(key);
    if (before !== undefined)
      problems.error(
        'PARTS_TWICE',
        `What leaves at '${key}' would go to '${before}' and to '${h.said}', and be in two places. Take one of these links away, or put a sorter between.`,
        at(h.to),
      );
    taken.set(key, before ?? h.said);
  }
  const metres = (d: Device): number | undefined => {
    const p = kindOf(machine, d.type)?.parameters.find((x) => x.name === 'Length' && x.unit === 'm'),
      given = p && Number(d.parameters?.['Length'] ?? p.initial);
    return given !== undefined && Number.isFinite(given) ? given : undefined;
  };
  for (const feed of machine.devices.filter((d) => d.type === 'PartFeed')) {
    const length = metres(feed),
      reached = new Set<Device>([feed]);
    // A set tells what is added to it while it is gone through.
    for (const d of reached) for (const h of handed) if (h.from === d) reached.add(h.to);
    for (const d of reached) {
      const room = d === feed ? undefined : metres(d);
      if (length !== undefined && room !== undefined && length > room)
        problems.add({
          severity: 'warning',
          code: 'PART_TOO_LONG',
          message: `Parts of '${feed.name}' are ${length} m long and '${d.name}' is ${room} m: none is ever all on it. Make '${d.name}' longer, or the parts shorter.`,
          at: at(d),
        });
    }
  }
}

function deviceText(d: Device): string {
  const given = Object.entries(d.parameters ?? {})
    .map(([k, v]) => `${k} := ${v}`)
    .join(', ');
  return `${d.name} : ${deviceBlockName(d.type)}${given ? ` := (${given})` : ''};`;
}

function deviceWires(
  d: Device,
  kind: DeviceKind,
  devices: readonly Device[],
  source: Source,
  problems: Problems,
): (Wire & { source: Source })[] {
  const at = { source, start: 0, end: d.name.length };
  for (const n of d.nc ?? [])
    if (!kind.terminals.some((t) => t.name.toLowerCase() === n.toLowerCase() && isBoughtClosed(d, t)))
      problems.error(
        'UNKNOWN_TERMINAL',
        `'${d.name}' has no contact '${n}' that could be normally closed.${didYouMean(
          n,
          kind.terminals.filter((t) => t.direction === 'out' && t.type === 'BOOL').map((t) => t.name),
        )}`,
        at,
      );
  return Object.entries(d.wires ?? {}).flatMap(([terminal, to]): (Wire & { source: Source })[] => {
    const t = kind.terminals.find((x) => x.name.toLowerCase() === terminal.toLowerCase());
    if (!t) {
      problems.error(
        'UNKNOWN_TERMINAL',
        `A ${kind.type} has no terminal '${terminal}'.${didYouMean(
          terminal,
          kind.terminals.map((x) => x.name),
        )}`,
        at,
      );
      return [];
    }
    const here = `${MACHINE}.${d.name}.${t.name}`;
    const other = devices.find((x) => x.name.toLowerCase() === to.split('.')[0]!.toLowerCase());
    if (other) {
      if (t.direction === 'out') {
        problems.error(
          'BAD_WIRE',
          `'${terminal}' is an output of '${d.name}'; a mechanical link is written at the device it acts on.`,
          at,
        );
        return [];
      }
      return [{ from: `${MACHINE}.${to}`, to: here, kind: 'link' as const, source }];
    }
    const isNc = isBoughtClosed(d, t);
    return [
      t.direction === 'out'
        ? { from: here, to, kind: 'toTag' as const, source, ...(isNc ? { negated: true as const } : {}) }
        : { from: to, to: here, kind: 'toMachine' as const, source },
    ];
  });
}

function configuration(
  project: Project,
  name: string,
  problems: Problems,
  hasMachine: boolean,
  hasSystem: boolean,
): Configuration {
  const source = makeSource(name, '', { kind: 'pou', id: 'tasks', name: 'Tasks' });
  const at = { source, start: 0, end: 0 };
  const named = (text: string) => ({ text, at });
  const programs = project.pous.filter((p) => p.kind === 'program').map((p) => p.name);
  const given = project.tasks.length
    ? project.tasks
    : [{ id: '', name: 'Main', interval: '10 ms', priority: 0, programs }];
  const tasks: TaskDecl[] = given.map((t) => ({
    name: named(t.name),
    ...(t.event
      ? {
          single: parseExpressionText(
            makeSource(name, t.event, { kind: 'pou', id: 'tasks', name: `Task ${t.name}` }),
            problems,
          ),
        }
      : { interval: durationExpression(t.interval, t.name, name, problems) }),
    priority: { kind: 'literal', literal: { type: 'int', value: BigInt(t.priority) }, at },
  }));
  // The system's own program runs before all others: with the task that comes first.
  const [first] = [...given].sort((a, b) => a.priority - b.priority);
  const clock = hasSystem
    ? [
        {
          name: named(`${SYSTEM}Clock`),
          ...(first ? { task: named(first.name) } : {}),
          program: named(`${SYSTEM}Clock`),
          connections: [],
          blocks: [],
        },
      ]
    : [];
  const instances = given.flatMap((t) =>
    t.programs.map((p) => ({ name: named(p), task: named(t.name), program: named(p), connections: [], blocks: [] })),
  );
  const free = programs
    .filter((p) => !instances.some((i) => i.name.text.toLowerCase() === p.toLowerCase()))
    .map((p) => ({ name: named(p), program: named(p), connections: [], blocks: [] }));
  return {
    kind: 'configuration',
    name: named(''),
    resources: [],
    globals: [],
    tasks,
    instances: [
      ...clock,
      ...instances,
      ...free,
      ...(hasMachine ? [{ name: named(MACHINE), program: named(MACHINE), connections: [], blocks: [] }] : []),
    ],
    config: [],
    access: [],
  };
}

function durationExpression(text: string, task: string, name: string, problems: Problems): Expression {
  const source = makeSource(name, `x : TIME := ${text};`, { kind: 'pou', id: 'tasks', name: `Task ${task}` });
  const v = parseVariableText(source, problems);
  return v.initial?.kind === 'value' ? v.initial.value : { kind: 'missing', at: { source, start: 0, end: 0 } };
}
