/**
 * Rungs as the ladder networks of IEC 61131-10 and back. Out: each element with its place and its connections. In: the
 * graph of connections is put together to series and legs, whoever drew it.
 */
import { sameName } from '../../language/words.js';
import { layoutRung } from '../../ladder/layout.js';
import { parseRungLine } from '../../ladder/parse.js';
import { printPart, printRung } from '../../ladder/print.js';
import {
  type Element,
  type Output,
  type Part,
  type Rung,
  isElement,
  nodesOf,
  parallel,
  series,
} from '../../ladder/rung.js';
import { Problems } from '../../language/diagnostic.js';
import { parseStatementsText } from '../../language/parser.js';
import { makeSource } from '../../language/source.js';
import type { RungText } from '../../document/document.js';
import { standardDurations } from '../text.js';
import { XSI_TYPE, documentation, kindOfElement } from './declarations.js';
import { type XmlElement, childOf, childrenOf, el } from './element.js';

/**
 * What the declarations say of a call: the block type of an instance with its pins for power; undefined of a function.
 */
export type CallFacts = (
  e: Element & { readonly kind: 'call' },
) => { readonly type: string; readonly inPin: string; readonly outPin: string } | undefined;

const SIGNS: Readonly<Record<string, string>> = { '=': 'EQ', '<>': 'NE', '<': 'LT', '>': 'GT', '<=': 'LE', '>=': 'GE' };
const signOf = (word: string): string | undefined =>
  Object.entries(SIGNS).find(([, w]) => w === word.toUpperCase())?.[0];

/** Width of a letter where positions are computed, in the units of the positions. */
const LETTER = 7;

export interface RungOut {
  readonly element: XmlElement;
  /** What of the rung others do not see, one sentence each. */ readonly left: readonly string[];
}

class RungWriter {
  private readonly objects: XmlElement[] = [];
  private next = 0;
  private element = 0;
  private readonly ends: number[] = [];
  readonly left: string[] = [];

  constructor(
    private readonly facts: CallFacts,
    private readonly places: readonly {
      readonly x: number;
      readonly y: number;
      readonly width: number;
      readonly height: number;
    }[],
  ) {}

  private in(from: readonly number[]): XmlElement {
    return el(
      'ConnectionPointIn',
      {},
      from.map((id) => el('Connection', { refConnectionPointOutId: id })),
    );
  }
  private out(): { readonly id: number; readonly element: XmlElement } {
    const id = ++this.next;
    return { id, element: el('ConnectionPointOut', { connectionPointOutId: id }) };
  }
  private place(n: number): XmlElement[] {
    const box = this.places[n];
    return box
      ? [
          el('RelPosition', { x: Math.round(box.x), y: Math.round(box.y) }),
          el('Size', { x: Math.round(box.width), y: Math.round(box.height) }),
        ]
      : [];
  }
  private add(
    name: 'LdObject' | 'FbdObject',
    type: string,
    attributes: Readonly<Record<string, string | boolean | undefined>>,
    children: XmlElement[],
  ): void {
    this.objects.push(el(name, { [XSI_TYPE]: type, ...attributes }, children));
  }
  /** A value that flows into a pin. */
  private source(text: string): number {
    const out = this.out();
    this.add('FbdObject', 'DataSource', { identifier: standardDurations(text) }, [out.element]);
    return out.id;
  }

  part(p: Part, from: readonly number[]): readonly number[] {
    if (p.kind === 'series') return p.parts.reduce((now, x) => this.part(x, now), from);
    if (p.kind === 'parallel') return p.legs.flatMap((leg) => this.part(leg, from));
    const at = this.place(this.element++);
    if (p.kind === 'contact') {
      const out = this.out();
      this.add(
        'LdObject',
        'Contact',
        {
          operand: p.tag,
          negated: p.mode === 'closed' || undefined,
          edge: p.mode === 'rising' || p.mode === 'falling' ? p.mode : undefined,
        },
        [...at, this.in(from), out.element],
      );
      return [out.id];
    }
    if (p.kind === 'compare') {
      const out = this.out();
      this.add(
        'LdObject',
        'CompareContact',
        { function: SIGNS[p.op], operand1: standardDurations(p.left), operand2: standardDurations(p.right) },
        [...at, this.in(from), out.element],
      );
      return [out.id];
    }
    return this.call(p, at, from);
  }

