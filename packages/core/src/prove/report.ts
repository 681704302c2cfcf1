/** Results of a proof as lines (cli.md), JUnit XML and a page to print. */
import type { CheckResult, Failure, ProofResult, RuleResult } from './play.js';

const seconds = (ns: bigint) => `${(Number(ns) / 1e9).toFixed(3)} s`;

function failureText(f: Failure): string {
  return `${f.row ? `row ${f.row}, ` : ''}scan ${f.scan}, ${seconds(f.timeNs)}: expected '${f.expected}', seen: ${f.seen}`;
}

export function checkLine(c: CheckResult): string {
  return c.ok ? `ok check ${c.name} (${seconds(c.timeNs)}, ${c.scans} scans)` : `FAILED check ${c.name}: ${failureText(c.failure!)}`;
}

/** Says the strength reached, never more: the rule was judged on the scans the checks played. */
export function ruleLine(r: RuleResult): string {
  if (r.problem) return `FAILED rule ${r.name}: ${r.problem}`;
  if (!r.ok) return `FAILED rule ${r.name}: in check ${r.failure!.check}, ${failureText(r.failure!)}`;
  return `ok rule ${r.name} (held on the ${r.scans} scans the checks played)`;
}

export function proofLines(p: ProofResult): string[] {
  const lines = [...p.checks.map(checkLine), ...p.rules.map(ruleLine)];
  const failed = [...p.checks, ...p.rules].filter((x) => !x.ok).length;
  return [...lines, `${p.checks.length + p.rules.length - failed} passed, ${failed} failed`];
}

const escape = (s: string) => s.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;').replaceAll('"', '&quot;');

/** JUnit XML: checks and rules as two suites. */
export function junitXml(p: ProofResult, project: string): string {
  const suite = (name: string, cases: readonly { name: string; ok: boolean; time: number; message: string }[]) => [
    `  <testsuite name="${escape(`${project} ${name}`)}" tests="${cases.length}" failures="${cases.filter((c) => !c.ok).length}">`,
    ...cases.map((c) => `    <testcase classname="${escape(project)}" name="${escape(c.name)}" time="${c.time.toFixed(3)}"${c.ok ? '/>' : `><failure message="${escape(c.message)}"/></testcase>`}`),
    '  </testsuite>',
  ];
  return ['<?xml version="1.0" encoding="UTF-8"?>', '<testsuites>',
    ...suite('sequence checks', p.checks.map((c) => ({ name: c.name, ok: c.ok, time: Number(c.timeNs) / 1e9, message: checkLine(c) }))),
    ...suite('interlock rules', p.rules.map((r) => ({ name: r.name, ok: r.ok, time: 0, message: ruleLine(r) }))),
    '</testsuites>', ''].join('\n');
}

/** A page to sign: project and revision hash, each result, what failed first. */
export function reportHtml(p: ProofResult, about: { readonly project: string; readonly hash: string }): string {
  const row = (x: { name: string; ok: boolean }, text: string) => `<tr><td class="${x.ok ? 'ok' : 'bad'}">${x.ok ? 'passed' : 'FAILED'}</td><td>${escape(x.name)}</td><td>${escape(text)}</td></tr>`;
  const all = [...p.checks.map((c) => ({ x: c, text: checkLine(c) })), ...p.rules.map((r) => ({ x: r, text: ruleLine(r) }))].sort((a, b) => Number(a.x.ok) - Number(b.x.ok));
  const failed = all.filter((a) => !a.x.ok).length;
  return `<!doctype html><html lang="en"><meta charset="utf-8"><title>${escape(about.project)}: proof</title>
<style>@page{size:A4;margin:18mm}body{font:11pt/1.4 Inter,sans-serif;color:#231d17}table{border-collapse:collapse;width:100%}td{border-bottom:1px solid #d8cfc0;padding:3pt 6pt;vertical-align:top}.bad{color:#b3261e;font-weight:600}.ok{color:#2e6b4a}p.sign{margin-top:24mm;display:flex;gap:20mm}p.sign span{border-top:1px solid;flex:1;padding-top:2mm}code{font-family:monospace}</style>
<h1>${escape(about.project)}</h1><p>Project hash <code>${about.hash}</code>. ${all.length - failed} passed, ${failed} failed. Rules were judged on the scans the checks played.</p>
<table>${all.map((a) => row(a.x, a.text)).join('')}</table><p class="sign"><span>Date</span><span>Tested by</span><span>Accepted by</span></p></html>
`;
}
