/**
 * The draft at the controller: what differs, tried whole or in part, backed out of, kept. Download and upload beside
 * it.
 */
import { useEffect, useState } from 'react';
import { useNavigate } from 'react-router';
import { useStore } from 'zustand';
import type { FirstScans } from '@ferrule/core/bench';
import { api } from '../../api.js';
import { askBench, useBench } from '../../bench/live.js';
import { Button } from '../../components/ui.js';
import { newId, useDocument } from '../../document/store.js';
import { backOut, holdTrial, letTrialGo, trialStore, whoAmI } from '../../components/trial.js';
import { BeforeTry } from './BeforeTry.js';
import type { ControllerView, Download } from './status.js';

const GRACES = [10, 60, 300, 1800] as const;
const graceText = (s: number) => (s < 60 ? `${s} s` : `${s / 60} min`);

/** Shows the trial, or how to begin one. `chosen`: keys of the differences to try. */
export function LiveEdit({ view, chosen }: { readonly view: ControllerView; readonly chosen: readonly string[] }) {
  const { status, comparison, online, attempt, id, download, isSending } = view;
  const isHeld = useStore(trialStore, (s) => s.isHeld);
  const [grace, setGrace] = useState(60);
  const count = comparison?.differences?.length ?? 0;
  if (!online || !status || status.state === 'empty') return null;
  if (status.trial) {
    const { trial } = status;
    return (
      <section aria-label="Live edit" className="flex flex-col gap-2 rounded-lg border border-copper bg-glow p-2.5">
        <h3 className="font-semibold">On trial: rev {trial.revision}</h3>
        <p className="text-soft">
          {trial.by} has been trying it for {Math.floor(trial.ranMs / 1000)} s. Without a word from there the controller
          backs out by itself in {Math.max(0, Math.ceil(trial.leftMs / 1000))} s
          {isHeld ? '; this page says it every second' : '; this page does not hold it'}.
        </p>
        <div className="flex gap-2">
          <Button
            className="flex-1 justify-center"
            {...(isHeld ? { keys: 'F10' } : {})}
            onClick={() => void attempt(backOut)}
          >
            Back out
          </Button>
          <Button
            look="strong"
            className="flex-1 justify-center"
            onClick={() =>
              void attempt(async () => {
                await api('POST', '/controller/trial/keep', { by: whoAmI() });
                letTrialGo();
              })
            }
          >
            Keep
          </Button>
        </div>
      </section>
    );
  }
  if (status.beside) return <BesideThere view={view} />;
  if (!comparison || comparison.same || !count) return null;
  const some = chosen.length < count;
  const begin = (what: 'trial' | 'run beside') =>
    attempt(async () => {
      await useDocument.getState().flush();
      const ticket = newId('trial');
      await api('POST', '/controller/try', {
        projectId: id,
        against: comparison.controllerHash,
        what,
        ...(what === 'trial' ? { graceMs: grace * 1000 } : {}),
        by: whoAmI(),
        ticket,
        ...(some ? { only: chosen } : {}),
      });
      if (what === 'trial') holdTrial(ticket);
    });
  return (
    <section aria-label="Live edit" className="flex flex-col gap-2">
      <h3 className="flex justify-between text-[12px] font-semibold text-soft">
        Live edit <span>{some ? `${chosen.length} of ${count} chosen` : `${count} to try`}</span>
      </h3>
      {chosen.length > 0 && <BeforeTry view={view} only={some ? chosen : undefined} />}
      <label className="flex items-center justify-between gap-2 text-soft">
        Backs out by itself after
        <select
          value={grace}
          onChange={(e) => setGrace(Number(e.target.value))}
          className="h-7 rounded-md border border-edge bg-sheet px-1 text-ink"
        >
          {GRACES.map((s) => (
            <option key={s} value={s}>
              {graceText(s)}
            </option>
          ))}
        </select>
      </label>
      <div className="flex gap-2">
        <Button
          className="flex-1 justify-center"
          disabled={!chosen.length || isSending || status.state !== 'run'}
          onClick={() => void begin('run beside')}
        >
          Run beside
        </Button>
        <Button
          look="strong"
          className="flex-1 justify-center"
          disabled={!chosen.length || isSending}
          onClick={() => void begin('trial')}
        >
          Try{some ? ` ${chosen.length} chosen` : ''}
        </Button>
      </div>
      {download?.what !== 'download' && download && download.state !== 'none' && <Progress d={download} />}
    </section>
  );
}

