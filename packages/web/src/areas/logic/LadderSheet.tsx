/** The rungs of a program: a cursor moves along them, typing inserts, every key has a button. Only rungs in sight are drawn. */
import { useVirtualizer } from '@tanstack/react-virtual';
import { type ReactNode, useCallback, useEffect, useMemo, useRef, useState, type KeyboardEvent } from 'react';
import { useSearchParams } from 'react-router';
import { type Edit, type ProjectPou, type RungEdit, type RungText, type Tag, LINT_RULES, Problems, editRung, makeSource, parseRungLine } from '@ferrule/core';
import { benchLive, useBench } from '../../bench/live.js';
import type { ProblemNote, TagFacts } from '../../bench/protocol.js';
import { helpTopic } from '../../components/help-topic.js';
import { EditSentence } from '../../components/ui.js';
import { newId, useDocument } from '../../document/store.js';
import { EditStrip, RungActions } from './EditStrip.js';
import { ElementInput } from './ElementInput.js';
import { RungView } from '../../components/ladder/RungView.js';
import { type RungModel, modelOf, nodeText } from '../../components/ladder/rung-model.js';

type Ladder = ProjectPou & { readonly language: 'LD' };
export interface Position { readonly rung: number; readonly element: number }
type Typing = { readonly kind: 'element'; readonly edit: 'insertAfter' | 'insertBefore' | 'replace' | 'addLeg'; readonly initial: string } | { readonly kind: 'line'; readonly initial: string; readonly fresh?: boolean };

export type Command = Exclude<RungEdit['kind'], 'insertAfter' | 'insertBefore' | 'replace' | 'addLeg' | 'retag'> | 'insert' | 'change' | 'leg' | 'line' | 'newRung' | 'deleteRung' | 'forceOn' | 'forceOff' | 'release';

const NO_TAGS = {};
const NO_PROBLEMS: readonly ProblemNote[] = [];

