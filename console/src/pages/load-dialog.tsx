import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Upload } from "lucide-react";
import { useEffect, useId, useState } from "react";
import { useNavigate } from "react-router";
import { api, type Schemas, take } from "../api/client";
import { inspect, load, names, type Wish } from "../api/files";
import { count, figure } from "../format";
import { Button, Input, Select } from "../ui/controls";
import { Cautions, Modal, Trouble } from "../ui/page";
import { Table } from "../ui/table";
import { QuickLook } from "./quick-look";

type Inspected = Schemas["Inspected"];
type Part = "time" | "measure" | "attribute" | "driver" | "driver known ahead" | "left out";
const parts: Part[] = ["time", "measure", "attribute", "driver", "driver known ahead", "left out"];

export function LoadDialog() {
  const [open, setOpen] = useState(false);
  return (
    <Modal
      title="Load a file"
      open={open}
      change={setOpen}
      width="w-[980px]"
      trigger={
        <Button>
          <Upload size={14} aria-hidden /> Load a file
        </Button>
      }
    >
      <Wizard done={() => setOpen(false)} />
    </Modal>
  );
}

/** Drop a file, see it understood, correct, check, load. */
function Wizard({ done }: { done: () => void }) {
  const [file, setFile] = useState<File>();
  const [name, setName] = useState("");
  const [wish, setWish] = useState<Wish>({});
  const [seen, setSeen] = useState<Inspected>();
  const [error, setError] = useState<unknown>();
  const [busy, setBusy] = useState(false);
  const queries = useQueryClient();
  const navigate = useNavigate();

  function choose(chosen: File | undefined, connection?: string) {
    if (!chosen) return;
    setFile(chosen);
    setWish(connection ? { connection } : {});
    setSeen(undefined);
    setName(chosen.name.replace(/\.[^.]*$/, ""));
  }

  useEffect(() => {
    if (!file) return;
    let late = false;
    setError(undefined);
    // A short wait, so that typing does not send the file at every key.
    const timer = setTimeout(() => {
      inspect(file, wish, name)
        .then((x) => !late && setSeen(x))
        .catch((e) => !late && setError(e));
    }, 250);
    return () => {
      late = true;
      clearTimeout(timer);
    };
  }, [file, wish, name]);

  async function start() {
    if (!file || !seen) return;
    setBusy(true);
    try {
      await load(name, file, settled(seen, wish));
      await queries.invalidateQueries({ queryKey: ["datasets"] });
      done();
      navigate(`/data/${encodeURIComponent(name)}`);
    } catch (e) {
      setError(e);
    } finally {
      setBusy(false);
    }
  }

  return (
    <form
      className="flex flex-col gap-4"
      onSubmit={(e) => {
        e.preventDefault();
        start();
      }}
      onDragOver={(e) => e.preventDefault()}
      onDrop={(e) => {
        e.preventDefault();
        choose(e.dataTransfer.files[0]);
      }}
    >
      <label className="flex flex-col gap-1 border border-dashed border-rule p-3 text-small text-soft">
        Drop a file here, or choose one: CSV, JSON Lines, XLSX or Parquet, packed or not
        <input type="file" onChange={(e) => choose(e.target.files?.[0])} className="text-ink" />
      </label>
      <Ask choose={choose} />
      {error !== undefined && <Trouble error={error} />}
      {seen && (
        <>
          <p>
            Read as {seen.form}.{" "}
            {seen.dataset &&
              `${figure(seen.rows)} rows make ${count(seen.dataset.series, "series")} by ${seen.dataset.cadence}, ${seen.dataset.first} to ${seen.dataset.last}.`}
          </p>
          {seen.changes && <Changes name={name} changes={seen.changes} asBefore={seen.as_before ?? []} />}
          {seen.problem && (
            <p role="alert" className="border-l-2 border-alarm pl-3">
              {seen.problem}
            </p>
          )}
          <Cautions list={seen.cautions} />
          <Readings readings={seen.readings ?? []} wish={wish} change={setWish} />
          <Parts seen={seen} wish={wish} change={setWish} />
          <details open={seen.problem && !seen.readings?.length ? true : undefined}>
            <summary className="cursor-pointer text-small text-soft">
              How it is read
              {given(wish) > 0 ? `: ${count(given(wish), "choice")} of yours` : ", all found out"}
            </summary>
            <div className="pt-2">
              <Choices wish={wish} change={setWish} />
            </div>
          </details>
          <Understood seen={seen} />
          {file && seen.dataset && (
            <QuickLook
              key={JSON.stringify(wish)}
              file={file}
              wish={settled(seen, wish)}
              dataset={seen.dataset}
            />
          )}
          <div className="flex items-end gap-3">
            <Input label="Name of the dataset" value={name} onChange={setName} />
            <Button type="submit" disabled={busy || !seen.dataset || name === ""}>
              {busy ? "Loading …" : "Load"}
            </Button>
          </div>
        </>
      )}
    </form>
  );
}

