/** What page and bench worker say to each other. */
import type {
  BenchEvent,
  ChainLink,
  StepTag,
  Waiting,
  Beginning,
  Course,
  FirstScans,
  Line,
  WhyAnswer,
  WhyPlace,
  FeedState,
  Frame,
  FrameRequest,
  Past,
  ShownValue,
  ValueSpan,
} from '@ferrule/core/bench';
import type { Board, CheckRow, Edit, Project, Delta } from '@ferrule/core/document';
import type { BoardUse } from '@ferrule/core/boards';
import type {
  RungInstance,
  TagFacts,
  Completion,
  DefinitionPlace,
  Fix,
  Undeclared,
  FoundUse,
  HoverFact,
  MemoryArea,
  Signature,
  TextPlace,
  TextWatch,
  Use,
} from '@ferrule/core/workspace';
import type { Played, RunRecording, TextIn, TextOut, XmlOut } from '@ferrule/core/files';
import type { Origin } from '@ferrule/core/language';

/** `letGo`: a held button or key comes up. It asks for nothing new, so a bench that stopped stays where it stands. */
export type EventText =
  | { readonly kind: 'write'; readonly path: string; readonly value: string; readonly letGo?: boolean }
  /** `by`: a card of the controller, of a recording, is put in. */
  | {
      readonly kind: 'force';
      readonly path: string;
      readonly value?: string;
      readonly letGo?: boolean;
      readonly by?: 'card';
    }
  | { readonly kind: 'releaseAll' };

/** Where a run stops: before a rung or a line, when a tag changes, when a condition comes true. */
export interface StopPoint {
  readonly id: string;
  readonly isOn: boolean;
  readonly kind: 'rung' | 'line' | 'change' | 'condition';
  readonly pou?: string;
  readonly rung?: string;
  readonly line?: number;
  readonly path?: string;
  /** Of a condition; of a rung or line: only when this holds there. */
  readonly condition?: string;
}

/** What the scope shows: `from` undefined goes with the time line. */
export interface ScopeView {
  readonly paths: readonly string[];
  readonly from?: number;
  readonly span: number;
  readonly pixels: number;
  /** Another line of history laid over it. */ readonly other?: number;
}

export type ToBench =
  /** The project: whole where it is another (`fresh`), else what changed since the last one told; nothing where nothing did. */
  | { readonly kind: 'project'; readonly fresh: true; readonly project: Project }
  | { readonly kind: 'project'; readonly fresh: false; readonly delta: Delta | undefined }
  /** A moving picture is looked at: it is drawn as often as the screen is. */
  | { readonly kind: 'motion'; readonly isMoving: boolean }
  | { readonly kind: 'look'; readonly request: FrameRequest }
  | { readonly kind: 'scope'; readonly view: ScopeView }
  | { readonly kind: 'play'; readonly running: boolean }
  /** Simulated time a real one; Infinity for as fast as it goes. */
  | { readonly kind: 'speed'; readonly factor: number }
  | { readonly kind: 'step'; readonly scans: number }
  | { readonly kind: 'stepInside'; readonly unit: 'over' | 'into' | 'out' | 'task'; readonly direction: 1 | -1 }
  | { readonly kind: 'goTo'; readonly scan: number }
  /** So many scans along the time line, never past its ends. */
  | { readonly kind: 'goBy'; readonly scans: number }
  | { readonly kind: 'restart'; readonly warm?: boolean }
  /** A condition, or a length of time to go on: as fast as it goes. */
  | { readonly kind: 'until'; readonly text: string }
  /** Conditions to be compiled beside the program while somebody looks at them. */
  | { readonly kind: 'conditions'; readonly texts: readonly string[] }
  | { readonly kind: 'stops'; readonly stops: readonly StopPoint[] }
  /** The nearest moment before or after the one shown at which a condition begins to hold. */
  | { readonly kind: 'find'; readonly text: string; readonly direction: 1 | -1 }
  /**
   * The scope waits for a condition; an empty one ends the waiting. `before` is the share of the window before it, in
   * percent.
   */
  | { readonly kind: 'trigger'; readonly text: string; readonly before: number; readonly each: boolean }
  | { readonly kind: 'line'; readonly id: number }
  | { readonly kind: 'dropLine'; readonly id: number }
  | { readonly kind: 'branch' }
  /** Something goes wrong at random about so often, in simulated time; 0 for no longer. */
  | { readonly kind: 'chance'; readonly seed: number; readonly everyMs: number }
  /** The bench is open to other programs, or not any more. */
  | { readonly kind: 'outside'; readonly isOn: boolean }
  /** Inputs come from another program and outputs go to it, or not any more. */
  | { readonly kind: 'link'; readonly isOn: boolean }
  /** What it gave since: undefined where it cannot be trusted; all of it is away where the link is. */
  | {
      readonly kind: 'linkInputs';
      readonly values: readonly (readonly [string, string?])[];
      readonly isLost: boolean;
    }
  /** One of them writes. */
  | { readonly kind: 'outsideWrite'; readonly n: number; readonly path: string; readonly value: string }
  | { readonly kind: 'ask'; readonly id: number; readonly ask: Ask }
  | { readonly kind: 'event'; readonly event: EventText }
  /** Several before the same scan. */
  | { readonly kind: 'events'; readonly events: readonly EventText[] }
  | {
      readonly kind: 'pulse';
      readonly path: string;
      readonly value: string;
      readonly then: string;
      readonly ms: number;
      readonly force?: boolean;
    }
  | {
      readonly kind: 'ramp';
      readonly path: string;
      readonly from: number;
      readonly to: number;
      readonly ms: number;
      readonly force?: boolean;
    }
  /** Stand at a scan of a recorded run: a failing check. Values as text. */
  | {
      readonly kind: 'stand';
      readonly recording: readonly {
        readonly scan: number;
        readonly event: { readonly kind: string; readonly path?: string; readonly value?: ShownValue };
      }[];
      readonly scan: number;
      /** Scans before which a warm restart comes. */ readonly warmAt?: readonly number[];
    };

