import { describe, expect, it } from "vitest";
import { begin, type Draft, named, planOf, reduce } from "./draft";

const families = ["naive", "seasonal-naive", "smoothing", "additive"].map((name) => ({
  name,
  summary: "",
  reference: "",
  across_series: false,
  settings: [],
}));
const drivers = [
  { name: "price", known_ahead: true },
  { name: "weather", known_ahead: false },
] as Parameters<typeof planOf>[1];
const draft = (cadence = "day"): Draft => begin("sales", cadence, families);

describe("a draft", () => {
  it("begins with what suits the cadence", () => {
    expect(draft("week").horizon).toBe("8");
    expect(draft("week from sunday").horizon).toBe("8");
    expect(draft("number").horizon).toBe("12");
    expect(draft().contenders.map((c) => c.family)).toEqual(["naive", "seasonal-naive", "smoothing"]);
  });

  it("changes one thing at a time and leaves the draft before as it was", () => {
    const before = draft();
    const after = reduce(before, { set: "horizon", value: "14" });
    expect(after.horizon).toBe("14");
    expect(before.horizon).toBe("28");
    const rules = reduce(reduce(after, { ahead: "weather", rule: "lag" }), { gaps: "price", rule: "hold" });
    expect(rules.ahead).toEqual({ weather: "lag" });
    expect(rules.gaps).toEqual({ price: "hold" });
  });

  it("leaves out what is empty or no number", () => {
    const typed = [
      { set: "stride", value: "seven" },
      { set: "gap", value: "" },
      { set: "metric", value: "  " },
      { set: "levels", value: "80,95 99.5" },
    ] as const;
    const plan = planOf(typed.reduce<Draft>(reduce, draft()), drivers);
    expect(plan.stride).toBeUndefined();
    expect(plan.gap).toBeUndefined();
    expect(plan.metric).toBeUndefined();
    expect(plan.history).toBe("expanding");
    expect(plan.past).toBeUndefined();
    expect(planOf(reduce(draft(), { set: "past", value: "as-loaded" }), drivers).past).toBe("as-loaded");
    expect(plan.neighbours).toBeUndefined();
    expect(planOf(reduce(draft(), { set: "neighbours", value: " town " }), drivers).neighbours).toBe("town");
    expect(planOf(reduce(draft(), { set: "carryOver", value: "price:1" }), drivers).carry_over).toBe(
      "price:1",
    );
    expect(plan.levels).toEqual([80, 95, 99.5]);
  });

  it("gives rules to drivers that the dataset has, and to those alone", () => {
    let d = draft();
    for (const name of ["price", "weather", "gone"]) {
      d = reduce(reduce(d, { ahead: name, rule: "lag" }), { gaps: name, rule: " usual " });
    }
    const plan = planOf(d, drivers);
    expect(plan.drivers_ahead).toEqual({ weather: "lag" });
    expect(plan.driver_gaps).toEqual({ price: "usual", weather: "usual" });
  });
});

describe("contenders", () => {
  it("are told apart by their settings", () => {
    const list = named([
      { family: "smoothing", settings: { trend: "" } },
      { family: "smoothing", settings: { trend: "damped" } },
    ]);
    expect(list.map((c) => c.name)).toEqual(["smoothing", "smoothing:trend=damped"]);
    expect(list[0]?.settings).toEqual({});
  });

  it("with values apart by bars are tuned", () => {
    const [c] = named([{ family: "moving-average", settings: { length: "7 | 28|", weights: "even" } }]);
    expect(c?.tune).toEqual({ settings: { length: ["7", "28"] } });
    expect(c?.settings).toEqual({ weights: "even" });
  });
});
