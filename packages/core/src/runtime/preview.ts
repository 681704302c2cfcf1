/**
 * What a swap would do to a running machine, told before it is done: both programs from the same moment, side by side.
 */
import type { Image } from '../compile/image.js';
import { isScalar } from '../types/type.js';
import { Engine, type Snapshot, type Wire } from './engine.js';
import { FIRST_SCANS, scansUntilDone, timersOf } from './look-ahead.js';
import { findPath, formatValue, readLocation } from './paths.js';
import { type Renamed, forcesAfter } from './renamed.js';
import { transferState } from './transfer.js';

export interface Switched {
  readonly path: string;
  /** Scan after the swap, from 1, after which it is first different from what the kept program sets. */
  readonly scan: number;
  readonly kept: string;
  readonly draft: string;
}
export interface SwapPreview {
  /** Values that are not carried over, in words. */
  readonly lost: readonly string[];
  /** What has another name in the draft and takes its value over. */ readonly renamed: readonly Renamed[];
  /** Outputs that the draft sets otherwise than the kept program within the scans looked at. */
  readonly switched: readonly Switched[];
  readonly scans: number;
  /** Why the draft stopped in them, if it did. */ readonly fault?: string;
}
interface Side {
  readonly image: Image;
  readonly stepNs: bigint;
  readonly wires: readonly Wire[];
}

/**
 * Runs the kept program and the draft from `state` for ten scans, and past the presets of the timers that run by then
 * in either; the machine model answers each. Nothing real moves. `isOver` may end it sooner: `scans` says how far it
 * came.
 */
export function previewSwap(
  kept: Side,
  draft: Side,
  state: Snapshot,
  isOver: () => boolean = () => false,
): SwapPreview {
  const a = new Engine(kept.image, kept),
    b = new Engine(draft.image, draft),
    moved = transferState(kept.image, state.bytes, draft.image),
    lost = [...moved.lost, ...moved.gone],
    nameBefore = new Map(moved.renamed.map((r) => [r.to.toLowerCase(), r.from]));
  a.restore(state);
  b.restore({
    scan: Number((BigInt(state.scan) * kept.stepNs + draft.stepNs - 1n) / draft.stepNs),
    bytes: moved.bytes,
    forces: forcesAfter(moved.renamed, state.forces).filter((f) => 'location' in findPath(draft.image, f.path)),
  });
  const outputs = [...draft.image.symbols.values()].flatMap((s) => {
    const old = findPath(kept.image, nameBefore.get(s.name.toLowerCase()) ?? s.name);
    return s.section === 'output' && !s.isView && isScalar(s.type)
      ? [{ path: s.name, now: { ...s, path: s.name }, old: 'location' in old ? old.location : undefined }]
      : [];
  });
  const found = new Map<string, Switched>();
  let scans = FIRST_SCANS;
  for (let n = 1; n <= scans; n++) {
    a.runScan();
    const ok = b.runScan();
    if (n > FIRST_SCANS && n % 64 === 0 && isOver()) scans = n;
    if (n === FIRST_SCANS)
      scans += Math.max(scansUntilDone(a, timersOf(kept.image)), ok ? scansUntilDone(b, timersOf(draft.image)) : 0);
    for (const { path, now, old } of outputs) {
      if (found.has(path)) continue;
      const [before, after] = [
        old ? formatValue(old.type, readLocation(a.view, old)) : '0',
        formatValue(now.type, readLocation(b.view, now)),
      ];
      if (before !== after) found.set(path, { path, scan: n, kept: old ? before : 'not there', draft: after });
    }
    if (!ok)
      return {
        lost: moved.lost,
        renamed: moved.renamed,
        switched: [...found.values()],
        scans: n,
        fault: b.faultLine(),
      };
  }
  return { lost, renamed: moved.renamed, switched: [...found.values()], scans };
}
