/**
 * The scope: time chart of chosen tags under every area. Its time line is the moment that the whole page shows;
 * dragging it goes through time. Drawn on a canvas: it changes with every frame.
 */
import { many } from '@ferrule/core/language';
import { readValueNames } from '@ferrule/core/bench';
import { ChevronDown, ChevronRight, Plus, X } from 'lucide-react';
import { DropdownMenu, Popover } from 'radix-ui';
import { useCallback, useEffect, useMemo, useRef, useState, type KeyboardEvent, type PointerEvent } from 'react';
import { useLocation, useNavigate, useSearchParams } from 'react-router';
import type { Course, Line, ValueSpan } from '@ferrule/core/bench';
import { messageOf } from '../api.js';
import { askBench, benchStore, tellBench, useBench, useLook, useValue } from '../bench/live.js';
import { askWhy } from '../components/asking.js';
import { useTagDrop } from '../components/drag.js';
import { textOf } from '../components/read-file.js';
import { keepAsCheck, keepAsWrong, saidThere } from '../components/recorder.js';
import { saveAs } from '../components/save-as.js';
import { ValueMarks } from '../components/ValueMarks.js';
import { Button, Hint, MENU, MENU_ITEM } from '../components/ui.js';
import { durationText, valueText } from '../components/values.js';
import { newId, useDocument } from '../document/store.js';
import { toggleFold, useFolded } from '../components/folds.js';
import { TagPicker } from '../components/TagPicker.js';
import { AXIS, ROW, drawScope, forgetColours, valueAt } from './scope-draw.js';

const NAMES = 190;
const NO_PATHS: readonly string[] = [],
  NO_LINES: readonly Line[] = [],
  NO_COURSES: readonly Course[] = [],
  NO_SEAMS: readonly { scan: number }[] = [];
const MIN_SPAN = 4;

interface View {
  /** Undefined: goes with the time line. */ readonly from: number | undefined;
  readonly span: number;
}

