import type { Schemas } from "../api/client";
import { hueOf } from "../theme";
import { TimeChart } from "./time-chart";

/** How losses went, or go, by how much was learnt. */
export function Losses({ curves, height = 220 }: { curves: Schemas["LossCurve"][]; height?: number }) {
  const most = Math.max(0, ...curves.map((c) => c.values.length));
  if (most === 0) return null;
  const of = curves[0]?.of ?? "";
  const every = curves[0]?.every ?? 1;
  return (
    <div className="flex flex-col gap-1">
      <ul className="flex flex-wrap gap-4 text-small text-soft" aria-label={`Loss by the number of ${of}`}>
        {curves.map((c, k) => (
          <li key={c.name} className="flex items-center gap-1.5">
            <span aria-hidden className="h-0.5 w-4" style={{ background: `var(--${hueOf(k)})` }} />
            {c.name}
          </li>
        ))}
      </ul>
      <TimeChart
        label={`Loss by the number of ${of}`}
        periods={Array.from({ length: most }, (_, k) => `${(k + 1) * every} ${of}`)}
        unit="mean loss"
        actual={[]}
        lines={curves.map((c, k) => ({ name: c.name, hue: hueOf(k), start: 0, values: c.values }))}
        bands={[]}
        tints={[]}
        rings={[]}
        view={[0, Math.max(1, most - 1)]}
        height={height}
      />
    </div>
  );
}
