/**
 * A project as IEC 61131-10 XML: types, programs and blocks, ladder with its layout, globals, tasks. What of ours has
 * no place there stands in `AddData` beside what it belongs to, which others pass over, and comes back.
 */
import { Problems } from '../../language/diagnostic.js';
import { lex } from '../../language/lexer.js';
import { parseFile, parseVariableSections, parseVariableText } from '../../language/parser.js';
import { makeSource } from '../../language/source.js';
import type { InterfaceDecl, MethodDecl, Pou } from '../../language/tree.js';
import { many } from '../../language/words.js';
import type { Compiled } from '../../workspace/compile.js';
import {
  type Project,
  type ProjectPou,
  type ProjectTask,
  type RungText,
  type Tag,
  tagText,
} from '../../document/document.js';
import { typeText as nameOfType } from '../../types/type.js';
import { powerPins, standardDurations } from '../text.js';
import { XSI_TYPE, blockElements, typeDeclaration, typeElement, variableElements } from './declarations.js';
import { type XmlElement, el, hasPlace, writeXml } from './element.js';
import { type CallFacts, rungElement } from './ladder.js';

export const NAMESPACE = 'www.iec.ch/public/TC65SC65BWG7TF10',
  SCHEMA_VERSION = '1.0';
/** Our data beside an element: JSON. */
const OURS = 'ferrule';
export const addData = (value: unknown): XmlElement =>
  el('AddData', {}, [el('Data', { name: OURS, handleUnknown: 'preserve' }, [el('Text', {}, safeJson(value))])]);
/** JSON whose strings hold nothing that XML has no place for. */
const safeJson = (value: unknown): string =>
  [...JSON.stringify(value)]
    .map((c) =>
      hasPlace(c) && c !== '\r' ? c : [...c].map((x) => `\\u${x.charCodeAt(0).toString(16).padStart(4, '0')}`).join(''),
    )
    .join('');
/** What we wrote beside an element, where it is still there and can be read. */
export function ownData(e: XmlElement | undefined): unknown {
  for (const data of e?.children.filter((c) => c.name === 'AddData').flatMap((c) => c.children) ?? [])
    if (data.name === 'Data' && data.attributes['name'] === OURS)
      try {
        return JSON.parse(data.children[0]?.text ?? '');
      } catch {
        return undefined;
      }
  return undefined;
}
const withData = (e: XmlElement, value: unknown): XmlElement => ({ ...e, children: [...e.children, addData(value)] });
const said = (text: string | undefined): XmlElement | undefined =>
  text?.trim() ? el('Documentation', { [XSI_TYPE]: 'SimpleText' }, text.trim()) : undefined;

export interface XmlOut {
  readonly text: string;
  /** What others would not see, or see otherwise, one sentence each. */ readonly left: readonly string[];
  /** What only Ferrule reads again, in a few words. */ readonly added: readonly string[];
}

export function tagElement(t: Tag): XmlElement | undefined {
  const problems = new Problems(),
    d = parseVariableText(makeSource('', tagText(t)), problems);
  return problems.hasErrors ? undefined : variableElements(d, 'Variable', [said(t.description)])[0];
}
export const taskElement = (t: ProjectTask): XmlElement =>
  el('Task', {
    name: t.name,
    ...(t.event ? { single: t.event } : { interval: standardDurations(t.interval) }),
    priority: t.priority,
  });
export const instanceElement = (program: string, task: string): XmlElement =>
  el('ProgramInstance', { name: `${program}Run`, typeName: program, associatedTaskName: task });

const BODY = (kind: 'ST' | 'LD', children: readonly XmlElement[]) =>
  el('MainBody', {}, [el('BodyContent', { [XSI_TYPE]: kind }, children)]);

