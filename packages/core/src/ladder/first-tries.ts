/**
 * What people write first who do not know the rung line yet, answered with the line that does it. Each try is put right
 * and read again: only a line that is a rung then is offered.
 */

export interface Instead {
  /** What is to be known, in a sentence or two. */ readonly why: string;
  /** The whole line that does it; missing where nobody but its author can finish it. */ readonly line?: string;
}

const MOST_CHARACTERS = 500;

type Try = readonly [why: string, put: (line: string) => string];

const NAME = String.raw`[A-Za-z_%][\w.%]*(?:\[[^\]]*\])?(?:\.\w+)*`;
/** How seconds, minutes and hours are written elsewhere. */
const UNITS = /\b(\d+(?:\.\d+)?)\s*(secs?|seconds?|mins|minutes?|hrs?|hours?|msecs?|milliseconds?)\b/gi;
const unitOf = (u: string): string =>
  /^m(s|illi)/i.test(u) ? 'ms' : /^m/i.test(u) ? 'min' : /^h/i.test(u) ? 'h' : 's';
/** Conditions with what else is in series with them. */
const inSeries = (logic: string): string =>
  !logic.trim() ? '' : logic.includes('|') ? `(${logic}) & ` : `${logic} & `;
const behindArrow = (sign: string): RegExp => new RegExp(`(->\\s*|,\\s*)${sign}\\s*(?=${NAME})`, 'gi');

