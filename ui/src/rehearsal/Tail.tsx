import { scaleLinear, scaleLog } from "@visx/scale";
import { useRef } from "react";
import type { RehearsalResult } from "../api/rehearsals";
import { duration } from "../format/figures";
import { logTicks } from "../format/ticks";
import { SideMark } from "../parts/Mark";
import { ReadAlong } from "../parts/ReadAlong";
import { useReadOut } from "../parts/readOut";
import { useWidth } from "../parts/useWidth";

const points = [
  ["p50", 0.5],
  ["p90", 0.9],
  ["p95", 0.95],
  ["p99", 0.99],
  ["p999", 0.999],
] as const;

const height = 170;
const left = 58;

/** Latency over the percentile axis, which is drawn out towards its end so that the tail is seen. */
export function Tail({ result }: { result: RehearsalResult }) {
  const frame = useRef<HTMLDivElement>(null);
  const width = useWidth(frame, 480, 260);
  const read = useReadOut(points.length);
  const sides = (["before", "after"] as const).flatMap((side) => {
    const latency = result[side]?.latencyMs;
    return latency ? [{ side, at: points.map(([name]) => latency[name]) }] : [];
  });
  const all = sides.flatMap((s) => s.at).filter((v) => v > 0);
  if (all.length === 0) {
    return null;
  }
  const x = scaleLinear({ domain: [0, points.length - 1], range: [left, width - 24] });
  const low = Math.min(...all) / 1.3;
  const high = Math.max(...all) * 1.3;
  const y = scaleLog({ domain: [low, high], range: [height - 22, 8] });
  const told =
    read.at === null
      ? ""
      : `${labelOf(read.at)} %: ${sides.map((s) => `${duration(s.at[read.at ?? 0] ?? 0)} ${s.side}`).join(", ")}`;
  return (
    <figure className="mt-4" ref={frame}>
      <figcaption className="section flex flex-wrap justify-between gap-x-3">
        <span>Latency from the intended start: so many executions took no longer</span>
        <span className="font-normal text-quiet">
          {told ||
            sides.map((s) => (
              <span key={s.side} className="ml-3">
                <SideMark side={s.side} />
                {s.side}
              </span>
            ))}
        </span>
      </figcaption>
      <ReadAlong label="Latency by percentile" count={points.length} read={read} told={told}>
        <svg width={width} height={height} role="presentation" className="block">
          {logTicks(low, high).map((t) => (
            <g key={t}>
              <line x1={left} x2={width - 24} y1={y(t)} y2={y(t)} className="stroke-rule" />
              <text x={left - 6} y={y(t) + 4} textAnchor="end" className="fill-quiet text-xs">
                {duration(t)}
              </text>
            </g>
          ))}
          {points.map((p, i) => (
            <text key={p[0]} x={x(i)} y={height - 6} textAnchor="middle" className="fill-quiet text-xs">
              {labelOf(i)} %
            </text>
          ))}
          {read.at !== null && (
            <line x1={x(read.at)} x2={x(read.at)} y1={8} y2={height - 22} className="stroke-strong" />
          )}
          {sides.map((s) => (
            <g key={s.side} className="text-ink">
              <polyline
                points={s.at.map((v, i) => `${x(i)},${y(Math.max(low, v))}`).join(" ")}
                fill="none"
                stroke="currentColor"
                strokeWidth={s.side === "before" ? 1 : 1.75}
                strokeDasharray={s.side === "before" ? "4 3" : undefined}
              />
              {s.at.map((v, i) => (
                <circle
                  key={points[i]?.[0]}
                  cx={x(i)}
                  cy={y(Math.max(low, v))}
                  r={4}
                  stroke="currentColor"
                  strokeWidth={1.5}
                  className={s.side === "before" ? "fill-paper" : "fill-ink"}
                />
              ))}
            </g>
          ))}
          {points.map((p, i) => (
            <rect
              key={p[0]}
              x={x(i) - (x(1) - x(0)) / 2}
              y={0}
              width={x(1) - x(0)}
              height={height}
              fill="transparent"
              onPointerEnter={() => read.setAt(i)}
            />
          ))}
        </svg>
      </ReadAlong>
    </figure>
  );
}

const labelOf = (i: number) => Number(((points[i]?.[1] ?? 0) * 100).toFixed(1));
