/** Controller: what it runs now, what differs, download, run and stop; the rungs live. Writes here reach the controller. */
import { useEffect, useMemo, useState } from 'react';
import useSWR from 'swr';
import { useStore } from 'zustand';
import type { Difference, Project, ProjectPou } from '@ferrule/core';
import { api, messageOf } from '../../api.js';
import { Checkout } from '../../components/Checkout.js';
import { LiveProvider, useBench } from '../../bench/live.js';
import { Button } from '../../components/ui.js';
import { durationText } from '../../components/values.js';
import { Panel } from '../../components/machine/Panel.js';
import { Differences } from '../../components/Differences.js';
import { useDocument } from '../../document/store.js';
import { RungView } from '../../components/ladder/RungView.js';
import { modelOf } from '../../components/ladder/rung-model.js';
import { type ControllerLive, openControllerLive } from './controller-live.js';

interface Download {
  readonly state: 'none' | 'sending' | 'done' | 'failed';
  readonly sent: number;
  readonly total: number;
  readonly message?: string;
  readonly lost?: readonly string[];
}
interface Status {
  readonly name: string;
  readonly state: 'empty' | 'run' | 'stop' | 'fault';
  readonly mode: 'run' | 'stop';
  readonly project?: string;
  readonly revision?: number;
  readonly scan: number;
  readonly scanMs: number;
  readonly usedMs: number;
  readonly jitterMs: number;
  readonly missed: number;
  readonly forces: readonly unknown[];
  readonly fault?: string;
  readonly upMs: number;
  readonly hash?: string;
}
const NO_TAGS = {};
interface Comparison {
  readonly same: boolean;
  readonly revision: number;
  readonly controllerRevision: number | null;
  readonly differences: readonly Difference[] | null;
}

const STATE = { empty: 'No program', run: 'Run', stop: 'Stop', fault: 'Fault' } as const;

export function ControllerArea() {
  const id = useDocument((s) => s.id);
  const [message, setMessage] = useState<string>();
  const status = useSWR<Status>('/controller/status', {
    refreshInterval: 500,
    shouldRetryOnError: false,
    dedupingInterval: 200,
  });
  const download = useSWR<Download>('/controller/download', { refreshInterval: 300, dedupingInterval: 200 });
  const cabinet = useSWR<{ network: 'ok' | 'slow' | 'cut' }>('/controller/cabinet', {
    refreshInterval: 2000,
    shouldRetryOnError: false,
  });
  const online = status.data !== undefined && !status.error;
  const saving = useDocument((s) => s.saving),
    revision = useDocument((s) => s.revision);
  const comparison = useSWR<Comparison>(
    online && id && saving === 'saved'
      ? `/controller/compare/${id}?${status.data?.hash ?? ''}&${revision ?? ''}`
      : null,
    { refreshInterval: 4000, keepPreviousData: true },
  );
  const live = useControllerLive(setMessage);

  const attempt = async (run: () => Promise<unknown>) => {
    setMessage(undefined);
    try {
      await run();
    } catch (e) {
      setMessage(messageOf(e));
    }
    await Promise.all([status.mutate(), download.mutate(), cabinet.mutate()]);
  };
  const send = (mode: 'restart' | 'keep') =>
    attempt(async () => {
      await useDocument.getState().flush();
      await api('POST', '/controller/download', { projectId: id, mode });
    });
  const d = download.data;
  return (
    <div className="grid h-full min-h-0 grid-cols-[280px_minmax(0,1fr)]">
      <aside
        aria-label="Controller"
        className="flex min-h-0 flex-col gap-4 overflow-y-auto border-r border-edge bg-sunk p-4"
      >
        <Facts status={status.data} online={online} />
        <div className="flex gap-2">
          <Button
            className="flex-1 justify-center"
            disabled={!online || status.data?.mode === 'run'}
            onClick={() => void attempt(() => api('POST', '/controller/mode', { mode: 'run' }))}
          >
            Run
          </Button>
          <Button
            className="flex-1 justify-center"
            disabled={!online || status.data?.mode === 'stop'}
            onClick={() => void attempt(() => api('POST', '/controller/mode', { mode: 'stop' }))}
          >
            Stop
          </Button>
        </div>
        <section aria-label="Download" className="flex flex-col gap-2">
          <h3 className="text-[12px] font-semibold text-soft">Download</h3>
          <Readiness />
          <Button
            look="strong"
            className="justify-center"
            disabled={!online || d?.state === 'sending'}
            onClick={() => void send('restart')}
          >
            Download and restart
          </Button>
          <Button
            className="justify-center"
            disabled={!online || d?.state === 'sending' || status.data?.state === 'empty'}
            onClick={() => void send('keep')}
          >
            Download, keep state
          </Button>
          {d && d.state !== 'none' && <Progress d={d} />}
        </section>
        <section aria-label="Cabinet" className="mt-auto flex flex-col gap-1.5 border-t border-edge pt-3">
          <h3 className="text-[12px] font-semibold text-soft">At the cabinet</h3>
          <div role="radiogroup" aria-label="Network" className="flex gap-1">
            {(['ok', 'slow', 'cut'] as const).map((s) => (
              <button
                key={s}
                role="radio"
                aria-checked={cabinet.data?.network === s}
                onClick={() => void attempt(() => api('POST', '/controller/cabinet/network', { state: s }))}
                className={`h-7 flex-1 rounded-md border text-[12px] ${cabinet.data?.network === s ? 'border-copper bg-glow font-semibold' : 'border-edge bg-sheet'}`}
              >
                {{ ok: 'Network on', slow: 'Slow', cut: 'Cut' }[s]}
              </button>
            ))}
          </div>
        </section>
      </aside>
      <div className="grid min-h-0 grid-rows-[auto_minmax(0,1fr)]">
        <div>
          {(message ?? (!online && status.error ? messageOf(status.error) : undefined)) && (
            <p role="alert" className="border-b border-edge bg-bad-soft px-4 py-1.5 text-bad">
              {message ?? messageOf(status.error)}
            </p>
          )}
          {status.data?.fault && online && (
            <p role="alert" className="border-b border-edge bg-bad-soft px-4 py-1.5 font-mono text-[12px] text-bad">
              {status.data.fault}
            </p>
          )}
        </div>
        <div className="grid min-h-0 grid-cols-[minmax(0,1fr)_300px]">
          <section aria-label="Online" className="min-h-0 overflow-y-auto bg-sheet">
            <Compare comparison={comparison.data} online={online} />
            {live && online && status.data?.state !== 'empty' && comparison.data?.same && (
              <LiveProvider value={live}>
                <details className="border-b border-edge">
                  <summary className="cursor-pointer px-4 py-2 font-semibold">I/O checkout at the controller</summary>
                  <Checkout />
                </details>
                <LiveRungs />
              </LiveProvider>
            )}
          </section>
          <aside
            aria-label="Panel at the controller"
            className="min-h-0 overflow-y-auto border-l border-edge bg-sunk p-2.5"
          >
            {live && online && comparison.data?.same ? (
              <LiveProvider value={live}>
                <LivePanel live={live} />
              </LiveProvider>
            ) : (
              <p className="p-2 text-soft">
                The panel and the rungs are live here once the controller runs this very revision.
              </p>
            )}
          </aside>
        </div>
      </div>
    </div>
  );
}

