import { describe, expect, it } from "vitest";
import type { Schemas } from "../../api/client";
import { bakeoff, page, tableOf, words } from "../../test-kit";
import { DuelView } from "./duel";
import { Learnt } from "./learnt";
import { TuningView } from "./tuning";
import { Winners } from "./winners";

const at = (element: React.ReactNode, query: string, key: unknown[], data: unknown) =>
  page("/", `/?${query}`, element, [[key, data]]);

describe("a duel", () => {
  const duel = (series: Schemas["Duel"]["series"], over: Partial<Schemas["Duel"]> = {}): Schemas["Duel"] => ({
    a: "additive",
    b: "seasonal-naive",
    metric: "mase",
    wins: 2,
    losses: 1,
    mean: -0.1,
    low: -0.2,
    high: -0.05,
    series,
    ...over,
  });
  const three = [
    { series: "Harbour", a: 0.5, b: 1, p: 0.01 },
    { series: "Hill", a: 2, b: 1, p: 0.3 },
    { series: "Mill", a: 0.9, b: 1, p: null },
    { series: "Moor", a: null, b: 1, p: null },
  ];
  const shown = (d: Schemas["Duel"], query = "") => {
    const asked = new URLSearchParams(query);
    const key = [
      "duel",
      "bake-3",
      asked.get("a") ?? "additive",
      asked.get("b") ?? "seasonal-naive",
      undefined,
    ];
    return at(<DuelView bakeoff={bakeoff()} />, query, key, d);
  };

  it("sets the leader against the baseline, or those that the address names", () => {
    expect(words(shown(duel(three)))).toContain("additive is better on 2 series and worse on 1.");
    expect(words(shown(duel(three, { a: "bent" }), "a=bent"))).toContain("bent is better on 2 series");
  });
  it("has a dot a series that both forecast, filled where the difference is more than luck", () => {
    const dots = [...shown(duel(three)).matchAll(/<circle[^>]*fill="([^"]*)"/g)].map((m) => m[1]);
    expect(dots).toEqual(["var(--copper)", "transparent", "transparent"]);
  });
  it("puts a series on which the first is better below the line", () => {
    const html = shown(duel(three));
    const [, x, y] = /<circle cx="([\d.]+)" cy="([\d.]+)"/.exec(html) ?? [];
    const [, x1, y1, x2, y2] = (
      /<line x1="([\d.]+)" y1="([\d.]+)" x2="([\d.]+)" y2="([\d.]+)"/.exec(html) ?? []
    ).map(Number);
    const onLine = (y1 ?? 0) + ((Number(x) - (x1 ?? 0)) / ((x2 ?? 1) - (x1 ?? 0))) * ((y2 ?? 0) - (y1 ?? 0));
    expect(Number(y)).toBeGreaterThan(onLine); // SVG counts downwards
  });
  it("lists where the first is behind the most, and says when the list is cut", () => {
    const listed = (html: string) => [...html.matchAll(/<li><button[^>]*>(.*?)<\/button>/g)].map((m) => m[1]);
    expect(listed(shown(duel(three)))).toEqual(["Hill", "Mill", "Harbour"]);
    const many = Array.from({ length: 130 }, (_, i) => ({ series: `s${i}`, a: i, b: 0, p: null }));
    const html = shown(duel(many));
    expect(listed(html)).toHaveLength(100);
    expect(listed(html)[0]).toBe("s129");
    expect(words(html)).toContain("The 100 on which additive is behind the most; all 130: save the values.");
  });
  it("is no duel where nothing is known of both", () => {
    expect(words(shown(duel([{ series: "Moor", a: null, b: 1, p: null }])))).toContain(
      "No series has a mase for both.",
    );
  });
});

describe("a search over settings", () => {
  const tuning = (window: number): Schemas["Tuning"] => ({
    contender: "bent",
    window,
    shard: 0,
    metric: "wape",
    matter: [{ setting: "bends", share: 0.71 }] as unknown as Schemas["Tuning"]["matter"],
    trials: [
      {
        settings: { bends: 3, season: "drifts" },
        score: 0.1234,
        chosen: 12,
        values: { mae: 3.5, coverage80: 0.79 },
      },
      { settings: { bends: 9 }, score: null, problem: "it has 3 values" },
    ],
  });
  const shown = (n: number) =>
    at(<TuningView bakeoff={bakeoff()} />, "", ["tuning", "bake-3"], {
      items: Array.from({ length: n }, (_, i) => tuning(i + 1)),
    });
  it("tells of every try, with a problem where it has one", () => {
    const rows = tableOf(shown(1), "Tries of bent in window 1");
    expect(rows[0]).toEqual([
      "Settings",
      "wape on inner windows",
      "mae",
      "coverage 80 %",
      "Chosen by series",
      "Problem",
    ]);
    expect(rows[1]).toEqual(["bends 3, season drifts", "12.3 %", "3.500", "79.0 %", "12", ""]);
    expect(rows[2]).toEqual(["bends 9", "–", "–", "–", "0", "it has 3 values"]);
    expect(words(shown(1))).toContain("bends explains 71.0 % of the scores' variance.");
  });
  it("says how many more there are than it shows", () => {
    expect(words(shown(33))).toContain("And 3 more: paperkettle bakeoff tuning bake-3");
    expect(words(shown(30))).not.toContain("more:");
  });
});

