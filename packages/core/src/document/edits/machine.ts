/** Edits of the machine: devices, kinds of devices of the project's own, the I/O layout, other programs, a board. */
import type { OwnKind, Project } from '../document.js';
import { boardInOrder, inOrder, outsideInOrder } from '../order.js';
import { type Applies, type ListOf, addTo, changeIn, done, takeFrom } from './apply.js';
import { changes, index, list, text, whole, wholeOrNothing } from './fields.js';

export const machineFields = {
  addDevice: { device: whole('device'), at: index },
  removeDevice: { id: text },
  changeDevice: { id: text, to: changes('device') },
  addKind: { of: whole('kind'), at: index },
  removeKind: { id: text },
  changeKind: { id: text, to: changes('kind') },
  /** The I/O layout as a whole; an empty one is none. */
  changeModules: { modules: list('module') },
  /** Which inputs and outputs are connected to another program, as a whole; null: none. */
  changeOutside: { outside: wholeOrNothing('outside') },
  /** What the logic is built for as C, with its pins, as a whole; null: nothing is said. */
  changeBoard: { board: wholeOrNothing('board') },
};

const devices = (p: Project): ListOf<'device'> => ({
  thing: 'device',
  what: 'device',
  items: p.machine.devices,
  whole: (items) => ({ ...p, machine: { ...p.machine, devices: items } }),
});
const kinds = (p: Project): ListOf<'kind'> => ({
  thing: 'kind',
  what: 'kind of device',
  items: p.machine.kinds ?? [],
  whole: (items) => withKinds(p, items),
});
/** A project without kinds of its own does not speak of them. */
const withKinds = (p: Project, all: readonly OwnKind[]): Project => ({
  ...p,
  machine: { devices: p.machine.devices, ...(all.length ? { kinds: all } : {}) },
});

export const machineEdits: Applies<typeof machineFields> = {
  addDevice: (p, e) => addTo(devices(p), e.device, e.at, { kind: 'removeDevice', id: e.device.id }),
  removeDevice: (p, e) => takeFrom(devices(p), e.id, (device, at) => ({ kind: 'addDevice', device, at })),
  changeDevice: (p, e) => changeIn(devices(p), e.id, e.to, (to) => ({ ...e, to })),
  addKind: (p, e) => addTo(kinds(p), e.of, e.at, { kind: 'removeKind', id: e.of.id }),
  removeKind: (p, e) => takeFrom(kinds(p), e.id, (of, at) => ({ kind: 'addKind', of, at })),
  changeKind: (p, e) => changeIn(kinds(p), e.id, e.to, (to) => ({ ...e, to })),
  changeModules: (p, e) => {
    const { modules: before = [], ...rest } = p,
      modules = e.modules.map((m) => inOrder('module', m));
    return done(inOrder('project', { ...rest, ...(modules.length ? { modules } : {}) }), {
      kind: 'changeModules',
      modules: before,
    });
  },
  changeOutside: (p, e) => {
    const { outside: before, ...rest } = p;
    return done(inOrder('project', { ...rest, ...(e.outside ? { outside: outsideInOrder(e.outside) } : {}) }), {
      kind: 'changeOutside',
      outside: before ?? null,
    });
  },
  changeBoard: (p, e) => {
    const { board: before, ...rest } = p;
    return done(inOrder('project', { ...rest, ...(e.board ? { board: boardInOrder(e.board) } : {}) }), {
      kind: 'changeBoard',
      board: before ?? null,
    });
  },
};
