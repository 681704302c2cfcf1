/** Checks and rules of a project, parsed and compiled beside its logic: ready to be played. */
import { type Image, scanStep } from '../compile/image.js';
import { type Diagnostic, Problems } from '../language/diagnostic.js';
import { type Source, makeSource } from '../language/source.js';
import { deviceKind } from '../machine/library.js';
import { type Compiled, Compiler } from '../project/compile.js';
import type { Project } from '../project/document.js';
import { MACHINE } from '../project/sources.js';
import type { BenchEvent } from '../runtime/stretch.js';
import { isInteger, isReal } from '../types/type.js';
import { findPath, parseValue } from '../runtime/paths.js';
import { type Condition, type Do, type Expect, type Parsed, type RuleForm, type Span, type When, parseDo, parseExpect, parseRule, parseWhen } from './sentences.js';

/** A condition with the index of its compiled expression. */
export interface Bound { readonly said: string; readonly expression: number }

export interface PlannedEvent { readonly event: BenchEvent; /** For a tap: what lets go, and after how long. */ readonly later?: readonly { readonly span: Span; readonly event: BenchEvent }[] }
export interface PlannedRow {
  readonly id: string;
  readonly when: When;
  readonly once?: Bound;
  readonly actions: readonly PlannedEvent[];
  readonly expects: readonly { readonly said: string; readonly form: Exclude<Expect, { kind: 'keeps' }>; readonly condition: Bound; readonly end?: Bound; /** Of an order or a path: what follows, and where else a path may go. */ readonly then?: readonly Bound[]; readonly detours?: readonly Bound[] }[];
  /** Rules that are to hold as long as the check plays. */
  readonly keeps: readonly { readonly said: string; readonly rule: PlannedRule }[];
}
export interface PlannedCheck { readonly id: string; readonly name: string; readonly rows: readonly PlannedRow[]; readonly problem?: string }
export interface PlannedRule { readonly id: string; readonly name: string; readonly sentence: string; readonly form?: RuleForm; readonly condition?: Bound; readonly trigger?: Bound; readonly problem?: string }

export interface ProofPlan {
  readonly compiled: Compiled;
  /** Undefined when the logic itself has errors. */
  readonly image?: Image;
  readonly checks: readonly PlannedCheck[];
  readonly rules: readonly PlannedRule[];
  /** Problems of the sentences, each in its cell. */
  readonly diagnostics: readonly Diagnostic[];
}

interface Wanted { readonly source: Source; readonly condition: Condition }

