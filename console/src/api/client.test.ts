import { describe, expect, it } from "vitest";
import { Refusal, take } from "./client";
import { isOver } from "./progress";

const answer = (ok: boolean, status: number, rest: object) =>
  Promise.resolve({ response: { ok, status } as Response, ...rest });

describe("an answer", () => {
  it("gives its data", async () => {
    await expect(take(answer(true, 200, { data: 7 }))).resolves.toBe(7);
  });

  it("that is a refusal says why, in the service's words", async () => {
    const refused = take(
      answer(false, 422, { error: { detail: "no such metric", errors: [{ location: "query.metric" }] } }),
    );
    await expect(refused).rejects.toThrow("no such metric");
    await expect(refused).rejects.toMatchObject({ status: 422, fields: [{ location: "query.metric" }] });
    await expect(take(answer(false, 502, {}))).rejects.toBeInstanceOf(Refusal);
  });
});

describe("a job", () => {
  it("is over when it is done, failed or cancelled", () => {
    const over = (state: string) => isOver({ state } as Parameters<typeof isOver>[0]);
    expect(["done", "failed", "cancelled"].every(over)).toBe(true);
    expect(["queued", "running", "paused"].some(over)).toBe(false);
  });
});
