/**
 * Three-way merge of projects by structure: what one side changed is taken, what both changed in different ways is a
 * conflict, kept with both versions until somebody chooses. Things are followed by id, and by name (a rung by its line)
 * where each side gave an id of its own.
 *
 * Merging (`document/merge`) is three-way by structure: objects field by field, things of a list by id, and by name (a
 * rung by what it says) where each side gave its own, texts line by line. What both changed is a conflict, kept in the
 * document (`conflicts`) with both versions; the checker makes each an error where it is, beside which ours runs on at
 * the bench. The command line, git's driver and Revisions use the same function.
 */
import { dequal } from 'dequal/lite';
import { diff3Merge } from 'node-diff3';
import { rungToLines } from '../ladder/sheet.js';
import { type Difference, compareProjects } from './compare.js';
import { changedStretch } from './device-words.js';
import type { MergeConflict, Project, RungText } from './document.js';
import { projectInOrder } from './order.js';

export interface Merged {
  readonly project: Project;
  readonly conflicts: readonly MergeConflict[];
}
export type Side = 'ours' | 'theirs';

type Json = unknown;
type JsonObject = Readonly<Record<string, Json>>;
interface Thing extends JsonObject {
  readonly id: string;
}
const isObject = (x: Json): x is JsonObject => typeof x === 'object' && x !== null && !Array.isArray(x);
const isThings = (x: Json): x is readonly Thing[] =>
  Array.isArray(x) && x.every((y) => isObject(y) && typeof y['id'] === 'string');
const isTexts = (x: Json): x is readonly string[] => Array.isArray(x) && x.every((y) => typeof y === 'string');
/** Keys whose lists of texts are sets in an order: both may add, both may take away. */
const SETS = new Set(['scope', 'programs', 'on', 'starts', 'modes', 'nc']);
/** What only remembers, and is not worth a question: ours stays. */
const REMEMBERED = new Set(['made']);

/** What people call a thing of each list by; a thing without a name is called by what it says. */
const called = (x: Thing): string | undefined => {
  const said = x['name'] ?? x['type'] ?? x['line'] ?? x['sentence'];
  if (typeof said === 'string') return said.trim();
  return typeof x['text'] === 'string' ? /^\s*(\w+)/.exec(x['text'])?.[1] : undefined;
};
const nameOf = (x: Thing): string | undefined => called(x)?.toLowerCase();
/** Lists of a project whose things may have been given an id by each side. */
const NAMED: readonly (readonly string[])[] = [
  ['tags'],
  ['types'],
  ['pous'],
  ['tasks'],
  ['modules'],
  ['machine', 'devices'],
  ['machine', 'kinds'],
  ['checks'],
  ['rules'],
  ['plan', 'sequences'],
  ['plan', 'modes'],
  ['plan', 'choices'],
  ['plan', 'memory'],
];
/** Keys under which an id of another thing stands. */
const REFERENCES = new Set(['id', 'begins', 'to', 'starts', 'behind']);

const at = (p: Json, path: readonly string[]): Json =>
  path.reduce<Json>((x, key) => (isObject(x) ? x[key] : undefined), p);
const things = (p: Json, path: readonly string[]): readonly Thing[] => {
  const list = at(p, path);
  return isThings(list) ? list : [];
};

