import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useRef } from "react";
import { useParams, useSearchParams } from "react-router";
import { api, type Schemas, take } from "../api/client";
import { Spark } from "../chart/spark";
import { TimeChart } from "../chart/time-chart";
import { count, figure, share, span, when } from "../format";
import { ButtonLink, Input, Select } from "../ui/controls";
import { Lead, Page, Section, Trouble, Waiting } from "../ui/page";
import { Table } from "../ui/table";
import { Seasons, SpreadView } from "./looks";

export const useDataset = (name: string) =>
  useQuery({
    queryKey: ["dataset", name],
    queryFn: () => take(api.GET("/datasets/{dataset}", { params: { path: { dataset: name } } })),
    enabled: name !== "",
  });

export function DatasetPage() {
  const name = useParams().dataset ?? "";
  const { data, error } = useDataset(name);
  return (
    <Page title={name}>
      {error ? (
        <Trouble error={error} />
      ) : !data ? (
        <Waiting what="the dataset" />
      ) : (
        <Dataset dataset={data} />
      )}
    </Page>
  );
}

function Dataset({ dataset }: { dataset: Schemas["Dataset"] }) {
  return (
    <>
      <div className="flex items-start gap-4">
        <Lead>
          {dataset.name} holds {dataset.measure} of {count(dataset.series, "series")} over{" "}
          {span(dataset.periods, dataset.cadence)}, {dataset.first} to {dataset.last}.
        </Lead>
        <span className="flex-1" />
        <ButtonLink to={`/bakeoffs/new?dataset=${encodeURIComponent(dataset.name)}`}>New bake-off</ButtonLink>
      </div>
      <SeriesBrowser dataset={dataset} />
      <Checks name={dataset.name} />
      <Section title="Revisions">
        <Table
          label="Revisions"
          rows={dataset.revisions ?? []}
          keyOf={(r) => String(r.number)}
          columns={[
            { head: "Revision", right: true, cell: (r) => r.number },
            { head: "Loaded", cell: (r) => when(r.loaded) },
            { head: "Source", cell: (r) => r.source },
            { head: "Rows", right: true, cell: (r) => figure(r.rows) },
            { head: "New series", right: true, cell: (r) => figure(r.changes.new_series) },
            { head: "New periods", right: true, cell: (r) => figure(r.changes.new_periods) },
            { head: "New values", right: true, cell: (r) => figure(r.changes.new_values) },
            { head: "Restated", right: true, cell: (r) => figure(r.changes.restated_count) },
            { head: "Content hash", cell: (r) => <code>{r.hash.slice(0, 12)}</code> },
          ]}
        />
      </Section>
    </>
  );
}

function SeriesBrowser({ dataset }: { dataset: Schemas["Dataset"] }) {
  const [params, setParams] = useSearchParams();
  const where = params.getAll("where");
  const search = params.get("search") ?? "";
  const sort = (params.get("sort") ?? "key") as Sort;
  const list = useInfiniteQuery({
    queryKey: ["series", dataset.name, dataset.revision, where, search, sort],
    initialPageParam: "",
    queryFn: ({ pageParam }) =>
      take(
        api.GET("/datasets/{dataset}/series", {
          params: {
            path: { dataset: dataset.name },
            query: { where, search: search || undefined, sort, limit: 200, cursor: pageParam || undefined },
          },
        }),
      ),
    getNextPageParam: (last) => last.cursor || undefined,
    placeholderData: (before) => before,
  });
  const rows = list.data?.pages.flatMap((p) => p.items) ?? [];
  const total = list.data?.pages[0]?.total ?? 0;
  const facets = list.data?.pages[0]?.facets ?? [];
  const chosen = params.get("series") ?? rows[0]?.key ?? "";

  function change(edit: (p: URLSearchParams) => void) {
    const next = new URLSearchParams(params);
    edit(next);
    setParams(next, { replace: true });
  }
  const filter = (attribute: string, value: string) =>
    change((p) => {
      p.delete("where");
      for (const w of where) if (!w.startsWith(`${attribute}=`)) p.append("where", w);
      if (value !== "*") p.append("where", `${attribute}=${value}`);
    });

  return (
    <>
      <SeriesChart dataset={dataset} name={chosen} />
      <Section title={`Series: ${figure(total)} of ${figure(dataset.series)}`}>
        <div className="flex flex-wrap gap-3">
          {facets.map((f) => {
            const now =
              where.find((w) => w.startsWith(`${f.attribute}=`))?.slice(f.attribute.length + 1) ?? "*";
            return (
              <Select
                key={f.attribute}
                label={f.attribute}
                value={now}
                onChange={(v) => filter(f.attribute, v)}
                options={[
                  { value: "*", text: "all" },
                  ...f.values.map((v) => ({ value: v.value, text: `${v.value} (${v.count})` })),
                ]}
              />
            );
          })}
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
          sort={sort}
          order={(by) => change((p) => p.set("sort", by))}
          more={() => list.hasNextPage && !list.isFetchingNextPage && list.fetchNextPage()}
        />
      </Section>
    </>
  );
}

type Sort = "key" | "known" | "-known" | "mean" | "-mean" | "zeros" | "-zeros";

type RowsProps = {
  sort: Sort;
  order: (by: Sort) => void;
  rows: Schemas["SeriesRow"][];
  total: number;
  chosen: string;
  choose: (key: string) => void;
  more: () => void;
};

