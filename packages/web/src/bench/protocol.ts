/** What page and bench worker say to each other. */
import type { Frame, FrameRequest, Origin, Project, ShownValue, Use } from '@ferrule/core';

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
  | { readonly kind: 'event'; readonly event: EventText }
  /** Stand at a scan of a recorded run: a failing check. Values as text. */
  | { readonly kind: 'stand'; readonly recording: readonly { readonly scan: number; readonly event: { readonly kind: string; readonly path?: string; readonly value?: ShownValue } }[]; readonly scan: number };

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

export type FromBench = { readonly kind: 'frame'; readonly frame: BenchFrame } | { readonly kind: 'checked'; readonly checked: Checked } | { readonly kind: 'refused'; readonly message: string };
