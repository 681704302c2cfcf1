/**
 * The rungs of a program: a cursor moves along them, typing inserts, every key has a command. Only rungs in sight are
 * drawn.
 */
import { defaultRangeExtractor, useVirtualizer } from '@tanstack/react-virtual';
import { useShallow } from 'zustand/react/shallow';
import { type KeyboardEvent, type PointerEvent, useCallback, useEffect, useMemo, useRef, useState } from 'react';
import { flushSync } from 'react-dom';
import { useNavigate, useParams, useSearchParams } from 'react-router';
import { type Cursor, type RungEdit, editRung, runRange, splitOutputs, textToRungs } from '@ferrule/core/ladder';
import type { Edit, RungText, Tag } from '@ferrule/core/document';
import { type OwnTypes, newNames, type Pins, pinsOf, splitEdit } from '@ferrule/core/workspace';
import { LINT_RULES } from '@ferrule/core/language';
import { askBench, benchLive, useBench } from '../../bench/live.js';
import type { ProblemNote, TagFacts } from '../../bench/protocol.js';
import { useDesk } from '../../components/desk.js';
import { askPalette } from '../../components/palette.js';
import { openSide } from '../../components/folds.js';
import { fixesOf, useFixes } from '../../components/fixes.js';
import { helpTopic } from '../../components/help-topic.js';
import { type RungHands, RungView } from '../../components/ladder/RungView.js';
import { modelOf, nodeText } from '../../components/ladder/rung-model.js';
import { newId, useDocument } from '../../document/store.js';
import { jumpTo } from '../../shell/place.js';
import { EditStrip } from './EditStrip.js';
import { openFind } from './FindBar.js';
import { TypedHere } from './TypedHere.js';
import { RungThere, useAtController } from '../../components/at-controller.js';
import { OwnToggle, OwnVariables } from './OwnVariables.js';
import { FixButtons, RungRow } from './RungRow.js';
import { useRowHeights } from './row-heights.js';
import { BY_KEY, type Command, keyOf, useSheet } from './commands.js';
import { askWhy, toggleStop, useStops } from '../../components/asking.js';
import { grab } from '../../components/drag.js';
import { type Drop, type Ladder, copyRungs, moveRungsTo, rungOfLine, runText, together } from './sheet-edits.js';
import { useUses } from './uses.js';
import { type Over, watchDrag, watchRungDrag } from './dragging.js';
import { sectionsOf, groupByRung } from './sections.js';
import { EmptySheet } from './EmptySheet.js';
import { clipboardOf, isField, NO_CLIPBOARD } from './sheet-clipboard.js';
import { movement } from './sheet-movement.js';
import type { Position, Sheet, Typing } from './sheet.js';
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
  const over = useRef<Over>(undefined);
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

  const force = (value: string | undefined) => {
    if (node && 'tag' in node && model)
      benchLive.event(
        value === undefined
          ? { kind: 'force', path: model.pathOf(node.tag) }
          : { kind: 'force', path: model.pathOf(node.tag), value },
      );
    else setSaid('Only a tag can be forced: choose a contact or a coil.');
  };
  const nameHere = node && 'tag' in node ? node.tag : node?.kind === 'call' ? node.name : undefined;
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
  const moveRungs = (by: number) => {
    const [from, last] = rungRange();
    if (from + by < 0 || last + by >= pou.rungs.length) {
      setSaid(by < 0 ? 'It is the first rung already.' : 'It is the last rung already.');
      return;
    }
    const moved = pou.rungs[by < 0 ? from - 1 : last + 1]!;
    // The neighbour goes to the other side: one move, however many are chosen.
    change({ kind: 'moveRung', pou: pou.id, id: moved.id, to: by < 0 ? last : from });
    goTo({
      ...position,
      rung: position.rung + by,
      ...(position.rungTo !== undefined ? { rungTo: position.rungTo + by } : {}),
    });
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
    { takeOut, copy, onCopy, paste } = clipboardOf(sheet);

  const replaceWith = (text: string) => setTyping({ kind: 'element', edit: 'replace', initial: text, original: text });
  const command = (c: Command): void => {
    setSaid(undefined);
    switch (c) {
      case 'insert':
        setTyping({ kind: 'element', edit: 'insertAfter', initial: '', original: '' });
        return;
      case 'insertFront':
        setTyping({ kind: 'element', edit: 'insertBefore', initial: '', original: '' });
        return;
      case 'change':
        if (current && position.rungTo === position.rung) setTyping({ kind: 'line', initial: current.line });
        else if (node && current && (to === undefined || to === element)) replaceWith(nodeText(current.line, node));
        else if (current && to !== undefined) replaceWith(runText(current.line, cursor) ?? '');
        else if (current) setTyping({ kind: 'line', initial: current.line });
        else setTyping({ kind: 'line', initial: '', fresh: 0 });
        return;
      case 'leg':
        setTyping({ kind: 'element', edit: 'addLeg', initial: '', original: '' });
        return;
      case 'line':
        if (current) setTyping({ kind: 'line', initial: current.line });
        return;
      case 'newRung':
        setTyping({ kind: 'line', initial: '', fresh: current ? rungRange()[1] + 1 : 0 });
        return;
      case 'newRungAbove':
        setTyping({ kind: 'line', initial: '', fresh: position.rung });
        return;
      case 'deleteRung':
        deleteRungs();
        return;
      case 'delete':
        takeOut();
        return;
      case 'rungUp':
        moveRungs(-1);
        return;
      case 'rungDown':
        moveRungs(1);
        return;
      case 'copy':
        void copy();
        return;
      case 'cut':
        void copy(takeOut);
        return;
      case 'paste':
      case 'pasteTag':
        (async () => navigator.clipboard.readText())().then(
          (t) => paste(t, c === 'pasteTag'),
          () => setSaid(NO_CLIPBOARD),
        );
        return;
      case 'chooseAll':
        if (position.rungTo === undefined) goTo({ ...position, rungTo: position.rung });
        else goTo({ rung: 0, element: 0, rungTo: pou.rungs.length - 1 });
        return;
      case 'comment':
      case 'heading':
        if (current) {
          // At once, so that no letter typed behind it is taken for a command.
          flushSync(() => (c === 'comment' ? setComment(current.id) : setHeading(current.id)));
          scroller.current
            ?.querySelector<HTMLElement>(
              `[aria-label="${c === 'comment' ? 'Comment of' : 'Heading above'} rung ${position.rung + 1}"]`,
            )
            ?.focus();
        }
        return;
      case 'fold': {
        const head = sections.headOf(position.rung);
        if (head) foldSection(head);
        else setSaid('There is no heading above this rung; # makes one.');
        return;
      }
      case 'foldAll': {
        const heads = pou.rungs.filter((r) => r.heading).map((r) => r.id);
        desk.set({
          folded: heads.every((h) => desk.folded.includes(h))
            ? desk.folded.filter((f) => !heads.includes(f))
            : [...new Set([...desk.folded, ...heads])],
        });
        return;
      }
      case 'split': {
        if (!current) return;
        const r = splitOutputs(current.line);
        if ('refused' in r) setSaid(r.refused);
        else change(splitEdit(useDocument.getState().project!, pou.id, current, r.lines, newId));
        return;
      }
      case 'text':
        void convert();
        return;
      case 'rename':
        if (nameHere) setTyping({ kind: 'rename', initial: /^\w+/.exec(nameHere)?.[0] ?? '' });
        else setSaid('Stand on a contact, coil or block to rename its tag.');
        return;
      case 'declaration': {
        const t = nameHere ? declared.get((/^\w+/.exec(nameHere)?.[0] ?? '').toLowerCase()) : undefined;
        if (t) jump(`/projects/${projectId}/tags?tag=${t.id}`);
        else setSaid('This is not a tag of the project.');
        return;
      }
      case 'uses':
        if (nameHere) {
          useUses.setState({ name: /^\w+/.exec(nameHere)?.[0] ?? '', list: undefined });
          openSide('uses');
        }
        return;
      case 'find':
        openFind();
        return;
      case 'goTo':
        askPalette('rung ');
        return;
      case 'fix':
        void fixProblem(found);
        return;
      case 'otherFix':
        void fixProblem(found, 1);
        return;
      case 'why': {
        const name =
          node?.kind === 'call'
            ? `${node.name}.${node.outPin ?? 'Q'}`
            : node?.kind === 'compare'
              ? /^[A-Za-z_][\w.]*/.exec(node.left)?.[0]
              : node && 'tag' in node
                ? node.tag
                : node?.kind === 'action'
                  ? /^[A-Za-z_][\w.]*/.exec(node.text)?.[0]
                  : undefined;
        if (name && model) void askWhy(model.pathOf(name));
        else setSaid('Stand on a contact, coil, block or action to ask about it.');
        return;
      }
      case 'stop':
        if (current && projectId)
          setSaid(
            toggleStop(projectId, { kind: 'rung', pou: pou.id, rung: current.id })
              ? 'The run stops before this rung.'
              : 'The run no longer stops here.',
          );
        return;
      case 'forceOn':
        force('1');
        return;
      case 'forceOff':
        force('0');
        return;
      case 'release':
        force(undefined);
        return;
      default:
        setSaid(perform({ kind: c } as RungEdit));
    }
  };
  /** Leaves this place in the browser's history, so that Alt+Left comes back to it. */
  const jump = (address: string) =>
    jumpTo(
      navigate,
      address,
      `/projects/${projectId}/logic?pou=${pou.id}${current ? `&rung=${current.id}&element=${element}` : ''}`,
    );
  const foldSection = (head: string) => {
    const folds = !desk.folded.includes(head);
    desk.set({ folded: folds ? [...desk.folded, head] : desk.folded.filter((f) => f !== head) });
    if (folds) {
      const at = pou.rungs.findIndex((r) => r.id === head);
      if (at >= 0) setPosition({ rung: at, element: 0 });
    }
  };
  const convert = async () => {
    if (!current) return;
    const action = model?.nodes.length === 1 && node?.kind === 'action' && !node.once ? node.text : undefined;
    if (action !== undefined) {
      const r = textToRungs(action, (n) => /^L?REAL$/.test(tags[n]?.type ?? ''));
      if ('refused' in r) setSaid(r.refused);
      else change(splitEdit(useDocument.getState().project!, pou.id, current, r.lines, newId));
      return;
    }
    const r = await askBench('toText', { pou: pou.name, line: current.line });
    if ('refused' in r) setSaid(r.refused);
    else toRung(`-> { ${r.text.replace(/\s*\n\s*/g, ' ')} }`, { element: 0 });
  };
  const problemsHere = current ? (perRung.get(current.id) ?? NO_PROBLEMS) : NO_PROBLEMS;
  const found = problemsHere.find((p) => p.element === element) ?? problemsHere[0];
  const fixProblem = async (found: ProblemNote | undefined, n = 0) => {
    if (!found) {
      setSaid('There is no problem on this rung.');
      return;
    }
    const fixes = await fixesOf(found),
      fix = fixes[n];
    if (fix) {
      change(fix.edit);
      setSaid(`${fix.label}. Ctrl+Z takes it back.`);
    } else
      setSaid(
        n && fixes.length
          ? `There is one fix here: ${fixes[0]!.label} (Ctrl+.).`
          : `${found.message} No fix is safe here.`,
      );
  };
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
    const c = BY_KEY.get(keyOf(e));
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

  useEffect(() =>
    watchDrag(scroller, over, pou, models, setDrop, (d) => {
      if ('refused' in d) {
        setSaid(d.refused);
        return;
      }
      change(together('Move a part', d.edits));
      goTo({ rung: pou.rungs.findIndex((r) => r.id === d.rung), element: d.element });
      if (d.leaves) setSaid(`Rung ${d.leaves} has no output now: it is unfinished and left out of the run.`);
      focus();
    }),
  );
  const onGrabRung = (k: number, e: PointerEvent) => {
    if (e.shiftKey) return;
    grab(e, () => {
      const [from, last] = rungRange(),
        rungs: [number, number] = chosenRungs && k >= from && k <= last ? [from, last] : [k, k];
      return { text: copyRungs(pou, ...rungs), pou: pou.id, rungs };
    });
  };
  useEffect(() =>
    watchRungDrag(scroller, pou, setRungDrop, (rungs, to, copies) => {
      const e = moveRungsTo(pou, rungs, to, copies);
      if (!e || !change(e)) return;
      const first = copies || to < rungs[0] ? to : to - (rungs[1] - rungs[0] + 1);
      goTo({ rung: first, element: 0, rungTo: first + rungs[1] - rungs[0] });
      focus();
    }),
  );
  const onGrab = (rung: number, n: number, e: PointerEvent) => {
    if (e.shiftKey) {
      if (rung === position.rung) goTo({ rung, element, to: n });
      requestAnimationFrame(focus);
      return;
    }
    grab(e, () => {
      const r = pou.rungs[rung]!,
        picked = models[rung]?.nodes[n];
      const inRun =
        rung === position.rung && to !== undefined && n >= Math.min(element, to) && n <= Math.max(element, to);
      const c = inRun ? cursor : { element: n };
      const text = runText(r.line, c);
      return text && picked
        ? { text, pou: pou.id, rung: r.id, cursor: c, ...('tag' in picked ? { tag: picked.tag } : {}) }
        : undefined;
    });
  };

  // One object for all drawings, so that a rung is drawn anew only when it changed itself.
  const doing = useRef<RungHands>(null!);
  doing.current = {
    select: (rung, n) => {
      const k = pou.rungs.findIndex((r) => r.id === rung);
      goTo(
        {
          rung: k,
          element: n,
          ...(k === position.rung && to !== undefined && n >= Math.min(element, to) && n <= Math.max(element, to)
            ? { element, to }
            : {}),
        },
        true,
      );
      focus();
      requestAnimationFrame(() => {
        if (!isField(document.activeElement ?? document.body)) focus();
      });
    },
    open: () => command('change'),
    grab: (rung, n, e) =>
      onGrab(
        pou.rungs.findIndex((r) => r.id === rung),
        n,
        e,
      ),
  };
  const hands = useMemo(
    (): RungHands => ({
      select: (r, n) => doing.current.select(r, n),
      open: (r, n) => doing.current.open(r, n),
      grab: (r, n, e) => doing.current.grab(r, n, e),
    }),
    [],
  );

  const block = node?.kind === 'call' ? (node.type ?? tags[node.name.toLowerCase()]?.block) : undefined;
  const nodeKind = node?.kind === 'contact' || node?.kind === 'coil' ? `${node.kind}-${node.mode}` : node?.kind;
  useEffect(() => {
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
