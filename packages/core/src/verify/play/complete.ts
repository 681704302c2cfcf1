/** What may come next in a sentence of a check or rule, while it is being typed. */
import { literally } from '../../language/pattern.js';
import { kindOf } from '../../wiring/kinds.js';
import type { Project } from '../../document/document.js';

export interface SentenceEnd {
  /** What is put in place of the last word typed. */ readonly text: string;
  readonly about: string;
}

const VERBS: Readonly<Record<'when' | 'do' | 'expect' | 'rule', readonly (readonly [string, string])[]>> = {
  when: [
    ['at once', 'when the row before is over'],
    ['after ', 'a time'],
    ['once ', 'a condition holds'],
    ['at the same time', 'beside the row above'],
  ],
  do: [
    ['tap ', 'press and let go'],
    ['hold ', 'press'],
    ['let go of ', ''],
    ['turn ', 'a selector right or left'],
    ['strike ', 'an emergency stop'],
    ['enter ', 'a number at a device'],
    ['set ', 'an input or a tag'],
    ['write ', 'a tag'],
    ['ramp ', 'a number'],
    ['force ', 'a tag'],
    ['release ', 'a force'],
    ['upset ', 'something goes wrong'],
    ['clear ', 'an upset'],
  ],
  expect: [
    ['never ', 'to the end of the check'],
    ['in order: ', 'one after the other'],
    ["keeps '", 'a rule'],
    ['cycle of ', 'how long each may take'],
  ],
  rule: [
    ['never ', ''],
    ['always ', ''],
    ['after ', 'A, B within a time'],
  ],
};
const UNITS: readonly (readonly [string, string])[] = [
  ['ms', ''],
  ['s', ''],
  ['min', ''],
  ['scans', ''],
];
const TIMES: readonly (readonly [string, string])[] = [
  ['3 scans', ''],
  ['100 ms', ''],
  ['500 ms', ''],
  ['1 s', ''],
  ['5 s', ''],
];

/** Names of an enumeration's values, from the text of its type. */
function valuesOf(project: Project, type: string): readonly string[] {
  const text = project.types.map((t) => t.text).find((t) => new RegExp(`^\\s*${literally(type)}\\s*:`, 'i').test(t));
  return (
    /:\s*\w*\s*\(([^)]*)\)/
      .exec(text ?? '')?.[1]
      ?.split(',')
      .map((v) => v.replace(/:=.*/, '').trim())
      .filter(Boolean) ?? []
  );
}

/**
 * Up to ten ways to go on from what stands before the cursor; the part after the last `;` counts. `columns` are those
 * of the check's table.
 */
