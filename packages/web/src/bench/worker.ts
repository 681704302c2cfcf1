/** The bench: owns the engine and its history, runs simulated time against the clock, sends only what is looked at. */
import {
  type BenchEvent, type Compiled, Compiler, type FrameRequest, History, type Image, type Project, type Trace, type Type, baseOf, elementAt, findPath, frameOf, instancesOf, isBool, parseValue, placeText, planProof, shown, typeText, usesOf,
} from '@ferrule/core';
import { type Latest, answer } from './answers.js';
import type { BenchFrame, Checked, EventText, FromBench, ProblemNote, ScopeTrace, TagFacts, ToBench } from './protocol.js';

const FRAME_MS = 16, BUDGET_MS = 10, MOST_POINTS = 3000;

let compiler = new Compiler();
let history: History | undefined;
let image: Image | undefined;
let request: FrameRequest = { paths: [], rungs: [] };
let scopePaths: readonly string[] = [];
let scopeSeconds = 8;
let running = true;
let speed = 1;
let owed = 0;
let last = performance.now();
let dirty = true;
let generation = 0;
let latest: Latest | undefined;

const post = (m: FromBench) => postMessage(m);

function takeProject(project: Project, fresh: boolean): void {
  const before = performance.now();
  if (fresh) compiler = new Compiler();
  const compiled = compiler.compile([{ kind: 'project', name: project.name, project }]);
  latest = { project, compiled, image: undefined, diagnostics: [] };
  let lost: readonly string[] = [];
  if (!compiled.hasErrors) {
    image = compiled.build(true);
    latest.image = image;
    const intervals = image.tasks.map((t) => t.intervalNs).filter((n) => n > 0n);
    const options = { stepNs: intervals.length ? intervals.reduce((a, b) => (b < a ? b : a)) : 10_000_000n, wires: compiled.wires };
    if (history && !fresh) lost = history.replaceImage(image, options).lost;
    else history = new History(image, options);
    generation++;
    for (const p of scopePaths) trace(p);
    dirty = true;
  } else if (fresh) { history = undefined; image = undefined; }
  post({ kind: 'checked', checked: describe(project, compiled, lost, performance.now() - before) });
}

function describe(project: Project, compiled: Compiled, lost: readonly string[], checkMs: number): Checked {
  const sentences = compiled.hasErrors || !(project.checks.length || project.rules.length) ? [] : planProof(project, project.name, compiler).diagnostics;
  latest!.diagnostics = [...compiled.diagnostics, ...sentences];
  const problems = latest!.diagnostics.map((d): ProblemNote => {
    const element = elementAt(d.at.source, d.at.start);
    return { severity: d.severity, code: d.code, message: d.message, origin: d.at.source.origin, start: d.at.start, end: d.at.end, place: placeText(d.at).slice(d.at.source.name.length + 1), ...(element ? { element: element - 1 } : {}) };
  });
  const factsOf = (list: readonly { readonly name: string; readonly type: Type }[]): Record<string, TagFacts> => Object.fromEntries(list.map((v) => [v.name.toLowerCase(), { type: typeText(v.type), ...(v.type.kind === 'block' ? { block: v.type.name } : {}), ...(v.type.kind === 'enum' ? { values: v.type.values.map((x) => x.name) } : {}) }]));
  const tags = factsOf(compiled.program.globals);
  const locals = Object.fromEntries(project.pous.flatMap((p) => {
    const own = compiled.program.pous.find((x) => x.name.toLowerCase() === p.name.toLowerCase());
    if (!own) return [];
    const root = compiled.program.instances.find((i) => i.pou === own)?.name ?? instancesOf(compiled, own.name)[0];
    return [[p.name.toLowerCase(), { ...(root ? { root } : {}), variables: factsOf(own.variables.filter((v) => v.section !== 'hidden')) }]];
  }));
  return { problems, uses: Object.fromEntries(usesOf(project, compiled)), tags, locals, taken: !compiled.hasErrors, runs: history !== undefined, lost, checkMs };
}

function eventOf(e: EventText): BenchEvent | string {
  if (e.kind === 'releaseAll') return e;
  const found = findPath(image!, e.path);
  if ('error' in found) return found.error;
  if (e.kind === 'force' && e.value === undefined) return { kind: 'force', path: e.path };
  const v = parseValue(found.location.type, e.value!);
  return 'error' in v ? v.error : { kind: e.kind, path: e.path, value: v.value };
}

function apply(e: EventText): void {
  if (!history) return;
  const event = eventOf(e);
  if (typeof event === 'string') post({ kind: 'refused', message: event });
  else history.apply(event);
  dirty = true;
}

