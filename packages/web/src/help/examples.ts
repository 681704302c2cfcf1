/**
 * Small programs that show what a block or an element does: worked by hand in the help, and played once for the timing
 * chart.
 */

import type { Device, OwnKind } from '@ferrule/core/document';

export interface Example {
  /** `Name : TYPE := value` of each tag. */
  readonly tags: readonly string[];
  /** Rung lines, or structured text of a program. */
  readonly rungs?: readonly string[];
  readonly text?: string;
  /** Devices of a machine, wired among themselves; their pictures are shown. */
  readonly devices?: readonly Omit<Device, 'id'>[];
  readonly kinds?: readonly OwnKind[];
  /** Tags with a button, and numbers with a field. */
  readonly press: readonly string[];
  readonly set?: readonly string[];
  /** Traces of the chart: BOOLs as bands, others as curves. */
  readonly watch: readonly string[];
  /** The chart: at so many ms, this tag becomes that; `ms` long. */
  readonly play: readonly (readonly [number, string, string])[];
  readonly ms: number;
}

const tap = (tag: string, ...at: readonly number[]): [number, string, string][] =>
  at.flatMap((t): [number, string, string][] => [
    [t, tag, '1'],
    [t + 150, tag, '0'],
  ]);
const hold = (tag: string, from: number, to: number): [number, string, string][] => [
  [from, tag, '1'],
  [to, tag, '0'],
];

const timer = (type: string): Example => ({
  tags: ['In : BOOL', `Timer : ${type}`, 'Lamp : BOOL'],
  rungs: ['In & Timer(PT := 1 s) -> Lamp'],
  press: ['In'],
  watch: ['In', 'Timer.ET', 'Lamp'],
  ms: 5000,
  play: [...hold('In', 300, 900), ...hold('In', 1600, 3400)],
});
const element = (
  line: string,
  tags: readonly string[],
  play: Example['play'],
  press: readonly string[] = ['A'],
): Example => ({
  tags,
  rungs: [line],
  press,
  watch: tags.map((t) => t.split(' ')[0]!).filter((t) => !/^n$/i.test(t)),
  play,
  ms: 3000,
});

