/** The drawing of the scope, and what keys and mouse do on it. */
import { useEffect, useMemo, useRef, useState, type KeyboardEvent, type PointerEvent } from 'react';
import type { ValueSpan } from '@ferrule/core/bench';
import { askBench, benchStore, tellBench, useBench } from '../bench/live.js';
import { AXIS, ROW, drawScope, forgetColours } from './scope-draw.js';
import { type Difference } from './scope-runs.js';
import { type View, NO_COURSES, NO_SEAMS } from './scope-parts.js';

/** How long the value at a cursor stood, found by the bench; asked again while its end has not come. */
export function useSpan(path: string, scan: number | undefined, within: number): ValueSpan | undefined {
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

export function Chart({ paths, view, setView, zoom, cursors, onCursor, onPixels, differs, laid }: ChartProps) {
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
      drawScope(canvas.current, width, height, {
        scrolled: box.current.parentElement?.scrollTop ?? 0,
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
    // What is drawn is as high as what is seen: rows beyond it are scrolled to, and the axis stays in sight.
    const scroller = box.current?.parentElement;
    const measure = () => {
      size.current = { width: box.current?.clientWidth ?? 0, height: scroller?.clientHeight ?? 0 };
    };
    measure();
    paint();
    const stop = benchStore.subscribe(paint);
    scroller?.addEventListener('scroll', paint);
    const observer = new ResizeObserver(() => {
      measure();
      onPixels(Math.max(50, Math.round(box.current?.clientWidth ?? 800)));
      paint();
    });
    for (const e of [box.current, scroller]) if (e) observer.observe(e);
    const theme = new MutationObserver(() => {
      forgetColours();
      paint();
    });
    theme.observe(document.documentElement, { attributeFilter: ['data-theme'] });
    return () => {
      stop();
      scroller?.removeEventListener('scroll', paint);
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
    const isBar = e.clientY > canvas.current!.getBoundingClientRect().bottom - 5;
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
      <canvas ref={canvas} className="sticky top-0 block" />
    </div>
  );
}
