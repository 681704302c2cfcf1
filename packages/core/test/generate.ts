/**
 * Random programs that are right by construction, the same for the same seed. Faults are rare, so that most programs
 * run to their end.
 */
export type Random = (below: number) => number;

export function seeded(seed: number): Random {
  let s = (seed * 2654435761) >>> 0;
  return (below) => {
    s = (s + 0x6d2b79f5) >>> 0;
    let t = Math.imul(s ^ (s >>> 15), 1 | s);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return Math.floor((((t ^ (t >>> 14)) >>> 0) / 4294967296) * below);
  };
}

const WHOLE: Record<string, readonly [bigint, bigint]> = {
  SINT: [-128n, 127n],
  INT: [-32768n, 32767n],
  DINT: [-2147483648n, 2147483647n],
  LINT: [-(2n ** 63n), 2n ** 63n - 1n],
  USINT: [0n, 255n],
  UINT: [0n, 65535n],
  UDINT: [0n, 4294967295n],
  ULINT: [0n, 2n ** 64n - 1n],
};
const BIT_STRINGS: Record<string, number> = { BYTE: 8, WORD: 16, DWORD: 32, LWORD: 64 };
const NARROWER: Record<string, readonly string[]> = {
  INT: ['SINT', 'USINT'],
  DINT: ['INT', 'UINT', 'SINT'],
  LINT: ['DINT', 'UDINT', 'INT'],
  UINT: ['USINT'],
  UDINT: ['UINT', 'USINT'],
  ULINT: ['UDINT', 'UINT'],
};

export const PRELUDE = `
TYPE Colour : (Red, Amber, Green, Blue); Item : STRUCT a : INT; b : DINT := 3; c : ARRAY [0..2] OF SINT := [1, 2(7)]; f : BOOL; r : REAL := 1.5; k : Colour := Amber; END_STRUCT; END_TYPE
FUNCTION Fold : INT VAR_INPUT x : INT; y : INT := 7; END_VAR VAR i : INT; t : ARRAY [1..3] OF INT := [3, 1, 2]; END_VAR
Fold := x; FOR i := 1 TO 3 DO Fold := Fold * 3 + t[i] - y; t[i] := 0; IF Fold > 1000 THEN RETURN; END_IF; END_FOR; END_FUNCTION
FUNCTION Swap : BOOL VAR_IN_OUT p : DINT; q : DINT; END_VAR VAR h : DINT; END_VAR Swap := p < q; IF Swap THEN h := p; p := q; q := h; END_IF; END_FUNCTION
FUNCTION_BLOCK Acc VAR_INPUT d : DINT; on : BOOL; END_VAR VAR_OUTPUT sum : DINT; n : INT := 1; END_VAR VAR was : BOOL; deep : R_TRIG; END_VAR VAR_TEMP step : DINT := 2; END_VAR
deep(CLK := on); IF deep.Q THEN n := n + 1; END_IF; IF on THEN sum := sum + d * step; ELSIF was THEN sum := sum / 2; END_IF; was := on; step := 9; END_FUNCTION_BLOCK
`;

const VARIABLES: Record<string, readonly string[]> = {
  BOOL: ['b0', 'b1', 'b2', 'it.f', 'its[1].f'],
  INT: ['i0', 'i1', 'i2', 'it.a', 'its[2].a', 'arr[3]'],
  DINT: ['d0', 'd1', 'it.b', 'its[1].b', 'm[1,2]'],
  LINT: ['l0', 'l1'],
  SINT: ['s0', 'it.c[1]', 'its[2].c[0]'],
  USINT: ['us0', 'us1'],
  UINT: ['u0', 'u1'],
  UDINT: ['ud0'],
  ULINT: ['ul0'],
  BYTE: ['y0'],
  WORD: ['w0', 'w1'],
  DWORD: ['dw0'],
  LWORD: ['lw0'],
  REAL: ['r0', 'r1', 'it.r'],
  LREAL: ['x0', 'x1'],
  TIME: ['t0', 't1'],
  Colour: ['e0', 'e1', 'it.k', 'its[2].k'],
  STRING: ['z0', 'z1'],
};
const READ_ONLY: Record<string, readonly string[]> = {
  BOOL: ['ton.Q', 'ctu.Q', 'rt.Q', 'sr.Q1', 'w0.3', 'dw0.%X17', 'i0.2'],
  INT: ['ctu.CV', 'acc.n', 'k0', 'k1'],
  DINT: ['acc.sum'],
  TIME: ['ton.ET'],
  BYTE: ['w0.%B1', 'dw0.%B2'],
  WORD: ['dw0.%W1'],
};
const TYPES = Object.keys(VARIABLES);

