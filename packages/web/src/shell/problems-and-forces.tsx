/** What the top bar counts: problems with their fixes, and forces. */
import { Popover } from 'radix-ui';
import { useEffect, useRef, useState } from 'react';
import type { Undeclared } from '@ferrule/core/workspace';
import { useNavigate, useParams } from 'react-router';
import { askBench, benchLive, useBench } from '../bench/live.js';
import { Button } from '../components/ui.js';
import { valueText } from '../components/values.js';
import { useDocument } from '../document/store.js';
import { placeOf } from './place.js';
import { pill, sheet, NONE } from './top-bar-parts.js';

/** So many problems are listed; beyond that the list helps nobody. */
export const MOST_LISTED = 1000;

export function Problems() {
  const known = useBench((s) => s.checked?.problems),
    problems = known ?? [];
  const checkMs = useBench((s) => s.checked?.checkMs);
  const navigate = useNavigate();
  const { id } = useParams();
  const isChosen = useRef(false);
  const errors = problems.filter((p) => p.severity === 'error').length;
  const isMany = problems.length > MOST_LISTED,
    text = !known
      ? 'not checked yet'
      : isMany
        ? `${MOST_LISTED.toLocaleString('en')}+ problems`
        : `${problems.length} problem${problems.length === 1 ? '' : 's'}`;
  return (
    <Popover.Root>
      <Popover.Trigger asChild>
        <button
          className={`${pill} ${errors ? 'bg-bad text-sheet' : 'bg-bar-2'}`}
          title={`${checkMs === undefined ? '' : `Checked in ${checkMs.toFixed(1)} ms · `}F8 walks them`}
        >
          <span
            className={`h-2 w-2 rounded-full ${!known ? 'bg-bar-soft' : errors ? 'bg-bar' : problems.length ? 'bg-copper' : 'bg-good'}`}
          />
          {text}
        </button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          sideOffset={6}
          align="end"
          className={sheet}
          aria-label="Problems"
          onCloseAutoFocus={(e) => {
            // The keys go to the place that was chosen, not back to the list's button.
            if (isChosen.current) e.preventDefault();
            isChosen.current = false;
          }}
        >
          {!problems.length && (
            <p className="px-3 py-2 text-soft">
              {known
                ? 'No problems. They are marked here and on the element as you type.'
                : 'The logic has not been checked yet.'}
            </p>
          )}
          <DeclareAll problems={problems} />
          {isMany && (
            <p className="px-3 py-1.5 text-soft">
              {problems.length.toLocaleString('en')} in all; the first {MOST_LISTED.toLocaleString('en')} are listed,
              each is marked where it stands.
            </p>
          )}
          {problems.slice(0, MOST_LISTED).map((p, i) => (
            <Popover.Close asChild key={i}>
              <button
                onClick={() => {
                  isChosen.current = true;
                  void navigate(placeOf(p, id ?? ''));
                }}
                className="block w-full rounded px-3 py-1.5 text-left hover:bg-sunk"
              >
                <span
                  className={`text-[11px] font-semibold ${p.severity === 'error' ? 'text-bad' : 'text-copper-ink'}`}
                >
                  {p.place}
                </span>
                <span className="block">{p.message}</span>
              </button>
            </Popover.Close>
          ))}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

/** What programs use and nothing declares: declared at once, without what looks like a slip of a declared name. */
function DeclareAll({ problems }: { readonly problems: readonly unknown[] }) {
  const [found, setFound] = useState<readonly Undeclared[]>([]);
  useEffect(() => {
    let isLatest = true;
    void askBench('undeclared', {}).then((r) => isLatest && setFound(r));
    return () => {
      isLatest = false;
    };
  }, [problems]);
  return found.map((u) => (
    <div key={u.pou} className="flex items-center gap-3 border-b border-edge px-3 py-2">
      <span className="min-w-0 flex-1">
        {u.names.length > 0 && (
          <>
            Not declared in {u.pou}: <span className="font-mono text-[12px]">{firstFew(u.names)}</span>
          </>
        )}
        {u.slips.length > 0 && (
          <span className="block text-soft">
            Left out, likely slips in {u.pou}: {firstFew(u.slips.map((s) => `${s.name} (${s.like}?)`))}
          </span>
        )}
      </span>
      {u.edit && (
        <Button
          onClick={() => {
            // What is left is asked anew after the check: another program may use the same names.
            setFound([]);
            useDocument.getState().edit(u.edit!);
          }}
        >
          Declare {u.names.length === 1 ? u.names[0] : `all ${u.names.length.toLocaleString('en')}`}
        </Button>
      )}
    </div>
  ));
}

const firstFew = (names: readonly string[]): string =>
  `${names.slice(0, 5).join(', ')}${names.length > 5 ? ` and ${(names.length - 5).toLocaleString('en')} more` : ''}`;

export function Forces() {
  const forces = useBench((s) => s.frame?.forces) ?? NONE;
  const pulled = useBench((s) => s.frame?.pulled);
  const list = Object.entries(forces);
  return (
    <Popover.Root>
      <Popover.Trigger asChild>
        <button
          className={`${pill} ${list.length || pulled ? 'bg-forced text-on-forced' : 'bg-bar-2 text-bar-soft max-[1150px]:hidden'}`}
        >
          {list.length} forced{pulled ? ' · card out' : ''}
        </button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content sideOffset={6} align="end" className={`${sheet} w-[300px]`} aria-label="Forces">
          {!list.length && <p className="px-3 py-2 text-soft">Nothing is forced.</p>}
          {list.map(([path, value]) => (
            <div key={path} className="flex items-center gap-2 px-3 py-1">
              <span className="flex-1 truncate font-mono text-[12px]">{path}</span>
              <span className="font-mono text-[12px] text-forced">{valueText(value as boolean)}</span>
              <Button
                look="quiet"
                aria-label={`Release ${path}`}
                onClick={() => benchLive.event({ kind: 'force', path })}
              >
                Release
              </Button>
            </div>
          ))}
          {list.length > 0 && (
            <div className="border-t border-edge p-2 text-right">
              <Button onClick={() => benchLive.event({ kind: 'releaseAll' })}>Release all</Button>
            </div>
          )}
          {pulled && (
            <div className="flex items-center gap-2 border-t border-edge px-3 py-2">
              <span className="flex-1 text-soft">A card of the controller was pulled here.</span>
              <Button
                onClick={() => {
                  for (const path of pulled.bytes) benchLive.event({ kind: 'force', path, by: 'card' });
                }}
              >
                Put it in
              </Button>
            </div>
          )}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
