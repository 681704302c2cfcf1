/**
 * What the bench has been given and runs: the project, what was checked of it, its image and its history. Conditions
 * that somebody types are compiled beside the program; the image is exchanged then, state and time line stay.
 */
import { type Engine, History, type Image, type StepTag, stepTags } from '@ferrule/core/bench';
import { type Diagnostic, elementAt, placeText } from '@ferrule/core/language';
import { type Project, deltaOf, patched, sharing } from '@ferrule/core/document';
import { type Compiled, Compiler, factsOf, instancesOf, rungInstances, usesOf } from '@ferrule/core/workspace';
import { planProof } from '@ferrule/core/verify';
import type { Latest } from './answers.js';
import { compileConditions } from './conditions.js';
import type { Checked, FromBench, ProblemNote, ToBench } from './protocol.js';
import { sameLogic } from './same-logic.js';

/** What the conditions of the moment are, and who hears which of them could not be compiled, and why. */
export interface Wishes {
  conditions(): readonly string[];
  problems(of: ReadonlyMap<string, string>): void;
}

/** Tags of steps that are kept unasked. */
const MOST_TIMED = 24;

export class Loaded {
  history: History | undefined;
  image: Image | undefined;
  latest: Latest | undefined;
  /** Counts the programs taken, so that a page knows whose state is shown. */
  generation = 0;
  /**
   * Tags of steps, and what Timing looked at: kept from the first scan on, so that a day of them is told at once. In
   * lower case.
   */
  readonly timed = new Set<string>();
  /** Whole numbers that hold steps, with the names of their values. By lower-case path. */
  numbered: ReadonlyMap<string, StepTag['names']> = new Map();
  private compiler = new Compiler();
  private conditions: ReadonlyMap<string, number> = new Map();
  /** Texts that could not be compiled with the logic of now. */
  private unknown: ReadonlySet<string> = new Set();
  /** The program and project each image was built from. */
  private readonly sources = new WeakMap<Image, { readonly compiled: Compiled; readonly project: Project }>();
  /** The project last told: what changed is told on top of it. */
  private handed: Project | undefined;
  /** What was checked as the page has it: much of it grows with the project, and little changes at a time. */
  private told: Checked | undefined;

  constructor(
    private readonly post: (m: FromBench) => void,
    private readonly wishes: Wishes,
  ) {}

  /** Simulated time of a scan. */
  get scanMs(): number {
    return Number(this.history!.engine.stepNs) / 1e6;
  }
  /** What the program of an image was made from. */
  sourceOf(image: Image): { readonly compiled: Compiled; readonly project: Project } | undefined {
    return this.sources.get(image);
  }
  /** Whether a condition could be compiled with the logic of now. */
  knows(text: string): boolean {
    return this.conditions.has(text);
  }
  /** Whether a condition holds where an engine stands; false where other logic runs there. */
  readonly holds = (text: string, e: Engine): boolean => {
    const n = this.conditions.get(text);
    return n !== undefined && e.image === this.image && e.evaluate(n) !== 0;
  };

  /** Takes a project, or what changed of the one before, and tells what was found in it. */
  take(m: Extract<ToBench, { kind: 'project' }>): void {
    const since = performance.now(),
      { fresh } = m,
      project = (this.handed = fresh ? m.project : (patched(this.handed, m.delta) as Project));
    if (fresh) {
      this.compiler = new Compiler();
      this.conditions = new Map();
    }
    const compiled = this.compiler.compile([{ kind: 'project', name: project.name, project }]);
    this.latest = {
      project,
      compiled,
      image: undefined,
      diagnostics: [],
      history: this.history,
      sources: (i) => this.sources.get(i),
      check: (other) => this.check(other),
      holds: this.holds,
      timed: (path) => {
        this.timed.add(path.toLowerCase());
        this.history?.traces.follow(path);
      },
      generation: () => this.generation,
    };
    let lost: readonly string[] = [];
    if (compiled.canRun) lost = this.run(project, compiled, fresh);
    else if (fresh) {
      this.history = undefined;
      this.image = undefined;
      this.latest.history = undefined;
    }
    const next = sharing(this.told, this.describe(project, compiled, lost, performance.now() - since));
    this.post({ kind: 'checked', delta: deltaOf(this.told, next) });
    this.told = next;
  }

