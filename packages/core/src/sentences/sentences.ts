/**
 * The short sentences of checks and rules, parsed to data. Conditions inside them are structured text, with
 * `Tag is on`, `Tag is off`, `Tag is Value` as a plainer way to say it.
 */
import { Problems } from '../language/diagnostic.js';
import { parseDuration } from '../language/lexer.js';
import { parseExpressionText } from '../language/parser.js';
import { makeSource } from '../language/source.js';

/** An expression of a sentence: its structured text. */
export interface Condition {
  readonly text: string;
  /** As the user wrote it, for results. */ readonly said: string;
}

export type When =
  | { readonly kind: 'atOnce' }
  | { readonly kind: 'after'; readonly span: Span }
  | { readonly kind: 'once'; readonly condition: Condition; readonly limit: Span }
  /**
   * Beside a row that has begun and need not be over: the row above, or the one with this number; then so long after it
   * did what it does, or once something holds.
   */
  | { readonly kind: 'with'; readonly row?: number; readonly then: Exclude<When, { kind: 'with' }> };

export type Do =
  /** A device, or with a dot one of its handles. */
  | { readonly kind: 'hold'; readonly device: string; readonly on: boolean }
  | { readonly kind: 'turn'; readonly device: string; readonly to: 'left' | 'middle' | 'right' }
  | { readonly kind: 'tap'; readonly device: string; readonly span: Span }
  | { readonly kind: 'enter'; readonly device: string; readonly value: string }
  | { readonly kind: 'set' | 'force'; readonly path: string; readonly value: string }
  /** From one value to another, a little in each scan. */
  | {
      readonly kind: 'ramp';
      readonly path: string;
      readonly from: number;
      readonly to: number;
      readonly span: Span;
      readonly forced: boolean;
    }
  | { readonly kind: 'release'; readonly path: string }
  | { readonly kind: 'upset'; readonly device: string; readonly upset: string; readonly on: boolean };

export type Expect =
  | { readonly kind: 'now'; readonly condition: Condition }
  | { readonly kind: 'within' | 'for'; readonly condition: Condition; readonly span: Span }
  | { readonly kind: 'until'; readonly condition: Condition; readonly end: Condition; readonly limit: Span }
  | { readonly kind: 'never'; readonly condition: Condition }
  /** Comes to hold at a time in this window, counted from what the row does, and not before. */
  | { readonly kind: 'window'; readonly condition: Condition; readonly from: Span; readonly to: Span }
  /** Holds and then ends, after a time in this window; it begins with the next scan, or within the limit. */
  | {
      readonly kind: 'lasts';
      readonly condition: Condition;
      readonly from: Span;
      readonly to: Span;
      readonly limit?: Span;
    }
  /** One after the other, each at once or later, all within the limit. */
  | { readonly kind: 'order'; readonly condition: Condition; readonly then: readonly Condition[]; readonly limit: Span }
  /** A tag goes through these values in this order and through no other but the detours. */
  | {
      readonly kind: 'path';
      readonly condition: Condition;
      readonly then: readonly Condition[];
      readonly names: readonly string[];
      readonly detours: readonly Condition[];
      readonly limit: Span;
    }
  /**
   * Each time that the condition holds (a step), or that it does not (a cycle, from the home step left to the same
   * entered again), from the row to the end of the check, is no longer than the limit; or so great a share of them, 0
   * to 1. Without a home of its own a cycle is counted from where the tag's sequence begins, else from the step of that
   * moment.
   */
  | {
      readonly kind: 'timing';
      readonly of: 'cycle' | 'step';
      readonly tag: string;
      readonly home?: string;
      /** The step whose times are counted, of `of: 'step'`. */ readonly step?: string;
      readonly condition: Condition;
      readonly limit: Span;
      readonly share: number;
    }
  /** An interlock rule holds as long as the check plays. */
  | { readonly kind: 'keeps'; readonly rule: string };

/** A length of time, or a number of scans. */
export type Span = { readonly ns: bigint } | { readonly scans: number };

export type RuleForm =
  | { readonly kind: 'always' | 'never'; readonly condition: Condition }
  | { readonly kind: 'follows'; readonly trigger: Condition; readonly condition: Condition; readonly span: Span }
  | { readonly kind: 'atLeast'; readonly condition: Condition; readonly span: Span }
  /** No scan ends in a run-time fault. */
  | { readonly kind: 'neverFaults' };

