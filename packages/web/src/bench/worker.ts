/**
 * The bench: owns the engine and its history, runs simulated time against the clock, sends only what is looked at.
 *
 * In the page the bench worker owns the engine, is handed what changed of the project (`core/document/delta.ts`: what
 * did not change is the same object there too) and sends frames with the values and rungs that something on screen
 * looks at (`bench/live.ts`), at a calm rate by itself and at once after whatever is done by hand; what was checked is
 * told as what changed of it; the controller's live link has the same shape, so rungs and panel are the same
 * components for both. The document store applies edits at once, keeps them in local storage until the server has them
 * (each window at a place of its own, which the next window takes over when it is gone: `document/unsent.ts`), and
 * undoes them by their inverses. Windows of one browser tell each other what was saved (`document/other-windows.ts`):
 * one that holds nothing of its own follows, one that does is asked whose goes on top.
 */
import {
  type BenchEvent,
  type Engine,
  type FrameRequest,
  type Halt,
  History,
  type Image,
  OUTSIDE_LOST,
  type Course,
  type StepTag,
  type Stops,
  findPath,
  formatValue,
  frameOf,
  parseValue,
  stepTags,
  readLocation,
} from '@ferrule/core/bench';
import { type Compiled, Compiler, instancesOf, rungInstances, factsOf, usesOf } from '@ferrule/core/workspace';
import { chanceUpset, upsetsOf } from '@ferrule/core/machine';
import { type Diagnostic, baseOf, elementAt, placeText, positionOf } from '@ferrule/core/language';
import { type Project, patched, deltaOf, sharing } from '@ferrule/core/document';
import { parseSpan, planProof } from '@ferrule/core/verify';
import { type Latest, answer, placeOfSpan, wordsOfSpan } from './answers.js';
import { compileConditions } from './conditions.js';
import { Linked } from './linked.js';
import { Outside } from './outside.js';
import { sameLogic } from './same-logic.js';
import type {
  BenchFrame,
  Checked,
  EventText,
  FromBench,
  ProblemNote,
  ScopeView,
  StopPoint,
  ToBench,
} from './protocol.js';

/** A turn of the bench, ms: a moving picture is drawn so often. */
const FRAME_MS = 16,
  /**
   * Values, rungs and scope are drawn so often, ms, as a person can follow them; what is done by hand is seen at once.
   */
  CALM_MS = 60,
  BUDGET_MS = 11;
/** Scans replayed for the scope at a time; the rest comes with the next frames. */
const REPLAY = 12_000;
/** `Run until` gives up after this much simulated time. */
const LONGEST_MS = 3_600_000;

let compiler = new Compiler();
let history: History | undefined;
let image: Image | undefined;
let request: FrameRequest = { paths: [], rungs: [] };
let view: ScopeView = { paths: [], span: 800, pixels: 800 };
/**
 * Tags of steps, and what Timing looked at: kept from the first scan on, so that a day of them is told at once. In
 * lower case.
 */
const timed = new Set<string>();
/** Tags of steps that are kept unasked. */
const MOST_TIMED = 24;
let scopeIsDue = false;
let running = true;
let speed = 1;
let owed = 0;
let last = performance.now();
let dirty = true;
let generation = 0;
let latest: Latest | undefined;
let stops: readonly StopPoint[] = [];
let lookedAt: readonly string[] = [];
let conditions: ReadonlyMap<string, number> = new Map();
/** Texts that could not be compiled with the logic of now. */
let unknown: ReadonlySet<string> = new Set();
let goal: { readonly words: string; readonly text?: string; readonly scan: number } | undefined;
let stopped: BenchFrame['stopped'];
let trigger:
  { readonly text: string; readonly before: number; readonly each: boolean; readonly fired?: number } | undefined;
/** Upsets at random: turns of so many scans, and the turn that is filed next. */
let chance:
  { readonly seed: number; readonly everyMs: number; readonly upsets: readonly string[]; turn: number } | undefined;