  /** The logic runs on as it is now. Returns the names of what lost its value. */
  private run(project: Project, compiled: Compiled, fresh: boolean): readonly string[] {
    const next = this.withConditions(project, compiled),
      known = this.image && this.sources.get(this.image);
    const isSame =
      !fresh &&
      known !== undefined &&
      this.history !== undefined &&
      sameLogic(known.project, project) &&
      [...this.image!.symbols.keys()].join() === [...next.symbols.keys()].join();
    if (isSame && this.conditions.size) this.history!.swapImage(next);
    if (!isSame || this.conditions.size) this.image = next;
    const image = this.image!;
    this.sources.set(image, { compiled, project });
    this.latest!.image = image;
    const intervals = next.tasks.map((t) => t.intervalNs).filter((n) => n > 0n);
    const options = {
      stepNs: intervals.length ? intervals.reduce((a, b) => (b < a ? b : a)) : 10_000_000n,
      wires: compiled.wires,
    };
    let lost: readonly string[] = [];
    // A comment or a watch list is no change of the program: the time line goes on as it was.
    if (!isSame) {
      if (this.history && !fresh && this.history.engine.stepNs === options.stepNs)
        lost = this.history.replaceImage(next, options).lost;
      else this.history = new History(next, options);
      this.generation++;
    } else if (fresh) this.generation++;
    this.latest!.history = this.history;
    if (fresh) this.timed.clear();
    const found = stepTags(project, image);
    for (const t of found.slice(0, MOST_TIMED)) this.timed.add(t.path.toLowerCase());
    // The scope shows one without names as the number that it is.
    this.numbered = new Map(
      found
        .filter((t) => t.isNumber && (t.sequence !== undefined || Object.keys(t.names).length))
        .map((t) => [t.path.toLowerCase(), t.names] as const),
    );
    return lost;
  }

  /** Problems of the project with a change that nobody has made yet. */
  private check(other: Project): readonly Diagnostic[] {
    const { diagnostics } = this.compiler.compile([{ kind: 'project', name: other.name, project: other }]);
    const project = this.latest?.project;
    if (project) this.compiler.compile([{ kind: 'project', name: project.name, project }]);
    return diagnostics;
  }

  /** The program's image, with the conditions of the moment beside it. */
  private withConditions(project: Project, compiled: Compiled): Image {
    const texts = this.wishes.conditions();
    if (!texts.length) {
      this.conditions = new Map();
      this.wishes.problems(new Map());
      return compiled.build(true);
    }
    const c = compileConditions(this.compiler, project, texts);
    this.conditions = c.numbers;
    this.unknown = new Set(c.problems.keys());
    this.wishes.problems(c.problems);
    return c.compiled.build(true);
  }

  /** Other conditions, the same program. */
  newConditions(): void {
    const { history, image, latest } = this;
    if (
      !history ||
      !image ||
      !latest ||
      !latest.compiled.canRun ||
      [...new Set(this.wishes.conditions())].every((t) => this.conditions.has(t) || this.unknown.has(t))
    )
      return;
    const known = this.sources.get(image)!,
      next = this.withConditions(known.project, known.compiled);
    this.sources.set(next, known);
    this.image = next;
    latest.image = next;
    history.swapImage(next);
  }

  /** Names and types of what is there, who uses it, and every problem, for the page. */
  private describe(project: Project, compiled: Compiled, lost: readonly string[], checkMs: number): Checked {
    const sentences: readonly Diagnostic[] =
      !compiled.canRun || !(project.checks.length || project.rules.length)
        ? []
        : planProof(project, project.name, this.compiler).diagnostics;
    this.latest!.diagnostics = [...compiled.diagnostics, ...sentences];
    const problems = this.latest!.diagnostics.map((d): ProblemNote => {
      const element = elementAt(d.at.source, d.at.start);
      return {
        severity: d.severity,
        code: d.code,
        message:
          d.unfinished && d.code !== 'CONFLICT' ? `Unfinished rung, left out of the run. ${d.message}` : d.message,
        origin: d.at.source.origin,
        start: d.at.start,
        end: d.at.end,
        place: placeText(d.at).slice(d.at.source.name.length + 1),
        ...(element ? { element: element - 1 } : {}),
      };
    });
    const tags = factsOf(compiled.program.globals);
    const locals = Object.fromEntries(
      project.pous.flatMap((p) => {
        const own = compiled.program.pous.find((x) => x.name.toLowerCase() === p.name.toLowerCase());
        if (!own) return [];
        const root = compiled.program.instances.find((i) => i.pou === own)?.name ?? instancesOf(compiled, own.name)[0];
        return [
          [
            p.name.toLowerCase(),
            { ...(root ? { root } : {}), variables: factsOf(own.variables.filter((v) => v.section !== 'hidden')) },
          ],
        ];
      }),
    );
    return {
      problems,
      uses: Object.fromEntries(usesOf(project, compiled)),
      tags,
      locals,
      instances: rungInstances(compiled),
      taken: compiled.canRun,
      runs: this.history !== undefined,
      lost,
      checkMs,
    };
  }
}