/** Text between the head and the END of a declaration. */
function bodyOf(text: string, start: number, closer: string): string {
  const { tokens } = lex(text),
    word = (i: number) => text.slice(tokens[i]!.start, tokens[i]!.end).toUpperCase();
  let from = start,
    to = text.length;
  for (let i = 0; i < tokens.length; i++) {
    if (tokens[i]!.start < start) continue;
    const w = word(i);
    if (w === 'END_VAR' || w === 'END_METHOD') {
      from = tokens[i]!.end;
      if (tokens[i + 1] && word(i + 1) === ';') from = tokens[i + 1]!.end;
    }
    if (w === closer) to = tokens[i]!.start;
  }
  return text
    .slice(from, to)
    .replace(/^[^\S\n]*\n/, '')
    .trimEnd();
}
const methodElement = (m: MethodDecl): XmlElement => {
  const { text } = m.at.source,
    own = text.slice(m.at.start, m.at.end),
    start = Math.max(m.name.at.end, m.result?.at.end ?? 0) - m.at.start;
  return el(
    'Method',
    {
      name: m.name.text,
      accessSpecifier: m.access?.toLowerCase(),
      ...Object.fromEntries(m.modifiers.map((x) => [x.toLowerCase(), true])),
    },
    [
      m.result && typeElement('ResultType', m.result),
      ...blockElements(m.blocks),
      BODY('ST', [el('ST', {}, standardDurations(bodyOf(own, start, 'END_METHOD')))]),
    ],
  );
};

const ELEMENTS = { PROGRAM: 'Program', FUNCTION: 'Function', FUNCTION_BLOCK: 'FunctionBlock', CLASS: 'Class' } as const;
/** A program, block, function, class or interface in text; undefined where it is not exactly one that can be read. */
export function textElement(p: ProjectPou & { readonly language: 'ST' }): XmlElement | undefined {
  const problems = new Problems(),
    found = parseFile(makeSource('', p.text), problems),
    [d] = found as readonly (Pou | InterfaceDecl)[];
  if (problems.hasErrors || found.length !== 1 || !d || (d.kind !== 'pou' && d.kind !== 'interface')) return undefined;
  if (d.context.namespace || d.context.using.length) return undefined;
  const inherits = [
    ...(d.kind === 'interface' ? d.extends : d.extends ? [d.extends] : []).map((n) =>
      el('Extends', { typeName: n.text }),
    ),
    ...(d.kind === 'pou' ? d.implements : []).map((n) => el('Implements', { typeName: n.text })),
  ];
  if (d.kind === 'interface')
    return el('Interface', { name: d.name.text }, [said(p.description), ...inherits, ...d.methods.map(methodElement)]);
  const start = Math.max(
    d.name.at.end,
    d.result?.at.end ?? 0,
    d.extends?.at.end ?? 0,
    ...d.implements.map((n) => n.at.end),
  );
  return el(
    ELEMENTS[d.pou],
    { name: d.name.text, ...Object.fromEntries(d.modifiers.map((x) => [x.toLowerCase(), true])) },
    [
      said(p.description),
      ...inherits,
      d.result && typeElement('ResultType', d.result),
      ...blockElements(d.blocks),
      ...d.methods.map(methodElement),
      d.pou === 'CLASS'
        ? undefined
        : BODY('ST', [el('ST', {}, standardDurations(bodyOf(p.text, start, `END_${d.pou}`)))]),
    ],
  );
}

/** The own variables of a ladder as elements; undefined where they cannot be read. */
export function ladderVariables(variables: string | undefined): readonly (XmlElement | undefined)[] | undefined {
  const problems = new Problems(),
    blocks = parseVariableSections(makeSource('', variables ?? ''), problems);
  return problems.hasErrors ? undefined : blockElements(blocks);
}

/** What the declarations say of the calls in the rungs of a program. */
export function callFacts(compiled: Compiled, pou: string): CallFacts {
  const pins = powerPins(compiled, pou);
  const types = new Map<string, string>();
  for (const v of compiled.program.globals) types.set(v.name.toLowerCase(), nameOfType(v.type));
  for (const p of compiled.program.pous)
    if (p.name.toLowerCase() === pou.toLowerCase())
      for (const v of p.variables) types.set(v.name.toLowerCase(), nameOfType(v.type));
  return (e) => {
    const known = pins(e);
    return known && { type: types.get(e.name.toLowerCase()) ?? '', ...known };
  };
}

/** A rung as it is written out: its network, and beside it the line as it was. */
export const rungWithLine = (r: RungText, order: number, facts: CallFacts) => {
  const out = rungElement(r, order, facts);
  return { ...out, element: withData(out.element, r) };
};

/**
 * The document. Nothing is dropped: what others would not see is in `left`, what only Ferrule reads again in `added`.
 * @param compiled the checked project, for the pins and types of blocks in its rungs
 */