/** What the page asks about the program it last sent; each question has its answer by name. */
export interface Answers {
  hover: { ask: { place: TextPlace; offset: number }; answer: HoverFact | undefined };
  definition: { ask: { place: TextPlace; offset: number; word: string }; answer: DefinitionPlace | undefined };
  references: { ask: { place: TextPlace; offset: number }; answer: readonly FoundUse[] };
  rename: { ask: { place: TextPlace; offset: number; to: string }; answer: Edit | { readonly refused: string } };
  complete: { ask: { pou: string; before: string }; answer: readonly Completion[] };
  signature: { ask: { pou: string; before: string }; answer: Signature | undefined };
  watch: { ask: { id: string; pou: string; wanted?: string }; answer: TextWatch | undefined };
  why: { ask: { path: string; scan?: number }; answer: WhyAnswer | { readonly error: string } | undefined };
  /** Where the time of the scan shown goes, in microseconds. */
  profile: {
    ask: Record<never, never>;
    answer: readonly {
      readonly words: string;
      readonly place?: WhyPlace;
      readonly task: string;
      readonly program: string;
      readonly micros: number;
    }[];
  };
  firstScans: { ask: { warm: boolean }; answer: FirstScans };
  /** Since when a step lasts, and since when the conditions looked at have been as they are. */
  waits: {
    ask: { path: string; texts: readonly string[] };
    answer:
      | {
          readonly since: number;
          readonly holds: readonly { readonly text: string; readonly holds: boolean; readonly since: number }[];
        }
      | undefined;
  };
  /** Where the line shown and another differ, for each path; goes on from scan `from`. */
  difference: {
    ask: { line: number; paths: readonly string[]; from: number | undefined };
    answer: ReturnType<Past['differences']>;
  };
  /**
   * Which tags hold steps, and the exact changes of some of them from a scan on; of the line shown unless another is
   * named.
   */
  steps: {
    ask: { paths: readonly string[]; from?: number; line?: number };
    answer:
      | {
          readonly tags: readonly StepTag[];
          readonly line: number;
          readonly start: number;
          readonly end: number;
          readonly stepMs: number;
          readonly generation: number;
          /** Four numbers a change; see `Traces.courses`. */
          readonly courses: readonly { readonly path: string; readonly points: Float64Array }[];
          /** Whether all of it is known; if not, asking again goes on. */ readonly complete: boolean;
        }
      | undefined;
  };
  /**
   * What ended a step at a scan: of the conditions given, how long each had held then, in scans; undefined where it did
   * not.
   */
  ended: {
    ask: { scan: number; from: number; texts: readonly string[] };
    answer: readonly { readonly text: string; readonly held: number | undefined }[] | undefined;
  };
  /**
   * The longest chain of steps up to a scan, and who waited for whom; `isCut` where there was no time for all of it.
   */
  chain: {
    ask: { paths: readonly string[]; path: string; from: number; to: number };
    answer:
      { readonly chain: readonly ChainLink[]; readonly waits: readonly Waiting[]; readonly isCut: boolean } | undefined;
  };
  /** All that came from outside on the line shown, so that other logic can be given the same. */
  given: {
    ask: Record<never, never>;
    answer:
      | { readonly events: readonly { readonly scan: number; readonly event: BenchEvent }[]; readonly end: number }
      | undefined;
  };
  /** Courses of tags over a stretch, for a chart: what the scope draws, over any stretch and line. */
  courses: {
    ask: { paths: readonly string[]; from: number; to: number; pixels: number; line?: number };
    answer: { readonly courses: readonly Course[]; readonly complete: boolean } | undefined;
  };
  record: { ask: { name: string }; answer: RunRecording | undefined };
  playBack: { ask: { text: string }; answer: Played | { readonly error: string } };
  /** The stretch over which a tag on the scope kept its value around a scan; see `Traces.spanAt`. */
  span: { ask: { path: string; scan: number; within: number }; answer: ValueSpan | undefined };
  /** Traces of the scope as a file. */
  traces: {
    ask: { as: 'vcd' | 'csv'; paths: readonly string[]; from: number; to: number };
    answer: { readonly text: string } | { readonly error: string };
  };
  check: {
    ask: { from: number; to: number; paths: readonly string[] };
    answer: { readonly rows: readonly CheckRow[]; readonly leftOut: number } | { readonly error: string };
  };
  /** How tags are at a scan, as what may have gone wrong; and the run up to there as a check that fails by it. */
  saidAt: {
    ask: { scan: number; paths: readonly string[] };
    answer: readonly { readonly path: string; readonly said: string }[];
  };
  wrong: {
    ask: { to: number; path: string };
    answer: { readonly rows: readonly CheckRow[] } | { readonly error: string };
  };
  /** What was done at the bench on the line shown, as sentences of a check. */
  done: { ask: Record<never, never>; answer: readonly string[] };
  condition: { ask: { text: string }; answer: string | undefined };
  memory: { ask: Record<never, never>; answer: readonly MemoryArea[] };
  fixes: { ask: { problem: number }; answer: readonly Fix[] };
  /** Errors at a tag that an edit would bring. */
  errorsOf: { ask: { edit: Edit; tag: string }; answer: readonly string[] };
  /** Names that programs use and nothing declares, of the program last checked. */
  undeclared: { ask: Record<never, never>; answer: readonly Undeclared[] };
  toText: { ask: { pou: string; line: string }; answer: { readonly text: string } | { readonly refused: string } };
  textOut: { ask: Record<never, never>; answer: TextOut };
  xmlOut: { ask: Record<never, never>; answer: XmlOut };
  /** The logic as C for a board; what is wrong, and the rows of the table of pins that are. */
  board: {
    ask: { board: Board };
    answer:
      | { readonly problem: string; readonly rows?: readonly { readonly row: number; readonly words: string }[] }
      | {
          readonly files: readonly (readonly [string, string])[];
          readonly use?: BoardUse;
          readonly wiring?: string;
          readonly without: readonly string[];
        };
  };
  textIn: { ask: { text: string }; answer: TextIn };
  /** Inputs and outputs, value by value. */
  ioPoints: {
    ask: Record<never, never>;
    answer: readonly {
      readonly path: string;
      readonly type: string;
      readonly isInput: boolean;
    }[];
  };
  /** Whole numbers of the program, whose values could be steps. */
  wholeNumbers: { ask: Record<string, never>; answer: readonly string[] };
  /** Members of a tag, one level: paths and types. */
  members: {
    ask: { path: string };
    answer: readonly {
      readonly path: string;
      readonly name: string;
      readonly type: string;
      readonly hasMembers: boolean;
    }[];
  };
  /** A type's members with their places. */
  layout: {
    ask: { type: string };
    answer:
      | {
          readonly size: number;
          readonly members: readonly {
            readonly name: string;
            readonly offset: number;
            readonly size: number;
            readonly padding: number;
          }[];
        }
      | undefined;
  };
}
export type Ask = { [K in keyof Answers]: { readonly question: K; readonly about: Answers[K]['ask'] } }[keyof Answers];

