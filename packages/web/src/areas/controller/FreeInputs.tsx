/** Inputs of the running program that neither its machine nor another program gives: set by hand, as at the terminals. */
import { useMemo, useState } from 'react';
import type { Project, Tag } from '@ferrule/core/document';
import { useLive, useLook, useValue } from '../../bench/live.js';
import { Hold, NumberByHand, TOOL, sourceOf } from '../../components/by-hand.js';
import { ValueMarks } from '../../components/ValueMarks.js';

/** Rows drawn at once; each is asked for live. */
const MOST = 40;
/** From so many on a name can be looked for. */
const FINDABLE = 9;

export function freeInputs(project: Project): readonly Tag[] {
  const outside = new Set((project.outside?.isOn ? project.outside.items : []).map((x) => x.path.toLowerCase()));
  return project.tags.filter(
    (t) => /^%I/i.test(t.address ?? '') && !outside.has(t.name.toLowerCase()) && !sourceOf(project.machine, t.name),
  );
}

export function FreeInputs({ project }: { readonly project: Project }) {
  const all = useMemo(() => freeInputs(project), [project]);
  const [find, setFind] = useState('');
  if (!all.length) return null;
  const words = find.trim().toLowerCase(),
    found = all.filter((t) => `${t.name} ${t.address} ${t.description ?? ''}`.toLowerCase().includes(words));
  return (
    <section aria-label="Inputs that no device gives" className="mt-3 px-1">
      <h3 className="font-semibold">Inputs that no device gives</h3>
      {all.length >= FINDABLE && (
        <input
          type="search"
          aria-label="Find an input"
          placeholder="Find"
          value={find}
          onChange={(e) => setFind(e.target.value)}
          className="mt-1 h-7 w-full rounded-md border border-edge bg-sheet px-2"
        />
      )}
      <ul className="mt-1">
        {found.slice(0, MOST).map((t) => (
          <FreeInput key={t.id} tag={t} />
        ))}
      </ul>
      {!found.length && <p className="mt-1 text-soft">No input has this in its name.</p>}
      {found.length > MOST && (
        <p className="mt-1 text-soft">and {found.length - MOST} more: write a part of the name.</p>
      )}
    </section>
  );
}

function FreeInput({ tag }: { readonly tag: Tag }) {
  const live = useLive();
  useLook([tag.name]);
  const value = useValue(tag.name),
    isBool = typeof value === 'boolean' || tag.type.toUpperCase() === 'BOOL';
  const give = (v: string) => live.event({ kind: 'write', path: tag.name, value: v }),
    set = (on: boolean) => give(on ? '1' : '0');
  return (
    <li className="flex items-center gap-1.5 border-b border-edge py-1">
      <span className="min-w-0 flex-1 truncate font-medium" title={tag.description ?? tag.address}>
        {tag.name} <span className="font-mono text-[11.5px] font-normal text-faint">{tag.wiring ?? ''}</span>
      </span>
      <ValueMarks path={tag.name} />
      {isBool ? (
        <>
          <span className="w-3 font-mono text-[11.5px]">{value === undefined ? '–' : value === true ? 1 : 0}</span>
          <Hold
            label={`Hold ${tag.name}`}
            isOn={value === true}
            set={set}
            isForce={false}
            onRelease={() => set(false)}
          />
          <button className={TOOL} aria-label={`Toggle ${tag.name}`} onClick={() => set(value !== true)}>
            Toggle
          </button>
        </>
      ) : (
        <NumberByHand tag={tag} value={value} onGive={give} />
      )}
    </li>
  );
}
