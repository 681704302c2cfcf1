/**
 * Find in the rungs and texts of the project, from one to the next, and replace what is found after seeing what it
 * makes.
 */
import { type KeyboardEvent, useEffect, useMemo, useRef, useState } from 'react';
import { useNavigate, useParams } from 'react-router';
import { create } from 'zustand';
import { type Match, type Replacement, matchesIn, replaceEdit, replacements } from '@ferrule/core/workspace';
import type { Project } from '@ferrule/core/document';
import { Problems, makeSource } from '@ferrule/core/language';
import { nodesOf, parseRungLine } from '@ferrule/core/ladder';
import { focusHome } from '../../components/focus.js';
import { Button } from '../../components/ui.js';
import { useDocument } from '../../document/store.js';

interface Finding {
  readonly open: boolean;
  readonly text: string;
  readonly by: string;
  readonly matchCase: boolean;
  readonly whole: boolean;
  readonly onlyHere: boolean;
  /** Counts the times it was asked for, so that the field gets the focus again. */ readonly asked: number;
}
export const useFind = create<Finding>(() => ({
  open: false,
  text: '',
  by: '',
  matchCase: false,
  whole: false,
  onlyHere: false,
  asked: 0,
}));
/** Opens the bar; what is chosen is looked for. */
export const openFind = (text?: string): void =>
  useFind.setState((s) => ({ open: true, asked: s.asked + 1, ...(text ? { text } : {}) }));

const MOST_SHOWN = 200;
const FIELD =
  'h-7 w-52 rounded-md border border-edge bg-sheet px-2 font-mono text-[12px] outline-none focus:border-copper';

export function FindBar({ pou }: { readonly pou: string | undefined }) {
  const find = useFind();
  const project = useDocument((s) => s.project);
  const navigate = useNavigate();
  const { id } = useParams();
  const field = useRef<HTMLInputElement>(null);
  const [at, setAt] = useState(-1);
  const [chosen, setChosen] = useState<ReadonlySet<string>>();
  const { text, matchCase, whole, onlyHere } = find;
  const matches = useMemo(
    () =>
      project && find.open ? matchesIn(project, { text, matchCase, whole, ...(onlyHere && pou ? { pou } : {}) }) : [],
    [project, find.open, text, matchCase, whole, onlyHere, pou],
  );
  const made = useMemo(
    () => (project && chosen ? replacements(project, matches, find.by) : []),
    [project, matches, find.by, chosen],
  );
  useEffect(() => {
    if (!find.open) return;
    field.current?.focus();
    field.current?.select();
  }, [find.asked, find.open]);
  if (!find.open || !project) return null;
  const set = (to: Partial<Finding>) => {
    useFind.setState(to);
    setAt(-1);
    if (chosen && !('by' in to)) setChosen(undefined);
  };
  const close = () => {
    useFind.setState({ open: false });
    setChosen(undefined);
    focusHome();
  };
  const go = (by: 1 | -1) => {
    if (!matches.length) return;
    const next =
      at < 0 ? (by > 0 ? nearestTo(matches, pou) : matches.length - 1) : (at + by + matches.length) % matches.length;
    setAt(next);
    void navigate(addressOf(project, matches[next]!, id ?? '', next), { replace: true });
    // The sheet takes the focus when it is led somewhere; here one goes on to the next.
    setTimeout(() => field.current?.focus(), 60);
  };
  const onKey = (e: KeyboardEvent) => {
    e.stopPropagation();
    if (e.key === 'Escape') {
      e.preventDefault();
      if (chosen) setChosen(undefined);
      else close();
    } else if (e.key === 'F3' || (e.key === 'Enter' && e.target === field.current)) {
      e.preventDefault();
      go(e.shiftKey ? -1 : 1);
    }
  };
  const replaceThem = () => {
    const picked = made.filter((r) => chosen!.has(r.key)).flatMap((r) => r.matches);
    const e = replaceEdit(project, picked, find.by);
    if (e) useDocument.getState().edit(e);
    setChosen(undefined);
    setAt(-1);
    field.current?.focus();
  };
  const check = (label: string, field: 'matchCase' | 'whole' | 'onlyHere') => (
    <label className="flex items-center gap-1 whitespace-nowrap">
      <input
        type="checkbox"
        className="accent-copper"
        checked={find[field]}
        onChange={(e) => set({ [field]: e.target.checked })}
      />
      {label}
    </label>
  );
  return (
    <div
      role="search"
      aria-label="Find in the logic"
      onKeyDown={onKey}
      className="border-b border-edge bg-sunk px-2 py-1 text-[12.5px]"
    >
      <div className="flex flex-wrap items-center gap-x-2 gap-y-1">
        <input
          ref={field}
          aria-label="Find"
          placeholder="Find in rungs, comments and texts"
          spellCheck={false}
          value={text}
          onChange={(e) => set({ text: e.target.value })}
          className={FIELD}
        />
        <span role="status" className="min-w-16 text-soft">
          {text ? (matches.length ? `${at < 0 ? '' : `${at + 1} of `}${matches.length}` : 'not found') : ''}
        </span>
        <Button tight look="quiet" keys="⇧F3" disabled={!matches.length} onClick={() => go(-1)}>
          Previous
        </Button>
        <Button tight look="quiet" keys="F3" disabled={!matches.length} onClick={() => go(1)}>
          Next
        </Button>
        {check('Aa', 'matchCase')}
        {check('whole names', 'whole')}
        {check('only here', 'onlyHere')}
        <span className="flex-1" />
        <input
          aria-label="Replace by"
          placeholder="Replace by"
          spellCheck={false}
          value={find.by}
          onChange={(e) => set({ by: e.target.value })}
          className={FIELD}
        />
        <Button
          tight
          disabled={!matches.length}
          onClick={() => setChosen(new Set(replacements(project, matches, find.by).map((r) => r.key)))}
        >
          Preview
        </Button>
        <Button tight look="quiet" keys="Esc" onClick={close}>
          Close
        </Button>
      </div>
      {chosen && (
        <Preview
          made={made}
          chosen={chosen}
          onChoose={setChosen}
          onReplace={replaceThem}
          onLeave={() => setChosen(undefined)}
        />
      )}
    </div>
  );
}

