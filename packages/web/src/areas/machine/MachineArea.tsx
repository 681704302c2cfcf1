/** Machine: the model at large, its panel, and how every terminal is wired, with both ends live. */
import { ChevronDown, CircleHelp, Trash2 } from 'lucide-react';
import { DropdownMenu } from 'radix-ui';
import { useEffect, useMemo, useRef, useState } from 'react';
import { useSearchParams } from 'react-router';
import { DEVICE_GROUPS, type Device, type DeviceKind, type Edit, LINE, type Loose, PART, type Parameter, type Project, type Tag, type Terminal, kindOf, limitsOf, linkEnds, looseEnds, nextFree, renameDevice, snapLinks, tagNameFor, wiresThatMatch } from '@ferrule/core';
import { useBench, useLook, useValue } from '../../bench/live.js';
import { grab, useTagDrop } from '../../components/drag.js';
import { Checkout } from '../../components/Checkout.js';
import { askHelp } from '../../components/help-topic.js';
import { useKinds } from '../../components/kinds.js';
import { later } from '../../components/later.js';
import { Button, EditInPlace, MENU, MENU_ITEM } from '../../components/ui.js';
import { valueText } from '../../components/values.js';
import { MachineView } from '../../components/machine/MachineView.js';
import { Panel } from '../../components/machine/Panel.js';
import { newId, useDocument } from '../../document/store.js';
import type { ProblemNote } from '../../bench/protocol.js';

const OwnKinds = later(() => import('./OwnKinds.js').then((m) => m.OwnKinds));

export function MachineArea() {
  const kind = useKinds();
  const devices = useDocument((s) => s.project?.machine.devices) ?? [];
  const problems = useBench((s) => s.checked?.problems) ?? [];
  const [search, setSearch] = useSearchParams();
  const view = search.get('view'), isCheckout = view === 'checkout', isOwn = view === 'own', chosen = search.get('device') ?? undefined;
  const choose = (id: string) => setSearch(isCheckout ? { view: 'checkout', device: id } : { device: id });
  const show = (to: string) => setSearch(view === to ? {} : { view: to });
  const project = useDocument((s) => s.project);
  const loose = useMemo(() => (project ? looseEnds(project) : []), [project]);
  const matches = useMemo(() => (project ? wiresThatMatch(project) : []), [project]);
  const unwired = loose.filter((l) => l.what === 'unwired').length, twice = new Set(loose.filter((l) => l.what === 'twice').map((l) => `${l.device}.${l.terminal}`)).size;
  const wireAll = () => useDocument.getState().edit({ kind: 'group', label: 'Wire what matches', edits: matches.map((m): Edit => ({ kind: 'changeDevice', id: m.device.id, to: { wires: m.wires } })) });
  const makeTags = () => useDocument.getState().edit(missingTags(project!, devices));
  return (
    <div className="grid h-full min-h-0 " style={{ gridTemplateColumns: isOwn ? 'minmax(320px,0.7fr) minmax(0,1.3fr)' : isCheckout ? 'minmax(320px,0.6fr) minmax(0,1fr)' : 'minmax(0,1.15fr) minmax(400px,1fr)' }}>
      <div className="flex min-h-0 flex-col gap-3 overflow-y-auto p-3">
        <div className="flex flex-wrap items-center gap-1.5">
          <AddDevice after={chosen} onAdded={(id) => setSearch({ device: id })} />
          <Button aria-pressed={isCheckout} onClick={() => show('checkout')}>{isCheckout ? 'Back to the wiring' : 'I/O checkout'}</Button>
          <Button aria-pressed={isOwn} onClick={() => show('own')}>{isOwn ? 'Back to the wiring' : 'Own devices'}</Button>
          {matches.length > 0 && <Button onClick={wireAll}>Wire what matches · {matches.reduce((n, m) => n + Object.keys(m.wires).length - Object.keys(m.device.wires ?? {}).length, 0)}</Button>}
          {unwired > 0 && <Button onClick={makeTags}>Make the missing tags</Button>}
          <span role="status" className="ml-auto text-[12.5px] text-soft">{devices.length ? [unwired ? `${unwired} terminal${unwired === 1 ? '' : 's'} not wired` : '', twice ? `${twice} terminals on one tag` : ''].filter(Boolean).join(' · ') || 'Everything is wired.' : ''}</span>
        </div>
        {!devices.length && <p className="max-w-lg text-soft">This project has no machine model yet. Add its devices along the flow: what a person touches, what moves, what measures. Each behaves by itself; wire its terminals to tags, and the bench has something to run against.</p>}
        <MachineView devices={devices} onChoose={choose} chosen={chosen} /><Panel />
      </div>
      {isOwn ? <div className="flex min-h-0 flex-col border-l border-edge bg-sheet"><OwnKinds /></div> : isCheckout ? <div className="flex min-h-0 flex-col border-l border-edge bg-sheet"><Checkout /></div> : <section aria-label="Wiring" className="flex min-h-0 flex-col border-l border-edge bg-sheet">
        {devices.length > 0 && <FreeTags devices={devices} />}
        <div className="min-h-0 flex-1 overflow-y-auto"><table className="w-full border-collapse text-[12.5px]">
          <thead className="sticky top-0 z-10 bg-sunk text-left text-soft"><tr><th className="px-3 py-1.5 font-medium">Terminal</th><th className="w-40 font-medium">Wired to</th><th className="w-24 font-medium">At the device</th><th className="w-20 font-medium">At the tag</th></tr></thead>
          <tbody>{devices.map((d) => <DeviceRows key={d.id} device={d} loose={loose} kind={kind(d.type)} isChosen={chosen === d.id} problems={problems.filter((p) => p.origin.kind === 'device' && p.origin.id === d.id)} />)}</tbody>
        </table></div>
      </section>}
    </div>
  );
}

