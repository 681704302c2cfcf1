import { zipSync } from 'fflate';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { emptyProject, projectInOrder, projectText } from '@ferrule/core/document';
import { projectToFolder } from '@ferrule/core/files';
import { parseProject } from '@ferrule/core/schema';
import { MOST_BYTES, folderText, textOf } from './read-file.js';

const file = (name: string, bytes: Uint8Array | string) => new File([bytes as BlobPart], name);
const bytes = (text: string) => new TextEncoder().encode(text);
const project = projectInOrder(emptyProject('Press'));
const packed = (more: Record<string, Uint8Array> = {}, root = '') =>
  zipSync({
    ...Object.fromEntries([...projectToFolder(project)].map(([path, text]) => [root + path, bytes(text)])),
    ...more,
  });

describe('a file that is given', () => {
  it('is read as UTF-8; what is too large or none is said with its name', async () => {
    expect(await textOf(file('a.csv', 'Größe,1'))).toBe('Größe,1');
    await expect(textOf(file('a.csv', Uint8Array.from([0x41, 0xff, 0xfe])))).rejects.toThrow(
      'a.csv is not UTF-8 text; save it as UTF-8.',
    );
    const large = { name: 'b.csv', size: 200 * 1024 * 1024, arrayBuffer: () => Promise.reject(new Error('read')) };
    await expect(textOf(large as unknown as File)).rejects.toThrow('b.csv has 200 MB; files of up to 20 MB are read.');
  });
  it('a folder in an archive becomes a project, at its root or within a folder', async () => {
    for (const root of ['', 'press/'])
      expect(parseProject(await folderText(file('p.zip', packed({}, root))))).toEqual({ project });
  });
  it('an archive that unpacks to much more than it is, or to very many files, is not unpacked', async () => {
    const bomb = packed({ 'a.txt': new Uint8Array(40 * 1024 * 1024), 'b.txt': new Uint8Array(40 * 1024 * 1024) });
    expect(bomb.length).toBeLessThan(MOST_BYTES / 50);
    await expect(folderText(file('bomb.zip', bomb))).rejects.toThrow(
      'bomb.zip would unpack to more than 64 MB; a project folder is smaller.',
    );
    const many = packed(Object.fromEntries(Array.from({ length: 5001 }, (_, i) => [`f${i}`, bytes('')])));
    await expect(folderText(file('many.zip', many))).rejects.toThrow('many.zip holds more than 5,000 files');
  });
  it('an archive that lies about its size unpacks to no more than it says', async () => {
    const lying = packed({ 'a.txt': new Uint8Array(1_000_000) }),
      view = new DataView(lying.buffer);
    // The size in the central directory: 4 bytes, 24 behind its mark.
    for (let at = 0; at < lying.length - 46; at++)
      if (view.getUint32(at, true) === 0x02014b50 && view.getUint32(at + 24, true) === 1_000_000)
        view.setUint32(at + 24, 10, true);
    await folderText(file('lies.zip', lying)).then(
      (text) => expect(text.length).toBeLessThan(100_000),
      (e: Error) => expect(e.message).toContain('lies.zip'),
    );
  });
  it('ways up out of the folder and links in it lead nowhere', async () => {
    const text = await folderText(
      file('p.zip', packed({ '../../etc/passwd': bytes('root'), 'logic/link': bytes('../../../etc/passwd') })),
    );
    expect(text).not.toContain('passwd');
    expect(projectText(JSON.parse(text) as typeof project)).toBe(projectText(project));
  });
  it('law: bytes at random, and archives changed anywhere, are read or said, never more', async () => {
    const whole = packed();
    await fc.assert(
      fc.asyncProperty(
        fc.oneof(
          fc.uint8Array({ maxLength: 300 }),
          fc.tuple(fc.nat(whole.length - 1), fc.nat(255)).map(([at, to]) => whole.with(at, to)),
          fc.nat(whole.length).map((n) => whole.slice(0, n)),
        ),
        async (given) => {
          try {
            expect(typeof (await folderText(file('x.zip', given)))).toBe('string');
          } catch (e) {
            expect((e as Error).message).toMatch(/^(x\.zip|[\w./-]+: ?)/);
            expect((e as Error).message).not.toMatch(/undefined|is not a function|Cannot read/);
          }
        },
      ),
      { numRuns: 400 },
    );
  });
});
