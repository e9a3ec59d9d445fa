import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import { api, type Schemas, take } from "../../api/client";
import { isOver, useProgress } from "../../api/progress";
import { TimeChart } from "../../chart/time-chart";
import { column, count, figure, share } from "../../format";
import { hueOf } from "../../theme";
import { ButtonLink, Download, Select, Toggle } from "../../ui/controls";
import { Cautions, Lead, Page, Section, Trouble, Waiting } from "../../ui/page";
import { Progress } from "../../ui/progress";
import { SeriesPicker } from "../../ui/series-picker";
import { Table } from "../../ui/table";
import { bandsOf } from "../bakeoff/curves";
import { origin } from "./list";

type Scenario = Schemas["Scenario"];
type Curve = Schemas["ScenarioCurve"];

export function ScenarioPage() {
  const id = useParams().scenario ?? "";
  const { data, error } = useQuery({
    queryKey: ["scenario", id],
    queryFn: () => take(api.GET("/scenarios/{scenario}", { params: { path: { scenario: id } } })),
  });
  return (
    <Page title={data?.name ?? id}>
      {error ? (
        <Trouble error={error} />
      ) : !data ? (
        <Waiting what="the scenario" />
      ) : (
        <Compared scenario={data} />
      )}
    </Page>
  );
}

/** What each case changes in all, in one sentence. */
function lead(s: Scenario): string {
  if (s.state === "preparing") return `“${s.name}” is being computed.`;
  if (s.state === "failed") return `“${s.name}” could not be computed: ${s.job.error}`;
  const parts = (s.totals ?? []).slice(1).map((t) => {
    const way = t.change < 0 ? "takes" : "adds";
    const all = `${t.case} ${way} ${figure(Math.abs(t.change))} ${s.measure} (${share(t.change_share)})`;
    if (!t.neighbours) return all;
    return `${all}, with ${figure(Math.abs(t.neighbours))} that neighbours ${t.neighbours < 0 ? "lose" : "gain"}`;
  });
  return `${parts.join("; ")}, from ${s.first} to ${s.last}.`;
}

function Compared({ scenario }: { scenario: Scenario }) {
  const job = useProgress(scenario.job, [["scenario"], ["scenarios"]]) ?? scenario.job;
  const ready = scenario.state === "ready";
  return (
    <>
      <div className="flex items-start gap-4">
        <Lead>{lead(scenario)}</Lead>
        <span className="flex-1" />
        {ready && <Download href={`/api/v1/scenarios/${scenario.id}/export`}>Download as CSV</Download>}
        <ButtonLink weak to={`/scenarios/new?from=${scenario.id}`}>
          Change and ask again
        </ButtonLink>
      </div>
      <p className="-mt-3 text-soft">
        {scenario.id}, “{scenario.name}”: {scenario.contender} of{" "}
        <Link
          className="text-copper underline"
          to={scenario.release ? `/releases/${scenario.release}` : `/bakeoffs/${scenario.bakeoff}`}
        >
          {origin(scenario)}
        </Link>
        , {scenario.dataset}
        {ready && `, ${count(scenario.series ?? 0, "series")}`}. Differences rest on the same random futures.
      </p>
      {!isOver(job) && (
        <Progress
          job={job}
          cancel={() => take(api.POST("/jobs/{job}/cancel", { params: { path: { job: job.id } } }))}
        />
      )}
      <Cautions list={scenario.cautions} />
      {ready && <Totals scenario={scenario} />}
      {ready && <Curves scenario={scenario} />}
    </>
  );
}

function Totals({ scenario }: { scenario: Scenario }) {
  const rows = scenario.totals ?? [];
  const level = scenario.levels.length - 1;
  const changes = (name: string) => {
    const c = scenario.cases.find((x) => x.name === name);
    const values = c?.values?.length ?? 0;
    return [...(c?.changes ?? []), ...(values > 0 ? [count(values, "value")] : [])].join("; ");
  };
  return (
    <Section title={`Totals from ${scenario.first} to ${scenario.last}, in ${scenario.measure}`}>
      <TotalTable rows={rows} level={level} levels={scenario.levels} changes={changes} />
    </Section>
  );
}

type TotalProps = {
  rows: Schemas["ScenarioTotal"][];
  level: number;
  levels: number[];
  changes?: (name: string) => string;
};

function TotalTable({ rows, level, levels, changes }: TotalProps) {
  const write = column(rows.flatMap((t) => [t.total, t.high[level]]));
  const name = `${levels[level]} %`;
  const base = (t: { case: string }) => t.case === "base";
  return (
    <Table
      label="Totals"
      rows={rows}
      keyOf={(t) => t.case}
      columns={[
        { head: "Case", cell: (t) => t.case },
        ...(changes
          ? [
              {
                head: "What changes",
                cell: (t: Schemas["ScenarioTotal"]) => (base(t) ? "nothing" : changes(t.case)),
              },
            ]
          : []),
        { head: "Total", right: true, cell: (t) => write(t.total) },
        { head: `Low ${name}`, right: true, cell: (t) => write(t.low[level]) },
        { head: `High ${name}`, right: true, cell: (t) => write(t.high[level]) },
        { head: "Change", right: true, cell: (t) => (base(t) ? "" : write(t.change)) },
        { head: `from (${name})`, right: true, cell: (t) => (base(t) ? "" : write(t.change_low[level])) },
        { head: `to (${name})`, right: true, cell: (t) => (base(t) ? "" : write(t.change_high[level])) },
        { head: "Change", right: true, cell: (t) => (base(t) ? "" : share(t.change_share)) },
        ...(rows.some((t) => t.neighbours)
          ? [
              {
                head: "of neighbours",
                right: true,
                cell: (t: Schemas["ScenarioTotal"]) => (t.neighbours ? write(t.neighbours) : ""),
              },
            ]
          : []),
      ]}
    />
  );
}

