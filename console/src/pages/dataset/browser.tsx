import { useInfiniteQuery } from "@tanstack/react-query";
import { api, type Schemas, take } from "../../api/client";
import { saveText } from "../../chart/save";
import { figure } from "../../format";
import { Download, Input } from "../../ui/controls";
import { Facets } from "../../ui/facets";
import { Section, Trouble } from "../../ui/page";
import { SeriesChart } from "./series-chart";
import { listAsCsv, SeriesRows } from "./series-rows";
import { type Dataset, mostBeside, useChoice } from "./use-dataset";

/** The series of a dataset: filter, sort, look at one or several. */
export function SeriesBrowser({ dataset }: { dataset: Dataset }) {
  const choice = useChoice();
  const { where, search, sort, beside, change } = choice;
  const list = useInfiniteQuery({
    queryKey: ["series", dataset.name, dataset.revision, where, search, sort],
    initialPageParam: "",
    queryFn: ({ pageParam }) =>
      take(
        api.GET("/datasets/{dataset}/series", {
          params: {
            path: { dataset: dataset.name },
            query: {
              where,
              search: search || undefined,
              sort,
              limit: 200,
              cursor: pageParam || undefined,
              revision: dataset.revision,
            },
          },
        }),
      ),
    getNextPageParam: (last) => last.cursor || undefined,
    placeholderData: (before) => before,
    // The checks of a large dataset take a while: their columns come when they are done.
    refetchInterval: (q) => (q.state.data?.pages.every((p) => p.checked) ? false : 2000),
  });
  const rows = list.data?.pages.flatMap((p) => p.items) ?? [];
  const total = list.data?.pages[0]?.total ?? 0;
  const facets = list.data?.pages[0]?.facets ?? [];
  const chosen = choice.series ?? rows[0]?.key ?? "";
  const query = new URLSearchParams([
    ...where.map((w) => ["where", w]),
    ["revision", String(dataset.revision)],
  ]);
  if (search) query.set("search", search);

  async function saveTable() {
    const all: Schemas["SeriesRow"][] = [];
    for (let cursor: string | undefined; all.length < total; ) {
      const page = await take(
        api.GET("/datasets/{dataset}/series", {
          params: {
            path: { dataset: dataset.name },
            query: {
              where,
              search: search || undefined,
              sort,
              limit: 1000,
              cursor,
              wait: true,
              revision: dataset.revision,
            },
          },
        }),
      );
      all.push(...page.items);
      cursor = page.cursor || undefined;
      if (!cursor) break;
    }
    saveText(`${dataset.name}-series.csv`, listAsCsv(all));
  }

  return (
    <>
      <SeriesChart dataset={dataset} name={chosen} beside={beside.filter((k) => k !== chosen)} />
      <Section
        title={`Series: ${figure(total)} of ${figure(dataset.series)}`}
        aside={
          <span className="flex gap-2">
            <Download href={`/api/v1/datasets/${encodeURIComponent(dataset.name)}/export?${query}`}>
              Download the values
            </Download>
            <button
              type="button"
              className="border border-rule px-3 py-1.5 text-plain leading-tight text-copper hover:border-copper"
              onClick={saveTable}
            >
              Save this table
            </button>
          </span>
        }
      >
        <div className="flex flex-wrap gap-3">
          <Facets facets={facets} where={where} choose={choice.filter} />
          <Input
            label="Search"
            value={search}
            onChange={(v) => change((p) => (v ? p.set("search", v) : p.delete("search")))}
          />
        </div>
        {list.error && <Trouble error={list.error} />}
        <SeriesRows
          rows={rows}
          total={total}
          chosen={chosen}
          choose={(key) => change((p) => p.set("series", key))}
          beside={beside}
          setBeside={(key, on) =>
            change((p) => {
              p.delete("beside");
              if (!p.get("series")) p.set("series", chosen);
              const kept = beside.filter((k) => k !== key);
              for (const k of (on ? [...kept, key] : kept).slice(-mostBeside)) p.append("beside", k);
            })
          }
          sort={sort}
          order={(by) => change((p) => p.set("sort", by))}
          more={() => list.hasNextPage && !list.isFetchingNextPage && list.fetchNextPage()}
        />
      </Section>
    </>
  );
}