/** Parses and compiles everything; a sentence with an error takes only its own check or rule out of the run. */
export function planProof(project: Project, fileName: string, compiler = new Compiler()): ProofPlan {
  const problems = new Problems();
  const wanted: Wanted[] = [];
  const want = (condition: Condition, origin: Source['origin']): number => wanted.push({ condition, source: makeSource(fileName, condition.text, origin) }) - 1;
  const broken = new Map<string, string>();
  const say = (owner: 'check' | 'rule', id: string, name: string, row: number, cell: string) => ({ kind: 'cell' as const, owner, id, name, row, cell });
  const take = <T>(parsed: Parsed<T>, origin: ReturnType<typeof say>, text: string): T | undefined => {
    if ('value' in parsed) return parsed.value;
    const source = makeSource(fileName, text, origin);
    problems.error('SENTENCE', parsed.error, { source, start: 0, end: text.length });
    broken.set(origin.id, parsed.error);
    return undefined;
  };

  const checks = project.checks.map((c) => ({
    id: c.id, name: c.name,
    rows: c.rows.map((r, i) => {
      const when = take(parseWhen(r.when), say('check', c.id, c.name, i + 1, 'when'), r.when ?? '') ?? { kind: 'atOnce' as const };
      return {
        id: r.id, when,
        ...(when.kind === 'once' ? { once: { said: when.condition.said, expression: want(when.condition, say('check', c.id, c.name, i + 1, 'when')) } } : {}),
        does: (r.do ?? []).flatMap((d) => { const x = take(parseDo(d), say('check', c.id, c.name, i + 1, 'do'), d); return x ? [{ text: d, form: x }] : []; }),
        keeps: (r.expect ?? []).flatMap((e) => { const x = parseExpect(e); return 'value' in x && x.value.kind === 'keeps' ? [{ said: e, name: x.value.rule }] : []; }),
        expects: (r.expect ?? []).flatMap((e) => {
          const origin = say('check', c.id, c.name, i + 1, 'expect');
          const form = take(parseExpect(e), origin, e);
          if (form?.kind === 'keeps') return [];
          return form ? [{ said: e, form, condition: { said: form.condition.said, expression: want(form.condition, origin) }, ...(form.kind === 'until' ? { end: { said: form.end.said, expression: want(form.end, origin) } } : {}), ...('then' in form ? { then: form.then.map((c) => ({ said: c.said, expression: want(c, origin) })) } : {}), ...(form.kind === 'path' ? { detours: form.detours.map((c) => ({ said: c.said, expression: want(c, origin) })) } : {}) }] : [];
        }),
      };
    }),
  }));
  const rules = project.rules.map((r) => {
    const origin = say('rule', r.id, r.name, 0, 'sentence');
    const form = take(parseRule(r.sentence), origin, r.sentence);
    return {
      id: r.id, name: r.name, sentence: r.sentence,
      ...(form ? { form, condition: { said: form.condition.said, expression: want(form.condition, origin) } } : {}),
      ...(form?.kind === 'follows' ? { trigger: { said: form.trigger.said, expression: want(form.trigger, origin) } } : {}),
    };
  });

  // First alone: an error in the logic is not the sentences' fault.
  const file = { kind: 'project' as const, name: fileName, project };
  const alone = compiler.compile([file]);
  if (alone.hasErrors) return { compiled: alone, checks: checks.map((c) => ({ id: c.id, name: c.name, rows: [] })), rules, diagnostics: [...problems.list] };
  const beside = compiler.compile([file], { expressions: wanted.map((w) => w.source) });
  for (const d of beside.diagnostics) {
    if (d.at.source.origin.kind !== 'cell' || d.severity !== 'error') continue;
    problems.add(d);
    broken.set(d.at.source.origin.id, d.message);
  }
  // Broken sentences keep their number but stand as TRUE, so that the others can run.
  const compiled = beside.hasErrors ? compiler.compile([file], { expressions: wanted.map((w) => (problems.list.some((p) => p.at.source === w.source) ? { ...w.source, text: 'TRUE' } : w.source)) }) : beside;
  const image = compiled.build(false);
  const plannedRules = rules.map((r): PlannedRule => { const problem = broken.get(r.id); return problem ? { ...r, problem } : r; });
  const ruleNamed = (name: string): Parsed<PlannedRule> => {
    const r = plannedRules.find((x) => x.name.toLowerCase() === name.toLowerCase());
    return !r ? { error: `There is no rule '${name}'.` } : r.problem ? { error: `The rule '${name}' has a problem of its own.` } : { value: r };
  };
  const planned = checks.map((c): PlannedCheck => {
    const rows = c.rows.map((r, i): PlannedRow => ({
      id: r.id, when: r.when, ...(r.once ? { once: r.once } : {}), expects: r.expects,
      keeps: r.keeps.flatMap(({ said, name }) => { const rule = take(ruleNamed(name), say('check', c.id, c.name, i + 1, 'expect'), said); return rule ? [{ said, rule }] : []; }),
      actions: r.does.flatMap((d) => { const a = take(bindAction(project, image, d.form), say('check', c.id, c.name, i + 1, 'do'), d.text); return a ? [a] : []; }),
    }));
    // A check that cannot fail would be counted as one that passed.
    const problem = broken.get(c.id) ?? (c.rows.some((r) => r.expects.length || r.keeps.length || r.once) ? undefined : 'No row expects anything yet, so it would pass whatever the machine does.');
    return { id: c.id, name: c.name, rows, ...(problem ? { problem } : {}) };
  });
  return { compiled, image, checks: planned, rules: plannedRules, diagnostics: [...problems.list] };
}

