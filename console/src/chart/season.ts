/** How many periods a component's season has, by its name and the cadence; undefined where it is none. */
export function cycleOf(name: string, cadence: string): number | undefined {
  const own = /^season of (\d+)/.exec(name);
  if (own) return Number(own[1]);
  const unit = cadence.split(" ")[0] ?? "";
  const days: Record<string, number> = { day: 1, week: 7, year: 365.25 };
  const inDay: Record<string, number> = { "15min": 96, "30min": 48, hour: 24, day: 1, week: 1 / 7 };
  const years: Record<string, number> = { month: 12, quarter: 4 };
  if (name === daysOfMonth) return unit === "day" ? 31 : undefined;
  if (name === "year" && years[unit]) return years[unit];
  const length = (days[name] ?? 0) * (inDay[unit] ?? 0);
  return length > 1 ? length : undefined;
}

const daysOfMonth = "day of the month";

export type Place = { name: string; value: number; low?: number; high?: number };

const weekdays = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"];
const months = ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"];

type Values = (number | null)[];

/**
 * A season once, from its own beginning: the last whole cycle of a component, its weeks from Monday,
 * its years from January, its days from midnight, its months of 31 days from the first.
 */
export function profileOf(
  name: string,
  cycle: number,
  periods: string[],
  past: Values,
  low?: Values,
  high?: Values,
): Place[] {
  const n = Math.round(cycle);
  const end = name === daysOfMonth ? lastOf(periods.slice(0, past.length), "-31") + 1 : past.length;
  const first = end - n;
  if (first < 0) return [];
  const places: (Place & { order: string })[] = [];
  for (let i = first; i < end; i++) {
    const value = past[i];
    if (value == null) continue;
    const period = periods[i] ?? "";
    const label = labelOf(name, period, i - first);
    places.push({
      name: label.name,
      order: label.order,
      value,
      low: low?.[i] ?? undefined,
      high: high?.[i] ?? undefined,
    });
  }
  return places.sort((a, b) => a.order.localeCompare(b.order)).map(({ order: _, ...p }) => p);
}

const lastOf = (periods: string[], tail: string) => periods.findLastIndex((p) => p.endsWith(tail));

function labelOf(name: string, period: string, place: number): { name: string; order: string } {
  const numbered = { name: String(place + 1), order: String(place).padStart(6, "0") };
  const at = new Date(period.length > 10 ? `${period.replace(" ", "T")}Z` : period);
  if (Number.isNaN(at.getTime())) return numbered;
  const weekday = (at.getUTCDay() + 6) % 7;
  const clock = period.slice(11, 16);
  if (name === "day" && clock) return { name: clock, order: clock };
  if (name === "week" || name === "season of 7")
    return {
      name: `${weekdays[weekday] ?? ""}${clock ? ` ${clock}` : ""}`,
      order: `${weekday} ${clock}`,
    };
  if (name === "year" || name === "season of 12" || name === "season of 52")
    return { name: months[at.getUTCMonth()] ?? "", order: period.slice(5) };
  return numbered;
}

/** What an event does on weekends is told beside working days, and on Sundays beside Saturdays. */
const beside: [ending: string, words: string][] = [
  [" on a weekend", "weekends beside other days"],
  [" on a Sunday rather than a Saturday", "Sundays beside Saturdays"],
];

/** "Longest Night -1" is the day before it; what an event does needs no "an occurrence". */
export function inWords(b: { name: string; per: string }): string {
  for (const [ending, words] of beside)
    if (b.per.startsWith("an occurrence, beside") && b.name.endsWith(ending))
      return `${inWords({ name: b.name.slice(0, -ending.length), per: "an occurrence" })}, ${words}`;
  const around = /^(.*) ([+-])(\d+)$/.exec(b.name);
  if (around) {
    const [, name, sign, n] = around;
    const days = n === "1" ? "the day" : `${n} days`;
    return `${days} ${sign === "-" ? "before" : "after"} ${name}`;
  }
  return b.per === "an occurrence" ? b.name : `${b.name}, ${b.per}`;
}
