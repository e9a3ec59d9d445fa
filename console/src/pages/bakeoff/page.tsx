import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Tabs } from "radix-ui";
import { useParams, useSearchParams } from "react-router";
import { api, type Schemas, take } from "../../api/client";
import { isOver, useProgress } from "../../api/progress";
import { SplitBars } from "../../chart/split-bar";
import { count, span } from "../../format";
import { Button, Select } from "../../ui/controls";
import { Cautions, Lead, Page, Section, Trouble, Waiting } from "../../ui/page";
import { Progress } from "../../ui/progress";
import { Curves } from "./curves";
import { DuelView } from "./duel";
import { FitView } from "./fit";
import { Publish } from "./publish";
import { ResidualsView } from "./residuals";
import { StandingsView } from "./standings";
import { TuningView } from "./tuning";
import { Winners } from "./winners";

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
  const queries = useQueryClient();
  const reread = () => queries.invalidateQueries({ queryKey: ["bakeoff"] });
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
        {plan.history}
        {plan.gap ? `, a gap of ${plan.gap}` : ""}
        {plan.refit ? `, trained ${plan.refit}` : ""}
        {plan.past ? ", every value believed as loaded" : ""}, seed {plan.seed ?? 0}.
      </p>
      {!isOver(job) && job.state !== "paused" && (
        <Progress
          job={job}
          cancel={() => act(bakeoff.id, "cancel").then(reread)}
          pause={() => act(bakeoff.id, "pause").then(reread)}
        />
      )}
      {job.state === "failed" && <Trouble error={new Error(`It failed: ${job.error}`)} />}
      {(job.state === "cancelled" || job.state === "paused") && (
        <p className="flex items-center gap-3">
          It was {job.state} after {job.done} of {job.total} tasks; what was done stays.
          <Button weak onClick={() => act(bakeoff.id, "resume").then(reread)}>
            Go on
          </Button>
        </p>
      )}
      {standings.error && <Trouble error={standings.error} />}
      {standings.data && standings.data.slices.length > 0 && (
        <>
          <StandingsView bakeoff={bakeoff} />
          {isOver(job) && <EnterLater bakeoff={bakeoff} reread={reread} />}
          <Looks bakeoff={bakeoff} />
        </>
      )}
      {bakeoff.split && (
        <Section title="Split">
          <SplitBars split={bakeoff.split} />
          <SplitNotes split={bakeoff.split} />
        </Section>
      )}
    </>
  );
}

const act = (id: string, what: "cancel" | "pause" | "resume") =>
  take(api.POST(`/bakeoffs/{bakeoff}/${what}`, { params: { path: { bakeoff: id } } }));

const looks = ["curves", "series", "duel", "residuals", "fit", "tuning"] as const;

/** The ways to look at a finished comparison. */
function Looks({ bakeoff }: { bakeoff: Schemas["Bakeoff"] }) {
  const [params, setParams] = useSearchParams();
  const look = params.get("look") ?? "curves";
  const shown = looks.filter((l) => l !== "tuning" || bakeoff.plan.contenders.some((c) => c.tune));
  return (
    <Tabs.Root
      value={look}
      onValueChange={(v) => {
        const next = new URLSearchParams(params);
        next.set("look", v);
        setParams(next, { replace: true });
      }}
      className="flex flex-col gap-3"
    >
      <Tabs.List aria-label="Looks" className="flex gap-5 border-b border-rule">
        {shown.map((l) => (
          <Tabs.Trigger
            key={l}
            value={l}
            className="-mb-px border-b-2 border-transparent px-1 py-1.5 text-soft capitalize data-[state=active]:border-copper data-[state=active]:text-ink"
          >
            {l}
          </Tabs.Trigger>
        ))}
      </Tabs.List>
      <Tabs.Content value="curves">
        <Curves bakeoff={bakeoff} />
      </Tabs.Content>
      <Tabs.Content value="series">
        <Winners bakeoff={bakeoff} />
      </Tabs.Content>
      <Tabs.Content value="duel">
        <DuelView bakeoff={bakeoff} />
      </Tabs.Content>
      <Tabs.Content value="residuals">
        <ResidualsView bakeoff={bakeoff} />
      </Tabs.Content>
      <Tabs.Content value="fit">
        <FitView bakeoff={bakeoff} />
      </Tabs.Content>
      <Tabs.Content value="tuning">
        <TuningView bakeoff={bakeoff} />
      </Tabs.Content>
    </Tabs.Root>
  );
}

/** What to mind of a split: cautions, and the series that take no part. */
export function SplitNotes({ split }: { split: Schemas["Split"] }) {
  return (
    <>
      <Cautions list={split.cautions} />
      <SetAside split={split} />
    </>
  );
}

function SetAside({ split }: { split: Schemas["Split"] }) {
  if (split.set_aside_count === 0) return null;
  return (
    <details className="text-small">
      <summary className="cursor-pointer">
        {count(split.set_aside_count, "place")} set aside (a series in a window), with their reasons
      </summary>
      <ul className="mt-1 text-soft">
        {split.set_aside.map((s) => (
          <li key={`${s.window} ${s.series}`}>
            {s.window === 0 ? "Every window" : `Window ${s.window}`}: {s.series} {s.reason}.
          </li>
        ))}
      </ul>
    </details>
  );
}

/** Enters a further family with its settings as found from the data: only it runs. */
function EnterLater({ bakeoff, reread }: { bakeoff: Schemas["Bakeoff"]; reread: () => void }) {
  const families = useQuery({ queryKey: ["families"], queryFn: () => take(api.GET("/families")) });
  const enter = useMutation({
    mutationFn: (family: string) =>
      take(
        api.POST("/bakeoffs/{bakeoff}/contenders", {
          params: { path: { bakeoff: bakeoff.id } },
          body: { contenders: [{ family }] },
        }),
      ),
    onSuccess: reread,
  });
  const there = bakeoff.plan.contenders.map((c) => c.name ?? c.family);
  const more = (families.data?.items ?? []).filter((f) => !there.includes(f.name));
  if (more.length === 0) return null;
  return (
    <span className="flex items-center gap-3">
      <Select
        label="Enter a further contender"
        hideLabel
        placeholder="Enter a further contender"
        value=""
        onChange={(f) => enter.mutate(f)}
        options={more.map((f) => ({ value: f.name, text: f.name }))}
      />
      {enter.error && <Trouble error={enter.error} />}
    </span>
  );
}
