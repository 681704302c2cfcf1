/** Copying, cutting and pasting elements and whole rungs. */
import type { ClipboardEvent } from 'react';
import { copyRungs, isRungText, pasteAt, pasteRungs, runText, takeOutEdit } from './sheet-edits.js';
import type { Sheet } from './sheet.js';

export const NO_CLIPBOARD =
  'The browser does not let this page use the clipboard by itself; press Ctrl+C, Ctrl+X or Ctrl+V.';

export const isField = (t: EventTarget): boolean => t instanceof HTMLElement && t.matches('input, textarea');

export function clipboardOf(sheet: Sheet) {
  const {
    pou,
    current,
    position,
    cursor,
    chosenRungs,
    setPosition,
    setSaid,
    goTo,
    change,
    perform,
    toRung,
    rungRange,
    deleteRungs,
  } = sheet;
  const chosenText = (): string | undefined =>
    current && (chosenRungs ? copyRungs(pou, ...rungRange()) : (runText(current.line, cursor) ?? current.line));
  const takeOut = () => {
    if (chosenRungs) {
      deleteRungs();
      return;
    }
    if (!current) {
      setSaid('There is no rung here.');
      return;
    }
    const r = takeOutEdit(pou, current, cursor);
    if ('refused' in r) {
      setSaid(r.refused);
      return;
    }
    change(r.edit);
    if (r.edit.kind !== 'removeRung') setPosition({ rung: position.rung, ...r.cursor });
    if (r.isUnfinished)
      setSaid(`Rung ${position.rung + 1} has no output now: it is unfinished and left out of the run.`);
  };
  /**
   * By a key the browser's own event carries the clipboard; from a menu the page has to ask for it, which not every
   * address may.
   */
  const copy = async (then?: () => void) => {
    const text = chosenText();
    if (text === undefined) return;
    try {
      await navigator.clipboard.writeText(text);
    } catch {
      setSaid(NO_CLIPBOARD);
      return;
    }
    if (then) then();
    else setSaid(chosenRungs ? 'Copied as rung lines.' : `Copied: ${text}`);
  };
  const onCopy = (e: ClipboardEvent, cuts: boolean) => {
    if (isField(e.target)) return;
    const text = chosenText();
    if (text === undefined) return;
    e.preventDefault();
    e.clipboardData.setData('text/plain', text);
    if (cuts) takeOut();
    if (!cuts) setSaid(chosenRungs ? 'Copied as rung lines.' : `Copied: ${text}`);
  };
  const paste = (text: string, onlyTag = false): void => {
    const given = text.trim();
    if (!given) {
      setSaid('There is no text on the clipboard.');
      return;
    }
    if (onlyTag) {
      const name =
        /[A-Za-z_%][\w.%]*(\[[^\]]*\])?[\w.]*/.exec(given.replace(/^\s*->\s*(set |reset )?/, ''))?.[0] ?? given;
      setSaid(perform({ kind: 'retag', text: name }));
      return;
    }
    if (isRungText(given)) {
      const at = current ? rungRange()[1] + 1 : 0;
      const e = pasteRungs(pou, given, at);
      if (e) {
        change(e);
        goTo({ rung: at, element: 0 });
      }
      return;
    }
    if (!current) {
      setSaid('Paste a whole rung here: there is none to paste into.');
      return;
    }
    const r = pasteAt(current.line, cursor, given);
    if ('refused' in r) setSaid(r.refused);
    else toRung(r.line, r.cursor);
  };
  return { takeOut, copy, onCopy, paste };
}
