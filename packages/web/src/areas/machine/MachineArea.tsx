/** Machine: the model at large, its panel, and how every terminal is wired, with both ends live. */
import { ChevronDown, Trash2 } from 'lucide-react';
import { DropdownMenu } from 'radix-ui';
import { useMemo, useState } from 'react';
import { useSearchParams } from 'react-router';
import { DEVICE_GROUPS, type Device, type DeviceKind, type Edit, type Loose, type Project, type Tag, type Terminal, deviceKind, looseEnds, nextFree, renameDevice, tagNameFor, wiresThatMatch } from '@ferrule/core';
import { useBench, useLook, useValue } from '../../bench/live.js';
import { useTagDrop } from '../../components/drag.js';
import { Checkout } from '../../components/Checkout.js';
import { Button, EditInPlace, MENU, MENU_ITEM } from '../../components/ui.js';
import { valueText } from '../../components/values.js';
import { MachineView } from '../../components/machine/MachineView.js';
import { Panel } from '../../components/machine/Panel.js';
import { newId, useDocument } from '../../document/store.js';

export function MachineArea() {
  const devices = useDocument((s) => s.project?.machine.devices) ?? [];
  const problems = useBench((s) => s.checked?.problems) ?? [];
  const [search, setSearch] = useSearchParams();
  const isCheckout = search.get('view') === 'checkout';
  const project = useDocument((s) => s.project);
  const loose = useMemo(() => (project ? looseEnds(project) : []), [project]);
  const matches = useMemo(() => (project ? wiresThatMatch(project) : []), [project]);
  const unwired = loose.filter((l) => l.what === 'unwired').length, twice = new Set(loose.filter((l) => l.what === 'twice').map((l) => `${l.device}.${l.terminal}`)).size;
  const wireAll = () => useDocument.getState().edit({ kind: 'group', label: 'Wire what matches', edits: matches.map((m): Edit => ({ kind: 'changeDevice', id: m.device.id, to: { wires: m.wires } })) });
  const makeTags = () => useDocument.getState().edit(missingTags(project!, devices));
  return (
    <div className="grid h-full min-h-0 " style={{ gridTemplateColumns: isCheckout ? 'minmax(320px,0.6fr) minmax(0,1fr)' : 'minmax(0,1.15fr) minmax(400px,1fr)' }}>
      <div className="flex min-h-0 flex-col gap-3 overflow-y-auto p-3">
        <div className="flex flex-wrap items-center gap-1.5">
          <AddDevice />
          <Button aria-pressed={isCheckout} onClick={() => setSearch(isCheckout ? {} : { view: 'checkout' })}>{isCheckout ? 'Back to the wiring' : 'I/O checkout'}</Button>
          {matches.length > 0 && <Button onClick={wireAll}>Wire what matches · {matches.reduce((n, m) => n + Object.keys(m.wires).length - Object.keys(m.device.wires ?? {}).length, 0)}</Button>}
          {unwired > 0 && <Button onClick={makeTags}>Make the missing tags</Button>}
          <span role="status" className="ml-auto text-[12.5px] text-soft">{devices.length ? [unwired ? `${unwired} terminal${unwired === 1 ? '' : 's'} not wired` : '', twice ? `${twice} terminals on one tag` : ''].filter(Boolean).join(' · ') || 'Everything is wired.' : ''}</span>
        </div>
        {!devices.length && <p className="max-w-lg text-soft">This project has no machine model yet. Add its devices along the flow: what a person touches, what moves, what measures. Each behaves by itself; wire its terminals to tags, and the bench has something to run against.</p>}
        <MachineView devices={devices} /><Panel devices={devices} />
      </div>
      {isCheckout ? <div className="flex min-h-0 flex-col border-l border-edge bg-sheet"><Checkout /></div> : <section aria-label="Wiring" className="min-h-0 overflow-y-auto border-l border-edge bg-sheet">
        <table className="w-full border-collapse text-[12.5px]">
          <thead className="sticky top-0 z-10 bg-sunk text-left text-soft"><tr><th className="px-3 py-1.5 font-medium">Terminal</th><th className="w-40 font-medium">Wired to</th><th className="w-24 font-medium">At the device</th><th className="w-20 font-medium">At the tag</th></tr></thead>
          <tbody>{devices.map((d) => <DeviceRows key={d.id} device={d} loose={loose} kind={deviceKind(d.type)} isChosen={search.get('device') === d.id} problem={problems.find((p) => p.origin.kind === 'device' && p.origin.id === d.id)?.message} />)}</tbody>
        </table>
      </section>}
    </div>
  );
}

