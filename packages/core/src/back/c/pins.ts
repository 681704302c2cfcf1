/** Which point is which pin, or which function gives or takes it: read from `pins.csv`, printed as a wiring list. */
import Papa from 'papaparse';
import { machineOf } from '../../ir/machine.js';
import { csvLine } from '../../exchange/csv.js';
import type { BoardPin } from '../../document/document.js';
import { isScalar } from '../../types/type.js';
import { cName } from './names.js';
import type { Point } from './program.js';

export type PinTarget = 'c' | 'linux' | 'avr' | 'arm';

/** One line of the table. */
export interface Pin {
  readonly point: Point;
  readonly direction: 'in' | 'out';
  /** `PB5`, `ADC0`, `0x400253FC.3`, or the name of a function of your own. */
  readonly where: { readonly kind: 'pin' | 'analog' | 'register' | 'call'; readonly name: string };
  readonly pullUp: boolean;
  readonly inverted: boolean;
}
export interface Pins {
  readonly pins: readonly Pin[];
  /** Points of inputs and outputs that nothing is said of. */
  readonly without: readonly Point[];
}

/** Pins of the 28-leg ATmega328P that are free to use, with the leg of the package. */
export const AVR_PINS: ReadonlyMap<string, number> = new Map([
  ['PD0', 2],
  ['PD1', 3],
  ['PD2', 4],
  ['PD3', 5],
  ['PD4', 6],
  ['PD5', 11],
  ['PD6', 12],
  ['PD7', 13],
  ['PB0', 14],
  ['PB1', 15],
  ['PB2', 16],
  ['PB3', 17],
  ['PB4', 18],
  ['PB5', 19],
  ['PC0', 23],
  ['PC1', 24],
  ['PC2', 25],
  ['PC3', 26],
  ['PC4', 27],
  ['PC5', 28],
]);
const ANALOG: ReadonlyMap<string, number> = new Map([0, 1, 2, 3, 4, 5].map((n) => [`ADC${n}`, 23 + n]));

/** Where no table is given: on a board without pins of its own each point is a function, named after it. */
export function defaultPins(points: readonly Point[], target: PinTarget): Pins {
  const used = points.filter((p) => p.area !== 'M');
  if (target !== 'c' && target !== 'arm') return { pins: [], without: used };
  return {
    pins: used
      .filter((p) => isScalar(p.type))
      .map((point) => ({
        point,
        direction: point.area === 'I' ? 'in' : 'out',
        where: { kind: 'call', name: `${point.area === 'I' ? 'read' : 'write'}_${point.name.replace(/\W/g, '_')}` },
        pullUp: false,
        inverted: false,
      })),
    // A structure, array or text has no one value to give or take.
    without: used.filter((p) => !isScalar(p.type)),
  };
}

/** A table of pins as the text of `pins.csv`. */
export const pinsText = (pins: readonly BoardPin[]): string =>
  `${['point,pin,how', ...pins.map((p) => csvLine([p.point, p.pin, p.how ?? '']))].join('\n')}\n`;

/** A row of a table of pins that cannot be, by its line in the text. */
export interface PinProblem {
  readonly line: number;
  readonly words: string;
}

/** Reads `point,pin,how`, or tells every row that is wrong. `all`: every tag that may be named. */
export function readPins(text: string, all: readonly Point[], target: PinTarget): Pins | readonly PinProblem[] {
  const parsed = Papa.parse<string[]>(text.replace(/^\ufeff/, ''), { skipEmptyLines: 'greedy' });
  const [header, ...rows] = parsed.data;
  if (!header || header[0]?.trim().toLowerCase() !== 'point' || header[1]?.trim().toLowerCase() !== 'pin')
    return [{ line: 1, words: "the header must be 'point,pin,how'." }];
  const pins: Pin[] = [],
    problems: PinProblem[] = [];
  const used = new Map<string, string>();
  for (const [i, row] of rows.entries()) {
    const pin = readPin(row, all, target, pins);
    const before = typeof pin === 'string' ? undefined : used.get(pin.where.name.toUpperCase());
    if (typeof pin === 'string') problems.push({ line: i + 2, words: pin });
    else if (before !== undefined)
      problems.push({
        line: i + 2,
        words: `${pin.where.name} is the ${pin.where.kind === 'call' ? 'function' : 'pin'} of '${before}' already.`,
      });
    else {
      used.set(pin.where.name.toUpperCase(), pin.point.name);
      pins.push(pin);
    }
  }
  if (problems.length) return problems;
  const without = all.filter((p) => p.area !== 'M' && p.address && !pins.some((x) => x.point === p));
  return { pins, without };
}

