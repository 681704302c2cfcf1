/**
 * Projects in the database. All SQL of the server stands here.
 *
 * The database keeps whole documents of named revisions and of every hundredth one; any other is rebuilt from the
 * nearest one before it and the edits since. Bringing one back is an edit (`replace`) like any other and can be
 * undone.
 */
import { randomUUID } from 'node:crypto';
import {
  type Edit,
  type Project,
  type ProjectAbout,
  aboutProject,
  applyEdit,
  editText,
  projectInOrder,
} from '@ferrule/core/document';
import { documentProblems } from '@ferrule/core/schema';
import { and, asc, desc, eq, gt, isNotNull, isNull, lte } from 'drizzle-orm';
import { problem } from '../problem.js';
import type { Db } from './open.js';
import type { Rescued } from './rescue.js';
import { edits, projects, revisions } from './schema.js';

export interface StoredProject {
  readonly id: string;
  readonly revision: number;
  readonly document: Project;
}
export interface ProjectSummary {
  readonly id: string;
  readonly name: string;
  readonly revision: number;
  readonly updatedAt: number;
  /** What playing all checks gave last, and on which revision. */ readonly proof?: LastProof;
}
export interface LastProof {
  readonly revision: number;
  readonly count: number;
  readonly failed: number;
  /** What nothing has looked at; missing in what was noted before there was such a thing. */
  readonly open?: number;
}

/** A stretch of work: edits with no long pause between them, or a revision that was given a name. */
export interface RevisionSummary {
  readonly revision: number;
  readonly name?: string;
  /** What was said about it: lines of text. */ readonly note?: string;
  readonly madeAt: number;
  /** Edits since the one before in the list. */ readonly edits: number;
}

const PAUSE_MS = 10 * 60_000,
  SNAPSHOT_EVERY = 100;

/** JSON that may be damaged. */
function parsed(text: string): unknown {
  try {
    return JSON.parse(text) as unknown;
  } catch {
    return undefined;
  }
}
/** A stored document, where it is whole. */
function readable(text: string): Project | undefined {
  const p = parsed(text) as Project | undefined;
  try {
    return p && Array.isArray(p.pous) ? projectInOrder(p) : undefined;
  } catch {
    return undefined;
  }
}

export class ProjectStore {
  constructor(
    private readonly db: Db,
    private readonly clock: () => number,
  ) {}

  list(): ProjectSummary[] {
    return this.db
      .select({
        id: projects.id,
        name: projects.name,
        revision: projects.revision,
        updatedAt: projects.updatedAt,
        lastProof: projects.lastProof,
      })
      .from(projects)
      .where(isNull(projects.deletedAt))
      .orderBy(desc(projects.updatedAt))
      .all()
      .map(({ lastProof, ...p }) => ({
        ...p,
        ...(lastProof && parsed(lastProof) !== undefined ? { proof: parsed(lastProof) as LastProof } : {}),
      }));
  }

  /** What a project is and what was changed last, in words; the last edit is told without its contents. */
  about(id: string): ProjectAbout & { readonly last?: string } {
    const { document, revision } = this.get(id);
    const edit = this.db
      .select({ edit: edits.edit })
      .from(edits)
      .where(and(eq(edits.projectId, id), eq(edits.revision, revision)))
      .orderBy(desc(edits.id))
      .limit(1)
      .get();
    const named = this.db
      .select({ name: revisions.name })
      .from(revisions)
      .where(and(eq(revisions.projectId, id), eq(revisions.revision, revision)))
      .get()?.name;
    const last = named
      ? `named ‘${named}’`
      : edit && parsed(edit.edit) !== undefined && editText(parsed(edit.edit) as Edit);
    return { ...aboutProject(document), ...(last ? { last } : {}) };
  }

  create(document: Project, id: string = randomUUID()): StoredProject {
    this.whole(() => {
      this.db
        .insert(projects)
        .values({ id, name: document.name, document: JSON.stringify(document), revision: 1, updatedAt: this.clock() })
        .run();
      this.snapshot(id, 1, document);
    });
    return { id, revision: 1, document };
  }

  /**
   * All of it or nothing, one inside another too. It begins as a writer: one that has only read until then is refused
   * where somebody else has written meanwhile.
   */
  private whole<T>(work: () => T): T {
    return this.db.transaction(work, { behavior: 'immediate' });
  }

