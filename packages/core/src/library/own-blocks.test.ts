/** Ferrule's own blocks: what each is for, at its limits and with wrong settings. */
import { describe, expect, it } from 'vitest';
import { OWN_BLOCKS, STANDARD_BLOCKS } from '../language.js';
import { compile } from '../workspace.js';
import { engineOf, program } from '../../test/support.js';

/** An engine around one block `b` with these inputs as variables of the program. */
function around(type: string, inputs: Record<string, string>, fixed: Record<string, string> = {}, more = '') {
  const e = engineOf(
    program(
      `b : ${type}; ${Object.entries(inputs)
        .map(([n, t]) => `v_${n} : ${t};`)
        .join(' ')} ${more}`,
      `b(${[...Object.keys(inputs).map((n) => `${n} := v_${n}`), ...Object.entries(fixed).map(([k, v]) => `${k} := ${v}`)].join(', ')});`,
    ),
  );
  return {
    e,
    scan: (values: Record<string, number | boolean | bigint>, output: string, scans = 1) => {
      for (const [n, v] of Object.entries(values)) e.write(`P.v_${n}`, v);
      for (let i = 0; i < scans; i++) if (!e.runScan()) throw new Error(e.faultLine());
      const v = e.read(`P.b.${output}`);
      return typeof v === 'bigint' ? Number(v) : typeof v === 'number' ? Math.round(v * 1000) / 1000 : v;
    },
  };
}

describe('SCALE', () => {
  const s = () =>
    around('SCALE', { IN: 'REAL', IN_LOW: 'REAL', IN_HIGH: 'REAL', OUT_LOW: 'REAL', OUT_HIGH: 'REAL', CLAMP: 'BOOL' });
  const card = { IN_LOW: 0, IN_HIGH: 27648, OUT_LOW: 0, OUT_HIGH: 10, CLAMP: true };
  it('from one range to another', () => {
    const b = s();
    expect(b.scan({ ...card, IN: 13824 }, 'OUT')).toBe(5);
    expect(b.scan({ IN: 27648 }, 'OUT')).toBe(10);
  });
  it('stops at the ends and says so', () => {
    const b = s();
    expect(b.scan({ ...card, IN: 30000 }, 'OUT')).toBe(10);
    expect(b.e.read('P.b.OUTSIDE')).toBe(true);
    expect(b.scan({ CLAMP: false, IN: 41472 }, 'OUT')).toBe(15);
  });
  it('a range turned round', () => {
    const b = s();
    expect(b.scan({ ...card, OUT_LOW: 10, OUT_HIGH: 0, IN: 6912 }, 'OUT')).toBe(7.5);
    expect(b.scan({ IN: -5 }, 'OUT')).toBe(10);
  });
  it('a range of nothing gives its lower end, not infinity', () => {
    const b = s();
    expect(b.scan({ ...card, IN_HIGH: 0, IN: 7 }, 'OUT')).toBe(0);
    expect(b.e.read('P.b.OUTSIDE')).toBe(true);
  });
});

describe('HYSTERESIS', () => {
  it('on above, off below, as it was in between', () => {
    const b = around('HYSTERESIS', { IN: 'REAL' }, { ON_ABOVE: '80.0', OFF_BELOW: '75.0' });
    expect([70, 79, 80, 81, 78, 75, 74, 79].map((v) => b.scan({ IN: v }, 'Q'))).toEqual([
      false,
      false,
      false,
      true,
      true,
      true,
      false,
      false,
    ]);
  });
  it('limits the wrong way round keep it off and say so', () => {
    const b = around('HYSTERESIS', { IN: 'REAL' }, { ON_ABOVE: '70.0', OFF_BELOW: '75.0' });
    expect(b.scan({ IN: 100 }, 'Q')).toBe(false);
    expect(b.e.read('P.b.WRONG')).toBe(true);
  });
});

describe('RAMP', () => {
  const r = () =>
    around('RAMP', { IN: 'REAL', HOLD: 'BOOL', JUMP: 'BOOL' }, { UP: '50.0', DOWN: '100.0', TARGET: '7.0' });
  it('so much a second, whatever the scan', () => {
    const b = r();
    expect(b.scan({ IN: 10 }, 'OUT', 11)).toBe(5);
    expect(b.scan({}, 'OUT', 20)).toBe(10);
    expect(b.e.read('P.b.DONE')).toBe(true);
    expect(b.scan({ IN: 0 }, 'OUT', 5)).toBe(5);
  });
  it('in a slower task it takes as long', () => {
    const e = engineOf(`PROGRAM Q VAR b : RAMP; END_VAR b(IN := 100.0, UP := 50.0); END_PROGRAM
      CONFIGURATION C RESOURCE R ON Any TASK Slow(INTERVAL := T#50ms, PRIORITY := 1); PROGRAM P WITH Slow : Q; END_RESOURCE END_CONFIGURATION`);
    for (let i = 0; i < 101; i++) e.runScan();
    expect(e.read('P.b.OUT')).toBeCloseTo(50, 3);
  });
  it('holds, and jumps', () => {
    const b = r();
    b.scan({ IN: 10 }, 'OUT', 5);
    expect(b.scan({ HOLD: true }, 'OUT', 9)).toBe(2);
    expect(b.scan({ JUMP: true }, 'OUT')).toBe(7);
  });
  it('never past the set-point', () => {
    const b = r();
    for (let i = 0; i < 60; i++) expect(b.scan({ IN: 1.23 }, 'OUT')).toBeLessThanOrEqual(1.23);
  });
});

