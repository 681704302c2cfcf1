/** What F1 is about just now: set by whatever the cursor stands on, read by the help. */
import { createStore } from 'zustand/vanilla';

export interface HelpTopic { readonly tab: 'keys' | 'line' | 'elements' | 'blocks' | 'checks' | 'rules'; /** A block's name, a rule's code or a kind of element. */ readonly page?: string }

export const helpTopic = createStore<{ readonly topic: HelpTopic | undefined }>(() => ({ topic: undefined }));
