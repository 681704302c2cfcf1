/** Rungs: line to structure to line, edits, layout, and what they mean on the engine. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  type Part,
  callText,
  editRung,
  layoutRung,
  nodesOf,
  parallel,
  parseRungLine,
  printRung,
  series,
} from '../ladder.js';
import { Problems, makeSource } from '../language.js';
import { codesOf, ladderEngine, ladderProject } from '../../test/support.js';
import { compile } from '../workspace.js';
import { powerOf } from '../bench.js';
import { placeText } from '../language.js';

const parse = (line: string) => {
  const problems = new Problems();
  const r = parseRungLine(
    makeSource('p', line, { kind: 'rung', pouId: 'p', pou: 'Main', rungId: 'r', number: 1 }),
    problems,
  );
  return { rung: r?.rung, problems: problems.list };
};
/** Structure without the places in the text. */
const shape = (x: unknown): unknown =>
  JSON.parse(JSON.stringify(x, (k, v: unknown) => (k === 'start' || k === 'end' || k === 'textStart' ? undefined : v)));

const LINES = [
  '(StartPB | Running) & StopOK & !Fault -> Running',
  'DieDown & Step = Crimp & Dwell(PT := 300 ms) -> DwellDone',
  '^Rejected & RejectRun(R := Good, PV := 3) -> set Fault',
  'Running & !Jam -> FeedMotor, (Hand -> Lamp), { Total := Total + 1; }',
  'Sel -> return',
  '-> Always',
  'Up@CD:CTUD(PV := 5, R := Clear).QD & ^!Batch.Flags.2 & Valve[3].Open & %IX0.3 -> reset A.B, ^C, ^!D, !E',
  '(A + B) * 2 > C - 1 & IsReady(x, y) -> ^{ n := 0; }',
  '((A & B | C) & D | E) & F -> G',
];

describe('the rung line', () => {
  it.each(LINES)('prints back exactly: %s', (line) => {
    const { rung, problems } = parse(line);
    expect(problems).toEqual([]);
    expect(printRung(rung!)).toBe(line);
  });
  it('flattens branches around branches and keeps parallel legs as one branch', () => {
    expect(printRung(parse('((A | B) | (C)) & (D & E) -> F').rung!)).toBe('(A | B | C) & D & E -> F');
  });
  it('takes AND, OR and NOT for the signs', () => {
    expect(printRung(parse('(a OR NOT b) AND c -> d').rung!)).toBe('(a | !b) & c -> d');
  });
  it.each([
    ['', 'The rung is empty', 0],
    ['A & -> B', 'Expected a value', 4],
    ['A B -> C', "are joined by '&'", 1],
    ['A -> ', 'Behind the arrow stands an output', 5],
    ['!(A | B) -> C', "'!' and '^' stand before a tag", 0],
    ['5 -> C', 'A contact is a tag', 0],
    ['A -> B C', 'with commas between them', 7],
    ['(A -> B', 'to close the branch', 2],
  ])('%j says what is wrong, where', (line, message, at) => {
    const { rung, problems } = parse(line);
    expect(rung).toBeUndefined();
    expect(problems[0]!.message).toContain(message);
    expect(problems[0]!.at.start).toBe(at);
  });
  it('never throws, however it is cut off or nested', () => {
    for (const line of LINES) for (let i = 0; i < line.length; i++) parse(line.slice(0, i));
    expect(parse(`${'('.repeat(10_000)}A -> B`).rung).toBeUndefined();
    expect(parse(`A -> ${'(A -> '.repeat(5_000)}B`).rung).toBeUndefined();
  });
});

