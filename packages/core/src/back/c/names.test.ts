/** Names of ours that C, its library, a board or the runtime has a use for: what is made compiles all the same. */
import { execFileSync, spawnSync } from 'node:child_process';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { type CTarget, buildC } from '../../boards.js';
import { compile } from '../../workspace.js';
import { folder, writeFiles } from '../../../test/c-build.js';
import { cName } from './names.js';
import { FERRULE_H } from './runtime/header.js';

const here = folder();
afterAll(() => here.remove());

/** The names to which these headers give a meaning of their own wherever they stand. */
function macros(compiler: readonly string[], headers: readonly string[]): string[] {
  const [command, ...options] = compiler as [string, ...string[]];
  const out = execFileSync(command, [...options, '-std=c11', '-dM', '-E', '-'], {
    encoding: 'utf8',
    input: headers.map((h) => `#include <${h}.h>\n`).join(''),
  });
  return [...out.matchAll(/^#define ([A-Za-z]\w*)(?= |$)/gm)].map((m) => m[1]!);
}
const OWN_HEADERS = [...FERRULE_H.matchAll(/^#include <(\w+)\.h>/gm)].map((m) => m[1]!);

function make(text: string, target: CTarget, pins?: string): void {
  const compiled = compile([{ kind: 'text', name: 't.st', text }]);
  expect(compiled.diagnostics.filter((d) => d.severity === 'error').map((d) => d.message)).toEqual([]);
  const built = buildC(compiled, { target, title: 'Names', ...(pins === undefined ? {} : { pins }) });
  if ('message' in built) throw new Error(built.message);
  const path = join(here.path, `${target}-${text.length}`);
  writeFiles(path, built.files);
  const made = spawnSync('make', ['-s', '-C', path], { encoding: 'utf8' });
  expect(made.status, made.stderr).toBe(0);
}

/** In small letters, as libraries have them; of the runtime; and what somebody calls a set-point or a push button. */
const SMALL =
    'round floor remainder index signal printf malloc read write open close sleep time_t random link pause major minor ' +
    'timespec stat sigaction logic_start logic_scan digits scale host count map_open exchange modbus_exchange usage ' +
    'points_read retained retained_load input_image logic_points find_spot run_scan st_mtime sa_handler si_pid',
  LARGE =
    'SP PV PB1 PD7 ADC XL YH SE SREG OCR1A F_CPU FILE DIR M_PI EOF ERANGE SIGINT F_OK R_OK CHAR_BIT SEEK_SET ' +
    'EXIT_FAILURE LOGIC_STEP_NS INT8_MAX ne_u8 lt_i16 setjmp memcpy';

describe('names in C', () => {
  it('keeps what C allows', () => {
    for (const name of ['StartPB', 'PB_Start', 'M101', 'Speed', 'counter1']) expect(cName(name)).toBe(name);
    expect(cName('Round', true)).toBe('Round');
    expect(cName('round', true)).toBe('round_');
    expect(cName('SP')).toBe('SP_');
    expect(cName('NULL')).toBe('NULL_');
  });

  it('gives way to every word of a small board and of the headers that all files have', () => {
    const board = macros(['avr-gcc', '-mmcu=atmega328p'], [...OWN_HEADERS, 'avr/io', 'avr/eeprom']);
    expect(board).toContain('PB1');
    expect([...board, ...macros(['gcc'], OWN_HEADERS)].filter((name) => cName(name) === name)).toEqual([]);
  });

  it('gives way to every function of the runtime', () => {
    const families = [...FERRULE_H.matchAll(/\b([a-z]\w*)_##\w+\(/g)].map((m) => `${m[1]}_u8`),
      single = [...FERRULE_H.matchAll(/^(?:static inline )?\w+ \*?([a-z]\w*)\([^;]*\)(?: \{|;)/gm)].map((m) => m[1]!);
    expect(families).toContain('swap_u8');
    expect(single).toContain('is_bcd');
    // The two that start it and run a scan are no one's but the linker's.
    const inside = [...families, ...single].filter((name) => !/^logic_(start|scan)$/.test(name));
    expect(inside.filter((name) => cName(name) === name)).toEqual([]);
  });

  it.each(['c', 'linux'] as const)('functions, blocks, members and tags of such names compile for %s', (target) => {
    const names = `${SMALL} ${LARGE}`.split(' ');
    const numbered = (f: (name: string, i: number) => string) => names.map(f).join('\n');
    make(
      `${numbered((n, i) => (i % 2 ? `FUNCTION ${n} : INT VAR_INPUT x : INT; END_VAR ${n} := x; END_FUNCTION` : `FUNCTION_BLOCK ${n} VAR_INPUT x : INT; END_VAR VAR_OUTPUT y : INT; END_VAR y := x; END_FUNCTION_BLOCK`))}
TYPE Box : STRUCT ${names.map((n) => `${n} : INT;`).join(' ')} END_STRUCT; END_TYPE
FUNCTION Locals : BOOL VAR ${names.map((n) => `${n} : USINT;`).join(' ')} a : USINT; END_VAR
${numbered((n) => `${n} := ${n} + 1; Locals := Locals OR ${n} <> a OR ${n} < a;`)}
END_FUNCTION
PROGRAM Main
VAR b : Box; ok : BOOL; v : INT; ${numbered((n, i) => (i % 2 ? '' : `i${i} : ${n};`))} END_VAR
${numbered((n, i) => (i % 2 ? `v := ${n}(x := v);` : `i${i}(x := v, y => v);`))}
${numbered((n) => `b.${n} := b.${n} + 1;`)}
ok := Locals();
END_PROGRAM`,
      target,
    );
    make(
      `VAR_GLOBAL ${names.map((n) => `${n} : INT;`).join(' ')} END_VAR
PROGRAM Main
VAR_EXTERNAL ${names.map((n) => `${n} : INT;`).join(' ')} END_VAR
${numbered((n) => `${n} := ${n} + 1;`)}
END_PROGRAM`,
      target,
    );
  });

  it.each(['avr', 'arm'] as const)('tags of such names have their pins on a board: %s', (target) => {
    const names = `${LARGE} major st_mtime`.split(' ');
    make(
      `VAR_GLOBAL PB0 AT %IX0.0 : BOOL; DDRB AT %QX0.0 : BOOL; ${names.map((n) => `${n} : INT;`).join(' ')} END_VAR
PROGRAM Main
VAR_EXTERNAL PB0 : BOOL; DDRB : BOOL; ${names.map((n) => `${n} : INT;`).join(' ')} END_VAR
DDRB := PB0;
${names.map((n) => `${n} := ${n} + 1;`).join('\n')}
END_PROGRAM`,
      target,
      target === 'avr' ? 'point,pin,how\nPB0,PB0,\nDDRB,PB5,\n' : undefined,
    );
  });
});
