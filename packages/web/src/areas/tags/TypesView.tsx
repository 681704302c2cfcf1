/**
 * Types: structures and enumerations as tables, everything else as text; the place and padding of each member beside
 * it.
 */
import { ArrowDown, ArrowUp, Plus, X } from 'lucide-react';
import { useEffect, useState } from 'react';
import { useSearchParams } from 'react-router';
import {
  type MemberLine,
  type TypeParts,
  type ValueLine,
  readType,
  renameType,
  typeToText,
} from '@ferrule/core/workspace';
import { many } from '@ferrule/core/language';
import { askBench, useBench } from '../../bench/live.js';
import type { Answers } from '../../bench/protocol.js';
import { focusField } from '../../components/focus.js';
import { useTypeChoices } from '../../components/types.js';
import { Button, Cell, EditInPlace, Finding } from '../../components/ui.js';
import { newId, useDocument } from '../../document/store.js';

export function TypesView() {
  const types = useDocument((s) => s.project?.types) ?? [];
  const edit = useDocument((s) => s.edit);
  const problems = useBench((s) => s.checked?.problems) ?? [];
  const [search, setSearch] = useSearchParams();
  const chosen = types.find((t) => t.id === search.get('type')) ?? types[0];
  const make = (text: (name: string) => string, stem: string) => {
    let n = 1;
    while (types.some((t) => new RegExp(`^\\s*${stem}${n}\\b`, 'i').test(t.text))) n++;
    const id = newId('y');
    edit({ kind: 'addType', type: { id, text: text(`${stem}${n}`) }, at: types.length });
    setSearch({ view: 'types', type: id });
    focusField(`Name of type ${stem}${n}`);
  };
  const mine = problems.filter((p) => p.origin.kind === 'pou' && p.origin.id === chosen?.id);
  return (
    <div className="grid h-full min-h-0 grid-cols-[220px_minmax(0,1fr)]">
      <div className="flex min-h-0 flex-col border-r border-edge bg-sunk p-2">
        <ul aria-label="Types" className="min-h-0 flex-1 overflow-auto">
          {!types.length && <li className="px-2 py-1 text-soft">No types yet.</li>}
          {types.map((t) => {
            const p = readType(t.text);
            return (
              <li key={t.id}>
                <button
                  aria-current={t === chosen}
                  onClick={() => setSearch({ view: 'types', type: t.id })}
                  className={`flex w-full items-baseline gap-2 rounded-md px-2 py-1 text-left ${t === chosen ? 'bg-edge/50 font-medium' : 'hover:bg-edge/30'}`}
                >
                  <span className="min-w-0 flex-1 truncate">{p.name || '(no name)'}</span>
                  <span className="text-[11px] text-faint">
                    {p.kind === 'struct'
                      ? `${p.members.length} member${p.members.length === 1 ? '' : 's'}`
                      : p.kind === 'enum'
                        ? `${p.values.length} value${p.values.length === 1 ? '' : 's'}`
                        : 'text'}
                  </span>
                </button>
              </li>
            );
          })}
        </ul>
        <div className="flex flex-wrap gap-1 pt-2">
          <Button look="quiet" tight onClick={() => make((n) => `${n} : STRUCT\n  a : INT;\nEND_STRUCT;`, 'Structure')}>
            + Structure
          </Button>
          <Button look="quiet" tight onClick={() => make((n) => `${n} : (First, Second);`, 'Choice')}>
            + Enumeration
          </Button>
          <Button look="quiet" tight onClick={() => make((n) => `${n} : INT (0..100);`, 'Range')}>
            + Range
          </Button>
          <Button look="quiet" tight onClick={() => make((n) => `${n} : REAL;`, 'Alias')}>
            + Alias
          </Button>
        </div>
      </div>
      {chosen ? (
        <div className="min-h-0 overflow-auto p-4" key={chosen.id}>
          {mine.map((p, i) => (
            <div key={i} className="mb-2">
              <Finding severity={p.severity}>{p.message}</Finding>
            </div>
          ))}
          <OneType id={chosen.id} text={chosen.text} />
        </div>
      ) : (
        <p className="p-6 text-soft">
          A structure keeps things together that belong together: a recipe, a valve with its feedback. An enumeration
          names steps and modes.
        </p>
      )}
    </div>
  );
}

