/**
 * A kiln: its chamber with three heated zones, the carts that go in and out through a lock, and the contactor before
 * the heating.
 */
import { type DeviceKind, bool, mech, real } from '../device.js';

export const contactor: DeviceKind = {
  type: 'Contactor',
  help: 'A contactor: pulls in when its coil has power, and says so by an auxiliary contact.',
  terminals: [
    bool('Coil', 'in', 'Pulls it in'),
    bool('Aux', 'out', 'Auxiliary contact: closed while it is in'),
    mech('Closed', 'out', '1 while the main contacts are closed'),
  ],
  parameters: [{ name: 'PullIn', type: 'REAL', initial: '0.06', unit: 's', help: 'Time to pull in or drop out' }],
  upsets: [
    { name: 'Welded', help: 'The main contacts stay closed' },
    { name: 'CoilOpen', help: 'It never pulls in' },
    { name: 'NoFeedback', help: 'The auxiliary contact stays open' },
  ],
  handles: [],
  locals: '  Way : REAL;',
  body: `
IF Coil AND NOT CoilOpen THEN Way := MIN(1.0, Way + Dt / PullIn); ELSE Way := MAX(0.0, Way - Dt / PullIn); END_IF;
IF Way > 0.99 OR (Welded AND Closed > 0.5) THEN Closed := 1.0; ELSIF Way < 0.01 THEN Closed := 0.0; END_IF;
Aux := Closed > 0.5 AND NOT NoFeedback;`,
};

export const kilnChamber: DeviceKind = {
  type: 'KilnChamber',
  help: 'The chamber of a kiln with three heated zones: the temperatures follow the power with a lag, mix through the air, and fall faster with the damper or the door open.',
  terminals: [
    real('Power1', 'in', 'Share of full power in zone 1, 0 to 1'),
    real('Power2', 'in', 'Share of full power in zone 2, 0 to 1'),
    real('Power3', 'in', 'Share of full power in zone 3, 0 to 1'),
    mech('Supply', 'in', '1 while the heating has its supply (the main contacts of a contactor)'),
    mech('Door', 'in', 'How far the door is open'),
    mech('Damper', 'in', 'How far the damper is open'),
    mech('Fan', 'in', 'Speed of the circulating fan, 0 to 1'),
    mech('Cart', 'in', 'A cart stands in it', 'BOOL', true),
    real('Zone1', 'out', 'Thermocouple of zone 1, in °C'),
    real('Zone2', 'out', 'Thermocouple of zone 2, in °C'),
    real('Zone3', 'out', 'Thermocouple of zone 3, in °C'),
    bool('LimitOK', 'out', 'Limit thermostat, closed while it is not too hot'),
  ],
  parameters: [
    { name: 'Room', type: 'REAL', initial: '20.0', unit: '°C', help: 'Where it starts and falls back to' },
    { name: 'Gain', type: 'REAL', initial: '1500.0', unit: '°C', help: 'How far above the room full power brings it' },
    { name: 'Lag', type: 'REAL', initial: '240.0', unit: 's', help: 'Time constant with everything shut' },
    { name: 'Probe', type: 'REAL', initial: '3.0', unit: 's', help: 'Time constant of the thermocouples' },
    { name: 'LimitAt', type: 'REAL', initial: '1280.0', unit: '°C', help: 'Where the limit thermostat opens' },
  ],
  upsets: [
    { name: 'Probe1Broken', help: 'The thermocouple of zone 1 reads 1800' },
    { name: 'Element2Broken', help: 'Zone 2 gets a third of its power' },
    { name: 'Zone3StuckOn', help: 'The power controller of zone 3 lets everything through' },
  ],
  handles: [],
  locals:
    '  T : ARRAY [1..3] OF REAL; Seen : ARRAY [1..3] OF REAL; P : ARRAY [1..3] OF REAL; Share : ARRAY [1..3] OF REAL; i : INT; Loss : REAL; Mean : REAL; Slow : REAL; Started : BOOL;',
  body: `
IF NOT Started THEN
  FOR i := 1 TO 3 DO T[i] := Room; Seen[i] := Room; END_FOR;
  Started := TRUE;
END_IF;
(* The door's end loses more, the far end less. *)
Share[1] := 1.2; Share[2] := 1.0; Share[3] := 0.9;
P[1] := LIMIT(0.0, Power1, 1.0); P[2] := LIMIT(0.0, Power2, 1.0) * SEL(Element2Broken, 1.0, 0.33); P[3] := SEL(Zone3StuckOn, LIMIT(0.0, Power3, 1.0), 1.0);
(* Ware is heavy; air that moves mixes the zones. *)
Loss := 1.0 + 4.0 * LIMIT(0.0, Door, 1.0) + 3.0 * LIMIT(0.0, Damper, 1.0); Slow := MAX(Lag * SEL(Cart, 0.7, 1.0), 2.0 * Loss * Dt); Mean := (T[1] + T[2] + T[3]) / 3.0;
FOR i := 1 TO 3 DO
  T[i] := T[i] + (P[i] * Supply * Gain - (T[i] - Room) * Loss * Share[i]) * Dt / Slow + (Mean - T[i]) * (0.005 + 0.02 * Fan) * Dt;
  Seen[i] := Seen[i] + (T[i] - Seen[i]) * MIN(1.0, Dt / Probe);
END_FOR;
Zone1 := SEL(Probe1Broken, Seen[1], 1800.0); Zone2 := Seen[2]; Zone3 := Seen[3];
LimitOK := MAX(T[1], T[2], T[3]) < LimitAt;`,
};

