/** Campaigns beyond the checks as they run, in workers of this page or given out to others, and what they have found. */
import { failureOf } from '../../components/outdated.js';
import {
  type Campaign,
  type CampaignMessage,
  LANES,
  type MutantResult,
  type SearchState,
  lanesOf,
  type Strengths,
  lookedWords,
  mergeLanes,
} from '@ferrule/core/verify';
import type { Project } from '@ferrule/core/document';
import { create } from 'zustand';
import { linesOf, messageOf } from '../../api.js';
import { useDocument } from '../../document/store.js';
import { hasWorkers } from './Workers.js';
import type { FromCampaign, ToCampaign } from './campaign.worker.js';

interface SearchAnswer {
  readonly state: SearchState;
  readonly done: boolean;
  readonly perSecond: number;
}
/** Changes tried so far, in the order of the project whoever tried them. */
interface MutateAnswer {
  readonly results: readonly MutantResult[];
  readonly failing: readonly string[];
  readonly left: number;
  readonly done: boolean;
}
type Results = {
  readonly [K in Exclude<FromCampaign['kind'], 'search' | 'find' | 'mutate'>]?:
    Extract<FromCampaign, { kind: K }> | undefined;
} & {
  readonly search?: SearchAnswer | undefined;
  readonly find?: SearchAnswer | undefined;
  readonly mutate?: MutateAnswer | undefined;
};
type Asked = ToCampaign extends infer T
  ? T extends { readonly kind: 'search' | 'find' | 'mutate' }
    ? Omit<T, 'lanes' | 'of' | 'worker' | 'workers'>
    : T
  : never;
/** Results stay while the user looks at other areas; `of` says from which project each was made. */
export const useCampaign = create<{
  readonly results: Results;
  readonly running: ToCampaign['kind'] | undefined;
  /** How far a campaign is that was given out to other machines. */
  readonly shares: { readonly done: number; readonly of: number; readonly workers: number } | undefined;
  readonly of: { readonly [K in ToCampaign['kind']]?: Project };
}>(() => ({ results: {}, running: undefined, shares: undefined, of: {} }));

/** One worker a core for searches and changed logic; the first does everything else. */
const workers: Worker[] = [];
const CORES = Math.max(1, Math.min(LANES, navigator.hardwareConcurrency || 1));
let lanes = new Map<number, SearchState>(),
  changes = new Map<number, MutantResult>(),
  tried = new Map<number, number>(),
  busy = new Set<number>(),
  began = 0,
  campaigns = 0,
  /** Ends what was given out. */ givenOut: AbortController | undefined;

function take(worker: number, data: FromCampaign): void {
  if (data.kind === 'mutate') {
    if (data.of !== campaigns) return;
    for (const [at, r] of data.results) changes.set(at, r);
    tried.set(worker, data.tried);
    if (data.done) busy.delete(worker);
    const done = busy.size === 0,
      results = [...changes].sort(([a], [b]) => a - b).map(([, r]) => r);
    useCampaign.setState((s) => ({
      results: {
        ...s.results,
        problem: undefined,
        mutate: {
          results,
          failing: data.failing,
          left: data.total - [...tried.values()].reduce((a, b) => a + b, 0),
          done,
        },
      },
      running: done ? undefined : s.running,
    }));
    return;
  }
  if (data.kind !== 'search' && data.kind !== 'find') {
    useCampaign.setState((s) => ({
      results: {
        ...s.results,
        problem: undefined,
        ...(data.kind === 'reach' ? { find: undefined } : {}),
        [data.kind]: data,
      },
      running: undefined,
    }));
    return;
  }
  if (data.of !== campaigns) return;
  for (const [lane, state] of data.states) lanes.set(lane, state);
  if (data.done) busy.delete(worker);
  const state = mergeLanes([...lanes].sort(([a], [b]) => a - b).map(([, x]) => x)),
    done = busy.size === 0;
  useCampaign.setState((s) => ({
    results: {
      ...s.results,
      problem: undefined,
      [data.kind]: { state, done, perSecond: state.scans / ((performance.now() - began) / 1000) },
    },
    running: done ? undefined : s.running,
  }));
}
function worker(i: number): Worker {
  let w = workers[i];
  if (!w) {
    w = workers[i] = new Worker(new URL('./campaign.worker.ts', import.meta.url), { type: 'module' });
    w.onmessage = ({ data }: MessageEvent<FromCampaign>) => take(i, data);
    w.onerror = (e) => {
      // Another one is made when it is asked for again.
      for (const each of workers) each?.terminate();
      workers.length = 0;
      useCampaign.setState((s) => ({
        results: { ...s.results, problem: { kind: 'problem', message: `It could not go on: ${failureOf(e)}.` } },
        running: undefined,
      }));
    };
  }
  return w;
}
export function tell(m: Asked): void {
  if (m.kind === 'stop') {
    useCampaign.setState({ running: undefined, shares: undefined });
    for (const w of workers) w.postMessage(m);
    givenOut?.abort();
    return;
  }
  useCampaign.setState((s) => ({ running: m.kind, of: { ...s.of, [m.kind]: m.project } }));
  if (m.kind === 'reach') {
    worker(0).postMessage(m);
    return;
  }
  lanes = new Map();
  changes = new Map();
  tried = new Map();
  began = performance.now();
  campaigns++;
  if (hasWorkers()) {
    void giveOut(m, campaigns);
    return;
  }
  busy = new Set(Array.from({ length: CORES }, (_, i) => i));
  for (const i of busy)
    worker(i).postMessage(
      (m.kind === 'mutate'
        ? { ...m, of: campaigns, worker: i, workers: CORES }
        : { ...m, of: campaigns, lanes: lanesOf(i, CORES) }) satisfies ToCampaign,
    );
}

