/** Tags as CSV, the project as a folder, text in and out, series, search, the memory map. */
import { readFileSync } from 'node:fs';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { type Project, type Tag, applyEdit, emptyProject, findInProject } from '../document.js';
import { Engine } from '../bench.js';
import { compile, guessTag, memoryMap, nextFree, seriesNames, seriesTags } from '../workspace.js';
import {
  folderToDocument,
  projectToFolder,
  projectFromText,
  projectToText,
  proveToText,
  type TagReading,
  readTags,
  readText,
  tagsToCsv,
  textToProve,
} from '../files.js';
import { rungsToText } from '../ladder.js';
import { documentProblems } from '../schema.js';
import { parseProject } from '../document/schema.js';
import { ladderProject } from '../../test/support.js';

const DEMO = JSON.parse(readFileSync('examples/wire-end-crimp-cell.ferrule.json', 'utf8')) as Project;
let n = 0;
const newId = (prefix = 'n') => `${prefix}${++n}`;
const rows = (text: string, project: Project = emptyProject('T')) => {
  const r = readTags(text, project, newId);
  if ('error' in r) throw new Error(r.error);
  return r.rows;
};
const applied = (project: Project, text: string): Project =>
  rows(text, project).reduce((p, r) => {
    if (!r.edit) return p;
    const a = applyEdit(p, r.edit);
    if ('refused' in a) throw new Error(a.refused);
    return a.project;
  }, project);

const words = fc
  .stringMatching(/^[ -~äöü€]{1,30}$/)
  .map((s) => s.trim())
  .filter((s) => s !== '');
const tag = fc.record({
  type: fc.constantFrom('BOOL', 'INT', 'REAL', 'TON', 'ARRAY[1..3] OF INT', 'STRING[20]'),
  address: fc.option(fc.constantFrom('%IX0.0', '%QW2', '%MD4'), { nil: undefined }),
  initial: fc.option(fc.constantFrom('1', '2.5', "'a,b'", '[1, 2, 3]'), { nil: undefined }),
  wiring: fc.option(fc.constantFrom('NO' as const, 'NC' as const), { nil: undefined }),
  retain: fc.option(fc.constant(true as const), { nil: undefined }),
  constant: fc.option(fc.constant(true as const), { nil: undefined }),
  unit: fc.option(fc.constantFrom('mm', '°C', '1/min'), { nil: undefined }),
  range: fc.option(fc.constant('0..100'), { nil: undefined }),
  standsFor: fc.option(fc.constantFrom('Status.3', 'Recipe[2].Temp'), { nil: undefined }),
  access: fc.option(fc.constantFrom('read' as const, 'write' as const), { nil: undefined }),
  description: fc.option(words, { nil: undefined }),
});
const tagList = fc
  .uniqueArray(fc.stringMatching(/^[A-Z][a-z]{1,8}$/), { maxLength: 12, selector: (s) => s.toLowerCase() })
  .chain((names) =>
    fc.tuple(
      ...names.map((name) => tag.map((t): Tag => JSON.parse(JSON.stringify({ id: `i${name}`, name, ...t })) as Tag)),
    ),
  );
const without = (t: Tag) => ({ ...t, id: '' });

