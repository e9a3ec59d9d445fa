import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import { api, type Schemas, take } from "../api/client";
import { isOver, useProgress } from "../api/progress";
import { column, count, figure, share } from "../format";
import { hueOf } from "../theme";
import { Button, ButtonLink, Download } from "../ui/controls";
import { Cautions, Lead, Page, Section, Trouble, Waiting } from "../ui/page";
import { Progress } from "../ui/progress";
import { SeriesPicker } from "../ui/series-picker";
import { Table } from "../ui/table";
import { FitDetails } from "./bakeoff/fit";
import { useBakeoff } from "./bakeoff/page";
import { placeOf } from "./bakeoff/standings";
import { FanChart } from "./fan-chart";
import { Totals } from "./release-totals";

type Release = Schemas["Release"];
type Curve = Schemas["ReleaseCurve"];

const useRelease = (id: string) =>
  useQuery({
    queryKey: ["release", id],
    queryFn: () => take(api.GET("/releases/{release}", { params: { path: { release: id } } })),
  });

/** The colour that a released contender has in its bake-off, and what it measures. */
export function useDress(id: string, contender: string | undefined) {
  const release = useRelease(id);
  const bakeoff = useBakeoff(release.data?.bakeoff ?? "");
  const place = bakeoff.data && contender ? placeOf(bakeoff.data.plan, contender) : 0;
  return { hue: hueOf(place), measure: release.data?.measure ?? "" };
}

export function ReleasePage() {
  const id = useParams().release ?? "";
  const { data, error } = useRelease(id);
  return (
    <Page title={id}>
      {error ? (
        <Trouble error={error} />
      ) : !data ? (
        <Waiting what="the release" />
      ) : (
        <Published release={data} />
      )}
    </Page>
  );
}

function lead(r: Release): string {
  const what = `${r.id} forecasts ${r.measure} of ${count(r.series ?? 0, "series")} from ${r.first} to ${r.last} by ${r.contender}`;
  if (r.state === "preparing") return `${r.id} is being prepared.`;
  if (r.state === "held") return `${r.id} is ready, and waits for a word before it goes live.`;
  if (r.state === "failed") return `${r.id} could not be published: ${r.job.error}`;
  if (!r.score?.points) return `${what}; no actuals have arrived yet.`;
  return `${what}; ${share(1 - r.score.outside / r.score.points)} of the actuals so far lie inside the ${r.score.level} % interval.`;
}

function Published({ release }: { release: Release }) {
  const job =
    useProgress(release.job, [["release"], ["releases"], ["release-curve"], ["release-fit"]]) ?? release.job;
  const queries = useQueryClient();
  const withdraw = useMutation({
    mutationFn: () =>
      take(api.POST("/releases/{release}/withdraw", { params: { path: { release: release.id } } })),
    onSuccess: () => {
      queries.invalidateQueries({ queryKey: ["release"] });
      queries.invalidateQueries({ queryKey: ["releases"] });
    },
  });
  const revive = useMutation({
    mutationFn: () =>
      take(api.POST("/releases/{release}/live", { params: { path: { release: release.id } } })),
    onSuccess: () => {
      queries.invalidateQueries({ queryKey: ["release"] });
      queries.invalidateQueries({ queryKey: ["releases"] });
    },
  });
  const ready = release.state !== "preparing" && release.state !== "failed";
  return (
    <>
      <div className="flex items-start gap-4">
        <Lead>{lead(release)}</Lead>
        <span className="flex-1" />
        {ready && <Download href={`/api/v1/releases/${release.id}/export`}>Download as CSV</Download>}
        {ready && (
          <ButtonLink weak to={`/scenarios/new?release=${release.id}`}>
            What if …
          </ButtonLink>
        )}
        {release.state === "live" && (
          <Button weak onClick={() => withdraw.mutate()} disabled={withdraw.isPending}>
            Withdraw
          </Button>
        )}
        {["held", "superseded", "withdrawn"].includes(release.state) && (
          <Button weak={release.state !== "held"} onClick={() => revive.mutate()} disabled={revive.isPending}>
            Put live
          </Button>
        )}
      </div>
      <p className="-mt-3 text-soft">
        {release.state}; {release.dataset} (revision {release.revision}), trained up to {release.origin}, from{" "}
        <Link className="text-copper underline" to={`/bakeoffs/${release.bakeoff}`}>
          {release.bakeoff}
        </Link>
        . {(release.used ?? []).map((u) => `${u.contender} for ${count(u.series, "series")}`).join(", ")}.{" "}
        {release.closed_periods ? `${count(release.closed_periods, "period")} to come: closed. ` : ""}
        {release.open_flags > 0 && (
          <Link className="text-copper underline" to={`/flags?release=${release.id}`}>
            {count(release.open_flags, "open flag")}
          </Link>
        )}
      </p>
      {!isOver(job) && (
        <Progress
          job={job}
          cancel={() => take(api.POST("/jobs/{job}/cancel", { params: { path: { job: job.id } } }))}
        />
      )}
      {withdraw.error && <Trouble error={withdraw.error} />}
      {revive.error && <Trouble error={revive.error} />}
      {withdraw.data && (
        <p className="border-l-2 border-copper pl-3">
          {withdraw.data.back ? `${withdraw.data.back} is live again.` : "No release takes its place."}
        </p>
      )}
      {release.held && (
        <p role="alert" className="border-l-2 border-alarm pl-3">
          Not live: {release.held}.
        </p>
      )}
      <Cautions list={release.cautions} />
      <LeftOut list={release.left_out ?? []} />
      {ready && (release.series ?? 0) > 0 && <Fan release={release} />}
      {ready && (release.series ?? 0) > 1 && <Sums release={release} />}
      {release.score && <LiveScore score={release.score} measure={release.measure} />}
    </>
  );
}

