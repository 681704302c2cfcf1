/**
 * Handling of single parts: what pushes, collects, lifts, weighs, reads, sends them several ways or carries them to any
 * place. As everywhere on their way a part is handed on in one scan and seen there in the next; what takes one off a
 * belt asks for it by its number (`Take`), and a belt that is about to let a part go has stopped offering it a scan
 * before.
 */
import { type DeviceKind, LINE, LINE_PARTS, PART, bool, mech, real } from '../device.js';
import { ahead, from, full, into, onward, take, takes, total } from './terminals.js';

const WAYS = [1, 2, 3, 4] as const;

export const pusher: DeviceKind = {
  type: 'Pusher',
  help: 'Pushes the part that lies ready off its belt to the side, and goes back. Where there is no room for it, it stands with the part before it.',
  terminals: [
    bool('Push', 'in', 'Drives it out; without, it goes back'),
    from,
    ahead,
    bool('IsBack', 'out', 'Switch at the back end'),
    bool('IsOut', 'out', 'Switch at the far end'),
    takes,
    onward,
    mech('Position', 'out', '0 back, 1 out'),
  ],
  parameters: [{ name: 'Travel', type: 'REAL', initial: '0.4', unit: 's', help: 'Time out, and back' }],
  upsets: [
    { name: 'Jam', help: 'Stops where it is' },
    { name: 'Slow', help: 'Takes four times as long' },
    { name: 'BackStuckOff', help: 'The switch at the back never closes' },
  ],
  handles: [],
  locals: `  None : ${PART}; Held : ${PART}; Next : REAL; Pushed : UINT;`,
  body: `
Out := None; Take := 0;
IF NOT Jam THEN
  IF Push THEN Next := MIN(1.0, Position + Dt / Travel * SEL(Slow, 1.0, 0.25)); ELSE Next := MAX(0.0, Position - Dt / Travel * SEL(Slow, 1.0, 0.25)); END_IF;
  (* It meets the part that lies there on its way out, and has it on its plate until there is room. *)
  IF Push AND Next > 0.15 AND Position <= 0.15 AND Held.Number = 0 AND From.Number <> 0 THEN Held := From; Take := From.Number; END_IF;
  IF Held.Number <> 0 AND Ahead THEN Next := MIN(Next, MAX(Position, 0.9)); END_IF;
  IF Held.Number <> 0 AND Next >= 1.0 AND Take = 0 THEN Out := Held; Held := None; Pushed := Pushed + 1; END_IF;
  Position := Next;
END_IF;
IsBack := Position < 0.02 AND NOT BackStuckOff; IsOut := Position > 0.98;`,
};