  private call(p: Element & { readonly kind: 'call' }, at: XmlElement[], from: readonly number[]): readonly number[] {
    const facts = this.facts(p),
      isBlock = facts !== undefined || p.type !== undefined;
    const sources = p.args.map((a) => (a.output ? undefined : this.source(a.value)));
    const power = this.out(),
      inPin = isBlock ? (p.inPin ?? facts?.inPin ?? 'IN') : 'EN',
      outPin = isBlock ? (p.outPin ?? facts?.outPin ?? 'Q') : p.name;
    const sinks: { readonly id: number; readonly to: string }[] = [];
    const outputs = p.args.flatMap((a) => {
      if (!a.output) return [];
      const o = this.out();
      sinks.push({ id: o.id, to: a.value });
      return [el('OutputVariable', { parameterName: a.pin }, [o.element])];
    });
    this.add(
      'FbdObject',
      'Block',
      { typeName: isBlock ? (p.type ?? facts?.type ?? '') : p.name, instanceName: isBlock ? p.name : undefined },
      [
        ...at,
        el('InputVariables', {}, [
          el('InputVariable', { parameterName: inPin }, [this.in(from)]),
          ...p.args.flatMap((a, i) =>
            a.output ? [] : [el('InputVariable', { parameterName: a.pin ?? `IN${i + 1}` }, [this.in([sources[i]!])])],
          ),
        ]),
        el('OutputVariables', {}, [el('OutputVariable', { parameterName: outPin }, [power.element]), ...outputs]),
      ],
    );
    for (const s of sinks) this.add('FbdObject', 'DataSink', { identifier: s.to }, [this.in([s.id])]);
    return [power.id];
  }

  output(o: Output, from: readonly number[]): void {
    if (o.kind === 'path') {
      const inner = this.part(o.logic, from);
      for (const x of o.outputs) this.output(x, inner);
      return;
    }
    const at = this.place(this.element++);
    if (o.kind === 'coil') {
      const out = this.out();
      this.ends.push(out.id);
      this.add(
        'LdObject',
        'Coil',
        {
          operand: o.tag,
          negated: o.mode === 'negated' || undefined,
          latch: o.mode === 'set' || o.mode === 'reset' ? o.mode : undefined,
          edge: o.mode === 'rising' || o.mode === 'falling' ? o.mode : undefined,
        },
        [...at, this.in(from), out.element],
      );
    } else if (o.kind === 'return') this.add('LdObject', 'Return', {}, [...at, this.in(from)]);
    else this.action(o.text, o.once, at, from);
  }

  /** Assignments are moved by blocks that power enables; what else is done stands in no ladder of the standard. */
  private action(text: string, once: boolean, at: XmlElement[], from: readonly number[]): void {
    const source = makeSource('', text),
      statements = parseStatementsText(source, new Problems()),
      slice = (a: { readonly start: number; readonly end: number }) => source.text.slice(a.start, a.end).trim();
    const moves = statements.flatMap((s) => (s.kind === 'assign' && !s.attempt ? [s] : []));
    if (once || moves.length !== statements.length) {
      this.left.push(`{ ${text} }${once ? ', done once a rise,' : ''} has no place in a ladder of the standard`);
      return;
    }
    for (const m of moves) {
      const value = this.source(slice(m.value.at)),
        out = this.out();
      this.add('FbdObject', 'Block', { typeName: 'MOVE' }, [
        ...at,
        el('InputVariables', {}, [
          el('InputVariable', { parameterName: 'EN' }, [this.in(from)]),
          el('InputVariable', { parameterName: 'IN' }, [this.in([value])]),
        ]),
        el('OutputVariables', {}, [el('OutputVariable', { parameterName: 'OUT' }, [out.element])]),
      ]);
      this.add('FbdObject', 'DataSink', { identifier: slice(m.target.at) }, [this.in([out.id])]);
    }
  }

