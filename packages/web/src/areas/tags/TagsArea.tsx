/** Tags: the list, edited where it stands, with live values; where the chosen one is used. */
import { type FormEvent, useEffect, useMemo, useRef, useState, type KeyboardEvent } from 'react';
import { useVirtualizer } from '@tanstack/react-virtual';
import { Link, useParams, useSearchParams } from 'react-router';
import { type Tag, type Use, compile, deviceKind, guessTag, renameTag } from '@ferrule/core';
import { benchLive, useBench, useForced, useLook, useValue } from '../../bench/live.js';
import type { ProblemNote } from '../../bench/protocol.js';
import { Button, EditInPlace, ForceMark } from '../../components/ui.js';
import { valueText } from '../../components/values.js';
import { newId, useDocument } from '../../document/store.js';

const NONE: readonly never[] = [];
const COLUMNS = 'grid grid-cols-[18px_minmax(110px,1.1fr)_82px_80px_44px_122px_minmax(60px,2fr)_40px] items-center gap-x-1 min-[1200px]:grid-cols-[18px_minmax(130px,1.1fr)_104px_92px_58px_134px_minmax(140px,2fr)_48px] min-[1200px]:gap-x-2';
const ROW = 30;

export function TagsArea() {
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
    return f ? tags.filter((t) => `${t.name} ${t.type} ${t.address ?? ''} ${t.description ?? ''}`.toLowerCase().includes(f)) : tags;
  }, [tags, find]);
  const virtual = useVirtualizer({ count: shown.length, getScrollElement: () => scroller.current, estimateSize: () => ROW, overscan: 12, getItemKey: (i) => shown[i]!.id });
  const problemsOf = useMemo(() => new Map(problems.flatMap((p): [string, ProblemNote][] => (p.origin.kind === 'tag' ? [[p.origin.id, p]] : []))), [problems]);
  useEffect(() => { const i = shown.findIndex((t) => t.id === chosen?.id); if (i >= 0) virtual.scrollToIndex(i); }, [chosen?.id]);

  const choose = (t: Tag) => setSearch({ tag: t.id }, { replace: true });
  const remove = (t: Tag) => {
    const mine = uses?.[t.name.toLowerCase()] ?? [];
    if (mine.length) setMessage({ text: `‘${t.name}’ is used in ${mine.length} place${mine.length > 1 ? 's' : ''} and stays. Take it out there first:`, uses: mine });
    else { setMessage(undefined); useDocument.getState().edit({ kind: 'removeTag', id: t.id }); }
  };
  const count = (f: (t: Tag) => boolean) => tags.filter(f).length;
  return (
    <div className="grid h-full min-h-0 grid-cols-[minmax(0,1fr)_210px] min-[1200px]:grid-cols-[minmax(0,1fr)_290px]">
      <section aria-label="Tags" className="flex min-h-0 min-w-0 flex-col gap-2 p-3">
        <div className="flex items-center gap-3">
          <input type="search" value={find} onChange={(e) => setFind(e.target.value)} aria-label="Find tags" placeholder="Find by name, type, address, words…" className="h-8 w-72 rounded-md border border-edge bg-sheet px-3 outline-none focus:border-copper" />
          <span className="text-soft">{find ? `${shown.length} of ${tags.length}` : `Inputs ${count((t) => !!t.address?.startsWith('%I'))} · Outputs ${count((t) => !!t.address?.startsWith('%Q'))} · Inside ${count((t) => !/^%[IQ]/.test(t.address ?? ''))}`}</span>
        </div>
        {message && (
          <div role="alert" className="rounded-md bg-bad-soft px-3 py-1.5 text-bad">
            {message.text} <UseLinks uses={message.uses} /> <button className="ml-2 underline" onClick={() => setMessage(undefined)}>Close</button>
          </div>
        )}
        <div role="table" aria-label="Tags" aria-rowcount={shown.length} className="flex min-h-0 flex-1 flex-col overflow-hidden rounded-xl border border-edge bg-sheet">
          <div role="row" className={`${COLUMNS} h-8 shrink-0 border-b border-edge px-3 text-[12px] text-soft`}>
            {['', 'Name', 'Type', 'Address', 'Wiring', 'Now', 'Description', 'Used'].map((h) => <span key={h} role="columnheader" className="px-1">{h}</span>)}
          </div>
          <div ref={scroller} className="min-h-0 flex-1 overflow-y-auto" style={{ scrollbarGutter: 'stable' }}>
            {!shown.length && <p className="px-4 py-3 text-soft">{tags.length ? 'Nothing fits.' : 'No tags yet. Type the first one below.'}</p>}
            <div style={{ height: virtual.getTotalSize() }} className="relative">
              {virtual.getVirtualItems().map((i) => {
                const t = shown[i.index]!;
                return <div key={t.id} style={{ transform: `translateY(${i.start}px)`, height: ROW }} className="absolute top-0 w-full"><TagRow tag={t} isChosen={t === chosen} problem={problemsOf.get(t.id)} used={uses?.[t.name.toLowerCase()]?.length ?? 0} onChoose={() => choose(t)} /></div>;
              })}
            </div>
          </div>
          <NewTag tags={tags} />
        </div>
      </section>
      <aside aria-label="Chosen tag" className="min-h-0 overflow-y-auto border-l border-edge bg-sunk p-4">
        {chosen ? <Details tag={chosen} uses={uses?.[chosen.name.toLowerCase()] ?? NONE} problem={problemsOf.get(chosen.id)} onRemove={() => remove(chosen)} /> : <p className="text-soft">Choose a tag to see where it is used, to force it or to delete it.</p>}
      </aside>
    </div>
  );
}

