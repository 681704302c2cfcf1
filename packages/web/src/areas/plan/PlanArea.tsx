/**
 * Plan: the operation written down before the logic: steps as a table, the flow drawn from them, both live with the
 * bench.
 */
import { ChevronDown, Plus, Trash2 } from 'lucide-react';
import { Dialog, DropdownMenu } from 'radix-ui';
import { memo, useEffect, useMemo, useRef, useState } from 'react';
import { later } from '../../components/later.js';
import {
  type Plan,
  type PlanStep,
  type Sequence,
  type Tag,
  type Way,
  readSteps,
  stepName,
  stepTagOf,
  stepsToTable,
} from '@ferrule/core/document';
import { guessTag, nextFree } from '@ferrule/core/workspace';
import { planProblems } from '@ferrule/core/plan';
import { askBench, benchStore, tellBench, useBench, useLook, useValue } from '../../bench/live.js';
import { askWhy } from '../../components/asking.js';
import { Button, EditInPlace, EditSentence, MENU, MENU_ITEM } from '../../components/ui.js';
import { messageOf } from '../../api.js';
import { useGrowing } from '../../components/growing.js';
import { textOf } from '../../components/read-file.js';
import { saveAs } from '../../components/save-as.js';
import { durationText } from '../../components/values.js';
import { newId, useDocument } from '../../document/store.js';
import type { LivePlan } from '../../components/flow/FlowChart.js';
import { Choices, Memory, NoSource } from './Choices.js';
import { MakeDialog } from './MakeDialog.js';
import { Modes } from './Modes.js';
import { type Problem, Said, optional } from './parts.js';

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
  const addSequence = (steps: readonly PlanStep[] = [], to: Plan = plan) => {
    const id = newId('q');
    put({
      ...to,
      sequences: [
        ...plan.sequences,
        {
          id,
          name: plan.sequences.length ? `Sequence ${plan.sequences.length + 1}` : 'Sequence',
          ...(plan.sequences.length ? {} : { run: 'Running' }),
          steps: steps.length ? steps : [{ id: newId('s'), name: 'Idle', ways: [] }],
        },
      ],
    });
    setChosen(id);
  };
  return (
    <div className="grid h-full min-h-0 grid-cols-[minmax(0,1fr)_minmax(280px,400px)]">
      <div className="flex min-h-0 flex-col overflow-y-auto p-3 pt-2">
        <div className="flex flex-wrap items-center gap-1.5 pb-2">
          <div role="tablist" aria-label="Sequences" className="flex min-w-0 gap-1">
            {plan.sequences.map((s) => (
              <button
                key={s.id}
                role="tab"
                aria-selected={s === sequence}
                onClick={() => setChosen(s.id)}
                className={`h-8 rounded-md px-2.5 ${s === sequence ? 'bg-sheet font-semibold' : 'text-soft hover:text-ink'}`}
              >
                {s.name || 'unnamed'}
              </button>
            ))}
          </div>
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

/** The other sequences by id, each with the step it is in: shown in the steps that they run beside. */
function useBeside(plan: Plan, sequence: Sequence | undefined): ReadonlyMap<string, string> {
  const others = useMemo(() => plan.sequences.filter((s) => s !== sequence), [plan, sequence]);
  const tags = useMemo(() => others.map((s) => stepTagOf(s, plan.sequences)), [others, plan]);
  useLook(tags);
  const now = useBench((s) => tags.map((t) => s.frame?.values[t] ?? '').join('\n'));
  return useMemo(() => {
    const steps = now.split('\n');
    return new Map(others.map((s, i) => [s.id, steps[i] ? `${s.name}: ${steps[i]}` : s.name]));
  }, [others, now]);
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

/** The sequences that run beside a step while it lasts: as many as there are. */
function ChooseBeside({
  of,
  others,
  chosen = [],
  onChange,
}: {
  readonly of: string;
  readonly others: readonly Sequence[];
  readonly chosen?: readonly string[] | undefined;
  readonly onChange: (starts: readonly string[]) => void;
}) {
  const names = others.filter((s) => chosen.includes(s.id)).map((s) => s.name);
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>
        <button
          aria-label={`Beside ${of} runs`}
          className="flex w-full items-center gap-0.5 rounded px-1 text-left text-[11.5px] text-soft hover:bg-sunk"
        >
          <span className="min-w-0 truncate">
            {names.length ? `beside it: ${names.join(', ')}` : 'nothing beside it'}
          </span>
          <ChevronDown size={11} className="shrink-0" />
        </button>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content align="start" sideOffset={4} className={MENU}>
          {others.map((s) => (
            <DropdownMenu.CheckboxItem
              key={s.id}
              className={MENU_ITEM}
              checked={chosen.includes(s.id)}
              onSelect={(e) => e.preventDefault()}
              onCheckedChange={(on) => onChange(on ? [...chosen, s.id] : chosen.filter((c) => c !== s.id))}
            >
              <span className="w-4">{chosen.includes(s.id) ? '✓' : ''}</span>
              {s.name}
            </DropdownMenu.CheckboxItem>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

/** The modes something belongs to, of those the plan has; all of them when none is chosen. */
function ChooseModes({
  plan,
  modes = plan?.modes,
  of,
  none,
  chosen = [],
  onChange,
}: {
  readonly none: string;
  readonly plan?: Plan;
  readonly modes?: Plan['modes'];
  readonly of: string;
  readonly chosen?: readonly string[] | undefined;
  readonly onChange: (modes: readonly string[]) => void;
}) {
  const has = (name: string) => chosen.some((c) => c.toLowerCase() === name.trim().toLowerCase());
  const known = (modes ?? []).filter((m) => m.name.trim()),
    gone = chosen.filter((c) => !known.some((m) => m.name.trim().toLowerCase() === c.toLowerCase()));
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>
        <button
          aria-label={`Modes of ${of}`}
          className="inline-flex items-center gap-0.5 rounded px-1 text-[11.5px] text-soft hover:bg-sunk"
        >
          {chosen.length ? chosen.join(', ') : none}
          <ChevronDown size={11} />
        </button>
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content align="start" sideOffset={4} className={MENU}>
          {known.map((m) => (
            <DropdownMenu.CheckboxItem
              key={m.id}
              className={MENU_ITEM}
              checked={has(m.name)}
              onSelect={(e) => e.preventDefault()}
              onCheckedChange={(on) =>
                onChange(
                  on
                    ? [...chosen, m.name.trim()]
                    : chosen.filter((c) => c.toLowerCase() !== m.name.trim().toLowerCase()),
                )
              }
            >
              <span className="w-4">{has(m.name) ? '✓' : ''}</span>
              {m.name}
            </DropdownMenu.CheckboxItem>
          ))}
          {gone.map((c) => (
            <DropdownMenu.CheckboxItem
              key={c}
              className={MENU_ITEM}
              checked
              onCheckedChange={() => onChange(chosen.filter((x) => x !== c))}
            >
              <span className="w-4">✓</span>
              {c} (not in the plan)
            </DropdownMenu.CheckboxItem>
          ))}
          {chosen.length > 0 && (
            <DropdownMenu.Item className={MENU_ITEM} onSelect={() => onChange([])}>
              <span className="w-4" />
              all modes
            </DropdownMenu.Item>
          )}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

function SequenceHead({
  sequence,
  plan,
  problems,
  onChange,
  onRemove,
}: {
  readonly sequence: Sequence;
  readonly plan: Plan;
  readonly problems: readonly Problem[];
  readonly onChange: (to: Partial<Sequence>) => void;
  readonly onRemove: () => void;
}) {
  const field = 'flex items-center gap-1.5 text-soft';
  return (
    <div className="pb-1.5">
      <div className="flex flex-wrap items-center gap-x-2.5 gap-y-1">
        <span className="w-40 text-[15px] font-semibold">
          <EditInPlace value={sequence.name} label="Name of the sequence" onCommit={(name) => onChange({ name })} />
        </span>
        <label className={field}>
          runs while{' '}
          <span className="w-28">
            <EditInPlace
              mono
              value={sequence.run ?? ''}
              label="It runs while"
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
    </div>
  );
}

const GRID =
  'grid grid-cols-[minmax(98px,1.15fr)_minmax(100px,1.5fr)_minmax(140px,2.2fr)_62px_96px_56px_72px_36px] gap-x-1.5';
const pastText = (x: PlanStep, s: Sequence): string =>
  x.past?.fault !== undefined ? `Fault ${x.past.fault}` : (s.steps.find((y) => y.id === x.past?.to)?.name ?? '');

/**
 * What is done with steps, always of the sequence as it is: the same object from one drawing to the next, so that a row
 * is drawn anew only when it changed.
 */
interface StepHands {
  put(change: (steps: readonly PlanStep[]) => readonly PlanStep[]): void;
  move(at: number, by: -1 | 1): void;
  /** A new step below. */ add(at: number): void;
}
const NO_PROBLEMS: readonly Problem[] = [];
/** Sequences longer than this list the steps to choose from only while one is chosen. */
const LONG = 30;

function Steps({
  plan,
  sequence,
  problems,
  live,
  onSteps,
}: {
  readonly plan: Plan;
  readonly sequence: Sequence;
  readonly problems: readonly Problem[];
  readonly live: LivePlan;
  readonly onSteps: (steps: readonly PlanStep[]) => void;
}) {
  const { steps } = sequence;
  const [asksExpected, setAsksExpected] = useState(false);
  const expects = asksExpected || steps.some((x) => x.expected !== undefined);
  const add = (at: number) => {
    const id = newId('s'),
      before = steps[at - 1];
    let n = steps.length + 1;
    while (steps.some((x) => x.name.toLowerCase() === `step ${n}`)) n++;
    const made: Omit<PlanStep, 'ways'> & { ways: readonly Way[] } = { id, name: `Step ${n}`, ways: [] };
    // The step above leads here: as far as it led nowhere, or in between it and the one below.
    const between = before?.ways.findIndex((w) => w.to === steps[at]?.id) ?? -1;
    if (before && between >= 0) made.ways = [{ id: newId('w'), to: steps[at]!.id }];
    onSteps(
      [...steps.slice(0, at), made, ...steps.slice(at)].map((x) =>
        x !== before
          ? x
          : !x.ways.length
            ? { ...x, ways: [{ id: newId('w'), to: id }] }
            : { ...x, ways: x.ways.map((w, k) => (k === between ? { ...w, to: id } : w)) },
      ),
    );
    setTimeout(() => document.querySelector<HTMLInputElement>(`[aria-label="Name of step ${at + 1}"]`)?.select(), 50);
  };
  const doing = useRef<StepHands>(null!);
  doing.current = {
    put: (change) => onSteps(change(steps)),
    move: (i, by) => {
      const next = [...steps],
        j = i + by;
      if (j < 0 || j >= steps.length) return;
      [next[i], next[j]] = [next[j]!, next[i]!];
      onSteps(next);
    },
    add,
  };
  const stable = useMemo(
    (): StepHands => ({
      put: (c) => doing.current.put(c),
      move: (i, by) => doing.current.move(i, by),
      add: (i) => doing.current.add(i),
    }),
    [],
  );
  const others = useMemo(() => plan.sequences.filter((s) => s !== sequence), [plan, sequence]);
  const perStep = useMemo(() => {
    const map = new Map<string, Problem[]>();
    for (const p of problems) if (p.step) map.set(p.step, [...(map.get(p.step) ?? []), p]);
    return map;
  }, [problems]);
  return (
    <div className="shrink-0 rounded-lg border border-edge bg-sheet text-[12.5px]">
      <div role="table" aria-label={`Steps of ${sequence.name}`}>
        <div role="rowgroup">
          <div role="row" className={`${GRID} border-b border-edge px-2 py-1.5 text-soft`}>
            {[
              'Step',
              'On while in it',
              'Moves on when',
              'for',
              'To',
              expects ? 'Time, limit' : 'Limit',
              'Past the limit',
              '',
            ].map((h, i) => (
              <span
                key={i}
                role="columnheader"
                {...(i === 1
                  ? {
                      title:
                        'Outputs, on while in the step: Pump, Valve. And what stays when it is over: set Lamp, reset Lamp, count Parts, Wanted := 5, start Horn for 3 s',
                    }
                  : {})}
              >
                {h}
              </span>
            ))}
          </div>
        </div>
        {steps.map((x, i) => (
          <StepRow
            key={x.id}
            x={x}
            i={i}
            sequence={sequence}
            others={others}
            problems={perStep.get(x.id) ?? NO_PROBLEMS}
            live={live.step?.toLowerCase() === stepName(x).toLowerCase() ? live : undefined}
            modes={plan.modes}
            expects={expects}
            doing={stable}
          />
        ))}
      </div>
      <div className="flex">
        <button
          onClick={() => add(steps.length)}
          className="flex grow items-center gap-1 px-3 py-1.5 text-left text-soft hover:text-ink"
        >
          <Plus size={13} />
          step
        </button>
        {!expects && steps.length > 0 && (
          <button
            title="How long each step is meant to last; Timing compares it with what was"
            onClick={() => {
              setAsksExpected(true);
              setTimeout(
                () =>
                  document
                    .querySelector<HTMLElement>(`[aria-label="Expected time of ${CSS.escape(steps[0]!.name)}"]`)
                    ?.focus(),
                50,
              );
            }}
            className="px-3 py-1.5 text-soft hover:text-ink"
          >
            Expected times …
          </button>
        )}
      </div>
    </div>
  );
}

const StepRow = memo(function StepRow({
  x,
  i,
  sequence,
  others,
  problems: mine,
  live,
  modes,
  expects,
  doing,
}: {
  readonly modes: Plan['modes'];
  /** Whether the time that each is meant to last has a field. */ readonly expects: boolean;
  readonly x: PlanStep;
  readonly i: number;
  readonly sequence: Sequence;
  readonly others: readonly Sequence[];
  readonly problems: readonly Problem[];
  /** Of the live step only. */ readonly live: LivePlan | undefined;
  readonly doing: StepHands;
}) {
  const { steps } = sequence,
    isLive = live !== undefined,
    { move, add } = doing;
  const [opened, setOpened] = useState('');
  const onSteps = (next: readonly PlanStep[]) => doing.put(() => next);
  const change = (y: PlanStep, to: Partial<PlanStep>) =>
    doing.put((all) => all.map((z) => (z === y ? { ...y, ...to } : z)));
  const changeWay = (y: PlanStep, w: Way, next: Way) => change(y, { ways: y.ways.map((z) => (z === w ? next : z)) });
  const ways: readonly (Way | undefined)[] = x.ways.length ? x.ways : [undefined];
  return (
    <div
      key={x.id}
      role="rowgroup"
      className={`group border-b border-edge py-1 ${isLive ? 'bg-glow/60' : ''} ${mine.length ? 'shadow-[inset_3px_0_0_var(--bad)]' : ''}`}
      onKeyDown={(e) => {
        if (e.altKey && (e.key === 'ArrowUp' || e.key === 'ArrowDown')) {
          e.preventDefault();
          move(i, e.key === 'ArrowUp' ? -1 : 1);
        }
      }}
      onKeyDownCapture={(e) => {
        if (e.key === 'Insert') {
          e.preventDefault();
          e.stopPropagation();
          add(i + 1);
        }
      }}
    >
      {ways.map((w, k) => (
        <div
          key={w?.id ?? 'none'}
          role="row"
          aria-label={k ? `${x.name}, way ${k + 1}` : x.name}
          className={`${GRID} items-start px-2`}
        >
          <span role="cell" className={`font-semibold ${isLive ? 'text-copper-ink' : ''}`}>
            {k === 0 && (
              <EditInPlace value={x.name} label={`Name of step ${i + 1}`} onCommit={(name) => change(x, { name })} />
            )}
            {k === 0 && (modes?.length || x.modes?.length) ? (
              <span className="px-1 font-normal">
                <ChooseModes
                  modes={modes}
                  none="modes"
                  of={x.name}
                  chosen={x.modes}
                  onChange={(to) => {
                    const { modes: _, ...rest } = x;
                    onSteps(steps.map((y) => (y === x ? { ...rest, ...(to.length ? { modes: to } : {}) } : y)));
                  }}
                />
              </span>
            ) : null}
          </span>
          <span role="cell">
            {k === 0 && (
              <>
                <EditSentence
                  value={(x.on ?? []).join(', ')}
                  label={`On in ${x.name}`}
                  placeholder="–"
                  onCommit={(t) =>
                    change(x, {
                      on: t
                        .split(',')
                        .map((o) => o.trim())
                        .filter(Boolean),
                    })
                  }
                />
                {others.length > 0 && (
                  <ChooseBeside
                    of={x.name}
                    others={others}
                    chosen={x.starts}
                    onChange={(starts) => {
                      const { starts: _, ...rest } = x;
                      onSteps(steps.map((y) => (y === x ? { ...rest, ...(starts.length ? { starts } : {}) } : y)));
                    }}
                  />
                )}
              </>
            )}
          </span>
          <span role="cell">
            <EditSentence
              value={w?.when ?? ''}
              label={`Condition ${k + 1} of ${x.name}`}
              placeholder={w ? 'at once' : 'when …'}
              onCommit={(t) => {
                if (w) {
                  const { when: _, ...rest } = w;
                  changeWay(x, w, { ...rest, ...optional('when', t) });
                } else if (t) change(x, { ways: [{ id: newId('w'), when: t, to: steps[i + 1]?.id ?? steps[0]!.id }] });
              }}
            />
            {live && w && <Waits way={w} live={live} forMs={live.forMs} />}
          </span>
          <span role="cell">
            {w && (
              <EditInPlace
                mono
                value={w.for ?? ''}
                label={`Condition ${k + 1} of ${x.name} must hold for`}
                placeholder="–"
                onCommit={(t) => {
                  const { for: _, ...rest } = w;
                  changeWay(x, w, { ...rest, ...optional('for', t) });
                }}
              />
            )}
          </span>
          <span role="cell">
            <select
              aria-label={`Way ${k + 1} of ${x.name} leads to`}
              value={w?.to ?? ''}
              onFocus={() => setOpened(`${x.id} ${k}`)}
              onPointerDown={() => setOpened(`${x.id} ${k}`)}
              onChange={(e) => {
                if (e.target.value === '+') {
                  change(x, { ways: [...x.ways, { id: newId('w'), to: steps[0]!.id }] });
                  return;
                }
                if (e.target.value === '-') {
                  change(x, { ways: x.ways.filter((y) => y !== w) });
                  return;
                }
                if (w) changeWay(x, w, { ...w, to: e.target.value });
                else change(x, { ways: [{ id: newId('w'), to: e.target.value }] });
              }}
              className="h-6 w-full rounded bg-transparent"
            >
              {!w && <option value="">–</option>}
              {(steps.length <= LONG || opened === `${x.id} ${k}` ? steps : steps.filter((y) => y.id === w?.to)).map(
                (y) => (
                  <option key={y.id} value={y.id}>
                    {y.name}
                  </option>
                ),
              )}
              {w && k === ways.length - 1 && <option value="+">+ another way out</option>}
              {w && <option value="-">remove this way</option>}
            </select>
          </span>
          <span role="cell">
            {k === 0 && expects && (
              <EditInPlace
                mono
                value={x.expected ?? ''}
                label={`Expected time of ${x.name}`}
                placeholder="time"
                onCommit={(t) => {
                  const { expected: _, ...rest } = x;
                  onSteps(steps.map((y) => (y === x ? { ...rest, ...optional('expected', t) } : y)));
                }}
              />
            )}
            {k === 0 && (
              <EditInPlace
                mono
                value={x.limit ?? ''}
                label={`Limit of ${x.name}`}
                placeholder="–"
                onCommit={(t) => {
                  const { limit: _, ...rest } = x;
                  onSteps(steps.map((y) => (y === x ? { ...rest, ...optional('limit', t) } : y)));
                }}
              />
            )}
          </span>
          <span role="cell">
            {k === 0 && (
              <EditInPlace
                value={pastText(x, sequence)}
                label={`Past the limit of ${x.name}`}
                placeholder="–"
                onCommit={(t) => {
                  const { past: _, ...rest } = x;
                  const fault = /(\d+)/.exec(t)?.[1],
                    to = steps.find((y) => y.name.toLowerCase() === t.toLowerCase())?.id;
                  onSteps(
                    steps.map((y) =>
                      y === x
                        ? { ...rest, ...(to ? { past: { to } } : fault ? { past: { fault: Number(fault) } } : {}) }
                        : y,
                    ),
                  );
                }}
              />
            )}
          </span>
          <span role="cell" className="flex items-start justify-end gap-1.5">
            {k === 0 && (
              <button
                aria-label={`New step below ${x.name}`}
                title="New step below (Ins)"
                onClick={() => add(i + 1)}
                className="pt-1 text-faint opacity-0 group-focus-within:opacity-100 group-hover:opacity-100 hover:text-ink focus-visible:opacity-100"
              >
                <Plus size={13} />
              </button>
            )}
            {k === 0 && (
              <button
                aria-label={`Delete the step ${x.name}`}
                onClick={() => onSteps(steps.filter((y) => y !== x))}
                className="pt-1 text-faint hover:text-bad"
              >
                <Trash2 size={13} />
              </button>
            )}
          </span>
        </div>
      ))}
      {mine.length > 0 && (
        <div role="row">
          <div role="cell">
            <Said problems={mine} />
          </div>
        </div>
      )}
    </div>
  );
});

/** What the live step waits for, with how far it is. */
function Waits({
  way,
  live,
  forMs,
}: {
  readonly way: Way;
  readonly live: LivePlan;
  readonly forMs: number | undefined;
}) {
  const h = way.when ? live.holds[way.when.trim()] : undefined;
  const text = !way.when
    ? ''
    : h === undefined
      ? ''
      : h.holds
        ? way.for
          ? `holds, ${durationText(h.forMs)} of ${way.for}`
          : 'holds'
        : `not yet${forMs === undefined ? '' : `, waiting ${durationText(forMs)}`}`;
  const name = /[A-Za-z_][\w.]*/.exec(way.when ?? '')?.[0];
  return text ? (
    <button
      className="px-1 text-[11.5px] text-copper-ink hover:underline"
      title="Why?"
      onClick={() => name && void askWhy(name)}
    >
      {text}
    </button>
  ) : null;
}

function PointList({ tags }: { readonly tags: readonly Tag[] }) {
  const { shown, end } = useGrowing(tags.length);
  return (
    <ul>
      {tags.slice(0, shown).map((t) => (
        <li key={t.id} className="flex items-center gap-2 border-b border-edge">
          <span className="w-32 shrink-0 truncate font-medium" title={t.name}>
            {t.name}
          </span>
          <span className="min-w-0 flex-1 text-soft">
            <EditInPlace
              value={t.description ?? ''}
              label={`Description of ${t.name}`}
              placeholder="what it is"
              onCommit={(description) =>
                useDocument.getState().edit({ kind: 'changeTag', id: t.id, to: { description } })
              }
            />
          </span>
          <span className="w-14 shrink-0 text-right font-mono text-[11px] text-faint">{t.address}</span>
        </li>
      ))}
      {shown < tags.length && (
        <li key={shown} ref={end} className="py-1 text-faint">
          {tags.length - shown} more …
        </li>
      )}
    </ul>
  );
}

/** The inputs and outputs as drafted: they are the tags, not copies. */
function Points() {
  const tags = useDocument((s) => s.project?.tags) ?? [];
  const modules = useDocument((s) => s.project?.modules);
  const add = (area: 'I' | 'Q', name: string) => {
    const n = name.trim();
    if (!n) return;
    if (!/^[A-Za-z_]\w*$/.test(n)) {
      useDocument.setState({ refused: `‘${n}’ is not a name: letters, digits and underscores, a letter first.` });
      return;
    }
    if (tags.some((t) => t.name.toLowerCase() === n.toLowerCase())) {
      useDocument.setState({ refused: `There is a tag ‘${n}’ already.` });
      return;
    }
    const guess = guessTag(n, tags, undefined, { modules });
    useDocument.getState().edit({
      kind: 'addTag',
      tag: {
        id: newId('t'),
        name: n,
        ...guess,
        address: guess.address?.startsWith(`%${area}`) ? guess.address : nextFree(area, 1, tags, modules),
        type: guess.type === 'REAL' ? 'BOOL' : guess.type,
      },
    });
  };
  return (
    <section aria-label="Inputs and outputs" className="mt-4 grid shrink-0 grid-cols-2 gap-4 pb-4 text-[12.5px]">
      {(['I', 'Q'] as const).map((area) => (
        <div key={area}>
          <h3 className="mb-1 font-semibold">{area === 'I' ? 'Inputs' : 'Outputs'}</h3>
          <PointList tags={tags.filter((t) => t.address?.toUpperCase().startsWith(`%${area}`))} />
          <input
            aria-label={area === 'I' ? 'New input' : 'New output'}
            placeholder={area === 'I' ? '+ input: a name, Enter' : '+ output: a name, Enter'}
            spellCheck={false}
            onKeyDown={(e) => {
              e.stopPropagation();
              if (e.key === 'Enter') {
                add(area, e.currentTarget.value);
                e.currentTarget.value = '';
              }
            }}
            className="mt-1 h-7 w-full rounded border border-transparent bg-transparent px-1 placeholder:text-faint hover:border-edge focus:border-copper focus:bg-sheet focus:outline-none"
          />
        </div>
      ))}
    </section>
  );
}

/** The steps for a spreadsheet: to the clipboard, or to a file where the browser has none. */
function CopyTable({ sequence }: { readonly sequence: Sequence }) {
  const [said, setSaid] = useState('');
  useEffect(() => {
    if (!said) return;
    const t = setTimeout(() => setSaid(''), 2500);
    return () => clearTimeout(t);
  }, [said]);
  const copy = async () => {
    const text = stepsToTable(sequence);
    try {
      await navigator.clipboard.writeText(text);
      setSaid('Copied');
    } catch {
      saveAs(`${sequence.name || 'steps'}.tsv`, text, 'text/tab-separated-values');
      setSaid('Saved as a file');
    }
  };
  return (
    <>
      <span role="status" className="text-[12px] text-soft">
        {said}
      </span>
      <Button look="quiet" tight onClick={() => void copy()}>
        Copy as table
      </Button>
    </>
  );
}

function PasteDialog({
  onClose,
  onTake,
}: {
  readonly onClose: () => void;
  readonly onTake: (steps: readonly PlanStep[], description: string | undefined) => void;
}) {
  const [text, setText] = useState('');
  const [trouble, setTrouble] = useState<string>();
  const table = useMemo(() => (text.trim() ? readSteps(text, newId) : undefined), [text]);
  return (
    <Dialog.Root
      open
      onOpenChange={(open) => {
        if (!open) onClose();
      }}
    >
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/30" />
        <Dialog.Content
          className="fixed top-[12vh] left-1/2 z-50 max-h-[80vh] w-[680px] max-w-[94vw] -translate-x-1/2 overflow-auto rounded-xl border border-edge bg-sheet p-4 shadow-xl"
          onKeyDown={(e) => e.stopPropagation()}
        >
          <Dialog.Title className="mb-1 text-[15px] font-semibold">Steps from a table</Dialog.Title>
          <Dialog.Description className="mb-2 text-soft">
            Paste from a spreadsheet, or CSV: step, on while in it, moves on when, for, to, limit, past the limit,
            expected, modes. Headings may stand in any order; a row without a step is another way out of the one above.
            A paragraph before the table becomes the description. Beside outputs a step may set or reset a tag, count,
            give a value, or start something for a time: set Lamp, count Parts, Wanted := 5, start Horn for 3 s.
          </Dialog.Description>
          <textarea
            autoFocus
            aria-label="Table of steps"
            value={text}
            onChange={(e) => setText(e.target.value)}
            rows={9}
            spellCheck={false}
            className="w-full rounded border border-edge bg-paper p-2 font-mono text-[12px]"
          />
          {table && (
            <p className="mt-1 text-[12.5px]">
              {table.steps.length} step{table.steps.length === 1 ? '' : 's'}:{' '}
              {table.steps
                .slice(0, 8)
                .map((s) => s.name)
                .join(', ')}
              {table.steps.length > 8 ? ' …' : ''}
            </p>
          )}
          {table?.description && (
            <p className="mt-1 text-[12.5px]">
              Description: <span className="text-soft">{table.description}</span>
            </p>
          )}
          {trouble !== undefined && (
            <p role="alert" className="text-[12.5px] text-bad">
              {trouble}
            </p>
          )}
          {table?.problems.map((p, i) => (
            <p key={i} role="alert" className="text-[12.5px] text-bad">
              Line {p.line}: {p.message}
            </p>
          ))}
          <label className="mt-2 block text-[12.5px] text-soft">
            or a file{' '}
            <input
              type="file"
              accept=".csv,.tsv,.txt"
              aria-label="File with steps"
              onChange={(e) => {
                const f = e.target.files?.[0];
                setTrouble(undefined);
                if (f) void textOf(f).then(setText, (problem: unknown) => setTrouble(messageOf(problem)));
              }}
            />
          </label>
          <div className="mt-3 flex justify-end gap-2">
            <Button onClick={onClose}>Cancel</Button>
            <Button
              look="strong"
              disabled={!table?.steps.length}
              onClick={() => table && onTake(table.steps, table.description)}
            >
              Take {table?.steps.length ?? 0} steps
            </Button>
          </div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
