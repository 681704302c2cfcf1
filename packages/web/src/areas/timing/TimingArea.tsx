/**
 * Timing: how long each step of each cycle took, over any stretch and line of history; and tags over time, one against
 * another.
 *
 * Timing (`areas/timing`) asks the bench for the exact changes of step tags and counts cycles in the page; step tags
 * are traced from the first scan on, so a day of them is told without replay. What ended a step is looked up in the
 * run (`ended`, `chain`: questions of the bench worker); another revision's logic is given the same inputs in a worker
 * of its own (`replay.worker.ts`). Its charts are Apache ECharts, loaded with the area.
 */
import { sameName, many } from '@ferrule/core/language';
import { useMemo, useState } from 'react';
import { useSearchParams } from 'react-router';
import {
  type Cycle,
  type StepSpan,
  type StepTag,
  cyclesOf,
  cyclesToCsv,
  expectedMs,
  homeOf,
  spansOf,
  spreadOf,
  stepTimings,
} from '@ferrule/core/bench';
import { tellBench, useBench } from '../../bench/live.js';
import { saveAs } from '../../components/save-as.js';
import { Button } from '../../components/ui.js';
import { newId, useDocument } from '../../document/store.js';
import { Chart, useColours } from './Chart.js';
import { CycleDetail } from './CycleDetail.js';
import { type PieceData, barsOption, lookOf, spreadOption } from './options.js';
import { readTime, seconds } from './times.js';
import { type With, useComparison } from './use-comparison.js';
import { type Steps, useSteps } from './use-steps.js';
import { AnotherNumber, type Stretch, Tools } from './Tools.js';
import { Values } from './Values.js';

/** Bars drawn at a time; the stretch goes on to the left and right of them. */
const MOST_BARS = 120;
const NONE: readonly string[] = [];

export function TimingArea() {
  const [search, setSearch] = useSearchParams();
  const isValues = search.get('view') === 'values';
  return (
    <div className="flex h-full min-h-0 flex-col">
      <div className="flex shrink-0 flex-wrap items-center gap-1.5 px-4 pt-2.5">
        <h1 className="mr-2 text-[15px] font-semibold">Timing</h1>
        {(['cycles', 'values'] as const).map((v) => (
          <button
            key={v}
            aria-pressed={(v === 'values') === isValues}
            onClick={() => setSearch(v === 'values' ? { view: 'values' } : {})}
            className={`h-7 border-b-2 px-1.5 ${(v === 'values') === isValues ? 'border-copper font-medium' : 'border-transparent text-soft hover:text-ink'}`}
          >
            {v === 'cycles' ? 'Cycles and steps' : 'Values'}
          </button>
        ))}
      </div>
      {isValues ? <Values /> : <Cycles />}
    </div>
  );
}

/** The cycles of a stretch, and which of them are drawn. */
function Cycles() {
  const [asked, setAsked] = useState<readonly string[]>(NONE);
  const [homes, setHomes] = useState<Readonly<Record<string, number>>>({});
  const [stretch, setStretch] = useState<Stretch>({ kind: 'all' }),
    [between, setBetween] = useState<readonly [string, string]>(['', '']);
  const [against, setAgainst] = useState<With>();
  const [chosen, setChosen] = useState<number>(),
    [first, setFirst] = useState<number>();
  const runs = useBench((s) => s.checked?.runs);
  const known = useSteps(asked);
  const path = asked[0] ?? known?.tags[0]?.path;
  if (known && path !== undefined && !asked.length) setAsked([path]);
  if (runs === false) return <Words text="Nothing runs yet: mend the logic first; the problems are in the top bar." />;
  if (!known) return <Words text="Looking at the run …" />;
  if (!known.tags.length)
    return (
      <>
        <Words text="No tag of this project holds steps. Timing looks at tags and variables whose type is an enumeration, at whole numbers whose values have names (Tags, Values) or that a CASE chooses by or contacts compare with several numbers, and at the steps of the plan. Any other whole number can be named here." />
        <div className="w-64 px-4">
          <AnotherNumber onAsk={(p) => setAsked([p])} />
        </div>
      </>
    );
  const tag = known.tags.find((t) => t.path === path);
  return (
    <OfTag
      key={`${path}`}
      steps={known}
      tag={tag ?? known.tags[0]!}
      asked={asked}
      onAsk={(paths) => {
        setAsked(paths);
        if (paths[0] !== asked[0]) {
          setChosen(undefined);
          setFirst(undefined);
        }
      }}
      home={homes[path ?? '']}
      onHome={(v) => setHomes({ ...homes, [path ?? '']: v })}
      stretch={stretch}
      onStretch={setStretch}
      between={between}
      onBetween={setBetween}
      against={against}
      onAgainst={setAgainst}
      chosen={chosen}
      onChoose={setChosen}
      first={first}
      onFirst={setFirst}
    />
  );
}

