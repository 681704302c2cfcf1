/** The time of the bench: run, step, speed, restart, run until. */
import { ChevronDown, ChevronLeft, ChevronRight, Flag, Pause, Play, RotateCcw } from 'lucide-react';
import { DropdownMenu, Popover } from 'radix-ui';
import { useEffect, useState, type ReactNode } from 'react';
import type { FirstScans } from '@ferrule/core/bench';
import { askBench, benchStore, tellBench, useBench } from '../bench/live.js';
import type { BenchFrame } from '../bench/protocol.js';
import { backAfterKey } from '../components/focus.js';
import { restart, useRestarted } from '../components/restart.js';
import { Button, Hint } from '../components/ui.js';
import { OpenBench, OutsideMark } from './OpenBench.js';
import { sheet } from './top-bar-parts.js';

export const SPEEDS = [0.01, 0.1, 0.5, 1, 2, 5, 10, 20, 50, 100, Infinity];

export const speedText = (s: number) => (s === Infinity ? 'max' : `${s}×`);

/**
 * Figures that run are drawn so often, ms: nobody reads them faster, and each time costs a part of the page by itself.
 */
export const READ_MS = 150;

/** How long it is told which outputs the first scans switch on, unless it is put away before. */
export const TOLD_MS = 12_000;

function TimeButton({
  label,
  keys,
  onClick,
  strong,
  children,
}: {
  readonly label: string;
  readonly keys?: string;
  readonly onClick: () => void;
  readonly strong?: boolean;
  readonly children: ReactNode;
}) {
  return (
    <Hint text={keys ? `${label} (${keys})` : label}>
      <button
        type="button"
        aria-label={label}
        onClick={onClick}
        className={`grid h-8 w-8 place-items-center rounded-md ${strong ? 'bg-copper text-on-copper' : 'hover:bg-bar'}`}
      >
        {children}
      </button>
    </Hint>
  );
}

export function Clock() {
  const running = useBench((s) => s.frame?.running ?? false);
  const speed = useBench((s) => s.frame?.speed ?? 1);
  const reached = useBench((s) => s.frame?.reached ?? 0);
  const reachedText = reached < 0.95 ? `${reached.toFixed(1)}×` : `${Math.round(reached).toLocaleString('en')}×`;
  const [typing, setTyping] = useState(false);
  const taken = useBench((s) => s.checked?.taken ?? true);
  const runs = useBench((s) => s.checked?.runs ?? true);
  return (
    <div
      role="group"
      aria-label="Bench time"
      className="mx-auto flex shrink-0 items-center gap-1 rounded-xl bg-bar-2 px-2 py-1 max-[900px]:gap-0 max-[900px]:px-1"
    >
      <TimeButton label="Restart the bench" onClick={() => restart(false)}>
        <RotateCcw size={15} />
      </TimeButton>
      <Restart />
      <SwitchedOn />
      <TimeButton label="One scan back" keys="Shift+F6" onClick={() => tellBench({ kind: 'step', scans: -1 })}>
        <ChevronLeft size={17} />
      </TimeButton>
      <TimeButton
        strong
        label={running ? 'Pause' : 'Run'}
        keys="F5"
        onClick={() => tellBench({ kind: 'play', running: !running })}
      >
        {running ? <Pause size={15} fill="currentColor" /> : <Play size={15} fill="currentColor" />}
      </TimeButton>
      <TimeButton label="One scan forward" keys="F6" onClick={() => tellBench({ kind: 'step', scans: 1 })}>
        <ChevronRight size={17} />
      </TimeButton>
      {typing && <SpeedField speed={speed} onLeave={() => setTyping(false)} />}
      <DropdownMenu.Root>
        <DropdownMenu.Trigger asChild>
          <button
            aria-label="Speed"
            className="flex h-8 items-center gap-1 rounded-md px-2 font-mono text-[12px] font-semibold hover:bg-bar"
          >
            {speedText(speed)}
            {running &&
            reached > 0 &&
            (speed === Infinity || reached < speed * 0.9) &&
            reachedText !== speedText(speed) ? (
              <span className="font-normal text-bar-soft">{reachedText}</span>
            ) : null}
            <ChevronDown size={12} />
          </button>
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content
            sideOffset={6}
            onCloseAutoFocus={(e) => {
              // The field for another speed has the focus by then.
              const field = document.querySelector<HTMLInputElement>('[aria-label="Another speed"]');
              if (!field) return;
              e.preventDefault();
              field.focus();
              field.select();
            }}
            className="z-50 rounded-lg border border-edge bg-sheet p-1 text-ink shadow-xl"
          >
            {SPEEDS.map((s) => (
              <DropdownMenu.Item
                key={s}
                onSelect={() => tellBench({ kind: 'speed', factor: s })}
                className="rounded px-4 py-1 font-mono text-[12px] outline-none data-highlighted:bg-glow"
              >
                {s === Infinity ? 'as fast as it goes' : speedText(s)}
              </DropdownMenu.Item>
            ))}
            <DropdownMenu.Item
              onSelect={() => setTyping(true)}
              className="rounded border-t border-edge px-4 py-1 text-[12px] outline-none data-highlighted:bg-glow"
            >
              another …
            </DropdownMenu.Item>
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      <Until />
      <OpenBench />
      <OutsideMark />
      <Moment taken={taken} />
      {!taken && (
        <span className="rounded bg-bad px-1.5 text-[11px] font-medium text-sheet max-[900px]:sr-only">
          {runs ? 'last good logic runs' : 'nothing runs yet'}
        </span>
      )}
    </div>
  );
}

