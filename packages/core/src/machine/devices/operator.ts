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
