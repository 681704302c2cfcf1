/**
 * What differs between two projects: rungs drawn side by side with what changed marked, text by line, everything else
 * by row.
 */
import { Fragment, type ReactNode, useRef, useState } from 'react';
import { useWidthOf } from './fitting.js';
import { diffLines, diffWords } from 'diff';
import { folded } from './folded.js';
import { notInOrder } from './not-in-order.js';
import type { Difference, RungText, Tag } from '@ferrule/core/document';
import type { Node } from '@ferrule/core/ladder';
import { many } from '@ferrule/core/language';
import { type Live, LiveProvider } from '../bench/live.js';
import type { TagFacts } from '../bench/protocol.js';
import { RungView } from './ladder/RungView.js';
import { modelOf, nodeText } from './ladder/rung-model.js';

interface Props {
  readonly differences: readonly Difference[];
  readonly before: string;
  readonly after: string;
  readonly tags: Readonly<Record<string, TagFacts>>;
  /** Rungs one above the other, each over the whole width, the new one first. */ readonly stacked?: boolean;
  /** Which side runs: its rungs show their power. */ readonly live?: 'before' | 'after';
  /** Live values of the other side, which runs beside. */ readonly beside?: Live | undefined;
  /** Keys of those that are chosen, and how one is chosen or left out. */
  readonly chosen?: ReadonlySet<string>;
  readonly choose?: (key: string, isChosen: boolean) => void;
  /** Of each the side that is taken, and how one is: for what two people changed. */
  readonly sides?: ReadonlyMap<string, 'before' | 'after'>;
  readonly pick?: (key: string, side: 'before' | 'after') => void;
}

const NONE: ReadonlyMap<string, Tag> = new Map();

export function Differences(props: Props) {
  const { differences, before, after, tags, live, beside, chosen, choose, sides, pick } = props;
  const box = useRef<HTMLDivElement>(null),
    width = useWidthOf(box, SIDE_BY_SIDE);
  const stacked = props.stacked === true || width < SIDE_BY_SIDE,
    room = Math.max(240, (stacked ? width : width / 2) - AROUND);
  return (
    <div ref={box}>
      {!stacked && (
        <div className="sticky top-0 z-10 grid grid-cols-2 border-b border-edge bg-sunk text-[12px] text-soft">
          <span className="px-4 py-1.5">{before}</span>
          <span className="border-l border-edge px-4 py-1.5">{after}</span>
        </div>
      )}
      {differences.map((d, i) => (
        <section key={i} aria-label={d.what} className="border-b border-edge">
          <h3 className="px-4 pt-1.5 text-[12.5px] font-semibold">
            {choose && (
              <input
                type="checkbox"
                aria-label={`Try ${d.what}`}
                checked={chosen?.has(d.key) ?? true}
                onChange={(e) => choose(d.key, e.target.checked)}
                className="mr-2 align-middle accent-copper"
              />
            )}
            {d.what}{' '}
            <span className="font-normal text-soft">
              {d.before === undefined ? 'is new' : d.after === undefined ? 'is gone' : ''}
            </span>
          </h3>
          {pick && (
            <div role="radiogroup" aria-label={d.what} className="grid grid-cols-2 pb-1 text-[12.5px]">
              {(['before', 'after'] as const).map((side) => (
                <label
                  key={side}
                  className={`flex items-center gap-1.5 px-4 ${sides?.get(d.key) === side ? 'font-semibold' : 'text-soft'}`}
                >
                  <input
                    type="radio"
                    name={`side of ${d.key}`}
                    className="accent-copper"
                    checked={sides?.get(d.key) === side}
                    onChange={() => pick(d.key, side)}
                  />
                  {side === 'before' ? `Keep ${before.toLowerCase()}` : `Take ${after.toLowerCase()}`}
                  {(side === 'before' ? d.before : d.after) === undefined && ' (it is not there)'}
                </label>
              ))}
            </div>
          )}
          {d.rungs ? (
            <Rungs
              rungs={d.rungs}
              tags={tags}
              room={room}
              live={live}
              beside={beside}
              stacked={stacked ? { before, after } : undefined}
            />
          ) : (
            <>
              {stacked && <Heads before={before} after={after} />}
              {d.kind === 'text' ? (
                <Lines before={d.before ?? ''} after={d.after ?? ''} />
              ) : (
                <Words before={d.before} after={d.after} />
              )}
            </>
          )}
        </section>
      ))}
    </div>
  );
}

const Heads = ({ before, after }: { readonly before: string; readonly after: string }) => (
  <div className="grid grid-cols-2 text-[12px] text-soft">
    <span className="px-4">{before}</span>
    <span className="border-l border-edge px-4">{after}</span>
  </div>
);

/** Elements of either rung that the other does not have at their place. `room` for a rung, in px. */
export function changedParts(
  rungs: NonNullable<Difference['rungs']>,
  tags: Readonly<Record<string, TagFacts>>,
  room: number,
): { readonly before: ReadonlySet<number>; readonly after: ReadonlySet<number> } {
  // A contact and a coil of one name are two things.
  const parts = (r: RungText | undefined): string[] =>
    r ? modelOf(r, tags, room).nodes.map((n: Node) => `${n.kind} ${nodeText(r.line, n)}`) : [];
  return notInOrder(parts(rungs.before), parts(rungs.after));
}

const half = 'min-w-0 overflow-x-auto px-4 pb-2 [overflow-wrap:anywhere]';
/** Below it two rungs side by side cannot be read, and stand below each other, in px. */
const SIDE_BY_SIDE = 1000,
  /** Around a rung on its side, in px. */ AROUND = 36;

