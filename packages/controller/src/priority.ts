/** The scan before everything else on the machine, what is made ready for it behind: as far as the system allows it. */
import { constants, setPriority } from 'node:os';

/** Of the thread that asks (0 is the caller). Without the right to it everything stays as it is. */
export function askFor(priority: 'scan' | 'background'): void {
  try {
    setPriority(0, priority === 'scan' ? constants.priority.PRIORITY_HIGH : constants.priority.PRIORITY_BELOW_NORMAL);
  } catch {
    // Only some may ask for more.
  }
}
