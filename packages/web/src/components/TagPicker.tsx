/** A small input that completes tags by any part of name, description or address. */
import { useMemo, useState, type KeyboardEvent } from 'react';
import { useDocument } from '../document/store.js';
import { completeTags } from './complete.js';

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
  const [at, setAt] = useState(0);
  const found = useMemo(() => completeTags(tags, text), [tags, text]);
  const onKey = (e: KeyboardEvent) => {
    e.stopPropagation();
    if (e.key === 'Enter') onPick(found[at]?.name ?? (text || undefined));
    if (e.key === 'Escape') onPick(undefined);
    if (e.key === 'ArrowDown') {
      e.preventDefault();
      setAt(Math.min(found.length - 1, at + 1));
    }
    if (e.key === 'ArrowUp') {
      e.preventDefault();
      setAt(Math.max(0, at - 1));
    }
  };
  return (
    <span className="relative">
      <input
        autoFocus
        role="combobox"
        aria-expanded={found.length > 0}
        aria-label={label}
        value={text}
        onChange={(e) => {
          setText(e.target.value);
          setAt(0);
        }}
        onKeyDown={onKey}
        onBlur={() => onPick(undefined)}
        className="h-6 w-56 rounded border border-copper bg-sheet px-2 outline-none"
      />
      {found.length > 0 && (
        <ul
          role="listbox"
          className="absolute right-0 bottom-7 z-40 w-72 rounded-lg border border-edge bg-sheet p-1 shadow-xl"
        >
          {found.map((t, i) => (
            <li
              key={t.id}
              role="option"
              aria-selected={i === at}
              onPointerDown={(e) => {
                e.preventDefault();
                onPick(t.name);
              }}
              className={`flex gap-2 rounded px-2 py-1 ${i === at ? 'bg-glow' : ''}`}
            >
              <span className="font-medium">{t.name}</span>
              <span className="truncate text-soft">{t.description}</span>
            </li>
          ))}
        </ul>
      )}
    </span>
  );
}
