/** How high the rows of a sheet will be before they are drawn, and under which names the list knows them. */
import { useCallback, useMemo, useRef } from 'react';
import type { RungText } from '@ferrule/core/document';
import type { RungModel } from '../../components/ladder/rung-model.js';
import { commentInLine } from './RungRow.js';

const FOLDED_PX = 34,
  UNREAD_PX = 60,
  LINE_PX = 1,
  COMMENT_PX = 26,
  HEADING_PX = 34;

const known = new WeakMap<RungText, { readonly model: RungModel | undefined; readonly height: number }>();
function heightOf(rung: RungText, model: RungModel | undefined): number {
  const before = known.get(rung);
  if (before && before.model === model) return before.height;
  const height =
    (model?.layout?.height ?? UNREAD_PX) +
    LINE_PX +
    (rung.comment && !(model && commentInLine(rung, model)) ? COMMENT_PX : 0) +
    (rung.heading ? HEADING_PX : 0);
  known.set(rung, { model, height });
  return height;
}

/** The list of before, as long as it holds the same. */
function useSame<T>(list: readonly T[]): readonly T[] {
  const kept = useRef(list),
    before = kept.current;
  return (kept.current = before.length === list.length && before.every((v, i) => v === list[i]) ? before : list);
}

/**
 * For each row that is there (`rows`: numbers of rungs; those in `folded` show only their heading) its key and the height
 * expected of it, px. A list measures all its rows anew when it gets another `keyOfRow`: so it is another only where a
 * row is, or a height.
 */
export function useRowHeights(
  rungs: readonly RungText[],
  models: readonly (RungModel | undefined)[],
  rows: readonly number[],
  folded: ReadonlyMap<number, unknown>,
): { readonly keyOfRow: (row: number) => string | number; readonly heightOfRow: (row: number) => number } {
  const heights = useSame(
    useMemo(
      () => rows.map((k) => (folded.has(k) ? FOLDED_PX : heightOf(rungs[k]!, models[k]))),
      [rows, folded, rungs, models],
    ),
  );
  const keys = useSame(useMemo(() => rows.map((k) => rungs[k]!.id), [rows, rungs]));
  return {
    keyOfRow: useCallback((row: number) => keys[row] ?? row, [keys, heights]),
    heightOfRow: (row) => heights[row]!,
  };
}
