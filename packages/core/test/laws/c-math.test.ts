/** The functions of reals in C against those of the bench, bit by bit. */
import { execFileSync } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, it } from 'vitest';
import * as math from '../../src/types/math.js';
import { MATH } from '../../src/checked/tree.js';
import { FERRULE_H } from '../../src/back/c/runtime/header.js';
import { FERRULE_MATH_C } from '../../src/back/c/runtime/math.js';
import { C_FLAGS, folder } from '../c-build.js';
import { seeded } from '../generate.js';

it('gives the same bits for small, large and special arguments', () => {
  const here = folder();
  try {
    const random = seeded(7);
    const view = new DataView(new ArrayBuffer(8));
    const wild = (): number => {
      view.setUint32(0, random(2 ** 32));
      view.setUint32(4, random(2 ** 32));
      return view.getFloat64(0);
    };
    const near = (): number => (random(2_000_001) - 1_000_000) / 10 ** random(7);
    const special = [
      0,
      -0,
      1,
      -1,
      0.5,
      2,
      Infinity,
      -Infinity,
      NaN,
      1e22,
      -1e300,
      1647099.4,
      5e-324,
      Math.PI,
      709.78,
      -745.2,
    ];
    const numbers = [...special, ...Array.from({ length: 1500 }, wild), ...Array.from({ length: 1500 }, near)];
    const pairs = numbers.map((x, i) => [x, numbers[(i * 7 + 3) % numbers.length]!] as const);
    const data = new Float64Array(pairs.flat());
    writeFileSync(join(here.path, 'in'), new Uint8Array(data.buffer));
    writeFileSync(join(here.path, 'ferrule.h'), FERRULE_H);
    writeFileSync(join(here.path, 'ferrule_math.c'), FERRULE_MATH_C);
    writeFileSync(
      join(here.path, 'main.c'),
      `#include "ferrule.h"
#include <stdio.h>
int main(void) {
  double pair[2];
  while (fread(pair, sizeof pair, 1, stdin) == 1) {
    double r[] = {${MATH.map((n) => `ferrule_${n}(pair[0]${n === 'pow' || n === 'atan2' ? ', pair[1]' : ''})`).join(', ')}};
    fwrite(r, sizeof r, 1, stdout);
  }
  return 0;
}
`,
    );
    for (const compiler of ['gcc', 'clang']) {
      const sources = ['main.c', 'ferrule_math.c'].map((n) => join(here.path, n));
      execFileSync(compiler, [...C_FLAGS, '-O2', '-o', join(here.path, 'main'), ...sources, '-lm']);
      const out = execFileSync(join(here.path, 'main'), {
        input: new Uint8Array(data.buffer),
        maxBuffer: 1 << 26,
      });
      const got = new DataView(out.buffer, out.byteOffset, out.length);
      const wrong: string[] = [];
      pairs.forEach(([x, y], i) => {
        MATH.forEach((name, k) => {
          const wanted = name === 'pow' || name === 'atan2' ? math[name](x, y) : math[name](x);
          const here = got.getFloat64((i * MATH.length + k) * 8, true);
          if (!Object.is(wanted, here) && wrong.length < 10)
            wrong.push(`${compiler}: ${name}(${x}, ${y}) is ${here}, not ${wanted}`);
        });
      });
      expect(wrong).toEqual([]);
    }
  } finally {
    here.remove();
  }
}, 120_000);
