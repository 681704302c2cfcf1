/**
 * IEC 61131-10 XML to a project. What Ferrule wrote beside an element is taken where the element still says the same;
 * where others changed it, the element counts. What is not understood is listed with its line, never dropped silently.
 *
 * IEC 61131-10 XML (`files/xml`) is read by a streaming parser within bounds (`element`: no document types, so no
 * entities) and written from the checked tree (`declarations`, `ladder`, `write`). What of ours has no place there
 * stands in `AddData` beside what it belongs to; reading takes it only where the element, made again from it, still
 * says the same, so that what others changed counts (`read`). A ladder is a graph of connections there: `ladder` puts
 * it together to series and legs, whoever drew it; diagrams of blocks become statements, and rungs where these have
 * the shape of one; sequential charts become sequences of the plan (`chart`). The schema beside
 * (`iec61131-10.xsd`) is our own writing of the part that is written, checked by `xmllint`.
 */
import { compile } from '../../workspace/compile.js';
import {
  type Project,
  type ProjectPou,
  type ProjectTask,
  type RungText,
  type Sequence,
  type Tag,
  type TypeText,
  emptyProject,
} from '../../document/document.js';
import { projectInOrder } from '../../document/order.js';
import { textToRungs } from '../../ladder/convert.js';
import { type XmlElement, childOf, childrenOf, el, readXml, saysSame } from './element.js';
import {
  type Say,
  describedBy,
  documentation,
  kindOfElement,
  sectionsText,
  initialText,
  specText,
  typeText,
} from './declarations.js';
import { chartToSequence } from './chart.js';
import { Network, NoNetwork, rungNotes } from './ladder.js';
import {
  SCHEMA_VERSION,
  callFacts,
  instanceElement,
  ladderVariables,
  ownData,
  rungWithLine,
  tagElement,
  taskElement,
  textElement,
} from './write.js';
import { typeDeclaration } from './declarations.js';

export interface XmlIn {
  /** Undefined where nothing could be read; then `problem` says why. */ readonly project?: Project;
  readonly problem?: string;
  /** What did not come in, or came in otherwise, one sentence each with its line. */ readonly left: readonly string[];
}

const isObject = (x: unknown): x is Record<string, unknown> => typeof x === 'object' && x !== null && !Array.isArray(x);

/**
 * Reads a document into a project that is still to be checked like any project file.
 * @param name what it is called where the file does not say
 */
export function projectFromXml(text: string, name: string, newId: (prefix: string) => string): XmlIn {
  const read = readXml(text);
  if ('problem' in read) return { problem: read.problem, left: [] };
  const { root } = read;
  if (root.name !== 'Project')
    return { problem: `Line ${root.line}: this is ‘${root.name}’, not a Project of IEC 61131-10.`, left: [] };
  const { schemaVersion } = root.attributes;
  if (schemaVersion !== undefined && schemaVersion.split('.')[0] !== SCHEMA_VERSION.split('.')[0])
    return {
      problem: `Line ${root.line}: the file is of schema version ${schemaVersion}, this Ferrule reads ${SCHEMA_VERSION}; save it as that.`,
      left: [],
    };
  return new Reader(name, newId).project(root);
}

class Reader {
  private readonly left: string[] = [];
  private readonly sequences: Sequence[] = [];

  constructor(
    private readonly fileName: string,
    private readonly newId: (prefix: string) => string,
  ) {}

  private readonly say: Say = (at, why) => {
    this.left.push(`Line ${at.line}: ${why}`);
  };

