import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Schemas, take } from "../api/client";
import { useAttributes } from "../api/datasets";
import { column, count } from "../format";
import { Select } from "../ui/controls";
import { Section, Trouble, Waiting } from "../ui/page";
import { Table } from "../ui/table";
import { FanChart } from "./fan-chart";

type Total = Schemas["ReleaseTotal"];

/** What stands for no attribute: a select has no empty value. */
const whole = "all series";

const useTotals = (release: string, by: string) =>
  useQuery({
    queryKey: ["release-totals", release, by],
    queryFn: () =>
      take(
        api.GET("/releases/{release}/totals", {
          params: { path: { release }, query: { by: by === whole ? undefined : by } },
        }),
      ),
    placeholderData: (before) => before,
  });

/** Sums of a release over its series and steps, by an attribute, with one group drawn. */
export function Totals({ release, hue }: { release: Schemas["Release"]; hue: string }) {
  const [by, setBy] = useState(whole);
  const [group, setGroup] = useState("");
  const { data, error } = useTotals(release.id, by);
  const attributes = useAttributes(release.dataset);
  if (error) return <Trouble error={error} />;
  if (!data) return <Waiting what="the sums" />;
  const shown = data.groups.find((g) => g.group === group) ?? data.groups[0];
  if (!shown) return null;
  return (
    <Section
      title="Totals"
      aside={
        <Select
          label="Added up by"
          hideLabel
          value={by}
          onChange={(next) => {
            setBy(next);
            setGroup("");
          }}
          options={[whole, ...attributes].map((name) => ({
            value: name,
            text: name === whole ? whole : `by ${name}`,
          }))}
        />
      }
    >
      <Groups totals={data} measure={release.measure} shown={shown} choose={setGroup} />
      <FanChart curve={shown.curve} hue={hue} measure={release.measure} height={260} />
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
      <p className="text-[13px] text-soft">
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