export const rowFormer: DeviceKind = {
  type: 'RowFormer',
  help: 'Collects parts side by side into a row and pushes the whole row on: what comes before a stacker or a packer.',
  terminals: [
    bool('Push', 'in', 'Drives the plate that pushes the row on; without, it goes back'),
    into,
    ahead,
    bool('RowFull', 'out', 'Sensor: the row has all its parts'),
    bool('IsBack', 'out', 'Switch at the back end'),
    bool('IsOut', 'out', 'Switch at the far end'),
    mech('Row', 'out', 'The parts in the row', LINE),
    onward,
    full,
    total('Rows pushed on'),
  ],
  parameters: [
    { name: 'Count', type: 'INT', initial: '3', min: 1, max: LINE_PARTS, unit: 'pieces', help: 'Parts of a row' },
    { name: 'Travel', type: 'REAL', initial: '0.6', unit: 's', help: 'Time out, and back' },
  ],
  upsets: [
    { name: 'Jam', help: 'The plate stops where it is' },
    { name: 'FullStuckOff', help: 'The sensor of the row never sees' },
  ],
  handles: [],
  locals: `  None : ${PART}; i : INT; Position : REAL; WasOut : BOOL; Pushes : BOOL; Most : INT; Lost : UINT;`,
  body: `
WasOut := Out.Number <> 0; Out := None;
Most := LIMIT(1, Count, ${LINE_PARTS});
IF In.Number <> 0 THEN
  IF Row.Count < ${LINE_PARTS} THEN Row.Count := Row.Count + 1; Row.Part[Row.Count] := In; ELSE Lost := Lost + 1; END_IF;
END_IF;
IF NOT Jam THEN
  IF Push THEN Position := MIN(1.0, Position + Dt / Travel); ELSE Position := MAX(0.0, Position - Dt / Travel); END_IF;
END_IF;
(* At the far end the row goes over, one part after the other. *)
IF Position >= 1.0 AND Row.Count > 0 AND NOT Pushes THEN Pushes := TRUE; END_IF;
IF Pushes AND Position < 0.9 THEN Pushes := FALSE; END_IF;
IF Pushes AND Row.Count > 0 AND NOT Ahead AND NOT WasOut THEN
  Out := Row.Part[1];
  FOR i := 2 TO Row.Count DO Row.Part[i - 1] := Row.Part[i]; END_FOR;
  Row.Count := Row.Count - 1;
  IF Row.Count = 0 THEN Total := Total + 1; Pushes := FALSE; END_IF;
END_IF;
FOR i := 1 TO Row.Count DO Row.Front[i] := INT_TO_REAL(Row.Count - i + 1) * 0.2; END_FOR;
Full := Row.Count >= Most OR Position > 0.02;
RowFull := Row.Count >= Most AND NOT FullStuckOff;
IsBack := Position < 0.02; IsOut := Position > 0.98;`,
};

export const rollerTrack: DeviceKind = {
  type: 'RollerTrack',
  help: 'Driven rollers on which parts collect without pressing: each runs on until it is a gap behind the one ahead, and the first waits at the end until it is released.',
  terminals: [
    bool('Run', 'in', 'Drives the rollers'),
    bool('Release', 'in', 'Lets the first part go on'),
    into,
    ahead,
    take,
    bool('AtEnd', 'out', 'Sensor: a part waits at the end'),
    bool('Filled', 'out', 'Sensor at the beginning: no more goes on'),
    onward,
    mech('Waiting', 'out', 'The part that waits at the end', PART),
    mech('Line', 'out', 'The parts on it', LINE),
    full,
    total('Parts that have left'),
  ],
  parameters: [
    { name: 'Length', type: 'REAL', initial: '2.0', unit: 'm', help: 'Length of the track' },
    { name: 'Fast', type: 'REAL', initial: '0.4', unit: 'm/s', help: 'Speed of the parts on it' },
    { name: 'Gap', type: 'REAL', initial: '0.05', unit: 'm', min: 0, help: 'Left free between parts' },
  ],
  upsets: [
    { name: 'Jam', help: 'Parts stay where they are' },
    { name: 'Slow', help: 'It runs at a third of its speed' },
    { name: 'EndStuckOn', help: 'The sensor at the end always sees' },
    { name: 'EndStuckOff', help: 'The sensor at the end never sees' },
  ],
  handles: [{ name: 'Grab', type: 'press', help: 'Takes the foremost part off by hand' }],
  locals: `  None : ${PART}; i : INT; Gone : INT; Move : REAL; Moves : REAL; Before : REAL; Leaving : UINT; Grabs : BOOL; WasGrab : BOOL; Lost : UINT;`,
  body: `
Out := None; Gone := 0; Move := 0.0;
IF Run AND NOT Jam THEN Move := Fast * Dt * SEL(Slow, 1.0, 0.33); END_IF;
Moves := Moves + Move;
IF Moves >= 0.1 THEN Moves := Moves - 0.1; END_IF;
FOR i := 1 TO Line.Count DO
  IF Take <> 0 AND Line.Part[i].Number = Take AND Gone = 0 THEN Gone := i; END_IF;
END_FOR;
(* By hand, or at its end: once it is no longer offered. *)
IF Gone = 0 AND Line.Count > 0 AND Leaving <> 0 AND Leaving = Line.Part[1].Number THEN
  IF Grabs THEN Gone := 1; Grabs := FALSE;
  ELSIF Release AND Move > 0.0 AND NOT Ahead THEN Out := Line.Part[1]; Total := Total + 1; Gone := 1;
  END_IF;
END_IF;
Leaving := 0;
IF Gone > 0 THEN
  FOR i := Gone + 1 TO Line.Count DO Line.Front[i - 1] := Line.Front[i]; Line.Part[i - 1] := Line.Part[i]; END_FOR;
  Line.Count := Line.Count - 1;
END_IF;
IF Grab AND NOT WasGrab AND Line.Count > 0 THEN Grabs := TRUE; END_IF;
IF Line.Count = 0 THEN Grabs := FALSE; END_IF;
WasGrab := Grab;
Before := Length;
FOR i := 1 TO Line.Count DO
  Line.Front[i] := MAX(Line.Front[i], MIN(Line.Front[i] + Move, Before));
  Before := Line.Front[i] - Line.Part[i].Length - Gap;
END_FOR;
IF In.Number <> 0 THEN
  IF Line.Count >= ${LINE_PARTS} THEN Lost := Lost + 1; ELSE Line.Count := Line.Count + 1; Line.Front[Line.Count] := 0.0; Line.Part[Line.Count] := In; END_IF;
END_IF;
Waiting := None; AtEnd := FALSE; Full := Line.Count >= ${LINE_PARTS};
IF Line.Count > 0 THEN
  Full := Full OR Line.Front[Line.Count] - Line.Part[Line.Count].Length - Gap < 0.0;
  IF Line.Front[1] >= Length - 0.001 THEN
    AtEnd := TRUE;
    IF Grabs OR (Release AND Run AND NOT Jam AND NOT Ahead) THEN Leaving := Line.Part[1].Number; ELSE Waiting := Line.Part[1]; END_IF;
  ELSIF Grabs THEN Leaving := Line.Part[1].Number;
  END_IF;
END_IF;
AtEnd := (AtEnd OR EndStuckOn) AND NOT EndStuckOff;
Filled := Full;`,
};

