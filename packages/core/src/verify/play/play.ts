/**
 * Plays sequence checks in simulated time and judges the interlock rules on every scan they play.
 *
 * Rows beside each other: a row that begins `at the same time` and the row above it are one group in `verify/play/play`;
 * each row of it waits, acts and is judged by itself, scan by scan, until all are over. All other rows are groups of
 * one.
 */
import { Engine } from '../../runtime/engine.js';
import type { Location } from '../../compile/image.js';
import { many } from '../../language/words.js';
import { type Value, findPath, formatValue, readLocation } from '../../runtime/paths.js';
import type { BenchEvent } from '../../runtime/stretch.js';
import { durationText } from '../../runtime/text.js';
import { baseOf, isBool, isReal, isString, isTime } from '../../types/type.js';
import type { Bound, PlannedCheck, PlannedRow, PlannedRule, ProofPlan } from './plan.js';
import type { Span } from '../../sentences/sentences.js';
import { spreadOf } from '../../timing/steps.js';

export interface RowResult {
  readonly id: string;
  /** The check it stands in, where that is the beginning of another. */ readonly of?: string;
  readonly status: 'ok' | 'failed' | 'notReached';
  readonly seen: string;
}

export interface Failure {
  /** Row counted from 1; 0 for a rule. */
  readonly row: number;
  /** The check the row stands in, where that is the beginning of the one that failed. */
  readonly of?: string;
  /** Scans done when it was seen, and the simulated time then. */
  readonly scan: number;
  readonly timeNs: bigint;
  readonly expected: string;
  readonly seen: string;
}

export interface Recorded {
  readonly scan: number;
  readonly event: BenchEvent;
}

export interface CheckResult {
  readonly id: string;
  /** Which row of its table, from 0. */
  readonly run?: number;
  readonly name: string;
  readonly ok: boolean;
  /** Why it says nothing: it was not played to its end. */ readonly open?: string;
  readonly rows: readonly RowResult[];
  readonly scans: number;
  readonly timeNs: bigint;
  readonly failure?: Failure;
  /** What the check did, so that the bench can stand at any of its scans. */
  readonly recording: readonly Recorded[];
}

export interface RuleResult {
  readonly id: string;
  readonly name: string;
  readonly ok: boolean;
  /** Scans it was judged on. */
  readonly scans: number;
  readonly failure?: Failure & { readonly check: string; readonly checkId: string };
  readonly recording: readonly Recorded[];
  readonly problem?: string;
}

export interface ProofResult {
  readonly checks: readonly CheckResult[];
  readonly rules: readonly RuleResult[];
  readonly problem?: string;
}

/** A whole check may take this long in simulated time before it is called endless. */
export const LONGEST_CHECK_NS = 3_600_000_000_000n;

/** Runs all checks (or one by name); rules are judged on what the checks played. */
export function prove(
  plan: ProofPlan,
  options: {
    readonly stepNs: bigint;
    readonly only?: string;
    /** Asked now and then; once it says so nothing more is played. */ readonly isOver?: () => boolean;
    /** Called after every scan that is played. */ readonly onScan?: (e: Engine) => void;
    /** Nothing more is played once something has failed. */ readonly stopAtFirst?: boolean;
  },
): ProofResult {
  if (!plan.image) return { checks: [], rules: [], problem: 'The logic has errors; mend them first.' };
  const wires = plan.compiled.wires;
  const engine = new Engine(plan.image, { stepNs: options.stepNs, wires });
  const wanted = (name: string) => !options.only || name.toLowerCase() === options.only.toLowerCase();
  const judges = plan.rules.map((r) => new RuleJudge(r, options.stepNs));
  const checks: CheckResult[] = [];
  for (const c of plan.checks) {
    if (!wanted(c.base) && !plan.rules.some((r) => wanted(r.name))) continue;
    if (options.isOver?.()) {
      if (wanted(c.base)) checks.push(notPlayed(c));
      continue;
    }
    if (options.stopAtFirst && (checks.some((x) => !x.ok) || judges.some((j) => j.failure))) break;
    const player = new Player(engine, c, judges, options.onScan, options.isOver);
    const result = player.play();
    if (wanted(c.base)) checks.push(player.isCutOff ? notPlayed(c) : result);
  }
  return { checks, rules: judges.filter((j) => wanted(j.rule.name)).map((j) => j.result()) };
}

