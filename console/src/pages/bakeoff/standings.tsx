import { useQuery } from "@tanstack/react-query";
import { useSearchParams } from "react-router";
import { api, type Schemas, take } from "../../api/client";
import { save } from "../../chart/save";
import { TimeChart } from "../../chart/time-chart";
import { column, figure, part, share } from "../../format";
import { hueOf } from "../../theme";
import { Select } from "../../ui/controls";
import { Cautions, Section, Trouble, Waiting } from "../../ui/page";
import { type Column, Table } from "../../ui/table";
import { NewcomersView } from "./newcomers";
import { bestOf, distance } from "./ranking";

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
  const [first, second] = per.split(",");
  const cuts = [
    "step",
    "window",
    "volume",
    "demand",
    "history",
    "weekday",
    "month",
    ...(whole.data?.attributes.map((a) => a.name) ?? []),
  ];
  const cut = (a: string | undefined, b: string | undefined) =>
    choose("per", !a || a === "*" ? "*" : b && b !== "*" && b !== a ? `${a},${b}` : a);
  return (
    <Section
      title="Standings"
      aside={
        <span className="flex gap-3">
          <Select
            label="Ranked by"
            value={data.metric}
            onChange={(v) => choose("metric", v)}
            options={data.metrics.map((m) => ({ value: m.name, text: m.label }))}
          />
          <Select
            label="Cut by"
            value={first || "*"}
            onChange={(v) => cut(v, second)}
            options={[{ value: "*", text: "not cut" }, ...cuts.map((c) => ({ value: c, text: c }))]}
          />
          {first && (
            <Select
              label="Crossed with"
              value={second || "*"}
              onChange={(v) => cut(first, v)}
              options={[
                { value: "*", text: "nothing" },
                ...cuts.filter((c) => c !== first).map((c) => ({ value: c, text: c })),
              ]}
            />
          )}
          <ExportMenu bakeoff={bakeoff} per={per} />
        </span>
      }
    >
      {data.per ? <CutTable data={data} bakeoff={bakeoff} /> : <Whole data={data} bakeoff={bakeoff} />}
      <Cautions list={data.cautions} />
      {(data.filled?.length ?? 0) > 0 && (
        <p className="text-small text-soft">
          {data.filled?.[0]?.contender} failed on {data.filled?.[0]?.series} in window{" "}
          {data.filled?.[0]?.window}, for one: {data.filled?.[0]?.reason}.
        </p>
      )}
      <div className="pt-3 empty:hidden">
        <NewcomersView data={data} measure={bakeoff.measure} />
      </div>
    </Section>
  );
}

export const show = (m: Metric, v: number | null | undefined) => (m.share ? share(v) : figure(v));

/** The ranking metric as the trade spells it. */
export const labelOf = (data: Schemas["Standings"]) =>
  data.metrics.find((m) => m.name === data.metric)?.label ?? data.metric;

/** Writes a column of a metric with the same digits throughout. */
const writer = (m: Metric, rows: Row[]) => (m.share ? share : column(rows.map((r) => r.values[m.name])));

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

const usual = ["mae", "rmse", "bias", "wape", "mase", "crps"];

const isUsual = (m: Metric, ranking: string) =>
  m.name === ranking || usual.includes(m.name) || m.name.startsWith("coverage");

