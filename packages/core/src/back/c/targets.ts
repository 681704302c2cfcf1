/**
 * The folder that `ferrule build` writes: the program, its runtime, and what builds it for a target (product.md 11).
 */
import { pathsOf } from '../wasm/build.js';
import { scanStep } from '../../compile/image.js';
import { machineOf } from '../../ir/machine.js';
import { C_TYPES } from '../../ir/ops.js';
import type { Compiled } from '../../workspace/compile.js';
import { MACHINE } from '../../document/document.js';
import { retainedLayout, retainedPlaces } from '../../runtime/transfer.js';
import { isScalar, sizeOf } from '../../types/type.js';
import { type BoardUse, SHORT_TICK, avrUse } from './limits.js';
import { POINTS_H, type PinProblem, defaultPins, ownFile, pointsFile, readPins, wiringList } from './pins.js';
import { type CProgram, type Point, printProgram } from './program.js';
import {
  LINKER_ARM_LD,
  MAIN_ARM_C,
  MAIN_AVR_C,
  RETAIN_AVR,
  RETAIN_NONE,
  STARTUP_ARM_C,
  TRACE_ARM_SH,
  TRACE_VECTORS_C,
} from './runtime/boards.js';
import { FERRULE_C } from './runtime/core.js';
import { FERRULE_H } from './runtime/header.js';
import { IO_LINUX_C, IO_LINUX_H, MAIN_LINUX_C, POINTS_LINUX_H } from './runtime/linux.js';
import { FERRULE_MATH_C } from './runtime/math.js';
import { FERRULE_TEXT_C, FERRULE_TEXT_H } from './runtime/text.js';
import { TRACE_C, TRACE_H, TRACE_NAMES_C } from './runtime/trace.js';
import { NotInC } from './types.js';
import { comment } from './unit.js';

export const C_TARGETS = ['c', 'linux', 'avr', 'arm'] as const;
export type CTarget = (typeof C_TARGETS)[number];

export interface CBuildOptions {
  readonly target: CTarget;
  /** Name of the project, at the head of the files. */
  readonly title: string;
  /** The text of `pins.csv`. */
  readonly pins?: string;
  /** What tags are, by their lower-case names: for the wiring list. */
  readonly comments?: ReadonlyMap<string, string>;
}
export interface CBuild {
  /** Text of each file by its name. */
  readonly files: ReadonlyMap<string, string>;
  readonly program: CProgram;
  /** Files that are begun once and then belong to whoever builds: they are never written again. */
  readonly own: ReadonlySet<string>;
  /** What is connected where, to print; undefined on Linux, where addresses say it. */
  readonly wiring?: string;
  /** Inputs and outputs that no pin was given to. */
  readonly without: readonly string[];
  /** What it takes of a small board. */
  readonly use?: BoardUse;
}
export interface CProblem {
  /** `pins` where the table is wrong, `logic` where the target cannot hold the program. */
  readonly in: 'pins' | 'logic';
  readonly message: string;
  /** Every row of the table that is wrong; the message tells the first. */
  readonly problems?: readonly PinProblem[];
}