function TagRow({ tag, isChosen, problem, used, onChoose }: { readonly tag: Tag; readonly isChosen: boolean; readonly problem: ProblemNote | undefined; readonly used: number; readonly onChoose: () => void }) {
  const edit = useDocument((s) => s.edit);
  const change = (to: Partial<Tag>) => edit({ kind: 'changeTag', id: tag.id, to });
  const optional = (text: string) => (text || null) as unknown as string;
  const mark = tag.address?.startsWith('%I') ? 'bg-input' : tag.address?.startsWith('%Q') ? 'bg-copper' : 'bg-edge';
  return (
    <div role="row" aria-label={tag.name} aria-selected={isChosen} onFocus={onChoose} onPointerDown={onChoose} className={`${COLUMNS} h-full border-b border-edge px-3 ${isChosen ? 'bg-glow/60' : ''} ${problem ? 'shadow-[inset_3px_0_0_var(--bad)]' : ''}`} title={problem?.message}>
      <span className={`mx-auto h-3 w-1.5 rounded-full ${mark}`} title={tag.address?.startsWith('%I') ? 'input' : tag.address?.startsWith('%Q') ? 'output' : 'inside'} />
      <EditInPlace value={tag.name} label={`Name of ${tag.name}`} className="font-semibold" onCommit={(name) => rename(tag, name)} />
      <EditInPlace mono value={tag.type} label={`Type of ${tag.name}`} onCommit={(type) => change({ type })} />
      <EditInPlace mono value={tag.address ?? ''} label={`Address of ${tag.name}`} onCommit={(address) => change({ address: optional(address) })} />
      {tag.address?.startsWith('%IX') ? (
        <button className="rounded px-1 text-left font-mono text-[12px] hover:bg-edge/50" aria-label={`Wiring of ${tag.name}: ${tag.wiring ?? 'not stated'}`} title={tag.wiring === 'NC' ? 'closed at rest: 1 at rest' : 'open at rest: 0 at rest'} onClick={() => change({ wiring: tag.wiring === 'NC' ? 'NO' : 'NC' })}>{tag.wiring ?? '–'}</button>
      ) : <span />}
      <Now tag={tag} />
      <EditInPlace value={tag.description ?? ''} label={`Description of ${tag.name}`} className="text-soft" onCommit={(description) => change({ description: optional(description) })} />
      <span className={`text-right ${used ? '' : 'text-faint'}`}>{used}</span>
    </div>
  );
}

