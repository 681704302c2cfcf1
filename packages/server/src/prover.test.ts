/**
 * Work in threads: so much at once, in turn, ended when nobody waits for it. The threads here do what they are told.
 */
import { describe, expect, it } from 'vitest';
import type { Project } from '@ferrule/core/document';
import { type ProofMessage, workerProver } from './prover.js';
import { WorkQueue } from './work-queue.js';

const thread = (text: string) =>
  new URL(
    `data:text/javascript,${encodeURIComponent(`import { parentPort, workerData } from 'node:worker_threads'; ${text}`)}`,
  );
/** Says when it begins, waits, and answers; `name` says what it does otherwise. */
const WORK = thread(`
  const { name, shared } = workerData.project, count = new Int32Array(shared);
  const now = Atomics.add(count, 0, 1) + 1;
  for (;;) { const most = Atomics.load(count, 1); if (now <= most || Atomics.compareExchange(count, 1, most, now) === most) break; }
  Atomics.add(count, 2, 1);
  if (name === 'dies') process.exit(3);
  if (name === 'throws') throw new Error('the thread is torn');
  setTimeout(() => { Atomics.sub(count, 0, 1); parentPort.postMessage(name === 'proof' ? { kind: 'done', answer: 'proved' } : { name }); }, name === 'long' ? 60000 : 60);
`);
const made = (atOnce: number, limitMs = 20_000) =>
  workerProver({ checks: WORK, rules: WORK, report: WORK, atOnce, limitMs });
/** Running now, most at once, begun. */
const counted = () => {
  const shared = new SharedArrayBuffer(12),
    count = new Int32Array(shared);
  return { of: (name: string) => ({ name, shared }) as unknown as Project, count };
};
const until = async (isSo: () => boolean) => {
  for (let i = 0; i < 500 && !isSo(); i++) await new Promise((r) => setTimeout(r, 20));
  expect(isSo()).toBe(true);
};

describe('work in threads', () => {
  it('twelve requests make two threads at a time, and all are answered', async () => {
    const prover = made(2),
      { of, count } = counted();
    const all = await Promise.all(Array.from({ length: 12 }, () => prover.prove(of('x'))));
    expect(all).toEqual(Array(12).fill({ name: 'x' }));
    expect([count[1], count[2]]).toEqual([2, 12]);
  }, 30_000);
  it('more than wait their turn are refused in a sentence', async () => {
    const prover = made(1),
      { of } = counted(),
      gone = new AbortController();
    const all = Array.from({ length: 21 }, () =>
      prover.prove(of('long'), undefined, gone.signal).catch((e: Error) => e.message),
    );
    await expect(prover.prove(of('x'))).rejects.toMatchObject({
      code: 'BUSY',
      message:
        'As much as can be at once is being proved or played, and 20 more wait already; try again when some are done.',
    });
    gone.abort(new Error('left'));
    expect(await Promise.all(all)).toEqual(Array(21).fill('left'));
    expect(await prover.prove(of('x'))).toEqual({ name: 'x' });
  }, 30_000);
  it('who leaves ends the thread that worked for them, and the next one begins', async () => {
    const prover = made(1),
      { of, count } = counted(),
      gone = new AbortController();
    const left = prover.prove(of('long'), undefined, gone.signal).catch((e: Error) => e.message);
    await until(() => count[2] === 1);
    const next = prover.prove(of('x'));
    gone.abort(new Error('left'));
    expect(await left).toBe('left');
    expect(await next).toEqual({ name: 'x' });
  }, 30_000);
  it('a thread that dies, throws or takes too long is said, and replaced', async () => {
    const prover = made(1, 1500),
      { of } = counted();
    await expect(prover.prove(of('dies'))).rejects.toMatchObject({
      code: 'WORK_STOPPED',
      message: 'The run of the checks ended without an answer (3); try it again.',
    });
    await expect(prover.report(of('throws'), 1, undefined)).rejects.toMatchObject({
      message: 'The report stopped (the thread is torn); try it again.',
    });
    await expect(prover.prove(of('long'))).rejects.toMatchObject({
      message: 'The run of the checks took longer than 1.5 s and was ended.',
    });
    expect(await prover.prove(of('x'))).toEqual({ name: 'x' });
  }, 30_000);
  it('a proof tells how many are before it, and is ended with its request, waiting or at work', async () => {
    const prover = made(1),
      { of, count } = counted();
    const told: ProofMessage[][] = [[], [], []],
      ends = ['long', 'proof', 'proof'].map((name, i) =>
        prover.proveRules(of(name), undefined, (m) => told[i]!.push(m)),
      );
    await until(() => count[2] === 1 && told[2]!.length > 0);
    expect(told[1]![0]).toMatchObject({ words: 'Waits for 1 other proof' });
    expect(told[2]![0]).toMatchObject({ words: 'Waits for 2 other proofs' });
    ends[1]!();
    ends[0]!();
    await until(() => told[2]!.some((m) => m.kind === 'done'));
    expect(told[0]!.some((m) => m.kind === 'failed') || told[1]!.some((m) => m.kind !== 'progress')).toBe(false);
    expect(count[2]).toBe(2);
    const died: ProofMessage[] = [];
    prover.proveRules(of('dies'), undefined, (m) => died.push(m));
    await until(() => died.length > 0);
    expect(died.at(-1)).toEqual({ kind: 'failed', message: 'The proof ended without an answer.' });
  }, 30_000);
});

it('who has left already never begins', async () => {
  const queue = new WorkQueue(1, 1),
    gone = AbortSignal.abort(new Error('left'));
  let begun = 0;
  await expect(queue.run(() => Promise.resolve(begun++), gone)).rejects.toThrow('left');
  expect([begun, queue.counts]).toEqual([0, { running: 0, waiting: 0 }]);
});
