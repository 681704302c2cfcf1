/** Steps as a plain table on the clipboard, out and in. */
import { Dialog } from 'radix-ui';
import { useEffect, useMemo, useState } from 'react';
import { type PlanStep, type Sequence, readSteps, stepsToTable } from '@ferrule/core/document';
import { Button } from '../../components/ui.js';
import { messageOf } from '../../api.js';
import { dropsInto, useFileDialog } from '../../components/choose-file.js';
import { textOf } from '../../components/read-file.js';
import { saveAs } from '../../components/save-as.js';
import { newId } from '../../document/store.js';

/** The steps for a spreadsheet: to the clipboard, or to a file where the browser has none. */
export function CopyTable({ sequence }: { readonly sequence: Sequence }) {
  const [said, setSaid] = useState('');
  useEffect(() => {
    if (!said) return;
    const t = setTimeout(() => setSaid(''), 2500);
    return () => clearTimeout(t);
  }, [said]);
  const copy = async () => {
    const text = stepsToTable(sequence);
    try {
      await navigator.clipboard.writeText(text);
      setSaid('Copied');
    } catch {
      saveAs(`${sequence.name || 'steps'}.tsv`, text, 'text/tab-separated-values');
      setSaid('Saved as a file');
    }
  };
  return (
    <>
      <span role="status" className="text-[12px] text-soft">
        {said}
      </span>
      <Button look="quiet" tight onClick={() => void copy()}>
        Copy as table
      </Button>
    </>
  );
}

export function PasteDialog({
  onClose,
  onTake,
}: {
  readonly onClose: () => void;
  readonly onTake: (steps: readonly PlanStep[], description: string | undefined) => void;
}) {
  const [text, setText] = useState('');
  const [trouble, setTrouble] = useState<string>();
  const take = ([f]: File[]) => {
    setTrouble(undefined);
    void textOf(f!).then(setText, (problem: unknown) => setTrouble(messageOf(problem)));
  };
  const [chooseFile, fileInput] = useFileDialog({ label: 'File with steps', accept: '.csv,.tsv,.txt', onFiles: take });
  const table = useMemo(() => (text.trim() ? readSteps(text, newId) : undefined), [text]);
  return (
    <Dialog.Root
      open
      onOpenChange={(open) => {
        if (!open) onClose();
      }}
    >
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/30" />
        <Dialog.Content
          className="fixed top-[12vh] left-1/2 z-50 max-h-[80vh] w-[680px] max-w-[94vw] -translate-x-1/2 overflow-auto rounded-xl border border-edge bg-sheet p-4 shadow-xl"
          onKeyDown={(e) => e.stopPropagation()}
          {...dropsInto(take)}
        >
          <Dialog.Title className="mb-1 text-[15px] font-semibold">Steps from a table</Dialog.Title>
          <Dialog.Description className="mb-2 text-soft">
            Paste from a spreadsheet, or CSV (a file can be dropped here): step, on while in it, moves on when, for, to,
            limit, past the limit, expected, modes. Headings may stand in any order; a row without a step is another way
            out of the one above. A paragraph before the table becomes the description. Beside outputs a step may set or
            reset a tag, count, give a value, or start something for a time: set Lamp, count Parts, Wanted := 5, start
            Horn for 3 s.
          </Dialog.Description>
          <textarea
            autoFocus
            aria-label="Table of steps"
            value={text}
            onChange={(e) => setText(e.target.value)}
            rows={9}
            spellCheck={false}
            className="w-full rounded border border-edge bg-paper p-2 font-mono text-[12px]"
          />
          {table && (
            <p className="mt-1 text-[12.5px]">
              {table.steps.length} step{table.steps.length === 1 ? '' : 's'}:{' '}
              {table.steps
                .slice(0, 8)
                .map((s) => s.name)
                .join(', ')}
              {table.steps.length > 8 ? ' …' : ''}
            </p>
          )}
          {table?.description && (
            <p className="mt-1 text-[12.5px]">
              Description: <span className="text-soft">{table.description}</span>
            </p>
          )}
          {trouble !== undefined && (
            <p role="alert" className="text-[12.5px] text-bad">
              {trouble}
            </p>
          )}
          {table?.problems.map((p, i) => (
            <p key={i} role="alert" className="text-[12.5px] text-bad">
              Line {p.line}: {p.message}
            </p>
          ))}
          {fileInput}
          <div className="mt-3 flex gap-2">
            <Button onClick={chooseFile}>Choose a file</Button>
            <span className="flex-1" />
            <Button onClick={onClose}>Cancel</Button>
            <Button
              look="strong"
              disabled={!table?.steps.length}
              onClick={() => table && onTake(table.steps, table.description)}
            >
              Take {table?.steps.length ?? 0} steps
            </Button>
          </div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
