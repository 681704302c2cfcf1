/** What a proof found, played on the real engine: only what happens there is said to break a rule. */
import type { Symbol } from '../../compile/image.js';
import type { PlannedRule, ProofPlan } from '../play/plan.js';
import { type Recorded, RuleJudge } from '../play/play.js';
import { shorten } from '../search/search.js';
import { givenTags } from '../../runtime/given.js';
import { Engine } from '../../runtime/engine.js';
import { performOn } from '../../runtime/stretch.js';
import { transferState } from '../../runtime/transfer.js';
import { type Type, isBool, sizeOf } from '../../types/type.js';
import { type Answer, WARM } from './induction.js';
import type { ScanSystem } from './scan.js';

export interface Replayed {
  /** What has to be done, and before which scan. */
  readonly recording: readonly Recorded[];
  /** Scans before which a warm restart comes. */
  readonly warmAt: readonly number[];
  /** Scans done, over all restarts, when the rule was broken. */
  readonly scan: number;
  /** The same in words, scan by scan. */
  readonly inputs: readonly string[];
  /** Nothing has to be done for it. */
  readonly needsNoInput: boolean;
  readonly seen: string;
  /** Where the logic faulted, if that is what broke the rule. */
  readonly fault?: Engine['fault'];
}

/** Scans before which a warm restart comes, counted over the whole run. */
interface Script {
  readonly events: readonly Recorded[];
  readonly warmAt: ReadonlySet<number>;
}

/** Plays the inputs that a proof found; undefined when they do not break the rule on the real engine. */
export function replay(
  plan: ProofPlan,
  rule: PlannedRule,
  assumed: readonly PlannedRule[],
  scan: ScanSystem,
  answer: Answer & { kind: 'broken' },
  stepNs: bigint,
): Replayed | undefined {
  const script = scriptOf(plan, scan, answer);
  const engine = new Engine(plan.image!, { stepNs, wires: plan.compiled.wires });
  const breaks = (events: readonly Recorded[]) =>
    play(engine, rule, assumed, { ...script, events }, answer.scans, stepNs);
  if (!breaks(script.events)) return undefined;
  const short = shorten(script.events, (events) => breaks(events) !== undefined);
  const failure = breaks(short)!;
  return {
    recording: short,
    warmAt: [...script.warmAt].sort((a, b) => a - b),
    scan: failure.scan,
    inputs: inLines(short, script.warmAt),
    needsNoInput: !short.length,
    seen: failure.seen,
    ...(failure.fault ? { fault: failure.fault } : {}),
  };
}

function scriptOf(plan: ProofPlan, scan: ScanSystem, answer: Answer & { kind: 'broken' }): Script {
  const names = new Map<string, Pick<Symbol, 'name' | 'type' | 'section'>>();
  for (const { path, location: l } of givenTags(plan.image!))
    names.set(`${l.address}`, { name: path, type: l.type, section: 'input' });
  for (const s of plan.image!.symbols.values())
    if (!s.isView) names.set(s.bit === undefined ? `${s.address}` : `${s.address}.${s.bit}`, s);
  const events: Recorded[] = [],
    held = new Map<string, bigint>(),
    warmAt = new Set<number>();
  answer.inputs.forEach((values, n) => {
    if (values.has(WARM)) warmAt.add(n);
    for (const { slot, input } of scan.inputs) {
      const symbol = names.get(slot.key),
        given = values.get(input.name!),
        value = given ?? held.get(slot.key) ?? 0n;
      if (!symbol) continue;
      const typed = isBool(symbol.type) ? value !== 0n : fromBits(symbol.type, value);
      if (symbol.section !== 'input' && !isDriven(plan, symbol)) {
        // What may be written from outside the logic may write too, so it is written in each scan.
        if (given !== undefined) events.push({ scan: n, event: { kind: 'write', path: symbol.name, value: typed } });
        continue;
      }
      if (held.get(slot.key) === value) continue;
      held.set(slot.key, value);
      events.push({ scan: n, event: { kind: 'force', path: symbol.name, value: typed } });
    }
  });
  return { events, warmAt };
}

const isDriven = (plan: ProofPlan, s: Pick<Symbol, 'name'>): boolean =>
  plan.compiled.wires.some((w) => w.kind === 'toTag' && w.to.toLowerCase() === s.name.toLowerCase());

function play(
  engine: Engine,
  rule: PlannedRule,
  assumed: readonly PlannedRule[],
  script: Script,
  scans: number,
  stepNs: bigint,
): { readonly scan: number; readonly seen: string; readonly fault?: Engine['fault'] } | undefined {
  engine.restart();
  const judge = new RuleJudge(rule, stepNs),
    kept = assumed.map((x) => new RuleJudge(x, stepNs));
  let i = 0;
  for (let n = 0; n < scans; n++) {
    if (script.warmAt.has(n)) {
      const forces = engine.listForces();
      engine.restart(transferState(engine.image, engine.snapshot().bytes, engine.image, 'retained').bytes);
      engine.setForces(forces);
      for (const j of [judge, ...kept]) j.startCheck();
    }
    for (; i < script.events.length && script.events[i]!.scan <= n; i++) performOn(engine, script.events[i]!.event);
    const ok = engine.runScan();
    for (const k of kept) k.judge(engine, undefined, []);
    if (kept.some((k) => k.failure)) return undefined;
    judge.judge(engine, undefined, []);
    if (judge.failure)
      return {
        scan: ok ? n + 1 : n,
        seen: judge.failure.seen,
        ...(engine.fault ? { fault: engine.fault } : {}),
      };
    if (!ok) return undefined;
  }
  return undefined;
}

/** What the inputs are made, scan by scan, in words. */
export function inLines(script: readonly Recorded[], warmAt: ReadonlySet<number> = new Set()): readonly string[] {
  const lines = new Map<number, string[]>();
  for (const n of warmAt) lines.set(n, ['a warm restart']);
  for (const { scan, event } of script)
    if (event.kind !== 'releaseAll')
      lines.set(scan, [
        ...(lines.get(scan) ?? []),
        `${event.path} ${event.value === true ? 'on' : event.value === false ? 'off' : `= ${String(event.value)}`}`,
      ]);
  return [...lines].sort(([a], [b]) => a - b).map(([n, l]) => `before scan ${n + 1}: ${l.join(', ')}`);
}

function fromBits(type: Type, value: bigint): bigint | number {
  const width = sizeOf(type) * 8;
  if (type.kind === 'elementary' && (type.name === 'REAL' || type.name === 'LREAL')) {
    const v = new DataView(new ArrayBuffer(8));
    if (width === 32) {
      v.setUint32(0, Number(value));
      return v.getFloat32(0);
    }
    v.setBigUint64(0, value);
    return v.getFloat64(0);
  }
  return BigInt.asIntN(width, value);
}