function OneType({ id, text }: { readonly id: string; readonly text: string }) {
  const edit = useDocument((s) => s.edit);
  const parts = readType(text);
  const put = (p: TypeParts) => edit({ kind: 'changeType', id, to: { text: typeToText(p) } });
  const [asText, setAsText] = useState(parts.kind === 'other');
  const isText = asText || parts.kind === 'other';
  return (
    <>
      <div className="mb-2 flex items-center gap-2">
        <h2 className="w-72 text-[15px] font-semibold">
          <EditInPlace
            value={parts.name}
            label={`Name of type ${parts.name}`}
            onCommit={(to) => rename(id, parts.name, to)}
          />
        </h2>
        <span className="flex-1" />
        {parts.kind !== 'other' && (
          <Button look="quiet" tight onClick={() => setAsText(!asText)}>
            {asText ? 'As a table' : 'As text'}
          </Button>
        )}
        <Button look="danger" onClick={() => edit({ kind: 'removeType', id })}>
          Delete
        </Button>
      </div>
      {isText ? (
        <TextForm key={text} text={text} onCommit={(t) => edit({ kind: 'changeType', id, to: { text: t } })} />
      ) : parts.kind === 'struct' ? (
        <Members parts={parts} put={put} />
      ) : parts.kind === 'enum' ? (
        <Values parts={parts} put={put} />
      ) : null}
    </>
  );
}

function rename(id: string, from: string, to: string): void {
  const { project, edit } = useDocument.getState();
  if (!project || to === from) return;
  const e = renameType(project, id, to);
  if ('refused' in e) useDocument.setState({ refused: e.refused });
  else edit(e);
}

function TextForm({ text, onCommit }: { readonly text: string; readonly onCommit: (t: string) => void }) {
  return (
    <textarea
      aria-label="The type as text"
      defaultValue={text}
      spellCheck={false}
      onKeyDown={(e) => e.stopPropagation()}
      onBlur={(e) => {
        if (e.currentTarget.value.trim() !== text.trim()) onCommit(e.currentTarget.value.trim());
      }}
      className="h-64 w-full rounded-md border border-edge bg-sunk p-3 font-mono text-[12.5px] outline-none focus:border-copper"
    />
  );
}

const moved = <T,>(list: readonly T[], i: number, by: number): T[] => {
  const next = [...list];
  const [x] = next.splice(i, 1);
  next.splice(i + by, 0, x!);
  return next;
};
const icon = 'grid h-7 w-7 place-items-center rounded text-soft hover:bg-edge/40 disabled:opacity-30';

function RowButtons({
  name,
  i,
  count,
  onMove,
  onRemove,
}: {
  readonly name: string;
  readonly i: number;
  readonly count: number;
  readonly onMove: (by: number) => void;
  readonly onRemove: () => void;
}) {
  return (
    <span className="flex">
      <button className={icon} aria-label={`${name} up`} disabled={i === 0} onClick={() => onMove(-1)}>
        <ArrowUp size={13} />
      </button>
      <button className={icon} aria-label={`${name} down`} disabled={i === count - 1} onClick={() => onMove(1)}>
        <ArrowDown size={13} />
      </button>
      <button className={icon} aria-label={`Take ${name} out`} disabled={count === 1} onClick={onRemove}>
        <X size={13} />
      </button>
    </span>
  );
}

function Members({
  parts,
  put,
}: {
  readonly parts: TypeParts & { readonly kind: 'struct' };
  readonly put: (p: TypeParts) => void;
}) {
  const layout = useLayout(parts.name, typeToText(parts));
  const { members } = parts,
    types = useTypeChoices();
  const change = (i: number, to: Partial<MemberLine>) =>
    put({ ...parts, members: members.map((m, k) => (k === i ? clean({ ...m, ...to }) : m)) });
  const columns =
    'grid grid-cols-[minmax(110px,1fr)_minmax(100px,1fr)_90px_minmax(120px,2fr)_110px_84px] items-center gap-x-2';
  return (
    <>
      <p className="mb-2 text-soft">
        {layout
          ? `${many(layout.size, 'byte')}${layout.members.some((m) => m.padding) ? `, ${layout.members.reduce((n, m) => n + m.padding, 0)} of them padding` : ', no padding'}`
          : 'The place of each member is shown when the project has no errors in its types.'}
      </p>
      <div role="table" aria-label={`Members of ${parts.name}`} className="rounded-lg border border-edge bg-sheet">
        <div role="row" className={`${columns} border-b border-edge bg-sunk px-3 py-1 text-[12px] text-soft`}>
          {['Member', 'Type', 'Initial', 'Description', 'Bytes', 'Order'].map((h) => (
            <span key={h} role="columnheader" className="px-1">
              {h}
            </span>
          ))}
        </div>
        {members.map((m, i) => {
          const l = layout?.members.find((x) => x.name === m.name);
          return (
            <div key={i} role="row" className={`${columns} border-b border-edge px-3 last:border-0`}>
              <Cell>
                <EditInPlace
                  value={m.name}
                  label={`Name of member ${m.name}`}
                  className="font-semibold"
                  onCommit={(name) => {
                    if (name) change(i, { name });
                  }}
                />
              </Cell>
              <Cell>
                <EditInPlace
                  mono
                  value={m.type}
                  label={`Type of member ${m.name}`}
                  choices={types}
                  onCommit={(type) => {
                    if (type) change(i, { type });
                  }}
                />
              </Cell>
              <Cell>
                <EditInPlace
                  mono
                  value={m.initial ?? ''}
                  label={`Initial value of member ${m.name}`}
                  onCommit={(initial) => change(i, { initial })}
                />
              </Cell>
              <Cell>
                <EditInPlace
                  value={m.description ?? ''}
                  label={`Description of member ${m.name}`}
                  className="text-soft"
                  onCommit={(description) => change(i, { description })}
                />
              </Cell>
              <span role="cell" className="font-mono text-[11.5px] text-soft">
                {l ? `${l.offset}…${l.offset + l.size - 1}` : ''}
                {l?.padding ? <span className="text-copper-ink"> +{l.padding} pad</span> : ''}
              </span>
              <Cell>
                <RowButtons
                  name={m.name}
                  i={i}
                  count={members.length}
                  onMove={(by) => put({ ...parts, members: moved(members, i, by) })}
                  onRemove={() => put({ ...parts, members: members.filter((_, k) => k !== i) })}
                />
              </Cell>
            </div>
          );
        })}
      </div>
      <Button
        look="quiet"
        className="mt-2"
        onClick={() => {
          const name = fresh('m', members);
          put({ ...parts, members: [...members, { name, type: members.at(-1)?.type ?? 'INT' }] });
          focusField(`Name of member ${name}`);
        }}
      >
        <Plus size={13} /> Member
      </Button>
    </>
  );
}

