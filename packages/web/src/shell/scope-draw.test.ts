/** What the scope draws of a BOOL is what the run did: for any program, zoom, window and moment of adding the tag. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { Engine, History, type Image } from '@ferrule/core/bench';
import { compile } from '@ferrule/core/workspace';
import { type BandSpan, bandSpans } from './scope-draw.js';

function imageOf(text: string): Image {
  const c = compile([{ kind: 'text', name: 't.st', text }]);
  if (c.hasErrors) throw new Error(c.diagnostics.map((d) => d.message).join('\n'));
  return c.build(true);
}

/** A block whose output is on for so many scans of each period, beside a plain tag and one that is restless. */
const pulses = (length: number, period: number, phase: number) =>
  imageOf(`
FUNCTION_BLOCK Pulser VAR_OUTPUT Q : BOOL; NQ : BOOL; END_VAR VAR n : DINT; END_VAR
n := n + 1; Q := ((n + ${phase}) MOD ${period}) < ${length}; NQ := NOT Q; END_FUNCTION_BLOCK
PROGRAM P VAR a : Pulser; q : BOOL; r : BOOL; n : DINT; END_VAR
a(); q := a.Q; n := n * 1103515245 + 12345; r := n < 0; END_PROGRAM`);
const PATHS = ['P.a.Q', 'P.a.NQ', 'P.q', 'P.r'];

/** Values scan by scan, as a run from the start gives them. */
function truth(image: Image, scans: number): ReadonlyMap<string, readonly number[]> {
  const e = new Engine(image, { stepNs: 10_000_000n }),
    all = new Map(PATHS.map((p) => [p, [Number(e.read(p))]]));
  for (let n = 0; n < scans; n++) {
    e.runScan();
    for (const p of PATHS) all.get(p)!.push(Number(e.read(p)));
  }
  return all;
}

/** What is wrong with a drawing; nothing where each value is drawn within a pixel of where it was, and nothing else. */
function wrongIn(
  spans: readonly BandSpan[],
  values: readonly number[],
  from: number,
  to: number,
  pixels: number,
): string | undefined {
  const perPixel = (to - from) / pixels,
    near = 1;
  const drawn: { on: boolean; off: boolean }[] = Array.from({ length: pixels + 2 }, () => ({ on: false, off: false }));
  for (const s of spans) {
    for (let i = s.x1; i < s.x2; i++) {
      if (s.state !== 'off') drawn[i]!.on = true;
      if (s.state !== 'on') drawn[i]!.off = true;
    }
  }
  const seen = (value: number, first: number, last: number) => {
    for (let n = Math.max(from, first); n <= Math.min(to - 1, last); n++) if (values[n] === value) return true;
    return false;
  };
  for (let i = 0; i < pixels; i++) {
    const first = Math.floor(from + i * perPixel),
      last = Math.ceil(from + (i + 1) * perPixel) - 1;
    for (const [value, which] of [
      [1, 'on'],
      [0, 'off'],
    ] as const) {
      const isDrawn = drawn.slice(Math.max(0, i - near), i + near + 1).some((d) => d[which]);
      // A pixel with an edge counts as on; in the last one nothing stands beside it to tell.
      if (seen(value, first, last) && !isDrawn && (value === 1 || (i > 0 && i < pixels - 1)))
        return `${which} in pixel ${i} (scans ${first} to ${last}) is not drawn`;
      const wide = Math.ceil(near * perPixel);
      if (drawn[i]![which] && !seen(value, first - wide, last + wide))
        return `${which} is drawn in pixel ${i}, but was not within scans ${first - wide} to ${last + wide}`;
    }
  }
  return undefined;
}

