/** What happened at the controller, the newest 5,000 entries, in a small database of its own. */
import { join } from 'node:path';
import Database from 'better-sqlite3';
import { desc, gt, lte, max } from 'drizzle-orm';
import { type BetterSQLite3Database, drizzle } from 'drizzle-orm/better-sqlite3';
import { integer, sqliteTable, text } from 'drizzle-orm/sqlite-core';

const events = sqliteTable('events', {
  id: integer('id').primaryKey({ autoIncrement: true }),
  /** Wall clock, ms since 1970. */
  at: integer('at').notNull(),
  kind: text('kind').notNull(),
  words: text('words').notNull(),
});

export type EventKind = 'power' | 'mode' | 'download' | 'trial' | 'force' | 'fault' | 'link' | 'clock' | 'memory';
export interface LoggedEvent {
  readonly id: number;
  readonly at: number;
  readonly kind: EventKind;
  readonly words: string;
}
const MOST = 5000;

export class EventLog {
  private readonly db: BetterSQLite3Database;
  private readonly client: Database.Database;
  private count = 0;

  /** `folder`: where the file lies, or ':memory:'. Throws where it cannot be opened. */
  constructor(
    folder: string,
    private readonly wallMs: () => number = Date.now,
  ) {
    this.client = new Database(folder === ':memory:' ? folder : join(folder, 'events.sqlite'));
    this.client.pragma('journal_mode = WAL');
    this.client.pragma('synchronous = NORMAL');
    this.client.exec(
      'CREATE TABLE IF NOT EXISTS events (id INTEGER PRIMARY KEY AUTOINCREMENT, at INTEGER NOT NULL, kind TEXT NOT NULL, words TEXT NOT NULL)',
    );
    this.db = drizzle(this.client);
  }

  /** Never throws: a full disk takes the entry, not the machine. */
  add(kind: EventKind, words: string): void {
    try {
      this.db.insert(events).values({ at: this.wallMs(), kind, words }).run();
      if (++this.count % 100 === 0) {
        const newest = this.db
          .select({ id: max(events.id) })
          .from(events)
          .get()?.id;
        if (newest)
          this.db
            .delete(events)
            .where(lte(events.id, newest - MOST))
            .run();
      }
    } catch {
      this.missed++;
    }
  }
  /** Entries that could not be stored. */
  missed = 0;

  /** The newest entries first, only those after `after` where it is given. */
  list(limit = 200, after = 0): readonly LoggedEvent[] {
    return this.db
      .select()
      .from(events)
      .where(gt(events.id, after))
      .orderBy(desc(events.id))
      .limit(limit)
      .all() as LoggedEvent[];
  }
  close(): void {
    this.client.close();
  }
}
