/**
 * The edits: small named operations on the document, each with its inverse. Undo, saving and the revision
 * history all use these and nothing else. An edit that does not fit the document is refused with a reason.
 */
import { mendTable } from '../prove/runs.js';
import { parseDo } from '../prove/sentences.js';
import type {
  BenchDesk,
  Plan,
  CheckRow,
  Device,
  InterlockRule,
  IoModule,
  OwnKind,
  Project,
  ProjectPou,
  ProjectTask,
  RungText,
  SequenceCheck,
  Tag,
  TypeText,
} from './document.js';

export type Edit =
  | { readonly kind: 'addTag'; readonly tag: Tag; readonly at?: number }
  | { readonly kind: 'removeTag'; readonly id: string }
  | { readonly kind: 'changeTag'; readonly id: string; readonly to: Partial<Omit<Tag, 'id'>> }
  | { readonly kind: 'addRung'; readonly pou: string; readonly rung: RungText; readonly at: number }
  | { readonly kind: 'removeRung'; readonly pou: string; readonly id: string }
  | {
      readonly kind: 'changeRung';
      readonly pou: string;
      readonly id: string;
      readonly to: Partial<Omit<RungText, 'id'>>;
    }
  | { readonly kind: 'moveRung'; readonly pou: string; readonly id: string; readonly to: number }
  | { readonly kind: 'addPou'; readonly pou: ProjectPou; readonly at: number }
  | { readonly kind: 'removePou'; readonly id: string }
  /** Not its rungs or text. */
  | {
      readonly kind: 'changePou';
      readonly id: string;
      readonly to: {
        readonly name?: string;
        readonly description?: string;
        readonly variables?: string;
        readonly kind?: ProjectPou['kind'];
      };
    }
  | { readonly kind: 'addType'; readonly type: TypeText; readonly at: number }
  | { readonly kind: 'removeType'; readonly id: string }
  | { readonly kind: 'changeType'; readonly id: string; readonly to: Partial<Omit<TypeText, 'id'>> }
  | { readonly kind: 'addTask'; readonly task: ProjectTask; readonly at: number }
  | { readonly kind: 'removeTask'; readonly id: string }
  | { readonly kind: 'changeTask'; readonly id: string; readonly to: Partial<Omit<ProjectTask, 'id'>> }
  /** The I/O layout as a whole; an empty one is none. */
  | { readonly kind: 'changeModules'; readonly modules: readonly IoModule[] }
  | { readonly kind: 'changeText'; readonly pou: string; readonly text: string }
  | { readonly kind: 'changeDevice'; readonly id: string; readonly to: Partial<Omit<Device, 'id'>> }
  | { readonly kind: 'addCheck'; readonly check: SequenceCheck; readonly at: number }
  | { readonly kind: 'removeCheck'; readonly id: string }
  | { readonly kind: 'changeCheck'; readonly id: string; readonly to: Partial<Omit<SequenceCheck, 'id'>> }
  | { readonly kind: 'addRow'; readonly check: string; readonly row: CheckRow; readonly at: number }
  | { readonly kind: 'removeRow'; readonly check: string; readonly id: string }
  | {
      readonly kind: 'changeRow';
      readonly check: string;
      readonly id: string;
      readonly to: Partial<Omit<CheckRow, 'id'>>;
    }
  | { readonly kind: 'addRule'; readonly rule: InterlockRule; readonly at: number }
  | { readonly kind: 'removeRule'; readonly id: string }
  | { readonly kind: 'changeRule'; readonly id: string; readonly to: Partial<Omit<InterlockRule, 'id'>> }
  /** How strict a rule of checking is; 'warning' is what it is by itself. */
  | { readonly kind: 'changeChecking'; readonly code: string; readonly to: 'error' | 'warning' | 'off' }
  | { readonly kind: 'changeScope'; readonly paths: readonly string[] }
  | { readonly kind: 'addDevice'; readonly device: Device; readonly at: number }
  | { readonly kind: 'removeDevice'; readonly id: string }
  | { readonly kind: 'addKind'; readonly of: OwnKind; readonly at: number }
  | { readonly kind: 'removeKind'; readonly id: string }
  | { readonly kind: 'changeKind'; readonly id: string; readonly to: Partial<Omit<OwnKind, 'id'>> }
  | { readonly kind: 'changePlan'; readonly plan: Plan | null }
  /** Parts that are given take the place of those there were. */
  | { readonly kind: 'changeBench'; readonly to: BenchDesk }
  | { readonly kind: 'rename'; readonly name: string }
  /** The whole project becomes another: an old revision brought back. */
  | { readonly kind: 'replace'; readonly project: Project }
  /** Several edits as one, undone as one. */
  | { readonly kind: 'group'; readonly label: string; readonly edits: readonly Edit[] };

