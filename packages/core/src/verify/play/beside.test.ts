/** Rows that run beside each other, and expectations with windows of time. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { type CheckRow, type Project, renumbered } from '../../document.js';
import { completeSentence, planProof, prove } from '../../verify.js';
import { parseDo, parseExpect, parseRule, parseWhen } from '../../sentences/sentences.js';
import { ladderProject } from '../../../test/support.js';

const step = { stepNs: 10_000_000n };
/** A lamp comes so long after its switch, and a horn sounds for a time once the switch is on. */
const timed = (rows: readonly Omit<CheckRow, 'id'>[]): Project => ({
  ...ladderProject(
    [
      'Go AT %IX0.0 : BOOL',
      'Two AT %IX0.1 : BOOL',
      'Lamp AT %QX0.0 : BOOL',
      'Other AT %QX0.1 : BOOL',
      'Horn AT %QX0.2 : BOOL',
      'Delay : TON',
      'Short : TON',
      'Pulse : TP',
    ],
    ['Go & Delay(PT := 300 ms) -> Lamp', 'Two & Short(PT := 100 ms) -> Other', 'Lamp & Pulse(PT := 200 ms) -> Horn'],
  ),
  checks: [{ id: 'c', name: 'C', rows: rows.map((r, i) => ({ id: `k${i + 1}`, ...r })) }],
});
const played = (rows: readonly Omit<CheckRow, 'id'>[]) => prove(planProof(timed(rows), 'p'), step).checks[0]!;
const problems = (rows: readonly Omit<CheckRow, 'id'>[]) =>
  planProof(timed(rows), 'p').diagnostics.map((d) => d.message);

describe('windows of time', () => {
  it('are read in either form, with times or scans', () => {
    expect(parseExpect('DieDown is on after 300 ms ± 20 ms')).toMatchObject({
      value: { kind: 'window', condition: { text: 'DieDown' }, from: { ns: 280_000_000n }, to: { ns: 320_000_000n } },
    });
    for (const same of [
      'DieDown is on after 300 ± 20 ms',
      'DieDown is on between 280 ms and 320 ms',
      'DieDown is on after 0.3 s +/- 20 ms',
    ])
      expect(parseExpect(same)).toEqual(parseExpect('DieDown is on after 300 ms ± 20 ms'));
    expect(parseExpect('A after 5 scans +- 2 scans')).toMatchObject({
      value: { kind: 'window', from: { scans: 3 }, to: { scans: 7 } },
    });
    expect(parseExpect('Horn lasts 1 s ± 0.1 s within 5 s')).toMatchObject({
      value: { kind: 'lasts', from: { ns: 900_000_000n }, to: { ns: 1_100_000_000n }, limit: { ns: 5_000_000_000n } },
    });
    expect((parseExpect('Horn is on for 1 s ± 0.1 s') as { value: object }).value).not.toHaveProperty('limit');
  });
  it.each([
    ['A after 20 ms ± 30 ms', 'no window of time'],
    ['A after 5 scans ± 20 ms', 'no window of time'],
    ['A between 30 ms and 20 ms', 'the shorter one first'],
    ['A is on within 300 ms ± 20 ms', "'after'"],
  ])('%s is refused with a reason', (text, why) => {
    expect((parseExpect(text) as { error: string }).error).toContain(why);
  });
  it.each([
    ['Lamp is on after 300 ms ± 20 ms', 'after 0.31 s', true],
    ['Lamp is on between 0 ms and 200 ms', 'not so after 0.20 s', false],
    ['Lamp is on between 400 ms and 500 ms', 'already after 0.31 s', false],
    ['Horn lasts 200 ms ± 10 ms', 'lasted 0.20 s', true],
    ['Horn lasts 100 ms ± 10 ms', 'still so after 0.11 s', false],
    ['Horn lasts 400 ms ± 10 ms', 'ended after 0.20 s', false],
    ['Horn lasts 200 ms ± 10 ms within 100 ms', 'did not begin in 0.10 s', false],
    ['Lamp is off for 300 ms ± 20 ms', 'lasted 0.30 s', true],
    ['Lamp is on for 300 ms ± 20 ms', 'not so at 0.01 s', false],
  ])('%s: %s', (text, seen, ok) => {
    const c = played([{ do: ['set Go on'], expect: [text] }]);
    expect([c.ok, c.rows[0]!.seen]).toEqual([ok, seen]);
  });
});

