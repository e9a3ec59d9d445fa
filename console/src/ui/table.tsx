import type { ReactNode } from "react";

export type Column<T> = {
  head: ReactNode;
  cell: (row: T) => ReactNode;
  right?: boolean;
  hint?: string;
  /** Marks the cell that is the best of its column. */
  best?: (row: T) => boolean;
};

type TableProps<T> = {
  label: string;
  rows: T[];
  columns: Column<T>[];
  keyOf: (row: T) => string;
  selected?: (row: T) => boolean;
};

export function Table<T>({ label, rows, columns, keyOf, selected }: TableProps<T>) {
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region must be reachable by keyboard
    <section aria-label={label} className="overflow-x-auto" tabIndex={0}>
      <table className="w-full border-collapse text-[13px]">
        <thead>
          <tr className="border-b border-rule text-soft">
            {columns.map((c, i) => (
              <th
                // biome-ignore lint/suspicious/noArrayIndexKey: columns never change their order
                key={i}
                scope="col"
                title={c.hint}
                className={`py-1 pr-4 align-bottom whitespace-nowrap ${c.right ? "text-right" : "text-left"}`}
              >
                {c.head}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((row) => (
            <tr key={keyOf(row)} className={`border-b border-rule/60 ${selected?.(row) ? "bg-tint" : ""}`}>
              {columns.map((c, i) => (
                <td
                  // biome-ignore lint/suspicious/noArrayIndexKey: columns never change their order
                  key={i}
                  className={`py-1 pr-4 whitespace-nowrap ${c.right ? "text-right tabular-nums" : ""} ${c.best?.(row) ? "font-bold" : ""}`}
                >
                  {c.cell(row)}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
