/**
 * What a kind of device is: its behaviour in structured text and its description for wiring, panel and view.
 *
 * The machine model is a generated program `Machine` with one instance a device, run after the logic in the same
 * memory, so snapshots, time travel and checks include it. It settles once before the first scan, so that sensors
 * speak from the start. Before a device is worked, its driven inputs are taken away if it has no power (upset
 * `NoPower`, or a `Supply` that is lost).
 *
 * Parts (`machine/device`: `Machine_Part`, `Machine_Line`) are structures handed on by mechanical links, which copy
 * whatever lies at their ends: a part leaves in one scan as `Out` and is at the next device as `In` one scan later;
 * who has no room says `Full` to the `Ahead` of the one before. Terminals that act back (`back`) close no loop of
 * signals. `snapLinks` (`wiring/wiring`) finds these links when a device is put into the flow, `snapOnto` when one is
 * dragged onto another. `wiring/floor` lays the machine out: the order of the list in rows, a device that is fed from
 * elsewhere begins a row, links that do not go to the neighbour run in lanes between the rows.
 */
export type TerminalType = 'BOOL' | 'REAL' | 'UINT' | 'INT' | typeof PART | typeof LINE | typeof LOAD;
export interface Terminal {
  readonly name: string;
  readonly type: TerminalType;
  readonly direction: 'in' | 'out';
  readonly help: string;
  /** Not a wire but an effect: a position, a flow, a part that is handed on. Linked to another device. */
  readonly mechanical?: boolean;
  /** An effect back on what came before (no room, a part was taken): it closes no loop of signals. */
  readonly back?: boolean;
  /**
   * How an output is wired at rest: what is closed while all is well (NC) reads on then. Open at rest where it says
   * nothing.
   */
  readonly wiring?: 'NO' | 'NC';
  /** Names of terminals of other devices that this one is linked to by itself when its device is put behind theirs. */
  readonly snaps?: readonly string[];
}
export interface Parameter {
  readonly name: string;
  readonly type: string;
  readonly initial: string;
  readonly unit?: string;
  /** Limits of a sensible value, both included. */ readonly min?: number;
  readonly max?: number;
  readonly help: string;
}
/** Something going wrong on purpose: a BOOL of the block that is set from outside. */
export interface Upset {
  readonly name: string;
  readonly help: string;
}
/** What a person does to a device on the panel: a variable of the block that is written from outside. */
export interface Handle {
  readonly name: string;
  /** `way`: a switch with three positions, -1 left, 0 middle, 1 right; `place`: one of several, from 1. */
  readonly type: 'press' | 'turn' | 'way' | 'latch' | 'number' | 'place';
  readonly help: string;
}
const HANDLE_TYPES: Readonly<Record<Handle['type'], string>> = {
  press: 'BOOL',
  turn: 'BOOL',
  latch: 'BOOL',
  way: 'INT',
  place: 'INT',
  number: 'REAL',
};

export interface DeviceKind {
  readonly type: string;
  readonly help: string;
  /** Electrical terminals, wired to tags or, for mechanical effects, to another device's output. */
  readonly terminals: readonly Terminal[];
  readonly parameters: readonly Parameter[];
  readonly upsets: readonly Upset[];
  readonly handles: readonly Handle[];
  /** Body and inner variables; terminals, parameters, upsets and handles are declared from the lists above. */
  readonly locals: string;
  readonly body: string;
}

/** A thing that is made or moved: a crate, a bottle, a piece of wire. Number 0 is none. */
export const PART = 'Machine_Part';
/** The parts on a stretch of the flow, the first one foremost; places are those of their front edges, in m. */
export const LINE = 'Machine_Line';
/** Most parts that a line holds. */
export const LINE_PARTS = 12;
/** A cart (or pallet) with what lies on it, in layers from the bottom up. Number 0 is none. */
export const LOAD = 'Machine_Load';
/** Most parts, and most layers, that a cart carries. */
export const LOAD_PARTS = 40;
export const LOAD_LAYERS = 10;
export const PART_TYPES = `TYPE
  ${PART} : STRUCT
    Number : UINT; (* 0: none *)
    Sort : USINT; (* what kind of part it is *)
    Worked : BYTE; (* one bit for each work done on it *)
    Weight : REAL; (* kg *)
    Length : REAL; (* m *)
    Height : REAL; (* m *)
  END_STRUCT;
  ${LINE} : STRUCT
    Count : INT;
    Front : ARRAY [1..${LINE_PARTS}] OF REAL; (* m *)
    Part : ARRAY [1..${LINE_PARTS}] OF ${PART};
  END_STRUCT;
  ${LOAD} : STRUCT
    Cart : UINT; (* 0: none *)
    Count : INT; (* parts on it, the lowest layer first *)
    Layers : INT;
    Height : REAL; (* m, of what lies on it *)
    InLayer : ARRAY [1..${LOAD_LAYERS}] OF SINT; (* parts in each layer *)
    Seen : ARRAY [1..${LOAD_LAYERS}] OF SINT; (* parts beside each other in it, seen along the flow: a turned layer has others *)
    Part : ARRAY [1..${LOAD_PARTS}] OF ${PART};
  END_STRUCT;
END_TYPE
`;

export const bool = (name: string, direction: 'in' | 'out', help: string): Terminal => ({
  name,
  type: 'BOOL',
  direction,
  help,
});
export const real = (name: string, direction: 'in' | 'out', help: string): Terminal => ({
  name,
  type: 'REAL',
  direction,
  help,
});
/**
 * Whether what is there is handed on, so that it is then nowhere else: a part or a cart that comes or leaves. What only
 * looks is not.
 */
