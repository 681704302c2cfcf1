/** Stimulus and trace CSV of the command line (cli.md; RFC 4180 through papaparse). */
import Papa from 'papaparse';
import type { Location } from '../compile/image.js';
import type { Image } from '../compile/image.js';
import { type Value, findPath, parseValue } from '../runtime/paths.js';

export interface StimulusRow {
  readonly timeNs: bigint;
  readonly writes: readonly { readonly location: Location; readonly value: Value }[];
}

/** Reads a stimulus; the string is what is wrong, with its line. */
export function readStimulus(text: string, image: Image): { rows: StimulusRow[] } | { error: string } {
  const parsed = Papa.parse<string[]>(text.replace(/^\ufeff/, ''), { skipEmptyLines: 'greedy' });
  const quoting = parsed.errors.find((e) => e.type === 'Quotes');
  if (quoting) return { error: `line ${(quoting.row ?? 0) + 1}: ${quoting.message}.` };
  const [header, ...body] = parsed.data;
  if (!header || header[0]?.trim() !== 't_ms') return { error: "line 1: the header must start with 't_ms'." };
  const columns: Location[] = [];
  for (const [i, name] of header.slice(1).entries()) {
    if (!name.trim()) return { error: `line 1: column ${i + 2} has no name.` };
    const found = findPath(image, name.trim());
    if ('error' in found) return { error: `line 1: ${found.error}` };
    columns.push(found.location);
  }
  const rows: StimulusRow[] = [];
  for (const [i, cells] of body.entries()) {
    const line = i + 2;
    const t = /^\s*(\d+)(?:\.(\d{1,6}))?\s*$/.exec(cells[0] ?? '');
    if (!t) return { error: `line ${line}: '${cells[0] ?? ''}' is not a time in milliseconds.` };
    if (cells.length > header.length)
      return { error: `line ${line}: ${cells.length} cells, but the header has ${header.length}.` };
    const writes: { location: Location; value: Value }[] = [];
    for (const [j, cell] of cells.slice(1).entries()) {
      if (cell === '') continue;
      const v = parseValue(columns[j]!.type, cell);
      if ('error' in v) return { error: `line ${line}, ${header[j + 1]}: ${v.error}` };
      writes.push({ location: columns[j]!, value: v.value });
    }
    rows.push({ timeNs: BigInt(t[1]!) * 1_000_000n + BigInt((t[2] ?? '').padEnd(6, '0')), writes });
  }
  rows.sort((a, b) => (a.timeNs < b.timeNs ? -1 : a.timeNs > b.timeNs ? 1 : 0));
  return { rows };
}

/** One CSV line, quoted where needed. */
export const csvLine = (cells: readonly string[]): string =>
  cells.map((c) => (/[",\r\n]/.test(c) ? `"${c.replaceAll('"', '""')}"` : c)).join(',');
