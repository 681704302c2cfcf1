/** What a person touches and sees: the panel. */
import { type DeviceKind, bool, closedContact } from '../device.js';

export const pushButton: DeviceKind = {
  type: 'PushButton',
  help: 'A button that springs back, with one contact that closes and one that opens.',
  terminals: [
    bool('NO', 'out', 'Normally open contact: closed while pressed'),
    closedContact('NC', 'Normally closed contact: open while pressed'),
  ],
  parameters: [],
  upsets: [{ name: 'BrokenWire', help: 'Both contacts read open' }],
  handles: [{ name: 'Pressed', type: 'press', help: 'Held down' }],
  locals: '',
  body: 'NO := Pressed AND NOT BrokenWire; NC := NOT Pressed AND NOT BrokenWire;',
};

export const selector: DeviceKind = {
  type: 'Selector',
  help: 'A two-position switch that stays where it is turned.',
  terminals: [bool('Right', 'out', 'Closed in the right position')],
  parameters: [],
  upsets: [],
  handles: [{ name: 'Turned', type: 'turn', help: 'Stands to the right' }],
  locals: '',
  body: 'Right := Turned;',
};

export const threeWaySelector: DeviceKind = {
  type: 'ThreeWaySelector',
  help: 'A switch with three positions that stays where it is turned: hand, nothing, automatic. In the middle neither contact is closed.',
  terminals: [bool('Left', 'out', 'Closed in the left position'), bool('Right', 'out', 'Closed in the right position')],
  parameters: [],
  upsets: [{ name: 'BrokenWire', help: 'Both contacts read open' }],
  handles: [{ name: 'Way', type: 'way', help: 'Stands to the left, in the middle or to the right' }],
  locals: '',
  body: 'Left := Way < 0 AND NOT BrokenWire; Right := Way > 0 AND NOT BrokenWire;',
};

const PLACES = [1, 2, 3, 4, 5, 6, 7, 8] as const;
export const placeSelector: DeviceKind = {
  type: 'PlaceSelector',
  help: 'A switch with two to eight places, a contact for each; it stays where it is turned. Its places may have names.',
  terminals: [
    ...PLACES.map((n) => bool(`At${n}`, 'out', `Closed in place ${n}`)),
    { name: 'Stands', type: 'UINT', direction: 'out', help: 'Number of the place, for a coded switch' },
  ],
  parameters: [
    { name: 'Places', type: 'INT', initial: '4', min: 2, max: 8, help: 'How many places it has' },
    { name: 'Names', type: 'STRING', initial: "''", help: "What they are called, as 'Off, Slow, Fast'" },
  ],
  upsets: [{ name: 'BrokenWire', help: 'All its contacts read open' }],
  handles: [{ name: 'Place', type: 'place', help: 'Which place it stands at, from 1' }],
  locals: '  Now : INT;',
  body: `Now := LIMIT(1, Place, LIMIT(2, Places, 8));
${PLACES.map((n) => `At${n} := Now = ${n} AND NOT BrokenWire;`).join('\n')}
IF BrokenWire THEN Stands := 0; ELSE Stands := INT_TO_UINT(Now); END_IF;`,
};

export const recipePicker: DeviceKind = {
  type: 'RecipePicker',
  help: 'A list of names on the panel, of recipes or products: one is chosen, and its number is given.',
  terminals: [
    { name: 'Number', type: 'UINT', direction: 'out', help: 'Number of the chosen one, from 1' },
    bool('Changed', 'out', 'On for half a second after another was chosen'),
  ],
  parameters: [
    {
      name: 'Names',
      type: 'STRING',
      initial: "'First, Second, Third'",
      help: 'What can be chosen, with commas between',
    },
  ],
  upsets: [{ name: 'NoLink', help: 'The panel is not connected: it gives 0' }],
  handles: [{ name: 'Choice', type: 'place', help: 'Which of them, from 1' }],
  locals: '  Since : REAL := 1.0; Now : UINT; Was : UINT;',
  body: `
Now := INT_TO_UINT(MAX(1, Choice));
IF Now <> Was AND Was <> 0 THEN Since := 0.0; END_IF;
Was := Now; Number := SEL(NoLink, Now, 0);
Changed := Since < 0.5 AND NOT NoLink;
Since := MIN(1.0, Since + Dt);`,
};

