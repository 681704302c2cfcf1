/** Types, variables and start values between structured text and the elements of IEC 61131-10. */
import { Problems } from '../../language/diagnostic.js';
import { parseFile } from '../../language/parser.js';
import { type Span, makeSource } from '../../language/source.js';
import type { Initial, TypeDecl, TypeSpec, VariableBlock, VariableDecl } from '../../language/tree.js';
import { standardDurations } from '../text.js';
import { type XmlElement, childOf, childrenOf, el } from './element.js';

export const XSI_TYPE = 'xsi:type';
const slice = (at: Span): string => at.source.text.slice(at.start, at.end).trim();

const value = (at: Span): string => standardDurations(slice(at));

const XSI = (type: string) => ({ [XSI_TYPE]: type });
export const kindOfElement = (e: XmlElement | undefined): string =>
  (Object.entries(e?.attributes ?? {}).find(([k]) => /(^|:)type$/.test(k))?.[1] ?? '').replace(/^.*:/, '');

/** What stands in `<Type>`: the name of one, or one that is defined on the spot. */
const inType = (spec: TypeSpec): XmlElement =>
  spec.kind === 'named' ? el('TypeName', {}, spec.name.text) : specElement('InstantlyDefinedType', spec);
export const typeElement = (name: string, spec: TypeSpec): XmlElement => el(name, {}, [inType(spec)]);

function specElement(name: string, spec: TypeSpec): XmlElement {
  switch (spec.kind) {
    case 'named':
      return el(name, XSI('DerivedTypeSpec'), [el('BaseType', {}, [inType(spec)])]);
    case 'string':
      return el(name, {
        ...XSI('StringTypeSpec'),
        wide: spec.wide || undefined,
        maxLength: spec.length && slice(spec.length.at),
      });
    case 'array':
      return el(name, XSI('ArrayTypeSpec'), [
        el('BaseType', {}, [inType(spec.element)]),
        ...Array.from({ length: Math.max(spec.dimensions, spec.ranges.length) }, (_, i) =>
          el('DimensionSpec', { dimensionNumber: i + 1 }, [
            el('IndexRange', {
              lower: spec.ranges[i] ? slice(spec.ranges[i].low.at) : '*',
              upper: spec.ranges[i] ? slice(spec.ranges[i].high.at) : '*',
            }),
          ]),
        ),
      ]);
    case 'struct':
      return el(
        name,
        { ...XSI('StructTypeSpec'), overlap: spec.overlap || undefined },
        spec.members.flatMap((m) => variableElements(m, 'Member')),
      );
    case 'enum':
      return el(name, XSI(spec.base ? 'EnumTypeWithNamedValueSpec' : 'EnumTypeSpec'), [
        spec.base && el('BaseType', {}, [el('TypeName', {}, spec.base.text)]),
        ...spec.values.map((v) => el('Enumerator', { name: v.name.text, value: v.value && slice(v.value.at) })),
      ]);
    case 'subrange':
      return el(name, XSI('SubrangeTypeSpec'), [
        el('BaseType', {}, [el('TypeName', {}, spec.base.text)]),
        el('Range', { lower: slice(spec.low.at), upper: slice(spec.high.at) }),
      ]);
    case 'ref':
      return el(name, XSI('ReferenceTypeSpec'), [el('BaseType', {}, [inType(spec.target)])]);
  }
}

/** `Name : …;` as an element; undefined where it cannot be read. */
export function typeDeclaration(text: string): XmlElement | undefined {
  const problems = new Problems(),
    found = parseFile(makeSource('', `TYPE ${text} END_TYPE`), problems),
    [t] = found as TypeDecl[];
  if (problems.hasErrors || found.length !== 1 || t?.kind !== 'type') return undefined;
  return el('DataTypeDecl', { name: t.name.text }, [
    specElement('UserDefinedTypeSpec', t.spec),
    t.initial && el('InitialValue', {}, [initialElement(t.initial)]),
  ]);
}

