/** What the plan would make, before it is made: new parts, parts that change, parts edited since. */
import { Dialog } from 'radix-ui';
import { failureOf } from '../../components/outdated.js';
import { useEffect, useMemo, useState } from 'react';
import type { Project } from '@ferrule/core/document';
import { type Unreached, planChanges, sourceless, takeChanges } from '@ferrule/core/plan';
import { many } from '@ferrule/core/language';
import { Button } from '../../components/ui.js';
import { useDocument } from '../../document/store.js';
import type { FromChecks, MadeFromPlan } from './checks.worker.js';

const WORDS = { new: 'new', changed: 'changes', gone: 'goes', edited: 'edited since', instead: 'instead' } as const;

/** What would be made; nothing while checks are still being tried. */
function useMade(
  project: Project,
  what: { readonly logic?: 'LD' | 'ST'; readonly checks?: boolean },
): { readonly made: MadeFromPlan | undefined; readonly trials: number } {
  const logic = useMemo(
    () =>
      what.checks
        ? undefined
        : { changes: planChanges(project, what.logic ? { logic: what.logic } : {}), unreached: NONE, isAhead: false },
    [project, what],
  );
  const [checks, setChecks] = useState<MadeFromPlan>(),
    [trials, setTrials] = useState(0);
  useEffect(() => {
    if (!what.checks) return;
    setChecks(undefined);
    setTrials(0);
    const worker = new Worker(new URL('./checks.worker.ts', import.meta.url), { type: 'module' });
    worker.onmessage = ({ data }: MessageEvent<FromChecks>) =>
      data.kind === 'tried' ? setTrials(data.trials) : setChecks(data.made);
    worker.onerror = (e) =>
      setChecks({
        changes: [],
        isAhead: false,
        unreached: [{ what: 'All of it', why: `The checks could not be tried: ${failureOf(e)}` }],
      });
    worker.postMessage(project);
    return () => worker.terminate();
  }, [project, what]);
  return { made: what.checks ? checks : logic, trials };
}
const NONE: readonly Unreached[] = [];
const MADE_AS = {
  input: 'an input',
  number: 'a number that nothing sets yet',
  memory: 'a tag that logic of your own must set',
};

export function MakeDialog({
  project,
  what,
  onClose,
}: {
  readonly project: Project;
  readonly what: { readonly logic?: 'LD' | 'ST'; readonly checks?: boolean };
  readonly onClose: () => void;
}) {
  const { made, trials } = useMade(project, what),
    changes = made?.changes ?? [];
  // What was edited since is left alone unless it is ticked.
  const [turned, setTurned] = useState<ReadonlySet<string>>(new Set());
  const isOn = (c: { readonly id: string; readonly kind: string }) =>
    (c.kind === 'edited' || c.kind === 'instead') === turned.has(c.id);
  const chosen = changes.filter(isOn),
    guessed = useMemo(() => sourceless(project), [project]);
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
            {!made
              ? `Each check is tried before it is offered: what a way asks for is left to the machine, worked at the panel, or forced, whichever gets there. ${trials ? `${many(trials, 'trial')} so far …` : 'Trying …'}`
              : changes.length
                ? 'These become ordinary parts of the project, to be edited like any other. What was edited since it was made, and what is there in the other language, is left alone unless it is ticked.'
                : made.unreached.length
                  ? 'Nothing new can be made.'
                  : 'Everything the plan says is made already.'}
          </Dialog.Description>
          <ul aria-label="Changes" className="min-h-0 flex-1 overflow-y-auto text-[12.5px]">
            {changes.map((c) => (
              <li key={c.id} className="border-b border-edge py-1">
                <label className="flex items-start gap-2">
                  <input
                    type="checkbox"
                    checked={isOn(c)}
                    onChange={() =>
                      setTurned((o) => {
                        const n = new Set(o);
                        if (!n.delete(c.id)) n.add(c.id);
                        return n;
                      })
                    }
                    className="mt-1 accent-[var(--copper)]"
                  />
                  <span
                    className={`w-20 shrink-0 ${c.kind === 'edited' || c.kind === 'gone' || c.kind === 'instead' ? 'font-semibold text-bad' : 'text-soft'}`}
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
                      <code className="block max-h-40 overflow-auto font-mono text-[11.5px] whitespace-pre-wrap">
                        {c.after}
                      </code>
                    )}
                  </span>
                </label>
              </li>
            ))}
          </ul>
          {!what.checks && changes.length > 0 && guessed.length > 0 && (
            <p role="note" className="mt-2 text-[12.5px]">
              Given by nothing in the plan:{' '}
              {(['input', 'number', 'memory'] as const)
                .flatMap((kind) => {
                  const names = guessed.filter((n) => n.madeAs === kind).map((n) => n.name);
                  return names.length ? [`${names.join(', ')} (made ${MADE_AS[kind]})`] : [];
                })
                .join('; ')}
              .{guessed.some((n) => !n.isKept) && ' Below the steps each can be made memory of the plan instead.'}
            </p>
          )}
          {made?.isAhead && (
            <p className="mt-2 text-[12.5px] text-soft">
              The logic of the plan is not made yet: these were tried on what it would be, and can be played once it is
              there.
            </p>
          )}
          {made && made.unreached.length > 0 && (
            <section aria-label="Not reached" className="mt-2 max-h-[24vh] shrink-0 overflow-y-auto text-[12.5px]">
              <h3 className="font-semibold">
                Not reached, so no check was made of{' '}
                {made.unreached.length === 1 ? 'it' : `these ${made.unreached.length}`}
              </h3>
              <ul>
                {made.unreached.map((u) => (
                  <li key={u.what} className="border-b border-edge/60 py-0.5">
                    {u.what}: <span className="text-soft">{u.why}</span>
                  </li>
                ))}
              </ul>
            </section>
          )}
          <div className="mt-3 flex justify-end gap-2">
            <Button onClick={onClose}>{!made || changes.length ? 'Cancel' : 'Close'}</Button>
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
