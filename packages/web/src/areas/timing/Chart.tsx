/**
 * A chart of Apache ECharts in the colours of the page: drawn anew when its size, its theme or what it shows changes.
 */
import { BoxplotChart, CustomChart, LineChart, ScatterChart } from 'echarts/charts';
import { DataZoomComponent, GridComponent, LegendComponent, TooltipComponent } from 'echarts/components';
import { type ECharts, init, use } from 'echarts/core';
import { CanvasRenderer, SVGRenderer } from 'echarts/renderers';
import type { EChartsOption } from 'echarts/types/dist/shared';
import { useEffect, useRef, useState } from 'react';

use([
  BoxplotChart,
  CanvasRenderer,
  CustomChart,
  DataZoomComponent,
  GridComponent,
  LegendComponent,
  LineChart,
  ScatterChart,
  SVGRenderer,
  TooltipComponent,
]);

/** The colours of the theme as a chart needs them. */
export interface Colours {
  readonly ink: string;
  readonly soft: string;
  readonly edge: string;
  readonly sheet: string;
  readonly copper: string;
  readonly bad: string;
  readonly isDark: boolean;
}
function coloursNow(): Colours {
  const style = getComputedStyle(document.documentElement),
    of = (name: string) => style.getPropertyValue(`--${name}`).trim();
  return {
    ink: of('ink'),
    soft: of('soft'),
    edge: of('edge'),
    sheet: of('sheet'),
    copper: of('copper'),
    bad: of('bad'),
    isDark: document.documentElement.dataset['theme'] === 'dark',
  };
}

/** Steps in shades of copper, told apart by how light they are: `n` of them. */
export function shades(n: number, isDark: boolean): readonly string[] {
  const [from, to] = isDark
    ? [
        [96, 52, 24],
        [246, 214, 184],
      ]
    : [
        [232, 214, 193],
        [104, 44, 12],
      ];
  return Array.from({ length: n }, (_, i) => {
    // Neighbours lie far apart: every second one from the other half.
    const k = (i % 2 ? Math.ceil(n / 2) : 0) + Math.floor(i / 2),
      x = n > 1 ? Math.min(1, k / (n - 1)) : 0.5;
    return `rgb(${from!.map((c, j) => Math.round(c + (to![j]! - c) * x)).join(', ')})`;
  });
}

export function useColours(): Colours {
  const [colours, setColours] = useState(coloursNow);
  useEffect(() => {
    const watch = new MutationObserver(() => setColours(coloursNow()));
    watch.observe(document.documentElement, { attributes: true, attributeFilter: ['data-theme'] });
    return () => watch.disconnect();
  }, []);
  return colours;
}

export const axisLook = (c: Colours) => ({
  axisLine: { lineStyle: { color: c.edge } },
  axisTick: { lineStyle: { color: c.edge } },
  axisLabel: { color: c.soft, fontSize: 11 },
  splitLine: { lineStyle: { color: c.edge, opacity: 0.6 } },
});
export const tipLook = (c: Colours) => ({
  backgroundColor: c.sheet,
  borderColor: c.edge,
  textStyle: { color: c.ink, fontSize: 12 },
  confine: true,
  transitionDuration: 0,
});

export function Chart({
  label,
  option,
  renderer = 'svg',
  className = '',
  onPick,
  onPlace,
}: {
  readonly label: string;
  readonly option: EChartsOption;
  readonly renderer?: 'svg' | 'canvas';
  readonly className?: string;
  /** A click on something drawn: the data of it. */ readonly onPick?: (data: unknown, series: number) => void;
  /** A click anywhere within the axes: the value on the horizontal one. */ readonly onPlace?: (x: number) => void;
}) {
  const place = useRef<HTMLDivElement>(null),
    chart = useRef<ECharts | undefined>(undefined),
    pick = useRef(onPick),
    spot = useRef(onPlace);
  pick.current = onPick;
  spot.current = onPlace;
  useEffect(() => {
    const c = (chart.current = init(place.current!, null, { renderer }));
    c.on('click', (e) => pick.current?.(e.data, e.seriesIndex ?? 0));
    c.getZr().on('click', (e) => {
      const at = [e.offsetX, e.offsetY];
      if (spot.current && c.containPixel({ gridIndex: 0 }, at))
        spot.current((c.convertFromPixel({ gridIndex: 0 }, at) as number[])[0]!);
    });
    const watch = new ResizeObserver(() => c.resize());
    watch.observe(place.current!);
    return () => {
      watch.disconnect();
      c.dispose();
      chart.current = undefined;
    };
  }, [renderer]);
  useEffect(() => {
    chart.current?.setOption({ animation: false, ...option }, { notMerge: true });
  }, [option, renderer]);
  return <div ref={place} role="img" aria-label={label} className={`min-h-0 min-w-0 ${className}`} />;
}
