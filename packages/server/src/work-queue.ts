/**
 * Work for threads of their own: so much at once, the rest in turn, no more waiting than a bound, and none for who has
 * left.
 */
import { problem } from './problem.js';

export class WorkQueue {
  private running = 0;
  private readonly waiting: { readonly begin: () => void; readonly told: (before: number) => void }[] = [];

  /** `atOnce` and `mostWaiting` in pieces of work. */
  constructor(
    private readonly atOnce: number,
    private readonly mostWaiting: number,
  ) {}

  get counts(): { readonly running: number; readonly waiting: number } {
    return { running: this.running, waiting: this.waiting.length };
  }

  /**
   * Does the work when its turn comes. Rejects with BUSY where too much waits, and with the signal's reason where that
   * comes first. `waits` hears how many are before it, whenever that changes.
   */
  async run<T>(
    work: () => Promise<T>,
    signal?: AbortSignal,
    waits: (before: number) => void = () => undefined,
  ): Promise<T> {
    signal?.throwIfAborted();
    if (this.running >= this.atOnce) {
      if (this.waiting.length >= this.mostWaiting)
        throw problem(
          'BUSY',
          `As much as can be at once is being proved or played, and ${this.waiting.length} more wait already; try again when some are done.`,
        );
      await this.turn(signal, waits);
    } else this.running++;
    try {
      return await work();
    } finally {
      this.running--;
      this.next();
    }
  }

  private turn(signal: AbortSignal | undefined, told: (before: number) => void): Promise<void> {
    return new Promise((resolve, reject) => {
      const place = {
        told,
        begin: () => {
          signal?.removeEventListener('abort', leave);
          this.running++;
          resolve();
        },
      };
      const leave = () => {
        this.waiting.splice(this.waiting.indexOf(place), 1);
        this.tell();
        reject(signal!.reason as Error);
      };
      signal?.addEventListener('abort', leave, { once: true });
      this.waiting.push(place);
      told(this.running + this.waiting.length - 1);
    });
  }
  private next(): void {
    this.waiting.shift()?.begin();
    this.tell();
  }
  private tell(): void {
    for (const [i, w] of this.waiting.entries()) w.told(this.running + i);
  }
}
