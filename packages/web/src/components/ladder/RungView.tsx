/**
 * A rung drawn from its layout. Power is copper and thick, no power a thin ink line; closed parts are filled,
 * open ones are not: the state reads without colour.
 */
import { type PointerEvent, memo } from 'react';
import { useStore } from 'zustand';
import { useShallow } from 'zustand/react/shallow';
import { type Box, type Node, callText } from '@ferrule/core/ladder';
import type { ShownValue, WhyMark } from '@ferrule/core/bench';
import type { Tag } from '@ferrule/core/document';
import { CARD_OUT } from '../ValueMarks.js';
import { forcedValue, isPulled, useLive, useLook } from '../../bench/live.js';
import type { BenchFrame, ProblemNote, TagFacts } from '../../bench/protocol.js';
import { useAsked } from '../asking.js';
import { useDesk } from '../desk.js';
import { type Gap, useReach } from '../reach.js';
import { durationText, valueText } from '../values.js';
import { BOX_LETTER, BOX_MARGIN, type RungModel, blockLook, blockType, presetOf } from './rung-model.js';

interface RungViewProps {
  readonly id: string;
  readonly label: string;
  readonly model: RungModel;
  readonly tags: Readonly<Record<string, TagFacts>>;
  readonly declared: ReadonlyMap<string, Tag>;
  readonly problems?: readonly ProblemNote[];
  readonly selected?: number | undefined;
  /** The other end of a run of elements. */
  readonly selectedTo?: number | undefined;
  /** Elements that differ from another version of the rung. */
  readonly marks?: ReadonlySet<number> | undefined;
  /** What hands do with elements, by the rung's id. The same object from one drawing to the next. */
  readonly hands?: RungHands;
}

export interface RungHands {
  select(rung: string, element: number): void;
  open(rung: string, element: number): void;
  /** A pointer went down on an element; what is dragged is for the sheet to find out. */
  grab(rung: string, element: number, e: PointerEvent): void;
}

const NO_POWER: readonly number[] = [];
const OUTPUTS: ReadonlySet<Box['kind']> = new Set(['coil', 'action']);

