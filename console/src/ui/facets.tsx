import type { Schemas } from "../api/client";
import { Select } from "./controls";

type Props = {
  facets: Schemas["Facet"][];
  /** The conditions that hold now, each as attribute=value. */
  where: string[];
  choose: (where: string[]) => void;
};

/** A choice of a value for each attribute; those of several narrow further. */
export function Facets({ facets, where, choose }: Props) {
  return facets.map((f) => {
    const own = `${f.attribute}=`;
    const others = where.filter((w) => !w.startsWith(own));
    return (
      <Select
        key={f.attribute}
        label={f.attribute}
        value={where.find((w) => w.startsWith(own))?.slice(own.length) ?? "*"}
        onChange={(v) => choose(v === "*" ? others : [...others, own + v])}
        options={[
          { value: "*", text: "all" },
          ...f.values.map((v) => ({ value: v.value, text: `${v.value} (${v.count})` })),
        ]}
      />
    );
  });
}
