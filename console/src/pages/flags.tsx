import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type KeyboardEvent, useState } from "react";
import { Link, useSearchParams } from "react-router";
import { api, type Schemas, take } from "../api/client";
import { count, figure } from "../format";
import { Button, ButtonLink, Input, Select } from "../ui/controls";
import { Empty, Lead, Page, Section, Trouble, Waiting } from "../ui/page";
import { useDatasets } from "./data";
import { FanChart } from "./fan-chart";
import { useCurve, useDress } from "./release";

type Flag = Schemas["Flag"];
type State = "open" | "settled" | "restated" | "all";

const settlements = [
  ["expected", "Expected", "someone knew: an event, a closure, a campaign"],
  ["data-error", "Data error", "the number is wrong"],
  ["real-change", "Real change", "the world moved, and stays moved"],
  ["chance", "Chance", "one of the few that fall outside anyway"],
] as const;

export function FlagsPage() {
  const [params, setParams] = useSearchParams();
  const state = (params.get("state") ?? "open") as State;
  const release = params.get("release") ?? undefined;
  const dataset = params.get("dataset") ?? undefined;
  const search = params.get("search") ?? "";
  const beyond = Number(params.get("beyond") ?? 0);
  const datasets = useDatasets();
  const [ticked, setTicked] = useState<string[]>([]);
  const { data, error } = useQuery({
    queryKey: ["flags", state, release, dataset, search, beyond],
    queryFn: () =>
      take(
        api.GET("/flags", {
          params: {
            query: {
              state,
              release,
              dataset,
              search: search || undefined,
              beyond: beyond || undefined,
              limit: 1000,
            },
          },
        }),
      ),
    placeholderData: (before) => before,
  });
  function change(name: string, value: string) {
    const next = new URLSearchParams(params);
    if (value) next.set(name, value);
    else next.delete(name);
    if (name !== "flag") next.delete("flag");
    setParams(next, { replace: true });
  }
  const list = data?.items ?? [];
  const chosen = list.find((f) => f.id === params.get("flag")) ?? list[0];
  return (
    <Page title="Flags">
      <div className="flex items-start gap-4">
        <Lead>{lead(state, list, data?.total)}</Lead>
        <span className="flex-1" />
        <Input
          label="Only series with"
          value={search}
          onChange={(v) => change("search", v)}
          width="w-40"
          placeholder="black tea"
        />
        {(datasets.data?.items.length ?? 0) > 1 && (
          <Select
            label="Of"
            value={dataset ?? "*"}
            onChange={(v) => change("dataset", v === "*" ? "" : v)}
            options={[
              { value: "*", text: "all datasets" },
              ...(datasets.data?.items ?? []).map((d) => ({ value: d.name, text: d.name })),
            ]}
          />
        )}
        <Select
          label="Size"
          value={String(beyond)}
          onChange={(v) => change("beyond", v === "0" ? "" : v)}
          options={[
            { value: "0", text: "all outside" },
            { value: "3", text: "3 deviations or more" },
            { value: "5", text: "5 or more" },
            { value: "10", text: "10 or more" },
          ]}
        />
        <Select
          label="Show"
          value={state}
          onChange={(v) => change("state", v)}
          options={[
            { value: "open", text: "open" },
            { value: "settled", text: "settled" },
            { value: "restated", text: "restated" },
            { value: "all", text: "all" },
          ]}
        />
      </div>
      {error && <Trouble error={error} />}
      {!data && !error && <Waiting what="flags" />}
      {data && list.length === 0 && state === "open" && (
        <Empty
          text="Nothing to settle. Flags appear when actuals arrive for a live release."
          command="paperkettle actuals load actuals.csv --dataset daily"
          action={<ButtonLink to="/releases">To the releases</ButtonLink>}
        />
      )}
      {chosen && (
        <div className="grid grid-cols-[minmax(20rem,27rem)_minmax(0,1fr)] gap-6">
          <Queue
            list={list}
            chosen={chosen}
            choose={(id) => change("flag", id)}
            ticked={ticked}
            tick={setTicked}
          />
          <Detail
            flag={chosen}
            others={ticked.filter((id) => id !== chosen.id && list.some((f) => f.id === id))}
            settled={() => setTicked([])}
            next={() => {
              const after = list[list.findIndex((f) => f.id === chosen.id) + 1] ?? list[0];
              if (after) change("flag", after.id);
            }}
          />
        </div>
      )}
    </Page>
  );
}

function lead(state: State, list: Flag[], total: number | undefined): string {
  if (total === undefined) return "Flags";
  const first = list[0];
  if (!first) return state === "open" ? "No flag is open." : "There are none of these.";
  const where = first.severity > 0 ? "above" : "below";
  return `${count(total, "flag")} ${state === "all" ? "in all" : state}; the farthest out is ${first.series} on ${first.period}: ${figure(first.actual)}, ${where} ${figure(first.low)} to ${figure(first.high)}.`;
}