const columns = "grid-cols-[minmax(16rem,1fr)_9rem_7rem_7rem_5rem_6rem_5rem]";

type HeadProps = {
  name: string;
  by: "key" | "known" | "mean" | "zeros";
  sort: Sort;
  order: (by: Sort) => void;
  right?: boolean;
};

/** Sorts by its column, the largest first; again, the other way. */
function SortHead({ name, by, sort, order, right }: HeadProps) {
  const down = sort === `-${by}`;
  const mark = down ? " ↓" : sort === by && by !== "key" ? " ↑" : "";
  const next: Sort = by === "key" ? "key" : down ? by : `-${by}`;
  return (
    <button
      type="button"
      onClick={() => order(next)}
      className={`hover:text-ink ${right ? "text-right" : "text-left"}`}
    >
      {name}
      {mark}
    </button>
  );
}

/** A table of any length: only the rows in sight exist. */
function SeriesRows({ rows, total, chosen, choose, more, sort, order }: RowsProps) {
  const box = useRef<HTMLDivElement>(null);
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => box.current,
    estimateSize: () => 30,
    overscan: 12,
  });
  const items = virtual.getVirtualItems();
  const last = items.at(-1)?.index ?? 0;
  useEffect(() => {
    if (rows.length < total && last >= rows.length - 40) more();
  }, [last, rows.length, total, more]);
  return (
    <div>
      <div className={`grid ${columns} gap-3 border-b border-rule py-1 text-[13px] text-soft`}>
        <SortHead name="Series" by="key" sort={sort} order={order} />
        <span>Shape</span>
        <span>First</span>
        <span>Last</span>
        <SortHead name="Known" by="known" sort={sort} order={order} right />
        <SortHead name="Mean" by="mean" sort={sort} order={order} right />
        <SortHead name="Zeros" by="zeros" sort={sort} order={order} right />
      </div>
      <div ref={box} className="h-[300px] overflow-auto" role="listbox" aria-label="Series" tabIndex={-1}>
        <div className="relative" style={{ height: virtual.getTotalSize() }}>
          {items.map((item) => {
            const r = rows[item.index];
            if (!r) return null;
            return (
              <button
                type="button"
                role="option"
                aria-selected={r.key === chosen}
                key={r.key}
                onClick={() => choose(r.key)}
                style={{ transform: `translateY(${item.start}px)`, height: item.size }}
                className={`absolute inset-x-0 grid ${columns} items-center gap-3 border-b border-rule/60 text-left text-[13px] hover:bg-tint ${r.key === chosen ? "bg-tint font-medium" : ""}`}
              >
                <span className="truncate">{r.key}</span>
                <Spark trace={r.trace} />
                <span>{r.first}</span>
                <span>{r.last}</span>
                <span className="text-right">{figure(r.known)}</span>
                <span className="text-right">{figure(r.mean)}</span>
                <span className="text-right">{share(r.zeros)}</span>
              </button>
            );
          })}
        </div>
      </div>
    </div>
  );
}

const useValues = (dataset: Schemas["Dataset"], name: string) =>
  useQuery({
    queryKey: ["values", dataset.name, dataset.revision, name],
    queryFn: () =>
      take(
        api.GET("/datasets/{dataset}/series/values", {
          params: { path: { dataset: dataset.name }, query: { series: name } },
        }),
      ),
    enabled: name !== "",
    placeholderData: (before) => before,
  });

function SeriesChart({ dataset, name }: { dataset: Schemas["Dataset"]; name: string }) {
  const { data, error } = useValues(dataset, name);
  if (error) return <Trouble error={error} />;
  if (!data) return <Waiting what="the series" />;
  const n = data.periods.length;
  return (
    <Section
      title={data.key}
      aside={
        <span className="text-[13px] text-soft">
          {data.facts
            .map((f) => `${f.name} ${f.name.startsWith("share") ? share(f.value) : figure(f.value)}`)
            .join(" · ")}
        </span>
      }
    >
      <TimeChart
        label={`${dataset.measure} of ${data.key}, ${data.periods[0]} to ${data.periods[n - 1]}`}
        periods={data.periods}
        unit={dataset.measure}
        actual={data.values}
        lines={[]}
        bands={[]}
        tints={[]}
        rings={[]}
        view={[0, n - 1]}
        height={300}
      />
      <Seasons dataset={dataset} series={data.key} />
      <SpreadView dataset={dataset} series={data} />
    </Section>
  );
}

function Checks({ name }: { name: string }) {
  const { data } = useQuery({
    queryKey: ["checks", name],
    queryFn: () => take(api.GET("/datasets/{dataset}/check", { params: { path: { dataset: name } } })),
  });
  if (!data) return null;
  return (
    <Section title="Checks">
      {data.items.length === 0 ? (
        <p className="text-soft">Nothing stands out.</p>
      ) : (
        <ul className="flex flex-col gap-1">
          {data.items.map((c) => (
            <li key={c.kind}>
              <b className="font-medium">{c.kind}</b> <span className="text-soft">({c.grade})</span>:{" "}
              {c.series === 1 ? "one series" : `each of ${count(c.series, "series")}`} {c.meaning}. For
              example {c.example[0]}.
            </li>
          ))}
        </ul>
      )}
    </Section>
  );
}
