/** What the things on a panel share: colours, names, the post that they stand on. */
import { Fragment, type ReactNode } from 'react';
import { type Device } from '@ferrule/core/document';
import { useLive } from '../../bench/live.js';

export const CAPS = {
  red: '#b3241c',
  yellow: '#d9a514',
  green: '#237a45',
  blue: '#275c9e',
  white: '#e9e7e0',
  black: '#28231e',
} as const;

export const LIT = {
  red: '#ff5b4e',
  yellow: '#ffd34a',
  green: '#57e08c',
  blue: '#6aaeff',
  white: '#ffffff',
  black: '#777777',
} as const;

/** How a key works it, while the pointer rests on it. At a controller no key does from elsewhere on the page. */
export function useHint(d: Device): { readonly hint?: string } {
  const { kind } = useLive();
  if (!d.key) return {};
  const key = d.key.toUpperCase();
  return {
    hint:
      kind === 'controller'
        ? `${key} while this panel has the focus`
        : `${key} while the panel or the machine has the focus, Alt+${key} anywhere`,
  };
}

export function useTitle(d: Device): { readonly title?: string } {
  const { hint } = useHint(d);
  return hint ? { title: hint } : {};
}

export const labelOf = (d: Device) => d.label ?? d.name;

/** `EndStuckOff` in words. */
export const said = (name: string) => name.replace(/([a-z])([A-Z])/g, '$1 $2').toLowerCase();

/** A long name may go to the next line where a word in it begins: `Push|Button2`, `Fill_|Valve`. */
const breakable = (label: string): ReactNode =>
  label.split(/(?<=[a-z0-9_])(?=[A-Z])|(?<=_)(?=\w)/).map((part, i) => (
    <Fragment key={i}>
      {i > 0 && <wbr />}
      {part}
    </Fragment>
  ));

export function Post({
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
      <span className="w-full px-0.5 wrap-anywhere">{breakable(label)}</span>
    </div>
  );
}

export const hand = 'h-7 rounded-md border px-2 text-[12px]';

/** Where the places of a switch stand around its knob, in degrees from the top. */
export const around = (i: number, n: number): number => (n <= 1 ? 0 : -135 + (270 * i) / (n - 1));

export const KEYS = ['7', '8', '9', '4', '5', '6', '1', '2', '3', '0', '.', '−'] as const;

export const dial = 'flex h-[44px] w-[65px] flex-col rounded-md bg-dial px-1.5 py-1 text-dial-ink';
