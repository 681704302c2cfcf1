/** Devices of a wire-end line: feed, two-position actuators, ferrule track, work piece, pull tester, bins. */
import { type DeviceKind, bool, mech, real } from '../device.js';

export const actuator: DeviceKind = {
  type: 'Actuator',
  help: 'A spring-return cylinder with a sensor at each end: out while driven, back when not.',
  terminals: [
    bool('Out', 'in', 'Valve: drives it out'),
    bool('AtHome', 'out', 'Sensor at the home end'),
    bool('AtEnd', 'out', 'Sensor at the far end'),
    mech('Position', 'out', '0 at home, 1 at the end'),
  ],
  parameters: [{ name: 'Travel', type: 'REAL', initial: '0.3', unit: 's', help: 'Time from end to end' }],
  upsets: [
    { name: 'Jam', help: 'Stops where it is' },
    { name: 'EndStuckOff', help: 'The far sensor never closes' },
  ],
  handles: [],
  locals: '',
  body: `
IF NOT Jam THEN
  IF Out THEN Position := MIN(1.0, Position + Dt / Travel); ELSE Position := MAX(0.0, Position - Dt / Travel); END_IF;
END_IF;
AtHome := Position < 0.02;
AtEnd := Position > 0.98 AND NOT EndStuckOff;`,
};

export const feeder: DeviceKind = {
  type: 'Feeder',
  help: 'Feed rollers: push wire through the cell, with run-up and coasting, and measure the length.',
  terminals: [
    bool('Run', 'in', 'Drives the rollers'),
    mech('Zero', 'in', 'Sets the measured length to nothing: the wire was cut', 'BOOL', true),
    real('Length', 'out', 'Wire beyond the blade, in mm'),
    bool('Running', 'out', 'Rollers turn'),
  ],
  parameters: [
    { name: 'Speed', type: 'REAL', initial: '160.0', unit: 'mm/s', help: 'Speed when up to it' },
    { name: 'RunUp', type: 'REAL', initial: '0.08', unit: 's', help: 'Time to full speed' },
  ],
  upsets: [
    { name: 'Jam', help: 'The wire does not move' },
    { name: 'Empty', help: 'The reel is empty' },
  ],
  handles: [],
  locals: '  Velocity : REAL; Turns : REAL;',
  body: `
IF Run AND NOT Jam THEN Velocity := MIN(Speed, Velocity + Speed * Dt / RunUp);
ELSE Velocity := MAX(0.0, Velocity - 3.0 * Speed * Dt / RunUp);
END_IF;
IF Zero THEN Length := 0.0;
ELSIF NOT Empty THEN Length := Length + Velocity * Dt;
END_IF;
Turns := Turns + Velocity * Dt / 60.0;
IF Turns >= 1.0 THEN Turns := Turns - 1.0; END_IF;
Running := Velocity > 1.0;`,
};

export const ferruleTrack: DeviceKind = {
  type: 'FerruleTrack',
  help: 'A track of ferrules with an escapement: each stroke lays one before the wire.',
  terminals: [
    bool('Release', 'in', 'Drives the escapement'),
    mech('Taken', 'in', 'The ferrule was crimped or dropped', 'BOOL', true),
    bool('InPlace', 'out', 'A ferrule sits before the wire'),
    bool('Low', 'out', 'Few ferrules left on the track'),
  ],
  parameters: [
    { name: 'Fall', type: 'REAL', initial: '0.25', unit: 's', help: 'Time from the stroke to the place' },
    { name: 'Stock', type: 'UINT', initial: '60000', unit: 'pieces', help: 'Ferrules on the track at the start' },
  ],
  upsets: [{ name: 'Blocked', help: 'No ferrule comes down' }],
  handles: [],
  locals: '  Used : UINT; Falling : BOOL; Left : REAL; Was : BOOL; Progress : REAL;',
  body: `
IF Taken THEN InPlace := FALSE; Progress := 0.0; END_IF;
IF Release AND NOT Was AND NOT Falling AND NOT InPlace AND NOT Blocked AND Used < Stock THEN
  Falling := TRUE; Left := Fall; Used := Used + 1;
END_IF;
Was := Release;
IF Falling THEN
  Left := Left - Dt;
  Progress := LIMIT(0.0, 1.0 - Left / Fall, 1.0);
  IF Left <= 0.0 THEN Falling := FALSE; InPlace := TRUE; Progress := 1.0; END_IF;
END_IF;
Low := Stock - Used < 20;`,
};

