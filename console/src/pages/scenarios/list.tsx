import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, type Schemas, take } from "../../api/client";
import { count, when } from "../../format";
import { ButtonLink } from "../../ui/controls";
import { Empty, Lead, Page, Trouble, Waiting } from "../../ui/page";
import { Table } from "../../ui/table";

type Scenario = Schemas["Scenario"];

export function ScenariosPage() {
  const { data, error } = useQuery({
    queryKey: ["scenarios"],
    queryFn: () => take(api.GET("/scenarios", { params: { query: { limit: 1000 } } })),
    refetchInterval: (q) => (q.state.data?.items.some((s) => s.state === "preparing") ? 1500 : false),
  });
  return (
    <Page title="Scenarios">
      {error ? (
        <Trouble error={error} />
      ) : !data ? (
        <Waiting what="scenarios" />
      ) : (
        <Scenarios list={data.items} />
      )}
    </Page>
  );
}

export const origin = (s: Scenario) => s.release ?? s.bakeoff;

function Scenarios({ list }: { list: Scenario[] }) {
  const first = list[0];
  if (!first) {
    return (
      <>
        <Lead>No what-if has been asked yet.</Lead>
        <Empty
          text="Take a release of a contender that uses drivers or events, additive or linear, and change what lies ahead: prices, promotions, events."
          command={'paperkettle scenario run rel-1 --case "Dearer: price +10 %"'}
          action={<ButtonLink to="/releases">To the releases</ButtonLink>}
        />
      </>
    );
  }
  return (
    <>
      <div className="flex items-start gap-4">
        <Lead>
          {count(list.length, "scenario")}; the latest, “{first.name}”, sets{" "}
          {count(first.cases.length, "case")} beside {origin(first)}.
        </Lead>
        <span className="flex-1" />
        <ButtonLink to="/scenarios/new">New scenario</ButtonLink>
      </div>
      <Table
        label="Scenarios"
        rows={list}
        keyOf={(s) => s.id}
        columns={[
          {
            head: "Scenario",
            cell: (s) => (
              <Link className="text-copper underline" to={`/scenarios/${s.id}`}>
                {s.id}
              </Link>
            ),
          },
          { head: "Name", cell: (s) => s.name },
          { head: "Of", cell: (s) => `${origin(s)} (${s.dataset})` },
          { head: "Contender", cell: (s) => s.contender },
          { head: "Ahead", cell: (s) => `${s.first} to ${s.last}` },
          { head: "Cases", cell: (s) => s.cases.map((c) => c.name).join("; ") },
          { head: "State", cell: (s) => s.state },
          { head: "Asked", cell: (s) => when(s.created) },
        ]}
      />
    </>
  );
}
