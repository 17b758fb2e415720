import { scaleLinear } from "@visx/scale";
import { useRef, useState } from "react";
import type { Deployment, Point } from "../api/daybook";
import type { Watch } from "../api/watch";
import { exactly, moment, three } from "../format/figures";
import { roundTicks } from "../format/ticks";
import { labelOf, tickStepFor, ticksBetween } from "../format/timeTicks";
import { ReadAlong } from "../parts/ReadAlong";
import { ReadMark } from "../parts/ReadMark";
import { pointAt, useReadOut } from "../parts/readOut";
import { useWidth } from "../parts/useWidth";
import { keptOf } from "../watch/Watches";
import type { Measure } from "./measures";

type Span = { from: number; to: number };
type Props = {
  course: Point[];
  /** The sources' own courses, where they are shown apart. */
  apart: { key: number; course: Point[]; dash: string }[];
  from: string;
  to: string;
  minutes: number;
  measure: Measure;
  deployments: Deployment[];
  chosen?: number;
  span: Span | null;
  select: (span: Span | null) => void;
  open: (deployment: number) => void;
  /** Times at which the server's sessions were looked at. */
  watches?: Watch[];
  openWatch?: (watch: number) => void;
};

const height = 148;
const top = 24;
const bottom = 18;
const left = 54;
/** What the mark of a watch takes with its word, in pixels. */
const wordWidth = 44;