const notPlayed = (c: PlannedCheck): CheckResult => ({
  id: c.id,
  ...(c.run === undefined ? {} : { run: c.run }),
  name: c.name,
  ok: false,
  open: 'the time was up before it was played to its end',
  rows: [],
  scans: 0,
  timeNs: 0n,
  recording: [],
});

const seconds = (ns: bigint) => `${(Number(ns) / 1e9).toFixed(2)} s`;

const NAME = /[A-Za-z_]\w*(?:\[[^\]]*\])?(?:\.[A-Za-z_]\w*(?:\[[^\]]*\])?)*/g,
  MOST_VALUES = 4;
/**
 * What a sentence speaks of, as it is now, for a failure: numbers, times, texts and enumerations; a Boolean's value is
 * told by the sentence. Empty where there is none.
 */
function valuesOf(engine: Engine, sentence: string): string {
  const told = [...new Set(sentence.match(NAME) ?? [])].flatMap((name) => {
    const found = findPath(engine.image, name);
    if (
      !('location' in found) ||
      isBool(found.location.type) ||
      (baseOf(found.location.type) === undefined && !isString(found.location.type))
    )
      return [];
    const { type } = found.location,
      value = readLocation(engine.view, found.location);
    return [
      `${name} = ${isReal(type) ? String(Number(Number(value).toPrecision(6))) : isTime(type) ? durationText(value as bigint) : isString(type) ? `'${formatValue(type, value)}'` : formatValue(type, value)}`,
    ];
  });
  return told.length ? `; ${told.slice(0, MOST_VALUES).join(', ')}` : '';
}

/** Judges one rule, scan by scan. */
export class RuleJudge {
  scans = 0;
  failure: RuleResult['failure'];
  private recording: readonly Recorded[] = [];
  private since = -1;
  private was = false;

  constructor(
    readonly rule: PlannedRule,
    private readonly stepNs: bigint,
  ) {}

  startCheck(): void {
    this.since = -1;
    this.was = false;
  }
  /** What it remembers between scans, to go on from the same moment later. */
  get memory(): readonly [number, boolean] {
    return [this.since, this.was];
  }
  resume([since, was]: readonly [number, boolean]): void {
    this.since = since;
    this.was = was;
  }

  /** Judges the state after a scan. */
  judge(engine: Engine, check: PlannedCheck | undefined, recording: readonly Recorded[]): void {
    const { form, condition, trigger } = this.rule;
    if (!form || this.failure || this.rule.problem) return;
    const fail = (seen: string) => {
      this.failure = {
        row: 0,
        scan: engine.scan,
        timeNs: engine.timeNs,
        expected: this.rule.sentence,
        seen: seen + valuesOf(engine, this.rule.sentence),
        check: check?.name ?? '',
        checkId: check?.id ?? '',
      };
      this.recording = [...recording];
    };
    if (form.kind === 'neverFaults') {
      this.scans++;
      if (engine.fault) fail(engine.faultLine());
      return;
    }
    // A scan that was cut off has no state to judge.
    if (engine.fault || !condition) return;
    this.scans++;
    const holds = engine.evaluate(condition.expression) !== 0;
    switch (form.kind) {
      case 'always':
        if (!holds) fail(`'${condition.said}' did not hold`);
        break;
      case 'never':
        if (holds) fail(`'${condition.said}' held`);
        break;
      case 'follows': {
        const t = engine.evaluate(trigger!.expression) !== 0;
        // What is waited for already goes on being waited for: to come again is no reprieve.
        if (t && !this.was && !holds && this.since < 0) this.since = engine.scan;
        this.was = t;
        if (holds) this.since = -1;
        if (this.since >= 0 && !(engine.scan - this.since < scansOf(form.span, this.stepNs)))
          fail(`'${trigger!.said}' came, but '${condition.said}' did not follow`);
        break;
      }
      case 'atLeast': {
        if (holds && !this.was) this.since = engine.scan;
        if (!holds && this.was && engine.scan - this.since < scansOf(form.span, this.stepNs))
          fail(`'${condition.said}' lasted ${seconds(BigInt(engine.scan - this.since) * this.stepNs)}`);
        this.was = holds;
      }
    }
  }

