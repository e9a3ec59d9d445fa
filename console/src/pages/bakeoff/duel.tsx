import { useQuery } from "@tanstack/react-query";
import { useSearchParams } from "react-router";
import { api, type Schemas, take } from "../../api/client";
import { Figure } from "../../chart/figure";
import { figure } from "../../format";
import { Section, Trouble, Waiting } from "../../ui/page";
import { ContenderSelect, namesOf, useContender } from "./contender-select";

type Bakeoff = Schemas["Bakeoff"];
type Duel = Schemas["Duel"];

/** Two contenders against each other, a dot a series. */
export function DuelView({ bakeoff }: { bakeoff: Bakeoff }) {
  const names = namesOf(bakeoff);
  const lead = bakeoff.leader ?? names[0] ?? "";
  const other =
    bakeoff.plan.baseline && bakeoff.plan.baseline !== lead
      ? bakeoff.plan.baseline
      : (names.find((n) => n !== lead) ?? lead);
  const a = useContender("a", lead);
  const b = useContender("b", other);
  const [params] = useSearchParams();
  const metric = params.get("metric") || undefined;
  const { data, error } = useQuery({
    queryKey: ["duel", bakeoff.id, a, b, metric],
    queryFn: () =>
      take(
        api.GET("/bakeoffs/{bakeoff}/duel", {
          params: { path: { bakeoff: bakeoff.id }, query: { a, b, metric } },
        }),
      ),
    placeholderData: (before) => before,
  });
  return (
    <Section
      title="Duel"
      aside={
        <span className="flex gap-3">
          <ContenderSelect bakeoff={bakeoff} label="One" param="a" otherwise={lead} />
          <ContenderSelect bakeoff={bakeoff} label="Other" param="b" otherwise={other} />
        </span>
      }
    >
      {error ? <Trouble error={error} /> : data ? <Dots duel={data} /> : <Waiting what="the duel" />}
    </Section>
  );
}

const size = 430;
const listed = 100;
const edge = 56;

function Dots({ duel }: { duel: Duel }) {
  const [params, setParams] = useSearchParams();
  const points = duel.series.filter((p) => p.a !== null && p.b !== null) as (Duel["series"][number] & {
    a: number;
    b: number;
  })[];
  if (points.length === 0) return <p className="text-soft">No series has a {duel.metric} for both.</p>;
  const high = Math.max(...points.flatMap((p) => [p.a, p.b]));
  const low = Math.min(0, ...points.flatMap((p) => [p.a, p.b]));
  const at = (v: number) => ((v - low) / (high - low || 1)) * (size - edge - 12);
  const x = (v: number) => edge + at(v);
  const y = (v: number) => size - edge - at(v);
  function open(key: string) {
    const next = new URLSearchParams(params);
    next.set("series", key);
    next.set("look", "curves");
    next.set("show", [duel.a, duel.b].join("|"));
    setParams(next, { replace: true });
  }
  const sure = (p: number | null) => p !== null && p < 0.05;
  return (
    <div className="flex flex-wrap gap-8">
      <Figure
        title={`${duel.metric} of each series`}
        label={`${duel.a} is better on ${duel.wins} series and worse on ${duel.losses}`}
        width={size}
        height={size}
        rows={[["series", duel.a, duel.b, "p"], ...duel.series.map((p) => [p.series, p.a, p.b, p.p])]}
      >
        <line x1={x(low)} y1={y(low)} x2={x(high)} y2={y(high)} stroke="var(--rule)" />
        <line x1={edge} x2={size - 12} y1={size - edge} y2={size - edge} stroke="var(--soft)" />
        <line x1={edge} x2={edge} y1={12} y2={size - edge} stroke="var(--soft)" />
        {[low, high].map((v) => (
          <g key={v} fontSize={11} fill="var(--soft)">
            <text x={x(v)} y={size - edge + 16} textAnchor="middle">
              {figure(v)}
            </text>
            <text x={edge - 6} y={y(v) + 4} textAnchor="end">
              {figure(v)}
            </text>
          </g>
        ))}
        <text x={(size + edge) / 2} y={size - 12} textAnchor="middle" fontSize={12} fill="var(--ink)">
          {duel.b}
        </text>
        <text
          x={14}
          y={(size - edge) / 2}
          textAnchor="middle"
          fontSize={12}
          fill="var(--ink)"
          transform={`rotate(-90 14 ${(size - edge) / 2})`}
        >
          {duel.a}
        </text>
        {points.map((p) => (
          // biome-ignore lint/a11y/noStaticElementInteractions: the table beside it opens the same series by keyboard
          <circle
            key={p.series}
            cx={x(p.b)}
            cy={y(p.a)}
            r={4}
            fill={sure(p.p) ? "var(--copper)" : "transparent"}
            stroke="var(--copper)"
            className="cursor-pointer"
            onClick={() => open(p.series)}
          >
            <title>{`${p.series}: ${figure(p.a)} against ${figure(p.b)}`}</title>
          </circle>
        ))}
      </Figure>
      <div className="flex max-w-[52ch] flex-col gap-2">
        <p>
          {duel.a} is better on {duel.wins} series and worse on {duel.losses}.
          {duel.low != null &&
            ` In the whole the difference lies between ${figure(duel.low)} and ${figure(duel.high)} (95 %, over series and windows).`}
        </p>
        <p className="text-small text-soft">
          Below the line {duel.a} is better. Filled dots differ at 5 % by a test on the mean errors of their
          windows, where six or more do not overlap.
        </p>
        <ol className="max-h-72 overflow-auto text-small">
          {points
            .toSorted((p, q) => q.a - q.b - (p.a - p.b))
            .slice(0, listed)
            .map((p) => (
              <li key={p.series}>
                <button type="button" className="text-left text-copper" onClick={() => open(p.series)}>
                  {p.series}
                </button>{" "}
                <span className="text-soft">
                  {figure(p.a)} against {figure(p.b)}
                </span>
              </li>
            ))}
        </ol>
        {points.length > listed && (
          <p className="text-small text-soft">
            The {listed} on which {duel.a} is behind the most; all {points.length}: save the values.
          </p>
        )}
      </div>
    </div>
  );
}
