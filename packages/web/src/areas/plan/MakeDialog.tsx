/** What the plan would make, before it is made: new parts, parts that change, parts edited since. */
import { Dialog } from 'radix-ui';
import { useMemo, useState } from 'react';
import { type Project, planChanges, takeChanges } from '@ferrule/core';
import { Button } from '../../components/ui.js';
import { useDocument } from '../../document/store.js';

const WORDS = { new: 'new', changed: 'changes', gone: 'goes', edited: 'edited since' } as const;

export function MakeDialog({
  project,
  what,
  onClose,
}: {
  readonly project: Project;
  readonly what: { readonly logic?: 'LD' | 'ST'; readonly checks?: boolean };
  readonly onClose: () => void;
}) {
  const changes = useMemo(() => planChanges(project, what), [project, what]);
  const [off, setOff] = useState<ReadonlySet<string>>(
    () => new Set(changes.filter((c) => c.kind === 'edited').map((c) => c.id)),
  );
  const chosen = changes.filter((c) => !off.has(c.id));
  const take = () => {
    useDocument.getState().edit(takeChanges(project, chosen));
    onClose();
  };
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
          className="fixed top-[8vh] left-1/2 z-50 flex max-h-[82vh] w-[760px] max-w-[94vw] -translate-x-1/2 flex-col rounded-xl border border-edge bg-sheet p-4 shadow-xl"
          onKeyDown={(e) => e.stopPropagation()}
        >
          <Dialog.Title className="text-[15px] font-semibold">
            {what.checks
              ? 'Checks from the plan'
              : `Logic from the plan, as ${what.logic === 'ST' ? 'structured text' : 'ladder'}`}
          </Dialog.Title>
          <Dialog.Description className="mb-2 text-soft">
            {changes.length
              ? 'These become ordinary parts of the project, to be edited like any other. What was edited since it was made is left alone unless it is ticked.'
              : 'Everything the plan says is made already.'}
          </Dialog.Description>
          <ul aria-label="Changes" className="min-h-0 flex-1 overflow-y-auto text-[12.5px]">
            {changes.map((c) => (
              <li key={c.id} className="border-b border-edge py-1">
                <label className="flex items-start gap-2">
                  <input
                    type="checkbox"
                    checked={!off.has(c.id)}
                    onChange={() =>
                      setOff((o) => {
                        const n = new Set(o);
                        if (!n.delete(c.id)) n.add(c.id);
                        return n;
                      })
                    }
                    className="mt-1 accent-[var(--copper)]"
                  />
                  <span
                    className={`w-20 shrink-0 ${c.kind === 'edited' || c.kind === 'gone' ? 'font-semibold text-bad' : 'text-soft'}`}
                  >
                    {WORDS[c.kind]}
                  </span>
                  <span className="min-w-0 flex-1">
                    <span className="font-medium">{c.what}</span>
                    {c.before !== undefined && (
                      <code className="block overflow-x-auto font-mono text-[11.5px] whitespace-pre text-soft line-through decoration-faint">
                        {c.before}
                      </code>
                    )}
                    {c.after !== undefined && (
                      <code className="block max-h-40 overflow-auto font-mono text-[11.5px] whitespace-pre">
                        {c.after}
                      </code>
                    )}
                  </span>
                </label>
              </li>
            ))}
          </ul>
          <div className="mt-3 flex justify-end gap-2">
            <Button onClick={onClose}>{changes.length ? 'Cancel' : 'Close'}</Button>
            {changes.length > 0 && (
              <Button look="strong" disabled={!chosen.length} onClick={take}>
                Make {chosen.length}
              </Button>
            )}
          </div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
