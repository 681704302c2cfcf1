/**
 * How this desk is set up: what rungs show, what is folded, which tags were used last. Kept in the browser, not in the
 * project.
 */
import { create } from 'zustand';
import { persist } from 'zustand/middleware';

export type BenchTab = 'why' | 'watch' | 'inputs' | 'stops' | 'time';

interface Desk {
  readonly showAddress: boolean;
  readonly showDescription: boolean;
  /** Rungs whose section (the rungs from that heading to the next) is folded. */
  readonly folded: readonly string[];
  readonly side: 'machine' | 'outline' | 'tags' | 'uses';
  /** Height of the scope and the bench beside it, in px. */
  readonly bottom: number;
  readonly bench: BenchTab;
  /** By area, what is folded to a line or opened there; what is missing is as it is at first. */
  readonly folds: Readonly<Record<string, Partial<Record<'bottom' | 'bench' | 'side', boolean>>>>;
  readonly recentTags: readonly string[];
  set(
    change: Partial<Pick<Desk, 'showAddress' | 'showDescription' | 'folded' | 'side' | 'bottom' | 'bench' | 'folds'>>,
  ): void;
  used(names: readonly string[]): void;
}

const RECENT = 40;

export const useDesk = create<Desk>()(
  persist(
    (set) => ({
      showAddress: true,
      showDescription: false,
      folded: [],
      side: 'machine',
      bottom: 206,
      bench: 'why',
      folds: {},
      recentTags: [],
      set: (change) => set(change),
      used: (names) => set((s) => ({ recentTags: [...new Set([...names, ...s.recentTags])].slice(0, RECENT) })),
    }),
    { name: 'ferrule.desk' },
  ),
);