/** A program without errors as C for a target, or why the target cannot hold it. */
export function buildC(compiled: Compiled, options: CBuildOptions): CBuild | CProblem {
  const { target } = options;
  let program: CProgram;
  const hasMachine = compiled.program.instances.some((i) => i.name === MACHINE);
  try {
    const image = compiled.build(false);
    program = printProgram({
      program: compiled.program,
      paths: pathsOf(compiled.program),
      wires: compiled.wires,
      retained: {
        paths: retainedPlaces(image)
          .filter((p) => !p.path.startsWith(`${MACHINE}.`))
          .map((p) => p.path),
        layout: retainedLayout(image),
      },
      ...(hasMachine ? { machine: MACHINE } : {}),
      stepNs: scanStep(image),
      title: options.title,
    });
  } catch (e) {
    if (e instanceof NotInC) return { in: 'logic', message: `C has no way yet to write ${e.message}.` };
    throw e;
  }
  if (target === 'avr') {
    const cannot = avrProblem(program);
    if (cannot) return { in: 'logic', message: cannot };
  }
  const pins =
    options.pins === undefined ? defaultPins(program.points, target) : readPins(options.pins, program.tags, target);
  if (!('pins' in pins)) {
    const [first, ...more] = pins,
      others = more.length ? ` ${more.length} more ${more.length === 1 ? 'row is' : 'rows are'} wrong.` : '';
    return { in: 'pins', message: `line ${first!.line}: ${first!.words}${others}`, problems: pins };
  }
  const files = new Map(program.files);
  const shortTime = target === 'avr' && program.longTime === undefined;
  const use =
    target === 'avr'
      ? avrUse(
          program.units,
          program.state,
          compiled.program.tasks.length,
          program.longTime,
          textBytes(program),
          sharedBytes(program),
        )
      : undefined;
  files.set('ferrule.h', FERRULE_H);
  files.set('ferrule.c', FERRULE_C);
  if (program.needs.math) files.set('ferrule_math.c', FERRULE_MATH_C);
  if (target === 'avr') for (const name of ['places.c', 'names.c', 'machine.c', 'machine.h']) files.delete(name);
  else {
    files.set('ferrule_text.h', FERRULE_TEXT_H);
    files.set('ferrule_text.c', FERRULE_TEXT_C);
    files.set('trace.h', TRACE_H);
    files.set('trace_names.c', TRACE_NAMES_C);
    files.set('trace.c', TRACE_C);
  }
  files.set('places.txt', placesList(program));
  const stops = new Map(compiled.stops.map((s) => [s.path.toLowerCase(), stopValue(s.value)]));
  const folder: Folder = { program, hasMachine: hasMachine && target !== 'avr', shortTime, title: options.title };
  let wiring: string | undefined;
  if (target === 'linux') {
    files.set('points.h', POINTS_LINUX_H);
    files.set('points.c', linuxPoints(options.title, program, stops));
    files.set('io.h', IO_LINUX_H);
    files.set('io.c', IO_LINUX_C);
    files.set('main.c', MAIN_LINUX_C);
    files.set('CMakeLists.txt', cmake(folder));
  } else {
    files.set(
      'points.h',
      `${POINTS_H.replace('#endif\n', 'void retained_load(void);\nvoid retained_save(void);\n#endif\n')}`,
    );
    files.set(
      'points.c',
      pointsFile(comment(options.title), pins, target, stops, cTypeOf) + retainedPart(program, target),
    );
    wiring = wiringList(options.title, pins, target, options.comments ?? new Map());
    files.set('wiring.txt', wiring);
  }
  const own = target === 'linux' ? undefined : ownFile(comment(options.title), pins, cTypeOf);
  if (own) files.set('own.c', own);
  if (target === 'avr') files.set('main.c', MAIN_AVR_C);
  if (target === 'arm') {
    files.set('main.c', MAIN_ARM_C);
    files.set('startup.c', STARTUP_ARM_C);
    files.set('memory.ld', LINKER_ARM_LD);
    files.set('trace_vectors.c', TRACE_VECTORS_C);
    files.set('trace', TRACE_ARM_SH);
  }
  files.set('Makefile', MAKEFILES[target]({ ...folder, own: own !== undefined }));
  return {
    files,
    program,
    own: new Set(own ? ['own.c'] : []),
    without: (target === 'linux' ? program.points.filter((p) => p.area !== 'M' && !isPlain(p)) : pins.without).map(
      (p) => p.name,
    ),
    ...(wiring !== undefined ? { wiring } : {}),
    ...(use ? { use } : {}),
  };
}

const cTypeOf = (p: Point): string => C_TYPES[machineOf(p.type)];

/** Why an 8-bit board cannot hold a program at all. */
function avrProblem(p: CProgram): string | undefined {
  if (p.needs.text)
    return 'Conversions of numbers, durations and dates to and from characters take more program than this board has; take them out, or choose another target.';
  if (p.longReal !== undefined)
    return `${p.longReal}: reals of 64 bits (LREAL, and functions such as SIN that work in it) are not on this board, whose compiler has 32 bits; work in REAL or whole numbers, or choose another target.`;
  return undefined;
}
const textBytes = (p: CProgram): number => {
  let bytes = 0;
  for (const m of p.files.get('logic.c')!.matchAll(/uint(8|16)_t characters\[(\d+)\]; \} characters_/g))
    bytes += 2 + Number(m[2]) * (m[1] === '16' ? 2 : 1);
  return bytes;
};
/** Bytes of addresses that several tags share. */
const sharedBytes = (p: CProgram): number =>
  [...p.files.get('logic.h')!.matchAll(/^ {2}uint8_t [IQM]\[(\d+)\];/gm)].reduce((n, m) => n + Number(m[1]), 0);
