import { type ReactNode, useEffect, useRef, useState } from "react";

export type Column<T> = {
  head: ReactNode;
  cell: (row: T) => ReactNode;
  right?: boolean;
  hint?: string;
  /** Stays in sight while the others scroll by. */
  keep?: boolean;
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

/** How many columns lie outside of what a table shows, to its right. */
function useHidden(of: { current: HTMLElement | null }, columns: number): number {
  const [hidden, setHidden] = useState(0);
  useEffect(() => {
    const box = of.current;
    if (!box) return;
    const look = () => {
      const end = box.scrollLeft + box.clientWidth;
      const heads = [...box.querySelectorAll("th")].slice(0, columns);
      setHidden(heads.filter((h) => h.offsetLeft + h.offsetWidth > end + 1).length);
    };
    const watch = new ResizeObserver(look);
    watch.observe(box);
    box.addEventListener("scroll", look, { passive: true });
    look();
    return () => {
      watch.disconnect();
      box.removeEventListener("scroll", look);
    };
  }, [of, columns]);
  return hidden;
}

export function Table<T>({ label, rows, columns, keyOf, selected }: TableProps<T>) {
  const box = useRef<HTMLElement>(null);
  const hidden = useHidden(box, columns.length);
  const kept = (c: Column<T>) => (c.keep ? "sticky left-0 bg-paper" : "");
  return (
    <div className="flex flex-col">
      {/* biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region must be reachable by keyboard */}
      <section ref={box} aria-label={label} className="relative overflow-x-auto" tabIndex={0}>
        <table className="w-full border-collapse text-small">
          <thead>
            <tr className="border-b border-rule text-soft">
              {columns.map((c, i) => (
                <th
                  // biome-ignore lint/suspicious/noArrayIndexKey: columns never change their order
                  key={i}
                  scope="col"
                  title={c.hint}
                  className={`py-1 pr-4 align-bottom whitespace-nowrap ${c.right ? "text-right" : "text-left"} ${kept(c)}`}
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
                    className={`py-1 pr-4 whitespace-nowrap ${c.right ? "text-right tabular-nums" : ""} ${c.best?.(row) ? "font-bold" : ""} ${kept(c)}`}
                  >
                    {c.cell(row)}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </section>
      {hidden > 0 && (
        <p aria-hidden className="pt-1 text-right text-note text-soft">
          {hidden} more {hidden === 1 ? "column" : "columns"} to the right →
        </p>
      )}
    </div>
  );
}
