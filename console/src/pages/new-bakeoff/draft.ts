import type { Schemas } from "../../api/client";

export type Contender = Schemas["Contender"];
export type Family = Schemas["Family"];

/** A plan as it is typed, before it is one. */
export type Draft = {
  dataset: string;
  name: string;
  horizon: string;
  windows: string;
  stride: string;
  /** What windows count back from; empty for the end of the data. */
  ends: string;
  sliding: string;
  gap: string;
  refit: string;
  /** What families learn from; empty for the past without mistakes. */
  past: string;
  /** Whose drivers count beside a series' own; empty for what the data tells. */
  neighbours: string;
  /** Which drivers count for what follows, as price:1; empty for what the data tells. */
  carryOver: string;
  weights: string;
  metric: string;
  levels: string;
  seed: string;
  /** Rules for drivers that are not known ahead, and for unknown values, by driver. */
  ahead: Record<string, string>;
  gaps: Record<string, string>;
  contenders: Contender[];
};

export type Field = {
  [K in keyof Draft]: Draft[K] extends string ? K : never;
}[keyof Draft];

export type Change =
  | { set: Field; value: string }
  | { ahead: string; rule: string }
  | { gaps: string; rule: string }
  | { contenders: Contender[] };

/** What a newcomer would try first: two seasons ahead for short ones, one for long. */
const usualHorizon: Record<string, number> = { hour: 48, day: 28, week: 8, month: 12, quarter: 4, year: 3 };

/** What most bake-offs start with: two baselines, what often wins, and a blend of them. */
const usualContenders = ["naive", "seasonal-naive", "smoothing", "theta", "automatic", "blend"];

export const begin = (dataset: string, cadence: string | undefined, families: Family[]): Draft => ({
  dataset,
  name: "",
  horizon: String(usualHorizon[(cadence ?? "day").split(" ")[0] ?? ""] ?? 12),
  windows: "3",
  stride: "",
  ends: "",
  sliding: "",
  gap: "",
  refit: "",
  past: "",
  neighbours: "",
  carryOver: "",
  weights: "",
  metric: "",
  levels: "80, 95",
  seed: "1",
  ahead: {},
  gaps: {},
  contenders: families
    .filter((f) => usualContenders.includes(f.name))
    .map((f) => ({ family: f.name, settings: {} })),
});

export function reduce(draft: Draft, change: Change): Draft {
  if ("set" in change) return { ...draft, [change.set]: change.value };
  if ("ahead" in change) return { ...draft, ahead: { ...draft.ahead, [change.ahead]: change.rule } };
  if ("gaps" in change) return { ...draft, gaps: { ...draft.gaps, [change.gaps]: change.rule } };
  return { ...draft, contenders: change.contenders };
}

const wholeNumber = (text: string) => (/^\d+$/.test(text.trim()) ? Number(text) : 0);

const orNone = (text: string) => text.trim() || undefined;

/** The plan that a draft stands for, on a dataset with some drivers. */
export function planOf(draft: Draft, drivers: Schemas["Driver"][]): Schemas["Plan"] {
  const rules = (given: Record<string, string>, of: Schemas["Driver"][]) =>
    Object.fromEntries(
      of.flatMap((d) => (given[d.name]?.trim() ? [[d.name, given[d.name]?.trim() ?? ""]] : [])),
    );
  return {
    name: draft.name || undefined,
    dataset: draft.dataset,
    horizon: wholeNumber(draft.horizon),
    windows: wholeNumber(draft.windows) || 1,
    stride: wholeNumber(draft.stride) || undefined,
    ends: orNone(draft.ends),
    history: draft.sliding ? `sliding:${draft.sliding}` : "expanding",
    gap: wholeNumber(draft.gap) || undefined,
    refit: orNone(draft.refit),
    past: orNone(draft.past),
    neighbours: orNone(draft.neighbours),
    carry_over: orNone(draft.carryOver),
    weights: orNone(draft.weights),
    drivers_ahead: rules(
      draft.ahead,
      drivers.filter((d) => !d.known_ahead),
    ),
    driver_gaps: rules(draft.gaps, drivers),
    metric: orNone(draft.metric),
    levels: draft.levels
      .split(/[\s,]+/)
      .filter(Boolean)
      .map(Number),
    seed: wholeNumber(draft.seed),
    contenders: named(draft.contenders),
  };
}

/** A family entered twice is told apart by its settings. */
export function named(list: Contender[]): Contender[] {
  return list.map((c) => {
    const settings = Object.entries(c.settings ?? {}).filter(([, v]) => v !== "" && v != null);
    const suffix = settings.map(([k, v]) => `${k}=${v}`).join(",");
    // Several values apart by bars are tried on inner windows.
    const tried = settings.filter(([, v]) => String(v).includes("|"));
    const values = (v: unknown) =>
      String(v)
        .split("|")
        .map((x) => x.trim())
        .filter(Boolean);
    return {
      family: c.family,
      name: suffix ? `${c.family}:${suffix}` : c.family,
      settings: Object.fromEntries(settings.filter(([, v]) => !String(v).includes("|"))),
      ...(tried.length > 0
        ? { tune: { settings: Object.fromEntries(tried.map(([k, v]) => [k, values(v)])) } }
        : {}),
    };
  });
}