const stopValue = (v: unknown): string => (typeof v === 'boolean' ? (v ? 'true' : 'false') : String(v as bigint));

/** Numbers of faults' places in words, for a board that only tells the number. */
function placesList(p: CProgram): string {
  const rows = [...p.files.get('places.c')!.matchAll(/^ {2}\{"((?:[^"\\]|\\.)*)", /gm)].slice(0, -1);
  return `Where a fault was: the number in ferrule.place stands for\n${rows.map((m, i) => `${i}  ${m[1]}\n`).join('')}`;
}

interface Folder {
  readonly program: CProgram;
  readonly hasMachine: boolean;
  readonly shortTime: boolean;
  readonly title: string;
}

const WARNINGS = '-std=c11 -Wall -Wextra -Werror -pedantic';
const EXACT = '-ffp-contract=off';
const logicSources = (f: Folder): string[] => [
  'logic.c',
  'ferrule.c',
  ...(f.program.needs.math ? ['ferrule_math.c'] : []),
];
const traceSources = (f: Folder): string[] => [
  ...logicSources(f),
  ...(f.hasMachine ? ['machine.c'] : []),
  'ferrule_text.c',
  'places.c',
  'names.c',
  'trace_names.c',
  'trace.c',
];
const defines = (f: Folder): string =>
  `-DLOGIC_STEP_NS=${f.program.stepNs}${f.shortTime ? ` -DFERRULE_SHORT_TIME=${SHORT_TICK}` : ''}`;
const ownIf = (f: { readonly own: boolean }): string[] => (f.own ? ['own.c'] : []);
const textIf = (f: Folder): string[] => (f.program.needs.text ? ['ferrule_text.c'] : []);

