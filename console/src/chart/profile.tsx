import type { Schemas } from "../api/client";
import { figure } from "../format";
import { Axis } from "./axis";
import { Figure } from "./figure";

type Cycle = Schemas["Cycle"];

const height = 150;
const foot = 18;
const left = 48;

/** The mean of each place in a cycle as a dot, its middle half as a line. */
export function CycleChart({ cycle, width = 380 }: { cycle: Cycle; width?: number }) {
  const places = cycle.places;
  const values = places.flatMap((p) => [p.low, p.high, p.mean]).filter((v): v is number => v !== null);
  if (values.length === 0) return null;
  const top = Math.max(...values, 0);
  const bottom = Math.min(...values, 0);
  const y = (v: number) => 6 + ((top - v) / (top - bottom || 1)) * (height - foot - 12);
  const x = (i: number) => left + ((i + 0.5) / places.length) * (width - left);
  const every = Math.ceil(places.length / 12);
  const text = places.map((p) => `${p.name} ${figure(p.mean)}`).join(", ");
  return (
    <Figure
      title={`By ${cycle.by.replaceAll("-", " ")}`}
      label={`Means by ${cycle.by}: ${text}`}
      width={width}
      height={height}
      rows={[
        [cycle.by, "mean", "quarter below", "quarter above", "known"],
        ...places.map((p) => [p.name, p.mean, p.low, p.high, p.known]),
      ]}
    >
      <Axis left={left} marks={[bottom, top]} y={y} width={width} />
      {places.map((p, i) => (
        <g key={p.name}>
          {p.low !== null && p.high !== null && (
            <line
              x1={x(i)}
              x2={x(i)}
              y1={y(p.low)}
              y2={y(p.high)}
              stroke="var(--hue-1)"
              strokeWidth={4}
              opacity={0.35}
            />
          )}
          {p.mean !== null && <circle cx={x(i)} cy={y(p.mean)} r={3.5} fill="var(--hue-1)" />}
          {i % every === 0 && (
            <text x={x(i)} y={height - 4} textAnchor="middle" fontSize={11} fill="var(--soft)">
              {p.name}
            </text>
          )}
        </g>
      ))}
    </Figure>
  );
}

type LagProps = { values: (number | null)[]; bound: number; season: number; width?: number };

/** Autocorrelations by lag, with the bound within which those of white noise lie. */
export function LagChart({ values, bound, season, width = 380 }: LagProps) {
  const known = values.filter((v): v is number => v !== null);
  if (known.length === 0) return null;
  const bottom = Math.min(...known, -bound);
  const y = (v: number) => 6 + ((1 - v) / (1 - bottom)) * (height - foot - 12);
  const x = (lag: number) => left + (lag / (values.length + 1)) * (width - left);
  // Whole seasons are named; without a season, a few round lags.
  const every = season > 1 && season <= values.length ? season : Math.max(1, Math.ceil(values.length / 10));
  const named = values.map((_, i) => i + 1).filter((lag) => lag % every === 0);
  const strongest = values.reduce<number>((best, v, i) => ((v ?? -1) > (values[best] ?? -1) ? i : best), 0);
  return (
    <Figure
      title="Autocorrelation by lag"
      label={`Autocorrelation, strongest at lag ${strongest + 1}: ${figure(values[strongest])}`}
      width={width}
      height={height}
      rows={[["lag", "autocorrelation"], ...values.map((v, i) => [i + 1, v])]}
    >
      <Axis left={left} marks={[0, 1]} y={y} width={width} />
      <rect
        x={left}
        width={width - left}
        y={y(bound)}
        height={y(-bound) - y(bound)}
        fill="var(--copper)"
        opacity={0.1}
      />
      {values.map((v, i) => (
        <line
          // biome-ignore lint/suspicious/noArrayIndexKey: the index is the lag
          key={i}
          x1={x(i + 1)}
          x2={x(i + 1)}
          y1={y(0)}
          y2={y(v ?? 0)}
          stroke="var(--hue-1)"
          strokeWidth={3}
        />
      ))}
      {named.map((lag) => (
        <text key={lag} x={x(lag)} y={height - 4} textAnchor="middle" fontSize={11} fill="var(--soft)">
          {lag}
        </text>
      ))}
    </Figure>
  );
}
