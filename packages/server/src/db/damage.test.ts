/**
 * A document that is damaged inside a database which is whole: made again of revisions and edits, or told in a
 * sentence; other projects go on.
 */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { sql } from 'drizzle-orm';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { emptyProject } from '@ferrule/core/document';
import { type Db, closeDatabase, openDatabase } from './open.js';
import { ProjectStore } from './projects.js';

const migrations = fileURLToPath(new URL('../../drizzle', import.meta.url));
let folder: string, db: Db, store: ProjectStore;
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'ferrule-damage-'));
  db = openDatabase(join(folder, 'ferrule.db'), migrations);
  store = new ProjectStore(db, () => 1000);
  store.create(emptyProject('Good'), 'good');
  store.create(emptyProject('Cell'), 'cell');
  for (let r = 1; r < 6; r++)
    store.edit('cell', r, [{ kind: 'addTag', tag: { id: `t${r}`, name: `Tag${r}`, type: 'BOOL' } }]);
  store.nameRevision('cell', 3, 'As delivered');
});
afterEach(() => {
  closeDatabase(db);
  rmSync(folder, { recursive: true });
});
const tags = () => store.get('cell').document.tags.map((t) => t.name);

describe('a damaged document', () => {
  it.each(['', '{"format": "ferr', 'null', '[]', '{"pous": [null]}', '\u0000\u0001'])(
    'that holds %j is made again of the revisions and edits, and stored whole with the next edit',
    (text) => {
      db.run(sql`UPDATE projects SET document = ${text} WHERE id = 'cell'`);
      expect(tags()).toEqual(['Tag1', 'Tag2', 'Tag3', 'Tag4', 'Tag5']);
      store.edit('cell', 6, [{ kind: 'rename', name: 'Cell 2' }]);
      db.run(sql`DELETE FROM revisions`);
      expect([store.get('cell').document.name, tags().length]).toEqual(['Cell 2', 5]);
    },
  );
  it('of a revision is passed over for an earlier one', () => {
    db.run(sql`UPDATE revisions SET document = '{' WHERE project_id = 'cell' AND revision = 3`);
    expect(store.revision('cell', 4).document.tags).toHaveLength(3);
  });
  it('that cannot be made again is said with what to do; the list and other projects are as before', () => {
    db.run(sql`UPDATE projects SET document = '{' WHERE id = 'cell'`);
    db.run(sql`UPDATE edits SET edit = '{' WHERE project_id = 'cell' AND revision = 5`);
    expect(() => store.get('cell')).toThrow(
      'What the database holds of ‘Cell’ cannot be read, nor made again of its revisions (the edit to revision 5 cannot be read). Other projects are untouched; bring this one back from a file or a copy of the data folder.',
    );
    expect(
      store
        .list()
        .map((p) => p.name)
        .sort(),
    ).toEqual(['Cell', 'Good']);
    expect(store.get('good').document.name).toBe('Good');
    db.run(sql`UPDATE projects SET last_proof = '{' WHERE id = 'good'`);
    expect(store.list()).toHaveLength(2);
  });
});