describe('the scope', () => {
  it('draws a pulse of one scan where it was, and no longer', () => {
    const image = pulses(1, 100_000, 100_000 - 306),
      h = new History(image, { stepNs: 10_000_000n });
    for (const p of PATHS) h.traces.follow(p);
    h.run(700);
    for (const [from, to] of [
      [0, 700],
      [200, 600],
      [100, 690],
      ...Array.from({ length: 300 }, (_, n) => [n, Math.round(310 + n * 1.3)] as const),
    ] as const) {
      const c = h.traces.courses(['P.a.Q'], from, to, 250, 1e9).courses[0]!;
      const on = bandSpans(c.points, (s) => ((s - from) / (to - from)) * 250, to, 250).filter((s) => s.state !== 'off');
      expect(on).toHaveLength(1);
      expect(on[0]!.x2 - on[0]!.x1).toBeGreaterThanOrEqual(1);
      expect(on[0]!.x2 - on[0]!.x1).toBeLessThanOrEqual(2);
      expect(Math.abs(on[0]!.x1 - ((306 - from) / (to - from)) * 250)).toBeLessThan(2);
    }
    expect(h.traces.spanAt('P.a.Q', 304, 4, 2000)).toEqual({
      value: 1,
      from: 306,
      to: 307,
      isBegun: true,
      isEnded: true,
    });
    expect(h.traces.spanAt('P.a.Q', 300, 0.5, 2000)).toMatchObject({ value: 0, from: 0, to: 306 });
  });

  it('draws what the run did, at every zoom and whenever the tag was added', () => {
    fc.assert(
      fc.property(
        fc.record({
          length: fc.integer({ min: 1, max: 5 }),
          period: fc.integer({ min: 2, max: 700 }),
          phase: fc.nat(700),
          scans: fc.integer({ min: 2, max: 2500 }),
          added: fc.nat(2500),
          from: fc.nat(2500),
          span: fc.integer({ min: 2, max: 2500 }),
          pixels: fc.integer({ min: 20, max: 900 }),
          lookedBack: fc.boolean(),
        }),
        (x) => {
          const image = pulses(x.length, x.period, x.phase),
            h = new History(image, { stepNs: 10_000_000n });
          const added = Math.min(x.added, x.scans);
          h.run(added);
          for (const p of PATHS) h.traces.follow(p);
          if (x.lookedBack) {
            h.goTo(Math.floor(added / 2));
            h.goTo(h.end);
          }
          h.run(x.scans - added);
          const values = truth(image, h.end),
            from = x.from % h.end,
            to = Math.min(h.end, from + x.span);
          const { courses, complete } = h.traces.courses(PATHS, from, to, x.pixels, 1e9);
          expect(complete).toBe(true);
          for (const c of courses) {
            const spans = bandSpans(c.points, (s) => ((s - from) / (to - from)) * x.pixels, to, x.pixels);
            expect(wrongIn(spans, values.get(c.path)!, from, to, x.pixels)).toBeUndefined();
          }
        },
      ),
      { numRuns: 250 },
    );
  });

  it('draws what stood at the left edge where a block of the record ends there and the tag was added later', () => {
    const image = pulses(1, 2, 0),
      h = new History(image, { stepNs: 10_000_000n });
    h.run(1024);
    for (const p of PATHS) h.traces.follow(p);
    h.run(448);
    const values = truth(image, h.end);
    for (const from of [256, 512, 768, 1024]) {
      const { courses, complete } = h.traces.courses(PATHS, from, from + 2, 20, 1e9);
      expect(complete).toBe(true);
      for (const c of courses) {
        const spans = bandSpans(c.points, (s) => ((s - from) / 2) * 20, from + 2, 20);
        expect(wrongIn(spans, values.get(c.path)!, from, from + 2, 20)).toBeUndefined();
      }
    }
  });

  it('draws what is not yet replayed as not known, and never as the value before it', () => {
    const image = pulses(1, 300, 0),
      h = new History(image, { stepNs: 10_000_000n });
    h.run(3000);
    h.traces.follow('P.q');
    const { courses, complete } = h.traces.courses(['P.q'], 0, 3000, 300, 300);
    expect(complete).toBe(false);
    const values = truth(image, 3000).get('P.q')!;
    const spans = bandSpans(courses[0]!.points, (s) => s / 10, 3000, 300);
    expect(spans.some((s) => s.state === 'unknown')).toBe(true);
    for (const s of spans.filter((x) => x.state === 'on')) {
      const first = Math.floor(s.x1 * 10),
        last = Math.ceil(s.x2 * 10);
      expect(values.slice(first - 10, last + 10)).toContain(1);
      expect(s.x2 - s.x1).toBeLessThan(3);
    }
  });

  it('looks the same when the window moves on with the run', () => {
    const image = pulses(2, 37, 0),
      h = new History(image, { stepNs: 10_000_000n });
    h.traces.follow('P.q');
    h.run(4000);
    const shapes = [0, 1, 2, 3, 7, 11].map((moved) => {
      const from = 800 + moved,
        c = h.traces.courses(['P.q'], from, from + 2400, 600, 1e9).courses[0]!;
      return bandSpans(c.points, (s) => s / 4, from + 2400, 1100)
        .filter((s) => s.x1 * 4 > 820 && s.x2 * 4 < 3100)
        .map((s) => `${s.x1} ${s.x2} ${s.state}`)
        .join('\n');
    });
    expect(new Set(shapes).size).toBe(1);
  });
});
