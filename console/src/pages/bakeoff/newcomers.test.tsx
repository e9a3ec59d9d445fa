import { renderToStaticMarkup } from "react-dom/server";
import { MemoryRouter } from "react-router";
import { describe, expect, it } from "vitest";
import type { Schemas } from "../../api/client";
import { NewHere } from "./curves";
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

const html = (s: Schemas["Standings"]) =>
  renderToStaticMarkup(
    <MemoryRouter initialEntries={["/?metric=mae&series=old"]}>
      <NewcomersView data={s} measure="orders" />
    </MemoryRouter>,
  );

const text = (s: Schemas["Standings"]) => html(s).replace(/<[^>]+>/g, "|");

describe("newcomers", () => {
  it("are not told of where there are none", () => {
    expect(text(standings())).toBe("");
  });

  it("are told by what needs no scale, beside all others", () => {
    const shown = text(standings(newcomers(["a", "b"])));
    for (const part of [
      "Newcomers",
      "MAE (orders)",
      "98.6",
      "286.0",
      "21.6 %",
      "62.7 %",
      "They are |a|; |b|.",
    ]) {
      expect(shown).toContain(part);
    }
    expect(shown).not.toContain("MASE");
    expect(shown).not.toContain("no forecast");
  });

  it("lead to their curves, of those that forecast them, and can be taken away", () => {
    const shown = html(standings(newcomers(["a & b"])));
    const to = new URLSearchParams((/href="\/?\?([^"]*)"/.exec(shown)?.[1] ?? "").replaceAll("&amp;", "&"));
    expect(Object.fromEntries(to)).toEqual({
      metric: "mae",
      look: "curves",
      series: "a & b",
      show: "boosting",
    });
    expect(shown).toContain('href="/api/v1/bakeoffs/bake-1/export?newcomers=true"');
  });

  it("are named as far as there is room, with the reason of a failure", () => {
    const shown = text(standings(newcomers(["a", "b", "c", "d", "e", "f", "g"], "f: too few likes")));
    expect(shown).toContain("They are |a|; |b|; |c|; |d|; |e| and 2 more.");
    expect(shown).toContain("boosting has no forecast at 2 of 9: f: too few likes.");
    expect(text(standings(newcomers(["a"])))).toContain("It is |a|.");
  });
});

describe("curves of a newcomer", () => {
  const curve = (
    window: number,
    contender: string,
    newcomer?: boolean,
  ): Schemas["Curves"]["curves"][number] => ({
    contender,
    window,
    start: 10 * window,
    forecast: [1],
    low: [[0]],
    high: [[2]],
    newcomer,
  });
  const told = (...list: Schemas["Curves"]["curves"]) =>
    renderToStaticMarkup(
      <NewHere curves={{ series: "cup", levels: [80], periods: [], actual: [], curves: list }} />,
    ).replace(/<[^>]+>/g, "");
  it("say in which windows it had no past", () => {
    expect(told(curve(1, "boosting", true), curve(1, "automatic", true), curve(2, "boosting"))).toContain(
      "In window 1 cup was too new to be trained on",
    );
    expect(told(curve(1, "boosting", true), curve(2, "boosting", true))).toContain("In window 1 and 2 cup");
  });
  it("say nothing where it has one", () => {
    expect(told(curve(1, "boosting"))).toBe("");
  });
});
