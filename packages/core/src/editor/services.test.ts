/**
 * What editors ask: hover, definition, uses, rename, completion, signatures, values beside lines; fixes; types taken
 * apart; rungs of blocks of one's own.
 */
import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { type Project, type Tag, applyEdit, changeOf, emptyProject, textChange } from '../document.js';
import { Engine, frameOf, transferState } from '../bench.js';
import {
  compile,
  completionsAt,
  fixesFor,
  undeclaredNames,
  hoverAt,
  instancesOf,
  newNames,
  placeOfDefinition,
  readType,
  referencesAt,
  renameAt,
  renamePou,
  renameTag,
  renameType,
  signatureAt,
  statementsAround,
  typeToText,
  usesOf,
  watchText,
} from '../workspace.js';
import { ladderProject } from '../../test/support.js';

const DEMO = JSON.parse(readFileSync('examples/wire-end-crimp-cell.ferrule.json', 'utf8')) as Project;
const compiled = compile([{ kind: 'project', name: 'demo', project: DEMO }]);
const pull = DEMO.pous.find((p) => p.name === 'PullCheck') as Extract<Project['pous'][number], { language: 'ST' }>;
const place = { kind: 'pou' as const, id: pull.id };
const at = (word: string, from = 'Wait(IN') => pull.text.indexOf(word, pull.text.indexOf(from)) + 1;
const after = (project: Project, edit: Parameters<typeof applyEdit>[1]): Project => {
  const r = applyEdit(project, edit);
  if ('refused' in r) throw new Error(r.refused);
  return r.project;
};
let n = 0;
const newId = (p: string) => `${p}${++n}`;

describe('an editor of text', () => {
  it('knows what stands under the pointer and where its value is', () => {
    expect(hoverAt(DEMO, compiled, place, at('Peak'))).toMatchObject({
      name: 'Peak',
      type: 'REAL',
      section: 'output',
      path: expect.stringMatching(/\.Peak$/) as unknown,
    });
    expect(hoverAt(DEMO, compiled, place, 2)).toBeUndefined();
    const rung = DEMO.pous[0]!.language === 'LD' ? DEMO.pous[0]!.rungs[0]! : undefined;
    expect(hoverAt(DEMO, compiled, { kind: 'rung', id: rung!.id }, rung!.line.indexOf('StopOK') + 2)).toMatchObject({
      name: 'StopOK',
      section: 'tag',
      address: '%IX0.1',
      path: 'StopOK',
      description: 'Stop button, closed at rest',
    });
  });
  it('goes to declarations and lists uses', () => {
    expect(placeOfDefinition(DEMO, compiled, place, at('Peak'), 'Peak')).toEqual({
      kind: 'pou',
      id: pull.id,
      at: pull.text.indexOf('Peak'),
    });
    expect(placeOfDefinition(DEMO, compiled, place, 0, 'PullCheck')).toMatchObject({ kind: 'pou', id: pull.id });
    const uses = referencesAt(compiled, place, at('Peak'));
    expect(uses.map((u) => [pull.text.slice(u.start, u.end), u.isWrite]).filter(([t]) => t === 'Peak').length).toBe(
      uses.length,
    );
    expect(uses.some((u) => u.isWrite) && uses.some((u) => !u.isWrite)).toBe(true);
  });
  it('renames a variable of the block everywhere in it, a tag everywhere, and refuses what would clash', () => {
    const local = renameAt(DEMO, compiled, place, at('Testing'), 'Pulling2');
    const text = (after(DEMO, local as never).pous.find((p) => p.id === pull.id) as typeof pull).text;
    expect(text).toBe(pull.text.replaceAll('Testing', 'Pulling2'));
    expect(renameAt(DEMO, compiled, place, at('Testing'), 'Wait')).toMatchObject({
      refused: expect.stringContaining('already') as unknown,
    });
    expect(renameAt(DEMO, compiled, place, at('Testing'), '2x')).toMatchObject({
      refused: expect.stringContaining('not a name') as unknown,
    });
    expect(renameAt(DEMO, compiled, place, at('Limit'), 'Least')).toMatchObject({
      refused: expect.stringContaining('a pin of the block') as unknown,
    });
    expect(renameAt(DEMO, compiled, place, 1, 'x')).toMatchObject({
      refused: expect.stringContaining('Stand on the name') as unknown,
    });
  });
  it('completes members, pins, values of an enumeration, types, and everything in scope', () => {
    const labels = (before: string) => completionsAt(DEMO, compiled, 'PullCheck', before).map((c) => c.label);
    expect(labels('Wait.')).toEqual(['IN', 'PT', 'Q', 'ET']);
    expect(labels('Wait(').slice(0, 4)).toEqual(['IN', 'PT', 'Q', 'ET']);
    expect(labels('x := ')).toEqual(expect.arrayContaining(['Peak', 'StartPB', 'MAX']));
    expect(labels('Step = ').slice(0, 2)).toEqual(['Idle', 'Feed']);
    expect(labels('CellStep#')).toContain('Clamping');
    expect(labels('  n : ')).toEqual(expect.arrayContaining(['INT', 'TON', 'CellStep', 'PullCheck', 'PID']));
    expect(labels('nothing.')).toEqual([]);
  });
  it('shows the pins of the call being written', () => {
    expect(signatureAt(compiled, 'PullCheck', 'Wait(IN := Start, ')).toMatchObject({
      name: 'Wait',
      active: 1,
      pins: [{ name: 'IN', type: 'BOOL' }, { name: 'PT', type: 'TIME' }, { name: 'Q', isOutput: true }, { name: 'ET' }],
    });
    expect(signatureAt(compiled, 'PullCheck', 'Wait(PT := ')).toMatchObject({ active: 1 });
    expect(signatureAt(compiled, 'PullCheck', 'x := 1;')).toBeUndefined();
  });
  it('finds the statements around a place, the innermost first', () => {
    const around = statementsAround(pull.text, pull.text.indexOf('Peak := 0.0'));
    expect(pull.text.slice(around[0]!.start, around[0]!.end)).toBe('Peak := 0.0;');
    expect(pull.text.slice(around[1]!.start, around[1]!.end)).toMatch(/^IF NOT Testing THEN[\s\S]*END_IF;$/);
    expect(around).toHaveLength(3);
    expect(statementsAround(pull.text, 3)).toEqual([]);
  });
});

