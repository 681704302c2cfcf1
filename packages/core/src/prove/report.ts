/** A report of checks and rules as pages to sign. */
import { many } from '../language/words.js';
import type { Project, SequenceCheck } from '../project/document.js';
import type { ProofResult } from './play.js';
import { rulesOf } from './plan.js';
import { checkRuns } from './runs.js';
import { type Mutant, mutantLine } from './mutate.js';
import { type Reach, neverReached } from './reach.js';
import {
  type Strengths,
  type Verdict,
  checkLine,
  checkVerdict,
  failureText,
  ruleLine,
  ruleVerdict,
  totalsLine,
  totalsOf,
} from './verdict.js';

const seconds = (ns: bigint) => `${(Number(ns) / 1e9).toFixed(3)} s`;
const upper = (s: string): string => `${s.charAt(0).toUpperCase()}${s.slice(1)}`;
const escape = (s: string) =>
  s.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;').replaceAll('"', '&quot;');

/** Characters of a string in a style sheet, none of which can end it. */
const cssText = (s: string) => s.replace(/[^\w .,-]/gu, (c) => `\\${c.codePointAt(0)!.toString(16)} `);

/** Small changes to the logic that were tried, and those that no check noticed. */
export interface ChangesTried {
  readonly tried: number;
  readonly missed: readonly Mutant[];
  /** Changes that there was no time for. */ readonly notTried?: number;
}

export interface ReportFacts {
  readonly project: Project;
  /** Of the project as it was played. */
  readonly hash: string;
  readonly revision?: number;
  /** Version of Ferrule that played the checks. */ readonly ferrule: string;
  /** When the checks were played: ms since 1970. */ readonly at: number;
  /** When the rules were proved, if they were. */ readonly proofAt?: number;
  /** Who made the report. */ readonly by?: string;
  readonly reach?: Pick<Reach, 'figures' | 'rungs' | 'steps'>;
  readonly strengths?: ReadonlyMap<string, Strengths>;
  /** What the checks noticed of changed logic, where that was tried. */
  readonly changes?: ChangesTried;
  /** Whether a proof was run on exactly this project. */
  readonly hasProof?: boolean;
  /** Which Modbus number is which point; the first row names the columns. */
  readonly modbus?: readonly (readonly string[])[];
  /** What the controller keeps and what happened there, newest first; that it did not answer. */
  readonly controller?: ControllerRecord | 'no answer';
}

export interface ControllerRecord {
  readonly name: string;
  /** The program that it keeps. */
  readonly kept?: { readonly project: string; readonly revision: number; readonly hash: string };
  /** `at` in ms since 1970. */
  readonly events: readonly { readonly at: number; readonly kind: string; readonly words: string }[];
}

/** `2026-11-29 15:20 UTC`. */
const moment = (at: number): string => `${new Date(at).toISOString().slice(0, 16).replace('T', ' ')} UTC`;

const PLACEHOLDER = /^(New check|New rule|Recorded)( \d+)?$/i;
/** Whether a check or rule still has the name that it was made with, which says nothing to whoever reads a report. */
export const isMadeName = (name: string): boolean => PLACEHOLDER.test(name.trim());

/** Rows that a sentence tells before it only counts. */
const TOLD_ROWS = 3;
/** What a check means in a sentence: its note, or what its rows do and expect. */
export function checkMeaning(c: Pick<SequenceCheck, 'note' | 'rows'>): string {
  if (c.note?.trim()) return c.note.trim();
  const parts = c.rows.flatMap((r) => {
    const does = (r.do ?? []).join(' and '),
      expects = (r.expect ?? []).join(' and ');
    const words = [does, expects && `${does ? 'then ' : ''}${expects}`].filter(Boolean).join(', ');
    return words ? [`${r.when ? `${r.when} ` : ''}${words}`] : [];
  });
  if (!parts.length) return 'It has no row that does or expects anything.';
  const rest = parts.length - TOLD_ROWS;
  return `${upper(parts.slice(0, TOLD_ROWS).join('; '))}${rest > 0 ? `; and ${rest} more ${rest === 1 ? 'row' : 'rows'}` : ''}.`;
}

