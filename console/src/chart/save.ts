import type { Drawing } from "./drawing";

/** Saves a file that the page itself made. */
export function save(name: string, href: string) {
  const link = document.createElement("a");
  link.href = href;
  link.download = name;
  link.click();
}

export function saveText(name: string, text: string, type = "text/csv") {
  const href = URL.createObjectURL(new Blob([text], { type }));
  save(name, href);
  URL.revokeObjectURL(href);
}

const quote = (s: string) => (/[",\n]/.test(s) ? `"${s.replaceAll('"', '""')}"` : s);

/** Rows of cells as CSV; what is unknown stays empty. */
export const csv = (rows: (string | number | null | undefined)[][]) =>
  rows.map((r) => `${r.map((c) => quote(String(c ?? ""))).join(",")}\n`).join("");

/** What a chart shows, as CSV: a row a period, a column for each curve and band end. */
export function asCsv(d: Drawing): string {
  const columns: [string, (number | null)[]][] = [[d.actualName ?? "actual", d.actual]];
  // A contender has a curve for each window: together they are one column.
  const put = (name: string, start: number, values: (number | null)[]) => {
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
  for (const p of d.panes ?? []) put(p.name, 0, p.values);
  for (const e of d.events ?? []) {
    const on = new Array(d.periods.length).fill(0);
    for (const [from, to] of e.spans) on.fill(1, from, to + 1);
    put(e.name, 0, on);
  }
  return csv([
    ["period", ...columns.map(([n]) => n)],
    ...d.periods.map((p, i) => [p, ...columns.map(([, v]) => v[i])]),
  ]);
}
