/** The value of a path now, and a place to write another: a value takes effect at the next scan, running or not. */
import { useMemo, useState, type KeyboardEvent } from 'react';
import type { RungInstance } from '@ferrule/core/workspace';
import { benchLive, useLook, useValue } from '../bench/live.js';
import { askWhy } from './asking.js';
import { useKinds, useMachine } from './kinds.js';
import { ValueMarks } from './ValueMarks.js';
import { valueText } from './values.js';

/** Whether a device of the machine drives the tag. */
function useIsWired(name: string): boolean {
  const { devices } = useMachine(),
    kind = useKinds();
  return useMemo(
    () =>
      devices.some((d) =>
        Object.entries(d.wires ?? {}).some(
          ([terminal, to]) =>
            to.toLowerCase() === name.toLowerCase() &&
            kind(d.type)?.terminals.some(
              (t) => t.direction === 'out' && t.name.toLowerCase() === terminal.toLowerCase(),
            ),
        ),
      ),
    [devices, kind, name],
  );
}

export function Now({
  path,
  type,
  label,
  isOutput = false,
  unit,
  wiring,
}: {
  readonly path: string;
  readonly type: string | undefined;
  readonly label: string;
  readonly isOutput?: boolean;
  readonly unit?: string | undefined;
  readonly wiring?: string | undefined;
}) {
  useLook([path]);
  const value = useValue(path);
  const isBool = typeof value === 'boolean';
  // What the machine or a coil writes in every scan is forced, not toggled.
  const isDriven = useIsWired(path) || isOutput;
  return (
    <span className="group flex items-center gap-1.5 font-mono text-[12px]">
      {isBool && !isDriven ? (
        <button
          aria-label={`Toggle ${label}`}
          className={`h-6 w-8 rounded border text-center ${value ? 'border-copper bg-glow font-semibold text-copper-ink' : 'border-edge'}`}
          onClick={() => benchLive.event({ kind: 'write', path, value: value ? '0' : '1' })}
        >
          {value ? 1 : 0}
        </button>
      ) : isBool ? (
        <span className={`px-2.5 ${value ? 'font-semibold text-copper-ink' : ''}`}>{value ? 1 : 0}</span>
      ) : value === undefined ? (
        <span />
      ) : (
        <ValueInput path={path} label={`Value of ${label}`} text={valueText(value, type)} />
      )}
      <button
        aria-label={`Why is ${label} so`}
        title="Why is it so?"
        onClick={() => void askWhy(path)}
        className="rounded px-0.5 text-[10.5px] text-faint opacity-0 group-hover:opacity-100 hover:text-copper-ink focus-visible:opacity-100"
      >
        why
      </button>
      {unit && <span className="text-faint">{unit}</span>}
      {wiring === 'NC' && isBool && <span className="text-[10.5px] text-faint">{value ? 'closed' : 'open'}</span>}
      <ValueMarks path={path} />
    </span>
  );
}

function ValueInput({ path, label, text }: { readonly path: string; readonly label: string; readonly text: string }) {
  const [typed, setTyped] = useState<string>();
  const commit = () => {
    if (typed !== undefined && typed !== text) benchLive.event({ kind: 'write', path, value: typed });
    setTyped(undefined);
  };
  const onKey = (e: KeyboardEvent<HTMLInputElement>) => {
    e.stopPropagation();
    if (e.key === 'Enter') {
      commit();
      e.currentTarget.blur();
    }
    if (e.key === 'Escape') setTyped(undefined);
  };
  return (
    <input
      aria-label={label}
      value={typed ?? text}
      onChange={(e) => setTyped(e.target.value)}
      onKeyDown={onKey}
      onBlur={() => setTyped(undefined)}
      className="w-20 rounded-sm border border-transparent bg-transparent px-1 hover:border-edge focus:border-copper focus:bg-sheet focus:outline-none"
    />
  );
}

/** What an instance shows first: how far a timer or counter is, or the output of a block. */
export function InstanceNow({ instance: i }: { readonly instance: RungInstance }) {
  const [member, type] = /^(TON|TOF|TP)(_|$)/i.test(i.type)
    ? ['ET', 'TIME']
    : /^CT/i.test(i.type)
      ? ['CV', 'INT']
      : /^(SR|RS)$/i.test(i.type)
        ? ['Q1', 'BOOL']
        : ['Q', 'BOOL'];
  return i.path === undefined ? undefined : (
    <Now path={`${i.path}.${member}`} type={type} label={`${i.name}.${member}`} isOutput />
  );
}
