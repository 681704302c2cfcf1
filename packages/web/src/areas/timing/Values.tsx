/** Tags over time, or one against another: temperature against set-point, force against way. */
import type { EChartsOption } from 'echarts/types/dist/shared';
import { X } from 'lucide-react';
import { useEffect, useMemo, useState } from 'react';
import type { Course } from '@ferrule/core/bench';
import { csvLine } from '@ferrule/core/files';
import { askBench, benchStore, tellBench } from '../../bench/live.js';
import { saveAs } from '../../components/save-as.js';
import { AddTag } from '../../components/TagPicker.js';
import { Button } from '../../components/ui.js';
import { useDocument } from '../../document/store.js';
import { Chart, type Colours, axisLook, tipLook, useColours } from './Chart.js';
import { readTime, seconds } from './times.js';

const MOST_TAGS = 6,
  /** Columns a course is asked in: more than the widest screen has pixels for it. */ COLUMNS = 1600,
  AGAIN_MS = 600;
const NUMBER = /^(U?[SDL]?INT|L?REAL|L?TIME|BYTE|D?WORD)$/i;

export function Values() {
  const project = useDocument((s) => s.project);
  const colours = useColours();
  const [paths, setPaths] = useState<readonly string[]>(() => {
    // What is on the scope and is a number comes first; else the project's first analogue values.
    const typeOf = (p: string) => project?.tags.find((t) => t.name.toLowerCase() === p.toLowerCase())?.type ?? '';
    const onScope = (project?.scope ?? []).filter((p) => NUMBER.test(typeOf(p)));
    return onScope.length
      ? onScope.slice(0, MOST_TAGS)
      : (project?.tags ?? [])
          .filter((t) => /REAL$/i.test(t.type))
          .slice(0, 2)
          .map((t) => t.name);
  });
  const [across, setAcross] = useState(''),
    [between, setBetween] = useState<readonly [string, string]>(['', '']);
  const [from, to] = between.map((t) => (t.trim() ? readTime(t) : undefined)) as [
    number | string | undefined,
    number | string | undefined,
  ];
  const data = useCourses(paths, typeof from === 'number' ? from : undefined, typeof to === 'number' ? to : undefined);
  // What is drawn is what was asked: right after a tag is added that is still the picture without it.
  const against = paths.includes(across) && data?.paths.includes(across) ? across : '';
  const option = useMemo(
    () => (!data ? {} : against ? againstOption(data, against, colours) : overTime(data, colours)),
    [data, against, colours],
  );
  const goTo = (scan: number) => {
    if (!data || !Number.isFinite(scan)) return;
    tellBench({ kind: 'play', running: false });
    tellBench({ kind: 'goTo', scan: Math.max(data.from, Math.min(data.to, Math.round(scan))) });
  };
  const wrong = [from, to].find((x) => typeof x === 'string') as string | undefined;
  const unknown = isOf(data, paths)
    ? paths.filter((p) => !data!.courses.some((c) => c.path === p && c.points.length))
    : [];
  return (
    <>
      <div className="flex shrink-0 flex-wrap items-center gap-x-2 gap-y-1 px-4 pt-2 text-[12.5px]">
        {paths.map((p) => (
          <span key={p} className="flex h-7 items-center gap-1 rounded-full border border-edge bg-sheet pr-1 pl-2.5">
            {p}
            <button
              aria-label={`Without ${p}`}
              className="p-1 text-faint hover:text-bad"
              onClick={() => setPaths(paths.filter((x) => x !== p))}
            >
              <X size={12} />
            </button>
          </span>
        ))}
        <AddTag
          label="Tag to show"
          goes="right"
          disabled={paths.length >= MOST_TAGS}
          onAdd={(p) => {
            if (!paths.includes(p)) setPaths([...paths, p].slice(0, MOST_TAGS));
          }}
        >
          Add a tag
        </AddTag>
        <label className="flex items-center gap-1.5">
          <span className="text-soft">over</span>
          <select
            className="h-7 max-w-52 rounded-md border border-edge bg-sheet px-1.5"
            aria-label="Over"
            value={paths.includes(across) ? across : ''}
            onChange={(e) => setAcross(e.target.value)}
          >
            <option value="">time</option>
            {paths.map((p) => (
              <option key={p} value={p}>
                {p}
              </option>
            ))}
          </select>
        </label>
        {(['from', 'to'] as const).map((which, i) => (
          <label key={which} className="flex items-center gap-1.5">
            <span className="text-soft">{which}</span>
            <input
              className="h-7 w-24 rounded-md border border-edge bg-sheet px-1.5 font-mono"
              aria-label={`Values ${which}`}
              placeholder={i ? 'the end' : 'the start'}
              value={between[i]}
              onKeyDown={(e) => e.stopPropagation()}
              onChange={(e) => setBetween(i ? [between[0], e.target.value] : [e.target.value, between[1]])}
            />
          </label>
        ))}
        <Button
          className="ml-auto"
          disabled={!data?.courses.length || !isOf(data, paths)}
          onClick={() => data && saveAs('values.csv', valuesCsv(data), 'text/csv')}
        >
          CSV
        </Button>
      </div>
      {wrong !== undefined && (
        <p role="alert" className="px-4 pt-1 text-bad">
          {wrong}
        </p>
      )}
      <p role="status" className="px-4 pt-1 text-[12.5px] text-soft">
        {!paths.length
          ? 'Add a tag whose value is a number.'
          : unknown.length
            ? `${unknown.join(', ')}: no number that could be drawn.`
            : data
              ? `${seconds(data.from * data.stepMs)} to ${seconds(data.to * data.stepMs)}${data.isComplete ? '' : ' · the past is being replayed …'} · a click puts the bench on that moment`
              : 'Looking at the run …'}
      </p>
      {data && paths.length > 0 && (
        <div className="flex min-h-0 flex-1 p-3 pt-1.5">
          <Chart
            renderer="canvas"
            className="flex-1 rounded-lg border border-edge bg-sheet"
            label={
              against
                ? `${data.paths.filter((p) => p !== against).join(', ')} against ${against}`
                : `${data.paths.join(', ')} over time`
            }
            option={option}
            onPick={(d) => {
              if (against && Array.isArray(d)) goTo(Number(d[2]));
            }}
            {...(against ? {} : { onPlace: (x: number) => goTo((x * 1000) / data.stepMs) })}
          />
        </div>
      )}
    </>
  );
}

