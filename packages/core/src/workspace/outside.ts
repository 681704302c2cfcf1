/**
 * Inputs and outputs that are connected to another program: what of the project's mapping holds, and what it means for
 * the scan.
 *
 * Outside I/O is the other way round: another program is the server, and gives inputs and takes outputs. The mapping
 * is a part of the project (`Project.outside`: address, items by tag path, fallbacks; passwords are kept where it is
 * joined, never in the project). `core/workspace/outside.ts` says what of it holds; what does not is a warning and left
 * out. There is one meaning of it everywhere: an input that another program gives has no wire of the machine model, on
 * the bench, in the stand-in, in checks, proofs, recordings and on the command line. What came is put in by
 * `core/runtime/outside-inputs.ts` in the thread of the scan, before each scan and as ordinary events, wherever memory
 * holds something else (a restart, a force that was released); so a recording holds it. Until the first value, for one
 * that is bad, and while the link is away an input is at its fallback, and `System.OutsideLost` (there only where
 * inputs come from outside, or something names it) is on. `protocols/outside`: `OutsideLink` holds the link of a
 * controller or a bench, with a driver for each protocol and a cable between, so that cut and slow are at a socket
 * here too; it is tried again every second; left in order, outputs are set to their values at stop first. Modbus goes
 * through a library in the same process, in stretches, asked for one by one where a stretch is refused; OPC UA through
 * the library's client in a process of its own (`opcua/opcua-client-main.ts`): a subscription as fast as the scan,
 * silence for longer than the server's own promise is a broken link, values go over as the type that the item has or
 * are told as bad. The stand-in joins with the program that it obeys (`controller/outside-io.ts`); the bench when the
 * page says so, through the server (`bench-relay.ts`, `web/bench/linked.ts`): opening a project writes nothing
 * anywhere. While an earlier scan is shown nothing is taken; logic that has faulted drives its outputs at their values
 * of stop. Tried against `pymodbus` and the OPC UA library's own server (`e2e/outside.spec.ts`).
 */
import type { Wire } from '../runtime/engine.js';
import { type Paths, type Value, findPath, offValue, parseValue } from '../runtime/paths.js';
import { type Type, baseOf } from '../types/type.js';
import { parseItem } from '../points/modbus-map.js';
import { type Point, pointTree, pointsBelow } from '../points/points.js';
import type { OutsideIo, Project } from '../document/document.js';

/** One input or output that comes from another program, or goes to it. */
export interface OutsidePoint {
  readonly path: string;
  readonly item: string;
  readonly isInput: boolean;
  readonly type: Type;
  /** Of an input while nothing comes; of an output when it is left: its value at stop. */
  readonly rest: Value;
}

/** How a node of OPC UA is named (OPC 10000-6, 5.3.1.10): `ns=2;s=Gate.IsOpen`. */
export const NODE = /^(ns=\d+;|nsu=[^;]+;)?[isgb]=./;

/**
 * The items that hold; none while inputs and outputs are the machine model's. What does not hold is told and left out:
 * `problem` hears of the path and why.
 */
