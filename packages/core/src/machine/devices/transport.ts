/** Drives and what is measured at them: motors, servo axes, double-acting cylinders, encoders, scales. */
import { type DeviceKind, bool, closedContact, mech, real } from '../device.js';

export const motor: DeviceKind = {
  type: 'Motor',
  help: 'A motor with its contactor: runs up and down, tells that it turns, and drops out when it is overloaded.',
  terminals: [
    bool('Run', 'in', 'Pulls the contactor in'),
    bool('Running', 'out', 'Auxiliary contact: the contactor is in'),
    closedContact('OverloadOK', 'Overload relay, closed while all is well'),
    mech('Speed', 'out', 'Share of full speed, 0 to 1'),
    real('Current', 'out', 'Motor current, in A'),
  ],
  parameters: [
    { name: 'RunUp', type: 'REAL', initial: '0.8', unit: 's', help: 'Time to full speed' },
    { name: 'RunDown', type: 'REAL', initial: '2.0', unit: 's', help: 'Time to stand still' },
    { name: 'Rated', type: 'REAL', initial: '6.0', unit: 'A', help: 'Current at full speed' },
  ],
  upsets: [
    { name: 'Overload', help: 'The overload relay trips' },
    { name: 'NoFeedback', help: 'The auxiliary contact stays open' },
    { name: 'Slow', help: 'Reaches half its speed only' },
  ],
  handles: [],
  locals: '  Turn : REAL; Starting : REAL;',
  body: `
OverloadOK := NOT Overload;
IF Run AND OverloadOK THEN
  Starting := MIN(1.0, Starting + Dt / RunUp);
  Speed := MIN(SEL(Slow, 1.0, 0.5), Speed + Dt / RunUp);
ELSE Starting := 0.0; Speed := MAX(0.0, Speed - Dt / RunDown);
END_IF;
Running := Run AND OverloadOK AND NOT NoFeedback;
IF Run AND OverloadOK THEN Current := Rated * (1.0 + 4.0 * (1.0 - Starting)); ELSE Current := 0.0; END_IF;
Turn := Turn + Speed * Dt * 2.0;
IF Turn >= 1.0 THEN Turn := Turn - 1.0; END_IF;`,
};

export const servo: DeviceKind = {
  type: 'Servo',
  help: 'An axis that goes to a position and says when it is there.',
  terminals: [
    bool('Enable', 'in', 'The axis holds and moves'),
    real('Target', 'in', 'Where to go, in mm'),
    real('Position', 'out', 'Where it is, in mm'),
    bool('InPosition', 'out', 'At the target and at rest'),
  ],
  parameters: [
    { name: 'Speed', type: 'REAL', initial: '250.0', unit: 'mm/s', help: 'Fastest travel' },
    { name: 'Length', type: 'REAL', initial: '500.0', unit: 'mm', help: 'Travel from end to end' },
  ],
  upsets: [
    { name: 'Jam', help: 'Stops where it is' },
    { name: 'Slow', help: 'Travels at a quarter of its speed' },
  ],
  handles: [],
  locals: '  Way : REAL; Most : REAL;',
  body: `
Most := Speed * Dt * SEL(Slow, 1.0, 0.25);
Way := LIMIT(0.0, Target, Length) - Position;
IF Enable AND NOT Jam THEN Position := Position + LIMIT(-Most, Way, Most); END_IF;
InPosition := Enable AND ABS(LIMIT(0.0, Target, Length) - Position) < 0.05;`,
};

