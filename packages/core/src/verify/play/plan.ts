/** Checks and rules of a project, parsed and compiled beside its logic: ready to be played. */
import { type Image, scanStep } from '../../compile/image.js';
import { type Diagnostic, Problems } from '../../language/diagnostic.js';
import { type Source, makeSource } from '../../language/source.js';
import { kindOf } from '../../wiring/kinds.js';
import { type Compiled, Compiler } from '../../workspace/compile.js';
import { type InterlockRule, type Project, MACHINE } from '../../document/document.js';
import type { BenchEvent } from '../../runtime/stretch.js';
import { isInteger, isReal } from '../../types/type.js';
import { findPath, parseValue } from '../../runtime/paths.js';
import { stepName, stepTagOf } from '../../document/step-names.js';
import { readValueNames, valueNamed } from '../../timing/tracks.js';
import { Earlier, asksEarlier } from './earlier.js';
import { type RunRow, checkRuns } from '../../document/check-rows.js';
import {
  type Condition,
  type Do,
  type Expect,
  NEVER_FAULTS,
  type Parsed,
  type RuleForm,
  type Span,
  type When,
  parseDo,
  parseExpect,
  parseRule,
  cycleHome,
  parseWhen,
} from '../../sentences/sentences.js';

/** A condition with the index of its compiled expression. */
export interface Bound {
  readonly said: string;
  readonly expression: number;
}

export interface PlannedEvent {
  readonly event: BenchEvent;
  /** For a tap: what lets go, and after how long. */ readonly later?: readonly {
    readonly span: Span;
    readonly event: BenchEvent;
  }[];
}
export interface PlannedRow {
  readonly id: string;
  /** Counted from 1 in the check it stands in, and that check's name where it is the beginning of another. */
  readonly number: number;
  readonly of?: string;
  readonly when: When;
  readonly once?: Bound;
  readonly actions: readonly PlannedEvent[];
  readonly expects: readonly {
    readonly said: string;
    readonly form: Exclude<Expect, { kind: 'keeps' }>;
    readonly condition: Bound;
    readonly end?: Bound;
    /** Of an order or a path: what follows, and where else a path may go. */ readonly then?: readonly Bound[];
    readonly detours?: readonly Bound[];
  }[];
  /** Rules that are to hold as long as the check plays. */
  readonly keeps: readonly { readonly said: string; readonly rule: PlannedRule }[];
}
export interface PlannedCheck {
  readonly id: string;
  /** Which row of its table, from 0. */ readonly run?: number;
  readonly name: string;
  /** The name without the values of its table. */ readonly base: string;
  readonly rows: readonly PlannedRow[];
  readonly problem?: string;
}
export interface PlannedRule {
  readonly id: string;
  readonly name: string;
  readonly sentence: string;
  readonly form?: RuleForm;
  readonly condition?: Bound;
  readonly trigger?: Bound;
  readonly problem?: string;
}

export interface ProofPlan {
  readonly compiled: Compiled;
  /** Undefined when the logic itself has errors. */
  readonly image?: Image;
  readonly checks: readonly PlannedCheck[];
  readonly rules: readonly PlannedRule[];
  /** Problems of the sentences, each in its cell. */
  readonly diagnostics: readonly Diagnostic[];
}

interface Wanted {
  readonly source: Source;
  readonly condition: Condition;
  /** The run of a check or the rule that wants it. */ readonly by: string;
}

/** The rules that are written down, and that nothing faults, which holds of every project. */
export const rulesOf = (project: Project): readonly InterlockRule[] =>
  project.rules.some((r) => /^\s*never\s+faults?\s*\.?\s*$/i.test(r.sentence))
    ? project.rules
    : [...project.rules, { id: 'never-faults', name: NEVER_FAULTS, sentence: NEVER_FAULTS }];

