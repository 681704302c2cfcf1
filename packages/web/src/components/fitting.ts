/** Rows of which not everything may fit: nothing scrolls sideways, what does not fit is reached another way. */
import { type RefObject, useLayoutEffect, useState } from 'react';

/**
 * Whether the things of a row, on one line, take more than there is. The row wraps and shows its first line only.
 * `of` tells what stands in it: looked at again when that changes, since looking makes the browser lay out the page.
 */
export function useOverflows(row: RefObject<HTMLElement | null>, of: string, gap = 0): boolean {
  const [over, setOver] = useState(false);
  useLayoutEffect(() => {
    const e = row.current;
    if (!e) return;
    const look = () => {
      const wanted = [...e.children].reduce((n, c) => n + (c as HTMLElement).offsetWidth + gap, -gap);
      setOver(wanted > e.clientWidth + 1);
    };
    look();
    const watch = new ResizeObserver(look);
    watch.observe(e);
    return () => watch.disconnect();
  }, [row, of, gap]);
  return over;
}

/** The width of an element in px, as it is laid out; `fallback` until then. */
export function useWidthOf(of: RefObject<HTMLElement | null>, fallback: number): number {
  const [width, setWidth] = useState(fallback);
  useLayoutEffect(() => {
    const e = of.current;
    if (!e) return;
    const watch = new ResizeObserver(() => setWidth(e.clientWidth));
    watch.observe(e);
    setWidth(e.clientWidth);
    return () => watch.disconnect();
  }, [of]);
  return width;
}