  project(root: XmlElement): XmlIn {
    const header = childOf(root, 'ContentHeader'),
      ours = ownData(header),
      rest = isObject(ours) ? ours : {};
    const { order, only, description: was, ...more } = rest,
      description = describedBy(header, was),
      title = header?.attributes['name'];
    const held = (isObject(only) ? only : {}) as { pous?: ProjectPou[]; tags?: Tag[]; types?: TypeText[] };
    const base = emptyProject(header?.attributes['name'] || this.fileName);
    const types: TypeText[] = [...(held.types ?? [])],
      pous: ProjectPou[] = [...(held.pous ?? [])],
      ladders: { readonly e: XmlElement; readonly at: number }[] = [];
    for (const space of childrenOf(childOf(root, 'Types'), 'GlobalNamespace').concat(
      childrenOf(root, 'GlobalNamespace'),
    ))
      for (const e of space.children) this.declaration(e, types, pous, ladders);
    const tags: Tag[] = [...(held.tags ?? [])],
      tasks: ProjectTask[] = [];
    for (const c of childrenOf(childOf(root, 'Instances'), 'Configuration')) this.configuration(c, tags, tasks);
    // A project of ours without tasks is one; what others give without any is run like a text is.
    if (!tasks.length && !isObject(ours) && pous.some((p) => p.kind === 'program'))
      tasks.push({
        id: this.newId('k'),
        name: 'Main',
        interval: '10 ms',
        priority: 1,
        programs: pous.filter((p) => p.kind === 'program').map((p) => p.name),
      });
    const sorted = isObject(order) ? order : {};
    let project: Project = {
      ...base,
      ...(more as Partial<Project>),
      format: base.format,
      version: base.version,
      // A name with what XML has no place for is ours, where the file says the same.
      name:
        typeof rest['name'] === 'string' && el('x', {}, rest['name']).text === title
          ? rest['name']
          : title || this.fileName,
      ...(description === undefined ? {} : { description }),
      tags: inOrder(tags, sorted['tags']),
      types: inOrder(types, sorted['types']),
      pous,
      tasks,
    };
    if (this.sequences.length)
      project = {
        ...project,
        plan: { ...project.plan, sequences: [...(project.plan?.sequences ?? []), ...this.sequences] },
      };
    project = this.withRungs(project, ladders);
    return { project: projectInOrder({ ...project, pous: inOrder(project.pous, sorted['pous']) }), left: this.left };
  }

  private declaration(
    e: XmlElement,
    types: TypeText[],
    pous: ProjectPou[],
    ladders: { readonly e: XmlElement; readonly at: number }[],
  ): void {
    const { name = '' } = e.attributes,
      ours = ownData(e);
    switch (e.name) {
      case 'AddData':
        return;
      case 'NamespaceDecl':
        this.say(e, `the namespace ${name}: what is in it comes in without it.`);
        for (const inner of e.children) this.declaration(inner, types, pous, ladders);
        return;
      case 'DataTypeDecl': {
        const own = ours as TypeText | undefined,
          again = typeof own?.text === 'string' ? typeDeclaration(own.text) : undefined;
        if (own && again && saysSame(again, e, 'AddData')) types.push({ id: own.id, text: own.text });
        else {
          const spec = childOf(e, 'UserDefinedTypeSpec'),
            initial = initialText(childOf(e, 'InitialValue'));
          if (!spec) this.say(e, `the type ${name} says nothing of what it is; it is left out.`);
          else
            types.push({
              id: own?.id ?? this.newId('y'),
              text: `${name} : ${specText(spec, this.say)}${initial === undefined ? '' : ` := ${initial}`};`,
            });
        }
        return;
      }
      case 'Program':
      case 'FunctionBlock':
      case 'Function':
      case 'Class':
      case 'Interface':
        this.pou(e, pous, ladders);
        return;
      default:
        this.say(e, `‘${e.name}’${name ? ` ${name}` : ''} is not known here; it is left out.`);
    }
  }

