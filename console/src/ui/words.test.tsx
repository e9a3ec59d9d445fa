import { renderToStaticMarkup } from "react-dom/server";
import { describe, expect, it } from "vitest";
import { Refusal } from "../api/client";
import type { Job } from "../api/progress";
import { isOver } from "../api/progress";
import { meanOf } from "../pages/dataset/use-dataset";
import { hueOf } from "../theme";
import { Cautions, Trouble } from "./page";
import { Progress } from "./progress";

const text = (html: string) =>
  html
    .replace(/<[^>]+>/g, " ")
    .replace(/\s+/g, " ")
    .trim();

describe("cautions", () => {
  it("show two and fold the rest", () => {
    expect(renderToStaticMarkup(<Cautions list={[]} />)).toBe("");
    expect(renderToStaticMarkup(<Cautions list={null} />)).toBe("");
    expect(renderToStaticMarkup(<Cautions list={["a", "b"]} />)).not.toContain("<details");
    expect(text(renderToStaticMarkup(<Cautions list={["a", "b", "c"]} />))).toContain(
      "1 more caution Caution: c",
    );
    expect(text(renderToStaticMarkup(<Cautions list={["a", "b", "c", "d"]} />))).toContain("2 more cautions");
  });
});

describe("trouble", () => {
  it("is told in the service's words, field by field where there are several", () => {
    const one = new Refusal(422, "the horizon is missing", [{ location: "body.horizon", message: "m" }]);
    expect(text(renderToStaticMarkup(<Trouble error={one} />))).toBe("the horizon is missing");
    const two = new Refusal(422, "2 faults", [
      { location: "body.horizon", message: "is missing" },
      { location: "body.windows", message: "is negative" },
    ]);
    const shown = text(renderToStaticMarkup(<Trouble error={two} />));
    expect(shown).toContain("body.horizon : is missing".replace(" :", ":"));
    expect(shown).toContain("body.windows: is negative");
    expect(text(renderToStaticMarkup(<Trouble error="gone" />))).toBe("gone");
  });

  it("without a token asks for one", () => {
    expect(renderToStaticMarkup(<Trouble error={new Refusal(401, "no token", [])} />)).toContain("<form");
  });
});

const job = (over: Partial<Job>): Job =>
  ({
    id: "job-1",
    state: "running",
    done: 3,
    total: 12,
    share: 0.255,
    rate: 0,
    left: 0,
    note: "",
    ...over,
  }) as Job;

const told = (j: Job) => text(renderToStaticMarkup(<Progress job={j} cancel={async () => {}} />));

describe("progress", () => {
  it("tells how far, how fast and how long", () => {
    expect(told(job({}))).toBe("3 of 12 tasks Cancel");
    expect(told(job({ rate: 2.345, left: 61.2 }))).toContain("3 of 12 tasks, 2.3 a second, 62 s left");
    expect(told(job({ rate: 27.8, note: "training" }))).toContain(", 28 a second; training");
    expect(told(job({ state: "queued" }))).toContain("waiting for its turn");
    const html = renderToStaticMarkup(
      <Progress job={job({})} cancel={async () => {}} pause={async () => {}} />,
    );
    expect(html).toContain('aria-valuenow="26"');
    expect(text(html)).toContain("Pause");
  });

  it("draws how losses go from the second look on", () => {
    const learning = (...values: number[]) => [
      { name: "net: training windows", of: "batches", every: 20, values },
      { name: "net: held-out windows", of: "batches", every: 20, values },
    ];
    expect(told(job({ learning: learning(0.5) }))).toBe("3 of 12 tasks Cancel");
    const two = told(job({ learning: learning(0.5, 0.4) }));
    expect(two).toContain("net: training windows: 0.4000 net: held-out windows: 0.4000");
    expect(two).toContain("Mean loss by the number of batches");
    expect(two).toContain("20 batches 40 batches");
  });

  it("is over where nothing more will come", () => {
    const states: Job["state"][] = ["queued", "running", "paused", "done", "failed", "cancelled"];
    expect(states.filter((state) => isOver(job({ state })))).toEqual(["done", "failed", "cancelled"]);
  });
});

describe("small things", () => {
  it("give contenders eight colours in turn", () => {
    expect([0, 7, 8, -1].map(hueOf)).toEqual(["hue-1", "hue-8", "hue-1", "hue-1"]);
  });

  it("divide by what is known of a series, and by 1 where that is nothing", () => {
    const of = (values: (number | null)[]) => meanOf({ values } as Parameters<typeof meanOf>[0]);
    expect(of([2, null, 4])).toBe(3);
    expect(of([])).toBe(1);
    expect(of([null, 0])).toBe(1);
  });
});