describe('values beside the lines', () => {
  it('tell which branch was taken in this scan, and the values of the instance', () => {
    const project = {
      ...emptyProject('T'),
      tags: [{ id: 't', name: 'n', type: 'INT' }],
      pous: [
        {
          id: 'p',
          name: 'Main',
          language: 'ST' as const,
          kind: 'program' as const,
          text: 'PROGRAM Main\nVAR k : INT; END_VAR\nIF n > 2 THEN\n  k := 1;\nELSE\n  k := 2;\nEND_IF;\nCASE n OF\n  0: k := k;\n  5: n := n;\nEND_CASE;\nEND_PROGRAM',
        },
      ],
    };
    const c = compile([{ kind: 'project', name: 'p', project }]);
    const image = c.build(true);
    const watch = watchText(c, image, 'p', 'Main');
    expect(watch.root).toBe('Main');
    expect(watch.lines).toEqual(
      expect.arrayContaining([
        { line: 4, name: 'k', path: 'Main.k', type: 'INT' },
        { line: 3, name: 'n', path: 'n', type: 'INT' },
      ]),
    );
    const e = new Engine(image, { stepNs: 10_000_000n });
    const taken = () =>
      watch.branches
        .filter((b) => frameOf(e, { paths: [], rungs: [b.probe] }).power[b.probe]!.length > 0)
        .map((b) => b.line);
    e.runScan();
    expect(taken()).toEqual([6, 9]);
    e.write('n', 5n);
    e.runScan();
    expect(taken()).toEqual([4, 10]);
    e.write('n', 3n);
    e.runScan();
    expect(taken()).toEqual([4]);
  });
  it('of a block, the first instance is shown and all can be chosen', () => {
    expect(instancesOf(compiled, 'PullCheck').length).toBeGreaterThan(0);
    expect(watchText(compiled, compiled.build(true), pull.id, 'PullCheck').instances).toEqual(
      instancesOf(compiled, 'PullCheck'),
    );
  });
});

describe('a ladder block of one’s own', () => {
  const project = (): Project => {
    const p = ladderProject(
      ['Go : BOOL', 'Lamp : BOOL', 'A : Twice', 'B : Twice'],
      ['Go & A(Limit := 2) -> Lamp', '!Go & B(Limit := 1) -> Lamp'],
    );
    return {
      ...p,
      pous: [
        ...p.pous,
        {
          id: 'b',
          name: 'Twice',
          language: 'LD',
          kind: 'functionBlock',
          variables: 'VAR_INPUT In : BOOL; Limit : INT; END_VAR\nVAR_OUTPUT Q : BOOL; END_VAR\nVAR n : INT; END_VAR',
          rungs: [
            { id: 'x1', line: '^In -> { n := n + 1; }' },
            { id: 'x2', line: 'n >= Limit -> Q' },
          ],
        },
      ],
    };
  };
  it('keeps its own memory in each instance', () => {
    const c = compile([{ kind: 'project', name: 'p', project: project() }]);
    expect(c.diagnostics.filter((d) => d.severity === 'error').map((d) => d.message)).toEqual([]);
    const e = new Engine(c.build(true), { stepNs: 10_000_000n });
    for (const go of [true, false, true, false]) {
      e.write('Go', go);
      e.runScan();
    }
    expect([e.read('A.n'), e.read('A.Q'), e.read('B.n'), e.read('B.Q')]).toEqual([2n, true, 2n, true]);
  });
  it('says where a wrong declaration stands', () => {
    const p = project();
    const broken = after(p, {
      kind: 'changePou',
      id: 'b',
      to: { variables: 'VAR_INPUT In : BOOOL; END_VAR\nnonsense' },
    });
    const found = compile([{ kind: 'project', name: 'p', project: broken }]).diagnostics.filter(
      (d) => d.at.source.origin.kind === 'pou',
    );
    expect(found.map((d) => d.code)).toEqual(expect.arrayContaining(['SYNTAX', 'UNKNOWN_TYPE']));
  });
  it('is changed through its own edit, and a new word in a text’s header renames it with its tasks', () => {
    expect(changeOf(project(), 'b', 'VAR END_VAR')).toEqual({
      kind: 'changePou',
      id: 'b',
      to: { variables: 'VAR END_VAR' },
    });
    const p = {
      ...emptyProject('T'),
      pous: [
        { id: 's', name: 'Main', language: 'ST' as const, kind: 'program' as const, text: 'PROGRAM Main\nEND_PROGRAM' },
      ],
    };
    const next = after(p, textChange(p, 's', '// about\nPROGRAM Other\nEND_PROGRAM'));
    expect([next.pous[0]!.name, next.tasks[0]!.programs]).toEqual(['Other', ['Other']]);
    const block = after(p, textChange(p, 's', 'FUNCTION_BLOCK Main\nEND_FUNCTION_BLOCK'));
    expect([block.pous[0]!.kind, block.tasks[0]!.programs]).toEqual(['functionBlock', []]);
    expect(textChange(p, 's', 'PROGRAM Main\n;\nEND_PROGRAM').kind).toBe('changeText');
  });
});

