/**
 * Working with rungs: legs that stretch, parts that move, outputs split, the simpler rung, rungs as text and text as
 * rungs.
 */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  type Part,
  type RungEdit,
  editRung,
  isElement,
  nodesOf,
  parseRungLine,
  printRung,
  rungToText,
  rungsOfText,
  rungsToText,
  runRange,
  runText,
  simplifyPart,
  splitComment,
  splitOutputs,
  textToRungs,
} from '../ladder.js';
import { Engine } from '../bench.js';
import { Problems, makeSource } from '../language.js';
import { ladderEngine } from '../../test/support.js';

const parse = (line: string) => parseRungLine(makeSource('', line), new Problems())!.rung;
const at = (line: string, element: number, edit: RungEdit, to?: number): string => {
  const r = editRung(line, { element, ...(to !== undefined ? { to } : {}) }, edit);
  return 'line' in r ? r.line : `refused: ${r.refused}`;
};

describe('a run of elements', () => {
  it.each([
    ['a branch around a run', 'A & B & C -> Q', 0, 1, { kind: 'addLeg', text: 'M' }, '(A & B | M) & C -> Q'],
    ['deleted', 'A & B & C -> Q', 0, 1, { kind: 'delete' }, 'C -> Q'],
    ['replaced', 'A & B & C -> Q', 1, 2, { kind: 'replace', text: 'X' }, 'A & X -> Q'],
    ['widened to the whole branch it crosses', 'A & (B | C) & D -> Q', 1, 3, { kind: 'delete' }, 'A -> Q'],
    ['of legs', 'A & (B | C | D) -> Q', 1, 2, { kind: 'delete' }, 'A & D -> Q'],
    ['of all legs', 'A & (B | C) -> Q', 1, 2, { kind: 'addLeg', text: 'D' }, 'A & (B | C | D) -> Q'],
    ['of outputs', 'A -> Q, R, S', 1, 2, { kind: 'delete' }, 'A -> S'],
    ['backwards is the same run', 'A & B & C -> Q', 1, 0, { kind: 'delete' }, 'C -> Q'],
  ] as const)('%s', (_, line, from, to, edit, wanted) => {
    expect(at(line, from, edit, to)).toBe(wanted);
  });
  it('keeps one output', () => {
    expect(at('A -> Q, R', 1, { kind: 'delete' }, 2)).toContain('needs an output');
  });
  it('is widened to whole parts, and what it holds is told', () => {
    expect(runRange('(A | B) & C & D -> Q', { element: 1, to: 2 })).toEqual({ from: 0, to: 2 });
    expect(runRange('A & (B & C | D) -> Q', { element: 1, to: 2 })).toEqual({ from: 1, to: 2 });
    expect(runRange('A & B -> Q', { element: 1 })).toBeUndefined();
    expect(runRange('A -> Q, R', { element: 1, to: 2 })).toBeUndefined();
  });
  it('is cut out as text that can be typed again', () => {
    expect(runText('A & (B | C) & D -> Q, set R', { element: 1, to: 3 })).toBe('(B | C) & D');
    expect(runText('A & (B | C) & D -> Q, set R', { element: 1, to: 2 })).toBe('B | C');
    expect(runText('A & B -> Q, set R', { element: 2, to: 3 })).toBe('-> Q, set R');
    expect(runText('A & B -> Q', { element: 1, to: 2 })).toBe('B');
  });
});

describe('legs stretch', () => {
  it.each([
    ['closes further along', '(A | M) & B & C -> Q', 1, 'closeFurther', '(A & B | M) & C -> Q'],
    ['from the first leg too', '(A | M) & B & C -> Q', 0, 'closeFurther', '(A & B | M) & C -> Q'],
    ['only the leg under the cursor', '(A | M | N) & B -> Q', 2, 'closeFurther', '(A | M) & B | N -> Q'],
    ['closes nearer', '(A & B | M) & C -> Q', 2, 'closeNearer', '(A | M) & B & C -> Q'],
    ['opens earlier', 'A & (B | M) -> Q', 2, 'openEarlier', 'A & B | M -> Q'],
    ['opens later', 'A & B & C | M -> Q', 3, 'openLater', 'A & (B & C | M) -> Q'],
  ] as const)('%s', (_, line, element, kind, wanted) => {
    expect(at(line, element, { kind })).toBe(wanted);
  });
  it('says why not', () => {
    expect(at('A & B -> Q', 0, { kind: 'closeFurther' })).toContain('no branch around');
    expect(at('A | B -> Q', 1, { kind: 'closeFurther' })).toContain('closes at the end');
    expect(at('A | B -> Q', 1, { kind: 'openEarlier' })).toContain('opens at the beginning');
    expect(at('A | B -> Q', 1, { kind: 'closeNearer' })).toContain('spans one part');
    expect(at('A | B -> Q', 2, { kind: 'closeFurther' })).toContain('Stand on a contact');
  });
});

