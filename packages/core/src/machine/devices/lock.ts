/** A canal lock: a chamber between two waters, and the boats that pass it. */
import { type DeviceKind, bool, mech, real } from '../device.js';

export const lockChamber: DeviceKind = {
  type: 'LockChamber',
  help: 'The chamber of a canal lock with its boats: the level follows the sluices, a boat goes in on a green signal when the gate stands open, and leaves by the other gate.',
  terminals: [
    mech('UpperSluice', 'in', 'How far the upper sluice is open'),
    mech('LowerSluice', 'in', 'How far the lower sluice is open'),
    mech('UpperGate', 'in', 'How far the upper gates are open'),
    mech('LowerGate', 'in', 'How far the lower gates are open'),
    bool('EnterBelow', 'in', 'Green for boats from below'),
    bool('EnterAbove', 'in', 'Green for boats from above'),
    real('Level', 'out', 'Level in the chamber above the lower water, in m'),
    bool('WaitsBelow', 'out', 'A boat waits below'),
    bool('WaitsAbove', 'out', 'A boat waits above'),
    bool('Inside', 'out', 'A boat is in the chamber or in a gate'),
    bool('InGate', 'out', 'A boat is in a gate'),
    bool('Surge', 'out', 'Water breaks through a gate'),
    { name: 'Total', type: 'UINT', direction: 'out', help: 'Boats that have passed' },
  ],
  parameters: [
    { name: 'Lift', type: 'REAL', initial: '3.0', unit: 'm', help: 'Upper water above the lower' },
    {
      name: 'Rate',
      type: 'REAL',
      initial: '0.25',
      unit: 'm/s',
      help: 'Rise of the level with a sluice open and the whole lift before it',
    },
    { name: 'Pass', type: 'REAL', initial: '4.0', unit: 's', help: 'Time a boat takes through a gate' },
    {
      name: 'Often',
      type: 'REAL',
      initial: '0.0',
      unit: 's',
      min: 0,
      help: 'A boat comes by itself so often, from either side in turn; 0 for never',
    },
  ],
  upsets: [
    { name: 'Leak', help: 'The lower gates leak' },
    { name: 'LevelStuck', help: 'The level reads what it read before' },
    { name: 'Stalled', help: 'The boat stops where it is' },
  ],
  handles: [
    { name: 'Below', type: 'press', help: 'A boat comes from below' },
    { name: 'Above', type: 'press', help: 'A boat comes from above' },
  ],
  locals:
    '  Water : REAL; QueueBelow : INT; QueueAbove : INT; Boat : INT; Along : REAL; WasBelow : BOOL; WasAbove : BOOL; Comes : REAL; Turn : BOOL; Through : REAL;',
  body: `
(* Boat: 0 none, 1 in from below, 2 inside going up, 3 out above, 4 in from above, 5 inside going down, 6 out below. *)
IF Below AND NOT WasBelow THEN QueueBelow := MIN(QueueBelow + 1, 5); END_IF;
IF Above AND NOT WasAbove THEN QueueAbove := MIN(QueueAbove + 1, 5); END_IF;
WasBelow := Below; WasAbove := Above;
Comes := Comes + Dt;
IF Often > 0.0 AND Comes >= Often THEN
  Comes := 0.0; Turn := NOT Turn;
  IF Turn THEN QueueBelow := MIN(QueueBelow + 1, 5); ELSE QueueAbove := MIN(QueueAbove + 1, 5); END_IF;
END_IF;
Through := LIMIT(0.0, UpperSluice, 1.0) * Rate * SQRT(MAX(0.0, (Lift - Water) / Lift)) - (LIMIT(0.0, LowerSluice, 1.0) + SEL(Leak, 0.0, 0.05)) * Rate * SQRT(MAX(0.0, Water / Lift));
Through := Through + UpperGate * 2.0 * (Lift - Water) - LowerGate * 2.0 * Water;
Surge := (UpperGate > 0.02 AND Lift - Water > 0.3) OR (LowerGate > 0.02 AND Water > 0.3);
Water := LIMIT(0.0, Water + Through * Dt, Lift);
IF NOT LevelStuck THEN Level := Water; END_IF;
IF Boat = 0 AND QueueBelow > 0 AND EnterBelow AND LowerGate > 0.95 THEN Boat := 1; Along := 0.0; QueueBelow := QueueBelow - 1; END_IF;
IF Boat = 0 AND QueueAbove > 0 AND EnterAbove AND UpperGate > 0.95 THEN Boat := 4; Along := 0.0; QueueAbove := QueueAbove - 1; END_IF;
IF Boat = 2 AND UpperGate > 0.95 THEN Boat := 3; Along := 0.0; END_IF;
IF Boat = 5 AND LowerGate > 0.95 THEN Boat := 6; Along := 0.0; END_IF;
IF (Boat = 1 OR Boat = 3 OR Boat = 4 OR Boat = 6) AND NOT Stalled THEN
  Along := Along + Dt / Pass;
  IF Along >= 1.0 THEN
    CASE Boat OF
      1: Boat := 2;
      4: Boat := 5;
    ELSE Boat := 0; Total := Total + 1;
    END_CASE;
  END_IF;
END_IF;
InGate := Boat = 1 OR Boat = 3 OR Boat = 4 OR Boat = 6;
Inside := Boat <> 0;
WaitsBelow := QueueBelow > 0;
WaitsAbove := QueueAbove > 0;`,
};
