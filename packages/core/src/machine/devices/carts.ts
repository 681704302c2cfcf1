/**
 * Carts (or pallets) and the layers on them: the magazine that gives empty ones, what stacks on them and takes off
 * again, where they stand, the car that carries them across, and where they leave. A cart is handed on with all that
 * lies on it, in one scan (`CartOut` to `CartIn`); what has no room for another says so backwards (`CartFull` to
 * `CartAhead`).
 */
import { type DeviceKind, LINE, LINE_PARTS, LOAD, LOAD_LAYERS, LOAD_PARTS, PART, bool, mech, real } from '../device.js';
import { ahead, cartAhead, cartFull, cartIn, cartOut, full, into, load, onward, total } from './terminals.js';

const TRACKS = [1, 2, 3] as const;

const cartTime = {
  name: 'CartTime',
  type: 'REAL',
  initial: '1.5',
  unit: 's',
  help: 'Time for a cart to roll to its place, and away from it',
};
const mostLayers = (help: string) => ({
  name: 'MostLayers',
  type: 'INT',
  initial: '6',
  min: 1,
  max: LOAD_LAYERS,
  help,
});
/** A cart's way through a place: 0 comes, 1 stands there, 2 leaves. `may`: what else must be so for it to move. */
const cartWay = (may: string): string => `
IF CartOut.Cart <> 0 THEN CartOut := NoLoad; END_IF;
IF CartIn.Cart <> 0 THEN IF Load.Cart = 0 THEN Load := CartIn; Place := 0.0; ELSE Lost := Lost + INT_TO_UINT(CartIn.Count); END_IF; END_IF;
IF Load.Cart <> 0 AND NOT CartStuck AND ${may} THEN
  IF Place < 1.0 THEN Place := MIN(1.0, Place + Dt / CartTime);
  ELSIF Go THEN
    Place := MIN(2.0, Place + Dt / CartTime);
    IF Place >= 2.0 AND NOT CartAhead THEN CartOut := Load; Load := NoLoad; Place := 0.0; END_IF;
  END_IF;
END_IF;
CartThere := Load.Cart <> 0 AND Place >= 1.0 AND Place < 1.05;
CartFull := Load.Cart <> 0;`;

export const cartMagazine: DeviceKind = {
  type: 'CartMagazine',
  help: 'A stack of empty carts or pallets: gives one after the other while it is driven and there is room.',
  terminals: [
    bool('Give', 'in', 'Lets a cart out'),
    cartAhead,
    bool('Low', 'out', 'Sensor: two or fewer are left'),
    bool('IsEmpty', 'out', 'Sensor: none is left'),
    cartOut,
    total('Carts given'),
  ],
  parameters: [
    { name: 'Holds', type: 'UINT', initial: '12', min: 1, unit: 'pieces', help: 'Carts in it when it is full' },
    { name: 'Takes', type: 'REAL', initial: '1.0', unit: 's', help: 'Time to let a cart out' },
  ],
  upsets: [{ name: 'Jam', help: 'No cart comes out' }],
  handles: [{ name: 'Fill', type: 'press', help: 'Fills it up' }],
  locals: `  NoLoad : ${LOAD}; Left : UINT; Wait : REAL; Started : BOOL; Was : BOOL;`,
  body: `
Was := CartOut.Cart <> 0;
IF Was THEN CartOut := NoLoad; END_IF;
IF NOT Started OR Fill THEN Left := Holds; Started := TRUE; END_IF;
IF Give AND Left > 0 AND NOT Jam THEN Wait := MIN(Takes, Wait + Dt); ELSE Wait := 0.0; END_IF;
IF Wait >= Takes AND NOT CartAhead AND NOT Was THEN
  Wait := 0.0; Left := Left - 1; Total := Total + 1;
  CartOut.Cart := Total;
END_IF;
Low := Left <= 2; IsEmpty := Left = 0;`,
};