/**
 * A cycle is counted from where the plan's sequence begins, where the tag is one's and no other home is said. Steps of
 * a whole number are named by what its tag calls its values; one that has no such names knows no step of the plan.
 */
function withHome(project: Project, form: Expect | undefined): Expect | undefined {
  if (form?.kind !== 'timing') return form;
  const tag = project.tags.find((t) => t.name.toLowerCase() === form.tag.toLowerCase()),
    isNumber = /^U?[SDL]?INT$/i.test(tag?.type ?? ''),
    value = (name: string) => String(valueNamed(readValueNames(tag?.valueNames ?? ''), name) ?? name);
  const all = project.plan?.sequences ?? [],
    first = all.find((s) => stepTagOf(s, all).toLowerCase() === form.tag.toLowerCase())?.steps[0],
    planned = first && stepName(first);
  const named = form.of === 'step' ? form.step : (form.home ?? planned);
  if (named === undefined) return form;
  const step = isNumber ? value(named) : named;
  // Of a number whose values have no names the plan's name says nothing.
  if (isNumber && form.of === 'cycle' && form.home === undefined && step === named) return form;
  const { said } = form.condition;
  return form.of === 'step'
    ? { ...form, condition: { text: `${form.tag} = ${step}`, said } }
    : { ...form, home: step, condition: cycleHome(form.tag, step, said) };
}