/** A project with ids of things that the other has under another id, but by the same name, put to the other's. */
function aligned(p: Project, other: Project): Project {
  const ids = new Map<string, string>();
  const pair = (mine: readonly Thing[], known: readonly Thing[]) => {
    const byId = new Set(known.map((x) => x.id)),
      own = new Set(mine.map((x) => x.id)),
      free = new Map<string, Thing[]>();
    for (const x of known) {
      const name = nameOf(x);
      if (own.has(x.id) || name === undefined) continue;
      free.set(name, [...(free.get(name) ?? []), x]);
    }
    for (const x of mine) {
      const name = byId.has(x.id) ? undefined : nameOf(x),
        to = name === undefined ? undefined : free.get(name)?.shift();
      if (to) ids.set(x.id, to.id);
    }
  };
  for (const path of NAMED) pair(things(p, path), things(other, path));
  const partner = (id: string) => ids.get(id) ?? id;
  for (const pou of p.pous) {
    const o = other.pous.find((x) => x.id === partner(pou.id));
    if (pou.language === 'LD' && o?.language === 'LD')
      pair(pou.rungs as unknown as readonly Thing[], o.rungs as unknown as readonly Thing[]);
  }
  for (const s of p.plan?.sequences ?? []) {
    const o = other.plan?.sequences.find((x) => x.id === partner(s.id));
    if (o) pair(s.steps as unknown as readonly Thing[], o.steps as unknown as readonly Thing[]);
  }
  if (!ids.size) return p;
  const put = (x: Json, isReference: boolean): Json =>
    typeof x === 'string'
      ? isReference
        ? partner(x)
        : x
      : Array.isArray(x)
        ? x.map((y) => put(y, isReference))
        : isObject(x)
          ? Object.fromEntries(Object.entries(x).map(([k, v]) => [k, put(v, REFERENCES.has(k))]))
          : x;
  return put(p, false) as Project;
}

class Merger {
  readonly conflicts: MergeConflict[] = [];

  constructor(
    private readonly ours: Project,
    private readonly theirs: Project,
  ) {}

  private conflict(path: readonly string[], base: Json, ours: Json, theirs: Json, behind?: string): void {
    this.conflicts.push({
      id: `c${this.conflicts.length + 1}`,
      what: placeName(path, this.ours, this.theirs),
      path,
      ...(base === undefined ? {} : { base }),
      ...(ours === undefined ? {} : { ours }),
      ...(theirs === undefined ? {} : { theirs }),
      ...(behind === undefined ? {} : { behind }),
    });
  }

  /** What becomes of one place; undefined where nothing is there. */
  value(path: readonly string[], base: Json, ours: Json, theirs: Json): Json {
    if (dequal(ours, theirs) || dequal(base, theirs)) return ours;
    if (dequal(base, ours)) return theirs;
    const key = path.at(-1) ?? '';
    if (REMEMBERED.has(path.at(-2) ?? '')) return ours;
    if (isObject(ours) && isObject(theirs) && (base === undefined || isObject(base))) {
      // A program that one side wrote in the other language is one thing.
      const isWhole = ours['language'] !== theirs['language'] || (base && base['language'] !== ours['language']);
      if (!isWhole) return this.object(path, base ?? {}, ours, theirs);
    }
    if (isThings(ours) && isThings(theirs) && (base === undefined || isThings(base)))
      return this.things(path, base ?? [], ours, theirs);
    if (SETS.has(key) && isTexts(ours) && isTexts(theirs)) {
      const was = isTexts(base) ? base : [];
      return [
        ...ours.filter((x) => theirs.includes(x) || !was.includes(x)),
        ...theirs.filter((x) => !ours.includes(x) && !was.includes(x)),
      ];
    }
    if (typeof ours === 'string' && typeof theirs === 'string' && /\n/.test(ours + theirs))
      return this.lines(path, typeof base === 'string' ? base : '', ours, theirs);
    this.conflict(path, base, ours, theirs);
    return ours;
  }

  private object(path: readonly string[], base: JsonObject, ours: JsonObject, theirs: JsonObject): JsonObject {
    const keys = [...new Set([...Object.keys(ours), ...Object.keys(theirs)])];
    return Object.fromEntries(
      keys.flatMap((k) => {
        const v = this.value([...path, k], base[k], ours[k], theirs[k]);
        return v === undefined ? [] : [[k, v]];
      }),
    );
  }

