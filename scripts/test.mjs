// `npm test`: sets up what is missing, Chromium too, then types, format, lint, unit tests and end-to-end tests. Last line: `N passed, N failed`.
import { spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { install, root, stop } from './setup.mjs';

install();
const chromium = process.env.CHROMIUM ?? '/usr/bin/chromium';
// What the tests use that npm does not bring: a browser, two Modbus clients that are not ours, a checker of XML schemas, a
// Redis, and compilers and simulators of the boards that C is made for.
const missing = [
  ...(existsSync(chromium) ? [] : ['chromium']),
  ...(existsSync('/usr/bin/mbpoll') ? [] : ['mbpoll']),
  ...(existsSync('/usr/bin/xmllint') ? [] : ['libxml2-utils']),
  ...(existsSync('/usr/bin/redis-server') ? [] : ['redis-server']),
  ...(existsSync('/usr/bin/gcc') && existsSync('/usr/bin/make') ? [] : ['gcc', 'libc6-dev', 'make']),
  ...(existsSync('/usr/bin/clang') ? [] : ['clang']),
  ...(existsSync('/usr/bin/cmake') ? [] : ['cmake']),
  ...(existsSync('/usr/bin/avr-gcc') && existsSync('/usr/lib/avr/include/avr/io.h') ? [] : ['gcc-avr', 'avr-libc']),
  ...(existsSync('/usr/include/simavr/sim_avr.h') ? [] : ['libsimavr-dev']),
  ...(existsSync('/usr/bin/arm-none-eabi-gcc') && existsSync('/usr/lib/arm-none-eabi/include/stdio.h')
    ? []
    : ['gcc-arm-none-eabi', 'libnewlib-arm-none-eabi']),
  ...(existsSync('/usr/bin/qemu-system-arm') ? [] : ['qemu-system-arm']),
  ...(spawnSync('/usr/bin/python3', ['-c', 'import pymodbus.client']).status === 0
    ? []
    : ['python3-pymodbus', 'python3-serial-asyncio']),
];
if (missing.length) {
  const canInstall = process.getuid?.() === 0 && existsSync('/usr/bin/apt-get');
  if (!canInstall)
    stop(
      `The end-to-end tests need ${missing.join(', ')}: install that (Debian: apt-get install ${missing.join(' ')}); CHROMIUM may be set to the path of another Chromium.`,
    );
  console.log(`Installing ${missing.join(', ')} …`);
  const apt = (...args) =>
    spawnSync('apt-get', args, { stdio: 'inherit', env: { ...process.env, DEBIAN_FRONTEND: 'noninteractive' } })
      .status === 0;
  if (!apt('update', '-qq') || !apt('install', '-y', '-qq', '--no-install-recommends', ...missing))
    stop(`${missing.join(', ')} could not be installed; the message is above.`);
}

const results = join(root, 'test-results');
rmSync(results, { recursive: true, force: true });
mkdirSync(results, { recursive: true });
let passed = 0,
  failed = 0;

function run(title, command, args) {
  console.log(`\n== ${title}`);
  const before = Date.now();
  const { status } = spawnSync(process.execPath, [join(root, command), ...args], {
    cwd: root,
    stdio: 'inherit',
    env: { ...process.env, CHROMIUM: chromium },
  });
  console.log(`== ${title}: ${status === 0 ? 'ok' : 'FAILED'} in ${((Date.now() - before) / 1000).toFixed(0)} s`);
  return status === 0;
}
const count = (ok) => {
  if (ok) passed++;
  else failed++;
};
const specsOf = (suite) => [...(suite?.specs ?? []), ...(suite?.suites ?? []).flatMap(specsOf)];
const read = (file) =>
  existsSync(join(results, file)) ? JSON.parse(readFileSync(join(results, file), 'utf8')) : undefined;

count(run('types', 'node_modules/typescript/bin/tsc', ['-p', 'tsconfig.json', '--noEmit']));
count(run('format', 'node_modules/prettier/bin/prettier.cjs', ['--check', '--log-level=warn', '.']));
count(run('lint', 'node_modules/eslint/bin/eslint.js', ['.']));
count(
  run('imports', 'node_modules/dependency-cruiser/bin/dependency-cruise.mjs', [
    '--config',
    '.dependency-cruiser.mjs',
    '--',
    ...['core', 'cli', 'server', 'controller', 'protocols', 'web'].map((name) => `packages/${name}/src`),
  ]),
);

const { ensureBuilt } = await import('./build.mjs');
// Some unit tests start the command as it is built.
await ensureBuilt(['cli'], (t) => console.log(t));
const unitOk = run('unit tests', 'node_modules/vitest/vitest.mjs', [
  'run',
  '--reporter=default',
  '--reporter=json',
  '--outputFile.json=test-results/unit.json',
]);
const unit = read('unit.json');
if (unit) {
  passed += unit.numPassedTests;
  failed += unit.numFailedTests;
}
if (!unitOk && !(unit?.numFailedTests > 0)) failed++;

await ensureBuilt(['cli', 'server', 'controller', 'protocols', 'web'], (t) => console.log(t));
const e2eOk = run('end-to-end tests', 'node_modules/@playwright/test/cli.js', [
  'test',
  '-c',
  'e2e/playwright.config.ts',
]);
const e2e = read('e2e.json');
// The JSON reporter's file is written into the results folder that Playwright may have emptied first.
if (e2e) {
  passed += e2e.stats.expected + e2e.stats.flaky;
  failed += e2e.stats.unexpected;
  for (const s of specsOf(e2e))
    if (s.tests.some((t) => t.status === 'flaky'))
      console.log(`Only at the second try: ${s.file}:${s.line} ${s.title}`);
}
if (!e2eOk && !(e2e?.stats.unexpected > 0)) failed++;

// What failed stands at the end, with its reason: a log that is cut off in front still says it.
for (const file of unit?.testResults ?? []) {
  if (file.status === 'failed' && !file.assertionResults.length)
    console.log(`\nFAILED ${file.name.slice(root.length + 1)}\n${file.message}`);
  for (const t of file.assertionResults)
    if (t.status === 'failed')
      console.log(
        `\nFAILED ${file.name.slice(root.length + 1)} › ${t.fullName}\n${t.failureMessages.join('\n').slice(0, 4000)}`,
      );
}
for (const s of specsOf(e2e))
  if (s.tests.some((t) => t.status === 'unexpected')) console.log(`\nFAILED ${s.file}:${s.line} ${s.title}`);

console.log(`\n${passed} passed, ${failed} failed`);
process.exitCode = failed ? 1 : 0;
