/** What is worked by hand at the cabinet: key, power, battery, network plug. Works whatever the network does. */
import { api } from '../../api.js';
import type { ControllerView } from './status.js';

export function Cabinet({ view }: { readonly view: ControllerView }) {
  const { cabinet, attempt } = view;
  const set = (name: string) => (state: string) =>
    void attempt(() => api('POST', `/controller/cabinet/${name}`, { state }));
  return (
    <section aria-label="Cabinet" className="flex flex-col gap-1 border-t border-edge px-2.5 pt-1.5 pb-2.5">
      <h3 className="text-[12px] font-semibold text-soft">At the cabinet</h3>
      <Switch
        name="Key switch"
        at={cabinet?.key}
        states={{ run: 'Key run', stop: 'Key stop', remote: 'Remote' }}
        isDead={cabinet?.power === false}
        onTurn={set('key')}
      />
      <Switch
        name="Power"
        at={cabinet && (cabinet.power ? 'on' : 'off')}
        states={{ on: 'Power on', off: 'Power off' }}
        onTurn={set('power')}
      />
      <Switch
        name="Battery"
        at={cabinet && (cabinet.isBatteryFlat ? 'flat' : 'ok')}
        states={{ ok: 'Battery good', flat: 'Battery flat' }}
        onTurn={set('battery')}
      />
      <Switch
        name="Network"
        at={cabinet?.network}
        states={{ ok: 'Network on', slow: 'Slow', cut: 'Cut' }}
        onTurn={set('network')}
      />
    </section>
  );
}

interface SwitchProps {
  readonly name: string;
  readonly at: string | undefined;
  readonly states: Readonly<Record<string, string>>;
  readonly isDead?: boolean;
  readonly onTurn: (state: string) => void;
}
function Switch({ name, at, states, isDead = false, onTurn }: SwitchProps) {
  return (
    <div role="radiogroup" aria-label={name} className="flex gap-1">
      {Object.entries(states).map(([state, words]) => (
        <button
          key={state}
          role="radio"
          aria-checked={at === state}
          disabled={isDead}
          onClick={() => onTurn(state)}
          className={`h-7 flex-1 rounded-md border text-[12px] whitespace-nowrap disabled:opacity-50 ${at === state ? 'border-copper bg-glow font-semibold' : 'border-edge bg-sheet'}`}
        >
          {words}
        </button>
      ))}
    </div>
  );
}
