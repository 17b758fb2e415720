import { scaleLinear, scaleLog } from "@visx/scale";
import type { Deployment, Point, Sample } from "../api/daybook";
import { exactly, moment, three } from "../format/figures";
import { logTicks } from "../format/ticks";
import { DeploymentMarks } from "../parts/DeploymentMarks";
import { ReadAlong } from "../parts/ReadAlong";
import { ReadMark } from "../parts/ReadMark";
import { pointAt, useReadOut } from "../parts/readOut";

type Props = {
  course: Point[];
  samples: Sample[];
  deployments: Deployment[];
  minutes: number;
  chosen: number | null;
  choose: (id: number) => void;
};

const width = 760;
const height = 230;
const left = 58;
const top = 20;
const bottom = 20;

/** Durations over time on a logarithmic scale: from median to 95th percentile as a ribbon, the kept executions as points. */
export function SampleCourse(p: Props) {
  const step = p.minutes * 60_000;
  const points = p.course.map((c) => ({ at: Date.parse(c.at), low: c.p50Ms ?? 0, high: c.p95Ms ?? 0 }));
  const timed = p.samples.filter((s) => s.ms !== null && s.ms > 0);
  const all = [...points.flatMap((c) => [c.low, c.high]), ...timed.map((s) => s.ms ?? 0)].filter(
    (v) => v > 0,
  );
  const first = points[0]?.at ?? 0;
  const last = (points.at(-1)?.at ?? 1) + step;
  const low = Math.min(...all);
  const high = Math.max(...all);
  const x = scaleLinear({ domain: [first, last], range: [left, width - 8] });
  const y = scaleLog({ domain: [low * 0.8, high * 1.25], range: [height - bottom, top], clamp: true });
  const read = useReadOut(points.length);
  const point = read.at === null ? undefined : points[read.at];
  const told = point
    ? `${exactly(new Date(point.at).toISOString())}: median ${three(point.low)}, 95th percentile ${three(point.high)} ms`
    : "";
  if (all.length === 0) {
    return <p className="text-quiet">The capture gives no durations.</p>;
  }
  return (
    <ReadAlong label="Durations over time" count={points.length} read={read} told={told}>
      <svg
        viewBox={`0 0 ${width} ${height}`}
        className="w-full max-w-[900px]"
        role="group"
        onPointerMove={(e) => {
          const box = e.currentTarget.getBoundingClientRect();
          const time = x.invert(((e.clientX - box.left) * width) / Math.max(1, box.width));
          const under = pointAt(
            points.map((c) => c.at),
            time,
          );
          read.setAt(under < 0 ? null : under);
        }}
        aria-label={`Durations from ${three(low)} to ${three(high)} ms, ${timed.length} kept executions, ${p.deployments.length} deployments`}
      >
        {logTicks(low * 0.8, high * 1.25).map((t) => (
          <g key={t}>
            <line x1={left} x2={width - 8} y1={y(t)} y2={y(t)} className="stroke-rule" />
            <text x={left - 6} y={y(t) + 4} textAnchor="end" className="fill-quiet text-xs">
              {three(t)}
            </text>
          </g>
        ))}
        {points.map((c) => (
          <g key={c.at}>
            <rect
              x={x(c.at)}
              width={Math.max(1, x(c.at + step) - x(c.at))}
              y={y(c.high)}
              height={Math.max(1, y(c.low) - y(c.high))}
              className="fill-band"
            />
            <line x1={x(c.at)} x2={x(c.at + step)} y1={y(c.low)} y2={y(c.low)} className="stroke-ink" />
          </g>
        ))}
        <DeploymentMarks
          deployments={p.deployments.filter((d) => Date.parse(d.at) >= first && Date.parse(d.at) <= last)}
          x={x}
          top={top}
          bottom={height - bottom}
        />
        {point && (
          <ReadMark
            from={x(point.at)}
            to={x(point.at + step)}
            top={top}
            bottom={height - bottom}
            y={height - bottom - 6}
            width={width}
            told={told}
          />
        )}
        {timed.map((s) => (
          // biome-ignore lint/a11y/noStaticElementInteractions: the table of executions does the same by keyboard.
          <circle
            key={s.id}
            cx={x(Date.parse(s.at))}
            cy={y(s.ms ?? 0)}
            r={s.id === p.chosen ? 6 : 3.5}
            className={`cursor-pointer ${s.error ? "fill-paper stroke-failed" : "fill-ink stroke-paper"}`}
            strokeWidth={s.error ? 2 : 1}
            onClick={() => p.choose(s.id)}
          >
            <title>
              {moment(s.at)}, {three(s.ms ?? 0)} ms {s.binds}
            </title>
          </circle>
        ))}
        <text x={left} y={height - 4} className="fill-quiet text-xs">
          {moment(new Date(first).toISOString())}
        </text>
        <text x={width - 8} y={height - 4} textAnchor="end" className="fill-quiet text-xs">
          {moment(new Date(last).toISOString())}
        </text>
      </svg>
    </ReadAlong>
  );
}
