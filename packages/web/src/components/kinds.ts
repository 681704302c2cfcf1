/** Kinds of devices as the open project knows them. */
import { useMemo } from 'react';
import { type Device, type DeviceKind, type Project, kindOf } from '@ferrule/core';
import { useDocument } from '../document/store.js';

const NO_DEVICES: readonly Device[] = [];
const NO_MACHINE: Project['machine'] = { devices: NO_DEVICES };
export const useMachine = (): Project['machine'] => useDocument((s) => s.project?.machine) ?? NO_MACHINE;
/** Looks a kind up by its name. */
export function useKinds(): (type: string) => DeviceKind | undefined {
  const kinds = useDocument((s) => s.project?.machine.kinds);
  return useMemo(() => (type) => kindOf(kinds ? { kinds } : {}, type), [kinds]);
}
