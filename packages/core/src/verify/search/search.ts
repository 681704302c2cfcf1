/**
 * Looks for a counterexample to the interlock rules by itself: random work at the panel, upsets and free inputs, in
 * random timing, going on from moments at which something new was reached. What it finds is shortened until nothing can
 * be left out. The same seed gives the same answer, however long it takes and wherever it runs.
 *
 * Search (`verify/search/search`) keeps moments to go on from by what the machine does there (steps and outputs), a few of
 * each, those that took least; it picks kinds it has gone on from seldom. Free inputs that are numbers get their
 * limits and what lies about each number that the logic speaks of. Lanes, and the changes of changed logic, are shared
 * out to the cores: web workers in the page, threads in the command (`cli/threads`). Time may cut a search off: what
 * it has by then is the beginning of what the same seed would find. It judges rules with the player's own judges on
 * the plain build, some hundred thousand scans a second for the examples (measured below). It counts in scans, not in
 * time, so a seed gives the same answer anywhere. It goes in eight lanes (`verify/search/lanes`), each with a seed and a share
 * of the scans of its own, spread over web workers or threads as there are cores (eight at most are busy); how many
 * run at a time makes no difference to what they find. Changes to the logic (`verify/mutate/mutate`) are dealt out over the
 * same workers by their number, each with a compiler that keeps what it has read; reach is played in the first of
 * them. What a search looks for is a `Judge`: a rule, or something that the checks have not reached (on the watched
 * build, from its probes).
 */
import { kindOf, placeNames } from '../../wiring/kinds.js';
import { type CheckRow, type Project, tagLimits, MACHINE } from '../../document/document.js';
import { givenTags } from '../../runtime/given.js';
import { Engine, type Snapshot } from '../../runtime/engine.js';
import { type BenchEvent, performOn } from '../../runtime/stretch.js';
import { type Value, findPath, readLocation } from '../../runtime/paths.js';
import type { Location } from '../../compile/image.js';
import { type Type, baseOf, isBits, isBool, isInteger, isReal, isTime, rangeOf } from '../../types/type.js';
import { rowsThatExpect } from '../play/doing.js';
import type { PlannedRule, ProofPlan } from '../play/plan.js';
import { type Failure, type Recorded, RuleJudge } from '../play/play.js';

/** Something that the search may do: values it may give a path. */
interface Move {
  readonly path: string;
  readonly values: readonly (boolean | number | bigint)[];
  /** Forced instead of written: what a device would give is replaced. */ readonly forced?: boolean;
}

/**
 * What a search looks for, told from the state after each scan: a rule that breaks, or something that is reached for
 * the first time.
 */
export interface Judge {
  readonly id: string;
  readonly name: string;
  /** What was found, and when. */
  failure: Omit<Failure, 'row'> | undefined;
  /** What it remembers between scans, to go on from the same moment later. */
  readonly memory: readonly [number, boolean];
  resume(memory: readonly [number, boolean]): void;
  judge(engine: Engine): void;
  /** The same at the start of a run. */
  fresh(): Judge;
  /** What a check that is made of it expects at the end. */
  expects(engine: Engine): readonly string[];
}

/** A rule as something to look for. */
export function ruleTarget(rule: PlannedRule, stepNs: bigint): Judge {
  const inner = new RuleJudge(rule, stepNs);
  return {
    id: rule.id,
    name: rule.name,
    get failure() {
      return inner.failure;
    },
    set failure(v) {
      inner.failure = v as RuleJudge['failure'];
    },
    get memory() {
      return inner.memory;
    },
    resume: (m) => inner.resume(m),
    judge: (e) => inner.judge(e, undefined, []),
    fresh: () => ruleTarget(rule, stepNs),
    expects: () => [`keeps '${rule.name}'`],
  };
}

/** Something to be reached: found as soon as `holds` is true after a scan. */
export function reachTarget(
  id: string,
  name: string,
  holds: (e: Engine) => boolean,
  expects: (e: Engine) => readonly string[],
): Judge {
  const judge: Judge = {
    id,
    name,
    failure: undefined,
    memory: [-1, false],
    resume: () => undefined,
    fresh: () => reachTarget(id, name, holds, expects),
    expects,
    judge: (e) => {
      if (!judge.failure && holds(e)) judge.failure = { scan: e.scan, timeNs: e.timeNs, expected: name, seen: name };
    },
  };
  return judge;
}

