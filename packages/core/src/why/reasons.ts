/** What made a value so in the scan in which it changed: which element, guard or operand came last. */
import { sameName } from '../language/words.js';
import { type Checked } from '../checked/tree.js';
import { type Engine } from '../runtime/engine.js';
import { type Change } from '../runtime/past.js';
import { type Value } from '../runtime/paths.js';
import { type Root, decidingParts, evaluate, pathOf, readsOf } from './evaluate.js';
import { decided, wirePower } from './power.js';
import { type Writer } from './writers.js';
import { type WhyMark, type Reason, isPlain, spanText, path0 } from './answer.js';
import { Look } from './look.js';
import { Elements } from './elements.js';

export class Reasons {
  constructor(
    private readonly look: Look,
    private readonly elements: Elements,
  ) {}

  /** Why a statement ran and gave what it gave. */
  writerReason(w: Writer, root: Root, path: string, c: Change): Reason {
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
        const wire = this.elements.sinkWire(w);
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
    this.look.past.walkScan(scan, (halt, engine) => {
      if (halt.at?.source !== w.statement.at.source || halt.at.start !== w.statement.at.start) return false;
      look(engine);
      return true;
    });
    return found
      .filter((f) => f.reads.length)
      .map(({ part, isGuard, was, reads }) => {
        const since = was === undefined ? undefined : this.elements.sinceCondition(part, root, scan, was);
        const next = this.look.latest(reads, since || scan, path0(w, root));
        const words = !isGuard
          ? `from ${spanText(part.at)}`
          : was === false
            ? `when ${isPlain(part) ? `${spanText(part.at)} was off` : `${spanText(part.at)} did not hold`}`
            : `when ${spanText(part.at)}${isPlain(part) && was === true ? ' was on' : ''}`;
        return { words, since: since ?? next?.scan ?? 0, marks: [], ...(next ? { next } : {}) };
      });
  }

  private expressionReason(e: Checked, root: Root, scan: number, isGuard: boolean): Reason {
    const engine = this.look.past.engineAt(scan),
      reads = decidingParts(e, root, engine).flatMap((p) => readsOf(p, root, engine));
    const next = this.look.latest(reads, scan);
    return {
      words: `${isGuard ? 'when' : 'from'} ${spanText(e.at)}`,
      since: next?.scan ?? 0,
      marks: [],
      ...(next ? { next } : {}),
    };
  }

  /** Why a value handed over was what it was: power of a rung, or an expression. */
  valueReason(w: Writer, root: Root, value: Checked, scan: number): Reason {
    return w.rung && value.kind === 'power'
      ? this.wireReason(w, root, value.wire, scan)
      : this.expressionReason(value, root, scan, false);
  }

  /** Why a wire of a rung had power, or none. */
  private wireReason(w: Writer, root: Root, wire: number, scan: number): Reason {
    const s = this.elements.rungState(w, root, scan);
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
    const words = `when ${this.elements.elementHappened(w, root, s, d.cause, scan)}${
      isOn && held.length
        ? `, with ${held
            .slice(0, 4)
            .map((e) => this.elements.elementState(w, root, s, e, scan))
            .join(', ')}${held.length > 4 ? ` and ${held.length - 4} more` : ''}`
        : ''
    }`;
    const next = this.elements.elementPath(w, root, d.cause, scan, d.since);
    return { words, since: Math.max(d.since, 0), marks, ...(next ? { next } : {}) };
  }
}
