/** Why, where several write one tag and where one input of a bistable wins; the law that the last writer is named. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { History, type WhyAnswer, why } from '../bench.js';
import type { Project } from '../document.js';
import { compile } from '../workspace.js';
import { ladderProject } from '../../test/support.js';

function bench(project: Project) {
  const c = compile([{ kind: 'project', name: 'p', project: { ...project, checking: {} } }]);
  if (c.hasErrors) throw new Error(c.diagnostics.map((d) => d.message).join('\n'));
  const h = new History(c.build(true), { stepNs: 10_000_000n, wires: c.wires });
  const ask = (path: string, scan = h.end): WhyAnswer => {
    const a = why({ past: h.past, compiled: () => c, project }, path, scan);
    if ('error' in a) throw new Error(a.error);
    return a;
  };
  return {
    h,
    ask,
    said: (path: string) => ask(path).links.map((l) => l.sentence),
    needs: (path: string) => ask(path).blocks.map((b) => `${b.isNearest ? '* ' : ''}${b.where}: ${b.sentence}`),
    writers: (path: string) => ask(path).writers.map((w) => `${w.decides ? '* ' : ''}${w.sentence}`),
    set: (path: string, value: boolean) => h.apply({ kind: 'write', path, value }),
  };
}

describe('one tag, several rungs', () => {
  const b = () =>
    bench(
      ladderProject(
        ['OnPB : BOOL', 'OffPB : BOOL', 'Q : BOOL'],
        ['OnPB -> set Q', 'OffPB -> reset Q', 'OnPB & OffPB -> Q'],
      ),
    );
  it('all writers are named with their power, the last one decides', () => {
    const x = bench(ladderProject(['OnPB : BOOL', 'OffPB : BOOL', 'Q : BOOL'], ['OnPB -> set Q', 'OffPB -> reset Q']));
    x.h.run(3);
    expect(x.writers('Q')).toEqual([]);
    x.set('OnPB', true);
    x.h.run(3);
    expect(x.writers('Q')).toEqual(['* Main rung 1 sets it, with power: OnPB on since scan 4.']);
    x.set('OffPB', true);
    x.h.run(3);
    expect(x.writers('Q')).toEqual([
      'Main rung 1 sets it, with power: OnPB on since scan 4.',
      '* Main rung 2 resets it, with power: OffPB on since scan 7.',
    ]);
    expect(x.said('Q')[0]).toBe('Q went off in scan 7: Main rung 2, when OffPB came on.');
    expect(x.needs('Q')).toEqual([
      '* Main rung 2: no reset by Main rung 2, which is written last: OffPB on since scan 7',
    ]);
  });
  it('what a later coil overwrites does not help', () => {
    const x = b();
    x.set('OnPB', true);
    x.h.run(3);
    expect(x.ask('Q').links[0]!.sentence).toBe('Q has been off since the start.');
    expect(x.writers('Q')).toEqual([
      'Main rung 1 sets it, with power: OnPB on since scan 1.',
      '* Main rung 3 writes 0, without power: OffPB off.',
    ]);
    expect(x.needs('Q')).toEqual(['* Main rung 3: OffPB off']);
  });
  it('a value written by hand that the logic wrote over is not the cause', () => {
    const x = bench(ladderProject(['A : BOOL', 'Q : BOOL', 'P : BOOL'], ['A -> Q', 'Q -> P']));
    x.set('A', true);
    x.set('Q', true);
    x.h.run(2);
    expect(x.said('Q')[0]).toBe('Q came on in scan 1: Main rung 1, when A came on.');
  });
});

describe('bistables', () => {
  const sr = () =>
    bench(
      ladderProject(
        ['OnPB : BOOL', 'OffPB : BOOL', 'Q1 : BOOL', 'Q2 : BOOL'],
        ['OnPB & Keep3:SR(R := OffPB) -> Q1', 'OnPB & Keep4:RS(R1 := OffPB) -> Q2'],
      ),
    );
  it('SR and RS say what waits, what sets and which input wins', () => {
    const x = sr();
    x.h.run(5);
    expect(x.needs('Q1')).toEqual([
      '* Main rung 1: OnPB off',
      '* Main rung 1: Keep3 waits for S1: OnPB off since the start',
    ]);
    x.set('OnPB', true);
    x.h.run(5);
    expect(x.said('Q1').slice(0, 2)).toEqual([
      'Q1 came on in scan 6: Main rung 1, when Keep3.Q1 came on.',
      'Main.Keep3.Q1 came on in scan 6: Keep3: S1 is on: OnPB on since scan 6.',
    ]);
    x.set('OffPB', true);
    x.h.run(5);
    expect(x.ask('Q1').title).toBe('Why is Q1 on?');
    expect(x.needs('Q2')).toEqual(['* Main rung 2: Keep4: R1 is on and wins over S: OffPB since scan 11']);
    expect(x.said('Q2').slice(0, 3)).toEqual([
      'Q2 went off in scan 11: Main rung 2, when Keep4.Q1 went off.',
      'Main.Keep4.Q1 went off in scan 11: Keep4: R1 is on and wins over S: OffPB since scan 11.',
      'Main.Keep4.R1 came on in scan 11: Main rung 2, from OffPB.',
    ]);
    // What is asked of the block itself.
    expect(x.needs('Main.Keep4.Q1')).toEqual(['* Main rung 2: Keep4: R1 is on and wins over S: OffPB since scan 11']);
    x.set('OnPB', false);
    x.h.run(5);
    expect(x.needs('Q1')).toEqual([
      '* Main rung 1: OnPB off since scan 16',
      '* Main rung 1: Keep3 waits for S1; R is on: OffPB since scan 11',
    ]);
    expect(x.said('Main.Keep3.Q1')[0]).toBe(
      'Main.Keep3.Q1 went off in scan 16: Keep3 waits for S1; R is on: OffPB since scan 11.',
    );
  });
  it('counters say what holds them, triggers what they wait for, own blocks which output', () => {
    const project = ladderProject(
      ['A : BOOL', 'Clear : BOOL', 'Q : BOOL', 'P : BOOL', 'N : CTU', 'Edge : R_TRIG', 'Box : Own', 'O : BOOL'],
      ['A & N(R := Clear, PV := 2).Q -> Q', 'A & Edge().Q -> P', 'A & Box().Ready -> O'],
    );
    const x = bench({
      ...project,
      pous: [
        ...project.pous,
        {
          id: 'own',
          name: 'Own',
          language: 'ST',
          kind: 'functionBlock',
          text: 'FUNCTION_BLOCK Own\nVAR_INPUT Go : BOOL; END_VAR\nVAR_OUTPUT Ready : BOOL; Busy : BOOL; END_VAR\nBusy := Go;\nEND_FUNCTION_BLOCK\n',
        } as Project['pous'][number],
      ],
    });
    x.h.run(2);
    expect(x.needs('P')).toEqual([
      '* Main rung 2: A off',
      '* Main rung 2: Edge waits for CLK to rise: A off since the start',
    ]);
    x.set('A', true);
    x.set('Clear', true);
    x.h.run(2);
    expect(x.needs('Q')).toEqual(['* Main rung 1: N: R is on and wins: Clear since scan 3']);
    expect(x.needs('P')).toEqual(['* Main rung 2: Edge gave its one scan; CLK is on: A on since scan 3']);
    expect(x.needs('O')).toEqual(['* Main rung 3: Box.Ready is off']);
  });
});

it('a tag that came with a change of the logic says so, and a change of value is not blamed on it', () => {
  const first = ladderProject(['A : BOOL', 'Q : BOOL'], ['A -> Q']);
  const x = bench(first);
  x.h.run(5);
  const next = ladderProject(['A : BOOL', 'Q : BOOL', 'New : BOOL'], ['A -> Q', 'A & Q -> New']);
  const c = compile([{ kind: 'project', name: 'p', project: next }]);
  x.h.replaceImage(c.build(true), { stepNs: 10_000_000n });
  x.h.run(100);
  const a = why({ past: x.h.past, compiled: () => c, project: next }, 'New', x.h.end);
  if ('error' in a) throw new Error(a.error);
  expect(a.links.map((l) => l.sentence)).toEqual(['New has been off since it was added to the logic in scan 5.']);
  expect(a.blocks.map((b) => b.sentence)).toEqual(['A off', 'Q off']);
});

/** One place that writes Q, and how it notes in W that it was the last. */
const conditions = fc.constantFrom('A', 'B', '!A', '(A | B)', 'A & !C', 'C', 'B & C');
const writerArb = fc.oneof(
  fc.tuple(conditions, fc.constantFrom('', '!')).map(([c, mode]) => ({ line: `${c} -> ${mode}Q`, mark: '' })),
  fc.tuple(conditions, fc.constantFrom('^', '^!')).map(([c, mode]) => ({ line: `${c} -> ${mode}Q`, mark: '' })),
  fc.tuple(conditions, fc.constantFrom('set', 'reset')).map(([c, mode]) => ({ line: `${c} -> ${mode} Q`, mark: c })),
  fc.tuple(conditions, fc.constantFrom('A', 'NOT B', 'FALSE')).map(([c, v]) => ({
    line: `${c} -> { Q := ${v}; }`,
    mark: c,
  })),
  conditions.map((c) => ({ line: `${c} -> ^{ Q := NOT Q; }`, mark: `${c} -> ^` })),
  // An own block called twice writes the tag itself.
  fc.tuple(fc.constantFrom('X1', 'X2'), conditions).map(([x, c]) => ({ line: `${c} & ${x}().Done ->`, mark: 'block' })),
);
const scansArb = fc.array(fc.record({ A: fc.boolean(), B: fc.boolean(), C: fc.boolean() }), {
  minLength: 2,
  maxLength: 6,
});

