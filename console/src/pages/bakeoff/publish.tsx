import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Dialog } from "radix-ui";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, type Schemas, take } from "../../api/client";
import { count, span } from "../../format";
import { Button, Input, Select } from "../../ui/controls";
import { Cautions, Modal, Trouble, Waiting } from "../../ui/page";

type Bakeoff = Schemas["Bakeoff"];
type Consent = Schemas["Question"]["consent"];

/** Publishes a contender: what it would be, and what it needs consent for, before it is done. */
export function Publish({ bakeoff }: { bakeoff: Bakeoff }) {
  const [open, setOpen] = useState(false);
  return (
    <Modal
      title={`Publish from ${bakeoff.id}`}
      open={open}
      change={setOpen}
      trigger={<Button>Publish …</Button>}
    >
      <Form bakeoff={bakeoff} />
    </Modal>
  );
}

function Form({ bakeoff }: { bakeoff: Bakeoff }) {
  const [contender, setContender] = useState(bakeoff.leader ?? "best");
  const [horizon, setHorizon] = useState("");
  const [consent, setConsent] = useState<Consent[]>([]);
  const navigate = useNavigate();
  const queries = useQueryClient();
  const ask = {
    bakeoff: bakeoff.id,
    contender,
    ...(Number(horizon) > 0 ? { horizon: Number(horizon) } : {}),
  };
  const { data, error } = useQuery({
    queryKey: ["preview", ask],
    queryFn: () => take(api.POST("/releases/preview", { body: ask })),
    placeholderData: (before) => before,
  });
  const publish = useMutation({
    mutationFn: () => take(api.POST("/releases", { body: { ...ask, consent } })),
    onSuccess: (release) => {
      queries.invalidateQueries({ queryKey: ["releases"] });
      navigate(`/releases/${release.id}`);
    },
  });
  const names = [...bakeoff.plan.contenders.map((c) => c.name || c.family), "best-per-series"];
  const agreed = (data?.asks ?? []).every((q) => consent.includes(q.consent));
  return (
    <form
      className="flex flex-col gap-4"
      onSubmit={(e) => {
        e.preventDefault();
        publish.mutate();
      }}
    >
      <div className="flex flex-wrap gap-3">
        <Select
          label="Contender"
          value={contender}
          onChange={setContender}
          options={[...new Set(names)].map((n) => ({
            value: n,
            text:
              n === bakeoff.leader
                ? `${n}, which leads`
                : n === "best-per-series"
                  ? "the best per series"
                  : n,
          }))}
        />
        <Input
          label="Periods ahead"
          type="number"
          min={1}
          value={horizon}
          onChange={setHorizon}
          placeholder={String(bakeoff.plan.horizon)}
          width="w-28"
        />
      </div>
      {error ? (
        <Trouble error={error} />
      ) : !data ? (
        <Waiting what="what would be published" />
      ) : (
        <Preview preview={data} cadence={bakeoff.cadence} consent={consent} change={setConsent} />
      )}
      {publish.error && <Trouble error={publish.error} />}
      <div className="flex gap-3">
        <Button type="submit" disabled={!data || !agreed || publish.isPending}>
          Publish
        </Button>
        <Dialog.Close asChild>
          <Button weak>Not now</Button>
        </Dialog.Close>
      </div>
    </form>
  );
}

type PreviewProps = {
  preview: Schemas["Preview"];
  cadence: string;
  consent: Consent[];
  change: (c: Consent[]) => void;
};

function Preview({ preview: p, cadence, consent, change }: PreviewProps) {
  return (
    <>
      <p>
        Refits {p.contender} on all of {p.dataset} up to {p.origin} (revision {p.revision}) and forecasts{" "}
        {count(p.series, "series")} for {span(p.horizon, cadence)}, {p.first} to {p.last}.{" "}
        {p.replaces ? `It takes the place of ${p.replaces}.` : "No release is live yet."}
      </p>
      {p.asks.map((q) => (
        <label key={q.consent} className="flex items-start gap-2 border-l-2 border-alarm pl-3">
          <input
            type="checkbox"
            className="mt-1"
            checked={consent.includes(q.consent)}
            onChange={(e) =>
              change(e.target.checked ? [...consent, q.consent] : consent.filter((c) => c !== q.consent))
            }
          />
          <span>Publish although {q.why}.</span>
        </label>
      ))}
      <Cautions list={p.cautions} />
    </>
  );
}
