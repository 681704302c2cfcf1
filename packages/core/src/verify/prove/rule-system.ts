/** What rules remember between scans, as states beside those of the logic, judged as the player judges. */
import { scansOf } from '../play/play.js';
import type { PlannedRule } from '../play/plan.js';
import type { RuleForm } from '../../sentences/sentences.js';
import type { Part, System } from './induction.js';
import type { ScanSystem } from './scan.js';
import type { FaultSite, Slot } from './state.js';
import type { Term } from './term.js';

/** The scan with what rules remember between scans beside it. */
export class RuleSystem implements System {
  readonly terms;
  private readonly extra = new Map<Term, Part>();
  private readonly cache = new Map<Term, Part>();
  private readonly byState = new Map<Term, Slot>();
  /** What rules over time count: scans, 0 when they count nothing. */
  readonly counters: Term[] = [];
  /** How what a rule remembers hangs together with its conditions: candidates for facts. */
  readonly related: Term[] = [];

  constructor(
    readonly scan: ScanSystem,
    private readonly stepNs: bigint,
  ) {
    this.terms = scan.terms;
    for (const s of scan.slots.values()) this.byState.set(s.state, s);
  }

  slotOf(v: Term): Slot | undefined {
    return this.byState.get(v);
  }

  part(v: Term): Part | undefined {
    const known = this.extra.get(v) ?? this.cache.get(v);
    if (known) return known;
    const slot = this.byState.get(v);
    if (!slot) return undefined;
    const isRetained = this.scan.isRetained(slot),
      isAge = this.scan.ages.has(slot.key);
    const made: Part = {
      state: v,
      next: this.scan.next(slot),
      initial: this.scan.initial(slot),
      isRetained: isRetained && !isAge,
      // A timer's start from before the restart, seen with a clock that began anew.
      ...(isRetained && isAge ? { isLostWarm: true } : {}),
    };
    this.cache.set(v, made);
    return made;
  }

  private add(name: string, sort: number, initial: bigint, next: (own: Term) => Term): Term {
    const state = this.terms.variable(`m:${name}`, sort);
    this.extra.set(state, { state, next: next(state), initial, isRetained: false });
    return state;
  }
  /** On after a scan that ended in a fault. */
  get faulted(): Term {
    return (this.faultState ??= this.add('faulted', 0, 0n, () =>
      this.terms.or(...this.scan.faults.map((f) => f.when)),
    ));
  }
  private faultState: Term | undefined;
  /** On after a scan that ended in a fault at one place. */
  faultedAt(site: FaultSite): Term {
    return this.add(`faulted ${this.scan.faults.indexOf(site)}`, 0, 0n, () => site.when);
  }

  /** A condition as it will be after the scan. */
  private after(condition: Term): Term {
    return this.terms.substitute(condition, (v) => this.part(v)?.next ?? v);
  }

  /**
   * The rule is broken after this scan: a term of the state, with counters of its own for rules over time, as
   * `RuleJudge` judges it.
   */
  broken(r: PlannedRule, conditions: ReadonlyMap<number, Term>): Term {
    const { terms: t } = this,
      form = r.form as RuleForm;
    if (form.kind === 'neverFaults') return this.scan.faults.length ? this.faulted : t.false;
    const holds = conditions.get(r.condition!.expression)!;
    if (!('span' in form)) return form.kind === 'never' ? holds : t.not(holds);
    const W = 32,
      one = t.bits(1n, W),
      zero = t.bits(0n, W),
      now = this.after(holds),
      span = BigInt(scansOf(form.span, this.stepNs));
    if (form.kind === 'follows') {
      const trigger = this.after(conditions.get(r.trigger!.expression)!);
      const was = this.add(`${r.id} was`, 0, 0n, () => trigger);
      // 0: nothing is waited for; else scans since the trigger came, and one.
      const waits = (own: Term) =>
        t.ite(
          now,
          zero,
          t.ite(
            t.eq(own, zero),
            t.ite(t.and(trigger, t.not(was)), one, zero),
            t.ite(t.compare('bvult', own, t.bits(span + 2n, W)), t.binary('bvadd', own, one), own),
          ),
        );
      const count = this.add(`${r.id} waits`, W, 0n, waits);
      this.counters.push(count);
      this.related.push(t.eq(was, conditions.get(r.trigger!.expression)!), t.or(t.eq(count, zero), t.not(holds)));
      return t.compare('bvult', t.bits(span, W), count);
    }
    const was = this.add(`${r.id} was`, 0, 0n, () => now);
    const lasted = this.add(`${r.id} lasted`, W, 0n, (own) =>
      t.ite(
        t.not(now),
        zero,
        t.ite(was, t.ite(t.compare('bvult', own, t.bits(span, W)), t.binary('bvadd', own, one), own), one),
      ),
    );
    this.counters.push(lasted);
    this.related.push(t.eq(was, holds), t.eq(holds, t.not(t.eq(lasted, zero))));
    return this.add(`${r.id} broken`, 0, 0n, () => t.and(t.not(now), was, t.compare('bvult', lasted, t.bits(span, W))));
  }
}
