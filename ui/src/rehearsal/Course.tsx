import { scaleLinear } from "@visx/scale";
import { useRef } from "react";
import type { RehearsalResult } from "../api/rehearsals";
import { duration, three } from "../format/figures";
import { roundTicks } from "../format/ticks";
import { SideMark } from "../parts/Mark";
import { ReadAlong } from "../parts/ReadAlong";
import { useReadOut } from "../parts/readOut";
import { useWidth } from "../parts/useWidth";

const left = 58;
const strip = 74;
const mostKinds = 4;
const leastSessions = 0.05;

/** Throughput, the 99th percentile, and how many sessions were in each kind of wait, stint by stint, in the order they ran. */
export function Course({ result }: { result: RehearsalResult }) {
  const frame = useRef<HTMLDivElement>(null);
  const width = useWidth(frame, 480, 260);
  const stints = result.stints;
  const read = useReadOut(stints.length);
  const x = scaleLinear({ domain: [0, Math.max(1, stints.length - 1)], range: [left + 6, width - 14] });
  const here = read.at === null ? undefined : stints[read.at];
  const told = here
    ? `stint ${(read.at ?? 0) + 1}, ${here.side}: ${three(here.throughputPerSecond)}/s, p99 ${duration(here.latencyMs?.p99 ?? 0)}${here.steady ? "" : ", no steady state"}${here.senderWasTheLimit ? ", left out: the sender was the limit" : ""}`
    : "";
  type One = (typeof stints)[number];
  const sessionsIn = (s: One, kind: string) =>
    (s.waits.find((w) => w.kind === kind)?.share ?? 0) * s.sessionsInUse;
  const kinds = [...new Set(stints.flatMap((s) => s.waits.map((w) => w.kind)))]
    .map((kind) => ({ kind, most: Math.max(...stints.map((s) => sessionsIn(s, kind))) }))
    .filter((k) => k.most >= leastSessions)
    .sort((a, b) => b.most - a.most)
    .slice(0, mostKinds)
    .map((k) => k.kind);
  const rows = [
    { name: "a second", over: "", of: (s: One) => s.throughputPerSecond, text: three },
    { name: "p99", over: "", of: (s: One) => s.latencyMs?.p99 ?? 0, text: duration },
    ...kinds.map((kind, i) => ({
      name: i === 0 ? "sessions" : "",
      over: kind,
      of: (s: One) => sessionsIn(s, kind),
      text: three,
    })),
  ];
  const ofKinds = Math.max(1e-9, ...stints.flatMap((s) => kinds.map((k) => sessionsIn(s, k))));
  return (
    <figure className="mt-4" ref={frame}>
      <figcaption className="section flex flex-wrap justify-between gap-x-3">
        <span>Stint by stint</span>
        <span className="font-normal text-quiet">
          {told || (
            <>
              <SideMark side="before" />
              before <SideMark side="after" />
              after
            </>
          )}
        </span>
      </figcaption>
      <ReadAlong label="Stints in the order they ran" count={stints.length} read={read} told={told}>
        <svg width={width} height={strip * rows.length} role="presentation" className="block">
          {rows.map((row, r) => {
            const most = row.over ? ofKinds : Math.max(...stints.map(row.of), 1e-9);
            const y = scaleLinear({ domain: [0, most * 1.08], range: [strip - 10, row.over ? 22 : 6] });
            return (
              <g key={row.name} transform={`translate(0 ${r * strip})`}>
                {row.over && (
                  <text x={left + 6} y={16} className="fill-quiet text-xs">
                    {row.over}
                  </text>
                )}
                {roundTicks(most, 3).map((t) => (
                  <g key={t}>
                    <line x1={left} x2={width - 8} y1={y(t)} y2={y(t)} className="stroke-rule" />
                    <text x={left - 6} y={y(t) + 4} textAnchor="end" className="fill-quiet text-xs">
                      {t === 0 ? row.name : row.text(t)}
                    </text>
                  </g>
                ))}
                {stints.map((s, i) => (
                  <circle
                    // biome-ignore lint/suspicious/noArrayIndexKey: stints are only ever appended.
                    key={i}
                    cx={x(i)}
                    cy={y(row.of(s))}
                    r={read.at === i ? 5 : 3.2}
                    strokeWidth={1.4}
                    className={`stroke-ink ${s.side === "before" ? "fill-paper" : "fill-ink"}`}
                    opacity={s.senderWasTheLimit ? 0.35 : 1}
                  />
                ))}
              </g>
            );
          })}
          {stints.map((_, i) => (
            <rect
              // biome-ignore lint/suspicious/noArrayIndexKey: stints are only ever appended.
              key={i}
              x={x(i - 0.5)}
              y={0}
              width={Math.max(1, x(1) - x(0))}
              height={strip * rows.length}
              fill="transparent"
              onPointerEnter={() => read.setAt(i)}
            />
          ))}
        </svg>
      </ReadAlong>
    </figure>
  );
}
