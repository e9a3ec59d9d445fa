import type { Schemas } from "../api/client";
import { TimeChart } from "../chart/time-chart";
import { figure } from "../format";
import { bandsOf, happening } from "./bakeoff/curves";

type Curve = Schemas["ReleaseCurve"];

type FanProps = { curve: Curve; hue: string; measure: string; ring?: string; height?: number };

/** History, forecast and intervals; the flagged actuals ringed. */
export function FanChart({ curve, hue, measure, ring, height = 400 }: FanProps) {
  const name = curve.contender ?? "forecast";
  const horizon = curve.forecast.length;
  // A series that got no forecast has its actuals alone.
  const end = horizon ? curve.start + horizon - 1 : curve.periods.length - 1;
  const flags = ring
    ? curve.flags.filter((f) => f.id === ring)
    : curve.flags.filter((f) => f.state !== "restated");
  return (
    <TimeChart
      label={
        horizon
          ? `${measure} of ${curve.series}: history and forecast from ${curve.periods[curve.start]} to ${curve.periods[end]}`
          : `${measure} of ${curve.series}: history`
      }
      periods={curve.periods}
      unit={measure}
      actual={curve.actual}
      lines={
        horizon ? [{ name, hue, start: curve.start, values: happening(curve.forecast, curve.closed) }] : []
      }
      bands={bandsOf(
        { contender: name, start: curve.start, low: curve.low, high: curve.high, closed: curve.closed },
        curve.levels,
        hue,
      )}
      tints={[{ from: curve.start - 1, to: end, origin: `origin ${curve.periods[curve.start - 1]}` }]}
      rings={flags.map((f) => ({
        index: curve.start + f.step - 1,
        value: f.actual,
        label: figure(f.actual),
      }))}
      view={[horizon ? Math.max(0, curve.start - 3 * horizon) : 0, end]}
      height={height}
    />
  );
}
