/** The command palette: every command, and everything in the project by any of its words. */
import { Dialog } from 'radix-ui';
import { useMemo, useState, type KeyboardEvent } from 'react';
import { useLocation, useNavigate, useParams } from 'react-router';
import { type Project, findInProject } from '@ferrule/core/document';
import { COMMANDS, useSheet } from '../areas/logic/commands.js';
import { benchLive, benchStore, tellBench } from '../bench/live.js';
import { Offers, useOffers } from '../components/offers.js';
import { openSide, toggleAll, toggleFold } from '../components/folds.js';
import { beginRecording } from '../components/recorder.js';
import { restart } from '../components/restart.js';
import { useTour } from '../components/tour.js';
import { useDocument } from '../document/store.js';
import { addressOfFound, jumpTo } from './place.js';
import { switchTheme } from './theme.js';

interface Entry {
  readonly key: string;
  readonly words: string;
  readonly detail?: string;
  readonly keys?: string;
  readonly run: () => void;
}
const offerOf = (e: Entry) => ({ key: e.key, text: e.words, about: e.detail, right: e.keys, run: e.run });

/** `rung 12` or a number alone: that rung of the program in sight, and of the others. */
function rungEntries(
  project: Project | undefined,
  text: string,
  here: string | undefined,
  go: (to: string) => () => void,
  id: string,
): readonly Entry[] {
  const number = Number(/^\s*(?:rung\s*)?(\d+)\s*$/i.exec(text)?.[1] ?? 0);
  if (!number || !project) return [];
  const ladders = project.pous.flatMap((p) => (p.language === 'LD' && p.rungs[number - 1] ? [p] : []));
  return [...ladders.filter((p) => p.id === here), ...ladders.filter((p) => p.id !== here)].map((p) => ({
    key: `go to ${p.id}`,
    words: `Go to rung ${number} of ${p.name}`,
    detail: p.rungs[number - 1]!.comment ?? p.rungs[number - 1]!.line,
    run: go(`/projects/${id}/logic?pou=${p.id}&rung=${p.rungs[number - 1]!.id}`),
  }));
}

