/** Fixes for problems: edits that make a problem go away and keep what is meant, where one is safe. */
import { type Diagnostic, Problems, isSlip, nearest } from '../language/diagnostic.js';
import { lex } from '../language/lexer.js';
import { type Origin, elementAt, makeSource } from '../language/source.js';
import { type ParsedRung, parseRungLine } from '../ladder/parse.js';
import { printRung } from '../ladder/print.js';
import { isOutput, nodesOf, parallel } from '../ladder/rung.js';
import { standardFunctionNames } from '../library/functions.js';
import { splitOutputs } from '../ladder/convert.js';
import { typeText } from '../types/type.js';
import type { Compiled } from '../workspace/compile.js';
import type { Project, ProjectPou, RungText } from '../document/document.js';
import { declareNames, declaresOwn } from '../workspace/declare.js';
import { type Edit, applyEdit } from '../document/edits/index.js';
import { bitsOf, nextFree } from '../workspace/guess.js';
import { type NewName, newNames, newNamesOfText } from '../workspace/new-names.js';
import type { OwnSection } from '../workspace/own-table.js';
import { changeOf } from '../document/edits/texts.js';

export interface Fix {
  readonly label: string;
  readonly edit: Edit;
}

/** Fixes for a problem, the likeliest first; none where only a person can know. */
export function fixesFor(
  project: Project,
  compiled: Compiled,
  d: Diagnostic,
  newId: (prefix: string) => string,
): readonly Fix[] {
  const text = d.at.source.text.slice(d.at.start, d.at.end);
  if (d.instead !== undefined) return fix(`Write ${d.instead}`, replaceAll(project, d, d.instead));
  const said = proposedName(project, d);
  if (said.length) return said;
  switch (d.code) {
    case 'SYNTAX':
      return missingSign(project, d, text);
    case 'WRONG_ARGUMENTS':
      return text === '=' ? argumentSign(project, d) : [];
    case 'UNKNOWN_NAME':
      return unknownName(project, compiled, d, text, newId);
    case 'NOT_CALLABLE':
      return [...instanceOf(project, d, text, newId), ...spelledLike(project, compiled, d, text)];
    case 'UNKNOWN_MEMBER':
    case 'UNKNOWN_TYPE':
      return spelledLike(project, compiled, d, text);
    case 'UNUSED_TAG':
      return unusedTag(project, d);
    case 'DOUBLE_COIL':
      return doubleCoil(project, d, newId);
    case 'REAL_EQUALITY':
      return realEquality(project, d, text);
    case 'TYPE_MISMATCH':
      return conversion(project, d, text);
    case 'BAD_ADDRESS':
    case 'OVERLAP':
      return otherAddress(project, d);
    case 'NO_ADDRESS':
      return firstAddress(project, d);
    case 'SET_WITHOUT_RESET':
      return plainCoil(project, d);
    default:
      return [];
  }
}

/**
 * Of these fixes those that take the problem away, tried on the project as it would be then. `check` compiles a project
 * and gives its problems. A fix that leaves the problem as it is helps nobody and is not offered.
 */
export function fixesThatHelp(
  project: Project,
  d: Diagnostic,
  fixes: readonly Fix[],
  check: (project: Project) => readonly Diagnostic[],
): readonly Fix[] {
  return fixes.filter((f) => {
    const r = applyEdit(project, f.edit);
    if ('refused' in r) return false;
    return !check(r.project).some(
      (x) => x.code === d.code && x.message === d.message && sameOrigin(x.at.source.origin, d.at.source.origin),
    );
  });
}
const sameOrigin = (a: Origin, b: Origin): boolean =>
  a.kind === b.kind &&
  (a.kind === 'rung' && b.kind === 'rung' ? a.rungId === b.rungId : !('id' in a) || !('id' in b) || a.id === b.id);

/** The edit that puts other text in place of what the problem is about. */
function replace(
  project: Project,
  d: Diagnostic,
  to: string,
  span: { start: number; end: number } = d.at,
): Edit | undefined {
  const { source } = d.at;
  const next = source.text.slice(0, span.start) + to + source.text.slice(span.end);
  const o = source.origin;
  if (o.kind === 'rung') return { kind: 'changeRung', pou: o.pouId, id: o.rungId, to: { line: next } };
  if (o.kind === 'pou' && o.id !== 'tasks') return changeOf(project, o.id, next);
  return undefined;
}
const replaceAll = (project: Project, d: Diagnostic, to: string): Edit | undefined =>
  replace(project, d, to, { start: 0, end: d.at.source.text.length });