const name = fc.constantFrom('A', 'B', 'C', 'D', 'E');
const element: fc.Arbitrary<string> = fc.oneof(
  name,
  name.map((n) => `!${n}`),
  fc
    .tuple(fc.constantFrom('N', 'M'), fc.constantFrom('=', '<', '>='), fc.integer({ min: 0, max: 3 }))
    .map(([v, op, n]) => `${v} ${op} ${n}`),
);
interface Tree {
  readonly text: string;
  readonly value: (env: Record<string, number>) => boolean;
}
const evaluate = (text: string, env: Record<string, number>): boolean => {
  const m = /^(\w) (=|<|>=) (\d)$/.exec(text);
  if (m) {
    const a = env[m[1]!]!,
      b = Number(m[3]);
    return m[2] === '=' ? a === b : m[2] === '<' ? a < b : a >= b;
  }
  return text.startsWith('!') ? !env[text.slice(1)] : !!env[text];
};
const { tree } = fc.letrec<{ tree: Tree }>((tie) => ({
  tree: fc.oneof(
    { maxDepth: 4 },
    element.map((text): Tree => ({ text, value: (env) => evaluate(text, env) })),
    fc
      .tuple(fc.constantFrom('&', '|'), fc.array(tie('tree'), { minLength: 2, maxLength: 3 }))
      .map(([op, list]): Tree => ({
        text: `(${list.map((t) => t.text).join(` ${op} `)})`,
        value: (env) => (op === '&' ? list.every((t) => t.value(env)) : list.some((t) => t.value(env))),
      })),
  ),
}));

describe('laws', () => {
  it('line to rung to line to rung: the same structure', () => {
    fc.assert(
      fc.property(tree, (t) => {
        const first = parse(`${t.text} -> Q`).rung!;
        const second = parse(printRung(first)).rung!;
        expect(shape(second)).toEqual(shape(first));
      }),
      { numRuns: 300 },
    );
  });

  it('a rung means what its series and parallel parts say, in the watched and in the plain build', () => {
    const tags = ['A', 'B', 'C', 'D', 'E'].map((n) => `${n} : BOOL`).concat('N : INT', 'M : INT', 'Q : BOOL');
    fc.assert(
      fc.property(
        tree,
        fc.array(
          fc.record({
            A: fc.nat(1),
            B: fc.nat(1),
            C: fc.nat(1),
            D: fc.nat(1),
            E: fc.nat(1),
            N: fc.nat(3),
            M: fc.nat(3),
          }),
          { minLength: 1, maxLength: 4 },
        ),
        (t, environments) => {
          for (const watched of [true, false]) {
            const e = ladderEngine(tags, [`${t.text} -> Q`], watched);
            for (const env of environments) {
              for (const [k, v] of Object.entries(env)) e.write(k, k < 'F' ? v === 1 : BigInt(v));
              e.runScan();
              expect(e.read('Q')).toBe(t.value(env));
            }
          }
        },
      ),
      { numRuns: 150 },
    );
  });

  it('every element of a layout has its own place, inside the rung', () => {
    fc.assert(
      fc.property(tree, fc.integer({ min: 320, max: 1400 }), (t, width) => {
        const { rung } = parse(`${t.text} -> Q, set R`);
        const l = layoutRung(rung!, {
          width,
          textWidth: (s) => s.length * 7,
          call: () => ({ isBlock: false, rows: 0 }),
        });
        expect(l.boxes.map((b) => b.element)).toEqual(nodesOf(rung!).map((_, i) => i));
        for (const b of l.boxes) {
          expect(b.x >= 0 && b.x + b.width <= l.width && b.y >= 0 && b.y + b.height <= l.height).toBe(true);
          for (const o of l.boxes)
            if (o !== b)
              expect(
                b.x + b.width <= o.x || o.x + o.width <= b.x || b.y + b.height <= o.y || o.y + o.height <= b.y,
              ).toBe(true);
        }
      }),
      { numRuns: 200 },
    );
  });
});

it('what stands over an element has room over it: names, comparisons, functions with their arguments, actions', () => {
  const { rung } = parse(
    'Start & InRange(Level, Low := 12.5, High := Recipe.High, Error => Trouble) & Temperature >= Limit.Upper & Ok() -> VeryLongNameOfALamp, { Count := Count + 1; }',
  );
  const textWidth = (s: string) => s.length * 7,
    l = layoutRung(rung!, { width: 900, textWidth, call: () => ({ isBlock: false, rows: 0 }) });
  const label = (n: ReturnType<typeof nodesOf>[number]): string =>
    n.kind === 'contact' || n.kind === 'coil' ? n.tag : n.kind === 'call' ? callText(n) : printed(n);
  const printed = (n: ReturnType<typeof nodesOf>[number]): string =>
    n.kind === 'compare' ? `${n.left} ${n.op} ${n.right}` : n.kind === 'action' ? n.text : 'return';
  const labels = nodesOf(rung!).map(label);
  expect(labels[1]).toBe('InRange(Level, Low := 12.5, High := Recipe.High, Error => Trouble)');
  for (const [i, text] of labels.entries()) expect([text, textWidth(text) <= l.boxes[i]!.width]).toEqual([text, true]);
});

