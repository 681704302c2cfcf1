/**
 * The checked tree: every name resolved, every expression typed, conversions made explicit; structured text and rungs
 * look alike here. The rules of checking and the editor read it; whatever runs, proves or prints a program is made from
 * the intermediate representation (`ir`), and changes nothing here.
 */
import type { Span } from '../language/source.js';
import type { BinaryOp, CoilKind, FlowStep, MethodDecl, Pou } from '../language/tree.js';
import {
  type ArrayType,
  type BlockLayout,
  type BlockType,
  type Constant,
  type ElementaryName,
  type Type,
  stride,
} from '../types/type.js';

/**
 * Where a variable lives, as far as its declaration says it: offsets in bytes. Addresses are given by the layout of
 * memory, locals by the emitter.
 */
export type Home =
  | { readonly kind: 'global' }
  | { readonly kind: 'instance'; readonly offset: number }
  /** A VAR_IN_OUT of an instance: the address of the actual variable is stored at `offset`. */
  | { readonly kind: 'reference'; readonly offset: number }
  | { readonly kind: 'local' }
  /** A VAR_IN_OUT of a function: the local holds the address. */
  | { readonly kind: 'localReference' }
  /**
   * A composite local of a function, or a function's output: fixed memory, but for what may come back to itself
   * (`CheckedProgram.reentrant`).
   */
  | { readonly kind: 'frame' };

/** The first byte of a variable that has fixed memory, as it is laid out (`compile/layout`). */
export type Where = (v: Variable) => number;

export interface Address {
  readonly area: 'I' | 'Q' | 'M';
  readonly byte: number;
  readonly bit?: number;
  readonly size: number;
  readonly text: string;
}

export interface Variable {
  readonly name: string;
  readonly type: Type;
  /** `bound`: a bound of a parameter ARRAY [*], handed over with it. */
  readonly section: 'global' | 'input' | 'output' | 'inout' | 'local' | 'temp' | 'result' | 'hidden' | 'bound';
  readonly at: Span;
  readonly isConstant: boolean;
  readonly isRetained: boolean;
  readonly initial?: Constant;
  readonly address?: Address;
  /** The POU it belongs to; undefined for a global. */
  readonly owner?: string;
  /** Memory that holds the start value of a composite variable that starts anew at each call. */
  readonly template?: Variable;
  /** The bounds of an ARRAY [*], dimension by dimension. */
  readonly bounds?: readonly { readonly low: Variable; readonly high: Variable }[];
  /** An address to be given by VAR_CONFIG: `AT %I*`. */
  readonly openAddress?: 'I' | 'Q' | 'M';
  readonly home: Home;
}

export type Place = { readonly type: Type; readonly at: Span } & (
  | { readonly kind: 'variable'; readonly variable: Variable; /** Reached by a second name. */ readonly alias?: string }
  | { readonly kind: 'member'; readonly base: Place; readonly offset: number; readonly isReference?: boolean }
  /** `bounds` only where the array's own are not known before the run. */
  | {
      readonly kind: 'element';
      readonly base: Place;
      readonly array: ArrayType;
      readonly indices: readonly Checked[];
      readonly bounds?: readonly { readonly low: Checked; readonly high: Checked }[];
    }
  /** What a reference stands for; a null reference is a fault. */
  | { readonly kind: 'target'; readonly reference: Checked; readonly base: Place }
  /** A bit, byte, word or double word of an integer or bit string. `shift` counts bits. */
  | { readonly kind: 'part'; readonly base: Place; readonly shift: number }
);

export interface FunctionCall {
  readonly pou: CheckedPou;
  /** In the order of the declaration: value of each input, address of each in-out. */
  readonly inputs: readonly (Checked | Place)[];
  readonly outputs: readonly { readonly from: Variable; readonly to: Place; readonly negated: boolean }[];
  /** The instance a method works on: its address. */
  readonly self?: Checked;
  /** Which method runs is known only in the run, by the class of the instance. */
  readonly isVirtual?: boolean;
}

