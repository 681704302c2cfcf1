/**
 * Why a value is what it is at a scan: the chain of causes back to the input, force or machine event that started it,
 * and for what is off, what blocks it and which of that is nearest to closing. Everything is looked up in the run
 * itself, scan by scan; nothing is guessed from how the program looks.
 *
 * Why (`why/`) asks the run, not the program: the last change of a value, who wrote it in that scan (one candidate, or
 * a walk through the scan that notes every statement and output that ran, `written.ts`: the last that wrote decides,
 * by a law against marked programs), which elements carried the power (probes) or which guards and operands decided,
 * and which of them came last; then the same for that one, through timers, wires and devices, until something from
 * outside. How a block of the library stands is said in words of its own (`block-state.ts`): which input of a bistable
 * wins, what a timer, counter or trigger waits for. Where several may write a tag, all that did in the scan are listed
 * with their power.
 */
import { sameName } from '../language/words.js';
import { type Checked, type CheckedPou, isPlace } from '../checked/tree.js';
import type { Image } from '../compile/image.js';
import { type Span, positionOf } from '../language/source.js';
import type { CoilKind } from '../language/tree.js';
import { type Node, nodesOf } from '../ladder/rung.js';
import { kindOf } from '../wiring/kinds.js';
import type { Compiled } from '../workspace/compile.js';
import { type Project, MACHINE } from '../document/document.js';
import { instancesOf } from '../editor/services.js';
import type { Engine } from '../runtime/engine.js';
import { powerOf } from '../runtime/frame.js';
import { pulledTags } from '../runtime/cards.js';
import type { Change, History } from '../runtime/history.js';
import { type Value, findPath, formatValue, readLocation } from '../runtime/paths.js';
import { type Type, isBool, isReal, isTime } from '../types/type.js';
import { type Root, decidingParts, evaluate, pathOf, readsOf } from './evaluate.js';
import { type RungState, blocking, decided, missing, wirePower } from './power.js';
import { blockState, rolesOf, scanText, turnedBy } from './block-state.js';
import { type Writer, Writers } from './writers.js';
import { type Written, writtenIn } from './written.js';

export type WhyPlace =
  | { readonly kind: 'rung'; readonly pou: string; readonly rung: string; readonly element?: number }
  | { readonly kind: 'text'; readonly pou: string; readonly at: number; readonly end: number }
  | { readonly kind: 'device'; readonly id: string };

/** What an element has to do with the answer. */
export interface WhyMark {
  readonly rung: string;
  readonly element: number;
  readonly role: 'cause' | 'carries' | 'blocks' | 'nearest';
}

export interface WhyLink {
  readonly sentence: string;
  /** What the link speaks of, to ask on from there. */
  readonly path: string;
  /** The scan to go to: after it, it was so. */
  readonly scan: number;
  readonly place?: WhyPlace;
  /** `Cell rung 3`, `PullCheck line 12`, `Press on the machine`. */
  readonly where?: string;
  readonly marks: readonly WhyMark[];
  /** Where the chain ends: something from outside. */
  readonly isRoot?: boolean;
}

export interface WhyBlock extends WhyLink {
  readonly isNearest: boolean;
}

export interface WhyAnswer {
  readonly path: string;
  readonly scan: number;
  readonly title: string;
  /** What happened, the latest first. */
  readonly links: readonly WhyLink[];
  /** For what is off: what would have to change, for each place that could switch it on. */
  readonly blocks: readonly WhyBlock[];
  /** Of several that may write it, those that did in this scan, in their order: the last one decides. */
  readonly writers: readonly WhyWriter[];
}

export interface WhyWriter extends WhyLink {
  readonly decides: boolean;
}

export interface WhySource {
  readonly history: History;
  /** The checked program that an image was built from. */ readonly compiled: (image: Image) => Compiled | undefined;
  readonly project: Project;
}

const MOST_LINKS = 12;
/** Scans looked at for when a comparison of restless values last changed its mind. */
const FAR = 20_000;

/** The answer for a path after a scan; `error` when there is nothing to answer. */
export function why(source: WhySource, path: string, scan: number): WhyAnswer | { readonly error: string } {
  return new Asker(source).answer(path, scan);
}

const indexes = new WeakMap<Compiled, Index>();
/** Who may write what, by path. */
class Index {
  readonly writers: Writers;
  private readonly byPath = new Map<string, { writer: Writer; root: Root }[]>();
  private readonly dynamic: { base: string; writer: Writer; root: Root }[] = [];
  readonly roots = new Map<CheckedPou, readonly Root[]>();

  constructor(readonly compiled: Compiled) {
    this.writers = new Writers(compiled.program);
    for (const w of this.writers.all)
      for (const root of this.rootsOf(w.pou))
        for (const t of w.targets) {
          const path = pathOf(t.place, root);
          if (path !== undefined) {
            const k = path.toLowerCase(),
              list = this.byPath.get(k);
            if (list) list.push({ writer: w, root });
            else this.byPath.set(k, [{ writer: w, root }]);
          } else if (t.place.kind === 'element' || t.place.kind === 'member' || t.place.kind === 'part') {
            let base = t.place.base;
            while (base.kind !== 'variable' && pathOf(base, root) === undefined && base.kind !== 'target')
              base = base.base;
            const known = pathOf(base, root);
            if (known !== undefined) this.dynamic.push({ base: known.toLowerCase(), writer: w, root });
          }
        }
  }

  rootsOf(pou: CheckedPou): readonly Root[] {
    let roots = this.roots.get(pou);
    if (!roots) {
      const programs = this.compiled.program.instances.filter((i) => i.pou === pou).map((i) => i.name);
      this.roots.set(
        pou,
        (roots =
          pou.pou === 'PROGRAM'
            ? programs
            : pou.pou === 'FUNCTION'
              ? [undefined]
              : instancesOf(this.compiled, pou.name)),
      );
    }
    return roots;
  }

