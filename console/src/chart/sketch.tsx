import { figure } from "../format";
import type { Drawing } from "./drawing";
import { grids, runs, sides } from "./layout";

/** The steps between the marks of an axis: 1, 2, 3 or 5 times a power of ten, about five of them. */
function stepOf(span: number): number {
  const rough = span / 5;
  const power = 10 ** Math.floor(Math.log10(rough));
  const share = rough / power;
  return (share < 1.5 ? 1 : share < 2.5 ? 2 : share < 4 ? 3 : share < 7 ? 5 : 10) * power;
}

/** The marks of the values in sight, from zero on, with some room above. */
export function marks(d: Drawing): number[] {
  const [from, to] = d.view;
  const seen = (values: (number | null)[], start: number) =>
    values.filter((v, i): v is number => v !== null && start + i >= from && start + i <= to);
  const all = [
    ...seen(d.actual, 0),
    ...d.lines.flatMap((l) => seen(l.values, l.start)),
    ...d.bands.flatMap((b) => [...seen(b.low, b.start), ...seen(b.high, b.start)]),
  ];
  if (all.length === 0) return [];
  const low = all.reduce((a, v) => Math.min(a, v), 0);
  const top = all.reduce((a, v) => Math.max(a, v), 0);
  const high = top + 0.08 * (top - low);
  if (!(high > low) || !Number.isFinite(high - low)) return [];
  const step = stepOf(high - low);
  const first = Math.floor(low / step);
  return Array.from({ length: Math.ceil(high / step) - first + 1 }, (_, i) => (first + i) * step);
}

/** Pieces of a curve as SVG has them, apart where nothing is known. */
const path = (points: (readonly [number, number] | null)[]) =>
  points
    .map((p, i) => (p ? `${i === 0 || !points[i - 1] ? "M" : "L"}${p[0].toFixed(1)} ${p[1].toFixed(1)}` : ""))
    .join("");

const wide = 1000;
const high = 400;

/**
 * The same picture as plain curves, for the moment until the drawing code is there: it takes longer to come up
 * than all else on a page.
 */
export function Sketch(d: Drawing) {
  const at = marks(d);
  const low = at[0];
  const top = at.at(-1);
  const [from, to] = d.view;
  if (low === undefined || top === undefined || to <= from) return null;
  const x = (i: number) => ((i - from) / (to - from)) * wide;
  const y = (v: number) => high - ((v - low) / (top - low)) * high;
  const inside = (i: number) => i >= from && i <= to;
  const percent = (share: number, of: number) => `${((share / of) * 100).toFixed(2)}%`;
  const curve = (values: (number | null)[], start: number) =>
    path(
      values.flatMap((v, i) =>
        inside(start + i) ? [v === null ? null : ([x(start + i), y(v)] as const)] : [],
      ),
    );
  const area = (b: Drawing["bands"][number]) => {
    const edge = (values: (number | null)[], order: number[]) =>
      order.map((i) => [x(b.start + i), y(values[i] ?? 0)] as const);
    return runs(b.low)
      .map((run) => run.filter((i) => inside(b.start + i)))
      .map((run) => path([...edge(b.high, run), ...edge(b.low, [...run].reverse())]))
      .join("");
  };
  const { left, right, top: above } = sides(d);
  const edge = 1; // of the frame around
  const box = {
    left: left + edge,
    right: right + edge,
    top: above + edge,
    bottom: grids(d).chart.bottom + edge,
  };
  return (
    <div aria-hidden data-sketch className="pointer-events-none absolute text-note text-soft" style={box}>
      <svg
        aria-hidden="true"
        viewBox={`0 0 ${wide} ${high}`}
        preserveAspectRatio="none"
        className="absolute size-full overflow-visible"
      >
        {d.tints.map((t) => (
          <rect
            key={t.from}
            x={x(Math.max(t.from, from))}
            width={Math.max(0, x(Math.min(t.to, to)) - x(Math.max(t.from, from)))}
            height={high}
            fill="var(--copper)"
            opacity={0.06}
          />
        ))}
        {at.map((v) => (
          <path
            key={v}
            d={`M0 ${y(v)}H${wide}`}
            stroke="var(--rule)"
            opacity={0.6}
            vectorEffect="non-scaling-stroke"
          />
        ))}
        {d.bands.map((b) => (
          <path key={`${b.name} ${b.start}`} d={area(b)} fill={`var(--${b.hue})`} opacity={b.strength} />
        ))}
        <path
          d={curve(d.actual, 0)}
          fill="none"
          stroke="var(--ink)"
          strokeWidth={1.3}
          vectorEffect="non-scaling-stroke"
        />
        {d.lines.map((l) => (
          <path
            key={`${l.name} ${l.start}`}
            d={curve(l.values, l.start)}
            fill="none"
            stroke={`var(--${l.hue})`}
            strokeWidth={2}
            vectorEffect="non-scaling-stroke"
          />
        ))}
      </svg>
      {d.rings
        .filter((r) => inside(r.index))
        .map((r) => (
          <span
            key={r.index}
            className="absolute size-[15px] -translate-1/2 rounded-full border-2 border-alarm"
            style={{ left: percent(x(r.index), wide), top: percent(y(r.value), high) }}
          />
        ))}
      {[from, to].map((i) => (
        <span
          key={i}
          className="absolute -translate-x-1/2 pt-1 whitespace-nowrap"
          style={{ left: percent(x(i), wide), top: "100%" }}
        >
          {d.periods[i]}
        </span>
      ))}
      {at.map((v) => (
        <span
          key={v}
          className="absolute -translate-y-1/2 pr-2 text-right"
          style={{ right: "100%", top: percent(y(v), high) }}
        >
          {figure(v)}
        </span>
      ))}
    </div>
  );
}
