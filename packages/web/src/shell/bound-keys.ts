/**
 * Keys that work the machine: a button of the panel or an input, while its key is down. Those of the bench work from
 * anywhere; where the panel of a controller is on the page, keys are that panel's alone, and only while it has the focus.
 */
import { useEffect } from 'react';
import type { Project } from '@ferrule/core/document';
import { kindOf, placeNames } from '@ferrule/core/machine';
import type { Live } from '../bench/live.js';
import { keyHandle } from '../components/kinds.js';
import { sourceOf } from '../components/by-hand.js';

const isTyping = (e: KeyboardEvent) =>
  e.target instanceof HTMLElement && (e.target.matches('input, textarea, select') || e.target.isContentEditable);

/**
 * Keys bound to buttons work with Alt, so that typing logic never presses a button by accident; where the panel or the
 * machine has the focus nothing is typed, and there they work bare.
 */
const isBare = (e: KeyboardEvent): boolean => {
  if (e.ctrlKey || e.metaKey || isTyping(e) || !(e.target instanceof HTMLElement)) return false;
  const inArea = e.target.matches('main') ? e.target.querySelector(':scope > [data-bare-keys]') : null;
  return (inArea ?? e.target.closest('[data-bare-keys]')) !== null;
};

export function useBoundKeys(
  live: Live,
  machine: Project['machine'] | undefined,
  inputs: readonly { readonly path: string; readonly key: string }[] | undefined,
) {
  useEffect(() => {
    const isMine = (e: KeyboardEvent): boolean => {
      const there = document.querySelector('[data-live="controller"]');
      return live.kind === 'bench' ? !there : there !== null && e.target instanceof Node && there.contains(e.target);
    };
    const free = (e: KeyboardEvent, value: string): boolean => {
      const k = inputs?.find((x) => e.key.toLowerCase() === x.key || e.code === `Key${x.key.toUpperCase()}`);
      if (!k || (value === '1' && (!(e.altKey || isBare(e)) || e.repeat))) return k !== undefined;
      e.preventDefault();
      const s = machine && sourceOf(machine, k.path);
      // What the machine drives is forced while the key is down; a button is pressed; a free input is written.
      const up = value === '0' ? { letGo: true } : {};
      if (s?.handle) live.event({ kind: 'write', path: s.handle, value, ...up });
      else if (s) live.event({ kind: 'force', path: k.path, ...(value === '1' ? { value } : up) });
      else live.event({ kind: 'write', path: k.path, value, ...up });
      return true;
    };
    const set = (e: KeyboardEvent, value: string) => {
      if (free(e, value)) return;
      const d = machine?.devices.find(
          (x) => x.key && (e.key.toLowerCase() === x.key || e.code === `Key${x.key.toUpperCase()}`),
        ),
        handle = d && keyHandle(kindOf(machine ?? {}, d.type));
      if (!d || !handle || (value === '1' && (!(e.altKey || isBare(e)) || e.repeat))) return;
      e.preventDefault();
      const path = `Machine.${d.name}.${handle.name}`;
      if (handle.type === 'press') {
        live.event({ kind: 'write', path, value, ...(value === '0' ? { letGo: true } : {}) });
        return;
      }
      // What stays where it is put goes over at each press; one with three positions goes round.
      if (value === '0') return;
      const now = Number(live.store.getState().frame?.values[path] ?? 0);
      live.event({
        kind: 'write',
        path,
        value: String(
          handle.type === 'way'
            ? now >= 1
              ? -1
              : now + 1
            : handle.type === 'place'
              ? (Math.max(1, now) % placeNames(d, kindOf(machine ?? {}, d.type)).length) + 1
              : now
                ? 0
                : 1,
        ),
      });
    };
    const turned =
      machine?.devices.flatMap((d) => {
        const h = d.key ? keyHandle(kindOf(machine, d.type)) : undefined;
        return h && h.type !== 'press' ? [`Machine.${d.name}.${h.name}`] : [];
      }) ?? [];
    const unlook = live.look(turned, []);
    const held = new Set<string>();
    const down = (e: KeyboardEvent) => {
      if (isMine(e) && (e.altKey || isBare(e))) {
        held.add(e.code);
        set(e, '1');
      }
    };
    const up = (e: KeyboardEvent) => {
      if (held.delete(e.code)) set(e, '0');
    };
    window.addEventListener('keydown', down);
    window.addEventListener('keyup', up);
    return () => {
      unlook();
      window.removeEventListener('keydown', down);
      window.removeEventListener('keyup', up);
    };
  }, [live, machine, inputs]);
}
