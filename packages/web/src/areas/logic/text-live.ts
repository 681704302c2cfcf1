/** Values at the ends of the lines and branches taken, while the bench runs: as decorations of the lines in sight. */
import { StateEffect, StateField } from '@codemirror/state';
import { type DecorationSet, Decoration, EditorView, WidgetType } from '@codemirror/view';
import type { ShownValue } from '@ferrule/core/bench';
import { valueText } from '../../components/values.js';
import { type RefObject, useEffect, useState } from 'react';
import { type TextWatch } from '@ferrule/core/workspace';
import { askBench, benchLive, benchStore, forcedValue, isPulled, useBench } from '../../bench/live.js';
import { useStops } from '../../components/asking.js';
import { useReach } from '../../components/reach.js';
import { setMarks } from './text-stops.js';

/** Values change at the end of the lines in sight, at most ten times a second. */
export const LIVE_MS = 100;

export interface LiveLine {
  readonly line: number;
  readonly values: readonly {
    readonly name: string;
    readonly value: ShownValue;
    readonly type: string;
    readonly forced: boolean;
    /** The card of the controller that it lies on is pulled. */ readonly isOut: boolean;
  }[];
  readonly taken: boolean;
  /** The checks never take this branch, while that is shown. */ readonly untried?: boolean;
}
export const setLive = StateEffect.define<readonly LiveLine[]>();

class Values extends WidgetType {
  constructor(readonly line: LiveLine) {
    super();
  }
  override eq(other: Values): boolean {
    return JSON.stringify(other.line) === JSON.stringify(this.line);
  }
  override toDOM(): HTMLElement {
    const dom = document.createElement('span');
    dom.className = 'cm-live';
    dom.setAttribute('aria-hidden', 'true');
    if (this.line.untried) {
      const one = document.createElement('span');
      one.textContent = 'never taken by the checks';
      one.className = 'cm-untried';
      dom.append(one);
    }
    for (const v of this.line.values) {
      const one = document.createElement('span');
      one.textContent = `${v.name} ${valueText(v.value, v.type)}${v.isOut ? ' card out' : ''}`;
      if (v.value === true) one.className = 'cm-live-on';
      if (v.forced) one.className = 'cm-live-forced';
      dom.append(one);
    }
    return dom;
  }
  override ignoreEvent(): boolean {
    return true;
  }
}

const taken = Decoration.line({ class: 'cm-taken' });

export const liveField = StateField.define<DecorationSet>({
  create: () => Decoration.none,
  update(set, tr) {
    let next = set.map(tr.changes);
    for (const e of tr.effects) {
      if (!e.is(setLive)) continue;
      const { doc } = tr.state;
      const list = e.value.filter((l) => l.line <= doc.lines).sort((a, b) => a.line - b.line);
      next = Decoration.set(
        list.flatMap((l) => {
          const at = doc.line(l.line);
          return [
            ...(l.taken ? [taken.range(at.from)] : []),
            ...(l.values.length || l.untried
              ? [Decoration.widget({ widget: new Values(l), side: 1 }).range(at.to)]
              : []),
          ];
        }),
        true,
      );
    }
    return next;
  },
  provide: (f) => EditorView.decorations.from(f),
});

export const liveTheme = EditorView.baseTheme({
  '.cm-live': { marginLeft: '2.5em', fontSize: '11px', color: 'var(--soft)', whiteSpace: 'nowrap' },
  '.cm-live span': { marginRight: '1.2em' },
  '.cm-live-on': { color: 'var(--copper-ink)', fontWeight: '600' },
  '.cm-live-forced': {
    backgroundColor: 'var(--forced)',
    color: 'var(--on-forced)',
    borderRadius: '2px',
    padding: '0 3px',
  },
  '.cm-untried': { border: '1px dashed var(--ink)', borderRadius: '3px', padding: '0 4px', color: 'var(--ink)' },
  '.cm-taken': { boxShadow: 'inset 3px 0 0 var(--copper)' },
});

/** Lines the run stops before, and the statement the scan stands at. */
export function useStopMarks(view: RefObject<EditorView | null>, id: string, project: string | undefined): void {
  const stops = useStops(project);
  const place = useBench((s) => s.frame?.inside?.place);
  useEffect(() => {
    const mine = stops.filter((s) => s.kind === 'line' && s.pou === id);
    view.current?.dispatch({
      effects: setMarks.of({
        stops: mine.map((s) => ({ line: s.line!, isOn: s.isOn })),
        ...(place?.kind === 'text' && place.pou === id ? { at: place.at } : {}),
      }),
    });
  }, [view, stops, place, id]);
}

/** What can be watched beside the lines, asked anew with each program taken. */
export function useWatch(id: string, name: string, instance: string | undefined): TextWatch | undefined {
  const generation = useBench((s) => s.frame?.generation);
  const [watch, setWatch] = useState<TextWatch>();
  useEffect(() => {
    let isOn = true;
    void askBench('watch', { id, pou: name, ...(instance ? { wanted: instance } : {}) }).then((w) => {
      if (isOn) setWatch(w);
    });
    return () => {
      isOn = false;
    };
  }, [id, name, instance, generation]);
  return watch;
}

export function useLiveLines(view: { readonly current: EditorView | null }, watch: TextWatch | undefined): void {
  useEffect(() => {
    if (!watch || !view.current) return undefined;
    let stop: (() => void) | undefined,
      range = '',
      timer: ReturnType<typeof setTimeout> | undefined;
    const lines = () => {
      const v = view.current!;
      const from = v.state.doc.lineAt(v.viewport.from).number,
        to = v.state.doc.lineAt(v.viewport.to).number;
      const key = `${from}-${to}`;
      const inSight = watch.lines.filter((l) => l.line >= from && l.line <= to),
        branches = watch.branches.filter((b) => b.line >= from && b.line <= to);
      if (key !== range) {
        range = key;
        stop?.();
        stop = benchLive.look(
          inSight.map((l) => l.path),
          branches.map((b) => b.probe),
        );
      }
      return { inSight, branches };
    };
    const show = () => {
      timer = undefined;
      const v = view.current;
      if (!v) return;
      const { frame } = benchStore.getState();
      const { inSight, branches } = lines();
      const found = new Map<
        number,
        { line: number; values: LiveLine['values'][number][]; taken: boolean; untried?: boolean }
      >();
      const of = (line: number) => {
        let l = found.get(line);
        if (!l) found.set(line, (l = { line, values: [], taken: false }));
        return l;
      };
      for (const l of inSight) {
        const value = frame?.values[l.path];
        if (value !== undefined)
          of(l.line).values.push({
            name: l.name,
            value,
            type: l.type,
            forced: forcedValue(frame, l.path) !== undefined,
            isOut: isPulled(frame, l.path),
          });
      }
      for (const b of branches) if (frame?.power[b.probe]?.length) of(b.line).taken = true;
      const reach = useReach.getState().shown,
        text = v.state.doc.toString();
      for (const b of branches) if (reach?.branches.get(b.probe) === text) of(b.line).untried = true;
      v.dispatch({ effects: setLive.of([...found.values()]) });
    };
    const soon = () => {
      timer ??= setTimeout(show, LIVE_MS);
    };
    const off = [benchStore.subscribe(soon), useReach.subscribe(soon)];
    show();
    return () => {
      for (const o of off) o();
      stop?.();
      clearTimeout(timer);
    };
  }, [watch, view]);
}
