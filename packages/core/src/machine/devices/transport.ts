/** Drives and transport: motors, servo axes, conveyors that carry parts past sensors and stops, scales. */
import type { DeviceKind, Terminal } from '../device.js';

const bool = (name: string, direction: 'in' | 'out', help: string): Terminal => ({ name, type: 'BOOL', direction, help });
const real = (name: string, direction: 'in' | 'out', help: string): Terminal => ({ name, type: 'REAL', direction, help });

export const motor: DeviceKind = {
  type: 'Motor', help: 'A motor with its contactor: runs up and down, tells that it turns, and drops out when it is overloaded.',
  terminals: [bool('Run', 'in', 'Pulls the contactor in'), bool('Running', 'out', 'Auxiliary contact: the contactor is in'), bool('OverloadOK', 'out', 'Overload relay, closed while all is well'), real('Speed', 'out', 'Share of full speed, 0 to 1'), real('Current', 'out', 'Motor current, in A')],
  parameters: [{ name: 'RunUp', type: 'REAL', initial: '0.8', unit: 's', help: 'Time to full speed' }, { name: 'RunDown', type: 'REAL', initial: '2.0', unit: 's', help: 'Time to stand still' }, { name: 'Rated', type: 'REAL', initial: '6.0', unit: 'A', help: 'Current at full speed' }],
  upsets: [{ name: 'Overload', help: 'The overload relay trips' }, { name: 'NoFeedback', help: 'The auxiliary contact stays open' }, { name: 'Slow', help: 'Reaches half its speed only' }],
  handles: [], locals: '  Turn : REAL; Starting : REAL;',
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
  type: 'Servo', help: 'An axis that goes to a position and says when it is there.',
  terminals: [bool('Enable', 'in', 'The axis holds and moves'), real('Target', 'in', 'Where to go, in mm'), real('Position', 'out', 'Where it is, in mm'), bool('InPosition', 'out', 'At the target and at rest')],
  parameters: [{ name: 'Speed', type: 'REAL', initial: '250.0', unit: 'mm/s', help: 'Fastest travel' }, { name: 'Length', type: 'REAL', initial: '500.0', unit: 'mm', help: 'Travel from end to end' }],
  upsets: [{ name: 'Jam', help: 'Stops where it is' }, { name: 'Slow', help: 'Travels at a quarter of its speed' }],
  handles: [], locals: '  Way : REAL; Most : REAL;',
  body: `
Most := Speed * Dt * SEL(Slow, 1.0, 0.25);
Way := LIMIT(0.0, Target, Length) - Position;
IF Enable AND NOT Jam THEN Position := Position + LIMIT(-Most, Way, Most); END_IF;
InPosition := Enable AND ABS(LIMIT(0.0, Target, Length) - Position) < 0.05;`,
};

