import { useQueryClient } from "@tanstack/react-query";
import { Upload } from "lucide-react";
import { Dialog } from "radix-ui";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, take } from "../api/client";
import { Button, Input, Select } from "../ui/controls";
import { Trouble } from "../ui/page";

/** The part that a column of the file plays. */
type Part = "time" | "measure" | "attribute" | "driver" | "driver known ahead" | "left out";
const parts: Part[] = ["time", "measure", "attribute", "driver", "driver known ahead", "left out"];

/** Reads the names in the first line; the service reads the file itself. */
async function headerOf(file: File): Promise<string[]> {
  const text = await file.slice(0, 1 << 16).text();
  const line = text.replace(/^\uFEFF/, "").split(/\r?\n/, 1)[0] ?? "";
  return line.split(",").map((n) => n.trim().replace(/^"|"$/g, ""));
}

function guess(name: string, place: number): Part {
  if (place === 0 || /^(date|day|week|month|quarter|year|time|period)$/i.test(name)) return "time";
  return "attribute";
}

export function LoadDialog() {
  const [open, setOpen] = useState(false);
  return (
    <Dialog.Root open={open} onOpenChange={setOpen}>
      <Dialog.Trigger asChild>
        <Button>
          <Upload size={14} aria-hidden /> Load a file
        </Button>
      </Dialog.Trigger>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-10 bg-black/30" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-1/2 left-1/2 z-10 max-h-[90vh] w-[620px] max-w-[95vw] -translate-1/2 overflow-auto border border-rule bg-paper p-5"
        >
          <Dialog.Title className="mb-3 text-[17px] font-medium">Load a CSV file</Dialog.Title>
          <LoadForm done={() => setOpen(false)} />
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

function LoadForm({ done }: { done: () => void }) {
  const [file, setFile] = useState<File>();
  const [name, setName] = useState("");
  const [roles, setRoles] = useState<[string, Part][]>([]);
  const [gaps, setGaps] = useState<"unknown" | "zero" | "carry">("unknown");
  const [busy, setBusy] = useState(false);
  const [error, setError] = useState<unknown>();
  const queries = useQueryClient();
  const navigate = useNavigate();

  async function choose(chosen: File | undefined) {
    if (!chosen) return;
    const header = await headerOf(chosen);
    setFile(chosen);
    setName((n) => n || chosen.name.replace(/\.[^.]*$/, ""));
    setRoles(header.map((h, i) => [h, guess(h, i)]));
  }

  const of = (part: Part) => roles.filter(([, p]) => p === part).map(([n]) => n);
  const ahead = of("driver known ahead");
  const drivers = [...of("driver"), ...ahead];
  const missing = !file
    ? "Choose a file."
    : of("time").length !== 1
      ? "Say which one column is the time."
      : of("measure").length !== 1
        ? "Say which one column is the measure."
        : "";

  async function load() {
    setBusy(true);
    setError(undefined);
    try {
      await take(
        api.POST("/datasets/{dataset}/loads", {
          params: {
            path: { dataset: name },
            query: {
              time: of("time")[0],
              measure: of("measure")[0],
              by: of("attribute"),
              driver: drivers,
              known_ahead: ahead,
              gaps,
              file: file?.name,
            },
            querySerializer: undefined,
          } as never,
          querySerializer: { array: { style: "form", explode: false } },
          body: file as never,
          bodySerializer: (b: unknown) => b as never,
          headers: { "Content-Type": "text/csv" },
        }),
      );
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
      className="flex flex-col gap-3"
      onSubmit={(e) => {
        e.preventDefault();
        load();
      }}
    >
      <label className="flex flex-col gap-1 text-[13px] text-soft">
        File
        <input
          type="file"
          accept=".csv,text/csv"
          onChange={(e) => choose(e.target.files?.[0])}
          className="text-ink"
        />
      </label>
      {file && (
        <>
          <div className="flex flex-wrap gap-3">
            <Input label="Name of the dataset" value={name} onChange={setName} />
            <Select
              label="A period without a row"
              value={gaps}
              onChange={(v) => setGaps(v as typeof gaps)}
              options={[
                { value: "unknown", text: "is unknown" },
                { value: "zero", text: "means zero" },
                { value: "carry", text: "repeats the one before" },
              ]}
            />
          </div>
          <ul className="grid grid-cols-2 gap-2">
            {roles.map(([column, part]) => (
              <li
                key={column}
                className="flex items-center justify-between gap-2 border-b border-rule/60 pb-1"
              >
                <span>{column}</span>
                <Select
                  label={`Part of ${column}`}
                  hideLabel
                  value={part}
                  onChange={(v) => setRoles(roles.map(([n, p]) => [n, n === column ? (v as Part) : p]))}
                  options={parts.map((p) => ({ value: p, text: p }))}
                />
              </li>
            ))}
          </ul>
        </>
      )}
      {error !== undefined && <Trouble error={error} />}
      <div className="flex items-center gap-3">
        <Button type="submit" disabled={busy || missing !== "" || name === ""}>
          {busy ? "Loading …" : "Load"}
        </Button>
        <span className="text-soft">{missing}</span>
      </div>
    </form>
  );
}
