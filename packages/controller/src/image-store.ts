/**
 * What the kept program was made into, beside it on disk, so that after a power cut it runs without being compiled
 * again. Only a copy: where it is missing, damaged, or of another program or another build of Ferrule, it is made anew.
 */
import { createHash } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { rename, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { deserialize, serialize } from 'node:v8';
import type { Made } from './make.js';

declare const __BUILD__: string | undefined;
/** Names the build that made an image: another one may lay it out otherwise. */
const BUILD = typeof __BUILD__ === 'string' ? __BUILD__ : 'sources';
const CHECK_BYTES = 32;

const sha = (...parts: readonly Uint8Array[]): Buffer => {
  const h = createHash('sha256').update(BUILD);
  for (const p of parts) h.update(p);
  return h.digest();
};

export class ImageStore {
  private readonly file: string;
  constructor(folder: string) {
    this.file = join(folder, 'image.bin');
  }

  /**
   * What the program of this hash was made into, with the condition to record on; undefined where it has to be made.
   */
  read(hash: string, recordWhen = ''): Made | undefined {
    try {
      const bytes = readFileSync(this.file),
        body = bytes.subarray(CHECK_BYTES);
      if (!sha(Buffer.from(hash + recordWhen), body).equals(bytes.subarray(0, CHECK_BYTES))) return undefined;
      const { name, image, wires, stops, outside, noCondition } = deserialize(body) as Omit<Made, 'module'>;
      return {
        name,
        image,
        wires,
        stops,
        outside,
        ...(noCondition ? { noCondition } : {}),
        module: new WebAssembly.Module(image.wasm),
      };
    } catch {
      return undefined;
    }
  }

  /** Keeps it; that it could not be written costs time at the next start, nothing else. */
  async write(hash: string, made: Omit<Made, 'module'>, recordWhen = ''): Promise<void> {
    const { name, image, wires, stops, outside, noCondition } = made,
      body = serialize({ name, image, wires, stops, outside, noCondition });
    try {
      await writeFile(`${this.file}.new`, Buffer.concat([sha(Buffer.from(hash + recordWhen), body), body]));
      await rename(`${this.file}.new`, this.file);
    } catch {
      // It is made anew.
    }
  }
}
