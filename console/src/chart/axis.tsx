import { figure } from "../format";

type Props = {
  marks: number[];
  y: (v: number) => number;
  left: number;
  width: number;
  write?: (v: number) => string;
};

/** The marks of a small figure's axis, each once, with their lines. */
export function Axis({ marks, y, left, width, write = figure }: Props) {
  return (
    <>
      {[...new Set(marks)].map((v) => (
        <g key={v}>
          <line x1={left} x2={width} y1={y(v)} y2={y(v)} stroke="var(--rule)" />
          <text x={left - 5} y={y(v) + 4} textAnchor="end" fontSize={11} fill="var(--soft)">
            {write(v)}
          </text>
        </g>
      ))}
    </>
  );
}
