/** A type of a project taken apart for a table, and put together again as text. What a table cannot show stays text. */
import { lex } from '../language/lexer.js';

export interface MemberLine {
  readonly name: string;
  readonly type: string;
  readonly initial?: string;
  readonly description?: string;
}
export interface ValueLine {
  readonly name: string;
  readonly value?: string;
  readonly description?: string;
}
export type TypeParts =
  | { readonly kind: 'struct'; readonly name: string; readonly head: string; readonly members: readonly MemberLine[] }
  | {
      readonly kind: 'enum';
      readonly name: string;
      readonly base?: string;
      readonly values: readonly ValueLine[];
      readonly initial?: string;
    }
  | { readonly kind: 'other'; readonly name: string; readonly text: string };

/** Reads `Name : STRUCT … END_STRUCT;` or `Name : (A, B := 5);`; everything else is 'other', word for word. */
export function readType(text: string): TypeParts {
  const { tokens, comments } = lex(text);
  const raw = (i: number) => (tokens[i] ? text.slice(tokens[i]!.start, tokens[i]!.end) : '');
  const name = raw(0);
  const other: TypeParts = { kind: 'other', name, text };
  if (raw(1) !== ':') return other;
  const after = (from: number, to: number): string | undefined => {
    const c = comments.find((x) => x.start >= from && x.start < to);
    return (
      c &&
      text
        .slice(c.start, c.end)
        .replace(/^\(\*|\*\)$|^\/\/|^\/\*|\*\/$/g, '')
        .trim()
    );
  };
  const end = tokens.length - 1;
  if (raw(2).toUpperCase() === 'STRUCT') {
    const close = tokens.findIndex((_, i) => raw(i).toUpperCase() === 'END_STRUCT');
    if (close < 0 || raw(3).toUpperCase() === 'OVERLAP' || (raw(close + 1) !== ';' && close + 1 < end)) return other;
    const members: MemberLine[] = [];
    let from = 3;
    for (let i = 3; i < close; i++) {
      if (raw(i) !== ';') continue;
      const words = tokens.slice(from, i);
      const colon = words.findIndex((t) => text.slice(t.start, t.end) === ':'),
        assign = words.findIndex((t) => text.slice(t.start, t.end) === ':=');
      // One name, no address: what a row can hold.
      if (colon !== 1) return other;
      const last = words.at(-1)!,
        typeEnd = assign > 0 ? words[assign - 1]! : last;
      const description = after(tokens[i]!.end, tokens[i + 1]?.start ?? text.length);
      members.push({
        name: text.slice(words[0]!.start, words[0]!.end),
        type: text.slice(words[2]!.start, typeEnd.end),
        ...(assign > 0 ? { initial: text.slice(words[assign + 1]!.start, last.end) } : {}),
        ...(description ? { description } : {}),
      });
      from = i + 1;
    }
    return from === close ? { kind: 'struct', name, head: 'STRUCT', members } : other;
  }
  const open = raw(2) === '(' ? 2 : raw(3) === '(' ? 3 : -1;
  if (open < 0 || tokens.some((_, i) => i > open && raw(i) === '..')) return other;
  const close = tokens.findIndex((_, i) => i > open && raw(i) === ')');
  if (close < 0) return other;
  const values: ValueLine[] = [];
  let at = open + 1;
  for (let i = open + 1; i <= close; i++) {
    if (raw(i) !== ',' && i !== close) continue;
    if (i === at) return other;
    const assign = raw(at + 1) === ':=';
    if (!/^[A-Za-z_]\w*$/.test(raw(at)) || (!assign && i !== at + 1)) return other;
    const description =
      after(tokens[i]!.end, tokens[i + 1]?.start ?? text.length) ??
      (i === close ? after(tokens[i - 1]!.end, tokens[i]!.start) : undefined);
    values.push({
      name: raw(at),
      ...(assign ? { value: text.slice(tokens[at + 2]!.start, tokens[i - 1]!.end) } : {}),
      ...(description ? { description } : {}),
    });
    at = i + 1;
  }
  const initial =
    raw(close + 1) === ':='
      ? text.slice(tokens[close + 2]!.start, tokens[end - 1]!.start).trim() || raw(close + 2)
      : undefined;
  return { kind: 'enum', name, ...(open === 3 ? { base: raw(2) } : {}), values, ...(initial ? { initial } : {}) };
}

export function typeToText(t: TypeParts): string {
  if (t.kind === 'other') return t.text;
  if (t.kind === 'struct')
    return `${t.name} : ${t.head}\n${t.members.map((m) => `  ${m.name} : ${m.type}${m.initial ? ` := ${m.initial}` : ''};${m.description ? ` // ${m.description.replace(/\s+/g, ' ')}` : ''}\n`).join('')}END_STRUCT;`;
  const line = (v: ValueLine) => `${v.name}${v.value ? ` := ${v.value}` : ''}`;
  const tail = `${t.initial ? ` := ${t.initial}` : ''};`;
  const head = `${t.name} : ${t.base ? `${t.base} ` : ''}`;
  if (!t.values.some((v) => v.description)) return `${head}(${t.values.map(line).join(', ')})${tail}`;
  return `${head}(\n${t.values.map((v, i) => `  ${line(v)}${i < t.values.length - 1 ? ',' : ''}${v.description ? ` // ${v.description.replace(/\s+/g, ' ')}` : ''}\n`).join('')})${tail}`;
}
