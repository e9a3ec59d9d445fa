import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import type { Schemas } from "../api/client";
import { forecastOnce, type Wish } from "../api/files";
import { TimeChart } from "../chart/time-chart";
import { count } from "../format";
import { hueOf } from "../theme";
import { Button } from "../ui/controls";
import { Cautions, Trouble } from "../ui/page";
import { SeriesPicker } from "../ui/series-picker";
import { bandsOf } from "./bakeoff/curves";

type Forecast = Schemas["Forecast"];
type Props = { file: File; wish: Wish; dataset: Schemas["Dataset"] };

/** How far ahead a first look goes, and how far back: one season and three, within bounds. */
const reach = (season: number) => Math.min(60, Math.max(12, season > 60 ? 48 : season));
const back = (season: number) => Math.min(400, Math.max(48, 3 * Math.min(season, 120)));

/** A first forecast of what is about to be loaded, which keeps nothing. */
export function QuickLook({ file, wish, dataset }: Props) {
  const look = useMutation({
    mutationFn: () =>
      forecastOnce(file, wish, { horizon: reach(dataset.season), history: back(dataset.season) }),
  });
  return (
    <div className="flex flex-col gap-2">
      <div className="flex items-center gap-3">
        <Button weak onClick={() => look.mutate()} disabled={look.isPending}>
          {look.isPending ? "Forecasting …" : "A first forecast"}
        </Button>
        <span className="text-small text-soft">
          By a network that has learnt from made-up series. Nothing is kept; drivers are left out.
        </span>
      </div>
      {look.error && <Trouble error={look.error} />}
      {look.data && <Looked forecast={look.data} />}
    </div>
  );
}

function Looked({ forecast }: { forecast: Forecast }) {
  const [chosen, choose] = useState(0);
  const series = forecast.series[chosen];
  if (!series) return null;
  return (
    <>
      <div className="flex items-end gap-3">
        <p className="grow">
          {forecast.measure} of {count(forecast.series.length, "series")}, {forecast.periods[0]} to{" "}
          {forecast.periods.at(-1)}, with intervals of {forecast.levels.join(" and ")} %.
        </p>
        <SeriesPicker
          keys={forecast.series.map((s) => s.series)}
          chosen={series.series}
          choose={(key) => choose(forecast.series.findIndex((s) => s.series === key))}
        />
      </div>
      {series.left_out ? (
        <p role="alert">
          {series.series} has no forecast: {series.left_out}
        </p>
      ) : (
        <Fan forecast={forecast} series={series} />
      )}
      <Cautions list={forecast.cautions} />
    </>
  );
}

function Fan({ forecast, series }: { forecast: Forecast; series: Schemas["ForecastSeries"] }) {
  const past = forecast.past ?? [];
  const periods = [...past, ...forecast.periods];
  const actual = [...(series.actual ?? []), ...forecast.periods.map(() => null)];
  const hue = hueOf(0);
  const start = past.length;
  const banded = { contender: forecast.family, start, low: series.low ?? [], high: series.high ?? [] };
  return (
    <TimeChart
      label={`First forecast of ${series.series}`}
      height={280}
      periods={periods}
      unit={forecast.measure}
      actual={actual}
      lines={[{ name: forecast.family, hue, start, values: series.forecast ?? [] }]}
      bands={bandsOf(banded, forecast.levels, hue)}
      tints={[]}
      rings={[]}
      view={[0, periods.length - 1]}
    />
  );
}
