/** The help: what F1 is about just now, set by whatever the cursor stands on, and the page that is open. */
import { createStore } from 'zustand/vanilla';

export interface HelpTopic {
  readonly tab: 'keys' | 'line' | 'elements' | 'blocks' | 'devices' | 'checks' | 'rules';
  /** A block's or device's name, a rule's code or a kind of element. */ readonly page?: string;
}

export const helpTopic = createStore<{ readonly topic: HelpTopic | undefined; readonly open: HelpTopic | undefined }>(
  () => ({ topic: undefined, open: undefined }),
);
/** Opens the help at a page; nothing closes it. */
export const askHelp = (open: HelpTopic | undefined): void => {
  helpTopic.setState({ open });
};
