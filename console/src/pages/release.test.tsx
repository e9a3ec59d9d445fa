import { describe, expect, it } from "vitest";
import type { Schemas } from "../api/client";
import { type Answers, bakeoff, flag, job, links, page, release, score, tableOf, words } from "../test-kit";
import { ReleasePage } from "./release";

const curve = (over: Partial<Schemas["ReleaseCurve"]> = {}): Schemas["ReleaseCurve"] => ({
  series: "Harbour / black tea",
  contender: "additive",
  keys: ["Harbour / black tea", "Harbour / green tea"],
  periods: ["2026-05-30", "2026-05-31", "2026-06-01", "2026-06-02", "2026-06-03"],
  start: 2,
  actual: [200, 210, 231, 410, null],
  levels: [80, 95],
  forecast: [220.4, 221, 0],
  low: [
    [200, 201, 0],
    [180, 181, 0],
  ],
  high: [
    [240, 241, 0],
    [262, 263, 0],
  ],
  closed: [2],
  flags: [flag({ step: 2 })],
  ...over,
});

const shown = (r: Schemas["Release"], address = "/releases/rel-7", more: Answers = []) =>
  page("/releases/:release", address, <ReleasePage />, [
    [["release", "rel-7"], r],
    [["bakeoff", "bake-3"], bakeoff()],
    [["release-curve", "rel-7", ""], curve()],
    ...more,
  ]);

const buttons = (html: string) =>
  [...html.matchAll(/<button[^>]*>(.*?)<\/button>/g)].map((m) => words(m[1] ?? "").replace(/\|/g, ""));

const lead = (html: string) => words(/<h1[^>]*>(.*?)<\/h1>/.exec(html)?.[1] ?? "");

describe("a release's first sentence", () => {
  const of = (over: Partial<Schemas["Release"]>) => lead(shown(release(over)));
  it("says what is forecast, from when to when, and by whom", () => {
    expect(of({})).toBe(
      "rel-7 forecasts orders of 140 series from 2026-06-01 to 2026-06-28 by additive; no actuals have arrived yet.",
    );
  });
  it("says how many actuals lie inside, once there are some", () => {
    expect(of({ score: score() })).toContain("96.0 % of the actuals so far lie inside the 95 % interval.");
    expect(of({ score: score({ points: 0, outside: 0 }) })).toContain("no actuals have arrived yet.");
  });
  it("says that there is nothing yet, and why", () => {
    expect(of({ state: "preparing", job: job({ state: "running" }) })).toBe("rel-7 is being prepared.");
    expect(of({ state: "held", held: "it covers 12 series fewer" })).toContain("waits for a word");
    expect(of({ state: "failed", job: job({ state: "failed", error: "the disk is full" }) })).toBe(
      "rel-7 could not be published: the disk is full",
    );
  });
});

describe("what can be done with a release", () => {
  it("depends on where it stands", () => {
    const acts = (over: Partial<Schemas["Release"]>) =>
      buttons(shown(release(over))).filter((b) => ["Withdraw", "Put live"].includes(b));
    expect(acts({ state: "live" })).toEqual(["Withdraw"]);
    expect(acts({ state: "held" })).toEqual(["Put live"]);
    expect(acts({ state: "superseded" })).toEqual(["Put live"]);
    expect(acts({ state: "withdrawn" })).toEqual(["Put live"]);
    expect(acts({ state: "failed" })).toEqual([]);
  });
  it("is to take it away and to ask what if, where it is there", () => {
    const of = (over: Partial<Schemas["Release"]>) => links(shown(release(over)));
    expect(of({})).toContainEqual(["Download as CSV", "/api/v1/releases/rel-7/export"]);
    expect(of({})).toContainEqual(["What if …", "/scenarios/new?release=rel-7"]);
    expect(of({ state: "preparing" }).map((l) => l[0])).not.toContain("What if …");
    expect(of({ open_flags: 2 })).toContainEqual(["2 open flags", "/flags?release=rel-7"]);
  });
  it("says why it is held", () => {
    expect(shown(release({ state: "held", held: "it covers 12 series fewer" }))).toMatch(
      /role="alert"[^>]*>Not live: it covers 12 series fewer\./,
    );
  });
});

