/**
 * The bench: owns the engine and its history, runs simulated time against the clock, sends only what is looked at.
 * Knows neither a page nor a worker: it is given messages and turns, and says what it has to say to whoever listens
 * (`bench/worker.ts` in the page). Its parts: what is loaded and compiled (`loaded.ts`), what is done to it by hand
 * (`hands.ts`), where it stops (`stopping.ts`), what the scope is shown (`scope-feed.ts`), other programs (`outside.ts`,
 * `linked.ts`), questions (`answers.ts`).
 *
 * In the page the bench worker owns the engine, is handed what changed of the project (`core/document/delta.ts`: what
 * did not change is the same object there too) and sends frames with the values and rungs that something on screen
 * looks at (`bench/live.ts`), at a calm rate by itself and at once after whatever is done by hand; what was checked is
 * told as what changed of it; the controller's live link has the same shape, so rungs and panel are the same
 * components for both. The document store applies edits at once, keeps them in local storage until the server has them
 * (each window at a place of its own, which the next window takes over when it is gone: `document/unsent.ts`), and
 * undoes them by their inverses. Windows of one browser tell each other what was saved (`document/other-windows.ts`):
 * one that holds nothing of its own follows, one that does is asked whose goes on top.
 */
import { type FrameRequest, type History, frameOf } from '@ferrule/core/bench';
import { chanceUpset, upsetsOf } from '@ferrule/core/machine';
import { answer, placeOfSpan, wordsOfSpan } from './answers.js';
import { Hands } from './hands.js';
import { Linked } from './linked.js';
import { Loaded } from './loaded.js';
import { Outside } from './outside.js';
import type { BenchFrame, EventText, FromBench, ToBench } from './protocol.js';
import { ScopeFeed } from './scope-feed.js';
import { Stopping } from './stopping.js';

/** A turn of the bench, ms: a moving picture is drawn so often. */
export const FRAME_MS = 16;
const /**
   * Values, rungs and scope are drawn so often, ms, as a person can follow them; what is done by hand is seen at once.
   */
  CALM_MS = 60,
  /** Computed at most in a turn, ms. */ BUDGET_MS = 11,
  /** What the clock went on at most between two turns, ms: a page that slept does not catch up. */ MOST_ELAPSED_MS = 250;

export class Bench {
  private readonly stopping: Stopping;
  private readonly loaded: Loaded;
  private readonly hands: Hands;
  private readonly scope: ScopeFeed;
  private readonly outside: Outside;
  private readonly linked: Linked;
  private request: FrameRequest = { paths: [], rungs: [] };
  private running = true;
  private speed = 1;
  /** Simulated time that the clock has gone ahead of the scans, ms. */
  private owed = 0;
  private last: number;
  /** Scans done and since when, to tell the speed reached. */
  private pace: { at: number; scans: number; reached: number };
  /** Upsets at random: turns of so many scans, and the turn that is filed next. */
  private chance:
    { readonly seed: number; readonly everyMs: number; readonly upsets: readonly string[]; turn: number } | undefined;
  private dirty = true;
  /** Something was asked or done by hand since the last frame. */
  private isAwaited = false;
  /** A moving picture is looked at. */
  private isMoving = false;
  private lastFrame = 0;

  /** @param clock real time, ms: simulated time runs against it */
  constructor(
    private readonly post: (m: FromBench) => void,
    private readonly clock: () => number = () => performance.now(),
  ) {
    this.stopping = new Stopping(() => this.loaded, post);
    this.loaded = new Loaded(post, this.stopping);
    this.hands = new Hands(this.loaded, post);
    this.scope = new ScopeFeed(this.loaded, post);
    this.outside = new Outside(post);
    this.linked = new Linked(post);
    this.last = clock();
    this.pace = { at: this.last, scans: 0, reached: 0 };
  }

  private get history(): History | undefined {
    return this.loaded.history;
  }

