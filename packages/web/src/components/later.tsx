/**
 * Parts of the page that are loaded when they are first shown. Not by Suspense: what it shows after waiting is drawn
 * with the lowest priority, and the bench, which changes the page sixty times a second, would make React begin a large
 * area anew each time and never end.
 */
import { type ComponentType, useEffect, useState } from 'react';

export function later<P extends object>(load: () => Promise<ComponentType<P>>): ComponentType<P> {
  let known: ComponentType<P> | undefined;
  return function Later(props: P) {
    const [Part, setPart] = useState<ComponentType<P> | undefined>(() => known);
    const [failed, setFailed] = useState(false);
    useEffect(() => {
      if (Part || failed) return;
      load().then(
        (p) => {
          known = p;
          setPart(() => p);
        },
        () => setFailed(true),
      );
    }, [Part, failed]);
    if (failed)
      return (
        <p role="alert" className="p-4 text-bad">
          This part of the page could not be loaded.{' '}
          <button className="underline" onClick={() => setFailed(false)}>
            Try again
          </button>
        </p>
      );
    return Part ? <Part {...props} /> : null;
  };
}
