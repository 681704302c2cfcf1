/** Plays sequence checks in simulated time and judges the interlock rules on every scan they play. */
import { Engine } from '../runtime/engine.js';
import type { BenchEvent } from '../runtime/stretch.js';
import type { Bound, PlannedCheck, PlannedRow, PlannedRule, ProofPlan } from './plan.js';
import type { Span } from './sentences.js';

export interface RowResult { readonly id: string; /** The check it stands in, where that is the beginning of another. */ readonly of?: string; readonly status: 'ok' | 'failed' | 'notReached'; readonly seen: string }

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

export interface Recorded { readonly scan: number; readonly event: BenchEvent }

export interface CheckResult {
  readonly id: string;
  /** Which row of its table, from 0. */
  readonly run?: number;
  readonly name: string;
  readonly ok: boolean;
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

export interface ProofResult { readonly checks: readonly CheckResult[]; readonly rules: readonly RuleResult[]; readonly problem?: string }

/** A whole check may take this long in simulated time before it is called endless. */
export const LONGEST_CHECK_NS = 3_600_000_000_000n;

/** Runs all checks (or one by name); rules are judged on what the checks played. */
export function prove(plan: ProofPlan, options: { readonly stepNs: bigint; readonly only?: string; /** Called after every scan that is played. */ readonly onScan?: (e: Engine) => void; /** Nothing more is played once something has failed. */ readonly stopAtFirst?: boolean }): ProofResult {
  if (!plan.image) return { checks: [], rules: [], problem: 'The logic has errors; mend them first.' };
  const wires = plan.compiled.wires;
  const engine = new Engine(plan.image, { stepNs: options.stepNs, wires });
  const wanted = (name: string) => !options.only || name.toLowerCase() === options.only.toLowerCase();
  const judges = plan.rules.map((r) => new RuleJudge(r, options.stepNs));
  const checks: CheckResult[] = [];
  for (const c of plan.checks) {
    if (!wanted(c.base) && !plan.rules.some((r) => wanted(r.name))) continue;
    if (options.stopAtFirst && (checks.some((x) => !x.ok) || judges.some((j) => j.failure))) break;
    const player = new Player(engine, c, judges, options.onScan);
    const result = player.play();
    if (wanted(c.base)) checks.push(result);
  }
  return { checks, rules: judges.filter((j) => wanted(j.rule.name)).map((j) => j.result()) };
}

const seconds = (ns: bigint) => `${(Number(ns) / 1e9).toFixed(2)} s`;

/** Judges one rule, scan by scan. */
export class RuleJudge {
  scans = 0;
  failure: RuleResult['failure'];
  private recording: readonly Recorded[] = [];
  private since = -1;
  private was = false;

  constructor(readonly rule: PlannedRule, private readonly stepNs: bigint) {}

  startCheck(): void { this.since = -1; this.was = false; }
  /** What it remembers between scans, to go on from the same moment later. */
  get memory(): readonly [number, boolean] { return [this.since, this.was]; }
  resume([since, was]: readonly [number, boolean]): void { this.since = since; this.was = was; }

  /** Judges the state after a scan. */
  judge(engine: Engine, check: PlannedCheck | undefined, recording: readonly Recorded[]): void {
    const { form, condition, trigger } = this.rule;
    if (!form || !condition || this.failure || this.rule.problem) return;
    this.scans++;
    const holds = engine.evaluate(condition.expression) !== 0;
    const fail = (seen: string) => {
      this.failure = { row: 0, scan: engine.scan, timeNs: engine.timeNs, expected: this.rule.sentence, seen, check: check?.name ?? '', checkId: check?.id ?? '' };
      this.recording = [...recording];
    };
    switch (form.kind) {
      case 'always': if (!holds) fail(`'${condition.said}' did not hold`); break;
      case 'never': if (holds) fail(`'${condition.said}' held`); break;
      case 'follows': {
        const t = engine.evaluate(trigger!.expression) !== 0;
        if (t && !this.was && !holds) this.since = engine.scan;
        this.was = t;
        if (holds) this.since = -1;
        if (this.since >= 0 && !(engine.scan - this.since < scansOf(form.span, this.stepNs))) fail(`'${trigger!.said}' came, but '${condition.said}' did not follow`);
        break;
      }
      case 'atLeast': {
        if (holds && !this.was) this.since = engine.scan;
        if (!holds && this.was && engine.scan - this.since < scansOf(form.span, this.stepNs)) fail(`'${condition.said}' lasted ${seconds(BigInt(engine.scan - this.since) * this.stepNs)}`);
        this.was = holds;
      }
    }
  }

