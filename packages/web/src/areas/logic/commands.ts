/**
 * What can be done on a sheet of rungs: each command with its words and its key. The strip, the menus, the palette and
 * the help all read this list.
 *
 * Commands on a rung stand in one list (`areas/logic/commands.ts`) with words and key; strip, menus, palette and help
 * are made from it. Dragging computes the rung as it would be (`sheet-edits.ts`), draws it, and applies the same edits
 * at the drop. The cursor's place goes into the address before every jump, so the browser's Back is the way back.
 */
import { create } from 'zustand';
import type { RungEdit } from '@ferrule/core/ladder';
import { keyTable } from '../../components/keys.js';

export type Command =
  | Exclude<RungEdit['kind'], 'insertAfter' | 'insertBefore' | 'replace' | 'addLeg' | 'retag'>
  | 'insert'
  | 'insertFront'
  | 'change'
  | 'leg'
  | 'line'
  | 'newRung'
  | 'newRungAbove'
  | 'deleteRung'
  | 'forceOn'
  | 'forceOff'
  | 'release'
  | 'comment'
  | 'heading'
  | 'fold'
  | 'foldAll'
  | 'split'
  | 'text'
  | 'fix'
  | 'otherFix'
  | 'why'
  | 'stop'
  | 'rungUp'
  | 'rungDown'
  | 'copy'
  | 'cut'
  | 'paste'
  | 'pasteTag'
  | 'chooseAll'
  | 'rename'
  | 'declaration'
  | 'uses'
  | 'find'
  | 'goTo';

export interface CommandInfo {
  readonly command: Command;
  readonly words: string;
  readonly key: string;
  /** As the help shows it. */ readonly shown?: string;
}

/** In the order of the help. `key` as a table of keys names it. */
export const COMMANDS: readonly CommandInfo[] = [
  { command: 'change', words: 'Change the element', key: 'Enter', shown: '⏎' },
  { command: 'insertFront', words: 'Insert in front of the element', key: 'Shift+Enter', shown: '⇧⏎' },
  { command: 'line', words: 'The whole rung as a line', key: ';' },
  { command: 'newRung', words: 'New rung below', key: 'Insert', shown: 'Ins' },
  { command: 'newRungAbove', words: 'New rung above', key: 'Shift+Insert', shown: '⇧Ins' },
  { command: 'negate', words: 'Normally open ↔ normally closed, coil ↔ negated coil', key: '/' },
  { command: 'edge', words: 'Edge form', key: '*' },
  { command: 'latch', words: 'Coil: plain → set → reset', key: '+' },
  { command: 'leg', words: 'A leg around the element or the chosen run; at a coil, another output', key: '|' },
  { command: 'closeFurther', words: 'The leg closes further along', key: ']' },
  { command: 'closeNearer', words: 'The leg closes nearer', key: '[' },
  { command: 'openEarlier', words: 'The leg opens earlier', key: '{' },
  { command: 'openLater', words: 'The leg opens later', key: '}' },
  { command: 'moveLeft', words: 'Move the part left, out of and into legs', key: 'Mod+ArrowLeft', shown: 'Ctrl+←' },
  { command: 'moveRight', words: 'Move the part right', key: 'Mod+ArrowRight', shown: 'Ctrl+→' },
  { command: 'moveUp', words: 'Move the part to the leg above', key: 'Mod+ArrowUp', shown: 'Ctrl+↑' },
  {
    command: 'moveDown',
    words: 'Move the part to the leg below, or to one of its own',
    key: 'Mod+ArrowDown',
    shown: 'Ctrl+↓',
  },
  { command: 'rungUp', words: 'Move the rung up', key: 'Alt+ArrowUp', shown: 'Alt+↑' },
  { command: 'rungDown', words: 'Move the rung down', key: 'Alt+ArrowDown', shown: 'Alt+↓' },
  { command: 'delete', words: 'Delete; the gap closes', key: 'Delete', shown: 'Del' },
  { command: 'deleteRung', words: 'Delete the rung', key: 'Shift+Delete', shown: '⇧Del' },
  { command: 'split', words: 'Give each output a rung of its own', key: ',' },
  { command: 'simplify', words: 'Simplify: fewer elements, same meaning', key: '~' },
  { command: 'text', words: 'Rung to text, and text to rung', key: '=' },
  { command: 'comment', words: 'Comment of the rung', key: '"' },
  { command: 'heading', words: 'Heading above the rung', key: '#' },
  { command: 'fold', words: 'Fold or open the section', key: '-' },
  { command: 'foldAll', words: 'Fold or open all sections', key: 'Mod+-', shown: 'Ctrl+-' },
  { command: 'copy', words: 'Copy the part or the chosen rungs, as text', key: 'Mod+c', shown: 'Ctrl+C' },
  { command: 'cut', words: 'Cut', key: 'Mod+x', shown: 'Ctrl+X' },
  { command: 'paste', words: 'Paste parts or rungs', key: 'Mod+v', shown: 'Ctrl+V' },
  { command: 'pasteTag', words: 'Paste only the tag', key: 'Mod+Shift+V', shown: 'Ctrl+⇧V' },
  { command: 'chooseAll', words: 'Choose the rung, then all rungs', key: 'Mod+a', shown: 'Ctrl+A' },
  { command: 'why', words: 'Why is it on, or what keeps it off', key: 'F4' },
  { command: 'stop', words: 'Stop the run before this rung, or no longer', key: 'F7' },
  { command: 'rename', words: 'Rename the tag everywhere', key: 'F2' },
  { command: 'declaration', words: 'Go to the tag’s declaration', key: 'F12' },
  { command: 'uses', words: 'Where the tag is used', key: 'Shift+F12', shown: '⇧F12' },
  { command: 'find', words: 'Find and replace in the logic', key: 'Mod+f', shown: 'Ctrl+F' },
  { command: 'goTo', words: 'Go to a rung by its number', key: 'Mod+g', shown: 'Ctrl+G' },
  { command: 'fix', words: 'Fix the problem here', key: 'Mod+.', shown: 'Ctrl+.' },
  {
    command: 'otherFix',
    words: 'The other fix, where there are two',
    key: 'Mod+>',
    shown: 'Ctrl+⇧.',
  },
  { command: 'forceOn', words: 'Force the tag on', key: '1' },
  { command: 'forceOff', words: 'Force the tag off', key: '0' },
  { command: 'release', words: 'Release the force', key: '.' },
];

/** What a key means on the sheet. */
export const commandOf = keyTable(COMMANDS.map((c) => [c.key, c.command]));

/** The sheet in sight takes commands from elsewhere (the palette) while it is there. */
export const useSheet = create<{
  readonly perform: ((c: Command) => void) | undefined;
  /** The place of the cursor, as the query of its address. */ readonly where: string | undefined;
}>(() => ({ perform: undefined, where: undefined }));
