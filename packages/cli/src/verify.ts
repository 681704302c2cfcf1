import { version } from '../../../package.json';
import { writeFileSync } from 'node:fs';
import { basename } from 'node:path';
import {
  type ChangesTried,
  type ProofPlan,
  type ProofResult,
  type Strengths,
  type Totals,
  type Verified,
  checkLine,
  junitXml,
  lookedWords,
  mutantLine,
  planProof,
  prove,
  reachOf,
  reportHtml,
  ruleLine,
  totalsLine,
  totalsOf,
  verdictsAsData,
} from '@ferrule/core/verify';
import { type Project, projectHash } from '@ferrule/core/document';
import { diagnosticLine, summaryLine } from '@ferrule/core/language';
import { scanStep } from '@ferrule/core/bench';
import { UsageError, parseOptions, projectsIn, willWrite } from './files.js';
import { readInputs } from './inputs.js';
import type { Console } from './console.js';
import { type Pool, playAll, proveAll, searchAll, tryChanges } from '@ferrule/protocols/shares';
import { THREADS } from './threads.js';

/** What was asked for, checked before anything is computed. */
interface Asked {
  readonly only?: string;
  /** Scans of a search; none without it. */
  readonly search?: number;
  readonly seed: number;
  readonly proof: boolean;
  readonly changes: boolean;
  readonly report: boolean;
  /** Once it says so, what is not decided is open. */
  readonly isOver: () => boolean;
  /** Milliseconds left; infinite without a bound. */
  readonly left: () => number;
}
interface Done extends Verified {
  readonly document: Project;
  readonly plan: ProofPlan;
  readonly strengths: ReadonlyMap<string, Strengths>;
  readonly totals: Totals;
  readonly changes?: ChangesTried;
  readonly reach?: ReturnType<typeof reachOf>;
}

/**
 * `ferrule verify PROJECT`: plays every check and rule of a project, or of each project in a folder. With `--search`
 * also looks for counterexamples, with `--proof` proves the rules for all inputs, with `--changes` tells what the
 * checks would not notice. `--within` bounds all of it.
 */
export async function verify(args: readonly string[], io: Console): Promise<number> {
  const { files, options } = parseOptions(
    args,
    ['only', 'junit', 'report', 'json', 'search', 'seed', 'within', 'workers'],
    ['proof', 'changes', 'strict'],
  );
  if (files.length > 1) throw new UsageError('verify takes one project, or a folder of projects.');
  const within = options.has('within') ? number('within', options.get('within')!) : Infinity,
    until = performance.now() + within * 1000;
  const asked: Asked = {
    ...(options.has('only') ? { only: options.get('only')! } : {}),
    ...(options.has('search') ? { search: number('search', options.get('search')!) * 1e6 } : {}),
    seed: number('seed', options.get('seed') ?? '1'),
    proof: options.has('proof'),
    changes: options.has('changes'),
    report: options.has('report'),
    isOver: () => performance.now() >= until,
    left: () => until - performance.now(),
  };
  for (const name of ['junit', 'json', 'report']) willWrite(name, options.get(name));
  const names = projectsIn(files[0]!),
    several = names.length > 1;
  if (several && asked.report) throw new UsageError('a report is of one project; name its file.');
  const inputs = (await readInputs(names)).map((input, i) => {
    if (input.kind !== 'project')
      throw new UsageError(`${names[i]!}: checks and rules live in a project (.ferrule.json).`);
    return input;
  });
  if (asked.only && !inputs.some(({ project }) => speaksOf(project, asked.only!)))
    throw new UsageError(`there is no check or rule '${asked.only}'.`);
  const all: Done[] = [];
  let hasErrors = false;
  const wanted = inputs.filter(({ project }) => !asked.only || speaksOf(project, asked.only));
  const shared = options.has('workers') ? await sharedOut(options.get('workers')!, io) : undefined;
  try {
    // Given out, all projects are under way at once; what is said of them stands in their order.
    const under =
      shared && wanted.map(({ project, name }) => kept((own) => verifyOne(project, name, asked, own, shared)));
    for (const [i, { project, name }] of wanted.entries()) {
      if (several) io.out(`${basename(name)}: ${project.name}\n`);
      const done = under ? await under[i]!(io) : await verifyOne(project, name, asked, io, THREADS);
      if (done) all.push(done);
      else hasErrors = true;
    }
  } finally {
    await shared?.close();
  }
  if (hasErrors && !several) return 1;
  const totals = all.reduce(
    (t, x) => ({
      passed: t.passed + x.totals.passed,
      failed: t.failed + x.totals.failed,
      open: t.open + x.totals.open,
    }),
    { passed: 0, failed: 0, open: 0 },
  );
  io.out(`${totalsLine(totals)}\n`);
  save(options.get('junit'), () => junitXml(all));
  save(options.get('json'), () => `${JSON.stringify(asData(all, several, totals), null, 2)}\n`);
  save(options.get('report'), () => reportOf(all[0]!, asked));
  return hasErrors || totals.failed || (options.has('strict') && totals.open) ? 1 : 0;
}

/** Workers over a Redis; BullMQ is loaded only where they are asked for. */
async function sharedOut(url: string, io: Console) {
  const { SharedOut } = await import('@ferrule/protocols/queue'),
    shared = await SharedOut.at(url);
  if (!(await shared.workers()).length)
    io.error('ferrule: no worker is there yet; the work waits for one (ferrule worker --redis URL).\n');
  return shared;
}
/** Something that writes, begun at once; what it wrote is written when it is asked for. */
function kept<T>(run: (io: Console) => Promise<T>): (io: Console) => Promise<T> {
  const lines: (readonly ['out' | 'error', string])[] = [],
    result = run({ out: (t) => lines.push(['out', t]), error: (t) => lines.push(['error', t]) }).then(
      (value) => ({ value }),
      (problem: unknown) => ({ problem }),
    );
  return async (io) => {
    const done = await result;
    for (const [to, text] of lines) io[to](text);
    if ('problem' in done) throw done.problem;
    return done.value;
  };
}

