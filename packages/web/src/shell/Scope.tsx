/**
 * The scope: time chart of chosen tags under every area. Its time line is the moment that the whole page shows;
 * dragging it goes through time. Drawn on a canvas: it changes with every frame.
 */
import { Plus, X } from 'lucide-react';
import { useCallback, useEffect, useRef, useState, type KeyboardEvent, type PointerEvent } from 'react';
import { useLocation } from 'react-router';
import type { ShownValue } from '@ferrule/core';
import { benchStore, tellBench, useBench, useLook, useValue, useForced } from '../bench/live.js';
import type { BenchFrame, ScopeTrace } from '../bench/protocol.js';
import { ForceMark } from '../components/ui.js';
import { valueText } from '../components/values.js';
import { useDocument } from '../document/store.js';
import { TagPicker } from '../components/TagPicker.js';

const ROW = 22, NAMES = 200, TAIL = 36;
const SPANS = [2, 8, 30, 120, 600];

export function Scope() {
  const paths = useDocument((s) => s.project?.scope) ?? [];
  const edit = useDocument((s) => s.edit);
  const [seconds, setSeconds] = useState(8);
  const [adding, setAdding] = useState(false);
  useEffect(() => tellBench({ kind: 'scope', paths, seconds }), [paths, seconds]);
  const zoom = (by: 1 | -1) => setSeconds((s) => SPANS[Math.min(SPANS.length - 1, Math.max(0, SPANS.indexOf(s) + by))]!);
  return (
    <section aria-label="Scope" className="flex h-full flex-col border-t border-edge bg-sheet">
      <div className="flex h-[30px] shrink-0 items-center gap-3 border-b border-edge px-3.5 text-[12.5px]">
        <h2 className="font-semibold">Scope</h2>
        {useLocation().pathname.endsWith('/controller') && <span className="text-soft">of the bench, not of the controller</span>}
        <span className="text-soft">last {seconds < 60 ? `${seconds} s` : `${seconds / 60} min`}</span>
        <button className="h-6 w-6 rounded text-soft hover:bg-sunk" aria-label="Shorter span" onClick={() => zoom(-1)}>+</button>
        <button className="h-6 w-6 rounded text-soft hover:bg-sunk" aria-label="Longer span" onClick={() => zoom(1)}>−</button>
        <span className="text-faint">drag the time line to go back; the whole page shows that scan</span>
        <span className="relative ml-auto">
          {adding
            ? <TagPicker label="Tag for the scope" onPick={(path) => { setAdding(false); if (path && !paths.includes(path)) edit({ kind: 'changeScope', paths: [...paths, path] }); }} />
            : <button className="flex h-6 items-center gap-1 rounded px-1.5 text-soft hover:bg-sunk hover:text-ink" onClick={() => setAdding(true)}><Plus size={13} />Add tag</button>}
        </span>
      </div>
      <div className="flex min-h-0 flex-1 overflow-auto">
        <ol className="shrink-0 border-r border-edge" style={{ width: NAMES }}>
          {paths.map((p) => <ScopeName key={p} path={p} onRemove={() => edit({ kind: 'changeScope', paths: paths.filter((x) => x !== p) })} />)}
          {!paths.length && <li className="px-3 py-2 text-soft">No tags yet.</li>}
        </ol>
        <Chart rows={paths.length} seconds={seconds} />
      </div>
    </section>
  );
}

function ScopeName({ path, onRemove }: { readonly path: string; readonly onRemove: () => void }) {
  useLook([path]);
  const value = useValue(path);
  const forced = useForced(path);
  const type = useBench((s) => s.checked?.tags[path.toLowerCase()]?.type) ?? (/\.(ET|PT)$/i.test(path) ? 'TIME' : undefined);
  return (
    <li className="group flex items-center gap-2 px-3 text-[12px]" style={{ height: ROW }}>
      <span className="min-w-0 flex-1 truncate font-medium" title={path}>{path}</span>
      {forced !== undefined && <ForceMark value={forced} />}
      <span className="font-mono text-soft group-focus-within:hidden group-hover:hidden">{valueText(value, type)}</span>
      <button aria-label={`Remove ${path} from the scope`} className="hidden text-faint group-focus-within:block group-hover:block hover:text-ink" onClick={onRemove}><X size={13} /></button>
    </li>
  );
}

