/**
 * Diff and merge by structure: by hand over files and folders of text, and as git's own drivers in a real repository.
 */
import { execFileSync, spawnSync } from 'node:child_process';
import {
  existsSync,
  mkdirSync,
  mkdtempSync,
  readFileSync,
  rmSync,
  symlinkSync,
  truncateSync,
  writeFileSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, describe, expect, it } from 'vitest';
import { type Project, applyEdit, projectText } from '@ferrule/core/document';
import { projectToFolder } from '@ferrule/core/files';
import { parseProject } from '@ferrule/core/schema';
import { main } from '../src/main.js';

const temporary = mkdtempSync(join(tmpdir(), 'ferrule-merge-'));
afterAll(() => rmSync(temporary, { recursive: true }));
const command = fileURLToPath(new URL('../bin/ferrule.mjs', import.meta.url));
const demo = JSON.parse(
  readFileSync(new URL('../../../examples/wire-end-crimp-cell.ferrule.json', import.meta.url), 'utf8'),
) as Project;
const ladder = demo.pous.find((p) => p.language === 'LD')!,
  rungs = ladder.language === 'LD' ? ladder.rungs : [],
  tag = demo.tags[0]!;
const changed = (rung: number, description?: string): Project => {
  const r = applyEdit(demo, {
    kind: 'group',
    label: 'work',
    edits: [
      { kind: 'changeRung', pou: ladder.id, id: rungs[rung]!.id, to: { comment: `Rung ${rung} was changed.` } },
      ...(description ? [{ kind: 'changeTag' as const, id: tag.id, to: { description } }] : []),
    ],
  });
  if ('refused' in r) throw new Error(r.refused);
  return r.project;
};
async function ferrule(...args: string[]) {
  let out = '',
    error = '';
  const code = await main(args, { out: (t) => (out += t), error: (t) => (error += t) });
  return { code, out, error };
}
function file(name: string, p: Project): string {
  const path = join(temporary, name);
  mkdirSync(dirname(path), { recursive: true });
  writeFileSync(path, projectText(p));
  return path;
}
function folder(name: string, p: Project): string {
  for (const [path, text] of projectToFolder(p)) {
    const to = join(temporary, name, path);
    mkdirSync(dirname(to), { recursive: true });
    writeFileSync(to, text);
  }
  return join(temporary, name);
}
const projectAt = (path: string): Project => {
  const read = parseProject(readFileSync(path, 'utf8'));
  if ('problems' in read) throw new Error(read.problems.join());
  return read.project;
};

describe('a folder of text from hostile hands', () => {
  it('links lead nowhere: neither to what lies outside nor round in a circle', async () => {
    const at = folder('linked', demo),
      outside = join(temporary, 'outside.st');
    writeFileSync(outside, 'PROGRAM Stolen VAR x : BOOL; END_VAR x := TRUE; END_PROGRAM');
    symlinkSync(outside, join(at, 'logic', 'Stolen.st'));
    symlinkSync(at, join(at, 'logic', 'round'));
    expect(await ferrule('diff', folder('plain', demo), at)).toEqual({ code: 0, out: 'No differences.\n', error: '' });
    expect((await ferrule('check', at)).out).toBe('0 errors, 0 warnings\n');
  });
  it('a file of 200 MB is not read: it is said that a project folder is smaller', async () => {
    const at = folder('large', demo);
    writeFileSync(join(at, 'logic', 'Large.st'), '');
    truncateSync(join(at, 'logic', 'Large.st'), 200 * 1024 * 1024);
    expect(await ferrule('check', at)).toEqual({
      code: 2,
      out: '',
      error: `ferrule: ${at}: the folder holds more than 64 MB; a project folder is smaller.\n`,
    });
  });
});

