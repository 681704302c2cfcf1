import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { Engine, type Value } from '../bench.js';
import { type Project, emptyProject } from '../document.js';
import { compile } from '../workspace.js';
import { readLocation, writeLocation } from '../runtime/paths.js';
import { type Type, elementary, sizeOf } from '../types/type.js';
import {
  type Mapped,
  type ModbusMap,
  type WordOrder,
  fromRegisters,
  modbusMap,
  modbusRows,
  parseNumber,
  toRegisters,
} from './modbus-map.js';
import { EXCEPTION, ModbusServer, frameBytes, framesOf } from './modbus-server.js';
import { PointValues } from './point-values.js';
import { MOST_POINTS, pointTree, pointsBelow, pointsOf, qualityOf } from './points.js';

const project: Project = {
  ...emptyProject('Points'),
  types: [
    { id: 'r', text: 'Recipe : STRUCT Speed : REAL; Parts : ARRAY[1..2] OF INT; Note : STRING[8]; END_STRUCT;' },
    { id: 'e', text: 'Colour : (Red, Green, Blue);' },
    { id: 's', text: 'Percent : USINT (0..100);' },
  ],
  tags: [
    { id: '1', name: 'Start', type: 'BOOL', address: '%IX1.3', access: 'read' },
    { id: '2', name: 'Motor', type: 'BOOL', address: '%QX0.0', access: 'write' },
    { id: '3', name: 'Valve', type: 'BOOL', address: '%QX0.1', access: 'write' },
    { id: '4', name: 'Speed', type: 'INT', address: '%QW4', access: 'write' },
    { id: '5', name: 'Total', type: 'DINT', address: '%QD8', access: 'write' },
    { id: '6', name: 'Level', type: 'REAL', access: 'read' },
    { id: '7', name: 'Now', type: 'Recipe', access: 'write' },
    { id: '8', name: 'Shade', type: 'Colour', access: 'write' },
    { id: '9', name: 'Share', type: 'Percent', access: 'write', modbus: 'holding 7' },
    { id: 'a', name: 'Low', type: 'BYTE', address: '%QB20', access: 'write' },
    { id: 'b', name: 'High', type: 'BYTE', address: '%QB21', access: 'write' },
    { id: 'c', name: 'Hidden', type: 'INT' },
    { id: 'd', name: 'Wait', type: 'TIME', access: 'write' },
  ],
  pous: [{ id: 'm', name: 'Main', language: 'ST', kind: 'program', text: 'PROGRAM Main\n;\nEND_PROGRAM\n' }],
};
const compiled = compile([{ kind: 'project', name: 'p', project }]),
  image = compiled.build(true),
  points = pointsOf(project, image),
  map = modbusMap(points);
const place = (path: string) => {
  const m = map.points.find((x) => x.point.path === path);
  return m && `${m.table} ${m.number}${m.count > 1 ? ` +${m.count}` : ''}`;
};

describe('points', () => {
  it('are the leaves of the tags with access, and nothing else', () => {
    expect(compiled.hasErrors).toBe(false);
    expect(points.map((p) => p.path)).toEqual([
      ...['Start', 'Motor', 'Valve', 'Speed', 'Total', 'Level', 'Now.Speed', 'Now.Parts[1]', 'Now.Parts[2]'],
      ...['Now.Note', 'Shade', 'Share', 'Low', 'High', 'Wait'],
    ]);
  });
  it('stand in a tree of tags, members and arrays', () => {
    const now = pointTree(project, image).find((t) => t.tag.name === 'Now')!.node;
    expect(now).toMatchObject({
      kind: 'group',
      nodes: [
        { name: 'Speed', kind: 'value' },
        { name: 'Parts', kind: 'array', bounds: [{ low: 1, high: 2 }] },
        { name: 'Note', kind: 'value' },
      ],
    });
    expect(pointsBelow(now).map((p) => p.path)).toEqual(['Now.Speed', 'Now.Parts[1]', 'Now.Parts[2]', 'Now.Note']);
  });
  it('of very many values of one tag only the first are points, and that is told', () => {
    const many: Project = {
        ...emptyProject('Many'),
        tags: [{ id: '1', name: 'All', type: `ARRAY[1..${MOST_POINTS + 1}] OF BYTE`, access: 'read' }],
      },
      [tag] = pointTree(many, compile([{ kind: 'project', name: 'p', project: many }]).build(true));
    expect([tag!.isCut, pointsBelow(tag!.node).length]).toEqual([true, MOST_POINTS]);
    expect(pointTree(project, image).some((t) => t.isCut)).toBe(false);
  });
  it('are good while the scan runs, uncertain while it is paused, and bad otherwise', () => {
    expect((['run', 'paused', 'stop', 'fault', 'gone'] as const).map(qualityOf)).toEqual([
      'good',
      'uncertain',
      'bad',
      'bad',
      'bad',
    ]);
  });
});