export function outsidePoints(
  project: Pick<Project, 'tags'> & { readonly outside?: OutsideIo },
  image: Paths,
  problem: (path: string, why: string) => void = () => undefined,
): readonly OutsidePoint[] {
  const { outside } = project;
  if (!outside?.isOn) return [];
  const taken = new Set<string>();
  return outside.items.flatMap(({ path, item, fallback }): OutsidePoint[] => {
    const no = (why: string): [] => {
      problem(path, why);
      return [];
    };
    const found = findPath(image, path);
    if ('error' in found) return no(found.error);
    const { type, section } = found.location;
    if (section !== 'input' && section !== 'output')
      return no(`'${path}' is neither input nor output; give its tag an address (%I… or %Q…).`);
    if (type.kind !== 'string' && baseOf(type) === undefined)
      return no(`'${path}' has several values; connect its members.`);
    if (outside.protocol === 'modbus' ? !parseItem(item) : !NODE.test(item))
      return no(
        outside.protocol === 'modbus'
          ? `'${path}': '${item}' is no place; write for example coil 12, holding 40 or holding 40.3.`
          : `'${path}': '${item}' names no node; write for example ns=2;s=Gate.IsOpen.`,
      );
    if (taken.has(path.toLowerCase())) return no(`'${path}' is connected twice.`);
    taken.add(path.toLowerCase());
    const isInput = section === 'input',
      text = isInput ? fallback : project.tags.find((t) => t.name.toLowerCase() === path.toLowerCase())?.stop,
      rest = text === undefined ? undefined : parseValue(type, text);
    if (isInput && rest && 'error' in rest) problem(path, `The fallback of '${path}': ${rest.error}`);
    return [{ path, item, isInput, type, rest: rest && 'value' in rest ? rest.value : offValue(type) }];
  });
}

/** The wires of a machine model whose inputs are those that no other program gives. */
export function wiresBeside(
  wires: readonly Wire[],
  outside: readonly Pick<OutsidePoint, 'path' | 'isInput'>[],
): readonly Wire[] {
  if (!outside.length) return wires;
  const given = new Set(outside.flatMap((p) => (p.isInput ? [p.path.toLowerCase()] : [])));
  return wires.filter((w) => w.kind !== 'toTag' || !given.has(w.to.toLowerCase()));
}

/** All inputs and outputs, value by value: what can be connected. Second names are left out. */
export function ioPoints(project: Project, image: Paths): readonly Point[] {
  const tags = project.tags.flatMap((t) =>
    /^%[IQ]/i.test(t.address ?? '') && !t.standsFor ? [{ ...t, access: 'write' as const }] : [],
  );
  return pointTree({ ...project, tags }, image).flatMap((t) => pointsBelow(t.node));
}

/** An item of another program, as it is found there. */
export interface FoundItem {
  readonly item: string;
  /** Its names on the way to it, `Line.Gate.IsOpen`; its last one is its own. */
  readonly name: string;
  readonly type: string;
  readonly canRead: boolean;
  readonly canWrite: boolean;
}

/**
 * For every point that is free the item that has its name: the whole path as the end of the item's names, or, where no
 * item has that, letters and digits of it alone. A name that several items have matches none; an output needs an item
 * that can be written.
 * @returns items by path, and the paths that several items fit
 */
export function matchByName(
  points: readonly { readonly path: string; readonly isInput: boolean }[],
  items: readonly FoundItem[],
): {
  readonly matched: readonly { readonly path: string; readonly item: string }[];
  readonly unclear: readonly string[];
} {
  const byEnd = new Map<string, FoundItem[]>(),
    byLetters = new Map<string, FoundItem[]>();
  const put = (map: Map<string, FoundItem[]>, key: string, of: FoundItem) => {
    const all = map.get(key);
    if (!all) map.set(key, [of]);
    else if (!all.includes(of)) all.push(of);
  };
  for (const of of items) {
    const parts = of.name.toLowerCase().split('.');
    for (let i = 0; i < parts.length; i++) put(byEnd, parts.slice(i).join('.'), of);
    put(byLetters, letters(parts.at(-1)!), of);
  }
  const unclear: string[] = [];
  const matched = points.flatMap(({ path, isInput }) => {
    const may = (all: readonly FoundItem[] | undefined) =>
      (all ?? []).filter((x) => (isInput ? x.canRead : x.canWrite));
    const whole = may(byEnd.get(path.toLowerCase())),
      found = whole.length ? whole : may(byLetters.get(letters(path)));
    if (found.length > 1) unclear.push(path);
    return found.length === 1 ? [{ path, item: found[0]!.item }] : [];
  });
  return { matched, unclear };
}
const letters = (text: string): string => text.toLowerCase().replace(/[^a-z0-9\u00c0-\uffff]/g, '');
