/** The steps of a sequence as a table: what is on, what each waits for, how long it is meant to last. */
import { Plus, Trash2 } from 'lucide-react';
import { memo, useMemo, useRef, useState } from 'react';
import { type Plan, type PlanStep, type Sequence, type Tag, type Way, stepName } from '@ferrule/core/document';
import { shortTimes, timedCondition } from '@ferrule/core/plan';
import { guessTag, nextFree } from '@ferrule/core/workspace';
import { askWhy } from '../../components/asking.js';
import { focusField } from '../../components/focus.js';
import { nameCompletion } from '../../components/names.js';
import { EditInPlace, EditSentence, Shown } from '../../components/ui.js';
import { useGrowing } from '../../components/growing.js';
import { durationText } from '../../components/values.js';
import { newId, useDocument } from '../../document/store.js';
import type { LivePlan } from '../../components/flow/FlowChart.js';
import { type Problem, Said, optional } from './parts.js';
import { ChooseBeside, ChooseModes } from './step-choices.js';

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
  /** Ways, by id, of which nobody has said yet where they lead: to the step that comes next, as soon as there is one. */
  readonly guessed: Set<string>;
}

const NO_PROBLEMS: readonly Problem[] = [];

/** Sequences longer than this list the steps to choose from only while one is chosen. */
const LONG = 30;

export function Steps({
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
  const guessed = useRef(new Set<string>());
  const add = (at: number) => {
    const id = newId('s'),
      before = steps[at - 1];
    let n = steps.length + 1;
    while (steps.some((x) => x.name.toLowerCase() === `step ${n}`)) n++;
    const made: Omit<PlanStep, 'ways'> & { ways: readonly Way[] } = { id, name: `Step ${n}`, ways: [] };
    // The step above leads here: as far as it led nowhere, or in between it and the one below.
    const between = before?.ways.findIndex((w) => w.to === steps[at]?.id || guessed.current.has(w.id)) ?? -1;
    if (before && between >= 0 && steps[at]) made.ways = [{ id: newId('w'), to: steps[at].id }];
    onSteps(
      [...steps.slice(0, at), made, ...steps.slice(at)].map((x) =>
        x !== before
          ? x
          : !x.ways.length
            ? { ...x, ways: [{ id: newId('w'), to: id }] }
            : { ...x, ways: x.ways.map((w, k) => (k === between ? { ...w, to: id } : w)) },
      ),
    );
    focusField(`Name of step ${at + 1}`);
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
    guessed: guessed.current,
  };
  const stable = useMemo(
    (): StepHands => ({
      put: (c) => doing.current.put(c),
      move: (i, by) => doing.current.move(i, by),
      add: (i) => doing.current.add(i),
      guessed: guessed.current,
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
              focusField(`Expected time of ${steps[0]!.name}`);
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
  /** Where it leads is a guess: on to the next step, from the last to the first. */
  const firstWay = (): Way => {
    const id = newId('w');
    doing.guessed.add(id);
    return { id, to: steps[i + 1]?.id ?? steps[0]!.id };
  };
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
          // The first stays the same row when it gets its way: Tab out of its condition goes on to the next field.
          key={k ? w!.id : 'first'}
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
                  complete={nameCompletion}
                  marks={false}
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
              complete={nameCompletion}
              marks={false}
              placeholder={!w ? 'when …' : w.for ? 'after' : 'at once'}
              onCommit={(t) => {
                // `after 20 s`, `TempOK for 5 s`: the time goes to its own field, in place of what stood there.
                const timed = timedCondition(t),
                  said = { ...optional('when', timed?.when ?? t), ...optional('for', timed?.for ?? w?.for ?? '') };
                if (w) {
                  const { when: _, for: __, ...rest } = w;
                  changeWay(x, w, { ...rest, ...said });
                } else if (t) change(x, { ways: [{ ...firstWay(), ...said }] });
                return timed && new Shown(timed.when);
              }}
            />
            {live && w && <Waits way={w} live={live} forMs={live.forMs} />}
          </span>
          <span role="cell">
            <EditInPlace
              mono
              value={w?.for ?? ''}
              label={`Condition ${k + 1} of ${x.name} must hold for`}
              placeholder="–"
              onCommit={(t) => {
                if (w) {
                  const { for: _, ...rest } = w;
                  changeWay(x, w, { ...rest, ...optional('for', shortTimes(t)) });
                } else if (t) change(x, { ways: [{ ...firstWay(), for: shortTimes(t) }] });
              }}
            />
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
                  focusField(`Condition ${x.ways.length + 1} of ${x.name}`);
                  return;
                }
                if (e.target.value === '-') {
                  change(x, { ways: x.ways.filter((y) => y !== w) });
                  return;
                }
                if (w) {
                  doing.guessed.delete(w.id);
                  changeWay(x, w, { ...w, to: e.target.value });
                } else change(x, { ways: [{ id: newId('w'), to: e.target.value }] });
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
                  onSteps(steps.map((y) => (y === x ? { ...rest, ...optional('expected', shortTimes(t)) } : y)));
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
                  onSteps(steps.map((y) => (y === x ? { ...rest, ...optional('limit', shortTimes(t)) } : y)));
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
export function Points() {
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
