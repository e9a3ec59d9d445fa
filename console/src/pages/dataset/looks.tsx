import { useQuery } from "@tanstack/react-query";
import { useSearchParams } from "react-router";
import { api, type Schemas, take } from "../../api/client";
import { CycleChart, LagChart } from "../../chart/profile";
import { type Band, TimeChart } from "../../chart/time-chart";
import { count } from "../../format";
import { hueOf } from "../../theme";
import { Button } from "../../ui/controls";
import { Section, Trouble, Waiting } from "../../ui/page";
import { FitDetails } from "../bakeoff/fit";
import { meanOf } from "./use-dataset";

type Dataset = Schemas["Dataset"];

/** The seasons of one series. */
export function Seasons({ dataset, series }: { dataset: Dataset; series: string }) {
  const { data } = useQuery({
    queryKey: ["profile", dataset.name, dataset.revision, series],
    queryFn: () =>
      take(
        api.GET("/datasets/{dataset}/series/profile", {
          params: { path: { dataset: dataset.name }, query: { series, revision: dataset.revision } },
        }),
      ),
    enabled: series !== "",
    placeholderData: (before) => before,
  });
  if (!data) return null;
  return (
    <div className="flex flex-wrap gap-6">
      {data.cycles.map((c) => (
        <CycleChart key={c.by} cycle={c} />
      ))}
      <LagChart values={data.autocorrelation} bound={data.bound} season={dataset.season} />
    </div>
  );
}

/** One series taken apart into trend, seasons and rest. */
export function PartsView({ dataset, series }: { dataset: Dataset; series: string }) {
  const [params, setParams] = useSearchParams();
  const shown = params.get("parts") === "1";
  const { data, error } = useQuery({
    queryKey: ["parts", dataset.name, dataset.revision, series],
    queryFn: () =>
      take(
        api.GET("/datasets/{dataset}/series/parts", {
          params: { path: { dataset: dataset.name }, query: { series, revision: dataset.revision } },
        }),
      ),
    enabled: shown && series !== "",
    retry: false,
    placeholderData: (before) => before,
  });
  const toggle = () => {
    const next = new URLSearchParams(params);
    if (shown) next.delete("parts");
    else next.set("parts", "1");
    setParams(next, { replace: true });
  };
  return (
    <>
      <div>
        <Button weak onClick={toggle}>
          {shown ? "Hide its parts" : "Take it apart: trend, seasons, rest"}
        </Button>
      </div>
      {shown &&
        (error ? (
          <Trouble error={error} />
        ) : data ? (
          <FitDetails fit={data} measure={dataset.measure} hue={hueOf(0)} cadence={dataset.cadence} />
        ) : (
          <Waiting what="the parts" />
        ))}
    </>
  );
}

const known = (values: (number | null)[]) => values.map((v) => v ?? 0);

/** The spread of the filtered series at each period, with the chosen one over it. */
export function SpreadView({ dataset, series }: { dataset: Dataset; series: Schemas["SeriesValues"][] }) {
  const [params, setParams] = useSearchParams();
  const where = params.getAll("where");
  const search = params.get("search") || undefined;
  const scaled = params.get("scaled") === "1";
  const shown = params.get("spread") === "1";
  const { data, error, isFetching } = useQuery({
    queryKey: ["spread", dataset.name, dataset.revision, where, search, scaled],
    queryFn: () =>
      take(
        api.GET("/datasets/{dataset}/spread", {
          params: {
            path: { dataset: dataset.name },
            query: { where, search, scaled, revision: dataset.revision },
          },
        }),
      ),
    enabled: shown,
    placeholderData: (before) => before,
  });
  function set(name: string, on: boolean) {
    const next = new URLSearchParams(params);
    if (on) next.set(name, "1");
    else next.delete(name);
    setParams(next, { replace: true });
  }
  if (!shown) {
    return (
      <div>
        <Button weak onClick={() => set("spread", true)}>
          Show the spread of these series
        </Button>
      </div>
    );
  }
  if (error) return <Trouble error={error} />;
  return (
    <Section
      title={data ? `Spread of ${count(data.series, "series")}` : "Spread"}
      aside={
        <span className="flex items-center gap-3 text-small">
          <label className="flex items-center gap-1.5">
            <input type="checkbox" checked={scaled} onChange={(e) => set("scaled", e.target.checked)} />
            each divided by its mean
          </label>
          <Button weak onClick={() => set("spread", false)}>
            Hide
          </Button>
        </span>
      }
    >
      {data ? <SpreadChart spread={data} dataset={dataset} series={series} /> : <Waiting what="the spread" />}
      <p className="text-small text-soft">
        Median as a line; the middle half, the middle 90 % and the full range as bands
        {series[0] && `; ${series[0].key} in ink`}.{isFetching && " Reading …"}
      </p>
    </Section>
  );
}

type ChartProps = {
  spread: Schemas["Spread"];
  dataset: Dataset;
  series: Schemas["SeriesValues"][];
};

function SpreadChart({ spread, dataset, series }: ChartProps) {
  const line = (share: number) => known(spread.lines.find((l) => l.share === share)?.values ?? []);
  const band = (name: string, low: number, high: number, strength: number): Band => ({
    name: `median ${name}`,
    hue: "hue-1",
    start: 0,
    low: line(low),
    high: line(high),
    strength,
  });
  // The spread has the dataset's whole axis.
  const onAxis = (v: Schemas["SeriesValues"] | undefined) => {
    const out: (number | null)[] = new Array(spread.periods.length).fill(null);
    const unit = v && spread.scaled ? meanOf(v) : 1;
    for (const [i, x] of (v?.values ?? []).entries()) if (v && x !== null) out[v.start + i] = x / unit;
    return out;
  };
  return (
    <TimeChart
      label={`Spread of ${spread.series} series of ${dataset.name}`}
      periods={spread.periods}
      unit={spread.scaled ? "times the series' mean" : dataset.measure}
      actual={onAxis(series[0])}
      actualName={series[0]?.key}
      lines={[
        { name: "median", hue: "hue-1", start: 0, values: line(0.5) },
        ...series.slice(1).map((v, i) => ({ name: v.key, hue: hueOf(i + 1), start: 0, values: onAxis(v) })),
      ]}
      bands={[
        band("full range", 0, 1, 0.08),
        band("middle 90 %", 0.05, 0.95, 0.14),
        band("middle half", 0.25, 0.75, 0.25),
      ]}
      tints={[]}
      rings={[]}
      view={[0, spread.periods.length - 1]}
      height={320}
    />
  );
}
