/**
 * The tree that structured text is parsed to and that a rung is lowered to: after this nothing asks
 * which of the two it was. Names keep their spelling; comparing is without case (clause 6.1.2).
 */
import type { Span } from './source.js';

export interface Name {
  readonly text: string;
  readonly at: Span;
}

export type Literal =
  | { readonly type: 'int'; readonly value: bigint }
  | { readonly type: 'real'; readonly value: number }
  | { readonly type: 'bool'; readonly value: boolean }
  | { readonly type: 'time'; readonly value: bigint; readonly long: boolean }
  | { readonly type: 'date'; readonly kind: string; readonly text: string }
  | { readonly type: 'string'; readonly value: string; readonly wide: boolean };

export interface Argument {
  readonly name?: Name;
  /** `=>`: the block's or function's output goes to `value`. */
  readonly output: boolean;
  readonly negated?: boolean;
  readonly value: Expression;
}

export type UnaryOp = '-' | '+' | 'NOT';
export type BinaryOp =
  '+' | '-' | '*' | '/' | 'MOD' | '**' | 'AND' | 'OR' | 'XOR' | '=' | '<>' | '<' | '>' | '<=' | '>=';

export type Expression = { readonly at: Span } & (
  | { readonly kind: 'literal'; readonly literal: Literal; readonly prefix?: Name }
  /** `Colour#Red` */
  | { readonly kind: 'typedName'; readonly prefix: Name; readonly name: Name }
  /** The instance a method or body belongs to, as itself or as its base (6.6.5). */
  | { readonly kind: 'this' | 'super' }
  | { readonly kind: 'name'; readonly name: string }
  | { readonly kind: 'direct'; readonly address: string }
  | { readonly kind: 'member'; readonly base: Expression; readonly name: Name }
  /** `.3` and `.%X3`, `.%B1`, `.%W0` (table 10, partial access). */
  | {
      readonly kind: 'part';
      readonly base: Expression;
      readonly size: 'X' | 'B' | 'W' | 'D' | 'L';
      readonly index: number;
    }
  /** `r^`: what a reference stands for. */
  | { readonly kind: 'dereference'; readonly base: Expression }
  | { readonly kind: 'null' }
  | { readonly kind: 'index'; readonly base: Expression; readonly indices: readonly Expression[] }
  | { readonly kind: 'call'; readonly callee: Expression; readonly args: readonly Argument[] }
  | { readonly kind: 'unary'; readonly op: UnaryOp; readonly arg: Expression }
  | {
      readonly kind: 'binary';
      readonly op: BinaryOp;
      readonly left: Expression;
      readonly right: Expression;
      readonly opAt: Span;
    }
  /** Power on a wire of the rung being evaluated; made by ladder lowering only. */
  | { readonly kind: 'power'; readonly wire: number }
  /** Stands where nothing could be parsed; already reported. */
  | { readonly kind: 'missing' }
);

/**
 * Which coil of a rung an assignment is. `latches`: a set or reset coil that leaves the tag as it is without power, its
 * value being the power.
 */
export interface CoilKind {
  readonly mode: 'plain' | 'negated' | 'set' | 'reset' | 'rising' | 'falling';
  readonly latches?: boolean;
}

/**
 * How power goes through a rung, from wire to wire, in the order of evaluation; with what each element let through it
 * says where power was.
 */
export type FlowStep =
  | { readonly kind: 'source'; readonly wire: number }
  | { readonly kind: 'sink'; readonly wire: number; readonly element: number }
  /** A contact passes power on when it is closed; a block gives power of its own. */
  | { readonly kind: 'contact' | 'block'; readonly element: number; readonly from: number; readonly to: number }
  | { readonly kind: 'join'; readonly from: readonly number[]; readonly to: number };

export interface CaseLabel {
  readonly low: Expression;
  readonly high?: Expression;
}

