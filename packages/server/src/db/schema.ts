import { index, integer, sqliteTable, text, uniqueIndex } from 'drizzle-orm/sqlite-core';

export const projects = sqliteTable('projects', {
  id: text('id').primaryKey(),
  name: text('name').notNull(),
  /** The project document as JSON text. */
  document: text('document').notNull(),
  /** Counts the saved batches of edits; a client's batch names the revision it was made on. */
  revision: integer('revision').notNull().default(1),
  /** The client's name for the batch saved last: sent again after a lost answer, it is not applied twice. */
  lastBatch: text('last_batch'),
  /** What playing all checks gave last, as JSON: revision, how many, how many did not pass. */
  lastProof: text('last_proof'),
  updatedAt: integer('updated_at').notNull(),
  deletedAt: integer('deleted_at'),
});

/** Every edit as it was made, for the revision history. */
export const edits = sqliteTable(
  'edits',
  {
    id: integer('id').primaryKey({ autoIncrement: true }),
    projectId: text('project_id')
      .notNull()
      .references(() => projects.id, { onDelete: 'cascade' }),
    revision: integer('revision').notNull(),
    edit: text('edit').notNull(),
    madeAt: integer('made_at').notNull(),
  },
  (t) => [index('edits_by_project').on(t.projectId, t.revision)],
);

/**
 * Whole documents of some revisions: those with a name, and enough others that every revision is soon rebuilt from one
 * of them and the edits after it.
 */
export const revisions = sqliteTable(
  'revisions',
  {
    id: integer('id').primaryKey({ autoIncrement: true }),
    projectId: text('project_id')
      .notNull()
      .references(() => projects.id, { onDelete: 'cascade' }),
    revision: integer('revision').notNull(),
    name: text('name'),
    /** What is said about it: lines of text. */
    note: text('note'),
    document: text('document').notNull(),
    madeAt: integer('made_at').notNull(),
  },
  (t) => [uniqueIndex('revisions_by_project').on(t.projectId, t.revision)],
);