describe('parts move', () => {
  it.each([
    ['past the neighbour', 'A & B & C -> Q', 0, 'moveRight', 'B & A & C -> Q'],
    ['into a leg', 'A & (B | C) -> Q', 0, 'moveRight', 'A & B | C -> Q'],
    ['out of a leg at its end', '(A & X | B) & C -> Q', 1, 'moveRight', '(A | B) & X & C -> Q'],
    ['out of a leg at its beginning', 'C & (X & A | B) -> Q', 1, 'moveLeft', 'C & X & (A | B) -> Q'],
    ['a whole leg out', '(A | X) & C -> Q', 1, 'moveRight', 'A & X & C -> Q'],
    ['down into the next leg', 'A & X | B -> Q', 1, 'moveDown', 'A | B & X -> Q'],
    ['up into the leg above', 'A | B & X -> Q', 2, 'moveUp', 'A & X | B -> Q'],
    ['down to a leg of its own', 'A & X | B & Y -> Q', 3, 'moveDown', 'A & X | B | Y -> Q'],
    ['in the open, parallel to what stood before it', 'A & B -> Q', 1, 'moveDown', 'A | B -> Q'],
    ['an output among its likes', 'A -> Q, R', 2, 'moveUp', 'A -> R, Q'],
  ] as const)('%s', (_, line, element, kind, wanted) => {
    expect(at(line, element, { kind })).toBe(wanted);
  });
  it('and the cursor goes with them', () => {
    expect(editRung('A & B & C -> Q', { element: 0 }, { kind: 'moveRight' })).toEqual({
      line: 'B & A & C -> Q',
      cursor: { element: 1 },
    });
  });
  it('moves a run as one, and only whole parts', () => {
    expect(at('A & B & C -> Q', 0, { kind: 'moveRight' }, 1)).toBe('C & A & B -> Q');
    expect(at('(A | B) & C -> Q', 0, { kind: 'moveRight' }, 1)).toBe('C & (A | B) -> Q');
    expect(at('(A | B | D) & C -> Q', 0, { kind: 'moveRight' }, 1)).toContain('whole legs');
  });
  it('says why not', () => {
    expect(at('A & B -> Q', 0, { kind: 'moveLeft' })).toContain('beginning already');
    expect(at('A -> Q', 0, { kind: 'moveDown' })).toContain('nothing beside it');
    expect(at('A -> Q, R', 1, { kind: 'moveLeft' })).toContain('up and down');
  });
  it('changes only the tag', () => {
    expect(at('A & ^!B -> set Q', 1, { kind: 'retag', text: 'Valve[3].Open' })).toBe('A & ^!Valve[3].Open -> set Q');
    expect(at('A & ^!B -> set Q', 2, { kind: 'retag', text: 'R' })).toBe('A & ^!B -> set R');
    expect(at('A -> Q', 0, { kind: 'retag', text: 'x y' })).toContain('is not a tag');
  });
});

const name = fc.constantFrom('A', 'B', 'C', 'D');
const leaf = fc.oneof(
  name,
  name.map((n) => `!${n}`),
  fc.tuple(fc.constantFrom('=', '<', '>='), fc.nat(3)).map(([op, n]) => `N ${op} ${n}`),
);
const { tree } = fc.letrec<{ tree: string }>((tie) => ({
  tree: fc.oneof(
    { maxDepth: 4 },
    leaf,
    fc
      .tuple(fc.constantFrom(' & ', ' | '), fc.array(tie('tree'), { minLength: 2, maxLength: 3 }))
      .map(([op, list]) => `(${list.join(op)})`),
  ),
}));
const KINDS = [
  'closeFurther',
  'closeNearer',
  'openEarlier',
  'openLater',
  'moveLeft',
  'moveRight',
  'moveUp',
  'moveDown',
] as const;

