/**
 * What wrote a value in one scan, in the order in which it was written: every statement and output that ran, also those
 * that gave what was there already. The last one decides what the scan leaves behind.
 */
import type { CheckedStatement } from '../checked/tree.js';
import type { Span } from '../language/source.js';
import type { Compiled } from '../workspace/compile.js';
import type { Halt, Engine } from '../runtime/engine.js';
import type { Past } from '../runtime/past.js';
import { powerOf } from '../runtime/frame.js';
import type { Value } from '../runtime/paths.js';
import { readPath } from '../runtime/stretch.js';
import { type Root, evaluate, pathOf } from './evaluate.js';
import { wirePower } from './power.js';
import type { Writer } from './writers.js';

/** A writer of the code, and in which instance of it. */
export interface Candidate {
  readonly writer: Writer;
  readonly root: Root;
}

export interface Written extends Candidate {
  /** Power at the output, for what stands on a rung. */
  readonly power?: boolean;
  /** Whether it wrote: a set or reset coil leaves the tag as it is without power. */
  readonly wrote: boolean;
  /** What it wrote; undefined where that cannot be told from the output alone. */
  readonly value?: Value;
}

/** A statement under way: what ran up to here belongs to it. */
interface Running {
  readonly at: Span;
  readonly depth: number;
  readonly stack: readonly Span[];
  readonly program: number;
}

/** Every candidate that ran in a scan, the first to write first. Walks through the scan statement by statement. */
export function writtenIn(
  past: Past,
  compiled: Compiled,
  candidates: readonly Candidate[],
  path: string,
  scan: number,
): readonly Written[] {
  const found: Written[] = [],
    underWay: Running[] = [],
    before = new Map<string, readonly number[]>();
  // What runs once when power comes: the scan before tells whether it came.
  if (candidates.some((c) => isOnce(c.writer)) && scan - 1 > past.start) {
    const engine = past.engineAt(scan - 1);
    for (const { writer } of candidates)
      if (isOnce(writer)) {
        const range = engine.image.probes.get(writer.rung!.rungId);
        if (range) before.set(writer.rung!.rungId, powerOf(engine.view, range));
      }
  }
  const finish = (r: Running, engine: Engine): void => {
    const there = candidates.filter((c) => isAt(c.writer, r.at));
    const roots = new Set(there.map((c) => c.root));
    // One text, several instances: the calls that lead here tell which one.
    const root = roots.size > 1 ? rootOf(compiled, r) : undefined;
    const own = roots.size > 1 && roots.has(root) ? there.filter((c) => c.root === root) : there;
    for (const c of own) found.push(writtenBy(c, engine, path, before));
  };
  const end = past.walkScan(scan, (halt: Halt, engine) => {
    // A block of the library is a part of the statement that calls it.
    if (!halt.at || halt.at.source.origin.kind === 'library') return;
    while (underWay.length && (underWay.at(-1)!.depth >= halt.depth || underWay.at(-1)!.program !== halt.program))
      finish(underWay.pop()!, engine);
    underWay.push({ at: halt.at, depth: halt.depth, stack: engine.callPath(), program: halt.program });
  });
  while (underWay.length) finish(underWay.pop()!, end);
  return found;
}

const isAt = (w: Writer, at: Span): boolean =>
  w.statement.at.source === at.source && (w.rung !== undefined || w.statement.at.start === at.start);

/** The instance whose code runs: from the program through the calls under way. */
function rootOf(compiled: Compiled, r: Running): Root {
  const { program } = compiled;
  let pou = program.instances[r.program]?.pou,
    root: Root = program.instances[r.program]?.name;
  for (const at of r.stack) {
    const call = pou && callAt(pou.body, at);
    if (call?.kind !== 'blockCall') return undefined;
    root = pathOf(call.call.instance, root);
    const name = call.call.type.name.toLowerCase();
    pou = program.pous.find((p) => p.name.toLowerCase() === name);
  }
  return root;
}

