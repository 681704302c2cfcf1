/** Renaming everywhere at once: in declarations, logic, machine, checks, plan and scope. */
import { sameName } from '../language/words.js';
import { mendTable } from '../document/check-rows.js';
import type { Project, Tag } from '../document/document.js';
import type { Edit } from '../document/edits/index.js';
import { lex, type Token } from '../language/lexer.js';
import { literally } from '../language/pattern.js';
import type { Span } from '../language/source.js';
import { planProof } from '../verify/play/plan.js';
import type { Compiled } from '../workspace/compile.js';
import { unfinishedRungs } from './uses.js';
import { changeOf } from '../document/edits/texts.js';

/** A name in a text, wherever it stands as a word of its own: not behind a dot, in a comment or in a string. */
export function replaceName(text: string, from: string, to: string, isRung = false): string {
  const { tokens } = lex(text, { rung: isRung });
  // `Mode#Run` is one word; the name is its part in front.
  const isIt = (x: Token, i: number) =>
    x.kind === 'name'
      ? sameName(text.slice(x.start, x.end), from) && text.slice(tokens[i - 1]?.start, tokens[i - 1]?.end) !== '.'
      : x.kind === 'typed' && sameName(text.slice(x.start, x.start + from.length + 1), `${from}#`);
  return tokens.reduceRight(
    (t, x, i) => (isIt(x, i) ? t.slice(0, x.start) + to + t.slice(x.start + from.length) : t),
    text,
  );
}

/** The edits that put one name for another in all types, declarations, texts and rungs. */
function renameInTexts(project: Project, from: string, to: string): Edit[] {
  const edits: Edit[] = [];
  const put = (text: string, edit: (next: string) => Edit, isRung = false) => {
    const next = replaceName(text, from, to, isRung);
    if (next !== text) edits.push(edit(next));
  };
  for (const t of project.types) put(t.text, (text) => ({ kind: 'changeType', id: t.id, to: { text } }));
  for (const t of project.tags) put(t.type, (type) => ({ kind: 'changeTag', id: t.id, to: { type } }));
  for (const p of project.pous) {
    put(p.language === 'ST' ? p.text : (p.variables ?? ''), (text) => changeOf(project, p.id, text));
    if (p.language === 'LD')
      for (const r of p.rungs) put(r.line, (line) => ({ kind: 'changeRung', pou: p.id, id: r.id, to: { line } }), true);
  }
  return edits;
}

const wrongName = (to: string): string | undefined =>
  /^[A-Za-z_]\w*$/.test(to) ? undefined : `‘${to}’ is not a name: letters, digits and underscores, a letter first.`;

/**
 * The edit that gives a program, block or function another name: in its own header, where it is used, in the tasks, on
 * the scope.
 */
export function renamePou(project: Project, id: string, to: string): Edit | { readonly refused: string } {
  const pou = project.pous.find((p) => p.id === id);
  const wrong = wrongName(to);
  if (!pou || wrong) return { refused: wrong ?? 'The program or block is no longer there.' };
  if (project.pous.some((p) => p !== pou && sameName(p.name, to)))
    return { refused: `There is a program or block ‘${to}’ already.` };
  const tasks = project.tasks.filter((t) => t.programs.some((n) => sameName(n, pou.name)));
  const scope = project.scope.map((p) => replaceRoot(p, pou.name, to));
  return {
    kind: 'group',
    label: `Rename ${pou.name} to ${to}`,
    edits: [
      { kind: 'changePou', id, to: { name: to } },
      ...renameInTexts(project, pou.name, to),
      ...tasks.map((t): Edit => ({
        kind: 'changeTask',
        id: t.id,
        to: { programs: t.programs.map((n) => (sameName(n, pou.name) ? to : n)) },
      })),
      ...(scope.some((p, i) => p !== project.scope[i]) ? [{ kind: 'changeScope', paths: scope } as Edit] : []),
    ],
  };
}

