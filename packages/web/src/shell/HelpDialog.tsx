/** Keys on one sheet, the rung line explained, a page for each block of the library and for each rule of checking. */
import { TabRow } from '../components/tabs.js';
import { Dialog, Tabs } from 'radix-ui';
import type { HelpTopic } from '../components/help-topic.js';
import { later } from '../components/later.js';
import { COMMANDS } from '../areas/logic/commands.js';

const RulePages = later(() => import('./RulePages.js').then((m) => m.RulePages));

const ElementPages = later(() => import('./ElementPages.js').then((m) => m.ElementPages));
const DevicePages = later(() => import('./DevicePages.js').then((m) => m.DevicePages));
const AboutPage = later(() => import('./AboutPage.js').then((m) => m.AboutPage));
const BlockPages = later(() => import('./BlockPages.js').then((m) => m.BlockPages));

const KEYS: readonly (readonly [string, readonly (readonly [string, string])[]])[] = [
  [
    'Anywhere',
    [
      ['F5', 'run, pause'],
      ['⇧F2 / ⇧F3 / ⇧F4 · Ctrl+F2', 'fold or open the scope / the bench pane / the pane at the right · all at once'],
      ['Ctrl+F5', 'run until a condition or a time'],
      ['F6 / Shift+F6', 'one scan forward / back'],
      ['Ctrl+F6 / Ctrl+Shift+F6', 'one rung or statement on / back; with Alt too, into the call'],
      ['Alt+F6 / Alt+Shift+F6', 'one task on / back'],
      ['F10', 'back out of a trial on the controller'],
      ['F4', 'why is it so: a contact, a coil, a name, a row of tags'],
      ['F7', 'stop before this rung or line'],
      ['F8 / Shift+F8', 'next / previous problem; the list in the top bar declares all that a program uses undeclared'],
      ['Ctrl+.', 'fix the problem here: on a rung, in a text, of the chosen tag'],
      ['Ctrl+Z / Ctrl+Y', 'undo / redo'],
      ['Alt+1 … Alt+7', 'Plan, Tags, Logic, Machine, Prove, Controller, Timing'],
      [
        'Alt + a key given to a device',
        'press it on the panel of the bench, or turn it over; on the panel of a controller the key, while it has the focus',
      ],
      ['On the time line', '← → a scan, PgUp PgDn fifty, + − zoom, A and B set the cursors'],
      ['Ctrl+K', 'the command palette: every command, and everything in the project'],
      ['Alt+←', 'back to where you jumped from'],
      ['?', 'this sheet'],
      ['F1', 'help on what the cursor stands on: an element, a block, a problem'],
    ],
  ],
  [
    'On a rung',
    [
      ['← →  ↑ ↓', 'move along the rung, between legs and rungs'],
      ['⇧← ⇧→ · ⇧↑ ⇧↓', 'choose a run of elements · of rungs'],
      ['a letter, !, ^, (', 'type an element behind the cursor; Ctrl+⏎ also declares unknown names'],
      ...COMMANDS.map((c): [string, string] => [c.shown ?? c.key, c.words.charAt(0).toLowerCase() + c.words.slice(1)]),
    ],
  ],
  [
    'With the mouse',
    [
      ['drag a part', 'to another place on any rung; the rung is shown as it would be'],
      ['drag a device', 'beside another in the flow, or onto one that it acts on'],
      ['Ctrl + drag', 'a copy of it'],
      ['Alt + drag', 'only its tag'],
      ['⇧ + click', 'choose up to there'],
      ['a rung’s number', 'a click chooses the rung, ⇧ several; dragged, they move, with Ctrl a copy'],
    ],
  ],
  [
    'In Prove',
    [
      ['F9', 'run all checks'],
      ['Shift+F9', 'stand on the bench where the check failed'],
      ['Ctrl+F9', 'go to the rung that decided it'],
      ['Ins, Ctrl+⏎ / Shift+Ins', 'a new row below / above'],
      ['Alt+↑ / Alt+↓', 'move the row'],
    ],
  ],
  [
    'In Plan',
    [
      ['Ins', 'a new step below'],
      ['Alt+↑ / Alt+↓', 'move the step'],
    ],
  ],
  [
    'In text',
    [
      ['Ctrl+Space, Tab', 'complete'],
      ['Enter', 'complete; behind a whole word a new line'],
      ['F2', 'rename everywhere'],
      ['F12 / Shift+F12', 'declaration / where it is used'],
      ['Shift+Alt+F', 'lay the text out'],
      ['Ctrl+Shift+⏎', 'the statement as a rung'],
      ['Ctrl+.', 'fix the problem on the line'],
      ['Ctrl+F', 'find and replace in the logic'],
    ],
  ],
];
const NOTATION: readonly (readonly [string, string])[] = [
  ['a & b, a | b, ( )', 'in series, in parallel; & binds tighter'],
  ['Tag, !Tag', 'contact normally open, normally closed'],
  ['^Tag, ^!Tag', 'contact on a rising, a falling edge'],
  ['a >= b', 'a comparison; each side any expression'],
  ['Fun(x, OUT => Tag)', 'a function worked with power (EN); its value goes to a tag, power goes on (ENO)'],
  [
    'Inst(PT := 300 ms)',
    'a function block with power through it; Inst:TON(…) declares it, Inst@CD(…).QD picks other pins, Inst@EN(…) calls it with power only',
  ],
  ['-> Tag, !Tag, set Tag, reset Tag', 'coils; ^Tag and ^!Tag on an edge'],
  ['-> a, b, (path -> c)', 'outputs in parallel, each with a path of its own'],
  ['{ n := n + 1; }', 'an action while there is power; ^{ … } once per rise'],
  ['-> return', 'leaves the program'],
];
const SENTENCES: readonly (readonly [string, readonly (readonly [string, string])[]])[] = [
  [
    'When',
    [
      ['at once', 'as soon as the row before is over'],
      ['after 500 ms', 'so long after the row before; also in scans: after 3 scans'],
      ['once DieDown is on within 2 s', 'waits for it, 10 s when nothing is said'],
      [
        'at the same time',
        'beside the row above, which need not be over; also: at the same time as row 2, after 200 ms; at the same time, once DieDown is on',
      ],
    ],
  ],
  [
    'Do',
    [
      ['tap Start for 200 ms', 'presses it and lets go'],
      ['hold Stop, let go of Stop', 'presses it; lets go'],
      ['turn Auto right, strike Emergency', 'a selector; an emergency stop'],
      ['enter 20 at Batch', 'a number'],
      ['tap Chamber.Below', 'one of several things at a device'],
      ['set Total to 0, write Total to 0', 'an input, any tag'],
      [
        'force DieUp on, release DieUp',
        'a tag is held, and let go: an input is then what the machine gives, or what it was set to',
      ],
      ['ramp Level from 0 to 10 in 2 s', 'a number, a little in each scan; force ramp … where a device drives it'],
      ['upset Feed.Jam, clear Feed.Jam', 'what goes wrong in the machine'],
    ],
  ],
  [
    'Expect',
    [
      ['Running is on, Step is Idle, Level > 2', 'after the next scan'],
      [
        'A AND NOT (B OR C), A & !(B | C)',
        'a condition, in words or with the signs of a rung; in Plan and at the bench too',
      ],
      ['Running is on within 300 ms, within 3 scans', 'at some time until then'],
      ['DieDown is on after 300 ms ± 20 ms', 'in this window and not before; also: between 280 ms and 320 ms'],
      ['Running is on for 2 s', 'from now, all that time'],
      [
        'Horn lasts 1 s ± 0.1 s within 5 s',
        'it begins within 5 s and ends in the window; Horn is on for 1 s ± 0.1 s: it begins at once',
      ],
      ['Running is on until Done is on', 'from now, up to then'],
      ['Level = 2.5 ± 0.1', 'a value within a band'],
      ['in order: ClampShut is on, DieDown is on within 5 s', 'one after the other'],
      [
        'Step goes Feed, Clamping, Crimping within 5 s',
        'through these steps and no other; … or Fault within 5 s allows a detour',
      ],
      ['never Blade AND Feed', 'from here to the end of the check'],
      [
        'cycle of Step within 12 s',
        'each cycle that begins from here to the end of the check; from Idle says where it is counted from, else it is the first step of the plan; … in 95 % of cycles: so many of them',
      ],
      ['Step stays in Fill at most 4 s', 'each time from here to the end of the check; … in 95 % of cycles'],
      ["keeps 'Name of a rule'", 'the rule holds from the start to the end of the check'],
    ],
  ],
  [
    'Whole check',
    [
      [
        'Record a check',
        'the bench starts cold; what is done at the panel becomes rows, what the machine answers is proposed; what changed nothing of that is left out',
      ],
      ['Begins with …', 'the rows of another check are played first, so that many share one way to get going'],
      [
        'enter {Batch} at BatchEntry',
        'a value from the table of values: the check is played once for each of its rows',
      ],
    ],
  ],
  [
    'Rules',
    [
      ['never A and B together', 'of several, never A, B and C together, no two; also A never while B'],
      ['A requires B, A only while B', 'also A never without B; if A then B'],
      ['after A, B within 1 s', ''],
      ['A stays at least 300 ms', ''],
      ['Level between 0 and 100', ''],
      [
        'no output without EStopOK',
        'of all outputs; no output except Horn, LampStop without EStopOK; no Motor, Heater without EStopOK',
      ],
      ['always A OR B, never A', 'any condition'],
      [
        'never faults',
        'no division by zero, no index outside its array, no endless loop, no value outside its type; each project has this rule, also when it is not written',
      ],
      [
        'always Level <= PREVIOUS(Level) + 0.5',
        'PREVIOUS(Tag) is what it was one scan before, PREVIOUS(Tag, 10) ten scans before; in checks too',
      ],
    ],
  ],
];

