/** Where an element or a whole rung is typed: tags complete, Enter keeps, Escape leaves; what is wrong is said and the text kept. */
import { useEffect, useMemo, useRef, useState, type KeyboardEvent } from 'react';
import { completeTags } from '../../components/complete.js';
import { useDocument } from '../../document/store.js';

interface Props {
  readonly label: string;
  readonly initial: string;
  readonly wide?: boolean;
  /** Returns why not, to be shown with the text kept; nothing when it was taken. */
  readonly onCommit: (text: string) => string | undefined;
  readonly onLeave: () => void;
}

export function ElementInput({ label, initial, wide = false, onCommit, onLeave }: Props) {
  const tags = useDocument((s) => s.project?.tags) ?? [];
  const [text, setText] = useState(initial);
  const [caret, setCaret] = useState(initial.length);
  const [at, setAt] = useState(-1);
  const [problem, setProblem] = useState<string>();
  const input = useRef<HTMLInputElement>(null);
  useEffect(() => { const i = input.current!; i.focus(); i.setSelectionRange(initial.length, initial.length); if (wide || initial.length > 1) i.select(); }, []);
  const word = /[A-Za-z_][\w.]*$/.exec(text.slice(0, caret))?.[0] ?? '';
  const found = useMemo(() => (word.length > 0 && !tags.some((t) => t.name === word) ? completeTags(tags, word) : []), [tags, word]);

  const complete = (name: string) => {
    const from = caret - word.length;
    const next = text.slice(0, from) + name + text.slice(caret);
    setText(next);
    setCaret(from + name.length);
    setAt(-1);
    input.current?.focus();
  };
  const commit = (value: string) => setProblem(onCommit(value));
  const onKey = (e: KeyboardEvent) => {
    e.stopPropagation();
    if (e.key === 'Escape') { e.preventDefault(); onLeave(); }
    else if (e.key === 'Tab' && found.length) { e.preventDefault(); complete(found[Math.max(at, 0)]!.name); }
    else if (e.key === 'ArrowDown' && found.length) { e.preventDefault(); setAt((at + 1) % found.length); }
    else if (e.key === 'ArrowUp' && found.length) { e.preventDefault(); setAt((at + found.length - 1) % found.length); }
    else if (e.key === 'Enter') { e.preventDefault(); if (at >= 0) complete(found[at]!.name); else commit(text); }
  };
  return (
    <span className={`relative inline-block ${wide ? 'w-full' : 'w-72'}`} onClick={(e) => e.stopPropagation()}>
      <input
        ref={input} role="combobox" aria-expanded={found.length > 0} aria-label={label} aria-invalid={problem !== undefined} spellCheck={false} autoComplete="off" value={text} onKeyDown={onKey} onBlur={onLeave}
        onChange={(e) => { setText(e.target.value); setCaret(e.target.selectionStart ?? e.target.value.length); setAt(-1); setProblem(undefined); }} onSelect={(e) => setCaret(e.currentTarget.selectionStart ?? 0)}
        className={`h-8 w-full rounded-md border-2 bg-sheet px-2 font-mono text-[12.5px] shadow-lg outline-none ${problem ? 'border-bad' : 'border-copper'}`}
      />
      {problem && <span role="alert" className="absolute top-9 left-0 z-30 w-max max-w-lg rounded-md border border-edge bg-bad-soft px-2 py-1 text-[12px] text-bad shadow">{problem}</span>}
      {found.length > 0 && !problem && (
        <ul role="listbox" aria-label="Tags" className="absolute top-9 left-0 z-30 w-80 rounded-lg border border-edge bg-sheet p-1 shadow-xl">
          {found.map((t, i) => (
            <li key={t.id} role="option" aria-selected={i === at} onPointerDown={(e) => { e.preventDefault(); complete(t.name); }} className={`flex items-baseline gap-2 rounded px-2 py-0.5 text-[12.5px] ${i === at ? 'bg-glow' : ''}`}>
              <span className="font-medium">{t.name}</span><span className="min-w-0 flex-1 truncate text-soft">{t.description}</span><span className="font-mono text-[10.5px] text-faint">{t.address ?? t.type}</span>
            </li>
          ))}
          <li className="px-2 pt-1 text-[11px] text-faint">Tab completes · Enter keeps · Esc leaves</li>
        </ul>
      )}
    </span>
  );
}
