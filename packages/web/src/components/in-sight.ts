/** Whether an element can be seen just now: what is out of sight need not look at values. */
import { type RefObject, useEffect, useState } from 'react';

export function useInSight(of: RefObject<Element | null>): boolean {
  const [seen, setSeen] = useState(false);
  useEffect(() => {
    const watch = new IntersectionObserver((entries) => setSeen(entries.at(-1)!.isIntersecting), {
      rootMargin: '60px',
    });
    watch.observe(of.current!);
    return () => watch.disconnect();
  }, [of]);
  return seen;
}
