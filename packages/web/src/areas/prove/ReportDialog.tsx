/** Before a report goes out: who makes it, for whom and of which machine, and names that say what a check is about. */
import { Dialog } from 'radix-ui';
import { type FormEvent, useState } from 'react';
import { type Edit, type JobFact, renameRule } from '@ferrule/core/document';
import { isMadeName } from '@ferrule/core/verify';
import { messageOf } from '../../api.js';
import { sayWho, whoIs } from '../../components/who.js';
import { Button } from '../../components/ui.js';
import { useDocument } from '../../document/store.js';

/** What a report asks for; more can be added. */
const ASKED = ['Customer', 'Machine', 'Order'] as const;
const FIELD = 'h-8 min-w-0 rounded-md border border-edge bg-sheet px-2 outline-none focus:border-copper';

export function ReportDialog({ onClose }: { readonly onClose: () => void }) {
  const project = useDocument((s) => s.project)!;
  const kept = project.bench?.facts ?? [];
  const [by, setBy] = useState(whoIs()),
    [facts, setFacts] = useState<readonly JobFact[]>(() => [
      ...ASKED.map((name) => kept.find((f) => f.name === name) ?? { name, text: '' }),
      ...kept.filter((f) => !(ASKED as readonly string[]).includes(f.name)),
    ]);
  const unnamed = [
    ...project.checks.filter((c) => isMadeName(c.name)).map((c) => ({ of: 'check' as const, id: c.id, name: c.name })),
    ...project.rules.filter((r) => isMadeName(r.name)).map((r) => ({ of: 'rule' as const, id: r.id, name: r.name })),
  ];
  const [asked] = useState(unnamed),
    [trouble, setTrouble] = useState<string>(),
    [names, setNames] = useState<Readonly<Record<string, string>>>({});
  const taken = (id: string, name: string) =>
    [...project.checks, ...project.rules].some(
      (x) => x.id !== id && (names[x.id]?.trim() || x.name).toLowerCase() === name.toLowerCase(),
    );
  const clash = asked.find((a) => names[a.id]?.trim() && taken(a.id, names[a.id]!.trim()));
  const go = async (e: FormEvent) => {
    e.preventDefault();
    if (clash) return;
    // At once, while the click still allows a page to be opened.
    const page = window.open('about:blank', '_blank');
    sayWho(by.trim());
    const { edit, flush } = useDocument.getState();
    const given = facts.filter((f) => f.text.trim()).map((f) => ({ name: f.name, text: f.text.trim() }));
    const edits: Edit[] =
      JSON.stringify(given) === JSON.stringify(kept) ? [] : [{ kind: 'changeBench', to: { facts: given } }];
    let now = project;
    for (const a of asked) {
      const name = names[a.id]?.trim();
      if (!name || name === a.name) continue;
      edits.push(a.of === 'rule' ? renameRule(now, a.id, name) : { kind: 'changeCheck', id: a.id, to: { name } });
      now = {
        ...now,
        checks: now.checks.map((c) => (c.id === a.id ? { ...c, name } : c)),
        rules: now.rules.map((r) => (r.id === a.id ? { ...r, name } : r)),
      };
    }
    if (edits.length) edit(edits.length === 1 ? edits[0]! : { kind: 'group', label: 'Named for the report', edits });
    try {
      await flush();
    } catch (x) {
      page?.close();
      setTrouble(messageOf(x));
      return;
    }
    const address = `/api/projects/${useDocument.getState().id}/report${by.trim() ? `?by=${encodeURIComponent(by.trim())}` : ''}`;
    if (page) {
      page.opener = null;
      page.location.href = address;
    } else window.location.href = address;
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
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/40" />
        <Dialog.Content className="fixed top-1/2 left-1/2 z-50 max-h-[84vh] w-[620px] max-w-[94vw] -translate-x-1/2 -translate-y-1/2 overflow-auto rounded-xl border border-edge bg-sheet p-5 shadow-2xl">
          <Dialog.Title className="text-lg font-semibold">Report</Dialog.Title>
          <Dialog.Description className="text-soft">
            The checks are played again for it. Revision, hash, version and times are on it by themselves; a field left
            empty is left out.
          </Dialog.Description>
          <form
            className="mt-3 grid grid-cols-[140px_minmax(0,1fr)] items-center gap-x-3 gap-y-2"
            onKeyDown={(e) => e.stopPropagation()}
            onSubmit={(e) => void go(e)}
          >
            <label className="contents">
              <span className="text-soft">Made by</span>
              <input className={FIELD} value={by} onChange={(e) => setBy(e.target.value)} maxLength={200} />
            </label>
            {facts.map((f, i) => (
              <label key={f.name} className="contents">
                <span className="truncate text-soft">{f.name}</span>
                <input
                  className={FIELD}
                  value={f.text}
                  maxLength={300}
                  onChange={(e) => setFacts(facts.map((x, k) => (k === i ? { ...x, text: e.target.value } : x)))}
                />
              </label>
            ))}
            {asked.length > 0 && (
              <p className="col-span-2 mt-2 text-soft">
                {asked.length === 1 ? 'One name says' : `${asked.length} names say`} nothing to whoever reads it:
              </p>
            )}
            {asked.map((a) => (
              <label key={a.id} className="contents">
                <span className="truncate text-soft">
                  {a.of === 'check' ? 'Check' : 'Rule'} ‘{a.name}’
                </span>
                <input
                  className={FIELD}
                  placeholder="What it is about"
                  value={names[a.id] ?? ''}
                  maxLength={200}
                  onChange={(e) => setNames({ ...names, [a.id]: e.target.value })}
                />
              </label>
            ))}
            {trouble !== undefined && (
              <p role="alert" className="col-span-2 text-bad">
                {trouble}
              </p>
            )}
            {clash && (
              <p role="alert" className="col-span-2 text-bad">
                There is a check or rule ‘{names[clash.id]!.trim()}’ already.
              </p>
            )}
            <div className="col-span-2 mt-2 flex justify-end gap-2">
              <Dialog.Close asChild>
                <Button>Leave it</Button>
              </Dialog.Close>
              <Button look="strong" type="submit" disabled={clash !== undefined}>
                Open the report
              </Button>
            </div>
          </form>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