const TRIES: readonly Try[] = [
  ["The outputs stand behind an arrow, '->'.", (l) => l.replace(/=>|[-—–]\s*>|[→⟶➔]|[—–]>?/, '->')],
  ["'&' and '|' are written once.", (l) => l.replace(/&&/g, '&').replace(/\|\|/g, '|')],
  ["A coil that is on while the rung has no power is written '!'.", (l) => l.replace(behindArrow('NOT\\b'), '$1!')],
  [
    'A block stands before the output, and a rung has one arrow.',
    (l) => {
      const [logic, block, ...outputs] = l.split(/\s*->\s*/);
      return outputs.length === 1 && /^[A-Za-z_]\w*(@\w+)?\s*(:\s*\w+\s*)?\(/.test(block!)
        ? `${inSeries(logic!)}${block} -> ${outputs[0]}`
        : l;
    },
  ],
  [
    'A rung has one arrow; outputs stand behind it, with commas between them.',
    (l) => {
      const [logic, ...outputs] = l.split(/\s*->\s*/);
      return outputs.length > 1 ? `${logic} -> ${outputs.join(', ')}` : l;
    },
  ],
  [
    "Seconds are written 's', minutes 'min', hours 'h'.",
    (l) => l.replace(UNITS, (_, n: string, u: string) => `${n} ${unitOf(u)}`),
  ],
  [
    'A contact has no exclusive OR; it is made of two legs.',
    (l) => l.replace(new RegExp(`(${NAME})\\s+XOR\\s+(${NAME})`, 'gi'), '($1 & !$2 | !$1 & $2)'),
  ],
  [
    'Conditions stand first, the output behind an arrow.',
    (l) => {
      const stored = new RegExp(`^\\s*(${NAME})\\s*:=\\s*([^:{}]+?);?\\s*$`).exec(l);
      return stored ? `${stored[2]!.replace(/\bNOT\s+(?=[A-Za-z_%])/gi, '!')} -> ${stored[1]}` : l;
    },
  ],
  ['A rung ends with its last output, without a sign behind it.', (l) => l.replace(/\s*[;.]\s*$/, '')],
  ["A coil that switches on and leaves it on is 'set'.", (l) => l.replace(behindArrow(String.raw`\+`), '$1set ')],
  [
    "A coil that switches off and leaves it off is 'reset'; one that is on while the rung has no power is '!'.",
    (l) => l.replace(behindArrow('-'), '$1reset '),
  ],
  [
    "Coils that keep are written 'set' and 'reset'.",
    (l) =>
      l
        .replace(new RegExp(`(->\\s*|,\\s*)\\(?S\\)?\\s+(?=${NAME})`, 'gi'), '$1set ')
        .replace(new RegExp(`(->\\s*|,\\s*)\\(?R\\)?\\s+(?=${NAME})`, 'gi'), '$1reset '),
  ],
  [
    'Outputs stand beside each other, with commas between them.',
    (l) => {
      const [logic, ...outputs] = l.split('->');
      return outputs.length === 1
        ? `${logic}->${outputs[0]!.replace(new RegExp(`(${NAME})(?:\\s*[|;&]\\s*|\\s+)(?=!?${NAME})`, 'g'), (m: string, a: string) => (/^(set|reset)$/i.test(a) ? m : `${a}, `))}`
        : l;
    },
  ],
  [
    'A coil stands without parentheses.',
    (l) => l.replace(new RegExp(`(->\\s*|,\\s*)\\(\\s*((?:set |reset |!)?\\s*${NAME})\\s*\\)`, 'g'), '$1$2'),
  ],
  [
    "A normally closed contact is written '!'.",
    (l) => l.replace(new RegExp(`(^|[&|(]|\\b(?:AND|OR)\\b)(\\s*)[/-]\\s*(?=${NAME})`, 'gi'), '$1$2!'),
  ],
  [
    "What is stored stands in braces: '{ }'.",
    (l) => l.replace(new RegExp(`->\\s*(${NAME}\\s*:=\\s*[^,{}]+?);?\\s*$`), '-> { $1; }'),
  ],
  [
    "What is stored stands behind the arrow, in braces: '{ }'.",
    (l) => l.replace(new RegExp(`^\\s*(${NAME}\\s*:=\\s*[^,{}]+?);?\\s*->\\s*(.+)$`), '-> $2, { $1; }'),
  ],
  [
    "Contacts one behind the other are joined by '&', beside each other by '|'.",
    (l) => {
      const [logic, ...outputs] = l.split('->');
      return [
        logic!.replace(new RegExp(`(${NAME}|\\))\\s+(?=!?\\(?${NAME})`, 'g'), (m: string, a: string) =>
          /^(AND|OR|NOT|XOR|MOD)$/i.test(a) ? m : `${a} & `,
        ),
        ...outputs,
      ].join('->');
    },
  ],
  [
    "Contacts one behind the other are joined by '&', beside each other by '|'.",
    (l) => {
      const [logic, ...outputs] = l.split('->');
      return [logic!.replace(/\s*,\s*/g, ' & '), ...outputs].join('->');
    },
  ],
];

/**
 * What to write instead of a line that is no rung; undefined where the parser's own words say it better. `reads`:
 * whether a line is a rung.
 */
export function insteadOf(line: string, reads: (line: string) => boolean): Instead | undefined {
  // Nobody writes so much first; patterns over a long line cost more than its length.
  if (line.length > MOST_CHARACTERS) return undefined;
  if (!line.trim())
    return { why: 'The rung is empty: write its contacts, an arrow and its output, such as A & !B -> C.' };
  if (/^\s*(IF|CASE|FOR|WHILE|REPEAT)\b/i.test(line))
    return {
      why: 'A rung is one line of contacts and outputs, such as A & !B -> C. Statements stand in a program in structured text.',
    };
  const once = TRIES.map(([why, put]): Instead & { readonly line: string } => ({ why, line: put(line) })).filter(
    (t) => t.line !== line,
  );
  for (const t of once) if (reads(t.line)) return t;
  // Two things may be wrong at once.
  for (const t of once)
    for (const [why, put] of TRIES) {
      const next = put(t.line);
      if (next !== t.line && next !== line && reads(next)) return { why: `${t.why} ${why}`, line: next };
    }
  if (!line.includes('->') && reads(`${line} -> x`))
    return { why: `A rung needs an output behind an arrow, such as ${line.trim()} -> Lamp.` };
  if (/->\s*$/.test(line) && reads(`${line} x`))
    return { why: `Behind the arrow stands an output, such as ${line.trim()} Lamp.` };
  const [logic = '', behind = '', ...more] = line.split(/\s*->\s*/),
    withBlock = `${inSeries(logic)}${behind.trim()}`;
  if (!more.length && /^[A-Za-z_]\w*\s*(:\s*\w+\s*)?\(/.test(behind) && reads(`${withBlock} -> x`))
    return { why: `A block stands before the output, such as ${withBlock.trim()} -> Lamp.` };
  return undefined;
}