export function LadderSheet({ pou }: { readonly pou: Ladder }) {
  const tags = useBench((s) => s.checked?.tags) ?? NO_TAGS;
  const problems = useBench((s) => s.checked?.problems) ?? NO_PROBLEMS;
  const declaredList = useDocument((s) => s.project?.tags) ?? [];
  const edit = useDocument((s) => s.edit);
  const declared = useMemo(() => new Map<string, Tag>(declaredList.map((t) => [t.name.toLowerCase(), t])), [declaredList]);
  const [position, setPosition] = useState<Position>({ rung: 0, element: 0 });
  const [typing, setTyping] = useState<Typing>();
  const [said, setSaid] = useState<string>();
  const scroller = useRef<HTMLDivElement>(null);
  const width = useWidth(scroller) - 44 - 26;
  const models = useMemo(() => pou.rungs.map((r) => modelOf(r, tags, width)), [pou.rungs, tags, width]);
  const perRung = useMemo(() => groupByRung(problems), [problems]);

  const virtual = useVirtualizer({
    count: pou.rungs.length, getScrollElement: () => scroller.current, overscan: 4, getItemKey: (i) => pou.rungs[i]!.id,
    estimateSize: (i) => (models[i]?.layout?.height ?? 60) + 16 + (pou.rungs[i]!.comment ? 22 : 0) + (pou.rungs[i]!.heading ? 34 : 0),
  });

  const current: RungText | undefined = pou.rungs[position.rung];
  const model = models[position.rung];
  const count = model?.nodes.length ?? 0;
  const element = Math.min(position.element, Math.max(0, count - 1));
  const node = model?.nodes[element];

  const focus = useCallback(() => scroller.current?.focus({ preventScroll: true }), []);
  const goTo = useCallback((p: Position) => {
    const rung = Math.max(0, Math.min(pou.rungs.length - 1, p.rung));
    setPosition({ rung, element: Math.max(0, p.element) });
    setSaid(undefined);
    virtual.scrollToIndex(rung, { align: 'auto' });
  }, [pou.rungs.length, virtual]);

  useJumps(pou, goTo, focus);

  const change = (e: Edit): boolean => { setSaid(undefined); return edit(e); };
  const perform = (e: RungEdit): string | undefined => {
    if (!current) return 'There is no rung here.';
    const r = editRung(current.line, { element }, e);
    if ('refused' in r) return r.refused;
    change({ kind: 'changeRung', pou: pou.id, id: current.id, to: { line: r.line } });
    setPosition({ rung: position.rung, element: r.cursor.element });
    return undefined;
  };
  const leave = () => { setTyping(undefined); focus(); };

  const commitElement = (text: string): string | undefined => {
    if (typing?.kind !== 'element') return undefined;
    const refused = perform({ kind: typing.edit, text });
    if (!refused) leave();
    return refused;
  };
  const commitLine = (text: string): string | undefined => {
    if (typing?.kind !== 'line') return undefined;
    const wrong = lineProblem(text);
    if (wrong) return wrong;
    if (typing.fresh || !current) {
      const at = current ? position.rung + 1 : 0;
      change({ kind: 'addRung', pou: pou.id, rung: { id: newId('r'), line: text }, at });
      setPosition({ rung: at, element: 0 });
      requestAnimationFrame(() => virtual.scrollToIndex(at, { align: 'auto' }));
    } else if (text !== current.line) change({ kind: 'changeRung', pou: pou.id, id: current.id, to: { line: text } });
    leave();
    return undefined;
  };

  const force = (value: string | undefined) => {
    if (node && 'tag' in node) benchLive.event(value === undefined ? { kind: 'force', path: node.tag } : { kind: 'force', path: node.tag, value });
    else setSaid('Only a tag can be forced: choose a contact or a coil.');
  };

  const command = (c: Command): void => {
    setSaid(undefined);
    switch (c) {
      case 'insert': setTyping({ kind: 'element', edit: 'insertAfter', initial: '' }); return;
      case 'change': if (node && current) setTyping({ kind: 'element', edit: 'replace', initial: nodeText(current.line, node) }); else if (current) setTyping({ kind: 'line', initial: current.line }); return;
      case 'leg': setTyping({ kind: 'element', edit: 'addLeg', initial: '' }); return;
      case 'line': if (current) setTyping({ kind: 'line', initial: current.line }); return;
      case 'newRung': setTyping({ kind: 'line', initial: '', fresh: true }); return;
      case 'deleteRung':
        if (current) { change({ kind: 'removeRung', pou: pou.id, id: current.id }); goTo({ rung: Math.min(position.rung, pou.rungs.length - 2), element: 0 }); }
        return;
      case 'forceOn': force('1'); return;
      case 'forceOff': force('0'); return;
      case 'release': force(undefined); return;
      default: setSaid(perform({ kind: c } as RungEdit));
    }
  };

  const onKey = (e: KeyboardEvent) => {
    if (e.target !== e.currentTarget || e.altKey) return;
    const control = e.ctrlKey || e.metaKey;
    const move: Record<string, Position> = {
      ArrowLeft: { rung: position.rung, element: element - 1 }, ArrowRight: { rung: position.rung, element: Math.min(count - 1, element + 1) },
      ArrowUp: { rung: position.rung - 1, element: 0 }, ArrowDown: { rung: position.rung + 1, element: 0 }, Home: { rung: position.rung, element: 0 }, End: { rung: position.rung, element: count - 1 },
    };
    const keys: Record<string, Command> = { Enter: 'change', '/': 'negate', '*': 'edge', '+': 'latch', '|': 'leg', Delete: e.shiftKey ? 'deleteRung' : 'delete', Backspace: 'delete', ';': 'line', Insert: 'newRung', '1': 'forceOn', '0': 'forceOff', '.': 'release' };
    if (move[e.key] && !control) { e.preventDefault(); goTo(move[e.key]!); }
    else if (keys[e.key] && !control) { e.preventDefault(); command(keys[e.key]!); }
    else if (!control && e.key.length === 1 && /[A-Za-z_!^(%]/.test(e.key)) { e.preventDefault(); setTyping({ kind: 'element', edit: 'insertAfter', initial: e.key }); }
  };

  const mine = current ? perRung.get(current.id) ?? NO_PROBLEMS : NO_PROBLEMS;
  const found = mine.find((p) => p.element === element) ?? mine[0];
  const block = node?.kind === 'call' ? (node.type ?? (tags as Readonly<Record<string, TagFacts | undefined>>)[node.name.toLowerCase()]?.block) : undefined;
  useEffect(() => {
    helpTopic.setState({ topic: found && LINT_RULES.some((r) => r.code === found.code) ? { tab: 'rules', page: found.code } : block ? { tab: 'blocks', page: block } : { tab: 'line' } });
    return () => helpTopic.setState({ topic: undefined });
  }, [found, block]);
  return (
    <div className="flex h-full min-h-0 flex-col">
      <EditStrip node={node} onCommand={command} said={said ?? mine.find((p) => p.element === element)?.message ?? mine[0]?.message} isError={said !== undefined || mine.some((p) => p.severity === 'error')} />
      <div
        ref={scroller} tabIndex={0} role="application" aria-label={`Rungs of ${pou.name}`} onKeyDown={onKey}
        className="relative min-h-0 flex-1 overflow-x-auto overflow-y-auto bg-sheet outline-none focus-visible:shadow-[inset_2px_0_0_var(--copper)]"
      >
        {!pou.rungs.length && <EmptySheet typing={typing} onNew={() => command('newRung')} onCommit={commitLine} onLeave={leave} />}
        <div style={{ height: virtual.getTotalSize() }} className="relative">
          {virtual.getVirtualItems().map((item) => {
            const r = pou.rungs[item.index]!;
            const here = item.index === position.rung;
            return (
              <div key={r.id} ref={virtual.measureElement} data-index={item.index} style={{ transform: `translateY(${item.start}px)` }} className="absolute top-0 left-0 w-full">
                <RungRow
                  number={item.index + 1} rung={r} model={models[item.index]!} isCurrent={here} onCommand={command} onPick={(n) => { goTo({ rung: item.index, element: n }); focus(); }}
                  onComment={(comment) => change({ kind: 'changeRung', pou: pou.id, id: r.id, to: { comment } as Partial<RungText> })} problems={perRung.get(r.id) ?? NO_PROBLEMS}
                  input={here && typing ? (
                    typing.kind === 'line'
                      ? <ElementInput key="line" wide label={typing.fresh ? 'New rung as a line' : 'Rung as a line'} initial={typing.initial} onCommit={commitLine} onLeave={leave} />
                      : <ElementInput key={typing.edit} label={{ insertAfter: 'New element', insertBefore: 'New element', replace: 'Element', addLeg: 'New leg' }[typing.edit]} initial={typing.initial} onCommit={commitElement} onLeave={leave} />
                  ) : undefined}
                  inputAt={typing?.kind === 'line' ? undefined : models[item.index]?.layout?.boxes[element]}
                >
                  <RungView id={r.id} label={`Rung ${item.index + 1}`} model={models[item.index]!} tags={tags} declared={declared} problems={perRung.get(r.id) ?? NO_PROBLEMS} selected={here ? element : undefined} onSelect={(n) => { goTo({ rung: item.index, element: n }); focus(); requestAnimationFrame(focus); }} onOpen={() => command('change')} />
                </RungRow>
              </div>
            );
          })}
        </div>
      </div>
    </div>
  );
}

/** What the parser says of a line, with the column; undefined when it is a rung. */
function lineProblem(text: string): string | undefined {
  const problems = new Problems();
  const parsed = parseRungLine(makeSource('', text, { kind: 'rung', pouId: '', pou: '', rungId: '', number: 0 }), problems);
  const d = problems.list[0];
  return parsed ? undefined : `Column ${(d?.at.start ?? 0) + 1}: ${d?.message ?? 'this is not a rung.'}`;
}

function groupByRung(problems: readonly ProblemNote[]): Map<string, ProblemNote[]> {
  const map = new Map<string, ProblemNote[]>();
  for (const p of problems) if (p.origin.kind === 'rung') map.set(p.origin.rungId, [...(map.get(p.origin.rungId) ?? []), p]);
  return map;
}

function useWidth(ref: { readonly current: HTMLElement | null }): number {
  const [width, setWidth] = useState(760);
  useEffect(() => {
    if (!ref.current) return;
    const o = new ResizeObserver(([e]) => setWidth(Math.floor(e!.contentRect.width)));
    o.observe(ref.current);
    return () => o.disconnect();
  }, [ref]);
  return width;
}

/** Follows `?rung=…&element=…` of links from problems, uses and checks. */
function useJumps(pou: Ladder, goTo: (p: Position) => void, focus: () => void) {
  const [search] = useSearchParams();
  const rung = search.get('rung'), element = Number(search.get('element') ?? 0);
  useEffect(() => {
    const at = pou.rungs.findIndex((r) => r.id === rung);
    if (at >= 0) { goTo({ rung: at, element }); focus(); }
  }, [rung, element, pou.id]);
  useEffect(focus, [pou.id, focus]);
}

function EmptySheet({ typing, onNew, onCommit, onLeave }: { readonly typing: Typing | undefined; readonly onNew: () => void; readonly onCommit: (t: string) => string | undefined; readonly onLeave: () => void }) {
  return (
    <div className="p-6 text-soft">
      {typing ? <ElementInput wide label="New rung as a line" initial="" onCommit={onCommit} onLeave={onLeave} /> : (
        <p>No rungs yet. <button className="font-medium text-copper-ink underline" onClick={onNew}>Write the first one</button>, for example <code className="font-mono text-[12px]">(StartPB | Running) &amp; StopOK -&gt; Running</code></p>
      )}
    </div>
  );
}

interface RowProps {
  readonly number: number; readonly rung: RungText; readonly model: RungModel; readonly isCurrent: boolean; readonly problems: readonly ProblemNote[]; readonly children: ReactNode;
  readonly onCommand: (c: Command) => void; readonly onPick: (element: number) => void; readonly onComment: (text: string) => void; readonly input: ReactNode; readonly inputAt: { readonly x: number; readonly width: number; readonly wireY: number } | undefined;
}

function RungRow({ number, rung, model, isCurrent, problems, children, onCommand, onPick, onComment, input, inputAt }: RowProps) {
  const error = problems.find((p) => p.severity === 'error');
  return (
    <div className="border-b border-edge">
      {rung.heading && <h3 className="border-b border-edge bg-sunk px-3 py-1.5 text-[12.5px] font-semibold">{rung.heading}</h3>}
      <div className="flex">
        <button tabIndex={-1} aria-label={`Rung ${number}`} onClick={() => onPick(0)} className={`flex w-11 shrink-0 justify-center border-r border-edge pt-2 font-mono text-[12px] ${isCurrent ? 'bg-glow font-semibold text-copper-ink' : 'bg-sunk text-faint'} ${error ? 'shadow-[inset_3px_0_0_var(--bad)]' : ''}`}>{number}</button>
        <div className="min-w-0 flex-1 px-3 pt-1 pb-1.5">
          {(rung.comment || isCurrent) && (
            <div className="flex items-start">
              <span className="-ml-1 min-w-0 flex-1 text-soft"><EditSentence value={rung.comment ?? ''} label={`Comment of rung ${number}`} placeholder="comment" onCommit={onComment} /></span>
              {isCurrent && <RungActions onCommand={onCommand} />}
            </div>
          )}
          <div className="relative">
            {model.layout ? children : (
              <div className="py-2">
                <code className="font-mono text-[12.5px]">{rung.line}</code>
                <p className="text-bad">{model.problem ? `Column ${model.problem.at + 1}: ${model.problem.message}` : ''}</p>
              </div>
            )}
            {input && <div className="absolute z-20" style={inputAt ? { left: Math.max(0, inputAt.x + inputAt.width / 2 - 20), top: inputAt.wireY - 16 } : { left: 0, right: 0, top: (model.layout?.height ?? 40) - 8 }}>{input}</div>}
          </div>
          {error && <p role="note" className="pb-1 text-[12px] text-bad">{error.message}</p>}
        </div>
      </div>
    </div>
  );
}
