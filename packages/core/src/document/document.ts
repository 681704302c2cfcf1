import type { DeviceKind } from '../machine/device.js';

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
  /** Of a whole number that holds steps: what its values are called, `0 Idle, 10 Fill`. */
  readonly valueNames?: string;
  /** Of an output: the value that it takes in stop and after a fault; off, or 0, when left out. */
  readonly stop?: string;
  /** A second name: the tag, member or bit it stands for. It has no value, type or address of its own then. */
  readonly standsFor?: string;
  /** What other programs may do with it over open protocols; nothing when left out. */
  readonly access?: 'read' | 'write';
  /** Its place over Modbus, where that is not made from its address: `coil 12`, `holding 40`. */
  readonly modbus?: string;
}

export interface TypeText {
  readonly id: string;
  /** `Name : …;` between TYPE and END_TYPE. */ readonly text: string;
}

export interface RungText {
  readonly id: string;
  readonly line: string;
  readonly comment?: string;
  readonly heading?: string;
}

export type ProjectPou =
  | {
      readonly id: string;
      readonly name: string;
      readonly language: 'LD';
      readonly kind: 'program' | 'functionBlock';
      readonly description?: string;
      /** Its own variables: `VAR … END_VAR` sections as the standard writes them. */ readonly variables?: string;
      readonly rungs: readonly RungText[];
    }
  /** Whole text, declarations and body, as the standard writes it. */
  | {
      readonly id: string;
      readonly name: string;
      readonly language: 'ST';
      readonly kind: 'program' | 'functionBlock' | 'function';
      readonly description?: string;
      readonly text: string;
    };

export interface ProjectTask {
  readonly id: string;
  readonly name: string;
  readonly interval: string;
  /** Runs once each time this comes on, instead of cyclically. */ readonly event?: string;
  readonly priority: number;
  readonly programs: readonly string[];
}

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
  /** Outputs whose contact was bought closed at rest (NC): their tags read the other way round. */
  readonly nc?: readonly string[];
  /** Where it is drawn, when not along the flow: a seat of another device's picture, `Air.Branch1`, `Belt.Above`. */
  readonly sits?: string;
  /** How its picture is turned, in degrees clockwise, and whether left and right are changed. */
  readonly turn?: 90 | 180 | 270;
  readonly mirrored?: true;
}

/**
 * One shape of the picture of a device, around the origin of its place; y goes down. Numbers are expressions over the
 * device's variables (`20 + 40 * Position`), so is what it is lit or shown by; a text may hold `{Level:1}`, a value
 * with so many decimals.
 */
export interface PictureShape {
  readonly id: string;
  readonly shape: 'box' | 'round' | 'line' | 'bar' | 'lamp' | 'text';
  readonly x: string;
  readonly y: string;
  /** Width and height of a box or bar, diameter of a round, where a line goes to. */
  readonly w?: string;
  readonly h?: string;
  /** Degrees, clockwise. */
  readonly turn?: string;
  readonly lit?: string;
  readonly show?: string;
  /** How far a bar is filled, 0 to 1. */
  readonly fill?: string;
  readonly text?: string;
  /**
   * How often it is drawn, up to 40 times; `Nth` in its other fields is the number of the one that is drawn, from 1.
   */
  readonly times?: string;
}
/** A kind of device of the project's own: behaviour in structured text, and a picture. */
export interface OwnKind extends DeviceKind {
  readonly id: string;
  /** Room of the picture along the flow. */ readonly width: number;
  readonly picture: readonly PictureShape[];
}

export interface CheckRow {
  readonly id: string;
  readonly when?: string;
  readonly do?: readonly string[];
  readonly expect?: readonly string[];
}
/** Values that a check is played with, one run a row; `{Column}` in its sentences stands for them. */
export interface CheckTable {
  readonly columns: readonly string[];
  readonly rows: readonly (readonly string[])[];
}
export interface SequenceCheck {
  readonly id: string;
  readonly name: string;
  readonly note?: string;
  /** The check (by its id) whose rows are played first. */ readonly begins?: string;
  readonly rows: readonly CheckRow[];
  readonly table?: CheckTable;
}
/**
 * `assumed`: not to be proved but taken for granted in proofs, as something the machine never does otherwise; checks
 * and searches judge it like a rule.
 */
export interface InterlockRule {
  readonly id: string;
  readonly name: string;
  readonly sentence: string;
  readonly assumed?: boolean;
}

/** A module of the I/O layout: so many bytes of inputs or outputs from a first one on. */
export interface IoModule {
  readonly id: string;
  readonly name: string;
  readonly area: 'I' | 'Q';
  readonly start: number;
  readonly bytes: number;
}

