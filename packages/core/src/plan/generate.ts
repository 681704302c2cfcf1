/**
 * From a plan to ordinary parts of the project: tags, a step enumeration, a skeleton of the logic in ladder or in
 * structured text, and first sequence checks. Both kinds of logic do the same, scan by scan.
 *
 * Plan. `plan/generate` turns the plan into parts under ids that stay (`plan-<sequence>-<step>-<way>`); `plan/merge`
 * compares them with what is there and with what was made last (kept in the plan), so a change of the plan, a change
 * by hand and both can be told apart. The skeletons in ladder and in text are property-tested to run alike. What a
 * step does is read in `plan/actions` (an output, or something that stays). Checks are made by playing them
 * (`plan/made-checks`, in a worker of the page): `plan/conditions` solves what a way asks for, and each way is left to
 * the machine, worked at the panel or forced, whichever gets there.
 */
import { textToRungs } from '../ladder/convert.js';
import { parseRungLine } from '../ladder/parse.js';
import { printPart } from '../ladder/print.js';
import { Problems } from '../language/diagnostic.js';
import { literally } from '../language/pattern.js';
import { makeSource } from '../language/source.js';
import type {
  Plan,
  PlanMode,
  PlanStep,
  Project,
  RungText,
  Sequence,
  SequenceCheck,
  Tag,
} from '../document/document.js';
import { guessTag, nextFree } from '../workspace/guess.js';
import { type StepAction, actionsByTag, actionsOf } from './actions.js';
import { choicesOf } from './choices.js';
import { LONGEST_ID, shortened } from '../document/short.js';
import { stepName, stepTagOf, word } from '../document/step-names.js';
import { literalTime, parseCondition, shortTimes, unreadable } from '../sentences/sentences.js';

/** A part that is made: what it is, under an id that stays the same from one time to the next. */
export type MadePart =
  | { readonly kind: 'tag'; readonly id: string; readonly tag: Tag }
  | { readonly kind: 'type'; readonly id: string; readonly text: string }
  | {
      readonly kind: 'program';
      readonly id: string;
      readonly name: string;
      readonly language: 'LD' | 'ST';
      readonly text?: string;
    }
  | { readonly kind: 'rung'; readonly id: string; readonly pou: string; readonly rung: RungText }
  | { readonly kind: 'check'; readonly id: string; readonly check: SequenceCheck };

export const typeOf = (s: Sequence): string => `${word(s.name)}Steps`;
export const programOf = (s: Sequence): string => word(s.name);

/** Stands for what a condition leads to while it is made into contacts. */
const PROBE = 'Ferrule_';
/**
 * A condition as a good hand draws it: contacts and comparisons in series, legs, NOT carried down to the contacts. What
 * has no such shape is one comparison with TRUE. It can stand in series with others.
 * @param isReal the names whose comparisons can hold neither way (NaN)
 */
export function rungCondition(text: string, isReal: (name: string) => boolean = () => true): string {
  const t = parseCondition(text).text.trim(),
    made = textToRungs(`${PROBE} := ${t};`, isReal),
    line = 'lines' in made ? made.lines[0] : undefined,
    logic = line === undefined ? undefined : parseRungLine(makeSource('', line), new Problems())?.rung.logic;
  return logic ? printPart(logic, true) : `(${t}) = TRUE`;
}
const NUMBERS = /^(BOOL|U?[SDL]?INT|BYTE|[DL]?WORD|L?TIME)$/i;
/** Names that may be of a REAL: all but those declared as something that never is. */
const realIn =
  (project: Project) =>
  (name: string): boolean =>
    !NUMBERS.test(project.tags.find((x) => x.name.toLowerCase() === name.toLowerCase())?.type ?? '');
/** The text of a condition for structured text. */
function stCondition(text: string): string {
  const t = parseCondition(text).text.trim();
  return /^(NOT\s+)?[A-Za-z_][\w.]*$/i.test(t) ? t : `(${t})`;
}
/** A time in a rung: as it is written, where it has one unit. */
const duration = (text: string): string => {
  const short = shortTimes(text).trim().replace(/\s+/g, ' ');
  return /^\d[\d.]* ?[a-z]+$/i.test(short) ? short : stDuration(text);
};
const stDuration = (text: string): string => `T#${literalTime(text)}`;

/** The tag that is on while a mode holds. */
export const modeTag = (m: Pick<PlanMode, 'name'>): string =>
  `Mode${word(m.name).replace(/^./, (c) => c.toUpperCase())}`;
/** The tags of these modes, of those the plan has. */
const modeTags = (plan: Plan, names: readonly string[] | undefined): readonly string[] =>
  (names ?? []).flatMap((n) => {
    const m = plan.modes?.find((x) => x.name.trim().toLowerCase() === n.trim().toLowerCase());
    return m ? [modeTag(m)] : [];
  });