/** What a load does to a dataset that is there. */
function Changes({
  name,
  changes,
  asBefore,
}: {
  name: string;
  changes: Schemas["Changes"];
  asBefore: string[];
}) {
  const first = changes.restated?.[0];
  return (
    <p className="border-l-2 border-copper pl-3">
      {name} is there already: the file adds {count(changes.new_series, "series")},{" "}
      {count(changes.new_periods, "period")} and {count(changes.new_values, "value")}, and restates{" "}
      {count(changes.restated_count, "value")}
      {first
        ? ` (${first.series}, ${first.period}: ${figure(first.old)} becomes ${figure(first.new)}, for one)`
        : ""}
      .{asBefore.length > 0 && <span className="text-soft"> As loaded before: {asBefore.join("; ")}.</span>}
    </p>
  );
}

/** A query to a database instead of a file. */
function Ask({ choose }: { choose: (file: File, connection: string) => void }) {
  const [connection, setConnection] = useState("");
  const [sql, setSql] = useState("");
  const { data } = useQuery({
    queryKey: ["connections"],
    queryFn: () => take(api.GET("/connections")),
    retry: false,
  });
  const id = useId();
  const list = data?.items ?? [];
  return (
    <details>
      <summary className="cursor-pointer text-small text-copper">Or ask a database</summary>
      {list.length === 0 ? (
        <p className="text-small text-soft">
          None is known yet. An admin adds one:{" "}
          <code>
            paperkettle connection add warehouse postgresql://reader@host:5432/sales --secret-env
            PAPERKETTLE_WAREHOUSE
          </code>
        </p>
      ) : (
        <div className="flex items-end gap-3 pt-2">
          <Select
            label="Connection"
            value={connection || (list[0]?.name ?? "")}
            onChange={setConnection}
            options={list.map((c) => ({ value: c.name, text: c.name }))}
          />
          <span className="flex grow flex-col gap-0.5">
            <label htmlFor={id} className="text-small text-soft">
              Query
            </label>
            <textarea
              id={id}
              rows={3}
              value={sql}
              onChange={(e) => setSql(e.target.value)}
              placeholder="SELECT day, shop, sold FROM sales"
              className="border border-rule bg-sheet px-2 py-1.5 font-mono text-small"
            />
          </span>
          <Button
            weak
            disabled={sql.trim() === ""}
            onClick={() => choose(new File([sql], "query.sql"), connection || (list[0]?.name ?? ""))}
          >
            See what it gives
          </Button>
        </div>
      )}
    </details>
  );
}

/** The wish completed with what was found, so that the load reads as was shown. */
function settled(seen: Inspected, wish: Wish): Wish {
  const { time, measure, by, wide } = seen.proposal;
  return { ...wish, time, measure, by: by ?? [], wide };
}

/** What can be read in several ways is settled by a click. */
function Readings({ readings, wish, change }: ChangeProps & { readings: Schemas["Reading"][] }) {
  if (readings.length === 0) return null;
  return (
    <fieldset className="flex flex-wrap items-center gap-2">
      <legend className="sr-only">Ways to read it</legend>
      <span>Read it as</span>
      {readings.map((r) => (
        <Button key={r.value} weak onClick={() => change({ ...wish, [r.option]: r.value })}>
          {r.text}
        </Button>
      ))}
    </fieldset>
  );
}

type ChangeProps = { wish: Wish; change: (w: Wish) => void };

function partOf(column: Schemas["InspectedColumn"], wish: Wish, seen: Inspected): Part {
  const ahead = wish.known_ahead ?? seen.proposal.known_ahead ?? [];
  if (column.part === "driver" && ahead.includes(column.name)) return "driver known ahead";
  return column.part;
}

function Parts({ seen, wish, change }: ChangeProps & { seen: Inspected }) {
  if (seen.proposal.wide) {
    return (
      <p className="text-soft">A wide table: {count(seen.columns.length, "column")}, most of them periods.</p>
    );
  }
  function assign(name: string, part: Part) {
    const now = seen.columns.map((c) => [c.name, c.name === name ? part : partOf(c, wish, seen)] as const);
    const of = (...wanted: Part[]) => now.filter(([, p]) => wanted.includes(p)).map(([n]) => n);
    // A second time column takes the part from the first, but where several make the times together.
    const times = seen.columns.filter((c) => c.part === "time").map((c) => c.name);
    const rest = of("time");
    const same = rest.length === times.length && rest.every((n) => times.includes(n));
    const time = same ? seen.proposal.time : part === "time" ? name : rest[0];
    change({
      ...wish,
      time,
      measure: names(of("measure")),
      by: of("attribute"),
      drivers: of("driver", "driver known ahead"),
      known_ahead: of("driver known ahead"),
    });
  }
  return (
    <Table
      label="Columns"
      rows={seen.columns}
      keyOf={(c) => c.name}
      columns={[
        { head: "Column", cell: (c) => c.name },
        { head: "Holds", cell: (c) => c.kind },
        {
          head: "Part",
          cell: (c) => (
            <Select
              label={`Part of ${c.name}`}
              hideLabel
              value={partOf(c, wish, seen)}
              onChange={(v) => assign(c.name, v as Part)}
              options={parts.map((p) => ({ value: p, text: p }))}
            />
          ),
        },
        { head: "Samples", cell: (c) => <span className="text-soft">{c.samples.join(" | ")}</span> },
      ]}
    />
  );
}