const DECLARATIONS = `b0 : BOOL; b1 : BOOL := TRUE; b2 : BOOL; i0 : INT; i1 : INT := -5; i2 : INT := 300; d0 : DINT := 70000; d1 : DINT; l0 : LINT := -1; l1 : LINT; s0 : SINT := 100; us0 : USINT := 200; us1 : USINT; u0 : UINT := 40000; u1 : UINT; ud0 : UDINT := 3000000000; ul0 : ULINT := 18446744073709551615;
y0 : BYTE := 16#A5; w0 : WORD := 16#1234; w1 : WORD; dw0 : DWORD := 16#89ABCDEF; lw0 : LWORD := 16#0123456789ABCDEF; r0 : REAL := 0.1; r1 : REAL; x0 : LREAL := 2.5; x1 : LREAL; t0 : TIME := T#1s; t1 : TIME; e0 : Colour := Green; e1 : Colour; z0 : STRING[12] := 'abc'; z1 : STRING[5];
arr : ARRAY [1..5] OF INT := [1, 2, 3, 2(9)]; m : ARRAY [0..1, 0..2] OF DINT := [6(4)]; it, jt : Item; its : ARRAY [1..2] OF Item := [(a := 7), (b := 8, f := TRUE)]; k0, k1, k2 : INT; ton : TON; ctu : CTU; rt : R_TRIG; ft : F_TRIG; sr : SR; rs : RS; acc : Acc;`;

/** One PROGRAM of about `size` statements. */
export function generateProgram(name: string, random: Random, size = 14): string {
  const g = new Generator(random);
  return `PROGRAM ${name}\nVAR ${DECLARATIONS} END_VAR\n${g.statements(size, 0, false)}\nEND_PROGRAM\n`;
}

class Generator {
  private loops = 0;
  constructor(private readonly random: Random) {}

  private one<T>(list: readonly T[]): T {
    return list[this.random(list.length)]!;
  }
  private chance(percent: number): boolean {
    return this.random(100) < percent;
  }

  private whole(type: string): string {
    const [low, high] = WHOLE[type]!;
    const v = this.chance(15)
      ? this.one([low, high, 0n, 1n])
      : this.chance(50)
        ? BigInt(this.random(20))
        : low + ((high - low) * BigInt(this.random(1_000_000))) / 1_000_000n;
    return v < 0n ? `${type}#${v}` : `${type}#${v}`;
  }
  private index(low: number, high: number): string {
    if (this.random(400) === 0) return `(i0 + ${this.expression('INT', 1)})`;
    return this.chance(60)
      ? String(low + this.random(high - low + 1))
      : `LIMIT(${low}, ${this.expression('INT', 1)}, ${high})`;
  }
  private place(type: string): string {
    if (type === 'INT' && this.chance(20)) return `arr[${this.index(1, 5)}]`;
    if (type === 'DINT' && this.chance(20)) return `m[${this.index(0, 1)}, ${this.index(0, 2)}]`;
    if (type === 'SINT' && this.chance(20)) return `its[${this.index(1, 2)}].c[${this.index(0, 2)}]`;
    return this.one(VARIABLES[type]!);
  }
  private leaf(type: string): string {
    if (this.chance(60)) return this.place(type);
    const readable = READ_ONLY[type];
    if (readable && this.chance(50)) return this.one(readable);
    if (WHOLE[type]) return this.whole(type);
    if (BIT_STRINGS[type])
      return `${type}#16#${((BigInt(this.random(65536)) * 0x9e3779b97f4a7c15n) & ((1n << BigInt(BIT_STRINGS[type])) - 1n)).toString(16).toUpperCase()}`;
    switch (type) {
      case 'BOOL':
        return this.one(['TRUE', 'FALSE']);
      case 'REAL':
      case 'LREAL':
        return `${type}#${this.random(200) - 100}.${this.random(100)}`;
      case 'TIME':
        return `T#${this.random(3000)}ms`;
      case 'STRING':
        return this.one(["''", "'x'", "'hello'", "'a longer text than fits'"]);
      default:
        return this.one(['Red', 'Amber', 'Colour#Green', 'Blue']);
    }
  }

