import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Engine, scanStep } from '@ferrule/core/bench';
import { type Project, emptyProject, projectHash, projectText } from '@ferrule/core/document';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { ImageStore } from './image-store.js';
import { prepare } from './prepare.js';

const project: Project = {
  ...emptyProject('P'),
  tags: [{ id: 'n', name: 'N', type: 'LINT', initial: '5' }],
  pous: [{ id: 'm', name: 'Main', language: 'ST', kind: 'program', text: 'PROGRAM Main\nN := N + 1;\nEND_PROGRAM\n' }],
};
const program = { text: projectText(project), revision: 1, hash: projectHash(project), takenAt: 0 };
let folder: string, store: ImageStore;
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'ferrule-'));
  store = new ImageStore(folder);
});
afterEach(() => rmSync(folder, { recursive: true }));

describe('what a program was made into, on disk', () => {
  it('runs as what was made', async () => {
    const made = await prepare(program);
    await store.write(program.hash, made);
    const found = store.read(program.hash)!;
    expect(found.name).toBe('P');
    const [a, b] = [made, found].map(
      (x) => new Engine(x.image, { stepNs: scanStep(x.image), wires: x.wires, module: x.module }),
    );
    for (let i = 0; i < 3; i++) {
      a!.runScan();
      b!.runScan();
    }
    expect(b!.read('N')).toBe(8n);
    expect(Buffer.from(b!.memory)).toEqual(Buffer.from(a!.memory));
    expect((await prepare(program, undefined, store)).image.symbols.size).toBe(made.image.symbols.size);
  });
  it('of another program, missing, or cut anywhere, is none: it is made anew', async () => {
    expect(store.read(program.hash)).toBeUndefined();
    await store.write(program.hash, await prepare(program));
    expect(store.read('f'.repeat(64))).toBeUndefined();
    const file = join(folder, 'image.bin'),
      whole = readFileSync(file);
    for (let n = 0; n < whole.length; n += 37) {
      writeFileSync(file, whole.subarray(0, n));
      expect(store.read(program.hash)).toBeUndefined();
    }
    const bent = Buffer.from(whole);
    bent[whole.length - 5]! ^= 1;
    writeFileSync(file, bent);
    expect(store.read(program.hash)).toBeUndefined();
    expect((await prepare(program, undefined, store)).name).toBe('P');
  });
});
