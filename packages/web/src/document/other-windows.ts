/**
 * Windows of one browser on one project: each tells the others what the server has taken from it. One that holds
 * nothing of its own follows; on its way back to the front it also asks the server, for what other browsers have saved.
 */
import { useEffect } from 'react';
import { useDocument } from './store.js';

interface Saved {
  readonly id: string;
  readonly revision: number;
}
let channel: BroadcastChannel | undefined;
const windows = (): BroadcastChannel => (channel ??= new BroadcastChannel('ferrule.saved'));

/** Whether something is being typed, which another project under it could spoil. */
function isTyping(): boolean {
  const at = document.activeElement;
  return at instanceof HTMLElement && at.matches('input:not([type=checkbox]), textarea, [contenteditable=true]');
}

export function useOtherWindows(): void {
  useEffect(() => {
    /** The newest revision heard of that this window has not taken yet. */
    let heard: Saved | undefined;
    // Typing may begin before the answer comes, too.
    const take = () => {
      if (!isTyping()) void useDocument.getState().follow(() => !isTyping());
    };
    const follow = () => {
      const { id, revision } = useDocument.getState();
      if (!heard || heard.id !== id || heard.revision <= revision) heard = undefined;
      else take();
    };
    const hear = ({ data }: MessageEvent<Saved>) => {
      if (!heard || heard.id !== data.id || heard.revision < data.revision) heard = data;
      follow();
    };
    const ask = () => {
      if (!document.hidden) take();
    };
    // A field that goes away with its focus says nothing: while something waits it is looked for.
    const again = setInterval(follow, 500);
    const tell = useDocument.subscribe((now, before) => {
      if (now.id === before.id && now.saved > before.saved && now.id !== undefined)
        windows().postMessage({ id: now.id, revision: now.revision } satisfies Saved);
    });
    windows().addEventListener('message', hear);
    window.addEventListener('focus', ask);
    return () => {
      tell();
      windows().removeEventListener('message', hear);
      window.removeEventListener('focus', ask);
      clearInterval(again);
    };
  }, []);
}
