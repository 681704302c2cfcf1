/**
 * What differs between two projects: tags by row, rungs by rung, text by line. Things are matched by id, so a rename is
 * a change.
 */
import { dequal } from 'dequal/lite';
import { many } from '../language/words.js';
import { stepsToTable } from './step-table.js';
import { type Project, type ProjectPou, type RungText, type Tag, tagText } from './document.js';
import { rungToLines } from '../ladder/sheet.js';
import { inOrder, projectInOrder } from './order.js';
import { type Part, changedStretch, deviceParts, kindParts, partsText, partsThatDiffer } from './device-words.js';

export interface Difference {
  /** Names it among the differences of two projects, for `withChosen`. */ readonly key: string;
  readonly what: string;
  readonly kind: 'tag' | 'rung' | 'text' | 'machine' | 'tasks' | 'prove' | 'settings';
  /** As text; undefined where it is not there. */
  readonly before?: string;
  readonly after?: string;
  /** Of a rung: what is drawn. */
  readonly rungs?: { readonly before?: RungText; readonly after?: RungText };
}

export function compareProjects(before: Project, after: Project): Difference[] {
  const named = (check: string) => [...after.checks, ...before.checks].find((c) => c.id === check)?.name ?? check;
  return [
    ...one(
      'name',
      'Name and description',
      'settings',
      [before.name, before.description].filter(Boolean).join('\n'),
      [after.name, after.description].filter(Boolean).join('\n'),
    ),
    ...planDifference(before, after),
    ...lists(
      'types',
      before.types,
      after.types,
      'text',
      (t) => `Type ${/^\s*(\w+)/.exec(t.text)?.[1] ?? ''}`,
      (t) => t.text,
    ),
    ...lists('tags', before.tags, after.tags, 'tag', (t) => `Tag ${t.name}`, tagLine),
    ...pous(before, after),
    ...lists(
      'tasks',
      before.tasks,
      after.tasks,
      'tasks',
      (t) => `Task ${t.name}`,
      (t) => `${t.event ? `on ${t.event}` : t.interval}, priority ${t.priority}: ${t.programs.join(', ')}`,
    ),
    ...lists(
      'modules',
      before.modules ?? [],
      after.modules ?? [],
      'settings',
      (m) => `Module ${m.name}`,
      (m) => `%${m.area}${m.start}, ${many(m.bytes, 'byte')}`,
    ),
    ...lists(
      'kinds',
      before.machine.kinds ?? [],
      after.machine.kinds ?? [],
      'machine',
      (k) => `Kind of device ${k.type}`,
      (k) => partsText(kindParts(k)),
      kindParts,
    ),
    ...lists(
      'devices',
      before.machine.devices,
      after.machine.devices,
      'machine',
      (d) => `Machine ${d.name}`,
      (d) => partsText(deviceParts(d)),
      deviceParts,
    ),
    ...one('outside', 'Outside I/O', 'machine', outsideLines(before), outsideLines(after)),
    ...one('board', 'Board', 'machine', boardLines(before), boardLines(after)),
    ...lists(
      'checks',
      before.checks,
      after.checks,
      'prove',
      (c) => `Check ${c.name}`,
      (c) =>
        [
          c.note,
          c.begins && `begins with ${named(c.begins)}`,
          ...c.rows.map((r) =>
            [r.when, ...(r.do ?? []), ...(r.expect ?? []).map((e) => `expect ${e}`)].filter(Boolean).join('; '),
          ),
          ...(c.table ? [c.table.columns.join(' | '), ...c.table.rows.map((r) => r.join(' | '))] : []),
        ]
          .filter(Boolean)
          .join('\n'),
    ),
    ...lists(
      'rules',
      before.rules,
      after.rules,
      'prove',
      (r) => `Rule ${r.name}`,
      (r) => r.sentence,
    ),
    ...one(
      'checking',
      'Rules of checking',
      'settings',
      Object.entries(before.checking ?? {})
        .map(([k, v]) => `${k}: ${v}`)
        .join('\n'),
      Object.entries(after.checking ?? {})
        .map(([k, v]) => `${k}: ${v}`)
        .join('\n'),
    ),
    ...one('scope', 'Tags on the scope', 'settings', before.scope.join(', '), after.scope.join(', ')),
    ...lists(
      'watches',
      before.bench?.watches ?? [],
      after.bench?.watches ?? [],
      'settings',
      (w) => `Watch list ${w.name}`,
      (w) => w.rows.map((r) => `${r.path}${r.format ? ` as ${r.format}` : ''}`).join(', '),
    ),
    ...one('keys', 'Keys for inputs', 'settings', keyLines(before), keyLines(after)),
    ...lists(
      'runs',
      before.bench?.runs ?? [],
      after.bench?.runs ?? [],
      'settings',
      (r) => `Kept run ${r.name}`,
      (r) => r.name,
    ),
  ];
}

