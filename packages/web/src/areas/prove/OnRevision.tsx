/** The checks of now on the logic of another revision, without bringing it back: what passed there, and what does. */
import { Dialog } from 'radix-ui';
import { useState } from 'react';
import useSWR from 'swr';
import type { VerdictWord } from '@ferrule/core/verify';
import { api, messageOf } from '../../api.js';
import { Button } from '../../components/ui.js';
import { useDocument } from '../../document/store.js';
import { Mark } from './CheckSheet.js';

interface Summary {
  readonly revision: number;
  readonly name?: string;
  readonly madeAt: number;
}
/** How a check or rule went, with the reason where it did not pass. */
export interface Told {
  readonly key: string;
  readonly name: string;
  readonly word: VerdictWord;
  readonly words: string;
}
interface Outcome {
  readonly revision: number;
  readonly told: readonly Told[];
  /** Why nothing could be played. */ readonly problem?: string;
}

export function OnRevision<T extends { readonly problem?: string }>({
  only,
  tell,
  onClose,
}: {
  /** The check or rule that is open. */ readonly only: string | undefined;
  readonly tell: (answer: T) => readonly Told[];
  readonly onClose: () => void;
}) {
  const id = useDocument((s) => s.id),
    now = useDocument((s) => s.revision);
  const { data: list, error } = useSWR<readonly Summary[], Error>(`/projects/${id}/revisions?now=${now}`);
  const older = (list ?? []).filter((r) => r.revision < (now ?? 0));
  const [chosen, setChosen] = useState<number>(),
    [justOne, setJustOne] = useState(false),
    [running, setRunning] = useState(false),
    [failed, setFailed] = useState<string>(),
    [outcome, setOutcome] = useState<Outcome>();
  const on = chosen ?? older[0]?.revision;
  const words = (r: Summary) =>
    `rev ${r.revision}${r.name ? ` ‘${r.name}’` : ''}, ${new Date(r.madeAt).toLocaleString(undefined, { dateStyle: 'medium', timeStyle: 'short' })}`;
  const play = async () => {
    if (on === undefined) return;
    setRunning(true);
    setFailed(undefined);
    try {
      await useDocument.getState().flush();
      const answer = await api<T>('POST', `/projects/${id}/prove`, {
        revision: on,
        ...(justOne && only !== undefined ? { only } : {}),
      });
      setOutcome({
        revision: on,
        told: tell(answer),
        ...(answer.problem === undefined ? {} : { problem: answer.problem }),
      });
    } catch (e) {
      setFailed(messageOf(e));
    }
    setRunning(false);
  };
  const count = (word: VerdictWord) => outcome?.told.filter((t) => t.word === word).length ?? 0;
  return (
    <Dialog.Root
      open
      onOpenChange={(open) => {
        if (!open) onClose();
      }}
    >
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/40" />
        <Dialog.Content className="fixed top-1/2 left-1/2 z-50 flex max-h-[84vh] w-[720px] max-w-[94vw] -translate-x-1/2 -translate-y-1/2 flex-col gap-3 rounded-xl border border-edge bg-sheet p-5 shadow-2xl">
          <Dialog.Title className="text-lg font-semibold">Play on another revision</Dialog.Title>
          <Dialog.Description className="-mt-2 text-soft">
            The checks and rules as they are now, on the logic and the machine as they were then. Nothing is brought
            back, and the verdicts of this revision stay.
          </Dialog.Description>
          {(failed ?? error?.message) !== undefined && (
            <p role="alert" className="rounded-md bg-bad-soft px-3 py-1.5 text-bad">
              {failed ?? error?.message}
            </p>
          )}
          {list && !older.length ? (
            <p className="text-soft">There is no earlier revision of this project yet.</p>
          ) : (
            <div className="flex flex-wrap items-center gap-3">
              <select
                aria-label="Revision"
                value={on ?? ''}
                onChange={(e) => setChosen(Number(e.target.value))}
                className="h-8 min-w-0 flex-1 rounded-md border border-edge bg-sheet px-2"
              >
                {older.map((r) => (
                  <option key={r.revision} value={r.revision}>
                    {words(r)}
                  </option>
                ))}
              </select>
              {only !== undefined && (
                <label className="flex items-center gap-1.5">
                  <input
                    type="checkbox"
                    className="accent-copper"
                    checked={justOne}
                    onChange={(e) => setJustOne(e.target.checked)}
                  />
                  Only ‘{only}’
                </label>
              )}
              <Button look="strong" disabled={running || on === undefined} onClick={() => void play()}>
                {running ? 'Running …' : 'Play'}
              </Button>
            </div>
          )}
          {outcome && (
            <>
              <p role="status" className="text-soft">
                On rev {outcome.revision}:{' '}
                {outcome.problem !== undefined
                  ? 'nothing was played, its logic has errors.'
                  : `${count('ok')} passed, ${count('FAILED')} failed, ${count('OPEN')} open`}
              </p>
              {outcome.told.length > 0 && (
                <ul
                  aria-label={`On rev ${outcome.revision}`}
                  className="min-h-0 overflow-auto rounded-lg border border-edge"
                >
                  {outcome.told.map((t) => (
                    <li key={t.key} className="flex items-baseline gap-2 border-b border-edge px-3 py-1 last:border-0">
                      <Mark word={t.word} />
                      <span className="font-medium">{t.name}</span>
                      <span className="min-w-0 flex-1 text-soft">{t.words}</span>
                    </li>
                  ))}
                </ul>
              )}
            </>
          )}
          <div className="flex justify-end">
            <Dialog.Close asChild>
              <Button>Close</Button>
            </Dialog.Close>
          </div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
