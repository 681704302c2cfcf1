/** The bench without a page: messages in, turns by a clock of the test, what it says. */
import { beforeEach, describe, expect, it } from 'vitest';
import { type Project, deltaOf, emptyProject } from '@ferrule/core/document';
import { Bench } from './bench.js';
import type { BenchFrame, FromBench, StopPoint, ToBench } from './protocol.js';

const TEXT =
  'PROGRAM Main\nCount := Count + 1;\nIF Go THEN Seen := Seen + 1; END_IF;\nLamp := Count >= 50;\nEND_PROGRAM\n';
const project: Project = {
  ...emptyProject('M'),
  tags: [
    { id: 't1', name: 'Go', type: 'BOOL' },
    { id: 't2', name: 'Count', type: 'DINT' },
    { id: 't3', name: 'Seen', type: 'INT' },
    { id: 't4', name: 'Lamp', type: 'BOOL' },
    { id: 't5', name: 'Level', type: 'REAL' },
  ],
  pous: [{ id: 'p', name: 'Main', kind: 'program', language: 'ST', text: TEXT }],
};
const withText = (text: string): Project => ({
  ...project,
  pous: [{ id: 'p', name: 'Main', kind: 'program', language: 'ST', text }],
});
const withButton: Project = {
  ...project,
  tags: project.tags.map((t) => (t.name === 'Go' ? { ...t, address: '%IX0.0' } : t)),
  machine: { devices: [{ id: 'd', name: 'Start', type: 'PushButton', wires: { NO: 'Go' } }] },
};

let clock: number, said: FromBench[], bench: Bench;
const tell = (...messages: readonly ToBench[]) => messages.forEach((m) => bench.take(m));
/** Lets real time go on by so much, in turns of 16 ms. */
function pass(ms: number): void {
  for (const end = clock + ms; clock < end;) {
    clock += Math.min(16, end - clock);
    bench.turn();
  }
}
/** Turns at once, as the worker gives them, until none is due at once. */
function untilCalm(): void {
  let left = 10_000;
  while (bench.turn()) if (!--left) throw new Error('it never came to rest');
}
const frames = () => said.flatMap((m) => (m.kind === 'frame' ? [m.frame] : []));
const shown = (): BenchFrame => frames().at(-1)!;
/** As one sees it: numbers as text. */
const valueOf = (path: string) => String(shown().values[path]);
const refusals = () => said.flatMap((m) => (m.kind === 'refused' ? [m.message] : []));
/** What is there now, at once. */
function look(): BenchFrame {
  tell({ kind: 'look', request: { paths: ['Count', 'Seen', 'Lamp', 'Go', 'Level'], rungs: [] } });
  clock += 60;
  bench.turn();
  return shown();
}
const write = (path: string, value: string): ToBench => ({ kind: 'event', event: { kind: 'write', path, value } });
const stop = (s: Omit<StopPoint, 'id' | 'isOn'>): ToBench => ({
  kind: 'stops',
  stops: [{ id: 's', isOn: true, ...s }],
});

beforeEach(() => {
  clock = 1000;
  said = [];
  bench = new Bench(
    (m) => said.push(m),
    () => clock,
  );
  tell({ kind: 'project', fresh: true, project }, { kind: 'play', running: false });
});