const Words = ({ text }: { readonly text: string }) => (
  <p role="status" className="max-w-xl p-4 text-soft">
    {text}
  </p>
);

function OfTag({
  steps,
  tag,
  asked,
  onAsk,
  home: homeAsked,
  onHome,
  stretch,
  onStretch,
  between,
  onBetween,
  against,
  onAgainst,
  chosen,
  onChoose,
  first,
  onFirst,
}: {
  readonly steps: Steps;
  readonly tag: StepTag;
  readonly asked: readonly string[];
  readonly onAsk: (paths: readonly string[]) => void;
  readonly home: number | undefined;
  readonly onHome: (v: number) => void;
  readonly stretch: Stretch;
  readonly onStretch: (s: Stretch) => void;
  readonly between: readonly [string, string];
  readonly onBetween: (b: readonly [string, string]) => void;
  readonly against: With | undefined;
  readonly onAgainst: (w: With | undefined) => void;
  readonly chosen: number | undefined;
  readonly onChoose: (n: number | undefined) => void;
  /** Place of the first bar drawn; the last ones when undefined. */ readonly first: number | undefined;
  readonly onFirst: (n: number | undefined) => void;
}) {
  const colours = useColours();
  const plan = useDocument((s) => s.project?.plan);
  const sequence = plan?.sequences.find((q) => q.id === tag.sequence);
  const { stepMs } = steps;
  const nameOf = (v: number) => tag.names[v] ?? String(v);
  const points = steps.points.get(tag.path);
  const spans = useMemo(
    () => (points ? spansOf(points, steps.start, steps.end) : []),
    [points, steps.start, steps.end],
  );
  const home = homeAsked ?? homeOf(spans, tag.first);
  const all = useMemo(() => (home === undefined ? undefined : cyclesOf(spans, home)), [spans, home]);
  const [from, to] = between.map((t) => (t.trim() ? readTime(t) : undefined)) as [
    number | string | undefined,
    number | string | undefined,
  ];
  const cycles = useMemo(
    (): readonly Cycle[] =>
      !all
        ? []
        : stretch.kind === 'last'
          ? all.closed.slice(-stretch.count)
          : stretch.kind === 'between'
            ? all.closed.filter(
                (c) =>
                  (typeof from !== 'number' || c.from * stepMs >= from) &&
                  (typeof to !== 'number' || c.to * stepMs <= to),
              )
            : all.closed,
    [all, stretch, from, to, stepMs],
  );
  const timings = useMemo(() => stepTimings(cycles), [cycles]);
  const cycle = useMemo(() => spreadOf(cycles.map((c) => c.to - c.from)), [cycles]);
  const idle = useMemo(() => cycles.reduce((n, c) => n + (c.idle ?? 0), 0), [cycles]);
  const look = useMemo(
    () =>
      lookOf(
        timings.map((t) => t.value),
        nameOf,
        colours,
      ),
    [timings.map((t) => t.value).join(), tag, colours],
  );
  const slowest = useMemo(
    () => cycles.reduce<Cycle | undefined>((a, c) => (a && a.to - a.from >= c.to - c.from ? a : c), undefined),
    [cycles],
  );
  const at = Math.max(0, Math.min(first ?? Infinity, cycles.length - MOST_BARS)),
    drawn = useMemo(() => cycles.slice(at, at + MOST_BARS), [cycles, at]);
  const shown = cycles.find((c) => c.number === chosen) ?? slowest;
  const expected = useMemo(() => (sequence ? expectedMs(sequence) : new Map<string, number>()), [sequence]);
  const compared = useComparison(tag.path, against),
    other = useMemo(() => {
      if (!compared || !('points' in compared) || home === undefined) return undefined;
      const closed = cyclesOf(spansOf(compared.points, compared.start, compared.end), home).closed;
      return {
        closed,
        timings: stepTimings(closed),
        spread: spreadOf(closed.map((c) => c.to - c.from)),
        ms: compared.stepMs,
      };
    }, [compared, home]);
  const bars = useMemo(
    () => barsOption(drawn, stepMs, look, colours, shown?.number),
    [drawn, stepMs, look, colours, shown?.number],
  );
  const spread = useMemo(
    () => spreadOption(timings, other?.timings, expected, stepMs, other?.ms ?? stepMs, look, colours),
    [timings, other, expected, stepMs, look, colours],
  );
  const goTo = (scan: number) => {
    tellBench({ kind: 'play', running: false });
    tellBench({ kind: 'goTo', scan });
  };
  const choose = (c: Cycle | undefined, scan?: number) => {
    if (!c) return;
    onChoose(c.number);
    const i = cycles.indexOf(c);
    if (i < at || i >= at + MOST_BARS) onFirst(Math.max(0, i - MOST_BARS / 2));
    if (scan !== undefined) goTo(scan);
  };
  const moveTo = (by: number) => {
    const i = shown ? cycles.indexOf(shown) : -1;
    choose(cycles[Math.max(0, Math.min(cycles.length - 1, i + by))]);
  };
  /** Where a cycle that has not closed has got to: a click shows how it got there. */
  const standing = (span: StepSpan | undefined, words: string) =>
    span && (
      <>
        {words}
        <button
          className="text-copper-ink underline"
          title="Puts the bench where this step began"
          onClick={() => goTo(span.from)}
        >
          {nameOf(span.value)} {span.isBegun ? 'for' : 'for at least'} {seconds((span.to - span.from) * stepMs)}
        </button>
        {words.startsWith(' ') && '.'}
      </>
    );
  const why = noCycles(
    all?.closed.length ?? 0,
    cycles.length,
    spans.length,
    home === undefined ? '' : nameOf(home),
    stretch,
  );
  return (
    <>
      <Tools
        steps={steps}
        tag={tag}
        asked={asked}
        onAsk={onAsk}
        home={home}
        nameOf={nameOf}
        values={[...new Set(spans.map((s) => s.value))]}
        onHome={onHome}
        stretch={stretch}
        onStretch={onStretch}
        between={between}
        onBetween={onBetween}
        wrong={[from, to].find((x) => typeof x === 'string') as string | undefined}
        against={against}
        onAgainst={onAgainst}
      >
        <Button
          disabled={!cycles.length}
          onClick={() => saveAs(`${tag.path} cycles.csv`, cyclesToCsv(cycles, stepMs, nameOf), 'text/csv')}
        >
          CSV
        </Button>
        <Keep tag={tag} cycles={cycles} stepMs={stepMs} nameOf={nameOf} expected={expected} />
      </Tools>
      <p role="status" className="shrink-0 px-4 pt-1 text-[12.5px]">
        {cycle ? (
          <>
            <b>{many(cycle.count, 'cycle')}</b>: {seconds(cycle.smallest * stepMs)} shortest,{' '}
            {seconds(cycle.median * stepMs)} median,{' '}
            <button
              className="font-semibold text-copper-ink underline"
              title="Puts the bench at the beginning of the slowest cycle"
              onClick={() => slowest && choose(slowest, slowest.from)}
            >
              {seconds(cycle.largest * stepMs)} longest, cycle {slowest?.number}
            </button>
            <span className="text-soft">
              {idle > 0 && ` · ${seconds(idle * stepMs)} in ${nameOf(home!)} between them`}
              {all?.open && ` · one runs since ${seconds((all.open.to - all.open.from) * stepMs)}`}
              {standing(all?.open?.pieces.at(-1), ', in ')}
              {other?.spread &&
                ` · compared with ${many(other.spread.count, 'cycle')}, median ${seconds(other.spread.median * other.ms)} (${difference(cycle.median * stepMs, other.spread.median * other.ms)})`}
              {other && !other.spread && ' · no cycle closed in what it is compared with'}
            </span>
          </>
        ) : (
          <span className="text-soft">
            {why}
            {spans.length > 1 && !all?.closed.length && standing(spans.at(-1), ' It stands in ')}
          </span>
        )}
        {!steps.isComplete && <span className="text-soft"> · the past is being replayed …</span>}
        {compared?.words && <span className="text-soft"> · {compared.words}</span>}
      </p>
      {cycle && shown && (
        <div className="grid min-h-0 flex-1 grid-cols-[minmax(0,1.35fr)_minmax(0,1fr)] grid-rows-[minmax(120px,1fr)_minmax(120px,1.1fr)] gap-3 p-3 pt-1.5">
          <section
            aria-label="Cycles"
            tabIndex={0}
            onKeyDown={(e) => {
              const by = { ArrowLeft: -1, ArrowRight: 1, PageUp: -10, PageDown: 10, Home: -Infinity, End: Infinity }[
                e.key
              ];
              if (by !== undefined && !e.altKey && !e.ctrlKey && !e.metaKey) {
                e.preventDefault();
                e.stopPropagation();
                moveTo(by);
              }
              if (e.key === 'Enter') goTo(shown.from);
            }}
            className="relative flex min-h-0 min-w-0 flex-col rounded-lg border border-edge bg-sheet"
          >
            <h2 className="sr-only">Cycles</h2>
            <Chart
              className="flex-1"
              label={`A bar for each of ${many(drawn.length, 'cycle')}, made of its steps`}
              option={bars}
              onPick={(d) => {
                const [i, , , , scan] = d as PieceData;
                choose(drawn[i], scan);
              }}
            />
            {cycles.length > MOST_BARS && (
              <span className="absolute top-1 right-2 flex items-center gap-1.5 text-[11.5px] text-soft">
                {drawn[0]?.number} to {drawn.at(-1)?.number} of {many(cycles.length, 'cycle')}
                <Button look="quiet" tight disabled={at === 0} onClick={() => onFirst(Math.max(0, at - MOST_BARS))}>
                  earlier
                </Button>
                <Button
                  look="quiet"
                  tight
                  disabled={at + MOST_BARS >= cycles.length}
                  onClick={() => onFirst(at + 2 * MOST_BARS >= cycles.length ? undefined : at + MOST_BARS)}
                >
                  later
                </Button>
              </span>
            )}
          </section>
          <section
            aria-label="Spread of each step"
            className="flex min-h-0 min-w-0 flex-col rounded-lg border border-edge bg-sheet"
          >
            <Chart
              className="flex-1"
              label="For each step its shortest, quarter, median and longest time"
              option={spread}
            />
          </section>
          <CycleDetail
            key={shown.number}
            cycle={shown}
            isSlowest={shown === slowest && cycle.largest > cycle.smallest}
            home={home!}
            tag={tag}
            sequence={sequence}
            steps={steps}
            timings={timings}
            other={other?.timings}
            otherMs={other?.ms ?? stepMs}
            expected={expected}
            look={look}
            asked={asked}
            onGoTo={goTo}
            onMove={moveTo}
          />
        </div>
      )}
    </>
  );
}

