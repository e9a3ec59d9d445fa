/** A small picture of a series. */
export function Spark({
  trace,
  width = 120,
  height = 22,
}: {
  trace: (number | null)[];
  width?: number;
  height?: number;
}) {
  const known = trace.filter((v): v is number => v !== null);
  if (known.length < 2) return null;
  const low = Math.min(...known);
  const range = Math.max(...known) - low || 1;
  let path = "";
  let pen = false;
  for (const [i, v] of trace.entries()) {
    if (v === null) {
      pen = false;
      continue;
    }
    const x = (i / (trace.length - 1)) * width;
    const y = height - 2 - ((v - low) / range) * (height - 4);
    path += `${pen ? "L" : "M"}${x.toFixed(1)} ${y.toFixed(1)}`;
    pen = true;
  }
  return (
    <svg width={width} height={height} aria-hidden="true">
      <path d={path} fill="none" stroke="currentColor" strokeWidth="1" />
    </svg>
  );
}
