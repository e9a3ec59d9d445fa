import { describe, expect, it } from "vitest";
import type { Schemas } from "../api/client";
import { dataset, flag, links, page, release, words } from "../test-kit";
import { FlagsPage } from "./flags";

const flags = [
  flag(),
  flag({ id: "flag-5", period: "2026-06-10", actual: 90, severity: -5.2 }),
  flag({ id: "flag-6", series: "Hill / mint", severity: 3.1 }),
];

type Asked = { state?: string; flag?: string; total?: number };

function shown(
  items: Schemas["Flag"][],
  { state = "open", flag: chosen = "", total = items.length }: Asked = {},
) {
  const query = new URLSearchParams({
    ...(state === "open" ? {} : { state }),
    ...(chosen ? { flag: chosen } : {}),
  });
  return page("/flags", `/flags?${query}`, <FlagsPage />, [
    [["flags", state, undefined, undefined, "", 0], { items, total }],
    [["datasets"], { items: [dataset()], total: 1 }],
    [["release", "rel-7"], release()],
  ]);
}

describe("flags", () => {
  it("lead with how many there are, and the farthest out", () => {
    expect(words(shown(flags, { total: 17 }))).toContain(
      "17 flags open; the farthest out is Harbour / black tea on 2026-06-09: 410, above 180 to 262.",
    );
    expect(words(shown([flag({ actual: 90, severity: -8 })]))).toContain(": 90, below 180 to 262.");
    expect(words(shown(flags, { state: "all" }))).toContain("3 flags in all;");
  });

  it("say what to do where none is open, and only that none is there where others were asked for", () => {
    expect(words(shown([]))).toContain("Nothing to settle.");
    expect(words(shown([], { state: "settled" }))).toContain("There are none of these.");
    expect(words(shown([], { state: "settled" }))).not.toContain("Nothing to settle.");
  });

  it("open on the first, or on the one that a link asks for", () => {
    const current = (html: string) => /id="queue-([^"]*)"[^>]*aria-current="true"/.exec(html)?.[1];
    expect(current(shown(flags))).toBe("flag-4");
    expect(current(shown(flags, { flag: "flag-6" }))).toBe("flag-6");
    expect(current(shown(flags, { flag: "flag-99" }))).toBe("flag-4");
  });

  it("say of the chosen one what was promised, and where it stands in its release", () => {
    const html = shown(flags, { flag: "flag-5" });
    expect(words(html)).toContain(
      "The actual is 90; rel-7 said 180 to 262 at 95 %, most likely 220. Severity -5.200.",
    );
    expect(links(html)).toContainEqual(["In rel-7", "/releases/rel-7?series=Harbour%20%2F%20black%20tea"]);
  });

  it("offer to tick those of one series together, where there are several", () => {
    expect(words(shown(flags))).toContain("Tick all 2 of this series");
    expect(words(shown(flags, { flag: "flag-6" }))).not.toContain("Tick all");
  });

  it("say how one was settled, by whom, and keep the four ways open", () => {
    const html = shown(
      [flag({ state: "settled", settled_as: "expected", settled_by: "mira", note: "a coach party" })],
      { state: "settled" },
    );
    expect(words(html)).toContain("Settled as expected by mira.");
    expect(html).toContain('value="a coach party"');
    for (const way of ["Expected", "Data error", "Real change", "Chance"])
      expect(words(html)).toContain(`|${way}|`);
  });
});