export const EDIT_KINDS: readonly Edit['kind'][] = [
  'addTag',
  'removeTag',
  'changeTag',
  'addRung',
  'removeRung',
  'changeRung',
  'moveRung',
  'addPou',
  'removePou',
  'changePou',
  'addType',
  'removeType',
  'changeType',
  'addTask',
  'removeTask',
  'changeTask',
  'changeModules',
  'changeText',
  'changeDevice',
  'addDevice',
  'removeDevice',
  'addKind',
  'removeKind',
  'changeKind',
  'addCheck',
  'removeCheck',
  'changeCheck',
  'addRow',
  'removeRow',
  'changeRow',
  'addRule',
  'removeRule',
  'changeRule',
  'changeChecking',
  'changeScope',
  'changeBench',
  'changePlan',
  'rename',
  'replace',
  'group',
];

export type Applied = { readonly project: Project; readonly inverse: Edit } | { readonly refused: string };

/** Applies an edit. The inverse, applied to the result, gives back an equal document. */
export function applyEdit(p: Project, e: Edit): Applied {
  switch (e.kind) {
    case 'addTag': {
      if (p.tags.some((t) => t.id === e.tag.id)) return refuse(`There is a tag with the id '${e.tag.id}' already.`);
      return done({ ...p, tags: insert(p.tags, e.tag, e.at ?? p.tags.length) }, { kind: 'removeTag', id: e.tag.id });
    }
    case 'removeTag': {
      const at = p.tags.findIndex((t) => t.id === e.id);
      if (at < 0) return refuse('The tag is no longer there.');
      return done({ ...p, tags: p.tags.filter((t) => t.id !== e.id) }, { kind: 'addTag', tag: p.tags[at]!, at });
    }
    case 'changeTag':
      return changeIn(
        p.tags,
        e.id,
        e.to,
        'tag',
        (tags) => ({ ...p, tags }),
        (to) => ({ ...e, to }),
      );
    case 'addRung':
      return inPou(p, e.pou, (pou) => {
        if (pou.rungs.some((r) => r.id === e.rung.id))
          return refuse(`There is a rung with the id '${e.rung.id}' already.`);
        return done(withPou(p, { ...pou, rungs: insert(pou.rungs, e.rung, e.at) }), {
          kind: 'removeRung',
          pou: e.pou,
          id: e.rung.id,
        });
      });
    case 'removeRung':
      return inPou(p, e.pou, (pou) => {
        const at = pou.rungs.findIndex((r) => r.id === e.id);
        if (at < 0) return refuse('The rung is no longer there.');
        return done(withPou(p, { ...pou, rungs: pou.rungs.filter((r) => r.id !== e.id) }), {
          kind: 'addRung',
          pou: e.pou,
          rung: pou.rungs[at]!,
          at,
        });
      });
    case 'changeRung':
      return inPou(p, e.pou, (pou) =>
        changeIn(
          pou.rungs,
          e.id,
          e.to,
          'rung',
          (rungs) => withPou(p, { ...pou, rungs }),
          (to) => ({ ...e, to }),
        ),
      );
    case 'moveRung':
      return inPou(p, e.pou, (pou) => {
        const at = pou.rungs.findIndex((r) => r.id === e.id);
        if (at < 0) return refuse('The rung is no longer there.');
        const rest = pou.rungs.filter((r) => r.id !== e.id);
        return done(withPou(p, { ...pou, rungs: insert(rest, pou.rungs[at]!, e.to) }), { ...e, to: at });
      });
    case 'addPou':
      return addTo(p.pous, e.pou, e.at, 'program or block', (pous) => ({ ...p, pous }), {
        kind: 'removePou',
        id: e.pou.id,
      });
    case 'removePou':
      return takeFrom(
        p.pous,
        e.id,
        'program or block',
        (pous) => ({ ...p, pous }),
        (pou, at) => ({ kind: 'addPou', pou, at }),
      );
    case 'changePou':
      return changeIn<ProjectPou>(
        p.pous,
        e.id,
        e.to as Partial<ProjectPou>,
        'program or block',
        (pous) => ({ ...p, pous }),
        (to) => ({ ...e, to: to as typeof e.to }),
      );
    case 'addType':
      return addTo(p.types, e.type, e.at, 'type', (types) => ({ ...p, types }), { kind: 'removeType', id: e.type.id });
    case 'removeType':
      return takeFrom(
        p.types,
        e.id,
        'type',
        (types) => ({ ...p, types }),
        (type, at) => ({ kind: 'addType', type, at }),
      );
    case 'changeType':
      return changeIn(
        p.types,
        e.id,
        e.to,
        'type',
        (types) => ({ ...p, types }),
        (to) => ({ ...e, to }),
      );
    case 'addTask':
      return addTo(p.tasks, e.task, e.at, 'task', (tasks) => ({ ...p, tasks }), { kind: 'removeTask', id: e.task.id });
    case 'removeTask':
      return takeFrom(
        p.tasks,
        e.id,
        'task',
        (tasks) => ({ ...p, tasks }),
        (task, at) => ({ kind: 'addTask', task, at }),
      );
    case 'changeTask':
      return changeIn(
        p.tasks,
        e.id,
        e.to,
        'task',
        (tasks) => ({ ...p, tasks }),
        (to) => ({ ...e, to }),
      );
    case 'changeModules': {
      const { modules: before = [], format, version, name, description, plan, tags, types, pous, tasks, ...rest } = p;
      // Key order is that of the document.
      return done(
        {
          format,
          version,
          name,
          ...(description !== undefined ? { description } : {}),
          ...(plan ? { plan } : {}),
          tags,
          types,
          pous,
          tasks,
          ...(e.modules.length ? { modules: e.modules } : {}),
          ...rest,
        },
        { kind: 'changeModules', modules: before },
      );
    }
    case 'changeText': {
      const pou = p.pous.find((x) => x.id === e.pou);
      if (pou?.language !== 'ST') return refuse('The text is no longer there.');
      return done(withPou(p, { ...pou, text: e.text }), { ...e, text: pou.text });
    }
    case 'changeDevice':
      return changeIn(
        p.machine.devices,
        e.id,
        e.to,
        'device',
        (devices) => ({ ...p, machine: { ...p.machine, devices } }),
        (to) => ({ ...e, to }),
      );
    case 'addDevice':
      return addTo(
        p.machine.devices,
        e.device,
        e.at,
        'device',
        (devices) => ({ ...p, machine: { ...p.machine, devices } }),
        { kind: 'removeDevice', id: e.device.id },
      );
    case 'removeDevice':
      return takeFrom(
        p.machine.devices,
        e.id,
        'device',
        (devices) => ({ ...p, machine: { ...p.machine, devices } }),
        (device, at) => ({ kind: 'addDevice', device, at }),
      );
    case 'addKind':
      return addTo(p.machine.kinds ?? [], e.of, e.at, 'kind of device', (kinds) => withKinds(p, kinds), {
        kind: 'removeKind',
        id: e.of.id,
      });
    case 'removeKind':
      return takeFrom(
        p.machine.kinds ?? [],
        e.id,
        'kind of device',
        (kinds) => withKinds(p, kinds),
        (of, at) => ({ kind: 'addKind', of, at }),
      );
    case 'changeKind':
      return changeIn(
        p.machine.kinds ?? [],
        e.id,
        e.to,
        'kind of device',
        (kinds) => withKinds(p, kinds),
        (to) => ({ ...e, to }),
      );
    case 'addCheck':
      return addTo(p.checks, e.check, e.at, 'check', (checks) => ({ ...p, checks }), {
        kind: 'removeCheck',
        id: e.check.id,
      });
    case 'removeCheck':
      return takeFrom(
        p.checks,
        e.id,
        'check',
        (checks) => ({ ...p, checks }),
        (check, at) => ({ kind: 'addCheck', check, at }),
      );
    case 'changeCheck':
      return changeIn(
        p.checks,
        e.id,
        e.to,
        'check',
        (checks) => ({ ...p, checks }),
        (to) => ({ ...e, to }),
      );
    case 'addRow':
    case 'removeRow': {
      const check = p.checks.find((c) => c.id === e.check);
      if (!check) return refuse('The check is no longer there.');
      const whole = (rows: CheckRow[]): Project => ({
        ...p,
        checks: p.checks.map((c) => (c === check ? { ...c, rows } : c)),
      });
      return e.kind === 'addRow'
        ? addTo(check.rows, e.row, e.at, 'row', whole, { kind: 'removeRow', check: e.check, id: e.row.id })
        : takeFrom(check.rows, e.id, 'row', whole, (row, at) => ({ kind: 'addRow', check: e.check, row, at }));
    }
    case 'changeRow': {
      const check = p.checks.find((c) => c.id === e.check);
      if (!check) return refuse('The check is no longer there.');
      return changeIn(
        check.rows,
        e.id,
        e.to,
        'row',
        (rows) => ({ ...p, checks: p.checks.map((c) => (c === check ? { ...c, rows } : c)) }),
        (to) => ({ ...e, to }),
      );
    }
    case 'addRule':
      return addTo(p.rules, e.rule, e.at, 'rule', (rules) => ({ ...p, rules }), { kind: 'removeRule', id: e.rule.id });
    case 'removeRule':
      return takeFrom(
        p.rules,
        e.id,
        'rule',
        (rules) => ({ ...p, rules }),
        (rule, at) => ({ kind: 'addRule', rule, at }),
      );
    case 'changeRule':
      return changeIn(
        p.rules,
        e.id,
        e.to,
        'rule',
        (rules) => ({ ...p, rules }),
        (to) => ({ ...e, to }),
      );
    case 'changeChecking': {
      const { [e.code]: before = 'warning', ...rest } = p.checking ?? {};
      const next = e.to === 'warning' ? rest : { ...rest, [e.code]: e.to };
      const { checking: _, scope, ...head } = p;
      // Key order is that of the document, and nothing stays behind where nothing is set.
      const to: Project = {
        ...head,
        ...(Object.keys(next).length ? { checking: Object.fromEntries(Object.entries(next).sort()) } : {}),
        scope,
      };
      return done(to, { kind: 'changeChecking', code: e.code, to: before });
    }
    case 'changeScope':
      return done({ ...p, scope: e.paths }, { kind: 'changeScope', paths: p.scope });
    case 'changePlan': {
      const { plan: before, format, version, name, description, ...rest } = p;
      // Key order is that of the document.
      return done(
        {
          format,
          version,
          name,
          ...(description !== undefined ? { description } : {}),
          ...(e.plan ? { plan: e.plan } : {}),
          ...rest,
        },
        { kind: 'changePlan', plan: before ?? null },
      );
    }
    case 'changeBench': {
      const { bench = {}, ...rest } = p;
      const next = Object.fromEntries(
        (['points', 'watches', 'keys', 'runs'] as const).flatMap((k) => {
          const v = e.to[k] ?? bench[k];
          return v?.length ? [[k, v]] : [];
        }),
      ) as BenchDesk;
      const before = Object.fromEntries(
        (['points', 'watches', 'keys', 'runs'] as const).flatMap((k) => (e.to[k] ? [[k, bench[k] ?? []]] : [])),
      ) as BenchDesk;
      return done(
        { ...rest, ...(Object.keys(next).length ? { bench: next } : {}) },
        { kind: 'changeBench', to: before },
      );
    }
    case 'rename':
      return done({ ...p, name: e.name }, { kind: 'rename', name: p.name });
    case 'replace':
      return done(e.project, { kind: 'replace', project: p });
    case 'group':
      return applyGroup(p, e);
  }
}

