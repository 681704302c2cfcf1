/** What a small board has no room for, and what that costs: durations of 64 bits, reals, text, bytes of state. */
import type { CheckedProgram, Variable } from '../../checked/tree.js';
import { type Machine, machineOf } from '../../ir/machine.js';
import type { Place, Statement, Unit, Value } from '../../ir/tree.js';
import { type Span, placeText } from '../../language/source.js';
import { type Type, elementCount, isTime } from '../../types/type.js';
import { listsOf, placesOf, valuesOf } from '../../ir/walk.js';

/** A tick of the short durations, in ns. */
export const SHORT_TICK = 1_000_000n;

type Body = Pick<Unit, 'body'>;

/** Every value in these statements, with the place of its statement. */
export function eachValue(bodies: readonly Body[], visit: (v: Value, at: Span | undefined) => void): void {
  const value = (v: Value, at: Span | undefined): void => {
    visit(v, at);
    if (v.kind === 'op') v.args.forEach((a) => value(a, at));
    if (v.kind === 'load' || v.kind === 'address') place(v.place, at);
  };
  const place = (p: Place, at: Span | undefined): void => {
    if (p.root.kind === 'target') value(p.root.pointer, at);
    for (const step of p.steps) if (step.kind === 'element') value(step.index, at);
  };
  const walk = (list: readonly Statement[], from: Span | undefined): void => {
    let at = from;
    for (const s of list) {
      if (s.kind === 'note') at = s.at;
      for (const v of [...valuesOf(s), ...(s.kind === 'let' ? [s.value] : [])]) value(v, at);
      for (const p of placesOf(s)) place(p, at);
      for (const inner of listsOf(s)) walk(inner, at);
    }
  };
  for (const b of bodies) walk(b.body, undefined);
}

/** What may be done with a duration in whole ticks that gives the same as in nanoseconds. */
const SAFE = new Set(['add', 'sub', 'neg', 'abs', 'min', 'max', 'select', 'eq', 'ne', 'lt', 'le', 'gt', 'ge']);
const MOST_TICKS = 2n ** 31n;

/** Why durations of this program need 64 bits; undefined where 32 bits of milliseconds do. */
export function longTime(
  bodies: readonly Body[],
  program: CheckedProgram,
  variables: readonly Variable[],
): string | undefined {
  let why: string | undefined;
  const say = (text: string, at: Span | undefined) => {
    why ??= `${at && at.source.origin.kind !== 'library' ? `${placeText(at)}: ` : ''}${text}`;
  };
  const fits = (ns: bigint): boolean =>
    ns % SHORT_TICK === 0n && ns / SHORT_TICK < MOST_TICKS && ns / SHORT_TICK >= -MOST_TICKS;
  eachValue(bodies, (v, at) => {
    if (v.kind === 'constant' && v.type === 'time' && !fits(BigInt(v.value)))
      say(`a duration of ${BigInt(v.value)} ns is no whole number of milliseconds below 24 days`, at);
    if (v.kind !== 'op') return;
    if (v.from === 'time' && v.op === 'convert' && v.type !== 'time') say('a duration is worked with as a number', at);
    if (v.type === 'time' && v.op === 'convert' && v.from !== 'time') say('a duration is made from a number', at);
    else if (v.type === 'time' && v.from === 'time' && !SAFE.has(v.op)) say(`a duration is worked with by ${v.op}`, at);
  });
  for (const { place, value } of program.startValues)
    if (isTime(place.type) && typeof value === 'bigint' && !fits(value))
      say('a start value is no whole number of milliseconds below 24 days', place.at);
  for (const t of program.tasks)
    if (!fits(t.intervalNs)) say(`the interval of task ${t.name} is no whole number of milliseconds`, undefined);
  for (const v of variables) {
    if (v.address && isTime(v.type)) say(`'${v.name}' has an address, and eight bytes there`, v.at);
    eachConstant(v, (ns) => {
      if (!fits(ns))
        say(`'${v.name}' starts with a duration that is no whole number of milliseconds below 24 days`, v.at);
    });
  }
  return why;
}
/** Durations among the start values of a variable. */
function eachConstant(v: Variable, visit: (ns: bigint) => void): void {
  const walk = (t: Type, value: Variable['initial']): void => {
    if (value === undefined) return;
    if (isTime(t) && typeof value === 'bigint') visit(value);
    else if (t.kind === 'array' && typeof value === 'object' && 'array' in value)
      new Set(value.array).forEach((x) => walk(t.element, x));
    else if ((t.kind === 'struct' || t.kind === 'block') && typeof value === 'object' && 'members' in value)
      for (const m of t.kind === 'struct' ? t.members : t.layout.members)
        walk(m.type, value.members.get(m.name.toLowerCase()));
  };
  walk(v.type, v.initial);
  const inside = (t: Type): void => {
    if (t.kind === 'array') inside(t.element);
    if (t.kind === 'struct' || t.kind === 'block')
      for (const m of t.kind === 'struct' ? t.members : t.layout.members) {
        walk(m.type, m.initial);
        inside(m.type);
      }
  };
  inside(v.type);
}

/** The first place that works with reals of 64 bits, or keeps one; undefined without. */
export function longReal(bodies: readonly Body[], state: readonly Variable[]): string | undefined {
  let why: string | undefined;
  eachValue(bodies, (v, at) => {
    if (v.type === 'f64' || (v.kind === 'op' && v.from === 'f64'))
      why ??= at ? placeText(at) : 'a function of the library';
  });
  const holds = (t: Type): boolean =>
    machineOf(t) === 'f64' ||
    (t.kind === 'array' && holds(t.element)) ||
    ((t.kind === 'struct' || t.kind === 'block') &&
      (t.kind === 'struct' ? t.members : t.layout.members).some((m) => holds(m.type)));
  return why ?? state.find((v) => holds(v.type))?.name;
}

