/** What the name of a new tag suggests, and the next free address. */
import type { Tag } from '@ferrule/core';

/** What a name suggests: buttons and sensors are inputs, motors, valves and lamps outputs, with the next free bit. */
export function guessTag(name: string, tags: readonly Tag[]): Omit<Tag, 'id' | 'name'> {
  if (/(PB|_S|Up|Down|Open|Shut|Closed|Seen|OK|Sensor|Switch|Button)$/.test(name)) return { type: 'BOOL', address: nextFreeBit('I', tags), wiring: /OK$/.test(name) ? 'NC' : 'NO' };
  if (/(Motor|Valve|Lamp|Pump|Out|Close|Drive)$/.test(name) || /^Lamp/.test(name)) return { type: 'BOOL', address: nextFreeBit('Q', tags) };
  if (/(Timer|Delay|Dwell)$/.test(name)) return { type: 'TON' };
  if (/(Counter|Run)$/.test(name)) return { type: 'CTU' };
  if (/(Count|Total|Number|Code)$/.test(name)) return { type: 'INT' };
  if (/(Length|Force|Level|Temp|Speed|Limit|Pressure)$/.test(name)) return { type: 'REAL' };
  return { type: 'BOOL' };
}

const WIDTH: Readonly<Record<string, number>> = { X: 1, B: 1, W: 2, D: 4, L: 8 };
function nextFreeBit(area: 'I' | 'Q', tags: readonly Tag[]): string {
  const used = new Set<number>();
  for (const t of tags) {
    const m = new RegExp(`^%${area}([XBWDL]?)(\\d+)(?:\\.(\\d))?$`).exec(t.address ?? '');
    if (!m) continue;
    const byte = Number(m[2]);
    if (m[3] !== undefined) used.add(byte * 8 + Number(m[3]));
    else for (let b = 0; b < (WIDTH[m[1]!] ?? 1) * 8; b++) used.add(byte * 8 + b);
  }
  let bit = 0;
  while (used.has(bit)) bit++;
  return `%${area}X${bit >> 3}.${bit & 7}`;
}
