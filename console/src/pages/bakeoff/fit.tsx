import { useQuery } from "@tanstack/react-query";
import { useSearchParams } from "react-router";
import { api, type Schemas, take } from "../../api/client";
import { EffectBars, PartChart, SeasonChart } from "../../chart/parts";
import { cycleOf, profileOf } from "../../chart/season";
import { TimeChart } from "../../chart/time-chart";
import { count, figure } from "../../format";
import { hueOf } from "../../theme";
import { Section, Trouble, Waiting } from "../../ui/page";
import { SeriesPicker } from "../../ui/series-picker";
import { Table } from "../../ui/table";
import { ContenderSelect, namesOf, useContender } from "./contender-select";
import { Learnt } from "./learnt";
import { placeOf } from "./standings";

type Fit = Schemas["Fit"];

/** How a contender was fitted to a series: in words, in numbers, and in its parts. */
export function FitView({ bakeoff }: { bakeoff: Schemas["Bakeoff"] }) {
  const lead = bakeoff.leader ?? namesOf(bakeoff)[0] ?? "";
  const contender = useContender("fit-of", lead);
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
  const keys = (bySeries.data?.slices ?? []).map((s) => s.name ?? "").sort();
  const series = params.get("series") ?? undefined;
  const { data, error } = useQuery({
    queryKey: ["fit", bakeoff.id, contender, series],
    queryFn: () =>
      take(
        api.GET("/bakeoffs/{bakeoff}/fit", {
          params: { path: { bakeoff: bakeoff.id }, query: { contender, series } },
        }),
      ),
    retry: false,
    placeholderData: (before) => before,
  });
  return (
    <Section
      title={data?.series ? `${contender} on ${data.series}` : contender}
      aside={
        <span className="flex flex-wrap items-end gap-3">
          <ContenderSelect bakeoff={bakeoff} label="Contender" param="fit-of" otherwise={lead} />
          <SeriesPicker
            keys={keys}
            chosen={data?.series ?? series ?? ""}
            choose={(key) => {
              const next = new URLSearchParams(params);
              next.set("series", key);
              setParams(next, { replace: true });
            }}
          />
        </span>
      }
    >
      {error ? (
        <Trouble error={error} />
      ) : data ? (
        <FitDetails
          fit={data}
          measure={bakeoff.measure}
          hue={hueOf(placeOf(bakeoff.plan, contender))}
          cadence={bakeoff.cadence}
        />
      ) : (
        <Waiting what="the fit" />
      )}
    </Section>
  );
}

type DetailsProps = { fit: Fit; measure: string; hue: string; cadence: string };

export function FitDetails({ fit, measure, hue, cadence }: DetailsProps) {
  return (
    <>
      <FitWords fit={fit} />
      <Learnt fit={fit} measure={measure} hue={hue} />
      <Components fit={fit} measure={measure} hue={hue} cadence={cadence} />
      <Effects fit={fit} measure={measure} hue={hue} />
      <details>
        <summary className="cursor-pointer text-small text-soft">Parameters, tests and states</summary>
        <Numbers fit={fit} />
      </details>
    </>
  );
}

/** The form in a sentence, why it was chosen, and what to mind. */
function FitWords({ fit }: { fit: Fit }) {
  const line = fit.line;
  return (
    <div className="flex flex-col gap-1 text-small">
      <p>
        {sentence(fit.form)} It used {count(fit.known, "known value")} from {fit.from} to {fit.to}
        {fit.why ? `; chosen: ${fit.why}` : ""}.
        {line &&
          ` As a straight line the forecast is ${figure(line.start)} ${line.slope < 0 ? "−" : "+"} ${figure(Math.abs(line.slope))} a step (R² ${figure(line.r2)}).`}
      </p>
      {(fit.shares ?? []).length > 0 && (
        <p className="text-soft">
          Of the forecast {fit.shares?.map((s) => `${Math.round(100 * s.value)} % is ${s.name}`).join(", ")}.
        </p>
      )}
      {fit.cautions.map((c) => (
        <p key={c}>Caution: {c}.</p>
      ))}
    </div>
  );
}

const sentence = (text: string) => `${text.charAt(0).toUpperCase()}${text.slice(1)}.`;

/** The trend over time; each season once, over its own cycle; what is left, small. */
function Components({ fit, measure, hue, cadence }: DetailsProps) {
  const periods = fit.periods ?? [];
  const all = fit.components ?? [];
  const told = new Set((fit.effects ?? []).map((e) => e.name));
  const lead = all.find((c) => c.name === "trend" || c.name === "level") ?? all[0];
  const rest = all.filter((c) => c !== lead && !told.has(c.name));
  if (!lead) return null;
  return (
    <div className="flex flex-col gap-3">
      <TimeChart
        label={`${lead.name} of ${fit.series ?? ""}`}
        periods={periods}
        unit={lead.factor ? `${lead.name}, a factor` : `${lead.name} (${measure})`}
        actual={[]}
        lines={[{ name: lead.name, hue, start: 0, values: [...lead.past, ...lead.ahead] }]}
        bands={
          lead.low && lead.high
            ? [{ name: "80 %", hue, start: 0, low: lead.low, high: lead.high, strength: 0.22 }]
            : []
        }
        tints={[{ from: lead.past.length, to: periods.length - 1, origin: fit.to }]}
        rings={lead.name === "trend" ? bendsOf(fit, lead.past) : []}
        view={[0, periods.length - 1]}
        height={240}
      />
      <div className="flex flex-wrap gap-x-6 gap-y-3">
        {rest.map((c) => (
          <Part key={c.name} part={c} periods={periods} hue={hue} cadence={cadence} />
        ))}
      </div>
    </div>
  );
}