let search: { readonly text: string; readonly direction: 1 | -1; at: number } | undefined;
/** Scans done and when, to tell the speed reached. */
let pace = { at: performance.now(), scans: 0, reached: 0 };
/** The program and project each image was built from. */
const sources = new WeakMap<Image, { readonly compiled: Compiled; readonly project: Project }>();

const post = (m: FromBench) => postMessage(m);
const outside = new Outside(post),
  linked = new Linked(post);

/** What was checked as the page has it: much of it grows with the project, and little changes at a time. */
let told: Checked | undefined;
/** The project last told: what changed is told on top of it. */
let handed: Project;
function takeProject(project: Project, fresh: boolean): void {
  const before = performance.now();
  if (fresh) {
    compiler = new Compiler();
    conditions = new Map();
    chance = undefined;
    goal = search = stopped = trigger = undefined;
  }
  const compiled = compiler.compile([{ kind: 'project', name: project.name, project }]);
  latest = {
    project,
    compiled,
    image: undefined,
    diagnostics: [],
    history,
    sources: (i) => sources.get(i),
    check,
    holds,
    timed: (path) => {
      timed.add(path.toLowerCase());
      history?.traces.follow(path);
    },
    generation: () => generation,
  };
  let lost: readonly string[] = [];
  if (compiled.canRun) {
    const next = withConditions(project, compiled);
    const known = image && sources.get(image);
    const isSame =
      !fresh &&
      known !== undefined &&
      history !== undefined &&
      sameLogic(known.project, project) &&
      [...image!.symbols.keys()].join() === [...next.symbols.keys()].join();
    if (isSame && conditions.size) history!.swapImage(next);
    if (!isSame || conditions.size) image = next;
    sources.set(image!, { compiled, project });
    latest.image = image;
    const intervals = next.tasks.map((t) => t.intervalNs).filter((n) => n > 0n);
    const options = {
      stepNs: intervals.length ? intervals.reduce((a, b) => (b < a ? b : a)) : 10_000_000n,
      wires: compiled.wires,
    };
    // A comment or a watch list is no change of the program: the time line goes on as it was.
    if (!isSame) {
      if (history && !fresh && history.engine.stepNs === options.stepNs)
        lost = history.replaceImage(next, options).lost;
      else history = new History(next, options);
      generation++;
    } else if (fresh) generation++;
    latest.history = history;
    if (fresh) timed.clear();
    const found = stepTags(project, image!);
    for (const t of found.slice(0, MOST_TIMED)) timed.add(t.path.toLowerCase());
    numbered = new Map(found.flatMap((t) => (t.isNumber ? [[t.path.toLowerCase(), t.names] as const] : [])));
    bindScope();
    dirty = true;
  } else if (fresh) {
    history = undefined;
    image = undefined;
    latest.history = undefined;
  }
  const checked = describe(project, compiled, lost, performance.now() - before);
  const next = sharing(told, checked);
  post({ kind: 'checked', delta: deltaOf(told, next) });
  told = next;
}

/** Problems of the project with a change that nobody has made yet. */
function check(other: Project): readonly Diagnostic[] {
  const { diagnostics } = compiler.compile([{ kind: 'project', name: other.name, project: other }]);
  if (latest) compiler.compile([{ kind: 'project', name: latest.project.name, project: latest.project }]);
  return diagnostics;
}

const wantedConditions = (): string[] => [
  ...lookedAt,
  ...stops.flatMap((s) => (s.isOn && s.condition ? [s.condition] : [])),
  ...(goal?.text ? [goal.text] : []),
  ...(trigger ? [trigger.text] : []),
  ...(search ? [search.text] : []),
];

/** The program's image, with the conditions of the moment beside it. */
function withConditions(project: Project, compiled: Compiled): Image {
  const texts = wantedConditions();
  if (!texts.length) {
    conditions = new Map();
    post({ kind: 'stopProblems', problems: {} });
    return compiled.build(true);
  }
  const c = compileConditions(compiler, project, texts);
  conditions = c.numbers;
  unknown = new Set(c.problems.keys());
  post({
    kind: 'stopProblems',
    problems: Object.fromEntries(
      stops.flatMap((s) => (s.condition && c.problems.has(s.condition) ? [[s.id, c.problems.get(s.condition)!]] : [])),
    ),
  });
  const wanted = goal?.text ?? search?.text;
  if (wanted !== undefined && c.problems.has(wanted)) {
    post({ kind: 'refused', message: c.problems.get(wanted)! });
    goal = search = undefined;
  }
  return c.compiled.build(true);
}

