/** Who does long work: this browser and its server, or workers of other machines over a Redis. */
import useSWR from 'swr';
import type { WorkersThere } from '@ferrule/core/verify';
import { fetcher } from '../../api.js';

let isThere = false;
/** Whether there was a worker when it was last asked. */
export const hasWorkers = (): boolean => isThere;

interface Props {
  /** What is given out, as a sentence begins with it. */
  readonly what: 'Searches are' | 'Finding inputs is' | 'Changed logic is' | 'Proofs are';
}

/** A line that says who does it; nothing where no Redis is set. */
export function Workers({ what }: Props) {
  const { data } = useSWR<WorkersThere>('/workers', fetcher, {
    refreshInterval: (d) => (d?.redis ? 3000 : 0),
    onSuccess: (d) => (isThere = d.workers.length > 0),
  });
  if (!data?.redis) return null;
  const { redis, workers, problem } = data,
    /** Shares at once, by machine. */
    machines = new Map<string, number>();
  for (const w of workers) machines.set(w.machine, (machines.get(w.machine) ?? 0) + w.cores);
  const here = `${what} ${what === 'Proofs are' ? 'made on this server' : 'done in this browser'}`;
  return (
    <p role="note" aria-label="Workers" className="mb-3 max-w-3xl text-[12.5px] text-soft">
      {problem ? (
        `${problem} ${here} until it answers.`
      ) : workers.length ? (
        <>
          {what} given out over {redis} to{' '}
          <b className="font-medium text-ink">
            {workers.length} worker{workers.length === 1 ? '' : 's'}
          </b>
          :{' '}
          {[...machines].map(([name, cores]) => `${name} (${cores} share${cores === 1 ? '' : 's'} at once)`).join(', ')}
          .
        </>
      ) : (
        <>
          No worker is at {redis}. {here} until one comes (<code>ferrule worker --redis {redis}</code>).
        </>
      )}
    </p>
  );
}