  write(rung: Rung): readonly XmlElement[] {
    const rail = this.out();
    this.add('LdObject', 'LeftPowerRail', {}, [el('RelPosition', { x: 0, y: 0 }), rail.element]);
    const power = rung.logic ? this.part(rung.logic, [rail.id]) : [rail.id];
    for (const o of rung.outputs) this.output(o, power);
    this.add('LdObject', 'RightPowerRail', {}, [
      el('RelPosition', { x: WIDTH, y: 0 }),
      ...(this.ends.length ? [this.in(this.ends)] : []),
    ]);
    return this.objects;
  }
}
const WIDTH = 1000;

/** A rung as a network; one that cannot be read yet is an empty one, and said. */
export function rungElement(r: RungText, order: number, facts: CallFacts): RungOut {
  const rung = parseRungLine(makeSource('', r.line), new Problems())?.rung,
    said = [r.heading && `## ${r.heading}`, r.comment].filter(Boolean).join('\n');
  const note = said ? [el('Documentation', { [XSI_TYPE]: 'SimpleText' }, said)] : [];
  if (!rung)
    return {
      element: el('Rung', { evaluationOrder: order }, note),
      left: ['it cannot be read yet, and is empty for others'],
    };
  const boxes = layoutRung(rung, {
    width: WIDTH,
    textWidth: (t) => t.length * LETTER,
    call: (e) => ({ isBlock: facts(e) !== undefined || e.type !== undefined, rows: e.args.length + 1, title: e.name }),
  }).boxes;
  const writer = new RungWriter(
    facts,
    nodesOf(rung).map((_, n) => boxes.find((b) => b.element === n) ?? { x: 0, y: 0, width: 0, height: 0 }),
  );
  const objects = writer.write(rung);
  return { element: el('Rung', { evaluationOrder: order }, [...note, ...objects]), left: writer.left };
}

// The way back.

/** A network that no rung and no text can be made of, with why. */
export class NoNetwork extends Error {}

interface Node {
  readonly e: XmlElement;
  readonly kind: string;
  /** Pins with what they are connected to; power is at '' of what has no pins. */
  readonly inputs: ReadonlyMap<string, readonly number[]>;
  readonly negated: ReadonlySet<string>;
}
interface Origin {
  readonly node: Node;
  readonly pin: string;
}
/** What stands in a row: nodes and branches, each the same object wherever it is the same. */
type Atom = Node | { readonly legs: readonly (readonly Atom[])[] };
const PLACED = { start: 0, end: 0 };
const FUNCTIONS: Readonly<Record<string, string>> = {
  ADD: '+',
  SUB: '-',
  MUL: '*',
  DIV: '/',
  MOD: 'MOD',
  AND: 'AND',
  OR: 'OR',
  XOR: 'XOR',
  ...Object.fromEntries(Object.entries(SIGNS).map(([sign, word]) => [word, sign])),
};

/** A network of objects and connections, of ladder or of blocks. */
export class Network {
  private readonly nodes: Node[] = [];
  private readonly origins = new Map<number, Origin>();
  private readonly branches = new Map<string, readonly Atom[]>();
  private depth = 0;