export const RungView = memo(function RungView({
  id,
  label,
  model,
  tags,
  declared,
  problems = [],
  selected,
  selectedTo,
  marks,
  hands,
}: RungViewProps) {
  useLook(model.paths, [id]);
  const live = useLive();
  // Without an id it is a rung that does not run: values of a rung beside it that does are none of its own.
  const isLive = id !== '';
  const power = useStore(
    live.store,
    useShallow((s) => s.frame?.power[id] ?? NO_POWER),
  );
  const values = useStore(
    live.store,
    useShallow((s) => model.paths.map((p) => (isLive ? s.frame?.values[p] : undefined))),
  );
  const forces = useStore(
    live.store,
    useShallow((s) =>
      model.nodes.map((n) => (isLive && 'tag' in n ? forcedValue(s.frame, model.pathOf(n.tag)) : undefined)),
    ),
  );
  const isOut = useStore(
    live.store,
    useShallow((s) => model.nodes.map((n) => isLive && 'tag' in n && isPulled(s.frame, model.pathOf(n.tag)))),
  );
  const { layout, nodes } = model;
  if (!layout) return null;
  // A rung that was not evaluated (behind a return) has no power on its rail either.
  const evaluated = power.length > 0;
  const lit = (sources: readonly number[]) => evaluated && sources.some((s) => s < 0 || ((power[s] ?? 0) & 2) !== 0);
  const showAddress = useDesk((s) => s.showAddress),
    showDescription = useDesk((s) => s.showDescription);
  const value = (path: string) => values[model.paths.indexOf(model.pathOf(path))];
  // An answer of the bench says nothing about a controller that is looked at live.
  const why = useAsked((s) => (live.kind === 'bench' ? s.marks.get(id) : undefined));
  const reach = useReach((s) => s.shown?.rungs.get(id)),
    gaps = reach?.line === model.line ? reach : undefined;
  const isHere = useStore(live.store, (s) => {
    const p = live.kind === 'bench' ? (s.frame as BenchFrame | undefined)?.inside?.place : undefined;
    return p?.kind === 'rung' && p.rung === id;
  });
  const last = selectedTo ?? selected ?? -1;
  const isIn = (element: number) =>
    selected !== undefined && element >= Math.min(selected, last) && element <= Math.max(selected, last);
  const ordered = [...layout.wires].sort((a, b) => Number(lit(a.sources)) - Number(lit(b.sources)));
  return (
    <svg width={layout.width} height={layout.height} role="group" aria-label={label} className="block">
      {/* On half pixels, so that odd widths are crisp and neighbouring stretches meet without a seam. */}
      <g transform="translate(0.5 0.5)">
        {ordered.map((w, i) => (
          <line
            key={i}
            x1={w.x1}
            y1={w.y1}
            x2={w.x2}
            y2={w.y2}
            className={lit(w.sources) ? 'stroke-copper' : 'stroke-faint'}
            strokeWidth={lit(w.sources) ? 3 : 1}
            strokeLinecap="square"
          />
        ))}
      </g>
      {isHere && (
        <path d={`M5 ${layout.height / 2 - 6}l9 6l-9 6z`} className="fill-copper">
          <title>The scan stands before this rung</title>
        </path>
      )}
      <rect
        x={0}
        y={2}
        width={3.5}
        height={layout.height - 4}
        rx={1.5}
        className={evaluated ? 'fill-copper' : 'fill-faint'}
      />
      <rect x={layout.width - 3.5} y={2} width={3.5} height={layout.height - 4} rx={1.5} className="fill-edge" />
      {layout.breaks.map((b, i) => (
        <path
          key={i}
          d={b.end ? `M${b.x - 12} ${b.y - 5}l7 5l-7 5` : `M${b.x + 5} ${b.y - 5}l7 5l-7 5`}
          fill="none"
          className="stroke-ink"
          strokeWidth={1.4}
        />
      ))}
      {layout.boxes.map((box) => {
        const node = nodes[box.element]!;
        const bits = power[box.element] ?? 0;
        const mine = problems.filter((p) => p.element === box.element);
        return (
          <ElementView
            key={box.element}
            box={box}
            node={node}
            inPower={(bits & 1) !== 0}
            outPower={(bits & 2) !== 0}
            closed={(bits & 4) !== 0}
            value={value}
            tags={tags}
            pinsOf={model.pinsOf}
            tag={'tag' in node ? declared.get(node.tag.toLowerCase()) : undefined}
            forced={forces[box.element]}
            isOut={isOut[box.element] ?? false}
            problem={mine[0]}
            isSelected={isIn(box.element)}
            isMarked={marks?.has(box.element) ?? false}
            why={why?.find((m) => m.element === box.element)?.role}
            gap={
              gaps?.elements.get(box.element) ??
              (gaps?.unpowered && OUTPUTS.has(box.kind) ? 'never powered' : undefined)
            }
            showAddress={showAddress}
            showDescription={showDescription}
            {...(hands
              ? {
                  onSelect: () => hands.select(id, box.element),
                  onOpen: () => hands.open(id, box.element),
                  onGrab: (e: PointerEvent) => hands.grab(id, box.element, e),
                }
              : {})}
          />
        );
      })}
    </svg>
  );
});

interface ElementProps {
  readonly box: Box;
  readonly node: Node;
  readonly inPower: boolean;
  readonly outPower: boolean;
  readonly closed: boolean;
  readonly value: (path: string) => ShownValue | undefined;
  readonly tags: Readonly<Record<string, TagFacts>>;
  readonly pinsOf: RungModel['pinsOf'];
  readonly tag: Tag | undefined;
  readonly forced: ShownValue | undefined;
  /** The card that it lies on is pulled. */ readonly isOut: boolean;
  readonly problem: ProblemNote | undefined;
  readonly isSelected: boolean;
  readonly isMarked: boolean;
  readonly why: WhyMark['role'] | undefined;
  /** What the checks have not seen of it, while that is shown. */ readonly gap: Gap | 'never powered' | undefined;
  readonly showAddress: boolean;
  readonly showDescription: boolean;
  readonly onSelect?: () => void;
  readonly onOpen?: () => void;
  readonly onGrab?: (e: PointerEvent) => void;
}

