import { scaleLinear, scaleLog } from "@visx/scale";
import type { Schemas } from "../api/client";
import { inkOf, verdictOrder } from "../parts/Mark";

const width = 120;
const height = 22;
const reach = 30;

/** A trial at a glance, for lists: its lines on one axis of change for all trials, from 30 times cheaper to 30 times dearer. */
export function SmallStrip({ stems }: { stems: Schemas["Stem"][] }) {
  if (stems.length === 0) {
    return null;
  }
  const x = scaleLog({ domain: [1 / reach, reach], range: [2, width - 2], clamp: true });
  const highest = Math.max(...stems.map((s) => s.share), 0.01);
  const y = scaleLinear({ domain: [0, highest], range: [height - 5, 1] });
  const told = verdictOrder
    .map((v) => [stems.filter((s) => s.verdict === v).length, v] as const)
    .filter(([n]) => n > 0)
    .map(([n, v]) => `${n} ${v}`)
    .join(", ");
  return (
    <svg width={width} height={height} role="img" aria-label={told || "nothing settled"} className="block">
      <title>{told}</title>
      <line x1={x(1)} x2={x(1)} y1={0} y2={height} className="stroke-rule" />
      <line x1={0} x2={width} y1={height - 0.5} y2={height - 0.5} className="stroke-strong" />
      {stems.map((s) => {
        const open = s.verdict === "unsettled" || s.verdict === null;
        const top = y(s.share);
        return (
          <rect
            key={s.line}
            x={x(s.ratio) - 1}
            width={2.5}
            y={top}
            height={height - 1 - top}
            className={inkOf(s.verdict)}
            fill={open ? "none" : "currentColor"}
            stroke={open ? "currentColor" : "none"}
          />
        );
      })}
    </svg>
  );
}