function Chart({ rows, seconds }: { readonly rows: number; readonly seconds: number }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const box = useRef<HTMLDivElement>(null);
  const view = useRef({ from: 0, to: 1 });
  const now = useBench((s) => s.frame?.scan ?? 0);
  const start = useBench((s) => s.frame?.start ?? 0);
  const end = useBench((s) => s.frame?.end ?? 0);

  const paint = useCallback(() => {
    const frame = benchStore.getState().frame;
    if (canvas.current && box.current && frame) view.current = draw(canvas.current, box.current.clientWidth, Math.max(rows * ROW, box.current.clientHeight), frame, seconds);
  }, [rows, seconds]);
  useEffect(() => {
    paint();
    const stop = benchStore.subscribe(paint);
    const observer = new ResizeObserver(paint);
    if (box.current) observer.observe(box.current);
    const theme = new MutationObserver(paint);
    theme.observe(document.documentElement, { attributeFilter: ['data-theme'] });
    return () => { stop(); observer.disconnect(); theme.disconnect(); };
  }, [paint]);

  const goTo = (e: PointerEvent) => {
    const rect = box.current!.getBoundingClientRect();
    const x = Math.min(1, Math.max(0, (e.clientX - rect.left) / (rect.width - TAIL)));
    tellBench({ kind: 'goTo', scan: Math.round(view.current.from + x * (view.current.to - view.current.from)) });
  };
  const onKey = (e: KeyboardEvent) => {
    const by = { ArrowLeft: -1, ArrowRight: 1, PageUp: -50, PageDown: 50 }[e.key];
    if (by !== undefined) { e.preventDefault(); tellBench({ kind: 'goTo', scan: Math.min(end, Math.max(start, now + by)) }); }
    if (e.key === 'Home') tellBench({ kind: 'goTo', scan: start });
    if (e.key === 'End') tellBench({ kind: 'goTo', scan: end });
  };
  return (
    <div
      ref={box} role="slider" tabIndex={0} aria-label="Time line" aria-valuemin={start} aria-valuemax={end} aria-valuenow={now} aria-valuetext={`scan ${now}`} className="relative min-w-0 flex-1 cursor-ew-resize touch-none"
      onPointerDown={(e) => { e.currentTarget.setPointerCapture(e.pointerId); goTo(e); }} onPointerMove={(e) => { if (e.buttons & 1) goTo(e); }} onKeyDown={onKey}
    >
      <canvas ref={canvas} className="absolute inset-0" />
    </div>
  );
}

/** Draws the traces; returns the span of scans shown. */
function draw(canvas: HTMLCanvasElement, width: number, height: number, frame: BenchFrame, seconds: number): { from: number; to: number } {
  const ratio = window.devicePixelRatio || 1;
  if (canvas.width !== Math.round(width * ratio) || canvas.height !== Math.round(height * ratio)) {
    canvas.width = Math.round(width * ratio); canvas.height = Math.round(height * ratio);
    canvas.style.width = `${width}px`; canvas.style.height = `${height}px`;
  }
  const g = canvas.getContext('2d')!;
  g.setTransform(ratio, 0, 0, ratio, 0, 0);
  const css = getComputedStyle(document.documentElement);
  const colour = (name: string) => css.getPropertyValue(`--${name}`).trim();
  const span = (seconds * 1000) / frame.scanMs;
  const room = width - TAIL;
  const to = Math.max(frame.end, span);
  // When the moment shown lies before the window, the window follows it.
  const from = frame.scan < to - span ? Math.max(0, frame.scan - span * 0.1) : to - span;
  const last = from + span;
  const x = (scan: number) => ((scan - from) / span) * room;
  g.clearRect(0, 0, width, height);
  g.strokeStyle = colour('edge');
  g.lineWidth = 1;
  for (let s = Math.ceil((from * frame.scanMs) / 1000 / (seconds / 8)); s * (seconds / 8) * 1000 <= last * frame.scanMs; s++) line(g, x((s * (seconds / 8) * 1000) / frame.scanMs), 0, height);
  g.font = '500 11px "Inter Variable", sans-serif';
  g.textBaseline = 'middle';
  frame.scope.forEach((t, i) => drawTrace(g, t, i * ROW, x, Math.min(frame.end, last), colour));
  g.fillStyle = colour('sheet');
  g.globalAlpha = 0.55;
  if (frame.end > frame.scan) g.fillRect(x(frame.scan), 0, x(Math.min(frame.end, last)) - x(frame.scan), height);
  g.globalAlpha = 1;
  const at = x(frame.scan);
  g.fillStyle = g.strokeStyle = colour('ink');
  g.lineWidth = 1.5;
  line(g, at, 0, height);
  g.beginPath(); g.moveTo(at - 6, 0); g.lineTo(at + 6, 0); g.lineTo(at, 8); g.fill();
  return { from, to: last };
}

