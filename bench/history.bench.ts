/** A day of the bench: how fast it runs, what it takes in memory, and how long any look back into it takes. */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { History, why } from '@ferrule/core/bench';
import type { Project } from '@ferrule/core/document';
import { compile } from '@ferrule/core/workspace';
import { line, median, percentile } from './measure.js';
import { workload } from './workload.js';

const DAY = 8_640_000;

export default function run(root: string): void {
  const project = JSON.parse(readFileSync(join(root, 'examples/wire-end-crimp-cell.ferrule.json'), 'utf8')) as Project;
  const compiled = compile([{ kind: 'project', name: 'demo', project }]);
  const h = new History(compiled.build(true), { stepNs: 10_000_000n, wires: compiled.wires });
  for (const p of project.scope) h.traces.follow(p);
  h.apply({ kind: 'write', path: 'Machine.Start.Pressed', value: true });
  h.schedule(20, { kind: 'write', path: 'Machine.Start.Pressed', value: false });
  h.apply({ kind: 'write', path: 'Machine.Batch.Entry', value: 9999 });
  const rates: number[] = [];
  // Reset clears the batch now and then, so that the cell works all day.
  for (let n = 0; n < 48; n++) {
    const t = performance.now();
    h.run(DAY / 48);
    rates.push(DAY / 48 / ((performance.now() - t) / 1000));
    for (const d of ['Reset', 'Start']) {
      h.apply({ kind: 'write', path: `Machine.${d}.Pressed`, value: true });
      h.run(20);
      h.apply({ kind: 'write', path: `Machine.${d}.Pressed`, value: false });
    }
  }
  console.log(
    `scans a second, demo with machine, watched, seven tags recorded: median ${Math.round(median(rates)).toLocaleString('en')} (${Math.round(Math.min(...rates)).toLocaleString('en')} to ${Math.round(Math.max(...rates)).toLocaleString('en')})`,
  );
  const mb = (n: number) => `${(n / 1048576).toFixed(0)} MB`;
  console.log(
    `24 h at 10 ms, ${h.end.toLocaleString('en')} scans: key snapshots ${mb(h.memory.keys)}, traces ${mb(h.memory.traces)}`,
  );
  let seed = 1;
  const random = (n: number) => (seed = (seed * 48271) % 2147483647) % n;
  const shown: number[] = [],
    back: number[] = [],
    asked: number[] = [],
    zoomed: number[] = [],
    late: number[] = [];
  for (let i = 0; i < 200; i++) {
    const n = random(h.end);
    const t = performance.now();
    h.goTo(n);
    shown.push(performance.now() - t);
  }
  line('any scan of the day shown', shown, 'ms');
  for (let i = 0; i < 100; i++) {
    const t = performance.now();
    h.goTo(h.now - 1);
    back.push(performance.now() - t);
  }
  line('a scan back', back, 'ms');
  const paths = [
    'Step',
    'Running',
    'DieClose',
    'GoodTotal',
    'Dwell.Q',
    'FaultCode',
    'PullTest.Peak',
    'LampReady',
    'RejectRun.CV',
    'ClampShut',
  ];
  for (let i = 0; i < 100; i++) {
    const t = performance.now();
    why({ past: h.past, project, compiled: () => compiled }, paths[i % paths.length]!, random(h.end));
    asked.push(performance.now() - t);
  }
  line('why, for ten tags anywhere in the day', asked, 'ms');
  console.log(`  95 of 100 within ${percentile(asked, 95).toFixed(0)} ms`);
  // From the whole day down to a second around a moment, at 60 steps.
  for (let i = 0; i < 120; i++) {
    const span = DAY * 0.85 ** (i % 60),
      at = DAY * 0.37;
    const t = performance.now();
    h.traces.courses(project.scope, Math.max(0, at - span / 2), Math.min(h.end, at + span / 2), 1000, 12_000);
    zoomed.push(performance.now() - t);
  }
  line('the scope at any zoom of the day, seven tags', zoomed, 'ms');
  console.log(`  95 of 100 within ${percentile(zoomed, 95).toFixed(1)} ms`);
  h.traces.follow('GoodTotal');
  for (let i = 0; i < 1; i++) {
    const t = performance.now();
    h.traces.courses(['GoodTotal'], 0, h.end, 1000, Infinity);
    late.push(performance.now() - t);
  }
  line('a tag added late, its whole day filled in', late, 'ms');

  const big = compile([{ kind: 'project', name: 'w', project: workload('mixed', 1000).project }]);
  const b = new History(big.build(true), { stepNs: 10_000_000n });
  b.run(3000);
  const steps: number[] = [],
    insides: number[] = [];
  for (let i = 0; i < 60; i++) {
    const t = performance.now();
    b.goTo(b.now - 1);
    steps.push(performance.now() - t);
  }
  line('1,000 rungs: a scan back', steps, 'ms');
  for (let i = 0; i < 20; i++) {
    const t = performance.now();
    b.stepInside('over', -1);
    insides.push(performance.now() - t);
  }
  line('1,000 rungs: a rung back', insides, 'ms');
}