function ElementView(p: ElementProps) {
  const { box, node } = p;
  const middle = box.x + box.width / 2;
  const y = box.wireY;
  const name = elementName(node);
  const live = p.outPower;
  return (
    <g
      role="button"
      aria-label={`${name}, ${stateText(p)}${p.forced === undefined ? '' : ', forced'}${p.isOut ? ', its card pulled' : ''}${p.gap ? `, ${p.gap} by the checks` : ''}${p.problem ? `, problem: ${p.problem.message}` : ''}`}
      aria-pressed={p.isSelected}
      data-element={box.element}
      onPointerDown={(e) => {
        if (!e.shiftKey) p.onSelect?.();
        p.onGrab?.(e);
      }}
      onDoubleClick={p.onOpen}
      className="cursor-default"
    >
      <rect
        x={box.x + 2}
        y={box.y}
        width={box.width - 4}
        height={box.height}
        rx={5}
        className={
          p.isSelected
            ? 'fill-copper/8 stroke-copper'
            : p.isMarked
              ? 'fill-copper/12 stroke-copper'
              : 'fill-transparent'
        }
        strokeWidth={1.2}
        strokeDasharray={p.isSelected ? '4 3' : undefined}
      />
      {box.kind === 'block' ? (
        <BlockView {...p} />
      ) : (
        <>
          <text
            x={middle}
            y={y - 14}
            textAnchor="middle"
            className={`text-[12.5px] font-semibold ${p.problem?.severity === 'error' ? 'fill-bad' : 'fill-ink'}`}
          >
            {name}
          </text>
          {box.kind === 'coil' ? (
            <CoilMark x={middle} y={y} node={node} on={live} value={'tag' in node ? p.value(node.tag) : undefined} />
          ) : box.kind === 'action' || box.kind === 'return' ? (
            <ActionMark x={middle} y={y} width={box.width - 12} on={live} />
          ) : (
            <ContactMark x={middle} y={y} node={node} closed={p.closed} live={live} />
          )}
          {p.showDescription && p.tag?.description && (
            <text
              x={middle}
              y={y + (p.tag.standsFor || (p.showAddress && p.tag.address) ? 32 : 21)}
              textAnchor="middle"
              className="fill-soft text-[10.5px]"
            >
              {clip(p.tag.description, box.width + 6)}
            </text>
          )}
          {p.tag?.standsFor && (
            <text x={middle} y={y + 21} textAnchor="middle" className="fill-soft font-mono text-[10.5px]">
              = {p.tag.standsFor}
            </text>
          )}
          {p.showAddress && !p.tag?.standsFor && p.tag?.address && (
            <text x={middle} y={y + 21} textAnchor="middle" className="fill-soft font-mono text-[10.5px]">
              {p.tag.address}
            </text>
          )}
        </>
      )}
      {p.isOut && (
        <g>
          <title>{CARD_OUT}</title>
          <rect x={middle - 24} y={y + 12} width={48} height={13} rx={3} className="fill-sheet stroke-bad" />
          <text x={middle} y={y + 22} textAnchor="middle" className="fill-bad text-[10px]">
            card out
          </text>
        </g>
      )}
      {p.forced !== undefined && (
        <g>
          <rect x={middle + 11} y={y - 11} width={30} height={13} rx={3} className="fill-forced" />
          <text
            x={middle + 26}
            y={y - 1}
            textAnchor="middle"
            className="fill-on-forced font-mono text-[10px] font-semibold"
          >
            F={valueText(p.forced)}
          </text>
        </g>
      )}
      {p.why && (
        <WhySign
          x={
            box.kind === 'block'
              ? box.x + 14
              : box.kind === 'action' || box.kind === 'return'
                ? box.x + 12
                : middle - 17
          }
          y={box.kind === 'block' ? box.wireY - 24 : y - 8}
          role={p.why}
        />
      )}
      {p.gap && <GapSign x={middle} y={y + 11} words={p.gap} />}
      {p.problem && (
        <path
          d={wave(box.x + 8, box.wireY - 11, box.width - 16)}
          fill="none"
          className={p.problem.severity === 'error' ? 'stroke-bad' : 'stroke-copper'}
          strokeWidth={1.3}
        />
      )}
      <title>{p.problem?.message ?? factOf(p)}</title>
    </g>
  );
}

