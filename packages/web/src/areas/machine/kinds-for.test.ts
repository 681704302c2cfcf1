/** A device is found by its name, and by what it does. */
import { expect, it } from 'vitest';
import { DEVICE_GROUPS } from '@ferrule/core/machine';
import { kindsFor } from './kinds-for.js';

const found = (typed: string) => kindsFor(DEVICE_GROUPS, typed).map((x) => x.kind.type);

it('all in their groups while nothing is typed', () => {
  expect(found(' ')).toEqual(DEVICE_GROUPS.flatMap((g) => g.kinds.map((k) => k.type)));
});

it.each([
  ['tank', 'Tank'],
  ['part f', 'PartFeed'],
  ['partf', 'PartFeed'],
  ['feed part', 'PartFeed'],
  ['emer', 'EmergencyStop'],
  ['mushroom', 'EmergencyStop'],
  ['level', 'Tank'],
  ['horn', 'Buzzer'],
])('%s finds %s first', (typed, type) => {
  expect(found(typed)[0]).toBe(type);
});

it('every device is found first by its own name; what fits nothing finds nothing', () => {
  for (const type of found('')) expect(found(type.replace(/([a-z])([A-Z])/g, '$1 $2'))[0]).toBe(type);
  expect(found('no such thing at all')).toEqual([]);
});
