/**
 * Devices of one's own: terminals, parameters, what goes wrong and what a person does as lists; behaviour in structured
 * text; a picture from shapes.
 */
import { Copy, Plus, Trash2 } from 'lucide-react';
import { type ReactNode, useEffect, useMemo, useState } from 'react';
import { useSearchParams } from 'react-router';
import { type OwnKind, type Project, renameKind, renamePiece } from '@ferrule/core/document';
import { type Parameter, deviceParts, devicePieceAt, kindOf } from '@ferrule/core/machine';
import type { ProblemNote } from '../../bench/protocol.js';
import { useBench } from '../../bench/live.js';
import { focusField } from '../../components/focus.js';
import { AddByName, Button, EditInPlace } from '../../components/ui.js';
import { HANDLE_WORDS, TERMINAL_WORDS } from '../../components/kinds.js';
import { newId, useDocument } from '../../document/store.js';
import { KindText, type TextPlace } from './KindText.js';
import { PictureEditor } from './OwnPicture.js';
import { Choice, Field } from './own-fields.js';
import { partsTemplate, template } from './own-templates.js';

const NO_KINDS: readonly OwnKind[] = [];
const IDENTIFIER = /^[A-Za-z_]\w*$/;
/** What a parameter can be; any other elementary type can be typed as well. */
const PARAMETER_TYPES = [
  { text: 'REAL', about: 'a number with a fraction' },
  { text: 'INT', about: '−32 768 to 32 767' },
  { text: 'UINT', about: '0 to 65 535' },
  { text: 'DINT', about: 'a large whole number' },
  { text: 'BOOL', about: 'TRUE or FALSE' },
  { text: 'TIME', about: 'T#1.5s' },
];
const noName = (text: string) =>
  text ? `‘${text}’ is not a name: letters, digits and underscores, a letter first.` : 'It needs a name.';

export function OwnKinds() {
  const kinds = useDocument((s) => s.project?.machine.kinds) ?? NO_KINDS,
    edit = useDocument((s) => s.edit);
  const [search, setSearch] = useSearchParams(),
    chosenId = search.get('kind');
  const at = search.get('at');
  const choose = (id: string) => setSearch({ view: 'own', kind: id });
  const kind = kinds.find((k) => k.id === chosenId) ?? kinds[0];
  const add = (from?: OwnKind, make: (type: string) => OwnKind = template) => {
    const { project } = useDocument.getState();
    if (!project) return;
    const base = from ? from.type : 'OwnDevice';
    let type = base,
      n = 2;
    while (kindOf(project.machine, type)) type = `${base}${n++}`;
    const made = from
      ? { ...from, id: newId('k'), type, picture: from.picture.map((s) => ({ ...s, id: newId('s') })) }
      : make(type);
    edit({ kind: 'addKind', of: made, at: kinds.length });
    choose(made.id);
    focusField('Name of the kind');
  };
  return (
    <section aria-label="Own devices" className="flex min-h-0 flex-1 flex-col">
      <div className="flex flex-wrap items-center gap-1 border-b border-edge bg-sunk px-3 py-1.5">
        {kinds.map((k) => (
          <button
            key={k.id}
            aria-pressed={k === kind}
            onClick={() => choose(k.id)}
            className={`rounded-md px-2 py-0.5 ${k === kind ? 'bg-sheet font-semibold' : 'text-soft hover:text-ink'}`}
          >
            {k.type}
          </button>
        ))}
        <Button onClick={() => add()}>
          <Plus size={13} />
          New device
        </Button>
        <Button onClick={() => add(undefined, partsTemplate)}>
          <Plus size={13} />
          New device for parts
        </Button>
        {kind && (
          <Button onClick={() => add(kind)}>
            <Copy size={13} />
            Copy
          </Button>
        )}
      </div>
      {!kind ? (
        <p className="max-w-lg p-4 text-soft">
          Devices that Ferrule does not bring can be made here: what they are wired by, how they behave, in structured
          text, and how they look. They run on the same engine as the others, so the time line, checks and upsets know
          them too. Begin with one that works, and change it.
        </p>
      ) : (
        <Editor
          key={kind.id}
          kind={kind}
          at={at !== null && /^\d+$/.test(at) ? Number(at) : undefined}
          onShown={() => setSearch({ view: 'own', kind: kind.id }, { replace: true })}
        />
      )}
    </section>
  );
}

