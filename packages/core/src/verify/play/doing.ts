/**
 * What was done to a machine, in the words of checks: bench events as the sentences of a Do that do the same again.
 * `bindAction` (plan.ts) is the way back.
 *
 * Checks from doing (`verify/play/doing`): what was done at the bench or by a search becomes rows in the words of the
 * devices' handles; `record` adds what to expect, plays the proposal, and tries each thing done without: what changes
 * nothing of what is expected is left out. A counterexample that is kept expects `keeps 'rule'`: the rule is judged as
 * the player does, from the start of the check, so the check fails on the broken logic and passes on the mended.
 */
import type { Image } from '../../compile/image.js';
import { type DeviceKind } from '../../machine/device.js';
import { kindOf } from '../../wiring/kinds.js';
import { type CheckRow, type Project, MACHINE } from '../../document/document.js';
import type { BenchEvent } from '../../runtime/stretch.js';
import { findPath, formatValue, offValue } from '../../runtime/paths.js';
import { pulledTags } from '../../runtime/cards.js';
import { baseOf, isBool } from '../../types/type.js';
import type { Recorded } from './play.js';

/** A sentence of a Do, and the number of scans done before it. */
export interface Doing {
  readonly scan: number;
  readonly text: string;
}

/** Positions of a switch with three, as they are said. */
const WAYS: Readonly<Record<number, string>> = { [-1]: 'left', 0: 'middle', 1: 'right' };

/** A button let go later than this (ms) was held, not tapped. */
const LONGEST_TAP = 2000;

/** Handles that one word of a Do works: `enter` numbers, everything else what is pressed, turned or struck. */
export const handlesFor = (kind: DeviceKind, isNumber: boolean): DeviceKind['handles'] =>
  kind.handles.filter((h) => (h.type === 'number' || h.type === 'place') === isNumber);

/**
 * Sentences for events in the order of their scans; `forced` are the paths forced before the first of them.
 * A button pressed and soon let go is one tap. What the image does not know is left out.
 */
export function doings(
  project: Project,
  image: Image,
  events: readonly Recorded[],
  stepMs: number,
  forced: readonly string[] = [],
): readonly Doing[] {
  const used = new Set<BenchEvent>(),
    held = new Map(forced.map((p) => [p.toLowerCase(), p]));
  return events.flatMap(({ scan, event }): Doing[] => {
    if (used.has(event)) return [];
    if (event.kind === 'releaseAll') {
      const all = [...held.values()];
      held.clear();
      return all.map((p) => ({ scan, text: `release ${p}` }));
    }
    // A check has no cards: what lies on one is forced off, which does the same.
    if (event.kind === 'force' && event.by)
      return [...pulledTags(image, [{ path: event.path, value: 0n, by: 'card' }])].flatMap((tag): Doing[] => {
        const { name, type } = image.symbols.get(tag)!;
        if (!baseOf(type)) return [];
        const zero = isBool(type) ? 'off' : formatValue(type, offValue(type));
        return [{ scan, text: event.value === undefined ? `release ${name}` : `force ${name} ${zero}` }];
      });
    const found = findPath(image, event.path);
    if ('error' in found) return [];
    const text = (v: NonNullable<typeof event.value>) =>
      isBool(found.location.type) ? (v ? 'on' : 'off') : formatValue(found.location.type, v);
    if (event.kind === 'force') {
      if (event.value === undefined) held.delete(event.path.toLowerCase());
      else held.set(event.path.toLowerCase(), event.path);
      return [
        {
          scan,
          text: event.value === undefined ? `release ${event.path}` : `force ${event.path} ${text(event.value)}`,
        },
      ];
    }
    const [machine, device, member] = event.path.split('.');
    const d =
      machine?.toLowerCase() === MACHINE.toLowerCase()
        ? project.machine.devices.find((x) => x.name.toLowerCase() === device?.toLowerCase())
        : undefined;
    const kind = d && kindOf(project.machine, d.type);
    const handle = kind?.handles.find((h) => h.name.toLowerCase() === member?.toLowerCase());
    const upset = kind?.upsets.find((u) => u.name.toLowerCase() === member?.toLowerCase());
    if (d && kind && handle) {
      const name =
        handlesFor(kind, handle.type === 'number' || handle.type === 'place').length > 1
          ? `${d.name}.${handle.name}`
          : d.name;
      switch (handle.type) {
        case 'number':
        case 'place':
          return [{ scan, text: `enter ${text(event.value)} at ${name}` }];
        case 'turn':
          return [{ scan, text: `turn ${name} ${event.value ? 'right' : 'left'}` }];
        case 'way':
          return [{ scan, text: `turn ${name} ${WAYS[Number(event.value)] ?? 'middle'}` }];
        case 'latch':
          return [{ scan, text: event.value ? `strike ${name}` : `let go of ${name}` }];
        case 'press': {
          if (!event.value) return [{ scan, text: `let go of ${name}` }];
          const end = events.find(
            (e) => e.scan >= scan && e.event.kind === 'write' && e.event.path === event.path && e.event.value === false,
          );
          const ms = end && (end.scan - scan) * stepMs;
          if (!end || ms === undefined || ms > LONGEST_TAP || ms === 0) return [{ scan, text: `hold ${name}` }];
          used.add(end.event);
          return [{ scan, text: `tap ${name} for ${saidMs(ms)}` }];
        }
      }
    }
    if (d && upset) return [{ scan, text: `${event.value ? 'upset' : 'clear'} ${d.name}.${upset.name}` }];
    return [{ scan, text: `set ${event.path} to ${text(event.value)}` }];
  });
}

/** Rows that do all this from a cold start, each at its scan; ids `row 1`, `row 2` and on. */
export function rowsOf(done: readonly Doing[], stepMs: number): CheckRow[] {
  const rows: CheckRow[] = [];
  let at = 0;
  for (const { scan, text } of done) {
    const last = rows[rows.length - 1];
    if (last && scan === at) rows[rows.length - 1] = { ...last, do: [...(last.do ?? []), text] };
    else
      rows.push({
        id: `row ${rows.length + 1}`,
        ...(scan > at ? { when: `after ${saidMs((scan - at) * stepMs)}` } : {}),
        do: [text],
      });
    at = scan;
  }
  return rows;
}

/** A recorded run as a check that does the same and expects something at its end, `at` scans after the start. */
export function rowsThatExpect(
  project: Project,
  image: Image,
  script: readonly Recorded[],
  expect: readonly string[],
  at: number,
  stepMs: number,
): CheckRow[] {
  const done = doings(project, image, script, stepMs),
    rows = rowsOf(done, stepMs),
    last = done[done.length - 1]?.scan ?? 0;
  return [
    ...rows,
    {
      id: `row ${rows.length + 1}`,
      ...(at > last ? { when: `after ${saidMs((at - last) * stepMs)}` } : {}),
      expect: [...expect],
    },
  ];
}

/** Milliseconds as people say them: `1.5 s`, `250 ms`. */
export const saidMs = (ms: number): string =>
  ms >= 1000 && ms % 10 === 0 ? `${ms / 1000} s` : `${Number(ms.toFixed(6))} ms`;
