import { useMutation, useQuery } from "@tanstack/react-query";
import { useDeferredValue, useReducer } from "react";
import { useNavigate, useSearchParams } from "react-router";
import { api, type Schemas, take } from "../../api/client";
import { SplitBars } from "../../chart/split-bar";
import { count, figure } from "../../format";
import { Button, Input, Select } from "../../ui/controls";
import { Empty, Lead, Page, Section, Trouble, Waiting } from "../../ui/page";
import { SplitNotes } from "../bakeoff/page";
import { useDatasets } from "../data";
import { LoadDialog } from "../load-dialog";
import { Contenders } from "./contenders";
import { begin, type Family, type Field, planOf, reduce } from "./draft";

export function NewBakeoffPage() {
  const datasets = useDatasets();
  const families = useQuery({ queryKey: ["families"], queryFn: () => take(api.GET("/families")) });
  const list = datasets.data?.items;
  const error = datasets.error ?? families.error;
  return (
    <Page title="New bake-off">
      {error ? (
        <Trouble error={error} />
      ) : !list || !families.data ? (
        <Waiting what="the catalogue" />
      ) : list.length === 0 ? (
        <>
          <Lead>A bake-off needs data first.</Lead>
          <Empty
            text="Load a table of series."
            command="paperkettle dataset load daily.csv --name daily --time date --measure orders"
            action={<LoadDialog />}
          />
        </>
      ) : (
        <Form datasets={list} families={families.data.items} />
      )}
    </Page>
  );
}

function Form({ datasets, families }: { datasets: Schemas["Dataset"][]; families: Family[] }) {
  const [params] = useSearchParams();
  const first = params.get("dataset") ?? datasets[0]?.name ?? "";
  const [draft, dispatch] = useReducer(reduce, undefined, () =>
    begin(first, datasets.find((d) => d.name === first)?.cadence, families),
  );
  const set = (field: Field) => (value: string) => dispatch({ set: field, value });
  const typed = (
    field: Field,
    label: string,
    more?: { width?: string; placeholder?: string; hint?: string },
  ) => <Input label={label} value={draft[field]} onChange={set(field)} {...more} />;
  const drivers = datasets.find((d) => d.name === draft.dataset)?.drivers ?? [];
  const navigate = useNavigate();
  const plan = planOf(draft, drivers);
  const asked = useDeferredValue(JSON.stringify(plan));
  const split = useQuery({
    queryKey: ["split", asked],
    queryFn: () => take(api.POST("/split", { body: JSON.parse(asked) as Schemas["Plan"] })),
    enabled: plan.horizon > 0,
    placeholderData: (before) => before,
    retry: false,
  });
  const start = useMutation({
    mutationFn: () => take(api.POST("/bakeoffs", { body: plan })),
    onSuccess: (b) => navigate(`/bakeoffs/${b.id}`),
  });

  return (
    <form
      className="flex flex-col gap-5"
      onSubmit={(e) => {
        e.preventDefault();
        start.mutate();
      }}
    >
      <div className="flex items-start gap-4">
        <Lead>
          {split.data && !split.error
            ? `${count(draft.contenders.length, "contender")} will forecast ${count(split.data.windows.length, "window")} of ${plan.horizon} periods: ${figure(split.data.fits)} models to train.`
            : "Say what is compared, and on which windows."}
        </Lead>
        <span className="flex-1" />
        <Button type="submit" disabled={start.isPending || !split.data || split.error !== null}>
          Run the bake-off
        </Button>
      </div>
      {start.error && <Trouble error={start.error} />}
      <Section title="Data and windows">
        <div className="flex flex-wrap gap-4">
          <Select
            label="Dataset"
            value={draft.dataset}
            onChange={set("dataset")}
            options={datasets.map((d) => ({ value: d.name, text: `${d.name} (${d.cadence})` }))}
          />
          {typed("horizon", "Horizon, in periods", { width: "w-32" })}
          {typed("windows", "Windows", { width: "w-24", hint: "1 is a holdout" })}
          {typed("stride", "Stride", { width: "w-24", placeholder: draft.horizon })}
          <Select
            label="Counted back from"
            value={draft.ends || "data"}
            onChange={(ends) => set("ends")(ends === "data" ? "" : ends)}
            options={[
              { value: "data", text: "the data's end" },
              { value: "own", text: "each series' own end" },
            ]}
          />
          {typed("sliding", "Last periods to train on", { width: "w-40", placeholder: "all of them" })}
          {typed("gap", "Gap", { width: "w-16", placeholder: "0" })}
          {typed("refit", "Train", { width: "w-28", placeholder: "every window", hint: "every:N or once" })}
          <Select
            label="Learn from"
            value={draft.past || "mended"}
            onChange={(past) => set("past")(past === "mended" ? "" : past)}
            options={[
              { value: "mended", text: "the past without mistakes" },
              { value: "as-loaded", text: "every value as loaded" },
            ]}
          />
          {typed("metric", "Ranked by", { width: "w-24", placeholder: "mase" })}
          {typed("weights", "Weights", { width: "w-28", placeholder: "none", hint: "volume:28" })}
          {drivers
            .filter((d) => !d.known_ahead)
            .map((d) => (
              <Select
                key={d.name}
                label={`${d.name}, past the origin`}
                value={draft.ahead[d.name] ?? "drop"}
                onChange={(rule) => dispatch({ ahead: d.name, rule })}
                options={[
                  { value: "drop", text: "dropped" },
                  { value: "lag", text: "lagged" },
                  { value: "forecast", text: "forecast" },
                ]}
              />
            ))}
          {drivers.some((d) => d.known_ahead) && (
            <>
              {typed("neighbours", "Neighbours", {
                width: "w-32",
                placeholder: "automatic",
                hint: "attributes, all or none",
              })}
              {typed("carryOver", "Carried over", {
                width: "w-32",
                placeholder: "automatic",
                hint: "price:1, or none",
              })}
            </>
          )}
          {drivers.map((d, i) => (
            <Input
              key={d.name}
              label={`${d.name}, where unknown`}
              value={draft.gaps[d.name] ?? ""}
              onChange={(rule) => dispatch({ gaps: d.name, rule })}
              width="w-36"
              placeholder="automatic"
              hint={i === 0 ? "hold, usual, a number or refuse" : undefined}
            />
          ))}
          {typed("levels", "Levels, in per cent", { width: "w-28" })}
          {typed("seed", "Seed", { width: "w-20" })}
          {typed("name", "Name", { placeholder: `${draft.dataset}, ${draft.horizon} ahead` })}
        </div>
      </Section>
      <Section title="Split">
        {split.error ? (
          <Trouble error={split.error} />
        ) : split.data ? (
          <>
            <SplitBars split={split.data} />
            <SplitNotes split={split.data} />
          </>
        ) : (
          <Waiting what="the split" />
        )}
      </Section>
      <Contenders
        families={families}
        list={draft.contenders}
        change={(contenders) => dispatch({ contenders })}
      />
    </form>
  );
}
