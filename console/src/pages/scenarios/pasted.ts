/** A driver's value in a period, of one series or, without one, of all. */
export type Value = { series: string; period: string; driver: string; value: number };

/** A cell of the grid and what was typed or pasted into it. */
export type Cell = { period: string; driver: string; text: string };

/** A block of cells from a spreadsheet, laid over the grid from one of its cells on; what lies beyond the grid
 * is left out. */
export const cellsOf = (
  text: string,
  periods: string[],
  drivers: string[],
  row: number,
  col: number,
): Cell[] =>
  text
    .replace(/\r/g, "")
    .replace(/\n$/, "")
    .split("\n")
    .flatMap((line, i) =>
      line.split("\t").flatMap((cell, j) => {
        const period = periods[row + i];
        const driver = drivers[col + j];
        return period && driver ? [{ period, driver, text: cell }] : [];
      }),
    );

const plain = /^[-+]?(\d+\.?\d*|\.\d+)(e[-+]?\d+)?$/i;
const decimalComma = /^[-+]?\d*,\d+$/;
// A comma before three digits, after one to three that do not begin with a zero, may part thousands too. A point
// is the decimal mark, as in the grid itself.
const either = /^[-+]?[1-9]\d{0,2},\d{3}$/;
const commaThousands = /^[-+]?\d{1,3}(,\d{3})+(\.\d+)?$/;
const pointThousands = /^[-+]?\d{1,3}(\.\d{3})+(,\d+)?$/;

/** The number that a text means, with either decimal mark; or why that can't be told. */
export function numberOf(text: string): { value: number } | { doubt: string } {
  const t = text.replace(/[\s\u00a0\u202f]/g, "");
  if (plain.test(t)) return { value: Number(t) };
  if (either.test(t)) {
    const ways = `${t.replace(",", "")} or ${t.replace(",", ".")}`;
    return { doubt: `“${t}” may be ${ways}: write it in one of these ways` };
  }
  if (decimalComma.test(t)) return { value: Number(t.replace(",", ".")) };
  if (commaThousands.test(t)) return { value: Number(t.replaceAll(",", "")) };
  if (pointThousands.test(t)) return { value: Number(t.replaceAll(".", "").replace(",", ".")) };
  return { doubt: `“${text.trim()}” is no number` };
}

/** Values with cells put over them, of one series or of all; an empty cell takes its value away, and one that is
 * in doubt leaves what was there. */
export function withCells(
  values: Value[],
  owner: string,
  cells: Cell[],
): { values: Value[]; doubts: string[] } {
  const doubts: string[] = [];
  let next = values;
  for (const { period, driver, text } of cells) {
    const read = text.trim() === "" ? undefined : numberOf(text);
    if (read && "doubt" in read) {
      doubts.push(`${driver} in ${period}: ${read.doubt}`);
      continue;
    }
    next = next.filter((v) => !(v.series === owner && v.period === period && v.driver === driver));
    if (read) next = [...next, { series: owner, period, driver, value: read.value }];
  }
  return { values: next, doubts };
}
