/** Lists of tags to watch: kept with the project, filled by drag, each value in the form somebody wants to read. */
import { ChevronRight, Plus, X } from 'lucide-react';
import { useEffect, useRef, useState } from 'react';
import { FORMATS, type NumberFormat, type WatchList, type WatchRow } from '@ferrule/core/document';
import { askBench, benchLive, useBench, useForced, useLook, usePulled, useValue } from '../bench/live.js';
import type { Answers } from '../bench/protocol.js';
import { askWhy } from '../components/asking.js';
import { useTagDrop } from '../components/drag.js';
import { AddTag } from '../components/TagPicker.js';
import { CardMark } from '../components/ValueMarks.js';
import { focusField } from '../components/focus.js';
import { Button, EditInPlace, ForceMark } from '../components/ui.js';
import { formatted } from '../components/values.js';
import { newId, useDocument } from '../document/store.js';
import { numberedName } from '../components/free-name.js';

const NONE: readonly WatchList[] = [];

export function WatchPane() {
  const lists = useDocument((s) => s.project?.bench?.watches) ?? NONE;
  const [chosen, setChosen] = useState<string>();
  const list = lists.find((l) => l.id === chosen) ?? lists[0];
  const put = (watches: readonly WatchList[]) => useDocument.getState().edit({ kind: 'changeBench', to: { watches } });
  const change = (rows: readonly WatchRow[]) => {
    if (list) put(lists.map((l) => (l === list ? { ...list, rows } : l)));
    else put([{ id: newId('w'), name: 'Watch', rows }]);
  };
  const rows = list?.rows ?? [];
  const add = (path: string) => {
    if (!rows.some((r) => r.path.toLowerCase() === path.toLowerCase())) change([...rows, { path }]);
  };
  const drop = useTagDrop<HTMLDivElement>(add);
  return (
    <div ref={drop} data-takes-tags className="min-h-full px-3 py-2">
      <div className="flex items-center gap-1.5">
        {lists.length > 1 && (
          <select
            aria-label="Watch list"
            value={list?.id}
            onChange={(e) => setChosen(e.target.value)}
            className="h-7 rounded border border-edge bg-sheet px-1"
          >
            {lists.map((l) => (
              <option key={l.id} value={l.id}>
                {l.name}
              </option>
            ))}
          </select>
        )}
        {list && (
          <span className="w-36">
            <EditInPlace
              value={list.name}
              label="Name of the watch list"
              onCommit={(name) => {
                if (name) put(lists.map((l) => (l === list ? { ...list, name } : l)));
              }}
            />
          </span>
        )}
        <span className="ml-auto" />
        <AddTag look="quiet" tight label="Tag to watch" onAdd={add}>
          <Plus size={13} />
          Tag
        </AddTag>
        <Button
          look="quiet"
          tight
          onClick={() => {
            const id = newId('w');
            put([
              ...lists,
              {
                id,
                name: numberedName(
                  'Watch ',
                  lists.map((l) => l.name),
                ),
                rows: [],
              },
            ]);
            setChosen(id);
            focusField('Name of the watch list');
          }}
        >
          New list
        </Button>
        {list && (
          <Button look="quiet" tight onClick={() => put(lists.filter((l) => l !== list))}>
            Delete list
          </Button>
        )}
      </div>
      {!rows.length && <p className="mt-2 text-soft">Drag tags here from a list or a rung, or add one by name.</p>}
      <ul aria-label="Watched tags">
        {rows.map((r) => (
          <Row
            key={r.path}
            row={r}
            depth={0}
            onFormat={(format) =>
              change(rows.map((x) => (x === r ? { path: r.path, ...(format !== 'decimal' ? { format } : {}) } : x)))
            }
            onRemove={() => change(rows.filter((x) => x !== r))}
          />
        ))}
      </ul>
    </div>
  );
}

/** So long a force may take to be shown, in ms; one that could not be done is none afterwards. */
const ASKED_MS = 1000;

/** The value before this one, while it is new: what changed is marked. */
function useChanged(value: unknown): boolean {
  const [isNew, setNew] = useState(false);
  const before = useRef(value);
  useEffect(() => {
    if (Object.is(before.current, value)) return;
    const wasKnown = before.current !== undefined;
    before.current = value;
    if (!wasKnown) return;
    setNew(true);
    const t = setTimeout(() => setNew(false), 800);
    return () => clearTimeout(t);
  }, [value]);
  return isNew;
}