it('law: the writer that Why names is the last that wrote in that scan', () => {
  fc.assert(
    fc.property(fc.array(writerArb, { minLength: 2, maxLength: 7 }), scansArb, (writers, scans) => {
      const lines: string[] = ['-> { W := 0; }'];
      const numberOf = new Map<string, number>();
      writers.forEach((w, i) => {
        if (w.mark === 'block') {
          // The block notes itself by the number it was given.
          lines.push(w.line.replace('()', `(Me := ${i + 1})`).replace(/->$/, '-> P'));
        } else {
          lines.push(w.line);
          numberOf.set(`Main rung ${lines.length}`, i + 1);
          lines.push(
            w.mark.endsWith('^') ? `${w.mark}{ W := ${i + 1}; }` : `${w.mark ? `${w.mark} ` : ''}-> { W := ${i + 1}; }`,
          );
        }
      });
      const base = ladderProject(
        ['A : BOOL', 'B : BOOL', 'C : BOOL', 'P : BOOL', 'Q : BOOL', 'W : INT', 'X1 : Own', 'X2 : Own'],
        lines,
      );
      const x = bench({
        ...base,
        pous: [
          ...base.pous,
          {
            id: 'own',
            name: 'Own',
            language: 'ST',
            kind: 'functionBlock',
            text: 'FUNCTION_BLOCK Own\nVAR_INPUT Go : BOOL; Me : INT; END_VAR\nVAR_OUTPUT Done : BOOL; END_VAR\nIF Go THEN\n  Q := NOT Done;\n  W := 100 + Me;\nEND_IF;\nDone := Go;\nEND_FUNCTION_BLOCK\n',
          } as Project['pous'][number],
        ],
      });
      for (const s of scans) {
        for (const [name, value] of Object.entries(s)) x.h.apply({ kind: 'write', path: name, value });
        x.h.run(1);
        const truth = Number(x.h.engine.read('W')),
          a = x.ask('Q'),
          named = a.writers.find((w) => w.decides);
        const expected =
          truth === 0 ? undefined : truth > 100 ? 'Own line 5' : [...numberOf].find(([, n]) => n === truth)![0];
        const several =
          writers.filter((w) => w.mark !== 'block').length + (writers.some((w) => w.mark === 'block') ? 1 : 0);
        if (several > 1) expect(named?.where).toBe(expected);
        // Where it changed in this scan, the chain of causes begins at the same place.
        const [first] = a.links;
        if (first?.scan === x.h.end && /came on|went off/.test(first.sentence) && expected)
          expect(first.where).toBe(expected);
      }
    }),
    { numRuns: 300 },
  );
}, 60_000);