export function projectToXml(project: Project, compiled: Compiled): XmlOut {
  const left: string[] = [],
    only: ProjectPou[] = [],
    onlyTags: Tag[] = [],
    onlyTypes: Project['types'][number][] = [];
  const types = project.types.flatMap((t) => {
    const e = typeDeclaration(t.text);
    if (e) return [withData(e, t)];
    onlyTypes.push(t);
    left.push(`Type ${/^\s*(\w*)/.exec(t.text)?.[1] ?? ''}: its text cannot be read; others do not see it.`);
    return [];
  });
  const pous = project.pous.flatMap((p): XmlElement[] => {
    if (p.language === 'ST') {
      const e = textElement(p);
      if (e) return [withData(e, p)];
      only.push(p);
      left.push(
        `${p.name}: it is not one declaration that can be read (errors, several, or a namespace); others do not see it.`,
      );
      return [];
    }
    const variables = ladderVariables(p.variables);
    if (!variables) {
      only.push(p);
      left.push(`${p.name}: its own variables cannot be read; others do not see it.`);
      return [];
    }
    const facts = callFacts(compiled, p.name);
    const rungs = p.rungs.map((r, i) => {
      const out = rungWithLine(r, i + 1, facts);
      for (const why of out.left) left.push(`${p.name} rung ${i + 1}: ${why}; others see the rung without it.`);
      return out.element;
    });
    const { rungs: _, ...own } = p;
    return [
      withData(
        el(p.kind === 'functionBlock' ? 'FunctionBlock' : 'Program', { name: p.name }, [
          said(p.description),
          ...variables,
          BODY('LD', rungs),
        ]),
        own,
      ),
    ];
  });
  const group = (fits: (t: Tag) => boolean, attributes: Readonly<Record<string, boolean>>): XmlElement | undefined => {
    const list = project.tags.filter(fits).flatMap((t) => {
      const e = t.standsFor ? undefined : tagElement(t);
      if (e) return [withData(e, t)];
      onlyTags.push(t);
      left.push(
        t.standsFor
          ? `Tag ${t.name}: a second name of ${t.standsFor}; others do not see it.`
          : `Tag ${t.name}: its declaration cannot be read; others do not see it.`,
      );
      return [];
    });
    return list.length ? el('GlobalVars', attributes, list) : undefined;
  };
  const globals = [
    group((t) => !t.constant && !t.retain, {}),
    group((t) => !t.constant && !!t.retain, { retain: true }),
    group((t) => !!t.constant && !t.retain, { constant: true }),
    group((t) => !!t.constant && !!t.retain, { constant: true, retain: true }),
  ];
  const name = project.name.replace(/\W+/g, '') || 'Project';
  const { types: _t, tags: _g, pous: _p, tasks: _k, ...rest } = project;
  const order = {
    tags: project.tags.map((t) => t.id),
    pous: project.pous.map((p) => p.id),
    types: project.types.map((t) => t.id),
  };
  const root = el(
    'Project',
    { xmlns: NAMESPACE, 'xmlns:xsi': 'http://www.w3.org/2001/XMLSchema-instance', schemaVersion: SCHEMA_VERSION },
    [
      el('FileHeader', { companyName: '', productName: 'Ferrule', productVersion: SCHEMA_VERSION }),
      el('ContentHeader', { name: project.name }, [
        said(project.description),
        addData({ ...rest, order, only: { pous: only, tags: onlyTags, types: onlyTypes } }),
      ]),
      el('Types', {}, [el('GlobalNamespace', {}, [...types, ...pous])]),
      el('Instances', {}, [
        el('Configuration', { name }, [
          el('Resource', { name: 'Controller', resourceTypeName: 'Any' }, [
            ...globals,
            ...project.tasks.map((t) => withData(taskElement(t), t)),
            ...project.tasks.flatMap((t) => t.programs.map((p) => instanceElement(p, t.name))),
          ]),
        ]),
      ]),
    ],
  );
  const added = [
    project.machine.devices.length ? `the machine with ${many(project.machine.devices.length, 'device')}` : '',
    project.checks.length ? many(project.checks.length, 'check') : '',
    project.rules.length ? many(project.rules.length, 'rule') : '',
    project.plan ? 'the plan' : '',
    project.modules?.length ? 'the I/O layout' : '',
    project.outside ? 'the connections to another program' : '',
    project.board ? 'the board and its pins' : '',
    'what tags say beyond their declaration',
  ].filter(Boolean);
  return { text: writeXml(root), left, added };
}
