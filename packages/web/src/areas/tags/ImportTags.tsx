/**
 * Tags from a spreadsheet or a CSV file: pasted or dropped, with the fate of every row shown before anything is taken
 * over.
 */
import { Dialog } from 'radix-ui';
import { useMemo, useState } from 'react';
import type { Edit } from '@ferrule/core/document';
import { TAG_COLUMNS, type TagColumn, type TagTable, readTags } from '@ferrule/core/files';
import { messageOf } from '../../api.js';
import { dropsInto, useFileDialog } from '../../components/choose-file.js';
import { textOf } from '../../components/read-file.js';
import { Button } from '../../components/ui.js';
import { newId, useDocument } from '../../document/store.js';

const FATES = { new: 'new', changed: 'changes', same: 'as it is', refused: 'left out' } as const;

interface ImportProps {
  readonly start: string;
  /** Told the first tag that was taken over, by its id; none where it was left. */
  readonly onClose: (first?: string) => void;
}
export function ImportTags({ start, onClose }: ImportProps) {
  const project = useDocument((s) => s.project)!;
  const [text, setText] = useState(start);
  const [columns, setColumns] = useState<Readonly<Record<number, TagColumn | ''>>>({}),
    [hasHeader, setHasHeader] = useState<boolean>(),
    [repairs, setRepairs] = useState<ReadonlySet<number>>(new Set());
  const put = (next: string) => {
    setText(next);
    setColumns({});
    setHasHeader(undefined);
    setRepairs(new Set());
  };
  const read = useMemo(
    () =>
      text.trim()
        ? readTags(text, project, () => newId('t'), {
            columns,
            ...(hasHeader === undefined ? {} : { hasHeader }),
            repairs: (line) => repairs.has(line),
          })
        : undefined,
    [text, project, columns, hasHeader, repairs],
  );
  const [trouble, setTrouble] = useState<string>();
  const readFile = (f: File) => {
    setTrouble(undefined);
    void textOf(f).then(put, (problem: unknown) => setTrouble(messageOf(problem)));
  };
  const [chooseFile, fileInput] = useFileDialog({
    label: 'CSV file',
    accept: '.csv,.tsv,.txt',
    onFiles: ([f]) => readFile(f!),
  });
  const table = read && 'rows' in read ? read : undefined,
    rows = table?.rows ?? [],
    repairable = rows.filter((r) => r.fate === 'refused' && r.repair !== undefined);
  const edits = rows.flatMap((r): Edit[] => (r.edit ? [r.edit] : []));
  const count = (f: keyof typeof FATES) => rows.filter((r) => r.fate === f).length;
  const take = () => {
    const first = edits.find((e) => e.kind === 'addTag' || e.kind === 'changeTag');
    if (useDocument.getState().edit({ kind: 'group', label: 'Tags taken over', edits }))
      onClose(first?.kind === 'addTag' ? first.tag.id : first?.id);
  };
  return (
    <Dialog.Root
      open
      onOpenChange={(open) => {
        if (!open) onClose();
      }}
    >
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/40" />
        <Dialog.Content
          {...dropsInto(([f]) => readFile(f!))}
          className="fixed top-1/2 left-1/2 z-50 flex h-[84vh] w-[980px] max-w-[94vw] -translate-x-1/2 -translate-y-1/2 flex-col gap-3 rounded-xl border border-edge bg-sheet p-5 shadow-2xl"
        >
          <Dialog.Title className="text-lg font-semibold">Tags from rows</Dialog.Title>
          <Dialog.Description className="-mt-2 text-soft">
            Paste cells from a spreadsheet, drop a CSV file here, or choose one. Headers are understood in many
            languages; what each column holds can be said below. Nothing is taken over yet.
          </Dialog.Description>
          <textarea
            aria-label="Rows"
            value={text}
            onChange={(e) => put(e.target.value)}
            onKeyDown={(e) => e.stopPropagation()}
            spellCheck={false}
            placeholder={'StartPB\tBOOL\t%IX0.0\tStart button'}
            className={`${table ? 'h-14' : 'h-28'} shrink-0 resize-none rounded-md border border-edge bg-sunk p-2 font-mono text-[12px] whitespace-pre outline-none focus:border-copper`}
          />
          {(trouble !== undefined || (read && 'error' in read) || table?.problem !== undefined) && (
            <p role="alert" className="rounded-md bg-bad-soft px-3 py-1.5 text-bad">
              {trouble ?? (read && 'error' in read ? read.error : table?.problem)}
            </p>
          )}
          {table && (
            <Columns
              table={table}
              onColumn={(i, is) => setColumns({ ...columns, [i]: is })}
              onHeader={(has) => {
                setHasHeader(has);
                setColumns({});
              }}
            />
          )}
          {rows.length > 0 && (
            <>
              <p role="status" className="flex items-center gap-2 text-soft">
                <span>
                  {rows.length} {rows.length === 1 ? 'row' : 'rows'}: {count('new')} new, {count('changed')}{' '}
                  {count('changed') === 1 ? 'changes a tag' : 'change tags'}, {count('same')} as{' '}
                  {count('same') === 1 ? 'it is' : 'they are'},{' '}
                  <span className={count('refused') ? 'font-medium text-bad' : ''}>{count('refused')} left out</span>.
                </span>
                {repairable.length > 0 && (
                  <Button tight onClick={() => setRepairs(new Set([...repairs, ...repairable.map((r) => r.line)]))}>
                    {repairable.length === 1 ? 'Repair the name' : `Repair all ${repairable.length} names`}
                  </Button>
                )}
              </p>
              <div className="min-h-0 flex-1 overflow-auto rounded-lg border border-edge">
                <table className="w-full text-[12.5px]">
                  <thead className="sticky top-0 bg-sunk text-left text-soft">
                    <tr>
                      {['Line', 'Name', 'What happens', ''].map((h) => (
                        <th key={h} className="px-3 py-1 font-medium">
                          {h}
                        </th>
                      ))}
                    </tr>
                  </thead>
                  <tbody>
                    {rows.map((r) => (
                      <tr key={r.line} className="border-t border-edge">
                        <td className="w-14 px-3 py-0.5 font-mono text-faint">{r.line}</td>
                        <td className="w-52 px-3 font-medium">{r.name}</td>
                        <td
                          className={`w-28 px-3 ${r.fate === 'refused' ? 'font-medium text-bad' : r.fate === 'same' ? 'text-faint' : ''}`}
                        >
                          {FATES[r.fate]}
                        </td>
                        <td className="px-3 text-soft">
                          {[
                            r.note,
                            ...(r.edit?.kind === 'addTag'
                              ? [
                                  r.edit.tag.type,
                                  r.edit.tag.address,
                                  r.edit.tag.initial && `begins at ${r.edit.tag.initial}`,
                                  r.edit.tag.description,
                                ]
                              : []),
                          ]
                            .filter(Boolean)
                            .join(' · ')}
                          {r.guessed !== undefined && (
                            <span className="ml-2 text-copper-ink">guessed from the name: {r.guessed}</span>
                          )}
                          {r.fate === 'refused' && r.repair !== undefined && (
                            <Button
                              look="quiet"
                              tight
                              className="ml-1"
                              onClick={() => setRepairs(new Set([...repairs, r.line]))}
                            >
                              Take as {r.repair}
                            </Button>
                          )}
                        </td>
                      </tr>
                    ))}
                  </tbody>
                </table>
              </div>
            </>
          )}
          <div className="mt-auto flex gap-2">
            <Button look="strong" disabled={!edits.length} onClick={take}>
              {edits.length ? `Take ${edits.length} over` : 'Take over'}
            </Button>
            <Button onClick={chooseFile}>Choose a file</Button>
            <span className="flex-1" />
            <Dialog.Close asChild>
              <Button>Leave it</Button>
            </Dialog.Close>
            {fileInput}
          </div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

const BY = { header: 'by its header', cells: 'by its cells', hand: 'by hand', none: '' } as const;

/** What each column holds, to be said otherwise by hand, over its first cells. */
function Columns({
  table,
  onColumn,
  onHeader,
}: {
  readonly table: TagTable;
  readonly onColumn: (i: number, is: TagColumn | '') => void;
  readonly onHeader: (has: boolean) => void;
}) {
  return (
    <div className="flex shrink-0 flex-col gap-1">
      <div className="overflow-x-auto rounded-lg border border-edge">
        <table aria-label="Columns" className="w-full text-[12.5px]">
          <thead className="bg-sunk text-left">
            <tr>
              {table.columns.map((c, i) => (
                <th key={i} className="px-2 py-1 font-normal">
                  <select
                    aria-label={`Column ${i + 1} holds`}
                    value={c.is ?? ''}
                    onChange={(e) => onColumn(i, e.target.value as TagColumn | '')}
                    className={`h-6 rounded border border-edge bg-sheet ${c.is ? 'font-semibold' : 'text-faint'}`}
                  >
                    <option value="">not used</option>
                    {TAG_COLUMNS.map((x) => (
                      <option key={x}>{x}</option>
                    ))}
                  </select>
                  <span className="block text-[11px] text-faint">
                    {[table.header?.[i] && `‘${table.header[i]}’`, BY[c.by]].filter(Boolean).join(', ')}
                  </span>
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {table.sample.map((cells, k) => (
              <tr key={k} className="border-t border-edge">
                {table.columns.map((c, i) => (
                  <td
                    key={i}
                    className={`max-w-48 truncate px-2.5 py-px font-mono text-[12px] ${c.is ? '' : 'text-faint line-through'}`}
                    title={cells[i]}
                  >
                    {cells[i]}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <label className="flex w-fit items-center gap-1.5 text-[12.5px] text-soft">
        <input
          type="checkbox"
          className="accent-copper"
          checked={table.header !== undefined}
          onChange={(e) => onHeader(e.target.checked)}
        />
        The first line is a header
      </label>
    </div>
  );
}
