/** What a time chart shows. Indices count the periods from 0. */
export type Drawing = {
  periods: string[];
  unit: string;
  actual: (number | null)[];
  /** How the curve of the actuals is called; "actual" where left out. */
  actualName?: string;
  lines: Line[];
  bands: Band[];
  tints: Tint[];
  rings: Ring[];
  /** First and last index shown at the start. */
  view: [number, number];
  /** Curves of their own beneath the chart, one above the other. */
  panes?: Pane[];
  /** What happened when, as bars beneath the chart. */
  events?: Happening[];
};

export type Pane = { name: string; values: (number | null)[]; from?: number };

/** An event with its spans: first and last index, both included. */
export type Happening = { name: string; spans: [number, number][] };

export type Line = { name: string; hue: string; start: number; values: (number | null)[] };

/** An interval, wider levels first, so that narrower ones lie on top. */
export type Band = {
  name: string;
  hue: string;
  start: number;
  low: (number | null)[];
  high: (number | null)[];
  strength: number;
};

/** An assessed window behind the chart, with its origin as a labelled hairline. */
export type Tint = { from: number; to: number; origin: string };

export type Ring = { index: number; value: number; label: string };
