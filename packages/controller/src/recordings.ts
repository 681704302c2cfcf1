/**
 * Recordings that were kept: on a fault, and by hand. The newest twenty, in a database of their own, each a file of a
 * run.
 */
import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { Worker } from 'node:worker_threads';
import Database from 'better-sqlite3';
import { desc, eq, notInArray } from 'drizzle-orm';
import { type BetterSQLite3Database, drizzle } from 'drizzle-orm/better-sqlite3';
import { integer, sqliteTable, text } from 'drizzle-orm/sqlite-core';
import type { RunFile, Work } from './make-run.js';
import type { Program } from './prepare.js';
import type { Stretch } from './recorder.js';

const recordings = sqliteTable('recordings', {
  id: integer('id').primaryKey({ autoIncrement: true }),
  at: integer('at').notNull(),
  why: text('why').notNull(),
  program: text('program').notNull(),
  scans: integer('scans').notNull(),
  ms: integer('ms').notNull(),
  run: text('run').notNull(),
});
export interface KeptRecording {
  readonly id: number;
  /** Wall clock, ms since 1970. */ readonly at: number;
  readonly why: string;
  /** Which program it is of. */ readonly program: string;
  readonly scans: number;
  /** How much time of the machine it holds. */ readonly ms: number;
}
const MOST = 20;

export class RecordingStore {
  private readonly client: Database.Database;
  private readonly db: BetterSQLite3Database;
  constructor(folder: string) {
    this.client = new Database(join(folder, 'recordings.sqlite'));
    this.client.pragma('journal_mode = WAL');
    this.client.exec(
      'CREATE TABLE IF NOT EXISTS recordings (id INTEGER PRIMARY KEY AUTOINCREMENT, at INTEGER NOT NULL, why TEXT NOT NULL, program TEXT NOT NULL, scans INTEGER NOT NULL, ms INTEGER NOT NULL, run TEXT NOT NULL)',
    );
    this.db = drizzle(this.client);
  }

  /** Plays the stretch beside the scan to find the bytes that it ends in, and keeps it. Gives its number. */
  async add(program: Program, stretch: Stretch, why: string, at: number): Promise<number> {
    const run = await fileOf(program, stretch, why),
      scans = stretch.end - stretch.first.scan;
    const { id } = this.db
      .insert(recordings)
      .values({
        at,
        why,
        program: `${program.name}, rev ${program.revision}`,
        scans,
        ms: Math.round(scans * run.scanMs),
        run: run.text,
      })
      .returning({ id: recordings.id })
      .get();
    const newest = this.db
      .select({ id: recordings.id })
      .from(recordings)
      .orderBy(desc(recordings.id))
      .limit(MOST)
      .all();
    this.db
      .delete(recordings)
      .where(
        notInArray(
          recordings.id,
          newest.map((r) => r.id),
        ),
      )
      .run();
    return id;
  }

  list(): readonly KeptRecording[] {
    const { id, at, why, program, scans, ms } = recordings;
    return this.db.select({ id, at, why, program, scans, ms }).from(recordings).orderBy(desc(id)).all();
  }
  /** The file of a run, as text. */
  read(id: number): string | undefined {
    return this.db.select({ run: recordings.run }).from(recordings).where(eq(recordings.id, id)).get()?.run;
  }
  close(): void {
    this.client.close();
  }
}

const THREAD = new URL('./recording-worker.mjs', import.meta.url);
async function fileOf(program: Program, stretch: Stretch, why: string): Promise<RunFile> {
  const work: Work = { text: program.text, stretch, why };
  if (!existsSync(THREAD)) return (await import('./make-run.js')).makeRun(work);
  return new Promise((resolve, reject) => {
    const thread = new Worker(THREAD, { workerData: work });
    thread.once('message', (m: { run: RunFile } | { error: string }) => {
      if ('run' in m) resolve(m.run);
      else reject(new Error(m.error));
    });
    thread.once('error', reject);
    thread.once('exit', () => reject(new Error('The thread that makes the recording ended.')));
  });
}