/** Everywhere at once: the declaration and every use, undone as one. */
function rename(tag: Tag, to: string): void {
  const { project, edit } = useDocument.getState();
  if (!project || !to || to === tag.name) return;
  if (!/^[A-Za-z_]\w*$/.test(to)) { useDocument.setState({ refused: `‘${to}’ is not a name: letters, digits and underscores, a letter first.` }); return; }
  if (project.tags.some((t) => t !== tag && t.name.toLowerCase() === to.toLowerCase())) { useDocument.setState({ refused: `There is a tag ‘${to}’ already.` }); return; }
  edit(renameTag(project, compile([{ kind: 'project', name: 'project', project }]), tag, to));
}

/** Whether a device of the machine drives the tag. */
function useIsWired(name: string): boolean {
  const devices = useDocument((s) => s.project?.machine.devices);
  return useMemo(() => (devices ?? []).some((d) => Object.entries(d.wires ?? {}).some(([terminal, to]) => to.toLowerCase() === name.toLowerCase() && deviceKind(d.type)?.terminals.some((t) => t.direction === 'out' && t.name.toLowerCase() === terminal.toLowerCase()))), [devices, name]);
}

function Now({ tag }: { readonly tag: Tag }) {
  const facts = useBench((s) => s.checked?.tags[tag.name.toLowerCase()]);
  const path = /^(TON|TOF|TP)/.test(facts?.block ?? '') ? `${tag.name}.ET` : /^CT/.test(facts?.block ?? '') ? `${tag.name}.CV` : tag.name;
  useLook([path]);
  const value = useValue(path);
  const forced = useForced(tag.name);
  const isBool = typeof value === 'boolean';
  // What the machine or a coil writes in every scan is forced, not toggled.
  const isWired = useIsWired(tag.name);
  const isDriven = isWired || tag.address?.startsWith('%Q');
  const type = path.endsWith('.ET') ? 'TIME' : facts?.type;
  return (
    <span className="flex items-center gap-1.5 font-mono text-[12px]">
      {isBool && !isDriven ? (
        <button aria-label={`Toggle ${tag.name}`} className={`h-6 w-8 rounded border text-center ${value ? 'border-copper bg-glow font-semibold text-copper-ink' : 'border-edge'}`} onClick={() => benchLive.event({ kind: 'write', path, value: value ? '0' : '1' })}>{value ? 1 : 0}</button>
      ) : isBool ? <span className={`px-2.5 ${value ? 'font-semibold text-copper-ink' : ''}`}>{value ? 1 : 0}</span>
        : <ValueInput path={path} label={`Value of ${tag.name}`} text={valueText(value, type)} />}
      {tag.unit && <span className="text-faint">{tag.unit}</span>}
      {tag.wiring === 'NC' && isBool && <span className="text-[10.5px] text-faint">{value ? 'closed' : 'open'}</span>}
      {forced !== undefined && <ForceMark value={forced} />}
    </span>
  );
}

/** A value takes effect at the next scan, running or not. */
function ValueInput({ path, label, text }: { readonly path: string; readonly label: string; readonly text: string }) {
  const [typed, setTyped] = useState<string>();
  const commit = () => { if (typed !== undefined && typed !== text) benchLive.event({ kind: 'write', path, value: typed }); setTyped(undefined); };
  const onKey = (e: KeyboardEvent<HTMLInputElement>) => { e.stopPropagation(); if (e.key === 'Enter') { commit(); e.currentTarget.blur(); } if (e.key === 'Escape') setTyped(undefined); };
  return <input aria-label={label} value={typed ?? text} onChange={(e) => setTyped(e.target.value)} onKeyDown={onKey} onBlur={() => setTyped(undefined)} className="w-20 rounded-sm border border-transparent bg-transparent px-1 hover:border-edge focus:border-copper focus:bg-sheet focus:outline-none" />;
}

