/** What a person touches: buttons, switches, lamps, numbers. Cap colours alone follow IEC 60073. */
import { useEffect, useRef, useState, type ReactNode } from 'react';
import type React from 'react';
import { Delete, Grid3x3 } from 'lucide-react';
import { Popover } from 'radix-ui';
import { type Device, capColour } from '@ferrule/core/document';
import { type Handle, placeNames } from '@ferrule/core/machine';
import { tellBench, useBench, useLive, useLook, useValue } from '../../bench/live.js';
import { useKinds, useMachine } from '../kinds.js';

const CAPS = {
  red: '#b3241c',
  yellow: '#d9a514',
  green: '#237a45',
  blue: '#275c9e',
  white: '#e9e7e0',
  black: '#28231e',
} as const;
const LIT = {
  red: '#ff5b4e',
  yellow: '#ffd34a',
  green: '#57e08c',
  blue: '#6aaeff',
  white: '#ffffff',
  black: '#777777',
} as const;

/** Kinds that have a face of their own on the panel. */
const FACES = new Set([
  'PushButton',
  'EmergencyStop',
  'Selector',
  'ThreeWaySelector',
  'PlaceSelector',
  'KeySelector',
  'SetPoint',
  'RecipePicker',
]);

export function Panel() {
  const { devices } = useMachine(),
    kind = useKinds();
  const of = (...types: string[]) => devices.filter((d) => types.includes(d.type));
  const [upsetsOpen, openUpsets] = useState(false);
  const handles = (...types: Handle['type'][]) =>
    devices
      .filter((d) => !FACES.has(d.type))
      .flatMap((d) => (kind(d.type)?.handles ?? []).filter((h) => types.includes(h.type)).map((h) => [d, h] as const));
  if (!devices.length) return null;
  return (
    <section
      aria-label="Panel"
      tabIndex={-1}
      data-bare-keys=""
      className="outline-none shrink-0 rounded-xl border border-edge bg-panel p-3 text-panel-ink"
    >
      <div className="flex flex-wrap gap-x-0 gap-y-2">
        {of('PushButton').map((d) => (
          <PushButton key={d.id} device={d} />
        ))}
        {of('EmergencyStop', 'Selector').map((d) => (
          <Latching
            key={d.id}
            device={d}
            handle={d.type === 'EmergencyStop' ? 'Struck' : 'Turned'}
            label={labelOf(d)}
          />
        ))}
        {of('ThreeWaySelector').map((d) => (
          <ThreeWay key={d.id} device={d} handle="Way" label={labelOf(d)} />
        ))}
        {of('PlaceSelector').map((d) => (
          <Places key={d.id} device={d} />
        ))}
        {of('KeySelector').map((d) => (
          <KeySwitch key={d.id} device={d} />
        ))}
        {of('Lamp').map((d) => (
          <Lamp key={d.id} device={d} />
        ))}
        {of('Buzzer').map((d) => (
          <Buzzer key={d.id} device={d} />
        ))}
        {handles('way').map(([d, h]) => (
          <ThreeWay key={`${d.id}${h.name}`} device={d} handle={h.name} label={`${labelOf(d)}: ${said(h.name)}`} />
        ))}
      </div>
      <div className="mt-3 flex flex-wrap gap-1.5">
        {of('SetPoint').map((d) => (
          <SetPoint key={d.id} device={d} handle="Entry" shows="Value" label={labelOf(d)} />
        ))}
        {of('RecipePicker').map((d) => (
          <Recipe key={d.id} device={d} handle="Choice" label={labelOf(d)} names={placeNames(d, kind(d.type))} />
        ))}
        {handles('place').map(([d, h]) => (
          <Recipe
            key={`${d.id}${h.name}`}
            device={d}
            handle={h.name}
            label={`${labelOf(d)}: ${said(h.name)}`}
            names={placeNames(d, kind(d.type))}
          />
        ))}
        {handles('number').map(([d, h]) => (
          <SetPoint
            key={`${d.id}${h.name}`}
            device={d}
            handle={h.name}
            shows={h.name}
            label={`${labelOf(d)}: ${said(h.name)}`}
          />
        ))}
        {of('Display').map((d) => (
          <Display key={d.id} device={d} />
        ))}
        {of('Meter').map((d) => (
          <Meter key={d.id} device={d} />
        ))}
      </div>
      {handles('press', 'turn', 'latch').length > 0 && (
        <div role="group" aria-label="By hand at the machine" className="mt-3 flex flex-wrap items-center gap-1">
          <span className="mr-1 text-[12px]">By hand</span>
          {handles('turn', 'latch').map(([d, h]) => (
            <HandSwitch key={`${d.id}${h.name}`} device={d} handle={h.name} />
          ))}
          {handles('press').map(([d, h]) => (
            <HandButton key={`${d.id}${h.name}`} device={d} handle={h.name} />
          ))}
        </div>
      )}
      {devices.some((d) => kind(d.type)?.upsets.length) && (
        <details className="mt-3" onToggle={(e) => openUpsets(e.currentTarget.open)}>
          <summary className="cursor-pointer text-[12px]">Upsets: make something go wrong</summary>
          {upsetsOpen && <Upsets />}
        </details>
      )}
    </section>
  );
}