  private things(
    path: readonly string[],
    base: readonly Thing[],
    ours: readonly Thing[],
    theirs: readonly Thing[],
  ): readonly Thing[] {
    const [b, o, t] = [base, ours, theirs].map((l) => new Map(l.map((x) => [x.id, x])));
    const merged = new Map<string, Thing>();
    for (const id of new Set([...o!.keys(), ...t!.keys()])) {
      const [was, mine, other] = [b!.get(id), o!.get(id), t!.get(id)],
        here = [...path, `#${id}`];
      if (mine && other) merged.set(id, this.value(here, was, mine, other) as Thing);
      else if (!was) merged.set(id, (mine ?? other)!);
      // Gone on one side: so it is, unless the other side changed it.
      else if (!dequal(was, mine ?? other)) {
        const list = mine ? ours : theirs,
          k = list.findIndex((x) => x.id === id);
        this.conflict(here, was, mine, other, list[k - 1]?.id);
        if (mine) merged.set(id, mine);
      }
    }
    return this.inOrder(path, base, ours, theirs, merged);
  }

  /**
   * Ours in their order, with what is new in theirs behind what it stands behind there; theirs where only they moved
   * things.
   */
  private inOrder(
    path: readonly string[],
    base: readonly Thing[],
    ours: readonly Thing[],
    theirs: readonly Thing[],
    merged: ReadonlyMap<string, Thing>,
  ): readonly Thing[] {
    const common = [base, ours, theirs].map((l) => new Set(l.map((x) => x.id))),
      shared = (l: readonly Thing[]) => l.map((x) => x.id).filter((id) => common.every((c) => c.has(id))),
      [was, mine, other] = [shared(base), shared(ours), shared(theirs)] as const;
    const isTheirs = !dequal(was, other) && dequal(was, mine);
    if (!dequal(was, mine) && !dequal(was, other) && !dequal(mine, other))
      this.conflict([...path, 'order'], was, mine, other);
    const [lead, follow] = isTheirs ? [theirs, ours] : [ours, theirs];
    const result = lead.flatMap((x) => (merged.has(x.id) ? [x.id] : []));
    follow.forEach((x, i) => {
      if (!merged.has(x.id) || result.includes(x.id)) return;
      const behind = follow
        .slice(0, i)
        .reverse()
        .map((y) => result.indexOf(y.id))
        .find((k) => k >= 0);
      result.splice((behind ?? -1) + 1, 0, x.id);
    });
    return result.map((id) => merged.get(id)!);
  }

  /** A text line by line; where both changed the same lines, ours stands and either can be chosen as a whole. */
  private lines(path: readonly string[], base: string, ours: string, theirs: string): string {
    const parts = diff3Merge(ours.split('\n'), base.split('\n'), theirs.split('\n')),
      as = (side: 'a' | 'b') => parts.flatMap((p) => p.ok ?? p.conflict![side]).join('\n');
    const [mine, other] = [as('a'), as('b')];
    if (mine !== other) this.conflict(path, base, mine, other);
    return mine;
  }
}

/**
 * The merge of two projects that were one: with everything that only one side changed, and ours where both changed the
 * same, each such place told as a conflict and kept in the project.
 * @param base what both began with; undefined where nobody knows, then whatever differs is a conflict
 */
export function mergeProjects(base: Project | undefined, ours: Project, theirs: Project): Merged {
  const first = base ? aligned(ours, base) : ours,
    second = base ? aligned(aligned(theirs, base), first) : aligned(theirs, first),
    merger = new Merger(first, second);
  const { conflicts: _, ...bare } = base ?? ({} as Partial<Project>),
    { conflicts: before = [], ...mine } = first,
    { conflicts: others = [], ...other } = second;
  const merged = merger.value([], base ? bare : undefined, mine, other) as Project;
  // What was not chosen between before is still not.
  const open = [...before, ...others.filter((c) => !before.some((b) => dequal(b.path, c.path)))];
  const conflicts = [...open, ...merger.conflicts].map((c, i): MergeConflict => ({ ...c, id: `c${i + 1}` }));
  return { project: projectInOrder({ ...merged, ...(conflicts.length ? { conflicts } : {}) }), conflicts };
}

