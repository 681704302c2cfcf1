/** Flows, levels, temperatures and the signals that measure them. */
import { type DeviceKind, bool, closedContact, mech, real } from '../device.js';

export const valve: DeviceKind = {
  type: 'Valve',
  help: 'A valve, gate or damper that opens while driven and springs shut, with a switch at each end.',
  terminals: [
    bool('Open', 'in', 'Drives it open'),
    bool('IsOpen', 'out', 'Switch at the open end'),
    bool('IsShut', 'out', 'Switch at the shut end'),
    mech('Position', 'out', '0 shut, 1 open'),
  ],
  parameters: [{ name: 'Travel', type: 'REAL', initial: '1.0', unit: 's', help: 'Time from end to end' }],
  upsets: [
    { name: 'Jam', help: 'Stays where it is' },
    { name: 'OpenStuckOff', help: 'The switch at the open end never closes' },
    { name: 'ShutStuckOff', help: 'The switch at the shut end never closes' },
  ],
  handles: [],
  locals: '',
  body: `
IF NOT Jam THEN
  IF Open THEN Position := MIN(1.0, Position + Dt / Travel); ELSE Position := MAX(0.0, Position - Dt / Travel); END_IF;
END_IF;
IsOpen := Position > 0.98 AND NOT OpenStuckOff;
IsShut := Position < 0.02 AND NOT ShutStuckOff;`,
};

export const pump: DeviceKind = {
  type: 'Pump',
  help: 'A pump that gives its flow when it has run up.',
  terminals: [
    bool('Run', 'in', 'Drives the pump'),
    mech('Flow', 'out', 'What it gives, in l/s'),
    bool('Running', 'out', 'It turns'),
  ],
  parameters: [
    { name: 'Rate', type: 'REAL', initial: '2.0', unit: 'l/s', help: 'Flow at full speed' },
    { name: 'RunUp', type: 'REAL', initial: '0.5', unit: 's', help: 'Time to full speed' },
  ],
  upsets: [
    { name: 'Dry', help: 'It turns and gives nothing' },
    { name: 'Blocked', help: 'It does not turn' },
  ],
  handles: [],
  locals: '  Speed : REAL; Turn : REAL;',
  body: `
IF Run AND NOT Blocked THEN Speed := MIN(1.0, Speed + Dt / RunUp); ELSE Speed := MAX(0.0, Speed - Dt / RunUp); END_IF;
Running := Speed > 0.1;
Flow := SEL(Dry, Rate * Speed, 0.0);
Turn := Turn + Speed * Dt * 2.0;
IF Turn >= 1.0 THEN Turn := Turn - 1.0; END_IF;`,
};

export const tank: DeviceKind = {
  type: 'Tank',
  help: 'A tank: its level follows from what flows in and out; switches at two heights.',
  terminals: [
    mech('FlowIn', 'in', 'What flows in, in l/s'),
    mech('Drain', 'in', 'How far its drain is open, 0 to 1', 'REAL', true),
    real('Level', 'out', 'Level, in % of its height'),
    bool('High', 'out', 'Switch near the top, closed when wet'),
    closedContact('LowOK', 'Switch near the bottom, closed when wet'),
    mech('FlowOut', 'out', 'What flows out, in l/s'),
  ],
  parameters: [
    { name: 'Volume', type: 'REAL', initial: '100.0', unit: 'l', help: 'What it holds' },
    { name: 'DrainRate', type: 'REAL', initial: '3.0', unit: 'l/s', help: 'Flow out when full and the drain open' },
    { name: 'HighAt', type: 'REAL', initial: '90.0', unit: '%', help: 'Height of the upper switch' },
    { name: 'LowAt', type: 'REAL', initial: '10.0', unit: '%', help: 'Height of the lower switch' },
    { name: 'Level0', type: 'REAL', initial: '0.0', unit: '%', help: 'Level at the start' },
  ],
  upsets: [
    { name: 'Leak', help: 'Loses a tenth of its drain rate' },
    { name: 'HighStuckOff', help: 'The upper switch never closes' },
  ],
  handles: [],
  locals: '  Content : REAL; Started : BOOL;',
  body: `
IF NOT Started THEN Content := Volume * Level0 / 100.0; Started := TRUE; END_IF;
FlowOut := DrainRate * LIMIT(0.0, Drain, 1.0) * SQRT(MAX(0.0, Content / Volume)) + SEL(Leak, 0.0, DrainRate * 0.1);
Content := LIMIT(0.0, Content + (FlowIn - FlowOut) * Dt, Volume);
Level := Content / Volume * 100.0;
High := Level >= HighAt AND NOT HighStuckOff;
LowOK := Level >= LowAt;`,
};