/** `ModeAuto | ModeSetup` as a condition of a rung, or `OR` of a text; nothing when all modes will do. */
const inModes = (tags: readonly string[], or: ' | ' | ' OR '): string =>
  tags.length > 1 ? `(${tags.join(or)})` : (tags[0] ?? '');

/** The coil of a sequence that says that it may go on. */
export const mayTag = (s: Sequence): string => `${programOf(s)}MayRun`;
/** Of several contacts that every rung would ask for, one coil is made; a single one is asked for itself. */
const isLong = (permission: string): boolean => /[&|]|\b(AND|OR)\b/.test(permission);

interface Facts {
  readonly sequence: Sequence;
  readonly tag: string;
  readonly was: string;
  /** The coil that says that it may go on. */ readonly may: string;
  readonly run: string;
  /** The steps that start it, of other sequences. */ readonly startedBy: readonly {
    readonly tag: string;
    readonly step: string;
  }[];
}

function factsOf(plan: Plan, s: Sequence): Facts {
  const tag = stepTagOf(s, plan.sequences);
  const starters = plan.sequences.flatMap((x) =>
    x.steps
      .filter((p) => p.starts?.includes(s.id))
      .map((p) => ({ tag: stepTagOf(x, plan.sequences), step: stepName(p) })),
  );
  return { sequence: s, tag, was: `${tag}Was`, may: mayTag(s), run: s.run?.trim() ?? '', startedBy: starters };
}

const wayTimer = (f: Facts, s: PlanStep, i: number): string =>
  `${f.tag === 'Step' ? '' : f.tag}${stepName(s)}Hold${i || ''}`;
const limitTimer = (f: Facts, s: PlanStep): string => `${f.tag === 'Step' ? '' : f.tag}${stepName(s)}Limit`;
const targetOf = (s: Sequence, id: string): string | undefined => {
  const t = s.steps.find((x) => x.id === id);
  return t && stepName(t);
};

/** Tags that are on in some step, with the steps. */
export function outputsOf(s: Sequence): ReadonlyMap<string, readonly PlanStep[]> {
  const map = new Map<string, readonly PlanStep[]>();
  for (const { tag, of } of actionsByTag(s.steps, ['on']))
    map.set(
      tag,
      of.map((x) => x.step),
    );
  return map;
}