describe('values of points', () => {
  it('law: what changed since a look is what differs from it, for every reader at its own pace', () => {
    const numbers = points.map((p, i) => ({ p, i })).filter(({ p }) => p.type.kind !== 'string');
    fc.assert(
      fc.property(
        fc.array(fc.array(fc.record({ at: fc.nat(numbers.length - 1), bits: fc.nat(255) }), { maxLength: 4 }), {
          minLength: 1,
          maxLength: 12,
        }),
        fc.nat(11),
        (steps, since) => {
          const engine = new Engine(image, { stepNs: 10_000_000n }),
            values = new PointValues(points);
          let seen: readonly Value[] = [],
            looks = 0;
          steps.forEach((writes, n) => {
            for (const { at, bits } of writes) {
              const { location } = numbers[at]!.p;
              if (location.bit !== undefined) writeLocation(engine.view, location, bits % 2 === 1);
              else engine.view.setUint8(location.address, bits % 2);
            }
            values.look(engine.memory, n);
            expect(values.values).toEqual(points.map((p) => readLocation(engine.view, p.location)));
            if (n <= since) [seen, looks] = [[...values.values], values.looks];
          });
          const changed = values.changedSince(looks);
          // A value may have changed and come back.
          for (const [i, v] of values.values.entries()) if (!Object.is(v, seen[i])) expect(changed).toContain(i);
          if (since >= steps.length - 1) expect(changed).toEqual([]);
          expect(values.changedSince(0)).toHaveLength(points.length);
        },
      ),
    );
  });
  it('of a text what lies behind its end does not count; when each changed is kept', () => {
    const engine = new Engine(image, { stepNs: 10_000_000n }),
      values = new PointValues(points),
      note = points.findIndex((p) => p.path === 'Now.Note'),
      { location } = points[note]!;
    values.look(engine.memory, 5);
    engine.view.setUint8(location.address + 6, 65);
    values.look(engine.memory, 6);
    expect(values.changedSince(1)).toEqual([]);
    writeLocation(engine.view, location, 'hot');
    values.look(engine.memory, 7);
    expect(values.changedSince(2)).toEqual([note]);
    expect([values.values[note], values.changedMs[note]]).toEqual(['hot', 7]);
    values.take([[note, 'cold']], 9);
    expect([values.changedSince(3), values.values[note], values.changedMs[note]]).toEqual([[note], 'cold', 9]);
  });
});

