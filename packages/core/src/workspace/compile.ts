/**
 * The whole front end in order: sources to declarations to the checked program, the lint rules, and images on request.
 *
 * Checking and compiling while somebody types (`Compiler` in `workspace/compile.ts`): a text that did not change is not
 * read again, a program whose declaration is the same object is neither checked nor compiled again. What all programs
 * share (types, tags, blocks) is checked anew when it changes, except that new tags are simply added. A property test
 * holds that following any edits finds the same problems and gives the same state as starting from nothing. A rung
 * that cannot be read is an error like any (`hasErrors`: no download, no verdict), but marked `unfinished`: it is left
 * out and the rest runs (`canRun`), byte for byte as without it. Images made while editing may place probes elsewhere;
 * what is downloaded is always built from nothing.
 */
import type { CheckedProgram } from '../checked/tree.js';
import { type CheckState, checkProject } from '../check/project.js';
import { type Level, lint } from '../check/rules/index.js';
import { BuildCache, build, pathsOf } from '../back/wasm/build.js';
import type { Image } from '../compile/image.js';
import { type Diagnostic, Problems } from '../language/diagnostic.js';
import { Kept } from '../language/kept.js';
import { parseExpressionText, parseFile } from '../language/parser.js';
import { type Source, makeSource } from '../language/source.js';
import type { Declaration, Expression } from '../language/tree.js';
import type { ParsedRung } from '../ladder/parse.js';
import type { Force, Wire } from '../runtime/engine.js';
import { findPath, parseValue } from '../runtime/paths.js';
import { baseOf, sameType, typeText } from '../types/type.js';
import { type Project, MACHINE } from '../document/document.js';
import { type OutsidePoint, outsidePoints, wiresBeside } from './outside.js';
import { projectSources } from './sources.js';

export type InputFile =
  | { readonly kind: 'text'; readonly name: string; readonly text: string }
  | { readonly kind: 'project'; readonly name: string; readonly project: Project };

export interface Compiled {
  readonly diagnostics: readonly Diagnostic[];
  readonly program: CheckedProgram;
  readonly rungs: ReadonlyMap<string, { readonly source: Source; readonly parsed?: ParsedRung }>;
  /** Wires of the machine model that are in effect: none to an input that another program gives. */
  readonly wires: readonly Wire[];
  /** What outputs take in stop and after a fault, where that is something else than off. */
  readonly stops: readonly Force[];
  /** Inputs and outputs that are connected to another program. */
  readonly outside: readonly OutsidePoint[];
  readonly hasErrors: boolean;
  /** Whether it can be built: the only errors are rungs that cannot be read yet, and those are left out. */
  readonly canRun: boolean;
  /** The image; throws unless it can run. */
  build(watched: boolean): Image;
}

export interface CompileOptions {
  /** Expressions of checks and rules, compiled beside the program; each in a source that says where it stands. */
  readonly expressions?: readonly Source[];
}

/** Checks files as one project (cli.md). Nothing throws for what the user wrote. */
export const compile = (files: readonly InputFile[], options: CompileOptions = {}): Compiled =>
  new Compiler().compile(files, options);

/**
 * Checks the same project again and again while it is edited: texts that did not change are not read again, programs
 * that did not change are neither checked nor compiled again. What it finds is what a new one would find.
 */
export class Compiler {
  private readonly kept = new Kept();
  private state: CheckState | undefined;
  private readonly caches = { plain: new BuildCache(), watched: new BuildCache() };
  private used = 0;

  compile(files: readonly InputFile[], options: CompileOptions = {}): Compiled {
    const problems = new Problems();
    const declarations: Declaration[] = [];
    const rungs = new Map<string, { source: Source; parsed?: ParsedRung }>();
    const wires: (Wire & { source: Source })[] = [];
    for (const f of files) {
      if (f.kind === 'text') {
        for (const d of this.kept
          .group('files')
          .get(f.name, f.text, '', problems, (own) => parseFile(makeSource(f.name, f.text), own)))
          declarations.push(d);
        continue;
      }
      const parts = projectSources(f.project, f.name, problems, this.kept);
      for (const d of parts.declarations) declarations.push(d);
      parts.rungs.forEach((v, k) => rungs.set(k, v));
      wires.push(...parts.wires);
    }
    this.kept.turn();
    const expressions = (options.expressions ?? []).map((s): Expression => parseExpressionText(s, problems));
    const { program, state } = checkProject(declarations, problems, expressions, this.state);
    this.state = state;
    const turn = ++this.used;
    // A new compiler builds as if there were nothing before; so does one whose program is no longer the latest.
    const make = (watched: boolean) =>
      build(
        program,
        { watched, machine: MACHINE },
        turn > 1 && turn === this.used ? this.caches[watched ? 'watched' : 'plain'] : undefined,
      );
    if (problems.canRun) checkWires(program, wires, problems);
    const projects = files.flatMap((f) => (f.kind === 'project' ? [f] : [])),
      outside = !problems.canRun ? [] : projects.flatMap((f) => outsideOf(program, f.project, f.name, problems)),
      stops = !problems.canRun ? [] : projects.flatMap((f) => stopsOf(program, f.project, f.name, problems));
    for (const f of projects) conflictsOf(f.project, f.name, problems);
    const levels = Object.assign(
      {},
      ...files.map((f) => (f.kind === 'project' ? f.project.checking : undefined)),
    ) as Readonly<Record<string, Level>>;
    for (const d of lint(program, levels, problems.canRun, wires)) problems.add(d);
    return {
      diagnostics: problems.inOrder(),
      program,
      rungs,
      wires: wiresBeside(wires, outside),
      stops,
      outside,
      hasErrors: problems.hasErrors,
      canRun: problems.canRun,
      build: make,
    };
  }
}

