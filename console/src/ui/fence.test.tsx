import { renderToString } from "react-dom/server";
import { describe, expect, it } from "vitest";
import { Fence } from "./fence";

describe("Fence", () => {
  it("shows what stands inside while nothing breaks", () => {
    expect(renderToString(<Fence place="/a">here</Fence>)).toContain("here");
  });
  it("tells of a fault and starts anew at another place", () => {
    const broken = { ...Fence.getDerivedStateFromError(new Error("no list")), place: "/a" };
    expect(broken.fault?.message).toBe("no list");
    expect(Fence.getDerivedStateFromProps({ place: "/a", children: "" }, broken)).toBeNull();
    expect(Fence.getDerivedStateFromProps({ place: "/b", children: "" }, broken)).toEqual({
      fault: undefined,
      place: "/b",
    });
  });
});
