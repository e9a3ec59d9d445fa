import { useQuery } from "@tanstack/react-query";
import { api, type Schemas, take } from "../../api/client";
import { figure, share } from "../../format";
import { Section, Trouble, Waiting } from "../../ui/page";
import { Table } from "../../ui/table";

type Trial = Schemas["Trial"];

const shares = ["mape", "mpe", "smape", "wape", "weighted_quantile_loss"];

const inWords = (name: string, v: number | null | undefined) =>
  shares.includes(name) || name.startsWith("coverage") ? share(v) : figure(v);

const shownAtOnce = 30;

/** Every combination of settings that was tried, window by window. */
export function TuningView({ bakeoff }: { bakeoff: Schemas["Bakeoff"] }) {
  const { data, error } = useQuery({
    queryKey: ["tuning", bakeoff.id],
    queryFn: () => take(api.GET("/bakeoffs/{bakeoff}/tuning", { params: { path: { bakeoff: bakeoff.id } } })),
  });
  if (error) return <Trouble error={error} />;
  if (!data) return <Waiting what="the searches" />;
  return (
    <>
      {data.items.slice(0, shownAtOnce).map((t) => (
        <Section key={`${t.contender} ${t.window} ${t.shard}`} title={`${t.contender}, window ${t.window}`}>
          {(t.matter ?? []).length > 0 && (
            <p className="text-small">
              {(t.matter ?? []).map((m) => `${m.setting} explains ${share(m.share)}`).join(", ")} of the
              scores' variance.
            </p>
          )}
          <Table
            label={`Tries of ${t.contender} in window ${t.window}`}
            rows={t.trials}
            keyOf={(x) => JSON.stringify(x.settings)}
            selected={(x) => (x.chosen ?? 0) > 0}
            columns={[
              {
                head: "Settings",
                cell: (x) =>
                  Object.entries(x.settings)
                    .map(([k, v]) => `${k} ${v}`)
                    .join(", "),
              },
              { head: `${t.metric} on inner windows`, right: true, cell: (x) => inWords(t.metric, x.score) },
              ...Object.keys(t.trials.find((x) => x.values)?.values ?? {}).map((name) => ({
                head: name.startsWith("coverage") ? `coverage ${name.slice(8)} %` : name,
                right: true,
                cell: (x: Trial) => inWords(name, x.values?.[name]),
              })),
              { head: "Chosen by series", right: true, cell: (x) => figure(x.chosen ?? 0) },
              { head: "Problem", cell: (x) => x.problem },
            ]}
          />
        </Section>
      ))}
      {data.items.length > shownAtOnce && (
        <p className="text-small text-soft">
          And {data.items.length - shownAtOnce} more: paperkettle bakeoff tuning {bakeoff.id}
        </p>
      )}
    </>
  );
}
