/**
 * Machine: the model at large, its panel, and beside them how it is wired, the I/O checkout, or devices of one's own.
 */
import { useEffect, useMemo, useState } from 'react';
import { useSearchParams } from 'react-router';
import { looseEnds, wiresThatMatch } from '@ferrule/core/machine';
import type { Edit } from '@ferrule/core/document';
import { missingTags } from '@ferrule/core/workspace';
import { useMotion } from '../../bench/live.js';
import { openWiring, toggleFold, useFolded } from '../../components/folds.js';
import { Checkout } from '../../components/Checkout.js';
import { later } from '../../components/later.js';
import { Button } from '../../components/ui.js';
import { AddDevice } from './AddDevice.js';
import { MachineView } from '../../components/machine/MachineView.js';
import { Panel } from '../../components/machine/Panel.js';
import { newId, useDocument } from '../../document/store.js';
import { Wiring } from './Wiring.js';

const OutsideIo = later(() => import('./OutsideIo.js').then((m) => m.OutsideIo));
const OwnKinds = later(() => import('./OwnKinds.js').then((m) => m.OwnKinds));

export function MachineArea() {
  useMotion();
  const devices = useDocument((s) => s.project?.machine.devices) ?? [];
  const [search, setSearch] = useSearchParams();
  const view = search.get('view'),
    isCheckout = view === 'checkout',
    isOwn = view === 'own',
    isOutside = view === 'outside',
    chosen = search.get('device') ?? undefined;
  const isPlain = !isCheckout && !isOwn && !isOutside,
    isFolded = useFolded('side') && isPlain;
  // Who comes here for a device, from a problem or a search, sees how it is wired.
  useEffect(() => {
    if (chosen && isPlain) openWiring();
  }, [chosen, isPlain]);
  const choose = (id: string) => {
    if (isPlain) openWiring();
    setSearch(isCheckout ? { view: 'checkout', device: id } : { device: id });
  };
  const show = (to: string) => setSearch(view === to ? {} : { view: to });
  const [isLarge, setLarge] = useState(false);
  const project = useDocument((s) => s.project);
  const loose = useMemo(() => (project ? looseEnds(project) : []), [project]);
  const matches = useMemo(() => (project ? wiresThatMatch(project) : []), [project]);
  const unwired = loose.filter((l) => l.what === 'unwired').length,
    twice = new Set(loose.filter((l) => l.what === 'twice').map((l) => `${l.device}.${l.terminal}`)).size;
  const wireAll = () =>
    useDocument.getState().edit({
      kind: 'group',
      label: 'Wire what matches',
      edits: matches.map((m): Edit => ({ kind: 'changeDevice', id: m.device.id, to: { wires: m.wires } })),
    });
  const makeTags = () => useDocument.getState().edit(missingTags(project!, () => newId('t')));
  return (
    <div
      data-bare-keys=""
      className="grid h-full min-h-0 "
      style={{
        gridTemplateColumns: isOwn
          ? 'minmax(320px,0.7fr) minmax(0,1.3fr)'
          : isCheckout || isOutside
            ? 'minmax(320px,0.6fr) minmax(0,1fr)'
            : isFolded
              ? 'minmax(0,1fr)'
              : 'minmax(0,1.15fr) minmax(400px,1fr)',
      }}
    >
      <div className="flex min-h-0 flex-col gap-3 overflow-y-auto p-3">
        <div className="flex flex-wrap items-center gap-1.5">
          <AddDevice
            after={chosen}
            onAdded={(id) => {
              openWiring();
              setSearch({ device: id });
            }}
          />
          {isPlain && devices.length > 0 && (
            <Button aria-pressed={!isFolded} keys="⇧F4" onClick={() => toggleFold('side')}>
              {isFolded ? 'Wiring' : 'Fold the wiring'}
            </Button>
          )}
          <Button aria-pressed={isCheckout} onClick={() => show('checkout')}>
            {isCheckout ? 'Back to the wiring' : 'I/O checkout'}
          </Button>
          <Button aria-pressed={isOutside} onClick={() => show('outside')}>
            {isOutside ? 'Back to the wiring' : 'Outside I/O'}
          </Button>
          <Button aria-pressed={isOwn} onClick={() => show('own')}>
            {isOwn ? 'Back to the wiring' : 'Own devices'}
          </Button>
          {isFolded && (
            <Button aria-pressed={isLarge} onClick={() => setLarge(!isLarge)}>
              {isLarge ? 'With the panel' : 'Fill the area'}
            </Button>
          )}
          {matches.length > 0 && (
            <Button onClick={wireAll}>
              Wire what matches ·{' '}
              {matches.reduce((n, m) => n + Object.keys(m.wires).length - Object.keys(m.device.wires ?? {}).length, 0)}
            </Button>
          )}
          {unwired > 0 && <Button onClick={makeTags}>Make the missing tags</Button>}
          <span role="status" className="ml-auto text-[12.5px] text-soft">
            {devices.length
              ? [
                  unwired ? `${unwired} terminal${unwired === 1 ? '' : 's'} not wired` : '',
                  twice ? `${twice} terminals on one tag` : '',
                ]
                  .filter(Boolean)
                  .join(' · ') || 'Everything is wired.'
              : ''}
          </span>
        </div>
        {!devices.length && (
          <p className="max-w-lg text-soft">
            This project has no machine model yet. Add its devices along the flow: what a person touches, what moves,
            what measures. Each behaves by itself; wire its terminals to tags, and the bench has something to run
            against.
          </p>
        )}
        {isFolded ? (
          <div className="grid min-h-0 flex-1 grid-cols-[minmax(0,1fr)_auto] gap-3">
            <div className="flex min-h-0 min-w-0 flex-col">
              <MachineView devices={devices} onChoose={choose} chosen={chosen} canMove fills />
            </div>
            {!isLarge && (
              <div className="w-[min(344px,36vw)] min-h-0 overflow-y-auto">
                <Panel />
              </div>
            )}
          </div>
        ) : (
          <>
            <MachineView devices={devices} onChoose={choose} chosen={chosen} canMove showsLinks={isPlain} />
            <Panel />
          </>
        )}
      </div>
      {isOwn ? (
        <div className="flex min-h-0 flex-col border-l border-edge bg-sheet">
          <OwnKinds />
        </div>
      ) : isOutside ? (
        <div className="flex min-h-0 flex-col border-l border-edge bg-sheet">
          <OutsideIo />
        </div>
      ) : isCheckout ? (
        <div className="flex min-h-0 flex-col border-l border-edge bg-sheet">
          <Checkout />
        </div>
      ) : (
        !isFolded && <Wiring loose={loose} chosen={chosen} />
      )}
    </div>
  );
}