interface Data {
  /** The tags that were asked for. */
  readonly paths: readonly string[];
  readonly courses: readonly Course[];
  readonly from: number;
  readonly to: number;
  readonly stepMs: number;
  readonly isComplete: boolean;
}
function useCourses(paths: readonly string[], fromMs: number | undefined, toMs: number | undefined): Data | undefined {
  const [data, setData] = useState<Data>();
  const key = paths.join('\n');
  useEffect(() => {
    let isOn = true,
      seen = -1,
      timer: ReturnType<typeof setTimeout> | undefined;
    // A new question is asked at once; while the run goes on it is asked again, however fast the run is.
    const again = () => {
      timer = setTimeout(() => void (benchStore.getState().frame?.end === seen ? again() : ask()), AGAIN_MS);
    };
    const ask = async () => {
      seen = benchStore.getState().frame?.end ?? -1;
      const known = await askBench('steps', { paths: [] });
      if (!isOn) return;
      if (!known) return again();
      const from = Math.max(known.start, Math.min(known.end, Math.round((fromMs ?? 0) / known.stepMs))),
        to = Math.max(from, Math.min(known.end, toMs === undefined ? known.end : Math.round(toMs / known.stepMs)));
      const a = await askBench('courses', { paths, from, to, pixels: COLUMNS });
      if (!isOn) return;
      if (!a) return again();
      setData({ paths, courses: a.courses, from, to, stepMs: known.stepMs, isComplete: a.complete });
      if (a.complete) again();
      else timer = setTimeout(() => void ask(), 50);
    };
    void ask();
    return () => {
      isOn = false;
      clearTimeout(timer);
    };
  }, [key, fromMs, toMs]);
  return data;
}

/** Whether the data are the answer for these tags, not for those before a tag was added or taken away. */
const isOf = (data: Data | undefined, paths: readonly string[]): boolean =>
  data !== undefined && data.paths.join('\n') === paths.join('\n');

/** Value of a course after a scan, going forwards: the last of its columns up to there. */
function reader(c: Course): (scan: number) => number {
  let i = 0;
  return (scan) => {
    while (4 * (i + 1) < c.points.length && c.points[4 * (i + 1)]! <= scan) i++;
    return c.points.length ? c.points[4 * i + 3]! : NaN;
  };
}