  /** One message of the page. What it changes is seen with the next turn. */
  take(c: ToBench): void {
    this.scope.isDue = true;
    this.dirty = true;
    this.isAwaited = true;
    const { history, stopping, hands, loaded } = this;
    switch (c.kind) {
      case 'project':
        if (c.fresh) {
          stopping.forget();
          this.chance = undefined;
        }
        loaded.take(c);
        if (loaded.latest!.compiled.canRun) this.scope.bind();
        break;
      case 'look':
        this.request = c.request;
        break;
      case 'motion':
        this.isMoving = c.isMoving;
        break;
      case 'scope':
        this.scope.look(c.view);
        break;
      case 'play':
        this.play(c.running);
        break;
      case 'speed':
        this.speed = c.factor;
        this.owed = 0;
        break;
      case 'step':
        this.standStill();
        if (history && c.scans > 0) {
          this.linked.before(history);
          history.run(c.scans);
        } else if (history?.isInside) history.goTo(history.now);
        else history?.goTo(Math.max(history.start, history.now + c.scans));
        break;
      case 'stepInside':
        this.standStill();
        history?.stepInside(c.unit, c.direction);
        break;
      case 'goTo':
        this.standStill();
        history?.goTo(Math.max(c.scan, history.start));
        break;
      case 'goBy':
        this.standStill();
        history?.goTo(Math.max(history.start, history.now + c.scans));
        break;
      case 'restart':
        stopping.stopped = stopping.goal = undefined;
        history?.restart(c.warm ? 'warm' : 'cold');
        stopping.seeAnew();
        break;
      case 'until':
        if (stopping.runUntil(c.text)) this.play(true);
        break;
      case 'conditions':
        stopping.setLookedAt(c.texts);
        break;
      case 'stops':
        stopping.setStops(c.stops);
        break;
      case 'find':
        this.standStill();
        stopping.find(c.text, c.direction);
        break;
      case 'trigger':
        stopping.setTrigger(c);
        break;
      case 'line':
        this.play(false);
        history?.switchTo(c.id);
        break;
      case 'dropLine':
        history?.dropLine(c.id);
        break;
      case 'branch':
        history?.branch();
        break;
      case 'event':
        if ('letGo' in c.event && c.event.letGo) hands.letGo(c.event);
        else if (!hands.letGoLater(c.event)) this.apply([c.event]);
        break;
      case 'events':
        this.apply(c.events);
        break;
      case 'outside':
        this.outside.open(c.isOn);
        break;
      case 'link':
        this.linked.open(c.isOn, history);
        break;
      case 'linkInputs':
        this.linked.take(c.values, c.isLost);
        break;
      case 'outsideWrite':
        hands.writeFromOutside(c);
        break;
      case 'pulse':
        if (hands.pulse(c)) stopping.stopped = undefined;
        break;
      case 'ramp':
        if (hands.ramp(c)) stopping.stopped = undefined;
        break;
      case 'chance':
        this.chance =
          c.everyMs > 0 && loaded.latest && history
            ? {
                seed: c.seed,
                everyMs: c.everyMs,
                upsets: upsetsOf(loaded.latest.project),
                turn: Math.ceil(history.now / this.turnScans(c.everyMs)),
              }
            : undefined;
        break;
      case 'stand':
        if (!history) break;
        this.play(false);
        hands.stand(c);
        break;
      case 'ask':
        this.post({ kind: 'answer', id: c.id, answer: answer(c.ask, loaded.latest) });
        break;
    }
  }

  /** What is done by hand goes on from where the bench stands: it has not stopped any more. */
  private apply(events: readonly EventText[]): void {
    if (this.hands.apply(events)) this.stopping.stopped = undefined;
  }
  private play(on: boolean): void {
    this.running = on;
    this.owed = 0;
    this.last = this.clock();
    this.pace = { at: this.last, scans: 0, reached: 0 };
    if (on) this.stopping.stopped = undefined;
    else this.stopping.goal = undefined;
  }
  private standStill(): void {
    this.play(false);
    this.stopping.stopped = undefined;
  }

  /** One turn: the scans that the clock asks for, then what is due of what is looked at. True where the next is due at once. */
  turn(): boolean {
    this.advance(this.clock());
    if (this.stopping.searchOn(BUDGET_MS)) this.dirty = true;
    this.tellOutside();
    const now = this.clock();
    if (now - this.lastFrame >= (this.isAwaited || this.isMoving ? FRAME_MS : CALM_MS) - 1) {
      this.isAwaited = false;
      if (this.dirty) {
        this.scope.isDue = true;
        this.dirty = false;
        this.send();
        this.lastFrame = now;
      }
      if (this.scope.isDue) {
        this.scope.send();
        this.lastFrame = now;
      }
    }
    const { goal, search } = this.stopping;
    return (this.running && (this.speed === Infinity || goal !== undefined)) || search !== undefined;
  }

