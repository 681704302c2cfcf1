/**
 * Gives every variable its address: header, input, output and internal areas, tags, program instances, frames.
 *
 * All state is in linear memory: a 64-byte header (clock, step, fault record, edges of event tasks), the %I, %Q and %M
 * areas, tags, program instances, frames of functions (fixed, since nothing is recursive but calls through an
 * interface, which have theirs on a stack behind the probes: `compile/frame.ts`), the machine's instances. A snapshot
 * is a copy of the first `stateSize` bytes plus scan number and forces. Probes lie behind the state, so the watched
 * and the plain build have the same state (property-tested against each other).
 *
 * Probes are one word a rung: each contact or block passed shifts in one bit, whether it lets power through; where
 * power was follows from that and the shape of the rung (`runtime/frame.ts`).
 *
 * Strings are a length and characters in place; what an expression makes on its way lives in memory of its own behind
 * the state (rooms, `back/wasm/unit.ts`).
 */
import { type CheckedProgram, type Variable, type Where, fixedAddress, fixedBit, rootOf } from '../checked/tree.js';
import { type Constant, type Type, alignOf, defaultValue, roundUp, sizeOf } from '../types/type.js';
import { type Memory, writeConstant, writeIntoZeros, writeScalar } from '../types/memory.js';
import { HEADER, type Image, type Symbol } from './image.js';

export interface Layout {
  readonly stateSize: number;
  readonly initial: Uint8Array;
  readonly symbols: Map<string, Symbol>;
  readonly areas: Image['areas'];
  /** Base address of each program instance, in order. */
  readonly instances: readonly number[];
  /** The first byte of a variable that has fixed memory, and of all that have. */
  readonly where: Where;
  readonly addresses: ReadonlyMap<Variable, number>;
}

export function layOut(program: CheckedProgram): Layout {
  const all = [...program.globals, ...program.pous.flatMap((p) => p.variables)];
  const used = { I: 0, Q: 0, M: 0 };
  for (const { address } of all)
    if (address) used[address.area] = Math.max(used[address.area], address.byte + address.size);
  const size = { I: roundUp(used.I, 8), Q: roundUp(used.Q, 8), M: roundUp(used.M, 8) };
  const start = { I: HEADER.size, Q: 0, M: 0 };
  start.Q = start.I + size.I;
  start.M = start.Q + size.Q;
  let next = start.M + size.M;
  const allocate = (size: number, align: number): number => {
    next = roundUp(next, align);
    const at = next;
    next += size;
    return at;
  };
  const addresses = new Map<Variable, number>();
  const where: Where = (v) => {
    const at = addresses.get(v);
    if (at === undefined) throw new Error(`'${v.name}' has no memory of its own`);
    return at;
  };
  for (const v of all)
    if (v.home.kind === 'global' && v.address) addresses.set(v, start[v.address.area] + v.address.byte);
    else if (v.home.kind === 'global' || v.home.kind === 'frame')
      addresses.set(v, allocate(sizeOf(v.type), alignOf(v.type)));
  const instances = program.instances.map((i, n) => {
    const address = allocate(i.pou.layout.size, Math.max(i.pou.layout.align, 8));
    addresses.set(program.instanceVariables[n]!, address);
    return address;
  });
  const stateSize = roundUp(next, 8);
  const initial = new Uint8Array(stateSize);
  const memory: Memory = { view: new DataView(initial.buffer), where };
  const bytesOf = startBytes(where);
  for (const v of all)
    if (v.home.kind === 'global' || v.home.kind === 'frame') writeInitial(memory, v, where(v), bytesOf);
  instances.forEach((address, n) =>
    writeIntoZeros(
      memory,
      address,
      program.instanceVariables[n]!.type,
      defaultValue(program.instanceVariables[n]!.type),
    ),
  );
  for (const { place, value } of program.startValues)
    writeConstant(memory, fixedAddress(place, where), place.type, value);
  return {
    stateSize,
    initial,
    symbols: symbolsOf(program, where),
    areas: {
      I: { start: start.I, size: size.I },
      Q: { start: start.Q, size: size.Q },
      M: { start: start.M, size: size.M },
    },
    instances,
    where,
    addresses,
  };
}

/** The bit of its byte that a BOOL with an address is. */
const bitOf = (v: Variable): number | undefined => (v.home.kind === 'global' ? v.address?.bit : undefined);

/**
 * What an instance of a block starts with, worked out once for each kind of block; undefined where that names its own
 * place, so that no two are alike.
 */
