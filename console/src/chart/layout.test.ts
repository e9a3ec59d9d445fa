import { describe, expect, it } from "vitest";
import type { Drawing } from "./drawing";
import { beneath, grids } from "./layout";

const pane = (name: string) => ({ name, values: [1] });
const happening = (name: string) => ({ name, spans: [] });
const drawings: Pick<Drawing, "panes" | "events">[] = [
  {},
  { panes: [], events: [] },
  { panes: [pane("price")] },
  { events: [happening("fair"), happening("strike")] },
  { panes: [pane("price"), pane("promotion"), pane("rain")], events: [happening("fair")] },
];

describe("what lies beneath a chart", () => {
  it("never lies over something else, the first pane on top and the events at the foot", () => {
    for (const d of drawings) {
      const { chart, panes, events } = grids(d);
      const fromFoot = [...(d.events?.length ? [events] : []), ...panes.toReversed()];
      expect(panes).toHaveLength(d.panes?.length ?? 0);
      let top = 0;
      for (const part of fromFoot) {
        expect(part.bottom).toBeGreaterThanOrEqual(top);
        expect(part.height).toBeGreaterThan(0);
        top = part.bottom + part.height;
      }
      expect(chart.bottom).toBeGreaterThanOrEqual(top);
    }
  });

  it("makes the figure as much higher as it moves the chart up", () => {
    for (const d of drawings) {
      expect(grids(d).chart.bottom - grids({}).chart.bottom, JSON.stringify(d)).toBe(beneath(d));
    }
  });
});
