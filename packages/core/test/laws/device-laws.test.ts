/**
 * Laws that every device keeps, whatever is done to it: it never faults, its numbers stay numbers, it can be gone back
 * in time, and no part comes from nothing or goes to nothing untold.
 */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { DEVICE_KINDS, type DeviceKind, limitsOf, snapLinks } from '../../src/machine.js';
import { type Device, type Project, emptyProject } from '../../src/document.js';
import { Engine } from '../../src/bench.js';
import { compile } from '../../src/workspace.js';
import { generator } from '../../src/verify/search/search.js';
import { machine, run } from '../support.js';

const STEP = 10_000_000n;
const number = (v: unknown): number =>
  typeof v === 'bigint' ? Number(v) : typeof v === 'boolean' ? Number(v) : (v as number);

/** Everything of a device that may be changed from outside: what drives it, its handles, its upsets. */
interface Knob {
  readonly path: string;
  readonly values: readonly (boolean | number | bigint)[];
}
function knobs(k: DeviceKind, name: string): readonly Knob[] {
  const terminals = k.terminals
    .filter((t) => t.direction === 'in')
    .flatMap((t): Knob[] =>
      t.type === 'BOOL'
        ? [{ path: t.name, values: [true, false] }]
        : t.type === 'REAL'
          ? [{ path: t.name, values: [-1, 0, 0.3, 1, 250] }]
          : t.type === 'UINT' || t.type === 'INT'
            ? [{ path: t.name, values: [0n, 1n, 7n] }]
            : [],
    );
  const handles = k.handles.map((h): Knob => ({
    path: h.name,
    values:
      h.type === 'number'
        ? [-5, 0, 12.5, 1e6]
        : h.type === 'way'
          ? [-1n, 0n, 1n]
          : h.type === 'place'
            ? [-3n, 0n, 1n, 5n, 99n]
            : [true, false],
  }));
  return [...terminals, ...handles, ...k.upsets.map((u): Knob => ({ path: u.name, values: [true, false] }))].map(
    (x) => ({ ...x, path: `Machine.${name}.${x.path}` }),
  );
}

describe.each(DEVICE_KINDS.map((k) => [k.type, k] as const))('%s', (_, kind) => {
  const alone = () => machine([{ name: 'D', type: kind.type }]);
  const outputs = kind.terminals
    .filter((t) => t.direction === 'out' && ['BOOL', 'REAL', 'UINT', 'INT'].includes(t.type))
    .map((t) => `Machine.D.${t.name}`);

  it('worked at random for two minutes it never faults, and what it gives is a number', () => {
    const e = alone(),
      random = generator(kind.type.length),
      all = knobs(kind, 'D');
    for (let n = 0; n < 12_000; n++) {
      if (all.length && random() < 0.05) {
        const k = all[Math.floor(random() * all.length)]!;
        e.write(k.path, k.values[Math.floor(random() * k.values.length)]!);
      }
      if (!e.runScan()) throw new Error(`${kind.type}: ${e.faultLine()}`);
      if (n % 100 === 0)
        for (const o of outputs)
          if (!Number.isFinite(number(e.read(o)))) throw new Error(`${o} is ${String(e.read(o))} after scan ${n}`);
    }
  });
  it('gone back and played again it does the same to the byte', () => {
    const e = alone(),
      random = generator(7),
      all = knobs(kind, 'D');
    const script = Array.from({ length: 400 }, () =>
      all.length && random() < 0.1
        ? (() => {
            const k = all[Math.floor(random() * all.length)]!;
            return { path: k.path, value: k.values[Math.floor(random() * k.values.length)]! };
          })()
        : undefined,
    );
    const play = () => {
      for (const s of script) {
        if (s) e.write(s.path, s.value);
        e.runScan();
      }
      return e.snapshot();
    };
    run(e, 500);
    const from = e.snapshot(),
      first = play();
    e.restore(from);
    expect(play()).toEqual(first);
  });
  it('its parameters may be anything within their limits', () => {
    const value = (p: DeviceKind['parameters'][number], high: boolean): string => {
      const [low, top] = limitsOf(p) ?? [-1000, 1000],
        v = high ? Math.min(top, 1e6) : Math.max(low, -1e6);
      if (p.type === 'STRING') return `'${high ? 'A, B, C' : ''}'`;
      return p.type === 'BOOL'
        ? high
          ? 'TRUE'
          : 'FALSE'
        : p.type === 'REAL'
          ? Number.isInteger(v)
            ? `${v}.0`
            : String(v)
          : String(Math.round(Math.min({ USINT: 255, UINT: 65_535 }[p.type] ?? 1e6, Math.max(0, v))));
    };
    for (const high of [false, true])
      for (const last of [false, true]) {
        const e = machine([
          {
            name: 'D',
            type: kind.type,
            parameters: Object.fromEntries(kind.parameters.map((p) => [p.name, value(p, high)])),
          },
        ]);
        for (const k of knobs(kind, 'D')) e.write(k.path, k.values[last ? k.values.length - 1 : 0]!);
        for (let n = 0; n < 300; n++)
          if (!e.runScan())
            throw new Error(`${kind.type} with its ${high ? 'highest' : 'lowest'} parameters: ${e.faultLine()}`);
        for (const o of outputs)
          if (!Number.isFinite(number(e.read(o))))
            throw new Error(`${o} is ${String(e.read(o))} with its ${high ? 'highest' : 'lowest'} parameters`);
      }
  });
});

