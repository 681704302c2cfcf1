/**
 * Checks from a plan: one for its main path, one for every other way, one for every limit. Each is played before it is
 * offered: what a way asks for is left to the machine, or worked at the panel, or forced, in that order, whichever gets
 * there. What nothing gets to is said. The checks are ordinary ones, to be read and completed.
 */
import { scanStep } from '../compile/image.js';
import type {
  CheckRow,
  Device,
  Plan,
  PlanChoice,
  PlanStep,
  Project,
  Sequence,
  SequenceCheck,
} from '../document/document.js';
import { Compiler } from '../workspace/compile.js';
import { applyEdit } from '../document/edits/index.js';
import { kindOf } from '../wiring/kinds.js';
import { stepName, stepTagOf, wayWords } from '../document/step-names.js';
import { planProof } from '../verify/play/plan.js';
import { type CheckResult, prove } from '../verify/play/play.js';
import { parseSpan, shortTimes } from '../sentences/sentences.js';
import { Engine } from '../runtime/engine.js';
import { actionsOf } from './actions.js';
import { type Choosable, choicesOf, optionOf } from './choices.js';
import { type Wanted, waysTo } from './conditions.js';
import { modeTag, modesWith } from './generate.js';
import { planChanges, takeChanges } from './merge.js';

export interface Unreached {
  /** The sequence with its step or way. */ readonly what: string;
  readonly why: string;
}
export interface MadeChecks {
  readonly checks: readonly SequenceCheck[];
  readonly unreached: readonly Unreached[];
  /** The project has no logic of the plan yet: they were tried on what the plan would make. */
  readonly isAhead: boolean;
}

/** Something done in a check that lasts, and what takes it back. Of one key only one can be done. */
interface Act {
  readonly key: string;
  readonly does: string;
  readonly undo?: string;
}
/** Rows that get to a step, and what is still held or forced at its beginning. */
interface Reached {
  readonly rows: readonly CheckRow[];
  readonly held: readonly Act[];
  /** What starts the sequence, in the first row; what is forced comes before it. */ readonly begin: readonly string[];
}

/** Steps are given so long by a machine where the plan sets no limit. */
const LET_RUN = '30 s';
/** A machine may take so long (ns) in a check of the main path only. */
const LONG_NS = 600_000_000_000n;
/** Handles of the machine that are tried for a way, and trials for a plan, at most. */
const MOST_HANDLES = 10,
  MOST_TRIALS = 6000;

const isLong = (limit: string | undefined): boolean => {
  const s = parseSpan(limit ?? '');
  return 'value' in s && 'ns' in s.value && s.value.ns > LONG_NS;
};
/** So much shorter than a limit that the limit has no part in it. */
const shorter = (limit: string): string => times(limit, 0.8);
/** A length of time so many times, in its own unit where it has one. */
const times = (span: string, by: number): string => {
  const m = /^([\d.]+)\s*([a-z]+)$/i.exec(shortTimes(span).trim());
  return m
    ? `${Number((Number(m[1]) * by).toPrecision(3))} ${m[2]}`
    : `${Number(((Number(nsOf(span)) / 1e9) * by).toPrecision(3))} s`;
};
const nsOf = (span: string): bigint => {
  const s = parseSpan(span);
  return 'value' in s && 'ns' in s.value ? s.value.ns : 0n;
};
const longer = (limit: string): string => times(limit, 1.25);
/** Time to give a way whose condition is there: what it must hold for, and some scans. */
const hopTime = (w: PlanStep['ways'][number]): string => (w.for ? longer(w.for) : '1 s');

/** The main path: the first way out of each step, until a step comes again. */
function mainPath(s: Sequence): readonly PlanStep[] {
  const path: PlanStep[] = [];
  for (let x = s.steps[0]; x && !path.includes(x); x = s.steps.find((y) => y.id === x!.ways[0]?.to)) path.push(x);
  return path;
}

/**
 * The logic that checks are tried on: the project's own, with what the plan would make of it where there is none yet.
 */
function withLogic(project: Project): Project {
  const has = (s: Sequence) =>
    project.tags.some((t) => t.name.toLowerCase() === stepTagOf(s, project.plan!.sequences).toLowerCase());
  if (project.plan!.sequences.every(has)) return project;
  const done = applyEdit(project, takeChanges(project, planChanges(project, { logic: 'LD' })));
  return 'project' in done ? done.project : project;
}

