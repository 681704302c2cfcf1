/**
 * What is asked of the scan's thread, and what it answers and says by itself. Everything here crosses by structured
 * clone.
 */
import type { BenchEvent, FaultRecord, Force, Image, OutsideInput, Symbol, Value, Wire } from '@ferrule/core/bench';
import type { OutputDiffers } from './beside.js';
import type { Mode } from './cabinet.js';
import type { Plans } from './loaded.js';
import type { Stretch } from './recorder.js';

/**
 * A program as the scan needs it: without its symbols, which go ahead, and what only tells where in the source
 * something is.
 */
export interface Loadable {
  readonly id: number;
  readonly image: Image;
  readonly module: WebAssembly.Module;
  readonly stepNs: bigint;
  readonly wires: readonly Wire[];
  readonly stops: readonly Force[];
  readonly wired: readonly string[];
  readonly outside: readonly OutsideInput[];
}

export type Ask =
  /** Some of the symbols of a program that is about to be loaded: all at once would take the time of a scan. */
  | { readonly kind: 'symbols'; readonly id: number; readonly symbols: readonly (readonly [string, Symbol])[] }
  | { readonly kind: 'load'; readonly program: Loadable }
  /** How values come over from one program there into another. */
  | { readonly kind: 'plans'; readonly from: number; readonly to: number; readonly plans: Plans }
  | { readonly kind: 'drop'; readonly id: number }
  /** `start`: the state that it begins with where nothing ran before. */
  | {
      readonly kind: 'take';
      readonly id: number;
      readonly how: 'restart' | 'keep';
      readonly mode: Mode;
      readonly start?: Uint8Array;
    }
  /** The same program made with another condition to record on. */
  | { readonly kind: 'exchange'; readonly id: number }
  | { readonly kind: 'try'; readonly id: number; readonly graceMs: number }
  | { readonly kind: 'heard' | 'backOut' | 'keep' | 'endBeside' | 'measureAnew' | 'clear' | 'look' | 'end' }
  /** How a draft that runs beside stands, for those who watch it. */
  | { readonly kind: 'lookBeside' }
  /** As `look`, answered at the end of the coming scan; at once where none comes. */
  | { readonly kind: 'lookAfterScan' }
  | { readonly kind: 'mode'; readonly mode: Mode }
  | { readonly kind: 'beside'; readonly id: number }
  | { readonly kind: 'apply'; readonly event: BenchEvent }
  /** Cards of the cabinet that are pulled, all of them. */
  | { readonly kind: 'pulled'; readonly ids: readonly string[] }
  /** What another program gave since, undefined where it cannot be trusted; all of it is away where the link is. */
  | {
      readonly kind: 'inputs';
      readonly values: readonly (readonly [string, Value | undefined])[];
      readonly isLost: boolean;
    }
  /** The last scans as recorded, at least so many. */
  | { readonly kind: 'recorded'; readonly scans: number };

export interface Measured {
  readonly scanMs: number;
  /**
   * Time a scan takes, in ms: the mean of late and the worst since the program was loaded, or since it was asked for.
   */
  readonly usedMs: number;
  readonly worstMs: number;
  /** How late a scan started at worst, in ms, and 999 of a thousand at most. */
  readonly jitterMs: number;
  readonly mostlyMs: number;
  readonly missed: number;
  /** Scans that these were measured on; without any they say nothing. */
  readonly measuredScans: number;
}

/** How things stand between two scans. */
export interface Facts {
  readonly state: 'empty' | 'run' | 'stop' | 'fault';
  readonly told: Mode;
  readonly kept?: number;
  readonly trial?: number;
  readonly trialMs?: { readonly ranMs: number; readonly leftMs: number };
  readonly beside?: {
    readonly id: number;
    readonly ranMs: number;
    readonly scans: number;
    readonly differences: readonly OutputDiffers[];
  };
  readonly figures: Measured;
  readonly scan: number;
  /** With what stands for cards that are pulled. */ readonly forces: readonly Force[];
  readonly fault?: FaultRecord;
  /** Memory of what runs lies in here from now on; missing where it is the one told before. */
  readonly memory?: SharedArrayBuffer;
}

/** How a draft that runs beside stands between two scans; `memory` as in `Facts`. */
export type BesideFacts = Pick<Facts, 'scan' | 'forces' | 'fault' | 'memory'> & { readonly id: number };

/** Said without being asked. */
export type Said =
  | { readonly said: 'backOut'; readonly why: string }
  | { readonly said: 'besideEnd'; readonly why: string; readonly of: number; readonly fault?: FaultRecord }
  /** What led to the condition that was asked for. */
  | { readonly said: 'record'; readonly of: number; readonly run: Stretch }
  | { readonly said: 'fault'; readonly of: number; readonly fault: FaultRecord; readonly run?: Stretch };

export type Asked = { readonly n: number; readonly ask: Ask };
export type Answer = { readonly n: number } & ({ readonly value: unknown } | { readonly error: string });
