/**
 * What pictures of devices are made of. A picture stands at the origin of its station on the line of flow (y = 0) and
 * gets a reader for its device's variables; it draws states, never decoration.
 */
import type { ReactNode } from 'react';

export type Read = (variable: string) => number;

export interface Picture {
  /** Room along the flow, in units of the view. */
  readonly width: number;
  /** Room it takes above and below what every picture has. */
  readonly up?: number;
  readonly down?: number;
  readonly reads: readonly string[];
  /** `taken`: seats of it in which a device sits; what that draws is not drawn here. */
  readonly draw: (read: Read, label: string, taken?: ReadonlySet<string>) => ReactNode;
  /**
   * Where parts leave a machine with several ways out, by the terminal in lower case; `open`: the variable that is on
   * while they go there. Those that lead somewhere are in `taken` too, and are drawn on from here.
   */
  readonly exits?: Readonly<Record<string, { readonly at: readonly [number, number]; readonly open: string }>>;
  /** Places in it for other devices, by the terminal they are linked to or a name of their own, in lower case. */
  readonly seats?: Readonly<Record<string, Seat>>;
}

/** A place in a picture where another device is drawn, as what it is there. */
export interface Seat {
  readonly x: number;
  readonly y: number;
  readonly picture: Picture;
  /** What a click has to hit, around its place: x, y, width, height. */
  readonly hit: readonly [number, number, number, number];
  /** Drawn before the machine it sits in. */ readonly behind?: boolean;
  /**
   * Kinds of devices that may be put there by hand; those of them, or any where none are named, that are linked to the
   * terminal of its name sit there by themselves.
   */
  readonly of?: readonly string[];
  /** A terminal, in lower case, by which one of those kinds is linked to this machine: it sits there by that too. */
  readonly by?: string;
}

export const Label = ({ y, text }: { readonly y: number; readonly text: string }) => (
  <text y={y} textAnchor="middle" className="fill-soft text-[11px]">
    {text}
  </text>
);
export const Sensor = ({
  x,
  y,
  on,
  label,
}: {
  readonly x: number;
  readonly y: number;
  readonly on: boolean;
  readonly label: string;
}) => (
  <g>
    <circle
      cx={x}
      cy={y}
      r={3.6}
      className={on ? 'fill-copper stroke-copper' : 'fill-sheet stroke-soft'}
      strokeWidth={1.3}
    />
    <title>
      {label}: {on ? 'on' : 'off'}
    </title>
  </g>
);

/** Words for what is wrong, above the picture. */
export const Wrong = ({ text }: { readonly text: string }) => (
  <text y={-62} textAnchor="middle" className="fill-bad text-[11px] font-semibold">
    {text}
  </text>
);
export const body = (on: boolean) => (on ? 'fill-glow stroke-copper' : 'fill-sheet stroke-soft');
