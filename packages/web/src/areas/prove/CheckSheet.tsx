/** One sequence check: what it begins with, its rows, the values it is played with, and how it went. */
import { useEffect, useRef, useState } from 'react';
import { useNavigate } from 'react-router';
import { ArrowUp, Plus, Trash2 } from 'lucide-react';
import { type Changes, type Edit, renumbered, type CheckRow, type SequenceCheck } from '@ferrule/core/document';
import type { ShownValue } from '@ferrule/core/bench';
import { type VerdictWord, completeSentence } from '@ferrule/core/verify';
import { tellBench, useBench } from '../../bench/live.js';
import type { ProblemNote } from '../../bench/protocol.js';
import { addressOfPlace, askWhy, useAsked } from '../../components/asking.js';
import { onPageKeys } from '../../components/keys.js';
import { Button, EditInPlace, EditSentence } from '../../components/ui.js';
import { newId, useDocument } from '../../document/store.js';
import { numberedName } from '../../components/free-name.js';

export interface Failure {
  readonly row: number;
  readonly of?: string;
  readonly scan: number;
  readonly timeNs: number;
  readonly expected: string;
  readonly seen: string;
  readonly check?: string;
  readonly checkId?: string;
}
export type Recording = readonly {
  readonly scan: number;
  readonly event: { readonly kind: string; readonly path?: string; readonly value?: ShownValue };
}[];
export interface CheckResult {
  readonly id: string;
  readonly run?: number;
  readonly name: string;
  readonly ok: boolean;
  readonly timeNs: number;
  readonly scans: number;
  readonly failure?: Failure;
  readonly recording: Recording;
  readonly rows: readonly {
    readonly id: string;
    readonly of?: string;
    readonly status: 'ok' | 'failed' | 'notReached';
    readonly seen: string;
  }[];
}
type RowResult = CheckResult['rows'][number];

export const seconds = (ns: number): string => `${(ns / 1e9).toFixed(2)} s`;
/** How a check, a run of it, a row or a rule stands: the three words of a verdict, or not run. */
const MARKS = {
  ok: ['✓', 'passed', 'text-good'],
  FAILED: ['✕', 'failed', 'text-bad'],
  OPEN: ['?', 'open', 'text-ink'],
  none: ['·', 'not run', 'text-faint'],
} as const;
export function Mark({ word }: { readonly word: VerdictWord | undefined }) {
  const [sign, words, colour] = MARKS[word ?? 'none'];
  return (
    <span aria-label={words} className={`w-4 shrink-0 text-center font-semibold ${colour}`}>
      {sign}
    </span>
  );
}
const wordOf = (ok: boolean | undefined): VerdictWord | undefined =>
  ok === undefined ? undefined : ok ? 'ok' : 'FAILED';
const markOf = (r: RowResult | undefined): boolean | undefined =>
  !r || r.status === 'notReached' ? undefined : r.status === 'ok';

/** Ways to go on with a sentence, from the project as it is. */
export const goOn =
  (kind: 'when' | 'do' | 'expect' | 'rule', columns: readonly string[] = []) =>
  (before: string) => {
    const { project } = useDocument.getState();
    return project ? completeSentence(project, kind, before, columns) : [];
  };

export function AddButton({ label, onClick }: { readonly label: string; readonly onClick: () => void }) {
  return (
    <button
      className="mt-0.5 flex w-full items-center gap-2 rounded-lg px-2 py-1.5 text-left text-soft hover:bg-edge/30 hover:text-ink"
      onClick={onClick}
    >
      <Plus size={14} />
      {label}
    </button>
  );
}

