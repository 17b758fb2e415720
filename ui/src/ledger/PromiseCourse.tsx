import { scaleLog, scaleTime } from "@visx/scale";
import { useRef } from "react";
import type { Schemas } from "../api/client";
import { count, duration, moment, three } from "../format/figures";
import { logTicks } from "../format/ticks";
import { ReadAlong } from "../parts/ReadAlong";
import { useReadOut } from "../parts/readOut";
import { useWidth } from "../parts/useWidth";

type Course = Schemas["PromiseCourse"];

const height = 132;
const left = 58;
const right = 12;
const foot = 20;

/** What a call took around a deployment: hollow before, solid since, and the promise as a frame that since should lie in. */
export function PromiseCourse({ course, deployed }: { course: Course; deployed: string }) {
  const frame = useRef<HTMLDivElement>(null);
  const width = useWidth(frame, 640, 280);
  const points = course.points;
  const read = useReadOut(points.length);
  const first = points[0];
  const last = points[points.length - 1];
  if (!first || !last) {
    return null;
  }
  const band = course.lowMs !== null && course.highMs !== null ? [course.lowMs, course.highMs] : [];
  const all = [
    ...points.map((p) => p.ms),
    ...band,
    ...(course.beforeMs !== null ? [course.beforeMs] : []),
  ].filter((v) => v > 0);
  const low = Math.min(...all) / 1.4;
  const high = Math.max(...all) * 1.4;
  const at = new Date(deployed);
  const ends = [Math.min(+new Date(first.at), +at), Math.max(+new Date(last.at), +at)];
  const x = scaleTime({ domain: ends, range: [left, width - right] });
  const y = scaleLog({ domain: [low, high], range: [height - foot, 6], clamp: true });
  const read1 = read.at === null ? undefined : points[read.at];
  const told = read1
    ? `${moment(read1.at)}: ${duration(read1.ms)}, ${count(read1.calls)} calls, ${read1.since ? "since" : "before"}`
    : "";
  const promised =
    band.length === 2
      ? `promised ${duration(band[0] ?? 0)} to ${duration(band[1] ?? 0)}`
      : "nothing before to promise of";
  const live = x(at);
  return (
    <figure className="mt-3" ref={frame}>
      <figcaption className="flex flex-wrap justify-between gap-x-3">
        <b>{course.statement}</b>
        <span className="text-quiet text-sm">
          {told || `the middle call's time, by ${stretch(course.minutes)}; ${promised}`}
        </span>
      </figcaption>
      <ReadAlong
        label={`Course of ${course.statement}, ${promised}`}
        count={points.length}
        read={read}
        told={told}
      >
        <svg width={width} height={height} role="presentation" className="block">
          {logTicks(low, high).map((t) => (
            <g key={t}>
              <line x1={left} x2={width - right} y1={y(t)} y2={y(t)} className="stroke-rule" />
              <text x={left - 6} y={y(t) + 4} textAnchor="end" className="fill-quiet text-xs">
                {duration(t)}
              </text>
            </g>
          ))}
          {band.length === 2 && (
            <rect
              x={live}
              width={Math.max(2, width - right - live)}
              y={y(band[1] ?? high)}
              height={Math.max(3, y(band[0] ?? low) - y(band[1] ?? high))}
              className="fill-none stroke-strong"
              strokeDasharray="5 3"
            />
          )}
          {course.beforeMs !== null && (
            <line
              x1={left}
              x2={live}
              y1={y(course.beforeMs)}
              y2={y(course.beforeMs)}
              className="stroke-strong"
              strokeDasharray="2 3"
            />
          )}
          <line x1={live} x2={live} y1={2} y2={height - foot} className="stroke-ink" strokeWidth="1.5" />
          {points.map((p) => (
            <circle
              key={`${p.at} ${p.since}`}
              cx={x(new Date(p.at))}
              cy={y(p.ms)}
              r={p === read1 ? 4.5 : 2.6}
              className={p.since ? "fill-ink stroke-ink" : "fill-paper stroke-ink"}
            />
          ))}
          <text x={left} y={height - 4} className="fill-quiet text-xs">
            {moment(first.at)}
          </text>
          <text
            x={live}
            y={height - 4}
            textAnchor={live > width * 0.7 ? "end" : "middle"}
            className="fill-ink text-xs"
          >
            {live > left + 130 && live < width - 130 ? "live" : ""}
          </text>
          <text x={width - right} y={height - 4} textAnchor="end" className="fill-quiet text-xs">
            {moment(last.at)}
          </text>
        </svg>
      </ReadAlong>
    </figure>
  );
}

const stretch = (minutes: number) =>
  minutes === 1
    ? "the minute"
    : minutes < 60
      ? `${minutes} min`
      : minutes === 60
        ? "the hour"
        : `${three(minutes / 60)} hours`;