/** Every series without a forecast, with its reason; its history a click away. */
export function LeftOut({ list }: { list: Schemas["LeftOut"][] }) {
  if (list.length === 0) return null;
  const to = (series: string) => `?${new URLSearchParams({ series })}`;
  return (
    <details className="text-small">
      <summary className="cursor-pointer">{count(list.length, "series")} without a forecast, and why</summary>
      <div className="max-h-72 overflow-auto">
        <Table
          label="Series without a forecast"
          rows={list}
          keyOf={(x) => x.series}
          columns={[
            {
              head: "Series",
              cell: (x) => (
                <Link className="text-copper underline" to={to(x.series)}>
                  {x.series}
                </Link>
              ),
            },
            { head: "Reason", cell: (x) => x.reason },
          ]}
        />
      </div>
    </details>
  );
}

/** The sums, in the colour of the contender that most of them are of. */
function Sums({ release }: { release: Release }) {
  const { hue } = useDress(release.id, release.used?.[0]?.contender);
  return <Totals release={release} hue={hue} />;
}

export const useCurve = (release: string, series: string) =>
  useQuery({
    queryKey: ["release-curve", release, series],
    queryFn: () =>
      take(
        api.GET("/releases/{release}/curve", {
          params: { path: { release }, query: { series: series || undefined } },
        }),
      ),
    enabled: release !== "",
    placeholderData: (before) => before,
  });

function Fan({ release }: { release: Release }) {
  const [params, setParams] = useSearchParams();
  const asked = params.get("series") ?? "";
  const { data, error } = useCurve(release.id, asked);
  useFit(release.id, asked, true, true); // on its way already when the chart is there
  const { hue } = useDress(release.id, data?.contender);
  if (error) return <Trouble error={error} />;
  if (!data) return <Waiting what="the forecast" />;
  return (
    <Section
      title={data.series}
      aside={
        <SeriesPicker
          keys={data.keys ?? []}
          chosen={data.series}
          choose={(series) =>
            setParams(
              (before) => {
                before.set("series", series);
                return before;
              },
              { replace: true },
            )
          }
        />
      }
    >
      {data.left_out && (
        <p>
          No forecast of {data.series}: {data.left_out}.
        </p>
      )}
      <FanChart curve={data} hue={hue} measure={release.measure} />
      {!data.left_out && (
        <>
          <HowMade release={release} series={asked} name={data.contender ?? ""} hue={hue} />
          <Points curve={data} measure={release.measure} />
        </>
      )}
    </Section>
  );
}

type MadeProps = { release: Release; series: string; name: string; hue: string };

/** Asked for apart: the contender may be trained once more for it. A sentence of it first; its numbers and
 * parts, which are many, once they are asked for. */