export type Checked = { readonly type: Type; readonly at: Span } & (
  | { readonly kind: 'constant'; readonly value: bigint | number | boolean | string }
  | { readonly kind: 'read'; readonly place: Place }
  | { readonly kind: 'not'; readonly arg: Checked }
  | { readonly kind: 'negate'; readonly arg: Checked }
  /** Both sides have the same type, except shifts of a duration by a number. */
  | { readonly kind: 'binary'; readonly op: BinaryOp; readonly left: Checked; readonly right: Checked }
  | { readonly kind: 'convert'; readonly arg: Checked; readonly truncate?: boolean }
  /** Characters of a value, or the value that characters say; either side is a string. */
  | { readonly kind: 'text'; readonly arg: Checked }
  | { readonly kind: 'call'; readonly call: FunctionCall }
  | { readonly kind: 'builtin'; readonly name: Builtin; readonly args: readonly Checked[] }
  /** REF(variable), and an instance where an interface is wanted. */
  | { readonly kind: 'address'; readonly place: Place }
  /** The instance behind an interface variable; NULL is a fault. */
  | { readonly kind: 'notNull'; readonly arg: Checked }
  /** `?=`: the address if the instance there is of one of these classes, else NULL. */
  | { readonly kind: 'attempt'; readonly arg: Checked; readonly classes: readonly number[] }
  | { readonly kind: 'power'; readonly wire: number }
  | { readonly kind: 'invalid' }
);

/** Calls through an interface that have come back this often are a fault (choices.md). */
export const MAX_NESTED = 64;

/** Functions of the host's arithmetic unit: pure, the same on every machine. */
export const MATH = ['sin', 'cos', 'tan', 'asin', 'acos', 'atan', 'exp', 'log', 'log10', 'pow', 'atan2'] as const;
export type MathName = (typeof MATH)[number];

export type StringBuiltin =
  | 'LEN'
  | 'LEFT'
  | 'RIGHT'
  | 'MID'
  | 'CONCAT'
  | 'INSERT'
  | 'DELETE'
  | 'REPLACE'
  | 'FIND'
  | 'INT_TEXT'
  | 'TEXT_INT'
  | 'CHAR_TEXT'
  | 'TEXT_CHAR'
  | 'WIDTH';

export type Builtin =
  | MathName
  | StringBuiltin
  | 'FROM_BCD'
  | 'TO_BCD'
  | 'IS_BCD'
  | 'SWAP'
  | 'DAYS'
  | 'CIVIL'
  | 'ABS'
  | 'SQRT'
  | 'MIN'
  | 'MAX'
  | 'SEL'
  | 'MUX'
  | 'SHL'
  | 'SHR'
  | 'ROL'
  | 'ROR'
  | 'NOW'
  | 'STEP_NS';

export interface BlockCall {
  readonly instance: Place;
  readonly type: BlockType;
  /** The instance may be of a derived block, whose own statements run then. */
  readonly isVirtual?: boolean;
  /**
   * TRUE where a task runs the block (`block WITH task`): values are handed over and taken back, its statements wait.
   */
  readonly asleep?: Place;
  readonly inputs: readonly {
    readonly offset: number;
    readonly type: Type;
    readonly value: Checked | Place;
    readonly isReference: boolean;
  }[];
  readonly outputs: readonly {
    readonly offset: number;
    readonly type: Type;
    readonly to: Place;
    readonly negated: boolean;
  }[];
}

