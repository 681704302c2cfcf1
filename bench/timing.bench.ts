/** Cycles of a whole day: how long until each step of each cycle is known, where its tag was recorded as it ran. */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { History, cyclesOf, homeOf, spansOf, spreadOf, stepTags, stepTimings } from '@ferrule/core/bench';
import type { Project } from '@ferrule/core/document';
import { compile } from '@ferrule/core/workspace';
import { line } from './measure.js';

const DAY = 8_640_000;

export default function run(root: string): void {
  const project = JSON.parse(readFileSync(join(root, 'examples/wire-end-crimp-cell.ferrule.json'), 'utf8')) as Project;
  const compiled = compile([{ kind: 'project', name: 'demo', project }]);
  const h = new History(compiled.build(true), { stepNs: 10_000_000n, wires: compiled.wires });
  const step = stepTags(project, h.image).find((t) => t.path === 'Step')!;
  h.traces.follow('Step');
  h.apply({ kind: 'write', path: 'Machine.Batch.Entry', value: 9999 });
  // Reset clears the batch now and then, so that the cell works all day.
  for (let n = 0; n < 48; n++) {
    for (const d of ['Reset', 'Start']) {
      h.apply({ kind: 'write', path: `Machine.${d}.Pressed`, value: true });
      h.run(20);
      h.apply({ kind: 'write', path: `Machine.${d}.Pressed`, value: false });
    }
    h.run(DAY / 48 - 40);
  }
  const whole: number[] = [];
  let said = '';
  for (let i = 0; i < 7; i++) {
    const t = performance.now();
    const { courses, complete } = h.traces.courses(['Step'], 0, h.end, h.end, Infinity);
    const spans = spansOf(courses[0]!.points, 0, h.end),
      { closed } = cyclesOf(spans, homeOf(spans, step.first)!);
    const steps = stepTimings(closed),
      cycle = spreadOf(closed.map((c) => c.to - c.from));
    whole.push(performance.now() - t);
    said = `${h.end.toLocaleString('en')} scans, ${closed.length.toLocaleString('en')} cycles of ${steps.length} steps${complete ? '' : ', not all of it known'}; a cycle ${((cycle?.smallest ?? 0) / 100).toFixed(2)} / ${((cycle?.median ?? 0) / 100).toFixed(2)} / ${((cycle?.largest ?? 0) / 100).toFixed(2)} s (smallest, median, largest)`;
  }
  console.log(said);
  line('timing of the day, from its history', whole, 'ms');
}
