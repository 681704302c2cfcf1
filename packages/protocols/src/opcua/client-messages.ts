/**
 * What crosses between whoever joins another program over OPC UA and the process that does it (by structured clone).
 */
import type { FoundItem } from '@ferrule/core/workspace';
import type { OpcuaCertificate, Value } from '@ferrule/core/bench';
import type { Got } from '../outside/driver.js';
import type { Shape } from './model.js';

/** How to join. */
export interface JoinSettings {
  readonly url: string;
  readonly security: 'plain' | 'signed' | 'encrypted';
  readonly user?: string;
  readonly password?: string;
  /** Its certificates lie here. */ readonly folder: string;
}
export interface JoinPoint {
  readonly item: string;
  readonly isInput: boolean;
  readonly shape: Shape;
}
export type ToClient =
  | {
      readonly kind: 'join';
      readonly settings: JoinSettings;
      readonly points: readonly JoinPoint[];
      readonly scanMs: number;
    }
  | { readonly kind: 'put'; readonly values: readonly (readonly [number, Value])[] }
  | { readonly kind: 'trust'; readonly folder: string; readonly thumbprint: string; readonly isTrusted: boolean }
  /** Looks what is there. */
  | { readonly kind: 'browse'; readonly settings: JoinSettings }
  | { readonly kind: 'end'; readonly last: readonly (readonly [number, Value])[] };
/** What there is. */
export interface Browsed {
  readonly items: readonly FoundItem[];
  /** Lists of values, which are not connected as they are. */ readonly lists: number;
  /** There is more than was looked at. */ readonly isCut: boolean;
}
export type FromClient =
  | { readonly kind: 'up' }
  | { readonly kind: 'away'; readonly why: string }
  | { readonly kind: 'got'; readonly all: readonly Got[] }
  | { readonly kind: 'certificates'; readonly certificates: readonly OpcuaCertificate[] }
  | { readonly kind: 'browsed'; readonly found: Browsed }
  | { readonly kind: 'notBrowsed'; readonly why: string };
