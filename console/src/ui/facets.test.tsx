import { isValidElement } from "react";
import { describe, expect, it, vi } from "vitest";
import { Facets } from "./facets";

const facets = [
  { attribute: "town", values: [{ value: "Saltmarsh", count: 7 }] },
  {
    attribute: "town line",
    values: [
      { value: "a=b", count: 2 },
      { value: "tea", count: 5 },
    ],
  },
];

type Choice = { label: string; value: string; onChange: (v: string) => void; options: { text: string }[] };

/** What each select is given. */
function selects(where: string[], choose = vi.fn()): Choice[] {
  return Facets({ facets, where, choose }).map((e) => {
    if (!isValidElement<Choice>(e)) throw new Error("no select");
    return e.props;
  });
}

describe("Facets", () => {
  it("show what holds, also where one attribute begins like another", () => {
    expect(selects(["town line=a=b"]).map((s) => s.value)).toEqual(["*", "a=b"]);
    expect(selects([])[0]?.options.map((o) => o.text)).toEqual(["all", "Saltmarsh (7)"]);
  });

  it("add, replace and take away one condition, and leave the others", () => {
    const choose = vi.fn();
    const [town, line] = selects(["town=Saltmarsh", "town line=tea"], choose);
    line?.onChange("a=b");
    expect(choose).toHaveBeenLastCalledWith(["town=Saltmarsh", "town line=a=b"]);
    town?.onChange("*");
    expect(choose).toHaveBeenLastCalledWith(["town line=tea"]);
  });
});