function Whole({ data, bakeoff }: { data: Schemas["Standings"]; bakeoff: Bakeoff }) {
  const [params, setParams] = useSearchParams();
  const all = params.get("metrics") === "all";
  const rows = data.slices[0]?.rows ?? [];
  const ranking = data.metrics.filter((m) => m.name === data.metric);
  const others = data.metrics.filter((m) => m.name !== data.metric && (all || isUsual(m, data.metric)));
  const columns: Column<Row>[] = [
    { head: "Rank", right: true, cell: (r) => r.rank || "–" },
    { head: "Contender", keep: true, cell: (r) => <Name bakeoff={bakeoff} contender={r.contender} /> },
    {
      head: "Skill",
      cell: (r) => <SkillBar skill={r.skill} rows={rows} />,
      hint: "1 - error / the baseline's error, on the ranking metric",
    },
    {
      head: "Against the leader",
      cell: (r) => <Luck row={r} />,
      hint: "Whether the difference to the leader is more than luck: its 95 % interval, over series and windows",
    },
    ...[...ranking, ...others].map((m): Column<Row> => {
      const best = bestOf(m.name, rows);
      const write = writer(m, rows);
      return {
        head: m.unit ? `${m.label} (${bakeoff.measure})` : m.label,
        hint: m.meaning,
        right: true,
        cell: (r) => write(r.values[m.name]),
        best: (r) => {
          const v = r.values[m.name];
          return !m.name.startsWith("width") && v != null && distance(m.name, v) === best;
        },
      };
    }),
    ...overColumns(data, rows),
    { head: "Points", right: true, cell: (r) => figure(r.points) },
    {
      head: "Filled",
      right: true,
      cell: (r) => figure(r.filled),
      hint: "Series and windows on which it failed",
    },
  ];
  return (
    <>
      <Table label="Standings" rows={rows} keyOf={(r) => r.contender} columns={columns} />
      <div className="flex flex-wrap items-center gap-4 text-small text-soft">
        <button
          type="button"
          className="text-copper"
          onClick={() => {
            const next = new URLSearchParams(params);
            if (all) next.delete("metrics");
            else next.set("metrics", "all");
            setParams(next, { replace: true });
          }}
        >
          {all ? "Show the usual metrics" : `Show all ${data.metrics.length} metrics`}
        </button>
        <Hindsight data={data} />
      </div>
    </>
  );
}

/** What a contender does over the series, in training, and what it costs. */
function overColumns(data: Schemas["Standings"], rows: Row[]): Column<Row>[] {
  if (!rows.some((r) => r.over)) return [];
  const weighted = rows.some((r) => r.weighted?.[data.metric] != null);
  const columns: Column<Row>[] = [
    {
      head: "In training",
      right: true,
      cell: (r) => figure(r.train?.[data.metric]),
      hint: `${labelOf(data)} one step ahead within the training parts: how optimistic a fit looks`,
    },
    {
      head: "Mean rank",
      right: true,
      cell: (r) => part(r.over?.mean_rank),
      hint: "Over the series; 1 is best",
    },
    {
      head: "Series won",
      right: true,
      cell: (r) => share(r.over?.won),
      hint: "Share of series on which none is better",
    },
    { head: "Beats baseline", right: true, cell: (r) => share(r.over?.beats), hint: "Share of series" },
    { head: "Time", right: true, cell: (r) => duration(r.seconds), hint: "Of one worker, over all windows" },
    {
      head: "Size",
      right: true,
      cell: (r) => (r.bytes ? `${figure(Math.round(r.bytes / 1e5) / 10)} MB` : "–"),
      hint: "Of its fits to all series, as they are kept",
    },
  ];
  if (weighted)
    columns.unshift({
      head: `Weighted ${labelOf(data)}`,
      right: true,
      cell: (r) => figure(r.weighted?.[data.metric]),
      hint: `Mean over series and windows, weighed by ${data.weights}`,
    });
  return columns;
}

const duration = (s: number | undefined) =>
  s === undefined ? "–" : s < 1 ? `${Math.round(1000 * s)} ms` : `${part(s)} s`;

/** The skill as a bar from the baseline's zero, with its number. */
function SkillBar({ skill, rows }: { skill: number | null; rows: Row[] }) {
  if (skill === null) return <>–</>;
  const top = Math.max(...rows.map((r) => Math.abs(r.skill ?? 0)), 0.01);
  const half = 34;
  const width = Math.min(1, Math.abs(skill) / top) * half;
  return (
    <span className="inline-flex items-center gap-2">
      <svg width={2 * half} height={12} aria-hidden="true">
        <line x1={half} x2={half} y1={0} y2={12} stroke="var(--soft)" />
        <rect
          x={skill < 0 ? half - width : half}
          y={2}
          width={width}
          height={8}
          fill={skill < 0 ? "var(--soft)" : "var(--copper)"}
          opacity={skill < 0 ? 0.5 : 1}
        />
      </svg>
      <span className="w-14 text-right tabular-nums">{share(skill)}</span>
    </span>
  );
}

