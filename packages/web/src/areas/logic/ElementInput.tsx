/**
 * Where an element, a whole rung or a name is typed: tags and members complete, Enter keeps, Escape leaves; what is
 * wrong is said and the text kept.
 */
import { type ReactNode, useEffect, useLayoutEffect, useMemo, useRef, useState, type KeyboardEvent } from 'react';
import { type OwnTypes, blocksFor } from '@ferrule/core/workspace';
import type { ProjectPou, Tag } from '@ferrule/core/document';
import { SYSTEM, SYSTEM_TAGS } from '@ferrule/core/language';
import { askBench } from '../../bench/live.js';
import { completeTags } from '../../components/complete.js';
import { useDesk } from '../../components/desk.js';
import { type Offer, Offers, useOffers } from '../../components/offers.js';
import { useDocument } from '../../document/store.js';
import { declarations, isWholeRung } from './sheet-edits.js';

interface Props {
  readonly label: string;
  readonly initial: string;
  /** What stands there now; text that differs from it is work that must not get lost. */
  readonly original: string;
  readonly kind: 'contact' | 'coil' | 'line' | 'name';
  readonly fresh?: boolean;
  /** The unit it is written in: a block's new names are its own variables. */ readonly pou: ProjectPou;
  readonly isKnown: (name: string) => boolean;
  /** Types of the program's own variables. */ readonly own?: OwnTypes;
  /** The rung as typed so far, drawn. */
  readonly preview?: (line: string) => ReactNode;
  /**
   * Returns why not, to be shown with the text kept; nothing when it was taken. `declares`: unknown names too; `goOn`:
   * another one after it.
   */
  readonly onCommit: (
    text: string,
    declares: boolean,
    goOn: boolean,
  ) => string | undefined | Promise<string | undefined>;
  /** The focus went elsewhere, or the page did: what was typed stays, whether it can be read yet or not. */
  readonly onAway: (text: string) => void;
  /** Escape, and only that, throws it away. */
  readonly onLeave: (text: string | undefined) => void;
}

const SYSTEM_ENTRIES: readonly Tag[] = SYSTEM_TAGS.map((t) => ({
  id: `system ${t.name}`,
  name: `${SYSTEM}.${t.name}`,
  type: t.type,
  description: t.about,
}));

interface Option extends Offer {
  readonly insert: string;
}

