/**
 * JUnit XML of checks and rules: two suites a project; what is open counts as skipped. Times are of the machine, in
 * seconds.
 */
import type { ProofResult } from '../play/play.js';
import { type Strengths, type Verdict, checkLine, checkVerdict, ruleLine, ruleVerdict } from '../play/verdict.js';

interface Case {
  readonly name: string;
  readonly verdict: Verdict;
  readonly time: number;
  readonly line: string;
}
/** What was played of one project, and what else is known of its rules. */
export interface Verified {
  readonly project: string;
  readonly result: ProofResult;
  readonly strengths?: ReadonlyMap<string, Strengths>;
}

const escape = (s: string) =>
  s.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;').replaceAll('"', '&quot;');

export function junitXml(all: readonly Verified[]): string {
  const suites = all.flatMap(({ project, result, strengths = new Map() }) => [
    {
      project,
      kind: 'sequence checks',
      cases: result.checks.map((c): Case => ({
        name: c.name,
        verdict: checkVerdict(c),
        time: Number(c.timeNs) / 1e9,
        line: checkLine(c),
      })),
    },
    {
      project,
      kind: 'interlock rules',
      cases: result.rules.map((r): Case => ({
        name: r.name,
        verdict: ruleVerdict(r, strengths.get(r.id)),
        time: 0,
        line: ruleLine(r, strengths.get(r.id)),
      })),
    },
  ]);
  return [
    '<?xml version="1.0" encoding="UTF-8"?>',
    `<testsuites name="${escape(all.length === 1 ? all[0]!.project : 'ferrule')}" ${figures(suites.flatMap((s) => s.cases))}>`,
    ...suites.flatMap((s) => [
      `  <testsuite name="${escape(`${s.project} ${s.kind}`)}" ${figures(s.cases)}>`,
      ...s.cases.map((c) => caseXml(s.project, s.kind, c)),
      '  </testsuite>',
    ]),
    '</testsuites>',
    '',
  ].join('\n');
}

function figures(cases: readonly Case[]): string {
  const count = (word: Verdict['word']) => cases.filter((c) => c.verdict.word === word).length;
  const time = cases.reduce((n, c) => n + c.time, 0).toFixed(3);
  return `tests="${cases.length}" failures="${count('FAILED')}" errors="0" skipped="${count('OPEN')}" time="${time}"`;
}

function caseXml(project: string, kind: string, c: Case): string {
  const head = `    <testcase classname="${escape(project)}" name="${escape(c.name)}" time="${c.time.toFixed(3)}"`;
  if (c.verdict.word === 'OPEN') return `${head}><skipped message="${escape(c.line)}"/></testcase>`;
  if (c.verdict.word === 'ok') return `${head}/>`;
  return `${head}><failure type="${escape(kind)}" message="${escape(c.line)}">${escape(c.line)}</failure></testcase>`;
}
