/** Edits of tags and types. */
import type { Project } from '../document.js';
import { type Applies, type ListOf, addTo, changeIn, takeFrom } from './apply.js';
import { changes, index, optional, text, whole } from './fields.js';

export const tagFields = {
  addTag: { tag: whole('tag'), at: optional(index) },
  removeTag: { id: text },
  changeTag: { id: text, to: changes('tag') },
  addType: { type: whole('type'), at: index },
  removeType: { id: text },
  changeType: { id: text, to: changes('type') },
};

const tags = (p: Project): ListOf<'tag'> => ({
  thing: 'tag',
  what: 'tag',
  items: p.tags,
  whole: (items) => ({ ...p, tags: items }),
});
const types = (p: Project): ListOf<'type'> => ({
  thing: 'type',
  what: 'type',
  items: p.types,
  whole: (items) => ({ ...p, types: items }),
});

export const tagEdits: Applies<typeof tagFields> = {
  addTag: (p, e) => addTo(tags(p), e.tag, e.at ?? p.tags.length, { kind: 'removeTag', id: e.tag.id }),
  removeTag: (p, e) => takeFrom(tags(p), e.id, (tag, at) => ({ kind: 'addTag', tag, at })),
  changeTag: (p, e) => changeIn(tags(p), e.id, e.to, (to) => ({ ...e, to })),
  addType: (p, e) => addTo(types(p), e.type, e.at, { kind: 'removeType', id: e.type.id }),
  removeType: (p, e) => takeFrom(types(p), e.id, (type, at) => ({ kind: 'addType', type, at })),
  changeType: (p, e) => changeIn(types(p), e.id, e.to, (to) => ({ ...e, to })),
};
