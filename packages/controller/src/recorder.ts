/**
 * Always records the last minutes: a key snapshot now and then, and everything that came from outside, scan by scan.
 * What the machine model gives follows from that. The ring is bounded in time and in bytes; a line of it ends where the
 * logic begins anew, and before a scan that faults.
 */
import type { BenchEvent, Engine, Snapshot } from '@ferrule/core/bench';

/** A stretch that can be played again: where it begins, what came, where it ends. */
export interface Stretch {
  readonly first: Snapshot;
  readonly events: readonly { readonly scan: number; readonly event: BenchEvent }[];
  /** Scans done at its end. */
  readonly end: number;
}

const LONGEST_NS = 600_000_000_000n,
  KEYS_A_MINUTE = 6,
  /** Bytes of all key snapshots. */ MOST_BYTES = 48 * 1024 * 1024,
  MOST_EVENTS = 200_000;

export class Recorder {
  private engine: Engine | undefined;
  private keys: Snapshot[] = [];
  private events: { scan: number; event: BenchEvent }[] = [];
  private every = 1;
  private most = 1;

  /** From here on another line: what was recorded before is of other logic or another start. */
  begin(engine: Engine): void {
    this.engine = engine;
    this.events = [];
    this.keys = [engine.snapshot()];
    const scansAMinute = Number(60_000_000_000n / engine.stepNs) || 1;
    this.every = Math.max(1, Math.round(scansAMinute / KEYS_A_MINUTE));
    this.most = Math.max(
      2,
      Math.min(
        Math.ceil(Number(LONGEST_NS / engine.stepNs) / this.every),
        Math.floor(MOST_BYTES / Math.max(1, engine.image.stateSize)),
      ),
    );
  }
  /** The same logic in another engine: the line goes on. */
  goOn(engine: Engine): void {
    if (this.engine) this.engine = engine;
  }
  /** Nothing is recorded: the logic rests. What was recorded can still be taken. */
  pause(): void {
    this.engine = undefined;
  }

  /** Something from outside, before the scan that comes. */
  note(event: BenchEvent): void {
    if (this.engine) this.events.push({ scan: this.engine.scan, event });
  }

  /** After each scan that was done. */
  scanned(): void {
    const { engine } = this;
    if (!engine || engine.scan % this.every) return;
    this.keys.push(engine.snapshot());
    if (this.keys.length <= this.most && this.events.length <= MOST_EVENTS) return;
    this.keys.shift();
    const from = this.keys[0]!.scan,
      keep = this.events.findIndex((e) => e.scan >= from);
    this.events = keep < 0 ? [] : this.events.slice(keep);
  }

  /**
   * The last scans up to `end`, at least `scans` of them where there are so many; undefined where nothing was recorded.
   */
  take(end: number, scans = Infinity): Stretch | undefined {
    const first = this.keys.findLast((k) => k.scan <= end - scans) ?? this.keys[0];
    if (!first || first.scan > end) return undefined;
    return { first, end, events: this.events.filter((e) => e.scan >= first.scan && e.scan <= end) };
  }
}