/** Other conditions, the same program. */
function newConditions(): void {
  if (
    !history ||
    !image ||
    !latest ||
    !latest.compiled.canRun ||
    [...new Set(wantedConditions())].every((t) => conditions.has(t) || unknown.has(t))
  )
    return;
  const known = sources.get(image)!;
  const next = withConditions(known.project, known.compiled);
  sources.set(next, known);
  image = next;
  latest.image = next;
  history.swapImage(next);
}

function describe(project: Project, compiled: Compiled, lost: readonly string[], checkMs: number): Checked {
  const sentences: readonly Diagnostic[] =
    !compiled.canRun || !(project.checks.length || project.rules.length)
      ? []
      : planProof(project, project.name, compiler).diagnostics;
  latest!.diagnostics = [...compiled.diagnostics, ...sentences];
  const problems = latest!.diagnostics.map((d): ProblemNote => {
    const element = elementAt(d.at.source, d.at.start);
    return {
      severity: d.severity,
      code: d.code,
      message: d.unfinished && d.code !== 'CONFLICT' ? `Unfinished rung, left out of the run. ${d.message}` : d.message,
      origin: d.at.source.origin,
      start: d.at.start,
      end: d.at.end,
      place: placeText(d.at).slice(d.at.source.name.length + 1),
      ...(element ? { element: element - 1 } : {}),
    };
  });
  const tags = factsOf(compiled.program.globals);
  const locals = Object.fromEntries(
    project.pous.flatMap((p) => {
      const own = compiled.program.pous.find((x) => x.name.toLowerCase() === p.name.toLowerCase());
      if (!own) return [];
      const root = compiled.program.instances.find((i) => i.pou === own)?.name ?? instancesOf(compiled, own.name)[0];
      return [
        [
          p.name.toLowerCase(),
          { ...(root ? { root } : {}), variables: factsOf(own.variables.filter((v) => v.section !== 'hidden')) },
        ],
      ];
    }),
  );
  return {
    problems,
    uses: Object.fromEntries(usesOf(project, compiled)),
    tags,
    locals,
    instances: rungInstances(compiled),
    taken: compiled.canRun,
    runs: history !== undefined,
    lost,
    checkMs,
  };
}

// --- what comes from outside

function eventOf(e: EventText): BenchEvent | string {
  if (e.kind === 'releaseAll') return e;
  const found = findPath(image!, e.path);
  if ('error' in found) return found.error;
  if (e.kind === 'force' && e.value === undefined)
    return { kind: 'force', path: e.path, ...(e.by ? { by: e.by } : {}) };
  const v = parseValue(found.location.type, e.value!);
  return 'error' in v ? v.error : { kind: e.kind, path: e.path, value: v.value };
}

/** Another program writes. It does not turn back time: while the past is shown there is nothing to write to. */
function writeFromOutside({ n, path, value }: Extract<ToBench, { kind: 'outsideWrite' }>): void {
  const event = history ? eventOf({ kind: 'write', path, value }) : 'Nothing runs on the bench.',
    error =
      typeof event === 'string'
        ? event
        : history!.now < history!.end
          ? 'The bench shows an earlier scan.'
          : history!.engine.fault
            ? 'The logic has faulted.'
            : undefined;
  if (error === undefined) history!.applyAll([event as BenchEvent]);
  post({ kind: 'outsideWritten', n, ...(error === undefined ? {} : { error }) });
}

function tellOutside(): void {
  const known = history && sources.get(history.engine.image);
  if (!history || !known) {
    outside.nothing();
    return;
  }
  const { engine } = history;
  outside.tell(
    engine.memory,
    engine.image,
    known.project,
    engine.fault ? 'fault' : running ? 'run' : 'paused',
    scanMs(),
  );
  linked.after(history, known.compiled, known.project, scanMs());
}