describe('fixes', () => {
  const fixed = (project: Project, code: string, label?: RegExp): Project => {
    const c = compile([{ kind: 'project', name: 'p', project }]);
    const d = c.diagnostics.find((x) => x.code === code);
    if (!d) throw new Error(`no ${code}: ${c.diagnostics.map((x) => `${x.code} ${x.message}`).join('; ')}`);
    const list = fixesFor(project, c, d, newId);
    const f = label ? list.find((x) => label.test(x.label)) : list[0];
    if (!f) throw new Error(`no fix: ${list.map((x) => x.label).join(', ')}`);
    const next = after(project, f.edit);
    // A fix takes its problem away and brings no error.
    expect(
      compile([{ kind: 'project', name: 'p', project: next }])
        .diagnostics.filter((x) => x.severity === 'error' || (x.code === code && x.message === d.message))
        .map((x) => x.message),
    ).toEqual([]);
    return next;
  };
  const rungs = (p: Project) => (p.pous[0]!.language === 'LD' ? p.pous[0]!.rungs.map((r) => r.line) : []);
  it('declare an unknown name with the type its place asks for', () => {
    expect(
      fixed(ladderProject(['Q : BOOL'], ['Zed -> Q']), 'UNKNOWN_NAME', /Declare Zed : BOOL/).tags.at(-1),
    ).toMatchObject({ name: 'Zed', type: 'BOOL' });
    expect(
      fixed(
        ladderProject(['A : BOOL', 'Q : BOOL'], ['A & W(PT := 1 s) -> Q']),
        'UNKNOWN_NAME',
        /Declare W : TON/,
      ).tags.at(-1),
    ).toMatchObject({ name: 'W', type: 'TON' });
    expect(newNames(emptyProject('T'), 'Zed & W(PT := 1 s) & Speed1 > 5 & Temp2 >= 1.5 -> Motor', () => false)).toEqual(
      [
        { name: 'Zed', type: 'BOOL' },
        { name: 'W', type: 'TON' },
        { name: 'Speed1', type: 'INT' },
        { name: 'Temp2', type: 'REAL' },
        { name: 'Motor', type: 'BOOL' },
      ],
    );
    const st: Project = {
      ...emptyProject('T'),
      tags: [{ id: 'r', name: 'x', type: 'REAL' } as Tag],
      pous: [
        {
          id: 's',
          name: 'Main',
          language: 'ST',
          kind: 'program',
          text: 'PROGRAM Main\nfresh := x * 2.0;\nEND_PROGRAM',
        },
      ],
    };
    expect(fixed(st, 'UNKNOWN_NAME', /Declare fresh/).tags.at(-1)!.name).toBe('fresh');
  });
  it('declare nothing that is a value of an enumeration, wherever its type is told', () => {
    const p: Project = {
      ...emptyProject('T'),
      types: [
        { id: 'y', text: 'Mode : (Off, Run);' },
        { id: 'z', text: '// first\nColour : INT (Red := 1, Green);' },
      ],
      pous: [
        {
          id: 's',
          name: 'Dose',
          language: 'ST',
          kind: 'functionBlock',
          text: 'TYPE Phase : (Idle, Mixing); Shade : (Dark); END_TYPE FUNCTION_BLOCK Dose VAR_OUTPUT Now : Phase; END_VAR END_FUNCTION_BLOCK',
        },
      ],
    };
    for (const value of ['Mixing', 'idle', 'Dark', 'Off', 'Run', 'Red', 'GREEN'])
      expect(newNames(p, `Other = ${value} -> Lamp`, () => false).map((n) => n.name)).not.toContain(value);
    // What they are compared with has their type.
    expect(newNames(p, 'Other = Mixing -> Lamp', () => false)[0]).toEqual({ name: 'Other', type: 'Phase' });
  });
  it('declare an instance of a function block that is called by its own name, and call that', () => {
    const block = {
      id: 'd',
      name: 'Dose',
      language: 'ST' as const,
      kind: 'functionBlock' as const,
      text: 'FUNCTION_BLOCK Dose VAR_INPUT Go : BOOL; END_VAR VAR_OUTPUT Q : BOOL; END_VAR Q := Go; END_FUNCTION_BLOCK',
    };
    const base = ladderProject(['A : BOOL', 'Q : BOOL', 'Dose1 : BOOL'], ['A & Dose() -> Q']),
      ladder = fixed({ ...base, pous: [...base.pous, block] }, 'NOT_CALLABLE', /^Declare Dose2 : Dose and call that$/);
    expect([rungs(ladder), ladder.tags.at(-1)]).toEqual([
      ['A & Dose2() -> Q'],
      expect.objectContaining({ name: 'Dose2', type: 'Dose' }),
    ]);
    // In a block of its own the instance is its own variable, so that each keeps its own state.
    const outer = {
      id: 'o',
      name: 'Outer',
      language: 'ST' as const,
      kind: 'functionBlock' as const,
      text: 'FUNCTION_BLOCK Outer\nVAR\n  x : BOOL;\nEND_VAR\nDose(Go := x);\nEND_FUNCTION_BLOCK',
    };
    const text = fixed(
      { ...base, pous: [{ ...base.pous[0]!, rungs: [] }, block, outer] as Project['pous'] },
      'NOT_CALLABLE',
    ).pous[2] as { text: string };
    expect(text.text).toContain('x : BOOL;\n  Dose2 : Dose;\nEND_VAR\nDose2(Go := x);');
  });
  it('declare all that a program uses undeclared, each once and as its places ask; what looks like a slip is left', () => {
    const base = ladderProject(
      ['Running : BOOL', 'Motor1 : BOOL', 'Lamp : BOOL'],
      ['Zed & zed & Runing -> Motor2, Lamp2', 'W(PT := 1 s) & Level > 5 & NoSuch(1) > 2 -> Lamp'],
    );
    const p: Project = {
      ...base,
      pous: [
        ...base.pous,
        {
          id: 's',
          name: 'Other',
          language: 'ST',
          kind: 'program',
          text: 'PROGRAM Other\nVAR own : INT; END_VAR\nfresh := own; fresh := 1.5;\nIF again THEN Lmap := TRUE; END_IF;\nEND_PROGRAM',
        },
      ],
    };
    const c = compile([{ kind: 'project', name: 'p', project: p }]);
    const all = undeclaredNames(p, c, c.diagnostics, newId);
    expect(all.map((u) => [u.pou, u.names, u.slips])).toEqual([
      ['Main', ['Zed', 'Motor2', 'Lamp2', 'W', 'Level'], [{ name: 'Runing', like: 'Running' }]],
      ['Other', ['fresh', 'again'], [{ name: 'Lmap', like: 'Lamp' }]],
    ]);
    const next = after(p, all[0]!.edit!);
    expect(next.tags.slice(3).map((t) => `${t.name} : ${t.type}`)).toEqual([
      'Zed : BOOL',
      'Motor2 : BOOL',
      'Lamp2 : BOOL',
      'W : TON',
      'Level : INT',
    ]);
    const left = compile([{ kind: 'project', name: 'p', project: next }]);
    expect(undeclaredNames(next, left, left.diagnostics, newId)[0]).toEqual({
      pou: 'Main',
      names: [],
      slips: [{ name: 'Runing', like: 'Running' }],
    });
  });
  it('declare what a block of its own or a function names as its own variable, in ladder and in text', () => {
    const p: Project = {
      ...ladderProject(['Out9 : BOOL'], ['-> Out9']),
      pous: [
        {
          id: 'b',
          name: 'Lad',
          kind: 'functionBlock',
          language: 'LD',
          variables: 'VAR_INPUT\n  Go : BOOL;\nEND_VAR\n',
          rungs: [{ id: 'r1', line: 'Go & Fresh & N > 3 -> Made' }],
        },
        {
          id: 's',
          name: 'Txt',
          kind: 'functionBlock',
          language: 'ST',
          text: [
            'FUNCTION_BLOCK Txt',
            'VAR_INPUT Go : BOOL; (* starts *) END_VAR',
            'VAR CONSTANT Max : INT := 3; END_VAR',
            'METHOD PUBLIC Clear VAR t : INT; END_VAR t := 0; END_METHOD',
            'IF Go THEN Count := Max; W(IN := Go, PT := T#1s); END_IF;',
            'END_FUNCTION_BLOCK',
          ].join('\n'),
        },
        {
          id: 'f',
          name: 'Twice',
          kind: 'function',
          language: 'ST',
          text: 'FUNCTION Twice : INT\nHalf := 2;\nTwice := Half;\nEND_FUNCTION',
        },
      ],
      tasks: [],
    };
    const c = compile([{ kind: 'project', name: 'p', project: p }]);
    const all = undeclaredNames(p, c, c.diagnostics, newId);
    expect(all.map((u) => [u.pou, u.names])).toEqual([
      ['Lad', ['Fresh', 'N', 'Made']],
      ['Txt', ['Count', 'W']],
      ['Twice', ['Half']],
    ]);
    const next = all.reduce((q, u) => after(q, u.edit!), p);
    expect(next.tags).toEqual(p.tags);
    const [lad, txt, twice] = next.pous as [
      Extract<Project['pous'][number], { language: 'LD' }>,
      Extract<Project['pous'][number], { language: 'ST' }>,
      Extract<Project['pous'][number], { language: 'ST' }>,
    ];
    expect(lad.variables).toBe(
      'VAR_INPUT\n  Go : BOOL;\nEND_VAR\nVAR\n  Fresh : BOOL;\n  N : INT;\n  Made : BOOL;\nEND_VAR\n',
    );
    expect(txt.text.split('\n').slice(1, 7)).toEqual([
      'VAR_INPUT Go : BOOL; (* starts *) END_VAR',
      'VAR CONSTANT Max : INT := 3; END_VAR',
      'VAR',
      '  Count : INT;',
      '  W : TON;',
      'END_VAR',
    ]);
    expect(twice.text).toContain('FUNCTION Twice : INT\nVAR\n  Half : INT;\nEND_VAR\nHalf := 2;');
    expect(
      compile([{ kind: 'project', name: 'p', project: next }]).diagnostics.filter((d) => d.severity === 'error'),
    ).toEqual([]);
    // One name by its fix: its own variable first, then an input, then a tag.
    const d = c.diagnostics.find((x) => x.message.includes("'Fresh'"))!;
    expect(fixesFor(p, c, d, newId).map((f) => f.label)).toEqual([
      'Declare Fresh : BOOL as its own variable',
      'Declare Fresh : BOOL as its input',
      'Declare Fresh : BOOL, a tag of the project',
    ]);
  });
  it('declare first; another name is offered only where nothing but a slip explains it', () => {
    const offered = (declared: string, used: string) => {
      const p = ladderProject([`${declared} : BOOL`, 'Out9 : BOOL'], [`${declared} & ${used} -> Out9`]);
      const c = compile([{ kind: 'project', name: 'p', project: p }]);
      const d = c.diagnostics.find((x) => x.code === 'UNKNOWN_NAME')!;
      const labels = fixesFor(p, c, d, newId).map((f) => f.label.replace(/ : .*/, ''));
      // The message asks no other question than the fixes answer.
      expect(d.message.includes('Did you mean')).toBe(labels.length > 1);
      return labels;
    };
    for (const [declared, used] of [
      ['PumpOn1', 'PumpOn2'],
      ['LampA', 'LampB'],
      ['Tim1', 'Tim2'],
      ['InA', 'InB'],
      ['Valve', 'Valves'],
      ['Motor', 'Motor1'],
      ['XHome', 'YHome'],
      ['Gate', 'Rate'],
      ['DoorLeft', 'DoorLift2'],
      ['Lamp', 'LampB'],
      ['Conveyor1Run', 'Conveyor2Run'],
    ])
      expect(offered(declared!, used!)).toEqual([`Declare ${used}`]);
    for (const [declared, used] of [
      ['Running', 'Runing'],
      ['Conveyor1', 'Convejor1'],
      ['StartPB', 'SatrtPB'],
      ['Emergency', 'Emergnecy'],
    ])
      expect(offered(declared!, used!)).toEqual([`Declare ${used}`, `Write ${declared}`]);
  });
  it('declare with the type of the pin: the standard’s blocks, Ferrule’s and the project’s own, in rungs, actions and text', () => {
    const own: Project = {
      ...emptyProject('T'),
      pous: [
        {
          id: 'b',
          name: 'Lift',
          language: 'LD',
          kind: 'functionBlock',
          variables: 'VAR_INPUT Up : BOOL; Aim : REAL; END_VAR\nVAR_OUTPUT Done : BOOL; Floor : INT; END_VAR',
          rungs: [],
        },
      ],
    };
    const names = (line: string) => newNames(own, line, () => false).map((n) => `${n.name} : ${n.type}`);
    expect(names('UpPB & Count1:CTUD(CD := DownPB, R := ZeroPB, PV := Most).QD -> Empty')).toEqual([
      'UpPB : BOOL',
      'DownPB : BOOL',
      'ZeroPB : BOOL',
      'Most : INT',
      'Empty : BOOL',
    ]);
    expect(names('OnPB & Keep1(R := OffPB) -> Lamp')).toEqual([
      'OnPB : BOOL',
      'Keep1 : SR',
      'OffPB : BOOL',
      'Lamp : BOOL',
    ]);
    expect(names('OnPB & Keep2(R1 := OffPB) -> Lamp')).toContain('Keep2 : RS');
    expect(names('Go & MyLift(Aim := Height, Floor => Place) -> Lamp')).toEqual([
      'Go : BOOL',
      'MyLift : Lift',
      'Height : REAL',
      'Place : INT',
      'Lamp : BOOL',
    ]);
    expect(names('Go & W(PT := Pause * Times) -> Lamp')).toEqual([
      'Go : BOOL',
      'W : TON',
      'Pause : TIME',
      'Times : INT',
      'Lamp : BOOL',
    ]);
    expect(
      names('Go -> { Total := Total + Step1; W2(IN := Ready, PT := 2 s); IF Level > 3 THEN Alarm := TRUE; END_IF; }'),
    ).toEqual(['Go : BOOL', 'Total : INT', 'Step1 : INT', 'W2 : TON', 'Ready : BOOL', 'Level : INT', 'Alarm : BOOL']);
    expect(names('Level < Most & LIMIT(0, Raw, Top) >= 3 -> Lamp')).toEqual([
      'Level : REAL',
      'Most : REAL',
      'Raw : INT',
      'Top : INT',
      'Lamp : BOOL',
    ]);
    // Everything a line names is declared at once, so that nothing of it is unknown then.
    const line =
      'UpPB & Count1:CTUD(CD := DownPB, R := ZeroPB, PV := Most).QD & MyLift(Up := Go, Aim := Height) -> { Total := Total + 1; }, Lamp';
    const p: Project = {
      ...own,
      tags: newNames(own, line, () => false).map((n) => ({ id: n.name, name: n.name, type: n.type! })),
      pous: [...own.pous, { id: 'm', name: 'Main', language: 'LD', kind: 'program', rungs: [{ id: 'r', line }] }],
    };
    expect(
      compile([{ kind: 'project', name: 'p', project: p }]).diagnostics.filter(
        (d) => d.code === 'UNKNOWN_NAME' || d.code === 'TYPE_MISMATCH',
      ),
    ).toEqual([]);
  });
  it('do what the message itself proposes', () => {
    const text = (body: string): Project => ({
      ...emptyProject('T'),
      tags: [
        { id: 'n', name: 'n', type: 'INT' },
        { id: 'b', name: 'b', type: 'BOOL' },
        { id: 't', name: 't', type: 'TON' },
      ],
      pous: [{ id: 's', name: 'Main', language: 'ST', kind: 'program', text: `PROGRAM Main\n${body}\nEND_PROGRAM` }],
    });
    const mended = (body: string, code: string) => {
      const p = fixed(text(body), code).pous[0]!;
      return p.language === 'ST' ? p.text.split('\n').slice(1, -1).join('\n') : '';
    };
    expect(mended('t(PX := T#1s);', 'UNKNOWN_MEMBER')).toBe('t(PT := T#1s);');
    expect(mended('b := t.QQ;', 'UNKNOWN_MEMBER')).toBe('b := t.Q;');
    expect(mended('t(IN := b, PT = T#1s);', 'WRONG_ARGUMENTS')).toBe('t(IN := b, PT := T#1s);');
    expect(mended('t(IN := b, PT := T#1s, Q = b);', 'WRONG_ARGUMENTS')).toBe('t(IN := b, PT := T#1s, Q => b);');
    expect(mended('b = TRUE;', 'SYNTAX')).toBe('b := TRUE;');
    expect(mended('n := 3 // three\nb := TRUE;', 'SYNTAX')).toBe('n := 3; // three\nb := TRUE;');
    expect(mended('IF b THEN n := 5; END_IF\nb := TRUE;', 'SYNTAX')).toBe('IF b THEN n := 5; END_IF;\nb := TRUE;');
    expect(mended('b := n;', 'TYPE_MISMATCH')).toBe('b := INT_TO_BOOL(n);');
    expect(mended('n := b;', 'TYPE_MISMATCH')).toBe('n := BOOL_TO_INT(b);');
    const tags = ['OnPB : BOOL', 'OffPB : BOOL', 'Lamp : BOOL'];
    expect(rungs(fixed(ladderProject(tags, ['Keep1:SR(S1 := OnPB, R := OffPB) -> Lamp']), 'WRONG_ARGUMENTS'))).toEqual([
      'OnPB & Keep1:SR(R := OffPB) -> Lamp',
    ]);
    expect(
      rungs(fixed(ladderProject(tags, ['OffPB & T1:TON(IN := NOT OnPB, PT := 1 s) -> Lamp']), 'WRONG_ARGUMENTS')),
    ).toEqual(['OffPB & !OnPB & T1:TON(PT := 1 s) -> Lamp']);
    expect(rungs(fixed(ladderProject(tags, ['OnPB -> +Lamp']), 'SYNTAX'))).toEqual(['OnPB -> set Lamp']);
    expect(
      rungs(fixed(ladderProject(['OnPB : BOOL', 'Lamp : BOOL', 'N : INT'], ['OnPB -> { N = 3 }']), 'SYNTAX')),
    ).toEqual(['OnPB -> { N := 3 }']);
  });
  it('put the name that was meant', () => {
    expect(
      rungs(fixed(ladderProject(['Running : BOOL', 'Q : BOOL'], ['Runing -> Q']), 'UNKNOWN_NAME', /Write/)),
    ).toEqual(['Running -> Q']);
  });
  it('join two coils in one rung, or first give a bundled one a rung of its own', () => {
    expect(
      rungs(fixed(ladderProject(['A : BOOL', 'B : BOOL', 'Q : BOOL'], ['A -> Q', 'B -> Q']), 'DOUBLE_COIL')),
    ).toEqual(['A | B -> Q']);
    const p = ladderProject(['A : BOOL', 'B : BOOL', 'Q : BOOL', 'R : BOOL'], ['A -> Q', 'B -> R, Q']);
    const c = compile([{ kind: 'project', name: 'p', project: p }]);
    const [f] = fixesFor(
      p,
      c,
      c.diagnostics.find((d) => d.code === 'DOUBLE_COIL')!,
      newId,
    );
    expect(rungs(after(p, f!.edit))).toEqual(['A -> Q', 'B -> R', 'B -> Q']);
  });
  it('delete what nothing uses, compare REAL with a tolerance, convert, move an address', () => {
    expect(
      fixed(ladderProject(['A : BOOL', 'Q : BOOL', 'Spare : BOOL'], ['A -> Q']), 'UNUSED_TAG', /Delete Spare/).tags.map(
        (t) => t.name,
      ),
    ).toEqual(['A', 'Q']);
    expect(rungs(fixed(ladderProject(['x : REAL', 'Q : BOOL'], ['x = 1.5 -> Q']), 'REAL_EQUALITY'))).toEqual([
      'ABS(x - 1.5) <= 0.001 -> Q',
    ]);
    const st: Project = {
      ...emptyProject('T'),
      tags: [
        { id: 'r', name: 'x', type: 'REAL' },
        { id: 'i', name: 'n', type: 'INT' },
      ],
      pous: [{ id: 's', name: 'Main', language: 'ST', kind: 'program', text: 'PROGRAM Main\nn := x;\nEND_PROGRAM' }],
    };
    expect((fixed(st, 'TYPE_MISMATCH').pous[0] as { text: string }).text).toContain('n := REAL_TO_INT(x);');
    expect(
      fixed(ladderProject(['a AT %ID0 : DINT', 'b AT %ID2 : DINT', 'Q : BOOL'], ['a > b -> Q']), 'OVERLAP').tags.map(
        (t) => t.address,
      ),
    ).toContain('%ID4');
    // Wired to the machine, each gets the next free point on its side.
    const wired: Project = {
      ...ladderProject(['In AT %IX0.0 : BOOL', 'Full : BOOL', 'Fill : BOOL'], ['In & Full -> Fill']),
      machine: {
        devices: [
          { id: 't', name: 'Basin', type: 'Tank', wires: { High: 'Full' } },
          { id: 'v', name: 'Tap', type: 'Valve', wires: { Open: 'Fill' } },
        ],
      },
    };
    expect(fixed(wired, 'NO_ADDRESS').tags.map((t) => t.address)).toEqual(['%IX0.0', '%IX0.1', undefined]);
    expect(fixed(fixed(wired, 'NO_ADDRESS'), 'NO_ADDRESS').tags.map((t) => t.address)).toEqual([
      '%IX0.0',
      '%IX0.1',
      '%QX0.0',
    ]);
  });
});

