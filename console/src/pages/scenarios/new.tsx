import { useMutation, useQuery } from "@tanstack/react-query";
import { useId, useState } from "react";
import { useNavigate, useSearchParams } from "react-router";
import { api, type Schemas, take } from "../../api/client";
import { Button, Input, Select } from "../../ui/controls";
import { Lead, Page, Section, Trouble, Waiting } from "../../ui/page";
import { Grid } from "./grid";
import type { Value } from "./pasted";

type Case = { id: number; name: string; lines: string; values: Value[] };

const fresh = (id: number): Case => ({ id, name: "", lines: "", values: [] });

/** Asks what a release's forecast would be: cases of lines, and a grid for single values. */
export function NewScenarioPage() {
  const [params] = useSearchParams();
  const from = params.get("from") ?? "";
  const before = useQuery({
    queryKey: ["scenario", from],
    queryFn: () => take(api.GET("/scenarios/{scenario}", { params: { path: { scenario: from } } })),
    enabled: from !== "",
  });
  const releases = useQuery({
    queryKey: ["releases"],
    queryFn: () => take(api.GET("/releases", { params: { query: { limit: 1000 } } })),
  });
  const error = before.error ?? releases.error;
  return (
    <Page title="New scenario">
      <Lead>What would the forecast be if prices, promotions or events were others?</Lead>
      {error ? (
        <Trouble error={error} />
      ) : !releases.data || (from && !before.data) ? (
        <Waiting what="releases" />
      ) : (
        <Editor
          releases={releases.data.items.filter((r) => r.state !== "preparing" && r.state !== "failed")}
          start={before.data}
          wanted={before.data?.release ?? params.get("release") ?? ""}
        />
      )}
    </Page>
  );
}

type EditorProps = {
  releases: Schemas["Release"][];
  start: Schemas["Scenario"] | undefined;
  wanted: string;
};

function Editor({ releases, start, wanted }: EditorProps) {
  const navigate = useNavigate();
  const [release, setRelease] = useState(wanted || (releases[0]?.id ?? ""));
  const [name, setName] = useState(start?.name ?? "");
  const [fill, setFill] = useState("refuse");
  const [cases, setCases] = useState<Case[]>(
    start
      ? start.cases.map((c, id) => ({
          id,
          name: c.name ?? "",
          lines: (c.changes ?? []).join("\n"),
          values: (c.values ?? []).map((v) => ({ ...v, series: v.series ?? "" })),
        }))
      : [fresh(0)],
  );
  const run = useMutation({
    mutationFn: () =>
      take(
        api.POST("/scenarios", {
          body: {
            release,
            name: name || undefined,
            fill: fill === "refuse" ? undefined : (fill as "last" | "season" | "mean"),
            cases: cases.map((c) => ({
              name: c.name || undefined,
              changes: c.lines.split("\n").filter((l) => l.trim() !== ""),
              values: c.values.map((v) => ({ ...v, series: v.series || undefined })),
            })),
          },
        }),
      ),
    onSuccess: (s) => navigate(`/scenarios/${s.id}`),
  });
  const change = (id: number, by: Partial<Case>) =>
    setCases(cases.map((c) => (c.id === id ? { ...c, ...by } : c)));
  if (releases.length === 0) return <p>There is no release yet: publish one from a finished bake-off.</p>;
  return (
    <form
      className="flex flex-col gap-5"
      onSubmit={(e) => {
        e.preventDefault();
        run.mutate();
      }}
    >
      <div className="flex flex-wrap items-start gap-4">
        <Select
          label="Release"
          value={release}
          onChange={setRelease}
          options={releases.map((r) => ({ value: r.id, text: `${r.id}: ${r.contender} on ${r.dataset}` }))}
        />
        <Input
          label="Name of the scenario"
          value={name}
          onChange={setName}
          placeholder="the first case's"
          width="w-72"
        />
        <Select
          label="Drivers ahead that nobody gave"
          value={fill}
          onChange={setFill}
          options={[
            { value: "refuse", text: "refuse, with the list" },
            { value: "last", text: "last known value" },
            { value: "season", text: "same place of the last season" },
            { value: "mean", text: "mean of the last season" },
          ]}
        />
      </div>
      {cases.map((c, k) => (
        <CaseForm
          key={c.id}
          number={k + 1}
          release={release}
          item={c}
          change={(by) => change(c.id, by)}
          remove={cases.length > 1 ? () => setCases(cases.filter((x) => x.id !== c.id)) : undefined}
        />
      ))}
      <div className="flex gap-3">
        <Button weak onClick={() => setCases([...cases, fresh(1 + Math.max(...cases.map((c) => c.id)))])}>
          Add a case
        </Button>
        <Button type="submit" disabled={run.isPending}>
          Compare
        </Button>
      </div>
      {run.error && <Trouble error={run.error} />}
    </form>
  );
}

type CaseProps = {
  number: number;
  release: string;
  item: Case;
  change: (by: Partial<Case>) => void;
  remove: (() => void) | undefined;
};

function CaseForm({ number, release, item, change, remove }: CaseProps) {
  const id = useId();
  return (
    <Section
      title={item.name || `Case ${number}`}
      aside={
        remove && (
          <button type="button" className="text-copper underline" onClick={remove}>
            Remove the case
          </button>
        )
      }
    >
      <div className="flex flex-wrap items-start gap-4">
        <Input
          label="Name"
          value={item.name}
          onChange={(v) => change({ name: v })}
          placeholder="its first line"
          width="w-56"
        />
        <span className="flex min-w-96 flex-1 flex-col gap-0.5">
          <label htmlFor={id} className="text-small text-soft">
            Changes, a line each
          </label>
          <textarea
            id={id}
            rows={3}
            value={item.lines}
            onChange={(e) => change({ lines: e.target.value })}
            placeholder={
              "price +10 % from 2026-06-08\nno promotion in June\nevent Lantern Evening on 2026-06-20"
            }
            className="border border-rule bg-sheet px-2 py-1.5 font-mono text-small"
          />
          <span className="text-note text-soft">
            Drivers: +10 %, −5 %, +0.5, * 1.1 or = 3.2; then from, to or in a date, a month, week 12 or step
            3; then where town=…. “no NAME” sets a driver to 0 or takes an event away; “event NAME on DATE”
            adds one.
          </span>
        </span>
      </div>
      <details>
        <summary className="cursor-pointer text-small">
          Single values in a grid{item.values.length > 0 ? ` (${item.values.length} set)` : ""}
        </summary>
        <Grid release={release} values={item.values} change={(values) => change({ values })} />
      </details>
    </Section>
  );
}
