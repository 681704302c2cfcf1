/** Gives every variable its address: header, input, output and internal areas, tags, program instances, frames. */
import { type CheckedProgram, type Variable, fixedAddress, fixedBit, rootOf } from '../check/checked.js';
import { type Constant, alignOf, defaultValue, roundUp, sizeOf } from '../types/type.js';
import { writeConstant, writeIntoZeros, writeScalar } from '../types/memory.js';
import { HEADER, type Image, type Symbol } from './image.js';

export interface Layout {
  readonly stateSize: number;
  readonly initial: Uint8Array;
  readonly symbols: Map<string, Symbol>;
  readonly areas: Image['areas'];
  /** Base address of each program instance, in order. */
  readonly instances: readonly number[];
}

export function layOut(program: CheckedProgram): Layout {
  const all = [...program.globals, ...program.pous.flatMap((p) => p.variables)];
  const areaEnd = (area: 'I' | 'Q' | 'M') =>
    roundUp(
      Math.max(0, ...all.filter((v) => v.address?.area === area).map((v) => v.address!.byte + v.address!.size)),
      8,
    );
  const start = { I: HEADER.size, Q: 0, M: 0 };
  start.Q = start.I + areaEnd('I');
  start.M = start.Q + areaEnd('Q');
  let next = start.M + areaEnd('M');
  const allocate = (size: number, align: number): number => {
    next = roundUp(next, align);
    const at = next;
    next += size;
    return at;
  };
  for (const v of all) {
    if (v.home.kind === 'global') {
      if (v.address) {
        v.home.address = start[v.address.area] + v.address.byte;
        if (v.address.bit !== undefined) v.home.bit = v.address.bit;
      } else v.home.address = allocate(sizeOf(v.type), alignOf(v.type));
    } else if (v.home.kind === 'frame') v.home.address = allocate(sizeOf(v.type), alignOf(v.type));
  }
  const instances = program.instances.map((i, n) => {
    const address = allocate(i.pou.layout.size, Math.max(i.pou.layout.align, 8));
    const home = program.instanceVariables[n]!.home;
    if (home.kind === 'global') home.address = address;
    return address;
  });
  const stateSize = roundUp(next, 8);
  const initial = new Uint8Array(stateSize);
  const view = new DataView(initial.buffer);
  for (const v of all) if (v.home.kind === 'global' || v.home.kind === 'frame') writeInitial(view, v);
  instances.forEach((address, n) =>
    writeIntoZeros(view, address, program.instanceVariables[n]!.type, defaultValue(program.instanceVariables[n]!.type)),
  );
  for (const { place, value } of program.startValues) writeConstant(view, fixedAddress(place), place.type, value);
  return {
    stateSize,
    initial,
    symbols: symbolsOf(program),
    areas: {
      I: { start: start.I, size: areaEnd('I') },
      Q: { start: start.Q, size: areaEnd('Q') },
      M: { start: start.M, size: areaEnd('M') },
    },
    instances,
  };
}

function writeInitial(view: DataView, v: Variable): void {
  if (v.home.kind !== 'global' && v.home.kind !== 'frame') return;
  if (v.section === 'hidden' && v.initial === undefined) return;
  // A view over another tag's memory starts with that tag's value unless it has its own.
  if (v.address && v.initial === undefined) return;
  const value: Constant = v.initial ?? defaultValue(v.type);
  if (v.home.kind === 'global' && v.home.bit !== undefined) {
    const byte = view.getUint8(v.home.address);
    view.setUint8(v.home.address, value ? byte | (1 << v.home.bit) : byte & ~(1 << v.home.bit));
  } else if (typeof value === 'object' || typeof value === 'string') {
    // What lies over another tag's memory may find it written.
    if (v.address) writeConstant(view, v.home.address, v.type, value);
    else writeIntoZeros(view, v.home.address, v.type, value);
  } else writeScalar(view, v.home.address, v.type, value);
}

function symbolsOf(program: CheckedProgram): Map<string, Symbol> {
  const symbols = new Map<string, Symbol>();
  for (const v of [...program.globals, ...program.instanceVariables]) {
    if (v.home.kind !== 'global') continue;
    symbols.set(v.name.toLowerCase(), {
      name: v.name,
      type: v.type,
      address: v.home.address,
      section: v.address?.area === 'I' ? 'input' : v.address?.area === 'Q' ? 'output' : v.section,
      isRetained: v.isRetained,
      ...(v.home.bit !== undefined ? { bit: v.home.bit } : {}),
    });
  }
  for (const a of program.accessPaths) {
    const root = rootOf(a.place);
    if (!symbols.has(a.name.toLowerCase()))
      symbols.set(a.name.toLowerCase(), {
        name: a.name,
        type: a.place.type,
        address: fixedAddress(a.place),
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
          address: v.home.address,
          section: v.address?.area === 'I' ? 'input' : v.address?.area === 'Q' ? 'output' : 'local',
          isRetained: v.isRetained,
          ...(v.home.bit !== undefined ? { bit: v.home.bit } : {}),
        });
    }
  return symbols;
}
