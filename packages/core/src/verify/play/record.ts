/**
 * A stretch of a run as a sequence check: what a person did becomes rows, what tags did in answer becomes what is
 * expected. Proposed to be read and cut down, and it passes on the logic it was recorded from.
 */
import type { CheckRow, Project } from '../../document/document.js';
import type { History } from '../../runtime/history.js';
import { findPath, formatValue, readLocation } from '../../runtime/paths.js';
import { isBool, isReal, isTime } from '../../types/type.js';
import { Compiler } from '../../workspace/compile.js';
import { type Doing, doings, saidMs } from './doing.js';
import { planProof } from './plan.js';
import { prove } from './play.js';

/** What is asked of a recording: everything up to `to` is done, what `paths` do after `from` is expected (in scans). */
export interface Stretch {
  readonly from: number;
  readonly to: number;
  readonly paths: readonly string[];
}

/** What was done in this run up to a scan, as sentences of a Do. */
export const doneIn = (history: History, project: Project, to: number): readonly Doing[] =>
  doings(
    project,
    history.image,
    history.doneOutside().filter((e) => e.scan < to),
    Number(history.engine.stepNs) / 1e6,
  );

/** Rows for all that happened in a stretch, as it is. */
export function checkFromRun(
  history: History,
  project: Project,
  from: number,
  to: number,
  paths: readonly string[],
  newId: () => string,
): readonly CheckRow[] {
  return rowsFor(
    history,
    { from, to, paths },
    doneIn(history, project, to),
    changesOf(history, paths, from, to),
    newId,
  );
}

/** Things done are left out for a try as long as this many scans are enough for it; beyond it all are kept. */
const MOST_TRIED = 5_000_000;
/** A tag that changes more often than this for each thing done (a blinking lamp) is not what is expected of a doing. */
const RESTLESS = 6;

/**
 * A stretch of a run as a proposed check: what matters of it. Left out are things done that change nothing of what is
 * expected, tags that never changed or never came to rest, and expectations that do not hold when the check is played.
 * @returns rows that pass on the logic they come from, and how many things done were left out
 */
export function proposeCheck(
  history: History,
  project: Project,
  { from, to, paths }: Stretch,
  newId: () => string,
): { readonly rows: readonly CheckRow[]; readonly leftOut: number } {
  const done = doneIn(history, project, to),
    { stepNs } = history.engine,
    changes = changesOf(history, paths, from, to);
  // Inputs come to be what they are in the first scan: that is no change.
  const count = (path: string) => changes.filter((c) => c.path === path && c.scan > 1).length,
    most = RESTLESS * (done.length + 2);
  const steps = new Set(changes.filter((c) => c.isStep).map((c) => c.path));
  const telling = paths.filter((p) => {
      const n = count(p);
      return n > 0 && (steps.has(p) || n <= most);
    }),
    asked = { from, to, paths: telling.length ? telling : paths };
  const kept = changes.filter((c) => asked.paths.includes(c.path)),
    expected = (rows: readonly CheckRow[]) =>
      rows.reduce((n, r) => n + (r.expect?.length ?? 0) + (/^once/.test(r.when ?? '') ? 1 : 0), 0);
  const compiler = new Compiler();
  const make = (which: readonly Doing[]) =>
    thatPasses(project, rowsFor(history, asked, which, kept, newId), stepNs, compiler);
  let rows = make(done),
    left = done;
  // Nothing that is done is needed for nothing: the last things first, since they can only undo what came before.
  if (done.length * to <= MOST_TRIED)
    for (const d of [...done].reverse()) {
      const without = left.filter((x) => x !== d),
        tried = make(without);
      if (expected(tried) >= expected(rows)) {
        rows = tried;
        left = without;
      }
    }
  return { rows, leftOut: done.length - left.length };
}

