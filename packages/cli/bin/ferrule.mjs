#!/usr/bin/env node
// Builds the command when its sources are newer, then runs it. `serve` and `controller` start the other workspaces.
import { spawn } from 'node:child_process';
import { writeSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

const root = join(dirname(fileURLToPath(import.meta.url)), '../../..');
const { ensureBuilt } = await import(join(root, 'scripts/build.mjs'));
const [command, ...rest] = process.argv.slice(2);
const isStart = command === 'serve' || command === 'controller';
if (isStart && rest.length && !rest.includes('--help') && !rest.includes('-h')) {
  console.error(
    `ferrule: ${command} takes ${rest[0].startsWith('-') ? `no option ${rest[0]}` : `no '${rest[0]}'`}; its settings come from the environment (README, Settings).`,
  );
  process.exitCode = 2;
} else if (isStart && !rest.length) {
  const target = command === 'serve' ? 'server' : 'controller';
  await ensureBuilt(target === 'server' ? ['server', 'protocols', 'web'] : ['controller', 'protocols']);
  const child = spawn(process.execPath, [join(root, `packages/${target}/dist/main.mjs`)], { stdio: 'inherit' });
  for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, () => child.kill(signal));
  child.on('exit', (code) => {
    process.exitCode = code ?? 1;
  });
} else {
  await ensureBuilt(['cli']);
  const { main } = await import(join(root, 'packages/cli/dist/main.mjs'));
  /** All of it at once: what is computed next waits until it is read, and a reader that went away ends the run. */
  const write = (to) => (text) => {
    for (let rest = Buffer.from(text); rest.length;) {
      try {
        rest = rest.subarray(writeSync(to, rest));
      } catch (e) {
        if (e.code === 'EPIPE') process.exit(0);
        if (e.code !== 'EAGAIN') throw e;
        Atomics.wait(new Int32Array(new SharedArrayBuffer(4)), 0, 0, 5);
      }
    }
  };
  process.exitCode = await main(
    [command, ...rest].filter((a) => a !== undefined),
    { out: write(1), error: write(2) },
  );
}