  result(): RuleResult {
    const { id, name, problem } = this.rule;
    if (problem) return { id, name, ok: false, scans: 0, recording: [], problem };
    return { id, name, ok: !this.failure, scans: this.scans, recording: this.recording, ...(this.failure ? { failure: this.failure } : {}) };
  }
}

export function scansOf(span: Span, stepNs: bigint): number {
  return 'scans' in span ? span.scans : Number((span.ns + stepNs - 1n) / stepNs);
}

class Player {
  private recording: Recorded[] = [];
  private later: { readonly due: bigint; readonly event: BenchEvent }[] = [];
  private never: { readonly row: PlannedRow; readonly said: string; readonly expression: number }[] = [];
  private failure: Failure | undefined;
  private readonly longest: number;
  private readonly kept: readonly { readonly row: PlannedRow; readonly said: string; readonly judge: RuleJudge }[];

  constructor(private readonly engine: Engine, private readonly check: PlannedCheck, private readonly judges: readonly RuleJudge[], private readonly onScan?: (e: Engine) => void) {
    this.longest = Number(LONGEST_CHECK_NS / engine.stepNs);
    this.kept = check.rows.flatMap((r) => r.keeps.map((k) => ({ row: r, said: k.said, judge: new RuleJudge(k.rule, engine.stepNs) })));
  }

  play(): CheckResult {
    const { check, engine } = this;
    engine.restart();
    for (const j of this.judges) j.startCheck();
    const rows: RowResult[] = [];
    if (check.problem) this.failure = { row: 0, scan: 0, timeNs: 0n, expected: 'a check that can be played', seen: check.problem };
    for (const row of check.rows) {
      const of = row.of === undefined ? {} : { of: row.of };
      if (this.failure) { rows.push({ id: row.id, ...of, status: 'notReached', seen: 'not reached' }); continue; }
      const seen = this.playRow(row);
      const failure = this.currentFailure();
      rows.push({ id: row.id, ...of, status: failure ? 'failed' : 'ok', seen: failure ? failure.seen : seen });
    }
    return {
      id: check.id, ...(check.run === undefined ? {} : { run: check.run }), name: check.name, ok: !this.failure, rows, scans: engine.scan, timeNs: engine.timeNs, recording: this.recording,
      ...(this.failure ? { failure: this.failure } : {}),
    };
  }

  private currentFailure(): Failure | undefined { return this.failure; }

  private fail(row: PlannedRow, expected: string, seen: string): void {
    this.failure ??= { row: row.number, ...(row.of === undefined ? {} : { of: row.of }), scan: this.engine.scan, timeNs: this.engine.timeNs, expected, seen };
  }

  private perform(event: BenchEvent): void {
    const { engine } = this;
    this.recording.push({ scan: engine.scan, event });
    if (event.kind === 'write') engine.write(event.path, event.value);
    else if (event.kind === 'force') engine.force(event.path, event.value);
    else engine.setForces([]);
  }

  /** One scan with everything that is always judged. False once the check has failed. */
  private scan(row: PlannedRow): boolean {
    const { engine } = this;
    if (this.later.length) {
      for (const l of this.later.filter((x) => x.due <= engine.timeNs)) this.perform(l.event);
      this.later = this.later.filter((x) => x.due > engine.timeNs);
    }
    if (!engine.runScan()) { this.fail(row, 'a scan without a fault', engine.faultLine()); return false; }
    this.onScan?.(engine);
    for (const j of this.judges) j.judge(engine, this.check, this.recording);
    for (const k of this.kept) { k.judge.judge(engine, this.check, []); if (k.judge.failure) this.fail(k.row, k.said, k.judge.failure.seen); }
    for (const n of this.never) if (engine.evaluate(n.expression) !== 0) this.fail(n.row, `never ${n.said}`, `'${n.said}' at ${seconds(engine.timeNs)}`);
    if (engine.scan > this.longest) this.fail(row, 'an end', 'the check runs for more than an hour of simulated time');
    return !this.failure;
  }