/** What the message itself asks: `Did you mean 'PT'?` Names that people make up have rules of their own. */
function proposedName(project: Project, d: Diagnostic): Fix[] {
  const meant = d.code === 'UNKNOWN_NAME' ? undefined : / Did you mean '([^']+)'\?/.exec(d.message)?.[1];
  return meant === undefined ? [] : fix(`Write ${meant}`, replace(project, d, meant));
}

/** `=` between the brackets of a call: the sign that the message names. */
function argumentSign(project: Project, d: Diagnostic): Fix[] {
  const sign = / with '(:=|=>)'/.exec(d.message)?.[1];
  return sign ? fix(`Write ${sign}`, replace(project, d, sign)) : [];
}

/** `=` where `:=` is meant, and a statement that does not end. */
function missingSign(project: Project, d: Diagnostic, text: string): Fix[] {
  if (d.message.startsWith("An assignment is written ':='") && text === '=')
    return fix('Write :=', replace(project, d, ':='));
  if (!d.message.startsWith("Expected ';' behind")) return [];
  const { source } = d.at;
  const before = lex(source.text, { rung: source.origin.kind === 'rung' })
    .tokens.filter((t) => t.kind !== 'end' && t.end <= d.at.start)
    .at(-1);
  return before ? fix('Write ; behind it', replace(project, d, ';', { start: before.end, end: before.end })) : [];
}

const fix = (label: string, edit: Edit | undefined): Fix[] => (edit ? [{ label, edit }] : []);

function unknownName(
  project: Project,
  compiled: Compiled,
  d: Diagnostic,
  text: string,
  newId: (prefix: string) => string,
): Fix[] {
  if (!/^[A-Za-z_]\w*$/.test(text)) return [];
  const like = spelledLike(project, compiled, d, text);
  const o = d.at.source.origin;
  if (o.kind !== 'rung' && o.kind !== 'pou') return like;
  const type = wantedType(project, compiled, d, text);
  const pou = project.pous.find((p) => p.id === (o.kind === 'rung' ? o.pouId : o.id));
  const declare = (of: ProjectPou | undefined, how = '', section?: OwnSection): Fix[] => {
    const { edits, said } = declareNames(project, of, [{ name: text, type }], newId, section);
    return edits[0] ? [{ label: `Declare ${said[0]!.replace(/ (?=%)/, ' at ')}${how}`, edit: edits[0] }] : [];
  };
  // Declaring comes first: names are made up, and only a slip says that another was meant.
  return declaresOwn(pou)
    ? [
        ...declare(pou, ` as its own variable`),
        ...declare(pou, ' as its input', 'VAR_INPUT'),
        ...declare(undefined, ', a tag of the project'),
        ...like,
      ]
    : [...declare(undefined), ...like];
}

/** A function block called by its own name: an instance of it is declared and called (6.6.3.4.1). */
function instanceOf(project: Project, d: Diagnostic, text: string, newId: (prefix: string) => string): Fix[] {
  const o = d.at.source.origin;
  if (!d.message.includes('is a function block;') || (o.kind !== 'rung' && o.kind !== 'pou')) return [];
  const pouOf = (of: Project) => of.pous.find((p) => p.id === (o.kind === 'rung' ? o.pouId : o.id)),
    pou = pouOf(project),
    own = !pou ? '' : pou.language === 'ST' ? pou.text : (pou.variables ?? '');
  const isTaken = (name: string) =>
    [...project.tags, ...project.pous].some((x) => x.name.toLowerCase() === name.toLowerCase()) ||
    new RegExp(`\\b${name}\\b`, 'i').test(own);
  let n = 1;
  while (isTaken(`${text}${n}`)) n++;
  const name = `${text}${n}`,
    called = replace(project, d, name),
    next = called && applyEdit(project, called);
  if (!called || !next || 'refused' in next) return [];
  const { edits, said } = declareNames(next.project, pouOf(next.project), [{ name, type: text }], newId);
  const label = `Declare ${said[0]} and call that`;
  return [{ label, edit: { kind: 'group', label, edits: [called, ...edits] } }];
}

