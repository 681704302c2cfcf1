/** Buttons and switches of the panel, each as a person works it. */
import { useEffect, useRef } from 'react';
import type React from 'react';
import { type Device, capColour } from '@ferrule/core/document';
import { placeNames } from '@ferrule/core/machine';
import { useLive, useLook, useValue } from '../../bench/live.js';
import { useKinds } from '../kinds.js';
import { CAPS, useHint, useTitle, labelOf, said, Post, hand, around } from './panel-parts.js';

export const ring =
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

export function PushButton({ device }: { readonly device: Device }) {
  const { pressed, held } = useHeld(`Machine.${device.name}.Pressed`),
    label = labelOf(device);
  return (
    <Post label={label} {...useHint(device)}>
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

/** Not on the panel but at the machine: a part is put on by hand, a filter shaken. */
export function HandButton({ device, handle }: { readonly device: Device; readonly handle: string }) {
  const { pressed, held } = useHeld(`Machine.${device.name}.${handle}`);
  return (
    <button
      {...held}
      {...useTitle(device)}
      className={`${hand} ${pressed ? 'border-black/50 bg-black/20' : 'border-black/20 bg-white/30'}`}
    >{`${labelOf(device)}: ${said(handle)}`}</button>
  );
}

export function HandSwitch({ device, handle }: { readonly device: Device; readonly handle: string }) {
  const live = useLive(),
    path = `Machine.${device.name}.${handle}`;
  useLook([path]);
  const on = useValue(path) === true;
  return (
    <button
      role="switch"
      aria-checked={on}
      {...useTitle(device)}
      onClick={() => live.event({ kind: 'write', path, value: on ? '0' : '1' })}
      className={`${hand} flex items-center gap-1.5 ${on ? 'border-black/50 bg-black/15 font-semibold' : 'border-black/20 bg-white/30'}`}
    >
      <span aria-hidden className={`h-2.5 w-2.5 rounded-sm border border-current ${on ? 'bg-current' : ''}`} />
      {`${labelOf(device)}: ${said(handle)}`}
    </button>
  );
}

/** Stays where it is put: selectors and the emergency stop. */
export function Latching({
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
    <Post label={label} {...useHint(device)}>
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
export function ThreeWay({
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
    <Post label={label} {...useHint(device)}>
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

/** A switch with up to eight places: a click beside one turns it there, arrows turn it one further. */
export function Places({ device }: { readonly device: Device }) {
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
    <Post label={`${label} · ${names[now - 1]!}`} {...useHint(device)}>
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

/** A key that is put in, turned, and drawn out again; without it nothing turns. */
export function KeySwitch({ device }: { readonly device: Device }) {
  const live = useLive();
  const path = `Machine.${device.name}`;
  useLook([`${path}.Key`, `${path}.Stands`]);
  const key = useValue(`${path}.Key`) === true,
    on = useValue(`${path}.Stands`) === true;
  const write = (handle: string, value: boolean) =>
    live.event({ kind: 'write', path: `${path}.${handle}`, value: value ? '1' : '0' });
  return (
    <Post label={labelOf(device)} {...useHint(device)}>
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