const difference = (now: number, then: number): string =>
  Math.abs(now - then) < 0.05
    ? 'the same'
    : now > then
      ? `${seconds(now - then)} longer now`
      : `${seconds(then - now)} shorter now`;

/** Why there is nothing to show, and what to do about it. */
function noCycles(closed: number, within: number, spans: number, home: string, stretch: Stretch): string {
  if (closed && !within)
    return stretch.kind === 'between'
      ? `None of ${many(closed, 'cycle')} lies as a whole between these times.`
      : 'No cycle lies in this stretch.';
  if (spans <= 1)
    return `It has stood in ${home || 'one step'} all the time. A cycle begins when that is left: start the machine.`;
  return `No cycle has closed yet: one runs from ${home} left to ${home} entered again. Let the machine come round, or count from another step.`;
}

/** Keeps the figures with the project: they stand in its report from then on. */
function Keep({
  tag,
  cycles,
  stepMs,
  nameOf,
  expected,
}: {
  readonly tag: StepTag;
  readonly cycles: readonly Cycle[];
  readonly stepMs: number;
  readonly nameOf: (v: number) => string;
  readonly expected: ReadonlyMap<string, number>;
}) {
  const kept = useDocument((s) => s.project?.bench?.timings) ?? [];
  const edit = useDocument((s) => s.edit);
  const mine = kept.filter((k) => sameName(k.of, tag.path));
  const keep = () => {
    const s = spreadOf(cycles.map((c) => c.to - c.from))!,
      ms = (n: number) => Number((n * stepMs).toFixed(3));
    const made = {
      id: newId('g'),
      name: `${tag.path}, ${many(s.count, 'cycle')}`,
      of: tag.path,
      at: new Date().toISOString(),
      revision: useDocument.getState().revision,
      cycles: s.count,
      smallest: ms(s.smallest),
      median: ms(s.median),
      largest: ms(s.largest),
      steps: stepTimings(cycles).map((t) => {
        const meant = expected.get(nameOf(t.value).toLowerCase());
        return {
          name: nameOf(t.value),
          smallest: ms(t.spread.smallest),
          median: ms(t.spread.median),
          largest: ms(t.spread.largest),
          share: Number(t.share.toFixed(4)),
          ...(meant === undefined ? {} : { expected: meant }),
        };
      }),
    };
    edit({ kind: 'changeBench', to: { timings: [...kept, made] } });
  };
  return (
    <>
      <Button disabled={!cycles.length} title="These figures stand in the report from then on" onClick={keep}>
        Keep for the report{mine.length ? ` · ${mine.length} kept` : ''}
      </Button>
      {mine.length > 0 && (
        <Button
          look="quiet"
          tight
          onClick={() => edit({ kind: 'changeBench', to: { timings: kept.filter((k) => k !== mine.at(-1)) } })}
        >
          forget the last
        </Button>
      )}
    </>
  );
}
