/**
 * The bell between who asks the scan's thread for something and that thread. It is not rung right before a scan: nothing
 * would be taken then (`ScanServer.hasRoom`), and a thread that is woken has to wait for the one that wakes it to let go
 * of a lock that all threads of the process share. Where that one loses its core first, which it does to the woken one
 * where that has priority, others of its own priority may come before it, some 3 ms, and the scan would be that late.
 */
import { clockMs } from './clock.js';

export class Bell {
  /** Counts what was asked: a change of it wakes the thread. */
  private readonly asked: Int32Array;
  /** Until when it is rung, in µs of the clock that the threads share. */
  private readonly rungUntil: BigInt64Array;

  /** `shared` is the other side's, where there is one. */
  constructor(readonly shared = new SharedArrayBuffer(16)) {
    this.asked = new Int32Array(shared, 0, 1);
    this.rungUntil = new BigInt64Array(shared, 8, 1);
  }

  /** Says that something was asked. */
  ring(): void {
    Atomics.add(this.asked, 0, 1);
    if (BigInt(Math.round(clockMs() * 1000)) < Atomics.load(this.rungUntil, 0)) Atomics.notify(this.asked, 0);
  }

  /** How often something was asked so far, for `sleep`. */
  get count(): number {
    return Atomics.load(this.asked, 0);
  }

  /**
   * Sleeps `waitMs`, or until something is asked; not at all where more was asked than `count`. The last `quietMs` of it
   * nobody wakes. Without `waitMs` only what is asked ends it.
   */
  sleep(count: number, waitMs: number | undefined, quietMs: number): void {
    Atomics.store(
      this.rungUntil,
      0,
      waitMs === undefined ? 2n ** 62n : BigInt(Math.round((clockMs() + waitMs - quietMs) * 1000)),
    );
    Atomics.wait(this.asked, 0, count, waitMs ?? Infinity);
  }
}