type QueueProps = {
  list: Flag[];
  chosen: Flag;
  choose: (id: string) => void;
  ticked: string[];
  tick: (ids: string[]) => void;
};

/** The queue: up and down move, a tick takes a flag into what is settled together. */
function Queue({ list, chosen, choose, ticked, tick }: QueueProps) {
  const alike = list.filter((f) => f.series === chosen.series).map((f) => f.id);
  function move(e: KeyboardEvent, i: number) {
    const by = { ArrowDown: 1, ArrowUp: -1 }[e.key];
    const next = by && list[i + by];
    if (!next) return;
    e.preventDefault();
    choose(next.id);
    document.getElementById(`queue-${next.id}`)?.focus();
  }
  return (
    <Section
      title="Queue, the farthest out first"
      aside={
        alike.length > 1 && (
          <button type="button" className="text-small text-copper" onClick={() => tick(alike)}>
            Tick all {alike.length} of this series
          </button>
        )
      }
    >
      <ol className="max-h-[620px] overflow-auto">
        {list.map((f, i) => (
          <li
            key={f.id}
            className={`flex items-center gap-2 border-b border-rule/60 px-1 ${f.id === chosen.id ? "bg-tint" : ""}`}
          >
            <input
              type="checkbox"
              aria-label={`Settle ${f.series} on ${f.period} too`}
              checked={ticked.includes(f.id)}
              onChange={(e) =>
                tick(e.target.checked ? [...ticked, f.id] : ticked.filter((id) => id !== f.id))
              }
            />
            <button
              type="button"
              id={`queue-${f.id}`}
              aria-current={f.id === chosen.id}
              onClick={() => choose(f.id)}
              onKeyDown={(e) => move(e, i)}
              className="grid grow grid-cols-[1fr_auto] gap-x-3 py-1.5 text-left text-small hover:bg-tint"
            >
              <span className="truncate font-medium">{f.series}</span>
              <span className="text-right tabular-nums">{figure(f.actual)}</span>
              <span className="text-soft">
                {f.period}
                {f.settled_as && `, ${f.settled_as}`}
              </span>
              <span className="text-right text-soft tabular-nums">
                {figure(f.low)} to {figure(f.high)}
              </span>
            </button>
          </li>
        ))}
      </ol>
    </Section>
  );
}

type DetailProps = { flag: Flag; others: string[]; settled: () => void; next: () => void };

function Detail({ flag, others, settled, next }: DetailProps) {
  const { data, error } = useCurve(flag.release, flag.series);
  const { hue, measure } = useDress(flag.release, data?.contender);
  return (
    <Section
      title={`${flag.series}, ${flag.period}`}
      aside={
        <Link
          className="text-small text-copper underline"
          to={`/releases/${flag.release}?series=${encodeURIComponent(flag.series)}`}
        >
          In {flag.release}
        </Link>
      }
    >
      <p>
        The actual is {figure(flag.actual)}; {flag.release} said {figure(flag.low)} to {figure(flag.high)} at{" "}
        {flag.level} %, most likely {figure(flag.forecast)}. Severity {figure(flag.severity)}.
      </p>
      {error ? (
        <Trouble error={error} />
      ) : data && data.series === flag.series ? (
        <FanChart curve={data} hue={hue} measure={measure} ring={flag.id} height={360} />
      ) : (
        <Waiting what="the chart" />
      )}
      <Settle key={flag.id} flag={flag} others={others} settled={settled} next={next} />
    </Section>
  );
}

function Settle({ flag, others, settled, next }: DetailProps) {
  const [note, setNote] = useState(flag.note ?? "");
  const queries = useQueryClient();
  const settle = useMutation({
    mutationFn: (as: Schemas["SettleRequest"]["as"]) =>
      take(api.POST("/flags/settle", { body: { flags: [flag.id, ...others], as, note } })),
    onSuccess: () => {
      settled();
      next();
      queries.invalidateQueries({ queryKey: ["flags"] });
      queries.invalidateQueries({ queryKey: ["release"] });
      queries.invalidateQueries({ queryKey: ["release-curve"] });
    },
  });
  return (
    <div className="flex flex-col gap-3">
      {flag.state === "settled" && (
        <p>
          Settled as {flag.settled_as} by {flag.settled_by}.
        </p>
      )}
      <Input label="Note" value={note} onChange={setNote} width="w-full max-w-xl" placeholder="why" />
      <fieldset className="flex flex-wrap gap-2">
        <legend className="mb-1 text-small text-soft">
          Settle {others.length > 0 ? `this and ${count(others.length, "ticked flag")} ` : ""}as
        </legend>
        {settlements.map(([as, text, meaning]) => (
          <Button
            key={as}
            weak={as !== flag.settled_as}
            title={meaning}
            disabled={settle.isPending}
            onClick={() => settle.mutate(as)}
          >
            {text}
          </Button>
        ))}
      </fieldset>
      {settle.error && <Trouble error={settle.error} />}
    </div>
  );
}
