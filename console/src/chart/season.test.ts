import { describe, expect, it } from "vitest";
import { cycleOf, inWords, profileOf } from "./season";

describe("cycles", () => {
  it("are as long as their name and the cadence have it", () => {
    expect(cycleOf("week", "day")).toBe(7);
    expect(cycleOf("year", "day")).toBe(365.25);
    expect(cycleOf("day", "hour")).toBe(24);
    expect(cycleOf("week", "hour")).toBe(168);
    expect(cycleOf("year", "week from sunday")).toBeCloseTo(52.18, 2);
    expect(cycleOf("year", "month")).toBe(12);
    expect(cycleOf("season of 20", "day")).toBe(20);
    expect(cycleOf("day of the month", "day")).toBe(31);
    expect(cycleOf("weekdays of the month", "month")).toBeUndefined();
    expect(cycleOf("trend", "day")).toBeUndefined();
    expect(cycleOf("price", "day")).toBeUndefined();
  });
});

describe("profiles", () => {
  const days = Array.from({ length: 21 }, (_, i) =>
    new Date(Date.UTC(2026, 0, 1 + i)).toISOString().slice(0, 10),
  );

  it("show the last week from Monday, whatever day the data ends on", () => {
    // 2026-01-01 was a Thursday.
    const past = days.map((d) => new Date(d).getUTCDay());
    const got = profileOf("week", 7, days, past, past, past);
    expect(got.map((p) => p.name)).toEqual(["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"]);
    expect(got.map((p) => p.value)).toEqual([1, 2, 3, 4, 5, 6, 0]);
    expect(got[0]?.low).toBe(1);
  });

  it("show the last month of 31 days from the first, whatever day the data ends on", () => {
    const spring = Array.from({ length: 100 }, (_, i) =>
      new Date(Date.UTC(2026, 1, 3 + i)).toISOString().slice(0, 10),
    );
    const past = spring.slice(0, 75).map((d) => Number(d.slice(8)) + (d < "2026-03-01" ? 100 : 0));
    const got = profileOf("day of the month", 31, spring, past);
    expect(got.map((p) => p.value)).toEqual(Array.from({ length: 31 }, (_, i) => i + 1));
    expect(got.map((p) => p.name).slice(0, 3)).toEqual(["1", "2", "3"]);
    expect(profileOf("day of the month", 31, spring, past.slice(0, 40))).toEqual([]);
  });

  it("show nothing where less than a cycle is known", () => {
    expect(
      profileOf(
        "year",
        365.25,
        days,
        days.map(() => 1),
      ),
    ).toEqual([]);
  });

  it("number the places of a season that the calendar does not know", () => {
    expect(
      profileOf(
        "season of 5",
        5,
        days,
        days.map((_, i) => i),
      ).map((p) => p.name),
    ).toEqual(["1", "2", "3", "4", "5"]);
  });
});

describe("effects", () => {
  it("are told in words", () => {
    expect(inWords({ name: "Kettle Monday", per: "an occurrence" })).toBe("Kettle Monday");
    expect(inWords({ name: "Kettle Monday -1", per: "an occurrence" })).toBe("the day before Kettle Monday");
    expect(inWords({ name: "Kettle Monday +2", per: "an occurrence" })).toBe("2 days after Kettle Monday");
    const weekend = { per: "an occurrence, beside what it has on a working day" };
    expect(inWords({ name: "Longest Night on a weekend", ...weekend })).toBe(
      "Longest Night, weekends beside other days",
    );
    expect(inWords({ name: "Longest Night -1 on a weekend", ...weekend })).toBe(
      "the day before Longest Night, weekends beside other days",
    );
    expect(
      inWords({
        name: "Longest Night on a Sunday rather than a Saturday",
        per: "an occurrence, beside what it has on a Saturday",
      }),
    ).toBe("Longest Night, Sundays beside Saturdays");
    expect(inWords({ name: "price", per: "10 % more" })).toBe("price, 10 % more");
  });
});