/** The rule that every project has, whether it is written down or not. */
export const NEVER_FAULTS = 'never faults';

export type Parsed<T> = { readonly value: T } | { readonly error: string };

/** Waiting for a condition ends here unless the sentence gives a time of its own. */
export const DEFAULT_LIMIT: Span = { ns: 10_000_000_000n };

const DURATION = String.raw`(?:T#\S+|\d+(?:\.\d+)?\s*(?:ms|s|min|h|scans?))`;

const HANDLE = String.raw`\w+(?:\.\w+)?`;

const LONG_UNITS =
  /(?<![\w.])(\d+(?:\.\d+)?)\s*(milliseconds?|msecs?|seconds?|secs?|minutes?|mins|hours?|hrs?)(?!\w)/gi;
/** `20 seconds`, `2 hours` as `20 s`, `2 h`, wherever they stand in a sentence. */
export const shortTimes = (text: string): string =>
  text.replace(LONG_UNITS, (_, n: string, unit: string) => {
    const short = /^(milli|ms)/i.test(unit) ? 'ms' : /^s/i.test(unit) ? 's' : /^m/i.test(unit) ? 'min' : 'h';
    return `${n} ${short}`;
  });
/** A length of time as it stands behind `T#`: `1 h 30 min` as `1h30m`; what is none is not made one. */
export const literalTime = (text: string): string =>
  shortTimes(text)
    .replace(/^\s*T#/i, '')
    .replace(/\s+/g, '')
    .replace(/min(?=\d|$)/gi, 'm');

/** `300 ms`, `1.5 s`, `20 seconds`, `1 h 30 min`, `T#2m`, `3 scans`. */
export function parseSpan(text: string): Parsed<Span> {
  const scans = /^(\d+)\s*scans?$/i.exec(text.trim());
  if (scans) return { value: { scans: Number(scans[1]) } };
  const ns = parseDuration(literalTime(text));
  return typeof ns === 'bigint' ? { value: { ns } } : { error: ns };
}
/** Whether a text is a length of time that a timer can have: no number of scans, and not below nothing. */
export function isTime(text: string): boolean {
  const s = parseSpan(text);
  return 'value' in s && 'ns' in s.value && s.value.ns >= 0n;
}

/** The span of a text that DURATION has matched already. */
function spanOf(text: string): Span {
  const s = parseSpan(text);
  return 'value' in s ? s.value : { ns: 0n };
}

const TOLERANCE = String.raw`\s*(?:±|\+-|\+/-)\s*`;
/** `300 ms ± 20 ms` or `300 ± 20 ms`. */
const WINDOW = String.raw`(\d+(?:\.\d+)?|${DURATION})${TOLERANCE}(${DURATION})`;
/** The ends of a window around a time; the first of the two may leave its unit to the second. */
function windowOf(around: string, by: string): Parsed<{ readonly from: Span; readonly to: Span }> {
  const unit = /[a-z]+$/i.exec(by)![0],
    middle = spanOf(/[a-z#]/i.test(around) ? around : `${around} ${unit}`),
    half = spanOf(by);
  const no = {
    error: `'${around} ± ${by}' is no window of time: both are times or both are scans, and the second is not longer than the first.`,
  };
  if ('scans' in middle)
    return 'scans' in half && half.scans <= middle.scans
      ? { value: { from: { scans: middle.scans - half.scans }, to: { scans: middle.scans + half.scans } } }
      : no;
  return 'ns' in half && half.ns <= middle.ns
    ? { value: { from: { ns: middle.ns - half.ns }, to: { ns: middle.ns + half.ns } } }
    : no;
}

const NOT_SAID = /^\s*$/;

const SIGNS: Readonly<Record<string, string>> = {
  '&&': ' AND ',
  '&': ' AND ',
  '||': ' OR ',
  '|': ' OR ',
  '!=': ' <> ',
  '==': ' = ',
  '!': 'NOT ',
};
/** The signs of the rung line, in the words of structured text: a condition may be typed as it stands on a rung. */
const inWords = (text: string): string =>
  /[&|!]|==/.test(text)
    ? text.replace(/'[^']*'|"[^"]*"|\s*(&&|&|\|\||\||!=|==)\s*|!\s*/g, (all: string, sign: string | undefined) =>
        /^['"]/.test(all) ? all : SIGNS[sign ?? '!']!,
      )
    : text;

/**
 * `Running is on`, `Step is Idle`, or any Boolean expression; with `!`, `&` and `|` as on a rung too.
 */
export function parseCondition(text: string): Condition {
  const c = conditionOf(inWords(text.trim()));
  return { ...c, said: text.trim() };
}

function conditionOf(said: string): Condition {
  // A band around a value, `Level = 2.5 ± 0.1`.
  const band = /^(.+?)\s*(?:=|\bis\b)\s*(\S+)\s*(?:±|\+-|\+\/-)\s*(\S+)$/i.exec(said);
  if (band)
    return {
      text: `((${band[1]}) >= ((${band[2]}) - (${band[3]}))) AND ((${band[1]}) <= ((${band[2]}) + (${band[3]})))`,
      said,
    };
  // Parts with AND and OR between them are each said in their own way.
  const parts = connected(said);
  if (parts.length > 1 && parts.some((x) => !x.op && SAID.test(x.text)))
    return { text: parts.map((x) => (x.op ? x.text : `(${conditionOf(x.text.trim()).text})`)).join(' '), said };
  const m = SAID.exec(said);
  if (!m) return { text: said, said };
  const subject = m[1]!.trim(),
    value = m[3]!.toLowerCase();
  const isBoolean = value === 'on' || value === 'off';
  const positive = isBoolean ? (value === 'on') !== !!m[2] : !m[2];
  if (isBoolean) return { text: positive ? subject : `NOT (${subject})`, said };
  return { text: `${subject} ${positive ? '=' : '<>'} ${m[3]}`, said };
}

const SAID = /^(.+?)\s+(?:is|stays|becomes|goes|turns)\s+(not\s+)?(\S+)$/i;
/** Parts of a condition and the AND, OR and XOR between them, outside parentheses. */
function connected(text: string): readonly { readonly text: string; readonly op: boolean }[] {
  const parts: { text: string; op: boolean }[] = [];
  let depth = 0,
    start = 0;
  for (let i = 0; i < text.length; i++) {
    if (text[i] === '(') depth++;
    else if (text[i] === ')') depth--;
    const op = depth === 0 ? /^\s+(AND|OR|XOR)\s+/i.exec(text.slice(i)) : null;
    if (op) {
      parts.push({ text: text.slice(start, i), op: false }, { text: op[1]!.toUpperCase(), op: true });
      i += op[0].length - 1;
      start = i + 1;
    }
  }
  return [...parts, { text: text.slice(start), op: false }];
}

function betweenOf(from: string, to: string): Parsed<{ readonly from: Span; readonly to: Span }> {
  const a = spanOf(from),
    b = spanOf(to);
  const isFine = 'scans' in a ? 'scans' in b && a.scans <= b.scans : 'ns' in b && a.ns <= b.ns;
  return isFine
    ? { value: { from: a, to: b } }
    : {
        error: `'between ${from} and ${to}' is no window of time: both are times or both are scans, the shorter one first.`,
      };
}

export function parseWhen(text: string | undefined): Parsed<When> {
  if (text === undefined || NOT_SAID.test(text) || /^at once$/i.test(text.trim())) return { value: { kind: 'atOnce' } };
  const t = shortTimes(text.trim());
  const beside = /^at the same time(?:\s+as\s+(?:the\s+row\s+above|row\s+(\d+)))?(?:\s*,\s*(.+))?$/i.exec(t);
  if (beside) {
    const then = parseWhen(beside[2]);
    if ('error' in then) return then;
    if (then.value.kind === 'with') return { error: "'at the same time' is said once." };
    return { value: { kind: 'with', ...(beside[1] ? { row: Number(beside[1]) } : {}), then: then.value } };
  }
  const after = new RegExp(`^after\\s+(${DURATION})$`, 'i').exec(t);
  if (after) return { value: { kind: 'after', span: spanOf(after[1]!) } };
  const once = new RegExp(`^once\\s+(.+?)(?:\\s+within\\s+(${DURATION}))?$`, 'i').exec(t);
  if (once)
    return {
      value: { kind: 'once', condition: parseCondition(once[1]!), limit: once[2] ? spanOf(once[2]) : DEFAULT_LIMIT },
    };
  return {
    error: `'${t}' is not a When; write 'at once', 'after 500 ms', 'once DieDown is on', 'at the same time' or 'at the same time as row 2, after 200 ms'.`,
  };
}

export function parseDo(text: string): Parsed<Do> {
  const t = shortTimes(text.trim());
  const match = (pattern: RegExp) => pattern.exec(t);
  let m = match(new RegExp(`^tap\\s+(${HANDLE})(?:\\s+for\\s+(${DURATION}))?$`, 'i'));
  if (m) return { value: { kind: 'tap', device: m[1]!, span: m[2] ? spanOf(m[2]) : { ns: 100_000_000n } } };
  m = match(new RegExp(`^(hold|press|strike)\\s+(${HANDLE})$`, 'i'));
  if (m) return { value: { kind: 'hold', device: m[2]!, on: true } };
  m = match(new RegExp(`^let go(?: of)?\\s+(${HANDLE})$`, 'i'));
  if (m) return { value: { kind: 'hold', device: m[1]!, on: false } };
  m = match(new RegExp(`^turn\\s+(${HANDLE})\\s+(?:to\\s+the\\s+)?(right|left|middle|on|off)$`, 'i'));
  if (m)
    return {
      value: {
        kind: 'turn',
        device: m[1]!,
        to: /right|on/i.test(m[2]!) ? 'right' : /middle/i.test(m[2]!) ? 'middle' : 'left',
      },
    };
  m = match(new RegExp(`^enter\\s+(\\S+)\\s+(?:at|in)\\s+(${HANDLE})$`, 'i'));
  if (m) return { value: { kind: 'enter', device: m[2]!, value: m[1]! } };
  m = match(
    new RegExp(`^(force\\s+)?ramp\\s+(\\S+)\\s+from\\s+(-?[\\d.]+)\\s+to\\s+(-?[\\d.]+)\\s+in\\s+(${DURATION})$`, 'i'),
  );
  if (m)
    return {
      value: {
        kind: 'ramp',
        path: m[2]!,
        from: Number(m[3]),
        to: Number(m[4]),
        span: spanOf(m[5]!),
        forced: m[1] !== undefined,
      },
    };
  m = match(/^(set|write|force)\s+(\S+)\s+(?:to\s+)?(.+)$/i);
  if (m) return { value: { kind: /force/i.test(m[1]!) ? 'force' : 'set', path: m[2]!, value: m[3]! } };
  m = match(/^release\s+(\S+)$/i);
  if (m) return { value: { kind: 'release', path: m[1]! } };
  m = match(/^(upset|clear)\s+(\w+)\.(\w+)$/i);
  if (m) return { value: { kind: 'upset', device: m[2]!, upset: m[3]!, on: m[1]!.toLowerCase() === 'upset' } };
  return {
    error: `'${t}' is not a Do; write for example 'tap Start for 200 ms', 'hold Stop', 'let go of Stop', 'turn Auto right', 'enter 20 at Batch', 'set Total to 0', 'ramp Level from 0 to 10 in 2 s', 'force GuardShut on', 'release GuardShut', 'upset Feed.Jam' or 'clear Feed.Jam'.`,
  };
}

const OF_CYCLES = String.raw`(?:\s+in\s+(\d+(?:\.\d+)?)\s*%\s+of\s+(?:the\s+|all\s+)?cycles)?`;
/**
 * `cycle of Step from Idle within 12 s in 95 % of cycles`, `Step stays in Fill at most 4 s`; undefined for any other
 * sentence.
 */
function parseTiming(t: string): Parsed<Expect> | undefined {
  const cycle = new RegExp(
      `^cycle\\s+of\\s+(\\S+)(?:\\s+from\\s+([\\w#.]+))?\\s+within\\s+(${DURATION})${OF_CYCLES}$`,
      'i',
    ).exec(t),
    step = new RegExp(`^(\\S+)\\s+stays\\s+in\\s+([\\w#.]+)\\s+at\\s+most\\s+(${DURATION})${OF_CYCLES}$`, 'i').exec(t);
  const m = cycle ?? step;
  if (!m)
    return /^cycle\s+of\s/i.test(t)
      ? {
          error: `'${t}' does not say how long a cycle may take; write for example 'cycle of Step within 12 s', 'cycle of Step from Idle within 12 s' or 'cycle of Step within 12 s in 95 % of cycles'.`,
        }
      : undefined;
  const percent = m[4] === undefined ? 100 : Number(m[4]),
    home = cycle?.[2];
  if (percent <= 0 || percent > 100)
    return { error: `${m[4]} % is no share of the cycles: more than 0, and 100 at most.` };
  return {
    value: {
      kind: 'timing',
      of: cycle ? 'cycle' : 'step',
      tag: m[1]!,
      ...(home ? { home } : {}),
      ...(step ? { step: step[2]! } : {}),
      condition: step ? { text: `${m[1]} = ${m[2]}`, said: t } : cycleHome(m[1]!, home, t),
      limit: spanOf(m[3]!),
      share: percent / 100,
    },
  };
}
/**
 * Holds while a cycle does not run; without a home, of any value: the tag must be there, and which one it is turns out
 * as it is played.
 */
export const cycleHome = (tag: string, home: string | undefined, said: string): Condition => ({
  text: `${tag} = ${home ?? tag}`,
  said,
});

export function parseExpect(text: string): Parsed<Expect> {
  const t = shortTimes(text.trim());
  if (!t) return { error: "An Expect is missing; write for example 'Running is on within 200 ms'." };
  const timing = parseTiming(t);
  if (timing) return timing;
  let m = /^never\s+(.+)$/i.exec(t);
  if (m) return { value: { kind: 'never', condition: parseCondition(m[1]!) } };
  m = new RegExp(`^in order:?\\s+(.+?)(?:\\s+within\\s+(${DURATION}))?$`, 'i').exec(t);
  if (m) {
    const list = m[1]!
      .split(/\s*,\s*(?:then\s+)?/)
      .filter(Boolean)
      .map(parseCondition);
    return list.length > 1
      ? {
          value: {
            kind: 'order',
            condition: list[0]!,
            then: list.slice(1),
            limit: m[2] ? spanOf(m[2]) : DEFAULT_LIMIT,
          },
        }
      : { error: `'in order' wants two things or more: 'in order: ClampShut is on, DieDown is on within 5 s'.` };
  }
  m = new RegExp(
    `^(\\S+)\\s+goes\\s+(?:through\\s+)?([\\w#.]+(?:\\s*,\\s*[\\w#.]+)+)(?:\\s+or\\s+([\\w#.]+(?:\\s*,\\s*[\\w#.]+)*))?(?:\\s+within\\s+(${DURATION}))?$`,
    'i',
  ).exec(t);
  if (m) {
    const tag = m[1]!,
      of = (v: string): Condition => ({ text: `${tag} = ${v}`, said: `${tag} is ${v}` }),
      names = m[2]!.split(/\s*,\s*/),
      list = names.map(of);
    return {
      value: {
        kind: 'path',
        condition: list[0]!,
        then: list.slice(1),
        names,
        detours: (m[3] ?? '')
          .split(/\s*,\s*/)
          .filter(Boolean)
          .map(of),
        limit: m[4] ? spanOf(m[4]) : DEFAULT_LIMIT,
      },
    };
  }
  m = /^keeps\s+'(.+)'$/i.exec(t);
  if (m) return { value: { kind: 'keeps', rule: m[1]! } };
  const windowed = (
    kind: 'window' | 'lasts',
    condition: string,
    ends: Parsed<{ readonly from: Span; readonly to: Span }>,
    limit?: string,
  ): Parsed<Expect> =>
    'error' in ends
      ? ends
      : {
          value: {
            kind,
            condition: parseCondition(condition),
            ...ends.value,
            ...(limit ? { limit: spanOf(limit) } : {}),
          },
        };
  m = new RegExp(`^(.+?)\\s+after\\s+${WINDOW}$`, 'i').exec(t);
  if (m) return windowed('window', m[1]!, windowOf(m[2]!, m[3]!));
  m = new RegExp(`^(.+?)\\s+between\\s+(${DURATION})\\s+and\\s+(${DURATION})$`, 'i').exec(t);
  if (m) return windowed('window', m[1]!, betweenOf(m[2]!, m[3]!));
  m = new RegExp(`^(.+?)\\s+(?:for|(lasts))\\s+${WINDOW}(?:\\s+within\\s+(${DURATION}))?$`, 'i').exec(t);
  if (m && (m[2] || !m[5]))
    return windowed('lasts', m[1]!, windowOf(m[3]!, m[4]!), m[2] ? (m[5] ?? '10 s') : undefined);
  if (new RegExp(`\\swithin\\s+${WINDOW}$`, 'i').test(t))
    return { error: "A time with a tolerance is said with 'after': 'DieDown is on after 300 ms ± 20 ms'." };
  m = new RegExp(`^(.+?)\\s+(within|for)\\s+(${DURATION})$`, 'i').exec(t);
  const until = /^(.+?)\s+until\s+(.+?)$/i.exec(m?.[2]?.toLowerCase() === 'within' ? m[1]! : t);
  if (until)
    return {
      value: {
        kind: 'until',
        condition: parseCondition(until[1]!),
        end: parseCondition(until[2]!),
        limit: m ? spanOf(m[3]!) : DEFAULT_LIMIT,
      },
    };
  if (m) {
    const span = parseSpan(m[3]!);
    if ('error' in span) return span;
    return { value: { kind: m[2]!.toLowerCase() as 'within', condition: parseCondition(m[1]!), span: span.value } };
  }
  return { value: { kind: 'now', condition: parseCondition(t) } };
}

/** The parts of `A, B and C`, outside parentheses. */
function listed(text: string): readonly string[] {
  const parts: string[] = [];
  let depth = 0,
    start = 0;
  for (let i = 0; i < text.length; i++) {
    if (text[i] === '(') depth++;
    else if (text[i] === ')') depth--;
    const between = depth === 0 ? /^(\s*,\s*(?:and\s+)?|\s+and\s+)/i.exec(text.slice(i)) : null;
    if (between) {
      parts.push(text.slice(start, i));
      i += between[0].length - 1;
      start = i + 1;
    }
  }
  return [...parts, text.slice(start)].map((p) => p.trim()).filter(Boolean);
}

/** Why a condition cannot be read; what its names are is not asked here, they may not be there yet. */
export function unreadable(text: string | undefined): string | undefined {
  const said = text?.trim();
  if (!said) return undefined;
  const found = new Problems();
  parseExpressionText(makeSource('', parseCondition(said).text, { kind: 'library' }), found);
  const first = found.list.find((d) => d.severity === 'error');
  return first && `‘${said}’ is no condition: ${first.message} Write for example DoorShut AND NOT Fault.`;
}

/** Two or more that are never on at once, in the orders in which it is said. */
const TOGETHER: readonly RegExp[] = [
  /^never\s+(.+?)\s+(?:together|at once|at the same time)$/i,
  /^never\s+both\s+(.+)$/i,
  /^(.+?)\s+(?:(?:is|are)\s+)?never\s+(?:on\s+)?(?:together|both(?:\s+on)?|at once|at the same time)$/i,
];
const requires = (what: string, needed: string, said: string): RuleForm => ({
  kind: 'always',
  condition: { text: `NOT (${parseCondition(what).text}) OR (${parseCondition(needed).text})`, said },
});
/** `never A while B`, `A never without B`, `if A then B`: what says the same as the forms of the manual. */
function otherwise(t: string): RuleForm | undefined {
  const without =
    /^never\s+(.+?)\s+without\s+(.+)$/i.exec(t) ??
    /^(.+?)\s+(?:is\s+)?(?:never|not)(?:\s+on)?\s+without\s+(.+)$/i.exec(t) ??
    /^if\s+(.+?)(?:\s*,\s*(?:then\s+)?|\s+then\s+)(.+)$/i.exec(t);
  if (without) return requires(without[1]!, without[2]!, t);
  const besides =
    /^never\s+(.+?)\s+(?:while|when|if)\s+(.+)$/i.exec(t) ??
    /^(.+?)\s+(?:is\s+)?(?:never|not)(?:\s+on)?\s+(?:while|when|if|with)\s+(.+)$/i.exec(t);
  return (
    (besides && {
      kind: 'never',
      condition: {
        text: `(${parseCondition(besides[1]!).text}) AND (${parseCondition(besides[2]!).text})`,
        said: `${besides[1]} while ${besides[2]}`,
      },
    }) ??
    undefined
  );
}

/** The sentence forms of interlock rules. */
export function parseRule(text: string, outputs: readonly string[] = []): Parsed<RuleForm> {
  const t = shortTimes(text.trim().replace(/\.$/, ''));
  if (/^never\s+faults?$/i.test(t)) return { value: { kind: 'neverFaults' } };
  const without = /^no\s+(.+?)(?:\s+except\s+(.+?))?\s+without\s+(.+)$/i.exec(t);
  if (without) {
    const list = (names: string | undefined) =>
        (names ?? '')
          .split(/\s*,\s*|\s+and\s+|\s+or\s+/i)
          .map((n) => n.trim())
          .filter(Boolean),
      but = new Set(list(without[2]).map((n) => n.toLowerCase()));
    const every = /^outputs?$/i.test(without[1]!),
      unknown = every ? list(without[2]).filter((n) => !outputs.some((o) => o.toLowerCase() === n.toLowerCase())) : [];
    if (unknown.length) return { error: `‘${unknown[0]}’ is not one of the outputs (BOOL tags at %QX…).` };
    const names = (every ? outputs : list(without[1])).filter((n) => !but.has(n.toLowerCase()));
    if (!names.length)
      return { error: 'There is no output that this rule would speak of: no BOOL tag has an address at %QX….' };
    return {
      value: {
        kind: 'always',
        condition: { text: `NOT (${names.join(' OR ')}) OR (${parseCondition(without[3]!).text})`, said: t },
      },
    };
  }
  const asked = otherwise(t);
  if (asked) return { value: asked };
  let m = TOGETHER.map((form) => form.exec(t)).find(Boolean) ?? null;
  const apart = m ? listed(m[1]!) : [];
  if (m && apart.length > 1) {
    // Of several no two: each pair is said.
    const texts = apart.map((x) => `(${parseCondition(x).text})`),
      pairs = texts.flatMap((a, i) => texts.slice(i + 1).map((b) => `${a} AND ${b}`));
    return {
      value: {
        kind: 'never',
        condition: {
          text: pairs.length === 1 ? pairs[0]! : pairs.map((p) => `(${p})`).join(' OR '),
          said: `${m[1]} together`,
        },
      },
    };
  }
  m = /^never\s+(.+)$/i.exec(t);
  if (m) return { value: { kind: 'never', condition: parseCondition(m[1]!) } };
  m = /^always\s+(.+)$/i.exec(t);
  if (m) return { value: { kind: 'always', condition: parseCondition(m[1]!) } };
  m = /^(.+?)\s+(?:requires|needs|only (?:while|when|if|with))\s+(.+)$/i.exec(t);
  if (m) return { value: requires(m[1]!, m[2]!, t) };
  m = new RegExp(`^after\\s+((?:[^,(]|\\([^)]*\\))+?)\\s*,\\s*(.+?)\\s+within\\s+(${DURATION})$`, 'i').exec(t);
  if (m)
    return {
      value: { kind: 'follows', trigger: parseCondition(m[1]!), condition: parseCondition(m[2]!), span: spanOf(m[3]!) },
    };
  m = new RegExp(`^(.+?)\\s+stays(?:\\s+on)?\\s+at least\\s+(${DURATION})$`, 'i').exec(t);
  if (m) return { value: { kind: 'atLeast', condition: parseCondition(m[1]!), span: spanOf(m[2]!) } };
  m = /^(.+?)\s+between\s+(\S+)\s+and\s+(\S+)$/i.exec(t);
  if (m)
    return { value: { kind: 'always', condition: { text: `(${m[1]}) >= ${m[2]} AND (${m[1]}) <= ${m[3]}`, said: t } } };
  // A condition by itself is not guessed at: it may be meant to hold always, or never.
  if (/\b(AND|OR|XOR|NOT)\b|[=<>&|!]/i.test(t) && unreadable(t) === undefined)
    return { error: `‘${t}’ alone does not say when: write ‘always ${t}’ or ‘never ${t}’.` };
  return {
    error: `${t ? `‘${t}’ is not a rule` : 'Nothing is written yet'}; write for example 'never DieClose and FeedMotor together', 'DieClose requires ClampShut', 'Valve only while Running', 'after BladeOut, BladeDown within 1 s', 'Lamp stays at least 300 ms', 'Level between 0 and 100', 'no output without EStopOK', 'always A OR B' or 'never faults'.`,
  };
}
