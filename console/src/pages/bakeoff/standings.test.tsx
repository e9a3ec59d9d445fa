import { describe, expect, it } from "vitest";
import type { Schemas } from "../../api/client";
import { bakeoff, dataset, page, tableOf, words } from "../../test-kit";
import { StandingsView } from "./standings";

const metric = (name: string, label: string, over: Partial<Schemas["Metric"]> = {}): Schemas["Metric"] => ({
  name,
  label,
  meaning: `what ${label} means`,
  share: false,
  unit: false,
  ...over,
});

const metrics = [
  metric("mae", "MAE", { unit: true }),
  metric("bias", "bias", { unit: true }),
  metric("mase", "MASE"),
  metric("r2", "R²"),
  metric("coverage80", "coverage 80 %", { share: true }),
  metric("width80", "width 80 %", { unit: true }),
];

const row = (
  contender: string,
  rank: number,
  over: Partial<Schemas["StandingRow"]> = {},
): Schemas["StandingRow"] => ({
  contender,
  rank,
  skill: 0,
  points: 11_760,
  filled: 0,
  values: {},
  ...over,
});

const rows = [
  row("additive", 1, {
    skill: 0.2951,
    values: { mae: 12.34, bias: -3, mase: 0.705, r2: 0.8, coverage80: 0.74, width80: 30 },
  }),
  row("bent", 2, {
    skill: 0.25,
    filled: 4,
    values: { mae: 13.5, bias: 1, mase: 0.75, r2: 0.9, coverage80: 0.79, width80: 40 },
  }),
  row("seasonal-naive", 3, {
    values: { mae: 20, bias: null, mase: 1, r2: 0.1, coverage80: 0.99, width80: 20 },
  }),
];

const standings = (over: Partial<Schemas["Standings"]> = {}): Schemas["Standings"] => ({
  bakeoff: "bake-3",
  baseline: "seasonal-naive",
  by: "series",
  complete: true,
  metric: "mase",
  metrics,
  sentence: "additive leads.",
  slices: [{ rows }],
  ...over,
});

function shown(data: Schemas["Standings"], query = "") {
  const asked = new URLSearchParams(query);
  return page("/bakeoffs/:bakeoff", `/bakeoffs/bake-3?${query}`, <StandingsView bakeoff={bakeoff()} />, [
    [["standings", "bake-3", asked.get("metric") ?? "", asked.get("per") ?? ""], data],
    [["dataset", "daily"], dataset({ attributes: [{ name: "town", count: 4 }] })],
  ]);
}

/** The cells in bold, by their column. */
function best(html: string, label: string) {
  const section = html.slice(html.indexOf(`aria-label="${label}"`));
  const table = section.slice(0, section.indexOf("</table>")).split("<tr");
  const heads = (table[1] ?? "")
    .split("<th")
    .slice(1)
    .map((h) => words(`<th${h}`).replace(/\|/g, ""));
  return table.slice(2).map((r) =>
    r
      .split("<td")
      .slice(1)
      .flatMap((cell, i) => (cell.includes("font-bold") ? [heads[i]] : [])),
  );
}