  /** @param facts what the declarations say of a block: pins that a rung need not name */
  constructor(
    objects: readonly XmlElement[],
    private readonly facts: CallFacts = () => undefined,
  ) {
    for (const e of objects) {
      const kind = kindOfElement(e) || e.name;
      const refs = (at: XmlElement) =>
        childrenOf(childOf(at, 'ConnectionPointIn'), 'Connection').map((c) =>
          Number(c.attributes['refConnectionPointOutId']),
        );
      const pins = childrenOf(childOf(e, 'InputVariables'), 'InputVariable').concat(
        childrenOf(childOf(e, 'InoutVariables'), 'InoutVariable'),
      );
      const name = (p: XmlElement) => p.attributes['parameterName'] ?? '';
      const inputs = new Map<string, readonly number[]>(pins.map((p) => [name(p), refs(p)]));
      if (childOf(e, 'ConnectionPointIn')) inputs.set('', refs(e));
      const node: Node = {
        e,
        kind,
        inputs,
        negated: new Set(pins.flatMap((p) => (p.attributes['negated'] === 'true' ? [name(p)] : []))),
      };
      this.nodes.push(node);
      const own = childOf(e, 'ConnectionPointOut');
      const put = (o: XmlElement | undefined, pin: string) => {
        const id = Number(o?.attributes['connectionPointOutId']);
        if (!o || !Number.isFinite(id)) return;
        if (this.origins.has(id)) throw new NoNetwork(`the connection point ${id} is there twice`);
        this.origins.set(id, { node, pin });
      };
      put(own, '');
      for (const v of childrenOf(childOf(e, 'OutputVariables'), 'OutputVariable'))
        put(childOf(v, 'ConnectionPointOut'), name(v));
    }
  }

  private origin(id: number): Origin {
    const o = this.origins.get(id);
    if (!o) throw new NoNetwork(`a connection leads to the point ${id}, which is not there`);
    return o;
  }
  private instance(n: Node): string | undefined {
    return n.e.attributes['instanceName'] || undefined;
  }

  /** A value that flows into a pin, as an expression of structured text. */
  value(refs: readonly number[]): string {
    if (this.depth > 200) throw new NoNetwork('its connections lead round in a ring, or are too deep');
    this.depth++;
    try {
      const texts = refs.map((id) => this.valueOf(this.origin(id)));
      return texts.length > 1 ? `(${texts.join(' OR ')})` : (texts[0] ?? 'FALSE');
    } finally {
      this.depth--;
    }
  }
  private valueOf({ node, pin }: Origin): string {
    const { e, kind } = node;
    if (kind === 'DataSource') return e.attributes['identifier'] ?? 'FALSE';
    if (kind === 'LeftPowerRail') return 'TRUE';
    if (kind === 'Block') {
      const instance = this.instance(node);
      if (instance) return `${instance}.${pin}`;
      const word = (e.attributes['typeName'] ?? '').toUpperCase(),
        args = [...node.inputs].filter(([p]) => p.toUpperCase() !== 'EN').map(([p, refs]) => this.pin(node, p, refs)),
        sign = FUNCTIONS[word];
      if (word === 'NOT') return `NOT ${args[0] ?? 'FALSE'}`;
      if (word === 'MOVE') return args[0] ?? 'FALSE';
      return sign ? `(${args.join(` ${sign} `)})` : `${e.attributes['typeName']}(${args.join(', ')})`;
    }
    if (kind === 'Contact' || kind === 'CompareContact') {
      const own = textOf(this.element(node), e),
        before = this.value(node.inputs.get('') ?? []);
      return before === 'TRUE' ? own : `(${before} AND ${own})`;
    }
    throw new NoNetwork(`${kind} gives no value`);
  }
  private pin(node: Node, name: string, refs: readonly number[]): string {
    const text = this.value(refs);
    return node.negated.has(name) ? `NOT ${/^[\w.[\]]+$|^\(.*\)$/s.test(text) ? text : `(${text})`}` : text;
  }

  /** The pin of a block that power comes in at: the one that is connected to power. */
  private powerPin(n: Node): string | undefined {
    const isPower = (refs: readonly number[]) =>
      refs.length > 0 &&
      refs.every((id) => {
        const { node } = this.origin(id);
        return (
          node.kind === 'Contact' ||
          node.kind === 'CompareContact' ||
          node.kind === 'LeftPowerRail' ||
          (node.kind === 'Block' && this.powerPin(node) !== undefined)
        );
      });
    return [...n.inputs].find(([, refs]) => isPower(refs))?.[0];
  }

