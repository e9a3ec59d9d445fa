import { Check, ChevronDown } from "lucide-react";
import { Select as Radix } from "radix-ui";
import { type ComponentProps, type ReactNode, useId } from "react";
import { Link } from "react-router";

const shape =
  "inline-flex shrink-0 items-center gap-1.5 whitespace-nowrap border px-3 py-1.5 text-plain leading-tight";
const strong = `${shape} border-copper bg-copper text-paper hover:opacity-90 disabled:opacity-50`;
const quiet = `${shape} border-rule text-copper hover:border-copper disabled:opacity-50`;

type ButtonProps = ComponentProps<"button"> & { weak?: boolean };

export function Button({ weak, className = "", ...rest }: ButtonProps) {
  return <button type="button" className={`${weak ? quiet : strong} ${className}`} {...rest} />;
}

export function ButtonLink({ to, weak, children }: { to: string; weak?: boolean; children: ReactNode }) {
  return (
    <Link to={to} className={`print:hidden ${weak ? quiet : strong}`}>
      {children}
    </Link>
  );
}

export function Download({ href, children }: { href: string; children: ReactNode }) {
  return (
    <a href={href} download className={`print:hidden ${quiet}`}>
      {children}
    </a>
  );
}

const box = "border border-rule bg-sheet px-2 py-1.5 text-plain";

type InputProps = {
  label: string;
  value: string;
  onChange: (v: string) => void;
  type?: string;
  hint?: string;
  width?: string;
  min?: number;
  placeholder?: string;
};

export function Input({ label, value, onChange, hint, width = "w-48", ...rest }: InputProps) {
  const id = useId();
  return (
    <span className="flex flex-col gap-0.5">
      <label htmlFor={id} className="text-small text-soft">
        {label}
      </label>
      <input
        id={id}
        value={value}
        onChange={(e) => onChange(e.target.value)}
        className={`${box} ${width}`}
        aria-describedby={hint ? `${id}-hint` : undefined}
        {...rest}
      />
      {hint && (
        <span id={`${id}-hint`} className="max-w-64 text-note text-soft">
          {hint}
        </span>
      )}
    </span>
  );
}

type Option = { value: string; text: string };
type SelectProps = {
  label: string;
  value: string;
  onChange: (v: string) => void;
  options: Option[];
  hideLabel?: boolean;
  placeholder?: string;
};

export function Select({ label, value, onChange, options, hideLabel, placeholder = "Choose" }: SelectProps) {
  const id = useId();
  return (
    <span className="flex flex-col gap-0.5">
      <span id={id} className={hideLabel ? "sr-only" : "text-small text-soft"}>
        {label}
      </span>
      <Radix.Root value={value} onValueChange={onChange}>
        <Radix.Trigger
          aria-labelledby={id}
          className={`${box} inline-flex items-center justify-between gap-2 whitespace-nowrap`}
        >
          <Radix.Value placeholder={placeholder} />
          <ChevronDown size={14} aria-hidden />
        </Radix.Trigger>
        <Radix.Portal>
          <Radix.Content
            position="popper"
            className="z-20 max-h-80 min-w-(--radix-select-trigger-width) overflow-auto border border-rule bg-sheet shadow-md"
          >
            <Radix.Viewport>
              {options.map((o) => (
                <Radix.Item
                  key={o.value}
                  value={o.value}
                  className="flex cursor-default items-center justify-between gap-3 px-2 py-1 outline-none data-[highlighted]:bg-tint"
                >
                  <Radix.ItemText>{o.text}</Radix.ItemText>
                  <Radix.ItemIndicator>
                    <Check size={13} aria-hidden />
                  </Radix.ItemIndicator>
                </Radix.Item>
              ))}
            </Radix.Viewport>
          </Radix.Content>
        </Radix.Portal>
      </Radix.Root>
    </span>
  );
}

/** A legend entry that shows and hides its curve. */
export function Toggle({
  name,
  hue,
  on,
  onChange,
}: {
  name: string;
  hue: string;
  on: boolean;
  onChange: (on: boolean) => void;
}) {
  return (
    <button
      type="button"
      aria-pressed={on}
      onClick={() => onChange(!on)}
      className={`inline-flex items-center gap-1.5 border px-2 py-0.5 ${on ? "border-rule bg-sheet" : "border-transparent text-soft"}`}
    >
      <span
        aria-hidden
        className="h-0.5 w-4"
        style={{ background: `var(--${hue})`, opacity: on ? 1 : 0.35 }}
      />
      {name}
    </button>
  );
}
