/**
 * Live values for what is on screen. A `Live` is a moment of some engine — the bench or the controller — and
 * components look at paths and rungs of it; only those are sent. Views are the same for both.
 */
import type { Frame } from '@ferrule/core/bench';
import { failureOf } from '../components/outdated.js';
import { type Project, deltaOf, patched } from '@ferrule/core/document';
import { createContext, useContext, useEffect } from 'react';
import { type StoreApi, useStore } from 'zustand';
import { createStore } from 'zustand/vanilla';
import type {
  Answers,
  Ask,
  BenchFrame,
  Checked,
  EventText,
  FromBench,
  OutsideWords,
  ScopeData,
  ToBench,
} from './protocol.js';

export interface LiveState {
  readonly frame: Frame | undefined;
}

export interface Live {
  readonly kind: 'bench' | 'controller';
  readonly store: StoreApi<LiveState>;
  look(paths: readonly string[], rungs: readonly string[]): () => void;
  event(e: EventText): void;
}

/** Counts who looks at what and tells `send` the union, once per turn of the event loop. */
export function makeLooker(send: (request: { paths: string[]; rungs: string[] }) => void): {
  look: Live['look'];
  again(): void;
} {
  const paths = new Map<string, number>(),
    rungs = new Map<string, number>();
  let due = false;
  const again = () => {
    if (due) return;
    due = true;
    queueMicrotask(() => {
      due = false;
      send({ paths: [...paths.keys()], rungs: [...rungs.keys()] });
    });
  };
  const count = (map: Map<string, number>, keys: readonly string[], by: number) => {
    for (const k of keys) {
      const n = (map.get(k) ?? 0) + by;
      if (n > 0) map.set(k, n);
      else map.delete(k);
    }
  };
  return {
    again,
    look: (p, r) => {
      count(paths, p, 1);
      count(rungs, r, 1);
      again();
      return () => {
        count(paths, p, -1);
        count(rungs, r, -1);
        again();
      };
    },
  };
}

interface BenchState extends LiveState {
  readonly frame: BenchFrame | undefined;
  readonly checked: Checked | undefined;
  readonly refused: string | undefined;
  readonly scope: ScopeData | undefined;
  /** What is wrong with a stop's condition, by the stop's id. */ readonly stopProblems: Readonly<
    Record<string, string>
  >;
}

export const benchStore = createStore<BenchState>(() => ({
  frame: undefined,
  checked: undefined,
  refused: undefined,
  scope: undefined,
  stopProblems: {},
}));

/** Takes what is for other programs, where the bench is open to them. */
let hearOutside: (m: OutsideWords) => void = () => undefined;
export function onOutside(hear: (m: OutsideWords) => void): void {
  hearOutside = hear;
}

let worker: Worker | undefined;
export function tellBench(m: ToBench): void {
  worker ??= startWorker();
  worker.postMessage(m);
}

/** The project that the bench has. */
let handed: Project | undefined;
/** What the bench said last of a project: what it says next is told as what changed of that. */
let said: Checked | undefined;
/** Hands the project to the bench: whole where it is another one than before, else what changed. */
export function handProject(project: Project, isAnother: boolean): void {
  tellBench(
    isAnother || !handed
      ? { kind: 'project', fresh: true, project }
      : { kind: 'project', fresh: false, delta: deltaOf(handed, project) },
  );
  handed = project;
  // What is known of the project before says nothing of this one.
  if (isAnother)
    benchStore.setState({
      checked: undefined,
      frame: undefined,
      scope: undefined,
      refused: undefined,
      stopProblems: {},
    });
}

const waitingFor = new Map<number, (answer: unknown) => void>();
let asked = 0;
/** Asks about the program last sent; the answer is of that program. */
export function askBench<K extends keyof Answers>(
  question: K,
  about: Answers[K]['ask'],
): Promise<Answers[K]['answer']> {
  return new Promise((resolve) => {
    waitingFor.set(++asked, resolve as (answer: unknown) => void);
    tellBench({ kind: 'ask', id: asked, ask: { question, about } as Ask });
  });
}

function startWorker(): Worker {
  const w = new Worker(new URL('./worker.ts', import.meta.url), { type: 'module' });
  let waiting: BenchFrame | undefined, waitingScope: ScopeData | undefined;
  // Frame and scope come out together: the page is drawn once for both.
  const due = () => {
    if (waiting || waitingScope) return;
    requestAnimationFrame(() => {
      benchStore.setState({ ...(waiting ? { frame: waiting } : {}), ...(waitingScope ? { scope: waitingScope } : {}) });
      waiting = waitingScope = undefined;
    });
  };
  w.onmessage = ({ data }: MessageEvent<FromBench>) => {
    if (data.kind === 'frame') {
      // At most one update a displayed frame; a hidden page takes none.
      due();
      waiting = data.frame;
    } else if (data.kind === 'scope') {
      due();
      waitingScope = data.scope;
    } else if (data.kind === 'stopProblems') benchStore.setState({ stopProblems: data.problems });
    else if (data.kind === 'checked') {
      said = patched(said, data.delta) as Checked;
      benchStore.setState({ checked: said });
    } else if (data.kind === 'answer') {
      waitingFor.get(data.id)?.(data.answer);
      waitingFor.delete(data.id);
    } else if (data.kind === 'refused') benchStore.setState({ refused: data.message });
    else hearOutside(data);
  };
  w.onerror = (e) => benchStore.setState({ refused: `The bench could not go on: ${failureOf(e)}.` });
  return w;
}

const benchLooker = makeLooker((request) => tellBench({ kind: 'look', request }));
export const benchLive: Live = {
  kind: 'bench',
  store: benchStore,
  look: benchLooker.look,
  event: (event) => {
    benchStore.setState({ refused: undefined });
    tellBench({ kind: 'event', event });
  },
};

export const useBench = <T>(select: (s: BenchState) => T): T => useStore(benchStore, select);

const LiveContext = createContext<Live>(benchLive);
export const LiveProvider = LiveContext.Provider;
export const useLive = (): Live => useContext(LiveContext);

/** Looks at paths and rungs while the component is there. */
export function useLook(paths: readonly string[], rungs: readonly string[] = []): void {
  const live = useLive();
  const key = `${paths.join('\n')}\n\n${rungs.join('\n')}`;
  useEffect(() => live.look(paths, rungs), [live, key]);
}

let moving = 0;
/**
 * The bench's pictures move as smoothly as the screen while the component is there; else values come as a person
 * follows them.
 */
export function useMotion(): void {
  useEffect(() => {
    if (++moving === 1) tellBench({ kind: 'motion', isMoving: true });
    return () => {
      if (--moving === 0) tellBench({ kind: 'motion', isMoving: false });
    };
  }, []);
}

/** One value of the moment; undefined while nothing is known. */
export function useValue(path: string) {
  const live = useLive();
  return useStore(live.store, (s) => s.frame?.values[path]);
}
export function useForced(path: string) {
  const live = useLive();
  return useStore(live.store, (s) => forcedValue(s.frame, path));
}
/** Whether the card of the controller that a tag lies on is pulled. */
export function usePulled(path: string): boolean {
  const live = useLive();
  return useStore(live.store, (s) => isPulled(s.frame, path));
}
export const isPulled = (frame: Frame | undefined, path: string): boolean =>
  frame?.pulled !== undefined && frame.pulled.tags.includes(path.toLowerCase());
export function forcedValue(frame: Frame | undefined, path: string) {
  if (!frame) return undefined;
  const hit = Object.keys(frame.forces).find((p) => p.toLowerCase() === path.toLowerCase());
  return hit === undefined ? undefined : frame.forces[hit];
}
