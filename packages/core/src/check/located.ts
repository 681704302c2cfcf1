/**
 * Located variables (6.5.5): addresses count bytes; one inside another is a view, a part overlap is an error
 * (choices.md).
 */
import { many, byName } from '../language/words.js';
import type { Span } from '../language/source.js';
import { type Type, baseOf, sizeOf, typeText } from '../types/type.js';
import type { Address, Variable } from '../checked/tree.js';
import type { ProjectScope } from '../names/scope.js';
import { parseAddress } from '../types/address.js';

export function declareAddress(
  project: ProjectScope,
  given: { text: string; at: Span },
  type: Type,
): Address | undefined {
  const a = parseAddress(given.text);
  if (!a) {
    project.problems.error(
      'BAD_ADDRESS',
      `'${given.text}' is not an address; write for example %IX0.0 (bits 0 to 7), %QW2 or %MD4.`,
      given.at,
    );
    return undefined;
  }
  const base = baseOf(type);
  if ((base === 'BOOL') !== (a.bit !== undefined)) {
    project.problems.error(
      'BAD_ADDRESS',
      base === 'BOOL'
        ? `A BOOL needs an address of a bit, such as %${a.area}X${a.byte}.0.`
        : `${typeText(type)} needs an address of a byte, word or double word, such as %${a.area}W${a.byte}, not of a bit.`,
      given.at,
    );
    return undefined;
  }
  if (base && a.bit === undefined && a.size !== sizeOf(type)) {
    const letter = ({ 1: 'B', 2: 'W', 4: 'D', 8: 'L' } as Record<number, string>)[sizeOf(type)];
    project.problems.error(
      'BAD_ADDRESS',
      `${typeText(type)} takes ${many(sizeOf(type), 'byte')}, so its address is %${a.area}${letter}${a.byte}.`,
      given.at,
    );
    return undefined;
  }
  return {
    area: a.area,
    byte: a.byte,
    size: a.bit !== undefined ? 1 : sizeOf(type),
    text: given.text.toUpperCase(),
    ...(a.bit !== undefined ? { bit: a.bit } : {}),
  };
}

/** Reports located variables of which one lies over a part of another without containing it. */
export function checkOverlaps(project: ProjectScope, variables: readonly Variable[]): void {
  const spans = variables
    .filter((v) => v.address && v.section !== 'hidden')
    .map((v) => ({
      v,
      area: v.address!.area,
      start: v.address!.byte * 8 + (v.address!.bit ?? 0),
      end: v.address!.byte * 8 + (v.address!.bit !== undefined ? v.address!.bit + 1 : v.address!.size * 8),
    }))
    .sort((a, b) => byName(a.area, b.area) || a.start - b.start || b.end - a.end);
  // Sorted by start, longest first: only ranges still open can overlap the next one.
  const open: typeof spans = [];
  for (const s of spans) {
    while (open.length && (open[open.length - 1]!.area !== s.area || open[open.length - 1]!.end <= s.start)) open.pop();
    const clash = open.find((o) => o.area === s.area && o.end > s.start && o.end < s.end && o.start < s.start);
    if (clash)
      project.problems.error(
        'OVERLAP',
        `'${s.v.name}' (${s.v.address!.text}) lies over a part of '${clash.v.name}' (${clash.v.address!.text}).`,
        s.v.at,
        [{ message: 'the other one', at: clash.v.at }],
      );
    else open.push(s);
  }
}
