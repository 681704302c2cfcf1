/**
 * The verdict on each check and rule: one of three words, and why, made here and nowhere else. List, summary, report,
 * JUnit, exit code and `--json` all speak from it.
 *
 * Verdicts (`verify/play/verdict`): `ok`, `FAILED` or `OPEN` and why, made there and nowhere else, from what was played
 * (`RuleResult`), searched and proved (`Strengths`). List, summary, first page of the report, JUnit, `--json` and exit
 * code all ask it. That nothing faults is a rule of every project (`rulesOf`).
 */
import type { CheckResult, Failure, ProofResult, RuleResult } from './play.js';

/** ok: it stands. FAILED: it does not. OPEN: nobody knows yet. */
export type VerdictWord = 'ok' | 'FAILED' | 'OPEN';
export interface Verdict {
  readonly word: VerdictWord;
  /** Why, and within which bounds; no more than is true. */
  readonly words: string;
}

/**
 * How far a proof came. proved: for all inputs, or with the assumptions named, from a cold start and after warm
 * restarts. cold: the same, but not after warm restarts. failed: it breaks without any input, or the machine model
 * gives inputs that break it. broken: inputs alone break it. open: neither; the words say why. unable: the logic cannot
 * be followed.
 */
export type ProofStrength = 'proved' | 'cold' | 'failed' | 'broken' | 'open' | 'unable';

/** What is known of a rule beyond the checks: how a search and a proof ended. */
export interface Strengths {
  readonly proof?: { readonly strength: ProofStrength; readonly words: string; readonly inputs?: readonly string[] };
  readonly search?: {
    readonly words: string;
    readonly isBroken: boolean;
    /** Scans on which it was judged. */ readonly scans: number;
    readonly rows?: readonly string[];
  };
}

const seconds = (ns: bigint) => `${(Number(ns) / 1e9).toFixed(3)} s`;
const lower = (s: string): string => `${s.charAt(0).toLowerCase()}${s.slice(1).replace(/\.$/, '')}`;

export function failureText(f: Failure): string {
  return `${f.row ? `row ${f.row}${f.of ? ` of '${f.of}'` : ''}, ` : ''}scan ${f.scan}, ${seconds(f.timeNs)}: expected '${f.expected}', seen: ${f.seen}`;
}

export function checkVerdict(c: CheckResult): Verdict {
  if (c.open !== undefined) return { word: 'OPEN', words: c.open };
  return c.ok
    ? { word: 'ok', words: `${seconds(c.timeNs)}, ${c.scans} scans` }
    : { word: 'FAILED', words: failureText(c.failure!) };
}

/**
 * A rule that breaks anywhere that it can be judged has failed; one that nothing has looked at, or of which a proof was
 * asked in vain, is open.
 */
export function ruleVerdict(r: RuleResult, { proof, search }: Strengths = {}): Verdict {
  if (r.problem) return { word: 'FAILED', words: r.problem };
  if (!r.ok) return { word: 'FAILED', words: `in check ${r.failure!.check}, ${failureText(r.failure!)}` };
  if (search?.isBroken)
    return { word: 'FAILED', words: `${search.words}${search.rows?.length ? `: ${search.rows.join('; ')}` : ''}` };
  if (proof?.strength === 'failed')
    return {
      word: 'FAILED',
      words: `${lower(proof.words)}${proof.inputs?.length ? `: ${proof.inputs.join('; ')}` : ''}`,
    };
  const held = r.scans ? [`held on ${r.scans} scans`] : [],
    looked = search ? [search.words] : [];
  if (proof?.strength === 'proved') return { word: 'ok', words: [lower(proof.words), ...held, ...looked].join('; ') };
  if (proof) return { word: 'OPEN', words: [lower(proof.words), ...held, ...looked].join('; ') };
  if (r.scans || search?.scans) return { word: 'ok', words: [...held, ...looked].join('; ') };
  return { word: 'OPEN', words: ['no check played it', ...looked].join('; ') };
}

/** A line of `ferrule verify` (cli.md). */
const line = (kind: 'check' | 'rule', name: string, v: Verdict): string =>
  v.word === 'ok' ? `ok ${kind} ${name} (${v.words})` : `${v.word} ${kind} ${name}: ${v.words}`;
export const checkLine = (c: CheckResult): string => line('check', c.name, checkVerdict(c));
export const ruleLine = (r: RuleResult, more: Strengths = {}): string => line('rule', r.name, ruleVerdict(r, more));

export interface Totals {
  readonly passed: number;
  readonly failed: number;
  readonly open: number;
}
export function totalsOf(p: ProofResult, more: ReadonlyMap<string, Strengths> = new Map()): Totals {
  const all = [...p.checks.map(checkVerdict), ...p.rules.map((r) => ruleVerdict(r, more.get(r.id)))];
  const count = (word: VerdictWord) => all.filter((v) => v.word === word).length;
  return { passed: count('ok'), failed: count('FAILED'), open: count('OPEN') };
}
export const totalsLine = (t: Totals): string => `${t.passed} passed, ${t.failed} failed, ${t.open} open`;

/** One line each, and their sum. */
export function proofLines(p: ProofResult, more: ReadonlyMap<string, Strengths> = new Map()): string[] {
  return [
    ...p.checks.map(checkLine),
    ...p.rules.map((r) => ruleLine(r, more.get(r.id))),
    totalsLine(totalsOf(p, more)),
  ];
}

/** The same as data. */
export function verdictsAsData(p: ProofResult, more: ReadonlyMap<string, Strengths> = new Map()): unknown {
  return {
    checks: p.checks.map((c) => ({
      name: c.name,
      ...(c.run === undefined ? {} : { run: c.run }),
      verdict: checkVerdict(c).word,
      words: checkVerdict(c).words,
      scans: c.scans,
      time_ms: Number(c.timeNs) / 1e6,
      ...(c.failure ? { failure: failureAsData(c.failure) } : {}),
    })),
    rules: p.rules.map((r) => {
      const s = more.get(r.id) ?? {},
        v = ruleVerdict(r, s);
      return {
        name: r.name,
        verdict: v.word,
        words: v.words,
        scans: r.scans,
        ...(r.failure ? { failure: { check: r.failure.check, ...failureAsData(r.failure) } } : {}),
        ...(s.search ? { search: s.search } : {}),
        ...(s.proof
          ? {
              proof: {
                strength: s.proof.strength,
                scope: s.proof.words,
                ...(s.proof.inputs ? { inputs: s.proof.inputs } : {}),
              },
            }
          : {}),
      };
    }),
    totals: totalsOf(p, more),
  };
}
const failureAsData = (f: Failure) => ({
  ...(f.row ? { row: f.row } : {}),
  scan: f.scan,
  time_ms: Number(f.timeNs) / 1e6,
  expected: f.expected,
  seen: f.seen,
});
