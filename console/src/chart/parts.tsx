import { figure } from "../format";
import { Axis } from "./axis";
import { Figure } from "./figure";
import { inWords, type Place } from "./season";

const height = 150;
const foot = 18;
const left = 48;

type Scale = (v: number) => number;

function scaleOf(values: number[], zero?: number): { y: Scale; top: number; bottom: number } {
  const all = zero === undefined ? values : [...values, zero];
  const top = Math.max(...all);
  const bottom = Math.min(...all);
  return { top, bottom, y: (v) => 6 + ((top - v) / (top - bottom || 1)) * (height - foot - 12) };
}

type ProfileProps = { name: string; places: Place[]; factor: boolean; hue: string; width?: number };

/** A season over its own cycle, once, with its band. */
export function SeasonChart({ name, places, factor, hue, width = 380 }: ProfileProps) {
  const plain = factor ? 1 : 0;
  const { y, top, bottom } = scaleOf(
    places.flatMap((p) => [p.value, p.low ?? p.value, p.high ?? p.value]),
    plain,
  );
  const x = (i: number) => left + ((i + 0.5) / places.length) * (width - left);
  const line = (of: (p: Place) => number) => places.map((p, i) => `${x(i)} ${y(of(p))}`);
  const band = [...line((p) => p.low ?? p.value), ...line((p) => p.high ?? p.value).reverse()].join("L");
  const labelled = labels(places);
  const high = places.reduce((a, p) => (p.value > a.value ? p : a));
  const low = places.reduce((a, p) => (p.value < a.value ? p : a));
  return (
    <Figure
      title={`${name}${factor ? ", a factor" : ""}`}
      label={`${name}: highest at ${high.name} with ${figure(high.value)}, lowest at ${low.name} with ${figure(low.value)}`}
      width={width}
      height={height}
      rows={[
        ["place", "value", "low", "high"],
        ...places.map((p) => [p.name, p.value, p.low ?? null, p.high ?? null]),
      ]}
    >
      <Axis left={left} marks={[bottom, plain, top]} y={y} width={width} />
      {places.some((p) => p.low !== undefined) && (
        <path d={`M${band}Z`} fill={`var(--${hue})`} opacity={0.22} />
      )}
      <path d={`M${line((p) => p.value).join("L")}`} fill="none" stroke={`var(--${hue})`} strokeWidth={1.6} />
      {places.length <= 31 &&
        places.map((p, i) => (
          <circle key={p.name} cx={x(i)} cy={y(p.value)} r={2.6} fill={`var(--${hue})`} />
        ))}
      {labelled.map(({ i, text }) => (
        <text key={i} x={x(i)} y={height - 4} textAnchor="middle" fontSize={11} fill="var(--soft)">
          {text}
        </text>
      ))}
    </Figure>
  );
}

/** A few places by name: each new name once, at most a dozen. */
function labels(places: Place[]): { i: number; text: string }[] {
  const first = places
    .map((p, i) => ({ i, text: p.name }))
    .filter(({ i, text }) => i === 0 || places[i - 1]?.name !== text);
  const every = Math.ceil(first.length / 12);
  return first.filter((_, k) => k % every === 0);
}

type PartProps = {
  name: string;
  factor: boolean;
  past: (number | null)[];
  ahead: (number | null)[];
  periods: string[];
  hue: string;
  width?: number;
};

