// Builds what is missing or older than its sources. Targets: cli, server, controller, protocols (bundles), web (pages).
import { existsSync, readdirSync, renameSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';

const root = join(dirname(fileURLToPath(import.meta.url)), '..');
const ENTRIES = {
  cli: ['packages/cli/src/main.ts', 'packages/cli/src/worker.ts'],
  server: [
    'packages/server/src/main.ts',
    'packages/server/src/proof-worker.ts',
    'packages/server/src/rules-worker.ts',
    'packages/server/src/report-worker.ts',
  ],
  controller: [
    'packages/controller/src/main.ts',
    'packages/controller/src/prepare-worker.ts',
    'packages/controller/src/scan-worker.ts',
    'packages/controller/src/recording-worker.ts',
  ],
  protocols: ['packages/protocols/src/opcua/opcua-main.ts', 'packages/protocols/src/opcua/opcua-client-main.ts'],
};
const SOURCES = {
  cli: ['core', 'protocols', 'cli'],
  server: ['core', 'protocols', 'server'],
  controller: ['core', 'protocols', 'controller'],
  protocols: ['core', 'protocols'],
  web: ['core', 'web'],
};

function newest(folder) {
  let time = 0;
  for (const entry of readdirSync(folder, { withFileTypes: true })) {
    if (entry.name === 'node_modules' || /^\.?dist\b/.test(entry.name) || entry.name.endsWith('.test.ts')) continue;
    const path = join(folder, entry.name);
    time = Math.max(time, entry.isDirectory() ? newest(path) : statSync(path).mtimeMs);
  }
  return time;
}

function isFresh(target) {
  const stamp = join(root, 'packages', target, 'dist/.built');
  if (!existsSync(stamp)) return false;
  const built = statSync(stamp).mtimeMs;
  return (
    // How it is built counts too.
    statSync(fileURLToPath(import.meta.url)).mtimeMs <= built &&
    SOURCES[target].every((p) => newest(join(root, 'packages', p)) <= built)
  );
}

async function bundle(target) {
  // Beside the last build and put in its place when it is whole: two commands that begin at once do not build into each other.
  const folder = join(root, 'packages', target),
    fresh = join(folder, `.dist-${process.pid}`),
    dist = join(folder, 'dist');
  const esbuild = await import('esbuild');
  await esbuild.build({
    entryPoints: ENTRIES[target].map((e) => join(root, e)),
    outdir: fresh,
    outExtension: { '.js': '.mjs' },
    bundle: true,
    // What is imported later is loaded later.
    splitting: true,
    platform: 'node',
    format: 'esm',
    target: 'node20',
    sourcemap: true,
    define: { __BUILD__: JSON.stringify(Date.now().toString(36)) },
    logLevel: 'warning',
    tsconfig: join(root, 'tsconfig.json'),
    // The checker of shapes is taken in, from its modules: read from a hundred files it took longer than the check of a
    // small program.
    mainFields: ['es2015', 'module', 'main'],
    external: [
      'better-sqlite3',
      'express',
      'z3-solver',
      'pino',
      'ws',
      'helmet',
      'drizzle-orm',
      'drizzle-orm/*',
      'node-opcua-*',
      'jsmodbus',
      'bullmq',
      'selfsigned',
    ],
  });
  writeFileSync(join(fresh, '.built'), '');
  // Pieces of earlier builds would stay for ever: their names hold what is in them.
  rmSync(dist, { recursive: true, force: true });
  try {
    renameSync(fresh, dist);
  } catch (e) {
    // Another command was quicker, with a build of the same sources.
    rmSync(fresh, { recursive: true, force: true });
    if (!existsSync(join(dist, '.built'))) throw e;
  }
}

async function page() {
  const { build } = await import('vite');
  await build({
    configFile: join(root, 'packages/web/vite.config.ts'),
    root: join(root, 'packages/web'),
    logLevel: 'warn',
  });
}

/** Builds the targets that need it; says so when `log` is given. */
export async function ensureBuilt(targets, log = () => undefined) {
  for (const target of targets) {
    if (isFresh(target)) continue;
    log(`Building ${target} …`);
    if (target !== 'web') {
      await bundle(target);
      continue;
    }
    await page();
    writeFileSync(join(root, 'packages', target, 'dist/.built'), '');
  }
}

if (process.argv[1] && import.meta.url === pathToFileURL(process.argv[1]).href)
  await ensureBuilt(['cli', 'server', 'controller', 'protocols', 'web'], (t) => console.log(t));