/** Has the workers of other machines do it; each share they have done is taken as one of a worker here. */
async function giveOut(m: Exclude<Asked, { kind: 'stop' | 'reach' }>, of: number): Promise<void> {
  const mine = (givenOut = new AbortController()),
    { project: _, ...asked } = m;
  /** No share has this number: while it is busy the campaign goes on. */
  const WHOLE = -1;
  let shares = 0,
    last: Extract<CampaignMessage, { kind: 'mutate' }> | undefined;
  busy = new Set([WHOLE]);
  useCampaign.setState({ shares: { done: 0, of: 0, workers: 0 } });
  const isMine = () => of === campaigns && !mine.signal.aborted;
  const problem = (message: string) => {
    if (!isMine()) return;
    useCampaign.setState((s) => ({
      results: { ...s.results, problem: { kind: 'problem', message } },
      running: undefined,
      shares: undefined,
    }));
  };
  try {
    await useDocument.getState().flush();
    const { id } = useDocument.getState(),
      // Changed logic has neither seed nor scans.
      campaign: Campaign = { seed: 1, upsets: true, scans: 1, ...asked };
    await linesOf<CampaignMessage>(`/projects/${id}/campaign`, campaign, mine.signal, (x) => {
      if (!isMine()) return;
      if (x.kind === 'share') useCampaign.setState({ shares: x });
      else if (x.kind === 'problem') problem(x.message);
      else if (x.kind === 'mutate') take(shares++, { ...(last = x), of, done: false });
      else if (x.kind !== 'done') take(shares++, { kind: x.kind, of, states: x.states, done: false });
      else {
        useCampaign.setState({ shares: undefined });
        if (last) take(WHOLE, { ...last, results: [], tried: 0, of, done: true });
        else if (m.kind !== 'mutate') take(WHOLE, { kind: m.kind, of, states: [], done: true });
      }
    });
  } catch (e) {
    problem(messageOf(e));
  }
}

export const n = (x: number) => Math.round(x).toLocaleString('en');

export function useStale(kind: ToCampaign['kind']): string | undefined {
  const of = useCampaign((s) => s.of[kind]),
    project = useDocument((s) => s.project);
  return of && of !== project ? 'The project has changed since.' : undefined;
}

/** What the last search says of a rule. */
export function useSearchOf(rule: string): string | undefined {
  const r = useCampaign((s) => s.results.search);
  if (!r) return undefined;
  const hit = r.state.found.find((f) => f.ruleId === rule);
  return hit ? `A search broke it at scan ${n(hit.scan)}: ${hit.seen}.` : `${upper(lookedWords(r.state))}.`;
}
export const upper = (s: string): string => s.charAt(0).toUpperCase() + s.slice(1);

/** What a search of the project as it is now adds to the verdict on a rule. */
export function useSearchNow(): ((rule: string) => Strengths['search']) | undefined {
  const r = useCampaign((s) => s.results.search),
    isStale = useStale('search') !== undefined;
  if (!r || isStale) return undefined;
  const { state } = r;
  return (rule) => {
    const hit = state.found.find((f) => f.ruleId === rule);
    return {
      words: hit ? `a search broke it at scan ${n(hit.scan)}: ${hit.seen}` : lookedWords(state),
      isBroken: hit !== undefined,
      scans: state.faultsAtOnce === undefined ? state.scans : 0,
    };
  };
}