/** What hovering tells: what it is for, where it lies, its type and its value at the moment shown. */
function factOf({ node, tag, tags, value }: ElementProps): string {
  const name = 'tag' in node ? node.tag : node.kind === 'call' ? node.name : undefined;
  if (name === undefined) return elementName(node);
  const now = 'tag' in node ? value(node.tag) : undefined;
  return [
    `${name} : ${tag?.type ?? tags[name.toLowerCase()]?.type ?? (node.kind === 'call' ? blockType(node, tags) : undefined) ?? 'not declared'}`,
    tag?.address,
    tag?.description,
    now === undefined ? undefined : `now ${valueText(now)}`,
  ]
    .filter(Boolean)
    .join(' · ');
}

function elementName(n: Node): string {
  switch (n.kind) {
    case 'contact':
    case 'coil':
      return n.tag;
    case 'compare':
      return `${n.left} ${n.op} ${n.right}`;
    case 'call':
      return callText(n);
    case 'action':
      return n.text.replace(/\s+/g, ' ');
    case 'return':
      return 'return';
  }
}

function stateText({ node, outPower, closed, why }: ElementProps): string {
  const kind = {
    contact: 'contact',
    coil: 'coil',
    compare: 'comparison',
    call: 'block',
    action: 'action',
    return: 'return',
  }[node.kind];
  const mode =
    'mode' in node && node.mode !== 'plain'
      ? ` ${{ open: 'normally open', closed: 'normally closed', rising: 'rising edge', falling: 'falling edge', negated: 'negated', set: 'set', reset: 'reset' }[node.mode]}`
      : '';
  return `${kind}${mode}${node.kind === 'contact' || node.kind === 'compare' ? (closed ? ', closed' : ', open') : ''}, ${outPower ? 'power' : 'no power'}${why ? `, ${{ cause: 'the cause', carries: 'carries', blocks: 'blocks', nearest: 'nearest to closing' }[why]}` : ''}`;
}

function ContactMark({
  x,
  y,
  node,
  closed,
  live,
}: {
  readonly x: number;
  readonly y: number;
  readonly node: Node;
  readonly closed: boolean;
  readonly live: boolean;
}) {
  const stroke = live ? 'stroke-copper' : 'stroke-ink';
  const mode = node.kind === 'contact' ? node.mode : 'open';
  return (
    <g className={stroke} strokeWidth={live ? 3 : 2}>
      <rect
        x={x - 9}
        y={y - 9.5}
        width={18}
        height={19}
        className={closed ? 'fill-glow' : 'fill-sheet'}
        stroke="none"
      />
      <line x1={x - 9} y1={y - 10} x2={x - 9} y2={y + 10} />
      <line x1={x + 9} y1={y - 10} x2={x + 9} y2={y + 10} />
      {mode === 'closed' && <line x1={x - 8} y1={y + 8} x2={x + 8} y2={y - 8} strokeWidth={2} />}
      {(mode === 'rising' || mode === 'falling') && (
        <text x={x} y={y + 4.5} textAnchor="middle" stroke="none" className="fill-ink text-[12px] font-bold">
          {mode === 'rising' ? 'P' : 'N'}
        </text>
      )}
      {node.kind === 'call' && (
        <text x={x} y={y + 4.5} textAnchor="middle" stroke="none" className="fill-ink text-[11px] italic">
          f
        </text>
      )}
    </g>
  );
}

