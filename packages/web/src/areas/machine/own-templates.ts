/** What a device of one's own begins with: one that works. */
import type { OwnKind } from '@ferrule/core/document';
import { newId } from '../../document/store.js';

/** Something to begin with: parts come in, lie in rows, and one is handed on for each drive. */
export function partsTemplate(type: string): OwnKind {
  return {
    id: newId('k'),
    type,
    help: 'Takes parts, lays them in rows of three and hands one on at each drive.',
    width: 120,
    terminals: [
      { name: 'Give', type: 'BOOL', direction: 'in', help: 'Hands the first part on' },
      { name: 'In', type: 'Machine_Part', direction: 'in', help: 'The part that comes on', mechanical: true },
      { name: 'Ahead', type: 'BOOL', direction: 'in', help: 'There is no room ahead', mechanical: true, back: true },
      { name: 'HasPart', type: 'BOOL', direction: 'out', help: 'Sensor: a part lies there' },
      { name: 'Out', type: 'Machine_Part', direction: 'out', help: 'The part that leaves', mechanical: true },
      { name: 'Full', type: 'BOOL', direction: 'out', help: 'There is no room for another part', mechanical: true },
      { name: 'Store', type: 'Machine_Line', direction: 'out', help: 'The parts that lie there', mechanical: true },
    ],
    parameters: [
      { name: 'Holds', type: 'INT', initial: '9', unit: 'pieces', min: 1, max: 12, help: 'So many lie there' },
    ],
    upsets: [{ name: 'Jam', help: 'Nothing is handed on' }],
    handles: [],
    locals: '  None : Machine_Part; i : INT; WasGive : BOOL; WasOut : BOOL; Lost : UINT;',
    body: `(* A part is handed on in one scan, and seen by the next device in the scan after: never two scans running. *)
WasOut := Out.Number <> 0; Out := None;
IF In.Number <> 0 THEN
  IF Store.Count < 12 THEN Store.Count := Store.Count + 1; Store.Part[Store.Count] := In; ELSE Lost := Lost + 1; END_IF;
END_IF;
IF Give AND NOT WasGive AND NOT Jam AND NOT Ahead AND NOT WasOut AND Store.Count > 0 THEN
  Out := Store.Part[1];
  FOR i := 2 TO Store.Count DO Store.Part[i - 1] := Store.Part[i]; END_FOR;
  Store.Count := Store.Count - 1;
END_IF;
WasGive := Give;
Full := Store.Count >= Holds;
HasPart := Store.Count > 0;
`,
    picture: [
      { id: newId('s'), shape: 'line', x: '-50', y: '24', w: '100', h: '0', lit: 'Give' },
      {
        id: newId('s'),
        shape: 'box',
        x: '-30 + 30 * ((Nth - 1) MOD 3)',
        y: '15 - 18 * TRUNC((Nth - 1) / 3)',
        w: '26',
        h: '15',
        times: 'Store.Count',
        lit: 'TRUE',
      },
      { id: newId('s'), shape: 'lamp', x: '52', y: '4', lit: 'HasPart' },
    ],
  };
}
/** Something to begin with: it goes to and fro. */
export function template(type: string): OwnKind {
  return {
    id: newId('k'),
    type,
    help: 'Goes to and fro while it is driven.',
    width: 120,
    terminals: [
      { name: 'Go', type: 'BOOL', direction: 'in', help: 'Drives it out' },
      { name: 'AtEnd', type: 'BOOL', direction: 'out', help: 'Sensor at the far end' },
      { name: 'Position', type: 'REAL', direction: 'out', help: '0 at home, 1 at the end', mechanical: true },
    ],
    parameters: [{ name: 'Travel', type: 'REAL', initial: '0.5', unit: 's', help: 'Time from end to end' }],
    upsets: [{ name: 'Jam', help: 'Stops where it is' }],
    handles: [],
    locals: '',
    body: 'IF NOT Jam THEN\n  IF Go THEN Position := MIN(1.0, Position + Dt / Travel); ELSE Position := MAX(0.0, Position - Dt / Travel); END_IF;\nEND_IF;\nAtEnd := Position > 0.98;\n',
    picture: [
      { id: newId('s'), shape: 'line', x: '-46', y: '14', w: '92', h: '0' },
      { id: newId('s'), shape: 'box', x: '-36 + 72 * Position', y: '0', w: '20', h: '24', lit: 'Go' },
      { id: newId('s'), shape: 'lamp', x: '46', y: '-18', lit: 'AtEnd' },
    ],
  };
}