/** Several events before the same scan; when one cannot be, none is. */
function apply(events: readonly EventText[]): boolean {
  if (!history) return false;
  const made = events.map(eventOf);
  const wrong = made.find((m) => typeof m === 'string');
  if (wrong !== undefined) {
    post({ kind: 'refused', message: wrong as string });
    return false;
  }
  if (history.engine.fault && history.now === history.end) {
    post({
      kind: 'refused',
      message:
        'Nothing happens: the bench stands at its fault. Mend the logic, go back before it or restart; inputs work again then.',
    });
    return false;
  }
  history.applyAll(made as BenchEvent[]);
  stopped = undefined;
  return true;
}

/** Buttons pressed since the last scan, with the scan. */
const pressed = new Map<string, number>();
/** A button that is let go before any scan has seen it pressed stays pressed for that scan: no tap is too short. */
function letGoLater(e: EventText): boolean {
  if (!history || e.kind !== 'write' || !/^Machine\./i.test(e.path)) return false;
  if (e.value !== '0') {
    pressed.set(e.path, history.now);
    return false;
  }
  const event = eventOf(e),
    isUnseen = pressed.get(e.path) === history.now && history.now === history.end;
  pressed.delete(e.path);
  if (!isUnseen || typeof event === 'string') return false;
  history.schedule(1, event);
  return true;
}

/**
 * A held button comes up. The bench may have stopped while it was held, which is how a stop is met by hand: it says so
 * still, and inside a scan it stands where it stood; the button comes up when that scan is over.
 */
function letGo(e: EventText): void {
  if (letGoLater(e)) return;
  const event = eventOf(e),
    why = stopped;
  if (history?.isInside && history.now + 1 >= history.end && typeof event !== 'string') {
    history.schedule(1, event);
    return;
  }
  if (apply([e])) stopped = why;
}

/** A value for a time, then another: a pulse. */
function pulse(c: Extract<ToBench, { kind: 'pulse' }>): void {
  if (!history) return;
  const kind = c.force ? 'force' : 'write';
  const end = eventOf(
    c.force && c.then === '' ? { kind: 'force', path: c.path } : { kind, path: c.path, value: c.then },
  );
  if (typeof end === 'string') {
    post({ kind: 'refused', message: end });
    return;
  }
  if (apply([{ kind, path: c.path, value: c.value }])) history.schedule(Math.max(1, Math.round(c.ms / scanMs())), end);
}

/** From one value to another in equal steps, one a scan. */
function ramp(c: Extract<ToBench, { kind: 'ramp' }>): void {
  if (!history) return;
  const found = findPath(image!, c.path),
    scans = Math.min(100_000, Math.max(1, Math.round(c.ms / scanMs())));
  const isWhole =
    'location' in found && !['REAL', 'LREAL', 'TIME', 'LTIME'].includes(baseOf(found.location.type) ?? '');
  const text = (v: number) => String(isWhole ? Math.round(v) : Number(v.toPrecision(7)));
  const kind = c.force ? 'force' : 'write';
  if (!apply([{ kind, path: c.path, value: text(c.from) }])) return;
  for (let n = 1; n <= scans; n++) {
    const e = eventOf({ kind, path: c.path, value: text(c.from + ((c.to - c.from) * n) / scans) });
    if (typeof e === 'string') {
      post({ kind: 'refused', message: e });
      return;
    }
    history.schedule(n, e);
  }
}

function stand({ recording, scan, warmAt }: Extract<ToBench, { kind: 'stand' }>): void {
  if (!history) return;
  pause();
  const events = recording.flatMap(({ scan: at, event }) => {
    const e = eventOf(
      event.kind === 'write' || event.kind === 'force'
        ? ({
            kind: event.kind,
            path: event.path!,
            ...(event.value !== undefined
              ? {
                  value:
                    typeof event.value === 'boolean'
                      ? event.value
                        ? '1'
                        : '0'
                      : nanosecondsText(event.path!, String(event.value)),
                }
              : {}),
          } as EventText)
        : { kind: 'releaseAll' },
    );
    return typeof e === 'string' ? [] : [{ scan: at, event: e }];
  });
  history.load(events, scan, undefined, warmAt);
}

