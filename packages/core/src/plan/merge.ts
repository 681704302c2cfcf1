/** Made again after the plan changed: what is new, what changes by itself, and what somebody has edited since. */
import type { CheckRow, Project, ProjectPou, SequenceCheck } from '../document/document.js';
import type { Edit } from '../document/edits/index.js';
import { type MadePart, partsOf } from './generate.js';

export interface PlannedChange {
  readonly id: string;
  /** `Rung 3 of Cell`, `Tag Step`. */
  readonly what: string;
  readonly kind: 'new' | 'changed' | 'gone' | 'edited' | 'instead';
  readonly before?: string;
  readonly after?: string;
  readonly edits: readonly Edit[];
  /** What is remembered of parts within it, by their ids. */ readonly also?: Readonly<Record<string, string>>;
  /** A program that is new, to be run by the first task. */ readonly program?: string;
  /** What is remembered of it when it is taken. */
  readonly made?: string;
}

const textOf = (p: MadePart): string => {
  switch (p.kind) {
    case 'tag':
      return `${p.tag.name} : ${p.tag.type}${p.tag.address ? ` AT ${p.tag.address}` : ''}`;
    case 'type':
      return p.text;
    case 'program':
      return p.text ?? p.name;
    case 'rung':
      return p.rung.line;
    case 'check':
      return JSON.stringify(p.check.rows.map(({ id: _, ...r }) => r));
  }
};

/** Rows of a check to be read, one a line. */
const rowsText = (rows: readonly CheckRow[]): string =>
  rows
    .map((r) =>
      [r.when, r.do?.join('; '), r.expect?.length ? `expect ${r.expect.join('; ')}` : undefined]
        .filter(Boolean)
        .join(' → '),
    )
    .join('\n');

/**
 * What making the parts of the plan would change. `new` and `changed` are safe; `edited` was changed by hand since it
 * was made, and taking it would put the plan's version in its place; `gone` is no longer in the plan and was not
 * touched.
 */
