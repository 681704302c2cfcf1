/**
 * Runs an image scan by scan. A scan is a function of memory, inputs and simulated time (architecture.md,
 * engine points 2 to 4): no clock, no randomness, no outside. What a scan needs beside memory — the scan
 * number and the forces — is part of every snapshot.
 *
 * A scan is: machine → inputs, input forces; tasks due by priority; programs without a task; outputs → machine, output
 * forces; mechanical links; machine step. Wires are copied by the host (`runtime/engine.ts`). Forced internal tags are
 * set at the start of the scan and after every program. A press on the panel therefore reaches the logic one scan
 * later, as on a real input card.
 */
import { FAULTS, type FaultKind, HEADER, type Image, type Location, MAX_NESTED } from '../compile/image.js';
import { type Span, placeText } from '../language/source.js';
import { roundUp, sizeOf } from '../types/type.js';
import * as math from '../types/math.js';
import { companionModule } from './companion.js';
import { CARD_PULLED, FORCES_PRESENT, givenTags } from './given.js';
import { textImports } from './text.js';
import { type Value, findPath, formatValue, offValue, readLocation, writeLocation } from './paths.js';

/** A connection between a machine terminal and a tag, or between two terminals. */
export interface Wire {
  readonly from: string;
  readonly to: string;
  readonly kind: 'toTag' | 'toMachine' | 'link';
  /** A BOOL that arrives the other way round: a contact that is closed at rest. */
  readonly negated?: true;
}

export interface Force {
  readonly path: string;
  readonly value: Value;
  /** No force of anybody's: the card that the place lies on is pulled (cards.ts), and this stands for it. */
  readonly by?: 'card';
  /**
   * Of a forced input that nothing feeds, and of a pulled card of inputs: what its terminals give meanwhile, which is
   * there again when the force is released, the card put in.
   */
  readonly under?: Value;
}

export interface Fault {
  readonly kind: FaultKind | 'INTERNAL';
  readonly at?: Span;
  readonly message: string;
  /** From where the block or function it happened in was called, the outermost call first; watched builds only. */
  readonly path: readonly Span[];
  /** Simulated time of the scan it happened in, in ns. */
  readonly timeNs: bigint;
  readonly scan: number;
}

export interface Snapshot {
  readonly scan: number;
  readonly bytes: Uint8Array;
  readonly forces: readonly Force[];
}

interface BoundWire {
  readonly from: Location;
  readonly to: Location;
  readonly size: number;
}
interface BoundForce extends Force {
  under?: Value;
  readonly targets: readonly Location[];
  readonly when: 'input' | 'output' | 'internal';
}

/**
 * What a fault is told from: the header as it stood, and the numbers of the places of the calls that it was inside of.
 */
export interface FaultRecord {
  readonly scan: number;
  readonly header: Uint8Array;
  readonly path: readonly number[];
  /** What the engine beneath said; of faults that have no kind. */ readonly message: string;
}
/** Memory of an engine between two scans, with all that lies behind the state. */
export interface ShownState {
  readonly scan: number;
  readonly memory: Uint8Array;
  readonly forces: readonly Force[];
  readonly fault?: FaultRecord;
}

export interface EngineOptions {
  /** Length of a scan in ns: how far simulated time moves each time. */
  readonly stepNs: bigint;
  readonly wires?: readonly Wire[];
  /** What outputs take while the logic rests (`runIdle`), where that is something else than 0. */
  readonly stops?: readonly Force[];
  /** Loop passes allowed in one scan before the watchdog stops it. */
  readonly watchdog?: number;
  /** The image's code, translated already. */
  readonly module?: WebAssembly.Module;
  /** Notes which bytes of the state change, for `markChanges`. */
  readonly tracks?: boolean;
}