/** What can go wrong, device by device; only looked at while it is open, since there can be hundreds. */
function Upsets() {
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
          <li key={d.id} className="flex flex-wrap items-center gap-1">
            <span className="w-24 shrink-0 truncate text-[12px]" title={labelOf(d)}>
              {labelOf(d)}
            </span>
            {upsets.map((u) => (
              <UpsetChip key={u.name} device={d} name={u.name} help={u.help} />
            ))}
          </li>
        ))}
      </ul>
    </>
  );
}

/** Something goes wrong now and then by itself, the same for the same seed; at the bench only. */
function Chance() {
  const live = useLive(),
    chance = useBench((s) => s.frame?.chance);
  const [seed, setSeed] = useState('1');
  const [seconds, setSeconds] = useState('20');
  if (live.kind !== 'bench') return null;
  const tell = (on: boolean) =>
    tellBench({
      kind: 'chance',
      seed: Math.trunc(Number(seed)) || 1,
      everyMs: on ? Math.max(0.5, Number(seconds) || 20) * 1000 : 0,
    });
  const field =
    'h-7 rounded border border-black/20 bg-white/40 px-1.5 text-right font-mono text-[12px] disabled:opacity-60';
  return (
    <div className="mt-1.5 flex flex-wrap items-center gap-x-2 gap-y-1 text-[12px]">
      <label className="flex items-center gap-1.5">
        <input
          type="checkbox"
          checked={chance !== undefined}
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
    </div>
  );
}

const hintOf = (d: Device): { readonly hint?: string } =>
  d.key
    ? {
        hint: `${d.key.toUpperCase()} while the panel or the machine has the focus, Alt+${d.key.toUpperCase()} anywhere`,
      }
    : {};
const titleOf = (d: Device): { readonly title?: string } => {
  const { hint } = hintOf(d);
  return hint ? { title: hint } : {};
};
const labelOf = (d: Device) => d.label ?? d.name;
/** `EndStuckOff` in words. */
const said = (name: string) => name.replace(/([a-z])([A-Z])/g, '$1 $2').toLowerCase();

function Post({
  label,
  hint,
  children,
}: {
  readonly label: string;
  readonly hint?: string;
  readonly children: ReactNode;
}) {
  return (
    <div className="flex w-[63px] flex-col items-center gap-1 text-center text-[11px] leading-tight" title={hint}>
      {children}
      <span>{label}</span>
    </div>
  );
}

const ring =
  'relative grid h-[44px] w-[44px] place-items-center rounded-full bg-gradient-to-b from-white/50 to-black/20 p-[4px] shadow-[0_1px_2px_rgb(0_0_0/0.35)]';

/** What a button does while it is held down, by pointer or key. */
function useHeld(path: string) {
  const live = useLive();
  useLook([path]);
  const pressed = useValue(path) === true;
  // What is shown may be the past, where it was pressed once; only who holds it now can let it go.
  const holding = useRef(false);
  const set = (value: boolean) => {
    if (!value && !holding.current) return;
    holding.current = value;
    live.event({ kind: 'write', path, value: value ? '1' : '0', ...(value ? {} : { letGo: true }) });
  };
  // Letting go anywhere lets go of the button.
  useEffect(() => {
    const up = () => set(false);
    window.addEventListener('pointerup', up);
    window.addEventListener('pointercancel', up);
    return () => {
      window.removeEventListener('pointerup', up);
      window.removeEventListener('pointercancel', up);
    };
  });
  const isKey = (k: string) => k === ' ' || k === 'Enter';
  return {
    pressed,
    held: {
      'aria-pressed': pressed,
      onPointerDown: () => set(true),
      onKeyDown: (e: React.KeyboardEvent) => {
        if (isKey(e.key) && !e.repeat) {
          e.preventDefault();
          set(true);
        }
      },
      onKeyUp: (e: React.KeyboardEvent) => {
        if (isKey(e.key)) set(false);
      },
      onBlur: () => set(false),
    },
  };
}

