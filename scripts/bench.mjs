// `npm run bench [name]`: prints medians and ratios; nothing here passes or fails.
import { mkdirSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { install, root } from './setup.mjs';

install();
const { ensureBuilt } = await import('./build.mjs');
await ensureBuilt(['server', 'controller', 'protocols', 'web']);
const { build } = await import('esbuild');
const wanted = process.argv[2];
const out = join(root, 'node_modules/.cache/ferrule-bench');
mkdirSync(out, { recursive: true });
for (const file of readdirSync(join(root, 'bench'))
  .filter((f) => f.endsWith('.bench.ts') && (!wanted || f.startsWith(wanted)))
  .sort()) {
  const target = join(out, file.replace('.ts', '.mjs'));
  await build({
    entryPoints: [join(root, 'bench', file)],
    outfile: target,
    bundle: true,
    platform: 'node',
    format: 'esm',
    target: 'node20',
    tsconfig: join(root, 'tsconfig.json'),
    external: ['@playwright/test', 'z3-solver'],
    logLevel: 'error',
  });
  const { default: run } = await import(pathToFileURL(target).href);
  await run(root);
}
