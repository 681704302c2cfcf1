/** Inputs worked by hand: held, toggled, slid, typed; and what drives them in the machine model. */
import { useEffect, useState } from 'react';
import { type Device, MACHINE, type Project, type Tag, tagLimits } from '@ferrule/core/document';
import { kindOf } from '@ferrule/core/machine';
import { valueText } from './values.js';

/** The device terminal that drives an input, and what a person does to it. */
export interface Source {
  readonly device: Device;
  readonly terminal: string;
  readonly handle: string | undefined;
  /** The contact is closed while nobody touches it. */ readonly isClosedAtRest: boolean;
}

export function sourceOf(machine: Project['machine'], tag: string): Source | undefined {
  for (const device of machine.devices)
    for (const [terminal, to] of Object.entries(device.wires ?? {})) {
      const kind = kindOf(machine, device.type),
        t = kind?.terminals.find((x) => x.name.toLowerCase() === terminal.toLowerCase());
      if (t?.direction !== 'out' || to.toLowerCase() !== tag.toLowerCase()) continue;
      // What a person works directly; a belt's sensor is not worked by putting a part on.
      const handle = kind!.terminals.some((x) => x.direction === 'in')
        ? undefined
        : kind!.handles.find(
            (h) =>
              h.type === 'press' ||
              h.type === 'turn' ||
              h.type === 'latch' ||
              h.type === 'number' ||
              h.type === 'place',
          );
      return {
        device,
        terminal: t.name,
        handle: handle && `${MACHINE}.${device.name}.${handle.name}`,
        isClosedAtRest: /^NC$/i.test(t.name),
      };
    }
  return undefined;
}

/** How a small button of a row looks. */
export const TOOL = 'h-6 shrink-0 rounded border border-edge bg-sheet px-1.5 text-[11.5px] hover:border-faint';

/** On as long as it is held. */
export function Hold({
  label,
  isOn,
  set,
  isForce,
  onRelease,
}: {
  readonly label: string;
  readonly isOn: boolean;
  readonly set: (on: boolean, letGo?: boolean) => void;
  readonly isForce: boolean;
  readonly onRelease: () => void;
}) {
  const [held, setHeld] = useState(false);
  const down = () => {
    if (!held) {
      setHeld(true);
      set(!isOn || isForce ? true : !isOn);
    }
  };
  const up = () => {
    if (held) {
      setHeld(false);
      if (isForce) onRelease();
      else set(false, true);
    }
  };
  useEffect(() => {
    if (!held) return;
    window.addEventListener('pointerup', up);
    return () => window.removeEventListener('pointerup', up);
  });
  return (
    <button
      aria-label={label}
      aria-pressed={held}
      className={`${TOOL} ${held ? 'border-copper bg-glow font-semibold' : ''}`}
      onPointerDown={down}
      onKeyDown={(e) => {
        if ((e.key === ' ' || e.key === 'Enter') && !e.repeat) {
          e.preventDefault();
          down();
        }
      }}
      onKeyUp={(e) => {
        if (e.key === ' ' || e.key === 'Enter') up();
      }}
      onBlur={up}
    >
      Hold
    </button>
  );
}

export const limitsOf = (tag: Tag) => tagLimits(tag) ?? { low: 0, high: 100 };

export function NumberByHand({
  tag,
  value,
  onGive,
}: {
  readonly tag: Tag;
  readonly value: unknown;
  readonly onGive: (v: string) => void;
}) {
  const [typed, setTyped] = useState<string>();
  const { low, high } = limitsOf(tag),
    n = typeof value === 'number' ? value : 0;
  return (
    <>
      <input
        type="range"
        aria-label={`Slide ${tag.name}`}
        min={low}
        max={Math.max(high, n)}
        step={/REAL$/i.test(tag.type) ? (high - low) / 200 : Math.max(1, Math.round((high - low) / 200))}
        value={n}
        onChange={(e) => onGive(e.target.value)}
        className="w-24 accent-[var(--copper)]"
      />
      <input
        aria-label={`Value of ${tag.name}`}
        value={typed ?? valueText(n, tag.type)}
        onChange={(e) => setTyped(e.target.value)}
        onBlur={() => setTyped(undefined)}
        onKeyDown={(e) => {
          e.stopPropagation();
          if (e.key === 'Enter') {
            if (typed !== undefined) onGive(typed);
            setTyped(undefined);
          }
          if (e.key === 'Escape') setTyped(undefined);
        }}
        className="h-6 w-16 rounded border border-edge bg-sheet px-1 text-right font-mono text-[11.5px]"
      />
    </>
  );
}
