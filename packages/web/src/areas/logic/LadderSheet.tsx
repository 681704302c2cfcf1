/**
 * The rungs of a program: a cursor moves along them, typing inserts, every key has a command. Only rungs in sight are
 * drawn.
 */
import { defaultRangeExtractor, useVirtualizer } from '@tanstack/react-virtual';
import { useShallow } from 'zustand/react/shallow';
import { type KeyboardEvent, useCallback, useEffect, useLayoutEffect, useMemo, useRef, useState } from 'react';
import { flushSync } from 'react-dom';
import { useNavigate, useParams, useSearchParams } from 'react-router';
import { type Cursor, type RungEdit, editRung, runRange } from '@ferrule/core/ladder';
import type { Edit, RungText, Tag } from '@ferrule/core/document';
import { type OwnTypes, newNames, type Pins, pinsOf } from '@ferrule/core/workspace';
import { LINT_RULES } from '@ferrule/core/language';
import { useBench } from '../../bench/live.js';
import type { ProblemNote, TagFacts } from '../../bench/protocol.js';
import { useDesk } from '../../components/desk.js';
import { useFixes } from '../../components/fixes.js';
import { helpTopic } from '../../components/help-topic.js';
import { RungView } from '../../components/ladder/RungView.js';
import { modelOf } from '../../components/ladder/rung-model.js';
import { useDocument } from '../../document/store.js';
import { EditStrip } from './EditStrip.js';
import { TypedHere } from './TypedHere.js';
import { RungThere, useAtController } from '../../components/at-controller.js';
import { OwnToggle, OwnVariables } from './OwnVariables.js';
import { FixButtons } from '../../components/FixButtons.js';
import { RungRow } from './RungRow.js';
import { useRowHeights } from './row-heights.js';
import { commandOf, useSheet } from './commands.js';
import { useStops } from '../../components/asking.js';
import { type Drop, type Ladder, rungOfLine, together } from './sheet-edits.js';
import { sectionsOf, groupByRung } from './sections.js';
import { EmptySheet } from './EmptySheet.js';
import { clipboardOf, isField } from './sheet-clipboard.js';
import { useSheetHands } from './sheet-hands.js';
import { movement } from './sheet-movement.js';
import type { Position, Sheet, Typing } from './sheet.js';
import { commandsOn } from './sheet-commands.js';
import { typingOn } from './sheet-typing.js';

const NO_TAGS = {};

const NO_PROBLEMS: readonly ProblemNote[] = [];

/** Pins of the project's own blocks by type; those of the library are known by their look. */
function useOwnPins(): (type: string) => Pins | undefined {
  // The same as before while the blocks are: a change of a rung asks for no new pins.
  const blocks = useDocument(useShallow((s) => (s.project?.pous ?? []).filter((p) => p.kind === 'functionBlock')));
  return useMemo(() => {
    const names = new Set(blocks.map((p) => p.name.toLowerCase()));
    const project = useDocument.getState().project;
    return (type) => (project && names.has(type.toLowerCase()) ? pinsOf(project, type) : undefined);
  }, [blocks]);
}

