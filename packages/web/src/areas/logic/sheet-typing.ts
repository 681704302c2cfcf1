/** What is typed on the sheet, and what becomes of it: kept, thrown away, put into a rung, or a new name. */
import type { Edit } from '@ferrule/core/document';
import { editRung } from '@ferrule/core/ladder';
import { askBench } from '../../bench/live.js';
import { newId, useDocument } from '../../document/store.js';
import { declarations, isWholeRung, lineAsTyped, lineProblem, rungOfLine, together } from './sheet-edits.js';
import type { Sheet } from './sheet.js';

export function typingOn(sheet: Sheet) {
  const {
    pou,
    ownTypes,
    current,
    node,
    cursor,
    position,
    typing,
    unseen,
    setPosition,
    setTyping,
    setSaid,
    change,
    perform,
    leave,
    isKnown,
    note,
  } = sheet;
  /** A whole rung that is typed at an element stands below that element's rung. */
  const belowThis = (text: string): Edit & { readonly kind: 'addRung' } => ({
    kind: 'addRung',
    pou: pou.id,
    rung: { id: newId('r'), ...rungOfLine(text) },
    at: position.rung + 1,
  });
  /** The edit that keeps what is being typed as it stands, readable or not; undefined for a name. */
  const editAsTyped = (text: string): Edit | undefined => {
    if (typing?.kind === 'line' && (typing.fresh !== undefined || !current))
      return {
        kind: 'addRung',
        pou: pou.id,
        rung: { id: newId('r'), ...rungOfLine(text) },
        at: current ? (typing.fresh ?? 0) : 0,
      };
    if (!current || !typing || typing.kind === 'rename') return undefined;
    const r = typing.kind === 'element' ? editRung(current.line, cursor, { kind: typing.edit, text }) : undefined;
    if (r && 'refused' in r && isWholeRung(text)) return belowThis(text);
    const to =
      typing.kind === 'line'
        ? rungOfLine(text)
        : { line: r && 'line' in r ? r.line : lineAsTyped(current.line, cursor, typing.edit, text) };
    return { kind: 'changeRung', pou: pou.id, id: current.id, to };
  };
  /** The focus went elsewhere while something was being typed. */
  const keepTyped = (text: string) => {
    if (typing?.kind === 'rename') {
      void commitRename(text, false);
      return;
    }
    const e = editAsTyped(text);
    setTyping(undefined);
    if (!e) return;
    if (change(e) && e.kind === 'addRung') setPosition({ rung: e.at ?? 0, element: 0 });
    note(text);
  };
  /** Escape: what was typed goes, and undo brings it back. */
  const throwAway = (text: string | undefined) => {
    const e = text === undefined ? undefined : editAsTyped(text);
    if (e && change(e))
      change(
        e.kind === 'addRung'
          ? { kind: 'removeRung', pou: pou.id, id: e.rung.id }
          : {
              kind: 'changeRung',
              pou: pou.id,
              id: current!.id,
              to: { line: current!.line, comment: current!.comment ?? null },
            },
      );
    if (e) setSaid('Not kept. Ctrl+Z brings back what was typed.');
    leave();
  };
  const commitElement = (text: string, declares: boolean): string | undefined => {
    if (typing?.kind !== 'element' || !current) return undefined;
    const trial = editRung(current.line, cursor, { kind: typing.edit, text });
    if ('refused' in trial && /\S\s*->/.test(text)) {
      // Meant as a rung of its own: one that cannot be read is answered as a rung is.
      const wrong = lineProblem(rungOfLine(text).line);
      if (wrong) return wrong;
      putLine(belowThis(text), declares);
      leave();
      return undefined;
    }
    const refused = perform({ kind: typing.edit, text }, declares && 'line' in trial ? declaredBy(trial.line) : []);
    if (!refused) {
      note(text);
      leave();
    }
    return refused;
  };
  const declaredBy = (line: string): readonly Edit[] => {
    const { project } = useDocument.getState();
    return project ? declarations(project, pou, line, isKnown, ownTypes).edits : [];
  };
  /** A new rung, with what it names for the first time where that is asked for; the cursor goes to it. */
  const putLine = (e: Edit & { readonly kind: 'addRung' }, declares: boolean): void => {
    const at = e.at ?? 0;
    note(e.rung.line);
    change(together('New rung', [e, ...(declares ? declaredBy(e.rung.line) : [])]));
    setPosition({ rung: at, element: 0 });
    unseen.current = { rung: at, align: 'auto' };
  };
  const commitLine = (typed: string, declares: boolean, goOn: boolean): string | undefined => {
    if (typing?.kind !== 'line') return undefined;
    const text = rungOfLine(typed);
    const wrong = lineProblem(text.line);
    if (wrong) return wrong;
    if (typing.fresh !== undefined || !current) {
      const at = current ? (typing.fresh ?? 0) : 0;
      putLine({ kind: 'addRung', pou: pou.id, rung: { id: newId('r'), ...text }, at }, declares);
      if (goOn) {
        setTyping({ kind: 'line', initial: '', fresh: at + 1 });
        return undefined;
      }
      leave();
      return undefined;
    }
    note(text.line);
    const extra = declares ? declaredBy(text.line) : [];
    if (text.line !== current.line || text.comment || extra.length)
      change(
        together('Edit a rung', [
          {
            kind: 'changeRung',
            pou: pou.id,
            id: current.id,
            to: { line: text.line, ...(text.comment ? { comment: text.comment } : {}) },
          },
          ...extra,
        ]),
      );
    leave();
    return undefined;
  };
  const commitRename = async (name: string, stays = true): Promise<string | undefined> => {
    if (!current || !node) return undefined;
    const start =
      node.kind === 'contact' || node.kind === 'coil' ? current.line.indexOf(node.tag, node.start) : node.start;
    const r = await askBench('rename', { place: { kind: 'rung', id: current.id }, offset: start, to: name });
    if (!stays) setTyping(undefined);
    if ('refused' in r) {
      if (!stays) setSaid(`Not renamed to ${name}: ${r.refused}`);
      return r.refused;
    }
    change(r);
    if (stays) leave();
    return undefined;
  };
  return { keepTyped, throwAway, commitElement, commitLine, commitRename };
}
