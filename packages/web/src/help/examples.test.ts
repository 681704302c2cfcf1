/** The examples of the help run, and show what their pages say. */
import { describe, expect, it } from 'vitest';
import { DEVICE_KINDS } from '@ferrule/core/machine';
import { OWN_BLOCKS, STANDARD_BLOCKS } from '@ferrule/core/language';
import type { OwnKind } from '@ferrule/core/document';
import { playExample } from './LiveExample.js';
import { DEVICE_EXAMPLES, deviceExample } from './device-examples.js';
import { BLOCK_EXAMPLES, ELEMENTS } from './examples.js';

const on = (traces: ReturnType<typeof playExample>, path: string): number[] =>
  traces.find((t) => t.path === path)!.values.flatMap((v, i) => (v === true ? [i * 10] : []));

describe('the examples of the help', () => {
  it('every block of the library has one, and each changes something', () => {
    expect([...STANDARD_BLOCKS, ...OWN_BLOCKS].map((b) => b.name).filter((n) => !BLOCK_EXAMPLES[n])).toEqual([]);
    for (const [name, e] of Object.entries(BLOCK_EXAMPLES))
      expect([name, playExample(e).some((t) => new Set(t.values).size > 1)]).toEqual([name, true]);
  });
  it('every element has one that runs', () => {
    for (const e of ELEMENTS) expect([e.id, playExample(e.example).length > 0]).toEqual([e.id, true]);
  });
  it('every kind of device has one that runs and shows something happen', () => {
    for (const k of DEVICE_KINDS) {
      const e = DEVICE_EXAMPLES[k.type]!;
      expect([k.type, playExample(e).filter((t) => new Set(t.values).size > 1).length > 0]).toEqual([k.type, true]);
    }
  });
  it('in the examples of belt, arm and turntable the part arrives', () => {
    const last = (kind: string, path: string) =>
      playExample(DEVICE_EXAMPLES[kind]!)
        .find((t) => t.path === path)!
        .values.at(-1);
    expect(Number(last('Conveyor', 'Machine.D.Total'))).toBeGreaterThan(1);
    expect([Number(last('PickAndPlace', 'Machine.Box.Total')), Number(last('Turntable', 'Machine.Box.Total'))]).toEqual(
      [1, expect.any(Number)],
    );
    expect(Number(last('Turntable', 'Machine.Box.Total'))).toBeGreaterThan(0);
  });
  it('an own kind of device has an example too', () => {
    const kind: OwnKind = {
      id: 'k',
      type: 'Flap',
      help: 'A flap.',
      width: 60,
      terminals: [
        { name: 'Open', type: 'BOOL', direction: 'in', help: 'Opens it' },
        { name: 'IsOpen', type: 'BOOL', direction: 'out', help: 'It is open' },
      ],
      parameters: [],
      upsets: [],
      handles: [],
      locals: '',
      body: 'IsOpen := Open;',
      picture: [],
    };
    expect(on(playExample(deviceExample(kind, [kind])), 'Machine.D.IsOpen').length).toBeGreaterThan(100);
  });
  it('TON, TOF and TP differ as the standard says', () => {
    const lamp = (name: string) => on(playExample(BLOCK_EXAMPLES[name]!), 'Lamp');
    // In is on from 0.3 to 0.9 s and from 1.6 to 3.4 s, PT is 1 s.
    expect([lamp('TON')[0], lamp('TON').at(-1)]).toEqual([2600, 3390]);
    expect([lamp('TOF')[0], lamp('TOF').at(-1)]).toEqual([300, 4390]);
    expect([
      lamp('TP')[0],
      lamp('TP')
        .filter((t) => t < 1500)
        .at(-1),
      lamp('TP').at(-1),
    ]).toEqual([300, 1290, 2590]);
  });
});
