/** Where and when the bench stops: places, changes, conditions, a goal to run to, a moment that is looked for. */
import { type Engine, type Halt, type Stops, findPath, formatValue, readLocation } from '@ferrule/core/bench';
import { positionOf } from '@ferrule/core/language';
import { parseSpan } from '@ferrule/core/verify';
import { wordsOfSpan } from './answers.js';
import type { Loaded, Wishes } from './loaded.js';
import type { BenchFrame, FromBench, StopPoint, ToBench } from './protocol.js';

/** `Run until` gives up after this much simulated time. */
const LONGEST_MS = 3_600_000;

export class Stopping implements Wishes {
  /** Why the run stopped. */
  stopped: BenchFrame['stopped'];
  /** What the run goes on to, as fast as it goes: a condition, or a scan. */
  goal: { readonly words: string; readonly text?: string; readonly scan: number } | undefined;
  /** The scope waits for a condition, or it came after a scan. */
  trigger:
    { readonly text: string; readonly before: number; readonly each: boolean; readonly fired?: number } | undefined;
  /** A moment that is looked for. */
  search: { readonly text: string; readonly direction: 1 | -1; at: number } | undefined;
  /** Conditions that somebody looks at. */
  lookedAt: readonly string[] = [];
  private stops: readonly StopPoint[] = [];
  /** Values at the scan before, for stops on change and on conditions. */
  private readonly before = new Map<string, { readonly scan: number; readonly value: unknown }>();

  constructor(
    /** What is loaded, once it is there: it asks for the conditions of here. */
    private readonly loaded: () => Loaded,
    private readonly post: (m: FromBench) => void,
  ) {}

  conditions(): readonly string[] {
    return [
      ...this.lookedAt,
      ...this.stops.flatMap((s) => (s.isOn && s.condition ? [s.condition] : [])),
      ...(this.goal?.text ? [this.goal.text] : []),
      ...(this.trigger ? [this.trigger.text] : []),
      ...(this.search ? [this.search.text] : []),
    ];
  }
  problems(of: ReadonlyMap<string, string>): void {
    this.post({
      kind: 'stopProblems',
      problems: Object.fromEntries(
        this.stops.flatMap((s) => (s.condition && of.has(s.condition) ? [[s.id, of.get(s.condition)!]] : [])),
      ),
    });
    const wanted = this.goal?.text ?? this.search?.text;
    if (wanted !== undefined && of.has(wanted)) {
      this.post({ kind: 'refused', message: of.get(wanted)! });
      this.goal = this.search = undefined;
    }
  }

  /** Another project: nothing of what was asked of the one before is meant. The points to stop at are told with it. */
  forget(): void {
    this.goal = this.search = this.stopped = this.trigger = undefined;
  }
  /** Time began anew: nothing was seen before. */
  seeAnew(): void {
    this.before.clear();
  }

  setStops(stops: readonly StopPoint[]): void {
    this.stops = stops;
    this.before.clear();
    this.loaded().newConditions();
  }
  setTrigger(c: Extract<ToBench, { kind: 'trigger' }>): void {
    this.trigger = c.text ? { text: c.text, before: c.before, each: c.each } : undefined;
    this.before.delete('trigger');
    this.loaded().newConditions();
  }
  setLookedAt(texts: readonly string[]): void {
    this.lookedAt = texts;
    this.loaded().newConditions();
  }

  /** Sets a goal: a condition, or a length of time. Returns whether there is one to run to. */
  runUntil(text: string): boolean {
    const { history } = this.loaded();
    if (!history) return false;
    const { scanMs } = this.loaded(),
      t = text.trim(),
      span = parseSpan(t.replace(/^\+/, ''));
    this.stopped = undefined;
    if ('value' in span && !/^\d+$/.test(t))
      this.goal = {
        words: t,
        scan:
          history.now + ('scans' in span.value ? span.value.scans : Math.ceil(Number(span.value.ns) / 1e6 / scanMs)),
      };
    else this.goal = { words: t, text: t, scan: history.now + Math.ceil(LONGEST_MS / scanMs) };
    this.loaded().newConditions();
    return this.goal !== undefined;
  }

