import { useState } from "react";
import type { WatchPage } from "../api/watch";
import { clock, three } from "../format/figures";
import { ReadAlong } from "../parts/ReadAlong";
import { useReadOut } from "../parts/readOut";
import { wordOf } from "./kinds";

const height = 26;

/** So many kinds of wait have a row of their own. */
const mostKinds = 5;

type LoadProps = {
  page: WatchPage;
  span?: { from: string; to: string };
  /** Where a part of the course can be dragged over. */
  select?: (span: { from: string; to: string } | null) => void;
  /** Sessions that take the whole height, where others stand beside it. */
  scale?: number;
  /** Seconds that take the whole width, likewise. */
  seconds?: number;
};

/** Sessions over time, a row for each kind of wait on one scale: what makes the load, and when. */
export function LoadRows({ page, span, select, scale, seconds }: LoadProps) {
  const { course, kinds } = page;
  const read = useReadOut(course.length);
  const [begun, setBegun] = useState<number | null>(null);
  const [drawn, setDrawn] = useState<[number, number] | null>(null);
  const kindRows = kinds.map((k, i) => ({
    key: k,
    name: wordOf(k),
    values: course.map((p) => p.kinds[i] ?? 0),
  }));
  const rows = [
    { key: "", name: "all active", values: course.map((p) => p.active) },
    ...(page.part.length > 0 ? [{ key: "part", name: "of what is chosen", values: page.part }] : []),
    ...kindRows.slice(0, mostKinds),
    ...(kindRows.length > mostKinds ? [othersOf(kindRows.slice(mostKinds))] : []),
  ];
  const most = scale ?? Math.max(...course.map((p) => p.active), 1e-9);
  const first = course[0];
  const last = course[course.length - 1];
  if (!first || !last) {
    return (
      <p className="text-quiet">
        {page.watch.state === "running"
          ? "What is seen is told every ten seconds; the first ten are not over yet."
          : "It ended before its first ten seconds were over."}
      </p>
    );
  }
  const point = read.at === null ? undefined : course[read.at];
  const told = point
    ? `${clock(point.at)}: ${three(point.active)} active${kinds
        .map((k, i) => ({ k, v: point.kinds[i] ?? 0 }))
        .filter((p) => p.v > 0)
        .sort((a, b) => b.v - a.v)
        .map((p) => `, ${wordOf(p.k)} ${three(p.v)}`)
        .join("")}`
    : "";
  const at = (e: React.PointerEvent) => {
    const box = e.currentTarget.getBoundingClientRect();
    return Math.min(
      course.length - 1,
      Math.max(0, Math.floor(((e.clientX - box.left) / Math.max(1, box.width)) * course.length)),
    );
  };
  const choose = (a: number, b: number) => {
    const [low, high] = [course[Math.min(a, b)], course[Math.max(a, b)]];
    if (low && high) {
      const end = new Date(Date.parse(high.at) + page.pointSeconds * 1000).toISOString();
      select?.({ from: low.at, to: end });
    }
  };
  const shown = drawn ?? (span && placeOf(course, span));
  const lasts = seconds ? Math.min(1, (course.length * page.pointSeconds) / seconds) : 1;
  const table = (
    <table className="ruled w-full" aria-label="Sessions active on average, by what they wait for">
      <thead>
        <tr>
          <th scope="col" className="w-36">
            sessions
          </th>
          <th scope="col" className="num w-20">
            on average
          </th>
          <th scope="col">
            <span className="flex justify-between">
              <span>{clock(first.at)}</span>
              <span>{told || `up to ${three(most)} at once`}</span>
              <span>{clock(page.watch.lastAt)}</span>
            </span>
          </th>
        </tr>
      </thead>
      <tbody>
        {rows.map((r) => (
          <tr key={r.key}>
            <th scope="row" className="text-left font-normal">
              {r.key === "" ? <strong>{r.name}</strong> : r.name}
            </th>
            <td className="num">{three(averageOf(r.values, course))}</td>
            <td className="py-0">
              <svg
                viewBox={`0 0 ${course.length} ${height}`}
                preserveAspectRatio="none"
                width={`${100 * lasts}%`}
                height={height}
                role="img"
                className={select ? "cursor-crosshair touch-none" : ""}
                onPointerDown={(e) => {
                  if (select) {
                    e.currentTarget.setPointerCapture?.(e.pointerId);
                    setBegun(at(e));
                  }
                }}
                onPointerMove={(e) => {
                  read.setAt(at(e));
                  if (begun !== null) {
                    setDrawn([begun, at(e)]);
                  }
                }}
                onPointerUp={() => {
                  if (drawn && drawn[0] !== drawn[1]) {
                    choose(drawn[0], drawn[1]);
                  } else if (begun !== null) {
                    select?.(null);
                  }
                  setBegun(null);
                  setDrawn(null);
                }}
                aria-label={`${r.name}: ${three(averageOf(r.values, course))} on average, ${three(Math.max(...r.values))} at most`}
              >
                {shown && (
                  <rect
                    x={Math.min(...shown)}
                    width={Math.abs(shown[1] - shown[0]) + 1}
                    height={height}
                    className="fill-chosen"
                  />
                )}
                <path
                  d={steps(r.values, most)}
                  className={
                    r.key === "" ? "fill-strong" : r.key === "part" ? "fill-ink" : "fill-band stroke-quiet"
                  }
                  strokeWidth={1}
                  vectorEffect="non-scaling-stroke"
                />
              </svg>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
  return (
    <ReadAlong
      label="Sessions over time"
      count={course.length}
      read={read}
      told={told}
      hint={select ? "arrow keys read it out, with Shift they choose a span" : "arrow keys read it out"}
      onKey={(e) => {
        if (e.key === "Escape") {
          select?.(null);
        }
        if (select && e.shiftKey && read.at !== null && (e.key === "ArrowLeft" || e.key === "ArrowRight")) {
          const [a, b] = (span && placeOf(course, span)) ?? [read.at, read.at];
          choose(a === read.at ? b : a, read.at + (e.key === "ArrowRight" ? 1 : -1));
        }
      }}
    >
      {table}
    </ReadAlong>
  );
}

/** The first and the last point of a span. */
function placeOf(
  course: WatchPage["course"],
  span: { from: string; to: string },
): [number, number] | undefined {
  const inside = course
    .map((p, i) => ({ i, at: Date.parse(p.at) }))
    .filter((p) => p.at >= Date.parse(span.from) && p.at < Date.parse(span.to));
  const [first, last] = [inside[0], inside.at(-1)];
  return first && last ? [first.i, last.i] : undefined;
}

function othersOf(rows: { name: string; values: number[] }[]) {
  const values = (rows[0]?.values ?? []).map((_, at) =>
    rows.reduce((sum, r) => sum + (r.values[at] ?? 0), 0),
  );
  return { key: "others", name: rows.map((r) => r.name).join(", "), values };
}

/** Points weigh by how many looks they hold: the last one is often short. */
function averageOf(values: number[], course: WatchPage["course"]): number {
  const looks = course.reduce((sum, p) => sum + p.samples, 0);
  return values.reduce((sum, v, at) => sum + v * (course[at]?.samples ?? 0), 0) / Math.max(1, looks);
}

function steps(values: number[], most: number): string {
  return `M0 ${height}${values.map((v, i) => `V${(height - (v / most) * (height - 2)).toFixed(2)}H${i + 1}`).join("")}V${height}Z`;
}
