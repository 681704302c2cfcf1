/** What the controller recorded: kept on a fault or taken by hand, opened on the bench with the program that ran. */
import { useState } from 'react';
import { useNavigate } from 'react-router';
import useSWR from 'swr';
import type { RunRecording } from '@ferrule/core/files';
import { api } from '../../api.js';
import { askBench } from '../../bench/live.js';
import { nameCompletion } from '../../components/names.js';
import { Button, EditSentence } from '../../components/ui.js';
import { durationText } from '../../components/values.js';
import type { ControllerView } from './status.js';

interface KeptRecording {
  readonly id: number;
  readonly at: number;
  readonly why: string;
  readonly program: string;
  readonly scans: number;
  readonly ms: number;
}
const LENGTHS = [
  [10_000, 'the last 10 s'],
  [60_000, 'the last minute'],
  [300_000, 'the last 5 minutes'],
  [600_000, 'the last 10 minutes'],
] as const;

export function Recordings({ view }: { readonly view: ControllerView }) {
  const { id, attempt, comparison, isSending } = view;
  const navigate = useNavigate();
  const [ms, setMs] = useState<number>(300_000);
  const list = useSWR<readonly KeptRecording[]>('/controller/recordings', { refreshInterval: 2000 });
  const take = () =>
    attempt(async () => {
      await api('POST', '/controller/recordings', { ms });
      await list.mutate();
    });
  const open = (r: KeptRecording) =>
    attempt(async () => {
      const run = await api<RunRecording>('GET', `/controller/recordings/${r.id}`);
      if (comparison?.hash === run.hash) {
        const played = await askBench('playBack', { text: JSON.stringify(run) });
        if ('error' in played) throw new Error(played.error);
        void navigate(`/projects/${id}/logic`);
        return;
      }
      // Another program than the open project: it comes with its recording, as a project of its own.
      const { project, ...rest } = run,
        runs = [{ id: 'recorded', name: `At the controller: ${r.why}`.slice(0, 200), recording: JSON.stringify(rest) }];
      const made = await api<{ id: string }>('POST', '/projects', {
        file: JSON.stringify({ ...project, bench: { ...project?.bench, runs } }),
      });
      void navigate(`/projects/${made.id}/logic?run=recorded`);
    });
  return (
    <div className="p-3">
      <div className="flex items-center gap-2 pb-2">
        <Button disabled={isSending} onClick={() => void take()}>
          Take
        </Button>
        <select
          aria-label="How much to take"
          value={ms}
          onChange={(e) => setMs(Number(e.target.value))}
          className="h-8 rounded-md border border-edge bg-sheet px-1"
        >
          {LENGTHS.map(([n, words]) => (
            <option key={n} value={n}>
              {words}
            </option>
          ))}
        </select>
        <p className="text-soft">A fault keeps what led to it by itself. The controller runs on meanwhile.</p>
      </div>
      <div className="flex items-center gap-2 pb-2">
        <span className="whitespace-nowrap text-soft">Record also when</span>
        <span className="min-w-0 flex-1 rounded-sm border border-edge bg-sheet">
          <EditSentence
            mono
            value={view.status?.recordWhen ?? ''}
            label="Condition to record on"
            complete={nameCompletion}
            marks={false}
            placeholder="Fault AND NOT Running"
            onCommit={(when) => void attempt(() => api('PUT', '/controller/recordings/when', { when }))}
          />
        </span>
        <span className="whitespace-nowrap text-soft">comes on (at most every 10 s).</span>
      </div>
      {view.status?.noCondition && (
        <p role="note" className="mb-2 rounded-md bg-bad-soft px-2 py-1 text-bad">
          It does not fit this program: {view.status.noCondition}
        </p>
      )}
      <ul aria-label="Recordings">
        {(list.data ?? []).map((r) => (
          <li key={r.id} className="flex items-center gap-3 border-t border-edge py-1.5">
            <div className="min-w-0 flex-1">
              <p className={r.why === 'taken by hand' ? '' : 'font-mono text-[12px] text-bad'}>{r.why}</p>
              <p className="text-[12px] text-soft">
                {new Date(r.at).toLocaleString('en-GB')} · {r.program} · {durationText(r.ms)},{' '}
                {r.scans.toLocaleString('en')} scans
              </p>
            </div>
            <Button tight disabled={isSending} onClick={() => void open(r)}>
              Open on the bench
            </Button>
          </li>
        ))}
      </ul>
      {list.data && !list.data.length && <p className="text-soft">Nothing is kept yet.</p>}
    </div>
  );
}
