/**
 * The value of an expression with the language's own meaning: it is compiled as the program's code is, with a tag of
 * its own in place of each value that it reads, and run by an engine. So Why never differs from the run that it
 * explains.
 */
import type { Checked, CheckedProgram, Place, Variable } from '../checked/tree.js';
import { build } from '../back/wasm/build.js';
import type { Location } from '../compile/image.js';
import { Engine } from '../runtime/engine.js';
import { type Value, writeLocation } from '../runtime/paths.js';
import { baseOf, isBool, isReal, isScalar, isSigned, isString } from '../types/type.js';

interface Meaning {
  readonly engine: Engine;
  /** What the expression reads, and where each value is put. */
  readonly reads: readonly { readonly place: Place; readonly to: Location }[];
}
/** Null for what memory alone cannot tell: calls, references, power on wires. */
const meanings = new WeakMap<Checked, Meaning | null>();

/**
 * The value of an expression of which `read` gives the values that it looks at; undefined where that cannot be told, or
 * faults.
 */
export function valueOf(e: Checked, read: (p: Place) => Value | undefined, at: Engine): Value | undefined {
  let meaning = meanings.get(e);
  if (meaning === undefined) meanings.set(e, (meaning = meaningOf(e) ?? null));
  if (!meaning) return undefined;
  const { engine } = meaning;
  // The clock of the moment, for what reads it.
  engine.memory.set(at.memory.subarray(0, 16));
  for (const { place, to } of meaning.reads) {
    const value = read(place);
    if (value === undefined) return undefined;
    writeLocation(engine.view, to, value);
  }
  let result: number | bigint;
  try {
    result = engine.evaluateExactly(0) ?? engine.evaluate(0);
  } catch (x) {
    if (x instanceof WebAssembly.RuntimeError) return undefined;
    throw x;
  }
  if (isBool(e.type)) return result !== 0;
  if (isReal(e.type)) return result;
  // 64 bits come as a signed number.
  return isSigned(baseOf(e.type)!) ? BigInt(result) : BigInt.asUintN(64, BigInt(result));
}

function meaningOf(e: Checked): Meaning | undefined {
  if (!isScalar(e.type)) return undefined;
  const variables: Variable[] = [],
    places: Place[] = [];
  let isTold = true;
  const instead = (c: Checked): Checked => {
    switch (c.kind) {
      case 'constant':
        return c;
      case 'read': {
        if (!isScalar(c.type) && !isString(c.type)) break;
        const variable: Variable = {
          name: `v${variables.length}`,
          type: c.type,
          section: 'global',
          at: c.at,
          isConstant: false,
          isRetained: false,
          home: { kind: 'global' },
        };
        variables.push(variable);
        places.push(c.place);
        return { ...c, place: { kind: 'variable', variable, type: c.type, at: c.at } };
      }
      case 'not':
      case 'negate':
      case 'convert':
      case 'text':
        return { ...c, arg: instead(c.arg) };
      case 'binary':
        return { ...c, left: instead(c.left), right: instead(c.right) };
      case 'builtin':
        return { ...c, args: c.args.map(instead) };
      default:
    }
    isTold = false;
    return c;
  };
  const expression = instead(e);
  if (!isTold) return undefined;
  const program: CheckedProgram = {
    globals: variables,
    pous: [],
    dispatches: [],
    reentrant: new Set(),
    startValues: [],
    accessPaths: [],
    tasks: [],
    instances: [],
    blockRuns: [],
    types: new Map(),
    references: [],
    overflows: [],
    expressions: [expression],
    instanceVariables: [],
  };
  const engine = new Engine(build(program, { watched: false, exact: true }), { stepNs: 1n });
  return { engine, reads: variables.map((v, i) => ({ place: places[i]!, to: engine.locate(v.name) })) };
}
