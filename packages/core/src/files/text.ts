/**
 * IEC 61131-3 text in and out (clause 6): types, tags, programs, blocks and tasks. What has no place on the other side
 * is listed, never dropped silently.
 */
import { many } from '../language/words.js';
import { literally } from '../language/pattern.js';
import { Problems } from '../language/diagnostic.js';
import { type Token, lex } from '../language/lexer.js';
import { parseFile } from '../language/parser.js';
import { makeSource } from '../language/source.js';
import type { Configuration } from '../language/tree.js';
import { rungToText } from '../ladder/convert.js';
import type { Element } from '../ladder/rung.js';
import type { Compiled } from '../workspace/compile.js';
import {
  type Project,
  type ProjectPou,
  type ProjectTask,
  type Tag,
  emptyProject,
  tagText,
} from '../document/document.js';
import { type Edit, applyEdit } from '../document/edits/index.js';
import { type Type, isBool } from '../types/type.js';

export interface TextOut {
  readonly text: string;
  /** What is not in the text, one sentence each. */ readonly left: readonly string[];
}

/** The pins power goes through where a rung does not name them: the first BOOL input and output. */
export function powerPins(
  compiled: Compiled,
  pou?: string,
): (e: Element & { readonly kind: 'call' }) => { inPin: string; outPin: string } | undefined {
  const types = new Map<string, Type>();
  for (const v of compiled.program.globals) types.set(v.name.toLowerCase(), v.type);
  for (const p of compiled.program.pous)
    if (p.name.toLowerCase() === pou?.toLowerCase())
      for (const v of p.variables) types.set(v.name.toLowerCase(), v.type);
  return (e) => {
    const t = types.get(e.name.toLowerCase());
    if (t?.kind !== 'block') return undefined;
    const first = (section: string) => t.layout.members.find((m) => m.section === section && isBool(m.type))?.name;
    return { inPin: first('input') ?? '', outPin: first('output') ?? '' };
  };
}

export function projectToText(project: Project, compiled: Compiled): TextOut {
  const left: string[] = [];
  const parts: string[] = [];
  if (project.types.length)
    parts.push(`TYPE\n${project.types.map((t) => `  ${t.text.trim().replace(/;?$/, ';')}`).join('\n')}\nEND_TYPE\n`);
  const groups: readonly (readonly [string, (t: Tag) => boolean])[] = [
    ['VAR_GLOBAL', (t) => !t.constant && !t.retain],
    ['VAR_GLOBAL RETAIN', (t) => !t.constant && !!t.retain],
    ['VAR_GLOBAL CONSTANT', (t) => !!t.constant],
  ];
  for (const [head, fits] of groups) {
    const tags = project.tags.filter((t) => !t.standsFor && fits(t));
    if (tags.length)
      parts.push(
        `${head}\n${tags.map((t) => `  ${tagText(t)}${t.description ? ` // ${t.description.replace(/\s+/g, ' ')}` : ''}\n`).join('')}END_VAR\n`,
      );
  }
  for (const p of project.pous)
    parts.push(p.language === 'ST' ? `${standardDurations(p.text.trim())}\n` : ladderText(p, compiled, left));
  if (project.tasks.length) {
    const tasks = project.tasks
      .map(
        (t) =>
          `    TASK ${t.name} (${t.event ? `SINGLE := ${t.event}` : `INTERVAL := ${standardDurations(t.interval)}`}, PRIORITY := ${t.priority});\n${t.programs.map((n) => `    PROGRAM ${n}Run WITH ${t.name} : ${n};\n`).join('')}`,
      )
      .join('');
    parts.push(
      `CONFIGURATION ${project.name.replace(/\W+/g, '') || 'Project'}\n  RESOURCE Controller ON Any\n${tasks}  END_RESOURCE\nEND_CONFIGURATION\n`,
    );
  }
  if (project.machine.devices.length)
    left.push(`The machine with its ${many(project.machine.devices.length, 'device')}: text has no place for it.`);
  if (project.checks.length + project.rules.length)
    left.push(
      `${many(project.checks.length, 'check')} and ${many(project.rules.length, 'rule')}: text has no place for them.`,
    );
  for (const t of project.tags)
    if (t.standsFor)
      left.push(`Tag ${t.name}: it stands for ${t.standsFor}, and text has no second names; write that there.`);
  const facts = project.tags.filter(
    (t) => t.wiring || t.unit || t.range || t.valueNames || t.access || t.stop || t.modbus,
  ).length;
  if (facts)
    left.push(
      `Wiring, unit, range, value names, access, value at stop or Modbus number of ${many(facts, 'tag')}: CSV carries them.`,
    );
  return { text: parts.join('\n'), left };
}

