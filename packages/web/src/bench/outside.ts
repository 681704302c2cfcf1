/**
 * The bench as other programs see it: what its points are, what changed at a moment shown, and what is written to them.
 */
import { type FeedState, type Image, PointValues, formatValue, pointTree, pointsBelow } from '@ferrule/core/bench';
import type { Project } from '@ferrule/core/document';
import { typeText } from '@ferrule/core/language';
import type { FromBench } from './protocol.js';

export class Outside {
  private isOn = false;
  private image: Image | undefined;
  private values: PointValues | undefined;
  private key = '';
  private looks = 0;
  private state: FeedState | undefined;

  constructor(private readonly post: (m: FromBench) => void) {}

  /** From here on everything is told, from the beginning. */
  open(isOn: boolean): void {
    this.isOn = isOn;
    this.image = undefined;
    this.key = '';
    this.state = undefined;
  }

  /** Tells what changed. `project` is what the image was made from. */
  tell(memory: Uint8Array, image: Image, project: Project, state: FeedState, scanMs: number): void {
    if (!this.isOn) return;
    if (image !== this.image) this.takeProgram(image, project, scanMs);
    const values = this.values!;
    values.look(memory.subarray(0, image.stack), performance.now());
    const changes = values
      .changedSince(this.looks)
      .map((i) => [i, formatValue(values.points[i]!.type, values.values[i]!)] as const);
    this.looks = values.looks;
    if (!changes.length && state === this.state) return;
    this.state = state;
    this.post({ kind: 'outsideValues', state, changes });
  }

  /** There is nothing that runs. */
  nothing(): void {
    if (!this.isOn || this.state === 'gone') return;
    this.state = 'gone';
    this.post({ kind: 'outsideValues', state: 'gone', changes: [] });
  }

  private takeProgram(image: Image, project: Project, scanMs: number): void {
    const tree = pointTree(project, image),
      points = tree.flatMap((t) => pointsBelow(t.node)),
      key = JSON.stringify([
        scanMs,
        tree.map((t) => t.tag),
        points.map((p) => [p.path, typeText(p.type)]),
        project.types,
      ]);
    this.image = image;
    this.values = new PointValues(points);
    this.looks = 0;
    // Other logic of the same points is nothing new to others.
    if (key === this.key) return;
    this.key = key;
    this.post({ kind: 'outsidePoints', project, scanMs });
  }
}