function stand(recording: Extract<ToBench, { kind: 'stand' }>['recording'], scan: number): void {
  if (!history) return;
  running = false;
  const events = recording.flatMap(({ scan: at, event }) => {
    const e = eventOf(event.kind === 'write' || event.kind === 'force' ? { kind: event.kind, path: event.path!, ...(event.value !== undefined ? { value: typeof event.value === 'boolean' ? (event.value ? '1' : '0') : nanosecondsText(event.path!, String(event.value)) } : {}) } as EventText : { kind: 'releaseAll' });
    return typeof e === 'string' ? [] : [{ scan: at, event: e }];
  });
  history.load(events, scan);
  dirty = true;
}

/** A recording holds durations in nanoseconds. */
function nanosecondsText(path: string, value: string): string {
  const found = findPath(image!, path);
  const isDuration = 'location' in found && ['TIME', 'LTIME'].includes(baseOf(found.location.type) ?? '');
  return isDuration ? String(Number(value) / 1e6) : value;
}

function trace(path: string): void {
  if (!history || !image) return;
  const found = findPath(image, path);
  if ('location' in found && baseOf(found.location.type)) history.trace(path);
}

onmessage = (m: MessageEvent<ToBench>) => {
  const c = m.data;
  switch (c.kind) {
    case 'project': takeProject(c.project, c.fresh); break;
    case 'look': request = c.request; break;
    case 'scope':
      for (const p of scopePaths) if (!c.paths.includes(p)) history?.untrace(p);
      scopePaths = c.paths;
      scopeSeconds = c.seconds;
      for (const p of c.paths) trace(p);
      break;
    case 'play': running = c.running; owed = 0; last = performance.now(); break;
    case 'speed': speed = c.factor; owed = 0; break;
    case 'step':
      running = false;
      if (history && c.scans > 0) history.run(c.scans);
      else history?.goTo(history.now + c.scans);
      break;
    case 'goTo': running = false; history?.goTo(Math.max(c.scan, history.start)); break;
    case 'restart': history?.restart(); for (const p of scopePaths) { history?.untrace(p); trace(p); } break;
    case 'event': apply(c.event); break;
    case 'stand': stand(c.recording, c.scan); break;
    case 'ask': post({ kind: 'answer', id: c.id, answer: answer(c.ask, latest) }); return;
  }
  dirty = true;
};

function advance(now: number): void {
  const elapsed = Math.min(now - last, 250);
  last = now;
  if (!running || !history || history.engine.fault) return;
  const scanMs = Number(history.engine.stepNs) / 1e6;
  owed += elapsed * speed;
  const until = performance.now() + BUDGET_MS;
  while (owed >= scanMs) {
    const batch = Math.min(Math.floor(owed / scanMs), 50);
    const done = history.run(batch);
    owed -= done * scanMs;
    dirty ||= done > 0;
    if (done < batch) { running = false; dirty = true; break; }
    // Asked for more than this machine gives: simulated time simply goes slower.
    if (performance.now() > until) { owed = 0; break; }
  }
}

function scopeTraces(h: History): ScopeTrace[] {
  const scanMs = Number(h.engine.stepNs) / 1e6;
  const from = Math.max(h.start, Math.min(h.now, h.end - scopeSeconds * 1000 / scanMs));
  return scopePaths.flatMap((path) => {
    const t = h.traces.get(path.toLowerCase());
    return t ? [{ path, kind: isBool(t.location.type) ? 'band' : t.location.type.kind === 'enum' ? 'ribbon' : 'trace', points: pointsFrom(t, from) } satisfies ScopeTrace] : [];
  });
}

function pointsFrom(t: Trace, from: number): (number | ScopeTrace['points'][number])[] {
  let low = 0, high = t.scans.length;
  while (low < high) { const mid = (low + high) >> 1; if (t.scans[mid]! <= from) low = mid + 1; else high = mid; }
  const first = Math.max(0, low - 1);
  const stride = Math.max(1, Math.ceil((t.scans.length - first) / MOST_POINTS));
  const points: (number | ScopeTrace['points'][number])[] = [];
  for (let i = first; i < t.scans.length; i += stride) points.push(t.scans[i]!, shown(t.location, t.values[i]!));
  return points;
}

function send(): void {
  if (!history) return;
  const frame: BenchFrame = {
    ...frameOf(history.engine, request), running: running && !history.engine.fault, speed, start: history.start, end: history.end, scanMs: Number(history.engine.stepNs) / 1e6, scope: scopeTraces(history), generation,
  };
  post({ kind: 'frame', frame });
}

function tick(): void {
  advance(performance.now());
  if (dirty) { dirty = false; send(); }
  setTimeout(tick, FRAME_MS);
}
tick();
