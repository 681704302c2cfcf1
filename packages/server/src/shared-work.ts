/**
 * Long work given out to workers of other machines, where a Redis is set and at least one worker is there (`ferrule
 * worker`).
 */
import {
  type Campaign,
  type CampaignMessage,
  type MutantResult,
  type RuleProof,
  type SearchState,
  type WorkerThere,
  type WorkersThere,
  rulesOf,
} from '@ferrule/core/verify';
import type { Project } from '@ferrule/core/document';
import { SharedOut, shownRedis } from '@ferrule/protocols/queue';
import { type Done, proveAll, searchAll, tryChanges } from '@ferrule/protocols/shares';
import type { ProofMessage, Prover } from './prover.js';
import { WorkQueue } from './work-queue.js';

/** A proof that is given out is waited for so long (ms), as one that is made here. */
const PROOF = 900_000;
/** An address that did not answer is asked again after so long (ms). */
const AGAIN = 5000;

export class SharedWork {
  private out: Promise<SharedOut> | undefined;
  private askedAt = -Infinity;
  private problem = '';
  private readonly campaigns = new WorkQueue(4, 20);
  constructor(private readonly url: string) {}

  private async connected(): Promise<SharedOut | undefined> {
    if (!this.out && performance.now() - this.askedAt < AGAIN) return undefined;
    this.askedAt = performance.now();
    try {
      return await (this.out ??= SharedOut.at(this.url));
    } catch (e) {
      this.out = undefined;
      this.problem = upper((e as Error).message);
      return undefined;
    }
  }

  /** Never rejects: what is wrong stands in the answer. */
  async there(): Promise<WorkersThere> {
    const redis = shownRedis(this.url),
      out = await this.connected();
    if (!out) return { redis, workers: [], problem: this.problem };
    try {
      return { redis, workers: await out.workers() };
    } catch {
      return { redis, workers: [], problem: `The Redis at ${redis} does not answer.` };
    }
  }

  /** Undefined where nobody is there. */
  async pool(): Promise<{ readonly out: SharedOut; readonly workers: readonly WorkerThere[] } | undefined> {
    const { workers } = await this.there();
    return workers.length ? { out: (await this.out)!, workers } : undefined;
  }

  /** Does a campaign over its workers; `tell` gets what each share gave, last `done` or `problem`. */
  async campaign(
    project: Project,
    c: Campaign,
    tell: (m: CampaignMessage) => void,
    signal: AbortSignal,
  ): Promise<void> {
    try {
      await this.campaigns.run(async () => {
        const pool = await this.pool();
        if (!pool) {
          tell({ kind: 'problem', message: `No worker is at ${shownRedis(this.url)} any more; try it again.` });
          return;
        }
        let workers = pool.workers.length;
        const watch = {
          signal,
          begun: (of: number) => tell({ kind: 'share', done: 0, of, workers }),
          told: (d: Done, done: number, of: number) => {
            if (d.changes)
              tell({
                kind: 'mutate',
                results: d.results as readonly (readonly [number, MutantResult])[],
                ...d.changes,
              });
            else if (c.kind !== 'mutate')
              tell({ kind: c.kind, states: d.results as readonly (readonly [number, SearchState])[] });
            tell({ kind: 'share', done, of, workers });
            void this.there().then((t) => (workers = t.workers.length));
          },
        };
        const ms = c.withinMs ?? Infinity,
          { seed, upsets, scans, missing } = c;
        if (c.kind === 'mutate') await tryChanges(project, ms, pool.out, watch);
        else await searchAll(project, { seed, upsets, scans, ...(missing ? { missing } : {}) }, ms, pool.out, watch);
        tell({ kind: 'done' });
      }, signal);
    } catch (e) {
      if (!signal.aborted) tell({ kind: 'problem', message: upper((e as Error).message) });
    }
  }

  /** Proves rules over its workers, a rule each; like `Prover.proveRules`. */
  private async prove(
    project: Project,
    only: readonly string[] | undefined,
    tell: (m: ProofMessage) => void,
    out: SharedOut,
    signal: AbortSignal,
  ): Promise<void> {
    const wanted =
      only ??
      rulesOf(project)
        .filter((r) => !r.assumed)
        .map((r) => r.id);
    let isContradiction = false,
      problem: string | undefined;
    const said = (done: number) =>
      tell({
        kind: 'progress',
        words: 'Given out to workers, a rule each',
        decided: done,
        of: wanted.length,
      });
    said(0);
    const rules: readonly RuleProof[] = await proveAll(project, wanted, PROOF, out, {
      signal,
      told: (d, done) => {
        isContradiction ||= d.proof?.contradiction === true;
        problem ??= d.proof?.problem;
        said(done);
      },
    });
    tell({
      kind: 'done',
      answer: JSON.parse(
        JSON.stringify(
          { rules, ...(problem ? { problem } : {}), ...(isContradiction ? { contradiction: true } : {}) },
          (_, v: unknown) => (typeof v === 'bigint' ? v.toString() : v),
        ),
      ) as unknown,
    });
  }

  /** Proofs over the workers while there are any, else as `here` makes them. */
  over(here: Prover): Prover {
    return {
      ...here,
      proveRules: (project, only, tell) => {
        const gone = new AbortController();
        let end = () => gone.abort(new Error('Who asked has left.'));
        void this.pool()
          .then(async (pool) => {
            if (gone.signal.aborted) return;
            if (pool) await this.prove(project, only, tell, pool.out, gone.signal);
            else end = here.proveRules(project, only, tell);
          })
          .catch((e: unknown) => {
            if (!gone.signal.aborted) tell({ kind: 'failed', message: upper((e as Error).message) });
          });
        return () => end();
      },
    };
  }

  async close(): Promise<void> {
    await (await this.out?.catch(() => undefined))?.close();
  }
}

const upper = (s: string): string => s.charAt(0).toUpperCase() + s.slice(1);