/** Every line as it would be, with a mark to leave it out. */
function Preview({
  made,
  chosen,
  onChoose,
  onReplace,
  onLeave,
}: {
  readonly made: readonly Replacement[];
  readonly chosen: ReadonlySet<string>;
  readonly onChoose: (to: ReadonlySet<string>) => void;
  readonly onReplace: () => void;
  readonly onLeave: () => void;
}) {
  const count = made.reduce((n, r) => n + (chosen.has(r.key) ? r.matches.length : 0), 0);
  const toggle = (key: string) => {
    const next = new Set(chosen);
    if (!next.delete(key)) next.add(key);
    onChoose(next);
  };
  return (
    <div className="mt-1 rounded-md border border-edge bg-sheet">
      <ul aria-label="What replacing makes" className="max-h-64 overflow-y-auto">
        {made.slice(0, MOST_SHOWN).map((r) => (
          <li key={r.key} className="flex items-baseline gap-2 border-b border-edge px-2 py-1 last:border-0">
            <input
              type="checkbox"
              className="accent-copper"
              aria-label={`Replace in ${r.where}`}
              checked={chosen.has(r.key)}
              onChange={() => toggle(r.key)}
            />
            <span className="w-40 shrink-0 truncate text-soft" title={r.where}>
              {r.where}
            </span>
            <span className="min-w-0 flex-1 font-mono text-[12px] break-words">
              <del className="text-soft">{r.before.trim()}</del>
              <br />
              <ins className="font-semibold no-underline">{r.after.trim()}</ins>
            </span>
          </li>
        ))}
      </ul>
      <div className="flex items-center gap-2 border-t border-edge px-2 py-1">
        <Button look="strong" disabled={!count} onClick={onReplace}>
          Replace {count} {count === 1 ? 'time' : 'times'}
        </Button>
        <Button look="quiet" onClick={onLeave}>
          Leave
        </Button>
        {made.length > MOST_SHOWN && (
          <span className="text-soft">
            {made.length - MOST_SHOWN} more lines are not shown; those marked are replaced with them.
          </span>
        )}
      </div>
    </div>
  );
}

/** The first match of the program in sight, else the first of all. */
function nearestTo(matches: readonly Match[], pou: string | undefined): number {
  return Math.max(
    0,
    matches.findIndex((m) => m.pou === pou),
  );
}

/** The page address that shows a match; `n` makes it another each time, so that the same place is gone to again. */
function addressOf(project: Project, m: Match, id: string, n: number): string {
  const base = `/projects/${id}/logic?pou=${m.pou}`;
  if (!m.rung) return m.part === 'text' ? `${base}&at=${m.start}&n=${n}` : base;
  const pou = project.pous.find((p) => p.id === m.pou),
    line = pou?.language === 'LD' ? pou.rungs.find((r) => r.id === m.rung!.id)?.line : undefined;
  const parsed = m.part === 'line' && line ? parseRungLine(makeSource('', line), new Problems()) : undefined;
  const element = parsed ? nodesOf(parsed.rung).findIndex((x) => m.start >= x.start && m.start < x.end) : 0;
  return `${base}&rung=${m.rung.id}&element=${Math.max(0, element)}&n=${n}`;
}
