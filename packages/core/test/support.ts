/** Short ways for tests: text or rung lines in, an engine out. */
import { type Device, type OwnKind, type Project, emptyProject } from '../src/document.js';
import { Engine, type Image } from '../src/bench.js';
import { compile } from '../src/workspace.js';

/** Compiles a text that must have no errors. */
export function imageOf(text: string, watched = false): Image {
  const c = compile([{ kind: 'text', name: 't.st', text }]);
  if (c.hasErrors) throw new Error(c.diagnostics.map((d) => d.message).join('\n'));
  return c.build(watched);
}

export const engineOf = (text: string, watched = false, stepMs = 10): Engine =>
  new Engine(imageOf(text, watched), { stepNs: BigInt(stepMs) * 1_000_000n });

/** A project of one ladder program with these tags (`Name : TYPE`) and rung lines. */
export function ladderProject(tags: readonly string[], lines: readonly string[]): Project {
  return {
    ...emptyProject('Test'),
    tags: tags.map((t, i) => {
      const m = /^(\w+)(?:\s+AT\s+(\S+))?\s*:\s*(.+?)(?:\s*:=\s*(.+))?$/.exec(t)!;
      return {
        id: `t${i}`,
        name: m[1]!,
        type: m[3]!,
        ...(m[2] ? { address: m[2] } : {}),
        ...(m[4] ? { initial: m[4] } : {}),
      };
    }),
    pous: [
      {
        id: 'p1',
        name: 'Main',
        language: 'LD',
        kind: 'program',
        rungs: lines.map((line, i) => ({ id: `r${i + 1}`, line })),
      },
    ],
  };
}

export function ladderEngine(tags: readonly string[], lines: readonly string[], watched = true): Engine {
  const project = ladderProject(tags, lines);
  const c = compile([{ kind: 'project', name: 'p', project }]);
  if (c.hasErrors) throw new Error(c.diagnostics.map((d) => d.message).join('\n'));
  return new Engine(c.build(watched), { stepNs: 10_000_000n, wires: c.wires });
}

export const codesOf = (text: string): string[] =>
  compile([{ kind: 'text', name: 't.st', text }]).diagnostics.map((d) => d.code);

/** A program with these variables and statements. */
export const program = (variables: string, body: string): string =>
  `PROGRAM P\nVAR ${variables} END_VAR\n${body}\nEND_PROGRAM`;

/** A machine of these devices on the engine, without errors. */
export function machine(
  devices: readonly Omit<Device, 'id'>[],
  base: Project = emptyProject('M'),
  kinds?: readonly OwnKind[],
): Engine {
  const c = compile([
    {
      kind: 'project',
      name: 'm',
      project: {
        ...base,
        machine: { devices: devices.map((d, i) => ({ id: `d${i}`, ...d })), ...(kinds ? { kinds } : {}) },
      },
    },
  ]);
  if (c.hasErrors) throw new Error(c.diagnostics.map((d) => d.message).join('\n'));
  return new Engine(c.build(false), { stepNs: 10_000_000n, wires: c.wires });
}
/** Scans of 10 ms. */
export const run = (e: Engine, ms: number): void => {
  for (let i = 0; i < ms / 10; i++) e.runScan();
};
/** How many scans until it is so; `most` when it never is. */
export const scansUntil = (e: Engine, done: () => boolean, most = 1000): number => {
  let n = 0;
  while (!done() && n < most) {
    e.runScan();
    n++;
  }
  return n;
};