export function LadderSheet({ pou }: { readonly pou: Ladder }) {
  const globals = useBench((s) => s.checked?.tags) ?? NO_TAGS;
  const own = useBench((s) => s.checked?.locals[pou.name.toLowerCase()]);
  const tags: Readonly<Record<string, TagFacts>> = useMemo(
    () => (own ? { ...globals, ...own.variables } : globals),
    [globals, own],
  );
  const ownTypes: OwnTypes = useMemo(
    () => new Map(Object.entries(own?.variables ?? {}).map(([name, v]) => [name.toLowerCase(), v.type])),
    [own],
  );
  const problems = useBench((s) => s.checked?.problems) ?? NO_PROBLEMS;
  const declaredList = useDocument((s) => s.project?.tags) ?? [];
  const edit = useDocument((s) => s.edit);
  const desk = useDesk();
  const declared = useMemo(
    () => new Map<string, Tag>(declaredList.map((t) => [t.name.toLowerCase(), t])),
    [declaredList],
  );
  const [placed, setPosition] = useState<Position>({ rung: 0, element: 0 });
  // Rungs may go by undo or in another window; the cursor stays on one that is there.
  const position: Position =
    placed.rung < pou.rungs.length || !pou.rungs.length ? placed : { rung: pou.rungs.length - 1, element: 0 };
  const [typing, setTyping] = useState<Typing>();
  const [heading, setHeading] = useState<string>();
  const [comment, setComment] = useState<string>();
  const [said, setSaid] = useState<string>();
  const [ownOpen, setOwnOpen] = useState(false);
  const [rungDrop, setRungDrop] = useState<number>();
  const [drop, setDrop] = useState<Drop & { readonly rung: string }>();
  const scroller = useRef<HTMLDivElement>(null);
  const unseen = useRef<{ readonly rung: number; readonly align: 'center' | 'auto' }>(undefined);
  const width = useWidth(scroller) - 44 - 26;
  const { showAddress, showDescription } = desk;
  const under = useCallback(
    (tag: string) => {
      const t = declared.get(tag.toLowerCase());
      return (
        Number(t?.standsFor !== undefined || (showAddress && t?.address !== undefined)) +
        Number(showDescription && t?.description !== undefined)
      );
    },
    [declared, showAddress, showDescription],
  );
  const pins = useOwnPins();
  const models = useMemo(
    () => pou.rungs.map((r) => modelOf(r, tags, width, { own, under, pins })),
    [pou.rungs, tags, width, own, under, pins],
  );
  const perRung = useMemo(() => groupByRung(problems), [problems]);
  const sections = useMemo(() => sectionsOf(pou.rungs, desk.folded), [pou.rungs, desk.folded]);
  const { rows } = sections;
  const navigate = useNavigate();
  const { id: projectId } = useParams();

  const at = useAtController();
  const { keyOfRow, heightOfRow } = useRowHeights(pou.rungs, models, rows, sections.folded);
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    overscan: 4,
    getItemKey: keyOfRow,
    // The row of the cursor is always there: what is typed stands on it.
    rangeExtractor: (range) => {
      const at = rows.indexOf(position.rung),
        seen = defaultRangeExtractor(range);
      return at < 0 || seen.includes(at) ? seen : [...seen, at].sort((a, b) => a - b);
    },
    estimateSize: heightOfRow,
  });

  const current: RungText | undefined = pou.rungs[position.rung];
  const model = models[position.rung];
  const count = model?.nodes.length ?? 0;
  const element = Math.min(position.element, Math.max(0, count - 1));
  const to = position.to === undefined ? undefined : Math.min(position.to, Math.max(0, count - 1));
  const cursor: Cursor = { element, ...(to !== undefined ? { to } : {}) };
  const node = model?.nodes[element];
  // What a run really holds is what is shown as chosen.
  const held = current && to !== undefined ? runRange(current.line, cursor) : undefined;

  const focus = useCallback(() => scroller.current?.focus({ preventScroll: true }), []);
  /** `stays`: what was picked by the pointer is in sight, and must not move away under it. */
  const goTo = useCallback(
    (p: Position, stays = false) => {
      const rung = Math.max(0, Math.min(pou.rungs.length - 1, p.rung));
      setPosition({ ...p, rung, element: Math.max(0, p.element) });
      setSaid(undefined);
      const row = rows.indexOf(rung);
      if (stays) return;
      if (row >= 0) virtual.scrollToIndex(row, { align: 'auto' });
      else unseen.current = { rung, align: 'center' };
    },
    [pou.rungs.length, rows, virtual],
  );
  // What was folded away or not made yet when it was asked for is gone to once it is there.
  useEffect(() => {
    const wanted = unseen.current,
      row = wanted ? rows.indexOf(wanted.rung) : -1;
    if (wanted && row >= 0) {
      unseen.current = undefined;
      virtual.scrollToIndex(row, { align: wanted.align });
    }
  }, [rows]);

  useJumps(pou, goTo, focus, (rung) => desk.set({ folded: desk.folded.filter((f) => f !== sections.headOf(rung)) }));

  const change = (e: Edit): boolean => {
    setSaid(undefined);
    return edit(e);
  };
  const toRung = (line: string, at: Cursor): void => {
    if (current) change({ kind: 'changeRung', pou: pou.id, id: current.id, to: { line } });
    setPosition({ rung: position.rung, ...at });
  };
  const perform = (e: RungEdit, extra: readonly Edit[] = []): string | undefined => {
    if (!current) return 'There is no rung here.';
    const r = editRung(current.line, cursor, e);
    if ('refused' in r) return r.refused;
    change(
      together('Edit a rung', [{ kind: 'changeRung', pou: pou.id, id: current.id, to: { line: r.line } }, ...extra]),
    );
    setPosition({ rung: position.rung, ...r.cursor });
    return undefined;
  };
  // An empty comment or heading that nobody writes in any more goes.
  useEffect(() => {
    setComment((c) => (c === current?.id ? c : undefined));
    setHeading((h) => (h === current?.id ? h : undefined));
  }, [current?.id]);
  // What was said of an edit is over once that is taken back.
  const undone = useDocument((s) => s.redoStack.length);
  useEffect(() => setSaid(undefined), [undone]);
  const leave = () => {
    setTyping(undefined);
    focus();
  };
  const isKnown = (name: string) =>
    name in tags ||
    declared.has(name) ||
    useDocument.getState().project?.pous.some((p) => p.name.toLowerCase() === name) === true;
  const note = (line: string) =>
    desk.used([...line.matchAll(/[A-Za-z_]\w*/g)].map((m) => m[0]).filter((n) => declared.has(n.toLowerCase())));

  const rungRange = (): [number, number] => [
    Math.min(position.rung, position.rungTo ?? position.rung),
    Math.max(position.rung, position.rungTo ?? position.rung),
  ];

  const deleteRungs = () => {
    if (!current) return;
    const [from, last] = rungRange();
    change(
      together(
        'Delete rungs',
        pou.rungs.slice(from, last + 1).map((r): Edit => ({ kind: 'removeRung', pou: pou.id, id: r.id })),
      ),
    );
    goTo({ rung: Math.min(from, pou.rungs.length - (last - from + 1) - 1), element: 0 });
  };
  const chosenRungs = position.rungTo !== undefined;
  const sheet: Sheet = {
    pou,
    rows,
    models,
    ownTypes,
    current,
    model,
    node,
    count,
    position,
    cursor,
    element,
    to,
    typing,
    chosenRungs,
    unseen,
    setPosition,
    setTyping,
    setSaid,
    goTo,
    change,
    perform,
    toRung,
    leave,
    isKnown,
    note,
    rungRange,
    deleteRungs,
  };
  const { keepTyped, throwAway, commitLine } = typingOn(sheet),
    clipboard = clipboardOf(sheet),
    { onCopy, paste } = clipboard;
  const problemsHere = current ? (perRung.get(current.id) ?? NO_PROBLEMS) : NO_PROBLEMS;
  const found = problemsHere.find((p) => p.element === element) ?? problemsHere[0];
  const write = (part: 'comment' | 'heading') => {
    if (!current) return;
    // At once, so that no letter typed behind it is taken for a command.
    flushSync(() => (part === 'comment' ? setComment(current.id) : setHeading(current.id)));
    scroller.current
      ?.querySelector<HTMLElement>(
        `[aria-label="${part === 'comment' ? 'Comment of' : 'Heading above'} rung ${position.rung + 1}"]`,
      )
      ?.focus();
  };
  const { command, foldSection, fixProblem } = commandsOn(sheet, {
    tags,
    declared,
    sections,
    clipboard,
    found,
    projectId,
    navigate,
    write,
  });
  const foundFixes = useFixes(found?.severity === 'error' ? undefined : found);
  useEffect(() => {
    useSheet.setState({
      perform: (c) => {
        focus();
        command(c);
      },
      where: `pou=${pou.id}${current ? `&rung=${current.id}&element=${element}` : ''}`,
    });
    return () => useSheet.setState({ perform: undefined, where: undefined });
  });

  const stops = useStops(projectId);
  const stopAt = useMemo(
    () =>
      new Map(
        stops.filter((s) => s.kind === 'rung').map((s) => [s.rung!, s.isOn ? ('on' as const) : ('off' as const)]),
      ),
    [stops],
  );

  const onKey = (e: KeyboardEvent) => {
    if (e.target !== e.currentTarget) {
      if (e.key === 'Enter' || e.key === 'Escape') requestAnimationFrame(focus);
      return;
    }
    if (e.key === 'Escape') {
      // A field that the key before has opened, and that has not got the keys yet, is left too.
      setTyping(undefined);
      goTo({ rung: position.rung, element });
      return;
    }
    const next = movement(sheet, e);
    if (next) {
      e.preventDefault();
      goTo(next);
      return;
    }
    const c = commandOf(e);
    // The browser's own copy, cut and paste events follow these keys; they carry the clipboard without asking.
    if (c === 'copy' || c === 'cut' || c === 'paste') return;
    if (c) {
      e.preventDefault();
      command(c);
    } else if (e.key === 'Backspace' && !e.ctrlKey) {
      e.preventDefault();
      command('delete');
    } else if (!e.ctrlKey && !e.metaKey && !e.altKey && e.key.length === 1 && /[A-Za-z_!^(%]/.test(e.key)) {
      e.preventDefault();
      setTyping(
        !current
          ? { kind: 'line', initial: e.key, fresh: 0 }
          : model?.layout
            ? { kind: 'element', edit: to !== undefined ? 'replace' : 'insertAfter', initial: e.key, original: '' }
            : { kind: 'line', initial: current.line + e.key },
      );
    }
  };

  const { onGrabRung, hands } = useSheetHands(sheet, scroller, { focus, command, setDrop, setRungDrop });

  const block = node?.kind === 'call' ? (node.type ?? tags[node.name.toLowerCase()]?.block) : undefined;
  const nodeKind = node?.kind === 'contact' || node?.kind === 'coil' ? `${node.kind}-${node.mode}` : node?.kind;
  // With what is drawn, not some time after it: F1 right behind a click is about what was clicked.
  useLayoutEffect(() => {
    helpTopic.setState({
      topic:
        found && LINT_RULES.some((r) => r.code === found.code)
          ? { tab: 'rules', page: found.code }
          : block
            ? { tab: 'blocks', page: block }
            : nodeKind
              ? { tab: 'elements', page: nodeKind }
              : { tab: 'line' },
    });
    return () => helpTopic.setState({ topic: undefined });
  }, [found, block, nodeKind]);

  const preview = (line: string) => {
    const drawn = rungOfLine(line).line,
      facts = withNew(tags, drawn, isKnown, ownTypes);
    const m = modelOf({ id: '', line: drawn }, facts, width - 24, { own, pins });
    return m.layout ? (
      <RungView id="" label="The rung as typed" model={m} tags={facts} declared={declared} />
    ) : undefined;
  };
  return (
    <div className="flex h-full min-h-0 flex-col">
      <EditStrip node={node} onCommand={command} own={<OwnToggle pou={pou} isOpen={ownOpen} onOpen={setOwnOpen} />} />
      {ownOpen && <OwnVariables pou={pou} />}
      <div
        ref={scroller}
        tabIndex={0}
        role="application"
        data-home=""
        aria-label={`Rungs of ${pou.name}`}
        onKeyDown={onKey}
        onCopy={(e) => onCopy(e, false)}
        onCut={(e) => onCopy(e, true)}
        onPaste={(e) => {
          if (!isField(e.target)) {
            e.preventDefault();
            paste(e.clipboardData.getData('text/plain'));
          }
        }}
        className="relative min-h-0 flex-1 overflow-x-auto overflow-y-auto bg-sheet outline-none focus-visible:shadow-[inset_2px_0_0_var(--copper)]"
      >
        {!pou.rungs.length && (
          <EmptySheet
            pou={pou}
            isKnown={isKnown}
            own={ownTypes}
            typing={typing}
            onNew={() => command('newRung')}
            onCommit={commitLine}
            onAway={keepTyped}
            onLeave={throwAway}
            preview={preview}
          />
        )}
        <div style={{ height: virtual.getTotalSize() }} className="relative">
          {virtual.getVirtualItems().map((item) => {
            const k = rows[item.index]!;
            const r = pou.rungs[k];
            if (!r) return null;
            const here = k === position.rung,
              differs = at?.byKey.get(`pous/${pou.id}/rungs/${r.id}`);
            const dropped = drop?.rung === r.id ? drop : undefined;
            const shown = dropped
              ? modelOf({ id: r.id, line: dropped.line }, tags, width, { own, under, pins })
              : models[k]!;
            const input = here && typing ? <TypedHere sheet={sheet} typing={typing} preview={preview} /> : undefined;
            return (
              <div
                key={r.id}
                ref={virtual.measureElement}
                data-index={item.index}
                data-rung={k}
                style={{ transform: `translateY(${item.start}px)`, zIndex: input ? 20 : undefined }}
                className="absolute top-0 left-0 w-full"
              >
                <RungRow
                  number={k + 1}
                  rung={r}
                  model={shown}
                  isCurrent={here}
                  isChosen={chosenRungs && k >= rungRange()[0] && k <= rungRange()[1]}
                  folded={sections.folded.get(k)}
                  stop={stopAt.get(r.id)}
                  typesHeading={heading === r.id}
                  typesComment={comment === r.id}
                  onFix={(n) => {
                    goTo({
                      rung: k,
                      element: (perRung.get(r.id) ?? []).find((p) => p.severity === 'error')?.element ?? 0,
                    });
                    focus();
                    void fixProblem(
                      (perRung.get(r.id) ?? []).find((p) => p.severity === 'error'),
                      n,
                    );
                  }}
                  onGrab={(e) => onGrabRung(k, e)}
                  mark={
                    rungDrop === k ? 'above' : rungDrop === k + 1 && k === pou.rungs.length - 1 ? 'below' : undefined
                  }
                  onMend={() => {
                    goTo({ rung: k, element: 0 }, true);
                    setTyping({ kind: 'line', initial: r.line });
                  }}
                  onFold={() => {
                    foldSection(r.id);
                    focus();
                  }}
                  onHeading={(text) => {
                    setHeading(undefined);
                    change({ kind: 'changeRung', pou: pou.id, id: r.id, to: { heading: text || null } });
                  }}
                  onPick={(n, extend) => {
                    goTo(extend ? { ...position, rungTo: k } : { rung: k, element: n, rungTo: k }, true);
                    focus();
                  }}
                  onComment={(text) => {
                    setComment(undefined);
                    change({ kind: 'changeRung', pou: pou.id, id: r.id, to: { comment: text || null } });
                  }}
                  problems={perRung.get(r.id) ?? NO_PROBLEMS}
                  input={input}
                  inputAt={typing?.kind === 'line' ? undefined : models[k]?.layout?.boxes[element]}
                >
                  <div className={dropped ? 'rounded-md outline-2 outline-offset-2 outline-copper outline-dashed' : ''}>
                    <RungView
                      id={r.id}
                      label={`Rung ${k + 1}`}
                      model={shown}
                      tags={tags}
                      declared={declared}
                      problems={dropped ? NO_PROBLEMS : (perRung.get(r.id) ?? NO_PROBLEMS)}
                      selected={dropped ? dropped.element : here && !chosenRungs ? (held?.from ?? element) : undefined}
                      selectedTo={here && !dropped ? (held?.to ?? to) : undefined}
                      hands={hands}
                    />
                  </div>
                  {at && differs && <RungThere at={at} difference={differs} tags={tags} room={width - 14} />}
                </RungRow>
              </div>
            );
          })}
        </div>
      </div>
      <p
        role="status"
        className={
          said || (found && found.severity !== 'error')
            ? 'flex shrink-0 items-center gap-2 border-t border-edge bg-sunk px-3 py-1 text-[12px] text-copper-ink'
            : 'sr-only'
        }
      >
        {said ?? (found && found.severity !== 'error' ? found.message : '')}
        {said === undefined && found && found.severity !== 'error' && (
          <FixButtons fixes={foundFixes} hasKeys onFix={(n) => void fixProblem(found, n)} />
        )}
      </p>
    </div>
  );
}

