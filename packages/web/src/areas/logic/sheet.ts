/** The sheet at one moment, for what is done on it: where the cursor stands, what is being typed, how it is changed. */
import type { RefObject } from 'react';
import type { Edit, RungText } from '@ferrule/core/document';
import type { Cursor, RungEdit } from '@ferrule/core/ladder';
import type { OwnTypes } from '@ferrule/core/workspace';
import type { RungModel } from '../../components/ladder/rung-model.js';
import type { Ladder } from './sheet-edits.js';

/** Where the cursor stands; `to` is the other end of a run of elements, `rungTo` that of a run of whole rungs. */
export interface Position {
  readonly rung: number;
  readonly element: number;
  readonly to?: number;
  readonly rungTo?: number;
}

export type Typing =
  | {
      readonly kind: 'element';
      readonly edit: 'insertAfter' | 'insertBefore' | 'replace' | 'addLeg';
      readonly initial: string;
      /** What stands there: nothing, unless it is replaced. */ readonly original: string;
    }
  | { readonly kind: 'line'; readonly initial: string; /** A new rung goes here. */ readonly fresh?: number }
  | { readonly kind: 'rename'; readonly initial: string };

export interface Sheet {
  readonly pou: Ladder;
  /** Rungs in sight of the folds, by their number from 0. */
  readonly rows: readonly number[];
  readonly models: readonly RungModel[];
  readonly ownTypes: OwnTypes;
  /** The rung of the cursor, as it is drawn, and the element that it stands on. */
  readonly current: RungText | undefined;
  readonly model: RungModel | undefined;
  readonly node: RungModel['nodes'][number] | undefined;
  /** Elements of the rung. */
  readonly count: number;
  readonly position: Position;
  readonly cursor: Cursor;
  readonly element: number;
  readonly to: number | undefined;
  readonly typing: Typing | undefined;
  /** Whether whole rungs are chosen. */
  readonly chosenRungs: boolean;
  /** What is to be brought into sight once it is drawn. */
  readonly unseen: RefObject<{ readonly rung: number; readonly align: 'center' | 'auto' } | undefined>;
  setPosition(to: Position): void;
  setTyping(to: Typing | undefined): void;
  /** What the line below the rungs says. */
  setSaid(words: string | undefined): void;
  goTo(to: Position, stays?: boolean): void;
  /** FALSE where the edit was refused. */
  change(e: Edit): boolean;
  /** Why it was not done; undefined where it was. */
  perform(e: RungEdit, extra?: readonly Edit[]): string | undefined;
  toRung(line: string, at: Cursor): void;
  /** Typing is over, the keys go to the rungs. */
  leave(): void;
  isKnown(name: string): boolean;
  /** Tags that were used come first when names are offered. */
  note(line: string): void;
  /** The first and the last of the chosen rungs. */
  rungRange(): [number, number];
  deleteRungs(): void;
}