/** Names that a program or block uses and nothing declares. */
export interface Undeclared {
  /** Name of the program or block. */ readonly pou: string;
  readonly names: readonly string[];
  /** One slip away from a declared name, which is likelier what was meant; not in the edit. */
  readonly slips: readonly { readonly name: string; readonly like: string }[];
  /** Declares all of `names`, a program's as tags, a block's or function's as its own; missing where all are slips. */
  readonly edit?: Edit;
}

/**
 * What each program or block uses undeclared, in the order of the programs' problems: each name once, with the type
 * that the first place that asks for one asks for. Functions, enumeration values and tasks that do not exist are none
 * of these.
 */
export function undeclaredNames(
  project: Project,
  compiled: Compiled,
  diagnostics: readonly Diagnostic[],
  newId: (prefix: string) => string,
): readonly Undeclared[] {
  const found = new Map<string, Map<string, { name: string; type: string | undefined }>>();
  for (const d of diagnostics) {
    const { origin } = d.at.source;
    if (d.code !== 'UNKNOWN_NAME' || (origin.kind !== 'rung' && (origin.kind !== 'pou' || origin.id === 'tasks')))
      continue;
    const { text } = d.at.source,
      name = text.slice(d.at.start, d.at.end),
      after = text.slice(d.at.end, d.at.end + NEAR).trimStart();
    if (!/^[A-Za-z_]\w*$/.test(name) || text[d.at.start - 1] === '#' || /^:(?!=)/.test(after)) continue;
    const pou = origin.kind === 'rung' ? origin.pou : origin.name,
      names = found.get(pou) ?? new Map<string, { name: string; type: string | undefined }>(),
      before = names.get(name.toLowerCase());
    if (before?.type) continue;
    const type = wantedType(project, compiled, d, name);
    if (after.startsWith('(') && !type) continue;
    names.set(name.toLowerCase(), { name: before?.name ?? name, type: before?.type ?? type });
    found.set(pou, names);
  }
  const like = slipsOf(project.tags.map((t) => t.name));
  return [...found].map(([pou, all]) => {
    const slips = [...all.values()].flatMap(({ name }) => {
      const meant = like(name);
      return meant ? [{ name, like: meant }] : [];
    });
    const { edits, names } = declareNames(
      project,
      project.pous.find((p) => p.name.toLowerCase() === pou.toLowerCase()),
      [...all.values()].filter(({ name }) => !slips.some((s) => s.name === name)),
      newId,
    );
    return {
      pou,
      names,
      slips,
      ...(edits.length ? { edit: { kind: 'group', label: `Declare all of ${pou}`, edits } } : {}),
    };
  });
}

/**
 * Tells of which of the names another is a slip. Looks up names less one letter, so that thousands cost no more than
 * their length.
 */
function slipsOf(names: readonly string[]): (name: string) => string | undefined {
  const shorter = (name: string) => {
    const n = name.toLowerCase();
    return [n, ...Array.from(n, (_, i) => n.slice(0, i) + n.slice(i + 1))];
  };
  const by = new Map<string, string[]>();
  for (const name of names) if (name.length > 3) for (const s of shorter(name)) by.set(s, [...(by.get(s) ?? []), name]);
  return (name) =>
    shorter(name)
      .flatMap((s) => by.get(s) ?? [])
      .find((n) => isSlip(name, n));
}

/** Names within reach that are spelled nearly so. */
function spelledLike(project: Project, compiled: Compiled, d: Diagnostic, text: string): Fix[] {
  const names = [
    ...project.tags.map((t) => t.name),
    ...(d.code === 'NOT_CALLABLE' ? [...standardFunctionNames(), ...project.pous.map((p) => p.name)] : []),
    ...compiled.program.pous
      .filter((p) => d.at.source.origin.kind === 'pou' && p.name === d.at.source.origin.name)
      .flatMap((p) => p.variables.map((v) => v.name)),
    ...[...compiled.program.types.values()].flatMap((t) => ('name' in t ? [t.name] : [])),
  ];
  const meant = d.code === 'UNKNOWN_NAME' ? names.filter((n) => isSlip(text, n)).slice(0, 1) : nearest(text, names, 2);
  return meant.flatMap((n) => fix(`Write ${n}`, replace(project, d, n)));
}

