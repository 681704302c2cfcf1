import { readFileSync } from 'node:fs';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { compile } from '../workspace/compile.js';
import type { Project } from '../document/document.js';
import { playRecording, readRecording, recordRun, type RunRecording } from '../files/recording.js';
import { doings } from '../verify/play/doing.js';
import { scanStep } from '../compile/image.js';
import { cardWords, cardsOf, pulledForces, pulledTags } from './cards.js';
import { Engine } from './engine.js';
import { frameOf } from './frame.js';
import { History } from './history.js';
import type { BenchEvent } from './stretch.js';

const cell = JSON.parse(
  readFileSync(new URL('../../../../examples/wire-end-crimp-cell.ferrule.json', import.meta.url), 'utf8'),
) as Project;
function runs(project: Project) {
  const compiled = compile([{ kind: 'project', name: project.name, project }]);
  expect(compiled.canRun).toBe(true);
  const image = compiled.build(true),
    options = { stepNs: scanStep(image), wires: compiled.wires };
  return { image, options, engine: new Engine(image, options) };
}
const scans = (e: Engine, n: number) => {
  for (let i = 0; i < n; i++) expect(e.runScan()).toBe(true);
};
const pull = (e: Engine, ...ids: string[]) => e.setForces([...e.listForces(), ...pulledForces(e.image, ids)]);

describe('The cards of a program', () => {
  it('carry sixteen bits each, and what is wider lies on others', () => {
    const { image } = runs(cell);
    expect(cardsOf(image).map((c) => `${c.id} ${c.words}: ${c.tags.length}`)).toEqual([
      'IX0 Inputs %IX0.0 to %IX1.7: 14',
      'IX2 Inputs %IX2.0 to %IX3.7: 2',
      'IB0 Inputs %IB4 to %IB7: 1',
      'IB8 Inputs %IB8 to %IB15: 2',
      'IB16 Inputs %IB16 to %IB23: 2',
      'QX0 Outputs %QX0.0 to %QX1.7: 12',
      'QB0 Outputs %QB2 to %QB5: 2',
    ]);
    // A card of wider values takes no bits along that lie in its eight bytes.
    expect(pulledForces(image, ['IB0']).map((f) => f.path)).toEqual(['%IB4', '%IB5', '%IB6', '%IB7']);
    expect([...pulledTags(image, pulledForces(image, ['IX2']))]).toEqual(['tracklow', 'slipped']);
    // A card that this program does not need, and what is none.
    expect(pulledForces(image, ['QX40', 'IX1', 'nothing'])).toEqual([]);
    expect([cardWords('QX40'), cardWords('nothing')]).toEqual(['Outputs %QX40.0 to %QX41.7', 'nothing']);
  });

  it('each tag with a place lies on some card, and a pulled one is all of its tags and no others', () => {
    const { image } = runs(cell),
      cards = cardsOf(image);
    fc.assert(
      fc.property(fc.subarray(cards.map((c) => c.id)), (ids) => {
        const found = pulledTags(image, pulledForces(image, ids)),
          wanted = new Set(cards.filter((c) => ids.includes(c.id)).flatMap((c) => c.tags.map((t) => t.toLowerCase())));
        expect([...found].sort()).toEqual([...wanted].sort());
      }),
    );
    expect(new Set(cards.flatMap((c) => c.tags))).toEqual(
      new Set(cell.tags.filter((t) => t.address && /^%[IQ]/.test(t.address)).map((t) => t.name)),
    );
  });
});