export function CheckSheet({
  check,
  results,
}: {
  readonly check: SequenceCheck;
  readonly results: readonly CheckResult[];
}) {
  const { id, rows, table } = check;
  const problems = useBench((s) => s.checked?.problems) ?? [];
  const [chosen, setChosen] = useState<number>();
  // Of several runs the one that was chosen is shown, else the first that failed.
  const result =
    results.find((r) => chosen !== undefined && r.run === chosen) ?? results.find((r) => !r.ok) ?? results[0];
  const { edit } = useDocument.getState();
  const change = (row: CheckRow, to: Changes<CheckRow>) => edit({ kind: 'changeRow', check: id, id: row.id, to });
  const whole = problems.filter((p) => p.origin.kind === 'cell' && p.origin.id === id && p.origin.row === 0),
    columns = table?.columns ?? [];
  const begun = result?.rows.filter((r) => r.of !== undefined) ?? [];
  /**
   * Rows in another order, more or fewer; what names a row by its number goes with it. As they are now: what was being
   * typed has just been kept.
   */
  const arrange = (
    label: string,
    how: (now: readonly CheckRow[]) => { readonly edits: readonly Edit[]; readonly next: readonly CheckRow[] },
  ) => {
    const now = useDocument.getState().project?.checks.find((c) => c.id === id)?.rows ?? rows,
      { edits, next } = how(now);
    edit({
      kind: 'group',
      label,
      edits: [
        ...edits,
        ...renumbered(now, next).map((r): Edit => ({ kind: 'changeRow', check: id, id: r.id, to: { when: r.when } })),
      ],
    });
  };
  const put = (now: readonly CheckRow[], row: CheckRow, at: number) => [...now.slice(0, at), row, ...now.slice(at)];
  const insert = (at: number) => {
    const row = { id: newId('k') };
    arrange('New row', (now) => ({ edits: [{ kind: 'addRow', check: id, row, at }], next: put(now, row, at) }));
    focusRow(at + 1);
  };
  const remove = (row: string) =>
    arrange('Delete row', (now) => ({
      edits: [{ kind: 'removeRow', check: id, id: row }],
      next: now.filter((r) => r.id !== row),
    }));
  const move = (at: number, by: 1 | -1) => {
    arrange(`Move row ${at + 1}`, (now) => {
      const row = now[at]!;
      return {
        edits: [
          { kind: 'removeRow', check: id, id: row.id },
          { kind: 'addRow', check: id, row, at: at + by },
        ],
        next: put(
          now.filter((r) => r !== row),
          row,
          at + by,
        ),
      };
    });
    focusRow(at + by + 1, document.activeElement?.getAttribute('aria-label')?.split(' ')[0]);
  };
  return (
    <div className="min-h-40 flex-1 overflow-y-auto rounded-xl border border-edge bg-sheet">
      <Beginning check={check} seen={begun} />
      <table className="w-full table-fixed border-collapse">
        <thead>
          <tr className="border-b border-edge text-left text-[12px] text-soft">
            <th className="w-9" />
            <th className="w-[23%] px-1 py-2 font-medium">When</th>
            <th className="w-[20%] px-1 font-medium">Do</th>
            <th className="px-1 font-medium">Expect</th>
            <th className="w-[22%] px-2 font-medium">
              Seen{result?.run === undefined ? '' : ` with row ${result.run + 1}`}
            </th>
          </tr>
        </thead>
        <tbody>
          {rows.map((row, i) => (
            <Row
              key={row.id}
              row={row}
              number={i + 1}
              columns={columns}
              result={result?.rows.find((x) => x.id === row.id && x.of === undefined)}
              isBeside={isBeside(row) || (rows[i + 1] !== undefined && isBeside(rows[i + 1]!))}
              problems={problems.filter(
                (p) => p.origin.kind === 'cell' && p.origin.id === id && p.origin.row === i + 1,
              )}
              onChange={(to) => change(row, to)}
              onDelete={() => remove(row.id)}
              onInsert={(below) => insert(i + (below ? 1 : 0))}
              {...(i > 0 ? { onUp: () => move(i, -1) } : {})}
              {...(i < rows.length - 1 ? { onDown: () => move(i, 1) } : {})}
            />
          ))}
        </tbody>
      </table>
      <div className="flex border-t border-edge p-1.5">
        <AddButton label="New row" onClick={() => insert(rows.length)} />
        {!table && (
          <AddButton
            label="Play it with several values"
            onClick={() =>
              edit({
                kind: 'changeCheck',
                id,
                to: { table: { columns: named(rows), rows: [named(rows).map(() => '')] } },
              })
            }
          />
        )}
      </div>
      {table && <Values check={check} results={results} chosen={result?.run} onChoose={setChosen} />}
      {whole.map((p, n) => (
        <p key={n} role="note" className="border-t border-edge px-4 py-2 text-bad">
          {p.message}
        </p>
      ))}
      {result?.failure && !(whole.length && result.failure.row === 0) && (
        <FailureLine failure={result.failure} recording={result.recording} />
      )}
    </div>
  );
}