export function ElementInput({
  label,
  initial,
  original,
  kind,
  fresh = false,
  pou,
  isKnown,
  own,
  preview,
  onCommit,
  onAway,
  onLeave,
}: Props) {
  const project = useDocument((s) => s.project);
  const tags = project?.tags ?? [];
  const recent = useDesk((s) => s.recentTags);
  const [text, setText] = useState(initial);
  const [caret, setCaret] = useState(initial.length);
  const [problem, setProblem] = useState<string>();
  const [members, setMembers] = useState<readonly Option[]>([]);
  const input = useRef<HTMLInputElement>(null);
  const isWide = kind === 'line';
  // Before anything is painted: the next key is for this field already.
  useLayoutEffect(() => {
    const i = input.current!;
    i.focus();
    i.setSelectionRange(initial.length, initial.length);
    if (initial.length > 1) i.select();
  }, []);
  const before = text.slice(0, caret);
  const path = /[A-Za-z_]\w*(?:\[[^\]]*\])?(?:\.\w+(?:\[[^\]]*\])?)*\.\w*$/.exec(before)?.[0];
  // Behind `N1:` stands a block's type.
  const declares = kind === 'name' ? undefined : /[A-Za-z_]\w*(?:@\w+)?\s*:\s*([A-Za-z_]\w*)?$/.exec(before);
  const word = declares
    ? (declares[1] ?? '')
    : kind === 'name' || path
      ? ''
      : (/(?:[A-Za-z_]|%[IQM])[\w.]*$/.exec(before)?.[0] ?? '');
  const wired = useMemo(
    () =>
      new Set(
        (project?.machine.devices ?? []).flatMap((d) => Object.values(d.wires ?? {}).map((w) => w.toLowerCase())),
      ),
    [project?.machine],
  );
  const place = kind === 'coil' || (kind === 'line' && /->[^>]*$/.test(before)) ? 'coil' : 'contact';
  const found = useMemo((): readonly Option[] => {
    if (declares && project)
      return blocksFor(project)
        .filter(
          (b) => b.name.toLowerCase().startsWith(word.toLowerCase()) && b.name.toLowerCase() !== word.toLowerCase(),
        )
        .slice(0, 8)
        .map((b) => ({ key: b.name, insert: `${b.name}(`, text: b.name, about: b.about }));
    if (path) {
      const last = path.slice(path.lastIndexOf('.') + 1).toLowerCase();
      return members.filter((m) => m.text.toLowerCase().startsWith(last)).slice(0, 8);
    }
    if (!word || tags.some((t) => t.name === word)) return [];
    return completeTags([...tags, ...SYSTEM_ENTRIES], word, { place, recent, wired }).map((t) => ({
      key: t.id,
      insert: t.name,
      text: t.name,
      about: t.description,
      right: t.address ?? t.type,
    }));
  }, [tags, word, path, members, place, recent, wired, Boolean(declares), project?.pous]);
  const offer = useOffers(found, { first: -1 });
  // What is behind a dot, the bench knows: members, elements and bits.
  const base = path?.slice(0, path.lastIndexOf('.'));
  useEffect(() => {
    setMembers([]);
    if (!base) return undefined;
    let isOn = true;
    void askBench('members', { path: base }).then((list) => {
      if (isOn)
        setMembers(
          (list ?? [])
            .filter((m) => !m.name.startsWith('['))
            .map((m) => ({
              key: m.path,
              insert: `${base}.${m.name.replace(/^\./, '')}`,
              text: m.name.replace(/^\./, ''),
              right: m.type,
            })),
        );
    });
    return () => {
      isOn = false;
    };
  }, [base]);
  const unknown = useMemo(() => {
    if (!project || kind === 'name') return [];
    const line =
      kind === 'line' || isWholeRung(text)
        ? text
        : kind === 'coil'
          ? `-> ${text.replace(/^\s*->/, '')}`
          : `${text} -> Ferrule_`;
    return declarations(project, pou, line, (n) => n === 'ferrule_' || isKnown(n), own).said;
  }, [project, text, kind]);

  const complete = (o: Option) => {
    const from = caret - (path ?? word).length;
    setText(text.slice(0, from) + o.insert + text.slice(caret));
    setCaret(from + o.insert.length);
    offer.again();
    input.current?.focus();
    requestAnimationFrame(() => input.current?.setSelectionRange(from + o.insert.length, from + o.insert.length));
  };
  // Once it is taken, losing the focus is no leaving.
  const taken = useRef(false);
  const typed = () => (text.trim() && text.trim() !== original.trim() ? text : undefined);
  const away = () => {
    if (taken.current) return;
    taken.current = true;
    const kept = typed();
    if (kept === undefined) onLeave(undefined);
    else onAway(kept);
  };
  // Another area or program takes the field away without the focus leaving it first.
  const goes = useRef(away);
  goes.current = away;
  const isThere = useRef(false);
  useEffect(() => {
    isThere.current = true;
    return () => {
      isThere.current = false;
      queueMicrotask(() => {
        if (!isThere.current) goes.current();
      });
    };
  }, []);
  const commit = async (declares: boolean, goOn: boolean) => {
    taken.current = true;
    const refused = await onCommit(text, declares, goOn);
    if (refused) taken.current = false;
    setProblem(refused);
    // Going on, the same line is empty again.
    if (!refused && goOn) {
      requestAnimationFrame(() => {
        if (isThere.current) taken.current = false;
      });
      setText('');
      setCaret(0);
    }
  };
  const onKey = (e: KeyboardEvent) => {
    e.stopPropagation();
    if (e.key === 'Escape') {
      e.preventDefault();
      taken.current = true;
      onLeave(typed());
    } else if (e.key === 'Tab' && found.length) {
      e.preventDefault();
      complete(offer.chosen ?? found[0]!);
    } else if (offer.onKey(e)) {
      // Another one is marked.
    } else if (e.key === 'Enter') {
      e.preventDefault();
      if (offer.chosen) complete(offer.chosen);
      else void commit(e.ctrlKey || e.metaKey, fresh && e.shiftKey);
    }
  };
  // What is said about the line stays in sight, also at the end of the sheet.
  const below = useRef<HTMLSpanElement>(null);
  useEffect(() => {
    below.current?.scrollIntoView({ block: 'nearest' });
  }, [text, problem, found.length]);
  const drawn = isWide && text.trim() && preview ? preview(text) : undefined;
  return (
    <span
      className={`relative inline-block ${isWide ? 'w-full' : 'w-72'}`}
      onClick={(e) => e.stopPropagation()}
      onPointerDown={(e) => e.stopPropagation()}
    >
      <input
        ref={input}
        {...offer.aria}
        aria-label={label}
        aria-invalid={problem !== undefined}
        spellCheck={false}
        value={text}
        onKeyDown={onKey}
        onBlur={() => {
          // Another window in front is no reason to stop typing here.
          if (document.hasFocus()) away();
        }}
        onChange={(e) => {
          setText(e.target.value);
          setCaret(e.target.selectionStart ?? e.target.value.length);
          offer.again();
          setProblem(undefined);
        }}
        onSelect={(e) => setCaret(e.currentTarget.selectionStart ?? 0)}
        className={`h-8 w-full rounded-md border-2 bg-sheet px-2 font-mono text-[12.5px] shadow-lg outline-none ${problem ? 'border-bad' : 'border-copper'}`}
      />
      <span ref={below} className="absolute top-9 left-0 z-30 flex w-full flex-col items-start gap-1">
        {problem && (
          <span
            role="alert"
            className="w-max max-w-lg rounded-md border border-edge bg-bad-soft px-2 py-1 text-[12px] text-bad shadow"
          >
            {problem}
          </span>
        )}
        {!problem && isWholeRung(text) && kind !== 'line' && (
          <span
            className="w-max max-w-lg rounded-md border border-edge bg-glow px-2 py-1 text-[12px] shadow"
            role="note"
          >
            A whole rung: <kbd className="font-mono text-[11px]">⏎</kbd> puts it below this one
          </span>
        )}
        {!problem && unknown.length > 0 && (
          <span
            className="w-max max-w-lg rounded-md border border-edge bg-glow px-2 py-1 text-[12px] shadow"
            role="note"
          >
            New: {unknown.join(', ')} · <kbd className="font-mono text-[11px]">Ctrl+⏎</kbd> keeps and declares
          </span>
        )}
        {found.length > 0 && !problem && (
          <Offers
            of={offer}
            label="Tags"
            onTake={complete}
            className="w-80 rounded-lg border border-edge bg-sheet p-1 text-[12.5px] shadow-xl"
            foot={`Tab completes · Enter keeps${fresh ? ' · ⇧Enter keeps and goes on' : ''} · Esc leaves`}
          />
        )}
        {drawn && (
          <span className="block w-full overflow-hidden rounded-lg border border-edge bg-sheet p-2 shadow-xl">
            {drawn}
          </span>
        )}
      </span>
    </span>
  );
}
