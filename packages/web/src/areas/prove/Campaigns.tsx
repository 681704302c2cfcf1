/** Beyond the checks: a search for counterexamples, what the checks have reached, and what they do not notice. */
import { useEffect, useState } from 'react';
import { failureOf } from '../../components/outdated.js';
import { useNavigate, useParams } from 'react-router';
import {
  type Campaign,
  type CampaignMessage,
  type Counterexample,
  LANES,
  type MutantResult,
  type SearchState,
  lanesOf,
  type Strengths,
  lookedWords,
  rulesOf,
  mergeLanes,
  neverReached,
} from '@ferrule/core/verify';
import type { Difference, Project } from '@ferrule/core/document';
import { create } from 'zustand';
import { ChevronRight } from 'lucide-react';
import { tellBench, useBench } from '../../bench/live.js';
import type { TagFacts } from '../../bench/protocol.js';
import { Differences } from '../../components/Differences.js';
import { showReach } from '../../components/reach.js';
import { keepRows } from '../../components/recorder.js';
import { Button } from '../../components/ui.js';
import { linesOf, messageOf } from '../../api.js';
import { useDocument } from '../../document/store.js';
import { Workers, hasWorkers } from './Workers.js';
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
const useCampaign = create<{
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
function tell(m: Asked): void {
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

const n = (x: number) => Math.round(x).toLocaleString('en');

function useStale(kind: ToCampaign['kind']): string | undefined {
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
const upper = (s: string): string => s.charAt(0).toUpperCase() + s.slice(1);

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

export function SearchView() {
  const { results, running } = useCampaign();
  const project = useDocument((s) => s.project);
  const [seed, setSeed] = useState('1');
  const [upsets, setUpsets] = useState(true);
  const [millions, setMillions] = useState('5');
  const [seconds, setSeconds] = useState('60');
  const stale = useStale('search');
  const r = results.search;
  const wrong = !/^\s*\d+\s*$/.test(seed)
    ? `Seed: ‘${seed}’ is no whole number.`
    : !(Number(millions) > 0)
      ? `For: ‘${millions}’ is no number of million scans.`
      : seconds.trim() && !(Number(seconds) > 0)
        ? `At most: ‘${seconds}’ is no number of seconds; leave it empty for no limit.`
        : undefined;
  const go = () =>
    project &&
    tell({
      kind: 'search',
      project,
      seed: Number(seed),
      upsets,
      scans: Number(millions) * 1e6,
      ...(seconds.trim() ? { withinMs: Number(seconds) * 1000 } : {}),
    });
  const found = new Set(r?.state.found.map((f) => f.ruleId));
  return (
    <div className="min-h-0 overflow-y-auto rounded-xl border border-edge bg-sheet p-4">
      <p className="mb-3 max-w-3xl text-soft">
        Works the panel, the free inputs{upsets ? ' and the upsets' : ''} at random and in random timing, goes on from
        whatever it newly reaches, and judges every rule in every scan. What breaks a rule is shortened until nothing
        can be left out. Not finding one is no proof.
      </p>
      <Workers what="Searches are" />
      <div className="flex flex-wrap items-center gap-3">
        {running === 'search' ? (
          <Button onClick={() => tell({ kind: 'stop' })}>Stop</Button>
        ) : (
          <Button look="strong" disabled={!project || running !== undefined || wrong !== undefined} onClick={go}>
            Search
          </Button>
        )}
        <label className="flex items-center gap-1.5 text-soft">
          seed{' '}
          <input
            value={seed}
            onChange={(e) => setSeed(e.target.value)}
            aria-label="Seed"
            className="h-7 w-16 rounded border border-edge bg-sheet px-2 text-right font-mono text-[12px]"
          />
        </label>
        <label className="flex items-center gap-1.5 text-soft">
          for{' '}
          <input
            value={millions}
            onChange={(e) => setMillions(e.target.value)}
            aria-label="Million scans"
            className="h-7 w-14 rounded border border-edge bg-sheet px-2 text-right font-mono text-[12px]"
          />{' '}
          million scans,
        </label>
        <label
          className="flex items-center gap-1.5 text-soft"
          title="The same seed finds the same in the same scans; time only says how far it gets. Empty: no limit."
        >
          at most{' '}
          <input
            value={seconds}
            onChange={(e) => setSeconds(e.target.value)}
            aria-label="Seconds at most"
            className="h-7 w-14 rounded border border-edge bg-sheet px-2 text-right font-mono text-[12px]"
          />{' '}
          s
        </label>
        <label className="flex items-center gap-1.5 text-soft">
          <input
            type="checkbox"
            checked={upsets}
            onChange={(e) => setUpsets(e.target.checked)}
            className="accent-[var(--copper)]"
          />
          upsets too
        </label>
      </div>
      {(wrong ?? results.problem?.message) && (
        <p role="alert" className="mt-3 text-bad">
          {wrong ?? results.problem?.message}
        </p>
      )}
      <div className="mt-3 empty:hidden">
        <GivenOut kind="search" />
      </div>
      {r && (
        <p role="status" className="mt-3">
          {n(r.state.scans)} scans · {n(r.state.states)} different states · {n(r.state.deepest)} scans deep
          {r.perSecond ? ` · ${n(r.perSecond)} scans a second` : ''}
          {stale ? ` · ${stale}` : ''}
        </p>
      )}
      {r && (
        <ul className="mt-2">
          {r.state.found.map((f) => (
            <Found key={f.ruleId} found={f} />
          ))}
          {(project ? rulesOf(project) : [])
            .filter((x) => !found.has(x.id))
            .map((x) => (
              <li key={x.id} className="border-t border-edge py-1.5">
                <span className="mr-2 text-faint">·</span>
                <b className="font-medium">{x.name}</b> <span className="text-soft">{lookedWords(r.state)}</span>
              </li>
            ))}
        </ul>
      )}
    </div>
  );
}

/** What a search found: a rule that was broken, or something that was `reached`. */
function Found({ found, reached = false }: { readonly found: Counterexample; readonly reached?: boolean }) {
  const navigate = useNavigate();
  const { id } = useParams();
  const { rows } = found;
  const keep = () => {
    const check = keepRows(
      reached ? `Reaches: ${found.rule}` : `Against: ${found.rule}`,
      reached
        ? 'Found by search: how to get there. Say what is to be expected.'
        : 'Found by search: what broke the rule. It passes when the rule holds here.',
      rows,
    );
    void navigate(`/projects/${id}/prove?check=${check}`);
  };
  return (
    <li className="border-t border-edge py-2">
      {reached ? (
        <p>
          <span aria-label="reached" className="mr-2 font-semibold text-good">
            ✓
          </span>
          <b>{found.rule}</b> <span className="text-soft">in scan {n(found.scan)}</span>
        </p>
      ) : (
        <p>
          <span aria-label="broken" className="mr-2 font-semibold text-bad">
            ✕
          </span>
          <b>{found.rule}</b>{' '}
          <span className="text-bad">
            {found.seen}, scan {n(found.scan)}
          </span>
        </p>
      )}
      <ol className="my-1 ml-6 list-decimal text-[12.5px] text-soft">
        {rows.map((r) => (
          <li key={r.id}>
            {r.when ?? 'at once'}
            {r.do?.length ? `: ${r.do.join(', ')}` : ''}
            {reached && r.expect?.length ? ` → ${r.expect.join(', ')}` : ''}
          </li>
        ))}
      </ol>
      <p className="ml-6 flex items-center gap-2 text-[12px] text-faint">
        <Button
          tight
          onClick={() => {
            tellBench({
              kind: 'stand',
              recording: found.recording.map((e) => ({ scan: e.scan, event: shownEvent(e.event) })),
              scan: found.scan,
            });
            void navigate(`/projects/${id}/logic`);
          }}
        >
          Show on bench
        </Button>
        <Button tight onClick={keep}>
          Keep as a check
        </Button>
        shortened from {found.foundWith} to {found.recording.length} thing{found.recording.length === 1 ? '' : 's'} done
      </p>
    </li>
  );
}

const shownEvent = (e: Counterexample['recording'][number]['event']) =>
  e.kind === 'releaseAll'
    ? { kind: e.kind }
    : {
        kind: e.kind,
        path: e.path,
        ...(e.value !== undefined ? { value: typeof e.value === 'bigint' ? Number(e.value) : e.value } : {}),
      };

/** How far a campaign is that other machines do. */
function GivenOut({ kind }: { readonly kind: ToCampaign['kind'] }) {
  const shares = useCampaign((s) => (s.running === kind ? s.shares : undefined));
  return shares ? (
    <p role="status" aria-label="Given out" className="text-soft">
      {shares.of
        ? `${shares.done} of ${shares.of} shares done, ${shares.workers} worker${shares.workers === 1 ? '' : 's'}`
        : 'Giving out shares …'}
    </p>
  ) : null;
}

export function ReachView() {
  const { results, running } = useCampaign();
  const project = useDocument((s) => s.project);
  const navigate = useNavigate();
  const { id } = useParams();
  const stale = useStale('reach');
  useEffect(() => {
    if (project && !useCampaign.getState().results.reach) tell({ kind: 'reach', project });
  }, []);
  const r = results.reach?.reach,
    find = results.find;
  const never = (r?.rungs ?? []).flatMap((x) => {
    const words = neverReached(x);
    return words ? [[x, words] as const] : [];
  });
  const missing = r
    ? r.steps.filter((s) => !s.entered).length + never.length + r.branches.filter((b) => !b.taken).length
    : 0;
  const bar = (words: string, f: { readonly reached: number; readonly of: number }) => (
    <div className="w-56">
      <p className="flex justify-between gap-2 whitespace-nowrap">
        <span>{words}</span>
        <b className="font-mono text-[12px]">
          {f.reached} of {f.of}
        </b>
      </p>
      <span className="block h-1.5 rounded bg-edge">
        <span
          className="block h-1.5 rounded bg-copper"
          style={{ width: `${f.of ? (100 * f.reached) / f.of : 100}%` }}
        />
      </span>
    </div>
  );
  return (
    <div className="min-h-0 overflow-y-auto rounded-xl border border-edge bg-sheet p-4">
      <div className="flex items-center gap-3">
        <p className="flex-1 text-soft">
          What the checks have exercised. A contact counts when it was seen both open and closed.
        </p>
        <Button disabled={running !== undefined} onClick={() => project && tell({ kind: 'reach', project })}>
          {running === 'reach' ? 'Playing …' : 'Play again'}
        </Button>
      </div>
      {stale && r && <p className="text-soft">{stale}</p>}
      {results.problem && (
        <p role="alert" className="mt-3 text-bad">
          {results.problem.message}
        </p>
      )}
      {r && (
        <>
          <div className="my-4 flex flex-wrap gap-6">
            {bar('Contacts, both ways', r.figures.contacts)}
            {bar('Rungs powered', r.figures.rungs)}
            {bar('Steps entered', r.figures.steps)}
            {r.figures.branches.of > 0 && bar('Branches taken', r.figures.branches)}
          </div>
          {missing > 0 && <Workers what="Finding inputs is" />}
          <div className="flex items-center gap-3">
            <h3 className="font-semibold">Never exercised</h3>
            {running === 'find' ? (
              <Button tight onClick={() => tell({ kind: 'stop' })}>
                Stop
              </Button>
            ) : (
              missing > 0 && (
                <>
                  <Button
                    tight
                    onClick={() => {
                      const of = useCampaign.getState().of.reach;
                      if (of) {
                        showReach(of, r);
                        void navigate(`/projects/${id}/logic`);
                      }
                    }}
                  >
                    Show it on the rungs
                  </Button>
                  <Button
                    tight
                    disabled={running !== undefined}
                    onClick={() =>
                      project && tell({ kind: 'find', project, seed: 1, upsets: true, missing: r, scans: 4e6 })
                    }
                  >
                    Find inputs that reach it
                  </Button>
                </>
              )
            )}
            <GivenOut kind="find" />
            {find && (
              <span role="status" className="text-soft">
                {find.state.found.length} of {find.state.found.length + find.state.open.length} reached in{' '}
                {n(find.state.scans)} scans
              </span>
            )}
          </div>
          {find && (
            <ul aria-label="Reached by search" className="mb-3">
              {find.state.found.map((f) => (
                <Found key={f.ruleId} found={f} reached />
              ))}
            </ul>
          )}
          <ul aria-label="Never exercised" className="text-[12.5px]">
            {r.steps
              .filter((s) => !s.entered)
              .map((s) => (
                <li key={`${s.tag} ${s.value}`} className="border-b border-edge py-1">
                  {s.tag} never was {s.value}
                </li>
              ))}
            {never.map(([x, words]) => (
              <li key={x.rung} className="border-b border-edge py-1">
                <button
                  className="text-left hover:text-copper-ink"
                  onClick={() => void navigate(`/projects/${id}/logic?pou=${x.pouId}&rung=${x.rung}`)}
                >
                  <b className="font-medium">
                    {x.pou} rung {x.number}
                  </b>{' '}
                  {words}
                </button>
              </li>
            ))}
            {r.branches
              .filter((b) => !b.taken)
              .map((b) => (
                <li key={`${b.pouId} ${b.at}`} className="border-b border-edge py-1">
                  <button
                    className="hover:text-copper-ink"
                    onClick={() => void navigate(`/projects/${id}/logic?pou=${b.pouId}&at=${b.at}`)}
                  >
                    A branch of {project?.pous.find((p) => p.id === b.pouId)?.name ?? 'a text'} never taken
                  </button>
                </li>
              ))}
          </ul>
        </>
      )}
    </div>
  );
}

export function MutationView() {
  const { results, running } = useCampaign();
  const project = useDocument((s) => s.project);
  const stale = useStale('mutate');
  const r = results.mutate,
    missed = r?.results.filter((x) => !x.noticedBy) ?? [],
    tried = r?.results.length ?? 0;
  return (
    <div className="min-h-0 overflow-y-auto rounded-xl border border-edge bg-sheet p-4">
      <Workers what="Changed logic is" />
      <div className="flex items-center gap-3">
        <p className="flex-1 text-soft">
          Changes one thing at a time — a contact inverted, a leg of a branch taken away, a preset changed, a coil that
          is set instead, a condition in the text negated — and plays the checks. What none of them notices could be
          wrong in the real logic too.
        </p>
        {running === 'mutate' ? (
          <Button onClick={() => tell({ kind: 'stop' })}>Stop</Button>
        ) : (
          <Button
            look="strong"
            disabled={running !== undefined || !project?.checks.length}
            onClick={() => project && tell({ kind: 'mutate', project })}
          >
            Change the logic
          </Button>
        )}
      </div>
      {results.problem && (
        <p role="alert" className="mt-3 text-bad">
          {results.problem.message}
        </p>
      )}
      <div className="mt-3 empty:hidden">
        <GivenOut kind="mutate" />
      </div>
      {r && (
        <p role="status" className="mt-3 text-[14px]">
          <b>{tried ? Math.round((100 * (tried - missed.length)) / tried) : 0} %</b> noticed: {n(tried - missed.length)}{' '}
          of {n(tried)} changes{r.left ? `, ${n(r.left)} ${r.done ? 'not tried' : 'to go'}` : ''}
          {stale ? ` · ${stale}` : ''}
        </p>
      )}
      {r && r.failing.length > 0 && (
        <p role="note" className="mt-1 text-bad">
          {r.failing.length === 1 ? 'One check or rule fails' : `${r.failing.length} checks and rules fail`} without any
          change and so notice{r.failing.length === 1 ? 's' : ''} nothing: {r.failing.join(', ')}.
        </p>
      )}
      <ul aria-label="Changes that no check notices" className="mt-2 text-[12.5px]">
        {missed.map((m, i) => (
          <Missed key={`${m.pouId} ${m.what} ${m.after.length} ${i}`} mutant={m} isOpen={i === 0} />
        ))}
      </ul>
    </div>
  );
}

const AROUND = 3;
/** A change that no check notices: its words, and on demand the rung or the lines as they are and as they would be. */
function Missed({ mutant: m, isOpen }: { readonly mutant: MutantResult; readonly isOpen: boolean }) {
  const [open, setOpen] = useState(isOpen);
  const navigate = useNavigate();
  const { id } = useParams();
  const tags = useBench((s) => s.checked?.tags) ?? NO_TAGS;
  const { place } = m;
  const where = place.kind === 'rung' ? `rung ${place.number}` : `line ${place.line}`;
  const lines = (text: string) =>
    place.kind === 'text'
      ? text
          .split('\n')
          .slice(Math.max(0, place.line - 1 - AROUND), place.line + AROUND)
          .join('\n')
      : text;
  const shown: Difference =
    place.kind === 'rung'
      ? {
          key: where,
          what: `${m.pou} ${where}`,
          kind: 'rung',
          before: m.before,
          after: m.after,
          rungs: { before: { id: place.rung, line: m.before }, after: { id: place.rung, line: m.after } },
        }
      : { key: where, what: `${m.pou} ${where}`, kind: 'text', before: lines(m.before), after: lines(m.after) };
  return (
    <li className="border-t border-edge py-1">
      <div className="flex items-center gap-2">
        <button
          aria-expanded={open}
          className="min-w-0 flex-1 py-0.5 text-left hover:text-copper-ink"
          onClick={() => setOpen(!open)}
        >
          <ChevronRight size={13} className={`mr-1 inline-block text-faint ${open ? 'rotate-90' : ''}`} />
          <b className="font-medium">
            {m.pou} {where}
          </b>
          : {m.what}
        </button>
        <Button
          tight
          onClick={() =>
            void navigate(
              place.kind === 'rung'
                ? `/projects/${id}/logic?pou=${m.pouId}&rung=${place.rung}&element=${place.element}`
                : `/projects/${id}/logic?pou=${m.pouId}&at=${place.at}`,
            )
          }
        >
          Go there
        </Button>
      </div>
      {open && (
        <div className="my-1.5 overflow-hidden rounded-lg border border-edge">
          <Differences differences={[shown]} before="as it is" after="changed, and no check notices" tags={tags} />
        </div>
      )}
    </li>
  );
}
const NO_TAGS: Readonly<Record<string, TagFacts>> = {};
