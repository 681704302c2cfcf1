/**
 * A draft that runs beside the kept program: on the same inputs, scan for scan, from the values that both know, with
 * its outputs going nowhere. Nobody has to guess what a change will do to a running machine: where outputs differ is
 * listed.
 */
import {
  type BenchEvent,
  Engine,
  type Location,
  findPath,
  formatValue,
  performOn,
  readLocation,
  transferBy,
  writeLocation,
} from '@ferrule/core/bench';
import { type Loaded, planOf } from './loaded.js';

/** An output that the two set differently. */
export interface OutputDiffers {
  readonly path: string;
  /** Scans done when it differed first, and how often it has since. */
  readonly first: number;
  readonly count: number;
  /** Whether it differs now. */ readonly isNow: boolean;
  readonly kept: string;
  readonly draft: string;
}

interface Pair {
  readonly path: string;
  readonly kept: Location;
  readonly draft: Location;
}

export class Beside {
  readonly engine: Engine;
  private readonly inputs: readonly Pair[];
  private readonly outputs: readonly Pair[];
  private readonly found = new Map<string, OutputDiffers>();
  scans = 0;

  /** Throws with a sentence where the two cannot run scan for scan. */
  constructor(
    readonly kept: Loaded,
    readonly program: Loaded,
    readonly sinceMs: number,
  ) {
    const { stepNs } = kept.engine;
    if (program.engine.stepNs !== stepNs)
      throw new Error(
        `The draft scans every ${Number(program.engine.stepNs) / 1e6} ms, the kept program every ${Number(stepNs) / 1e6} ms: they cannot run scan for scan.`,
      );
    // Without the machine and without wires: what it switches moves nothing.
    const { machine: _, ...logic } = program.image;
    this.engine = new Engine(logic, { stepNs, module: program.module });
    const wired = kept.wired.map((p) => p.toLowerCase()),
      names = [...kept.image.symbols.values()].filter((s) => !s.isView);
    this.inputs = names.flatMap((s) =>
      s.section === 'input' || wired.includes(s.name.toLowerCase()) ? this.pair(s.name) : [],
    );
    this.outputs = names.flatMap((s) => (s.section === 'output' ? this.pair(s.name) : []));
    const here = kept.engine.snapshot();
    this.engine.restore({
      scan: here.scan,
      bytes: transferBy(planOf(kept, program, 'all'), here.bytes, program.image.initial).bytes,
      forces: here.forces.filter((f) => 'location' in findPath(program.image, f.path)),
    });
  }

  /** The same place in both, where it is of one type and one value. */
  private pair(path: string): Pair[] {
    const a = findPath(this.kept.image, path),
      b = findPath(this.program.image, path);
    if ('error' in a || 'error' in b) return [];
    const [kept, draft] = [a.location, b.location];
    const isOne = kept.type.kind === 'elementary' || kept.type.kind === 'enum' || kept.type.kind === 'subrange';
    return isOne && kept.type.kind === draft.type.kind && JSON.stringify(faceOf(kept)) === JSON.stringify(faceOf(draft))
      ? [{ path, kept, draft }]
      : [];
  }

  /** What comes from outside comes to both. */
  apply(event: BenchEvent): void {
    if (event.kind === 'releaseAll' || 'location' in findPath(this.program.image, event.path))
      performOn(this.engine, event);
  }

  /** After a scan of the kept program: the same scan here. False where the draft faulted. */
  scan(): boolean {
    const { view } = this.kept.engine;
    for (const p of this.inputs) writeLocation(this.engine.view, p.draft, readLocation(view, p.kept));
    if (!this.engine.runScan()) return false;
    this.scans++;
    for (const { path, kept, draft } of this.outputs) {
      const a = readLocation(view, kept),
        b = readLocation(this.engine.view, draft),
        before = this.found.get(path);
      if (Object.is(a, b)) {
        if (before?.isNow) this.found.set(path, { ...before, isNow: false });
        continue;
      }
      this.found.set(path, {
        path,
        first: before?.first ?? this.engine.scan,
        count: (before?.count ?? 0) + 1,
        isNow: true,
        kept: formatValue(kept.type, a),
        draft: formatValue(draft.type, b),
      });
    }
    return true;
  }

  get differences(): readonly OutputDiffers[] {
    return [...this.found.values()].sort((a, b) => a.first - b.first);
  }
}

const faceOf = ({ type }: Location) =>
  type.kind === 'elementary' ? type.name : type.kind === 'enum' ? type.values.map((v) => v.name) : type.kind;
