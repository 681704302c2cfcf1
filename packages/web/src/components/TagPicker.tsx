/** A small input that completes tags by any part of name, description or address. */
import { useMemo, useState, type KeyboardEvent } from 'react';
import { useDocument } from '../document/store.js';
import { completeTags } from './complete.js';
import { Offers, useOffers } from './offers.js';

/** `onPick` gets the path, or undefined when the user leaves. */
export function TagPicker({
  label,
  onPick,
}: {
  readonly label: string;
  readonly onPick: (path: string | undefined) => void;
}) {
  const tags = useDocument((s) => s.project?.tags) ?? [];
  const [text, setText] = useState('');
  const found = useMemo(
    () => completeTags(tags, text).map((t) => ({ key: t.id, text: t.name, about: t.description })),
    [tags, text],
  );
  const offer = useOffers(found);
  const onKey = (e: KeyboardEvent) => {
    e.stopPropagation();
    if (offer.onKey(e)) return;
    if (e.key === 'Enter') onPick(offer.chosen?.text ?? (text || undefined));
    if (e.key === 'Escape') onPick(undefined);
  };
  return (
    <span className="relative">
      <input
        autoFocus
        {...offer.aria}
        aria-label={label}
        value={text}
        onChange={(e) => {
          setText(e.target.value);
          offer.again();
        }}
        onKeyDown={onKey}
        onBlur={() => onPick(undefined)}
        className="h-6 w-56 rounded border border-copper bg-sheet px-2 outline-none"
      />
      {found.length > 0 && (
        <Offers
          of={offer}
          label={`Tags for ${label}`}
          onTake={(o) => onPick(o.text)}
          row="px-2 py-1"
          className="absolute right-0 bottom-7 z-40 w-72 rounded-lg border border-edge bg-sheet p-1 shadow-xl"
        />
      )}
    </span>
  );
}