describe('A card that is pulled', () => {
  it('of inputs: they read 0 whatever the machine gives, and the machine once it is in again; a force is above it', () => {
    const { engine } = runs(cell);
    scans(engine, 5);
    expect([engine.read('StopOK'), engine.read('ClampOpen')]).toEqual([true, true]);
    pull(engine, 'IX0');
    engine.force('StopOK', true);
    scans(engine, 2);
    expect([engine.read('StopOK'), engine.read('ClampOpen'), engine.read('WireOut')]).toEqual([
      true,
      false,
      engine.read('Machine.Feed.Length'),
    ]);
    // It is nobody's force: it is not listed as one, and is not released with them.
    expect(engine.listForces()).toEqual([{ path: 'StopOK', value: true }]);
    engine.releaseAll();
    scans(engine, 1);
    expect([engine.read('StopOK'), engine.listForces().length]).toEqual([false, 0]);
    expect(frameOf(engine, { paths: [], rungs: [] })).toMatchObject({
      forces: {},
      pulled: { bytes: ['%IB0', '%IB1'] },
    });
    for (const path of ['%IB0', '%IB1']) engine.force(path, undefined, 'card');
    scans(engine, 1);
    expect([engine.read('StopOK'), engine.read('ClampOpen')]).toEqual([true, true]);
    expect(frameOf(engine, { paths: [], rungs: [] })).not.toHaveProperty('pulled');
  });

  it('of outputs: the logic holds what it says, and the machine gets nothing of it, nor of a force', () => {
    const { engine } = runs(cell);
    engine.write('Machine.Start.Pressed', true);
    scans(engine, 30);
    expect([engine.read('Running'), engine.read('LampRunning'), engine.read('Machine.RunLamp.Power')]).toEqual([
      true,
      true,
      true,
    ]);
    pull(engine, 'QX0');
    engine.force('LampFault', true);
    scans(engine, 1);
    expect([
      engine.read('LampRunning'),
      engine.read('Machine.RunLamp.Power'),
      engine.read('Machine.FaultLamp.Power'),
    ]).toEqual([true, false, false]);
  });

  it('is told to the logic that asks, and to no other program: that lies as it always did', () => {
    const asking: Project = {
        ...cell,
        pous: cell.pous.map((p) =>
          p.language === 'LD' && p.name === 'Cell'
            ? { ...p, rungs: [...p.rungs, { id: 'card', line: 'System.CardPulled -> LampTrack' }] }
            : p,
        ),
      },
      { engine } = runs(asking);
    scans(engine, 2);
    expect(engine.read('System.CardPulled')).toBe(false);
    pull(engine, 'IB8');
    scans(engine, 1);
    expect(engine.read('System.CardPulled')).toBe(true);
    const size = (line: string) =>
      runs({
        ...cell,
        pous: cell.pous.map((p) =>
          p.language === 'LD' && p.name === 'Cell' ? { ...p, rungs: [...p.rungs, { id: 'card', line }] } : p,
        ),
      }).image.stateSize;
    expect(size('System.ForcesPresent -> LampTrack')).toBeLessThanOrEqual(size('System.CardPulled -> LampTrack'));
  });

  it('pulled and put in at any scan: the recording plays to the same bytes, also one that begins with it out', () => {
    const { image, options } = runs(cell),
      ids = cardsOf(image).map((c) => c.id);
    fc.assert(
      fc.property(
        fc.array(
          fc.record({ id: fc.constantFrom(...ids), after: fc.integer({ min: 1, max: 60 }), isIn: fc.boolean() }),
          {
            minLength: 1,
            maxLength: 8,
          },
        ),
        (steps) => {
          const history = new History(image, options);
          history.apply({ kind: 'write', path: 'Machine.Start.Pressed', value: true });
          for (const { id, after, isIn } of steps) {
            history.run(after);
            for (const f of pulledForces(image, [id]))
              history.apply(isIn ? { kind: 'force', path: f.path, by: 'card' } : { kind: 'force', ...f });
          }
          history.run(20);
          const text = JSON.stringify(recordRun(history, cell, 'cards')),
            read = readRecording(text) as RunRecording,
            again = new History(image, options);
          expect(playRecording(again, image, read)).toMatchObject({ isSame: true, dropped: [] });
          expect(again.engine.allForces()).toEqual(history.engine.allForces());
        },
      ),
      { numRuns: 25 },
    );
    expect(
      readRecording(
        JSON.stringify({
          format: 'ferrule-recording',
          version: 1,
          stepNs: '1',
          end: 1,
          digest: '',
          events: [{ scan: 0, kind: 'force', path: 'A', value: '1', by: 'me' }],
        }),
      ),
    ).toMatchObject({
      error: expect.stringContaining('Event 1') as string,
    });
  });

  it('in a check made of what was done: what lies on it is forced off, and released', () => {
    const { image } = runs(cell),
      events = (isIn: boolean, scan: number) =>
        pulledForces(image, ['IX2', 'QB0']).map((f): { scan: number; event: BenchEvent } => ({
          scan,
          event: isIn ? { kind: 'force', path: f.path, by: 'card' } : { kind: 'force', ...f },
        }));
    expect([
      ...new Set(doings(cell, image, [...events(false, 3), ...events(true, 9)], 10).map((d) => `${d.scan} ${d.text}`)),
    ]).toEqual([
      '3 force TrackLow off',
      '3 force Slipped off',
      '3 force GoodShown 0',
      '3 force RejectShown 0',
      '9 release TrackLow',
      '9 release Slipped',
      '9 release GoodShown',
      '9 release RejectShown',
    ]);
  });
});
