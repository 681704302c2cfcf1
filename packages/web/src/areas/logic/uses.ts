/** Which name the list of uses is about; with a list for names that are not tags. */
import { create } from 'zustand';
import type { FoundUse } from '@ferrule/core/workspace';

export const useUses = create<{ readonly name: string | undefined; readonly list?: readonly FoundUse[] | undefined }>(
  () => ({ name: undefined }),
);