function initialElement(i: Initial): XmlElement {
  switch (i.kind) {
    case 'value':
      return el('SimpleValue', { value: value(i.value.at) });
    case 'array':
      return el(
        'ArrayValue',
        {},
        i.items.map((x) =>
          el('Value', { repetitionValue: x.count && slice(x.count.at) }, x.values.map(initialElement)),
        ),
      );
    case 'struct':
      return el(
        'StructValue',
        {},
        i.members.map((m) => el('Value', { member: m.name.text }, [initialElement(m.value)])),
      );
  }
}

/** A declaration of one or several names. */
export const variableElements = (
  d: VariableDecl,
  name = 'Variable',
  more: readonly (XmlElement | undefined)[] = [],
): XmlElement[] =>
  d.names.map((n) =>
    el(name, { name: n.text, edgeDetection: d.edge }, [
      typeElement('Type', d.type),
      d.initial && el('InitialValue', {}, [initialElement(d.initial)]),
      d.address && el('Address', { address: d.address.text }),
      ...more,
    ]),
  );

const SECTIONS = {
  VAR_INPUT: 'InputVars',
  VAR_OUTPUT: 'OutputVars',
  VAR_IN_OUT: 'InoutVars',
  VAR: 'Vars',
  VAR_TEMP: 'TempVars',
  VAR_EXTERNAL: 'ExternalVars',
  VAR_GLOBAL: 'GlobalVars',
} as const;
const PARAMETERS = new Set(['VAR_INPUT', 'VAR_OUTPUT', 'VAR_IN_OUT']);

const blockElement = (b: VariableBlock): XmlElement =>
  el(
    SECTIONS[b.section],
    { constant: b.constant || undefined, retain: b.retain || undefined, accessSpecifier: b.access?.toLowerCase() },
    b.variables.flatMap((v) => variableElements(v)),
  );
/** Parameters together, then the rest, as the elements want it. */
export const blockElements = (blocks: readonly VariableBlock[]): (XmlElement | undefined)[] => {
  const parameters = blocks.filter((b) => PARAMETERS.has(b.section));
  return [
    parameters.length ? el('Parameters', {}, parameters.map(blockElement)) : undefined,
    ...blocks.filter((b) => !PARAMETERS.has(b.section)).map(blockElement),
  ];
};

// The way back.

/** What is not understood, with its line. */
export type Say = (at: XmlElement, why: string) => void;

/** The text of a type where `<Type>`, `<BaseType>` and the like name or define it. */
export function typeText(e: XmlElement | undefined, say: Say): string {
  const named = childOf(e, 'TypeName');
  if (named) return named.text.trim() || 'BOOL';
  const spec = e?.children.find((c) => c.name === 'InstantlyDefinedType' || c.name === 'UserDefinedTypeSpec');
  if (spec) return specText(spec, say);
  if (e) say(e, 'it says no type; BOOL stands there now.');
  return 'BOOL';
}
export function specText(spec: XmlElement, say: Say): string {
  const base = () => typeText(childOf(spec, 'BaseType'), say);
  switch (kindOfElement(spec)) {
    case 'DerivedTypeSpec':
      return base();
    case 'StringTypeSpec': {
      const { wide, maxLength } = spec.attributes;
      return `${wide === 'true' ? 'WSTRING' : 'STRING'}${maxLength ? `[${maxLength}]` : ''}`;
    }
    case 'ArrayTypeSpec': {
      const ranges = childrenOf(spec, 'DimensionSpec').map((d) => {
        const { lower = '0', upper = '0' } = childOf(d, 'IndexRange')?.attributes ?? {};
        return lower === '*' ? '*' : `${lower}..${upper}`;
      });
      return `ARRAY[${ranges.join(', ')}] OF ${base()}`;
    }
    case 'StructTypeSpec':
      return `STRUCT${spec.attributes['overlap'] === 'true' ? ' OVERLAP' : ''}\n${childrenOf(spec, 'Member')
        .map((m) => `  ${variableText(m, say)}\n`)
        .join('')}END_STRUCT`;
    case 'EnumTypeSpec':
    case 'EnumTypeWithNamedValueSpec':
      return `${childOf(spec, 'BaseType') ? `${base()} ` : ''}(${childrenOf(spec, 'Enumerator')
        .map(
          (v) =>
            `${v.attributes['name'] ?? ''}${v.attributes['value'] === undefined ? '' : ` := ${v.attributes['value']}`}`,
        )
        .join(', ')})`;
    case 'SubrangeTypeSpec': {
      const { lower = '0', upper = '0' } = childOf(spec, 'Range')?.attributes ?? {};
      return `${base()}(${lower}..${upper})`;
    }
    case 'ReferenceTypeSpec':
      return `REF_TO ${base()}`;
    default:
      say(spec, `a type of the form ‘${kindOfElement(spec) || 'none'}’ is not known here; BOOL stands there now.`);
      return 'BOOL';
  }
}