/** Where a scan stands that was stopped in its middle. */
export interface Halt {
  /** Scan finished before the step asked for. */
  readonly done: boolean;
  /** The statement or rung that would run next. */
  readonly at?: Span;
  /** Calls of blocks and functions it is inside of. */
  readonly depth: number;
  /** Which program of the image runs: its number, and that of its task (-1 for none). */
  readonly program: number;
  readonly task: number;
}

/** Where a value lies, to be compared. */
const place = (l: Location): string => `${l.address}.${l.bit ?? ''}`;

/** The clock, the fault record and the edges of event tasks: they change in every scan and are no values. */
const HEADER_BYTES = 64;

export const DEFAULT_WATCHDOG = 10_000_000;

export class Engine {
  readonly memory: Uint8Array;
  readonly view: DataView;
  /** Scans done since the start: the next one is number `scan`, at `scan × stepNs`. */
  scan = 0;
  fault: Fault | undefined;
  readonly stepNs: bigint;
  private readonly exports: Record<string, () => number>;
  private readonly programs: readonly (() => number)[];
  private readonly budget: WebAssembly.Global;
  /** Steps still to be done before the run stops; below zero it never does. */
  private readonly left: WebAssembly.Global;
  private readonly stepAt: WebAssembly.Global;
  private readonly depth: WebAssembly.Global;
  /** Calls that may come back to where they were made from, which the scan is inside of. */
  private readonly nested: WebAssembly.Global;
  /** Where the frame of the next call begins that may come back to where it was made from. */
  private readonly stack: WebAssembly.Global;
  private readonly watchdog: number;
  private readonly outputs: readonly BoundWire[];
  /** Inputs that the machine gives anew in every scan, as `place` says them. */
  private readonly fed: ReadonlySet<string>;
  private readonly companion: Record<'inputs' | 'outputs' | 'links' | 'compare', () => void>;
  /** Where the state of the scan before and the marks lie, when changes are tracked. */
  private readonly tracking: { readonly before: number; readonly marks: number; readonly bytes: number } | undefined;
  /** The program that runs now, and its task. */
  private program = -1;
  private task = -1;
  /** Simulated time of one scan as a number while it is exact. */
  private readonly stepNumber: number;
  private readonly order: readonly number[];
  private forces: BoundForce[] = [];
  private pulled: BoundForce[] = [];
  private readonly stops: readonly { readonly at: Location; readonly value: Value }[];

  constructor(
    readonly image: Image,
    options: EngineOptions,
  ) {
    // Pure functions only, our own so that they are the same everywhere: the module can reach nothing else.
    const text = textImports(() => this.view);
    const instance = new WebAssembly.Instance(options.module ?? new WebAssembly.Module(image.wasm), { math, text });
    const x = instance.exports as Record<string, unknown>;
    const memory = x['memory'] as WebAssembly.Memory;
    if (options.tracks) {
      const bytes = roundUp(image.stateSize - HEADER_BYTES, 32),
        before = roundUp(image.size, 32);
      this.tracking = { bytes, before, marks: before + bytes };
      const missing = before + 2 * bytes + HEADER_BYTES - memory.buffer.byteLength;
      if (missing > 0) memory.grow(Math.ceil(missing / 65536));
    }
    this.memory = new Uint8Array(memory.buffer);
    this.view = new DataView(this.memory.buffer);
    this.exports = x as Record<string, () => number>;
    this.programs = [...image.programs, ...image.blocks].map((_, i) => this.exports[`p${i}`]!);
    this.budget = x['budget'] as WebAssembly.Global;
    this.left = x['left'] as WebAssembly.Global;
    this.stepAt = x['stepAt'] as WebAssembly.Global;
    this.depth = x['depth'] as WebAssembly.Global;
    this.nested = x['nested'] as WebAssembly.Global;
    this.stack = x['stack'] as WebAssembly.Global;
    this.stack.value = image.stack;
    this.stepNs = options.stepNs;
    this.watchdog = options.watchdog ?? DEFAULT_WATCHDOG;
    const bound = (options.wires ?? []).map((w) => ({ w, from: this.locate(w.from), to: this.locate(w.to) }));
    const of = (kind: Wire['kind']) =>
      bound
        .filter((b) => b.w.kind === kind)
        .map((b) => ({
          from: b.from,
          to: b.to,
          size: Math.min(sizeOf(b.from.type), sizeOf(b.to.type)),
          ...(b.w.negated ? { negated: true as const } : {}),
        }));
    this.outputs = of('toMachine');
    const inputs = of('toTag');
    this.fed = new Set(inputs.map((w) => place(w.to)));
    const parts = {
      inputs,
      outputs: this.outputs,
      links: of('link'),
      ...(this.tracking ? { compare: { first: HEADER_BYTES, ...this.tracking } } : {}),
    };
    this.companion = new WebAssembly.Instance(new WebAssembly.Module(companionModule(parts)), { image: { memory } })
      .exports as unknown as Engine['companion'];
    this.stops = (options.stops ?? []).map((s) => ({ at: this.locate(s.path), value: s.value }));
    this.stepNumber = Number(options.stepNs);
    this.order = image.tasks
      .map((_, i) => i)
      .sort((a, b) => image.tasks[a]!.priority - image.tasks[b]!.priority || a - b);
    const given = givenTags(image),
      asked = (path: string) => given.find((g) => g.path === path)?.location.address;
    this.forcesAt = asked(FORCES_PRESENT);
    this.pulledAt = asked(CARD_PULLED);
    this.restart();
  }

