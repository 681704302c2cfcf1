/** Answers to what the page asks about the program the bench has: runs in the bench worker, beside the engine. */
import {
  type Compiled, type Diagnostic, type Image, type Project, type Type, completionsAt, findPath, fixesFor, hoverAt, memoryMap, placeOfDefinition, powerPins, projectToText, readText, referencesAt, renameAt, rungToText, signatureAt, sizeOf, typeText, watchText,
} from '@ferrule/core';
import type { Answers, Ask } from './protocol.js';

export interface Latest { readonly project: Project; readonly compiled: Compiled; image: Image | undefined; diagnostics: readonly Diagnostic[] }

let counter = 0;
const newId = (prefix: string): string => `${prefix}${Date.now().toString(36)}w${(counter++).toString(36)}`;

/** The answer, or undefined before there is a program to ask about. */
export function answer(ask: Ask, latest: Latest | undefined): Answers[keyof Answers]['answer'] {
  if (!latest) return undefined;
  const { project, compiled, image } = latest;
  switch (ask.question) {
    case 'hover': return hoverAt(project, compiled, ask.about.place, ask.about.offset);
    case 'definition': return placeOfDefinition(project, compiled, ask.about.place, ask.about.offset, ask.about.word);
    case 'references': return referencesAt(compiled, ask.about.place, ask.about.offset);
    case 'rename': return renameAt(project, compiled, ask.about.place, ask.about.offset, ask.about.to);
    case 'complete': return completionsAt(project, compiled, ask.about.pou, ask.about.before);
    case 'signature': return signatureAt(compiled, ask.about.pou, ask.about.before);
    case 'watch': return image && watchText(compiled, image, ask.about.id, ask.about.pou, ask.about.wanted);
    case 'memory': return memoryMap(compiled.program);
    case 'fixes': { const d = latest.diagnostics[ask.about.problem]; return d ? fixesFor(project, compiled, d, newId) : []; }
    case 'toText': return rungToText(ask.about.line, { block: powerPins(compiled, ask.about.pou) });
    case 'textOut': return projectToText(project, compiled);
    case 'textIn': return readText(ask.about.text, project, newId);
    case 'members': return image ? membersOf(image, ask.about.path) : [];
    case 'layout': return layoutOf(compiled.program.types.get(ask.about.type.toLowerCase()));
  }
}

/** Elements shown of an array at most; further ones are reached by typing their path. */
const MOST = 500;

function membersOf(image: Image, path: string): Answers['members']['answer'] {
  const found = findPath(image, path);
  if ('error' in found) return [];
  const t = found.location.type;
  const one = (step: string, name: string, type: Type) => ({ path: path + step, name, type: typeText(type), hasMembers: type.kind === 'struct' || type.kind === 'block' || type.kind === 'array' || bits(type) > 0 });
  if (t.kind === 'struct') return t.members.map((m) => one(`.${m.name}`, m.name, m.type));
  if (t.kind === 'block') return t.layout.members.filter((m) => m.section !== 'hidden' && m.section !== 'inout').map((m) => one(`.${m.name}`, m.name, m.type));
  if (t.kind === 'array') {
    const [first] = t.bounds;
    if (!first || t.bounds.length > 1) return [];
    return Array.from({ length: Math.min(MOST, first.high - first.low + 1) }, (_, i) => one(`[${first.low + i}]`, `[${first.low + i}]`, t.element));
  }
  const n = bits(t);
  return Array.from({ length: n }, (_, i) => ({ path: `${path}.${i}`, name: `.${i}`, type: 'BOOL', hasMembers: false }));
}
const bits = (t: Type): number => (t.kind === 'elementary' && /^(BYTE|WORD|DWORD|LWORD)$/.test(t.name) ? sizeOf(t) * 8 : 0);

function layoutOf(t: Type | undefined): Answers['layout']['answer'] {
  if (t?.kind !== 'struct') return undefined;
  const members = t.members.map((m, i) => { const size = sizeOf(m.type), next = t.members[i + 1]?.offset ?? t.size; return { name: m.name, offset: m.offset, size, padding: t.overlap ? 0 : Math.max(0, next - m.offset - size) }; });
  return { size: t.size, members };
}
