import { useQuery } from "@tanstack/react-query";
import { useSearchParams } from "react-router";
import { api, type Schemas, take } from "../../api/client";
import { count, share } from "../../format";
import { Section, Trouble, Waiting } from "../../ui/page";
import { Table } from "../../ui/table";
import { show } from "./standings";

type Slice = Schemas["StandingsSlice"];

const shownAtOnce = 500;

/** Each series' winner, with its settings and error. */
export function Winners({ bakeoff }: { bakeoff: Schemas["Bakeoff"] }) {
  const [params, setParams] = useSearchParams();
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
  const settings = (name: string | undefined) => {
    const c = bakeoff.plan.contenders.find((x) => (x.name ?? x.family) === name);
    const all = Object.entries(c?.settings ?? {});
    return all.length ? all.map(([k, v]) => `${k} ${v}`).join(", ") : "as found from the data";
  };
  const wins = new Map<string, number>();
  for (const s of data.slices) {
    const name = s.rows[0]?.contender ?? "";
    wins.set(name, (wins.get(name) ?? 0) + 1);
  }
  const most = [...wins].toSorted((a, b) => b[1] - a[1]);
  function open(key: string) {
    const next = new URLSearchParams(params);
    next.set("series", key);
    next.set("look", "curves");
    setParams(next, { replace: true });
  }
  return (
    <Section title={`Winners of ${count(data.slices.length, "series")}`}>
      <p className="text-[13px] text-soft">{most.map(([n, k]) => `${n} wins ${k}`).join(", ")}.</p>
      <Table
        label="Winners"
        rows={data.slices.slice(0, shownAtOnce)}
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
          {
            head: "Settings",
            cell: (s: Slice) => <span className="text-soft">{settings(s.rows[0]?.contender)}</span>,
          },
          {
            head: metric.name,
            right: true,
            cell: (s: Slice) => show(metric, s.rows[0]?.values[metric.name]),
          },
          { head: "Skill", right: true, cell: (s: Slice) => share(s.rows[0]?.skill) },
          { head: "Second", cell: (s: Slice) => s.rows[1]?.contender },
          {
            head: metric.name,
            right: true,
            cell: (s: Slice) => show(metric, s.rows[1]?.values[metric.name]),
          },
        ]}
      />
      {data.slices.length > shownAtOnce && (
        <p className="text-[13px] text-soft">
          The first {shownAtOnce} are shown; take all away as standings cut by series.
        </p>
      )}
    </Section>
  );
}
