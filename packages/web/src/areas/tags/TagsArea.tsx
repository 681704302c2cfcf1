/** Tags: the list, edited where it stands, with live values; where the chosen one is used. */
import { TabList } from '../../components/tabs.js';
import { type FormEvent, useEffect, useMemo, useRef, useState } from 'react';
import { later } from '../../components/later.js';
import { useVirtualizer } from '@tanstack/react-virtual';
import { useSearchParams } from 'react-router';
import type { Tag } from '@ferrule/core/document';
import { type Use, guessTag, readNewTag, seriesNames, seriesTags } from '@ferrule/core/workspace';
import { tagsToCsv } from '@ferrule/core/files';
import { useBench } from '../../bench/live.js';
import type { ProblemNote } from '../../bench/protocol.js';
import { onPageKeys } from '../../components/keys.js';
import { Button } from '../../components/ui.js';
import { saveAs } from '../../components/save-as.js';
import { DraftStrip, useAtController } from '../../components/at-controller.js';
import { newId, useDocument } from '../../document/store.js';
import { ImportTags } from './ImportTags.js';
import { COLUMNS, useMembers, rowsOf, TagRow, InstanceRow, MemberRow, nameOf } from './tag-rows.js';
import { UseLinks, Details } from './TagDetails.js';

const TypesView = later(() => import('./TypesView.js').then((m) => m.TypesView));

const MemoryView = later(() => import('./MemoryView.js').then((m) => m.MemoryView));

const NONE: readonly never[] = [];

const ROW = 30;

const VIEWS = [
  ['list', 'Tags'],
  ['types', 'Types'],
  ['memory', 'Memory map'],
] as const;

export function TagsArea() {
  const [search, setSearch] = useSearchParams();
  const view = search.get('view') ?? 'list';
  return (
    <div className="flex h-full min-h-0 flex-col">
      <TabList
        label="Parts of Tags"
        className="flex h-9 shrink-0 items-end gap-4 border-b border-edge px-4"
        tabClass="-mb-px pb-1.5"
        value={view}
        onChoose={(value) => setSearch(value === 'list' ? {} : { view: value })}
        tabs={VIEWS.map(([value, words]) => ({ value, words }))}
      />
      <div className="min-h-0 flex-1">
        {view === 'types' ? <TypesView /> : view === 'memory' ? <MemoryView /> : <TagList />}
      </div>
    </div>
  );
}

