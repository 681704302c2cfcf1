/**
 * Memory that goes by more than one name (addresses that lie over each other, references, in-out parameters, instances
 * seen from inside and from outside): what is kept in locals between reads must be what memory holds. Generated
 * programs run as they stand and with the optimizer, and end in the same bytes after every scan.
 */
import { expect, it } from 'vitest';
import { build } from '../../src/back/wasm/build.js';
import { Engine } from '../../src/bench.js';
import { compile } from '../../src/workspace.js';
import { type Random, seeded } from '../generate.js';

const SCANS = 4;
const PROGRAMS = 150;

const WHOLE = ['n', 'm', 'k', 'a[0]', 'a[2]', 'a[i]', 'r^', 'inst.inp', 's.x', 's.y[1]', 's.y[i]'];
const BITS = ['b0', 'b5', 'b9', 'x', 'y', 'z', 's.f', 'w.%X3', 'n.%X0', 'ov.f'];
/** What can be read there and not written. */
const SEEN = ['inst.k', 'inst.own', 'other.k'];
const SEEN_BITS = ['inst.q', 'other.q'];
const BYTES = ['lo', 'hi', 'u', 'ov.b'];

class Writer {
  private loops = 0;
  constructor(
    private readonly random: Random,
    private readonly whole: readonly string[],
    private readonly bits: readonly string[],
    private readonly bytes: readonly string[],
    private readonly calls: readonly string[],
  ) {}
  private of<T>(list: readonly T[]): T {
    return list[this.random(list.length)]!;
  }
  private number(): string {
    return this.of([this.of(this.whole), this.of([...this.whole, ...SEEN]), String(this.random(9))]);
  }
  private bool(): string {
    return this.of([
      this.of([...this.bits, ...SEEN_BITS]),
      `NOT ${this.of(this.bits)}`,
      `(${this.of(this.bits)} AND ${this.of(this.bits)})`,
      `(${this.of(this.bits)} OR ${this.number()} > ${this.number()})`,
    ]);
  }
  statement(depth: number): string {
    switch (this.random(depth > 2 ? 4 : 8)) {
      case 0:
        return `${this.of(this.whole)} := ${this.number()} + ${this.number()};`;
      case 1:
        return `${this.of(this.bits)} := ${this.bool()};`;
      case 2:
        return `${this.of(this.bytes)} := ${this.of(this.bytes)} XOR BYTE#${this.random(255)};`;
      case 3:
        return this.of([`w := w ROL0`, `${this.of(this.whole)} := ${this.number()};`]).replace(
          'w := w ROL0',
          'w := ROL(w, 3);',
        );
      case 4:
      case 5:
        return `IF ${this.bool()} THEN ${this.list(depth + 1)} ELSE ${this.list(depth + 1)} END_IF;`;
      case 6:
        if (this.loops) return `IF ${this.bool()} THEN ${this.of(['EXIT;', 'CONTINUE;'])} END_IF;`;
        this.loops++;
        try {
          return `FOR i := 0 TO 3 DO ${this.list(depth + 1)} END_FOR; i := ${this.random(4)};`;
        } finally {
          this.loops--;
        }
      default:
        return this.of(this.calls)
          .replace('?n', this.of(['n', 'a[2]', 'm']))
          .replace('?b', this.bool());
    }
  }
  list(depth: number): string {
    return Array.from({ length: 1 + this.random(depth ? 4 : 12) }, () => this.statement(depth)).join('\n');
  }
}