/** The moment shown: while the bench runs as often as it can be read, else at once. */
function useMoment(): BenchFrame | undefined {
  const [frame, setFrame] = useState(benchStore.getState().frame);
  useEffect(() => {
    let drawn = 0,
      later: ReturnType<typeof setTimeout> | undefined;
    const draw = () => {
      clearTimeout(later);
      later = undefined;
      drawn = performance.now();
      setFrame(benchStore.getState().frame);
    };
    const stop = benchStore.subscribe(({ frame: now }) => {
      const wait = READ_MS - (performance.now() - drawn);
      if (!now?.running || wait <= 0) draw();
      // The last of them is drawn too, however long the next one takes.
      else later ??= setTimeout(draw, wait);
    });
    return () => {
      stop();
      clearTimeout(later);
    };
  }, []);
  return frame;
}

/** The simulated time and the scan: by itself, for it is another one in every frame. */
function Moment({ taken }: { readonly taken: boolean }) {
  const { inside: place, scan = 0, timeMs = 0, scanMs = 10 } = useMoment() ?? {},
    inside = place?.words;
  return (
    <>
      <span className="px-2 font-mono text-[12.5px] font-semibold tabular-nums" aria-label="Simulated time">
        {clockText(timeMs)}
      </span>
      <span className="border-l border-bar pr-1 pl-3 font-mono text-[12px] text-bar-soft tabular-nums max-[900px]:border-0 max-[900px]:p-0">
        <span
          data-testid="scan"
          title={`A scan every ${scanMs} ms`}
          className={taken ? 'max-[900px]:hidden' : 'max-[1400px]:hidden'}
        >
          {/* Room for a million: the bar would move under the pointer with every digit more. */}
          scan <span className="inline-block min-w-[7ch]">{String(scan).replace(/\B(?=(\d{3})+$)/g, '\u2009')}</span>
        </span>
        {inside ? (
          <>
            {' '}
            ·{' '}
            <b className="text-bar-ink" title="The scan stands in its middle, before this">
              {inside}
            </b>
          </>
        ) : (
          <span className="max-[1400px]:hidden"> · {scanMs} ms</span>
        )}
      </span>
    </>
  );
}

