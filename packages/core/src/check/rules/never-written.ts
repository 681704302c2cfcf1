import type { Rule } from './rule.js';
import { usageOf } from '../../checked/walk.js';

/** An internal tag that is read but never written: it keeps its initial value for ever. */
export const neverWritten: Rule = {
  code: 'NEVER_WRITTEN',
  about: 'An internal tag is read, but nothing ever writes it.',
  help: {
    why: 'The logic depends on a value that never changes: a coil was forgotten, or another tag was meant.',
    breaks: 'Ready & Start -> Motor',
    holds: 'DoorClosed & AirOk -> Ready\nReady & Start -> Motor',
  },
  whole: true,
  check(program, report, wires) {
    const { read, written } = usageOf(program),
      // What the machine model writes has no address, and NO_ADDRESS says so.
      wired = new Set(wires.flatMap((w) => (w.kind === 'toTag' ? [w.to.split(/[.[]/)[0]!.toLowerCase()] : [])));
    for (const v of program.globals) {
      if (
        v.section === 'global' &&
        v.at.source.origin.kind === 'tag' &&
        !v.address &&
        !v.isConstant &&
        v.type.kind !== 'block' &&
        read.has(v) &&
        !written.has(v) &&
        !wired.has(v.name.toLowerCase()) &&
        v.initial === undefined
      ) {
        report(
          v.at,
          `'${v.name}' is read but never written; it keeps its initial value. Write it somewhere, give it an initial value, or make it a constant.`,
        );
      }
    }
  },
};