/** What differs as text: each thing by its name, its lines before and after. Empty where nothing does. */
export function differencesText(before: Project, after: Project): string {
  const found = compareProjects(before, after),
    marked = (mark: string, text: string | undefined) =>
      text === undefined ? [] : text.split('\n').map((l) => `${mark} ${l}`.trimEnd());
  const blocks = found.map((d) => [d.what, ...marked('-', d.before), ...marked('+', d.after)].join('\n'));
  // What no sentence speaks of is not passed over: where it lies is said.
  if (!found.length) {
    const [a, b] = [before, after] as unknown as readonly Readonly<Record<string, unknown>>[];
    for (const k of new Set([...Object.keys(a!), ...Object.keys(b!)]))
      if (JSON.stringify(a![k]) !== JSON.stringify(b![k])) blocks.push(`In ‘${k}’: something that is not shown here`);
  }
  return blocks.length ? `${blocks.join('\n\n')}\n` : '';
}

/**
 * The plan as its table says it; what stands in no column (notes, what runs beside) as data. What was made of it is no
 * part.
 */
function planDifference(before: Project, after: Project): Difference[] {
  const said = one('plan', 'Plan', 'settings', planLines(before), planLines(after)),
    [a, b] = [before, after].map(({ plan: { made: _, ...plan } = { sequences: [] } }) => plan);
  return said.length || dequal(a, b) ? said : [{ key: 'plan', what: 'Plan', kind: 'settings', ...beyond(a!, b!) }];
}
const planLines = (p: Project) =>
  [
    p.plan?.description ?? '',
    (p.plan?.modes ?? []).map((m) => `Mode ${m.name}${m.when ? ` when ${m.when}` : ''}`).join('\n'),
    (p.plan?.choices ?? [])
      .map(
        (c) =>
          `Choice ${c.name}: ${c.options.map((o) => `${o.name}${o.when ? ` by ${o.when}` : ''}`).join(', ')}${c.reset ? `; taken back by ${c.reset}` : ''}${c.locked ? `; not while ${c.locked}` : ''}`,
      )
      .join('\n'),
    (p.plan?.memory ?? []).map((m) => `Memory ${m.name}${m.type ? ` : ${m.type}` : ''}`).join('\n'),
    ...(p.plan?.sequences ?? []).map(
      (s) =>
        `${s.name}${s.run ? ` while ${s.run}` : ''}${s.modes?.length ? ` in ${s.modes.join(', ')}` : ''}\n${stepsToTable(s)}`,
    ),
  ]
    .filter(Boolean)
    .join('\n\n');
const outsideLines = ({ outside: o }: Project) =>
  o
    ? [
        o.isOn ? 'Inputs and outputs are connected to another program' : 'Inputs and outputs are the machine model’s',
        [
          o.protocol === 'opcua' ? 'OPC UA' : 'Modbus TCP',
          o.address,
          o.security,
          o.user && `as ${o.user}`,
          o.unit !== undefined && `unit ${o.unit}`,
          o.words && `${o.words.replace(' ', ' word ')}`,
        ]
          .filter(Boolean)
          .join(', '),
        ...o.items.map((x) => `${x.path}: ${x.item}${x.fallback ? `, else ${x.fallback}` : ''}`),
      ].join('\n')
    : '';
