/** Other names for rules, devices and kinds of devices, followed to wherever they are used: each one edit. */
import { lex } from '../../language/lexer.js';
import { literally } from '../../language/pattern.js';
import { mendTable } from '../check-rows.js';
import { parseDo } from '../../sentences/sentences.js';
import type { OwnKind, Project } from '../document.js';
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

/**
 * Gives a device another name, also in wires that lead to it, in what checks do with it, and where its values are
 * named: one step to undo.
 */
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
  return {
    kind: 'group',
    label: `Rename ${from} to ${to}`,
    edits: [
      { kind: 'changeDevice', id, to: { name: to } },
      ...wires,
      ...followed(p, named, done, new RegExp(`\\b${literally(from)}\\b`, 'gi'), to),
    ],
  };
}

const differs = (a: unknown, b: unknown) => JSON.stringify(a) !== JSON.stringify(b);
type Follow = (text: string) => string;
/** Another name followed through checks and their tables, rules, scope and watches. `done`: in what a check does. */
function followed(p: Project, named: Follow, done: Follow, word: RegExp, to: string): readonly Edit[] {
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
  const tables = p.checks.flatMap((c): Edit[] => {
    const table = mendTable(c, c.rows, word, to, (text, of) => (of === 'do' ? done(text) : named(text)));
    return table ? [{ kind: 'changeCheck', id: c.id, to: { table } }] : [];
  });
  const rules = p.rules.flatMap((r): Edit[] =>
    named(r.sentence) !== r.sentence ? [{ kind: 'changeRule', id: r.id, to: { sentence: named(r.sentence) } }] : [],
  );
  const scope = p.scope.map(named),
    watches = p.bench?.watches?.map((w) => ({ ...w, rows: w.rows.map((r) => ({ ...r, path: named(r.path) })) }));
  return [
    ...rows,
    ...tables,
    ...rules,
    ...(differs(scope, p.scope) ? [{ kind: 'changeScope' as const, paths: scope }] : []),
    ...(watches && differs(watches, p.bench?.watches) ? [{ kind: 'changeBench' as const, to: { watches } }] : []),
  ];
}

/**
 * Texts of a language: names that stand by themselves or at the head of a path get another name; members of others, and
 * pins of what is called, do not.
 */
function renameIn(text: string, from: string, to: string): string {
  const { tokens } = lex(text),
    raw = (i: number) => (tokens[i] ? text.slice(tokens[i].start, tokens[i].end) : ''),
    isPin = (i: number) => ['(', ','].includes(raw(i - 1)) && [':=', '=>'].includes(raw(i + 1));
  let out = '',
    at = 0;
  for (const [i, t] of tokens.entries())
    if (t.kind === 'name' && raw(i).toLowerCase() === from.toLowerCase() && raw(i - 1) !== '.' && !isPin(i)) {
      out += text.slice(at, t.start) + to;
      at = t.end;
    }
  return out + text.slice(at);
}
/** In the text of a shape only what stands in braces is an expression. */
const renameInBraces = (text: string, from: string, to: string): string =>
  text.replace(/\{[^}]*\}/g, (m) => `{${renameIn(m.slice(1, -1), from, to)}}`);

/**
 * Gives a terminal, parameter, upset or handle of an own kind another name: in its text and picture, at all its devices
 * and what is linked to them, in checks, rules and on the scope. One step to undo.
 */
export function renamePiece(p: Project, id: string, from: string, to: string): Edit {
  const kind = p.machine.kinds!.find((k) => k.id === id)!,
    low = from.toLowerCase(),
    mine = p.machine.devices.filter((d) => d.type.toLowerCase() === kind.type.toLowerCase());
  const names = <T extends { readonly name: string }>(list: readonly T[]) =>
    list.map((x) => (x.name.toLowerCase() === low ? { ...x, name: to } : x));
  const keys = (of: Readonly<Record<string, string>> | undefined) =>
    of && Object.fromEntries(Object.entries(of).map(([k, v]) => [k.toLowerCase() === low ? to : k, v]));
  const picture = kind.picture.map((s) =>
    Object.fromEntries(
      Object.entries(s).map(([k, v]) => [
        k,
        k === 'id' || k === 'shape' ? v : k === 'text' ? renameInBraces(v, from, to) : renameIn(v, from, to),
      ]),
    ),
  ) as unknown as OwnKind['picture'];
  const links = (of: Readonly<Record<string, string>> | undefined) =>
    of &&
    Object.fromEntries(
      Object.entries(of).map(([k, path]) => {
        const [device = '', terminal, ...rest] = path.split('.');
        return [
          k,
          terminal?.toLowerCase() === low && mine.some((d) => d.name.toLowerCase() === device.toLowerCase())
            ? [device, to, ...rest].join('.')
            : path,
        ];
      }),
    );
  const devices = p.machine.devices.flatMap((d): Edit[] => {
    const isMine = mine.includes(d),
      wires = links(isMine ? keys(d.wires) : d.wires),
      parameters = isMine ? keys(d.parameters) : d.parameters,
      nc = isMine ? d.nc?.map((n) => (n.toLowerCase() === low ? to : n)) : d.nc;
    const next = {
      ...(differs(wires, d.wires) ? { wires: wires! } : {}),
      ...(differs(parameters, d.parameters) ? { parameters: parameters! } : {}),
      ...(differs(nc, d.nc) ? { nc: nc! } : {}),
    };
    return Object.keys(next).length ? [{ kind: 'changeDevice', id: d.id, to: next }] : [];
  });
  const path = new RegExp(
      `\\b((?:Machine\\.)?(?:${mine.map((d) => literally(d.name)).join('|')})\\.)${literally(from)}\\b`,
      'gi',
    ),
    named: Follow = (text) => (mine.length ? text.replace(path, `$1${to}`) : text);
  return {
    kind: 'group',
    label: `Rename ${kind.type}.${from} to ${to}`,
    edits: [
      {
        kind: 'changeKind',
        id,
        to: {
          terminals: names(kind.terminals),
          parameters: names(kind.parameters),
          upsets: names(kind.upsets),
          handles: names(kind.handles),
          locals: renameIn(kind.locals, from, to),
          body: renameIn(kind.body, from, to),
          picture,
        },
      },
      ...devices,
      ...(mine.length ? followed(p, named, named, new RegExp(`\\b${literally(from)}\\b`, 'gi'), to) : []),
    ],
  };
}