export function planChanges(
  project: Project,
  what: { readonly logic?: 'LD' | 'ST'; readonly checks?: readonly SequenceCheck[] },
): readonly PlannedChange[] {
  const made = project.plan?.made ?? {};
  const parts = partsOf(project, what.logic ?? 'LD', what.checks).filter(
    (p) => p.kind === 'check' || what.logic !== undefined,
  );
  const changes: PlannedChange[] = [];
  const add = (p: MadePart, words: string, now: string | undefined, edits: (isThere: boolean) => readonly Edit[]) => {
    const next = textOf(p),
      last = made[p.id];
    if (now === undefined) {
      changes.push({ id: p.id, what: words, kind: 'new', after: next, edits: edits(false), made: next });
      return;
    }
    if (now === next) return;
    changes.push({
      id: p.id,
      what: words,
      kind: last === undefined || now !== last ? 'edited' : 'changed',
      before: now,
      after: next,
      edits: edits(true),
      made: next,
    });
  };
  const programs = new Map(parts.flatMap((p) => (p.kind === 'program' ? [[p.id, p] as const] : [])));
  let at = project.pous.length;
  const rungAt = new Map<string, number>();
  /** Programs that would come in the other language, with all their rungs. */
  const inPlace = new Set<string>();
  for (const p of parts) {
    switch (p.kind) {
      case 'tag':
        add(p, `Tag ${p.tag.name}`, undefined, () => [{ kind: 'addTag', tag: p.tag }]);
        break;
      case 'type': {
        const there = project.types.find((t) => t.id === p.id);
        const same = (a: string) =>
          a
            .replace(/\s+/g, ' ')
            .replace(/\s*;\s*$/, '')
            .trim();
        if (there && same(there.text) === same(p.text)) break;
        add(p, `Type ${/^\w+/.exec(p.text)?.[0] ?? ''}`, there?.text, (isThere) => [
          isThere
            ? { kind: 'changeType', id: p.id, to: { text: p.text } }
            : {
                kind: 'addType',
                type: { id: p.id, text: p.text },
                at: project.types.length + changes.filter((c) => c.what.startsWith('Type ')).length,
              },
        ]);
        break;
      }
      case 'program': {
        const there = project.pous.find((x) => x.id === p.id);
        if (!there) {
          const taken = project.pous.some((x) => x.name.toLowerCase() === p.name.toLowerCase());
          const name = taken ? `${p.name}Plan` : p.name;
          const pou =
            p.language === 'ST'
              ? {
                  id: p.id,
                  name,
                  language: 'ST' as const,
                  kind: 'program' as const,
                  text: p.text!.replace(/^PROGRAM \w+/, `PROGRAM ${name}`),
                }
              : { id: p.id, name, language: 'LD' as const, kind: 'program' as const, rungs: [] };
          changes.push({
            id: p.id,
            what: `Program ${name}`,
            kind: 'new',
            edits: [{ kind: 'addPou', pou, at: at++ }],
            program: name,
            made: p.language === 'ST' ? pou.text! : name,
            ...(p.language === 'ST' ? { after: p.text! } : {}),
          });
        } else if (p.language !== there.language) {
          // The same in the other language: to be looked at, and to stand in its place where somebody says so.
          const rungs = parts.flatMap((x) => (x.kind === 'rung' && x.pou === p.id ? [x.rung] : [])),
            own = { id: p.id, name: there.name, kind: 'program' as const },
            pou: ProjectPou =
              p.language === 'ST'
                ? { ...own, language: 'ST', text: p.text!.replace(/^PROGRAM \w+/, `PROGRAM ${there.name}`) }
                : { ...own, language: 'LD', rungs };
          inPlace.add(p.id);
          changes.push({
            id: p.id,
            what: `${there.name} as ${p.language === 'ST' ? 'structured text in place of its ladder' : 'ladder in place of its text'}`,
            kind: 'instead',
            after: pou.language === 'ST' ? pou.text : rungs.map((r) => r.line).join('\n'),
            edits: [
              { kind: 'removePou', id: p.id },
              { kind: 'addPou', pou, at: project.pous.indexOf(there) },
            ],
            made: pou.language === 'ST' ? pou.text : pou.name,
            also: Object.fromEntries(rungs.map((r) => [r.id, r.line])),
          });
        } else if (p.language === 'ST' && there.language === 'ST') {
          const text = p.text!.replace(/^PROGRAM \w+/, `PROGRAM ${there.name}`);
          if (text !== there.text)
            changes.push({
              id: p.id,
              what: `Text of ${there.name}`,
              kind: made[p.id] === there.text ? 'changed' : 'edited',
              before: there.text,
              after: text,
              edits: [{ kind: 'changeText', pou: p.id, text }],
              made: text,
            });
        }
        break;
      }
      case 'rung': {
        if (inPlace.has(p.pou)) break;
        const pou = project.pous.find((x) => x.id === p.pou),
          there = pou?.language === 'LD' ? pou.rungs.find((r) => r.id === p.id) : undefined;
        const k = rungAt.get(p.pou) ?? 0;
        rungAt.set(p.pou, k + 1);
        add(
          p,
          `Rung of ${programs.get(p.pou)?.name ?? ''}${p.rung.comment ? `: ${p.rung.comment}` : ''}`,
          there?.line,
          (isThere) => [
            isThere
              ? { kind: 'changeRung', pou: p.pou, id: p.id, to: { line: p.rung.line } }
              : { kind: 'addRung', pou: p.pou, rung: p.rung, at: k },
          ],
        );
        break;
      }
      case 'check': {
        const there = project.checks.find((c) => c.id === p.id),
          before = changes.length;
        add(p, `Check ${p.check.name}`, there && JSON.stringify(there.rows.map(({ id: _, ...r }) => r)), (isThere) => [
          isThere
            ? { kind: 'changeCheck', id: p.id, to: { rows: p.check.rows, name: p.check.name } }
            : {
                kind: 'addCheck',
                check: p.check,
                at: project.checks.length + changes.filter((c) => c.what.startsWith('Check ')).length,
              },
        ]);
        // Compared as data, shown as sentences.
        const last = changes[before];
        if (last)
          changes[before] = {
            ...last,
            after: rowsText(p.check.rows),
            ...(there ? { before: rowsText(there.rows) } : {}),
          };
      }
    }
  }
  // Rungs made from steps that are no longer in the plan.
  const wanted = new Set(parts.map((p) => p.id));
  if (what.logic === 'LD')
    for (const pou of project.pous)
      if (pou.language === 'LD' && programs.has(pou.id))
        for (const r of pou.rungs) {
          if (!r.id.startsWith('plan-') || wanted.has(r.id)) continue;
          changes.push({
            id: r.id,
            what: `Rung of ${pou.name}, no longer in the plan`,
            kind: made[r.id] === r.line ? 'gone' : 'edited',
            before: r.line,
            edits: [{ kind: 'removeRung', pou: pou.id, id: r.id }],
          });
        }
  return changes;
}

/** The chosen changes as one edit, which also remembers what was made. */
export function takeChanges(project: Project, chosen: readonly PlannedChange[]): Edit {
  const made = { ...project.plan?.made };
  for (const c of chosen) {
    if (c.made !== undefined) made[c.id] = c.made;
    else delete made[c.id];
    Object.assign(made, c.also);
  }
  return {
    kind: 'group',
    label: 'Make parts from the plan',
    edits: [
      ...chosen.flatMap((c) => c.edits),
      ...runBy(
        project,
        chosen.flatMap((c) => c.program ?? []),
      ),
      { kind: 'changePlan', plan: { ...project.plan!, made } },
    ],
  };
}

/** New programs go into the first task; the empty program that a new project begins with makes way for them. */
function runBy(project: Project, programs: readonly string[]): readonly Edit[] {
  const task = project.tasks[0];
  if (!programs.length) return [];
  const empty = project.pous.find(
    (p) => p.name === 'Main' && p.kind === 'program' && p.language === 'LD' && !p.rungs.length && !p.variables?.trim(),
  );
  const gone = empty?.name.toLowerCase();
  return [
    ...project.tasks.flatMap((t): Edit[] => {
      const kept = t.programs.filter((n) => n.toLowerCase() !== gone),
        now = t === task ? [...kept, ...programs] : kept;
      return now.join() === t.programs.join() ? [] : [{ kind: 'changeTask', id: t.id, to: { programs: now } }];
    }),
    ...(empty ? [{ kind: 'removePou' as const, id: empty.id }] : []),
  ];
}
