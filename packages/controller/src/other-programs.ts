/** What joins in from outside: the points of what the machine obeys, and the protocols that are open over them. */
import { type FeedState, PointValues, type Value, pointTree, pointsBelow, pulledTags } from '@ferrule/core/bench';
import type { Project } from '@ferrule/core/document';
import { OpenProtocols, type PointSource, type SourcePoints } from '@ferrule/protocols';
import type { Controller } from './controller.js';
import type { OutsideIoOfController } from './outside-io.js';
import type { Prepared } from './prepare.js';

/** The points of the program that the machine obeys. */
class ControllerPoints implements PointSource {
  private readonly made = new WeakMap<Prepared, SourcePoints>();
  constructor(
    private readonly controller: Controller,
    private readonly outside: OutsideIoOfController,
  ) {}

  get points(): SourcePoints | undefined {
    const { active } = this.controller.scan;
    if (!active) return undefined;
    let found = this.made.get(active);
    if (!found) {
      const tree = pointTree(JSON.parse(active.text) as Project, active.image);
      found = { tree, values: new PointValues(tree.flatMap((t) => pointsBelow(t.node))) };
      this.made.set(active, found);
      this.read(active, found);
    }
    return found;
  }
  get state(): FeedState {
    const { state } = this.controller.scan.facts;
    return state === 'empty' ? 'gone' : state;
  }
  get bad(): ReadonlySet<string> {
    const { active } = this.controller.scan,
      away = this.outside.bad();
    if (!active?.engine.pulledCards.length) return away;
    return new Set([...away, ...pulledTags(active.image, active.engine.pulledCards)]);
  }
  get scanMs(): number {
    return this.controller.scan.facts.figures.scanMs || 10;
  }
  get cable(): 'ok' | 'slow' | 'cut' {
    return this.controller.isOn ? this.controller.network : 'cut';
  }
  async look(): Promise<void> {
    await this.controller.scan.look();
    this.readNow();
  }
  async lookAfterScan(): Promise<void> {
    await this.controller.scan.lookAfterScan();
    this.readNow();
  }
  private readNow(): void {
    const { active } = this.controller.scan,
      points = this.points;
    if (active && points) this.read(active, points);
  }
  private read({ engine, image }: Prepared, { values }: SourcePoints): void {
    values.look(engine.memory.subarray(0, image.stack), Date.now());
  }
  async write(path: string, value: Value): Promise<void> {
    await this.controller.scan.apply({ kind: 'write', path, value });
  }
  note(words: string): void {
    this.controller.note('link', words);
  }
}

/** Ends connections when the cable or the power goes. */
export function otherPrograms(
  controller: Controller,
  outside: OutsideIoOfController,
  options: {
    readonly modbusPort: number;
    readonly opcuaPort: number;
    readonly opcuaHost: string;
    readonly folder: string;
    readonly opcuaEntry: URL;
    readonly clockMs: () => number;
  },
): OpenProtocols {
  const open = new OpenProtocols(new ControllerPoints(controller, outside), {
    ...options,
    name: 'Ferrule Cabinet A',
    portNames: { modbus: 'FERRULE_MODBUS_PORT', opcua: 'FERRULE_OPCUA_PORT' },
    kept: () => controller.open,
    keep: (change) => controller.setOpen(change),
  });
  controller.onOpen = () => {
    open.cableChanged();
    outside.cableChanged();
  };
  return open;
}
