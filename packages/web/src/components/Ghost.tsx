import { useDrag } from './drag.js';

/** What is on the pointer, beside it. */
export function Ghost() {
  const { dragged, x, y, copies } = useDrag();
  if (!dragged) return null;
  return (
    <div
      className="pointer-events-none fixed z-50 max-w-lg truncate rounded-md border border-copper bg-sheet px-2 py-1 font-mono text-[12px] shadow-lg"
      style={{ left: x + 12, top: y + 8 }}
    >
      {copies ? '+ ' : ''}
      {dragged.text}
    </div>
  );
}