export const keySelector: DeviceKind = {
  type: 'KeySelector',
  help: 'A two-position switch that turns only with its key in it; drawn out, it stays where it stands.',
  terminals: [bool('Right', 'out', 'Closed in the right position'), bool('KeyIn', 'out', 'The key is in it')],
  parameters: [],
  upsets: [{ name: 'BrokenWire', help: 'The contact reads open' }],
  handles: [
    { name: 'Key', type: 'latch', help: 'The key is in it' },
    { name: 'Turned', type: 'turn', help: 'Turned to the right' },
  ],
  locals: '  Stands : BOOL;',
  body: 'IF Key THEN Stands := Turned; END_IF; Right := Stands AND NOT BrokenWire; KeyIn := Key;',
};

export const emergencyStop: DeviceKind = {
  type: 'EmergencyStop',
  help: 'A mushroom button that latches when struck; its contact is closed at rest.',
  terminals: [closedContact('NC', 'Closed while not struck')],
  parameters: [],
  upsets: [{ name: 'BrokenWire', help: 'The contact reads open' }],
  handles: [{ name: 'Struck', type: 'latch', help: 'Struck and latched' }],
  locals: '',
  body: 'NC := NOT Struck AND NOT BrokenWire;',
};

export const lamp: DeviceKind = {
  type: 'Lamp',
  help: 'A signal lamp.',
  terminals: [bool('Power', 'in', 'Lights the lamp')],
  parameters: [],
  upsets: [{ name: 'Burnt', help: 'The lamp stays dark' }],
  handles: [],
  locals: '  Lit : BOOL;',
  body: 'Lit := Power AND NOT Burnt;',
};

export const setPoint: DeviceKind = {
  type: 'SetPoint',
  help: 'A number entered on the panel, held between its limits.',
  terminals: [{ name: 'Value', type: 'REAL', direction: 'out', help: 'The number, as entered' }],
  parameters: [
    { name: 'Low', type: 'REAL', initial: '0.0', help: 'Lowest entry' },
    { name: 'High', type: 'REAL', initial: '1000.0', help: 'Highest entry' },
  ],
  upsets: [],
  handles: [{ name: 'Entry', type: 'number', help: 'What was typed' }],
  locals: '',
  body: 'Value := LIMIT(Low, Entry, High);',
};

export const display: DeviceKind = {
  type: 'Display',
  help: 'Shows a number on the panel.',
  terminals: [{ name: 'Value', type: 'UINT', direction: 'in', help: 'Shown as it is' }],
  parameters: [],
  upsets: [],
  handles: [],
  locals: '  Shown : UINT;',
  body: 'Shown := Value;',
};

export const meter: DeviceKind = {
  type: 'Meter',
  help: 'Shows a measured value on the panel, as a number and as a bar between its limits.',
  terminals: [{ name: 'Value', type: 'REAL', direction: 'in', help: 'Shown with its decimals' }],
  parameters: [
    { name: 'Low', type: 'REAL', initial: '0.0', help: 'Where the bar begins' },
    { name: 'High', type: 'REAL', initial: '100.0', help: 'Where the bar is full' },
    { name: 'Decimals', type: 'USINT', initial: '1', min: 0, max: 4, help: 'Digits behind the point' },
  ],
  upsets: [{ name: 'Stuck', help: 'It shows what it last showed' }],
  handles: [],
  locals: '  Shown : REAL;',
  body: 'IF NOT Stuck THEN Shown := Value; END_IF;',
};

export const buzzer: DeviceKind = {
  type: 'Buzzer',
  help: 'A buzzer or horn.',
  terminals: [bool('Power', 'in', 'Sounds it')],
  parameters: [],
  upsets: [{ name: 'Dead', help: 'It stays silent' }],
  handles: [],
  locals: '  Sounds : BOOL;',
  body: 'Sounds := Power AND NOT Dead;',
};
