import { describe, expect, it } from "vitest";
import type { Schemas } from "../api/client";
import { page, release, tableOf, words } from "../test-kit";
import { Totals } from "./release-totals";

const curve = (series: string): Schemas["ReleaseCurve"] => ({
  series,
  contender: "additive",
  periods: ["2026-05-31", "2026-06-01"],
  start: 1,
  actual: [100, null],
  levels: [80, 95],
  forecast: [104],
  low: [[98], [95]],
  high: [[110], [113]],
  flags: [],
});

const group = (name: string, over: Partial<Schemas["ReleaseTotal"]> = {}): Schemas["ReleaseTotal"] => ({
  group: name,
  series: 35,
  total: 2912.5,
  low: [2800, 2700],
  high: [3000, 3100],
  actual: null,
  curve: curve(name),
  ...over,
});

const totals = (groups: Schemas["ReleaseTotal"][], by?: string): Schemas["ReleaseTotals"] => ({
  by,
  groups,
  first: "2026-06-01",
  last: "2026-06-28",
  levels: [80, 95],
  ties: { series: 0.345, steps: 0.1, across: 0, windows: 3 },
});

function shown(data: Schemas["ReleaseTotals"], query = "") {
  const params = new URLSearchParams(query);
  return page("/", `/?${query}`, <Totals release={release()} hue="hue-3" />, [
    [["release-totals", "rel-7", params.get("sum") ?? "all series", params.getAll("where")], data],
    [["facets", "daily", params.getAll("where")], { facets: [{ attribute: "town", values: [] }] }],
  ]);
}

describe("totals of a release", () => {
  it("are a line a group, the widest interval outside, actuals once all are there", () => {
    const html = shown(
      totals([group("Hill"), group("Mill", { actual: 2950, left_out: 2 })], "town"),
      "sum=town",
    );
    expect(tableOf(html, "Totals")).toEqual([
      ["town", "Series", "Low 95 %", "Low 80 %", "Forecast", "High 80 %", "High 95 %", "Actual"],
      ["Hill", "35", "2,700", "2,800", "2,913", "3,000", "3,100", "–"],
      ["Mill", "35, 2 left out", "2,700", "2,800", "2,913", "3,000", "3,100", "2,950"],
    ]);
  });
  it("say on what their intervals rest", () => {
    expect(words(shown(totals([group("all")])))).toContain(
      "The expected sum of orders from 2026-06-01 to 2026-06-28. Its intervals count how far errors went together in the bake-off: 0.34 between series, 0.10 between steps, over 3 windows.",
    );
  });
  it("draw the first group, and mark it in the table", () => {
    const html = shown(totals([group("Hill"), group("Mill")], "town"), "sum=town");
    expect(html).toContain('aria-label="orders of Hill: history and forecast from 2026-06-01 to 2026-06-01"');
    expect(html.match(/bg-tint/g)).toHaveLength(1);
  });
  it("say that nothing was forecast where the conditions leave nothing", () => {
    expect(words(shown(totals([]), "where=town%3DMoor"))).toContain("None of these series was forecast.");
  });
});
