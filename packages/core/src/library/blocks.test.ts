/** Standard function blocks against their timing diagrams (tables 43 to 46) and choices.md. */
import { describe, expect, it } from 'vitest';
import { engineOf, program } from '../../test/support.js';

/** Runs a block over a row of inputs, one a scan of 10 ms; gives the named outputs as text. */
function play(
  type: string,
  inputs: string,
  rows: string,
  outputs: readonly string[],
  more: Record<string, string> = {},
): string[] {
  const names = inputs.split(' ');
  const e = engineOf(
    program(
      `b : ${type}; ${names.map((n) => `${n} : BOOL;`).join(' ')}`,
      `b(${[...names.map((n) => `${n} := ${n}`), ...Object.entries(more).map(([k, v]) => `${k} := ${v}`)].join(', ')});`,
    ),
  );
  return rows.split(' ').map((row) => {
    names.forEach((n, i) => e.write(`P.${n}`, row[i] === '1'));
    e.runScan();
    return outputs
      .map((o) => {
        const v = e.read(`P.b.${o}`);
        return typeof v === 'boolean' ? (v ? '1' : '0') : o === 'ET' ? String(Number(v) / 1e6) : String(v);
      })
      .join(':');
  });
}

describe('timers', () => {
  it('TON comes on after PT and goes off with IN', () => {
    expect(play('TON', 'IN', '0 1 1 1 1 1 0 1', ['Q', 'ET'], { PT: 'T#30ms' })).toEqual([
      '0:0',
      '0:0',
      '0:10',
      '0:20',
      '1:30',
      '1:30',
      '0:0',
      '0:0',
    ]);
  });
  it('TON with PT 0 is on in the scan in which IN rises', () => {
    expect(play('TON', 'IN', '0 1 0', ['Q'], { PT: 'T#0s' })).toEqual(['0', '1', '0']);
  });
  it('TOF stays on for PT after IN fell, and starts anew when IN comes back', () => {
    expect(play('TOF', 'IN', '0 1 1 0 0 0 0 1 0 1', ['Q', 'ET'], { PT: 'T#30ms' })).toEqual([
      '0:0',
      '1:0',
      '1:0',
      '1:0',
      '1:10',
      '1:20',
      '0:30',
      '1:0',
      '1:0',
      '1:0',
    ]);
  });
  it('TOF with PT 0 drops in the scan in which IN falls', () => {
    expect(play('TOF', 'IN', '1 0', ['Q'], { PT: 'T#0s' })).toEqual(['1', '0']);
  });
  it('TP gives one pulse of PT, not started again while it lasts', () => {
    expect(play('TP', 'IN', '1 0 1 1 1 1 0 1', ['Q', 'ET'], { PT: 'T#30ms' })).toEqual([
      '1:0',
      '1:10',
      '1:20',
      '0:30',
      '0:30',
      '0:30',
      '0:0',
      '1:0',
    ]);
  });
});

describe('counters', () => {
  it('CTU counts rises, R wins', () => {
    expect(play('CTU', 'CU R', '10 10 00 10 11 01', ['Q', 'CV'], { PV: '2' })).toEqual([
      '0:1',
      '0:1',
      '0:1',
      '1:2',
      '0:0',
      '0:0',
    ]);
  });
  it('CTD counts down from what LD loads', () => {
    expect(play('CTD', 'CD LD', '01 10 00 10 00 10', ['Q', 'CV'], { PV: '2' })).toEqual([
      '0:2',
      '0:1',
      '0:1',
      '1:0',
      '1:0',
      '1:-1',
    ]);
  });
  it('CTUD does both; both at once cancel', () => {
    expect(play('CTUD', 'CU CD', '10 00 10 00 11 00 01', ['QU', 'QD', 'CV'], { PV: '2' })).toEqual([
      '0:0:1',
      '0:0:1',
      '1:0:2',
      '1:0:2',
      '1:0:2',
      '1:0:2',
      '0:0:1',
    ]);
  });
  it('stop at the ends of their type', () => {
    const e = engineOf(program('c : CTU_UINT; x : BOOL;', 'x := NOT x; c(CU := x, PV := 5);'));
    e.write('P.c.CV', 65534n);
    for (let i = 0; i < 6; i++) e.runScan();
    expect(e.read('P.c.CV')).toBe(65535n);
  });
});

describe('bistables and edges', () => {
  it('SR: set wins; RS: reset wins', () => {
    expect(play('SR', 'S1 R', '10 00 01 11', ['Q1'])).toEqual(['1', '1', '0', '1']);
    expect(play('RS', 'S R1', '10 00 01 11', ['Q1'])).toEqual(['1', '1', '0', '0']);
  });
  it('R_TRIG on each rise; F_TRIG on each fall, and on the first call with CLK off', () => {
    expect(play('R_TRIG', 'CLK', '0 1 1 0 1', ['Q'])).toEqual(['0', '1', '0', '0', '1']);
    expect(play('F_TRIG', 'CLK', '0 0 1 0 0', ['Q'])).toEqual(['1', '0', '0', '1', '0']);
  });
});