function TagList() {
  const tags = useDocument((s) => s.project?.tags) ?? NONE;
  const problems = useBench((s) => s.checked?.problems) ?? NONE;
  const uses = useBench((s) => s.checked?.uses);
  const [search, setSearch] = useSearchParams();
  const [find, setFind] = useState('');
  const [message, setMessage] = useState<{ readonly text: string; readonly uses: readonly Use[] }>();
  const scroller = useRef<HTMLDivElement>(null);
  const chosen = tags.find((t) => t.id === search.get('tag'));
  const shown = useMemo(() => {
    const f = find.toLowerCase();
    return f
      ? tags.filter((t) => `${t.name} ${t.type} ${t.address ?? ''} ${t.description ?? ''}`.toLowerCase().includes(f))
      : tags;
  }, [tags, find]);
  const { members, toggle } = useMembers();
  const at = useAtController();
  const instances = useBench((s) => s.checked?.instances) ?? NONE;
  const shownInstances = useMemo(() => {
    const f = find.toLowerCase();
    return instances.filter((i) => !f || `${nameOf(i)} ${i.type}`.toLowerCase().includes(f));
  }, [instances, find]);
  const rows = useMemo(() => rowsOf(shown, shownInstances, members), [shown, shownInstances, members]);
  const [taking, setTaking] = useState<string>();
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW,
    overscan: 12,
    getItemKey: (i) => {
      const r = rows[i]!;
      return r.kind === 'tag' ? r.tag.id : r.kind === 'instance' ? `on a rung ${nameOf(r.instance)}` : r.path;
    },
  });
  const problemsOf = useMemo(
    () =>
      // Of several an error is what is shown.
      new Map(
        [...problems]
          .sort((a, b) => Number(a.severity === 'error') - Number(b.severity === 'error'))
          .flatMap((p): [string, ProblemNote][] => (p.origin.kind === 'tag' ? [[p.origin.id, p]] : [])),
      ),
    [problems],
  );
  useEffect(() => {
    const i = rows.findIndex((r) => r.kind === 'tag' && r.tag.id === chosen?.id);
    if (i >= 0) virtual.scrollToIndex(i);
  }, [chosen?.id]);

  const choose = (t: Tag) => {
    if (search.get('tag') !== t.id) setSearch({ tag: t.id }, { replace: true });
  };
  /** Rows from a spreadsheet pasted anywhere but into a field come to the table of their fates. */
  const onPaste = (e: React.ClipboardEvent) => {
    const text = e.clipboardData.getData('text/plain');
    const isField = e.target instanceof HTMLElement && e.target.matches('input, textarea');
    if (text.trim() && (!isField || /[\n\t]/.test(text.trim()))) {
      e.preventDefault();
      setTaking(text);
    }
  };
  const remove = (t: Tag) => {
    const mine = uses?.[t.name.toLowerCase()] ?? [];
    if (mine.length)
      setMessage({
        text: `‘${t.name}’ is used in ${mine.length} place${mine.length > 1 ? 's' : ''} and stays. Take it out there first:`,
        uses: mine,
      });
    else {
      setMessage(undefined);
      useDocument.getState().edit({ kind: 'removeTag', id: t.id });
    }
  };
  /** The tags shown, as cells for a spreadsheet. */
  const onCopy = (e: React.ClipboardEvent) => {
    if ((e.target instanceof HTMLElement && e.target.matches('input, textarea')) || window.getSelection()?.toString())
      return;
    e.preventDefault();
    e.clipboardData.setData(
      'text/plain',
      shown.map((t) => [t.name, t.type, t.address ?? '', t.description ?? ''].join('\t')).join('\n'),
    );
  };
  const count = (f: (t: Tag) => boolean) => tags.filter(f).length;
  /** Ctrl+A takes the tags that are shown, not the words of the page; to copy is all that can be done with them. */
  const section = useRef<HTMLElement>(null),
    [areAll, setAll] = useState(false);
  useEffect(
    () =>
      onPageKeys([
        [
          'Mod+a',
          (e) => {
            if (e.target instanceof HTMLElement && e.target.matches('input, textarea')) return false;
            window.getSelection()?.removeAllRanges();
            section.current?.focus();
            setAll(true);
            return true;
          },
        ],
      ]),
    [],
  );
  useEffect(() => {
    if (!areAll) return undefined;
    const over = () => setAll(false);
    window.addEventListener('pointerdown', over);
    return () => window.removeEventListener('pointerdown', over);
  }, [areAll]);
  return (
    <div className="grid h-full min-h-0 grid-cols-[minmax(0,1fr)_210px] min-[1200px]:grid-cols-[minmax(0,1fr)_290px]">
      <section
        ref={section}
        tabIndex={-1}
        aria-label="Tags"
        onPaste={onPaste}
        onCopy={onCopy}
        className="flex min-h-0 min-w-0 flex-col gap-2 p-3 outline-none"
      >
        <div className="flex items-center gap-3">
          <input
            type="search"
            value={find}
            onChange={(e) => setFind(e.target.value)}
            aria-label="Find tags"
            placeholder="Find by name, type, address, words…"
            className="h-8 w-72 rounded-md border border-edge bg-sheet px-3 outline-none focus:border-copper"
          />
          <span className="text-soft" role="status">
            {areAll
              ? `All ${shown.length} ${find ? 'found ' : ''}tags: Ctrl+C copies them as cells`
              : find
                ? `${shown.length + shownInstances.length} of ${tags.length + instances.length}`
                : `Inputs ${count((t) => !!t.address?.startsWith('%I'))} · Outputs ${count((t) => !!t.address?.startsWith('%Q'))} · Inside ${count((t) => !/^%[IQ]/.test(t.address ?? ''))}${instances.length ? ` · On rungs ${instances.length}` : ''}`}
          </span>
          <span className="flex-1" />
          <Button onClick={() => setTaking('')}>Import rows</Button>
          <Button onClick={() => saveAs('tags.csv', tagsToCsv(tags), 'text/csv')}>Save as CSV</Button>
        </div>
        {taking !== undefined && (
          <ImportTags
            start={taking}
            onClose={(first) => {
              setTaking(undefined);
              if (first === undefined) return;
              setFind('');
              setSearch({ tag: first }, { replace: true });
            }}
          />
        )}
        {message && (
          <div role="alert" className="rounded-md bg-bad-soft px-3 py-1.5 text-bad">
            {message.text} <UseLinks uses={message.uses} />{' '}
            <button className="ml-2 underline" onClick={() => setMessage(undefined)}>
              Close
            </button>
          </div>
        )}
        <div className="flex min-h-0 flex-1 flex-col overflow-hidden rounded-xl border border-edge bg-sheet">
          <div role="table" aria-label="Tags" aria-rowcount={rows.length} className="flex min-h-0 flex-1 flex-col">
            <div role="row" className={`${COLUMNS} h-8 shrink-0 border-b border-edge px-3 text-[12px] text-soft`}>
              <span role="columnheader">
                <span className="sr-only">Kind</span>
              </span>
              {['Name', 'Type', 'Address', 'Wiring', 'Now', 'Description', 'Used'].map((h) => (
                <span key={h} role="columnheader" className="px-1">
                  {h}
                </span>
              ))}
            </div>
            <div ref={scroller} className="min-h-0 flex-1 overflow-y-auto" style={{ scrollbarGutter: 'stable' }}>
              {!rows.length && (
                <p className="px-4 py-3 text-soft">
                  {tags.length ? 'Nothing fits.' : 'No tags yet. Type the first one below.'}
                </p>
              )}
              <div role="rowgroup" style={{ height: virtual.getTotalSize() }} className="relative">
                {virtual.getVirtualItems().map((i) => {
                  const r = rows[i.index]!;
                  return (
                    <div
                      key={i.key}
                      style={{ transform: `translateY(${i.start}px)`, height: ROW }}
                      role="presentation"
                      className="absolute top-0 w-full"
                    >
                      {r.kind === 'tag' ? (
                        <TagRow
                          tag={r.tag}
                          isChosen={r.tag === chosen}
                          problem={problemsOf.get(r.tag.id)}
                          differs={at?.byKey.get(`tags/${r.tag.id}`)}
                          used={uses?.[r.tag.name.toLowerCase()]?.length ?? 0}
                          isOpen={r.tag.name in members}
                          onToggle={() => toggle(r.tag.name)}
                          onChoose={() => choose(r.tag)}
                        />
                      ) : r.kind === 'instance' ? (
                        <InstanceRow
                          instance={r.instance}
                          isOpen={r.instance.path !== undefined && r.instance.path in members}
                          onToggle={() => toggle(r.instance.path ?? '')}
                        />
                      ) : (
                        <MemberRow row={r} isOpen={r.path in members} onToggle={() => toggle(r.path)} />
                      )}
                    </div>
                  );
                })}
              </div>
            </div>
          </div>
          <DraftStrip where="in the tags" things={(key) => key.startsWith('tags/')} />
          <NewTag tags={tags} onMade={choose} />
        </div>
      </section>
      <aside aria-label="Chosen tag" className="min-h-0 overflow-y-auto border-l border-edge bg-sunk p-4">
        {chosen ? (
          <Details
            tag={chosen}
            uses={uses?.[chosen.name.toLowerCase()] ?? NONE}
            problem={problemsOf.get(chosen.id)}
            onRemove={() => remove(chosen)}
          />
        ) : (
          <p className="text-soft">Choose a tag to see where it is used, to force it or to delete it.</p>
        )}
      </aside>
    </div>
  );
}

