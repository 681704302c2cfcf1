/** What a person touches: buttons, switches, lamps, numbers. Cap colours alone follow IEC 60073. */
import { useState } from 'react';
import { type Handle, placeNames } from '@ferrule/core/machine';
import { useKinds, useMachine } from '../kinds.js';
import { PushButton, HandButton, HandSwitch, Latching, ThreeWay, Places, KeySwitch } from './panel-switches.js';
import { Recipe, Lamp, Buzzer, SetPoint, Meter, Display } from './panel-values.js';
import { Upsets } from './panel-upsets.js';
import { labelOf, said } from './panel-parts.js';

/** Kinds that have a face of their own on the panel. */
const FACES = new Set([
  'PushButton',
  'EmergencyStop',
  'Selector',
  'ThreeWaySelector',
  'PlaceSelector',
  'KeySelector',
  'SetPoint',
  'RecipePicker',
]);

export function Panel() {
  const { devices } = useMachine(),
    kind = useKinds();
  const of = (...types: string[]) => devices.filter((d) => types.includes(d.type));
  const [upsetsOpen, openUpsets] = useState(false);
  const handles = (...types: Handle['type'][]) =>
    devices
      .filter((d) => !FACES.has(d.type))
      .flatMap((d) => (kind(d.type)?.handles ?? []).filter((h) => types.includes(h.type)).map((h) => [d, h] as const));
  if (!devices.length) return null;
  return (
    <section
      aria-label="Panel"
      tabIndex={-1}
      data-bare-keys=""
      className="outline-none shrink-0 rounded-xl border border-edge bg-panel p-3 text-panel-ink"
    >
      <div className="flex flex-wrap gap-x-0 gap-y-2">
        {of('PushButton').map((d) => (
          <PushButton key={d.id} device={d} />
        ))}
        {of('EmergencyStop', 'Selector').map((d) => (
          <Latching
            key={d.id}
            device={d}
            handle={d.type === 'EmergencyStop' ? 'Struck' : 'Turned'}
            label={labelOf(d)}
          />
        ))}
        {of('ThreeWaySelector').map((d) => (
          <ThreeWay key={d.id} device={d} handle="Way" label={labelOf(d)} />
        ))}
        {of('PlaceSelector').map((d) => (
          <Places key={d.id} device={d} />
        ))}
        {of('KeySelector').map((d) => (
          <KeySwitch key={d.id} device={d} />
        ))}
        {of('Lamp').map((d) => (
          <Lamp key={d.id} device={d} />
        ))}
        {of('Buzzer').map((d) => (
          <Buzzer key={d.id} device={d} />
        ))}
        {handles('way').map(([d, h]) => (
          <ThreeWay key={`${d.id}${h.name}`} device={d} handle={h.name} label={`${labelOf(d)}: ${said(h.name)}`} />
        ))}
      </div>
      <div className="mt-3 flex flex-wrap gap-1.5">
        {of('SetPoint').map((d) => (
          <SetPoint key={d.id} device={d} handle="Entry" shows="Value" label={labelOf(d)} />
        ))}
        {of('RecipePicker').map((d) => (
          <Recipe key={d.id} device={d} handle="Choice" label={labelOf(d)} names={placeNames(d, kind(d.type))} />
        ))}
        {handles('place').map(([d, h]) => (
          <Recipe
            key={`${d.id}${h.name}`}
            device={d}
            handle={h.name}
            label={`${labelOf(d)}: ${said(h.name)}`}
            names={placeNames(d, kind(d.type))}
          />
        ))}
        {handles('number').map(([d, h]) => (
          <SetPoint
            key={`${d.id}${h.name}`}
            device={d}
            handle={h.name}
            shows={h.name}
            label={`${labelOf(d)}: ${said(h.name)}`}
          />
        ))}
        {of('Display').map((d) => (
          <Display key={d.id} device={d} />
        ))}
        {of('Meter').map((d) => (
          <Meter key={d.id} device={d} />
        ))}
      </div>
      {handles('press', 'turn', 'latch').length > 0 && (
        <div role="group" aria-label="By hand at the machine" className="mt-3 flex flex-wrap items-center gap-1">
          <span className="mr-1 text-[12px]">By hand</span>
          {handles('turn', 'latch').map(([d, h]) => (
            <HandSwitch key={`${d.id}${h.name}`} device={d} handle={h.name} />
          ))}
          {handles('press').map(([d, h]) => (
            <HandButton key={`${d.id}${h.name}`} device={d} handle={h.name} />
          ))}
        </div>
      )}
      {devices.some((d) => kind(d.type)?.upsets.length) && (
        <details className="mt-3" onToggle={(e) => openUpsets(e.currentTarget.open)}>
          <summary className="cursor-pointer text-[12px]">Upsets: make something go wrong</summary>
          {upsetsOpen && <Upsets />}
        </details>
      )}
    </section>
  );
}
