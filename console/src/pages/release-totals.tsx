import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useSearchParams } from "react-router";
import { api, type Schemas, take } from "../api/client";
import { column, count } from "../format";
import { Select } from "../ui/controls";
import { Facets } from "../ui/facets";
import { Section, Trouble, Waiting } from "../ui/page";
import { Table } from "../ui/table";
import { FanChart } from "./fan-chart";

type Total = Schemas["ReleaseTotal"];

/** What stands for no attribute: a select has no empty value. */
const whole = "all series";

const useTotals = (release: string, by: string, where: string[]) =>
  useQuery({
    queryKey: ["release-totals", release, by, where],
    queryFn: () =>
      take(
        api.GET("/releases/{release}/totals", {
          params: { path: { release }, query: { by: by === whole ? undefined : by, where } },
        }),
      ),
    placeholderData: (before) => before,
  });

/** The values of each attribute among the series of a dataset for which the conditions hold. */
const useFacets = (dataset: string, where: string[]) =>
  useQuery({
    queryKey: ["facets", dataset, where],
    queryFn: () =>
      take(
        api.GET("/datasets/{dataset}/series", { params: { path: { dataset }, query: { where, limit: 1 } } }),
      ),
    placeholderData: (before) => before,
  }).data?.facets ?? [];

/** Sums of a release over its series and steps, by an attribute, with one group drawn. */
export function Totals({ release, hue }: { release: Schemas["Release"]; hue: string }) {
  const [params, setParams] = useSearchParams();
  const by = params.get("sum") ?? whole;
  const where = params.getAll("where");
  const [group, setGroup] = useState("");
  const { data, error } = useTotals(release.id, by, where);
  const facets = useFacets(release.dataset, where);
  function change(edit: (p: URLSearchParams) => void) {
    const next = new URLSearchParams(params);
    edit(next);
    setParams(next, { replace: true, preventScrollReset: true });
    setGroup("");
  }
  const shown = data?.groups.find((g) => g.group === group) ?? data?.groups[0];
  return (
    <Section title="Totals">
      <div className="flex flex-wrap gap-3 print:hidden">
        <Select
          label="Added up"
          value={by}
          onChange={(v) => change((p) => (v === whole ? p.delete("sum") : p.set("sum", v)))}
          options={[whole, ...facets.map((f) => f.attribute)].map((name) => ({
            value: name,
            text: name === whole ? whole : `by ${name}`,
          }))}
        />
        <Facets
          facets={facets}
          where={where}
          choose={(next) =>
            change((p) => {
              p.delete("where");
              for (const w of next) p.append("where", w);
            })
          }
        />
      </div>
      {error && <Trouble error={error} />}
      {!data && !error && <Waiting what="the sums" />}
      {data && !shown && <p className="text-soft">None of these series was forecast.</p>}
      {data && shown && !error && (
        <>
          <Groups totals={data} measure={release.measure} shown={shown} choose={setGroup} />
          <FanChart curve={shown.curve} hue={hue} measure={release.measure} height={260} />
        </>
      )}
    </Section>
  );
}

type GroupsProps = {
  totals: Schemas["ReleaseTotals"];
  measure: string;
  shown: Total;
  choose: (group: string) => void;
};

function Groups({ totals, measure, shown, choose }: GroupsProps) {
  const write = column(totals.groups.flatMap((g) => [g.total, ...g.high]));
  const levels = totals.levels.map((level, i) => ({ level, i }));
  const { ties } = totals;
  return (
    <>
      <p className="text-small text-soft">
        The expected sum of {measure} from {totals.first} to {totals.last}. Its intervals count how far errors
        went together in the bake-off: {ties.series.toFixed(2)} between series, {ties.steps.toFixed(2)}{" "}
        between steps, over {count(ties.windows, "window")}.
      </p>
      <div className="max-h-72 overflow-auto">
        <Table
          label="Totals"
          rows={totals.groups}
          keyOf={(g) => g.group}
          selected={(g) => g.group === shown.group}
          columns={[
            {
              head: totals.by ?? "Sum",
              keep: true,
              cell: (g) => (
                <button type="button" className="text-copper underline" onClick={() => choose(g.group)}>
                  {g.group}
                </button>
              ),
            },
            {
              head: "Series",
              right: true,
              cell: (g) => (g.left_out ? `${g.series}, ${g.left_out} left out` : g.series),
            },
            ...[...levels].reverse().map((l) => ({
              head: `Low ${l.level} %`,
              right: true,
              cell: (g: Total) => write(g.low[l.i]),
            })),
            { head: "Forecast", right: true, cell: (g) => write(g.total) },
            ...levels.map((l) => ({
              head: `High ${l.level} %`,
              right: true,
              cell: (g: Total) => write(g.high[l.i]),
            })),
            { head: "Actual", right: true, cell: (g) => write(g.actual) },
          ]}
        />
      </div>
    </>
  );
}