const isBeside = (row: CheckRow): boolean => /^\s*at the same time/i.test(row.when ?? '');
/** The cell of a row that was just put there, once it is drawn. */
function focusRow(number: number, cell = 'When'): void {
  setTimeout(() => document.querySelector<HTMLElement>(`[aria-label="${cell} of row ${number}"]`)?.focus(), 50);
}
/** Sentences of a cell, with semicolons between them; null where there are none. */
const sentences = (text: string) => {
  const list = text.split(/\s*;\s*/).filter(Boolean);
  return list.length ? list : null;
};

interface RowProps {
  readonly row: CheckRow;
  readonly number: number;
  readonly columns: readonly string[];
  readonly result: RowResult | undefined;
  readonly isBeside: boolean;
  readonly problems: readonly ProblemNote[];
  readonly onChange: (to: Changes<CheckRow>) => void;
  readonly onDelete: () => void;
  readonly onInsert: (below: boolean) => void;
  readonly onUp?: () => void;
  readonly onDown?: () => void;
}
/** One row; rows that run beside each other are held together by a bar at their left. */
function Row({
  row,
  number,
  columns,
  result: r,
  isBeside,
  problems,
  onChange,
  onDelete,
  onInsert,
  onUp,
  onDown,
}: RowProps) {
  const onKey = (e: React.KeyboardEvent) => {
    const does =
      e.altKey && e.key === 'ArrowUp'
        ? onUp
        : e.altKey && e.key === 'ArrowDown'
          ? onDown
          : e.key === 'Insert'
            ? () => onInsert(!e.shiftKey)
            : e.ctrlKey && e.key === 'Enter'
              ? () => onInsert(true)
              : undefined;
    if (!does) return;
    e.preventDefault();
    e.stopPropagation();
    // What is being typed is kept first.
    const { activeElement } = document;
    if (activeElement instanceof HTMLTextAreaElement) {
      activeElement.blur();
      activeElement.focus();
    }
    does();
  };
  const tool = 'flex h-7 w-7 items-center justify-center rounded text-soft hover:bg-edge/40';
  /** What is wrong with a sentence is told below it. */
  const saidOf = (cell: 'when' | 'do' | 'expect') =>
    problems
      .filter((p) => {
        const of = p.origin.kind === 'cell' ? p.origin.cell : '';
        return of === cell || (cell === 'expect' && of !== 'when' && of !== 'do');
      })
      .map((p, n) => (
        <p key={n} className="px-1 text-[12px] text-bad">
          {p.message}
        </p>
      ));
  return (
    <tr
      aria-label={`Row ${number}`}
      onKeyDownCapture={onKey}
      className={`group border-b border-edge align-top last:border-0 ${r?.status === 'failed' ? 'bg-bad-soft' : ''}`}
    >
      <td className={`py-1.5 pl-2 ${isBeside ? 'border-l-[3px] border-l-copper' : ''}`}>
        <Mark word={wordOf(markOf(r))} />
      </td>
      <td className="py-1">
        <EditSentence
          value={row.when ?? ''}
          placeholder="at once"
          label={`When of row ${number}`}
          complete={goOn('when', columns)}
          onCommit={(when) => onChange({ when: when || null })}
        />
        {saidOf('when')}
      </td>
      <td className="py-1">
        <EditSentence
          value={(row.do ?? []).join('; ')}
          placeholder="–"
          label={`Do of row ${number}`}
          complete={goOn('do', columns)}
          onCommit={(t) => onChange({ do: sentences(t) })}
        />
        {saidOf('do')}
      </td>
      <td className="py-1">
        <EditSentence
          value={(row.expect ?? []).join('; ')}
          placeholder="–"
          label={`Expect of row ${number}`}
          complete={goOn('expect', columns)}
          onCommit={(t) => onChange({ expect: sentences(t) })}
        />
        {saidOf('expect')}
      </td>
      <td
        className={`relative px-2 py-1.5 ${r?.status === 'failed' ? 'font-semibold text-bad' : r?.status === 'notReached' ? 'text-faint' : 'text-soft'}`}
      >
        {r?.seen}
        <span className="absolute right-1 bottom-0 z-10 flex translate-y-1/2 rounded-md border border-edge bg-sheet opacity-0 group-focus-within:opacity-100 group-hover:opacity-100">
          {onUp && (
            <button aria-label={`Move row ${number} up`} title="Up (Alt+↑)" className={tool} onClick={onUp}>
              <ArrowUp size={13} />
            </button>
          )}
          <button
            aria-label={`New row below row ${number}`}
            title="New row below (Ins)"
            className={tool}
            onClick={() => onInsert(true)}
          >
            <Plus size={14} />
          </button>
          <button
            aria-label={`Delete row ${number}`}
            title="Delete"
            className={`${tool} hover:text-bad`}
            onClick={onDelete}
          >
            <Trash2 size={13} />
          </button>
        </span>
      </td>
    </tr>
  );
}

