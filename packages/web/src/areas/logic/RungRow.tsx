/** One rung with its number, heading, comment and problems; what is typed or dropped is shown on it. */
import { type PointerEvent, type ReactNode } from 'react';
import type { RungText } from '@ferrule/core/document';
import type { ProblemNote } from '../../bench/protocol.js';
import { type FreeStretch, type RungModel, commentWidth, freeStretch } from '../../components/ladder/rung-model.js';
import { useFixes } from '../../components/fixes.js';
import { FixButtons } from '../../components/FixButtons.js';
import { EditInPlace, EditSentence } from '../../components/ui.js';

interface RowProps {
  readonly number: number;
  readonly rung: RungText;
  readonly model: RungModel;
  readonly isCurrent: boolean;
  readonly isChosen: boolean;
  readonly problems: readonly ProblemNote[];
  readonly children: ReactNode;
  /** Rungs that are folded away under this heading. */
  readonly folded: number | undefined;
  /** The run stops before it: yes, only sometimes off, or not. */
  readonly stop: 'on' | 'off' | undefined;
  readonly typesHeading: boolean;
  readonly typesComment: boolean;
  /** The line of a rung that cannot be read is opened. */
  /** The rung is taken by its number. */ readonly onGrab: (e: PointerEvent) => void;
  /** Rungs that are dragged would go in front of it, or behind. */ readonly mark: 'above' | 'below' | undefined;
  readonly onMend: () => void;
  readonly onFix: (n: number) => void;
  readonly onFold: () => void;
  readonly onHeading: (text: string) => void;
  readonly onPick: (element: number, extend: boolean) => void;
  readonly onComment: (text: string) => void;
  readonly input: ReactNode;
  readonly inputAt: { readonly x: number; readonly width: number; readonly wireY: number } | undefined;
}

/** Where a comment has room on the rung itself; undefined where it needs lines of its own. */
export function commentInLine(rung: RungText, model: RungModel): FreeStretch | undefined {
  const { comment } = rung,
    free = comment && model.layout && !comment.includes('\n') ? freeStretch(model.layout) : undefined;
  return free && commentWidth(comment!) <= free.width ? free : undefined;
}

export function RungRow({
  number,
  rung,
  model,
  isCurrent,
  isChosen,
  problems,
  children,
  folded,
  stop,
  typesHeading,
  typesComment,
  onGrab,
  mark,
  onMend,
  onFix,
  onFold,
  onHeading,
  onPick,
  onComment,
  input,
  inputAt,
}: RowProps) {
  const error = problems.find((p) => p.severity === 'error');
  // Each is tried by the bench, which takes time in a large project: only where the cursor stands.
  const fixes = useFixes(isCurrent ? error : undefined);
  const inLine = commentInLine(rung, model);
  const written = (
    <EditSentence
      value={rung.comment ?? ''}
      label={`Comment of rung ${number}`}
      placeholder="comment"
      onCommit={onComment}
    />
  );
  return (
    <div
      className={`border-b border-edge ${mark === 'above' ? 'shadow-[inset_0_3px_0_var(--copper)]' : mark === 'below' ? 'shadow-[inset_0_-3px_0_var(--copper)]' : ''}`}
    >
      {(rung.heading || typesHeading) && (
        <div className="flex items-center gap-1 border-b border-edge bg-sunk px-2 py-0.5 text-[12.5px]">
          <button
            aria-expanded={folded === undefined}
            aria-label={`Section ${rung.heading ?? ''}`}
            onClick={onFold}
            className="grid h-7 w-7 shrink-0 place-items-center rounded text-soft hover:bg-edge/40"
          >
            {folded === undefined ? '▾' : '▸'}
          </button>
          <h3 className="min-w-0 flex-1 font-semibold">
            <EditInPlace
              value={rung.heading ?? ''}
              label={`Heading above rung ${number}`}
              placeholder="heading"
              onCommit={onHeading}
            />
          </h3>
          {folded !== undefined && (
            <span className="pr-2 text-faint">
              {folded} rung{folded === 1 ? '' : 's'}
            </span>
          )}
        </div>
      )}
      {folded === undefined && (
        <div className={`flex ${isChosen ? 'bg-glow/50' : ''}`}>
          <button
            tabIndex={-1}
            aria-label={`Rung ${number}`}
            aria-pressed={isChosen}
            onClick={(e) => onPick(0, e.shiftKey)}
            onPointerDown={onGrab}
            title={stop ? 'The run stops before this rung (F7)' : 'Click chooses the rung, dragging moves it'}
            className={`relative flex w-11 shrink-0 justify-center border-r border-edge pt-1.5 font-mono text-[12px] ${isCurrent || isChosen ? 'bg-glow font-semibold text-copper-ink' : 'bg-sunk text-faint'} ${error ? 'shadow-[inset_3px_0_0_var(--bad)]' : ''}`}
          >
            {number}
            {stop && (
              <span
                className={`absolute top-7 h-2.5 w-2.5 rotate-45 border border-bad ${stop === 'on' ? 'bg-bad' : ''}`}
              >
                <span className="sr-only">stop</span>
              </span>
            )}
          </button>
          <div className="min-w-0 flex-1 px-3">
            {(rung.comment || typesComment) && !inLine && (
              <span className="-ml-1 block pt-0.5 text-soft">{written}</span>
            )}
            <div className="relative">
              {inLine && (rung.comment || typesComment) && (
                <span
                  className="absolute z-10 text-soft focus-within:z-20"
                  style={{ left: inLine.x, width: inLine.width, top: inLine.wireY - 25 }}
                >
                  {written}
                </span>
              )}
              {model.layout ? (
                children
              ) : (
                <button
                  tabIndex={-1}
                  aria-label={`Rung ${number}, unfinished: ${rung.line || 'empty'}`}
                  onClick={onMend}
                  className="my-1 flex w-full flex-wrap items-baseline gap-x-3 rounded border border-dashed border-bad px-2 py-1 text-left"
                >
                  <span className="text-[12px] font-semibold text-bad">Unfinished</span>
                  <code className="font-mono text-[12.5px]">{rung.line || 'empty'}</code>
                  <span className="text-[12px] text-bad">
                    {`Left out of the run.${model.problem ? ` Column ${model.problem.at + 1}: ${model.problem.message}` : ''}`}
                  </span>
                </button>
              )}
              {input && (
                <div
                  className="absolute z-20"
                  style={
                    inputAt
                      ? { left: Math.max(0, inputAt.x + inputAt.width / 2 - 20), top: inputAt.wireY - 16 }
                      : { left: 0, right: 0, top: (model.layout?.height ?? 40) - 8 }
                  }
                >
                  {input}
                </div>
              )}
            </div>
            {error && (model.layout !== undefined || fixes.length > 0) && (
              <p role="note" className="flex flex-wrap items-center gap-x-2 pb-1 text-[12px] text-bad">
                {model.layout && <span>{error.message}</span>}
                <FixButtons fixes={fixes} hasKeys={isCurrent} onFix={onFix} />
              </p>
            )}
          </div>
        </div>
      )}
    </div>
  );
}