  /** Location of a path; throws for one that does not exist, since the caller has checked it. */
  locate(path: string): Location {
    const found = findPath(this.image, path);
    if ('error' in found) throw new Error(found.error);
    return found.location;
  }

  /** Where the program may ask whether something is forced, if it does. */
  private readonly forcesAt: number | undefined;
  private readonly pulledAt: number | undefined;

  /**
   * Restart: cold with the initial values, warm with a state that has retained ones; the machine settles once so that
   * its sensors speak before the first scan.
   */
  restart(start: Uint8Array = this.image.initial): void {
    this.memory.fill(0, 0, this.image.size);
    this.memory.set(start);
    this.scan = 0;
    this.fault = undefined;
    this.forces = [];
    this.pulled = [];
    this.budget.value = this.watchdog;
    this.left.value = -1;
    this.setClock(0);
    if (this.image.machine !== undefined) this.guard(() => this.runMachine());
  }

  /** Simulated time at which the next scan starts, in ns. */
  get timeNs(): bigint {
    return BigInt(this.scan) * this.stepNs;
  }

  read(path: string): Value {
    return readLocation(this.view, this.locate(path));
  }
  /** Writes a path at once. What a forced input is given meanwhile is seen when it is released. */
  write(path: string, value: Value): void {
    const l = this.locate(path);
    if (this.forces.length || this.pulled.length)
      this.beneath((covers) => {
        writeLocation(this.view, l, value);
        for (const f of covers) f.under = readLocation(this.view, f.targets[0]!);
      });
    writeLocation(this.view, l, value);
  }

  listForces(): readonly Force[] {
    return this.forces.map(({ path, value }) => ({ path, value }));
  }
  /** Forces, and what stands for cards that are pulled, as a snapshot has them. */
  allForces(): readonly Force[] {
    return [...this.forces, ...this.pulled].map(({ path, value, by, under }) => ({
      path,
      value,
      ...(by ? { by } : {}),
      ...(under === undefined ? {} : { under }),
    }));
  }
  /** What stands for cards that are pulled; the same list until that changes. */
  get pulledCards(): readonly Force[] {
    return this.pulled;
  }

