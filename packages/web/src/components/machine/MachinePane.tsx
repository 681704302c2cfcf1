/** The machine and its panel side by side with whatever is being worked on: both follow the moment shown. */
import { useMachine } from '../kinds.js';
import { MachineView } from './MachineView.js';
import { Panel } from './Panel.js';

export function MachinePane() {
  const { devices } = useMachine();
  if (!devices.length)
    return (
      <aside aria-label="Machine" className="p-4 text-soft">
        This project has no machine model yet. Inputs can be set in Tags.
      </aside>
    );
  return (
    <aside
      aria-label="Machine"
      tabIndex={-1}
      data-bare-keys=""
      className="outline-none flex h-full min-h-0 flex-col gap-2 overflow-y-auto p-2.5"
    >
      <MachineView devices={devices} />
      <Panel />
    </aside>
  );
}
