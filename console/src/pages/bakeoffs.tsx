import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, type Schemas, take } from "../api/client";
import { count, figure, share, when } from "../format";
import { ButtonLink } from "../ui/controls";
import { Empty, Lead, Page, Trouble, Waiting } from "../ui/page";
import { Table } from "../ui/table";

type Bakeoff = Schemas["Bakeoff"];

export function BakeoffsPage() {
  const { data, error } = useQuery({
    queryKey: ["bakeoffs"],
    queryFn: () => take(api.GET("/bakeoffs", { params: { query: { limit: 1000 } } })),
    // A list with work in progress is read again until all is over.
    refetchInterval: (q) =>
      q.state.data?.items.some((b) => b.job.state === "running" || b.job.state === "queued") ? 1500 : false,
  });
  return (
    <Page title="Bake-offs">
      {error ? (
        <Trouble error={error} />
      ) : !data ? (
        <Waiting what="bake-offs" />
      ) : (
        <Bakeoffs list={data.items} />
      )}
    </Page>
  );
}

function lead(list: Bakeoff[]): string {
  const last = list.find((b) => b.leader);
  if (!last) return `${count(list.length, "bake-off")}, none finished yet.`;
  const skill = last.skill == null ? "" : ` with ${share(last.skill)} skill over ${last.plan.baseline}`;
  return `In the latest, ${last.name}, ${last.leader} leads${skill}.`;
}

function Bakeoffs({ list }: { list: Bakeoff[] }) {
  if (list.length === 0) {
    return (
      <>
        <Lead>No bake-off has been run yet.</Lead>
        <Empty
          text="A bake-off holds back the recent past and lets contenders forecast it."
          command="paperkettle bakeoff run --dataset daily --horizon 28 --windows 3 --contender naive --contender calendar-mean --wait"
          action={<ButtonLink to="/bakeoffs/new">New bake-off</ButtonLink>}
        />
      </>
    );
  }
  return (
    <>
      <div className="flex items-start gap-4">
        <Lead>{lead(list)}</Lead>
        <span className="flex-1" />
        <ButtonLink to="/bakeoffs/new">New bake-off</ButtonLink>
      </div>
      <Table
        label="Bake-offs"
        rows={list}
        keyOf={(b) => b.id}
        columns={[
          {
            head: "Bake-off",
            cell: (b) => (
              <Link className="text-copper underline" to={`/bakeoffs/${b.id}`}>
                {b.id}
              </Link>
            ),
          },
          { head: "Name", cell: (b) => b.name },
          { head: "Dataset", cell: (b) => `${b.plan.dataset} r${b.plan.revision}` },
          { head: "Horizon", right: true, cell: (b) => figure(b.plan.horizon) },
          { head: "Windows", right: true, cell: (b) => figure(b.plan.windows) },
          { head: "Contenders", right: true, cell: (b) => figure(b.plan.contenders.length) },
          {
            head: "State",
            cell: (b) => (b.job.state === "running" ? `running ${b.job.done}/${b.job.total}` : b.job.state),
          },
          { head: "Leader", cell: (b) => b.leader ?? "" },
          { head: "Skill", right: true, cell: (b) => (b.leader ? share(b.skill) : "") },
          { head: "Started", cell: (b) => when(b.created) },
        ]}
      />
    </>
  );
}