describe('PID', () => {
  it('with P alone', () => {
    const b = around('PID', { PV: 'REAL', SP: 'REAL' }, { KP: '2.0' });
    expect(b.scan({ PV: 40, SP: 50 }, 'OUT')).toBe(20);
    expect(b.scan({ PV: 60 }, 'OUT')).toBe(0);
  });
  it('brings a lagging process to its set-point and holds it there', () => {
    const e = engineOf(
      program(
        'c : PID; t : REAL := 20.0;',
        'c(PV := t, SP := 60.0, KP := 4.0, TI := T#8s, TD := T#500ms); t := t + ((c.OUT * 1.0 + 20.0) - t) / 500.0;',
      ),
    );
    let most = 0;
    for (let i = 0; i < 20_000; i++) {
      e.runScan();
      most = Math.max(most, e.read('P.t') as number);
    }
    expect(e.read('P.t') as number).toBeCloseTo(60, 1);
    expect(most).toBeLessThan(64);
  });
  it('does not wind up at a limit: it leaves as soon as the difference turns', () => {
    const b = around('PID', { PV: 'REAL', SP: 'REAL' }, { KP: '1.0', TI: 'T#1s' });
    b.scan({ PV: 0, SP: 500 }, 'OUT', 1000);
    expect(b.e.read('P.b.OUT')).toBe(100);
    expect(b.scan({ PV: 600 }, 'OUT', 5)).toBeLessThan(100);
  });
  it('takes over from manual without a jump', () => {
    const b = around('PID', { PV: 'REAL', SP: 'REAL', MANUAL: 'BOOL', BY_HAND: 'REAL' }, { KP: '2.0', TI: 'T#10s' });
    expect(b.scan({ PV: 40, SP: 50, MANUAL: true, BY_HAND: 35 }, 'OUT', 20)).toBe(35);
    expect(b.scan({ MANUAL: false }, 'OUT')).toBeCloseTo(35, 0);
  });
});

describe('WRAP_COUNTER', () => {
  it('counts 0 to PV - 1 and starts again', () => {
    const b = around('WRAP_COUNTER', { CU: 'BOOL', R: 'BOOL' }, { PV: '3' });
    expect([true, false, true, true, false, true, false, true].map((v) => b.scan({ CU: v }, 'CV'))).toEqual([
      1, 1, 2, 2, 2, 0, 0, 1,
    ]);
    expect(b.scan({ R: true }, 'CV')).toBe(0);
  });
});

describe('RETENTIVE_DELAY', () => {
  const t = () => around('RETENTIVE_DELAY', { IN: 'BOOL', R: 'BOOL' }, { PT: 'T#50ms' });
  it('keeps its time while IN is off', () => {
    const b = t();
    b.scan({ IN: true }, 'ET', 4);
    expect(b.e.read('P.b.ET')).toBe(30_000_000n);
    b.scan({ IN: false }, 'ET', 50);
    expect(b.e.read('P.b.ET')).toBe(30_000_000n);
    expect(b.scan({ IN: true }, 'Q', 2)).toBe(false);
    expect(b.scan({}, 'Q', 1)).toBe(true);
    expect(b.scan({ IN: false }, 'Q', 9)).toBe(true);
  });
  it('until it is reset', () => {
    const b = t();
    b.scan({ IN: true }, 'Q', 9);
    expect(b.scan({ R: true }, 'Q')).toBe(false);
    expect(b.e.read('P.b.ET')).toBe(0n);
  });
});

describe('BLINK', () => {
  it('on first, then off and on by its times; off at once when it is not wanted', () => {
    const b = around('BLINK', { IN: 'BOOL' }, { ON_TIME: 'T#20ms', OFF_TIME: 'T#30ms' });
    expect(Array.from({ length: 11 }, () => (b.scan({ IN: true }, 'Q') ? 1 : 0)).join('')).toBe('11000110001');
    expect(b.scan({ IN: false }, 'Q')).toBe(false);
  });
});

