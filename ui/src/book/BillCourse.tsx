import { scaleLinear } from "@visx/scale";
import { useRef } from "react";
import { useDaybook } from "../api/daybook";
import { pace, useEntries } from "../api/entries";
import { useLive } from "../api/holds";
import { count, three } from "../format/figures";
import { DeploymentMarks } from "../parts/DeploymentMarks";
import { ReadAlong } from "../parts/ReadAlong";
import { useReadOut } from "../parts/readOut";
import { useWidth } from "../parts/useWidth";

const height = 112;
const left = 40;
const right = 8;
const top = 22;
const foot = 34;
const day = 86_400_000;

type Bar = { from: number; to: number; seconds: number; calls: number };

/** What the database took, day by day (or by the course's own stretches where the captures are shorter), with deployments above and the ledger's entries below. */
export function BillCourse({ book }: { book: number }) {
  const frame = useRef<HTMLDivElement>(null);
  const width = useWidth(frame, 520, 260);
  const page = useDaybook(book, {}, {}, false, useLive().data?.on ? pace : false).data;
  const entries = useEntries(book).data?.entries ?? [];
  const bars = page ? barsOf(page.course, page.stretchMinutes * 60_000) : [];
  const read = useReadOut(bars.length);
  const first = bars[0];
  const last = bars[bars.length - 1];
  if (!page || !first || !last || bars.length < 2) {
    return null;
  }
  const most = Math.max(...bars.map((b) => b.seconds));
  const x = scaleLinear({ domain: [first.from, last.to], range: [left, width - right] });
  const y = scaleLinear({ domain: [0, most || 1], range: [height - foot, top] });
  const daily = first.to - first.from >= day;
  const deployments = page.deployments.filter((d) => within(Date.parse(d.at)));
  const live = entries.filter((e) => e.liveAt !== null && within(Date.parse(e.liveAt)));
  const at = read.at === null ? undefined : bars[read.at];
  const told = at
    ? [`${name(at.from)}: ${three(at.seconds)} s in ${count(at.calls)} calls`, ...events(at)].join(", ")
    : "";

  function within(moment: number) {
    return first !== undefined && last !== undefined && moment >= first.from && moment <= last.to;
  }

  function name(moment: number) {
    return new Date(moment)
      .toISOString()
      .slice(0, daily ? 10 : 16)
      .replace("T", " ");
  }

  function events(bar: Bar) {
    const here = (moment: string) => Date.parse(moment) >= bar.from && Date.parse(moment) < bar.to;
    return [
      ...deployments.filter((d) => here(d.at)).map((d) => `${`${d.version} ${d.what}`.trim()} deployed`),
      ...live.filter((e) => here(e.liveAt ?? "")).map((e) => `entry ${e.number} live`),
    ];
  }

  return (
    <figure ref={frame} className="mb-4">
      <figcaption className="flex flex-wrap justify-between gap-x-3">
        <b>The bill</b>
        <span className="text-quiet text-sm">
          {told || `database-seconds ${daily ? "a day" : "over time"}, deployments above, entries below`}
        </span>
      </figcaption>
      <ReadAlong label="The bill over time" count={bars.length} read={read} told={told}>
        <svg width={width} height={height} role="presentation" className="block">
          <text x={left - 5} y={y(most) + 4} textAnchor="end" className="fill-quiet text-xs">
            {three(most)}
          </text>
          {bars.map((b) => (
            <rect
              key={b.from}
              x={x(b.from) + 0.5}
              width={Math.max(1, x(b.to) - x(b.from) - 1)}
              y={y(b.seconds)}
              height={Math.max(0, height - foot - y(b.seconds))}
              className={b === at ? "fill-ink" : "fill-quiet"}
              fillOpacity={b === at ? 1 : 0.45}
            />
          ))}
          <line
            x1={left}
            x2={width - right}
            y1={height - foot}
            y2={height - foot}
            className="stroke-strong"
          />
          <DeploymentMarks deployments={deployments} x={x} top={top} bottom={height - foot} />
          {live.map((e) => (
            <g key={e.number}>
              <rect
                x={x(Date.parse(e.liveAt ?? "")) - 8}
                y={height - foot + 3}
                width={16}
                height={14}
                className="fill-paper stroke-ink"
              />
              <text
                x={x(Date.parse(e.liveAt ?? ""))}
                y={height - foot + 14}
                textAnchor="middle"
                className="fill-ink text-xs"
              >
                {e.number}
              </text>
            </g>
          ))}
          <text x={left} y={height - 3} className="fill-quiet text-xs">
            {name(first.from)}
          </text>
          <text x={width - right} y={height - 3} textAnchor="end" className="fill-quiet text-xs">
            {name(last.from)}
          </text>
        </svg>
      </ReadAlong>
    </figure>
  );
}

/** By whole days of UTC from three days on. */
function barsOf(course: { at: string; seconds: number; calls: number }[], stretch: number): Bar[] {
  const points = course.map((c) => ({ at: Date.parse(c.at), seconds: c.seconds, calls: c.calls }));
  const first = points[0];
  const last = points[points.length - 1];
  if (!first || !last) {
    return [];
  }
  const length = last.at - first.at >= 3 * day ? day : stretch;
  const bars = new Map<number, Bar>();
  for (const p of points) {
    const from = Math.floor(p.at / length) * length;
    const bar = bars.get(from) ?? { from, to: from + length, seconds: 0, calls: 0 };
    bars.set(from, { ...bar, seconds: bar.seconds + p.seconds, calls: bar.calls + p.calls });
  }
  return [...bars.values()].sort((a, b) => a.from - b.from);
}
