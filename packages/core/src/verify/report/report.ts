/** A report of checks and rules as pages to sign. */
import Mustache from 'mustache';
import { many, sameName } from '../../language/words.js';
import type { Project, SequenceCheck } from '../../document/document.js';
import type { ProofResult } from '../play/play.js';
import { rulesOf } from '../play/plan.js';
import { checkRuns } from '../../document/check-rows.js';
import { type Mutant, mutantLine } from '../mutate/mutate.js';
import { type Reach, neverReached } from '../search/reach.js';
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
} from '../play/verdict.js';
import { PAGE, PARTIALS } from './template.js';

const seconds = (ns: bigint) => `${(Number(ns) / 1e9).toFixed(3)} s`;
const upper = (s: string): string => `${s.charAt(0).toUpperCase()}${s.slice(1)}`;
/** As text between tags and in attributes. */
const escape = (value: unknown): string =>
  String(value).replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;').replaceAll('"', '&quot;');

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

/** `2026-11-29 15:20`. */
const minute = (iso: string): string => iso.slice(0, 16).replace('T', ' ');

interface List {
  readonly items: readonly string[];
  readonly isLong: boolean;
}
/** Undefined where it is empty: then nothing stands there, not even its heading. */
const list = (items: readonly string[]): List | undefined =>
  items.length ? { items, isLong: items.length > 12 } : undefined;
const counted = (items: readonly string[], of: number) =>
  items.length ? { n: items.length, of, list: list(items) } : undefined;
const mark = ({ word }: Verdict) => ({
  tone: word === 'ok' ? 'ok' : 'bad',
  word: { ok: 'passed', FAILED: 'FAILED', OPEN: 'open' }[word],
});

/** Who, for whom, which versions, when. */
function headRows(about: ReportFacts): { what: string; is: string }[] {
  const { project } = about;
  const proved =
    about.proofAt !== undefined ? moment(about.proofAt) : about.hasProof ? moment(about.at) : 'not on this revision';
  return [
    { what: 'Project', is: project.name },
    ...(project.bench?.facts ?? []).filter((f) => f.text.trim()).map((f) => ({ what: f.name, is: f.text })),
    ...(about.by ? [{ what: 'Made by', is: about.by }] : []),
    { what: 'Logic', is: `${about.revision === undefined ? '' : `revision ${about.revision}, `}hash ${about.hash}` },
    { what: 'Ferrule', is: `version ${about.ferrule}` },
    { what: 'Checks played', is: moment(about.at) },
    { what: 'Rules proved', is: proved },
  ];
}

/** What has to be known first: what failed, what is open, what is forced, what is not proved, what is assumed. */
function firstOf(p: ProofResult, about: ReportFacts, strengthsOf: (id: string) => Strengths, count: number) {
  const { project } = about;
  const withWord = (word: Verdict['word']) => [
    ...p.checks.filter((c) => checkVerdict(c).word === word).map((c) => checkLine(c)),
    ...p.rules
      .filter((r) => ruleVerdict(r, strengthsOf(r.id)).word === word)
      .map((r) => ruleLine(r, strengthsOf(r.id))),
  ];
  const broken = withWord('FAILED'),
    open = withWord('OPEN');
  const forced = project.checks.flatMap((c) => {
    const tags = c.rows.flatMap((r) => (r.do ?? []).flatMap((d) => /^\s*force\s+(\S+)/i.exec(d)?.[1] ?? []));
    return tags.length ? [`${c.name} forces ${[...new Set(tags)].join(', ')}`] : [];
  });
  const wrong = (project.bench?.points ?? []).filter((x) => x.found !== 'right');
  const assumed = project.rules.filter((r) => r.assumed),
    others = p.rules.filter((r) => !assumed.some((x) => x.id === r.id)),
    unproved = others.filter((r) => strengthsOf(r.id).proof?.strength !== 'proved');
  const proof = (rules: typeof others) =>
    list(rules.map((r) => `${r.name}: ${strengthsOf(r.id).proof?.words ?? 'no proof was run.'}`));
  return {
    broken: counted(broken, count),
    open: counted(open, count),
    passed: broken.length || open.length ? undefined : String(count),
    wrong: list(wrong.map((x) => `${x.tag}: ${x.found}${x.note ? `, ${x.note}` : ''}`)),
    forced: list(forced),
    isUnproved: !about.hasProof,
    unproved: about.hasProof ? proof(unproved) : undefined,
    proved: about.hasProof && !unproved.length ? proof(others) : undefined,
    assumed: list(assumed.map((r) => `${r.name}: ${r.sentence}`)),
  };
}