describe('the Modbus mapping', () => {
  it('is made from the addresses; without one they follow each other', () => {
    expect(Object.fromEntries(map.points.map((m) => [m.point.path, place(m.point.path)]))).toEqual({
      Start: 'discrete 11',
      Motor: 'coil 10000',
      Valve: 'coil 10001',
      Speed: 'holding 10002',
      Total: 'holding 10004 +2',
      Level: 'input 30000 +2',
      'Now.Speed': 'holding 30000 +2',
      'Now.Parts[1]': 'holding 30002',
      'Now.Parts[2]': 'holding 30003',
      Shade: 'holding 30004',
      Share: 'holding 7',
      Low: 'holding 15020',
      High: 'holding 15021',
      Wait: 'holding 30005 +2',
    });
    expect(map.left).toEqual(['Now.Note: text is not carried over Modbus.']);
  });
  it('a number of a tag’s own is refused in words where it cannot be', () => {
    const left = (modbus: string) =>
      modbusMap(pointsOf({ ...project, tags: project.tags.map((t) => (t.id === '4' ? { ...t, modbus } : t)) }, image))
        .left;
    expect(left('holding 7')).toContain('Share: holding register 7 is taken by Speed.');
    expect(left('coil 7')).toContain(
      'Speed: others may write it and it is a number, so it is a holding register, not a coil.',
    );
    expect(left('seven')).toContain("Speed: 'seven' is no place; write for example coil 12 or holding 40.");
    expect([parseNumber(' Coil 5 '), parseNumber('coil 65535'), parseNumber('coil -1')]).toEqual([
      { table: 'coil', number: 5 },
      undefined,
      undefined,
    ]);
  });
  it('comes out as rows', () => {
    expect(modbusRows(map, 'high first').find((r) => r[0] === 'Total')).toEqual([
      'Total',
      'DINT',
      'holding register',
      '10004',
      '2',
      'read and write',
      'high first',
      '',
      '',
      '',
    ]);
  });
});

const ORDERS: readonly WordOrder[] = ['high first', 'low first'];
const WHOLE = [
  'BYTE',
  'WORD',
  'DWORD',
  'LWORD',
  'SINT',
  'INT',
  'DINT',
  'LINT',
  'USINT',
  'UINT',
  'UDINT',
  'ULINT',
  'DATE',
  'LTIME',
] as const;
describe('values and registers', () => {
  it('law: whole numbers of every width go out and come back, in either order', () => {
    fc.assert(
      fc.property(
        fc.constantFrom(...WHOLE),
        fc.bigInt({ min: -(2n ** 63n), max: 2n ** 64n - 1n }),
        fc.constantFrom(...ORDERS),
        (name, n, order) => {
          const type = elementary(name),
            bits = sizeOf(type) * 8,
            isSigned = /^(S|I|D|L)(INT|ATE|TIME)$|^(INT|DINT|LINT|SINT)$/.test(name),
            value = isSigned ? BigInt.asIntN(bits, n) : BigInt.asUintN(bits, n);
          expect(fromRegisters(type, toRegisters(type, value, order), order)).toBe(value);
        },
      ),
    );
  });
  it('law: reals go out and come back, by the bit; TIME by the millisecond', () => {
    fc.assert(
      fc.property(
        fc.float({ noNaN: true }),
        fc.double({ noNaN: true }),
        fc.integer(),
        fc.constantFrom(...ORDERS),
        (f, d, ms, order) => {
          const back = (type: Type, v: Value) => fromRegisters(type, toRegisters(type, v, order), order);
          expect(Object.is(back(elementary('REAL'), f), f)).toBe(true);
          expect(Object.is(back(elementary('LREAL'), d), d)).toBe(true);
          expect(back(elementary('TIME'), BigInt(ms) * 1_000_000n)).toBe(BigInt(ms) * 1_000_000n);
        },
      ),
    );
    expect(toRegisters(elementary('DINT'), 0x12345678n, 'high first')).toEqual([0x1234, 0x5678]);
    expect(toRegisters(elementary('DINT'), 0x12345678n, 'low first')).toEqual([0x5678, 0x1234]);
    expect(
      fromRegisters(elementary('TIME'), toRegisters(elementary('TIME'), 10n ** 18n, 'high first'), 'high first'),
    ).toBe(0x7fffffffn * 1_000_000n);
  });
});

/** An engine behind a server, written to as the controller does. */
function served(order: WordOrder = 'high first', of: ModbusMap = map) {
  const engine = new Engine(image, { stepNs: 10_000_000n, wires: compiled.wires });
  const server = new ModbusServer({
    map: of,
    order,
    read: (m: Mapped) => readLocation(engine.view, m.point.location),
    isGood: () => engine.scan % 2 === 0,
  });
  const ask = (...pdu: number[]) => {
    const a = server.answer(Uint8Array.from(pdu));
    for (const w of a.writes) writeLocation(engine.view, engine.locate(w.path), w.value);
    return [...a.pdu];
  };
  return { engine, ask, server };
}
const u16 = (n: number) => [n >> 8, n & 0xff];