function Luck({ row }: { row: Row }) {
  const o = row.over;
  if (row.rank === 1) return <span className="text-soft">leads</span>;
  if (!o || (o.behind_low == null && o.p == null)) return <span className="text-soft">not tested</span>;
  const range =
    o.behind_low != null ? `${figure(o.behind_low)} to ${figure(o.behind_high)} behind` : `p = ${part(o.p)}`;
  return (
    <span title={range}>
      {o.like_leader ? "≈ alike" : "worse"} <span className="text-soft">({range})</span>
    </span>
  );
}

function Hindsight({ data }: { data: Schemas["Standings"] }) {
  const metric = data.metrics.find((m) => m.name === data.metric);
  const honest = data.slices[0]?.rows.find((r) => r.contender === "best-per-series");
  if (!metric || data.hindsight == null) return null;
  return (
    <span>
      Choosing each series' best afterwards would score {show(metric, data.hindsight)}, which no one can
      {honest && `; chosen on earlier windows it is ${show(metric, honest.values[metric.name])}`}.
      {data.critical_distance != null &&
        ` Mean ranks more than ${part(data.critical_distance)} apart differ at 5 %.`}
    </span>
  );
}

const formats = ["csv", "xlsx", "parquet", "json"];

function ExportMenu({ bakeoff, per }: { bakeoff: Bakeoff; per: string }) {
  const base = `/api/v1/bakeoffs/${bakeoff.id}`;
  const take = (href: string) => save("", href);
  return (
    <Select
      label="Take away"
      value=""
      placeholder="Choose"
      onChange={(v) => take(v)}
      options={[
        { value: `${base}/report`, text: "report (HTML)" },
        ...formats.map((f) => ({
          value: `${base}/standings/export?format=${f}${per ? `&per=${encodeURIComponent(per)}` : ""}`,
          text: `these standings (${f})`,
        })),
        ...formats.map((f) => ({ value: `${base}/export?format=${f}`, text: `every point (${f})` })),
      ]}
    />
  );
}

/** A cut shows the ranking metric of every contender, a line a slice, as a heat map. */
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
  /** How much worse than the best of its line, 0 to 1 at twice the best. */
  const heat = (s: Schemas["StandingsSlice"], name: string) => {
    const v = metricOf(s, name);
    const best = bestOf(metric.name, s.rows);
    return v == null || !(best > 0) ? 0 : Math.min(1, distance(metric.name, v) / best - 1);
  };
  return (
    <>
      {data.per === "step" && data.slices.length > 1 && (
        <TimeChart
          label={`${metric.label} by step`}
          periods={data.slices.map((s) => s.name ?? "")}
          unit={metric.label}
          actual={[]}
          lines={names.map((name) => ({
            name,
            hue: hueOf(placeOf(bakeoff.plan, name)),
            start: 0,
            values: data.slices.map((s) => metricOf(s, name) ?? null),
          }))}
          bands={[]}
          tints={[]}
          rings={[]}
          view={[0, data.slices.length - 1]}
          height={280}
        />
      )}
      <Table
        label={`Standings by ${data.per}`}
        rows={data.slices}
        keyOf={(s) => s.name ?? ""}
        columns={[
          { head: data.per?.replace(",", " × "), cell: (s) => s.name },
          ...names.map((name) => ({
            head: <Name bakeoff={bakeoff} contender={name} />,
            right: true,
            cell: (s: Schemas["StandingsSlice"]) => (
              <span
                className="-mx-1 block px-1"
                style={{
                  background: `color-mix(in srgb, var(--copper) ${Math.round(38 * heat(s, name))}%, transparent)`,
                }}
              >
                {write(metricOf(s, name))}
              </span>
            ),
            best: (s: Schemas["StandingsSlice"]) => {
              const v = metricOf(s, name);
              return v != null && distance(metric.name, v) === bestOf(metric.name, s.rows);
            },
          })),
          { head: "Points", right: true, cell: (s) => figure(s.rows[0]?.points) },
        ]}
      />
      <p className="text-small text-soft">
        {metric.label}, the best of each line in bold; the deeper the copper, the farther behind it, up to
        twice as large.
      </p>
    </>
  );
}
