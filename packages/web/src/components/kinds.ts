/** Kinds of devices as the machine that is shown knows them. */
import { createContext, useContext, useMemo } from 'react';
import type { Device, Project } from '@ferrule/core/document';
import { type DeviceKind, type Handle, type TerminalType, kindOf } from '@ferrule/core/machine';
import { useDocument } from '../document/store.js';

const NO_DEVICES: readonly Device[] = [];
const NO_MACHINE: Project['machine'] = { devices: NO_DEVICES };
/** Where another machine than the open project's is shown: that of the program which runs at the controller. */
const ShownMachine = createContext<Project['machine'] | undefined>(undefined);
export const MachineProvider = ShownMachine.Provider;
export function useMachine(): Project['machine'] {
  const own = useDocument((s) => s.project?.machine);
  return useContext(ShownMachine) ?? own ?? NO_MACHINE;
}
/** Looks a kind up by its name. */
export function useKinds(): (type: string) => DeviceKind | undefined {
  const { kinds } = useMachine();
  return useMemo(() => (type) => kindOf(kinds ? { kinds } : {}, type), [kinds]);
}

/** What of a device a bound key works: the first thing that is pressed, turned or latched. */
export const keyHandle = (kind: DeviceKind | undefined): Handle | undefined =>
  kind?.handles.find((h) => h.type !== 'number');

/** What the types of terminals are called where a person chooses or reads them. */
export const TERMINAL_WORDS: Readonly<Record<TerminalType, string>> = {
  BOOL: 'BOOL',
  REAL: 'REAL',
  INT: 'INT',
  UINT: 'UINT',
  Machine_Part: 'a part',
  Machine_Line: 'parts on a line',
  Machine_Load: 'a cart',
};
/** How handles are worked. */
export const HANDLE_WORDS: Readonly<Record<Handle['type'], string>> = {
  press: 'pressed',
  turn: 'turned',
  way: 'three positions',
  latch: 'latches',
  number: 'a number',
  place: 'one of several',
};
