/** Something on the pointer: a part of a rung or the name of a tag. One store, so that lists and sheets can be far apart. */
import { create } from 'zustand';
import type { Dragged } from './sheet-edits.js';

interface Drag { readonly dragged: Dragged | undefined; readonly x: number; readonly y: number; readonly copies: boolean; readonly onlyTag: boolean }
export const useDrag = create<Drag>(() => ({ dragged: undefined, x: 0, y: 0, copies: false, onlyTag: false }));

const FAR_PX = 6;

/** From a pointer down on: once it has gone far enough, the thing is dragged until the pointer goes up. Escape lets go of it. */
export function grab(e: { readonly clientX: number; readonly clientY: number; readonly button: number }, what: () => Dragged | undefined): void {
  if (e.button !== 0) return;
  const start = { x: e.clientX, y: e.clientY };
  let isOn = false;
  const move = (m: PointerEvent) => {
    if (!isOn && Math.hypot(m.clientX - start.x, m.clientY - start.y) < FAR_PX) return;
    if (!isOn) { const dragged = what(); if (!dragged) { end(); return; } isOn = true; useDrag.setState({ dragged }); }
    m.preventDefault();
    useDrag.setState({ x: m.clientX, y: m.clientY, copies: m.ctrlKey || m.metaKey, onlyTag: m.altKey });
  };
  const end = () => {
    window.removeEventListener('pointermove', move);
    window.removeEventListener('pointerup', up);
    window.removeEventListener('keydown', key, true);
    useDrag.setState({ dragged: undefined });
  };
  // The sheet takes its drop on the same pointerup, before the drag is over.
  const up = () => { setTimeout(end); };
  const key = (k: KeyboardEvent) => { if (k.key === 'Escape') { k.stopPropagation(); end(); } };
  window.addEventListener('pointermove', move);
  window.addEventListener('pointerup', up);
  window.addEventListener('keydown', key, true);
}