describe('types taken apart', () => {
  it.each([
    ['a structure', 'Recipe : STRUCT\n  Temp : REAL := 20.0; // °C\n  Name : STRING[20];\nEND_STRUCT;', 'struct'],
    ['an enumeration', 'Mode : (Off, Hand := 5, Auto);', 'enum'],
    [
      'one with a base, descriptions and an initial value',
      'Mode : INT (\n  Off, // nothing runs\n  Auto // by itself\n) := Auto;',
      'enum',
    ],
    ['a range', 'Percent : INT (0..100);', 'other'],
    ['an alias', 'Speed : REAL := 1.0;', 'other'],
    ['one that cannot be read', 'Bad : STRUCT a INT;', 'other'],
  ])('%s comes back as it was', (_, text, kind) => {
    const parts = readType(text);
    expect(parts.kind).toBe(kind);
    expect(typeToText(parts)).toBe(text);
  });
  it('names each member with type, initial value and description', () => {
    expect(readType('R : STRUCT Temp : REAL := 20.0; (* degrees *) n : ARRAY[1..3] OF INT; END_STRUCT;')).toEqual({
      kind: 'struct',
      name: 'R',
      head: 'STRUCT',
      members: [
        { name: 'Temp', type: 'REAL', initial: '20.0', description: 'degrees' },
        { name: 'n', type: 'ARRAY[1..3] OF INT' },
      ],
    });
  });
});

