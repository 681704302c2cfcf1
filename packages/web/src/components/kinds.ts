/** Kinds of devices as the open project knows them. */
import { useMemo } from 'react';
import { type Device, type DeviceKind, type Handle, type Project, kindOf } from '@ferrule/core';
import { useDocument } from '../document/store.js';

const NO_DEVICES: readonly Device[] = [];
const NO_MACHINE: Project['machine'] = { devices: NO_DEVICES };
export const useMachine = (): Project['machine'] => useDocument((s) => s.project?.machine) ?? NO_MACHINE;
/** Looks a kind up by its name. */
export function useKinds(): (type: string) => DeviceKind | undefined {
  const kinds = useDocument((s) => s.project?.machine.kinds);
  return useMemo(() => (type) => kindOf(kinds ? { kinds } : {}, type), [kinds]);
}

/** What of a device a bound key works: the first thing that is pressed, turned or latched. */
export const keyHandle = (kind: DeviceKind | undefined): Handle | undefined =>
  kind?.handles.find((h) => h.type !== 'number');