  result(): RuleResult {
    const { id, name, problem } = this.rule;
    if (problem) return { id, name, ok: false, scans: 0, recording: [], problem };
    return {
      id,
      name,
      ok: !this.failure,
      scans: this.scans,
      recording: this.recording,
      ...(this.failure ? { failure: this.failure } : {}),
    };
  }
}

export function scansOf(span: Span, stepNs: bigint): number {
  return 'scans' in span ? span.scans : Number((span.ns + stepNs - 1n) / stepNs);
}

type PlannedExpect = PlannedRow['expects'][number];

/** A row while it is played: it waits, has acted and is being judged, is over. */
class RowPlay {
  phase: 'before' | 'waiting' | 'acted' | 'done' = 'before';
  /** Scans done when it began to wait, and when it acted. */
  since = 0;
  actedAt = 0;
  words = '';
  readonly open = new Set<PlannedExpect>();
  readonly progress = new Map<PlannedExpect, number>();
  readonly seen = new Map<PlannedExpect, string>();
  constructor(readonly row: PlannedRow) {}
}

/** How long cycles or a step take, from a row to the end of the check. */
class TimingPlay {
  private readonly form: Extract<PlannedExpect['form'], { kind: 'timing' }>;
  private readonly took: number[] = [];
  private readonly location: Location | undefined;
  private readonly first: Value | undefined;
  private was: boolean;
  /** The scan after which it began; undefined where that was not seen. */
  private began: number | undefined;
  private now: number;

  constructor(
    readonly row: PlannedRow,
    readonly expect: PlannedExpect,
    engine: Engine,
  ) {
    this.form = expect.form as typeof this.form;
    // Without a home that is said or planned, the step of this moment is it.
    const found =
      this.form.of === 'cycle' && this.form.home === undefined ? findPath(engine.image, this.form.tag) : undefined;
    this.location = found && 'location' in found ? found.location : undefined;
    this.first = this.location && readLocation(engine.view, this.location);
    this.now = engine.scan;
    this.was = this.runs(engine);
  }

  private runs(engine: Engine): boolean {
    const holds = this.location
      ? readLocation(engine.view, this.location) === this.first
      : engine.evaluate(this.expect.condition.expression) !== 0;
    return this.form.of === 'cycle' ? !holds : holds;
  }

  /** Looks after a scan; a sentence where it has gone wrong already. */
  look(engine: Engine): string | undefined {
    const is = this.runs(engine),
      scan = (this.now = engine.scan),
      most = scansOf(this.form.limit, engine.stepNs);
    if (is && !this.was) this.began = scan;
    if (!is && this.was && this.began !== undefined) {
      this.took.push(scan - this.began);
      this.began = undefined;
    }
    this.was = is;
    // One that ends in this scan has its length; one that goes on has lasted this long at least.
    const longest = this.began === undefined ? (is ? 0 : (this.took.at(-1) ?? 0)) : scan - this.began;
    return this.form.share === 1 && longest > most
      ? `${this.one} ${this.took.length + (is ? 1 : 0)} ${is ? 'goes on after' : 'took'} ${seconds(BigInt(longest) * engine.stepNs)}`
      : undefined;
  }

  private get one(): string {
    return this.form.of === 'cycle' ? 'cycle' : 'time';
  }

  /** The verdict at the end of the check. One that still runs counts where it is too long already. */
  settle(stepNs: bigint): { readonly ok: boolean; readonly seen: string } {
    const most = scansOf(this.form.limit, stepNs),
      goesOn = this.began === undefined ? 0 : this.now - this.began,
      all = goesOn > most ? [...this.took, goesOn] : this.took,
      s = spreadOf(all),
      said = (scans: number) => seconds(BigInt(Math.round(scans)) * stepNs);
    if (!s)
      return {
        ok: false,
        seen: `no ${this.form.of === 'cycle' ? 'cycle closed' : 'such step came to its end'} before the check ended`,
      };
    const within = all.filter((n) => n <= most).length / all.length;
    const seen = `${many(s.count, this.one)}, ${s.smallest === s.largest ? `${s.count === 1 ? '' : 'each '}${said(s.median)}` : `${said(s.smallest)} to ${said(s.largest)}, median ${said(s.median)}`}`;
    return {
      ok: within >= this.form.share,
      seen: this.form.share === 1 ? seen : `${seen}, ${Math.floor(within * 1000) / 10} % within ${said(most)}`,
    };
  }
}