describe('system tags', () => {
  it('tell first scan, times, pulses and forces; nobody writes them', () => {
    const p = ladderProject(
      ['n : INT', 'm : INT', 'F : BOOL', 'S : TIME', 'A : BOOL'],
      [
        'System.FirstScan -> { n := n + 1; }',
        '^System.Pulse100ms -> { m := m + 1; }',
        'System.ForcesPresent -> F',
        '-> { S := System.ScanTime; }',
      ],
    );
    const c = compile([{ kind: 'project', name: 'p', project: p }]);
    expect(c.diagnostics.filter((d) => d.severity === 'error').map((d) => d.message)).toEqual([]);
    const e = new Engine(c.build(true), { stepNs: 10_000_000n });
    for (let i = 0; i < 100; i++) e.runScan();
    expect([e.read('n'), e.read('m'), e.read('F'), e.read('S')]).toEqual([1n, 10n, false, 10_000_000n]);
    e.force('A', true);
    e.runScan();
    expect(e.read('F')).toBe(true);
    const written = ladderProject(['A : BOOL'], ['A -> System.FirstScan']);
    expect(compile([{ kind: 'project', name: 'p', project: written }]).hasErrors).toBe(true);
  });
  it('are not there for a project with a tag of that name, or one that does not ask', () => {
    expect(
      compile([{ kind: 'project', name: 'p', project: ladderProject(['System : BOOL', 'A : BOOL'], ['System -> A']) }])
        .hasErrors,
    ).toBe(false);
    expect(
      compile([
        { kind: 'project', name: 'p', project: ladderProject(['A : BOOL', 'B : BOOL'], ['A -> B']) },
      ]).program.globals.map((v) => v.name),
    ).toEqual(['A', 'B']);
  });
});

