import { useQuery } from "@tanstack/react-query";
import { type ClipboardEvent, useState } from "react";
import { api, type Schemas, take } from "../../api/client";
import { figure } from "../../format";
import { Trouble, Waiting } from "../../ui/page";
import { SeriesPicker } from "../../ui/series-picker";
import { type Cell, cellsOf, type Value, withCells } from "./pasted";

type Props = { release: string; values: Value[]; change: (values: Value[]) => void };

/** Future drivers, a row a period: typed over, or pasted from a spreadsheet. */
export function Grid({ release, values, change }: Props) {
  const [series, setSeries] = useState("");
  const [everywhere, setEverywhere] = useState(true);
  const [doubts, setDoubts] = useState<string[]>([]);
  const { data, error } = useQuery({
    queryKey: ["drivers-ahead", release, series],
    queryFn: () =>
      take(
        api.GET("/releases/{release}/drivers", {
          params: { path: { release }, query: { series: series || undefined } },
        }),
      ),
    placeholderData: (before) => before,
  });
  if (error) return <Trouble error={error} />;
  if (!data) return <Waiting what="drivers" />;
  if (data.drivers.length === 0) return <p>The dataset has no driver that is known ahead.</p>;
  const owner = everywhere ? "" : data.series;
  const put = (cells: Cell[]) => {
    const next = withCells(values, owner, cells);
    setDoubts(next.doubts);
    change(next.values);
  };
  return (
    <div className="flex flex-col gap-2 pt-2">
      <div className="flex flex-wrap items-end gap-4 text-small">
        <SeriesPicker keys={data.keys} chosen={data.series} choose={setSeries} />
        <label className="flex items-center gap-1.5">
          <input type="checkbox" checked={everywhere} onChange={(e) => setEverywhere(e.target.checked)} />
          set for all series, not for {data.series} alone
        </label>
        {values.length > 0 && (
          <button type="button" className="text-copper underline" onClick={() => change([])}>
            Forget all {values.length} values
          </button>
        )}
      </div>
      <Cells ahead={data} values={values} owner={owner} put={put} />
      {doubts.length > 0 && (
        <p role="alert" className="border-l-2 border-alarm pl-3 text-small">
          Not taken: {doubts.slice(0, 3).join("; ")}
          {doubts.length > 3 ? `; and ${doubts.length - 3} more` : ""}.
        </p>
      )}
      <p className="text-note text-soft">
        Empty cells keep what is known, shown in grey. Paste a block of cells from a spreadsheet into the cell
        where it begins. A value for one series goes before one for all.
      </p>
    </div>
  );
}

type CellsProps = {
  ahead: Schemas["DriversAhead"];
  values: Value[];
  owner: string;
  put: (cells: Cell[]) => void;
};

function Cells({ ahead, values, owner, put }: CellsProps) {
  const names = ahead.drivers.map((d) => d.name);
  const set = (period: string, driver: string) =>
    values.find((v) => v.series === owner && v.period === period && v.driver === driver)?.value;
  const paste = (e: ClipboardEvent, row: number, col: number) => {
    const text = e.clipboardData.getData("text");
    if (!/[\t\n]/.test(text)) return;
    e.preventDefault();
    put(cellsOf(text, ahead.periods, names, row, col));
  };
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region must be reachable by keyboard
    <section aria-label="Future drivers" className="max-h-80 overflow-auto" tabIndex={0}>
      <table className="border-collapse text-small">
        <thead>
          <tr className="border-b border-rule text-soft">
            <th scope="col" className="py-1 pr-4 text-left">
              Period
            </th>
            {ahead.drivers.map((d) => (
              <th key={d.name} scope="col" className="py-1 pr-4 text-right">
                {d.name}
                <span className="block text-foot font-normal">
                  {figure(d.low)} to {figure(d.high)} so far
                </span>
              </th>
            ))}
            <th scope="col" className="py-1 text-left">
              Events
            </th>
          </tr>
        </thead>
        <tbody>
          {ahead.periods.map((period, row) => (
            <tr key={period} className="border-b border-rule/60">
              <th scope="row" className="pr-4 text-left font-normal whitespace-nowrap">
                {period}
              </th>
              {ahead.drivers.map((d, col) => (
                <td key={d.name} className="pr-4">
                  <input
                    aria-label={`${d.name} in ${period}`}
                    inputMode="decimal"
                    defaultValue={set(period, d.name) ?? ""}
                    key={`${owner} ${set(period, d.name)}`}
                    placeholder={figure(d.values[row])}
                    onBlur={(e) => {
                      if (e.target.value !== String(set(period, d.name) ?? ""))
                        put([{ period, driver: d.name, text: e.target.value }]);
                    }}
                    onPaste={(e) => paste(e, row, col)}
                    className="w-28 border border-rule bg-sheet px-2 py-0.5 text-right tabular-nums"
                  />
                </td>
              ))}
              <td className="whitespace-nowrap text-soft">
                {ahead.events
                  .filter((e) => e.periods.includes(period))
                  .map((e) => e.name)
                  .join(", ")}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
