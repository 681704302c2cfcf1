/** Each lint rule: what breaks it, with code and place, and what does not. */
import { describe, expect, it } from 'vitest';
import { LINT_RULES, compile, placeText } from '../../index.js';
import { ladderProject } from '../../../test/support.js';

const warnings = (tags: string[], lines: string[]) => compile([{ kind: 'project', name: 'p', project: ladderProject(tags, lines) }]).diagnostics.map((d) => `${d.severity} ${d.code} ${placeText(d.at)}`);
const I = ['A AT %IX0.0 : BOOL', 'B AT %IX0.1 : BOOL'];

describe('DOUBLE_COIL', () => {
  it('two plain coils of one tag, in any rungs', () => { expect(warnings([...I, 'Q AT %QX0.0 : BOOL'], ['A -> Q', 'B -> Q'])).toEqual(['warning DOUBLE_COIL p:Main/rung 2/element 2']); });
  it('one of them negated', () => { expect(warnings([...I, 'Q AT %QX0.0 : BOOL'], ['A -> Q', 'B -> !Q'])).toHaveLength(1); });
  it('three of them: every one but the first', () => { expect(warnings([...I, 'Q AT %QX0.0 : BOOL'], ['A -> Q', 'B -> Q', 'A & B -> Q'])).toHaveLength(2); });
  it('two bits of one word are two tags', () => { expect(warnings([...I, 'W AT %QW2 : WORD'], ['A -> W.0', 'B -> W.1'])).toEqual([]); expect(warnings([...I, 'W AT %QW2 : WORD'], ['A -> W.0', 'B -> W.0'])).toHaveLength(1); });
  it('set and reset are meant to be two', () => { expect(warnings([...I, 'Q AT %QX0.0 : BOOL'], ['A -> set Q', 'B -> reset Q'])).toEqual([]); });
});

describe('UNUSED_TAG', () => {
  it('an internal tag that nothing names', () => { expect(warnings([...I, 'Q AT %QX0.0 : BOOL', 'Spare : INT'], ['A & B -> Q'])).toEqual(['warning UNUSED_TAG p:Tags/Spare']); });
  it('an input may be wired for later', () => { expect(warnings([...I, 'Q AT %QX0.0 : BOOL'], ['A -> Q'])).toEqual([]); });
});

describe('NEVER_WRITTEN', () => {
  it('read, never written, without an initial value', () => { expect(warnings(['Q AT %QX0.0 : BOOL', 'Flag : BOOL'], ['Flag -> Q'])).toEqual(['warning NEVER_WRITTEN p:Tags/Flag']); });
  it('an initial value makes it a setting', () => { expect(warnings(['Q AT %QX0.0 : BOOL', 'Flag : BOOL := TRUE'], ['Flag -> Q'])).toEqual([]); });
  it('written anywhere is written', () => { expect(warnings([...I, 'Q AT %QX0.0 : BOOL', 'Flag : BOOL'], ['Flag -> Q', 'A -> { Flag := TRUE; }'])).toEqual([]); });
});

describe('REAL_EQUALITY', () => {
  it('in a comparison of a rung', () => { expect(warnings(['L AT %ID0 : REAL', 'Q AT %QX0.0 : BOOL'], ['L = 5.0 -> Q'])).toEqual(['warning REAL_EQUALITY p:Main/rung 1/element 1']); });
  it('not for whole numbers, not for other comparisons', () => { expect(warnings(['L AT %ID0 : REAL', 'N AT %IW6 : INT', 'Q AT %QX0.0 : BOOL'], ['L >= 5.0 & N = 3 -> Q'])).toEqual([]); });
});

it('every rule has its own code and a sentence for the help', () => {
  expect(new Set(LINT_RULES.map((r) => r.code)).size).toBe(LINT_RULES.length);
  for (const r of LINT_RULES) expect(r.about).toMatch(/\.$/);
});
