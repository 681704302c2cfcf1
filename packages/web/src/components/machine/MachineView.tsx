/** The machine, assembled from its devices in the order of the flow: nobody draws it. */
import { memo, useEffect, useMemo, useRef } from 'react';
import { useShallow } from 'zustand/react/shallow';
import { useStore } from 'zustand';
import { type Device, type OwnKind, kindOf } from '@ferrule/core';
import { useLive, useLook } from '../../bench/live.js';
import { useDocument } from '../../document/store.js';
import { useInSight } from '../in-sight.js';
import type { Picture } from './drawing.js';
import { ownPicture } from './own-picture.js';
import { alongBelt } from './part-pictures.js';
import { PICTURES } from './pictures.js';

interface Props { readonly devices: readonly Device[]; /** Told when a device is clicked on. */ readonly onChoose?: (id: string) => void; readonly chosen?: string | undefined }

export const pictureOf = (type: string, kinds: readonly OwnKind[] | undefined): Picture | undefined => {
  const own = PICTURES[type] ? undefined : kinds?.find((k) => k.type.toLowerCase() === type.toLowerCase());
  return PICTURES[type] ?? (own && ownPicture(own));
};

export function MachineView({ devices, onChoose, chosen }: Props) {
  const kinds = useDocument((s) => s.project?.machine.kinds);
  const stations = devices.filter((d) => pictureOf(d.type, kinds));
  const piece = devices.find((d) => d.type === 'WirePiece');
  const feed = devices.find((d) => d.type === 'Feeder');
  const pieceReads = piece ? ['Present', 'Crimped', 'Falling', 'Good', 'Reject', 'ToReject', 'PieceLength'].map((v) => `Machine.${piece.name}.${v}`) : [];
  const paths = [...pieceReads, ...(feed ? [`Machine.${feed.name}.Length`] : [])];
  useLook(paths);
  const live = useLive();
  const values = useStore(live.store, useShallow((s) => paths.map((p) => Number(s.frame?.values[p] ?? 0))));
  const read = (path: string) => values[paths.indexOf(path)] ?? 0;
  if (!stations.length) return null;
  if (!feed && !piece) return <section aria-label="Machine view" className="shrink-0 rounded-xl border border-edge bg-sheet p-2"><Stations devices={stations} kinds={kinds} label="The machine" chosen={chosen} {...(onChoose ? { onChoose } : {})} /></section>;
  const widths = stations.map((d) => pictureOf(d.type, kinds)!.width);
  const total = widths.reduce((a, b) => a + b, 0);
  let x = 58;
  const places = widths.map((w, i) => { const at = x + (i ? w / 2 : 0); x += i ? w : w - 30; return at; });
  const wireStart = places[0] ? places[0] + 30 : 60;
  const length = feed ? read(`Machine.${feed.name}.Length`) : 0;
  const present = piece ? read(`Machine.${piece.name}.Present`) > 0 : false;
  return (
    <section aria-label="Machine view" className="shrink-0 rounded-xl border border-edge bg-sheet">
      <svg viewBox={`0 -120 ${Math.max(total + 30, 380)} 270`} className="block max-h-[38vh] w-full" role="img" aria-label="The machine">
        <g transform="translate(0,0)">
          <path d={`M40 -26q6 26 ${wireStart - 44} 26h${8 + Math.min(length * 1.1, total - wireStart)}`} fill="none" className="stroke-copper" strokeWidth={4} />
          {present && piece && <path d={`M${wireStart + 70} 0h${Math.min(read(`Machine.${piece.name}.PieceLength`) * 1.4, total - wireStart - 90)}`} className="stroke-copper-ink" strokeWidth={5} />}
          {stations.map((d, i) => <g key={d.id} transform={`translate(${places[i]},0)`} onClick={() => onChoose?.(d.id)} className={onChoose ? 'cursor-pointer' : ''}><Drawn name={d.name} picture={pictureOf(d.type, kinds)!} label={d.label ?? d.name} /></g>)}
        </g>
        {piece && <Bins x={Math.max(total + 30, 380)} good={read(`Machine.${piece.name}.Good`)} reject={read(`Machine.${piece.name}.Reject`)} falling={read(`Machine.${piece.name}.Falling`)} toReject={read(`Machine.${piece.name}.ToReject`) > 0} />}
      </svg>
    </section>
  );
}

/** One device, drawn anew only when something it shows has changed. */
const Drawn = memo(function Drawn({ name, picture, label, seen = true }: { readonly name: string; readonly picture: Picture; readonly label: string; readonly seen?: boolean }) {
  const { reads, draw } = picture;
  const paths = useMemo(() => reads.map((v) => `Machine.${name}.${v}`), [reads, name]), at = useMemo(() => new Map(reads.map((v, i) => [v, i])), [reads]);
  useLook(seen ? paths : NO_PATHS);
  const live = useLive();
  // Out of sight it stays as it was last seen.
  const last = useRef<readonly number[]>(paths.map(() => 0));
  const values = useStore(live.store, useShallow((s) => (seen ? paths.map((p) => Number(s.frame?.values[p] ?? 0)) : last.current)));
  useEffect(() => { last.current = values; }, [values]);
  return draw((v) => values[at.get(v) ?? -1] ?? 0, label);
});

