/** What is worked by hand at the cabinet: key, power, battery, network plug, cards. Works whatever the network does. */
import { DropdownMenu } from 'radix-ui';
import { api } from '../../api.js';
import { MENU, MENU_ITEM } from '../../components/ui.js';
import type { CabinetCard, ControllerView } from './status.js';

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
      <Cards
        cards={cabinet?.cards ?? []}
        onTurn={(card, state) => void attempt(() => api('POST', '/controller/cabinet/card', { card: card.id, state }))}
      />
    </section>
  );
}

/** What lies on a card, in few words. */
const onIt = ({ tags }: CabinetCard): string =>
  tags.length ? `${tags.slice(0, 3).join(', ')}${tags.length > 3 ? ` and ${tags.length - 3} more` : ''}` : 'nothing';

function Cards({
  cards,
  onTurn,
}: {
  readonly cards: readonly CabinetCard[];
  readonly onTurn: (card: CabinetCard, state: 'in' | 'pulled') => void;
}) {
  const pulled = cards.filter((c) => c.isPulled),
    isIn = cards.filter((c) => !c.isPulled);
  if (!cards.length) return null;
  return (
    <div role="group" aria-label="Cards" className="flex flex-col gap-1">
      <div className="flex max-h-24 flex-col gap-1 overflow-y-auto">
        {pulled.map((c) => (
          <div
            key={c.id}
            className="flex min-h-7 flex-none items-center gap-2 rounded-md border border-bad bg-bad-soft px-2 text-[12px] text-bad"
          >
            <span className="min-w-0 flex-1" title={c.tags.join(', ')}>
              {c.words} pulled
            </span>
            <button
              aria-label={`Put in ${c.words}`}
              className="font-semibold underline"
              onClick={() => onTurn(c, 'in')}
            >
              Put in
            </button>
          </div>
        ))}
      </div>
      {isIn.length > 0 && (
        <DropdownMenu.Root>
          <DropdownMenu.Trigger asChild>
            <button className="h-7 rounded-md border border-edge bg-sheet text-[12px]">
              {pulled.length ? 'Pull another card …' : `Cards ${cards.length}, all in · pull one …`}
            </button>
          </DropdownMenu.Trigger>
          <DropdownMenu.Portal>
            <DropdownMenu.Content align="end" sideOffset={4} className={`${MENU} max-h-[60vh] overflow-y-auto`}>
              {isIn.map((c) => (
                <DropdownMenu.Item key={c.id} className={MENU_ITEM} onSelect={() => onTurn(c, 'pulled')}>
                  <span>{c.words}</span>
                  <span className="ml-2 text-soft">{onIt(c)}</span>
                </DropdownMenu.Item>
              ))}
            </DropdownMenu.Content>
          </DropdownMenu.Portal>
        </DropdownMenu.Root>
      )}
    </div>
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
