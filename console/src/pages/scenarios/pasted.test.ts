import { describe, expect, it } from "vitest";
import { cellsOf, numberOf, withCells } from "./pasted";

describe("numbers", () => {
  it("are read with either decimal mark", () => {
    const meant: Record<string, number> = {
      "3.5": 3.5,
      "3,5": 3.5,
      "12,50": 12.5,
      "-4": -4,
      "1.234,5": 1234.5,
      "1,234.5": 1234.5,
      "1 234,5": 1234.5,
      "1\u00a0234": 1234,
      "1,234,567": 1234567,
      "1.234.567": 1234567,
      "1.234": 1.234,
      "0,125": 0.125,
      "1234,567": 1234.567,
      "0.5e3": 500,
      ".5": 0.5,
      " 7 ": 7,
    };
    for (const [text, value] of Object.entries(meant)) expect(numberOf(text), text).toEqual({ value });
  });

  it("are not guessed", () => {
    expect(numberOf("1,234")).toEqual({
      doubt: "“1,234” may be 1234 or 1.234: write it in one of these ways",
    });
    for (const text of ["n/a", "1.2.3", "1,2,3", "12 %", "--4", "1.234,5.6", "Infinity", "0x10"])
      expect(numberOf(text), text).toEqual({ doubt: `“${text}” is no number` });
  });
});

describe("a block of cells", () => {
  const periods = ["2026-06-01", "2026-06-08"];

  it("begins where it is pasted, and ends where the grid does", () => {
    expect(cellsOf("1\t2\r\n3\t4\r\n5\t6\r\n", periods, ["price", "promo"], 1, 1)).toEqual([
      { period: "2026-06-08", driver: "promo", text: "1" },
    ]);
    expect(cellsOf("1\t2\n3\t4", periods, ["price", "promo"], 0, 0).map((c) => c.text)).toEqual([
      "1",
      "2",
      "3",
      "4",
    ]);
  });

  it("replaces, takes away, and leaves what is in doubt as it was", () => {
    const before = [
      { series: "", period: "2026-06-01", driver: "price", value: 3 },
      { series: "", period: "2026-06-08", driver: "price", value: 3 },
      { series: "a", period: "2026-06-01", driver: "price", value: 9 },
    ];
    const { values, doubts } = withCells(before, "", [
      { period: "2026-06-01", driver: "price", text: "2,5" },
      { period: "2026-06-08", driver: "price", text: " " },
      { period: "2026-06-01", driver: "promo", text: "yes" },
    ]);
    expect(values).toEqual([before[2], { ...before[0], value: 2.5 }]);
    expect(doubts).toEqual(["promo in 2026-06-01: “yes” is no number"]);
    expect(withCells(before, "", [{ period: "2026-06-01", driver: "price", text: "2,500" }]).values).toEqual(
      before,
    );
  });
});
