/** What the scope is shown: the courses of what it looks at, filled in a little at a time. */
import { type Course, OUTSIDE_LOST } from '@ferrule/core/bench';
import type { Loaded } from './loaded.js';
import type { FromBench, ScopeView } from './protocol.js';

/** Scans replayed for the scope at a time; the rest comes with the next frames. */
const REPLAY = 12_000;

export class ScopeFeed {
  /** What is shown may differ from what was sent last. */
  isDue = false;
  private view: ScopeView = { paths: [], span: 800, pixels: 800 };

  constructor(
    private readonly loaded: Loaded,
    private readonly post: (m: FromBench) => void,
  ) {}

  /** Records what is looked at, and the steps, from now on: another program, or another history. */
  bind(): void {
    const traces = this.loaded.history?.traces;
    for (const p of [...this.view.paths, ...this.loaded.timed]) traces?.follow(p);
    if (this.outsideInputs().length) traces?.follow(OUTSIDE_LOST);
    this.isDue = true;
  }

  look(next: ScopeView): void {
    const { timed, history } = this.loaded;
    for (const p of this.view.paths)
      if (!next.paths.includes(p) && p !== OUTSIDE_LOST && !timed.has(p.toLowerCase())) history?.traces.forget(p);
    this.view = next;
    this.bind();
  }

  /** Paths of inputs that come from another program, in lower case. */
  private outsideInputs(): readonly string[] {
    return (this.loaded.latest?.compiled.outside ?? []).flatMap((p) => (p.isInput ? [p.path.toLowerCase()] : []));
  }
  /** Whole numbers that hold steps are a ribbon with their names, like an enumeration. */
  private asSteps(c: Course): Course {
    const names = this.loaded.numbered.get(c.path.toLowerCase());
    return names ? { ...c, kind: 'ribbon', names } : c;
  }

  /** Sends the courses of the window looked at; is due again where they could not be told whole. */
  send(): void {
    const h = this.loaded.history;
    if (!h) return;
    const { view } = this,
      { span } = view;
    const to =
      view.from !== undefined
        ? view.from + span
        : h.now < Math.max(h.end, span) - span
          ? Math.max(0, h.now - span * 0.1) + span
          : Math.max(h.end, span);
    const from = to - span;
    const given = this.outsideInputs(),
      shown = view.paths.filter((p) => given.includes(p.toLowerCase())),
      asked = shown.length ? [...view.paths, OUTSIDE_LOST] : view.paths;
    const mine = h.traces.courses(asked, Math.max(h.start, from), Math.min(h.end, to), view.pixels, REPLAY);
    const theirs =
      view.other === undefined
        ? undefined
        : h.traces.courses(view.paths, Math.max(0, from), to, view.pixels, REPLAY, view.other);
    this.isDue = !mine.complete || theirs?.complete === false;
    this.post({
      kind: 'scope',
      scope: {
        from,
        to,
        paths: view.paths,
        courses: mine.courses.slice(0, view.paths.length).map((c) => this.asSteps(c)),
        ...(shown.length ? { away: { course: mine.courses.at(-1)!, paths: shown } } : {}),
        complete: !this.isDue,
        ...(theirs ? { others: theirs.courses.map((c) => this.asSteps(c)) } : {}),
      },
    });
  }
}