export const heater: DeviceKind = {
  type: 'Heater',
  help: 'Something that is heated: its temperature follows the power with a lag and falls back to that of the room.',
  terminals: [
    real('Power', 'in', 'Share of full power, 0 to 1'),
    bool('On', 'in', 'Full power by a contactor'),
    real('Temperature', 'out', 'Measured, in °C'),
  ],
  parameters: [
    { name: 'Room', type: 'REAL', initial: '20.0', unit: '°C', help: 'Where it starts and falls back to' },
    { name: 'Gain', type: 'REAL', initial: '400.0', unit: '°C', help: 'How far above the room full power brings it' },
    { name: 'Lag', type: 'REAL', initial: '60.0', unit: 's', help: 'Time constant' },
    { name: 'Probe', type: 'REAL', initial: '2.0', unit: 's', help: 'Time constant of the probe' },
  ],
  upsets: [
    { name: 'BrokenElement', help: 'Half the power' },
    { name: 'BrokenWire', help: 'The probe reads 1200' },
    { name: 'DoorOpen', help: 'Loses heat four times as fast' },
  ],
  handles: [],
  locals: '  Inside : REAL; Seen : REAL; Started : BOOL; Given : REAL;',
  body: `
IF NOT Started THEN Inside := Room; Seen := Room; Started := TRUE; END_IF;
Given := SEL(On, LIMIT(0.0, Power, 1.0), 1.0) * SEL(BrokenElement, 1.0, 0.5);
Inside := Inside + (Room + Given * Gain - Inside) * MIN(1.0, Dt / Lag);
IF DoorOpen THEN Inside := Inside - (Inside - Room) * MIN(1.0, 3.0 * Dt / Lag); END_IF;
Seen := Seen + (Inside - Seen) * MIN(1.0, Dt / Probe);
Temperature := SEL(BrokenWire, Seen, 1200.0);`,
};

export const analogSensor: DeviceKind = {
  type: 'AnalogSensor',
  help: 'Measures something with lag and noise and gives it as a number.',
  terminals: [mech('Value', 'in', 'What is measured'), real('Signal', 'out', 'What the card reads')],
  parameters: [
    { name: 'Lag', type: 'REAL', initial: '0.1', unit: 's', help: 'Time constant' },
    { name: 'Noise', type: 'REAL', initial: '0.0', help: 'How much it flickers, up and down' },
    { name: 'Scale', type: 'REAL', initial: '1.0', help: 'Reading per unit of what is measured' },
    { name: 'Seed', type: 'UDINT', initial: '99', help: 'Start of the random numbers' },
  ],
  upsets: [
    { name: 'BrokenWire', help: 'Reads -1' },
    { name: 'Drift', help: 'Reads a tenth too much' },
    { name: 'Noisy', help: 'Flickers ten times as much' },
  ],
  handles: [],
  locals: '  Slow : REAL; Random : UDINT; Started : BOOL;',
  body: `
IF NOT Started THEN Random := Seed; Slow := Value; Started := TRUE; END_IF;
Random := Random * 1664525 + 1013904223;
Slow := Slow + (Value - Slow) * MIN(1.0, Dt / MAX(Lag, 0.001));
Signal := Slow * Scale * SEL(Drift, 1.0, 1.1) + Noise * SEL(Noisy, 1.0, 10.0) * (UDINT_TO_REAL(Random / 65536) / 32768.0 - 1.0);
IF BrokenWire THEN Signal := -1.0; END_IF;`,
};

export const duct: DeviceKind = {
  type: 'Duct',
  help: 'An air duct with three branches behind a fan: the more branches stand open, the less each of them gets.',
  terminals: [
    mech('Fan', 'in', 'Speed of the fan, 0 to 1'),
    mech('Gate1', 'in', 'How far branch 1 is open'),
    mech('Gate2', 'in', 'How far branch 2 is open'),
    mech('Gate3', 'in', 'How far branch 3 is open'),
    mech('Dust', 'in', 'Machines that make dust now, 0 to 3'),
    real('Draught', 'out', 'Draught at an open branch, in Pa'),
    real('FilterDrop', 'out', 'Pressure lost in the filter, in Pa'),
  ],
  parameters: [
    {
      name: 'Full',
      type: 'REAL',
      initial: '1800.0',
      unit: 'Pa',
      help: 'Draught with one branch open and a clean filter',
    },
    { name: 'Clogs', type: 'REAL', initial: '3600.0', unit: 's', help: 'Time in which dust clogs the filter' },
  ],
  upsets: [
    { name: 'BagTorn', help: 'The filter lets everything through' },
    { name: 'Clogged', help: 'The filter is full' },
  ],
  handles: [{ name: 'Shake', type: 'press', help: 'Shakes the filter clean' }],
  locals: '  Cake : REAL; Open : REAL;',
  body: `
Open := Gate1 + Gate2 + Gate3;
IF Shake THEN Cake := 0.0; ELSE Cake := MIN(1.0, Cake + Fan * Open * Dt / (3.0 * Clogs)); END_IF;
FilterDrop := Fan * (200.0 + 1400.0 * SEL(Clogged, Cake, 1.0)) * SEL(BagTorn, 1.0, 0.1);
Draught := Fan * Full / MAX(1.0, 0.4 + 0.6 * Open) * (1.0 - 0.7 * SEL(Clogged, Cake, 1.0));`,
};
