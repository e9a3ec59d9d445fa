import { useQuery } from "@tanstack/react-query";
import { api, take } from "./client";

/** The names of a dataset's attributes, in the order in which a series' key has their values. */
export const useAttributes = (dataset: string): string[] =>
  useQuery({
    queryKey: ["dataset", dataset],
    queryFn: () => take(api.GET("/datasets/{dataset}", { params: { path: { dataset } } })),
  }).data?.attributes.map((a) => a.name) ?? [];
