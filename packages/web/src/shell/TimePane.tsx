/** Which task and rung costs what time, measured on the scan shown. */
import { useState } from 'react';
import { useNavigate, useParams } from 'react-router';
import { askBench } from '../bench/live.js';
import type { Answers } from '../bench/protocol.js';
import { addressOfPlace } from '../components/asking.js';
import { Button } from '../components/ui.js';

export function TimePane() {
  const [parts, setParts] = useState<Answers['profile']['answer']>();
  const [busy, setBusy] = useState(false);
  const navigate = useNavigate();
  const { id } = useParams();
  const measure = async () => {
    setBusy(true);
    setParts(await askBench('profile', {}));
    setBusy(false);
  };
  const total = (parts ?? []).reduce((n, p) => n + p.micros, 0);
  const tasks = [...new Set((parts ?? []).map((p) => p.task))].map((t) => ({
    name: t || 'no task',
    micros: (parts ?? []).filter((p) => p.task === t).reduce((n, p) => n + p.micros, 0),
  }));
  return (
    <div className="px-3 py-2">
      <div className="flex items-center gap-2">
        <Button look="strong" disabled={busy} onClick={() => void measure()}>
          {busy ? 'Measuring …' : 'Measure this scan'}
        </Button>
        {parts && (
          <span className="text-soft">
            {parts.length ? `${total.toFixed(2)} µs in the programs` : 'Run at least one scan first.'}
          </span>
        )}
      </div>
      {!parts && (
        <p className="mt-2 text-soft">
          The scan shown is run again and again up to each of its rungs; the difference is what the rung costs on this
          computer.
        </p>
      )}
      {parts && parts.length > 0 && (
        <>
          <p className="mt-1.5">
            {tasks.map((t) => (
              <span key={t.name} className="mr-3">
                {t.name} <b className="font-mono text-[11.5px]">{t.micros.toFixed(2)} µs</b>
              </span>
            ))}
          </p>
          <table className="mt-1 w-full">
            <tbody>
              {[...parts]
                .sort((a, b) => b.micros - a.micros)
                .slice(0, 40)
                .map((p, i) => (
                  <tr key={i} className="border-b border-edge">
                    <td>
                      <button
                        className="py-0.5 text-left hover:text-copper-ink"
                        onClick={() => {
                          if (p.place && id) void navigate(addressOfPlace(p.place, id));
                        }}
                      >
                        {p.words}
                      </button>
                    </td>
                    <td className="w-28">
                      <span
                        className="block h-1.5 rounded bg-copper"
                        style={{
                          width: `${total ? Math.max(1, (100 * p.micros) / Math.max(...parts.map((x) => x.micros))) : 0}%`,
                        }}
                      />
                    </td>
                    <td className="w-20 text-right font-mono text-[11.5px] tabular-nums">{p.micros.toFixed(3)} µs</td>
                  </tr>
                ))}
            </tbody>
          </table>
        </>
      )}
    </div>
  );
}