class Trials {
  private readonly compiler = new Compiler();
  private readonly rest: Engine | undefined;
  private tried = 0;

  constructor(
    readonly project: Project,
    private readonly onTried: (trials: number) => void,
  ) {
    const plan = planProof({ ...project, checks: [], rules: [] }, 'p', this.compiler);
    if (!plan.image) return;
    this.rest = new Engine(plan.image, { stepNs: scanStep(plan.image), wires: plan.compiled.wires });
    for (let n = 0; n < 50; n++) this.rest.runScan();
  }
  get canPlay(): boolean {
    return this.rest !== undefined;
  }
  /** A number as it is at rest: what a tag is compared with. */
  readonly atRest = (name: string): number | undefined => {
    try {
      const v = this.rest?.read(name);
      return typeof v === 'string' ? undefined : Number(v);
    } catch {
      return undefined;
    }
  };
  /** No more is tried: what is not reached then was not looked for. */
  get isOver(): boolean {
    return this.tried >= MOST_TRIALS;
  }
  play(rows: readonly CheckRow[]): CheckResult | undefined {
    if (this.isOver) return undefined;
    this.onTried(++this.tried);
    const plan = planProof({ ...this.project, checks: [{ id: 't', name: 't', rows }], rules: [] }, 'p', this.compiler);
    return plan.image ? prove({ ...plan, rules: [] }, { stepNs: scanStep(plan.image) }).checks[0] : undefined;
  }
  /** Whether a condition may come by itself: there is a machine, or it asks for something that logic may write. */
  mayCome(when: string | undefined): boolean {
    const { machine, tags } = this.project,
      asked = waysTo(when, true, this.atRest).flat();
    const isInput = (w: Wanted) =>
      /^%I/i.test(tags.find((t) => t.name.toLowerCase() === w.name.toLowerCase())?.address ?? '');
    return machine.devices.length > 0 || !asked.length || !asked.every(isInput);
  }
  gets(rows: readonly CheckRow[]): boolean {
    return this.play(rows)?.ok === true;
  }
}

/** The device on the panel that gives a tag, and by which of its outputs. */
function giverOf(project: Project, name: string): { readonly device: Device; readonly terminal: string } | undefined {
  for (const device of project.machine.devices)
    for (const [terminal, to] of Object.entries(device.wires ?? {}))
      if (
        to.toLowerCase() === name.toLowerCase() &&
        kindOf(project.machine, device.type)?.terminals.some(
          (t) => t.direction === 'out' && t.name.toLowerCase() === terminal.toLowerCase(),
        )
      )
        return { device, terminal };
  return undefined;
}

/** What a person does at the panel for a value of a tag; undefined where no part of the panel gives it. */
function atPanel(project: Project, w: Wanted): Act | undefined {
  const giver = giverOf(project, w.name);
  if (!giver) return undefined;
  const { device, terminal } = giver,
    { name } = device,
    isOn = w.to === 'on';
  const letGo = `let go of ${name}`;
  switch (device.type) {
    case 'PushButton':
      return isOn === (terminal.toUpperCase() === 'NO')
        ? { key: name, does: `hold ${name}`, undo: letGo }
        : { key: name, does: letGo };
    case 'EmergencyStop':
      return isOn ? { key: name, does: letGo } : { key: name, does: `strike ${name}`, undo: letGo };
    case 'Selector':
      return { key: name, does: `turn ${name} ${isOn ? 'right' : 'left'}` };
    case 'ThreeWaySelector':
      return { key: name, does: `turn ${name} ${isOn ? terminal.toLowerCase() : 'middle'}` };
    case 'PlaceSelector': {
      const place = Number(/^At(\d)$/i.exec(terminal)?.[1] ?? w.to);
      return isOn || /^\d+$/.test(w.to) ? { key: name, does: `enter ${place} at ${name}` } : undefined;
    }
    case 'SetPoint':
      return /^-?[\d.]+$/.test(w.to) ? { key: name, does: `enter ${w.to} at ${name}` } : undefined;
    default:
      return undefined;
  }
}
const isOutput = (project: Project, name: string): boolean =>
  /^%Q/i.test(project.tags.find((t) => t.name.toLowerCase() === name.toLowerCase())?.address ?? '');
