/**
 * Parts on their way: what puts them on, carries, stops, sorts, moves, works on and takes them. A part is handed on in
 * one scan (`Out` of one device to `In` of the next); a device that has no room says so backwards (`Full` to `Ahead`).
 */
import { type DeviceKind, LINE, LINE_PARTS, PART, bool, closedContact, mech } from '../device.js';
import { ahead, from, full, into, onward, take, takes, total, waiting, worked } from './terminals.js';

export const partFeed: DeviceKind = {
  type: 'PartFeed',
  help: 'Where parts come from: one every so often, or one for each press; sorts in turn or at random.',
  terminals: [ahead, onward, total('Parts that have come')],
  parameters: [
    {
      name: 'Every',
      type: 'REAL',
      initial: '4.0',
      unit: 's',
      min: 0,
      help: 'A part comes so often; 0 for by hand only',
    },
    { name: 'Sorts', type: 'USINT', initial: '1', min: 1, max: 9, help: 'How many sorts of parts there are' },
    { name: 'AtRandom', type: 'BOOL', initial: 'FALSE', help: 'Sorts and times vary at random instead of in turn' },
    { name: 'Length', type: 'REAL', initial: '0.2', unit: 'm', help: 'Length of a part' },
    { name: 'Height', type: 'REAL', initial: '0.05', unit: 'm', help: 'Height of a part' },
    {
      name: 'HeightScatter',
      type: 'REAL',
      initial: '0.0',
      unit: 'mm',
      min: 0,
      help: 'How much that varies, up and down',
    },
    { name: 'Weight', type: 'REAL', initial: '1.0', unit: 'kg', help: 'Weight of a part' },
    { name: 'Scatter', type: 'REAL', initial: '0.0', unit: 'kg', help: 'How much that varies, up and down' },
    { name: 'Seed', type: 'UDINT', initial: '31', help: 'Start of the random numbers' },
  ],
  upsets: [
    { name: 'Empty', help: 'Nothing comes any more' },
    { name: 'Late', help: 'Parts come three times as seldom' },
  ],
  handles: [{ name: 'Put', type: 'press', help: 'Puts a part on' }],
  locals: `  None : ${PART}; Wait : REAL; Next : REAL; WasPut : BOOL; Random : UDINT; Started : BOOL; Sort : USINT; Was : BOOL;`,
  body: `
IF NOT Started THEN Random := Seed; Started := TRUE; Next := Every; END_IF;
Was := Out.Number <> 0; Out := None;
Wait := Wait + Dt * SEL(Late, 1.0, 0.33);
IF ((Put AND NOT WasPut) OR (Every > 0.0 AND Wait >= Next)) AND NOT Ahead AND NOT Empty AND NOT Was THEN
  Wait := 0.0; Next := Every;
  Random := Random * 1664525 + 1013904223;
  Sort := Sort MOD MAX(Sorts, USINT#1) + 1;
  IF AtRandom THEN Sort := UDINT_TO_USINT(Random / 65536 MOD MAX(Sorts, USINT#1)) + 1; Next := Every * (0.5 + UDINT_TO_REAL(Random / 65536) / 65536.0); END_IF;
  Total := Total + 1;
  Out.Number := Total; Out.Sort := Sort; Out.Length := Length; Out.Weight := Weight + Scatter * (UDINT_TO_REAL(Random / 65536) / 32768.0 - 1.0);
  (* Another number for the height: a heavy part is not always a high one. *)
  Out.Height := Height + HeightScatter / 1000.0 * (UDINT_TO_REAL((Random * 69069 + 1) / 65536) / 32768.0 - 1.0);
END_IF;
WasPut := Put;`,
};