function ladderText(p: ProjectPou & { readonly language: 'LD' }, compiled: Compiled, left: string[]): string {
  const block = powerPins(compiled, p.name);
  const word = p.kind === 'functionBlock' ? 'FUNCTION_BLOCK' : 'PROGRAM';
  let kept = 0;
  const temporary = () => `RungPower${++kept}`;
  const body = p.rungs.map((r, i) => {
    const comments = [
      ...(r.heading ? [`// ## ${r.heading}`] : []),
      ...(r.comment ? r.comment.split('\n').map((l) => `// ${l}`) : []),
    ];
    const t = rungToText(r.line, { block, temporary });
    if ('refused' in t) left.push(`${p.name} rung ${i + 1}: ${t.refused} It stands in the text as a comment.`);
    return [...comments, 'refused' in t ? `// not carried over: ${r.line}` : standardDurations(t.text)].join('\n');
  });
  const own = kept
    ? `VAR\n${Array.from({ length: kept }, (_, i) => `  RungPower${i + 1} : BOOL; // the power of a rung with several outputs\n`).join('')}END_VAR\n`
    : '';
  return `${word} ${p.name}\n${p.variables ? `${standardDurations(p.variables.trim())}\n` : ''}${own}${body.join('\n\n')}\nEND_${word}\n`;
}

/** `300 ms` is a word of ours; the standard writes T#300ms. Strings and comments stay. */
export const standardDurations = (text: string): string =>
  text.replace(
    /'(?:\$[\s\S]|[^'$])*'|"(?:\$[\s\S]|[^"$])*"|\(\*[\s\S]*?\*\)|\/\/[^\n]*|(?<![\w#.])(\d+(?:\.\d+)?)\s*(ms|s|min|h|d|us|ns)\b/gi,
    (all: string, n?: string, unit?: string) =>
      n && unit ? `T#${n}${unit.toLowerCase() === 'min' ? 'm' : unit}` : all,
  );

export interface TextIn {
  readonly edit: Edit | undefined;
  /** What comes in, one line each. */
  readonly taken: readonly string[];
  /** What does not, and why. */
  readonly left: readonly string[];
  /** Errors the text has by itself; it is taken with them. */
  readonly problems: readonly string[];
}

const BLOCKS: Readonly<Record<string, ProjectPou['kind']>> = {
  PROGRAM: 'program',
  FUNCTION: 'function',
  FUNCTION_BLOCK: 'functionBlock',
  CLASS: 'functionBlock',
  INTERFACE: 'functionBlock',
  NAMESPACE: 'functionBlock',
};

/**
 * Reads a text into edits of the project: each program or block becomes one of its own, with its text as it is, errors
 * and all.
 */