const boardLines = ({ board: b }: Project) =>
  b ? [`Target ${b.target}`, ...b.pins.map((x) => [x.point, x.pin, x.how].filter(Boolean).join(', '))].join('\n') : '';
const keyLines = (p: Project) => (p.bench?.keys ?? []).map((k) => `${k.key}: ${k.path}`).join('\n');
const one = (key: string, what: string, kind: Difference['kind'], before: string, after: string): Difference[] =>
  before === after ? [] : [{ key, what, kind, before, after }];
const facts = (t: Tag): string[] => [
  ...(t.standsFor ? [`stands for ${t.standsFor}`] : []),
  ...(t.unit ? [`unit ${t.unit}`] : []),
  ...(t.range ? [`range ${t.range}`] : []),
  ...(t.valueNames ? [`values ${t.valueNames}`] : []),
  ...(t.stop ? [`${t.stop} at stop`] : []),
  ...(t.access ? [`others may ${t.access}`] : []),
  ...(t.modbus ? [`Modbus ${t.modbus}`] : []),
];
const tagLine = (t: Tag) =>
  [
    `${tagText(t)}${t.wiring ? ` ${t.wiring}` : ''}${t.retain ? ' RETAIN' : ''}${t.constant ? ' CONSTANT' : ''}`,
    ...facts(t),
    ...(t.description ? [`// ${t.description}`] : []),
  ].join(' ');

/** What a program is called and said to be. */
const headOf = (p: ProjectPou): string => [`${p.kind} ${p.name}`, p.description].filter(Boolean).join('\n');
function pous(before: Project, after: Project): Difference[] {
  return [...new Set([...before.pous, ...after.pous].map((p) => p.id))].flatMap((id): Difference[] => {
    const a = before.pous.find((p) => p.id === id),
      b = after.pous.find((p) => p.id === id);
    const name = (b ?? a)!.name;
    const renamed = a && b ? one(`pous/${id}/name`, `${name} · name`, 'settings', headOf(a), headOf(b)) : [];
    if ((a?.language ?? 'LD') === 'LD' && (b?.language ?? 'LD') === 'LD') {
      const of = (p: typeof a) => (p?.language === 'LD' ? p : undefined);
      const rungs = (p: typeof a): readonly RungText[] => of(p)?.rungs ?? [];
      const number = (r: RungText) => {
        const list = rungs(b).some((x) => x.id === r.id) ? rungs(b) : rungs(a);
        return list.findIndex((x) => x.id === r.id) + 1;
      };
      const changed = lists(
        `pous/${id}/rungs`,
        rungs(a),
        rungs(b),
        'rung',
        (r) => `${name} · rung ${number(r)}`,
        rungToLines,
      );
      const common = (list: readonly RungText[], other: readonly RungText[]) =>
        list
          .filter((r) => other.some((x) => x.id === r.id))
          .map((r) => r.id)
          .join(' ');
      const isMoved = common(rungs(a), rungs(b)) !== common(rungs(b), rungs(a));
      const order = (list: readonly RungText[]) => list.map((r) => r.line).join('\n');
      return [
        ...renamed,
        ...one(
          `pous/${id}/variables`,
          `${name} · own variables`,
          'text',
          of(a)?.variables ?? '',
          of(b)?.variables ?? '',
        ),
        ...changed,
        ...(isMoved
          ? [
              {
                key: `pous/${id}/order`,
                what: `${name} · order of the rungs`,
                kind: 'text' as const,
                before: order(rungs(a)),
                after: order(rungs(b)),
              },
            ]
          : []),
      ];
    }
    const text = (p: typeof a) =>
      p?.language === 'ST' ? p.text.split('\n') : p?.language === 'LD' ? p.rungs.map((r) => r.line) : [];
    return [...renamed, ...textLines(`pous/${id}/text`, name, text(a), text(b))];
  });
}