export const cylinder: DeviceKind = {
  type: 'Cylinder',
  help: 'A double-acting cylinder with two valves: it goes out or in while one of them is driven and stays where it is without. Its end sensors cover a stretch each and may bounce.',
  terminals: [
    bool('Out', 'in', 'Valve: drives it out'),
    bool('In', 'in', 'Valve: drives it in'),
    bool('AtHome', 'out', 'Sensor at the home end'),
    bool('AtEnd', 'out', 'Sensor at the far end'),
    mech('Position', 'out', '0 at home, 1 at the end'),
  ],
  parameters: [
    { name: 'TravelOut', type: 'REAL', initial: '0.4', unit: 's', help: 'Time out, from end to end' },
    { name: 'TravelIn', type: 'REAL', initial: '0.3', unit: 's', help: 'Time in, from end to end' },
    {
      name: 'Covers',
      type: 'REAL',
      initial: '0.02',
      min: 0,
      max: 0.6,
      help: 'Share of the way that each end sensor covers; from 0.5 on both are on in the middle',
    },
    {
      name: 'Bounce',
      type: 'REAL',
      initial: '0.0',
      unit: 's',
      min: 0,
      max: 1,
      help: 'So long an end sensor bounces when it changes',
    },
  ],
  upsets: [
    { name: 'Jam', help: 'Stops where it is' },
    { name: 'Slow', help: 'Takes four times as long' },
    { name: 'HomeStuckOn', help: 'The home sensor always sees' },
    { name: 'HomeStuckOff', help: 'The home sensor never sees' },
    { name: 'EndStuckOn', help: 'The far sensor always sees' },
    { name: 'EndStuckOff', help: 'The far sensor never sees' },
  ],
  handles: [],
  locals: '  Home : BOOL; Far : BOOL; HomeFor : REAL; FarFor : REAL; Flip : BOOL;',
  body: `
IF NOT Jam AND Out <> In THEN
  IF Out THEN Position := MIN(1.0, Position + Dt / TravelOut * SEL(Slow, 1.0, 0.25)); ELSE Position := MAX(0.0, Position - Dt / TravelIn * SEL(Slow, 1.0, 0.25)); END_IF;
END_IF;
Flip := NOT Flip;
IF (Position <= Covers) <> Home THEN Home := NOT Home; HomeFor := Bounce; END_IF;
IF (Position >= 1.0 - Covers) <> Far THEN Far := NOT Far; FarFor := Bounce; END_IF;
AtHome := (Home XOR (HomeFor > 0.0 AND Flip) OR HomeStuckOn) AND NOT HomeStuckOff;
AtEnd := (Far XOR (FarFor > 0.0 AND Flip) OR EndStuckOn) AND NOT EndStuckOff;
HomeFor := MAX(0.0, HomeFor - Dt); FarFor := MAX(0.0, FarFor - Dt);`,
};

export const encoder: DeviceKind = {
  type: 'Encoder',
  help: 'Counts the way of what it runs on: a belt or an axis. Its count goes round at 65 536.',
  terminals: [
    mech('Speed', 'in', 'Speed of what it runs on, in m/s or turns/s'),
    { name: 'Count', type: 'UINT', direction: 'out', help: 'Pulses counted' },
    bool('Track', 'out', 'One of its tracks: on for the first half of each pulse'),
    bool('Zero', 'out', 'On once in each turn'),
  ],
  parameters: [
    { name: 'PerUnit', type: 'REAL', initial: '100.0', min: 0.01, max: 100_000, help: 'Pulses a metre or a turn' },
    {
      name: 'PerTurn',
      type: 'UINT',
      initial: '100',
      min: 1,
      max: 65_535,
      unit: 'pulses',
      help: 'Pulses from one zero to the next',
    },
  ],
  upsets: [
    { name: 'Slips', help: 'Loses a tenth of the way' },
    { name: 'BrokenWire', help: 'Its tracks stay off and the count stands' },
  ],
  handles: [],
  locals: '  Way : REAL; Whole : DINT;',
  body: `
Way := Way + Speed * SEL(Slips, 1.0, 0.9) * Dt * PerUnit;
Whole := REAL_TO_DINT(Way - 0.5);
IF Whole <> 0 THEN
  Way := Way - DINT_TO_REAL(Whole);
  IF NOT BrokenWire THEN Count := DINT_TO_UINT((UINT_TO_DINT(Count) + Whole + 65536) MOD 65536); END_IF;
END_IF;
Track := Way < 0.5 AND NOT BrokenWire;
Zero := Count MOD MAX(PerTurn, UINT#1) = 0 AND NOT BrokenWire;`,
};

