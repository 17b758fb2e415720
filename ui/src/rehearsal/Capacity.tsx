import { scaleLinear, scaleLog } from "@visx/scale";
import { useRef } from "react";
import type { Schemas } from "../api/client";
import { duration, percent, three } from "../format/figures";
import { logTicks, roundTicks } from "../format/ticks";
import { SideMark } from "../parts/Mark";
import { ReadAlong } from "../parts/ReadAlong";
import { useReadOut } from "../parts/readOut";
import { useWidth } from "../parts/useWidth";

const height = 200;
const left = 58;

/** Latency over the rate that was offered, or throughput over sessions with the law fitted to it. */
export function Capacity({ capacity }: { capacity: Schemas["RehearsalCapacity"] }) {
  const frame = useRef<HTMLDivElement>(null);
  const width = useWidth(frame, 480, 260);
  const tried = [...capacity.tried].sort((a, b) => a.offered - b.offered);
  const read = useReadOut(tried.length);
  const curve = capacity.limit === null;
  const value = (t: (typeof tried)[number]) => (curve ? t.perSecond : (t.latency ?? 0));
  const all = tried.map(value).filter((v) => v > 0);
  if (all.length === 0) {
    return null;
  }
  const least = Math.min(...tried.map((t) => t.offered));
  const most = Math.max(...tried.map((t) => t.offered));
  const x = scaleLog({ domain: [least / 1.1, most * 1.1], range: [left, width - 16] });
  const y = curve
    ? scaleLinear({ domain: [0, Math.max(...all) * 1.1], range: [height - 34, 8] })
    : scaleLog({ domain: [Math.min(...all) / 1.3, Math.max(...all) * 1.3], range: [height - 34, 8] });
  const here = read.at === null ? undefined : tried[read.at];
  const told = here
    ? `${here.side}, ${three(here.offered)}${curve ? " sessions" : "/s offered"}: ${three(here.perSecond)}/s${here.latency === null ? "" : `, ${duration(here.latency)}`}${curve ? "" : `, held in ${here.held} of ${here.stints}`}`
    : "";
  const ticks = curve
    ? roundTicks(Math.max(...all))
    : logTicks(Math.min(...all) / 1.3, Math.max(...all) * 1.3);
  const law = (side: "before" | "after") => (side === "before" ? capacity.lawBefore : capacity.lawAfter);
  const lawAt = (l: NonNullable<ReturnType<typeof law>>, n: number) =>
    (l.one * n) / (1 + l.contention * (n - 1) + l.coherency * n * (n - 1));
  return (
    <figure ref={frame}>
      <figcaption className="section flex flex-wrap justify-between gap-x-3">
        <span>
          {curve ? "Throughput over sessions" : `Latency over the rate offered; limit ${capacity.limit}`}
        </span>
        <span className="font-normal text-quiet">{told}</span>
      </figcaption>
      <ReadAlong label="What was tried" count={tried.length} read={read} told={told}>
        <svg width={width} height={height} role="presentation" className="block">
          {ticks.map((t) => (
            <g key={t}>
              <line x1={left} x2={width - 16} y1={y(t)} y2={y(t)} className="stroke-rule" />
              <text x={left - 6} y={y(t) + 4} textAnchor="end" className="fill-quiet text-xs">
                {curve ? `${three(t)}/s` : duration(t)}
              </text>
            </g>
          ))}
          {(curve ? [...new Set(tried.map((t) => t.offered))] : logTicks(least, most)).map((t) => (
            <text key={t} x={x(t)} y={height - 18} textAnchor="middle" className="fill-quiet text-xs">
              {three(t)}
            </text>
          ))}
          <text x={width - 16} y={height - 3} textAnchor="end" className="fill-quiet text-xs">
            {curve ? "sessions" : "executions a second offered"}
          </text>
          {(["before", "after"] as const).map((side) => {
            const fitted = law(side);
            return fitted ? (
              <polyline
                key={side}
                points={Array.from({ length: 60 }, (_, i): number => least * (most / least) ** (i / 59))
                  .map((n) => `${x(n)},${y(lawAt(fitted, n))}`)
                  .join(" ")}
                fill="none"
                className="stroke-strong"
                strokeDasharray={side === "before" ? "4 3" : undefined}
              />
            ) : null;
          })}
          {tried.map((t, i) => (
            <circle
              key={`${t.side} ${t.offered}`}
              cx={x(t.offered)}
              cy={y(Math.max(value(t), Math.min(...all)))}
              r={read.at === i ? 6 : 4}
              strokeWidth={1.5}
              className={`stroke-ink ${t.side === "before" ? "fill-paper" : "fill-ink"}`}
              onPointerEnter={() => read.setAt(i)}
            />
          ))}
        </svg>
      </ReadAlong>
      {(["before", "after"] as const).map((side) => {
        const fitted = law(side);
        return fitted ? (
          <p key={side} className="text-quiet">
            <SideMark side={side} />
            {side}: one session alone {three(fitted.one)}/s; {percent(Math.min(1, fitted.contention))} of the
            work lets one session through at a time; each pair of sessions costs{" "}
            {percent(Math.min(1, fitted.coherency))}
            {fitted.peak != null ? `; most with about ${three(fitted.peak)} sessions` : ""}.
          </p>
        ) : null;
      })}
    </figure>
  );
}
