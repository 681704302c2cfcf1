/** The flow of a sequence, drawn from its steps: the live one lit, with how long it has lasted. */
import { useEffect, useMemo, useRef } from 'react';
import { type Sequence, stepName } from '@ferrule/core/document';
import { durationText } from '../values.js';
import { BOX, LINE, PITCH, layOutFlow } from './flow.js';

export interface LivePlan {
  /** Name of the live step, as the enumeration writes it. */
  readonly step: string | undefined;
  /** Since when, in ms of simulated time. */
  readonly forMs: number | undefined;
  /** Conditions on the ways out of it: whether they hold, and for how long in ms. */
  readonly holds: Readonly<Record<string, { readonly holds: boolean; readonly forMs: number }>>;
}

const STILL: LivePlan = { step: undefined, forMs: undefined, holds: {} };
/** Steps of a chart that have room on a sheet of A4. */
const ON_A_SHEET = 12;
/** The flow on paper: in pieces that each have room on a sheet. */
export function FlowOnPaper({
  sequence,
  beside,
}: {
  readonly sequence: Sequence;
  readonly beside?: ReadonlyMap<string, string>;
}) {
  const pieces = Math.max(1, Math.ceil(sequence.steps.length / ON_A_SHEET));
  return (
    <div className="my-2">
      {Array.from({ length: pieces }, (_, i) => (
        <FlowChart key={i} sequence={sequence} live={STILL} piece={pieces > 1 ? i : undefined} beside={beside} />
      ))}
    </div>
  );
}

export function FlowChart({
  sequence,
  live,
  piece,
  beside,
}: {
  readonly sequence: Sequence;
  readonly live: LivePlan;
  /** What the sequences that run beside steps are called, by id. */ readonly beside?:
    ReadonlyMap<string, string> | undefined;
  /** Only the so-manieth piece of it, for paper. */ readonly piece?: number | undefined;
}) {
  const flow = useMemo(() => layOutFlow(sequence), [sequence]);
  const top = (piece ?? 0) * ON_A_SHEET * PITCH,
    height = piece === undefined ? flow.height : Math.min(ON_A_SHEET * PITCH, flow.height - top);
  const starts = (id: string) =>
    (sequence.steps.find((x) => x.id === id)?.starts ?? []).flatMap((s) => beside?.get(s) ?? []).join(', ');
  const lit = sequence.steps.find((x) => stepName(x).toLowerCase() === live.step?.toLowerCase())?.id;
  // The chart goes with the live step, when that is out of sight.
  const litBox = useRef<SVGGElement>(null);
  useEffect(() => {
    litBox.current?.scrollIntoView({ block: 'nearest' });
  }, [lit]);
  return (
    <svg
      width={flow.width}
      height={height}
      viewBox={`0 ${top} ${flow.width} ${height}`}
      role="img"
      aria-label={`Flow of ${sequence.name}${lit ? `, in ${live.step}` : ''}${piece === undefined ? '' : `, part ${piece + 1}`}`}
      className="mx-auto block max-w-full break-inside-avoid"
    >
      {flow.lines.map((l) => {
        const holds = l.from === lit && l.when !== undefined && live.holds[l.when.trim()]?.holds;
        return (
          <g key={l.id}>
            <path
              d={path(l.points)}
              fill="none"
              className={l.isLimit ? 'stroke-bad' : l.from === lit ? 'stroke-copper' : 'stroke-faint'}
              strokeWidth={l.from === lit && !l.isLimit ? (holds ? 3 : 2) : 1.2}
              strokeDasharray={l.isLimit ? '4 3' : undefined}
            />
            <path
              d={arrow(l.points)}
              className={l.isLimit ? 'fill-bad' : l.from === lit ? 'fill-copper' : 'fill-faint'}
            />
            {l.tick && (
              <path
                d={`M${l.tick.x - 7} ${l.tick.y}h14`}
                className={l.from === lit ? 'stroke-copper' : 'stroke-ink'}
                strokeWidth={2}
              />
            )}
            {l.label && (
              <text
                x={l.at.x}
                y={l.at.y + 3.5}
                textAnchor={l.at.anchor}
                className={`text-[10.5px] ${l.isLimit ? 'fill-bad' : l.from === lit ? 'fill-copper-ink' : 'fill-soft'}`}
              >
                {l.words.map((line, i) => (
                  <tspan key={i} x={l.at.x} dy={i ? LINE : 0}>
                    {line}
                  </tspan>
                ))}
                <title>{l.label}</title>
              </text>
            )}
          </g>
        );
      })}
      {flow.faults.map((f) => (
        <g key={f.id}>
          <path d={`M${f.x} ${f.y}h12`} className="stroke-bad" strokeDasharray="3 2" />
          <text x={f.x + 15} y={f.y + 3.5} className="fill-bad text-[10.5px]">
            {f.label}
          </text>
        </g>
      ))}
      {flow.boxes.map((b) => (
        <g key={b.id} ref={b.id === lit ? litBox : undefined} transform={`translate(${b.x},${b.y})`}>
          <rect
            x={-BOX.width / 2}
            y={-BOX.height / 2}
            width={BOX.width}
            height={BOX.height}
            rx={8}
            className={b.id === lit ? 'fill-glow stroke-copper' : 'fill-sheet stroke-faint'}
            strokeWidth={b.id === lit ? 2.5 : 1.2}
          />
          <text
            y={starts(b.id) ? -1 : 4}
            textAnchor="middle"
            className={`text-[12.5px] font-semibold ${b.id === lit ? 'fill-copper-ink' : 'fill-ink'}`}
          >
            {clip(b.words, 18)}
          </text>
          {starts(b.id) && (
            <>
              <path
                d={`M${-BOX.width / 2 + 3} ${-BOX.height / 2 + 4}v${BOX.height - 8}M${BOX.width / 2 - 3} ${-BOX.height / 2 + 4}v${BOX.height - 8}`}
                className={b.id === lit ? 'stroke-copper' : 'stroke-faint'}
                strokeWidth={1.2}
              />
              <text y={12} textAnchor="middle" className="fill-soft text-[9.5px]">
                {clip(`beside: ${starts(b.id)}`, 24)}
                <title>{starts(b.id)}</title>
              </text>
            </>
          )}
          {b.id === lit && live.forMs !== undefined && (
            <text x={-BOX.width / 2 + 3} y={-BOX.height / 2 - 4} className="fill-copper-ink font-mono text-[10.5px]">
              {durationText(live.forMs)}
            </text>
          )}
        </g>
      ))}
    </svg>
  );
}

const clip = (text: string, most: number): string =>
  text.length > most ? `${text.slice(0, Math.max(1, most - 1))}…` : text;

const path = (p: readonly { x: number; y: number }[]): string =>
  p.map((q, i) => `${i ? 'L' : 'M'}${q.x.toFixed(1)} ${q.y.toFixed(1)}`).join('');

/** The tip at the end of a line. */
function arrow(p: readonly { x: number; y: number }[]): string {
  const b = p[p.length - 1]!,
    a = p[p.length - 2] ?? b;
  const length = Math.hypot(b.x - a.x, b.y - a.y) || 1,
    ux = (b.x - a.x) / length,
    uy = (b.y - a.y) / length;
  return `M${b.x} ${b.y}L${b.x - 7 * ux + 3.5 * uy} ${b.y - 7 * uy - 3.5 * ux}L${b.x - 7 * ux - 3.5 * uy} ${b.y - 7 * uy + 3.5 * ux}z`;
}
