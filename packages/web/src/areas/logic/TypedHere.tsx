/** The field for what is being typed at the cursor: an element, a whole rung as a line, or a new name. */
import type { ReactNode } from 'react';
import { ElementInput } from './ElementInput.js';
import type { Sheet, Typing } from './sheet.js';
import { typingOn } from './sheet-typing.js';

const LABELS = {
  insertAfter: 'New element',
  insertBefore: 'New element in front',
  replace: 'Element',
  addLeg: 'New leg',
} as const;

interface Props {
  readonly sheet: Sheet;
  readonly typing: Typing;
  /** The rung as it would be drawn, for a line. */
  readonly preview: (line: string) => ReactNode;
}
export function TypedHere({ sheet, typing, preview }: Props) {
  const { pou, ownTypes: own, isKnown, node, leave, current } = sheet,
    { keepTyped, throwAway, commitElement, commitLine, commitRename } = typingOn(sheet);
  const common = { isKnown, pou, own, onAway: keepTyped, initial: typing.initial };
  if (typing.kind === 'line') {
    const isFresh = typing.fresh !== undefined;
    return (
      <ElementInput
        key={`line${typing.fresh ?? ''}`}
        {...common}
        kind="line"
        fresh={isFresh}
        label={isFresh ? 'New rung as a line' : 'Rung as a line'}
        original={isFresh ? '' : (current?.line ?? '')}
        onCommit={commitLine}
        onLeave={throwAway}
        preview={preview}
      />
    );
  }
  if (typing.kind === 'rename')
    return (
      <ElementInput
        key="rename"
        {...common}
        kind="name"
        label="New name"
        original={typing.initial}
        onCommit={commitRename}
        onLeave={leave}
      />
    );
  return (
    <ElementInput
      key={typing.edit}
      {...common}
      kind={node?.kind === 'coil' && typing.edit !== 'insertBefore' ? 'coil' : 'contact'}
      label={LABELS[typing.edit]}
      original={typing.original}
      onCommit={commitElement}
      onLeave={throwAway}
    />
  );
}