/** What differs in fields that the text of a thing does not speak of: field by field, as data. */
function beyond(a: object, b: object): Pick<Difference, 'before' | 'after'> {
  const [x, y] = [a, b] as Readonly<Record<string, unknown>>[],
    fields = [...new Set([...Object.keys(x!), ...Object.keys(y!)])].filter((k) => !dequal(x![k], y![k])),
    lines = (of: Readonly<Record<string, unknown>>) =>
      fields
        .flatMap((k) =>
          of[k] === undefined ? [] : [`${k}: ${typeof of[k] === 'string' ? of[k] : JSON.stringify(of[k])}`],
        )
        .join('\n');
  return { before: lines(x!), after: lines(y!) };
}

function lists<T extends { readonly id: string }>(
  list: string,
  before: readonly T[],
  after: readonly T[],
  kind: Difference['kind'],
  name: (x: T) => string,
  text: (x: T) => string,
  parts?: (x: T) => readonly Part[],
): Difference[] {
  const result: Difference[] = [],
    key = (x: T) => `${list}/${x.id}`;
  const drawn = (a: T | undefined, b: T | undefined) =>
    kind === 'rung'
      ? {
          rungs: {
            ...(a ? { before: a as unknown as RungText } : {}),
            ...(b ? { after: b as unknown as RungText } : {}),
          },
        }
      : {};
  const known = new Map(before.map((a) => [a.id, a]));
  // Another name is a change too; a rung is called by its place, which is no part of it.
  const named = kind === 'rung' ? text : (x: T) => `${name(x)}\n${text(x)}`;
  // Long things are shown by their parts that differ.
  const narrowed = (a: T, b: T) =>
    parts && partsThatDiffer([['', [name(a)]], ...parts(a)], [['', [name(b)]], ...parts(b)]);
  for (const b of after) {
    const a = known.get(b.id);
    if (a && text(a) === text(b) && named(a) !== named(b))
      result.push({
        key: key(b),
        what: name(b),
        kind,
        ...(narrowed(a, b) ?? { before: named(a), after: named(b) }),
      });
    else if (!a) result.push({ key: key(b), what: name(b), kind, after: text(b), ...drawn(a, b) });
    else if (text(a) !== text(b))
      result.push({
        key: key(b),
        what: name(b),
        kind,
        ...(narrowed(a, b) ?? { before: text(a), after: text(b) }),
        ...drawn(a, b),
      });
    else if (!dequal(a, b)) result.push({ key: key(b), what: name(b), kind, ...beyond(a, b) });
  }
  const left = new Set(after.map((b) => b.id));
  for (const a of before)
    if (!left.has(a.id)) result.push({ key: key(a), what: name(a), kind, before: text(a), ...drawn(a, undefined) });
  return result;
}

/** The stretch of lines that changed, after the common beginning and before the common end. */
function textLines(key: string, name: string, a: readonly string[], b: readonly string[]): Difference[] {
  if (a.join('\n') === b.join('\n')) return [];
  const { start, end } = changedStretch(a, b);
  return [
    {
      key,
      what: `${name} · line ${start + 1}`,
      kind: 'text',
      before: a.slice(start, a.length - end).join('\n'),
      after: b.slice(start, b.length - end).join('\n'),
    },
  ];
}

/**
 * The project before with only some of what differs taken over, by the keys of the differences: for trying a few
 * changes of a draft on a controller. All of them give the project after itself. Whether what comes out checks is for
 * the checker.
 */