/** What is proposed must hold on the logic it comes from: an expectation that does not, when played, is left out. */
function thatPasses(
  project: Project,
  rows: readonly CheckRow[],
  stepNs: bigint,
  compiler: Compiler,
): readonly CheckRow[] {
  let left = rows;
  for (let n = 0; n < 20; n++) {
    const check = prove(
      planProof(
        { ...project, checks: [{ id: 'recorded', name: 'recorded', rows: left }], rules: [] },
        project.name,
        compiler,
      ),
      { stepNs },
    ).checks[0];
    const at = check?.failure?.row ?? 0;
    if (!check || check.ok || !at) return left;
    const failed = left[at - 1]!,
      expect = (failed.expect ?? []).filter((e) => e !== check.failure!.expected);
    const { expect: _, ...rest } = failed;
    left = left.flatMap((r, i) =>
      i !== at - 1
        ? [r]
        : expect.length === (failed.expect ?? []).length
          ? failed.do
            ? [rest]
            : []
          : [{ ...rest, ...(expect.length ? { expect } : {}) }],
    );
  }
  return left;
}

/**
 * A run that went wrong as a check that fails: what was done before, and at the end of it what must not be, `path` as
 * it is there. It passes once the logic is mended. All that was done stays: what does nothing while the logic is wrong
 * may be what should have kept it from going wrong.
 * @returns an error where the check, played from the cold start, does not go wrong as the run did
 */
export function checkOfWrong(
  history: History,
  project: Project,
  { to, path }: { readonly to: number; readonly path: string },
  newId: () => string,
): { readonly rows: readonly CheckRow[] } | { readonly error: string } {
  const wrong = valueText(history, path, to);
  if (!wrong) return { error: `‘${path}’ has no value that a check can speak of.` };
  const mustBe = notSaid(path, wrong.text, wrong.isBool),
    { stepNs } = history.engine,
    stepMs = Number(stepNs) / 1e6,
    compiler = new Compiler();
  const make = (done: readonly Doing[], late: number): readonly CheckRow[] => {
    const rows: CheckRow[] = [];
    let at = 0;
    for (const scan of [...new Set(done.map((d) => d.scan))].sort((a, b) => a - b)) {
      rows.push({
        id: newId(),
        when: scan > at ? `after ${saidMs((scan - at) * stepMs)}` : 'at once',
        do: done.filter((d) => d.scan === scan).map((d) => d.text),
      });
      at = scan;
    }
    const rest = Math.max(0, to - at - late);
    return [...rows, { id: newId(), when: rest ? `after ${saidMs(rest * stepMs)}` : 'at once', expect: [mustBe] }];
  };
  /** It goes wrong where the last row says so, and nothing before. */
  const goesWrong = (rows: readonly CheckRow[]): boolean => {
    const check = prove(
      planProof({ ...project, checks: [{ id: 'wrong', name: 'wrong', rows }], rules: [] }, project.name, compiler),
      { stepNs },
    ).checks[0];
    return check !== undefined && !check.ok && check.failure?.row === rows.length;
  };
  const done = doneIn(history, project, to);
  // A row looks after the scan in which its time is over.
  const late = [1, 0].find((x) => goesWrong(make(done, x)));
  if (late === undefined)
    return {
      error: `Played from the cold start with what was done, it does not go wrong: ${mustBe} there. What is kept from an earlier run, or logic that was changed meanwhile, may be why; restart, do it again, and try from there.`,
    };
  return { rows: make(done, late) };
}

/** What tags are at a scan that may be what went wrong: `path` and how it is said. */
export function saidAt(
  history: History,
  paths: readonly string[],
  scan: number,
): readonly { readonly path: string; readonly said: string }[] {
  return paths.flatMap((path) => {
    const v = valueText(history, path, scan);
    return v ? [{ path, said: said(path, v.text, v.isBool) }] : [];
  });
}

/** What a tag is when the scan begins, as it is said. */
function saidBefore(history: History, path: string, scan: number): string | undefined {
  const v = valueText(history, path, scan);
  return v && said(path, v.text, v.isBool);
}

type Change = ReturnType<typeof changesOf>[number];

