/**
 * Rungs as lines of text with their comments and headings (notation.md): what is typed, what the clipboard holds, what
 * project folders keep. `## text` is a heading and `// text` a comment of the rung below, or at the end of its own
 * line.
 */
import { lex } from '../language/lexer.js';

export interface RungLine {
  readonly line: string;
  readonly comment?: string;
  readonly heading?: string;
}

/** Cuts a typed line into rung and comment: the comment starts at the first `//` outside strings. */
export function splitComment(line: string): RungLine {
  const { comments } = lex(line, { rung: true });
  const at = comments.find((c) => line.startsWith('//', c.start));
  if (!at) return { line: line.trim() };
  const comment = line.slice(at.start + 2).trim();
  return { line: line.slice(0, at.start).trim(), ...(comment ? { comment } : {}) };
}

/** One rung as text, each part on its own line, a lone `;` for a line still empty; `rungsOfText` reads it back. */
export function rungToLines(r: RungLine): string {
  const of = (mark: string, text: string | undefined) => (text ? text.split('\n').map((l) => `${mark} ${l}`) : []);
  return [...of('##', r.heading), ...of('//', r.comment), r.line.replace(/\s*\n\s*/g, ' ').trim() || ';'].join('\n');
}

export const rungsToText = (rungs: readonly RungLine[]): string => `${rungs.map(rungToLines).join('\n\n')}\n`;

/**
 * The rungs of a text. A comment or heading that no rung follows is given to an empty rung line, so nothing is lost.
 */
export function rungsOfText(text: string): RungLine[] {
  const rungs: RungLine[] = [];
  let heading: string[] = [],
    comment: string[] = [];
  const push = (line: string, own?: string) => {
    const comments = [...comment, ...(own ? [own] : [])].join('\n');
    rungs.push({
      line,
      ...(comments ? { comment: comments } : {}),
      ...(heading.length ? { heading: heading.join('\n') } : {}),
    });
    heading = [];
    comment = [];
  };
  for (const raw of text.replace(/^\ufeff/, '').split(/\r?\n/)) {
    const l = raw.trim();
    if (!l) continue;
    if (l.startsWith('##')) heading.push(l.slice(2).trim());
    else if (l.startsWith('//')) comment.push(l.slice(2).trim());
    else if (l === ';') push('');
    else {
      const s = splitComment(l);
      push(s.line, s.comment);
    }
  }
  if (heading.length || comment.length) push('');
  return rungs;
}