  private playRow(row: PlannedRow): string {
    if (!this.waitFor(row)) return '';
    const { engine } = this;
    for (const a of row.actions) {
      this.perform(a.event);
      for (const l of a.later ?? []) this.later.push({ due: engine.timeNs + BigInt(scansOf(l.span, engine.stepNs)) * engine.stepNs, event: l.event });
    }
    const start = engine.scan;
    const open = new Set(row.expects.filter((e) => e.form.kind !== 'never'));
    for (const e of row.expects) if (e.form.kind === 'never') this.never.push({ row, said: e.condition.said, expression: e.condition.expression });
    const progress = new Map<PlannedRow['expects'][number], number>();
    const seen = new Map<PlannedRow['expects'][number], string>();
    while (open.size && !this.failure) {
      if (!this.scan(row)) break;
      for (const e of open) {
        const verdict = this.judge(e, start, progress);
        if (verdict === undefined) continue;
        open.delete(e);
        if (verdict.ok) seen.set(e, verdict.seen);
        else this.fail(row, e.said, verdict.seen);
      }
    }
    if (!row.expects.length) return `at ${seconds(engine.timeNs)}`;
    return row.expects.flatMap((e) => seen.get(e) ?? []).join('; ') || 'watched';
  }

  private waitFor(row: PlannedRow): boolean {
    const { engine } = this;
    const start = engine.scan;
    if (row.when.kind === 'after') {
      const scans = scansOf(row.when.span, engine.stepNs);
      while (engine.scan < start + scans) if (!this.scan(row)) return false;
    } else if (row.when.kind === 'once') {
      const scans = scansOf(row.when.limit, engine.stepNs);
      while (engine.evaluate(row.once!.expression) === 0) {
        if (engine.scan - start >= scans) {
          this.fail(row, `once ${row.once!.said}`, `waited ${seconds(BigInt(scans) * engine.stepNs)} for '${row.once!.said}'`);
          return false;
        }
        if (!this.scan(row)) return false;
      }
    }
    return true;
  }

  /** Undefined while an expectation is still open. */
  private judge(e: PlannedRow['expects'][number], start: number, progress: Map<PlannedRow['expects'][number], number>): { ok: boolean; seen: string } | undefined {
    const { engine } = this;
    const holds = engine.evaluate(e.condition.expression) !== 0;
    const scans = engine.scan - start;
    const passed = BigInt(scans) * engine.stepNs;
    const { form } = e;
    switch (form.kind) {
      case 'now': return { ok: holds, seen: holds ? `at ${seconds(engine.timeNs)}` : `not so at ${seconds(engine.timeNs)}` };
      case 'within': {
        if (holds) return { ok: true, seen: scans === 1 ? 'after 1 scan' : `after ${seconds(passed)}` };
        return scans >= scansOf(form.span, engine.stepNs) ? { ok: false, seen: `not so after ${seconds(passed)}` } : undefined;
      }
      case 'for':
        if (!holds) return { ok: false, seen: `ended after ${seconds(passed)}` };
        return scans >= scansOf(form.span, engine.stepNs) ? { ok: true, seen: `held ${seconds(passed)}` } : undefined;
      case 'until':
        if (engine.evaluate(e.end!.expression) !== 0) return { ok: true, seen: `held ${seconds(passed)}` };
        if (!holds) return { ok: false, seen: `ended at ${seconds(engine.timeNs)}, before '${e.end!.said}'` };
        return scans >= scansOf(form.limit, engine.stepNs) ? { ok: false, seen: `waited ${seconds(passed)} for '${e.end!.said}'` } : undefined;
      case 'never': return undefined;
      case 'order': case 'path': {
        const list = [e.condition, ...e.then!], is = (b: Bound) => engine.evaluate(b.expression) !== 0;
        let at = progress.get(e) ?? 0;
        // `at` of them have been seen. What comes next may come in the same scan, in an order of tags; a path goes on by one.
        if (form.kind === 'order') while (at < list.length && is(list[at]!)) at++;
        else if (at < list.length && is(list[at]!)) at++;
        else if (at > 0 && !is(list[at - 1]!) && !e.detours!.some(is)) return { ok: false, seen: `left the path after ${form.names[at - 1]} at ${seconds(engine.timeNs)}` };
        progress.set(e, at);
        if (at === list.length) return { ok: true, seen: `all ${list.length} after ${seconds(passed)}` };
        return scans >= scansOf(form.limit, engine.stepNs) ? { ok: false, seen: `${at} of ${list.length} after ${seconds(passed)}; waited for '${list[at]!.said}'` } : undefined;
      }
    }
  }
}
