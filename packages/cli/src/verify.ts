import { writeFileSync } from 'node:fs';
import {
  type Strengths,
  diagnosticLine,
  junitXml,
  lookedWords,
  mutantLine,
  planProof,
  projectHash,
  proofLines,
  prove,
  proveRules,
  reachOf,
  reportHtml,
  scanStep,
  stands,
  summaryLine,
} from '@ferrule/core';
import { UsageError, parseOptions, readInput } from './files.js';
import type { Console } from './main.js';
import { searchAll, tryChanges } from './shares.js';

/** `ferrule verify PROJECT`; with `--search` also looks for counterexamples, with `--proof` proves the rules for all inputs, with `--changes` tells what the checks would not notice. */
export async function verify(args: readonly string[], io: Console): Promise<number> {
  const { files, options } = parseOptions(
    args,
    ['only', 'junit', 'report', 'search', 'seed', 'within'],
    ['proof', 'changes'],
  );
  if (options.has('within') && !options.has('search')) throw new UsageError('--within goes with --search.');
  if (files.length > 1) throw new UsageError('verify takes one project.');
  const input = readInput(files[0]!);
  if (input.kind !== 'project')
    throw new UsageError(`${files[0]}: checks and rules live in a project (.ferrule.json).`);
  const { project } = input;
  const plan = planProof(project, input.name);
  if (!plan.image) {
    for (const d of plan.compiled.diagnostics) io.out(`${diagnosticLine(d)}\n`);
    io.out(`${summaryLine(plan.compiled.diagnostics)}\n`);
    return 1;
  }
  for (const d of plan.diagnostics) io.error(`${diagnosticLine(d)}\n`);
  const only = options.get('only');
  if (only && ![...project.checks, ...project.rules].some((x) => x.name.toLowerCase() === only.toLowerCase()))
    throw new UsageError(`there is no check or rule '${only}'.`);
  const stepNs = scanStep(plan.image);
  const { result: all, ...reach } = options.has('report') ? reachOf(plan, stepNs) : { result: undefined };
  const result = all && !only ? all : prove(plan, { stepNs, ...(only ? { only } : {}) });
  const wanted = result.rules.map((r) => r.id),
    strengths = new Map<string, Strengths>(wanted.map((id) => [id, {}]));
  const add = (id: string, s: Strengths) => strengths.set(id, { ...strengths.get(id), ...s });
  if (options.has('search')) {
    const within = options.has('within') ? number('within', options.get('within')!) : Infinity;
    const state = await searchAll(
      project,
      {
        seed: number('seed', options.get('seed') ?? '1'),
        upsets: true,
        scans: number('search', options.get('search')!) * 1e6,
        only: wanted,
      },
      within * 1000,
    );
    for (const id of wanted) {
      const hit = state.found.find((f) => f.ruleId === id);
      add(id, {
        search: hit
          ? {
              words: `a search broke it at scan ${hit.scan}: ${hit.seen}`,
              isBroken: true,
              rows: hit.rows.map((r) => [r.when ?? 'at once', ...(r.do ?? [])].join(', ')),
            }
          : { words: lookedWords(state), isBroken: false },
      });
    }
  }
  if (options.has('proof')) {
    const { loadSolver } = await import('@ferrule/core/solver');
    const solver = await loadSolver();
    try {
      for (const p of (await proveRules(project, plan, { stepNs, solver, only: wanted })).rules)
        add(p.id, { proof: p });
    } finally {
      await solver.close();
    }
  }
  const changes = options.has('changes') ? await tryChanges(project) : undefined;
  for (const m of changes?.missed ?? []) io.out(`not noticed: ${mutantLine(m)}\n`);
  if (changes) io.out(`${changes.tried - changes.missed.length} of ${changes.tried} changes noticed\n`);
  for (const line of proofLines(result, strengths)) io.out(`${line}\n`);
  const save = (name: string, text: string) => {
    const path = options.get(name);
    if (!path) return;
    try {
      writeFileSync(path, text);
    } catch (e) {
      throw new UsageError(`${path}: it cannot be written (${(e as NodeJS.ErrnoException).code ?? 'error'}).`);
    }
  };
  save('junit', junitXml(result, project.name, strengths));
  if (options.has('report'))
    save(
      'report',
      reportHtml(result, {
        project,
        hash: projectHash(project),
        strengths,
        hasProof: options.has('proof'),
        ...(changes ? { changes } : {}),
        ...('figures' in reach ? { reach } : {}),
      }),
    );
  return result.checks.every((c) => c.ok) && result.rules.every((r) => stands(r, strengths.get(r.id))) ? 0 : 1;
}

function number(name: string, text: string): number {
  if (!/^\d{1,6}(\.\d+)?$/.test(text))
    throw new UsageError(
      `--${name}: '${text}' is not a number${name === 'search' ? ' of millions of scans' : name === 'within' ? ' of seconds' : ''}.`,
    );
  return Number(text);
}
