/**
 * The shipped examples as C, with the machine's model, worked as their checks work them: every value after every scan.
 */
import { readFileSync, readdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { Engine, type Value, findPath, formatValue, nanosecondsAsMs, scanStep } from '../../bench.js';
import type { Project } from '../../document.js';
import { buildC } from '../../boards.js';
import { compile } from '../../workspace.js';
import { csvLine } from '../../files.js';
import { planProof, prove } from '../../verify.js';
import { buildTrace, compileRuntime, firstDifference, folder, leaves, runTrace } from '../../../test/c-build.js';

const from = new URL('../../../../../examples/', import.meta.url);
const examples = readdirSync(from)
  .filter((f) => f.endsWith('.ferrule.json'))
  .map((f) => [f, JSON.parse(readFileSync(new URL(f, from), 'utf8')) as Project] as const);
const here = folder();
afterAll(() => here.remove());

interface Doing {
  readonly scan: number;
  readonly path: string;
  readonly value: Value;
}
/**
 * What a check does to the machine and its panel, scan by scan; undefined where it forces, which is for the bench
 * alone.
 */
function doings(project: Project, name: string): { list: Doing[]; scans: number } | undefined {
  const list: Doing[] = [];
  let scans = 0,
    forced = false;
  const { write, force, runScan, restart } = Engine.prototype;
  Engine.prototype.write = function (path, value) {
    list.push({ scan: this.scan, path, value });
    write.call(this, path, value);
  };
  Engine.prototype.force = function (path, value) {
    forced = true;
    force.call(this, path, value);
  };
  Engine.prototype.runScan = function () {
    const ok = runScan.call(this);
    scans = Math.max(scans, this.scan);
    return ok;
  };
  Engine.prototype.restart = function (start) {
    list.length = 0;
    scans = 0;
    restart.call(this, start);
  };
  try {
    const only = { ...project, checks: project.checks.filter((c) => c.name === name), rules: [] };
    prove(planProof(only, 'p'), { stepNs: scanStep(compile([{ kind: 'project', name: 'p', project }]).build(false)) });
  } finally {
    Object.assign(Engine.prototype, { write, force, runScan, restart });
  }
  return forced ? undefined : { list, scans };
}

describe.each(examples)('%s', (file, project) => {
  it('does the same in C with what its checks do', async () => {
    const files = [{ kind: 'project' as const, name: file, project }];
    const compiled = compile(files),
      image = compiled.build(false),
      stepNs = scanStep(image);
    const built = buildC(compiled, { target: 'linux', title: file });
    if ('message' in built) throw new Error(built.message);
    const path = join(here.path, file);
    const objects = compileRuntime(join(path, 'runtime'), built.files, 'gcc', ['-O1']);
    const trace = await buildTrace(path, files, objects, 'gcc', ['-O1']);
    const record = [...image.symbols.values()]
      .flatMap((s) => leaves(s.type, s.name, 4))
      .filter((p) => 'location' in findPath(image, p));
    let played = 0;
    for (const check of project.checks) {
      const done = doings(project, check.name);
      if (!done) continue;
      played++;
      const { list } = done,
        scans = Math.min(done.scans, 600);
      const places = new Map(record.map((p) => [p, findPath(image, p)]));
      const engine = new Engine(image, { stepNs, wires: compiled.wires });
      const rows: string[] = [csvLine(['t_ms', ...record])];
      const paths = [...new Set(list.map((d) => d.path))];
      const stimulus = [csvLine(['t_ms', ...paths])];
      for (let n = 0; n < scans; n++) {
        for (const d of list.filter((x) => x.scan === n)) {
          const at = findPath(image, d.path);
          if ('error' in at) throw new Error(at.error);
          const text = formatValue(at.location.type, d.value);
          stimulus.push(csvLine([nanosecondsAsMs(engine.timeNs), ...paths.map((p) => (p === d.path ? text : ''))]));
          engine.write(d.path, d.value);
        }
        const t = engine.timeNs;
        expect(engine.runScan()).toBe(true);
        rows.push(
          csvLine([
            nanosecondsAsMs(t),
            ...record.map((p) => {
              const at = places.get(p)!;
              return 'location' in at ? engine.text(at.location) : '';
            }),
          ]),
        );
      }
      writeFileSync(join(path, 'in.csv'), `${stimulus.join('\n')}\n`);
      const got = await runTrace(trace, [
        '--for',
        `${nanosecondsAsMs(BigInt(scans) * stepNs)}ms`,
        '--stimulus',
        join(path, 'in.csv'),
        '--record',
        record.join(),
      ]);
      expect([check.name, got.error, firstDifference(`${rows.join('\n')}\n`, got.out)]).toEqual([
        check.name,
        '',
        undefined,
      ]);
    }
    expect(played).toBeGreaterThan(0);
  }, 300_000);
});
