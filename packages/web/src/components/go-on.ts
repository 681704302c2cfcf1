/** Frames within which what was made is on the screen. */
const FRAMES_TO_SHOW = 30;

/** The cursor goes to a field that is about to be there, with what it holds marked: what was made is named next. */
export function goOnIn(label: string, frames = FRAMES_TO_SHOW): void {
  const field = document.querySelector<HTMLInputElement | HTMLTextAreaElement>(`[aria-label="${CSS.escape(label)}"]`);
  if (field) {
    field.focus();
    field.select();
  } else if (frames > 0) requestAnimationFrame(() => goOnIn(label, frames - 1));
}
