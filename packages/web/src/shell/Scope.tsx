/**
 * The scope: time chart of chosen tags under every area. Its time line is the moment that the whole page shows;
 * dragging it goes through time. Drawn on a canvas: it changes with every frame.
 */
import { type ValueSpan, readValueNames } from '@ferrule/core/bench';
import { ChevronDown, Plus, X } from 'lucide-react';
import { Popover } from 'radix-ui';
import { useCallback, useEffect, useMemo, useState } from 'react';
import { useLocation } from 'react-router';
import { askBench, benchStore, tellBench, useBench, useLook, useValue } from '../bench/live.js';
import { askWhy } from '../components/asking.js';
import { useTagDrop } from '../components/drag.js';
import { ValueMarks } from '../components/ValueMarks.js';
import { Button, Hint, MENU } from '../components/ui.js';
import { durationText, valueText } from '../components/values.js';
import { useDocument } from '../document/store.js';
import { toggleFold, useFolded } from '../components/folds.js';
import { AddTag } from '../components/TagPicker.js';
import { ROW, valueAt } from './scope-draw.js';
import { Lines, useDifference, Runs } from './scope-runs.js';
import { useSpan, Chart } from './ScopeChart.js';
import { type View, spanText, menuButton, NO_PATHS, NO_LINES } from './scope-parts.js';

const NAMES = 190;

const MIN_SPAN = 4;