/** Who, for whom, which versions, when. */
function headTable(about: ReportFacts): string {
  const { project } = about;
  const rows: [string, string][] = [
    ['Project', project.name],
    ...(project.bench?.facts ?? []).filter((f) => f.text.trim()).map((f): [string, string] => [f.name, f.text]),
    ...(about.by ? [['Made by', about.by] as [string, string]] : []),
    ['Logic', `${about.revision === undefined ? '' : `revision ${about.revision}, `}hash ${about.hash}`],
    ['Ferrule', `version ${about.ferrule}`],
    ['Checks played', moment(about.at)],
    [
      'Rules proved',
      about.proofAt === undefined
        ? about.hasProof
          ? moment(about.at)
          : 'not on this revision'
        : moment(about.proofAt),
    ],
  ];
  return `<table class="head">${rows.map(([name, text]) => `<tr><th>${escape(name)}</th><td>${escape(text)}</td></tr>`).join('')}</table>`;
}

/** Inputs that come from another program and outputs that go to it. */
function outsideTable({ outside: o, tags }: Project): string {
  if (!o?.isOn || !o.items.length) return '';
  const isInput = (path: string) =>
    /^%I/i.test(tags.find((t) => t.name.toLowerCase() === path.split(/[.[]/)[0]!.toLowerCase())?.address ?? '');
  const rows = o.items.map(
    (x) =>
      `<tr><td>${escape(x.path)}</td><td>${isInput(x.path) ? 'from' : 'to'}</td><td><code>${escape(x.item)}</code></td><td>${isInput(x.path) ? escape(x.fallback ?? 'off') : ''}</td></tr>`,
  );
  return `<section id="outside"><h2>Outside I/O</h2><p>${o.protocol === 'opcua' ? 'OPC UA' : 'Modbus TCP'}, <code>${escape(o.address)}</code>. In checks and proofs these inputs are as they are set there; the machine model does not give them.</p><table><tr><th>Tag</th><th></th><th>Item</th><th>Fallback</th></tr>${rows.join('')}</table></section>`;
}

function modbusTable([head, ...rows]: readonly (readonly string[])[] = []): string {
  if (!head || !rows.length) return '';
  const line = (cells: readonly string[], of: 'th' | 'td') =>
    `<tr>${cells.map((c) => `<${of}>${escape(c)}</${of}>`).join('')}</tr>`;
  return `<section id="modbus"><h2>Over Modbus TCP</h2><table>${line(head, 'th')}${rows.map((r) => line(r, 'td')).join('')}</table></section>`;
}

const msText = (ms: number): string => (ms < 100 ? `${Number(ms.toFixed(1))} ms` : `${(ms / 1000).toFixed(2)} s`);
/** How long cycles and steps took in runs that were kept for the report. */
function timingTables({ bench }: Project): string {
  const kept = bench?.timings ?? [];
  if (!kept.length) return '';
  const tables = kept.map((k) => {
    const isPlanned = k.steps.some((s) => s.expected !== undefined);
    const rows = k.steps.map(
      (s) =>
        `<tr><td>${escape(s.name)}</td><td>${msText(s.smallest)}</td><td class="${s.expected !== undefined && s.median > s.expected ? 'bad' : ''}">${msText(s.median)}</td><td>${msText(s.largest)}</td>${isPlanned ? `<td>${s.expected === undefined ? '' : msText(s.expected)}</td>` : ''}<td>${Math.round(s.share * 100)} %</td></tr>`,
    );
    return `<h3>${escape(k.name)} <small>kept ${escape(k.at.slice(0, 16).replace('T', ' '))} UTC${k.revision === undefined ? '' : `, revision ${k.revision}`}</small></h3><p>${many(k.cycles, 'cycle')}: ${msText(k.smallest)} shortest, ${msText(k.median)} median, ${msText(k.largest)} longest, in simulated time.</p><table><tr><th>Step</th><th>Shortest</th><th>Median</th><th>Longest</th>${isPlanned ? '<th>Meant</th>' : ''}<th>Share</th></tr>${rows.join('')}</table>`;
  });
  return `<section id="timing"><h2>Timing</h2>${tables.join('')}</section>`;
}

/** What a project's controller tells of itself. */
function atController(c: ControllerRecord | 'no answer' | undefined, hash: string): string {
  if (!c) return '';
  if (c === 'no answer')
    return '<section><h2>At the controller</h2><p>The controller did not answer when this report was made.</p></section>';
  const { kept } = c;
  const keeps = !kept
    ? 'keeps no program'
    : kept.hash === hash
      ? `keeps this program, rev ${kept.revision}`
      : `keeps another program than this: ${escape(kept.project)}, rev ${kept.revision}, hash <code>${escape(kept.hash.slice(0, 16))}</code>`;
  const rows = c.events
    .map(
      (e) =>
        `<tr><td>${new Date(e.at).toISOString().slice(0, 19).replace('T', ' ')}</td><td>${escape(e.kind)}</td><td>${escape(e.words)}</td></tr>`,
    )
    .join('');
  return `<section><h2>At the controller</h2><p>${escape(c.name)} ${keeps}.</p>${rows ? `<table><tr><th>When (UTC)</th><th>What</th><th></th></tr>${rows}</table>` : ''}</section>`;
}

/**
 * Pages to sign, A4 with numbers: what has to be known first (what failed, what is forced, what is not proved), then
 * each check row by row, each rule with the strength it reached, what the checks reach, and lines to sign on.
 */
export function reportHtml(p: ProofResult, about: ReportFacts): string {
  const { project, reach } = about,
    more = (id: string): Strengths => about.strengths?.get(id) ?? {};
  const assumed = project.rules.filter((r) => r.assumed),
    isAssumed = new Set(assumed.map((r) => r.id));
  const totals = totalsOf(p, about.strengths),
    count = totals.passed + totals.failed + totals.open;
  const withWord = (word: Verdict['word']) => [
    ...p.checks.filter((c) => checkVerdict(c).word === word).map((c) => checkLine(c)),
    ...p.rules.filter((r) => ruleVerdict(r, more(r.id)).word === word).map((r) => ruleLine(r, more(r.id))),
  ];
  const broken = withWord('FAILED'),
    open = withWord('OPEN');
  const forces = project.checks.flatMap((c) => {
    const tags = [
      ...new Set(c.rows.flatMap((r) => (r.do ?? []).flatMap((d) => /^\s*force\s+(\S+)/i.exec(d)?.[1] ?? []))),
    ];
    return tags.length ? [`${c.name} forces ${tags.join(', ')}`] : [];
  });
  const unproved = p.rules.filter((r) => !isAssumed.has(r.id) && more(r.id).proof?.strength !== 'proved');
  const list = (items: readonly string[]) =>
    `<ul${items.length > 12 ? ' class="many"' : ''}>${items.map((x) => `<li>${escape(x)}</li>`).join('')}</ul>`;
  const first = [
    broken.length ? `<h2 class="bad">${broken.length} of ${count} failed</h2>${list(broken)}` : '',
    open.length ? `<h2 class="bad">${open.length} of ${count} open</h2>${list(open)}` : '',
    broken.length || open.length ? '' : `<h2 class="ok">All ${count} passed</h2>`,
    (() => {
      const wrong = (project.bench?.points ?? []).filter((x) => x.found !== 'right');
      return wrong.length
        ? `<h3 class="bad">Found wrong at the I/O</h3>${list(wrong.map((x) => `${x.tag}: ${x.found}${x.note ? `, ${x.note}` : ''}`))}`
        : '';
    })(),
    forces.length
      ? `<h3>Forced while checks played</h3>${list(forces)}`
      : '<p>Nothing was forced while the checks played.</p>',
    !about.hasProof
      ? '<p><b>No proof was run on this revision:</b> rules were judged on the scans that were played only.</p>'
      : unproved.length
        ? `<h3 class="bad">Not proved</h3>${list(unproved.map((r) => `${r.name}: ${more(r.id).proof?.words ?? 'no proof was run.'}`))}`
        : `<h3 class="ok">Every rule is proved, each within these bounds</h3>${list(p.rules.filter((r) => !isAssumed.has(r.id)).map((r) => `${r.name}: ${more(r.id).proof!.words}`))}`,
    assumed.length ? `<h3>Assumed about the machine</h3>${list(assumed.map((r) => `${r.name}: ${r.sentence}`))}` : '',
  ].join('');
  const runs = checkRuns(project);
  const mark = ({ word }: Verdict) =>
    `<span class="${word === 'ok' ? 'ok' : 'bad'}">${{ ok: 'passed', FAILED: 'FAILED', OPEN: 'open' }[word]}</span>`;
  const checks = p.checks
    .map((c) => {
      const run = runs.find((x) => x.check.id === c.id && x.run === c.run),
        rows = run?.rows ?? [];
      return `<section class="check"><h3>${mark(checkVerdict(c))} ${escape(c.name)} <small>${seconds(c.timeNs)}, ${many(c.scans, 'scan')}</small></h3>${run ? `<p>${escape(checkMeaning(run.check))}</p>` : ''}${c.failure ? `<p class="bad">${escape(failureText(c.failure))}</p>` : ''}<table><tr><th>When</th><th>Do</th><th>Expect</th><th>Seen</th></tr>${rows
        .map(({ row: r, of }, i) => {
          const seen = c.rows[i];
          return `<tr class="${seen?.status === 'failed' ? 'bad' : ''}"><td>${of === run?.check ? '' : `<small>${escape(of.name)}</small> `}${escape(r.when ?? 'at once')}</td><td>${escape((r.do ?? []).join('; '))}</td><td>${escape((r.expect ?? []).join('; '))}</td><td>${escape(seen?.seen ?? '')}</td></tr>`;
        })
        .join('')}</table></section>`;
    })
    .join('');
  const rules = `<table><tr><th></th><th>Rule</th><th>Strength reached</th></tr>${p.rules
    .map((r) => {
      const s = more(r.id),
        v = ruleVerdict(r, s);
      const sentence = rulesOf(project).find((x) => x.id === r.id)?.sentence ?? '';
      const reached = [
        r.ok
          ? r.scans
            ? `Held on the ${many(r.scans, 'scan')} that the checks played.`
            : 'No check played it.'
          : upper(v.words),
        s.search ? `${upper(s.search.words)}.` : '',
        s.proof?.words ?? '',
        ...(s.proof?.inputs ?? []),
      ];
      return `<tr><td>${isAssumed.has(r.id) ? 'assumed, ' : ''}${mark(v)}</td><td><b>${escape(r.name)}</b><br>${escape(sentence)}</td><td>${reached.filter(Boolean).map(escape).join('<br>')}</td></tr>`;
    })
    .join('')}</table>`;
  const never = reach
    ? [
        ...reach.steps.filter((x) => !x.entered).map((x) => `${x.tag} never was ${x.value}`),
        ...reach.rungs.flatMap((x) => {
          const words = neverReached(x);
          return words ? [`${x.pou} rung ${x.number}: ${words}`] : [];
        }),
      ]
    : [];
  const figure = (words: string, f: { reached: number; of: number }) =>
    f.of ? `<td><b>${f.reached} of ${f.of}</b><br>${words}</td>` : '';
  const reached = reach
    ? `<section><h2>Reach</h2><table><tr>${figure('contacts, both ways', reach.figures.contacts)}${figure('rungs powered', reach.figures.rungs)}${figure('steps entered', reach.figures.steps)}${figure('branches taken', reach.figures.branches)}</tr></table>${never.length ? `<h3>Never exercised</h3>${list(never)}` : ''}</section>`
    : '';
  const { changes } = about;
  const noticed = changes
    ? `<section><h2>What the checks notice</h2><p><b>${changes.tried - changes.missed.length} of ${changes.tried}</b> small changes to the logic, made one at a time, are noticed by a check or a rule.</p>${changes.missed.length ? `<h3>Not noticed</h3>${list(changes.missed.map(mutantLine))}` : ''}</section>`
    : '';
  const points = project.tags.filter((t) => /^%[IQ]/i.test(t.address ?? '')),
    known = new Map((project.bench?.points ?? []).map((x) => [x.tag.toLowerCase(), x]));
  const tried = known.size
    ? `<section><h2>I/O checkout</h2><p>${[...known.values()].filter((x) => x.found === 'right').length} of ${many(points.length, 'point')} found right.</p><table><tr><th>Point</th><th>Address</th><th>Found</th><th>By</th><th>When</th></tr>${points
        .map((t) => {
          const x = known.get(t.name.toLowerCase());
          return `<tr><td>${escape(t.name)}</td><td>${escape(t.address ?? '')}</td><td class="${x ? (x.found === 'right' ? 'ok' : 'bad') : ''}">${x ? escape(`${x.found}${x.note ? `: ${x.note}` : ''}`) : 'not tried'}</td><td>${escape(x?.by ?? '')}</td><td>${x ? `${escape(x.at.slice(0, 16).replace('T', ' '))}, at the ${x.where}` : ''}</td></tr>`;
        })
        .join('')}</table></section>`
    : '';
  return `<!doctype html><html lang="en"><meta charset="utf-8"><title>${escape(project.name)}: report</title>
<style>@page{size:A4;margin:18mm 18mm 20mm;@bottom-left{content:"${cssText(project.name)} · ${about.hash.slice(0, 16)}";font:8pt sans-serif;color:#6b6157}@bottom-right{content:counter(page) " / " counter(pages);font:8pt sans-serif;color:#6b6157}}body{font:10pt/1.4 Inter,sans-serif;color:#231d17;max-width:190mm;margin:auto}h1{margin-bottom:0}h2{font-size:13pt;margin:6mm 0 2mm}h3{font-size:10.5pt;margin:4mm 0 1mm}small{font-weight:normal;color:#6b6157}table{border-collapse:collapse;width:100%}th{text-align:left;font-weight:600;color:#6b6157}td,th{border-bottom:1px solid #d8cfc0;padding:2pt 5pt;vertical-align:top}table.head{width:auto;margin-top:3mm}table.head td{overflow-wrap:anywhere}section.check,tr{break-inside:avoid}h2,h3,th{break-after:avoid}.check table{table-layout:fixed}.check th:nth-child(1){width:20%}.check th:nth-child(2){width:24%}.check th:nth-child(4){width:20%}ul.many{columns:2;column-gap:8mm}li{break-inside:avoid}.first{border:1px solid #d8cfc0;border-radius:3mm;padding:1mm 6mm 4mm;margin:5mm 0}.bad{color:#b3261e}.ok{color:#2e6b4a}ul{margin:1mm 0;padding-left:5mm}p.sign{margin-top:22mm;display:flex;gap:12mm;break-inside:avoid}p.sign span{border-top:1px solid;flex:1;padding-top:2mm}code{font-family:monospace;overflow-wrap:anywhere}</style>
<h1>${escape(project.name)}</h1><p>Report of checks and rules. ${totalsLine(totals)}.</p>${headTable(about)}
<div class="first">${first}</div><p class="sign"><span>Date</span><span>Tested by</span><span>Accepted by</span></p>
<h2>Interlock rules</h2>${rules}${reached}${noticed}${tried}<h2>Sequence checks</h2>${checks}${timingTables(project)}${modbusTable(about.modbus)}${outsideTable(project)}${atController(about.controller, about.hash)}</html>
`;
}
