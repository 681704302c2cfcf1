/**
 * C for boards, built by their compilers: the shipped example under a simulated 8-bit board, pin by pin, and generated
 * programs there and on an emulated Cortex-M, value by value, against the bench.
 */
import { execFileSync, spawnSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { type CBuild, type CTarget, buildC } from '../../boards.js';
import { Engine, findPath, readLocation } from '../../bench.js';
import { type InputFile, compile } from '../../workspace.js';
import type { Type } from '../../language.js';
import { machineOf } from '../../ir/machine.js';
import { avrSize } from './limits.js';
import { benchTrace, firstDifference, folder, leaves, writeFiles } from '../../../test/c-build.js';
import { PRELUDE, generateProgram, seeded } from '../../../test/generate.js';

const here = folder();
afterAll(() => here.remove());

const text = (t: string): InputFile[] => [{ kind: 'text', name: 't.st', text: t }];
function build(
  name: string,
  files: readonly InputFile[],
  target: CTarget,
  pins?: string,
): { path: string; built: CBuild } {
  const compiled = compile(files);
  expect(compiled.diagnostics.filter((d) => d.severity === 'error')).toEqual([]);
  const built = buildC(compiled, { target, title: name, ...(pins !== undefined ? { pins } : {}) });
  if ('message' in built) throw new Error(built.message);
  const path = join(here.path, name);
  writeFiles(path, built.files);
  return { path, built };
}
function make(path: string, ...what: readonly string[]): string {
  const r = spawnSync('make', ['-s', '-C', path, ...what], { encoding: 'utf8' });
  if (r.status !== 0) throw new Error(r.stderr);
  return r.stdout;
}

interface Beat {
  readonly cycle: number;
  readonly ports: { readonly B: number; readonly C: number; readonly D: number };
  readonly state: DataView;
}
let simulator: string | undefined;
/** Runs a firmware for so many scans; inputs are levels at pins from a cycle on. */
function simulate(elf: string, scans: number, inputs: readonly string[] = []): Beat[] {
  if (!simulator) {
    simulator = join(here.path, 'simulator');
    const source = new URL('../../../test/avr-simulator.c', import.meta.url).pathname;
    execFileSync('gcc', ['-O2', '-o', simulator, source, '-I/usr/include/simavr', '-lsimavr']);
  }
  const symbols = execFileSync('avr-nm', ['-S', elf], { encoding: 'utf8' });
  const of = (name: string): [string, number] => {
    const m = new RegExp(`^0080(\\w{4}) (\\w+) \\w ${name}$`, 'm').exec(symbols)!;
    return [`0x${m[1]}`, parseInt(m[2]!, 16)];
  };
  const [state, size] = of('logic');
  const out = execFileSync(simulator, [elf, of('ferrule')[0], '4', state, String(size), String(scans), ...inputs], {
    encoding: 'utf8',
    maxBuffer: 1 << 28,
  });
  return out
    .trim()
    .split('\n')
    .filter((line) => /^\d+ [0-9a-f]{2} /.test(line))
    .map((line) => {
      const [cycle, b, c, d, bytes] = line.split(' ') as [string, string, string, string, string];
      return {
        cycle: Number(cycle),
        ports: { B: parseInt(b, 16), C: parseInt(c, 16), D: parseInt(d, 16) },
        state: new DataView(Uint8Array.from(bytes.match(/../g) ?? [], (h) => parseInt(h, 16)).buffer),
      };
    });
}

describe('the example for a small board', () => {
  const board = new URL('../../../../../examples/board/', import.meta.url);
  const files: InputFile[] = [{ kind: 'text', name: 'lamp.st', text: readFileSync(new URL('lamp.st', board), 'utf8') }];
  const pins = readFileSync(new URL('pins.csv', board), 'utf8');

  it('drives the pins as on the bench, scan by scan, while the button is pressed, bounces, and is let go', () => {
    const { path, built } = build('lamp', files, 'avr', pins);
    const report = make(path);
    expect(report).toMatch(/Program: +\d+ bytes/);
    const SCANS = 700,
      CYCLES = 80_000;
    // Pressed by scan: a press, a bounce that is too short to count, and four more.
    const presses = [
      [20, 40],
      [60, 62],
      [100, 110],
      [180, 200],
      [330, 340],
      [420, 460],
      [520, 530],
    ] as const;
    const isPressed = (scan: number) => presses.some(([from, to]) => scan >= from && scan < to);
    // The button pulls to ground; in the middle between two scans.
    const inputs = ['0,D,2,1'];
    for (let n = 1; n < SCANS; n++)
      if (isPressed(n) !== isPressed(n - 1))
        inputs.push(`${Math.round((n - 0.5) * CYCLES)},D,2,${isPressed(n) ? 0 : 1}`);
    const beats = simulate(join(path, 'logic.elf'), SCANS, inputs);
    const engine = new Engine(compile(files).build(false), { stepNs: 5_000_000n });
    const wanted: string[] = [],
      got: string[] = [];
    for (let n = 0; n < SCANS; n++) {
      engine.write('Button', isPressed(n));
      engine.runScan();
      wanted.push(`${n} ${engine.read('Lamp') ? 1 : 0}${engine.read('AtTop') ? 1 : 0}`);
      got.push(`${n} ${(beats[n]!.ports.B >> 5) & 1}${(beats[n]!.ports.B >> 4) & 1}`);
    }
    expect(got).toEqual(wanted);
    expect(new Set(wanted.map((w) => w.split(' ')[1]))).toEqual(new Set(['00', '10', '11']));
    // One scan every 5 ms of the board's clock.
    const gaps = beats.slice(1).map((b, i) => b.cycle - beats[i]!.cycle);
    expect(Math.max(...gaps.map((g) => Math.abs(g - CYCLES)))).toBeLessThan(CYCLES / 50);
    expect(built.wiring).toContain('Button  %IX0.0   input      PD2  4');
  }, 300_000);

  it('says beforehand what it takes, and that is what the state takes', () => {
    const { path, built } = build('lamp-size', files, 'avr', pins);
    make(path);
    const sizes = execFileSync('avr-nm', ['-S', join(path, 'logic.elf')], { encoding: 'utf8' });
    const bytes = (name: string) => parseInt(new RegExp(`^\\w+ (\\w+) \\w ${name}$`, 'm').exec(sizes)![1]!, 16);
    expect(built.use!.ram).toBe(bytes('logic') + bytes('ferrule'));
    expect(built.use!.costs.join(' ')).toContain('32 bits of milliseconds');
    const flash = Number(/Program: +(\d+) bytes/.exec(make(path, 'size'))![1]);
    expect(Math.abs(built.use!.flash - flash) / flash).toBeLessThan(0.3);
  });
});

/** A value of the state on the 8-bit board, where nothing is aligned, as the bench says it. */
function boardValue(view: DataView, at: number, t: Type): string {
  switch (machineOf(t)) {
    case 'bool':
      return view.getUint8(at) ? 'true' : 'false';
    case 'i8':
      return String(view.getInt8(at));
    case 'u8':
      return String(view.getUint8(at));
    case 'i16':
      return String(view.getInt16(at, true));
    case 'u16':
      return String(view.getUint16(at, true));
    case 'i32':
      return String(view.getInt32(at, true));
    case 'u32':
      return String(view.getUint32(at, true));
    case 'i64':
      return String(view.getBigInt64(at, true));
    case 'u64':
      return String(view.getBigUint64(at, true));
    case 'f32':
      return String(view.getFloat32(at, true));
    default:
      return '';
  }
}
interface BoardLeaf {
  readonly path: string;
  readonly at: number;
  readonly type: Type;
}
function boardLeaves(t: Type, path: string, at: number, short: boolean): BoardLeaf[] {
  if (t.kind === 'struct' || t.kind === 'block') {
    let next = at;
    return (t.kind === 'struct' ? t.members : t.layout.members).flatMap((m) => {
      const here = next;
      next += avrSize(m.type, short);
      return boardLeaves(m.type, `${path}.${m.name}`, here, short);
    });
  }
  if (t.kind === 'array') {
    if (t.bounds.length !== 1) return [];
    const { low, high } = t.bounds[0]!;
    return Array.from({ length: high - low + 1 }, (_, i) =>
      boardLeaves(t.element, `${path}[${low + i}]`, at + i * avrSize(t.element, short), short),
    ).flat();
  }
  return ['string', 'ref', 'interface'].includes(t.kind) ? [] : [{ path, at, type: t }];
}

describe('generated programs on the 8-bit board', () => {
  /** What the board has not: reals of 64 bits and conversions to characters; reals of 32 bits stand in. */
  const forBoard = (t: string) => t.replaceAll('LREAL', 'REAL');
  it('do the same as on the bench, every value after every scan', () => {
    let played = 0;
    const refused: string[] = [];
    const wrong: string[] = [];
    for (let seed = 1; seed <= 60 && played < 24; seed++) {
      const source = forBoard(PRELUDE + generateProgram('P', seeded(1000 + seed)));
      const files = text(source);
      const compiled = compile(files);
      if (compiled.hasErrors) continue;
      const built = buildC(compiled, { target: 'avr', title: 'generated' });
      if ('message' in built) {
        refused.push(built.message);
        continue;
      }
      const path = join(here.path, `p${seed}`);
      writeFiles(path, built.files);
      make(path);
      const engine = new Engine(compiled.build(false), { stepNs: 10_000_000n });
      const found = findPath(engine.image, 'P');
      if ('error' in found) throw new Error(found.error);
      const short = built.program.longTime === undefined;
      const places = boardLeaves(found.location.type, 'P', 0, short).filter(
        (l) => 'location' in findPath(engine.image, l.path),
      );
      played++;
      const beats = simulate(join(path, 'logic.elf'), 4);
      for (const beat of beats) {
        if (!engine.runScan()) break;
        for (const l of places) {
          const at = findPath(engine.image, l.path);
          if ('error' in at) throw new Error(at.error);
          const value = readLocation(engine.view, at.location);
          const wanted = machineOf(l.type) === 'time' ? '' : String(value);
          const got = boardValue(beat.state, l.at, l.type);
          if (machineOf(l.type) !== 'time' && got !== wanted)
            wrong.push(`seed ${seed}, scan ${engine.scan - 1}: ${l.path} is ${got}, not ${wanted}`);
        }
      }
    }
    expect(wrong.slice(0, 10)).toEqual([]);
    expect(played).toBeGreaterThan(10);
    expect(refused.length).toBeLessThan(50);
  }, 300_000);
});

/** Functions of points that press the button by the scan, and say through the emulator what the outputs are. */
const OWN_ARM = `#include "ferrule.h"
static void say(const char *text) {
  register int what __asm__("r0") = 4;
  register const char *at __asm__("r1") = text;
  __asm__ volatile("bkpt 0xab" : "+r"(what) : "r"(at) : "memory");
}
static void leave(void) {
  register int what __asm__("r0") = 0x18;
  register int why __asm__("r1") = 0x20026;
  __asm__ volatile("bkpt 0xab" : : "r"(what), "r"(why));
}
static unsigned scan;
static char line[] = "..\\n";
bool read_Button(void);
bool read_Button(void) { return scan % 60 >= 20 && scan % 60 < 40; }
void write_Lamp(bool value);
void write_Lamp(bool value) { line[0] = value ? '1' : '0'; }
void write_AtTop(bool value);
void write_AtTop(bool value) {
  static bool begun;
  line[1] = value ? '1' : '0';
  if (begun) say(line); /* the first time is the rest before the first scan */
  begun = true;
  if (++scan > 400) leave();
}
`;

describe('the example on an emulated Cortex-M, in its own time', () => {
  it('gives the outputs of the bench, scan by scan, by the beat of the system timer', () => {
    const file = new URL('../../../../../examples/board/lamp.st', import.meta.url);
    const files: InputFile[] = [{ kind: 'text', name: 'lamp.st', text: readFileSync(file, 'utf8') }];
    const { path } = build('arm-lamp', files, 'arm');
    writeFiles(path, new Map([['own.c', OWN_ARM]]));
    make(path, 'logic.elf', 'F_CPU=25000000');
    const emulator = ['-M', 'mps2-an385', '-nographic', '-monitor', 'none', '-serial', 'none'];
    const run = spawnSync(
      'qemu-system-arm',
      [...emulator, '-semihosting-config', 'enable=on,target=native', '-kernel', join(path, 'logic.elf')],
      { encoding: 'utf8', timeout: 60_000 },
    );
    // What is said goes to the emulator's error output.
    const got = (run.stdout + run.stderr).split('\n').filter((l) => /^[01]{2}$/.test(l));
    const engine = new Engine(compile(files).build(false), { stepNs: 5_000_000n });
    const wanted: string[] = [];
    for (let n = 0; n < 400; n++) {
      // The rest before the first scan has counted once.
      const at = n + 1;
      engine.write('Button', at % 60 >= 20 && at % 60 < 40);
      engine.runScan();
      wanted.push(`${engine.read('Lamp') ? 1 : 0}${engine.read('AtTop') ? 1 : 0}`);
    }
    expect(got.length).toBeGreaterThan(390);
    expect(got).toEqual(wanted.slice(0, got.length));
    expect(new Set(got).size).toBeGreaterThan(2);
  }, 300_000);
});

describe('generated programs on an emulated Cortex-M', () => {
  it('give the same bytes as the bench', () => {
    for (let seed = 1; seed <= 3; seed++) {
      const random = seeded(500 + seed);
      const files = text(PRELUDE + Array.from({ length: 5 }, (_, i) => generateProgram(`P${i}`, random)).join(''));
      const { path } = build(`arm${seed}`, files, 'arm');
      make(path);
      make(path, 'trace');
      const image = compile(files).build(false);
      const record = image.programs.flatMap((p) => {
        const at = findPath(image, p);
        return 'location' in at ? leaves(at.location.type, p) : [];
      });
      // The emulator's command line holds 255 characters.
      while (record.length) {
        const some: string[] = [];
        while (record.length && some.join().length < 160) some.push(record.shift()!);
        const wanted = benchTrace(files, some, 6);
        const got = spawnSync(join(path, 'trace'), ['--for', '60ms', '--record', some.join()], { encoding: 'utf8' });
        expect(firstDifference(wanted.out, got.stdout)).toBe(undefined);
        expect(got.stderr.trim()).toBe(wanted.error);
      }
    }
  }, 300_000);
});