type PartProps = { part: Schemas["Component"]; periods: string[]; hue: string; cadence: string };

function Part({ part: c, periods, hue, cadence }: PartProps) {
  const cycle = cycleOf(c.name, cadence);
  const places = cycle ? profileOf(c.name, cycle, periods, c.past, c.low, c.high) : [];
  return places.length > 1 ? (
    <SeasonChart name={c.name} places={places} factor={c.factor === true} hue={hue} />
  ) : (
    <PartChart
      name={c.name}
      factor={c.factor === true}
      past={c.past}
      ahead={c.ahead}
      periods={periods}
      hue={hue}
    />
  );
}

/** The bends of the trend, where they lie on it. */
const bendsOf = (fit: Fit, trend: (number | null)[]) =>
  (fit.bends ?? []).flatMap((b) => {
    const index = (fit.periods ?? []).indexOf(b.period);
    const value = trend[index];
    return value == null ? [] : [{ index, value, label: `${b.period}: ${signed(b.change)}` }];
  });

const signed = (v: number | null) => `${v != null && v > 0 ? "+" : ""}${figure(v)}`;

/** What each event and driver changes, and where the trend bends. */
function Effects({ fit, measure, hue }: { fit: Fit; measure: string; hue: string }) {
  const effects = fit.effects ?? [];
  const bends = fit.bends ?? [];
  const percent = (v: number | null) => (v == null ? "–" : `${v > 0 ? "+" : ""}${v.toFixed(1)} %`);
  const bars = effects
    .filter((e) => e.percent != null)
    .map((e) => ({
      name: e.name,
      per: e.per,
      value: e.percent ?? 0,
      low: e.percent_low,
      high: e.percent_high,
    }))
    .sort((a, b) => Math.abs(b.value) - Math.abs(a.value));
  if (effects.length === 0 && bends.length === 0) return null;
  return (
    <div className="flex flex-col gap-2">
      {bars.length > 0 && <EffectBars bars={bars} hue={hue} />}
      <details>
        <summary className="cursor-pointer text-small text-soft">Effects and bends in numbers</summary>
        <EffectTables effects={effects} bends={bends} measure={measure} percent={percent} />
      </details>
    </div>
  );
}

type TablesProps = {
  effects: Schemas["Effect"][];
  bends: Schemas["Bend"][];
  measure: string;
  percent: (v: number | null) => string;
};

function EffectTables({ effects, bends, measure, percent }: TablesProps) {
  return (
    <div className="flex flex-wrap items-start gap-8">
      {effects.length > 0 && (
        <Table
          label="Effects at the usual level"
          rows={effects}
          keyOf={(e) => `${e.kind} ${e.name}`}
          columns={[
            { head: "Event or driver", cell: (e) => e.name },
            { head: "of", cell: (e) => e.per },
            { head: `Effect (${measure})`, right: true, cell: (e) => signed(e.units) },
            { head: "from (95 %)", right: true, cell: (e) => signed(e.low) },
            { head: "to (95 %)", right: true, cell: (e) => signed(e.high) },
            { head: "Effect", right: true, cell: (e) => percent(e.percent) },
            {
              head: "95 %",
              right: true,
              cell: (e) => `${percent(e.percent_low)} to ${percent(e.percent_high)}`,
            },
          ]}
        />
      )}
      {bends.length > 0 && (
        <Table
          label="Bends of the trend, the largest first"
          rows={bends}
          keyOf={(b) => b.period}
          columns={[
            { head: "Trend bends after", cell: (b) => b.period },
            { head: `Slope changes by (${measure} a period)`, right: true, cell: (b) => signed(b.change) },
            { head: "of the usual level", right: true, cell: (b) => percent(b.percent) },
          ]}
        />
      )}
    </div>
  );
}

type Row = { what: string; name: string; value: number | null; meaning: string };

function Numbers({ fit }: { fit: Fit }) {
  const of = (what: string, list: Schemas["Parameter"][] | undefined): Row[] =>
    (list ?? []).map((p) => ({ what, ...p }));
  const numbers: Row[] = [
    ...(fit.left_out ?? []).map((x) => ({
      what: "left out",
      name: x.from === x.to ? x.from : `${x.from} to ${x.to}`,
      value: null,
      meaning: x.why,
    })),
    ...of("parameter", fit.parameters),
    ...(fit.sigma != null
      ? [{ what: "errors", name: "sigma", value: fit.sigma, meaning: "standard deviation, one step ahead" }]
      : []),
    ...of("training", fit.training),
    ...(fit.tests ?? []).map((t) => ({ what: "test, p", name: t.name, value: t.p, meaning: t.meaning })),
    ...of("start", fit.states),
  ];
  const choices = fit.choices ?? [];
  if (numbers.length + choices.length === 0) return null;
  return (
    <div className="flex flex-wrap items-start gap-8">
      <Table
        label="Numbers of the fit"
        rows={numbers}
        keyOf={(r) => `${r.what} ${r.name}`}
        columns={[
          { head: "what", cell: (r) => r.what },
          { head: "name", cell: (r) => r.name },
          { head: "value", right: true, cell: (r) => figure(r.value) },
          { head: "meaning", cell: (r) => r.meaning },
        ]}
      />
      {choices.length > 0 && (
        <Table
          label="Forms that were tried"
          rows={choices}
          keyOf={(r) => r.form}
          columns={[
            { head: "form", cell: (r) => r.form },
            {
              head: fit.criterion ?? "criterion",
              right: true,
              cell: (r) => figure(r.value),
              best: (r) => r === choices[0],
            },
          ]}
        />
      )}
    </div>
  );
}