function NewTag({ tags, onMade }: { readonly tags: readonly Tag[]; readonly onMade: (t: Tag) => void }) {
  const [name, setName] = useState('');
  const [problem, setProblem] = useState<string>();
  const project = useDocument((s) => s.project);
  const said = readNewTag(name),
    series = seriesNames(said.name);
  // What is shown beside the name is what Enter makes.
  const first = 'names' in series ? seriesTags(name, tags, () => '', undefined, project) : undefined,
    guess: Omit<Tag, 'id' | 'name'> =
      Array.isArray(first) && first.length ? (first[0] as Tag) : guessTag(said.name, tags, said.type, project);
  const many = 'names' in series && series.names.length > 1 ? series.names.length : 0;
  const { type } = guess;
  const submit = (e: FormEvent) => {
    e.preventDefault();
    const made = seriesTags(name, tags, () => newId('t'), undefined, project);
    if ('refused' in made) {
      setProblem(made.refused);
      return;
    }
    const edits = made.map((tag) => ({ kind: 'addTag', tag }) as const);
    useDocument
      .getState()
      .edit(edits.length === 1 ? edits[0]! : { kind: 'group', label: `${edits.length} new tags`, edits });
    onMade(made.at(-1)!);
    setName('');
    setProblem(undefined);
  };
  return (
    <form onSubmit={submit} className={`${COLUMNS} h-9 shrink-0 border-t border-edge bg-sunk px-3`}>
      <span className="text-center text-copper">+</span>
      <input
        aria-label="Name of a new tag"
        placeholder="New tag"
        value={name}
        spellCheck={false}
        onChange={(e) => {
          setName(e.target.value);
          setProblem(undefined);
        }}
        onKeyDown={(e) => e.stopPropagation()}
        className="h-7 rounded border border-edge bg-sheet px-2 font-semibold outline-none focus:border-copper"
      />
      <span className="truncate px-1 font-mono text-[12px] text-soft" title={type}>
        {name && type}
      </span>
      <span className="px-1 font-mono text-[12px] text-soft">{name && !type.startsWith('ARRAY') && guess.address}</span>
      <span className="px-1 font-mono text-[12px] text-soft">{name && guess.wiring}</span>
      <span
        className={`col-span-3 truncate ${problem ? 'text-bad' : 'text-faint'}`}
        role={problem ? 'alert' : undefined}
      >
        {problem ??
          (many
            ? `${many} tags, their addresses one after the other · Enter keeps`
            : name
              ? said.type || said.address
                ? 'Enter keeps'
                : 'guessed from the name · Enter keeps'
              : 'Valve01..50 · Recipe[1..50] · Speed : INT %QW')}
      </span>
    </form>
  );
}
