import { describe, expect, it } from "vitest";
import type { Schemas } from "../api/client";
import {
  bakeoff,
  dataset,
  flag,
  job,
  links,
  page,
  release,
  scenario,
  score,
  tableOf,
  words,
} from "../test-kit";
import { BakeoffsPage } from "./bakeoffs";
import { DataPage } from "./data";
import { HomePage } from "./home";
import { ReleasesPage } from "./releases";
import { ScenariosPage } from "./scenarios/list";

const list = <T,>(items: T[]) => ({ items, total: items.length });

describe("releases", () => {
  const shown = (...items: Schemas["Release"][]) =>
    page("/", "/", <ReleasesPage />, [[["releases"], list(items)]]);
  it("lead with the one that is live", () => {
    const old = release({ id: "rel-1", state: "superseded" });
    expect(words(shown(old, release({ open_flags: 2 })))).toContain(
      "rel-7 of daily is live, by additive up to 2026-06-28, with 2 flags to settle.",
    );
    expect(words(shown(release(), release({ id: "rel-8", dataset: "weekly" })))).toContain(
      "and 1 more is live",
    );
    expect(words(shown(old))).toContain("1 release, none live.");
  });
  it("set what came true beside what was promised", () => {
    const rows = tableOf(shown(release({ score: score() }), release({ id: "rel-8" })), "Releases");
    const at = (head: string) => rows[0]?.indexOf(head) ?? -1;
    expect(rows[1]?.[at("WAPE")]).toBe("12.3 %");
    expect(rows[1]?.[at("Inside")]).toBe("96.0 % of 95 % promised");
    expect(rows[1]?.[at("Actuals since")]).toBe("200");
    expect([rows[2]?.[at("WAPE")], rows[2]?.[at("Skill")], rows[2]?.[at("Inside")]]).toEqual(["–", "–", "–"]);
  });
  it("say what to do where there are none", () => {
    expect(words(shown())).toContain("paperkettle release publish bake-1");
  });
});

describe("bake-offs", () => {
  const shown = (...items: Schemas["Bakeoff"][]) =>
    page("/", "/", <BakeoffsPage />, [[["bakeoffs"], list(items)]]);
  const running = bakeoff({
    id: "bake-4",
    leader: undefined,
    skill: undefined,
    job: job({ state: "running", done: 3, total: 12 }),
  });
  it("lead with the latest that has a leader", () => {
    expect(words(shown(running, bakeoff()))).toContain(
      "In the latest, Spring, additive leads with 29.5 % skill over seasonal-naive.",
    );
    expect(words(shown(running))).toContain("1 bake-off, none finished yet.");
  });
  it("tell how far each is, and claim no skill without a leader", () => {
    const rows = tableOf(shown(running, bakeoff()), "Bake-offs");
    const at = (head: string) => rows[0]?.indexOf(head) ?? -1;
    expect(rows[1]?.[at("State")]).toBe("running 3/12");
    expect(rows[1]?.[at("Skill")]).toBe("");
    expect(rows[2]?.slice(at("Horizon"), at("State") + 1)).toEqual(["28", "3", "3", "done"]);
  });
});

describe("datasets", () => {
  it("lead with the one that was loaded last, and link to each by its whole name", () => {
    const html = page("/", "/", <DataPage />, [
      [
        ["datasets"],
        list([
          dataset({ name: "old", loaded: "2026-01-01T00:00:00Z" }),
          dataset({
            name: "north & south/2",
            last: "2026-05-17",
            drivers: [{ name: "price", attached: false, known_ahead: true }],
          }),
        ]),
      ],
    ]);
    expect(words(html)).toMatch(/2 datasets; \|north & south\/2\| was loaded last and reaches 2026-05-17\./);
    expect(links(html)).toContainEqual(["north & south/2", "/data/north%20%26%20south%2F2"]);
    expect(tableOf(html, "Datasets")[2]).toContain("price");
  });
});

describe("scenarios", () => {
  const shown = (...items: Schemas["Scenario"][]) =>
    page("/", "/", <ScenariosPage />, [[["scenarios"], list(items)]]);
  it("say of what each is: a release, or a bake-off that was not published", () => {
    expect(words(shown(scenario()))).toContain("1 scenario; the latest, “June”, sets 1 case beside rel-7.");
    expect(tableOf(shown(scenario({ release: undefined })), "Scenarios")[1]).toContain("bake-3 (daily)");
  });
  it("say what to do where there are none", () => {
    expect(words(shown())).toContain("paperkettle scenario run rel-1");
  });
});

describe("home", () => {
  type Here = {
    datasets?: Schemas["Dataset"][];
    releases?: Schemas["Release"][];
    bakeoffs?: Schemas["Bakeoff"][];
    flags?: Schemas["Flag"][];
    open?: number;
  };
  const shown = ({ datasets = [dataset()], releases = [], bakeoffs = [], flags = [], open }: Here) =>
    page("/", "/", <HomePage />, [
      [["datasets"], list(datasets)],
      [["releases"], list(releases)],
      [["bakeoffs"], list(bakeoffs)],
      [["flags", "open", "first"], { items: flags, total: open ?? flags.length }],
    ]);

  it("asks a newcomer for a table, and for nothing else", () => {
    const html = shown({ datasets: [] });
    expect(words(html)).toContain("Nothing is here yet.");
    expect(words(html)).toContain("paperkettle dataset load");
    expect(html).not.toContain("<table");
  });
  it("says that nothing is live yet, and to run a bake-off", () => {
    const html = shown({});
    expect(words(html)).toContain("1 dataset, and no forecast is live yet.");
    expect(links(html)).toContainEqual(["Run a bake-off", "/bakeoffs/new?dataset=daily"]);
    expect(words(html)).toContain("None has been run yet.");
  });
  it("leads with what is live and how much is to settle", () => {
    const html = shown({
      releases: [release({ open_flags: 7 })],
      bakeoffs: [bakeoff()],
      flags: [flag()],
      open: 7,
    });
    expect(words(html)).toContain("1 forecast live, of daily; 7 flags to settle.");
    expect(words(html)).toContain("Farthest outside, of 7 open flags");
    expect(tableOf(html, "Flags")[1]).toEqual(["Harbour / black tea", "2026-06-09", "410", "180 to 262"]);
    expect(links(html)).toContainEqual(["Harbour / black tea", "/flags?flag=flag-4"]);
    expect(links(html)).toContainEqual(["7", "/flags?release=rel-7"]);
  });
  it("shows work in hand with how far it is, and no skill before it is over", () => {
    const html = shown({
      bakeoffs: [
        bakeoff({ leader: undefined, skill: undefined, job: job({ state: "paused", done: 5, total: 60 }) }),
      ],
    });
    expect(tableOf(html, "Bake-offs")[1]).toEqual(["Spring", "paused, 5 of 60 tasks", "", ""]);
  });
  it("names five steps at most, those that hold others up first", () => {
    const many = ["a", "b", "c", "d", "e", "f"].map((name) => dataset({ name }));
    const html = shown({
      datasets: many,
      releases: [release({ state: "held", held: "it covers less" })],
      open: 3,
    });
    const steps = html.slice(html.indexOf("<ol"), html.indexOf("</ol>"));
    expect(links(steps).map(([text]) => text)).toEqual([
      "Look at it",
      "Settle flags",
      "Run a bake-off",
      "Run a bake-off",
      "Run a bake-off",
    ]);
  });
});
