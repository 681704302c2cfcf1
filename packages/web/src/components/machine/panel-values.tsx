/** What the panel shows and takes: lamps, displays, entries with a keypad, recipes. */
import { useRef, useState } from 'react';
import { Delete, Grid3x3 } from 'lucide-react';
import { Popover } from 'radix-ui';
import { type Device, capColour } from '@ferrule/core/document';
import { useLive, useLook, useValue } from '../../bench/live.js';
import { ring } from './panel-switches.js';
import { CAPS, LIT, labelOf, Post, KEYS, dial } from './panel-parts.js';

/** One of a list of names: what is made today. */
export function Recipe({
  device,
  handle,
  label,
  names,
}: {
  readonly device: Device;
  readonly handle: string;
  readonly label: string;
  readonly names: readonly string[];
}) {
  const live = useLive();
  const path = `Machine.${device.name}.${handle}`;
  useLook([path]);
  const now = Math.min(names.length, Math.max(1, Number(useValue(path) ?? 1)));
  return (
    <label className={`${dial} w-[136px]`}>
      <span className="truncate text-[10px] opacity-75">{label}</span>
      <select
        aria-label={label}
        value={now}
        onChange={(e) => live.event({ kind: 'write', path, value: e.target.value })}
        className="w-full bg-transparent text-[13px] font-semibold outline-none focus:underline [&>option]:bg-sheet [&>option]:text-ink"
      >
        {names.map((name, i) => (
          <option key={i} value={i + 1}>
            {i + 1} · {name}
          </option>
        ))}
      </select>
    </label>
  );
}

