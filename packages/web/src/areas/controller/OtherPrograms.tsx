/** What is open to other programs: the switch, the address to use, who is there, and which number is what. */
import useSWR from 'swr';
import { csvLine } from '@ferrule/core';
import { api } from '../../api.js';
import { saveAs } from '../../components/save-as.js';
import { Button } from '../../components/ui.js';
import { durationText } from '../../components/values.js';
import { useDocument } from '../../document/store.js';
import type { ControllerView } from './status.js';

interface OpenState {
  readonly modbus: {
    readonly isOn: boolean;
    readonly port: number;
    readonly words: 'high first' | 'low first';
    readonly error?: string;
    readonly quality: 'good' | 'uncertain' | 'bad';
    readonly clients: readonly {
      readonly address: string;
      readonly forMs: number;
      readonly requests: number;
      readonly writes: number;
      readonly refused: number;
    }[];
    /** The first row names the columns. */ readonly rows: readonly (readonly string[])[];
    readonly left: readonly string[];
  };
}

const QUALITY = {
  good: 'Good: the scan runs.',
  uncertain: 'Uncertain.',
  bad: 'Bad: the scan does not run; values are as it left them.',
} as const;

export function OtherPrograms({ view }: { readonly view: ControllerView }) {
  const { attempt } = view;
  const open = useSWR<OpenState>('/controller/open', { refreshInterval: 1000, dedupingInterval: 300 });
  const m = open.data?.modbus;
  const set = (change: { modbus: boolean; words: string }) =>
    void attempt(async () => {
      await api('PUT', '/controller/open', change);
      await open.mutate();
    });
  if (!m) return <p className="p-4 text-soft">Asking the controller …</p>;
  const [head = [], ...rows] = m.rows;
  return (
    <div className="flex flex-col gap-3 p-3">
      <section aria-label="Modbus TCP" className="flex flex-col gap-2">
        <div className="flex flex-wrap items-center gap-3">
          <label className="flex items-center gap-2 font-semibold">
            <input
              type="checkbox"
              role="switch"
              className="accent-copper"
              checked={m.isOn}
              onChange={(e) => set({ modbus: e.target.checked, words: m.words })}
            />
            Modbus TCP is open to other programs
          </label>
          {m.isOn && !m.error && (
            <code className="rounded bg-sunk px-1.5 py-0.5 font-mono text-[12px]">127.0.0.1:{m.port}</code>
          )}
          <span className="flex-1" />
          <select
            aria-label="Word order"
            value={m.words}
            onChange={(e) => set({ modbus: m.isOn, words: e.target.value })}
            className="h-8 rounded-md border border-edge bg-sheet px-1"
          >
            <option value="high first">high word first</option>
            <option value="low first">low word first</option>
          </select>
        </div>
        {m.error && (
          <p role="alert" className="rounded-md bg-bad-soft px-2 py-1 text-bad">
            {m.error}
          </p>
        )}
        <p className="text-soft">
          Any unit number; within a register the high byte comes first; numbers count from 0. Only programs on this
          machine reach it. Discrete input 65535 is on while values are good.
        </p>
        {m.isOn && (
          <p>
            <b className={m.quality === 'good' ? 'text-good' : 'text-bad'}>{QUALITY[m.quality]}</b>{' '}
            {m.clients.length ? '' : 'Nobody is connected.'}
          </p>
        )}
        {m.clients.length > 0 && (
          <ul aria-label="Connected over Modbus">
            {m.clients.map((c) => (
              <li key={c.address} className="flex justify-between border-t border-edge py-1">
                <span className="font-mono text-[12px]">{c.address}</span>
                <span className="text-soft">
                  for {durationText(c.forMs)} · {c.requests.toLocaleString('en')} requests ·{' '}
                  {c.writes.toLocaleString('en')} values written · {c.refused.toLocaleString('en')} refused
                </span>
              </li>
            ))}
          </ul>
        )}
      </section>
      <section aria-label="Modbus mapping">
        <div className="flex items-center gap-2 pb-1">
          <h3 className="flex-1 font-semibold">
            {rows.length} point{rows.length === 1 ? '' : 's'}
          </h3>
          <a className="underline" href={`/api/projects/${view.id}/report#modbus`} target="_blank" rel="noreferrer">
            Print it with the report
          </a>
          <Button
            tight
            disabled={!rows.length}
            onClick={() => saveAs('modbus.csv', m.rows.map(csvLine).join(''), 'text/csv')}
          >
            Save as CSV
          </Button>
        </div>
        {!rows.length && (
          <p className="text-soft">
            Nothing: no tag of the program there has access from outside. Give it in Tags, under Access, and download.
          </p>
        )}
        {m.left.map((words) => (
          <p key={words} role="note" className="text-bad">
            {words}
          </p>
        ))}
        {rows.length > 0 && (
          <div tabIndex={0} className="overflow-x-auto">
            <table className="w-full border-collapse text-left">
              <thead>
                <tr className="text-soft">
                  {SHOWN.map((i) => (
                    <th key={i} scope="col" className="border-b border-edge px-1.5 py-1 font-normal">
                      {head[i]}
                    </th>
                  ))}
                </tr>
              </thead>
              <tbody>
                {rows.map((r) => (
                  <tr key={r[0]}>
                    {SHOWN.map((i) => (
                      <td
                        key={i}
                        className={`border-b border-edge px-1.5 py-1 ${i === 0 || i === 3 ? 'font-mono text-[12px]' : ''}`}
                      >
                        {i === 3 ? <OwnNumber row={r} /> : r[i]}
                      </td>
                    ))}
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
        )}
      </section>
    </div>
  );
}
/** Point, type, table, number, registers, access, unit. */
const SHOWN = [0, 1, 2, 3, 4, 5, 7] as const;
const SHORT: Readonly<Record<string, string>> = {
  'discrete input': 'discrete',
  coil: 'coil',
  'input register': 'input',
  'holding register': 'holding',
};

/** The number, and the way to another one: it is the open project's tag that states it, for the next download. */
function OwnNumber({ row }: { readonly row: readonly string[] }) {
  const tag = useDocument((s) => s.project?.tags.find((t) => t.name === row[0])),
    edit = useDocument((s) => s.edit);
  const now = `${SHORT[row[2]!] ?? ''} ${row[3]}`;
  if (!tag?.access) return row[3];
  const isOther = tag.modbus !== undefined && tag.modbus.toLowerCase() !== now;
  return (
    <span className="flex items-center gap-1">
      <input
        key={tag.modbus ?? ''}
        aria-label={`Modbus number of ${tag.name}`}
        defaultValue={/\d+$/.exec(tag.modbus ?? '')?.[0] ?? row[3]}
        inputMode="numeric"
        className="w-16 rounded-sm border border-transparent bg-transparent px-1 hover:border-edge focus:border-copper"
        onKeyDown={(e) => {
          if (e.key === 'Enter') e.currentTarget.blur();
        }}
        onBlur={(e) => {
          const n = e.currentTarget.value.trim();
          if (n === row[3] && tag.modbus === undefined) return;
          edit({
            kind: 'changeTag',
            id: tag.id,
            to: { modbus: /^\d{1,5}$/.test(n) ? `${SHORT[row[2]!]} ${n}` : null },
          });
        }}
      />
      {isOther && <span className="text-[11px] text-copper-ink">with the next download</span>}
    </span>
  );
}
