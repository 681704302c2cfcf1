/**
 * Places inside one scan. The moment shown there is the start of the scan and a number of steps; the scan is run again
 * from its start to stand behind them. A place to stop at is looked for that way too.
 */
import type { Image } from '../compile/image.js';
import type { Engine, Halt, Snapshot } from './engine.js';

/** How far one step goes: a statement or rung (with what it calls, or into it), out of the block, or a whole task. */
export type StepUnit = 'over' | 'into' | 'out' | 'task';

/** A place behind the first `k` steps of a scan. */
export interface Place {
  readonly k: number;
  readonly halt: Halt;
}

const isOtherTask = (h: Halt, from: Halt | undefined): boolean =>
  h.task !== from?.task || (h.task < 0 && h.program !== from.program);

/** Whether a step of `unit` that set out at `from` ends at a place. */
export function endsStep(unit: StepUnit, h: Halt, from: Halt | undefined): boolean {
  if (unit === 'into') return true;
  if (unit === 'task') return isOtherTask(h, from);
  return h.depth <= (unit === 'out' ? Math.max(0, (from?.depth ?? 0) - 1) : (from?.depth ?? 0));
}

/** Whether a place lies in what the user wrote, not in a block of the library or in the machine's model. */
function isProgram(h: Halt, image: Image): boolean {
  const origin = h.at?.source.origin.kind;
  return origin !== 'library' && origin !== 'device' && origin !== 'deviceKind' && h.program !== image.machine;
}

/**
 * The places of a scan behind its `from`-th step and on, in order, up to the first that `stop` takes; only places of
 * the program itself. Leaves the engine anywhere in the scan.
 */
export function placesOf(engine: Engine, start: Snapshot, from: number, stop?: (h: Halt) => boolean): Place[] {
  const list: Place[] = [];
  for (let k = from; ; k++) {
    engine.restore(start);
    const halt = engine.runSteps(k);
    if (halt.done || halt.program === engine.image.machine) break;
    if (!isProgram(halt, engine.image)) continue;
    list.push({ k, halt });
    if (stop?.(halt)) break;
  }
  return list;
}

/**
 * Steps to the last place before step `had` that is one to stop at, or with `wholeTask` to the beginning of its task; 0
 * is the start of the scan. Leaves the engine anywhere in the scan.
 */
export function stepsBefore(
  engine: Engine,
  start: Snapshot,
  had: number,
  isStop: (h: Halt) => boolean,
  wholeTask: boolean,
): number {
  let found: Halt | undefined;
  for (let k = had - 1; k > 0; k--) {
    engine.restore(start);
    const h = engine.runSteps(k);
    if (h.done || !isProgram(h, engine.image) || (!found && !isStop(h))) continue;
    if (!wholeTask) return k;
    if (found && isOtherTask(h, found)) return k + 1;
    found ??= h;
  }
  // A task that begins with the scan begins at its start.
  return 0;
}