/** An input that no device gives: its terminal is what it is set to, from then on. */
const isFree = (project: Project, name: string): boolean =>
  /^%I/i.test(project.tags.find((t) => t.name.toLowerCase() === name.toLowerCase())?.address ?? '') &&
  !giverOf(project, name);
/**
 * A force; the force of an output is the machine's business and not seen by the logic, so that one is set, and so is an
 * input that nothing else gives.
 */
function byForce(project: Project, w: Wanted): Act {
  const key = w.name.toLowerCase(),
    isBit = w.to === 'on' || w.to === 'off';
  if (isFree(project, w.name)) return { key, does: isBit ? `set ${w.name} ${w.to}` : `set ${w.name} to ${w.to}` };
  return isOutput(project, w.name)
    ? { key, does: `set ${w.name} to ${w.to === 'on' ? 1 : w.to === 'off' ? 0 : w.to}` }
    : { key, does: isBit ? `force ${w.name} ${w.to}` : `force ${w.name} to ${w.to}`, undo: `release ${w.name}` };
}

/** What chooses an option, where a tag is one's and is to be on; else what was asked. */
function byChoice(project: Project, w: Wanted, read: Trials['atRest']): readonly Wanted[] {
  const found = w.to === 'on' && project.plan ? optionOf(project.plan, w.name) : undefined;
  return (found && waysTo(found.of.when, true, read)[0]) ?? [w];
}

/**
 * Ways to work a condition: at the panel alone, each handle of the machine alone, all of it forced but what the panel
 * gives.
 */
function triesFor(
  project: Project,
  when: string | undefined,
  read: Trials['atRest'],
): readonly { readonly acts: readonly Act[]; readonly isForced: boolean }[] {
  const asked = waysTo(when, true, read),
    // What a choice keeps is chosen by its button, rather than forced.
    chosen = asked.flatMap((w) => {
      const to = w.flatMap((x) => byChoice(project, x, read));
      return to.some((x, i) => x !== w[i]) ? [to] : [];
    }),
    ways = [...chosen, ...asked],
    panel = ways.flatMap((w) => {
      const acts = w.flatMap((x) => atPanel(project, x) ?? []);
      return acts.length ? [{ acts, isForced: false }] : [];
    });
  const handles = project.machine.devices
    .flatMap((d): readonly Act[] => {
      const kind = kindOf(project.machine, d.type);
      return kind?.terminals.some((t) => t.mechanical) || kind?.terminals.some((t) => t.direction === 'in')
        ? (kind?.handles ?? []).flatMap((h): Act[] =>
            h.type === 'press' ? [{ key: `${d.name}.${h.name}`, does: `tap ${d.name}.${h.name} for 200 ms` }] : [],
          )
        : d.type === 'Selector'
          ? [{ key: d.name, does: `turn ${d.name} right` }]
          : d.type === 'PushButton' && !/^(start|stop)/i.test(d.name)
            ? [{ key: d.name, does: `tap ${d.name} for 1 s` }]
            : [];
    })
    .slice(0, MOST_HANDLES)
    .map((a) => ({ acts: [a], isForced: false }));
  const forced = ways.map((w) => ({ acts: w.map((x) => atPanel(project, x) ?? byForce(project, x)), isForced: true })),
    allForced = ways.map((w) => ({ acts: w.map((w) => byForce(project, w)), isForced: true }));
  return [{ acts: [], isForced: false }, ...panel, ...handles, ...forced, ...allForced];
}