export type Statement = { readonly at: Span } &
  /** `attempt`: `?=`, which gives NULL where the value is of another type (6.6.6.7). */
  (
    | {
        readonly kind: 'assign';
        readonly target: Expression;
        readonly value: Expression;
        readonly attempt?: boolean;
        readonly coil?: CoilKind;
      }
    | { readonly kind: 'call'; readonly call: Expression }
    | {
        readonly kind: 'if';
        readonly branches: readonly { readonly condition: Expression; readonly body: readonly Statement[] }[];
        readonly otherwise?: readonly Statement[];
      }
    | {
        readonly kind: 'case';
        readonly selector: Expression;
        readonly arms: readonly { readonly labels: readonly CaseLabel[]; readonly body: readonly Statement[] }[];
        readonly otherwise?: readonly Statement[];
      }
    | {
        readonly kind: 'for';
        readonly variable: Expression;
        readonly from: Expression;
        readonly to: Expression;
        readonly by?: Expression;
        readonly body: readonly Statement[];
      }
    | { readonly kind: 'while'; readonly condition: Expression; readonly body: readonly Statement[] }
    | { readonly kind: 'repeat'; readonly body: readonly Statement[]; readonly until: Expression }
    | { readonly kind: 'exit' | 'continue' | 'return' | 'empty' }
    /* The rest is made by ladder lowering only. */
    | {
        readonly kind: 'rung';
        readonly rungId: string;
        readonly body: readonly Statement[];
        readonly elements: number;
        readonly flow: readonly FlowStep[];
      }
    | { readonly kind: 'setPower'; readonly wire: number; readonly value: Expression }
    /** An element was passed: whether it lets power through, kept for the screen in the watched build. */
    | { readonly kind: 'probe'; readonly element: number; readonly closed: Expression }
    /** A block or Boolean function with power through it. */
    | {
        readonly kind: 'powerCall';
        readonly call: Expression & { readonly kind: 'call' };
        readonly input: number;
        readonly output: number;
        readonly inPin?: Name;
        readonly outPin?: Name;
      }
    /** `value` is true for the one evaluation in which `of` rises; `memory` names the hidden variable. */
    | {
        readonly kind: 'edge';
        readonly wire: number;
        readonly of: Expression;
        readonly falling: boolean;
        readonly memory: string;
      }
  );

export type Initial = { readonly at: Span } & (
  | { readonly kind: 'value'; readonly value: Expression }
  | {
      readonly kind: 'array';
      readonly items: readonly { readonly count?: Expression; readonly values: readonly Initial[] }[];
    }
  | { readonly kind: 'struct'; readonly members: readonly { readonly name: Name; readonly value: Initial }[] }
);

export type TypeSpec = { readonly at: Span } & (
  | { readonly kind: 'named'; readonly name: Name }
  | { readonly kind: 'string'; readonly wide: boolean; readonly length?: Expression }
  /** Without ranges it is of any length: `ARRAY [*, *] OF` with that many `dimensions`. */
  | {
      readonly kind: 'array';
      readonly ranges: readonly { readonly low: Expression; readonly high: Expression }[];
      readonly dimensions: number;
      readonly element: TypeSpec;
    }
  | { readonly kind: 'struct'; readonly overlap: boolean; readonly members: readonly VariableDecl[] }
  | {
      readonly kind: 'enum';
      readonly base?: Name;
      readonly values: readonly { readonly name: Name; readonly value?: Expression }[];
    }
  | { readonly kind: 'subrange'; readonly base: Name; readonly low: Expression; readonly high: Expression }
  | { readonly kind: 'ref'; readonly target: TypeSpec }
);

export interface VariableDecl {
  readonly names: readonly Name[];
  readonly address?: { readonly text: string; readonly at: Span };
  readonly type: TypeSpec;
  readonly initial?: Initial;
  /** A BOOL input that is seen on for the call in which it rises or falls. */
  readonly edge?: 'rising' | 'falling';
  /** The names stand for this place and have nothing of their own. */
  readonly standsFor?: Expression;
}

