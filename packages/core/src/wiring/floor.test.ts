/** The machine's floor: rows along the flow, links between them, and devices put to other places. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { type Device, type Project, applyEdit, emptyProject } from '../document.js';
import { type FloorLink, floorLinks, layOutFloor, placeDevice, snapOnto, spotAt } from '../machine.js';

const device = (name: string, type: string, wires: Record<string, string> = {}): Device => ({
  id: name,
  name,
  type,
  wires,
});
const SIZE = { fit: 600, row: 150, flow: 80 };
const line: readonly Device[] = [
  device('Feed', 'PartFeed', { Ahead: 'A.Full' }),
  device('A', 'Conveyor', { In: 'Feed.Out', Stop2: 'Gate.Position', Ahead: 'Way.Full' }),
  device('Eye', 'PartSensor', { Line: 'A.Line' }),
  device('Gate', 'Stopper'),
  device('Way', 'Sorter', { In: 'A.Out', Ahead: 'B.Full', AheadAside: 'C.Full' }),
  device('B', 'Conveyor', { In: 'Way.Out' }),
  device('C', 'Conveyor', { In: 'Way.OutAside' }),
];
const project = (devices: readonly Device[]): Project => ({ ...emptyProject('M'), machine: { devices } });

describe('links', () => {
  it('go from what gives to what feels it, once a pair; room that is told backwards is none of its own', () => {
    expect(floorLinks({ devices: line }).map((l) => `${l.from} ${l.acts ? 'acts on' : 'feeds'} ${l.to}`)).toEqual([
      'Feed feeds A',
      'Gate acts on A',
      'A acts on Eye',
      'A feeds Way',
      'Way feeds B',
      'Way feeds C',
    ]);
  });
  it('to a device that is not there is none', () => {
    expect(floorLinks({ devices: [device('A', 'Conveyor', { In: 'Nobody.Out' })] })).toEqual([]);
  });
});

describe('rows', () => {
  const stations = line.filter((d) => !['Eye', 'Gate'].includes(d.name)).map((d) => ({ id: d.id, width: 100 })),
    floor = layOutFloor(stations, floorLinks({ devices: line }), SIZE);
  it('a branch begins a row of its own and is led to from where it leaves', () => {
    expect(floor.places.map((p) => [p.id, p.row, p.x])).toEqual([
      ['Feed', 0, 0],
      ['A', 0, 100],
      ['Way', 0, 200],
      ['B', 0, 300],
      ['C', 1, 300],
    ]);
    const [branch] = floor.ways.filter((w) => !w.beside);
    expect([branch!.from, branch!.to]).toEqual(['Way', 'C']);
    // It leaves below its sorter, goes through the gap, and comes to the belt from above.
    const [a, b, c, d] = branch!.points as [[number, number], [number, number], [number, number], [number, number]];
    expect([
      Math.abs(a[0] - 250) < 10,
      a[1],
      b[1] > 150 && b[1] === c[1],
      Math.abs(d[0] - 350) < 10,
      d[1] >= floor.places[4]!.y,
    ]).toEqual([true, 145, true, true, true]);
  });
  it('a line that is too long goes on in the next row', () => {
    expect(
      layOutFloor(stations, floorLinks({ devices: line }), { ...SIZE, fit: 250 }).places.map((p) => p.row),
    ).toEqual([0, 0, 1, 1, 2]);
  });
  it('law: in the order given, within the width, nothing over another, links from device to device, lanes never over each other', () => {
    const any = fc.integer({ min: 1, max: 14 }).chain((n) =>
      fc.record({
        widths: fc.array(fc.integer({ min: 30, max: 200 }), { minLength: n, maxLength: n }),
        links: fc.array(fc.tuple(fc.nat(n - 1), fc.nat(n - 1), fc.boolean()), { maxLength: 20 }),
        fit: fc.integer({ min: 200, max: 900 }),
      }),
    );
    fc.assert(
      fc.property(any, ({ widths, links, fit }) => {
        const items = widths.map((width, i) => ({ id: String(i), width })),
          seen = new Set<string>();
        const given = links.flatMap(([a, b, acts]): FloorLink[] => {
          const key = `${a} ${b}`;
          if (seen.has(key)) return [];
          seen.add(key);
          return [{ from: String(a), to: String(b), acts }];
        });
        const f = layOutFloor(items, given, { ...SIZE, fit }),
          of = (id: string) => f.places.find((p) => p.id === id)!;
        const rows = [...new Set(f.places.map((p) => p.row))].sort((a, b) => a - b);
        expect(rows).toEqual(rows.map((_, r) => r));
        let bottom = 0;
        for (const r of rows) {
          const row = f.places.filter((p) => p.row === r);
          // In the order given, each at the one before, all at one height below the row above.
          row.forEach((p, i) => {
            expect(p.y).toBe(row[0]!.y);
            if (i) expect(p.x).toBe(row[i - 1]!.x + row[i - 1]!.width);
            expect(p.x + p.width <= fit || p.x === 0).toBe(true);
          });
          expect(row[0]!.y).toBeGreaterThanOrEqual(bottom);
          bottom = row[0]!.y + 150;
          // It begins at the left, or below where it branches off.
          if (row[0]!.x > 0)
            expect(
              given.some(
                (l) =>
                  l.to === row[0]!.id && !l.acts && of(l.from).x + of(l.from).width >= row[0]!.x && of(l.from).row < r,
              ),
            ).toBe(true);
        }
        expect(bottom <= f.height + 0.001).toBe(true);
        // Without links to draw everything stands where it stood, closer together.
        const close = layOutFloor(items, given, { ...SIZE, fit, hasWays: false });
        expect(close.places.map((p) => [p.row, p.x])).toEqual(f.places.map((p) => [p.row, p.x]));
        expect([close.ways.length, close.height <= f.height]).toEqual([0, true]);
        expect(f.ways).toHaveLength(given.filter((l) => l.from !== l.to).length);
        const flat: [number, number, number][] = [];
        for (const w of f.ways) {
          const [a, b] = [of(w.from), of(w.to)],
            first = w.points[0]!,
            last = w.points.at(-1)!;
          if (w.beside) {
            expect([a.row, a.x + a.width]).toEqual([b.row, b.x]);
            continue;
          }
          // Many at one device may stand out beside it; lanes are what must be told apart.
          expect(Math.abs(first[0] - (a.x + a.width / 2)) <= 80 && Math.abs(last[0] - (b.x + b.width / 2)) <= 80).toBe(
            true,
          );
          for (let k = 1; k + 2 < w.points.length; k += 2) {
            const [x, y] = w.points[k]!,
              [to] = w.points[k + 1]!;
            expect(w.points[k + 1]![1]).toBe(y);
            flat.push([y, Math.min(x, to), Math.max(x, to)]);
          }
          // Between the devices of the rows that it passes, never over one.
          const rows = Math.abs(a.row - b.row);
          expect(w.points).toHaveLength(rows > 1 ? 6 : 4);
          if (rows > 1)
            for (const p of f.places.filter((q) => q.row > Math.min(a.row, b.row) && q.row < Math.max(a.row, b.row))) {
              const x = w.points[2]![0];
              expect(x < p.x + 20 || x > p.x + p.width - 20).toBe(true);
            }
        }
        flat.forEach(([y, l, r], i) =>
          flat.slice(i + 1).forEach(([y2, l2, r2]) => {
            if (y === y2) expect(r < l2 || r2 < l).toBe(true);
          }),
        );
      }),
    );
  });
});

describe('a device put to another place', () => {
  const moved = (p: Project, id: string, to: string, spot: 'before' | 'behind' | 'onto') => {
    const e = placeDevice(p, id, to, spot);
    if (!e) return undefined;
    const r = applyEdit(p, e);
    if ('refused' in r) throw new Error(String(r.refused));
    return r.project.machine.devices;
  };
  const names = (list: readonly Device[] | undefined) => list?.map((d) => d.name).join(' '),
    wiresOf = (list: readonly Device[] | undefined, name: string) => list?.find((d) => d.name === name)?.wires;
  it('beside another it keeps its links', () => {
    const p = project(line),
      after = moved(p, 'C', 'B', 'before');
    expect(names(after)).toBe('Feed A Eye Gate Way C B');
    expect(
      after!.every((d) => JSON.stringify(d.wires) === JSON.stringify(line.find((x) => x.id === d.id)!.wires)),
    ).toBe(true);
    expect(moved(p, 'C', 'B', 'behind')).toBeUndefined();
    expect(moved(p, 'C', 'C', 'before')).toBeUndefined();
  });
  it('onto another belt a sensor looks there, and a stop stands there and no longer here', () => {
    const sensor = moved(project(line), 'Eye', 'C', 'onto');
    expect([names(sensor), wiresOf(sensor, 'Eye')]).toEqual(['Feed A Gate Way B C Eye', { Line: 'C.Line' }]);
    const stop = moved(project(line), 'Gate', 'B', 'onto');
    expect([wiresOf(stop, 'A'), wiresOf(stop, 'B')]).toEqual([
      { In: 'Feed.Out', Ahead: 'Way.Full' },
      { In: 'Way.Out', Stop2: 'Gate.Position' },
    ]);
  });
  it('onto what it has nothing to do with nothing changes', () => {
    const p = project([...line, device('Horn', 'Buzzer', { Power: 'Q' })]);
    expect([
      placeDevice(p, 'Horn', 'A', 'onto'),
      snapOnto(p, p.machine.devices[7]!, p.machine.devices[1]!).size,
    ]).toEqual([undefined, 0]);
  });
  it('an own electrical wire is never touched, and it is taken back as one', () => {
    const p = project([
      device('P', 'Pump', { Run: 'Q' }),
      device('T1', 'Tank', { FlowIn: 'P.Flow', Level: 'L' }),
      device('T2', 'Tank', { Level: 'M' }),
    ]);
    const e = placeDevice(p, 'T2', 'P', 'onto')!,
      r = applyEdit(p, e);
    if ('refused' in r) throw new Error('refused');
    expect(wiresOf(r.project.machine.devices, 'T2')).toMatchObject({ Level: 'M' });
    const back = applyEdit(r.project, r.inverse);
    expect('project' in back && back.project.machine).toEqual(p.machine);
  });
  it('where it is let go tells what is meant', () => {
    expect([0.1, 0.5, 0.9].map((x) => spotAt(x))).toEqual(['before', 'onto', 'behind']);
    // Over and under its middle there is another storey; at its edges there is none.
    expect([0.05, 0.5, 0.95].map((down) => spotAt(0.5, down))).toEqual(['above', 'onto', 'below']);
    expect([0.05, 0.95].map((down) => spotAt(0.1, down))).toEqual(['before', 'before']);
    const p = project([device('A', 'Conveyor'), device('B', 'Bin')]);
    const above = applyEdit(p, placeDevice(p, 'B', 'A', 'above')!);
    if ('refused' in above) throw new Error(above.refused);
    expect(above.project.machine.devices[1]).toMatchObject({ name: 'B', sits: 'A.Above' });
    expect(placeDevice(above.project, 'B', 'A', 'above')).toBeUndefined();
    // Put beside one it stands along the flow again.
    const back = applyEdit(above.project, placeDevice(above.project, 'B', 'A', 'behind')!);
    if ('refused' in back) throw new Error(back.refused);
    expect(back.project.machine.devices[1]!.sits).toBeUndefined();
  });
});