export interface ProblemNote {
  readonly severity: 'error' | 'warning';
  readonly code: string;
  readonly message: string;
  readonly origin: Origin;
  /** Offsets in the source, and for a rung the element counted from 0. */
  readonly start: number;
  readonly end: number;
  readonly element?: number;
  readonly place: string;
}

export type { TagFacts };

export interface Checked {
  readonly problems: readonly ProblemNote[];
  readonly uses: Readonly<Record<string, readonly Use[]>>;
  readonly tags: Readonly<Record<string, TagFacts>>;
  /** Variables of each program or block by its lower-case name, and the path their values are read by. */
  readonly locals: Readonly<
    Record<string, { readonly root?: string; readonly variables: Readonly<Record<string, TagFacts>> }>
  >;
  /** Instances that rungs declare where they stand. */
  readonly instances: readonly RungInstance[];
  /** Whether the bench took this logic; else the last good one runs on, if there was one. */
  readonly taken: boolean;
  /** Whether anything runs at all. */
  readonly runs: boolean;
  readonly lost: readonly string[];
  readonly checkMs: number;
}

/** Courses of tags over a stretch of scans. */
export interface ScopeData {
  readonly from: number;
  readonly to: number;
  readonly paths: readonly string[];
  readonly courses: readonly Course[];
  readonly others?: readonly Course[];
  /** When the link to another program was away, and which of the paths come from there. */
  readonly away?: { readonly course: Course; readonly paths: readonly string[] };
  readonly complete: boolean;
}

