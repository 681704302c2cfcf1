/**
 * Keeps the keys alive: when what had the focus goes away, the focus goes where it was before, or to the area's home.
 */
import { useEffect } from 'react';

/**
 * How often the focus is looked at beside the events that tell of its loss, which not every browser sends for what is
 * removed.
 */
const LOOK_MS = 60;
const KEPT = 12;

const isGone = (e: Element): boolean => !e.isConnected || e.getClientRects().length === 0;
const isPassing = (e: Element): boolean =>
  e.closest('[role="dialog"],[role="alertdialog"],[role="menu"],[data-radix-popper-content-wrapper]') !== null;
const homeOf = (e: Element): HTMLElement | null => e.closest<HTMLElement>('[data-home]');

const FIELD = 'input, textarea, select';

/**
 * Where the focus belongs when it is on nothing; `before` are the elements that had it, the last at the end. `isDone`: a
 * field that somebody has left, as by Enter, gets no keys that were meant for something else.
 */
export function placeForFocus(
  before: readonly HTMLElement[],
  main: HTMLElement | null,
  isDone: (e: HTMLElement) => boolean = () => false,
): HTMLElement | undefined {
  const lost = before.at(-1);
  const home = lost && homeOf(lost);
  if (home && !isGone(home)) return home;
  // Drawn anew, as a text under its new name is: the keys go where they went.
  const anew = home && main?.querySelector<HTMLElement>('[data-home]');
  if (anew && !isGone(anew)) return anew;
  // A field that was left by Enter is there still: Tab goes on from it, and no key is dead.
  if (lost && !isGone(lost)) return undefined;
  // Behind a dialog a field is written in further; what a button took away with it leads into no field.
  const skipsFields = !(lost && isPassing(lost));
  for (const e of [...before].reverse()) {
    if (isGone(e) || isPassing(e) || e.matches(':disabled')) continue;
    if ((skipsFields || isDone(e)) && !homeOf(e) && e.matches(FIELD)) continue;
    return homeOf(e) ?? e;
  }
  return main?.querySelector<HTMLElement>('[data-home]') ?? main ?? undefined;
}

/** For the page of a project: after every dialog, menu, palette and field, keys go where they went before. */
export function useFocusKeeper(): void {
  useEffect(() => {
    let before: HTMLElement[] = [];
    const done = new WeakSet<EventTarget>();
    // The page itself has the keys only until the area's home is drawn, as a text whose editor is still being loaded.
    let waits = false;
    const look = () => {
      const at = document.activeElement,
        main = document.querySelector('main'),
        isWaiting = waits && at === main;
      if (!document.hasFocus() || (at && at !== document.body && !isWaiting)) return;
      if (document.querySelector('[role="dialog"][data-state="open"],[role="menu"][data-state="open"]')) return;
      const to = isWaiting
        ? main?.querySelector<HTMLElement>('[data-home]')
        : placeForFocus(before, main, (e) => done.has(e));
      if (!to) return;
      waits = to === main;
      to.focus({ preventScroll: true });
    };
    const onIn = (e: FocusEvent) => {
      if (e.target !== document.querySelector('main')) waits = false;
      if (e.target) done.delete(e.target);
      if (e.target instanceof HTMLElement && e.target !== document.body)
        before = [...before.filter((x) => x !== e.target && x.isConnected).slice(-KEPT), e.target];
    };
    const onOut = (e: FocusEvent) => {
      if (e.relatedTarget) return;
      if (e.target && document.hasFocus()) done.add(e.target);
      requestAnimationFrame(look);
    };
    // From a field of several lines that was left by Enter the browser would begin at the top of the page.
    const onTab = (e: KeyboardEvent) => {
      const last = before.at(-1);
      if (e.key === 'Tab' && document.activeElement === document.body && last && !isGone(last))
        last.focus({ preventScroll: true });
    };
    document.addEventListener('focusin', onIn);
    document.addEventListener('focusout', onOut);
    document.addEventListener('keydown', onTab, true);
    const timer = setInterval(look, LOOK_MS);
    return () => {
      document.removeEventListener('focusin', onIn);
      document.removeEventListener('focusout', onOut);
      document.removeEventListener('keydown', onTab, true);
      clearInterval(timer);
    };
  }, []);
}

/** How long the area's home may take until it is drawn, in ms, and for how many frames it stays what it is then. */
const HOME_MS = 5000,
  STEADY_FRAMES = 10;
/**
 * Gives the keys to the area's home: its rungs or its text. It may still be on its way, or drawn anew in a moment, as a
 * text under its new name; a click or Tab meanwhile says that the keys belong elsewhere.
 */
export function focusHome(): void {
  const until = performance.now() + HOME_MS,
    began = document.activeElement;
  let steady = 0,
    given: HTMLElement | undefined,
    isOver = false;
  const onHand = (e: Event) => {
    if (!(e instanceof KeyboardEvent) || e.key === 'Tab') isOver = true;
  };
  const hands = (to: 'addEventListener' | 'removeEventListener') => {
    for (const kind of ['pointerdown', 'keydown'] as const) document[to](kind, onHand, true);
  };
  const look = () => {
    const home = document.querySelector<HTMLElement>('main [data-home]') ?? undefined;
    // Something else has the keys now, as a field that was opened by one.
    const at = document.activeElement;
    if (given?.isConnected && !given.contains(at)) isOver = true;
    if (at !== began && (at?.matches(FIELD) || at?.closest('[role="dialog"],[role="menu"]'))) isOver = true;
    if (!isOver && home && home !== given) home.focus({ preventScroll: true });
    steady = home && home === given ? steady + 1 : 0;
    given = home;
    if (isOver || steady >= STEADY_FRAMES || performance.now() > until) hands('removeEventListener');
    else requestAnimationFrame(look);
  };
  hands('addEventListener');
  requestAnimationFrame(look);
}

/** Frames that a field may take until it is drawn. */
const SOON_FRAMES = 30;
/** The field that is about to be drawn gets the focus, with its text chosen: what is typed next takes its place. */
export function focusField(label: string): void {
  let left = SOON_FRAMES;
  const look = () => {
    const name = `[aria-label="${CSS.escape(label)}"]`,
      // The panes beside the area have fields too.
      field =
        document.querySelector<HTMLInputElement>(`main ${name}`) ?? document.querySelector<HTMLInputElement>(name);
    if (field) {
      field.focus();
      field.select();
    } else if (left--) requestAnimationFrame(look);
  };
  requestAnimationFrame(look);
}

let beforeKey: HTMLElement | undefined;
/**
 * Opens by a key what otherwise a click opens; when it closes, `backAfterKey` gives the focus to where the key was
 * pressed.
 */
export function openByKey(button: string): void {
  beforeKey = document.activeElement instanceof HTMLElement ? document.activeElement : undefined;
  document.querySelector<HTMLElement>(button)?.click();
}
/** For `onCloseAutoFocus`: after a click the button has the focus again, as always. */
export function backAfterKey(e: Event): void {
  const to = beforeKey;
  beforeKey = undefined;
  if (!to?.isConnected || to === document.body) return;
  e.preventDefault();
  to.focus({ preventScroll: true });
}
