/** Looking things up in the run and in the logic that ran it: values, wires, devices, who wrote what in a scan. */
import { sameName } from '../language/words.js';
import { type Checked, isPlace } from '../checked/tree.js';
import { type Span } from '../language/source.js';
import { type Node, nodesOf } from '../ladder/rung.js';
import { type Compiled } from '../workspace/compile.js';
import { type Change, type Past } from '../runtime/past.js';
import { type Value, findPath, formatValue } from '../runtime/paths.js';
import { type Type, isBool, isReal, isTime } from '../types/type.js';
import { type Root } from './evaluate.js';
import { scanText } from './block-state.js';
import { type Writer } from './writers.js';
import { type Written, writtenIn } from './written.js';
import { type WhySource, read } from './answer.js';
import { type Index, indexOf } from './index-of-writers.js';

export class Look {
  readonly past: Past;
  private readonly writtenAt = new Map<string, readonly Written[]>();
  constructor(private readonly source: WhySource) {
    this.past = source.past;
  }

  /** The checked project whose logic ran the scan that led to a moment; undefined when it is no longer known. */
  compiledAt(scan: number): Compiled | undefined {
    return this.source.compiled(this.past.imageAt(scan));
  }
  /** Its writers, by path. */
  indexAt(scan: number): Index | undefined {
    const c = this.compiledAt(scan);
    if (!c) return undefined;
    return indexOf(c);
  }
  /** The value of a path after a scan; undefined for what has none of its own (a block, a structure, an array). */
  valueAt(path: string, scan: number): Value | undefined {
    return read(this.past.engineAt(scan), path);
  }
  /** The type of a path in the logic that ran a scan; undefined when there was no such path. */
  typeOf(path: string, scan: number): Type | undefined {
    const f = findPath(this.past.imageAt(scan), path);
    return 'location' in f ? f.location.type : undefined;
  }
  /** A value in words: durations in seconds, reals in six digits. */
  text(type: Type, value: Value): string {
    return isTime(type)
      ? `${(Number(value) / 1e9).toFixed(2)} s`
      : typeof value === 'number' && isReal(type)
        ? String(Number(value.toPrecision(6)))
        : formatValue(type, value);
  }

  /** A value that a path had at a scan, in words. */
  shownAt(path: string, scan: number, value: Value): string {
    const type = this.typeOf(path, scan);
    return type ? this.text(type, value) : String(value);
  }

  /** What a change was: `Motor came on in scan 12`, `Level became 40 in scan 12`. */
  happened(path: string, c: Change): string {
    const type = this.typeOf(path, c.byChange ? c.scan + 1 : c.scan);
    if (type && isBool(type)) return `${path} ${c.after ? 'came on' : 'went off'} in ${scanText(c.scan)}`;
    return `${path} became ${type ? this.text(type, c.after) : String(c.after)} in ${scanText(c.scan)}`;
  }

  /** The wire to a path, one from the machine before one to it. */
  wireTo(path: string, scan: number) {
    return (
      this.compiledAt(scan)?.wires.find((w) => w.kind !== 'toMachine' && sameName(w.to, path)) ??
      this.compiledAt(scan)?.wires.find((w) => w.kind === 'toMachine' && sameName(w.to, path))
    );
  }
  /** The device that a path of the machine lies in. */
  device(path: string) {
    const name = path.split('.')[1];
    return name === undefined ? undefined : this.source.project.machine.devices.find((d) => sameName(d.name, name));
  }

  /** Everything that ran in a scan and may write a path, the first to write first. */
  written(path: string, scan: number): readonly Written[] {
    const key = `${path.toLowerCase()} ${scan}`;
    let found = this.writtenAt.get(key);
    if (!found) {
      const compiled = this.compiledAt(scan),
        candidates = this.indexAt(scan)?.of(path) ?? [];
      found =
        compiled && candidates.length && scan > this.past.start
          ? writtenIn(this.past, compiled, candidates, path, scan)
          : [];
      this.writtenAt.set(key, found);
    }
    return found;
  }