export function initialText(e: XmlElement | undefined): string | undefined {
  const simple = childOf(e, 'SimpleValue'),
    array = childOf(e, 'ArrayValue'),
    struct = childOf(e, 'StructValue');
  if (simple) return simple.attributes['value'];
  const inner = (v: XmlElement) => v.children.map((c) => initialText({ ...v, children: [c] }) ?? '').join(', ');
  if (array)
    return `[${childrenOf(array, 'Value')
      .map((v) => (v.attributes['repetitionValue'] ? `${v.attributes['repetitionValue']}(${inner(v)})` : inner(v)))
      .join(', ')}]`;
  if (struct)
    return `(${childrenOf(struct, 'Value')
      .map((v) => `${v.attributes['member'] ?? ''} := ${inner(v)}`)
      .join(', ')})`;
  return undefined;
}

/** What ours says, where the element still says that; else what the element says. */
export const describedBy = (e: XmlElement | undefined, ours: unknown): string | undefined => {
  const said = documentation(e);
  return typeof ours === 'string' && el('x', {}, ours.trim()).text === (said ?? '') ? ours : said;
};
export const documentation = (e: XmlElement | undefined): string | undefined =>
  childOf(e, 'Documentation')?.text.trim() || undefined;

/** `Name AT %IX0.0 : BOOL R_EDGE := TRUE; // what it is` */
export function variableText(v: XmlElement, say: Say): string {
  const { name = '', edgeDetection } = v.attributes,
    initial = initialText(childOf(v, 'InitialValue')),
    address = childOf(v, 'Address')?.attributes['address'],
    said = documentation(v)?.replace(/\s+/g, ' ');
  const edge = edgeDetection === 'rising' ? ' R_EDGE' : edgeDetection === 'falling' ? ' F_EDGE' : '';
  return `${name}${address ? ` AT ${address}` : ''} : ${typeText(childOf(v, 'Type'), say)}${edge}${initial === undefined ? '' : ` := ${initial}`};${said ? ` // ${said}` : ''}`;
}

/** The `VAR … END_VAR` sections of a program or block. */
export function sectionsText(pou: XmlElement, say: Say): string {
  const sections = [...(childOf(pou, 'Parameters')?.children ?? []), ...pou.children];
  return sections
    .flatMap((b) => {
      const word = Object.entries(SECTIONS).find(([, name]) => name === b.name)?.[0];
      if (!word) return [];
      const { constant, retain, accessSpecifier } = b.attributes;
      const head = [
        word,
        constant === 'true' ? 'CONSTANT' : '',
        retain === 'true' ? 'RETAIN' : '',
        accessSpecifier?.toUpperCase() ?? '',
      ];
      return [
        `${head.filter(Boolean).join(' ')}\n${childrenOf(b, 'Variable')
          .map((v) => `  ${variableText(v, say)}\n`)
          .join('')}END_VAR\n`,
      ];
    })
    .join('');
}
