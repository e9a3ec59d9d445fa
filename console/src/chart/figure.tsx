import { type ReactNode, useRef } from "react";
import { csv, saveText } from "./save";
import { Saving } from "./time-chart";

type Props = {
  title: string;
  /** What the figure shows in one sentence, for those who can't see it. */
  label: string;
  width: number;
  height: number;
  /** The values, with a head. */
  rows: (string | number | null)[][];
  children: ReactNode;
};

/** A small figure with its ways to be taken away. */
export function Figure({ title, label, width, height, rows, children }: Props) {
  const svg = useRef<SVGSVGElement>(null);
  const name = title.toLowerCase().replace(/[^a-z0-9]+/g, "-");
  return (
    <figure className="flex flex-col">
      <figcaption className="text-small text-soft">{title}</figcaption>
      <svg ref={svg} width={width} height={height} role="img" aria-label={label}>
        {children}
      </svg>
      <Saving
        ways={{
          "Save as SVG": () =>
            svg.current && saveText(`${name}.svg`, standalone(svg.current), "image/svg+xml"),
          "Save the values": () => saveText(`${name}.csv`, csv(rows)),
        }}
      />
    </figure>
  );
}

/** The SVG with its colours written out, so that it shows the same outside the page. */
function standalone(svg: SVGSVGElement): string {
  const style = getComputedStyle(document.documentElement);
  const text = new XMLSerializer().serializeToString(svg);
  return text.replace(/var\((--[a-z0-9-]+)\)/g, (_, name: string) => style.getPropertyValue(name).trim());
}
