import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, type Schemas, take } from "../api/client";
import { count, figure, share, when } from "../format";
import { ButtonLink } from "../ui/controls";
import { Empty, Lead, Page, Trouble, Waiting } from "../ui/page";
import { Table } from "../ui/table";

type Release = Schemas["Release"];

export function ReleasesPage() {
  const { data, error } = useQuery({
    queryKey: ["releases"],
    queryFn: () => take(api.GET("/releases", { params: { query: { limit: 1000 } } })),
    refetchInterval: (q) => (q.state.data?.items.some((r) => r.state === "preparing") ? 1500 : false),
  });
  return (
    <Page title="Releases">
      {error ? (
        <Trouble error={error} />
      ) : !data ? (
        <Waiting what="releases" />
      ) : (
        <Releases list={data.items} />
      )}
    </Page>
  );
}

function lead(list: Release[]): string {
  const live = list.filter((r) => r.state === "live");
  const first = live[0];
  if (!first) return `${count(list.length, "release")}, none live.`;
  const more = live.length > 1 ? ` and ${count(live.length - 1, "more")}` : "";
  const flags = first.open_flags > 0 ? `, with ${count(first.open_flags, "flag")} to settle` : "";
  return `${first.id} of ${first.dataset}${more} is live, by ${first.contender} up to ${first.last}${flags}.`;
}

/** How live releases have done, against what they promised. */
export const scoreColumns = [
  {
    head: "WAPE",
    right: true,
    cell: (r: Release) => (r.score?.points ? share(r.score.metrics.wape) : "–"),
    hint: "Sum of the absolute errors over the sum of the actuals so far",
  },
  {
    head: "Skill",
    right: true,
    cell: (r: Release) => share(r.score?.skill),
    hint: "1 - MASE / that of a seasonal naive forecast from the same origin",
  },
  {
    head: "Inside",
    right: true,
    cell: (r: Release) =>
      r.score?.points ? `${share(1 - r.score.outside / r.score.points)} of ${r.score.level} % promised` : "–",
    hint: "Share of the actuals inside the widest interval, and what that promises",
  },
];

function Releases({ list }: { list: Release[] }) {
  if (list.length === 0) {
    return (
      <>
        <Lead>Nothing has been published yet.</Lead>
        <Empty
          text="Publish the leader of a finished bake-off: it is refitted on all data, and its forecast goes out with intervals."
          command="paperkettle release publish bake-1"
          action={<ButtonLink to="/bakeoffs">To the bake-offs</ButtonLink>}
        />
      </>
    );
  }
  return (
    <>
      <Lead>{lead(list)}</Lead>
      <Table
        label="Releases"
        rows={list}
        keyOf={(r) => r.id}
        columns={[
          {
            head: "Release",
            cell: (r) => (
              <Link className="text-copper underline" to={`/releases/${r.id}`}>
                {r.id}
              </Link>
            ),
          },
          { head: "Dataset", cell: (r) => `${r.dataset} r${r.revision}` },
          { head: "Contender", cell: (r) => r.contender },
          { head: "State", cell: (r) => r.state },
          { head: "Origin", cell: (r) => r.origin },
          { head: "Last period", cell: (r) => r.last },
          { head: "Horizon", right: true, cell: (r) => figure(r.horizon) },
          { head: "Actuals since", right: true, cell: (r) => figure(r.score?.points ?? 0) },
          ...scoreColumns,
          { head: "Open flags", right: true, cell: (r) => figure(r.open_flags) },
          { head: "Published", cell: (r) => when(r.created) },
        ]}
      />
    </>
  );
}