export const cartStand: DeviceKind = {
  type: 'CartStand',
  help: 'A place on the way of the carts: one rolls in, stands, and rolls on when it is told to. Several make a track on which carts queue.',
  terminals: [
    bool('Go', 'in', 'Drives the cart on'),
    cartIn,
    cartAhead,
    bool('CartThere', 'out', 'Switch: a cart stands at the place'),
    bool('Loaded', 'out', 'Sensor: something lies on it'),
    cartOut,
    cartFull,
    load,
  ],
  parameters: [cartTime],
  upsets: [
    { name: 'CartStuck', help: 'The cart does not roll' },
    { name: 'ThereStuckOff', help: 'The switch at the place never closes' },
  ],
  handles: [],
  locals: `  NoLoad : ${LOAD}; Place : REAL; Lost : UINT;`,
  body: `${cartWay('TRUE')}
Loaded := CartThere AND Load.Count > 0;
CartThere := CartThere AND NOT ThereStuckOff;`,
};

export const stacker: DeviceKind = {
  type: 'Stacker',
  help: 'Stacks parts in layers on a cart: parts come onto a plate above until the layer is whole, the plate goes down onto the load, opens, and the layer lies on it. Every second layer may be turned.',
  terminals: [
    bool('Lower', 'in', 'Drives the plate down; without, it goes up'),
    bool('Open', 'in', 'Opens the plate: what lies on it stays below'),
    bool('Go', 'in', 'Drives the cart out from under it'),
    into,
    cartIn,
    cartAhead,
    bool('Enters', 'out', 'Light barrier: on for a moment with each part that comes onto the plate'),
    bool('LayerFull', 'out', 'Sensor: the layer is whole'),
    bool('IsUp', 'out', 'Switch: the plate is at the top'),
    bool('IsDown', 'out', 'Switch: the plate lies on the load'),
    bool('IsOpen', 'out', 'Switch: the plate is open'),
    bool('IsShut', 'out', 'Switch: the plate is shut'),
    bool('CartThere', 'out', 'Switch: a cart stands under it'),
    full,
    cartOut,
    cartFull,
    load,
    mech('Plate', 'out', 'The parts on the plate', LINE),
    mech('Position', 'out', '0 plate up, 1 at the bed of an empty cart'),
  ],
  parameters: [
    { name: 'Across', type: 'INT', initial: '2', min: 1, max: LINE_PARTS, help: 'Parts beside each other in a layer' },
    { name: 'Deep', type: 'INT', initial: '3', min: 1, max: LINE_PARTS, help: 'Rows of them in a layer' },
    { name: 'Turned', type: 'BOOL', initial: 'TRUE', help: 'Every second layer is turned by 90°' },
    mostLayers('More layers would fall off'),
    { name: 'Rise', type: 'REAL', initial: '1.0', unit: 'm', help: 'Height of the plate above the bed of a cart' },
    { name: 'Travel', type: 'REAL', initial: '1.5', unit: 's', help: 'Time of the plate over that height' },
    { name: 'Opens', type: 'REAL', initial: '0.3', unit: 's', help: 'Time to open, and to shut' },
    cartTime,
  ],
  upsets: [
    { name: 'Jam', help: 'The plate stops where it is' },
    { name: 'Slow', help: 'The plate takes four times as long' },
    { name: 'CartStuck', help: 'The cart does not roll' },
    { name: 'EntersStuckOff', help: 'The light barrier never sees' },
  ],
  handles: [],
  locals: `  NoLoad : ${LOAD}; Place : REAL; Gate : REAL; Bottom : REAL; Most : INT; i : INT; High : REAL; See : REAL; Crash : BOOL; Lost : UINT; Count : UINT;`,
  body: `
Most := LIMIT(1, LIMIT(1, Across, ${LINE_PARTS}) * LIMIT(1, Deep, ${LINE_PARTS}), ${LINE_PARTS});
(* How far down the plate can go: to the bed of the cart, or to what lies on it. *)
Bottom := 1.0;
IF Load.Cart <> 0 THEN Bottom := MAX(0.1, 1.0 - Load.Height / Rise); END_IF;
Crash := Load.Cart <> 0 AND (Place < 1.0 OR Go) AND Position > MAX(0.02, Bottom - 0.1);${cartWay('NOT Crash')}
IF In.Number <> 0 THEN
  IF Plate.Count < ${LINE_PARTS} THEN Plate.Count := Plate.Count + 1; Plate.Part[Plate.Count] := In; See := 0.1; Count := Count + 1; ELSE Lost := Lost + 1; END_IF;
END_IF;
IF NOT Jam THEN
  IF Lower THEN Position := MAX(Position, MIN(Bottom, Position + Dt / Travel * SEL(Slow, 1.0, 0.25))); ELSE Position := MAX(0.0, Position - Dt / Travel * SEL(Slow, 1.0, 0.25)); END_IF;
END_IF;
IsUp := Position < 0.02; IsDown := Position >= Bottom - 0.01;
IF Open THEN Gate := MIN(1.0, Gate + Dt / Opens); ELSE Gate := MAX(0.0, Gate - Dt / Opens); END_IF;
IsOpen := Gate > 0.98; IsShut := Gate < 0.02;
IF Gate > 0.5 AND Plate.Count > 0 THEN
  IF IsDown AND CartThere AND Load.Layers < LIMIT(1, MostLayers, ${LOAD_LAYERS}) AND Load.Count + Plate.Count <= ${LOAD_PARTS} THEN
    Load.Layers := Load.Layers + 1; High := 0.0;
    Load.InLayer[Load.Layers] := INT_TO_SINT(Plate.Count);
    Load.Seen[Load.Layers] := INT_TO_SINT(MIN(Plate.Count, SEL(Turned AND Load.Layers MOD 2 = 0, Across, Deep)));
    FOR i := 1 TO Plate.Count DO
      Load.Count := Load.Count + 1; Load.Part[Load.Count] := Plate.Part[i]; High := MAX(High, Plate.Part[i].Height);
    END_FOR;
    Load.Height := Load.Height + High;
  ELSE
    (* Nothing to lie on, or too high: they fall. *)
    Lost := Lost + INT_TO_UINT(Plate.Count);
  END_IF;
  Plate.Count := 0;
END_IF;
Full := Plate.Count >= Most OR Position > 0.02 OR Gate > 0.02;
LayerFull := Plate.Count >= Most;
See := MAX(0.0, See - Dt);
Enters := See > 0.0 AND NOT EntersStuckOff;`,
};

