/** Long work in shares: however many do it, and in threads or not, the same comes out. */
import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { type MutantResult, type SearchState, mergeLanes, mutantsOf } from '@ferrule/core/verify';
import type { Project } from '@ferrule/core/document';
import { type Pool, type Share, doShare, searchAll, tryChanges } from './shares.js';

const dust = JSON.parse(
  readFileSync(new URL('../../../../examples/dust-extractor.ferrule.json', import.meta.url), 'utf8'),
) as Project;
/** One share, here. */
const HERE: Pool = {
  count: 1,
  hasEachRule: false,
  run: async (work, workers) => [await doShare({ ...work, worker: 0, workers } as Share)],
};
/** Two saws and two checks are enough here. */
const small: Project = {
  ...dust,
  checks: dust.checks.filter((c) => ['One saw', 'The gate sticks'].includes(c.name)),
  rules: dust.rules.filter((r) => r.name === 'Never three at once'),
};
const broken: Project = {
  ...small,
  checks: [],
  pous: small.pous.map((p) =>
    p.language === 'LD'
      ? {
          ...p,
          rungs: p.rungs.map((r) => ({
            ...r,
            line: r.line.replace(' & (!Gate1Valve | !Gate2Valve) -> Gate3Valve', ' -> Gate3Valve'),
          })),
        }
      : p,
  ),
};

describe('changed logic', () => {
  it('each change is tried by one of the workers, and with the same result', async () => {
    const done = await Promise.all(
        [0, 1, 2].map((worker) => doShare({ kind: 'changes', ms: Infinity, project: small, worker, workers: 3 })),
      ),
      shares = done.map((d) => d.results) as (readonly [number, MutantResult])[][];
    expect(done.map((d) => d.changes!.failing)).toEqual([[], [], []]);
    expect(done.reduce((n, d) => n + d.changes!.tried, 0)).toBe(done[0]!.changes!.total);
    const all = shares.flat().sort(([a], [b]) => a - b),
      alone = await tryChanges(small, Infinity, HERE);
    expect(new Set(all.map(([n]) => n)).size).toBe(all.length);
    expect(shares.every((s, worker) => s.length > 10 && s.every(([n]) => n % 3 === worker))).toBe(true);
    expect(all.filter(([, r]) => !r.noticedBy).map(([n, r]) => [n, r.what])).toEqual(
      alone.missed.map((m) => [
        mutantsOf(small).findIndex(
          (x) => x.what === m.what && x.after === m.after && JSON.stringify(x.place) === JSON.stringify(m.place),
        ),
        m.what,
      ]),
    );
    expect(alone.tried).toBe(all.length);
  }, 60_000);
});

describe('a search', () => {
  const options = { seed: 4, upsets: true, scans: 200_000 };
  it('finds the same whoever goes which lanes', async () => {
    const shares = (
      await Promise.all(
        [0, 1, 2].map((worker) =>
          doShare({ kind: 'search', project: broken, options, ms: Infinity, worker, workers: 3 }),
        ),
      )
    ).flatMap((d) => d.results) as (readonly [number, SearchState])[];
    const merged = mergeLanes(shares.sort(([a], [b]) => a - b).map(([, s]) => s)),
      alone = await searchAll(broken, options, Infinity, HERE);
    expect(merged).toEqual(alone);
    expect(alone.found.map((f) => f.rule)).toEqual(['Never three at once']);
  }, 60_000);
  it('that has little time comes back with what there was time for', async () => {
    const r = await searchAll(small, { ...options, scans: 1e9 }, 2000, HERE);
    expect(r.scans).toBeGreaterThan(0);
    expect(r.scans).toBeLessThan(1e9);
    expect(r.open).toEqual(['Never three at once', 'never faults']);
  });
});
