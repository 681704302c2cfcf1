/** For what is off: what blocks it, which of that is nearest to closing, and what each writer of it did in the scan. */
import { sameName } from '../language/words.js';
import { type Checked } from '../checked/tree.js';
import { type Value } from '../runtime/paths.js';
import { type Root, decidingParts, evaluate, pathOf, readsOf } from './evaluate.js';
import { blocking, decided, missing, wirePower } from './power.js';
import { rolesOf, scanText } from './block-state.js';
import { type Writer } from './writers.js';
import { type WhyBlock, type WhyWriter, isCoil, lastOf, spanText, whereOf, placeOf } from './answer.js';
import { Look } from './look.js';
import { Elements } from './elements.js';

export class Blocking {
  constructor(
    private readonly look: Look,
    private readonly elements: Elements,
  ) {}

  // --- why not

  /** What would have to change for a tag to come on, at each place that could switch it on. */
  blocks(path: string, scan: number): WhyBlock[] {
    const library = this.look.libraryBlock(path, scan);
    if (library) return this.libraryBlocks(library, scan);
    const candidates = this.look.indexAt(scan)?.of(path) ?? [];
    const found: WhyBlock[] = [],
      // Walking through a scan takes its time: only where there is a question.
      written = candidates.length > 1 ? this.look.written(path, scan) : [],
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
        const wire = this.elements.sinkWire(c.writer);
        if (wire === undefined) continue;
        if (isCoil(c.writer, 'negated')) found.push(...this.carrying(c, wire, scan, 'no power at'));
        else found.push(...this.rungBlocks(c.writer, c.root, wire, scan));
      } else if (t?.value) found.push(...this.textBlocks(c.writer, c.root, t.value, scan));
    }
    // What takes it back after whatever sets it.
    const last = written.findLast((w) => w.wrote);
    if (last?.writer.rung && isCoil(last.writer, 'reset')) {
      const wire = this.elements.sinkWire(last.writer);
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
    const s = this.elements.rungState(c.writer, c.root, scan);
    if (!s || !wirePower(s, wire)) return [];
    const d = decided(s, wire),
      element = d.cause ?? c.writer.element,
      next = d.cause === undefined ? undefined : this.elements.elementPath(c.writer, c.root, d.cause, scan, 0);
    return [
      {
        sentence: `${does} ${whereOf(c.writer)}${does === 'no reset by' ? ', which is written last' : ''}${d.cause === undefined ? '' : `: ${this.elements.elementState(c.writer, c.root, s, d.cause, scan)}${d.since > 0 ? ` since ${scanText(d.since)}` : ''}`}`,
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
      sentence: this.elements.blockState({ ...b, out: b.member, name: lastOf(b.instance) }, scan),
      path: `${b.instance}.${pin}`,
      scan,
      isNearest: true,
      ...(writer ? { ...placeOf(writer), where: whereOf(writer) } : {}),
      marks:
        writer?.rung && writer.element !== undefined
          ? [{ rung: writer.rung.rungId, element: writer.element, role: 'nearest' }]
          : [],
    });
    const writer = this.look.indexAt(scan)?.callsOf(b.instance)[0]?.writer;
    if (roles?.keepsOff && this.look.valueAt(`${b.instance}.${roles.keepsOff}`, scan) === true)
      return [waits(roles.keepsOff, writer)];
    const found = (roles?.on ?? []).flatMap((pin) => {
      const given = this.look.pinOfCall(`${b.instance}.${pin}`, scan);
      if (!given || this.look.valueAt(`${b.instance}.${pin}`, scan) !== false) return [];
      return given.value.kind === 'power' && given.writer.rung
        ? this.rungBlocks(given.writer, given.root, given.value.wire, scan)
        : this.textBlocks(given.writer, given.root, given.value, scan);
    });
    // The input is there: what is waited for is the block itself.
    return found.length ? found : [waits(roles?.on[0] ?? 'IN', writer)];
  }

  // --- who writes

  /** What wrote a path in a scan, where several may: a rung with its power, and the one that decides. */
  writers(path: string, scan: number): WhyWriter[] {
    const candidates = this.look.indexAt(scan)?.of(path) ?? [];
    if (this.look.libraryBlock(path, scan) || new Set(candidates.map((c) => c.writer)).size < 2) return [];
    const wrote = this.look.written(path, scan).filter((w) => w.wrote);
    return wrote.map((w, i): WhyWriter => {
      const decides = i === wrote.length - 1,
        wire = w.writer.rung && this.elements.sinkWire(w.writer),
        s = w.writer.rung && this.elements.rungState(w.writer, w.root, scan),
        d = s && wire !== undefined ? decided(s, wire) : undefined;
      const because =
        s && d?.cause !== undefined
          ? `: ${this.elements.elementState(w.writer, w.root, s, d.cause, scan)}${d.since > 0 ? ` since ${scanText(d.since)}` : ''}`
          : '';
      const type = this.look.typeOf(path, scan),
        value = decides ? this.look.valueAt(path, scan) : w.value;
      const does = isCoil(w.writer, 'set')
        ? 'sets it'
        : isCoil(w.writer, 'reset')
          ? 'resets it'
          : value !== undefined && type
            ? `writes ${this.look.text(type, value)}`
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
    const s = this.elements.rungState(w, root, scan);
    if (!s || scan <= this.look.past.start) return [];
    const nearest = new Set(missing(s, wire));
    return blocking(s, wire).map((element): WhyBlock => {
      const next = this.elements.elementPath(w, root, element, scan, 0);
      const since = s.since(element);
      const isNearest = nearest.has(element);
      return {
        sentence: `${this.elements.elementState(w, root, s, element, scan)}${since > 0 && s.nodes[element]?.kind !== 'call' ? ` since ${scanText(since)}` : ''}`,
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
    const engine = this.look.past.engineAt(scan);
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
      const since = this.elements.sinceCondition(part, root, scan);
      const next = this.look.latest(reads, scan);
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