export const conveyor: DeviceKind = {
  type: 'Conveyor', help: 'A belt that carries parts past a stop and off its end. Parts queue and push; a sensor sees them at the stop, another at the end.',
  terminals: [bool('Run', 'in', 'Drives the belt'), bool('Stop', 'in', 'The stop is out: parts wait in front of it'), bool('In', 'in', 'A part comes on (mechanical: the Out of another belt)'), bool('AtStop', 'out', 'Sensor at the stop'), bool('AtEnd', 'out', 'Sensor at the end'), bool('Out', 'out', 'A part leaves in this scan'), { name: 'Total', type: 'UINT', direction: 'out', help: 'Parts that have left' }],
  parameters: [{ name: 'Length', type: 'REAL', initial: '2.0', unit: 'm', help: 'Length of the belt' }, { name: 'Speed', type: 'REAL', initial: '0.4', unit: 'm/s', help: 'Speed of the belt' }, { name: 'StopAt', type: 'REAL', initial: '1.2', unit: 'm', help: 'Where the stop and its sensor are' }, { name: 'Every', type: 'REAL', initial: '0.0', unit: 's', help: 'A part comes on by itself so often; 0 for never' }, { name: 'Part', type: 'REAL', initial: '0.2', unit: 'm', help: 'Length of a part' }],
  upsets: [{ name: 'Jam', help: 'Parts stay where they are' }, { name: 'StuckOn', help: 'The sensor at the stop always sees' }, { name: 'StuckOff', help: 'The sensor at the stop never sees' }],
  handles: [{ name: 'Put', type: 'press', help: 'Puts a part on' }],
  locals: '  Place : ARRAY [1..8] OF REAL; Count : INT; i : INT; Move : REAL; Ahead : REAL; Was : BOOL; WasPut : BOOL; Wait : REAL; Moves : REAL;',
  body: `
Out := FALSE;
Move := SEL(Run AND NOT Jam, 0.0, Speed * Dt);
Moves := Moves + Move;
IF Moves >= 0.1 THEN Moves := Moves - 0.1; END_IF;
Ahead := 1000.0;
FOR i := 1 TO Count DO
  (* Not through the stop, not into the part ahead. *)
  IF Stop AND Place[i] <= StopAt AND Place[i] + Move > StopAt THEN Place[i] := MAX(Place[i], MIN(StopAt, Ahead - Part)); ELSE Place[i] := MAX(Place[i], MIN(Place[i] + Move, Ahead - Part)); END_IF;
  Ahead := Place[i];
END_FOR;
IF Count > 0 AND Place[1] >= Length THEN
  Out := TRUE; Total := Total + 1;
  FOR i := 2 TO Count DO Place[i - 1] := Place[i]; END_FOR;
  Count := Count - 1;
END_IF;
Wait := Wait + Dt;
IF (In AND NOT Was) OR (Put AND NOT WasPut) OR (Every > 0.0 AND Wait >= Every) THEN
  IF Wait >= Every THEN Wait := 0.0; END_IF;
  IF Count < 8 THEN
    IF Count = 0 OR Place[MAX(1, Count)] >= Part THEN Count := Count + 1; Place[Count] := 0.0; END_IF;
  END_IF;
END_IF;
Was := In; WasPut := Put;
AtStop := StuckOn; AtEnd := FALSE;
FOR i := 1 TO Count DO
  IF ABS(Place[i] - StopAt) < 0.05 AND NOT StuckOff THEN AtStop := TRUE; END_IF;
  IF Place[i] > Length - 0.1 THEN AtEnd := TRUE; END_IF;
END_FOR;`,
};

export const scale: DeviceKind = {
  type: 'Scale', help: 'A weighing platform: its reading swings in and settles.',
  terminals: [real('Load', 'in', 'What lies on it, in kg (mechanical)'), real('Weight', 'out', 'Reading, in kg'), bool('Stable', 'out', 'The reading has settled')],
  parameters: [{ name: 'Settle', type: 'REAL', initial: '0.4', unit: 's', help: 'Time constant of settling' }, { name: 'Noise', type: 'REAL', initial: '0.01', unit: 'kg', help: 'How much the reading flickers' }, { name: 'Seed', type: 'UDINT', initial: '4711', help: 'Start of the random numbers' }],
  upsets: [{ name: 'Drift', help: 'Reads half a kilogram too much' }, { name: 'BrokenWire', help: 'Reads nothing' }],
  handles: [], locals: '  Slow : REAL; Random : UDINT; Started : BOOL; Quiet : REAL;',
  body: `
IF NOT Started THEN Random := Seed; Started := TRUE; END_IF;
Random := Random * 1664525 + 1013904223;
IF ABS(Load - Slow) > 0.02 THEN Quiet := 0.0; ELSE Quiet := Quiet + Dt; END_IF;
Slow := Slow + (Load - Slow) * MIN(1.0, Dt / Settle);
Weight := SEL(BrokenWire, Slow + Noise * (UDINT_TO_REAL(Random / 65536) / 32768.0 - 1.0) + SEL(Drift, 0.0, 0.5), 0.0);
Stable := Quiet > 0.3 AND NOT BrokenWire;`,
};