/** Parses and compiles everything; a sentence with an error takes only its own run of a check or rule out. */
export function planProof(project: Project, fileName: string, compiler = new Compiler()): ProofPlan {
  const problems = new Problems();
  const wanted: Wanted[] = [];
  const broken = new Map<string, string>();
  const said = new Set<string>();
  /** Rows of a beginning are planned for each check that begins with them; what is wrong with them is said once. */
  const isNew = (o: Source['origin'], message: string): boolean => {
    const key = o.kind === 'cell' ? `${o.id} ${o.row} ${o.cell} ${message}` : message,
      is = !said.has(key);
    said.add(key);
    return is;
  };
  const say = (owner: 'check' | 'rule', id: string, name: string, row: number, cell: string) => ({
    kind: 'cell' as const,
    owner,
    id,
    name,
    row,
    cell,
  });
  const want = (condition: Condition, origin: Source['origin'], by: string): number =>
    wanted.push({ condition, source: makeSource(fileName, condition.text, origin), by }) - 1;
  const take = <T>(parsed: Parsed<T>, origin: ReturnType<typeof say>, text: string, by: string): T | undefined => {
    if ('value' in parsed) return parsed.value;
    const source = makeSource(fileName, text, origin);
    if (isNew(origin, parsed.error)) problems.error('SENTENCE', parsed.error, { source, start: 0, end: text.length });
    broken.set(by, parsed.error);
    return undefined;
  };

  const checks = checkRuns(project).map((c) => {
    const by = `${c.check.id} ${c.run ?? ''}`;
    if (c.problem) {
      take(
        { error: c.problem },
        say('check', c.check.id, c.check.name, 0, c.run === undefined ? 'whole' : 'table'),
        '',
        by,
      );
      return { ...c, by, rows: [] };
    }
    return {
      ...c,
      by,
      rows: c.rows.map(({ row: r, number, of }, at) => {
        const cell = (which: string) => say('check', of.id, of.name, number, which);
        const bound = (x: Condition, which: string): Bound => ({ said: x.said, expression: want(x, cell(which), by) });
        const when = take(besideOne(parseWhen(r.when), c.rows, at), cell('when'), r.when ?? '', by) ?? {
            kind: 'atOnce' as const,
          },
          waits = when.kind === 'with' ? when.then : when;
        return {
          id: r.id,
          when,
          number,
          cell,
          ...(of === c.check ? {} : { of: of.name }),
          ...(waits.kind === 'once' ? { once: bound(waits.condition, 'when') } : {}),
          does: (r.do ?? []).flatMap((d) => {
            const x = take(parseDo(d), cell('do'), d, by);
            return x ? [{ text: d, form: x }] : [];
          }),
          keeps: (r.expect ?? []).flatMap((e) => {
            const x = parseExpect(e);
            return 'value' in x && x.value.kind === 'keeps' ? [{ said: e, name: x.value.rule }] : [];
          }),
          expects: (r.expect ?? []).flatMap((e) => {
            const form = withHome(project, take(parseExpect(e), cell('expect'), e, by));
            if (!form || form.kind === 'keeps') return [];
            const all = (list: readonly Condition[]) => list.map((x) => bound(x, 'expect'));
            return [
              {
                said: e,
                form,
                condition: bound(form.condition, 'expect'),
                ...(form.kind === 'until' ? { end: bound(form.end, 'expect') } : {}),
                ...('then' in form ? { then: all(form.then) } : {}),
                ...(form.kind === 'path' ? { detours: all(form.detours) } : {}),
              },
            ];
          }),
        };
      }),
    };
  });
  const outputs = project.tags
    .filter((t) => /^%QX/i.test(t.address ?? '') && t.type.toUpperCase() === 'BOOL' && !t.standsFor)
    .map((t) => t.name);
  const rules = rulesOf(project).map((r) => {
    const origin = say('rule', r.id, r.name, 0, 'sentence');
    const form = take(parseRule(r.sentence, outputs), origin, r.sentence, r.id);
    return {
      id: r.id,
      name: r.name,
      sentence: r.sentence,
      ...(form ? { form } : {}),
      ...(form && 'condition' in form
        ? { condition: { said: form.condition.said, expression: want(form.condition, origin, r.id) } }
        : {}),
      ...(form?.kind === 'follows'
        ? { trigger: { said: form.trigger.said, expression: want(form.trigger, origin, r.id) } }
        : {}),
    };
  });

  // First alone: an error in the logic is not the sentences' fault.
  const file = { kind: 'project' as const, name: fileName, project };
  const alone = compiler.compile([file]);
  if (!alone.canRun)
    return {
      compiled: alone,
      checks: checks.map((c) => ({ id: c.check.id, base: c.check.name, name: c.name, rows: [] })),
      rules,
      diagnostics: [...problems.list],
    };
  const remembered = remember(project, alone, wanted, (w, error) => {
    if (isNew(w.source.origin, error))
      problems.error('SENTENCE', error, { source: w.source, start: 0, end: w.source.text.length });
    broken.set(w.by, error);
  });
  const all = remembered ? { ...file, project: remembered } : file;
  const beside = compiler.compile([all], { expressions: wanted.map((w) => w.source) });
  const wanting = new Map(wanted.map((w) => [w.source, w.by])),
    bad = new Set<Source>();
  for (const d of beside.diagnostics) {
    const { source } = d.at;
    if (source.origin.kind !== 'cell' || d.severity !== 'error') continue;
    if (isNew(source.origin, d.message)) problems.add(d);
    broken.set(wanting.get(source) ?? source.origin.id, d.message);
    bad.add(source);
  }
  // Broken sentences keep their number but stand as TRUE, so that the others can run.
  const compiled = !beside.canRun
    ? compiler.compile([all], {
        expressions: wanted.map((w) => (bad.has(w.source) ? { ...w.source, text: 'TRUE' } : w.source)),
      })
    : beside;
  const image = compiled.build(false);
  const plannedRules = rules.map((r): PlannedRule => {
    const problem = broken.get(r.id);
    return problem ? { ...r, problem } : r;
  });
  const ruleNamed = (name: string): Parsed<PlannedRule> => {
    const r = plannedRules.find((x) => x.name.toLowerCase() === name.toLowerCase());
    return !r
      ? { error: `There is no rule '${name}'.` }
      : r.problem
        ? { error: `The rule '${name}' has a problem of its own.` }
        : { value: r };
  };
  const planned = checks.map((c): PlannedCheck => {
    const rows = c.rows.map((r): PlannedRow => ({
      id: r.id,
      number: r.number,
      ...(r.of === undefined ? {} : { of: r.of }),
      when: r.when,
      ...(r.once ? { once: r.once } : {}),
      expects: r.expects,
      keeps: r.keeps.flatMap(({ said, name }) => {
        const rule = take(ruleNamed(name), r.cell('expect'), said, c.by);
        return rule ? [{ said, rule }] : [];
      }),
      actions: r.does.flatMap((d) => {
        const a = take(bindAction(project, image, d.form), r.cell('do'), d.text, c.by);
        return a ? [a] : [];
      }),
    }));
    // A check that cannot fail would be counted as one that passed.
    const problem =
      broken.get(c.by) ??
      (rows.some((r) => r.of === undefined && (r.expects.length || r.keeps.length || r.once))
        ? undefined
        : 'No row expects anything yet, so it would pass whatever the machine does.');
    return {
      id: c.check.id,
      ...(c.run === undefined ? {} : { run: c.run }),
      base: c.check.name,
      name: c.name,
      rows,
      ...(problem ? { problem } : {}),
    };
  });
  // Sentences are read beside rungs that are not finished; nothing is judged by logic that is not whole.
  return {
    compiled,
    ...(alone.hasErrors ? {} : { image }),
    checks: planned,
    rules: plannedRules,
    diagnostics: [...problems.list],
  };
}