describe('a task on an event', () => {
  it('runs its program once each time the event comes on', () => {
    const p = {
      ...ladderProject(['Go : BOOL', 'n : INT'], ['-> { n := n + 1; }']),
      tasks: [{ id: 'k', name: 'Once', interval: '10 ms', event: 'Go', priority: 1, programs: ['Main'] }],
    };
    const e = new Engine(compile([{ kind: 'project', name: 'p', project: p }]).build(false), { stepNs: 10_000_000n });
    for (const go of [false, true, true, false, true]) {
      e.write('Go', go);
      e.runScan();
    }
    expect(e.read('n')).toBe(2n);
  });
});

describe('a second name', () => {
  const project = (standsFor: string, line = 'Alarm -> Q'): Project => {
    const p = ladderProject(['Status : WORD', 'A AT %IX0.0 : BOOL', 'Q : BOOL', 'Alarm : BOOL'], [line]);
    return { ...p, tags: p.tags.map((t) => (t.name === 'Alarm' ? { ...t, standsFor } : t)) };
  };
  const build = (p: Project) => compile([{ kind: 'project', name: 'p', project: p }]);
  it('is the place it stands for: a bit, an input, read and written, forced and watched', () => {
    const e = new Engine(build(project('Status.3')).build(true), { stepNs: 10_000_000n });
    e.write('Status', 8n);
    e.runScan();
    expect([e.read('Alarm'), e.read('Q')]).toEqual([true, true]);
    e.force('Alarm', false);
    e.runScan();
    expect([e.read('Status'), e.read('Q')]).toEqual([0n, false]);
    const w = new Engine(build(project('Status.3', 'A -> Alarm')).build(false), { stepNs: 10_000_000n });
    w.write('A', true);
    w.runScan();
    expect(w.read('Status')).toBe(8n);
    const i = new Engine(build(project('A')).build(true), { stepNs: 10_000_000n });
    i.write('Alarm', true);
    i.runScan();
    expect([i.read('A'), i.read('Q')]).toEqual([true, true]);
  });
  it('is renamed by itself, follows a rename of what it stands for, and is used where either is asked for', () => {
    const p = project('Status.3');
    const c = build(p);
    const byTarget = after(p, renameTagOf(p, c, 'Status', 'Word1'));
    expect(byTarget.tags.find((t) => t.name === 'Alarm')!.standsFor).toBe('Word1.3');
    expect((byTarget.pous[0] as unknown as { rungs: { line: string }[] }).rungs[0]!.line).toBe('Alarm -> Q');
    const byItself = after(p, renameTagOf(p, c, 'Alarm', 'Bell'));
    expect((byItself.pous[0] as unknown as { rungs: { line: string }[] }).rungs[0]!.line).toBe('Bell -> Q');
    expect(build(byItself).hasErrors).toBe(false);
    const uses = usesOf(p, c);
    expect([uses.get('alarm')!.length, uses.get('status')!.length]).toEqual([1, 1]);
  });
  it('of nothing, of itself or of a changing place is an error at the tag', () => {
    for (const [to, code] of [
      ['Nothing.3', 'UNKNOWN_NAME'],
      ['Alarm', 'UNKNOWN_NAME'],
      ['Status.77', 'OUT_OF_RANGE'],
    ] as const) {
      const found = build(project(to)).diagnostics.filter(
        (d) => d.at.source.origin.kind === 'tag' && d.severity === 'error',
      );
      expect([to, found.map((d) => d.code)]).toEqual([to, expect.arrayContaining([code]) as unknown]);
    }
  });
  it('keeps nothing of its own over a change of the logic', () => {
    const a = build(project('Status.3')),
      e = new Engine(a.build(true), { stepNs: 10_000_000n });
    e.write('Status', 8n);
    e.runScan();
    const next = transferState(e.image, e.snapshot().bytes, build(project('Status.4')).build(true));
    expect(next.lost).toEqual([]);
    const f = new Engine(build(project('Status.4')).build(true), { stepNs: 10_000_000n });
    f.restore({ ...e.snapshot(), bytes: next.bytes });
    expect([f.read('Status'), f.read('Alarm')]).toEqual([8n, false]);
  });
});
const renameTagOf = (p: Project, c: ReturnType<typeof compile>, name: string, to: string) =>
  renameTag(
    p,
    c,
    p.tags.find((t) => t.name === name)!,
    to,
  );

