/**
 * Which panes are folded to a line, in each area as they were left there: the scope with the bench pane beside it, the
 * bench pane alone, the pane at the right.
 */
import { useLocation } from 'react-router';
import { looseEnds } from '@ferrule/core/machine';
import { useDocument } from '../document/store.js';
import { type BenchTab, useDesk } from './desk.js';

export type Part = 'bottom' | 'bench' | 'side';
const ALL: readonly Part[] = ['bottom', 'bench', 'side'];

const areaOf = (pathname: string): string => pathname.split('/')[3] ?? '';
const areaNow = (): string => areaOf(location.pathname);

/** Below this height of the page, in px, rungs come before the scope. */
const LOW = 900;
/** Until somebody opens it, a scope without tags takes a line; so does any over the rungs of a low page. */
const isFoldedAtFirst = (part: Part, area: string, isEmpty: boolean): boolean =>
  part === 'bottom'
    ? isEmpty || (area === 'logic' && innerHeight < LOW)
    : part === 'side' && area === 'machine' && isWired();

/**
 * By project: whether its machine was wired when it was first seen. The wiring does not fold away under the hands of
 * who wires it.
 */
/** One in so many may be loose. */
const FEW_LOOSE = 4;
const wired = new Map<string, boolean>();
function isWired(): boolean {
  const { id, project } = useDocument.getState();
  if (!id || !project) return false;
  let is = wired.get(id);
  if (is === undefined) {
    // A contact or two that nothing asks for are no wiring that is still to be done.
    const loose = looseEnds(project).length,
      wires = project.machine.devices.reduce((n, d) => n + Object.keys(d.wires ?? {}).length, 0);
    is = wires > 0 && loose * FEW_LOOSE <= wires;
    wired.set(id, is);
  }
  return is;
}

const isFolded = (part: Part, area: string): boolean =>
  useDesk.getState().folds[area]?.[part] ??
  isFoldedAtFirst(part, area, useDocument.getState().project?.scope.length === 0);

function put(to: Partial<Record<Part, boolean>>, area = areaNow()): void {
  const { folds, set } = useDesk.getState();
  set({ folds: { ...folds, [area]: { ...folds[area], ...to } } });
}

export function useFolded(part: Part): boolean {
  const area = areaOf(useLocation().pathname);
  const isEmpty = useDocument((s) => s.project?.scope.length === 0);
  return useDesk((s) => s.folds[area]?.[part]) ?? isFoldedAtFirst(part, area, isEmpty);
}

export const toggleFold = (part: Part): void => put({ [part]: !isFolded(part, areaNow()) });

/** Why, watch and the others are shown, wherever they were folded away. */
export function openBench(tab: BenchTab): void {
  useDesk.getState().set({ bench: tab });
  put({ bottom: false, bench: false });
}

/** The same for what stands beside the logic. */
export function openSide(side: 'machine' | 'outline' | 'tags' | 'uses'): void {
  useDesk.getState().set({ side });
  put({ side: false }, 'logic');
}

/** The wiring beside the machine. */
export const openWiring = (): void => put({ side: false }, 'machine');

const before = new Map<string, Partial<Record<Part, boolean>>>();
/** Everything but the area folds to a line; once more, and it is as it was. */
export function toggleAll(): void {
  const area = areaNow(),
    folded = ALL.map((p) => isFolded(p, area));
  if (folded.every(Boolean)) {
    put(before.get(area) ?? { bottom: false, bench: false, side: false });
    before.delete(area);
    return;
  }
  before.set(area, Object.fromEntries(ALL.map((p, i) => [p, folded[i]!])));
  put({ bottom: true, bench: true, side: true });
}