const MAKEFILES: Record<CTarget, (f: Folder & { readonly own: boolean }) => string> = {
  c: (f) => `# make: the logic and its runtime as a library, liblogic.a.
CC ?= cc
AR ?= ar
CFLAGS ?= -O2
override CFLAGS += ${WARNINGS} ${EXACT} ${defines(f)}
OBJECTS = ${[...logicSources(f), ...textIf(f), 'points.c', ...ownIf(f)].map((s) => s.replace(/c$/, 'o')).join(' ')}

liblogic.a: $(OBJECTS)
\t$(AR) rcs $@ $(OBJECTS)
%.o: %.c $(wildcard *.h)
\t$(CC) $(CFLAGS) -c $<
${tracePart(f)}
clean:
\trm -f *.o liblogic.a trace
.PHONY: clean
`,
  linux: (
    f,
  ) => `# make: the logic in real time, ./logic. make trace: the same offline, with the options of "ferrule run".
CC ?= cc
CFLAGS ?= -O2
override CFLAGS += ${WARNINGS} ${EXACT} ${defines(f)}
SOURCES = ${[...logicSources(f), 'ferrule_text.c', 'places.c', 'points.c', 'io.c', 'main.c'].join(' ')}

logic: $(SOURCES) $(wildcard *.h)
\t$(CC) $(CFLAGS) -o $@ $(SOURCES) -lm -lpthread
${tracePart(f)}
clean:
\trm -f logic trace
.PHONY: clean
`,
  avr: (
    f,
  ) => `# make: logic.hex for an ATmega328P. make flash PROGRAMMER=... PORT=...: onto the board (avrdude -c ? lists programmers).
MCU ?= atmega328p
F_CPU ?= 16000000
PROGRAMMER ?= usbasp
PORT ?= usb
CFLAGS ?= -Os
override CFLAGS += ${WARNINGS} -mmcu=$(MCU) -DF_CPU=$(F_CPU)UL -DFERRULE_NO_DOUBLE ${defines(f)} -ffunction-sections -fdata-sections
SOURCES = ${[...logicSources(f), 'points.c', 'main.c', ...ownIf(f)].join(' ')}

all: logic.hex size
logic.elf: $(SOURCES) $(wildcard *.h)
\tavr-gcc $(CFLAGS) -Wl,--gc-sections -o $@ $(SOURCES) -lm
logic.hex: logic.elf
\tavr-objcopy -O ihex -R .eeprom $< $@
size: logic.elf
\tavr-size -C --mcu=$(MCU) logic.elf || avr-size logic.elf
flash: logic.hex
\tavrdude -c $(PROGRAMMER) -p $(MCU) -P $(PORT) -U flash:w:$<
clean:
\trm -f logic.elf logic.hex
.PHONY: all size flash clean
`,
  arm: (
    f,
  ) => `# make: logic.elf for a Cortex-M (memory.ld: its memory). make trace: the same offline under qemu, with the options of "ferrule run".
CROSS ?= arm-none-eabi-
CPU ?= cortex-m3
F_CPU ?= 12000000
CFLAGS ?= -O2
override CFLAGS += ${WARNINGS} ${EXACT} -mcpu=$(CPU) -mthumb ${defines(f)} -ffunction-sections -fdata-sections
SOURCES = ${[...logicSources(f), ...textIf(f), 'points.c', 'main.c', 'startup.c', ...ownIf(f)].join(' ')}

logic.elf: $(SOURCES) memory.ld $(wildcard *.h)
\t$(CROSS)gcc $(CFLAGS) -DF_CPU=$(F_CPU) -nostartfiles -T memory.ld -Wl,--gc-sections -o $@ $(SOURCES) --specs=nano.specs --specs=nosys.specs -lm
\t$(CROSS)size $@
trace: trace.elf
\tchmod +x trace
trace.elf: ${traceSources(f).join(' ')} trace_vectors.c $(wildcard *.h)
\t$(CROSS)gcc $(CFLAGS)${f.hasMachine ? ' -DFERRULE_MACHINE' : ''} -o $@ ${traceSources(f).join(' ')} trace_vectors.c --specs=rdimon.specs -Wl,--section-start=.vectors=0 -lm
clean:
\trm -f logic.elf trace.elf
.PHONY: trace clean
`,
};
function tracePart(f: Folder): string {
  return `
trace: ${traceSources(f).join(' ')} $(wildcard *.h)
\t$(CC) $(CFLAGS)${f.hasMachine ? ' -DFERRULE_MACHINE' : ''} -o $@ ${traceSources(f).join(' ')} -lm
`;
}

function cmake(f: Folder): string {
  return `# cmake -B build && cmake --build build: logic (in real time) and trace (offline, with the options of "ferrule run").
cmake_minimum_required(VERSION 3.13)
project(logic C)
if(NOT CMAKE_BUILD_TYPE)
  set(CMAKE_BUILD_TYPE Release)
endif()
set(CMAKE_C_STANDARD 11)
set(CMAKE_C_EXTENSIONS OFF)
add_compile_options(-Wall -Wextra -Werror -pedantic ${EXACT})
add_compile_definitions(LOGIC_STEP_NS=${f.program.stepNs})
find_package(Threads REQUIRED)
add_executable(logic ${[...logicSources(f), 'ferrule_text.c', 'places.c', 'points.c', 'io.c', 'main.c'].join(' ')})
target_link_libraries(logic m Threads::Threads)
add_executable(trace ${traceSources(f).join(' ')})
target_link_libraries(trace m)
${f.hasMachine ? 'target_compile_definitions(trace PRIVATE FERRULE_MACHINE)\n' : ''}`;
}

/** An input or output whose bytes are the same here as in its addresses: a value, or an array of values. */
const isPlain = (p: Point): boolean =>
  p.area !== 'M' && (isScalar(p.type) || (p.type.kind === 'array' && isScalar(p.type.element)));