  private element(n: Node): Element {
    const { e, kind } = n,
      a = e.attributes;
    if (kind === 'Contact') {
      const negated = a['negated'] === 'true';
      const mode =
        a['edge'] === 'rising' ? 'rising' : a['edge'] === 'falling' ? 'falling' : negated ? 'closed' : 'open';
      if (!a['operand']) throw new NoNetwork('a contact has no operand');
      return { ...PLACED, kind: 'contact', tag: a['operand'], mode };
    }
    if (kind === 'CompareContact') {
      const op = signOf(a['function'] ?? '');
      if (!op || !a['operand1'] || !a['operand2']) throw new NoNetwork('a comparison does not say what it compares');
      return { ...PLACED, kind: 'compare', left: a['operand1'], op, right: a['operand2'] };
    }
    if (kind !== 'Block') throw new NoNetwork(`${kind} has no place in a rung`);
    const power = this.powerPin(n),
      instance = this.instance(n),
      args = [...n.inputs].flatMap(([p, refs]) =>
        p === power || !refs.length
          ? []
          : [{ ...PLACED, ...(instance ? { pin: p } : {}), output: false, value: this.pin(n, p, refs) }],
      );
    if (!instance) {
      const [left, right] = args,
        op = signOf(a['typeName'] ?? '');
      if (op && left && right && args.length === 2)
        return { ...PLACED, kind: 'compare', left: left.value, op, right: right.value };
      return { ...PLACED, kind: 'call', name: a['typeName'] ?? '', args };
    }
    const outs = this.nodes.flatMap((s) => {
      const from = s.kind === 'DataSink' ? (s.inputs.get('') ?? []).map((id) => this.origin(id)) : [];
      return from.flatMap((o) =>
        o.node === n ? [{ ...PLACED, pin: o.pin, output: true, value: s.e.attributes['identifier'] ?? '' }] : [],
      );
    });
    const made: Element & { readonly kind: 'call' } = {
        ...PLACED,
        kind: 'call',
        name: instance,
        args: [...args, ...outs],
      },
      usual = this.facts(made)?.inPin;
    const isUsual = power === undefined || (usual === undefined ? isFirstPin(power) : sameName(usual, power));
    return isUsual ? made : { ...made, inPin: power };
  }

  /** Everything that power goes through to get there, in a row. */
  private row(refs: readonly number[]): readonly Atom[] {
    const key = [...refs].sort((a, b) => a - b).join();
    const known = this.branches.get(key);
    if (known) return known;
    if (this.depth > 200) throw new NoNetwork('its connections lead round in a ring, or are too deep');
    this.depth++;
    try {
      const rows = refs.map((id) => {
        const { node, pin } = this.origin(id);
        if (node.kind === 'LeftPowerRail') return [];
        const power = node.kind === 'Block' ? this.powerPin(node) : '';
        if (power === undefined)
          throw new NoNetwork(`${node.e.attributes['typeName'] ?? node.kind} gives power, but none comes to it`);
        this.outPins.set(node, pin);
        return [...this.row(node.inputs.get(power) ?? []), node];
      });
      const made = this.combined(rows);
      this.branches.set(key, made);
      return made;
    } finally {
      this.depth--;
    }
  }
  /** Where power leaves a block. */
  private readonly outPins = new Map<Node, string>();

  private combined(rows: readonly (readonly Atom[])[]): readonly Atom[] {
    if (rows.length <= 1) return rows[0] ?? [];
    let same = 0;
    while (rows.every((r) => same < r.length && r[same] === rows[0]![same])) same++;
    const [head, rest] = [rows[0]!.slice(0, same), rows.map((r) => r.slice(same))];
    if (rest.some((r) => !r.length)) {
      // A wire around: what stands beside it changes nothing, unless it does something.
      if (rest.some((r) => r.some((a) => 'legs' in a || a.kind === 'Block')))
        throw new NoNetwork('a wire leads around a block');
      return head;
    }
    const groups = new Map<Atom, (readonly Atom[])[]>();
    for (const r of rest) groups.set(r[0]!, [...(groups.get(r[0]!) ?? []), r]);
    const legs = [...groups.values()].map((g) => this.combined(g));
    return legs.length === 1 ? [...head, ...legs[0]!] : [...head, { legs }];
  }

