/** A database that is damaged is set aside, and what is whole in it goes into a new one. */
import { existsSync, renameSync } from 'node:fs';
import { parseProject } from '@ferrule/core/schema';
import { type Project, projectInOrder } from '@ferrule/core/document';
import Database from 'better-sqlite3';

/** A project as it was last whole, and those of its revisions with a name that are. */
export interface Rescued {
  readonly id: string;
  readonly project: Project;
  /** Whether it is what was stored last, not an earlier revision. */ readonly isLatest: boolean;
  readonly named: readonly { readonly name: string; readonly note?: string; readonly project: Project }[];
}
export interface Rescue {
  /** Where the damaged one lies now. */ readonly aside: string;
  readonly projects: readonly Rescued[];
  /** Projects of which nothing whole was found, by their id. */ readonly lost: readonly string[];
}

const TABLES = ['projects', 'revisions', 'edits'];

/** What a file is: ours (or empty, or not there), damaged, or the database of another program. */
export function stateOf(file: string): 'ours' | 'damaged' | 'foreign' {
  if (file === ':memory:' || !existsSync(file)) return 'ours';
  let client: Database.Database | undefined;
  try {
    client = new Database(file, { fileMustExist: true });
    const [check] = client.pragma('quick_check(1)') as { quick_check: string }[];
    if (check?.quick_check !== 'ok') return 'damaged';
    const tables = (
      client.prepare("SELECT name FROM sqlite_master WHERE type = 'table' AND name NOT LIKE 'sqlite_%'").all() as {
        name: string;
      }[]
    ).map((t) => t.name);
    return !tables.length || TABLES.every((t) => tables.includes(t)) || tables.includes('__drizzle_migrations')
      ? 'ours'
      : 'foreign';
  } catch (e) {
    const { code = '' } = e as { code?: string };
    if (/^SQLITE_(CORRUPT|NOTADB)/.test(code)) return 'damaged';
    throw e;
  } finally {
    client?.close();
  }
}

/** Sets the file aside and reads what is whole in it; `stamp` names it. */
export function rescue(file: string, stamp: string): Rescue {
  const aside = file.replace(/(\.db)?$/, `-damaged-${stamp}.db`);
  // What was written last lies beside it, and belongs to it.
  for (const end of ['', '-wal', '-shm']) if (existsSync(file + end)) renameSync(file + end, aside + end);
  const found = new Map<
    string,
    {
      latest?: Project;
      earlier?: { revision: number; project: Project };
      named: { name: string; note?: string; project: Project }[];
    }
  >();
  const of = (id: string) => {
    let f = found.get(id);
    if (!f) found.set(id, (f = { named: [] }));
    return f;
  };
  let client: Database.Database | undefined;
  try {
    client = new Database(aside, { readonly: true, fileMustExist: true });
    for (const row of rowsOf(client, 'projects')) {
      if (typeof row['id'] !== 'string' || row['deleted_at'] !== null) continue;
      const project = wholeOf(row['document']);
      const f = of(row['id']);
      if (project) f.latest = project;
    }
    for (const row of rowsOf(client, 'revisions')) {
      const { project_id: id, revision, name, note } = row;
      const project = wholeOf(row['document']);
      if (typeof id !== 'string' || typeof revision !== 'number' || !project) continue;
      const f = of(id);
      if (typeof name === 'string') f.named.push({ name, ...(typeof note === 'string' ? { note } : {}), project });
      if (!f.earlier || f.earlier.revision < revision) f.earlier = { revision, project };
    }
  } catch {
    // There is nothing in it that could be read.
  } finally {
    client?.close();
  }
  const projects: Rescued[] = [],
    lost: string[] = [];
  for (const [id, { latest, earlier, named }] of found) {
    const project = latest ?? earlier?.project;
    if (project) projects.push({ id, project, isLatest: latest !== undefined, named });
    else lost.push(id);
  }
  return { aside, projects, lost };
}

/** Row by row: one that cannot be read does not hide the others. */
function* rowsOf(client: Database.Database, table: string): Generator<Record<string, unknown>> {
  const seen = new Set<unknown>();
  // From both ends, past what is damaged in the middle.
  for (const order of ['ASC', 'DESC'] as const) {
    try {
      for (const row of client.prepare(`SELECT rowid AS at, * FROM ${table} ORDER BY rowid ${order}`).iterate()) {
        const { at, ...rest } = row as Record<string, unknown>;
        if (seen.has(at)) continue;
        seen.add(at);
        yield rest;
      }
      return;
    } catch {
      // The next order comes from the other side.
    }
  }
}
function wholeOf(text: unknown): Project | undefined {
  if (typeof text !== 'string') return undefined;
  const parsed = parseProject(text);
  return 'project' in parsed ? projectInOrder(parsed.project) : undefined;
}

/** For who starts the server. */
export function rescueWords({ aside, projects, lost }: Rescue): string {
  const earlier = projects.filter((p) => !p.isLatest).map((p) => `'${p.project.name}'`);
  return [
    `The database was damaged. It lies now at ${aside}.`,
    projects.length
      ? `${projects.length} project${projects.length === 1 ? ' was' : 's were'} whole in it and ${projects.length === 1 ? 'is' : 'are'} brought over, without the single edits between revisions.`
      : 'Nothing whole was found in it.',
    ...(earlier.length ? [`Of ${earlier.join(', ')} only an earlier revision was whole.`] : []),
    ...(lost.length ? [`Of ${lost.length} more nothing was.`] : []),
  ].join(' ');
}