export const unstacker: DeviceKind = {
  type: 'Unstacker',
  help: 'Takes the layers off a loaded cart: goes down to the load, grips the topmost layer, lifts it and hands its parts on one by one.',
  terminals: [
    bool('Lower', 'in', 'Drives the gripper down; without, it goes up'),
    bool('Grip', 'in', 'Closes the gripper around the topmost layer'),
    bool('Run', 'in', 'Hands the parts on while it is at the top'),
    bool('Go', 'in', 'Drives the cart out from under it'),
    ahead,
    cartIn,
    cartAhead,
    bool('IsUp', 'out', 'Switch: the gripper is at the top'),
    bool('IsDown', 'out', 'Switch: the gripper is at the load'),
    bool('Holds', 'out', 'Sensor: it holds parts'),
    bool('CartThere', 'out', 'Switch: a cart stands under it'),
    bool('CartEmpty', 'out', 'Sensor: nothing lies on the cart that stands there'),
    onward,
    cartOut,
    cartFull,
    load,
    mech('Held', 'out', 'The parts in the gripper', LINE),
    mech('Position', 'out', '0 up, 1 at the bed of an empty cart'),
  ],
  parameters: [
    { name: 'Rise', type: 'REAL', initial: '1.0', unit: 'm', help: 'Height of the gripper above the bed of a cart' },
    { name: 'Travel', type: 'REAL', initial: '1.5', unit: 's', help: 'Time over that height' },
    { name: 'Close', type: 'REAL', initial: '0.3', unit: 's', help: 'Time to grip, and to let go' },
    { name: 'Every', type: 'REAL', initial: '0.8', unit: 's', help: 'A part is handed on so often' },
    cartTime,
  ],
  upsets: [
    { name: 'Jam', help: 'The gripper stops where it is' },
    { name: 'CartStuck', help: 'The cart does not roll' },
    { name: 'GripsNot', help: 'It does not take hold' },
  ],
  handles: [],
  locals: `  NoLoad : ${LOAD}; None : ${PART}; Place : REAL; Closed : REAL; Bottom : REAL; Wait : REAL; i : INT; n : INT; High : REAL; Crash : BOOL; WasOut : BOOL; Lost : UINT;`,
  body: `
WasOut := Out.Number <> 0; Out := None;
Bottom := 1.0;
IF Load.Cart <> 0 THEN Bottom := MAX(0.1, 1.0 - Load.Height / Rise); END_IF;
Crash := Load.Cart <> 0 AND (Place < 1.0 OR Go) AND Position > MAX(0.02, Bottom - 0.1);${cartWay('NOT Crash')}
IF NOT Jam THEN
  IF Lower THEN Position := MAX(Position, MIN(Bottom, Position + Dt / Travel)); ELSE Position := MAX(0.0, Position - Dt / Travel); END_IF;
END_IF;
IsUp := Position < 0.02; IsDown := Position >= Bottom - 0.01;
IF Grip AND NOT GripsNot THEN Closed := MIN(1.0, Closed + Dt / Close); ELSE Closed := MAX(0.0, Closed - Dt / Close); END_IF;
IF Closed >= 1.0 AND Held.Count = 0 AND IsDown AND CartThere AND Load.Layers > 0 THEN
  n := SINT_TO_INT(Load.InLayer[Load.Layers]); High := 0.0;
  FOR i := 1 TO n DO Held.Part[i] := Load.Part[Load.Count - n + i]; High := MAX(High, Held.Part[i].Height); Load.Part[Load.Count - n + i] := None; END_FOR;
  Held.Count := n; Load.Count := Load.Count - n; Load.Layers := Load.Layers - 1; Load.Height := MAX(0.0, Load.Height - High);
ELSIF Closed <= 0.5 AND Held.Count > 0 THEN
  Lost := Lost + INT_TO_UINT(Held.Count); Held.Count := 0;
END_IF;
IF Run AND IsUp AND Held.Count > 0 THEN Wait := MIN(Every, Wait + Dt); ELSE Wait := 0.0; END_IF;
IF Wait >= Every AND NOT Ahead AND NOT WasOut THEN
  Wait := 0.0; Out := Held.Part[1];
  FOR i := 2 TO Held.Count DO Held.Part[i - 1] := Held.Part[i]; END_FOR;
  Held.Count := Held.Count - 1;
END_IF;
Holds := Held.Count > 0;
CartEmpty := CartThere AND Load.Count = 0;`,
};

