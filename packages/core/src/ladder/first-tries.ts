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
const behindArrow = (sign: string): RegExp => new RegExp(`(->\\s*|,\\s*)${sign}\\s*(?=${NAME})`, 'g');

const TRIES: readonly Try[] = [
  ["The outputs stand behind an arrow, '->'.", (l) => l.replace(/=>/, '->')],
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
  for (const [why, put] of TRIES) {
    const next = put(line);
    if (next !== line && reads(next)) return { why, line: next };
  }
  if (!line.includes('->') && reads(`${line} -> x`))
    return { why: `A rung needs an output behind an arrow, such as ${line.trim()} -> Lamp.` };
  if (/->\s*[A-Za-z_]\w*\s*(:\s*\w+\s*)?\(/.test(line) && reads(`${line.replace(/\s*->\s*/, ' & ')} -> x`))
    return {
      why: `A block stands before the output, such as ${line.replace(/\s*->\s*/, ' & ').trim()} -> Lamp.`,
    };
  return undefined;
}