function CoilMark({
  x,
  y,
  node,
  on,
  value,
}: {
  readonly x: number;
  readonly y: number;
  readonly node: Node;
  readonly on: boolean;
  readonly value: ShownValue | undefined;
}) {
  const mode = node.kind === 'coil' ? node.mode : 'plain';
  const letter = { plain: '', negated: '', set: 'S', reset: 'R', rising: 'P', falling: 'N' }[mode];
  return (
    <g className={on ? 'stroke-copper' : 'stroke-ink'} fill="none" strokeWidth={on ? 3 : 2}>
      {value === true && <ellipse cx={x} cy={y} rx={11} ry={9.5} className="fill-glow" stroke="none" />}
      <path d={`M${x - 8} ${y - 10}q-8 10 0 20M${x + 8} ${y - 10}q8 10 0 20`} />
      {mode === 'negated' && <line x1={x - 7} y1={y + 8} x2={x + 7} y2={y - 8} strokeWidth={2} />}
      {letter && (
        <text x={x} y={y + 4.5} textAnchor="middle" stroke="none" className="fill-ink text-[12px] font-bold">
          {letter}
        </text>
      )}
    </g>
  );
}

function ActionMark({
  x,
  y,
  width,
  on,
}: {
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly on: boolean;
}) {
  return (
    <g className={on ? 'stroke-copper' : 'stroke-ink'} fill="none" strokeWidth={on ? 2.5 : 1.5}>
      <path d={`M${x - width / 2} ${y - 10}v20M${x + width / 2} ${y - 10}v20`} />
      <rect
        x={x - width / 2}
        y={y - 10}
        width={width}
        height={20}
        rx={3}
        className={on ? 'fill-glow' : 'fill-sheet'}
        strokeWidth={1}
      />
      <path d={`M${x - 5} ${y - 5}l-4 5l4 5M${x + 5} ${y - 5}l4 5l-4 5`} strokeWidth={1.5} />
    </g>
  );
}

