import { scaleLog } from "@visx/scale";
import { ratio } from "../format/figures";

/** The promised interval as a hollow bar, the observed one as a line with its centre, on one logarithmic scale with 1 marked. */
export function PromiseBar(p: {
  promised: { low: number; high: number };
  seen?: { low: number; high: number; centre: number };
  reach: number;
  width: number;
}) {
  const x = scaleLog({ domain: [1 / p.reach, p.reach], range: [3, p.width - 3], clamp: true });
  const told = p.seen
    ? `promised ${ratio(p.promised.low)} to ${ratio(p.promised.high)}, came ${ratio(p.seen.low)} to ${ratio(p.seen.high)}`
    : `promised ${ratio(p.promised.low)} to ${ratio(p.promised.high)}`;
  return (
    <svg width={p.width} height="18" role="img" aria-label={told}>
      <line x1={x(1)} x2={x(1)} y1="0" y2="18" className="stroke-rule" strokeWidth="3" />
      <rect
        x={x(p.promised.low)}
        y="2.5"
        width={Math.max(3, x(p.promised.high) - x(p.promised.low))}
        height="13"
        className="fill-none stroke-ink"
      />
      {p.seen && (
        <>
          <line
            x1={x(p.seen.low)}
            x2={Math.max(x(p.seen.low) + 2, x(p.seen.high))}
            y1="9"
            y2="9"
            className="stroke-ink"
            strokeWidth="2.4"
          />
          <circle cx={x(p.seen.centre)} cy="9" r="3.4" className="fill-ink" />
        </>
      )}
    </svg>
  );
}