  private pou(e: XmlElement, pous: ProjectPou[], ladders: { readonly e: XmlElement; readonly at: number }[]): void {
    const ours = ownData(e) as ProjectPou | undefined,
      { name = '' } = e.attributes,
      content = childOf(e, 'MainBody', 'BodyContent'),
      kind = e.name === 'Program' ? 'program' : e.name === 'Function' ? 'function' : 'functionBlock',
      description = describedBy(e, ours?.description);
    const common = { id: ours?.id ?? this.newId('p'), name, ...(description === undefined ? {} : { description }) };
    const body = content ? kindOfElement(content) : 'ST';
    if (body === 'LD' && kind !== 'function' && e.name !== 'Class' && !childrenOf(e, 'Method').length) {
      const own = ours?.language === 'LD' ? ours.variables : undefined,
        again = own === undefined ? undefined : ladderVariables(own);
      const declared = (x: XmlElement): XmlElement => ({
        ...x,
        attributes: {},
        children: x.children.filter((c) => /Vars$|^Parameters$/.test(c.name)),
      });
      const isSame =
        again &&
        saysSame({ ...e, attributes: {}, children: again.filter((c) => c !== undefined) }, declared(e), 'AddData');
      const variables = isSame ? own : sectionsText(e, this.say);
      ladders.push({ e: content!, at: pous.length });
      pous.push({ ...common, language: 'LD', kind, ...(variables ? { variables } : {}), rungs: [] });
      return;
    }
    if (ours?.language === 'ST' && typeof ours.text === 'string') {
      const again = textElement(ours);
      if (again && saysSame(again, e, 'AddData')) {
        pous.push({ ...common, language: 'ST', kind: ours.kind, text: ours.text });
        return;
      }
    }
    if (body === 'SFC' && kind === 'program') {
      const sequence = chartToSequence(content!, name, this.newId, this.say);
      if (sequence) {
        this.sequences.push(sequence);
        this.say(e, `${name}: its sequential chart is a sequence of the plan now; make its logic there.`);
        return;
      }
    }
    if (body === 'FBD') {
      const made = this.diagram(e, content!);
      if (made && kind !== 'function') {
        pous.push({
          ...common,
          language: 'LD',
          kind,
          ...(made.variables ? { variables: made.variables } : {}),
          rungs: made.rungs,
        });
        return;
      }
    }
    const text = this.text(e, content, body);
    if (text !== undefined) pous.push({ ...common, language: 'ST', kind, text });
  }

  /** A diagram of blocks as rungs, where every network has the shape of one; else undefined, and it becomes text. */
  private diagram(
    e: XmlElement,
    content: XmlElement,
  ): { readonly variables: string; readonly rungs: readonly RungText[] } | undefined {
    const rungs: RungText[] = [];
    try {
      for (const network of networksOf(content)) {
        const text = new Network(network.children).statements().join('\n');
        if (!text) continue;
        const made = textToRungs(text);
        if ('refused' in made) return undefined;
        made.lines.forEach((line, i) => rungs.push({ id: this.newId('r'), line, ...(i ? {} : rungNotes(network)) }));
      }
    } catch (problem) {
      if (!(problem instanceof NoNetwork)) throw problem;
      return undefined;
    }
    return { variables: sectionsText(e, this.say), rungs };
  }

