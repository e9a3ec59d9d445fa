import { useQuery } from "@tanstack/react-query";
import { useSearchParams } from "react-router";
import { api, type Schemas, take } from "../../api/client";
import { type Band, type Line, TimeChart } from "../../chart/time-chart";
import { share } from "../../format";
import { hueOf } from "../../theme";
import { Select, Toggle } from "../../ui/controls";
import { Section, Trouble, Waiting } from "../../ui/page";
import { SeriesPicker } from "../../ui/series-picker";
import { placeOf, show } from "./standings";

type Bakeoff = Schemas["Bakeoff"];
type CurvesData = Schemas["Curves"];

/** One series: actuals, contenders to toggle, the intervals of the selected. */
export function Curves({ bakeoff }: { bakeoff: Bakeoff }) {
  const [params, setParams] = useSearchParams();
  const bySeries = useQuery({
    queryKey: ["standings", bakeoff.id, "brief", "series"],
    queryFn: () =>
      take(
        api.GET("/bakeoffs/{bakeoff}/standings", {
          params: { path: { bakeoff: bakeoff.id }, query: { per: "series", brief: true } },
        }),
      ),
  });
  const slices = bySeries.data?.slices ?? [];
  const order = params.get("order") ?? "name";
  const keys = ordered(slices, bySeries.data?.metric ?? "", bakeoff, order).map((s) => s.name ?? "");
  const chosen = params.get("series") ?? keys[0] ?? "";
  const curves = useQuery({
    queryKey: ["curves", bakeoff.id, chosen],
    queryFn: () =>
      take(
        api.GET("/bakeoffs/{bakeoff}/curves", {
          params: { path: { bakeoff: bakeoff.id }, query: { series: chosen } },
        }),
      ),
    enabled: chosen !== "",
    placeholderData: (before) => before,
  });

  const names = bakeoff.plan.contenders.map((c) => c.name ?? c.family);
  const standing = slices.find((s) => s.name === chosen);
  const leader = bakeoff.leader ?? standing?.rows[0]?.contender ?? names[0] ?? "";
  const shown = params.has("show")
    ? (params.get("show") ?? "").split("|").filter(Boolean)
    : defaults(leader, bakeoff);
  const banded = params.get("band") ?? (shown.includes(leader) ? leader : (shown[0] ?? ""));

  function change(name: string, value: string) {
    const next = new URLSearchParams(params);
    next.set(name, value);
    setParams(next, { replace: true });
  }
  if (bySeries.error || curves.error) return <Trouble error={bySeries.error ?? curves.error} />;
  return (
    <Section
      title="Curves"
      aside={
        <span className="flex items-end gap-3">
          <Select
            label="Series by"
            value={order}
            onChange={(v) => change("order", v)}
            options={[
              { value: "name", text: "name" },
              { value: "error", text: "the leader's error, worst first" },
              { value: "skill", text: "the leader's skill, worst first" },
            ]}
          />
          <SeriesPicker keys={keys} chosen={chosen} choose={(key) => change("series", key)} />
        </span>
      }
    >
      <div className="flex flex-wrap items-center gap-x-2 gap-y-1 text-small">
        <span className="mr-2 inline-flex items-center gap-1.5">
          <span aria-hidden className="h-0.5 w-4 bg-ink" /> actual
        </span>
        {names.map((name) => (
          <Toggle
            key={name}
            name={name}
            hue={hueOf(placeOf(bakeoff.plan, name))}
            on={shown.includes(name)}
            onChange={(on) =>
              change("show", names.filter((n) => (n === name ? on : shown.includes(n))).join("|"))
            }
          />
        ))}
        <span className="flex-1" />
        <Select
          label="Intervals of"
          value={shown.includes(banded) ? banded : "-"}
          onChange={(v) => change("band", v)}
          options={[{ value: "-", text: "none" }, ...shown.map((n) => ({ value: n, text: n }))]}
        />
      </div>
      {curves.data ? (
        <CurvesChart curves={curves.data} bakeoff={bakeoff} shown={shown} banded={banded} />
      ) : (
        <Waiting what="the curves" />
      )}
      {curves.data && <NewHere curves={curves.data} />}
      {standing && <SeriesLine standing={standing} bakeoff={bakeoff} metrics={bySeries.data} />}
    </Section>
  );
}

