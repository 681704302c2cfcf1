/** The scan before everything else on the machine, what is made ready for it behind: as far as the system allows it. */
import { execFileSync } from 'node:child_process';
import { readlinkSync } from 'node:fs';
import { availableParallelism, constants, setPriority } from 'node:os';

/** Above every thread that shares its time with others, below the system's own in real time (1 to 99). */
const REAL_TIME = 10;

/** Of the thread that asks (0 is the caller). Without the right to it everything stays as it is. */
export function askFor(priority: 'scan' | 'background'): void {
  try {
    setPriority(0, priority === 'scan' ? constants.priority.PRIORITY_HIGH : constants.priority.PRIORITY_BELOW_NORMAL);
  } catch {
    // Only some may ask for more.
  }
  // With one core a program that asks for all of it would leave nobody to stop it.
  if (priority === 'scan' && process.platform === 'linux' && availableParallelism() > 1) askForRealTime();
}

/**
 * First in, first out (SCHED_FIFO): a scan that is due begins at once, whoever else has the cores. Node has no call for
 * it, but most systems have `chrt`. Threads that this one starts do not inherit it. A program that never ends cannot
 * take the machine with it: the scan has a limit of its steps, and the system keeps a twentieth for the others.
 */
function askForRealTime(): void {
  try {
    // "1234/task/1240": the second is this thread.
    const thread = readlinkSync('/proc/thread-self').split('/').at(-1)!;
    execFileSync('chrt', ['--reset-on-fork', '--fifo', '--pid', String(REAL_TIME), thread], {
      stdio: 'ignore',
      timeout: 1000,
    });
  } catch {
    // Not allowed, or no such command: the nice value above is what there is.
  }
}