function ruleRows(p: ProofResult, project: Project, strengthsOf: (id: string) => Strengths) {
  const isAssumed = new Set(project.rules.filter((r) => r.assumed).map((r) => r.id)),
    written = rulesOf(project);
  return p.rules.map((r) => {
    const s = strengthsOf(r.id),
      v = ruleVerdict(r, s);
    const played = r.scans ? `Held on the ${many(r.scans, 'scan')} that the checks played.` : 'No check played it.';
    const reached = [
      r.ok ? played : upper(v.words),
      s.search ? `${upper(s.search.words)}.` : '',
      s.proof?.words ?? '',
      ...(s.proof?.inputs ?? []),
    ].filter(Boolean);
    return {
      isAssumed: isAssumed.has(r.id),
      mark: mark(v),
      name: r.name,
      sentence: written.find((x) => x.id === r.id)?.sentence ?? '',
      reached: reached.map((words, i) => ({ words, isFirst: i === 0 })),
    };
  });
}

function checkRows(p: ProofResult, project: Project) {
  const runs = checkRuns(project);
  return p.checks.map((c) => {
    const run = runs.find((x) => x.check.id === c.id && x.run === c.run);
    return {
      mark: mark(checkVerdict(c)),
      name: c.name,
      time: seconds(c.timeNs),
      scans: many(c.scans, 'scan'),
      meaning: run ? checkMeaning(run.check) : '',
      failure: c.failure ? failureText(c.failure) : '',
      rows: (run?.rows ?? []).map(({ row, of }, i) => ({
        tone: c.rows[i]?.status === 'failed' ? 'bad' : '',
        from: of === run?.check ? '' : of.name,
        when: row.when ?? 'at once',
        does: (row.do ?? []).join('; '),
        expects: (row.expect ?? []).join('; '),
        seen: c.rows[i]?.seen ?? '',
      })),
    };
  });
}

function reachOfChecks({ reach }: ReportFacts) {
  if (!reach) return undefined;
  const { contacts, rungs, steps, branches } = reach.figures;
  const figures = [
    { words: 'contacts, both ways', ...contacts },
    { words: 'rungs powered', ...rungs },
    { words: 'steps entered', ...steps },
    { words: 'branches taken', ...branches },
  ];
  const never = [
    ...reach.steps.filter((x) => !x.entered).map((x) => `${x.tag} never was ${x.value}`),
    ...reach.rungs.flatMap((x) => {
      const words = neverReached(x);
      return words ? [`${x.pou} rung ${x.number}: ${words}`] : [];
    }),
  ];
  return { figures: figures.filter((f) => f.of), never: list(never) };
}

/** What was found at each input and output, where somebody has looked. */
function checkoutOf({ tags, bench }: Project) {
  const known = new Map((bench?.points ?? []).map((x) => [x.tag.toLowerCase(), x]));
  if (!known.size) return undefined;
  const points = tags.filter((t) => /^%[IQ]/i.test(t.address ?? ''));
  return {
    right: [...known.values()].filter((x) => x.found === 'right').length,
    points: many(points.length, 'point'),
    rows: points.map((t) => {
      const x = known.get(t.name.toLowerCase());
      return {
        name: t.name,
        address: t.address ?? '',
        tone: x ? (x.found === 'right' ? 'ok' : 'bad') : '',
        found: x ? `${x.found}${x.note ? `: ${x.note}` : ''}` : 'not tried',
        by: x?.by ?? '',
        when: x ? `${minute(x.at)}, at the ${x.where}` : '',
      };
    }),
  };
}

