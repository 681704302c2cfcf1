/** What protocols stand on: the points of a controller's scan, or of a bench. */
import { hostname } from 'node:os';
import type { FeedState, PointValues, TagNode, Value } from '@ferrule/core/bench';

/** The points of one program. */
export interface SourcePoints {
  readonly tree: readonly TagNode[];
  /** In the order of the tree. */ readonly values: PointValues;
}

export interface PointSource {
  /** Of what runs now; another object as soon as another program does. Undefined without a program. */
  readonly points: SourcePoints | undefined;
  readonly state: FeedState;
  /**
   * Paths (in lower case) whose values are not to be trusted though the scan runs: inputs that another program should
   * give.
   */
  readonly bad?: ReadonlySet<string>;
  /** Milliseconds from scan to scan. */ readonly scanMs: number;
  /** What carries it all: cut where nobody reaches it, without power too. */ readonly cable: 'ok' | 'slow' | 'cut';
  /** Looks at the values as they are between two scans. */
  look(): Promise<void>;
  /** The same at the end of the coming scan. */
  lookAfterScan(): Promise<void>;
  /** Takes a value before the coming scan. Rejects with a sentence. */
  write(path: string, value: Value): Promise<void>;
  /** Something that happened, for the log. */
  note(words: string): void;
}

/** How much later a word arrives over a slow cable, in ms. */
export const SLOW_MS = 250;

/** Of a host that is listened on, the name that others reach it by. */
export const shownHost = (host: string): string => (host === '0.0.0.0' || host === '::' ? hostname() : host);
