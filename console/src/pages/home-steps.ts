import type { Schemas } from "../api/client";
import { count } from "../format";

type Dataset = Pick<Schemas["Dataset"], "name" | "cadence" | "last">;
type Release = Pick<
  Schemas["Release"],
  "id" | "dataset" | "state" | "held" | "last" | "bakeoff" | "contender"
>;
type Bakeoff = Pick<Schemas["Bakeoff"], "id" | "name"> & {
  job: Pick<Schemas["Job"], "state" | "error">;
  plan: Pick<Schemas["Plan"], "dataset">;
};

/** Something that asks for a hand. */
export type Step = { text: string; to: string; act: string };

const day = 86_400_000;
const lengths: Record<string, number> = {
  "15min": day / 96,
  "30min": day / 48,
  hour: day / 24,
  day,
  week: 7 * day,
};

/** How many months the periods are long that are not of one length. */
const monthly: Record<string, number> = { month: 1, quarter: 3 };

const monthOf = (t: number) => {
  const at = new Date(t);
  return 12 * at.getUTCFullYear() + at.getUTCMonth();
};

/** The first moment of a period as it is named; undefined where that is no date. */
function startOf(period: string): number | undefined {
  const quarter = /^(\d{4})-Q([1-4])$/.exec(period);
  if (quarter) return Date.UTC(Number(quarter[1]), 3 * (Number(quarter[2]) - 1));
  const at = Date.parse(period.length > 10 ? `${period.replace(" ", "T")}Z` : period);
  return Number.isNaN(at) ? undefined : at;
}

/** How many whole periods are over, as of now, that a dataset has not got. */
export function late(d: Dataset, now: Date): number {
  const cadence = d.cadence.split(" ")[0] ?? "";
  const start = startOf(d.last);
  if (start === undefined) return 0;
  const months = monthly[cadence];
  const begun = months
    ? (monthOf(now.getTime()) - monthOf(start)) / months
    : (now.getTime() - start) / (lengths[cadence] ?? Number.POSITIVE_INFINITY);
  return Math.max(0, Math.floor(begun) - 1);
}

/** What to do next, the most pressing first. */
export function stepsOf(all: {
  datasets: Dataset[];
  releases: Release[];
  bakeoffs: Bakeoff[];
  open: number;
}): Step[] {
  const { datasets, releases, bakeoffs, open } = all;
  const out: Step[] = [];
  for (const r of releases.filter((r) => r.state === "held"))
    out.push({
      text: `${r.id} of ${r.dataset} is ready and waits for a word: ${r.held}.`,
      to: `/releases/${r.id}`,
      act: "Look at it",
    });
  if (open > 0)
    out.push({
      text: `${count(open, "actual")} ${open === 1 ? "lies" : "lie"} outside the intervals: say of each what it was.`,
      to: "/flags",
      act: "Settle flags",
    });
  for (const d of datasets) {
    const live = releases.find((r) => r.dataset === d.name && r.state === "live");
    const last = bakeoffs.find((b) => b.plan.dataset === d.name);
    if (live && live.last <= d.last)
      out.push({
        text: `The forecast of ${d.name} is used up: it ends at ${live.last}, and the data reaches ${d.last}.`,
        to: `/bakeoffs/${live.bakeoff}`,
        act: "Publish anew",
      });
    if (!last)
      out.push({
        text: `Nothing has forecast ${d.name} yet.`,
        to: `/bakeoffs/new?dataset=${encodeURIComponent(d.name)}`,
        act: "Run a bake-off",
      });
    else if (!live && last.job.state === "done")
      out.push({
        text: `${last.name} has a leader, and no forecast of ${d.name} is live.`,
        to: `/bakeoffs/${last.id}`,
        act: "Publish it",
      });
    else if (last.job.state === "failed")
      out.push({
        text: `${last.name} failed: ${last.job.error}`,
        to: `/bakeoffs/${last.id}`,
        act: "Look at it",
      });
  }
  return out;
}
