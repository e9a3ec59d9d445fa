import type { Drawing } from "./drawing";

/** Saves a file that the page itself made. */
export function save(name: string, href: string) {
  const link = document.createElement("a");
  link.href = href;
  link.download = name;
  link.click();
}

const quote = (s: string) => (/[",\n]/.test(s) ? `"${s.replaceAll('"', '""')}"` : s);

/** What a chart shows, as CSV: a row a period, a column for each curve and band end. */
export function asCsv(d: Drawing): string {
  const columns: [string, (number | null)[]][] = [["actual", d.actual]];
  // A contender has a curve for each window: together they are one column.
  const put = (name: string, start: number, values: number[]) => {
    let column = columns.find(([n]) => n === name)?.[1];
    if (!column) {
      column = new Array(d.periods.length).fill(null);
      columns.push([name, column]);
    }
    for (const [i, v] of values.entries()) column[start + i] = v;
  };
  for (const l of d.lines) put(l.name, l.start, l.values);
  for (const b of d.bands) {
    put(`${b.name} low`, b.start, b.low);
    put(`${b.name} high`, b.start, b.high);
  }
  const rows = d.periods.map((p, i) => [p, ...columns.map(([, v]) => v[i] ?? "")].join(","));
  return [["period", ...columns.map(([n]) => quote(n))].join(","), ...rows, ""].join("\n");
}