  /** Statements that may write a path: itself, what it is part of, or a part of it. */
  of(path: string): readonly { writer: Writer; root: Root }[] {
    const k = path.toLowerCase();
    const found: { writer: Writer; root: Root }[] = [];
    for (const [p, list] of this.byPath)
      if (p === k || k.startsWith(`${p}.`) || k.startsWith(`${p}[`) || p.startsWith(`${k}.`) || p.startsWith(`${k}[`))
        found.push(...list);
    for (const d of this.dynamic)
      if (k === d.base || k.startsWith(`${d.base}[`) || k.startsWith(`${d.base}.`)) found.push(d);
    return found;
  }

  callsOf(instance: string): readonly { writer: Writer; root: Root }[] {
    const k = instance.toLowerCase();
    return this.writers.all
      .filter((w) => w.call)
      .flatMap((writer) =>
        this.rootsOf(writer.pou)
          .filter((root) => pathOf(writer.call!.instance, root)?.toLowerCase() === k)
          .map((root) => ({ writer, root })),
      );
  }
}

/** What made something so: words, and what to ask about next. */
interface Reason {
  readonly words: string;
  readonly next?: { readonly path: string; readonly scan: number };
  readonly since: number;
  readonly marks: readonly WhyMark[];
}

class Asker {
  private readonly h: History;
  private readonly seen = new Set<string>();
  private readonly links: WhyLink[] = [];
  private readonly writtenAt = new Map<string, readonly Written[]>();
  constructor(private readonly source: WhySource) {
    this.h = source.history;
  }

  answer(path: string, scan: number): WhyAnswer | { readonly error: string } {
    const at = Math.max(this.h.start, Math.min(scan, this.h.end));
    const found = findPath(this.h.imageAt(at), path);
    if ('error' in found) return { error: found.error };
    if (!this.compiledAt(at)) return { error: 'The logic that ran this scan is no longer known.' };
    const value = this.valueAt(path, at),
      type = found.location.type;
    if (value === undefined || type.kind === 'block' || type.kind === 'struct' || type.kind === 'array')
      return { error: `'${path}' has no value of its own; ask about one of its members.` };
    this.explain(path, at);
    const blocks = isBool(type) && value === false ? this.blocks(path, at) : [];
    return {
      path,
      scan: at,
      title: isBool(type) ? `Why is ${path} ${value ? 'on' : 'off'}?` : `Why is ${path} ${this.text(type, value)}?`,
      links: this.links,
      blocks,
      writers: this.writers(path, at),
    };
  }

  private compiledAt(scan: number): Compiled | undefined {
    return this.source.compiled(this.h.imageAt(scan));
  }
  private indexAt(scan: number): Index | undefined {
    const c = this.compiledAt(scan);
    if (!c) return undefined;
    let i = indexes.get(c);
    if (!i) indexes.set(c, (i = new Index(c)));
    return i;
  }
  private valueAt(path: string, scan: number): Value | undefined {
    return read(this.h.engineAt(scan), path);
  }
  private typeOf(path: string, scan: number): Type | undefined {
    const f = findPath(this.h.imageAt(scan), path);
    return 'location' in f ? f.location.type : undefined;
  }
  private text(type: Type, value: Value): string {
    return isTime(type)
      ? `${(Number(value) / 1e9).toFixed(2)} s`
      : typeof value === 'number' && isReal(type)
        ? String(Number(value.toPrecision(6)))
        : formatValue(type, value);
  }

  private shownAt(path: string, scan: number, value: Value): string {
    const type = this.typeOf(path, scan);
    return type ? this.text(type, value) : String(value);
  }

  private happened(path: string, c: Change): string {
    const type = this.typeOf(path, c.byChange ? c.scan + 1 : c.scan);
    if (type && isBool(type)) return `${path} ${c.after ? 'came on' : 'went off'} in ${scanText(c.scan)}`;
    return `${path} became ${type ? this.text(type, c.after) : String(c.after)} in ${scanText(c.scan)}`;
  }

  private push(link: WhyLink): void {
    this.links.push(link);
  }

  /** The chain of causes of a value as it is after a scan. */
  private explain(path: string, scan: number): void {
    const key = `${path.toLowerCase()} ${scan}`;
    if (this.links.length >= MOST_LINKS || this.seen.has(key) || scan < this.h.start) return;
    this.seen.add(key);
    const type = this.typeOf(path, scan);
    const { pulledCards, image } = this.h.engineAt(scan);
    const forced = this.h
      .engineAt(scan)
      .listForces()
      .find((f) => sameName(f.path, path));
    if (forced && type) {
      const since = this.h.lastEvent(
        scan,
        (e) => e.kind === 'force' && sameName(e.path, path) && e.value !== undefined,
      );
      this.push({
        sentence: `${path} is forced to ${this.text(type, forced.value)}${since === undefined ? '' : ` since ${scanText(since + 1)}`}.`,
        path,
        scan: since === undefined ? scan : since + 1,
        marks: [],
        isRoot: true,
      });
      return;
    }
    // What a pulled card stands for: an input reads 0 whatever the machine gives. An output is what the logic says.
    if (
      image.symbols.get(path.toLowerCase())?.section === 'input' &&
      pulledTags(image, pulledCards).has(path.toLowerCase())
    ) {
      const since = this.h.lastEvent(
        scan,
        (e) =>
          e.kind === 'force' &&
          e.by === 'card' &&
          e.value !== undefined &&
          pulledTags(image, [{ path: e.path, value: e.value, by: 'card' }]).has(path.toLowerCase()),
      );
      this.push({
        sentence: `The card of the controller that ${path} lies on is pulled${since === undefined ? '' : ` since ${scanText(since + 1)}`}: it reads 0.`,
        path,
        scan: since === undefined ? scan : since + 1,
        marks: [],
        isRoot: true,
      });
      return;
    }
    const c = this.h.lastChange(path, scan);
    if (!c) {
      this.never(path, scan);
      return;
    }
    if (c.byChange) {
      this.push({
        sentence: c.isNew
          ? `${path} has been ${type && isBool(type) ? (c.after ? 'on' : 'off') : this.shownAt(path, c.scan + 1, c.after)} since it was added to the logic in ${scanText(c.scan)}.`
          : `${this.happened(path, c)}: the logic was changed there.`,
        path,
        scan: c.scan,
        marks: [],
        isRoot: true,
      });
      return;
    }
    const event = this.h.eventsBefore(c.scan).find((e) => e.kind === 'write' && sameName(e.path, path));
    // What was written by hand before the scan is gone where the logic wrote in it.
    if (event && !this.written(path, c.scan).some((w) => w.wrote)) {
      this.byHand(path, c);
      return;
    }
    const wire = this.wireTo(path, c.scan);
    if (wire) {
      const d = this.device(wire.from);
      this.push({
        sentence: `${this.happened(path, c)}: ${d ? `${d.label ?? d.name} on the machine` : wire.from} gave it${wire.negated ? ', by a contact that is closed at rest' : ''}.`,
        path,
        scan: c.scan,
        marks: [],
        where: 'the machine',
        ...(d ? { place: { kind: 'device', id: d.id } as const } : {}),
      });
      this.explain(wire.from, c.scan - 1);
      return;
    }
    if (sameName(path.split('.')[0]!, MACHINE)) {
      this.byDevice(path, c);
      return;
    }
    this.byLogic(path, c);
  }

