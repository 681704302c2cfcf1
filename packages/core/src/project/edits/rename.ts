/** Other names for rules, devices and kinds of devices, followed to wherever they are used: each one edit. */
import { literally } from '../../language/pattern.js';
import { mendTable } from '../../prove/runs.js';
import { parseDo } from '../../prove/sentences.js';
import type { Project } from '../document.js';
import type { Edit } from './index.js';

/** Gives a rule another name, also where checks say that they keep it: one step to undo. */
export function renameRule(p: Project, id: string, to: string): Edit {
  const from = p.rules.find((r) => r.id === id)?.name.toLowerCase(),
    change: Edit = { kind: 'changeRule', id, to: { name: to } };
  const keeps = (e: string) => /^\s*keeps\s+'(.+)'\s*$/i.exec(e)?.[1]?.toLowerCase() === from;
  const edits = p.checks.flatMap((c) =>
    c.rows.flatMap((r): Edit[] =>
      r.expect?.some(keeps)
        ? [
            {
              kind: 'changeRow',
              check: c.id,
              id: r.id,
              to: { expect: r.expect.map((e) => (keeps(e) ? `keeps '${to}'` : e)) },
            },
          ]
        : [],
    ),
  );
  return edits.length
    ? { kind: 'group', label: `Rename rule ${p.rules.find((r) => r.id === id)?.name ?? ''}`, edits: [change, ...edits] }
    : change;
}

/** Gives an own kind of device another name, also at the devices of that kind: one step to undo. */
export function renameKind(p: Project, id: string, to: string): Edit {
  const from = p.machine.kinds?.find((k) => k.id === id)?.type ?? '';
  return {
    kind: 'group',
    label: `Rename ${from} to ${to}`,
    edits: [
      { kind: 'changeKind', id, to: { type: to } },
      ...p.machine.devices.flatMap((d): Edit[] =>
        d.type.toLowerCase() === from.toLowerCase() ? [{ kind: 'changeDevice', id: d.id, to: { type: to } }] : [],
      ),
    ],
  };
}

/** Gives a device another name, also in wires that lead to it, in what checks do with it, and where its values are named: one step to undo. */
export function renameDevice(p: Project, id: string, to: string): Edit {
  const from = p.machine.devices.find((d) => d.id === id)?.name ?? '',
    low = from.toLowerCase();
  const named = (text: string) => text.replace(new RegExp(`\\bMachine\\.${literally(from)}\\b`, 'gi'), `Machine.${to}`);
  const done = (text: string) => {
    const parsed = parseDo(text),
      device = 'value' in parsed && 'device' in parsed.value ? parsed.value.device.split('.')[0]!.toLowerCase() : '';
    // The verb comes first and is left alone: a device may be called Tap.
    return device === low
      ? text.replace(
          /^(\s*\S+\s+)(.*)$/s,
          (_, verb: string, rest: string) => verb + rest.replace(new RegExp(`\\b${literally(from)}\\b`, 'i'), to),
        )
      : named(text);
  };
  const differs = (a: unknown, b: unknown) => JSON.stringify(a) !== JSON.stringify(b);
  const wires = p.machine.devices.flatMap((d): Edit[] => {
    const next = Object.fromEntries(
      Object.entries(d.wires ?? {}).map(([t, path]) => [
        t,
        path.toLowerCase().startsWith(`${low}.`) ? to + path.slice(from.length) : path,
      ]),
    );
    const sits = d.sits?.toLowerCase().startsWith(`${low}.`) ? to + d.sits.slice(from.length) : undefined;
    return differs(next, d.wires ?? {}) || sits
      ? [
          {
            kind: 'changeDevice',
            id: d.id,
            to: { ...(differs(next, d.wires ?? {}) ? { wires: next } : {}), ...(sits ? { sits } : {}) },
          },
        ]
      : [];
  });
  const rows = p.checks.flatMap((c) =>
    c.rows.flatMap((r): Edit[] => {
      const next = {
        ...(r.when === undefined ? {} : { when: named(r.when) }),
        ...(r.do ? { do: r.do.map(done) } : {}),
        ...(r.expect ? { expect: r.expect.map(named) } : {}),
      };
      return differs(next, {
        ...(r.when === undefined ? {} : { when: r.when }),
        ...(r.do ? { do: r.do } : {}),
        ...(r.expect ? { expect: r.expect } : {}),
      })
        ? [{ kind: 'changeRow', check: c.id, id: r.id, to: next }]
        : [];
    }),
  );
  const word = new RegExp(`\\b${literally(from)}\\b`, 'gi');
  const tables = p.checks.flatMap((c): Edit[] => {
    const table = mendTable(c, c.rows, word, to, (text, of) => (of === 'do' ? done(text) : named(text)));
    return table ? [{ kind: 'changeCheck', id: c.id, to: { table } }] : [];
  });
  const rules = p.rules.flatMap((r): Edit[] =>
    named(r.sentence) !== r.sentence ? [{ kind: 'changeRule', id: r.id, to: { sentence: named(r.sentence) } }] : [],
  );
  const scope = p.scope.map(named),
    watches = p.bench?.watches?.map((w) => ({ ...w, rows: w.rows.map((r) => ({ ...r, path: named(r.path) })) }));
  return {
    kind: 'group',
    label: `Rename ${from} to ${to}`,
    edits: [
      { kind: 'changeDevice', id, to: { name: to } },
      ...wires,
      ...rows,
      ...tables,
      ...rules,
      ...(differs(scope, p.scope) ? [{ kind: 'changeScope' as const, paths: scope }] : []),
      ...(watches && differs(watches, p.bench?.watches) ? [{ kind: 'changeBench' as const, to: { watches } }] : []),
    ],
  };
}
