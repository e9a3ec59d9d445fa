import type { Schemas } from "../api/client";
import { count } from "../format";

/** The windows of a plan as bars over the dataset's axis, drawn before anything runs. */
export function SplitBars({ split }: { split: Schemas["Split"] }) {
  const share = (i: number) => `${(100 * i) / split.periods}%`;
  return (
    <figure className="flex flex-col gap-1" aria-label="Windows of the split">
      <ol className="flex flex-col gap-1">
        {split.windows.map((w) => (
          <li key={w.window} className="grid grid-cols-[5.5rem_1fr_25rem] items-center gap-3 text-small">
            <span>Window {w.window}</span>
            <span className="relative block h-4 border border-rule bg-sheet">
              <span
                className="absolute inset-y-0 bg-soft/45"
                style={{ left: share(w.train_index), width: share(w.origin_index + 1 - w.train_index) }}
              />
              <span
                className="absolute inset-y-0 bg-copper"
                style={{
                  left: share(w.origin_index + 1),
                  width: share(w.last_index - w.origin_index),
                  minWidth: 3,
                }}
              />
            </span>
            <span className="text-soft">
              origin {w.origin}, assessed to {w.assess_last}, {count(w.series, "series")}
            </span>
          </li>
        ))}
      </ol>
      <figcaption className="flex gap-4 text-note text-soft">
        <span>
          {split.first} to {split.last}
        </span>
        <span>
          <span aria-hidden className="mr-1 inline-block h-2.5 w-4 bg-soft/45" />
          trained on
        </span>
        <span>
          <span aria-hidden className="mr-1 inline-block h-2.5 w-4 bg-copper" />
          assessed
        </span>
      </figcaption>
    </figure>
  );
}
