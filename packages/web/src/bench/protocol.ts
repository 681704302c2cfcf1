/** What page and bench worker say to each other. */
import type { Completion, DefinitionPlace, Edit, Fix, FoundUse, Frame, FrameRequest, HoverFact, MemoryArea, Origin, Project, ShownValue, Signature, TextIn, TextOut, TextPlace, TextWatch, Use } from '@ferrule/core';

export type EventText =
  | { readonly kind: 'write'; readonly path: string; readonly value: string }
  | { readonly kind: 'force'; readonly path: string; readonly value?: string }
  | { readonly kind: 'releaseAll' };

export type ToBench =
  | { readonly kind: 'project'; readonly project: Project; readonly fresh: boolean }
  | { readonly kind: 'look'; readonly request: FrameRequest }
  | { readonly kind: 'scope'; readonly paths: readonly string[]; readonly seconds: number }
  | { readonly kind: 'play'; readonly running: boolean }
  | { readonly kind: 'speed'; readonly factor: number }
  | { readonly kind: 'step'; readonly scans: number }
  | { readonly kind: 'goTo'; readonly scan: number }
  | { readonly kind: 'restart' }
  | { readonly kind: 'ask'; readonly id: number; readonly ask: Ask }
  | { readonly kind: 'event'; readonly event: EventText }
  /** Stand at a scan of a recorded run: a failing check. Values as text. */
  | { readonly kind: 'stand'; readonly recording: readonly { readonly scan: number; readonly event: { readonly kind: string; readonly path?: string; readonly value?: ShownValue } }[]; readonly scan: number };

/** What the page asks about the program it last sent; each question has its answer by name. */
export interface Answers {
  hover: { ask: { place: TextPlace; offset: number }; answer: HoverFact | undefined };
  definition: { ask: { place: TextPlace; offset: number; word: string }; answer: DefinitionPlace | undefined };
  references: { ask: { place: TextPlace; offset: number }; answer: readonly FoundUse[] };
  rename: { ask: { place: TextPlace; offset: number; to: string }; answer: Edit | { readonly refused: string } };
  complete: { ask: { pou: string; before: string }; answer: readonly Completion[] };
  signature: { ask: { pou: string; before: string }; answer: Signature | undefined };
  watch: { ask: { id: string; pou: string; wanted?: string }; answer: TextWatch | undefined };
  memory: { ask: Record<never, never>; answer: readonly MemoryArea[] };
  fixes: { ask: { problem: number }; answer: readonly Fix[] };
  toText: { ask: { pou: string; line: string }; answer: { readonly text: string } | { readonly refused: string } };
  textOut: { ask: Record<never, never>; answer: TextOut };
  textIn: { ask: { text: string }; answer: TextIn };
  /** Members of a tag, one level: paths and types. */
  members: { ask: { path: string }; answer: readonly { readonly path: string; readonly name: string; readonly type: string; readonly hasMembers: boolean }[] };
  /** A type's members with their places. */
  layout: { ask: { type: string }; answer: { readonly size: number; readonly members: readonly { readonly name: string; readonly offset: number; readonly size: number; readonly padding: number }[] } | undefined };
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

export interface TagFacts { readonly type: string; /** Set for a function block instance. */ readonly block?: string; readonly values?: readonly string[] }

export interface Checked {
  readonly problems: readonly ProblemNote[];
  readonly uses: Readonly<Record<string, readonly Use[]>>;
  readonly tags: Readonly<Record<string, TagFacts>>;
  /** Variables of each program or block by its lower-case name, and the path their values are read by. */
  readonly locals: Readonly<Record<string, { readonly root?: string; readonly variables: Readonly<Record<string, TagFacts>> }>>;
  /** Whether the bench took this logic; else the last good one runs on, if there was one. */
  readonly taken: boolean;
  /** Whether anything runs at all. */
  readonly runs: boolean;
  readonly lost: readonly string[];
  readonly checkMs: number;
}

export interface ScopeTrace { readonly path: string; readonly kind: 'band' | 'ribbon' | 'trace'; /** scan, value, scan, value …: each from its scan on. */ readonly points: readonly (number | ShownValue)[] }

export interface BenchFrame extends Frame {
  readonly running: boolean;
  readonly speed: number;
  readonly start: number;
  readonly end: number;
  readonly scanMs: number;
  readonly scope: readonly ScopeTrace[];
  /** Counts the projects taken, so that a page knows whose state this is. */
  readonly generation: number;
}

export type FromBench = { readonly kind: 'frame'; readonly frame: BenchFrame } | { readonly kind: 'checked'; readonly checked: Checked } | { readonly kind: 'refused'; readonly message: string } | { readonly kind: 'answer'; readonly id: number; readonly answer: unknown };
