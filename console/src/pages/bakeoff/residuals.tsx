import { useQuery } from "@tanstack/react-query";
import { useSearchParams } from "react-router";
import { api, type Schemas, take } from "../../api/client";
import { Figure } from "../../chart/figure";
import { CycleChart, LagChart } from "../../chart/profile";
import { TimeChart } from "../../chart/time-chart";
import { figure } from "../../format";
import { hueOf } from "../../theme";
import { Section, Trouble, Waiting } from "../../ui/page";
import { ContenderSelect, namesOf, useContender } from "./contender-select";
import { placeOf } from "./standings";

type Bakeoff = Schemas["Bakeoff"];

/** One contender's errors: over time, their distribution, autocorrelation and cycles. */
export function ResidualsView({ bakeoff }: { bakeoff: Bakeoff }) {
  const lead = bakeoff.leader ?? namesOf(bakeoff)[0] ?? "";
  const contender = useContender("of", lead);
  const [params, setParams] = useSearchParams();
  const series = params.get("residuals-of") === "series" ? (params.get("series") ?? "") : "";
  const { data, error } = useQuery({
    queryKey: ["residuals", bakeoff.id, contender, series],
    queryFn: () =>
      take(
        api.GET("/bakeoffs/{bakeoff}/residuals", {
          params: { path: { bakeoff: bakeoff.id }, query: { contender, series: series || undefined } },
        }),
      ),
    placeholderData: (before) => before,
  });
  const one = params.get("series");
  return (
    <Section
      title={series ? `Errors on ${series}` : "Errors over all series"}
      aside={
        <span className="flex items-end gap-3">
          {one && (
            <label className="flex items-center gap-1.5 pb-2 text-small">
              <input
                type="checkbox"
                checked={series !== ""}
                onChange={(e) => {
                  const next = new URLSearchParams(params);
                  if (e.target.checked) next.set("residuals-of", "series");
                  else next.delete("residuals-of");
                  setParams(next, { replace: true });
                }}
              />
              only {one}
            </label>
          )}
          <ContenderSelect bakeoff={bakeoff} label="Contender" param="of" otherwise={lead} />
        </span>
      }
    >
      {error ? (
        <Trouble error={error} />
      ) : data ? (
        <Errors data={data} bakeoff={bakeoff} />
      ) : (
        <Waiting what="the errors" />
      )}
    </Section>
  );
}

function Errors({ data, bakeoff }: { data: Schemas["Residuals"]; bakeoff: Bakeoff }) {
  return (
    <>
      <p className="text-small text-soft">
        {figure(data.points)} errors, forecast less actual: mean {figure(data.mean)}, standard deviation{" "}
        {figure(data.deviation)}. {data.series ? "" : "Over time their mean is shown."}
      </p>
      <TimeChart
        label={`Errors of ${data.contender} over time`}
        periods={data.periods}
        unit={`forecast less actual (${bakeoff.measure})`}
        actual={[]}
        lines={[
          {
            name: data.contender,
            hue: hueOf(placeOf(bakeoff.plan, data.contender)),
            start: 0,
            values: data.values,
          },
        ]}
        bands={[]}
        tints={[]}
        rings={[]}
        view={[0, data.periods.length - 1]}
        height={240}
      />
      <div className="flex flex-wrap gap-6">
        <Bins bins={data.bins} />
        <LagChart values={data.autocorrelation} bound={data.bound} season={0} />
        {data.cycles.map((c) => (
          <CycleChart key={c.by} cycle={c} />
        ))}
      </div>
    </>
  );
}

const width = 380;
const height = 150;

function Bins({ bins }: { bins: Schemas["ResidualBin"][] }) {
  const top = Math.max(...bins.map((b) => b.count), 1);
  const bar = width / Math.max(bins.length, 1);
  const zero = bins.findIndex((b) => b.low <= 0 && b.high >= 0);
  return (
    <Figure
      title="Distribution"
      label={`Errors from ${figure(bins[0]?.low)} to ${figure(bins.at(-1)?.high)}`}
      width={width}
      height={height}
      rows={[["from", "to", "count"], ...bins.map((b) => [b.low, b.high, b.count])]}
    >
      {bins.map((b, i) => (
        <rect
          key={b.low}
          x={i * bar + 0.5}
          width={bar - 1}
          y={(1 - b.count / top) * (height - 20)}
          height={(b.count / top) * (height - 20)}
          fill="var(--hue-1)"
          opacity={i === zero ? 1 : 0.6}
        />
      ))}
      {[0, bins.length - 1].map((i) => (
        <text
          key={i}
          x={i === 0 ? 0 : width}
          y={height - 4}
          fontSize={11}
          fill="var(--soft)"
          textAnchor={i === 0 ? "start" : "end"}
        >
          {figure(i === 0 ? bins[0]?.low : bins.at(-1)?.high)}
        </text>
      ))}
    </Figure>
  );
}