const words = (list: string[], auto: string) => [
  { value: "*", text: auto },
  ...list.map((v) => ({ value: v, text: v })),
];

const choices: [
  keyof Wish &
    (
      | "cadence"
      | "first_day"
      | "date_order"
      | "decimal"
      | "delimiter"
      | "gaps"
      | "duplicates"
      | "aggregate"
      | "label"
      | "encoding"
    ),
  string,
  string[],
  string,
][] = [
  [
    "cadence",
    "Cadence",
    ["15min", "30min", "hour", "day", "week", "month", "quarter", "year", "number"],
    "found",
  ],
  [
    "first_day",
    "Weeks begin on",
    ["monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday"],
    "found",
  ],
  ["aggregate", "Aggregate to it by", ["sum", "mean", "last", "max", "min"], "not at all"],
  ["gaps", "A period without a row", ["unknown", "zero", "carry", "interpolate", "closed"], "unknown"],
  ["duplicates", "Duplicate rows", ["sum", "mean", "last", "max", "min"], "refused"],
  ["date_order", "Dates", ["day-first", "month-first"], "found"],
  ["decimal", "Decimal mark", ["point", "comma"], "found"],
  ["delimiter", "Fields apart by", ["comma", "semicolon", "tab", "pipe"], "found"],
  ["label", "A time names its period's", ["start", "end"], "found"],
  ["encoding", "Encoding", ["utf-8", "utf-16", "latin-1"], "found"],
];

const texts: [keyof Wish & ("zone" | "from" | "to" | "codes" | "sheet" | "floor"), string, string][] = [
  ["floor", "Floor", "none"],
  ["from", "From", "the first"],
  ["to", "To", "the last"],
  ["zone", "Zone of instants", "none"],
  ["codes", "Period codes", "none"],
  ["sheet", "Sheet", "the first"],
];

/** How many of the choices are made by hand. */
const given = (wish: Wish) =>
  [
    ...choices.map(([key]) => key),
    ...texts.map(([key]) => key),
    "header_row" as const,
    "where" as const,
  ].filter((key) => wish[key] !== undefined && wish[key] !== "").length;

function Choices({ wish, change }: ChangeProps) {
  return (
    <div className="flex flex-wrap gap-3">
      {choices.map(([key, label, list, auto]) => (
        <Select
          key={key}
          label={label}
          value={String(wish[key] || "*")}
          onChange={(v) => change({ ...wish, [key]: v === "*" ? undefined : v })}
          options={words(list, auto)}
        />
      ))}
      {texts.map(([key, label, auto]) => (
        <Input
          key={key}
          label={label}
          value={wish[key] ?? ""}
          onChange={(v) => change({ ...wish, [key]: v })}
          width="w-28"
          placeholder={auto}
        />
      ))}
      <Input
        label="Header row"
        type="number"
        min={1}
        value={wish.header_row ? String(wish.header_row) : ""}
        onChange={(v) => change({ ...wish, header_row: Number(v) || undefined })}
        width="w-28"
        placeholder="found"
      />
      <Input
        label="Only rows with"
        value={wish.where?.[0] ?? ""}
        onChange={(v) => change({ ...wish, where: v ? [v] : undefined })}
        width="w-40"
        placeholder="column=value"
      />
    </div>
  );
}

function Understood({ seen }: { seen: Inspected }) {
  if (!seen.first || !seen.dataset) return null;
  return (
    <details>
      <summary className="cursor-pointer text-small text-soft">
        The first values as understood, and {count(seen.checks?.length ?? 0, "check")}
      </summary>
      <Table
        label="First values"
        rows={seen.first}
        keyOf={(r) => `${r.series} ${r.period}`}
        columns={[
          { head: "Series", cell: (r) => r.series },
          { head: "Period", cell: (r) => r.period },
          { head: seen.dataset.measure, right: true, cell: (r) => figure(r.value) },
        ]}
      />
      <ul className="mt-2 text-small">
        {(seen.checks ?? []).map((c) => (
          <li key={c.kind}>
            <b className="font-medium">{c.kind}</b>: {count(c.series, "series")}, for one {c.example[0]},{" "}
            {c.meaning}.
          </li>
        ))}
      </ul>
    </details>
  );
}