export type Section = 'VAR' | 'VAR_INPUT' | 'VAR_OUTPUT' | 'VAR_IN_OUT' | 'VAR_TEMP' | 'VAR_GLOBAL' | 'VAR_EXTERNAL';

export type Access = 'PUBLIC' | 'PROTECTED' | 'PRIVATE' | 'INTERNAL';

export interface VariableBlock {
  readonly section: Section;
  readonly constant: boolean;
  readonly retain: boolean;
  readonly access?: Access;
  readonly variables: readonly VariableDecl[];
}

/** Where names are looked up from: the namespace a declaration stands in, and what USING opens (6.9). */
export interface NameContext {
  readonly namespace: string;
  readonly using: readonly string[];
}

/** A method of a class or function block, or its prototype in an interface (6.6.5.4). */
export interface MethodDecl {
  readonly name: Name;
  readonly access?: Access;
  readonly modifiers: readonly ('ABSTRACT' | 'FINAL' | 'OVERRIDE')[];
  readonly result?: TypeSpec;
  readonly blocks: readonly VariableBlock[];
  readonly body: readonly Statement[];
  readonly at: Span;
}

export interface Pou {
  readonly kind: 'pou';
  readonly pou: 'PROGRAM' | 'FUNCTION' | 'FUNCTION_BLOCK' | 'CLASS';
  readonly name: Name;
  readonly context: NameContext;
  readonly modifiers: readonly ('ABSTRACT' | 'FINAL')[];
  readonly extends?: Name;
  readonly implements: readonly Name[];
  readonly methods: readonly MethodDecl[];
  readonly result?: TypeSpec;
  readonly blocks: readonly VariableBlock[];
  readonly body: readonly Statement[];
  readonly at: Span;
}

export interface InterfaceDecl {
  readonly kind: 'interface';
  readonly name: Name;
  readonly context: NameContext;
  readonly extends: readonly Name[];
  readonly methods: readonly MethodDecl[];
}
export interface TypeDecl {
  readonly kind: 'type';
  readonly name: Name;
  readonly context: NameContext;
  readonly spec: TypeSpec;
  readonly initial?: Initial;
}
export interface GlobalsDecl {
  readonly kind: 'globals';
  readonly block: VariableBlock;
}

export interface TaskDecl {
  readonly name: Name;
  readonly interval?: Expression;
  readonly priority?: Expression;
  readonly single?: Expression;
}
/** `PROGRAM name WITH task : Program (in := source, out => sink, block WITH task)` */
export interface InstanceDecl {
  readonly name: Name;
  readonly task?: Name;
  readonly program: Name;
  readonly connections: readonly Argument[];
  /** Function blocks of the program that have a task of their own. */
  readonly blocks: readonly BlockTask[];
}
export interface BlockTask {
  readonly block: Name;
  readonly task: Name;
}
/** One line of VAR_CONFIG: an address or a start value for a variable of an instance, by its path. */
export interface ConfigItem {
  readonly path: Expression;
  readonly address?: { readonly text: string; readonly at: Span };
  readonly type: TypeSpec;
  readonly initial?: Initial;
}
/** One line of VAR_ACCESS: a name under which others reach a variable. */
export interface AccessItem {
  readonly name: Name;
  readonly path: Expression;
  readonly type: TypeSpec;
  readonly writable: boolean;
}
export interface Configuration {
  readonly kind: 'configuration';
  readonly name: Name;
  readonly resources: readonly Name[];
  readonly globals: readonly VariableBlock[];
  readonly tasks: readonly TaskDecl[];
  readonly instances: readonly InstanceDecl[];
  readonly config: readonly ConfigItem[];
  readonly access: readonly AccessItem[];
}

export type Declaration = Pou | InterfaceDecl | TypeDecl | GlobalsDecl | Configuration;

/** Ends a `switch` over a union: TypeScript rejects the call when a kind was forgotten. */
export function assertNever(value: never): never {
  throw new Error(`Unexpected ${JSON.stringify(value)}`);
}