/** What begins a sequence, as sentences: its mode, and what starts it; the most natural first. */
function beginnings(project: Project, plan: Plan, s: Sequence, read: Trials['atRest']): readonly (readonly Act[])[] {
  const mode = modesWith(plan).find((m) =>
      (s.modes ?? []).some((n) => n.trim().toLowerCase() === m.name.trim().toLowerCase()),
    ),
    inMode = waysTo(mode?.when, true, read)[0] ?? [],
    modeActs = inMode.map((w) => atPanel(project, w) ?? toSet(project, w));
  // Of what it runs by only what is not so at rest is asked for.
  const isSo = (w: Wanted) => read(w.name) === (w.to === 'on' ? 1 : w.to === 'off' ? 0 : Number(w.to)),
    runs = (s.run?.trim() ? waysTo(s.run, true, read) : [[]]).map((r) => r.filter((w) => !isSo(w))),
    buttons = project.machine.devices.filter((d) => d.type === 'PushButton'),
    isStart = (d: Device) => /^start/i.test(d.name),
    tap = (d: Device): Act => ({ key: d.name, does: `tap ${d.name} for ${isStart(d) ? '200 ms' : '1 s'}` });
  const starts: (readonly Act[])[] = [
    ...[...buttons.filter(isStart), ...buttons.filter((d) => !isStart(d))].slice(0, MOST_HANDLES).map((d) => [tap(d)]),
    ...runs.map((r) => r.map((w) => atPanel(project, w) ?? toSet(project, w))),
    ...runs.map((r) => r.map((w) => byForce(project, w))),
  ];
  return [[], ...starts].map((a) => [...modeActs, ...a]);
}
/** What the logic keeps is set; an input as `byForce` says. */
const toSet = (project: Project, w: Wanted): Act =>
  /^%I/i.test(project.tags.find((t) => t.name.toLowerCase() === w.name.toLowerCase())?.address ?? '')
    ? byForce(project, w)
    : { key: w.name.toLowerCase(), does: `set ${w.name} to ${w.to === 'on' ? 1 : w.to === 'off' ? 0 : w.to}` };

/** Rows with more done at their end: what is held no longer is taken back, what is asked for is done. */
function then(from: Reached, acts: readonly Act[]): Reached {
  const gone = from.held.filter((h) => !acts.some((a) => a.key === h.key)),
    fresh = acts.filter((a) => !from.held.some((h) => h.key === a.key && h.does === a.does)),
    todo = [...gone.flatMap((g) => g.undo ?? []), ...fresh.map((a) => a.does)];
  const held = acts.filter((a) => a.undo !== undefined);
  if (!todo.length) return { ...from, held };
  const last = from.rows.at(-1)!;
  // What is on in a step is looked at before anything takes the step away.
  if (last.expect?.length)
    return { ...from, rows: [...from.rows, { id: `${last.id}-do`, when: 'after 100 ms', do: todo }], held };
  const isBegin = from.rows.length === 1 && last.do === from.begin,
    done = isBegin ? [...todo, ...from.begin] : [...(last.do ?? []), ...todo];
  return { ...from, rows: [...from.rows.slice(0, -1), { ...last, do: done }], held };
}
const tidy = (rows: readonly CheckRow[]): readonly CheckRow[] =>
  rows.map(({ do: does, ...r }) => (does?.length ? { ...r, do: does } : r));

/** One sequence: every step and way that something gets to, by the rows that do. */
class Walk {
  readonly tag: string;
  readonly reached = new Map<PlanStep, Reached>();
  private readonly ways = new Map<PlanStep['ways'][number], Reached>();

  constructor(
    private readonly trials: Trials,
    readonly s: Sequence,
    readonly plan: Plan,
    start: Reached,
    private readonly prefix: string,
  ) {
    this.tag = stepTagOf(s, plan.sequences);
    if (s.steps[0]) this.reached.set(s.steps[0], start);
  }

  private outputsRow(x: PlanStep, when: string): CheckRow {
    const on = actionsOf(x).flatMap((a) =>
      a.kind === 'on' || a.kind === 'set' || a.kind === 'start'
        ? [`${a.tag} is on within 2 scans`]
        : a.kind === 'reset'
          ? [`${a.tag} is off within 2 scans`]
          : [],
    );
    return {
      id: `${this.prefix}-${x.id}`,
      when,
      ...(on.length ? { expect: on } : {}),
    };
  }
  /** The row of a step with what is on in it, as far as it is: logic of another hand may wait for something first. */
  private withOutputs(before: readonly CheckRow[], x: PlanStep, when: string): CheckRow | undefined {
    let row = this.outputsRow(x, when);
    for (let n = 0; n <= (x.on?.length ?? 0); n++) {
      const played = this.trials.play([...tidy(before), row]);
      if (played?.ok) return row;
      const failed = row.expect?.find((e) => played?.failure?.expected === e);
      if (failed === undefined) return undefined;
      const left = row.expect!.filter((e) => e !== failed),
        { expect: _, ...bare } = row;
      row = left.length ? { ...bare, expect: left } : bare;
    }
    return undefined;
  }