/** In which windows a series was too new to be ranked on. */
export function NewHere({ curves }: { curves: CurvesData }) {
  const windows = [...new Set(curves.curves.filter((c) => c.newcomer).map((c) => c.window))];
  if (windows.length === 0) return null;
  return (
    <p className="text-small text-soft">
      In window {windows.join(" and ")} {curves.series} was too new to be trained on: what is drawn there
      comes from series like it, and is assessed apart, under newcomers.
    </p>
  );
}

/** The series in the order in which they are stepped through. */
function ordered(slices: Schemas["StandingsSlice"][], metric: string, bakeoff: Bakeoff, by: string) {
  const row = (s: Schemas["StandingsSlice"]) => s.rows.find((r) => r.contender === bakeoff.leader);
  if (by === "error")
    return slices.toSorted((a, b) => (row(b)?.values[metric] ?? -1) - (row(a)?.values[metric] ?? -1));
  if (by === "skill") return slices.toSorted((a, b) => (row(a)?.skill ?? 9) - (row(b)?.skill ?? 9));
  return slices;
}

/** At first the leader and the baseline are shown. */
function defaults(leader: string, bakeoff: Bakeoff): string[] {
  return [...new Set([leader, bakeoff.plan.baseline ?? leader])];
}

type ChartProps = { curves: CurvesData; bakeoff: Bakeoff; shown: string[]; banded: string };

function CurvesChart({ curves, bakeoff, shown, banded }: ChartProps) {
  const hue = (name: string) => hueOf(placeOf(bakeoff.plan, name));
  const horizon = bakeoff.plan.horizon;
  const lines: Line[] = [];
  const bands: Band[] = [];
  for (const c of curves.curves) {
    if (!shown.includes(c.contender)) continue;
    lines.push({
      name: c.contender,
      hue: hue(c.contender),
      start: c.start,
      values: happening(c.forecast, c.closed),
    });
    if (c.contender === banded) bands.push(...bandsOf(c, curves.levels, hue(c.contender)));
  }
  const windows = bakeoff.split?.windows ?? [];
  const tints = windows.map((w) => ({
    from: w.origin_index,
    to: w.last_index,
    origin: `origin ${w.origin}`,
  }));
  const n = curves.periods.length;
  const first = Math.max(0, (windows[0]?.origin_index ?? n) - 2 * horizon);
  return (
    <TimeChart
      label={`${bakeoff.measure} of ${curves.series} with the forecasts of ${shown.join(", ") || "no contender"}`}
      periods={curves.periods}
      unit={bakeoff.measure}
      actual={curves.actual}
      lines={lines}
      bands={bands}
      tints={tints}
      rings={[]}
      view={[first, n - 1]}
    />
  );
}

/** The values of a forecast with none on the steps on which nothing happens. */
export function happening(values: number[], closed: number[] | null | undefined): (number | null)[] {
  if (!closed?.length) return values;
  const shut = new Set(closed);
  return values.map((v, i) => (shut.has(i) ? null : v));
}

type Banded = {
  contender: string;
  start: number;
  low: number[][];
  high: number[][];
  closed?: number[] | null;
};

/** The bands of a forecast, the widest first and lightest. */
export function bandsOf(c: Banded, levels: number[], hue: string): Band[] {
  return levels
    .map((level, i) => ({
      name: `${c.contender} ${level} %`,
      hue,
      start: c.start,
      low: happening(c.low[i] ?? [], c.closed),
      high: happening(c.high[i] ?? [], c.closed),
      strength: levels.length > 1 && i === levels.length - 1 ? 0.13 : 0.22,
    }))
    .reverse();
}

type LineProps = {
  standing: Schemas["StandingsSlice"];
  bakeoff: Bakeoff;
  metrics: Schemas["Standings"] | undefined;
};

function SeriesLine({ standing, bakeoff, metrics }: LineProps) {
  const metric = metrics?.metrics.find((m) => m.name === metrics.metric);
  const lead = standing.rows[0];
  if (!metric || !lead) return null;
  return (
    <p className="text-small">
      On this series {lead.contender} leads with a {metric.label} of {show(metric, lead.values[metric.name])}
      {lead.skill != null && `, ${share(lead.skill)} skill over ${bakeoff.plan.baseline}`}; then{" "}
      {standing.rows
        .slice(1)
        .map((r) => `${r.contender} ${show(metric, r.values[metric.name])}`)
        .join(", ")}
      .
    </p>
  );
}
