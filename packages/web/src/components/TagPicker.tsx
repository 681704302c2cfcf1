/** A small input that completes tags by any part of name, description or address. */
import { type KeyboardEvent, type ReactNode, useEffect, useMemo, useRef, useState } from 'react';
import { useDocument } from '../document/store.js';
import { completeTags } from './complete.js';
import { Button, type ButtonProps } from './ui.js';
import { OffersAt, useOffers } from './offers.js';

/** `onPick` gets the path, or undefined when the user leaves. */
export function TagPicker({
  label,
  onPick,
}: {
  readonly label: string;
  readonly onPick: (path: string | undefined) => void;
}) {
  const tags = useDocument((s) => s.project?.tags) ?? [];
  const [text, setText] = useState(''),
    field = useRef<HTMLInputElement>(null);
  const found = useMemo(
    () => completeTags(tags, text).map((t) => ({ key: t.id, text: t.name, about: t.description })),
    [tags, text],
  );
  const offer = useOffers(found);
  // Where it stays open, the next one begins with an empty field.
  const pick = (path: string | undefined) => {
    setText('');
    offer.again();
    onPick(path);
  };
  const onKey = (e: KeyboardEvent) => {
    e.stopPropagation();
    if (offer.onKey(e)) return;
    if (e.key === 'Enter') pick(offer.chosen?.text ?? (text || undefined));
    if (e.key === 'Escape') pick(undefined);
  };
  return (
    <>
      <input
        ref={field}
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
        className="h-6 w-44 rounded border border-copper bg-sheet px-2 outline-none"
      />
      <OffersAt of={offer} field={field} label={`Tags for ${label}`} onTake={(o) => pick(o.text)} row="px-2 py-1" />
    </>
  );
}

/**
 * The button that adds tags, and the field that comes in its place: it stays, so that several are added one after the
 * other, until Escape, an empty Enter or a click elsewhere; by the keys the button has the focus then.
 */
export function AddTag({
  label,
  onAdd,
  goes = 'left',
  children,
  ...button
}: Omit<ButtonProps, 'onClick'> & {
  readonly label: string;
  readonly onAdd: (path: string) => void;
  /** To which side of the button the field goes. */ readonly goes?: 'left' | 'right';
  readonly children: ReactNode;
}) {
  const [isOpen, setIsOpen] = useState(false),
    span = useRef<HTMLSpanElement>(null),
    isByKey = useRef(false),
    isShown = isOpen && !button.disabled;
  useEffect(() => {
    if (!isOpen && isByKey.current) span.current?.querySelector('button')?.focus();
    isByKey.current = false;
  }, [isOpen]);
  return (
    <span
      ref={span}
      className="relative inline-flex"
      onKeyDownCapture={(e) => {
        isByKey.current = e.key === 'Escape' || e.key === 'Enter';
      }}
    >
      {/* It keeps its room: were the field in its place, a click elsewhere would move what is clicked. */}
      <Button {...button} className={isShown ? 'invisible' : ''} onClick={() => setIsOpen(true)}>
        {children}
      </Button>
      {isShown && (
        <span className={`absolute top-0 z-30 ${goes === 'left' ? 'right-0' : 'left-0'}`}>
          <TagPicker
            label={label}
            onPick={(path) => {
              if (!path) setIsOpen(false);
              else {
                isByKey.current = false;
                onAdd(path);
              }
            }}
          />
        </span>
      )}
    </span>
  );
}
