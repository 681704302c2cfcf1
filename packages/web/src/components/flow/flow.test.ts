/** The flow chart lays itself out: nothing over another, lines from box to box, lanes told apart. */
import type { PlanStep, Sequence } from '@ferrule/core/document';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { BOX, type Flow, LINE, PITCH, layOutFlow } from './flow.js';

const step = (id: string, to: readonly string[], more: Partial<PlanStep> = {}): PlanStep => ({
  id,
  name: `Step ${id}`,
  ways: to.map((t, i) => ({ id: `w${i}`, when: `C${i}`, to: t })),
  ...more,
});
const sequence = (steps: readonly PlanStep[]): Sequence => ({ id: 's', name: 'S', steps });
const line = (f: Flow, from: string, to: string) => f.lines.find((l) => l.from === from && l.to === to)!;

describe('a flow chart', () => {
  it('reads down like the table, with what leads back on the left and what skips ahead on the right', () => {
    const f = layOutFlow(sequence([step('a', ['b', 'c']), step('b', ['c']), step('c', ['a'])]));
    expect(f.boxes.map((b) => b.y - f.boxes[0]!.y)).toEqual([0, PITCH, 2 * PITCH]);
    expect(new Set(f.boxes.map((b) => b.x)).size).toBe(1);
    const x = f.boxes[0]!.x,
      down = line(f, 'a', 'b'),
      skip = line(f, 'a', 'c'),
      back = line(f, 'c', 'a');
    expect(down.points.every((p) => p.x === x)).toBe(true);
    expect(Math.max(...skip.points.map((p) => p.x))).toBeGreaterThan(x + BOX.width / 2);
    expect(Math.min(...back.points.map((p) => p.x))).toBeLessThan(x - BOX.width / 2);
    expect([down.label, skip.label, back.label]).toEqual(['C0', 'C1', 'C0']);
  });
  it('says a time a way must hold, and draws a limit as what it leads to or as a fault beside the box', () => {
    const f = layOutFlow(
      sequence([
        {
          ...step('a', []),
          ways: [{ id: 'w', when: 'Seen', for: '300 ms', to: 'b' }],
          limit: '4 s',
          past: { fault: 7 },
        },
        step('b', ['a'], { limit: '9 s', past: { to: 'a' } }),
      ]),
    );
    expect(line(f, 'a', 'b').label).toBe('Seen · 300 ms');
    expect(f.faults.map((x) => x.label)).toEqual(['4 s → fault 7']);
    expect(f.lines.filter((l) => l.isLimit).map((l) => [l.from, l.to, l.label])).toEqual([['b', 'a', '9 s']]);
  });
  it('labels stand beside their lines: two rows of a long one, several of one step below one another, none struck through', () => {
    const long = 'the left saw runs and its extraction is on';
    const s = sequence([
      {
        ...step('a', []),
        ways: [
          { id: 'w0', when: long, to: 'b' },
          { id: 'w1', when: 'C1', to: 'c' },
          { id: 'w2', when: 'C2', to: 'd' },
        ],
      },
      step('b', ['c', 'd']),
      { ...step('c', ['a']), ways: [{ id: 'w0', when: long, to: 'a' }] },
      step('d', ['a', 'b']),
    ]);
    const f = layOutFlow(s);
    const straight = line(f, 'a', 'b');
    expect(straight.words.length).toBe(straight.label.length > 27 ? 2 : 1);
    // Where each row of each label lies: its middle up to half a row to both sides.
    const rows = f.lines.flatMap((l) =>
      l.words.map((text, row) => ({ line: l, text, y: l.at.y + row * LINE, x: l.at.x, anchor: l.at.anchor })),
    );
    for (const [i, r] of rows.entries()) {
      for (const o of rows.slice(i + 1))
        if (o.anchor === r.anchor && o.x === r.x) expect(Math.abs(o.y - r.y)).toBeGreaterThanOrEqual(LINE - 0.01);
      // A level piece of its line below the text's width would strike it through.
      for (const [k, p] of r.line.points.entries()) {
        const q = r.line.points[k + 1];
        const isUnder = q && (r.anchor === 'start' ? Math.max(p.x, q.x) > r.x : Math.min(p.x, q.x) < r.x);
        if (q?.y === p.y && isUnder) expect(Math.abs(p.y - r.y)).toBeGreaterThan(LINE / 2 - 2);
      }
    }
  });
  it('a way to a step that is not there is left out, an empty sequence is empty', () => {
    expect(layOutFlow(sequence([step('a', ['gone'])])).lines).toEqual([]);
    expect(layOutFlow(sequence([])).boxes).toEqual([]);
  });
  it('law: whatever leads where, boxes do not touch, every line goes from its box to its box within the picture, and lanes over the same rows differ', () => {
    const any = fc.integer({ min: 1, max: 12 }).chain((n) =>
      fc.array(
        fc.record({
          to: fc.array(fc.nat(n - 1), { maxLength: 3 }),
          past: fc.option(fc.nat(n - 1), { nil: undefined }),
          fault: fc.boolean(),
        }),
        { minLength: n, maxLength: n },
      ),
    );
    fc.assert(
      fc.property(any, (made) => {
        const steps = made.map((m, i) =>
          step(
            String(i),
            m.to.map(String),
            m.past !== undefined
              ? { limit: '4 s', past: { to: String(m.past) } }
              : m.fault
                ? { limit: '4 s', past: { fault: i } }
                : {},
          ),
        );
        const f = layOutFlow(sequence(steps)),
          box = (id: string) => f.boxes.find((b) => b.id === id)!;
        expect(f.lines).toHaveLength(made.reduce((n, m) => n + m.to.length + (m.past !== undefined ? 1 : 0), 0));
        f.boxes.forEach((b, i) => {
          for (const c of f.boxes.slice(i + 1)) expect(Math.abs(b.y - c.y)).toBeGreaterThan(BOX.height);
        });
        const lanes: { x: number; low: number; high: number; key: string }[] = [];
        for (const l of f.lines) {
          const [a, b] = [box(l.from), box(l.to)],
            first = l.points[0]!,
            last = l.points.at(-1)!;
          const touches = (p: { x: number; y: number }, at: typeof a) =>
            Math.abs(p.x - at.x) <= BOX.width / 2 + 0.01 && Math.abs(p.y - at.y) <= BOX.height / 2 + 0.01;
          expect(touches(first, a) && touches(last, b)).toBe(true);
          for (const p of l.points) expect(p.x >= 0 && p.x <= f.width && p.y >= 0 && p.y <= f.height).toBe(true);
          const upright = l.points.flatMap((p, i) => {
            const q = l.points[i + 1];
            return q && p.x === q.x && Math.abs(p.x - a.x) > BOX.width / 2
              ? [{ x: p.x, low: Math.min(p.y, q.y), high: Math.max(p.y, q.y), key: l.id }]
              : [];
          });
          lanes.push(...upright.sort((p, q) => q.high - q.low - (p.high - p.low)).slice(0, 1));
        }
        // Two lines may share a lane only where they do not run side by side.
        lanes.forEach((p, i) => {
          for (const q of lanes.slice(i + 1))
            if (p.x === q.x && p.key !== q.key)
              expect(Math.min(p.high, q.high) - Math.max(p.low, q.low)).toBeLessThanOrEqual(PITCH);
        });
      }),
      { numRuns: 200 },
    );
  });
});