export interface SearchOptions {
  readonly stepNs: bigint;
  readonly seed: number;
  /** Whether upsets of the machine are among what may happen. */
  readonly upsets: boolean;
  /**
   * Any input may be anything, as in a proof, instead of what the machine gives; runs that break an assumption do not
   * count.
   */
  readonly freeInputs?: boolean;
  /** Only rules with these ids. */
  readonly only?: readonly string[];
  /** Looked for instead of the rules. */
  readonly targets?: readonly Judge[];
  /** Values that inputs are wanted to have: moments at which more of them do are gone on from more often. */
  readonly guide?: readonly { readonly path: string; readonly value: Value }[];
  /** Scans at the beginning in which nothing is done; at least one. */
  readonly rest?: number;
  /** Asked now and then: once it says so the search ends where it is. */
  readonly isOver?: () => boolean;
}

export interface Counterexample {
  readonly rule: string;
  readonly ruleId: string;
  /** Scans done when the rule was broken. */
  readonly scan: number;
  readonly expected: string;
  readonly seen: string;
  /** What has to be done, and before which scan. */
  readonly recording: readonly Recorded[];
  /** The same as rows of a check, which goes on past the moment and expects the rule to hold. */
  readonly rows: readonly CheckRow[];
  /** Things done in the run that found it, before it was shortened. */
  readonly foundWith: number;
}

export interface SearchState {
  readonly scans: number;
  readonly states: number;
  readonly deepest: number;
  readonly found: readonly Counterexample[];
  readonly open: readonly string[];
  /** The fault with which the first scan ends whatever is done: there is nothing to search. */
  readonly faultsAtOnce?: string;
}

interface Entry {
  readonly snapshot: Snapshot;
  readonly script: readonly Recorded[];
  readonly judges: readonly (readonly [number, boolean])[];
  /** How many of the inputs are as they are wanted. */
  readonly score: number;
}

/** Moments kept of each kind: those that took least to come to. */
const KEPT = 4;
/** Kinds of moments kept: what their snapshots take is bounded. */
const MOST_CELLS = 4000;
/** Scans of one run from an entry on. */
const LENGTH = 1500;
/** Inputs that a search is guided by at most. */
const LONGEST_GUIDE = 30;
/** Scans at the beginning in which nothing is done. */
const AT_REST = 20_000;
/** Rules are looked at in every scan, new states so often. */
const LOOK = 5;

export class Search {
  private readonly engine: Engine;
  private readonly moves: readonly Move[];
  private readonly watched: readonly { readonly address: number; readonly mask: number }[];
  private readonly seen = new Set<number>();
  /** Moments to go on from, by what the logic is doing there: steps, outputs and what it remembers. */
  private readonly cells = new Map<number, { readonly entries: Entry[]; picked: number }>();
  private readonly coarse: readonly { readonly address: number; readonly mask: number }[];
  private readonly wanted: readonly { readonly location: Location; readonly value: Value }[];
  private judges: Judge[];
  private readonly assumed: readonly Judge[];
  private readonly found: Counterexample[] = [];
  private random: () => number;
  private faultsAtOnce: string | undefined;
  private scans = 0;
  private deepest = 0;

