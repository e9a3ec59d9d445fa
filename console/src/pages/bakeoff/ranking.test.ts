import { describe, expect, it } from "vitest";
import type { Schemas } from "../../api/client";
import { bestOf, distance, lead, orders, tally } from "./ranking";

type Slice = Schemas["StandingsSlice"];

/** A series with its contenders' values of a metric, the winner first. */
const slice = (name: string, metric: string, values: (number | null)[], skill: number | null = null) =>
  ({
    name,
    rows: values.map((v, i) => ({ contender: `c${i}`, values: { [metric]: v }, skill })),
  }) as unknown as Slice;

describe("distances", () => {
  it("are least for the best value of each kind of metric", () => {
    expect(distance("mase", 0.8)).toBeLessThan(distance("mase", 0.9));
    expect(distance("r2", 0.9)).toBeLessThan(distance("r2", 0.2));
    expect(distance("bias", -1)).toBeLessThan(distance("bias", 2));
    expect(distance("coverage95", 0.94)).toBeLessThan(distance("coverage95", 0.99));
    expect(distance("coverage80", 0.8)).toBe(0);
  });

  it("leave out what is unknown", () => {
    expect(bestOf("bias", slice("a", "bias", [-3, null, 2]).rows)).toBe(2);
  });
});

describe("a win", () => {
  it("leads by a share of the second's distance, whichever way is better", () => {
    expect(lead(slice("a", "mase", [0.8, 1]), "mase")).toBeCloseTo(0.2);
    expect(lead(slice("a", "bias", [-1, 4]), "bias")).toBeCloseTo(0.75);
    expect(lead(slice("a", "r2", [0.9, 0.6]), "r2")).toBeCloseTo(0.5);
    expect(lead(slice("a", "mae", [0, 0]), "mae")).toBe(0);
    expect(lead(slice("a", "mae", [3]), "mae")).toBe(Number.POSITIVE_INFINITY);
  });
});

describe("orders", () => {
  const names = (list: Slice[]) => list.map((s) => s.name);

  it("put the largest error first, and what has none last", () => {
    const list = [slice("none", "bias", [null]), slice("small", "bias", [1]), slice("large", "bias", [-5])];
    expect(names(list.toSorted(orders.error("bias")))).toEqual(["large", "small", "none"]);
  });

  it("put the closest win first, and what has no second last", () => {
    const list = [
      slice("alone", "mae", [1]),
      slice("clear", "mae", [1, 4]),
      slice("alone too", "mae", [1]),
      slice("close", "mae", [1, 1.01]),
    ];
    expect(names(list.toSorted(orders.doubt("mae")))).toEqual(["close", "clear", "alone", "alone too"]);
  });

  it("put the least skill first, and go by name", () => {
    const list = [slice("b", "mae", [1], 0.3), slice("a", "mae", [1], -0.2), slice("c", "mae", [1])];
    expect(names(list.toSorted(orders.skill("mae")))).toEqual(["c", "a", "b"]);
    expect(names(list.toSorted(orders.series("mae")))).toEqual(["a", "b", "c"]);
  });
});

it("wins are counted, the most first", () => {
  const by = (contender: string) => ({ rows: [{ contender }] }) as unknown as Slice;
  expect(tally([by("theta"), by("linear"), by("linear")])).toBe("linear wins 2, theta wins 1");
});