  private part(row: readonly Atom[]): Part | undefined {
    if (!row.length) return undefined;
    return series(
      row.map((a): Part => {
        if ('legs' in a) return parallel(a.legs.map((l) => this.part(l)!));
        const element = this.element(a),
          pin = this.outPins.get(a);
        if (element.kind !== 'call' || !this.instance(a) || !pin) return element;
        const usual = this.facts(element)?.outPin;
        return (usual === undefined ? /^(Q|Q1|QU)$/i.test(pin) : sameName(usual, pin))
          ? element
          : { ...element, outPin: pin };
      }),
    );
  }

  /** The line of the rung that the network is. Throws NoNetwork where it has no such shape. */
  line(): string {
    const sinks: { readonly row: readonly Atom[]; readonly output: Output }[] = [];
    const feeds = new Set(
      this.nodes
        .flatMap((n) => (n.kind === 'DataSink' || n.kind === 'RightPowerRail' ? [] : [...n.inputs.values()].flat()))
        .map((id) => this.origins.get(id)?.node),
    );
    for (const n of this.nodes) {
      const a = n.e.attributes;
      if (n.kind === 'Coil') {
        const mode =
          a['latch'] === 'set' || a['latch'] === 'reset'
            ? a['latch']
            : a['edge'] === 'rising' || a['edge'] === 'falling'
              ? a['edge']
              : a['negated'] === 'true'
                ? 'negated'
                : 'plain';
        if (!a['operand']) throw new NoNetwork('a coil has no operand');
        sinks.push({
          row: this.row(n.inputs.get('') ?? []),
          output: { ...PLACED, kind: 'coil', tag: a['operand'], mode },
        });
      } else if (n.kind === 'Return')
        sinks.push({ row: this.row(n.inputs.get('') ?? []), output: { ...PLACED, kind: 'return' } });
      else if (n.kind === 'Block' && !this.instance(n) && n.inputs.has('EN')) {
        const to = this.nodes.find(
          (s) =>
            s.kind === 'DataSink' &&
            (s.inputs.get('') ?? []).some(
              (id) => this.origin(id).node === n && this.origin(id).pin.toUpperCase() !== 'ENO',
            ),
        );
        if (!to) continue;
        const text = `${to.e.attributes['identifier'] ?? ''} := ${this.valueOf({ node: n, pin: '' })};`;
        sinks.push({
          row: this.row(n.inputs.get('EN') ?? []),
          output: { ...PLACED, kind: 'action', text, once: false, textStart: 0 },
        });
      } else if (n.kind === 'Block' && this.instance(n) && !feeds.has(n)) {
        // A block that ends its row is called by an action with the row as its input.
        const power = this.powerPin(n),
          before = power === undefined ? undefined : this.part(this.row(n.inputs.get(power) ?? [])),
          e = this.element(n) as Element & { readonly kind: 'call' },
          args = [
            ...(power === undefined ? [] : [`${power} := ${before ? textOf(before, n.e) : 'TRUE'}`]),
            ...e.args.map((x) => `${x.pin} ${x.output ? '=>' : ':='} ${x.value}`),
          ];
        sinks.push({
          row: [],
          output: {
            ...PLACED,
            kind: 'action',
            text: `${this.instance(n)}(${args.join(', ')});`,
            once: false,
            textStart: 0,
          },
        });
      }
    }
    if (!sinks.length) throw new NoNetwork('nothing is done in it');
    let same = 0;
    while (sinks.every((s) => same < s.row.length && s.row[same] === sinks[0]!.row[same])) same++;
    const logic = this.part(sinks[0]!.row.slice(0, same));
    const outputs: Output[] = [];
    let last: readonly Atom[] | undefined;
    for (const s of sinks) {
      const own = s.row.slice(same),
        before = outputs.at(-1);
      const isSame = own.length ? last && last.length === own.length && own.every((a, i) => a === last![i]) : !last,
        lists = before?.kind === 'path' && own.length ? before.outputs : outputs,
        joined = lists.at(-1);
      // Assignments that stand beside each other are one action.
      if (isSame && s.output.kind === 'action' && joined?.kind === 'action') {
        const one = { ...joined, text: `${joined.text} ${s.output.text}` };
        if (before?.kind === 'path' && own.length)
          outputs[outputs.length - 1] = { ...before, outputs: [...before.outputs.slice(0, -1), one] };
        else outputs[outputs.length - 1] = one;
        continue;
      }
      if (!own.length) outputs.push(s.output);
      else if (last && before?.kind === 'path' && last.length === own.length && own.every((a, i) => a === last![i]))
        outputs[outputs.length - 1] = { ...before, outputs: [...before.outputs, s.output] };
      else outputs.push({ ...PLACED, kind: 'path', logic: this.part(own)!, outputs: [s.output] });
      last = own.length ? own : undefined;
    }
    const rung: Rung = { ...(logic ? { logic } : {}), outputs };
    // Each block is called once; where the drawing needs it twice, it has no shape of series and legs.
    const calls = nodesOf(rung).flatMap((x) =>
      x.kind === 'call' && this.nodes.some((n) => this.instance(n) === x.name) ? [x.name] : [],
    );
    if (new Set(calls).size !== calls.length)
      throw new NoNetwork('a block stands where branches cross, which is no shape of series and legs');
    const line = printRung(rung);
    if (!parseRungLine(makeSource('', line), new Problems()))
      throw new NoNetwork(`what was read of it is no rung: ${line}`);
    return line;
  }

