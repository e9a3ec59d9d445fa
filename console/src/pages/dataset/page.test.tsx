import { describe, expect, it } from "vitest";
import type { Schemas } from "../../api/client";
import { type Answers, dataset, links, page, tableOf, words } from "../../test-kit";
import { Closed } from "./closed";
import { DatasetPage } from "./page";
import { Revisions } from "./revisions";

const revision = (number: number, over: Partial<Schemas["Revision"]> = {}): Schemas["Revision"] => ({
  number,
  source: `load-${number}.csv`,
  rows: 1000 * number,
  series: 140,
  hash: `${number}23456789abcdef`,
  loaded: `2026-0${number}-01T08:00:00Z`,
  changes: { new_series: 0, new_periods: 28, new_values: 3920, restated_count: number },
  ...over,
});

const two = dataset({ revisions: [revision(2), revision(1)] });

const difference = (over: Partial<Schemas["Difference"]> = {}): Schemas["Difference"] => ({
  dataset: "daily",
  from: 1,
  to: 2,
  new_series: 0,
  gone_series: 0,
  new_periods: 0,
  new_values: 0,
  gone_values: 0,
  restated_count: 0,
  ...over,
});

const revisions = (d: Schemas["Dataset"], ...answers: Answers) =>
  page("/", "/", <Revisions dataset={d as Parameters<typeof Revisions>[0]["dataset"]} />, answers);

describe("revisions", () => {
  const of = (over: Partial<Schemas["Difference"]>) =>
    words(revisions(two, [["difference", "daily", 1, 2], difference(over)]));
  it("list every load, the shown one told apart, each a click away", () => {
    const html = revisions(two, [["difference", "daily", 1, 2], difference()]);
    const rows = tableOf(html, "Revisions");
    expect(rows[1]?.[0]).toBe("2, shown");
    expect(rows[2]?.slice(2, 9)).toEqual(["load-1.csv", "1,000", "0", "28", "3,920", "1", "123456789abc"]);
    expect(links(html)).toContainEqual(["1, show", "/data/daily?revision=1"]);
  });
  it("say what the newest changed, only what is more than nothing", () => {
    expect(of({ new_periods: 28, new_values: 3920, restated_count: 2 })).toContain(
      "From revision 1 to 2: 28 periods more, 3,920 values more, 2 values restated.",
    );
    expect(of({ new_series: 1, gone_series: 2, gone_values: 9 })).toContain(
      "From revision 1 to 2: 1 series more, 2 series fewer, 9 values gone.",
    );
    expect(of({})).toContain("Revisions 1 and 2 hold the same values.");
  });
  it("name series that came and went, and how many more there are", () => {
    const many = Array.from({ length: 15 }, (_, i) => `s${i}`);
    const text = of({ new_series: 40, added: many, gone_series: 1, removed: ["old"] });
    expect(text).toContain("New series: s0; s1;");
    expect(text).toContain("s11 and 28 more.");
    expect(text).toContain("Series that are gone: old.");
  });
  it("set restated values side by side, and say when the list is cut", () => {
    const restated = [{ series: "Hill", period: "2026-05-01", old: 12, new: 13.5 }];
    const html = revisions(two, [["difference", "daily", 1, 2], difference({ restated, restated_count: 7 })]);
    expect(tableOf(html, "Restated values")[1]).toEqual(["Hill", "2026-05-01", "12", "13.50"]);
    expect(words(html)).toContain("The first 1 of 7.");
  });
  it("compare nothing where there is one, and nothing can be taken back", () => {
    const html = revisions(dataset({ revision: 1, revisions: [revision(1)] }));
    expect(words(html)).not.toContain("What changed");
    expect(words(html)).not.toContain("Take back");
    expect(words(revisions(two))).toContain("Take back revision 2 …");
  });
});

describe("closed periods", () => {
  const closed = (lines: Schemas["ClosedLine"][], latest = true) =>
    page("/", "/", <Closed dataset={two as Parameters<typeof Closed>[0]["dataset"]} latest={latest} />, [
      [["closed", "daily", 2], { lines, dataset: two }],
    ]);
  it("are told line by line, with how many series each holds for", () => {
    const text = words(
      closed([
        { line: "sunday", series: 140, of: 140 },
        { line: "november to march", series: 12, of: 140 },
      ]),
    );
    expect(text).toContain("sunday|holds for all of 140 series");
    expect(text).toContain("november to march|holds for 12 of 140 series");
  });
  it("can be changed in the latest revision alone", () => {
    const line = [{ line: "sunday", series: 140, of: 140 }];
    expect(closed(line)).toContain('aria-label="Lift sunday"');
    expect(words(closed(line))).toContain("A further line");
    expect(closed(line, false)).not.toContain("Lift");
    expect(words(closed(line, false))).not.toContain("A further line");
  });
  it("are none as a rule, and that is said", () => {
    expect(words(closed([]))).toContain("None: every period may happen.");
  });
});

describe("a dataset's page", () => {
  const check: Schemas["Check"] = {
    kind: "outliers",
    grade: "notable",
    meaning: "has values far from all others",
    series: 3,
    example: ["Hill on 2026-05-01: 900"],
  };
  const shown = (address: string, ...answers: Answers) =>
    page("/data/:dataset", address, <DatasetPage />, answers);
  it("says what is held, checks before all else that is told of it, and whose events are there", () => {
    const event: Schemas["Event"] = {
      name: "Harbour Week",
      before: 1,
      after: 0,
      series: 140,
      past: 3,
      ahead: 1,
      where: { town: "Hill" },
      occasions: [
        { first: "2023-07-01", last: "2023-07-07" },
        { first: "2024-07-01", last: "2024-07-07" },
        { first: "2025-07-01", last: "2025-07-01" },
        { first: "2026-07-01", last: "2026-07-07" },
      ],
    };
    const html = shown(
      "/data/daily",
      [["dataset", "daily", 0], two],
      [["checks", "daily", 2], { items: [check] }],
      [["events", "daily", 2], { items: [event] }],
    );
    expect(words(html)).toContain(
      "daily holds orders of 140 series over 1,275 days, 2022-12-03 to 2026-05-31.",
    );
    expect(words(html)).toContain(
      "outliers| |(notable)|: each of 3 series has values far from all others. For example Hill on 2026-05-01: 900.",
    );
    expect(tableOf(html, "Events")[1]).toEqual([
      "Harbour Week",
      "town Hill",
      "140",
      "1",
      "0",
      "3",
      "1",
      "2025-07-01",
      "2026-07-01 to 2026-07-07",
    ]);
  });
  it("says that an older revision is shown, with a way to the latest", () => {
    const old = dataset({ revision: 1, revisions: [revision(2), revision(1)] });
    const html = shown("/data/daily?revision=1", [["dataset", "daily", 1], old]);
    expect(words(html)).toContain("This is revision 1 of 2");
    expect(links(html)).toContainEqual(["Show the latest", "/data/daily"]);
  });
});