function BlockView({ box, node, inPower, outPower, value, tags, pinsOf, problem }: ElementProps) {
  if (node.kind !== 'call') return null;
  const type = blockType(node, tags) ?? '';
  const look = blockLook(type);
  const x = box.x + 7,
    y = box.wireY - 24,
    width = box.width - 14,
    height = box.height - 8;
  const [at, of] =
    look === 'timer'
      ? [value(`${node.name}.ET`), value(`${node.name}.PT`)]
      : look === 'counter'
        ? [value(`${node.name}.CV`), value(`${node.name}.PV`)]
        : [];
  const share = typeof at === 'number' && typeof of === 'number' && of > 0 ? Math.min(1, Math.max(0, at / of)) : 0;
  const text = (v: ShownValue | undefined) =>
    v === undefined ? '–' : look === 'timer' ? durationText(Number(v)) : String(v);
  // With no values, as on paper, what is written of the preset stands where the progress would.
  const isBare = at === undefined && of === undefined;
  const pins = pinsOf(node);
  const first = y + 32 + (look === 'plain' ? 0 : 30);
  return (
    <g>
      <rect
        x={x}
        y={y}
        width={width}
        height={height}
        rx={6}
        className={`fill-sheet ${inPower ? 'stroke-copper' : 'stroke-ink'}`}
        strokeWidth={inPower ? 2 : 1.2}
      />
      <text
        x={x + 10}
        y={y + 16}
        className={`text-[12.5px] font-semibold ${problem?.severity === 'error' ? 'fill-bad' : 'fill-ink'}`}
      >
        {node.name}
      </text>
      <text x={x + width - 10} y={y + 16} textAnchor="end" className="fill-soft font-mono text-[10.5px]">
        {type}
        {node.outPin ? `.${node.outPin}` : ''}
      </text>
      {look !== 'plain' && isBare && (
        <text x={x + 10} y={y + 40} className="fill-ink font-mono text-[11px]">
          {clip(presetOf(node, type).text, width - BOX_MARGIN)}
        </text>
      )}
      {look !== 'plain' && !isBare && (
        <>
          <rect x={x + 10} y={y + 27} width={width - 20} height={6} rx={3} className="fill-edge" />
          <rect x={x + 10} y={y + 27} width={(width - 20) * share} height={6} rx={3} className="fill-copper" />
          <text x={x + 10} y={y + 46} className="fill-ink font-mono text-[11px] font-semibold">
            {text(at)}
          </text>
          <text x={x + width - 10} y={y + 46} textAnchor="end" className="fill-soft font-mono text-[11px]">
            of {text(of)}
          </text>
        </>
      )}
      {pins.map((a, i) => {
        const now = a.path === undefined ? undefined : value(a.path);
        const shown =
          now === undefined
            ? ''
            : clip(
                typeof now === 'boolean' ? String(Number(now)) : a.isTime ? durationText(Number(now)) : String(now),
                64,
              );
        return (
          <g key={i}>
            <text x={x + 10} y={first + i * 16} className="fill-soft font-mono text-[10.5px]">
              {clip(a.text, width - 24 - shown.length * 6.4)}
            </text>
            <text
              x={x + width - 10}
              y={first + i * 16}
              textAnchor="end"
              className={`font-mono text-[10.5px] font-semibold ${now === true ? 'fill-copper-ink' : 'fill-ink'}`}
            >
              {shown}
            </text>
          </g>
        );
      })}
      {outPower && <circle cx={x + width} cy={box.wireY} r={3} className="fill-copper" />}
    </g>
  );
}

/** What an element has to do with the question asked: filled where it decides, open where it only has a part. */
function WhySign({ x, y, role }: { readonly x: number; readonly y: number; readonly role: WhyMark['role'] }) {
  const decides = role === 'cause' || role === 'nearest';
  return (
    <g className={decides ? 'fill-copper stroke-copper' : 'fill-sheet stroke-copper'} strokeWidth={1.4}>
      {role === 'cause' || role === 'carries' ? (
        <circle cx={x} cy={y} r={3.6} />
      ) : (
        <path d={`M${x} ${y - 4.6}l4.6 4.6l-4.6 4.6l-4.6 -4.6z`} />
      )}
      <title>
        {
          {
            cause: 'This came last',
            carries: 'This carries',
            blocks: 'This blocks',
            nearest: 'This would have to close',
          }[role]
        }
      </title>
    </g>
  );
}

/** What the checks have not seen of an element: a dashed line under it, with the words. */
function GapSign({ x, y, words }: { readonly x: number; readonly y: number; readonly words: string }) {
  const width = words.length * 5.2 + 8;
  return (
    <g>
      <rect
        x={x - width / 2}
        y={y - 1}
        width={width}
        height={13}
        rx={3}
        className="fill-sheet stroke-ink"
        strokeWidth={1}
        strokeDasharray="3 2"
      />
      <text x={x} y={y + 8.8} textAnchor="middle" className="fill-ink text-[9.5px]">
        {words}
      </text>
      <title>{`The checks have ${words.replace('never', 'never seen it')}.`}</title>
    </g>
  );
}

const clip = (text: string, width: number) =>
  text.length * BOX_LETTER > width ? `${text.slice(0, Math.floor(width / BOX_LETTER) - 1)}…` : text;

function wave(x: number, y: number, width: number): string {
  let d = `M${x} ${y}`;
  for (let i = 0; i < width / 6; i++) d += `q1.5 ${i % 2 ? -4 : 4} 6 0`.replace('1.5', '3');
  return d;
}