/** `at`: an offset of its block's text to be shown, as where a problem is; `onShown` is told when it has been. */
function Editor({
  kind,
  at,
  onShown,
}: {
  readonly kind: OwnKind;
  readonly at: number | undefined;
  readonly onShown: () => void;
}) {
  const edit = useDocument((s) => s.edit);
  const used =
    useDocument(
      (s) => s.project?.machine.devices.filter((d) => d.type.toLowerCase() === kind.type.toLowerCase()).length,
    ) ?? 0;
  const all = useBench((s) => s.checked?.problems);
  const problems = useMemo(
    () => (all ?? []).filter((p) => p.origin.kind === 'deviceKind' && p.origin.id === kind.id),
    [all, kind.id],
  );
  const [asks, setAsks] = useState(false);
  const change = (to: Partial<Omit<OwnKind, 'id'>>) => edit({ kind: 'changeKind', id: kind.id, to });
  const rename = (type: string) => {
    const { project } = useDocument.getState() as { project: Project | undefined };
    if (!project) return undefined;
    if (!IDENTIFIER.test(type)) return noName(type);
    const other = kindOf(project.machine, type);
    if (other && type.toLowerCase() !== kind.type.toLowerCase())
      return `There is a kind of device ‘${other.type}’ already.`;
    edit(renameKind(project, kind.id, type));
    return undefined;
  };
  const renameOne = (from: string, to: string) => {
    const { project } = useDocument.getState();
    if (project) edit(renamePiece(project, kind.id, from, to));
  };
  // Shown once: what is typed afterwards moves the place, and the keys stay where they are.
  const [shown, setShown] = useState<TextPlace>();
  useEffect(() => {
    const own = useDocument.getState().project?.machine.kinds?.find((k) => k.id === kind.id),
      whole = own && (kindOf({ kinds: [own] }, own.type) ?? own);
    if (!whole || at === undefined) return;
    const piece = devicePieceAt(whole, at),
      { locals, body } = deviceParts(whole);
    if (piece) focusField(`Name of ${piece}`);
    else setShown(at < body ? { of: 'locals', at: at - locals } : { of: 'body', at: at - body });
    onShown();
  }, [kind.id, at]);
  const whole = problems.filter((p) => p.code === 'DUPLICATE_NAME');
  return (
    <div className="min-h-0 flex-1 overflow-y-auto p-3">
      <div className="flex items-center gap-2">
        <span className="w-44 text-[15px] font-semibold">
          <EditInPlace value={kind.type} label="Name of the kind" onCommit={rename} />
        </span>
        <span className="min-w-0 flex-1 text-soft">
          <EditInPlace
            value={kind.help}
            label="What it is"
            placeholder="what it is, in a sentence"
            onCommit={(help) => change({ help })}
          />
        </span>
        <span className="text-[12px] text-faint">{used ? `${used} in the machine` : 'not in the machine yet'}</span>
        <button
          aria-label={`Delete the kind ${kind.type}`}
          onClick={() => {
            if (used) setAsks(true);
            else edit({ kind: 'removeKind', id: kind.id });
          }}
          className="text-faint hover:text-bad"
        >
          <Trash2 size={14} />
        </button>
      </div>
      {asks && (
        <p role="alert" className="mt-1 flex items-center gap-2 text-bad">
          {used} device{used === 1 ? '' : 's'} of the machine {used === 1 ? 'is' : 'are'} of this kind and would do
          nothing.
          <Button
            onClick={() => {
              edit({ kind: 'removeKind', id: kind.id });
              setAsks(false);
            }}
          >
            Delete all the same
          </Button>
          <Button onClick={() => setAsks(false)}>Keep it</Button>
        </p>
      )}
      {whole.map((p) => (
        <p key={p.message} className="text-bad">
          {p.message}
        </p>
      ))}
      <Pieces
        title="Terminals"
        rows={kind.terminals}
        make={(name) => ({ name, type: 'BOOL' as const, direction: 'in' as const, help: '' })}
        onChange={(terminals) => change({ terminals })}
        taken={kind}
        problems={problems}
        onRename={renameOne}
        more={(t, set) => (
          <>
            <Choice
              label={`Direction of ${t.name}`}
              value={t.direction}
              of={{ in: '← takes', out: '→ gives' }}
              onChange={(direction) => set({ ...t, direction: direction as 'in' })}
            />
            <Choice
              label={`Type of ${t.name}`}
              value={t.type}
              of={TERMINAL_WORDS}
              onChange={(type) => set({ ...t, type: type as 'BOOL' })}
            />
            <label className="flex items-center gap-1 text-[11.5px] whitespace-nowrap text-soft">
              <input
                type="checkbox"
                checked={t.mechanical ?? false}
                onChange={(e) => {
                  const { mechanical: _, back: __, ...rest } = t;
                  set(e.target.checked ? { ...rest, mechanical: true } : rest);
                }}
                className="accent-[var(--copper)]"
              />
              mechanical
            </label>
            {t.mechanical && t.direction === 'in' && (
              <label
                className="flex items-center gap-1 text-[11.5px] whitespace-nowrap text-soft"
                title="An effect of what stands behind it: there is no room, a part was taken"
              >
                <input
                  type="checkbox"
                  checked={t.back ?? false}
                  onChange={(e) => {
                    const { back: _, ...rest } = t;
                    set(e.target.checked ? { ...rest, back: true } : rest);
                  }}
                  className="accent-[var(--copper)]"
                />
                from behind
              </label>
            )}
            {t.mechanical && t.direction === 'in' && (
              <Field
                label={`What ${t.name} snaps to`}
                width="w-24"
                value={t.snaps?.join(', ') ?? ''}
                placeholder="snaps to"
                onCommit={(text) => {
                  const { snaps: _, ...rest } = t,
                    names = text.split(/[\s,;]+/).filter(Boolean),
                    wrong = names.find((n) => !IDENTIFIER.test(n));
                  if (wrong !== undefined) return `‘${wrong}’ is no name of a terminal.`;
                  set(names.length ? { ...rest, snaps: names } : rest);
                  return undefined;
                }}
              />
            )}
            {t.type === 'BOOL' && t.direction === 'out' && !t.mechanical && (
              <Choice
                label={`Contact of ${t.name}`}
                value={t.wiring ?? 'NO'}
                of={{ NO: 'open at rest', NC: 'closed at rest' }}
                onChange={(wiring) => {
                  const { wiring: _, ...rest } = t;
                  set(wiring === 'NC' ? { ...rest, wiring } : rest);
                }}
              />
            )}
          </>
        )}
      />
      <Pieces
        title="Parameters"
        rows={kind.parameters}
        make={(name): Parameter => ({ name, type: 'REAL', initial: '1.0', help: '' })}
        onChange={(parameters) => change({ parameters })}
        taken={kind}
        problems={problems}
        onRename={renameOne}
        more={(p, set) => {
          const limit = (which: 'min' | 'max', text: string) => {
            const { [which]: _, ...rest } = p,
              n = Number(text.replace(',', '.'));
            if (!Number.isFinite(n)) return `‘${text}’ is no number.`;
            set(text === '' ? rest : { ...rest, [which]: n });
            return undefined;
          };
          return (
            <>
              <Field
                label={`Type of ${p.name}`}
                width="w-16"
                value={p.type}
                choices={PARAMETER_TYPES}
                onCommit={(type) => set({ ...p, type: type || 'REAL' })}
              />
              <Field
                label={`Initial value of ${p.name}`}
                width="w-16"
                value={p.initial}
                onCommit={(initial) => set({ ...p, initial: initial || '0' })}
              />
              <Field
                label={`Unit of ${p.name}`}
                width="w-12"
                value={p.unit ?? ''}
                placeholder="unit"
                onCommit={(unit) => {
                  const { unit: _, ...rest } = p;
                  set(unit ? { ...rest, unit } : rest);
                }}
              />
              <Field
                label={`Least of ${p.name}`}
                width="w-14"
                value={String(p.min ?? '')}
                placeholder="least"
                onCommit={(t) => limit('min', t)}
              />
              <Field
                label={`Most of ${p.name}`}
                width="w-14"
                value={String(p.max ?? '')}
                placeholder="most"
                onCommit={(t) => limit('max', t)}
              />
            </>
          );
        }}
      />
      <Pieces
        title="Upsets"
        rows={kind.upsets}
        make={(name) => ({ name, help: '' })}
        onChange={(upsets) => change({ upsets })}
        taken={kind}
        problems={problems}
        onRename={renameOne}
        more={() => null}
      />
      <Pieces
        title="By hand"
        rows={kind.handles}
        make={(name) => ({ name, type: 'press' as const, help: '' })}
        onChange={(handles) => change({ handles })}
        taken={kind}
        problems={problems}
        onRename={renameOne}
        more={(h, set) => (
          <Choice
            label={`How ${h.name} is worked`}
            value={h.type}
            of={HANDLE_WORDS}
            onChange={(type) => set({ ...h, type: type as 'press' })}
          />
        )}
      />
      <KindText kind={kind} problems={problems} shown={shown} onChange={change} />
      <PictureEditor kind={kind} onChange={change} />
    </div>
  );
}

