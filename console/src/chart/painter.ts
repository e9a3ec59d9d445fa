import { CustomChart, LineChart, ScatterChart } from "echarts/charts";
import {
  DataZoomComponent,
  GridComponent,
  MarkAreaComponent,
  MarkLineComponent,
  TooltipComponent,
} from "echarts/components";
import * as echarts from "echarts/core";
import { CanvasRenderer, SVGRenderer } from "echarts/renderers";
import { figure } from "../format";
import { ink } from "../theme";
import type { Band, Drawing, Happening, Line, Pane } from "./drawing";
import { grids, runs, sides } from "./layout";

echarts.use([
  LineChart,
  CustomChart,
  ScatterChart,
  GridComponent,
  TooltipComponent,
  DataZoomComponent,
  MarkAreaComponent,
  MarkLineComponent,
  CanvasRenderer,
  SVGRenderer,
]);

type Series = Record<string, unknown>;

export function makePainter(box: HTMLElement) {
  const chart = echarts.init(box, null, { renderer: "canvas" });
  const watcher = new ResizeObserver(() => chart.resize());
  watcher.observe(box);
  let shown = "";
  let latest: Drawing | undefined;
  return {
    paint(d: Drawing) {
      // The zoom stays where the reader put it, unless another axis comes.
      latest = d;
      const axis = `${d.periods[0]}|${d.periods.length}|${d.view.join("-")}`;
      chart.setOption(frame(d, axis !== shown), { replaceMerge: ["series", "grid", "xAxis", "yAxis"] });
      shown = axis;
    },
    picture() {
      return chart.getDataURL({ type: "png", pixelRatio: 2, backgroundColor: ink("sheet") });
    },
    /** The same picture as an SVG, zoomed as it is. */
    outline() {
      const twin = echarts.init(null, null, {
        renderer: "svg",
        ssr: true,
        width: chart.getWidth(),
        height: chart.getHeight(),
      });
      if (latest) twin.setOption({ ...frame(latest, true), backgroundColor: ink("sheet") });
      const zoom = (chart.getOption() as { dataZoom?: { start?: number; end?: number }[] }).dataZoom?.[0];
      twin.dispatchAction({ type: "dataZoom", start: zoom?.start, end: zoom?.end });
      const text = twin.renderToSVGString();
      twin.dispose();
      return text;
    },
    dispose() {
      watcher.disconnect();
      chart.dispose();
    },
  };
}