export const transferCar: DeviceKind = {
  type: 'TransferCar',
  help: 'A car that runs across the tracks: takes a cart from one of up to three and hands it on at one place. Carts roll on and off only while the car stands at a track.',
  terminals: [
    bool('Right', 'in', 'Drives it towards the third track'),
    bool('Left', 'in', 'Drives it towards the first track'),
    bool('TakeOn', 'in', 'Lets a cart roll on'),
    bool('GiveOff', 'in', 'Drives the cart off'),
    ...TRACKS.map((n) => mech(`CartIn${n}`, 'in', `The cart that comes from track ${n}`, LOAD)),
    cartAhead,
    ...TRACKS.map((n) => bool(`At${n}`, 'out', `Switch: it stands at track ${n}`)),
    bool('Loaded', 'out', 'Sensor: a cart stands on it, all of it'),
    ...TRACKS.map((n) => mech(`CartFull${n}`, 'out', `A cart from track ${n} cannot come now`, 'BOOL')),
    cartOut,
    load,
    mech('Position', 'out', 'Where it stands, 1 to 3'),
    total('Carts handed on'),
  ],
  parameters: [
    { name: 'Travel', type: 'REAL', initial: '1.5', unit: 's', help: 'Time from one track to the next' },
    { name: 'GivesAt', type: 'INT', initial: '2', min: 1, max: 3, help: 'The track at which carts are handed on' },
    cartTime,
  ],
  upsets: [
    { name: 'Jam', help: 'It stands' },
    { name: 'Slow', help: 'It runs at a third of its speed' },
    { name: 'CartStuck', help: 'The cart does not roll' },
  ],
  handles: [],
  locals: `  NoLoad : ${LOAD}; Place : REAL; Roll : REAL; Stands : INT; Dwell : INT; Crash : BOOL; Lost : UINT;`,
  body: `
IF CartOut.Cart <> 0 THEN CartOut := NoLoad; END_IF;
IF Place < 1.0 THEN Place := 1.0; END_IF;
${TRACKS.map(
  (n) =>
    `IF CartIn${n}.Cart <> 0 THEN IF Load.Cart = 0 THEN Load := CartIn${n}; Roll := 0.0; ELSE Lost := Lost + INT_TO_UINT(CartIn${n}.Count); END_IF; END_IF;`,
).join('\n')}
(* With a cart half on it, it does not move. *)
Crash := Right <> Left AND Load.Cart <> 0 AND (Roll < 1.0 OR Roll > 1.0);
IF Right <> Left AND NOT Jam AND NOT Crash THEN
  Place := LIMIT(1.0, Place + SEL(Right, -1.0, 1.0) * Dt / Travel * SEL(Slow, 1.0, 0.33), 3.0);
END_IF;
Position := Place;
IF ABS(Place - INT_TO_REAL(REAL_TO_INT(Place))) < 0.04 AND REAL_TO_INT(Place) = Stands THEN Dwell := MIN(Dwell + 1, 100); ELSE Dwell := 0; END_IF;
Stands := REAL_TO_INT(Place);
IF ABS(Place - INT_TO_REAL(Stands)) >= 0.04 THEN Stands := 0; END_IF;
IF Load.Cart <> 0 AND NOT CartStuck THEN
  IF Roll < 1.0 THEN Roll := MIN(1.0, Roll + Dt / CartTime);
  ELSIF GiveOff AND Stands = GivesAt THEN
    Roll := MIN(2.0, Roll + Dt / CartTime);
    IF Roll >= 2.0 AND NOT CartAhead THEN CartOut := Load; Load := NoLoad; Roll := 0.0; Total := Total + 1; END_IF;
  ELSIF Roll > 1.0 AND NOT GiveOff THEN Roll := MAX(1.0, Roll - Dt / CartTime);
  END_IF;
END_IF;
${TRACKS.map((n) => `CartFull${n} := NOT TakeOn OR Load.Cart <> 0 OR Stands <> ${n} OR Dwell < 2;`).join('\n')}
${TRACKS.map((n) => `At${n} := ABS(Place - ${n}.0) < 0.04;`).join('\n')}
Loaded := Load.Cart <> 0 AND Roll >= 1.0;`,
};