/** One row, or what is wrong with it. */
function readPin(
  row: readonly string[],
  all: readonly Point[],
  target: PinTarget,
  before: readonly Pin[],
): Pin | string {
  const [name = '', pin = '', how = ''] = row.map((c) => c.trim());
  const point = all.find((p) => [p.name, p.address].some((n) => n && n.toLowerCase() === name.toLowerCase()));
  if (!point) return `there is no tag '${name}' with one value.`;
  if (before.some((p) => p.point === point)) return `'${point.name}' has a pin already.`;
  const words = how.toLowerCase().split(/\s+/).filter(Boolean);
  const unknown = words.find((w) => !['in', 'out', 'pull-up', 'inverted'].includes(w));
  if (unknown) return `'${unknown}' is not known here; write in, out, pull-up or inverted.`;
  const direction =
    point.area === 'I'
      ? 'in'
      : point.area === 'Q'
        ? 'out'
        : words.includes('in')
          ? 'in'
          : words.includes('out')
            ? 'out'
            : undefined;
  if (!direction) return `'${point.name}' is neither an input nor an output; write in or out behind the pin.`;
  if (point.area !== 'M' && words.includes(direction === 'in' ? 'out' : 'in'))
    return `'${point.name}' has the address of ${direction === 'in' ? 'an input' : 'an output'}.`;
  const where = whereOf(pin, point, direction, target);
  if (typeof where === 'string') return where;
  if (words.includes('pull-up') && (direction === 'out' || where.kind !== 'pin'))
    return `a pull-up belongs to a digital input.`;
  if (words.includes('inverted') && machineOf(point.type) !== 'bool')
    return `'${point.name}' is no BOOL, and has nothing to invert.`;
  return { point, direction, where, pullUp: words.includes('pull-up'), inverted: words.includes('inverted') };
}

function whereOf(pin: string, point: Point, direction: 'in' | 'out', target: PinTarget): Pin['where'] | string {
  const call = /^call:([A-Za-z_]\w*)$/.exec(pin);
  if (call && (cName(call[1]!) !== call[1] || /^(logic|machine|points|retained)_/.test(call[1])))
    return `'${call[1]}' has a meaning of its own in the C that is made; choose another name.`;
  if (call) return { kind: 'call', name: call[1]! };
  const isBool = machineOf(point.type) === 'bool',
    isWhole = /^[iu]\d/.test(machineOf(point.type));
  const upper = pin.toUpperCase();
  if (target === 'avr') {
    if (AVR_PINS.has(upper))
      return isBool ? { kind: 'pin', name: upper } : `'${point.name}' is no BOOL; a digital pin has one bit.`;
    if (ANALOG.has(upper)) {
      if (direction === 'out') return `${upper} is an input; '${point.name}' is an output.`;
      return isWhole
        ? { kind: 'analog', name: upper }
        : `${upper} gives 0 to 1023; '${point.name}' is no whole number.`;
    }
    return `'${pin}' is no pin that is free on this board: PB0 to PB5, PC0 to PC5, PD0 to PD7, ADC0 to ADC5, or call:a_function.`;
  }
  if (target === 'arm') {
    const register = /^0x([0-9a-f]{1,8})(?:\.(\d{1,2}))?$/i.exec(pin);
    if (register) {
      const bit = register[2] === undefined ? undefined : Number(register[2]);
      if (parseInt(register[1]!, 16) % 4) return `'${pin}' is no address of a word: it must be a multiple of 4.`;
      if (bit !== undefined && bit > 31) return `'${pin}': a register has the bits 0 to 31.`;
      if (isBool !== (bit !== undefined))
        return isBool
          ? `'${point.name}' is a BOOL: name the bit, as in ${pin}.3.`
          : `'${point.name}' is no BOOL: name the register alone.`;
      return { kind: 'register', name: pin };
    }
    return `'${pin}' is neither a register with its bit, as in 0x400253FC.3, nor call:a_function.`;
  }
  return `'${pin}': on this target a point is a function of your own: call:a_function.`;
}

