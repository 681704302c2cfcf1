/** What the charts of Timing show, as options of ECharts. Times in ms; a scan is `stepMs`. */
import type { Cycle, StepTiming, Track, ChainLink } from '@ferrule/core/bench';
import type { CustomSeriesRenderItem, EChartsOption } from 'echarts/types/dist/shared';
import { type Colours, axisLook, shades, tipLook } from './Chart.js';
import { seconds } from './times.js';

export interface StepLook {
  /** Values in the order of their colours. */ readonly values: readonly number[];
  readonly nameOf: (value: number) => string;
  readonly colours: readonly string[];
}
export function lookOf(values: readonly number[], nameOf: (v: number) => string, c: Colours): StepLook {
  return { values, nameOf, colours: shades(values.length, c.isDark) };
}
const colourOf = (look: StepLook, value: number): string => look.colours[look.values.indexOf(value)] ?? '#888';

const escaped = (s: string): string => s.replace(/[&<>]/g, (x) => `&#${x.charCodeAt(0)};`);
const secondsLabel = (ms: number): string => (ms % 1000 ? (ms / 1000).toFixed(ms % 100 ? 2 : 1) : String(ms / 1000));

/**
 * What a click on a piece hands over: the cycle's place in the list, begin and end of the piece in scans, its value.
 */
export type PieceData = readonly [cycle: number, begins: number, ends: number, value: number, scan: number];

/** A bar a cycle, its steps one on the other. `chosen`: the cycle that is looked at, by its number. */
export function barsOption(
  cycles: readonly Cycle[],
  stepMs: number,
  look: StepLook,
  c: Colours,
  chosen: number | undefined,
): EChartsOption {
  const data = cycles.flatMap((cycle, i) =>
    cycle.pieces.map((p): number[] => [
      i,
      (p.from - cycle.from) * stepMs,
      (p.to - cycle.from) * stepMs,
      p.value,
      p.from,
    ]),
  );
  const draw: CustomSeriesRenderItem = (_, api) => {
    const i = Number(api.value(0)),
      from = api.coord([i, Number(api.value(1))]) as [number, number],
      to = api.coord([i, Number(api.value(2))]) as [number, number];
    const wide = (api.size!([1, 0]) as number[])[0]!,
      width = Math.max(1, Math.min(44, wide * 0.72)),
      isChosen = cycles[i]?.number === chosen;
    return {
      type: 'rect',
      // Under the pointer a piece keeps its colour: that is how it is known.
      emphasisDisabled: true,
      shape: { x: from[0] - width / 2, y: to[1], width, height: Math.max(0.5, from[1] - to[1]) },
      style: {
        fill: colourOf(look, Number(api.value(3))),
        stroke: isChosen ? c.ink : c.sheet,
        lineWidth: isChosen ? 1.6 : width > 6 ? 1 : 0,
      },
      z2: isChosen ? 2 : 1,
    };
  };
  return {
    grid: { left: 46, right: 8, top: 22, bottom: 24 },
    tooltip: {
      ...tipLook(c),
      trigger: 'item',
      formatter: (p) => {
        const d = (p as unknown as { data: PieceData }).data,
          cycle = cycles[d[0]]!;
        return `Cycle ${cycle.number}, ${seconds((cycle.to - cycle.from) * stepMs)}<br>${escaped(look.nameOf(d[3]))} ${seconds(d[2] - d[1])}`;
      },
    },
    xAxis: {
      type: 'category',
      data: cycles.map((x) => String(x.number)),
      ...axisLook(c),
      axisTick: { show: false },
    },
    yAxis: {
      type: 'value',
      name: 's',
      nameTextStyle: { color: c.soft, align: 'right' },
      ...axisLook(c),
      axisLabel: { ...axisLook(c).axisLabel, formatter: secondsLabel },
    },
    series: [
      {
        type: 'custom',
        renderItem: draw,
        data,
        encode: { x: 0, y: [1, 2] },
        dimensions: ['cycle', 'begins', 'ends', 'step', 'scan'],
        clip: true,
      },
    ],
  };
}

/**
 * For each step how its times are spread; a second colour for what it is compared with, a mark for what the plan means.
 */