/** Both ends of every wire must exist and hold the same type. */
function checkWires(program: CheckedProgram, wires: readonly (Wire & { source: Source })[], problems: Problems): void {
  if (!wires.length) return;
  const image = pathsOf(program);
  const driven = new Map<string, Wire>();
  for (const w of wires) {
    const at = { source: w.source, start: 0, end: w.source.text.length };
    const from = findPath(image, w.from),
      to = findPath(image, w.to);
    if ('error' in from) problems.error('UNKNOWN_NAME', from.error, at);
    else if ('error' in to) problems.error('UNKNOWN_NAME', to.error, at);
    else if (
      !sameType(from.location.type, to.location.type) ||
      (baseOf(from.location.type) === undefined && w.kind !== 'link')
    ) {
      problems.error(
        'TYPE_MISMATCH',
        `The wire from '${w.from}' (${typeText(from.location.type)}) to '${w.to}' (${typeText(to.location.type)}) joins different types.`,
        at,
      );
    } else if (w.kind === 'toTag') {
      const before = driven.get(w.to.toLowerCase());
      if (before)
        problems.error(
          'WIRED_TWICE',
          `'${w.to}' is wired to '${before.from.slice(MACHINE.length + 1)}' and to '${w.from.slice(MACHINE.length + 1)}'; an input has one source.`,
          at,
        );
      driven.set(w.to.toLowerCase(), w);
    }
  }
}

/** Values that outputs take in stop. Each must be one of the output's type; only outputs have one. */
function stopsOf(program: CheckedProgram, project: Project, name: string, problems: Problems): Force[] {
  const of = project.tags.filter((t) => t.stop !== undefined);
  if (!of.length) return [];
  const image = pathsOf(program);
  return of.flatMap((t) => {
    const text = t.stop!,
      source = makeSource(name, text, { kind: 'tag', id: t.id, name: t.name }),
      at = { source, start: 0, end: text.length },
      found = findPath(image, t.name);
    if ('error' in found || found.location.section !== 'output' || t.standsFor) {
      problems.error(
        'STOP_VALUE',
        `'${t.name}' is no output (AT %Q…), so it has no value at stop; take that away, or give the tag its address.`,
        at,
      );
      return [];
    }
    const v = parseValue(found.location.type, text);
    if ('value' in v) return [{ path: t.name, value: v.value }];
    problems.error('STOP_VALUE', `The value of '${t.name}' at stop: ${v.error}`, at);
    return [];
  });
}

/** What a merge left for somebody to choose: an error where it is, beside which ours runs on at the bench. */
function conflictsOf(project: Project, name: string, problems: Problems): void {
  for (const c of project.conflicts ?? []) {
    const [list, thing, inner, rung] = c.path,
      id = thing?.slice(1),
      tag = list === 'tags' ? project.tags.find((t) => t.id === id) : undefined,
      pou = list === 'pous' ? project.pous.find((p) => p.id === id) : undefined,
      number = pou?.language === 'LD' && inner === 'rungs' ? pou.rungs.findIndex((r) => `#${r.id}` === rung) : -1;
    const source = makeSource(
      name,
      '',
      tag
        ? { kind: 'tag', id: tag.id, name: tag.name }
        : pou && number >= 0
          ? { kind: 'rung', pouId: pou.id, pou: pou.name, rungId: rung!.slice(1), number: number + 1 }
          : pou
            ? { kind: 'pou', id: pou.id, name: pou.name }
            : undefined,
    );
    problems.add({
      severity: 'error',
      code: 'CONFLICT',
      message: `${c.what}: both sides of a merge changed it, each in another way; choose one in Revisions.`,
      at: { source, start: 0, end: 0 },
      unfinished: true,
    });
  }
}

/** What is connected to another program; an item that does not hold is told and left out. */
function outsideOf(
  program: CheckedProgram,
  project: Project,
  name: string,
  problems: Problems,
): readonly OutsidePoint[] {
  if (!project.outside?.isOn) return [];
  return outsidePoints(project, pathsOf(program), (path, message) => {
    const root = path.split(/[.[]/)[0]!.toLowerCase(),
      tag = project.tags.find((t) => t.name.toLowerCase() === root);
    const source = makeSource(name, path, tag && { kind: 'tag', id: tag.id, name: tag.name });
    problems.add({ severity: 'warning', code: 'OUTSIDE', message, at: { source, start: 0, end: path.length } });
  });
}
