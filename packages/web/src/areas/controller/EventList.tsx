/** The controller's event log, the newest first. */
import { useState } from 'react';
import type { ControllerView } from './status.js';

const KINDS: Readonly<Record<string, string>> = {
  power: 'Power',
  mode: 'Run and stop',
  download: 'Downloads',
  trial: 'Trials',
  force: 'Forces',
  fault: 'Faults',
  link: 'Network',
  memory: 'Memory',
};

export function EventList({ view }: { readonly view: ControllerView }) {
  const [kind, setKind] = useState('');
  const { events, dropped } = view.events ?? { events: [], dropped: 0 },
    shown = events.filter((e) => !kind || e.kind === kind);
  return (
    <div className="p-3">
      <label className="flex items-center gap-2 pb-2 text-soft">
        Show
        <select
          value={kind}
          onChange={(e) => setKind(e.target.value)}
          className="h-7 rounded-md border border-edge bg-sheet px-1 text-ink"
        >
          <option value="">everything</option>
          {Object.entries(KINDS).map(([k, words]) => (
            <option key={k} value={k}>
              {words}
            </option>
          ))}
        </select>
        <span>
          {shown.length} of the newest {events.length}
          {dropped ? `; ${dropped} could not be stored` : ''}
        </span>
      </label>
      <table className="w-full text-left" aria-label="Event log">
        <thead>
          <tr className="text-[12px] text-soft">
            <th className="w-44 border-b border-edge py-1 font-normal">When</th>
            <th className="w-28 border-b border-edge font-normal">What</th>
            <th className="border-b border-edge font-normal">Event</th>
          </tr>
        </thead>
        <tbody>
          {shown.map((e) => (
            <tr key={e.id} className={e.kind === 'fault' ? 'text-bad' : ''}>
              <td className="border-b border-edge py-1 font-mono text-[12px]">
                {new Date(e.at).toLocaleString('en-GB')}
              </td>
              <td className="border-b border-edge text-soft">{KINDS[e.kind] ?? e.kind}</td>
              <td className="border-b border-edge">{e.words}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