const SLOWEST = 0.001,
  FASTEST = 100_000;

/** Any speed as a number: 3, 0.25, 1/20; what is none is said, and the speed stays. */
function SpeedField({ speed, onLeave }: { readonly speed: number; readonly onLeave: () => void }) {
  const [problem, setProblem] = useState<string>();
  const commit = (text: string) => {
    const m = /^\s*([\d.]+)\s*(?:\/\s*([\d.]+))?\s*[×x]?\s*$/i.exec(text.replace(',', '.')),
      factor = m ? Number(m[1]) / Number(m[2] ?? 1) : NaN;
    if (!(factor >= SLOWEST && factor <= FASTEST)) {
      setProblem(`Write a number from ${SLOWEST} to ${FASTEST.toLocaleString('en')}, such as 3 or 1/20.`);
      return;
    }
    tellBench({ kind: 'speed', factor });
    onLeave();
  };
  return (
    <span className="relative">
      <input
        autoFocus
        aria-label="Another speed"
        aria-invalid={problem !== undefined}
        defaultValue={speed === Infinity ? '' : speed}
        onFocus={(e) => e.currentTarget.select()}
        onChange={() => setProblem(undefined)}
        onBlur={onLeave}
        onKeyDown={(e) => {
          e.stopPropagation();
          if (e.key === 'Enter') commit(e.currentTarget.value);
          if (e.key === 'Escape') onLeave();
        }}
        className={`h-7 w-16 rounded border bg-bar px-1.5 font-mono text-[12px] text-bar-ink outline-none ${problem ? 'border-bad' : 'border-copper'}`}
      />
      {problem && (
        <span
          role="alert"
          className="absolute top-8 left-0 z-50 w-max max-w-xs rounded-md border border-edge bg-bad-soft px-2 py-1 text-[12px] text-bad shadow"
        >
          {problem}
        </span>
      )}
    </span>
  );
}

function SwitchedOn() {
  const first = useRestarted((s) => s.first),
    outputs = first?.on.filter((f) => f.isOutput) ?? [];
  useEffect(() => {
    if (!first) return undefined;
    const over = setTimeout(() => useRestarted.setState({ first: undefined }), TOLD_MS);
    return () => clearTimeout(over);
  }, [first]);
  if (!outputs.length) return null;
  return (
    <div
      role="status"
      aria-label="Switched on by the first scans"
      className="absolute top-12 left-1/2 z-30 flex max-w-[640px] -translate-x-1/2 items-baseline gap-3 rounded-b-lg border border-t-0 border-edge bg-sheet px-3 py-1 text-[12.5px] text-ink shadow-lg"
    >
      <span>
        The first {first!.scans.toLocaleString('en')} scans switch on:{' '}
        {outputs.slice(0, 6).map((f, i) => (
          <span key={f.path}>
            {i ? ', ' : ''}
            <b>{f.path}</b> in scan {f.scan.toLocaleString('en')}
          </span>
        ))}
        {outputs.length > 6 ? ` and ${outputs.length - 6} more` : ''}.
      </span>
      <Button tight look="quiet" onClick={() => useRestarted.setState({ first: undefined })}>
        Seen
      </Button>
    </div>
  );
}

