/**
 * I/O checkout: every point of the I/O, tried one after the other before there is any logic. An input is watched while
 * its device is worked; an output is forced while its device is watched. What was found, by whom and when is kept with
 * the project. The same list at the bench and at a controller.
 */
import { useEffect, useRef, useState } from 'react';
import { type Project, POINT_STATES, type Tag, type TriedPoint } from '@ferrule/core/document';
import { kindOf } from '@ferrule/core/machine';
import { sayWho, whoIs } from './who.js';
import { useForced, useLive, useLook, usePulled, useValue } from '../bench/live.js';
import { useDocument } from '../document/store.js';
import { useMachine } from './kinds.js';
import { useOutsideItems } from './outside.js';
import { Button, EditInPlace, ForceMark } from './ui.js';
import { CardMark } from './ValueMarks.js';
import { valueText } from './values.js';

const WORDS: Readonly<Record<TriedPoint['found'], string>> = {
  right: 'right',
  swapped: 'swapped',
  inverted: 'inverted',
  dead: 'dead',
  other: 'wrong',
};
const NO_TAGS: readonly Tag[] = [],
  NO_POINTS: readonly TriedPoint[] = [];

/** What is at the other end of the wire. */
function deviceOf(machine: Project['machine'], tag: string): string {
  for (const d of machine.devices)
    for (const [t, to] of Object.entries(d.wires ?? {}))
      if (
        to.toLowerCase() === tag.toLowerCase() &&
        kindOf(machine, d.type)?.terminals.some((x) => x.name.toLowerCase() === t.toLowerCase())
      )
        return `${d.label ?? d.name} · ${t}`;
  return 'nothing';
}

export function Checkout() {
  const tags = useDocument((s) => s.project?.tags) ?? NO_TAGS;
  const machine = useMachine(),
    outside = useOutsideItems();
  const tried = useDocument((s) => s.project?.bench?.points) ?? NO_POINTS;
  const [by, setBy] = useState(whoIs);
  const points = tags.filter((t) => /^%[IQ]/i.test(t.address ?? '') && !t.standsFor);
  const found = new Map(tried.map((p) => [p.tag.toLowerCase(), p]));
  const right = points.filter((t) => found.get(t.name.toLowerCase())?.found === 'right').length,
    wrong = points.filter((t) => {
      const f = found.get(t.name.toLowerCase())?.found;
      return f !== undefined && f !== 'right';
    }).length;
  const live = useLive();
  const note = (tag: string, to: Pick<TriedPoint, 'found' | 'note'> | undefined) => {
    const rest = tried.filter((p) => p.tag.toLowerCase() !== tag.toLowerCase());
    useDocument.getState().edit({
      kind: 'changeBench',
      to: {
        points: to ? [...rest, { tag, ...to, by: by.trim(), at: new Date().toISOString(), where: live.kind }] : rest,
      },
    });
  };
  return (
    <section aria-label="I/O checkout" className="min-h-0 overflow-y-auto p-3">
      <div className="flex flex-wrap items-center gap-3 pb-2">
        <p role="status">
          <b>
            {right} of {points.length}
          </b>{' '}
          right{wrong ? <span className="text-bad"> · {wrong} wrong</span> : ''}
          {points.length - right - wrong ? ` · ${points.length - right - wrong} not tried` : ''}
        </p>
        <label className="ml-auto flex items-center gap-1.5 text-soft">
          tried by{' '}
          <input
            value={by}
            aria-label="Tried by"
            onChange={(e) => {
              setBy(e.target.value);
              sayWho(e.target.value);
            }}
            onKeyDown={(e) => e.stopPropagation()}
            className="h-7 w-32 rounded border border-edge bg-sheet px-2"
          />
        </label>
        {tried.length > 0 && (
          <Button
            look="quiet"
            tight
            onClick={() => useDocument.getState().edit({ kind: 'changeBench', to: { points: [] } })}
          >
            Begin anew
          </Button>
        )}
      </div>
      {!points.length && <p className="text-soft">No tag has an address of an input or output (%I…, %Q…) yet.</p>}
      {(['I', 'Q'] as const).map((area) => {
        const mine = points.filter((t) => t.address!.toUpperCase().startsWith(`%${area}`));
        return (
          mine.length > 0 && (
            <div key={area} className="mb-3">
              <h3 className="font-semibold">
                {area === 'I' ? 'Inputs' : 'Outputs'}{' '}
                <span className="font-normal text-soft">
                  {area === 'I' ? 'work the device, see its input change' : 'force the output, see its device move'}
                </span>
              </h3>
              {/* Widths of their own: what a value or a name of today needs never moves what is to be pressed. */}
              <table className="w-full table-fixed border-collapse text-[12.5px]">
                <colgroup>
                  <col />
                  <col className="w-26" />
                  {area === 'Q' && <col className="w-33" />}
                  <col className="w-36" />
                  <col className="w-26" />
                </colgroup>
                <tbody>
                  {mine.map((t) => (
                    <Point
                      key={t.id}
                      tag={t}
                      device={outside.get(t.name.toLowerCase()) ?? deviceOf(machine, t.name)}
                      tried={found.get(t.name.toLowerCase())}
                      onFound={(f) => note(t.name, f)}
                    />
                  ))}
                </tbody>
              </table>
            </div>
          )
        );
      })}
    </section>
  );
}

