import { EventEmitter } from 'node:events';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { type Project, emptyProject } from '@ferrule/core/document';
import { Secrets } from '@ferrule/protocols';
import type { WebSocket } from 'ws';
import { afterEach, beforeEach, expect, it } from 'vitest';
import { BenchRelay, type ToPage } from './bench-relay.js';

/** A page's end of the socket. */
class Page extends EventEmitter {
  readonly OPEN = 1;
  readyState = 1;
  readonly said: ToPage[] = [];
  send(text: string): void {
    this.said.push(JSON.parse(text) as ToPage);
  }
  close(): void {
    this.readyState = 3;
    this.emit('close');
  }
  terminate(): void {
    this.close();
  }
  tell(m: unknown): void {
    this.emit('message', typeof m === 'string' ? m : JSON.stringify(m));
  }
  get last(): ToPage | undefined {
    return this.said.at(-1);
  }
  get refused(): string[] {
    return this.said.flatMap((m) => (m.kind === 'refused' ? [m.message] : []));
  }
}
const project: Project = {
  ...emptyProject('Shared'),
  tags: [
    { id: '1', name: 'Go', type: 'BOOL', access: 'write' },
    { id: '2', name: 'Total', type: 'INT', access: 'read' },
    { id: '3', name: 'Hidden', type: 'INT' },
  ],
  pous: [{ id: 'm', name: 'Main', language: 'ST', kind: 'program', text: 'PROGRAM Main\n;\nEND_PROGRAM\n' }],
};
let folder: string, relay: BenchRelay;
const made = () =>
  new BenchRelay({
    modbusPort: 0,
    opcuaPort: 1,
    opcuaEntry: new URL('./none.mjs', import.meta.url),
    folder,
    outside: {
      folder: join(folder, 'outside'),
      entry: new URL('./none.mjs', import.meta.url),
      secrets: new Secrets(join(folder, 'passwords.json')),
    },
  });
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'ferrule-relay-'));
  relay = made();
});
afterEach(async () => {
  await relay.end();
  rmSync(folder, { recursive: true });
});
const attached = (token: string): Page => {
  const page = new Page();
  relay.attach(page as unknown as WebSocket);
  page.tell({ kind: 'page', token });
  return page;
};
const soon = () => new Promise((r) => setTimeout(r, 50));
/** What is shown to the page now. */
async function shown(page: Page) {
  page.tell({ kind: 'modbus', fields: { isOn: false, words: 'high first' } });
  await soon();
  const m = page.last;
  return m?.kind === 'shown'
    ? (m.shown as {
        state: string;
        points: { path: string; value: string; quality: string }[];
        modbus: { isOn: boolean };
      })
    : undefined;
}

it('a page tells its points and values; only those with access are seen', async () => {
  const page = attached('a');
  page.tell({ kind: 'points', project, scanMs: 10 });
  page.tell({
    kind: 'values',
    state: 'paused',
    changes: [
      [0, '1'],
      [1, '-7'],
    ],
  });
  expect(await shown(page)).toMatchObject({
    state: 'paused',
    points: [
      { path: 'Go', value: '1', quality: 'uncertain' },
      { path: 'Total', value: '-7', quality: 'uncertain' },
    ],
  });
});
it('is shown before the first values have come, too', async () => {
  const page = attached('a');
  page.tell({
    kind: 'points',
    project: { ...project, tags: [{ id: '1', name: 'Wait', type: 'TIME', access: 'read' }] },
    scanMs: 10,
  });
  expect(await shown(page)).toMatchObject({ pointCount: 1, points: [{ path: 'Wait', value: '' }] });
});
it('what is no message, no project or no value changes nothing and is told in a sentence', async () => {
  const page = attached('a');
  page.tell({ kind: 'points', project, scanMs: 10 });
  page.tell({
    kind: 'values',
    state: 'run',
    changes: [
      [0, '1'],
      [1, '5'],
    ],
  });
  page.tell('{');
  page.tell({ kind: 'points', project: { name: 'Nothing else' }, scanMs: 10 });
  page.tell({
    kind: 'points',
    project: { ...project, tags: [{ id: '1', name: 'Go', type: 'NOTHING', access: 'write' }] },
    scanMs: -1,
  });
  page.tell({ kind: 'values', state: 'splendid', changes: [] });
  page.tell({
    kind: 'values',
    state: 'run',
    changes: [
      [99, '1'],
      [-1, '1'],
      [1, 'many'],
      [1, '99999'],
    ],
  });
  page.tell({ kind: 'modbus' });
  page.tell({ kind: 'opcua', fields: { isOn: 'yes' } });
  await soon();
  expect(page.refused).toHaveLength(5);
  for (const words of page.refused) expect(words).not.toMatch(/undefined|TypeError|destructure/);
  expect(await shown(page)).toMatchObject({ state: 'run', points: [{ value: '1' }, { value: '5' }] });
});
it('a socket that broke goes on as it was; another page finds nothing open, and the first is told', async () => {
  const first = attached('a');
  first.tell({ kind: 'points', project, scanMs: 10 });
  first.tell({ kind: 'modbus', fields: { isOn: true, words: 'low first' } });
  await soon();
  expect(first.last).toMatchObject({ kind: 'shown', shown: { modbus: { isOn: true, words: 'low first' } } });
  first.close();
  const again = attached('a');
  await soon();
  expect(again.last).toMatchObject({ shown: { state: 'gone', modbus: { isOn: true } } });
  const other = attached('b');
  await soon();
  expect(again.said.filter((m) => m.kind === 'elsewhere')).toHaveLength(1);
  expect(other.last).toMatchObject({ shown: { points: [], modbus: { isOn: false, words: 'low first' } } });
});
it('rules live through a restart, what was open does not', async () => {
  const page = attached('a');
  page.tell({ kind: 'modbus', fields: { isOn: true, words: 'low first' } });
  page.tell({ kind: 'opcua', fields: { isOn: false, user: { name: 'operator', password: 'a long password' } } });
  await soon();
  expect(readFileSync(join(folder, 'bench-open.json'), 'utf8')).not.toContain('a long password');
  await relay.end();
  relay = made();
  const next = attached('c');
  await soon();
  expect(next.last).toMatchObject({
    shown: { modbus: { isOn: false, words: 'low first' }, opcua: { isOn: false, user: 'operator' } },
  });
});
