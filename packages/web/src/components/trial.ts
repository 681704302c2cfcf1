/** A trial that this page began: it is said every second that it is still wanted, in whatever area the page is. */
import { createStore } from 'zustand/vanilla';
import { api } from '../api.js';
import { whoIs } from './who.js';

/** Whether this page holds a trial. */
export const trialStore = createStore<{ readonly isHeld: boolean }>(() => ({ isHeld: false }));
let beat: number | undefined;

export function holdTrial(): void {
  trialStore.setState({ isHeld: true });
  clearInterval(beat);
  let wasSeen = false;
  beat = window.setInterval(() => {
    api<{ trial: boolean }>('POST', '/controller/trial/heard', {})
      .then(({ trial }) => {
        // It takes a moment until it is sent and runs.
        if (trial) wasSeen = true;
        else if (wasSeen) letTrialGo();
      })
      .catch(() => undefined);
  }, 1000);
}
export function letTrialGo(): void {
  clearInterval(beat);
  trialStore.setState({ isHeld: false });
}

/** The kept program again. */
export async function backOut(): Promise<void> {
  await api('POST', '/controller/trial/back-out', { by: whoAmI() });
  letTrialGo();
}

/** Who tries, for the controller's log. */
export const whoAmI = (): string => whoIs().trim() || 'Somebody';