const NEAR = 1000;
/** The type a name must have where it stands, as all that is written of it there says. */
function wantedType(project: Project, compiled: Compiled, d: Diagnostic, name: string): string | undefined {
  const { origin, text } = d.at.source;
  const pou = origin.kind === 'rung' ? origin.pou : origin.kind === 'pou' ? origin.name : undefined;
  const own = ownTypes(compiled, pou),
    isOther = (n: string) => n !== name.toLowerCase();
  const names =
    origin.kind === 'rung'
      ? newNames(project, text, () => false, own)
      : origin.kind === 'pou'
        ? namesOfText(project, text, own)
        : [];
  return names.find((n) => !isOther(n.name.toLowerCase()))?.type;
}

/** Types of a program's own variables, by lower-case name. */
function ownTypes(compiled: Compiled, pou: string | undefined): ReadonlyMap<string, string> {
  const found = compiled.program.pous.find((p) => p.name.toLowerCase() === pou?.toLowerCase());
  return new Map(
    found?.variables.filter((v) => v.section !== 'hidden').map((v) => [v.name.toLowerCase(), typeText(v.type)]),
  );
}

/** A long text with many problems is walked once. */
let lastText: { readonly project: Project; readonly text: string; readonly names: readonly NewName[] } | undefined;
function namesOfText(project: Project, text: string, own: ReadonlyMap<string, string>): readonly NewName[] {
  if (lastText?.project !== project || lastText.text !== text)
    lastText = { project, text, names: newNamesOfText(project, text, () => false, own) };
  return lastText.names;
}

