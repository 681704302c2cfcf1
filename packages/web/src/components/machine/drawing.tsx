/**
 * What pictures of devices are made of. A picture stands at the origin of its station on the line of flow (y = 0) and
 * gets a reader for its device's variables; it draws states, never decoration.
 */
import type { ReactNode } from 'react';

export type Read = (variable: string) => number;

export interface Picture {
  /** Room along the flow, in units of the view. */
  readonly width: number;
  readonly reads: readonly string[];
  readonly draw: (read: Read, label: string) => ReactNode;
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
