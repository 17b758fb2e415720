import { scaleLinear, scaleLog } from "@visx/scale";
import { useState } from "react";
import type { Schemas } from "../api/client";
import { useStatement } from "../api/daybook";
import { exactly, moment, three } from "../format/figures";
import { logTicks } from "../format/ticks";
import { DeploymentMarks } from "../parts/DeploymentMarks";
import { ReadAlong } from "../parts/ReadAlong";
import { useReadOut } from "../parts/readOut";

type Seen = Schemas["PlanSeenView"];
type Point = Schemas["CoursePoint"];

const width = 760;
const height = 200;
const left = 62;
const top = 20;
const bottom = 34;
const trialsWidth = 170;

type Amount = {
  key: string;
  name: string;
  unit: string;
  captured: (p: Point) => number | null;
  tried: (s: Seen) => number | null;
};

const each = (total: number | null, calls: number) => (total === null || calls === 0 ? null : total / calls);

const amounts: Amount[] = [
  { key: "median", name: "median", unit: "ms", captured: (p) => p.p50Ms, tried: (s) => s.medianMs },
  {
    key: "mean",
    name: "mean",
    unit: "ms",
    captured: (p) => each(p.seconds * 1000, p.calls),
    tried: (s) => s.meanMs,
  },
  { key: "p95", name: "95th percentile", unit: "ms", captured: (p) => p.p95Ms, tried: (s) => s.p95Ms },
  { key: "worst", name: "worst", unit: "ms", captured: (p) => p.worstMs, tried: (s) => s.worstMs },
  { key: "total", name: "total of the stretch", unit: "s", captured: (p) => p.seconds, tried: () => null },
  {
    key: "rows",
    name: "rows visited by an execution",
    unit: "rows",
    captured: (p) => each(p.rowsRead, p.calls),
    tried: (s) => s.rowsVisited,
  },
  {
    key: "blocks",
    name: "blocks touched by an execution",
    unit: "blocks",
    captured: () => null,
    tried: (s) => s.blocks,
  },
];

type Mark = { at: number; value: number; plan: string; told: string; trial: Seen | null };

