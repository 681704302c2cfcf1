/**
 * One rung of a 5,000-rung project is changed: how long until it is checked, and until the bench runs it with its state
 * kept.
 */
import { Compiler } from '@ferrule/core/workspace';
import { Engine, transferState } from '@ferrule/core/bench';
import { type Project, applyEdit } from '@ferrule/core/document';
import { line } from './measure.js';
import { workload } from './workload.js';

export default function run(): void {
  const { project } = workload('mixed', 5000);
  console.log('as generated, with thousands of findings of the rules:');
  measure(project);
  console.log('with the rules that find most of them off, as in a project that is kept clean:');
  measure({
    ...project,
    checking: { SET_WITHOUT_RESET: 'off', DOUBLE_COIL: 'off', NEVER_WRITTEN: 'off', UNUSED_TAG: 'off' },
  });
}

function measure(project: Project): void {
  const compiler = new Compiler();
  const files = (p: Project) => [{ kind: 'project' as const, name: 'w', project: p }];
  let t = performance.now();
  let compiled = compiler.compile(files(project));
  console.log(
    `  the first check of 5,000 rungs and ${project.tags.length} tags: ${(performance.now() - t).toFixed(0)} ms, ${compiled.diagnostics.length} findings kept`,
  );
  const ladder = project.pous.flatMap((p) => (p.language === 'LD' ? [p] : []));
  let now = project;
  let engine = new Engine(compiled.build(true), { stepNs: 10_000_000n });
  for (let i = 0; i < 20; i++) engine.runScan();
  const edit = (change: (i: number) => Parameters<typeof applyEdit>[1], name: string) => {
    const check: number[] = [],
      running: number[] = [];
    for (let i = 0; i < 30; i++) {
      const applied = applyEdit(now, change(i));
      if ('refused' in applied) throw new Error(applied.refused);
      now = applied.project;
      t = performance.now();
      compiled = compiler.compile(files(now));
      const checked = performance.now() - t;
      const image = compiled.build(true);
      const kept = transferState(engine.image, engine.memory, image);
      const next = new Engine(image, { stepNs: 10_000_000n });
      next.memory.set(kept.bytes);
      next.scan = engine.scan;
      next.runScan();
      const all = performance.now() - t;
      engine = next;
      // The first build of a compiler that follows edits makes its code anew.
      if (i > 2) {
        check.push(checked);
        running.push(all);
      }
    }
    line(`${name}: checked`, check, 'ms');
    line(`${name}: running, state kept, first scan done`, running, 'ms');
  };
  edit((i) => {
    const p = ladder[i % ladder.length]!;
    return {
      kind: 'changeRung',
      pou: p.id,
      id: p.rungs[5]!.id,
      to: { line: `b1 & !b${13 + (i % 9)} & T${i}.Q -> b${20 + i}` },
    };
  }, 'a rung changed');
  edit((i) => ({ kind: 'addTag', tag: { id: `new${i}`, name: `New${i}`, type: 'BOOL' } }), 'a tag added');
  edit((i) => {
    const p = ladder[i % ladder.length]!;
    return { kind: 'addRung', pou: p.id, at: 3, rung: { id: `more${i}`, line: `New${i} & b3 -> set b40` } };
  }, 'a rung put in that uses it');
}
