/** What the checks have not exercised, to be shown on the rungs and lines themselves until it is put away. */
import type { Project } from '@ferrule/core/document';
import type { Reach } from '@ferrule/core/verify';
import { branchProbe } from '@ferrule/core/bench';
import { create } from 'zustand';

export type Gap = 'never closed' | 'never open' | 'never evaluated';
export interface RungGap {
  /** The rung as it was played; a rung changed since shows nothing. */ readonly line: string;
  readonly unpowered: boolean;
  readonly elements: ReadonlyMap<number, Gap>;
}
interface Shown {
  readonly rungs: ReadonlyMap<string, RungGap>;
  /** Probes of branches never taken, with the text they stand in. */ readonly branches: ReadonlyMap<string, string>;
  readonly figures: Reach['figures'];
}

export const useReach = create<{ readonly shown: Shown | undefined }>(() => ({ shown: undefined }));

export function showReach(project: Project, reach: Omit<Reach, 'result'>): void {
  const lines = new Map(
      project.pous.flatMap((p) => (p.language === 'LD' ? p.rungs.map((r) => [r.id, r.line] as const) : [])),
    ),
    texts = new Map(project.pous.flatMap((p) => (p.language === 'ST' ? [[p.id, p.text] as const] : [])));
  const rungs = new Map(
    reach.rungs.map((r) => [
      r.rung,
      {
        line: lines.get(r.rung) ?? '',
        unpowered: !r.powered,
        elements: new Map(
          r.elements.flatMap((e): [number, Gap][] =>
            e.closed && e.open
              ? []
              : [[e.element, !e.closed && !e.open ? 'never evaluated' : e.closed ? 'never open' : 'never closed']],
          ),
        ),
      },
    ]),
  );
  useReach.setState({
    shown: {
      rungs,
      branches: new Map(
        reach.branches.flatMap((b) => (b.taken ? [] : [[branchProbe(b.pouId, b.at), texts.get(b.pouId) ?? '']])),
      ),
      figures: reach.figures,
    },
  });
}