function NewTag({ tags }: { readonly tags: readonly Tag[] }) {
  const [name, setName] = useState('');
  const [problem, setProblem] = useState<string>();
  const guess = guessTag(name, tags);
  const submit = (e: FormEvent) => {
    e.preventDefault();
    if (!/^[A-Za-z_]\w*$/.test(name)) { setProblem('A name has letters, digits and underscores, a letter first.'); return; }
    if (tags.some((t) => t.name.toLowerCase() === name.toLowerCase())) { setProblem(`There is a tag ‘${name}’ already.`); return; }
    useDocument.getState().edit({ kind: 'addTag', tag: { id: newId('t'), name, ...guess } });
    setName('');
    setProblem(undefined);
  };
  return (
    <form onSubmit={submit} className={`${COLUMNS} h-9 shrink-0 border-t border-edge bg-sunk px-3`}>
      <span className="text-center text-copper">+</span>
      <input aria-label="Name of a new tag" placeholder="New tag" value={name} spellCheck={false} onChange={(e) => { setName(e.target.value); setProblem(undefined); }} onKeyDown={(e) => e.stopPropagation()} className="h-7 rounded border border-edge bg-sheet px-2 font-semibold outline-none focus:border-copper" />
      <span className="px-1 font-mono text-[12px] text-soft">{name && guess.type}</span><span className="px-1 font-mono text-[12px] text-soft">{name && guess.address}</span><span className="px-1 font-mono text-[12px] text-soft">{name && guess.wiring}</span>
      <span className={`col-span-3 truncate ${problem ? 'text-bad' : 'text-faint'}`} role={problem ? 'alert' : undefined}>{problem ?? (name ? 'guessed from the name · Enter keeps' : 'type a name and Enter')}</span>
    </form>
  );
}

function UseLinks({ uses }: { readonly uses: readonly Use[] }) {
  const { id } = useParams();
  return <>{uses.map((u, i) => <Link key={i} className="mr-2 underline" to={u.rungId ? `/projects/${id}/logic?pou=${u.pouId}&rung=${u.rungId}` : u.pouId ? `/projects/${id}/logic?pou=${u.pouId}` : `/projects/${id}/machine`}>{u.place}</Link>)}</>;
}

function Details({ tag, uses, problem, onRemove }: { readonly tag: Tag; readonly uses: readonly Use[]; readonly problem: ProblemNote | undefined; readonly onRemove: () => void }) {
  const { id } = useParams();
  const value = useValue(tag.name);
  const force = (v: string | undefined) => benchLive.event(v === undefined ? { kind: 'force', path: tag.name } : { kind: 'force', path: tag.name, value: v });
  return (
    <div className="flex flex-col gap-3">
      <h2 className="text-[15px] font-semibold">{tag.name}</h2>
      {tag.description && <p className="-mt-2 text-soft">{tag.description}</p>}
      {problem && <p role="note" className="rounded-md bg-bad-soft px-2 py-1 text-bad">{problem.message}</p>}
      <div className="flex flex-wrap gap-1.5">
        {typeof value === 'boolean' && <><Button onClick={() => force('1')}>Force on</Button><Button onClick={() => force('0')}>Force off</Button><Button onClick={() => force(undefined)}>Release</Button></>}
        <Button look="danger" onClick={onRemove}>Delete</Button>
      </div>
      <h3 className="font-semibold">Where used · {uses.length}</h3>
      {!uses.length && <p className="text-soft">Nowhere.</p>}
      <ul>
        {uses.map((u, i) => (
          <li key={i} className="flex justify-between border-b border-edge py-1">
            <Link className="hover:text-copper-ink hover:underline" to={u.rungId ? `/projects/${id}/logic?pou=${u.pouId}&rung=${u.rungId}` : u.pouId ? `/projects/${id}/logic?pou=${u.pouId}` : `/projects/${id}/machine`}>{u.place}</Link>
            <span className={u.isWrite ? 'font-medium text-copper-ink' : 'text-soft'}>{u.place.startsWith('Machine') ? 'wired' : u.isWrite ? 'written' : 'read'}</span>
          </li>
        ))}
      </ul>
    </div>
  );
}