export function Palette({
  start,
  onClose,
  onHelp,
}: {
  /** What stands in it at the beginning. */ readonly start: string;
  readonly onClose: () => void;
  readonly onHelp: () => void;
}) {
  const { id } = useParams();
  const navigate = useNavigate();
  const location = useLocation();
  const project = useDocument((s) => s.project);
  const perform = useSheet((s) => s.perform);
  const [text, setText] = useState(start);
  const go = (to: string) => () =>
    jumpTo(
      navigate,
      to,
      useSheet.getState().where
        ? `/projects/${id}/logic?${useSheet.getState().where}`
        : location.pathname + location.search,
    );
  const commands = useMemo((): readonly Entry[] => {
    const area = (name: string, path: string, keys?: string): Entry => ({
      key: `area ${path}`,
      words: name,
      ...(keys ? { keys } : {}),
      run: go(`/projects/${id}/${path}`),
    });
    const running = () => benchStore.getState().frame?.running ?? false;
    return [
      area('Go to Plan', 'plan', 'Alt+1'),
      area('Go to Tags', 'tags', 'Alt+2'),
      area('Go to Logic', 'logic', 'Alt+3'),
      area('Go to Machine', 'machine', 'Alt+4'),
      area('Go to Prove', 'prove', 'Alt+5'),
      area('Go to Controller', 'controller', 'Alt+6'),
      area('Go to Timing', 'timing', 'Alt+7'),
      area('Types', 'tags?view=types'),
      area('Memory map', 'tags?view=memory'),
      area('Revisions: name, compare, bring back', 'revisions'),
      area('C for a board, with its pins', 'board'),
      area('Print', 'print'),
      {
        key: 'run',
        words: 'Run or pause the bench',
        keys: 'F5',
        run: () => tellBench({ kind: 'play', running: !running() }),
      },
      { key: 'step', words: 'One scan forward', keys: 'F6', run: () => tellBench({ kind: 'step', scans: 1 }) },
      { key: 'back', words: 'One scan back', keys: '⇧F6', run: () => tellBench({ kind: 'step', scans: -1 }) },
      { key: 'restart', words: 'Restart the bench', run: () => restart() },
      { key: 'release', words: 'Release all forces', run: () => benchLive.event({ kind: 'releaseAll' }) },
      {
        key: 'record',
        words: 'Record a check from the bench',
        run: () => {
          if (id) {
            beginRecording(id);
            go(`/projects/${id}/machine`)();
          }
        },
      },
      { key: 'undo', words: 'Undo', keys: 'Ctrl+Z', run: () => useDocument.getState().undo() },
      { key: 'redo', words: 'Redo', keys: 'Ctrl+Y', run: () => useDocument.getState().redo() },
      {
        key: 'outline',
        words: 'Outline beside the logic',
        run: () => {
          openSide('outline');
          go(`/projects/${id}/logic`)();
        },
      },
      ...(id && project?.pous.some((p) => p.name === 'Extraction')
        ? [{ key: 'tour', words: 'First-hour tour: from the beginning', run: () => useTour.getState().begin(id) }]
        : []),
      { key: 'fold scope', words: 'Fold or open the scope', keys: '⇧F2', run: () => toggleFold('bottom') },
      { key: 'fold bench', words: 'Fold or open the bench pane', keys: '⇧F3', run: () => toggleFold('bench') },
      { key: 'fold side', words: 'Fold or open the pane at the right', keys: '⇧F4', run: () => toggleFold('side') },
      { key: 'fold all', words: 'Fold all panes, or open them again', keys: 'Ctrl+F2', run: toggleAll },
      { key: 'theme', words: 'Light or dark', run: switchTheme },
      { key: 'help', words: 'Help and shortcuts', keys: '?', run: onHelp },
      ...(perform
        ? COMMANDS.map((c): Entry => ({
            key: `rung ${c.command}`,
            words: `Rung: ${c.words}`,
            keys: c.shown ?? c.key,
            run: () => perform(c.command),
          }))
        : []),
    ];
  }, [id, perform, onHelp, project]);
  const found = useMemo(() => {
    const wanted = text.toLowerCase().split(/\s+/).filter(Boolean);
    const fits = commands.filter((c) => wanted.every((w) => c.words.toLowerCase().includes(w)));
    const hits = project
      ? findInProject(project, text, 40).map((h, i): Entry => ({
          key: `${h.where} ${i}`,
          words: h.where,
          detail: h.text,
          run: go(addressOfFound(h.place, id ?? '')),
        }))
      : [];
    const rungs = rungEntries(project, text, /pou=([^&]*)/.exec(useSheet.getState().where ?? '')?.[1], go, id ?? '');
    // A name that is meant comes before commands that happen to hold its letters.
    return (text ? [...rungs, ...hits.slice(0, 6), ...fits.slice(0, 12), ...hits.slice(6)] : fits).map(offerOf);
  }, [commands, project, text]);
  const offer = useOffers(found, { isLong: true });
  const run = (e: { readonly run: () => void } | undefined) => {
    if (!e) return;
    onClose();
    requestAnimationFrame(e.run);
  };
  const onKey = (e: KeyboardEvent) => {
    e.stopPropagation();
    if (offer.onKey(e)) return;
    if (e.key === 'Enter') {
      e.preventDefault();
      run(offer.chosen);
    }
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
          data-palette=""
          aria-describedby={undefined}
          onCloseAutoFocus={(e) => e.preventDefault()}
          className="fixed top-[12vh] left-1/2 z-50 flex max-h-[66vh] w-[640px] max-w-[94vw] -translate-x-1/2 flex-col overflow-hidden rounded-xl border border-edge bg-sheet shadow-2xl"
        >
          <Dialog.Title className="sr-only">Commands and search</Dialog.Title>
          <input
            autoFocus
            onFocus={(e) => e.currentTarget.setSelectionRange(text.length, text.length)}
            {...offer.aria}
            aria-label="Command or anything in the project"
            placeholder="A command, a tag, an address, a word of a comment, rung 12 …"
            value={text}
            onChange={(e) => {
              setText(e.target.value);
              offer.again();
            }}
            onKeyDown={onKey}
            className="h-11 shrink-0 border-b border-edge bg-transparent px-4 text-[14px] outline-none"
          />
          <Offers
            of={offer}
            label="Found"
            onTake={run}
            follows
            empty="Nothing fits."
            row="gap-3 px-3 py-1"
            className="min-h-0 overflow-auto p-1.5"
          />
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