  expression(type: string, depth: number): string {
    if (depth <= 0 || this.chance(20)) return this.leaf(type);
    const e = (t = type, less = 1) => this.expression(t, depth - less);
    if (this.chance(6)) return `SEL(${e('BOOL')}, ${e()}, ${e()})`;
    if (this.chance(4)) return `MUX(${this.random(3)}, ${e()}, ${e()}, ${e()})`;
    if (WHOLE[type]) {
      const narrow = NARROWER[type];
      switch (this.random(11)) {
        case 0:
        case 1:
        case 2:
          return `(${e()} ${this.one(['+', '-', '*'])} ${e()})`;
        case 3:
          return narrow ? `(${e()} ${this.one(['+', '-', '*'])} ${e(this.one(narrow))})` : `(${e()} + ${e()})`;
        case 4:
          return this.random(150) === 0 ? `(${e()} / ${e()})` : `(${e()} / ${type}#${1 + this.random(9)})`;
        case 5:
          return `(${e()} MOD ${e()})`;
        case 6:
          return type.startsWith('U') ? e() : this.one([`(-${e()})`, `ABS(${e()})`]);
        case 7:
          return `${this.one(['MIN', 'MAX'])}(${e()}, ${e()})`;
        case 8: {
          const from = this.one(Object.keys(WHOLE).filter((t) => t !== type));
          return `${from}_TO_${type}(${e(from)})`;
        }
        case 9:
          return this.one([
            `BOOL_TO_${type}(${e('BOOL')})`,
            `REAL_TO_${type}(LIMIT(REAL#0.0, ${e('REAL')}, REAL#100.0))`,
            `LREAL_TRUNC_${type}(LIMIT(LREAL#0.0, ${e('LREAL')}, LREAL#100.0))`,
            `${this.bits(type)}_TO_${type}(${e(this.bits(type))})`,
          ]);
        default:
          return type === 'INT'
            ? this.one([
                `Fold(${e()}, ${e()})`,
                `Fold(x := ${e()})`,
                `LEN(${e('STRING')})`,
                `FIND(${e('STRING')}, 'a')`,
              ])
            : type === 'DINT'
              ? `TIME_TO_DINT(${e('TIME')})`
              : e();
      }
    }
    if (BIT_STRINGS[type]) {
      switch (this.random(4)) {
        case 0:
          return `(${e()} ${this.one(['AND', 'OR', 'XOR'])} ${e()})`;
        case 1:
          return `(NOT ${e()})`;
        case 2:
          return `${this.one(['SHL', 'SHR', 'ROL', 'ROR'])}(${e()}, ${this.random(BIT_STRINGS[type] + 3)})`;
        default: {
          const from = Object.keys(WHOLE).filter((t) => this.bits(t) === type);
          return `${from[0]}_TO_${type}(${e(from[0]!)})`;
        }
      }
    }
    switch (type) {
      case 'BOOL': {
        const t = this.one(TYPES.filter((x) => x !== 'BOOL'));
        if (this.chance(50))
          return this.one([`(${e()} ${this.one(['AND', 'OR', 'XOR', '&'])} ${e()})`, `(NOT ${e()})`]);
        return `(${this.expression(t, depth - 1)} ${t === 'Colour' || BIT_STRINGS[t] ? this.one(['=', '<>']) : this.one(['=', '<>', '<', '>', '<=', '>='])} ${this.expression(t, depth - 1)})`;
      }
      case 'REAL':
      case 'LREAL':
        return this.one([
          `(${e()} ${this.one(['+', '-'])} ${e()})`,
          `(${e()} * ${type}#0.${1 + this.random(9)})`,
          `(${e()} / ${type}#${1 + this.random(9)}.5)`,
          `SQRT(ABS(${e()}))`,
          `${this.one(['MIN', 'MAX'])}(${e()}, ${e()})`,
          type === 'LREAL' ? `(${e()} + ${e('REAL')})` : `INT_TO_REAL(${e('INT')})`,
          type === 'LREAL' ? `(${e()} - ${e('INT')})` : `(${e()} + ${e('SINT')})`,
          type === 'LREAL' ? `DINT_TO_LREAL(${e('DINT')})` : `(-${e()})`,
        ]);
      case 'TIME':
        return this.one([
          `(${e()} ${this.one(['+', '-'])} ${e()})`,
          `(${e()} * ${this.random(5)})`,
          `(${e()} / ${1 + this.random(4)})`,
          `MAX(${e()}, ${e()})`,
          `DINT_TO_TIME(${e('DINT')})`,
        ]);
      case 'STRING':
        return this.one([
          `CONCAT(${e()}, ${e()})`,
          `LEFT(${e()}, ${this.random(8)})`,
          `RIGHT(${e()}, ${this.random(8)})`,
          e(),
        ]);
      default:
        return this.leaf(type);
    }
  }
  private bits(type: string): string {
    return {
      SINT: 'BYTE',
      USINT: 'BYTE',
      INT: 'WORD',
      UINT: 'WORD',
      DINT: 'DWORD',
      UDINT: 'DWORD',
      LINT: 'LWORD',
      ULINT: 'LWORD',
    }[type]!;
  }

