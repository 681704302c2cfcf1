#!/usr/bin/env node
// Builds the command when its sources are newer, then runs it. `serve` and `controller` start the other workspaces.
import { spawn } from 'node:child_process';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

const root = join(dirname(fileURLToPath(import.meta.url)), '../../..');
const { ensureBuilt } = await import(join(root, 'scripts/build.mjs'));
const [command, ...rest] = process.argv.slice(2);
if (command === 'serve' || command === 'controller') {
  const target = command === 'serve' ? 'server' : 'controller';
  await ensureBuilt(target === 'server' ? ['server', 'protocols', 'web'] : ['controller', 'protocols']);
  const child = spawn(process.execPath, [join(root, `packages/${target}/dist/main.mjs`), ...rest], {
    stdio: 'inherit',
  });
  for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, () => child.kill(signal));
  child.on('exit', (code) => {
    process.exitCode = code ?? 1;
  });
} else {
  await ensureBuilt(['cli']);
  const { main } = await import(join(root, 'packages/cli/dist/main.mjs'));
  const write = (stream) => (text) => {
    stream.write(text);
  };
  process.stdout.on('error', (e) => {
    if (e.code !== 'EPIPE') throw e;
  });
  process.exitCode = await main(
    [command, ...rest].filter((a) => a !== undefined),
    { out: write(process.stdout), error: write(process.stderr) },
  );
}
