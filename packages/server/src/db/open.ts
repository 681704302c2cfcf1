import { mkdirSync } from 'node:fs';
import { dirname } from 'node:path';
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