/** A recording holds durations in nanoseconds. */
function nanosecondsText(path: string, value: string): string {
  const found = findPath(image!, path);
  const isDuration = 'location' in found && ['TIME', 'LTIME'].includes(baseOf(found.location.type) ?? '');
  return isDuration ? String(Number(value) / 1e6) : value;
}

const scanMs = (): number => Number(history!.engine.stepNs) / 1e6;

// --- where to stop

/** Values at the scan before, for stops on change and on conditions. */
const before = new Map<string, { readonly scan: number; readonly value: unknown }>();

function holds(text: string, e: Engine): boolean {
  const n = conditions.get(text);
  return n !== undefined && e.image === image && e.evaluate(n) !== 0;
}

/** True when a value differs from the one a scan ago; a jump in time is no change. */
function changed(key: string, scan: number, value: unknown): boolean {
  const b = before.get(key);
  before.set(key, { scan, value });
  return b?.scan === scan - 1 && !Object.is(b.value, value);
}

function stopsNow(): Stops | undefined {
  const on = stops.filter((s) => s.isOn && !(s.condition && !conditions.has(s.condition)));
  const places = on.filter((s) => s.kind === 'rung' || s.kind === 'line'),
    others = on.filter((s) => s.kind === 'change' || s.kind === 'condition');
  const until = goal;
  const waits = trigger && conditions.has(trigger.text) && (trigger.each || trigger.fired === undefined);
  if (!places.length && !others.length && !until && !waits) return undefined;
  const hit = (stop: string | undefined, words: string) => {
    stopped = { ...(stop ? { stop } : {}), words };
    return true;
  };
  return {
    ...(places.length
      ? {
          mayHave: (e: Engine) =>
            places.some((s) => {
              const p = s.rung && e.image.probes.get(s.rung);
              return s.kind === 'line' || (p && e.view.getUint32(p.address, true) !== 0);
            }),
          at: (h: Halt, e: Engine) => {
            const o = h.at?.source.origin;
            const s = places.find(
              (x) =>
                (x.kind === 'rung'
                  ? o?.kind === 'rung' && o.rungId === x.rung
                  : o?.kind === 'pou' && o.id === x.pou && positionOf(h.at!.source, h.at!.start).line === x.line) &&
                (!x.condition || holds(x.condition, e)),
            );
            return s ? hit(s.id, `Stopped before ${wordsOfSpan(h.at!)}`) : false;
          },
        }
      : {}),
    after: (e: Engine) => {
      for (const s of others) {
        if (s.kind === 'condition') {
          if (changed(s.id, e.scan, holds(s.condition!, e)) && holds(s.condition!, e))
            return hit(s.id, `${s.condition} came true`);
          continue;
        }
        const f = findPath(e.image, s.path!);
        if ('location' in f) {
          const v = readLocation(e.view, f.location);
          if (changed(s.id, e.scan, v)) return hit(s.id, `${s.path} became ${formatValue(f.location.type, v)}`);
        }
      }
      if (
        waits &&
        trigger &&
        changed('trigger', e.scan, holds(trigger.text, e)) &&
        holds(trigger.text, e) &&
        (trigger.each || trigger.fired === undefined)
      )
        trigger = { ...trigger, fired: e.scan };
      if (!until) return false;
      if (until.text !== undefined && holds(until.text, e)) {
        goal = undefined;
        return hit(undefined, `${until.words} holds`);
      }
      if (e.scan >= until.scan) {
        goal = undefined;
        return until.text === undefined
          ? hit(undefined, `${until.words} done`)
          : hit(undefined, `${until.words} did not come true within an hour of simulated time`);
      }
      return false;
    },
  };
}

