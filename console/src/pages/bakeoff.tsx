import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useNavigate, useParams } from "react-router";
import { api, type Schemas, take } from "../api/client";
import { isOver, useProgress } from "../api/progress";
import { SplitBars } from "../chart/split-bar";
import { count, span } from "../format";
import { Button, Download } from "../ui/controls";
import { Lead, Page, Section, Trouble, Waiting } from "../ui/page";
import { Progress } from "../ui/progress";
import { Comparison } from "./comparison";
import { StandingsView } from "./standings";

export const useBakeoff = (id: string) =>
  useQuery({
    queryKey: ["bakeoff", id],
    queryFn: () => take(api.GET("/bakeoffs/{bakeoff}", { params: { path: { bakeoff: id } } })),
    enabled: id !== "",
  });

export function BakeoffPage() {
  const id = useParams().bakeoff ?? "";
  const { data, error } = useBakeoff(id);
  return (
    <Page title={data?.name ?? id}>
      {error ? (
        <Trouble error={error} />
      ) : !data ? (
        <Waiting what="the bake-off" />
      ) : (
        <Bakeoff bakeoff={data} />
      )}
    </Page>
  );
}

function Bakeoff({ bakeoff }: { bakeoff: Schemas["Bakeoff"] }) {
  const plan = bakeoff.plan;
  const job = useProgress(bakeoff.job, [["bakeoff"], ["standings"], ["curves"], ["bakeoffs"]]) ?? bakeoff.job;
  const standings = useQuery({
    queryKey: ["standings", bakeoff.id, "", ""],
    queryFn: () =>
      take(api.GET("/bakeoffs/{bakeoff}/standings", { params: { path: { bakeoff: bakeoff.id } } })),
    refetchInterval: isOver(job) ? false : 2000,
  });
  return (
    <>
      <div className="flex items-start gap-4">
        <Lead>{standings.data?.sentence ?? bakeoff.name}</Lead>
        <span className="flex-1" />
        {job.state === "done" && <Publish bakeoff={bakeoff} />}
      </div>
      <p className="-mt-3 text-soft">
        {bakeoff.name}: {bakeoff.measure} of {plan.dataset} (revision {plan.revision}),{" "}
        {span(plan.horizon, bakeoff.cadence)} ahead in {count(plan.windows ?? 1, "window")}, history{" "}
        {plan.history}, seed {plan.seed ?? 0}.
      </p>
      {!isOver(job) && <Progress job={job} cancel={() => cancel(bakeoff.id)} />}
      {job.state === "failed" && <Trouble error={new Error(`It failed: ${job.error}`)} />}
      {job.state === "cancelled" && (
        <p>
          It was cancelled after {job.done} of {job.total} tasks; what was done stays. Go on with{" "}
          <code className="bg-tint px-1">paperkettle bakeoff resume {bakeoff.id}</code>.
        </p>
      )}
      {standings.error && <Trouble error={standings.error} />}
      {standings.data && standings.data.slices.length > 0 && (
        <>
          <StandingsView bakeoff={bakeoff} />
          <Comparison bakeoff={bakeoff} />
        </>
      )}
      {bakeoff.split && (
        <Section
          title="Split"
          aside={
            <Download href={`/api/v1/bakeoffs/${bakeoff.id}/export`}>Download every point as CSV</Download>
          }
        >
          <SplitBars split={bakeoff.split} />
          <SetAside split={bakeoff.split} />
        </Section>
      )}
    </>
  );
}

const cancel = (id: string) =>
  take(api.POST("/bakeoffs/{bakeoff}/cancel", { params: { path: { bakeoff: id } } }));

export function SetAside({ split }: { split: Schemas["Split"] }) {
  if (split.set_aside_count === 0) return null;
  return (
    <details className="text-[13px]">
      <summary className="cursor-pointer">
        {count(split.set_aside_count, "place")} set aside (a series in a window), with their reasons
      </summary>
      <ul className="mt-1 text-soft">
        {split.set_aside.map((s) => (
          <li key={`${s.window} ${s.series}`}>
            Window {s.window}: {s.series} {s.reason}.
          </li>
        ))}
      </ul>
    </details>
  );
}

function Publish({ bakeoff }: { bakeoff: Schemas["Bakeoff"] }) {
  const navigate = useNavigate();
  const queries = useQueryClient();
  const publish = useMutation({
    mutationFn: (contender: string) =>
      take(api.POST("/releases", { body: { bakeoff: bakeoff.id, contender } })),
    onSuccess: (release) => {
      queries.invalidateQueries({ queryKey: ["releases"] });
      navigate(`/releases/${release.id}`);
    },
  });
  return (
    <span className="flex shrink-0 flex-col items-end gap-2">
      <span className="flex gap-2">
        <Button onClick={() => publish.mutate("best")} disabled={publish.isPending}>
          Publish {bakeoff.leader}
        </Button>
        <Button weak onClick={() => publish.mutate("best-per-series")} disabled={publish.isPending}>
          Publish the best per series
        </Button>
      </span>
      {publish.error && <Trouble error={publish.error} />}
    </span>
  );
}
