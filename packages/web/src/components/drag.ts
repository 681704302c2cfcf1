/**
 * Something on the pointer: a part of a rung or the name of a tag. One store, so that lists and sheets can be far
 * apart.
 */
import type { Cursor } from '@ferrule/core/ladder';
import { type RefObject, useEffect, useRef } from 'react';
import { create } from 'zustand';

/** A part of a rung as text, or a tag's name; where it came from, when it came from a rung. */
export interface Dragged {
  readonly text: string;
  readonly tag?: string;
  readonly pou?: string;
  readonly rung?: string;
  readonly cursor?: Cursor;
  /** Whole rungs, from one index to another; `text` holds their lines. */ readonly rungs?: readonly [number, number];
}

interface Drag {
  readonly dragged: Dragged | undefined;
  readonly x: number;
  readonly y: number;
  readonly copies: boolean;
  readonly onlyTag: boolean;
}
export const useDrag = create<Drag>(() => ({ dragged: undefined, x: 0, y: 0, copies: false, onlyTag: false }));

const FAR_PX = 6;

/**
 * From a pointer down on: once it has gone far enough, the thing is dragged until the pointer goes up. Escape lets go
 * of it.
 */
export function grab(
  e: { readonly clientX: number; readonly clientY: number; readonly button: number },
  what: () => Dragged | undefined,
): void {
  if (e.button !== 0) return;
  const start = { x: e.clientX, y: e.clientY };
  let isOn = false;
  const move = (m: PointerEvent) => {
    if (!isOn && Math.hypot(m.clientX - start.x, m.clientY - start.y) < FAR_PX) return;
    if (!isOn) {
      const dragged = what();
      if (!dragged) {
        end();
        return;
      }
      isOn = true;
      // The pointer drags; it does not mark text on its way.
      getSelection()?.removeAllRanges();
      document.body.style.userSelect = 'none';
      useDrag.setState({ dragged });
    }
    m.preventDefault();
    useDrag.setState({ x: m.clientX, y: m.clientY, copies: m.ctrlKey || m.metaKey, onlyTag: m.altKey });
  };
  const letGo = () => {
    window.removeEventListener('pointermove', move);
    window.removeEventListener('pointerup', up);
    window.removeEventListener('keydown', key, true);
    document.body.style.userSelect = '';
  };
  const end = () => {
    letGo();
    useDrag.setState({ dragged: undefined });
  };
  // The sheet takes its drop on the same pointerup, before the drag is over.
  const up = (u: PointerEvent) => {
    const { dragged } = useDrag.getState();
    const target = dragged?.tag
      ? document.elementFromPoint(u.clientX, u.clientY)?.closest('[data-takes-tags]')
      : undefined;
    if (target) target.dispatchEvent(new CustomEvent<string>('tagdrop', { detail: dragged!.tag! }));
    // At once: an Escape right behind a click belongs to what the click or a key has opened.
    letGo();
    setTimeout(() => useDrag.setState({ dragged: undefined }));
  };
  const key = (k: KeyboardEvent) => {
    if (k.key !== 'Escape') return;
    if (isOn) k.stopPropagation();
    end();
  };
  window.addEventListener('pointermove', move);
  window.addEventListener('pointerup', up);
  window.addEventListener('keydown', key, true);
}

/** For the `ref` of an element with `data-takes-tags`: it takes tags that are dropped on it. */
export function useTagDrop<E extends HTMLElement>(take: (tag: string) => void): RefObject<E | null> {
  const ref = useRef<E>(null),
    doing = useRef(take);
  doing.current = take;
  useEffect(() => {
    const e = ref.current,
      on = (x: Event) => doing.current((x as CustomEvent<string>).detail);
    e?.addEventListener('tagdrop', on);
    return () => e?.removeEventListener('tagdrop', on);
  });
  return ref;
}