describe('time', () => {
  it('runs as many scans as the clock gives, at the chosen speed, and none while it is paused', () => {
    pass(500);
    expect(look().scan).toBe(0);
    tell({ kind: 'play', running: true });
    pass(500);
    expect(look().scan).toBe(56);
    tell({ kind: 'speed', factor: 10 });
    pass(160);
    tell({ kind: 'play', running: false });
    expect(look().scan).toBe(56 + 160);
    expect(look().timeMs).toBe(2160);
  });
  it('does not catch up after the page has slept: a quarter of a second at most', () => {
    tell({ kind: 'play', running: true });
    clock += 60_000;
    bench.turn();
    tell({ kind: 'play', running: false });
    expect(look().scan).toBe(25);
  });
  it('says what it shows at a calm rate by itself, and at the next turn what was done by hand', () => {
    tell({ kind: 'play', running: true });
    pass(960);
    const calm = frames().length;
    expect(calm).toBeGreaterThanOrEqual(14);
    expect(calm).toBeLessThanOrEqual(18);
    const before = frames().length;
    tell(write('Go', '1'));
    pass(16);
    expect(frames().length).toBe(before + 1);
  });
  it('draws a moving picture with every turn', () => {
    tell({ kind: 'play', running: true }, { kind: 'motion', isMoving: true });
    said.length = 0;
    pass(320);
    expect(frames().length).toBe(20);
  });
  it('one scan on and back again, and to any other', () => {
    tell({ kind: 'step', scans: 3 });
    expect([look().scan, valueOf('Count')]).toEqual([3, '3']);
    tell({ kind: 'step', scans: -1 });
    expect([look().scan, valueOf('Count')]).toEqual([2, '2']);
    tell({ kind: 'goTo', scan: 99 });
    expect(look().scan).toBe(3);
  });
});

describe('by hand', () => {
  it('a tap shorter than a scan is seen for one scan', () => {
    tell({ kind: 'project', fresh: true, project: withButton });
    tell({ kind: 'play', running: false }, { kind: 'step', scans: 2 });
    tell(write('Machine.Start.Pressed', '1'), {
      kind: 'event',
      event: { kind: 'write', path: 'Machine.Start.Pressed', value: '0', letGo: true },
    });
    tell({ kind: 'step', scans: 5 });
    look();
    expect(valueOf('Seen')).toBe('1');
  });
  it('a pulse ends after its time, a ramp goes in equal steps', () => {
    tell({ kind: 'pulse', path: 'Go', value: '1', then: '0', ms: 70 });
    tell({ kind: 'ramp', path: 'Level', from: 0, to: 10, ms: 100 });
    tell({ kind: 'step', scans: 5 });
    look();
    expect([valueOf('Go'), valueOf('Seen'), Number(valueOf('Level'))]).toEqual(['true', '5', 4]);
    tell({ kind: 'step', scans: 20 });
    look();
    expect([valueOf('Go'), valueOf('Seen'), Number(valueOf('Level'))]).toEqual(['false', '7', 10]);
  });
  it('what cannot be is refused with words, and none of several is done', () => {
    tell({
      kind: 'events',
      events: [
        { kind: 'write', path: 'Level', value: '5' },
        { kind: 'write', path: 'Nowhere', value: '1' },
      ],
    });
    expect(refusals()).toHaveLength(1);
    expect(refusals()[0]).toContain('Nowhere');
    look();
    expect(Number(valueOf('Level'))).toBe(0);
  });
  it('another program does not turn back time', () => {
    tell({ kind: 'step', scans: 5 }, { kind: 'step', scans: -2 });
    tell({ kind: 'outsideWrite', n: 7, path: 'Level', value: '5' });
    expect(said.at(-1)).toEqual({ kind: 'outsideWritten', n: 7, error: 'The bench shows an earlier scan.' });
    tell({ kind: 'goTo', scan: 5 }, { kind: 'outsideWrite', n: 8, path: 'Level', value: '5' });
    expect(said.at(-1)).toEqual({ kind: 'outsideWritten', n: 8 });
  });
});

