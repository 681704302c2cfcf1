/**
 * Inputs by hand: press, hold, toggle, type, slide, pulse, ramp; one at a time or several as one change. What the
 * machine sends is replaced by a force.
 */
import { useMemo, useState } from 'react';
import { MACHINE, type Tag } from '@ferrule/core/document';
import { benchLive, benchStore, tellBench, useBench, useForced, useLook, useValue } from '../bench/live.js';
import type { EventText } from '../bench/protocol.js';
import { useStore } from 'zustand';
import { openBenchStore } from '../bench/open-bench.js';
import { Hold, NumberByHand, type Source, TOOL, limitsOf, sourceOf } from '../components/by-hand.js';
import { askWhy } from '../components/asking.js';
import { Button } from '../components/ui.js';
import { ValueMarks } from '../components/ValueMarks.js';
import { numberIn } from '../components/values.js';
import { useOutsideItems } from '../components/outside.js';
import { useMachine } from '../components/kinds.js';
import { useDocument } from '../document/store.js';

const NO_TAGS: readonly Tag[] = [];
/** Longest pulse or ramp, ms. */
const LONGEST_MS = 3_600_000;

export function InputsPane() {
  const tags = useDocument((s) => s.project?.tags) ?? NO_TAGS;
  const machine = useMachine(),
    outside = useOutsideItems();
  // What another program gives is not worked by the machine model.
  const worked = (t: Tag) => (outside.has(t.name.toLowerCase()) ? undefined : sourceOf(machine, t.name));
  const [find, setFind] = useState('');
  const [together, setTogether] = useState(false);
  const [waiting, setWaiting] = useState<ReadonlyMap<string, EventText & { readonly path: string }>>(new Map());
  const inputs = useMemo(
    () =>
      tags.filter(
        (t) =>
          /^%I/i.test(t.address ?? '') && `${t.name} ${t.description ?? ''}`.toLowerCase().includes(find.toLowerCase()),
      ),
    [tags, find],
  );
  /** Now, or with the others at `Apply`. */
  const give = (e: EventText & { readonly path: string }) => {
    if (together) setWaiting((w) => new Map([...w, [e.path, e]]));
    else benchLive.event(e);
  };
  return (
    <div className="px-3 py-2">
      <div className="flex items-center gap-2">
        <input
          type="search"
          aria-label="Find an input"
          placeholder="Find"
          value={find}
          onChange={(e) => setFind(e.target.value)}
          onKeyDown={(e) => e.stopPropagation()}
          className="h-7 w-28 rounded-md border border-edge bg-sheet px-2"
        />
        <label className="flex items-center gap-1.5">
          <input
            type="checkbox"
            checked={together}
            onChange={(e) => {
              setTogether(e.target.checked);
              setWaiting(new Map());
            }}
            className="accent-[var(--copper)]"
          />
          several as one change
        </label>
        {together && (
          <Button
            look="strong"
            tight
            disabled={!waiting.size}
            onClick={() => {
              tellBench({ kind: 'events', events: [...waiting.values()] });
              setWaiting(new Map());
            }}
          >
            Apply {waiting.size}
          </Button>
        )}
      </div>
      {!inputs.length && (
        <p className="mt-2 text-soft">
          {tags.some((t) => /^%I/i.test(t.address ?? ''))
            ? 'No input has this in its name.'
            : 'No tag has an input address (%I…) yet.'}
        </p>
      )}
      <ul aria-label="Inputs" className="mt-1">
        {inputs.map((t) => (
          <Input
            key={t.id}
            tag={t}
            source={worked(t)}
            item={outside.get(t.name.toLowerCase())}
            waits={waiting.get(t.name) ?? waiting.get(worked(t)?.handle ?? '')}
            onGive={give}
          />
        ))}
      </ul>
    </div>
  );
}

