// `npm start`: sets up what is missing, starts the stand-in controller and the web application, prints one address.
import { fork } from 'node:child_process';
import { join } from 'node:path';
import { install, root, stop } from './setup.mjs';

install();
const { ensureBuilt } = await import('./build.mjs');
try {
  await ensureBuilt(['server', 'controller', 'protocols', 'web'], (t) => console.log(t));
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

/**
 * Starts one process; resolves when it says that it is ready. One that `comesBack` is started again when it was killed
 * after that, as a controller comes back when its power does; the desk goes on meanwhile.
 */
function start(name, comesBack = false) {
  return new Promise((resolve) => {
    const child = fork(join(root, `packages/${name}/dist/main.mjs`), { stdio: 'inherit' });
    children.push(child);
    let isReady = false;
    child.once('message', () => {
      isReady = true;
      resolve();
    });
    child.once('exit', (code) => {
      children.splice(children.indexOf(child), 1);
      if (ending) return;
      if (!comesBack || !isReady) {
        end(code ?? 1);
        return;
      }
      console.error(`The ${name} ended (${code ?? child.signalCode}); it is started again.`);
      setTimeout(() => void (ending || start(name, true)), 500);
    });
  });
}
for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, () => end(0));

await start('controller', true);
await start('server');