describe('edits', () => {
  const line = '(StartPB | Running) & StopOK -> Running';
  const edited = (l: string, at: number, e: Parameters<typeof editRung>[2]) => {
    const r = editRung(l, { element: at }, e);
    return 'line' in r ? r.line : `refused: ${r.refused}`;
  };
  it.each([
    [2, { kind: 'insertAfter', text: '!Fault' }, '(StartPB | Running) & StopOK & !Fault -> Running'],
    [0, { kind: 'insertAfter', text: 'X' }, '(StartPB & X | Running) & StopOK -> Running'],
    [0, { kind: 'addLeg', text: 'Jog' }, '(StartPB | Jog | Running) & StopOK -> Running'],
    [2, { kind: 'addLeg', text: 'Service & Key' }, '(StartPB | Running) & (StopOK | Service & Key) -> Running'],
    [2, { kind: 'negate' }, '(StartPB | Running) & !StopOK -> Running'],
    [1, { kind: 'edge' }, '(StartPB | ^Running) & StopOK -> Running'],
    [1, { kind: 'delete' }, 'StartPB & StopOK -> Running'],
    [3, { kind: 'latch' }, '(StartPB | Running) & StopOK -> set Running'],
    [3, { kind: 'addLeg', text: 'Lamp' }, '(StartPB | Running) & StopOK -> Running, Lamp'],
    [3, { kind: 'insertBefore', text: 'Ok' }, '(StartPB | Running) & StopOK & Ok -> Running'],
    [2, { kind: 'replace', text: 'Level > 5' }, '(StartPB | Running) & Level > 5 -> Running'],
    [
      2,
      { kind: 'insertAfter', text: 'Dwell(PT := 300 ms)' },
      '(StartPB | Running) & StopOK & Dwell(PT := 300 ms) -> Running',
    ],
    [3, { kind: 'replace', text: '{ n := 1; }' }, '(StartPB | Running) & StopOK -> { n := 1; }'],
  ] as const)('%d %j', (at, e, wanted) => {
    expect(edited(line, at, e)).toBe(wanted);
  });
  it('refuse with a reason and change nothing', () => {
    expect(edited(line, 3, { kind: 'delete' })).toContain('needs an output');
    expect(edited(line, 0, { kind: 'latch' })).toContain('belong to coils');
    expect(edited(line, 0, { kind: 'insertAfter', text: 'A &' })).toContain('Expected');
  });
  it('deleting the last leg of a branch leaves no branch, deleting all leaves a rung without conditions', () => {
    expect(edited('(A | B) -> C', 1, { kind: 'delete' })).toBe('A -> C');
    expect(edited('A -> C', 0, { kind: 'delete' })).toBe('-> C');
    expect(edited('A -> B, (C -> D)', 2, { kind: 'delete' })).toBe('A -> B, D');
  });
  it('negating twice is nothing', () => {
    fc.assert(
      fc.property(tree, fc.nat(20), (t, n) => {
        const l = printRung(parse(`${t.text} -> Q`).rung!);
        const at = n % nodesOf(parse(l).rung!).length;
        expect(edited(edited(l, at, { kind: 'negate' }), at, { kind: 'negate' })).toBe(l);
      }),
    );
  });
  it('series and parallel flatten what they are given', () => {
    const a = parse('A -> Q').rung!.logic as Part;
    expect(series([series([a, a]), a])).toMatchObject({ kind: 'series', parts: [{}, {}, {}] });
    expect(parallel([a, parallel([a, a])])).toMatchObject({ kind: 'parallel', legs: [{}, {}, {}] });
  });
});

