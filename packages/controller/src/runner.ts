/** Runs a program scan by scan in real time: its own clock is the only one in Ferrule that is not simulated. */
import {
  type BenchEvent,
  type Compiled,
  Engine,
  type Image,
  type Project,
  compile,
  projectHash,
  transferState,
} from '@ferrule/core';

export interface Program {
  readonly project: Project;
  readonly revision: number;
  readonly hash: string;
}

interface Loaded extends Program {
  readonly compiled: Compiled;
  readonly image: Image;
  readonly engine: Engine;
}

export interface RunnerStatus {
  readonly mode: 'run' | 'stop';
  readonly state: 'empty' | 'run' | 'stop' | 'fault';
  readonly project?: string;
  readonly revision?: number;
  readonly hash?: string;
  readonly scan: number;
  readonly scanMs: number;
  /** Time a scan takes, in ms: the mean of late and the worst since the program was loaded. */
  readonly usedMs: number;
  readonly worstMs: number;
  /** How late a scan started at worst, in ms. */
  readonly jitterMs: number;
  readonly missed: number;
  readonly forces: readonly { path: string; value: string }[];
  readonly fault?: string;
}

const MAX_CATCH_UP = 5;

export class Runner {
  private loaded: Loaded | undefined;
  private mode: 'run' | 'stop' = 'stop';
  private timer: NodeJS.Timeout | undefined;
  private dueMs = 0;
  private usedMs = 0;
  private worstMs = 0;
  private jitterMs = 0;
  private missed = 0;

  /** `clockMs` is a monotonic clock in milliseconds. */
  constructor(private readonly clockMs: () => number) {}

  get program(): Program | undefined {
    return this.loaded;
  }
  get engine(): Engine | undefined {
    return this.loaded?.engine;
  }

  /** Compiles and takes a program between two scans. Throws with a sentence when it does not compile; the old one then runs on. */
  load(program: Program, how: 'restart' | 'keep'): readonly string[] {
    const compiled = compile([{ kind: 'project', name: program.project.name, project: program.project }]);
    if (compiled.hasErrors)
      throw new Error(`The program has errors: ${compiled.diagnostics.find((d) => d.severity === 'error')!.message}`);
    if (projectHash(program.project) !== program.hash)
      throw new Error('What arrived does not have the hash it was announced with.');
    const image = compiled.build(true);
    const intervals = image.tasks.map((t) => t.intervalNs).filter((n) => n > 0n);
    const stepNs = intervals.length ? intervals.reduce((a, b) => (b < a ? b : a)) : 10_000_000n;
    const engine = new Engine(image, { stepNs, wires: compiled.wires });
    let lost: readonly string[] = [];
    const before = this.loaded;
    if (before && how === 'keep') {
      const moved = transferState(before.image, before.engine.snapshot().bytes, image);
      const forces = before.engine.listForces().filter((f) => {
        try {
          engine.locate(f.path);
          return true;
        } catch {
          return false;
        }
      });
      engine.restore({ scan: before.engine.scan, bytes: moved.bytes, forces });
      lost = moved.lost;
    }
    this.loaded = { ...program, compiled, image, engine };
    if (how === 'restart') this.mode = 'stop';
    this.usedMs = this.worstMs = this.jitterMs = this.missed = 0;
    this.schedule();
    return lost;
  }

  setMode(mode: 'run' | 'stop'): void {
    if (mode === 'run' && !this.loaded) throw new Error('There is no program to run; download one first.');
    // A fault is left by stop and run: the program starts anew.
    if (mode === 'run' && (this.loaded!.engine.fault || this.mode === 'stop')) {
      const forces = this.loaded!.engine.listForces();
      this.loaded!.engine.restart();
      this.loaded!.engine.setForces(forces);
    }
    this.mode = mode;
    this.schedule();
  }

  apply(event: BenchEvent): void {
    const { engine } = this;
    if (!engine) throw new Error('There is no program.');
    if (event.kind === 'write') engine.write(event.path, event.value);
    else if (event.kind === 'force') engine.force(event.path, event.value);
    else engine.setForces([]);
  }

  private schedule(): void {
    clearTimeout(this.timer);
    if (this.mode !== 'run' || !this.loaded) return;
    this.dueMs = this.clockMs();
    this.tick();
  }

  private tick(): void {
    const { loaded } = this;
    if (!loaded || this.mode !== 'run') return;
    const stepMs = Number(loaded.engine.stepNs) / 1e6;
    const start = this.clockMs();
    this.jitterMs = Math.max(this.jitterMs, start - this.dueMs);
    let behind = Math.floor((start - this.dueMs) / stepMs) + 1;
    if (behind > MAX_CATCH_UP) {
      this.missed += behind - MAX_CATCH_UP;
      this.dueMs += (behind - MAX_CATCH_UP) * stepMs;
      behind = MAX_CATCH_UP;
    }
    for (let i = 0; i < behind; i++) {
      const before = this.clockMs();
      if (!loaded.engine.runScan()) return;
      const used = this.clockMs() - before;
      this.usedMs += (used - this.usedMs) / 100;
      this.worstMs = Math.max(this.worstMs, used);
      this.dueMs += stepMs;
    }
    this.timer = setTimeout(() => this.tick(), Math.max(0, this.dueMs - this.clockMs()));
  }

  stop(): void {
    clearTimeout(this.timer);
    this.mode = 'stop';
  }

  status(): RunnerStatus {
    const l = this.loaded;
    const engine = l?.engine;
    return {
      mode: this.mode,
      state: !l ? 'empty' : engine!.fault ? 'fault' : this.mode,
      ...(l ? { project: l.project.name, revision: l.revision, hash: l.hash } : {}),
      scan: engine?.scan ?? 0,
      scanMs: engine ? Number(engine.stepNs) / 1e6 : 0,
      usedMs: this.usedMs,
      worstMs: this.worstMs,
      jitterMs: this.jitterMs,
      missed: this.missed,
      forces: engine?.listForces().map((f) => ({ path: f.path, value: String(f.value) })) ?? [],
      ...(engine?.fault ? { fault: engine.faultLine() } : {}),
    };
  }
}