export const cartExit: DeviceKind = {
  type: 'CartExit',
  help: 'Where carts leave the machine: counts them and what lies on them.',
  terminals: [
    cartIn,
    cartFull,
    { name: 'Carts', type: 'UINT', direction: 'out', help: 'Carts that have left' },
    { name: 'Pieces', type: 'UINT', direction: 'out', help: 'Parts that have left on them' },
    real('Weight', 'out', 'Weight of the last one, in kg'),
  ],
  parameters: [],
  upsets: [{ name: 'Blocked', help: 'Nobody fetches carts: there is no room' }],
  handles: [{ name: 'Clear', type: 'press', help: 'Sets the counts to nothing' }],
  locals: `  i : INT; Sorts : ARRAY [0..9] OF UINT; Last : ${LOAD};`,
  body: `
IF Clear THEN Carts := 0; Pieces := 0; Weight := 0.0; FOR i := 0 TO 9 DO Sorts[i] := 0; END_FOR; END_IF;
IF CartIn.Cart <> 0 THEN
  Carts := Carts + 1; Pieces := Pieces + INT_TO_UINT(CartIn.Count); Weight := 0.0; Last := CartIn;
  FOR i := 1 TO CartIn.Count DO
    Weight := Weight + CartIn.Part[i].Weight;
    Sorts[USINT_TO_INT(MIN(CartIn.Part[i].Sort, USINT#9))] := Sorts[USINT_TO_INT(MIN(CartIn.Part[i].Sort, USINT#9))] + 1;
  END_FOR;
END_IF;
CartFull := Blocked;`,
};