  /** What keeps a way from being taken, in the nth of the ways to do that. */
  private stopOf(w: PlanStep['ways'][number], which = 0): readonly Act[] | undefined {
    const all = waysTo(w.when, false, this.trials.atRest);
    return all[which % Math.max(1, all.length)]?.map((x) => byForce(this.trials.project, x));
  }
  /** What keeps all ways of a step from being taken. */
  private stops(x: PlanStep, which: number): readonly Act[] | undefined {
    const acts: Act[] = [];
    for (const w of x.ways) {
      const stop = this.stopOf(w, which);
      if (!stop) return undefined;
      for (const a of stop) if (!acts.some((b) => b.key === a.key)) acts.push(a);
    }
    return acts;
  }

  /** Goes a way, from where its step was reached: the first thing that gets there. */
  go(x: PlanStep, w: PlanStep['ways'][number], mayTakeLong: boolean): Reached | undefined {
    const known = this.ways.get(w);
    if (known) return known;
    const from = this.reached.get(x),
      to = this.s.steps.find((y) => y.id === w.to);
    if (!from || !to || to === x) return undefined;
    const isFirst = w === x.ways[0],
      natural = x.limit ?? LET_RUN;
    // Where the limit leads on, it must not be the limit that got there, on whatever way round; nor another way.
    const within = (asked: string): string =>
        x.limit && x.past?.to !== undefined && nsOf(asked) >= nsOf(shorter(x.limit)) ? shorter(x.limit) : asked,
      beside = isFirst ? x.ways.filter((o) => o !== w && o.to === w.to) : x.ways.filter((o) => o !== w);
    for (const t of triesFor(this.trials.project, w.when, this.trials.atRest)) {
      if (!t.isForced && !t.acts.length && !this.trials.mayCome(w.when)) continue;
      // A machine that takes so long is left to itself, once.
      if (!t.isForced && isLong(x.limit) && (!mayTakeLong || t.acts.length)) continue;
      const stops = beside
          .flatMap((o) => this.stopOf(o) ?? [])
          .filter((a) => !t.acts.some((b) => b.key === a.key || b.does.includes(` ${a.key} `))),
        at = then(from, [...t.acts, ...stops]),
        when = `once ${this.tag} is ${stepName(to)} within ${within(t.isForced ? hopTime(w) : natural)}`;
      const row = this.withOutputs(at.rows, to, when);
      if (!row) continue;
      const next = { ...at, rows: [...at.rows, row] };
      this.ways.set(w, next);
      if (!this.reached.has(to)) this.reached.set(to, next);
      return next;
    }
    return undefined;
  }

  /** Steps beyond the main path, each by the first way that gets there. */
  spread(): void {
    for (const x of this.reached.keys())
      for (const w of x.ways) {
        const to = this.s.steps.find((y) => y.id === w.to);
        if (to && !this.reached.has(to)) this.go(x, w, false);
      }
  }

  /** Rows in which a step lasts too long: its ways are kept from coming, from its first scan or the row before. */
  tooLong(x: PlanStep, ends: readonly string[], id: string): readonly CheckRow[] | undefined {
    const from = this.reached.get(x);
    if (!from) return undefined;
    for (let which = 0; which < 3; which++) {
      const stops = this.stops(x, which);
      if (!stops) return undefined;
      const before = from.rows.slice(0, -1),
        earlier: Reached | undefined = before.length
          ? { ...then({ ...from, rows: before, held: [] }, stops), begin: from.begin }
          : undefined;
      for (const at of [
        then(from, stops),
        ...(earlier ? [{ ...earlier, rows: [...earlier.rows, from.rows.at(-1)!] }] : []),
      ]) {
        const rows = [
          ...tidy(at.rows),
          ...ends.map((e, i): CheckRow => ({ id: `${id}-${i ? 'code' : 'past'}`, expect: [e] })),
        ];
        if (this.trials.gets(rows)) return rows;
      }
    }
    return undefined;
  }
}

const said = (when: string | undefined): string => when?.trim() || 'what it waits for';

/**
 * The checks of a plan, each of which passes on the project's logic, or on the logic that the plan would make where
 * there is none yet; and what could not be reached.
 * @param onTried told after every trial how many there were, to be shown
 */
