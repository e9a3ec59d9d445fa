import { useQueries, useQuery } from "@tanstack/react-query";
import { useSearchParams } from "react-router";
import { api, type Schemas, take } from "../../api/client";

export type Dataset = Schemas["Dataset"];

/** A dataset as of a revision; 0 for the latest. */
export const useDataset = (name: string, revision = 0) =>
  useQuery({
    queryKey: ["dataset", name, revision],
    queryFn: () =>
      take(
        api.GET("/datasets/{dataset}", {
          params: { path: { dataset: name }, query: { revision: revision || undefined } },
        }),
      ),
    enabled: name !== "",
  });

export const useValues = (dataset: Dataset, names: string[]) =>
  useQueries({
    queries: names.map((series) => ({
      queryKey: ["values", dataset.name, dataset.revision, series],
      queryFn: () =>
        take(
          api.GET("/datasets/{dataset}/series/values", {
            params: { path: { dataset: dataset.name }, query: { series, revision: dataset.revision } },
          }),
        ),
      enabled: series !== "",
    })),
  });

/** What the page's address says: the filter, the order, the series shown. */
export function useChoice() {
  const [params, setParams] = useSearchParams();
  function change(edit: (p: URLSearchParams) => void) {
    const next = new URLSearchParams(params);
    edit(next);
    setParams(next, { replace: true });
  }
  const where = params.getAll("where");
  return {
    where,
    search: params.get("search") ?? "",
    sort: (params.get("sort") ?? "key") as Sort,
    series: params.get("series"),
    beside: params.getAll("beside"),
    scaled: params.get("scaled") === "1",
    change,
    filter: (next: string[]) =>
      change((p) => {
        p.delete("where");
        for (const w of next) p.append("where", w);
      }),
    flip: (name: string, on: boolean) => change((p) => (on ? p.set(name, "1") : p.delete(name))),
  };
}

export type SortKey = "key" | "known" | "mean" | "zeros" | "trend" | "season" | "marks";
export type Sort = SortKey | `-${Exclude<SortKey, "key">}`;

/** How many series fit beside the chosen one: one for each further colour. */
export const mostBeside = 7;

/** The mean of the known values of a series; 1 where it is none. */
export function meanOf(v: Schemas["SeriesValues"]): number {
  const known = v.values.filter((x): x is number => x !== null);
  return known.reduce((a, x) => a + x, 0) / (known.length || 1) || 1;
}