export function spreadOption(
  steps: readonly StepTiming[],
  other: readonly StepTiming[] | undefined,
  expected: ReadonlyMap<string, number>,
  stepMs: number,
  otherMs: number,
  look: StepLook,
  c: Colours,
): EChartsOption {
  const shown = [...steps].reverse(),
    names = shown.map((s) => look.nameOf(s.value));
  const five = (t: StepTiming | undefined, ms: number) =>
    t
      ? [t.spread.smallest, t.spread.lower, t.spread.median, t.spread.upper, t.spread.largest].map((n) => n * ms)
      : ['-', '-', '-', '-', '-'];
  const sizes: [number, number] = other ? [5, 11] : [7, 18];
  return {
    grid: { left: 8, right: 14, top: 8, bottom: 22, containLabel: true },
    tooltip: {
      ...tipLook(c),
      trigger: 'item',
      formatter: (p) => {
        const { name, value, seriesName } = p as unknown as { name: string; value: number[]; seriesName: string };
        if (value.length < 5) return `${escaped(name)}: meant to last ${seconds(value[0]!)}`;
        const v = value.slice(-5);
        return `${escaped(name)}${seriesName === 'other' ? ', compared with' : ''}<br>smallest ${seconds(v[0]!)}<br>quarters ${seconds(v[1]!)} and ${seconds(v[3]!)}<br>median ${seconds(v[2]!)}<br>largest ${seconds(v[4]!)}`;
      },
    },
    xAxis: { type: 'value', min: 0, ...axisLook(c), axisLabel: { ...axisLook(c).axisLabel, formatter: secondsLabel } },
    yAxis: {
      type: 'category',
      data: names,
      ...axisLook(c),
      axisTick: { show: false },
      axisLabel: { color: c.ink, fontSize: 12, width: 120, overflow: 'truncate' },
    },
    series: [
      {
        name: 'this',
        type: 'boxplot',
        boxWidth: sizes,
        data: shown.map((s) => ({
          value: five(s, stepMs) as number[],
          itemStyle: { color: colourOf(look, s.value), borderColor: c.ink, borderWidth: 1.2 },
        })),
      },
      ...(other
        ? [
            {
              name: 'other',
              type: 'boxplot' as const,
              boxWidth: sizes,
              itemStyle: { color: 'transparent', borderColor: c.soft, borderWidth: 1.2, borderType: 'dashed' as const },
              data: shown.map(
                (s) =>
                  five(
                    other.find((o) => o.value === s.value),
                    otherMs,
                  ) as number[],
              ),
            },
          ]
        : []),
      {
        name: 'meant',
        type: 'scatter',
        symbol: 'rect',
        symbolSize: [2, 24],
        itemStyle: { color: c.copper },
        data: shown.flatMap((s, i) => {
          const ms = expected.get(look.nameOf(s.value).toLowerCase());
          return ms === undefined ? [] : [{ name: names[i]!, value: [ms, i] }];
        }),
      },
    ],
  };
}

export type BesideData = readonly [row: number, from: number, to: number, value: number];

/**
 * Steps that run beside each other, a row a track, over the time of a cycle; the longest chain is framed and joined.
 */
