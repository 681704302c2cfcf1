/** Machine: the model at large, its panel, and how every terminal is wired, with both ends live. */
import { useSearchParams } from 'react-router';
import { type Device, type DeviceKind, type Terminal, deviceKind } from '@ferrule/core';
import { useBench, useLook, useValue } from '../../bench/live.js';
import { EditInPlace } from '../../components/ui.js';
import { valueText } from '../../components/values.js';
import { MachineView } from '../../components/machine/MachineView.js';
import { Panel } from '../../components/machine/Panel.js';
import { useDocument } from '../../document/store.js';

export function MachineArea() {
  const devices = useDocument((s) => s.project?.machine.devices) ?? [];
  const problems = useBench((s) => s.checked?.problems) ?? [];
  const [search] = useSearchParams();
  if (!devices.length) return <p className="p-6 text-soft">This project has no machine model yet. Its inputs can be set in Tags.</p>;
  return (
    <div className="grid h-full min-h-0 grid-cols-[minmax(0,1.15fr)_minmax(400px,1fr)]">
      <div className="flex min-h-0 flex-col gap-3 overflow-y-auto p-3"><MachineView devices={devices} /><Panel devices={devices} /></div>
      <section aria-label="Wiring" className="min-h-0 overflow-y-auto border-l border-edge bg-sheet">
        <table className="w-full border-collapse text-[12.5px]">
          <thead className="sticky top-0 z-10 bg-sunk text-left text-soft"><tr><th className="px-3 py-1.5 font-medium">Terminal</th><th className="w-40 font-medium">Wired to</th><th className="w-24 font-medium">At the device</th><th className="w-20 font-medium">At the tag</th></tr></thead>
          <tbody>{devices.map((d) => <DeviceRows key={d.id} device={d} kind={deviceKind(d.type)} isChosen={search.get('device') === d.id} problem={problems.find((p) => p.origin.kind === 'device' && p.origin.id === d.id)?.message} />)}</tbody>
        </table>
      </section>
    </div>
  );
}

function DeviceRows({ device, kind, isChosen, problem }: { readonly device: Device; readonly kind: DeviceKind | undefined; readonly isChosen: boolean; readonly problem: string | undefined }) {
  return (
    <>
      <tr className={`border-t border-edge ${isChosen ? 'bg-glow' : 'bg-sunk/60'}`}><td colSpan={4} className="px-3 py-1" title={kind?.help}><b>{device.name}</b> <span className="text-soft">: {device.type}{device.label && device.label !== device.name ? ` · ${device.label}` : ''}</span>{problem && <p className="text-bad">{problem}</p>}</td></tr>
      {kind?.terminals.map((t) => <TerminalRow key={t.name} device={device} terminal={t} />)}
    </>
  );
}

function TerminalRow({ device, terminal }: { readonly device: Device; readonly terminal: Terminal }) {
  const to = Object.entries(device.wires ?? {}).find(([k]) => k.toLowerCase() === terminal.name.toLowerCase())?.[1] ?? '';
  const isTag = useDocument((s) => s.project?.tags.some((t) => t.name.toLowerCase() === to.split(/[.[]/)[0]!.toLowerCase())) ?? false;
  const here = `Machine.${device.name}.${terminal.name}`;
  const there = isTag ? to : to ? `Machine.${to}` : '';
  useLook([here, ...(there ? [there] : [])]);
  const [a, b] = [useValue(here), useValue(there)];
  const rewire = (text: string) => {
    const wires = Object.fromEntries(Object.entries({ ...device.wires, [terminal.name]: text }).filter(([, v]) => v));
    useDocument.getState().edit({ kind: 'changeDevice', id: device.id, to: { wires } });
  };
  return (
    <tr className="border-t border-edge/60">
      <td className="py-0.5 pl-6" title={terminal.help}><span className="text-faint" aria-label={terminal.direction === 'out' ? 'gives' : 'takes'}>{terminal.direction === 'out' ? '→' : '←'}</span> {terminal.name}</td>
      <td><EditInPlace mono value={to} label={`Wire of ${device.name}.${terminal.name}`} placeholder="not wired" onCommit={rewire} /></td>
      <td className={`font-mono ${a === true ? 'font-semibold text-copper-ink' : ''}`}>{valueText(a)}</td>
      <td className={`font-mono ${b === true ? 'font-semibold text-copper-ink' : ''}`}>{valueText(b)}</td>
    </tr>
  );
}
