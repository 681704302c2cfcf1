/** Tags: the list, edited where it stands, with live values; where the chosen one is used. */
import { TabList } from '../../components/tabs.js';
import { type FormEvent, useEffect, useMemo, useRef, useState } from 'react';
import { later } from '../../components/later.js';
import { useVirtualizer } from '@tanstack/react-virtual';
import { Link, useParams, useSearchParams } from 'react-router';
import type { Changes, Difference, Edit, Tag } from '@ferrule/core/document';
import {
  type RungInstance,
  type Use,
  addressFor,
  compile,
  guessTag,
  readNewTag,
  renameTag,
  seriesNames,
  seriesTags,
} from '@ferrule/core/workspace';
import { tagsToCsv } from '@ferrule/core/files';
import { askBench, benchLive, useBench, useValue } from '../../bench/live.js';
import type { ProblemNote } from '../../bench/protocol.js';
import { askWhy } from '../../components/asking.js';
import { grab } from '../../components/drag.js';
import { InstanceNow, Now } from '../../components/Now.js';
import { useTypeChoices } from '../../components/types.js';
import { Button, Cell, EditInPlace } from '../../components/ui.js';
import { saveAs } from '../../components/save-as.js';
import { DraftStrip, TagThere, useAtController } from '../../components/at-controller.js';
import { newId, useDocument } from '../../document/store.js';
import { addressOfUse } from '../../shell/place.js';
import { ImportTags } from './ImportTags.js';

const TypesView = later(() => import('./TypesView.js').then((m) => m.TypesView));
const MemoryView = later(() => import('./MemoryView.js').then((m) => m.MemoryView));

const NONE: readonly never[] = [];
const COLUMNS =
  'grid grid-cols-[18px_minmax(110px,1.1fr)_82px_80px_44px_122px_minmax(60px,2fr)_40px] items-center gap-x-1 min-[1200px]:grid-cols-[18px_minmax(130px,1.1fr)_104px_92px_58px_134px_minmax(140px,2fr)_48px] min-[1200px]:gap-x-2';
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

/** A row of the list: a tag, an instance that a rung declares, or a member of one that is opened. */
type Row =
  | { readonly kind: 'tag'; readonly tag: Tag }
  | { readonly kind: 'instance'; readonly instance: RungInstance }
  | {
      readonly kind: 'member';
      readonly path: string;
      readonly name: string;
      readonly type: string;
      readonly hasMembers: boolean;
      readonly depth: number;
    };
type Members = Readonly<
  Record<
    string,
    readonly { readonly path: string; readonly name: string; readonly type: string; readonly hasMembers: boolean }[]
  >
>;

/** What is opened, with its members: asked of the bench once a path is opened, and again when the program changes. */
function useMembers(): { readonly members: Members; readonly toggle: (path: string) => void } {
  const [open, setOpen] = useState<readonly string[]>([]);
  const [members, setMembers] = useState<Members>({});
  const generation = useBench((s) => s.frame?.generation);
  useEffect(() => {
    let isOn = true;
    void Promise.all(open.map(async (path) => [path, (await askBench('members', { path })) ?? []] as const)).then(
      (list) => {
        if (isOn) setMembers(Object.fromEntries(list));
      },
    );
    return () => {
      isOn = false;
    };
  }, [open, generation]);
  return {
    members,
    toggle: (path) =>
      setOpen((o) =>
        o.includes(path)
          ? o.filter((x) => x !== path && !x.startsWith(`${path}.`) && !x.startsWith(`${path}[`))
          : [...o, path],
      ),
  };
}