  /**
   * `plan` must have an image: the logic is without errors. With targets that look at power, `image` is the watched
   * build.
   */
  constructor(
    plan: ProofPlan,
    private readonly project: Project,
    private readonly options: SearchOptions,
    image = plan.image!,
  ) {
    this.engine = new Engine(image, { stepNs: options.stepNs, wires: plan.compiled.wires });
    this.random = generator(options.seed);
    this.moves = options.freeInputs ? inputsOf(project, this.engine) : movesOf(project, this.engine, options.upsets);
    // What tells one state from another: every BOOL and enumeration that is not the machine's own.
    this.watched = [...plan.image!.symbols.values()]
      .filter((s) => !s.isView && (isBool(s.type) || s.type.kind === 'enum') && !/^machine\b/i.test(s.name))
      .map((s) => ({ address: s.address, mask: s.bit === undefined ? 0xff : 1 << s.bit }));
    this.coarse = [...plan.image!.symbols.values()]
      .filter(
        (s) =>
          !s.isView &&
          (s.type.kind === 'enum' || (isBool(s.type) && s.section !== 'input' && !/^machine\b/i.test(s.name))),
      )
      .map((s) => ({ address: s.address, mask: s.bit === undefined ? 0xff : 1 << s.bit }));
    const isAssumed = (id: string) =>
      options.freeInputs === true && project.rules.some((r) => r.id === id && r.assumed);
    const judged = plan.rules.filter((r) => r.form && !r.problem);
    this.judges = options.targets
      ? [...options.targets]
      : judged
          .filter((r) => !isAssumed(r.id) && (!options.only || options.only.includes(r.id)))
          .map((r) => ruleTarget(r, options.stepNs));
    this.assumed = judged.filter((r) => isAssumed(r.id)).map((r) => ruleTarget(r, options.stepNs));
    this.wanted = (options.guide ?? []).slice(0, LONGEST_GUIDE).flatMap((g) => {
      const found = findPath(this.engine.image, g.path);
      return 'location' in found ? [{ location: found.location, value: g.value }] : [];
    });
    this.engine.restart();
    this.cells.set(this.hash(this.coarse) * (LONGEST_GUIDE + 1), {
      entries: [
        {
          snapshot: this.engine.snapshot(),
          script: [],
          judges: [...this.judges, ...this.assumed].map(() => [-1, false]),
          score: 0,
        },
      ],
      picked: 0,
    });
  }

  get state(): SearchState {
    return {
      scans: this.scans,
      states: this.seen.size,
      deepest: this.deepest,
      found: this.found,
      open: this.judges.map((j) => j.name),
      ...(this.faultsAtOnce === undefined ? {} : { faultsAtOnce: this.faultsAtOnce }),
    };
  }
  /** Nothing is left to look for, nothing can be done, or the first scan ends it all. */
  get isDone(): boolean {
    return !this.judges.length || this.faultsAtOnce !== undefined || (this.hasRested && !this.moves.length);
  }
  private hasRested = false;

  /** Goes on for about so many scans. */
  run(scans: number): SearchState {
    const until = this.scans + scans;
    if (!this.hasRested) this.rest();
    while (this.scans < until && !this.isDone && !this.options.isOver?.()) this.episode();
    return this.state;
  }

  /** First of all nothing is done: what breaks then needs no input. */
  private rest(): void {
    const { engine } = this;
    this.hasRested = true;
    engine.restart();
    const judges = this.judges.map((j) => j.fresh());
    for (let n = 0; n < Math.max(1, this.options.rest ?? AT_REST); n++) {
      const ok = engine.runScan();
      // Where nothing can be done this is all there is to look at; else it comes beside the search.
      if (!this.moves.length) this.scans++;
      if (!ok && n === 0) this.faultsAtOnce = engine.faultLine();
      for (const a of this.assumed) a.judge(engine);
      const isOutside = this.assumed.some((a) => a.failure);
      for (const a of this.assumed) a.failure = undefined;
      if (isOutside) return;
      for (const [i, j] of judges.entries()) {
        if (!j.failure) j.judge(engine);
        const mine = this.judges.find((x) => x.id === j.id);
        if (j.failure && mine && judges[i] === j) {
          mine.failure = j.failure;
          const at = this.engine.snapshot(),
            { fault } = engine;
          this.take(mine, []);
          engine.restore(at);
          engine.fault = fault;
        }
      }
      if (!ok || !this.judges.length || ((n & 15) === 0 && this.options.isOver?.())) return;
    }
  }

