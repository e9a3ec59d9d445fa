import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, take } from "../../api/client";
import { count } from "../../format";
import { Button, Input } from "../../ui/controls";
import { Section, Trouble } from "../../ui/page";
import type { Dataset } from "./use-dataset";

/** Which periods are known not to happen, line by line; the latest revision's can be changed. */
export function Closed({ dataset, latest }: { dataset: Dataset; latest: boolean }) {
  const queries = useQueryClient();
  const [line, setLine] = useState("");
  const { data } = useQuery({
    queryKey: ["closed", dataset.name, dataset.revision],
    queryFn: () =>
      take(
        api.GET("/datasets/{dataset}/closed", {
          params: { path: { dataset: dataset.name }, query: { revision: dataset.revision } },
        }),
      ),
  });
  const write = useMutation({
    mutationFn: (lines: string[]) =>
      take(
        api.PUT("/datasets/{dataset}/closed", {
          params: { path: { dataset: dataset.name } },
          body: { lines },
        }),
      ),
    onSuccess: () => {
      setLine("");
      queries.invalidateQueries({ queryKey: ["dataset", dataset.name] });
    },
  });
  if (!data) return null;
  const lines = data.lines.map((l) => l.line);
  return (
    <Section title="Closed periods">
      <p className="text-soft">
        {lines.length === 0 ? "None: every period may happen. " : ""}
        Nothing is learnt from a closed period, forecast, scored or flagged there.
      </p>
      {lines.length > 0 && (
        <ul className="flex flex-col gap-1">
          {data.lines.map((l) => (
            <li key={l.line} className="flex items-baseline gap-3">
              <b className="font-medium">{l.line}</b>
              <span className="text-soft">
                holds for {l.series === l.of ? "all" : l.series} of {count(l.of, "series")}
              </span>
              {latest && (
                <button
                  type="button"
                  className="text-copper"
                  disabled={write.isPending}
                  onClick={() => write.mutate(lines.filter((x) => x !== l.line))}
                  aria-label={`Lift ${l.line}`}
                >
                  Lift
                </button>
              )}
            </li>
          ))}
        </ul>
      )}
      {latest && (
        <form
          className="flex items-end gap-3"
          onSubmit={(e) => {
            e.preventDefault();
            if (line.trim()) write.mutate([...lines, line.trim()]);
          }}
        >
          <Input
            label="A further line"
            value={line}
            onChange={setLine}
            width="w-72"
            placeholder="sunday, november to march, event …"
          />
          <Button weak type="submit" disabled={write.isPending || line.trim() === ""}>
            Close
          </Button>
        </form>
      )}
      {write.error && <Trouble error={write.error} />}
    </Section>
  );
}