class Player {
  private recording: Recorded[] = [];
  private later: { readonly due: bigint; readonly event: BenchEvent }[] = [];
  private never: { readonly row: PlannedRow; readonly said: string; readonly expression: number }[] = [];
  private readonly timings: TimingPlay[] = [];
  private failure: Failure | undefined;
  /** It was ended from outside, and says nothing. */
  isCutOff = false;
  private failedRow: PlannedRow | undefined;
  private readonly longest: number;
  private readonly kept: readonly { readonly row: PlannedRow; readonly said: string; readonly judge: RuleJudge }[];

  constructor(
    private readonly engine: Engine,
    private readonly check: PlannedCheck,
    private readonly judges: readonly RuleJudge[],
    private readonly onScan?: (e: Engine) => void,
    private readonly isOver?: () => boolean,
  ) {
    this.longest = Number(LONGEST_CHECK_NS / engine.stepNs);
    this.kept = check.rows.flatMap((r) =>
      r.keeps.map((k) => ({ row: r, said: k.said, judge: new RuleJudge(k.rule, engine.stepNs) })),
    );
  }

  play(): CheckResult {
    const { check, engine } = this;
    engine.restart();
    for (const j of this.judges) j.startCheck();
    const rows: RowResult[] = [];
    if (check.problem)
      this.failure = { row: 0, scan: 0, timeNs: 0n, expected: 'a check that can be played', seen: check.problem };
    for (let i = 0; i < check.rows.length;) {
      // A row and those beside it are played together.
      let end = i + 1;
      while (end < check.rows.length && check.rows[end]!.when.kind === 'with') end++;
      const group = check.rows.slice(i, end).map((row) => new RowPlay(row));
      if (!this.failure && !this.isCutOff) this.playTogether(group);
      for (const g of group)
        rows.push({
          id: g.row.id,
          ...(g.row.of === undefined ? {} : { of: g.row.of }),
          status: g.phase === 'done' ? 'ok' : 'notReached',
          seen: g.phase === 'done' ? g.words : g.phase === 'before' ? 'not reached' : 'cut short',
        });
      i = end;
    }
    const told = this.settle();
    return {
      id: check.id,
      ...(check.run === undefined ? {} : { run: check.run }),
      name: check.name,
      ok: !this.failure,
      rows: this.failedRow
        ? rows.map((r, i) =>
            check.rows[i] === this.failedRow ? { ...r, status: 'failed', seen: this.failure!.seen } : r,
          )
        : rows.map((r, i) => {
            const seen = told.get(check.rows[i]!);
            return seen ? { ...r, seen: r.seen === 'watched' ? seen : `${r.seen}; ${seen}` } : r;
          }),
      scans: engine.scan,
      timeNs: engine.timeNs,
      recording: this.recording,
      ...(this.failure ? { failure: this.failure } : {}),
    };
  }

  /** What cycles and steps took, once the check is over: by row, what is told of it. */
  private settle(): ReadonlyMap<PlannedRow, string> {
    const told = new Map<PlannedRow, string>();
    if (this.failure || this.isCutOff) return told;
    for (const t of this.timings) {
      const verdict = t.settle(this.engine.stepNs);
      if (!verdict.ok) this.fail(t.row, t.expect.said, verdict.seen);
      else told.set(t.row, [told.get(t.row), verdict.seen].filter(Boolean).join('; '));
    }
    return told;
  }

  private fail(row: PlannedRow, expected: string, seen: string): void {
    if (this.failure) return;
    this.failedRow = row;
    this.failure = {
      row: row.number,
      ...(row.of === undefined ? {} : { of: row.of }),
      scan: this.engine.scan,
      timeNs: this.engine.timeNs,
      expected,
      seen,
    };
  }

  private perform(event: BenchEvent): void {
    const { engine } = this;
    this.recording.push({ scan: engine.scan, event });
    if (event.kind === 'write') engine.write(event.path, event.value);
    else if (event.kind === 'force') engine.force(event.path, event.value);
    else engine.releaseAll();
  }