/** The project with one conflict chosen; the same where there is none of that id. */
export function chooseSide(project: Project, id: string, side: Side): Project {
  const conflict = project.conflicts?.find((c) => c.id === id);
  if (!conflict) return project;
  const { conflicts = [], ...rest } = project,
    left = conflicts.filter((c) => c !== conflict),
    chosen = side === 'theirs' ? (withValue(rest, conflict.path, conflict) as Project) : rest;
  return projectInOrder({ ...chosen, ...(left.length ? { conflicts: left } : {}) });
}

/** A document with theirs put at the place of a conflict. */
function withValue(x: Json, path: readonly string[], c: MergeConflict): Json {
  const [key, ...deeper] = path;
  if (key === undefined) return c.theirs;
  if (key.startsWith('#') && isThings(x)) {
    const id = key.slice(1),
      k = x.findIndex((y) => y.id === id);
    if (k < 0) {
      if (deeper.length || c.theirs === undefined) return x;
      const behind = x.findIndex((y) => y.id === c.behind);
      return [...x.slice(0, behind + 1), c.theirs, ...x.slice(behind + 1)];
    }
    const next = withValue(x[k], deeper, c);
    return next === undefined ? x.filter((_, i) => i !== k) : x.map((y, i) => (i === k ? next : y));
  }
  if (key === 'order' && isThings(x) && isTexts(c.theirs)) {
    // The things both had, as theirs has them; what stands between them keeps its places.
    const order = c.theirs.filter((id) => x.some((y) => y.id === id)),
      moved = new Set(order);
    let n = 0;
    return x.map((y) => (moved.has(y.id) ? x.find((z) => z.id === order[n++])! : y));
  }
  if (!isObject(x)) return x;
  const next = withValue(x[key], deeper, c);
  const { [key]: _, ...rest } = x;
  return next === undefined ? rest : { ...x, [key]: next };
}

/** A conflict to be shown like any difference: ours before, theirs after. */
export function conflictAsDifference(project: Project, c: MergeConflict): Difference {
  const [list, pou, inner, rung, field] = c.path;
  const common = { key: c.id, what: c.what };
  // A file may hold anything in place of a rung; what is none is shown as data.
  const isRung = (v: unknown) =>
    v === undefined || (field === undefined ? isObject(v) && typeof v['line'] === 'string' : typeof v === 'string');
  if (list === 'pous' && inner === 'rungs' && rung?.startsWith('#') && isRung(c.ours) && isRung(c.theirs)) {
    const own = at(project, ['pous']) as Project['pous'],
      program = own.find((p) => `#${p.id}` === pou),
      known = program?.language === 'LD' ? program.rungs.find((r) => `#${r.id}` === rung) : undefined,
      of = (v: unknown): RungText | undefined =>
        field === undefined
          ? (v as RungText | undefined)
          : known && ({ ...known, [field]: v as string | undefined } as RungText),
      [before, after] = [of(c.ours), of(c.theirs)];
    return {
      ...common,
      kind: 'rung',
      ...(before ? { before: rungToLines(before) } : {}),
      ...(after ? { after: rungToLines(after) } : {}),
      rungs: { ...(before ? { before } : {}), ...(after ? { after } : {}) },
    };
  }
  const isWords = (v: unknown) => v === undefined || typeof v === 'string',
    told = isWords(c.ours) && isWords(c.theirs) ? undefined : (ordersInWords(project, c) ?? asCompared(project, c));
  if (told) return { ...told, ...common };
  const said = (v: unknown) => (typeof v === 'string' ? v : JSON.stringify(v, null, 2)),
    isText = [c.ours, c.theirs].some((v) => typeof v === 'string' && v.includes('\n'));
  return {
    ...common,
    kind: isText ? 'text' : 'settings',
    ...(c.ours === undefined ? {} : { before: said(c.ours) }),
    ...(c.theirs === undefined ? {} : { after: said(c.theirs) }),
  };
}