/** Digits to press with a finger or the mouse, for an entry on the panel. */
function Keypad({
  label,
  limits,
  text,
  onType,
  onEnter,
  onOpen,
}: {
  readonly label: string;
  readonly limits: string;
  readonly text: string;
  readonly onType: (text: string) => void;
  readonly onEnter: () => boolean;
  readonly onOpen: (open: boolean) => void;
}) {
  const [open, setOpen] = useState(false);
  const change = (to: boolean) => {
    setOpen(to);
    onOpen(to);
  };
  const press = (key: string) => onType(key === '−' ? (text.startsWith('-') ? text.slice(1) : `-${text}`) : text + key);
  return (
    <Popover.Root open={open} onOpenChange={change}>
      <Popover.Trigger asChild>
        <button
          type="button"
          className="absolute right-1 bottom-1.5 grid h-4 w-4 place-items-center rounded text-dial-ink opacity-60 hover:opacity-100"
        >
          <Grid3x3 size={11} aria-hidden />
          <span className="sr-only">Keypad for {label}</span>
        </button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          side="top"
          sideOffset={4}
          aria-label={`Keypad: ${label}`}
          className="z-50 w-[168px] rounded-lg border border-edge bg-dial p-2 text-dial-ink shadow-lg"
        >
          <p className="mb-1 flex justify-between text-[10.5px] opacity-75">
            <span className="truncate">{label}</span>
            <span className="shrink-0">{limits}</span>
          </p>
          <p
            aria-label="Typed so far"
            className="mb-2 h-7 rounded bg-black/40 px-2 text-right font-mono text-[16px] leading-7 font-semibold"
          >
            {text}
          </p>
          <div className="grid grid-cols-3 gap-1">
            {KEYS.map((k) => (
              <button
                key={k}
                onClick={() => press(k)}
                className="h-8 rounded bg-white/15 text-[14px] font-semibold hover:bg-white/25 active:bg-white/40"
              >
                {k}
              </button>
            ))}
            <button
              aria-label="Delete the last"
              onClick={() => onType(text.slice(0, -1))}
              className="grid h-8 place-items-center rounded bg-white/15 hover:bg-white/25"
            >
              <Delete size={14} />
            </button>
            <button
              onClick={() => {
                if (onEnter()) change(false);
              }}
              className="col-span-2 h-8 rounded bg-copper font-semibold text-sheet hover:brightness-110"
            >
              Enter
            </button>
          </div>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

export function Lamp({ device }: { readonly device: Device }) {
  const path = `Machine.${device.name}.Lit`;
  useLook([path]);
  const lit = useValue(path) === true;
  const colour = capColour(device);
  return (
    <Post label={labelOf(device)}>
      <span className={ring}>
        <span
          role="img"
          aria-label={`Lamp ${labelOf(device)} ${lit ? 'lit' : 'dark'}`}
          style={{
            background: lit ? LIT[colour] : `color-mix(in srgb, ${CAPS[colour]} 45%, #2a241e)`,
            boxShadow: lit ? `0 0 14px 3px ${LIT[colour]}` : undefined,
          }}
          className="h-full w-full rounded-full border border-black/40"
        />
      </span>
    </Post>
  );
}

export function Buzzer({ device }: { readonly device: Device }) {
  const path = `Machine.${device.name}.Sounds`;
  useLook([path]);
  const on = useValue(path) === true;
  return (
    <Post label={labelOf(device)}>
      <span className={ring}>
        <span
          role="img"
          aria-label={`Buzzer ${labelOf(device)} ${on ? 'sounds' : 'silent'}`}
          className={`grid h-full w-full place-items-center rounded-full border border-black/40 bg-dial text-dial-ink ${on ? 'font-bold' : 'opacity-60'}`}
        >
          {on ? ')))' : '–'}
        </span>
      </span>
    </Post>
  );
}

export function SetPoint({
  device,
  handle,
  shows,
  label,
}: {
  readonly device: Device;
  readonly handle: string;
  readonly shows: string;
  readonly label: string;
}) {
  const live = useLive();
  const path = `Machine.${device.name}.${shows}`;
  useLook([path]);
  const value = useValue(path);
  const [text, setText] = useState<string>();
  const [low, high] =
    device.type === 'SetPoint'
      ? [device.parameters?.['Low'] ?? '0', device.parameters?.['High'] ?? '1000']
      : ['-1e9', '1e9'];
  const entry = Number(text),
    isWrong =
      text !== undefined &&
      (text.trim() === '' || !Number.isFinite(entry) || entry < Number(low) || entry > Number(high));
  const [refused, setRefused] = useState(false);
  const onPad = useRef(false);
  const commit = (): boolean => {
    if (text === undefined) return true;
    // What cannot be is left standing with its limits, until it is put right or given up.
    if (isWrong) {
      setRefused(true);
      return false;
    }
    live.event({ kind: 'write', path: `Machine.${device.name}.${handle}`, value: String(entry) });
    setText(undefined);
    setRefused(false);
    return true;
  };
  const limits = `${Number(low)} to ${Number(high)}`;
  return (
    <span className="relative">
      <label
        className={`${dial} ${refused ? 'ring-2 ring-bad' : ''}`}
        {...(device.type === 'SetPoint' ? { title: limits } : {})}
      >
        <span className="truncate text-[10px] opacity-75">{label}</span>
        <input
          inputMode="decimal"
          aria-label={label}
          aria-invalid={refused}
          // As many digits as a REAL holds: 1.9, not 1.899999976.
          value={text ?? (typeof value === 'number' ? String(Number(value.toPrecision(7))) : String(value ?? ''))}
          onChange={(e) => {
            setText(e.target.value);
            setRefused(false);
          }}
          // Digits may go on coming from the keypad.
          onBlur={() => {
            if (!onPad.current) commit();
          }}
          onKeyDown={(e) => {
            e.stopPropagation();
            if (e.key === 'Enter') commit();
            if (e.key === 'Escape') {
              setText(undefined);
              setRefused(false);
            }
          }}
          className="w-full bg-transparent pr-3 font-mono text-[14px] font-semibold outline-none focus:underline"
        />
      </label>
      <Keypad
        label={label}
        limits={device.type === 'SetPoint' ? limits : ''}
        text={text ?? ''}
        onType={(t) => {
          setText(t);
          setRefused(false);
        }}
        onEnter={commit}
        onOpen={(open) => {
          onPad.current = open;
          // What was typed and not entered is given up with it.
          setText(open ? '' : undefined);
          setRefused(false);
        }}
      />
      {refused && (
        <span
          role="alert"
          className="absolute top-full left-0 z-10 mt-0.5 rounded bg-bad px-1.5 py-0.5 text-[11px] whitespace-nowrap text-sheet"
        >
          {device.type === 'SetPoint' ? `A number from ${limits}` : 'A number'}
        </span>
      )}
    </span>
  );
}

/** A measured value, with a bar between its limits. */
export function Meter({ device }: { readonly device: Device }) {
  const path = `Machine.${device.name}.Shown`;
  useLook([path]);
  const value = Number(useValue(path) ?? NaN),
    [low, high, decimals] = [
      ['Low', 0],
      ['High', 100],
      ['Decimals', 1],
    ].map(([k, d]) => Number(device.parameters?.[k as string] ?? d)) as [number, number, number];
  const share = Number.isFinite(value) && high !== low ? Math.max(0, Math.min(1, (value - low) / (high - low))) : 0;
  return (
    <div className={`${dial} relative`} role="status" aria-label={labelOf(device)} title={`${low} to ${high}`}>
      <span className="truncate text-[10px] opacity-75">{labelOf(device)}</span>
      <span className="font-mono text-[14px] leading-tight font-semibold">
        {Number.isFinite(value) ? value.toFixed(decimals) : '–'}
      </span>
      <span className="absolute inset-x-1.5 bottom-1 h-[3px] rounded bg-white/20">
        <span className="block h-full rounded bg-dial-ink" style={{ width: `${share * 100}%` }} />
      </span>
    </div>
  );
}

export function Display({ device }: { readonly device: Device }) {
  const path = `Machine.${device.name}.Shown`;
  useLook([path]);
  const value = useValue(path);
  return (
    <div className={dial} role="status" aria-label={labelOf(device)}>
      <span className="truncate text-[10px] opacity-75">{labelOf(device)}</span>
      <span className="font-mono text-[14px] font-semibold">{String(value ?? '–')}</span>
    </div>
  );
}
