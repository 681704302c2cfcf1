/** The variables a ladder has for itself, declared as the standard writes them; opened from the strip. */
import { ArrowDown, ArrowUp, X } from 'lucide-react';
import { useMemo, useState } from 'react';
import { Link, useParams } from 'react-router';
import {
  OWN_SECTIONS,
  type OwnChange,
  type OwnRow,
  type OwnSection,
  type RungInstance,
  addOwn,
  changeOwn,
  guessTag,
  isSameRows,
  mayKeep,
  moveOwn,
  readOwn,
  removeOwn,
} from '@ferrule/core/workspace';
import { later } from '../../components/later.js';
import { askBench, useBench } from '../../bench/live.js';
import type { ProblemNote } from '../../bench/protocol.js';
import { InstanceNow, Now } from '../../components/Now.js';
import { useTypeChoices } from '../../components/types.js';
import { Button, Cell, EditInPlace } from '../../components/ui.js';
import { useDocument } from '../../document/store.js';
import type { Ladder } from './sheet-edits.js';

const TextEditor = later(() => import('./TextEditor.js').then((m) => m.TextEditor));

/** On the strip: how many there are, and whether something is wrong with them. */
export function OwnToggle({
  pou,
  isOpen,
  onOpen,
}: {
  readonly pou: Ladder;
  readonly isOpen: boolean;
  readonly onOpen: (open: boolean) => void;
}) {
  const problems =
    useBench(
      (s) =>
        s.checked?.problems.filter((p) => p.origin.kind === 'pou' && p.origin.id === pou.id && p.severity === 'error')
          .length,
    ) ?? 0;
  const names = [...(pou.variables ?? '').matchAll(/^\s*([A-Za-z_]\w*)\s*(?:,[^:]*)?:/gm)].map((m) => m[1]);
  return (
    <button
      type="button"
      aria-expanded={isOpen}
      onClick={() => onOpen(!isOpen)}
      title={
        names.length
          ? `Own variables: ${names.join(', ')}`
          : pou.kind === 'functionBlock'
            ? 'Own variables: inputs and outputs of the block are declared here'
            : 'Own variables: none'
      }
      className="flex h-7 shrink-0 items-center gap-1 rounded-md px-[5px] text-[12px] text-soft hover:bg-edge/40 hover:text-ink"
    >
      <span>{isOpen ? '▾' : '▸'}</span>
      <span className="font-medium">Own variables</span>
      <span className={`font-mono text-[11px] ${problems ? 'text-bad' : 'text-faint'}`}>
        {problems ? `${problems} problem${problems > 1 ? 's' : ''}` : names.length || 'none'}
      </span>
    </button>
  );
}

/** As a table; what no row can show is edited as text. */
export function OwnVariables({ pou }: { readonly pou: Ladder }) {
  const text = pou.variables ?? '',
    rows = useMemo(() => readOwn(text), [text]);
  const [asText, setAsText] = useState(false);
  const isText = asText || !rows;
  return (
    <div className={`flex shrink-0 flex-col border-b border-edge bg-sunk ${isText ? 'h-44' : 'max-h-52'}`}>
      {isText ? (
        <div className="min-h-0 flex-1">
          <TextEditor
            id={pou.id}
            name={pou.name}
            text={
              pou.variables ??
              (pou.kind === 'functionBlock'
                ? 'VAR_INPUT\nEND_VAR\nVAR_OUTPUT\nEND_VAR\nVAR\nEND_VAR\n'
                : 'VAR\nEND_VAR\n')
            }
          />
        </div>
      ) : (
        <OwnTable pou={pou} text={text} rows={rows} onText={() => setAsText(true)} />
      )}
      {isText && (
        <div className="flex items-center gap-2 border-t border-edge px-3 text-[12px]">
          {rows ? (
            <Button look="quiet" tight onClick={() => setAsText(false)}>
              As a table
            </Button>
          ) : (
            <span className="py-1 text-soft">
              Shown as text: an address, an access word or an unfinished declaration has no place in a row.
            </span>
          )}
        </div>
      )}
    </div>
  );
}

/** What a variable is to the world around its program or block. */
const SECTION_WORDS: Readonly<Record<OwnSection, string>> = {
  VAR: 'inside',
  VAR_INPUT: 'input',
  VAR_OUTPUT: 'output',
  VAR_IN_OUT: 'in and out',
  VAR_TEMP: 'for one call',
  VAR_EXTERNAL: 'a tag, named',
};
const COLUMNS =
  'grid grid-cols-[84px_minmax(96px,1fr)_minmax(96px,1fr)_minmax(60px,0.5fr)_84px_76px_minmax(80px,2fr)_84px] items-center gap-x-1.5 px-3';
const icon = 'grid h-6 w-7 place-items-center rounded text-soft hover:bg-edge/40 disabled:opacity-30';

