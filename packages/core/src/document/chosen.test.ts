/** Some of what differs between two projects, taken over: exactly that, and nothing else. */
import fc from 'fast-check';
import { readFileSync } from 'node:fs';
import { expect, it } from 'vitest';
import { type Project, compareProjects, projectText, withChosen } from '../document.js';

const demo = JSON.parse(
  readFileSync(new URL('../../../../examples/wire-end-crimp-cell.ferrule.json', import.meta.url), 'utf8'),
) as Project;
type Change = (p: Project) => Project;
const ladder = (
  p: Project,
  change: (rungs: readonly { id: string; line: string }[]) => readonly object[],
): Project => ({
  ...p,
  pous: p.pous.map((x, i) => (i === 0 && x.language === 'LD' ? { ...x, rungs: change(x.rungs) as typeof x.rungs } : x)),
});
const CHANGES: readonly Change[] = [
  (p) => ladder(p, (r) => r.map((x, i) => (i === 1 ? { ...x, line: `${x.line}, set Lamp` } : x))),
  (p) => ladder(p, (r) => r.map((x, i) => (i === 4 ? { ...x, comment: 'Another comment.' } : x))),
  (p) => ladder(p, (r) => [...r.slice(0, 3), { id: 'new1', line: 'StartPB -> set Lamp' }, ...r.slice(3)]),
  (p) => ladder(p, (r) => [...r, { id: 'new2', line: 'StopOK -> reset Lamp' }]),
  (p) => ladder(p, (r) => r.filter((_, i) => i !== 6)),
  (p) => ({ ...p, tags: p.tags.map((t, i) => (i === 2 ? { ...t, description: 'Changed' } : t)) }),
  (p) => ({ ...p, tags: [...p.tags, { id: 'newTag', name: 'Lamp', type: 'BOOL' }] }),
  (p) => ({ ...p, tags: p.tags.filter((_, i) => i !== 7) }),
  (p) => ({ ...p, tasks: p.tasks.map((t) => ({ ...t, priority: t.priority + 1 })) }),
  (p) => ({ ...p, rules: p.rules.slice(1) }),
  (p) => ({ ...p, checks: p.checks.map((c, i) => (i === 0 ? { ...c, note: 'Said' } : c)) }),
  (p) => ({ ...p, name: 'Another name' }),
  (p) => ({ ...p, scope: ['Step'] }),
  (p) => ({ ...p, machine: { ...p.machine, devices: p.machine.devices.slice(1) } }),
  (p) => ({
    ...p,
    pous: [
      ...p.pous,
      { id: 'fresh', name: 'Fresh', language: 'ST', kind: 'program', text: 'PROGRAM Fresh\nEND_PROGRAM' },
    ],
  }),
];

it('law: what is chosen differs from the one before, what is not from the one after; all and none are the two themselves', () => {
  fc.assert(
    fc.property(
      fc.shuffledSubarray([...CHANGES], { minLength: 1 }),
      fc.array(fc.boolean(), { minLength: 40, maxLength: 40 }),
      (changes, picks) => {
        const after = changes.reduce((p, c) => c(p), demo),
          keys = compareProjects(demo, after).map((d) => d.key);
        expect(new Set(keys).size).toBe(keys.length);
        const chosen = keys.filter((_, i) => picks[i]);
        const result = withChosen(demo, after, chosen);
        expect(
          compareProjects(demo, result)
            .map((d) => d.key)
            .sort(),
        ).toEqual([...chosen].sort());
        expect(
          compareProjects(result, after)
            .map((d) => d.key)
            .sort(),
        ).toEqual(keys.filter((k) => !chosen.includes(k)).sort());
        expect(withChosen(demo, after, keys)).toBe(after);
        expect(projectText(withChosen(demo, after, []))).toBe(projectText(demo));
      },
    ),
    { numRuns: 200 },
  );
});
