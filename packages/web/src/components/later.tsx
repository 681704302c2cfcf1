/**
 * Parts of the page that are loaded when they are first shown. Not by Suspense: what it shows after waiting is drawn
 * with the lowest priority, and the bench, which changes the page sixty times a second, would make React begin a large
 * area anew each time and never end.
 *
 * Areas are loaded when first visited, by `components/later` and not by Suspense or as transitions: React draws those
 * at low priority, and the bench, which changes the page sixty times a second, would make it begin a large area anew
 * each time. Each device of the machine view looks at its own values and is a picture of its own, so one that stands
 * still is neither drawn nor painted; devices and terminals out of sight are not looked at. `npm run bench machine`,
 * in Chromium without a graphics card: 49 frames a second (45 to 51) with 60 devices and 100 parts at 1280 x 800, 46
 * (44 to 48) at 1920 x 1080, of which style, layout and painting of the picture take the larger part; the machine of
 * the crimp cell takes 0.64 times as long as its logic; a plan of 80 steps laid out in 0.9 ms, on screen from another
 * area in 0.31 s. `npm run bench proof`: checks of the crimp cell play 4,100 times as fast as the machine (those of
 * the other examples 7,600 to 17,800 times), a core searches 240,000 to 850,000 scans a second with the machine model,
 * all rules of an example with `never faults` among them are decided in 0.8 to 3.7 s.
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
