/**
 * The machine model and the plan: a step of the machine beside a scan of the logic, sixty devices with a hundred parts
 * on screen, a plan of eighty steps laid out.
 */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { type Device, type Project, type Sequence, emptyProject } from '@ferrule/core/document';
import { Engine } from '@ferrule/core/bench';
import { compile } from '@ferrule/core/workspace';
import { parseProject } from '@ferrule/core/schema';
import { layOutFlow } from '../packages/web/src/components/flow/flow.js';
import { framesOf, withPage } from './browser.js';
import { line, median } from './measure.js';

export default async function run(root: string): Promise<void> {
  for (const name of ['wire-end-crimp-cell', 'ceramic-kiln']) stepOfMachine(root, name);
  layout();
  await withPage(root, 4980, async (page, base) => {
    const file = JSON.stringify(large());
    const { id } = (await (await page.request.post(`${base}/api/projects`, { data: { file } })).json()) as {
      id: string;
    };
    await page.goto(`${base}/projects/${id}/machine`);
    await page.getByRole('img', { name: 'The machine' }).waitFor();
    // Until the belts are full.
    await page.waitForTimeout(14_000);
    for (const [width, height] of [
      [1280, 800],
      [1920, 1080],
    ] as const) {
      await page.setViewportSize({ width, height });
      await page.waitForTimeout(1500);
      // Twelve belts of eight parts each, and three at each feed; a device out of sight is not drawn.
      const inSight = await page
        .getByRole('img', { name: 'The machine' })
        .locator('svg')
        .evaluateAll((all) => {
          const box = all[0]!.parentElement!.getBoundingClientRect();
          return all.filter((x) => x.getBoundingClientRect().top < box.bottom).length;
        });
      line(
        `60 devices, about 100 parts, ${width} x ${height}, ${inSight} places in sight`,
        await framesOf(page),
        'fps',
      );
    }
    const shown: number[] = [];
    for (let i = 0; i < 5; i++) {
      await page.goto(`${base}/projects/${id}/tags`);
      await page.waitForTimeout(800);
      shown.push(
        await page.evaluate(
          () =>
            new Promise<number>((resolve) => {
              const start = performance.now();
              document.querySelector<HTMLAnchorElement>('a[href$="/plan"]')!.click();
              const look = () => {
                if ([...document.querySelectorAll('svg text')].some((x) => x.textContent === 'Step 79'))
                  resolve(performance.now() - start);
                else requestAnimationFrame(look);
              };
              look();
            }),
        ),
      );
    }
    line('a plan of 80 steps from another area to the screen', shown, 'ms');
  });
}

/** A scan with the machine against one without: the rest is the machine's. */
function stepOfMachine(root: string, example: string): void {
  const read = parseProject(readFileSync(join(root, 'examples', `${example}.ferrule.json`), 'utf8'));
  if ('problems' in read) throw new Error(read.problems.join());
  const engine = (p: Project) => {
    const c = compile([{ kind: 'project', name: 'p', project: p }]);
    return new Engine(c.build(false), { stepNs: 10_000_000n, wires: c.wires });
  };
  const bare = { ...read.project, machine: { devices: [] }, checks: [], rules: [], scope: [] };
  const [whole, logic] = [engine(read.project), engine(bare)];
  const SCANS = 200_000,
    times: { whole: number[]; logic: number[] } = { whole: [], logic: [] };
  for (let round = 0; round < 9; round++)
    for (const [key, e] of [
      ['whole', whole],
      ['logic', logic],
    ] as const) {
      const start = performance.now();
      for (let i = 0; i < SCANS; i++) e.runScan();
      times[key].push(((performance.now() - start) / SCANS) * 1000);
    }
  line(`${example}: a scan of the logic alone`, times.logic, 'µs');
  line(`${example}: with its machine`, times.whole, 'µs');
  console.log(
    `  the machine takes ${((median(times.whole) - median(times.logic)) / median(times.logic)).toFixed(2)} times as long as the logic`,
  );
}

function layout(): void {
  const times: number[] = [],
    s = large().plan!.sequences[0]!;
  for (let i = 0; i < 200; i++) {
    const start = performance.now();
    layOutFlow({ ...s });
    times.push(performance.now() - start);
  }
  line('a plan of 80 steps laid out', times, 'ms');
}

/** Twelve fed belts with eight parts each and what measures and drives beside them; a plan of eighty steps. */
function large(): Project {
  const devices: Device[] = [];
  const add = (name: string, type: string, wires: Record<string, string>, parameters: Record<string, string> = {}) =>
    devices.push({ id: name, name, type, wires, parameters });
  for (let i = 0; i < 12; i++) {
    add(`Feed${i}`, 'PartFeed', { Ahead: `Belt${i}.Full` }, { Every: '1.1', Sorts: '3', Length: '0.2' });
    add(`Belt${i}`, 'Conveyor', { Run: `Run${i}`, In: `Feed${i}.Out` }, { Fast: '0.25', StopAt: '1.9' });
    add(`Eye${i}`, 'PartSensor', { Line: `Belt${i}.Line` }, { Place: `${(0.3 + i / 10).toFixed(1)}` });
    if (i % 2) add(`Motor${i}`, 'Motor', { Run: `Run${i}` });
    else add(`Count${i}`, 'Encoder', { Speed: `Belt${i}.Speed` });
    if (i % 3) add(`Tank${i}`, 'Tank', {}, { Level0: '50.0' });
    else add(`Heat${i}`, 'Heater', { On: `Run${i}` });
  }
  const steps: Sequence['steps'] = Array.from({ length: 80 }, (_, i) => ({
    id: `s${i}`,
    name: `Step ${i}`,
    on: [`Run${i % 12}`],
    ways: [
      { id: `w${i}`, when: `Run${(i + 1) % 12}`, to: `s${(i + 1) % 80}` },
      ...(i % 7 === 0 ? [{ id: `v${i}`, when: `Run${(i + 3) % 12}`, to: `s${(i * 13) % 80}` }] : []),
    ],
    limit: '5 s',
    past: { fault: i + 1 },
  }));
  return {
    ...emptyProject('Large'),
    plan: { sequences: [{ id: 'q', name: 'Long', steps }] },
    tags: Array.from({ length: 12 }, (_, i) => ({ id: `t${i}`, name: `Run${i}`, type: 'BOOL', initial: 'TRUE' })),
    machine: { devices },
  };
}