function line(g: CanvasRenderingContext2D, x: number, y1: number, y2: number): void {
  g.beginPath(); g.moveTo(Math.round(x) + 0.5, y1); g.lineTo(Math.round(x) + 0.5, y2); g.stroke();
}

function drawTrace(g: CanvasRenderingContext2D, t: ScopeTrace, top: number, x: (scan: number) => number, end: number, colour: (name: string) => string): void {
  g.strokeStyle = colour('edge');
  g.beginPath(); g.moveTo(0, top + ROW - 1.5); g.lineTo(x(end), top + ROW - 1.5); g.stroke();
  if (t.kind === 'trace') { drawCurve(g, t, top, x, end, colour('copper')); return; }
  const n = t.points.length / 2;
  for (let i = 0; i < n; i++) {
    const value = t.points[2 * i + 1] as ShownValue;
    const x1 = Math.max(0, x(t.points[2 * i] as number)), x2 = Math.max(0, x(i + 1 < n ? (t.points[2 * i + 2] as number) : end));
    if (x2 <= x1) continue;
    if (t.kind === 'band') {
      if (value) { g.fillStyle = colour('copper'); g.beginPath(); g.roundRect(x1, top + 5, Math.max(1, x2 - x1), ROW - 10, 1.5); g.fill(); }
    } else {
      g.fillStyle = colour(i === n - 1 ? 'glow' : i % 2 ? 'edge' : 'paper');
      g.beginPath(); g.roundRect(x1 + 0.5, top + 3, Math.max(1, x2 - x1 - 1), ROW - 6, 2); g.fill();
      if (x2 - x1 > 28) {
        g.save(); g.beginPath(); g.rect(x1, top, x2 - x1 - 3, ROW); g.clip();
        g.fillStyle = colour('soft'); g.fillText(String(value), x1 + 5, top + ROW / 2 + 0.5); g.restore();
      }
    }
  }
}

function drawCurve(g: CanvasRenderingContext2D, t: ScopeTrace, top: number, x: (scan: number) => number, end: number, copper: string): void {
  let low = Infinity, high = -Infinity;
  for (let i = 1; i < t.points.length; i += 2) { const v = Number(t.points[i]); low = Math.min(low, v); high = Math.max(high, v); }
  const y = (v: number) => top + ROW - 3 - (high > low ? ((v - low) / (high - low)) * (ROW - 7) : 0);
  g.strokeStyle = copper; g.lineWidth = 1.5; g.beginPath();
  let before = y(Number(t.points[1]));
  g.moveTo(Math.max(0, x(Number(t.points[0]))), before);
  for (let i = 2; i < t.points.length; i += 2) {
    const px = x(Number(t.points[i])), py = y(Number(t.points[i + 1]));
    // A value holds until the next one; neighbours in consecutive scans join into a slope by themselves.
    g.lineTo(px, before); g.lineTo(px, py);
    before = py;
  }
  g.lineTo(x(end), before);
  g.stroke(); g.lineWidth = 1;
}
