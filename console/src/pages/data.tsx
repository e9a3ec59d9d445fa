import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, type Schemas, take } from "../api/client";
import { count, figure, when } from "../format";
import { Empty, Lead, Page, Trouble, Waiting } from "../ui/page";
import { Table } from "../ui/table";
import { LoadDialog } from "./load-dialog";

type Dataset = Schemas["Dataset"];

export const useDatasets = () =>
  useQuery({
    queryKey: ["datasets"],
    queryFn: () => take(api.GET("/datasets", { params: { query: { limit: 1000 } } })),
  });

export function DataPage() {
  const { data, error } = useDatasets();
  return (
    <Page title="Data">
      {error ? (
        <Trouble error={error} />
      ) : !data ? (
        <Waiting what="datasets" />
      ) : (
        <Datasets list={data.items} />
      )}
    </Page>
  );
}

function Datasets({ list }: { list: Dataset[] }) {
  if (list.length === 0) {
    return (
      <>
        <Lead>No data yet.</Lead>
        <Empty
          text="Load a CSV table with a row an observation: a time column, a measure, and the columns that name the series."
          command="paperkettle dataset load daily.csv --name daily --time date --measure orders --by town,channel,line"
          action={<LoadDialog />}
        />
      </>
    );
  }
  const newest = list.reduce((a, b) => (a.loaded > b.loaded ? a : b));
  return (
    <>
      <div className="flex items-start gap-4">
        <Lead>
          {count(list.length, "dataset")}; <em className="not-italic">{newest.name}</em> was loaded last and
          reaches {newest.last}.
        </Lead>
        <span className="flex-1" />
        <LoadDialog />
      </div>
      <Table
        label="Datasets"
        rows={list}
        keyOf={(d) => d.name}
        columns={[
          {
            head: "Dataset",
            cell: (d) => (
              <Link className="text-copper underline" to={`/data/${encodeURIComponent(d.name)}`}>
                {d.name}
              </Link>
            ),
          },
          { head: "Measure", cell: (d) => d.measure },
          { head: "Cadence", cell: (d) => d.cadence },
          { head: "Series", right: true, cell: (d) => figure(d.series) },
          { head: "Periods", right: true, cell: (d) => figure(d.periods) },
          { head: "First", cell: (d) => d.first },
          { head: "Last", cell: (d) => d.last },
          { head: "Attributes", cell: (d) => d.attributes.map((a) => a.name).join(", ") },
          { head: "Drivers", cell: (d) => d.drivers.map((x) => x.name).join(", ") },
          { head: "Revision", right: true, cell: (d) => d.revision },
          { head: "Loaded", cell: (d) => when(d.loaded) },
        ]}
      />
    </>
  );
}