export function Scope() {
  const isLine = useFolded('bottom');
  const scoped = useDocument((s) => s.project?.scope) ?? NO_PATHS;
  const paths = isLine ? NO_PATHS : scoped;
  const edit = useDocument((s) => s.edit);
  const scanMs = useBench((s) => s.frame?.scanMs ?? 10);
  const [view, setView] = useState<View>({ from: undefined, span: 800 });
  const [pixels, setPixels] = useState(800);
  const [adding, setAdding] = useState(false);
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
        {adding ? (
          <TagPicker
            label="Tag for the scope"
            onPick={(path) => {
              setAdding(false);
              if (path) add(path);
            }}
          />
        ) : (
          <Button look="quiet" tight onClick={() => setAdding(true)}>
            <Plus size={13} />
            Add tag
          </Button>
        )}
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
const spanText = (ms: number) =>
  ms < 1000
    ? `${Math.round(ms)} ms`
    : ms < 60_000
      ? `${(ms / 1000).toFixed(ms < 10_000 && ms % 1000 ? 1 : 0)} s`
      : ms < 3_600_000
        ? `${(ms / 60_000).toFixed(1)} min`
        : `${(ms / 3_600_000).toFixed(1)} h`;

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

const menuButton = 'flex h-6 shrink-0 items-center gap-0.5 rounded px-1.5 text-soft hover:bg-sunk hover:text-ink';

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

function Lines({
  lines,
  other,
  onOther,
  differs,
}: {
  readonly lines: readonly Line[];
  readonly other: number | undefined;
  readonly onOther: (id: number | undefined) => void;
  readonly differs: Difference | undefined;
}) {
  const now = lines.findIndex((l) => l.isCurrent);
  if (lines.length < 2) return null;
  const letter = (i: number) => String.fromCharCode(65 + (i % 26));
  const words = (l: Line) =>
    `${l.beginning === 'other inputs' ? `other inputs from scan ${l.from.toLocaleString('en')}` : l.beginning === 'start' ? 'from the start' : l.beginning}, ${many(l.end, 'scan')}`;
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>
        <button className={menuButton} aria-label="Lines of history">
          Line {letter(now)} of {lines.length}
          {other !== undefined ? ` · ${letter(lines.findIndex((l) => l.id === other))} laid over` : ''}
          <ChevronDown size={12} />
        </button>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content side="top" sideOffset={6} align="end" className={MENU}>
          {lines.map((l, i) =>
            l.isCurrent ? (
              <DropdownMenu.Label key={l.id} className="px-2.5 py-1 font-semibold">
                {letter(i)} · {words(l)} · this one
              </DropdownMenu.Label>
            ) : (
              <div key={l.id} className="border-t border-edge">
                <DropdownMenu.Label className="px-2.5 pt-1 text-soft">
                  {letter(i)} · {words(l)}
                </DropdownMenu.Label>
                <DropdownMenu.Item className={MENU_ITEM} onSelect={() => tellBench({ kind: 'line', id: l.id })}>
                  Go on with line {letter(i)}
                </DropdownMenu.Item>
                <DropdownMenu.Item className={MENU_ITEM} onSelect={() => onOther(other === l.id ? undefined : l.id)}>
                  {other === l.id ? 'No longer lay it over' : `Lay line ${letter(i)} over this one`}
                </DropdownMenu.Item>
                <DropdownMenu.Item className={MENU_ITEM} onSelect={() => tellBench({ kind: 'dropLine', id: l.id })}>
                  Forget line {letter(i)}
                </DropdownMenu.Item>
              </div>
            ),
          )}
          {other !== undefined && (
            <p className="max-w-72 border-t border-edge px-2.5 py-1.5" role="status">
              {differs ? (
                differs.first === undefined ? (
                  'The tags on the scope are equal on both.'
                ) : (
                  <>
                    They first differ after scan {differs.first.scan.toLocaleString('en')}:{' '}
                    {differs.first.paths.join(', ')}.
                  </>
                )
              ) : (
                '…'
              )}
            </p>
          )}
          {differs?.first && (
            <DropdownMenu.Item
              className={MENU_ITEM}
              onSelect={() => tellBench({ kind: 'goTo', scan: differs.first!.scan })}
            >
              Go to where they first differ
            </DropdownMenu.Item>
          )}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

/**
 * The first scan at which a path differs, by its name in lower case; undefined as long as nothing has been compared.
 */
interface Difference {
  readonly first: { readonly scan: number; readonly paths: readonly string[] } | undefined;
  readonly byPath: Readonly<Record<string, number>>;
}
/**
 * Where the line laid over first differs in the tags of the scope: looked at in pieces, and on while both still run
 * alike.
 */
function useDifference(
  line: number | undefined,
  current: number | undefined,
  paths: readonly string[],
): Difference | undefined {
  const [found, setFound] = useState<Difference>();
  useEffect(() => {
    setFound(undefined);
    if (line === undefined) return;
    let isOver = false;
    void (async () => {
      const byPath: Record<string, number> = {};
      let from: number | undefined;
      for (;;) {
        const left = paths.filter((p) => !(p.toLowerCase() in byPath));
        const d = left.length ? await askBench('difference', { line, paths: left, from }) : undefined;
        if (isOver || !d) return;
        left.forEach((p, i) => {
          const at = d.at[i];
          if (at !== undefined) byPath[p.toLowerCase()] = at;
        });
        const scan = Math.min(...Object.values(byPath));
        setFound({
          first: Number.isFinite(scan)
            ? { scan, paths: paths.filter((p) => byPath[p.toLowerCase()] === scan) }
            : undefined,
          byPath: { ...byPath },
        });
        from = d.next;
        if (d.isAll)
          await new Promise((r) => {
            setTimeout(r, 500);
          });
        if (isOver) return;
      }
    })();
    return () => {
      isOver = true;
    };
  }, [line, current, paths]);
  return found;
}

/** What can be done with a run: kept, saved, opened, made into a check or a file of traces. */
function Runs({
  cursors,
  paths,
}: {
  readonly cursors: readonly (number | undefined)[];
  readonly paths: readonly string[];
}) {
  const navigate = useNavigate();
  const project = useDocument((s) => s.project),
    id = useDocument((s) => s.id);
  const [said, setSaid] = useState<string>(),
    /** How tags were at the end of the stretch when the menu was opened: the run may go on meanwhile. */
    [there, setThere] = useState<{
      readonly to: number;
      readonly said: readonly { readonly path: string; readonly said: string }[];
    }>();
  const file = useRef<HTMLInputElement>(null);
  const stretch = (): { from: number; to: number } => {
    const f = benchStore.getState().frame,
      at = cursors.filter((c) => c !== undefined);
    return at.length === 2 ? { from: Math.min(...at), to: Math.max(...at) } : { from: f?.start ?? 0, to: f?.end ?? 0 };
  };
  /** What a check is made of: between the cursors, else what the scope shows of the run. */
  const inSight = (): { from: number; to: number } => {
    const { frame, scope } = benchStore.getState(),
      whole = stretch();
    if (cursors.every((c) => c !== undefined) || !scope || !frame) return whole;
    return {
      from: Math.max(whole.from, Math.min(frame.end, Math.round(scope.from))),
      to: Math.min(whole.to, Math.round(scope.to)),
    };
  };
  const name = project?.name.replace(/[^\w-]+/g, '-').toLowerCase() ?? 'run';
  const traces = async (as: 'vcd' | 'csv') => {
    const t = await askBench('traces', { as, paths, ...stretch() });
    if ('error' in t) setSaid(t.error);
    else saveAs(`${name}.${as}`, t.text, as === 'vcd' ? 'text/plain' : 'text/csv');
  };
  const save = async () => {
    const r = await askBench('record', { name: project?.name ?? '' });
    if (r) saveAs(`${name}.ferrule-run.json`, `${JSON.stringify(r, null, 1)}\n`, 'application/json');
  };
  const keep = async () => {
    const r = await askBench('record', { name: project?.name ?? '' });
    if (!r || !project) return;
    const { project: _, ...rest } = r;
    const runs = project.bench?.runs ?? [];
    useDocument.getState().edit({
      kind: 'changeBench',
      to: {
        runs: [
          ...runs,
          {
            id: newId('run'),
            name: `Run ${runs.length + 1}, ${many(r.end, 'scan')}`,
            recording: JSON.stringify(rest),
          },
        ],
      },
    });
    setSaid('Kept with the project.');
  };
  const play = async (text: string) => {
    const p = await askBench('playBack', { text });
    setSaid(
      'error' in p
        ? p.error
        : `${many(p.scans, 'scan')} replayed: ${p.isSame ? 'the same bytes as recorded.' : 'not the bytes that were recorded — the logic is another.'}${p.dropped.length ? ` Left out: ${p.dropped.join(' ')}` : ''}`,
    );
  };
  // A project that came with a recording opens at its end, once the bench has taken its program.
  const [search, setSearch] = useSearchParams(),
    asked = search.get('run'),
    checked = useBench((s) => s.checked),
    before = useRef<{ readonly run: string; readonly checked: typeof checked }>(undefined);
  useEffect(() => {
    const run = asked && project?.bench?.runs?.find((r) => r.id === asked);
    if (!run) return;
    // What is known at first is of the project that was open before.
    if (before.current?.run !== run.recording) before.current = { run: run.recording, checked };
    if (!checked?.runs || checked === before.current.checked) return;
    setSearch(
      (s) => {
        s.delete('run');
        return s;
      },
      { replace: true },
    );
    void play(run.recording);
  }, [asked, checked, project]);
  const check = async () => {
    const { from, to } = inSight(),
      made = await keepAsCheck(from, to);
    if ('error' in made) setSaid(made.error);
    else void navigate(`/projects/${id}/prove?check=${made.id}`);
  };
  const wrong = async (to: number, x: { readonly path: string; readonly said: string }) => {
    const made = await keepAsWrong(to, x.path, x.said);
    if ('error' in made) setSaid(made.error);
    else void navigate(`/projects/${id}/prove?check=${made.id}`);
  };
  const both = cursors.every((c) => c !== undefined);
  const sightText = () => {
    const { from, to } = inSight();
    return spanText(Math.max(0, to - from) * (benchStore.getState().frame?.scanMs ?? 10));
  };
  return (
    <>
      <DropdownMenu.Root>
        <DropdownMenu.Trigger asChild>
          <button className={menuButton}>
            Run
            <ChevronDown size={12} />
          </button>
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content side="top" sideOffset={6} align="end" className={MENU}>
            <DropdownMenu.Item className={MENU_ITEM} onSelect={() => void check()}>
              Save as sequence check ({both ? 'between the cursors' : `the ${sightText()} in sight`})
            </DropdownMenu.Item>
            <DropdownMenu.Sub
              onOpenChange={(open) => {
                setThere(undefined);
                const { to } = inSight();
                if (open) void saidThere(to).then((said) => setThere({ to, said }));
              }}
            >
              <DropdownMenu.SubTrigger className={`${MENU_ITEM} data-[state=open]:bg-glow`}>
                This is what went wrong, at its end
                <ChevronRight size={12} className="ml-auto" />
              </DropdownMenu.SubTrigger>
              <DropdownMenu.Portal>
                <DropdownMenu.SubContent className={`${MENU} max-h-72 overflow-y-auto`} sideOffset={4}>
                  {there?.said.map((x) => (
                    <DropdownMenu.Item key={x.path} className={MENU_ITEM} onSelect={() => void wrong(there.to, x)}>
                      {x.said}
                    </DropdownMenu.Item>
                  ))}
                  {there?.said.length === 0 && <p className="px-2.5 py-1 text-soft">Put the tag on the scope first.</p>}
                </DropdownMenu.SubContent>
              </DropdownMenu.Portal>
            </DropdownMenu.Sub>
            <DropdownMenu.Item className={MENU_ITEM} onSelect={() => void traces('vcd')}>
              Traces as waveform file (VCD)
            </DropdownMenu.Item>
            <DropdownMenu.Item className={MENU_ITEM} onSelect={() => void traces('csv')}>
              Traces as table (CSV)
            </DropdownMenu.Item>
            <DropdownMenu.Separator className="my-1 h-px bg-edge" />
            <DropdownMenu.Item className={MENU_ITEM} onSelect={() => void save()}>
              Save this run as a file
            </DropdownMenu.Item>
            <DropdownMenu.Item className={MENU_ITEM} onSelect={() => file.current?.click()}>
              Replay a run from a file …
            </DropdownMenu.Item>
            <DropdownMenu.Item className={MENU_ITEM} onSelect={() => void keep()}>
              Keep this run with the project
            </DropdownMenu.Item>
            {(project?.bench?.runs ?? []).map((r) => (
              <div key={r.id} className="flex border-t border-edge">
                <DropdownMenu.Item className={`${MENU_ITEM} flex-1`} onSelect={() => void play(r.recording)}>
                  Replay {r.name}
                </DropdownMenu.Item>
                <DropdownMenu.Item
                  aria-label={`Forget ${r.name}`}
                  className={MENU_ITEM}
                  onSelect={() =>
                    useDocument.getState().edit({
                      kind: 'changeBench',
                      to: { runs: (project?.bench?.runs ?? []).filter((x) => x.id !== r.id) },
                    })
                  }
                >
                  <X size={13} />
                </DropdownMenu.Item>
              </div>
            ))}
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      <input
        ref={file}
        type="file"
        accept=".json"
        aria-label="Run to replay"
        className="hidden"
        onChange={(e) => {
          const f = e.target.files?.[0];
          e.target.value = '';
          if (f) void textOf(f).then(play, (problem: unknown) => setSaid(messageOf(problem)));
        }}
      />
      {said && (
        <span role="status" className="flex max-w-96 shrink-0 items-center gap-1 truncate text-copper-ink" title={said}>
          {said}
          <button aria-label="Close the message" onClick={() => setSaid(undefined)}>
            <X size={12} />
          </button>
        </span>
      )}
    </>
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

/** How long the value at a cursor stood, found by the bench; asked again while its end has not come. */
function useSpan(path: string, scan: number | undefined, within: number): ValueSpan | undefined {
  const [span, setSpan] = useState<ValueSpan>();
  const waits = span?.isEnded === false;
  const pace = useBench((s) => (waits ? Math.floor((s.frame?.end ?? 0) / 25) : 0));
  useEffect(() => {
    let isOver = false;
    if (scan === undefined) setSpan(undefined);
    else
      void askBench('span', { path, scan, within }).then((found) => {
        if (!isOver) setSpan(found);
      });
    return () => {
      isOver = true;
    };
  }, [path, scan, within, pace]);
  return span;
}

interface ChartProps {
  readonly paths: readonly string[];
  readonly view: View;
  readonly setView: (f: (v: View) => View) => void;
  readonly zoom: (factor: number, around?: number) => void;
  readonly cursors: readonly (number | undefined)[];
  readonly onCursor: (which: 0 | 1, scan: number | undefined) => void;
  readonly onPixels: (n: number) => void;
  readonly differs: Difference | undefined;
  readonly laid: number | undefined;
}

function Chart({ paths, view, setView, zoom, cursors, onCursor, onPixels, differs, laid }: ChartProps) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const box = useRef<HTMLDivElement>(null);
  const now = useBench((s) => s.frame?.scan ?? 0);
  const start = useBench((s) => s.frame?.start ?? 0);
  const end = useBench((s) => s.frame?.end ?? 0);
  /** Asked for when it changes, not with every frame: asking makes the browser lay out the page. */
  const size = useRef({ width: 0, height: 0 });
  const window_ = useRef({ from: 0, to: 1 });

  const paint = useMemo(
    () => () => {
      const { frame, scope } = benchStore.getState();
      if (!canvas.current || !box.current || !frame) return;
      // The window of the page itself is drawn at once; what is missing in it comes with the next answer.
      const from = view.from ?? (scope ? scope.to - view.span : 0),
        to = from + view.span;
      window_.current = { from, to };
      const courses = scope?.courses ?? NO_COURSES;
      const forced = paths.map((p) => Object.keys(frame.forces).some((f) => f.toLowerCase() === p.toLowerCase()));
      const { width, height } = size.current;
      if (!width) return;
      drawScope(canvas.current, width, Math.max(paths.length * ROW + AXIS, height), {
        from,
        to,
        now: frame.scan,
        start: frame.start,
        end: frame.end,
        scanMs: frame.scanMs,
        courses: paths.flatMap(
          (p) => courses.find((c) => c.path === p) ?? { path: p, kind: 'band' as const, points: new Float64Array() },
        ),
        others: scope?.others,
        ...(laid !== undefined ? { otherEnd: frame.lines.find((l) => l.id === laid)?.end ?? 0 } : {}),
        cursors,
        seams: frame.seams ?? NO_SEAMS,
        forced,
        ...(differs ? { differs: differs.byPath } : {}),
        ...(scope?.away
          ? { away: { course: scope.away.course, rows: paths.map((p) => scope.away!.paths.includes(p)) } }
          : {}),
      });
    },
    [paths, view, cursors, differs, laid],
  );
  useEffect(() => {
    size.current = { width: box.current?.clientWidth ?? 0, height: box.current?.clientHeight ?? 0 };
    paint();
    const stop = benchStore.subscribe(paint);
    const measure = () => {
      size.current = { width: box.current?.clientWidth ?? 0, height: box.current?.clientHeight ?? 0 };
    };
    const observer = new ResizeObserver(() => {
      measure();
      onPixels(Math.max(50, Math.round(box.current?.clientWidth ?? 800)));
      paint();
    });
    if (box.current) observer.observe(box.current);
    const theme = new MutationObserver(() => {
      forgetColours();
      paint();
    });
    theme.observe(document.documentElement, { attributeFilter: ['data-theme'] });
    return () => {
      stop();
      observer.disconnect();
      theme.disconnect();
    };
  }, [paint, onPixels]);

  const scanAt = (e: { readonly clientX: number }): number => {
    const rect = box.current!.getBoundingClientRect(),
      { from, to } = window_.current;
    return Math.round(from + Math.min(1, Math.max(0, (e.clientX - rect.left) / rect.width)) * (to - from));
  };
  // Wheel: zoom where the pointer is; with Shift, or sideways, along time.
  useEffect(() => {
    const e = box.current;
    const onWheel = (w: WheelEvent) => {
      if (w.ctrlKey && !w.shiftKey && !w.deltaY) return;
      w.preventDefault();
      const { from, to } = window_.current;
      if (w.shiftKey || Math.abs(w.deltaX) > Math.abs(w.deltaY)) {
        const by = ((w.deltaX || w.deltaY) / 600) * (to - from);
        setView((v) => ({ from: Math.max(0, (v.from ?? from) + by), span: v.span }));
      } else zoom(2 ** (w.deltaY / 240), scanAt(w));
    };
    e?.addEventListener('wheel', onWheel, { passive: false });
    return () => e?.removeEventListener('wheel', onWheel);
  }, [zoom, setView]);

  const goTo = (e: PointerEvent) => tellBench({ kind: 'goTo', scan: Math.min(end, Math.max(start, scanAt(e))) });
  const down = (e: PointerEvent) => {
    const isBar = e.clientY > box.current!.getBoundingClientRect().bottom - 5;
    if (isBar) {
      const rect = box.current!.getBoundingClientRect(),
        at = start + ((e.clientX - rect.left) / rect.width) * (end - start);
      setView((v) => ({ from: Math.max(0, at - v.span / 2), span: v.span }));
      return;
    }
    if (e.ctrlKey || e.metaKey) {
      onCursor(e.shiftKey ? 1 : 0, scanAt(e));
      return;
    }
    e.currentTarget.setPointerCapture(e.pointerId);
    goTo(e);
  };
  const onKey = (e: KeyboardEvent) => {
    const by = { ArrowLeft: -1, ArrowRight: 1, PageUp: -50, PageDown: 50 }[e.key];
    if (by !== undefined && !e.altKey) {
      e.preventDefault();
      tellBench({ kind: 'goBy', scans: by });
    }
    if (e.key === 'Home') tellBench({ kind: 'goTo', scan: start });
    if (e.key === 'End') tellBench({ kind: 'goTo', scan: end });
    if (e.key === '+' || e.key === '-') zoom(e.key === '+' ? 0.5 : 2, now);
    if (e.key === 'a' || e.key === 'b') onCursor(e.key === 'a' ? 0 : 1, now);
    if (e.key === 'Escape') {
      onCursor(0, undefined);
      onCursor(1, undefined);
    }
  };
  return (
    <div
      ref={box}
      role="slider"
      tabIndex={0}
      aria-label="Time line"
      aria-valuemin={start}
      aria-valuemax={end}
      aria-valuenow={now}
      aria-valuetext={`scan ${now}`}
      className="relative min-w-0 flex-1 cursor-ew-resize touch-none"
      style={{ minHeight: paths.length * ROW + AXIS }}
      title="Drag the time line to go back: the whole page shows that scan. Wheel zooms, Shift+wheel moves, Ctrl+click sets cursor A, Ctrl+Shift+click B."
      onPointerDown={down}
      onPointerMove={(e) => {
        if (e.buttons & 1 && e.currentTarget.hasPointerCapture(e.pointerId)) goTo(e);
      }}
      onKeyDown={onKey}
    >
      <canvas ref={canvas} className="absolute inset-0" />
    </div>
  );
}