/** Names that the line would declare count as declared while it is drawn. */
function withNew(
  tags: Readonly<Record<string, TagFacts>>,
  line: string,
  isKnown: (name: string) => boolean,
  own: OwnTypes,
): Readonly<Record<string, TagFacts>> {
  const { project } = useDocument.getState();
  const made = project ? newNames(project, line, isKnown, own) : [];
  return made.length
    ? {
        ...tags,
        ...Object.fromEntries(
          made.map(({ name, type }) => [
            name.toLowerCase(),
            {
              type: type ?? '',
              ...(type !== undefined && project && pinsOf(project, type).size ? { block: type } : {}),
            },
          ]),
        ),
      }
    : tags;
}

/** How wide the last sheet was: the next one begins so, and rungs laid out for it are laid out already. */
let lastWidth = 760;

function useWidth(ref: { readonly current: HTMLElement | null }): number {
  const [width, setWidth] = useState(lastWidth);
  useEffect(() => {
    if (!ref.current) return;
    const o = new ResizeObserver(([e]) => setWidth((lastWidth = Math.floor(e!.contentRect.width))));
    o.observe(ref.current);
    return () => o.disconnect();
  }, [ref]);
  return width;
}

/** Follows `?rung=…&element=…` of links from problems, uses and checks; a folded section opens for it. */
function useJumps(pou: Ladder, goTo: (p: Position) => void, focus: () => void, unfold: (rung: number) => void) {
  const [search] = useSearchParams();
  const rung = search.get('rung'),
    element = Number(search.get('element') ?? 0),
    nonce = search.get('n');
  useEffect(() => {
    const at = pou.rungs.findIndex((r) => r.id === rung);
    if (at >= 0) {
      unfold(at);
      goTo({ rung: at, element });
      focus();
    }
  }, [rung, element, nonce, pou.id]);
  // Who is naming the program just made goes on doing so.
  useEffect(() => {
    if (!document.activeElement || !isField(document.activeElement)) focus();
  }, [pou.id, focus]);
}
