/** What crosses between a controller or server and the OPC UA server's process (by structured clone). */
import type { FeedState, OpcuaCertificate, OpcuaClient, Value } from '@ferrule/core/bench';
import type { Model } from './model.js';

/** Who may join, and how. Signed, and signed and encrypted, is always offered. */
export interface OpcuaRules {
  /** Messages as they are, too. */ readonly plain: boolean;
  /** Without a name. */ readonly anonymous: boolean;
  readonly user?: { readonly name: string; /** As `hashed` makes it. */ readonly secret: string };
}
export interface OpcuaSettings extends OpcuaRules {
  readonly port: number;
  readonly host: string;
  /** Its certificates lie here. */ readonly folder: string;
  /** As clients see it: `Ferrule Cabinet A`. */ readonly name: string;
  /** Milliseconds from scan to scan, at least. */ readonly scanMs: number;
}
export type ToOpcua =
  | { readonly kind: 'start'; readonly settings: OpcuaSettings }
  | { readonly kind: 'model'; readonly model: Model; readonly scanMs: number }
  /** Of some points the number, value and ms since 1970 at which it changed. Answered when it was taken. */
  | {
      readonly kind: 'values';
      readonly changes: readonly (readonly [number, Value, number])[];
      readonly state: FeedState;
      /** The points that are bad though the scan runs, where they are others now. */ readonly bad?: readonly number[];
    }
  | { readonly kind: 'cable'; readonly state: 'ok' | 'slow' | 'cut' }
  | { readonly kind: 'written'; readonly n: number; readonly error?: string }
  | { readonly kind: 'trust'; readonly thumbprint: string; readonly isTrusted: boolean }
  | { readonly kind: 'end' };
export type FromOpcua =
  | { readonly kind: 'ready'; readonly thumbprint: string }
  | { readonly kind: 'failed'; readonly message: string }
  | { readonly kind: 'taken' }
  | { readonly kind: 'write'; readonly n: number; readonly writes: readonly (readonly [string, Value])[] }
  | {
      readonly kind: 'clients';
      readonly clients: readonly OpcuaClient[];
      /** Those that are about to join, too. */ readonly sessions: number;
    }
  | { readonly kind: 'certificates'; readonly certificates: readonly OpcuaCertificate[] }
  | { readonly kind: 'log'; readonly words: string };