describe('tags as CSV', () => {
  it('come back as they were', () => {
    fc.assert(
      fc.property(tagList, (tags) => {
        fc.pre(
          !tags.some((t) => /^(of|if|do|or|to|by|on|at|and|not|for|var|xor|mod|use|end|true|case)$/i.test(t.name)),
        );
        const r = rows(tagsToCsv(tags));
        expect(r.map((x) => x.fate)).toEqual(tags.map(() => 'new'));
        expect(r.map((x) => without((x.edit as { tag: Tag }).tag))).toEqual(tags.map(without));
      }),
    );
  });
  it('reading what was written changes nothing', () => {
    expect(new Set(rows(tagsToCsv(DEMO.tags), DEMO).map((r) => r.fate))).toEqual(new Set(['same']));
  });
  it('says the fate of each row before anything is taken', () => {
    const project = { ...emptyProject('T'), tags: [{ id: 'a', name: 'Level', type: 'INT', description: 'tank' }] };
    expect(
      rows(
        'Name;Type;Address;Description\nlevel;REAL;;tank\nStart;BOOL;%IX0.0;begins\n2nd;BOOL;;\nstart;BOOL;;\nX;BOOOL;;\nY;BOOL;I0.1;\n;BOOL;;',
        project,
      ).map((r) => [r.line, r.fate, r.note]),
    ).toEqual([
      [2, 'changed', 'type: INT → REAL'],
      [3, 'new', undefined],
      [4, 'refused', '‘2nd’ is not a name: letters, digits and underscores, a letter first.'],
      [5, 'refused', 'The name stands in line 3 already.'],
      [6, 'refused', 'There is no type ‘BOOOL’.'],
      [7, 'new', undefined],
      [8, 'refused', 'There is no name.'],
    ]);
  });
  const read = (text: string, by: TagReading = {}, project: Project = emptyProject('T')) => {
    const r = readTags(text, project, newId, by);
    if ('error' in r) throw new Error(r.error);
    return {
      columns: r.columns.map((c) => c.is ?? '-'),
      by: r.columns.map((c) => c.by),
      rows: r.rows.map((x) =>
        x.edit?.kind === 'addTag'
          ? [x.edit.tag.name, x.edit.tag.type, x.edit.tag.address ?? '', x.guessed ?? '']
          : [x.name, x.note, x.repair],
      ),
    };
  };
  it('a decimal comma of a spreadsheet is a point in the beginning of a real tag, and stays elsewhere', () => {
    const r = readTags('Name;Type;Initial\nLevel;REAL;1,5\nText;STRING;a,b', emptyProject('T'), newId);
    if ('error' in r) throw new Error(r.error);
    expect(r.rows.map((x) => x.edit?.kind === 'addTag' && x.edit.tag.initial)).toEqual(['1.5', 'a,b']);
  });
  it('headers in the languages of the lists are understood; every column can be said by hand', () => {
    for (const header of [
      'Bezeichner;Datentyp;Adresse;Kommentar',
      'Nom;Type de données;Adresse;Commentaire',
      'Nombre;Tipo de datos;Dirección;Comentario',
      'Nome;Tipo di dato;Indirizzo;Descrizione',
      'Nazwa;Typ danych;Adres;Opis',
      'Signal name;Data type;I/O address;Comments',
    ])
      expect(read(`${header}\nPump;BOOL;Q0.0;a pump`)).toEqual({
        columns: ['Name', 'Type', 'Address', 'Description'],
        by: ['header', 'header', 'header', 'header'],
        rows: [['Pump', 'BOOL', '%QX0.0', '']],
      });
    // Rows of data that speak of signals and types are no header.
    for (const first of [
      'Signal1\tBOOL\tStart of text',
      'Motor\tINT\tsignal',
      'Start\tText for start',
      'Gate\tsignal of the upper door',
    ])
      expect(read(`${first}\nOther\tBOOL\tx`).rows).toHaveLength(2);
    expect(read('Signal\nPump').rows).toHaveLength(1);
    // What the header does not say the cells do, and a hand has the last word.
    expect(read('Label,Typ,Wo\nA,INT,%IW0')).toMatchObject({
      columns: ['Name', 'Type', 'Address'],
      by: ['cells', 'header', 'cells'],
    });
    expect(read('Label,Typ,Wo\nA,INT,%IW0', { columns: { 0: 'Description', 2: '' } })).toMatchObject({
      columns: ['Description', 'Type', '-'],
      by: ['hand', 'header', 'hand'],
      rows: [],
    });
    expect(
      read('A,B\nC,D', { hasHeader: false, columns: { 0: 'Name', 1: 'Description' } }).rows.map((r) => r[0]),
    ).toEqual(['A', 'C']);
  });
  it('what no cell says is guessed in the open, and what a cell says is never lost', () => {
    expect(read('Count1,CTU,pieces made\nLampRun,BOOL,lamp on the door')).toMatchObject({
      columns: ['Name', 'Type', 'Description'],
      rows: [
        ['Count1', 'CTU', '', ''],
        ['LampRun', 'BOOL', '', ''],
      ],
    });
    // One address among many rows is an address; rows without one get none.
    expect(read('LampA\t%QX0.0\nLampB\t\nLampC\t').rows).toEqual([
      ['LampA', 'BOOL', '%QX0.0', ''],
      ['LampB', 'BOOL', '', 'type BOOL'],
      ['LampC', 'BOOL', '', 'type BOOL'],
    ]);
    expect(read('StartPB\nLampRun').rows).toEqual([
      ['StartPB', 'BOOL', '%IX0.0', 'type BOOL, address %IX0.0, wiring NO'],
      ['LampRun', 'BOOL', '%QX0.0', 'type BOOL, address %QX0.0'],
    ]);
    expect(read('Name,Address\nSpeed,QW4\nGate,I0.3').rows).toEqual([
      ['Speed', 'INT', '%QW4', ''],
      ['Gate', 'BOOL', '%IX0.3', ''],
    ]);
  });
  it('names that cannot be are offered repaired', () => {
    const text = 'Name,Type\nBottle present,BOOL\nIF,BOOL\n3-way,INT\nTür öffnen,BOOL\nBottlePresent,INT\n#,BOOL';
    expect(read(text).rows).toEqual([
      [
        'Bottle present',
        '‘Bottle present’ is not a name: letters, digits and underscores, a letter first.',
        'BottlePresent',
      ],
      ['IF', '‘IF’ is a word of the language and cannot be a name.', 'IF1'],
      ['3-way', '‘3-way’ is not a name: letters, digits and underscores, a letter first.', '_3_way'],
      ['Tür öffnen', '‘Tür öffnen’ is not a name: letters, digits and underscores, a letter first.', 'TuerOeffnen'],
      ['BottlePresent', 'INT', '', ''],
      ['#', '‘#’ is not a name: letters, digits and underscores, a letter first.', undefined],
    ]);
    expect(read(text, { repairs: (line) => line < 4 }).rows.map((r) => r[0])).toEqual([
      'BottlePresent',
      'IF1',
      '3-way',
      'Tür öffnen',
      'BottlePresent',
      '#',
    ]);
  });
  it('refuses a file it cannot understand, with the line', () => {
    const error = (t: string) => {
      const r = readTags(t, emptyProject('T'), newId);
      return 'error' in r ? r.error : 'taken';
    };
    expect(error('Name,Type\n"A,BOOL')).toContain('a quoted cell is not closed');
    expect(error('')).toContain('no rows');
    const problem = (t: string) => {
      const r = readTags(t, emptyProject('T'), newId);
      return 'error' in r ? r.error : [r.problem, r.rows.length];
    };
    expect(problem('12\n13')).toEqual([
      'No column holds the names yet: say above which one does, or put a header over the rows.',
      0,
    ]);
    expect(problem('Name,Type,Name\nA,BOOL,B')).toEqual([
      'Two columns are said to hold Name; say of one that it is not used.',
      0,
    ]);
  });
  it('takes 200 rows pasted from a spreadsheet without a header, guessing what is missing', () => {
    const text = Array.from(
      { length: 200 },
      (_, i) => `Valve${String(i + 1).padStart(3, '0')}\tBOOL\t%QX${i >> 3}.${i & 7}\tvalve number ${i + 1}`,
    ).join('\n');
    const project = applied(emptyProject('T'), text);
    expect(project.tags).toHaveLength(200);
    expect(project.tags[199]).toMatchObject({
      name: 'Valve200',
      type: 'BOOL',
      address: '%QX24.7',
      description: 'valve number 200',
    });
    expect(applied(emptyProject('T'), 'StartPB\nStopPB\nLampRun').tags.map((t) => t.address)).toEqual([
      '%IX0.0',
      '%IX0.1',
      '%QX0.0',
    ]);
  });
});

