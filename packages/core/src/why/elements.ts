/** How the elements of a rung stood in a scan, and since when: power, contacts, blocks of the library. */
import { type Checked } from '../checked/tree.js';
import { type Node, nodesOf } from '../ladder/rung.js';
import { type Engine } from '../runtime/engine.js';
import { powerOf } from '../runtime/frame.js';
import { type Value } from '../runtime/paths.js';
import { isBool } from '../types/type.js';
import { type Root, evaluate, readsOf } from './evaluate.js';
import { type RungState, decided } from './power.js';
import { blockState } from './block-state.js';
import { type Writer } from './writers.js';
import { spanText, read } from './answer.js';
import { Look } from './look.js';

/** Scans looked at for when a comparison of restless values last changed its mind. */
const FAR = 20_000;

export class Elements {
  constructor(private readonly look: Look) {}

  /** How a rung stood in a scan: which wires had power, which elements carried it, and since when each. */
  rungState(
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
    const engine = this.look.past.engineAt(scan),
      range = engine.image.probes.get(w.rung!.rungId),
      o = w.rung!.at.source.origin;
    if (!range || o.kind !== 'rung') return undefined;
    const bits = powerOf(engine.view, range),
      since = new Map<number, number>();
    const parsed = this.look.compiledAt(scan)?.rungs.get(w.rung!.rungId)?.parsed;
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
    if (block) return this.look.past.lastChange(block.path, scan)?.scan ?? 0;
    if (!condition) return 0;
    return this.sinceCondition(condition, root, scan, (bits & 4) !== 0);
  }

  /** Since when a condition has been as it was inside a scan. */
  sinceCondition(e: Checked, root: Root, scan: number, was?: Value): number {
    const engine = this.look.past.engineAt(scan),
      reads = readsOf(e, root, engine);
    if (!reads.length) return 0;
    const value = (x: Engine) => evaluate(e, root, x);
    // What changed after the rung had been evaluated does not count for this scan.
    const later = was !== undefined && value(engine) !== undefined && value(engine) !== was;
    return this.look.past.lastChangeOf(later ? scan - 1 : scan, reads, value, FAR)?.scan ?? 0;
  }

  /** The instance that stands as a block on a rung, and the pin power comes out of. */
  private blockPath(
    w: Writer,
    root: Root,
    element: number,
    scan: number,
  ): { instance: string; path: string; out: string; type: string; name: string } | undefined {
    const node = this.look.nodesAt(w, scan)[element];
    if (node?.kind !== 'call') return undefined;
    const instance = this.look.ownPath(node.name, root, scan);
    const type = instance === undefined ? undefined : this.look.typeOf(instance, scan);
    if (instance === undefined || type?.kind !== 'block') return undefined;
    const out = node.outPin ?? type.layout.members.find((m) => m.section === 'output' && isBool(m.type))?.name;
    return out === undefined
      ? undefined
      : { instance, path: `${instance}.${out}`, out, type: type.name, name: node.name };
  }

  /** The wire that an output or a pin of a rung takes its power from. */
  sinkWire(w: Writer): number | undefined {
    const f = w.rung!.flow.find((x) => x.kind === 'sink' && x.element === w.element);
    return f?.kind === 'sink' ? f.wire : undefined;
  }

  /** What to ask about for an element: the tag it reads, or what its block follows from. */
  elementPath(
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
    const reads = readsOf(condition, root, this.look.past.engineAt(scan));
    return reads.length === 1
      ? { path: reads[0]!, scan: since > 0 ? since : scan }
      : this.look.latest(reads, since > 0 ? since : scan);
  }

  /** What an element did when it began to carry power or ceased to. */
  elementHappened(
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

  /** How an element stands, as words: `Guard off`, a block with what it waits for. */
  elementState(
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
      const path = this.look.ownPath(node.left, root, scan),
        type = path === undefined ? undefined : this.look.typeOf(path, scan),
        v = path === undefined ? undefined : this.look.valueAt(path, scan);
      return closed
        ? `${node.left} ${node.op} ${node.right}`
        : type && v !== undefined
          ? `${node.left} is ${this.look.text(type, v)}, not ${node.op === '=' ? '' : `${node.op} `}${node.right}`
          : `${node.left} ${node.op} ${node.right} does not hold`;
    }
    const block = this.blockPath(w, root, element, scan);
    return block ? this.blockState(block, scan) : `element ${element + 1} ${closed ? 'closed' : 'open'}`;
  }

  /** How a block stands, called as it is where it is spoken of. */
  blockState(
    b: { readonly instance: string; readonly type: string; readonly out: string; readonly name: string },
    scan: number,
  ): string {
    const engine = this.look.past.engineAt(scan);
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
      since: (m) => this.look.past.lastChange(`${b.instance}.${m}`, scan)?.scan,
      atPin: (m) => this.atPin(`${b.instance}.${m}`, scan),
    });
  }

  /** What stands at an input of a block, as it was: `OffPB`, `GuardShut off`. */
  private atPin(path: string, scan: number): string | undefined {
    const pin = this.look.pinOfCall(path, scan);
    if (!pin) return undefined;
    const { writer, root, value } = pin;
    if (value.kind !== 'power' || !writer.rung) return value.kind === 'constant' ? undefined : spanText(value.at);
    const s = this.rungState(writer, root, scan),
      d = s && decided(s, value.wire);
    return d?.cause === undefined ? undefined : this.elementState(writer, root, s!, d.cause, scan);
  }
}
