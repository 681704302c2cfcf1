/** What a command of the sheet does: those of the menus and of the keys are the same. */
import type { NavigateFunction } from 'react-router';
import { type RungEdit, splitOutputs, textToRungs } from '@ferrule/core/ladder';
import type { Tag } from '@ferrule/core/document';
import { splitEdit } from '@ferrule/core/workspace';
import { askBench, benchLive } from '../../bench/live.js';
import type { ProblemNote, TagFacts } from '../../bench/protocol.js';
import { askWhy, toggleStop } from '../../components/asking.js';
import { useDesk } from '../../components/desk.js';
import { fixesOf } from '../../components/fixes.js';
import { openSide } from '../../components/folds.js';
import { nodeText } from '../../components/ladder/rung-model.js';
import { askPalette } from '../../components/palette.js';
import { newId, useDocument } from '../../document/store.js';
import { jumpTo } from '../../shell/place.js';
import type { Command } from './commands.js';
import { openFind } from './FindBar.js';
import type { sectionsOf } from './sections.js';
import { NO_CLIPBOARD, type clipboardOf } from './sheet-clipboard.js';
import { runText } from './sheet-edits.js';
import type { Sheet } from './sheet.js';
import { useUses } from './uses.js';

/** What commands need beside the sheet itself. */
export interface Around {
  readonly tags: Readonly<Record<string, TagFacts>>;
  /** Tags of the project by lower-case name. */
  readonly declared: ReadonlyMap<string, Tag>;
  readonly sections: ReturnType<typeof sectionsOf>;
  readonly clipboard: ReturnType<typeof clipboardOf>;
  /** The problem of the element at the cursor, or of its rung. */
  readonly found: ProblemNote | undefined;
  readonly projectId: string | undefined;
  readonly navigate: NavigateFunction;
  /** Opens the comment or the heading of the rung and gives it the keys. */
  write(part: 'comment' | 'heading'): void;
}

export function commandsOn(sheet: Sheet, around: Around) {
  const {
    pou,
    current,
    model,
    node,
    position,
    cursor,
    element,
    to,
    setPosition,
    setTyping,
    setSaid,
    goTo,
    change,
    perform,
    toRung,
    rungRange,
    deleteRungs,
  } = sheet;
  const { tags, declared, sections, found, projectId, navigate, write } = around,
    { takeOut, copy, paste } = around.clipboard;
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
          write(c);
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
        useDesk.getState().set({
          folded: heads.every((h) => useDesk.getState().folded.includes(h))
            ? useDesk.getState().folded.filter((f) => !heads.includes(f))
            : [...new Set([...useDesk.getState().folded, ...heads])],
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
    const folds = !useDesk.getState().folded.includes(head);
    useDesk.getState().set({
      folded: folds ? [...useDesk.getState().folded, head] : useDesk.getState().folded.filter((f) => f !== head),
    });
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
  return { command, foldSection, fixProblem };
}
