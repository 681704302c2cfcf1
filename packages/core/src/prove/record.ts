/**
 * A stretch of a run as a sequence check: what a person did becomes rows, what tags did in answer becomes what is
 * expected. Proposed to be read and cut down, and it passes on the logic it was recorded from.
 */
import { deviceKind } from '../machine/library.js';
import type { CheckRow, Project } from '../project/document.js';
import { MACHINE } from '../project/sources.js';
import type { BenchEvent, History } from '../runtime/history.js';
import { findPath, formatValue, readLocation } from '../runtime/paths.js';
import { isBool, isReal, isTime } from '../types/type.js';

/** Rows for what happened from the start of the line up to `to`; expectations only for what happened after `from`, in `paths`. */
export function checkFromRun(history: History, project: Project, from: number, to: number, paths: readonly string[], newId: () => string): readonly CheckRow[] {
  const stepMs = Number(history.engine.stepNs) / 1e6;
  const done = actionsOf(history, project, to, stepMs);
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
    const when = step ? `once ${step.said} within ${durationText(Math.max(50, Math.ceil(((scan - at) * stepMs * 1.2) / 50) * 50))}` : scan > at ? `after ${durationText((scan - at) * stepMs)}` : 'at once';
    rows.push({ id: newId(), when, ...(mine.length ? { do: mine.map((d) => d.text) } : {}), ...(expect.length ? { expect } : {}) });
    // What is expected is looked at after a scan at least.
    at = Math.max(scan + (expect.length ? 1 : 0), ...[...answers.values()].map((c) => c.scan));
  }
  const end = paths.flatMap((p) => { const v = valueText(history, p, to); return v === undefined ? [] : [said(p, v.text, v.isBool)]; });
  if (end.length && to > at) rows.push({ id: newId(), when: to > at + 1 ? `after ${durationText((to - at - 1) * stepMs)}` : 'at once', expect: end });
  return rows;
}

interface Action { readonly scan: number; readonly text: string }

/** Sentences for what came from outside. A button held for less than two seconds is a tap. */
function actionsOf(history: History, project: Project, to: number, stepMs: number): Action[] {
  const events = history.recording().filter((e) => e.scan < to);
  const used = new Set<BenchEvent>();
  return events.flatMap(({ scan, event }): Action[] => {
    if (used.has(event)) return [];
    if (event.kind === 'releaseAll') return history.forces().length ? [] : [];
    const text = (v: NonNullable<typeof event.value>) => { const f = findPath(history.image, event.path); return 'location' in f ? (isBool(f.location.type) ? (v ? 'on' : 'off') : formatValue(f.location.type, v)) : String(v); };
    if (event.kind === 'force') return [{ scan, text: event.value === undefined ? `release ${event.path}` : `force ${event.path} ${text(event.value)}` }];
    const [machine, device, member] = event.path.split('.');
    const d = machine?.toLowerCase() === MACHINE.toLowerCase() ? project.machine.devices.find((x) => x.name.toLowerCase() === device?.toLowerCase()) : undefined;
    const kind = d && deviceKind(d.type);
    const handle = kind?.handles.find((h) => h.name.toLowerCase() === member?.toLowerCase());
    if (d && handle?.type === 'press') {
      if (!event.value) return [{ scan, text: `let go of ${d.name}` }];
      const end = events.find((e) => e.scan >= scan && e.event.kind === 'write' && e.event.path === event.path && e.event.value === false);
      const ms = end && (end.scan - scan) * stepMs;
      if (!end || ms === undefined || ms > 2000 || ms === 0) return [{ scan, text: `hold ${d.name}` }];
      used.add(end.event);
      return [{ scan, text: `tap ${d.name} for ${durationText(ms)}` }];
    }
    if (d && handle?.type === 'turn') return [{ scan, text: `turn ${d.name} ${event.value ? 'right' : 'left'}` }];
    if (d && handle?.type === 'latch') return [{ scan, text: event.value ? `strike ${d.name}` : `let go of ${d.name}` }];
    if (d && handle) return [{ scan, text: `enter ${text(event.value)} at ${d.name}` }];
    if (d && kind?.upsets.some((u) => u.name.toLowerCase() === member?.toLowerCase())) return [{ scan, text: `${event.value ? 'upset' : 'clear'} ${d.name}.${member}` }];
    return [{ scan, text: `set ${event.path} to ${text(event.value)}` }];
  });
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
const durationText = (ms: number): string => (ms >= 1000 && ms % 100 === 0 ? `${ms / 1000} s` : `${Math.round(ms)} ms`);
/** What was seen, and a fifth more: machines are not all alike. */
const spanText = (scans: number, stepMs: number): string => (scans <= 3 ? `${scans + 1} scan${scans ? 's' : ''}` : durationText(Math.ceil((scans * stepMs * 1.2) / 50) * 50));
