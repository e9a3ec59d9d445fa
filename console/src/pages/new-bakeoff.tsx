import { useMutation, useQuery } from "@tanstack/react-query";
import { Plus, Trash2 } from "lucide-react";
import { useDeferredValue, useState } from "react";
import { useNavigate, useSearchParams } from "react-router";
import { api, type Schemas, take } from "../api/client";
import { SplitBars } from "../chart/split-bar";
import { count, figure } from "../format";
import { Button, Input, Select } from "../ui/controls";
import { Empty, Lead, Page, Section, Trouble, Waiting } from "../ui/page";
import { SplitNotes } from "./bakeoff/page";
import { useDatasets } from "./data";
import { LoadDialog } from "./load-dialog";

type Plan = Schemas["Plan"];
type Contender = Schemas["Contender"];
type Family = Schemas["Family"];

/** What a newcomer would try first: two seasons ahead for short ones, one for long. */
const usualHorizon: Record<string, number> = { hour: 48, day: 28, week: 8, month: 12, quarter: 4, year: 3 };

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

/** What most bake-offs start with: two baselines, what often wins, and a blend of them. */
const usualContenders = ["naive", "seasonal-naive", "smoothing", "theta", "automatic", "blend"];

const wholeNumber = (text: string) => (/^\d+$/.test(text.trim()) ? Number(text) : 0);

