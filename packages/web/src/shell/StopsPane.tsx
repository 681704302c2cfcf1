/** Where runs stop, and the place a run stands at: its callers and how to go on from there. */
import { useState } from 'react';
import { X } from 'lucide-react';
import { useNavigate, useParams } from 'react-router';
import { tellBench, useBench } from '../bench/live.js';
import type { StopPoint } from '../bench/protocol.js';
import { addressOfPlace, toggleStop, useStopStore, useStops } from '../components/asking.js';
import { Button } from '../components/ui.js';
import { useDocument } from '../document/store.js';

export function StopsPane() {
  const id = useDocument((s) => s.id) ?? '';
  const pous = useDocument((s) => s.project?.pous) ?? [];
  const stops = useStops(id);
  const problems = useBench((s) => s.stopProblems);
  const stopped = useBench((s) => s.frame?.stopped?.stop);
  const put = (list: readonly StopPoint[]) => useStopStore.getState().put(id, list);
  const [kind, setKind] = useState<'condition' | 'change'>('condition');
  const [text, setText] = useState('');
  const add = () => {
    if (!text.trim()) return;
    toggleStop(id, kind === 'condition' ? { kind, condition: text.trim() } : { kind, path: text.trim() });
    setText('');
  };
  const words = (s: StopPoint): string => {
    if (s.kind === 'change') return `when ${s.path} changes`;
    if (s.kind === 'condition') return `when ${s.condition} comes true`;
    const p = pous.find((x) => x.id === s.pou);
    const at =
      p?.language === 'LD'
        ? `rung ${p.rungs.findIndex((r) => r.id === s.rung) + 1 || 'that is gone'}`
        : `line ${s.line}`;
    return `before ${p?.name ?? 'a program that is gone'} ${at}`;
  };
  return (
    <div className="px-3 py-2">
      <Inside />
      {!stops.length && (
        <p className="text-soft">F7 on a rung or a line stops the run before it. A run-time fault always stops it.</p>
      )}
      <ul>
        {stops.map((s) => (
          <li key={s.id} className={`border-b border-edge py-0.5 ${stopped === s.id ? 'bg-glow' : ''}`}>
            <div className="flex items-center gap-2">
              <input
                type="checkbox"
                aria-label={`Stop ${words(s)}`}
                checked={s.isOn}
                onChange={() => put(stops.map((x) => (x === s ? { ...s, isOn: !s.isOn } : x)))}
                className="accent-[var(--copper)]"
              />
              <span className={`min-w-0 flex-1 truncate ${s.isOn ? '' : 'text-faint'}`}>{words(s)}</span>
              {(s.kind === 'rung' || s.kind === 'line') && (
                <input
                  aria-label={`Only when, for ${words(s)}`}
                  defaultValue={s.condition ?? ''}
                  placeholder="only when …"
                  spellCheck={false}
                  onKeyDown={(e) => {
                    e.stopPropagation();
                    if (e.key === 'Enter') e.currentTarget.blur();
                  }}
                  onBlur={(e) => {
                    const c = e.currentTarget.value.trim();
                    if (c !== (s.condition ?? '')) {
                      const { condition: _, ...rest } = s;
                      put(stops.map((x) => (x === s ? { ...rest, ...(c ? { condition: c } : {}) } : x)));
                    }
                  }}
                  className="h-6 w-32 rounded border border-transparent bg-transparent px-1 font-mono text-[11.5px] placeholder:text-faint hover:border-edge focus:border-copper focus:bg-sheet"
                />
              )}
              <button
                aria-label={`Remove the stop ${words(s)}`}
                onClick={() => put(stops.filter((x) => x !== s))}
                className="text-faint hover:text-ink"
              >
                <X size={13} />
              </button>
            </div>
            {problems[s.id] && (
              <p role="alert" className="text-bad">
                {problems[s.id]}
              </p>
            )}
          </li>
        ))}
      </ul>
      <div className="mt-2 flex gap-1.5">
        <select
          aria-label="Kind of stop"
          value={kind}
          onChange={(e) => setKind(e.target.value as 'change')}
          className="h-7 rounded border border-edge bg-sheet px-1"
        >
          <option value="condition">when it comes true</option>
          <option value="change">when it changes</option>
        </select>
        <input
          aria-label={kind === 'condition' ? 'Condition to stop at' : 'Tag to stop at'}
          value={text}
          placeholder={kind === 'condition' ? 'Step is Crimping' : 'GoodTotal'}
          spellCheck={false}
          onChange={(e) => setText(e.target.value)}
          onKeyDown={(e) => {
            e.stopPropagation();
            if (e.key === 'Enter') add();
          }}
          className="h-7 min-w-0 flex-1 rounded border border-edge bg-sheet px-2 font-mono text-[12px]"
        />
        <Button onClick={add}>Add</Button>
      </div>
    </div>
  );
}

/** The statement the scan stands before, and from where its block was called. */
function Inside() {
  const inside = useBench((s) => s.frame?.inside);
  const stopped = useBench((s) => s.frame?.stopped);
  const fault = useBench((s) => s.frame?.fault);
  const navigate = useNavigate();
  const { id } = useParams();
  if (!inside && !stopped && !fault) return null;
  const go = (place: NonNullable<typeof inside>['place']) => {
    if (place && id) void navigate(addressOfPlace(place, id));
  };
  const step = (unit: 'over' | 'into' | 'out' | 'task', direction: 1 | -1) =>
    tellBench({ kind: 'stepInside', unit, direction });
  return (
    <div className="mb-2 rounded-md border border-edge bg-sheet px-2 py-1.5">
      {stopped && (
        <p role="status" className="font-semibold text-copper-ink">
          {stopped.words}.
        </p>
      )}
      {fault && <p className="font-mono text-[11.5px] text-bad">{fault}</p>}
      {inside && (
        <>
          <p>
            In the middle of the scan, before{' '}
            <button
              className="font-semibold underline decoration-edge underline-offset-2 hover:text-copper-ink"
              onClick={() => go(inside.place)}
            >
              {inside.words}
            </button>
            {inside.callers.length ? ', called in ' : '.'}
            {[...inside.callers].reverse().map((c, i) => (
              <span key={i}>
                {i ? ', in ' : ''}
                <button
                  className="underline decoration-edge underline-offset-2 hover:text-copper-ink"
                  onClick={() => go(c.place)}
                >
                  {c.words}
                </button>
              </span>
            ))}
          </p>
          <div className="mt-1 flex flex-wrap gap-1">
            <Button tight keys="Ctrl+⇧F6" onClick={() => step('over', -1)}>
              Back
            </Button>
            <Button tight keys="Ctrl+F6" onClick={() => step('over', 1)}>
              On
            </Button>
            <Button tight onClick={() => step('into', 1)}>
              Into the call
            </Button>
            <Button tight onClick={() => step('out', 1)}>
              Out of it
            </Button>
            <Button tight keys="Alt+F6" onClick={() => step('task', 1)}>
              Task
            </Button>
          </div>
        </>
      )}
    </div>
  );
}