export const conveyor: DeviceKind = {
  type: 'Conveyor',
  help: 'A belt that carries parts past its stops and off its end. Parts queue at a stop, push against each other and wait while there is no room ahead.',
  terminals: [
    bool('Run', 'in', 'Drives the belt'),
    bool('Stop', 'in', 'Its own stop is out: parts wait in front of it'),
    into,
    mech('Stop2', 'in', 'How far another stop is out, 0 to 1', 'REAL', true),
    ahead,
    take,
    worked,
    bool('AtStop', 'out', 'Sensor at its own stop'),
    bool('AtEnd', 'out', 'Sensor at the end'),
    onward,
    waiting,
    mech('Line', 'out', 'The parts on it', LINE),
    full,
    mech('Speed', 'out', 'Speed of the belt, in m/s'),
    mech('Load', 'out', 'Weight of the parts on it, in kg'),
    total('Parts that have left'),
  ],
  parameters: [
    { name: 'Length', type: 'REAL', initial: '2.0', unit: 'm', help: 'Length of the belt' },
    { name: 'Fast', type: 'REAL', initial: '0.4', unit: 'm/s', help: 'Speed of the belt when up to it' },
    { name: 'RunUp', type: 'REAL', initial: '0.1', unit: 's', help: 'Time to full speed, and to stand still' },
    { name: 'StopAt', type: 'REAL', initial: '1.2', unit: 'm', help: 'Where its own stop and the sensor there are' },
    { name: 'Stop2At', type: 'REAL', initial: '0.6', unit: 'm', help: 'Where another stop is' },
    { name: 'PartLength', type: 'REAL', initial: '0.2', unit: 'm', help: 'Length of a part that is put on by hand' },
  ],
  upsets: [
    { name: 'Jam', help: 'Parts stay where they are' },
    { name: 'Slow', help: 'It runs at a third of its speed' },
    { name: 'StuckOn', help: 'The sensor at the stop always sees' },
    { name: 'StuckOff', help: 'The sensor at the stop never sees' },
  ],
  handles: [
    { name: 'Put', type: 'press', help: 'Puts a part on' },
    { name: 'Grab', type: 'press', help: 'Takes the foremost part off by hand' },
  ],
  locals: `  None : ${PART}; i : INT; n : INT; Move : REAL; Next : REAL; Before : REAL; WasPut : BOOL; WasGrab : BOOL; Moves : REAL; ByHand : UINT := 50000; Lost : UINT; Coming : ${PART}; Gone : INT; Leaving : UINT; Grabs : BOOL;`,
  body: `
Out := None; Gone := 0;
IF Run AND NOT Jam THEN Speed := MIN(Speed + Fast * Dt / RunUp, Fast * SEL(Slow, 1.0, 0.33)); ELSE Speed := MAX(0.0, Speed - Fast * Dt / RunUp); END_IF;
Move := SEL(Jam, Speed * Dt, 0.0);
Moves := Moves + Move;
IF Moves >= 0.1 THEN Moves := Moves - 0.1; END_IF;
(* What another device took, or worked on, is the part that lay there ready. *)
FOR i := 1 TO Line.Count DO
  IF Take <> 0 AND Line.Part[i].Number = Take AND Gone = 0 THEN Gone := i; END_IF;
  IF Worked <> 0 AND Line.Part[i].Number = Worked THEN Line.Part[i].Worked := Line.Part[i].Worked OR BYTE#1; END_IF;
END_FOR;
(* What leaves at the end, or by hand, has not been offered any more in the scan before: nobody else has taken it. *)
IF Gone = 0 AND Line.Count > 0 AND Leaving <> 0 AND Leaving = Line.Part[1].Number THEN
  IF Grabs THEN Gone := 1; Grabs := FALSE;
  ELSIF Line.Front[1] >= Length AND NOT Ahead AND Move > 0.0 THEN Out := Line.Part[1]; Total := Total + 1; Gone := 1;
  END_IF;
END_IF;
Leaving := 0;
IF Gone > 0 THEN
  FOR i := Gone + 1 TO Line.Count DO Line.Front[i - 1] := Line.Front[i]; Line.Part[i - 1] := Line.Part[i]; END_FOR;
  Line.Count := Line.Count - 1;
END_IF;
(* Not through a stop, not into the part ahead, not off the end without room. *)
Before := 1000.0;
FOR i := 1 TO Line.Count DO
  Next := Line.Front[i] + Move;
  IF Stop AND Line.Front[i] <= StopAt AND Next > StopAt THEN Next := StopAt; END_IF;
  IF Stop2 > 0.5 AND Line.Front[i] <= Stop2At AND Next > Stop2At THEN Next := Stop2At; END_IF;
  IF Ahead AND Next > Length THEN Next := Length; END_IF;
  Line.Front[i] := MAX(Line.Front[i], MIN(Next, Before));
  Before := Line.Front[i] - Line.Part[i].Length;
END_FOR;
IF Grab AND NOT WasGrab THEN Grabs := TRUE; END_IF;
WasGrab := Grab;
IF Line.Count = 0 THEN Grabs := FALSE;
ELSIF Grabs OR (Line.Front[1] >= Length AND NOT Ahead AND Move > 0.0) THEN Leaving := Line.Part[1].Number;
END_IF;
Coming := In;
IF Put AND NOT WasPut THEN ByHand := ByHand + 1; Coming.Number := ByHand; Coming.Sort := 1; Coming.Length := PartLength; Coming.Height := 0.05; Coming.Weight := 1.0; Coming.Worked := BYTE#0; END_IF;
WasPut := Put;
n := Line.Count;
Full := n >= ${LINE_PARTS};
IF n > 0 THEN Full := Full OR Line.Front[n] - Line.Part[n].Length < 0.0; END_IF;
IF Coming.Number <> 0 THEN
  (* There is no room: it falls off. *)
  IF Full THEN Lost := Lost + 1; ELSE Line.Count := n + 1; Line.Front[n + 1] := 0.0; Line.Part[n + 1] := Coming; Full := TRUE; END_IF;
END_IF;
AtStop := FALSE; AtEnd := FALSE; Load := 0.0; Waiting := None;
FOR i := 1 TO Line.Count DO
  Load := Load + Line.Part[i].Weight;
  IF Line.Front[i] >= StopAt - 0.02 AND Line.Front[i] - Line.Part[i].Length <= StopAt THEN AtStop := TRUE; END_IF;
  IF Line.Front[i] >= Length - 0.02 THEN AtEnd := TRUE; END_IF;
  IF (ABS(Line.Front[i] - StopAt) < 0.03 OR Line.Front[i] >= Length - 0.03) AND Waiting.Number = 0 AND Line.Part[i].Number <> Leaving THEN Waiting := Line.Part[i]; END_IF;
END_FOR;
AtStop := (AtStop OR StuckOn) AND NOT StuckOff;`,
};