/** Names in braces that the sentences have already; one to begin with otherwise. */
function named(rows: readonly CheckRow[]): string[] {
  const found = rows.flatMap((r) =>
    [r.when ?? '', ...(r.do ?? []), ...(r.expect ?? [])].flatMap((t) =>
      [...t.matchAll(/\{([^{}]+)\}/g)].map((m) => m[1]!.trim()),
    ),
  );
  return found.length ? [...new Set(found)] : ['Value'];
}

/** The check whose rows come first, so that many checks share one way to get going. */
function Beginning({ check, seen }: { readonly check: SequenceCheck; readonly seen: readonly RowResult[] }) {
  const checks = useDocument((s) => s.project?.checks) ?? [],
    others = checks.filter((c) => c.id !== check.id && !c.table);
  const begins = checks.find((c) => c.id === check.begins);
  if (!others.length && check.begins === undefined) return null;
  const bad = seen.find((r) => r.status === 'failed');
  return (
    <label className="flex items-center gap-2 border-b border-edge px-2 py-1 text-soft">
      {check.begins !== undefined && <Mark word={wordOf(seen.length ? bad === undefined : undefined)} />}Begins with
      <select
        aria-label="Begins with"
        value={check.begins ?? ''}
        className="h-7 max-w-80 rounded border border-transparent bg-transparent px-1 text-ink hover:border-edge"
        onChange={(e) =>
          useDocument.getState().edit({ kind: 'changeCheck', id: check.id, to: { begins: e.target.value || null } })
        }
      >
        <option value="">a cold start</option>
        {check.begins !== undefined && !begins && <option value={check.begins}>a check that is gone</option>}
        {[...(begins && !others.includes(begins) ? [begins] : []), ...others].map((c) => (
          <option key={c.id} value={c.id}>
            {c.name}
          </option>
        ))}
      </select>
      {begins && (
        <span className="min-w-0 flex-1 truncate text-[12px] text-faint">
          {bad
            ? bad.seen
            : `${begins.rows.length} row${begins.rows.length === 1 ? '' : 's'} of it first: ${begins.rows.flatMap((r) => r.do ?? []).join('; ')}`}
        </span>
      )}
    </label>
  );
}