  /** Projects out of a damaged database, under the ids that they had; revisions with a name before what was last. */
  bringOver(all: readonly Rescued[]): void {
    this.whole(() => {
      for (const { id, project, named } of all) {
        const last = named.length + 1;
        this.create(project, id);
        this.db.update(projects).set({ revision: last }).where(eq(projects.id, id)).run();
        this.db.delete(revisions).where(eq(revisions.projectId, id)).run();
        for (const [i, r] of named.entries()) this.snapshot(id, i + 1, r.project, r.name, r.note);
        this.snapshot(id, last, project);
      }
    });
  }

  has(id: string): boolean {
    return this.db.select({ id: projects.id }).from(projects).where(eq(projects.id, id)).get() !== undefined;
  }

  get(id: string): StoredProject {
    const row = this.db
      .select()
      .from(projects)
      .where(and(eq(projects.id, id), isNull(projects.deletedAt)))
      .get();
    if (!row) throw problem('PROJECT_NOT_FOUND', `There is no project '${id}'.`);
    return { id: row.id, revision: row.revision, document: readable(row.document) ?? this.again(id, row) };
  }

  noteProof(id: string, proof: LastProof): void {
    this.db
      .update(projects)
      .set({ lastProof: JSON.stringify(proof) })
      .where(eq(projects.id, id))
      .run();
  }

  /** Applies a batch made on revision `base`; all of it or nothing. */
  edit(id: string, base: number, batch: readonly Edit[], name?: string): { revision: number } {
    return this.whole(() => {
      const now = this.get(id);
      if (
        name !== undefined &&
        now.revision === base + 1 &&
        this.db.select({ last: projects.lastBatch }).from(projects).where(eq(projects.id, id)).get()?.last === name
      )
        return { revision: now.revision };
      if (now.revision !== base)
        throw problem(
          'REVISION_CONFLICT',
          `The project is at revision ${now.revision}; these changes were made on ${base}.`,
          { revision: now.revision },
        );
      // Projects from before revisions were kept begin with what they are now.
      if (!this.db.select({ id: revisions.id }).from(revisions).where(eq(revisions.projectId, id)).get())
        this.snapshot(id, now.revision, now.document);
      let document = now.document;
      for (const [i, e] of batch.entries()) {
        const r = applyEdit(document, e);
        if ('refused' in r) throw problem('EDIT_REFUSED', `edits.${i}: ${r.refused}`);
        document = r.project;
      }
      const broken = documentProblems(document, now.document)[0];
      if (broken) throw problem('EDIT_REFUSED', `These changes would leave a broken project: ${broken}`);
      const revision = now.revision + 1;
      const at = this.clock();
      this.db
        .update(projects)
        .set({
          document: JSON.stringify(document),
          name: document.name,
          revision,
          lastBatch: name ?? null,
          updatedAt: at,
        })
        .where(eq(projects.id, id))
        .run();
      for (const e of batch)
        this.db
          .insert(edits)
          .values({ projectId: id, revision, edit: JSON.stringify(e), madeAt: at })
          .run();
      if (revision % SNAPSHOT_EVERY === 0) this.snapshot(id, revision, document);
      return { revision };
    });
  }

  /** `note` undefined: what is said of it already stays. */
  private snapshot(id: string, revision: number, document: Project, name?: string, note?: string): void {
    const said = note === undefined ? {} : { note: note || null };
    this.db
      .insert(revisions)
      .values({
        projectId: id,
        revision,
        document: JSON.stringify(document),
        name: name ?? null,
        ...said,
        madeAt: this.clock(),
      })
      .onConflictDoUpdate({ target: [revisions.projectId, revisions.revision], set: { name: name ?? null, ...said } })
      .run();
  }

  /** Named revisions and the last one of each stretch of work, newest first. */
  revisions(id: string): RevisionSummary[] {
    const { revision: now } = this.get(id);
    const named = new Map(
      this.db
        .select({
          revision: revisions.revision,
          name: revisions.name,
          note: revisions.note,
          madeAt: revisions.madeAt,
        })
        .from(revisions)
        .where(eq(revisions.projectId, id))
        .all()
        .map((r) => [r.revision, r]),
    );
    const said = (revision: number) => {
      const { name, note } = named.get(revision) ?? {};
      return { ...(name ? { name } : {}), ...(note ? { note } : {}) };
    };
    const first = this.db
      .select({ revision: revisions.revision, madeAt: revisions.madeAt })
      .from(revisions)
      .where(eq(revisions.projectId, id))
      .orderBy(asc(revisions.revision))
      .get();
    const made = this.db
      .select({ revision: edits.revision, madeAt: edits.madeAt })
      .from(edits)
      .where(and(eq(edits.projectId, id), gt(edits.revision, first?.revision ?? 0)))
      .orderBy(asc(edits.id))
      .all();
    const list: RevisionSummary[] = first
      ? [
          {
            revision: first.revision,
            madeAt: first.madeAt,
            edits: 0,
            ...said(first.revision),
          },
        ]
      : [];
    let count = 0;
    made.forEach((e, i) => {
      count++;
      const next = made[i + 1];
      const of = said(e.revision);
      if (next?.revision === e.revision) return;
      if (!of.name && !of.note && next && next.madeAt - e.madeAt < PAUSE_MS && e.revision !== now) return;
      list.push({ revision: e.revision, madeAt: e.madeAt, edits: count, ...of });
      count = 0;
    });
    return list.reverse();
  }