function OwnTable({
  pou,
  text,
  rows,
  onText,
}: {
  readonly pou: Ladder;
  readonly text: string;
  readonly rows: readonly OwnRow[];
  readonly onText: () => void;
}) {
  const types = useTypeChoices();
  const root = useBench((s) => s.checked?.locals[pou.name.toLowerCase()]?.root);
  const instances = useBench((s) => s.checked?.instances) ?? NONE;
  const onRungs = instances.filter((i) => i.pouId === pou.id);
  const problems = useBench((s) => s.checked?.problems) ?? NONE_WRONG;
  const { id: project } = useParams();
  const put = (next: string) => {
    if (next !== text) useDocument.getState().edit({ kind: 'changePou', id: pou.id, to: { variables: next } });
  };
  /** Answers with a sentence where a cell holds more than its own part of a declaration; nothing is changed then. */
  const change = (i: number, to: OwnChange): string | undefined => {
    const next = changeOwn(text, i, to);
    if (!isSameRows(text, next))
      return `‘${to.type ?? to.initial ?? ''}’ does not fit in a cell: one type or one value, without a semicolon. Nothing was changed.`;
    put(next);
    return undefined;
  };
  const rename = async (row: OwnRow, to: string): Promise<string | undefined> => {
    if (!to || to === row.name) return undefined;
    const r = await askBench('rename', { place: { kind: 'pou', id: pou.id }, offset: row.at, to });
    if (r && !('refused' in r)) {
      useDocument.getState().edit(r);
      return undefined;
    }
    return r ? r.refused : 'The bench does not answer; try again.';
  };
  const problemOf = (i: number) => {
    const from = rows[i]!.at,
      to = rows[i + 1]?.at ?? text.length;
    return problems.find((p) => p.origin.kind === 'pou' && p.origin.id === pou.id && p.start >= from && p.start < to);
  };
  return (
    <div role="table" aria-label={`Own variables of ${pou.name}`} className="flex min-h-0 flex-col">
      <div role="row" className={`${COLUMNS} h-6 shrink-0 border-b border-edge text-[12px] text-soft`}>
        {['What', 'Name', 'Type', 'Initial', 'Keeps', 'Now', 'Description', 'Order'].map((h) => (
          <span key={h} role="columnheader" className="px-1">
            {h}
          </span>
        ))}
      </div>
      <div className="min-h-0 flex-1 overflow-y-auto">
        {rows.map((r, i) => {
          const problem = problemOf(i);
          return (
            <div
              key={i}
              role="row"
              aria-label={r.name}
              title={problem?.message}
              className={`${COLUMNS} h-[26px] border-b border-edge bg-sheet ${problem ? 'shadow-[inset_3px_0_0_var(--bad)]' : ''}`}
            >
              <Cell>
                <select
                  aria-label={`What ${r.name} is`}
                  value={r.section}
                  onChange={(e) => change(i, { section: e.target.value as OwnSection })}
                  className="h-6 w-full rounded-sm border border-transparent bg-transparent text-[12px] hover:border-edge"
                >
                  {OWN_SECTIONS.map((s) => (
                    <option key={s} value={s}>
                      {SECTION_WORDS[s]}
                    </option>
                  ))}
                </select>
              </Cell>
              <Cell>
                <EditInPlace
                  value={r.name}
                  label={`Name of ${r.name}`}
                  className="font-semibold"
                  onCommit={(to) => rename(r, to)}
                />
              </Cell>
              <Cell>
                <EditInPlace
                  mono
                  value={r.type}
                  label={`Type of ${r.name}`}
                  choices={types}
                  onCommit={(type) => (type ? change(i, { type }) : undefined)}
                />
              </Cell>
              <Cell>
                <EditInPlace
                  mono
                  value={r.initial ?? ''}
                  label={`What ${r.name} begins as`}
                  onCommit={(initial) => change(i, { initial })}
                />
              </Cell>
              <Cell>
                {mayKeep(r.section).length > 0 && (
                  <select
                    aria-label={`What ${r.name} keeps`}
                    value={r.keeps ?? ''}
                    onChange={(e) => change(i, { keeps: e.target.value as NonNullable<OwnChange['keeps']> })}
                    className="h-6 w-full rounded-sm border border-transparent bg-transparent text-[12px] hover:border-edge"
                  >
                    <option value="" />
                    <option value="RETAIN">retained</option>
                    {mayKeep(r.section).includes('CONSTANT') && <option value="CONSTANT">constant</option>}
                  </select>
                )}
              </Cell>
              <Cell className="overflow-hidden">
                {root !== undefined && r.section !== 'VAR_TEMP' && (
                  <Now path={`${root}.${r.name}`} type={r.type} label={r.name} />
                )}
              </Cell>
              <Cell>
                <EditInPlace
                  value={r.description ?? ''}
                  label={`Description of ${r.name}`}
                  className="text-soft"
                  onCommit={(description) => change(i, { description })}
                />
              </Cell>
              <span role="cell" className="flex">
                <button
                  className={icon}
                  aria-label={`${r.name} up`}
                  disabled={moveOwn(text, i, -1) === text}
                  onClick={() => put(moveOwn(text, i, -1))}
                >
                  <ArrowUp size={13} />
                </button>
                <button
                  className={icon}
                  aria-label={`${r.name} down`}
                  disabled={moveOwn(text, i, 1) === text}
                  onClick={() => put(moveOwn(text, i, 1))}
                >
                  <ArrowDown size={13} />
                </button>
                <button className={icon} aria-label={`Take ${r.name} out`} onClick={() => put(removeOwn(text, i))}>
                  <X size={13} />
                </button>
              </span>
            </div>
          );
        })}
        {onRungs.map((r) => (
          <div
            key={`${r.rungId} ${r.name}`}
            role="row"
            aria-label={r.name}
            className={`${COLUMNS} h-[26px] border-b border-edge text-soft`}
          >
            <Cell className="px-1 text-[12px]">on a rung</Cell>
            <Cell className="truncate px-1 font-semibold">{r.name}</Cell>
            <Cell className="truncate px-1 font-mono text-[12px]">{r.type}</Cell>
            <Cell />
            <Cell />
            <Cell className="overflow-hidden">
              <InstanceNow instance={r} />
            </Cell>
            <span role="cell" className="col-span-2">
              <Link
                className="px-1 hover:text-copper-ink hover:underline"
                to={`/projects/${project}/logic?pou=${r.pouId}&rung=${r.rungId}`}
              >
                declared on rung {r.rung}
              </Link>
            </span>
          </div>
        ))}
      </div>
      <NewOwn pou={pou} rows={rows} onMake={(row) => put(addOwn(text, row))} onText={onText} />
    </div>
  );
}
const NONE: readonly RungInstance[] = [];
const NONE_WRONG: readonly ProblemNote[] = [];