describe('by hand', () => {
  it('diff says what differs, of files and of folders of text, and ends with 1; of equals it ends with 0', async () => {
    const a = file('a.ferrule.json', demo),
      b = folder('b', changed(3));
    const r = await ferrule('diff', a, b);
    expect([r.code, r.error]).toEqual([1, '']);
    expect(r.out).toContain(`${ladder.name} · rung 4\n`);
    expect(r.out).toContain('+ // Rung 3 was changed.');
    expect(await ferrule('diff', a, folder('same', demo))).toEqual({ code: 0, out: 'No differences.\n', error: '' });
    expect((await ferrule('check', b)).out).toMatch(/0 errors/);
  });
  it('merge puts the result in place of ours, or where --out says, and ends with 1 where both changed the same', async () => {
    const base = file('base.json', demo),
      ours = file('ours.json', changed(3, 'ours says')),
      theirs = file('theirs.json', changed(5, 'theirs says'));
    const before = readFileSync(ours, 'utf8');
    const out = join(temporary, 'result.ferrule.json');
    const r = await ferrule('merge', base, ours, theirs, '--out', out);
    expect([r.code, r.out]).toEqual([1, '']);
    expect(r.error).toBe(
      `conflict: Tag ${tag.name} · description\n1 part taken from theirs, 1 conflict: ours stands there until one is chosen, in Revisions of the project.\n`,
    );
    expect(readFileSync(ours, 'utf8')).toBe(before);
    const p = projectAt(out);
    expect(p.tags[0]!.description).toBe('ours says');
    expect(p.conflicts).toMatchObject([{ ours: 'ours says', theirs: 'theirs says' }]);
    // Nobody builds on it unawares.
    const check = await ferrule('check', out);
    expect([check.code, check.out]).toEqual([
      1,
      expect.stringContaining(
        `error CONFLICT Tag ${tag.name} · description: both sides of a merge changed it, each in another way; choose one in Revisions.`,
      ),
    ]);
    expect((await ferrule('merge', base, ours, file('t2.json', changed(5)))).code).toBe(0);
    expect(projectAt(ours).tags[0]!.description).toBe('ours says');
  });
  it('merges folders of text in place, where a program that is gone takes its file along', async () => {
    const gone: Project = {
      ...demo,
      pous: demo.pous.slice(0, -1),
      tasks: demo.tasks.map((t) => ({ ...t, programs: t.programs.filter((n) => n !== demo.pous.at(-1)!.name) })),
    };
    const [base, ours, theirs] = [folder('fb', demo), folder('fo', changed(2)), folder('ft', gone)];
    const last = [...projectToFolder(demo).keys()]
      .filter((k) => /^logic\/.*\.(ld|st)$/.test(k) && !k.endsWith('.var.st'))
      .at(-1)!;
    expect(existsSync(join(ours, last))).toBe(true);
    const r = await ferrule('merge', base, ours, theirs);
    expect([r.code, r.error]).toEqual([0, expect.stringMatching(/no conflicts\n$/)]);
    expect(existsSync(join(ours, last))).toBe(false);
    expect((await ferrule('diff', ours, base)).out).toContain('Rung 2 was changed.');
  });
  it('what cannot be read is said with its place and remedy, and nothing is changed', async () => {
    const [base, ours] = [file('x.json', demo), file('y.json', changed(1))],
      newer = join(temporary, 'newer.json'),
      cut = join(temporary, 'cut.json'),
      before = readFileSync(ours, 'utf8');
    writeFileSync(newer, projectText(demo).replace('"version": 1', '"version": 99'));
    writeFileSync(cut, projectText(demo).slice(0, 2000));
    for (const [bad, why] of [
      [
        newer,
        /newer\.json: version: the project is of version 99, this Ferrule reads up to \d+; open it with a newer Ferrule/,
      ],
      [cut, /cut\.json: .*not JSON/i],
      [join(temporary, 'nowhere'), /nowhere: there is no such file/],
    ] as const) {
      const r = await ferrule('merge', base, ours, bad);
      expect([r.code, r.error]).toEqual([2, expect.stringMatching(why)]);
    }
    expect((await ferrule('merge', base, ours)).error).toMatch(/merge takes three projects/);
    expect((await ferrule('diff', base)).error).toMatch(/diff takes two projects/);
    expect(readFileSync(ours, 'utf8')).toBe(before);
  });
});

it('git merges two branches that changed different rungs of one program by itself, and marks the tag that both described', () => {
  // The lines that the page on the command line gives.
  const page = readFileSync(new URL('../../../docs/command-line.md', import.meta.url), 'utf8'),
    attributes = /^\*\.ferrule\.json .*$/m.exec(page)![0],
    config = [...page.matchAll(/^git config (\S+) "(.*)"$/gm)].map((m) => [m[1]!, m[2]!] as const);
  expect(config.map(([k]) => k)).toEqual(['diff.ferrule.command', 'merge.ferrule.driver']);
  const repository = join(temporary, 'repository'),
    path = join(repository, 'cell.ferrule.json');
  mkdirSync(repository);
  const env = { ...process.env, GIT_CONFIG_GLOBAL: '/dev/null', GIT_CONFIG_NOSYSTEM: '1' };
  const git = (...args: string[]) => execFileSync('git', args, { cwd: repository, encoding: 'utf8', env });
  const commit = (p: Project, what: string) => {
    writeFileSync(path, projectText(p));
    git('add', '-A');
    git('commit', '-q', '-m', what);
  };
  git('init', '-q', '-b', 'main');
  git('config', 'user.email', 'engineer@plant.example');
  git('config', 'user.name', 'Engineer');
  for (const [k, v] of config) git('config', k, v.replace('npx ferrule', `'${process.execPath}' '${command}'`));
  writeFileSync(join(repository, '.gitattributes'), `${attributes}\n`);
  commit(demo, 'as delivered');
  git('checkout', '-q', '-b', 'colleague');
  commit(changed(5), 'a rung');
  git('checkout', '-q', 'main');
  commit(changed(3), 'another rung');
  expect(git('diff', 'HEAD~1')).toContain(`${ladder.name} · rung 4\n`);
  git('merge', '-q', '--no-edit', 'colleague');
  const merged = projectAt(path).pous.find((p) => p.id === ladder.id)!;
  expect(merged.language === 'LD' && [3, 5].map((k) => merged.rungs[k]!.comment)).toEqual([
    'Rung 3 was changed.',
    'Rung 5 was changed.',
  ]);
  // The same tag's description on both branches.
  git('checkout', '-q', 'colleague');
  commit(changed(5, 'theirs says'), 'a description');
  git('checkout', '-q', 'main');
  commit(changed(3, 'ours says'), 'another description');
  const failed = spawnSync('git', ['merge', '--no-edit', 'colleague'], { cwd: repository, encoding: 'utf8', env });
  expect(failed.status).toBe(1);
  expect(`${failed.stdout}${failed.stderr}`).toContain(`conflict: Tag ${tag.name} · description`);
  expect(git('status', '--short')).toMatch(/^UU cell\.ferrule\.json$/m);
  expect(projectAt(path).conflicts).toMatchObject([
    { what: `Tag ${tag.name} · description`, ours: 'ours says', theirs: 'theirs says' },
  ]);
}, 60_000);
