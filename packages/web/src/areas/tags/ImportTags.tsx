/** Tags from a spreadsheet or a CSV file: pasted or dropped, with the fate of every row shown before anything is taken over. */
import { Dialog } from 'radix-ui';
import { useMemo, useRef, useState } from 'react';
import { type Edit, readTags } from '@ferrule/core';
import { messageOf } from '../../api.js';
import { textOf } from '../../components/read-file.js';
import { Button } from '../../components/ui.js';
import { newId, useDocument } from '../../document/store.js';

const FATES = { new: 'new', changed: 'changes', same: 'as it is', refused: 'left out' } as const;

export function ImportTags({ start, onClose }: { readonly start: string; readonly onClose: () => void }) {
  const project = useDocument((s) => s.project)!;
  const [text, setText] = useState(start);
  const file = useRef<HTMLInputElement>(null);
  const read = useMemo(() => (text.trim() ? readTags(text, project, () => newId('t')) : undefined), [text, project]);
  const [trouble, setTrouble] = useState<string>();
  const readFile = (f: File | undefined) => {
    setTrouble(undefined);
    if (f) void textOf(f).then(setText, (problem: unknown) => setTrouble(messageOf(problem)));
  };
  const rows = read && 'rows' in read ? read.rows : [];
  const edits = rows.flatMap((r): Edit[] => (r.edit ? [r.edit] : []));
  const count = (f: keyof typeof FATES) => rows.filter((r) => r.fate === f).length;
  const take = () => {
    if (useDocument.getState().edit({ kind: 'group', label: 'Tags taken over', edits })) onClose();
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
          onDragOver={(e) => e.preventDefault()}
          onDrop={(e) => {
            e.preventDefault();
            readFile(e.dataTransfer.files[0]);
          }}
          className="fixed top-1/2 left-1/2 z-50 flex h-[84vh] w-[980px] max-w-[94vw] -translate-x-1/2 -translate-y-1/2 flex-col gap-3 rounded-xl border border-edge bg-sheet p-5 shadow-2xl"
        >
          <Dialog.Title className="text-lg font-semibold">Tags from rows</Dialog.Title>
          <Dialog.Description className="-mt-2 text-soft">
            Paste cells from a spreadsheet, drop a CSV file here, or choose one. Columns may have a header (Name, Type,
            Address, Description …); what is missing is guessed from the name. Nothing is taken over yet.
          </Dialog.Description>
          <textarea
            aria-label="Rows"
            value={text}
            onChange={(e) => setText(e.target.value)}
            onKeyDown={(e) => e.stopPropagation()}
            spellCheck={false}
            placeholder={'StartPB\tBOOL\t%IX0.0\tStart button'}
            className="h-28 shrink-0 resize-none rounded-md border border-edge bg-sunk p-2 font-mono text-[12px] whitespace-pre outline-none focus:border-copper"
          />
          {(trouble !== undefined || (read && 'error' in read)) && (
            <p role="alert" className="rounded-md bg-bad-soft px-3 py-1.5 text-bad">
              {trouble ?? (read && 'error' in read && read.error)}
            </p>
          )}
          {rows.length > 0 && read && 'rows' in read && (
            <>
              <p role="status" className="text-soft">
                {rows.length} rows: {count('new')} new, {count('changed')} change a tag, {count('same')} as they are,{' '}
                <span className={count('refused') ? 'font-medium text-bad' : ''}>{count('refused')} left out</span>.
                Columns: {read.columns.join(', ')}.
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
                          {r.note ??
                            (r.edit?.kind === 'addTag'
                              ? [r.edit.tag.type, r.edit.tag.address, r.edit.tag.description]
                                  .filter(Boolean)
                                  .join(' · ')
                              : '')}
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
            <Button onClick={() => file.current?.click()}>Choose a file</Button>
            <span className="flex-1" />
            <Dialog.Close asChild>
              <Button>Leave it</Button>
            </Dialog.Close>
            <input
              ref={file}
              type="file"
              accept=".csv,.tsv,.txt"
              aria-label="CSV file"
              className="hidden"
              onChange={(e) => {
                readFile(e.target.files?.[0]);
                e.target.value = '';
              }}
            />
          </div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
