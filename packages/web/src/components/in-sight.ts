/** Whether an element can be seen just now: what is out of sight need not look at values. */
import { type RefObject, useEffect, useState } from 'react';

/** A browser that knows `delay` (of IntersectionObserver v2, in ms) does not look for it in every frame that is drawn. */
const NEAR: IntersectionObserverInit & { readonly delay: number } = { rootMargin: '60px', delay: 100 };

export function useInSight(of: RefObject<Element | null>): boolean {
  const [seen, setSeen] = useState(false);
  useEffect(() => {
    const watch = new IntersectionObserver((entries) => setSeen(entries.at(-1)!.isIntersecting), NEAR);
    watch.observe(of.current!);
    return () => watch.disconnect();
  }, [of]);
  return seen;
}