/** The course of one measure with the deployments standing on it. Dragging selects a span; the handles move by arrow keys. */
export function Timeline(p: Props) {
  const frame = useRef<HTMLDivElement>(null);
  const width = useWidth(frame, 1200);
  const [begun, setBegun] = useState<number | null>(null);
  const [drawn, setDrawn] = useState<Span | null>(null);
  const start = Date.parse(p.from);
  const end = Date.parse(p.to);
  const step = p.minutes * 60_000;
  const valuesOf = (course: Point[]) =>
    course.map((c) => ({ at: Date.parse(c.at), value: p.measure.of(c, p.minutes) }));
  const values = valuesOf(p.course);
  const read = useReadOut(values.length);
  const lines = p.apart.map((a) => ({ ...a, values: valuesOf(a.course) }));
  const drawnValues = lines.length > 0 ? lines.flatMap((l) => l.values) : values;
  const most = drawnValues.reduce((m, v) => Math.max(m, v.value ?? 0), 1e-9);
  const deployments = p.deployments.filter((d) => Date.parse(d.at) >= start && Date.parse(d.at) <= end);
  const watches = (p.watches ?? [])
    .filter((w) => Date.parse(w.lastAt) >= start && Date.parse(w.beganAt) <= end)
    .sort((a, b) => Date.parse(a.beganAt) - Date.parse(b.beganAt));
  const x = scaleLinear({ domain: [start, end], range: [left, Math.max(left + 10, width - 8)] });
  const valueTicks = roundTicks(most);
  const y = scaleLinear({
    domain: [0, Math.max(most * 1.04, valueTicks.at(-1) ?? 0)],
    range: [height - bottom, top],
  });
  const snap = (px: number) =>
    Math.min(end, Math.max(start, start + Math.round((x.invert(px) - start) / step) * step));
  const at = (e: React.PointerEvent) => snap(e.clientX - (frame.current?.getBoundingClientRect().left ?? 0));
  const tickStep = tickStepFor(start, end, width - left);
  const shown = clipped(drawn ?? p.span, start, end);
  const point = read.at === null ? undefined : values[read.at];
  const told = point
    ? `${exactly(new Date(point.at).toISOString())}: ${point.value === null ? "none" : `${three(point.value)} ${p.measure.unit}`}`
    : "";
  const onKey = (e: React.KeyboardEvent) => {
    if (e.key === "Escape" && p.span) {
      p.select(null);
    }
    if (e.shiftKey && read.at !== null && (e.key === "ArrowLeft" || e.key === "ArrowRight")) {
      const here = values[read.at]?.at ?? start;
      const to = Math.min(end, Math.max(start, here + (e.key === "ArrowRight" ? step : -step)));
      p.select(ordered(!p.span ? here : p.span.from === here ? p.span.to : p.span.from, to));
    }
  };
  const finish = () => {
    if (drawn && drawn.to > drawn.from) {
      p.select(drawn);
    } else if (begun !== null) {
      p.select(null);
    }
    setBegun(null);
    setDrawn(null);
  };
  return (
    <div ref={frame} className="relative select-none" style={{ height }}>
      <ReadAlong
        className="absolute inset-0"
        label={`The course of ${p.measure.name}`}
        count={values.length}
        read={read}
        told={told}
        hint="arrow keys read it out, with Shift they choose a span"
        onKey={onKey}
      >
        <svg
          width={width}
          height={height}
          role="img"
          className="absolute inset-0 cursor-crosshair touch-none"
          aria-label={`${p.measure.name} from ${exactly(p.from)} to ${exactly(p.to)}, at most ${three(most)} ${p.measure.unit}, with ${deployments.length} deployments`}
          onPointerDown={(e) => {
            e.currentTarget.setPointerCapture(e.pointerId);
            setBegun(at(e));
          }}
          onPointerMove={(e) => {
            const under = pointAt(
              values.map((v) => v.at),
              x.invert(e.clientX - (frame.current?.getBoundingClientRect().left ?? 0)),
            );
            read.setAt(under < 0 ? null : under);
            if (begun !== null) {
              const here = at(e);
              setDrawn({ from: Math.min(begun, here), to: Math.max(begun, here) });
            }
          }}
          onPointerUp={finish}
        >
          {valueTicks.map((v) => (
            <g key={v}>
              <line x1={left} x2={width - 8} y1={y(v)} y2={y(v)} className="stroke-rule" />
              <text x={left - 6} y={y(v) + 4} textAnchor="end" className="fill-quiet text-xs">
                {three(v)}
              </text>
            </g>
          ))}
          {ticksBetween(start, end, tickStep).map((t) => (
            <text key={t} x={x(t) + 2} y={height - 4} className="fill-quiet text-xs">
              {labelOf(t, tickStep)}
            </text>
          ))}
          {shown && (
            <rect
              x={x(shown.from)}
              width={Math.max(1, x(shown.to) - x(shown.from))}
              y={top - 4}
              height={height - bottom - top + 4}
              className="fill-chosen"
            />
          )}
          {lines.length === 0 && (
            <path d={outline(values, step, x, y)} className="fill-band stroke-ink" strokeWidth={1} />
          )}
          {lines.map((l) => (
            <path
              key={l.key}
              d={outline(l.values, step, x, y)}
              className="fill-none stroke-ink"
              strokeWidth={1.2}
              strokeDasharray={l.dash || undefined}
            />
          ))}
          {point && (
            <ReadMark
              from={x(point.at)}
              to={x(point.at + step)}
              top={top}
              bottom={height - bottom}
              y={top + 8}
              width={width}
              told={told}
            />
          )}
          {deployments.map((d) => (
            <line
              key={d.id}
              x1={x(Date.parse(d.at))}
              x2={x(Date.parse(d.at))}
              y1={top - 6}
              y2={height - bottom}
              className={d.id === p.chosen ? "stroke-ink" : "stroke-strong"}
              strokeWidth={d.id === p.chosen ? 2 : 1}
              strokeDasharray={d.noticed ? "3 3" : undefined}
            />
          ))}
        </svg>
      </ReadAlong>
      {deployments.map((d) => (
        <button
          key={d.id}
          type="button"
          title={`${d.what}, ${moment(d.at)}`}
          aria-label={`Deployment ${d.version || "not announced"}: ${d.what}, ${moment(d.at)}`}
          aria-pressed={d.id === p.chosen}
          className={`absolute top-0 -translate-x-1/2 border px-1 text-xs leading-[15px] ${d.id === p.chosen ? "border-ink bg-ink text-paper" : "border-strong bg-paper"} ${d.noticed ? "border-dashed" : ""}`}
          style={{ left: x(Date.parse(d.at)) }}
          onClick={() => p.open(d.id)}
        >
          {d.version || "?"}
        </button>
      ))}
      {watches.map((w, i) => {
        const from = x(Math.max(start, Date.parse(w.beganAt)));
        const next = watches[i + 1];
        const crowded = next !== undefined && x(Date.parse(next.beganAt)) - from < wordWidth;
        return (
          <button
            key={w.id}
            type="button"
            title={`Watched from ${moment(w.beganAt)}: ${keptOf(w)}`}
            aria-label={`Watched from ${moment(w.beganAt)} to ${moment(w.lastAt)}: ${three(w.active)} sessions active, ${keptOf(w)}`}
            className="absolute h-[15px] border border-ink bg-paper px-1 text-xs leading-[13px]"
            style={{
              left: Math.min(from, width - wordWidth - 8),
              bottom: bottom + 2,
              minWidth: Math.max(0, x(Math.min(end, Date.parse(w.lastAt))) - from),
            }}
            onClick={() => p.openWatch?.(w.id)}
          >
            {crowded ? "" : "watch"}
          </button>
        );
      })}
      {p.span && !drawn && p.span.from >= start && p.span.to <= end && (
        <>
          <Handle
            name="Start of the span"
            at={p.span.from}
            x={x}
            move={(to) => p.select(ordered(to, p.span?.to ?? end))}
            step={step}
            least={start}
            most={end}
          />
          <Handle
            name="End of the span"
            at={p.span.to}
            x={x}
            move={(to) => p.select(ordered(p.span?.from ?? start, to))}
            step={step}
            least={start}
            most={end}
          />
        </>
      )}
    </div>
  );
}

