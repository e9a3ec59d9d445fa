import { beforeEach, describe, expect, it, vi } from "vitest";

type Asked = { url: URL; sent: Promise<ArrayBuffer>; kind: string | null };

/** What was asked and sent; every request is answered with an empty object. The client takes hold of the
 * browser's own when it is made, so these stand there before. */
const asked = vi.hoisted(() => {
  const list: Asked[] = [];
  const Plain = globalThis.Request;
  globalThis.Request = class extends Plain {
    constructor(input: RequestInfo | URL, init?: RequestInit) {
      super(typeof input === "string" ? new URL(input, "http://here") : input, init);
    }
  };
  globalThis.fetch = async (input) => {
    const r = input as Request;
    list.push({ url: new URL(r.url), sent: r.arrayBuffer(), kind: r.headers.get("Content-Type") });
    return new Response("{}", { status: 200, headers: { "Content-Type": "application/json" } });
  };
  return list;
});

import { forecastOnce, inspect, load, names } from "./files";

beforeEach(() => {
  asked.length = 0;
});

describe("names", () => {
  it("are quoted where they hold what parts them", () => {
    expect(names(["town", 'pot, 12"', "line"])).toBe('town,"pot, 12""",line');
  });
});

describe("a file", () => {
  const file = new File(["day,sold\n2026-01-01,3\n"], "sales.csv");

  it("is loaded with the wishes that say something", async () => {
    await load("orders", file, {
      time: "day",
      measure: "sold",
      by: ["town", "a,b"],
      drivers: [],
      where: ["town=Saltmarsh", "town=Gullhaven"],
      unit: "",
    } as never);
    const { url, sent, kind } = asked[0] as Asked;
    expect(url.pathname).toBe("/api/v1/datasets/orders/loads");
    expect([...url.searchParams].toSorted()).toEqual([
      ["by", 'town,"a,b"'],
      ["file", "sales.csv"],
      ["measure", "sold"],
      ["time", "day"],
      ["where", "town=Gullhaven"],
      ["where", "town=Saltmarsh"],
    ]);
    expect(new TextDecoder().decode(await sent)).toBe("day,sold\n2026-01-01,3\n");
    expect(kind).toBe("application/octet-stream");
  });

  it("is forecast at once without drivers, which that knows nothing of", async () => {
    await forecastOnce(file, { time: "day", drivers: ["price"], known_ahead: ["price"] } as never, {
      horizon: 12,
      history: 60,
    });
    const query = asked[0]?.url.searchParams;
    expect(query?.has("driver")).toBe(false);
    expect(query?.get("horizon")).toBe("12");
  });

  it("is looked at by whole lines of its start where it is large", async () => {
    const line = `${"x".repeat(99)}\n`;
    const large = new File([line.repeat(90_000)], "large.csv"); // 9 MB
    await inspect(large, {} as never, "");
    const sent = new Uint8Array(await (asked[0] as Asked).sent);
    expect(sent.length).toBeLessThanOrEqual(8 << 20);
    expect(sent.length % 100).toBe(0);
    expect(sent.length).toBeGreaterThan(8_000_000);
    await inspect(new File([line.repeat(90_000)], "large.xlsx"), {} as never, "");
    expect((await (asked[1] as Asked).sent).byteLength, "a workbook whole").toBe(9_000_000);
  });
});