function useControllerLive(onRefused: (m: string) => void): ControllerLive | undefined {
  const [live, setLive] = useState<ControllerLive>();
  useEffect(() => {
    const l = openControllerLive(onRefused);
    setLive(l);
    return () => l.close();
  }, []);
  return live;
}

function Facts({ status, online }: { readonly status: Status | undefined; readonly online: boolean }) {
  const rows: readonly (readonly [string, string])[] =
    online && status
      ? [
          ['State', STATE[status.state]],
          ['Runs', status.project ? `${status.project}, rev ${status.revision}` : 'nothing yet'],
          ['Scan', status.scanMs ? `${status.scanMs} ms · ${status.usedMs.toFixed(2)} ms used` : '–'],
          ['Load', status.scanMs ? `${((100 * status.usedMs) / status.scanMs).toFixed(1)} %` : '–'],
          ['Jitter', `${status.jitterMs.toFixed(1)} ms worst`],
          ['Forces', String(status.forces.length)],
          ['Since power-up', durationText(status.upMs)],
        ]
      : [];
  return (
    <section aria-label="Status">
      <h2 className="flex justify-between pb-1 text-[12px] font-semibold text-soft">
        {status?.name ?? 'Cabinet A'}
        <span className={online ? 'text-good' : 'text-bad'}>{online ? 'online' : 'offline'}</span>
      </h2>
      <dl>
        {rows.map(([k, v]) => (
          <div key={k} className="flex justify-between gap-3 border-b border-edge py-1">
            <dt className="text-soft">{k}</dt>
            <dd className="text-right font-semibold">{v}</dd>
          </div>
        ))}
      </dl>
    </section>
  );
}

/** What stands against a download, said before it is made. */
function Readiness() {
  const errors = useBench((s) => s.checked?.problems.filter((p) => p.severity === 'error').length ?? 0);
  return errors ? (
    <p className="text-bad">
      ✕ {errors} error{errors > 1 ? 's' : ''} in the logic: mend {errors > 1 ? 'them' : 'it'} first.
    </p>
  ) : (
    <p className="text-soft">
      <span className="text-good">✓</span> The logic has no errors.
    </p>
  );
}