/** A part over time, small: what is to come is tinted. */
export function PartChart({ name, factor, past, ahead, periods, hue, width = 380 }: PartProps) {
  const values = [...past, ...ahead];
  const known = values.filter((v): v is number => v !== null);
  if (known.length === 0) return null;
  const plain = factor ? 1 : 0;
  const { y, top, bottom } = scaleOf(
    known,
    Math.min(...known) <= plain && Math.max(...known) >= plain ? plain : undefined,
  );
  const x = (i: number) => left + (i / Math.max(1, values.length - 1)) * (width - left);
  return (
    <Figure
      title={`${name}${factor ? ", a factor" : ""}`}
      label={`${name} from ${figure(bottom)} to ${figure(top)}`}
      width={width}
      height={height}
      rows={[["period", name], ...values.map((v, i) => [periods[i] ?? "", v])]}
    >
      <rect
        x={x(past.length - 1)}
        y={4}
        width={width - x(past.length - 1)}
        height={height - foot - 4}
        fill="var(--copper)"
        opacity={0.1}
      />
      <Axis left={left} marks={[bottom, top]} y={y} width={width} />
      <path d={trace(values, x, y, width - left)} fill="none" stroke={`var(--${hue})`} strokeWidth={1.2} />
      {[0, past.length - 1].map((i) => (
        <text
          key={i}
          x={x(i)}
          y={height - 4}
          textAnchor={i === 0 ? "start" : "end"}
          fontSize={11}
          fill="var(--soft)"
        >
          {periods[i]}
        </text>
      ))}
    </Figure>
  );
}

/** The line, at most two points a pixel: the lowest and the highest there. */
function trace(values: (number | null)[], x: Scale, y: Scale, pixels: number): string {
  const step = Math.max(1, Math.floor(values.length / pixels));
  let path = "";
  let pen = false;
  for (let i = 0; i < values.length; i += step) {
    const some = values.slice(i, i + step).filter((v): v is number => v !== null);
    if (some.length === 0) {
      pen = false;
      continue;
    }
    for (const v of new Set([Math.min(...some), Math.max(...some)])) {
      path += `${pen ? "L" : "M"}${x(i).toFixed(1)} ${y(v).toFixed(1)}`;
      pen = true;
    }
  }
  return path;
}

export type Bar = { name: string; per: string; value: number; low: number | null; high: number | null };

/** What each of several things changes, in per cent, with its interval. */
export function EffectBars({ bars, hue, width = 780 }: { bars: Bar[]; hue: string; width?: number }) {
  const row = 22;
  const names = Math.max(
    230,
    Math.min(width / 2, 6.4 * Math.max(...bars.map((b) => inWords(b).length)) + 12),
  );
  const tall = bars.length * row + foot;
  const ends = bars.flatMap((b) => [b.value, b.low ?? b.value, b.high ?? b.value, 0]);
  const top = Math.max(...ends);
  const bottom = Math.min(...ends);
  const x = (v: number) => names + ((v - bottom) / (top - bottom || 1)) * (width - names - 76);
  const percent = (v: number) => `${v > 0 ? "+" : ""}${v.toFixed(1)} %`;
  return (
    <Figure
      title="What events and drivers do, in per cent of the usual level, with 95 % intervals"
      label={bars.map((b) => `${inWords(b)}: ${percent(b.value)}`).join("; ")}
      width={width}
      height={tall}
      rows={[
        ["name", "of", "per cent", "low", "high"],
        ...bars.map((b) => [b.name, b.per, b.value, b.low, b.high]),
      ]}
    >
      <line x1={x(0)} x2={x(0)} y1={0} y2={tall - foot} stroke="var(--rule)" />
      {bars.map((b, i) => {
        const middle = i * row + row / 2;
        return (
          <g key={b.name}>
            <text x={names - 8} y={middle + 4} textAnchor="end" fontSize={12} fill="var(--ink)">
              {inWords(b)}
            </text>
            <rect
              x={Math.min(x(0), x(b.value))}
              y={middle - 6}
              width={Math.abs(x(b.value) - x(0))}
              height={12}
              fill={`var(--${hue})`}
              opacity={0.45}
            />
            {b.low !== null && b.high !== null && (
              <line
                x1={x(b.low)}
                x2={x(b.high)}
                y1={middle}
                y2={middle}
                stroke="var(--ink)"
                strokeWidth={1.5}
              />
            )}
            <text
              x={Math.max(x(b.value), x(b.high ?? b.value), x(0)) + 6}
              y={middle + 4}
              fontSize={12}
              fill="var(--soft)"
            >
              {percent(b.value)}
            </text>
          </g>
        );
      })}
    </Figure>
  );
}
