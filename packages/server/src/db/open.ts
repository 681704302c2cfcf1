import { mkdirSync } from 'node:fs';
import { dirname, join } from 'node:path';
import Database from 'better-sqlite3';
import { type BetterSQLite3Database, drizzle } from 'drizzle-orm/better-sqlite3';
import { migrate } from 'drizzle-orm/better-sqlite3/migrator';
import * as schema from './schema.js';

export type Db = BetterSQLite3Database<typeof schema> & { readonly $client: Database.Database };

/** Opens the database (creating it) and brings it to the present schema. WAL survives a kill at any moment. */
export function openDatabase(file: string, migrationsFolder: string): Db {
  if (file !== ':memory:') mkdirSync(dirname(file), { recursive: true });
  const client = new Database(file);
  client.pragma('journal_mode = WAL');
  client.pragma('synchronous = FULL');
  client.pragma('foreign_keys = ON');
  const db = drizzle(client, { schema }) as Db;
  migrate(db, { migrationsFolder });
  return db;
}

/** Folds what was written last into the database file and closes it: a copy of the file alone is whole then. */
export function closeDatabase(db: Db): void {
  db.$client.pragma('wal_checkpoint(TRUNCATE)');
  db.$client.close();
}

/**
 * Holds a folder for this process, until it ends in whatever way: the system lets go of the lock then. False where
 * another one holds it: two servers on one database would refuse each other's edits.
 */
export function holdFolder(folder: string): boolean {
  mkdirSync(folder, { recursive: true });
  const lock = new Database(join(folder, 'in-use.db'), { timeout: 0 });
  try {
    lock.exec('BEGIN EXCLUSIVE');
    held.add(lock);
    return true;
  } catch (e) {
    lock.close();
    if ((e as { code?: string }).code?.startsWith('SQLITE_BUSY')) return false;
    throw e;
  }
}
/** Kept, so that nothing closes them. */
const held = new Set<Database.Database>();
