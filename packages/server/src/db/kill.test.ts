/** A killed server: the database opens again with everything that was answered. */
import { fork } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { expect, it } from 'vitest';
import { openDatabase } from './open.js';
import { ProjectStore } from './projects.js';
import { emptyProject } from '@ferrule/core/document';

const migrations = fileURLToPath(new URL('../../drizzle', import.meta.url));

it('an edit begins as a writer: what another connection would write in the middle of it waits, and the edit is stored', () => {
  const folder = mkdtempSync(join(tmpdir(), 'ferrule-'));
  const file = join(folder, 'f.db');
  new ProjectStore(openDatabase(file, migrations), () => 1).create(emptyProject('A'), 'a');
  const other = openDatabase(file, migrations).$client;
  other.pragma('busy_timeout = 0');
  let refused = '';
  // The clock is asked after the edit has read and before it writes.
  const store = new ProjectStore(openDatabase(file, migrations), () => {
    try {
      other.prepare('update projects set updated_at = 7').run();
    } catch (e) {
      refused = (e as { code: string }).code;
    }
    return 2;
  });
  expect(store.edit('a', 1, [{ kind: 'rename', name: 'B' }]).revision).toBe(2);
  expect(refused).toBe('SQLITE_BUSY');
  rmSync(folder, { recursive: true });
});

it('a project is made whole or not at all', () => {
  const db = openDatabase(':memory:', migrations);
  const store = new ProjectStore(db, () => 1);
  db.$client.exec("create trigger no_revisions before insert on revisions begin select raise(abort, 'full'); end");
  expect(() => store.create(emptyProject('A'), 'a')).toThrow();
  expect(store.list()).toEqual([]);
});

it('SIGKILL in the middle of writing loses nothing that was committed', async () => {
  const folder = mkdtempSync(join(tmpdir(), 'ferrule-'));
  const file = join(folder, 'f.db');
  new ProjectStore(openDatabase(file, migrations), () => 1).create(emptyProject('A'), 'a');
  // Another process writes revision after revision and says each one when it is committed.
  const script = join(folder, 'write.cjs');
  writeFileSync(
    script,
    `const db = require(${JSON.stringify(fileURLToPath(new URL('../../../../node_modules/better-sqlite3', import.meta.url)))})(process.argv[2]); db.pragma('journal_mode = WAL'); db.pragma('synchronous = FULL'); for (let i = 2; ; i++) { db.prepare('update projects set revision = ?').run(i); process.send(i); }`,
  );
  const child = fork(script, [file]);
  let last = 0;
  await new Promise<void>((resolve) => {
    child.on('message', (n) => {
      last = n as number;
      if (last === 40) child.kill('SIGKILL');
    });
    child.on('exit', () => resolve());
  });
  const store = new ProjectStore(openDatabase(file, migrations), () => 2);
  expect(store.get('a').revision).toBeGreaterThanOrEqual(last);
  expect(store.edit('a', store.get('a').revision, [{ kind: 'rename', name: 'B' }]).revision).toBeGreaterThan(last);
  rmSync(folder, { recursive: true });
});
