import {
  closeSync,
  copyFileSync,
  existsSync,
  mkdtempSync,
  openSync,
  readFileSync,
  rmSync,
  statSync,
  writeFileSync,
  writeSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import Database from 'better-sqlite3';
import fc from 'fast-check';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { type Project, projectText } from '@ferrule/core/document';
import { parseProject } from '@ferrule/core/schema';
import { closeDatabase, openDatabase } from './open.js';
import { ProjectStore } from './projects.js';
import { rescue, rescueWords, stateOf } from './rescue.js';

const migrations = fileURLToPath(new URL('../../drizzle', import.meta.url));
const read = (name: string): Project => {
  const p = parseProject(readFileSync(new URL(`../../../../examples/${name}.ferrule.json`, import.meta.url), 'utf8'));
  if ('problems' in p) throw new Error(p.problems[0]);
  return p.project;
};
const EXAMPLES = ['wire-end-crimp-cell', 'dust-extractor', 'canal-lock'].map(read);
let folder: string, file: string;
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'ferrule-rescue-'));
  file = join(folder, 'ferrule.db');
});
afterEach(() => rmSync(folder, { recursive: true }));
function filled(): void {
  const db = openDatabase(file, migrations),
    store = new ProjectStore(db, () => 1000);
  for (const [i, p] of EXAMPLES.entries()) store.create(p, `p${i}`);
  store.edit('p0', 1, [{ kind: 'rename', name: 'Renamed' }]);
  store.nameRevision('p0', 1, 'As delivered');
  closeDatabase(db);
}

describe('a database file', () => {
  it('is ours when it is not there, new, or filled; another program’s is told from it, and left alone', () => {
    expect(stateOf(file)).toBe('ours');
    filled();
    expect(stateOf(file)).toBe('ours');
    const other = join(folder, 'other.db'),
      client = new Database(other);
    client.exec('CREATE TABLE songs (name TEXT)');
    client.close();
    expect(stateOf(other)).toBe('foreign');
  });
  it('that is none is set aside, and Ferrule begins with a new one', () => {
    writeFileSync(file, 'This is no database at all. '.repeat(500));
    expect(stateOf(file)).toBe('damaged');
    const r = rescue(file, 'now');
    expect(r).toEqual({ aside: join(folder, 'ferrule-damaged-now.db'), projects: [], lost: [] });
    expect([existsSync(file), existsSync(r.aside)]).toEqual([false, true]);
    expect(rescueWords(r)).toContain('Nothing whole was found in it.');
    expect(new ProjectStore(openDatabase(file, migrations), () => 1).list()).toEqual([]);
  });
  it('that is whole, rescued, gives every project and named revision as it was', () => {
    filled();
    const r = rescue(file, 'now'),
      store = new ProjectStore(openDatabase(file, migrations), () => 1);
    store.bringOver(r.projects);
    expect(r.projects.map((p) => [p.id, p.project.name, p.isLatest])).toEqual([
      ['p0', 'Renamed', true],
      ['p1', EXAMPLES[1]!.name, true],
      ['p2', EXAMPLES[2]!.name, true],
    ]);
    expect(projectText(store.get('p0').document)).toBe(projectText({ ...EXAMPLES[0]!, name: 'Renamed' }));
    expect(store.revisions('p0').map((x) => [x.revision, x.name])).toEqual(
      expect.arrayContaining([[1, 'As delivered']]),
    );
    expect(projectText(store.revision('p0', 1).document)).toBe(projectText(EXAMPLES[0]!));
    expect(store.edit('p0', store.get('p0').revision, [{ kind: 'rename', name: 'Goes on' }]).revision).toBeGreaterThan(
      1,
    );
  });
  it('law: overwritten anywhere, it is told or read; what is rescued is whole, and the server starts', () => {
    filled();
    const whole = join(folder, 'whole.db'),
      texts = new Set([...EXAMPLES, { ...EXAMPLES[0]!, name: 'Renamed' }].map(projectText));
    copyFileSync(file, whole);
    const size = statSync(whole).size;
    let damaged = 0,
      saved = 0;
    fc.assert(
      fc.property(
        fc.integer({ min: 0, max: size - 1 }),
        fc.integer({ min: 1, max: 30_000 }),
        fc.boolean(),
        (at, many, cut) => {
          for (const end of ['', '-wal', '-shm']) rmSync(file + end, { force: true });
          copyFileSync(whole, file);
          if (cut) writeFileSync(file, readFileSync(whole).subarray(0, Math.max(1, at)));
          else {
            const out = openSync(file, 'r+');
            writeSync(out, Buffer.alloc(Math.min(many, size - at), 0xa5), 0, undefined, at);
            closeSync(out);
          }
          const state = stateOf(file);
          if (state === 'ours') return;
          // What a damaged list of tables hides is not another program's.
          expect(state).toBe('damaged');
          damaged++;
          const r = rescue(file, 'x'),
            db = openDatabase(file, migrations),
            store = new ProjectStore(db, () => 1);
          store.bringOver(r.projects);
          for (const p of r.projects) expect(texts.has(projectText(store.get(p.id).document))).toBe(true);
          saved += r.projects.length;
          closeDatabase(db);
        },
      ),
      { numRuns: 60 },
    );
    expect(damaged).toBeGreaterThan(20);
    expect(saved).toBeGreaterThan(10);
  }, 120_000);
});
