import type { Edit, FoundPlace } from '@ferrule/core/document';
import type { Use } from '@ferrule/core/workspace';
import type { ProblemNote } from '../bench/protocol.js';

/** The page address that shows a problem. */
export function placeOf(p: ProblemNote, project: string): string {
  const base = `/projects/${project}`;
  switch (p.origin.kind) {
    case 'rung':
      return `${base}/logic?pou=${p.origin.pouId}&rung=${p.origin.rungId}${p.element !== undefined ? `&element=${p.element}` : ''}`;
    case 'pou':
      return `${base}/logic?pou=${p.origin.id}&at=${p.start}`;
    case 'tag':
      return `${base}/tags?tag=${p.origin.id}`;
    case 'device':
      return `${base}/machine?device=${p.origin.id}`;
    case 'deviceKind':
      return `${base}/machine?view=own&kind=${p.origin.id}&at=${p.start}`;
    case 'cell':
      return `${base}/prove?${p.origin.owner}=${p.origin.id}`;
    default:
      return `${base}/logic`;
  }
}

/**
 * Goes elsewhere and leaves the place it left in the browser's history as it was, cursor and all: Alt+Left comes back
 * to it.
 */
export function jumpTo(
  navigate: (to: string, options?: { replace?: boolean }) => void | Promise<void>,
  address: string,
  from: string,
): void {
  void navigate(from, { replace: true });
  void navigate(address);
}

/** The page address that shows a use of a tag. */
export function addressOfUse(u: Use, project: string): string {
  const base = `/projects/${project}`;
  return u.rungId
    ? `${base}/logic?pou=${u.pouId}&rung=${u.rungId}`
    : u.pouId
      ? `${base}/logic?pou=${u.pouId}${u.at !== undefined ? `&at=${u.at}` : ''}`
      : `${base}/machine`;
}

/** The page address that shows something found. */
export function addressOfFound(p: FoundPlace, project: string): string {
  const base = `/projects/${project}`;
  switch (p.kind) {
    case 'tag':
      return `${base}/tags?tag=${p.id}`;
    case 'rung':
      return `${base}/logic?pou=${p.pou}&rung=${p.id}`;
    case 'text':
      return `${base}/logic?pou=${p.pou}&at=${p.at}`;
    case 'pou':
      return `${base}/logic?pou=${p.pou}`;
    case 'type':
      return `${base}/tags?view=types&type=${p.id}`;
    case 'device':
      return `${base}/machine?device=${p.id}`;
    case 'outside':
      return `${base}/machine?view=outside`;
    default:
      return `${base}/prove?${p.kind}=${p.id}`;
  }
}

/** The page address that shows the first of what an edit brought in: logic before types and tags. */
export function addressOfTaken(edit: Edit, project: string): string | undefined {
  const all = edit.kind === 'group' ? edit.edits : [edit],
    places = all.flatMap((e): FoundPlace[] =>
      e.kind === 'addPou'
        ? [{ kind: 'pou', pou: e.pou.id }]
        : e.kind === 'changeText'
          ? [{ kind: 'pou', pou: e.pou }]
          : e.kind === 'addType'
            ? [{ kind: 'type', id: e.type.id }]
            : e.kind === 'addTag'
              ? [{ kind: 'tag', id: e.tag.id }]
              : [],
    ),
    first = places.find((p) => p.kind === 'pou') ?? places[0];
  return first && addressOfFound(first, project);
}