function applyGroup(p: Project, e: Edit & { kind: 'group' }): Applied {
  let project = p;
  const inverses: Edit[] = [];
  for (const x of e.edits) {
    const r = applyEdit(project, x);
    if ('refused' in r) return r;
    project = r.project;
    inverses.unshift(r.inverse);
  }
  return done(project, { kind: 'group', label: e.label, edits: inverses });
}

/** A project without kinds of its own does not speak of them. */
const withKinds = (p: Project, kinds: readonly OwnKind[]): Project => ({
  ...p,
  machine: { devices: p.machine.devices, ...(kinds.length ? { kinds } : {}) },
});
const refuse = (refused: string): Applied => ({ refused });
const done = (project: Project, inverse: Edit): Applied => ({ project, inverse });
const insert = <T>(list: readonly T[], item: T, at: number): T[] => [...list.slice(0, at), item, ...list.slice(at)];

function addTo<T extends { readonly id: string }>(
  list: readonly T[],
  item: T,
  at: number,
  what: string,
  whole: (list: T[]) => Project,
  inverse: Edit,
): Applied {
  return list.some((x) => x.id === item.id)
    ? refuse(`There is a ${what} with the id '${item.id}' already.`)
    : done(whole(insert(list, item, at)), inverse);
}
function takeFrom<T extends { readonly id: string }>(
  list: readonly T[],
  id: string,
  what: string,
  whole: (list: T[]) => Project,
  inverse: (item: T, at: number) => Edit,
): Applied {
  const at = list.findIndex((x) => x.id === id);
  return at < 0
    ? refuse(`The ${what} is no longer there.`)
    : done(whole(list.filter((x) => x.id !== id)), inverse(list[at]!, at));
}