export const lift: DeviceKind = {
  type: 'Lift',
  help: 'A table that takes a part at one height and hands it on at the other: it rolls on by itself, and off while it is told to.',
  terminals: [
    bool('Up', 'in', 'Drives it up'),
    bool('Down', 'in', 'Drives it down'),
    bool('Roll', 'in', 'Drives the rollers that hand the part on'),
    into,
    ahead,
    bool('AtBottom', 'out', 'Switch at the bottom'),
    bool('AtTop', 'out', 'Switch at the top'),
    bool('Loaded', 'out', 'Sensor: a part lies on it, all of it'),
    onward,
    full,
    mech('Position', 'out', '0 at the bottom, 1 at the top'),
    total('Parts that have left'),
  ],
  parameters: [
    { name: 'Travel', type: 'REAL', initial: '1.5', unit: 's', help: 'Time from end to end' },
    { name: 'RollOn', type: 'REAL', initial: '0.6', unit: 's', help: 'Time for a part to roll on, and off' },
    { name: 'Descends', type: 'BOOL', initial: 'FALSE', help: 'Takes at the top and hands on at the bottom' },
  ],
  upsets: [
    { name: 'Jam', help: 'Stops where it is' },
    { name: 'Slow', help: 'Takes three times as long' },
    { name: 'TopStuckOff', help: 'The switch at the top never closes' },
  ],
  handles: [],
  locals: `  None : ${PART}; Held : ${PART}; Along : REAL; Lost : UINT; AtIn : BOOL; AtOut : BOOL;`,
  body: `
Out := None;
IF In.Number <> 0 THEN IF Held.Number = 0 THEN Held := In; Along := 0.0; ELSE Lost := Lost + 1; END_IF; END_IF;
IF NOT Jam AND Up <> Down THEN
  IF Up THEN Position := MIN(1.0, Position + Dt / Travel * SEL(Slow, 1.0, 0.33)); ELSE Position := MAX(0.0, Position - Dt / Travel * SEL(Slow, 1.0, 0.33)); END_IF;
END_IF;
AtIn := SEL(Descends, Position < 0.02, Position > 0.98);
AtOut := SEL(Descends, Position > 0.98, Position < 0.02);
(* It rolls on to the middle by itself, and from there over the edge; between the two heights it lies still. *)
IF Held.Number <> 0 THEN
  IF Along < 1.0 AND NOT (AtOut AND Roll) THEN Along := MIN(1.0, Along + Dt / RollOn);
  ELSIF Roll AND AtOut THEN
    Along := MIN(2.0, Along + Dt / RollOn);
    IF Along >= 2.0 AND NOT Ahead THEN Out := Held; Held := None; Along := 0.0; Total := Total + 1; END_IF;
  END_IF;
END_IF;
Full := Held.Number <> 0 OR NOT AtIn;
Loaded := Held.Number <> 0 AND Along >= 1.0;
AtBottom := Position < 0.02; AtTop := Position > 0.98 AND NOT TopStuckOff;`,
};

