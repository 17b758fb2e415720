import { scaleLog } from "@visx/scale";
import { ratio } from "../format/figures";
import { inkOf } from "./Mark";

type Props = {
  low: number;
  high: number;
  centre: number;
  bandLow: number;
  bandHigh: number;
  verdict?: string | null;
  width: number;
  height: number;
  /** Largest ratio shown to each side; what lies beyond is drawn as an arrow at the edge. */
  reach: number;
  labelled?: boolean;
};

/** The ratio's confidence interval against the tolerance band, on a logarithmic scale with 1 in the middle. */
export function IntervalBar(p: Props) {
  const x = scaleLog({ domain: [1 / p.reach, p.reach], range: [4, p.width - 4], clamp: true });
  const axis = p.labelled ? 16 : 0;
  const middle = (p.height - axis) / 2;
  const beyond = p.low > p.reach ? 1 : p.high < 1 / p.reach ? -1 : 0;
  const edge = beyond > 0 ? p.width - 3 : 3;
  return (
    <svg
      width={p.width}
      height={p.height}
      role="img"
      aria-label={`${ratio(p.centre)}; interval ${p.low.toPrecision(3)} to ${p.high.toPrecision(3)} against a band of ${p.bandLow.toPrecision(3)} to ${p.bandHigh.toPrecision(3)}`}
      className={`block ${inkOf(p.verdict)}`}
    >
      <rect
        x={x(p.bandLow)}
        y={0}
        width={Math.max(1, x(p.bandHigh) - x(p.bandLow))}
        height={p.height - axis}
        className="fill-band"
      />
      <line x1={x(1)} x2={x(1)} y1={0} y2={p.height - axis} className="stroke-strong" />
      {beyond === 0 ? (
        <>
          <line
            x1={x(p.low)}
            x2={Math.max(x(p.high), x(p.low) + 1)}
            y1={middle}
            y2={middle}
            stroke="currentColor"
            strokeWidth={p.labelled ? 3 : 2}
          />
          <circle cx={x(p.centre)} cy={middle} r={p.labelled ? 4.5 : 3} fill="currentColor" />
        </>
      ) : (
        <path
          d={`M${edge} ${middle}l${-beyond * 7} -4.5v9z M${edge - beyond * 9} ${middle}h${-beyond * 8}`}
          fill="currentColor"
          stroke="currentColor"
          strokeWidth={2}
        />
      )}
      {p.labelled &&
        ticksFor(p.reach).map((t) => (
          <text key={t} x={x(t)} y={p.height - 2} textAnchor="middle" className="fill-quiet text-xs">
            {t < 1 ? `${Number((1 / t).toPrecision(3))}x cheaper` : t > 1 ? `${t}x dearer` : "1"}
          </text>
        ))}
    </svg>
  );
}

function ticksFor(reach: number): number[] {
  const step = [1.05, 1.1, 1.2, 1.5, 2, 5, 10, 100, 1000, 10000].find((s) => s >= Math.sqrt(reach)) ?? reach;
  return [1 / step, 1, step];
}