  /** The statement or rung that gave a value in a scan: the last that wrote. */
  writerOf(path: string, scan: number): { writer: Writer; root: Root } | undefined {
    const candidates = this.indexAt(scan)?.of(path) ?? [];
    if (candidates.length === 1) return candidates[0];
    const last = this.written(path, scan).findLast((w) => w.wrote);
    // Through a reference it may have been another: then by the statement at which the value changed.
    if (last && (last.value === undefined || Object.is(last.value, this.valueAt(path, scan)))) return last;
    return this.changedBy(path, scan);
  }

  /** The statement at which the value of a path last became another, with the calls that lead there. */
  private changedBy(path: string, scan: number): { writer: Writer; root: Root } | undefined {
    const index = this.indexAt(scan);
    if (!index) return undefined;
    let before: Value | undefined,
      by: readonly Span[] = [],
      at: readonly Span[] = [];
    const end = this.past.walkScan(scan, (halt, engine) => {
      const now = read(engine, path);
      if (at.length && !Object.is(now, before)) by = at;
      before = now;
      if (halt.at && halt.at.source.origin.kind !== 'library') at = [halt.at, ...engine.callPath().reverse()];
    });
    if (at.length && !Object.is(read(end, path), before)) by = at;
    for (const s of by) {
      const w = index.writers.at(s.source, s.start)[0];
      if (w) return { writer: w, root: index.rootsOf(w.pou)[0] };
    }
    return undefined;
  }
  /** The elements of the rung a writer stands on, as the logic of that scan had them. */
  nodesAt(w: Writer, scan: number): readonly Node[] {
    const p = this.compiledAt(scan)?.rungs.get(w.rung!.rungId)?.parsed;
    return p ? nodesOf(p.rung) : [];
  }

  /** A name as written on a rung as a path: an own variable of the block, or a tag. */
  ownPath(name: string, root: Root, scan: number): string | undefined {
    const image = this.past.imageAt(scan);
    if (root !== undefined && 'location' in findPath(image, `${root}.${name}`)) return `${root}.${name}`;
    return 'location' in findPath(image, name) ? name : undefined;
  }

  /** Of several paths the one that changed last, up to a scan. */
  latest(paths: readonly string[], scan: number, not?: string): { path: string; scan: number } | undefined {
    const found = paths.filter((p) => p !== not).map((p) => ({ path: p, change: this.past.lastChange(p, scan) }));
    const best = found.sort((a, b) => (b.change?.scan ?? -1) - (a.change?.scan ?? -1))[0];
    return best && { path: best.path, scan: best.change?.scan ?? scan };
  }

  /** The instance of a library block that a path is an output or inner value of. */
  libraryBlock(path: string, scan: number): { instance: string; type: string; member: string } | undefined {
    const dot = path.lastIndexOf('.');
    if (dot < 0) return undefined;
    const instance = path.slice(0, dot),
      member = path.slice(dot + 1),
      type = this.typeOf(instance, scan);
    if (type?.kind !== 'block') return undefined;
    const pou = this.compiledAt(scan)?.program.pous.find((p) => p.name === type.name);
    const m = type.layout.members.find((x) => sameName(x.name, member));
    return pou?.at.source.origin.kind === 'library' && m && m.section !== 'input'
      ? { instance, type: type.name, member }
      : undefined;
  }

  /** Where the value of a block's input comes from. */
  pinOfCall(path: string, scan: number): { writer: Writer; root: Root; value: Checked } | undefined {
    const dot = path.lastIndexOf('.');
    const instance = path.slice(0, Math.max(0, dot)),
      type = dot < 0 ? undefined : this.typeOf(instance, scan);
    if (type?.kind !== 'block') return undefined;
    const m = type.layout.members.find((x) => sameName(x.name, path.slice(dot + 1)));
    if (m?.section !== 'input') return undefined;
    for (const { writer, root } of this.indexAt(scan)?.callsOf(instance) ?? []) {
      const given = writer.call!.inputs.find((i) => i.offset === m.offset && !i.isReference);
      if (given && !isPlace(given.value)) return { writer, root, value: given.value };
    }
    return undefined;
  }
}