function Rungs({
  rungs,
  tags,
  room,
  live,
  beside,
  stacked,
}: {
  readonly rungs: NonNullable<Difference['rungs']>;
  readonly tags: Readonly<Record<string, TagFacts>>;
  readonly room: number;
  readonly live: Props['live'] | undefined;
  readonly beside: Live | undefined;
  readonly stacked: { readonly before: string; readonly after: string } | undefined;
}) {
  const changed = changedParts(rungs, tags, room);
  const side = (r: RungText | undefined, marks: ReadonlySet<number>, other: RungText | undefined, isLive: boolean) => (
    <div tabIndex={0} className={half}>
      {r && (
        <>
          {r.heading && <p className={`font-semibold ${r.heading !== other?.heading ? 'bg-glow' : ''}`}>{r.heading}</p>}
          {r.comment && (
            <p className={`text-soft ${other && r.comment !== other.comment ? 'bg-glow' : ''}`}>{r.comment}</p>
          )}
          {modelOf(r, tags, room).layout ? (
            <RungView
              id={isLive ? r.id : ''}
              label={`Rung ${r.line}`}
              model={modelOf(r, tags, room)}
              tags={tags}
              declared={NONE}
              marks={other ? marks : undefined}
            />
          ) : (
            <code className="font-mono text-[12px]">{r.line}</code>
          )}
        </>
      )}
    </div>
  );
  const isBeside = (mine: 'before' | 'after') => beside !== undefined && live !== undefined && live !== mine;
  const shown = (mine: 'before' | 'after', other: 'before' | 'after') => {
    const drawn = side(rungs[mine], changed[mine], rungs[other], live === mine || isBeside(mine));
    return isBeside(mine) ? <LiveProvider value={beside!}>{drawn}</LiveProvider> : drawn;
  };
  const before = shown('before', 'after'),
    after = shown('after', 'before');
  if (stacked)
    return (
      <div className="flex flex-col">
        {rungs.after && (
          <div>
            <p className="px-4 text-[12px] text-copper">{stacked.after}</p>
            {after}
          </div>
        )}
        {rungs.before && (
          <div className="border-t border-dashed border-edge bg-sunk">
            <p className="px-4 pt-1 text-[12px] text-soft">{stacked.before}</p>
            {before}
          </div>
        )}
      </div>
    );
  return (
    <div className="grid grid-cols-2 [&>*+*]:border-l [&>*+*]:border-edge">
      {before}
      {after}
    </div>
  );
}

interface Part {
  readonly value: string;
  readonly added?: boolean;
  readonly removed?: boolean;
}
/** Two texts beside each other, what is the same left out in the middle until it is asked for. */
function TwoTexts({
  parts,
  isWhole: isWholeAlways,
  draw,
}: {
  readonly parts: readonly Part[];
  /** Only one side is there: all of it is shown. */ readonly isWhole: boolean;
  readonly draw: (p: Part, side: 'before' | 'after') => ReactNode;
}) {
  const [isAsked, setAsked] = useState(false),
    isWhole = isAsked || isWholeAlways;
  const shown = parts.map((p, i) => ({
    p,
    fold:
      isWhole || p.added || p.removed
        ? undefined
        : folded(p.value, { isFirst: i === 0, isLast: i === parts.length - 1 }),
  }));
  const column = (side: 'before' | 'after') => (
    <div tabIndex={0} className={half}>
      {shown.map(({ p, fold }, i) =>
        (side === 'before' ? p.added : p.removed) ? null : fold?.hidden ? (
          <Fragment key={i}>
            {fold.head && draw({ value: fold.head }, side)}
            <button
              className="block text-faint underline decoration-edge underline-offset-2 hover:text-copper-ink"
              onClick={() => setAsked(true)}
            >
              {many(fold.hidden, 'line')} the same
            </button>
            {fold.tail && draw({ value: fold.tail }, side)}
          </Fragment>
        ) : (
          <Fragment key={i}>{draw(p, side)}</Fragment>
        ),
      )}
    </div>
  );
  return (
    <div className="grid grid-cols-2 font-mono text-[12px] break-words whitespace-pre-wrap [&>*+*]:border-l [&>*+*]:border-edge">
      {column('before')}
      {column('after')}
    </div>
  );
}

/** Lines in pairs: what stands left only is struck, what stands right only is marked. */
const Lines = ({ before, after }: { readonly before: string; readonly after: string }) => (
  <TwoTexts
    parts={diffLines(before, after)}
    isWhole={!before || !after}
    draw={({ value, added, removed }) => {
      const look = removed ? 'bg-bad-soft line-through decoration-bad/60' : added ? 'bg-glow' : 'text-soft';
      return value
        .replace(/\n$/, '')
        .split('\n')
        .map((l, i) => (
          <div key={i} className={look}>
            <span aria-hidden className="inline-block w-4 text-faint select-none">
              {removed ? '−' : added ? '+' : ''}
            </span>
            {l || ' '}
          </div>
        ));
    }}
  />
);

function Words({ before, after }: { readonly before: string | undefined; readonly after: string | undefined }) {
  const isOne = before === undefined || after === undefined;
  return (
    <TwoTexts
      parts={diffWords(before ?? '', after ?? '')}
      isWhole={isOne}
      draw={({ value, added, removed }) => (
        <span className={isOne ? '' : removed ? 'bg-bad-soft line-through decoration-bad/60' : added ? 'bg-glow' : ''}>
          {value}
        </span>
      )}
    />
  );
}
