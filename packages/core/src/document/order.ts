/**
 * The fields of each thing in a project, in the order in which files have them. Equal projects are then equal files,
 * and what an edit took away and its inverse brings back stands where it stood.
 */
import type {
  BenchDesk,
  Board,
  BoardPin,
  CheckRow,
  Device,
  InterlockRule,
  IoModule,
  MergeConflict,
  OutsideIo,
  OutsideItem,
  OwnKind,
  Plan,
  Project,
  ProjectPou,
  ProjectTask,
  RungText,
  SequenceCheck,
  Tag,
  TypeText,
} from './document.js';

type LadderPou = ProjectPou & { readonly language: 'LD' };
type TextPou = ProjectPou & { readonly language: 'ST' };

/** The things that edits speak of. */
export interface Things {
  readonly tag: Tag;
  readonly type: TypeText;
  readonly rung: RungText;
  readonly pou: ProjectPou;
  readonly task: ProjectTask;
  readonly module: IoModule;
  readonly device: Device;
  readonly kind: OwnKind;
  readonly outside: OutsideIo;
  readonly item: OutsideItem;
  readonly board: Board;
  readonly pin: BoardPin;
  readonly check: SequenceCheck;
  readonly row: CheckRow;
  readonly rule: InterlockRule;
  readonly plan: Plan;
  readonly bench: BenchDesk;
  readonly project: Project;
}
export type ThingName = keyof Things;

/** Every key of a thing once; the compiler refuses a list that lacks one. */
const all =
  <T>() =>
  <const K extends readonly (keyof T)[]>(
    keys: [Exclude<keyof T, K[number]>] extends [never] ? K : readonly Exclude<keyof T, K[number]>[],
  ): K =>
    keys as K;

const POU_KEYS = [
  ...all<LadderPou>()(['id', 'name', 'language', 'kind', 'description', 'variables', 'rungs']),
  ...all<Pick<TextPou, 'text'>>()(['text']),
] as const;

export const ORDER: { readonly [K in ThingName]: readonly string[] } = {
  tag: all<Tag>()([
    'id',
    'name',
    'type',
    'address',
    'initial',
    'description',
    'unit',
    'wiring',
    'retain',
    'constant',
    'range',
    'valueNames',
    'stop',
    'standsFor',
    'access',
    'modbus',
  ]),
  type: all<TypeText>()(['id', 'text']),
  rung: all<RungText>()(['id', 'line', 'comment', 'heading']),
  pou: POU_KEYS,
  task: all<ProjectTask>()(['id', 'name', 'interval', 'event', 'priority', 'programs']),
  module: all<IoModule>()(['id', 'name', 'area', 'start', 'bytes']),
  device: all<Device>()([
    'id',
    'name',
    'type',
    'label',
    'colour',
    'key',
    'parameters',
    'wires',
    'nc',
    'sits',
    'turn',
    'mirrored',
  ]),
  kind: all<OwnKind>()([
    'id',
    'type',
    'help',
    'terminals',
    'parameters',
    'upsets',
    'handles',
    'locals',
    'body',
    'width',
    'picture',
  ]),
  outside: all<OutsideIo>()(['isOn', 'protocol', 'address', 'security', 'user', 'unit', 'words', 'items']),
  item: all<OutsideItem>()(['path', 'item', 'fallback']),
  board: all<Board>()(['target', 'pins']),
  pin: all<BoardPin>()(['point', 'pin', 'how']),
  check: all<SequenceCheck>()(['id', 'name', 'note', 'begins', 'rows', 'table']),
  row: all<CheckRow>()(['id', 'when', 'do', 'expect']),
  rule: all<InterlockRule>()(['id', 'name', 'sentence', 'assumed']),
  plan: all<Plan>()(['description', 'modes', 'choices', 'memory', 'sequences', 'made']),
  bench: all<BenchDesk>()(['points', 'watches', 'keys', 'runs', 'facts', 'timings']),
  project: all<Project>()([
    'format',
    'version',
    'name',
    'description',
    'plan',
    'tags',
    'types',
    'pous',
    'tasks',
    'modules',
    'machine',
    'outside',
    'board',
    'checks',
    'rules',
    'checking',
    'scope',
    'bench',
    'conflicts',
  ]),
};

/**
 * The thing with its fields in order, without those that are undefined or null; the same object where nothing differs.
 */
export function inOrder<N extends ThingName>(name: N, thing: Things[N]): Things[N] {
  const keys = Object.keys(thing),
    right = ORDER[name].filter((k) => ((thing as Record<string, unknown>)[k] ?? undefined) !== undefined);
  if (keys.length === right.length && keys.every((k, i) => k === right[i])) return thing;
  return Object.fromEntries(right.map((k) => [k, (thing as Record<string, unknown>)[k]])) as unknown as Things[N];
}

const each = <N extends ThingName>(name: N, list: readonly Things[N][]): readonly Things[N][] =>
  list.map((x) => inOrder(name, x));

/** A whole project in the order of its files; parts that are empty and may be left out are left out. */
export function projectInOrder(p: Project): Project {
  const { kinds } = p.machine;
  const bench = p.bench && benchInOrder(p.bench);
  return inOrder('project', {
    ...p,
    ...(p.plan ? { plan: inOrder('plan', p.plan) } : {}),
    tags: each('tag', p.tags),
    types: each('type', p.types),
    pous: each('pou', p.pous).map((x) => (x.language === 'LD' ? { ...x, rungs: each('rung', x.rungs) } : x)),
    tasks: each('task', p.tasks),
    modules: (p.modules?.length ? each('module', p.modules) : undefined) as readonly IoModule[],
    machine: {
      devices: each('device', p.machine.devices),
      ...(kinds?.length ? { kinds: each('kind', kinds) } : {}),
    },
    outside: (p.outside ? outsideInOrder(p.outside) : undefined) as OutsideIo,
    board: (p.board ? boardInOrder(p.board) : undefined) as Board,
    checks: each('check', p.checks).map((c) => ({ ...c, rows: each('row', c.rows) })),
    rules: each('rule', p.rules),
    checking: checkingInOrder(p.checking ?? {}) as NonNullable<Project['checking']>,
    bench: bench as BenchDesk,
    conflicts: (p.conflicts?.length ? p.conflicts : undefined) as readonly MergeConflict[],
  });
}

/** Where inputs and outputs are connected to, with its items in order. */
export const boardInOrder = (b: Board): Board => inOrder('board', { ...b, pins: each('pin', b.pins) });
export const outsideInOrder = (o: OutsideIo): OutsideIo => inOrder('outside', { ...o, items: each('item', o.items) });

/** What belongs to the bench, without lists that are empty; undefined where all are. */
export function benchInOrder(b: BenchDesk): BenchDesk | undefined {
  const lists = (ORDER.bench as readonly (keyof BenchDesk)[]).filter((k) => b[k]?.length);
  return lists.length ? (Object.fromEntries(lists.map((k) => [k, b[k]])) as BenchDesk) : undefined;
}

/** Levels of the rules of checking by code; 'warning' is what they are by themselves. Undefined where all are. */
export function checkingInOrder(levels: NonNullable<Project['checking']>): Project['checking'] {
  const told = Object.entries(levels).filter(([, level]) => level !== 'warning');
  return told.length ? Object.fromEntries(told.sort(([a], [b]) => (a < b ? -1 : 1))) : undefined;
}
