import { describe, expect, it } from "vitest";
import { asCsv, csv } from "./save";

describe("values as CSV", () => {
  it("quote what has to be, and leave what is unknown empty", () => {
    expect(csv([["a,b", 'say "no"', null, undefined, 0]])).toBe('"a,b","say ""no""",,,0\n');
  });

  it("are a row a period, and one column for all windows of a contender", () => {
    const text = asCsv({
      periods: ["1", "2", "3"],
      actual: [5, 6, null],
      lines: [
        { name: "naive", hue: "hue-1", start: 1, values: [5] },
        { name: "naive", hue: "hue-1", start: 2, values: [6] },
      ],
      bands: [{ name: "80 %", hue: "hue-1", start: 2, low: [4], high: [8], strength: 0.2 }],
      tints: [],
      rings: [],
      events: [{ name: "Fair", spans: [[0, 1]] }],
    } as unknown as Parameters<typeof asCsv>[0]);
    expect(text).toBe("period,actual,naive,80 % low,80 % high,Fair\n1,5,,,,1\n2,6,5,,,1\n3,,6,4,8,0\n");
  });
});
