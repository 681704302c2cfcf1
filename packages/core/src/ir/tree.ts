/**
 * The intermediate representation: what a program means, with all that languages are comfortable with taken away. It is
 * structured (no jumps but out of loops), and values are pure and total: what may fault, call or write is a statement
 * of its own, in the order in which it happens. So a back end prints it piece by piece and decides nothing.
 */
import type { CheckedPou, Variable } from '../checked/tree.js';
import type { FaultKind } from '../compile/image.js';
import type { Span } from '../language/source.js';
import type { FlowStep } from '../language/tree.js';
import type { ArrayType, StringType, Type } from '../types/type.js';
import type { Machine } from './machine.js';
import type { OpName } from './ops.js';

/** Where a place begins. */
export type Root =
  /** A tag, a program's instance or a variable with an address: memory of the project. */
  | { readonly kind: 'tag'; readonly variable: Variable }
  /** A variable of the call at hand, or one of its parameters that is handed over as a value. */
  | { readonly kind: 'local'; readonly variable: Variable }
  /** What a parameter stands for (in-out, a text or structure): its address is handed over. */
  | { readonly kind: 'given'; readonly variable: Variable }
  /** The instance that runs. */
  | { readonly kind: 'self' }
  /** What an address leads to. */
  | { readonly kind: 'target'; readonly pointer: Value }
  /** Memory of a text or structure on its way (`room`). */
  | { readonly kind: 'room'; readonly room: number }
  /** Characters that never change. */
  | { readonly kind: 'text'; readonly text: string };

export type Step =
  /** A member of a structure or instance, by where it lies in `of`. */
  | { readonly kind: 'member'; readonly of: Type; readonly offset: number; readonly type: Type }
  /** An element, counted from 0 row by row; the index is known to be inside. */
  | { readonly kind: 'element'; readonly array: ArrayType; readonly index: Value };

export interface Place {
  readonly root: Root;
  /** Type of what lies at the root. */
  readonly rootType: Type;
  readonly steps: readonly Step[];
  /** Type of what lies at the end. */
  readonly type: Type;
}

export type Value =
  | { readonly kind: 'constant'; readonly type: Machine; readonly value: bigint | number }
  | { readonly kind: 'temp'; readonly type: Machine; readonly temp: number; readonly to?: Type }
  | { readonly kind: 'load'; readonly type: Machine; readonly place: Place; readonly to?: Type }
  | {
      readonly kind: 'op';
      readonly op: OpName;
      /** Type of the result, and of the operands where that is another one. */
      readonly type: Machine;
      readonly from: Machine;
      readonly args: readonly Value[];
    }
  | { readonly kind: 'address'; readonly type: 'pointer'; readonly place: Place; readonly to: Type }
  | { readonly kind: 'null'; readonly type: 'pointer'; readonly to: Type }
  /** Simulated time at the start of the scan, or how far it moved since the scan before. */
  | { readonly kind: 'clock'; readonly type: 'time'; readonly what: 'now' | 'step' };

/** What makes text: its first operand is the room that it is put into, its size the second. */
export type TextMaker = 'assign' | 'append' | 'fromInt' | 'fromChar' | 'width' | 'write';

export type Statement =
  /** The source that the following comes from: a step, where somebody steps through. */
  | { readonly kind: 'note'; readonly at: Span; readonly rung?: Rung }
  /** Of a rung that is watched: whether the next element lets power through, and that no more come. */
  | { readonly kind: 'probe'; readonly closed: Value }
  | { readonly kind: 'rungEnd' }
  /** A branch of a watched text was taken, told by its POU and the offset of its first statement. */
  | { readonly kind: 'taken'; readonly pou: string; readonly offset: number }
  | { readonly kind: 'let'; readonly temp: number; readonly value: Value }
  | { readonly kind: 'room'; readonly room: number; readonly type: Type }
  | { readonly kind: 'store'; readonly place: Place; readonly value: Value }
  | { readonly kind: 'copy'; readonly to: Place; readonly from: Place }
  /** Fault data is written and the scan ends where the condition is on. */
  | {
      readonly kind: 'fault';
      readonly when: Value;
      readonly fault: FaultKind;
      readonly at: Span;
      readonly shown?: Value;
    }
  | {
      readonly kind: 'call';
      readonly pou: CheckedPou;
      readonly isVirtual: boolean;
      readonly isReentrant: boolean;
      readonly self?: Value;
      /** In the order of the declaration: values, or addresses. */
      readonly args: readonly { readonly variable: Variable; readonly value: Value }[];
      /** Rooms that the outputs are put into, in the order of the declaration. */
      readonly outputs: readonly { readonly variable: Variable; readonly room: number }[];
      /** Temp of a result that is a value, room of one that is larger. */
      readonly result?: { readonly temp: number } | { readonly room: number };
      readonly at: Span;
    }
  | { readonly kind: 'text'; readonly maker: TextMaker; readonly type: StringType; readonly args: readonly Value[] }
  | {
      readonly kind: 'if';
      readonly condition: Value;
      readonly then: readonly Statement[];
      readonly otherwise: readonly Statement[];
    }
  /** Every pass costs one of the watchdog's budget; `leave` ends it, `next` goes on with `tail`. */
  | {
      readonly kind: 'loop';
      readonly label: number;
      readonly head: readonly Statement[];
      readonly body: readonly Statement[];
      readonly tail: readonly Statement[];
      /** What FOR counts: between these, both included, at the start of its body. */
      readonly counter?: { readonly place: Place; readonly low: bigint; readonly high: bigint };
      readonly at: Span;
    }
  | { readonly kind: 'leave' | 'next'; readonly label: number }
  | { readonly kind: 'return' };

/** What a note says of a rung: its elements in order, and how power flows from one to the next. */
export interface Rung {
  readonly id: string;
  readonly elements: number;
  readonly flow: readonly FlowStep[];
}

/** A function, method, or the statements of a block or program. */
export interface Unit {
  readonly pou: CheckedPou;
  readonly body: readonly Statement[];
  /** Types of the temps that statements name. */
  readonly temps: readonly { readonly type: Machine; readonly to?: Type }[];
}
