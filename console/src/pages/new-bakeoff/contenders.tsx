import { Plus, Trash2 } from "lucide-react";
import { useState } from "react";
import type { Schemas } from "../../api/client";
import { Button, Input, Select } from "../../ui/controls";
import { Section } from "../../ui/page";
import type { Contender, Family } from "./draft";

type ContendersProps = { families: Family[]; list: Contender[]; change: (c: Contender[]) => void };

/** The families that take part, with their settings. */
export function Contenders({ families, list, change }: ContendersProps) {
  const set = (i: number, c: Contender) => change(list.map((x, j) => (i === j ? c : x)));
  return (
    <Section
      title="Contenders"
      aside={
        <Select
          label="Add a contender"
          hideLabel
          placeholder="Add a contender"
          value=""
          onChange={(f) => change([...list, { family: f, settings: {} }])}
          options={families.map((f) => ({ value: f.name, text: f.name }))}
        />
      }
    >
      <ul className="flex flex-col">
        {list.map((c, i) => {
          const family = families.find((f) => f.name === c.family);
          return (
            // biome-ignore lint/suspicious/noArrayIndexKey: a contender has no other identity while it is edited
            <li key={i} className="flex flex-wrap items-center gap-4 border-b border-rule/60 py-2">
              <span className="w-36 font-medium">{c.family}</span>
              <span className="w-[28rem] max-w-full text-small text-soft">{family?.summary}</span>
              <SettingFields
                settings={family?.settings ?? []}
                values={c.settings ?? {}}
                change={(settings) => set(i, { ...c, settings })}
              />
              <span className="flex-1" />
              <Button
                weak
                onClick={() => change(list.filter((_, j) => j !== i))}
                aria-label={`Remove ${c.family}`}
              >
                <Trash2 size={13} aria-hidden /> Remove
              </Button>
            </li>
          );
        })}
      </ul>
      {list.length === 0 && (
        <p className="text-soft">
          <Plus size={13} aria-hidden className="inline" /> Add at least one contender.
        </p>
      )}
    </Section>
  );
}

type FieldsProps = {
  settings: Schemas["Setting"][];
  values: Record<string, unknown>;
  change: (values: Record<string, unknown>) => void;
};

/** A family's fields; where there are many, behind a click that says which are set: laid out by then, they are what
 * takes longest on the page. */
function SettingFields({ settings, values, change }: FieldsProps) {
  const [open, setOpen] = useState(false);
  const fields = () =>
    settings.map((s) => (
      <SettingField
        key={s.name}
        setting={s}
        value={String(values[s.name] ?? "")}
        onChange={(v) => change({ ...values, [s.name]: v })}
      />
    ));
  if (settings.length <= 2) return fields();
  const given = Object.entries(values).filter(([, v]) => v !== "" && v != null);
  return (
    <details className="text-small" onToggle={(e) => setOpen(e.currentTarget.open)}>
      <summary className="cursor-pointer text-copper">
        {given.length > 0
          ? given.map(([k, v]) => `${k} ${v}`).join(", ")
          : `${settings.length} settings, all automatic`}
      </summary>
      {open && <div className="flex flex-wrap gap-4 py-2">{fields()}</div>}
    </details>
  );
}

type FieldProps = { setting: Schemas["Setting"]; value: string; onChange: (v: string) => void };

/** A setting's field comes from its description in the catalogue alone. */
function SettingField({ setting, value, onChange }: FieldProps) {
  if (setting.kind === "choice" || setting.kind === "switch") {
    const choices = setting.kind === "switch" ? ["true", "false"] : (setting.choices ?? []);
    return (
      <Select
        label={`${setting.name}: ${setting.meaning}`}
        value={value || "*"}
        onChange={(v) => onChange(v === "*" ? "" : v)}
        options={[
          { value: "*", text: setting.default === undefined ? "automatic" : String(setting.default) },
          ...choices.map((c) => ({ value: c, text: c })),
        ]}
      />
    );
  }
  return (
    <Input
      label={`${setting.name}: ${setting.meaning}`}
      value={value}
      onChange={onChange}
      placeholder={setting.default === undefined ? "automatic" : String(setting.default)}
      width="w-44"
    />
  );
}
