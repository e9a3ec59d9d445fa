import { describe, expect, it } from "vitest";
import { late, stepsOf } from "./home-steps";

const now = new Date("2026-07-10T12:00:00Z");

describe("late", () => {
  it("counts whole periods that are over and missing", () => {
    const of = (cadence: string, last: string) => late({ name: "d", cadence, last }, now);
    expect(of("day", "2026-07-09")).toBe(0);
    expect(of("day", "2026-07-07")).toBe(2);
    expect(of("week", "2026-06-29")).toBe(0);
    expect(of("week from sunday", "2026-06-14")).toBe(2);
    expect(of("month", "2026-06")).toBe(0);
    expect(of("month", "2026-03")).toBe(3);
    expect(of("quarter", "2026-Q1")).toBe(1);
    expect(of("hour", "2026-07-10 09:00")).toBe(2);
    expect(of("number", "17")).toBe(0);
  });

  it("goes by the calendar at the ends of short and long months", () => {
    const of = (cadence: string, last: string, at: string) =>
      late({ name: "d", cadence, last }, new Date(`${at}T00:00:00Z`));
    expect(of("month", "2026-01", "2026-02-28")).toBe(0);
    expect(of("month", "2026-01", "2026-03-01")).toBe(1);
    expect(of("month", "2025-12", "2026-02-01")).toBe(1);
    expect(of("month", "2026-07", "2026-08-31")).toBe(0);
    expect(of("quarter", "2026-Q1", "2026-06-30")).toBe(0);
    expect(of("quarter", "2026-Q1", "2026-07-01")).toBe(1);
    expect(of("quarter", "2025-Q4", "2026-07-01")).toBe(2);
  });
});

describe("steps", () => {
  const dataset = { name: "daily", cadence: "day", last: "2026-06-28" };
  const release = {
    id: "rel-1",
    dataset: "daily",
    state: "live" as const,
    last: "2026-06-28",
    bakeoff: "bake-1",
    contender: "additive",
  };
  const bakeoff = {
    id: "bake-1",
    name: "spring",
    job: { state: "done" as const },
    plan: { dataset: "daily" },
  };

  it("asks for flags, then for a new forecast where the live one is used up", () => {
    const steps = stepsOf({ datasets: [dataset], releases: [release], bakeoffs: [bakeoff], open: 3 });
    expect(steps.map((s) => s.act)).toEqual(["Settle flags", "Publish anew"]);
  });

  it("asks for a bake-off, then for a release", () => {
    expect(stepsOf({ datasets: [dataset], releases: [], bakeoffs: [], open: 0 })[0]?.to).toBe(
      "/bakeoffs/new?dataset=daily",
    );
    expect(
      stepsOf({ datasets: [dataset], releases: [], bakeoffs: [bakeoff], open: 0 }).map((s) => s.act),
    ).toEqual(["Publish it"]);
  });

  it("has nothing to ask where a forecast is live and reaches on", () => {
    const ahead = { ...release, last: "2026-07-26" };
    expect(stepsOf({ datasets: [dataset], releases: [ahead], bakeoffs: [bakeoff], open: 0 })).toEqual([]);
  });

  it("puts what waits for a word first", () => {
    const held = { ...release, id: "rel-2", state: "held" as const, held: "it forecasts 3 series" };
    const steps = stepsOf({ datasets: [dataset], releases: [held, release], bakeoffs: [bakeoff], open: 1 });
    expect(steps[0]?.text).toContain("rel-2");
  });
});