function HowMade({ release, series, name, hue }: MadeProps) {
  const [open, setOpen] = useState(false);
  const brief = useFit(release.id, series, true, true);
  const whole = useFit(release.id, series, false, open);
  const error = brief.error ?? whole.error;
  if (error) return <Trouble error={error} />;
  if (!brief.data) return <Waiting what="how the forecast was made" />;
  const fit = brief.data.fit;
  if (!fit) return null; // a series that got no forecast
  return (
    <details className="text-small" onToggle={(e) => setOpen(e.currentTarget.open)}>
      <summary className="cursor-pointer">
        {name}: {fit.form}; it used {count(fit.known, "known value")} from {fit.from} to {fit.to}
        {fit.cautions.length > 0 ? ` (${count(fit.cautions.length, "caution")})` : ""}.
      </summary>
      {open && !whole.data && <Waiting what="its parts" />}
      {whole.data?.fit && (
        <FitDetails fit={whole.data.fit} measure={release.measure} hue={hue} cadence={release.cadence} />
      )}
    </details>
  );
}

const useFit = (release: string, series: string, brief: boolean, enabled: boolean) =>
  useQuery({
    queryKey: ["release-fit", release, series, brief],
    queryFn: () =>
      take(
        api.GET("/releases/{release}/curve", {
          params: {
            path: { release },
            query: { series: series || undefined, fit: true, brief, history: brief ? 1 : undefined },
          },
        }),
      ),
    enabled,
  });

function Points({ curve, measure }: { curve: Curve; measure: string }) {
  const rows = curve.forecast.map((forecast, h) => ({
    h,
    forecast,
    period: curve.periods[curve.start + h] ?? "",
  }));
  const flagged = new Set(curve.flags.filter((f) => f.state !== "restated").map((f) => f.step));
  // A reader meets the levels as a low, a likely and a high case: widest outside.
  const levels = curve.levels.map((level, i) => ({ level, i }));
  const write = column([...curve.forecast, ...curve.high.flat()]);
  const shut = new Set(curve.closed);
  const end = (side: "low" | "high", i: number) => (r: { h: number }) =>
    shut.has(r.h) ? "–" : write(curve[side][i]?.[r.h]);
  return (
    <details open>
      <summary className="cursor-pointer text-small text-soft">Every step, in {measure}</summary>
      <div className="max-h-72 overflow-auto">
        <Table
          label="Forecast"
          rows={rows}
          keyOf={(r) => r.period}
          columns={[
            { head: "Step", right: true, cell: (r) => r.h + 1 },
            { head: "Period", cell: (r) => r.period },
            ...[...levels]
              .reverse()
              .map((l) => ({ head: `Low ${l.level} %`, right: true, cell: end("low", l.i) })),
            { head: "Forecast", right: true, cell: (r) => (shut.has(r.h) ? "closed" : write(r.forecast)) },
            ...levels.map((l) => ({ head: `High ${l.level} %`, right: true, cell: end("high", l.i) })),
            {
              head: "Actual",
              right: true,
              cell: (r) =>
                `${figure(curve.actual[curve.start + r.h])}${flagged.has(r.h + 1) ? " flagged" : ""}`,
              best: (r) => flagged.has(r.h + 1),
            },
          ]}
        />
      </div>
    </details>
  );
}

function LiveScore({ score, measure }: { score: Schemas["LiveScore"]; measure: string }) {
  const m = score.metrics;
  const names = Object.keys(m).filter((n) => n.startsWith("coverage"));
  return (
    <Section title={`Score on the actuals up to ${score.through || "now"}`}>
      <dl className="flex flex-wrap gap-x-8 gap-y-2">
        <Fact name="Actuals" value={figure(score.points)} />
        <Fact name="Outside" value={figure(score.outside)} />
        <Fact name={`MAE (${measure})`} value={figure(m.mae)} />
        <Fact name={`Bias (${measure})`} value={figure(m.bias)} />
        <Fact name="WAPE" value={share(m.wape)} />
        <Fact name="MASE" value={figure(m.mase)} />
        <Fact name="Skill over seasonal naive" value={share(score.skill)} />
        {names.map((n) => (
          <Fact key={n} name={`Coverage ${n.slice(8)} %`} value={share(m[n])} />
        ))}
      </dl>
    </Section>
  );
}

function Fact({ name, value }: { name: string; value: string }) {
  return (
    <div>
      <dt className="text-note text-soft">{name}</dt>
      <dd className="text-title">{value}</dd>
    </div>
  );
}