  private episode(): void {
    const { engine } = this;
    const from = this.pick();
    engine.restore(from.snapshot);
    [...this.judges, ...this.assumed].forEach((j, i) => j.resume(from.judges[i]!));
    const script = [...from.script];
    let next = engine.scan + this.wait();
    const end = engine.scan + LENGTH;
    while (engine.scan < end) {
      if (engine.scan >= next) {
        const m = this.moves[Math.floor(this.random() * this.moves.length)]!;
        const event: BenchEvent = {
          kind: m.forced ? 'force' : 'write',
          path: m.path,
          value: m.values[Math.floor(this.random() * m.values.length)]!,
        };
        script.push({ scan: engine.scan, event });
        performOn(engine, event);
        next = engine.scan + this.wait();
      }
      const ok = engine.runScan();
      this.scans++;
      if ((this.scans & 15) === 0 && this.options.isOver?.()) return;
      for (const a of this.assumed) a.judge(engine);
      const outside = this.assumed.filter((a) => a.failure);
      if (outside.length) {
        for (const a of outside) a.failure = undefined;
        return;
      }
      for (const j of this.judges) j.judge(engine);
      // Several may be found in one scan.
      const found = this.judges.filter((j) => j.failure);
      if (found.length) {
        for (const j of found) this.take(j, script);
        return;
      }
      if (!ok) return;
      if (engine.scan % LOOK === 0 && this.isNew()) {
        this.deepest = Math.max(this.deepest, engine.scan);
        this.remember(script);
      }
    }
  }

  /** Of three kinds of moments the one gone on from least often, and one of its moments. */
  private pick(): Entry {
    let list = [...this.cells.values()];
    if (this.wanted.length && this.random() < 0.5) {
      const most = Math.max(...list.map((c) => c.entries[0]!.score));
      list = list.filter((c) => c.entries[0]!.score === most);
    }
    let best = list[Math.floor(this.random() * list.length)]!;
    for (let i = 0; i < 2; i++) {
      const other = list[Math.floor(this.random() * list.length)]!;
      if (other.picked < best.picked) best = other;
    }
    best.picked++;
    return best.entries[Math.floor(this.random() * best.entries.length)]!;
  }

  private remember(script: readonly Recorded[]): void {
    const { engine } = this,
      score = this.wanted.filter((w) => readLocation(engine.view, w.location) === w.value).length,
      key = this.hash(this.coarse) * (LONGEST_GUIDE + 1) + score,
      cell = this.cells.get(key);
    const worst =
      cell && cell.entries.length >= KEPT
        ? cell.entries.reduce((a, b) => (b.script.length > a.script.length ? b : a))
        : undefined;
    // What took more doing than all that is kept is no better place to begin.
    if (worst && worst.script.length <= script.length) return;
    const entry: Entry = {
      snapshot: engine.snapshot(),
      script: [...script],
      judges: [...this.judges, ...this.assumed].map((j) => j.memory),
      score,
    };
    if (!cell) {
      if (this.cells.size < MOST_CELLS) this.cells.set(key, { entries: [entry], picked: 0 });
    } else if (worst) cell.entries[cell.entries.indexOf(worst)] = entry;
    else cell.entries.push(entry);
  }

  /** Scans until something is done again: often a few, now and then seconds. */
  private wait(): number {
    return Math.floor(10 ** (this.random() * 2.6));
  }

  private isNew(): boolean {
    const h = this.hash(this.watched);
    if (this.seen.has(h)) return false;
    this.seen.add(h);
    return true;
  }

  private hash(places: Search['watched']): number {
    let h = 2166136261;
    const { memory } = this.engine;
    for (const w of places) h = Math.imul(h ^ (memory[w.address]! & w.mask), 16777619);
    return h;
  }

  private take(j: Judge, script: readonly Recorded[]): void {
    const at = this.judges.indexOf(j);
    // It may have come long after the last thing that was done.
    const until = j.failure!.scan;
    const short = shorten(script, (s) => this.breaks(j, s, until));
    // Out of time nothing is tried any more: then it stays as it was found.
    const failure = this.breaks(j, short, until) ?? j.failure!;
    // The engine stands at the moment just now.
    this.found.push({
      rule: j.name,
      ruleId: j.id,
      scan: failure.scan,
      expected: failure.expected,
      seen: failure.seen,
      recording: short,
      rows: rowsThatExpect(
        this.project,
        this.engine.image,
        short,
        j.expects(this.engine),
        failure.scan,
        Number(this.options.stepNs) / 1e6,
      ),
      foundWith: script.length,
    });
    this.judges = this.judges.filter((x) => x !== j);
    for (const c of this.cells.values())
      c.entries.forEach((e, i) => {
        c.entries[i] = { ...e, judges: e.judges.filter((_, k) => k !== at) };
      });
  }