function rowsFor(
  history: History,
  { to, paths }: Stretch,
  done: readonly Doing[],
  changes: readonly Change[],
  newId: () => string,
): readonly CheckRow[] {
  const stepMs = Number(history.engine.stepNs) / 1e6;
  const moments = [
    ...new Set([...done.map((d) => d.scan), ...changes.filter((c) => c.isStep).map((c) => c.scan)]),
  ].sort((a, b) => a - b);
  const rows: CheckRow[] = [];
  /** The scan at which the rows so far are done. */
  let at = 0;
  for (const [i, scan] of moments.entries()) {
    const mine = done.filter((d) => d.scan === scan),
      next = moments[i + 1] ?? to;
    const step = mine.length ? undefined : changes.find((c) => c.isStep && c.scan === scan);
    const answers = new Map<string, Change>(),
      first = new Map<string, Change>();
    const nextIsStep = !done.some((d) => d.scan === next) && i + 1 < moments.length;
    for (const c of changes)
      if (!c.isStep && (step ? c.scan >= scan : c.scan > scan) && (nextIsStep ? c.scan < next : c.scan <= next)) {
        if (!answers.has(c.path)) first.set(c.path, c);
        answers.set(c.path, c);
      }
    // What comes back to what it was has answered by leaving it: a conveyor that runs while a button is held.
    for (const [path, c] of answers)
      if (c.said === saidBefore(history, path, step ? scan - 1 : scan)) answers.set(path, first.get(path)!);
    const expect = [...answers.values()].map((c) => `${c.said} within ${spanText(c.scan - scan, stepMs)}`);
    const when = step
      ? `once ${step.said} within ${saidMs(Math.max(50, Math.ceil(((scan - at) * stepMs * 1.2) / 50) * 50))}`
      : scan > at
        ? `after ${saidMs((scan - at) * stepMs)}`
        : 'at once';
    rows.push({
      id: newId(),
      when,
      ...(mine.length ? { do: mine.map((d) => d.text) } : {}),
      ...(expect.length ? { expect } : {}),
    });
    // What is expected is looked at after a scan at least.
    at = Math.max(scan + (expect.length ? 1 : 0), ...[...answers.values()].map((c) => c.scan));
  }
  const end = paths.flatMap((p) => {
    const v = valueText(history, p, to);
    return v === undefined ? [] : [said(p, v.text, v.isBool)];
  });
  if (end.length && to > at)
    rows.push({ id: newId(), when: to > at + 1 ? `after ${saidMs((to - at - 1) * stepMs)}` : 'at once', expect: end });
  return rows;
}

/** Changes of the tags: of an enumeration each is a step on the way, of others what they become. */
function changesOf(
  history: History,
  paths: readonly string[],
  from: number,
  to: number,
): { readonly path: string; readonly scan: number; readonly said: string; readonly isStep: boolean }[] {
  const found: { path: string; scan: number; said: string; isStep: boolean }[] = [];
  const kinds = paths.flatMap((path) => {
    const f = findPath(history.image, path);
    return 'location' in f && !isReal(f.location.type) && !isTime(f.location.type) ? [{ path, l: f.location }] : [];
  });
  const before = new Map<string, string>();
  for (let n = from; n <= to; n++) {
    const e = history.past.engineAt(n);
    for (const { path, l } of kinds) {
      const text = formatValue(l.type, readLocation(e.view, l));
      if (n > from && before.get(path) !== text)
        found.push({ path, scan: n, said: said(path, text, isBool(l.type)), isStep: l.type.kind === 'enum' });
      before.set(path, text);
    }
  }
  return found;
}

function valueText(history: History, path: string, scan: number): { text: string; isBool: boolean } | undefined {
  const f = findPath(history.image, path);
  if ('error' in f || isReal(f.location.type) || isTime(f.location.type)) return undefined;
  return {
    text: formatValue(f.location.type, readLocation(history.past.engineAt(scan).view, f.location)),
    isBool: isBool(f.location.type),
  };
}

const said = (path: string, text: string, isBoolean: boolean): string =>
  isBoolean
    ? `${path} is ${text === '1' ? 'on' : 'off'}`
    : /^[A-Za-z]/.test(text)
      ? `${path} is ${text}`
      : `${path} = ${text}`;
/** That it is not so. */
const notSaid = (path: string, text: string, isBoolean: boolean): string =>
  isBoolean ? `${path} is ${text === '1' ? 'off' : 'on'}` : `${path} <> ${text}`;
/** What was seen, and a fifth more: machines are not all alike. */
const spanText = (scans: number, stepMs: number): string =>
  scans <= 3 ? `${scans + 1} scan${scans ? 's' : ''}` : saidMs(Math.ceil((scans * stepMs * 1.2) / 50) * 50);