  /** One scan with everything that is always judged. False once the check has failed. */
  private scan(row: PlannedRow): boolean {
    const { engine } = this;
    if (this.later.length) {
      for (const l of this.later.filter((x) => x.due <= engine.timeNs)) this.perform(l.event);
      this.later = this.later.filter((x) => x.due > engine.timeNs);
    }
    if (!engine.runScan()) {
      for (const j of this.judges) j.judge(engine, this.check, this.recording);
      this.fail(row, 'a scan without a fault', engine.faultLine());
      return false;
    }
    if ((engine.scan & 15) === 0 && this.isOver?.()) {
      this.isCutOff = true;
      return false;
    }
    this.onScan?.(engine);
    for (const j of this.judges) j.judge(engine, this.check, this.recording);
    for (const k of this.kept) {
      k.judge.judge(engine, this.check, []);
      if (k.judge.failure) this.fail(k.row, k.said, k.judge.failure.seen);
    }
    for (const n of this.never)
      if (engine.evaluate(n.expression) !== 0)
        this.fail(n.row, `never ${n.said}`, `'${n.said}' at ${seconds(engine.timeNs)}${valuesOf(engine, n.said)}`);
    for (const t of this.timings) {
      const seen = t.look(engine);
      if (seen !== undefined) this.fail(t.row, t.expect.said, seen + valuesOf(engine, t.expect.said));
    }
    if (engine.scan > this.longest) this.fail(row, 'an end', 'the check runs for more than an hour of simulated time');
    return !this.failure;
  }

  /** Plays rows that run beside each other until all of them are over. */
  private playTogether(group: readonly RowPlay[]): void {
    const { engine } = this;
    group[0]!.since = engine.scan;
    while (!this.failure && !this.isCutOff) {
      // One may begin because another has just begun.
      while (group.some((g) => this.goOn(g, group))) {
        /* until nothing more happens before the next scan */
      }
      const open = group.find((g) => g.phase !== 'done');
      if (!open || this.failure || !this.scan(open.row)) return;
      for (const g of group) if (g.phase === 'acted') this.look(g);
    }
  }

  /** What a row does before the next scan: begins to wait, acts. True when something happened. */
  private goOn(g: RowPlay, group: readonly RowPlay[]): boolean {
    const { engine } = this,
      { row } = g,
      when = row.when.kind === 'with' ? row.when.then : row.when;
    if (this.failure || g.phase === 'acted' || g.phase === 'done') return false;
    if (g.phase === 'before') {
      if (row.when.kind === 'with') {
        const beside =
          row.when.row === undefined
            ? group[group.indexOf(g) - 1]
            : group.find((x) => x.row.number === (row.when as { row?: number }).row && x.row.of === row.of);
        if (!beside || (beside.phase !== 'acted' && beside.phase !== 'done')) return false;
        g.since = beside.actedAt;
      }
      g.phase = 'waiting';
    }
    const waited = engine.scan - g.since;
    if (when.kind === 'after' && waited < scansOf(when.span, engine.stepNs)) return false;
    if (when.kind === 'once' && engine.evaluate(row.once!.expression) === 0) {
      const scans = scansOf(when.limit, engine.stepNs);
      if (waited >= scans)
        this.fail(
          row,
          `once ${row.once!.said}`,
          `waited ${seconds(BigInt(scans) * engine.stepNs)} for '${row.once!.said}'${valuesOf(engine, row.once!.said)}`,
        );
      return false;
    }
    for (const a of row.actions) {
      this.perform(a.event);
      for (const l of a.later ?? [])
        this.later.push({
          due: engine.timeNs + BigInt(scansOf(l.span, engine.stepNs)) * engine.stepNs,
          event: l.event,
        });
    }
    g.actedAt = engine.scan;
    for (const e of row.expects)
      if (e.form.kind === 'timing') this.timings.push(new TimingPlay(row, e, engine));
      else if (e.form.kind === 'never')
        this.never.push({ row, said: e.condition.said, expression: e.condition.expression });
      else g.open.add(e);
    g.phase = g.open.size ? 'acted' : 'done';
    if (!row.expects.length) g.words = `at ${seconds(engine.timeNs)}`;
    else if (g.phase === 'done') g.words = 'watched';
    return true;
  }

  /** Judges what a row still expects, after a scan. */
  private look(g: RowPlay): void {
    for (const e of g.open) {
      const verdict = this.judge(e, g.actedAt, g.progress);
      if (verdict === undefined) continue;
      g.open.delete(e);
      if (verdict.ok) g.seen.set(e, verdict.seen);
      else this.fail(g.row, e.said, verdict.seen + valuesOf(this.engine, e.said));
    }
    if (g.open.size || this.failure) return;
    g.phase = 'done';
    g.words = g.row.expects.flatMap((e) => g.seen.get(e) ?? []).join('; ') || 'watched';
  }