describe('travel times do not hang on how often it is looked', () => {
  const time = (type: string, drive: Readonly<Record<string, boolean>>, end: string, stepMs: number): number => {
    const c = compile([
      {
        kind: 'project',
        name: 'm',
        project: {
          ...emptyProject('M'),
          machine: {
            devices: [
              { id: 'd', name: 'D', type, parameters: type === 'Cylinder' ? { TravelOut: '0.8' } : { Travel: '0.8' } },
            ],
          },
        },
      },
    ]);
    const e = new Engine(c.build(false), { stepNs: BigInt(stepMs) * 1_000_000n, wires: c.wires });
    e.runScan();
    for (const [k, v] of Object.entries(drive)) e.write(`Machine.D.${k}`, v);
    let n = 0;
    while (e.read(`Machine.D.${end}`) !== true) {
      e.runScan();
      if (++n > 10_000) throw new Error('never there');
    }
    return n * stepMs;
  };
  it.each([
    ['Actuator', { Out: true }, 'AtEnd'],
    ['Cylinder', { Out: true }, 'AtEnd'],
    ['Valve', { Open: true }, 'IsOpen'],
    ['Stopper', { Up: true }, 'IsUp'],
  ] as const)('%s', (type, drive, end) => {
    const [often, seldom] = [time(type, drive, end, 2), time(type, drive, end, 40)];
    expect(Math.abs(often - 800)).toBeLessThan(40);
    expect(Math.abs(seldom - often)).toBeLessThanOrEqual(80);
  });
});

