import type { Drawing } from "./drawing";

const foot = 74; // the overview strip, and the names of the periods above it
const footSaved = 22;
const paneHeight = 54;
const paneGap = 22;
const axisRoom = 26; // for the names of the periods, above what lies beneath
const eventHeight = 15;

/** What the panes and the events beneath a chart add to its height, in pixels. */
export const beneath = (d: Pick<Drawing, "panes" | "events">) => {
  const more = eventsHeight(d) + panesHeight(d);
  return more > 0 ? more + axisRoom - footSaved : 0;
};

const panesHeight = (d: Pick<Drawing, "panes">) => (d.panes?.length ?? 0) * (paneHeight + paneGap);

const eventsHeight = (d: Pick<Drawing, "events">) =>
  d.events?.length ? d.events.length * eventHeight + paneGap : 0;

/** How far the curves stand from the edges: room for marks, for names of events and for half of the last name. */
export const sides = (d: Pick<Drawing, "events">) => ({
  left: d.events?.length ? 104 : 62,
  right: 42,
  top: 34,
});

/** Where the chart, its panes and its events lie: distances from the bottom, and heights. */
export function grids(d: Pick<Drawing, "panes" | "events">) {
  const some = (d.panes?.length ?? 0) + (d.events?.length ?? 0) > 0;
  let bottom = some ? foot - footSaved : foot;
  const events = { bottom, height: (d.events?.length ?? 0) * eventHeight };
  bottom += eventsHeight(d);
  const panes = [...(d.panes ?? [])].reverse().map(() => {
    const at = bottom;
    bottom += paneHeight + paneGap;
    return { bottom: at, height: paneHeight };
  });
  return { chart: { bottom: some ? bottom + axisRoom : bottom }, panes: panes.reverse(), events };
}

/** The places of values that stand side by side, apart where there is none. */
export function runs(values: (number | null)[]): number[][] {
  const out: number[][] = [];
  for (const [i, v] of values.entries()) {
    if (v === null) continue;
    if (i === 0 || values[i - 1] === null) out.push([]);
    out.at(-1)?.push(i);
  }
  return out;
}

/** A line through values, broken where there is none. */
export function traceOf(
  values: (number | null)[],
  x: (i: number) => number,
  y: (v: number) => number,
): string {
  return runs(values)
    .flatMap((run) => run.map((i, k) => `${k ? "L" : "M"}${x(i).toFixed(1)} ${y(values[i] ?? 0).toFixed(1)}`))
    .join("");
}