  /** Looks from the moment shown for the nearest at which a condition begins to hold. */
  find(text: string, direction: 1 | -1): void {
    const { history } = this.loaded();
    this.search = history && { text: text.trim(), direction, at: history.now };
    this.loaded().newConditions();
  }
  /** Goes on with that for `budgetMs`; true when it came to an end, and the bench stands there. */
  searchOn(budgetMs: number): boolean {
    const { search } = this,
      loaded = this.loaded(),
      { history } = loaded;
    if (!search || !history) return false;
    const { text, direction } = search;
    if (!loaded.knows(text)) {
      this.search = undefined;
      return false;
    }
    const until = performance.now() + budgetMs;
    while (performance.now() < until) {
      const r = history.past.find(search.at, direction, (e) => loaded.holds(text, e), 4096);
      if (r.found !== undefined || r.next === undefined) {
        this.search = undefined;
        if (r.found !== undefined) history.goTo(r.found);
        this.stopped = {
          words:
            r.found !== undefined
              ? `${text} came true`
              : `${text} did not come true ${direction > 0 ? 'after' : 'before'} this moment`,
        };
        return true;
      }
      search.at = r.next;
    }
    return false;
  }

  /** True when a value differs from the one a scan ago; a jump in time is no change. */
  private changed(key: string, scan: number, value: unknown): boolean {
    const b = this.before.get(key);
    this.before.set(key, { scan, value });
    return b?.scan === scan - 1 && !Object.is(b.value, value);
  }
  private hit(stop: string | undefined, words: string): true {
    this.stopped = { ...(stop ? { stop } : {}), words };
    return true;
  }
  private get waits(): boolean {
    const t = this.trigger;
    return t !== undefined && this.loaded().knows(t.text) && (t.each || t.fired === undefined);
  }

  /** What the scans to come are watched for; undefined when for nothing. */
  now(): Stops | undefined {
    const loaded = this.loaded(),
      on = this.stops.filter((s) => s.isOn && !(s.condition && !loaded.knows(s.condition)));
    const places = on.filter((s) => s.kind === 'rung' || s.kind === 'line'),
      others = on.filter((s) => s.kind === 'change' || s.kind === 'condition');
    const until = this.goal;
    if (!places.length && !others.length && !until && !this.waits) return undefined;
    return {
      ...(places.length
        ? {
            mayHave: (e: Engine) =>
              places.some((s) => {
                const p = s.rung && e.image.probes.get(s.rung);
                return s.kind === 'line' || (p && e.view.getUint32(p.address, true) !== 0);
              }),
            at: (h: Halt, e: Engine) => {
              const s = places.find((x) => isThere(x, h) && (!x.condition || loaded.holds(x.condition, e)));
              return s ? this.hit(s.id, `Stopped before ${wordsOfSpan(h.at!)}`) : false;
            },
          }
        : {}),
      after: (e: Engine) => {
        for (const s of others) if (this.stopsAt(s, e)) return true;
        this.pullTrigger(e);
        return until !== undefined && this.reaches(until, e);
      },
    };
  }

  /** A stop on a change or a condition, after a scan. */
  private stopsAt(s: StopPoint, e: Engine): boolean {
    if (s.kind === 'condition') {
      const is = this.loaded().holds(s.condition!, e);
      return this.changed(s.id, e.scan, is) && is && this.hit(s.id, `${s.condition} came true`);
    }
    const f = findPath(e.image, s.path!);
    if (!('location' in f)) return false;
    const v = readLocation(e.view, f.location);
    const words = typeof v === 'boolean' ? (v ? 'came on' : 'went off') : `became ${formatValue(f.location.type, v)}`;
    return this.changed(s.id, e.scan, v) && this.hit(s.id, `${s.path} ${words}`);
  }
  private pullTrigger(e: Engine): void {
    const t = this.trigger;
    if (!t || !this.waits) return;
    const is = this.loaded().holds(t.text, e);
    if (this.changed('trigger', e.scan, is) && is) this.trigger = { ...t, fired: e.scan };
  }
  private reaches(goal: NonNullable<Stopping['goal']>, e: Engine): boolean {
    if (goal.text !== undefined && this.loaded().holds(goal.text, e)) {
      this.goal = undefined;
      return this.hit(undefined, `${goal.words} holds`);
    }
    if (e.scan < goal.scan) return false;
    this.goal = undefined;
    return this.hit(
      undefined,
      goal.text === undefined
        ? `${goal.words} done`
        : `${goal.words} did not come true within an hour of simulated time`,
    );
  }
}

/** Whether the program stands before the place of a stop. */
function isThere(s: StopPoint, h: Halt): boolean {
  const o = h.at?.source.origin;
  return s.kind === 'rung'
    ? o?.kind === 'rung' && o.rungId === s.rung
    : o?.kind === 'pou' && o.id === s.pou && positionOf(h.at!.source, h.at!.start).line === s.line;
}
