/** `ferrule worker`: takes shares of searches, proofs and changed logic from a queue. */
import { availableParallelism } from 'node:os';
import { DEFAULT_REDIS, shownRedis, takeShares } from '@ferrule/protocols/queue';
import type { Console } from './console.js';
import { UsageError, parseOptions } from './files.js';
import { inThread } from './threads.js';

/**
 * `ferrule worker [--redis URL] [--cores N]`: takes shares until it is told to end (SIGTERM, SIGINT), then finishes
 * what it has.
 */
export async function worker(args: readonly string[], io: Console, told?: AbortSignal): Promise<number> {
  const { files, options } = parseOptions(args, ['redis', 'cores'], [], 0);
  if (files.length) throw new UsageError(`worker takes no file (${files[0]!}).`);
  const url = options.get('redis') ?? process.env['FERRULE_REDIS'] ?? DEFAULT_REDIS,
    cores = options.has('cores') ? Number(options.get('cores')) : availableParallelism();
  if (!Number.isInteger(cores) || cores < 1 || cores > 1024)
    throw new UsageError(`--cores: '${options.get('cores')}' is not a number of cores.`);
  const taking = await takeShares({
    url,
    cores,
    inThread,
    told: (share, ms) =>
      io.out(
        `${share.kind} ${share.worker + 1} of ${share.workers} of ${share.project.name}: ${(ms / 1000).toFixed(1)} s\n`,
      ),
    onError: (message) => io.error(`ferrule: ${message}\n`),
  });
  io.out(`taking shares from ${shownRedis(url)}, ${cores} at a time\n`);
  await new Promise<void>((resolve) => {
    for (const signal of ['SIGTERM', 'SIGINT'] as const) process.once(signal, () => resolve());
    told?.addEventListener('abort', () => resolve(), { once: true });
  });
  await taking.close();
  return 0;
}