describe('what elements do', () => {
  const scan = (e: ReturnType<typeof ladderEngine>, writes: Record<string, boolean>, read: string) => {
    for (const [k, v] of Object.entries(writes)) e.write(k, v);
    e.runScan();
    return e.read(read);
  };
  it('edge contacts give power for one scan', () => {
    const e = ladderEngine(['A : BOOL', 'Up : BOOL', 'Down : BOOL'], ['^A -> Up', '^!A -> Down']);
    expect([true, true, false, false].map((a) => [scan(e, { A: a }, 'Up'), e.read('Down')])).toEqual([
      [true, false],
      [false, false],
      [false, true],
      [false, false],
    ]);
  });
  it('set and reset keep, the later one wins', () => {
    const e = ladderEngine(['S : BOOL', 'R : BOOL', 'Q : BOOL'], ['S -> set Q', 'R -> reset Q']);
    expect([scan(e, { S: true }, 'Q'), scan(e, { S: false }, 'Q'), scan(e, { S: true, R: true }, 'Q')]).toEqual([
      true,
      true,
      false,
    ]);
  });
  it('a block with power through it runs in every scan, with power or without', () => {
    const e = ladderEngine(['A : BOOL', 'Q : BOOL'], ['A & Wait:TON(PT := 30 ms) -> Q']);
    expect(scan(e, { A: false }, 'Q')).toBe(false);
    expect([1, 2, 3, 4].map(() => scan(e, { A: true }, 'Q'))).toEqual([false, false, false, true]);
    expect(scan(e, { A: false }, 'Q')).toBe(false);
    expect(e.read('Main.Wait.ET')).toBe(0n);
  });
  it('actions run while there is power, once-actions once per rise', () => {
    const e = ladderEngine(['A : BOOL', 'N : INT', 'M : INT'], ['A -> { N := N + 1; }, ^{ M := M + 1; }']);
    for (const a of [true, true, false, true]) scan(e, { A: a }, 'N');
    expect([e.read('N'), e.read('M')]).toEqual([3n, 2n]);
  });
  it('return leaves the rungs behind it alone', () => {
    const e = ladderEngine(['A : BOOL', 'N : INT'], ['A -> return', '-> { N := N + 1; }']);
    scan(e, { A: true }, 'N');
    expect(scan(e, { A: false }, 'N')).toBe(1n);
  });
  it('counters count rises and can be reset from the rung', () => {
    const e = ladderEngine(['A : BOOL', 'C : BOOL', 'Count : CTU', 'Q : BOOL'], ['A & Count(R := C, PV := 2) -> Q']);
    for (const a of [true, false, true]) scan(e, { A: a }, 'Q');
    expect([e.read('Q'), e.read('Count.CV')]).toEqual([true, 2n]);
    expect(scan(e, { C: true }, 'Q')).toBe(false);
  });
  it('keeps power of every element in the watched build', () => {
    const e = ladderEngine(['A : BOOL', 'B : BOOL', 'Q : BOOL'], ['A & !B -> Q']);
    scan(e, { A: false, B: false }, 'Q');
    const p = e.image.probes.get('r1')!;
    // bit 0 power in, bit 1 power out, bit 2 closed
    expect(powerOf(e.view, p)).toEqual([0b001, 0b100, 0b000]);
    scan(e, { A: true }, 'Q');
    expect(powerOf(e.view, p)).toEqual([0b111, 0b111, 0b111]);
  });
});

describe('problems of a rung', () => {
  it('stand on the element, as the command line prints them', () => {
    const c = compile([
      {
        kind: 'project',
        name: 'p.ferrule.json',
        project: ladderProject(['A : BOOL', 'Q : BOOL'], ['A -> Q', 'A & Runing -> Q']),
      },
    ]);
    const error = c.diagnostics.find((d) => d.severity === 'error')!;
    expect(error.code).toBe('UNKNOWN_NAME');
    expect(placeText(error.at)).toBe('p.ferrule.json:Main/rung 2/element 2');
  });
  it('warns of a coil driven twice, names the first', () => {
    const c = compile([
      { kind: 'project', name: 'p', project: ladderProject(['A AT %IX0.0 : BOOL', 'Q : BOOL'], ['A -> Q', '!A -> Q']) },
    ]);
    expect(c.diagnostics.map((d) => [d.severity, d.code])).toEqual([['warning', 'DOUBLE_COIL']]);
    expect(c.diagnostics[0]!.message).toContain('Main rung 1');
    expect(codesOf('PROGRAM P VAR r : REAL; q : BOOL; END_VAR q := r = 1.0; END_PROGRAM')).toEqual(['REAL_EQUALITY']);
  });
});