function runUntil(text: string): void {
  if (!history) return;
  const t = text.trim(),
    span = parseSpan(t.replace(/^\+/, ''));
  stopped = undefined;
  if ('value' in span && !/^\d+$/.test(t))
    goal = {
      words: t,
      scan:
        history.now + ('scans' in span.value ? span.value.scans : Math.ceil(Number(span.value.ns) / 1e6 / scanMs())),
    };
  else goal = { words: t, text: t, scan: history.now + Math.ceil(LONGEST_MS / scanMs()) };
  newConditions();
  if (goal) {
    play(true);
  }
}

function play(on: boolean): void {
  running = on;
  owed = 0;
  last = performance.now();
  pace = { at: last, scans: 0, reached: 0 };
  if (on) stopped = undefined;
  else goal = undefined;
}
const pause = () => play(false);

/** Goes on with a search for a moment; true while there is more to look at. */
function searchOn(): void {
  if (!search || !history) return;
  const { text, direction } = search;
  if (!conditions.has(text)) {
    search = undefined;
    return;
  }
  const until = performance.now() + BUDGET_MS;
  while (performance.now() < until) {
    const r = history.past.find(search.at, direction, (e) => holds(text, e), 4096);
    if (r.found !== undefined) {
      history.goTo(r.found);
      search = undefined;
      stopped = { words: `${text} came true` };
      dirty = true;
      return;
    }
    if (r.next === undefined) {
      search = undefined;
      stopped = { words: `${text} did not come true ${direction > 0 ? 'after' : 'before'} this moment` };
      dirty = true;
      return;
    }
    search.at = r.next;
  }
}

// --- the scope

function bindScope(): void {
  for (const p of view.paths) history?.traces.follow(p);
  for (const p of timed) history?.traces.follow(p);
  if (outsideInputs().length) history?.traces.follow(OUTSIDE_LOST);
  scopeIsDue = true;
}

/** Paths of inputs that come from another program, in lower case. */
const outsideInputs = (): readonly string[] =>
  (latest?.compiled.outside ?? []).flatMap((p) => (p.isInput ? [p.path.toLowerCase()] : []));

function takeView(next: ScopeView): void {
  for (const p of view.paths)
    if (!next.paths.includes(p) && p !== OUTSIDE_LOST && !timed.has(p.toLowerCase())) history?.traces.forget(p);
  view = next;
  bindScope();
}

/** Whole numbers that hold steps: a ribbon with their names, like an enumeration. By lower-case path. */
let numbered: ReadonlyMap<string, StepTag['names']> = new Map();
const asSteps = (c: Course): Course => {
  const names = numbered.get(c.path.toLowerCase());
  return names ? { ...c, kind: 'ribbon', names } : c;
};

function sendScope(): void {
  if (!history) return;
  const h = history,
    { span } = view;
  const to =
    view.from !== undefined
      ? view.from + span
      : h.now < Math.max(h.end, span) - span
        ? Math.max(0, h.now - span * 0.1) + span
        : Math.max(h.end, span);
  const from = to - span;
  const given = outsideInputs(),
    shown = view.paths.filter((p) => given.includes(p.toLowerCase())),
    asked = shown.length ? [...view.paths, OUTSIDE_LOST] : view.paths;
  const mine = h.traces.courses(asked, Math.max(h.start, from), Math.min(h.end, to), view.pixels, REPLAY);
  const theirs =
    view.other === undefined
      ? undefined
      : h.traces.courses(view.paths, Math.max(0, from), to, view.pixels, REPLAY, view.other);
  scopeIsDue = !mine.complete || theirs?.complete === false;
  post({
    kind: 'scope',
    scope: {
      from,
      to,
      paths: view.paths,
      courses: mine.courses.slice(0, view.paths.length).map(asSteps),
      ...(shown.length ? { away: { course: mine.courses.at(-1)!, paths: shown } } : {}),
      complete: !scopeIsDue,
      ...(theirs ? { others: theirs.courses.map(asSteps) } : {}),
    },
  });
}