describe('TWO_HAND', () => {
  const h = () => around('TWO_HAND', { LEFT_HAND: 'BOOL', RIGHT_HAND: 'BOOL' }, { WITHIN: 'T#100ms' });
  it('both within the time', () => {
    const b = h();
    expect(b.scan({ LEFT_HAND: true }, 'Q', 5)).toBe(false);
    expect(b.scan({ RIGHT_HAND: true }, 'Q')).toBe(true);
  });
  it('too late is not at all, until both are let go', () => {
    const b = h();
    b.scan({ LEFT_HAND: true }, 'Q', 20);
    expect(b.scan({ RIGHT_HAND: true }, 'Q', 3)).toBe(false);
    expect(b.e.read('P.b.TOO_LATE')).toBe(true);
    b.scan({ LEFT_HAND: false }, 'Q');
    expect(b.scan({ LEFT_HAND: true }, 'Q')).toBe(false);
    b.scan({ LEFT_HAND: false, RIGHT_HAND: false }, 'Q');
    expect(b.scan({ LEFT_HAND: true, RIGHT_HAND: true }, 'Q')).toBe(true);
  });
  it('one hand off stops it; a button tied down does not help', () => {
    const b = h();
    b.scan({ LEFT_HAND: true, RIGHT_HAND: true }, 'Q');
    expect(b.scan({ RIGHT_HAND: false }, 'Q')).toBe(false);
    expect(b.scan({ RIGHT_HAND: true }, 'Q', 2)).toBe(false);
  });
});

describe('DRUM', () => {
  const text = program(
    'd : DRUM; run, next, r : BOOL; p : ARRAY [1..3] OF WORD := [16#0001, 16#0106, 16#0004]; t : ARRAY [0..2] OF TIME := [T#20ms, T#0s, T#10ms]; steps : INT := 3;',
    'd(RUN := run, NEXT := next, R := r, STEPS := steps, MASK := 16#00FF, PATTERNS := p, TIMES := t);',
  );
  it('step by step by time, by hand where there is none, and 0 at the end', () => {
    const e = engineOf(text);
    const scan = (run: boolean, next = false) => {
      e.write('P.run', run);
      e.write('P.next', next);
      e.runScan();
      return Number(e.read('P.d.OUT'));
    };
    expect([scan(false), scan(true), scan(true), scan(true)]).toEqual([0, 1, 1, 6]);
    expect([scan(true), scan(true), scan(true, true), scan(true, true)]).toEqual([6, 6, 4, 0]);
    expect(e.read('P.d.DONE')).toBe(true);
  });
  it('more steps than the table has is a fault with its place', () => {
    const e = engineOf(text, true);
    e.write('P.run', true);
    e.write('P.steps', 9n);
    let ok = true;
    for (let i = 0; i < 20 && ok; i++) {
      e.write('P.next', i % 2 === 0);
      ok = e.runScan();
    }
    expect(e.fault?.kind).toBe('INDEX');
    expect(e.fault?.path).toHaveLength(1);
  });
});

it('what the help shows of each block is right', () => {
  for (const b of OWN_BLOCKS) {
    expect(b.text).toContain(`FUNCTION_BLOCK ${b.name}\n`);
    expect(b.about).toMatch(/\.$/);
    const use = b.use!;
    const instance = /^(\w+)\(/.exec(use)![1]!;
    const names = [
      ...new Set([...use.matchAll(/:= ([A-Z]\w+)(?=[,);])|; (\w+) := /g)].map((m) => m[1] ?? m[2]!)),
    ].filter((n) => n !== instance && !n.startsWith(`${instance}.`) && !/^(T|INT_TO_REAL|TRUE|FALSE)$/.test(n));
    const types = (n: string) =>
      ({
        WashPatterns: 'ARRAY [1..3] OF WORD',
        WashTimes: 'ARRAY [1..3] OF TIME',
        Valves: 'WORD',
        CurrentPlace: 'INT',
      })[n] ?? (['Temperature', 'SetSpeed', 'Drive', 'Wanted', 'Valve', 'Pressure'].includes(n) ? 'REAL' : 'BOOL');
    const c = compile([
      {
        kind: 'text',
        name: 't',
        text: `PROGRAM P VAR ${instance} : ${b.name}; Raw : INT; ${names.map((n) => `${n} : ${types(n)};`).join(' ')} END_VAR ${use} END_PROGRAM`,
      },
    ]);
    expect(c.diagnostics.filter((d) => d.severity === 'error').map((d) => `${b.name}: ${d.message}`)).toEqual([]);
  }
});

it('every block of the standard has its text in the help', () => {
  for (const b of STANDARD_BLOCKS)
    expect(b.text).toMatch(new RegExp(`^FUNCTION_BLOCK ${b.name}\\nVAR_INPUT[\\s\\S]+END_FUNCTION_BLOCK$`));
});