  statements(count: number, depth: number, inLoop: boolean): string {
    return Array.from({ length: count }, () => this.statement(depth, inLoop)).join('\n');
  }

  private statement(depth: number, inLoop: boolean): string {
    const block = (n = 2, loop = inLoop) => this.statements(1 + this.random(n), depth + 1, loop);
    const pick = this.random(depth > 2 ? 60 : 100);
    if (pick < 45) {
      const type = this.one(TYPES);
      const value = this.expression(type, 3);
      // Reals stay within bounds, so that no infinity minus another one gives what is not a number.
      return `${this.place(type)} := ${type === 'REAL' || type === 'LREAL' ? `LIMIT(${type}#-1000000.0, ${value}, ${type}#1000000.0)` : value};`;
    }
    if (pick < 48)
      return this.one([
        `w0.${this.random(16)} := ${this.expression('BOOL', 2)};`,
        `dw0.%B${this.random(4)} := ${this.expression('BYTE', 2)};`,
        `i1.${this.random(16)} := ${this.expression('BOOL', 1)};`,
      ]);
    if (pick < 56)
      return this.one([
        `ton(IN := ${this.expression('BOOL', 2)}, PT := T#${this.random(5) * 10}ms);`,
        `ctu(CU := ${this.expression('BOOL', 2)}, R := ${this.expression('BOOL', 1)}, PV := ${this.random(4)}, CV => i2);`,
        `rt(CLK := ${this.expression('BOOL', 1)}, Q => b2);`,
        `ft(CLK := ${this.expression('BOOL', 1)}); b1 := ft.Q;`,
        `sr(S1 := ${this.expression('BOOL', 1)}, R := ${this.expression('BOOL', 1)});`,
        `rs(S := ${this.expression('BOOL', 1)}, R1 := b0, NOT Q1 => b1);`,
        `acc(d := ${this.expression('DINT', 2)}, on := ${this.expression('BOOL', 2)}, sum => d1);`,
      ]);
    if (pick < 60)
      return this.one([
        'Swap(d0, m[1, 1]);',
        'b0 := Swap(p := it.b, q := d1);',
        'jt := it;',
        'it := its[1];',
        'its[2] := jt;',
        inLoop ? this.one(['EXIT;', 'CONTINUE;']) : this.random(8) === 0 ? 'RETURN;' : 'jt := its[2];',
      ]);
    if (pick < 76)
      return `IF ${this.expression('BOOL', 3)} THEN\n${block()}\n${this.chance(40) ? `ELSIF ${this.expression('BOOL', 2)} THEN\n${block()}\n` : ''}${this.chance(50) ? `ELSE\n${block()}\n` : ''}END_IF;`;
    if (pick < 84) {
      return this.chance(50)
        ? `CASE ${this.expression('INT', 2)} OF\n-5..0: ${block()}\n1, 3, 300: ${block()}\n${this.chance(50) ? `ELSE ${block()}\n` : ''}END_CASE;`
        : `CASE ${this.expression('Colour', 1)} OF\nRed: ${block()}\nColour#Green, Blue: ${block()}\n${this.chance(50) ? `ELSE ${block()}\n` : ''}END_CASE;`;
    }
    // Each loop of a nest counts with a variable of its own that nothing else writes.
    if (this.loops >= 3) return `b0 := ${this.expression('BOOL', 2)};`;
    const k = `k${this.loops++}`;
    const body = block(3, true);
    this.loops--;
    if (pick < 92)
      return this.chance(60)
        ? `FOR ${k} := ${this.random(4)} TO ${this.random(7)} DO\n${body}\nEND_FOR;`
        : `FOR ${k} := ${5 + this.random(4)} TO ${this.random(4)} BY -${1 + this.random(3)} DO\n${body}\nEND_FOR;`;
    // Counted first, so that a CONTINUE cannot make it endless.
    return pick < 96
      ? `${k} := 0;\nWHILE ${k} < ${1 + this.random(5)} AND ${this.expression('BOOL', 1)} DO\n${k} := ${k} + 1;\n${body}\nEND_WHILE;`
      : `${k} := 0;\nREPEAT\n${k} := ${k} + 1;\n${body}\nUNTIL ${k} >= ${1 + this.random(4)} OR ${this.expression('BOOL', 1)} END_REPEAT;`;
  }
}