/** A parameter of a shipped device, as given or as its kind has it. */
const parameter = (d: Device, name: string): number => Number(d.parameters?.[name] ?? kindOf({}, d.type)?.parameters.find((p) => p.name === name)?.initial ?? 0);

/** A sensor or stop is drawn at the belt it is linked to, where its place is. */
interface Attached { readonly device: Device; readonly x: number }
function attachedTo(devices: readonly Device[]): ReadonlyMap<string, readonly Attached[]> {
  const all = new Map<string, Attached[]>();
  const put = (belt: Device | undefined, device: Device, at: (b: Device) => number) => { if (belt?.type === 'Conveyor') all.set(belt.id, [...(all.get(belt.id) ?? []), { device, x: alongBelt(at(belt), parameter(belt, 'Length')) }]); };
  const named = (path: string | undefined) => { const n = path?.split('.')[0]?.toLowerCase(); return devices.find((d) => d.name.toLowerCase() === n); };
  for (const d of devices) {
    if (d.type === 'PartSensor') put(named(d.wires?.['Line']), d, () => parameter(d, 'Place'));
    if (d.type === 'Conveyor') { const stop = named(d.wires?.['Stop2']); if (stop?.type === 'Stopper') put(d, stop, (b) => parameter(b, 'Stop2At')); }
  }
  return all;
}

const NO_PATHS: readonly string[] = [];
const HEIGHT = 150, TOP = -80, FIT = 620;
/** Stations in the order of the flow, in as many rows as they need; each is a picture of its own, so that what stands still is not painted. */
export function Stations({ devices, kinds, label, onChoose, chosen }: Props & { readonly kinds: readonly OwnKind[] | undefined; readonly label: string }) {
  const attached = useMemo(() => attachedTo(devices), [devices]);
  const sitting = new Set([...attached.values()].flat().map((a) => a.device.id)), stations = devices.filter((d) => !sitting.has(d.id));
  const total = stations.reduce((sum, d) => sum + pictureOf(d.type, kinds)!.width + 8, 0), scale = total < FIT ? Math.min(1.5, FIT / total) : 1;
  return (
    <div role="img" aria-label={label} className="flex max-h-[46vh] flex-wrap overflow-y-auto">
      {stations.map((d) => <Station key={d.id} device={d} part={attached.get(d.id)} kinds={kinds} scale={scale} isChosen={chosen === d.id} {...(onChoose ? { onChoose } : {})} />)}
    </div>
  );
}

/** One place of the flow: the device, and what sits at it. */
function Station({ device: d, part, kinds, scale, isChosen, onChoose }: { readonly device: Device; readonly part: readonly Attached[] | undefined; readonly kinds: readonly OwnKind[] | undefined; readonly scale: number; readonly isChosen: boolean; readonly onChoose?: (id: string) => void }) {
  const place = useRef<SVGSVGElement>(null), seen = useInSight(place), w = pictureOf(d.type, kinds)!.width + 8;
  const drawn = (x: Device) => <Drawn name={x.name} picture={pictureOf(x.type, kinds)!} label={x.label ?? x.name} seen={seen} />;
  return (
    <svg ref={place} viewBox={`${-w / 2} ${TOP} ${w} ${HEIGHT}`} style={{ width: w * scale, height: HEIGHT * scale, contain: 'strict', contentVisibility: 'auto' }} onClick={() => onChoose?.(d.id)} className={`shrink-0 rounded-md ${onChoose ? 'cursor-pointer hover:bg-sunk' : ''} ${isChosen ? 'bg-glow/60' : ''}`}>
      {drawn(d)}
      {part?.map((a) => <g key={a.device.id} transform={`translate(${a.x},0)`} onClick={(e) => { e.stopPropagation(); onChoose?.(a.device.id); }}>{drawn(a.device)}</g>)}
    </svg>
  );
}

function Bins({ x, good, reject, falling, toReject }: { readonly x: number; readonly good: number; readonly reject: number; readonly falling: number; readonly toReject: boolean }) {
  const bin = (at: number, text: string, n: number, target: boolean) => (
    <g transform={`translate(${at},104)`}>
      <path d="M-31-16h62l-6 34h-50z" className={target && falling > 0 ? 'fill-glow stroke-copper' : 'fill-sunk stroke-soft'} strokeWidth={1.4} />
      <text y={6} textAnchor="middle" className="fill-ink font-mono text-[13px] font-semibold">{n}</text>
      <text y={32} textAnchor="middle" className="fill-soft text-[11px]">{text}</text>
    </g>
  );
  return (
    <g>
      <path d={toReject ? `M${x - 84} 62l38 20` : `M${x - 84} 62l-32 20`} className="stroke-soft" strokeWidth={3} />
      {falling > 0 && <rect x={(toReject ? x - 52 : x - 126)} y={74 - falling * 60} width={16} height={5} rx={2} className="fill-copper" />}
      {bin(x - 124, 'good', good, !toReject)}{bin(x - 46, 'reject', reject, toReject)}
    </g>
  );
}