/** What a statement cost over time by any measure: captures as a course, trials as hollow and solid points, the plan that ran as its number. */
export function PlanCourse({ book, hash, seen }: { book: number; hash: string; seen: Seen[] }) {
  const statement = useStatement(book, hash);
  const [key, setKey] = useState("median");
  const page = statement.data;
  const amount = amounts.find((a) => a.key === key) ?? (amounts[0] as Amount);
  const shapes = [...new Set([...(page?.plans ?? []).map((p) => p.shape), ...seen.map((s) => s.shape)])];
  const numberOf = (shape: string | undefined) => (shape ? `plan ${shapes.indexOf(shape) + 1}` : "");
  const hours = new Map(
    (page?.plans ?? []).flatMap((p) => p.hours.map((h) => [Date.parse(h), p.shape] as const)),
  );
  const planAt = (at: number) => hours.get(at - (at % 3_600_000));
  const captured: Mark[] = (page?.course ?? []).flatMap((c) => {
    const value = amount.captured(c);
    const at = Date.parse(c.at);
    const plan = numberOf(planAt(at));
    return value === null || value <= 0
      ? []
      : [
          {
            at,
            value,
            plan,
            trial: null,
            told: `${exactly(c.at)}: ${three(value)} ${amount.unit} in captures${plan ? `, by ${plan}` : ""}`,
          },
        ];
  });
  const tried: Mark[] = seen.flatMap((s) => {
    const value = amount.tried(s);
    return value === null || value <= 0
      ? []
      : [
          {
            at: Date.parse(s.at),
            value,
            plan: numberOf(s.shape),
            trial: s,
            told: `${moment(s.at)}: ${three(value)} ${amount.unit} ${s.side} in ${s.title}, case ${s.case}, by ${numberOf(s.shape)}`,
          },
        ];
  });
  const all = [...captured, ...tried].sort((a, b) => a.at - b.at);
  const read = useReadOut(all.length);
  if (statement.isPending || (all.length === 0 && key === "median")) {
    return null;
  }
  const mark = read.at === null ? undefined : all[read.at];
  const step = (page?.stretchMinutes ?? 60) * 60_000;
  // Trials far from all captures would press those into a corner: they stand beside them then, in their order.
  const apart = captured.length > 0 && tried.some((m) => isFar(m.at, captured));
  const timed = apart ? captured : all;
  const first = Math.min(...timed.map((m) => m.at));
  const last = Math.max(...timed.map((m) => m.at), first + 3_600_000);
  const edge = apart ? width - trialsWidth : width - 10;
  const order = [...new Set(tried.map((m) => m.at))].sort((a, b) => a - b);
  const low = Math.min(...all.map((m) => m.value)) * 0.8;
  const high = Math.max(...all.map((m) => m.value)) * 1.25;
  const time = scaleLinear({ domain: [first, last + step], range: [left, edge] });
  const x = (m: Mark) =>
    apart && m.trial ? edge + ((order.indexOf(m.at) + 1) / (order.length + 1)) * (width - edge) : time(m.at);
  const y = scaleLog({ domain: [low, high], range: [height - bottom, top], clamp: true });
  const deployments = (page?.deployments ?? []).filter(
    (d) => Date.parse(d.at) >= first && Date.parse(d.at) <= last,
  );
  return (
    <>
      <h2 className="section">
        Its course{" "}
        <label className="font-normal">
          <span className="sr-only">by </span>
          <select className="field py-0" value={key} onChange={(e) => setKey(e.target.value)}>
            {amounts.map((a) => (
              <option key={a.key} value={a.key}>
                {a.name}, {a.unit}
              </option>
            ))}
          </select>
        </label>
      </h2>
      {all.length === 0 ? (
        <p className="text-quiet">Neither captures nor trials tell this of the statement.</p>
      ) : (
        <>
          <ReadAlong
            label={`The statement's ${amount.name} over time`}
            count={all.length}
            read={read}
            told={mark?.told ?? ""}
          >
            <svg
              viewBox={`0 0 ${width} ${height}`}
              className="w-full max-w-[900px]"
              role="img"
              aria-label={`${amount.name} from ${three(low)} to ${three(high)} ${amount.unit}; ${captured.length} stretches of captures, ${tried.length} sides of trials`}
              onPointerMove={(e) => {
                const box = e.currentTarget.getBoundingClientRect();
                const px = ((e.clientX - box.left) * width) / Math.max(1, box.width);
                const py = ((e.clientY - box.top) * width) / Math.max(1, box.width);
                const away = all.map((m) => Math.hypot(x(m) - px, y(m.value) - py));
                const near = away.indexOf(Math.min(...away));
                read.setAt((away[near] ?? 99) < 14 ? near : null);
              }}
            >
              {logTicks(low, high).map((t) => (
                <g key={t}>
                  <line x1={left} x2={width - 10} y1={y(t)} y2={y(t)} className="stroke-rule" />
                  <text x={left - 6} y={y(t) + 4} textAnchor="end" className="fill-quiet text-xs">
                    {three(t)}
                  </text>
                </g>
              ))}
              <DeploymentMarks deployments={deployments} x={time} top={top} bottom={height - bottom} />
              {captured.map((m) => (
                <line
                  key={m.at}
                  x1={time(m.at)}
                  x2={Math.max(time(m.at) + 1, time(m.at + step))}
                  y1={y(m.value)}
                  y2={y(m.value)}
                  className="stroke-ink"
                  strokeWidth={1.5}
                />
              ))}
              {changesOf(captured).map((m) => (
                <text key={m.at} x={time(m.at)} y={height - 20} className="fill-ink text-xs">
                  {m.plan}
                </text>
              ))}
              {tried.map((m) => (
                <circle
                  key={`${m.trial?.trialId}/${m.trial?.side}/${m.trial?.case}`}
                  cx={x(m)}
                  cy={y(m.value)}
                  r={4}
                  className={m.trial?.side === "after" ? "fill-ink stroke-ink" : "fill-paper stroke-ink"}
                />
              ))}
              {mark && (
                <circle
                  cx={x(mark)}
                  cy={y(mark.value)}
                  r={8}
                  className="fill-none stroke-focus"
                  strokeWidth={2}
                />
              )}
              <text x={left} y={height - 4} className="fill-quiet text-xs">
                {moment(new Date(first).toISOString())}
              </text>
              {apart && (
                <g>
                  <line x1={edge} x2={edge} y1={4} y2={height - bottom} className="stroke-strong" />
                  <text x={edge + 6} y={height - 20} className="fill-quiet text-xs">
                    trials, in their order
                  </text>
                </g>
              )}
              <text x={edge - 6} y={height - 4} textAnchor="end" className="fill-quiet text-xs">
                {moment(new Date(last).toISOString())}
              </text>
            </svg>
          </ReadAlong>
          <p className="min-h-[1.4em] text-sm text-quiet">
            {mark?.told ??
              "Lines are captures, points are trials: hollow before, solid after. Below, the plan from where another one ran."}
          </p>
        </>
      )}
    </>
  );
}

/** Whether a time lies further from the captures than a quarter of what they cover. */
function isFar(at: number, captured: Mark[]): boolean {
  const first = Math.min(...captured.map((m) => m.at));
  const last = Math.max(...captured.map((m) => m.at));
  const near = Math.max(3_600_000, (last - first) / 4);
  return at < first - near || at > last + near;
}

/** The stretches with which another plan begins. */
function changesOf(captured: Mark[]): Mark[] {
  let last = "";
  return captured.filter((m) => {
    const other = m.plan !== "" && m.plan !== last;
    last = m.plan === "" ? last : m.plan;
    return other;
  });
}
