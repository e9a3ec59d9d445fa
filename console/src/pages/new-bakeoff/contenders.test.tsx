import { renderToStaticMarkup } from "react-dom/server";
import { describe, expect, it } from "vitest";
import type { Schemas } from "../../api/client";
import { words } from "../../test-kit";
import { Contenders } from "./contenders";
import type { Family } from "./draft";

const setting = (name: string, kind: Schemas["Setting"]["kind"]): Schemas["Setting"] =>
  ({
    name,
    kind,
    meaning: `what ${name} is`,
    choices: kind === "choice" ? ["a", "b"] : undefined,
  }) as Schemas["Setting"];

const family = (name: string, ...settings: Schemas["Setting"][]): Family =>
  ({ name, summary: `${name} in a sentence`, settings }) as unknown as Family;

const families = [
  family("naive"),
  family("moving-average", setting("length", "whole")),
  family("smoothing", setting("form", "choice"), setting("length", "whole"), setting("choose", "choice")),
];

const shown = (...list: { family: string; settings?: Record<string, unknown> }[]) =>
  renderToStaticMarkup(<Contenders families={families} list={list} change={() => {}} />);

describe("contenders of a new bake-off", () => {
  it("are told in a sentence each, and can be taken out", () => {
    const html = shown({ family: "naive" }, { family: "smoothing" });
    expect(words(html)).toContain("naive in a sentence");
    expect(html).toContain('aria-label="Remove smoothing"');
  });
  it("have few settings in sight, and many behind a click that says how many", () => {
    expect(words(shown({ family: "moving-average" }))).toContain("length: what length is");
    const many = words(shown({ family: "smoothing" }));
    expect(many).toContain("3 settings, all automatic");
    expect(many).not.toContain("what form is"); // laid out once they are asked for
  });
  it("say which settings are given, also before the click", () => {
    const html = shown({ family: "smoothing", settings: { length: 13, form: "", choose: "lowest" } });
    expect(words(html)).toContain("length 13, choose lowest");
  });
  it("are asked for where there are none", () => {
    expect(words(shown())).toContain("Add at least one contender.");
  });
});