const isOneRow = (row: Omit<OwnRow, 'at'>): boolean => readOwn(addOwn('', row))?.length === 1;

/** `Level`, or `Level : REAL := 1.0`: a new row, of the kind chosen in front. */
function NewOwn({
  pou,
  rows,
  onMake,
  onText,
}: {
  readonly pou: Ladder;
  readonly rows: readonly OwnRow[];
  readonly onMake: (row: Omit<OwnRow, 'at'>) => void;
  readonly onText: () => void;
}) {
  const [typed, setTyped] = useState(''),
    [wrong, setWrong] = useState<string>(),
    [section, setSection] = useState<OwnSection>(pou.kind === 'functionBlock' ? 'VAR_INPUT' : 'VAR');
  const project = useDocument((s) => s.project),
    instances = useBench((s) => s.checked?.instances) ?? NONE;
  const m = /^\s*([A-Za-z_]\w*)\s*(?::\s*(.+?))?\s*(?::=\s*(.+?))?\s*;?\s*$/.exec(typed),
    name = m?.[1] ?? '';
  const type = m?.[2] ?? (name ? guessTag(name, [], undefined, project).type : '');
  const isTaken =
    rows.some((r) => r.name.toLowerCase() === name.toLowerCase()) ||
    instances.some((i) => i.pouId === pou.id && i.name.toLowerCase() === name.toLowerCase());
  const problem =
    wrong !== undefined
      ? wrong
      : !typed.trim()
        ? undefined
        : !m
          ? 'Name, or Name : TYPE := value'
          : isTaken
            ? `‘${name}’ is declared here already`
            : undefined;
  return (
    <form
      className={`${COLUMNS} h-8 shrink-0 border-t border-edge`}
      onSubmit={(e) => {
        e.preventDefault();
        if (!m || problem) return;
        if (!isOneRow({ section, name, type, ...(m[3] ? { initial: m[3] } : {}) })) {
          setWrong('Name, or Name : TYPE := value, without a semicolon inside');
          return;
        }
        onMake({ section, name, type, ...(m[3] ? { initial: m[3] } : {}) });
        setTyped('');
      }}
    >
      <select
        aria-label="What a new variable is"
        value={section}
        onChange={(e) => setSection(e.target.value as OwnSection)}
        className="h-6 w-full rounded-sm border border-edge bg-sheet text-[12px]"
      >
        {OWN_SECTIONS.map((s) => (
          <option key={s} value={s}>
            {SECTION_WORDS[s]}
          </option>
        ))}
      </select>
      <input
        aria-label="Name of a new own variable"
        placeholder="New variable"
        value={typed}
        spellCheck={false}
        onChange={(e) => {
          setTyped(e.target.value);
          setWrong(undefined);
        }}
        onKeyDown={(e) => e.stopPropagation()}
        className="h-6 rounded border border-edge bg-sheet px-2 font-semibold outline-none focus:border-copper"
      />
      <span className="truncate px-1 font-mono text-[12px] text-soft">{!problem && type}</span>
      <span
        className={`col-span-4 truncate ${problem ? 'text-bad' : 'text-faint'}`}
        role={problem ? 'alert' : undefined}
      >
        {problem ?? (name ? 'Enter keeps' : 'Name, or Name : TYPE := value')}
      </span>
      <Button look="quiet" tight onClick={onText} className="justify-self-end">
        As text
      </Button>
    </form>
  );
}