function Progress({ d }: { readonly d: Download }) {
  const percent = d.total ? Math.round((100 * d.sent) / d.total) : 0;
  if (d.state === 'sending')
    return (
      <div>
        <div
          role="progressbar"
          aria-label="Download"
          aria-valuenow={percent}
          className="h-1.5 overflow-hidden rounded bg-edge"
        >
          <div className="h-full bg-copper" style={{ width: `${percent}%` }} />
        </div>
        <p className="pt-1 text-soft">
          {d.sent} of {d.total} bytes. The old program runs on until all is there.
        </p>
      </div>
    );
  if (d.state === 'failed')
    return (
      <p role="alert" className="rounded-md bg-bad-soft px-2 py-1 text-bad">
        {d.message}
      </p>
    );
  return (
    <p role="status" className="text-soft">
      <span className="text-good">✓</span> Downloaded and verified by its hash.
      {d.lost?.length ? ` Not kept: ${d.lost.join('; ')}.` : ''}
    </p>
  );
}

function Compare({ comparison, online }: { readonly comparison: Comparison | undefined; readonly online: boolean }) {
  const tags = useBench((s) => s.checked?.tags) ?? NO_TAGS;
  if (!online) return <p className="p-4 text-soft">Offline. Nothing is known of the controller now.</p>;
  if (!comparison) return <p className="p-4 text-soft">Comparing …</p>;
  if (comparison.same)
    return (
      <p className="border-b border-edge px-4 py-2 text-soft">
        <span className="text-good">✓</span> The controller runs exactly this project (rev{' '}
        {comparison.controllerRevision}).
      </p>
    );
  if (!comparison.differences)
    return <p className="p-4 text-soft">The controller has no program yet. Download this project to it.</p>;
  if (!comparison.differences.length) return <p className="p-4 text-soft">Nothing that could be compared differs.</p>;
  return (
    <>
      <p className="px-4 py-2 text-soft">
        {comparison.differences.length} difference{comparison.differences.length > 1 ? 's' : ''}
      </p>
      <Differences
        differences={comparison.differences}
        before={`Controller, rev ${comparison.controllerRevision}`}
        after={`Project, rev ${comparison.revision}`}
        tags={tags}
      />
    </>
  );
}

function LiveRungs() {
  const project = useDocument((s) => s.project) as Project;
  const tags = useBench((s) => s.checked?.tags) ?? {};
  const programs = project.pous.filter((p): p is ProjectPou & { language: 'LD' } => p.language === 'LD');
  const [chosen, setChosen] = useState(0);
  const pou = programs[chosen] ?? programs[0];
  const declared = useMemo(() => new Map(project.tags.map((t) => [t.name.toLowerCase(), t])), [project.tags]);
  const models = useMemo(() => pou?.rungs.map((r) => modelOf(r, tags, 560)) ?? [], [pou, tags]);
  return (
    <div>
      <div className="sticky top-0 z-10 flex gap-1 border-b border-edge bg-sunk px-3 pt-1.5">
        {programs.map((p, i) => (
          <button
            key={p.id}
            onClick={() => setChosen(i)}
            className={`rounded-t-lg px-3 py-1 ${p === pou ? 'bg-sheet font-semibold' : 'text-soft'}`}
          >
            {p.name}
          </button>
        ))}
        <span className="ml-auto self-center text-[12px] text-soft">live from the controller</span>
      </div>
      {pou?.rungs.map((r, i) => (
        <div
          key={r.id}
          className="flex border-b border-edge"
          style={{
            contentVisibility: 'auto',
            containIntrinsicSize: `auto ${(models[i]?.layout?.height ?? 80) + 30}px`,
          }}
        >
          <span className="w-10 shrink-0 border-r border-edge bg-sunk pt-2 text-center font-mono text-[12px] text-faint">
            {i + 1}
          </span>
          <div className="overflow-x-auto px-3 py-1">
            {r.comment && <p className="text-soft">{r.comment}</p>}
            <RungView id={r.id} label={`Live rung ${i + 1}`} model={models[i]!} tags={tags} declared={declared} />
          </div>
        </div>
      ))}
    </div>
  );
}

function LivePanel({ live }: { readonly live: ControllerLive }) {
  const scan = useStore(live.store, (s) => s.frame?.scan);
  return (
    <>
      <p className="px-1 pb-2 text-soft">Live · scan {scan ?? '–'}. What you press here reaches the controller.</p>
      <Panel />
    </>
  );
}
