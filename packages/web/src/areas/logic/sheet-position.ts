/** Where the cursor of the sheet stands, and what is being typed there. */

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
