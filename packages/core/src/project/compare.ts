/** What differs between two projects: tags by row, rungs by rung, text by line. Things are matched by id, so a rename is a change. */
import type { Project, RungText, Tag } from './document.js';
import { tagText } from './sources.js';

export interface Difference {
  readonly what: string;
  readonly kind: 'tag' | 'rung' | 'text' | 'machine' | 'tasks' | 'prove';
  /** As text; undefined where it is not there. */
  readonly before?: string;
  readonly after?: string;
}

export function compareProjects(before: Project, after: Project): Difference[] {
  return [
    ...lists(before.types, after.types, 'text', () => 'Types', (t) => t.text),
    ...lists(before.tags, after.tags, 'tag', (t) => `Tag ${t.name}`, tagLine),
    ...pous(before, after),
    ...lists(before.tasks, after.tasks, 'tasks', (t) => `Task ${t.name}`, (t) => `${t.interval}, priority ${t.priority}: ${t.programs.join(', ')}`),
    ...lists(before.machine.devices, after.machine.devices, 'machine', (d) => `Machine ${d.name}`, (d) => JSON.stringify({ type: d.type, ...d.parameters, ...d.wires })),
  ];
}

const tagLine = (t: Tag) => `${tagText(t)}${t.wiring ? ` ${t.wiring}` : ''}${t.retain ? ' RETAIN' : ''}`;

function pous(before: Project, after: Project): Difference[] {
  return [...new Set([...before.pous, ...after.pous].map((p) => p.id))].flatMap((id): Difference[] => {
    const a = before.pous.find((p) => p.id === id), b = after.pous.find((p) => p.id === id);
    const name = (b ?? a)!.name;
    if ((a?.language ?? 'LD') === 'LD' && (b?.language ?? 'LD') === 'LD') {
      const rungs = (p: typeof a): readonly RungText[] => (p?.language === 'LD' ? p.rungs : []);
      const number = (r: RungText) => { const list = rungs(b).some((x) => x.id === r.id) ? rungs(b) : rungs(a); return list.findIndex((x) => x.id === r.id) + 1; };
      return lists(rungs(a), rungs(b), 'rung', (r) => `${name} · rung ${number(r)}`, (r) => r.line);
    }
    const text = (p: typeof a) => (p?.language === 'ST' ? p.text.split('\n') : []);
    return textLines(name, text(a), text(b));
  });
}

function lists<T extends { readonly id: string }>(before: readonly T[], after: readonly T[], kind: Difference['kind'], name: (x: T) => string, text: (x: T) => string): Difference[] {
  const result: Difference[] = [];
  for (const b of after) {
    const a = before.find((x) => x.id === b.id);
    if (!a) result.push({ what: name(b), kind, after: text(b) });
    else if (text(a) !== text(b)) result.push({ what: name(b), kind, before: text(a), after: text(b) });
  }
  for (const a of before) if (!after.some((x) => x.id === a.id)) result.push({ what: name(a), kind, before: text(a) });
  return result;
}

/** The stretch of lines that changed, after the common beginning and before the common end. */
function textLines(name: string, a: readonly string[], b: readonly string[]): Difference[] {
  if (a.join('\n') === b.join('\n')) return [];
  let start = 0;
  while (start < a.length && start < b.length && a[start] === b[start]) start++;
  let end = 0;
  while (end < a.length - start && end < b.length - start && a[a.length - 1 - end] === b[b.length - 1 - end]) end++;
  return [{ what: `${name} · line ${start + 1}`, kind: 'text', before: a.slice(start, a.length - end).join('\n'), after: b.slice(start, b.length - end).join('\n') }];
}