  /** A project whose document is damaged, made again of its revisions and the edits since; they say the same. */
  private again(id: string, row: { readonly name: string; readonly revision: number }): Project {
    const made = this.rebuilt(id, row.revision);
    if (typeof made !== 'string') return made;
    throw problem(
      'DATABASE_DAMAGED',
      `What the database holds of ‘${row.name}’ cannot be read, nor made again of its revisions (${made}). Other projects are untouched; bring this one back from a file or a copy of the data folder.`,
    );
  }

  /** A project from the nearest whole document before a revision that can be read, with the edits since; or why not. */
  private rebuilt(id: string, revision: number): Project | string {
    const kept = this.db
      .select()
      .from(revisions)
      .where(and(eq(revisions.projectId, id), lte(revisions.revision, revision)))
      .orderBy(desc(revisions.revision))
      .all();
    const from = kept.map((r) => ({ ...r, project: readable(r.document) })).find((r) => r.project);
    if (!from?.project) return 'no whole revision before it can be read';
    let document = from.project;
    for (const e of this.db
      .select({ edit: edits.edit, revision: edits.revision })
      .from(edits)
      .where(and(eq(edits.projectId, id), gt(edits.revision, from.revision), lte(edits.revision, revision)))
      .orderBy(asc(edits.id))
      .all()) {
      const edit = parsed(e.edit);
      if (edit === undefined) return `the edit to revision ${e.revision} cannot be read`;
      const r = applyEdit(document, edit as Edit);
      if ('refused' in r) return r.refused;
      document = r.project;
    }
    return document;
  }

  /** The project as it was at a revision. */
  revision(id: string, revision: number): StoredProject {
    const now = this.get(id);
    if (revision === now.revision) return now;
    const isThere = this.db
      .select({ revision: revisions.revision })
      .from(revisions)
      .where(and(eq(revisions.projectId, id), lte(revisions.revision, revision)))
      .limit(1)
      .get();
    if (!isThere || revision > now.revision)
      throw problem('REVISION_NOT_FOUND', `The project has no revision ${revision}; it is at ${now.revision}.`);
    const document = this.rebuilt(id, revision);
    if (typeof document === 'string')
      throw problem('REVISION_NOT_FOUND', `Revision ${revision} cannot be rebuilt: ${document}.`);
    return { id, revision, document };
  }

  /** Gives a revision a name and says something about it; an empty one takes it away, a note left out stays. */
  nameRevision(id: string, revision: number, name: string, note?: string): void {
    this.snapshot(id, revision, this.revision(id, revision).document, name || undefined, note);
  }

  /** Deleted projects, the last deleted first; all are kept, to be brought back. */
  deleted(): readonly { readonly id: string; readonly name: string; readonly deletedAt: number }[] {
    return this.db
      .select({ id: projects.id, name: projects.name, deletedAt: projects.deletedAt })
      .from(projects)
      .where(isNotNull(projects.deletedAt))
      .orderBy(desc(projects.deletedAt))
      .all()
      .map((p) => ({ ...p, deletedAt: p.deletedAt! }));
  }

  remove(id: string): void {
    this.get(id);
    this.db.update(projects).set({ deletedAt: this.clock() }).where(eq(projects.id, id)).run();
  }

  restore(id: string): StoredProject {
    const changed = this.db
      .update(projects)
      .set({ deletedAt: null })
      .where(and(eq(projects.id, id), isNotNull(projects.deletedAt)))
      .run();
    if (!changed.changes) throw problem('PROJECT_NOT_FOUND', `There is no deleted project '${id}'.`);
    return this.get(id);
  }
}