/** Lines told apart by their dashes as well as by their shade. */
const lineOf = (i: number, c: Colours) => ({
  color: [c.copper, c.ink, c.soft, c.copper, c.ink, c.soft][i % 6]!,
  width: 1.6,
  type: (['solid', 'solid', 'solid', 'dashed', 'dashed', 'dashed'] as const)[i % 6]!,
});

function overTime(d: Data, c: Colours): EChartsOption {
  const at = (scan: number) => (scan * d.stepMs) / 1000;
  return {
    grid: { left: 12, right: 18, top: 34, bottom: 14, containLabel: true },
    legend: { top: 6, textStyle: { color: c.ink }, data: d.courses.map((x) => x.path) },
    tooltip: { ...tipLook(c), trigger: 'axis' },
    dataZoom: [{ type: 'inside' }],
    xAxis: {
      type: 'value',
      name: 's',
      min: at(d.from),
      max: at(d.to),
      nameTextStyle: { color: c.soft },
      ...axisLook(c),
      axisLabel: { ...axisLook(c).axisLabel, showMaxLabel: false },
    },
    yAxis: { type: 'value', scale: true, ...axisLook(c) },
    series: d.courses.map((course, i) => {
      const points: [number, number, number][] = [];
      const width = Math.max(1, (d.to - d.from) / COLUMNS);
      for (let k = 0; k + 3 < course.points.length; k += 4) {
        const [scan, low, high, last] = [0, 1, 2, 3].map((j) => course.points[k + j]!) as [
          number,
          number,
          number,
          number,
        ];
        // A value stands until the next one comes; no slope leads there.
        const before = points.at(-1);
        if (before && scan - before[2] > 2 * width) points.push([at(scan - width), before[1], scan]);
        // A column of several values shows how far they went.
        if (low !== high) points.push([at(scan), low, scan], [at(scan), high, scan]);
        points.push([at(scan), last, scan]);
      }
      const end = points.at(-1);
      if (end) points.push([at(d.to), end[1], d.to]);
      return {
        name: course.path,
        type: 'line' as const,
        step: course.kind === 'trace' ? (false as const) : ('end' as const),
        showSymbol: false,
        triggerLineEvent: false,
        symbolSize: 8,
        lineStyle: lineOf(i, c),
        itemStyle: { color: lineOf(i, c).color },
        data: points,
      };
    }),
  };
}

/** So many moments of the stretch are drawn, evenly apart. */
const MOMENTS = 1500;
function againstOption(d: Data, across: string, c: Colours): EChartsOption {
  const x = d.courses.find((k) => k.path === across);
  const others = d.courses.filter((k) => k.path !== across);
  const count = Math.min(MOMENTS, Math.max(1, d.to - d.from));
  return {
    grid: { left: 12, right: 18, top: 34, bottom: 40, containLabel: true },
    legend: { top: 6, textStyle: { color: c.ink }, data: others.map((k) => k.path) },
    tooltip: { ...tipLook(c), trigger: 'item' },
    xAxis: {
      type: 'value',
      scale: true,
      name: across,
      nameLocation: 'middle',
      nameGap: 26,
      nameTextStyle: { color: c.ink },
      ...axisLook(c),
    },
    yAxis: { type: 'value', scale: true, ...axisLook(c) },
    series: !x
      ? []
      : others.map((k, i) => {
          const read = reader(k),
            readX = reader(x);
          return {
            name: k.path,
            type: 'line' as const,
            showSymbol: true,
            symbol: 'circle',
            symbolSize: 3,
            lineStyle: { ...lineOf(i, c), width: 1 },
            itemStyle: { color: lineOf(i, c).color },
            data: Array.from({ length: count + 1 }, (_, n) => {
              const scan = Math.round(d.from + ((d.to - d.from) * n) / count);
              return [readX(scan), read(scan), scan];
            }),
          };
        }),
  };
}

/**
 * A row a moment, evenly apart: what the chart against another tag is made of, and as close as that for the one over
 * time.
 */
function valuesCsv(d: Data): string {
  const readers = d.courses.map(reader),
    count = Math.min(MOMENTS, Math.max(1, d.to - d.from));
  const rows = Array.from({ length: count + 1 }, (_, n) => {
    const scan = Math.round(d.from + ((d.to - d.from) * n) / count);
    return [String(scan * d.stepMs), ...readers.map((r) => String(r(scan)))];
  });
  return `${[['t_ms', ...d.courses.map((c) => c.path)], ...rows].map(csvLine).join('\r\n')}\r\n`;
}
