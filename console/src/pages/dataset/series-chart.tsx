import type { Schemas } from "../../api/client";
import type { Drawing } from "../../chart/drawing";
import { TimeChart } from "../../chart/time-chart";
import { figure, share } from "../../format";
import { hueOf } from "../../theme";
import { Section, Trouble, Waiting } from "../../ui/page";
import { PartsView, Seasons, SpreadView } from "./looks";
import { type Dataset, meanOf, useChoice, useValues } from "./use-dataset";

type Values = Schemas["SeriesValues"];
type Props = { dataset: Dataset; name: string; beside: string[] };

/** One series with its drivers and events beneath, or several together. */
export function SeriesChart({ dataset, name, beside }: Props) {
  const { scaled, flip, change } = useChoice();
  const results = useValues(dataset, [name, ...beside]);
  const error = results.find((r) => r.error)?.error;
  if (error) return <Trouble error={error} />;
  const all = results.map((r) => r.data).filter((v): v is Values => v !== undefined);
  const [first] = all;
  if (!first || first.key !== name) return <Waiting what="the series" />;
  const drawing = all.length > 1 ? together(dataset, all, scaled) : alone(dataset, first);
  return (
    <Section
      title={first.key}
      aside={
        all.length > 1 ? (
          <span className="flex items-center gap-3 text-small">
            <label className="flex items-center gap-1.5">
              <input type="checkbox" checked={scaled} onChange={(e) => flip("scaled", e.target.checked)} />
              each divided by its mean
            </label>
            <button type="button" className="text-copper" onClick={() => change((p) => p.delete("beside"))}>
              Only {first.key}
            </button>
          </span>
        ) : (
          <Facts values={first} />
        )
      }
    >
      {all.length > 1 && <Legend names={all.map((v) => v.key)} />}
      <TimeChart label={labelOf(dataset, all)} {...drawing} height={all.length > 1 ? 340 : 300} />
      <Seasons dataset={dataset} series={first.key} />
      <PartsView dataset={dataset} series={first.key} />
      <SpreadView dataset={dataset} series={all} />
    </Section>
  );
}

function labelOf(dataset: Dataset, all: Values[]): string {
  const [first] = all;
  const names = all.map((v) => v.key).join(", ");
  return `${dataset.measure} of ${names}, ${first?.periods[0]} to ${first?.periods.at(-1)}`;
}

function Facts({ values }: { values: Values }) {
  return (
    <span className="text-small text-soft">
      {values.facts
        .map((f) => `${f.name} ${f.name.startsWith("share") ? share(f.value) : figure(f.value)}`)
        .join(" · ")}
    </span>
  );
}

function Legend({ names }: { names: string[] }) {
  return (
    <ul className="flex flex-wrap gap-x-4 gap-y-1 text-small">
      {names.map((n, i) => (
        <li key={n} className="flex items-center gap-1.5">
          <span
            aria-hidden
            className="h-0.5 w-4"
            style={{ background: i === 0 ? "var(--ink)" : `var(--${hueOf(i)})` }}
          />
          {n}
        </li>
      ))}
    </ul>
  );
}

/** A stretch that can be read: all of a short series, else about six of its shortest seasons; the strip beneath has the rest. */
function opening(dataset: Dataset, periods: number): [number, number] {
  const stretch = periods <= 200 ? periods : Math.max(60, 6 * dataset.season);
  return [Math.max(0, periods - stretch), periods - 1];
}

const bare = { lines: [], bands: [], tints: [], rings: [] };

function alone(dataset: Dataset, v: Values): Drawing {
  const periods = [...v.periods, ...v.ahead];
  const pad = (x: (number | null)[]) => [
    ...x,
    ...new Array(Math.max(0, periods.length - x.length)).fill(null),
  ];
  return {
    ...bare,
    periods,
    unit: dataset.measure,
    actual: pad(v.values),
    actualName: dataset.measure,
    view: opening(dataset, periods.length),
    panes: (v.drivers ?? []).map((d) => ({
      name: d.name,
      values: pad(d.values),
      from: v.ahead.length > 0 && d.values.length > v.values.length ? v.periods.length : undefined,
    })),
    events: (v.events ?? []).map((e) => ({ name: e.name, spans: e.spans.map((s) => [s.from, s.to]) })),
  };
}

/** Several series on the axis that spans them all. */
function together(dataset: Dataset, all: Values[], scaled: boolean): Drawing {
  const start = Math.min(...all.map((v) => v.start));
  const end = Math.max(...all.map((v) => v.start + v.periods.length));
  const periods: string[] = new Array(end - start).fill("");
  for (const v of all) for (const [i, p] of v.periods.entries()) periods[v.start - start + i] = p;
  const onAxis = (v: Values) => {
    const unit = scaled ? meanOf(v) : 1;
    const out: (number | null)[] = new Array(periods.length).fill(null);
    for (const [i, x] of v.values.entries()) out[v.start - start + i] = x === null ? null : x / unit;
    return out;
  };
  const [first, ...rest] = all as [Values, ...Values[]];
  return {
    ...bare,
    periods,
    unit: scaled ? "times the series' mean" : dataset.measure,
    actual: onAxis(first),
    actualName: first.key,
    lines: rest.map((v, i) => ({ name: v.key, hue: hueOf(i + 1), start: 0, values: onAxis(v) })),
    view: opening(dataset, periods.length),
  };
}