/**
 * A row can run beside the one above it, or beside one that those above it run beside: all others are over when it
 * begins.
 */
function besideOne(parsed: Parsed<When>, rows: readonly RunRow[], at: number): Parsed<When> {
  if ('error' in parsed || parsed.value.kind !== 'with') return parsed;
  if (at === 0) return { error: 'No row stands above this one, so nothing is going on at the same time.' };
  const { row } = parsed.value;
  if (row === undefined) return parsed;
  for (let i = at - 1; i >= 0; i--) {
    if (rows[i]!.number === row && rows[i]!.of === rows[at]!.of) return parsed;
    const when = parseWhen(rows[i]!.row.when);
    if ('error' in when || when.value.kind !== 'with') break;
  }
  return {
    error:
      row >= rows[at]!.number
        ? `Row ${row} does not stand above this one.`
        : `Row ${row} is over by then; a row runs at the same time as the one above it, or as one that runs beside that.`,
  };
}

/**
 * The project with a program that remembers what conditions ask of earlier scans, which are rewritten to read it;
 * undefined when none asks.
 */
function remember(
  project: Project,
  alone: Compiled,
  wanted: Wanted[],
  say: (w: Wanted, error: string) => void,
): Project | undefined {
  const asking = wanted.filter((w) => asksEarlier(w.source.text));
  if (!asking.length || project.pous.some((p) => p.name.toLowerCase() === 'previous')) return undefined;
  const taken = new Set([...project.tags, ...project.pous].map((x) => x.name.toLowerCase()));
  let name = 'Earlier',
    n = 2;
  while (taken.has(name.toLowerCase())) name = `Earlier${n++}`;
  const earlier = new Earlier(alone.build(false), name);
  for (const w of asking) {
    const r = earlier.replace(w.source.text),
      at = wanted.indexOf(w);
    if ('error' in r) say(w, r.error);
    wanted[at] = { ...w, source: makeSource(w.source.name, 'error' in r ? 'TRUE' : r.text, w.source.origin) };
  }
  const program = earlier.program();
  return program && { ...project, pous: [...project.pous, program] };
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
    const found = project.machine.devices.find((x) => x.name.toLowerCase() === device.toLowerCase()),
      kind = found && kindOf(project.machine, found.type);
    if (!found || !kind) return { error: `There is no device '${device}' on the machine.` };
    const fitting = kind.handles.filter((x) => types.includes(x.type));
    const h = one ? fitting.find((x) => x.name.toLowerCase() === one.toLowerCase()) : fitting[0];
    if (h && (one || fitting.length === 1)) return { value: `${MACHINE}.${found.name}.${h.name}` };
    const names = fitting.map((x) => `'${found.name}.${x.name}'`).join(' or ');
    return {
      error: fitting.length
        ? `${one ? `'${found.name}' has no '${one}' for that` : `'${found.name}' has several things to work`}; write ${names}.`
        : `'${device}' is a ${found.type}; it cannot be ${types.includes('number') ? 'given a number' : 'pressed or turned'}.`,
    };
  };
  const wrap = (p: Parsed<BenchEvent>): Parsed<PlannedEvent> => ('error' in p ? p : { value: { event: p.value } });
  switch (d.kind) {
    case 'turn': {
      const h = handle(d.device, ['turn', 'way', 'press', 'latch']);
      if ('error' in h) return h;
      const found = findPath(image, h.value),
        isWay = 'location' in found && isInteger(found.location.type);
      if (d.to === 'middle' && !isWay)
        return { error: `'${d.device}' has no middle; write 'turn ${d.device} left' or 'turn ${d.device} right'.` };
      return wrap(
        write(h.value, isWay ? String({ left: -1, middle: 0, right: 1 }[d.to]) : d.to === 'right' ? '1' : '0'),
      );
    }
    case 'hold': {
      const h = handle(d.device, ['press', 'turn', 'latch']);
      return 'error' in h ? h : wrap(write(h.value, d.on ? '1' : '0'));
    }
    case 'tap': {
      const h = handle(d.device, ['press']);
      if ('error' in h) return h;
      return {
        value: {
          event: { kind: 'write', path: h.value, value: true },
          later: [{ span: d.span, event: { kind: 'write', path: h.value, value: false } }],
        },
      };
    }
    case 'enter': {
      const h = handle(d.device, ['number', 'place']);
      return 'error' in h ? h : wrap(write(h.value, d.value));
    }
    case 'upset': {
      const found = project.machine.devices.find((x) => x.name.toLowerCase() === d.device.toLowerCase());
      const u =
        found &&
        kindOf(project.machine, found.type)?.upsets.find((x) => x.name.toLowerCase() === d.upset.toLowerCase());
      return u
        ? wrap(write(`${MACHINE}.${found.name}.${u.name}`, d.on ? '1' : '0'))
        : { error: `There is no upset '${d.device}.${d.upset}'.` };
    }
    case 'ramp': {
      const l = findPath(image, d.path);
      if ('error' in l) return l;
      if (!isReal(l.location.type) && !isInteger(l.location.type))
        return { error: `'${d.path}' is no number; only a number can go from one value to another.` };
      const stepNs = scanStep(image),
        scans = Math.max(1, 'scans' in d.span ? d.span.scans : Number(d.span.ns / stepNs));
      if (scans > 100_000) return { error: 'A ramp of more than 100,000 scans is too long.' };
      const at = (n: number): BenchEvent => {
        const v = d.from + ((d.to - d.from) * n) / scans;
        return {
          kind: d.forced ? 'force' : 'write',
          path: d.path,
          value: isReal(l.location.type) ? v : BigInt(Math.round(v)),
        };
      };
      return {
        value: {
          event: at(0),
          later: Array.from({ length: scans }, (_, n) => ({ span: { scans: n + 1 }, event: at(n + 1) })),
        },
      };
    }
    case 'set':
      return wrap(write(d.path, d.value));
    case 'force': {
      const w = write(d.path, d.value);
      return 'error' in w || w.value.kind !== 'write'
        ? (w as Parsed<PlannedEvent>)
        : { value: { event: { ...w.value, kind: 'force' } } };
    }
    case 'release': {
      const l = findPath(image, d.path);
      return 'error' in l ? l : { value: { event: { kind: 'force', path: d.path } } };
    }
  }
}
