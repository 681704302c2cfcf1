/**
 * A disk that fills up, breaks or becomes read-only in the middle of a write: a small library before a process
 * (disk.c).
 */
import { spawnSync } from 'node:child_process';
import { closeSync, openSync, readSync, writeFileSync, writeSync } from 'node:fs';
import { constants } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { expect } from '@playwright/test';

/** What a disk says: full, broken, read-only. */
export const FAULTS = [constants.errno.ENOSPC, constants.errno.EIO, constants.errno.EROFS];

export class Disk {
  private readonly file: string;
  private readonly fd: number;
  readonly env: Record<string, string>;
  constructor(place: string, folder: string) {
    const library = join(place, 'disk.so'),
      made = spawnSync(
        'gcc',
        [
          '-shared',
          '-fPIC',
          '-O1',
          '-Wall',
          '-o',
          library,
          join(dirname(fileURLToPath(import.meta.url)), 'disk.c'),
          '-ldl',
        ],
        {
          encoding: 'utf8',
        },
      );
    expect(made.stderr, 'gcc is needed for this test (Debian: apt-get install gcc libc6-dev)').toBe('');
    this.file = join(place, 'fault');
    writeFileSync(this.file, Buffer.alloc(16));
    this.fd = openSync(this.file, 'r+');
    this.env = { LD_PRELOAD: library, DISK_FAULT: this.file, DISK_FOLDER: folder };
  }
  /**
   * From the write after `well` more on every one is refused with `errno`; the first is done by half where it is
   * `torn`.
   */
  break(errno: number, well: number, torn: boolean): void {
    writeSync(this.fd, new Uint8Array(new Int32Array([errno, well, 0, torn ? 1 : 0]).buffer), 0, 16, 0);
  }
  /** Well again. Gives how many writes were refused meanwhile. */
  mend(): number {
    const now = new Int32Array(4);
    readSync(this.fd, new Uint8Array(now.buffer), 0, 16, 0);
    this.break(0, 0, false);
    return now[2]!;
  }
  close(): void {
    closeSync(this.fd);
  }
}