export type CheckedStatement = { readonly at: Span } & (
  | { readonly kind: 'assign'; readonly target: Place; readonly value: Checked; readonly coil?: CoilKind }
  /** A structure or array as a whole, from a place or from a function that gives one. */
  | { readonly kind: 'copy'; readonly target: Place; readonly from: Place | Checked; readonly size: number }
  | { readonly kind: 'blockCall'; readonly call: BlockCall }
  | { readonly kind: 'evaluate'; readonly value: Checked }
  | {
      readonly kind: 'if';
      readonly branches: readonly { readonly condition: Checked; readonly body: readonly CheckedStatement[] }[];
      readonly otherwise?: readonly CheckedStatement[];
    }
  | {
      readonly kind: 'case';
      readonly selector: Checked;
      readonly arms: readonly {
        readonly labels: readonly { readonly low: bigint; readonly high: bigint }[];
        readonly body: readonly CheckedStatement[];
      }[];
      readonly otherwise?: readonly CheckedStatement[];
    }
  | {
      readonly kind: 'for';
      readonly variable: Place;
      readonly from: Checked;
      readonly to: Checked;
      readonly by: Checked;
      readonly body: readonly CheckedStatement[];
    }
  | { readonly kind: 'while'; readonly condition: Checked; readonly body: readonly CheckedStatement[] }
  | { readonly kind: 'repeat'; readonly body: readonly CheckedStatement[]; readonly until: Checked }
  | { readonly kind: 'exit' | 'continue' | 'return' }
  | {
      readonly kind: 'rung';
      readonly rungId: string;
      readonly elements: number;
      readonly flow: readonly FlowStep[];
      readonly body: readonly CheckedStatement[];
    }
  | { readonly kind: 'setPower'; readonly wire: number; readonly value: Checked }
  | { readonly kind: 'probe'; readonly element: number; readonly closed: Checked }
  /** An R_EDGE or F_EDGE input becomes its edge, at the start of the block. */
  | { readonly kind: 'inputEdge'; readonly input: Place; readonly memory: Place; readonly falling: boolean }
  | {
      readonly kind: 'edge';
      readonly wire: number;
      readonly of: Checked;
      readonly falling: boolean;
      readonly memory: Place;
    }
);

export interface CheckedPou {
  /** Full name, with its namespace; a method's is `Block.Method`. */
  readonly name: string;
  readonly pou: Pou['pou'] | 'METHOD';
  readonly at: Span;
  readonly variables: readonly Variable[];
  readonly result?: Variable;
  /** It gives something, but of a type that could not be made out. */ isResultLost?: boolean;
  /** Instance memory: programs, function blocks and classes. */
  readonly layout: BlockLayout;
  readonly body: CheckedStatement[];
  /** Scalars a call keeps in WebAssembly locals, in order; inputs of a function come first. */
  readonly locals: Variable[];
  /** The block it extends. */
  readonly base?: CheckedPou;
  /** Its own methods by lower-case name. */
  readonly methods: Map<string, CheckedPou>;
  readonly interfaces: readonly CheckedInterface[];
  readonly isAbstract: boolean;
  /** Number of the class, kept in the first bytes of each instance; undefined where nothing asks for it. */
  readonly classNumber?: number;
  /** Of a method: its declaration and the block it belongs to (none for an interface's). */
  readonly method?: MethodDecl;
  readonly owner?: CheckedPou;
  /** A derived block without statements of its own runs those of its base. */
  readonly inheritsBody?: boolean;
}

export interface CheckedInterface {
  readonly name: string;
  readonly bases: readonly CheckedInterface[];
  readonly methods: ReadonlyMap<string, CheckedPou>;
}

/** What runs for each class when a method (or a block's body) is called on an instance known only in the run. */
export interface Dispatch {
  readonly method: CheckedPou;
  /**
   * A call of it may come back to where it was made from, for another instance (chains): how deep is counted in the
   * run.
   */
  readonly isReentrant: boolean;
  readonly targets: readonly { readonly classNumber: number; readonly pou: CheckedPou }[];
}

export interface Task {
  readonly name: string;
  readonly intervalNs: bigint;
  readonly priority: number;
  readonly single?: Checked;
}
export interface ProgramInstance {
  readonly name: string;
  readonly pou: CheckedPou;
  readonly task?: string;
  /** Connections of the configuration: done before and after each run of the program. */
  readonly before: readonly CheckedStatement[];
  readonly after: readonly CheckedStatement[];
}