function Values({
  parts,
  put,
}: {
  readonly parts: TypeParts & { readonly kind: 'enum' };
  readonly put: (p: TypeParts) => void;
}) {
  const { values } = parts;
  const change = (i: number, to: Partial<ValueLine>) =>
    put({ ...parts, values: values.map((v, k) => (k === i ? clean({ ...v, ...to }) : v)) });
  const columns = 'grid grid-cols-[minmax(140px,1fr)_90px_minmax(160px,2fr)_84px] items-center gap-x-2';
  return (
    <>
      <div role="table" aria-label={`Values of ${parts.name}`} className="rounded-lg border border-edge bg-sheet">
        <div role="row" className={`${columns} border-b border-edge bg-sunk px-3 py-1 text-[12px] text-soft`}>
          {['Value', 'Number', 'Description', 'Order'].map((h) => (
            <span key={h} role="columnheader" className="px-1">
              {h}
            </span>
          ))}
        </div>
        {values.map((v, i) => (
          <div key={i} role="row" className={`${columns} border-b border-edge px-3 last:border-0`}>
            <Cell>
              <EditInPlace
                value={v.name}
                label={`Name of value ${v.name}`}
                className="font-semibold"
                onCommit={(name) => {
                  if (name) change(i, { name });
                }}
              />
            </Cell>
            <Cell>
              <EditInPlace
                mono
                value={v.value ?? ''}
                label={`Number of value ${v.name}`}
                placeholder={String(i)}
                onCommit={(value) => change(i, { value })}
              />
            </Cell>
            <Cell>
              <EditInPlace
                value={v.description ?? ''}
                label={`Description of value ${v.name}`}
                className="text-soft"
                onCommit={(description) => change(i, { description })}
              />
            </Cell>
            <Cell>
              <RowButtons
                name={v.name}
                i={i}
                count={values.length}
                onMove={(by) => put({ ...parts, values: moved(values, i, by) })}
                onRemove={() => put({ ...parts, values: values.filter((_, k) => k !== i) })}
              />
            </Cell>
          </div>
        ))}
      </div>
      <Button
        look="quiet"
        className="mt-2"
        onClick={() => {
          const name = fresh('Value', values);
          put({ ...parts, values: [...values, { name }] });
          focusField(`Name of value ${name}`);
        }}
      >
        <Plus size={13} /> Value
      </Button>
    </>
  );
}

/** Empty fields are no fields. */
const clean = <T extends object>(x: T): T =>
  Object.fromEntries(Object.entries(x).filter(([, v]) => v !== '' && v !== undefined)) as T;
const fresh = (stem: string, list: readonly { readonly name: string }[]): string => {
  let n = list.length + 1;
  while (list.some((x) => x.name === `${stem}${n}`)) n++;
  return `${stem}${n}`;
};

function useLayout(name: string, text: string): Answers['layout']['answer'] {
  const checked = useBench((s) => s.checked);
  const [layout, setLayout] = useState<Answers['layout']['answer']>();
  useEffect(() => {
    let isOn = true;
    void askBench('layout', { type: name }).then((l) => {
      if (isOn) setLayout(l);
    });
    return () => {
      isOn = false;
    };
  }, [name, text, checked]);
  return layout;
}
