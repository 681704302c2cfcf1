/** The machine, assembled from its devices in the order of the flow: nobody draws it. */
import { memo, useMemo } from 'react';
import { useShallow } from 'zustand/react/shallow';
import { useStore } from 'zustand';
import type { Device } from '@ferrule/core';
import { useLive, useLook } from '../../bench/live.js';
import { PICTURES } from './pictures.js';

interface Props { readonly devices: readonly Device[] }

export function MachineView({ devices }: Props) {
  const stations = devices.filter((d) => PICTURES[d.type]);
  const piece = devices.find((d) => d.type === 'WirePiece');
  const feed = devices.find((d) => d.type === 'Feeder');
  const pieceReads = piece ? ['Present', 'Crimped', 'Falling', 'Good', 'Reject', 'ToReject', 'PieceLength'].map((v) => `Machine.${piece.name}.${v}`) : [];
  const paths = [...pieceReads, ...(feed ? [`Machine.${feed.name}.Length`] : [])];
  useLook(paths);
  const live = useLive();
  const values = useStore(live.store, useShallow((s) => paths.map((p) => Number(s.frame?.values[p] ?? 0))));
  const read = (path: string) => values[paths.indexOf(path)] ?? 0;
  if (!feed && !piece) return <Rows devices={stations} />;
  const widths = stations.map((d) => PICTURES[d.type]!.width);
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
          {stations.map((d, i) => <g key={d.id} transform={`translate(${places[i]},0)`}><Drawn name={d.name} type={d.type} label={d.label ?? d.name} /></g>)}
        </g>
        {piece && <Bins x={Math.max(total + 30, 380)} good={read(`Machine.${piece.name}.Good`)} reject={read(`Machine.${piece.name}.Reject`)} falling={read(`Machine.${piece.name}.Falling`)} toReject={read(`Machine.${piece.name}.ToReject`) > 0} />}
      </svg>
    </section>
  );
}

/** One device, drawn anew only when something it shows has changed. */
const Drawn = memo(function Drawn({ name, type, label }: { readonly name: string; readonly type: string; readonly label: string }) {
  const { reads, draw } = PICTURES[type]!;
  const paths = useMemo(() => reads.map((v) => `Machine.${name}.${v}`), [reads, name]), at = useMemo(() => new Map(reads.map((v, i) => [v, i])), [reads]);
  useLook(paths);
  const live = useLive();
  const values = useStore(live.store, useShallow((s) => paths.map((p) => Number(s.frame?.values[p] ?? 0))));
  return draw((v) => values[at.get(v) ?? -1] ?? 0, label);
});

const ROW_WIDTH = 620, ROW_HEIGHT = 150;
/** Stations in the order of the flow, in as many rows as they need. */
function Rows({ devices }: { readonly devices: readonly Device[] }) {
  if (!devices.length) return null;
  let x = 0, row = 0;
  const places = devices.map((d) => { const w = PICTURES[d.type]!.width + 14; if (x > 0 && x + w > ROW_WIDTH) { x = 0; row++; } const at = { x: x + w / 2, row }; x += w; return at; });
  const width = Math.max(380, ...places.map((p, i) => p.x + (PICTURES[devices[i]!.type]!.width + 14) / 2));
  return (
    <section aria-label="Machine view" className="shrink-0 rounded-xl border border-edge bg-sheet">
      <svg viewBox={`-10 -78 ${width + 20} ${(row + 1) * ROW_HEIGHT}`} className="block max-h-[46vh] w-full" role="img" aria-label="The machine">
        {devices.map((d, i) => <g key={d.id} transform={`translate(${places[i]!.x},${places[i]!.row * ROW_HEIGHT})`}><Drawn name={d.name} type={d.type} label={d.label ?? d.name} /></g>)}
      </svg>
    </section>
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