/** A function block of a program that a task runs (`block WITH task`). */
export interface BlockRun {
  readonly name: string;
  readonly instance: ProgramInstance;
  readonly task: string;
  readonly place: Place;
  readonly pou: CheckedPou;
}

/** A start value or a name from outside for a place known before the run (VAR_CONFIG, VAR_ACCESS). */
export interface StartValue {
  readonly place: Place;
  readonly value: Constant;
}
export interface AccessPath {
  readonly name: string;
  readonly place: Place;
  readonly writable: boolean;
}

/** One use of a variable or of a member path, for where-used and rename. */
export interface Reference {
  readonly variable: Variable;
  readonly at: Span;
  readonly isWrite: boolean;
  readonly path: string;
  /** The second name that stands there. */ readonly alias?: string;
}

export interface Overflow {
  readonly at: Span;
  readonly text: string;
  readonly type: string;
  readonly wrapped: bigint;
}

export interface CheckedProgram {
  readonly globals: readonly Variable[];
  readonly pous: readonly CheckedPou[];
  readonly dispatches: readonly Dispatch[];
  /**
   * What may be running more than once at a time: calls that come back through an interface. Each call has its values
   * for itself.
   */
  readonly reentrant: ReadonlySet<CheckedPou>;
  readonly startValues: readonly StartValue[];
  readonly accessPaths: readonly AccessPath[];
  readonly tasks: readonly Task[];
  readonly instances: readonly ProgramInstance[];
  readonly blockRuns: readonly BlockRun[];
  readonly types: ReadonlyMap<string, Type>;
  readonly references: readonly Reference[];
  /** Constants that were folded and did not fit. */
  readonly overflows: readonly Overflow[];
  /** Expressions compiled beside the program (checks, rules): `undefined` where one has an error. */
  readonly expressions: readonly (Checked | undefined)[];
  /** One variable a program instance, in the order of `instances`; expressions reach program variables through it. */
  readonly instanceVariables: readonly Variable[];
}

export function isPlace(x: Checked | Place): x is Place {
  return (
    x.kind === 'variable' || x.kind === 'member' || x.kind === 'element' || x.kind === 'part' || x.kind === 'target'
  );
}

/**
 * Address of a place whose parts are all known before the run, in memory as `where` says; `instance` is that of the
 * block whose variable refers to it.
 */
export function fixedAddress(p: Place, where: Where, instance = 0): number {
  switch (p.kind) {
    case 'variable':
      return p.variable.home.kind === 'instance'
        ? instance + p.variable.home.offset
        : p.variable.home.kind === 'global' || p.variable.home.kind === 'frame'
          ? where(p.variable)
          : 0;
    case 'member':
      return fixedAddress(p.base, where, instance) + p.offset;
    case 'element': {
      let at = 0;
      p.indices.forEach((c, i) => {
        const b = p.array.bounds[i]!;
        at = at * (b.high - b.low + 1) + (c.kind === 'constant' ? Number(c.value) : b.low) - b.low;
      });
      return fixedAddress(p.base, where, instance) + at * stride(p.array.element);
    }
    // Parts of a wider value: whole bytes further on; a single bit is told by `fixedBit`.
    case 'part':
      return fixedAddress(p.base, where, instance) + (p.shift >> 3);
    default:
      return 0;
  }
}

/** The bit of the byte at `fixedAddress` that a BOOL place is; undefined where it has a byte of its own. */
export function fixedBit(p: Place): number | undefined {
  if (p.kind === 'variable') return p.variable.home.kind === 'global' ? p.variable.address?.bit : undefined;
  return p.kind === 'part' && p.type.kind === 'elementary' && p.type.name === 'BOOL' ? p.shift & 7 : undefined;
}

/** The variable a place is in. */
export function rootOf(p: Place): Variable {
  return p.kind === 'variable' ? p.variable : rootOf(p.base);
}

export const baseName = (t: Type): ElementaryName | undefined =>
  t.kind === 'elementary' ? t.name : t.kind === 'enum' || t.kind === 'subrange' ? t.base : undefined;
