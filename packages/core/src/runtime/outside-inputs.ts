/**
 * Inputs as another program gives them: put in before each scan, as events, so that what was run can be run again
 * without it.
 */
import type { Location } from '../compile/image.js';
import { baseOf } from '../types/type.js';
import { pulledTags } from './cards.js';
import { OUTSIDE_LOST } from './given.js';
import type { Engine, Force } from './engine.js';
import { type Value, findPath, readLocation } from './paths.js';
import type { BenchEvent } from './stretch.js';

export interface OutsideInput {
  readonly path: string;
  /** Its value while nothing comes. */ readonly rest: Value;
}

export class OutsideInputs {
  private readonly values = new Map<string, Value | undefined>();
  private isLost = true;
  private readonly places = new WeakMap<object, Map<string, Location | undefined>>();

  /**
   * What came since: undefined for a value that cannot be trusted. `isLost`: the link is away, and with it every value.
   */
  take(values: readonly (readonly [string, Value | undefined])[], isLost: boolean): void {
    this.isLost = isLost;
    if (isLost) this.values.clear();
    else for (const [path, value] of values) this.values.set(path.toLowerCase(), value);
  }

  /**
   * What is to be written before the coming scan: where an input holds something else than what came; forced ones, and
   * those whose card is pulled, are left alone.
   */
  due(engine: Engine, inputs: readonly OutsideInput[]): BenchEvent[] {
    if (!inputs.length) return [];
    const forced = new Set(engine.listForces().map((f) => f.path.toLowerCase())),
      pulled = this.pulledIn(engine),
      events: BenchEvent[] = [];
    const put = (path: string, value: Value) => {
      const at = this.placeOf(engine, path);
      if (!at || forced.has(path.toLowerCase()) || pulled.has(path.toLowerCase())) return;
      const now = readLocation(engine.view, at),
        wanted = baseOf(at.type) === 'REAL' ? Math.fround(value as number) : value;
      if (!Object.is(now, wanted)) events.push({ kind: 'write', path, value: wanted });
    };
    for (const { path, rest } of inputs) put(path, this.values.get(path.toLowerCase()) ?? rest);
    put(OUTSIDE_LOST, this.isLost);
    return events;
  }

  private pulled: { readonly by: readonly Force[]; readonly tags: ReadonlySet<string> } | undefined;
  private pulledIn(engine: Engine): ReadonlySet<string> {
    const by = engine.pulledCards;
    if (this.pulled?.by !== by) this.pulled = { by, tags: pulledTags(engine.image, by) };
    return this.pulled.tags;
  }

  private placeOf(engine: Engine, path: string): Location | undefined {
    let known = this.places.get(engine);
    if (!known) this.places.set(engine, (known = new Map()));
    if (!known.has(path)) {
      const found = findPath(engine.image, path);
      known.set(path, 'location' in found ? found.location : undefined);
    }
    return known.get(path);
  }
}
