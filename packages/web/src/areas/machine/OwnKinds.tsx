/**
 * Devices of one's own: terminals, parameters, what goes wrong and what a person does as lists; behaviour in structured
 * text; a picture from shapes.
 */
import { Copy, Plus, Trash2 } from 'lucide-react';
import { type ReactNode, useMemo, useState } from 'react';
import { useSearchParams } from 'react-router';
import { type OwnKind, type PictureShape, type Project, renameKind, renamePiece } from '@ferrule/core/document';
import { type Parameter, kindOf, readPicture } from '@ferrule/core/machine';
import { useBench } from '../../bench/live.js';
import { focusField } from '../../components/focus.js';
import { Button, EditInPlace } from '../../components/ui.js';
import { HANDLE_WORDS, TERMINAL_WORDS } from '../../components/kinds.js';
import { Shape } from '../../components/machine/own-picture.js';
import { newId, useDocument } from '../../document/store.js';
import { KindText } from './KindText.js';

const NO_KINDS: readonly OwnKind[] = [];
const IDENTIFIER = /^[A-Za-z_]\w*$/;
const refuse = (refused: string) => useDocument.setState({ refused });

/** Something to begin with: parts come in, lie in rows, and one is handed on for each drive. */
function partsTemplate(type: string): OwnKind {
  return {
    id: newId('k'),
    type,
    help: 'Takes parts, lays them in rows of three and hands one on at each drive.',
    width: 120,
    terminals: [
      { name: 'Give', type: 'BOOL', direction: 'in', help: 'Hands the first part on' },
      { name: 'In', type: 'Machine_Part', direction: 'in', help: 'The part that comes on', mechanical: true },
      { name: 'Ahead', type: 'BOOL', direction: 'in', help: 'There is no room ahead', mechanical: true, back: true },
      { name: 'HasPart', type: 'BOOL', direction: 'out', help: 'Sensor: a part lies there' },
      { name: 'Out', type: 'Machine_Part', direction: 'out', help: 'The part that leaves', mechanical: true },
      { name: 'Full', type: 'BOOL', direction: 'out', help: 'There is no room for another part', mechanical: true },
      { name: 'Store', type: 'Machine_Line', direction: 'out', help: 'The parts that lie there', mechanical: true },
    ],
    parameters: [
      { name: 'Holds', type: 'INT', initial: '9', unit: 'pieces', min: 1, max: 12, help: 'So many lie there' },
    ],
    upsets: [{ name: 'Jam', help: 'Nothing is handed on' }],
    handles: [],
    locals: '  None : Machine_Part; i : INT; WasGive : BOOL; WasOut : BOOL; Lost : UINT;',
    body: `(* A part is handed on in one scan, and seen by the next device in the scan after: never two scans running. *)
WasOut := Out.Number <> 0; Out := None;
IF In.Number <> 0 THEN
  IF Store.Count < 12 THEN Store.Count := Store.Count + 1; Store.Part[Store.Count] := In; ELSE Lost := Lost + 1; END_IF;
END_IF;
IF Give AND NOT WasGive AND NOT Jam AND NOT Ahead AND NOT WasOut AND Store.Count > 0 THEN
  Out := Store.Part[1];
  FOR i := 2 TO Store.Count DO Store.Part[i - 1] := Store.Part[i]; END_FOR;
  Store.Count := Store.Count - 1;
END_IF;
WasGive := Give;
Full := Store.Count >= Holds;
HasPart := Store.Count > 0;
`,
    picture: [
      { id: newId('s'), shape: 'line', x: '-50', y: '24', w: '100', h: '0', lit: 'Give' },
      {
        id: newId('s'),
        shape: 'box',
        x: '-30 + 30 * ((Nth - 1) MOD 3)',
        y: '15 - 18 * TRUNC((Nth - 1) / 3)',
        w: '26',
        h: '15',
        times: 'Store.Count',
        lit: 'TRUE',
      },
      { id: newId('s'), shape: 'lamp', x: '52', y: '4', lit: 'HasPart' },
    ],
  };
}
/** Something to begin with: it goes to and fro. */
function template(type: string): OwnKind {
  return {
    id: newId('k'),
    type,
    help: 'Goes to and fro while it is driven.',
    width: 120,
    terminals: [
      { name: 'Go', type: 'BOOL', direction: 'in', help: 'Drives it out' },
      { name: 'AtEnd', type: 'BOOL', direction: 'out', help: 'Sensor at the far end' },
      { name: 'Position', type: 'REAL', direction: 'out', help: '0 at home, 1 at the end', mechanical: true },
    ],
    parameters: [{ name: 'Travel', type: 'REAL', initial: '0.5', unit: 's', help: 'Time from end to end' }],
    upsets: [{ name: 'Jam', help: 'Stops where it is' }],
    handles: [],
    locals: '',
    body: 'IF NOT Jam THEN\n  IF Go THEN Position := MIN(1.0, Position + Dt / Travel); ELSE Position := MAX(0.0, Position - Dt / Travel); END_IF;\nEND_IF;\nAtEnd := Position > 0.98;\n',
    picture: [
      { id: newId('s'), shape: 'line', x: '-46', y: '14', w: '92', h: '0' },
      { id: newId('s'), shape: 'box', x: '-36 + 72 * Position', y: '0', w: '20', h: '24', lit: 'Go' },
      { id: newId('s'), shape: 'lamp', x: '46', y: '-18', lit: 'AtEnd' },
    ],
  };
}

