/** Where the time of a scan goes, and what the first scans after a start would do. */
import { byName } from '../language/words.js';
import type { Image } from '../compile/image.js';
import type { Span } from '../language/source.js';
import { isBool, isScalar } from '../types/type.js';
import { Engine, type EngineOptions, type Snapshot } from './engine.js';
import { FIRST_SCANS, scansUntilDone, timersOf } from './look-ahead.js';
import { formatValue, readLocation } from './paths.js';

export interface ProfilePart {
  /** The rung or statement; calls in it count for it. */ readonly at: Span;
  readonly program: string;
  readonly task: string;
  /** Microseconds. */ readonly micros: number;
}

/**
 * Time of each rung and statement of the programs in the scan that starts at a snapshot, in microseconds: the scan is
 * run up to each of its places again and again, and the quickest run counts. `clock` gives milliseconds. Watched builds
 * only.
 */
export function profileScan(engine: Engine, start: Snapshot, clock: () => number, rounds = 60): readonly ProfilePart[] {
  const { image } = engine;
  const places: { k: number; at: Span; program: number; task: number }[] = [];
  let last = 0;
  for (let k = 0; ; k++) {
    engine.restore(start);
    const h = engine.runSteps(k);
    if (h.done || h.program === image.machine) {
      last = k;
      break;
    }
    if (h.at && h.depth === 0 && h.at.source.origin.kind !== 'library' && h.at.source.origin.kind !== 'deviceKind')
      places.push({ k, at: h.at, program: h.program, task: h.task });
  }
  const stops = [...places.map((p) => p.k), last];
  const best = stops.map(() => Infinity);
  for (let r = 0; r < rounds; r++)
    stops.forEach((k, i) => {
      engine.restore(start);
      const before = clock();
      engine.runSteps(k);
      best[i] = Math.min(best[i]!, clock() - before);
    });
  return places.map((p, i) => ({
    at: p.at,
    program: (image.programs[p.program] ?? image.blocks[p.program - image.programs.length])!,
    task: image.tasks[p.task]?.name ?? '',
    micros: Math.max(0, (best[i + 1]! - best[i]!) * 1000),
  }));
}

export interface FirstOn {
  readonly path: string;
  readonly value: string;
  /** The scan after which it was first so. */ readonly scan: number;
  readonly isOutput: boolean;
}

/** Scans between two looks at whether the time is up. */
const LOOK_EVERY = 64;

/** What the first scans do, and how far was looked. */
export interface FirstScans {
  readonly on: readonly FirstOn[];
  readonly scans: number;
}

/**
 * Tags that the first scans after a start would switch on or set, outputs first; from the initial state or from one
 * with retained values. Ten scans, and past the longest preset of the timers that run by then: a timer that a contact
 * starts at once moves the machine only when it is done; behind the first ten only outputs are looked at. `isOver` may
 * end it sooner:
 * `scans` says how far it came.
 */
export function firstScans(
  image: Image,
  options: EngineOptions,
  state?: Uint8Array,
  isOver: () => boolean = () => false,
): FirstScans {
  const engine = new Engine(image, options);
  engine.restart(state);
  const watched = [...image.symbols.values()]
    .filter(
      (s) => isScalar(s.type) && !s.isView && s.section !== 'hidden' && s.section !== 'input' && !s.name.includes('.'),
    )
    .map((s) => {
      const l = { ...s, path: s.name };
      return { s, l, first: readLocation(engine.view, l) };
    });
  const outputs = watched.filter((w) => w.s.section === 'output');
  const found = new Map<string, FirstOn>();
  let scans = FIRST_SCANS,
    n = 1;
  for (; n <= scans; n++) {
    if (!engine.runScan()) break;
    if (n === FIRST_SCANS) scans += scansUntilDone(engine, timersOf(image));
    if (n > FIRST_SCANS && n % LOOK_EVERY === 0 && isOver()) scans = n;
    for (const w of n > FIRST_SCANS ? outputs : watched) {
      if (found.has(w.s.name)) continue;
      const v = readLocation(engine.view, w.l);
      if (Object.is(v, w.first) || (isBool(w.s.type) && v !== true)) continue;
      found.set(w.s.name, {
        path: w.s.name,
        value: formatValue(w.s.type, v),
        scan: n,
        isOutput: w.s.section === 'output',
      });
    }
  }
  const on = [...found.values()].sort(
    (a, b) => Number(b.isOutput) - Number(a.isOutput) || a.scan - b.scan || byName(a.path, b.path),
  );
  return { on, scans: Math.min(n, scans) };
}