describe('blocks and types under another name', () => {
  const project: Project = {
    ...emptyProject('T'),
    types: [
      { id: 'y', text: 'Mode : (Off, Run);' },
      { id: 'z', text: 'Pair : STRUCT a : Mode; END_STRUCT;' },
    ],
    tags: [
      { id: 't', name: 'm', type: 'ARRAY[1..2] OF Mode' },
      { id: 'u', name: 'w', type: 'Twice' },
    ],
    pous: [
      {
        id: 'f',
        name: 'Twice',
        language: 'ST',
        kind: 'functionBlock',
        text: "FUNCTION_BLOCK Twice // Twice stays here\nVAR_INPUT x : INT; END_VAR\nVAR s : STRING := 'Twice'; END_VAR\n;\nEND_FUNCTION_BLOCK",
      },
      {
        id: 'p',
        name: 'Main',
        language: 'LD',
        kind: 'program',
        variables: 'VAR own : Twice; END_VAR',
        rungs: [{ id: 'r', line: 'm[1] = Mode#Run -> { own(x := 1); }' }],
      },
    ],
    scope: ['Main.own.x'],
  };
  const edit = (e: Parameters<typeof applyEdit>[1] | { readonly refused: string }) => {
    if ('refused' in e) throw new Error(e.refused);
    return after(project, e);
  };
  it('change where they are used, not in comments, strings or members', () => {
    const block = edit(renamePou(project, 'f', 'Double'));
    expect((block.pous[0] as { text: string }).text).toBe(
      "FUNCTION_BLOCK Double // Twice stays here\nVAR_INPUT x : INT; END_VAR\nVAR s : STRING := 'Twice'; END_VAR\n;\nEND_FUNCTION_BLOCK",
    );
    expect([block.tags[1]!.type, (block.pous[1] as { variables: string }).variables]).toEqual([
      'Double',
      'VAR own : Double; END_VAR',
    ]);
    const type = edit(renameType(project, 'y', 'Stage'));
    expect([
      type.types.map((t) => t.text),
      type.tags[0]!.type,
      (type.pous[1] as unknown as { rungs: { line: string }[] }).rungs[0]!.line,
    ]).toEqual([
      ['Stage : (Off, Run);', 'Pair : STRUCT a : Stage; END_STRUCT;'],
      'ARRAY[1..2] OF Stage',
      'm[1] = Stage#Run -> { own(x := 1); }',
    ]);
    const program = edit(renamePou(project, 'p', 'Cell'));
    expect([program.tasks[0]!.programs, program.scope]).toEqual([['Cell'], ['Cell.own.x']]);
    for (const p of [project, block, type, program])
      expect(
        compile([{ kind: 'project', name: 'p', project: p }])
          .diagnostics.filter((d) => d.severity === 'error')
          .map((d) => d.message),
      ).toEqual([]);
  });
  it('refuse what is no name or is there already', () => {
    expect(renamePou(project, 'f', '2x')).toMatchObject({ refused: expect.stringContaining('not a name') as unknown });
    expect(renamePou(project, 'f', 'main')).toMatchObject({ refused: expect.stringContaining('already') as unknown });
    expect(renameType(project, 'y', 'pair')).toMatchObject({ refused: expect.stringContaining('already') as unknown });
  });
});
