/** Dragging on the sheet: parts of rungs, rungs, and what comes from the lists beside it. */
import { useDrag } from '../../components/drag.js';
import { type Drop, type DropWhere, type Ladder, type Refused, dropOn } from './sheet-edits.js';

/** From here on below the wire, in px, a drop makes a leg. */
const UNDER_PX = 9;

/** While something is dragged: which place of which rung is under the pointer, and what the rung would be. */
export type Over = ((Drop | Refused) & { readonly rung: string }) | undefined;

export function watchDrag(
  scroller: { readonly current: HTMLElement | null },
  over: { current: Over },
  pou: Ladder,
  models: readonly {
    readonly layout:
      | {
          readonly boxes: readonly {
            readonly element: number;
            readonly x: number;
            readonly width: number;
            readonly wireY: number;
            readonly kind: string;
          }[];
        }
      | undefined;
  }[],
  show: (d: (Drop & { rung: string }) | undefined) => void,
  take: (d: NonNullable<Over>) => void,
): () => void {
  const stop = useDrag.subscribe((s) => {
    if (!s.dragged) {
      if (over.current) {
        over.current = undefined;
        show(undefined);
      }
      return;
    }
    if (s.dragged.rungs) return;
    const next = placeUnder(s),
      lineOf = (o: Over) => (o && 'line' in o ? o.line : undefined);
    const isOther = next?.rung !== over.current?.rung || lineOf(next) !== lineOf(over.current);
    over.current = next;
    if (isOther) show(next && 'line' in next ? next : undefined);
  });
  const placeUnder = (s: ReturnType<typeof useDrag.getState>): Over => {
    const row = document
      .elementsFromPoint(s.x, s.y)
      .map((e) => e.closest<HTMLElement>('[data-rung]'))
      .find(Boolean);
    if (!row || !scroller.current?.contains(row) || !s.dragged) return undefined;
    const k = Number(row.dataset['rung']);
    const svg = row.querySelector('svg[role="group"]');
    const rung = pou.rungs[k],
      boxes = models[k]?.layout?.boxes;
    if (!rung) return undefined;
    if (!svg || !boxes) return { ...dropOn(pou, rung, 0, 'insertAfter', s.dragged, s.copies), rung: rung.id };
    const at = svg.getBoundingClientRect();
    const x = s.x - at.left,
      y = s.y - at.top;
    const near = [...boxes].sort((a, b) => distance(a, x, y) - distance(b, x, y))[0];
    if (!near || distance(near, x, y) > 90)
      return {
        refused: 'Nothing was moved: drop it on an element, at its left, its right or below it.',
        rung: rung.id,
      };
    const share = (x - near.x) / near.width;
    const isOutput = near.kind === 'coil' || near.kind === 'action' || near.kind === 'return';
    const where: DropWhere = s.onlyTag
      ? 'retag'
      : isOutput
        ? 'insertBefore'
        : y > near.wireY + UNDER_PX
          ? 'addLeg'
          : share < 0.5
            ? 'insertBefore'
            : 'insertAfter';
    return { ...dropOn(pou, rung, near.element, where, s.dragged, s.copies), rung: rung.id };
  };
  const up = () => {
    const d = over.current;
    over.current = undefined;
    if (d) {
      show(undefined);
      take(d);
    }
  };
  window.addEventListener('pointerup', up);
  return () => {
    stop();
    window.removeEventListener('pointerup', up);
  };
}

/** While whole rungs are dragged: in front of which rung they would go. */
export function watchRungDrag(
  scroller: { readonly current: HTMLElement | null },
  pou: Ladder,
  show: (at: number | undefined) => void,
  take: (rungs: readonly [number, number], to: number, copies: boolean) => void,
): () => void {
  const placeUnder = (x: number, y: number): number | undefined => {
    const row = document
      .elementsFromPoint(x, y)
      .map((e) => e.closest<HTMLElement>('[data-rung]'))
      .find(Boolean);
    if (!row || !scroller.current?.contains(row)) return undefined;
    const k = Number(row.dataset['rung']),
      box = row.getBoundingClientRect();
    return y < box.top + box.height / 2 ? k : k + 1;
  };
  const stop = useDrag.subscribe((s, before) => {
    if (s.dragged?.rungs) show(placeUnder(s.x, s.y));
    else if (before.dragged?.rungs) show(undefined);
  });
  const up = () => {
    const { dragged, x, y, copies } = useDrag.getState();
    if (!dragged?.rungs || dragged.pou !== pou.id) return;
    const to = placeUnder(x, y);
    if (to !== undefined) take(dragged.rungs, to, copies);
  };
  window.addEventListener('pointerup', up);
  return () => {
    stop();
    window.removeEventListener('pointerup', up);
  };
}

const distance = (
  b: { readonly x: number; readonly width: number; readonly wireY: number },
  x: number,
  y: number,
): number => Math.hypot(Math.max(b.x - x, 0, x - b.x - b.width), Math.max(0, Math.abs(y - b.wireY) - 14));

export function nearestBox(
  boxes: readonly { readonly element: number; readonly x: number; readonly width: number; readonly wireY: number }[],
  x: number,
  by: number,
): number | undefined {
  return [...boxes].sort(
    (a, b) => (a.wireY - b.wireY) * by || Math.abs(a.x + a.width / 2 - x) - Math.abs(b.x + b.width / 2 - x),
  )[0]?.element;
}