onmessage = (m: MessageEvent<ToBench>) => {
  const c = m.data;
  scopeIsDue = true;
  dirty = true;
  isAwaited = true;
  switch (c.kind) {
    case 'project':
      takeProject((handed = c.fresh ? c.project : (patched(handed, c.delta) as Project)), c.fresh);
      break;
    case 'look':
      request = c.request;
      break;
    case 'motion':
      isMoving = c.isMoving;
      break;
    case 'scope':
      takeView(c.view);
      break;
    case 'play':
      play(c.running);
      break;
    case 'speed':
      speed = c.factor;
      owed = 0;
      break;
    case 'step':
      pause();
      stopped = undefined;
      if (history && c.scans > 0) {
        linked.before(history);
        history.run(c.scans);
      } else if (history?.isInside) history.goTo(history.now);
      else history?.goTo(Math.max(history.start, history.now + c.scans));
      break;
    case 'stepInside':
      pause();
      stopped = undefined;
      history?.stepInside(c.unit, c.direction);
      break;
    case 'goTo':
      pause();
      stopped = undefined;
      history?.goTo(Math.max(c.scan, history.start));
      break;
    case 'goBy':
      pause();
      stopped = undefined;
      history?.goTo(Math.max(history.start, history.now + c.scans));
      break;
    case 'restart':
      stopped = goal = undefined;
      history?.restart(c.warm ? 'warm' : 'cold');
      before.clear();
      break;
    case 'until':
      runUntil(c.text);
      break;
    case 'conditions':
      lookedAt = c.texts;
      newConditions();
      break;
    case 'stops':
      stops = c.stops;
      before.clear();
      newConditions();
      break;
    case 'find':
      pause();
      stopped = undefined;
      search = history && { text: c.text.trim(), direction: c.direction, at: history.now };
      newConditions();
      break;
    case 'trigger':
      trigger = c.text ? { text: c.text, before: c.before, each: c.each } : undefined;
      before.delete('trigger');
      newConditions();
      break;
    case 'line':
      pause();
      history?.switchTo(c.id);
      break;
    case 'dropLine':
      history?.dropLine(c.id);
      break;
    case 'branch':
      history?.branch();
      break;
    case 'event':
      if ('letGo' in c.event && c.event.letGo) letGo(c.event);
      else if (!letGoLater(c.event)) apply([c.event]);
      break;
    case 'events':
      apply(c.events);
      break;
    case 'outside':
      outside.open(c.isOn);
      break;
    case 'link':
      linked.open(c.isOn, history);
      break;
    case 'linkInputs':
      linked.take(c.values, c.isLost);
      break;
    case 'outsideWrite':
      writeFromOutside(c);
      break;
    case 'pulse':
      pulse(c);
      break;
    case 'ramp':
      ramp(c);
      break;
    case 'chance':
      chance =
        c.everyMs > 0 && latest && history
          ? {
              seed: c.seed,
              everyMs: c.everyMs,
              upsets: upsetsOf(latest.project),
              turn: Math.ceil(history.now / turnScans(c.everyMs)),
            }
          : undefined;
      break;
    case 'stand':
      stand(c);
      break;
    case 'ask':
      post({ kind: 'answer', id: c.id, answer: answer(c.ask, latest) });
      break;
  }
};

function advance(now: number): void {
  const elapsed = Math.min(now - last, 250);
  last = now;
  if (!running || !history || history.engine.fault) return;
  const ms = scanMs(),
    asFast = goal !== undefined || speed === Infinity;
  owed = asFast ? Infinity : owed + elapsed * speed;
  const until = performance.now() + BUDGET_MS,
    where = stopsNow();
  if (owed >= ms) linked.before(history);
  while (owed >= ms) {
    const batch = asFast ? 400 : Math.min(Math.floor(owed / ms), 50);
    takeChances(history, batch);
    const wasInside = history.isInside,
      scan = history.now;
    const done = history.run(batch, where);
    pace.scans += done;
    owed -= done * ms;
    dirty ||= done > 0;
    if (
      stopped ||
      history.engine.fault ||
      (done < batch && !wasInside) ||
      (wasInside && history.isInside && history.now === scan)
    ) {
      running = false;
      goal = undefined;
      dirty = true;
      break;
    }
    // Asked for more than this machine gives: simulated time simply goes slower.
    if (performance.now() > until) {
      if (!asFast) owed = 0;
      break;
    }
  }
  if (asFast) owed = 0;
  if (now - pace.at > 1000) pace = { at: now, scans: 0, reached: (pace.scans * ms) / (now - pace.at) };
}