/** Two orders of a list as the names of its things, from the first that stands elsewhere to the last. */
function ordersInWords(project: Project, c: MergeConflict): Pick<Difference, 'kind' | 'before' | 'after'> | undefined {
  if (c.path.at(-1) !== 'order' || !isTexts(c.ours) || !isTexts(c.theirs)) return undefined;
  const list = c.path
    .slice(0, -1)
    .reduce<Json>(
      (x, key) =>
        key.startsWith('#') && isThings(x) ? x.find((y) => y.id === key.slice(1)) : isObject(x) ? x[key] : undefined,
      project,
    );
  if (!isThings(list)) return undefined;
  const names = (ids: readonly string[]) =>
      ids.flatMap((id) => {
        const i = list.findIndex((y) => y.id === id);
        return i < 0 ? [] : [called(list[i]!) ?? `number ${i + 1}`];
      }),
    [ours, theirs] = [names(c.ours), names(c.theirs)],
    { start, end } = changedStretch(ours, theirs),
    text = (of: readonly string[]) => of.slice(start, of.length - end).join('\n');
  return { kind: 'settings', before: text(ours), after: text(theirs) };
}

/**
 * What choosing theirs would change, in the words of a comparison; none where one side is nothing that can be told: a
 * file may hold anything.
 */
function asCompared(project: Project, c: MergeConflict): Pick<Difference, 'kind' | 'before' | 'after'> | undefined {
  const { conflicts: _, ...before } = project;
  let found: Difference[];
  try {
    found = compareProjects(before, withValue(before, c.path, c) as Project);
  } catch {
    return undefined;
  }
  // Rungs have their own way above; what comes here of one is none.
  const isText = (v: unknown) => v === undefined || typeof v === 'string';
  if (!found.length || found.some((d) => d.rungs || !isText(d.before) || !isText(d.after))) return undefined;
  if (found.length === 1) return found[0];
  const all = (side: 'before' | 'after') =>
    found.flatMap((d) => (d[side] === undefined ? [] : [`${d.what}\n${d[side]}`])).join('\n');
  return { kind: 'settings', before: all('before'), after: all('after') };
}

const LABELS: Readonly<Record<string, string>> = {
  tags: 'Tag',
  types: 'Type',
  tasks: 'Task',
  modules: 'Module',
  devices: 'Machine',
  kinds: 'Kind of device',
  checks: 'Check',
  rules: 'Rule',
  sequences: 'Plan',
  watches: 'Watch list',
  runs: 'Kept run',
};
/** `Main · rung 3 · comment`: a place in the words of the trade, by what ours calls it, else theirs. */
function placeName(path: readonly string[], ours: Project, theirs: Project): string {
  const words: string[] = [];
  let [a, b]: [Json, Json] = [ours, theirs];
  for (const [i, key] of path.entries()) {
    const list = path[i - 1] ?? '';
    if (key.startsWith('#')) {
      const id = key.slice(1),
        inside = (x: Json) => (isThings(x) ? x.find((y) => y.id === id) : undefined),
        [mine, other] = [inside(a), inside(b)],
        x = mine ?? other;
      const place =
        (mine ? (a as readonly Thing[]) : ((b ?? []) as readonly Thing[])).findIndex((y) => y.id === id) + 1;
      const name = list === 'rungs' || list === 'rows' ? undefined : x && (x['name'] ?? x['type'] ?? nameOf(x));
      words.push(
        [LABELS[list] ?? (list === 'pous' ? '' : list.replace(/s$/, '')), typeof name === 'string' ? name : place]
          .filter(Boolean)
          .join(' '),
      );
      [a, b] = [mine, other];
    } else {
      // Names of lists are said with their things; what a rung or a rule says needs no word of its own.
      const isList = path[i + 1]?.startsWith('#') || path[i + 1] === 'order',
        isSaid = (key === 'line' && path.includes('rungs')) || key === 'sentence';
      if (key === 'order') words.push(`order of ${list === 'pous' ? 'programs' : list}`);
      else if (!isList && !isSaid && key !== 'machine' && key !== 'bench') words.push(key);
      [a, b] = [a, b].map((x) => (isObject(x) ? x[key] : undefined)) as [Json, Json];
    }
  }
  return words.join(' · ') || 'The project';
}
