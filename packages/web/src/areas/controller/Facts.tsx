/** What the controller says of itself, and its forces. */
import { api } from '../../api.js';
import { Button } from '../../components/ui.js';
import { durationText } from '../../components/values.js';
import type { ControllerView, Status } from './status.js';

const STATE = { empty: 'No program', run: 'Run', stop: 'Stop', fault: 'Fault' } as const;

const OUTSIDE = { joining: 'is being joined', on: 'joined', away: 'is away' } as const;

/** What stands in the list of the controller's state, by its heading. */
export function rowsOf(s: Status): readonly (readonly [string, string])[] {
  const rev = (n: number | undefined) => `rev ${n}`;
  return [
    ['State', STATE[s.state]],
    [
      'Runs',
      s.project === undefined
        ? 'nothing yet'
        : s.trial
          ? `${rev(s.trial.revision)} on trial`
          : `${s.project}, ${rev(s.revision)}`,
    ],
    ...(s.trial ? [['Keeps', `${s.project}, ${rev(s.revision)}`] as const] : []),
    ...(s.note ? [['Note', s.note] as const] : []),
    ...(s.takenAt ? [['Came', when(s.takenAt)] as const] : []),
    // Where no scan was measured yet nothing is said of any.
    [
      'Scan',
      !s.scanMs
        ? '–'
        : s.measuredScans
          ? `${s.scanMs} ms · ${s.usedMs.toFixed(2)} ms used, ${((100 * s.usedMs) / s.scanMs).toFixed(1)} %`
          : `${s.scanMs} ms`,
    ],
    ['Jitter', s.measuredScans ? `99.9 % within ${s.mostlyMs.toFixed(1)} ms` : '–'],
    ['Worst', s.measuredScans ? `${s.jitterMs.toFixed(1)} ms · ${s.missed} missed` : '–'],
    ['Outside I/O', s.outside ? `${s.outside.address} ${OUTSIDE[s.outside.state]}` : 'none'],
    ['Retained', `${s.retained} value${s.retained === 1 ? '' : 's'}`],
    ['Connected', `${s.views} live view${s.views === 1 ? '' : 's'}`],
    ['Since power-up', durationText(s.upMs)],
  ];
}

const when = (ms: number) =>
  new Date(ms).toLocaleString('en-GB', { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' });

export function Facts({ view }: { readonly view: ControllerView }) {
  const { status, online, attempt } = view;
  return (
    <>
      <section aria-label="Status">
        <h2 className="flex justify-between pb-1 text-[12px] font-semibold text-soft">
          {status?.name ?? 'Cabinet A'}
          <span className={online ? 'text-good' : 'text-bad'}>{online ? 'online' : 'offline'}</span>
        </h2>
        <dl>
          {(online && status ? rowsOf(status) : []).map(([k, v]) => (
            <div key={k} className="flex justify-between gap-3 border-b border-edge py-[3px]">
              <dt className="text-soft">{k}</dt>
              <dd
                className={`min-w-0 text-right font-semibold ${k === 'Note' ? 'max-h-24 overflow-y-auto break-words whitespace-pre-line' : 'truncate'}`}
                title={v}
              >
                {v}
              </dd>
            </div>
          ))}
        </dl>
        {online && status && status.state !== 'empty' && (
          <button
            className="pt-1 text-soft underline hover:text-ink"
            title="Load, lateness and missed scans count from now on"
            onClick={() => void attempt(() => api('POST', '/controller/figures/anew', {}))}
          >
            Measure anew
          </button>
        )}
      </section>
      {online && status && (
        <section aria-label="Forces at the controller">
          <h3 className="flex items-center justify-between text-[12px] font-semibold text-soft">
            {status.forces.length} forced
            {status.forces.length > 0 && (
              <Button
                tight
                onClick={() => void attempt(() => api('POST', '/controller/events', { kind: 'releaseAll' }))}
              >
                Release all
              </Button>
            )}
          </h3>
          <ul>
            {status.forces.map((f) => (
              <li key={f.path} className="flex items-center justify-between gap-2 border-b border-edge py-1">
                <span className="min-w-0 truncate">
                  {f.path} = <span className="font-mono">{{ true: '1', false: '0' }[f.value] ?? f.value}</span>
                </span>
                <Button
                  tight
                  aria-label={`Release ${f.path}`}
                  onClick={() => void attempt(() => api('POST', '/controller/events', { kind: 'force', path: f.path }))}
                >
                  Release
                </Button>
              </li>
            ))}
          </ul>
        </section>
      )}
    </>
  );
}