const holds = (p: Part, env: Record<string, number>): boolean => {
  if (p.kind === 'series') return p.parts.every((x) => holds(x, env));
  if (p.kind === 'parallel') return p.legs.some((x) => holds(x, env));
  if (p.kind === 'compare') {
    const b = Number(p.right),
      a = env['N']!;
    return { '=': a === b, '<': a < b, '>=': a >= b }[p.op]!;
  }
  return p.kind === 'contact' && (env[p.tag] === 1) === (p.mode === 'open');
};
const environment = fc.record({ A: fc.nat(1), B: fc.nat(1), C: fc.nat(1), D: fc.nat(1), N: fc.nat(3) });
const size = (p: Part): number =>
  isElement(p) ? 1 : (p.kind === 'series' ? p.parts : p.legs).reduce((n, x) => n + size(x), 0);

describe('laws', () => {
  it('moving and stretching lose nothing and double nothing, and the cursor stays on its element', () => {
    fc.assert(
      fc.property(
        tree,
        fc.array(fc.tuple(fc.nat(12), fc.constantFrom(...KINDS)), { minLength: 1, maxLength: 8 }),
        (t, steps) => {
          let line = printRung(parse(`${t} -> Q, R`));
          const all = (l: string) =>
            nodesOf(parse(l))
              .map((n) => l.slice(n.start, n.end))
              .sort();
          const before = all(line);
          for (const [n, kind] of steps) {
            const nodes = nodesOf(parse(line));
            const element = n % nodes.length;
            const r = editRung(line, { element }, { kind });
            if ('refused' in r) continue;
            expect(all(r.line)).toEqual(before);
            const now = nodesOf(parse(r.line))[r.cursor.element]!;
            expect(r.line.slice(now.start, now.end)).toBe(line.slice(nodes[element]!.start, nodes[element]!.end));
            line = r.line;
          }
        },
      ),
      { numRuns: 400 },
    );
  });
  it('stretching a leg and taking it back is nothing', () => {
    fc.assert(
      fc.property(
        tree,
        fc.nat(12),
        fc.constantFrom(['closeFurther', 'closeNearer'] as const, ['openEarlier', 'openLater'] as const),
        (t, n, [there, back]) => {
          const line = printRung(parse(`${t} -> Q`));
          const element = n % nodesOf(parse(line)).length;
          const r = editRung(line, { element }, { kind: there });
          if ('refused' in r) return;
          const again = editRung(r.line, r.cursor, { kind: back });
          // A leg that was in the middle is the lowest afterwards: the same legs in another order. Where the stretched
          // leg came to lie beside those around it, the groups were made one, as all that are made are, and one pair of
          // parentheses is fewer.
          const signs = (l: string) => [...l.replace(/[()]/g, '')].sort(),
            pairs = (l: string) => l.split('(').length;
          if ('line' in again && again.line !== line) {
            expect(signs(again.line)).toEqual(signs(line));
            expect(pairs(again.line)).toBeLessThanOrEqual(pairs(line));
          }
        },
      ),
      {
        numRuns: 300,
        examples: [['(!A & (((A | !A) & N = 0) | N = 0 | N = 0) & A)', 1, ['closeFurther', 'closeNearer']]],
      },
    );
  });
  it('a simpler rung means the same and is no longer', () => {
    fc.assert(
      fc.property(tree, fc.array(environment, { minLength: 6, maxLength: 6 }), (t, environments) => {
        const logic = parse(`${t} -> Q`).logic!;
        const simple = simplifyPart(logic);
        expect(size(simple)).toBeLessThanOrEqual(size(logic));
        for (const env of environments) expect(holds(simple, env)).toBe(holds(logic, env));
      }),
      { numRuns: 500 },
    );
    expect(at('(A & B | A & C | A & B) & (D | D & A) -> Q', 0, { kind: 'simplify' })).toBe('A & (B | C) & D -> Q');
    expect(at('^A & ^A | ^A & B -> Q', 0, { kind: 'simplify' })).toBe('^A & ^A | ^A & B -> Q');
  });
});

