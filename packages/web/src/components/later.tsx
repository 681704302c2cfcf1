/**
 * Parts of the page that are loaded when they are first shown. Not by Suspense: what it shows after waiting is drawn
 * with the lowest priority, and the bench, which changes the page sixty times a second, would make React begin a large
 * area anew each time and never end.
 *
 * Areas are loaded when first visited, by `components/later` and not by Suspense or as transitions: React draws those
 * at low priority, and the bench, which changes the page sixty times a second, would make it begin a large area anew
 * each time. Each device of the machine view looks at its own values and is a picture of its own, so one that stands
 * still is neither drawn nor painted; devices and terminals out of sight are not looked at. What that comes to is
 * printed by `npm run bench machine` (docs/numbers.md).
 */
import { type ComponentType, useEffect, useState } from 'react';
import { isOutdated } from './outdated.js';

export function later<P extends object>(load: () => Promise<ComponentType<P>>): ComponentType<P> {
  let known: ComponentType<P> | undefined;
  return function Later(props: P) {
    const [Part, setPart] = useState<ComponentType<P> | undefined>(() => known);
    const [failed, setFailed] = useState<'not there' | 'outdated'>();
    useEffect(() => {
      if (Part || failed) return;
      load().then(
        (p) => {
          known = p;
          setPart(() => p);
        },
        () => void isOutdated().then((outdated) => setFailed(outdated ? 'outdated' : 'not there')),
      );
    }, [Part, failed]);
    if (failed)
      return (
        <p role="alert" className="p-4 text-bad">
          {failed === 'outdated'
            ? 'Ferrule was updated since this page was opened.'
            : 'This part of the page could not be loaded.'}{' '}
          <button
            className="underline"
            onClick={() => (failed === 'outdated' ? location.reload() : setFailed(undefined))}
          >
            {failed === 'outdated' ? 'Load the page anew' : 'Try again'}
          </button>
        </p>
      );
    return Part ? <Part {...props} /> : null;
  };
}
