/**
 * Elements of XML as plain data: read by a streaming parser within bounds, written with every character that XML has no
 * place for said.
 */
import { SaxesParser } from 'saxes';

export interface XmlElement {
  /** Without its prefix. */ readonly name: string;
  readonly attributes: Readonly<Record<string, string>>;
  readonly children: readonly XmlElement[];
  /** Text of an element without children; what stands between children is layout. */ readonly text: string;
  /** Line of the file where it begins, from 1; 0 of one that was made. */ readonly line: number;
}

// What XML 1.0 has no place for (2.2 Char), not even as a reference.
const NO_PLACE =
  /[\u0000-\u0008\u000b\u000c\u000e-\u001f\ufffe\uffff]|[\ud800-\udbff](?![\udc00-\udfff])|(?<![\ud800-\udbff])[\udc00-\udfff]/g;
/** With a sign in place of each character that XML has no place for: what is made is what will be read. */
const placed = (text: string): string => text.replace(NO_PLACE, '\ufffd');

type Attribute = string | number | boolean | undefined;
/** An element to be written; attributes and children that are undefined are left out. */
export function el(
  name: string,
  attributes: Readonly<Record<string, Attribute>> = {},
  children: readonly (XmlElement | undefined)[] | string = [],
): XmlElement {
  return {
    name,
    attributes: Object.fromEntries(
      Object.entries(attributes).flatMap(([k, v]) => (v === undefined ? [] : [[k, placed(String(v))]])),
    ),
    children: typeof children === 'string' ? [] : children.filter((c) => c !== undefined),
    text: typeof children === 'string' ? placed(children) : '',
    line: 0,
  };
}

export const childrenOf = (e: XmlElement | undefined, name: string): readonly XmlElement[] =>
  e?.children.filter((c) => c.name === name) ?? [];
export const childOf = (e: XmlElement | undefined, ...path: readonly string[]): XmlElement | undefined =>
  path.reduce<XmlElement | undefined>((x, name) => x?.children.find((c) => c.name === name), e);

/** Bounds of what is read: deeper, longer or more is refused with a sentence. */
const DEEPEST = 200,
  MOST_ELEMENTS = 2_000_000,
  /** Characters. */ LONGEST = 40 * 1024 * 1024;

export type XmlRead = { readonly root: XmlElement } | { readonly problem: string };
interface Open {
  readonly name: string;
  readonly attributes: Readonly<Record<string, string>>;
  readonly children: XmlElement[];
  text: string;
  readonly line: number;
}

/**
 * Reads a document. What is not well formed, has a document type (and with it entities), or goes beyond the bounds is a
 * problem with its line.
 */
export function readXml(text: string): XmlRead {
  if (text.length > LONGEST)
    return {
      problem: `It has ${(text.length / 1024 / 1024).toFixed(0)} million characters; up to 40 are read. Split it.`,
    };
  const parser = new SaxesParser({ xmlns: false, position: true });
  const stack: Open[] = [];
  let root: XmlElement | undefined,
    count = 0;
  class Stop extends Error {}
  const stop = (why: string): never => {
    throw new Stop(`Line ${parser.line}: ${why}`);
  };
  parser.on('error', (e) => {
    throw new Stop(
      `Line ${parser.line}, column ${parser.column}: this is no XML that can be read: ${e.message.replace(/^\d+:\d+:\s*/, '')}`,
    );
  });
  parser.on('doctype', () => stop('a document type (DOCTYPE) is not read, nor what it would bring in; take it out.'));
  parser.on('opentag', (tag) => {
    if (stack.length >= DEEPEST) stop(`elements stand more than ${DEEPEST} deep in each other; that is no program.`);
    if (++count > MOST_ELEMENTS) stop(`more than ${MOST_ELEMENTS.toLocaleString('en')} elements; split the file.`);
    stack.push({
      name: tag.name.replace(/^.*:/, ''),
      attributes: tag.attributes,
      children: [],
      text: '',
      line: parser.line,
    });
  });
  const add = (t: string) => {
    const top = stack.at(-1);
    if (top) top.text += t;
  };
  parser.on('text', add);
  parser.on('cdata', add);
  parser.on('closetag', () => {
    const top = stack.pop()!,
      made: XmlElement = { ...top, text: top.children.length ? '' : top.text };
    const above = stack.at(-1);
    if (above) above.children.push(made);
    else root = made;
  });
  try {
    parser.write(text.replace(/^\ufeff/, '')).close();
  } catch (e) {
    if (e instanceof Stop) return { problem: e.message };
    throw e;
  }
  return root ? { root } : { problem: 'There is nothing in this file.' };
}

/** Whether a text can stand in XML as it is. */
export const hasPlace = (text: string): boolean => text.search(NO_PLACE) < 0;
const ESCAPES: Readonly<Record<string, string>> = {
  '&': '&amp;',
  '<': '&lt;',
  '>': '&gt;',
  '"': '&quot;',
  '\r': '&#13;',
};
const escaped = (text: string) => text.replace(/[&<>\r]/g, (c) => ESCAPES[c]!);
const quoted = (text: string) =>
  text.replace(/[&<>"\r]/g, (c) => ESCAPES[c]!).replace(/[\n\t]/g, (c) => `&#${c.charCodeAt(0)};`);

/** The document as text, indented; text of an element stands exactly as it is. */
export function writeXml(root: XmlElement): string {
  const lines: string[] = ['<?xml version="1.0" encoding="UTF-8"?>'];
  const write = (e: XmlElement, depth: number) => {
    const pad = '  '.repeat(depth),
      head = `${e.name}${Object.entries(e.attributes)
        .map(([k, v]) => ` ${k}="${quoted(v)}"`)
        .join('')}`;
    if (e.children.length) {
      lines.push(`${pad}<${head}>`);
      for (const c of e.children) write(c, depth + 1);
      lines.push(`${pad}</${e.name}>`);
    } else lines.push(e.text ? `${pad}<${head}>${escaped(e.text)}</${e.name}>` : `${pad}<${head}/>`);
  };
  write(root, 0);
  return `${lines.join('\n')}\n`;
}

/**
 * Whether two elements say the same: names, attributes in any order, children, texts; without `but` anywhere in them.
 */
export function saysSame(a: XmlElement, b: XmlElement, but: string): boolean {
  const own = (e: XmlElement) => e.children.filter((c) => c.name !== but);
  const [ka, kb] = [Object.keys(a.attributes), Object.keys(b.attributes)];
  const [ca, cb] = [own(a), own(b)];
  return (
    a.name === b.name &&
    ka.length === kb.length &&
    ka.every((k) => a.attributes[k] === b.attributes[k]) &&
    ca.length === cb.length &&
    // Where there were children that do not count, what stands between them was layout.
    (ca.length > 0 || a.children.length > 0 || b.children.length > 0 || lines(a.text) === lines(b.text)) &&
    ca.every((c, i) => saysSame(c, cb[i]!, but))
  );
}
/** XML reads every end of a line as one character. */
const lines = (text: string): string => text.replace(/\r\n?/g, '\n');