/** The values it is played with: a run for each row. Cells take a block from a spreadsheet. */
function Values({
  check,
  results,
  chosen,
  onChoose,
}: {
  readonly check: SequenceCheck;
  readonly results: readonly CheckResult[];
  readonly chosen: number | undefined;
  readonly onChoose: (run: number) => void;
}) {
  const table = check.table!;
  const put = (to: typeof table | undefined) =>
    useDocument.getState().edit({ kind: 'changeCheck', id: check.id, to: { table: to ?? null } });
  const square = (columns: readonly string[], rows: readonly (readonly string[])[]) => ({
    columns,
    rows: rows.map((r) => columns.map((_, i) => r[i] ?? '')),
  });
  const paste = (e: React.ClipboardEvent, row: number, column: number) => {
    const text = e.clipboardData.getData('text/plain').replace(/\r?\n$/, '');
    if (!/[\t\n]/.test(text)) return;
    e.preventDefault();
    const block = text.split(/\r?\n/).map((l) => l.split('\t').map((c) => c.trim()));
    const wide = Math.max(table.columns.length, ...block.map((b) => column + b.length));
    const columns = Array.from({ length: wide }, (_, i) => table.columns[i] ?? `Value ${i + 1}`),
      rows = square(columns, table.rows).rows.map((r) => [...r]);
    block.forEach((b, i) => {
      const r = (rows[row + i] ??= columns.map(() => ''));
      b.forEach((c, j) => {
        r[column + j] = c;
      });
    });
    put({ columns, rows });
  };
  const rename = (at: number, to: string) => {
    const from = table.columns[at]!,
      swap = (t: string) =>
        t.replace(/\{([^{}]*)\}/g, (all, n: string) =>
          n.trim().toLowerCase() === from.toLowerCase() ? `{${to}}` : all,
        );
    const next = check.rows.map((r): CheckRow => ({
      id: r.id,
      ...(r.when === undefined ? {} : { when: swap(r.when) }),
      ...(r.do ? { do: r.do.map(swap) } : {}),
      ...(r.expect ? { expect: r.expect.map(swap) } : {}),
    }));
    useDocument.getState().edit({
      kind: 'changeCheck',
      id: check.id,
      to: { table: { ...table, columns: table.columns.map((c, i) => (i === at ? to : c)) }, rows: next },
    });
  };
  return (
    <section aria-label="Values" className="border-t border-edge px-2 py-2">
      <p className="flex items-center gap-2 px-1 pb-1 text-[12px] text-soft">
        <b className="font-semibold">Values</b>
        <span className="flex-1">
          The check is played once for each row; <code className="font-mono">{`{${table.columns[0] ?? 'Value'}}`}</code>{' '}
          in a sentence stands for the value.
        </span>
        <Button
          tight
          onClick={() => put(square([...table.columns, numberedName('Value ', table.columns)], table.rows))}
        >
          New column
        </Button>
        <Button tight onClick={() => put(undefined)}>
          No values
        </Button>
      </p>
      <table className="border-collapse">
        <thead>
          <tr>
            {['', ...table.columns].map((c, i) =>
              i === 0 ? (
                <th key="mark" className="w-9" />
              ) : (
                <th key={i} className="min-w-28 text-left">
                  <span className="flex items-center">
                    <EditInPlace
                      value={c}
                      label={`Name of column ${i}`}
                      className="font-medium"
                      onCommit={(to) => {
                        if (to) rename(i - 1, to);
                      }}
                    />
                    {table.columns.length > 1 && (
                      <button
                        aria-label={`Delete column ${c}`}
                        className="px-1 text-faint hover:text-bad"
                        onClick={() =>
                          put(
                            square(
                              table.columns.filter((_, j) => j !== i - 1),
                              table.rows.map((r) => r.filter((_, j) => j !== i - 1)),
                            ),
                          )
                        }
                      >
                        <Trash2 size={12} />
                      </button>
                    )}
                  </span>
                </th>
              ),
            )}
            <th />
          </tr>
        </thead>
        <tbody>
          {table.rows.map((r, i) => {
            const run = results.find((x) => x.run === i);
            return (
              <tr
                key={i}
                aria-label={`Values ${i + 1}`}
                className={`border-t border-edge ${run && !run.ok ? 'bg-bad-soft' : ''}`}
              >
                <td>
                  <button
                    aria-label={`Show the run with row ${i + 1}`}
                    aria-pressed={chosen === i}
                    className={`flex h-7 w-8 items-center justify-center rounded ${chosen === i ? 'bg-glow' : ''}`}
                    onClick={() => onChoose(i)}
                  >
                    <Mark word={wordOf(run?.ok)} />
                  </button>
                </td>
                {table.columns.map((c, j) => (
                  <td key={j} onPaste={(e) => paste(e, i, j)}>
                    <EditInPlace
                      mono
                      value={r[j] ?? ''}
                      label={`${c} in row ${i + 1}`}
                      onCommit={(to) =>
                        put({
                          columns: table.columns,
                          rows: table.rows.map((x, k) =>
                            k === i ? table.columns.map((_, m) => (m === j ? to : (x[m] ?? ''))) : x,
                          ),
                        })
                      }
                    />
                  </td>
                ))}
                <td className="pl-2 text-[12px] text-faint">
                  {run && (run.ok ? seconds(run.timeNs) : run.failure?.row ? `row ${run.failure.row}` : 'not played')}
                  <button
                    aria-label={`Delete values ${i + 1}`}
                    className="ml-2 text-faint hover:text-bad"
                    onClick={() => put({ columns: table.columns, rows: table.rows.filter((_, k) => k !== i) })}
                  >
                    <Trash2 size={12} />
                  </button>
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
      <AddButton
        label="New values"
        onClick={() =>
          put({
            columns: table.columns,
            rows: [...table.rows, [...(table.rows.at(-1) ?? table.columns.map(() => ''))]],
          })
        }
      />
    </section>
  );
}

export function FailureLine({ failure, recording }: { readonly failure: Failure; readonly recording: Recording }) {
  const tags = useDocument((s) => s.project?.tags) ?? [];
  const stand = () => tellBench({ kind: 'stand', recording, scan: failure.scan });
  // What the sentence speaks of first: its causes, with links to their rungs, are those of the scan that failed.
  const about = failure.expected
    .match(/[A-Za-z_]\w*(?:\.\w+)*/g)
    ?.find((w) => tags.some((t) => t.name.toLowerCase() === w.split('.')[0]!.toLowerCase()));
  const navigate = useNavigate(),
    id = useDocument((s) => s.id);
  // The first rung or statement among the causes; where the machine or a person is the cause, that is said.
  const toRung = async () => {
    if (!about || !id) return;
    stand();
    await askWhy(about, failure.scan);
    const { answer } = useAsked.getState();
    const place =
      answer && 'links' in answer
        ? [...answer.blocks, ...answer.links].map((l) => l.place).find((p) => p?.kind === 'rung' || p?.kind === 'text')
        : undefined;
    if (place) void navigate(addressOfPlace(place, id));
    else
      useDocument.setState({
        refused: `No rung or statement decided ‘${about}’ there; its causes are in the bench pane.`,
      });
  };
  const keys = useRef({ stand, toRung });
  useEffect(() => {
    keys.current = { stand, toRung };
  });
  useEffect(
    () =>
      onPageKeys(
        [
          ['Shift+F9', () => keys.current.stand()],
          ['Mod+F9', () => void keys.current.toRung()],
        ],
        { isFirst: true },
      ),
    [],
  );
  // Row 0: it could not be played at all, so there is no moment to stand at.
  if (failure.row === 0 && !failure.check)
    return (
      <p role="note" aria-label="Failure" className="border-t border-edge px-4 py-2.5">
        <b className="text-bad">Not played:</b> {failure.seen}
      </p>
    );
  return (
    <div role="note" aria-label="Failure" className="flex items-center gap-3 border-t border-edge px-4 py-2.5">
      <p className="flex-1">
        <b className="text-bad">
          {failure.check
            ? `In ‘${failure.check}’, scan ${failure.scan}`
            : `Row ${failure.row}${failure.of ? ` of ‘${failure.of}’` : ''}, scan ${failure.scan}`}
          , {seconds(failure.timeNs)}:
        </b>{' '}
        expected <code className="font-mono text-[12px]">{failure.expected}</code>, seen: {failure.seen}
      </p>
      {about && (
        <Button
          onClick={() => {
            stand();
            void askWhy(about, failure.scan);
          }}
        >
          Why {about}?
        </Button>
      )}
      {about && (
        <Button keys="Ctrl+F9" onClick={() => void toRung()}>
          To the rung
        </Button>
      )}
      <Button keys="Shift+F9" onClick={stand}>
        Show on bench at {seconds(failure.timeNs)}
      </Button>
    </div>
  );
}
