/**
 * Keys that mean the same on every page. Those of `everywhere` come before whatever has the focus, because cells and
 * fields keep their keys to themselves; the others leave a text field its own undo and its question marks.
 */
import { useEffect } from 'react';
import { useNavigate, useParams } from 'react-router';
import { benchLive, tellBench } from '../bench/live.js';
import { openByKey } from '../components/focus.js';
import { toggleAll, toggleFold } from '../components/folds.js';
import { type HelpTopic, helpTopic } from '../components/help-topic.js';
import { onPageKeys } from '../components/keys.js';
import { askPalette } from '../components/palette.js';
import { backOut, trialStore } from '../components/trial.js';
import { useDocument } from '../document/store.js';
import { useProblemWalk } from './problem-walk.js';

const AREAS = ['plan', 'tags', 'logic', 'machine', 'prove', 'controller', 'timing'];

/** Where Ctrl+Z takes back what is being typed; a tick, a choice or a slider has nothing of that. */
const isText = (e: KeyboardEvent) =>
  e.target instanceof HTMLElement &&
  (e.target.matches('input:not([type=checkbox], [type=radio], [type=range], [type=color], [type=file]), textarea') ||
    e.target.isContentEditable);
const isInSearch = (e: KeyboardEvent) =>
  e.target instanceof HTMLElement && e.target.closest('[role="search"]') !== null;
const isRunning = () => (benchLive.store.getState().frame as { running?: boolean } | undefined)?.running ?? false;

export function useShortcuts(onHelp: (topic: HelpTopic) => void) {
  const walk = useProblemWalk();
  const navigate = useNavigate();
  const { id } = useParams();
  useEffect(() => {
    const play = () => tellBench({ kind: 'play', running: !isRunning() });
    const step = (scans: 1 | -1) => () => tellBench({ kind: 'step', scans });
    const inside = (unit: 'task' | 'over' | 'into', direction: 1 | -1) => () =>
      tellBench({ kind: 'stepInside', unit, direction });
    // Where something is searched for, F3 goes to the next place and Shift+F3 to the one before.
    const fold = (part: Parameters<typeof toggleFold>[0]) => (e: KeyboardEvent) => !isInSearch(e) && toggleFold(part);
    const { undo, redo } = useDocument.getState();
    const leaveEverywhere = onPageKeys(
      [
        // The way back, also where an editor has a use of its own for the arrow.
        ['Alt+ArrowLeft', () => void navigate(-1)],
        ['Alt+ArrowRight', () => void navigate(1)],
        ...AREAS.map((area, i) => [`Alt+Digit${i + 1}`, () => void navigate(`/projects/${id}/${area}`)] as const),
        ['F1', () => onHelp(helpTopic.getState().topic ?? { tab: 'keys' })],
        ['Mod+k', () => askPalette()],
        ['F8', () => walk(1)],
        ['Shift+F8', () => walk(-1)],
        ['Shift+F2', fold('bottom')],
        ['Shift+F3', fold('bench')],
        ['Shift+F4', fold('side')],
        ['Mod+F2', () => toggleAll()],
        ['F5', play],
        // Not the browser's reload: what the bench remembers would be gone.
        ['Shift+F5', play],
        ['Mod+F5', () => openByKey('[aria-label="Run until …"]')],
        ['F6', step(1)],
        ['Shift+F6', step(-1)],
        ['Alt+F6', inside('task', 1)],
        ['Alt+Shift+F6', inside('task', -1)],
        ['Mod+F6', inside('over', 1)],
        ['Mod+Shift+F6', inside('over', -1)],
        ['Mod+Alt+F6', inside('into', 1)],
        ['Mod+Alt+Shift+F6', inside('into', -1)],
        [
          'F10',
          () => {
            if (!trialStore.getState().isHeld) return false;
            // What stands against it is seen where the trial is shown.
            backOut().catch(() => void navigate(`/projects/${id}/controller`));
          },
        ],
      ],
      { isFirst: true },
    );
    const outsideText = (act: () => void) => (e: KeyboardEvent) => !isText(e) && act();
    const leaveOutside = onPageKeys([
      ['Mod+z', outsideText(undo)],
      ['Mod+Shift+z', outsideText(redo)],
      ['Mod+y', outsideText(redo)],
      ['?', outsideText(() => onHelp({ tab: 'keys' }))],
    ]);
    return () => {
      leaveEverywhere();
      leaveOutside();
    };
  }, [walk, navigate, id, onHelp]);
}