function PushButton({ device }: { readonly device: Device }) {
  const { pressed, held } = useHeld(`Machine.${device.name}.Pressed`),
    label = labelOf(device);
  return (
    <Post label={label} {...hintOf(device)}>
      <span className={ring}>
        <button
          aria-label={label}
          {...held}
          style={{ background: CAPS[capColour(device)] }}
          className={`h-full w-full rounded-full border border-black/30 ${pressed ? 'translate-y-px brightness-75 shadow-inner' : 'shadow-[inset_0_2px_3px_rgb(255_255_255/0.35),0_2px_3px_rgb(0_0_0/0.4)]'}`}
        />
      </span>
    </Post>
  );
}

const hand = 'h-7 rounded-md border px-2 text-[12px]';
/** Not on the panel but at the machine: a part is put on by hand, a filter shaken. */
function HandButton({ device, handle }: { readonly device: Device; readonly handle: string }) {
  const { pressed, held } = useHeld(`Machine.${device.name}.${handle}`);
  return (
    <button
      {...held}
      {...titleOf(device)}
      className={`${hand} ${pressed ? 'border-black/50 bg-black/20' : 'border-black/20 bg-white/30'}`}
    >{`${labelOf(device)}: ${said(handle)}`}</button>
  );
}

function HandSwitch({ device, handle }: { readonly device: Device; readonly handle: string }) {
  const live = useLive(),
    path = `Machine.${device.name}.${handle}`;
  useLook([path]);
  const on = useValue(path) === true;
  return (
    <button
      role="switch"
      aria-checked={on}
      {...titleOf(device)}
      onClick={() => live.event({ kind: 'write', path, value: on ? '0' : '1' })}
      className={`${hand} flex items-center gap-1.5 ${on ? 'border-black/50 bg-black/15 font-semibold' : 'border-black/20 bg-white/30'}`}
    >
      <span aria-hidden className={`h-2.5 w-2.5 rounded-sm border border-current ${on ? 'bg-current' : ''}`} />
      {`${labelOf(device)}: ${said(handle)}`}
    </button>
  );
}

/** Stays where it is put: selectors and the emergency stop. */
function Latching({
  device,
  handle,
  label,
}: {
  readonly device: Device;
  readonly handle: string;
  readonly label: string;
}) {
  const live = useLive();
  const isStop = device.type === 'EmergencyStop';
  const path = `Machine.${device.name}.${handle}`;
  useLook([path]);
  const on = useValue(path) === true;
  return (
    <Post label={label} {...hintOf(device)}>
      <span className={`${ring} ${isStop ? 'bg-[#e0b21c] from-transparent to-transparent' : ''}`}>
        <button
          role="switch"
          aria-checked={on}
          aria-label={label}
          onClick={() => live.event({ kind: 'write', path, value: on ? '0' : '1' })}
          style={{ background: CAPS[capColour(device)] }}
          className={`grid h-full w-full place-items-center rounded-full border border-black/30 ${isStop && on ? 'scale-90 brightness-75' : ''}`}
        >
          {!isStop && <span className={`h-6 w-1.5 rounded bg-white/90 ${on ? 'rotate-45' : '-rotate-45'}`} />}
        </button>
      </span>
    </Post>
  );
}

const WAYS = [
  { to: -1, words: 'left', turn: '-rotate-45' },
  { to: 0, words: 'middle', turn: '' },
  { to: 1, words: 'right', turn: 'rotate-45' },
] as const;
/** Three positions: a click on a side turns it there, a click on the knob to the middle; arrows turn it one further. */
function ThreeWay({
  device,
  handle,
  label,
}: {
  readonly device: Device;
  readonly handle: string;
  readonly label: string;
}) {
  const live = useLive();
  const path = `Machine.${device.name}.${handle}`;
  useLook([path]);
  const now = Math.sign(Number(useValue(path) ?? 0)),
    way = WAYS[now + 1]!;
  const turn = (to: number) => live.event({ kind: 'write', path, value: String(Math.max(-1, Math.min(1, to))) });
  const onKey = (e: React.KeyboardEvent) => {
    const by = { ArrowLeft: -1, ArrowRight: 1 }[e.key];
    if (by && !e.altKey) {
      e.preventDefault();
      e.stopPropagation();
      turn(now + by);
    }
  };
  return (
    <Post label={label} {...hintOf(device)}>
      <span role="radiogroup" aria-label={label} onKeyDown={onKey} className={ring}>
        <span
          style={{ background: CAPS[capColour(device)] }}
          className="grid h-full w-full place-items-center rounded-full border border-black/30"
        >
          <span className={`h-6 w-1.5 rounded bg-white/90 ${way.turn}`} />
        </span>
        {WAYS.map((w) => (
          <button
            key={w.to}
            role="radio"
            aria-checked={w.to === now}
            aria-label={`${label} ${w.words}`}
            title={w.words}
            tabIndex={w.to === now ? 0 : -1}
            onClick={() => turn(w.to)}
            className={`absolute top-0 h-full w-1/3 rounded-full ${w.to < 0 ? 'left-0' : w.to ? 'right-0' : 'left-1/3'}`}
          />
        ))}
      </span>
    </Post>
  );
}

