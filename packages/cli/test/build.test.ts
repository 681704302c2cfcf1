/**
 * `ferrule build`: the folder it writes, what is built from it, that this does what `ferrule run` does, and what is
 * refused.
 */
import { type ChildProcess, spawn, spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { type Server, createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, describe, expect, it } from 'vitest';
import { main } from '../src/main.js';

const temporary = mkdtempSync(join(tmpdir(), 'ferrule-build-'));
const started: ChildProcess[] = [];
afterAll(() => {
  for (const p of started) p.kill('SIGKILL');
  rmSync(temporary, { recursive: true, force: true });
});
const at = (name: string) => join(temporary, name);
const example = (name: string) => fileURLToPath(new URL(`../../../examples/${name}`, import.meta.url));
async function ferrule(...args: string[]) {
  let out = '',
    error = '';
  const code = await main(args, { out: (t) => (out += t), error: (t) => (error += t) });
  return { code, out, error };
}
function make(folder: string, ...what: string[]): void {
  const r = spawnSync('make', ['-s', '-C', folder, ...what], { encoding: 'utf8' });
  expect([r.status, r.stderr]).toEqual([0, '']);
}
function st(name: string, text: string): string {
  writeFileSync(at(name), text);
  return at(name);
}
const trace = (folder: string, ...args: string[]) => {
  const r = spawnSync(join(folder, 'trace'), args, { encoding: 'utf8', maxBuffer: 1 << 28 });
  return { code: r.status, out: r.stdout, error: r.stderr };
};

const EVERYTHING = `
TYPE Mode : (Idle, Filling, Done := 7); Part : STRUCT Name : STRING[12] := 'none'; Weight : REAL := 1.5; Marks : ARRAY [1..3] OF BOOL; END_STRUCT;
  Few : INT (0..9); END_TYPE
VAR_GLOBAL
  Start AT %IX0.0 : BOOL; Level AT %IW2 : INT; Motor AT %QX0.0 : BOOL; Speed AT %QW2 : UINT; Both AT %MW0 : WORD; Low AT %MB0 : BYTE;
  Fourth AT %MX0.3 : BOOL;
END_VAR
INTERFACE Shown METHOD Text : STRING END_METHOD END_INTERFACE
CLASS Plain IMPLEMENTS Shown VAR n : INT; END_VAR METHOD PUBLIC Text : STRING n := n + 1; Text := CONCAT('plain ', INT_TO_STRING(n)); END_METHOD END_CLASS
CLASS Loud EXTENDS Plain METHOD PUBLIC OVERRIDE Text : STRING Text := CONCAT(SUPER.Text(), '!'); END_METHOD END_CLASS
FUNCTION Largest : INT VAR_IN_OUT a : ARRAY [*] OF INT; END_VAR VAR i : DINT; END_VAR
  FOR i := LOWER_BOUND(a, 1) TO UPPER_BOUND(a, 1) DO IF i = LOWER_BOUND(a, 1) OR a[i] > Largest THEN Largest := a[i]; END_IF; END_FOR;
END_FUNCTION
FUNCTION Divide : DINT VAR_INPUT a, b : DINT; END_VAR VAR_OUTPUT rest : DINT; END_VAR rest := a MOD b; Divide := a / b; END_FUNCTION
PROGRAM P
VAR_EXTERNAL Start : BOOL; Level : INT; Motor : BOOL; Speed : UINT; Both : WORD; Low : BYTE; Fourth : BOOL; END_VAR
VAR
  mode : Mode; parts : ARRAY [0..2] OF Part; t : TON; said : STRING; plain : Plain; loud : Loud; who : Shown; few : Few; which : REF_TO INT; n : INT := 3;
  when : DT := DT#2026-02-27-23:59:58; wide : WSTRING := "grün"; x : LREAL; real : REAL; rest, whole : DINT; list : ARRAY [-1..2] OF INT := [4, 9, 2, 5];
  big : ULINT := 18446744073709551000; turned : WORD; span : TIME; day : DATE;
END_VAR
t(IN := Start, PT := T#55ms);
CASE mode OF Idle: IF t.Q THEN mode := Filling; END_IF; Filling, Done: mode := SEL(Level > 20, mode, Mode#Done); END_CASE;
Motor := mode = Filling; Speed := INT_TO_UINT(Level * 3);
IF n > 8 THEN who := loud; ELSE who := plain; END_IF;
said := who.Text(); parts[n MOD 3].Name := said; parts[n MOD 3].Marks[1 + n MOD 3] := Start;
which := REF(n); which^ := which^ + 1;
when := when + T#700ms; day := DT_TO_DATE(when); wide := CONCAT(wide, "ß"); x := SIN(x) + 0.1; real := REAL#0.1 * INT_TO_REAL(n); whole := Divide(a := n * 100, b := 7, rest => rest);
n := MAX(n, Largest(list)); list[n MOD 2] := n; turned := ROL(INT_TO_WORD(n), 3); Both := turned; Fourth := Start; span := span + T#1s2ms * 3; big := big + 100;
few := Level;
END_PROGRAM`;
const NAMES =
  'P.mode,P.said,P.parts[1].Name,P.parts[1].Weight,P.parts[2].Marks[2],P.t.ET,P.n,P.when,P.day,P.wide,P.x,P.real,P.whole,P.rest,P.list[0],P.list[-1],P.big,Both,Low,Fourth,Motor,Speed,P.span,P.turned.3,Level,P.few';

describe('the folder for linux', () => {
  it('make trace writes the bytes that ferrule run writes, faults and codes too, with gcc and clang', async () => {
    const file = st('all.st', EVERYTHING);
    writeFileSync(
      at('in.csv'),
      't_ms,Start,Level,P.mode,P.said,P.real\n20,1,5,,,\n95,,"7",,"a ""quoted"", word",1e-7\n150,,16#1F,,,\n200,0,8,Idle,,\n400,1,,,,2.5\n',
    );
    const run = ['--for', '700ms', '--scan', '5ms', '--stimulus', at('in.csv'), '--record', NAMES];
    const wanted = await ferrule('run', file, ...run);
    // Level becomes 31, and with it a value that is outside its subrange.
    expect(wanted.code).toBe(3);
    expect(wanted.out.split('\n').length).toBeGreaterThan(20);
    for (const cc of ['gcc', 'clang']) {
      const r = await ferrule('build', file, '--target', 'linux', '--out', at('all'));
      expect(r).toEqual({ code: 0, out: expect.stringContaining('files; make -C'), error: '' });
      make(at('all'), 'clean');
      make(at('all'), `CC=${cc}`);
      make(at('all'), 'trace', `CC=${cc}`);
      expect(trace(at('all'), ...run)).toEqual(wanted);
      for (const end of ['csv', 'vcd']) {
        await ferrule('run', file, ...run, '--out', at(`run.${end}`));
        trace(at('all'), ...run, '--out', at(`c.${end}`));
        expect(readFileSync(at(`c.${end}`), 'utf8')).toBe(readFileSync(at(`run.${end}`), 'utf8'));
      }
    }
    const last = ['--for', '300ms', '--record', 'P.n,P.said', '--record-last'];
    expect(trace(at('all'), ...last)).toEqual(await ferrule('run', file, ...last));
    for (const bad of [
      ['--scan', '10'],
      ['--for', '-1s'],
      ['--record', 'Nobody'],
      ['--record', 'P.parts'],
      ['--record', 'P.n,,P.x'],
      ['--stimulus', at('none.csv')],
      ['--out', at('x.txt')],
      ['--what'],
      ['--watchdog', 'many'],
    ]) {
      const got = trace(at('all'), ...bad),
        run = await ferrule('run', file, ...bad);
      expect([bad, got.code, run.code, got.error.trim().split('\n').length]).toEqual([bad, 2, 2, 1]);
    }
    writeFileSync(at('bad.csv'), 't_ms,Level\n10,1\n20,many\n');
    const refused = trace(at('all'), '--for', '1s', '--stimulus', at('bad.csv'), '--record', 'Level');
    expect([refused.code, refused.out]).toEqual([2, '']);
    expect(refused.error).toMatch(/bad\.csv: line 3, Level: 'many' is not a whole number/);
  }, 180_000);

  it('is clean under the sanitizers', async () => {
    make(at('all'), 'clean');
    make(
      at('all'),
      'trace',
      'CFLAGS=-O1 -g -fsanitize=address,undefined -fno-sanitize-recover=all -fno-omit-frame-pointer',
    );
    const r = trace(at('all'), '--for', '2s', '--record', NAMES);
    expect([r.code, r.error]).toEqual([0, '']);
    expect(r.out).toBe((await ferrule('run', at('all.st'), '--for', '2s', '--record', NAMES)).out);
  }, 120_000);

  it('brings the model of the machine along for the trace', async () => {
    const demo = example('dust-extractor.ferrule.json');
    await ferrule('build', demo, '--target', 'linux', '--out', at('demo'));
    make(at('demo'), 'trace');
    const run = ['--for', '4s', '--record', 'Machine.Air.Draught', '--out', '-'];
    expect(trace(at('demo'), ...run)).toEqual(await ferrule('run', demo, ...run));
  }, 60_000);

  it('builds with CMake too', () => {
    const cmake = (...args: string[]) => {
      const r = spawnSync('cmake', args, { encoding: 'utf8' });
      expect([r.status, r.stderr]).toEqual([0, '']);
    };
    cmake('-S', at('all'), '-B', at('cmake'));
    cmake('--build', at('cmake'));
    expect(existsSync(join(at('cmake'), 'logic'))).toBe(true);
    const r = spawnSync(join(at('cmake'), 'trace'), ['--for', '20ms', '--record', 'P.n'], { encoding: 'utf8' });
    expect(r.stdout).toBe('t_ms,P.n\n0,9\n10,10\n');
  }, 120_000);
});

const COUNTER = `
VAR_GLOBAL Go AT %IX0.0 : BOOL; Amount AT %IW2 : INT; Lamp AT %QX0.1 : BOOL; Sum AT %QW4 : INT; END_VAR
VAR_GLOBAL RETAIN Runs : INT; END_VAR
PROGRAM P VAR_EXTERNAL Go, Lamp : BOOL; Amount, Sum, Runs : INT; END_VAR VAR first : BOOL := TRUE; END_VAR
IF first THEN Runs := Runs + 1; first := FALSE; END_IF; Lamp := Go; Sum := Amount + 1000 * Runs; END_PROGRAM`;

/** A Modbus TCP device: its tables are what the requests say. */
function device(): Promise<{
  server: Server;
  port: number;
  discrete: number[];
  input: number[];
  coils: Map<number, number>;
  holding: Map<number, number>;
}> {
  const tables = {
    discrete: [1],
    input: [0, 42],
    coils: new Map<number, number>(),
    holding: new Map<number, number>(),
  };
  const server = createServer((link) => {
    let got = Buffer.alloc(0);
    link.on('error', () => undefined);
    link.on('data', (bytes) => {
      got = Buffer.concat([got, bytes]);
      while (got.length >= 8 && got.length >= 6 + got.readUInt16BE(4)) {
        const frame = got.subarray(0, 6 + got.readUInt16BE(4));
        got = got.subarray(frame.length);
        const f = frame[7]!,
          first = frame.readUInt16BE(8),
          n = frame.readUInt16BE(10);
        let answer: number[];
        if (f === 2) {
          const bits = Array.from({ length: Math.ceil(n / 8) }, () => 0);
          for (let i = 0; i < n; i++) if (tables.discrete[first + i]) bits[i >> 3]! |= 1 << (i & 7);
          answer = [f, bits.length, ...bits];
        } else if (f === 4)
          answer = [
            f,
            2 * n,
            ...Array.from({ length: n }, (_, i) => tables.input[first + i] ?? 0).flatMap((w) => [w >> 8, w & 255]),
          ];
        else {
          for (let i = 0; i < n; i++)
            if (f === 15) tables.coils.set(first + i, (frame[13 + (i >> 3)]! >> (i & 7)) & 1);
            else tables.holding.set(first + i, frame.readUInt16BE(13 + 2 * i));
          answer = [...frame.subarray(7, 12)];
        }
        link.write(Buffer.from([frame[0]!, frame[1]!, 0, 0, 0, answer.length + 1, frame[6]!, ...answer]));
      }
    });
  });
  return new Promise((resolve) =>
    server.listen(0, '127.0.0.1', () =>
      resolve({ server, port: (server.address() as { port: number }).port, ...tables }),
    ),
  );
}
async function until(what: () => boolean): Promise<void> {
  for (let i = 0; i < 500 && !what(); i++) await new Promise((r) => setTimeout(r, 20));
  expect(what()).toBe(true);
}
function start(folder: string, ...args: string[]) {
  const child = spawn(join(folder, 'logic'), args, { stdio: ['ignore', 'pipe', 'pipe'] });
  started.push(child);
  let error = '';
  child.stderr.on('data', (d: Buffer) => (error += d.toString()));
  const ended = new Promise<number | null>((r) => child.on('exit', (code) => r(code)));
  return { child, ended, error: () => error };
}

describe('the logic in real time on linux', () => {
  it('reads and writes a Modbus device, does without it, and joins it again', async () => {
    await ferrule('build', st('counter.st', COUNTER), '--target', 'linux', '--out', at('counter'));
    make(at('counter'));
    const io = await device();
    const run = start(at('counter'), '--modbus', `127.0.0.1:${io.port}`, '--retain', at('kept'));
    await until(() => io.coils.get(1) === 1 && io.holding.get(2) === 1042);
    io.discrete[0] = 0;
    io.input[1] = 65535;
    await until(() => io.coils.get(1) === 0 && io.holding.get(2) === 999);
    run.child.kill('SIGTERM');
    expect(await run.ended).toBe(0);
    expect(run.error()).toContain('io: connected to 127.0.0.1:');
    // What is retained was kept: the second run counts on.
    const again = start(at('counter'), '--modbus', `127.0.0.1:${io.port}`, '--retain', at('kept'));
    await until(() => io.holding.get(2) === 1999);
    again.child.kill('SIGTERM');
    await again.ended;
    io.server.close();
    writeFileSync(at('kept'), 'of another program, surely');
    const cold = start(at('counter'), '--retain', at('kept'), '--scans', '3');
    expect(await cold.ended).toBe(0);
    expect(cold.error()).toContain('holds the values of another program');
  }, 60_000);

  it('reads and writes a file of shared memory; a fault puts outputs at rest and ends it with 3', async () => {
    const file = st(
      'fault.st',
      `VAR_GLOBAL Share AT %IB0 : SINT; Lamp AT %QX0.0 : BOOL; END_VAR
PROGRAM P VAR_EXTERNAL Share : SINT; Lamp : BOOL; END_VAR VAR n : SINT; END_VAR Lamp := TRUE; n := 100 / Share; END_PROGRAM`,
    );
    await ferrule('build', file, '--target', 'linux', '--out', at('fault'));
    make(at('fault'));
    writeFileSync(at('shared'), Buffer.from([5, 0]));
    const run = start(at('fault'), '--map', at('shared'));
    await until(() => readFileSync(at('shared'))[1] === 1);
    writeFileSync(at('shared'), Buffer.from([0, 1]), { flag: 'r+' });
    expect(await run.ended).toBe(3);
    expect(readFileSync(at('shared'))[1]).toBe(0);
    expect(run.error()).toMatch(/fault: .*fault\.st:2:\d+: number 2, value 100; outputs are at rest/);
  }, 60_000);
});

describe('what cannot be', () => {
  const lamp = example('board/lamp.st'),
    pins = example('board/pins.csv');
  it('is one line, exit 2, and nothing is written', async () => {
    mkdirSync(at('taken'));
    writeFileSync(join(at('taken'), 'notes.txt'), 'mine');
    const table = (name: string, rows: string) => {
      writeFileSync(at(name), `point,pin,how\n${rows}\n`);
      return at(name);
    };
    const real = st('real.st', 'PROGRAM P VAR x : LREAL; END_VAR\nx := x + 0.5;\nEND_PROGRAM');
    const large = st(
      'large.st',
      'PROGRAM P VAR a : ARRAY [1..3000] OF INT; i : INT; END_VAR a[1 + i MOD 3000] := i; END_PROGRAM',
    );
    const text = st('text.st', 'PROGRAM P VAR s : STRING; r : REAL; END_VAR s := REAL_TO_STRING(r); END_PROGRAM');
    const avr = (...more: string[]) => ['build', lamp, '--target', 'avr', '--out', at('no'), ...more];
    for (const [args, why] of [
      [['build', lamp, '--out', at('no')], /--target: write one of c, linux, avr, arm/],
      [['build', lamp, '--target', 'toaster', '--out', at('no')], /--target: write one of/],
      [['build', lamp, '--target', 'c'], /--out: name the folder/],
      [['build', lamp, '--target', 'c', '--out', at('taken')], /taken holds files that ferrule build did not write/],
      [['build', lamp, '--target', 'c', '--out', lamp], /is a file; name a folder/],
      [
        ['build', lamp, '--target', 'linux', '--out', at('no'), '--pins', pins],
        /--pins: on linux points have their addresses/,
      ],
      [avr('--pins', at('none.csv')), /none\.csv: it cannot be read/],
      [avr('--pins', table('a.csv', 'Nobody,PB1,')), /a\.csv: line 2: there is no tag 'Nobody'/],
      [avr('--pins', table('b.csv', 'Lamp,PB5,\nAtTop,pb5,')), /b\.csv: line 3: PB5 is the pin of 'Lamp' already/],
      [
        avr('--pins', table('c.csv', 'Lamp,PZ9,')),
        /c\.csv: line 2: 'PZ9' is no pin that is free on this board: PB0 to PB5/,
      ],
      [avr('--pins', table('d.csv', 'Lamp,PB5,pull-up')), /d\.csv: line 2: a pull-up belongs to a digital input/],
      [avr('--pins', table('e.csv', 'Lamp,PB5,upside-down')), /e\.csv: line 2: 'upside-down' is not known here/],
      [avr('--pins', table('f.csv', 'Count,PB5,')), /f\.csv: line 2: 'Count' is neither an input nor an output/],
      [avr('--pins', table('h.csv', 'Lamp,call:main,')), /h\.csv: line 2: 'main' has a meaning of its own in the C/],
      [
        avr('--pins', table('i.csv', 'Lamp,call:both,\nAtTop,call:both,')),
        /i\.csv: line 3: both is the function of 'Lamp' already/,
      ],
      [
        avr('--pins', table('j.csv', 'Nobody,PB1,\nLamp,PB5,\nCount,PB4,')),
        /j\.csv: line 2: there is no tag 'Nobody' with one value\. 1 more row is wrong\./,
      ],
      [avr('--pins', table('g.csv', 'Lamp,ADC0,')), /g\.csv: line 2: ADC0 is an input; 'Lamp' is an output/],
      [
        ['build', real, '--target', 'avr', '--out', at('no')],
        /real\.st:2:1: reals of 64 bits .* are not on this board/,
      ],
      [
        ['build', large, '--target', 'avr', '--out', at('no')],
        /the state takes \d+ bytes, and the board has 2048; nothing was written/,
      ],
      [['build', text, '--target', 'avr', '--out', at('no')], /characters take more program than this board has/],
      [
        ['build', st('none.st', 'FUNCTION F : INT F := 1; END_FUNCTION'), '--target', 'c', '--out', at('no')],
        /there is no PROGRAM to build/,
      ],
    ] as [string[], RegExp][]) {
      const r = await ferrule(...args);
      expect([args, r.code, r.error]).toEqual([args, 2, expect.stringMatching(why)]);
      expect(r.error.trim().split('\n').length).toBe(1);
    }
    expect(existsSync(at('no'))).toBe(false);
    const wrong = await ferrule(
      'build',
      st('wrong.st', 'PROGRAM P VAR a : INT; END_VAR a := TRUE; END_PROGRAM'),
      '--target',
      'c',
      '--out',
      at('no'),
    );
    expect([wrong.code, wrong.out]).toEqual([
      1,
      expect.stringMatching(/wrong\.st:1:\d+: error .*\n1 errors, 0 warnings\n$/),
    ]);
  });

  it('what is dear on a small board is said with its cost, before anything is built', async () => {
    const file = st(
      'dear.st',
      `PROGRAM P VAR a : TON; b : TON; r : REAL; s : STRING[20]; d : DINT; END_VAR
a(IN := TRUE, PT := T#1s);
b(IN := a.Q, PT := T#1s / 3);
r := r * 1.5; s := 'some text';
END_PROGRAM`,
    );
    const r = await ferrule('build', file, '--target', 'avr', '--out', at('dear'));
    expect(r.code).toBe(0);
    expect(r.out).toMatch(/^memory: \d+ of 2048 bytes for the state/m);
    expect(r.out).toMatch(/^program: about \d+ of 32256 bytes$/m);
    expect(r.out).toMatch(/64 bits of nanoseconds: 6 of them .*dear\.st:3:1: a duration/);
    expect(r.out).toMatch(/REAL is worked out by software: about 2,000 bytes/);
    expect(r.out).toMatch(/Text that does not change is kept in memory: 11 bytes/);
    make(at('dear'));
  });

  it('what has no one value is left out of the points and said; a local that starts in the middle of a millisecond keeps durations long', async () => {
    const file = st(
      'whole.st',
      `TYPE Pair : STRUCT a : INT; s : STRING[10]; END_STRUCT; END_TYPE
VAR_GLOBAL Both AT %IB0 : Pair; Row AT %QW0 : ARRAY [0..1] OF INT; One AT %QX8.0 : BOOL; Low AT %QB8 : BYTE; END_VAR
FUNCTION Past : BOOL VAR_INPUT t : TIME; END_VAR VAR least : TIME := T#500us; END_VAR Past := t > least; END_FUNCTION
PROGRAM P VAR_EXTERNAL Both : Pair; Row : ARRAY [0..1] OF INT; One : BOOL; END_VAR VAR t : TON; END_VAR
t(IN := TRUE, PT := T#1s); One := Past(t.ET); Row[1] := Both.a; END_PROGRAM`,
    );
    for (const target of ['linux', 'c', 'arm', 'avr']) {
      const r = await ferrule('build', file, '--target', target, '--out', at(`whole-${target}`));
      expect([r.code, r.error]).toEqual([0, '']);
      expect(r.out).toMatch(
        target === 'linux' ? /^neither read nor written, being no single value: .*Both/m : /^without a pin: .*Both/m,
      );
      if (target === 'avr') expect(r.out).toMatch(/whole\.st:3:\d+: 'least' starts with a duration/);
      make(at(`whole-${target}`));
      if (target !== 'avr') make(at(`whole-${target}`), 'trace');
    }
  }, 60_000);

  it('writes again what it wrote, leaves what is yours, and says what has no pin', async () => {
    const only = st('one.csv', 'point,pin,how\nLamp,call:my_lamp,\nButton,PD2,pull-up inverted\n');
    const args = ['build', lamp, '--target', 'avr', '--pins', only, '--out', at('own')];
    expect((await ferrule(...args)).out).toContain('without a pin: AtTop\n');
    const mine = readFileSync(join(at('own'), 'own.c'), 'utf8').replace(
      '(void)value;',
      'if (value) ferrule.watchdog = 1000;',
    );
    writeFileSync(join(at('own'), 'own.c'), mine);
    expect((await ferrule(...args)).code).toBe(0);
    expect(readFileSync(join(at('own'), 'own.c'), 'utf8')).toBe(mine);
    make(at('own'));
    expect(readFileSync(join(at('own'), 'wiring.txt'), 'utf8')).toMatch(/Lamp +%QX0\.0 +output +my_lamp\(\)/);
  });
});