export function madeChecks(given: Project, onTried: (trials: number) => void = () => undefined): MadeChecks {
  const { plan } = given;
  if (!plan?.sequences.length) return { checks: [], unreached: [], isAhead: false };
  const tried = withLogic(given),
    isAhead = tried !== given,
    trials = new Trials(tried, onTried);
  if (!trials.canPlay)
    return {
      isAhead,
      checks: [],
      unreached: [{ what: 'All of it', why: 'The logic has errors; checks are tried on logic that runs.' }],
    };
  const overOr = (why: string) => (trials.isOver ? `not looked for any more after ${MOST_TRIALS} trials` : why);
  const checks: SequenceCheck[] = [],
    unreached: Unreached[] = [],
    walks = new Map<Sequence, Walk>();
  const startersOf = (s: Sequence) =>
    plan.sequences.flatMap((x) => x.steps.filter((p) => p.starts?.includes(s.id)).map((p) => [x, p] as const));
  const startOf = (s: Sequence, id: string): Reached | undefined => {
    const starters = startersOf(s);
    for (const [x, p] of starters) {
      const r = walks.get(x)?.reached.get(p);
      if (r) return r;
    }
    if (starters.length) return undefined;
    const row: CheckRow = { id: `${id}-begin`, when: 'after 500 ms' },
      run = [s.run?.trim() ? s.run.trim() : '', ...(s.modes?.length ? [inModes(plan, s, trials)] : [])].filter(Boolean);
    const all = beginnings(trials.project, plan, s, trials.atRest);
    const found =
      all.find((acts) =>
        trials.gets([
          { ...row, ...(acts.length ? { do: acts.map((a) => a.does) } : {}) },
          ...run.map((r, i): CheckRow => ({ id: `run${i}`, when: `once ${r} within 2 s` })),
        ]),
      ) ??
      all[1] ??
      [];
    const begin = found.map((a) => a.does);
    return { rows: [{ ...row, do: begin }], held: [], begin };
  };
  for (const { choice, options } of choicesOf(plan)) {
    const check = choiceCheck(trials, choice, options);
    if (typeof check === 'string') unreached.push({ what: `The choice ${choice.name}`, why: overOr(check) });
    else if (check) checks.push(check);
  }
  // Those that a step starts come after the one that has it.
  const order = [...plan.sequences].sort((a, b) => Number(startersOf(a).length > 0) - Number(startersOf(b).length > 0));
  for (const s of order) {
    if (s.steps.length < 2) continue;
    const id = (k: string) => `plan-check-${s.id}-${k}`,
      start = startOf(s, id('main'));
    if (!start) {
      unreached.push({ what: s.name, why: 'the step that starts it was not reached' });
      continue;
    }
    const walk = new Walk(trials, s, plan, start, id('step')),
      path = mainPath(s);
    walks.set(s, walk);
    // The main path first, by ways that may take long.
    let far = 0;
    while (far + 1 < path.length && walk.go(path[far]!, path[far]!.ways[0]!, true)) far++;
    if (far > 0) {
      const { rows } = walk.reached.get(path[far]!)!;
      checks.push({
        id: id('main'),
        name: `${s.name}: main path`,
        note: 'Made from the plan: every step in order, with what is on in it.',
        rows: tidy(rows),
      });
    }
    if (far + 1 < path.length)
      unreached.push({
        what: `${s.name}: ${path[far]!.name} to ${path[far + 1]!.name}`,
        why: overOr(`nothing that was tried brings ${said(path[far]!.ways[0]?.when)}`),
      });
    walk.spread();
    for (const x of s.steps) {
      const to = x.past?.to === undefined ? undefined : s.steps.find((y) => y.id === x.past!.to);
      if (!x.limit || (x.past?.fault === undefined && !to)) continue;
      if (isLong(x.limit)) {
        unreached.push({ what: `${s.name}: ${x.name} takes too long`, why: `${x.limit} is too long for a check` });
        continue;
      }
      const check = id(`limit-${x.id}`),
        rows = walk.tooLong(
          x,
          to
            ? [`${walk.tag} is ${stepName(to)} within ${longer(x.limit)}`]
            : [`Fault is on within ${longer(x.limit)}`, `FaultCode = ${x.past!.fault!}`],
          check,
        );
      if (rows)
        checks.push({
          id: check,
          name: `${s.name}: ${x.name} takes too long`,
          note: `Made from the plan: what ends it is kept from coming.`,
          rows: own(rows, check),
        });
      else
        unreached.push({
          what: `${s.name}: ${x.name} takes too long`,
          why: overOr(walk.reached.has(x) ? 'nothing that was tried keeps it there' : 'the step was not reached'),
        });
    }
    for (const x of s.steps)
      for (const [k, w] of x.ways.entries()) {
        const to = s.steps.find((y) => y.id === w.to);
        // The main path goes the first way of each of its steps, but for the one that closes it.
        if (!to || to === x || (k === 0 && path.includes(x) && path.indexOf(to) === path.indexOf(x) + 1)) continue;
        const check = id(`way-${x.id}-${w.id}`),
          there = walk.go(x, w, false);
        if (there)
          checks.push({
            id: check,
            name: `${s.name}: ${x.name} to ${to.name}`,
            note: `Made from the plan: ${wayWords(w)}.`,
            rows: own(tidy(there.rows), check),
          });
        else
          unreached.push({
            what: `${s.name}: ${x.name} to ${to.name}`,
            why: overOr(
              walk.reached.has(x) ? `nothing that was tried brings ${said(w.when)}` : `${x.name} was not reached`,
            ),
          });
      }
  }
  return { checks, unreached, isAhead };
}

