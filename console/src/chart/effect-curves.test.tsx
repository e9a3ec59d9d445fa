import { renderToString } from "react-dom/server";
import { describe, expect, it } from "vitest";
import { EffectCurves } from "./effect-curves";

const price = {
  name: "price",
  meaning: "the driver",
  ordered: true,
  places: ["4.5", "5.2", "8.1"],
  mean: [0.1, 0.02, -0.12],
  low: [0.05, 0, -0.3],
  high: [0.2, 0.04, -0.02],
};
const line = {
  ...price,
  name: "line",
  ordered: false,
  places: ["black tea", "a notebook with lines", "herb tea"],
};

describe("EffectCurves", () => {
  it("says in words what it draws", () => {
    const text = renderToString(<EffectCurves curves={[price]} hue="hue-2" />);
    expect(text).toContain("Effect of price: 4.5 +10.0 %, 5.2 +2.0 %, 8.1 -12.0 %");
    expect(text).toContain("By price");
  });

  it("joins numbers by a line in a band, and leaves names apart", () => {
    const numbers = renderToString(<EffectCurves curves={[price]} hue="hue-2" />);
    expect(numbers).toContain("<polyline");
    expect(numbers).toContain("<polygon");
    const names = renderToString(<EffectCurves curves={[line]} hue="hue-2" />);
    expect(names).not.toContain("<polyline");
    expect(names).toContain("a notebook…");
  });

  it("draws all figures on one scale", () => {
    const flat = { ...price, name: "week", mean: [0, 0, 0], low: [0, 0, 0], high: [0, 0, 0] };
    const text = renderToString(<EffectCurves curves={[price, flat]} hue="hue-2" />);
    expect(text.split("+20.0 %").length - 1).toBe(2);
    expect(text.split("-30.0 %").length - 1).toBe(2);
  });

  it("is nothing where there is nothing", () => {
    expect(renderToString(<EffectCurves curves={[]} hue="hue-2" />)).toBe("");
  });
});