const BYTES: Partial<Record<Machine, number>> = {
  bool: 1,
  i8: 1,
  u8: 1,
  i16: 2,
  u16: 2,
  i32: 4,
  u32: 4,
  i64: 8,
  u64: 8,
  f32: 4,
  f64: 4,
};
/** Bytes of a value on an 8-bit board, where nothing is aligned. */
export function avrSize(t: Type, shortTime: boolean): number {
  switch (t.kind) {
    case 'array':
      return avrSize(t.element, shortTime) * Math.max(elementCount(t), 1);
    case 'struct':
      return t.overlap
        ? t.size
        : Math.max(
            1,
            t.members.reduce((n, m) => n + avrSize(m.type, shortTime), 0),
          );
    case 'block':
      return Math.max(
        1,
        t.layout.members.reduce((n, m) => n + (m.section === 'inout' ? 2 : avrSize(m.type, shortTime)), 0),
      );
    case 'string':
      return 2 + t.max * (t.wide ? 2 : 1);
    case 'ref':
    case 'interface':
      return 2;
    default: {
      const machine = machineOf(t);
      return machine === 'time' ? (shortTime ? 4 : 8) : (BYTES[machine] ?? 2);
    }
  }
}

const WORKED = new Set(['add', 'sub', 'mul', 'div', 'convert', 'truncate', 'sqrt']);

export interface BoardUse {
  /** Bytes of memory for the state, told before anything is built: exact. */
  readonly ram: number;
  /** Bytes of program, an estimate from the statements; `make` says what it is. */
  readonly flash: number;
  readonly ramOf: number;
  readonly flashOf: number;
  /** What is dear, in words, with what it costs. */
  readonly costs: readonly string[];
}
/** Memory of the ATmega328P, in bytes. */
const AVR_RAM = 2048,
  AVR_FLASH = 32_256;
/** The clock of the scan, fault record and place to go back to after a fault. */
const RUNTIME_RAM = 52,
  RUNTIME_FLASH = 1_300;

/** What a program takes of an 8-bit board. */
export function avrUse(
  units: readonly Unit[],
  state: readonly Variable[],
  tasks: number,
  long: string | undefined,
  texts: number,
  shared: number,
): BoardUse {
  const shortTime = long === undefined;
  const ram =
    state.reduce((n, v) => n + avrSize(v.type, shortTime), 0) +
    tasks * (shortTime ? 9 : 17) +
    RUNTIME_RAM +
    texts +
    shared;
  let code = 0,
    has64 = false,
    /** 0 none, 1 compared and handed on, 2 worked out. */
    realUse = 0;
  const weight = (m: Machine): number => {
    const machine = m === 'time' ? (shortTime ? 'i32' : 'i64') : m;
    if (machine === 'i64' || machine === 'u64') has64 = true;
    if (machine === 'f32') realUse ||= 1;
    return {
      bool: 4,
      i8: 6,
      u8: 6,
      i16: 10,
      u16: 10,
      i32: 20,
      u32: 20,
      i64: 48,
      u64: 48,
      f32: 24,
      f64: 24,
      time: 20,
      pointer: 4,
    }[machine];
  };
  eachValue(units, (v) => {
    if (v.kind === 'op') {
      code += weight(v.from);
      if ((v.from === 'f32' || v.type === 'f32') && WORKED.has(v.op)) realUse = 2;
    }
    if (v.kind === 'load') code += Math.round(weight(v.type) / 2);
  });
  const walk = (list: readonly Statement[]): void => {
    for (const s of list) {
      if (s.kind === 'store') code += Math.round(weight(s.value.type) / 2);
      code += { call: 8, fault: 20, if: 4, loop: 24, copy: 16, text: 16 }[s.kind as string] ?? 0;
      listsOf(s).forEach(walk);
    }
  };
  for (const u of units) {
    code += 12;
    walk(u.body);
  }
  const times = countTimes(state);
  const costs = [
    ...(long !== undefined
      ? [
          `Durations are kept in 64 bits of nanoseconds: ${times} of them take ${times * 4} bytes of memory more, and their arithmetic about 1,500 bytes of program. ${long}.`,
        ]
      : times
        ? [`Durations are kept in 32 bits of milliseconds (up to 24 days): ${times} of them, ${times * 4} bytes.`]
        : []),
    ...(realUse
      ? [
          realUse === 2
            ? 'REAL is worked out by software: about 2,000 bytes of program, some hundred cycles for each operation.'
            : 'REAL is compared by software: about 400 bytes of program.',
        ]
      : []),
    ...(has64 && long === undefined ? ['Whole numbers of 64 bits: about 1,000 bytes of program.'] : []),
    ...(texts ? [`Text that does not change is kept in memory: ${texts} bytes.`] : []),
  ];
  return {
    ram,
    flash: RUNTIME_FLASH + code + (has64 ? 1_500 : 0) + [0, 400, 2_000][realUse]!,
    ramOf: AVR_RAM,
    flashOf: AVR_FLASH,
    costs,
  };
}
function countTimes(state: readonly Variable[]): number {
  const count = (t: Type): number =>
    isTime(t)
      ? 1
      : t.kind === 'array'
        ? elementCount(t) * count(t.element)
        : t.kind === 'struct' || t.kind === 'block'
          ? (t.kind === 'struct' ? t.members : t.layout.members).reduce((n, m) => n + count(m.type), 0)
          : 0;
  return state.reduce((n, v) => n + count(v.type), 0);
}