  private never(path: string, scan: number): void {
    const type = this.typeOf(path, scan),
      value = this.valueAt(path, scan);
    if (!type || value === undefined) return;
    const machine = sameName(path.split('.')[0]!, MACHINE);
    const d = machine ? this.device(path) : undefined;
    const wire = this.wireTo(path, scan),
      from = wire && sameName(wire.from.split('.')[0]!, MACHINE) ? this.device(wire.from) : undefined;
    this.push({
      sentence: `${machine && d ? `${d.label ?? d.name}: ${path.split('.').slice(2).join('.')}` : path} has been ${isBool(type) ? (value ? 'on' : 'off') : this.text(type, value)} since the start${from ? `; ${from.label ?? from.name} on the machine gives it` : ''}.`,
      path,
      scan: this.h.start,
      marks: [],
      isRoot: true,
      ...(d ? { place: { kind: 'device', id: d.id } as const } : {}),
    });
  }

  private wireTo(path: string, scan: number) {
    return (
      this.compiledAt(scan)?.wires.find((w) => w.kind !== 'toMachine' && sameName(w.to, path)) ??
      this.compiledAt(scan)?.wires.find((w) => w.kind === 'toMachine' && sameName(w.to, path))
    );
  }
  private device(path: string) {
    const name = path.split('.')[1];
    return name === undefined ? undefined : this.source.project.machine.devices.find((d) => sameName(d.name, name));
  }

  private byHand(path: string, c: Change): void {
    const d = sameName(path.split('.')[0]!, MACHINE) ? this.device(path) : undefined;
    const member = path.split('.').slice(2).join('.');
    const kind = d && kindOf(this.source.project.machine, d.type);
    const handle = kind?.handles.find((h) => sameName(h.name, member)),
      upset = kind?.upsets.find((u) => sameName(u.name, member));
    const type = this.typeOf(path, c.scan)!;
    const done = handle
      ? `${d!.label ?? d!.name} was ${{ press: c.after ? 'pressed' : 'let go', turn: c.after ? 'turned right' : 'turned left', way: `turned to the ${Number(c.after) < 0 ? 'left' : Number(c.after) > 0 ? 'right' : 'middle'}`, latch: c.after ? 'struck' : 'unlatched', number: `set to ${this.text(type, c.after)}`, place: `put to place ${this.text(type, c.after)}` }[handle.type]}`
      : upset
        ? `The upset ‘${upset.name}’ of ${d!.label ?? d!.name} was ${c.after ? 'made' : 'cleared'}`
        : `${this.text(type, c.after)} was written to ${path}`;
    this.push({
      sentence: `${done} before ${scanText(c.scan)}.`,
      path,
      scan: c.scan,
      marks: [],
      isRoot: true,
      ...(d ? { place: { kind: 'device', id: d.id } as const, where: 'the machine' } : {}),
    });
  }

  /** A device moved: what it was told, or what was done to it, last. */
  private byDevice(path: string, c: Change): void {
    const d = this.device(path),
      kind = d && kindOf(this.source.project.machine, d.type);
    if (!d || !kind) return;
    const told = [...kind.terminals.filter((t) => t.direction === 'in'), ...kind.handles, ...kind.upsets]
      .map((t) => `${MACHINE}.${d.name}.${t.name}`)
      .filter((p) => !sameName(p, path));
    const last = told
      .flatMap((p) => {
        const change = this.h.lastChange(p, c.scan);
        return change ? [{ p, change }] : [];
      })
      .sort((a, b) => b.change.scan - a.change.scan)[0];
    const terminal = path.split('.').slice(2).join('.');
    const type = this.typeOf(path, c.scan);
    const name = d.label ?? d.name;
    const did =
      type && isBool(type)
        ? `${name}: ${terminal} ${c.after ? 'closed' : 'opened'} in ${scanText(c.scan)}`
        : `${name}: ${terminal} became ${type ? this.text(type, c.after) : String(c.after)} in ${scanText(c.scan)}`;
    const ago = last ? ((c.scan - last.change.scan) * Number(this.h.engine.stepNs)) / 1e9 : 0;
    const isHand =
      last && this.h.eventsBefore(last.change.scan).some((e) => e.kind === 'write' && sameName(e.path, last.p));
    this.push({
      sentence: last
        ? `${did}${ago > 0.005 ? `, ${ago.toFixed(2)} s after ${isHand ? 'that' : `its ${last.p.split('.').slice(2).join('.')} ${last.change.after === false ? 'went off' : last.change.after === true ? 'came on' : 'changed'}`}` : ''}.`
        : `${did}, by itself.`,
      path,
      scan: c.scan,
      marks: [],
      place: { kind: 'device', id: d.id },
      where: 'the machine',
      ...(last ? {} : { isRoot: true }),
    });
    if (!last) return;
    if (isHand) {
      this.byHand(last.p, last.change);
      return;
    }
    const wire = this.wireTo(last.p, last.change.scan);
    // A terminal of the machine shows what the logic put out in the same scan.
    if (wire) this.explain(wire.from, last.change.scan);
  }

