/** Upsets at random, the same for the same seed: one now and then, each for a while. */
import type { Project } from '../document/document.js';
import { kindOf } from './kinds.js';

/** Paths of everything that can go wrong on the machine of a project. */
export const upsetsOf = (project: Project): readonly string[] =>
  project.machine.devices.flatMap((d) =>
    (kindOf(project.machine, d.type)?.upsets ?? []).map((u) => `Machine.${d.name}.${u.name}`),
  );

export interface ChanceUpset {
  readonly path: string;
  /** Scans after the beginning of its turn. */ readonly from: number;
  /** Scans it lasts. */ readonly lasts: number;
}

/**
 * What goes wrong in one turn. Turns follow each other, each of so many scans; an upset begins in the first half of its
 * turn and ends within it, so there is one at a time. Depends on nothing but its arguments.
 */
export function chanceUpset(
  upsets: readonly string[],
  seed: number,
  turn: number,
  scans: number,
): ChanceUpset | undefined {
  if (!upsets.length || scans < 4) return undefined;
  const random = (n: number): number => {
    let x = (Math.imul(seed | 0, 0x9e3779b1) ^ Math.imul(turn + 1, 0x85ebca6b) ^ Math.imul(n + 1, 0xc2b2ae35)) >>> 0;
    // Bits are mixed until neighbours have nothing in common.
    for (const by of [0x7feb352d, 0x846ca68b]) {
      x ^= x >>> 16;
      x = Math.imul(x, by) >>> 0;
    }
    return ((x ^ (x >>> 15)) >>> 0) / 2 ** 32;
  };
  const half = Math.floor(scans / 2);
  return {
    path: upsets[Math.floor(random(0) * upsets.length)]!,
    from: Math.floor(random(1) * half),
    lasts: Math.max(1, Math.floor((0.2 + 0.8 * random(2)) * half)),
  };
}
