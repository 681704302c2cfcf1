/** Where the keys lead on the sheet. */
import type { KeyboardEvent } from 'react';
import { nearestBox } from './dragging.js';
import type { Position, Sheet } from './sheet.js';

/** Where an arrow key leads: along the elements, up and down as they stand on the sheet; undefined for another key. */
export function movement(sheet: Sheet, e: KeyboardEvent): Position | undefined {
  const { rows, models, model, count, position, element, to } = sheet;
  if (e.altKey || ((e.ctrlKey || e.metaKey) && e.key !== 'Home' && e.key !== 'End')) return undefined;
  const row = rows.indexOf(position.rungTo ?? position.rung);
  const rungBy = (n: number): number => rows[Math.max(0, Math.min(rows.length - 1, row + n))] ?? 0;
  const at = to ?? element;
  switch (e.key) {
    case 'ArrowLeft':
      return e.shiftKey
        ? { rung: position.rung, element, to: Math.max(0, at - 1) }
        : { rung: position.rung, element: to !== undefined ? Math.min(element, to) : element - 1 };
    case 'ArrowRight':
      return e.shiftKey
        ? { rung: position.rung, element, to: Math.min(count - 1, at + 1) }
        : {
            rung: position.rung,
            element: Math.min(count - 1, to !== undefined ? Math.max(element, to) : element + 1),
          };
    case 'Home':
      return { rung: e.ctrlKey ? (rows[0] ?? 0) : position.rung, element: 0 };
    case 'End':
      return { rung: e.ctrlKey ? (rows.at(-1) ?? 0) : position.rung, element: e.ctrlKey ? 0 : count - 1 };
    case 'PageUp':
      return { rung: rungBy(-5), element: 0 };
    case 'PageDown':
      return { rung: rungBy(5), element: 0 };
    case 'ArrowUp':
    case 'ArrowDown': {
      const by = e.key === 'ArrowUp' ? -1 : 1;
      if (e.shiftKey) return { ...position, rungTo: rungBy(by) };
      const here = model?.layout?.boxes[element];
      const leg =
        here &&
        nearestBox(
          model!.layout!.boxes.filter(
            (b) =>
              (by < 0 ? b.wireY < here.wireY - 4 : b.wireY > here.wireY + 4) &&
              b.x < here.x + here.width &&
              here.x < b.x + b.width,
          ),
          here.x + here.width / 2,
          by,
        );
      if (leg !== undefined) return { rung: position.rung, element: leg };
      const rung = rungBy(by);
      if (rung === position.rung) return { rung, element };
      const boxes = models[rung]?.layout?.boxes ?? [];
      const line = boxes.length
        ? by > 0
          ? Math.min(...boxes.map((b) => b.wireY))
          : Math.max(...boxes.map((b) => b.wireY))
        : 0;
      return {
        rung,
        element: here
          ? (nearestBox(
              boxes.filter((b) => Math.abs(b.wireY - line) < 4),
              here.x + here.width / 2,
              by,
            ) ?? 0)
          : 0,
      };
    }
    default:
      return undefined;
  }
}