/** Numbers as they are, in hexadecimal or binary, as a length of time (ms), or as characters. */
export const FORMATS = ['decimal', 'hex', 'binary', 'time', 'text'] as const;
export type NumberFormat = (typeof FORMATS)[number];
export interface WatchRow {
  readonly path: string;
  readonly format?: NumberFormat;
}
export interface WatchList {
  readonly id: string;
  readonly name: string;
  readonly rows: readonly WatchRow[];
}
/** A run that was kept with the project: see `files/recording`. */
export interface AttachedRun {
  readonly id: string;
  readonly name: string;
  readonly recording: string;
}
/** What was found at a point of the I/O when it was tried, by whom and when (ISO 8601). */
export const POINT_STATES = ['right', 'swapped', 'inverted', 'dead', 'other'] as const;
export interface TriedPoint {
  readonly tag: string;
  readonly found: (typeof POINT_STATES)[number];
  readonly note?: string;
  readonly by: string;
  readonly at: string;
  /** Tried at the machine model or at a controller. */ readonly where: 'bench' | 'controller';
}
/**
 * What belongs to the bench: lists of tags to watch, keys that work inputs, runs that were kept, points that were
 * tried.
 */
export interface BenchDesk {
  readonly points?: readonly TriedPoint[];
  readonly watches?: readonly WatchList[];
  readonly keys?: readonly { readonly path: string; readonly key: string }[];
  readonly runs?: readonly AttachedRun[];
  /** What a report says of the job: Customer, Machine, and whatever else is wanted. */
  readonly facts?: readonly JobFact[];
  /** How long cycles and steps took in runs that were kept for the report. */ readonly timings?: readonly KeptTiming[];
}
/** All times in ms of simulated time. */
export interface KeptTiming {
  readonly id: string;
  readonly name: string;
  /** The tag of the steps. */ readonly of: string;
  /** When it was kept (ISO 8601). */ readonly at: string;
  /** Of the project as it ran. */ readonly revision?: number;
  readonly cycles: number;
  readonly smallest: number;
  readonly median: number;
  readonly largest: number;
  readonly steps: readonly {
    readonly name: string;
    readonly smallest: number;
    readonly median: number;
    readonly largest: number;
    /** Part of the cycles' time, 0 to 1. */ readonly share: number;
    /** What the plan means it to last. */ readonly expected?: number;
  }[];
}
export interface JobFact {
  readonly name: string;
  readonly text: string;
}

/**
 * What an input or output is connected to in another program: an OPC UA node (`ns=2;s=Gate.Open`) or a place of Modbus
 * (`coil 12`).
 */
export interface OutsideItem {
  readonly path: string;
  readonly item: string;
  /** Of an input: its value while nothing comes; off, or 0, when left out. */ readonly fallback?: string;
}
/** Inputs that come from another program, and outputs that go to it, tag by tag; the others are the machine model's. */
export interface OutsideIo {
  readonly isOn: boolean;
  readonly protocol: 'opcua' | 'modbus';
  /** `opc.tcp://host:4840/path`, or `host:502`. */ readonly address: string;
  /** Of OPC UA: messages as they are when left out. */ readonly security?: 'signed' | 'encrypted';
  /** Joins as this user; the password is told where it connects, and no part of the project. */ readonly user?: string;
  /** Of Modbus: 1 when left out. */ readonly unit?: number;
  /** Of Modbus: how values of several registers lie; the high word first when left out. */
  readonly words?: 'low first';
  readonly items: readonly OutsideItem[];
}

/**
 * A point on a board: its pin (`PB5`, `ADC0`, `0x400253FC.3`) or a function (`call:read_level`), and how (`pull-up
 * inverted`).
 */
export interface BoardPin {
  readonly point: string;
  readonly pin: string;
  readonly how?: string;
}
/** What the logic is built for as C, and its pins there. */
export interface Board {
  readonly target: 'c' | 'linux' | 'avr' | 'arm';
  readonly pins: readonly BoardPin[];
}

