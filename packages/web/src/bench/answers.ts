/**
 * Answers to what the page asks about the program the bench has: runs in the bench worker, beside the engine.
 *
 * What the page asks about the program (hover, completion, fixes, uses, members, memory) goes to the same worker as
 * questions with answers (`bench/answers.ts`): it has the checked program already, and an answer is always of the
 * program last sent. Values beside the lines of a text are ordinary paths; which branch was taken is a probe of the
 * watched build, named by the offset of the branch's first statement.
 */
import { type Board, type Project, MACHINE, applyEdit } from '@ferrule/core/document';
import {
  type Compiled,
  Compiler,
  completionsAt,
  fixesFor,
  fixesThatHelp,
  undeclaredNames,
  hoverAt,
  ioPoints,
  memoryMap,
  placeOfDefinition,
  referencesAt,
  renameAt,
  signatureAt,
  watchText,
} from '@ferrule/core/workspace';
import { type Diagnostic, type Span, type Type, positionOf, sizeOf, typeText } from '@ferrule/core/language';
import {
  Engine,
  type History,
  type Image,
  type WhyPlace,
  firstScans,
  formatValue,
  nanosecondsAsMs,
  profileScan,
  longestChain,
  spansOf,
  stepTags,
  wholeNumbers,
  waitings,
  readLocation,
  transferState,
  why,
  findPath,
} from '@ferrule/core/bench';
import {
  VcdWriter,
  csvLine,
  playRecording,
  readRecording,
  recordRun,
  powerPins,
  projectToText,
  projectToXml,
  readText,
} from '@ferrule/core/files';
import { buildC, pinsText } from '@ferrule/core/boards';
import { doneIn, LONGEST_CHECK_NS, checkOfWrong, proposeCheck, saidAt } from '@ferrule/core/verify';
import { rungToText } from '@ferrule/core/ladder';
import { compileConditions } from './conditions.js';
import type { Answers, Ask } from './protocol.js';

export interface Latest {
  readonly project: Project;
  readonly compiled: Compiled;
  image: Image | undefined;
  diagnostics: readonly Diagnostic[];
  history: History | undefined;
  readonly sources: (image: Image) => { readonly compiled: Compiled; readonly project: Project } | undefined;
  /** The problems of another version of the project; this one stays the latest. */
  readonly check: (project: Project) => readonly Diagnostic[];
  /** Keeps the course of a path from now on. */ readonly timed: (path: string) => void;
  /** Counts the programs taken. */ readonly generation: () => number;
  /** Whether a condition that is looked at holds. */ readonly holds: (text: string, e: Engine) => boolean;
}

/** `Cell rung 3`, `PullTest line 12`. */
export function wordsOfSpan(s: Span): string {
  const o = s.source.origin;
  return o.kind === 'rung'
    ? `${o.pou} rung ${o.number}`
    : `${o.kind === 'pou' ? o.name : s.source.name} line ${positionOf(s.source, s.start).line}`;
}
export function placeOfSpan(s: Span): { readonly place?: WhyPlace } {
  const o = s.source.origin;
  return o.kind === 'rung'
    ? { place: { kind: 'rung', pou: o.pouId, rung: o.rungId } }
    : o.kind === 'pou'
      ? { place: { kind: 'text', pou: o.id, at: s.start, end: s.end } }
      : {};
}

/** The logic as C, or what keeps it from being some. */
function forBoard(compiled: Compiled, project: Project, { target, pins }: Board): Answers['board']['answer'] {
  if (compiled.hasErrors) return { problem: 'The logic has errors: mend them first (F8 walks them).' };
  if (!compiled.program.instances.some((i) => i.name !== MACHINE)) return { problem: 'No program runs in any task.' };
  const built = buildC(compiled, {
    target,
    title: project.name,
    comments: new Map(project.tags.flatMap((t) => (t.description ? [[t.name.toLowerCase(), t.description]] : []))),
    ...(pins.length && target !== 'linux' ? { pins: pinsText(pins) } : {}),
  });
  if ('message' in built)
    return {
      problem: built.message,
      // The table stands below a header, and counts from 0.
      ...(built.problems ? { rows: built.problems.map((p) => ({ row: p.line - 2, words: p.words })) } : {}),
    };
  const { files, use, wiring, without } = built;
  return { files: [...files], without, ...(use ? { use } : {}), ...(wiring !== undefined ? { wiring } : {}) };
}