export const partSensor: DeviceKind = {
  type: 'PartSensor',
  help: 'A sensor beside a belt: sees a part that lies before it. A light barrier or a proximity sensor; for one sort of part only, if you like.',
  terminals: [
    mech('Line', 'in', 'The parts that pass it', LINE),
    bool('Sees', 'out', 'On while a part is before it'),
    closedContact('Clear', 'On while nothing is before it, as a light barrier gives it'),
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
    { name: 'Covers', type: 'REAL', initial: '0.02', unit: 'm', help: 'The stretch that it sees' },
    { name: 'Only', type: 'USINT', initial: '0', min: 0, max: 9, help: 'The only sort that it sees; 0 for all' },
    { name: 'Delay', type: 'REAL', initial: '0.0', unit: 's', min: 0, max: 10, help: 'So late it is' },
  ],
  upsets: [
    { name: 'StuckOn', help: 'It always sees a part' },
    { name: 'StuckOff', help: 'It never sees a part' },
    { name: 'Bounces', help: 'It flickers for 60 ms at each change' },
    { name: 'BrokenWire', help: 'Both of its contacts read open' },
  ],
  handles: [],
  locals: '  i : INT; Raw : BOOL; Seen : BOOL; Since : REAL; Flicker : REAL; Flip : BOOL;',
  body: `
Raw := FALSE;
FOR i := 1 TO Line.Count DO
  IF Line.Front[i] >= Place - Covers / 2.0 AND Line.Front[i] - Line.Part[i].Length <= Place + Covers / 2.0 AND (Only = 0 OR Line.Part[i].Sort = Only) THEN Raw := TRUE; END_IF;
END_FOR;
IF Raw = Seen THEN Since := 0.0; ELSE Since := Since + Dt; END_IF;
IF Raw <> Seen AND Since > Delay THEN Seen := Raw; Since := 0.0; IF Bounces THEN Flicker := 0.06; END_IF; END_IF;
Flip := NOT Flip; Flicker := MAX(0.0, Flicker - Dt);
Raw := (Seen XOR (Flicker > 0.0 AND Flip) OR StuckOn) AND NOT StuckOff;
Sees := Raw AND NOT BrokenWire;
Clear := NOT Raw AND NOT BrokenWire;`,
};