function Point({
  tag,
  device,
  tried,
  onFound,
}: {
  readonly tag: Tag;
  readonly device: string;
  readonly tried: TriedPoint | undefined;
  readonly onFound: (f: Pick<TriedPoint, 'found' | 'note'> | undefined) => void;
}) {
  useLook([tag.name]);
  const value = useValue(tag.name),
    forced = useForced(tag.name),
    isOut = usePulled(tag.name),
    live = useLive();
  const isOutput = /^%Q/i.test(tag.address!),
    isBool = tag.type.toUpperCase() === 'BOOL';
  // What it has been seen at since the list was opened: a point that never changes has not been tried.
  const seen = useRef(new Set<string>()),
    [changes, setChanges] = useState(0);
  const text = value === undefined ? '' : typeof value === 'boolean' ? (value ? '1' : '0') : valueText(value, tag.type);
  useEffect(() => {
    if (text && !seen.current.has(text)) {
      seen.current.add(text);
      setChanges(seen.current.size);
    }
  }, [text]);
  const force = (v: string | undefined) =>
    live.event(v === undefined ? { kind: 'force', path: tag.name } : { kind: 'force', path: tag.name, value: v });
  const [typed, setTyped] = useState('');
  return (
    <tr aria-label={tag.name} className="border-t border-edge align-middle">
      <td className="py-1 pr-2 leading-tight">
        <span className="flex items-baseline gap-2">
          <span className="min-w-0 truncate font-medium" title={tag.description}>
            {tag.name}
          </span>
          <span className="shrink-0 font-mono text-[11px] text-faint">{tag.address}</span>
        </span>
        <span className="block truncate text-[11.5px] text-soft" title={device}>
          {device}
        </span>
      </td>
      <td className="truncate">
        <span className={`mr-2 font-mono ${value === true ? 'font-semibold text-copper-ink' : ''}`}>{text || '–'}</span>
        {isOut && <CardMark />}
        {forced !== undefined ? (
          <ForceMark value={forced} />
        ) : changes > 1 ? (
          <span className="text-[11.5px] text-good">has changed</span>
        ) : null}
      </td>
      {isOutput && (
        <td className="whitespace-nowrap">
          {isBool ? (
            <span className="flex gap-1">
              <Button tight onClick={() => force('1')}>
                On
              </Button>
              <Button tight onClick={() => force('0')}>
                Off
              </Button>
              {forced !== undefined && (
                <Button tight look="quiet" onClick={() => force(undefined)}>
                  Release
                </Button>
              )}
            </span>
          ) : (
            <span className="flex gap-1">
              <input
                aria-label={`Output ${tag.name}`}
                value={typed}
                onChange={(e) => setTyped(e.target.value)}
                onKeyDown={(e) => {
                  e.stopPropagation();
                  if (e.key === 'Enter' && typed) force(typed);
                }}
                className="h-6 w-16 rounded border border-edge bg-sheet px-1 text-right font-mono text-[11.5px]"
              />
              {forced !== undefined && (
                <Button tight look="quiet" onClick={() => force(undefined)}>
                  Release
                </Button>
              )}
            </span>
          )}
        </td>
      )}
      <td className="py-1 pr-2">
        <span className="flex items-center gap-1.5">
          <input
            type="checkbox"
            aria-label={`${tag.name} is right`}
            checked={tried?.found === 'right'}
            onChange={(e) => onFound(e.target.checked ? { found: 'right' } : undefined)}
            className="accent-[var(--copper)]"
          />
          <select
            aria-label={`What was found at ${tag.name}`}
            value={tried?.found ?? ''}
            onChange={(e) =>
              onFound(
                e.target.value
                  ? { found: e.target.value as TriedPoint['found'], ...(tried?.note ? { note: tried.note } : {}) }
                  : undefined,
              )
            }
            className={`h-6 w-full min-w-0 rounded bg-transparent ${tried && tried.found !== 'right' ? 'font-semibold text-bad' : ''}`}
          >
            <option value="">not tried</option>
            {POINT_STATES.map((s) => (
              <option key={s} value={s}>
                {WORDS[s]}
              </option>
            ))}
          </select>
        </span>
      </td>
      <td className="py-1 text-right text-[11px] leading-tight text-faint">
        {tried && tried.found !== 'right' && (
          <EditInPlace
            value={tried.note ?? ''}
            label={`Note on ${tag.name}`}
            placeholder="note"
            onCommit={(n) => onFound({ found: tried.found, ...(n ? { note: n } : {}) })}
            className="border-edge bg-sheet text-[12.5px] text-ink"
          />
        )}
        {tried &&
          `${tried.by ? `${tried.by}, ` : ''}${new Date(tried.at).toLocaleString([], { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' })}${tried.where === 'controller' ? ', controller' : ''}`}
      </td>
    </tr>
  );
}