/** A new device, named by its kind; what it stands behind in the flow is the one before it. */
function AddDevice() {
  const add = (kind: DeviceKind) => {
    const { project, edit } = useDocument.getState();
    const all = project?.machine.devices ?? [], base = kind.type;
    let name: string = base, n = 2;
    while (all.some((d) => d.name.toLowerCase() === name.toLowerCase())) name = `${base}${n++}`;
    edit({ kind: 'addDevice', at: all.length, device: { id: newId('d'), name, type: kind.type, ...(kind.type === 'PushButton' ? { colour: 'green' as const } : kind.type === 'Lamp' ? { colour: 'white' as const } : {}) } });
    requestAnimationFrame(() => document.querySelector<HTMLInputElement>(`[aria-label="Name of the device ${name}"]`)?.select());
  };
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild><Button look="strong">Add device<ChevronDown size={13} /></Button></DropdownMenu.Trigger>
      <DropdownMenu.Portal><DropdownMenu.Content align="start" sideOffset={4} className={`${MENU} max-h-[70vh] overflow-y-auto`}>
        {DEVICE_GROUPS.map((g) => (
          <DropdownMenu.Group key={g.name}>
            <DropdownMenu.Label className="px-2.5 pt-1.5 text-[11px] font-semibold text-soft">{g.name}</DropdownMenu.Label>
            {g.kinds.map((k) => <DropdownMenu.Item key={k.type} className={MENU_ITEM} onSelect={() => add(k)} title={k.help}><span className="w-32">{k.type.replace(/([a-z])([A-Z])/g, '$1 $2')}</span><span className="max-w-80 truncate text-[11.5px] text-soft">{k.help}</span></DropdownMenu.Item>)}
          </DropdownMenu.Group>
        ))}
      </DropdownMenu.Content></DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

/** Tags for every electrical terminal that has none, wired to it. */
function missingTags(project: Project, devices: readonly Device[]): Edit {
  let tags: readonly Tag[] = project.tags;
  const edits: Edit[] = [];
  const loose = looseEnds(project);
  for (const d of devices) {
    const wires: Record<string, string> = { ...d.wires };
    for (const t of deviceKind(d.type)?.terminals ?? []) {
      if (!loose.some((l) => l.what === 'unwired' && l.device === d.name && l.terminal === t.name) || /mechanical/.test(t.help)) continue;
      // A button is asked by one of its contacts only: the one that is safe for what it does.
      if (d.type === 'PushButton' && t.name === (/stop/i.test(d.name) ? 'NO' : 'NC')) continue;
      const base = /^(NO|NC)$/.test(t.name) ? `${d.name}${t.name === 'NC' ? 'OK' : 'PB'}` : tagNameFor(d.name, t.name);
      let name = base, n = 2;
      while (tags.some((x) => x.name.toLowerCase() === name.toLowerCase()) || devices.some((x) => x.name.toLowerCase() === name.toLowerCase())) name = n === 2 && t.name === 'Run' ? `${d.name}Run${n++}` : `${base}${n++}`;
      const area = t.direction === 'out' ? 'I' : 'Q', bits = t.type === 'BOOL' ? 1 : t.type === 'REAL' ? 32 : 16;
      tags = [...tags, { id: newId('t'), name, type: t.type, address: nextFree(area, bits, tags, project.modules), description: `${d.label ?? d.name}: ${t.help.charAt(0).toLowerCase()}${t.help.slice(1)}`, ...(area === 'I' && t.type === 'BOOL' ? { wiring: t.name === 'NC' || /OK$/.test(t.name) ? 'NC' as const : 'NO' as const } : {}) }];
      edits.push({ kind: 'addTag', tag: tags[tags.length - 1]! });
      wires[t.name] = name;
    }
    if (Object.keys(wires).length !== Object.keys(d.wires ?? {}).length) edits.push({ kind: 'changeDevice', id: d.id, to: { wires } });
  }
  return { kind: 'group', label: 'Make the missing tags', edits };
}

function DeviceRows({ device, kind, isChosen, problem, loose }: { readonly loose: readonly Loose[]; readonly device: Device; readonly kind: DeviceKind | undefined; readonly isChosen: boolean; readonly problem: string | undefined }) {
  const [open, setOpen] = useState(false);
  const change = (to: Partial<Omit<Device, 'id'>>) => useDocument.getState().edit({ kind: 'changeDevice', id: device.id, to });
  const rename = (name: string) => {
    const { project, edit } = useDocument.getState();
    if (!project || !/^[A-Za-z_]\w*$/.test(name)) { useDocument.setState({ refused: `‘${name}’ is not a name: letters, digits and underscores, a letter first.` }); return; }
    if (project.machine.devices.some((d) => d !== device && d.name.toLowerCase() === name.toLowerCase())) { useDocument.setState({ refused: `There is a device ‘${name}’ already.` }); return; }
    edit(renameDevice(project, device.id, name));
  };
  const move = (by: -1) => {
    const { project, edit } = useDocument.getState(), at = project?.machine.devices.findIndex((d) => d.id === device.id) ?? 0;
    if (at + by >= 0) edit({ kind: 'group', label: `Move ${device.name}`, edits: [{ kind: 'removeDevice', id: device.id }, { kind: 'addDevice', device, at: at + by }] });
  };
  return (
    <>
      <tr className={`border-t border-edge ${isChosen ? 'bg-glow' : 'bg-sunk/60'}`}><td colSpan={4} className="px-3 py-1" title={kind?.help}>
        <div className="flex items-center gap-2">
          <span className="w-28 font-semibold"><EditInPlace value={device.name} label={`Name of the device ${device.name}`} onCommit={rename} /></span><span className="text-soft">{device.type}</span>
          <span className="min-w-0 flex-1 text-soft"><EditInPlace value={device.label ?? ''} label={`Label of ${device.name}`} placeholder="label" onCommit={(label) => change({ label: (label || null) as string })} /></span>
          {(device.type === 'PushButton' || device.type === 'Lamp' || device.type === 'Selector') && <select aria-label={`Colour of ${device.name}`} value={device.colour ?? 'black'} onChange={(e) => change({ colour: e.target.value as 'red' })} className="h-6 rounded bg-transparent text-[11.5px] text-soft">{['red', 'yellow', 'green', 'blue', 'white', 'black'].map((c) => <option key={c}>{c}</option>)}</select>}
          {(kind?.parameters.length || kind?.upsets.length) ? <button aria-expanded={open} aria-label={`${open ? 'less' : 'more'} of ${device.name}`} onClick={() => setOpen(!open)} className="text-[11.5px] text-soft hover:text-ink">{open ? 'less' : 'more'}</button> : null}
          <button aria-label={`Move ${device.name} up the flow`} onClick={() => move(-1)} className="text-faint hover:text-ink">↑</button>
          <button aria-label={`Delete the device ${device.name}`} onClick={() => useDocument.getState().edit({ kind: 'removeDevice', id: device.id })} className="text-faint hover:text-bad"><Trash2 size={13} /></button>
        </div>
        {open && kind && (
          <div className="grid grid-cols-2 gap-x-4 pb-1">
            {kind.parameters.map((p) => <label key={p.name} className="flex items-center gap-1.5" title={p.help}><span className="w-20 truncate text-soft">{p.name}</span><span className="w-20"><EditInPlace mono value={device.parameters?.[p.name] ?? ''} placeholder={p.initial} label={`${p.name} of ${device.name}`} onCommit={(v) => { const { [p.name]: _, ...rest } = device.parameters ?? {}; change({ parameters: v ? { ...rest, [p.name]: /^-?\d+$/.test(v) && p.type === 'REAL' ? `${v}.0` : v } : rest }); }} /></span><span className="text-faint">{p.unit}</span></label>)}
            {kind.upsets.map((u) => <span key={u.name} className="col-span-2 text-[11.5px] text-soft">upset {u.name}: {u.help}</span>)}
          </div>
        )}
        {problem && <p className="text-bad">{problem}</p>}</td></tr>
      {kind?.terminals.map((t) => <TerminalRow key={t.name} device={device} terminal={t} loose={loose.find((l) => l.device === device.name && l.terminal === t.name)?.what} />)}
    </>
  );
}

function TerminalRow({ device, terminal, loose }: { readonly device: Device; readonly terminal: Terminal; readonly loose: 'unwired' | 'twice' | undefined }) {
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
  const drop = useTagDrop<HTMLTableRowElement>(rewire);
  return (
    <tr ref={drop} data-takes-tags className={`border-t border-edge/60 ${loose === 'twice' ? 'bg-bad-soft' : ''}`}>
      <td className="py-0.5 pl-6" title={terminal.help}><span className="text-faint" aria-label={terminal.direction === 'out' ? 'gives' : 'takes'}>{terminal.direction === 'out' ? '→' : '←'}</span> {terminal.name}</td>
      <td><EditInPlace mono value={to} label={`Wire of ${device.name}.${terminal.name}`} placeholder={loose === 'unwired' ? 'not wired yet' : 'not wired'} onCommit={rewire} />{loose === 'twice' && <span className="px-1 text-[11px] text-bad">another terminal drives this too</span>}</td>
      <td className={`font-mono ${a === true ? 'font-semibold text-copper-ink' : ''}`}>{valueText(a)}</td>
      <td className={`font-mono ${b === true ? 'font-semibold text-copper-ink' : ''}`}>{valueText(b)}</td>
    </tr>
  );
}
