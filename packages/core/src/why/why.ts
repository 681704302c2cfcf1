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
import { kindOf } from '../wiring/kinds.js';
import { MACHINE } from '../document/document.js';
import { pulledTags } from '../runtime/cards.js';
import { type Change } from '../runtime/past.js';
import { findPath } from '../runtime/paths.js';
import { isBool } from '../types/type.js';
import { scanText, turnedBy } from './block-state.js';
import { type Writer } from './writers.js';
import { type WhyLink, type WhyAnswer, type WhySource, type Reason, lastOf, whereOf, placeOf } from './answer.js';
import { Look } from './look.js';
import { Elements } from './elements.js';
import { Reasons } from './reasons.js';
import { Blocking } from './blocking.js';

const MOST_LINKS = 12;

/** The answer for a path after a scan; `error` when there is nothing to answer. */
export function why(source: WhySource, path: string, scan: number): WhyAnswer | { readonly error: string } {
  return new Chain(source).answer(path, scan);
}

/** The chain of causes of one value, link by link. */
class Chain {
  private readonly look: Look;
  private readonly elements: Elements;
  private readonly reasons: Reasons;
  private readonly blocking: Blocking;

  private readonly seen = new Set<string>();
  private readonly links: WhyLink[] = [];

  constructor(private readonly source: WhySource) {
    this.look = new Look(source);
    this.elements = new Elements(this.look);
    this.reasons = new Reasons(this.look, this.elements);
    this.blocking = new Blocking(this.look, this.elements);
  }

  answer(path: string, scan: number): WhyAnswer | { readonly error: string } {
    const at = Math.max(this.look.past.start, Math.min(scan, this.look.past.end));
    const found = findPath(this.look.past.imageAt(at), path);
    if ('error' in found) return { error: found.error };
    if (!this.look.compiledAt(at)) return { error: 'The logic that ran this scan is no longer known.' };
    const value = this.look.valueAt(path, at),
      type = found.location.type;
    if (value === undefined || type.kind === 'block' || type.kind === 'struct' || type.kind === 'array')
      return { error: `'${path}' has no value of its own; ask about one of its members.` };
    this.explain(path, at);
    const blocks = isBool(type) && value === false ? this.blocking.blocks(path, at) : [];
    return {
      path,
      scan: at,
      title: isBool(type)
        ? `Why is ${path} ${value ? 'on' : 'off'}?`
        : `Why is ${path} ${this.look.text(type, value)}?`,
      links: this.links,
      blocks,
      writers: this.blocking.writers(path, at),
    };
  }

  private push(link: WhyLink): void {
    this.links.push(link);
  }

