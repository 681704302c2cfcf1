/**
 * The project document: one JSON value, versioned. Logic is kept as text — rungs as rung lines, blocks as
 * structured text — so that files compare well; ids are stable, so that undo, compare and live edit follow a
 * thing through renames and moves.
 */
export const FORMAT = 'ferrule-project';
export const VERSION = 1;

export interface Tag {
  readonly id: string;
  readonly name: string;
  readonly type: string;
  readonly address?: string;
  readonly initial?: string;
  readonly description?: string;
  readonly unit?: string;
  /** How an input is wired: closed at rest (NC) or open at rest (NO). */
  readonly wiring?: 'NO' | 'NC';
  readonly retain?: boolean;
  readonly constant?: boolean;
  /** Values it is meant to hold, `0..100`; for entries and displays, not a subrange of the type. */
  readonly range?: string;
  /** A second name: the tag, member or bit it stands for. It has no value, type or address of its own then. */
  readonly standsFor?: string;
  /** What other programs may do with it over open protocols; nothing when left out. */
  readonly access?: 'read' | 'write';
}

export interface TypeText { readonly id: string; /** `Name : …;` between TYPE and END_TYPE. */ readonly text: string }

export interface RungText { readonly id: string; readonly line: string; readonly comment?: string; readonly heading?: string }

export type ProjectPou =
  | { readonly id: string; readonly name: string; readonly language: 'LD'; readonly kind: 'program' | 'functionBlock'; readonly description?: string; /** Its own variables: `VAR … END_VAR` sections as the standard writes them. */ readonly variables?: string; readonly rungs: readonly RungText[] }
  /** Whole text, declarations and body, as the standard writes it. */
  | { readonly id: string; readonly name: string; readonly language: 'ST'; readonly kind: 'program' | 'functionBlock' | 'function'; readonly description?: string; readonly text: string };

export interface ProjectTask { readonly id: string; readonly name: string; readonly interval: string; /** Runs once each time this comes on, instead of cyclically. */ readonly event?: string; readonly priority: number; readonly programs: readonly string[] }

export interface Device {
  readonly id: string;
  readonly name: string;
  readonly type: string;
  readonly label?: string;
  /** Colour of a cap or lamp (IEC 60073). */
  readonly colour?: 'red' | 'yellow' | 'green' | 'blue' | 'white' | 'black';
  /** Keyboard key that works it. */
  readonly key?: string;
  readonly parameters?: Readonly<Record<string, string>>;
  /** Terminal → tag path; `Device.Terminal` of another device for a mechanical link. */
  readonly wires?: Readonly<Record<string, string>>;
}

export interface CheckRow { readonly id: string; readonly when?: string; readonly do?: readonly string[]; readonly expect?: readonly string[] }
export interface SequenceCheck { readonly id: string; readonly name: string; readonly note?: string; readonly rows: readonly CheckRow[] }
export interface InterlockRule { readonly id: string; readonly name: string; readonly sentence: string }

/** A module of the I/O layout: so many bytes of inputs or outputs from a first one on. */
export interface IoModule { readonly id: string; readonly name: string; readonly area: 'I' | 'Q'; readonly start: number; readonly bytes: number }

/** Numbers as they are, in hexadecimal or binary, as a length of time (ms), or as characters. */
export const FORMATS = ['decimal', 'hex', 'binary', 'time', 'text'] as const;
export type NumberFormat = (typeof FORMATS)[number];
export interface WatchRow { readonly path: string; readonly format?: NumberFormat }
export interface WatchList { readonly id: string; readonly name: string; readonly rows: readonly WatchRow[] }
/** A run that was kept with the project: see `files/recording`. */
export interface AttachedRun { readonly id: string; readonly name: string; readonly recording: string }
/** What belongs to the bench: lists of tags to watch, keys that work inputs, runs that were kept. */
export interface BenchDesk { readonly watches?: readonly WatchList[]; readonly keys?: readonly { readonly path: string; readonly key: string }[]; readonly runs?: readonly AttachedRun[] }

export interface Project {
  readonly format: typeof FORMAT;
  readonly version: typeof VERSION;
  readonly name: string;
  readonly description?: string;
  readonly tags: readonly Tag[];
  readonly types: readonly TypeText[];
  readonly pous: readonly ProjectPou[];
  readonly tasks: readonly ProjectTask[];
  /** The I/O layout; without one, every address counts as there. */
  readonly modules?: readonly IoModule[];
  readonly machine: { readonly devices: readonly Device[] };
  readonly checks: readonly SequenceCheck[];
  readonly rules: readonly InterlockRule[];
  /** What the project makes of the rules of checking that it does not leave at 'warning', by code. */
  readonly checking?: Readonly<Record<string, 'error' | 'warning' | 'off'>>;
  /** Paths on the scope. */
  readonly scope: readonly string[];
  readonly bench?: BenchDesk;
}

export function emptyProject(name: string): Project {
  return {
    format: FORMAT, version: VERSION, name, tags: [], types: [], tasks: [{ id: 'task1', name: 'Main', interval: '10 ms', priority: 1, programs: ['Main'] }],
    pous: [{ id: 'pou1', name: 'Main', language: 'LD', kind: 'program', rungs: [] }], machine: { devices: [] }, checks: [], rules: [], scope: [],
  };
}

/** The document as the text of a `.ferrule.json`: keys in the order above, so that equal projects are equal files. */
export function projectText(p: Project): string {
  return `${JSON.stringify(p, null, 2)}\n`;
}