/** How long a look ahead may hold the bench up, in ms. */
const MOST_AHEAD_MS = 300;
let counter = 0;
const newId = (prefix: string): string => `${prefix}${Date.now().toString(36)}w${(counter++).toString(36)}`;

/** The answer, or undefined before there is a program to ask about. */
export function answer(ask: Ask, latest: Latest | undefined): Answers[keyof Answers]['answer'] {
  if (!latest) return undefined;
  const { project, compiled, image, history } = latest;
  switch (ask.question) {
    case 'hover':
      return hoverAt(project, compiled, ask.about.place, ask.about.offset);
    case 'definition':
      return placeOfDefinition(project, compiled, ask.about.place, ask.about.offset, ask.about.word);
    case 'references':
      return referencesAt(compiled, ask.about.place, ask.about.offset);
    case 'rename':
      return renameAt(project, compiled, ask.about.place, ask.about.offset, ask.about.to);
    case 'complete':
      return completionsAt(project, compiled, ask.about.pou, ask.about.before);
    case 'signature':
      return signatureAt(compiled, ask.about.pou, ask.about.before);
    case 'watch':
      return image && watchText(compiled, image, ask.about.id, ask.about.pou, ask.about.wanted);
    case 'memory':
      return memoryMap(compiled.program);
    case 'undeclared':
      return undeclaredNames(project, compiled, latest.diagnostics, newId);
    case 'fixes': {
      const d = latest.diagnostics[ask.about.problem];
      return d ? fixesThatHelp(project, d, fixesFor(project, compiled, d, newId), latest.check) : [];
    }
    case 'errorsOf': {
      const { edit, tag } = ask.about,
        next = applyEdit(project, edit);
      const errorsAt = (list: readonly Diagnostic[]) =>
        list.flatMap((d) =>
          d.severity === 'error' && d.at.source.origin.kind === 'tag' && d.at.source.origin.id === tag
            ? [d.message]
            : [],
        );
      if ('refused' in next) return [next.refused];
      const before = new Set(errorsAt(compiled.diagnostics));
      return errorsAt(latest.check(next.project)).filter((m) => !before.has(m));
    }
    case 'toText':
      return rungToText(ask.about.line, { block: powerPins(compiled, ask.about.pou) });
    case 'textOut':
      return projectToText(project, compiled);
    case 'xmlOut':
      return projectToXml(project, compiled);
    case 'board':
      return forBoard(compiled, project, ask.about.board);
    case 'textIn':
      return readText(ask.about.text, project, newId);
    case 'why':
      return history
        ? why(
            { past: history.past, project, compiled: (i) => latest.sources(i)?.compiled },
            ask.about.path,
            ask.about.scan ?? history.now,
          )
        : undefined;
    case 'profile': {
      if (!history || !image || history.now <= history.start || history.isEarlierLogic) return [];
      const engine = history.past.engineAt(history.now - 1);
      return profileScan(new Engine(image, { stepNs: engine.stepNs, wires: compiled.wires }), engine.snapshot(), () =>
        performance.now(),
      ).map((p) => ({
        words: wordsOfSpan(p.at),
        ...placeOfSpan(p.at),
        task: p.task,
        program: p.program,
        micros: p.micros,
      }));
    }
    case 'firstScans': {
      if (!history || !image) return { on: [], scans: 0 };
      const kept = ask.about.warm
        ? transferState(history.engine.image, history.engine.snapshot().bytes, image, 'retained').bytes
        : undefined;
      const until = performance.now() + MOST_AHEAD_MS;
      return firstScans(
        image,
        { stepNs: history.engine.stepNs, wires: compiled.wires },
        kept,
        () => performance.now() > until,
      );
    }
    case 'waits': {
      if (!history || history.isEarlierLogic) return undefined;
      const { path, texts } = ask.about,
        now = history.now;
      const since = (text: string) =>
        history.past.lastChangeOf(
          now,
          [...image!.symbols.values()]
            .filter((s) => new RegExp(`\\b${s.name.split('.')[0]!}\\b`, 'i').test(text))
            .map((s) => s.name),
          (e) => latest.holds(text, e),
          3000,
        )?.scan ?? history.start;
      return {
        since: history.past.lastChange(path, now)?.scan ?? history.start,
        holds: texts.map((text) => ({
          text,
          holds: latest.holds(text, history.past.engineAt(now)),
          since: since(text),
        })),
      };
    }
    case 'steps':
      return history && image ? stepsIn(project, image, history, latest, ask.about) : undefined;
    case 'ended':
      return history && !history.isEarlierLogic ? endedBy(history, latest, ask.about) : undefined;
    case 'chain':
      return history ? chainIn(history, latest, ask.about) : undefined;
    case 'given':
      return history && { events: history.doneOutside(), end: history.end };
    case 'courses':
      return history ? coursesOf(history, latest, ask.about) : undefined;
    case 'difference':
      return history?.past.differences(ask.about.line, ask.about.paths, MOST_COMPARED, ask.about.from);
    case 'record':
      return history && compiled.canRun ? recordRun(history, project, ask.about.name) : undefined;
    case 'playBack': {
      const r = readRecording(ask.about.text);
      return 'error' in r
        ? r
        : history && image
          ? playRecording(history, image, r)
          : { error: 'Nothing runs yet: mend the logic first.' };
    }
    case 'span':
      return history?.traces.spanAt(ask.about.path, ask.about.scan, ask.about.within, MOST_COMPARED);
    case 'traces':
      return history ? tracesText(history, ask.about) : { error: 'Nothing runs yet: mend the logic first.' };
    case 'check':
      return recordedCheck(project, history, ask.about);
    case 'done':
      return history ? doneIn(history, project, history.end).map((d) => d.text) : [];
    case 'condition':
      return !latest.compiled.canRun
        ? undefined
        : compileConditions(new Compiler(), project, [ask.about.text]).problems.get(ask.about.text);
    case 'ioPoints':
      return image
        ? ioPoints(project, image).map((p) => ({
            path: p.path,
            type: typeText(p.type),
            isInput: p.location.section === 'input',
          }))
        : [];
    case 'saidAt':
      return history ? saidAt(history, ask.about.paths, Math.min(history.end, ask.about.scan)) : [];
    case 'wrong':
      return tooLate(history, ask.about.to) ?? checkOfWrong(history!, project, ask.about, () => newId('k'));
    case 'wholeNumbers':
      return image ? wholeNumbers(image) : [];
    case 'members':
      return image ? membersOf(image, ask.about.path) : [];
    case 'layout':
      return layoutOf(compiled.program.types.get(ask.about.type.toLowerCase()));
  }
}