export const stopper: DeviceKind = {
  type: 'Stopper',
  help: 'A stop that rises into the way of the parts, with a switch at each end. It stands where its belt says (Stop2At).',
  terminals: [
    bool('Up', 'in', 'Drives it up'),
    bool('IsUp', 'out', 'Switch at the upper end'),
    bool('IsDown', 'out', 'Switch at the lower end'),
    mech('Position', 'out', '0 down, 1 up'),
  ],
  parameters: [{ name: 'Travel', type: 'REAL', initial: '0.15', unit: 's', help: 'Time from end to end' }],
  upsets: [
    { name: 'Jam', help: 'Stays where it is' },
    { name: 'Slow', help: 'Takes five times as long' },
    { name: 'UpStuckOff', help: 'The upper switch never closes' },
  ],
  handles: [],
  locals: '',
  body: `
IF NOT Jam THEN
  IF Up THEN Position := MIN(1.0, Position + Dt / Travel * SEL(Slow, 1.0, 0.2)); ELSE Position := MAX(0.0, Position - Dt / Travel * SEL(Slow, 1.0, 0.2)); END_IF;
END_IF;
IsUp := Position > 0.98 AND NOT UpStuckOff;
IsDown := Position < 0.02;`,
};

export const sorter: DeviceKind = {
  type: 'Sorter',
  help: 'A gate between two ways: sends each part straight on or, while driven, aside. A part that meets it on the move is lost.',
  terminals: [
    bool('Aside', 'in', 'Drives it to the side'),
    into,
    ahead,
    mech('AheadAside', 'in', 'There is no room aside', 'BOOL', true),
    bool('IsStraight', 'out', 'Switch at the straight end'),
    bool('IsAside', 'out', 'Switch at the side end'),
    onward,
    mech('OutAside', 'out', 'The part that leaves aside', PART),
    full,
    mech('Position', 'out', '0 straight, 1 aside'),
  ],
  parameters: [{ name: 'Travel', type: 'REAL', initial: '0.3', unit: 's', help: 'Time from end to end' }],
  upsets: [
    { name: 'Jam', help: 'Stays where it is' },
    { name: 'AsideStuckOff', help: 'The switch at the side end never closes' },
  ],
  handles: [],
  locals: `  None : ${PART}; Lost : UINT;`,
  body: `
Out := None; OutAside := None;
IF NOT Jam THEN
  IF Aside THEN Position := MIN(1.0, Position + Dt / Travel); ELSE Position := MAX(0.0, Position - Dt / Travel); END_IF;
END_IF;
IsStraight := Position < 0.02; IsAside := Position > 0.98 AND NOT AsideStuckOff;
Full := SEL(Position > 0.5, Ahead, AheadAside);
IF In.Number <> 0 THEN
  IF Position < 0.15 THEN Out := In; ELSIF Position > 0.85 THEN OutAside := In; ELSE Lost := Lost + 1; END_IF;
END_IF;`,
};

