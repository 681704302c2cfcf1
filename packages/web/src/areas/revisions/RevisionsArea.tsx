/**
 * Revisions: the stretches of work and what was given a name; any two compared; an old one brought back, which can be
 * undone.
 */
import { DropdownMenu } from 'radix-ui';
import { type KeyboardEvent, useMemo, useState } from 'react';
import { useNavigate, useParams, useSearchParams } from 'react-router';
import useSWR from 'swr';
import { type Project, compareProjects } from '@ferrule/core/document';
import { api, messageOf } from '../../api.js';
import { useBench } from '../../bench/live.js';
import { useFileDialog } from '../../components/choose-file.js';
import { Differences } from '../../components/Differences.js';
import { Button, EditInPlace, EditSentence, MENU, MENU_ITEM } from '../../components/ui.js';
import { useDocument } from '../../document/store.js';
import { Conflicts, TakeIn, type Theirs, readTheirs } from './TakeIn.js';

interface Summary {
  readonly revision: number;
  readonly name?: string;
  readonly note?: string;
  readonly madeAt: number;
  readonly edits: number;
}
interface Stored {
  readonly revision: number;
  readonly document: Project;
}
const NO_TAGS = {};

export function RevisionsArea() {
  const { id } = useParams();
  const revision = useDocument((s) => s.revision);
  const project = useDocument((s) => s.project);
  const saving = useDocument((s) => s.saving);
  const tags = useBench((s) => s.checked?.tags) ?? NO_TAGS;
  const { data: list, error, mutate } = useSWR<readonly Summary[]>(`/projects/${id}/revisions?now=${revision}`);
  const [search, setSearch] = useSearchParams();
  const [problem, setProblem] = useState<string>();
  const [isNaming, setIsNaming] = useState(false);
  const [theirs, setTheirs] = useState<Theirs>();
  const take = (files: File[]) => {
    setProblem(undefined);
    void readTheirs(files).then(setTheirs, (e: unknown) => setProblem(messageOf(e)));
  };
  const [chooseFile, fileInput] = useFileDialog({
    label: 'A colleague’s file',
    accept: '.json,.zip,.xml',
    onFiles: take,
  });
  const [chooseFolder, folderInput] = useFileDialog({
    label: 'A colleague’s folder',
    isFolder: true,
    onFiles: take,
  });
  const navigate = useNavigate();
  const to = search.get('to') ?? 'now';
  const from = search.get('from') ?? String(list?.find((r) => r.revision < revision)?.revision ?? revision);
  const { data: a } = useSWR<Stored>(from === 'now' ? null : `/projects/${id}/revisions/${from}`);
  const { data: b } = useSWR<Stored>(to === 'now' ? null : `/projects/${id}/revisions/${to}`);
  const before = from === 'now' ? project : a?.document,
    after = to === 'now' ? project : b?.document;
  const differences = useMemo(() => (before && after ? compareProjects(before, after) : undefined), [before, after]);
  /** `r` undefined: the project as it is now, with what is not saved yet. True when it was kept. */
  const nameIt = async (r: number | undefined, name: string, note?: string): Promise<boolean> => {
    setProblem(undefined);
    try {
      await useDocument.getState().flush();
      const at = r ?? useDocument.getState().revision;
      await api('PUT', `/projects/${id}/revisions/${at}/name`, { name, ...(note === undefined ? {} : { note }) });
      await mutate();
      return true;
    } catch (e) {
      setProblem(messageOf(e));
      return false;
    }
  };
  const choose = (which: 'from' | 'to', value: string) => setSearch({ from, to, [which]: value }, { replace: true });
  const words = (r: string) =>
    r === 'now' ? `Now, rev ${revision}` : `${list?.find((x) => String(x.revision) === r)?.name ?? ''} rev ${r}`.trim();
  const bringBack = () => {
    if (before && useDocument.getState().edit({ kind: 'replace', project: before }))
      void navigate(`/projects/${id}/logic`);
  };
  const row = (value: string, s: Summary | undefined) => (
    <tr key={value} className={`border-t border-edge ${from === value || to === value ? 'bg-glow/50' : ''}`}>
      <td className="pl-3">
        <input
          type="radio"
          name="from"
          aria-label={`Compare from ${words(value)}`}
          className="accent-copper"
          checked={from === value}
          onChange={() => choose('from', value)}
        />
      </td>
      <td>
        <input
          type="radio"
          name="to"
          aria-label={`Compare to ${words(value)}`}
          className="accent-copper"
          checked={to === value}
          onChange={() => choose('to', value)}
        />
      </td>
      <td className="py-1">
        {s ? (
          <EditInPlace
            value={s.name ?? ''}
            label={`Name of revision ${s.revision}`}
            placeholder="give it a name"
            className="font-semibold"
            onCommit={(n) => void nameIt(s.revision, n)}
          />
        ) : (
          <span className="px-1 font-semibold">Now</span>
        )}
        <span className="block px-1 text-[11.5px] text-soft">
          rev {s?.revision ?? revision}
          {s
            ? ` · ${new Date(s.madeAt).toLocaleString(undefined, { dateStyle: 'medium', timeStyle: 'short' })}${s.edits ? ` · ${s.edits} edit${s.edits > 1 ? 's' : ''}` : ' · the beginning'}`
            : saving === 'saved'
              ? ''
              : ' · saving'}
        </span>
        {s && (s.name || s.note) && (
          <span className="block text-[12px]">
            <EditSentence
              lines
              value={s.note ?? ''}
              label={`Note of revision ${s.revision}`}
              placeholder="a note: why, tried with whom"
              onCommit={(note) => void nameIt(s.revision, s.name ?? '', note)}
            />
          </span>
        )}
      </td>
    </tr>
  );
  return (
    <div className="grid h-full min-h-0 grid-cols-[300px_minmax(0,1fr)]">
      <section aria-label="Revisions" className="flex min-h-0 flex-col overflow-y-auto border-r border-edge bg-sunk">
        <div className="flex items-center gap-2 px-3 py-2">
          <h2 className="flex-1 text-[14px] font-semibold">Revisions</h2>
          <DropdownMenu.Root>
            <DropdownMenu.Trigger asChild>
              <Button>Take in …</Button>
            </DropdownMenu.Trigger>
            <DropdownMenu.Portal>
              <DropdownMenu.Content align="end" sideOffset={4} className={MENU}>
                <DropdownMenu.Item className={MENU_ITEM} onSelect={chooseFile}>
                  A colleague’s file (.ferrule.json, .zip, .xml)
                </DropdownMenu.Item>
                <DropdownMenu.Item className={MENU_ITEM} onSelect={chooseFolder}>
                  A colleague’s folder of text
                </DropdownMenu.Item>
              </DropdownMenu.Content>
            </DropdownMenu.Portal>
          </DropdownMenu.Root>
          <Button onClick={() => setIsNaming(true)} aria-expanded={isNaming}>
            Name this one
          </Button>
          {fileInput}
          {folderInput}
        </div>
        {isNaming && (
          <NameForm
            revision={revision}
            onKeep={async (name, note) => {
              const done = await nameIt(undefined, name, note);
              if (done) setIsNaming(false);
              return done;
            }}
            onLeave={() => setIsNaming(false)}
          />
        )}
        {(problem ?? error) && (
          <p role="alert" className="mx-3 rounded-md bg-bad-soft px-2 py-1 text-bad">
            {problem ?? messageOf(error)}
          </p>
        )}
        <table className="w-full border-collapse text-[12.5px]">
          <thead>
            <tr className="text-left text-[11.5px] text-soft">
              <th className="w-10 pl-3 font-normal">from</th>
              <th className="w-8 font-normal">to</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {row('now', undefined)}
            {list?.filter((r) => r.revision !== revision || r.name).map((r) => row(String(r.revision), r))}
          </tbody>
        </table>
      </section>
      {theirs && list && id ? (
        <TakeIn id={id} theirs={theirs} revisions={list} tags={tags} onClose={() => setTheirs(undefined)} />
      ) : (
        <section aria-label="Compared" className="flex min-h-0 min-w-0 flex-col bg-sheet">
          {project && <Conflicts project={project} tags={tags} />}
          <div className="flex h-10 shrink-0 items-center gap-3 border-b border-edge px-4">
            <p className="min-w-0 flex-1 truncate">
              {differences
                ? differences.length
                  ? `${differences.length} difference${differences.length > 1 ? 's' : ''} from ${words(from)} to ${words(to)}`
                  : `${words(from)} and ${words(to)} are the same.`
                : 'Comparing …'}
            </p>
            {from !== 'now' && before && <Button onClick={bringBack}>Bring {words(from)} back</Button>}
          </div>
          <div className="min-h-0 flex-1 overflow-auto">
            {differences && differences.length > 0 && (
              <Differences differences={differences} before={words(from)} after={words(to)} tags={tags} />
            )}
          </div>
        </section>
      )}
    </div>
  );
}