const load = (p: Point): string => {
  const { spot } = p;
  if (spot.kind === 'variable') return spot.c;
  return spot.bit !== undefined ? `get_bit(${spot.c}, ${spot.bit})` : `get_${machineOf(p.type)}(${spot.c})`;
};
const store = (p: Point, value: string): string => {
  const { spot } = p;
  if (spot.kind === 'variable') return `${spot.c} = ${value};`;
  return spot.bit !== undefined
    ? `put_bit(${spot.c}, ${spot.bit}, ${value});`
    : `put_${machineOf(p.type)}(${spot.c}, ${value});`;
};

/**
 * `points.c`: inputs from the board, outputs to it. `stops`: what an output takes when the logic rests, by the
 * lower-case name of its tag.
 */
export function pointsFile(
  title: string,
  { pins, without }: Pins,
  target: PinTarget,
  stops: ReadonlyMap<string, string>,
  cType: (p: Point) => string,
): string {
  const declared: string[] = [],
    begin: string[] = [],
    read: string[] = [],
    write: string[] = [],
    rest: string[] = [];
  for (const p of pins) {
    const { name } = p.where,
      not = p.inverted ? '!' : '';
    const stop = stops.get(p.point.name.toLowerCase()) ?? (machineOf(p.point.type) === 'bool' ? 'false' : '0');
    const put = (value: string): string => {
      const sent = p.inverted ? (value === 'false' ? 'true' : value === 'true' ? 'false' : `!${value}`) : value;
      switch (p.where.kind) {
        case 'pin':
          return `  pin_put(&PORT${name[1]}, ${name[2]}, ${sent});`;
        case 'register': {
          const [register, bit] = name.split('.') as [string, string | undefined];
          return bit === undefined
            ? `  REGISTER(${register}) = (uint32_t)${sent};`
            : `  register_put(${register}, ${bit}, ${sent});`;
        }
        default:
          return `  ${name}(${sent});`;
      }
    };
    if (p.direction === 'out') {
      if (p.where.kind === 'call') declared.push(`void ${name}(${cType(p.point)} value);`);
      if (p.where.kind === 'pin') begin.push(put(stop), `  DDR${name[1]} |= (uint8_t)(1u << ${name[2]});`);
      write.push(put(load(p.point)));
      rest.push(put(stop));
      continue;
    }
    switch (p.where.kind) {
      case 'call':
        declared.push(`${cType(p.point)} ${name}(void);`);
        read.push(`  ${store(p.point, `${not}${name}()`)}`);
        break;
      case 'pin':
        if (p.pullUp) begin.push(`  PORT${name[1]} |= (uint8_t)(1u << ${name[2]});`);
        read.push(`  ${store(p.point, `${not}(PIN${name[1]} >> ${name[2]} & 1)`)}`);
        break;
      case 'analog':
        begin.push('  ADCSRA = 0x87;');
        read.push(`  ${store(p.point, `(${cType(p.point)})analog_read(${name.slice(3)})`)}`);
        break;
      case 'register': {
        const [register, bit] = name.split('.') as [string, string | undefined];
        read.push(
          `  ${store(p.point, bit === undefined ? `(${cType(p.point)})REGISTER(${register})` : `${not}(REGISTER(${register}) >> ${bit} & 1)`)}`,
        );
      }
    }
  }
  const helpers: string[] = [];
  if (target === 'avr') {
    if (pins.some((p) => p.where.kind === 'pin' && p.direction === 'out'))
      helpers.push(
        'static void pin_put(volatile uint8_t *port, uint8_t bit, bool on) {\n  if (on) *port |= (uint8_t)(1u << bit);\n  else *port &= (uint8_t)~(1u << bit);\n}',
      );
    if (pins.some((p) => p.where.kind === 'analog'))
      helpers.push(
        '/* One conversion, 0 to 1023 of the supply. */\nstatic uint16_t analog_read(uint8_t channel) {\n  ADMUX = (uint8_t)(0x40 | channel);\n  ADCSRA |= 0x40;\n  while (ADCSRA & 0x40) {}\n  return ADC;\n}',
      );
  }
  if (target === 'arm' && pins.some((p) => p.where.kind === 'register'))
    helpers.push(
      '#define REGISTER(address) (*(volatile uint32_t *)(uintptr_t)(address))' +
        (pins.some((p) => p.where.name.includes('.') && p.direction === 'out')
          ? '\nstatic void register_put(uint32_t address, uint8_t bit, bool on) {\n  uint32_t mask = UINT32_C(1) << bit;\n  REGISTER(address) = on ? REGISTER(address) | mask : REGISTER(address) & ~mask;\n}'
          : ''),
    );
  const body = (name: string, lines: readonly string[], what: string) =>
    `/* ${what} */\nvoid ${name}(void) {\n${[...new Set(lines)].map((l) => `${l}\n`).join('')}}\n`;
  return [
    `/* ${title}: inputs and outputs on the board, by pins.csv. */`,
    `#include "logic.h"\n#include "points.h"${target === 'avr' ? '\n#include <avr/io.h>' : ''}\n`,
    ...(declared.length ? ['/* Functions of your own that give and take points. */', ...declared, ''] : []),
    ...helpers.map((h) => `${h}\n`),
    ...(without.length ? [`/* Without a pin: ${without.map((p) => p.name).join(', ')}. */\n`] : []),
    body('points_begin', begin, 'Directions of pins, outputs at rest.'),
    body('points_read', read, 'Before a scan.'),
    body('points_write', write, 'After a scan.'),
    body('points_rest', rest, 'Before the logic runs, and after a fault.'),
  ].join('\n');
}