/** Inputs and outputs that no device is wired to: to be dragged onto a terminal. */
function FreeTags({ devices }: { readonly devices: readonly Device[] }) {
  const tags = useDocument((s) => s.project?.tags);
  const free = useMemo(() => {
    const wired = new Set(devices.flatMap((d) => Object.values(d.wires ?? {}).map((w) => w.split(/[.[]/)[0]!.toLowerCase())));
    return (tags ?? []).filter((t) => /^%[IQ]/i.test(t.address ?? '') && !t.standsFor && !wired.has(t.name.toLowerCase()));
  }, [tags, devices]);
  if (!free.length) return null;
  return (
    <div role="region" aria-label="Tags not wired" className="flex max-h-24 shrink-0 flex-wrap items-center gap-1 overflow-y-auto border-b border-edge px-3 py-1.5">
      <span className="text-[12px] text-soft">Not wired yet; drag onto a terminal:</span>
      {free.map((t) => <span key={t.id} onPointerDown={(e) => { e.preventDefault(); grab(e, () => ({ text: t.name, tag: t.name })); }} title={`${t.address} ${t.type}${t.description ? `: ${t.description}` : ''}`} className="cursor-grab touch-none rounded border border-edge px-1.5 font-mono text-[12px] hover:bg-glow">{t.name}</span>)}
    </div>
  );
}

/** A new device, named by its kind; what it stands behind in the flow is the one before it. */
function AddDevice({ after, onAdded }: { readonly after: string | undefined; readonly onAdded: (id: string) => void }) {
  const own = useDocument((s) => s.project?.machine.kinds), before = useDocument((s) => s.project?.machine.devices.find((d) => d.id === after));
  const groups = own?.length ? [...DEVICE_GROUPS, { name: 'Own', kinds: own }] : DEVICE_GROUPS;
  const add = (kind: DeviceKind) => {
    const { project, edit } = useDocument.getState();
    if (!project) return;
    const all = project.machine.devices, base = kind.type, at = before ? all.indexOf(before) + 1 : all.length;
    let name: string = base, n = 2;
    while (all.some((d) => d.name.toLowerCase() === name.toLowerCase())) name = `${base}${n++}`;
    const device: Device = { id: newId('d'), name, type: kind.type, ...(kind.type === 'PushButton' ? { colour: 'green' as const } : kind.type === 'Lamp' ? { colour: 'white' as const } : {}) };
    // It snaps to what it acts on: the nearest before it in the flow that has what it feels.
    const machine = { ...project.machine, devices: [...all.slice(0, at), device, ...all.slice(at)] }, links = snapLinks({ machine }, device, all.slice(0, at));
    edit({ kind: 'group', label: `Add ${name}`, edits: [{ kind: 'addDevice', at, device }, ...machine.devices.flatMap((d): Edit[] => { const wires = links.get(d.name); return wires ? [{ kind: 'changeDevice', id: d.id, to: { wires } }] : []; })] });
    onAdded(device.id);
    requestAnimationFrame(() => document.querySelector<HTMLInputElement>(`[aria-label="Name of the device ${name}"]`)?.select());
  };
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild><Button look="strong">Add device<ChevronDown size={13} /></Button></DropdownMenu.Trigger>
      <DropdownMenu.Portal><DropdownMenu.Content align="start" sideOffset={4} className={`${MENU} max-h-[70vh] overflow-y-auto`}>
        <p className="px-2.5 pt-1 pb-0.5 text-[11.5px] text-soft">{before ? `Behind ${before.label ?? before.name} in the flow` : 'At the end of the flow; choose a device to put it behind that one'}</p>
        {groups.map((g) => (
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
    for (const t of kindOf(project.machine, d.type)?.terminals ?? []) {
      if (!loose.some((l) => l.what === 'unwired' && l.device === d.name && l.terminal === t.name) || t.mechanical) continue;
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

function DeviceRows({ device, kind, isChosen, problems, loose }: { readonly loose: readonly Loose[]; readonly device: Device; readonly kind: DeviceKind | undefined; readonly isChosen: boolean; readonly problems: readonly ProblemNote[] }) {
  const [open, setOpen] = useState(false);
  const head = useRef<HTMLTableRowElement>(null);
  useEffect(() => { if (isChosen) head.current?.scrollIntoView({ block: 'nearest' }); }, [isChosen]);
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
      <tr ref={head} className={`scroll-mt-8 border-t border-edge ${isChosen ? 'bg-glow' : 'bg-sunk/60'}`}><td colSpan={4} className="px-3 py-1" title={kind?.help}>
        <div className="flex items-center gap-2">
          <span className="w-28 font-semibold"><EditInPlace value={device.name} label={`Name of the device ${device.name}`} onCommit={rename} /></span><span className="text-soft">{device.type}</span>
          <span className="min-w-0 flex-1 text-soft"><EditInPlace value={device.label ?? ''} label={`Label of ${device.name}`} placeholder="label" onCommit={(label) => change({ label: (label || null) as string })} /></span>
          {(device.type === 'PushButton' || device.type === 'Lamp' || device.type === 'Selector') && <select aria-label={`Colour of ${device.name}`} value={device.colour ?? 'black'} onChange={(e) => change({ colour: e.target.value as 'red' })} className="h-6 rounded bg-transparent text-[11.5px] text-soft">{['red', 'yellow', 'green', 'blue', 'white', 'black'].map((c) => <option key={c}>{c}</option>)}</select>}
          {(kind?.parameters.length || kind?.upsets.length) ? <button aria-expanded={open} aria-label={`${open ? 'less' : 'more'} of ${device.name}`} onClick={() => setOpen(!open)} className="text-[11.5px] text-soft hover:text-ink">{open ? 'less' : 'more'}</button> : null}
          {kind && <button aria-label={`What a ${device.type} does`} title={kind.help} onClick={() => askHelp({ tab: 'devices', page: device.type })} className="text-faint hover:text-ink"><CircleHelp size={13} /></button>}
          <button aria-label={`Move ${device.name} up the flow`} onClick={() => move(-1)} className="text-faint hover:text-ink">↑</button>
          <button aria-label={`Delete the device ${device.name}`} onClick={() => useDocument.getState().edit({ kind: 'removeDevice', id: device.id })} className="text-faint hover:text-bad"><Trash2 size={13} /></button>
        </div>
        {open && kind && (
          <div className="grid grid-cols-2 gap-x-4 pb-1">
            {kind.parameters.map((p) => <label key={p.name} className="flex items-center gap-1.5" title={`${p.help}${rangeText(p)}`}><span className="w-20 truncate text-soft">{p.name}</span><span className="w-20"><EditInPlace mono value={device.parameters?.[p.name] ?? ''} placeholder={p.initial} label={`${p.name} of ${device.name}`} onCommit={(v) => { const { [p.name]: _, ...rest } = device.parameters ?? {}; change({ parameters: v ? { ...rest, [p.name]: /^-?\d+$/.test(v) && p.type === 'REAL' ? `${v}.0` : v } : rest }); }} /></span><span className="text-faint">{p.unit}</span></label>)}
            {kind.upsets.map((u) => <span key={u.name} className="col-span-2 text-[11.5px] text-soft">upset {u.name}: {u.help}</span>)}
          </div>
        )}
        {problems.map((p, i) => <p key={i} className={p.severity === 'error' ? 'text-bad' : 'text-ink'}><span aria-hidden>{p.severity === 'error' ? '✕ ' : '△ '}</span>{p.message}</p>)}</td></tr>
      {kind?.terminals.map((t) => <TerminalRow key={t.name} device={device} terminal={t} loose={loose.find((l) => l.device === device.name && l.terminal === t.name)?.what} />)}
    </>
  );
}

/** Limits of a parameter, as words behind what it is for. */
function rangeText(p: Parameter): string {
  const l = limitsOf(p);
  return l ? `; ${l[1] === Infinity ? `at least ${l[0]}` : `${l[0]} to ${l[1]}`}${p.unit ? ` ${p.unit}` : ''}` : '';
}

/** What is read to show a terminal: of a part its number, of a line how many parts are on it. */
const shownAt = (path: string, t: Terminal): string => (t.type === PART ? `${path}.Number` : t.type === LINE ? `${path}.Count` : path);

function TerminalRow({ device, terminal, loose }: { readonly device: Device; readonly terminal: Terminal; readonly loose: 'unwired' | 'twice' | undefined }) {
  const to = Object.entries(device.wires ?? {}).find(([k]) => k.toLowerCase() === terminal.name.toLowerCase())?.[1] ?? '';
  const isTag = useDocument((s) => s.project?.tags.some((t) => t.name.toLowerCase() === to.split(/[.[]/)[0]!.toLowerCase())) ?? false;
  const here = shownAt(`Machine.${device.name}.${terminal.name}`, terminal);
  const there = isTag ? to : to ? shownAt(`Machine.${to}`, terminal) : '';
  const project = useDocument((s) => s.project);
  const isLink = terminal.direction === 'in' && terminal.mechanical === true;
  const used = useMemo(() => (terminal.mechanical && terminal.direction === 'out' && project ? project.machine.devices.flatMap((d) => Object.entries(d.wires ?? {}).flatMap(([t, w]) => (w.toLowerCase() === `${device.name}.${terminal.name}`.toLowerCase() ? [`${d.name}.${t}`] : []))) : []), [project, device.name, terminal]);
  const ends = useMemo(() => (isLink && project ? linkEnds(project, device.name, terminal.name) : []), [isLink, project, device.name, terminal.name]);
  useLook([here, ...(there ? [there] : [])]);
  const [a, b] = [useValue(here), useValue(there)];
  const rewire = (text: string) => {
    const wires = Object.fromEntries(Object.entries({ ...device.wires, [terminal.name]: text }).filter(([, v]) => v));
    useDocument.getState().edit({ kind: 'changeDevice', id: device.id, to: { wires } });
  };
  const drop = useTagDrop<HTMLTableRowElement>(rewire);
  return (
    <tr ref={drop} data-takes-tags className={`border-t border-edge/60 ${loose === 'twice' ? 'bg-bad-soft' : ''}`}>
      <td className={`py-0.5 pl-6 ${terminal.mechanical ? 'text-soft' : ''}`} title={`${terminal.help}${terminal.mechanical ? ' (mechanical)' : ''}`}><span className="text-faint" aria-label={terminal.direction === 'out' ? 'gives' : 'takes'}>{terminal.direction === 'out' ? '→' : '←'}</span> {terminal.name}</td>
      <td>{isLink ? (
        <select aria-label={`Link of ${device.name}.${terminal.name}`} value={to} onChange={(e) => rewire(e.target.value)} className="h-6 w-full rounded-sm border border-transparent bg-transparent px-0.5 font-mono text-[12px] text-soft hover:border-edge">
          <option value="">not linked</option>{[...new Set([...ends, ...(to ? [to] : [])])].map((e) => <option key={e}>{e}</option>)}
        </select>
      ) : terminal.mechanical && !to ? <span className="px-1 font-mono text-[12px] text-faint">{used.join(', ') || 'nothing'}</span> : <EditInPlace mono value={to} label={`Wire of ${device.name}.${terminal.name}`} placeholder={loose === 'unwired' ? 'not wired yet' : 'not wired'} onCommit={rewire} />}{loose === 'twice' && <span className="px-1 text-[11px] text-bad">another terminal drives this too</span>}</td>
      <td className={`font-mono ${a === true ? 'font-semibold text-copper-ink' : ''}`}>{valueText(a)}</td>
      <td className={`font-mono ${b === true ? 'font-semibold text-copper-ink' : ''}`}>{valueText(b)}</td>
    </tr>
  );
}
