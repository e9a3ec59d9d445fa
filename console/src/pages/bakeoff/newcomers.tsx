import { Fragment } from "react";
import { Link, useSearchParams } from "react-router";
import type { Schemas } from "../../api/client";
import { column, figure, share } from "../../format";
import { Download } from "../../ui/controls";
import { Section } from "../../ui/page";
import { type Column, Table } from "../../ui/table";

type Row = Schemas["NewcomerRow"];

const namesShown = 5;

/** How series without a past were forecast from their likes, apart from the ranking. */
export function NewcomersView({ data, measure }: { data: Schemas["Standings"]; measure: string }) {
  const n = data.newcomers;
  if (!n) return null;
  const metrics = data.metrics.filter((m) => n.metrics.includes(m.name));
  const named = n.series.slice(0, namesShown);
  const more = n.count - named.length;
  const columns: Column<Row>[] = [
    {
      head: "Contender",
      keep: true,
      cell: (r) => (r.reference ? <span className="text-soft">{r.contender}</span> : r.contender),
    },
    ...metrics.map((m): Column<Row> => {
      const write = m.share ? share : column(n.rows.map((r) => r.values[m.name]));
      return {
        head: m.unit ? `${m.label} (${measure})` : m.label,
        hint: m.meaning,
        right: true,
        cell: (r) => write(r.values[m.name]),
      };
    }),
    { head: "Points", right: true, cell: (r) => figure(r.points) },
    {
      head: "Failed",
      right: true,
      cell: (r) => figure(r.failed),
      hint: "Series and windows without a forecast, which are left out",
    },
  ];
  return (
    <Section
      title="Newcomers"
      aside={
        <Download href={`/api/v1/bakeoffs/${data.bakeoff}/export?newcomers=true`}>
          Download their points
        </Download>
      }
    >
      <p className="text-small text-soft">{n.meaning}</p>
      <Table label="Newcomers" rows={n.rows} keyOf={(r) => r.contender} columns={columns} />
      <p className="text-small text-soft">
        {n.count === 1 ? "It is " : "They are "}
        {named.map((name, i) => (
          <Fragment key={name}>
            {i > 0 && "; "}
            <Named series={name} by={n.rows.flatMap((r) => (r.reference ? [] : [r.contender]))} />
          </Fragment>
        ))}
        {more > 0 && ` and ${more} more`}.
      </p>
      {n.rows
        .filter((r) => r.why)
        .map((r) => (
          <p key={r.contender} className="text-small text-soft">
            {r.contender} has no forecast at {r.failed} of {n.places}: {r.why}.
          </p>
        ))}
    </Section>
  );
}

/** A newcomer's name, which leads to its curves, by those contenders that have some. */
function Named({ series, by }: { series: string; by: string[] }) {
  const [params] = useSearchParams();
  const to = new URLSearchParams([...params].filter(([k]) => !["series", "look", "show"].includes(k)));
  to.set("look", "curves");
  to.set("series", series);
  to.set("show", by.join("|"));
  return (
    <Link className="text-copper underline" to={`?${to}`} preventScrollReset>
      {series}
    </Link>
  );
}
