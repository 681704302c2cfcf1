/** A ladder without a rung: the line to begin with. */
import { type ReactNode } from 'react';
import { type OwnTypes } from '@ferrule/core/workspace';
import { ElementInput } from './ElementInput.js';
import { type Ladder } from './sheet-edits.js';
import { type Typing } from './sheet.js';

export function EmptySheet({
  pou,
  isKnown,
  own,
  typing,
  onNew,
  onCommit,
  onAway,
  onLeave,
  preview,
}: {
  readonly pou: Ladder;
  readonly isKnown: (name: string) => boolean;
  readonly own: OwnTypes;
  readonly typing: Typing | undefined;
  readonly onNew: () => void;
  readonly onCommit: (t: string, declares: boolean, goOn: boolean) => string | undefined;
  readonly onAway: (text: string) => void;
  readonly onLeave: (text: string | undefined) => void;
  readonly preview: (line: string) => ReactNode;
}) {
  return (
    <div className="p-6 text-soft">
      {typing?.kind === 'line' ? (
        <ElementInput
          kind="line"
          fresh
          label="New rung as a line"
          initial={typing.initial}
          original=""
          pou={pou}
          isKnown={isKnown}
          own={own}
          onCommit={onCommit}
          onAway={onAway}
          onLeave={onLeave}
          preview={preview}
        />
      ) : (
        <p>
          No rungs yet.{' '}
          <button className="font-medium text-copper-ink underline" onClick={onNew}>
            Write the first one
          </button>
          , for example <code className="font-mono text-[12px]">(StartPB | Running) &amp; StopOK -&gt; Running</code>
        </p>
      )}
    </div>
  );
}
