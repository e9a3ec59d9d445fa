import { renderToStaticMarkup } from "react-dom/server";
import { describe, expect, it } from "vitest";
import type { Schemas } from "../../api/client";
import { NewcomersView } from "./newcomers";

const metric = (name: string, label: string, share = false, unit = false) => ({
  name,
  label,
  meaning: "",
  share,
  unit,
});

const standings = (newcomers?: Schemas["Newcomers"]): Schemas["Standings"] => ({
  bakeoff: "bake-1",
  complete: true,
  metric: "mase",
  by: "mase",
  baseline: "naive",
  metrics: [
    metric("mae", "MAE", false, true),
    metric("wape", "WAPE", true),
    metric("mase", "MASE"),
    metric("coverage80", "coverage 80 %", true),
  ],
  slices: [],
  sentence: "",
  newcomers,
});

const newcomers = (series: string[], why?: string): Schemas["Newcomers"] => ({
  series,
  count: series.length,
  places: 9,
  meaning: "Assessed apart.",
  metrics: ["mae", "wape", "coverage80"],
  rows: [
    {
      contender: "boosting",
      points: 18,
      failed: why ? 2 : 0,
      why,
      values: { mae: 98.6, wape: 0.216, mase: null, coverage80: 0.667 },
    },
    {
      contender: "all others",
      reference: true,
      points: 18,
      failed: 0,
      values: { mae: 286, wape: 0.627, mase: null, coverage80: 0.667 },
    },
  ],
});

const text = (s: Schemas["Standings"]) =>
  renderToStaticMarkup(<NewcomersView data={s} measure="orders" />).replace(/<[^>]+>/g, "|");

describe("newcomers", () => {
  it("are not told of where there are none", () => {
    expect(text(standings())).toBe("");
  });

  it("are told by what needs no scale, beside all others", () => {
    const shown = text(standings(newcomers(["a", "b"])));
    for (const part of ["Newcomers", "MAE (orders)", "98.6", "286.0", "21.6 %", "62.7 %", "They are a; b."]) {
      expect(shown).toContain(part);
    }
    expect(shown).not.toContain("MASE");
    expect(shown).not.toContain("no forecast");
  });

  it("are named as far as there is room, with the reason of a failure", () => {
    const shown = text(standings(newcomers(["a", "b", "c", "d", "e", "f", "g"], "f: too few likes")));
    expect(shown).toContain("They are a; b; c; d; e and 2 more.");
    expect(shown).toContain("boosting has no forecast at 2 of 9: f: too few likes.");
    expect(text(standings(newcomers(["a"])))).toContain("It is a.");
  });
});