  /**
   * Forces a path to a value, or releases it; `by` a card that is pulled or put in. Takes effect with the next scan. A
   * released input is what its terminal gives: the machine's with the next scan, else what it was set to. So are those
   * of a card that is put in.
   */
  force(path: string, value: Value | undefined, by?: 'card'): void {
    const k = path.toLowerCase(),
      isIt = (f: BoundForce) => f.path.toLowerCase() === k,
      all = by ? this.pulled : this.forces,
      before = all.find(isIt),
      others = all.filter((f) => !isIt(f)),
      next =
        value === undefined
          ? others
          : [...others, by ? this.bindCard(path, before?.under) : this.bindForce(path, value, before?.under)];
    if (by) this.pulled = next;
    else this.forces = next;
    if (value === undefined && before) this.letGo([before]);
  }
  /** What the terminals give is there again where forces and cards stood that are none any more. */
  private letGo(gone: readonly BoundForce[]): void {
    this.beneath(() => {
      for (const f of gone) if (f.under !== undefined) writeLocation(this.view, f.targets[0]!, f.under);
    });
  }
  /**
   * Does something while memory shows what the terminals give in place of forces and pulled cards; afterwards these
   * show again. A force may lie within another, or on a pulled card: what one holds as the terminals' is so for all.
   */
  private beneath<T>(act: (covers: readonly BoundForce[]) => T): T {
    const { view } = this,
      covers = [...this.pulled, ...this.forces].filter((f) => f.under !== undefined),
      shown = covers.map((f) => readLocation(view, f.targets[0]!));
    for (const f of covers) writeLocation(view, f.targets[0]!, f.under!);
    const result = act(covers);
    for (const [i, f] of covers.entries()) writeLocation(view, f.targets[0]!, shown[i]!);
    return result;
  }
  private terminal(l: Location): Value {
    return this.beneath(() => readLocation(this.view, l));
  }
  /** Forces and pulled cards as a snapshot has them. */
  setForces(forces: readonly Force[]): void {
    this.forces = [];
    this.pulled = [];
    for (const f of forces)
      if (f.by) this.pulled.push(this.bindCard(f.path, f.under));
      else this.forces.push(this.bindForce(f.path, f.value, f.under));
  }
  /** All forces released; a card that is pulled stays so. */
  releaseAll(): void {
    const before = this.forces;
    this.forces = [];
    this.letGo(before);
  }

  /** An output's force is what the machine receives; the logic keeps seeing its own value (product.md 7). */
  private bindForce(path: string, value: Value, under?: Value): BoundForce {
    const l = this.locate(path);
    const fed = this.outputs.filter((w) => place(w.from) === place(l)).map((w) => w.to);
    if (l.section === 'output' && fed.length) return { path, value, targets: fed, when: 'output' };
    if (l.section !== 'input') return { path, value, targets: [l], when: 'internal' };
    return {
      path,
      value,
      targets: [l],
      when: 'input',
      ...(this.fed.has(place(l)) ? {} : { under: under ?? this.terminal(l) }),
    };
  }
  /** A byte of inputs reads 0; what a byte of outputs feeds on the machine gets 0, whatever the logic holds there. */
  private bindCard(path: string, under?: Value): BoundForce {
    const l = this.locate(path),
      lies = (x: Location) => x.address >= l.address && x.address < l.address + sizeOf(l.type);
    return l.section === 'input'
      ? { path, value: 0n, by: 'card', targets: [l], when: 'input', under: under ?? this.terminal(l) }
      : {
          path,
          value: 0n,
          by: 'card',
          targets: this.outputs.filter((w) => lies(w.from)).map((w) => w.to),
          when: 'output',
        };
  }
  /** A force is what the logic sees of an input whatever its card gives; nothing passes a card that is not there. */
  private applyForces(when: BoundForce['when']): void {
    const { view } = this,
      put = () => {
        for (const f of this.pulled)
          if (f.when === when) for (const t of f.targets) writeLocation(view, t, offValue(t.type));
      };
    if (when !== 'output') put();
    for (const f of this.forces) if (f.when === when) for (const t of f.targets) writeLocation(view, t, f.value);
    if (when === 'output') put();
  }

