/** Beyond the checks: a search for counterexamples. */
import { useState } from 'react';
import { useNavigate, useParams } from 'react-router';
import { type Counterexample, lookedWords, rulesOf } from '@ferrule/core/verify';
import { tellBench } from '../../bench/live.js';
import { keepRows } from '../../components/recorder.js';
import { Button } from '../../components/ui.js';
import { useDocument } from '../../document/store.js';
import { Workers } from './Workers.js';
import type { ToCampaign } from './campaign.worker.js';
import { n, tell, useCampaign, useStale } from './campaign-runs.js';

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
export function Found({ found, reached = false }: { readonly found: Counterexample; readonly reached?: boolean }) {
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
export function GivenOut({ kind }: { readonly kind: ToCampaign['kind'] }) {
  const shares = useCampaign((s) => (s.running === kind ? s.shares : undefined));
  return shares ? (
    <p role="status" aria-label="Given out" className="text-soft">
      {shares.of
        ? `${shares.done} of ${shares.of} shares done, ${shares.workers} worker${shares.workers === 1 ? '' : 's'}`
        : 'Giving out shares …'}
    </p>
  ) : null;
}