function Input({
  tag,
  source,
  item,
  waits,
  onGive,
}: {
  readonly tag: Tag;
  /** Of another program that gives it. */ readonly item: string | undefined;
  readonly source: Source | undefined;
  readonly waits: EventText | undefined;
  readonly onGive: (e: EventText & { readonly path: string }) => void;
}) {
  const watched = [
    tag.name,
    ...(source ? [`${MACHINE}.${source.device.name}.${source.terminal}`] : []),
    ...(source?.handle ? [source.handle] : []),
  ];
  useLook(watched);
  const value = useValue(tag.name);
  const forced = useForced(tag.name);
  const machine = useValue(source ? `${MACHINE}.${source.device.name}.${source.terminal}` : '');
  const handled = useValue(source?.handle ?? '');
  const [open, setOpen] = useState(false);
  const isJoined = useStore(openBenchStore, (s) => s.isJoined),
    quality = useStore(openBenchStore, (s) =>
      item !== undefined && s.isJoined ? s.shown?.outside.points.find((p) => p.path === tag.name)?.quality : undefined,
    );
  const isBool = typeof value === 'boolean' || tag.type.toUpperCase() === 'BOOL';
  // A button of the machine is worked by its handle; a sensor's signal is replaced by a force; a free input is written.
  const target =
    source?.handle && isBool
      ? { path: source.handle, kind: 'write' as const }
      : source || (item !== undefined && isJoined)
        ? { path: tag.name, kind: 'force' as const }
        : { path: tag.name, kind: 'write' as const };
  const now = source?.handle && isBool ? handled === true : value === true;
  const set = (on: boolean, letGo = false) =>
    onGive({ kind: target.kind, path: target.path, value: on ? '1' : '0', ...(letGo ? { letGo } : {}) });
  const physical =
    item !== undefined
      ? `${isJoined ? 'comes' : 'would come'} from ${item}${quality ? ` · ${quality}` : ''}`
      : !isBool || (typeof machine !== 'boolean' && typeof value !== 'boolean')
        ? ''
        : physicalText(tag, source, typeof machine === 'boolean' ? machine : value === true, handled);
  return (
    <li className="border-b border-edge py-1">
      <div className="flex items-center gap-1.5">
        <button
          className="min-w-0 flex-1 truncate text-left font-medium hover:text-copper-ink"
          title={`${tag.description ?? tag.name}: why is it so?`}
          onClick={() => void askWhy(tag.name)}
        >
          {tag.name} <span className="font-normal text-faint">{tag.wiring ?? ''}</span>
        </button>
        <ValueMarks path={tag.name} />
        {waits && (
          <span className="rounded bg-glow px-1 text-[11px] text-copper-ink">
            → {waits.kind !== 'releaseAll' ? (waits.value ?? 'released') : ''}
          </span>
        )}
        {isBool ? (
          <>
            <Hold
              label={`Hold ${tag.name}`}
              isOn={now}
              set={set}
              isForce={target.kind === 'force'}
              onRelease={() => onGive({ kind: 'force', path: tag.name, letGo: true })}
            />
            <button className={TOOL} aria-label={`Toggle ${tag.name}`} onClick={() => set(!now)}>
              Toggle
            </button>
          </>
        ) : (
          <NumberByHand
            tag={tag}
            value={value}
            onGive={(v) =>
              onGive({ kind: source?.handle ? 'write' : target.kind, path: source?.handle ?? target.path, value: v })
            }
          />
        )}
        {forced !== undefined && (
          <button
            className={TOOL}
            aria-label={`Release ${tag.name}`}
            onClick={() => benchLive.event({ kind: 'force', path: tag.name })}
          >
            Release
          </button>
        )}
        <button
          className={TOOL}
          aria-label={`More for ${tag.name}`}
          aria-expanded={open}
          onClick={() => setOpen(!open)}
        >
          …
        </button>
      </div>
      {(isBool || item !== undefined) && (
        <p className="flex justify-between gap-2 text-[11.5px] text-soft">
          <span>{physical}</span>
          {isBool && <span className="font-mono">tag {value === true ? 1 : 0}</span>}
        </p>
      )}
      {open && <More tag={tag} isBool={isBool} target={target} isForce={target.kind === 'force'} />}
    </li>
  );
}