  /** Undefined while an expectation is still open. */
  private judge(
    e: PlannedExpect,
    start: number,
    progress: Map<PlannedExpect, number>,
  ): { ok: boolean; seen: string } | undefined {
    const { engine } = this;
    const holds = engine.evaluate(e.condition.expression) !== 0;
    const scans = engine.scan - start;
    const passed = BigInt(scans) * engine.stepNs;
    const { form } = e;
    switch (form.kind) {
      case 'now':
        return { ok: holds, seen: holds ? `at ${seconds(engine.timeNs)}` : `not so at ${seconds(engine.timeNs)}` };
      case 'within': {
        if (holds) return { ok: true, seen: scans === 1 ? 'after 1 scan' : `after ${seconds(passed)}` };
        return scans >= scansOf(form.span, engine.stepNs)
          ? { ok: false, seen: `not so after ${seconds(passed)}` }
          : undefined;
      }
      case 'for':
        if (!holds) return { ok: false, seen: `ended after ${seconds(passed)}` };
        return scans >= scansOf(form.span, engine.stepNs) ? { ok: true, seen: `held ${seconds(passed)}` } : undefined;
      case 'until':
        if (engine.evaluate(e.end!.expression) !== 0) return { ok: true, seen: `held ${seconds(passed)}` };
        if (!holds) return { ok: false, seen: `ended at ${seconds(engine.timeNs)}, before '${e.end!.said}'` };
        return scans >= scansOf(form.limit, engine.stepNs)
          ? { ok: false, seen: `waited ${seconds(passed)} for '${e.end!.said}'` }
          : undefined;
      case 'never':
      case 'timing':
        return undefined;
      case 'window': {
        const from = scansOf(form.from, engine.stepNs),
          to = scansOf(form.to, engine.stepNs);
        if (holds)
          return scans < from
            ? { ok: false, seen: `already after ${seconds(passed)}` }
            : { ok: true, seen: `after ${seconds(passed)}` };
        return scans >= to ? { ok: false, seen: `not so after ${seconds(passed)}` } : undefined;
      }
      case 'lasts': {
        const from = scansOf(form.from, engine.stepNs),
          to = scansOf(form.to, engine.stepNs),
          began = progress.get(e);
        const lasted = began === undefined ? 0 : engine.scan - began,
          words = seconds(BigInt(lasted) * engine.stepNs);
        if (began === undefined) {
          if (holds) {
            progress.set(e, engine.scan);
            return undefined;
          }
          if (form.limit && scans < scansOf(form.limit, engine.stepNs)) return undefined;
          return {
            ok: false,
            seen: form.limit ? `did not begin in ${seconds(passed)}` : `not so at ${seconds(engine.timeNs)}`,
          };
        }
        if (!holds) return { ok: lasted >= from, seen: lasted >= from ? `lasted ${words}` : `ended after ${words}` };
        return lasted >= to ? { ok: false, seen: `still so after ${words}` } : undefined;
      }
      case 'order':
      case 'path': {
        const list = [e.condition, ...e.then!],
          is = (b: Bound) => engine.evaluate(b.expression) !== 0;
        let at = progress.get(e) ?? 0;
        // `at` of them have been seen. What comes next may come in the same scan, in an order of tags; a path goes on by one.
        if (form.kind === 'order') while (at < list.length && is(list[at]!)) at++;
        else if (at < list.length && is(list[at]!)) at++;
        else if (at > 0 && !is(list[at - 1]!) && !e.detours!.some(is))
          return { ok: false, seen: `left the path after ${form.names[at - 1]} at ${seconds(engine.timeNs)}` };
        progress.set(e, at);
        if (at === list.length) return { ok: true, seen: `all ${list.length} after ${seconds(passed)}` };
        return scans >= scansOf(form.limit, engine.stepNs)
          ? { ok: false, seen: `${at} of ${list.length} after ${seconds(passed)}; waited for '${list[at]!.said}'` }
          : undefined;
      }
      // Undefined means open: a kind that is not judged here would stay so for ever.
      default:
        return form satisfies never;
    }
  }
}