export const weighBelt: DeviceKind = {
  type: 'WeighBelt',
  help: 'A short belt on a load cell that weighs parts in passing, one at a time: the value follows late and is unsteady while the part runs on.',
  terminals: [
    bool('Run', 'in', 'Drives the belt'),
    into,
    ahead,
    bool('Present', 'out', 'Sensor in its middle: a part is all on it'),
    real('Weight', 'out', 'What it shows, in kg'),
    bool('Stable', 'out', 'The value is steady and there is a part'),
    onward,
    mech('Line', 'out', 'The part on it', LINE),
    full,
    total('Parts that have left'),
  ],
  parameters: [
    { name: 'Length', type: 'REAL', initial: '0.6', unit: 'm', help: 'Length of the belt' },
    { name: 'Fast', type: 'REAL', initial: '0.3', unit: 'm/s', help: 'Speed of the belt' },
    { name: 'Settles', type: 'REAL', initial: '0.15', unit: 's', help: 'How late the value follows' },
    { name: 'Noise', type: 'REAL', initial: '0.003', unit: 'kg', help: 'How much it wavers while the belt runs' },
    { name: 'Seed', type: 'UDINT', initial: '17', help: 'Start of the random numbers' },
  ],
  upsets: [
    { name: 'Jam', help: 'The part stays where it is' },
    { name: 'Drifts', help: 'It shows a tenth too much' },
    { name: 'Unsteady', help: 'The value never becomes steady' },
  ],
  handles: [{ name: 'Grab', type: 'press', help: 'Takes the part off by hand' }],
  locals: `  None : ${PART}; Move : REAL; Moves : REAL; OnIt : REAL; Shown : REAL; Random : UDINT; Started : BOOL; WasGrab : BOOL; Lost : UINT;`,
  body: `
IF NOT Started THEN Random := Seed; Started := TRUE; END_IF;
Out := None; Move := 0.0;
IF Run AND NOT Jam THEN Move := Fast * Dt; END_IF;
Moves := Moves + Move;
IF Moves >= 0.1 THEN Moves := Moves - 0.1; END_IF;
IF Grab AND NOT WasGrab THEN Line.Count := 0; END_IF;
WasGrab := Grab;
IF Line.Count > 0 THEN
  Line.Front[1] := MIN(Line.Front[1] + Move, Length);
  IF Line.Front[1] >= Length AND Move > 0.0 AND NOT Ahead THEN Out := Line.Part[1]; Total := Total + 1; Line.Count := 0; END_IF;
END_IF;
IF In.Number <> 0 THEN
  IF Line.Count > 0 THEN Lost := Lost + 1; ELSE Line.Count := 1; Line.Part[1] := In; Line.Front[1] := 0.0; END_IF;
END_IF;
Full := Line.Count > 0;
Present := FALSE; OnIt := 0.0;
IF Line.Count > 0 THEN
  Present := Line.Front[1] >= MIN(Line.Part[1].Length, Length) - 0.001;
  OnIt := Line.Part[1].Weight * LIMIT(0.0, Line.Front[1] / MAX(0.001, MIN(Line.Part[1].Length, Length)), 1.0);
END_IF;
Shown := Shown + (OnIt - Shown) * MIN(1.0, Dt / MAX(Settles / 3.0, 0.001));
Random := Random * 1664525 + 1013904223;
Weight := Shown * SEL(Drifts, 1.0, 1.1);
IF Move > 0.0 OR Unsteady THEN Weight := Weight + SEL(Unsteady, Noise, MAX(Noise, 0.05)) * (UDINT_TO_REAL(Random / 65536) / 32768.0 - 1.0); END_IF;
Stable := Present AND NOT Unsteady AND ABS(OnIt - Shown) < 0.005 + 0.002 * OnIt;`,
};