  /** Runs one scan. False when a fault stopped it; `fault` then says where, and memory holds that moment. */
  runScan(): boolean {
    if (this.fault) return false;
    const { image } = this;
    this.setClock(this.stepNumber);
    this.budget.value = this.watchdog;
    if (image.watched) {
      this.memory.fill(0, image.stateSize, image.size);
      this.left.value = -1;
    }
    const ok = this.guard(() => this.scanBody());
    if (ok) this.scan++;
    return ok;
  }

  private scanBody(): void {
    if (this.forcesAt !== undefined) this.view.setUint8(this.forcesAt, this.forces.length ? 1 : 0);
    if (this.pulledAt !== undefined) this.view.setUint8(this.pulledAt, this.pulled.length ? 1 : 0);
    const { image } = this;
    this.companion.inputs();
    const forced = this.forces.length > 0 || this.pulled.length > 0;
    if (forced) {
      this.applyForces('input');
      this.applyForces('internal');
    }
    for (const i of this.order) {
      const t = image.tasks[i]!;
      this.task = i;
      if (this.isDue(i)) for (const p of t.programs) this.runProgram(p, forced);
    }
    this.task = -1;
    for (const p of image.free) this.runProgram(p, forced);
    this.companion.outputs();
    if (forced) this.applyForces('output');
    if (image.machine !== undefined) this.runMachine();
  }

  /**
   * A scan in which the logic rests, as of a controller in stop or after a fault: outputs are off or at their stop
   * values, inputs are read, the machine goes on. What the logic left in memory stays. False when the machine model
   * itself faults.
   */
  runIdle(): boolean {
    const { image, memory } = this,
      { Q } = image.areas;
    this.setClock(this.stepNumber);
    this.budget.value = this.watchdog;
    if (image.watched) {
      memory.fill(0, image.stateSize, image.size);
      this.left.value = -1;
    }
    const ok = this.guard(() => {
      this.companion.inputs();
      this.applyForces('input');
      memory.fill(0, Q.start, Q.start + Q.size);
      for (const s of this.stops) writeLocation(this.view, s.at, s.value);
      this.companion.outputs();
      this.applyForces('output');
      if (image.machine !== undefined) this.runMachine();
    });
    if (ok) this.scan++;
    return ok;
  }

  private runProgram(index: number, forced: boolean): void {
    this.program = index;
    this.programs[index]!();
    if (forced) this.applyForces('internal');
  }

  private runMachine(): void {
    this.companion.links();
    this.program = this.image.machine!;
    this.programs[this.program]!();
  }

  /**
   * cli.md: at time 0, then whenever the interval has elapsed, each task on its own raster; event tasks on a rising
   * edge.
   */
  private isDue(index: number): boolean {
    const t = this.image.tasks[index]!;
    if (t.single !== undefined) {
      const at = 40 + (index % 24);
      const before = this.memory[at]!;
      const now = this.exports[`e${t.single}`]!() !== 0 ? 1 : 0;
      this.memory[at] = now;
      if (t.intervalNs === 0n || now) return now === 1 && before === 0;
    }
    if (t.intervalNs === 0n || t.intervalNs === this.stepNs || this.scan === 0) return true;
    const now = this.timeNs;
    return now / t.intervalNs > (now - this.stepNs) / t.intervalNs;
  }

  /** Value of a check's or rule's expression in the present state. */
  evaluate(expression: number): number {
    return (this.expressions[expression] ??= this.exports[`e${expression}`]!)();
  }
  private readonly expressions: (() => number)[] = [];

  /** The same as its 64 bits, undefined where it has fewer; of an image built `exact`. */
  evaluateExactly(expression: number): bigint | undefined {
    return (this.exports[`w${expression}`] as unknown as (() => bigint) | undefined)?.();
  }

