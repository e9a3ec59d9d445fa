import type { Schemas } from "../api/client";
import { count, figure } from "../format";
import { hueOf } from "../theme";
import { Axis } from "./axis";
import { Figure } from "./figure";
import { traceOf } from "./layout";

const width = 560;
const height = 160;
const foot = 18;
const left = 48;

/** How losses went, or go, by how much was learnt: small, on one scale. */
export function Losses({ curves }: { curves: Schemas["LossCurve"][] }) {
  const most = Math.max(0, ...curves.map((c) => c.values.length));
  const known = curves.flatMap((c) => c.values).filter((v): v is number => v !== null);
  if (known.length === 0) return null;
  const of = curves[0]?.of ?? "";
  const every = curves[0]?.every ?? 1;
  const [bottom, top] = [Math.min(...known), Math.max(...known)];
  const y = (v: number) => 6 + ((top - v) / (top - bottom || 1)) * (height - foot - 12);
  const x = (i: number) => left + 4 + (i / Math.max(1, most - 1)) * (width - left - 8);
  const amount = (i: number) => `${(i + 1) * every} ${of}`;
  return (
    <div className="flex flex-wrap items-center gap-x-8 gap-y-1">
      <Figure
        title={`Mean loss by the number of ${of}`}
        label={curves
          .map((c) => `${c.name}: ${figure(c.values[0] ?? 0)} to ${figure(c.values.at(-1) ?? 0)}`)
          .join(", ")}
        width={width}
        height={height}
        rows={[
          [of, ...curves.map((c) => c.name)],
          ...Array.from({ length: most }, (_, i) => [
            (i + 1) * every,
            ...curves.map((c) => c.values[i] ?? null),
          ]),
        ]}
      >
        <Axis left={left} marks={[bottom, top]} y={y} width={width} />
        {curves.map((c, k) => (
          <path
            key={c.name}
            d={traceOf(c.values, x, y)}
            fill="none"
            stroke={`var(--${hueOf(k)})`}
            strokeWidth={1.5}
          />
        ))}
        <text x={x(0)} y={height - 4} fontSize={11} fill="var(--soft)">
          {amount(0)}
        </text>
        {most > 1 && (
          <text x={x(most - 1)} y={height - 4} textAnchor="end" fontSize={11} fill="var(--soft)">
            {amount(most - 1)}
          </text>
        )}
      </Figure>
      <ul className="flex flex-col gap-1 text-small text-soft" aria-label={count(curves.length, "curve")}>
        {curves.map((c, k) => (
          <li key={c.name} className="flex items-center gap-1.5">
            <span aria-hidden className="h-0.5 w-4" style={{ background: `var(--${hueOf(k)})` }} />
            {c.name}: {figure(c.values.at(-1) ?? 0)}
          </li>
        ))}
      </ul>
    </div>
  );
}
