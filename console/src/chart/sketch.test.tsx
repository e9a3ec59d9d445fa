import { renderToStaticMarkup } from "react-dom/server";
import { describe, expect, it } from "vitest";
import type { Drawing } from "./drawing";
import { marks, Sketch } from "./sketch";

const drawing = (over: Partial<Drawing> = {}): Drawing => ({
  periods: ["a", "b", "c", "d", "e"],
  unit: "orders",
  actual: [1, 2, 3, null, 5],
  lines: [],
  bands: [],
  tints: [],
  rings: [],
  view: [0, 4],
  ...over,
});

const html = (d: Drawing) => renderToStaticMarkup(<Sketch {...d} />);
const curves = (d: Drawing) =>
  [...html(d).matchAll(/<path d="([^"]*)" fill="none"/g)].map((m) => (m[1] ?? "").split("M").filter(Boolean));

describe("the marks of a sketch", () => {
  it("reach from zero to above the largest value in sight, by even steps", () => {
    expect(marks(drawing())).toEqual([0, 1, 2, 3, 4, 5, 6]);
    expect(marks(drawing({ actual: [35] }))).toEqual([0, 10, 20, 30, 40]);
    expect(marks(drawing({ actual: [-12, 30] }))).toEqual([-20, -10, 0, 10, 20, 30, 40]);
    expect(marks(drawing({ actual: [7.5e6] }))).toEqual([0, 2e6, 4e6, 6e6, 8e6, 1e7]);
  });
  it("count what bands and lines reach, and nothing out of sight", () => {
    const band = { name: "80 %", hue: "hue-1", start: 3, low: [1], high: [90], strength: 0.2 };
    expect(marks(drawing({ bands: [band] })).at(-1)).toBe(100);
    expect(marks(drawing({ bands: [band], view: [0, 2] })).at(-1)).toBe(3.5);
  });
  it("are none where nothing is known, or all is zero", () => {
    for (const actual of [[], [null, null], [0, 0], [Number.POSITIVE_INFINITY]])
      expect(marks(drawing({ actual }))).toEqual([]);
    expect(html(drawing({ actual: [] }))).toBe("");
    expect(html(drawing({ view: [2, 2] }))).toBe("");
  });
});

describe("a sketch", () => {
  it("breaks a curve where nothing is known", () => {
    const [actual] = curves(drawing());
    expect(actual).toHaveLength(2);
    expect(actual?.[0]).toMatch(/^0\.0 333\.3L250\.0 266\.7L500\.0 200\.0$/);
  });
  it("keeps to what is in sight", () => {
    const [actual] = curves(drawing({ view: [1, 2] }));
    expect(actual?.[0]).toMatch(/^0\.0 .*L1000\.0 /);
    expect(actual).toHaveLength(1);
  });
  it("draws lines over bands, in their colours, and names its ends", () => {
    const band = { name: "80 %", hue: "hue-2", start: 3, low: [1, null], high: [3, null], strength: 0.2 };
    const line = { name: "additive", hue: "hue-2", start: 3, values: [2, 2] };
    const shown = html(drawing({ bands: [band], lines: [line] }));
    expect(shown.indexOf('fill="var(--hue-2)"')).toBeGreaterThan(0);
    expect(shown.indexOf('stroke="var(--hue-2)"')).toBeGreaterThan(shown.indexOf('fill="var(--hue-2)"'));
    expect(shown).toContain(">a<");
    expect(shown).toContain(">e<");
    expect(shown).not.toMatch(/NaN|Infinity/);
  });
  it("breaks a band where a step has none", () => {
    const of = (low: (number | null)[]) => {
      const high = low.map((v) => (v === null ? null : v + 2));
      const shown = html(
        drawing({ bands: [{ name: "80 %", hue: "hue-2", start: 0, low, high, strength: 0.2 }] }),
      );
      return (/<path d="([^"]*)" fill="var\(--hue-2\)"/.exec(shown)?.[1] ?? "").split("M").length - 1;
    };
    expect(of([1, 1, 1, 1, 1])).toBe(1);
    expect(of([1, 1, null, 1, 1])).toBe(2);
    expect(of([null, null])).toBe(0);
  });
  it("rings what is flagged and in sight, where it lies", () => {
    const rings = [
      { index: 2, value: 3, label: "3" },
      { index: 4, value: 5, label: "5" },
    ];
    const shown = html(drawing({ rings, view: [0, 4] }));
    expect(shown).toContain("left:50.00%;top:50.00%");
    expect(shown.match(/rounded-full/g)).toHaveLength(2);
    expect(html(drawing({ rings, view: [0, 3] })).match(/rounded-full/g)).toHaveLength(1);
  });
});