export function OwnKinds() {
  const kinds = useDocument((s) => s.project?.machine.kinds) ?? NO_KINDS,
    edit = useDocument((s) => s.edit);
  const [search, setSearch] = useSearchParams(),
    chosenId = search.get('kind');
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
        <Editor key={kind.id} kind={kind} />
      )}
    </section>
  );
}

function Editor({ kind }: { readonly kind: OwnKind }) {
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
    if (!project) return;
    if (!IDENTIFIER.test(type)) {
      refuse(`‘${type}’ is not a name: letters, digits and underscores, a letter first.`);
      return;
    }
    const other = kindOf(project.machine, type);
    if (other && type.toLowerCase() !== kind.type.toLowerCase()) {
      refuse(`There is a kind of device ‘${other.type}’ already.`);
      return;
    }
    edit(renameKind(project, kind.id, type));
  };
  const renameOne = (from: string, to: string) => {
    const { project } = useDocument.getState();
    if (project) edit(renamePiece(project, kind.id, from, to));
  };
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
                  if (wrong !== undefined) refuse(`‘${wrong}’ is no name of a terminal.`);
                  else set(names.length ? { ...rest, snaps: names } : rest);
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
        onRename={renameOne}
        more={(p, set) => {
          const number = (text: string): number | undefined =>
            text.trim() === '' || Number.isNaN(Number(text)) ? undefined : Number(text);
          const limit = (which: 'min' | 'max', text: string) => {
            const { [which]: _, ...rest } = p,
              n = number(text);
            set(n === undefined ? rest : { ...rest, [which]: n });
          };
          return (
            <>
              <Field
                label={`Type of ${p.name}`}
                width="w-16"
                value={p.type}
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
        onRename={renameOne}
        more={() => null}
      />
      <Pieces
        title="By hand"
        rows={kind.handles}
        make={(name) => ({ name, type: 'press' as const, help: '' })}
        onChange={(handles) => change({ handles })}
        taken={kind}
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
      <KindText kind={kind} problems={problems} onChange={change} />
      <PictureEditor kind={kind} onChange={change} />
    </div>
  );
}

function Choice({
  label,
  value,
  of,
  onChange,
}: {
  readonly label: string;
  readonly value: string;
  readonly of: Readonly<Record<string, string>>;
  readonly onChange: (value: string) => void;
}) {
  return (
    <select
      aria-label={label}
      value={value}
      onChange={(e) => onChange(e.target.value)}
      className="h-6 rounded border border-transparent bg-transparent text-[12px] hover:border-edge"
    >
      {Object.entries(of).map(([v, text]) => (
        <option key={v} value={v}>
          {text}
        </option>
      ))}
    </select>
  );
}
const Field = ({
  label,
  width,
  value,
  placeholder = '',
  onCommit,
}: {
  readonly label: string;
  readonly width: string;
  readonly value: string;
  readonly placeholder?: string;
  readonly onCommit: (text: string) => void;
}) => (
  <span className={`${width} shrink-0`}>
    <EditInPlace mono value={value} label={label} placeholder={placeholder} onCommit={onCommit} />
  </span>
);

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
}: {
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
  const set = (i: number, to: P) => onChange(rows.map((r, k) => (k === i ? to : r)));
  const isFree = (name: string, now?: string) => {
    if (!IDENTIFIER.test(name)) {
      refuse(`‘${name}’ is not a name: letters, digits and underscores, a letter first.`);
      return false;
    }
    if (name.toLowerCase() !== now?.toLowerCase() && (names.has(name.toLowerCase()) || /^(dt|nopower)$/i.test(name))) {
      refuse(`The device has a ‘${name}’ already.`);
      return false;
    }
    return true;
  };
  return (
    <section aria-label={title} className="mt-3">
      <h3 className="text-[12px] font-semibold text-soft">{title}</h3>
      <ul>
        {rows.map((r, i) => (
          <li key={i} className="flex items-center gap-1 border-t border-edge/60">
            <span className="w-28 shrink-0 font-mono">
              <EditInPlace
                mono
                value={r.name}
                label={`Name of ${r.name}`}
                onCommit={(name) => {
                  if (name !== r.name && isFree(name, r.name)) onRename(r.name, name);
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
          </li>
        ))}
      </ul>
      <span className="inline-block w-40 text-soft">
        <EditInPlace
          key={rows.length}
          mono
          value=""
          label={`New in ${title}`}
          placeholder="+ name"
          onCommit={(name) => {
            if (name && isFree(name)) onChange([...rows, make(name)]);
          }}
        />
      </span>
    </section>
  );
}

/** Fields that each shape has, beside its place. */
const FIELDS: Readonly<
  Record<PictureShape['shape'], readonly (readonly ['w' | 'h' | 'turn' | 'fill' | 'lit' | 'text', string])[]>
> = {
  box: [
    ['w', 'width'],
    ['h', 'height'],
    ['turn', 'turned'],
    ['lit', 'lit by'],
  ],
  round: [
    ['w', 'diameter'],
    ['lit', 'lit by'],
  ],
  line: [
    ['w', 'to right'],
    ['h', 'down'],
    ['turn', 'turned'],
    ['lit', 'lit by'],
  ],
  lamp: [
    ['w', 'diameter'],
    ['lit', 'lit by'],
  ],
  bar: [
    ['w', 'width'],
    ['h', 'height'],
    ['fill', 'filled, 0–1'],
  ],
  text: [
    ['text', 'text, {Level:1}'],
    ['lit', 'strong by'],
  ],
};

function PictureEditor({
  kind,
  onChange,
}: {
  readonly kind: OwnKind;
  readonly onChange: (to: Partial<OwnKind>) => void;
}) {
  const { shapes, problems } = useMemo(() => readPicture(kind), [kind]);
  // How it looks with the values it is tried with here; in the machine it follows the bench.
  const [tried, setTried] = useState(0.3);
  const read = (v: string) => {
    const p = kind.parameters.find((x) => x.name.toLowerCase() === v.toLowerCase());
    return p && Number.isFinite(Number(p.initial)) ? Number(p.initial) : tried;
  };
  const set = (i: number, to: PictureShape) => onChange({ picture: kind.picture.map((s, k) => (k === i ? to : s)) });
  const field = (s: PictureShape, i: number, name: keyof Omit<PictureShape, 'id' | 'shape'>, said: string) => {
    const wrong = problems.find((p) => p.shape === s.id && p.field === name);
    return (
      <label key={name} className="flex min-w-0 flex-1 items-center gap-1" title={wrong?.message}>
        <span className={`shrink-0 text-[11px] ${wrong ? 'text-bad' : 'text-faint'}`}>{said}</span>
        <EditInPlace
          mono
          value={s[name] ?? ''}
          label={`${said} of shape ${i + 1}`}
          className={wrong ? 'text-bad' : ''}
          onCommit={(text) => {
            if (name === 'x' || name === 'y') set(i, { ...s, [name]: text || '0' });
            else {
              const { [name]: _, ...rest } = s;
              set(i, text ? { ...rest, [name]: text } : rest);
            }
          }}
        />
      </label>
    );
  };
  return (
    <section aria-label="Picture" className="mt-3">
      <h3 className="text-[12px] font-semibold text-soft">Picture</h3>
      <div className="flex gap-3">
        <figure className="shrink-0">
          <svg
            role="img"
            aria-label={`Picture of ${kind.type}`}
            viewBox={`${-kind.width / 2 - 4} -80 ${kind.width + 8} 150`}
            style={{ width: (kind.width + 8) * 1.2, height: 180 }}
            className="rounded-md border border-edge bg-sheet"
          >
            <path
              d={`M${-kind.width / 2} 0H${kind.width / 2}M0 -74V60`}
              className="stroke-edge"
              strokeWidth={0.6}
              strokeDasharray="2 3"
            />
            {shapes.map((s) => (
              // Numbers of pieces go to ten where other values go to one.
              <Shape key={s.id} shape={s} read={read} counts={(v) => (read(v) === tried ? 10 * tried : read(v))} />
            ))}
          </svg>
          <figcaption className="mt-1 flex items-center gap-2 text-[11.5px] text-soft">
            <label className="flex items-center gap-1.5">
              all values at{' '}
              <input
                type="range"
                aria-label="All values at"
                min={0}
                max={1}
                step={0.05}
                value={tried}
                onChange={(e) => setTried(Number(e.target.value))}
                className="w-24 accent-[var(--copper)]"
              />
            </label>
            {tried}
          </figcaption>
          <label className="mt-1 flex items-center gap-1.5 text-[11.5px] text-soft">
            room along the flow{' '}
            <Field
              label="Room along the flow"
              width="w-14"
              value={String(kind.width)}
              onCommit={(t) => {
                const n = Number(t);
                if (n >= 20 && n <= 600) onChange({ width: n });
                else refuse('The room along the flow goes from 20 to 600.');
              }}
            />
          </label>
        </figure>
        <div className="min-w-0 flex-1">
          <ul>
            {kind.picture.map((s, i) => (
              <li key={s.id} className="border-t border-edge/60 py-0.5">
                <div className="flex items-center gap-1.5">
                  <span className="w-4 text-right font-mono text-[11px] text-faint">{i + 1}</span>
                  <Choice
                    label={`Shape ${i + 1}`}
                    value={s.shape}
                    of={{ box: 'box', round: 'round', line: 'line', bar: 'bar', lamp: 'lamp', text: 'text' }}
                    onChange={(shape) => set(i, { ...s, shape: shape as 'box' })}
                  />
                  {field(s, i, 'x', 'x')}
                  {field(s, i, 'y', 'y')}
                  {field(s, i, 'show', 'shown while')}
                  {field(s, i, 'times', 'times')}
                  <button
                    aria-label={`Delete shape ${i + 1}`}
                    onClick={() => onChange({ picture: kind.picture.filter((_, k) => k !== i) })}
                    className="text-faint hover:text-bad"
                  >
                    <Trash2 size={12} />
                  </button>
                </div>
                <div className="flex gap-1.5 pl-6">
                  {FIELDS[s.shape].map(([name, said]) => field(s, i, name, said))}
                </div>
                {problems
                  .filter((p) => p.shape === s.id)
                  .map((p) => (
                    <p key={p.field} className="pl-6 text-[11.5px] text-bad">
                      {p.field}: {p.message}
                    </p>
                  ))}
              </li>
            ))}
          </ul>
          <div className="mt-1 flex flex-wrap gap-1">
            {(['box', 'round', 'line', 'bar', 'lamp', 'text'] as const).map((shape) => (
              <Button
                key={shape}
                tight
                onClick={() =>
                  onChange({
                    picture: [
                      ...kind.picture,
                      { id: newId('s'), shape, x: '0', y: '0', ...(shape === 'text' ? { text: 'text' } : {}) },
                    ],
                  })
                }
              >
                <Plus size={11} />
                {shape}
              </Button>
            ))}
          </div>
          <p className="mt-1 text-[11.5px] text-soft">
            Every number can be an expression over the device’s variables, like{' '}
            <span className="font-mono">20 + 40 * Position</span>; x goes right, y down, 0 0 is the middle. A shape is
            drawn as often as <i>times</i> says; <span className="font-mono">Nth</span> is the number of each, from 1:
            one box a part, in rows of three, is x <span className="font-mono">30 * ((Nth - 1) MOD 3)</span>.
          </p>
        </div>
      </div>
    </section>
  );
}
