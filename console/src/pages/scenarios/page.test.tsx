import { describe, expect, it } from "vitest";
import type { Schemas } from "../../api/client";
import { scenario as anyScenario, job, links, page, tableOf, words } from "../../test-kit";
import { ScenarioPage } from "./page";

const total = (name: string, sum: number, change: number): Schemas["ScenarioTotal"] => ({
  case: name,
  total: sum,
  low: [sum - 10, sum - 20],
  high: [sum + 10, sum + 20],
  change,
  change_low: [change - 5, change - 8],
  change_high: [change + 5, change + 8],
  change_share: change / 1000,
});

const totals = [total("base", 1000, 0), total("Dearer", 940, -60), total("A push", 1125.5, 125.5)];

const scenario = (over: Partial<Schemas["Scenario"]> = {}) =>
  anyScenario({
    last: "2026-06-02",
    horizon: 2,
    series: 140,
    cases: [
      { name: "Dearer", changes: ["price +10 %"] },
      { name: "A push", values: [{}, {}] as never },
    ],
    totals,
    ...over,
  });

const line = (name: string, forecast: number[]): Schemas["ScenarioLine"] => ({
  case: name,
  forecast,
  low: [forecast, forecast],
  high: [forecast, forecast],
  change: forecast.map((f) => f - 500),
  change_low: [forecast, forecast],
  change_high: [forecast, forecast],
});

const curve = (over: Partial<Schemas["ScenarioCurve"]> = {}): Schemas["ScenarioCurve"] => ({
  series: "",
  keys: ["Harbour", "Hill"],
  levels: [80, 95],
  periods: ["2026-05-31", "2026-06-01", "2026-06-02"],
  start: 1,
  actual: [480, null, null],
  cases: [line("base", [500, 500]), line("Dearer", [470, 470.5])],
  totals,
  ...over,
});

const shown = (s: Schemas["Scenario"], c = curve(), series = "") =>
  page("/scenarios/:scenario", `/scenarios/scen-2${series && `?series=${series}`}`, <ScenarioPage />, [
    [["scenario", "scen-2"], s],
    [["scenario-curve", "scen-2", series], c],
  ]);

describe("a scenario", () => {
  it("says first what each case changes, as a number and as a share", () => {
    expect(words(shown(scenario()))).toContain(
      "Dearer takes 60 orders (-6.0 %); A push adds 125.5 orders (12.6 %), from 2026-06-01 to 2026-06-02.",
    );
  });
  it("does not round small changes away", () => {
    const small = [total("base", 1, 0), total("Dearer", 0.7, -0.3)];
    expect(words(shown(scenario({ totals: small, measure: "tonnes" })))).toContain(
      "Dearer takes 0.3000 tonnes",
    );
  });
  it("says what stands in its place while it is computed, or why there is nothing", () => {
    expect(words(shown(scenario({ state: "preparing", job: job({ state: "running" }) })))).toContain(
      "“June” is being computed.",
    );
    const failed = shown(
      scenario({ state: "failed", job: job({ state: "failed", error: "price is unknown" }) }),
    );
    expect(words(failed)).toContain("“June” could not be computed: price is unknown");
    expect(failed).not.toContain('aria-label="Totals"');
  });
  it("tells what neighbours lose", () => {
    const cut = [total("base", 1000, 0), { ...total("Cheap", 1030, 30), neighbours: -70 }];
    const all = shown(scenario({ totals: cut }));
    expect(words(all)).toContain("Cheap adds 30 orders (3.0 %), with 70 that neighbours lose, from");
    const rows = tableOf(all, "Totals");
    expect(rows[0]?.at(-1)).toBe("of neighbours");
    expect(rows[1]?.at(-1)).toBe("");
    expect(rows[2]?.at(-1)).toBe("-70");
  });
  it("sums each case up beside the base, the widest level", () => {
    const rows = tableOf(shown(scenario()), "Totals");
    expect(rows[0]).toEqual([
      "Case",
      "What changes",
      "Total",
      "Low 95 %",
      "High 95 %",
      "Change",
      "from (95 %)",
      "to (95 %)",
      "Change",
    ]);
    expect(rows[1]).toEqual(["base", "nothing", "1,000", "980", "1,020", "", "", "", ""]);
    expect(rows[2]).toEqual(["Dearer", "price +10 %", "940", "920", "960", "-60", "-68", "-52", "-6.0 %"]);
    expect(rows[3]?.slice(0, 3)).toEqual(["A push", "2 values", "1,126"]);
  });
  it("sets the cases side by side step by step", () => {
    expect(tableOf(shown(scenario()), "Steps")).toEqual([
      ["Period", "base", "Dearer", "Dearer: change"],
      ["2026-06-01", "500.0", "470.0", "-30.0"],
      ["2026-06-02", "500.0", "470.5", "-29.5"],
    ]);
  });
  it("says of a series that was left out why, in place of its lines", () => {
    const html = shown(scenario(), curve({ series: "Hill", left_out: "it has no price", cases: [] }), "Hill");
    expect(words(html)).toContain("No forecast: it has no price.");
    expect(html).not.toContain('aria-label="Steps"');
  });
  it("leads to what it stands on, and to the next question", () => {
    expect(links(shown(scenario()))).toContainEqual(["rel-7", "/releases/rel-7"]);
    expect(links(shown(scenario({ release: undefined })))).toContainEqual(["bake-3", "/bakeoffs/bake-3"]);
    expect(links(shown(scenario()))).toContainEqual(["Change and ask again", "/scenarios/new?from=scen-2"]);
  });
});