describe('where it stops', () => {
  it('after the scan in which a condition comes true, and says so', () => {
    tell(stop({ kind: 'condition', condition: 'Count = 37' }), { kind: 'play', running: true });
    pass(1000);
    expect(look()).toMatchObject({ scan: 37, running: false, stopped: { stop: 's', words: 'Count = 37 came true' } });
  });
  it('after the scan in which a value changes', () => {
    tell(stop({ kind: 'change', path: 'Lamp' }), { kind: 'play', running: true });
    pass(1000);
    expect(look()).toMatchObject({ scan: 50, running: false, stopped: { words: 'Lamp came on' } });
  });
  it('before a line, inside the scan, and goes on from there to its end', () => {
    tell({ kind: 'step', scans: 2 }, stop({ kind: 'line', pou: 'p', line: 4 }), { kind: 'play', running: true });
    pass(100);
    expect(look()).toMatchObject({ scan: 2, running: false, stopped: { words: 'Stopped before Main line 4' } });
    expect(shown().inside).toMatchObject({ words: 'Main line 4' });
    expect(valueOf('Count')).toBe('3');
    tell({ kind: 'stops', stops: [] }, { kind: 'step', scans: 1 });
    expect([look().scan, valueOf('Count'), shown().inside]).toEqual([3, '3', undefined]);
  });
  it('at a goal, as fast as it goes; one that cannot be understood is refused and nothing runs', () => {
    tell({ kind: 'until', text: 'Count = 400' });
    untilCalm();
    expect(look()).toMatchObject({ scan: 400, running: false, stopped: { words: 'Count = 400 holds' } });
    tell({ kind: 'until', text: '2 s' });
    untilCalm();
    expect(look()).toMatchObject({ scan: 600, stopped: { words: '2 s done' } });
    tell({ kind: 'until', text: 'Nowhere = 3' });
    expect(refusals().at(-1)).toContain('Nowhere');
    untilCalm();
    expect(look()).toMatchObject({ scan: 600, running: false });
  });
  it('a goal that never comes true ends after an hour of simulated time', () => {
    tell({ kind: 'until', text: 'Count < 0' });
    untilCalm();
    expect(look()).toMatchObject({
      scan: 360_000,
      running: false,
      stopped: { words: 'Count < 0 did not come true within an hour of simulated time' },
    });
  });
  it('looks back for the moment at which a condition came true, and says where there is none', () => {
    tell({ kind: 'step', scans: 80 }, { kind: 'find', text: 'Lamp is on', direction: -1 });
    untilCalm();
    expect(look()).toMatchObject({ scan: 50, stopped: { words: 'Lamp is on came true' } });
    tell({ kind: 'find', text: 'Lamp is on', direction: -1 });
    untilCalm();
    expect(look()).toMatchObject({ scan: 50, stopped: { words: 'Lamp is on did not come true before this moment' } });
  });
});

describe('changed logic', () => {
  const change = (from: Project, to: Project): ToBench => ({
    kind: 'project',
    fresh: false,
    delta: deltaOf(from, to),
  });
  it('goes on from the state it had; a description is no change of the program', () => {
    tell({ kind: 'step', scans: 10 });
    const was = look().generation;
    const described = { ...project, tags: project.tags.map((t) => ({ ...t, description: 'seen' })) };
    tell(change(project, described));
    expect(look().generation).toBe(was);
    tell(change(described, withText(TEXT.replace('Count + 1', 'Count + 100'))), { kind: 'step', scans: 1 });
    expect([look().generation, look().scan, valueOf('Count')]).toEqual([was + 1, 11, '110']);
    expect(shown().seams).toEqual([{ scan: 10, beginning: 'changed logic' }]);
  });
  it('with an error in it the last good logic runs on, and the page hears that it was not taken', () => {
    tell({ kind: 'step', scans: 10 }, change(project, withText(TEXT.replace('Count + 1', ''))), {
      kind: 'step',
      scans: 5,
    });
    expect([look().scan, valueOf('Count')]).toEqual([15, '15']);
    const checked = said.flatMap((m) => (m.kind === 'checked' ? [m.delta] : []));
    expect(JSON.stringify(checked.at(-1))).toContain('"taken"');
  });
  it('conditions that are typed leave state and time line alone', () => {
    tell({ kind: 'step', scans: 10 });
    const { generation, seams } = look();
    tell({ kind: 'conditions', texts: ['Count > 5', 'Nowhere > 5'] });
    expect(look()).toMatchObject({ scan: 10, generation, seams });
    expect(valueOf('Count')).toBe('10');
  });
});
