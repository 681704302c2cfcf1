/**
 * A run as a file: the project it ran, the state it began in, and everything that came from outside, scan by scan.
 * Played again anywhere it ends in the same bytes; the file says which.
 */
import { many } from '../language/words.js';
import { sha256 } from '@noble/hashes/sha2.js';
import { bytesToHex } from '@noble/hashes/utils.js';
import { type Image, scanStep } from '../compile/image.js';
import { compile } from '../workspace/compile.js';
import type { Project } from '../document/document.js';
import { projectHash } from '../document/hash.js';
import { History } from '../runtime/history.js';
import type { BenchEvent } from '../runtime/stretch.js';
import type { Snapshot } from '../runtime/engine.js';
import { findPath, formatValue, parseValue } from '../runtime/paths.js';

export const RECORDING = 'ferrule-recording';

/** One thing that came from outside, before a scan: values as text, as the command line writes them. */
export interface RecordedEvent {
  readonly scan: number;
  readonly kind: 'write' | 'force' | 'release' | 'releaseAll';
  readonly path?: string;
  readonly value?: string;
  /** Of `force` and `release`: a card that was pulled and put in again, a byte of it. */ readonly by?: 'card';
}

export interface RunRecording {
  readonly format: typeof RECORDING;
  readonly version: 1;
  readonly name: string;
  /** SHA-256 of the project that ran. */
  readonly hash: string;
  /** Length of a scan in ns. */
  readonly stepNs: string;
  /** Where it does not begin with a cold start: the state then (base64), and the scan it stood at. */
  readonly start?: {
    readonly scan: number;
    readonly state: string;
    readonly forces: readonly {
      readonly path: string;
      readonly value: string;
      readonly by?: 'card';
      /** Of a forced input: what it is when it is released. */ readonly under?: string;
    }[];
  };
  readonly events: readonly RecordedEvent[];
  /** Scans done at the end, and SHA-256 of the state then. */
  readonly end: number;
  readonly digest: string;
  /** The project itself, in a file; one that is attached to a project leaves it out. */
  readonly project?: Project;
}

const digest = (bytes: Uint8Array): string => bytesToHex(sha256(bytes.subarray(64)));

/** The run of the current line, from where its logic began, up to its end. Stands at the end afterwards. */
export function recordRun(history: History, project: Project, name: string): RunRecording {
  history.goTo(history.end);
  const { image } = history,
    first = history.recordingStart();
  const text = (path: string, value: Parameters<typeof formatValue>[1]) => {
    const f = findPath(image, path);
    return 'location' in f ? formatValue(f.location.type, value) : String(value);
  };
  const events = history.recording().map(({ scan, event }): RecordedEvent => {
    if (event.kind === 'releaseAll') return { scan, kind: 'releaseAll' };
    const by = event.kind === 'force' && event.by ? { by: event.by } : {};
    if (event.kind === 'force' && event.value === undefined) return { scan, kind: 'release', path: event.path, ...by };
    return { scan, kind: event.kind, path: event.path, value: text(event.path, event.value!), ...by };
  });
  const isCold = first.scan === 0 && !first.forces.length && same(first.bytes, history.coldStart());
  return {
    format: RECORDING,
    version: 1,
    name,
    hash: projectHash(project),
    stepNs: String(history.engine.stepNs),
    ...(isCold
      ? {}
      : {
          start: {
            scan: first.scan,
            state: toBase64(first.bytes),
            forces: first.forces.map((f) => ({
              path: f.path,
              value: text(f.path, f.value),
              ...(f.by ? { by: f.by } : {}),
              ...(f.under === undefined ? {} : { under: text(f.path, f.under) }),
            })),
          },
        }),
    events,
    end: history.end,
    digest: digest(history.engine.snapshot().bytes),
    project,
  };
}

/**
 * A stretch of a run that happened elsewhere, as a recording: played here once more, to know the bytes that it ends in.
 * Throws where the project does not compile or the stretch is not of it.
 */
export function recordedStretch(
  project: Project,
  stretch: {
    readonly first: Snapshot;
    readonly events: readonly { readonly scan: number; readonly event: BenchEvent }[];
    readonly end: number;
  },
  name: string,
): RunRecording {
  const compiled = compile([{ kind: 'project', name: project.name, project }]);
  if (!compiled.canRun) throw new Error('The recorded program has errors.');
  const image = compiled.build(true),
    history = new History(image, { stepNs: scanStep(image), wires: compiled.wires });
  if (stretch.first.bytes.length !== image.stateSize)
    throw new Error('The recording begins in a state of other logic.');
  history.load(stretch.events, stretch.end, stretch.first);
  return recordRun(history, project, name);
}