export const partReader: DeviceKind = {
  type: 'PartReader',
  help: 'Reads and measures the part before it on a belt: its own number and sort, how long and how high it is. What it read stays until the next part.',
  terminals: [
    mech('Line', 'in', 'The parts that pass it', LINE),
    bool('Sees', 'out', 'On while a part is before it'),
    bool('Valid', 'out', 'It has read the part that is before it'),
    { name: 'Number', type: 'UINT', direction: 'out', help: "The part's own number" },
    { name: 'Sort', type: 'UINT', direction: 'out', help: 'Which sort it is' },
    real('Length', 'out', 'How long it is, in mm'),
    real('Height', 'out', 'How high it is, in mm'),
  ],
  parameters: [
    {
      name: 'Place',
      type: 'REAL',
      initial: '0.5',
      unit: 'm',
      min: 0,
      help: 'Where it looks, from the beginning of the belt',
    },
    { name: 'Takes', type: 'REAL', initial: '0.05', unit: 's', help: 'Time until it has read' },
    { name: 'Noise', type: 'REAL', initial: '0.02', unit: 'mm', min: 0, help: 'How far a measure may be off' },
    { name: 'Seed', type: 'UDINT', initial: '23', help: 'Start of the random numbers' },
  ],
  upsets: [
    { name: 'NoRead', help: 'It sees the part and reads nothing' },
    { name: 'Misreads', help: 'Now and then it reads another sort' },
    { name: 'Blind', help: 'It never sees a part' },
  ],
  handles: [],
  locals: `  i : INT; Here : INT; Since : REAL; Now : UINT; Off : REAL; Random : UDINT; Started : BOOL;`,
  body: `
IF NOT Started THEN Random := Seed; Started := TRUE; END_IF;
Here := 0;
FOR i := 1 TO Line.Count DO
  IF Line.Front[i] >= Place AND Line.Front[i] - Line.Part[i].Length <= Place AND Here = 0 AND NOT Blind THEN Here := i; END_IF;
END_FOR;
Sees := Here > 0;
IF Here = 0 THEN Since := 0.0; Now := 0; Valid := FALSE;
ELSE
  IF Line.Part[Here].Number <> Now THEN Now := Line.Part[Here].Number; Since := 0.0; Valid := FALSE; END_IF;
  Since := Since + Dt;
  IF Since >= Takes AND NOT Valid AND NOT NoRead THEN
    Valid := TRUE;
    Random := Random * 1664525 + 1013904223;
    Off := Noise * (UDINT_TO_REAL(Random / 65536) / 32768.0 - 1.0);
    Number := Now; Sort := USINT_TO_UINT(Line.Part[Here].Sort);
    IF Misreads AND Random / 65536 MOD 3 = 0 THEN Sort := Sort + 1; END_IF;
    Length := Line.Part[Here].Length * 1000.0 + Off; Height := Line.Part[Here].Height * 1000.0 + Off;
  END_IF;
END_IF;`,
};

