/** Who does long work: this browser and its server, or workers of other machines over a Redis. */
import useSWR from 'swr';
import { fetcher } from '../../api.js';

/** As the server tells it; without `redis` none is set. */
interface WorkersThere {
  readonly redis?: string;
  readonly workers: readonly { readonly machine: string; readonly cores: number }[];
  readonly problem?: string;
}

let isThere = false;
/** Whether there was a worker when it was last asked. */
export const hasWorkers = (): boolean => isThere;

/** A line that says who does it; nothing where no Redis is set. */
export function Workers({ proofs = false }: { readonly proofs?: boolean }) {
  const { data } = useSWR<WorkersThere>('/workers', fetcher, {
    refreshInterval: (d) => (d?.redis ? 3000 : 0),
    onSuccess: (d) => (isThere = d.workers.length > 0),
  });
  if (!data?.redis) return null;
  const { redis, workers, problem } = data,
    /** Machines with all their workers. */
    machines = new Map<string, { count: number; cores: number }>();
  for (const w of workers) {
    const m = machines.get(w.machine) ?? { count: 0, cores: 0 };
    machines.set(w.machine, { count: m.count + 1, cores: m.cores + w.cores });
  }
  const here = proofs ? 'Proofs are made on this server' : 'It is done in this browser';
  return (
    <p role="note" aria-label="Workers" className="mb-3 max-w-3xl text-[12.5px] text-soft">
      {problem ? (
        <>
          {problem} {here} until then.
        </>
      ) : workers.length ? (
        <>
          Given out over {redis} to{' '}
          <b className="font-medium text-ink">
            {workers.length} worker{workers.length === 1 ? '' : 's'}
          </b>
          :{' '}
          {[...machines].map(([name, m]) => `${name} (${m.cores} share${m.cores === 1 ? '' : 's'} at once)`).join(', ')}
          .
        </>
      ) : (
        <>
          No worker is at {redis}: {here.charAt(0).toLowerCase() + here.slice(1)} until one comes (
          <code>ferrule worker --redis {redis}</code>).
        </>
      )}
    </p>
  );
}