export function Scope() {
  const isLine = useFolded('bottom');
  const scoped = useDocument((s) => s.project?.scope) ?? NO_PATHS;
  const paths = isLine ? NO_PATHS : scoped;
  const edit = useDocument((s) => s.edit);
  const scanMs = useBench((s) => s.frame?.scanMs ?? 10);
  const [view, setView] = useState<View>({ from: undefined, span: 800 });
  const [pixels, setPixels] = useState(800);
  const [cursors, setCursors] = useState<readonly [number | undefined, number | undefined]>([undefined, undefined]);
  const [other, setOther] = useState<number>();
  // One line alone is told by nothing here, and is another one in every frame.
  const lines = useBench((s) => ((s.frame?.lines.length ?? 0) > 1 ? s.frame!.lines : NO_LINES));
  const laid = lines.some((l) => l.id === other && !l.isCurrent) ? other : undefined;
  const differs = useDifference(laid, lines.find((l) => l.isCurrent)?.id, paths);
  useEffect(
    () =>
      tellBench({
        kind: 'scope',
        view: {
          paths,
          span: view.span,
          pixels,
          ...(view.from !== undefined ? { from: view.from } : {}),
          ...(laid !== undefined ? { other: laid } : {}),
        },
      }),
    [paths, view, pixels, laid],
  );
  const add = (path: string) => {
    if (!scoped.some((p) => p.toLowerCase() === path.toLowerCase()))
      edit({ kind: 'changeScope', paths: [...scoped, path] });
  };
  const drop = useTagDrop<HTMLElement>(add);
  useTrigger(setView);
  /** Zooms by a factor around a scan, or around the moment shown. */
  const zoom = useCallback(
    (factor: number, around?: number) =>
      setView((v) => {
        const f = benchStore.getState(),
          scope = f.scope;
        const span = Math.min(Math.max(MIN_SPAN, v.span * factor), Math.max(1000, (f.frame?.end ?? 0) * 1.05));
        if (v.from === undefined && around === undefined) return { from: undefined, span };
        const from = v.from ?? scope?.from ?? 0,
          at = around ?? f.frame?.scan ?? from;
        return { from: Math.max(0, at - ((at - from) / v.span) * span), span };
      }),
    [],
  );
  const setCursor = (which: 0 | 1, scan: number | undefined) =>
    setCursors((c) => (which ? [c[0], scan] : [scan, c[1]]));
  const [a, b] = cursors;
  const isController = useLocation().pathname.endsWith('/controller');
  const chart = (
    <Chart
      paths={paths}
      view={view}
      setView={setView}
      zoom={zoom}
      cursors={cursors}
      onCursor={setCursor}
      onPixels={setPixels}
      differs={differs}
      laid={laid}
    />
  );
  if (isLine)
    return (
      <section ref={drop} data-takes-tags aria-label="Scope" className="flex h-[30px] min-w-0 bg-sheet">
        <FoldScope isFolded />
        {isController && (
          <span className="shrink-0 self-center pr-3 text-soft">of the bench, not of the controller</span>
        )}
        {chart}
      </section>
    );
  return (
    <section ref={drop} data-takes-tags aria-label="Scope" className="flex h-full min-w-0 flex-col bg-sheet">
      <div className="flex min-h-[30px] shrink-0 flex-wrap items-center gap-1 border-b border-edge pr-1.5 pl-3.5 text-[12.5px]">
        <FoldScope isFolded={false} />
        {isController && <span className="shrink-0 text-soft">of the bench, not of the controller</span>}
        <button className={small} aria-label="Shorter span" onClick={() => zoom(0.5)}>
          +
        </button>
        <span
          className="min-w-12 shrink-0 text-center font-mono text-[11.5px] text-soft tabular-nums"
          aria-label="Span"
        >
          {spanText(view.span * scanMs)}
        </span>
        <button className={small} aria-label="Longer span" onClick={() => zoom(2)}>
          −
        </button>
        <button
          className={small}
          title="The whole run"
          onClick={() => setView({ from: 0, span: Math.max(100, benchStore.getState().frame?.end ?? 0) })}
        >
          All
        </button>
        {view.from !== undefined && (
          <Button look="quiet" tight onClick={() => setView((v) => ({ from: undefined, span: v.span }))}>
            Follow the end
          </Button>
        )}
        <Cursors a={a} b={b} scanMs={scanMs} onSet={setCursor} />
        <span className="ml-auto" />
        <Trigger />
        <Lines lines={lines} other={laid} onOther={setOther} differs={differs} />
        <Runs cursors={cursors} paths={paths} />
        <AddTag look="quiet" tight label="Tag for the scope" onAdd={add}>
          <Plus size={13} />
          Add tag
        </AddTag>
      </div>
      <div className="flex min-h-0 flex-1 overflow-x-hidden overflow-y-auto">
        <ol className="shrink-0 border-r border-edge" style={{ width: NAMES }}>
          {paths.map((p) => (
            <ScopeName
              key={p}
              path={p}
              a={a}
              b={b}
              within={view.span / pixels}
              onRemove={() => edit({ kind: 'changeScope', paths: paths.filter((x) => x !== p) })}
            />
          ))}
          {!paths.length && (
            <li className="px-3 py-2 text-soft">No tags yet: drag one here, or add one. Its past comes with it.</li>
          )}
        </ol>
        {chart}
      </div>
    </section>
  );
}

/** The name of the scope folds it to a line and opens it; its time line stays in sight. */
function FoldScope({ isFolded }: { readonly isFolded: boolean }) {
  return (
    <h2 className={`shrink-0 font-semibold ${isFolded ? 'border-r border-edge' : 'mr-1'}`}>
      <button
        aria-expanded={!isFolded}
        title={isFolded ? 'Open the scope (⇧F2)' : 'Fold the scope (⇧F2)'}
        data-fold-scope=""
        onClick={() => {
          toggleFold('bottom');
          // The line and the whole scope are two drawings; the button keeps the focus.
          requestAnimationFrame(() => document.querySelector<HTMLElement>('[data-fold-scope]')?.focus());
        }}
        className={`flex h-[30px] items-center gap-1.5 text-[12.5px] hover:text-copper-ink ${isFolded ? 'px-3.5' : ''}`}
      >
        <span className="text-soft">{isFolded ? '▸' : '▾'}</span>
        Scope
      </button>
    </h2>
  );
}

const small = 'h-6 min-w-6 shrink-0 rounded px-1 text-soft hover:bg-sunk hover:text-ink';