/** What a voltmeter at the terminal would show, beside what the logic reads. */
function physicalText(tag: Tag, source: Source | undefined, isClosed: boolean, handled: unknown): string {
  const contact = `contact ${isClosed ? 'closed' : 'open'}`;
  if (source?.handle)
    return `${source.device.label ?? source.device.name} ${handled === true ? 'worked' : 'at rest'} · ${contact}`;
  if (tag.wiring === 'NC') return `${isClosed ? 'at rest' : 'actuated, or a broken wire'} · ${contact}`;
  return `${isClosed ? 'actuated' : 'at rest'} · ${contact}`;
}

/** Pulse, ramp and the key that works the input. */
function More({
  tag,
  isBool,
  target,
  isForce,
}: {
  readonly tag: Tag;
  readonly isBool: boolean;
  readonly target: { readonly path: string };
  readonly isForce: boolean;
}) {
  const [ms, setMs] = useState('500');
  const [to, setTo] = useState(String(limitsOf(tag).high));
  const keys = useDocument((s) => s.project?.bench?.keys) ?? [];
  const mine = keys.find((k) => k.path.toLowerCase() === tag.name.toLowerCase());
  const time = numberIn(ms, 1, LONGEST_MS),
    end = numberIn(to, -Number.MAX_VALUE, Number.MAX_VALUE);
  const wrong =
    time === undefined
      ? `The time goes from 1 to ${LONGEST_MS.toLocaleString('en')} ms.`
      : !isBool && end === undefined
        ? 'The end of the ramp is a number.'
        : undefined;
  const now = benchStore.getState().frame?.values[tag.name];
  const bind = (key: string) => {
    const others = keys.filter((k) => k !== mine && k.key !== key);
    useDocument
      .getState()
      .edit({ kind: 'changeBench', to: { keys: key ? [...others, { path: tag.name, key }] : others } });
  };
  const problem = useBench((s) => s.refused);
  return (
    <div className="flex flex-wrap items-center gap-1.5 pt-1" onKeyDown={(e) => e.stopPropagation()}>
      <label>
        for{' '}
        <input
          aria-label={`Length in ms for ${tag.name}`}
          value={ms}
          onChange={(e) => setMs(e.target.value)}
          className="h-6 w-14 rounded border border-edge bg-sheet px-1 text-right font-mono text-[11.5px]"
        />{' '}
        ms
      </label>
      {isBool ? (
        <button
          className={TOOL}
          disabled={wrong !== undefined}
          onClick={() =>
            tellBench({
              kind: 'pulse',
              path: target.path,
              value: '1',
              then: isForce ? '' : '0',
              ms: time ?? 0,
              ...(isForce ? { force: true } : {}),
            })
          }
        >
          Pulse
        </button>
      ) : (
        <>
          <label>
            to{' '}
            <input
              aria-label={`End of the ramp of ${tag.name}`}
              value={to}
              onChange={(e) => setTo(e.target.value)}
              className="h-6 w-14 rounded border border-edge bg-sheet px-1 text-right font-mono text-[11.5px]"
            />
          </label>
          <button
            className={TOOL}
            disabled={wrong !== undefined}
            onClick={() =>
              tellBench({
                kind: 'ramp',
                path: target.path,
                from: typeof now === 'number' ? now : 0,
                to: end ?? 0,
                ms: time ?? 0,
                ...(isForce ? { force: true } : {}),
              })
            }
          >
            Ramp
          </button>
        </>
      )}
      {isBool && (
        <label className="ml-auto" title="Bare while the panel or the machine has the focus, with Alt anywhere">
          key Alt+
          <input
            aria-label={`Key for ${tag.name}`}
            value={mine?.key.toUpperCase() ?? ''}
            maxLength={1}
            onChange={(e) => bind(e.target.value.trim().toLowerCase().slice(-1))}
            className="h-6 w-8 rounded border border-edge bg-sheet text-center font-mono text-[11.5px]"
          />
        </label>
      )}
      {(wrong ?? problem) && (
        <span role="alert" className="text-bad">
          {wrong ?? problem}
        </span>
      )}
    </div>
  );
}