function rowsOf(tags: readonly Tag[], instances: readonly RungInstance[], members: Members): Row[] {
  const below = (path: string, depth: number): Row[] =>
    (members[path] ?? []).flatMap((m): Row[] => [{ kind: 'member', ...m, depth }, ...below(m.path, depth + 1)]);
  return [
    ...tags.flatMap((tag): Row[] => [{ kind: 'tag', tag }, ...below(tag.name, 1)]),
    ...instances.flatMap((instance): Row[] => [
      { kind: 'instance', instance },
      ...(instance.path === undefined ? [] : below(instance.path, 1)),
    ]),
  ];
}
/** An instance by the name that its values are read by, or the place of its declaration. */
const nameOf = (i: RungInstance): string => i.path ?? `${i.pou}.${i.name}`;

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
      new Map(problems.flatMap((p): [string, ProblemNote][] => (p.origin.kind === 'tag' ? [[p.origin.id, p]] : []))),
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
  return (
    <div className="grid h-full min-h-0 grid-cols-[minmax(0,1fr)_210px] min-[1200px]:grid-cols-[minmax(0,1fr)_290px]">
      <section aria-label="Tags" onPaste={onPaste} onCopy={onCopy} className="flex min-h-0 min-w-0 flex-col gap-2 p-3">
        <div className="flex items-center gap-3">
          <input
            type="search"
            value={find}
            onChange={(e) => setFind(e.target.value)}
            aria-label="Find tags"
            placeholder="Find by name, type, address, words…"
            className="h-8 w-72 rounded-md border border-edge bg-sheet px-3 outline-none focus:border-copper"
          />
          <span className="text-soft">
            {find
              ? `${shown.length + shownInstances.length} of ${tags.length + instances.length}`
              : `Inputs ${count((t) => !!t.address?.startsWith('%I'))} · Outputs ${count((t) => !!t.address?.startsWith('%Q'))} · Inside ${count((t) => !/^%[IQ]/.test(t.address ?? ''))}${instances.length ? ` · On rungs ${instances.length}` : ''}`}
          </span>
          <span className="flex-1" />
          <Button onClick={() => setTaking('')}>Import rows</Button>
          <Button onClick={() => saveAs('tags.csv', tagsToCsv(tags), 'text/csv')}>Save as CSV</Button>
        </div>
        {taking !== undefined && <ImportTags start={taking} onClose={() => setTaking(undefined)} />}
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

function TagRow({
  tag,
  isChosen,
  problem,
  differs,
  used,
  isOpen,
  onToggle,
  onChoose,
}: {
  readonly tag: Tag;
  readonly isChosen: boolean;
  readonly problem: ProblemNote | undefined;
  /** How it is at the controller, where that is otherwise. */ readonly differs: Difference | undefined;
  readonly used: number;
  readonly isOpen: boolean;
  readonly onToggle: () => void;
  readonly onChoose: () => void;
}) {
  const edit = useDocument((s) => s.edit),
    types = useTypeChoices();
  const change = (to: Changes<Tag>) => edit({ kind: 'changeTag', id: tag.id, to });
  const optional = (text: string) => text || null;
  const mark = tag.address?.startsWith('%I') ? 'bg-input' : tag.address?.startsWith('%Q') ? 'bg-copper' : 'bg-edge';
  return (
    <div
      role="row"
      aria-label={tag.name}
      aria-selected={isChosen}
      onFocus={onChoose}
      onPointerDown={(e) => {
        onChoose();
        if (!(e.target as HTMLElement).closest('input, button')) grab(e, () => ({ text: tag.name, tag: tag.name }));
      }}
      onKeyDownCapture={(e) => {
        if (e.key === 'F4') {
          e.preventDefault();
          void askWhy(tag.name);
        }
      }}
      className={`${COLUMNS} h-full border-b border-edge px-3 ${isChosen ? 'bg-glow/60' : ''} ${problem ? 'shadow-[inset_3px_0_0_var(--bad)]' : ''}`}
      title={problem?.message}
    >
      <Cell>
        {SIMPLE.test(tag.type) ? (
          <span
            className={`mx-auto block h-3 w-1.5 rounded-full ${mark}`}
            title={tag.address?.startsWith('%I') ? 'input' : tag.address?.startsWith('%Q') ? 'output' : 'inside'}
          />
        ) : (
          <Opener name={tag.name} isOpen={isOpen} onToggle={onToggle} />
        )}
      </Cell>
      <Cell>
        <span className="flex items-center gap-1">
          <EditInPlace
            value={tag.name}
            label={`Name of ${tag.name}`}
            className="font-semibold"
            onCommit={(name) => rename(tag, name)}
          />
          {differs && (
            <span
              className="rounded bg-glow px-1 text-[11px] text-copper-ink"
              title={`At the controller: ${differs.before ?? 'is not there'}`}
            >
              {differs.before === undefined ? 'new' : 'differs'}
            </span>
          )}
        </span>
      </Cell>
      <Cell>
        {tag.standsFor ? (
          <span className="block truncate px-1 font-mono text-[12px] text-soft" title={`stands for ${tag.standsFor}`}>
            = {tag.standsFor}
          </span>
        ) : (
          <EditInPlace
            mono
            value={tag.type}
            label={`Type of ${tag.name}`}
            choices={types}
            onCommit={(type) => change({ type })}
          />
        )}
      </Cell>
      <Cell>
        <EditInPlace
          mono
          value={tag.address ?? ''}
          label={`Address of ${tag.name}`}
          onCommit={(text) => putAddress(tag, text)}
        />
      </Cell>
      <Cell>
        {tag.address?.startsWith('%IX') ? (
          <button
            className="rounded px-1 text-left font-mono text-[12px] hover:bg-edge/50"
            aria-label={`Wiring of ${tag.name}: ${tag.wiring ?? 'not stated'}`}
            title={tag.wiring === 'NC' ? 'closed at rest: 1 at rest' : 'open at rest: 0 at rest'}
            onClick={() => change({ wiring: tag.wiring === 'NC' ? 'NO' : 'NC' })}
          >
            {tag.wiring ?? '–'}
          </button>
        ) : null}
      </Cell>
      <Cell>
        <TagNow tag={tag} />
      </Cell>
      <Cell>
        <EditInPlace
          value={tag.description ?? ''}
          label={`Description of ${tag.name}`}
          className="text-soft"
          onCommit={(description) => change({ description: optional(description) })}
        />
      </Cell>
      <span role="cell" className={`text-right ${used ? '' : 'text-faint'}`}>
        {used}
      </span>
    </div>
  );
}

/**
 * The address as typed, or the next free one; what cannot be is said and not stored, since one wrong address stops the
 * whole project.
 */
async function putAddress(tag: Tag, text: string): Promise<string | undefined> {
  const { project, edit } = useDocument.getState();
  if (!project) return undefined;
  const to: Edit = { kind: 'changeTag', id: tag.id, to: { address: null } };
  if (!text) {
    edit(to);
    return undefined;
  }
  const others = project.tags.filter((t) => t.id !== tag.id),
    at = addressFor(text, tag.type, others, project.modules);
  if ('refused' in at) return at.refused;
  const put: Edit = { ...to, to: { address: at.address } };
  const [wrong] = (await askBench('errorsOf', { edit: put, tag: tag.id })) ?? [];
  if (wrong === undefined) {
    edit(put);
    return undefined;
  }
  const free = addressFor(text.replace(/\d.*$/, ''), tag.type, others, project.modules);
  return `${wrong} Nothing was changed.${'address' in free ? ` The next free one is ${free.address}.` : ''}`;
}

/** Everywhere at once: the declaration and every use, undone as one. */
function rename(tag: Tag, to: string): void {
  const { project, edit } = useDocument.getState();
  if (!project || !to || to === tag.name) return;
  if (!/^[A-Za-z_]\w*$/.test(to)) {
    useDocument.setState({ refused: `‘${to}’ is not a name: letters, digits and underscores, a letter first.` });
    return;
  }
  if (project.tags.some((t) => t !== tag && t.name.toLowerCase() === to.toLowerCase())) {
    useDocument.setState({ refused: `There is a tag ‘${to}’ already.` });
    return;
  }
  edit(renameTag(project, compile([{ kind: 'project', name: 'project', project }]), tag, to));
}

const SIMPLE = /^(BOOL|S?INT|DINT|LINT|U?S?INT|UDINT|ULINT|L?REAL|L?TIME|L?DATE|L?TOD|L?DT|W?CHAR|W?STRING.*)$/i;

function Opener({
  name,
  isOpen,
  onToggle,
}: {
  readonly name: string;
  readonly isOpen: boolean;
  readonly onToggle: () => void;
}) {
  return (
    <button
      aria-expanded={isOpen}
      aria-label={`Members of ${name}`}
      onClick={onToggle}
      className="-ml-2 grid h-7 w-7 place-items-center rounded text-soft hover:bg-edge/40"
    >
      {isOpen ? '▾' : '▸'}
    </button>
  );
}

/** An instance that a rung declares where it stands; it is changed there. */
function InstanceRow({
  instance: i,
  isOpen,
  onToggle,
}: {
  readonly instance: RungInstance;
  readonly isOpen: boolean;
  readonly onToggle: () => void;
}) {
  const { id } = useParams();
  return (
    <div role="row" aria-label={nameOf(i)} className={`${COLUMNS} h-full border-b border-edge px-3`}>
      <Cell>{i.path !== undefined && <Opener name={i.path} isOpen={isOpen} onToggle={onToggle} />}</Cell>
      <Cell className="truncate px-1 font-semibold">{nameOf(i)}</Cell>
      <Cell className="truncate px-1 font-mono text-[12px]">{i.type}</Cell>
      <Cell />
      <Cell />
      <Cell>
        <InstanceNow instance={i} />
      </Cell>
      <Cell className="truncate px-1">
        <Link
          className="text-soft hover:text-copper-ink hover:underline"
          to={`/projects/${id}/logic?pou=${i.pouId}&rung=${i.rungId}`}
        >
          declared on {i.pou} rung {i.rung}
        </Link>
      </Cell>
      <Cell />
    </div>
  );
}

function MemberRow({
  row,
  isOpen,
  onToggle,
}: {
  readonly row: Row & { readonly kind: 'member' };
  readonly isOpen: boolean;
  readonly onToggle: () => void;
}) {
  const force = (value: string | undefined) =>
    benchLive.event(value === undefined ? { kind: 'force', path: row.path } : { kind: 'force', path: row.path, value });
  return (
    <div role="row" aria-label={row.path} className={`${COLUMNS} h-full border-b border-edge bg-sunk/40 px-3`}>
      <Cell />
      <span role="cell" className="flex min-w-0 items-center" style={{ paddingLeft: row.depth * 14 }}>
        {row.hasMembers ? <Opener name={row.path} isOpen={isOpen} onToggle={onToggle} /> : <span className="w-5" />}
        <span className="truncate font-mono text-[12px]" title={row.path}>
          {row.name}
        </span>
      </span>
      <Cell className="truncate px-1 font-mono text-[12px] text-soft">{row.type}</Cell>
      <Cell />
      <Cell />
      <Cell>
        <Now path={row.path} type={row.type} label={row.path} />
      </Cell>
      <span role="cell" className="flex gap-1">
        {row.type === 'BOOL' && (
          <>
            <Button look="quiet" tight aria-label={`Force ${row.path} on`} onClick={() => force('1')}>
              Force on
            </Button>
            <Button look="quiet" tight aria-label={`Force ${row.path} off`} onClick={() => force('0')}>
              Off
            </Button>
            <Button look="quiet" tight aria-label={`Release ${row.path}`} onClick={() => force(undefined)}>
              Release
            </Button>
          </>
        )}
      </span>
      <Cell />
    </div>
  );
}

function TagNow({ tag }: { readonly tag: Tag }) {
  const facts = useBench((s) => s.checked?.tags[tag.name.toLowerCase()]);
  const path = /^(TON|TOF|TP)/.test(facts?.block ?? '')
    ? `${tag.name}.ET`
    : /^CT/.test(facts?.block ?? '')
      ? `${tag.name}.CV`
      : tag.name;
  return (
    <Now
      path={path}
      type={path.endsWith('.ET') ? 'TIME' : facts?.type}
      label={tag.name}
      isOutput={!!tag.address?.startsWith('%Q')}
      unit={tag.unit}
      wiring={tag.wiring}
    />
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

function UseLinks({ uses }: { readonly uses: readonly Use[] }) {
  const { id } = useParams();
  return (
    <>
      {uses.map((u, i) => (
        <Link key={i} className="mr-2 underline" to={addressOfUse(u, id ?? '')}>
          {u.place}
        </Link>
      ))}
    </>
  );
}

function Details({
  tag,
  uses,
  problem,
  onRemove,
}: {
  readonly tag: Tag;
  readonly uses: readonly Use[];
  readonly problem: ProblemNote | undefined;
  readonly onRemove: () => void;
}) {
  const { id } = useParams();
  const value = useValue(tag.name);
  const force = (v: string | undefined) =>
    benchLive.event(v === undefined ? { kind: 'force', path: tag.name } : { kind: 'force', path: tag.name, value: v });
  return (
    <div className="flex flex-col gap-3">
      <h2 className="text-[15px] font-semibold">{tag.name}</h2>
      {tag.description && <p className="-mt-2 text-soft">{tag.description}</p>}
      {problem && (
        <p role="note" className="rounded-md bg-bad-soft px-2 py-1 text-bad">
          {problem.message}
        </p>
      )}
      <div className="flex flex-wrap gap-1.5">
        {typeof value === 'boolean' && (
          <>
            <Button onClick={() => force('1')}>Force on</Button>
            <Button onClick={() => force('0')}>Force off</Button>
            <Button onClick={() => force(undefined)}>Release</Button>
          </>
        )}
        <Button look="danger" onClick={onRemove}>
          Delete
        </Button>
      </div>
      <TagThere id={tag.id} />
      <Facts tag={tag} />
      <h3 className="font-semibold">Where used · {uses.length}</h3>
      {!uses.length && <p className="text-soft">Nowhere.</p>}
      <ul>
        {uses.map((u, i) => (
          <li key={i} className="flex justify-between border-b border-edge py-1">
            <Link className="hover:text-copper-ink hover:underline" to={addressOfUse(u, id ?? '')}>
              {u.place}
            </Link>
            <span className={u.isWrite ? 'font-medium text-copper-ink' : 'text-soft'}>
              {u.place.startsWith('Machine') ? 'wired' : u.isWrite ? 'written' : 'read'}
            </span>
          </li>
        ))}
      </ul>
    </div>
  );
}

/** What is stated of a tag beside its row. */
function Facts({ tag }: { readonly tag: Tag }) {
  const edit = useDocument((s) => s.edit);
  const change = (to: Record<string, unknown>) => edit({ kind: 'changeTag', id: tag.id, to: to as Partial<Tag> });
  const text = (
    field: 'initial' | 'unit' | 'range' | 'valueNames' | 'stop' | 'modbus' | 'standsFor',
    label: string,
    placeholder: string,
  ) => (
    <label className="contents">
      <span className="text-soft">{label}</span>
      <EditInPlace
        mono
        value={tag[field] ?? ''}
        label={`${label} of ${tag.name}`}
        placeholder={placeholder}
        onCommit={(v) => change({ [field]: v || null })}
      />
    </label>
  );
  return (
    <div className="grid grid-cols-[86px_minmax(0,1fr)] items-center gap-x-2 gap-y-0.5">
      {text('standsFor', 'Stands for', 'a tag or Status.3')}
      {text('initial', 'Initial', '0')}
      {text('unit', 'Unit', 'mm, °C …')}
      {text('range', 'Range', '0..100')}
      {(tag.valueNames !== undefined || /^U?[SDL]?INT$/i.test(tag.type)) &&
        text('valueNames', 'Values', '0 Idle, 10 Fill')}
      {(tag.stop !== undefined || /^%Q/i.test(tag.address ?? '')) && text('stop', 'At stop', 'off')}
      <span className="text-soft">Keeps</span>
      <span className="flex gap-3">
        <label className="flex items-center gap-1">
          <input
            type="checkbox"
            className="accent-copper"
            checked={tag.retain ?? false}
            onChange={(e) => change({ retain: e.target.checked || null })}
          />
          retained
        </label>
        <label className="flex items-center gap-1">
          <input
            type="checkbox"
            className="accent-copper"
            checked={tag.constant ?? false}
            onChange={(e) => change({ constant: e.target.checked || null })}
          />
          constant
        </label>
      </span>
      <label className="contents">
        <span className="text-soft">Access</span>
        <select
          value={tag.access ?? ''}
          aria-label={`Access to ${tag.name}`}
          onChange={(e) => change({ access: e.target.value || null })}
          className="h-7 rounded border border-edge bg-sheet px-1"
        >
          <option value="">none from outside</option>
          <option value="read">others read it</option>
          <option value="write">others read and write it</option>
        </select>
      </label>
      {(tag.modbus !== undefined || tag.access) && text('modbus', 'Modbus', 'by its address')}
    </div>
  );
}
