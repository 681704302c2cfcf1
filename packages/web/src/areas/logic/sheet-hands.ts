/** What the pointer does on the sheet: elements and rungs are chosen, opened and dragged to another place. */
import { type PointerEvent, type RefObject, useEffect, useMemo, useRef } from 'react';
import { grab } from '../../components/drag.js';
import type { RungHands } from '../../components/ladder/RungView.js';
import type { Command } from './commands.js';
import { type Over, watchDrag, watchRungDrag } from './dragging.js';
import { isField } from './sheet-clipboard.js';
import { type Drop, copyRungs, moveRungsTo, runText, together } from './sheet-edits.js';
import type { Sheet } from './sheet.js';

export function useSheetHands(
  sheet: Sheet,
  scroller: RefObject<HTMLDivElement | null>,
  around: {
    /** Gives the keys to the rungs. */
    focus(): void;
    command(c: Command): void;
    /** Where an element that is dragged would go, and between which rungs rungs would. */
    setDrop(to: (Drop & { readonly rung: string }) | undefined): void;
    setRungDrop(to: number | undefined): void;
  },
) {
  const { pou, models, position, cursor, element, to, chosenRungs, setSaid, goTo, change, rungRange } = sheet,
    { focus, command, setDrop, setRungDrop } = around;
  const over = useRef<Over>(undefined);
  useEffect(() =>
    watchDrag(scroller, over, pou, models, setDrop, (d) => {
      if ('refused' in d) {
        setSaid(d.refused);
        return;
      }
      change(together('Move a part', d.edits));
      goTo({ rung: pou.rungs.findIndex((r) => r.id === d.rung), element: d.element });
      if (d.leaves) setSaid(`Rung ${d.leaves} has no output now: it is unfinished and left out of the run.`);
      focus();
    }),
  );
  const onGrabRung = (k: number, e: PointerEvent) => {
    if (e.shiftKey) return;
    grab(e, () => {
      const [from, last] = rungRange(),
        rungs: [number, number] = chosenRungs && k >= from && k <= last ? [from, last] : [k, k];
      return { text: copyRungs(pou, ...rungs), pou: pou.id, rungs };
    });
  };
  useEffect(() =>
    watchRungDrag(scroller, pou, setRungDrop, (rungs, to, copies) => {
      const e = moveRungsTo(pou, rungs, to, copies);
      if (!e || !change(e)) return;
      const first = copies || to < rungs[0] ? to : to - (rungs[1] - rungs[0] + 1);
      goTo({ rung: first, element: 0, rungTo: first + rungs[1] - rungs[0] });
      focus();
    }),
  );
  const onGrab = (rung: number, n: number, e: PointerEvent) => {
    if (e.shiftKey) {
      if (rung === position.rung) goTo({ rung, element, to: n });
      requestAnimationFrame(focus);
      return;
    }
    grab(e, () => {
      const r = pou.rungs[rung]!,
        picked = models[rung]?.nodes[n];
      const inRun =
        rung === position.rung && to !== undefined && n >= Math.min(element, to) && n <= Math.max(element, to);
      const c = inRun ? cursor : { element: n };
      const text = runText(r.line, c);
      return text && picked
        ? { text, pou: pou.id, rung: r.id, cursor: c, ...('tag' in picked ? { tag: picked.tag } : {}) }
        : undefined;
    });
  };

  // One object for all drawings, so that a rung is drawn anew only when it changed itself.
  const doing = useRef<RungHands>(null!);
  doing.current = {
    select: (rung, n) => {
      const k = pou.rungs.findIndex((r) => r.id === rung);
      goTo(
        {
          rung: k,
          element: n,
          ...(k === position.rung && to !== undefined && n >= Math.min(element, to) && n <= Math.max(element, to)
            ? { element, to }
            : {}),
        },
        true,
      );
      focus();
      requestAnimationFrame(() => {
        if (!isField(document.activeElement ?? document.body)) focus();
      });
    },
    open: () => command('change'),
    grab: (rung, n, e) =>
      onGrab(
        pou.rungs.findIndex((r) => r.id === rung),
        n,
        e,
      ),
  };
  const hands = useMemo(
    (): RungHands => ({
      select: (r, n) => doing.current.select(r, n),
      open: (r, n) => doing.current.open(r, n),
      grab: (r, n, e) => doing.current.grab(r, n, e),
    }),
    [],
  );
  return { onGrabRung, hands };
}