/** Names that conditions use: everything that looks like a tag. */
export function namesIn(text: string): string[] {
  return [
    ...parseCondition(text)
      .text.replace(/T#\S+|'[^']*'/g, '')
      .matchAll(/[A-Za-z_]\w*(?:\.\w+)?(#|\s*\()?/g),
  ]
    .filter(
      (m) =>
        (!m[1] || /^(AND|OR|XOR|NOT|MOD)\s*\($/i.test(m[0])) && !/^(AND|OR|XOR|NOT|MOD|TRUE|FALSE)\s*\(?$/i.test(m[0]),
    )
    .map((m) => m[0]);
}

/** Steps, and values of enumerations the project has, in small letters: they are no tags. */
function valueNames(project: Project, plan: Plan): ReadonlySet<string> {
  const values = project.types.flatMap(
    (t) =>
      /:\s*(?:\w+\s*)?\(([^)]*)\)/
        .exec(t.text)?.[1]
        ?.split(',')
        .map((v) => v.replace(/:=.*/s, '').trim()) ?? [],
  );
  return new Set([...plan.sequences.flatMap((s) => s.steps.map(stepName)), ...values].map((x) => x.toLowerCase()));
}

interface Asked {
  readonly name: string;
  /** What a sequence runs by: memory that logic of one's own gives. */ readonly isRun: boolean;
  /** Its type, where it is compared or reckoned with. */ readonly number?: 'REAL' | 'INT';
  /** Where it is asked for first, to be said. */ readonly where: string;
}
/** What a name is where a condition compares it with a number, or by size, or reckons with it. */
function numberIn(text: string, name: string): { readonly number?: 'REAL' | 'INT' } {
  const n = `(?<![\\w.])${literally(name)}(?![\\w.])`,
    is = (pattern: string) => new RegExp(pattern, 'i').test(text);
  // What a function compares or is given beside a comparison is a number too.
  if (is(`[a-z]\\w*\\([^()]*${n}[^()]*\\)\\s*[<>=]`)) return { number: 'REAL' };
  if (is(`${n}\\s*(<(?!>)|(?<!<)>|[-+*/])`) || is(`(<(?!>)=?|(?<!<)>=?|[-+*/])\\s*${n}`)) return { number: 'REAL' };
  return is(`${n}\\s*(=|<>)\\s*[-\\d]`) || is(`\\d\\s*(=|<>)\\s*${n}`) ? { number: 'INT' } : {};
}
/** Every name that a condition of the plan asks for, each once, in the order in which they are written. */
function namesAsked(plan: Plan): readonly Asked[] {
  const found = new Map<string, Asked>();
  const add = (text: string | undefined, where: string, isRun = false) => {
    // What cannot be read asks for nothing that is known: its words would become tags. It is told at its place.
    if (unreadable(text) !== undefined) return;
    for (const name of namesIn(text ?? ''))
      if (!name.includes('.') && !found.has(name.toLowerCase()))
        found.set(name.toLowerCase(), { name, isRun, where, ...numberIn(text!, name) });
  };
  for (const s of plan.sequences) {
    add(s.run, s.name, true);
    for (const x of s.steps) for (const w of x.ways) add(w.when, x.name);
  }
  for (const m of plan.modes ?? []) if (m.name.trim()) add(m.when, `the mode ${m.name}`);
  for (const { choice, options } of choicesOf(plan)) {
    for (const o of options) add(o.when, `the choice ${choice.name}`);
    add(choice.reset, `the choice ${choice.name}`);
    add(choice.locked, `the choice ${choice.name}`, true);
  }
  return [...found.values()];
}

/** Every name that a plan speaks of and that may be a tag one day, each once: what steps switch first, then what is asked. */
export function namesOfPlan(plan: Plan): readonly string[] {
  const all = [
    ...plan.sequences.flatMap((s) => s.steps.flatMap((x) => x.on ?? []).flatMap(namesIn)),
    ...(plan.memory ?? []).map((m) => m.name.trim()),
    ...namesAsked(plan).map((a) => a.name),
  ];
  return [...new Map(all.filter((n) => n !== '').map((n) => [n.toLowerCase(), n])).values()];
}

/** A name that is asked for and that nothing gives: no tag, no output of a step. */
export interface Sourceless {
  readonly name: string;
  readonly where: string;
  /** What it would be made: an input with the next free address, a number, a tag that logic of one's own must write. */
  readonly madeAs: 'input' | 'number' | 'memory';
  /** It is memory of the plan already, and no step gives it a value. */ readonly isKept?: true;
}
/** What has no source, where neither its name nor a wire of the machine says that it is an input. */
export function sourceless(project: Project): readonly Sourceless[] {
  const { plan } = project;
  if (!plan) return [];
  const values = valueNames(project, plan),
    given = new Set(
      [
        ...project.tags.map((t) => t.name),
        ...plan.sequences.flatMap((s) => [stepTagOf(s, plan.sequences), mayTag(s), ...outputsOf(s).keys()]),
        ...actionsByTag(
          plan.sequences.flatMap((s) => s.steps),
          ['set', 'reset', 'count', 'store', 'start'],
        ).map((t) => t.tag),
        ...(plan.modes ?? []).map(modeTag),
        ...choicesOf(plan).flatMap((c) => c.options.map((o) => o.tag)),
        'Fault',
        'FaultCode',
        'ResetPB',
      ].map((n) => n.toLowerCase()),
    ),
    kept = new Set((plan.memory ?? []).map((m) => m.name.trim().toLowerCase()));
  return namesAsked(plan).flatMap(({ name, isRun, number, where }) => {
    if (given.has(name.toLowerCase()) || values.has(name.toLowerCase())) return [];
    if (kept.has(name.toLowerCase())) return [{ name, where, madeAs: number ? 'number' : 'memory', isKept: true }];
    const known = !isRun && !number && guessTag(name, [], undefined, { machine: project.machine }).address;
    return known ? [] : [{ name, where, madeAs: isRun ? 'memory' : number ? 'number' : 'input' }];
  });
}

/**
 * Outputs that stay on when a step passes its limit and raises its fault: those of steps that the fault does not leave,
 * where what the sequence runs by is inputs alone, so that no logic takes it away. Empty where that cannot be said.
 */
export function leftOnByFault(plan: Plan, tags: readonly Tag[], s: Sequence): readonly string[] {
  const isInput = (name: string) =>
      /^%I/i.test(tags.find((t) => t.name.toLowerCase() === name.toLowerCase())?.address ?? ''),
    inputsAlone = (texts: readonly (string | undefined)[]) =>
      texts.flatMap((text) => namesIn(text ?? '')).every(isInput),
    whenOf = (modes: readonly string[] = []) =>
      modes.map((n) => plan.modes?.find((m) => m.name.toLowerCase() === n.toLowerCase())?.when);
  const leaves = (x: PlanStep) => x.ways.some((w) => namesIn(w.when ?? '').some((n) => /^Fault(Code)?$/i.test(n)));
  const standing = s.steps.filter(
      (x) => hasFault(x) && x.past?.to === undefined && !leaves(x) && inputsAlone(whenOf(x.modes)),
    ),
    outputs = [...outputsOf({ ...s, steps: standing }).keys()];
  if (!outputs.length) return [];
  const seen = new Set<Sequence>();
  const byInputs = (x: Sequence): boolean => {
    if (seen.has(x)) return true;
    seen.add(x);
    const starters = plan.sequences.filter((y) => y.steps.some((step) => step.starts?.includes(x.id)));
    return inputsAlone([x.run, ...whenOf(x.modes)]) && starters.every(byInputs);
  };
  return byInputs(s) ? outputs : [];
}

/** The timer of a tag that is started for a time. */
const runTimer = (tag: string): string => `${tag}For`;
/** The type of a tag that only the plan speaks of. */
function typeOfAction(a: StepAction, project: Project): string {
  if (a.kind === 'count') return 'UINT';
  if (a.kind !== 'store') return 'BOOL';
  return /^(TRUE|FALSE)$/i.test(a.value)
    ? 'BOOL'
    : /^[-+]?\d+$/.test(a.value)
      ? 'INT'
      : (project.tags.find((t) => t.name.toLowerCase() === a.value.toLowerCase())?.type ?? 'REAL');
}

/** Everything a plan makes, in the order of the project; its checks are made by playing them (`madeChecks`). */
export function partsOf(
  project: Project,
  language: 'LD' | 'ST',
  checks: readonly SequenceCheck[] = [],
): readonly MadePart[] {
  const { plan } = project;
  if (!plan) return [];
  const parts: MadePart[] = [];
  let tags: readonly Tag[] = project.tags;
  const has = (n: string) => tags.some((t) => t.name.toLowerCase() === n.split(/[.[]/)[0]!.toLowerCase());
  const declare = (name: string, to: Partial<Tag> & { readonly type: string }, guess = false) => {
    if (has(name) || !/^[A-Za-z_]\w*$/.test(name)) return;
    const tag: Tag = {
      id: `plan-tag-${name}`,
      name,
      ...(guess ? guessTag(name, tags, to.type, project) : {}),
      ...to,
    };
    tags = [...tags, tag];
    parts.push({ kind: 'tag', id: tag.id, tag });
  };
  // A tag that has a step type of its own already keeps it.
  for (const s of plan.sequences) {
    const tag = stepTagOf(s, plan.sequences),
      own = project.tags.find((t) => t.name.toLowerCase() === tag.toLowerCase());
    const type = own ? own.type : typeOf(s);
    const text = `${type} : (${s.steps.map(stepName).join(', ')});`;
    parts.push({
      kind: 'type',
      id:
        project.types.find((t) => new RegExp(`^\\s*${literally(type)}\\b`, 'i').test(t.text))?.id ??
        `plan-type-${s.id}`,
      text,
    });
    declare(tag, { type, description: `Step of: ${s.name}` });
    declare(`${tag}Was`, { type, description: `Step of the scan before: ${s.name}` });
  }
  const stepNames = valueNames(project, plan);
  // What steps set, count, keep and start is the plan's own memory, not an input that a condition asks for.
  for (const { tag, of } of actionsByTag(
    plan.sequences.flatMap((s) => s.steps),
    ['set', 'reset', 'count', 'store', 'start'],
  )) {
    const { action } = of[0]!;
    declare(tag, { type: typeOfAction(action, project) }, action.kind !== 'count' && action.kind !== 'store');
    if (action.kind === 'start') declare(runTimer(tag), { type: 'TP', description: `How long ${tag} is on` });
  }
  for (const { choice, options } of choicesOf(plan))
    for (const o of options)
      declare(o.tag, { type: 'BOOL', description: `${choice.name}: ${o.option.name} is chosen` });
  for (const m of plan.memory ?? []) declare(m.name.trim(), { type: m.type?.trim() || 'BOOL' });
  for (const s of plan.sequences) {
    for (const o of outputsOf(s).keys())
      declare(o, { type: 'BOOL', address: nextFree('Q', 1, tags, project.modules), description: '' });
  }
  for (const m of (plan.modes ?? []).filter((x) => x.name.trim()))
    declare(modeTag(m), { type: 'BOOL', description: `The machine is in the mode ${m.name}` });
  for (const { name, isRun, number } of namesAsked(plan))
    if (!stepNames.has(name.toLowerCase())) {
      const guess = guessTag(name, tags, number, project);
      declare(
        name,
        isRun
          ? { type: 'BOOL' }
          : number
            ? { type: number }
            : {
                ...guess,
                type: 'BOOL',
                // What nothing gives, and whose name says nothing, is taken for an input; the plan says that it was.
                address:
                  guess.type === 'BOOL' && guess.address ? guess.address : nextFree('I', 1, tags, project.modules),
              },
      );
    }
  if (plan.sequences.some((s) => s.steps.some((x) => x.limit && x.past?.fault !== undefined))) {
    declare('Fault', { type: 'BOOL', description: 'A step took too long' });
    declare('FaultCode', { type: 'INT', description: 'Which one' });
    declare('ResetPB', {
      type: 'BOOL',
      address: nextFree('I', 1, tags, project.modules),
      wiring: 'NO',
      description: 'Reset',
    });
  }
  for (const s of plan.sequences) {
    const f = factsOf(plan, s);
    for (const x of s.steps) {
      x.ways.forEach((w, i) => {
        if (w.for) declare(wayTimer(f, x, i), { type: 'TON' });
      });
      if (x.limit) declare(limitTimer(f, x), { type: 'TON' });
    }
    if (isLong(permissionText(plan, f)))
      declare(f.may, { type: 'BOOL', description: `${s.name} may go on and work its outputs` });
    const pou = `plan-pou-${s.id}`,
      name = programOf(s);
    parts.push({ kind: 'program', id: pou, name, language, ...(language === 'ST' ? { text: textOf(plan, f) } : {}) });
    if (language === 'LD')
      for (const rung of rungsOf(plan, f, realIn(project))) parts.push({ kind: 'rung', id: rung.id, pou, rung });
  }
  for (const check of checks) parts.push({ kind: 'check', id: check.id, check });
  return parts.map(withShortIds);
}

/** Ids are put together from those of sequences, steps and ways; however long these are, a part's own is short. */
function withShortIds(part: MadePart): MadePart {
  const id = shortened(part.id, LONGEST_ID);
  switch (part.kind) {
    case 'tag':
      return { ...part, id, tag: { ...part.tag, id } };
    case 'type':
    case 'program':
      return { ...part, id };
    case 'rung':
      return { ...part, id, pou: shortened(part.pou, LONGEST_ID), rung: { ...part.rung, id } };
    case 'check': {
      const { check } = part,
        rows = check.rows.map((r) => ({ ...r, id: shortened(r.id, LONGEST_ID) }));
      const name =
        check.name.length > LONGEST_CHECK_NAME ? `${check.name.slice(0, LONGEST_CHECK_NAME - 1)}…` : check.name;
      return { ...part, id, check: { ...check, id, name, rows } };
    }
  }
}
const LONGEST_CHECK_NAME = 200;

const hasFault = (p: PlanStep): boolean => p.limit !== undefined && p.past?.fault !== undefined;

/** The steps of other sequences in one of which this one runs. */
const inStarters = (f: Facts, or: string): string => {
  const list = f.startedBy.map((x) => `${x.tag} = ${x.step}`);
  return list.length > 1 ? `(${list.join(or)})` : (list[0] ?? '');
};
/** What every rung of a sequence asks for, as structured text; empty where it always goes on. */
const permissionText = (plan: Plan, f: Facts): string =>
  [inStarters(f, ' OR '), f.run ? stCondition(f.run) : '', inModes(modeTags(plan, f.sequence.modes), ' OR ')]
    .filter(Boolean)
    .join(' AND ');
/** The same in words, for the comment of its coil. */
function permissionWords(plan: Plan, f: Facts): string {
  const { sequence: s } = f;
  return `${s.name} goes on, and its outputs are on, only ${[
    f.startedBy.length ? `beside ${f.startedBy.map((x) => x.step).join(' or ')}` : '',
    f.run ? `while ${parseCondition(f.run).text.trim()}` : '',
    modeTags(plan, s.modes).length ? `in ${s.modes!.join(' or ')}` : '',
  ]
    .filter(Boolean)
    .join(', ')}.`;
}

/** A group of which one is kept: each option while no other is chosen, then what takes the choice back. */
function choiceRungs(plan: Plan, isReal: (name: string) => boolean): RungText[] {
  return choicesOf(plan).flatMap(({ choice, options }, g) => {
    const unlocked = choice.locked?.trim() ? `${rungCondition(`NOT (${choice.locked})`, isReal)} & ` : '',
      tags = options.map((o) => o.tag);
    return [
      ...options.map((o, i): RungText => ({
        id: `plan-choice-${choice.id}-${o.option.id}`,
        line: `${unlocked}${rungCondition(o.when, isReal)}${tags
          .filter((t) => t !== o.tag)
          .map((t) => ` & !${t}`)
          .join('')} -> set ${o.tag}`,
        ...(i ? {} : { comment: `${choice.name}: exactly one is chosen, and kept; while one is, no other can be.` }),
        ...(i || g ? {} : { heading: 'Choices' }),
      })),
      ...(choice.reset?.trim()
        ? [
            {
              id: `plan-choice-${choice.id}-reset`,
              line: `${unlocked}${rungCondition(choice.reset, isReal)} -> ${tags.map((t) => `reset ${t}`).join(', ')}`,
              comment: `A wrong choice is taken back${unlocked ? ', until the work has begun' : ''}.`,
            },
          ]
        : []),
    ];
  });
}
/** The same as statements. */
function choiceText(plan: Plan): string[] {
  return choicesOf(plan).flatMap(({ choice, options }) => {
    const unlocked = choice.locked?.trim() ? `NOT ${paren(stCondition(choice.locked))} AND ` : '';
    return [
      '',
      `// ${choice.name}: exactly one is chosen, and kept`,
      ...options.map((o) => {
        const others = options.filter((x) => x !== o).map((x) => x.tag);
        return `IF ${unlocked}${stCondition(o.when)}${others.map((t) => ` AND NOT ${t}`).join('')} THEN ${o.tag} := TRUE; END_IF;`;
      }),
      ...(choice.reset?.trim()
        ? [
            `IF ${unlocked}${stCondition(choice.reset)} THEN ${options.map((o) => `${o.tag} := FALSE;`).join(' ')} END_IF;`,
          ]
        : []),
    ];
  });
}
const paren = (text: string): string => (/^[\w.]+$|^\(.*\)$/s.test(text) ? text : `(${text})`);

function rungsOf(plan: Plan, f: Facts, isReal: (name: string) => boolean): RungText[] {
  const { sequence: s, tag, was } = f;
  const id = (k: string) => `plan-${s.id}-${k}`;
  const rungs: RungText[] = [];
  const and = (...parts: readonly string[]) =>
    parts
      .filter(Boolean)
      .map((p) => `${p} & `)
      .join('');
  const only = (x: PlanStep) => inModes(modeTags(plan, x.modes), ' | '),
    asked = [
      inStarters(f, ' | '),
      f.run ? rungCondition(f.run, isReal) : '',
      inModes(modeTags(plan, s.modes), ' | '),
    ].filter(Boolean),
    hasCoil = isLong(permissionText(plan, f)),
    // Once in every rung: the coil, or the one contact that it would hold.
    may = and(hasCoil ? f.may : (asked[0] ?? ''));
  if (isFirstOf(plan, s)) rungs.push(...choiceRungs(plan, isReal));
  if (isFirstOf(plan, s))
    modesWith(plan).forEach((m, i) =>
      rungs.push({
        id: `plan-mode-${m.id}`,
        line: `${rungCondition(m.when, isReal)} -> ${modeTag(m)}`,
        ...(i ? {} : { heading: 'Operating modes' }),
      }),
    );
  const started = and(inStarters(f, ' | '));
  const first = s.steps[0] && stepName(s.steps[0]);
  if (f.startedBy.length && first)
    rungs.push({
      id: id('start'),
      line: `${f.startedBy.map((x) => `${x.tag} <> ${x.step}`).join(' & ')} -> { ${tag} := ${first}; }`,
      comment: `${s.name} waits for its turn.`,
    });
  if (hasCoil)
    rungs.push({ id: id('may'), line: `${asked.join(' & ')} -> ${f.may}`, comment: permissionWords(plan, f) });
  let isFirst = true;
  for (const x of s.steps) {
    const here = `${tag} = ${stepName(x)}`;
    x.ways.forEach((w, i) => {
      const to = targetOf(s, w.to);
      if (to === undefined) return;
      const when = w.when?.trim() ? ` & ${rungCondition(w.when, isReal)}` : '';
      const hold = w.for ? ` & ${wayTimer(f, x, i)}(PT := ${duration(w.for)})` : '';
      rungs.push({
        id: id(`${x.id}-${w.id}`),
        line: `${may}${and(only(x))}${was} = ${stepName(x)} & ${here}${when}${hold} -> { ${tag} := ${to}; }`,
        ...(i === 0 ? { comment: x.note ?? stepWords(x) } : {}),
        ...(isFirst ? { heading: `${s.name}: the sequence` } : {}),
      });
      isFirst = false;
    });
  }
  const limited = s.steps.filter((x) => x.limit && (x.past?.fault !== undefined || x.past?.to));
  limited.forEach((x, i) => {
    const past = [
      ...(x.past?.fault !== undefined ? ['set Fault', `{ FaultCode := ${x.past.fault}; }`] : []),
      ...(x.past?.to && targetOf(s, x.past.to) ? [`{ ${tag} := ${targetOf(s, x.past.to)}; }`] : []),
    ];
    rungs.push({
      id: id(`${x.id}-limit`),
      line: `${may}${and(only(x))}${tag} = ${stepName(x)} & ${limitTimer(f, x)}(PT := ${duration(x.limit!)}) -> ${past.join(', ')}`,
      ...(i ? {} : { heading: `${s.name}: limits` }),
    });
  });
  if (s.steps.some(hasFault) && isFirstWithFault(plan, s))
    rungs.push({ id: id('reset'), line: 'ResetPB -> reset Fault, { FaultCode := 0; }' });
  [...outputsOf(s)].forEach(([o, steps], i) => {
    const inSteps = steps.map((x) => `${and(only(x))}${tag} = ${stepName(x)}`).join(' | ');
    rungs.push({
      id: id(`out-${o}`),
      line: `${may}${steps.length > 1 ? `(${inSteps})` : inSteps} -> ${o}`,
      ...(i ? {} : { heading: `${s.name}: what is on` }),
    });
  });
  const inStep = (x: PlanStep) => `${and(only(x))}${tag} = ${stepName(x)}`,
    // Once, in the scan in which the step has come to be.
    asItBegins = (x: PlanStep) => `${tag} = ${stepName(x)} & ${was} <> ${stepName(x)}`,
    either = (list: readonly string[]) => (list.length > 1 ? `(${list.join(' | ')})` : list[0]!);
  const besides: Omit<RungText, 'heading'>[] = [
    ...(['set', 'reset'] as const).flatMap((kind) =>
      actionsByTag(s.steps, [kind]).map(({ tag: t, of }) => ({
        id: id(`${kind}-${t}`),
        line: `${may}${either(of.map((x) => inStep(x.step)))} -> ${kind} ${t}`,
      })),
    ),
    ...s.steps.flatMap((x) => {
      const values = actionsOf(x).flatMap((a) => valueText(a) ?? []);
      return values.length
        ? [{ id: id(`begin-${x.id}`), line: `${started}${asItBegins(x)} -> { ${values.join(' ')} }` }]
        : [];
    }),
    ...actionsByTag(s.steps, ['start']).map(({ tag: t, of }) => ({
      id: id(`start-${t}`),
      line: `${started}${either(of.map((x) => asItBegins(x.step)))} & ${runTimer(t)}(PT := ${duration((of[0]!.action as { readonly span: string }).span)}) -> ${t}`,
    })),
  ];
  besides.forEach((r, i) => rungs.push({ ...r, ...(i ? {} : { heading: `${s.name}: what stays` }) }));
  rungs.push({
    id: id('was'),
    line: `-> { ${was} := ${tag}; }`,
    comment: `${was} is the step as the scan found it: no step is passed within one scan.`,
  });
  return rungs;
}

/** What a step stores as it begins, as a statement. */
const valueText = (a: StepAction): string | undefined =>
  a.kind === 'count' ? `${a.tag} := ${a.tag} + 1;` : a.kind === 'store' ? `${a.tag} := ${a.value};` : undefined;

/** What a step does, where nobody has written it. */
function stepWords(x: PlanStep): string {
  const on = actionsOf(x).flatMap((a) => (a.kind === 'on' ? [a.tag] : [])),
    besides = (x.on ?? []).filter((o) => !on.includes(o.trim()));
  const words = [...(on.length ? [`${on.join(', ')} on`] : []), ...besides, ...(x.limit ? [`${x.limit} at most`] : [])];
  return `${x.name}${words.length ? `: ${words.join(', ')}` : ''}.`;
}

const isFirstOf = (plan: Plan, s: Sequence): boolean => plan.sequences[0] === s;
/** Modes that say when they hold. */
export const modesWith = (plan: Plan): readonly (PlanMode & { readonly when: string })[] =>
  (plan.modes ?? []).flatMap((m) => (m.name.trim() && m.when?.trim() ? [{ ...m, when: m.when }] : []));
const isFirstWithFault = (plan: Plan, s: Sequence): boolean => plan.sequences.find((x) => x.steps.some(hasFault)) === s;

function textOf(plan: Plan, f: Facts): string {
  const { sequence: s, tag, was } = f;
  const lines: string[] = [`PROGRAM ${programOf(s)}`];
  const add = (...more: string[]) => lines.push(...more);
  const only = (x: PlanStep) => inModes(modeTags(plan, x.modes), ' OR '),
    asked = permissionText(plan, f),
    may = isLong(asked) ? f.may : asked;
  if (isFirstOf(plan, s)) add(...choiceText(plan));
  if (isFirstOf(plan, s) && modesWith(plan).length)
    add('', '// Operating modes', ...modesWith(plan).map((m) => `${modeTag(m)} := ${stCondition(m.when)};`));
  const started = inStarters(f, ' OR ');
  const first = s.steps[0] && stepName(s.steps[0]);
  const all = (...parts: readonly string[]) => parts.filter(Boolean).join(' AND ');
  if (f.startedBy.length && first) add(`IF NOT ${paren(started)} THEN ${tag} := ${first}; END_IF;`);
  if (may !== asked) add('', `// ${permissionWords(plan, f)}`, `${may} := ${asked};`);
  add('', `// ${s.name}: the sequence`);
  // Times that a condition must hold for: a timer counts in every scan, also where its step is not the live one.
  for (const x of s.steps)
    x.ways.forEach((w, i) => {
      if (!w.for || targetOf(s, w.to) === undefined) return;
      const here = [`${was} = ${stepName(x)}`, `${tag} = ${stepName(x)}`];
      add(
        `${wayTimer(f, x, i)}(IN := ${all(may, only(x), ...here, w.when?.trim() ? stCondition(w.when) : '')}, PT := ${stDuration(w.for)});`,
      );
    });
  add(`IF ${all(may, `${was} = ${tag}`)} THEN`, `  CASE ${tag} OF`);
  for (const x of s.steps) {
    const ways = x.ways.flatMap((w, i) => {
      const to = targetOf(s, w.to),
        asked = all(only(x), w.for ? `${wayTimer(f, x, i)}.Q` : w.when?.trim() ? stCondition(w.when) : '');
      // A way to the step itself moves nothing.
      return to === undefined || to === stepName(x) ? [] : [{ to, asked: asked || 'TRUE' }];
    });
    if (!ways.length) continue;
    add(`    ${stepName(x)}: // ${(x.note ?? stepWords(x)).replace(/\s*\n\s*/g, ' ')}`);
    ways.forEach((w, i) => add(`      ${i ? 'ELSIF' : 'IF'} ${w.asked} THEN ${tag} := ${w.to};`));
    add('      END_IF;');
  }
  add('  END_CASE;', 'END_IF;');
  const limited = s.steps.filter((x) => x.limit && (x.past?.fault !== undefined || x.past?.to));
  if (limited.length) add('', `// ${s.name}: limits`);
  for (const x of limited) {
    add(`${limitTimer(f, x)}(IN := ${all(may, only(x), `${tag} = ${stepName(x)}`)}, PT := ${stDuration(x.limit!)});`);
    add(
      `IF ${limitTimer(f, x)}.Q THEN${x.past?.fault !== undefined ? ` Fault := TRUE; FaultCode := ${x.past.fault};` : ''}${x.past?.to && targetOf(s, x.past.to) ? ` ${tag} := ${targetOf(s, x.past.to)};` : ''} END_IF;`,
    );
  }
  if (s.steps.some(hasFault) && isFirstWithFault(plan, s))
    add('IF ResetPB THEN Fault := FALSE; FaultCode := 0; END_IF;');
  add('', `// ${s.name}: what is on`);
  for (const [o, steps] of outputsOf(s))
    add(
      `${o} := ${all(may, steps.length > 1 ? `(${steps.map((x) => all(only(x), `${tag} = ${stepName(x)}`)).join(' OR ')})` : all(only(steps[0]!), `${tag} = ${stepName(steps[0]!)}`))};`,
    );
  const inStep = (x: PlanStep) => all(only(x), `${tag} = ${stepName(x)}`),
    asItBegins = (x: PlanStep) => `${tag} = ${stepName(x)} AND ${was} <> ${stepName(x)}`,
    either = (list: readonly string[]) => (list.length > 1 ? `(${list.join(' OR ')})` : list[0]!),
    besides = s.steps.some((x) => actionsOf(x).some((a) => a.kind !== 'on'));
  if (besides) add('', `// ${s.name}: what stays`);
  for (const kind of ['set', 'reset'] as const)
    for (const { tag: t, of } of actionsByTag(s.steps, [kind]))
      add(
        `IF ${all(may, either(of.map((x) => inStep(x.step))))} THEN ${t} := ${kind === 'set' ? 'TRUE' : 'FALSE'}; END_IF;`,
      );
  for (const x of s.steps) {
    const values = actionsOf(x).flatMap((a) => valueText(a) ?? []);
    if (values.length) add(`IF ${all(started, asItBegins(x))} THEN ${values.join(' ')} END_IF;`);
  }
  for (const { tag: t, of } of actionsByTag(s.steps, ['start']))
    add(
      `${runTimer(t)}(IN := ${all(started, either(of.map((x) => asItBegins(x.step))))}, PT := ${stDuration((of[0]!.action as { readonly span: string }).span)});`,
      `${t} := ${runTimer(t)}.Q;`,
    );
  add('', `${was} := ${tag};`, 'END_PROGRAM', '');
  return lines.join('\n').replace(/\n\n\n+/g, '\n\n');
}