/** Changes are replayed for so many scans at a time where they were not recorded. */
const MOST_REPLAYED = 60_000;

function stepsIn(
  project: Project,
  image: Image,
  history: History,
  latest: Latest,
  { paths, from = history.start, line }: Answers['steps']['ask'],
): NonNullable<Answers['steps']['answer']> {
  for (const p of paths) latest.timed(p);
  const end = line === undefined ? history.end : (history.lines().find((l) => l.id === line)?.end ?? history.end);
  const { courses, complete } = history.traces.courses(paths, from, end, Math.max(1, end - from), MOST_REPLAYED, line);
  return {
    tags: stepTags(project, image, paths),
    line: line ?? history.lines().find((l) => l.isCurrent)!.id,
    start: history.start,
    end,
    stepMs: Number(history.engine.stepNs) / 1e6,
    generation: latest.generation(),
    courses: courses.map(({ path, points }) => ({ path, points })),
    complete,
  };
}

function coursesOf(
  history: History,
  latest: Latest,
  { paths, from, to, pixels, line }: Answers['courses']['ask'],
): NonNullable<Answers['courses']['answer']> {
  for (const p of paths) latest.timed(p);
  const { courses, complete } = history.traces.courses(paths, from, to, pixels, MOST_REPLAYED, line);
  return { courses, complete };
}