  private setClock(step: number): void {
    const { view } = this;
    if (this.image.watched) this.depth.value = 0;
    this.nested.value = 0;
    this.stack.value = this.image.stack;
    const now = this.scan * this.stepNumber;
    if (now < Number.MAX_SAFE_INTEGER && now >= 0) {
      view.setUint32(HEADER.now, now >>> 0, true);
      view.setUint32(HEADER.now + 4, Math.floor(now / 2 ** 32), true);
    } else view.setBigInt64(HEADER.now, this.timeNs, true);
    view.setBigInt64(HEADER.step, step ? this.stepNs : 0n, true);
    view.setInt32(HEADER.faultKind, 0, true);
  }

  /** Compares the state with what it was when this was called last, and marks what differs. */
  track(): void {
    this.companion.compare();
  }

  /** From here on changes count: the state as it is now is what the next `track` compares with. */
  trackFrom(): void {
    const { memory, tracking } = this;
    if (tracking) memory.copyWithin(tracking.before, HEADER_BYTES, HEADER_BYTES + tracking.bytes);
  }

  /** One bit a byte of the state: whether it changed since this was asked last. Clears the marks. */
  takeMarks(): Uint8Array {
    const { memory, tracking, image } = this;
    const result = new Uint8Array((image.stateSize + 7) >> 3);
    if (!tracking) return result;
    const words = new BigUint64Array(memory.buffer, tracking.marks, tracking.bytes / 8);
    for (let w = 0; w < words.length; w++) {
      if (words[w] === 0n) continue;
      for (let i = 0; i < 8; i++) {
        const at = HEADER_BYTES + 8 * w + i;
        if (memory[tracking.marks + 8 * w + i] && at < image.stateSize) result[at >> 3]! |= 1 << (at & 7);
      }
      words[w] = 0n;
    }
    return result;
  }

  private guard(run: () => void): boolean {
    try {
      run();
      return true;
    } catch (e) {
      if (!(e instanceof WebAssembly.RuntimeError) && !(e instanceof RangeError)) throw e;
      this.fault = this.readFault(e);
      return false;
    }
  }

  /**
   * Where the blocks and functions were called that the scan is inside of, the outermost first; after a stop or a
   * fault.
   */
  callPath(): Span[] {
    const { image } = this;
    if (!image.watched) return [];
    return Array.from(
      { length: this.depth.value as number },
      (_, i) => image.locations[this.view.getInt32(image.callPath + 4 * i, true)],
    ).filter((s) => s !== undefined);
  }

  /**
   * What a fault is told from, for an engine of the same image in another thread (`faultOf`); undefined without one.
   */
  faultRecord(): FaultRecord | undefined {
    return this.fault && this.record;
  }
  private record: FaultRecord | undefined;

  private readFault(e: Error): Fault {
    const { image, memory } = this,
      depth = image.watched ? (this.depth.value as number) : 0;
    this.record = {
      scan: this.scan,
      header: memory.slice(0, HEADER.size),
      path: Array.from({ length: depth }, (_, i) => this.view.getInt32(image.callPath + 4 * i, true)),
      message: e.message,
    };
    return this.faultOf(this.record);
  }

  /** The fault that a record of an engine of the same image is of. */
  faultOf(record: FaultRecord): Fault {
    const view = new DataView(record.header.buffer, record.header.byteOffset, record.header.length),
      { locations } = this.image;
    const kind = FAULTS[view.getInt32(HEADER.faultKind, true)] as FaultKind | '' | undefined;
    const common = {
      timeNs: BigInt(record.scan) * this.stepNs,
      scan: record.scan,
      path: record.path.map((i) => locations[i]).filter((x) => x !== undefined),
    };
    if (!kind) return { ...common, kind: 'INTERNAL', message: `The program stopped: ${record.message}.` };
    const at = locations[view.getInt32(HEADER.faultLocation, true)];
    const bits = view.getBigInt64(HEADER.faultA, true),
      a = view.getBigInt64(HEADER.faultB, true) ? BigInt.asUintN(64, bits) : bits;
    const text = at ? at.source.text.slice(at.start, at.end) : '';
    const message =
      kind === 'INDEX'
        ? `The index '${text}' is ${a}, outside the array.`
        : kind === 'DIVISION'
          ? `Division by zero in '${text}': the number on the left is ${a}.`
          : kind === 'NULL'
            ? `The reference in '${text}' is NULL: it stands for nothing yet.`
            : kind === 'RANGE'
              ? `The value of '${text}' is ${a}, outside the subrange that it is assigned to.`
              : kind === 'DEPTH'
                ? `'${text}' has come back to itself more than ${MAX_NESTED} deep: is the chain of instances closed to a ring?`
                : `A loop ran past the watchdog of ${this.watchdog} passes in one scan.`;
    return { ...common, kind, message, ...(at ? { at } : {}) };
  }

