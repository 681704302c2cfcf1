/** Small parts that every area uses, so that they look and behave alike. */
import { Tooltip } from 'radix-ui';
import { createPortal } from 'react-dom';
import {
  type ButtonHTMLAttributes,
  type ReactNode,
  type RefObject,
  useEffect,
  useId,
  useLayoutEffect,
  useReducer,
  useRef,
  useState,
} from 'react';
import type { ShownValue } from '@ferrule/core/bench';
import type { Severity } from '@ferrule/core/language';
import { type Offer, OffersAt, useOffers } from './offers.js';
import { valueText } from './values.js';

/** One cell of a row that is laid out as a grid. */
export const Cell = ({ children, className = '' }: { readonly children?: ReactNode; readonly className?: string }) => (
  <span role="cell" className={`min-w-0 ${className}`}>
    {children}
  </span>
);

/** A menu that drops down, and its rows. */
export const MENU = 'z-50 min-w-44 rounded-lg border border-edge bg-sheet p-1 text-[12.5px] text-ink shadow-xl';
export const MENU_ITEM =
  'flex items-center rounded px-2.5 py-1 outline-none data-highlighted:bg-glow data-disabled:text-faint';

export type ButtonProps = ButtonHTMLAttributes<HTMLButtonElement> & {
  readonly look?: 'plain' | 'strong' | 'quiet' | 'danger';
  readonly keys?: string;
  readonly tight?: boolean;
};

const LOOKS = {
  plain: 'border border-edge bg-sheet hover:border-faint',
  strong: 'bg-copper text-on-copper hover:brightness-110',
  quiet: 'text-soft hover:bg-edge/40 hover:text-ink',
  danger: 'border border-edge bg-sheet text-bad hover:border-bad',
} as const;

/** What checking says of the thing at hand; a warning does not look like an error. */
export function Finding({ severity, children }: { readonly severity: Severity; readonly children: ReactNode }) {
  return (
    <p
      role="note"
      className={`rounded-md px-2 py-1 ${severity === 'error' ? 'bg-bad-soft text-bad' : 'bg-glow/60 text-copper-ink'}`}
    >
      {children}
    </p>
  );
}

/** A button with its key shown beside the verb. */
export function Button({ look = 'plain', keys, tight = false, className = '', children, ...rest }: ButtonProps) {
  return (
    <button
      type="button"
      {...rest}
      className={`inline-flex h-7 shrink-0 items-center rounded-md font-medium whitespace-nowrap ${tight ? 'gap-1 px-[5px] text-[12px]' : 'gap-1.5 px-2.5 text-[12.5px]'} ${LOOKS[look]} ${className}`}
    >
      {children}
      {keys && <kbd className={`font-mono text-[10.5px] ${look === 'strong' ? '' : 'text-faint'}`}>{keys}</kbd>}
    </button>
  );
}

export function Hint({ text, children }: { readonly text: string; readonly children: ReactNode }) {
  return (
    <Tooltip.Root>
      <Tooltip.Trigger asChild>{children}</Tooltip.Trigger>
      <Tooltip.Portal>
        <Tooltip.Content
          sideOffset={6}
          className="z-50 max-w-72 rounded-md bg-bar px-2.5 py-1.5 text-xs text-bar-ink shadow-lg"
        >
          {text}
        </Tooltip.Content>
      </Tooltip.Portal>
    </Tooltip.Root>
  );
}

/** The filled violet tag of a forced value. */
export function ForceMark({ value }: { readonly value: ShownValue }) {
  return (
    <span className="rounded-sm bg-forced px-1 font-mono text-[10px] font-semibold text-on-forced">
      F={valueText(value)}
    </span>
  );
}

/**
 * Text of a field between the first letter and leaving it. A new value is put into the field that is there: Tab goes on
 * from it, also behind Enter. When the field is taken away meanwhile, as by a key that
 * leads elsewhere, it is kept like text that is left; when the value comes to be another meanwhile, as by another
 * window, it stays in the field. `shown`: what the field began with; `left`: to be called when it is left.
 */