/** `own.c`: the functions that give and take points, to be filled in; undefined where no point has one. */
export function ownFile(title: string, { pins }: Pins, cType: (p: Point) => string): string | undefined {
  const calls = pins.filter((p) => p.where.kind === 'call');
  if (!calls.length) return undefined;
  const made = new Set<string>();
  const bodies = calls.flatMap((p) => {
    const { name } = p.where;
    if (made.has(name)) return [];
    made.add(name);
    const type = cType(p.point),
      what = `/* ${p.point.name} ${p.point.address} */`;
    return p.direction === 'in'
      ? [`${what}\n${type} ${name}(void);\n${type} ${name}(void) { return 0; }\n`]
      : [`${what}\nvoid ${name}(${type} value);\nvoid ${name}(${type} value) { (void)value; }\n`];
  });
  return `/* ${title}: yours to fill in, and never written over. Each function gives or takes one point. */\n#include "ferrule.h"\n\n${bodies.join('\n')}`;
}

export const POINTS_H = `/* Inputs and outputs on the board. */
#ifndef POINTS_H
#define POINTS_H
void points_begin(void);
void points_read(void);
void points_write(void);
void points_rest(void);
#endif
`;

/** The wiring list: what is connected where, as a table of text to print. */
export function wiringList(
  title: string,
  { pins, without }: Pins,
  target: PinTarget,
  comments: ReadonlyMap<string, string>,
): string {
  const rows = pins.map((p) => [
    p.point.name,
    p.point.address,
    p.direction === 'in' ? 'input' : 'output',
    p.where.kind === 'call' ? `${p.where.name}()` : p.where.name,
    legOf(p, target),
    [p.pullUp ? 'pull-up: connect to ground' : '', p.inverted ? 'inverted' : ''].filter(Boolean).join(', '),
    comments.get(p.point.name.toLowerCase()) ?? '',
  ]);
  for (const p of without)
    rows.push([
      p.name,
      p.address,
      p.area === 'I' ? 'input' : 'output',
      'none',
      '',
      'not connected',
      comments.get(p.name.toLowerCase()) ?? '',
    ]);
  const table = [['point', 'address', 'direction', 'pin', 'leg', 'how', 'what it is'], ...rows];
  const widths = table[0]!.map((_, i) => Math.max(...table.map((r) => r[i]!.length)));
  const line = (r: readonly string[]) =>
    r
      .map((c, i) => c.padEnd(widths[i]!))
      .join('  ')
      .trimEnd();
  return `Wiring list: ${title}\n\n${line(table[0]!)}\n${widths.map((w) => '-'.repeat(w)).join('  ')}\n${rows.map((r) => `${line(r)}\n`).join('')}`;
}
const legOf = (p: Pin, target: PinTarget): string =>
  target === 'avr' ? String(AVR_PINS.get(p.where.name) ?? ANALOG.get(p.where.name) ?? '') : '';