export const pickAndPlace: DeviceKind = {
  type: 'PickAndPlace',
  help: 'An arm that goes along and down, grips by vacuum, lifts a part off one place and lays it down at another. What it lets go anywhere else falls.',
  terminals: [
    bool('Along', 'in', 'Drives it to the place where it lays down'),
    bool('Down', 'in', 'Drives it down'),
    bool('Grip', 'in', 'Switches the vacuum on'),
    from,
    ahead,
    bool('AtPick', 'out', 'Sensor at the picking end'),
    bool('AtPlace', 'out', 'Sensor at the placing end'),
    bool('IsUp', 'out', 'Sensor at the top'),
    bool('IsDown', 'out', 'Sensor at the bottom'),
    bool('Holds', 'out', 'Vacuum switch: it holds a part'),
    takes,
    onward,
  ],
  parameters: [
    { name: 'Travel', type: 'REAL', initial: '0.8', unit: 's', help: 'Time along, from end to end' },
    { name: 'Stroke', type: 'REAL', initial: '0.3', unit: 's', help: 'Time down, and up' },
    { name: 'Vacuum', type: 'REAL', initial: '0.1', unit: 's', help: 'Time until the vacuum holds or lets go' },
  ],
  upsets: [
    { name: 'Jam', help: 'Stops where it is' },
    { name: 'NoVacuum', help: 'It does not hold, and drops what it has' },
    { name: 'HoldsStuckOn', help: 'The vacuum switch always says it holds' },
  ],
  handles: [],
  locals: `  None : ${PART}; Held : ${PART}; X : REAL; Z : REAL; Pull : REAL; Lost : UINT; Placed : UINT;`,
  body: `
Out := None; Take := 0;
IF NOT Jam THEN
  IF Along THEN X := MIN(1.0, X + Dt / Travel); ELSE X := MAX(0.0, X - Dt / Travel); END_IF;
  IF Down THEN Z := MIN(1.0, Z + Dt / Stroke); ELSE Z := MAX(0.0, Z - Dt / Stroke); END_IF;
END_IF;
IF Grip AND NOT NoVacuum THEN Pull := MIN(1.0, Pull + Dt / Vacuum); ELSE Pull := MAX(0.0, Pull - Dt / Vacuum); END_IF;
IF Pull > 0.98 AND Held.Number = 0 AND Z > 0.98 AND X < 0.02 AND From.Number <> 0 THEN
  Held := From; Take := From.Number;
ELSIF Pull < 0.02 AND Held.Number <> 0 THEN
  IF X > 0.98 AND Z > 0.98 AND NOT Ahead THEN Out := Held; Placed := Placed + 1; ELSE Lost := Lost + 1; END_IF;
  Held := None;
END_IF;
AtPick := X < 0.02; AtPlace := X > 0.98; IsUp := Z < 0.02; IsDown := Z > 0.98;
Holds := Held.Number <> 0 OR HoldsStuckOn;`,
};

export const turntable: DeviceKind = {
  type: 'Turntable',
  help: 'A table with four nests that turns by one nest at a time: parts come into the first nest, are worked on at the second and leave from the third.',
  terminals: [
    bool('Turn', 'in', 'Drives it'),
    into,
    ahead,
    take,
    worked,
    bool('Index', 'out', 'Sensor: it stands on a nest'),
    bool('InFirst', 'out', 'A part lies in the first nest'),
    bool('InWork', 'out', 'A part lies where it is worked on'),
    bool('InLast', 'out', 'A part lies where it leaves'),
    onward,
    waiting,
    full,
  ],
  parameters: [{ name: 'Every', type: 'REAL', initial: '1.2', unit: 's', help: 'Time from one nest to the next' }],
  upsets: [
    { name: 'Jam', help: 'It stands' },
    { name: 'IndexStuckOff', help: 'The index sensor never closes' },
    { name: 'Overruns', help: 'It runs on past the nest' },
  ],
  handles: [],
  locals: `  None : ${PART}; Nest : ARRAY [1..4] OF ${PART}; Along : REAL; Last : ${PART}; i : INT; Lost : UINT; Over : REAL; Leaving : UINT;`,
  body: `
Out := None;
FOR i := 1 TO 4 DO IF Take <> 0 AND Nest[i].Number = Take THEN Nest[i] := None; END_IF; END_FOR;
FOR i := 1 TO 4 DO IF Worked <> 0 AND Nest[i].Number = Worked THEN Nest[i].Worked := Nest[i].Worked OR BYTE#1; END_IF; END_FOR;
(* Started, it goes on to the next nest: the motor stops where the index says so. *)
Over := SEL(Overruns, 0.0, 0.12);
IF NOT Jam AND (Turn OR (Along > Over AND Along > 0.92)) THEN
  Along := Along + Dt / Every;
  IF Along >= 1.0 THEN
    Along := SEL(Turn, Over, Along - 1.0);
    Last := Nest[4];
    FOR i := 4 TO 2 BY -1 DO Nest[i] := Nest[i - 1]; END_FOR;
    Nest[1] := Last;
  END_IF;
END_IF;
Index := Along < 0.05 AND NOT IndexStuckOff;
Full := Along >= 0.05 OR Nest[1].Number <> 0;
IF In.Number <> 0 THEN
  IF Full THEN Lost := Lost + 1; ELSE Nest[1] := In; Full := TRUE; END_IF;
END_IF;
IF Along < 0.05 AND Nest[3].Number <> 0 AND Nest[3].Number = Leaving AND NOT Ahead THEN Out := Nest[3]; Nest[3] := None; END_IF;
Leaving := Nest[3].Number;
InFirst := Along < 0.05 AND Nest[1].Number <> 0; InWork := Along < 0.05 AND Nest[2].Number <> 0; InLast := Along < 0.05 AND Nest[3].Number <> 0;
IF Along < 0.05 THEN Waiting := Nest[2]; ELSE Waiting := None; END_IF;`,
};

