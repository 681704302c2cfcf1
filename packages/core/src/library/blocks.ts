/**
 * The standard function blocks (clause 6.6.3.5, tables 43 to 46), written in structured text and compiled
 * like the user's own. Timers read the simulated time of the scan; choices.md says what the standard leaves open.
 */
import { Problems } from '../language/diagnostic.js';
import { parseFile } from '../language/parser.js';
import { makeSource } from '../language/source.js';
import type { Pou } from '../language/tree.js';
import { type LibraryBlock, OWN_BLOCKS } from './own.js';

const TIMER = (name: string, time: string, body: string) => `
FUNCTION_BLOCK ${name}
VAR_INPUT IN : BOOL; PT : ${time}; END_VAR
VAR_OUTPUT Q : BOOL; ET : ${time}; END_VAR
VAR Since : ${time}; Was : BOOL; END_VAR
VAR_TEMP Past : ${time}; END_VAR
${body}
END_FUNCTION_BLOCK`;

const TON = `
IF IN THEN
  IF NOT Was THEN Since := __NOW(); END_IF;
  Past := __NOW() - Since;
  Q := Past >= PT;
  ET := MIN(Past, PT);
ELSE
  Q := FALSE; ET := T#0s;
END_IF;
Was := IN;`;

const TOF = `
IF IN THEN
  Q := TRUE; ET := T#0s;
ELSIF Was THEN
  Since := __NOW(); ET := T#0s; Q := PT > T#0s;
ELSIF Q THEN
  ET := __NOW() - Since;
  IF ET >= PT THEN ET := PT; Q := FALSE; END_IF;
END_IF;
Was := IN;`;

// A pulse cannot be started again while it lasts; ET stays at PT until IN falls.
const TP = `
IF Q THEN
  ET := __NOW() - Since;
  IF ET >= PT THEN ET := PT; Q := FALSE; END_IF;
ELSIF IN AND NOT Was THEN
  Since := __NOW(); ET := T#0s; Q := PT > T#0s;
END_IF;
IF NOT Q AND NOT IN THEN ET := T#0s; END_IF;
Was := IN;`;

const COUNTERS = (suffix: string, type: string, highest: string, lowest: string) => `
FUNCTION_BLOCK CTU${suffix}
VAR_INPUT CU : BOOL; R : BOOL; PV : ${type}; END_VAR
VAR_OUTPUT Q : BOOL; CV : ${type}; END_VAR
VAR CuWas : BOOL; END_VAR
IF R THEN CV := 0;
ELSIF CU AND NOT CuWas AND CV < ${highest} THEN CV := CV + 1;
END_IF;
CuWas := CU;
Q := CV >= PV;
END_FUNCTION_BLOCK
FUNCTION_BLOCK CTD${suffix}
VAR_INPUT CD : BOOL; LD : BOOL; PV : ${type}; END_VAR
VAR_OUTPUT Q : BOOL; CV : ${type}; END_VAR
VAR CdWas : BOOL; END_VAR
IF LD THEN CV := PV;
ELSIF CD AND NOT CdWas AND CV > ${lowest} THEN CV := CV - 1;
END_IF;
CdWas := CD;
Q := CV <= 0;
END_FUNCTION_BLOCK
FUNCTION_BLOCK CTUD${suffix}
VAR_INPUT CU : BOOL; CD : BOOL; R : BOOL; LD : BOOL; PV : ${type}; END_VAR
VAR_OUTPUT QU : BOOL; QD : BOOL; CV : ${type}; END_VAR
VAR CuWas : BOOL; CdWas : BOOL; Up : BOOL; Down : BOOL; END_VAR
Up := CU AND NOT CuWas; Down := CD AND NOT CdWas;
IF R THEN CV := 0;
ELSIF LD THEN CV := PV;
ELSIF NOT (Up AND Down) THEN
  IF Up AND CV < ${highest} THEN CV := CV + 1;
  ELSIF Down AND CV > ${lowest} THEN CV := CV - 1;
  END_IF;
END_IF;
CuWas := CU; CdWas := CD;
QU := CV >= PV; QD := CV <= 0;
END_FUNCTION_BLOCK`;