  /** Whether a script breaks a rule from a cold start, and how; it may come a little later than before. */
  private breaks(j: Judge, script: readonly Recorded[], until: number): Judge['failure'] {
    const { engine } = this,
      judge = j.fresh(),
      assumed = this.assumed.map((a) => a.fresh());
    engine.restart();
    const end = Math.max(until, (script[script.length - 1]?.scan ?? 0) + LENGTH);
    let i = 0;
    while (engine.scan < end) {
      for (; i < script.length && script[i]!.scan <= engine.scan; i++) performOn(engine, script[i]!.event);
      const ok = engine.runScan();
      for (const a of assumed) {
        a.judge(engine);
        if (a.failure) return undefined;
      }
      judge.judge(engine);
      if (judge.failure) return judge.failure;
      if (!ok || ((engine.scan & 15) === 0 && this.options.isOver?.())) return undefined;
    }
    return undefined;
  }
}

/** A script without anything that can be left out, and with everything as early and as round as it can be. */
export function shorten(script: readonly Recorded[], holds: (s: readonly Recorded[]) => unknown): readonly Recorded[] {
  let now = script;
  for (let size = Math.max(1, now.length >> 1); size >= 1; size = size > 1 ? size >> 1 : 0) {
    for (let i = 0; i < now.length;) {
      const without = [...now.slice(0, i), ...now.slice(i + size)];
      if (holds(without)) now = without;
      else i += size;
    }
  }
  // Gaps are closed, all that follows moves with them.
  for (let i = 0; i < now.length; i++) {
    const gap = now[i]!.scan - (now[i - 1]?.scan ?? 0);
    for (const to of [0, 1, 10, 50, 100, Math.ceil(gap / 4), Math.ceil(gap / 2)]) {
      if (to >= gap) break;
      const moved = now.map((e, k) => (k < i ? e : { ...e, scan: e.scan - (gap - to) }));
      if (holds(moved)) {
        now = moved;
        break;
      }
    }
  }
  return now;
}

/** What a person or fate may do: the panel, upsets, inputs that no device drives. */
function movesOf(project: Project, engine: Engine, upsets: boolean): readonly Move[] {
  const moves: Move[] = [];
  const both = [true, false] as const;
  const driven = new Set<string>();
  for (const d of project.machine.devices) {
    const kind = kindOf(project.machine, d.type);
    if (!kind) continue;
    for (const [t, to] of Object.entries(d.wires ?? {}))
      if (kind.terminals.some((x) => x.direction === 'out' && x.name.toLowerCase() === t.toLowerCase()))
        driven.add(to.toLowerCase());
    for (const h of kind.handles) {
      const path = `${MACHINE}.${d.name}.${h.name}`,
        low = Number(d.parameters?.['Low'] ?? 0),
        high = Number(d.parameters?.['High'] ?? 1000);
      // Panel work is twice as likely as the rest.
      const move = {
        path,
        values:
          h.type === 'number'
            ? [low, (low + high) / 2, high]
            : h.type === 'way'
              ? [-1n, 0n, 1n]
              : h.type === 'place'
                ? placeNames(d, kind).map((_, i) => BigInt(i + 1))
                : both,
      };
      moves.push(move, move);
    }
    // What gives nothing back (a lamp, a display) can do nothing to the logic.
    if (upsets && kind.terminals.some((t) => t.direction === 'out'))
      for (const u of kind.upsets) moves.push({ path: `${MACHINE}.${d.name}.${u.name}`, values: both });
  }
  const numbers = numbersIn(project);
  for (const t of project.tags) {
    // What no device drives anybody may give, and what may be written from outside anybody may write.
    const isFree = /^%I/i.test(t.address ?? '') && !driven.has(t.name.toLowerCase());
    if (!isFree && t.access !== 'write') continue;
    const found = findPath(engine.image, t.name);
    if ('location' in found)
      moves.push(...valuesOf(found.location.type, numbers, tagLimits(t)).map((values) => ({ path: t.name, values })));
  }
  return moves.filter((m) => 'location' in findPath(engine.image, m.path));
}

