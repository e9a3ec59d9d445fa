import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { api, type Schemas, take } from "../../api/client";
import { count, figure, when } from "../../format";
import { Button, Select } from "../../ui/controls";
import { Modal, Section, Trouble, Waiting } from "../../ui/page";
import { Table } from "../../ui/table";
import type { Dataset } from "./use-dataset";

/** Every load of a dataset; any two can be compared, and the newest taken back. */
export function Revisions({ dataset }: { dataset: Dataset }) {
  const revisions = dataset.revisions ?? [];
  const [newest, before] = revisions;
  return (
    <Section title="Revisions">
      <Table
        label="Revisions"
        rows={revisions}
        keyOf={(r) => String(r.number)}
        selected={(r) => r.number === dataset.revision}
        columns={[
          {
            head: "Revision",
            cell: (r) => (
              <Link to={`/data/${encodeURIComponent(dataset.name)}?revision=${r.number}`}>
                {r.number === dataset.revision ? `${r.number}, shown` : `${r.number}, show`}
              </Link>
            ),
          },
          { head: "Loaded", cell: (r) => when(r.loaded) },
          { head: "Source", cell: (r) => <span className="inline-block max-w-80 truncate">{r.source}</span> },
          { head: "Rows", right: true, cell: (r) => figure(r.rows) },
          { head: "New series", right: true, cell: (r) => figure(r.changes.new_series) },
          { head: "New periods", right: true, cell: (r) => figure(r.changes.new_periods) },
          { head: "New values", right: true, cell: (r) => figure(r.changes.new_values) },
          { head: "Restated", right: true, cell: (r) => figure(r.changes.restated_count) },
          { head: "Content hash", cell: (r) => <code>{r.hash.slice(0, 12)}</code> },
        ]}
      />
      {newest && before && (
        <>
          <Compare
            key={newest.number}
            name={dataset.name}
            revisions={revisions}
            newest={[before.number, newest.number]}
          />
          <TakeBack name={dataset.name} newest={newest} />
        </>
      )}
    </Section>
  );
}

/** What tells two revisions apart; at first the newest from the one before. */
function Compare({
  name,
  revisions,
  newest,
}: {
  name: string;
  revisions: Schemas["Revision"][];
  newest: [number, number];
}) {
  const [from, setFrom] = useState(newest[0]);
  const [to, setTo] = useState(newest[1]);
  const { data, error } = useQuery({
    queryKey: ["difference", name, from, to],
    queryFn: () =>
      take(
        api.GET("/datasets/{dataset}/difference", {
          params: { path: { dataset: name }, query: { from, to } },
        }),
      ),
    enabled: from !== to,
  });
  const options = revisions.map((r) => ({ value: String(r.number), text: `revision ${r.number}` }));
  return (
    <>
      <div className="flex items-end gap-3">
        <Select
          label="What changed from"
          value={String(from)}
          onChange={(v) => setFrom(Number(v))}
          options={options}
        />
        <Select label="to" value={String(to)} onChange={(v) => setTo(Number(v))} options={options} />
      </div>
      {from === to ? (
        <p className="text-soft">The same revision twice: choose two.</p>
      ) : error ? (
        <Trouble error={error} />
      ) : data ? (
        <Difference of={data} />
      ) : (
        <Waiting what="what changed" />
      )}
    </>
  );
}

function Difference({ of }: { of: Schemas["Difference"] }) {
  const restated = of.restated ?? [];
  const said = [
    of.new_series > 0 && `${count(of.new_series, "series")} more`,
    of.gone_series > 0 && `${count(of.gone_series, "series")} fewer`,
    of.new_periods > 0 && `${count(of.new_periods, "period")} more`,
    of.new_values > 0 && `${count(of.new_values, "value")} more`,
    of.gone_values > 0 && `${count(of.gone_values, "value")} gone`,
    of.restated_count > 0 && `${count(of.restated_count, "value")} restated`,
  ].filter(Boolean);
  return (
    <>
      <p>
        {said.length === 0
          ? `Revisions ${of.from} and ${of.to} hold the same values.`
          : `From revision ${of.from} to ${of.to}: ${said.join(", ")}.`}
      </p>
      <Names lead="New series" list={of.added} all={of.new_series} />
      <Names lead="Series that are gone" list={of.removed} all={of.gone_series} />
      {restated.length > 0 && (
        <details>
          <summary className="cursor-pointer text-copper">Restated values, old and new</summary>
          <Table
            label="Restated values"
            rows={restated}
            keyOf={(r) => `${r.series} ${r.period}`}
            columns={[
              { head: "Series", cell: (r) => r.series },
              { head: "Period", cell: (r) => r.period },
              { head: "Old", right: true, cell: (r) => figure(r.old) },
              { head: "New", right: true, cell: (r) => figure(r.new) },
            ]}
          />
          {of.restated_count > restated.length && (
            <p className="text-soft">
              The first {restated.length} of {figure(of.restated_count)}.
            </p>
          )}
        </details>
      )}
    </>
  );
}

function Names({ lead, list, all }: { lead: string; list?: string[]; all: number }) {
  if (!list?.length) return null;
  const shown = list.slice(0, 12);
  return (
    <p className="text-soft">
      {lead}: {shown.join("; ")}
      {all > shown.length && ` and ${figure(all - shown.length)} more`}.
    </p>
  );
}

/** Takes the newest revision back, once it has been said what goes with it. */
function TakeBack({ name, newest }: { name: string; newest: Schemas["Revision"] }) {
  const [open, setOpen] = useState(false);
  const queries = useQueryClient();
  const navigate = useNavigate();
  const undo = useMutation({
    mutationFn: () =>
      take(
        api.DELETE("/datasets/{dataset}/revisions/{revision}", {
          params: { path: { dataset: name, revision: newest.number } },
        }),
      ),
    onSuccess: (now) => {
      setOpen(false);
      // Flags, live scores and lists stood on it too: they are read again when next looked at, for
      // asking at once would ask for the revision that is gone.
      queries.setQueryData(["dataset", name, 0], now);
      queries.invalidateQueries({ refetchType: "none" });
      navigate(`/data/${encodeURIComponent(name)}`, { replace: true });
    },
  });
  const change = (on: boolean) => {
    undo.reset();
    setOpen(on);
  };
  return (
    <div>
      <Modal
        title={`Take back revision ${newest.number}`}
        open={open}
        change={change}
        trigger={<Button weak>Take back revision {newest.number} …</Button>}
      >
        <div className="flex flex-col gap-3">
          <p>
            {newest.source}, loaded on {when(newest.loaded)}, goes with its{" "}
            {figure(newest.changes.new_values)} new and {figure(newest.changes.restated_count)} restated
            values; {name} is then as revision {newest.number - 1} left it. Open flags that only its values
            raised go too. To have it again, load the file again.
          </p>
          {undo.error && <Trouble error={undo.error} />}
          <div className="flex gap-3">
            <Button onClick={() => undo.mutate()} disabled={undo.isPending}>
              Take it back
            </Button>
            <Button weak onClick={() => change(false)}>
              Keep it
            </Button>
          </div>
        </div>
      </Modal>
    </div>
  );
}