  /** Everything that ran in a scan and may write a path, the first to write first. */
  private written(path: string, scan: number): readonly Written[] {
    const key = `${path.toLowerCase()} ${scan}`;
    let found = this.writtenAt.get(key);
    if (!found) {
      const compiled = this.compiledAt(scan),
        candidates = this.indexAt(scan)?.of(path) ?? [];
      found =
        compiled && candidates.length && scan > this.h.start ? writtenIn(this.h, compiled, candidates, path, scan) : [];
      this.writtenAt.set(key, found);
    }
    return found;
  }

  /** The statement or rung that gave a value in a scan: the last that wrote. */
  private writerOf(path: string, scan: number): { writer: Writer; root: Root } | undefined {
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
    const end = this.h.walkScan(scan, (halt, engine) => {
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

  private rungState(
    w: Writer,
    root: Root,
    scan: number,
  ):
    | (RungState & {
        readonly nodes: readonly Node[];
        readonly rung: string;
        readonly pou: string;
        readonly number: number;
      })
    | undefined {
    const engine = this.h.engineAt(scan),
      range = engine.image.probes.get(w.rung!.rungId),
      o = w.rung!.at.source.origin;
    if (!range || o.kind !== 'rung') return undefined;
    const bits = powerOf(engine.view, range),
      since = new Map<number, number>();
    const parsed = this.compiledAt(scan)?.rungs.get(w.rung!.rungId)?.parsed;
    return {
      flow: w.rung!.flow,
      bits,
      nodes: parsed ? nodesOf(parsed.rung) : [],
      rung: o.rungId,
      pou: o.pouId,
      number: o.number,
      since: (element) => {
        let s = since.get(element);
        if (s === undefined) since.set(element, (s = this.sinceElement(w, root, element, bits[element] ?? 0, scan)));
        return s;
      },
    };
  }

  /** The expression an element lets power through by; undefined for a block. */
  private conditionOf(w: Writer, element: number): Checked | undefined {
    const { body } = w.rung!;
    const probe = body.find((s) => s.kind === 'probe' && s.element === element);
    const wire = probe?.kind === 'probe' && probe.closed.kind === 'power' ? probe.closed.wire : undefined;
    const set = body.find((s) => s.kind === 'setPower' && s.wire === wire);
    if (set?.kind === 'setPower') return set.value.kind === 'power' ? this.edgeOf(w, set.value.wire) : set.value;
    return wire === undefined ? undefined : this.edgeOf(w, wire);
  }
  private edgeOf(w: Writer, wire: number): Checked | undefined {
    const e = w.rung!.body.find((s) => s.kind === 'edge' && s.wire === wire);
    return e?.kind === 'edge' ? e.of : undefined;
  }

  private sinceElement(w: Writer, root: Root, element: number, bits: number, scan: number): number {
    const condition = this.conditionOf(w, element);
    const block = condition ? undefined : this.blockPath(w, root, element, scan);
    if (block) return this.h.lastChange(block.path, scan)?.scan ?? 0;
    if (!condition) return 0;
    return this.sinceCondition(condition, root, scan, (bits & 4) !== 0);
  }

  /** Since when a condition has been as it was inside a scan. */
  private sinceCondition(e: Checked, root: Root, scan: number, was?: Value): number {
    const engine = this.h.engineAt(scan),
      reads = readsOf(e, root, engine);
    if (!reads.length) return 0;
    const value = (x: Engine) => evaluate(e, root, x);
    // What changed after the rung had been evaluated does not count for this scan.
    const later = was !== undefined && value(engine) !== undefined && value(engine) !== was;
    return this.h.lastChangeOf(later ? scan - 1 : scan, reads, value, FAR)?.scan ?? 0;
  }

  /** The instance that stands as a block on a rung, and the pin power comes out of. */
  private blockPath(
    w: Writer,
    root: Root,
    element: number,
    scan: number,
  ): { instance: string; path: string; out: string; type: string; name: string } | undefined {
    const node = this.nodesAt(w, scan)[element];
    if (node?.kind !== 'call') return undefined;
    const instance = this.ownPath(node.name, root, scan);
    const type = instance === undefined ? undefined : this.typeOf(instance, scan);
    if (instance === undefined || type?.kind !== 'block') return undefined;
    const out = node.outPin ?? type.layout.members.find((m) => m.section === 'output' && isBool(m.type))?.name;
    return out === undefined
      ? undefined
      : { instance, path: `${instance}.${out}`, out, type: type.name, name: node.name };
  }
  private nodesAt(w: Writer, scan: number): readonly Node[] {
    const p = this.compiledAt(scan)?.rungs.get(w.rung!.rungId)?.parsed;
    return p ? nodesOf(p.rung) : [];
  }

  /** A name as written on a rung as a path: an own variable of the block, or a tag. */
  private ownPath(name: string, root: Root, scan: number): string | undefined {
    const image = this.h.imageAt(scan);
    if (root !== undefined && 'location' in findPath(image, `${root}.${name}`)) return `${root}.${name}`;
    return 'location' in findPath(image, name) ? name : undefined;
  }

  private byLogic(path: string, c: Change): void {
    const library = this.libraryBlock(path, c.scan);
    if (library) {
      this.byBlock(path, library, c.scan, this.happened(path, c));
      return;
    }
    const input = this.pinOfCall(path, c.scan);
    if (input) {
      const r = this.valueReason(input.writer, input.root, input.value, c.scan);
      this.link(path, c, input.writer, r);
      return;
    }
    const found = this.writerOf(path, c.scan);
    if (!found) {
      this.push({ sentence: `${this.happened(path, c)}.`, path, scan: c.scan, marks: [], isRoot: true });
      return;
    }
    this.link(path, c, found.writer, this.writerReason(found.writer, found.root, path, c));
  }

  private link(path: string, c: Change, w: Writer, r: Reason): void {
    this.push({
      sentence: `${this.happened(path, c)}: ${whereOf(w)}${r.words ? `, ${r.words}` : ''}.`,
      path,
      scan: c.scan,
      where: whereOf(w),
      ...placeOf(w),
      marks: r.marks,
      ...(r.next ? {} : { isRoot: true }),
    });
    if (r.next) this.explain(r.next.path, r.next.scan);
  }

  /** Why a statement ran and gave what it gave. */
  private writerReason(w: Writer, root: Root, path: string, c: Change): Reason {
    const target =
      w.targets.find((t) => {
        const p = pathOf(t.place, root);
        return p !== undefined && (sameName(p, path) || path.toLowerCase().startsWith(`${p.toLowerCase()}.`));
      }) ?? w.targets[0];
    const value = target?.value;
    // Statements of a text are looked at as things stood right before they ran.
    const scan = c.scan;
    const parts: Reason[] = [];
    if (w.rung) {
      if (value?.kind === 'power' || value?.kind === 'not' || w.element !== undefined) {
        const wire = this.sinkWire(w);
        if (wire !== undefined) parts.push(this.wireReason(w, root, wire, scan));
      }
      if (
        value &&
        value.kind !== 'power' &&
        !(w.statement.kind === 'assign' && w.statement.coil) &&
        readsOf(value, root).length
      )
        parts.push(this.expressionReason(value, root, scan, false));
    } else {
      const steps = this.textReasons(w, root, value, scan);
      parts.push(...steps);
    }
    const best = parts.filter((p) => p.next || p.words).sort((a, b) => b.since - a.since)[0];
    return best ? { ...best, marks: parts.flatMap((p) => p.marks) } : { words: '', since: 0, marks: [] };
  }

  private sinkWire(w: Writer): number | undefined {
    const f = w.rung!.flow.find((x) => x.kind === 'sink' && x.element === w.element);
    return f?.kind === 'sink' ? f.wire : undefined;
  }

  /** Guards and value of a statement of a text, as they were when it ran. */
  private textReasons(w: Writer, root: Root, value: Checked | undefined, scan: number): Reason[] {
    const found: { part: Checked; isGuard: boolean; was: Value | undefined; reads: readonly string[] }[] = [];
    const look = (engine: Engine) => {
      found.length = 0;
      for (const g of w.guards)
        for (const part of g.labels ? [g.condition] : decidingParts(g.condition, root, engine))
          found.push({ part, isGuard: true, was: evaluate(part, root, engine), reads: readsOf(part, root, engine) });
      if (value)
        for (const part of decidingParts(value, root, engine))
          found.push({ part, isGuard: false, was: evaluate(part, root, engine), reads: readsOf(part, root, engine) });
    };
    this.h.walkScan(scan, (halt, engine) => {
      if (halt.at?.source !== w.statement.at.source || halt.at.start !== w.statement.at.start) return false;
      look(engine);
      return true;
    });
    return found
      .filter((f) => f.reads.length)
      .map(({ part, isGuard, was, reads }) => {
        const since = was === undefined ? undefined : this.sinceCondition(part, root, scan, was);
        const next = this.latest(reads, since || scan, path0(w, root));
        const words = !isGuard
          ? `from ${spanText(part.at)}`
          : was === false
            ? `when ${isPlain(part) ? `${spanText(part.at)} was off` : `${spanText(part.at)} did not hold`}`
            : `when ${spanText(part.at)}${isPlain(part) && was === true ? ' was on' : ''}`;
        return { words, since: since ?? next?.scan ?? 0, marks: [], ...(next ? { next } : {}) };
      });
  }

  /** Of several paths the one that changed last, up to a scan. */
  private latest(paths: readonly string[], scan: number, not?: string): { path: string; scan: number } | undefined {
    const found = paths.filter((p) => p !== not).map((p) => ({ path: p, change: this.h.lastChange(p, scan) }));
    const best = found.sort((a, b) => (b.change?.scan ?? -1) - (a.change?.scan ?? -1))[0];
    return best && { path: best.path, scan: best.change?.scan ?? scan };
  }

  private expressionReason(e: Checked, root: Root, scan: number, isGuard: boolean): Reason {
    const engine = this.h.engineAt(scan),
      reads = decidingParts(e, root, engine).flatMap((p) => readsOf(p, root, engine));
    const next = this.latest(reads, scan);
    return {
      words: `${isGuard ? 'when' : 'from'} ${spanText(e.at)}`,
      since: next?.scan ?? 0,
      marks: [],
      ...(next ? { next } : {}),
    };
  }

  /** Why a value handed over was what it was: power of a rung, or an expression. */
  private valueReason(w: Writer, root: Root, value: Checked, scan: number): Reason {
    return w.rung && value.kind === 'power'
      ? this.wireReason(w, root, value.wire, scan)
      : this.expressionReason(value, root, scan, false);
  }

  /** Why a wire of a rung had power, or none. */
  private wireReason(w: Writer, root: Root, wire: number, scan: number): Reason {
    const s = this.rungState(w, root, scan);
    if (!s || !s.bits.length) return { words: '', since: 0, marks: [] };
    const isOn = wirePower(s, wire),
      d = decided(s, wire);
    const held = d.elements.filter((e) => e !== d.cause);
    const marks: WhyMark[] = d.elements.map((element) => ({
      rung: s.rung,
      element,
      role: element === d.cause ? 'cause' : isOn ? 'carries' : 'blocks',
    }));
    if (d.cause === undefined) return { words: '', since: d.since, marks };
    const words = `when ${this.elementHappened(w, root, s, d.cause, scan)}${
      isOn && held.length
        ? `, with ${held
            .slice(0, 4)
            .map((e) => this.elementState(w, root, s, e, scan))
            .join(', ')}${held.length > 4 ? ` and ${held.length - 4} more` : ''}`
        : ''
    }`;
    const next = this.elementPath(w, root, d.cause, scan, d.since);
    return { words, since: Math.max(d.since, 0), marks, ...(next ? { next } : {}) };
  }

  private elementPath(
    w: Writer,
    root: Root,
    element: number,
    scan: number,
    since: number,
  ): { path: string; scan: number } | undefined {
    const block = this.blockPath(w, root, element, scan);
    if (block) return { path: block.path, scan: since > 0 ? since : scan };
    const condition = this.conditionOf(w, element);
    if (!condition) return undefined;
    const reads = readsOf(condition, root, this.h.engineAt(scan));
    return reads.length === 1
      ? { path: reads[0]!, scan: since > 0 ? since : scan }
      : this.latest(reads, since > 0 ? since : scan);
  }

  private elementHappened(
    w: Writer,
    root: Root,
    s: { nodes: readonly Node[]; bits: readonly number[] },
    element: number,
    scan: number,
  ): string {
    const node = s.nodes[element],
      closed = (s.bits[element]! & 4) !== 0;
    if (node?.kind === 'contact') {
      if (node.mode === 'rising' || node.mode === 'falling')
        return `${node.tag} ${node.mode === 'rising' ? 'rose' : 'fell'}`;
      return `${node.tag} ${closed === (node.mode === 'open') ? 'came on' : 'went off'}`;
    }
    if (node?.kind === 'compare')
      return closed
        ? `${node.left} ${node.op} ${node.right} became true`
        : `${node.left} ${node.op} ${node.right} no longer held`;
    const block = this.blockPath(w, root, element, scan);
    return block
      ? `${block.name}.${block.out} ${closed ? 'came on' : 'went off'}`
      : `element ${element + 1} ${closed ? 'closed' : 'opened'}`;
  }

  private elementState(
    w: Writer,
    root: Root,
    s: { nodes: readonly Node[]; bits: readonly number[] },
    element: number,
    scan: number,
  ): string {
    const node = s.nodes[element],
      closed = (s.bits[element]! & 4) !== 0;
    if (node?.kind === 'contact')
      return node.mode === 'open' || node.mode === 'closed'
        ? `${node.tag} ${closed === (node.mode === 'open') ? 'on' : 'off'}`
        : `${node.tag} ${node.mode}`;
    if (node?.kind === 'compare') {
      const path = this.ownPath(node.left, root, scan),
        type = path === undefined ? undefined : this.typeOf(path, scan),
        v = path === undefined ? undefined : this.valueAt(path, scan);
      return closed
        ? `${node.left} ${node.op} ${node.right}`
        : type && v !== undefined
          ? `${node.left} is ${this.text(type, v)}, not ${node.op === '=' ? '' : `${node.op} `}${node.right}`
          : `${node.left} ${node.op} ${node.right} does not hold`;
    }
    const block = this.blockPath(w, root, element, scan);
    return block ? this.blockState(block, scan) : `element ${element + 1} ${closed ? 'closed' : 'open'}`;
  }

  /** How a block stands, called as it is where it is spoken of. */
  private blockState(
    b: { readonly instance: string; readonly type: string; readonly out: string; readonly name: string },
    scan: number,
  ): string {
    const engine = this.h.engineAt(scan);
    const values = new Map(
      ['IN', 'Q', 'PT', 'ET', 'S1', 'S', 'R', 'R1', 'Q1', 'CLK', 'CV', 'PV', b.out].map((m) => [
        m,
        read(engine, `${b.instance}.${m}`),
      ]),
    );
    return blockState({
      name: b.name,
      type: b.type,
      out: b.out,
      value: (m) => values.get(m),
      since: (m) => this.h.lastChange(`${b.instance}.${m}`, scan)?.scan,
      atPin: (m) => this.atPin(`${b.instance}.${m}`, scan),
    });
  }

  /** What stands at an input of a block, as it was: `OffPB`, `GuardShut off`. */
  private atPin(path: string, scan: number): string | undefined {
    const pin = this.pinOfCall(path, scan);
    if (!pin) return undefined;
    const { writer, root, value } = pin;
    if (value.kind !== 'power' || !writer.rung) return value.kind === 'constant' ? undefined : spanText(value.at);
    const s = this.rungState(writer, root, scan),
      d = s && decided(s, value.wire);
    return d?.cause === undefined ? undefined : this.elementState(writer, root, s!, d.cause, scan);
  }

  /** The instance of a library block that a path is an output or inner value of. */
  private libraryBlock(path: string, scan: number): { instance: string; type: string; member: string } | undefined {
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

  /** An output of a timer, counter or another library block: how it stands, and the input that moved it last. */
  private byBlock(
    path: string,
    b: { instance: string; type: string; member: string },
    scan: number,
    happened: string,
  ): void {
    const type = this.typeOf(b.instance, scan);
    if (type?.kind !== 'block') return;
    const index = this.indexAt(scan),
      call = index?.callsOf(b.instance)[0];
    const inputs = type.layout.members.filter((m) => m.section === 'input').map((m) => `${b.instance}.${m.name}`);
    const turns = turnedBy(b.type, this.valueAt(path, scan) === true)?.map((m) => `${b.instance}.${m}`);
    const next = this.latest(turns ?? inputs.filter((p) => !/\.(PT|PV)$/i.test(p)), scan);
    this.push({
      sentence: `${happened}: ${this.blockState({ ...b, out: b.member, name: lastOf(b.instance) }, scan)}.`,
      path,
      scan,
      marks: [],
      ...(call ? { ...placeOf(call.writer), where: whereOf(call.writer) } : {}),
      ...(next ? {} : { isRoot: true }),
    });
    if (next) this.explain(next.path, next.scan);
  }

  /** Where the value of a block's input comes from. */
  private pinOfCall(path: string, scan: number): { writer: Writer; root: Root; value: Checked } | undefined {
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

  // --- why not

  /** What would have to change for a tag to come on, at each place that could switch it on. */
  private blocks(path: string, scan: number): WhyBlock[] {
    const library = this.libraryBlock(path, scan);
    if (library) return this.libraryBlocks(library, scan);
    const candidates = this.indexAt(scan)?.of(path) ?? [];
    const found: WhyBlock[] = [],
      // Walking through a scan takes its time: only where there is a question.
      written = candidates.length > 1 ? this.written(path, scan) : [],
      orderOf = (c: { writer: Writer; root: Root }) =>
        written.findLastIndex((w) => w.writer === c.writer && w.root === c.root);
    // A coil writes with power and without: what comes before the last of them is lost.
    const always = written.findLastIndex((w) => w.wrote && isCoil(w.writer, 'plain', 'negated'));
    for (const c of candidates) {
      const t =
        c.writer.targets.find((x) => {
          const p = pathOf(x.place, c.root);
          return p !== undefined && sameName(p, path);
        }) ?? c.writer.targets[0];
      const order = orderOf(c);
      if (isCoil(c.writer, 'reset') || (order >= 0 && order < always)) continue;
      if (t?.value?.kind === 'constant' && t.value.value === false) continue;
      if (c.writer.rung) {
        const wire = this.sinkWire(c.writer);
        if (wire === undefined) continue;
        if (isCoil(c.writer, 'negated')) found.push(...this.carrying(c, wire, scan, 'no power at'));
        else found.push(...this.rungBlocks(c.writer, c.root, wire, scan));
      } else if (t?.value) found.push(...this.textBlocks(c.writer, c.root, t.value, scan));
    }
    // What takes it back after whatever sets it.
    const last = written.findLast((w) => w.wrote);
    if (last?.writer.rung && isCoil(last.writer, 'reset')) {
      const wire = this.sinkWire(last.writer);
      if (wire !== undefined) found.unshift(...this.carrying(last, wire, scan, 'no reset by'));
    }
    return found;
  }

  /** A rung whose power keeps a tag off: the element that came last on the way of that power. */
  private carrying(
    c: { writer: Writer; root: Root },
    wire: number,
    scan: number,
    does: 'no power at' | 'no reset by',
  ): WhyBlock[] {
    const s = this.rungState(c.writer, c.root, scan);
    if (!s || !wirePower(s, wire)) return [];
    const d = decided(s, wire),
      element = d.cause ?? c.writer.element,
      next = d.cause === undefined ? undefined : this.elementPath(c.writer, c.root, d.cause, scan, 0);
    return [
      {
        sentence: `${does} ${whereOf(c.writer)}${does === 'no reset by' ? ', which is written last' : ''}${d.cause === undefined ? '' : `: ${this.elementState(c.writer, c.root, s, d.cause, scan)}${d.since > 0 ? ` since ${scanText(d.since)}` : ''}`}`,
        path: next?.path ?? '',
        scan: d.since > 0 ? d.since : scan,
        isNearest: true,
        place: { kind: 'rung', pou: s.pou, rung: s.rung, ...(element === undefined ? {} : { element }) },
        where: whereOf(c.writer),
        marks: element === undefined ? [] : [{ rung: s.rung, element, role: 'nearest' }],
      },
    ];
  }

  /**
   * What keeps an output of a block of the library off: the input that wins, those that would switch it on, or time.
   */
  private libraryBlocks(b: { instance: string; type: string; member: string }, scan: number): WhyBlock[] {
    const roles = rolesOf(b.type, b.member);
    const waits = (pin: string, writer: Writer | undefined): WhyBlock => ({
      sentence: this.blockState({ ...b, out: b.member, name: lastOf(b.instance) }, scan),
      path: `${b.instance}.${pin}`,
      scan,
      isNearest: true,
      ...(writer ? { ...placeOf(writer), where: whereOf(writer) } : {}),
      marks:
        writer?.rung && writer.element !== undefined
          ? [{ rung: writer.rung.rungId, element: writer.element, role: 'nearest' }]
          : [],
    });
    const writer = this.indexAt(scan)?.callsOf(b.instance)[0]?.writer;
    if (roles?.keepsOff && this.valueAt(`${b.instance}.${roles.keepsOff}`, scan) === true)
      return [waits(roles.keepsOff, writer)];
    const found = (roles?.on ?? []).flatMap((pin) => {
      const given = this.pinOfCall(`${b.instance}.${pin}`, scan);
      if (!given || this.valueAt(`${b.instance}.${pin}`, scan) !== false) return [];
      return given.value.kind === 'power' && given.writer.rung
        ? this.rungBlocks(given.writer, given.root, given.value.wire, scan)
        : this.textBlocks(given.writer, given.root, given.value, scan);
    });
    // The input is there: what is waited for is the block itself.
    return found.length ? found : [waits(roles?.on[0] ?? 'IN', writer)];
  }

  // --- who writes

  /** What wrote a path in a scan, where several may: a rung with its power, and the one that decides. */
  private writers(path: string, scan: number): WhyWriter[] {
    const candidates = this.indexAt(scan)?.of(path) ?? [];
    if (this.libraryBlock(path, scan) || new Set(candidates.map((c) => c.writer)).size < 2) return [];
    const wrote = this.written(path, scan).filter((w) => w.wrote);
    return wrote.map((w, i): WhyWriter => {
      const decides = i === wrote.length - 1,
        wire = w.writer.rung && this.sinkWire(w.writer),
        s = w.writer.rung && this.rungState(w.writer, w.root, scan),
        d = s && wire !== undefined ? decided(s, wire) : undefined;
      const because =
        s && d?.cause !== undefined
          ? `: ${this.elementState(w.writer, w.root, s, d.cause, scan)}${d.since > 0 ? ` since ${scanText(d.since)}` : ''}`
          : '';
      const type = this.typeOf(path, scan),
        value = decides ? this.valueAt(path, scan) : w.value;
      const does = isCoil(w.writer, 'set')
        ? 'sets it'
        : isCoil(w.writer, 'reset')
          ? 'resets it'
          : value !== undefined && type
            ? `writes ${this.text(type, value)}`
            : 'writes it';
      return {
        sentence: `${whereOf(w.writer)} ${does}${w.power === undefined ? '' : w.power ? ', with power' : ', without power'}${because}.`,
        path,
        scan,
        where: whereOf(w.writer),
        ...placeOf(w.writer),
        marks: [],
        decides,
      };
    });
  }

  private rungBlocks(w: Writer, root: Root, wire: number, scan: number): WhyBlock[] {
    const s = this.rungState(w, root, scan);
    if (!s || scan <= this.h.start) return [];
    const nearest = new Set(missing(s, wire));
    return blocking(s, wire).map((element): WhyBlock => {
      const next = this.elementPath(w, root, element, scan, 0);
      const since = s.since(element);
      const isNearest = nearest.has(element);
      return {
        sentence: `${this.elementState(w, root, s, element, scan)}${since > 0 && s.nodes[element]?.kind !== 'call' ? ` since ${scanText(since)}` : ''}`,
        path: next?.path ?? '',
        scan: since > 0 ? since : scan,
        isNearest,
        place: { kind: 'rung', pou: s.pou, rung: s.rung, element },
        where: whereOf(w),
        marks: [{ rung: s.rung, element, role: isNearest ? 'nearest' : 'blocks' }],
      };
    });
  }

  private textBlocks(w: Writer, root: Root, value: Checked, scan: number): WhyBlock[] {
    const engine = this.h.engineAt(scan);
    const parts: { part: Checked; was: Value | undefined }[] = [];
    for (const g of w.guards) {
      const is = g.labels ? undefined : evaluate(g.condition, root, engine);
      const now = g.labels ? evaluate(g.condition, root, engine) : undefined;
      const isMet = g.labels
        ? now === undefined ||
          g.labels.some((l) => BigInt(now as bigint) >= l.low && BigInt(now as bigint) <= l.high) === g.wanted
        : is === undefined || is === g.wanted;
      if (!isMet)
        for (const part of g.labels ? [g.condition] : decidingParts(g.condition, root, engine))
          parts.push({ part, was: evaluate(part, root, engine) });
    }
    if (evaluate(value, root, engine) === false)
      for (const part of decidingParts(value, root, engine)) parts.push({ part, was: evaluate(part, root, engine) });
    const all = parts.map((p) => ({ ...p, reads: readsOf(p.part, root, engine) })).filter((p) => p.reads.length);
    return all.map(({ part, reads, was }): WhyBlock => {
      const since = this.sinceCondition(part, root, scan);
      const next = this.latest(reads, scan);
      return {
        sentence: `${spanText(part.at)} is ${was === true ? 'on' : was === false ? 'off' : String(was)}${since ? ` since ${scanText(since)}` : ''}`,
        path: next?.path ?? '',
        scan: since || scan,
        isNearest: all.length === 1,
        ...placeOf(w),
        where: whereOf(w),
        marks: [],
      };
    });
  }
}

const isCoil = (w: Writer, ...modes: readonly CoilKind['mode'][]): boolean =>
  w.statement.kind === 'assign' ? w.statement.coil !== undefined && modes.includes(w.statement.coil.mode) : false;
/** `Keep4` of `Main.Keep4`. */
const lastOf = (path: string): string => path.slice(path.lastIndexOf('.') + 1);
const isPlain = (e: Checked): boolean => e.kind === 'read';
function read(e: Engine, path: string): Value | undefined {
  const f = findPath(e.image, path);
  return 'location' in f &&
    f.location.type.kind !== 'block' &&
    f.location.type.kind !== 'struct' &&
    f.location.type.kind !== 'array'
    ? readLocation(e.view, f.location)
    : undefined;
}
const spanText = (s: Span): string => {
  const t = s.source.text.slice(s.start, s.end).replace(/\s+/g, ' ');
  return t.length > 60 ? `${t.slice(0, 59)}…` : t;
};
const path0 = (w: Writer, root: Root): string | undefined =>
  w.targets[0] ? pathOf(w.targets[0].place, root) : undefined;

function whereOf(w: Writer): string {
  const { at } = w.statement,
    o = (w.rung?.at ?? at).source.origin;
  return o.kind === 'rung'
    ? `${o.pou} rung ${o.number}`
    : `${o.kind === 'pou' ? o.name : w.pou.name} line ${positionOf(at.source, at.start).line}`;
}
function placeOf(w: Writer): { place?: WhyPlace } {
  const { at } = w.statement,
    o = (w.rung?.at ?? at).source.origin;
  if (o.kind === 'rung')
    return {
      place: { kind: 'rung', pou: o.pouId, rung: o.rungId, ...(w.element !== undefined ? { element: w.element } : {}) },
    };
  return o.kind === 'pou' ? { place: { kind: 'text', pou: o.id, at: at.start, end: at.end } } : {};
}