export const isHandedOn = (t: Terminal): boolean =>
  (t.type === PART && t.name !== 'Waiting' && t.name !== 'From') || (t.type === LOAD && t.name !== 'Load');

/** A contact that is closed at rest and opens when it speaks. */
export const closedContact = (name: string, help: string): Terminal => ({ ...bool(name, 'out', help), wiring: 'NC' });
/** An effect that the device feels or has. */
export const mech = (
  name: string,
  direction: 'in' | 'out',
  help: string,
  type: TerminalType = 'REAL',
  back = false,
): Terminal => ({ name, type, direction, help, mechanical: true, ...(back ? { back } : {}) });

/** Takes away its power: what drives it reads as off. Every device that is driven has it. */
export const NO_POWER: Upset = { name: 'NoPower', help: 'It has no power: nothing that drives it comes through' };
/** Inputs that are dead without power. */
const driven = (k: DeviceKind): readonly Terminal[] => k.terminals.filter((t) => t.direction === 'in' && !t.mechanical);
/** A kind with what every kind has: the loss of its power, where it is driven. */
export const wholeKind = <K extends DeviceKind>(k: K): K =>
  driven(k).length && !k.upsets.includes(NO_POWER) ? { ...k, upsets: [...k.upsets, NO_POWER] } : k;

/** Limits of a parameter that states none, by its unit: what is impossible or certainly a slip. */
const UNIT_LIMITS: Readonly<Record<string, readonly [number, number]>> = {
  s: [0.001, 86_400],
  m: [0.001, 10_000],
  'm/s': [0.001, 100],
  mm: [0.001, 1e6],
  'mm/s': [0.001, 1e6],
  'l/s': [0, 1e5],
  l: [0.001, 1e7],
  kg: [0, 1e6],
  'kg/s': [0, 1e5],
  '°C': [-273.15, 4000],
  '%': [0, 100],
  A: [0, 1e5],
  N: [0, 1e7],
  'N/s': [0, 1e7],
  Pa: [0, 1e8],
  pieces: [0, 65_535],
};
/** Lowest and highest sensible value of a parameter; undefined where any will do. */
export function limitsOf(p: Parameter): readonly [number, number] | undefined {
  const [low, high] = (p.unit !== undefined ? UNIT_LIMITS[p.unit] : undefined) ?? [-Infinity, Infinity];
  const limits = [p.min ?? low, p.max ?? high] as const;
  return limits.some(Number.isFinite) ? limits : undefined;
}

/** The device as a function block. Its instances live in the program `Machine`. */
export function deviceBlock(k: DeviceKind): string {
  return `${deviceHead(k)}${k.body}
END_FUNCTION_BLOCK
`;
}

/**
 * Where the inner variables and the body of a kind begin in the text of its block, as offsets: to show a problem where
 * it was written.
 */
export function deviceParts(k: DeviceKind): { readonly locals: number; readonly body: number } {
  const head = deviceHead(k);
  return { locals: head.indexOf(LOCALS) + LOCALS.length, body: head.length };
}

/**
 * The terminal, parameter, upset or thing done by hand that is declared at an offset of the block's text: there a
 * problem of its type or its value is shown. None in what is written in structured text.
 */
export function devicePieceAt(k: DeviceKind, offset: number): string | undefined {
  const { locals } = deviceParts(k);
  if (offset >= locals) return undefined;
  const head = deviceHead(k),
    begin = head.lastIndexOf('\n', offset - 1) + 1;
  return /^ {2}(\w+) : /.exec(head.slice(begin, locals))?.[1];
}
const LOCALS = '  Dt : REAL; (* seconds since the last scan *)\n';

/** Everything before the body: problems in the body are counted in its own lines. */
export function deviceHead(k: DeviceKind): string {
  const of = (direction: 'in' | 'out') =>
    k.terminals
      .filter((t) => t.direction === direction)
      .map((t) => `  ${t.name} : ${t.type};`)
      .join('\n');
  const given = [
    ...k.parameters.map((p) => `  ${p.name} : ${p.type} := ${p.initial};`),
    ...k.upsets.map((u) => `  ${u.name} : BOOL;`),
    ...k.handles.map((h) => `  ${h.name} : ${HANDLE_TYPES[h.type]};`),
  ].join('\n');
  return `FUNCTION_BLOCK ${deviceBlockName(k.type)}
VAR_INPUT
${of('in')}
${given}
END_VAR
VAR_OUTPUT
${of('out')}
END_VAR
VAR
${LOCALS}${k.locals}
END_VAR
Dt := TIME_TO_REAL(__STEP()) / 1000.0;
`;
}

/**
 * What the machine does before it works a device: without power of its own, or without the supply (a device of that
 * name), nothing that drives it comes through.
 */
export function powerText(k: DeviceKind, name: string, supply: string | undefined): string {
  const off = driven(k)
    .map((t) => `${name}.${t.name} := ${t.type === 'BOOL' ? 'FALSE' : t.type === 'REAL' ? '0.0' : '0'};`)
    .join(' ');
  return off && `IF ${name}.NoPower${supply === undefined ? '' : ` OR ${supply}.Lost`} THEN ${off} END_IF;`;
}

export const deviceBlockName = (type: string): string => `Device_${type}`;
