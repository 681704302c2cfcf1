/**
 * Plan: the operation written down before the logic: steps as a table, the flow drawn from them, both live with the
 * bench.
 */
import { TabList } from '../../components/tabs.js';
import { ChevronDown, Plus, Trash2 } from 'lucide-react';
import { DropdownMenu } from 'radix-ui';
import { useEffect, useMemo, useRef, useState } from 'react';
import { later } from '../../components/later.js';
import { type Plan, type PlanStep, type Sequence, stepName, stepTagOf } from '@ferrule/core/document';
import { leftOnByFault, planProblems } from '@ferrule/core/plan';
import { askBench, benchStore, tellBench, useBench, useLook, useValue } from '../../bench/live.js';
import { focusField } from '../../components/focus.js';
import { nameCompletion } from '../../components/names.js';
import { Button, EditInPlace, EditSentence, MENU, MENU_ITEM } from '../../components/ui.js';
import { newId, useDocument } from '../../document/store.js';
import type { LivePlan } from '../../components/flow/FlowChart.js';
import { Choices, Memory, NoSource } from './Choices.js';
import { MakeDialog } from './MakeDialog.js';
import { Modes } from './Modes.js';
import { type Problem, Said } from './parts.js';
import { Steps, Points } from './Steps.js';
import { CopyTable, PasteDialog } from './step-tables.js';
import { useBeside, ChooseModes } from './step-choices.js';
import { freeName } from '../../components/free-name.js';

const FlowChart = later(() => import('../../components/flow/FlowChart.js').then((m) => m.FlowChart));

const EMPTY: Plan = { sequences: [] };

