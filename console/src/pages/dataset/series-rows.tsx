import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useRef } from "react";
import type { Schemas } from "../../api/client";
import { csv } from "../../chart/save";
import { Spark } from "../../chart/spark";
import { figure, part, share } from "../../format";
import type { Sort, SortKey } from "./use-dataset";

type Row = Schemas["SeriesRow"];

type RowsProps = {
  rows: Row[];
  total: number;
  chosen: string;
  choose: (key: string) => void;
  beside: string[];
  setBeside: (key: string, on: boolean) => void;
  sort: Sort;
  order: (by: Sort) => void;
  more: () => void;
};

const columns =
  "grid-cols-[1.25rem_minmax(13rem,1fr)_8rem_6rem_6rem_4rem_5rem_4.2rem_3.6rem_4rem_minmax(9rem,0.6fr)]";

/** A table of any length: only the rows in sight exist. */
export function SeriesRows({ rows, total, chosen, choose, beside, setBeside, more, sort, order }: RowsProps) {
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
    <div className="overflow-x-auto">
      <div className="min-w-[1080px]">
        <div className={`grid ${columns} gap-2.5 border-b border-rule py-1 pr-3 text-small text-soft`}>
          <span>
            <span className="sr-only">Beside</span>
          </span>
          <SortHead name="Series" by="key" sort={sort} order={order} />
          <span>Shape</span>
          <span>First</span>
          <span>Last</span>
          <SortHead name="Known" by="known" sort={sort} order={order} right />
          <SortHead name="Mean" by="mean" sort={sort} order={order} right />
          <SortHead name="Zeros" by="zeros" sort={sort} order={order} right />
          <SortHead
            name="Trend"
            by="trend"
            sort={sort}
            order={order}
            right
            hint="Strength of the trend, 0 to 1"
          />
          <SortHead
            name="Season"
            by="season"
            sort={sort}
            order={order}
            right
            hint="Strength of the season, 0 to 1"
          />
          <SortHead name="Checks" by="marks" sort={sort} order={order} />
        </div>
        {/* biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region must be reachable by keyboard */}
        <section ref={box} className="h-[300px] overflow-auto" aria-label="Series" tabIndex={0}>
          <ul className="relative" style={{ height: virtual.getTotalSize() }}>
            {items.map((item) => {
              const r = rows[item.index];
              return r ? (
                <SeriesLine
                  key={r.key}
                  row={r}
                  top={item.start}
                  height={item.size}
                  chosen={r.key === chosen}
                  choose={choose}
                  beside={beside.includes(r.key)}
                  setBeside={setBeside}
                />
              ) : null;
            })}
          </ul>
        </section>
      </div>
    </div>
  );
}

type LineProps = {
  row: Row;
  top: number;
  height: number;
  chosen: boolean;
  choose: (key: string) => void;
  beside: boolean;
  setBeside: (key: string, on: boolean) => void;
};

function SeriesLine({ row: r, top, height, chosen, choose, beside, setBeside }: LineProps) {
  return (
    <li
      style={{ transform: `translateY(${top}px)`, height }}
      className={`absolute inset-x-0 grid ${columns} items-center gap-2.5 border-b border-rule/60 pr-3 text-small hover:bg-tint ${chosen ? "bg-tint font-medium" : ""}`}
    >
      <input
        type="checkbox"
        className="relative z-1"
        aria-label={`Draw ${r.key} beside the others`}
        checked={beside || chosen}
        disabled={chosen}
        onChange={(e) => setBeside(r.key, e.target.checked)}
      />
      {/* The button takes the whole row. */}
      <button
        type="button"
        aria-current={chosen}
        onClick={() => choose(r.key)}
        className="truncate text-left after:absolute after:inset-0"
      >
        {r.key}
      </button>
      <Spark trace={r.trace} />
      <span>{r.first}</span>
      <span>{r.last}</span>
      <span className="text-right">{figure(r.known)}</span>
      <span className="text-right">{figure(r.mean)}</span>
      <span className="text-right">{share(r.zeros)}</span>
      <span className="text-right">{part(r.trend)}</span>
      <span className="text-right">{part(r.season)}</span>
      <span className="truncate text-soft" title={r.marks?.join(", ")}>
        {r.demand ? r.marks?.join(", ") || "–" : "…"}
      </span>
    </li>
  );
}

type HeadProps = {
  name: string;
  by: SortKey;
  sort: Sort;
  order: (by: Sort) => void;
  right?: boolean;
  hint?: string;
};

/** Sorts by its column, the largest first; again, the other way. */
function SortHead({ name, by, sort, order, right, hint }: HeadProps) {
  const down = sort === `-${by}`;
  const mark = down ? " ↓" : sort === by && by !== "key" ? " ↑" : "";
  const next: Sort = by === "key" ? "key" : down ? by : `-${by}`;
  return (
    <button
      type="button"
      title={hint}
      onClick={() => order(next)}
      className={`hover:text-ink ${right ? "text-right" : "text-left"}`}
    >
      {name}
      {mark}
    </button>
  );
}

/** Rows of the list as CSV. */
export function listAsCsv(rows: Row[]): string {
  const head = ["series", "first", "last", "known", "mean", "zeros", "trend", "season", "demand", "checks"];
  return csv([
    head,
    ...rows.map((r) => [
      r.key,
      r.first,
      r.last,
      r.known,
      r.mean,
      r.zeros,
      r.trend,
      r.season,
      r.demand,
      (r.marks ?? []).join("; "),
    ]),
  ]);
}
