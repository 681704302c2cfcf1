/**
 * Retained values on disk: two records written in turn, each with a number, the layout that it belongs to and a
 * checksum. A cut at any byte of one leaves the other: the last whole set. Read back is the newest whole record of the
 * layout asked for.
 */
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { open } from 'node:fs/promises';
import { join } from 'node:path';
import { type Image, type RetainedPlace, retainedLayout, retainedPlaces } from '@ferrule/core/bench';

/** Retained bytes of an image in the order of their places, and the name of how they lie. */
export interface Retained {
  readonly layout: string;
  readonly bytes: Uint8Array;
}

const sha = (x: string): string => createHash('sha256').update(x).digest('hex');
const known = new WeakMap<Image, { readonly places: readonly RetainedPlace[]; readonly layout: string }>();
function placesOf(image: Image) {
  let of = known.get(image);
  if (!of) known.set(image, (of = { places: retainedPlaces(image), layout: sha(retainedLayout(image)) }));
  return of;
}
/** How many tags and variables a program retains. */
export const retainedCount = (image: Image): number => placesOf(image).places.length;

/** What a program retains, as it is in memory. */
export function retainedOf(image: Image, memory: Uint8Array): Retained {
  const { places, layout } = placesOf(image),
    parts = places.map((p) =>
      p.bit === undefined ? memory.slice(p.from, p.to) : Uint8Array.of((memory[p.from]! >> p.bit) & 1),
    );
  return { layout, bytes: Buffer.concat(parts) };
}

/** Puts retained values into a state; false where they are of another layout. */
export function putRetained(image: Image, state: Uint8Array, retained: Retained): boolean {
  const { places, layout } = placesOf(image);
  if (layout !== retained.layout) return false;
  let at = 0;
  for (const p of places) {
    if (p.bit === undefined) {
      state.set(retained.bytes.subarray(at, at + p.to - p.from), p.from);
      at += p.to - p.from;
    } else {
      const bit = 1 << p.bit;
      state[p.from] = retained.bytes[at++] ? state[p.from]! | bit : state[p.from]! & ~bit;
    }
  }
  return true;
}

interface Written extends Retained {
  readonly number: number;
}

export class RetainedStore {
  private readonly files: readonly [string, string];
  private number = 0;
  private last: Retained | undefined;
  private isWriting = false;

  constructor(folder: string) {
    mkdirSync(folder, { recursive: true });
    this.files = [join(folder, 'retained-a.json'), join(folder, 'retained-b.json')];
    this.number = Math.max(0, ...this.records().map((r) => r.number));
  }

  /** The newest whole record of a layout. */
  read(layout: string): Retained | undefined {
    return this.records()
      .filter((r) => r.layout === layout)
      .sort((a, b) => b.number - a.number)[0];
  }

  /** Returns once it is on the disk. Throws where it cannot be written. */
  write(retained: Retained): void {
    if (this.isSame(retained)) return;
    writeFileSync(this.next(), this.text(retained), { flush: true });
    this.last = retained;
  }

  /** Writes without holding up the scan; what is being written already is not waited for. */
  async writeSoon(retained: Retained): Promise<void> {
    if (this.isWriting || this.isSame(retained)) return;
    this.isWriting = true;
    try {
      const file = await open(this.next(), 'w');
      try {
        await file.writeFile(this.text(retained));
        await file.sync();
        this.last = retained;
      } finally {
        await file.close();
      }
    } finally {
      this.isWriting = false;
    }
  }

  /** The battery is flat: nothing is known any more. */
  lose(): void {
    for (const f of this.files) rmSync(f, { force: true });
    this.last = undefined;
  }

  private isSame(r: Retained): boolean {
    return this.last?.layout === r.layout && Buffer.compare(this.last.bytes, r.bytes) === 0;
  }
  private next(): string {
    return this.files[++this.number % 2]!;
  }
  private text({ layout, bytes }: Retained): string {
    const body = JSON.stringify({ number: this.number, layout, bytes: Buffer.from(bytes).toString('base64') });
    return `${sha(body)}\n${body}`;
  }
  private records(): Written[] {
    return this.files.flatMap((f) => {
      if (!existsSync(f)) return [];
      const text = readFileSync(f, 'utf8'),
        end = text.indexOf('\n'),
        body = text.slice(end + 1);
      if (end < 0 || sha(body) !== text.slice(0, end)) return [];
      const x = JSON.parse(body) as { number: number; layout: string; bytes: string };
      return [{ ...x, bytes: new Uint8Array(Buffer.from(x.bytes, 'base64')) }];
    });
  }
}