function unusedTag(project: Project, d: Diagnostic): Fix[] {
  const o = d.at.source.origin;
  if (o.kind !== 'tag') return [];
  const tag = project.tags.find((t) => t.id === o.id);
  const isWired = project.machine.devices.some((m) =>
    Object.values(m.wires ?? {}).some((w) => w.split(/[.[]/)[0]!.toLowerCase() === tag?.name.toLowerCase()),
  );
  return tag && !isWired ? [{ label: `Delete ${tag.name}`, edit: { kind: 'removeTag', id: tag.id } }] : [];
}

/** Two rungs with one coil become one, with both sets of conditions as legs. */
function doubleCoil(project: Project, d: Diagnostic, newId: (prefix: string) => string): Fix[] {
  const o = d.at.source.origin;
  if (o.kind !== 'rung') return [];
  const rungs = project.pous.flatMap((p) =>
    p.language === 'LD' ? p.rungs.map((r) => ({ pou: p.id, rung: r, parsed: read(r)?.rung })) : [],
  );
  const element = elementAt(d.at.source, d.at.start);
  const mine = rungs.find((r) => r.rung.id === o.rungId);
  const coil = mine?.parsed && element !== undefined ? nodesOf(mine.parsed)[element - 1] : undefined;
  if (!mine?.parsed || coil?.kind !== 'coil') return [];
  const alone = (r: (typeof rungs)[number]) =>
    r.parsed?.outputs.length === 1 &&
    r.parsed.outputs[0]!.kind === 'coil' &&
    r.parsed.outputs[0]!.mode === 'plain' &&
    r.parsed.outputs[0]!.tag.toLowerCase() === coil.tag.toLowerCase();
  const others = rungs.filter(
    (r) =>
      r !== mine &&
      r.parsed &&
      nodesOf(r.parsed).some(
        (n) => isOutput(n) && n.kind === 'coil' && n.tag.toLowerCase() === coil.tag.toLowerCase() && n.mode === 'plain',
      ),
  );
  const [other] = others;
  if (other && others.length === 1 && alone(mine) && alone(other) && mine.parsed.logic && other.parsed!.logic) {
    const [first, second] = rungs.indexOf(mine) < rungs.indexOf(other) ? [mine, other] : [other, mine];
    const line = printRung({
      logic: parallel([first.parsed!.logic!, second.parsed!.logic!]),
      outputs: first.parsed!.outputs,
    });
    return [
      {
        label: `Join both into one rung: either switches ${coil.tag} on`,
        edit: {
          kind: 'group',
          label: `Join the rungs of ${coil.tag}`,
          edits: [
            {
              kind: 'changeRung',
              pou: first.pou,
              id: first.rung.id,
              to: {
                line,
                comment: [first.rung.comment, second.rung.comment].filter(Boolean).join('\n') || null,
              },
            },
            { kind: 'removeRung', pou: second.pou, id: second.rung.id },
          ],
        },
      },
    ];
  }
  // An output bundled with others stands in the way: alone, it can be joined.
  const split = splitOutputs(mine.rung.line);
  if (mine.parsed.outputs.length > 1 && 'lines' in split)
    return [
      {
        label: 'Give each output of this rung a rung of its own',
        edit: splitEdit(project, mine.pou, mine.rung, split.lines, newId),
      },
    ];
  return [];
}
const read = (r: RungText): ParsedRung | undefined => parseRungLine(makeSource('', r.line), new Problems());

/** One rung in place of another becomes several; the first keeps its id, comment and heading. */
export function splitEdit(
  project: Project,
  pou: string,
  rung: RungText,
  lines: readonly string[],
  newId: (prefix: string) => string,
): Edit {
  const p = project.pous.find((x) => x.id === pou);
  const at = p?.language === 'LD' ? p.rungs.findIndex((r) => r.id === rung.id) : 0;
  return {
    kind: 'group',
    label: 'Split a rung',
    edits: [
      { kind: 'changeRung', pou, id: rung.id, to: { line: lines[0]! } },
      ...lines
        .slice(1)
        .map((line, i): Edit => ({ kind: 'addRung', pou, rung: { id: newId('r'), line }, at: at + 1 + i })),
    ],
  };
}

function realEquality(project: Project, d: Diagnostic, text: string): Fix[] {
  const m = /^\s*(.+?)\s*(<>|=)\s*(.+?)\s*$/.exec(text);
  if (!m) return [];
  return fix(
    'Compare with a tolerance of 0.001',
    replace(project, d, `ABS(${m[1]} - ${m[3]}) ${m[2] === '=' ? '<=' : '>'} 0.001`),
  );
}

/** `REAL is wanted here, but this is INT`: the conversion, where it loses nothing or is the usual one. */
function conversion(project: Project, d: Diagnostic, text: string): Fix[] {
  const named = / Use ([A-Z]+_TO_[A-Z]+)\(…\)/.exec(d.message)?.[1];
  if (named && text.trim()) return fix(`Convert: ${named}(…)`, replace(project, d, `${named}(${text})`));
  const m = /^([A-Z]+) is wanted here, but this is ([A-Z]+)\b/.exec(d.message);
  if (!m || !text.trim()) return [];
  const [, to, from] = m;
  const numbers = [
    'SINT',
    'INT',
    'DINT',
    'LINT',
    'USINT',
    'UINT',
    'UDINT',
    'ULINT',
    'REAL',
    'LREAL',
    'BYTE',
    'WORD',
    'DWORD',
    'LWORD',
  ];
  return numbers.includes(to!) && numbers.includes(from!)
    ? fix(`Convert: ${from}_TO_${to}(…)`, replace(project, d, `${from}_TO_${to}(${text})`))
    : [];
}

function otherAddress(project: Project, d: Diagnostic): Fix[] {
  const o = d.at.source.origin;
  const tag = o.kind === 'tag' ? project.tags.find((t) => t.id === o.id) : undefined;
  const area = /^%([IQM])/i.exec(tag?.address ?? '')?.[1]?.toUpperCase();
  if (!tag || !area) return [];
  const bits = bitsOf(tag.type);
  const address =
    bits &&
    nextFree(
      area as 'I',
      bits,
      project.tags.filter((t) => t !== tag),
      project.modules,
    );
  return address
    ? [{ label: `Move ${tag.name} to ${address}`, edit: { kind: 'changeTag', id: tag.id, to: { address } } }]
    : [];
}

/** A tag of the machine's wiring gets the next free point on its side. */
function firstAddress(project: Project, d: Diagnostic): Fix[] {
  const o = d.at.source.origin,
    tag = o.kind === 'tag' ? project.tags.find((t) => t.id === o.id) : undefined,
    bits = tag && bitsOf(tag.type),
    address = bits && nextFree(d.message.includes('(%I)') ? 'I' : 'Q', bits, project.tags, project.modules);
  return address
    ? [{ label: `Give ${tag.name} the address ${address}`, edit: { kind: 'changeTag', id: tag.id, to: { address } } }]
    : [];
}

function plainCoil(project: Project, d: Diagnostic): Fix[] {
  const text = d.at.source.text.slice(d.at.start, d.at.end);
  return d.at.source.origin.kind === 'rung' && /^set\s/i.test(text)
    ? fix('Make it a plain coil', replace(project, d, text.replace(/^set\s+/i, '')))
    : [];
}
