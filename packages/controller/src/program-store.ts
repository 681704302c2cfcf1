/** The program on disk: written whole to a side file and renamed, so that a power cut leaves the old or the new one. */
import { existsSync, mkdirSync, readFileSync, renameSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Program } from './runner.js';

export class ProgramStore {
  private readonly file: string;
  constructor(folder: string) {
    mkdirSync(folder, { recursive: true });
    this.file = join(folder, 'program.json');
  }
  read(): (Program & { mode: 'run' | 'stop' }) | undefined {
    if (!existsSync(this.file)) return undefined;
    return JSON.parse(readFileSync(this.file, 'utf8')) as Program & { mode: 'run' | 'stop' };
  }
  write(program: Program, state: 'run' | 'stop'): void {
    const { project, revision, hash } = program;
    writeFileSync(`${this.file}.new`, JSON.stringify({ project, revision, hash, mode: state }));
    renameSync(`${this.file}.new`, this.file);
  }
}