interface Piece {
  readonly name: string;
  readonly help: string;
}
/** A list of named pieces: each with its own fields, what it is for, and a place to add the next. */
function Pieces<P extends Piece>({
  title,
  rows,
  make,
  more,
  onChange,
  onRename,
  taken,
  problems,
}: {
  readonly problems: readonly ProblemNote[];
  readonly onRename: (from: string, to: string) => void;
  readonly title: string;
  readonly rows: readonly P[];
  readonly make: (name: string) => P;
  readonly more: (row: P, set: (to: P) => void) => ReactNode;
  readonly onChange: (rows: readonly P[]) => void;
  readonly taken: OwnKind;
}) {
  const names = new Set(
    [...taken.terminals, ...taken.parameters, ...taken.upsets, ...taken.handles].map((x) => x.name.toLowerCase()),
  );
  const whole = kindOf({ kinds: [taken] }, taken.type) ?? taken;
  const set = (i: number, to: P) => onChange(rows.map((r, k) => (k === i ? to : r)));
  const notFree = (name: string, now?: string): string | undefined =>
    !IDENTIFIER.test(name)
      ? noName(name)
      : name.toLowerCase() !== now?.toLowerCase() && (names.has(name.toLowerCase()) || /^(dt|nopower)$/i.test(name))
        ? `The device has a ‘${name}’ already.`
        : undefined;
  return (
    <section aria-label={title} className="mt-3">
      <h3 className="text-[12px] font-semibold text-soft">{title}</h3>
      <ul>
        {rows.map((r, i) => (
          <li key={i} className="border-t border-edge/60">
            <div className="flex items-center gap-1">
              <span className="w-28 shrink-0 font-mono">
                <EditInPlace
                  mono
                  value={r.name}
                  label={`Name of ${r.name}`}
                  onCommit={(name) => {
                    const why = notFree(name, r.name);
                    if (!why && name !== r.name) onRename(r.name, name);
                    return why;
                  }}
                />
              </span>
              {more(r, (to) => set(i, to))}
              <span className="min-w-24 flex-1 text-soft">
                <EditInPlace
                  value={r.help}
                  label={`What ${r.name} is for`}
                  placeholder="what it is for"
                  onCommit={(help) => set(i, { ...r, help })}
                />
              </span>
              <button
                aria-label={`Delete ${r.name}`}
                onClick={() => onChange(rows.filter((_, k) => k !== i))}
                className="text-faint hover:text-bad"
              >
                <Trash2 size={12} />
              </button>
            </div>
            {problems
              .filter((p) => p.end > 0 && devicePieceAt(whole, p.start)?.toLowerCase() === r.name.toLowerCase())
              .map((p) => (
                <p key={p.message} className="px-1 text-[11.5px] text-bad">
                  {p.message}
                </p>
              ))}
          </li>
        ))}
      </ul>
      <span className="inline-block w-40 text-soft">
        <AddByName
          mono
          label={`New in ${title}`}
          placeholder="+ name"
          onAdd={(name) => {
            const why = notFree(name);
            if (!why) onChange([...rows, make(name)]);
            return why;
          }}
        />
      </span>
    </section>
  );
}