  /** The statements that a network of blocks does, in the order in which they stand. */
  statements(): string[] {
    return this.nodes.flatMap((n) => {
      const a = n.e.attributes,
        own = (refs: readonly number[]) => this.value(refs);
      if (n.kind === 'DataSink') return [`${a['identifier'] ?? ''} := ${own(n.inputs.get('') ?? [])};`];
      if (n.kind === 'Coil')
        return [`${a['operand'] ?? ''} := ${a['negated'] === 'true' ? 'NOT ' : ''}${own(n.inputs.get('') ?? [])};`];
      const instance = n.kind === 'Block' ? this.instance(n) : undefined;
      if (instance)
        return [
          `${instance}(${[...n.inputs].flatMap(([p, refs]) => (refs.length ? [`${p} := ${this.pin(n, p, refs)}`] : [])).join(', ')});`,
        ];
      if (
        n.kind === 'DataSource' ||
        n.kind === 'Block' ||
        n.kind === 'Contact' ||
        n.kind === 'CompareContact' ||
        /PowerRail$/.test(n.kind)
      )
        return [];
      throw new NoNetwork(`${n.kind} has no place in text`);
    });
  }
}
const isFirstPin = (pin: string): boolean => /^(IN|CU|CLK|S1|S|EN)$/i.test(pin);

/** Contacts and legs as an expression of structured text. */
function textOf(p: Part, at: XmlElement): string {
  if (p.kind === 'series')
    return p.parts.map((x) => (x.kind === 'parallel' ? `(${textOf(x, at)})` : textOf(x, at))).join(' AND ');
  if (p.kind === 'parallel') return p.legs.map((x) => textOf(x, at)).join(' OR ');
  if (isElement(p) && p.kind === 'contact') {
    if (p.mode === 'open') return p.tag;
    if (p.mode === 'closed') return `NOT ${p.tag}`;
    throw new NoNetwork(`the edge of ${p.tag} has no place in an expression`);
  }
  return printPart(p);
}

/** Comment and heading of a rung as they were written out, or as others give them. */
export function rungNotes(e: XmlElement): Pick<RungText, 'comment' | 'heading'> {
  const comments = childrenOf(e, 'CommonObject').flatMap((c) => childOf(c, 'Content')?.text ?? []),
    lines = [documentation(e) ?? '', ...comments].filter(Boolean).join('\n').split('\n');
  const heading = lines[0]?.startsWith('## ') ? lines.shift()!.slice(3) : undefined,
    comment = lines.join('\n').trim();
  return { ...(comment ? { comment } : {}), ...(heading ? { heading } : {}) };
}