type Ladder = ProjectPou & { language: 'LD' };
function inPou(p: Project, id: string, change: (pou: Ladder) => Applied): Applied {
  const pou = p.pous.find((x) => x.id === id);
  return pou?.language === 'LD' ? change(pou) : refuse('The program is no longer there.');
}
const withPou = (p: Project, pou: ProjectPou): Project => ({
  ...p,
  pous: p.pous.map((x) => (x.id === pou.id ? pou : x)),
});

/** Changes some fields of one thing in a list; `undefined` takes a field away. */
function changeIn<T extends { readonly id: string }>(
  list: readonly T[],
  id: string,
  to: Partial<Omit<T, 'id'>>,
  what: string,
  whole: (list: T[]) => Project,
  inverse: (to: Partial<Omit<T, 'id'>>) => Edit,
): Applied {
  const before = list.find((x) => x.id === id);
  if (!before) return refuse(`The ${what} is no longer there.`);
  // JSON has no undefined: a field that was not there is taken away again by null.
  const old = Object.fromEntries(Object.keys(to).map((k) => [k, before[k as keyof T] ?? null])) as Partial<
    Omit<T, 'id'>
  >;
  const after = Object.fromEntries(
    Object.entries({ ...before, ...to }).filter(([, v]) => v !== null && v !== undefined),
  ) as unknown as T;
  return done(whole(list.map((x) => (x === before ? after : x))), inverse(old));
}

