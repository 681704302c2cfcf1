/**
 * IEC 61131-10 XML: ours comes back as it went; others' ladder, diagrams and charts come in; what is not understood is
 * told.
 */
import { spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import fc from 'fast-check';
import { afterAll, describe, expect, it } from 'vitest';
import { Engine, findPath, readLocation } from '../../bench.js';
import { type Project, emptyProject, projectText } from '../../document.js';
import { compile } from '../../workspace.js';
import { projectFromText, projectFromXml, projectToXml } from '../../files.js';
import { parseRungLine } from '../../ladder/parse.js';
import { printRung } from '../../ladder/print.js';
import { Problems } from '../../language/diagnostic.js';
import { makeSource } from '../../language/source.js';
import { parseProject } from '../../schema.js';
import { batchText } from '../../../test/program-batch.js';
import { ladderProject } from '../../../test/support.js';

const folder = new URL('../../../../../examples/', import.meta.url);
const examples = readdirSync(folder)
  .filter((f) => f.endsWith('.ferrule.json'))
  .map((f) => [f, JSON.parse(readFileSync(new URL(f, folder), 'utf8')) as Project] as const);
const newIds = () => {
  let n = 0;
  return (p: string) => `${p}x${n++}`;
};
const written = (p: Project) => projectToXml(p, compile([{ kind: 'project', name: 'p', project: p }]));
const read = (text: string) => projectFromXml(text, 'x', newIds());
/** As others would give it back: without what is ours. */
const bare = (text: string) => text.replace(/\s*<AddData>[\s\S]*?<\/AddData>/g, '');
const linesOf = (p: Project) => p.pous.flatMap((x) => (x.language === 'LD' ? x.rungs.map((r) => r.line) : []));
/** Durations as the standard writes them: the rest of a line is its structure. */
const standard = (line: string) =>
  line.replace(
    /(?<![\w#.])(\d+(?:\.\d+)?) (ms|s|min|h)\b/g,
    (_, n: string, u: string) => `T#${n}${u === 'min' ? 'm' : u}`,
  );

/** Without parentheses that say nothing. */
const plain = (line: string) => printRung(parseRungLine(makeSource('', line), new Problems())!.rung);

const temporary = mkdtempSync(join(tmpdir(), 'ferrule-xml-'));
afterAll(() => rmSync(temporary, { recursive: true }));
/** What xmllint (Debian's libxml2-utils) says against the schema beside this test. */
function schemaProblems(text: string): string {
  const path = join(temporary, 'x.xml');
  writeFileSync(path, text);
  const schema = fileURLToPath(new URL('./iec61131-10.xsd', import.meta.url)),
    { status, stderr, error } = spawnSync('xmllint', ['--noout', '--schema', schema, path], { encoding: 'utf8' });
  if (error)
    throw new Error(`xmllint is needed for this test (Debian: apt-get install libxml2-utils): ${error.message}`);
  return status === 0 ? '' : stderr;
}

describe('what Ferrule writes', () => {
  it.each(examples)('%s is of the schema and comes back byte for byte', (_, p) => {
    const out = written(p);
    expect(out.left).toEqual([]);
    expect(schemaProblems(out.text)).toBe('');
    const back = read(out.text);
    expect([back.problem, back.left]).toEqual([undefined, []]);
    expect(projectText(back.project!)).toBe(projectText(p));
  });
  it.each(examples)('%s without what is ours has the same rungs and runs alike', (_, p) => {
    const alone: Project = {
        ...emptyProject(p.name),
        tags: p.tags.filter((t) => !t.standsFor),
        types: p.types,
        pous: p.pous,
        tasks: p.tasks,
      },
      back = read(bare(written(alone).text));
    expect(back.left).toEqual([]);
    expect(linesOf(back.project!)).toEqual(linesOf(alone).map(standard).map(plain));
    const engines = [alone, back.project!].map((project) => {
      const c = compile([{ kind: 'project', name: 'p', project }]);
      expect(c.diagnostics.filter((d) => d.severity === 'error')).toEqual([]);
      return new Engine(c.build(false), { stepNs: 10_000_000n });
    });
    const inputs = alone.tags.filter((t) => t.type === 'BOOL' && t.address?.startsWith('%I'));
    let seed = 7;
    for (let scan = 0; scan < 200; scan++) {
      for (const [i, t] of inputs.entries()) {
        seed = (seed * 1103515245 + 12345 + i) & 0x7fffffff;
        if (seed % 9 === 0) for (const e of engines) e.write(t.name, seed % 2 === 0);
      }
      for (const e of engines) e.runScan();
      const values = engines.map((e) =>
        alone.tags.map((t) => {
          try {
            return String(e.read(t.name));
          } catch {
            return '';
          }
        }),
      );
      expect(values[1]).toEqual(values[0]);
    }
  });
  it('says of the connections to another program and of the board that they go beside it, and brings both back', () => {
    const p: Project = {
      ...emptyProject('Both'),
      outside: { isOn: false, protocol: 'modbus', address: 'line:502', items: [] },
      board: { target: 'avr', pins: [{ point: 'Lamp', pin: 'PB5', how: 'inverted' }] },
    };
    const { text, added } = written(p);
    expect(added).toEqual(expect.arrayContaining(['the connections to another program', 'the board and its pins']));
    const back = read(text).project!;
    expect([back.outside, back.board]).toEqual([p.outside, p.board]);
  });
  it('law: whatever stands in names of things, descriptions, comments and texts, it comes back as it was', () => {
    const any = fc.oneof(
      fc.string({ unit: 'binary', maxLength: 12 }),
      fc.constantFrom('', ' ', ' a \n', 'a\r\nb', '\t', ']]>', '&amp;', '<x a="1">', '\u0001\ud800'),
    );
    fc.assert(
      fc.property(fc.array(any, { minLength: 9, maxLength: 9 }), ([a, b, c, d, e, f, g, h, i]) => {
        const p: Project = {
          ...emptyProject(`N${a}`),
          description: b!,
          tags: [{ id: 't', name: 'A', type: 'BOOL', description: c!, unit: d! }],
          types: [{ id: 'y', text: 'Colour : (Red, Green);' }],
          pous: [
            {
              id: 'p',
              name: 'P',
              language: 'LD',
              kind: 'program',
              description: e!,
              rungs: [
                { id: 'r', line: 'A -> A', comment: f!, heading: g! },
                { id: 'q', line: h! },
              ],
            },
            {
              id: 's',
              name: 'S',
              language: 'ST',
              kind: 'program',
              text: `PROGRAM S // ${i!.replace(/[\r\n]/g, '')}\nEND_PROGRAM\n`,
            },
          ],
          tasks: [{ id: 'k', name: 'Main', interval: '10 ms', priority: 1, programs: ['P', 'S'] }],
        };
        const known = parseProject(projectText(p));
        if ('problems' in known) return;
        const back = read(written(known.project).text);
        expect(back.problem).toBe(undefined);
        expect(projectText(back.project!)).toBe(projectText(known.project));
      }),
      { numRuns: 200 },
    );
  });
  it('law: generated programs with every type come back and run alike, with and without what is ours', () => {
    for (let seed = 1; seed <= 6; seed++) {
      const { project: p } = projectFromText(batchText(seed), 'Batch', newIds());
      const out = written(p!);
      expect(out.left).toEqual([]);
      expect(schemaProblems(out.text)).toBe('');
      expect(projectText(read(out.text).project!)).toBe(projectText(p!));
      const back = read(bare(out.text));
      expect(back.left).toEqual([]);
      const [a, b] = [p!, back.project!].map((project) => {
        const c = compile([{ kind: 'project', name: 'p', project }]);
        expect(c.diagnostics.filter((d) => d.severity === 'error').map((d) => d.message)).toEqual([]);
        return new Engine(c.build(false), { stepNs: 10_000_000n });
      }) as [Engine, Engine];
      for (let n = 0; n < 3; n++) {
        a.runScan();
        b.runScan();
        expect(b.fault?.kind).toBe(a.fault?.kind);
        for (const name of p!.pous.filter((x) => x.kind === 'program').map((x) => x.name))
          for (const v of ['b0', 'i0', 'd1', 'l0', 'r1', 'x0', 't0', 'w1', 'it.c[1]', 'e0']) {
            const values = [a, b].map((e) => {
              const found = findPath(e.image, `${name}.${v}`);
              return 'error' in found ? 'none' : String(readLocation(e.view, found.location));
            });
            expect([name, v, values[1]]).toEqual([name, v, values[0]]);
          }
      }
    }
  });
});

describe('rungs', () => {
  const tag = fc.constantFrom('A', 'B', 'C', 'D');
  const { part } = fc.letrec<{ part: string; leg: string }>((tie) => ({
    leg: fc.oneof(
      { depthSize: 'small' },
      tag,
      tag.map((t) => `!${t}`),
      tag.map((t) => `^${t}`),
      fc.tuple(fc.constantFrom('N', 'M'), fc.constantFrom('>', '<>', '<=')).map(([n, op]) => `${n} ${op} 3`),
      fc.array(tie('leg'), { minLength: 2, maxLength: 3 }).map((l) => `(${l.join(' | ')})`),
      tie('part'),
    ),
    part: fc.array(tie('leg'), { minLength: 1, maxLength: 3 }).map((l) => l.join(' & ')),
  }));
  const output = fc.oneof(
    fc.constantFrom('X', '!X', 'set X', 'reset Y', '^Y'),
    fc.constantFrom('{ N := N + 1; }', '{ M := N * 2; N := 0; }'),
    part.map((p) => `(${p} -> Y)`),
    fc.constant('return'),
  );
  const rung = fc
    .tuple(
      fc.option(part, { nil: '' }),
      fc.constantFrom('', ' & T(PT := 20 ms)', ' & U(CLK := A)'),
      fc.array(output, { minLength: 1, maxLength: 3 }),
    )
    .map(([p, block, outs]) => `${p ? `${p}${block} ` : ''}-> ${outs.join(', ')}`);
  const project = (lines: readonly string[]) =>
    ladderProject(
      [
        'A AT %IX0.0 : BOOL',
        'B AT %IX0.1 : BOOL',
        'C AT %IX0.2 : BOOL',
        'D : BOOL',
        'X : BOOL',
        'Y : BOOL',
        'N : INT',
        'M : INT',
        'T : TON',
        'U : TON',
      ],
      lines,
    );
  it('law: of what the network alone says a rung is made that does the same', () => {
    fc.assert(
      fc.property(
        fc.array(rung, { minLength: 1, maxLength: 3 }),
        fc.array(fc.nat(7), { minLength: 8, maxLength: 8 }),
        (list, inputs) => {
          const lines = list
            .map((l, i) => (i ? l.replace(/ & [TU]\([^)]*\)/, '') : l))
            .filter((l) => !/U\(CLK/.test(l));
          if (!lines.length) return;
          const p = project(lines),
            c = compile([{ kind: 'project', name: 'p', project: p }]);
          if (c.diagnostics.some((d) => d.severity === 'error')) return;
          const out = projectToXml(p, c);
          expect(out.left).toEqual([]);
          const back = read(bare(out.text));
          expect(back.left).toEqual([]);
          const engines = [p, back.project!].map((x) => {
            const made = compile([{ kind: 'project', name: 'p', project: x }]);
            expect(made.diagnostics.filter((d) => d.severity === 'error').map((d) => d.message)).toEqual([]);
            return new Engine(made.build(false), { stepNs: 10_000_000n });
          });
          for (const bits of inputs) {
            for (const e of engines) {
              ['A', 'B', 'C'].forEach((n, k) => e.write(n, ((bits >> k) & 1) === 1));
              e.runScan();
            }
            const values = engines.map((e) => ['D', 'X', 'Y', 'N', 'M', 'T.ET', 'T.Q'].map((n) => String(e.read(n))));
            expect(values[1]).toEqual(values[0]);
          }
        },
      ),
      { numRuns: 150 },
    );
  });
  it('what stands in no ladder of the standard is listed, and still comes back', () => {
    const p = project([
      'A -> ^{ N := N + 1; }',
      'B -> { IF C THEN N := 0; END_IF; }',
      'A & -> X',
      'A & T(PT := 1 s) -> X',
    ]);
    const out = written(p);
    expect(out.left).toEqual([
      'P rung 1: { N := N + 1; }, done once a rise, has no place in a ladder of the standard; others see the rung without it.'.replace(
        /^P/,
        p.pous[0]!.name,
      ),
      `${p.pous[0]!.name} rung 2: { IF C THEN N := 0; END_IF; } has no place in a ladder of the standard; others see the rung without it.`,
      `${p.pous[0]!.name} rung 3: it cannot be read yet, and is empty for others; others see the rung without it.`,
    ]);
    expect(projectText(read(out.text).project!)).toBe(projectText(p));
  });
  it('durations of ours become those of the standard, but not within a text', () => {
    const p: Project = {
      ...emptyProject('T'),
      pous: [
        {
          id: 'p',
          name: 'T',
          language: 'ST',
          kind: 'program',
          text: "PROGRAM T\nVAR s : STRING; t : TON; END_VAR\ns := 'it$'s 3 s, $$'; t(PT := T#3s);\nEND_PROGRAM\n",
        },
      ],
      tasks: [],
    };
    const { text } = written(p);
    expect(bare(text)).toContain("s := 'it$'s 3 s, $$'; t(PT := T#3s);");
    expect(projectText(read(text).project!)).toBe(projectText(p));
  });
  it('what others changed counts, beside what is ours of the rest', () => {
    const p = project(['A & B -> X', 'C | D -> Y']);
    const text = written(p)
      .text.replace('operand="B"', 'operand="C"')
      .replace('<TypeName>INT</TypeName>', '<TypeName>DINT</TypeName>');
    const back = read(text).project!;
    expect(linesOf(back)).toEqual(['A & C -> X', 'C | D -> Y']);
    expect(back.tags.find((t) => t.name === 'N')?.type).toBe('DINT');
    expect(back.tags.find((t) => t.name === 'N')?.id).toBe(p.tags.find((t) => t.name === 'N')?.id);
    const moved = read(written(p).text.replace(/<RelPosition x="\d+"/g, '<RelPosition x="5"')).project!;
    expect(linesOf(moved)).toEqual(linesOf(p));
  });
});

/** A file of another hand: prefixes, a configuration of its own, the bodies given. */
const foreign = (types: string, globals = '') => `<?xml version="1.0"?>
<p:Project xmlns:p="www.iec.ch/public/TC65SC65BWG7TF10" xmlns:xsi="http://www.w3.org/2001/XMLSchema-instance" schemaVersion="1.0">
 <p:FileHeader companyName="Other" productName="Other" productVersion="3"/>
 <p:ContentHeader name="Line 4"/>
 <p:Types><p:GlobalNamespace>${types.replace(/<(\/?)(\w)/g, '<$1p:$2')}</p:GlobalNamespace></p:Types>
 <p:Instances><p:Configuration name="C"><p:Resource name="R" resourceTypeName="X">${globals.replace(/<(\/?)(\w)/g, '<$1p:$2')}
  <p:Task name="Fast" interval="T#20ms" priority="2"/><p:ProgramInstance name="MainRun" typeName="Main" associatedTaskName="Fast"/>
 </p:Resource></p:Configuration></p:Instances>
</p:Project>`;
const variable = (name: string, type: string) =>
  `<Variable name="${name}"><Type><TypeName>${type}</TypeName></Type></Variable>`;
const GLOBALS = `<GlobalVars>${['A', 'B', 'C', 'X', 'Y'].map((n) => variable(n, 'BOOL')).join('')}${variable('N', 'INT')}</GlobalVars>`;
const source = (id: number, text: string) =>
  `<FbdObject xsi:type="DataSource" identifier="${text}"><ConnectionPointOut connectionPointOutId="${id}"/></FbdObject>`;
const input = (from: number, name = '') =>
  name
    ? `<InputVariable parameterName="${name}"><ConnectionPointIn><Connection refConnectionPointOutId="${from}"/></ConnectionPointIn></InputVariable>`
    : `<ConnectionPointIn><Connection refConnectionPointOutId="${from}"/></ConnectionPointIn>`;
const block = (type: string, instance: string, inputs: string, id: number, pin: string) =>
  `<FbdObject xsi:type="Block" typeName="${type}"${instance ? ` instanceName="${instance}"` : ''}><InputVariables>${inputs}</InputVariables><OutputVariables><OutputVariable parameterName="${pin}"><ConnectionPointOut connectionPointOutId="${id}"/></OutputVariable></OutputVariables></FbdObject>`;
const sink = (from: number, text: string) =>
  `<FbdObject xsi:type="DataSink" identifier="${text}">${input(from)}</FbdObject>`;
const program = (kind: string, body: string, variables = '') =>
  `<Program name="Main">${variables}<MainBody><BodyContent xsi:type="${kind}">${body}</BodyContent></MainBody></Program>`;

describe('what others wrote', () => {
  it('a diagram of Boolean logic and timers becomes rungs', () => {
    const network = `<Network evaluationOrder="1">${source(1, 'A')}${source(2, 'B')}${source(3, 'C')}${block('OR', '', input(1, 'IN1') + input(2, 'IN2'), 4, 'OUT')}${block('AND', '', input(4, 'IN1') + input(3, 'IN2'), 5, 'OUT')}${sink(5, 'X')}</Network>`;
    const { project, left } = read(foreign(program('FBD', network), GLOBALS));
    expect(left).toEqual([]);
    expect(project!.name).toBe('Line 4');
    expect(linesOf(project!)).toEqual(['(A | B) & C -> X']);
    expect(project!.tasks).toMatchObject([{ name: 'Fast', interval: 'T#20ms', priority: 2, programs: ['Main'] }]);
    expect('project' in parseProject(projectText(project!))).toBe(true);
  });
  it('a diagram that reckons becomes text or actions, and does what it says', () => {
    const network = `${source(1, 'N')}${source(2, '3')}${block('ADD', '', input(1, 'IN1') + input(2, 'IN2'), 3, 'OUT')}${sink(3, 'N')}${source(4, '100')}${block('GT', '', input(3, 'IN1') + input(4, 'IN2'), 5, 'OUT')}${sink(5, 'X')}`;
    const { project, left } = read(foreign(program('FBD', network), GLOBALS));
    expect(left).toEqual([]);
    const c = compile([{ kind: 'project', name: 'p', project: project! }]);
    expect(c.diagnostics.filter((d) => d.severity === 'error')).toEqual([]);
    const e = new Engine(c.build(false), { stepNs: 20_000_000n });
    for (let i = 0; i < 3; i++) e.runScan();
    expect([e.read('N'), e.read('X')]).toEqual([9n, false]);
  });
  it('a ladder drawn elsewhere is put together to series and legs; one that has no such shape says which rung', () => {
    const rail = '<LdObject xsi:type="LeftPowerRail"><ConnectionPointOut connectionPointOutId="1"/></LdObject>',
      contact = (id: number, tag: string, ...from: number[]) =>
        `<LdObject xsi:type="Contact" operand="${tag}"><ConnectionPointIn>${from.map((f) => `<Connection refConnectionPointOutId="${f}"/>`).join('')}</ConnectionPointIn><ConnectionPointOut connectionPointOutId="${id}"/></LdObject>`,
      coil = (tag: string, ...from: number[]) =>
        `<LdObject xsi:type="Coil" operand="${tag}"><ConnectionPointIn>${from.map((f) => `<Connection refConnectionPointOutId="${f}"/>`).join('')}</ConnectionPointIn><ConnectionPointOut connectionPointOutId="99"/></LdObject>`;
    // A bridge: B is reached over both A and C; a contact may stand twice, so it has a shape.
    const bridge = `<Rung evaluationOrder="1">${rail}${contact(2, 'A', 1)}${contact(3, 'C', 1)}${contact(4, 'B', 2, 3)}${contact(5, 'N0', 2)}${coil('X', 4, 5)}</Rung>`;
    const lost = `<Rung evaluationOrder="2">${rail}${contact(2, 'A', 77)}${coil('Y', 2)}</Rung>`;
    const ring = `<Rung evaluationOrder="3">${rail}${contact(2, 'A', 3)}${contact(3, 'B', 2)}${coil('Y', 3)}</Rung>`;
    const { project, left } = read(
      foreign(program('LD', bridge + lost + ring), `${GLOBALS}<GlobalVars>${variable('N0', 'BOOL')}</GlobalVars>`),
    );
    expect(left).toEqual([
      expect.stringMatching(
        /^Line \d+: Main rung 2: a connection leads to the point 77, which is not there; an empty rung stands in its place\.$/,
      ),
      expect.stringMatching(
        /^Line \d+: Main rung 3: its connections lead round in a ring, or are too deep; an empty rung stands in its place\.$/,
      ),
    ]);
    const c = compile([{ kind: 'project', name: 'p', project: project! }]);
    const e = new Engine(c.build(false), { stepNs: 20_000_000n });
    for (const [a, b, cc, n] of Array.from({ length: 16 }, (_, i) => [1, 2, 4, 8].map((k) => (i & k) > 0)) as [
      boolean,
      boolean,
      boolean,
      boolean,
    ][]) {
      for (const [name, v] of [
        ['A', a],
        ['B', b],
        ['C', cc],
        ['N0', n],
      ] as const)
        e.write(name, v);
      e.runScan();
      expect(e.read('X')).toBe(((a || cc) && b) || (a && n));
    }
  });
  it('a sequential chart becomes a sequence of the plan with its actions and jumps', () => {
    const point = (id: number) => `<ConnectionPointOut connectionPointOutId="${id}"/>`;
    const chart = `
      <SfcObject xsi:type="Step" name="Fill">${input(4)}${point(5)}</SfcObject>
      <SfcObject xsi:type="Step" name="Idle" initialStep="true">${input(11)}${point(1)}</SfcObject>
      <SfcObject xsi:type="SelectionDivergence">${input(1)}${point(2)}${point(3)}</SfcObject>
      <SfcObject xsi:type="Transition">${input(2)}${point(4)}<Condition><ST>A AND NOT B;</ST></Condition></SfcObject>
      <SfcObject xsi:type="Transition">${input(3)}${point(6)}<Condition><ST>C</ST></Condition></SfcObject>
      <SfcObject xsi:type="JumpStep" targetName="Idle">${input(6)}</SfcObject>
      <SfcObject xsi:type="ActionBlock">${input(5)}<Action qualifier="N" variable="X"/><Action qualifier="S" variable="Y"/><Action qualifier="SD" variable="Z"/></SfcObject>
      <SfcObject xsi:type="Transition">${input(5)}${point(11)}<Condition><ST>B</ST></Condition></SfcObject>`;
    const { project, left } = read(foreign(program('SFC', chart), GLOBALS));
    const [s] = project!.plan!.sequences;
    const name = (id: string) => s!.steps.find((x) => x.id === id)?.name;
    expect(s!.steps.map((x) => [x.name, x.on ?? [], x.ways.map((w) => [w.when, name(w.to)])])).toEqual([
      [
        'Idle',
        [],
        [
          ['A AND NOT B', 'Fill'],
          ['C', 'Idle'],
        ],
      ],
      ['Fill', ['X', 'set Y'], [['B', 'Idle']]],
    ]);
    expect(left.map((l) => l.replace(/^Line \d+: /, ''))).toEqual([
      'Fill: the action SD Z has no place in a plan.',
      'Main: its sequential chart is a sequence of the plan now; make its logic there.',
    ]);
  });
  it('what is not known is told with its line, and the rest comes in', () => {
    const { project, left } = read(
      foreign(
        `<Gadget name="G"/>${program('IL', '<IL>LD A</IL>')}<DataTypeDecl name="T"><UserDefinedTypeSpec xsi:type="UnionTypeSpec"/></DataTypeDecl>`,
        GLOBALS,
      ),
    );
    expect(left.map((l) => l.replace(/^Line \d+: /, ''))).toEqual([
      '‘Gadget’ G is not known here; it is left out.',
      'the body of Main is in IL, which is not read; it comes in without its body.',
      'a type of the form ‘UnionTypeSpec’ is not known here; BOOL stands there now.',
    ]);
    expect(project!.pous.map((p) => p.name)).toEqual(['Main']);
  });
});

describe('bad input', () => {
  it('says what is wrong with its line, and gives nothing', () => {
    const good = written(examples[2]![1]).text;
    for (const [text, why] of [
      ['', /nothing in this file|no XML/],
      ['{"format": "ferrule-project"}', /Line 1.*this is no XML that can be read/],
      [good.slice(0, 3000), /Line \d+, column \d+: this is no XML that can be read: unclosed tag/],
      [good.replace('</Types>', '</Type>'), /Line \d+, column \d+: .*unexpected close tag/],
      [
        good.replace('schemaVersion="1.0"', 'schemaVersion="2.1"'),
        /schema version 2\.1, this Ferrule reads 1\.0; save it as that/,
      ],
      ['<Library/>', /Line 1: this is ‘Library’, not a Project of IEC 61131-10/],
      [
        `<Project schemaVersion="1.0">${'<Types>'.repeat(10_000)}${'</Types>'.repeat(10_000)}</Project>`,
        /elements stand more than 200 deep/,
      ],
      ['<!DOCTYPE p [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;&a;">]><Project>&b;</Project>', /DOCTYPE.* is not read/],
      ['<Project>&outside;</Project>', /no XML that can be read: undefined entity/],
    ] as const) {
      const r = read(text);
      expect([r.project, r.problem]).toEqual([undefined, expect.stringMatching(why)]);
    }
  });
  it('law: whatever is cut, doubled or put elsewhere in a file, it is read or refused, and what is read is checked like any project', () => {
    const text = written(examples[2]![1]).text;
    fc.assert(
      fc.property(
        fc.nat(text.length),
        fc.nat(2000),
        fc.nat(text.length),
        fc.boolean(),
        (from, length, at, isDoubled) => {
          const piece = text.slice(from, from + length),
            rest = isDoubled ? text : text.slice(0, from) + text.slice(from + length);
          const r = read(rest.slice(0, at) + piece + rest.slice(at));
          if (!r.project) expect(r.problem).not.toBe('');
          else {
            const checked = parseProject(JSON.stringify(r.project));
            if ('project' in checked) compile([{ kind: 'project', name: 'p', project: checked.project }]);
          }
        },
      ),
      { numRuns: 150 },
    );
    // Ours beside an element may hold anything.
    for (const data of [
      'null',
      '5',
      '"x"',
      '[]',
      '{"id":5}',
      '{"text":7}',
      '{"line":{}}',
      '{"__proto__":{"a":1}}',
      '{',
    ]) {
      const r = read(text.replace(/<Text>[^<]*<\/Text>/g, `<Text>${data.replace(/</g, '&lt;')}</Text>`));
      expect(r.project ?? r.problem).toBeDefined();
      parseProject(JSON.stringify(r.project ?? {}));
    }
  });
});
