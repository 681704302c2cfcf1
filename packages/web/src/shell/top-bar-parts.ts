/** Looks that the parts of the top bar share. */

export const pill = 'flex h-7 shrink-0 items-center gap-1.5 rounded-full px-3 text-[12px] font-medium max-[900px]:px-2';

export const sheet =
  'z-50 max-h-[60vh] w-[420px] overflow-auto rounded-lg border border-edge bg-sheet p-1 text-ink shadow-xl';

export const NONE = {};
