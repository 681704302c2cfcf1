/** The bench joined to another program: what that gives goes into the scans to come, what the scans give goes to it. */
import type { Compiled } from '@ferrule/core/workspace';
import {
  type History,
  OUTSIDE_LOST,
  OutsideInputs,
  type Value,
  findPath,
  formatValue,
  parseValue,
  readLocation,
} from '@ferrule/core/bench';
import type { Project } from '@ferrule/core/document';
import { typeText } from '@ferrule/core/language';
import type { FromBench } from './protocol.js';

export class Linked {
  private inputs: OutsideInputs | undefined;
  private compiled: Compiled | undefined;
  private key = '';
  private readonly told = new Map<string, string>();

  constructor(private readonly post: (m: FromBench) => void) {}

  /** Not any more: inputs stay as they are, to be worked by hand. */
  open(isOn: boolean, history: History | undefined): void {
    this.inputs = isOn ? new OutsideInputs() : undefined;
    this.compiled = undefined;
    this.key = '';
    this.told.clear();
    if (!isOn && history && this.isAtEnd(history) && read(history, OUTSIDE_LOST) === true)
      history.applyAll([{ kind: 'write', path: OUTSIDE_LOST, value: false }]);
  }
  private isAtEnd(h: History): boolean {
    return h.now >= h.end && !h.isInside && !h.engine.fault;
  }

  take(values: readonly (readonly [string, string?])[], isLost: boolean): void {
    const types = new Map((this.compiled?.outside ?? []).map((p) => [p.path, p.type]));
    this.inputs?.take(
      values.map(([path, text]): [string, Value | undefined] => {
        const type = types.get(path),
          v = type && text !== undefined ? parseValue(type, text) : undefined;
        return [path, v && 'value' in v ? v.value : undefined];
      }),
      isLost,
    );
  }

  /** Before the scans to come. What is past is not written to: it was run as it was run. */
  before(history: History): void {
    if (!this.inputs || !this.compiled || !this.isAtEnd(history)) return;
    const due = this.inputs.due(
      history.engine,
      this.compiled.outside.filter((p) => p.isInput),
    );
    if (due.length) history.applyAll(due);
  }

  /** After scans, and when there is another program: tells outputs that have changed, as the machine receives them. */
  after(history: History, compiled: Compiled, project: Project, scanMs: number): void {
    if (!this.inputs) return;
    if (compiled !== this.compiled) this.takeProgram(compiled, project, scanMs);
    if (history.now < history.end) return;
    const { engine } = history,
      forced = new Map(engine.listForces().map((f) => [f.path.toLowerCase(), f.value])),
      changed: [string, string][] = [];
    for (const p of compiled.outside) {
      if (p.isInput) continue;
      // Logic that has faulted drives nothing.
      const value = engine.fault ? p.rest : (forced.get(p.path.toLowerCase()) ?? read(history, p.path));
      if (value === undefined) continue;
      const text = formatValue(p.type, value);
      if (this.told.get(p.path) === text) continue;
      this.told.set(p.path, text);
      changed.push([p.path, text]);
    }
    if (changed.length) this.post({ kind: 'outsideOutputs', values: changed });
  }

  private takeProgram(compiled: Compiled, project: Project, scanMs: number): void {
    this.compiled = compiled;
    const key = JSON.stringify([
      project.outside,
      compiled.outside.map((p) => [p.path, typeText(p.type), String(p.rest)]),
      scanMs,
    ]);
    if (key === this.key) return;
    this.key = key;
    this.told.clear();
    this.post({ kind: 'outsideLink', scanMs, ...(compiled.outside.length ? { project } : {}) });
  }
}

function read({ engine }: History, path: string): Value | undefined {
  const found = findPath(engine.image, path);
  return 'location' in found ? readLocation(engine.view, found.location) : undefined;
}