export function PlanArea() {
  const project = useDocument((s) => s.project);
  const plan = project?.plan ?? EMPTY;
  const [chosen, setChosen] = useState<string>();
  const [making, setMaking] = useState<{ readonly logic?: 'LD' | 'ST'; readonly checks?: boolean }>();
  const [pasting, setPasting] = useState(false);
  const sequence = plan.sequences.find((s) => s.id === chosen) ?? plan.sequences[0];
  const put = (next: Plan) => useDocument.getState().edit({ kind: 'changePlan', plan: next });
  const change = (s: Sequence, to: Partial<Sequence>) =>
    put({ ...plan, sequences: plan.sequences.map((x) => (x.id === s.id ? { ...x, ...to } : x)) });
  const problems = useMemo(() => planProblems(plan), [plan]);
  const mine = useMemo(() => problems.filter((p) => p.sequence === sequence?.id), [problems, sequence?.id]);
  const live = useLivePlan(plan, sequence);
  const beside = useBeside(plan, sequence);
  /** A sequence that was just begun is named next; Enter then goes on to its first step. */
  const begun = useRef<string>(undefined);
  const goOnFromName = (e: KeyboardEvent) => {
    if (e.key !== 'Enter' || begun.current !== sequence?.id) return;
    begun.current = undefined;
    focusField('Name of step 1');
  };
  const addSequence = (steps: readonly PlanStep[] = [], to: Plan = plan) => {
    const id = newId('q');
    put({
      ...to,
      sequences: [
        ...plan.sequences,
        {
          id,
          name: freeName(
            'Sequence',
            plan.sequences.map((s) => s.name),
          ),
          ...(plan.sequences.length ? {} : { run: 'Running' }),
          steps: steps.length ? steps : [{ id: newId('s'), name: 'Idle', ways: [] }],
        },
      ],
    });
    setChosen(id);
    if (!steps.length) {
      begun.current = id;
      focusField('Name of the sequence');
    }
  };
  return (
    <div className="grid h-full min-h-0 grid-cols-[minmax(0,1fr)_minmax(280px,400px)]">
      <div className="flex min-h-0 flex-col overflow-y-auto p-3 pt-2">
        <div className="flex flex-wrap items-center gap-1.5 pb-2">
          <TabList
            label="Sequences"
            className="flex min-w-0 gap-1"
            look="field"
            value={sequence?.id}
            onChoose={setChosen}
            tabs={plan.sequences.map((s) => ({ value: s.id, words: s.name || 'unnamed' }))}
          />
          <Button look="quiet" tight onClick={() => addSequence()}>
            <Plus size={13} />
            Sequence
          </Button>
          <span className="ml-auto" />
          <Button look="quiet" tight onClick={() => setPasting(true)}>
            Steps from a table
          </Button>
          {sequence && <CopyTable sequence={sequence} />}
          <Button onClick={() => setMaking({ checks: true })} disabled={!plan.sequences.length}>
            Make checks
          </Button>
          <DropdownMenu.Root>
            <DropdownMenu.Trigger asChild>
              <Button look="strong" disabled={!plan.sequences.length}>
                Make logic
                <ChevronDown size={13} />
              </Button>
            </DropdownMenu.Trigger>
            <DropdownMenu.Portal>
              <DropdownMenu.Content align="end" sideOffset={4} className={MENU}>
                <DropdownMenu.Item className={MENU_ITEM} onSelect={() => setMaking({ logic: 'LD' })}>
                  As ladder
                </DropdownMenu.Item>
                <DropdownMenu.Item className={MENU_ITEM} onSelect={() => setMaking({ logic: 'ST' })}>
                  As structured text
                </DropdownMenu.Item>
              </DropdownMenu.Content>
            </DropdownMenu.Portal>
          </DropdownMenu.Root>
        </div>
        <div className="mb-2 text-soft">
          <EditSentence
            value={plan.description ?? ''}
            label="What the machine does"
            placeholder="What does the machine do? A few sentences."
            onCommit={(description) => put({ ...plan, ...(description ? { description } : { description: '' }) })}
          />
        </div>
        {plan.sequences.length > 0 && (
          <div className="mb-2 flex flex-wrap items-start gap-x-3 gap-y-1 text-[12.5px]">
            <Modes plan={plan} problems={problems} live={live} onPlan={put} />
            <Memory plan={plan} problems={problems} onPlan={put} />
            <Choices plan={plan} problems={problems} onPlan={put} />
          </div>
        )}
        {!sequence && <Empty onStart={() => addSequence()} onPaste={() => setPasting(true)} />}
        {sequence && (
          <SequenceHead
            sequence={sequence}
            plan={plan}
            problems={problems.filter((p) => p.sequence === sequence.id && !p.step)}
            onChange={(to) => change(sequence, to)}
            onNameKey={goOnFromName}
            onRemove={() => {
              put({ ...plan, sequences: plan.sequences.filter((s) => s.id !== sequence.id) });
              setChosen(undefined);
            }}
          />
        )}
        {sequence && (
          <Steps
            plan={plan}
            sequence={sequence}
            problems={mine}
            live={live}
            onSteps={(steps) => change(sequence, { steps })}
          />
        )}
        {project?.plan && <NoSource project={project} onPlan={put} />}
        <Points />
      </div>
      <section aria-label="Flow" className="flex min-h-0 flex-col border-l border-edge bg-sunk">
        <h2 className="flex h-9 shrink-0 items-center px-3 font-semibold">
          Flow <span className="ml-auto font-normal text-soft">drawn from the steps</span>
        </h2>
        <div tabIndex={0} role="group" aria-label="Flow chart" className="min-h-0 flex-1 overflow-auto">
          {sequence && sequence.steps.length > 0 && <FlowChart sequence={sequence} live={live} beside={beside} />}
        </div>
      </section>
      {making && project && <MakeDialog project={project} what={making} onClose={() => setMaking(undefined)} />}
      {pasting && (
        <PasteDialog
          onClose={() => setPasting(false)}
          onTake={(steps, description) => {
            // A description that is there already stays above the one that comes.
            const to: Plan = description
              ? { ...plan, description: [plan.description?.trim(), description].filter(Boolean).join('\n\n') }
              : plan;
            if (sequence && sequence.steps.length <= 1 && !sequence.steps[0]?.ways.length)
              put({ ...to, sequences: plan.sequences.map((x) => (x.id === sequence.id ? { ...x, steps } : x)) });
            else addSequence(steps, to);
            setPasting(false);
          }}
        />
      )}
    </div>
  );
}

/** The live step, how long it has lasted, and what it waits for. */
function useLivePlan(plan: Plan, sequence: Sequence | undefined): LivePlan {
  const tag = sequence ? stepTagOf(sequence, plan.sequences) : '';
  useLook(tag ? [tag] : []);
  const value = useValue(tag);
  const step = typeof value === 'string' ? value : undefined;
  const here = sequence?.steps.find((x) => stepName(x).toLowerCase() === step?.toLowerCase());
  const texts = useMemo(
    () => [
      ...new Set(
        [...(here?.ways ?? []), ...(plan.modes ?? [])].flatMap((w) => (w.when?.trim() ? [w.when.trim()] : [])),
      ),
    ],
    [here, plan.modes],
  );
  const [found, setFound] = useState<{ since: number; holds: Record<string, { holds: boolean; since: number }> }>();
  const turn = useBench((s) => Math.floor((s.frame?.timeMs ?? 0) / 100));
  const asked = useRef('');
  useEffect(() => tellBench({ kind: 'conditions', texts }), [texts]);
  useEffect(() => () => tellBench({ kind: 'conditions', texts: [] }), []);
  useEffect(() => {
    if (!tag || step === undefined) {
      asked.current = '';
      setFound(undefined);
      return;
    }
    // One question at a time: a bench that is slow to answer is not asked faster than it answers.
    const question = `${tag} ${step} ${texts.join()}`;
    if (asked.current === question) return;
    asked.current = question;
    void askBench('waits', { path: tag, texts }).then((w) => {
      if (asked.current !== question) return;
      asked.current = '';
      setFound(w && { since: w.since, holds: Object.fromEntries(w.holds.map((h) => [h.text, h])) });
    });
  }, [tag, step, texts, turn]);
  const { frame } = benchStore.getState();
  const now = frame?.scan ?? 0,
    ms = frame?.scanMs ?? 10;
  return {
    step,
    forMs: found && Math.max(0, now - found.since) * ms,
    holds: Object.fromEntries(
      Object.entries(found?.holds ?? {}).map(([k, h]) => [
        k,
        { holds: h.holds, forMs: Math.max(0, now - h.since) * ms },
      ]),
    ),
  };
}