export const waySorter: DeviceKind = {
  type: 'WaySorter',
  help: 'A short belt that swings to one of up to four ways: it takes a part, carries it where it is told and hands it on there. It takes no part while it swings.',
  terminals: [
    bool('Run', 'in', 'Drives its belt'),
    bool('Way2', 'in', 'Swings to the second way; with none of these, to the first'),
    bool('Way3', 'in', 'Swings to the third way'),
    bool('Way4', 'in', 'Swings to the fourth way'),
    into,
    ...WAYS.map((n) => mech(`Ahead${n}`, 'in', `There is no room on way ${n}`, 'BOOL', true)),
    bool('Loaded', 'out', 'Sensor: a part lies on it'),
    ...WAYS.map((n) => bool(`At${n}`, 'out', `Switch: it stands at way ${n}`)),
    ...WAYS.map((n) => mech(`Out${n}`, 'out', `The part that leaves on way ${n}`, PART)),
    full,
    mech('Position', 'out', 'Where it stands, 1 to 4'),
    total('Parts that have left'),
  ],
  parameters: [
    { name: 'Swing', type: 'REAL', initial: '0.4', unit: 's', help: 'Time from one way to the next' },
    { name: 'Passes', type: 'REAL', initial: '0.6', unit: 's', help: 'Time for a part to run over it' },
  ],
  upsets: [
    { name: 'Jam', help: 'It does not swing any more' },
    { name: 'Slow', help: 'It swings four times as slow' },
    { name: 'SwitchesStuckOff', help: 'None of its switches closes' },
  ],
  handles: [],
  locals: `  None : ${PART}; Held : ${PART}; Along : REAL; Goal : REAL; Stands : INT; Place : REAL; Dwell : INT; Blocked : BOOL; Lost : UINT;`,
  body: `
Out1 := None; Out2 := None; Out3 := None; Out4 := None;
IF Place < 1.0 THEN Place := 1.0; END_IF;
IF In.Number <> 0 THEN IF Held.Number = 0 THEN Held := In; Along := 0.0; ELSE Lost := Lost + 1; END_IF; END_IF;
Goal := 1.0;
IF Way4 THEN Goal := 4.0; ELSIF Way3 THEN Goal := 3.0; ELSIF Way2 THEN Goal := 2.0; END_IF;
(* A part half over its edge holds it where it is. *)
IF NOT Jam AND Along <= 1.0 THEN
  Place := Place + LIMIT(-Dt / Swing * SEL(Slow, 1.0, 0.25), Goal - Place, Dt / Swing * SEL(Slow, 1.0, 0.25));
END_IF;
Position := Place;
IF ABS(Place - Goal) < 0.001 THEN Stands := REAL_TO_INT(Goal); Dwell := MIN(Dwell + 1, 100); ELSE Dwell := 0; IF Along <= 1.0 THEN Stands := 0; END_IF; END_IF;
IF Held.Number <> 0 AND Run THEN
  IF Along < 1.0 THEN Along := MIN(1.0, Along + 2.0 * Dt / Passes);
  ELSIF Stands > 0 THEN
    Along := MIN(2.0, Along + 2.0 * Dt / Passes);
    CASE Stands OF 1: Blocked := Ahead1; 2: Blocked := Ahead2; 3: Blocked := Ahead3; ELSE Blocked := Ahead4; END_CASE;
    IF Along >= 2.0 AND NOT Blocked THEN
      CASE Stands OF 1: Out1 := Held; 2: Out2 := Held; 3: Out3 := Held; ELSE Out4 := Held; END_CASE;
      Held := None; Along := 0.0; Total := Total + 1;
    END_IF;
  END_IF;
END_IF;
Loaded := Held.Number <> 0;
Full := Held.Number <> 0 OR Dwell = 0;
At1 := ABS(Place - 1.0) < 0.02 AND NOT SwitchesStuckOff; At2 := ABS(Place - 2.0) < 0.02 AND NOT SwitchesStuckOff;
At3 := ABS(Place - 3.0) < 0.02 AND NOT SwitchesStuckOff; At4 := ABS(Place - 4.0) < 0.02 AND NOT SwitchesStuckOff;`,
};