function Row({
  row,
  depth,
  onFormat,
  onRemove,
}: {
  readonly row: WatchRow;
  readonly depth: number;
  readonly onFormat?: (f: NumberFormat) => void;
  readonly onRemove?: () => void;
}) {
  useLook([row.path]);
  const value = useValue(row.path);
  const forced = useForced(row.path),
    isOut = usePulled(row.path);
  const isNew = useChanged(value);
  const facts = useBench((s) => s.checked?.tags[row.path.toLowerCase()]);
  const generation = useBench((s) => s.frame?.generation);
  const [members, setMembers] = useState<Answers['members']['answer']>();
  const [open, setOpen] = useState(false);
  useEffect(() => {
    if (open) void askBench('members', { path: row.path }).then(setMembers);
  }, [open, generation, row.path]);
  const type = facts?.type ?? (/\.(ET|PT)$/i.test(row.path) ? 'TIME' : undefined);
  const text = formatted(value, type, row.format);
  const [typed, setTyped] = useState<string>();
  // A force that was asked for and is not shown yet: what is given right behind it is meant for that.
  const asked = useRef<{ readonly isOn: boolean; readonly until: number }>(undefined);
  useEffect(() => {
    asked.current = undefined;
  }, [forced, row.path]);
  const force = (v?: string) => {
    asked.current = { isOn: v !== undefined, until: performance.now() + ASKED_MS };
    benchLive.event({ kind: 'force', path: row.path, ...(v === undefined ? {} : { value: v }) });
  };
  // What is forced stays so: another value for it is another force.
  const give = (v: string) => {
    const due = asked.current && performance.now() < asked.current.until ? asked.current.isOn : forced !== undefined;
    benchLive.event({ kind: due ? 'force' : 'write', path: row.path, value: v });
  };
  const commit = () => {
    if (typed !== undefined && typed !== text) give(typed);
    setTyped(undefined);
  };
  return (
    <>
      <li className="group flex items-center gap-1.5 border-b border-edge" style={{ paddingLeft: depth * 14 }}>
        <button
          aria-label={`Members of ${row.path}`}
          aria-expanded={open}
          onClick={() => setOpen(!open)}
          className={`w-4 text-faint hover:text-ink ${value !== undefined && typeof value === 'boolean' ? 'invisible' : ''}`}
        >
          <ChevronRight size={12} className={open ? 'rotate-90' : ''} />
        </button>
        <button
          className="min-w-0 flex-1 truncate py-0.5 text-left font-medium hover:text-copper-ink"
          title={`${row.path}: why is it so?`}
          onClick={() => void askWhy(row.path)}
        >
          {depth ? row.path.slice(row.path.search(/[.[][^.[]*$/)) : row.path}
        </button>
        {isOut && <CardMark />}
        {forced !== undefined ? (
          <button aria-label={`Release ${row.path}`} title="Release the force" onClick={() => force()}>
            <ForceMark value={forced} />
          </button>
        ) : (
          (typeof value === 'boolean' || typeof value === 'number') && (
            <button
              aria-label={`Force ${row.path}`}
              title="Force it to what it is now; then another value forces that"
              onClick={() => force(typeof value === 'boolean' ? (value ? '1' : '0') : text)}
              className="rounded px-0.5 text-[10.5px] text-faint opacity-0 group-hover:opacity-100 hover:text-copper-ink focus-visible:opacity-100"
            >
              force
            </button>
          )
        )}
        {isNew && (
          <span aria-label="just changed" className="text-copper-ink">
            •
          </span>
        )}
        {value === undefined ? (
          <span className="font-mono text-[11.5px] text-faint">{open ? '' : '–'}</span>
        ) : typeof value === 'boolean' ? (
          <button
            aria-label={`Toggle ${row.path}`}
            onClick={() => give(value ? '0' : '1')}
            className={`h-6 w-7 rounded border font-mono text-[12px] ${value ? 'border-copper bg-glow font-semibold text-copper-ink' : 'border-edge'}`}
          >
            {value ? 1 : 0}
          </button>
        ) : (
          <input
            aria-label={`Value of ${row.path}`}
            value={typed ?? text}
            onChange={(e) => setTyped(e.target.value)}
            onBlur={() => setTyped(undefined)}
            onKeyDown={(e) => {
              e.stopPropagation();
              if (e.key === 'Enter') {
                commit();
                e.currentTarget.blur();
              }
              if (e.key === 'Escape') setTyped(undefined);
            }}
            className={`h-6 w-36 rounded border border-transparent bg-transparent px-1 text-right font-mono text-[11.5px] tabular-nums hover:border-edge focus:border-copper focus:bg-sheet ${isNew ? 'font-semibold' : ''}`}
          />
        )}
        {onFormat && value !== undefined && typeof value === 'number' ? (
          <select
            aria-label={`Form of ${row.path}`}
            value={row.format ?? 'decimal'}
            onChange={(e) => onFormat(e.target.value as NumberFormat)}
            className="h-6 w-[68px] rounded bg-transparent text-[11px] text-soft"
          >
            {FORMATS.map((f) => (
              <option key={f}>{f}</option>
            ))}
          </select>
        ) : (
          <span className="w-[68px]" />
        )}
        {onRemove && (
          <button aria-label={`Stop watching ${row.path}`} onClick={onRemove} className="text-faint hover:text-ink">
            <X size={12} />
          </button>
        )}
      </li>
      {open && (members ?? []).map((m) => <Row key={m.path} row={{ path: m.path }} depth={depth + 1} />)}
    </>
  );
}