/** Reads a recording; the sentence says what is wrong with it. */
export function readRecording(text: string): RunRecording | { readonly error: string } {
  let r: Partial<RunRecording>;
  try {
    r = JSON.parse(text) as Partial<RunRecording>;
  } catch (e) {
    return { error: `This is not a recording: ${(e as Error).message}.` };
  }
  if (typeof r !== 'object' || r === null) return { error: 'This is not a recording: it is no object.' };
  if (r.format !== RECORDING)
    return { error: 'This is not a recording of a run; it should say "format": "ferrule-recording".' };
  if (r.version !== 1)
    return { error: `This recording has version ${String(r.version)}; this Ferrule reads version 1.` };
  const isEvent = (e: unknown): e is RecordedEvent =>
    typeof e === 'object' &&
    e !== null &&
    Number.isSafeInteger((e as RecordedEvent).scan) &&
    (e as RecordedEvent).scan >= 0 &&
    ['string', 'undefined'].includes(typeof (e as RecordedEvent).path) &&
    ['string', 'undefined'].includes(typeof (e as RecordedEvent).value) &&
    isBy(e) &&
    ['write', 'force', 'release', 'releaseAll'].includes((e as RecordedEvent).kind);
  if (
    !Array.isArray(r.events) ||
    !Number.isSafeInteger(r.end) ||
    typeof r.digest !== 'string' ||
    typeof r.stepNs !== 'string'
  )
    return { error: 'The recording is not complete: events, end, digest and stepNs must be there.' };
  if (!/^\d{1,15}$/.test(r.stepNs) || r.stepNs === '0')
    return { error: `'${r.stepNs.slice(0, 40)}' is no length of a scan; stepNs is a number of nanoseconds.` };
  if (r.start !== undefined && !isStart(r.start))
    return { error: 'The start of the recording is none: it needs a scan, a state (base64) and forces.' };
  const scans = (r.end as number) - (r.start?.scan ?? 0);
  if (scans < 0 || scans > MOST_SCANS)
    return {
      error: `The recording ends ${scans < 0 ? 'before it begins' : `after ${many(scans, 'scan')}; up to ${MOST_SCANS.toLocaleString('en')} are played`}.`,
    };
  const bad = r.events.findIndex((e) => !isEvent(e));
  if (bad >= 0) return { error: `Event ${bad + 1} of the recording is not one: it needs a scan and a kind.` };
  return r as RunRecording;
}

/** Scans of a recording at most: a day at 1 ms. */
const MOST_SCANS = 86_400_000;
const isStart = (s: unknown): boolean => {
  const { scan, state, forces } = (typeof s === 'object' && s !== null ? s : {}) as Record<string, unknown>;
  return (
    Number.isSafeInteger(scan) &&
    (scan as number) >= 0 &&
    typeof state === 'string' &&
    state.length % 4 === 0 &&
    /^[A-Za-z0-9+/]*={0,2}$/.test(state) &&
    Array.isArray(forces) &&
    forces.every((f: unknown) => {
      const { path, value, under } = (typeof f === 'object' && f !== null ? f : {}) as Record<string, unknown>;
      return (
        typeof path === 'string' &&
        typeof value === 'string' &&
        (under === undefined || typeof under === 'string') &&
        isBy(f as object)
      );
    })
  );
};

const isBy = (x: { readonly by?: unknown }): boolean => x.by === undefined || x.by === 'card';

export interface Played {
  /** Whether it ended in the bytes that the recording says. */ readonly isSame: boolean;
  readonly scans: number;
  /** What could not be applied. */ readonly dropped: readonly string[];
}

/** Plays a recording on a line of its own; it stands at its end afterwards. */
export function playRecording(history: History, image: Image, r: RunRecording): Played | { readonly error: string } {
  if (BigInt(r.stepNs) !== history.engine.stepNs)
    return {
      error: `The recording was made with scans of ${Number(r.stepNs) / 1e6} ms, this project runs with ${Number(history.engine.stepNs) / 1e6} ms.`,
    };
  const dropped: string[] = [];
  const parse = (path: string, value: string) => {
    const f = findPath(image, path);
    if ('error' in f) {
      dropped.push(f.error);
      return undefined;
    }
    const v = parseValue(f.location.type, value);
    if ('error' in v) {
      dropped.push(v.error);
      return undefined;
    }
    return v.value;
  };
  const events = r.events.flatMap((e): { scan: number; event: BenchEvent }[] => {
    if (e.kind === 'releaseAll') return [{ scan: e.scan, event: { kind: 'releaseAll' } }];
    const by = e.by ? { by: e.by } : {};
    if (e.kind === 'release') return [{ scan: e.scan, event: { kind: 'force', path: e.path ?? '', ...by } }];
    const value = parse(e.path ?? '', e.value ?? '');
    if (value === undefined) return [];
    return [
      {
        scan: e.scan,
        event:
          e.kind === 'force' ? { kind: 'force', path: e.path!, value, ...by } : { kind: 'write', path: e.path!, value },
      },
    ];
  });
  let first: Snapshot | undefined;
  if (r.start) {
    const bytes = fromBase64(r.start.state);
    if (bytes.length !== image.stateSize)
      return { error: 'The recording begins in a state of other logic; open the project in its file to play it.' };
    first = {
      scan: r.start.scan,
      bytes,
      forces: r.start.forces.flatMap((f) => {
        const value = parse(f.path, f.value);
        if (value === undefined) return [];
        const under = f.under === undefined ? undefined : parse(f.path, f.under);
        return [{ path: f.path, value, ...(f.by ? { by: f.by } : {}), ...(under === undefined ? {} : { under }) }];
      }),
    };
  }
  history.load(events, r.end, first);
  history.goTo(history.end);
  return {
    isSame: history.end === r.end && digest(history.engine.snapshot().bytes) === r.digest,
    scans: history.end,
    dropped,
  };
}

const same = (a: Uint8Array, b: Uint8Array): boolean => a.length === b.length && a.every((x, i) => x === b[i]);
function toBase64(bytes: Uint8Array): string {
  let s = '';
  for (const b of bytes) s += String.fromCharCode(b);
  return btoa(s);
}
function fromBase64(text: string): Uint8Array {
  const s = atob(text);
  return Uint8Array.from(s, (c) => c.charCodeAt(0));
}