function Curves({ scenario }: { scenario: Scenario }) {
  const [params, setParams] = useSearchParams();
  const series = params.get("series") ?? "";
  const { data, error } = useQuery({
    queryKey: ["scenario-curve", scenario.id, series],
    queryFn: () =>
      take(
        api.GET("/scenarios/{scenario}/curve", {
          params: { path: { scenario: scenario.id }, query: { series: series || undefined } },
        }),
      ),
    placeholderData: (before) => before,
  });
  const choose = (key: string) => {
    const next = new URLSearchParams(params);
    if (key) next.set("series", key);
    else next.delete("series");
    setParams(next, { replace: true });
  };
  if (error) return <Trouble error={error} />;
  if (!data) return <Waiting what="the forecasts" />;
  return (
    <Section
      title={data.series || `All ${count(scenario.series ?? 0, "series")} together`}
      aside={
        <span className="flex items-end gap-2">
          {data.series && (
            <button type="button" className="text-copper underline" onClick={() => choose("")}>
              All together
            </button>
          )}
          <SeriesPicker keys={data.keys ?? []} chosen={data.series} choose={choose} />
        </span>
      }
    >
      {data.left_out ? (
        <p>No forecast: {data.left_out}.</p>
      ) : (
        <Lines curve={data} measure={scenario.measure} />
      )}
    </Section>
  );
}

/** Forecasts side by side, the banded one with its intervals; or their differences. */
function Lines({ curve, measure }: { curve: Curve; measure: string }) {
  const [off, setOff] = useState<string[]>([]);
  const [view, setView] = useState("change");
  const lines = curve.cases.map((c, k) => ({ ...c, hue: hueOf(k) }));
  const shown = lines.filter((l) => !off.includes(l.case));
  const banded = shown.at(-1);
  const change = view === "change";
  const drawn = change ? shown.filter((l) => l.case !== "base") : shown;
  const horizon = curve.periods.length - curve.start;
  const end = curve.periods.length - 1;
  return (
    <>
      <div className="flex flex-wrap items-center gap-2">
        {lines.map((l) => (
          <Toggle
            key={l.case}
            name={l.case}
            hue={l.hue}
            on={!off.includes(l.case)}
            onChange={(on) => setOff(on ? off.filter((x) => x !== l.case) : [...off, l.case])}
          />
        ))}
        <span className="flex-1" />
        <Select
          label="What is drawn"
          hideLabel
          value={view}
          onChange={setView}
          options={[
            { value: "forecast", text: "Forecasts" },
            { value: "change", text: "Differences from the base" },
          ]}
        />
      </div>
      <TimeChart
        label={`${measure} of ${curve.series || "all series"} under ${lines.map((l) => l.case).join(", ")}`}
        periods={curve.periods}
        unit={change ? `change of ${measure}` : measure}
        actual={change ? [] : curve.actual}
        lines={drawn.map((l) => ({
          name: l.case,
          hue: l.hue,
          start: curve.start,
          values: change ? l.change : l.forecast,
        }))}
        bands={
          banded && !(change && banded.case === "base")
            ? bandsOf(
                {
                  contender: banded.case,
                  start: curve.start,
                  low: change ? banded.change_low : banded.low,
                  high: change ? banded.change_high : banded.high,
                },
                curve.levels,
                banded.hue,
              )
            : []
        }
        tints={[{ from: curve.start - 1, to: end, origin: `origin ${curve.periods[curve.start - 1] ?? ""}` }]}
        rings={[]}
        view={[Math.max(0, curve.start - (change ? 1 : 2 * horizon)), end]}
        height={380}
      />
      {curve.series && (
        <TotalTable rows={curve.totals} level={curve.levels.length - 1} levels={curve.levels} />
      )}
      <Steps curve={curve} measure={measure} />
    </>
  );
}

function Steps({ curve, measure }: { curve: Curve; measure: string }) {
  const rows = curve.periods.slice(curve.start).map((period, h) => ({ period, h }));
  const write = column(curve.cases.flatMap((c) => c.forecast));
  return (
    <details>
      <summary className="cursor-pointer text-small text-soft">Every step, in {measure}</summary>
      <div className="max-h-72 overflow-auto">
        <Table
          label="Steps"
          rows={rows}
          keyOf={(r) => r.period}
          columns={[
            { head: "Period", cell: (r) => r.period },
            ...curve.cases.map((c) => ({
              head: c.case,
              right: true,
              cell: (r: { h: number }) => write(c.forecast[r.h]),
            })),
            ...curve.cases
              .filter((c) => c.case !== "base")
              .map((c) => ({
                head: `${c.case}: change`,
                right: true,
                cell: (r: { h: number }) => write(c.change[r.h]),
              })),
          ]}
        />
      </div>
    </details>
  );
}
