/**
 * How far a look ahead has to go: past the presets of the timers that run from its beginning, so that none of them
 * surprises.
 */
import type { Image, Location } from '../compile/image.js';
import { type Type, baseOf, sizeOf } from '../types/type.js';
import type { Engine } from './engine.js';
import { readLocation } from './paths.js';

/** A block with a time that runs against a preset, such as TON, TOF and TP. */
interface Timer {
  readonly et: Location;
  readonly pt: Location;
}
/** Scans that are always looked at. */
export const FIRST_SCANS = 10;
/** No further than this much simulated time, in ns: ten minutes. */
const MOST_NS = 600_000_000_000n;
const MOST_TIMERS = 20_000;

/**
 * Every timer of the logic, in tags, in programs and in blocks and arrays inside them; the machine's own are none of
 * them.
 */
export function timersOf(image: Image): readonly Timer[] {
  const found: Timer[] = [];
  const look = (type: Type, address: number, depth: number): void => {
    if (found.length >= MOST_TIMERS || depth > 12) return;
    if (type.kind === 'struct' || type.kind === 'block') {
      const members = type.kind === 'struct' ? type.members : type.layout.members;
      const named = (name: string) => members.find((m) => m.name.toUpperCase() === name);
      const [et, pt] = [named('ET'), named('PT')];
      const isTime = (t: Type) => /^L?TIME$/.test(baseOf(t) ?? '');
      if (et && pt && isTime(et.type) && isTime(pt.type)) {
        const at = (m: { readonly type: Type; readonly offset: number }): Location => ({
          type: m.type,
          address: address + m.offset,
          path: '',
          section: '',
        });
        found.push({ et: at(et), pt: at(pt) });
        return;
      }
      for (const m of members) look(m.type, address + m.offset, depth + 1);
    } else if (type.kind === 'array' && !type.open) {
      const count = type.bounds.reduce((n, d) => n * (d.high - d.low + 1), 1),
        size = count ? sizeOf(type) / count : 0;
      if (type.element.kind !== 'elementary')
        for (let i = 0; i < count && found.length < MOST_TIMERS; i++) look(type.element, address + i * size, depth + 1);
    }
  };
  for (const s of image.symbols.values())
    if (!s.isView && !s.name.includes('.') && s.name.toLowerCase() !== 'machine') look(s.type, s.address, 0);
  return found;
}

/** Scans from this moment until the timers that run now are done, with some to see what follows; 0 where none runs. */
export function scansUntilDone(engine: Engine, timers: readonly Timer[]): number {
  let longest = 0n;
  for (const { et, pt } of timers) {
    const [at, of] = [readLocation(engine.view, et), readLocation(engine.view, pt)].map((v) =>
      typeof v === 'bigint' ? v : 0n,
    ) as [bigint, bigint];
    if (at > 0n && at < of && of - at > longest) longest = of - at;
  }
  if (longest === 0n) return 0;
  const ns = longest > MOST_NS ? MOST_NS : longest;
  return Number((ns + engine.stepNs - 1n) / engine.stepNs) + FIRST_SCANS;
}
