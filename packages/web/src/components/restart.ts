/** Starting anew says unasked which outputs that switches on: a machine that moves by itself is no surprise then. */
import { create } from 'zustand';
import type { FirstScans } from '@ferrule/core/bench';
import { askBench, tellBench } from '../bench/live.js';

/** What the first scans of the last restart switch on, until it is seen. */
export const useRestarted = create<{ readonly first: FirstScans | undefined }>(() => ({ first: undefined }));

export function restart(warm = false): void {
  void askBench('firstScans', { warm }).then((first) => useRestarted.setState({ first }));
  tellBench({ kind: 'restart', warm });
}
