/** Traces as Value Change Dump (IEEE 1364, clause 18): opens in ordinary waveform viewers. */
import type { Location } from '../compile/image.js';
import { type Value } from '../runtime/paths.js';
import { baseOf, isReal, sizeOf } from '../types/type.js';

export class VcdWriter {
  private readonly last: (Value | undefined)[];
  readonly header: string;
  constructor(private readonly columns: readonly { readonly name: string; readonly location: Location }[]) {
    this.last = columns.map(() => undefined);
    const lines = ['$version Ferrule $end', '$timescale 1 ns $end', '$scope module ferrule $end'];
    columns.forEach((c, i) =>
      lines.push(
        `$var ${isReal(c.location.type) ? 'real 64' : c.location.type.kind === 'string' ? 'string 1' : `wire ${width(c.location)}`} ${code(i)} ${c.name.replace(/\s+/g, '')} $end`,
      ),
    );
    this.header = `${[...lines, '$upscope $end', '$enddefinitions $end'].join('\n')}\n`;
  }

  /** The changes at a time; empty when nothing changed. */
  row(timeNs: bigint, values: readonly Value[]): string {
    const changes = values.flatMap((v, i) => {
      if (Object.is(v, this.last[i])) return [];
      this.last[i] = v;
      return [`${this.change(v, i)}`];
    });
    return changes.length ? `#${timeNs}\n${changes.join('\n')}\n` : '';
  }

  private change(v: Value, i: number): string {
    const { location } = this.columns[i]!;
    if (typeof v === 'string') return `s${v.replace(/\s/g, '_')} ${code(i)}`;
    if (typeof v === 'boolean') return `${v ? 1 : 0}${code(i)}`;
    if (isReal(location.type)) return `r${Number(v)} ${code(i)}`;
    return `b${BigInt.asUintN(width(location), v as bigint).toString(2)} ${code(i)}`;
  }
}

const width = (l: Location): number => (baseOf(l.type) === 'BOOL' ? 1 : sizeOf(l.type) * 8);
/** Identifiers of printable characters, shortest first. */
function code(i: number): string {
  const digit = String.fromCharCode(33 + (i % 94));
  return i < 94 ? digit : code(Math.floor(i / 94) - 1) + digit;
}
