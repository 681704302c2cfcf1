/** A trial that this page began: it is said every second that it is still wanted, in whatever area the page is. */
import { createStore } from 'zustand/vanilla';
import { api } from '../api.js';
import { whoIs } from './who.js';

/** Whether this page holds a trial. */
export const trialStore = createStore<{ readonly isHeld: boolean }>(() => ({ isHeld: false }));
let beat: number | undefined;
/** The ticket of this tab's trial lives over a reload. */
const TICKET = 'ferrule.trial';
/** Words that go unanswered before a trial that never came is given up, one a second. */
const PATIENCE = 60;

export function holdTrial(ticket: string): void {
  letTrialGo();
  trialStore.setState({ isHeld: true });
  sessionStorage.setItem(TICKET, ticket);
  let wasSeen = false,
    misses = 0;
  beat = window.setInterval(() => {
    api<{ trial: boolean }>('POST', '/controller/trial/heard', { ticket })
      .then(({ trial }) => {
        if (trial) wasSeen = true;
        // It takes a moment until it is sent and runs.
        else if (wasSeen || ++misses > PATIENCE) letTrialGo();
      })
      .catch(() => undefined);
  }, 1000);
}
export function letTrialGo(): void {
  clearInterval(beat);
  sessionStorage.removeItem(TICKET);
  trialStore.setState({ isHeld: false });
}
/** After a reload: the trial of this tab goes on. */
export function holdAgain(): void {
  const ticket = sessionStorage.getItem(TICKET);
  if (ticket) holdTrial(ticket);
}

/** The kept program again. */
export async function backOut(): Promise<void> {
  await api('POST', '/controller/trial/back-out', { by: whoAmI() });
  letTrialGo();
}

/** Who tries, for the controller's log. */
export const whoAmI = (): string => whoIs().trim() || 'Somebody';