export const wirePiece: DeviceKind = {
  type: 'WirePiece',
  help: 'The piece of wire being made: cut, fitted with a ferrule, crimped, and what it then holds in the pull test.',
  terminals: [
    mech('Clamp', 'in', 'Position of the clamp'),
    mech('Blade', 'in', 'Position of the blade'),
    mech('Press', 'in', 'Position of the die'),
    mech('FerruleIn', 'in', 'A ferrule is in place', 'BOOL'),
    bool('Chute', 'in', 'The chute is open: the piece drops'),
    bool('ToReject', 'in', 'The chute points to the reject bin'),
    mech('WireOut', 'in', 'Length fed, in mm'),
    mech('Cut', 'out', 'The wire has just been cut', 'BOOL'),
    mech('FerruleTaken', 'out', 'The ferrule has gone into the crimp', 'BOOL'),
    mech('Holds', 'out', 'Force at which the ferrule slips, in N'),
    bool('Dropped', 'out', 'Piece seen at the chute'),
    { name: 'Good', type: 'UINT', direction: 'out', help: 'Pieces in the good bin' },
    { name: 'Reject', type: 'UINT', direction: 'out', help: 'Pieces in the reject bin' },
  ],
  parameters: [
    { name: 'Strength', type: 'REAL', initial: '82.0', unit: 'N', help: 'What a sound crimp holds' },
    { name: 'Scatter', type: 'REAL', initial: '9.0', unit: 'N', help: 'How much that varies, up and down' },
    { name: 'Seed', type: 'UDINT', initial: '20261', help: 'Start of the random numbers' },
  ],
  upsets: [{ name: 'WeakCrimp', help: 'Crimps hold a third of their strength' }],
  handles: [],
  locals:
    '  Present : BOOL; Crimped : BOOL; Fitted : BOOL; PieceLength : REAL; Random : UDINT; Falling : REAL; Started : BOOL; DieWasUp : BOOL := TRUE;',
  body: `
IF NOT Started THEN Random := Seed; Started := TRUE; END_IF;
Cut := FALSE; FerruleTaken := FALSE;
IF Blade > 0.95 AND NOT Present AND WireOut > 1.0 AND Clamp > 0.9 THEN
  Present := TRUE; Cut := TRUE; Crimped := FALSE; Fitted := FALSE; Holds := 0.0; PieceLength := WireOut;
END_IF;
IF Press < 0.1 THEN DieWasUp := TRUE; END_IF;
IF Press > 0.95 AND DieWasUp THEN
  DieWasUp := FALSE;
  IF FerruleIn THEN
    FerruleTaken := TRUE;
    IF Present AND NOT Crimped THEN
      Random := Random * 1664525 + 1013904223;
      Holds := Strength + Scatter * (UDINT_TO_REAL(Random / 65536) / 32768.0 - 1.0);
      IF WeakCrimp THEN Holds := Holds / 3.0; END_IF;
      Crimped := TRUE;
    END_IF;
  END_IF;
END_IF;
IF Chute AND Present AND Clamp < 0.1 THEN
  Present := FALSE; Falling := 0.15;
  IF ToReject THEN Reject := Reject + 1; ELSE Good := Good + 1; END_IF;
END_IF;
Falling := MAX(0.0, Falling - Dt);
Dropped := Falling > 0.0;`,
};

export const pullTester: DeviceKind = {
  type: 'PullTester',
  help: 'Grips the crimped end and pulls with a rising force until it is let go or the ferrule slips.',
  terminals: [
    bool('Pull', 'in', 'Grips and pulls'),
    mech('Holds', 'in', 'Force at which the ferrule slips, in N'),
    real('Force', 'out', 'Measured force, in N'),
    bool('Slipped', 'out', 'The ferrule came off'),
  ],
  parameters: [{ name: 'Rate', type: 'REAL', initial: '200.0', unit: 'N/s', help: 'How fast the force rises' }],
  upsets: [{ name: 'SensorDead', help: 'The force reads nothing' }],
  handles: [],
  locals: '  Pulling : REAL;',
  body: `
IF NOT Pull THEN Pulling := 0.0; Slipped := FALSE;
ELSIF NOT Slipped THEN
  Pulling := Pulling + Rate * Dt;
  IF Pulling > Holds THEN Slipped := TRUE; Pulling := 0.0; END_IF;
END_IF;
IF SensorDead THEN Force := 0.0; ELSE Force := Pulling; END_IF;`,
};