export const workStation: DeviceKind = {
  type: 'WorkStation',
  help: 'A tool that comes down on the part that lies ready, clamps it and works on it for a time: a press, a stamp, a filler.',
  terminals: [
    bool('Work', 'in', 'Drives the tool down and lets it work'),
    mech('From', 'in', 'The part that lies ready', PART),
    bool('IsUp', 'out', 'Sensor at the top'),
    bool('IsDown', 'out', 'Sensor at the bottom'),
    bool('Done', 'out', 'The work on this part is done'),
    mech('Number', 'out', 'Number of the part that has been worked on', 'UINT'),
    mech('Position', 'out', '0 up, 1 down'),
  ],
  parameters: [
    { name: 'Travel', type: 'REAL', initial: '0.3', unit: 's', help: 'Time down, and up' },
    { name: 'Takes', type: 'REAL', initial: '0.5', unit: 's', help: 'Time of the work itself' },
  ],
  upsets: [
    { name: 'Jam', help: 'Stops where it is' },
    { name: 'Blunt', help: 'It works and nothing comes of it' },
    { name: 'DownStuckOff', help: 'The lower sensor never sees' },
  ],
  handles: [],
  locals: '  Time : REAL; Count : UINT;',
  body: `
Number := 0;
IF NOT Jam THEN
  IF Work THEN Position := MIN(1.0, Position + Dt / Travel); ELSE Position := MAX(0.0, Position - Dt / Travel); END_IF;
END_IF;
IF Position > 0.98 AND From.Number <> 0 THEN
  Time := Time + Dt;
  IF Time >= Takes AND NOT Done THEN
    Done := TRUE;
    IF NOT Blunt THEN Number := From.Number; Count := Count + 1; END_IF;
  END_IF;
ELSIF Position < 0.5 THEN Time := 0.0; Done := FALSE;
END_IF;
IsUp := Position < 0.02; IsDown := Position > 0.98 AND NOT DownStuckOff;`,
};

export const bin: DeviceKind = {
  type: 'Bin',
  help: 'Where parts end: counts what falls into it, worked on or not, and says when it is full.',
  terminals: [
    into,
    bool('IsFull', 'out', 'Sensor: no more goes in'),
    mech('Full', 'out', 'No more goes in', 'BOOL'),
    total('Parts in it'),
    { name: 'Unworked', type: 'UINT', direction: 'out', help: 'Parts in it that nothing was done to' },
  ],
  parameters: [{ name: 'Holds', type: 'UINT', initial: '60000', unit: 'pieces', help: 'So many go in' }],
  upsets: [{ name: 'FullStuckOn', help: 'The sensor always says full' }],
  handles: [{ name: 'Empty', type: 'press', help: 'Empties it' }],
  locals: '  Sorts : ARRAY [0..9] OF UINT; Weight : REAL; i : INT;',
  body: `
IF Empty THEN
  Total := 0; Unworked := 0; Weight := 0.0;
  FOR i := 0 TO 9 DO Sorts[i] := 0; END_FOR;
END_IF;
IF In.Number <> 0 THEN
  Total := Total + 1; Weight := Weight + In.Weight;
  IF In.Worked = BYTE#0 THEN Unworked := Unworked + 1; END_IF;
  Sorts[USINT_TO_INT(MIN(In.Sort, USINT#9))] := Sorts[USINT_TO_INT(MIN(In.Sort, USINT#9))] + 1;
END_IF;
Full := Total >= Holds;
IsFull := Full OR FullStuckOn;`,
};