/** Numbers that the logic and the rules speak of: what an input has to be, or to pass, to make a difference. */
function numbersIn(project: Project): readonly number[] {
  const texts = [
    ...project.pous.flatMap((p) => (p.language === 'LD' ? p.rungs.map((r) => r.line) : [p.text])),
    ...project.rules.map((r) => r.sentence),
  ];
  const all = texts.flatMap((t) =>
    [...t.matchAll(/-?(?<![\w#%.])\d[\d_]*(?:\.\d+)?(?![\w#.])/g)].flatMap((m) => {
      const x = Number(m[0].replaceAll('_', ''));
      return x < 0 ? [x, -x] : [x];
    }),
  );
  return [...new Set(all.filter(Number.isFinite))].sort((a, b) => a - b).slice(0, MOST_NUMBERS);
}
const MOST_NUMBERS = 40;

/**
 * Values to try for an input, within its type and limits: its ends and middle, and below, at and above each number that
 * the logic speaks of; nothing for what is no elementary value.
 */
function valuesOf(
  type: Type,
  numbers: readonly number[],
  limits?: { readonly low: number; readonly high: number },
): readonly Move['values'][] {
  const base = baseOf(type);
  if (base === undefined) return [];
  if (isBool(type)) return [[true, false]];
  if (type.kind === 'enum') return [type.values.map((v) => v.value)];
  if (isReal(type)) {
    const list = limits ? [limits.low, (limits.low + limits.high) / 2, limits.high] : [0, 0.1, 1, 2.5, 10, 100, 1000];
    return [
      [...new Set([...list, ...numbers.flatMap((x) => [x * 0.99, x, x * 1.01])])].filter(
        (x) => !limits || (x >= limits.low && x <= limits.high),
      ),
    ];
  }
  const { low, high } =
    type.kind === 'subrange'
      ? type
      : isInteger(type) || isBits(type) || isTime(type)
        ? rangeOf(base)
        : { low: 0n, high: -1n };
  const least = limits && BigInt(Math.ceil(limits.low)) > low ? BigInt(Math.ceil(limits.low)) : low,
    most = limits && BigInt(Math.floor(limits.high)) < high ? BigInt(Math.floor(limits.high)) : high;
  const list = [
    ...(limits ? [least, (least + most) / 2n, most] : [0n, 1n, 2n, 10n, 100n]),
    ...numbers.filter(Number.isInteger).flatMap((x) => [BigInt(x) - 1n, BigInt(x), BigInt(x) + 1n]),
  ];
  const inside = [...new Set(list)].filter((x) => x >= least && x <= most);
  return inside.length ? [inside] : [];
}

/** Every input of the logic and everything that may be written from outside, to be anything. */
function inputsOf(project: Project, engine: Engine): readonly Move[] {
  const numbers = numbersIn(project),
    writable = new Set(project.tags.filter((t) => t.access === 'write').map((t) => t.name.toLowerCase()));
  const moves = [...engine.image.symbols.values()].flatMap((s): Move[] => {
    const isInput = s.section === 'input' && !s.isView;
    if (!isInput && !writable.has(s.name.toLowerCase())) return [];
    // What is written from outside the logic may write too; an input is as it is given.
    return valuesOf(s.type, numbers).map((values) => ({ path: s.name, forced: isInput, values }));
  });
  const set = givenTags(engine.image).map(({ path }): Move => ({ path, forced: true, values: [false, true] }));
  return [...moves, ...set];
}

/** Random numbers from 0 to 1 that depend on the seed alone (mulberry32). */
export function generator(seed: number): () => number {
  let a = seed >>> 0;
  return () => {
    a = (a + 0x6d2b79f5) >>> 0;
    let t = Math.imul(a ^ (a >>> 15), a | 1);
    t ^= t + Math.imul(t ^ (t >>> 7), t | 61);
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
  };
}
