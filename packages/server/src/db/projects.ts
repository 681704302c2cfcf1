/** Projects in the database. All SQL of the server stands here. */
import { randomUUID } from 'node:crypto';
import { type Edit, type Project, applyEdit } from '@ferrule/core';
import { and, desc, eq, isNotNull, isNull } from 'drizzle-orm';
import { problem } from '../problem.js';
import type { Db } from './open.js';
import { edits, projects } from './schema.js';

export interface StoredProject { readonly id: string; readonly revision: number; readonly document: Project }
export interface ProjectSummary { readonly id: string; readonly name: string; readonly revision: number; readonly updatedAt: number }

export class ProjectStore {
  constructor(private readonly db: Db, private readonly clock: () => number) {}

  list(): ProjectSummary[] {
    return this.db.select({ id: projects.id, name: projects.name, revision: projects.revision, updatedAt: projects.updatedAt }).from(projects).where(isNull(projects.deletedAt)).orderBy(desc(projects.updatedAt)).all();
  }

  create(document: Project, id: string = randomUUID()): StoredProject {
    this.db.insert(projects).values({ id, name: document.name, document: JSON.stringify(document), revision: 1, updatedAt: this.clock() }).run();
    return { id, revision: 1, document };
  }

  has(id: string): boolean {
    return this.db.select({ id: projects.id }).from(projects).where(eq(projects.id, id)).get() !== undefined;
  }

  get(id: string): StoredProject {
    const row = this.db.select().from(projects).where(and(eq(projects.id, id), isNull(projects.deletedAt))).get();
    if (!row) throw problem('PROJECT_NOT_FOUND', `There is no project '${id}'.`);
    return { id: row.id, revision: row.revision, document: JSON.parse(row.document) as Project };
  }

  /** Applies a batch made on revision `base`; all of it or nothing. */
  edit(id: string, base: number, batch: readonly Edit[], name?: string): { revision: number } {
    return this.db.transaction((tx) => {
      const now = this.get(id);
      if (name !== undefined && now.revision === base + 1 && this.db.select({ last: projects.lastBatch }).from(projects).where(eq(projects.id, id)).get()?.last === name) return { revision: now.revision };
      if (now.revision !== base) throw problem('REVISION_CONFLICT', `The project is at revision ${now.revision}; these changes were made on ${base}.`, { revision: now.revision });
      let document = now.document;
      for (const [i, e] of batch.entries()) {
        const r = applyEdit(document, e);
        if ('refused' in r) throw problem('EDIT_REFUSED', `edits.${i}: ${r.refused}`);
        document = r.project;
      }
      const revision = now.revision + 1;
      const at = this.clock();
      tx.update(projects).set({ document: JSON.stringify(document), name: document.name, revision, lastBatch: name ?? null, updatedAt: at }).where(eq(projects.id, id)).run();
      for (const e of batch) tx.insert(edits).values({ projectId: id, revision, edit: JSON.stringify(e), madeAt: at }).run();
      return { revision };
    });
  }

  remove(id: string): void {
    this.get(id);
    this.db.update(projects).set({ deletedAt: this.clock() }).where(eq(projects.id, id)).run();
  }

  restore(id: string): StoredProject {
    const changed = this.db.update(projects).set({ deletedAt: null }).where(and(eq(projects.id, id), isNotNull(projects.deletedAt))).run();
    if (!changed.changes) throw problem('PROJECT_NOT_FOUND', `There is no deleted project '${id}'.`);
    return this.get(id);
  }
}