export function readText(text: string, project: Project, newId: (prefix: string) => string): TextIn {
  const taken: string[] = [],
    left: string[] = [],
    edits: Edit[] = [];
  const clean = text.replace(/^\ufeff/, '');
  const named = new Set(project.tags.map((t) => t.name.toLowerCase()));
  let at = project.pous.length,
    types = project.types.length;
  for (const chunk of chunksOf(clean)) {
    if (chunk.word in BLOCKS) {
      const kind = BLOCKS[chunk.word]!;
      const name = chunk.name || `Imported${at + 1}`;
      const old = project.pous.find((p) => p.name.toLowerCase() === name.toLowerCase());
      if (old?.language === 'LD') {
        left.push(`${chunk.word} ${name}: there is a ladder of that name; rename one of them first.`);
        continue;
      }
      if (old) {
        edits.push({ kind: 'changeText', pou: old.id, text: chunk.text });
        taken.push(`${chunk.word} ${name}: replaces the text that is there`);
        continue;
      }
      edits.push({ kind: 'addPou', pou: { id: newId('p'), name, language: 'ST', kind, text: chunk.text }, at: at++ });
      taken.push(`${chunk.word} ${name}`);
    } else if (chunk.word === 'TYPE') {
      for (const t of typesOf(chunk.text)) {
        const name = /^\s*(\w+)/.exec(t)?.[1] ?? '';
        const old = project.types.find((x) => new RegExp(`^\\s*${literally(name)}\\b`, 'i').test(x.text));
        edits.push(
          old
            ? { kind: 'changeType', id: old.id, to: { text: t } }
            : { kind: 'addType', type: { id: newId('y'), text: t }, at: types++ },
        );
        taken.push(`Type ${name}${old ? ': replaces the one that is there' : ''}`);
      }
    } else if (chunk.word === 'VAR_GLOBAL') readGlobals(chunk.text, newId, named, edits, taken, left);
    else if (chunk.word === 'CONFIGURATION') readConfiguration(chunk.text, project, newId, named, edits, taken, left);
    else left.push(`${chunk.text.slice(0, 60).replace(/\s+/g, ' ')} …: ${chunk.word} has no place in a project.`);
  }
  const problems = new Problems();
  parseFile(makeSource('', clean), problems);
  const lines = problems.list
    .filter((d) => d.severity === 'error')
    .map((d) => `Line ${clean.slice(0, d.at.start).split('\n').length}: ${d.message}`);
  return {
    edit: edits.length ? { kind: 'group', label: 'Text taken in', edits } : undefined,
    taken,
    left,
    problems: lines,
  };
}

export interface TextProject {
  /** Undefined where the text holds nothing that a project could. */ readonly project: Project | undefined;
  readonly left: readonly string[];
  readonly problems: readonly string[];
}
/**
 * A new project of a text: its programs, blocks, types and variables; programs that no task of the text runs are in one
 * of 10 ms.
 */
export function projectFromText(text: string, name: string, newId: (prefix: string) => string): TextProject {
  const base: Project = { ...emptyProject(name), pous: [], tasks: [] },
    { edit, left, problems } = readText(text, base, newId),
    done = edit && applyEdit(base, edit);
  if (!done || !('project' in done))
    return {
      project: undefined,
      left: done ? [done.refused] : left.length ? left : ['There is no program, block, type or variable in this text.'],
      problems,
    };
  const { project } = done,
    isRun = (program: string) =>
      project.tasks.some((t) => t.programs.some((p) => p.toLowerCase() === program.toLowerCase())),
    free = project.pous.filter((p) => p.kind === 'program' && !isRun(p.name)).map((p) => p.name);
  const tasks =
    free.length || !project.tasks.length
      ? [
          ...project.tasks,
          {
            id: newId('t'),
            name: project.tasks.length ? 'Rest' : 'Main',
            interval: '10 ms',
            priority: 1,
            programs: free,
          },
        ]
      : project.tasks;
  return { project: { ...project, tasks }, left, problems };
}

interface Chunk {
  readonly word: string;
  readonly name: string;
  readonly text: string;
}
const CHUNKS = new Set([...Object.keys(BLOCKS), 'TYPE', 'VAR_GLOBAL', 'CONFIGURATION', 'USING']);

