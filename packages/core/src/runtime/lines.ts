/**
 * Which stretches of the bench's time there are, and which of them make a line: every stretch knows the one it goes on
 * from, a line is known by its last. What lay after a moment that was gone on from otherwise stays on a line of its own
 * (five are kept, with up to twelve versions of the logic). Keeps the key snapshots within their budget.
 */
import type { Image } from '../compile/image.js';
import type { Engine, EngineOptions, Snapshot } from './engine.js';
import { type Beginning, type BenchEvent, type Key, type Stretch, addTrace, eventsOf } from './stretch.js';
import { BLOCK } from './trace.js';

/** A line of history as people see it. */
export interface Line {
  readonly id: number;
  readonly beginning: Beginning;
  /** Where it leaves the line before it; 0 for one from the start. */ readonly from: number;
  readonly end: number;
  readonly isCurrent: boolean;
}

const FIRST_KEY_DISTANCE = BLOCK;
const MOST_LINES = 5,
  MOST_IMAGES = 12;
/** Bytes of key snapshots up to which all are kept. */
export const HISTORY_BUDGET = 256 * 1024 * 1024;

export class Lines {
  /** The last stretch of the current line. */
  leaf: Stretch;
  /** Scans between two keys. */
  keyDistance = FIRST_KEY_DISTANCE;
  /** Bytes of keys and marks. */
  keyBytes = 0;
  /** Last stretches of the lines that are kept, the current one among them, oldest first. */
  private leaves: Stretch[];
  private counter = 0;

  constructor(
    image: Image,
    options: EngineOptions,
    first: Snapshot,
    private readonly budgetBytes: number,
  ) {
    this.leaf = this.make(image, options, first, 'start', undefined, []);
    this.leaves = [this.leaf];
  }

  /** A stretch that is on no line yet. @param traced paths that are recorded from its beginning on */
  make(
    image: Image,
    options: EngineOptions,
    first: Snapshot,
    beginning: Beginning,
    parent: Stretch | undefined,
    traced: Iterable<string>,
  ): Stretch {
    const s: Stretch = {
      id: ++this.counter,
      image,
      options,
      from: first.scan,
      parent,
      beginning,
      keys: [{ ...first, changed: undefined }],
      changedTogether: [],
      events: new Map(),
      end: first.scan,
      traces: new Map(),
      isFollowed: true,
    };
    this.keyBytes += first.bytes.length;
    for (const p of traced) addTrace(s, p);
    return s;
  }

  /** The first moment of the current line that can be shown. */
  get start(): number {
    return this.chain()[0]!.from;
  }
  /** Scans done on the current line in all. */
  get end(): number {
    return this.leaf.end;
  }

  /** Stretches of a line, oldest first. */
  chain(leaf = this.leaf): Stretch[] {
    const list: Stretch[] = [];
    for (let s: Stretch | undefined = leaf; s; s = s.parent) list.unshift(s);
    return list;
  }
  /** The stretch that ran the scan before this moment. */
  before(scan: number, leaf = this.leaf): Stretch {
    let s = leaf;
    while (s.from >= scan && s.parent) s = s.parent;
    return s;
  }
  /** The stretch that runs the scan after this moment. */
  after(scan: number): Stretch {
    let s = this.leaf;
    while (s.from > scan && s.parent) s = s.parent;
    return s;
  }
  /** All that any line is made of. */
  all(): Set<Stretch> {
    return new Set(this.leaves.flatMap((l) => this.chain(l)));
  }
  /** A line by its number; undefined when it is no longer kept. */
  line(id: number): Stretch | undefined {
    return this.leaves.find((l) => l.id === id);
  }

  list(): readonly Line[] {
    return this.leaves.map((l) => {
      const own = this.chain(l);
      // The stretch where the line leaves what other lines share with it.
      const first = [...own].reverse().find((s) => s.beginning !== 'changed logic') ?? own[0]!;
      return { id: l.id, beginning: first.beginning, from: first.from, end: l.end, isCurrent: l === this.leaf };
    });
  }
  /** The moments at which stretches of the current line begin: where it is made of other logic or inputs. */
  seams(): readonly { readonly scan: number; readonly beginning: Beginning }[] {
    return this.chain()
      .slice(1)
      .map((s) => ({ scan: s.from, beginning: s.beginning }));
  }

