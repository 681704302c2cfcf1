/**
 * How each kind of device looks, from its own values. A picture stands at the origin of its station on the line
 * of flow (y = 0) and gets a reader for its variables; it draws states, never decoration.
 */
import type { ReactNode } from 'react';

export type Read = (variable: string) => number;

export interface Picture {
  /** Room along the flow, in units of the view. */
  readonly width: number;
  readonly reads: readonly string[];
  readonly draw: (read: Read, label: string) => ReactNode;
}

const Label = ({ y, text }: { readonly y: number; readonly text: string }) => <text y={y} textAnchor="middle" className="fill-soft text-[11px]">{text}</text>;
const Sensor = ({ x, y, on, label }: { readonly x: number; readonly y: number; readonly on: boolean; readonly label: string }) => (
  <g><circle cx={x} cy={y} r={3.6} className={on ? 'fill-copper stroke-copper' : 'fill-sheet stroke-soft'} strokeWidth={1.3} /><title>{label}: {on ? 'on' : 'off'}</title></g>
);

const feeder: Picture = {
  width: 104, reads: ['Turns', 'Velocity', 'Jam', 'Empty', 'Length'],
  draw: (read, label) => {
    const turn = read('Turns') * 360;
    const moving = read('Velocity') > 1;
    return (
      <g>
        <g transform="translate(-22,-44)">
          <circle r={32} className="fill-panel stroke-soft" strokeWidth={1.5} /><circle r={22} fill="none" className={read('Empty') ? 'stroke-edge' : 'stroke-copper'} strokeWidth={9} opacity={0.85} /><circle r={10} className="fill-panel stroke-soft" />
          <path d="M0-10v20M-10 0h20" className="stroke-soft" transform={`rotate(${-turn / 3})`} />
        </g>
        {[-11, 11].map((y) => (
          <g key={y} transform={`translate(38,${y})`}>
            <circle r={10} className={moving ? 'fill-glow stroke-copper' : 'fill-sheet stroke-soft'} strokeWidth={1.6} />
            <path d="M0 0v-9" className="stroke-ink" strokeWidth={1.6} transform={`rotate(${y < 0 ? turn : -turn})`} />
          </g>
        ))}
        {read('Jam') > 0 && <text x={38} y={-28} textAnchor="middle" className="fill-bad text-[11px] font-semibold">jammed</text>}
        <g transform="translate(38,0)"><Label y={38} text={label} /></g>
      </g>
    );
  },
};

const actuator: Picture = {
  width: 58, reads: ['Position', 'AtHome', 'AtEnd', 'Out', 'Jam'],
  draw: (read, label) => {
    const at = 30 - read('Position') * 24;
    const driven = read('Out') > 0;
    const jaw = driven ? 'fill-copper stroke-copper' : 'fill-panel stroke-soft';
    return (
      <g>
        <path d={`M0 ${-at - 20}V-74`} className="stroke-soft" strokeWidth={5} />
        <rect x={-15} y={-at - 22} width={30} height={20} rx={3} className={jaw} strokeWidth={1.4} /><rect x={-15} y={at + 2} width={30} height={20} rx={3} className={jaw} strokeWidth={1.4} />
        <rect x={-13} y={-90} width={26} height={18} rx={3} className="fill-soft" />
        <Sensor x={20} y={-66} on={read('AtHome') > 0} label="home" /><Sensor x={20} y={-40} on={read('AtEnd') > 0} label="end" />
        {read('Jam') > 0 && <text y={-96} textAnchor="middle" className="fill-bad text-[11px] font-semibold">stuck</text>}
        <Label y={70} text={label} />
      </g>
    );
  },
};

const ferruleTrack: Picture = {
  width: 50, reads: ['InPlace', 'Falling', 'Progress', 'Low', 'Blocked'],
  draw: (read, label) => (
    <g>
      <path d="M0-104q-3 50 6 92" fill="none" className="stroke-soft" strokeWidth={2.5} />
      {[-100, -86, -72].map((y) => <rect key={y} x={-6} y={y} width={11} height={10} rx={2} className="fill-panel stroke-ink" />)}
      {read('Falling') > 0 && <rect x={-3} y={-62 + read('Progress') * 50} width={11} height={10} rx={2} className="fill-copper" />}
      {read('InPlace') > 0 && <rect x={0} y={-6} width={13} height={12} rx={2} className="fill-copper stroke-copper" />}
      {read('Blocked') > 0 && <text y={-110} textAnchor="middle" className="fill-bad text-[11px] font-semibold">blocked</text>}
      <Label y={38} text={label} />
    </g>
  ),
};

const pullTester: Picture = {
  width: 66, reads: ['Force', 'Pull', 'Slipped'],
  draw: (read, label) => {
    const force = read('Force');
    return (
      <g>
        <rect x={-16} y={-14} width={30} height={28} rx={4} className={read('Pull') > 0 ? 'fill-glow stroke-copper' : 'fill-sheet stroke-soft'} strokeWidth={1.6} />
        <path d={`M14 0h${6 + Math.min(18, force / 5)}`} className="stroke-soft" strokeWidth={3} />
        <text y={-20} textAnchor="middle" className="fill-ink font-mono text-[11px]">{force.toFixed(0)} N</text>
        {read('Slipped') > 0 && <text y={32} textAnchor="middle" className="fill-bad text-[11px] font-semibold">slipped</text>}
        <Label y={read('Slipped') > 0 ? 46 : 32} text={label} />
      </g>
    );
  },
};

export const PICTURES: Readonly<Record<string, Picture>> = { Feeder: feeder, Actuator: actuator, FerruleTrack: ferruleTrack, PullTester: pullTester };