/** The declarations of a text, each with the comments above it. A missing END goes on to the next beginning. */
function chunksOf(text: string): Chunk[] {
  const { tokens } = lex(text);
  const wordOf = (t: Token | undefined) => (t?.kind === 'name' ? text.slice(t.start, t.end).toUpperCase() : '');
  const chunks: Chunk[] = [];
  let from = 0,
    i = 0;
  while (i < tokens.length && tokens[i]!.kind !== 'end') {
    const word = wordOf(tokens[i]);
    const start = i;
    const closer = word === 'VAR_GLOBAL' ? 'END_VAR' : word === 'USING' ? ';' : `END_${word}`;
    if (!CHUNKS.has(word)) {
      while (i < tokens.length && tokens[i]!.kind !== 'end' && !CHUNKS.has(wordOf(tokens[i]))) i++;
    } else {
      i++;
      const ends = (t: Token) => (closer === ';' ? text.slice(t.start, t.end) === ';' : wordOf(t) === closer);
      const stops = (t: Token) =>
        CHUNKS.has(wordOf(t)) &&
        !['NAMESPACE', 'CONFIGURATION', 'INTERFACE', 'CLASS'].includes(word) &&
        !(word === 'TYPE' || word === 'VAR_GLOBAL');
      while (tokens[i]!.kind !== 'end' && !ends(tokens[i]!) && !stops(tokens[i]!)) i++;
      if (ends(tokens[i]!)) i++;
      if (tokens[i] && text.slice(tokens[i]!.start, tokens[i]!.end) === ';') i++;
    }
    const end = tokens[i - 1]!.end;
    const after = /^[^\S\n]*\/\/[^\n]*/.exec(text.slice(end))?.[0].length ?? 0;
    const name = tokens
      .slice(start + 1, i)
      .find((t) => t.kind === 'name' && !/^(ABSTRACT|FINAL|INTERNAL)$/.test(wordOf(t)));
    chunks.push({
      word: CHUNKS.has(word) ? word : 'This',
      name: name ? text.slice(name.start, name.end) : '',
      text: `${text.slice(from, end + after).trim()}\n`,
    });
    from = end + after;
  }
  return chunks;
}

/** The inside of a section cut at its semicolons, structures whole. */
function declarationsIn(
  text: string,
  first: number,
  last: number,
): { readonly tokens: Token[]; readonly after: string }[] {
  const { tokens } = lex(text);
  const inner = tokens.slice(first, last);
  const list: { tokens: Token[]; after: string }[] = [];
  let now: Token[] = [],
    depth = 0;
  for (const t of inner) {
    const w = text.slice(t.start, t.end).toUpperCase();
    if (w === 'STRUCT' || w === '(') depth++;
    if (w === 'END_STRUCT' || w === ')') depth--;
    if (w === ';' && depth === 0) {
      list.push({
        tokens: now,
        after: /^[^\S\n]*(?:\/\/([^\n]*)|\(\*(.*?)\*\))/.exec(text.slice(t.end))?.slice(1).find(Boolean)?.trim() ?? '',
      });
      now = [];
    } else now.push(t);
  }
  return list;
}

function typesOf(text: string): string[] {
  const { tokens } = lex(text);
  const at = (w: string) => tokens.findIndex((t) => text.slice(t.start, t.end).toUpperCase() === w);
  const end = at('END_TYPE');
  return declarationsIn(text, at('TYPE') + 1, end < 0 ? tokens.length - 1 : end)
    .filter((d) => d.tokens.length)
    .map((d) => `${text.slice(d.tokens[0]!.start, d.tokens.at(-1)!.end)};`);
}

