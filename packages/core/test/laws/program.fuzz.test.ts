/**
 * Generated programs, compiled, against the plain evaluator: every variable after every scan, plain and watched, with
 * the optimizer and without. Twenty programs are compiled together; the seed of a batch is its number.
 */
import { expect, it } from 'vitest';
import { build } from '../../src/back/wasm/build.js';
import { Engine, type Location, findPath, readLocation } from '../../src/bench.js';
import { compile } from '../../src/workspace.js';
import { Evaluator, Fault, type Scalar } from '../evaluator.js';
import { batchText } from '../program-batch.js';

const SCANS = 3;
const KINDS = [false, true].flatMap((watched) => [true, false].map((optimized) => ({ watched, optimized })));
/**
 * A hundred batches with every test run; `FERRULE_FUZZ=1-1000` plays 20,000 programs, or any other stretch of seeds.
 */
const [FIRST, LAST] = (process.env['FERRULE_FUZZ'] ?? '1-100').split('-').map(Number) as [number, number];

/** The first difference of a batch in words; undefined when there is none. */
function difference(seed: number): string | undefined {
  const text = batchText(seed);
  const compiled = compile([{ kind: 'text', name: 't.st', text }]);
  if (compiled.hasErrors)
    return compiled.diagnostics
      .filter((d) => d.severity === 'error')
      .slice(0, 3)
      .map((d) => `${d.code} ${d.message} at ${text.slice(Math.max(0, d.at.start - 40), d.at.end + 40)}`)
      .join('\n');
  const engines = KINDS.map(
    ({ watched, optimized }) => new Engine(build(compiled.program, { watched, optimized }), { stepNs: 10_000_000n }),
  );
  const evaluator = new Evaluator(text);
  const places = evaluator.programs.flatMap((p) =>
    [...evaluator.values(p.cell, p.name)].map(([path]) => {
      const found = findPath(engines[0]!.image, path);
      if ('error' in found) throw new Error(found.error);
      return { path, location: found.location };
    }),
  );
  for (let n = 0; n < SCANS; n++) {
    let fault: string | undefined;
    try {
      evaluator.scan(BigInt(n) * 10_000_000n);
    } catch (e) {
      if (!(e instanceof Fault)) throw e;
      fault = e.kind;
    }
    for (const e of engines) {
      e.runScan();
      if (e.fault?.kind !== fault)
        return `scan ${n}: fault ${e.fault?.kind ?? 'none'}, not ${fault ?? 'none'}${e.fault ? `: ${e.faultLine()}` : ''}`;
    }
    if (fault) return undefined;
    const wanted = evaluator.programs.flatMap((p) => [...evaluator.values(p.cell, p.name)]);
    for (const [i, p] of places.entries())
      for (const [k, e] of engines.entries()) {
        const got = shown(e.view, p.location);
        if (got !== wanted[i]![1])
          return `scan ${n}, ${JSON.stringify(KINDS[k])}: ${p.path} is ${String(got)}, not ${String(wanted[i]![1])}`;
      }
  }
  return undefined;
}

function shown(view: DataView, l: Location): Scalar {
  const v = readLocation(view, l);
  return l.type.kind === 'enum' ? l.type.values.find((x) => x.value === v)!.name.toLowerCase() : v;
}

it(`${20 * (LAST - FIRST + 1)} generated programs agree with the evaluator`, () => {
  const wrong: string[] = [];
  for (let seed = FIRST; seed <= LAST && wrong.length < 3; seed++) {
    const d = difference(seed);
    if (d) wrong.push(`seed ${seed}: ${d}`);
  }
  expect(wrong).toEqual([]);
}, 1_800_000);

/** What generated programs found, kept. */
it.each([
  ['the opposite of the lowest value wraps when it is known before the run, too', 'x := -INT#-32768;', -32768n],
  ['SEL and MUX of strings are as long as the longest can be', "z := RIGHT(SEL(TRUE, 'x', z), 3); x := LEN(z);", 3n],
])('%s', (_, body, wanted) => {
  const c = compile([
    { kind: 'text', name: 't.st', text: `PROGRAM P VAR x : INT; z : STRING[9] := 'abc'; END_VAR ${body} END_PROGRAM` },
  ]);
  const e = new Engine(c.build(false), { stepNs: 10_000_000n });
  e.runScan();
  expect(e.read('P.x')).toBe(wanted);
});
