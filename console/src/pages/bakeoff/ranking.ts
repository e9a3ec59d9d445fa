import type { Schemas } from "../../api/client";

type Slice = Schemas["StandingsSlice"];
type Row = Slice["rows"][number];

/** How far a value of a metric is from the best that it could be: the smallest is the best. */
export function distance(metric: string, v: number): number {
  if (metric === "r2") return -v;
  if (metric === "bias" || metric === "mpe") return Math.abs(v);
  if (metric.startsWith("coverage")) return Math.abs(v - Number(metric.slice(8)) / 100);
  return v;
}

/** The least distance of a column. */
export const bestOf = (metric: string, rows: Row[]): number =>
  Math.min(
    ...rows
      .map((r) => r.values[metric])
      .filter((v): v is number => v != null)
      .map((v) => distance(metric, v)),
  );

/** How far a series' second is behind its winner, as a share of its own distance: near 0 the win is in doubt. */
export function lead(s: Slice, metric: string): number {
  const first = s.rows[0]?.values[metric];
  const second = s.rows[1]?.values[metric];
  if (first == null || second == null) return Number.POSITIVE_INFINITY;
  const behind = distance(metric, second) - distance(metric, first);
  return behind === 0 ? 0 : behind / Math.abs(distance(metric, second));
}

export type Order = "series" | "skill" | "error" | "doubt";

/** Who wins where: by name, the least skill first, the largest error first, the win most in doubt first. */
export const orders: Record<Order, (metric: string) => (a: Slice, b: Slice) => number> = {
  series: () => (a, b) => (a.name ?? "").localeCompare(b.name ?? ""),
  skill: () => (a, b) => (a.rows[0]?.skill ?? -9) - (b.rows[0]?.skill ?? -9),
  error: (m) => (a, b) => errorOf(b, m) - errorOf(a, m),
  doubt: (m) => (a, b) => lead(a, m) - lead(b, m) || 0, // two of which nothing is known are alike
};

function errorOf(s: Slice, metric: string): number {
  const v = s.rows[0]?.values[metric];
  return v == null ? Number.NEGATIVE_INFINITY : distance(metric, v);
}

/** How often each contender wins, the most often first. */
export function tally(slices: Slice[]): string {
  const wins = new Map<string, number>();
  for (const s of slices) {
    const name = s.rows[0]?.contender ?? "";
    wins.set(name, (wins.get(name) ?? 0) + 1);
  }
  return [...wins]
    .toSorted((a, b) => b[1] - a[1])
    .map(([n, k]) => `${n} wins ${k}`)
    .join(", ");
}