/** A trigger that fired brings its moment into the window, with what led to it. */
function useTrigger(setView: (f: (v: View) => View) => void): void {
  const fired = useBench((s) => s.frame?.trigger?.fired);
  const before = useBench((s) => s.frame?.trigger?.before ?? 50);
  useEffect(() => {
    if (fired !== undefined) setView((v) => ({ from: Math.max(0, fired - (v.span * before) / 100), span: v.span }));
  }, [fired, before, setView]);
}

function Trigger() {
  const trigger = useBench((s) => s.frame?.trigger);
  const [text, setText] = useState('');
  const [before, setBefore] = useState(50);
  const [each, setEach] = useState(false);
  const [problem, setProblem] = useState<string>();
  const check = async () => {
    const p = await askBench('condition', { text });
    setProblem(p);
    return !p && text.trim() !== '';
  };
  const arm = async () => {
    if (await check()) tellBench({ kind: 'trigger', text: text.trim(), before, each });
  };
  const find = async (direction: 1 | -1) => {
    if (await check()) tellBench({ kind: 'find', text, direction });
  };
  return (
    <Popover.Root>
      <Popover.Trigger asChild>
        <button className={`${menuButton} ${trigger ? 'text-copper-ink' : ''}`}>
          {trigger
            ? `Trigger: ${trigger.fired === undefined ? 'waits' : `scan ${trigger.fired.toLocaleString('en')}`}`
            : 'Trigger'}
          <ChevronDown size={12} />
        </button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          side="top"
          sideOffset={6}
          align="end"
          aria-label="Trigger"
          className={`${MENU} w-[340px] p-3`}
          onKeyDown={(e) => e.stopPropagation()}
        >
          <label className="block">
            When this comes true{' '}
            <input
              value={text}
              spellCheck={false}
              placeholder="DieDown is on"
              onChange={(e) => {
                setText(e.target.value);
                setProblem(undefined);
              }}
              onKeyDown={(e) => {
                if (e.key === 'Enter') void arm();
              }}
              className="mt-1 h-7 w-full rounded border border-edge bg-sheet px-2 font-mono text-[12px]"
            />
          </label>
          {problem && (
            <p role="alert" className="mt-1 text-bad">
              {problem}
            </p>
          )}
          <label className="mt-2 flex items-center gap-2">
            show{' '}
            <input
              type="range"
              min={0}
              max={100}
              step={5}
              value={before}
              onChange={(e) => setBefore(Number(e.target.value))}
              aria-label="Share of the window before the trigger"
              className="flex-1 accent-[var(--copper)]"
            />{' '}
            <span className="w-24 text-right">{before} % before it</span>
          </label>
          <label className="mt-1 flex items-center gap-2">
            <input
              type="checkbox"
              checked={each}
              onChange={(e) => setEach(e.target.checked)}
              className="accent-[var(--copper)]"
            />
            each time anew, not only once
          </label>
          <div className="mt-3 flex flex-wrap gap-1.5">
            <Button look="strong" onClick={() => void arm()}>
              Wait for it
            </Button>
            {trigger && (
              <Button onClick={() => tellBench({ kind: 'trigger', text: '', before, each })}>Stop waiting</Button>
            )}
            <Button onClick={() => void find(-1)}>Last time before</Button>
            <Button onClick={() => void find(1)}>Next time after</Button>
          </div>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

function Cursors({
  a,
  b,
  scanMs,
  onSet,
}: {
  readonly a: number | undefined;
  readonly b: number | undefined;
  readonly scanMs: number;
  readonly onSet: (which: 0 | 1, scan: number | undefined) => void;
}) {
  const now = () => benchStore.getState().frame?.scan;
  return (
    <span className="flex shrink-0 items-center gap-0.5 pl-1">
      {(['A', 'B'] as const).map((n, i) => {
        const at = i ? b : a;
        return (
          <Hint
            key={n}
            text={`Cursor ${n} at the moment shown; ${i ? 'Ctrl+⇧' : 'Ctrl+'}click on the chart sets it elsewhere`}
          >
            <button
              aria-label={`Cursor ${n}`}
              aria-pressed={at !== undefined}
              onClick={() => onSet(i as 0, at === undefined ? now() : undefined)}
              className={`h-6 w-6 rounded font-mono text-[11.5px] ${at !== undefined ? 'bg-glow font-semibold text-copper-ink' : 'text-soft hover:bg-sunk'}`}
            >
              {n}
            </button>
          </Hint>
        );
      })}
      {a !== undefined && b !== undefined && (
        <span role="status" aria-label="Between the cursors" className="pl-1 font-mono text-[11.5px] tabular-nums">
          Δ {durationText(Math.abs(b - a) * scanMs)} · {Math.abs(b - a)} scans
        </span>
      )}
    </span>
  );
}

function ScopeName({
  path,
  a,
  b,
  within,
  onRemove,
}: {
  readonly path: string;
  readonly a: number | undefined;
  readonly b: number | undefined;
  /** Scans to a pixel. */
  readonly within: number;
  readonly onRemove: () => void;
}) {
  useLook([path]);
  const value = useValue(path);
  const course = useBench((s) =>
    a === undefined && b === undefined ? undefined : s.scope?.courses.find((c) => c.path === path),
  );
  const type =
    useBench((s) => s.checked?.tags[path.toLowerCase()]?.type) ?? (/\.(ET|PT)$/i.test(path) ? 'TIME' : undefined);
  // Steps that are a number have names; they do not change from frame to frame.
  const tagNames = useDocument(
      (s) => s.project?.tags.find((t) => t.name.toLowerCase() === path.toLowerCase())?.valueNames,
    ),
    named = useMemo(() => (tagNames ? readValueNames(tagNames) : undefined), [tagNames]);
  const spans = [useSpan(path, a, within), useSpan(path, b, within)];
  const scanMs = useBench((s) => s.frame?.scanMs ?? 10);
  const text = (v: number) => (course!.kind === 'band' ? String(v) : (course!.names?.[v] ?? valueText(v, type)));
  /** The value at a cursor, of what is no curve with the true length of the stretch it stands in. */
  const at = (scan: number | undefined, span: ValueSpan | undefined) => {
    if (scan === undefined || !course) return '';
    if (course.kind !== 'trace' && span)
      return `${text(span.value)} for ${span.isBegun && span.isEnded ? '' : 'at least '}${durationText((span.to - span.from) * scanMs)}`;
    const v = valueAt(course, scan);
    return v === undefined ? '' : text(v);
  };
  const [x, y] = [a, b].map((s) => (s === undefined || !course ? undefined : valueAt(course, s)));
  const delta = course?.kind === 'trace' && x !== undefined && y !== undefined ? ` Δ ${valueText(y - x, type)}` : '';
  const shown =
    a !== undefined || b !== undefined
      ? `${[at(a, spans[0]), at(b, spans[1])].filter(Boolean).join(' → ')}${delta}`
      : ((typeof value === 'number' ? named?.[value] : undefined) ?? valueText(value, type));
  return (
    <li className="group flex items-center gap-1.5 px-3 text-[12px]" style={{ height: ROW }}>
      <button
        className="min-w-0 flex-1 truncate text-left font-medium hover:text-copper-ink"
        title={`${path}: why is it so? (F4)`}
        onClick={() => void askWhy(path)}
      >
        {path}
      </button>
      <ValueMarks path={path} />
      <span
        className="truncate font-mono text-[11px] text-soft group-focus-within:hidden group-hover:hidden"
        title={shown}
      >
        {shown}
      </span>
      <button
        aria-label={`Remove ${path} from the scope`}
        className="hidden text-faint group-focus-within:block group-hover:block hover:text-ink"
        onClick={onRemove}
      >
        <X size={13} />
      </button>
    </li>
  );
}
