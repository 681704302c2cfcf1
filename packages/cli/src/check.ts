import { compile } from '@ferrule/core/workspace';
import { diagnosticLine, summaryLine } from '@ferrule/core/language';
import { planProof } from '@ferrule/core/verify';
import { parseOptions, readInput } from './files.js';
import type { Console } from './console.js';

/** `ferrule check FILE…` */
export function check(args: readonly string[], io: Console): number {
  const { files } = parseOptions(args, [], []);
  const inputs = files.map((f) => readInput(f, (line) => io.error(`${line}\n`)));
  const compiled = compile(inputs);
  // The sentences of checks and rules belong to the project too.
  const sentences = inputs.flatMap((f) => (f.kind === 'project' ? planProof(f.project, f.name).diagnostics : []));
  const all = [...compiled.diagnostics, ...sentences];
  for (const d of all) io.out(`${diagnosticLine(d)}\n`);
  io.out(`${summaryLine(all)}\n`);
  return all.some((d) => d.severity === 'error') ? 1 : 0;
}