/** Other ways to start anew, and what the first scans would then do. */
function Restart() {
  const [warm, setWarm] = useState(false);
  const [first, setFirst] = useState<FirstScans>();
  const look = (w: boolean) => {
    setWarm(w);
    setFirst(undefined);
    void askBench('firstScans', { warm: w }).then(setFirst);
  };
  return (
    <Popover.Root
      onOpenChange={(open) => {
        if (open) look(warm);
      }}
    >
      <Popover.Trigger asChild>
        <button aria-label="Ways to restart" className="-ml-1 grid h-8 w-4 place-items-center rounded-md hover:bg-bar">
          <ChevronDown size={12} />
        </button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content sideOffset={6} className={`${sheet} w-[320px] p-3 text-[12.5px]`} aria-label="Restart">
          <div className="flex gap-1.5">
            {(
              [
                [false, 'Cold: initial values'],
                [true, 'Warm: retained kept'],
              ] as const
            ).map(([w, words]) => (
              <button
                key={words}
                aria-pressed={warm === w}
                onClick={() => look(w)}
                className={`h-7 rounded-md border px-2 ${warm === w ? 'border-copper bg-glow font-semibold' : 'border-edge'}`}
              >
                {words}
              </button>
            ))}
          </div>
          <p className="mt-2 font-semibold">
            {first ? `The first ${first.scans.toLocaleString('en')} scans would switch on` : 'The first scans'}
          </p>
          {!first ? (
            <p className="text-soft">Looking …</p>
          ) : first.on.length ? (
            <ul aria-label="First scans" className="max-h-48 overflow-y-auto">
              {first.on.map((f) => (
                <li key={f.path} className="flex justify-between gap-2">
                  <span className={f.isOutput ? 'font-semibold' : ''}>{f.path}</span>
                  <span className="font-mono text-[11.5px] text-soft">
                    {f.value === '1' ? 'on' : f.value} · scan {f.scan}
                    {f.isOutput ? ' · output' : ''}
                  </span>
                </li>
              ))}
            </ul>
          ) : (
            <p className="text-soft">Nothing.</p>
          )}
          <div className="mt-2 text-right">
            <Popover.Close asChild>
              <Button look="strong" onClick={() => restart(warm)}>
                Restart {warm ? 'warm' : 'cold'}
              </Button>
            </Popover.Close>
          </div>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

/** Runs as fast as it goes until a condition holds, or for a length of time. */
function Until() {
  const [text, setText] = useState('');
  const [open, setOpen] = useState(false);
  const [problem, setProblem] = useState<string>();
  const go = async () => {
    const t = text.trim();
    if (!t) return;
    const isTime = /^\+?[\d.]+\s*(ms|s|min|m|h|scans?)$/i.test(t);
    const p = isTime ? undefined : await askBench('condition', { text: t });
    if (p) {
      setProblem(p);
      return;
    }
    setOpen(false);
    tellBench({ kind: 'until', text: t });
  };
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Hint text="Run until a condition or a time, as fast as it goes (Ctrl+F5)">
        <Popover.Trigger asChild>
          <button aria-label="Run until …" className="grid h-8 w-8 place-items-center rounded-md hover:bg-bar">
            <Flag size={15} />
          </button>
        </Popover.Trigger>
      </Hint>
      <Popover.Portal>
        <Popover.Content
          sideOffset={6}
          onCloseAutoFocus={backAfterKey}
          className={`${sheet} w-[300px] p-3 text-[12.5px]`}
          aria-label="Run until"
        >
          <label>
            Run until{' '}
            <input
              autoFocus
              value={text}
              spellCheck={false}
              placeholder="GoodTotal = 3, or 10 min"
              onChange={(e) => {
                setText(e.target.value);
                setProblem(undefined);
              }}
              onKeyDown={(e) => {
                e.stopPropagation();
                if (e.key === 'Enter') void go();
                if (e.key === 'Escape') setOpen(false);
              }}
              className="mt-1 h-7 w-full rounded border border-edge bg-sheet px-2 font-mono text-[12px]"
            />
          </label>
          {problem && (
            <p role="alert" className="mt-1 text-bad">
              {problem}
            </p>
          )}
          <div className="mt-2 text-right">
            <Button look="strong" keys="⏎" onClick={() => void go()}>
              Run
            </Button>
          </div>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

function clockText(ms: number): string {
  const p = (n: number, w = 2) => String(Math.floor(n)).padStart(w, '0');
  return `${p(ms / 3_600_000)}:${p((ms / 60_000) % 60)}:${p((ms / 1000) % 60)}.${p(ms % 1000, 3)}`;
}