function Form({ datasets, families }: { datasets: Schemas["Dataset"][]; families: Family[] }) {
  const [params] = useSearchParams();
  const [dataset, setDataset] = useState(params.get("dataset") ?? datasets[0]?.name ?? "");
  const cadence = datasets.find((d) => d.name === dataset)?.cadence ?? "day";
  const [name, setName] = useState("");
  const [horizon, setHorizon] = useState(String(usualHorizon[cadence.split("-")[0] ?? ""] ?? 12));
  const [windows, setWindows] = useState("3");
  const [stride, setStride] = useState("");
  const [sliding, setSliding] = useState("");
  const [gap, setGap] = useState("");
  const [refit, setRefit] = useState("");
  const [weights, setWeights] = useState("");
  const [ahead, setAhead] = useState<Record<string, string>>({});
  const [gaps, setGaps] = useState<Record<string, string>>({});
  const drivers = datasets.find((d) => d.name === dataset)?.drivers ?? [];
  const unknownAhead = (datasets.find((d) => d.name === dataset)?.drivers ?? []).filter(
    (d) => !d.known_ahead,
  );
  const [metric, setMetric] = useState("");
  const [levels, setLevels] = useState("80, 95");
  const [seed, setSeed] = useState("1");
  const [contenders, setContenders] = useState<Contender[]>(
    families.filter((f) => usualContenders.includes(f.name)).map((f) => ({ family: f.name, settings: {} })),
  );
  const navigate = useNavigate();

  const plan: Plan = {
    name: name || undefined,
    dataset,
    horizon: wholeNumber(horizon),
    windows: wholeNumber(windows) || 1,
    stride: wholeNumber(stride) || undefined,
    history: sliding ? `sliding:${sliding}` : "expanding",
    gap: wholeNumber(gap) || undefined,
    refit: refit.trim() || undefined,
    weights: weights.trim() || undefined,
    drivers_ahead: Object.fromEntries(
      unknownAhead.flatMap((d) => (ahead[d.name] ? [[d.name, ahead[d.name] as string]] : [])),
    ),
    driver_gaps: Object.fromEntries(
      drivers.flatMap((d) => (gaps[d.name]?.trim() ? [[d.name, gaps[d.name]?.trim() as string]] : [])),
    ),
    metric: metric.trim() || undefined,
    levels: levels
      .split(/[\s,]+/)
      .filter(Boolean)
      .map(Number),
    seed: wholeNumber(seed),
    contenders: named(contenders),
  };
  const asked = useDeferredValue(JSON.stringify(plan));
  const split = useQuery({
    queryKey: ["split", asked],
    queryFn: () => take(api.POST("/split", { body: JSON.parse(asked) as Plan })),
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
            ? `${count(contenders.length, "contender")} will forecast ${count(split.data.windows.length, "window")} of ${plan.horizon} periods: ${figure(split.data.fits)} models to train.`
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
            value={dataset}
            onChange={setDataset}
            options={datasets.map((d) => ({ value: d.name, text: `${d.name} (${d.cadence})` }))}
          />
          <Input label="Horizon, in periods" value={horizon} onChange={setHorizon} width="w-32" />
          <Input label="Windows" value={windows} onChange={setWindows} width="w-24" hint="1 is a holdout" />
          <Input label="Stride" value={stride} onChange={setStride} width="w-24" placeholder={horizon} />
          <Input
            label="Last periods to train on"
            value={sliding}
            onChange={setSliding}
            width="w-40"
            placeholder="all of them"
          />
          <Input label="Gap" value={gap} onChange={setGap} width="w-16" placeholder="0" />
          <Input
            label="Train"
            value={refit}
            onChange={setRefit}
            width="w-28"
            placeholder="every window"
            hint="every:N or once"
          />
          <Input label="Ranked by" value={metric} onChange={setMetric} width="w-24" placeholder="mase" />
          <Input
            label="Weights"
            value={weights}
            onChange={setWeights}
            width="w-28"
            placeholder="none"
            hint="volume:28"
          />
          {unknownAhead.map((d) => (
            <Select
              key={d.name}
              label={`${d.name}, past the origin`}
              value={ahead[d.name] ?? "drop"}
              onChange={(v) => setAhead({ ...ahead, [d.name]: v })}
              options={[
                { value: "drop", text: "dropped" },
                { value: "lag", text: "lagged" },
                { value: "forecast", text: "forecast" },
              ]}
            />
          ))}
          {drivers.map((d, i) => (
            <Input
              key={d.name}
              label={`${d.name}, where unknown`}
              value={gaps[d.name] ?? ""}
              onChange={(v) => setGaps({ ...gaps, [d.name]: v })}
              width="w-36"
              placeholder="automatic"
              hint={i === 0 ? "hold, usual, a number or refuse" : undefined}
            />
          ))}
          <Input label="Levels, in per cent" value={levels} onChange={setLevels} width="w-28" />
          <Input label="Seed" value={seed} onChange={setSeed} width="w-20" />
          <Input label="Name" value={name} onChange={setName} placeholder={`${dataset}, ${horizon} ahead`} />
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
      <Contenders families={families} list={contenders} change={setContenders} />
    </form>
  );
}

/** A family entered twice is told apart by its settings. */
function named(list: Contender[]): Contender[] {
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

type ContendersProps = { families: Family[]; list: Contender[]; change: (c: Contender[]) => void };

function Contenders({ families, list, change }: ContendersProps) {
  const set = (i: number, c: Contender) => change(list.map((x, j) => (i === j ? c : x)));
  return (
    <Section
      title="Contenders"
      aside={
        <Select
          label="Add a contender"
          hideLabel
          placeholder="Add a contender"
          value=""
          onChange={(f) => change([...list, { family: f, settings: {} }])}
          options={families.map((f) => ({ value: f.name, text: f.name }))}
        />
      }
    >
      <ul className="flex flex-col">
        {list.map((c, i) => {
          const family = families.find((f) => f.name === c.family);
          return (
            // biome-ignore lint/suspicious/noArrayIndexKey: a contender has no other identity while it is edited
            <li key={i} className="flex flex-wrap items-center gap-4 border-b border-rule/60 py-2">
              <span className="w-36 font-medium">{c.family}</span>
              <span className="w-[28rem] max-w-full text-[13px] text-soft">{family?.summary}</span>
              <SettingFields
                settings={family?.settings ?? []}
                values={c.settings ?? {}}
                change={(settings) => set(i, { ...c, settings })}
              />
              <span className="flex-1" />
              <Button
                weak
                onClick={() => change(list.filter((_, j) => j !== i))}
                aria-label={`Remove ${c.family}`}
              >
                <Trash2 size={13} aria-hidden /> Remove
              </Button>
            </li>
          );
        })}
      </ul>
      {list.length === 0 && (
        <p className="text-soft">
          <Plus size={13} aria-hidden className="inline" /> Add at least one contender.
        </p>
      )}
    </Section>
  );
}

type FieldsProps = {
  settings: Schemas["Setting"][];
  values: Record<string, unknown>;
  change: (values: Record<string, unknown>) => void;
};

/** A family's fields; where there are many, behind a click that says which are set. */
function SettingFields({ settings, values, change }: FieldsProps) {
  const fields = settings.map((s) => (
    <SettingField
      key={s.name}
      setting={s}
      value={String(values[s.name] ?? "")}
      onChange={(v) => change({ ...values, [s.name]: v })}
    />
  ));
  if (settings.length <= 2) return fields;
  const given = Object.entries(values).filter(([, v]) => v !== "" && v != null);
  return (
    <details className="text-[13px]">
      <summary className="cursor-pointer text-copper">
        {given.length > 0
          ? given.map(([k, v]) => `${k} ${v}`).join(", ")
          : `${settings.length} settings, all automatic`}
      </summary>
      <div className="flex flex-wrap gap-4 py-2">{fields}</div>
    </details>
  );
}

type FieldProps = { setting: Schemas["Setting"]; value: string; onChange: (v: string) => void };

/** A setting's field comes from its description in the catalogue alone. */
function SettingField({ setting, value, onChange }: FieldProps) {
  if (setting.kind === "choice" || setting.kind === "switch") {
    const choices = setting.kind === "switch" ? ["true", "false"] : (setting.choices ?? []);
    return (
      <Select
        label={`${setting.name}: ${setting.meaning}`}
        value={value || "*"}
        onChange={(v) => onChange(v === "*" ? "" : v)}
        options={[
          { value: "*", text: setting.default === undefined ? "automatic" : String(setting.default) },
          ...choices.map((c) => ({ value: c, text: c })),
        ]}
      />
    );
  }
  return (
    <Input
      label={`${setting.name}: ${setting.meaning}`}
      value={value}
      onChange={onChange}
      placeholder={setting.default === undefined ? "automatic" : String(setting.default)}
      width="w-44"
    />
  );
}
