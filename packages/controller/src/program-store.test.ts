/** The kept program's file on a disk that fails between putting it into place and knowing that it is there. */
import { mkdtempSync, readFileSync, readdirSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterEach, expect, it, vi } from 'vitest';

const disk = vi.hoisted(() => ({ failsAtFolders: false, putsBack: true }));
vi.mock('node:fs', async (original) => {
  const fs = await original<typeof import('node:fs')>();
  return {
    ...fs,
    fsyncSync: (fd: number) => {
      if (disk.failsAtFolders && fs.fstatSync(fd).isDirectory())
        throw Object.assign(new Error('EIO: i/o error, fsync'), { code: 'EIO' });
      fs.fsyncSync(fd);
    },
    renameSync: (from: string, to: string) => {
      if (!disk.putsBack && from.endsWith('.old'))
        throw Object.assign(new Error('EIO: i/o error, rename'), { code: 'EIO' });
      fs.renameSync(from, to);
    },
  };
});
const { UnsureError, writeWhole } = await import('./program-store.js');

afterEach(() => {
  disk.failsAtFolders = false;
  disk.putsBack = true;
});

it('what was refused is not there: the one before stands in its place again, and nothing lies beside it', () => {
  const folder = mkdtempSync(join(tmpdir(), 'ferrule-')),
    file = join(folder, 'program.json');
  disk.failsAtFolders = true;
  expect(() => writeWhole(file, folder, 'first')).toThrow('EIO');
  expect(readdirSync(folder)).toEqual([]);
  disk.failsAtFolders = false;
  writeWhole(file, folder, 'first');
  disk.failsAtFolders = true;
  expect(() => writeWhole(file, folder, 'second')).toThrow('EIO');
  expect(readFileSync(file, 'utf8')).toBe('first');
  disk.failsAtFolders = false;
  writeWhole(file, folder, 'third');
  expect(readFileSync(file, 'utf8')).toBe('third');
  expect(readdirSync(folder)).toEqual(['program.json']);
  rmSync(folder, { recursive: true });
});

it('where the one before cannot be put back either nobody knows what is there, and that is what is said', () => {
  const folder = mkdtempSync(join(tmpdir(), 'ferrule-')),
    file = join(folder, 'program.json');
  writeWhole(file, folder, 'first');
  disk.failsAtFolders = true;
  disk.putsBack = false;
  expect(() => writeWhole(file, folder, 'second')).toThrow(UnsureError);
  disk.failsAtFolders = false;
  disk.putsBack = true;
  writeWhole(file, folder, 'first');
  expect(readFileSync(file, 'utf8')).toBe('first');
  expect(readdirSync(folder)).toEqual(['program.json']);
  rmSync(folder, { recursive: true });
});