/** Scans looked back for when a condition came. */
const MOST_LOOKED = 20_000;
function endedBy(
  history: History,
  latest: Latest,
  { scan, from, texts }: Answers['ended']['ask'],
): NonNullable<Answers['ended']['answer']> {
  const names = [...latest.image!.symbols.values()].map((s) => s.name);
  return texts.map((text) => {
    // A scan changes what the next step begins with: what held before it counts as well as what came with it.
    const at = [scan, scan - 1].find((n) => n >= history.start && latest.holds(text, history.past.engineAt(n)));
    if (at === undefined) return { text, held: undefined };
    const used = names.filter((n) => new RegExp(`\\b${n.split('.')[0]!}\\b`, 'i').test(text));
    const since = history.past.lastChangeOf(at, used, (e) => latest.holds(text, e), MOST_LOOKED)?.scan ?? history.start;
    return { text, held: scan - Math.max(since, from) };
  });
}

/** How long a chain may hold the bench up, in ms. */
const MOST_CHAIN_MS = 1500;
function chainIn(history: History, latest: Latest, asked: Answers['chain']['ask']): Answers['chain']['answer'] {
  const until = performance.now() + MOST_CHAIN_MS;
  const { courses } = history.traces.courses(asked.paths, asked.from, asked.to, asked.to - asked.from, MOST_REPLAYED);
  const tracks = courses.map((c) => ({ path: c.path, spans: spansOf(c.points, history.start, asked.to) }));
  let isCut = false;
  const known = new Map<string, { readonly path: string; readonly scan: number } | undefined>();
  const causeOf = (path: string, scan: number) => {
    const key = `${path} ${scan}`;
    if (known.has(key)) return known.get(key);
    if (performance.now() > until) {
      isCut = true;
      return undefined;
    }
    const answered = why(
      { past: history.past, project: latest.project, compiled: (i) => latest.sources(i)?.compiled },
      path,
      scan,
    );
    const hit =
      'error' in answered
        ? undefined
        : answered.links.find((l) => asked.paths.some((p) => p !== path && p.toLowerCase() === l.path.toLowerCase()));
    const cause = hit && {
      path: asked.paths.find((p) => p.toLowerCase() === hit.path.toLowerCase())!,
      scan: hit.scan,
    };
    known.set(key, cause);
    return cause;
  };
  return {
    chain: longestChain(tracks, asked.path, asked.from, asked.to, causeOf),
    waits: waitings(tracks, asked.from, asked.to, causeOf),
    isCut,
  };
}

/** Scans compared in one go, so that the bench answers others meanwhile. */
const MOST_COMPARED = 20_000;

/** Why a check cannot go on to a scan; undefined where it can. */
function tooLate(history: History | undefined, to: number): { readonly error: string } | undefined {
  if (!history) return { error: 'Nothing runs yet: mend the logic first.' };
  return BigInt(to) * history.engine.stepNs > LONGEST_CHECK_NS
    ? {
        error: `A check begins at the cold start and plays for an hour at most; this stretch ends ${Math.round(Number(BigInt(to) * history.engine.stepNs) / 60e9).toLocaleString('en')} minutes after it. Restart, do it again, and record that.`,
      }
    : undefined;
}

