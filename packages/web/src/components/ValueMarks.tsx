/** What stands between a value and what gives it: a force, or a card of the controller that is pulled. */
import { useForced, usePulled } from '../bench/live.js';
import { ForceMark } from './ui.js';

export function ValueMarks({ path }: { readonly path: string }) {
  const forced = useForced(path),
    isPulled = usePulled(path);
  return (
    <>
      {isPulled && <CardMark />}
      {forced !== undefined && <ForceMark value={forced} />}
    </>
  );
}

export const CARD_OUT = 'The card that it lies on is pulled: inputs read 0, outputs switch nothing.';

export const CardMark = () => (
  <span title={CARD_OUT} className="rounded-sm border border-bad px-1 text-[10px] whitespace-nowrap text-bad">
    card out
  </span>
);
