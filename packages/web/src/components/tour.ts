/**
 * Where the first-hour tour stands, by project, and how checks went last: shared, since the tour watches every area.
 */
import type { Project } from '@ferrule/core/document';
import { create } from 'zustand';
import { persist } from 'zustand/middleware';

/** How checks and rules went when they were run last, and of which document. */
export const useRuns = create<{
  readonly last: { readonly passed: number; readonly failed: number; readonly of: Project | undefined } | undefined;
}>(() => ({ last: undefined }));
/** Rules decided by proofs since the page was opened. */
export const useProofs = create<{ readonly decided: number }>(() => ({ decided: 0 }));

interface TourState {
  readonly steps: Readonly<Record<string, number>>;
  begin(project: string): void;
  go(project: string, step: number): void;
  end(project: string): void;
}
export const useTour = create<TourState>()(
  persist(
    (set) => ({
      steps: {},
      begin: (project) => set((s) => ({ steps: { ...s.steps, [project]: 0 } })),
      go: (project, step) => set((s) => ({ steps: { ...s.steps, [project]: step } })),
      end: (project) =>
        set((s) => ({ steps: Object.fromEntries(Object.entries(s.steps).filter(([k]) => k !== project)) })),
    }),
    { name: 'ferrule.tour' },
  ),
);
