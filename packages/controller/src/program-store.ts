/**
 * The kept program on disk: written whole to a side file, brought to the disk, and renamed, so that a power cut at any
 * moment leaves the old or the new one.
 */
import {
  closeSync,
  existsSync,
  fsyncSync,
  linkSync,
  mkdirSync,
  openSync,
  readFileSync,
  renameSync,
  rmSync,
  writeFileSync,
  writeSync,
} from 'node:fs';
import { join } from 'node:path';
import { type Project, projectText } from '@ferrule/core/document';
import type { Open } from '@ferrule/protocols';
import type { Key, Mode } from './cabinet.js';
import type { Program } from './prepare.js';

/** What a controller is after its power comes: the program, what its key says, and what it was told to do. */
export interface Kept {
  readonly program?: Omit<Program, 'name'>;
  /** Run or stop as told over the network; the key may say otherwise. */
  readonly mode: Mode;
  readonly key: Key;
  readonly isBatteryFlat: boolean;
  /** Cards that are pulled. */ readonly pulled?: readonly string[] | undefined;
  /** The protocols that are open to other programs. */
  readonly open?: Open | undefined;
  /** The condition on which what led to it is recorded, as an expression. */ readonly recordWhen?: string | undefined;
}

/** Files of the first form hold the program beside the mode. */
interface FirstForm {
  readonly project?: Project;
  readonly revision?: number;
  readonly hash?: string;
}

export class ProgramStore {
  private readonly file: string;
  constructor(private readonly folder: string) {
    mkdirSync(folder, { recursive: true });
    this.file = join(folder, 'program.json');
  }

  /** Throws where there is a file that is no kept program; whether its project is one is for who makes it ready. */
  read(): Kept | undefined {
    if (!existsSync(this.file)) return undefined;
    const text = readFileSync(this.file, 'utf8');
    let x: Partial<Kept> & FirstForm;
    try {
      x = JSON.parse(text) as Partial<Kept> & FirstForm;
    } catch (e) {
      // The next program is written in its place: what is left of this one is not lost.
      writeFileSync(`${this.file}.damaged`, text);
      throw e;
    }
    const base = {
      ...(x.recordWhen ? { recordWhen: x.recordWhen } : {}),
      ...(x.open ? { open: x.open } : {}),
      ...(x.pulled?.length ? { pulled: x.pulled } : {}),
      mode: x.mode ?? 'stop',
      key: x.key ?? 'remote',
      isBatteryFlat: x.isBatteryFlat ?? false,
    };
    const { project, revision, hash } = x,
      program =
        x.program ??
        (project && revision !== undefined && hash
          ? { text: projectText(project), revision, hash, takenAt: 0 }
          : undefined);
    return program ? { ...base, program } : base;
  }

  /** Returns once it is on the disk; throws where it cannot be written, and what was there stays. */
  write({ program, mode, key, isBatteryFlat, pulled, recordWhen, open }: Kept): void {
    const of = program && {
      text: program.text,
      revision: program.revision,
      hash: program.hash,
      ...(program.note ? { note: program.note } : {}),
      takenAt: program.takenAt,
    };
    writeWhole(
      this.file,
      this.folder,
      JSON.stringify({
        program: of,
        mode,
        key,
        isBatteryFlat,
        ...(pulled?.length ? { pulled } : {}),
        ...(recordWhen ? { recordWhen } : {}),
        ...(open ? { open } : {}),
      }),
    );
  }
}

/**
 * The new file stands in its place, whether the disk holds it nobody knows, and the one before could not be put back.
 * `cause`: what the disk said.
 */
export class UnsureError extends Error {
  constructor(override readonly cause: Error) {
    super(cause.message);
  }
}

/**
 * Writes a file beside its place, to the disk, then into its place. Throws where the disk does not take it; what was
 * there is there again then, for a name that may not have reached the disk is not said to be there. Throws an
 * `UnsureError` where the disk does not even take that: only writing once more, when it is well, makes sure.
 */
export function writeWhole(file: string, folder: string, text: string | Uint8Array): void {
  const bytes = typeof text === 'string' ? new TextEncoder().encode(text) : text,
    side = openSync(`${file}.new`, 'w');
  try {
    for (let at = 0; at < bytes.length;) at += writeSync(side, bytes, at);
    fsyncSync(side);
  } finally {
    closeSync(side);
  }
  const old = `${file}.old`,
    hadOne = existsSync(file);
  rmSync(old, { force: true });
  if (hadOne) linkSync(file, old);
  const place = openSync(folder, 'r');
  try {
    renameSync(`${file}.new`, file);
    fsyncSync(place);
  } catch (e) {
    try {
      if (hadOne) renameSync(old, file);
      else rmSync(file, { force: true });
    } catch {
      throw new UnsureError(e as Error);
    }
    throw e;
  } finally {
    closeSync(place);
  }
  rmSync(old, { force: true });
}
