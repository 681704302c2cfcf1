/** The devices behave as their descriptions say: played alone, on the engine. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { DEVICE_KINDS, chanceUpset, upsetsOf, PART_TYPES, deviceBlock, looseEnds, wiresThatMatch } from '../machine.js';
import { History, Engine } from '../bench.js';
import { type Device, type Project, emptyProject } from '../document.js';
import { compile } from '../workspace.js';
import { doneIn, planProof, prove } from '../verify.js';
import { ladderProject, machine, run, scansUntil } from '../../test/support.js';

it.each(DEVICE_KINDS.map((k) => [k.type, k] as const))('%s compiles, and says what everything is for', (_, k) => {
  expect(compile([{ kind: 'text', name: `${k.type}.st`, text: PART_TYPES + deviceBlock(k) }]).diagnostics).toEqual([]);
  for (const x of [...k.terminals, ...k.parameters, ...k.upsets, ...k.handles])
    expect(x.help.length).toBeGreaterThan(5);
  expect(k.help).toMatch(/[.:]/);
});

describe('what a person touches', () => {
  it('a push button has both contacts, a broken wire opens both', () => {
    const e = machine([{ name: 'B', type: 'PushButton' }]);
    const contacts = () => {
      run(e, 10);
      return [e.read('Machine.B.NO'), e.read('Machine.B.NC')];
    };
    expect(contacts()).toEqual([false, true]);
    e.write('Machine.B.Pressed', true);
    expect(contacts()).toEqual([true, false]);
    e.write('Machine.B.BrokenWire', true);
    expect(contacts()).toEqual([false, false]);
  });
  it('a normally closed contact is closed before the first scan', () => {
    expect(machine([{ name: 'S', type: 'EmergencyStop' }]).read('Machine.S.NC')).toBe(true);
  });
  it('a set-point stays between its limits', () => {
    const e = machine([{ name: 'P', type: 'SetPoint', parameters: { Low: '10.0', High: '20.0', Entry: '15.0' } }]);
    const values = [5, 12.5, 99].map((v) => {
      e.write('Machine.P.Entry', v);
      run(e, 10);
      return e.read('Machine.P.Value');
    });
    expect(values).toEqual([10, 12.5, 20]);
  });
  it('a switch with three positions closes one contact or none; in checks it is turned by words, and recorded so', () => {
    const base: Project = {
      ...emptyProject('M'),
      tags: [
        { id: 'a', name: 'Hand', type: 'BOOL', address: '%IX0.0' },
        { id: 'b', name: 'Auto', type: 'BOOL', address: '%IX0.1' },
      ],
    };
    const device = { name: 'Mode', type: 'ThreeWaySelector', wires: { Left: 'Hand', Right: 'Auto' } },
      e = machine([device], base);
    const at = (way: bigint) => {
      e.write('Machine.Mode.Way', way);
      run(e, 20);
      return [e.read('Hand'), e.read('Auto')];
    };
    expect([at(0n), at(-1n), at(1n), at(0n)]).toEqual([
      [false, false],
      [true, false],
      [false, true],
      [false, false],
    ]);
    e.write('Machine.Mode.BrokenWire', true);
    expect(at(1n)).toEqual([false, false]);
    const rows = [
      { id: 'r', do: ['turn Mode left'], expect: ['Hand is on within 2 scans'] },
      { id: 's', do: ['turn Mode middle'], expect: ['Hand is off within 2 scans', 'Auto is off'] },
      { id: 't', do: ['turn Mode to the right'], expect: ['Auto is on within 2 scans'] },
    ];
    const p: Project = {
      ...base,
      machine: {
        devices: [
          { id: 'd', ...device },
          { id: 'f', name: 'Two', type: 'Selector' },
        ],
      },
      checks: [
        { id: 'c', name: 'C', rows },
        { id: 'x', name: 'X', rows: [{ id: 'y', do: ['turn Two middle'], expect: ['Auto is off'] }] },
      ],
    };
    const plan = planProof(p, 'p'),
      r = prove(plan, { stepNs: 10_000_000n });
    expect(r.checks.map((c) => c.ok)).toEqual([true, false]);
    expect(plan.diagnostics.map((d) => d.message)).toEqual([
      "'Two' has no middle; write 'turn Two left' or 'turn Two right'.",
    ]);
    const h = new History(plan.compiled.build(true), { stepNs: 10_000_000n, wires: plan.compiled.wires });
    for (const way of [-1n, 0n, 1n]) {
      h.apply({ kind: 'write', path: 'Machine.Mode.Way', value: way });
      h.run(5);
    }
    expect(doneIn(h, p, h.end).map((d) => d.text)).toEqual(['turn Mode left', 'turn Mode middle', 'turn Mode right']);
  });
  it('a meter shows what it is given, and keeps it when stuck', () => {
    const base: Project = { ...emptyProject('M'), tags: [{ id: 'a', name: 'Level', type: 'REAL', address: '%QD0' }] },
      e = machine([{ name: 'Dial', type: 'Meter', wires: { Value: 'Level' } }], base);
    const shown = (value: number) => {
      e.write('Level', value);
      run(e, 20);
      return e.read('Machine.Dial.Shown');
    };
    expect([shown(1.5), shown(-3)]).toEqual([1.5, -3]);
    e.write('Machine.Dial.Stuck', true);
    expect(shown(9)).toBe(-3);
  });
  it('a key switch turns only with its key, and stays where it stood without it', () => {
    const e = machine([{ name: 'K', type: 'KeySelector' }]);
    const after = (handle: string, value: boolean) => {
      e.write(`Machine.K.${handle}`, value);
      run(e, 20);
      return e.read('Machine.K.Right');
    };
    expect(after('Turned', true)).toBe(false);
    expect(after('Key', true)).toBe(true);
    expect(after('Key', false)).toBe(true);
    expect(after('Turned', false)).toBe(true);
    expect(after('Key', true)).toBe(false);
  });
  it('a burnt lamp stays dark', () => {
    const e = machine([{ name: 'L', type: 'Lamp' }]);
    e.write('Machine.L.Power', true);
    run(e, 10);
    expect(e.read('Machine.L.Lit')).toBe(true);
    e.write('Machine.L.Burnt', true);
    run(e, 10);
    expect(e.read('Machine.L.Lit')).toBe(false);
  });
});

describe('an actuator', () => {
  const make = () => machine([{ name: 'C', type: 'Actuator', parameters: { Travel: '0.3' } }]);
  it('takes its travel time out and back, with a sensor at each end', () => {
    const e = make();
    expect([e.read('Machine.C.AtHome'), e.read('Machine.C.AtEnd')]).toEqual([true, false]);
    e.write('Machine.C.Out', true);
    expect(scansUntil(e, () => e.read('Machine.C.AtEnd') === true)).toBeGreaterThanOrEqual(29);
    run(e, 100);
    e.write('Machine.C.Out', false);
    const back = scansUntil(e, () => e.read('Machine.C.AtHome') === true);
    expect(back).toBeGreaterThanOrEqual(29);
    expect(back).toBeLessThanOrEqual(31);
  });
  it('never has both end sensors on', () => {
    const e = make();
    for (let i = 0; i < 200; i++) {
      e.write('Machine.C.Out', i % 37 < 20);
      e.runScan();
      expect(e.read('Machine.C.AtHome') && e.read('Machine.C.AtEnd')).toBe(false);
    }
  });
  it('jammed it stops where it is; a dead sensor says nothing', () => {
    const e = make();
    e.write('Machine.C.Out', true);
    run(e, 100);
    e.write('Machine.C.Jam', true);
    const at = e.read('Machine.C.Position');
    run(e, 500);
    expect(e.read('Machine.C.Position')).toBe(at);
    e.write('Machine.C.Jam', false);
    e.write('Machine.C.EndStuckOff', true);
    run(e, 500);
    expect([e.read('Machine.C.Position'), e.read('Machine.C.AtEnd')]).toEqual([1, false]);
  });
});

describe('feeding and crimping', () => {
  it('the feeder runs up, feeds at its speed, coasts, and counts from the cut', () => {
    const e = machine([{ name: 'F', type: 'Feeder', parameters: { Speed: '100.0', RunUp: '0.1' } }]);
    e.write('Machine.F.Run', true);
    run(e, 1000);
    const length = Number(e.read('Machine.F.Length'));
    // A second at 100 mm/s, less half the run-up.
    expect(length).toBeGreaterThan(93);
    expect(length).toBeLessThan(98);
    e.write('Machine.F.Run', false);
    run(e, 10);
    expect(e.read('Machine.F.Running')).toBe(true);
    run(e, 100);
    expect(e.read('Machine.F.Running')).toBe(false);
    expect(Number(e.read('Machine.F.Length'))).toBeGreaterThan(length);
    e.write('Machine.F.Zero', true);
    run(e, 10);
    expect(e.read('Machine.F.Length')).toBe(0);
  });
  it('the track lays one ferrule a stroke and none when blocked', () => {
    const e = machine([{ name: 'T', type: 'FerruleTrack', parameters: { Fall: '0.1', Stock: '21' } }]);
    e.write('Machine.T.Release', true);
    expect(scansUntil(e, () => e.read('Machine.T.InPlace') === true)).toBeLessThanOrEqual(11);
    run(e, 300);
    expect(e.read('Machine.T.Used')).toBe(1n);
    e.write('Machine.T.Taken', true);
    e.write('Machine.T.Release', false);
    run(e, 10);
    e.write('Machine.T.Taken', false);
    e.write('Machine.T.Blocked', true);
    e.write('Machine.T.Release', true);
    run(e, 300);
    expect([e.read('Machine.T.InPlace'), e.read('Machine.T.Low')]).toEqual([false, false]);
    e.write('Machine.T.Blocked', false);
    e.write('Machine.T.Release', false);
    run(e, 10);
    e.write('Machine.T.Release', true);
    run(e, 200);
    expect([e.read('Machine.T.InPlace'), e.read('Machine.T.Low')]).toEqual([true, true]);
  });
  it('the pull tester raises its force until the ferrule slips', () => {
    const e = machine([{ name: 'P', type: 'PullTester', parameters: { Rate: '100.0' } }]);
    e.write('Machine.P.Holds', 50);
    e.write('Machine.P.Pull', true);
    run(e, 300);
    expect(Number(e.read('Machine.P.Force'))).toBeCloseTo(30, 0);
    expect(scansUntil(e, () => e.read('Machine.P.Slipped') === true)).toBeLessThan(25);
    expect(e.read('Machine.P.Force')).toBe(0);
  });
  it('the same seed makes the same pieces', () => {
    const play = (seed: string) => {
      const e = machine([{ name: 'W', type: 'WirePiece', parameters: { Seed: seed } }]);
      return Array.from({ length: 5 }, () => {
        for (const [k, v] of Object.entries({
          WireOut: 80,
          Clamp: 1,
          Blade: 1,
          Press: 0,
          Chute: false,
          FerruleIn: true,
        }))
          e.write(`Machine.W.${k}`, v);
        run(e, 10);
        e.write('Machine.W.Press', 1);
        run(e, 10);
        const holds = e.read('Machine.W.Holds');
        e.write('Machine.W.Press', 0);
        e.write('Machine.W.Blade', 0);
        e.write('Machine.W.Clamp', 0);
        e.write('Machine.W.Chute', true);
        run(e, 10);
        return holds;
      });
    };
    const a = play('7');
    expect(play('7')).toEqual(a);
    expect(play('8')).not.toEqual(a);
    expect(new Set(a).size).toBe(5);
    for (const h of a) expect(Math.abs(Number(h) - 82)).toBeLessThanOrEqual(9);
  });
});

describe('wiring', () => {
  const base = ladderProject(['In AT %IX0.0 : BOOL', 'Out AT %QX0.0 : BOOL', 'Level AT %ID4 : REAL'], ['In -> Out']);
  const problems = (devices: readonly Device[]) =>
    compile([{ kind: 'project', name: 'm', project: { ...base, machine: { devices } } }]).diagnostics.map(
      (d) => d.code,
    );
  it.each([
    ['an unknown kind', [{ id: 'a', name: 'X', type: 'Teapot' }], 'UNKNOWN_DEVICE'],
    ['an unknown terminal', [{ id: 'a', name: 'X', type: 'PushButton', wires: { NX: 'In' } }], 'UNKNOWN_TERMINAL'],
    [
      'another type at the other end',
      [{ id: 'a', name: 'X', type: 'PushButton', wires: { NO: 'Level' } }],
      'TYPE_MISMATCH',
    ],
    [
      'an input with two sources',
      [
        { id: 'a', name: 'X', type: 'PushButton', wires: { NO: 'In' } },
        { id: 'b', name: 'Y', type: 'PushButton', wires: { NO: 'In' } },
      ],
      'WIRED_TWICE',
    ],
    ['a wire to nothing', [{ id: 'a', name: 'X', type: 'PushButton', wires: { NO: 'Nowhere' } }], 'UNKNOWN_NAME'],
    [
      'a link written at the wrong end',
      [
        { id: 'a', name: 'X', type: 'Actuator', wires: { Position: 'Y.NO' } },
        { id: 'b', name: 'Y', type: 'PushButton' },
      ],
      'BAD_WIRE',
    ],
    [
      'a parameter that does not exist',
      [{ id: 'a', name: 'X', type: 'Actuator', parameters: { Trave: '0.1' } }],
      'UNKNOWN_MEMBER',
    ],
    [
      'a parameter of another type',
      [{ id: 'a', name: 'X', type: 'Actuator', parameters: { Travel: 'TRUE' } }],
      'TYPE_MISMATCH',
    ],
  ] as const)('%s is marked on the device', (_, devices, code) => {
    expect(problems(devices as readonly Device[])).toContain(code);
  });
  it('a press reaches the logic one scan later, an output the device in the same scan', () => {
    const e = machine(
      [
        { name: 'B', type: 'PushButton', wires: { NO: 'In' } },
        { name: 'L', type: 'Lamp', wires: { Power: 'Out' } },
      ],
      base,
    );
    e.write('Machine.B.Pressed', true);
    e.runScan();
    expect([e.read('In'), e.read('Machine.L.Lit')]).toEqual([false, false]);
    e.runScan();
    expect([e.read('In'), e.read('Out'), e.read('Machine.L.Lit')]).toEqual([true, true, true]);
  });
});

describe('drives', () => {
  it('a motor runs up and down, and an overload drops it out', () => {
    const e = machine([{ name: 'M', type: 'Motor', parameters: { RunUp: '0.5', RunDown: '1.0' } }]);
    e.write('Machine.M.Run', true);
    expect(scansUntil(e, () => Number(e.read('Machine.M.Speed')) > 0.99)).toBeGreaterThanOrEqual(49);
    expect([e.read('Machine.M.Running'), e.read('Machine.M.OverloadOK')]).toEqual([true, true]);
    run(e, 500);
    expect(Number(e.read('Machine.M.Current'))).toBeCloseTo(6, 1);
    e.write('Machine.M.Overload', true);
    run(e, 20);
    expect([e.read('Machine.M.Running'), e.read('Machine.M.OverloadOK'), e.read('Machine.M.Current')]).toEqual([
      false,
      false,
      0,
    ]);
    expect(scansUntil(e, () => e.read('Machine.M.Speed') === 0)).toBeGreaterThan(90);
  });
  it('an axis goes where it is sent, no further than it reaches', () => {
    const e = machine([{ name: 'A', type: 'Servo', parameters: { Speed: '100.0', Length: '50.0' } }]);
    e.write('Machine.A.Enable', true);
    e.write('Machine.A.Target', 20);
    expect(
      scansUntil(e, () => e.read('Machine.A.InPosition') === true && Number(e.read('Machine.A.Position')) > 19),
    ).toBeGreaterThanOrEqual(19);
    e.write('Machine.A.Target', 90);
    run(e, 1000);
    expect(Number(e.read('Machine.A.Position'))).toBeCloseTo(50, 3);
  });
});

describe('flow and heat', () => {
  it('a tank fills from a pump, its switches close, and drains by a valve', () => {
    const e = machine([
      { name: 'P', type: 'Pump', parameters: { Rate: '5.0' } },
      { name: 'V', type: 'Valve', parameters: { Travel: '0.2' } },
      { name: 'T', type: 'Tank', parameters: { Volume: '20.0' }, wires: { FlowIn: 'P.Flow', Drain: 'V.Position' } },
    ]);
    e.write('Machine.P.Run', true);
    expect(scansUntil(e, () => e.read('Machine.T.LowOK') === true)).toBeLessThan(120);
    expect(scansUntil(e, () => e.read('Machine.T.High') === true)).toBeGreaterThan(280);
    e.write('Machine.P.Run', false);
    e.write('Machine.V.Open', true);
    run(e, 500);
    expect(e.read('Machine.V.IsOpen')).toBe(true);
    expect(scansUntil(e, () => e.read('Machine.T.LowOK') === false, 5000)).toBeLessThan(2000);
  });
  it('a heater comes to what its power gives, with a lag; a broken probe reads far too much', () => {
    const e = machine([{ name: 'H', type: 'Heater', parameters: { Gain: '100.0', Lag: '2.0', Probe: '0.1' } }]);
    e.write('Machine.H.Power', 0.5);
    run(e, 2000);
    expect(Number(e.read('Machine.H.Temperature'))).toBeGreaterThan(45);
    expect(Number(e.read('Machine.H.Temperature'))).toBeLessThan(55);
    run(e, 20_000);
    expect(Number(e.read('Machine.H.Temperature'))).toBeCloseTo(70, 0);
    e.write('Machine.H.BrokenWire', true);
    run(e, 10);
    expect(e.read('Machine.H.Temperature')).toBe(1200);
  });
  it('a sensor flickers within its noise, the same each time', () => {
    const values = () => {
      const e = machine([{ name: 'S', type: 'AnalogSensor', parameters: { Noise: '0.5' } }]);
      e.write('Machine.S.Value', 10);
      run(e, 3000);
      return Array.from({ length: 50 }, () => {
        e.runScan();
        return Number(e.read('Machine.S.Signal'));
      });
    };
    const a = values();
    expect(a.every((v) => v > 9.4 && v < 10.6)).toBe(true);
    expect(new Set(a).size).toBeGreaterThan(20);
    expect(values()).toEqual(a);
  });
  it('a scale settles, and says when', () => {
    const e = machine([{ name: 'S', type: 'Scale' }]);
    run(e, 1000);
    e.write('Machine.S.Load', 5);
    run(e, 100);
    expect(e.read('Machine.S.Stable')).toBe(false);
    run(e, 4000);
    expect(e.read('Machine.S.Stable')).toBe(true);
    expect(Number(e.read('Machine.S.Weight'))).toBeCloseTo(5, 1);
  });
  it('a duct gives less to each of more branches, and a clogged filter less to all', () => {
    const e = machine([{ name: 'D', type: 'Duct' }]);
    e.write('Machine.D.Fan', 1);
    e.write('Machine.D.Gate1', 1);
    run(e, 20);
    const one = Number(e.read('Machine.D.Draught'));
    e.write('Machine.D.Gate2', 1);
    e.write('Machine.D.Gate3', 1);
    run(e, 20);
    const three = Number(e.read('Machine.D.Draught'));
    expect(three).toBeLessThan(one * 0.6);
    e.write('Machine.D.Clogged', true);
    run(e, 20);
    expect(Number(e.read('Machine.D.Draught'))).toBeLessThan(three * 0.5);
  });
});

describe('wiring', () => {
  const tag = (name: string, type: string, address?: string) => ({
    id: name,
    name,
    type,
    ...(address ? { address } : {}),
  });
  it('what matches by name and type is wired, each input once; the rest is told', () => {
    const project: Project = {
      ...emptyProject('W'),
      tags: [
        tag('StartPB', 'BOOL', '%IX0.0'),
        tag('StopOK', 'BOOL', '%IX0.1'),
        tag('GateOpen', 'BOOL', '%IX0.2'),
        tag('GateShut', 'BOOL', '%IX0.3'),
        tag('GateValve', 'BOOL', '%QX0.0'),
        tag('FanMotor', 'BOOL', '%QX0.1'),
        tag('FanRunning', 'BOOL', '%IX0.4'),
        tag('LampReady', 'BOOL', '%QX0.2'),
      ],
      machine: {
        devices: [
          { id: 'a', name: 'Start', type: 'PushButton' },
          { id: 'b', name: 'Stop', type: 'PushButton' },
          { id: 'c', name: 'Gate', type: 'Valve' },
          { id: 'd', name: 'Fan', type: 'Motor' },
          { id: 'e', name: 'Ready', type: 'Lamp' },
          { id: 'f', name: 'Start2', type: 'PushButton', wires: { NO: 'Other' } },
        ],
      },
    };
    expect(Object.fromEntries(wiresThatMatch(project).map((w) => [w.device.name, w.wires]))).toEqual({
      Start: { NO: 'StartPB' },
      Stop: { NC: 'StopOK' },
      Gate: { Open: 'GateValve', IsOpen: 'GateOpen', IsShut: 'GateShut' },
      Fan: { Run: 'FanMotor', Running: 'FanRunning' },
      Ready: { Power: 'LampReady' },
    });
    expect(looseEnds(project).map((l) => `${l.device}.${l.terminal}`)).toContain('Fan.Run');
    const twice = {
      ...project,
      machine: {
        devices: [
          { id: 'a', name: 'A', type: 'PushButton', wires: { NO: 'StartPB' } },
          { id: 'b', name: 'B', type: 'PushButton', wires: { NO: 'StartPB' } },
        ],
      },
    };
    expect(looseEnds(twice)).toEqual([
      { device: 'A', terminal: 'NO', what: 'twice' },
      { device: 'B', terminal: 'NO', what: 'twice' },
    ]);
  });
  it('a belt whose sensor at the end is all that is wired has no stop of its own to be missed', () => {
    const missing = (wires: Record<string, string>) =>
      looseEnds({
        ...ladderProject(['Run : BOOL', 'There : BOOL'], []),
        machine: { devices: [{ id: 'b', name: 'Belt', type: 'Conveyor', wires }] },
      }).map((l) => l.terminal);
    expect(missing({})).toEqual(['Run', 'Stop', 'AtStop', 'AtEnd']);
    expect(missing({ Run: 'Run', AtEnd: 'There' })).toEqual([]);
    expect(missing({ Run: 'Run', AtStop: 'There' })).toEqual(['Stop']);
  });
});

describe('a kiln', () => {
  const near = (e: Engine, path: string, value: number, by: number) =>
    expect(Math.abs((e.read(path) as number) - value), `${path} = ${String(e.read(path))}`).toBeLessThanOrEqual(by);
  it('a cart goes no further than a shut door, and on through an open one; it comes back fired', () => {
    const e = machine([{ name: 'T', type: 'CartTrack' }]);
    e.write('Machine.T.Load', true);
    run(e, 20);
    expect([e.read('Machine.T.Present'), e.read('Machine.T.AtTable')]).toEqual([true, true]);
    e.write('Machine.T.Forward', true);
    run(e, 10_000);
    expect([e.read('Machine.T.Crash'), e.read('Machine.T.InLock')]).toEqual([true, false]);
    near(e, 'Machine.T.Place', 0.6, 0.02);
    e.write('Machine.T.Outer', 1);
    expect(scansUntil(e, () => e.read('Machine.T.InLock') === true)).toBeLessThan(400);
    expect(e.read('Machine.T.Crash')).toBe(false);
    e.write('Machine.T.Inner', 1);
    e.write('Machine.T.Heat', 1000);
    expect(scansUntil(e, () => e.read('Machine.T.InKiln') === true)).toBeLessThan(600);
    e.write('Machine.T.Forward', false);
    e.write('Machine.T.Backward', true);
    expect(scansUntil(e, () => e.read('Machine.T.AtTable') === true)).toBeGreaterThan(900);
    e.write('Machine.T.Unload', true);
    run(e, 20);
    expect([e.read('Machine.T.Present'), e.read('Machine.T.Total')]).toEqual([false, 1n]);
  });
  it('the cart stands when it is stuck, overloaded, or driven both ways', () => {
    const e = machine([{ name: 'T', type: 'CartTrack' }]);
    e.write('Machine.T.Load', true);
    e.write('Machine.T.Outer', 1);
    e.write('Machine.T.Forward', true);
    run(e, 500);
    for (const [path, back] of [
      ['Stuck', false],
      ['Overload', false],
      ['Backward', false],
    ] as const) {
      e.write(`Machine.T.${path}`, true);
      run(e, 10);
      const at = e.read('Machine.T.Place');
      run(e, 300);
      expect(e.read('Machine.T.Place')).toBe(at);
      e.write(`Machine.T.${path}`, back);
    }
  });
  it('the chamber comes up to what its power gives, and cools faster with the damper open', () => {
    const warm = (damper: number) => {
      const e = machine([{ name: 'C', type: 'KilnChamber', parameters: { Lag: '10.0' } }]);
      for (const z of [1, 2, 3]) e.write(`Machine.C.Power${z}`, 0.5);
      run(e, 1000);
      near(e, 'Machine.C.Zone2', 20, 0.1);
      e.write('Machine.C.Supply', 1);
      run(e, 100_000);
      near(e, 'Machine.C.Zone2', 770, 40);
      expect(e.read('Machine.C.Zone1') as number).toBeLessThan(e.read('Machine.C.Zone3') as number);
      e.write('Machine.C.Supply', 0);
      e.write('Machine.C.Damper', damper);
      return scansUntil(e, () => (e.read('Machine.C.Zone2') as number) < 100, 20_000);
    };
    expect(warm(0) / warm(1)).toBeGreaterThan(2);
  });
  it('its limit thermostat opens, a broken thermocouple reads nonsense', () => {
    const e = machine([{ name: 'C', type: 'KilnChamber', parameters: { Lag: '10.0', LimitAt: '500.0' } }]);
    e.write('Machine.C.Supply', 1);
    e.write('Machine.C.Zone3StuckOn', true);
    expect(e.read('Machine.C.LimitOK')).toBe(true);
    expect(scansUntil(e, () => e.read('Machine.C.LimitOK') === false, 20_000)).toBeLessThan(20_000);
    e.write('Machine.C.Probe1Broken', true);
    run(e, 10);
    expect(e.read('Machine.C.Zone1')).toBe(1800);
  });
  it('a contactor pulls in late; welded it stays in without its coil', () => {
    const e = machine([{ name: 'K', type: 'Contactor' }]);
    e.write('Machine.K.Coil', true);
    const scans = scansUntil(e, () => e.read('Machine.K.Aux') === true);
    expect(scans).toBeGreaterThan(4);
    e.write('Machine.K.Welded', true);
    e.write('Machine.K.Coil', false);
    run(e, 500);
    expect([e.read('Machine.K.Aux'), e.read('Machine.K.Closed')]).toEqual([true, 1]);
    e.write('Machine.K.Welded', false);
    run(e, 500);
    expect(e.read('Machine.K.Aux')).toBe(false);
  });
});

describe('upsets at random', () => {
  const project: Project = {
    ...emptyProject('M'),
    machine: {
      devices: [
        { id: 'a', name: 'A', type: 'Actuator' },
        { id: 'b', name: 'B', type: 'PushButton' },
        { id: 'c', name: 'L', type: 'Selector' },
      ],
    },
  };
  it('law: one at a time, within its turn, and the same for the same seed', () => {
    const upsets = upsetsOf(project);
    expect(upsets).toContain('Machine.B.BrokenWire');
    fc.assert(
      fc.property(fc.integer(), fc.nat(1_000_000), fc.integer({ min: 4, max: 100_000 }), (seed, turn, scans) => {
        const u = chanceUpset(upsets, seed, turn, scans)!;
        expect(chanceUpset(upsets, seed, turn, scans)).toEqual(u);
        expect(upsets).toContain(u.path);
        expect(u.from).toBeGreaterThanOrEqual(0);
        expect(u.lasts).toBeGreaterThanOrEqual(1);
        expect(u.from + u.lasts).toBeLessThanOrEqual(scans);
      }),
    );
  });
  it('everything comes to pass in time, seeds differ, and nothing to upset is no trouble', () => {
    const upsets = upsetsOf(project),
      seen = (seed: number) => Array.from({ length: 80 }, (_, n) => chanceUpset(upsets, seed, n, 1000)!.path);
    expect(new Set(seen(1)).size).toBe(upsets.length);
    expect(seen(1)).not.toEqual(seen(2));
    expect(chanceUpset([], 1, 0, 1000)).toBe(undefined);
  });
});