  /** The chain of causes of a value as it is after a scan. */
  private explain(path: string, scan: number): void {
    const key = `${path.toLowerCase()} ${scan}`;
    if (this.links.length >= MOST_LINKS || this.seen.has(key) || scan < this.look.past.start) return;
    this.seen.add(key);
    const type = this.look.typeOf(path, scan);
    const { pulledCards, image } = this.look.past.engineAt(scan);
    const forced = this.look.past
      .engineAt(scan)
      .listForces()
      .find((f) => sameName(f.path, path));
    if (forced && type) {
      const since = this.look.past.lastEvent(
        scan,
        (e) => e.kind === 'force' && sameName(e.path, path) && e.value !== undefined,
      );
      this.push({
        sentence: `${path} is forced to ${this.look.text(type, forced.value)}${since === undefined ? '' : ` since ${scanText(since + 1)}`}.`,
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
      const since = this.look.past.lastEvent(
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
    const c = this.look.past.lastChange(path, scan);
    if (!c) {
      this.never(path, scan);
      return;
    }
    if (c.byChange) {
      this.push({
        sentence: c.isNew
          ? `${path} has been ${type && isBool(type) ? (c.after ? 'on' : 'off') : this.look.shownAt(path, c.scan + 1, c.after)} since it was added to the logic in ${scanText(c.scan)}.`
          : `${this.look.happened(path, c)}: the logic was changed there.`,
        path,
        scan: c.scan,
        marks: [],
        isRoot: true,
      });
      return;
    }
    const event = this.look.past.eventsBefore(c.scan).find((e) => e.kind === 'write' && sameName(e.path, path));
    // What was written by hand before the scan is gone where the logic wrote in it.
    if (event && !this.look.written(path, c.scan).some((w) => w.wrote)) {
      this.byHand(path, c);
      return;
    }
    const wire = this.look.wireTo(path, c.scan);
    if (wire) {
      const d = this.look.device(wire.from);
      this.push({
        sentence: `${this.look.happened(path, c)}: ${d ? `${d.label ?? d.name} on the machine` : wire.from} gave it${wire.negated ? ', by a contact that is closed at rest' : ''}.`,
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
    const type = this.look.typeOf(path, scan),
      value = this.look.valueAt(path, scan);
    if (!type || value === undefined) return;
    const machine = sameName(path.split('.')[0]!, MACHINE);
    const d = machine ? this.look.device(path) : undefined;
    const wire = this.look.wireTo(path, scan),
      from = wire && sameName(wire.from.split('.')[0]!, MACHINE) ? this.look.device(wire.from) : undefined;
    this.push({
      sentence: `${machine && d ? `${d.label ?? d.name}: ${path.split('.').slice(2).join('.')}` : path} has been ${isBool(type) ? (value ? 'on' : 'off') : this.look.text(type, value)} since the start${from ? `; ${from.label ?? from.name} on the machine gives it` : ''}.`,
      path,
      scan: this.look.past.start,
      marks: [],
      isRoot: true,
      ...(d ? { place: { kind: 'device', id: d.id } as const } : {}),
    });
  }

  private byHand(path: string, c: Change): void {
    const d = sameName(path.split('.')[0]!, MACHINE) ? this.look.device(path) : undefined;
    const member = path.split('.').slice(2).join('.');
    const kind = d && kindOf(this.source.project.machine, d.type);
    const handle = kind?.handles.find((h) => sameName(h.name, member)),
      upset = kind?.upsets.find((u) => sameName(u.name, member));
    const type = this.look.typeOf(path, c.scan)!;
    const done = handle
      ? `${d!.label ?? d!.name} was ${{ press: c.after ? 'pressed' : 'let go', turn: c.after ? 'turned right' : 'turned left', way: `turned to the ${Number(c.after) < 0 ? 'left' : Number(c.after) > 0 ? 'right' : 'middle'}`, latch: c.after ? 'struck' : 'unlatched', number: `set to ${this.look.text(type, c.after)}`, place: `put to place ${this.look.text(type, c.after)}` }[handle.type]}`
      : upset
        ? `The upset ‘${upset.name}’ of ${d!.label ?? d!.name} was ${c.after ? 'made' : 'cleared'}`
        : `${this.look.text(type, c.after)} was written to ${path}`;
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
    const d = this.look.device(path),
      kind = d && kindOf(this.source.project.machine, d.type);
    if (!d || !kind) return;
    const told = [...kind.terminals.filter((t) => t.direction === 'in'), ...kind.handles, ...kind.upsets]
      .map((t) => `${MACHINE}.${d.name}.${t.name}`)
      .filter((p) => !sameName(p, path));
    const last = told
      .flatMap((p) => {
        const change = this.look.past.lastChange(p, c.scan);
        return change ? [{ p, change }] : [];
      })
      .sort((a, b) => b.change.scan - a.change.scan)[0];
    const terminal = path.split('.').slice(2).join('.');
    const type = this.look.typeOf(path, c.scan);
    const name = d.label ?? d.name;
    const did =
      type && isBool(type)
        ? `${name}: ${terminal} ${c.after ? 'closed' : 'opened'} in ${scanText(c.scan)}`
        : `${name}: ${terminal} became ${type ? this.look.text(type, c.after) : String(c.after)} in ${scanText(c.scan)}`;
    const ago = last ? ((c.scan - last.change.scan) * Number(this.look.past.engineAt(c.scan).stepNs)) / 1e9 : 0;
    const isHand =
      last && this.look.past.eventsBefore(last.change.scan).some((e) => e.kind === 'write' && sameName(e.path, last.p));
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
    const wire = this.look.wireTo(last.p, last.change.scan);
    // A terminal of the machine shows what the logic put out in the same scan.
    if (wire) this.explain(wire.from, last.change.scan);
  }

  private byLogic(path: string, c: Change): void {
    const library = this.look.libraryBlock(path, c.scan);
    if (library) {
      this.byBlock(path, library, c.scan, this.look.happened(path, c));
      return;
    }
    const input = this.look.pinOfCall(path, c.scan);
    if (input) {
      const r = this.reasons.valueReason(input.writer, input.root, input.value, c.scan);
      this.link(path, c, input.writer, r);
      return;
    }
    const found = this.look.writerOf(path, c.scan);
    if (!found) {
      this.push({ sentence: `${this.look.happened(path, c)}.`, path, scan: c.scan, marks: [], isRoot: true });
      return;
    }
    this.link(path, c, found.writer, this.reasons.writerReason(found.writer, found.root, path, c));
  }

  private link(path: string, c: Change, w: Writer, r: Reason): void {
    this.push({
      sentence: `${this.look.happened(path, c)}: ${whereOf(w)}${r.words ? `, ${r.words}` : ''}.`,
      path,
      scan: c.scan,
      where: whereOf(w),
      ...placeOf(w),
      marks: r.marks,
      ...(r.next ? {} : { isRoot: true }),
    });
    if (r.next) this.explain(r.next.path, r.next.scan);
  }

  /** An output of a timer, counter or another library block: how it stands, and the input that moved it last. */
  private byBlock(
    path: string,
    b: { instance: string; type: string; member: string },
    scan: number,
    happened: string,
  ): void {
    const type = this.look.typeOf(b.instance, scan);
    if (type?.kind !== 'block') return;
    const index = this.look.indexAt(scan),
      call = index?.callsOf(b.instance)[0];
    const inputs = type.layout.members.filter((m) => m.section === 'input').map((m) => `${b.instance}.${m.name}`);
    const turns = turnedBy(b.type, this.look.valueAt(path, scan) === true)?.map((m) => `${b.instance}.${m}`);
    const next = this.look.latest(turns ?? inputs.filter((p) => !/\.(PT|PV)$/i.test(p)), scan);
    this.push({
      sentence: `${happened}: ${this.elements.blockState({ ...b, out: b.member, name: lastOf(b.instance) }, scan)}.`,
      path,
      scan,
      marks: [],
      ...(call ? { ...placeOf(call.writer), where: whereOf(call.writer) } : {}),
      ...(next ? {} : { isRoot: true }),
    });
    if (next) this.explain(next.path, next.scan);
  }
}