  /**
   * Runs the next scan up to its k-th step (from 1) and stays there: memory shows the middle of the scan.
   * False when the scan has fewer steps; it has then been run to its end. Watched builds only.
   */
  runSteps(k: number): Halt {
    if (!this.image.watched) throw new Error('steps are counted in the watched build only');
    this.setClock(this.stepNumber);
    this.budget.value = this.watchdog;
    this.memory.fill(0, this.image.stateSize, this.image.size);
    this.left.value = k;
    this.stepAt.value = -1;
    try {
      this.scanBody();
      this.scan++;
      return { done: true, depth: 0, program: -1, task: -1 };
    } catch (e) {
      if (!(e instanceof WebAssembly.RuntimeError)) throw e;
      const where = { depth: this.depth.value as number, program: this.program, task: this.task };
      if (this.view.getInt32(HEADER.faultKind, true) === 0 && (this.stepAt.value as number) >= 0) {
        const at = this.image.locations[this.stepAt.value as number];
        return { done: false, ...where, ...(at ? { at } : {}) };
      }
      this.fault = this.readFault(e);
      return { done: true, ...where };
    }
  }

  /** Steps that the scan which starts here has; it has been run then. Watched builds only. */
  countSteps(): number {
    const most = 0x7fffffff;
    this.runSteps(most);
    return most - (this.left.value as number);
  }

  /** Program memory of this moment: the size of the state, nothing else. */
  snapshot(): Snapshot {
    return { scan: this.scan, bytes: this.memory.slice(0, this.image.stateSize), forces: this.allForces() };
  }
  restore(s: Snapshot): void {
    this.memory.set(s.bytes);
    this.memory.fill(0, this.image.stateSize, this.image.size);
    this.scan = s.scan;
    this.fault = undefined;
    this.setForces(s.forces);
  }

  /** Shows what another engine of the same image holds, rungs and fault with it, so that it can be read here. */
  show(s: ShownState): void {
    this.memory.set(s.memory);
    this.scan = s.scan;
    this.setForces(s.forces);
    this.fault = s.fault && this.faultOf(s.fault);
    this.record = s.fault;
  }

  /**
   * How the fault came about, innermost call first: `called in Cell rung 4, in Feed line 12`; empty for one in a
   * program itself.
   */
  faultPath(): string {
    const path = this.fault?.path ?? [];
    return path.length
      ? `called in ${[...path]
          .reverse()
          .map((s) => placeText(s).slice(s.source.name.length + 1))
          .join(', in ')}`
      : '';
  }

  /** `fault: …` as the command line says it. */
  faultLine(): string {
    return this.lineOf(this.fault!);
  }
  /** The same of a record. */
  faultLineOf(record: FaultRecord): string {
    return this.lineOf(this.faultOf(record));
  }
  private lineOf(f: Fault): string {
    const ms = Number(f.timeNs) / 1e6;
    return `fault: ${f.at ? `${placeText(f.at)}: ` : ''}${f.message} (t_ms=${ms})`;
  }

  /** A value as the command line prints it. */
  text(l: Location): string {
    return formatValue(l.type, readLocation(this.view, l));
  }
}
