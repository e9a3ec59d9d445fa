import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { Link } from "react-router";
import { api, type Schemas, take } from "../api/client";
import { count, figure, share, span, when } from "../format";
import { ButtonLink } from "../ui/controls";
import { Empty, Lead, Page, Section, Trouble, Waiting } from "../ui/page";
import { Table } from "../ui/table";
import { useDatasets } from "./data";
import { late, type Step, stepsOf } from "./home-steps";
import { LoadDialog } from "./load-dialog";
import { scoreColumns } from "./releases";

type All = {
  datasets: Schemas["Dataset"][];
  releases: Schemas["Release"][];
  bakeoffs: Schemas["Bakeoff"][];
  flags: Schemas["Flag"][];
  open: number;
};

const working = (b: Schemas["Bakeoff"]) => ["queued", "running", "paused"].includes(b.job.state);

/** What is live, what runs, what is late, and what to do next. */
export function HomePage() {
  const datasets = useDatasets();
  const releases = useQuery({
    queryKey: ["releases"],
    queryFn: () => take(api.GET("/releases", { params: { query: { limit: 1000 } } })),
  });
  const bakeoffs = useQuery({
    queryKey: ["bakeoffs"],
    queryFn: () => take(api.GET("/bakeoffs", { params: { query: { limit: 1000 } } })),
    refetchInterval: (q) => (q.state.data?.items.some(working) ? 2000 : false),
  });
  const flags = useQuery({
    queryKey: ["flags", "open", "first"],
    queryFn: () => take(api.GET("/flags", { params: { query: { state: "open", limit: 5 } } })),
  });
  const error = datasets.error ?? releases.error ?? bakeoffs.error ?? flags.error;
  return (
    <Page title="Home">
      {error ? (
        <Trouble error={error} />
      ) : datasets.data && releases.data && bakeoffs.data && flags.data ? (
        <Home
          datasets={datasets.data.items}
          releases={releases.data.items}
          bakeoffs={bakeoffs.data.items}
          flags={flags.data.items}
          open={flags.data.total}
        />
      ) : (
        <Waiting what="what there is" />
      )}
    </Page>
  );
}

function lead({ datasets, releases, open }: All): string {
  const live = releases.filter((r) => r.state === "live");
  const first = live[0];
  if (!first) return `${count(datasets.length, "dataset")}, and no forecast is live yet.`;
  const flags = open > 0 ? `; ${count(open, "flag")} to settle` : "; no flag is open";
  return `${count(live.length, "forecast")} live, of ${live.map((r) => r.dataset).join(", ")}${flags}.`;
}

function Home(all: All) {
  const { datasets, releases, bakeoffs, flags, open } = all;
  if (datasets.length === 0) {
    return (
      <>
        <Lead>Nothing is here yet.</Lead>
        <Empty
          text="Load a table of sales: with a row an observation, or with a column a period. Then let contenders forecast its held-back past."
          command="paperkettle dataset load daily.csv --name daily --time date --measure orders --by town,channel,line"
          action={<LoadDialog />}
        />
      </>
    );
  }
  const live = releases.filter((r) => r.state === "live");
  return (
    <>
      <Lead>{lead(all)}</Lead>
      <Steps steps={stepsOf({ datasets, releases, bakeoffs, open })} />
      {live.length > 0 && <Live list={live} />}
      <div className="grid grid-cols-1 gap-6 lg:grid-cols-2">
        <Work list={bakeoffs.slice(0, 6)} />
        {flags.length > 0 && <Outside list={flags} open={open} />}
        <Data list={datasets} />
      </div>
    </>
  );
}

/** What asks for a hand, the most pressing first. */
function Steps({ steps }: { steps: Step[] }) {
  if (steps.length === 0) return null;
  return (
    <Section title="What to do next">
      <ol className="flex flex-col">
        {steps.slice(0, 5).map((s) => (
          <li key={s.text} className="flex items-center gap-4 border-b border-rule/60 py-1.5">
            <span className="grow">{s.text}</span>
            <ButtonLink weak to={s.to}>
              {s.act}
            </ButtonLink>
          </li>
        ))}
      </ol>
    </Section>
  );
}

const to = (path: string, text: ReactNode) => (
  <Link className="text-copper underline" to={path}>
    {text}
  </Link>
);

function Live({ list }: { list: Schemas["Release"][] }) {
  return (
    <Section title="Live forecasts">
      <Table
        label="Live forecasts"
        rows={list}
        keyOf={(r) => r.id}
        columns={[
          { head: "Release", cell: (r) => to(`/releases/${r.id}`, r.id) },
          { head: "Dataset", cell: (r) => r.dataset },
          { head: "Contender", cell: (r) => r.contender },
          { head: "From", cell: (r) => r.first },
          { head: "To", cell: (r) => r.last },
          { head: "Actuals so far", right: true, cell: (r) => figure(r.score?.points ?? 0) },
          ...scoreColumns,
          {
            head: "Open flags",
            right: true,
            cell: (r) => (r.open_flags > 0 ? to(`/flags?release=${r.id}`, figure(r.open_flags)) : "0"),
          },
        ]}
      />
    </Section>
  );
}

function Work({ list }: { list: Schemas["Bakeoff"][] }) {
  return (
    <Section title="Bake-offs" aside={to("/bakeoffs/new", "New bake-off")}>
      {list.length === 0 ? (
        <p className="text-soft">None has been run yet.</p>
      ) : (
        <Table
          label="Bake-offs"
          rows={list}
          keyOf={(b) => b.id}
          columns={[
            { head: "Bake-off", cell: (b) => to(`/bakeoffs/${b.id}`, b.name) },
            {
              head: "State",
              cell: (b) =>
                working(b) ? `${b.job.state}, ${b.job.done} of ${b.job.total} tasks` : b.job.state,
            },
            { head: "Leader", cell: (b) => b.leader ?? "" },
            { head: "Skill", right: true, cell: (b) => (b.leader ? share(b.skill) : "") },
          ]}
        />
      )}
    </Section>
  );
}

function Outside({ list, open }: { list: Schemas["Flag"][]; open: number }) {
  return (
    <Section title={`Farthest outside, of ${count(open, "open flag")}`} aside={to("/flags", "All flags")}>
      <Table
        label="Flags"
        rows={list}
        keyOf={(f) => f.id}
        columns={[
          { head: "Series", cell: (f) => to(`/flags?flag=${f.id}`, f.series) },
          { head: "Period", cell: (f) => f.period },
          { head: "Actual", right: true, cell: (f) => figure(f.actual) },
          { head: "Interval", right: true, cell: (f) => `${figure(f.low)} to ${figure(f.high)}` },
        ]}
      />
    </Section>
  );
}

function Data({ list }: { list: Schemas["Dataset"][] }) {
  return (
    <Section title="Data" aside={to("/data", "All datasets")}>
      <Table
        label="Datasets"
        rows={list.slice(0, 6)}
        keyOf={(d) => d.name}
        columns={[
          { head: "Dataset", cell: (d) => to(`/data/${encodeURIComponent(d.name)}`, d.name) },
          { head: "Series", right: true, cell: (d) => figure(d.series) },
          { head: "Up to", cell: (d) => d.last },
          {
            head: "Late by",
            right: true,
            cell: (d) => {
              const n = late(d, new Date());
              return n > 0 ? span(n, d.cadence) : "–";
            },
            hint: "Whole periods that are over and have not been loaded",
          },
          { head: "Loaded", cell: (d) => when(d.loaded) },
        ]}
      />
    </Section>
  );
}
