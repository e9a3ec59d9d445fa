import { useEffect, useRef, useState } from "react";
import { useTheme } from "../theme";
import type { Drawing } from "./drawing";
import { beneath } from "./layout";
import { asCsv, save, saveText } from "./save";
import { Sketch } from "./sketch";

export type { Band, Drawing, Line, Ring, Tint } from "./drawing";

type Props = Drawing & { label: string; height?: number };

type Painter = {
  paint: (d: Drawing) => void;
  picture: () => string;
  outline: () => string;
  dispose: () => void;
};

/** The chart of a page. The drawing code comes in its own file, once it is needed. */
export function TimeChart({ label, height = 420, ...drawing }: Props) {
  const box = useRef<HTMLDivElement>(null);
  const painter = useRef<Painter>(null);
  const [ready, setReady] = useState(false);
  const theme = useTheme();

  useEffect(() => {
    let gone = false;
    Promise.all([import("./painter"), document.fonts.ready]).then(([{ makePainter }]) => {
      if (gone || !box.current) return;
      painter.current = makePainter(box.current);
      setReady(true);
    });
    return () => {
      gone = true;
      painter.current?.dispose();
      painter.current = null;
      setReady(false);
    };
  }, []);

  const latest = JSON.stringify(drawing);
  // biome-ignore lint/correctness/useExhaustiveDependencies: the colours are read anew when the theme changes
  useEffect(() => {
    if (ready) painter.current?.paint(JSON.parse(latest));
  }, [latest, ready, theme]);

  const name = label.replace(/[^\p{L}\p{N}]+/gu, "-").slice(0, 80);
  return (
    <div className="flex flex-col">
      <div className="relative">
        <div
          ref={box}
          role="img"
          aria-label={label}
          data-drawn={ready}
          style={{ height: height + beneath(drawing) }}
          className="w-full border border-rule bg-sheet"
        />
        {!ready && <Sketch {...drawing} />}
      </div>
      <Saving
        ways={{
          "Save as PNG": () => painter.current && save(`${name}.png`, painter.current.picture()),
          "Save as SVG": () =>
            painter.current && saveText(`${name}.svg`, painter.current.outline(), "image/svg+xml"),
          "Save the values": () => saveText(`${name}.csv`, asCsv(JSON.parse(latest))),
        }}
      />
    </div>
  );
}

/** The ways to take a figure away. */
export function Saving({ ways }: { ways: Record<string, () => void> }) {
  return (
    <div className="flex justify-end gap-4 pt-1 text-note text-soft">
      {Object.entries(ways).map(([name, act]) => (
        <button key={name} type="button" className="hover:text-ink" onClick={act}>
          {name}
        </button>
      ))}
    </div>
  );
}