export const scale: DeviceKind = {
  type: 'Scale',
  help: 'A weighing platform or bin: what lies on it and what flows in; its reading swings in and settles.',
  terminals: [
    mech('Load', 'in', 'What lies on it, in kg'),
    mech('FlowIn', 'in', 'What flows into its bin, in kg/s'),
    mech('Discharge', 'in', 'How far the flap of its bin is open, 0 to 1', 'REAL', true),
    real('Weight', 'out', 'Reading, in kg'),
    bool('Stable', 'out', 'The reading has settled'),
  ],
  parameters: [
    { name: 'Settle', type: 'REAL', initial: '0.4', unit: 's', help: 'Time constant of settling' },
    { name: 'Noise', type: 'REAL', initial: '0.01', unit: 'kg', help: 'How much the reading flickers' },
    { name: 'Empties', type: 'REAL', initial: '2.0', unit: 's', help: 'Time constant of its bin with the flap open' },
    { name: 'Seed', type: 'UDINT', initial: '4711', help: 'Start of the random numbers' },
  ],
  upsets: [
    { name: 'Drift', help: 'Reads half a kilogram too much' },
    { name: 'BrokenWire', help: 'Reads nothing' },
  ],
  handles: [],
  locals: '  Content : REAL; Slow : REAL; Random : UDINT; Started : BOOL; Quiet : REAL; Target : REAL;',
  body: `
IF NOT Started THEN Random := Seed; Started := TRUE; END_IF;
Random := Random * 1664525 + 1013904223;
Content := MAX(0.0, Content + FlowIn * Dt - Content * LIMIT(0.0, Discharge, 1.0) * MIN(1.0, Dt / Empties));
Target := Load + Content;
IF ABS(Target - Slow) > 0.02 THEN Quiet := 0.0; ELSE Quiet := Quiet + Dt; END_IF;
Slow := Slow + (Target - Slow) * MIN(1.0, Dt / Settle);
Weight := SEL(BrokenWire, Slow + Noise * (UDINT_TO_REAL(Random / 65536) / 32768.0 - 1.0) + SEL(Drift, 0.0, 0.5), 0.0);
Stable := Quiet > 0.3 AND NOT BrokenWire;`,
};

export const hopper: DeviceKind = {
  type: 'Hopper',
  help: 'A hopper with bulk material: it runs out as far as its gate is open, and bridges when it is upset.',
  terminals: [
    bool('Open', 'in', 'Drives its gate open'),
    bool('IsShut', 'out', 'Switch at the shut gate'),
    bool('Low', 'out', 'Little is left'),
    mech('Flow', 'out', 'What runs out, in kg/s'),
    mech('Position', 'out', 'How far its gate is open'),
  ],
  parameters: [
    { name: 'Holds', type: 'REAL', initial: '200.0', unit: 'kg', help: 'What it holds when full' },
    { name: 'Rate', type: 'REAL', initial: '4.0', unit: 'kg/s', help: 'What runs out with the gate open' },
    { name: 'Travel', type: 'REAL', initial: '0.3', unit: 's', help: 'Time of its gate from end to end' },
    { name: 'LowAt', type: 'REAL', initial: '20.0', unit: 'kg', help: 'Below this it says it is low' },
  ],
  upsets: [
    { name: 'Bridged', help: 'Nothing runs out' },
    { name: 'Jam', help: 'Its gate stays where it is' },
    { name: 'Uneven', help: 'It runs out in gushes' },
  ],
  handles: [{ name: 'Refill', type: 'press', help: 'Fills it up' }],
  locals: '  Content : REAL; Started : BOOL; Gush : REAL;',
  body: `
IF NOT Started THEN Content := Holds; Started := TRUE; END_IF;
IF Refill THEN Content := Holds; END_IF;
IF NOT Jam THEN
  IF Open THEN Position := MIN(1.0, Position + Dt / Travel); ELSE Position := MAX(0.0, Position - Dt / Travel); END_IF;
END_IF;
Gush := Gush + Dt;
IF Gush > 0.7 THEN Gush := Gush - 0.7; END_IF;
Flow := MIN(Content / MAX(Dt, REAL#0.0001), Rate * Position * SEL(Bridged, 1.0, 0.0) * SEL(Uneven, 1.0, SEL(Gush > 0.4, 0.3, 1.9)));
Content := MAX(0.0, Content - Flow * Dt);
Low := Content < LowAt;
IsShut := Position < 0.02;`,
};

export const supply: DeviceKind = {
  type: 'Supply',
  help: 'The main supply of the machine: switched off or lost, every device that is driven is without power.',
  terminals: [
    bool('OK', 'out', 'Phase relay: closed while the supply is there'),
    mech('Lost', 'out', 'The supply is off or lost', 'BOOL'),
  ],
  parameters: [],
  upsets: [{ name: 'PowerLoss', help: 'The supply fails' }],
  handles: [{ name: 'Off', type: 'turn', help: 'The main switch is off' }],
  locals: '',
  body: `
Lost := Off OR PowerLoss;
OK := NOT Lost;`,
};
