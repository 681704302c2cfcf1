/**
 * The same recording gives the same bytes in Node and in Chromium (architecture.md, engine point 3): logic, machine,
 * reals, strings and dates.
 */
import { createHash } from 'node:crypto';
import { join } from 'node:path';
import { expect, test } from '@playwright/test';
import { build } from 'esbuild';
import { demoText, root } from './ferrule.js';

const SCRIPT = `
import { Engine } from '@ferrule/core/bench';
import { compile } from '@ferrule/core/workspace';
const text = ${JSON.stringify(`FUNCTION Mix : LREAL VAR_INPUT x : LREAL; END_VAR Mix := SIN(x) * EXP(x / 7.0) + LN(ABS(x) + 1.0) ** 1.3 - ATAN2(x, 3.0) / SQRT(2.0); END_FUNCTION
PROGRAM P VAR n : DINT; x : LREAL := 0.1; y : REAL; z : STRING[40]; w : WSTRING[40]; t : TIME; d : DT := DT#2024-02-28-23:59:58; ton : TON; p : INT; END_VAR
n := n + 1; x := Mix(x + 0.01) + COS(DINT_TO_LREAL(n)); y := LREAL_TO_REAL(x) / 3.0; z := CONCAT(REAL_TO_STRING(y), ' ', DINT_TO_STRING(n)); w := STRING_TO_WSTRING(z);
t := t + T#1ms * n; d := d + T#1s500ms; ton(IN := n MOD 7 > 2, PT := T#30ms); p := LREAL_TRUNC_INT(x) + TRUNC_INT(TAN(x)); END_PROGRAM`)};
export function states(demo) {
  const out = [];
  for (const watched of [false, true]) {
    for (const files of [[{ kind: 'project', name: 'demo', project: JSON.parse(demo) }], [{ kind: 'text', name: 't.st', text }]]) {
      const c = compile(files);
      const e = new Engine(c.build(watched), { stepNs: 10000000n, wires: c.wires });
      for (let n = 0; n < 2000; n++) {
        // Start pressed for a while, a force on and off: a recording.
        if (files[0].kind === 'project') {
          if (n === 20 || n === 900) e.write('Machine.Start.Pressed', true);
          if (n === 40 || n === 920) e.write('Machine.Start.Pressed', false);
          if (n === 500) e.force('GuardShut', false);
          if (n === 520) e.force('GuardShut', undefined);
        }
        if (!e.runScan()) throw new Error(e.faultLine());
      }
      out.push(Array.from(e.memory.subarray(0, e.image.stateSize)));
    }
  }
  return out;
}`;

test('two thousand scans end in the same bytes here and in the browser', async ({ page }) => {
  const options = {
    stdin: { contents: SCRIPT, resolveDir: root, loader: 'js' as const },
    bundle: true,
    write: false as const,
    tsconfig: join(root, 'tsconfig.json'),
    logLevel: 'error' as const,
  };
  const node = await build({ ...options, format: 'esm', platform: 'node' });
  const { states } = (await import(
    `data:text/javascript;base64,${Buffer.from(node.outputFiles[0]!.text).toString('base64')}`
  )) as { states(demo: string): number[][] };
  const web = await build({ ...options, format: 'iife', globalName: 'bench', platform: 'browser' });
  await page.addScriptTag({ content: web.outputFiles[0]!.text });
  const there = await page.evaluate(
    (demo) => (globalThis as unknown as { bench: { states(d: string): number[][] } }).bench.states(demo),
    demoText,
  );
  const here = states(demoText);
  const hash = (s: number[]) => createHash('sha256').update(Uint8Array.from(s)).digest('hex');
  expect(there.map(hash)).toEqual(here.map(hash));
  // Watched and plain are the same logic.
  expect(hash(here[0]!)).toBe(hash(here[2]!));
  expect(here[0]!.some((b) => b !== 0)).toBe(true);
});
