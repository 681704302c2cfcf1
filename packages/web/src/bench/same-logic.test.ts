/** What makes the bench take a new version of the project, and what leaves the time line alone. */
import { describe, expect, it } from 'vitest';
import { type OwnKind, type Project, emptyProject } from '@ferrule/core/document';
import { sameLogic } from './same-logic.js';

const kind: OwnKind = {
  id: 'k',
  type: 'Gate',
  help: 'A gate',
  width: 60,
  terminals: [
    { name: 'Go', type: 'BOOL', direction: 'in', help: '' },
    { name: 'Up', type: 'BOOL', direction: 'out', help: '' },
  ],
  parameters: [{ name: 'Travel', type: 'REAL', initial: '0.5', help: '' }],
  upsets: [],
  handles: [],
  locals: '',
  body: 'Up := Go;',
  picture: [],
};
const base: Project = {
  ...emptyProject('M'),
  tags: [{ id: 't', name: 'Go', type: 'BOOL' }],
  machine: { devices: [{ id: 'd', name: 'Gate', type: 'Gate', wires: { Go: 'Go' } }], kinds: [kind] },
};
const withKind = (to: Partial<OwnKind>): Project => ({
  ...base,
  machine: { ...base.machine, kinds: [{ ...kind, ...to }] },
});

describe('the same logic', () => {
  it.each<[string, Project]>([
    ['a description of a tag', { ...base, tags: [{ ...base.tags[0]!, description: 'start' }] }],
    ['a watched path', { ...base, scope: ['Go'] }],
    [
      'the label of a device',
      { ...base, machine: { ...base.machine, devices: [{ ...base.machine.devices[0]!, label: 'Inlet' }] } },
    ],
    ['the picture of an own device', withKind({ picture: [{ id: 's', shape: 'box', x: '0', y: '0' }], width: 90 })],
    ['the words about an own device', withKind({ help: 'Another gate' })],
  ])('%s changes nothing that runs', (_, p) => {
    expect(sameLogic(base, p)).toBe(true);
  });
  it.each<[string, Project]>([
    ['what an own device does', withKind({ body: 'Up := NOT Go;' })],
    [
      'a parameter of an own device',
      withKind({ parameters: [{ name: 'Travel', type: 'REAL', initial: '1.5', help: '' }] }),
    ],
    ['an inner variable of an own device', withKind({ locals: 'Way : REAL := 1.0;' })],
    ['a wire', { ...base, machine: { ...base.machine, devices: [{ ...base.machine.devices[0]!, wires: {} }] } }],
    [
      'a contact bought closed',
      { ...base, machine: { ...base.machine, devices: [{ ...base.machine.devices[0]!, nc: ['AtEnd'] }] } },
    ],
    ['the type of a tag', { ...base, tags: [{ ...base.tags[0]!, type: 'INT' }] }],
    ['the interval of a task', { ...base, tasks: [{ ...base.tasks[0]!, interval: '20 ms' }] }],
  ])('%s makes another program', (_, p) => {
    expect(sameLogic(base, p)).toBe(false);
  });
});