describe('parts', () => {
  /** A line from a feed to bins, put together as a person would: each device behind the one before. */
  const lineOf = (types: readonly string[]): readonly Device[] => {
    const all: Device[] = [];
    for (const [i, type] of types.entries()) {
      const device: Device = {
          id: `d${i}`,
          name: `${type}${i}`,
          type,
          ...(type === 'PartFeed'
            ? { parameters: { Every: '0.7' } }
            : type === 'Conveyor'
              ? { parameters: { Length: '1.0', Fast: '0.8' } }
              : {}),
        },
        now = { devices: [...all, device] };
      const wires = snapLinks({ machine: now }, device, all);
      all.splice(
        0,
        all.length,
        ...now.devices.map((d) => (wires.has(d.name) ? { ...d, wires: wires.get(d.name)! } : d)),
      );
    }
    return all;
  };
  const engineOf = (devices: readonly Device[]): Engine => {
    const project: Project = { ...emptyProject('M'), machine: { devices } },
      c = compile([{ kind: 'project', name: 'm', project }]);
    return new Engine(c.build(false), { stepNs: STEP, wires: c.wires });
  };
  const count = (e: Engine, path: string): number => number(e.read(`Machine.${path}`));
  /**
   * Where parts can be: on belts, in nests and hands, in bins, on the floor, and on the way from one device to the
   * next.
   */
  function whereabouts(e: Engine, devices: readonly Device[]): { readonly come: number; readonly there: number } {
    let come = 0,
      there = 0;
    for (const { name, type } of devices) {
      if (type === 'PartFeed') come += count(e, `${name}.Total`);
      if (type === 'Conveyor') there += count(e, `${name}.Line.Count`) + count(e, `${name}.Lost`);
      if (type === 'Sorter') there += count(e, `${name}.Lost`) + Number(count(e, `${name}.OutAside.Number`) > 0);
      if (type === 'Bin') there += count(e, `${name}.Total`);
      if (type === 'Turntable') {
        there += count(e, `${name}.Lost`);
        for (let n = 1; n <= 4; n++) there += Number(count(e, `${name}.Nest[${n}].Number`) > 0);
      }
      if (['PartFeed', 'Conveyor', 'Sorter', 'Turntable'].includes(type))
        there += Number(count(e, `${name}.Out.Number`) > 0);
    }
    return { come, there };
  }
  it('law: as many are somewhere as have come, whatever belts run, stops rise and gates turn', () => {
    const middle = fc.array(fc.constantFrom('Conveyor', 'Conveyor', 'Turntable'), { minLength: 1, maxLength: 3 });
    fc.assert(
      fc.property(middle, fc.boolean(), fc.nat(1_000_000), (belts, sorts, seed) => {
        const devices = lineOf(['PartFeed', ...belts, ...(sorts ? ['Sorter', 'Bin', 'Bin'] : ['Bin'])]),
          e = engineOf(devices),
          random = generator(seed);
        const drives = devices.flatMap(
          (d) =>
            ({ Conveyor: ['Run', 'Stop'], Sorter: ['Aside'], Turntable: ['Turn'] })[d.type]?.map(
              (t) => `Machine.${d.name}.${t}`,
            ) ?? [],
        );
        for (const d of drives) e.write(d, true);
        for (let n = 0; n < 3000; n++) {
          if (random() < 0.02) e.write(drives[Math.floor(random() * drives.length)]!, random() < 0.6);
          expect(e.runScan()).toBe(true);
          if (n % 50 === 0) {
            const w = whereabouts(e, devices);
            expect(w.there, `scan ${n} of ${devices.map((d) => d.type).join(' ')}`).toBe(w.come);
          }
        }
      }),
      { numRuns: 25 },
    );
  });
  it('law: on a belt they keep their order and their distance, also when it jams, runs slow and is stopped', () => {
    fc.assert(
      fc.property(fc.nat(1_000_000), (seed) => {
        const devices = lineOf(['PartFeed', 'Conveyor', 'Conveyor', 'Bin']),
          e = engineOf(devices),
          random = generator(seed);
        const belts = devices.filter((d) => d.type === 'Conveyor').map((d) => d.name),
          drives = belts.flatMap((b) => ['Run', 'Stop', 'Jam', 'Slow'].map((t) => `Machine.${b}.${t}`));
        for (const b of belts) e.write(`Machine.${b}.Run`, true);
        for (let n = 0; n < 2500; n++) {
          if (random() < 0.02) e.write(drives[Math.floor(random() * drives.length)]!, random() < 0.5);
          e.runScan();
          if (n % 20) continue;
          for (const b of belts) {
            const all = Array.from({ length: count(e, `${b}.Line.Count`) }, (_, i) => ({
              front: count(e, `${b}.Line.Front[${i + 1}]`),
              number: count(e, `${b}.Line.Part[${i + 1}].Number`),
              length: count(e, `${b}.Line.Part[${i + 1}].Length`),
            }));
            all.forEach((p, i) => {
              const behind = all[i + 1];
              if (behind) {
                expect(behind.number).toBeGreaterThan(p.number);
                expect(behind.front).toBeLessThanOrEqual(p.front - p.length + 1e-4);
              }
            });
          }
        }
      }),
      { numRuns: 20 },
    );
  });
});
