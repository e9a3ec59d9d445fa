import { CustomChart, LineChart, ScatterChart } from "echarts/charts";
import {
  DataZoomComponent,
  GridComponent,
  MarkAreaComponent,
  MarkLineComponent,
  TooltipComponent,
} from "echarts/components";
import * as echarts from "echarts/core";
import { CanvasRenderer } from "echarts/renderers";
import { figure } from "../format";
import { ink } from "../theme";
import type { Band, Drawing, Line } from "./drawing";

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
]);

type Series = Record<string, unknown>;

export function makePainter(box: HTMLElement) {
  const chart = echarts.init(box, null, { renderer: "canvas" });
  const watcher = new ResizeObserver(() => chart.resize());
  watcher.observe(box);
  let shown = "";
  return {
    paint(d: Drawing) {
      // The zoom stays where the reader put it, unless another axis comes.
      const axis = `${d.periods[0]}|${d.periods.length}|${d.view.join("-")}`;
      chart.setOption(frame(d, axis !== shown), { replaceMerge: ["series"] });
      shown = axis;
    },
    picture() {
      return chart.getDataURL({ type: "png", pixelRatio: 2, backgroundColor: ink("sheet") });
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
  const zoom = fresh ? { startValue: d.view[0], endValue: d.view[1] } : {};
  return {
    animation: false,
    textStyle: text,
    grid: { left: 62, right: 22, top: 34, bottom: 74 },
    tooltip: {
      trigger: "axis",
      backgroundColor: ink("sheet"),
      borderColor: rule,
      textStyle: { ...text, color: ink("ink") },
      axisPointer: { type: "line", lineStyle: { color: soft, width: 1 } },
      formatter: (items: unknown) => tip(items as TipItem[], d),
    },
    xAxis: {
      type: "category",
      data: d.periods,
      boundaryGap: false,
      axisLine: { lineStyle: { color: rule } },
      axisLabel: { ...text, hideOverlap: true },
      axisTick: { lineStyle: { color: rule } },
    },
    yAxis: {
      type: "value",
      scale: false,
      boundaryGap: [0, "8%"],
      name: d.unit,
      nameTextStyle: { ...text, align: "left" },
      splitLine: { lineStyle: { color: rule, opacity: 0.6 } },
      axisLabel: { ...text, formatter: (v: number) => figure(v) },
    },
    dataZoom: [
      { type: "inside", filterMode: "filter", ...zoom },
      {
        type: "slider",
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
      actualSeries(d),
      ...d.lines.map((l) => lineSeries(l, d.periods.length)),
      ...rings(d),
    ],
  };
}

function actualSeries(d: Drawing): Series {
  const soft = ink("soft");
  return {
    type: "line",
    name: "actual",
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
      const upper = b.high.map((v, i) => api.coord([b.start + i, v]));
      const lower = b.low.map((v, i) => api.coord([b.start + i, v])).reverse();
      return {
        type: "polygon",
        shape: { points: [...upper, ...lower] },
        style: { fill: colour, opacity: b.strength },
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
  return `<div>${first.axisValue}</div>${rows.join("")}`;
}

function escapeText(s: string): string {
  return s.replace(/[&<>"]/g, (c) => `&#${c.charCodeAt(0)};`);
}