export function besideOption(
  tracks: readonly Track[],
  from: number,
  to: number,
  stepMs: number,
  nameOf: (path: string, value: number) => string,
  /** Colours of the track whose cycle it is, as its bars have them. */ main: StepLook,
  chain: readonly ChainLink[],
  c: Colours,
): EChartsOption {
  const rows = [...tracks].reverse();
  const values = tracks.map((t) => [...new Set(t.spans.map((s) => s.value))]),
    tints = values.map((v, i) =>
      i === 0 ? v.map((x) => main.colours[main.values.indexOf(x)] ?? c.edge) : shades(v.length, c.isDark),
    );
  const data = rows.flatMap((t, row) =>
    t.spans
      .filter((s) => s.to > from && s.from < to)
      .map((s): number[] => [row, Math.max(s.from, from), Math.min(s.to, to), s.value]),
  );
  const at = (scan: number) => (scan - from) * stepMs;
  const draw: CustomSeriesRenderItem = (_, api) => {
    const row = Number(api.value(0)),
      [a, b, value] = [Number(api.value(1)), Number(api.value(2)), Number(api.value(3))];
    const begin = api.coord([at(a), row]) as [number, number],
      end = api.coord([at(b), row]) as [number, number],
      high = Math.min(22, (api.size!([0, 1]) as number[])[1]! * 0.62),
      track = tracks.length - 1 - row,
      k = values[track]!.indexOf(value),
      fill = tints[track]![k] ?? c.edge,
      name = nameOf(rows[row]!.path, value),
      [red = 0, green = 0, blue = 0] = (fill.match(/\d+/g) ?? []).map(Number),
      isLight = red * 0.3 + green * 0.59 + blue * 0.11 > 150;
    return {
      type: 'group',
      emphasisDisabled: true,
      children: [
        {
          type: 'rect',
          shape: { x: begin[0], y: begin[1] - high / 2, width: Math.max(0.6, end[0] - begin[0]), height: high },
          style: { fill, stroke: c.sheet, lineWidth: 1 },
        },
        ...(end[0] - begin[0] > name.length * 6.4 + 8
          ? [
              {
                type: 'text' as const,
                style: {
                  text: name,
                  x: begin[0] + 5,
                  y: begin[1],
                  verticalAlign: 'middle' as const,
                  fill: isLight ? '#261d15' : '#fdf6ee',
                  fontSize: 11,
                },
                silent: true,
              },
            ]
          : []),
      ],
    };
  };
  const rowOf = (path: string) => rows.findIndex((t) => t.path === path);
  const frame: CustomSeriesRenderItem = (params, api) => {
    const link = chain[params.dataIndex]!,
      row = rowOf(link.path),
      begin = api.coord([at(Math.max(link.from, from)), row]) as [number, number],
      end = api.coord([at(Math.min(link.to, to)), row]) as [number, number],
      high = Math.min(22, (api.size!([0, 1]) as number[])[1]! * 0.62),
      next = chain[params.dataIndex + 1],
      below =
        next && next.path !== link.path ? (api.coord([at(link.to), rowOf(next.path)]) as [number, number]) : undefined;
    return {
      type: 'group',
      silent: true,
      children: [
        {
          type: 'rect',
          shape: { x: begin[0], y: begin[1] - high / 2 - 2, width: Math.max(1, end[0] - begin[0]), height: high + 4 },
          style: { fill: 'none', stroke: c.ink, lineWidth: 2 },
        },
        ...(below
          ? [
              {
                type: 'line' as const,
                shape: { x1: end[0], y1: begin[1], x2: end[0], y2: below[1] },
                style: { stroke: c.ink, lineWidth: 2 },
              },
            ]
          : []),
      ],
    };
  };
  return {
    grid: { left: 8, right: 14, top: 6, bottom: 22, containLabel: true },
    tooltip: {
      ...tipLook(c),
      trigger: 'item',
      formatter: (p) => {
        const d = (p as unknown as { data: BesideData }).data;
        return `${escaped(rows[d[0]]!.path)}: ${escaped(nameOf(rows[d[0]]!.path, d[3]))}<br>${seconds((d[2] - d[1]) * stepMs)}, from ${seconds(at(d[1]))}`;
      },
    },
    xAxis: {
      type: 'value',
      min: 0,
      max: at(to),
      ...axisLook(c),
      axisLabel: { ...axisLook(c).axisLabel, formatter: secondsLabel, hideOverlap: true },
    },
    yAxis: {
      type: 'category',
      data: rows.map((t) => t.path),
      ...axisLook(c),
      axisTick: { show: false },
      axisLabel: { color: c.ink, fontSize: 12, width: 130, overflow: 'truncate' },
    },
    series: [
      { type: 'custom', renderItem: draw, data, encode: { x: [1, 2], y: 0 }, clip: true },
      {
        type: 'custom',
        renderItem: frame,
        data: chain.map((l) => [rowOf(l.path), l.from, l.to]),
        encode: { y: 0 },
        silent: true,
        z: 5,
      },
    ],
  };
}