function program(seed: number): string {
  const random = seeded(seed);
  const outside = ['n', 'm', 'k', 'a[0]', 'a[i]', 'r^', 'inst.inp', 's.x', 's.y[i]'];
  const inside = new Writer(
    random,
    [...outside, 'own', 'own', 'k', 't', 't', 'own'],
    ['b0', 'b9', 'x', 'q', 'q', 'deep.on', 'was'],
    ['lo', 'u', 'ov.b'],
    ['deep(on := ?b);', 'edge(CLK := ?b); q := edge.Q;'],
  );
  const main = new Writer(random, WHOLE, BITS, BYTES, [
    'inst(inp := n, t := ?n);',
    'other(t := ?n);',
    'z := inst.look(p := ?n);',
    'edge(CLK := ?b); z := edge.Q;',
    'wait(IN := ?b, PT := T#20ms); y := wait.Q;',
    'r := REF(m);',
    'r := REF(inst.inp);',
    'r := REF(a[1]);',
  ]);
  return `
TYPE Pair : STRUCT x : INT; y : ARRAY [0..3] OF INT; f : BOOL; END_STRUCT;
Lap : STRUCT OVERLAP b : BYTE; f : BOOL; n : INT; END_STRUCT; END_TYPE
VAR_GLOBAL
  w AT %MW0 : WORD; lo AT %MB0 : BYTE; hi AT %MB1 : BYTE; b0 AT %MX0.0 : BOOL; b5 AT %MX0.5 : BOOL; b9 AT %MX1.1 : BOOL;
  x AT %MX4.0 : BOOL; y AT %MX4.1 : BOOL; u AT %MB6 : BYTE;
  z : BOOL; n : INT := 3; m : INT; k : INT; i : INT; a : ARRAY [0..3] OF INT; r : REF_TO INT := REF(n);
  s : Pair; ov : Lap; inst : Fb; other : Fb; edge : R_TRIG; wait : TON;
END_VAR
FUNCTION_BLOCK Small VAR_INPUT on : BOOL; END_VAR VAR PUBLIC c : INT; END_VAR IF on THEN c := c + 1; END_IF; END_FUNCTION_BLOCK
FUNCTION_BLOCK Fb
VAR_INPUT inp : INT; END_VAR VAR_IN_OUT t : INT; END_VAR
VAR_OUTPUT q : BOOL; END_VAR
VAR PUBLIC k : INT; own : INT; deep : Small; edge : F_TRIG; was : BOOL; END_VAR
METHOD PUBLIC look : BOOL VAR_IN_OUT p : INT; END_VAR
VAR_EXTERNAL n : INT; END_VAR
k := k + p; p := k; n := n + 1; look := k > n; END_METHOD
END_FUNCTION_BLOCK
PROGRAM Main
${main.list(0)}
END_PROGRAM
PROGRAM Second
VAR v : INT; f : BOOL; edge : R_TRIG; END_VAR
edge(CLK := f); IF edge.Q THEN v := v + 1; END_IF; f := NOT f; ${main.list(1)}
END_PROGRAM`.replace('END_METHOD\nEND_FUNCTION_BLOCK', () => {
    const body = inside.list(0);
    return `END_METHOD\n${body}\nEND_FUNCTION_BLOCK`;
  });
}

it(`${PROGRAMS} generated programs whose memory has several names run the same with the optimizer and without`, () => {
  let ran = 0;
  for (let seed = 1; seed <= PROGRAMS; seed++) {
    const text = program(seed);
    const compiled = compile([{ kind: 'text', name: 't.st', text }]);
    expect(
      compiled.diagnostics.filter((d) => d.severity === 'error').map((d) => `${d.code} ${d.message}`),
      text,
    ).toEqual([]);
    for (const watched of [false, true]) {
      const [as, optimized] = [false, true].map(
        (on) => new Engine(build(compiled.program, { watched, optimized: on }), { stepNs: 10_000_000n }),
      ) as [Engine, Engine];
      for (let n = 0; n < SCANS; n++) {
        as.runScan();
        optimized.runScan();
        expect(optimized.fault?.kind, text).toBe(as.fault?.kind);
        if (as.fault) break;
        ran++;
        const size = as.image.stateSize;
        const different = [...as.memory.slice(64, size)].flatMap((v, i) =>
          v === optimized.memory[64 + i] ? [] : [64 + i],
        );
        expect(different, `seed ${seed}, ${watched ? 'watched' : 'plain'}, scan ${n}\n${text}`).toEqual([]);
      }
    }
  }
  expect(ran).toBeGreaterThan(PROGRAMS * 4);
}, 300_000);