/** A name and a note for the project as it is now. */
function NameForm({
  revision,
  onKeep,
  onLeave,
}: {
  readonly revision: number;
  readonly onKeep: (name: string, note: string) => Promise<boolean>;
  readonly onLeave: () => void;
}) {
  const [name, setName] = useState(''),
    [note, setNote] = useState('');
  const keep = () => {
    if (name.trim()) void onKeep(name.trim(), note.trim());
  };
  const onKey = (e: KeyboardEvent) => {
    e.stopPropagation();
    if (e.key === 'Escape') onLeave();
    if (e.key === 'Enter' && (e.ctrlKey || e.metaKey || e.target instanceof HTMLInputElement)) {
      e.preventDefault();
      keep();
    }
  };
  return (
    <div className="mx-3 mb-2 flex flex-col gap-1.5 rounded-md border border-edge bg-sheet p-2" onKeyDown={onKey}>
      <input
        autoFocus
        aria-label="Name for this revision"
        placeholder={`Name for rev ${revision}, such as As delivered`}
        maxLength={200}
        value={name}
        onChange={(e) => setName(e.target.value)}
        className="h-8 rounded-md border border-edge bg-sheet px-2"
      />
      <textarea
        aria-label="Note for this revision"
        placeholder="A note: what changed and why, tried with whom"
        maxLength={4000}
        rows={3}
        value={note}
        onChange={(e) => setNote(e.target.value)}
        className="rounded-md border border-edge bg-sheet px-2 py-1 [field-sizing:content]"
      />
      <div className="flex gap-1.5">
        <Button look="strong" keys="Ctrl+⏎" disabled={!name.trim()} onClick={keep}>
          Keep the name
        </Button>
        <Button look="quiet" keys="Esc" onClick={onLeave}>
          Leave
        </Button>
      </div>
    </div>
  );
}
