import { useSearchParams } from "react-router";
import type { Schemas } from "../../api/client";
import { Select } from "../../ui/controls";

type Props = { bakeoff: Schemas["Bakeoff"]; label: string; param: string; otherwise: string };

export const namesOf = (b: Schemas["Bakeoff"]) => b.plan.contenders.map((c) => c.name ?? c.family);

/** A contender that the page's address keeps. */
export function useContender(param: string, otherwise: string) {
  const [params] = useSearchParams();
  return params.get(param) ?? otherwise;
}

export function ContenderSelect({ bakeoff, label, param, otherwise }: Props) {
  const [params, setParams] = useSearchParams();
  return (
    <Select
      label={label}
      value={params.get(param) ?? otherwise}
      onChange={(v) => {
        const next = new URLSearchParams(params);
        next.set(param, v);
        setParams(next, { replace: true });
      }}
      options={namesOf(bakeoff).map((n) => ({ value: n, text: n }))}
    />
  );
}