  private advance(now: number): void {
    const elapsed = Math.min(now - this.last, MOST_ELAPSED_MS),
      { history, stopping } = this;
    this.last = now;
    if (!this.running || !history || history.engine.fault) return;
    const ms = this.loaded.scanMs,
      asFast = stopping.goal !== undefined || this.speed === Infinity;
    this.owed = asFast ? Infinity : this.owed + elapsed * this.speed;
    const until = performance.now() + BUDGET_MS,
      where = stopping.now();
    if (this.owed >= ms) this.linked.before(history);
    while (this.owed >= ms) {
      const batch = asFast ? 400 : Math.min(Math.floor(this.owed / ms), 50);
      this.takeChances(history, batch);
      const wasInside = history.isInside,
        scan = history.now;
      const done = history.run(batch, where);
      this.pace.scans += done;
      this.owed -= done * ms;
      this.dirty ||= done > 0;
      if (
        stopping.stopped ||
        history.engine.fault ||
        (done < batch && !wasInside) ||
        (wasInside && history.isInside && history.now === scan)
      ) {
        this.running = false;
        stopping.goal = undefined;
        this.dirty = true;
        break;
      }
      // Asked for more than this machine gives: simulated time simply goes slower.
      if (performance.now() > until) {
        if (!asFast) this.owed = 0;
        break;
      }
    }
    if (asFast) this.owed = 0;
    const { pace } = this;
    if (now - pace.at > 1000) this.pace = { at: now, scans: 0, reached: (pace.scans * ms) / (now - pace.at) };
  }

  private turnScans(everyMs: number): number {
    return Math.max(4, Math.round(everyMs / this.loaded.scanMs));
  }
  /** Files what goes wrong in the turns that begin within the next scans. */
  private takeChances(h: History, batch: number): void {
    const { chance } = this;
    if (!chance) return;
    const scans = this.turnScans(chance.everyMs);
    // Going on from the past begins with the turn that comes next there.
    chance.turn = Math.min(chance.turn, Math.ceil(h.now / scans));
    for (; chance.turn * scans < h.now + batch; chance.turn++) {
      const u = chanceUpset(chance.upsets, chance.seed, chance.turn, scans),
        at = chance.turn * scans - h.now;
      if (!u || at < 0) continue;
      const on = this.hands.eventOf({ kind: 'write', path: u.path, value: '1' }),
        off = this.hands.eventOf({ kind: 'write', path: u.path, value: '0' });
      if (typeof on === 'string' || typeof off === 'string') continue;
      h.schedule(at + u.from, on);
      h.schedule(at + u.from + u.lasts, off);
    }
  }

  private tellOutside(): void {
    const { history, loaded } = this,
      known = history && loaded.sourceOf(history.engine.image);
    if (!history || !known) {
      this.outside.nothing();
      return;
    }
    const { engine } = history;
    this.outside.tell(
      engine.memory,
      engine.image,
      known.project,
      engine.fault ? 'fault' : this.running ? 'run' : 'paused',
      loaded.scanMs,
    );
    this.linked.after(history, known.compiled, known.project, loaded.scanMs);
  }

  private send(): void {
    const h = this.history;
    if (!h) return;
    const { scanMs, generation } = this.loaded,
      { stopped, trigger, goal, search } = this.stopping,
      { chance, speed } = this;
    const frame = frameOf(h.engine, this.request),
      { halt } = h,
      callers = h
        .callPath()
        .slice(0, -1)
        .map((s) => ({ words: wordsOfSpan(s), ...placeOfSpan(s) }));
    this.post({
      kind: 'frame',
      frame: {
        ...frame,
        power: h.isEarlierLogic ? this.sameRungs(h, frame.power) : frame.power,
        scan: h.now,
        timeMs: h.now * scanMs,
        running: this.running && !h.engine.fault,
        speed,
        reached: this.running ? this.pace.reached : 0,
        start: h.start,
        end: h.end,
        scanMs,
        lines: h.lines(),
        seams: h.seams(),
        isEarlierLogic: h.isEarlierLogic,
        generation,
        ...(halt?.at
          ? { inside: { words: wordsOfSpan(halt.at), ...placeOfSpan(halt.at), callers, step: h.step } }
          : {}),
        ...(stopped ? { stopped } : {}),
        ...(trigger
          ? {
              trigger: {
                text: trigger.text,
                before: trigger.before,
                ...(trigger.fired !== undefined ? { fired: trigger.fired } : {}),
              },
            }
          : {}),
        ...(chance ? { chance: { seed: chance.seed, everyMs: chance.everyMs } } : {}),
        ...(goal ? { goal: goal.words } : search ? { goal: `looking for ${search.text}` } : {}),
      },
    });
  }
  /** Power of those rungs that are today what they were when the scan shown was run. */
  private sameRungs(h: History, power: BenchFrame['power']): BenchFrame['power'] {
    const then = this.loaded.sourceOf(h.engine.image)?.compiled,
      now = this.loaded.latest?.compiled;
    return Object.fromEntries(
      Object.entries(power).filter(
        ([id]) => id.startsWith('@') || then?.rungs.get(id)?.source.text === now?.rungs.get(id)?.source.text,
      ),
    );
  }
}
