/** Upsets: one by one, and at random. */
import { useState } from 'react';
import { type Device } from '@ferrule/core/document';
import { tellBench, useBench, useLive, useLook, useValue } from '../../bench/live.js';
import { useKinds, useMachine } from '../kinds.js';
import { numberIn } from '../values.js';
import { labelOf, said } from './panel-parts.js';

/** What can go wrong, device by device; only looked at while it is open, since there can be hundreds. */
export function Upsets() {
  const { devices } = useMachine(),
    kind = useKinds();
  const [find, setFind] = useState('');
  const fits = (d: Device, name: string) =>
    `${labelOf(d)} ${d.name} ${said(name)}`.toLowerCase().includes(find.trim().toLowerCase());
  const rows = devices
    .map((d) => [d, (kind(d.type)?.upsets ?? []).filter((u) => fits(d, u.name))] as const)
    .filter(([, u]) => u.length);
  return (
    <>
      <Chance />
      {devices.length > 12 && (
        <input
          type="search"
          aria-label="Find an upset"
          placeholder="Find"
          value={find}
          onChange={(e) => setFind(e.target.value)}
          onKeyDown={(e) => e.stopPropagation()}
          className="mt-1.5 h-7 w-40 rounded border border-black/20 bg-white/40 px-1.5 text-[12px]"
        />
      )}
      <ul className="mt-1.5 grid gap-1">
        {rows.map(([d, upsets]) => (
          <li key={d.id} className="grid grid-cols-[6rem_1fr] gap-1">
            <span className="truncate text-[12px] leading-6" title={labelOf(d)}>
              {labelOf(d)}
            </span>
            <span className="flex flex-wrap gap-1">
              {upsets.map((u) => (
                <UpsetChip key={u.name} device={d} name={u.name} help={u.help} />
              ))}
            </span>
          </li>
        ))}
      </ul>
    </>
  );
}

const LEAST_SECONDS = 0.5,
  MOST_SECONDS = 86_400,
  MOST_SEED = 2_147_483_646;
/** Something goes wrong now and then by itself, the same for the same seed; at the bench only. */
function Chance() {
  const live = useLive(),
    chance = useBench((s) => s.frame?.chance);
  const [seed, setSeed] = useState('1');
  const [seconds, setSeconds] = useState('20');
  if (live.kind !== 'bench') return null;
  const every = numberIn(seconds, LEAST_SECONDS, MOST_SECONDS),
    start = numberIn(seed, 1, MOST_SEED);
  const wrong =
    every === undefined
      ? `The seconds between upsets go from ${LEAST_SECONDS} to ${MOST_SECONDS.toLocaleString('en')}.`
      : start === undefined || !Number.isInteger(start)
        ? `The seed is a whole number from 1 to ${MOST_SEED.toLocaleString('en')}.`
        : undefined;
  const tell = (on: boolean) =>
    tellBench({ kind: 'chance', seed: start ?? 1, everyMs: on && every !== undefined ? every * 1000 : 0 });
  const field =
    'h-7 rounded border border-black/20 bg-white/40 px-1.5 text-right font-mono text-[12px] disabled:opacity-60';
  return (
    <div className="mt-1.5 flex flex-wrap items-center gap-x-2 gap-y-1 text-[12px]">
      <label className="flex items-center gap-1.5">
        <input
          type="checkbox"
          checked={chance !== undefined}
          disabled={wrong !== undefined && chance === undefined}
          onChange={(e) => tell(e.target.checked)}
          className="accent-[var(--copper)]"
        />
        One at random about every
      </label>
      <label className="flex items-center gap-1">
        <input
          aria-label="Seconds between upsets"
          inputMode="decimal"
          disabled={chance !== undefined}
          value={seconds}
          onChange={(e) => setSeconds(e.target.value)}
          onKeyDown={(e) => e.stopPropagation()}
          className={`${field} w-12`}
        />{' '}
        s,
      </label>
      <label className="flex items-center gap-1">
        seed{' '}
        <input
          aria-label="Seed of the upsets"
          inputMode="numeric"
          disabled={chance !== undefined}
          value={seed}
          onChange={(e) => setSeed(e.target.value)}
          onKeyDown={(e) => e.stopPropagation()}
          className={`${field} w-12`}
        />
      </label>
      {wrong !== undefined && (
        <p role="alert" className="w-full text-bad">
          {wrong}
        </p>
      )}
    </div>
  );
}

function UpsetChip({ device, name, help }: { readonly device: Device; readonly name: string; readonly help: string }) {
  const live = useLive();
  const path = `Machine.${device.name}.${name}`;
  useLook([path]);
  const on = useValue(path) === true;
  return (
    <button
      role="switch"
      aria-checked={on}
      title={help}
      aria-label={`${labelOf(device)}: ${said(name)}`}
      onClick={() => live.event({ kind: 'write', path, value: on ? '0' : '1' })}
      className={`h-6 rounded-md border px-1.5 text-[11.5px] ${on ? 'border-bad bg-bad-soft font-semibold text-bad' : 'border-black/20 bg-white/30'}`}
    >
      {said(name)}
    </button>
  );
}
