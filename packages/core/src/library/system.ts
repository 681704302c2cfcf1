/**
 * The system tags: what every program may ask about the controller it runs on. Read only; declared for projects that
 * name them.
 *
 * Second names (a tag that stands for another tag, a member or a bit) are resolved by the checker to the place they
 * stand for, and are symbols of the image without memory of their own: read, written, forced, watched and renamed like
 * every tag, left out when state is carried over. System tags are a block in structured text with an instance and a
 * program of its own that runs first; both are declared only for projects that name them.
 */
import type { LibraryBlock } from './own.js';

export const SYSTEM = 'System';
export const SYSTEM_BLOCK = 'SYSTEM_STATE';

/** Each with its type and what it says. */
export const SYSTEM_TAGS: readonly { readonly name: string; readonly type: string; readonly about: string }[] = [
  { name: 'FirstScan', type: 'BOOL', about: 'on in the first scan after a start' },
  { name: 'ScanTime', type: 'TIME', about: 'time from one scan to the next' },
  { name: 'Time', type: 'TIME', about: 'simulated time since the start' },
  { name: 'Pulse100ms', type: 'BOOL', about: 'on and off in turn, 100 ms for both' },
  { name: 'Pulse1s', type: 'BOOL', about: 'on and off in turn, 1 s for both' },
  { name: 'ForcesPresent', type: 'BOOL', about: 'some tag is forced' },
  { name: 'OutsideLost', type: 'BOOL', about: 'the link to inputs and outputs in another program is away' },
  { name: 'CardPulled', type: 'BOOL', about: 'a card of inputs or outputs is pulled' },
];

/**
 * `hasOutside`: with what is asked about another program that gives inputs; `hasCards`: about cards that are pulled.
 * Without them the tag lies as it always did.
 */
export const systemText = (
  hasOutside: boolean,
  hasCards: boolean,
): LibraryBlock['text'] => `FUNCTION_BLOCK ${SYSTEM_BLOCK}
VAR_OUTPUT FirstScan : BOOL; ScanTime : TIME; Time : TIME; Pulse100ms : BOOL; Pulse1s : BOOL; ForcesPresent : BOOL;${hasOutside ? ' OutsideLost : BOOL;' : ''}${hasCards ? ' CardPulled : BOOL;' : ''} END_VAR
VAR Began : BOOL; ShortSince : TIME; LongSince : TIME; END_VAR
FirstScan := NOT Began;
IF FirstScan THEN Pulse100ms := TRUE; Pulse1s := TRUE; ShortSince := __NOW(); LongSince := __NOW(); END_IF;
Began := TRUE;
ScanTime := __STEP();
Time := __NOW();
IF __NOW() - ShortSince >= T#50ms THEN Pulse100ms := NOT Pulse100ms; ShortSince := ShortSince + T#50ms; END_IF;
IF __NOW() - LongSince >= T#500ms THEN Pulse1s := NOT Pulse1s; LongSince := LongSince + T#500ms; END_IF;
END_FUNCTION_BLOCK
VAR_GLOBAL ${SYSTEM} : ${SYSTEM_BLOCK}; END_VAR
PROGRAM ${SYSTEM}Clock
${SYSTEM}();
END_PROGRAM
`;
