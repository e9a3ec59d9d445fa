import { describe, expect, it } from "vitest";
import { column, count, figure, median, part, share, span, when, written } from "./format";

describe("numbers", () => {
  it("have about four digits", () => {
    expect(figure(1234.567)).toBe("1,235");
    expect(figure(12.3456)).toBe("12.35");
    expect(figure(0.012345)).toBe("0.0123");
    expect(figure(7)).toBe("7");
    expect(figure(0)).toBe("0");
  });

  it("are rounded and parted as the browser would", () => {
    for (let k = 0; k < 2000; k++) {
      const v = (k % 2 ? 1 : -1) * ((k * 7919) % 1000) * 10 ** ((k % 23) - 8) + 0;
      const digits = k % 5;
      const browser = new Intl.NumberFormat("en", {
        minimumFractionDigits: digits,
        maximumFractionDigits: digits,
      });
      expect(written(v, digits)).toBe(browser.format(v));
    }
    expect(written(-0.04, 1)).toBe("-0.0");
    expect(written(1e21, 0)).toBe("1.000e+21");
  });

  it("that are unknown are a dash", () => {
    for (const f of [figure, share, part, column([1, 2])]) {
      expect(f(null)).toBe("–");
      expect(f(undefined)).toBe("–");
    }
  });

  it("have a middle, of what is known", () => {
    expect(median([3, null, 1, 2])).toBe(2);
    expect(median([4, 1, 2, 3])).toBe(2.5);
    expect(median([undefined, null])).toBe(undefined);
  });

  it("of a column have the same digits", () => {
    const f = column([1.5, 1000.25, null]);
    expect([f(1.5), f(1000.25)]).toEqual(["2", "1,000"]);
    expect(column([1, 20])(20)).toBe("20");
  });
});

describe("words", () => {
  it("follow their number", () => {
    expect(count(1, "window")).toBe("1 window");
    expect(count(1200, "window")).toBe("1,200 windows");
    expect(count(2, "series")).toBe("2 series");
    expect(span(28, "day")).toBe("28 days");
    expect(span(1, "week from sunday")).toBe("1 week");
    expect(span(3, "15min")).toBe("3 quarter-hours");
  });

  it("say shares in per cent", () => {
    expect(share(0.1234)).toBe("12.3 %");
  });
});

describe("instants", () => {
  it("are written as the browser would, in the reader's zone", () => {
    const browser = new Intl.DateTimeFormat("en-GB", { dateStyle: "medium", timeStyle: "short" });
    for (let k = 0; k < 400; k++) {
      const iso = new Date(Date.UTC(2026, 0, 1) + k * 22.3 * 3_600_000).toISOString();
      expect(when(iso)).toBe(browser.format(new Date(iso)));
    }
  });
});
