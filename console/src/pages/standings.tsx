import { useQuery } from "@tanstack/react-query";
import { useSearchParams } from "react-router";
import { api, type Schemas, take } from "../api/client";
import { column, figure, share } from "../format";
import { hueOf } from "../theme";
import { Select } from "../ui/controls";
import { Section, Trouble, Waiting } from "../ui/page";
import { type Column, Table } from "../ui/table";

type Bakeoff = Schemas["Bakeoff"];
type Row = Schemas["StandingRow"];
type Metric = Schemas["Metric"];

export const placeOf = (plan: Schemas["Plan"], contender: string) =>
  plan.contenders.findIndex((c) => (c.name ?? c.family) === contender);

export function StandingsView({ bakeoff }: { bakeoff: Bakeoff }) {
  const [params, setParams] = useSearchParams();
  const metric = params.get("metric") ?? "";
  const per = params.get("per") ?? "";
  const whole = useQuery({
    queryKey: ["dataset", bakeoff.plan.dataset],
    queryFn: () =>
      take(api.GET("/datasets/{dataset}", { params: { path: { dataset: bakeoff.plan.dataset } } })),
  });
  const { data, error } = useQuery({
    queryKey: ["standings", bakeoff.id, metric, per],
    queryFn: () =>
      take(
        api.GET("/bakeoffs/{bakeoff}/standings", {
          params: {
            path: { bakeoff: bakeoff.id },
            query: { metric: metric || undefined, per: per || undefined },
          },
        }),
      ),
    placeholderData: (before) => before,
  });
  function choose(name: string, value: string) {
    const next = new URLSearchParams(params);
    if (value === "*") next.delete(name);
    else next.set(name, value);
    setParams(next, { replace: true });
  }
  if (error) return <Trouble error={error} />;
  if (!data) return <Waiting what="the standings" />;
  const cuts = ["step", "window", ...(whole.data?.attributes.map((a) => a.name) ?? [])];
  return (
    <Section
      title="Standings"
      aside={
        <span className="flex gap-3">
          <Select
            label="Ranked by"
            value={data.metric}
            onChange={(v) => choose("metric", v)}
            options={data.metrics.map((m) => ({ value: m.name, text: m.name }))}
          />
          <Select
            label="Cut by"
            value={per || "*"}
            onChange={(v) => choose("per", v)}
            options={[{ value: "*", text: "not cut" }, ...cuts.map((c) => ({ value: c, text: c }))]}
          />
        </span>
      }
    >
      {data.per ? <CutTable data={data} bakeoff={bakeoff} /> : <Whole data={data} bakeoff={bakeoff} />}
      {(data.filled?.length ?? 0) > 0 && (
        <p className="text-[13px] text-soft">
          Caution: where a contender failed on a series, the naive stands in; for one,{" "}
          {data.filled?.[0]?.contender} on {data.filled?.[0]?.series}: {data.filled?.[0]?.reason}.
        </p>
      )}
    </Section>
  );
}

export const show = (m: Metric, v: number | null | undefined) => (m.share ? share(v) : figure(v));

/** Writes a column of a metric with the same digits throughout. */
const writer = (m: Metric, rows: Row[]) => (m.share ? share : column(rows.map((r) => r.values[m.name])));

/** How far a value is from the best it could be: the smallest of a column is its best. */
function distance(m: Metric, v: number): number {
  if (m.name === "r2") return -v;
  if (m.name === "bias") return Math.abs(v);
  if (m.name.startsWith("coverage")) return Math.abs(v - Number(m.name.slice(8)) / 100);
  return v;
}

function bestOf(m: Metric, rows: Row[]): number {
  return Math.min(
    ...rows
      .map((r) => r.values[m.name])
      .filter((v): v is number => v != null)
      .map((v) => distance(m, v)),
  );
}

function Name({ bakeoff, contender }: { bakeoff: Bakeoff; contender: string }) {
  return (
    <span className="inline-flex items-center gap-2">
      <span
        aria-hidden
        className="h-0.5 w-4"
        style={{ background: `var(--${hueOf(placeOf(bakeoff.plan, contender))})` }}
      />
      {contender}
      {contender === bakeoff.plan.baseline && <span className="text-soft">(baseline)</span>}
    </span>
  );
}

function Whole({ data, bakeoff }: { data: Schemas["Standings"]; bakeoff: Bakeoff }) {
  const rows = data.slices[0]?.rows ?? [];
  const columns: Column<Row>[] = [
    { head: "Rank", right: true, cell: (r) => r.rank },
    { head: "Contender", cell: (r) => <Name bakeoff={bakeoff} contender={r.contender} /> },
    {
      head: "Skill",
      right: true,
      cell: (r) => share(r.skill),
      hint: "1 - error / the baseline's error, on the ranking metric",
    },
    ...data.metrics.map((m): Column<Row> => {
      const best = bestOf(m, rows);
      const write = writer(m, rows);
      return {
        head: m.unit ? `${m.name.replace("_", " ")} (${bakeoff.measure})` : m.name,
        hint: m.meaning,
        right: true,
        cell: (r) => write(r.values[m.name]),
        best: (r) => {
          const v = r.values[m.name];
          return !m.name.startsWith("width") && v != null && distance(m, v) === best;
        },
      };
    }),
    { head: "Points", right: true, cell: (r) => figure(r.points) },
    {
      head: "Filled",
      right: true,
      cell: (r) => figure(r.filled),
      hint: "Series and windows on which it failed and the naive stood in",
    },
  ];
  return <Table label="Standings" rows={rows} keyOf={(r) => r.contender} columns={columns} />;
}

/** A cut shows the ranking metric of every contender, a line a slice. */
function CutTable({ data, bakeoff }: { data: Schemas["Standings"]; bakeoff: Bakeoff }) {
  const metric = data.metrics.find((m) => m.name === data.metric);
  if (!metric) return null;
  const names = bakeoff.plan.contenders.map((c) => c.name ?? c.family);
  const metricOf = (s: Schemas["StandingsSlice"], name: string) =>
    s.rows.find((r) => r.contender === name)?.values[metric.name];
  const write = writer(
    metric,
    data.slices.flatMap((s) => s.rows),
  );
  return (
    <Table
      label={`Standings by ${data.per}`}
      rows={data.slices}
      keyOf={(s) => s.name ?? ""}
      columns={[
        { head: data.per, cell: (s) => s.name },
        ...names.map((name) => ({
          head: <Name bakeoff={bakeoff} contender={name} />,
          right: true,
          cell: (s: Schemas["StandingsSlice"]) => write(metricOf(s, name)),
          best: (s: Schemas["StandingsSlice"]) => {
            const v = metricOf(s, name);
            return v != null && distance(metric, v) === bestOf(metric, s.rows);
          },
        })),
        { head: "Points", right: true, cell: (s) => figure(s.rows[0]?.points) },
      ]}
    />
  );
}
