import type { Schemas } from "../../api/client";
import { EffectCurves } from "../../chart/effect-curves";
import { Losses } from "../../chart/losses";
import { figure } from "../../format";
import { Table } from "../../ui/table";

type Fit = Schemas["Fit"];
type Props = { fit: Fit; measure: string };
type AllProps = Props & { hue: string };

/** What a model that learnt from rows makes of them: why this forecast, what columns are worth, how the loss went. */
export function Learnt({ fit, measure, hue }: AllProps) {
  return (
    <>
      <div className="flex flex-wrap items-start gap-8">
        <Reasons fit={fit} measure={measure} />
        <Worths fit={fit} />
      </div>
      <EffectCurves curves={fit.effect_curves ?? []} hue={hue} />
      <Losses curves={fit.learning ?? []} />
    </>
  );
}

const signed = (v: number | null | undefined) => `${v != null && v > 0 ? "+" : ""}${figure(v)}`;
const known = (values: (number | null)[]) => values.map((v) => v ?? 0);
const mean = (values: (number | null)[]) => known(values).reduce((sum, v) => sum + v, 0) / values.length;
const change = (v: number | null) => (v == null ? "–" : `${v > 0 ? "+" : ""}${(100 * v).toFixed(1)} %`);

/** The parts of the forecast: at its first and last step, and over all. */
function Reasons({ fit, measure }: Props) {
  const reasons = fit.reasons ?? [];
  if (reasons.length === 0) return null;
  const total = {
    name: "the forecast",
    steps: (reasons[0]?.steps ?? []).map((_, h) => reasons.reduce((sum, r) => sum + (r.steps[h] ?? 0), 0)),
  };
  return (
    <Table
      label="Why this forecast"
      rows={[...reasons, total]}
      keyOf={(r) => r.name}
      columns={[
        { head: `Part (${measure})`, cell: (r) => r.name },
        { head: "First step", right: true, cell: (r) => signed(r.steps[0]), best: (r) => r === total },
        { head: "Last step", right: true, cell: (r) => signed(r.steps[r.steps.length - 1]) },
        { head: "Mean of all steps", right: true, cell: (r) => signed(mean(r.steps)) },
      ]}
    />
  );
}

function Worths({ fit }: { fit: Fit }) {
  const worths = fit.worths ?? [];
  if (worths.length === 0) return null;
  return (
    <Table
      label="What the columns are worth"
      rows={worths}
      keyOf={(w) => w.name}
      columns={[
        { head: "Column", cell: (w) => <span title={w.meaning}>{w.name}</span> },
        { head: "Share of what all explain", right: true, cell: (w) => `${(100 * w.share).toFixed(0)} %` },
        { head: "Held-out error without it", right: true, cell: (w) => change(w.rise) },
        { head: "95 %", right: true, cell: (w) => `${change(w.low)} to ${change(w.high)}` },
      ]}
    />
  );
}