export const cartTrack: DeviceKind = {
  type: 'CartTrack',
  help: 'A cart on its track: from the table through the outer door into the lock, through the inner door into the kiln, and back. It cannot pass a door that is not open.',
  terminals: [
    bool('Forward', 'in', 'Drives the cart towards the kiln'),
    bool('Backward', 'in', 'Drives the cart towards the table'),
    mech('Outer', 'in', 'How far the outer door is open'),
    mech('Inner', 'in', 'How far the inner door is open'),
    mech('Heat', 'in', 'Temperature around it in the kiln, in °C'),
    bool('AtTable', 'out', 'Sensor at the table'),
    bool('InLock', 'out', 'Sensor in the lock'),
    bool('InKiln', 'out', 'Sensor in the kiln'),
    bool('OuterWay', 'out', 'Light barrier in the outer doorway, on while it is crossed'),
    bool('InnerWay', 'out', 'Light barrier in the inner doorway, on while it is crossed'),
    bool('DriveOK', 'out', 'Overload relay of the drive, closed while all is well'),
    bool('Present', 'out', 'A cart is on the track'),
    { name: 'Total', type: 'UINT', direction: 'out', help: 'Carts taken off with fired ware' },
  ],
  parameters: [
    { name: 'Speed', type: 'REAL', initial: '0.4', unit: 'm/s', help: 'Speed of the cart' },
    { name: 'Needs', type: 'REAL', initial: '900.0', unit: '°C', help: 'What the ware has to have seen to be fired' },
    {
      name: 'Often',
      type: 'REAL',
      initial: '0.0',
      unit: 's',
      min: 0,
      help: 'So long after a cart has come back the next one is put on by itself; 0 for never',
    },
  ],
  upsets: [
    { name: 'Stuck', help: 'The cart stays where it is' },
    { name: 'Slow', help: 'It moves at a fifth of its speed' },
    { name: 'BarrierStuck', help: 'The light barrier of the inner doorway reads crossed' },
    { name: 'Overload', help: 'The overload relay of the drive trips' },
  ],
  handles: [
    { name: 'Load', type: 'press', help: 'Puts a loaded cart on the table' },
    { name: 'Unload', type: 'press', help: 'Takes the cart from the table' },
  ],
  locals:
    '  Place : REAL; Next : REAL; Fired : BOOL; Been : BOOL; Crash : BOOL; Wait : REAL; WasLoad : BOOL; WasUnload : BOOL; Away : BOOL;',
  body: `
(* Table at 0 m, outer door at 1 m, lock at 2 m, inner door at 3 m, kiln at 4 m; a cart is 0.8 m long. *)
DriveOK := NOT Overload;
Away := (Unload AND NOT WasUnload) OR (Often > 0.0 AND Wait >= Often AND Been);
IF Present AND Place < 0.02 AND Away THEN
  IF Fired THEN Total := Total + 1; END_IF;
  Present := FALSE; Fired := FALSE; Been := FALSE; Wait := 0.0;
ELSIF NOT Present AND ((Load AND NOT WasLoad) OR (Often > 0.0 AND Wait >= Often)) THEN
  Present := TRUE; Place := 0.0; Fired := FALSE; Been := FALSE; Wait := 0.0;
END_IF;
WasLoad := Load; WasUnload := Unload;
IF (Present AND Place < 0.02 AND Been) OR NOT Present THEN Wait := Wait + Dt; ELSE Wait := 0.0; END_IF;
Next := Place;
IF Present AND DriveOK AND NOT Stuck AND Forward <> Backward THEN
  Next := LIMIT(0.0, Place + SEL(Forward, REAL#-1.0, REAL#1.0) * Speed * SEL(Slow, REAL#1.0, REAL#0.2) * Dt, 4.0);
END_IF;
(* A door stops what does not fit through. *)
Crash := FALSE;
IF Outer < 0.95 AND Next > 0.6 AND Next < 1.4 THEN Crash := TRUE; Next := Place; END_IF;
IF Inner < 0.95 AND Next > 2.6 AND Next < 3.4 THEN Crash := TRUE; Next := Place; END_IF;
Place := Next;
IF Present AND Place > 3.98 THEN
  Been := TRUE;
  IF Heat >= Needs THEN Fired := TRUE; END_IF;
END_IF;
AtTable := Present AND Place < 0.02; InLock := Present AND ABS(Place - 2.0) < 0.02; InKiln := Present AND Place > 3.98;
OuterWay := Present AND Place > 0.55 AND Place < 1.45; InnerWay := (Present AND Place > 2.55 AND Place < 3.45) OR BarrierStuck;`,
};