function useTyped(
  value: string,
  onCommit: (text: string) => void,
  field: RefObject<HTMLInputElement | HTMLTextAreaElement | null>,
): { readonly typed: { current: string | undefined }; readonly shown: string; readonly left: (text: string) => void } {
  const typed = useRef<string>(undefined),
    shown = useRef(value),
    keep = useRef<(text: string) => void>(onCommit),
    [, draw] = useReducer((n: number) => n + 1, 0);
  if (typed.current === undefined) shown.current = value;
  const now = shown.current;
  useLayoutEffect(() => {
    if (field.current && typed.current === undefined) field.current.value = now;
  }, [field, now]);
  keep.current = (text) => {
    // As it was at first nothing was said.
    if (text !== value && text !== shown.current) onCommit(text.trim());
  };
  useEffect(
    () => () => {
      if (typed.current !== undefined) keep.current(typed.current);
    },
    [],
  );
  return {
    typed,
    shown: now,
    left: (text) => {
      typed.current = undefined;
      keep.current(text);
      draw();
    },
  };
}

/** What a field shows of a text that was taken apart. */
export class Shown {
  constructor(readonly text: string) {}
}

/** The same for a sentence that may need several lines. */
export function EditSentence({
  value,
  label,
  onCommit,
  placeholder = '',
  complete,
  marks = true,
  mono = false,
  lines = false,
}: {
  readonly value: string;
  readonly label: string;
  /** Answers with `Shown` where only a part of the text stays in this field. */
  readonly onCommit: (text: string) => unknown;
  readonly placeholder?: string;
  /**
   * Whether the likeliest is marked, and Tab takes it. Without, Tab goes to the next field as ever, and what the arrows
   * mark is taken by Enter too.
   */
  readonly marks?: boolean;
  readonly mono?: boolean;
  /** Shift+Enter begins a new line. */ readonly lines?: boolean;
  /** Ways to go on from what stands before the cursor: each replaces the last word. */ readonly complete?: (
    before: string,
  ) => readonly { readonly text: string; readonly about: string }[];
}) {
  const field = useRef<HTMLTextAreaElement>(null);
  const commit = (text: string) => {
    const kept = onCommit(text);
    if (kept instanceof Shown && field.current) field.current.value = kept.text;
  };
  const { typed, shown, left } = useTyped(value, commit, field);
  const [offered, setOffered] = useState<readonly Offer[]>([]),
    offer = useOffers(offered, { first: marks ? 0 : -1 });
  const look = () => {
    const f = field.current;
    setOffered(f && complete ? complete(f.value.slice(0, f.selectionStart)).map((o) => ({ key: o.text, ...o })) : []);
    offer.again();
  };
  const take = (text: string) => {
    const f = field.current!;
    const before = f.value.slice(0, f.selectionStart),
      from = before.length - /[\w.']*$/.exec(before)![0].length;
    f.setRangeText(text, from, f.selectionStart, 'end');
    look();
  };
  return (
    <span className="relative block">
      <textarea
        ref={field}
        defaultValue={shown}
        aria-label={label}
        placeholder={placeholder}
        spellCheck={false}
        rows={1}
        {...(complete ? offer.aria : {})}
        className={`block w-full resize-none rounded-sm border border-transparent bg-transparent px-1 py-0.5 [field-sizing:content] placeholder:text-faint hover:border-edge focus:border-copper focus:bg-sheet focus:outline-none ${mono ? 'font-mono text-[12px]' : ''}`}
        onChange={(e) => {
          typed.current = e.target.value;
          look();
        }}
        onKeyDown={(e) => {
          e.stopPropagation();
          if (((e.key === 'Tab' && !e.shiftKey) || (e.key === 'Enter' && !marks)) && offer.chosen) {
            e.preventDefault();
            take(offer.chosen.text);
            return;
          }
          if (offer.onKey(e)) return;
          if (e.key === ' ' && e.ctrlKey) {
            e.preventDefault();
            look();
            return;
          }
          if (e.key === 'Enter' && !(lines && e.shiftKey)) {
            e.preventDefault();
            e.currentTarget.blur();
          }
          if (e.key === 'Escape') {
            if (offered.length) {
              setOffered([]);
              return;
            }
            e.currentTarget.value = value;
            e.currentTarget.blur();
          }
        }}
        onBlur={(e) => {
          setOffered([]);
          left(e.currentTarget.value);
        }}
      />
      <OffersAt of={offer} field={field} label={`Ways to go on in ${label}`} onTake={(o) => take(o.text)} />
    </span>
  );
}

/** One of the texts that a field offers. */
export interface Choice {
  readonly text: string;
  readonly about?: string;
}
const MOST_CHOICES = 60;

/** A place to edit text where it stands: Enter keeps, Escape leaves it as it was. */
export function EditInPlace({
  value,
  label,
  onCommit,
  className = '',
  mono = false,
  placeholder = '',
  choices,
}: {
  readonly value: string;
  readonly label: string;
  /** What is offered below, by any part of it; anything else can be typed as well. */
  readonly choices?: readonly Choice[];
  /** Answers with a sentence where it cannot be so; the text then stays in its field, and nothing else is changed. */
  readonly onCommit: (text: string) => unknown;
  readonly className?: string;
  readonly mono?: boolean;
  readonly placeholder?: string;
}) {
  const [problem, setProblem] = useState<string>(),
    said = useId(),
    input = useRef<HTMLInputElement>(null),
    isFresh = useRef(false),
    isByEnter = useRef(false),
    offer = useChoices(choices, input);
  const commit = async (text: string) => {
    const enter = isByEnter.current,
      refused = await onCommit(text);
    setProblem(typeof refused === 'string' ? refused : undefined);
    // What is typed next mends it, unless somebody has gone on meanwhile.
    if (typeof refused === 'string' && enter && document.activeElement === document.body) {
      input.current?.focus();
      input.current?.select();
    }
  };
  const { typed, shown, left } = useTyped(value, (text) => void commit(text), input);
  const field = (
    <input
      ref={input}
      defaultValue={shown}
      {...(shown.length > 3 ? { title: shown } : {})}
      {...offer.aria}
      aria-label={label}
      placeholder={placeholder}
      spellCheck={false}
      {...(problem ? { 'aria-invalid': true, 'aria-describedby': said } : {})}
      className={`w-full text-ellipsis rounded-sm border bg-transparent px-1 py-0.5 placeholder:text-faint focus:bg-sheet focus:outline-none ${problem ? 'border-bad' : 'border-transparent hover:border-edge focus:border-copper'} ${mono ? 'font-mono text-[12px]' : ''} ${className}`}
      onFocus={(e) => {
        if (!choices) return;
        // What is typed takes the place of what stands there, by click as by Tab.
        e.currentTarget.select();
        isFresh.current = true;
        offer.look();
      }}
      onMouseUp={(e) => {
        if (isFresh.current) e.preventDefault();
        isFresh.current = false;
      }}
      onKeyDown={(e) => {
        e.stopPropagation();
        if (offer.onKey(e)) return;
        if (e.key === 'Enter') {
          isByEnter.current = true;
          e.currentTarget.blur();
          isByEnter.current = false;
        }
        if (e.key === 'Escape') {
          e.currentTarget.value = value;
          setProblem(undefined);
          e.currentTarget.blur();
        }
      }}
      onChange={(e) => {
        typed.current = e.target.value;
        setProblem(undefined);
        offer.look();
      }}
      onBlur={(e) => {
        offer.close();
        left(e.currentTarget.value);
      }}
    />
  );
  return (
    <>
      {field}
      {offer.list(label)}
      {problem !== undefined && <Refusal id={said} at={input} words={problem} />}
    </>
  );
}

/**
 * The place at the end of a list where the next one is made by its name. By Enter it is empty again and keeps the keys,
 * so that several are written one after the other.
 */
export function AddByName({
  onAdd,
  ...field
}: {
  readonly label: string;
  readonly placeholder: string;
  readonly mono?: boolean;
  /** Answers with a sentence where there can be none of that name; the text then stays. */
  readonly onAdd: (name: string) => string | undefined;
}) {
  const [made, again] = useReducer((n: number) => n + 1, 0),
    span = useRef<HTMLSpanElement>(null),
    isByEnter = useRef(false);
  useLayoutEffect(() => {
    if (isByEnter.current) span.current?.querySelector('input')?.focus({ preventScroll: true });
    isByEnter.current = false;
  }, [made]);
  return (
    <span
      ref={span}
      className="contents"
      onKeyDownCapture={(e) => {
        isByEnter.current = e.key === 'Enter';
      }}
    >
      <EditInPlace
        key={made}
        value=""
        {...field}
        onCommit={(name) => {
          const refused = name ? onAdd(name) : undefined;
          if (!refused) again();
          return refused;
        }}
      />
    </span>
  );
}

/** Why a field was not taken, below it and over everything: a table that scrolls would cut it. */
function Refusal({
  id,
  at,
  words,
}: {
  readonly id: string;
  readonly at: React.RefObject<HTMLInputElement | null>;
  readonly words: string;
}) {
  const box = at.current?.getBoundingClientRect();
  return createPortal(
    <span
      id={id}
      role="alert"
      style={{ top: (box?.bottom ?? 0) + 2, left: Math.min(box?.left ?? 0, window.innerWidth - 400) }}
      className="fixed z-50 w-max max-w-sm rounded-md border border-edge bg-bad-soft px-2 py-1 text-[12px] font-normal whitespace-normal text-bad shadow"
    >
      {words}
    </span>,
    document.body,
  );
}

/** The list below a field: shown while it is written in, walked with the arrows, taken with Enter or a click. */
function useChoices(choices: readonly Choice[] | undefined, input: React.RefObject<HTMLInputElement | null>) {
  const [shown, setShown] = useState<readonly Offer[]>([]),
    offer = useOffers(shown, { first: -1 });
  const close = () => {
    setShown([]);
    offer.again();
  };
  const look = () => {
    const f = input.current;
    if (!choices || !f) return;
    const t = f.value.trim().toLowerCase(),
      isAsIs = f.value === f.defaultValue;
    const rank = (c: Choice) => (c.text.toLowerCase().startsWith(t) ? 0 : c.text.toLowerCase().includes(t) ? 1 : 2);
    setShown(
      (isAsIs
        ? choices
        : choices
            .map((c) => ({ c, r: rank(c) }))
            .filter((x) => x.r < 2)
            .sort((a, b) => a.r - b.r)
            .map((x) => x.c)
      )
        .slice(0, MOST_CHOICES)
        .map((c) => ({ key: c.text, ...c })),
    );
    offer.again();
  };
  const take = (c: Offer) => {
    const f = input.current;
    if (!f) return;
    f.value = c.text;
    close();
  };
  return {
    look,
    close,
    aria: choices ? offer.aria : {},
    /** Whether the key was for the list. */
    onKey: (e: React.KeyboardEvent<HTMLInputElement>): boolean => {
      if ((e.key === 'ArrowDown' || e.key === 'ArrowUp') && choices && !shown.length) {
        e.preventDefault();
        look();
        return true;
      }
      if (offer.onKey(e)) return true;
      if (e.key === 'Enter' && offer.chosen) {
        e.preventDefault();
        take(offer.chosen);
        e.currentTarget.blur();
        return true;
      }
      if (e.key === 'Escape' && offer.chosen) {
        close();
        return true;
      }
      return false;
    },
    list: (label: string) => (
      <OffersAt
        of={offer}
        field={input}
        label={`Choices for ${label}`}
        onTake={(c) => {
          take(c);
          input.current?.blur();
        }}
        look="font-mono text-[12px]"
      />
    ),
  };
}
