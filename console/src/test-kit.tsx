import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { renderToStaticMarkup } from "react-dom/server";
import { MemoryRouter, Route, Routes } from "react-router";
import type { Schemas } from "./api/client";

/** What the service has answered already, by the key under which a page asks for it. */
export type Answers = [key: unknown[], data: unknown][];

/** The HTML of a page at an address, where the service has answered so far. For tests. */
export function page(route: string, address: string, element: ReactNode, answers: Answers): string {
  const queries = new QueryClient({ defaultOptions: { queries: { retry: false, staleTime: 1e9 } } });
  for (const [key, data] of answers) queries.setQueryData(key, data);
  return renderToStaticMarkup(
    <QueryClientProvider client={queries}>
      <MemoryRouter initialEntries={[address]}>
        <Routes>
          <Route path={route} element={element} />
        </Routes>
      </MemoryRouter>
    </QueryClientProvider>,
  );
}

const entities: Record<string, string> = {
  "&#x27;": "'",
  "&quot;": '"',
  "&lt;": "<",
  "&gt;": ">",
  "&amp;": "&",
};

/** What a reader sees of HTML, its parts by bars. */
export const words = (html: string) =>
  html
    .replace(/<[^>]+>/g, "|")
    .replace(/&(#x27|quot|lt|gt|amp);/g, (e) => entities[e] ?? e)
    .replace(/\|+/g, "|");

/** A table's rows as a reader sees them, by the table's name. */
export function tableOf(html: string, label: string): string[][] {
  const table = html.split("<section").find((t) => t.includes(`aria-label="${label}"`));
  if (!table) throw new Error(`there is no table ${label}`);
  const rows = table.slice(0, table.indexOf("</table>")).split("<tr").slice(1);
  return rows.map((r) =>
    r
      .split(/<t[hd][ >]/)
      .slice(1)
      .map((cell) => words(`<${cell}`).replace(/\|/g, "").trim()),
  );
}

/** Where the links of HTML lead, with their words. */
export const links = (html: string): [string, string][] =>
  [...html.matchAll(/<a [^>]*href="([^"]*)"[^>]*>(.*?)<\/a>/g)].map((m) => [
    words(m[2] ?? "").replace(/\|/g, ""),
    (m[1] ?? "").replaceAll("&amp;", "&"),
  ]);

export const job = (over: Partial<Schemas["Job"]> = {}): Schemas["Job"] => ({
  id: "job-1",
  kind: "release",
  about: "",
  state: "done",
  priority: 0,
  total: 4,
  done: 4,
  share: 1,
  rate: 0,
  left: 0,
  created: "2026-06-01T08:00:00Z",
  ...over,
});

export const release = (over: Partial<Schemas["Release"]> = {}): Schemas["Release"] => ({
  id: "rel-7",
  dataset: "daily",
  revision: 2,
  bakeoff: "bake-3",
  contender: "additive",
  state: "live",
  measure: "orders",
  cadence: "day",
  origin: "2026-05-31",
  first: "2026-06-01",
  last: "2026-06-28",
  horizon: 28,
  levels: [80, 95],
  series: 140,
  used: [{ contender: "additive", series: 140 }],
  open_flags: 0,
  created: "2026-06-01T08:00:00Z",
  job: job(),
  ...over,
});

export const score = (over: Partial<Schemas["LiveScore"]> = {}): Schemas["LiveScore"] => ({
  level: 95,
  points: 200,
  outside: 8,
  skill: 0.25,
  through: "2026-06-14",
  metrics: { mae: 3.4567, bias: -0.5, wape: 0.1234, mase: 0.81, coverage80: 0.79, coverage95: 0.96 },
  ...over,
});

export const bakeoff = (over: Partial<Schemas["Bakeoff"]> = {}): Schemas["Bakeoff"] => ({
  id: "bake-3",
  name: "Spring",
  measure: "orders",
  cadence: "day",
  leader: "additive",
  skill: 0.295,
  created: "2026-06-01T08:00:00Z",
  job: job({ id: "job-3", kind: "bake-off" }),
  plan: {
    dataset: "daily",
    revision: 2,
    horizon: 28,
    windows: 3,
    baseline: "seasonal-naive",
    contenders: [{ family: "seasonal-naive" }, { family: "additive" }, { family: "linear", name: "bent" }],
  },
  ...over,
});

export const dataset = (over: Partial<Schemas["Dataset"]> = {}): Schemas["Dataset"] => ({
  name: "daily",
  measure: "orders",
  cadence: "day",
  revision: 2,
  series: 140,
  values: 178_500,
  periods: 1275,
  first: "2022-12-03",
  last: "2026-05-31",
  season: 7,
  events: 1,
  gaps: "unknown",
  hash: "0123456789ab",
  loaded: "2026-06-01T08:00:00Z",
  attributes: [],
  drivers: [],
  ...over,
});

export const flag = (over: Partial<Schemas["Flag"]> = {}): Schemas["Flag"] => ({
  id: "flag-4",
  dataset: "daily",
  release: "rel-7",
  series: "Harbour / black tea",
  period: "2026-06-09",
  step: 9,
  actual: 410,
  forecast: 220,
  low: 180,
  high: 262,
  level: 95,
  severity: 8.1,
  state: "open",
  ...over,
});

export const scenario = (over: Partial<Schemas["Scenario"]> = {}): Schemas["Scenario"] => ({
  id: "scen-2",
  name: "June",
  dataset: "daily",
  release: "rel-7",
  bakeoff: "bake-3",
  contender: "additive",
  measure: "orders",
  horizon: 28,
  levels: [80, 95],
  state: "ready",
  first: "2026-06-01",
  last: "2026-06-28",
  job: job({ kind: "scenario" }),
  cases: [{ name: "Dearer", changes: ["price +10 %"] }],
  cautions: [],
  created: "2026-06-01T08:00:00Z",
  ...over,
});
