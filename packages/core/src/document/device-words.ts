/** Devices and kinds of devices in lines that a person reads, part by part: to show what differs between two of them. */
import type { Parameter, Terminal } from '../machine/device.js';
import type { Device, OwnKind, PictureShape } from './document.js';

/** A heading, empty for what needs none, and the lines under it. */
export type Part = readonly [title: string, lines: readonly string[]];

const entries = (of: Readonly<Record<string, string>> | undefined, sign: string): readonly string[] =>
  Object.entries(of ?? {}).map(([k, v]) => `${k} ${sign} ${v}`);

export const deviceParts = (d: Device): readonly Part[] => [
  [
    '',
    [
      [
        d.type,
        d.label !== undefined && `labelled ‘${d.label}’`,
        d.colour,
        d.key !== undefined && `key ${d.key}`,
        d.sits && `drawn at ${d.sits}`,
        d.turn && `turned by ${d.turn}°`,
        d.mirrored && 'left and right changed',
      ]
        .filter(Boolean)
        .join(', '),
      ...entries(d.parameters, '='),
      ...entries(d.wires, '—'),
      ...(d.nc?.length ? [`closed at rest: ${d.nc.join(', ')}`] : []),
    ],
  ],
];

const said = (help: string): string => (help ? ` (${help})` : '');
const terminalLine = (t: Terminal): string =>
  [
    `${t.direction === 'in' ? 'takes' : 'gives'} ${t.name} : ${t.type}`,
    t.mechanical && 'mechanical',
    t.back && 'from behind',
    t.wiring && (t.wiring === 'NC' ? 'closed at rest' : 'open at rest'),
    t.snaps?.length && `snaps to ${t.snaps.join(', ')}`,
  ]
    .filter(Boolean)
    .join(', ') + said(t.help);
const parameterLine = (p: Parameter): string =>
  [
    `${p.name} : ${p.type} := ${p.initial}${p.unit ? ` ${p.unit}` : ''}`,
    p.min !== undefined && `at least ${p.min}`,
    p.max !== undefined && `at most ${p.max}`,
  ]
    .filter(Boolean)
    .join(', ') + said(p.help);
const shapeLine = ({ id: _, shape, ...fields }: PictureShape): string => `${shape} ${entries(fields, '=').join(', ')}`;

export const kindParts = (k: OwnKind): readonly Part[] => [
  ['', [k.help].filter(Boolean)],
  ['Terminals', k.terminals.map(terminalLine)],
  ['Parameters', k.parameters.map(parameterLine)],
  ['Upsets', k.upsets.map((u) => u.name + said(u.help))],
  ['By hand', k.handles.map((h) => `${h.name}, ${h.type}${said(h.help)}`)],
  ['Inner variables', k.locals.split('\n')],
  ['Behaviour', k.body.split('\n')],
  ['Picture', [`${k.width} along the flow`, ...k.picture.map(shapeLine)]],
];

export const partsText = (parts: readonly Part[]): string =>
  parts
    .filter(([, lines]) => lines.some(Boolean))
    .map(([title, lines]) => [...(title ? [title] : []), ...lines].join('\n'))
    .join('\n');

/** Of two that differ the parts that do, each from its first line that differs to its last. */
export function partsThatDiffer(
  a: readonly Part[],
  b: readonly Part[],
): { readonly before: string; readonly after: string } {
  const before: Part[] = [],
    after: Part[] = [];
  a.forEach(([title, old], i) => {
    const now = b[i]![1],
      { start, end } = changedStretch(old, now);
    if (start === old.length && old.length === now.length) return;
    before.push([title, old.slice(start, old.length - end)]);
    after.push([title, now.slice(start, now.length - end)]);
  });
  // The heading stands on both sides, also where one has nothing under it, or empty lines alone differ.
  const text = (parts: readonly Part[]) =>
    parts.map(([title, lines]) => [...(title ? [title] : []), ...lines].join('\n')).join('\n');
  return { before: text(before), after: text(after) };
}

/** How many lines two texts have in common at their beginning, and behind that at their end. */
export function changedStretch(
  a: readonly string[],
  b: readonly string[],
): { readonly start: number; readonly end: number } {
  let start = 0;
  while (start < a.length && start < b.length && a[start] === b[start]) start++;
  let end = 0;
  while (end < a.length - start && end < b.length - start && a[a.length - 1 - end] === b[b.length - 1 - end]) end++;
  return { start, end };
}
