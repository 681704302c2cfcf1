/**
 * Terminals that parts come and go by, the same at every device: their names are what finds each other (`snapLinks`).
 */
import { LOAD, PART, type Terminal, mech } from '../device.js';

/** Where a part comes on; `Ahead` tells backwards that there is no room for the one that would leave by `Out`. */
export const into = mech('In', 'in', 'The part that comes on', PART);
export const onward = mech('Out', 'out', 'The part that leaves, in the scan in which it does', PART);
export const ahead = mech('Ahead', 'in', 'There is no room ahead', 'BOOL', true);
export const full = mech('Full', 'out', 'There is no room for another part', 'BOOL');
/**
 * Parts are offered where they lie (`Waiting`) to what takes them off (`From`), which says which one it took (`Take`).
 */
export const waiting = mech('Waiting', 'out', 'The part that lies where it can be taken or worked on', PART);
export const from = mech('From', 'in', 'The part that lies where it picks', PART);
export const take = mech('Take', 'in', 'Number of the part that is taken off', 'UINT', true);
export const takes = mech('Take', 'out', 'Number of the part that it takes off', 'UINT');
export const worked = mech('Worked', 'in', 'Number of the part that has been worked on', 'UINT', true);

/** The same for carts with what lies on them. */
export const cartIn = mech('CartIn', 'in', 'The cart that comes', LOAD);
export const cartOut = mech('CartOut', 'out', 'The cart that leaves, in the scan in which it does', LOAD);
export const cartAhead = mech('CartAhead', 'in', 'There is no room for a cart ahead', 'BOOL', true);
export const cartFull = mech('CartFull', 'out', 'There is no room for another cart', 'BOOL');
export const load = mech('Load', 'out', 'The cart that stands there, with what lies on it', LOAD);

/** How many there were. */
export const total = (help: string): Terminal => ({ name: 'Total', type: 'UINT', direction: 'out', help });
