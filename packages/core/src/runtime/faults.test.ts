/** Run-time faults: kind, place, values, and the calls on the way there. */
import { describe, expect, it } from 'vitest';
import { engineOf, ladderEngine } from '../../test/support.js';
import { compile } from '../workspace.js';
import { Engine } from '../bench.js';
import { placeText } from '../language.js';

const TEXT = `FUNCTION Rate : INT
VAR_INPUT n : INT; END_VAR
Rate := 100 / n;
END_FUNCTION
FUNCTION_BLOCK Feed
VAR_INPUT n : INT; END_VAR VAR_OUTPUT r : INT; END_VAR
METHOD PUBLIC Work : INT VAR_INPUT k : INT; END_VAR
Work := Rate(k);
END_METHOD
r := THIS.Work(n);
END_FUNCTION_BLOCK
PROGRAM P
VAR f : Feed; x : INT := 3; out : INT; END_VAR
f(n := x);
out := out + Rate(5);
f(n := x - 3, r => out);
END_PROGRAM`;

describe('a fault', () => {
  it('says the calls on the way, the innermost first, in the watched build', () => {
    const e = engineOf(TEXT, true);
    expect(e.runScan()).toBe(false);
    expect(e.fault).toMatchObject({ kind: 'DIVISION', scan: 0 });
    expect(placeText(e.fault!.at!)).toBe('t.st:3:9');
    expect(e.fault!.path.map(placeText)).toEqual(['t.st:16:1', 't.st:10:6', 't.st:8:9']);
    expect(e.faultPath()).toBe('called in 8:9, in 10:6, in 16:1');
    expect(e.fault!.message).toContain('100');
  });
  it('is the same in the plain build, which notes no calls', () => {
    const e = engineOf(TEXT, false);
    e.runScan();
    expect(e.fault).toMatchObject({ kind: 'DIVISION', path: [] });
    expect(placeText(e.fault!.at!)).toBe('t.st:3:9');
    expect(e.read('P.out')).toBe(20n);
  });
  it('in a program itself has no calls on the way', () => {
    const e = engineOf('PROGRAM P VAR a : ARRAY [1..3] OF INT; i : INT := 7; END_VAR a[i] := 1; END_PROGRAM', true);
    e.runScan();
    expect(e.fault).toMatchObject({ kind: 'INDEX', path: [] });
    expect(e.fault!.message).toContain('7');
    expect(e.faultPath()).toBe('');
  });
  it('after a restart the path starts anew', () => {
    const e = engineOf(TEXT, true);
    e.runScan();
    e.restart();
    e.runScan();
    expect(e.fault!.path).toHaveLength(3);
  });
  it('names the rung that called', () => {
    const c = compile([
      {
        kind: 'text',
        name: 'f.st',
        text: 'FUNCTION Half : BOOL VAR_INPUT n : INT; END_VAR Half := 10 / n > 2; END_FUNCTION',
      },
      {
        kind: 'project',
        name: 'p',
        project: {
          format: 'ferrule-project',
          version: 1,
          name: 'x',
          tags: [
            { id: 'n', name: 'N', type: 'INT' },
            { id: 'q', name: 'Q', type: 'BOOL' },
          ],
          types: [],
          pous: [
            { id: 'p', name: 'Main', language: 'LD', kind: 'program', rungs: [{ id: 'r', line: 'Half(N) -> Q' }] },
          ],
          tasks: [],
          machine: { devices: [] },
          checks: [],
          rules: [],
          scope: [],
        },
      },
    ]);
    const e = new Engine(c.build(true), { stepNs: 10_000_000n });
    e.runScan();
    expect(e.faultPath()).toBe('called in Main/rung 1/element 1');
  });
});

describe('blocks and functions in a rung', () => {
  it('a function works with power and gives its value to a tag; power goes on', () => {
    const e = ladderEngine(['A : BOOL', 'N : INT := 4', 'Sum : INT', 'Q : BOOL'], ['A & ADD(N, 3, OUT => Sum) -> Q']);
    e.runScan();
    expect([e.read('Sum'), e.read('Q')]).toEqual([0n, false]);
    e.write('A', true);
    e.runScan();
    expect([e.read('Sum'), e.read('Q')]).toEqual([7n, true]);
  });
  it('power into EN: the block is called with power only, and ENO is the power', () => {
    const e = ladderEngine(
      ['A : BOOL', 'C : CTU', 'Pulse : BOOL', 'Q : BOOL'],
      ['!Pulse -> Pulse', 'A & C@EN(CU := Pulse, PV := 2) -> Q'],
    );
    for (let i = 0; i < 4; i++) e.runScan();
    expect([e.read('C.CV'), e.read('Q')]).toEqual([0n, false]);
    e.write('A', true);
    for (let i = 0; i < 4; i++) e.runScan();
    expect([e.read('C.CV'), e.read('Q')]).toEqual([2n, true]);
  });
  it('power into EN, out of another pin', () => {
    const e = ladderEngine(['A : BOOL := TRUE', 'T : TON', 'Q : BOOL'], ['A & T@EN(IN := TRUE, PT := 20 ms).Q -> Q']);
    e.runScan();
    expect(e.read('Q')).toBe(false);
    for (let i = 0; i < 3; i++) e.runScan();
    expect(e.read('Q')).toBe(true);
  });
  it('a function that gives no BOOL says how to use it', () => {
    expect(() => ladderEngine(['N : INT', 'Q : BOOL'], ['ADD(N, 3) -> Q'])).toThrow('OUT => Tag');
  });
  it('keeps power of a rung of forty contacts', async () => {
    const { powerOf } = await import('./frame.js');
    const names = Array.from({ length: 40 }, (_, i) => `B${i}`);
    const e = ladderEngine([...names.map((n) => `${n} : BOOL := TRUE`), 'Q : BOOL'], [`${names.join(' & ')} -> Q`]);
    e.write('B36', false);
    e.runScan();
    const power = powerOf(e.view, e.image.probes.get('r1')!);
    expect(power).toEqual(Array.from({ length: 41 }, (_, i) => (i < 36 ? 7 : i === 36 ? 1 : i < 40 ? 4 : 0)));
  });
});
