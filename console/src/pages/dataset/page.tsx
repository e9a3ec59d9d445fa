import { useQuery } from "@tanstack/react-query";
import { Link, useParams, useSearchParams } from "react-router";
import { api, type Schemas, take } from "../../api/client";
import { count, figure, span, when } from "../../format";
import { ButtonLink } from "../../ui/controls";
import { Lead, Page, Section, Trouble, Waiting } from "../../ui/page";
import { Table } from "../../ui/table";
import { SeriesBrowser } from "./browser";
import { Closed } from "./closed";
import { Revisions } from "./revisions";
import { type Dataset, useDataset } from "./use-dataset";

export function DatasetPage() {
  const name = useParams().dataset ?? "";
  const [params] = useSearchParams();
  const { data, error } = useDataset(name, Number(params.get("revision") ?? 0) || 0);
  return (
    <Page title={name}>
      {error ? <Trouble error={error} /> : !data ? <Waiting what="the dataset" /> : <Whole dataset={data} />}
    </Page>
  );
}

function Whole({ dataset }: { dataset: Dataset }) {
  const latest = dataset.revisions?.[0]?.number ?? dataset.revision;
  return (
    <>
      <div className="flex items-start gap-4">
        <Lead>
          {dataset.name} holds {dataset.measure} of {count(dataset.series, "series")} over{" "}
          {span(dataset.periods, dataset.cadence)}, {dataset.first} to {dataset.last}.
        </Lead>
        <span className="flex-1" />
        <ButtonLink to={`/bakeoffs/new?dataset=${encodeURIComponent(dataset.name)}`}>New bake-off</ButtonLink>
      </div>
      {dataset.revision !== latest && (
        <p role="status" className="border border-rule px-3 py-1.5">
          This is revision {dataset.revision} of {latest}, as it was loaded on {when(dataset.loaded)}.{" "}
          <Link to={`/data/${encodeURIComponent(dataset.name)}`}>Show the latest</Link>
        </p>
      )}
      <SeriesBrowser dataset={dataset} />
      <Checks dataset={dataset} />
      <Closed dataset={dataset} latest={dataset.revision === latest} />
      <Events dataset={dataset} />
      <Revisions dataset={dataset} />
    </>
  );
}

function Checks({ dataset }: { dataset: Dataset }) {
  const { data } = useQuery({
    queryKey: ["checks", dataset.name, dataset.revision],
    queryFn: () =>
      take(
        api.GET("/datasets/{dataset}/check", {
          params: { path: { dataset: dataset.name }, query: { revision: dataset.revision } },
        }),
      ),
  });
  if (!data) return <Waiting what="the checks" />;
  return (
    <Section title="Checks">
      {data.items.length === 0 ? (
        <p className="text-soft">Nothing stands out.</p>
      ) : (
        <ul className="flex flex-col gap-1">
          {data.items.map((c) => (
            <li key={c.kind + c.meaning}>
              <b className="font-medium">{c.kind}</b> <span className="text-soft">({c.grade})</span>:{" "}
              {c.series === 1 ? "one series" : `each of ${count(c.series, "series")}`} {c.meaning}. For
              example {c.example[0]}.
            </li>
          ))}
        </ul>
      )}
    </Section>
  );
}

const scope = (e: Schemas["Event"]) =>
  Object.entries(e.where ?? {})
    .map(([a, v]) => `${a} ${v}`)
    .join(", ") || "all series";

const days = (o: Schemas["Occasion"] | undefined) =>
  o ? (o.first === o.last ? o.first : `${o.first} to ${o.last}`) : "–";

function Events({ dataset }: { dataset: Dataset }) {
  const { data } = useQuery({
    queryKey: ["events", dataset.name, dataset.revision],
    queryFn: () =>
      take(
        api.GET("/datasets/{dataset}/events", {
          params: { path: { dataset: dataset.name }, query: { revision: dataset.revision } },
        }),
      ),
  });
  if (!data) return null;
  if (data.items.length === 0) {
    return (
      <Section title="Events">
        <p className="text-soft">
          None yet. Holidays, promotions and launches come from a calendar file or a table:{" "}
          <code>paperkettle event load holidays.ics --dataset {dataset.name}</code>
        </p>
      </Section>
    );
  }
  return (
    <Section title="Events">
      <Table
        label="Events"
        rows={data.items}
        keyOf={(e) => e.name + scope(e)}
        columns={[
          { head: "Event", cell: (e) => e.name },
          { head: "Holds for", cell: scope },
          { head: "Series", right: true, cell: (e) => figure(e.series) },
          { head: "Days before", right: true, cell: (e) => e.before },
          { head: "Days after", right: true, cell: (e) => e.after },
          { head: "Past", right: true, cell: (e) => e.past },
          { head: "Ahead", right: true, cell: (e) => e.ahead },
          { head: "Last", cell: (e) => days(e.occasions[e.past - 1]) },
          { head: "Next", cell: (e) => days(e.occasions[e.past]) },
        ]}
      />
    </Section>
  );
}
