/** Wiring a machine: which tag a terminal is meant for by its name, and which terminals are left over or driven twice. */
import type { Device, Project, Tag } from './document.js';
import type { DeviceKind, Terminal } from '../machine/device.js';
import { deviceKind } from '../machine/library.js';

/** What a tag of this terminal would be called: `ClampOpen` for the terminal `IsOpen` of `Clamp`. */
export function tagNameFor(device: string, terminal: string): string {
  return `${device}${terminal.replace(/^Is|^(NO|NC|Power)$/, '')}`;
}

const plain = (s: string): string => s.toLowerCase().replace(/[^a-z0-9]/g, '');

/** The tag that a terminal matches by name and type; one that is free, or none. */
function matchingTag(d: Device, t: Terminal, tags: readonly Tag[], taken: ReadonlySet<string>): Tag | undefined {
  const fits = (x: Tag) => x.type.toUpperCase() === t.type && (t.direction === 'out' ? !taken.has(x.name.toLowerCase()) && !/^%Q/i.test(x.address ?? '') : !/^%I/i.test(x.address ?? '')) && !x.standsFor;
  const wanted = [tagNameFor(d.name, t.name), `${d.name}${t.name}`, ...(/^(NO|NC)$/.test(t.name) ? [`${d.name}PB`, `${d.name}${t.name === 'NC' ? 'OK' : 'PB'}`] : []), ...(t.name === 'Power' ? [`Lamp${d.name.replace(/Lamp$/, '')}`, d.name] : []), ...(t.name === 'Run' ? [`${d.name}Motor`, d.name, `${d.name}On`] : []), ...(t.name === 'Open' || t.name === 'Out' ? [d.name, `${d.name}Valve`, `${d.name}Open`, `${d.name}Close`] : [])].map(plain);
  // A stop or emergency stop is wired by its closed contact, a start by its open one.
  if (t.name === 'NO' && /stop|emergency/i.test(d.name)) return undefined;
  if (t.name === 'NC' && !/stop|emergency|guard/i.test(d.name)) return undefined;
  for (const w of wanted) { const hit = tags.find((x) => fits(x) && plain(x.name) === w); if (hit) return hit; }
  return undefined;
}

/** Wires for every terminal that has none and matches a tag by name, by device. */
export function wiresThatMatch(project: Project): readonly { readonly device: Device; readonly wires: Readonly<Record<string, string>> }[] {
  const taken = new Set(project.machine.devices.flatMap((d) => Object.entries(d.wires ?? {}).flatMap(([t, to]) => (deviceKind(d.type)?.terminals.find((x) => x.name.toLowerCase() === t.toLowerCase())?.direction === 'out' ? [to.toLowerCase()] : []))));
  return project.machine.devices.flatMap((device) => {
    const found: Record<string, string> = {};
    for (const t of deviceKind(device.type)?.terminals ?? []) {
      if (Object.keys(device.wires ?? {}).some((k) => k.toLowerCase() === t.name.toLowerCase())) continue;
      const tag = matchingTag(device, t, project.tags, taken);
      if (!tag) continue;
      found[t.name] = tag.name;
      if (t.direction === 'out') taken.add(tag.name.toLowerCase());
    }
    return Object.keys(found).length ? [{ device, wires: { ...device.wires, ...found } }] : [];
  });
}

export interface Loose { readonly device: string; readonly terminal: string; readonly what: 'unwired' | 'twice' }

/** Electrical terminals without a wire, and tags that two terminals drive. Mechanical terminals (their help says so) are left alone. */
export function looseEnds(project: Project): readonly Loose[] {
  const drivers = new Map<string, Loose[]>();
  const loose: Loose[] = [];
  for (const d of project.machine.devices) for (const t of deviceKind(d.type)?.terminals ?? []) {
    const to = Object.entries(d.wires ?? {}).find(([k]) => k.toLowerCase() === t.name.toLowerCase())?.[1];
    const end = { device: d.name, terminal: t.name };
    if (to === undefined) { if (isWanted(d, t, deviceKind(d.type)!)) loose.push({ ...end, what: 'unwired' }); continue; }
    if (t.direction === 'out') { const k = to.toLowerCase(); drivers.set(k, [...(drivers.get(k) ?? []), { ...end, what: 'twice' }]); }
  }
  return [...loose, ...[...drivers.values()].filter((l) => l.length > 1).flat()];
}

/** A device of which one output is wired may have others that nobody asks for. */
function isWanted(d: Device, t: Terminal, kind: DeviceKind): boolean {
  if (t.direction === 'in') return !/mechanical/.test(t.help);
  return !kind.terminals.some((x) => x.direction === 'out' && Object.keys(d.wires ?? {}).some((k) => k.toLowerCase() === x.name.toLowerCase())) && !(kind.terminals.some((x) => x.direction === 'in') && t.type !== 'BOOL');
}