const speaksOf = (p: Project, name: string): boolean =>
  [...p.checks, ...p.rules, { name: 'never faults' }].some((x) => x.name.toLowerCase() === name.toLowerCase());

/** One project: its lines are written as they are known. Undefined where its logic has errors. */
async function verifyOne(
  project: Project,
  name: string,
  asked: Asked,
  io: Console,
  pool: Pool,
): Promise<Done | undefined> {
  const plan = planProof(project, name);
  if (!plan.image) {
    for (const d of plan.compiled.diagnostics) io.out(`${diagnosticLine(d)}\n`);
    io.out(`${summaryLine(plan.compiled.diagnostics)}\n`);
    return undefined;
  }
  for (const d of plan.diagnostics) io.error(`${diagnosticLine(d)}\n`);
  const stepNs = scanStep(plan.image),
    reach = asked.report ? reachOf(plan, stepNs, asked.isOver) : undefined;
  const result =
    reach && !asked.only
      ? reach.result
      : pool === THREADS
        ? prove(plan, { stepNs, isOver: asked.isOver, ...(asked.only ? { only: asked.only } : {}) })
        : await playAll(project, asked.only, asked.left(), pool);
  const [strengths, changes] = await together(
    pool,
    () => strengthsOf(project, result, asked, pool),
    () => (asked.changes ? tryChanges(project, asked.left(), pool) : Promise.resolve(undefined)),
  );
  for (const m of changes?.missed ?? []) io.out(`not noticed: ${mutantLine(m)}\n`);
  if (changes)
    io.out(
      `${changes.tried - changes.missed.length} of ${changes.tried} changes noticed${changes.notTried ? `; the time was up before ${changes.notTried} more were tried` : ''}\n`,
    );
  for (const c of result.checks) io.out(`${checkLine(c)}\n`);
  for (const r of result.rules) io.out(`${ruleLine(r, strengths.get(r.id))}\n`);
  return {
    project: project.name,
    document: project,
    plan,
    result,
    strengths,
    totals: totalsOf(result, strengths),
    ...(changes ? { changes } : {}),
    ...(reach ? { reach } : {}),
  };
}

/** One after the other on this machine, whose cores either fills; at once where they are given out. */
async function together<A, B>(pool: Pool, a: () => Promise<A>, b: () => Promise<B>): Promise<readonly [A, B]> {
  return pool === THREADS ? [await a(), await b()] : Promise.all([a(), b()]);
}

/** What a search and a proof say of the rules, as far as they are asked for. */
async function strengthsOf(
  project: Project,
  result: ProofResult,
  asked: Asked,
  pool: Pool,
): Promise<ReadonlyMap<string, Strengths>> {
  const wanted = result.rules.map((r) => r.id),
    strengths = new Map<string, Strengths>(wanted.map((id) => [id, {}]));
  const add = (id: string, s: Strengths) => strengths.set(id, { ...strengths.get(id), ...s });
  if (asked.search !== undefined) {
    const state = await searchAll(
      project,
      { seed: asked.seed, upsets: true, scans: asked.search, only: wanted },
      asked.left(),
      pool,
    );
    for (const id of wanted) {
      const hit = state.found.find((f) => f.ruleId === id);
      add(id, {
        search: hit
          ? {
              words: `a search broke it at scan ${hit.scan}: ${hit.seen}`,
              isBroken: true,
              scans: state.scans,
              rows: hit.rows.map((r) => [r.when ?? 'at once', ...(r.do ?? [])].join(', ')),
            }
          : { words: lookedWords(state), isBroken: false, scans: state.faultsAtOnce === undefined ? state.scans : 0 },
      });
    }
  }
  if (asked.proof) {
    for (const p of await proveAll(project, wanted, asked.left(), pool)) add(p.id, { proof: p });
  }
  return strengths;
}

function asData(all: readonly Done[], several: boolean, totals: Totals): unknown {
  const one = (x: Done) => ({
    project: x.project,
    hash: projectHash(x.document),
    ...(verdictsAsData(x.result, x.strengths) as object),
    ...(x.changes ? { changes: { tried: x.changes.tried, missed: x.changes.missed.map(mutantLine) } } : {}),
    ...(x.reach ? { reach: x.reach.figures } : {}),
  });
  return several ? { projects: all.map(one), totals } : one(all[0]!);
}

function reportOf(x: Done, asked: Asked): string {
  return reportHtml(x.result, {
    project: x.document,
    hash: projectHash(x.document),
    strengths: x.strengths,
    ferrule: version,
    at: Date.now(),
    hasProof: asked.proof,
    ...(x.changes ? { changes: x.changes } : {}),
    ...(x.reach ? { reach: x.reach } : {}),
  });
}

function save(path: string | undefined, text: () => string): void {
  if (path === undefined) return;
  try {
    writeFileSync(path, text());
  } catch (e) {
    throw new UsageError(`${path}: it cannot be written (${(e as NodeJS.ErrnoException).code ?? 'error'}).`);
  }
}

function number(name: string, text: string): number {
  if (!/^\d{1,6}(\.\d+)?$/.test(text))
    throw new UsageError(
      `--${name}: '${text}' is not a number${name === 'search' ? ' of millions of scans' : name === 'within' ? ' of seconds' : ''}.`,
    );
  return Number(text);
}