/**
 * The check of a choice: each option is chosen by its button, keeps the others out while theirs are pressed, and is
 * taken back.
 * @returns nothing where nothing takes the choice back or nothing can be chosen between; else what could not be done
 */
function choiceCheck(
  trials: Trials,
  choice: PlanChoice,
  options: readonly Choosable[],
): SequenceCheck | string | undefined {
  if (options.length < 2 || !choice.reset?.trim()) return undefined;
  const id = (k: string) => `plan-check-choice-${choice.id}${k}`,
    worked = (when: string): readonly Act[] | undefined =>
      waysTo(when, true, trials.atRest)[0]?.map((w) => atPanel(trials.project, w) ?? byForce(trials.project, w)),
    rows: CheckRow[] = [];
  const takenBack = worked(choice.reset);
  if (!takenBack) return `nobody knows how ${choice.reset} comes about`;
  const step = (k: string, acts: readonly Act[], expect: readonly string[]) => {
    rows.push({ id: id(k), when: 'after 200 ms', do: acts.map((a) => a.does), expect });
    // What an input without a machine is set to stays: a button is let go by setting it off.
    const undo = acts.flatMap((a) => (/^set .* on$/.test(a.does) ? [`${a.does.slice(0, -3)} off`] : (a.undo ?? [])));
    if (undo.length) rows.push({ id: id(`${k}-let`), when: 'after 200 ms', do: undo });
  };
  for (const [i, o] of options.entries()) {
    const acts = worked(o.when),
      next = options[(i + 1) % options.length]!,
      other = worked(next.when);
    if (!acts || !other) return `nobody knows how ${acts ? next.when : o.when} comes about`;
    const off = options.filter((x) => x !== o).map((x) => `${x.tag} is off`);
    step(`-${o.option.id}`, acts, [`${o.tag} is on within 2 scans`]);
    step(`-${o.option.id}-kept`, other, [`${o.tag} is on`, ...off]);
    step(`-${o.option.id}-back`, takenBack, [`${o.tag} is off within 2 scans`]);
  }
  return trials.gets(rows)
    ? {
        id: id(''),
        name: `${choice.name}: one is chosen, kept, and taken back`,
        note: 'Made from the plan: each option by its button, another pressed beside it, then the reset.',
        rows,
      }
    : 'its buttons were pressed, but it did not keep exactly one and give it back';
}

/** Rows with ids of their own check. */
const own = (rows: readonly CheckRow[], check: string): readonly CheckRow[] =>
  rows.map((r) => ({ ...r, id: `${check}${r.id.replace(/^plan-check-[^-]*-(?:main|step)/, '').replace(check, '')}` }));

/** Whether one of the modes of a sequence holds, by their tags or by what the plan says of them. */
function inModes(plan: Plan, s: Sequence, trials: Trials): string {
  const modes = modesWith(plan).filter((m) =>
    (s.modes ?? []).some((n) => n.trim().toLowerCase() === m.name.trim().toLowerCase()),
  );
  return modes
    .map((m) =>
      trials.project.tags.some((t) => t.name.toLowerCase() === modeTag(m).toLowerCase()) ? modeTag(m) : `(${m.when})`,
    )
    .join(' OR ');
}