/** The images of %I and %Q on Linux. */
function linuxPoints(title: string, p: CProgram, stops: ReadonlyMap<string, string>): string {
  const used = p.points.filter(isPlain);
  const rows = used.map((x) => {
    const size = x.bit !== undefined ? 1 : sizeOf(x.type);
    return `  {(void *)${x.spot.kind === 'bytes' ? `(${x.spot.c})` : `&${x.spot.c}`}, '${x.area}', ${x.byte}, ${x.bit ?? -1}, ${size}}, /* ${comment(`${x.name} ${x.address}`)} */`;
  });
  const bytes = (area: 'I' | 'Q') =>
    Math.max(0, ...used.filter((x) => x.area === area).map((x) => x.byte + (x.bit !== undefined ? 1 : sizeOf(x.type))));
  const restLines = used.flatMap((x) => {
    const stop = stops.get(x.name.toLowerCase());
    if (x.area !== 'Q' || stop === undefined) return [];
    const value =
      machineOf(x.type) === 'bool' && x.bit !== undefined
        ? `put_bit(output_image + ${x.byte}, ${x.bit}, ${stop})`
        : `put_${machineOf(x.type)}(output_image + ${x.byte}, ${stop})`;
    return [`  ${value};`];
  });
  return `/* ${comment(title)}: inputs and outputs by their addresses. */
#include "points.h"
#include "logic.h"

const struct point logic_points[] = {
${rows.join('\n')}
  {NULL, 0, 0, -1, 0},
};
const uint16_t input_bytes = ${bytes('I')}, output_bytes = ${bytes('Q')};
uint8_t input_image[${Math.max(bytes('I'), 1)}], output_image[${Math.max(bytes('Q'), 1)}];

const struct retained retained[] = {
${p.retained.map((r) => `  {(void *)&${r.c}, ${r.size}},\n`).join('')}  RETAINED_END,
};
const uint32_t retained_mark = UINT32_C(0x${p.retainedMark.toString(16)});

/* A BOOL of its own has a byte for its bit; where several tags share their bytes the bit is there. */
static bool is_shared(const struct point *p) {
  const uint8_t *at = p->at;
${sharedTest(p)}}
void points_read(void) {
  for (const struct point *p = logic_points; p->at; p++) {
    if (p->area != 'I') continue;
    if (p->bit < 0) memcpy(p->at, input_image + p->byte, p->size);
    else if (is_shared(p)) put_bit(p->at, (uint8_t)p->bit, get_bit(input_image + p->byte, (uint8_t)p->bit));
    else put_bool(p->at, get_bit(input_image + p->byte, (uint8_t)p->bit));
  }
}
void points_write(void) {
  for (const struct point *p = logic_points; p->at; p++) {
    if (p->area != 'Q') continue;
    if (p->bit < 0) memcpy(output_image + p->byte, p->at, p->size);
    else if (is_shared(p)) put_bit(output_image + p->byte, (uint8_t)p->bit, get_bit(p->at, (uint8_t)p->bit));
    else put_bit(output_image + p->byte, (uint8_t)p->bit, get_bool(p->at));
  }
}
void points_rest(void) {
  memset(output_image, 0, sizeof output_image);
${restLines.map((l) => `${l}\n`).join('')}}
`;
}
/** Whether a point lies among bytes that others share. */
function sharedTest(p: CProgram): string {
  const areas = ['I', 'Q'].filter((a) => p.files.get('logic.h')!.includes(`  uint8_t ${a}[`));
  if (!areas.length) return '  (void)at;\n  return false;\n';
  return `  return ${areas.map((a) => `(at >= logic.${a} && at < logic.${a} + sizeof logic.${a})`).join(' || ')};\n`;
}

/** The table of what is retained, and what keeps it. */
function retainedPart(p: CProgram, target: CTarget): string {
  const table = `
struct retained { void *at; uint16_t size; };
static const struct retained retained[] = {
${p.retained.map((r) => `  {(void *)&${r.c}, ${r.size}}, /* ${comment(r.name)} */\n`).join('')}  {NULL, 0},
};
`;
  if (target === 'avr')
    return `${table}#define RETAINED_MARK UINT32_C(0x${p.retainedMark.toString(16)})\n${RETAIN_AVR}`;
  return p.retained.length
    ? `${table.replace('static const struct retained', 'const struct retained')}${RETAIN_NONE}`
    : RETAIN_NONE;
}