export function HelpDialog({
  topic,
  onClose,
}: {
  readonly topic: HelpTopic | undefined;
  readonly onClose: () => void;
}) {
  return (
    <Dialog.Root
      open={topic !== undefined}
      onOpenChange={(open) => {
        if (!open) onClose();
      }}
    >
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/40" />
        <Dialog.Content className="fixed top-1/2 left-1/2 z-50 flex h-[88vh] w-[900px] max-w-[94vw] -translate-x-1/2 -translate-y-1/2 flex-col rounded-xl border border-edge bg-sheet p-6 shadow-2xl">
          <Dialog.Title className="text-lg font-semibold">Help</Dialog.Title>
          <Dialog.Description className="text-soft">Everything the mouse can do, the keys can.</Dialog.Description>
          <Tabs.Root key={topic?.tab} defaultValue={topic?.tab ?? 'keys'} className="mt-3 flex min-h-0 flex-1 flex-col">
            <TabRow
              label="Parts of the help"
              className="flex gap-5 border-b border-edge"
              tabClass="-mb-px py-1.5"
              tabs={[
                { value: 'keys', words: 'Keys' },
                { value: 'line', words: 'The rung line' },
                { value: 'elements', words: 'Elements' },
                { value: 'blocks', words: 'Blocks' },
                { value: 'devices', words: 'Devices' },
                { value: 'checks', words: 'Checks' },
                { value: 'rules', words: 'Rules of checking' },
                { value: 'about', words: 'About' },
              ]}
            />
            <Tabs.Content value="keys" className="min-h-0 flex-1 overflow-auto pt-4">
              <div className="grid grid-cols-2 gap-8">
                {KEYS.map(([title, rows]) => (
                  <Sheet key={title} title={title} rows={rows} />
                ))}
              </div>
            </Tabs.Content>
            <Tabs.Content value="line" className="min-h-0 flex-1 overflow-auto pt-4">
              <Sheet title="A rung as one line of text" rows={NOTATION} wide />
              <p className="mt-4 text-soft">
                Durations are written as people write them: 300 ms, 1.5 s, 2 min. Evaluation is left to right, top leg
                first, rung by rung. A line that is no rung yet stays where it was typed, marked Unfinished; it counts
                as a problem, and everything else runs without it. Escape throws away what is being typed; undo brings
                it back.
              </p>
            </Tabs.Content>
            <Tabs.Content value="elements" className="min-h-0 flex-1 pt-4">
              <ElementPages start={topic?.tab === 'elements' ? topic.page : undefined} />
            </Tabs.Content>
            <Tabs.Content value="blocks" className="min-h-0 flex-1 pt-4">
              <BlockPages start={topic?.tab === 'blocks' ? topic.page : undefined} />
            </Tabs.Content>
            <Tabs.Content value="devices" className="min-h-0 flex-1 pt-4">
              <DevicePages start={topic?.tab === 'devices' ? topic.page : undefined} />
            </Tabs.Content>
            <Tabs.Content value="about" className="min-h-0 flex-1 pt-4">
              <AboutPage />
            </Tabs.Content>
            <Tabs.Content value="checks" className="min-h-0 flex-1 overflow-auto pt-4">
              <div className="grid gap-5">
                {SENTENCES.map(([title, rows]) => (
                  <Sheet key={title} title={title} rows={rows} wide />
                ))}
              </div>
            </Tabs.Content>
            <Tabs.Content value="rules" className="min-h-0 flex-1 pt-4">
              <RulePages start={topic?.tab === 'rules' ? topic.page : undefined} />
            </Tabs.Content>
          </Tabs.Root>
          <Dialog.Close className="mt-4 self-start rounded-md border border-edge px-3 py-1 font-medium">
            Close
          </Dialog.Close>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

function Sheet({
  title,
  rows,
  wide = false,
}: {
  readonly title: string;
  readonly rows: readonly (readonly [string, string])[];
  readonly wide?: boolean;
}) {
  return (
    <section>
      <h3 className="mb-1 font-semibold">{title}</h3>
      <dl className={`grid gap-x-4 gap-y-1 ${wide ? 'grid-cols-[260px_1fr]' : 'grid-cols-[140px_1fr]'}`}>
        {rows.map(([k, v]) => (
          <div key={k} className="contents">
            <dt className="font-mono text-[12px]">{k}</dt>
            <dd className="text-soft">{v}</dd>
          </div>
        ))}
      </dl>
    </section>
  );
}