describe('rows at the same time', () => {
  it('begin together with the row above, and each is judged by itself', () => {
    const c = played([
      { do: ['set Go on'], expect: ['Lamp is on after 300 ± 20 ms'] },
      { when: 'at the same time', do: ['set Two on'], expect: ['Other is on after 100 ± 20 ms'] },
      { when: 'at once', expect: ['Lamp is on', 'Other is on'] },
    ]);
    expect(c.rows.map((r) => [r.status, r.seen])).toEqual([
      ['ok', 'after 0.31 s'],
      ['ok', 'after 0.11 s'],
      ['ok', 'at 0.32 s; at 0.32 s'],
    ]);
  });
  it('may wait a time, or for a condition, from when the row above acted', () => {
    const c = played([
      { when: 'after 100 ms', do: ['set Go on'], expect: ['Lamp is on within 1 s'] },
      { when: 'at the same time, after 50 ms', do: ['set Two on'], expect: ['Other is on after 100 ± 20 ms'] },
      {
        when: 'at the same time as row 1, once Other is on',
        do: ['set Two off'],
        expect: ['Other is off within 2 scans', 'Lamp is off'],
      },
    ]);
    expect(c.ok).toBe(true);
    expect(c.recording.map((r) => r.scan)).toEqual([10, 15, 26]);
  });
  it('one that fails is the one that is shown, the others are cut short', () => {
    const c = played([
      { do: ['set Go on'], expect: ['Lamp is on within 1 s'] },
      { when: 'at the same time', expect: ['Other is on within 50 ms'] },
      { expect: ['Lamp is on'] },
    ]);
    expect(c.failure).toMatchObject({ row: 2, scan: 5, expected: 'Other is on within 50 ms' });
    expect(c.rows.map((r) => [r.status, r.seen])).toEqual([
      ['notReached', 'cut short'],
      ['failed', 'not so after 0.05 s'],
      ['notReached', 'not reached'],
    ]);
  });
  it('a never of an earlier row fails at that row', () => {
    const c = played([
      { do: ['set Go on'], expect: ['never Lamp is on'] },
      { when: 'after 1 s', expect: ['Other is off'] },
    ]);
    expect([c.failure!.row, c.rows.map((r) => r.status)]).toEqual([1, ['failed', 'notReached']]);
  });
  it.each([
    [[{ when: 'at the same time', expect: ['Lamp is off'] }], 'No row stands above'],
    [
      [
        { expect: ['Lamp is off'] },
        { expect: ['Lamp is off'] },
        { when: 'at the same time as row 1', expect: ['Lamp is off'] },
      ],
      'Row 1 is over by then',
    ],
    [
      [{ expect: ['Lamp is off'] }, { when: 'at the same time as row 2', expect: ['Lamp is off'] }],
      'does not stand above',
    ],
    [[{ expect: ['Lamp is off'] }, { when: 'at the same time, whenever', expect: ['Lamp is off'] }], 'is not a When'],
  ])('%#: what cannot be is said at the row', (rows, why) => {
    expect(problems(rows).join()).toContain(why);
  });
  it('a row that names another by its number goes with it when rows are put elsewhere', () => {
    const [a, b, c] = [
        { id: 'a' },
        { id: 'b', when: 'at the same time as row 1, after 50 ms' },
        { id: 'c', when: 'at the same time as Row 2' },
      ] as const,
      rows: readonly CheckRow[] = [a, b, c];
    expect(renumbered(rows, [{ id: 'new' }, a, b, c])).toEqual([
      { id: 'b', when: 'at the same time as row 2, after 50 ms' },
      { id: 'c', when: 'at the same time as Row 3' },
    ]);
    expect(renumbered(rows, [b, a, c])).toEqual([
      { id: 'b', when: 'at the same time as row 2, after 50 ms' },
      { id: 'c', when: 'at the same time as Row 1' },
    ]);
    // Of a row that is gone the number stays, and is told at its place.
    expect([renumbered(rows, rows), renumbered(rows, [b, c])]).toEqual([
      [],
      [{ id: 'c', when: 'at the same time as Row 1' }],
    ]);
  });
  it('two rows beside each other give the same whichever stands first', () => {
    const time = fc.integer({ min: 1, max: 60 }).map((n) => `${n * 10} ms`);
    fc.assert(
      fc.property(time, time, (a, b) => {
        const one = { do: ['set Go on'], expect: [`Lamp is on within ${a}`] },
          two = { do: ['set Two on'], expect: [`Other is on within ${b}`] };
        const x = played([one, { when: 'at the same time', ...two }]),
          y = played([two, { when: 'at the same time', ...one }]);
        expect([x.ok, x.scans, x.rows[0]!.seen === y.rows[1]!.seen || !x.ok]).toEqual([y.ok, y.scans, true]);
      }),
      { numRuns: 40 },
    );
  });
});

it('write is a word for set; never together speaks of each pair', () => {
  expect(parseDo('write Total to 5')).toEqual(parseDo('set Total to 5'));
  expect(parseRule('never A, B and C together')).toMatchObject({
    value: { kind: 'never', condition: { text: '((A) AND (B)) OR ((A) AND (C)) OR ((B) AND (C))' } },
  });
  expect(parseRule('never (A AND B) and C is on together')).toMatchObject({
    value: { condition: { text: '((A AND B)) AND (C)' } },
  });
  expect(parseRule('never A together')).toMatchObject({ value: { condition: { text: 'A together' } } });
  expect(parseWhen('at the same time as the row above')).toEqual({ value: { kind: 'with', then: { kind: 'atOnce' } } });
});
it('is offered while it is typed', () => {
  expect(completeSentence(timed([]), 'when', 'at the').map((x) => x.text)).toEqual(['the same time']);
  expect(completeSentence(timed([]), 'do', 'let go').map((x) => x.text)).toEqual(['go of ']);
  expect(completeSentence(timed([]), 'expect', 'Horn la').map((x) => x.text)).toContain('lasts ');
  const on = (kind: 'when' | 'expect' | 'do', text: string) =>
    completeSentence(timed([]), kind, text).map((x) => x.text);
  expect(on('expect', 'Lamp is on within 500 ')).toEqual(['ms', 's', 'min', 'scans']);
  expect(on('when', 'after 3 s')).toEqual(['scans']);
  expect(on('do', 'ramp Lamp from 0 to 10 in 2 ')).toContain('s');
  expect(on('expect', 'Lamp is on between 280 ms and 320 ')).toContain('ms');
  expect(on('expect', 'Lamp is on after 300 ms ')).toEqual(['± ']);
  // Limits of a rule are values, no times.
  expect(completeSentence(timed([]), 'rule', 'Level between 0 and 100 ').map((x) => x.text)).not.toContain('ms');
  expect(on('expect', 'Lamp is on after 300 ms ± ')).toContain('100 ms');
});
