/** Finding and replacing in rungs and texts. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { Project } from '../document/document.js';
import { applyEdit } from '../document/edits/index.js';
import { type Wanted, matchesIn, replaceEdit, replacements } from './replace.js';

const project: Project = {
  format: 'ferrule-project',
  version: 1,
  name: 'P',
  tags: [],
  types: [],
  pous: [
    {
      id: 'm',
      name: 'Main',
      language: 'LD',
      kind: 'program',
      variables: 'VAR Pump2 : BOOL; END_VAR',
      rungs: [
        { id: 'a', line: 'Pump & !PumpFault -> Pump', heading: 'Pump', comment: 'The pump runs.' },
        { id: 'b', line: 'A.B & C -> D' },
      ],
    },
    {
      id: 's',
      name: 'Calc',
      language: 'ST',
      kind: 'program',
      text: 'PROGRAM Calc\nPump := pump OR x;\n// Pump (*)\nEND_PROGRAM',
    },
  ],
  tasks: [],
  machine: { devices: [] },
  checks: [],
  rules: [],
  scope: [],
};
const all = (text: string, o: Omit<Wanted, 'text'> = {}) => matchesIn(project, { text, ...o });
const replaced = (text: string, to: string, o: Omit<Wanted, 'text'> = {}): Project => {
  const e = replaceEdit(project, all(text, o), to);
  if (!e) return project;
  const r = applyEdit(project, e);
  if ('refused' in r) throw new Error(r.refused);
  return r.project;
};

describe('find', () => {
  it('goes through rungs, their comments and headings, own variables and texts, in their order', () => {
    expect(all('pump').map((m) => `${m.pouName} ${m.rung?.number ?? ''} ${m.part} ${m.start}`)).toEqual([
      'Main  variables 4',
      'Main 1 heading 0',
      'Main 1 comment 4',
      'Main 1 line 0',
      'Main 1 line 8',
      'Main 1 line 21',
      'Calc  text 13',
      'Calc  text 21',
      'Calc  text 35',
    ]);
  });
  it('whole names, case, one program only; signs mean themselves', () => {
    expect(all('Pump', { whole: true, matchCase: true }).map((m) => m.part)).toEqual([
      'heading',
      'line',
      'line',
      'text',
      'text',
    ]);
    expect(all('Pump', { pou: 's' })).toHaveLength(3);
    expect(all('A.B')).toHaveLength(1);
    expect(all('(*)')).toHaveLength(1);
    expect(all('')).toEqual([]);
  });
});

describe('replace', () => {
  it('shows each line as it would be, and does it as one edit that is taken back', () => {
    const matches = all('Pump', { whole: true, matchCase: true });
    expect(replacements(project, matches, 'Fan').map((r) => [r.where, r.before, r.after])).toEqual([
      ['Main rung 1, heading', 'Pump', 'Fan'],
      ['Main rung 1', 'Pump & !PumpFault -> Pump', 'Fan & !PumpFault -> Fan'],
      ['Calc line 2', 'Pump := pump OR x;', 'Fan := pump OR x;'],
      ['Calc line 3', '// Pump (*)', '// Fan (*)'],
    ]);
    const r = applyEdit(project, replaceEdit(project, matches, 'Fan')!);
    if ('refused' in r) throw new Error(r.refused);
    expect(JSON.stringify(r.project)).toContain('Fan & !PumpFault -> Fan');
    const back = applyEdit(r.project, r.inverse);
    expect('project' in back && back.project).toEqual(project);
  });
  it('a name in the header of a text is the name of the program; an empty comment goes', () => {
    expect(replaced('Calc', 'Sums').pous[1]).toMatchObject({
      name: 'Sums',
      text: expect.stringContaining('PROGRAM Sums') as string,
    });
    const p = replaced('The pump runs.', '').pous[0]!;
    expect(p.language === 'LD' && p.rungs[0]).not.toHaveProperty('comment');
  });
  it('law: what is shown is what is made, and nothing of it is found any more unless it was put there', () => {
    fc.assert(
      fc.property(
        fc.constantFrom('Pump', 'p', ' ', 'A.B', '->', ';'),
        fc.constantFrom('', 'X', '$&', 'Q1'),
        (text, to) => {
          const matches = all(text, { matchCase: true });
          const shown = replacements(project, matches, to).map((r) => r.after);
          const next = replaced(text, to, { matchCase: true });
          const whole = JSON.stringify(next);
          for (const line of shown) expect(whole).toContain(JSON.stringify(line).slice(1, -1));
          if (!to.includes(text)) expect(matchesIn(next, { text, matchCase: true }).length).toBe(0);
        },
      ),
    );
  });
});
