/**
 * Finding in the logic itself, and replacing what is found: rungs with their comments and headings, texts, own
 * variables.
 */
import { literally } from '../language/pattern.js';
import type { Project, ProjectPou } from '../document/document.js';
import type { Edit } from '../document/edits/index.js';
import { textChange } from '../document/edits/texts.js';

export interface Wanted {
  readonly text: string;
  /** Capital and small letters are told apart. */ readonly matchCase?: boolean;
  /** Only where no letter, digit or underscore stands beside it. */ readonly whole?: boolean;
  /** Only in this program or block. */ readonly pou?: string;
}

/** One place where it stands. */
export interface Match {
  readonly pou: string;
  readonly pouName: string;
  /** The rung, where it is one; its number counts from 1. */ readonly rung?: {
    readonly id: string;
    readonly number: number;
  };
  readonly part: 'line' | 'comment' | 'heading' | 'text' | 'variables';
  readonly start: number;
  readonly end: number;
}

/** Every place, in the order of the programs, their rungs and lines. Nothing for an empty text. */
export function matchesIn(project: Project, wanted: Wanted): readonly Match[] {
  if (!wanted.text) return [];
  const pattern = patternOf(wanted);
  const all: Match[] = [];
  const look = (p: ProjectPou, part: Match['part'], text: string | undefined, rung?: Match['rung']) => {
    for (const m of (text ?? '').matchAll(pattern))
      all.push({
        pou: p.id,
        pouName: p.name,
        part,
        start: m.index,
        end: m.index + m[0].length,
        ...(rung ? { rung } : {}),
      });
  };
  for (const p of project.pous) {
    if (wanted.pou !== undefined && p.id !== wanted.pou) continue;
    if (p.language === 'ST') {
      look(p, 'text', p.text);
      continue;
    }
    look(p, 'variables', p.variables);
    p.rungs.forEach((r, i) => {
      const rung = { id: r.id, number: i + 1 };
      look(p, 'heading', r.heading, rung);
      look(p, 'comment', r.comment, rung);
      look(p, 'line', r.line, rung);
    });
  }
  return all;
}

function patternOf({ text, matchCase, whole }: Wanted): RegExp {
  const body = literally(text);
  return new RegExp(whole ? `(?<!\\w)${body}(?!\\w)` : body, matchCase ? 'g' : 'gi');
}

/** A text in which something is replaced: as it is and as it would be. */
export interface Replacement {
  /** Names the line as it is: another one when it is changed elsewhere. */ readonly key: string;
  /** `Cell rung 3`, `Main line 12`. */ readonly where: string;
  readonly matches: readonly Match[];
  readonly before: string;
  readonly after: string;
}

/** What replacing these would make of each line or rung; lines without a match are not among them. */
export function replacements(project: Project, matches: readonly Match[], to: string): readonly Replacement[] {
  const byLine = new Map<string, { text: string; from: number; where: string; matches: Match[] }>();
  for (const m of matches) {
    const text = textOf(project, m);
    if (text === undefined) continue;
    // A text is shown line by line, everything else whole.
    const from = m.rung ? 0 : text.lastIndexOf('\n', m.start - 1) + 1,
      end = m.rung ? text.length : text.indexOf('\n', m.end) < 0 ? text.length : text.indexOf('\n', m.end);
    const key = `${m.pou} ${m.rung?.id ?? ''} ${m.part} ${from}`,
      line = m.rung ? undefined : text.slice(0, m.start).split('\n').length;
    const where = m.rung
      ? `${m.pouName} rung ${m.rung.number}${m.part === 'line' ? '' : `, ${m.part}`}`
      : `${m.pouName}${m.part === 'variables' ? ', own variables' : ''} line ${line}`;
    const known = byLine.get(key);
    if (known) known.matches.push(m);
    else byLine.set(key, { text: text.slice(from, end), from, where, matches: [m] });
  }
  return [...byLine].map(([key, l]) => ({
    key: `${key} ${l.text}`,
    where: l.where,
    matches: l.matches,
    before: l.text,
    after: put(l.text, l.matches, to, l.from),
  }));
}

/** The edit that replaces them, all as one; undefined where there are none. Matches are those of this very project. */
export function replaceEdit(project: Project, matches: readonly Match[], to: string): Edit | undefined {
  const byText = new Map<string, Match[]>();
  for (const m of matches) {
    const key = `${m.pou} ${m.rung?.id ?? ''} ${m.part}`;
    byText.set(key, [...(byText.get(key) ?? []), m]);
  }
  const edits = [...byText.values()].flatMap((of): Edit[] => {
    const [m] = of,
      text = m && textOf(project, m);
    if (!m || text === undefined) return [];
    const next = put(text, of, to, 0);
    if (m.part === 'text' || m.part === 'variables') return [textChange(project, m.pou, next)];
    const left = m.part === 'line' ? next : next || null;
    return m.rung ? [{ kind: 'changeRung', pou: m.pou, id: m.rung.id, to: { [m.part]: left } }] : [];
  });
  return edits.length > 1 ? { kind: 'group', label: `Replace ${matches.length} times`, edits } : edits[0];
}

function textOf(project: Project, m: Match): string | undefined {
  const p = project.pous.find((x) => x.id === m.pou);
  if (!p) return undefined;
  if (p.language === 'ST') return m.part === 'text' ? p.text : undefined;
  if (m.part === 'variables') return p.variables;
  const r = p.rungs.find((x) => x.id === m.rung?.id);
  return m.part === 'text' ? undefined : r?.[m.part];
}

function put(text: string, matches: readonly Match[], to: string, from: number): string {
  let next = '',
    at = 0;
  for (const m of [...matches].sort((a, b) => a.start - b.start)) {
    next += text.slice(at, m.start - from) + to;
    at = m.end - from;
  }
  return next + text.slice(at);
}
