import { describe, expect, it } from "vitest";
import type { Schemas } from "../../api/client";
import { bakeoff, page, tableOf, words } from "../../test-kit";
import { FitDetails } from "./fit";
import { ResidualsView } from "./residuals";

const fitted = (over: Partial<Schemas["Fit"]> = {}): Schemas["Fit"] => ({
  series: "Hill / mint",
  contender: "additive",
  form: "adds up a bending trend and a week",
  from: "2026-05-01",
  to: "2026-05-05",
  known: 5,
  cautions: [],
  left_out: [],
  parameters: [],
  ...over,
});

const shown = (f: Schemas["Fit"]) =>
  page("/", "/", <FitDetails fit={f} measure="orders" hue="hue-2" cadence="day" />, []);

describe("a fit in words", () => {
  it("says the form, what it used, and why it was chosen", () => {
    expect(words(shown(fitted({ why: "it did best on inner windows" })))).toContain(
      "Adds up a bending trend and a week. It used 5 known values from 2026-05-01 to 2026-05-05; chosen: it did best on inner windows.",
    );
  });
  it("tells a line's slope with its sign", () => {
    const line = { start: 120.5, slope: -2.25, r2: 0.98 } as Schemas["Fit"]["line"];
    expect(words(shown(fitted({ line })))).toContain(
      "As a straight line the forecast is 120.5 − 2.250 a step (R² 0.9800).",
    );
  });
  it("says what the forecast is made of, and what to mind", () => {
    const shares = [
      { name: "additive", value: 0.62, meaning: "" },
      { name: "theta", value: 0.38, meaning: "" },
    ];
    const text = words(shown(fitted({ shares, cautions: ["the history is short"] })));
    expect(text).toContain("Of the forecast 62 % is additive, 38 % is theta.");
    expect(text).toContain("Caution: the history is short.");
  });
});

describe("a fit in numbers", () => {
  it("sets what was left out, parameters, errors and tests one under the other", () => {
    const rows = tableOf(
      shown(
        fitted({
          left_out: [
            { from: "2026-05-02", to: "2026-05-02", why: "far from all others" },
            { from: "2026-05-03", to: "2026-05-04", why: "unknown" },
          ],
          parameters: [{ name: "alpha", value: 0.25, meaning: "weight of an error" }],
          sigma: 12.5,
          tests: [{ name: "autocorrelation", p: 0.04, statistic: 9.1, meaning: "errors remember" }],
        }),
      ),
      "Numbers of the fit",
    );
    expect(rows.slice(1)).toEqual([
      ["left out", "2026-05-02", "–", "far from all others"],
      ["left out", "2026-05-03 to 2026-05-04", "–", "unknown"],
      ["parameter", "alpha", "0.2500", "weight of an error"],
      ["errors", "sigma", "12.50", "standard deviation, one step ahead"],
      ["test, p", "autocorrelation", "0.0400", "errors remember"],
    ]);
  });
  it("shows what else was tried, the chosen in bold, also where there are no other numbers", () => {
    const html = shown(
      fitted({
        criterion: "AICc",
        choices: [
          { form: "AAN", value: 101.25 },
          { form: "ANN", value: 104 },
        ],
      }),
    );
    expect(tableOf(html, "Forms that were tried")).toEqual([
      ["form", "AICc"],
      ["AAN", "101.3"],
      ["ANN", "104"],
    ]);
    expect(html.match(/font-bold/g)).toHaveLength(1);
  });
  it("tells each effect in units and per cent with its doubt, and each bend", () => {
    const html = shown(
      fitted({
        effects: [
          {
            kind: "driver",
            name: "price",
            per: "one more",
            units: -4.5,
            low: -6,
            high: -3,
            percent: -6.1,
            percent_low: -8,
            percent_high: -4,
          },
          {
            kind: "event",
            name: "fair",
            per: "a day",
            units: 12,
            low: 9,
            high: 15,
            percent: null,
            percent_low: null,
            percent_high: null,
          },
        ] as Schemas["Effect"][],
        bends: [{ period: "2026-05-03", change: 1.5, percent: 2 }] as Schemas["Bend"][],
      }),
    );
    expect(tableOf(html, "Effects at the usual level").slice(1)).toEqual([
      ["price", "one more", "-4.500", "-6", "-3", "-6.1 %", "-8.0 % to -4.0 %"],
      ["fair", "a day", "+12", "+9", "+15", "–", "– to –"],
    ]);
    expect(tableOf(html, "Bends of the trend, the largest first")[1]).toEqual([
      "2026-05-03",
      "+1.500",
      "+2.0 %",
    ]);
  });
});

describe("the parts of a fit", () => {
  const trend = {
    name: "trend",
    factor: false,
    past: [null, 10, 20, 30, 40],
    ahead: [50],
    low: [null, 9, 19, 29, 39, 45],
    high: [null, 11, 21, 31, 41, 55],
  } as unknown as Schemas["Component"];
  const periods = ["2026-05-01", "2026-05-02", "2026-05-03", "2026-05-04", "2026-05-05", "2026-05-06"];
  it("have no band where nothing is known of it", () => {
    const html = shown(fitted({ components: [trend], periods }));
    const band = /<path d="([^"]*)" fill="var\(--hue-2\)"/.exec(html)?.[1] ?? "";
    expect(band).toMatch(/^M200\.0 /); // from the second period on, not down to zero at the first
    expect(html).toContain('aria-label="trend of Hill / mint"');
  });
  it("ring the bends that lie on the trend", () => {
    const bends = [
      { period: "2026-05-03", change: 1.5, percent: 2 },
      { period: "2020-01-01", change: 9, percent: 2 },
    ] as Schemas["Bend"][];
    const html = shown(fitted({ components: [trend], periods, bends }));
    expect(html.match(/rounded-full border-2/g)).toHaveLength(1);
  });
});

describe("errors", () => {
  const data = {
    contender: "additive",
    points: 84,
    mean: -0.5,
    deviation: 3.25,
    periods: ["a", "b"],
    values: [1, -2],
    bins: [
      { low: -4, high: -1, count: 3 },
      { low: -1, high: 2, count: 6 },
      { low: 2, high: 5, count: 0 },
    ],
    autocorrelation: [0.1],
    bound: 0.2,
    cycles: [],
  } as unknown as Schemas["Residuals"];
  const of = (query: string, series: string) =>
    page("/", `/?${query}`, <ResidualsView bakeoff={bakeoff()} />, [
      [["residuals", "bake-3", "additive", series], data],
    ]);
  it("are told by their number, mean and spread, over all or on one series", () => {
    expect(words(of("", ""))).toContain(
      "84 errors, forecast less actual: mean -0.5000, standard deviation 3.250.",
    );
    expect(words(of("", ""))).toContain("Errors over all series");
    expect(words(of("series=Hill&residuals-of=series", "Hill"))).toContain("Errors on Hill");
    expect(words(of("series=Hill", ""))).toContain("only Hill");
  });
  it("have a bar a bin, as high as its share of the fullest, the one about zero told apart", () => {
    const bars = [
      ...of("", "").matchAll(/<rect[^>]*height="([\d.]+)" fill="var\(--hue-1\)" opacity="([\d.]+)"/g),
    ];
    expect(bars.map((m) => [Number(m[1]), Number(m[2])])).toEqual([
      [65, 0.6],
      [130, 1],
      [0, 0.6],
    ]);
  });
});