describe('a Modbus server', () => {
  it('reads and writes bits and registers', () => {
    const { engine, ask } = served();
    expect(ask(5, ...u16(10_000), 0xff, 0)).toEqual([5, ...u16(10_000), 0xff, 0]);
    expect(engine.read('Motor')).toBe(true);
    expect(ask(1, ...u16(10_000), 0, 2)).toEqual([1, 1, 0b01]);
    // Raw values into the output byte: 1, 2, then both.
    expect(ask(15, ...u16(10_000), 0, 2, 1, 0b10)).toEqual([15, ...u16(10_000), 0, 2]);
    expect([engine.read('Motor'), engine.read('Valve')]).toEqual([false, true]);
    expect(ask(2, ...u16(11), 0, 1)).toEqual([2, 1, 0]);
    expect(ask(6, ...u16(10_002), ...u16(0xfff6))).toEqual([6, ...u16(10_002), ...u16(0xfff6)]);
    expect(engine.read('Speed')).toBe(-10n);
    expect(ask(16, ...u16(10_004), 0, 2, 4, 0x12, 0x34, 0x56, 0x78)).toEqual([16, ...u16(10_004), 0, 2]);
    expect(engine.read('Total')).toBe(0x12345678n);
    // Half of a value leaves the other half.
    ask(6, ...u16(10_005), 0, 1);
    expect(engine.read('Total')).toBe(0x12340001n);
    expect(ask(22, ...u16(10_002), ...u16(0x00f0), ...u16(0x000f))).toEqual([
      22,
      ...u16(10_002),
      ...u16(0x00f0),
      ...u16(0x000f),
    ]);
    expect(engine.read('Speed')).toBe(0xffn);
    expect(ask(23, ...u16(10_004), 0, 2, ...u16(10_005), 0, 1, 2, 0, 9)).toEqual([23, 4, 0x12, 0x34, 0, 9]);
    expect(engine.read('Total')).toBe(0x12340009n);
    expect(ask(4, ...u16(30_000), 0, 2)).toEqual([4, 4, 0, 0, 0, 0]);
    expect(ask(2, 0xff, 0xff, 0, 1)).toEqual([2, 1, 1]);
    engine.runScan();
    expect(ask(2, 0xff, 0xff, 0, 1)).toEqual([2, 1, 0]);
  });
  it.each<[string, number[], number]>([
    ['a function that is none', [99, 0], EXCEPTION.function],
    ['nothing', [], EXCEPTION.function],
    ['an address that is nothing', [3, ...u16(10_003), 0, 1], EXCEPTION.address],
    ['a stretch that runs past the end of what is there', [3, ...u16(10_002), 0, 2], EXCEPTION.address],
    ['past 65535', [3, 0xff, 0xff, 0, 2], EXCEPTION.address],
    ['no register', [3, ...u16(10_002), 0, 0], EXCEPTION.value],
    ['more than 125 registers', [3, ...u16(10_002), 0, 126], EXCEPTION.value],
    ['more than 2000 bits', [1, ...u16(10_000), 0x07, 0xd1], EXCEPTION.value],
    ['a coil neither on nor off', [5, ...u16(10_000), 1, 0], EXCEPTION.value],
    ['bytes that do not fit the count', [16, ...u16(10_004), 0, 2, 2, 0, 1], EXCEPTION.value],
    ['a frame cut short', [16, ...u16(10_004), 0, 2, 4, 0, 1], EXCEPTION.value],
    ['what others only read', [5, ...u16(11), 0xff, 0], EXCEPTION.address],
    ['no value of the enumeration', [6, ...u16(30_004), 0, 7], EXCEPTION.value],
    ['outside the subrange', [6, 0, 7, 0, 101], EXCEPTION.value],
    ['wider than the byte', [6, ...u16(15_020), 1, 0], EXCEPTION.value],
  ])('refuses %s', (_, pdu, code) => {
    const { ask } = served();
    expect(ask(...pdu)).toEqual([(pdu[0] ?? 0) | 0x80, code]);
  });
  it('law: what was written is what is read, whatever the stretch and the order', () => {
    fc.assert(
      fc.property(
        fc.array(fc.nat(0xffff), { minLength: 2, maxLength: 4 }),
        fc.constantFrom(...ORDERS),
        (words, order) => {
          const { ask } = served(order),
            n = 2;
          const sent = words.slice(0, n);
          expect(ask(16, ...u16(10_004), 0, n, 2 * n, ...sent.flatMap(u16))[0]).toBe(16);
          expect(ask(3, ...u16(10_004), 0, n)).toEqual([3, 2 * n, ...sent.flatMap(u16)]);
        },
      ),
    );
  });
  it('law: whatever the bytes, it answers in one PDU of the function or its exception, and writes only what others may write', () => {
    const { server } = served(),
      writable = new Set(points.filter((p) => p.access === 'write').map((p) => p.path));
    fc.assert(
      fc.property(
        fc.oneof(
          fc.uint8Array({ maxLength: 260 }),
          fc
            .tuple(
              fc.constantFrom(1, 2, 3, 4, 5, 6, 15, 16, 22, 23),
              fc.constantFrom(10_000, 10_002, 10_004, 11, 7, 30_000),
              fc.uint8Array({ maxLength: 20 }),
            )
            .map(([code, at, rest]) => Uint8Array.from([code, ...u16(at), ...rest])),
        ),
        (pdu) => {
          const { pdu: out, writes, exception } = server.answer(pdu);
          expect(out.length).toBeGreaterThanOrEqual(2);
          expect(out.length).toBeLessThanOrEqual(253);
          expect(out[0]! & 0x7f).toBe((pdu[0] ?? 0) & 0x7f);
          if (exception !== undefined) expect([...out.subarray(1), writes.length]).toEqual([exception, 0]);
          for (const w of writes) expect(writable.has(w.path)).toBe(true);
        },
      ),
      { numRuns: 2000 },
    );
  });
});

