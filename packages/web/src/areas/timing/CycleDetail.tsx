/**
 * One cycle: its steps over time with what runs beside it, and for each what it took, what it should and what ended it.
 */
import { ChevronLeft, ChevronRight } from 'lucide-react';
import { useEffect, useMemo, useState } from 'react';
import {
  type ChainLink,
  type Cycle,
  type StepTag,
  type StepTiming,
  type Waiting,
  endingsOf,
  spansOf,
} from '@ferrule/core/bench';
import { type Sequence, stepName } from '@ferrule/core/document';
import { askBench, tellBench } from '../../bench/live.js';
import { askWhy } from '../../components/asking.js';
import { Button, EditInPlace } from '../../components/ui.js';
import { useDocument } from '../../document/store.js';
import { Chart, useColours } from './Chart.js';
import { type BesideData, type StepLook, besideOption } from './options.js';
import { seconds } from './times.js';
import type { Steps } from './use-steps.js';

interface Ended {
  readonly said: string;
  /** Part of the condition: how long it had held, in scans; undefined where it did not. */
  readonly parts: readonly { readonly text: string; readonly held: number | undefined }[];
}

export function CycleDetail({
  cycle,
  isSlowest,
  tag,
  sequence,
  home,
  steps,
  timings,
  other,
  otherMs,
  expected,
  look,
  asked,
  onGoTo,
  onMove,
}: {
  readonly cycle: Cycle;
  readonly isSlowest: boolean;
  readonly tag: StepTag;
  readonly sequence: Sequence | undefined;
  /** The step that cycles are counted from. */ readonly home: number;
  readonly steps: Steps;
  readonly timings: readonly StepTiming[];
  readonly other: readonly StepTiming[] | undefined;
  readonly otherMs: number;
  /** What the plan means steps to last, ms, by lower-case name. */ readonly expected: ReadonlyMap<string, number>;
  readonly look: StepLook;
  readonly asked: readonly string[];
  readonly onGoTo: (scan: number) => void;
  readonly onMove: (by: number) => void;
}) {
  const colours = useColours(),
    { stepMs } = steps;
  const ended = useEnded(cycle, tag, sequence, home);
  const chain = useChain(cycle, tag, asked);
  const tracks = useMemo(
    () =>
      asked.flatMap((path) => {
        const points = steps.points.get(path);
        return points ? [{ path, spans: spansOf(points, steps.start, steps.end) }] : [];
      }),
    [asked, cycle, steps.points],
  );
  const names = new Map(steps.tags.map((t) => [t.path, t.names]));
  const nameIn = (path: string, v: number) => names.get(path)?.[v] ?? String(v);
  const beside = useMemo(
    () => besideOption(tracks, cycle.from, cycle.to, stepMs, nameIn, look, chain?.chain ?? [], colours),
    [tracks, cycle, stepMs, look, chain, colours],
  );
  return (
    <>
      <section
        aria-label="The cycle over time"
        className="flex min-h-0 min-w-0 flex-col rounded-lg border border-edge bg-sheet"
      >
        <h2 className="flex shrink-0 items-center gap-1 px-3 pt-1.5 text-[12.5px]">
          <span className="text-soft">
            <b className="text-ink">Cycle {cycle.number}</b>
            {isSlowest ? ', the slowest' : ''} · {seconds((cycle.to - cycle.from) * stepMs)} from{' '}
            {seconds(cycle.from * stepMs)} on
          </span>
          <span className="ml-auto flex">
            <Button look="quiet" tight aria-label="Cycle before" onClick={() => onMove(-1)}>
              <ChevronLeft size={14} />
            </Button>
            <Button look="quiet" tight aria-label="Cycle after" onClick={() => onMove(1)}>
              <ChevronRight size={14} />
            </Button>
          </span>
        </h2>
        <Chart
          className="flex-1"
          label="Steps of the cycle over time, those beside it below each other"
          option={beside}
          onPick={(d) => {
            const [, from] = d as BesideData;
            if (from !== undefined) onGoTo(from);
          }}
        />
        {chain && asked.length > 1 && <Waits chain={chain} nameIn={nameIn} stepMs={stepMs} onGoTo={onGoTo} />}
      </section>
      <section
        aria-label="Steps of the cycle"
        className="flex min-h-0 min-w-0 flex-col overflow-y-auto rounded-lg border border-edge bg-sheet"
      >
        <table className="w-full text-[12px]">
          <thead className="sticky top-0 bg-sheet text-left text-soft">
            <tr>
              <th className="py-1 pl-3 font-normal">Step</th>
              <th className="px-1 text-right font-normal">took</th>
              <th className="px-1 text-right font-normal">median</th>
              {other && <th className="px-1 text-right font-normal">compared</th>}
              {sequence && <th className="px-1 text-right font-normal">meant</th>}
              <th className="px-1 text-right font-normal">share</th>
              <th className="py-1 pr-3 pl-2 font-normal">ended by</th>
            </tr>
          </thead>
          <tbody>
            {cycle.pieces.map((p, i) => {
              const name = look.nameOf(p.value),
                took = (p.to - p.from) * stepMs,
                t = timings.find((x) => x.value === p.value),
                meant = expected.get(name.toLowerCase()),
                e = ended?.[i];
              return (
                <tr key={p.from} className="border-t border-edge align-top">
                  <td className="py-1 pl-3 whitespace-nowrap">
                    <span
                      aria-hidden
                      className="mr-1.5 inline-block h-2.5 w-2.5 rounded-[2px] border border-ink/40"
                      style={{ background: look.colours[look.values.indexOf(p.value)] }}
                    />
                    <button
                      className="underline decoration-edge underline-offset-2 hover:text-copper-ink"
                      title="Puts the bench at its beginning"
                      onClick={() => onGoTo(p.from)}
                    >
                      {name}
                    </button>
                  </td>
                  <td
                    className={`px-1 py-1 text-right whitespace-nowrap tabular-nums ${meant !== undefined && took > meant + stepMs / 2 ? 'font-semibold text-bad' : ''}`}
                  >
                    {seconds(took)}
                  </td>
                  <td className="px-1 py-1 text-right whitespace-nowrap text-soft tabular-nums">
                    {t ? seconds(t.spread.median * stepMs) : ''}
                  </td>
                  {other && (
                    <td className="px-1 py-1 text-right whitespace-nowrap text-soft tabular-nums">
                      {((o) => (o ? seconds(o.spread.median * otherMs) : '–'))(other.find((x) => x.value === p.value))}
                    </td>
                  )}
                  {sequence && (
                    <td className="w-16 px-1 text-right tabular-nums">
                      <Meant sequence={sequence} name={name} />
                    </td>
                  )}
                  <td className="px-1 py-1 text-right whitespace-nowrap text-soft tabular-nums">
                    {t ? `${Math.round(t.share * 100)} %` : ''}
                  </td>
                  <td className="py-1 pr-3 pl-2">
                    {e ? <EndedBy ended={e} stepMs={stepMs} tookMs={took} /> : null}
                    <button
                      className={`${e ? 'ml-1' : ''} text-copper-ink underline`}
                      aria-label={`Why did ${name} end?`}
                      onClick={() => {
                        onGoTo(p.to);
                        void askWhy(tag.path, p.to);
                      }}
                    >
                      why
                    </button>
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
        {sequence && <TakeMedians sequence={sequence} timings={timings} look={look} stepMs={stepMs} />}
      </section>
    </>
  );
}

function EndedBy({
  ended,
  stepMs,
  tookMs,
}: {
  readonly ended: Ended;
  readonly stepMs: number;
  readonly tookMs: number;
}) {
  const since = (held: number | undefined): string =>
    held === undefined
      ? 'was not seen to hold'
      : held === 0
        ? 'came with it'
        : held * stepMs >= tookMs - stepMs / 2
          ? 'since its beginning'
          : `${seconds(held * stepMs)} before`;
  const isOne = ended.parts.length === 1;
  return (
    <>
      {ended.said}
      {ended.parts.length > 0 && (
        <span className="text-soft">
          {': '}
          {ended.parts.map((p) => `${isOne ? '' : `${p.text} `}${since(p.held)}`).join(', ')}
        </span>
      )}
    </>
  );
}

/** What ended each piece of a cycle, by the plan; undefined where there is none or it says nothing of it. */
function useEnded(
  cycle: Cycle,
  tag: StepTag,
  sequence: Sequence | undefined,
  home: number,
): readonly (Ended | undefined)[] | undefined {
  const [found, setFound] = useState<readonly (Ended | undefined)[]>();
  useEffect(() => {
    setFound(undefined);
    let isOn = true;
    const name = (v: number) => tag.names[v] ?? String(v);
    // Behind the last one comes the step that cycles are counted from.
    const endings = cycle.pieces.map((p, i) =>
      sequence ? endingsOf(sequence, name(p.value), name(cycle.pieces[i + 1]?.value ?? home)) : [],
    );
    const texts = [...new Set(endings.flat().flatMap((e) => e.parts))];
    tellBench({ kind: 'conditions', texts });
    void Promise.all(
      cycle.pieces.map(async (p, i): Promise<Ended | undefined> => {
        const list = endings[i]!;
        if (!list.length) return byLogic(tag.path, p.to);
        const parts = [...new Set(list.flatMap((e) => e.parts))],
          held = parts.length ? await askBench('ended', { scan: p.to, from: p.from, texts: parts }) : [];
        const of = (text: string) => ({ text, held: held?.find((h) => h.text === text)?.held });
        // The first whose condition was seen to hold as a whole; a limit where no way does.
        const way =
          list.find((e) => e.kind === 'way' && e.parts.every((x) => of(x).held !== undefined)) ??
          list.find((e) => e.kind === 'limit') ??
          list[0]!;
        return { said: way.said, parts: way.parts.map(of) };
      }),
    ).then((all) => {
      if (isOn) setFound(all);
    });
    return () => {
      isOn = false;
    };
  }, [cycle, tag, sequence, home]);
  useEffect(() => () => tellBench({ kind: 'conditions', texts: [] }), []);
  return found;
}

/** What the run itself says of a change that no plan speaks of: which rung or line made it, and by what. */
async function byLogic(path: string, scan: number): Promise<Ended | undefined> {
  const answer = await askBench('why', { path, scan });
  const first = answer && !('error' in answer) ? answer.links[0] : undefined,
    words = first && /: (.+?)\.?$/.exec(first.sentence)?.[1];
  return words ? { said: words, parts: [] } : undefined;
}

interface Chain {
  readonly chain: readonly ChainLink[];
  readonly waits: readonly Waiting[];
  readonly isCut: boolean;
}
function useChain(cycle: Cycle, tag: StepTag, asked: readonly string[]): Chain | undefined {
  const [chain, setChain] = useState<Chain>();
  useEffect(() => {
    setChain(undefined);
    if (asked.length < 2) return undefined;
    let isOn = true;
    void askBench('chain', { paths: asked, path: tag.path, from: cycle.from, to: cycle.to }).then((c) => {
      if (isOn) setChain(c);
    });
    return () => {
      isOn = false;
    };
  }, [cycle, tag.path, asked]);
  return chain;
}

function Waits({
  chain,
  nameIn,
  stepMs,
  onGoTo,
}: {
  readonly chain: Chain;
  readonly nameIn: (path: string, v: number) => string;
  readonly stepMs: number;
  readonly onGoTo: (scan: number) => void;
}) {
  const crossed = chain.chain.filter((l, i) => i > 0 && chain.chain[i - 1]!.path !== l.path).length;
  return (
    <div role="status" className="max-h-20 shrink-0 overflow-y-auto px-3 pb-1.5 text-[12px] text-soft">
      {chain.waits.length
        ? chain.waits.map((w) => (
            <button key={`${w.path} ${w.at}`} className="mr-3 underline" onClick={() => onGoTo(w.at)}>
              {w.path} waited {seconds(w.scans * stepMs)} in {nameIn(w.path, w.value)} for {w.forPath}
            </button>
          ))
        : 'None waited for another. '}
      {crossed > 0 && 'The longest chain is framed. '}
      {chain.isCut && 'Not all causes could be followed in the time there was.'}
    </div>
  );
}

/** The time a step is meant to last, in its plan. */
function Meant({ sequence, name }: { readonly sequence: Sequence; readonly name: string }) {
  const edit = useDocument((s) => s.edit);
  const step = sequence.steps.find((s) => stepName(s).toLowerCase() === name.toLowerCase());
  if (!step) return <span className="text-faint">–</span>;
  return (
    <EditInPlace
      mono
      value={step.expected ?? ''}
      label={`Meant time of ${name}`}
      placeholder="–"
      onCommit={(t) => {
        const { plan } = useDocument.getState().project!;
        if (!plan) return;
        edit({
          kind: 'changePlan',
          plan: {
            ...plan,
            sequences: plan.sequences.map((s) =>
              s.id !== sequence.id
                ? s
                : { ...s, steps: s.steps.map((x) => (x.id === step.id ? withExpected(x, t.trim()) : x)) },
            ),
          },
        });
      }}
    />
  );
}
const withExpected = <T extends { readonly expected?: string }>(step: T, text: string): T => {
  const { expected: _, ...rest } = step;
  return (text ? { ...rest, expected: text } : rest) as T;
};

function TakeMedians({
  sequence,
  timings,
  look,
  stepMs,
}: {
  readonly sequence: Sequence;
  readonly timings: readonly StepTiming[];
  readonly look: StepLook;
  readonly stepMs: number;
}) {
  const take = () => {
    const { project, edit } = useDocument.getState(),
      plan = project?.plan;
    if (!plan) return;
    const ms = new Map(timings.map((t) => [look.nameOf(t.value).toLowerCase(), t.spread.median * stepMs]));
    edit({
      kind: 'changePlan',
      plan: {
        ...plan,
        sequences: plan.sequences.map((s) =>
          s.id !== sequence.id
            ? s
            : {
                ...s,
                steps: s.steps.map((x) => {
                  const m = ms.get(stepName(x).toLowerCase());
                  return m === undefined
                    ? x
                    : withExpected(x, m < 1000 ? `${Math.round(m)} ms` : `${Number((m / 1000).toFixed(2))} s`);
                }),
              },
        ),
      },
    });
  };
  return (
    <p className="px-3 py-1.5">
      <Button
        look="quiet"
        tight
        title="Writes the medians into the plan, as the times that steps are meant to last"
        onClick={take}
      >
        Take the medians as meant times
      </Button>
    </p>
  );
}
