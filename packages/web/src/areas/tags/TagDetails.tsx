/** What is known of the chosen tag: its fields, its value, where it is used. */
import { useEffect, useMemo } from 'react';
import { Link, useParams } from 'react-router';
import type { Tag } from '@ferrule/core/document';
import { type Use } from '@ferrule/core/workspace';
import { benchLive, useValue } from '../../bench/live.js';
import type { ProblemNote } from '../../bench/protocol.js';
import { FixButtons } from '../../components/FixButtons.js';
import { useFixes } from '../../components/fixes.js';
import { onPageKeys } from '../../components/keys.js';
import { Button, EditInPlace, Finding } from '../../components/ui.js';
import { TagThere } from '../../components/at-controller.js';
import { useDocument } from '../../document/store.js';
import { addressOfUse } from '../../shell/place.js';

export function UseLinks({ uses }: { readonly uses: readonly Use[] }) {
  const { id } = useParams();
  return (
    <>
      {uses.map((u, i) => (
        <Link key={i} className="mr-2 underline" to={addressOfUse(u, id ?? '')}>
          {u.place}
        </Link>
      ))}
    </>
  );
}

export function Details({
  tag,
  uses,
  problem,
  onRemove,
}: {
  readonly tag: Tag;
  readonly uses: readonly Use[];
  readonly problem: ProblemNote | undefined;
  readonly onRemove: () => void;
}) {
  const { id } = useParams();
  const value = useValue(tag.name);
  // To delete it there is a button already.
  const found = useFixes(problem),
    fixes = useMemo(() => found.filter((f) => f.edit.kind !== 'removeTag'), [found]);
  const mend = (n: number): boolean => {
    const fix = fixes[n];
    if (fix) useDocument.getState().edit(fix.edit);
    return fix !== undefined;
  };
  useEffect(
    () =>
      onPageKeys([
        ['Mod+.', () => mend(0)],
        ['Mod+Shift+.', () => mend(1)],
      ]),
    [fixes],
  );
  const force = (v: string | undefined) =>
    benchLive.event(v === undefined ? { kind: 'force', path: tag.name } : { kind: 'force', path: tag.name, value: v });
  return (
    <div className="flex flex-col gap-3">
      <h2 className="text-[15px] font-semibold">{tag.name}</h2>
      {tag.description && <p className="-mt-2 text-soft">{tag.description}</p>}
      {problem && <Finding severity={problem.severity}>{problem.message}</Finding>}
      {fixes.length > 0 && (
        <p className="-mt-1.5">
          <FixButtons fixes={fixes} hasKeys onFix={mend} />
        </p>
      )}
      <div className="flex flex-wrap gap-1.5">
        {typeof value === 'boolean' && (
          <>
            <Button onClick={() => force('1')}>Force on</Button>
            <Button onClick={() => force('0')}>Force off</Button>
            <Button onClick={() => force(undefined)}>Release</Button>
          </>
        )}
        <Button look="danger" onClick={onRemove}>
          Delete
        </Button>
      </div>
      <TagThere id={tag.id} />
      <Facts tag={tag} />
      <h3 className="font-semibold">Where used · {uses.length}</h3>
      {!uses.length && <p className="text-soft">Nowhere.</p>}
      <ul>
        {uses.map((u, i) => (
          <li key={i} className="flex justify-between border-b border-edge py-1">
            <Link className="hover:text-copper-ink hover:underline" to={addressOfUse(u, id ?? '')}>
              {u.place}
            </Link>
            <span className={u.isWrite ? 'font-medium text-copper-ink' : 'text-soft'}>
              {u.place.startsWith('Machine') ? 'wired' : u.isWrite ? 'written' : 'read'}
            </span>
          </li>
        ))}
      </ul>
    </div>
  );
}

/** What is stated of a tag beside its row. */
function Facts({ tag }: { readonly tag: Tag }) {
  const edit = useDocument((s) => s.edit);
  const change = (to: Record<string, unknown>) => edit({ kind: 'changeTag', id: tag.id, to: to as Partial<Tag> });
  const text = (
    field: 'initial' | 'unit' | 'range' | 'valueNames' | 'stop' | 'modbus' | 'standsFor',
    label: string,
    placeholder: string,
  ) => (
    <label className="contents">
      <span className="text-soft">{label}</span>
      <EditInPlace
        mono
        value={tag[field] ?? ''}
        label={`${label} of ${tag.name}`}
        placeholder={placeholder}
        onCommit={(v) => change({ [field]: v || null })}
      />
    </label>
  );
  return (
    <div className="grid grid-cols-[86px_minmax(0,1fr)] items-center gap-x-2 gap-y-0.5">
      {text('standsFor', 'Stands for', 'a tag or Status.3')}
      {text('initial', 'Initial', '0')}
      {tag.initial && !tag.constant && (
        <span className="col-start-2 px-1 text-[11px] text-faint">
          {tag.retain ? 'taken where nothing is retained yet' : 'taken when the logic starts anew'}
        </span>
      )}
      {text('unit', 'Unit', 'mm, °C …')}
      {text('range', 'Range', '0..100')}
      {(tag.valueNames !== undefined || /^U?[SDL]?INT$/i.test(tag.type)) &&
        text('valueNames', 'Values', '0 Idle, 10 Fill')}
      {(tag.stop !== undefined || /^%Q/i.test(tag.address ?? '')) && text('stop', 'At stop', 'off')}
      <span className="text-soft">Keeps</span>
      <span className="flex gap-3">
        <label className="flex items-center gap-1">
          <input
            type="checkbox"
            className="accent-copper"
            checked={tag.retain ?? false}
            onChange={(e) => change({ retain: e.target.checked || null })}
          />
          retained
        </label>
        <label className="flex items-center gap-1">
          <input
            type="checkbox"
            className="accent-copper"
            checked={tag.constant ?? false}
            onChange={(e) => change({ constant: e.target.checked || null })}
          />
          constant
        </label>
      </span>
      <label className="contents">
        <span className="text-soft">Access</span>
        <select
          value={tag.access ?? ''}
          aria-label={`Access to ${tag.name}`}
          onChange={(e) => change({ access: e.target.value || null })}
          className="h-7 rounded border border-edge bg-sheet px-1"
        >
          <option value="">none from outside</option>
          <option value="read">others read it</option>
          <option value="write">others read and write it</option>
        </select>
      </label>
      {(tag.modbus !== undefined || tag.access) && text('modbus', 'Modbus', 'by its address')}
    </div>
  );
}
