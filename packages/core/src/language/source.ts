/** Where a piece of text belongs in a project, so that a problem can be shown on the thing itself. */
export type Origin =
  | { readonly kind: 'file' }
  | { readonly kind: 'library' }
  | { readonly kind: 'tag'; readonly id: string; readonly name: string }
  | { readonly kind: 'pou'; readonly id: string; readonly name: string }
  | {
      readonly kind: 'rung';
      readonly pouId: string;
      readonly pou: string;
      readonly rungId: string;
      readonly number: number;
    }
  | { readonly kind: 'device'; readonly id: string; readonly name: string }
  /** Behaviour of an own device; its `head` lines are written by Ferrule. */
  | { readonly kind: 'deviceKind'; readonly id: string; readonly name: string; readonly head: number }
  | {
      readonly kind: 'cell';
      readonly owner: 'check' | 'rule';
      readonly id: string;
      readonly name: string;
      readonly row: number;
      readonly cell: string;
    };

/** One text the front end reads: a file, a tag's declaration, a rung line, a cell of a check. */
export interface Source {
  readonly name: string;
  readonly text: string;
  readonly origin: Origin;
  /** Spans of a rung's elements in its line, in reading order; set when the rung is parsed. */
  elements?: readonly { readonly start: number; readonly end: number }[];
}

/** A stretch of a source, as offsets in UTF-16 units. */
export interface Span {
  readonly source: Source;
  readonly start: number;
  readonly end: number;
}

/** Makes a source. `name` is the file path as the user gave it. */
export function makeSource(name: string, text: string, origin: Origin = { kind: 'file' }): Source {
  return { name, text, origin };
}

const lineStarts = new WeakMap<Source, number[]>();

/** Line and column of an offset, both counted from 1 (cli.md: `path:line:column`). */
export function positionOf(source: Source, offset: number): { line: number; column: number } {
  let starts = lineStarts.get(source);
  if (!starts) {
    starts = [0];
    // A line ends with LF, with CR LF, or with CR alone.
    for (let i = 0; i < source.text.length; i++) {
      const c = source.text.charCodeAt(i);
      if (c === 10 || (c === 13 && source.text.charCodeAt(i + 1) !== 10)) starts.push(i + 1);
    }
    lineStarts.set(source, starts);
  }
  let low = 0,
    high = starts.length - 1;
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if (starts[middle]! <= offset) low = middle;
    else high = middle - 1;
  }
  return { line: low + 1, column: offset - starts[low]! + 1 };
}

/** The element (counted from 1, in reading order) of a rung that holds an offset; undefined outside any. */
export function elementAt(source: Source, offset: number): number | undefined {
  const at = source.elements?.findIndex((e) => offset >= e.start && offset < Math.max(e.end, e.start + 1));
  return at === undefined || at < 0 ? undefined : at + 1;
}

/** The place of a span as the command line prints it (cli.md, `ferrule check`). */
export function placeText(span: Span): string {
  const { source } = span;
  switch (source.origin.kind) {
    case 'rung': {
      const element = elementAt(source, span.start);
      return `${source.name}:${source.origin.pou}/rung ${source.origin.number}${element ? `/element ${element}` : ''}`;
    }
    case 'tag':
      return `${source.name}:Tags/${source.origin.name}`;
    case 'device':
      return `${source.name}:Machine/${source.origin.name}`;
    case 'deviceKind': {
      const p = positionOf(source, span.start),
        line = p.line - source.origin.head;
      return line > 0
        ? `${source.name}:Machine/${source.origin.name}:${line}:${p.column}`
        : `${source.name}:Machine/${source.origin.name}`;
    }
    case 'cell':
      return `${source.name}:Prove/${source.origin.name}/${source.origin.owner === 'rule' ? source.origin.cell : `row ${source.origin.row}/${source.origin.cell}`}`;
    case 'pou': {
      const p = positionOf(source, span.start);
      return `${source.name}:${source.origin.name}:${p.line}:${p.column}`;
    }
    default: {
      const p = positionOf(source, span.start);
      return `${source.name}:${p.line}:${p.column}`;
    }
  }
}