function startBytes(where: Where): (t: Type) => Uint8Array | undefined {
  const known = new Map<object, Uint8Array | undefined>();
  const isMovable = (t: Type): boolean =>
    t.kind === 'block'
      ? t.layout.members.every((m) => isMovable(m.type))
      : t.kind === 'struct'
        ? t.members.every((m) => isMovable(m.type))
        : t.kind === 'array'
          ? isMovable(t.element)
          : t.kind !== 'ref' && t.kind !== 'interface';
  return (t) => {
    if (t.kind !== 'block') return undefined;
    const key = t.layout;
    if (!known.has(key)) {
      let bytes: Uint8Array | undefined;
      if (isMovable(t)) {
        bytes = new Uint8Array(sizeOf(t));
        writeIntoZeros({ view: new DataView(bytes.buffer), where }, 0, t, defaultValue(t));
      }
      known.set(key, bytes);
    }
    return known.get(key);
  };
}

function writeInitial(memory: Memory, v: Variable, at: number, bytesOf: (t: Type) => Uint8Array | undefined): void {
  const { view } = memory,
    bit = bitOf(v);
  if (v.section === 'hidden' && v.initial === undefined) return;
  // A view over another tag's memory starts with that tag's value unless it has its own.
  if (v.address && v.initial === undefined) return;
  const alike = v.initial === undefined ? bytesOf(v.type) : undefined;
  if (alike) {
    new Uint8Array(view.buffer, view.byteOffset).set(alike, at);
    return;
  }
  const value: Constant = v.initial ?? defaultValue(v.type);
  // Memory is zeros already, what another tag's lies over it apart.
  if (!v.address && (value === false || value === 0n || Object.is(value, 0))) return;
  if (bit !== undefined) {
    const byte = view.getUint8(at);
    view.setUint8(at, value ? byte | (1 << bit) : byte & ~(1 << bit));
  } else if (typeof value === 'object' || typeof value === 'string') {
    // What lies over another tag's memory may find it written.
    if (v.address) writeConstant(memory, at, v.type, value);
    else writeIntoZeros(memory, at, v.type, value);
  } else writeScalar(view, at, v.type, value);
}

function symbolsOf(program: CheckedProgram, where: Where): Map<string, Symbol> {
  const symbols = new Map<string, Symbol>();
  const programs = new Set(program.instanceVariables);
  for (const v of [...program.globals, ...programs]) {
    if (v.home.kind !== 'global') continue;
    symbols.set(v.name.toLowerCase(), {
      name: v.name,
      type: v.type,
      address: where(v),
      section: v.address?.area === 'I' ? 'input' : v.address?.area === 'Q' ? 'output' : v.section,
      isRetained: v.isRetained,
      ...(bitOf(v) !== undefined ? { bit: bitOf(v)! } : {}),
      ...knownBy(v, programs.has(v)),
    });
  }
  for (const a of program.accessPaths) {
    const root = rootOf(a.place);
    if (!symbols.has(a.name.toLowerCase()))
      symbols.set(a.name.toLowerCase(), {
        name: a.name,
        type: a.place.type,
        address: fixedAddress(a.place, where),
        section: root.address?.area === 'I' ? 'input' : root.address?.area === 'Q' ? 'output' : root.section,
        isRetained: false,
        isView: true,
        ...(fixedBit(a.place) !== undefined ? { bit: fixedBit(a.place)! } : {}),
      });
  }
  // Located variables of programs are not in the instance's memory; they get a name of their own.
  for (const i of program.instances)
    for (const v of i.pou.variables) {
      if (v.home.kind === 'global')
        symbols.set(`${i.name}.${v.name}`.toLowerCase(), {
          name: `${i.name}.${v.name}`,
          type: v.type,
          address: where(v),
          section: v.address?.area === 'I' ? 'input' : v.address?.area === 'Q' ? 'output' : 'local',
          isRetained: v.isRetained,
          ...(bitOf(v) !== undefined ? { bit: bitOf(v)! } : {}),
          ...knownBy(v, true),
        });
    }
  return symbols;
}

/**
 * The id of the tag, or of the program, with the name of a variable of it; a file's has none, and neither has a global
 * variable of a text: others stand beside it there.
 */
function knownBy(v: Variable, isOfProgram: boolean): { readonly id?: string } {
  const { origin } = v.at.source;
  if (origin.kind === 'tag') return { id: `tag ${origin.id}` };
  if (isOfProgram && origin.kind === 'pou')
    return { id: `program ${origin.id}${v.owner === undefined ? '' : ` ${v.name}`}` };
  return {};
}
