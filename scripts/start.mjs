// `npm start`: sets up what is missing, starts the stand-in controller and the web application, prints one address.
import { fork } from 'node:child_process';
import { join } from 'node:path';
import { install, root, stop } from './setup.mjs';

install();
const { ensureBuilt } = await import('./build.mjs');
try {
  await ensureBuilt(['server', 'controller', 'web'], (t) => console.log(t));
} catch (e) {
  stop(
    e.code === 'EACCES' || e.code === 'EROFS'
      ? `The folder ${root} is read-only; Ferrule must be able to write its built pages there.`
      : `Ferrule could not be built: ${e.message}`,
  );
}

const children = [];
let ending = false;
function end(code) {
  if (ending) return;
  ending = true;
  for (const c of children) if (c.exitCode === null) c.kill('SIGTERM');
  setTimeout(() => {
    for (const c of children) if (c.exitCode === null) c.kill('SIGKILL');
    process.exit(code);
  }, 2000).unref();
  Promise.all(
    children.map((c) => new Promise((r) => (c.exitCode === null && c.signalCode === null ? c.once('exit', r) : r()))),
  ).then(() => process.exit(code));
}

/** Starts one process; resolves when it says that it is ready. */
function start(name) {
  return new Promise((resolve) => {
    const child = fork(join(root, `packages/${name}/dist/main.mjs`), { stdio: 'inherit' });
    children.push(child);
    child.once('message', resolve);
    child.once('exit', (code) => end(code ?? 1));
  });
}
for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, () => end(0));

await start('controller');
await start('server');