/** The edit that gives a type another name, in every declaration that uses it. */
export function renameType(project: Project, id: string, to: string): Edit | { readonly refused: string } {
  const nameOf = (text: string) => /^\s*([A-Za-z_]\w*)/.exec(text)?.[1] ?? '';
  const type = project.types.find((t) => t.id === id);
  const wrong = wrongName(to);
  if (!type || wrong) return { refused: wrong ?? 'The type is no longer there.' };
  if (project.types.some((t) => t !== type && sameName(nameOf(t.text), to)))
    return { refused: `There is a type ‘${to}’ already.` };
  return {
    kind: 'group',
    label: `Rename ${nameOf(type.text)} to ${to}`,
    edits: renameInTexts(project, nameOf(type.text), to),
  };
}

/** The edit that renames a tag in its declaration and at every use: logic, machine wires, checks, rules, scope. */
export function renameTag(project: Project, compiled: Compiled, tag: Tag, to: string): Edit {
  const edits: Edit[] = [{ kind: 'changeTag', id: tag.id, to: { name: to } }];
  const spans = new Map<string, { span: Span; edit: (text: string) => Edit }>();
  const places = new Map<string, Span[]>();
  const note = (key: string, span: Span, edit: (text: string) => Edit) => {
    spans.set(key, { span, edit });
    places.set(key, [...(places.get(key) ?? []), span]);
  };
  for (const r of compiled.program.references) {
    if (r.variable.section !== 'global' || !sameName(r.alias ?? r.variable.name, tag.name)) continue;
    const o = r.at.source.origin;
    if (o.kind === 'rung')
      note(`rung ${o.rungId}`, r.at, (line) => ({ kind: 'changeRung', pou: o.pouId, id: o.rungId, to: { line } }));
    if (o.kind === 'pou') note(`pou ${o.id}`, r.at, (text) => changeOf(project, o.id, text));
  }
  for (const t of project.tags)
    if (t.standsFor && sameName(t.standsFor.split(/[.[]/)[0]!, tag.name))
      edits.push({ kind: 'changeTag', id: t.id, to: { standsFor: replaceRoot(t.standsFor, tag.name, to) } });
  for (const r of unfinishedRungs(project, compiled)) {
    const line = replaceName(r.line, tag.name, to, true);
    if (line !== r.line) edits.push({ kind: 'changeRung', pou: r.pou, id: r.id, to: { line } });
  }
  for (const [key, list] of places) edits.push(spans.get(key)!.edit(replaceSpans(list[0]!.source.text, list, to)));
  for (const d of project.machine.devices) {
    const wires = Object.fromEntries(Object.entries(d.wires ?? {}).map(([k, v]) => [k, replaceRoot(v, tag.name, to)]));
    if (JSON.stringify(wires) !== JSON.stringify(d.wires ?? {}))
      edits.push({ kind: 'changeDevice', id: d.id, to: { wires } });
  }
  const { outside } = project,
    items = outside?.items.map((x) => ({ ...x, path: replaceRoot(x.path, tag.name, to) }));
  if (outside && JSON.stringify(items) !== JSON.stringify(outside.items))
    edits.push({ kind: 'changeOutside', outside: { ...outside, items: items! } });
  const { board } = project;
  if (board?.pins.some((x) => x.point.toLowerCase() === tag.name.toLowerCase()))
    edits.push({
      kind: 'changeBoard',
      board: {
        ...board,
        pins: board.pins.map((x) => (x.point.toLowerCase() === tag.name.toLowerCase() ? { ...x, point: to } : x)),
      },
    });
  edits.push(...renameInProof(project, tag.name, to));
  const { plan } = project;
  if (plan) {
    const put = (text: string) => replaceName(text, tag.name, to);
    const inWhen = <T extends { readonly when?: string }>(x: T): T =>
      x.when === undefined ? x : { ...x, when: put(x.when) };
    const next = {
      ...plan,
      ...(plan.modes ? { modes: plan.modes.map(inWhen) } : {}),
      ...(plan.choices
        ? {
            choices: plan.choices.map((c) => ({
              ...c,
              options: c.options.map(inWhen),
              ...(c.reset !== undefined ? { reset: put(c.reset) } : {}),
              ...(c.locked !== undefined ? { locked: put(c.locked) } : {}),
            })),
          }
        : {}),
      ...(plan.memory ? { memory: plan.memory.map((m) => (sameName(m.name, tag.name) ? { ...m, name: to } : m)) } : {}),
      sequences: plan.sequences.map((s) => ({
        ...s,
        ...(s.run !== undefined ? { run: put(s.run) } : {}),
        ...(s.stepTag !== undefined ? { stepTag: put(s.stepTag) } : {}),
        steps: s.steps.map((x) => ({
          ...x,
          ...(x.on ? { on: x.on.map(put) } : {}),
          ways: x.ways.map(inWhen),
        })),
      })),
    };
    if (JSON.stringify(next) !== JSON.stringify(plan)) edits.push({ kind: 'changePlan', plan: next });
  }
  const { watches = [], keys = [] } = project.bench ?? {};
  const bench = {
    watches: watches.map((w) => ({
      ...w,
      rows: w.rows.map((r) => ({ ...r, path: replaceRoot(r.path, tag.name, to) })),
    })),
    keys: keys.map((k) => ({ ...k, path: replaceRoot(k.path, tag.name, to) })),
  };
  if (JSON.stringify(bench) !== JSON.stringify({ watches, keys })) edits.push({ kind: 'changeBench', to: bench });
  const scope = project.scope.map((p) => replaceRoot(p, tag.name, to));
  if (scope.some((p, i) => p !== project.scope[i])) edits.push({ kind: 'changeScope', paths: scope });
  return { kind: 'group', label: `Rename ${tag.name} to ${to}`, edits };
}

function renameInProof(project: Project, from: string, to: string): Edit[] {
  const edits: Edit[] = [];
  // A sentence's own words are never tags here: only whole words that the front end resolves to this tag are changed.
  const names = new Set(
    planProof(project, 'project')
      .compiled.program.references.filter((r) => r.at.source.origin.kind === 'cell' && sameName(r.variable.name, from))
      .map((r) => {
        const o = r.at.source.origin;
        return o.kind === 'cell' ? `${o.owner} ${o.id} ${o.row}` : '';
      }),
  );
  const word = new RegExp(`(?<![\\w.])${literally(from)}(?!\\w)`, 'gi');
  const isOfTags = (d: string) => /^\s*(set|write|force|release|ramp)\s/i.test(d);
  for (const c of project.checks) {
    const table = mendTable(c, c.rows, word, to, (text, of, i) =>
      of === 'do'
        ? isOfTags(text)
          ? text.replace(word, to)
          : text
        : of === 'expect' || names.has(`check ${c.id} ${i + 1}`)
          ? text.replace(word, to)
          : text,
    );
    if (table) edits.push({ kind: 'changeCheck', id: c.id, to: { table } });
  }
  for (const c of project.checks)
    for (const [i, r] of c.rows.entries()) {
      const changed = {
        ...(r.when && names.has(`check ${c.id} ${i + 1}`) ? { when: r.when.replace(word, to) } : {}),
        ...(r.do ? { do: r.do.map((d) => (isOfTags(d) ? d.replace(word, to) : d)) } : {}),
        ...(r.expect ? { expect: r.expect.map((e) => e.replace(word, to)) } : {}),
      };
      if (Object.entries(changed).some(([k, v]) => JSON.stringify(v) !== JSON.stringify(r[k as keyof typeof r])))
        edits.push({ kind: 'changeRow', check: c.id, id: r.id, to: changed });
    }
  for (const r of project.rules) {
    if (!names.has(`rule ${r.id} 0`)) continue;
    edits.push({ kind: 'changeRule', id: r.id, to: { sentence: r.sentence.replace(word, to) } });
  }
  return edits;
}

function replaceSpans(text: string, spans: readonly Span[], to: string): string {
  const unique = [...new Map(spans.map((s) => [s.start, s])).values()].sort((a, b) => b.start - a.start);
  return unique.reduce((t, s) => t.slice(0, s.start) + to + t.slice(s.end), text);
}

const replaceRoot = (path: string, from: string, to: string): string =>
  sameName(path.split(/[.[]/)[0]!, from) ? to + path.slice(from.length) : path;
