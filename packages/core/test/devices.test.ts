/** The devices behave as their descriptions say: played alone, on the engine. */
import { describe, expect, it } from 'vitest';
import { DEVICE_KINDS, type Device, type Project, Engine, compile, deviceBlock, emptyProject } from '../src/index.js';
import { ladderProject } from './support.js';

function machine(devices: readonly Omit<Device, 'id'>[], base: Project = emptyProject('M')): Engine {
  const c = compile([{ kind: 'project', name: 'm', project: { ...base, machine: { devices: devices.map((d, i) => ({ id: `d${i}`, ...d })) } } }]);
  if (c.hasErrors) throw new Error(c.diagnostics.map((d) => d.message).join('\n'));
  return new Engine(c.build(false), { stepNs: 10_000_000n, wires: c.wires });
}
const run = (e: Engine, ms: number) => { for (let i = 0; i < ms / 10; i++) e.runScan(); };
const scansUntil = (e: Engine, done: () => boolean, most = 1000) => { let n = 0; while (!done() && n < most) { e.runScan(); n++; } return n; };

it.each(DEVICE_KINDS.map((k) => [k.type, k] as const))('%s compiles, and says what everything is for', (_, k) => {
  expect(compile([{ kind: 'text', name: `${k.type}.st`, text: deviceBlock(k) }]).diagnostics).toEqual([]);
  for (const x of [...k.terminals, ...k.parameters, ...k.upsets, ...k.handles]) expect(x.help.length).toBeGreaterThan(5);
  expect(k.help).toMatch(/[.:]/);
});

describe('what a person touches', () => {
  it('a push button has both contacts, a broken wire opens both', () => {
    const e = machine([{ name: 'B', type: 'PushButton' }]);
    const contacts = () => { run(e, 10); return [e.read('Machine.B.NO'), e.read('Machine.B.NC')]; };
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
    const values = [5, 12.5, 99].map((v) => { e.write('Machine.P.Entry', v); run(e, 10); return e.read('Machine.P.Value'); });
    expect(values).toEqual([10, 12.5, 20]);
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
    for (let i = 0; i < 200; i++) { e.write('Machine.C.Out', i % 37 < 20); e.runScan(); expect(e.read('Machine.C.AtHome') && e.read('Machine.C.AtEnd')).toBe(false); }
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
    e.write('Machine.T.Taken', true); e.write('Machine.T.Release', false);
    run(e, 10);
    e.write('Machine.T.Taken', false); e.write('Machine.T.Blocked', true); e.write('Machine.T.Release', true);
    run(e, 300);
    expect([e.read('Machine.T.InPlace'), e.read('Machine.T.Low')]).toEqual([false, false]);
    e.write('Machine.T.Blocked', false); e.write('Machine.T.Release', false);
    run(e, 10);
    e.write('Machine.T.Release', true);
    run(e, 200);
    expect([e.read('Machine.T.InPlace'), e.read('Machine.T.Low')]).toEqual([true, true]);
  });
  it('the pull tester raises its force until the ferrule slips', () => {
    const e = machine([{ name: 'P', type: 'PullTester', parameters: { Rate: '100.0' } }]);
    e.write('Machine.P.Holds', 50); e.write('Machine.P.Pull', true);
    run(e, 300);
    expect(Number(e.read('Machine.P.Force'))).toBeCloseTo(30, 0);
    expect(scansUntil(e, () => e.read('Machine.P.Slipped') === true)).toBeLessThan(25);
    expect(e.read('Machine.P.Force')).toBe(0);
  });
  it('the same seed makes the same pieces', () => {
    const play = (seed: string) => {
      const e = machine([{ name: 'W', type: 'WirePiece', parameters: { Seed: seed } }]);
      return Array.from({ length: 5 }, () => {
        for (const [k, v] of Object.entries({ WireOut: 80, Clamp: 1, Blade: 1, Press: 0, Chute: false, FerruleIn: true })) e.write(`Machine.W.${k}`, v);
        run(e, 10);
        e.write('Machine.W.Press', 1); run(e, 10);
        const holds = e.read('Machine.W.Holds');
        e.write('Machine.W.Press', 0); e.write('Machine.W.Blade', 0); e.write('Machine.W.Clamp', 0); e.write('Machine.W.Chute', true);
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
  const problems = (devices: readonly Device[]) => compile([{ kind: 'project', name: 'm', project: { ...base, machine: { devices } } }]).diagnostics.map((d) => d.code);
  it.each([
    ['an unknown kind', [{ id: 'a', name: 'X', type: 'Teapot' }], 'UNKNOWN_DEVICE'],
    ['an unknown terminal', [{ id: 'a', name: 'X', type: 'PushButton', wires: { NX: 'In' } }], 'UNKNOWN_TERMINAL'],
    ['another type at the other end', [{ id: 'a', name: 'X', type: 'PushButton', wires: { NO: 'Level' } }], 'TYPE_MISMATCH'],
    ['an input with two sources', [{ id: 'a', name: 'X', type: 'PushButton', wires: { NO: 'In' } }, { id: 'b', name: 'Y', type: 'PushButton', wires: { NO: 'In' } }], 'WIRED_TWICE'],
    ['a wire to nothing', [{ id: 'a', name: 'X', type: 'PushButton', wires: { NO: 'Nowhere' } }], 'UNKNOWN_NAME'],
    ['a link written at the wrong end', [{ id: 'a', name: 'X', type: 'Actuator', wires: { Position: 'Y.NO' } }, { id: 'b', name: 'Y', type: 'PushButton' }], 'BAD_WIRE'],
    ['a parameter that does not exist', [{ id: 'a', name: 'X', type: 'Actuator', parameters: { Trave: '0.1' } }], 'UNKNOWN_MEMBER'],
    ['a parameter of another type', [{ id: 'a', name: 'X', type: 'Actuator', parameters: { Travel: 'TRUE' } }], 'TYPE_MISMATCH'],
  ] as const)('%s is marked on the device', (_, devices, code) => { expect(problems(devices as readonly Device[])).toContain(code); });
  it('a press reaches the logic one scan later, an output the device in the same scan', () => {
    const e = machine([{ name: 'B', type: 'PushButton', wires: { NO: 'In' } }, { name: 'L', type: 'Lamp', wires: { Power: 'Out' } }], base);
    e.write('Machine.B.Pressed', true);
    e.runScan();
    expect([e.read('In'), e.read('Machine.L.Lit')]).toEqual([false, false]);
    e.runScan();
    expect([e.read('In'), e.read('Out'), e.read('Machine.L.Lit')]).toEqual([true, true, true]);
  });
});