const TAGS = ['A', 'B', 'C', 'D', 'Q', 'R', 'S', 'E', 'P']
  .map((n) => `${n} : BOOL`)
  .concat('N : INT', 'W : TON', 'X : REAL');
const play = (lines: readonly string[], environments: readonly Record<string, number>[]): unknown[] => {
  const e: Engine = ladderEngine(TAGS, lines);
  return environments.map((env) => {
    for (const [k, v] of Object.entries(env)) e.write(k, k === 'N' ? BigInt(v) : v === 1);
    e.runScan();
    return ['Q', 'R', 'S', 'E', 'N', 'W.Q'].map((p) => e.read(p));
  });
};
const outputs = fc
  .array(fc.constantFrom('Q', '!R', 'set S', 'reset S', '{ N := N + 1; }', '(A -> E)', '(B & !Q -> set E, R)'), {
    minLength: 1,
    maxLength: 3,
  })
  .map((l) => l.join(', '));
const block = { block: () => ({ inPin: 'IN', outPin: 'Q' }) };

describe('rung and text', () => {
  it('a rung as text does the same, scan by scan, where it can be text', () => {
    let taken = 0;
    fc.assert(
      fc.property(
        tree,
        fc.boolean(),
        outputs,
        fc.array(environment, { minLength: 4, maxLength: 8 }),
        (t, timer, out, environments) => {
          const line = `${t}${timer ? ' & W(PT := 20 ms) & !D' : ''} -> ${out}`;
          const r = rungToText(line, { ...block, temporary: () => 'P' });
          if ('refused' in r) return;
          if ('refused' in rungToText(line, block)) expect(r.text).toContain('P := ');
          taken++;
          expect(play([`-> { ${r.text} }`], environments)).toEqual(play([line], environments));
        },
      ),
      { numRuns: 150 },
    );
    expect(taken).toBeGreaterThan(40);
  });
  it('text as rungs does the same', () => {
    const { expression } = fc.letrec<{ expression: string }>((tie) => ({
      expression: fc.oneof(
        { maxDepth: 4 },
        name,
        fc.constant('(N > 1)'),
        fc.constant('(X < 0.5)'),
        fc.constant('TRUE'),
        tie('expression').map((x) => `NOT (${x})`),
        fc
          .tuple(tie('expression'), fc.constantFrom('AND', 'OR', 'XOR'), tie('expression'))
          .map(([a, op, b]) => `(${a} ${op} ${b})`),
      ),
    }));
    const statement = fc
      .tuple(
        expression,
        fc.constantFrom(
          'Q := # ;',
          'IF # THEN S := TRUE; END_IF;',
          'IF # THEN S := FALSE; END_IF;',
          'IF # THEN R := TRUE; ELSE R := FALSE; END_IF;',
          'IF # THEN N := N + 1; END_IF;',
        ),
      )
      .map(([e, s]) => s.replace('#', e));
    let taken = 0;
    fc.assert(
      fc.property(
        fc.array(statement, { minLength: 1, maxLength: 3 }),
        fc.array(environment, { minLength: 3, maxLength: 6 }),
        (list, environments) => {
          const text = list.join('\n');
          const r = textToRungs(text, (n) => n === 'x');
          if ('refused' in r) return;
          taken++;
          expect(play(r.lines, environments)).toEqual(play([`-> { ${text.replace(/\n/g, ' ')} }`], environments));
        },
      ),
      { numRuns: 150 },
    );
    expect(taken).toBeGreaterThan(60);
  });
  it('writes what people would write', () => {
    const text = (line: string) => {
      const r = rungToText(line, block);
      return 'text' in r ? r.text : `refused: ${r.refused}`;
    };
    expect(text('(StartPB | Running) & StopOK & !Fault -> Running')).toBe(
      'Running := (StartPB OR Running) AND StopOK AND NOT Fault;',
    );
    expect(text('Down & Step = Crimp & Dwell(PT := 300 ms) -> DwellDone')).toBe(
      'Dwell(IN := Down AND (Step = Crimp), PT := 300 ms);\nDwellDone := Dwell.Q;',
    );
    expect(text('A -> set B')).toBe('IF A THEN B := TRUE; END_IF;');
    expect(text('-> A')).toBe('A := TRUE;');
    expect(text('^A -> B')).toContain('needs a memory of its own');
    expect(text('W.Q & W(PT := 1 s) -> B')).toContain('read before it is called');
    expect(text('A -> A, B')).toContain('rungs of their own');
    const lines = (t: string) => {
      const r = textToRungs(t);
      return 'lines' in r ? r.lines : `refused: ${r.refused}`;
    };
    expect(lines('Running := (StartPB OR Running) AND StopOK AND NOT Fault;')).toEqual([
      '(StartPB | Running) & StopOK & !Fault -> Running',
    ]);
    expect(lines('IF a AND NOT (b OR c) THEN d := TRUE; END_IF;\nIF n >= 5 THEN RETURN; END_IF;')).toEqual([
      'a & !b & !c -> set d',
      'n >= 5 -> return',
    ]);
    expect(lines('n := n + 1;')).toContain('no shape');
    expect(lines('IF a THEN b := 1; ELSIF c THEN b := 2; END_IF;')).toContain('ELSIF has no shape');
    expect(lines('x := ;')).toContain('Expected');
  });
  it('comparisons with NaN keep their meaning', () => {
    // Parentheses around one name are no expression of their own.
    expect(textToRungs('Q := NOT (A) AND ((B));')).toEqual({ lines: ['!A & B -> Q'] });
    expect(textToRungs('Q := NOT (X < 1.0);', (n) => n === 'x')).toEqual({ lines: ['(X < 1.0) = FALSE -> Q'] });
  });
});

