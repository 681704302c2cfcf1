/**
 * A long list that is drawn as far as somebody has scrolled: thousands of rows are not made to show the first twenty.
 */
import { type RefCallback, useCallback, useState } from 'react';

/** Rows at first, and so many more each time the end comes near. */
const FIRST = 60,
  MORE = 200;

/** How many of `count` rows to draw, and what watches the end; to be put on an element behind the last one. */
export function useGrowing(count: number): { readonly shown: number; readonly end: RefCallback<HTMLElement> } {
  const [most, setMost] = useState(FIRST);
  const end = useCallback((e: HTMLElement | null) => {
    if (!e) return;
    const watch = new IntersectionObserver(
      ([seen]) => {
        if (seen?.isIntersecting) setMost((n) => n + MORE);
      },
      { rootMargin: '400px' },
    );
    watch.observe(e);
    return () => watch.disconnect();
  }, []);
  return { shown: Math.min(count, most), end };
}