describe("what a model learnt", () => {
  const fit = {
    contender: "boosting",
    form: "trees",
    cautions: [],
    from: "2022-12-03",
    to: "2026-05-31",
    known: 1275,
    left_out: [],
    parameters: [],
  } satisfies Schemas["Fit"];
  it("adds the parts of a forecast up, in their signs", () => {
    const reasons = [
      { name: "level", steps: [200, 202, 204] },
      { name: "promotion", steps: [36.5, null, null] },
      { name: "price", steps: [-12, -12, -12] },
    ];
    const html = at(<Learnt fit={{ ...fit, reasons }} measure="orders" hue="hue-1" />, "", [], 0);
    expect(tableOf(html, "Why this forecast")).toEqual([
      ["Part (orders)", "First step", "Last step", "Mean of all steps"],
      ["level", "+200", "+204", "+202"],
      ["promotion", "+36.50", "–", "+12.17"],
      ["price", "-12", "-12", "-12"],
      ["the forecast", "+224.5", "+192", "+202.2"],
    ]);
  });
  it("says what columns are worth, with its doubt", () => {
    const worths = [
      { name: "price", meaning: "of the period", share: 0.4, rise: 0.085, low: -0.01, high: 0.2 },
      { name: "week", meaning: "of the year", share: 0.05, rise: null, low: null, high: null },
    ];
    const html = at(<Learnt fit={{ ...fit, worths }} measure="orders" hue="hue-1" />, "", [], 0);
    const rows = tableOf(html, "What the columns are worth");
    expect(rows[1]).toEqual(["price", "40 %", "+8.5 %", "-1.0 % to +20.0 %"]);
    expect(rows[2]).toEqual(["week", "5 %", "–", "– to –"]);
  });
  it("is empty where it learnt nothing of the kind", () => {
    expect(at(<Learnt fit={fit} measure="orders" hue="hue-1" />, "", [], 0)).not.toContain("<table");
  });
});

describe("who wins", () => {
  const row = (
    contender: string,
    mase: number | null,
    skill: number,
    found?: string,
  ): Schemas["StandingRow"] => ({
    contender,
    rank: 1,
    skill,
    points: 84,
    filled: 0,
    found,
    values: { mase },
  });
  const data: Schemas["Standings"] = {
    bakeoff: "bake-3",
    baseline: "seasonal-naive",
    by: "series",
    complete: true,
    metric: "mase",
    metrics: [{ name: "mase", label: "MASE", meaning: "", share: false, unit: false }],
    sentence: "",
    slices: [
      { name: "Harbour / mint", rows: [row("bent", 0.6, 0.4, "9 bends"), row("additive", 0.8, 0.2)] },
      { name: "Hill / black tea", rows: [row("additive", 0.7, 0.3)] },
      { name: "Hill / mint", rows: [row("bent", 0.5, 0.5), row("additive", 0.51, 0.49)] },
    ],
  };
  const html = at(<Winners bakeoff={bakeoff()} />, "", ["standings", "bake-3", "brief", "series"], data);
  it("tells each series' winner, what it is there, and the second", () => {
    expect(tableOf(html, "Winners")).toEqual([
      ["Series", "Winner", "What it is for this series", "MASE", "Skill", "Second", "MASE"],
      ["Harbour / mint", "bent", "9 bends", "0.6000", "40.0 %", "additive", "0.8000"],
      ["Hill / black tea", "additive", "", "0.7000", "30.0 %", "", "–"],
      ["Hill / mint", "bent", "", "0.5000", "50.0 %", "additive", "0.5100"],
    ]);
  });
  it("counts the wins, the most first", () => {
    expect(words(html)).toContain("bent wins 2, additive wins 1.");
    expect(words(html)).toContain("Winners of 3 series");
  });
});