  /** Whole text of a program, block, function, class, interface, with its body if that is one in text. */
  private text(e: XmlElement, content: XmlElement | undefined, body: string): string | undefined {
    const { name = '' } = e.attributes,
      word = {
        Program: 'PROGRAM',
        FunctionBlock: 'FUNCTION_BLOCK',
        Function: 'FUNCTION',
        Class: 'CLASS',
        Interface: 'INTERFACE',
        Method: 'METHOD',
      }[e.name]!;
    let inner = '';
    if (body === 'ST') inner = childOf(content, 'ST')?.text ?? content?.text ?? '';
    else if (body === 'FBD' || body === 'LD')
      try {
        inner = networksOf(content!)
          .map((n) => new Network(n.children).statements().join('\n'))
          .join('\n\n');
      } catch (problem) {
        if (!(problem instanceof NoNetwork)) throw problem;
        this.say(content!, `the body of ${name}: ${problem.message}; it comes in without its body.`);
      }
    else
      this.say(
        content!,
        `the body of ${name} is in ${body || 'a language that it does not name'}, which is not read; it comes in without its body.`,
      );
    const result = childOf(e, 'ResultType');
    const given = (key: string) => e.attributes[key] === 'true';
    const inherits = childrenOf(e, 'Extends').map((x) => x.attributes['typeName'] ?? ''),
      does = childrenOf(e, 'Implements').map((x) => x.attributes['typeName'] ?? '');
    const head = [
      word,
      e.name === 'Method' ? (e.attributes['accessSpecifier'] ?? '').toUpperCase() : '',
      ...['abstract', 'final', 'override'].filter(given).map((x) => x.toUpperCase()),
      `${name}${result ? ` : ${typeText(result, this.say)}` : ''}`,
      inherits.length ? `EXTENDS ${inherits.join(', ')}` : '',
      does.length ? `IMPLEMENTS ${does.join(', ')}` : '',
    ].filter(Boolean);
    const methods = childrenOf(e, 'Method').map((m) => this.text(m, childOf(m, 'MainBody', 'BodyContent'), 'ST') ?? '');
    return `${head.join(' ')}\n${sectionsText(e, this.say)}${methods.join('')}${inner ? `${inner.replace(/\s+$/, '')}\n` : ''}END_${word}\n`;
  }

  private configuration(c: XmlElement, tags: Tag[], tasks: ProjectTask[]): void {
    const named = new Set(tags.map((t) => t.name.toLowerCase()));
    const scopes = [c, ...childrenOf(c, 'Resource')];
    for (const scope of scopes)
      for (const g of childrenOf(scope, 'GlobalVars'))
        for (const v of childrenOf(g, 'Variable')) {
          const tag = this.tag(v, g);
          if (named.has(tag.name.toLowerCase()))
            this.say(v, `there is a variable ${tag.name} already; this one is left out.`);
          else tags.push(tag);
          named.add(tag.name.toLowerCase());
        }
    for (const scope of scopes) {
      const instances = childrenOf(scope, 'ProgramInstance');
      for (const t of childrenOf(scope, 'Task')) {
        const { name = '', interval, single, priority } = t.attributes;
        const programs = instances.flatMap((i) =>
          (i.attributes['associatedTaskName'] ?? '').toLowerCase() === name.toLowerCase()
            ? [i.attributes['typeName'] ?? '']
            : [],
        );
        const own = ownData(t) as ProjectTask | undefined,
          isSame = own && typeof own.interval === 'string' && saysSame(taskElement(own), t, 'AddData');
        tasks.push({
          ...(isSame
            ? { ...own }
            : {
                id: own?.id ?? this.newId('k'),
                name,
                interval: interval ?? '10 ms',
                ...(single ? { event: single } : {}),
                priority: wholeNumber(priority) ?? 1,
              }),
          programs,
        });
      }
      for (const i of instances) {
        const { typeName = '', name = '', associatedTaskName } = i.attributes;
        if (!associatedTaskName) this.say(i, `${name} runs in no task; the program ${typeName} runs after the tasks.`);
        else if (!saysSame(instanceElement(typeName, associatedTaskName), i, 'AddData'))
          this.say(i, `the instance ${name} runs under the name of its program, ${typeName}.`);
      }
      for (const other of scope.children)
        if (!['GlobalVars', 'Task', 'ProgramInstance', 'Resource', 'AddData', 'Documentation'].includes(other.name))
          this.say(other, `‘${other.name}’ of a configuration is not read.`);
    }
  }

