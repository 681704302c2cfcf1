/** Why: chains of causes on the demo and on small programs, checked against what really happened in the run. */
import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { History, type WhyAnswer, why } from '../bench.js';
import type { Project } from '../document.js';
import { compile } from '../workspace.js';
import { ladderProject } from '../../test/support.js';

const demo = JSON.parse(
  readFileSync(new URL('../../../../examples/wire-end-crimp-cell.ferrule.json', import.meta.url), 'utf8'),
) as Project;

function bench(project: Project) {
  const c = compile([{ kind: 'project', name: 'p', project }]);
  if (c.hasErrors) throw new Error(c.diagnostics.map((d) => d.message).join('\n'));
  const h = new History(c.build(true), { stepNs: 10_000_000n, wires: c.wires });
  const ask = (path: string, scan = h.end): WhyAnswer => {
    const a = why({ past: h.past, compiled: () => c, project }, path, scan);
    if ('error' in a) throw new Error(a.error);
    return a;
  };
  const said = (path: string, scan?: number) => ask(path, scan).links.map((l) => l.sentence);
  const needs = (path: string) => ask(path).blocks.map((b) => `${b.isNearest ? '* ' : ''}${b.where}: ${b.sentence}`);
  return { h, ask, said, needs };
}
const press = (h: History, name: string, scans = 20) => {
  h.apply({ kind: 'write', path: `Machine.${name}.Pressed`, value: true });
  h.schedule(scans, { kind: 'write', path: `Machine.${name}.Pressed`, value: false });
};

describe('on the crimp cell', () => {
  const b = bench(demo);
  b.h.run(50);
  press(b.h, 'Start');
  b.h.run(350);

  it('a seal-in goes back to the button that was pressed', () => {
    expect(b.said('Running')).toEqual([
      'Running came on in scan 52: Cell rung 1, when StartPB came on, with StopOK on, EStopOK on, GuardShut on, AutoMode on and 2 more.',
      'StartPB came on in scan 52: Start on the machine gave it.',
      'Start: NO closed in scan 51.',
      'Start was pressed before scan 51.',
    ]);
    const [first] = b.ask('Running').links;
    expect(first).toMatchObject({ scan: 52, place: { kind: 'rung', element: 8 } });
    expect(first!.marks.find((m) => m.role === 'cause')!.element).toBe(0);
    // Each link holds in the run: after its scan the value is there, before it is not.
    for (const l of b.ask('Running').links.slice(0, 2))
      expect([b.h.past.engineAt(l.scan - 1).read(l.path), b.h.past.engineAt(l.scan).read(l.path)]).toEqual([
        false,
        true,
      ]);
  });
  it('asked in the past it answers for the past', () => {
    expect(b.said('Running', 30)).toEqual(['Running has been off since the start.']);
    expect(b.said('Step', 60)[0]).toBe(
      'Step became Feed in scan 52: Cell rung 7, when Running came on, with Step = Idle, PieceIn off, ClampOpen on, BladeUp on and 1 more.',
    );
  });
  it('goes through timers, machine movements and text', () => {
    expect(b.said('Step', 150)[0]).toBe('Step became Placing in scan 144: Cell rung 11, when BladeDwell.Q came on.');
    expect(b.said('Step', 150)[1]).toBe('BladeDwell.Q came on in scan 144: BladeDwell has run its 0.10 s.');
    expect(b.said('DieUp', 260).slice(0, 3)).toEqual([
      'DieUp came on in scan 254: Press on the machine gave it.',
      'Press: AtHome closed in scan 253, 0.19 s after its Out went off.',
      'DieClose went off in scan 234: Stations rung 5, when Step = Crimping no longer held.',
    ]);
    expect(b.said('PullTest.Done', 284).slice(0, 4)).toEqual([
      'PullTest.Done came on in scan 284: PullCheck line 32, when Peak >= Limit.',
      'PullTest.Peak became 60 in scan 284: PullCheck line 30, from MAX(Peak, Force).',
      'PullTest.Force became 60 in scan 284: Cell rung 14, from PullForce.',
      'PullForce became 60 in scan 284: Pull on the machine gave it.',
    ]);
    expect(b.ask('PullTest.Done', 284).links[0]).toMatchObject({
      place: { kind: 'text', pou: demo.pous.find((p) => p.name === 'PullCheck')!.id },
    });
  });
  it('a number written in several places names the one that wrote it', () => {
    expect(b.said('GoodTotal')[0]).toMatch(/^GoodTotal became 1 in scan \d+: Cell rung 15, when ChuteSeen rose/);
  });
  it('why not: every open contact, the nearest ones marked', () => {
    const c = bench(demo);
    c.h.run(10);
    expect(c.needs('Running')).toEqual(['* Cell rung 1: StartPB off', 'Cell rung 1: Running off']);
    c.h.apply({ kind: 'force', path: 'GuardShut', value: false });
    c.h.run(5);
    expect(c.needs('Running')).toEqual([
      '* Cell rung 1: StartPB off',
      'Cell rung 1: Running off',
      '* Cell rung 1: GuardShut off since scan 11',
    ]);
    expect(c.said('GuardShut')).toEqual(['GuardShut is forced to 0 since scan 11.']);
  });
  it('a timer that has not run out says how far it is', () => {
    const c = bench(demo);
    press(c.h, 'Start');
    while (c.h.engine.read('Dwell.IN') !== true) c.h.run(1);
    c.h.run(17);
    expect(c.needs('Dwell.Q')).toEqual([
      expect.stringMatching(/^\* Cell rung 13: Dwell has 0.1\d s of 0.30 s, timing since scan \d+$/),
    ]);
  });
});

