import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useSearchParams } from "react-router";
import { api, type Schemas, take } from "../../api/client";
import { useAttributes } from "../../api/datasets";
import { count, median, share } from "../../format";
import { Input, Select } from "../../ui/controls";
import { Section, Trouble, Waiting } from "../../ui/page";
import { Table } from "../../ui/table";
import { type Order, orders, tally } from "./ranking";
import { show } from "./standings";

type Slice = Schemas["StandingsSlice"];

const shownAtOnce = 500;

/** What stands for no cut: a select has no empty value. */
const none = "nothing";

type ByValueProps = { slices: Slice[]; place: number; name: string; choose: (value: string) => void };

/** Who wins among the series of each value of an attribute; a series' key names its values in their order. */
function ByValue({ slices, place, name, choose }: ByValueProps) {
  const groups = Map.groupBy(slices, (s) => (s.name ?? "").split(" / ")[place] ?? "");
  return (
    <Table
      label={`Winners by ${name}`}
      rows={[...groups]}
      keyOf={([value]) => value}
      columns={[
        {
          head: name,
          cell: ([value]) => (
            <button type="button" className="text-copper" onClick={() => choose(value)}>
              {value}
            </button>
          ),
        },
        { head: "Series", right: true, cell: ([, list]) => list.length },
        {
          head: "Median skill",
          right: true,
          cell: ([, list]) => share(median(list.map((s) => s.rows[0]?.skill))),
        },
        { head: "Winners", cell: ([, list]) => tally(list) },
      ]}
    />
  );
}

/** Each series' winner, with its settings and error. */
export function Winners({ bakeoff }: { bakeoff: Schemas["Bakeoff"] }) {
  const [params, setParams] = useSearchParams();
  const [order, setOrder] = useState<Order>("series");
  const [only, setOnly] = useState("");
  const [by, setBy] = useState(none);
  const attributes = useAttributes(bakeoff.plan.dataset);
  const { data, error } = useQuery({
    queryKey: ["standings", bakeoff.id, "brief", "series"],
    queryFn: () =>
      take(
        api.GET("/bakeoffs/{bakeoff}/standings", {
          params: { path: { bakeoff: bakeoff.id }, query: { per: "series", brief: true } },
        }),
      ),
  });
  if (error) return <Trouble error={error} />;
  const metric = data?.metrics.find((m) => m.name === data.metric);
  if (!data || !metric) return <Waiting what="the series" />;
  const settings = (s: Slice) => {
    const first = s.rows[0];
    const c = bakeoff.plan.contenders.find((x) => (x.name ?? x.family) === first?.contender);
    const given = Object.entries(c?.settings ?? {}).map(([k, v]) => `${k} ${v}`);
    return [...given, ...(first?.found ? [first.found] : [])].join("; ");
  };
  const words = only.toLowerCase().split(/\s+/).filter(Boolean);
  const shown = data.slices
    .filter((s) => words.every((w) => (s.name ?? "").toLowerCase().includes(w)))
    .toSorted(orders[order](metric.name));
  function open(key: string) {
    const next = new URLSearchParams(params);
    next.set("series", key);
    next.set("look", "curves");
    setParams(next, { replace: true });
  }
  return (
    <Section
      title={`Winners of ${count(shown.length, "series")}`}
      aside={
        <span className="flex items-end gap-3">
          <Input
            label="Only series with"
            value={only}
            onChange={setOnly}
            placeholder="Saltmarsh tea"
            width="w-40"
          />
          <Select
            label="Cut by"
            value={by}
            onChange={setBy}
            options={[none, ...attributes].map((name) => ({ value: name, text: name }))}
          />
          <Select
            label="Order"
            value={order}
            onChange={(v) => setOrder(v as Order)}
            options={[
              { value: "series", text: "by series" },
              { value: "skill", text: "least skill first" },
              { value: "error", text: "largest error first" },
              { value: "doubt", text: "most in doubt first" },
            ]}
          />
        </span>
      }
    >
      <p className="text-small text-soft">{tally(shown)}.</p>
      {by !== none && <ByValue slices={shown} place={attributes.indexOf(by)} name={by} choose={setOnly} />}
      <Table
        label="Winners"
        rows={shown.slice(0, shownAtOnce)}
        keyOf={(s) => s.name ?? ""}
        columns={[
          {
            head: "Series",
            cell: (s: Slice) => (
              <button type="button" className="text-copper" onClick={() => open(s.name ?? "")}>
                {s.name}
              </button>
            ),
          },
          { head: "Winner", cell: (s: Slice) => s.rows[0]?.contender },
          ...(shown.some(settings)
            ? [
                {
                  head: "What it is for this series",
                  cell: (s: Slice) => <span className="text-soft">{settings(s)}</span>,
                },
              ]
            : []),
          {
            head: metric.label,
            right: true,
            cell: (s: Slice) => show(metric, s.rows[0]?.values[metric.name]),
          },
          { head: "Skill", right: true, cell: (s: Slice) => share(s.rows[0]?.skill) },
          { head: "Second", cell: (s: Slice) => s.rows[1]?.contender },
          {
            head: metric.label,
            right: true,
            cell: (s: Slice) => show(metric, s.rows[1]?.values[metric.name]),
          },
        ]}
      />
      {shown.length > shownAtOnce && (
        <p className="text-small text-soft">
          The first {shownAtOnce} are shown; take all away as standings cut by series.
        </p>
      )}
    </Section>
  );
}