  private tag(v: XmlElement, group: XmlElement): Tag {
    const own = ownData(v) as Tag | undefined,
      again = own && typeof own.type === 'string' && typeof own.name === 'string' ? tagElement(own) : undefined;
    const { retain, constant } = group.attributes;
    const kept = { ...(retain === 'true' ? { retain: true } : {}), ...(constant === 'true' ? { constant: true } : {}) };
    if (
      own &&
      again &&
      saysSame(again, v, 'AddData') &&
      !!own.retain === (retain === 'true') &&
      !!own.constant === (constant === 'true')
    )
      return own;
    const { name = '' } = v.attributes,
      initial = initialText(childOf(v, 'InitialValue')),
      address = childOf(v, 'Address')?.attributes['address'],
      description = documentation(v);
    const {
      initial: _i,
      address: _a,
      description: _d,
      retain: _r,
      constant: _c,
      ...facts
    } = own ?? ({} as Partial<Tag>);
    return {
      ...facts,
      id: own?.id ?? this.newId('t'),
      name,
      type: typeText(childOf(v, 'Type'), this.say),
      ...(address ? { address } : {}),
      ...(initial === undefined ? {} : { initial }),
      ...(description ? { description } : {}),
      ...kept,
    };
  }

  /** Rungs last: the pins of their blocks are those of the declarations. */
  private withRungs(project: Project, ladders: readonly { readonly e: XmlElement; readonly at: number }[]): Project {
    if (!ladders.length) return project;
    const lines = new Map<number, readonly RungText[]>();
    const ours = ladders.map(({ e }) => childrenOf(e, 'Rung').map((r) => ownData(r) as RungText | undefined));
    // As they were written, so that blocks which rungs declare on the way are known too.
    const drafted: Project = {
      ...project,
      pous: project.pous.map((p, i) => {
        const k = ladders.findIndex((l) => l.at === i);
        return k >= 0 && p.language === 'LD'
          ? { ...p, rungs: ours[k]!.flatMap((r) => (typeof r?.line === 'string' ? [r] : [])) }
          : p;
      }),
    };
    const compiled = compile([{ kind: 'project', name: 'x', project: drafted }]);
    ladders.forEach(({ e, at }, k) => {
      const pou = project.pous[at]!,
        facts = callFacts(compiled, pou.name);
      lines.set(
        at,
        childrenOf(e, 'Rung').flatMap((r, n): RungText[] => {
          const own = ours[k]![n];
          if (own && typeof own.line === 'string' && saysSame(rungWithLine(own, n + 1, facts).element, r, 'AddData'))
            return [own];
          const id = own?.id ?? this.newId('r');
          try {
            return [{ id, line: new Network(r.children, facts).line(), ...rungNotes(r) }];
          } catch (problem) {
            if (!(problem instanceof NoNetwork)) throw problem;
            this.say(r, `${pou.name} rung ${n + 1}: ${problem.message}; an empty rung stands in its place.`);
            const notes = rungNotes(r);
            return [
              {
                id,
                line: '',
                ...notes,
                comment: [notes.comment, `Not read from XML: ${problem.message}.`].filter(Boolean).join('\n'),
              },
            ];
          }
        }),
      );
      for (const other of e.children)
        if (!['Rung', 'AddData'].includes(other.name))
          this.say(other, `‘${other.name}’ in the ladder of ${pou.name} is not read.`);
    });
    return {
      ...project,
      pous: project.pous.map((p, i) => (lines.has(i) && p.language === 'LD' ? { ...p, rungs: lines.get(i)! } : p)),
    };
  }
}

/** Networks of a body: named ones in the order of their evaluation, or the body itself. */
function networksOf(content: XmlElement): readonly XmlElement[] {
  const list = content.children.filter((c) => c.name === 'Network' || c.name === 'Rung');
  if (!list.length) return [content];
  const order = (e: XmlElement) => wholeNumber(e.attributes['evaluationOrder']) ?? 0;
  return [...list].sort((a, b) => order(a) - order(b));
}
const wholeNumber = (text: string | undefined): number | undefined =>
  text !== undefined && /^\d{1,9}$/.test(text.trim()) ? Number(text) : undefined;

/** Things in the order of these ids; those that are not named stand at the end. */
function inOrder<T extends { readonly id: string }>(list: readonly T[], ids: unknown): readonly T[] {
  if (!Array.isArray(ids)) return list;
  const place = new Map(ids.map((id, i) => [id, i]));
  return [...list].sort((a, b) => (place.get(a.id) ?? 1e9) - (place.get(b.id) ?? 1e9));
}
