/**
 * What a field offers while somebody types in it: one list for all fields, walked with the arrows while the cursor stays
 * in the text, and told to whoever listens to the page (the pattern of a combobox with a listbox, WAI-ARIA 1.2). What
 * Enter, Tab and Escape do with it is the field's own business.
 */
import { type KeyboardEvent, type ReactNode, type RefObject, useEffect, useId, useReducer, useState } from 'react';
import { createPortal } from 'react-dom';

export interface Offer {
  readonly key: string;
  readonly text: string;
  readonly about?: string | undefined;
  /** What stands at its end: a type, an address, keys. */ readonly right?: string | undefined;
  /** The heading that it stands under with those beside it. */ readonly group?: string | undefined;
}

/** Rows that Page Down goes. */
const PAGE = 8;

/**
 * @param first what is marked at the beginning: the first offer (0), or none (-1)
 * @param isLong the list is walked from end to end, with pages; otherwise round and round
 */
export function useOffers<T extends Offer>(
  offers: readonly T[],
  { first = 0, isLong = false }: { readonly first?: 0 | -1; readonly isLong?: boolean } = {},
) {
  const id = useId(),
    [marked, setAt] = useState<number>(first),
    at = Math.min(marked, offers.length - 1),
    last = offers.length - 1;
  /** Whether the key moved the mark. */
  const onKey = (e: KeyboardEvent): boolean => {
    const by = { ArrowDown: 1, ArrowUp: -1, ...(isLong ? { PageDown: PAGE, PageUp: -PAGE } : {}) }[e.key];
    if (by === undefined || !offers.length) return false;
    e.preventDefault();
    if (isLong) setAt(Math.max(0, Math.min(last, at + by)));
    else setAt(by > 0 ? (at + 1) % offers.length : at <= 0 ? last : at - 1);
    return true;
  };
  return {
    id,
    offers,
    at,
    mark: setAt,
    /** The marked one. */
    chosen: offers[at],
    /** Marks as at the beginning: something else is offered. */
    again: () => setAt(first),
    onKey,
    /** For the field. */
    aria: {
      role: 'combobox',
      'aria-autocomplete': 'list',
      'aria-expanded': offers.length > 0,
      'aria-controls': id,
      'aria-activedescendant': offers[at] ? `${id}-${at}` : undefined,
      autoComplete: 'off',
    } as const,
  };
}

/** The list itself; the field keeps the cursor while it is clicked. */
export function Offers<T extends Offer>({
  of,
  label,
  onTake,
  className,
  style,
  row = 'px-2 py-0.5',
  look = 'font-medium',
  follows = false,
  empty,
  foot,
}: {
  readonly of: ReturnType<typeof useOffers<T>>;
  readonly label: string;
  readonly onTake: (offer: T) => void;
  readonly className: string;
  readonly style?: React.CSSProperties;
  readonly row?: string;
  /** How the text of an offer looks. */ readonly look?: string;
  /** The mark goes where the pointer is. */ readonly follows?: boolean;
  readonly empty?: string;
  readonly foot?: ReactNode;
}) {
  return (
    <ul id={of.id} role="listbox" aria-label={label} className={className} {...(style ? { style } : {})}>
      {empty !== undefined && !of.offers.length && <li className="px-3 py-1.5 text-soft">{empty}</li>}
      {of.offers.flatMap((o, i) => [
        o.group !== undefined && o.group !== of.offers[i - 1]?.group && (
          <li key={`group ${o.group}`} role="presentation" className="px-2 pt-1.5 text-[11px] font-semibold text-soft">
            {o.group}
          </li>
        ),
        <li
          key={o.key}
          id={`${of.id}-${i}`}
          ref={i === of.at ? (e) => e?.scrollIntoView({ block: 'nearest' }) : undefined}
          role="option"
          aria-selected={i === of.at}
          onPointerDown={(e) => e.preventDefault()}
          onPointerMove={follows ? () => of.mark(i) : undefined}
          onClick={() => onTake(o)}
          className={`flex cursor-pointer items-baseline gap-2 rounded ${row} ${i === of.at ? 'bg-glow' : ''}`}
        >
          <span className={`shrink-0 ${look}`}>{o.text}</span>
          <span className="min-w-0 flex-1 truncate text-soft">{o.about}</span>
          {o.right && <span className="font-mono text-[10.5px] text-faint">{o.right}</span>}
        </li>,
      ])}
      {foot && (
        <li role="presentation" className="px-2 pt-1 text-[11px] text-faint">
          {foot}
        </li>
      )}
    </ul>
  );
}

/** As tall and as wide as the list grows beside its field, in pixels; beyond it, it scrolls. */
const TALLEST = 210,
  WIDEST = 384;
/**
 * The list beside its field, over everything: below it, or above where the window ends. Within a pane that scrolls it
 * would be cut off.
 */
export function OffersAt<T extends Offer>(list: AtProps<T>) {
  // Hundreds of fields stand on a page, and one of them at most offers something.
  return list.of.offers.length > 0 ? <Beside {...list} /> : null;
}

type AtProps<T extends Offer> = Pick<Parameters<typeof Offers<T>>[0], 'of' | 'label' | 'onTake' | 'row' | 'look'> & {
  readonly field: RefObject<HTMLElement | null>;
};

function Beside<T extends Offer>({ field, ...list }: AtProps<T>) {
  const [, draw] = useReducer((n: number) => n + 1, 0);
  // It goes with its field when the pane around that is scrolled.
  useEffect(() => {
    document.addEventListener('scroll', draw, { capture: true, passive: true });
    return () => document.removeEventListener('scroll', draw, { capture: true });
  }, []);
  const box = field.current?.getBoundingClientRect();
  if (!box) return null;
  return createPortal(
    <Offers
      {...list}
      style={{
        left: Math.max(8, Math.min(box.left, window.innerWidth - WIDEST - 8)),
        minWidth: Math.min(WIDEST, Math.max(box.width, 190)),
        maxWidth: WIDEST,
        maxHeight: TALLEST,
        ...(box.bottom + TALLEST < window.innerHeight
          ? { top: box.bottom + 2 }
          : { bottom: window.innerHeight - box.top + 2 }),
      }}
      className="fixed z-50 w-max overflow-y-auto rounded-lg border border-edge bg-sheet p-1 text-[12.5px] text-ink shadow-xl"
    />,
    document.body,
  );
}