export const gantry: DeviceKind = {
  type: 'Gantry',
  help: 'A gripper on an axis that goes to any place: picks a part up at one and lays it down at one of three others. What it lets go anywhere else falls.',
  terminals: [
    bool('Enable', 'in', 'The axis holds and moves'),
    real('Target', 'in', 'Where to go, in mm'),
    bool('Down', 'in', 'Drives it down'),
    bool('Grip', 'in', 'Closes the gripper'),
    from,
    ...[1, 2, 3].map((n) => mech(`Ahead${n}`, 'in', `There is no room at place ${n}`, 'BOOL', true)),
    real('Position', 'out', 'Where it is, in mm'),
    bool('InPosition', 'out', 'At the target and at rest'),
    bool('IsUp', 'out', 'Sensor at the top'),
    bool('IsDown', 'out', 'Sensor at the bottom'),
    bool('Holds', 'out', 'Sensor: it holds a part'),
    takes,
    ...[1, 2, 3].map((n) => mech(`Out${n}`, 'out', `The part that it lays down at place ${n}`, PART)),
  ],
  parameters: [
    { name: 'Speed', type: 'REAL', initial: '600.0', unit: 'mm/s', help: 'Fastest travel' },
    { name: 'Length', type: 'REAL', initial: '1200.0', unit: 'mm', help: 'Travel from end to end' },
    { name: 'PickAt', type: 'REAL', initial: '0.0', unit: 'mm', min: 0, help: 'Where it picks' },
    { name: 'Place1', type: 'REAL', initial: '400.0', unit: 'mm', min: 0, help: 'Where place 1 is' },
    { name: 'Place2', type: 'REAL', initial: '800.0', unit: 'mm', min: 0, help: 'Where place 2 is' },
    { name: 'Place3', type: 'REAL', initial: '1200.0', unit: 'mm', min: 0, help: 'Where place 3 is' },
    { name: 'Stroke', type: 'REAL', initial: '0.3', unit: 's', help: 'Time down, and up' },
    { name: 'Close', type: 'REAL', initial: '0.1', unit: 's', help: 'Time until the gripper holds or lets go' },
  ],
  upsets: [
    { name: 'Jam', help: 'The axis stops where it is' },
    { name: 'GripsNot', help: 'It does not hold, and drops what it has' },
    { name: 'HoldsStuckOn', help: 'The sensor always says it holds' },
  ],
  handles: [],
  locals: `  None : ${PART}; Held : ${PART}; Z : REAL; Closed : REAL; Most : REAL; Way : REAL; Lost : UINT; Placed : UINT;`,
  body: `
Out1 := None; Out2 := None; Out3 := None; Take := 0;
Most := Speed * Dt;
Way := LIMIT(0.0, Target, Length) - Position;
IF Enable AND NOT Jam THEN Position := Position + LIMIT(-Most, Way, Most); END_IF;
InPosition := Enable AND ABS(LIMIT(0.0, Target, Length) - Position) < 0.05;
IF Down THEN Z := MIN(1.0, Z + Dt / Stroke); ELSE Z := MAX(0.0, Z - Dt / Stroke); END_IF;
IF Grip AND NOT GripsNot THEN Closed := MIN(1.0, Closed + Dt / Close); ELSE Closed := MAX(0.0, Closed - Dt / Close); END_IF;
IF Closed > 0.98 AND Held.Number = 0 AND Z > 0.98 AND ABS(Position - PickAt) < 2.0 AND From.Number <> 0 THEN
  Held := From; Take := From.Number;
ELSIF Closed < 0.02 AND Held.Number <> 0 THEN
  IF Z > 0.98 AND ABS(Position - Place1) < 2.0 AND NOT Ahead1 THEN Out1 := Held; Placed := Placed + 1;
  ELSIF Z > 0.98 AND ABS(Position - Place2) < 2.0 AND NOT Ahead2 THEN Out2 := Held; Placed := Placed + 1;
  ELSIF Z > 0.98 AND ABS(Position - Place3) < 2.0 AND NOT Ahead3 THEN Out3 := Held; Placed := Placed + 1;
  ELSE Lost := Lost + 1;
  END_IF;
  Held := None;
END_IF;
IsUp := Z < 0.02; IsDown := Z > 0.98;
Holds := Held.Number <> 0 OR HoldsStuckOn;`,
};