export function completeSentence(
  project: Project,
  kind: 'when' | 'do' | 'expect' | 'rule',
  before: string,
  columns: readonly string[] = [],
): readonly SentenceEnd[] {
  const piece = before.slice(before.lastIndexOf(';') + 1).trimStart(),
    word = /[\w.']*$/.exec(piece)![0],
    head = piece.slice(0, piece.length - word.length);
  const pick = (list: readonly (readonly [string, string])[], typed = word): readonly SentenceEnd[] => {
    const low = typed.toLowerCase(),
      begins = list.filter(([t]) => t.toLowerCase().startsWith(low)),
      within = list.filter(
        ([t, about]) =>
          !t.toLowerCase().startsWith(low) && low.length > 1 && `${t} ${about}`.toLowerCase().includes(low),
      );
    return [...begins, ...within]
      .filter(([t]) => t !== typed)
      .slice(0, 10)
      .map(([text, about]) => ({ text, about }));
  };
  const devices = (types: readonly string[]) =>
    project.machine.devices.flatMap((d) => {
      const handles = kindOf(project.machine, d.type)?.handles.filter((h) => types.includes(h.type)) ?? [];
      return handles.length === 1
        ? [[d.name, d.label ?? d.type] as const]
        : handles.map((h) => [`${d.name}.${h.name}`, d.label ?? d.type] as const);
    });
  const tags = project.tags.map((t) => [t.name, t.description ?? t.type] as const);
  // Beginnings of several words: what is typed of them is kept, the rest is put in its place.
  const begun = head.trim()
    ? VERBS[kind].filter(
        ([v]) => v.toLowerCase().startsWith(piece.toLowerCase()) && v.toLowerCase() !== piece.toLowerCase(),
      )
    : [];
  if (begun.length) return begun.map(([v, about]) => ({ text: v.slice(head.length), about }));
  // After a number its unit; after a time that may have a tolerance, the tolerance.
  if (
    /(?:\b(?:within|for|after|lasts|at least|at most|in)|±)\s+\d+(?:\.\d+)?\s+$/i.test(head) ||
    (kind === 'expect' && /\bbetween\s+(?:\d\S*\s*\w*\s+and\s+)?\d+(?:\.\d+)?\s+$/i.test(head))
  )
    return pick(UNITS);
  if (/\b(?:after|lasts|for)\s+\d+(?:\.\d+)?\s*(?:ms|s|min|h|scans?)\s+$/i.test(head) && kind === 'expect')
    return pick([['± ', 'so much earlier or later']]);
  if (/±\s+$/.test(head)) return pick(TIMES);
  const stays = /([\w.]+)\s+stays\s+in\s+(\w+\s+)?$/i.exec(head);
  if (kind === 'expect' && stays?.[2]) return pick([['at most ', 'a time']]);
  if (
    !stays &&
    /\b(within|for|after|lasts|at least|at most|in)\s+$/i.test(head) &&
    !(kind === 'rule' && /^after\s+$/i.test(head))
  )
    return pick(TIMES);
  // A brace begins the name of a column of the check's table.
  if (/\{$/.test(head) && columns.length) return pick(columns.map((c) => [`${c}}`, 'a value of the table'] as const));
  const quoted = /keeps\s+'([^']*)$/i.exec(piece);
  if (quoted)
    return project.rules
      .filter((r) => r.name.toLowerCase().includes(quoted[1]!.toLowerCase()))
      .slice(0, 10)
      .map((r) => ({ text: `'${r.name}'`, about: r.sentence }));
  const subject = /([\w.]+)\s+(?:is|becomes|goes|stays|turns)\s+(?:not\s+|through\s+|in\s+)?(?:[\w]+\s*,\s*)*$/i.exec(
    head,
  )?.[1];
  if (subject) {
    const type = project.tags.find((t) => t.name.toLowerCase() === subject.toLowerCase())?.type ?? '',
      values = valuesOf(project, type);
    return pick(
      values.length
        ? values.map((v) => [v, type] as const)
        : [
            ['on', ''],
            ['off', ''],
          ],
    );
  }
  if (kind === 'expect' && /^cycle of\s+$/i.test(head)) return pick(tags);
  if (kind === 'do' && head.trim()) {
    if (/^(tap)\s+$/i.test(head)) return pick(devices(['press']));
    if (/^(hold|press|strike|let go of|let go)\s+$/i.test(head)) return pick(devices(['press', 'turn', 'latch']));
    if (/^turn\s+$/i.test(head)) return pick(devices(['turn', 'way']));
    const turned = /^turn\s+(\S+)\s+$/i.exec(head)?.[1]?.toLowerCase();
    if (turned)
      return pick([
        ['right', ''],
        ['left', ''],
        ...(devices(['way']).some(([name]) => name.toLowerCase() === turned) ? [['middle', ''] as const] : []),
      ]);
    if (/^enter\s+\S+\s+at\s+$/i.test(head)) return pick(devices(['number', 'place']));
    if (/^(upset|clear)\s+$/i.test(head))
      return pick(
        project.machine.devices.flatMap((d) =>
          (kindOf(project.machine, d.type)?.upsets ?? []).map((u) => [`${d.name}.${u.name}`, u.help] as const),
        ),
      );
    if (/^(set|write|force|release|ramp|force ramp)\s+$/i.test(head)) return pick(tags);
    return [];
  }
  if (!head.trim()) return kind === 'do' || kind === 'when' ? pick(VERBS[kind]) : pick([...VERBS[kind], ...tags]);
  // After a whole name: how the sentence may go on.
  if (/[\w)]\s+$/.test(head) && tags.some(([t]) => new RegExp(`\\b${literally(t)}\\s+$`, 'i').test(head)))
    return pick(
      kind === 'rule'
        ? [
            ['is ', ''],
            ['requires ', ''],
            ['only while ', ''],
            ['and ', ''],
            ['stays at least ', ''],
            ['between ', ''],
          ]
        : [
            ['is ', ''],
            ['AND ', ''],
            ['OR ', ''],
            ...(kind === 'expect'
              ? ([
                  ['within ', ''],
                  ['after ', 'a time ± so much'],
                  ['for ', ''],
                  ['lasts ', 'a time ± so much'],
                  ['stays in ', 'a step, at most so long'],
                  ['until ', ''],
                  ['goes ', 'through steps'],
                ] as const)
              : ([['within ', '']] as const)),
          ],
    );
  if (/\bis\s+\w+\s+$/i.test(head))
    return pick([
      ['within ', ''],
      ['after ', 'a time ± so much'],
      ['for ', ''],
      ['lasts ', 'a time ± so much'],
      ['until ', ''],
      ['AND ', ''],
    ]);
  return pick(tags);
}
