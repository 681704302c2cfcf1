// What a fresh clone needs before anything else: Node, the packages, and for better-sqlite3 a compiler.
import { spawnSync } from 'node:child_process';
import { existsSync, readFileSync, statSync, writeFileSync, accessSync, constants } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

export const root = join(dirname(fileURLToPath(import.meta.url)), '..');

export function stop(sentence) {
  console.error(sentence);
  process.exit(1);
}

const has = (command) => spawnSync(command, ['--version'], { stdio: 'ignore' }).status === 0;

function isInstalled() {
  const stamp = join(root, 'node_modules/.ferrule-installed');
  if (!existsSync(stamp) || readFileSync(stamp, 'utf8') !== process.version) return false;
  return statSync(stamp).mtimeMs >= statSync(join(root, 'package-lock.json')).mtimeMs;
}

/** Installs the packages when they are missing or older than the lock file. */
export function install() {
  if (Number(process.versions.node.split('.')[0]) < 20)
    stop(`Ferrule needs Node.js 20 or newer; this is ${process.version}.`);
  if (isInstalled()) return;
  try {
    accessSync(root, constants.W_OK);
  } catch {
    stop(`The folder ${root} is read-only; Ferrule must be able to write there to install its packages.`);
  }
  const missing = ['python3', 'make', 'g++'].filter((c) => !has(c));
  if (missing.length) stop(`Please install ${missing.join(', ')} first: the database driver is compiled at install.`);
  console.log('Installing packages; the database driver is compiled, which takes a few minutes the first time …');
  // Not `npm ci`, which works too: it would compile the database driver anew after every change of the lock file.
  const npm = spawnSync('npm', ['install', '--no-save', '--no-audit', '--no-fund', '--loglevel=error'], {
    cwd: root,
    stdio: 'inherit',
    shell: process.platform === 'win32',
  });
  if (npm.status !== 0) stop('npm could not install the packages; its message is above.');
  writeFileSync(join(root, 'node_modules/.ferrule-installed'), process.version);
}