function recordedCheck(
  project: Project,
  history: History | undefined,
  asked: Answers['check']['ask'],
): Answers['check']['answer'] {
  const late = tooLate(history, asked.to);
  if (late) return late;
  const made = proposeCheck(history!, project, asked, () => newId('k'));
  return made.rows.length ? made : { error: 'Nothing happened in this stretch that could be checked.' };
}

/** Values of tags scan by scan, as a waveform file or as a table. */
function tracesText(history: History, { as, paths, from, to }: Answers['traces']['ask']): Answers['traces']['answer'] {
  const columns = paths.flatMap((name) => {
    const f = findPath(history.image, name);
    return 'location' in f ? [{ name, location: f.location }] : [];
  });
  const first = Math.max(history.start, from),
    last = Math.min(history.end, to),
    stepNs = history.engine.stepNs;
  if (!columns.length) return { error: 'No tag is on the scope yet.' };
  if (last - first > MOST_ROWS)
    return {
      error: `That would be ${(last - first).toLocaleString('en')} scans; a file takes ${MOST_ROWS.toLocaleString('en')} at most. Set the cursors A and B around what you need.`,
    };
  const vcd = new VcdWriter(columns);
  const parts = [as === 'vcd' ? vcd.header : `${csvLine(['t_ms', ...columns.map((c) => c.name)])}\n`];
  for (let n = first; n <= last; n++) {
    const e = history.past.engineAt(n),
      t = BigInt(n) * stepNs;
    const values = columns.map((c) => readLocation(e.view, c.location));
    parts.push(
      as === 'vcd'
        ? vcd.row(t, values)
        : `${csvLine([nanosecondsAsMs(t), ...columns.map((c, i) => formatValue(c.location.type, values[i]!))])}\n`,
    );
  }
  // The end of the recording is a time too, also where nothing changed.
  if (as === 'vcd') parts.push(`#${BigInt(last) * stepNs}\n`);
  return { text: parts.join('') };
}
const MOST_ROWS = 500_000;

/** Elements shown of an array at most; further ones are reached by typing their path. */
const MOST = 500;

function membersOf(image: Image, path: string): Answers['members']['answer'] {
  const found = findPath(image, path);
  if ('error' in found) return [];
  const t = found.location.type;
  const one = (step: string, name: string, type: Type) => ({
    path: path + step,
    name,
    type: typeText(type),
    hasMembers: type.kind === 'struct' || type.kind === 'block' || type.kind === 'array' || bits(type) > 0,
  });
  if (t.kind === 'struct') return t.members.map((m) => one(`.${m.name}`, m.name, m.type));
  if (t.kind === 'block')
    return t.layout.members
      .filter((m) => m.section !== 'hidden' && m.section !== 'inout')
      .map((m) => one(`.${m.name}`, m.name, m.type));
  if (t.kind === 'array') {
    const [first] = t.bounds;
    if (!first || t.bounds.length > 1) return [];
    return Array.from({ length: Math.min(MOST, first.high - first.low + 1) }, (_, i) =>
      one(`[${first.low + i}]`, `[${first.low + i}]`, t.element),
    );
  }
  const n = bits(t);
  return Array.from({ length: n }, (_, i) => ({
    path: `${path}.${i}`,
    name: `.${i}`,
    type: 'BOOL',
    hasMembers: false,
  }));
}
const bits = (t: Type): number =>
  t.kind === 'elementary' && /^(BYTE|WORD|DWORD|LWORD)$/.test(t.name) ? sizeOf(t) * 8 : 0;

function layoutOf(t: Type | undefined): Answers['layout']['answer'] {
  if (t?.kind !== 'struct') return undefined;
  const members = t.members.map((m, i) => {
    const size = sizeOf(m.type),
      next = t.members[i + 1]?.offset ?? t.size;
    return { name: m.name, offset: m.offset, size, padding: t.overlap ? 0 : Math.max(0, next - m.offset - size) };
  });
  return { size: t.size, members };
}