function readGlobals(
  text: string,
  newId: (prefix: string) => string,
  named: Set<string>,
  edits: Edit[],
  taken: string[],
  left: string[],
): void {
  const { tokens } = lex(text);
  const raw = (t: Token | undefined) => (t ? text.slice(t.start, t.end) : '');
  let first = tokens.findIndex((t) => raw(t).toUpperCase() === 'VAR_GLOBAL') + 1;
  let retain = false,
    constant = false;
  for (; /^(RETAIN|CONSTANT|NON_RETAIN)$/i.test(raw(tokens[first])); first++) {
    retain ||= /^RETAIN$/i.test(raw(tokens[first]));
    constant ||= /^CONSTANT$/i.test(raw(tokens[first]));
  }
  const end = tokens.findIndex((t, i) => i >= first && raw(t).toUpperCase() === 'END_VAR');
  for (const { tokens: list, after } of declarationsIn(text, first, end < 0 ? tokens.length - 1 : end)) {
    const colon = list.findIndex((t) => raw(t) === ':');
    const assign = list.findIndex((t) => raw(t) === ':=');
    if (colon < 1) {
      if (list.length) left.push(`${text.slice(list[0]!.start, list.at(-1)!.end)}: this is not a declaration.`);
      continue;
    }
    const atWord = list.findIndex((t, i) => i < colon && /^AT$/i.test(raw(t)));
    const typeEnd = assign > colon ? list[assign - 1]! : list.at(-1)!;
    const names = list
      .slice(0, atWord > 0 ? atWord : colon)
      .filter((t) => t.kind === 'name')
      .map(raw);
    for (const name of names) {
      if (named.has(name.toLowerCase())) {
        left.push(`Tag ${name}: there is a tag of that name already; it stays as it is.`);
        continue;
      }
      named.add(name.toLowerCase());
      const tag: Tag = {
        id: newId('t'),
        name,
        type: list[colon + 1] ? text.slice(list[colon + 1]!.start, typeEnd.end) : 'BOOL',
        ...(atWord > 0 ? { address: raw(list[atWord + 1]) } : {}),
        ...(assign > colon && list[assign + 1]
          ? { initial: text.slice(list[assign + 1]!.start, list.at(-1)!.end) }
          : {}),
        ...(after ? { description: after } : {}),
        ...(retain ? { retain: true } : {}),
        ...(constant ? { constant: true } : {}),
      };
      edits.push({ kind: 'addTag', tag });
      taken.push(`Tag ${name}`);
    }
  }
}

function readConfiguration(
  text: string,
  project: Project,
  newId: (prefix: string) => string,
  named: Set<string>,
  edits: Edit[],
  taken: string[],
  left: string[],
): void {
  const c = parseFile(makeSource('', text), new Problems()).find((d): d is Configuration => d.kind === 'configuration');
  if (!c) {
    left.push('The configuration cannot be read.');
    return;
  }
  for (const g of text.match(/VAR_GLOBAL[\s\S]*?END_VAR/gi) ?? []) readGlobals(g, newId, named, edits, taken, left);
  let at = project.tasks.length;
  for (const t of c.tasks) {
    const programs = c.instances
      .filter((i) => i.task?.text.toLowerCase() === t.name.text.toLowerCase())
      .map((i) => i.program.text);
    const old = project.tasks.find((x) => x.name.toLowerCase() === t.name.text.toLowerCase());
    const interval = t.interval ? t.interval.at.source.text.slice(t.interval.at.start, t.interval.at.end) : '10 ms';
    const priority =
      t.priority?.kind === 'literal' && t.priority.literal.type === 'int' ? Number(t.priority.literal.value) : 1;
    const event = t.single ? t.single.at.source.text.slice(t.single.at.start, t.single.at.end) : undefined;
    const task: Omit<ProjectTask, 'id'> = {
      name: t.name.text,
      interval,
      ...(event ? { event } : {}),
      priority,
      programs,
    };
    edits.push(
      old
        ? {
            kind: 'changeTask',
            id: old.id,
            to: {
              interval,
              ...(event ? { event } : {}),
              priority,
              programs: [...new Set([...old.programs, ...programs])],
            },
          }
        : { kind: 'addTask', task: { id: newId('k'), ...task }, at: at++ },
    );
    taken.push(`Task ${t.name.text}`);
  }
  for (const i of c.instances)
    for (const b of i.blocks)
      left.push(
        `${b.block.text} WITH ${b.task.text}: put ${b.block.text} into a program of its own in the task ${b.task.text}.`,
      );
  if (c.config.length) left.push('VAR_CONFIG: give the addresses to tags.');
  if (c.access.length) left.push('VAR_ACCESS: set the access at the tags.');
}
