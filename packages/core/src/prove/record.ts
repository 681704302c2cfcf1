/**
 * A stretch of a run as a sequence check: what a person did becomes rows, what tags did in answer becomes what is
 * expected. Proposed to be read and cut down, and it passes on the logic it was recorded from.
 */
import type { CheckRow, Project } from '../project/document.js';
import type { History } from '../runtime/history.js';
import { findPath, formatValue, readLocation } from '../runtime/paths.js';
import { isBool, isReal, isTime } from '../types/type.js';
import { doings, saidMs } from './doing.js';

/** Rows for what happened from the start of the line up to `to`; expectations only for what happened after `from`, in `paths`. */
export function checkFromRun(history: History, project: Project, from: number, to: number, paths: readonly string[], newId: () => string): readonly CheckRow[] {
  const stepMs = Number(history.engine.stepNs) / 1e6;
  const done = doings(project, history.image, history.doneOutside().filter((e) => e.scan < to), stepMs);
  const changes = changesOf(history, paths, from, to);
  const moments = [...new Set([...done.map((d) => d.scan), ...changes.filter((c) => c.isStep).map((c) => c.scan)])].sort((a, b) => a - b);
  const rows: CheckRow[] = [];
  /** The scan at which the rows so far are done. */
  let at = 0;
  for (const [i, scan] of moments.entries()) {
    const mine = done.filter((d) => d.scan === scan), next = moments[i + 1] ?? to;
    const step = mine.length ? undefined : changes.find((c) => c.isStep && c.scan === scan);
    const answers = new Map<string, (typeof changes)[number]>();
    const nextIsStep = !done.some((d) => d.scan === next) && i + 1 < moments.length;
    for (const c of changes) if (!c.isStep && (step ? c.scan >= scan : c.scan > scan) && (nextIsStep ? c.scan < next : c.scan <= next)) answers.set(c.path, c);
    const expect = [...answers.values()].map((c) => `${c.said} within ${spanText(c.scan - scan, stepMs)}`);
    const when = step ? `once ${step.said} within ${saidMs(Math.max(50, Math.ceil(((scan - at) * stepMs * 1.2) / 50) * 50))}` : scan > at ? `after ${saidMs((scan - at) * stepMs)}` : 'at once';
    rows.push({ id: newId(), when, ...(mine.length ? { do: mine.map((d) => d.text) } : {}), ...(expect.length ? { expect } : {}) });
    // What is expected is looked at after a scan at least.
    at = Math.max(scan + (expect.length ? 1 : 0), ...[...answers.values()].map((c) => c.scan));
  }
  const end = paths.flatMap((p) => { const v = valueText(history, p, to); return v === undefined ? [] : [said(p, v.text, v.isBool)]; });
  if (end.length && to > at) rows.push({ id: newId(), when: to > at + 1 ? `after ${saidMs((to - at - 1) * stepMs)}` : 'at once', expect: end });
  return rows;
}

/** Changes of the tags: of an enumeration each is a step on the way, of others what they become. */
function changesOf(history: History, paths: readonly string[], from: number, to: number): { readonly path: string; readonly scan: number; readonly said: string; readonly isStep: boolean }[] {
  const found: { path: string; scan: number; said: string; isStep: boolean }[] = [];
  const kinds = paths.flatMap((path) => { const f = findPath(history.image, path); return 'location' in f && !isReal(f.location.type) && !isTime(f.location.type) ? [{ path, l: f.location }] : []; });
  const before = new Map<string, string>();
  for (let n = from; n <= to; n++) {
    const e = history.engineAt(n);
    for (const { path, l } of kinds) {
      const text = formatValue(l.type, readLocation(e.view, l));
      if (n > from && before.get(path) !== text) found.push({ path, scan: n, said: said(path, text, isBool(l.type)), isStep: l.type.kind === 'enum' });
      before.set(path, text);
    }
  }
  return found;
}

function valueText(history: History, path: string, scan: number): { text: string; isBool: boolean } | undefined {
  const f = findPath(history.image, path);
  if ('error' in f || isReal(f.location.type) || isTime(f.location.type)) return undefined;
  return { text: formatValue(f.location.type, readLocation(history.engineAt(scan).view, f.location)), isBool: isBool(f.location.type) };
}

const said = (path: string, text: string, isBoolean: boolean): string => (isBoolean ? `${path} is ${text === '1' ? 'on' : 'off'}` : /^[A-Za-z]/.test(text) ? `${path} is ${text}` : `${path} = ${text}`);
/** What was seen, and a fifth more: machines are not all alike. */
const spanText = (scans: number, stepMs: number): string => (scans <= 3 ? `${scans + 1} scan${scans ? 's' : ''}` : saidMs(Math.ceil((scans * stepMs * 1.2) / 50) * 50));
