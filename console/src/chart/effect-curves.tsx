import type { Schemas } from "../api/client";
import { Axis } from "./axis";
import { Figure } from "./figure";

type EffectCurve = Schemas["EffectCurve"];

const width = 290;
const height = 150;
const foot = 18;
const left = 56;

/** How what trees add moves with the columns that matter most: a small figure each, on one scale. */
export function EffectCurves({ curves, hue }: { curves: EffectCurve[]; hue: string }) {
  if (curves.length === 0) return null;
  const all = curves.flatMap((c) => [...c.low, ...c.high, ...c.mean]).map((v) => v ?? 0);
  const range: [number, number] = [Math.min(...all, 0), Math.max(...all, 0)];
  return (
    <section aria-label="Effect curves" className="flex flex-col gap-1">
      <p className="text-small text-soft">
        How what the trees add moves with a column, the others as they are, in per cent of a series’ recent
        size: the line is the mean of held-out rows, the band holds 80 % of them.
      </p>
      <div className="flex flex-wrap gap-6">
        {curves.map((c) => (
          <One key={c.name} curve={c} range={range} hue={hue} />
        ))}
      </div>
    </section>
  );
}

const percent = (v: number) => `${v > 0 ? "+" : ""}${(100 * v).toFixed(1)} %`;

function One({ curve, range, hue }: { curve: EffectCurve; range: [number, number]; hue: string }) {
  const [bottom, top] = range;
  const n = curve.places.length;
  const y = (v: number) => 6 + ((top - v) / (top - bottom || 1)) * (height - foot - 12);
  const x = (i: number) => left + ((i + 0.5) / n) * (width - left);
  const points = curve.mean.map((v, i) => ({
    x: x(i),
    mean: v ?? 0,
    low: curve.low[i] ?? 0,
    high: curve.high[i] ?? 0,
  }));
  const every = Math.ceil(n / (curve.ordered ? 6 : 3)); // names are long
  const line = (of: "mean" | "low" | "high") => points.map((p) => `${p.x},${y(p[of])}`);
  return (
    <Figure
      title={`By ${curve.name}`}
      label={`Effect of ${curve.name}: ${curve.places.map((p, i) => `${p} ${percent(curve.mean[i] ?? 0)}`).join(", ")}`}
      width={width}
      height={height}
      rows={[
        [curve.name, "mean", "low", "high"],
        ...curve.places.map((p, i) => [
          p,
          curve.mean[i] ?? null,
          curve.low[i] ?? null,
          curve.high[i] ?? null,
        ]),
      ]}
    >
      <Axis left={left} marks={[bottom, 0, top]} y={y} width={width} write={percent} />
      {curve.ordered ? (
        <>
          <polygon
            points={[...line("high"), ...line("low").reverse()].join(" ")}
            fill={`var(--${hue})`}
            opacity={0.2}
          />
          <polyline points={line("mean").join(" ")} fill="none" stroke={`var(--${hue})`} strokeWidth={2} />
        </>
      ) : (
        points.map((p) => (
          <line
            key={p.x}
            x1={p.x}
            x2={p.x}
            y1={y(p.low)}
            y2={y(p.high)}
            stroke={`var(--${hue})`}
            strokeWidth={4}
            opacity={0.35}
          />
        ))
      )}
      {points.map((p) => (
        <circle key={p.x} cx={p.x} cy={y(p.mean)} r={curve.ordered ? 2 : 3.5} fill={`var(--${hue})`} />
      ))}
      {curve.places.map(
        (p, i) =>
          i % every === 0 && (
            <text
              key={p}
              x={x(i)}
              y={height - 4}
              textAnchor={i === n - 1 && n > 4 ? "end" : "middle"}
              fontSize={11}
              fill="var(--soft)"
            >
              {p.length > 11 ? `${p.slice(0, 10)}…` : p}
            </text>
          ),
      )}
    </Figure>
  );
}