describe('frames', () => {
  it('law: cut into pieces anywhere, the same frames come out', () => {
    const frame = fc.record({
      transaction: fc.nat(0xffff),
      unit: fc.nat(255),
      pdu: fc.uint8Array({ minLength: 1, maxLength: 253 }),
    });
    fc.assert(
      fc.property(
        fc.array(frame, { maxLength: 5 }),
        fc.array(fc.integer({ min: 1, max: 40 }), { minLength: 1 }),
        (frames, cuts) => {
          const all = Buffer.concat(frames.map(frameBytes));
          let rest: Uint8Array = new Uint8Array(0);
          const out = [];
          for (let at = 0, i = 0; at < all.length; i++) {
            const n = cuts[i % cuts.length]!;
            const r = framesOf(Buffer.concat([rest, all.subarray(at, at + n)]));
            expect(r.bad).toBe(false);
            out.push(...r.frames);
            rest = r.rest;
            at += n;
          }
          expect(out.map((f) => ({ ...f, pdu: [...f.pdu] }))).toEqual(frames.map((f) => ({ ...f, pdu: [...f.pdu] })));
          expect(rest.length).toBe(0);
        },
      ),
    );
  });
  it('what is no Modbus is told at once, and never more than a frame waits', () => {
    expect(framesOf(Uint8Array.from([0, 1, 0, 9, 0, 6, 1, 3])).bad).toBe(true);
    expect(framesOf(Uint8Array.from([0, 1, 0, 0, 255, 255, 1])).bad).toBe(true);
    expect(framesOf(Uint8Array.from([0, 1, 0, 0, 0, 1, 1])).bad).toBe(true);
    expect(framesOf(Buffer.from('GET / HTTP/1.1\r\n')).bad).toBe(true);
  });
});