/** A draft that runs beside: what its outputs would do differently. Each opens where both versions stand. */
function BesideThere({ view }: { readonly view: ControllerView }) {
  const { status, attempt } = view,
    beside = status!.beside!;
  return (
    <section aria-label="Run beside" className="flex flex-col gap-2 rounded-lg border border-edge bg-sheet p-2.5">
      <h3 className="font-semibold">Beside: rev {beside.revision}</h3>
      <p className="text-soft">
        On the same inputs, its outputs going nowhere, for {beside.scans.toLocaleString('en')} scans.
      </p>
      {beside.differences.length ? (
        <ul aria-label="Outputs that differ">
          {beside.differences.map((d) => (
            <li key={d.path} className="border-t border-edge py-1">
              <button className="font-semibold underline" onClick={() => view.setLooked(d.path)}>
                {d.path}
              </button>{' '}
              {d.isNow ? `is ${d.kept}, would be ${d.draft}` : 'the same now'}
              <p className="text-[12px] text-soft">
                in {d.count.toLocaleString('en')} scan{d.count === 1 ? '' : 's'}, first at scan{' '}
                {d.first.toLocaleString('en')}
              </p>
            </li>
          ))}
        </ul>
      ) : (
        <p>No output differs so far.</p>
      )}
      <Button
        className="justify-center"
        onClick={() => void attempt(() => api('POST', '/controller/beside/end', { by: whoAmI() }))}
      >
        End the run beside
      </Button>
    </section>
  );
}

export function Downloads({ view }: { readonly view: ControllerView }) {
  const { id, online, status, download: d, attempt, isSending } = view;
  const navigate = useNavigate();
  const [note, setNote] = useState(''),
    [into, setInto] = useState<'stop' | 'run'>('stop');
  const isBusy = isSending || status?.trial !== undefined;
  const send = (mode: 'restart' | 'keep') =>
    attempt(async () => {
      await useDocument.getState().flush();
      await api('POST', '/controller/download', {
        projectId: id,
        mode,
        ...(mode === 'restart' ? { into } : {}),
        ...(note.trim() ? { note: note.trim() } : {}),
      });
      setNote('');
    });
  return (
    <section aria-label="Download" className="flex flex-col gap-2">
      <h3 className="text-[12px] font-semibold text-soft">Download</h3>
      <Readiness />
      <textarea
        aria-label="Note with the download"
        placeholder="What changed, for the log"
        maxLength={2000}
        rows={1}
        value={note}
        onChange={(e) => setNote(e.target.value)}
        className="max-h-40 min-h-8 resize-none rounded-md border border-edge bg-sheet px-2 py-1 [field-sizing:content]"
      />
      <div className="flex gap-1.5">
        <Button
          look="strong"
          className="flex-1 justify-center"
          disabled={!online || isBusy}
          onClick={() => void send('restart')}
        >
          Download and restart
        </Button>
        <select
          aria-label="After the restart"
          value={into}
          onChange={(e) => setInto(e.target.value as 'stop' | 'run')}
          className="h-8 rounded-md border border-edge bg-sheet px-1"
        >
          <option value="stop">into stop</option>
          <option value="run">into run</option>
        </select>
      </div>
      <Button
        className="justify-center"
        disabled={!online || isBusy || status?.state === 'empty'}
        onClick={() => void send('keep')}
      >
        Download, keep state
      </Button>
      {d && d.state !== 'none' && d.what === 'download' && <Progress d={d} />}
      <Button
        className="justify-center"
        disabled={!online || isSending || status?.state === 'empty'}
        onClick={() =>
          void attempt(async () => {
            const made = await api<{ id: string }>('POST', '/controller/upload');
            void navigate(`/projects/${made.id}/logic`);
          })
        }
      >
        Upload into a new project
      </Button>
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
    <>
      <p className="text-soft">
        <span className="text-good">✓</span> The logic has no errors.
      </p>
      <FirstOutputs />
    </>
  );
}

/** What a restart would switch on by itself, unasked, where there is something to say. */
function FirstOutputs() {
  const generation = useBench((s) => s.frame?.generation),
    isMachine = useDocument((s) => (s.project?.machine.devices.length ?? 0) > 0);
  const [first, setFirst] = useState<FirstScans>();
  useEffect(() => {
    let isOn = true;
    void askBench('firstScans', { warm: false }).then((f) => {
      if (isOn) setFirst(f);
    });
    return () => {
      isOn = false;
    };
  }, [generation]);
  const outputs = first?.on.filter((f) => f.isOutput) ?? [];
  if (!outputs.length) return null;
  return (
    <p role="note" aria-label="Switched on by a restart">
      After a restart from initial values the first {first!.scans.toLocaleString('en')} scans switch on{' '}
      {outputs
        .slice(0, 5)
        .map((f) => `${f.path} (scan ${f.scan.toLocaleString('en')})`)
        .join(', ')}
      {outputs.length > 5 ? ` and ${outputs.length - 5} more` : ''};{' '}
      {isMachine ? 'as the machine model answers' : 'with every input at its initial value'}.
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
          aria-label={{ download: 'Download', trial: 'Trial', 'run beside': 'Run beside' }[d.what]}
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
      <span className="text-good">✓</span>{' '}
      {d.what === 'download' ? 'Downloaded and verified by its hash.' : 'Sent, and verified by its hash.'}
      {d.lost?.length ? ` Not kept: ${d.lost.join('; ')}.` : ''}
    </p>
  );
}