export const BLOCK_EXAMPLES: Readonly<Record<string, Example>> = {
  TON: timer('TON'),
  TOF: timer('TOF'),
  TP: timer('TP'),
  CTU: {
    tags: ['Pulse : BOOL', 'Reset : BOOL', 'Counter : CTU', 'Full : BOOL'],
    rungs: ['Pulse & Counter(PV := 3, R := Reset) -> Full'],
    press: ['Pulse', 'Reset'],
    watch: ['Pulse', 'Reset', 'Counter.CV', 'Full'],
    ms: 4000,
    play: [...tap('Pulse', 300, 800, 1300, 1800), ...tap('Reset', 2800)],
  },
  CTD: {
    tags: ['Pulse : BOOL', 'Load : BOOL', 'Counter : CTD', 'Empty : BOOL'],
    rungs: ['Pulse & Counter(PV := 3, LD := Load) -> Empty'],
    press: ['Pulse', 'Load'],
    watch: ['Pulse', 'Load', 'Counter.CV', 'Empty'],
    ms: 4000,
    play: [...tap('Load', 300), ...tap('Pulse', 800, 1300, 1800, 2300), ...tap('Load', 3200)],
  },
  CTUD: {
    tags: ['Up : BOOL', 'Down : BOOL', 'Reset : BOOL', 'Counter : CTUD', 'Full : BOOL', 'Empty : BOOL'],
    rungs: ['Up & Counter(CD := Down, R := Reset, PV := 2) -> Full', 'Counter.QD -> Empty'],
    press: ['Up', 'Down', 'Reset'],
    watch: ['Up', 'Down', 'Counter.CV', 'Full', 'Empty'],
    ms: 4000,
    play: [...tap('Up', 300, 700, 1100), ...tap('Down', 1700, 2100, 2500), ...tap('Up', 3100)],
  },
  R_TRIG: {
    tags: ['In : BOOL', 'Edge : R_TRIG', 'n : INT'],
    text: 'Edge(CLK := In); IF Edge.Q THEN n := n + 1; END_IF;',
    press: ['In'],
    watch: ['In', 'Edge.Q', 'n'],
    ms: 4000,
    play: [...hold('In', 500, 1500), ...hold('In', 2200, 3200)],
  },
  F_TRIG: {
    tags: ['In : BOOL', 'Edge : F_TRIG', 'n : INT'],
    text: 'Edge(CLK := In); IF Edge.Q THEN n := n + 1; END_IF;',
    press: ['In'],
    watch: ['In', 'Edge.Q', 'n'],
    ms: 4000,
    play: [...hold('In', 500, 1500), ...hold('In', 2200, 3200)],
  },
  SR: {
    tags: ['Switch : BOOL', 'Reset : BOOL', 'Memory : SR', 'Lamp : BOOL'],
    rungs: ['Switch & Memory(R := Reset) -> Lamp'],
    press: ['Switch', 'Reset'],
    watch: ['Switch', 'Reset', 'Lamp'],
    ms: 4000,
    play: [...tap('Switch', 300), ...tap('Reset', 1300), ...hold('Switch', 2000, 3200), ...hold('Reset', 2500, 3600)],
  },
  RS: {
    tags: ['Switch : BOOL', 'Reset : BOOL', 'Memory : RS', 'Lamp : BOOL'],
    rungs: ['Switch & Memory(R1 := Reset) -> Lamp'],
    press: ['Switch', 'Reset'],
    watch: ['Switch', 'Reset', 'Lamp'],
    ms: 4000,
    play: [...tap('Switch', 300), ...tap('Reset', 1300), ...hold('Switch', 2000, 3200), ...hold('Reset', 2500, 3600)],
  },
  SCALE: {
    tags: ['Raw : REAL := 5000.0', 'Scaled : SCALE', 'Pressure : REAL'],
    text: 'Scaled(IN := Raw, IN_LOW := 0.0, IN_HIGH := 27648.0, OUT_LOW := 0.0, OUT_HIGH := 10.0); Pressure := Scaled.OUT;',
    press: [],
    set: ['Raw'],
    watch: ['Raw', 'Pressure', 'Scaled.OUTSIDE'],
    ms: 4000,
    play: [
      [0, 'Raw', '0'],
      [800, 'Raw', '7000'],
      [1600, 'Raw', '20000'],
      [2400, 'Raw', '30000'],
      [3200, 'Raw', '12000'],
    ],
  },
  HYSTERESIS: {
    tags: ['Temperature : REAL := 70.0', 'Cooling : HYSTERESIS', 'Fan : BOOL'],
    text: 'Cooling(IN := Temperature, ON_ABOVE := 80.0, OFF_BELOW := 75.0); Fan := Cooling.Q;',
    press: [],
    set: ['Temperature'],
    watch: ['Temperature', 'Fan'],
    ms: 4000,
    play: Array.from({ length: 40 }, (_, i): [number, string, string] => [
      i * 100,
      'Temperature',
      String(77 + 6 * Math.sin(i / 5)),
    ]),
  },
  RAMP: {
    tags: ['Wanted : REAL', 'Hold : BOOL', 'SpeedRamp : RAMP', 'Drive : REAL'],
    text: 'SpeedRamp(IN := Wanted, UP := 50.0, DOWN := 100.0, HOLD := Hold); Drive := SpeedRamp.OUT;',
    press: ['Hold'],
    set: ['Wanted'],
    watch: ['Wanted', 'Drive', 'SpeedRamp.DONE'],
    ms: 5000,
    play: [
      [400, 'Wanted', '100'],
      [3200, 'Wanted', '20'],
    ],
  },
  PID: {
    tags: ['Setpoint : REAL', 'Temperature : REAL := 20.0', 'Heat : PID', 'Heating : REAL'],
    text: 'Heat(PV := Temperature, SP := Setpoint, KP := 4.0, TI := T#4s); Heating := Heat.OUT; Temperature := Temperature + (Heating * 0.6 - (Temperature - 20.0)) * 0.004;',
    press: [],
    set: ['Setpoint'],
    watch: ['Setpoint', 'Temperature', 'Heating'],
    ms: 20000,
    play: [
      [0, 'Setpoint', '20'],
      [1000, 'Setpoint', '50'],
      [11000, 'Setpoint', '40'],
    ],
  },
  WRAP_COUNTER: {
    tags: ['Index : BOOL', 'Place : WRAP_COUNTER', 'Now : INT'],
    text: 'Place(CU := Index, PV := 4); Now := Place.CV;',
    press: ['Index'],
    watch: ['Index', 'Now', 'Place.WRAPPED'],
    ms: 4000,
    play: tap('Index', 300, 800, 1300, 1800, 2300, 2800),
  },
  RETENTIVE_DELAY: {
    tags: ['Motor : BOOL', 'Serviced : BOOL', 'Worked : RETENTIVE_DELAY', 'Due : BOOL'],
    text: 'Worked(IN := Motor, PT := T#2s, R := Serviced); Due := Worked.Q;',
    press: ['Motor', 'Serviced'],
    watch: ['Motor', 'Worked.ET', 'Due', 'Serviced'],
    ms: 6000,
    play: [...hold('Motor', 300, 1300), ...hold('Motor', 2000, 3600), ...tap('Serviced', 4600)],
  },
  BLINK: {
    tags: ['Fault : BOOL', 'Slow : BLINK', 'Lamp : BOOL'],
    text: 'Slow(IN := Fault, ON_TIME := T#500ms, OFF_TIME := T#300ms); Lamp := Slow.Q;',
    press: ['Fault'],
    watch: ['Fault', 'Lamp'],
    ms: 5000,
    play: hold('Fault', 400, 3700),
  },
  TWO_HAND: {
    tags: ['LeftPB : BOOL', 'RightPB : BOOL', 'Hands : TWO_HAND', 'Press : BOOL'],
    text: 'Hands(LEFT_HAND := LeftPB, RIGHT_HAND := RightPB, WITHIN := T#500ms); Press := Hands.Q;',
    press: ['LeftPB', 'RightPB'],
    watch: ['LeftPB', 'RightPB', 'Press', 'Hands.TOO_LATE'],
    ms: 5000,
    play: [
      ...hold('LeftPB', 300, 1500),
      ...hold('RightPB', 500, 1700),
      ...hold('LeftPB', 2300, 4400),
      ...hold('RightPB', 3200, 4400),
    ],
  },
  DRUM: {
    tags: [
      'Washing : BOOL',
      'Patterns : ARRAY[1..3] OF WORD := [16#0001, 16#0003, 16#0004]',
      'Times : ARRAY[1..3] OF TIME := [T#800ms, T#1200ms, T#600ms]',
      'Wash : DRUM',
      'Fill : BOOL',
      'Turn : BOOL',
      'Drain : BOOL',
    ],
    text: 'Wash(RUN := Washing, STEPS := 3, PATTERNS := Patterns, TIMES := Times); Fill := (Wash.OUT AND 16#0001) <> 16#0000; Turn := (Wash.OUT AND 16#0002) <> 16#0000; Drain := (Wash.OUT AND 16#0004) <> 16#0000;',
    press: ['Washing'],
    watch: ['Washing', 'Wash.STEP', 'Fill', 'Turn', 'Drain', 'Wash.DONE'],
    ms: 5000,
    play: hold('Washing', 400, 4600),
  },
};