export interface BenchFrame extends Frame {
  readonly running: boolean;
  readonly speed: number;
  /** Simulated time a real one, as it really was in the last second. */
  readonly reached: number;
  readonly start: number;
  readonly end: number;
  readonly scanMs: number;
  readonly lines: readonly Line[];
  readonly seams: readonly { readonly scan: number; readonly beginning: Beginning }[];
  /** The scan shown was run by logic that has been changed since. */
  readonly isEarlierLogic: boolean;
  /** Where the program stands inside a scan. */
  readonly inside?: {
    readonly words: string;
    readonly place?: WhyPlace;
    readonly callers: readonly { readonly words: string; readonly place?: WhyPlace }[];
    readonly step: number;
  };
  /** Why the run stopped. */
  readonly stopped?: { readonly stop?: string; readonly words: string };
  /** The scope waits for a condition, or it came after a scan. */
  readonly trigger?: { readonly text: string; readonly before: number; readonly fired?: number };
  /** Upsets come at random. */
  readonly chance?: { readonly seed: number; readonly everyMs: number };
  /** What the run goes on to. */
  readonly goal?: string;
  /** Counts the projects taken, so that a page knows whose state this is. */
  readonly generation: number;
}

export type FromBench =
  | { readonly kind: 'frame'; readonly frame: BenchFrame }
  /** What was checked, as what changed since it was told last. */
  | { readonly kind: 'checked'; readonly delta: Delta | undefined }
  | { readonly kind: 'scope'; readonly scope: ScopeData }
  | { readonly kind: 'stopProblems'; readonly problems: Readonly<Record<string, string>> }
  | { readonly kind: 'refused'; readonly message: string }
  /** Points are those of this project from now on. */
  | { readonly kind: 'outsidePoints'; readonly project: Project; readonly scanMs: number }
  | {
      readonly kind: 'outsideValues';
      readonly state: FeedState;
      readonly changes: readonly (readonly [number, string])[];
    }
  | { readonly kind: 'outsideWritten'; readonly n: number; readonly error?: string }
  /** Where inputs come from and outputs go to is what this project says from now on; without one there is nothing. */
  | { readonly kind: 'outsideLink'; readonly project?: Project; readonly scanMs: number }
  /** Outputs that have changed. */
  | { readonly kind: 'outsideOutputs'; readonly values: readonly (readonly [string, string])[] }
  | { readonly kind: 'answer'; readonly id: number; readonly answer: unknown };

/** What the bench says to other programs. */
export type OutsideWords = Extract<FromBench, { kind: `outside${string}` }>;