describe('the project as a folder', () => {
  it('comes back equal: the example', () => {
    const r = folderToDocument(projectToFolder(DEMO));
    if ('problem' in r) throw new Error(r.problem);
    expect(r.document).toEqual(DEMO);
    expect(Object.keys(r.document as Project)).toEqual(Object.keys(DEMO));
    expect(parseProject(JSON.stringify(r.document))).toHaveProperty('project');
  });
  it('by property', () => {
    const line = words.map((w) => w.replace(/\s+/g, ' ').replace(/^[;#/]+/, 'x'));
    const rung = fc.record({
      line: fc.constantFrom('A -> B', '(A | B) & !C -> set D', ''),
      comment: fc.option(line, { nil: undefined }),
      heading: fc.option(line, { nil: undefined }),
    });
    fc.assert(
      fc.property(
        tagList,
        fc.array(fc.array(rung, { maxLength: 4 }), { maxLength: 3 }),
        fc.array(fc.constantFrom('A : (X, Y);', 'B : STRUCT\n  n : INT;\nEND_STRUCT;'), { maxLength: 2 }),
        (tags, ladders, types) => {
          const p: Project = {
            ...emptyProject('T'),
            tags,
            types: types.map((text, i) => ({ id: `y${i}`, text })),
            checks: [{ id: 'c', name: 'x', rows: [] }],
            checking: { DOUBLE_COIL: 'off' },
            pous: ladders.map((rungs, i) => ({
              id: `p${i}`,
              name: i % 2 ? 'Same name' : 'Main',
              language: 'LD' as const,
              kind: 'program' as const,
              ...(i ? { variables: 'VAR x : INT; END_VAR\n' } : {}),
              rungs: rungs.map(
                (r, k) => JSON.parse(JSON.stringify({ id: `r${i}_${k}`, ...r })) as { id: string; line: string },
              ),
            })),
          };
          const r = folderToDocument(projectToFolder(p));
          expect('problem' in r ? r.problem : r.document).toEqual(p);
        },
      ),
    );
  });
  it('says which file is wrong', () => {
    const files = new Map(projectToFolder(DEMO));
    const problem = (path: string, text?: string) => {
      const f = new Map(files);
      if (text === undefined) f.delete(path);
      else f.set(path, text);
      const r = folderToDocument(f);
      return 'problem' in r ? r.problem : 'read';
    };
    expect(problem('project.json')).toBe('project.json: the file is missing.');
    expect(problem('machine.json', '{')).toContain('machine.json: this is not JSON');
    expect(problem('logic/Cell.ld')).toContain('logic/Cell.ld');
    expect(problem('tags.csv', 'Name,Wiring\nA,open')).toContain('tags.csv: line 2: Wiring is NO or NC');
  });
  it('has no file that Windows cannot check out', () => {
    const pous = ['aux', 'CON', 'Nul_', 'COM1', 'Console'].map((name, i) => ({
      id: `p${i}`,
      name,
      language: 'ST' as const,
      kind: 'functionBlock' as const,
      text: `FUNCTION_BLOCK ${name}\nEND_FUNCTION_BLOCK`,
    }));
    const p = { ...emptyProject('Names'), pous },
      folder = projectToFolder(p);
    expect([...folder.keys()].filter((f) => f.startsWith('logic/'))).toEqual(
      ['aux_', 'CON_', 'Nul_', 'COM1_', 'Console'].map((n) => `logic/${n}.st`),
    );
    expect(folderToDocument(folder)).toMatchObject({ document: p });
  });
  it('keeps rungs as lines that compare well', () => {
    expect(rungsToText([{ line: 'A -> B', comment: 'seals in', heading: 'Start' }])).toBe(
      '## Start\n// seals in\nA -> B\n',
    );
  });
});

describe('checks and rules as text', () => {
  it('is one sentence a line, under what it belongs to', () => {
    const { text } = proveToText(
      [
        {
          id: 'a',
          name: 'Start',
          note: 'From cold.',
          rows: [
            { id: 'r', when: 'after 500 ms', do: ['tap Start', 'hold Feed'], expect: ['Running is on within 2 scans'] },
          ],
        },
        {
          id: 'b',
          name: 'Batches',
          begins: 'a',
          rows: [{ id: 's', do: ['enter {Batch} at Batch'] }],
          table: {
            columns: ['Batch', 'Why, then'],
            rows: [
              ['5', 'few'],
              ['50', ''],
            ],
          },
        },
      ],
      [
        { id: 'x', name: 'Apart', sentence: 'never A and B together' },
        { id: 'y', name: 'Ends', sentence: 'never X and Y together', assumed: true },
      ],
    );
    expect(text).toBe(
      [
        'check Start',
        '  // From cold.',
        '  row',
        '    when after 500 ms',
        '    do tap Start',
        '    do hold Feed',
        '    expect Running is on within 2 scans',
        '',
        'check Batches',
        '  begins with Start',
        '  row',
        '    do enter {Batch} at Batch',
        '  values Batch,"Why, then"',
        '    5,few',
        '    50,""',
        '',
        'rule Apart',
        '  never A and B together',
        '',
        'assumption Ends',
        '  never X and Y together',
        '',
      ].join('\n'),
    );
    // Without ids, as somebody writes it by hand.
    expect(textToProve(text).checks.map((c) => [c.id, c.begins, c.rows.map((r) => r.id)])).toEqual([
      ['c1', undefined, ['c1k1']],
      ['c2', 'c1', ['c2k1']],
    ]);
  });
  it('what is added by hand gets ids that nothing else has; a folder with its checks as JSON is read still', () => {
    const { text } = proveToText(
      [{ id: 'c2', name: 'A', rows: [{ id: 'c2k2', expect: ['X'] }] }],
      [{ id: 'i2', name: 'R', sentence: 'never X' }],
    );
    const more = textToProve(
      `${text.replace('    expect X\n', '    expect X\n  row\n    expect Y\n')}\ncheck B\n  row\n    expect Z\n\nrule S\n  never Y\n`,
      { checks: [{ id: 'c2', rows: ['c2k2'] }], rules: ['i2'] },
    );
    expect([more.checks.map((c) => [c.id, c.rows.map((r) => r.id)]), more.rules.map((r) => r.id)]).toEqual([
      [
        ['c2', ['c2k2', 'c2k3']],
        ['c3', ['c3k1']],
      ],
      ['i2', 'i3'],
    ]);
    const old = new Map(projectToFolder(DEMO));
    old.delete('prove.txt');
    old.set('prove.json', JSON.stringify({ checks: DEMO.checks, rules: DEMO.rules }));
    expect(folderToDocument(old)).toEqual({ document: DEMO });
  });
  it('law: reads back as it was, whatever stands in it', () => {
    const any = fc.oneof(
        fc.string({ maxLength: 12 }),
        fc.constantFrom('row', 'values', '#x', '// a', ' ', '', 'a\nb', '\\n', 'check x', '"', ','),
      ),
      some = fc.option(any, { nil: undefined }),
      list = fc.option(fc.array(any, { maxLength: 3 }), { nil: undefined });
    const row = fc.record({ when: some, do: list, expect: list }),
      cell = any;
    const check = fc.record({
      name: any,
      note: some,
      begins: fc.option(fc.nat(3), { nil: undefined }),
      rows: fc.array(row, { maxLength: 3 }),
      table: fc.option(
        fc.integer({ min: 1, max: 3 }).chain((n) =>
          fc.record({
            columns: fc.array(cell, { minLength: n, maxLength: n }),
            rows: fc.array(fc.array(cell, { minLength: n, maxLength: n }), { maxLength: 3 }),
          }),
        ),
        { nil: undefined },
      ),
    });
    fc.assert(
      fc.property(
        fc.array(check, { maxLength: 4 }),
        fc.array(fc.record({ name: any, sentence: any, assumed: fc.boolean() }), { maxLength: 3 }),
        (made, ruled) => {
          const checks = made.map(
            (c, i) =>
              JSON.parse(
                JSON.stringify({
                  ...c,
                  id: `c${i}`,
                  begins: c.begins === undefined ? undefined : `c${c.begins}`,
                  rows: c.rows.map((r, k) => ({ id: `c${i}r${k}`, ...r })),
                }),
              ) as Project['checks'][number],
          );
          const rules = ruled.map((r, i) => ({
            id: `i${i}`,
            name: r.name,
            sentence: r.sentence,
            ...(r.assumed ? { assumed: true } : {}),
          }));
          const { text, ids } = proveToText(checks, rules);
          expect(textToProve(text, ids)).toEqual({ checks, rules });
          // Also when it went through a system that ends lines its own way.
          expect(textToProve(text.replace(/\n/g, '\r\n'), ids)).toEqual({ checks, rules });
        },
      ),
      { numRuns: 400 },
    );
  });
  it.each([
    ['hello', 'line 1: expected'],
    ['check A\n  row\n    hope for it', "line 3: in a row a line begins with 'when'"],
    ['check A\n  begins with B', "line 2: there is no check 'B'"],
    ['check A\n  line', 'line 2: in a check a line is'],
    ['rule A\n  x\n  y', 'line 3: a rule has one sentence'],
    ['check A\n  values a\n    1\n  row', 'line 4: rows stand before'],
  ])('%j is refused with its line', (text, why) => {
    expect(() => textToProve(text)).toThrow(why);
    const f = new Map(projectToFolder(DEMO));
    f.set('prove.txt', text);
    const r = folderToDocument(f);
    expect('problem' in r && r.problem).toContain(`prove.txt: ${why.slice(0, 7)}`);
  });
});

describe('text in and out', () => {
  it('the text of the example says what the example does', () => {
    const project = { ...DEMO, machine: { devices: [] }, checks: [], rules: [] };
    const c = compile([{ kind: 'project', name: 'demo', project }]);
    const out = projectToText(project, c);
    expect(out.left.filter((l) => !/edge|memory of its own|CSV/.test(l))).toEqual([]);
    const again = compile([{ kind: 'text', name: 'demo.st', text: out.text }]);
    expect(again.diagnostics.filter((d) => d.severity === 'error').map((d) => d.message)).toEqual([]);
  });
  it('a ladder as text runs the same', () => {
    const project = ladderProject(
      ['Go : BOOL', 'Stop : BOOL', 'Run : BOOL', 'Lamp : BOOL', 'Wait : TON'],
      ['(Go | Run) & !Stop -> Run', 'Run & Wait(PT := 30 ms) -> Lamp'],
    );
    const c = compile([{ kind: 'project', name: 'p', project }]);
    const text = projectToText(project, c).text;
    const engines = [
      new Engine(c.build(false), { stepNs: 10_000_000n }),
      new Engine(compile([{ kind: 'text', name: 't', text }]).build(false), { stepNs: 10_000_000n }),
    ];
    for (let i = 0; i < 20; i++) {
      for (const e of engines) {
        e.write('Go', i === 1);
        e.write('Stop', i === 12);
        e.runScan();
      }
      expect(['Run', 'Lamp'].map((p) => engines[1]!.read(p))).toEqual(['Run', 'Lamp'].map((p) => engines[0]!.read(p)));
    }
  });
  const TEXT = `TYPE
  Mode : (Off, Hand, Auto);
  Pair : STRUCT a : INT; b : REAL; END_STRUCT;
END_TYPE
VAR_GLOBAL RETAIN
  Count, Total : DINT := 5; // pieces
  Sensor AT %IX0.0 : BOOL;
END_VAR
// doubles
FUNCTION Twice : INT
VAR_INPUT x : INT; END_VAR
Twice := x * 2;
END_FUNCTION
PROGRAM Main
IF Sensor THEN Count := Count + 1; END_IF;
END_PROGRAM
CONFIGURATION C
  RESOURCE R ON Any
    TASK Fast (INTERVAL := T#5ms, PRIORITY := 2);
    PROGRAM M WITH Fast : Main;
  END_RESOURCE
END_CONFIGURATION`;
  const taken = (text: string, project: Project) => {
    const r = readText(text, project, newId);
    const a = r.edit ? applyEdit(project, r.edit) : undefined;
    return { ...r, project: a && 'project' in a ? a.project : project };
  };
  it('text comes in as tags, types, blocks and tasks', () => {
    const r = taken(TEXT, { ...emptyProject('T'), pous: [], tasks: [] });
    expect(r.left).toEqual([]);
    expect(r.problems).toEqual([]);
    expect(r.project.tags).toMatchObject([
      { name: 'Count', type: 'DINT', initial: '5', retain: true, description: 'pieces' },
      { name: 'Total', type: 'DINT' },
      { name: 'Sensor', type: 'BOOL', address: '%IX0.0' },
    ]);
    expect(r.project.types.map((t) => t.text)).toEqual([
      'Mode : (Off, Hand, Auto);',
      'Pair : STRUCT a : INT; b : REAL; END_STRUCT;',
    ]);
    expect(r.project.pous).toMatchObject([
      { name: 'Twice', kind: 'function', text: expect.stringMatching(/^\/\/ doubles\nFUNCTION Twice/) as unknown },
      { name: 'Main', kind: 'program' },
    ]);
    expect(r.project.tasks).toMatchObject([{ name: 'Fast', interval: 'T#5ms', priority: 2, programs: ['Main'] }]);
    expect(
      compile([{ kind: 'project', name: 'p', project: r.project }]).diagnostics.filter((d) => d.severity === 'error'),
    ).toEqual([]);
  });
  it('errors and all, and what is there already is said', () => {
    const r = taken(
      'PROGRAM Broken\nx := ;\nEND_PROGRAM\nVAR_GLOBAL Count : INT; END_VAR\nFUNCTION_BLOCK Main END_FUNCTION_BLOCK\nrubbish here',
      { ...emptyProject('T'), tags: [{ id: 'a', name: 'count', type: 'DINT' }] },
    );
    expect(r.project.pous.map((p) => p.name)).toEqual(['Main', 'Broken']);
    expect(r.problems[0]).toMatch(/^Line 2: Expected/);
    expect(r.left).toEqual([
      'Tag Count: there is a tag of that name already; it stays as it is.',
      'FUNCTION_BLOCK Main: there is a ladder of that name; rename one of them first.',
      expect.stringContaining('rubbish here') as unknown,
    ]);
  });
  it('never throws, however the text is cut', () => {
    fc.assert(
      fc.property(fc.nat(TEXT.length), fc.nat(TEXT.length), (a, b) => {
        taken(TEXT.slice(Math.min(a, b), Math.max(a, b)), emptyProject('T'));
      }),
    );
  });
});

describe('new tags', () => {
  it('finds the next free address of every width', () => {
    const tags = [
      { id: '1', name: 'a', type: 'BOOL', address: '%QX0.0' },
      { id: '2', name: 'b', type: 'INT', address: '%QW2' },
    ];
    expect([
      nextFree('Q', 1, tags),
      nextFree('Q', 8, tags),
      nextFree('Q', 16, tags),
      nextFree('Q', 32, tags),
      nextFree('I', 64, tags),
    ]).toEqual(['%QX0.1', '%QB1', '%QW4', '%QD4', '%IL0']);
  });
  it('offers a place on a module of the I/O layout first', () => {
    const modules = [
      { id: 'm', name: 'Right', area: 'Q' as const, start: 4, bytes: 1 },
      { id: 'n', name: 'Left', area: 'I' as const, start: 8, bytes: 2 },
    ];
    const full = Array.from({ length: 8 }, (_, i) => ({
      id: `f${i}`,
      name: `F${i}`,
      type: 'BOOL',
      address: `%QX4.${i}`,
    }));
    expect([
      nextFree('Q', 1, [], modules),
      nextFree('I', 16, [], modules),
      nextFree('Q', 1, full, modules),
      nextFree('Q', 16, [], modules),
    ]).toEqual(['%QX4.0', '%IW8', '%QX0.0', '%QW0']);
    const a = applyEdit(emptyProject('T'), { kind: 'changeModules', modules });
    if ('refused' in a) throw new Error(a.refused);
    expect(parseProject(JSON.stringify(a.project))).toHaveProperty('project');
    expect(folderToDocument(projectToFolder(a.project))).toEqual({ document: a.project });
    expect(applyEdit(a.project, a.inverse)).toMatchObject({ project: emptyProject('T') });
  });
  it('makes a series in one step', () => {
    expect(seriesNames('Valve08..11')).toEqual({ names: ['Valve08', 'Valve09', 'Valve10', 'Valve11'] });
    expect(seriesNames('Valve01…Valve03')).toEqual({ names: ['Valve01', 'Valve02', 'Valve03'] });
    expect(seriesTags('Recipe[1..50]', [], newId, 'REAL')).toMatchObject([
      { name: 'Recipe', type: 'ARRAY[1..50] OF REAL' },
    ]);
    expect((seriesTags('Valve1..9', [], newId) as Tag[]).map((t) => t.address)).toEqual([
      '%QX0.0',
      '%QX0.1',
      '%QX0.2',
      '%QX0.3',
      '%QX0.4',
      '%QX0.5',
      '%QX0.6',
      '%QX0.7',
      '%QX1.0',
    ]);
    expect(seriesNames('Valve9..1')).toMatchObject({ refused: expect.stringContaining('goes up') as unknown });
    expect(seriesNames('V1..9999')).toMatchObject({ refused: expect.stringContaining('at most') as unknown });
    expect(seriesNames('A1..B3')).toMatchObject({ refused: expect.stringContaining('not to') as unknown });
    expect(seriesTags('A1..3', [{ id: 'x', name: 'a2', type: 'INT' }], newId)).toMatchObject({
      refused: expect.stringContaining('already') as unknown,
    });
  });
  it('guesses from the name, unless the type is known', () => {
    expect(guessTag('MotorFan2', [])).toEqual({ type: 'BOOL', address: '%QX0.0' });
    expect(guessTag('StopPB', [], 'INT')).toEqual({ type: 'INT' });
  });
});

describe('search and memory', () => {
  it('finds names first, then everything else, by all words', () => {
    const hits = findInProject(DEMO, 'press');
    expect(hits[0]!.where).toMatch(/^(Tag|Machine) Press/);
    expect(findInProject(DEMO, '%IX0.0')[0]!.place.kind).toBe('tag');
    expect(findInProject(DEMO, 'PullCheck').some((h) => h.place.kind === 'text')).toBe(true);
    expect(findInProject(DEMO, 'no such thing anywhere')).toEqual([]);
    expect(findInProject(DEMO, '  ')).toEqual([]);
  });
  it('tells an accident from a view', () => {
    const project = {
      ...emptyProject('T'),
      tags: [
        { id: '1', name: 'A', type: 'DWORD', address: '%MD0' },
        { id: '2', name: 'B', type: 'DWORD', address: '%MD2' },
      ],
    };
    expect(
      memoryMap(compile([{ kind: 'project', name: 'p', project }]).program)[2]!.entries.map((e) => [e.name, e.over]),
    ).toEqual([
      ['A', ['B']],
      ['B', ['A']],
    ]);
  });
  it('shows what lies where and what is a view of what', () => {
    const project = {
      ...emptyProject('T'),
      tags: [
        { id: '1', name: 'Whole', type: 'WORD', address: '%MW0' },
        { id: '2', name: 'Bit', type: 'BOOL', address: '%MX1.3' },
        { id: '3', name: 'Far', type: 'ARRAY[0..1] OF DINT', address: '%MD8' },
      ],
    };
    const map = memoryMap(compile([{ kind: 'project', name: 'p', project }]).program);
    expect(map.map((a) => [a.area, a.bytes])).toEqual([
      ['I', 0],
      ['Q', 0],
      ['M', 16],
    ]);
    expect(map[2]!.entries).toMatchObject([
      { name: 'Whole', firstBit: 0, bits: 16, over: [], within: [] },
      { name: 'Bit', firstBit: 11, bits: 1, over: [], within: ['Whole'] },
      { name: 'Far', firstBit: 64, bits: 64, over: [] },
    ]);
    expect(map[2]!.freeBits).toBe(48);
  });
});

describe('a text as a project of its own', () => {
  let n = 0;
  const made = (text: string) => projectFromText(text, 'Mixer', (p) => `${p}${n++}`);
  it('has its programs, blocks, types and variables; what no task runs is in one of 10 ms', () => {
    const { project, left, problems } = made(`TYPE Mode : (Off, Slow, Fast); END_TYPE
VAR_GLOBAL Level AT %IW2 : INT; END_VAR
FUNCTION_BLOCK Pulse VAR_INPUT In : BOOL; END_VAR VAR_OUTPUT Q : BOOL; END_VAR Q := In; END_FUNCTION_BLOCK
PROGRAM Mixing VAR M : Mode; P : Pulse; END_VAR P(In := Level > 3); END_PROGRAM`);
    expect([left, problems]).toEqual([[], []]);
    expect(project!.pous.map((p) => [p.name, p.kind])).toEqual([
      ['Pulse', 'functionBlock'],
      ['Mixing', 'program'],
    ]);
    expect(project!.tags.map((t) => [t.name, t.type, t.address])).toEqual([['Level', 'INT', '%IW2']]);
    expect(project!.tasks.map((t) => [t.name, t.programs])).toEqual([['Main', ['Mixing']]]);
    expect(documentProblems(project!)).toEqual([]);
    const c = compile([{ kind: 'project', name: 'p', project: project! }]);
    expect(c.diagnostics.filter((d) => d.severity === 'error')).toEqual([]);
  });
  it('says what is wrong with it, and is there with that; a text with nothing in it makes none', () => {
    const bad = made('PROGRAM P VAR x : INT; END_VAR x := ; END_PROGRAM');
    expect(bad.project!.pous.map((p) => p.name)).toEqual(['P']);
    expect(bad.problems.join()).toContain('Line 1:');
    expect(made('Dear all, see you on Monday.').project).toBe(undefined);
    expect(made('').left).toEqual(['There is no program, block, type or variable in this text.']);
  });
});
