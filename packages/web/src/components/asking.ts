/** What was asked at the bench: why something is as it is, and where a run should stop. Shared by every area. */
import type { WhyAnswer, WhyMark, WhyPlace } from '@ferrule/core/bench';
import { create } from 'zustand';
import { persist } from 'zustand/middleware';
import { askBench, tellBench } from '../bench/live.js';
import type { StopPoint } from '../bench/protocol.js';
import { openBench } from './folds.js';

interface Asked {
  readonly path: string | undefined;
  readonly answer: WhyAnswer | undefined;
  readonly error: string | undefined;
  /** Elements that the answer speaks of, by rung. */ readonly marks: ReadonlyMap<string, readonly WhyMark[]>;
}
const NO_MARKS: ReadonlyMap<string, readonly WhyMark[]> = new Map();
export const useAsked = create<Asked>(() => ({
  path: undefined,
  answer: undefined,
  error: undefined,
  marks: NO_MARKS,
}));

let turn = 0;
/** Asks why a path is what it is, after the scan shown or another one, and opens the answer. */
export async function askWhy(path: string, scan?: number): Promise<void> {
  const mine = ++turn;
  openBench('why');
  useAsked.setState({ path, error: undefined });
  const a = await askBench('why', { path, ...(scan !== undefined ? { scan } : {}) });
  if (mine !== turn) return;
  if (!a || 'error' in a) {
    useAsked.setState({
      answer: undefined,
      error: a ? a.error : 'Nothing runs yet: mend the logic first.',
      marks: NO_MARKS,
    });
    return;
  }
  const marks = new Map<string, WhyMark[]>();
  for (const m of [...a.blocks, ...a.links].flatMap((l) => l.marks)) {
    const list = marks.get(m.rung) ?? [];
    if (!list.some((x) => x.element === m.element)) marks.set(m.rung, [...list, m]);
  }
  useAsked.setState({ answer: a, error: undefined, marks });
}
export function forgetWhy(): void {
  turn++;
  useAsked.setState({ path: undefined, answer: undefined, error: undefined, marks: NO_MARKS });
}

/** The page address of a place, within a project. */
export function addressOfPlace(place: WhyPlace, project: string): string {
  switch (place.kind) {
    case 'rung':
      return `/projects/${project}/logic?pou=${place.pou}&rung=${place.rung}${place.element !== undefined ? `&element=${place.element}` : ''}`;
    case 'text':
      return `/projects/${project}/logic?pou=${place.pou}&at=${place.at}`;
    case 'device':
      return `/projects/${project}/machine?device=${place.id}`;
  }
}

interface Stops {
  readonly byProject: Readonly<Record<string, readonly StopPoint[]>>;
  put(project: string, stops: readonly StopPoint[]): void;
}
/** Where runs stop: kept on this desk, project by project. */
export const useStopStore = create<Stops>()(
  persist(
    (set) => ({
      byProject: {},
      put: (project, stops) => {
        set((s) => ({ byProject: { ...s.byProject, [project]: stops } }));
        tellBench({ kind: 'stops', stops });
      },
    }),
    { name: 'ferrule.stops' },
  ),
);

const NO_STOPS: readonly StopPoint[] = [];
export const useStops = (project: string | undefined): readonly StopPoint[] =>
  useStopStore((s) => (project ? s.byProject[project] : undefined) ?? NO_STOPS);

/** Puts a stop at a place, or takes it away where there is one. Returns whether there is one now. */
export function toggleStop(project: string, at: Omit<StopPoint, 'id' | 'isOn'>): boolean {
  const { byProject, put } = useStopStore.getState(),
    list = byProject[project] ?? NO_STOPS;
  const same = (s: StopPoint) =>
    s.kind === at.kind &&
    s.rung === at.rung &&
    s.pou === at.pou &&
    s.line === at.line &&
    s.path === at.path &&
    (s.kind !== 'condition' || s.condition === at.condition);
  const there = list.some(same);
  put(
    project,
    there
      ? list.filter((s) => !same(s))
      : [...list, { ...at, id: `s${Date.now().toString(36)}${list.length}`, isOn: true }],
  );
  return !there;
}