describe("every step of a release", () => {
  const rows = tableOf(shown(release()), "Forecast");
  it("has a low, a likely and a high case, the widest outside", () => {
    expect(rows[0]).toEqual([
      "Step",
      "Period",
      "Low 95 %",
      "Low 80 %",
      "Forecast",
      "High 80 %",
      "High 95 %",
      "Actual",
    ]);
    expect(rows[1]).toEqual(["1", "2026-06-01", "180.0", "200.0", "220.4", "240.0", "262.0", "231"]);
  });
  it("says which actual is flagged", () => {
    expect(rows[2]?.at(-1)).toBe("410 flagged");
    const after = [flag({ step: 2, state: "restated" })];
    const html = shown(release(), "/releases/rel-7", [
      [["release-curve", "rel-7", ""], curve({ flags: after })],
    ]);
    expect(tableOf(html, "Forecast")[2]?.at(-1)).toBe("410");
  });
  it("says closed where nothing happens, and no figures", () => {
    expect(rows[3]).toEqual(["3", "2026-06-03", "–", "–", "closed", "–", "–", "–"]);
  });
});

describe("series without a forecast", () => {
  const without = release({
    series: 139,
    left_out: [{ series: "Hill / new tea & co", reason: "has 1 known value" }],
    cautions: ["1 series got no forecast: Hill / new tea & co, for one, has 1 known value."],
  });
  it("are listed with their reason, and a click from their history", () => {
    const html = shown(without);
    expect(words(html)).toContain("1 series without a forecast, and why");
    expect(tableOf(html, "Series without a forecast")[1]).toEqual([
      "Hill / new tea & co",
      "has 1 known value",
    ]);
    const to = links(html).find(([text]) => text === "Hill / new tea & co")?.[1] ?? "";
    expect(new URL(to, "http://x").searchParams.get("series")).toBe("Hill / new tea & co");
  });
  it("are not spoken of where there are none", () => {
    expect(words(shown(release()))).not.toContain("without a forecast");
  });
  it("have their history and the reason where they are asked for, and no empty table", () => {
    const html = shown(without, "/releases/rel-7?series=Hill", [
      [
        ["release-curve", "rel-7", "Hill"],
        curve({
          series: "Hill",
          left_out: "has 1 known value",
          contender: "",
          forecast: [],
          low: [],
          high: [],
          flags: [],
          closed: undefined,
        }),
      ],
    ]);
    expect(words(html)).toContain("No forecast of Hill: has 1 known value.");
    expect(html).toContain('aria-label="orders of Hill: history"');
    expect(html).not.toContain('aria-label="Forecast"');
    expect(words(html)).not.toContain("how the forecast was made");
  });
});

describe("the live score", () => {
  it("is there with the first actuals, each figure with its unit", () => {
    const html = shown(release({ score: score() }));
    const facts = Object.fromEntries(
      [...html.matchAll(/<dt[^>]*>(.*?)<\/dt><dd[^>]*>(.*?)<\/dd>/g)].map((m) => [
        words(m[1] ?? ""),
        words(m[2] ?? ""),
      ]),
    );
    expect(facts).toEqual({
      Actuals: "200",
      Outside: "8",
      "MAE (orders)": "3.457",
      "Bias (orders)": "-0.5000",
      WAPE: "12.3 %",
      MASE: "0.8100",
      "Skill over seasonal naive": "25.0 %",
      "Coverage 80 %": "79.0 %",
      "Coverage 95 %": "96.0 %",
    });
  });
  it("is not there before", () => {
    expect(words(shown(release()))).not.toContain("Score on the actuals");
  });
});