function ordered(a: number, b: number): Span {
  return { from: Math.min(a, b), to: Math.max(a, b) };
}

function Handle(p: {
  name: string;
  at: number;
  x: (t: number) => number;
  step: number;
  least: number;
  most: number;
  move: (to: number) => void;
}) {
  return (
    <div
      role="slider"
      tabIndex={0}
      aria-label={p.name}
      aria-valuemin={p.least}
      aria-valuemax={p.most}
      aria-valuenow={p.at}
      aria-valuetext={exactly(new Date(p.at).toISOString())}
      className="absolute w-[7px] -translate-x-1/2 border border-ink bg-paper"
      style={{ left: p.x(p.at), top: height - bottom - 22, height: 22 }}
      onKeyDown={(e) => {
        const steps: Record<string, number> = { ArrowLeft: -1, ArrowRight: 1, PageDown: -24, PageUp: 24 };
        const by = steps[e.key];
        if (by) {
          e.preventDefault();
          p.move(Math.min(p.most, Math.max(p.least, p.at + by * p.step)));
        }
      }}
    />
  );
}

/** A step for each stretch; where nothing was captured it falls to the base line. */
function outline(
  values: { at: number; value: number | null }[],
  step: number,
  x: (t: number) => number,
  y: (v: number) => number,
): string {
  let path = "";
  let last = Number.NEGATIVE_INFINITY;
  for (const { at, value } of values) {
    path += at > last ? `${path ? `V${y(0)}` : ""}M${x(at)} ${y(0)}` : "";
    path += `V${y(value ?? 0)}H${x(at + step)}`;
    last = at + step;
  }
  return path ? `${path}V${y(0)}` : "";
}

function clipped(span: Span | null, start: number, end: number): Span | null {
  const part = span && { from: Math.max(span.from, start), to: Math.min(span.to, end) };
  return part && part.from < part.to ? part : null;
}