const turnScans = (everyMs: number): number => Math.max(4, Math.round(everyMs / scanMs()));

/** Files what goes wrong in the turns that begin within the next scans. */
function takeChances(h: History, batch: number): void {
  if (!chance) return;
  const scans = turnScans(chance.everyMs);
  // Going on from the past begins with the turn that comes next there.
  chance.turn = Math.min(chance.turn, Math.ceil(h.now / scans));
  for (; chance.turn * scans < h.now + batch; chance.turn++) {
    const u = chanceUpset(chance.upsets, chance.seed, chance.turn, scans),
      at = chance.turn * scans - h.now;
    if (!u || at < 0) continue;
    const on = eventOf({ kind: 'write', path: u.path, value: '1' }),
      off = eventOf({ kind: 'write', path: u.path, value: '0' });
    if (typeof on === 'string' || typeof off === 'string') continue;
    h.schedule(at + u.from, on);
    h.schedule(at + u.from + u.lasts, off);
  }
}

function send(): void {
  if (!history) return;
  const h = history,
    frame = frameOf(h.engine, request);
  const halt = h.halt,
    callers = h
      .callPath()
      .slice(0, -1)
      .map((s) => ({ words: wordsOfSpan(s), ...placeOfSpan(s) }));
  const shownFrame: BenchFrame = {
    ...frame,
    power: h.isEarlierLogic ? sameRungs(frame.power) : frame.power,
    scan: h.now,
    timeMs: h.now * scanMs(),
    running: running && !h.engine.fault,
    speed,
    reached: running ? pace.reached : 0,
    start: h.start,
    end: h.end,
    scanMs: scanMs(),
    lines: h.lines(),
    seams: h.seams(),
    isEarlierLogic: h.isEarlierLogic,
    generation,
    ...(halt?.at ? { inside: { words: wordsOfSpan(halt.at), ...placeOfSpan(halt.at), callers, step: h.step } } : {}),
    ...(stopped ? { stopped } : {}),
    ...(trigger
      ? {
          trigger: {
            text: trigger.text,
            before: trigger.before,
            ...(trigger.fired !== undefined ? { fired: trigger.fired } : {}),
          },
        }
      : {}),
    ...(chance ? { chance: { seed: chance.seed, everyMs: chance.everyMs } } : {}),
    ...(goal ? { goal: goal.words } : search ? { goal: `looking for ${search.text}` } : {}),
  };
  post({ kind: 'frame', frame: shownFrame });
}

/** Power of those rungs that are today what they were when the scan shown was run. */
function sameRungs(power: BenchFrame['power']): BenchFrame['power'] {
  const then = sources.get(history!.engine.image)?.compiled,
    now = latest?.compiled;
  return Object.fromEntries(
    Object.entries(power).filter(
      ([id]) => id.startsWith('@') || then?.rungs.get(id)?.source.text === now?.rungs.get(id)?.source.text,
    ),
  );
}

const again = new MessageChannel();
let lastFrame = 0,
  /** Something was asked or done by hand since the last frame. */ isAwaited = false,
  /** A moving picture is looked at. */ isMoving = false;
function tick(): void {
  advance(performance.now());
  searchOn();
  tellOutside();
  const now = performance.now();
  if (now - lastFrame >= (isAwaited || isMoving ? FRAME_MS : CALM_MS) - 1) {
    isAwaited = false;
    if (dirty && !scopeIsDue) scopeIsDue = true;
    if (dirty) {
      dirty = false;
      send();
      lastFrame = now;
    }
    if (scopeIsDue) {
      sendScope();
      lastFrame = now;
    }
  }
  if ((running && (speed === Infinity || goal)) || search) again.port2.postMessage(0);
  else setTimeout(tick, FRAME_MS);
}
again.port1.onmessage = tick;
tick();