const BISTABLE = `
FUNCTION_BLOCK SR
VAR_INPUT S1 : BOOL; R : BOOL; END_VAR VAR_OUTPUT Q1 : BOOL; END_VAR
Q1 := S1 OR (NOT R AND Q1);
END_FUNCTION_BLOCK
FUNCTION_BLOCK RS
VAR_INPUT S : BOOL; R1 : BOOL; END_VAR VAR_OUTPUT Q1 : BOOL; END_VAR
Q1 := NOT R1 AND (S OR Q1);
END_FUNCTION_BLOCK
FUNCTION_BLOCK R_TRIG
VAR_INPUT CLK : BOOL; END_VAR VAR_OUTPUT Q : BOOL; END_VAR VAR M : BOOL; END_VAR
Q := CLK AND NOT M; M := CLK;
END_FUNCTION_BLOCK
FUNCTION_BLOCK F_TRIG
VAR_INPUT CLK : BOOL; END_VAR VAR_OUTPUT Q : BOOL; END_VAR VAR M : BOOL; END_VAR
Q := NOT CLK AND NOT M; M := NOT CLK;
END_FUNCTION_BLOCK`;

const INTEGERS = [
  ['', 'INT', '32767', '-32768'],
  ['_INT', 'INT', '32767', '-32768'],
  ['_DINT', 'DINT', '2147483647', '-2147483648'],
  ['_LINT', 'LINT', '9223372036854775807', '-9223372036854775808'],
  ['_UINT', 'UINT', '65535', '0'],
  ['_UDINT', 'UDINT', '4294967295', '0'],
  ['_ULINT', 'ULINT', '18446744073709551615', '0'],
] as const;

/** The library as one text, for the help and for reading. */
export const STANDARD_BLOCKS_TEXT = [
  BISTABLE,
  ...[
    ['TON', TON],
    ['TOF', TOF],
    ['TP', TP],
  ].flatMap(([name, body]) => [
    TIMER(name!, 'TIME', body!),
    TIMER(`${name}_TIME`, 'TIME', body!),
    TIMER(`${name}_LTIME`, 'LTIME', body!),
  ]),
  ...INTEGERS.map(([suffix, type, high, low]) => COUNTERS(suffix, type, high, low)),
].join('\n');

const parsed: ReadonlyMap<string, Pou> = (() => {
  const problems = new Problems();
  const texts: readonly (readonly [string, string])[] = [
    ['library/standard.st', STANDARD_BLOCKS_TEXT],
    ...OWN_BLOCKS.map((b) => [`library/${b.name.toLowerCase()}.st`, b.text] as const),
  ];
  const pous = texts
    .flatMap(([name, text]) => parseFile(makeSource(name, text, { kind: 'library' }), problems))
    .filter((d): d is Pou => d.kind === 'pou');
  if (problems.hasErrors) throw new Error(`The block library does not parse: ${problems.list[0]!.message}`);
  return new Map(pous.map((p) => [p.name.text.toLowerCase(), p]));
})();

/** The blocks that come with Ferrule, the standard's and its own, by lower-case name. */
export const standardBlocks = (): ReadonlyMap<string, Pou> => parsed;

const ABOUT: Readonly<Record<string, string>> = {
  TON: 'On-delay: Q comes on when IN has been on for PT, and goes off with IN.',
  TOF: 'Off-delay: Q comes on with IN and stays on for PT after IN went off.',
  TP: 'Pulse: at the rise of IN, Q is on for PT, whatever IN does.',
  CTU: 'Counts up at each rise of CU; Q is on from PV on. R sets it back to 0.',
  CTD: 'Counts down at each rise of CD; Q is on at 0 and below. LD loads PV.',
  CTUD: 'Counts up and down; QU is on from PV on, QD at 0 and below.',
  R_TRIG: 'Q is on for the one call in which CLK rises.',
  F_TRIG: 'Q is on for the one call in which CLK falls.',
  SR: 'Remembers: S1 sets, R resets; S1 wins.',
  RS: 'Remembers: S sets, R1 resets; R1 wins.',
};

/** The standard's blocks as the help shows them; variants of a type (CTU_DINT) share the page of their block. */
export const STANDARD_BLOCKS: readonly LibraryBlock[] = Object.entries(ABOUT).map(([name, about]) => ({
  name,
  about,
  text: new RegExp(`FUNCTION_BLOCK ${name}\\n[\\s\\S]*?END_FUNCTION_BLOCK`).exec(STANDARD_BLOCKS_TEXT)?.[0] ?? '',
}));