function callAt(body: readonly CheckedStatement[], at: Span): CheckedStatement | undefined {
  for (const s of body) {
    if (s.kind === 'blockCall' && s.at.source === at.source && s.at.start === at.start) return s;
    const inner =
      s.kind === 'rung' || s.kind === 'for' || s.kind === 'while' || s.kind === 'repeat'
        ? callAt(s.body, at)
        : s.kind === 'if'
          ? [...s.branches.map((b) => b.body), s.otherwise ?? []].map((b) => callAt(b, at)).find(Boolean)
          : s.kind === 'case'
            ? [...s.arms.map((a) => a.body), s.otherwise ?? []].map((b) => callAt(b, at)).find(Boolean)
            : undefined;
    if (inner) return inner;
  }
  return undefined;
}

/** How a statement that has just run wrote. */
function writtenBy(
  c: Candidate,
  engine: Engine,
  path: string,
  before: ReadonlyMap<string, readonly number[]>,
): Written {
  const { statement, rung, element } = c.writer;
  // Of an array with an index only known in the run: the element that it stands at.
  const targets = c.writer.targets.map((t) => pathOf(t.place, c.root, engine)?.toLowerCase());
  if (!targets.some((t) => t === undefined || overlaps(t, path.toLowerCase()))) return { ...c, wrote: false };
  if (!rung) {
    const value = readPath(engine, path);
    return { ...c, wrote: true, ...(value === undefined ? {} : { value }) };
  }
  const range = engine.image.probes.get(rung.rungId);
  const state = { flow: rung.flow, bits: range ? powerOf(engine.view, range) : [] };
  const sink = rung.flow.find((f) => f.kind === 'sink' && f.element === element) as { wire: number } | undefined;
  const power = sink !== undefined && wirePower(state, sink.wire);
  if (statement.kind !== 'assign' || !statement.coil) {
    // An action runs with power; what a block hands over, in every evaluation.
    if (!sink) return { ...c, wrote: true };
    const stood = before.get(rung.rungId);
    const hadPower = isOnce(c.writer) && stood !== undefined && wirePower({ flow: rung.flow, bits: stood }, sink.wire);
    return { ...c, power, wrote: power && !hadPower && areMet(c, engine) };
  }
  if (hasLeft(rung.body, statement, state)) return { ...c, power, wrote: false };
  switch (statement.coil.mode) {
    case 'plain':
      return { ...c, power, wrote: true, value: power };
    case 'negated':
      return { ...c, power, wrote: true, value: !power };
    case 'set':
    case 'reset':
      return { ...c, power, wrote: power, value: statement.coil.mode === 'set' };
    default:
      return { ...c, power, wrote: true };
  }
}

/** An action that runs in one scan only: its guard is an edge of the power, a wire that is none of the flow. */
const isOnce = (w: Writer): boolean =>
  w.rung !== undefined &&
  w.guards.some((g) => {
    const { condition } = g;
    return condition.kind === 'power' && w.rung!.body.some((s) => s.kind === 'edge' && s.wire === condition.wire);
  });

const overlaps = (a: string, b: string): boolean =>
  a === b || [`${a}.`, `${a}[`].some((x) => b.startsWith(x)) || [`${b}.`, `${b}[`].some((x) => a.startsWith(x));

/** Whether the conditions inside an action let the statement run; what cannot be told counts as met. */
const areMet = (c: Candidate, engine: Engine): boolean =>
  c.writer.guards.every((g) => {
    if (g.condition.kind === 'power') return true;
    const is = evaluate(g.condition, c.root, engine);
    if (is === undefined) return true;
    return g.labels
      ? g.labels.some((l) => BigInt(is as bigint) >= l.low && BigInt(is as bigint) <= l.high) === g.wanted
      : is === g.wanted;
  });

/** Whether a RETURN with power left the rung before a statement. */
function hasLeft(
  body: readonly CheckedStatement[],
  before: CheckedStatement,
  state: Parameters<typeof wirePower>[0],
): boolean {
  for (const s of body) {
    if (s === before) return false;
    if (s.kind !== 'if') continue;
    const [branch] = s.branches;
    if (
      branch?.body.some((x) => x.kind === 'return') &&
      branch.condition.kind === 'power' &&
      wirePower(state, branch.condition.wire)
    )
      return true;
  }
  return false;
}