export interface ElementPage {
  readonly id: string;
  readonly name: string;
  readonly line: string;
  readonly about: string;
  readonly example: Example;
}
const AQ = ['A : BOOL', 'Q : BOOL'];

/** The elements of a rung, by the name the cursor gives them. */
export const ELEMENTS: readonly ElementPage[] = [
  {
    id: 'contact-open',
    name: 'Contact, normally open',
    line: 'A',
    about: 'Lets power through while the tag is on.',
    example: element('A -> Q', AQ, hold('A', 600, 1800)),
  },
  {
    id: 'contact-closed',
    name: 'Contact, normally closed',
    line: '!A',
    about:
      'Lets power through while the tag is off. With an input wired normally closed the tag is on at rest: then the plain contact is the one that lets power through at rest.',
    example: element('!A -> Q', AQ, hold('A', 600, 1800)),
  },
  {
    id: 'contact-rising',
    name: 'Contact on a rising edge',
    line: '^A',
    about: 'Lets power through in the one scan in which the tag comes on, however long it stays on.',
    example: element(
      '^A -> { n := n + 1; }',
      ['A : BOOL', 'n : INT'],
      [...hold('A', 500, 1100), ...hold('A', 1700, 2300)],
    ),
  },
  {
    id: 'contact-falling',
    name: 'Contact on a falling edge',
    line: '^!A',
    about: 'Lets power through in the one scan in which the tag goes off.',
    example: element(
      '^!A -> { n := n + 1; }',
      ['A : BOOL', 'n : INT'],
      [...hold('A', 500, 1100), ...hold('A', 1700, 2300)],
    ),
  },
  {
    id: 'compare',
    name: 'Comparison',
    line: 'Level > 5',
    about:
      'Lets power through while the comparison holds. Each side is any expression. A REAL hardly ever equals another exactly: compare with a tolerance.',
    example: {
      tags: ['Level : INT', 'Alarm : BOOL'],
      rungs: ['Level > 5 -> Alarm'],
      press: [],
      set: ['Level'],
      watch: ['Level', 'Alarm'],
      ms: 3000,
      play: [
        [300, 'Level', '2'],
        [900, 'Level', '5'],
        [1500, 'Level', '7'],
        [2300, 'Level', '4'],
      ],
    },
  },
  {
    id: 'call',
    name: 'Block with power through it',
    line: 'Timer(PT := 1 s)',
    about:
      'An instance of a function block: power goes in at its first BOOL input and out at its first BOOL output, and the block runs in every scan, with power or without. Other pins stand in the parentheses.',
    example: timer('TON'),
  },
  {
    id: 'coil-plain',
    name: 'Coil',
    line: '-> Q',
    about:
      'The tag is on while there is power, and off while there is none. One coil a tag: with two, the last one in the scan wins.',
    example: element('A -> Q', AQ, hold('A', 600, 1800)),
  },
  {
    id: 'coil-negated',
    name: 'Negated coil',
    line: '-> !Q',
    about: 'The tag is off while there is power, and on while there is none.',
    example: element('A -> !Q', AQ, hold('A', 600, 1800)),
  },
  {
    id: 'coil-set',
    name: 'Set coil',
    line: '-> set Q',
    about: 'Power switches the tag on; it stays on until a reset coil takes it off.',
    example: {
      tags: ['A : BOOL', 'B : BOOL', 'Q : BOOL'],
      rungs: ['A -> set Q', 'B -> reset Q'],
      press: ['A', 'B'],
      watch: ['A', 'B', 'Q'],
      ms: 3000,
      play: [...tap('A', 500), ...tap('B', 1700)],
    },
  },
  {
    id: 'coil-reset',
    name: 'Reset coil',
    line: '-> reset Q',
    about:
      'Power switches the tag off; it stays off until a set coil switches it on. Where both have power, the later rung wins.',
    example: {
      tags: ['A : BOOL', 'B : BOOL', 'Q : BOOL'],
      rungs: ['A -> set Q', 'B -> reset Q'],
      press: ['A', 'B'],
      watch: ['A', 'B', 'Q'],
      ms: 3000,
      play: [...hold('A', 500, 2000), ...hold('B', 1200, 1700)],
    },
  },
  {
    id: 'coil-rising',
    name: 'Coil on a rising edge',
    line: '-> ^Q',
    about: 'The tag is on for the one scan in which power comes.',
    example: element('A -> ^Q', AQ, [...hold('A', 500, 1100), ...hold('A', 1700, 2300)]),
  },
  {
    id: 'coil-falling',
    name: 'Coil on a falling edge',
    line: '-> ^!Q',
    about: 'The tag is on for the one scan in which power goes.',
    example: element('A -> ^!Q', AQ, [...hold('A', 500, 1100), ...hold('A', 1700, 2300)]),
  },
  {
    id: 'action',
    name: 'Action',
    line: '-> { n := n + 1; }',
    about: 'Statements that are done in each scan with power; with ^ in front, once each time power comes.',
    example: {
      ...element('A -> ^{ n := n + 1; }', ['A : BOOL', 'n : INT'], [...hold('A', 500, 1100), ...hold('A', 1700, 2300)]),
      watch: ['A', 'n'],
    },
  },
  {
    id: 'return',
    name: 'Return',
    line: '-> return',
    about: 'With power, the rest of the program or block is left out in this scan; its coils stay as they were.',
    example: {
      tags: ['Skip : BOOL', 'A : BOOL', 'Q : BOOL'],
      rungs: ['Skip -> return', 'A -> Q'],
      press: ['Skip', 'A'],
      watch: ['Skip', 'A', 'Q'],
      ms: 3000,
      play: [...hold('A', 300, 900), ...hold('Skip', 1200, 2400), ...hold('A', 1500, 2000)],
    },
  },
];