function frame(d: Drawing, fresh: boolean) {
  const soft = ink("soft");
  const rule = ink("rule");
  const text = { color: soft, fontFamily: "Inter Variable, sans-serif", fontSize: 12 };
  const panes = d.panes ?? [];
  const events = d.events ?? [];
  const below = [...panes, ...(events.length ? [null] : [])];
  const { left, right, top } = sides(d);
  // Long names of periods must not move one grid's edges against the others'.
  const edges = { left, right, outerBoundsMode: "none" };
  const lie = grids(d);
  // The names of the periods stand under the chart itself, above what lies beneath.
  const along = {
    type: "category",
    data: d.periods,
    boundaryGap: false,
    axisLine: { lineStyle: { color: rule } },
  };
  const zoom = fresh ? { startValue: d.view[0], endValue: d.view[1] } : {};
  return {
    animation: false,
    textStyle: text,
    grid: [
      { ...edges, top, bottom: lie.chart.bottom },
      ...lie.panes.map((p) => ({ ...edges, ...p })),
      ...(events.length ? [{ ...edges, ...lie.events }] : []),
    ],
    axisPointer: { link: [{ xAxisIndex: "all" }] },
    tooltip: {
      trigger: "axis",
      backgroundColor: ink("sheet"),
      borderColor: rule,
      textStyle: { ...text, color: ink("ink") },
      axisPointer: { type: "line", lineStyle: { color: soft, width: 1 } },
      formatter: (items: unknown) => tip(items as TipItem[], d),
    },
    xAxis: [
      {
        ...along,
        // Low enough that the first period, which starts left of the chart, is clear of the lowest figure.
        axisLabel: { ...text, hideOverlap: true, margin: 12 },
        axisTick: { lineStyle: { color: rule } },
      },
      ...below.map((_, i) => ({
        ...along,
        gridIndex: i + 1,
        axisLabel: { show: false },
        axisTick: { show: false },
        axisPointer: { label: { show: false } },
      })),
    ],
    yAxis: [
      {
        type: "value",
        scale: false,
        boundaryGap: [0, "8%"],
        name: d.unit,
        nameTextStyle: { ...text, align: "left" },
        splitLine: { lineStyle: { color: rule, opacity: 0.6 } },
        axisLabel: { ...text, formatter: (v: number) => figure(v) },
      },
      ...panes.map((p, i) => ({
        type: "value",
        gridIndex: i + 1,
        scale: true,
        splitNumber: 2,
        name: p.name,
        nameGap: 4,
        nameTextStyle: { ...text, align: "left" },
        splitLine: { show: false },
        axisLine: { show: true, lineStyle: { color: rule } },
        axisLabel: { ...text, fontSize: 10, formatter: (v: number) => String(Number(v.toPrecision(3))) },
      })),
      ...(events.length
        ? [
            {
              type: "category",
              gridIndex: panes.length + 1,
              inverse: true,
              data: events.map((e) => e.name),
              axisLine: { show: false },
              axisTick: { show: false },
              axisLabel: { ...text, fontSize: 10, width: left - 8, overflow: "truncate", interval: 0 },
            },
          ]
        : []),
    ],
    dataZoom: [
      { type: "inside", filterMode: "weakFilter", xAxisIndex: "all", ...zoom },
      {
        type: "slider",
        filterMode: "weakFilter",
        xAxisIndex: "all",
        height: 30,
        bottom: 12,
        borderColor: rule,
        fillerColor: `${ink("copper")}22`,
        handleStyle: { color: ink("copper"), borderColor: ink("copper") },
        moveHandleStyle: { color: rule },
        dataBackground: { lineStyle: { color: soft }, areaStyle: { color: rule } },
        selectedDataBackground: { lineStyle: { color: soft }, areaStyle: { color: soft } },
        textStyle: text,
        ...zoom,
      },
    ],
    series: [
      ...d.bands.map(bandSeries),
      ...(d.actual.length > 0 ? [actualSeries(d)] : []),
      ...d.lines.map((l) => lineSeries(l, d.periods.length)),
      ...rings(d),
      ...panes.map((p, i) => paneSeries(p, i + 1)),
      ...(events.length ? [eventSeries(events, panes.length + 1)] : []),
    ],
  };
}

function paneSeries(p: Pane, at: number): Series {
  return {
    type: "line",
    name: p.name,
    xAxisIndex: at,
    yAxisIndex: at,
    data: p.values,
    step: "middle",
    symbol: "none",
    lineStyle: { color: ink("soft"), width: 1.2 },
    itemStyle: { color: ink("soft") },
    // What is known ahead of the last actual is told apart.
    markArea:
      p.from === undefined
        ? undefined
        : {
            silent: true,
            itemStyle: { color: ink("copper"), opacity: 0.08 },
            data: [[{ xAxis: p.from }, { xAxis: p.values.length - 1 }]],
          },
  };
}

/** A bar for each span of each event, in rows of their own. */
function eventSeries(events: Happening[], at: number): Series {
  const colour = ink("copper");
  type Api = {
    value: (i: number) => number;
    coord: (p: number[]) => number[];
    size: (p: number[]) => number[];
  };
  return {
    type: "custom",
    name: "events",
    xAxisIndex: at,
    yAxisIndex: at,
    clip: true,
    encode: { x: [0, 1], y: 2 },
    data: events.flatMap((e, row) => e.spans.map(([from, to]) => ({ value: [from, to, row], name: e.name }))),
    renderItem: (params: { coordSys: { x: number; width: number } }, api: Api) => {
      const [x0, y] = api.coord([api.value(0), api.value(2)]);
      const [x1] = api.coord([api.value(1), api.value(2)]);
      const wide = api.size([1, 0])[0] ?? 1;
      if (x0 === undefined || x1 === undefined || y === undefined) return null;
      const { x, width } = params.coordSys;
      const from = Math.max(x0 - wide / 2, x);
      const to = Math.min(Math.max(x1 + wide / 2, x0 - wide / 2 + 2), x + width);
      if (to <= from) return null;
      return {
        type: "rect",
        shape: { x: from, y: y - 4.5, width: to - from, height: 9 },
        style: { fill: colour, opacity: 0.75 },
      };
    },
  };
}