function Empty({ onStart, onPaste }: { readonly onStart: () => void; readonly onPaste: () => void }) {
  return (
    <div className="max-w-xl py-6 text-soft">
      <p className="mb-3">
        Write the operation down first: each step, what is on during it, what ends it, where it goes then. The flow is
        drawn from the steps, and tags, a skeleton of the logic and first checks are made from them.
      </p>
      <div className="flex gap-2">
        <Button look="strong" onClick={onStart}>
          Begin a sequence
        </Button>
        <Button onClick={onPaste}>Take steps from a table</Button>
      </div>
    </div>
  );
}

function SequenceHead({
  sequence,
  plan,
  problems,
  onChange,
  onNameKey,
  onRemove,
}: {
  readonly sequence: Sequence;
  readonly plan: Plan;
  readonly problems: readonly Problem[];
  readonly onChange: (to: Partial<Sequence>) => void;
  /** A key in its name, before the field has it. */ readonly onNameKey: (e: KeyboardEvent) => void;
  readonly onRemove: () => void;
}) {
  const field = 'flex items-center gap-1.5 text-soft',
    tags = useDocument((s) => s.project?.tags),
    leftOn = useMemo(() => leftOnByFault(plan, tags ?? [], sequence), [tags, plan, sequence]);
  return (
    <div className="pb-1.5">
      <div className="flex flex-wrap items-center gap-x-2.5 gap-y-1">
        <span className="w-40 text-[15px] font-semibold" onKeyDownCapture={(e) => onNameKey(e.nativeEvent)}>
          <EditInPlace value={sequence.name} label="Name of the sequence" onCommit={(name) => onChange({ name })} />
        </span>
        <label className={field}>
          runs while{' '}
          <span className="w-28">
            <EditSentence
              mono
              value={sequence.run ?? ''}
              label="It runs while"
              complete={nameCompletion}
              marks={false}
              placeholder="always"
              onCommit={(run) => onChange({ run })}
            />
          </span>
        </label>
        {plan.modes?.length || sequence.modes?.length ? (
          <span className={field}>
            in{' '}
            <ChooseModes
              plan={plan}
              none="all modes"
              of={sequence.name}
              chosen={sequence.modes}
              onChange={(modes) => onChange({ modes })}
            />
          </span>
        ) : null}
        <label className={field}>
          step in{' '}
          <span className="w-24">
            <EditInPlace
              mono
              value={sequence.stepTag ?? ''}
              label="Tag that holds the step"
              placeholder={stepTagOf(sequence, plan.sequences)}
              onCommit={(stepTag) => onChange({ stepTag })}
            />
          </span>
        </label>
        <button
          aria-label={`Delete the sequence ${sequence.name}`}
          onClick={onRemove}
          className="ml-auto text-faint hover:text-bad"
        >
          <Trash2 size={14} />
        </button>
      </div>
      <Said problems={problems} />
      {leftOn.length > 0 && !problems.length && (
        <p role="note" className="px-1 text-[12px] text-soft">
          {`A fault past a limit leaves ${leftOn.join(', ')} on: nothing that this runs by ends with it. `}
          <button
            className="underline decoration-edge underline-offset-2 hover:text-copper-ink"
            onClick={() => onChange({ run: andNoFault(sequence.run) })}
          >
            Run by NOT Fault
          </button>
        </p>
      )}
    </div>
  );
}
/** What a sequence runs by, and by no fault. */
function andNoFault(run = ''): string {
  if (!run.trim()) return 'NOT Fault';
  return `${/\b(OR|XOR)\b|\|/i.test(run) ? `(${run.trim()})` : run.trim()} AND NOT Fault`;
}