describe("standings", () => {
  it("have the metric that ranks first, then the usual ones, units told", () => {
    const heads = tableOf(shown(standings()), "Standings")[0] ?? [];
    expect(heads.slice(0, 8)).toEqual([
      "Rank",
      "Contender",
      "Skill",
      "Against the leader",
      "MASE",
      "MAE (orders)",
      "bias (orders)",
      "coverage 80 %",
    ]);
    expect(heads).not.toContain("R²");
    expect(tableOf(shown(standings(), "metrics=all"), "Standings")[0]).toContain("R²");
    expect(tableOf(shown(standings({ metric: "r2" })), "Standings")[0]?.[4]).toBe("R²");
  });

  it("mark the best of each column by what is best there, and never a width", () => {
    const marked = best(shown(standings(), "metrics=all"), "Standings");
    expect(marked[0]).toEqual(["MASE", "MAE (orders)"]);
    expect(marked[1]).toEqual(["bias (orders)", "R²", "coverage 80 %"]); // nearest to 0, largest, nearest to 80 %
    expect(marked[2]).toEqual([]);
  });

  it("write a column with the same digits, and a dash where nothing is known", () => {
    const table = tableOf(shown(standings()), "Standings");
    const at = (head: string) => table[0]?.indexOf(head) ?? -1;
    expect(table.slice(1).map((r) => r[at("MAE (orders)")])).toEqual(["12.34", "13.50", "20.00"]);
    expect(table[3]?.[at("bias (orders)")]).toBe("–");
    expect(table.slice(1).map((r) => r[at("Filled")])).toEqual(["0", "4", "0"]);
    expect(table[3]?.[1]).toBe("seasonal-naive(baseline)");
  });

  it("say whether the distance to the leader is more than luck", () => {
    const over = (like_leader: boolean, low: number | null, p?: number): Schemas["OverSeries"] => ({
      like_leader,
      behind_low: low,
      behind_high: low === null ? null : low + 0.1,
      mean: 1,
      median: 1,
      mean_rank: 1.5,
      won: 0.5,
      beats: 0.9,
      p,
    });
    const told = (...list: (Schemas["OverSeries"] | undefined)[]) => {
      const all = rows.map((r, i) => ({ ...r, over: list[i] }));
      return tableOf(shown(standings({ slices: [{ rows: all }] })), "Standings")
        .slice(1)
        .map((r) => r[3]);
    };
    expect(told(over(true, 0), over(true, -0.02), over(false, 0.2))).toEqual([
      "leads",
      "≈ alike (-0.0200 to 0.0800 behind)",
      "worse (0.2000 to 0.3000 behind)",
    ]);
    expect(told(over(true, 0), over(false, null, 0.012), over(true, null))).toEqual([
      "leads",
      "worse (p = 0.01)",
      "not tested",
    ]);
  });

  it("say that choosing afterwards is no forecast", () => {
    expect(words(shown(standings({ hindsight: 0.61 })))).toContain(
      "Choosing each series' best afterwards would score 0.6100, which no one can.",
    );
    expect(words(shown(standings()))).not.toContain("afterwards");
  });

  it("name one place where a contender failed, with its reason", () => {
    const filled = [{ contender: "bent", series: "Hill / mint", window: 2, reason: "it has 3 values" }];
    expect(words(shown(standings({ filled })))).toContain(
      "bent failed on Hill / mint in window 2, for one: it has 3 values.",
    );
  });
});

describe("standings cut by an attribute", () => {
  const cut = standings({
    per: "town",
    slices: [
      { name: "Harbour", rows },
      {
        name: "Hill",
        rows: [
          row("seasonal-naive", 1, { values: { mase: 0.9 } }),
          row("additive", 2, { values: { mase: 1.8 } }),
        ],
      },
    ],
  });
  const html = shown(cut, "per=town");
  it("have a line a value and a column a contender, whoever leads there", () => {
    const table = tableOf(html, "Standings by town");
    expect(table[0]).toEqual(["town", "seasonal-naive(baseline)", "additive", "bent", "Points"]);
    expect(table[1]).toEqual(["Harbour", "1.000", "0.705", "0.750", "11,760"]);
    expect(table[2]).toEqual(["Hill", "0.900", "1.800", "–", "11,760"]);
  });
  it("mark the best of each line and shade the others by how far they are behind", () => {
    const marked = best(html, "Standings by town");
    expect(marked).toEqual([["additive"], ["seasonal-naive(baseline)"]]);
    const shades = [...html.matchAll(/var\(--copper\) (\d+)%/g)].map((m) => Number(m[1]));
    expect(shades).toEqual([16, 0, 2, 0, 38, 0]); // 38 at twice the best
    expect(words(html)).toContain("MASE, the best of each line in bold");
  });
});
