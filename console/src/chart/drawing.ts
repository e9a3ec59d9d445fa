/** What a time chart shows. Indices count the periods from 0. */
export type Drawing = {
  periods: string[];
  unit: string;
  actual: (number | null)[];
  lines: Line[];
  bands: Band[];
  tints: Tint[];
  rings: Ring[];
  /** First and last index shown at the start. */
  view: [number, number];
};

export type Line = { name: string; hue: string; start: number; values: number[] };

/** An interval, wider levels first, so that narrower ones lie on top. */
export type Band = {
  name: string;
  hue: string;
  start: number;
  low: number[];
  high: number[];
  strength: number;
};

/** An assessed window behind the chart, with its origin as a labelled hairline. */
export type Tint = { from: number; to: number; origin: string };

export type Ring = { index: number; value: number; label: string };
