/**
 * The `ferrule` command (cli.md is its contract). Exit codes: 0 done, 1 problems found, 2 could not start, 3 run-time
 * fault. What a command needs is loaded with it: the check of a small file is over before a solver would be read.
 */
import { version } from '../../../package.json';
import { QueueProblem } from '@ferrule/protocols/shares';
import type { Console } from './console.js';
import { UsageError } from './files.js';

const USAGE = `Usage:
  ferrule check FILE…
  ferrule run FILE… [--scan 10ms] [--for 2s] [--stimulus in.csv] [--record a,b.c,d[3]] [--out trace.csv|trace.vcd|-] [--record-last] [--seed N] [--watchdog N]
  ferrule verify PROJECT [--only NAME] [--junit out.xml] [--report out.html] [--json out.json] [--search MILLIONS] [--within SECONDS] [--seed N] [--proof] [--changes] [--strict] [--workers redis://…]
  ferrule build FILE… --target c|linux|avr|arm --out FOLDER [--pins pins.csv]
  ferrule diff A B
  ferrule merge BASE OURS THEIRS [--out FILE|FOLDER/|-]
  ferrule convert FILE… OUT.st|OUT.xml|OUT.ferrule.json|OUT/
  ferrule worker [--redis redis://127.0.0.1:6379] [--cores N]
  ferrule serve
  ferrule controller
  ferrule --version, ferrule --help`;

/** Runs one command line; returns the exit code. */
export async function main(args: readonly string[], io: Console): Promise<number> {
  const [command, ...rest] = args,
    before = rest.indexOf('--');
  if (rest.slice(0, before < 0 ? rest.length : before).some((a) => a === '--help' || a === '-h')) {
    io.out(`${USAGE}\n`);
    return 0;
  }
  try {
    switch (command) {
      case 'check':
        return await (await import('./check.js')).check(rest, io);
      case 'run':
        return await (await import('./run.js')).run(rest, io);
      case 'build':
        return await (await import('./build.js')).build(rest, io);
      case 'convert':
        return await (await import('./convert.js')).convert(rest, io);
      case 'diff':
        return (await import('./merge.js')).diff(rest, io);
      case 'merge':
        return (await import('./merge.js')).merge(rest, io);
      case 'verify':
        return await (await import('./verify.js')).verify(rest, io);
      case 'worker':
        return await (await import('./take.js')).worker(rest, io);
      case '--version':
        io.out(`ferrule ${version}\n`);
        return 0;
      case 'help':
      case '--help':
      case '-h':
        io.out(`${USAGE}\n`);
        return 0;
      default:
        io.error(command ? `ferrule: there is no command '${command}'.\n${USAGE}\n` : `${USAGE}\n`);
        return 2;
    }
  } catch (e) {
    if (!(e instanceof UsageError || e instanceof QueueProblem)) throw e;
    for (const line of e.message.split('\n')) io.error(`ferrule: ${line}\n`);
    return 2;
  }
}