/** Gives a rule another name, also where checks say that they keep it: one step to undo. */
export function renameRule(p: Project, id: string, to: string): Edit {
  const from = p.rules.find((r) => r.id === id)?.name.toLowerCase(),
    change: Edit = { kind: 'changeRule', id, to: { name: to } };
  const keeps = (e: string) => /^\s*keeps\s+'(.+)'\s*$/i.exec(e)?.[1]?.toLowerCase() === from;
  const edits = p.checks.flatMap((c) =>
    c.rows.flatMap((r): Edit[] =>
      r.expect?.some(keeps)
        ? [
            {
              kind: 'changeRow',
              check: c.id,
              id: r.id,
              to: { expect: r.expect.map((e) => (keeps(e) ? `keeps '${to}'` : e)) },
            },
          ]
        : [],
    ),
  );
  return edits.length
    ? { kind: 'group', label: `Rename rule ${p.rules.find((r) => r.id === id)?.name ?? ''}`, edits: [change, ...edits] }
    : change;
}

/** Gives an own kind of device another name, also at the devices of that kind: one step to undo. */
export function renameKind(p: Project, id: string, to: string): Edit {
  const from = p.machine.kinds?.find((k) => k.id === id)?.type ?? '';
  return {
    kind: 'group',
    label: `Rename ${from} to ${to}`,
    edits: [
      { kind: 'changeKind', id, to: { type: to } },
      ...p.machine.devices.flatMap((d): Edit[] =>
        d.type.toLowerCase() === from.toLowerCase() ? [{ kind: 'changeDevice', id: d.id, to: { type: to } }] : [],
      ),
    ],
  };
}