/** Inputs that come from another program and outputs that go to it. */
function outsideOf({ outside, tags }: Project) {
  if (!outside?.isOn || !outside.items.length) return undefined;
  const isInput = (path: string) =>
    /^%I/i.test(tags.find((t) => sameName(t.name, path.split(/[.[]/)[0]!))?.address ?? '');
  return {
    protocol: outside.protocol === 'opcua' ? 'OPC UA' : 'Modbus TCP',
    address: outside.address,
    rows: outside.items.map(({ path, item, fallback }) => ({
      path,
      way: isInput(path) ? 'from' : 'to',
      item,
      fallback: isInput(path) ? (fallback ?? 'off') : '',
    })),
  };
}

const msText = (ms: number): string => (ms < 100 ? `${Number(ms.toFixed(1))} ms` : `${(ms / 1000).toFixed(2)} s`);
/** How long cycles and steps took in runs that were kept for the report. */
function timingsOf({ bench }: Project) {
  const runs = bench?.timings ?? [];
  if (!runs.length) return undefined;
  return {
    kept: runs.map((k) => ({
      name: k.name,
      kept: `${minute(k.at)} UTC${k.revision === undefined ? '' : `, revision ${k.revision}`}`,
      cycles: many(k.cycles, 'cycle'),
      smallest: msText(k.smallest),
      median: msText(k.median),
      largest: msText(k.largest),
      isPlanned: k.steps.some((s) => s.expected !== undefined),
      steps: k.steps.map((s) => ({
        step: s.name,
        shortest: msText(s.smallest),
        middle: msText(s.median),
        tone: s.expected !== undefined && s.median > s.expected ? 'bad' : '',
        longest: msText(s.largest),
        meant: s.expected === undefined ? '' : msText(s.expected),
        share: Math.round(s.share * 100),
      })),
    })),
  };
}

/** What a project's controller tells of itself. */
function controllerOf(c: ControllerRecord | 'no answer' | undefined, hash: string) {
  if (!c) return undefined;
  if (c === 'no answer') return { words: 'The controller did not answer when this report was made', hash: '' };
  const { kept } = c;
  const isSame = kept?.hash === hash;
  const keeps = !kept
    ? 'keeps no program'
    : isSame
      ? `keeps this program, rev ${kept.revision}`
      : `keeps another program than this: ${kept.project}, rev ${kept.revision}`;
  const rows = c.events.map((e) => ({
    when: new Date(e.at).toISOString().slice(0, 19).replace('T', ' '),
    what: e.kind,
    said: e.words,
  }));
  return {
    words: `${c.name} ${keeps}`,
    hash: kept && !isSame ? kept.hash.slice(0, 16) : '',
    events: rows.length ? { rows } : undefined,
  };
}

/**
 * Pages to sign, A4 with numbers: what has to be known first (what failed, what is forced, what is not proved), then
 * each check row by row, each rule with the strength it reached, what the checks reach, and lines to sign on.
 */
export function reportHtml(p: ProofResult, about: ReportFacts): string {
  const { project, changes, modbus = [] } = about,
    strengthsOf = (id: string): Strengths => about.strengths?.get(id) ?? {};
  const totals = totalsOf(p, about.strengths);
  const [head, ...numbers] = modbus;
  const page = {
    name: project.name,
    footName: cssText(project.name),
    footHash: about.hash.slice(0, 16),
    totals: totalsLine(totals),
    head: headRows(about),
    ...firstOf(p, about, strengthsOf, totals.passed + totals.failed + totals.open),
    rules: ruleRows(p, project, strengthsOf),
    reach: reachOfChecks(about),
    changes: changes && {
      noticed: changes.tried - changes.missed.length,
      tried: changes.tried,
      missed: list(changes.missed.map(mutantLine)),
    },
    checkout: checkoutOf(project),
    checks: checkRows(p, project),
    timings: timingsOf(project),
    modbus: head && numbers.length ? { head, rows: numbers } : undefined,
    outside: outsideOf(project),
    controller: controllerOf(about.controller, about.hash),
  };
  return Mustache.render(PAGE, page, PARTIALS, { escape });
}