function actualSeries(d: Drawing): Series {
  const soft = ink("soft");
  return {
    type: "line",
    name: d.actualName ?? "actual",
    data: d.actual,
    symbol: "circle",
    symbolSize: 3,
    showSymbol: d.actual.length < 200,
    connectNulls: false,
    z: 5,
    lineStyle: { color: ink("ink"), width: 1.3 },
    itemStyle: { color: ink("ink") },
    markArea: {
      silent: true,
      itemStyle: { color: ink("copper"), opacity: 0.06 },
      data: d.tints.map((t) => [{ xAxis: t.from }, { xAxis: t.to }]),
    },
    markLine: {
      silent: true,
      symbol: "none",
      lineStyle: { color: soft, width: 1, type: "solid", opacity: 0.6 },
      label: { formatter: "{b}", color: soft, fontSize: 11, position: "end", distance: 4 },
      data: d.tints.map((t) => ({ xAxis: t.from, name: t.origin })),
    },
  };
}

function lineSeries(l: Line, n: number): Series {
  const colour = ink(l.hue);
  const data: (number | null)[] = new Array(n).fill(null);
  for (const [i, v] of l.values.entries()) data[l.start + i] = v;
  return {
    type: "line",
    name: l.name,
    data,
    symbol: "circle",
    symbolSize: 4,
    showSymbol: l.values.length < 3,
    z: 6,
    lineStyle: { color: colour, width: 2 },
    itemStyle: { color: colour },
  };
}

function bandSeries(b: Band): Series {
  const colour = ink(b.hue);
  return {
    type: "custom",
    name: b.name,
    clip: true,
    silent: true,
    z: 1,
    encode: { x: 0, y: [1, 2] },
    data: b.low.map((low, i) => [b.start + i, low, b.high[i]]),
    renderItem: (params: { dataIndexInside: number }, api: { coord: (p: number[]) => number[] }) => {
      if (params.dataIndexInside !== 0) return null;
      const edge = (values: (number | null)[], steps: number[]) =>
        steps.map((i) => api.coord([b.start + i, values[i] ?? 0]));
      return {
        type: "group",
        children: runs(b.low).map((steps) => ({
          type: "polygon",
          shape: { points: [...edge(b.high, steps), ...edge(b.low, steps).reverse()] },
          style: { fill: colour, opacity: b.strength },
        })),
      };
    },
  };
}

function rings(d: Drawing): Series[] {
  if (d.rings.length === 0) return [];
  const colour = ink("alarm");
  return [
    {
      type: "scatter",
      name: "flagged",
      data: d.rings.map((r) => ({ value: [r.index, r.value], name: r.label })),
      symbol: "circle",
      symbolSize: 13,
      z: 8,
      itemStyle: { color: "transparent", borderColor: colour, borderWidth: 2 },
      label: {
        show: true,
        formatter: "{b}",
        position: "right",
        color: colour,
        fontSize: 12,
        fontWeight: 600,
      },
      labelLayout: { hideOverlap: true },
    },
  ];
}

type TipItem = {
  seriesType: string;
  seriesName: string;
  dataIndex: number;
  value: unknown;
  axisValue: string;
  color: string;
};

function tip(items: TipItem[], d: Drawing): string {
  const first = items[0];
  if (!first) return "";
  const at = d.periods.indexOf(first.axisValue);
  const rows = items
    .filter((i) => i.seriesType === "line" && typeof i.value === "number")
    .map((i) => {
      const band = d.bands
        .filter((b) => b.name.startsWith(`${i.seriesName} `) && at >= b.start && at < b.start + b.low.length)
        .map(
          (b) =>
            ` · ${b.name.slice(i.seriesName.length + 1)}: ${figure(b.low[at - b.start])} to ${figure(b.high[at - b.start])}`,
        );
      return `<div>${escapeText(i.seriesName)} <b>${figure(i.value as number)}</b>${band.join("")}</div>`;
    });
  const on = (d.events ?? []).filter((e) => e.spans.some(([from, to]) => at >= from && at <= to));
  const what = on.length ? `<div>${on.map((e) => escapeText(e.name)).join(", ")}</div>` : "";
  return `<div>${first.axisValue}</div>${rows.join("")}${what}`;
}

function escapeText(s: string): string {
  return s.replace(/[&<>"]/g, (c) => `&#${c.charCodeAt(0)};`);
}
