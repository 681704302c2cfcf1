import { compile } from '@ferrule/core/workspace';
import { diagnosticLine, summaryLine } from '@ferrule/core/language';
import { parseOptions } from './files.js';
import { readInputs } from './inputs.js';
import type { Console } from './console.js';

/** `ferrule check FILE…` */
export async function check(args: readonly string[], io: Console): Promise<number> {
  const { files } = parseOptions(args, [], []);
  const inputs = await readInputs(files, (line) => io.error(`${line}\n`));
  const compiled = compile(inputs);
  // The sentences of checks and rules belong to the project too.
  const sentences = [];
  for (const f of inputs)
    if (f.kind === 'project')
      sentences.push(...(await import('@ferrule/core/verify')).planProof(f.project, f.name).diagnostics);
  const all = [...compiled.diagnostics, ...sentences];
  for (const d of all) io.out(`${diagnosticLine(d)}\n`);
  io.out(`${summaryLine(all)}\n`);
  return all.some((d) => d.severity === 'error') ? 1 : 0;
}
