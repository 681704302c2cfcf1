/** Tags for every electrical terminal of the machine that has none. */
import type { Device, Project, Tag } from '../document/document.js';
import type { Edit } from '../document/edits/index.js';
import { nextFree } from './guess.js';
import { isBoughtClosed, kindOf } from '../wiring/kinds.js';
import { looseEnds, tagNameFor } from '../wiring/wiring.js';
import type { DeviceKind, Terminal } from '../machine/device.js';

/** How an input is closed at rest: as its contact is made, or was bought. */
const wiringOf = (d: Device, t: Terminal): 'NO' | 'NC' => ((t.wiring === 'NC') !== isBoughtClosed(d, t) ? 'NC' : 'NO');

/** Names that a tag for a terminal may have, the best first; where all are taken, numbers follow. */
function namesFor(d: Device, t: Terminal): readonly string[] {
  if (t.name === 'NO' || t.name === 'NC') return [`${d.name}${t.name === 'NC' ? 'OK' : 'PB'}`];
  const base = tagNameFor(d.name, t.name);
  // A lamp or horn has the name of its device; a tag that cannot have it too says that it is on.
  return t.name === 'Power' ? [base, `${d.name}On`] : [...new Set([base, `${d.name}${t.name}`])];
}

/**
 * The edit that makes a tag for every electrical terminal without one and wires it: named by device and terminal,
 * physical with the next free address, normally closed where the contact is, described by what the terminal is for. A
 * push button is asked by one of its contacts, the one that is safe for what it does.
 * @param newId gives an id for each tag
 * @returns a group without edits where nothing is missing
 */
export function missingTags(project: Project, newId: () => string): Edit & { readonly kind: 'group' } {
  const { devices } = project.machine,
    loose = new Set(looseEnds(project).flatMap((l) => (l.what === 'unwired' ? [`${l.device}.${l.terminal}`] : []))),
    taken = new Set([...project.tags, ...devices, ...project.pous].map((x) => x.name.toLowerCase()));
  let tags: readonly Tag[] = project.tags;
  const edits: Edit[] = [];
  const isMissing = (d: Device, t: Terminal, kind: DeviceKind): boolean =>
    loose.has(`${d.name}.${t.name}`) &&
    !t.mechanical &&
    !(kind.type === 'PushButton' && t.name === (/stop/i.test(d.name) ? 'NO' : 'NC'));
  for (const d of devices) {
    const wires: Record<string, string> = { ...d.wires },
      kind = kindOf(project.machine, d.type);
    for (const t of kind?.terminals ?? []) {
      if (!isMissing(d, t, kind!)) continue;
      const names = namesFor(d, t);
      let name = names.find((n) => !taken.has(n.toLowerCase()));
      for (let n = 2; name === undefined; n++)
        if (!taken.has(`${names.at(-1)!}${n}`.toLowerCase())) name = `${names.at(-1)!}${n}`;
      taken.add(name.toLowerCase());
      const area = t.direction === 'out' ? 'I' : 'Q',
        bits = t.type === 'BOOL' ? 1 : t.type === 'REAL' ? 32 : 16,
        tag: Tag = {
          id: newId(),
          name,
          type: t.type,
          address: nextFree(area, bits, tags, project.modules),
          description: `${d.label ?? d.name}: ${t.help.charAt(0).toLowerCase()}${t.help.slice(1)}`,
          ...(area === 'I' && t.type === 'BOOL' ? { wiring: wiringOf(d, t) } : {}),
        };
      tags = [...tags, tag];
      edits.push({ kind: 'addTag', tag });
      wires[t.name] = name;
    }
    if (Object.keys(wires).length !== Object.keys(d.wires ?? {}).length)
      edits.push({ kind: 'changeDevice', id: d.id, to: { wires } });
  }
  return { kind: 'group', label: 'Make the missing tags', edits };
}