describe('on small programs', () => {
  it('a stop, a write and an analogue limit', () => {
    const b = bench(
      ladderProject(
        ['In AT %IX0.0 : BOOL', 'Level : REAL', 'High : BOOL', 'Out : BOOL', 'Slow : BOOL'],
        ['Level > 80.0 -> High', '(In | Out) & !High -> Out', '-> { Level := Level + 0.25; }', 'Out & High -> Slow'],
      ),
    );
    b.h.run(10);
    b.h.apply({ kind: 'write', path: 'In', value: true });
    b.h.run(3);
    b.h.apply({ kind: 'write', path: 'In', value: false });
    b.h.run(400);
    expect(b.said('Out')[0]).toBe('Out went off in scan 322: Main rung 2, when High came on.');
    expect(b.said('Out')[1]).toMatch(/^High came on in scan 322: Main rung 1, when Level > 80.0 became true/);
    expect(b.said('Out', 100)).toEqual([
      'Out came on in scan 11: Main rung 2, when In came on, with High off.',
      '1 was written to In before scan 11.',
    ]);
    expect(b.needs('Slow')).toEqual(['* Main rung 4: Out off since scan 322']);
  });
  it('one tag driven from two rungs: the one that had the last word', () => {
    const b = bench({
      ...ladderProject(['A : BOOL', 'B : BOOL', 'Q : BOOL'], ['A -> set Q', 'B -> reset Q']),
      checking: {},
    });
    b.h.apply({ kind: 'write', path: 'A', value: true });
    b.h.run(5);
    expect(b.said('Q')[0]).toBe('Q came on in scan 1: Main rung 1, when A came on.');
    b.h.apply({ kind: 'write', path: 'B', value: true });
    b.h.run(5);
    expect(b.said('Q')[0]).toBe('Q went off in scan 6: Main rung 2, when B came on.');
  });
  it('changed logic is named as the cause', () => {
    const first = ladderProject(['Q : BOOL', 'N : INT'], ['-> Q']);
    const b = bench(first);
    b.h.run(5);
    const next = compile([
      {
        kind: 'project',
        name: 'p',
        project: {
          ...first,
          tags: first.tags.map((t) => (t.name === 'Q' ? { ...t, type: 'INT' } : t)),
          pous: [{ ...first.pous[0]!, rungs: [] } as Project['pous'][number]],
        },
      },
    ]);
    b.h.replaceImage(next.build(true), { stepNs: 10_000_000n });
    b.h.run(3);
    const a = why({ past: b.h.past, compiled: () => next, project: first }, 'Q', b.h.end);
    expect('links' in a && a.links[0]!.sentence).toBe('Q became 0 in scan 5: the logic was changed there.');
  });
  it('what cannot be asked is said', () => {
    const b = bench(ladderProject(['T : TON', 'Q : BOOL'], ['Q & T(PT := 1 s) -> Q']));
    b.h.run(2);
    expect(() => b.ask('Nothing')).toThrow('There is no tag');
    expect(() => b.ask('T')).toThrow('ask about one of its members');
  });
});
