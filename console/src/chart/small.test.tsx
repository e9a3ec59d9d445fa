import { renderToStaticMarkup } from "react-dom/server";
import { describe, expect, it } from "vitest";
import { PartChart, SeasonChart } from "./parts";
import { CycleChart, LagChart } from "./profile";
import { Spark } from "./spark";
import { SplitBars } from "./split-bar";

/** The numbers of every path's points. */
const points = (html: string) =>
  [...html.matchAll(/ d="([^"]*)"/g)].map((m) =>
    [...(m[1] ?? "").matchAll(/([ML]?)\s*(-?[\d.]+) (-?[\d.]+)/g)].map((p) => ({
      moved: p[1] === "M",
      x: Number(p[2]),
      y: Number(p[3]),
    })),
  );

describe("a spark", () => {
  it("is lifted over what is unknown, and stays within its box", () => {
    const [path = []] = points(
      renderToStaticMarkup(<Spark trace={[1, 5, null, 3, 2]} width={100} height={20} />),
    );
    expect(path.map((p) => p.moved)).toEqual([true, false, true, false]);
    expect(path.map((p) => p.x)).toEqual([0, 25, 75, 100]);
    expect(Math.min(...path.map((p) => p.y))).toBe(2);
    expect(Math.max(...path.map((p) => p.y))).toBe(18);
  });

  it("of one value or none is nothing, and of equal ones a straight line", () => {
    expect(renderToStaticMarkup(<Spark trace={[null, 4, null]} />)).toBe("");
    const [path = []] = points(renderToStaticMarkup(<Spark trace={[4, 4, 4]} height={20} />));
    expect(new Set(path.map((p) => p.y))).toEqual(new Set([18]));
  });
});

describe("the bars of a split", () => {
  it("cover what is trained and what is assessed, in shares of all periods", () => {
    const html = renderToStaticMarkup(
      <SplitBars
        split={{
          periods: 100,
          first: "2024-01-01",
          last: "2025-11-24",
          series: 3,
          fits: 6,
          tasks: 2,
          windows: [
            {
              window: 1,
              train_first: "2024-01-01",
              origin: "2025-05-05",
              assess_first: "2025-05-12",
              assess_last: "2025-07-07",
              train_index: 10,
              origin_index: 69,
              last_index: 79,
              series: 1,
            } as never,
          ],
          set_aside: [],
          set_aside_count: 0,
        }}
      />,
    );
    expect(html).toContain("left:10%;width:60%");
    expect(html).toContain("left:70%;width:10%");
    expect(html).toContain("origin 2025-05-05, assessed to 2025-07-07, 1 series");
  });
});

describe("a season's profile", () => {
  const week = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"].map((name, i) => ({
    name,
    value: i - 3,
    low: i - 4,
    high: i - 2,
  }));

  it("says where it is highest and lowest", () => {
    const html = renderToStaticMarkup(<SeasonChart name="week" places={week} factor={false} hue="hue-1" />);
    expect(html).toContain("week: highest at Sun with 3, lowest at Mon with -3");
    expect(html.match(/<circle/g)).toHaveLength(7);
    const [band = [], line = []] = points(html);
    expect(band).toHaveLength(14);
    expect(line.map((p) => p.y)).toEqual([...line.map((p) => p.y)].sort((a, b) => b - a));
  });

  it("of many places names a dozen at most, and shows no dots", () => {
    const year = Array.from({ length: 365 }, (_, i) => ({ name: `day ${i}`, value: Math.sin(i) }));
    const html = renderToStaticMarkup(<SeasonChart name="year" places={year} factor hue="hue-2" />);
    expect((html.match(/>day \d+</g) ?? []).length).toBeLessThanOrEqual(12);
    expect(html).not.toContain("<circle");
    expect(html).toContain("year, a factor");
  });
});

describe("a part over time", () => {
  it("keeps its peaks where there are more values than room", () => {
    const past = Array.from({ length: 5000 }, (_, i) => (i === 3210 ? 100 : 0));
    const html = renderToStaticMarkup(
      <PartChart
        name="events"
        factor={false}
        past={past}
        ahead={[0, 0]}
        periods={past.map(String)}
        hue="hue-3"
      />,
    );
    expect(html).toContain("events from 0 to 100");
    const [line = []] = points(html);
    expect(line.length).toBeLessThan(1000);
    expect(line.filter((p) => p.y < 10)).toHaveLength(1);
  });

  it("of which nothing is known is not drawn", () => {
    expect(
      renderToStaticMarkup(
        <PartChart name="x" factor={false} past={[null]} ahead={[]} periods={["1"]} hue="hue-1" />,
      ),
    ).toBe("");
  });
});

describe("what a series looks like", () => {
  it("by its places is told in words too", () => {
    const html = renderToStaticMarkup(
      <CycleChart
        cycle={{
          by: "time-of-day",
          places: [
            { name: "08:00", mean: 4, low: 3, high: 5, known: 10 },
            { name: "09:00", mean: null, low: null, high: null, known: 0 },
          ],
        }}
      />,
    );
    expect(html).toContain("Means by time-of-day: 08:00 4, 09:00 –");
    expect(html).toContain("By time of day");
    expect(html.match(/<circle/g)).toHaveLength(1);
  });

  it("by lags names whole seasons and the strongest", () => {
    const values: number[] = Array.from({ length: 28 }, (_, i) => ((i + 1) % 7 === 0 ? 0.8 : 0.1));
    values[13] = 0.9;
    const html = renderToStaticMarkup(<LagChart values={values} bound={0.2} season={7} />);
    expect(html).toContain("strongest at lag 14: 0.9");
    for (const lag of [7, 14, 21, 28]) expect(html).toContain(`>${lag}<`);
    expect(html).not.toContain(">3<");
  });
});
