/** System tags that the controller sets before each scan: to the logic, and to a proof, they come from outside. */
import type { Location } from '../compile/image.js';
import { type Paths, findPath } from './paths.js';

export const FORCES_PRESENT = 'System.ForcesPresent';
/** On while the link to inputs and outputs in another program is away. */
export const OUTSIDE_LOST = 'System.OutsideLost';
/** On while a card of the controller is pulled. */
export const CARD_PULLED = 'System.CardPulled';

/** Where those of them lie that a program has; none where its `System` is something of its own. */
export function givenTags(image: Paths): readonly { readonly path: string; readonly location: Location }[] {
  if (image.symbols.get('system')?.type.kind !== 'block') return [];
  return [FORCES_PRESENT, OUTSIDE_LOST, CARD_PULLED].flatMap((path) => {
    const found = findPath(image, path);
    return 'location' in found ? [{ path, location: found.location }] : [];
  });
}
