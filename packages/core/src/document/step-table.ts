/** A plain step table in and out: CSV or what a spreadsheet puts on the clipboard. */
import Papa from 'papaparse';
import { shortTimes } from '../sentences/sentences.js';
import { timedCondition } from '../sentences/timed.js';
import type { PlanStep, Sequence, Way } from './document.js';

const COLUMNS = [
  'Step',
  'On while in it',
  'Moves on when',
  'For',
  'To',
  'Limit',
  'Past the limit',
  'Expected',
  'Modes',
] as const;
const KNOWN: readonly (readonly [RegExp, number])[] = [
  [/^step|^name/i, 0],
  [/^on\b|output|action/i, 1],
  [/^when|moves|condition|ends/i, 2],
  [/^for\b|hold|time$/i, 3],
  [/^to\b|next|goes/i, 4],
  [/^limit|^max/i, 5],
  [/past|fault|then/i, 6],
  [/^expect|^meant|^cycle/i, 7],
  [/^mode/i, 8],
];

export interface StepTable {
  /** Lines before the table: what the machine does, in words. */ readonly description?: string;
  readonly steps: readonly PlanStep[];
  /** What was not understood, by line. */ readonly problems: readonly {
    readonly line: number;
    readonly message: string;
  }[];
}

const delimiterOf = (text: string): string =>
  text.includes('\t') ? '\t' : text.includes(';') && !text.includes(',') ? ';' : ',';
/** A row that heads a table of steps: it names them, and at least one more of the columns. */
function isHeading(line: string): boolean {
  const cells = line.split(delimiterOf(line)).map((c) => c.trim());
  return (
    cells.length > 1 &&
    /^(step|name)s?$/i.test(cells.find((c) => /^(step|name)/i.test(c)) ?? '') &&
    cells.filter((c) => c.length < 30 && KNOWN.some(([p]) => p.test(c))).length >= 2
  );
}
/**
 * A description in words, and the table below it: that begins with its headings, or, with tabs in it, at the first tab.
 */
function parted(text: string): { readonly words: string; readonly table: string; readonly skipped: number } {
  const lines = text.split(/\r?\n/),
    heading = lines.findIndex(isHeading),
    from =
      heading >= 0
        ? heading
        : Math.max(
            0,
            lines.findIndex((l) => l.includes('\t')),
          );
  return {
    words: lines
      .slice(0, from)
      .map((l) => l.trim())
      .join('\n')
      .replace(/\n{2,}/g, '\n\n')
      .trim(),
    table: lines.slice(from).join('\n'),
    skipped: from,
  };
}

/**
 * Reads rows of steps; a paragraph before them is what the plan says in words. A first row of headings may name the
 * columns in any order; a row without a step is another way out of the one above.
 */
export function readSteps(text: string, newId: (prefix: string) => string): StepTable {
  const { words, table, skipped } = parted(text.trim());
  const { data } = Papa.parse<string[]>(table, {
    delimiter: delimiterOf(table),
    skipEmptyLines: true,
  });
  const problems: { line: number; message: string }[] = [];
  const heads = data[0]?.map((h) => KNOWN.find(([p]) => p.test(h.trim()))?.[1]);
  const isHead =
    heads !== undefined &&
    heads.filter((h) => h !== undefined).length >= Math.min(2, heads.length) &&
    /step|name/i.test(data[0]!.join(' '));
  const order = isHead ? heads : COLUMNS.map((_, i) => i);
  const rows = data.slice(isHead ? 1 : 0).map((r, i) => ({
    line: skipped + i + (isHead ? 2 : 1),
    cells: COLUMNS.map((_, c) => {
      const at = order.indexOf(c);
      return at < 0 ? '' : (r[at] ?? '').trim();
    }),
  }));
  const steps: {
    step: PlanStep;
    ways: { way: Omit<Way, 'to'>; to: string; line: number }[];
    past: string;
    line: number;
  }[] = [];
  for (const { line, cells } of rows) {
    const [name, on, when, hold, to, limit, past, expected, modes] = cells as [
      string,
      string,
      string,
      string,
      string,
      string,
      string,
      string,
      string,
    ];
    // The time may stand with the condition, as in a sentence.
    const said = hold ? undefined : timedCondition(when),
      asked = said?.when ?? when,
      held = shortTimes(said?.for ?? hold);
    const way = {
      way: { id: newId('w'), ...(asked ? { when: asked } : {}), ...(held ? { for: held } : {}) },
      to,
      line,
    };
    if (!name) {
      if (!steps.length) {
        problems.push({ line, message: 'The first row names no step.' });
        continue;
      }
      steps[steps.length - 1]!.ways.push(way);
      continue;
    }
    steps.push({
      step: {
        id: newId('s'),
        name,
        ways: [],
        ...(on
          ? {
              on: on
                .split(/[,+]|\s{2,}/)
                .map((o) => o.trim())
                .filter(Boolean),
            }
          : {}),
        ...(expected ? { expected: shortTimes(expected) } : {}),
        ...(limit ? { limit: shortTimes(limit) } : {}),
        ...(modes
          ? {
              modes: modes
                .split(/[,+]/)
                .map((m) => m.trim())
                .filter(Boolean),
            }
          : {}),
      },
      ways: [way],
      past,
      line,
    });
  }
  const find = (n: string) => steps.find((s) => s.step.name.toLowerCase() === n.toLowerCase())?.step.id;
  return {
    ...(words ? { description: words } : {}),
    problems,
    steps: steps.map(({ step, ways, past, line }, i): PlanStep => {
      const made = ways.flatMap(({ way, to, line: at }): Way[] => {
        const target = to ? find(to) : (steps[i + 1]?.step.id ?? steps[0]?.step.id);
        if (to && !target) {
          problems.push({ line: at, message: `There is no step ‘${to}’ to go to.` });
          return [];
        }
        return target ? [{ ...way, to: target }] : [];
      });
      const fault = /(\d+)/.exec(past)?.[1],
        goes = past ? find(past.replace(/^to\s+/i, '')) : undefined;
      if (past && fault === undefined && !goes)
        problems.push({ line, message: `‘${past}’ is neither a fault number nor a step.` });
      return {
        ...step,
        ways: made,
        ...(past && (fault !== undefined || goes) ? { past: goes ? { to: goes } : { fault: Number(fault) } } : {}),
      };
    }),
  };
}

/** The same table, with tabs: what a spreadsheet takes. */
export function stepsToTable(s: Sequence): string {
  const name = (id: string | undefined) => s.steps.find((x) => x.id === id)?.name ?? '';
  const hasModes = s.steps.some((x) => x.modes?.length),
    expects = s.steps.some((x) => x.expected);
  const rows = s.steps.flatMap((x) =>
    (x.ways.length ? x.ways : [undefined]).map((w, i) => [
      i ? '' : x.name,
      i ? '' : (x.on ?? []).join(', '),
      w?.when ?? '',
      w?.for ?? '',
      name(w?.to),
      i ? '' : (x.limit ?? ''),
      i ? '' : x.past?.fault !== undefined ? `Fault ${x.past.fault}` : name(x.past?.to),
      ...(expects ? [i ? '' : (x.expected ?? '')] : []),
      ...(hasModes ? [i ? '' : (x.modes ?? []).join(', ')] : []),
    ]),
  );
  const columns = COLUMNS.filter((c) => (c === 'Expected' ? expects : c !== 'Modes' || hasModes));
  return Papa.unparse([columns, ...rows], { delimiter: '\t', newline: '\n' });
}
