import { Worker } from 'node:worker_threads';
import { afterEach, describe, expect, it, vi } from 'vitest';
import { Bell } from './bell.js';

const sleeps = (bell: Bell, waitMs: number | undefined, quietMs: number, count = bell.count): Promise<string> => {
  // Another thread sleeps as `Bell.sleep` does, for a thread of tests may not.
  let slept: readonly unknown[] = [];
  const wait = vi.spyOn(Atomics, 'wait').mockImplementation((...a: readonly unknown[]) => {
    slept = a.slice(1);
    return 'ok';
  });
  bell.sleep(count, waitMs, quietMs);
  wait.mockRestore();
  const thread = new Worker(
    `const { parentPort, workerData: { shared, slept } } = require('node:worker_threads');
     parentPort.postMessage('asleep');
     parentPort.postMessage(Atomics.wait(new Int32Array(shared, 0, 1), ...slept));`,
    { eval: true, workerData: { shared: bell.shared, slept } },
  );
  return new Promise((resolve, reject) => {
    thread.on('message', (m: string) => {
      if (m !== 'asleep') resolve(m);
    });
    thread.once('error', reject);
  });
};

describe('the bell of the scan’s thread', () => {
  afterEach(() => vi.restoreAllMocks());

  it('ends a sleep, also one that begins behind it', async () => {
    const bell = new Bell(),
      before = bell.count,
      asleep = sleeps(bell, undefined, 0);
    await new Promise((r) => setTimeout(r, 100));
    bell.ring();
    expect(['ok', 'not-equal']).toContain(await asleep);
    expect(await sleeps(bell, undefined, 0, before)).toBe('not-equal');
  });
  it('is not rung right before a scan; what was asked is seen behind it', async () => {
    const bell = new Bell(),
      rung = vi.spyOn(Atomics, 'notify'),
      { count } = bell;
    // Of 400 ms the last 10 s are quiet: all of it.
    const asleep = sleeps(bell, 400, 10_000);
    await new Promise((r) => setTimeout(r, 100));
    bell.ring();
    expect(rung).not.toHaveBeenCalled();
    expect(['timed-out', 'not-equal']).toContain(await asleep);
    expect(bell.count).toBe(count + 1);
    // The next sleep begins with much time to the scan.
    const next = sleeps(bell, 60_000, 5);
    bell.ring();
    expect(rung).toHaveBeenCalledTimes(1);
    expect(['ok', 'not-equal']).toContain(await next);
  });
});
