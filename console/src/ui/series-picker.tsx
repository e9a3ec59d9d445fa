import { ChevronLeft, ChevronRight } from "lucide-react";
import { useEffect, useId, useState } from "react";
import { Button } from "./controls";

/** How many names the list of suggestions holds: more would slow every key. */
const suggested = 200;

type Props = { keys: string[]; chosen: string; choose: (key: string) => void };

/** Picks one of many series by typing a part of its name, or steps through them. */
export function SeriesPicker({ keys, chosen, choose }: Props) {
  const id = useId();
  const [text, setText] = useState(chosen);
  useEffect(() => setText(chosen), [chosen]);
  const at = keys.indexOf(chosen);
  const step = (by: number) => {
    const key = keys[(at + by + keys.length) % keys.length];
    if (key) choose(key);
  };
  const wanted = text === chosen ? "" : text.toLowerCase();
  const matches = keys.filter((k) => k.toLowerCase().includes(wanted)).slice(0, suggested);
  const commit = (value: string) => {
    const key = keys.includes(value) ? value : value && matches.length > 0 ? matches[0] : undefined;
    if (key) choose(key);
    setText(key ?? chosen);
  };
  return (
    <span className="flex items-end gap-2">
      <Button weak onClick={() => step(-1)}>
        <ChevronLeft size={14} aria-hidden /> Previous
      </Button>
      <label className="sr-only" htmlFor={id}>
        Series
      </label>
      <input
        id={id}
        list={`${id}-list`}
        value={text}
        onFocus={(e) => e.target.select()}
        onChange={(e) => {
          setText(e.target.value);
          if (keys.includes(e.target.value)) choose(e.target.value);
        }}
        onBlur={() => setText(chosen)}
        onKeyDown={(e) => {
          if (e.key === "Enter") commit(text);
          if (e.key === "Escape") setText(chosen);
        }}
        className="w-72 border border-rule bg-sheet px-2 py-1.5 text-plain"
      />
      <datalist id={`${id}-list`}>
        {matches.map((k) => (
          <option key={k} value={k} />
        ))}
      </datalist>
      <Button weak onClick={() => step(1)}>
        Next <ChevronRight size={14} aria-hidden />
      </Button>
    </span>
  );
}