/** One way out of a step: when its condition holds (for so long), on to another step. Without a condition, at once. */
export interface Way {
  readonly id: string;
  readonly when?: string;
  /** The condition must hold that long, `300 ms`. */ readonly for?: string;
  readonly to: string;
}
export interface PlanStep {
  readonly id: string;
  readonly name: string;
  /** Tags that are on while it lasts. */
  readonly on?: readonly string[];
  readonly ways: readonly Way[];
  /** How long it is meant to last, `1.5 s`; compared with what was, and nothing else. */
  readonly expected?: string;
  readonly limit?: string;
  /** What happens when the limit is passed: a fault of this number, or another step. */
  readonly past?: { readonly fault?: number; readonly to?: string };
  /** Sequences that run beside it while it lasts. */
  readonly starts?: readonly string[];
  readonly note?: string;
  /** Modes, by name, in which it goes on and its outputs are on; all of its sequence's when left out. */
  readonly modes?: readonly string[];
}
/** An operating mode of the machine: it holds while its condition does. Made as a tag `ModeAuto`. */
export interface PlanMode {
  readonly id: string;
  readonly name: string;
  readonly when?: string;
}
/** Steps that follow each other; the first one is where it begins. */
export interface Sequence {
  readonly id: string;
  readonly name: string;
  /** Modes, by name, in which it moves on and its outputs are on; all when left out. */
  readonly modes?: readonly string[];
  /** It moves on, and its outputs are on, only while this holds. */
  readonly run?: string;
  /** The tag that holds its step; made when there is none. */
  readonly stepTag?: string;
  readonly steps: readonly PlanStep[];
}
/** One of several to be chosen, each by a button of its own. Made as a tag `ProductSmall` of the group `Product`. */
export interface PlanOption {
  readonly id: string;
  readonly name: string;
  readonly when?: string;
}
/** Exactly one of several: what was chosen first is kept, and keeps the others out until the choice is taken back. */
export interface PlanChoice {
  readonly id: string;
  readonly name: string;
  readonly options: readonly PlanOption[];
  /** What takes a wrong choice back. */
  readonly reset?: string;
  /** While this holds nothing is chosen and nothing taken back: the work has begun. */
  readonly locked?: string;
}
/** A tag of the plan's own, for what its steps keep; BOOL where no type is said. */
export interface PlanMemory {
  readonly id: string;
  readonly name: string;
  readonly type?: string;
}
/** The operation, written down before the logic. */
export interface Plan {
  readonly description?: string;
  readonly modes?: readonly PlanMode[];
  readonly choices?: readonly PlanChoice[];
  readonly memory?: readonly PlanMemory[];
  readonly sequences: readonly Sequence[];
  /** What was made from it, by the part's id, to tell what has been edited since. */ readonly made?: Readonly<
    Record<string, string>
  >;
}

/**
 * What two people both changed, each in another way, and nobody has chosen between yet. The project has what is ours.
 */
export interface MergeConflict {
  readonly id: string;
  /** `Tag Motor · description`, `Main · rung 3`. */ readonly what: string;
  /** Where it is: keys of objects, and `#id` for a thing of a list; `order` at the end is the order of a list. */
  readonly path: readonly string[];
  /** As it was before, is now, and is in what was taken in: values of JSON, left out where it is not there. */
  readonly base?: unknown;
  readonly ours?: unknown;
  readonly theirs?: unknown;
  /** Of a thing that is not in ours: the id of what it stands behind. */ readonly behind?: string;
}

export interface Project {
  readonly format: typeof FORMAT;
  readonly version: typeof VERSION;
  readonly name: string;
  readonly description?: string;
  readonly plan?: Plan;
  readonly tags: readonly Tag[];
  readonly types: readonly TypeText[];
  readonly pous: readonly ProjectPou[];
  readonly tasks: readonly ProjectTask[];
  /** The I/O layout; without one, every address counts as there. */
  readonly modules?: readonly IoModule[];
  readonly machine: { readonly devices: readonly Device[]; readonly kinds?: readonly OwnKind[] };
  readonly outside?: OutsideIo;
  readonly board?: Board;
  readonly checks: readonly SequenceCheck[];
  readonly rules: readonly InterlockRule[];
  /** What the project makes of the rules of checking that it does not leave at 'warning', by code. */
  readonly checking?: Readonly<Record<string, 'error' | 'warning' | 'off'>>;
  /** Paths on the scope. */
  readonly scope: readonly string[];
  readonly bench?: BenchDesk;
  /** Left by a merge; until all are chosen between, the project has errors. */
  readonly conflicts?: readonly MergeConflict[];
}

export function emptyProject(name: string): Project {
  return {
    format: FORMAT,
    version: VERSION,
    name,
    tags: [],
    types: [],
    pous: [{ id: 'pou1', name: 'Main', language: 'LD', kind: 'program', rungs: [] }],
    tasks: [{ id: 'task1', name: 'Main', interval: '10 ms', priority: 1, programs: ['Main'] }],
    machine: { devices: [] },
    checks: [],
    rules: [],
    scope: [],
  };
}

/** The document as the text of a `.ferrule.json`: keys in the order above, so that equal projects are equal files. */
export function projectText(p: Project): string {
  return `${JSON.stringify(p, null, 2)}\n`;
}

/** The values that a tag is meant to hold, from its `range` (`0..100`); undefined where none are said. */
export function tagLimits(t: Pick<Tag, 'range'>): { readonly low: number; readonly high: number } | undefined {
  const m = /^\s*(-?\d+(?:\.\d+)?)\s*\.\.\s*(-?\d+(?:\.\d+)?)\s*$/.exec(t.range ?? '');
  return m && Number(m[1]) <= Number(m[2]) ? { low: Number(m[1]), high: Number(m[2]) } : undefined;
}

/** What the program that holds the machine model is called. */
export const MACHINE = 'Machine';

/** The declaration of a tag as the standard writes it. */
export function tagText(t: Tag): string {
  return `${t.name}${t.address ? ` AT ${t.address}` : ''} : ${t.type}${t.initial ? ` := ${t.initial}` : ''};`;
}