/** A Do as bench events: devices are worked through their handles. */
export function bindAction(project: Project, image: Image, d: Do): Parsed<PlannedEvent> {
  const write = (path: string, text: string): Parsed<BenchEvent> => {
    const l = findPath(image, path);
    if ('error' in l) return l;
    const v = parseValue(l.location.type, text);
    return 'error' in v ? v : { value: { kind: 'write', path, value: v.value } };
  };
  const handle = (said: string, types: readonly string[]): Parsed<string> => {
    const [device, one] = said.split('.') as [string, string?];
    const found = project.machine.devices.find((x) => x.name.toLowerCase() === device.toLowerCase()), kind = found && deviceKind(found.type);
    if (!found || !kind) return { error: `There is no device '${device}' on the machine.` };
    const fitting = kind.handles.filter((x) => types.includes(x.type));
    const h = one ? fitting.find((x) => x.name.toLowerCase() === one.toLowerCase()) : fitting[0];
    if (h && (one || fitting.length === 1)) return { value: `${MACHINE}.${found.name}.${h.name}` };
    const names = fitting.map((x) => `'${found.name}.${x.name}'`).join(' or ');
    return { error: fitting.length ? `${one ? `'${found.name}' has no '${one}' for that` : `'${found.name}' has several things to work`}; write ${names}.` : `'${device}' is a ${found.type}; it cannot be ${types.includes('number') ? 'given a number' : 'pressed or turned'}.` };
  };
  const wrap = (p: Parsed<BenchEvent>): Parsed<PlannedEvent> => ('error' in p ? p : { value: { event: p.value } });
  switch (d.kind) {
    case 'hold': { const h = handle(d.device, ['press', 'turn', 'latch']); return 'error' in h ? h : wrap(write(h.value, d.on ? '1' : '0')); }
    case 'tap': {
      const h = handle(d.device, ['press']);
      if ('error' in h) return h;
      return { value: { event: { kind: 'write', path: h.value, value: true }, later: [{ span: d.span, event: { kind: 'write', path: h.value, value: false } }] } };
    }
    case 'enter': { const h = handle(d.device, ['number']); return 'error' in h ? h : wrap(write(h.value, d.value)); }
    case 'upset': {
      const found = project.machine.devices.find((x) => x.name.toLowerCase() === d.device.toLowerCase());
      const u = found && deviceKind(found.type)?.upsets.find((x) => x.name.toLowerCase() === d.upset.toLowerCase());
      return u ? wrap(write(`${MACHINE}.${found.name}.${u.name}`, d.on ? '1' : '0')) : { error: `There is no upset '${d.device}.${d.upset}'.` };
    }
    case 'ramp': {
      const l = findPath(image, d.path);
      if ('error' in l) return l;
      if (!isReal(l.location.type) && !isInteger(l.location.type)) return { error: `'${d.path}' is no number; only a number can go from one value to another.` };
      const stepNs = scanStep(image), scans = Math.max(1, 'scans' in d.span ? d.span.scans : Number(d.span.ns / stepNs));
      if (scans > 100_000) return { error: 'A ramp of more than 100,000 scans is too long.' };
      const at = (n: number): BenchEvent => { const v = d.from + ((d.to - d.from) * n) / scans; return { kind: d.forced ? 'force' : 'write', path: d.path, value: isReal(l.location.type) ? v : BigInt(Math.round(v)) }; };
      return { value: { event: at(0), later: Array.from({ length: scans }, (_, n) => ({ span: { scans: n + 1 }, event: at(n + 1) })) } };
    }
    case 'set': return wrap(write(d.path, d.value));
    case 'force': { const w = write(d.path, d.value); return 'error' in w || w.value.kind !== 'write' ? (w as Parsed<PlannedEvent>) : { value: { event: { ...w.value, kind: 'force' } } }; }
    case 'release': { const l = findPath(image, d.path); return 'error' in l ? l : { value: { event: { kind: 'force', path: d.path } } }; }
  }
}