  /** The line of this stretch is the current one from now on; what is kept of the one before depends on what it holds. */
  begin(s: Stretch): void {
    const old = this.leaf;
    old.isFollowed = false;
    // A line of which the whole stays in the new one's past needs no place of its own.
    const isPast = s.parent === old && s.from === old.end;
    this.leaves = [...this.leaves.filter((l) => l !== old || (!isPast && l.end > l.from)), s];
    while (this.leaves.length > MOST_LINES) this.leaves.shift();
    this.leaf = s;
    this.dropOldImages();
    this.recount();
  }
  /** Goes on with another line that is kept. */
  switchTo(leaf: Stretch): void {
    this.leaf.isFollowed = false;
    this.leaf = leaf;
    leaf.isFollowed = false;
  }
  /** A line is forgotten; the current one stays. */
  drop(id: number): void {
    if (id === this.leaf.id) return;
    this.leaves = this.leaves.filter((l) => l.id !== id);
    this.recount();
  }
  /** The current line, of which nothing was run, leaves no trace when another begins. */
  forgetCurrent(): void {
    this.leaves = this.leaves.filter((l) => l !== this.leaf);
  }

  /** Only so many versions of the logic are kept: what the oldest ran can no longer be shown. */
  private dropOldImages(): void {
    const chain = this.chain();
    const images = [...new Set(chain.map((s) => s.image))];
    if (images.length <= MOST_IMAGES) return;
    const gone = new Set(images.slice(0, images.length - MOST_IMAGES));
    for (const s of chain)
      if (s.parent && gone.has(s.parent.image) && !gone.has(s.image))
        (s as { parent?: Stretch | undefined }).parent = undefined;
  }

  /** What the engine holds at the end of the current line becomes a key, if one is due. */
  keepKey(engine: Engine): void {
    const s = this.leaf;
    if (s.end % this.keyDistance) return;
    const changed = engine.takeMarks();
    s.keys.push({ ...engine.snapshot(), changed: s.isFollowed ? changed : undefined });
    s.isFollowed = true;
    this.keyBytes += engine.image.stateSize + changed.length;
    if (this.keyBytes > this.budgetBytes) this.thin();
  }
  /** Half of the key snapshots go; what changed between those that stay is kept together. */
  private thin(): void {
    this.keyDistance *= 2;
    for (const s of this.all()) {
      const keys: Key[] = [s.keys[0]!];
      let changed: Uint8Array | undefined,
        isFollowed = true;
      for (const k of s.keys.slice(1)) {
        if (!k.changed) isFollowed = false;
        else if (changed) {
          const sum: Uint8Array = changed;
          k.changed.forEach((b, i) => {
            sum[i]! |= b;
          });
        } else changed = k.changed.slice();
        if (k.scan % this.keyDistance) continue;
        keys.push({ ...k, changed: isFollowed ? changed : undefined });
        changed = undefined;
        isFollowed = true;
      }
      if (changed || !isFollowed) s.isFollowed = false;
      s.keys = keys;
      s.changedTogether.length = 0;
    }
    this.recount();
  }
  private recount(): void {
    this.keyBytes = [...this.all()].reduce(
      (n, s) => n + s.keys.reduce((m, k) => m + k.bytes.length + (k.changed?.length ?? 0), 0),
      0,
    );
  }

  /** Stretches of the current line that today's logic ran without being changed in between. */
  recorded(): Stretch[] {
    const chain = this.chain();
    const from = chain.findLastIndex((s) => s.beginning === 'changed logic' || s.image !== this.leaf.image);
    return chain.slice(from < 0 ? 0 : chain[from]!.image === this.leaf.image ? from : from + 1);
  }
  /** Everything that came from outside on the current line; what was forced at its start comes first. */
  doneOutside(): { scan: number; event: BenchEvent }[] {
    const chain = this.chain();
    return [
      ...chain[0]!.keys[0]!.forces.map((f) => ({ scan: chain[0]!.from, event: { kind: 'force' as const, ...f } })),
      ...eventsOf(chain),
    ];
  }
}