export function withChosen(before: Project, after: Project, keys: readonly string[]): Project {
  const chosen = new Set(keys),
    has = (key: string) => chosen.has(key);
  if (compareProjects(before, after).every((d) => has(d.key))) return after;
  const list = <T extends { readonly id: string }>(name: string, a: readonly T[], b: readonly T[]) =>
    chosenOf(a, b, (x) => has(`${name}/${x.id}`));
  const some = <K extends string, T>(key: K, value: T | undefined): { [P in K]?: T } =>
    value === undefined ? {} : ({ [key]: value } as { [P in K]?: T });
  const { description: _, plan: __, modules: ___, checking: ____, outside: _____, board: ______, ...rest } = before,
    from = (key: string) => (has(key) ? after : before);
  return projectInOrder({
    ...rest,
    name: from('name').name,
    ...some('description', from('name').description),
    ...some('plan', from('plan').plan),
    tags: list('tags', before.tags, after.tags),
    types: list('types', before.types, after.types),
    pous: chosenPous(before, after, has),
    tasks: list('tasks', before.tasks, after.tasks),
    ...some(
      'modules',
      before.modules || after.modules ? list('modules', before.modules ?? [], after.modules ?? []) : undefined,
    ),
    machine: {
      ...before.machine,
      devices: list('devices', before.machine.devices, after.machine.devices),
      ...some(
        'kinds',
        before.machine.kinds || after.machine.kinds
          ? list('kinds', before.machine.kinds ?? [], after.machine.kinds ?? [])
          : undefined,
      ),
    },
    ...some('outside', from('outside').outside),
    ...some('board', from('board').board),
    checks: list('checks', before.checks, after.checks),
    rules: list('rules', before.rules, after.rules),
    ...some('checking', from('checking').checking),
    scope: from('scope').scope,
  });
}

function chosenPous(before: Project, after: Project, has: (key: string) => boolean): readonly ProjectPou[] {
  const any = (p: ProjectPou) =>
    ['name', 'variables', 'order', 'text'].some((x) => has(`pous/${p.id}/${x}`)) ||
    rungsOf(p).some((r) => has(`pous/${p.id}/rungs/${r.id}`));
  return chosenOf(before.pous, after.pous, any).flatMap((p): ProjectPou[] => {
    const a = before.pous.find((x) => x.id === p.id),
      b = after.pous.find((x) => x.id === p.id);
    const [old, now] = [a ?? b!, b ?? a!],
      named = has(`pous/${p.id}/name`) ? now : old;
    if (old.language === 'ST' || now.language === 'ST')
      return [
        inOrder('pou', {
          ...(has(`pous/${p.id}/text`) ? now : old),
          name: named.name,
          kind: named.kind,
          description: named.description,
        } as ProjectPou),
      ];
    const variables = (has(`pous/${p.id}/variables`) || !a ? now : old).variables;
    const rungs = chosenOf(a ? rungsOf(a) : [], b ? rungsOf(b) : [], (r) => has(`pous/${p.id}/rungs/${r.id}`));
    const place = new Map(rungsOf(now).map((r, i) => [r.id, i]));
    const { variables: _, ...rest } = named as typeof old;
    return [
      {
        ...rest,
        ...(variables === undefined ? {} : { variables }),
        rungs: has(`pous/${p.id}/order`)
          ? [...rungs].sort((x, y) => (place.get(x.id) ?? -1) - (place.get(y.id) ?? -1))
          : rungs,
      } as ProjectPou,
    ];
  });
}
const rungsOf = (p: ProjectPou): readonly RungText[] => (p.language === 'LD' ? p.rungs : []);

/**
 * The things before, those that are chosen as they are after: changed, gone, or new behind what they stand behind
 * there.
 */
function chosenOf<T extends { readonly id: string }>(
  before: readonly T[],
  after: readonly T[],
  isChosen: (x: T) => boolean,
): readonly T[] {
  const now = new Map(after.map((x) => [x.id, x])),
    old = new Set(before.map((x) => x.id));
  const result = before.flatMap((x) =>
    isChosen(x) || (now.has(x.id) && isChosen(now.get(x.id)!)) ? (now.get(x.id) ?? []) : x,
  );
  after.forEach((x, i) => {
    if (old.has(x.id) || !isChosen(x)) return;
    const behind = after
      .slice(0, i)
      .reverse()
      .map((y) => result.findIndex((z) => z.id === y.id))
      .find((at) => at >= 0);
    result.splice((behind ?? -1) + 1, 0, x);
  });
  return result;
}
