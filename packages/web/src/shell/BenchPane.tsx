/** Beside the scope, under every area: why, what is watched, inputs, where to stop, where the time goes. */
import { TabList } from '../components/tabs.js';
import { PanelRightClose, PanelRightOpen } from 'lucide-react';
import { type BenchTab, useDesk } from '../components/desk.js';
import { openBench, toggleFold, useFolded } from '../components/folds.js';
import { useStops } from '../components/asking.js';
import { useDocument } from '../document/store.js';
import { InputsPane } from './InputsPane.js';
import { StopsPane } from './StopsPane.js';
import { TimePane } from './TimePane.js';
import { WatchPane } from './WatchPane.js';
import { WhyPane } from './WhyPane.js';

const TABS: readonly (readonly [BenchTab, string])[] = [
  ['why', 'Why'],
  ['watch', 'Watch'],
  ['inputs', 'Inputs'],
  ['stops', 'Stops'],
  ['time', 'Scan time'],
];

export function BenchPane() {
  const { bench } = useDesk(),
    isFolded = useFolded('bench'),
    isLine = useFolded('bottom');
  const stops = useStops(useDocument((s) => s.id)).filter((s) => s.isOn).length;
  if (isFolded)
    return (
      <button
        aria-label="Open the bench pane"
        title="Why, watch, inputs, stops (⇧F3)"
        onClick={() => openBench(bench)}
        className="flex w-8 shrink-0 items-start justify-center border-l border-edge bg-sunk pt-[7px] text-soft hover:text-ink"
      >
        <PanelRightOpen size={15} />
      </button>
    );
  return (
    <section
      aria-label="Bench"
      className="flex w-[400px] shrink-0 flex-col border-l border-edge bg-sunk max-[1100px]:w-[320px]"
    >
      <div className="flex h-[30px] shrink-0 items-end border-b border-edge px-2">
        <TabList
          label="At the bench"
          className="flex min-w-0 items-end gap-0.5 overflow-x-auto [scrollbar-width:none]"
          tabClass="px-1.5 pb-1 text-[12.5px]"
          value={bench}
          onChoose={(value) => openBench(value as typeof bench)}
          tabs={TABS.map(([value, words]) => ({
            value,
            words: `${words}${value === 'stops' && stops > 0 ? ` ${stops}` : ''}`,
          }))}
        />
        <button
          aria-label="Close the bench pane"
          title="Fold the bench pane (⇧F3)"
          onClick={() => toggleFold('bench')}
          className="ml-auto pb-1.5 text-faint hover:text-ink"
        >
          <PanelRightClose size={14} />
        </button>
      </div>
      {!isLine && (
        <div className="min-h-0 flex-1 overflow-y-auto text-[12.5px]">
          {bench === 'why' ? (
            <WhyPane />
          ) : bench === 'watch' ? (
            <WatchPane />
          ) : bench === 'inputs' ? (
            <InputsPane />
          ) : bench === 'stops' ? (
            <StopsPane />
          ) : (
            <TimePane />
          )}
        </div>
      )}
    </section>
  );
}
