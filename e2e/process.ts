/** One process of Ferrule, started as `npm start` does. */
import { type ChildProcess, fork } from 'node:child_process';
import { join } from 'node:path';

export interface Process {
  readonly child: ChildProcess;
  kill(signal: NodeJS.Signals): Promise<void>;
}

/** Resolves when the process says that it is ready. */
export function startFrom(root: string, name: 'server' | 'controller', env: Record<string, string>): Promise<Process> {
  return new Promise((resolve, reject) => {
    const child = fork(join(root, `packages/${name}/dist/main.mjs`), {
      env: { ...process.env, ...env },
      stdio: ['ignore', 'ignore', 'inherit', 'ipc'],
    });
    const kill = (signal: NodeJS.Signals) =>
      new Promise<void>((done) => {
        if (child.exitCode !== null || child.signalCode) {
          done();
          return;
        }
        child.once('exit', () => done());
        child.kill(signal);
      });
    child.once('message', () => resolve({ child, kill }));
    child.once('exit', (code) => reject(new Error(`${name} ended with ${code}`)));
  });
}