/** Where the places of a switch stand around its knob, in degrees from the top. */
const around = (i: number, n: number): number => (n <= 1 ? 0 : -135 + (270 * i) / (n - 1));
/** A switch with up to eight places: a click beside one turns it there, arrows turn it one further. */
function Places({ device }: { readonly device: Device }) {
  const live = useLive();
  const path = `Machine.${device.name}.Place`,
    label = labelOf(device),
    names = placeNames(device, useKinds()(device.type)),
    n = names.length;
  useLook([path]);
  const now = Math.min(n, Math.max(1, Number(useValue(path) ?? 1)));
  const turn = (to: number) => live.event({ kind: 'write', path, value: String(Math.max(1, Math.min(n, to))) });
  const onKey = (e: React.KeyboardEvent) => {
    const by = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1 }[e.key];
    if (by && !e.altKey) {
      e.preventDefault();
      e.stopPropagation();
      turn(now + by);
    }
  };
  return (
    <Post label={`${label} · ${names[now - 1]!}`} {...hintOf(device)}>
      <span role="radiogroup" aria-label={label} onKeyDown={onKey} className={`${ring} m-[9px]`}>
        <span
          style={{ background: CAPS[capColour(device)] }}
          className="grid h-full w-full place-items-center rounded-full border border-black/30"
        >
          <span
            className="h-7 w-1.5 rounded bg-white/90 [clip-path:polygon(50%_0,100%_25%,75%_100%,25%_100%,0_25%)]"
            style={{ transform: `rotate(${around(now - 1, n)}deg)` }}
          />
        </span>
        {names.map((name, i) => (
          <button
            key={i}
            role="radio"
            aria-checked={i + 1 === now}
            aria-label={`${label} ${name}`}
            title={name}
            tabIndex={i + 1 === now ? 0 : -1}
            onClick={() => turn(i + 1)}
            style={{ transform: `rotate(${around(i, n)}deg) translateY(-27px) rotate(${-around(i, n)}deg)` }}
            className={`absolute grid h-4 w-4 place-items-center rounded-full text-[9.5px] leading-none ${i + 1 === now ? 'bg-black/80 font-semibold text-white' : 'hover:bg-black/20'}`}
          >
            {i + 1}
          </button>
        ))}
      </span>
    </Post>
  );
}

/** One of a list of names: what is made today. */
function Recipe({
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

const KEYS = ['7', '8', '9', '4', '5', '6', '1', '2', '3', '0', '.', '−'] as const;
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

/** A key that is put in, turned, and drawn out again; without it nothing turns. */
function KeySwitch({ device }: { readonly device: Device }) {
  const live = useLive();
  const path = `Machine.${device.name}`;
  useLook([`${path}.Key`, `${path}.Stands`]);
  const key = useValue(`${path}.Key`) === true,
    on = useValue(`${path}.Stands`) === true;
  const write = (handle: string, value: boolean) =>
    live.event({ kind: 'write', path: `${path}.${handle}`, value: value ? '1' : '0' });
  return (
    <Post label={labelOf(device)} {...hintOf(device)}>
      <span className={ring}>
        <button
          role="switch"
          aria-checked={on}
          aria-disabled={!key}
          aria-label={labelOf(device)}
          title={key ? 'Turn it' : 'Put the key in first'}
          onClick={() => {
            if (key) write('Turned', !on);
          }}
          className="grid h-full w-full place-items-center rounded-full border border-black/30 bg-gradient-to-b from-[#d8d4cb] to-[#a9a397]"
        >
          <span className={`relative h-7 w-2 rounded-sm bg-black/75 ${on ? 'rotate-45' : '-rotate-45'}`}>
            {key && (
              <span className="absolute -top-2 left-1/2 h-4 w-4 -translate-x-1/2 rounded-full border-[3px] border-[#5f5a50] bg-transparent" />
            )}
          </span>
        </button>
      </span>
      <button
        className="rounded border border-black/20 bg-white/30 px-1 text-[10.5px]"
        onClick={() => write('Key', !key)}
      >
        {key ? 'key out' : 'key in'}
      </button>
    </Post>
  );
}

function Lamp({ device }: { readonly device: Device }) {
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

function Buzzer({ device }: { readonly device: Device }) {
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

const dial = 'flex h-[44px] w-[65px] flex-col rounded-md bg-dial px-1.5 py-1 text-dial-ink';

function SetPoint({
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
function Meter({ device }: { readonly device: Device }) {
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

function Display({ device }: { readonly device: Device }) {
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