/** Gives a device another name, also in wires that lead to it, in what checks do with it, and where its values are named: one step to undo. */
export function renameDevice(p: Project, id: string, to: string): Edit {
  const from = p.machine.devices.find((d) => d.id === id)?.name ?? '',
    low = from.toLowerCase();
  const named = (text: string) => text.replace(new RegExp(`\\bMachine\\.${from}\\b`, 'gi'), `Machine.${to}`);
  const done = (text: string) => {
    const parsed = parseDo(text),
      device = 'value' in parsed && 'device' in parsed.value ? parsed.value.device.split('.')[0]!.toLowerCase() : '';
    // The verb comes first and is left alone: a device may be called Tap.
    return device === low
      ? text.replace(
          /^(\s*\S+\s+)(.*)$/s,
          (_, verb: string, rest: string) => verb + rest.replace(new RegExp(`\\b${from}\\b`, 'i'), to),
        )
      : named(text);
  };
  const differs = (a: unknown, b: unknown) => JSON.stringify(a) !== JSON.stringify(b);
  const wires = p.machine.devices.flatMap((d): Edit[] => {
    const next = Object.fromEntries(
      Object.entries(d.wires ?? {}).map(([t, path]) => [
        t,
        path.toLowerCase().startsWith(`${low}.`) ? to + path.slice(from.length) : path,
      ]),
    );
    return differs(next, d.wires ?? {}) ? [{ kind: 'changeDevice', id: d.id, to: { wires: next } }] : [];
  });
  const rows = p.checks.flatMap((c) =>
    c.rows.flatMap((r): Edit[] => {
      const next = {
        ...(r.when === undefined ? {} : { when: named(r.when) }),
        ...(r.do ? { do: r.do.map(done) } : {}),
        ...(r.expect ? { expect: r.expect.map(named) } : {}),
      };
      return differs(next, {
        ...(r.when === undefined ? {} : { when: r.when }),
        ...(r.do ? { do: r.do } : {}),
        ...(r.expect ? { expect: r.expect } : {}),
      })
        ? [{ kind: 'changeRow', check: c.id, id: r.id, to: next }]
        : [];
    }),
  );
  const word = new RegExp(`\\b${from}\\b`, 'gi');
  const tables = p.checks.flatMap((c): Edit[] => {
    const table = mendTable(c, c.rows, word, to, (text, of) => (of === 'do' ? done(text) : named(text)));
    return table ? [{ kind: 'changeCheck', id: c.id, to: { table } }] : [];
  });
  const rules = p.rules.flatMap((r): Edit[] =>
    named(r.sentence) !== r.sentence ? [{ kind: 'changeRule', id: r.id, to: { sentence: named(r.sentence) } }] : [],
  );
  const scope = p.scope.map(named),
    watches = p.bench?.watches?.map((w) => ({ ...w, rows: w.rows.map((r) => ({ ...r, path: named(r.path) })) }));
  return {
    kind: 'group',
    label: `Rename ${from} to ${to}`,
    edits: [
      { kind: 'changeDevice', id, to: { name: to } },
      ...wires,
      ...rows,
      ...tables,
      ...rules,
      ...(differs(scope, p.scope) ? [{ kind: 'changeScope' as const, paths: scope }] : []),
      ...(watches && differs(watches, p.bench?.watches) ? [{ kind: 'changeBench' as const, to: { watches } }] : []),
    ],
  };
}