describe('outputs split', () => {
  it('means the same, scan by scan', () => {
    let taken = 0;
    fc.assert(
      fc.property(
        tree,
        fc.constantFrom('', ' & W(PT := 20 ms)', ' & ^D'),
        outputs,
        fc.array(environment, { minLength: 4, maxLength: 8 }),
        (t, tail, out, environments) => {
          const line = `${t}${tail} -> ${out}`;
          const r = splitOutputs(line);
          if ('refused' in r) return;
          taken++;
          for (const l of r.lines) expect(parse(l).outputs).toHaveLength(1);
          expect(play(r.lines, environments)).toEqual(play([line], environments));
        },
      ),
      { numRuns: 200 },
    );
    expect(taken).toBeGreaterThan(20);
  });
  it('takes the first coil as the answer where the conditions can be asked only once', () => {
    expect(splitOutputs('A & W(PT := 1 s) -> Q, Lamp')).toEqual({ lines: ['A & W(PT := 1 s) -> Q', 'Q -> Lamp'] });
    expect(splitOutputs('(A | Q) & B -> Q, Lamp')).toEqual({ lines: ['(A | Q) & B -> Q', 'Q -> Lamp'] });
    expect(splitOutputs('^A -> set Q, Lamp')).toMatchObject({
      refused: expect.stringContaining('only once') as unknown,
    });
    expect(splitOutputs('A -> Q')).toMatchObject({ refused: 'This rung has one output.' });
  });
});

describe('rungs as text', () => {
  it('comments and headings come back', () => {
    const rungs = [{ line: 'A -> B', comment: 'one\ntwo', heading: 'Top' }, { line: "S = 'a // b' -> C" }];
    expect(rungsOfText(rungsToText(rungs))).toEqual(rungs);
    expect(rungsOfText('A -> B // seals in\n// below\nC -> D')).toEqual([
      { line: 'A -> B', comment: 'seals in' },
      { line: 'C -> D', comment: 'below' },
    ]);
    expect(splitComment("S = 'a // b' -> C // d")).toEqual({ line: "S = 'a // b' -> C", comment: 'd' });
    expect(rungsOfText('## only a heading')).toEqual([{ line: '', heading: 'only a heading' }]);
  });
  it('by property', () => {
    const words = fc.stringMatching(/^[A-Za-z0-9 ,.:&|']{0,20}$/).map((s) => s.trim());
    fc.assert(
      fc.property(
        fc.array(fc.record({ line: tree.map((t) => printRung(parse(`${t} -> Q`))), comment: words, heading: words }), {
          maxLength: 5,
        }),
        (list) => {
          const rungs = list.map(({ line, comment, heading }) => ({
            line,
            ...(comment ? { comment } : {}),
            ...(heading ? { heading } : {}),
          }));
          expect(rungsOfText(rungsToText(rungs))).toEqual(rungs);
        },
      ),
    );
  });
});
