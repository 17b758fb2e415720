import { scaleLinear, scaleLog } from "@visx/scale";
import { useMemo, useRef, useState } from "react";
import type { TrialPageView } from "../api/client";
import { count, percent, shortRatio } from "../format/figures";
import { beamOf, inkOf } from "../parts/Mark";
import { useWidth } from "../parts/useWidth";
import { reachOf, type Span, type Stem, stemsOf, ticksOf } from "./stems";

const height = 92;
const foot = 16;
const head = 14;
const least = 5;
const near = 8;

/** Narrower, only the ends and the middle of the axis are named. */
const roomForTicks = 460;

/** More heads than this only cover each other. */
const mostHeads = 300;

type Props = {
  page: TrialPageView;
  selected: number | null;
  choose: (line: number) => void;
  span?: Span;
  narrow: (span: Span | undefined) => void;
};

/**
 * All lines of a trial at once: each stands on the axis of its change, as high as its share of the bill. Choosing one opens it;
 * dragging narrows the table below to what lies within.
 */
export function Strip({ page, selected, choose, span, narrow }: Props) {
  const stems = useMemo(() => stemsOf(page), [page]);
  const frame = useRef<HTMLDivElement>(null);
  const width = useWidth(frame, 640, 240);
  const [at, setAt] = useState<number | null>(null);
  const [drag, setDrag] = useState<{ from: number; to: number } | null>(null);
  if (stems.length === 0) {
    return null;
  }
  const reach = reachOf(stems);
  const x = scaleLog({ domain: [1 / reach, reach], range: [10, width - 10], clamp: true });
  const highest = Math.max(...stems.map((s) => s.share), 0.01);
  const y = scaleLinear({ domain: [0, highest], range: [height - foot - least, head] });
  const chosen = at === null ? stems.findIndex((s) => s.line === selected) : at;
  const stem = stems[chosen];
  const band = 1 + (page.settings.tolerancePercent ?? 5) / 100;
  const place = (clientX: number) => clientX - (frame.current?.getBoundingClientRect().left ?? 0);
  const nearest = (to: number) => {
    const found = stems.reduce(
      (best, s, i) => (Math.abs(x(s.ratio) - to) < Math.abs(x(stems[best]?.ratio ?? 1) - to) ? i : best),
      0,
    );
    return Math.abs(x(stems[found]?.ratio ?? 1) - to) <= near ? found : null;
  };
  const release = (to: number) => {
    if (drag && Math.abs(to - drag.from) > 4) {
      const [low, high] = [Math.min(drag.from, to), Math.max(drag.from, to)];
      narrow({
        from: low <= 10 ? 0 : Number(x.invert(low).toPrecision(3)),
        to: high >= width - 10 ? Number.MAX_VALUE : Number(x.invert(high).toPrecision(3)),
      });
    } else {
      const found = nearest(to);
      if (found !== null) {
        choose(stems[found]?.line ?? 0);
      }
    }
    setDrag(null);
  };
  const move = (to: number) => setAt(Math.min(stems.length - 1, Math.max(0, to)));
  const shown = drag
    ? { low: Math.min(drag.from, drag.to), high: Math.max(drag.from, drag.to) }
    : span && { low: x(Math.max(span.from, 1 / reach)), high: x(Math.min(span.to, reach)) };
  return (
    <div className="px-5 pb-1">
      <div
        ref={frame}
        role="slider"
        tabIndex={0}
        aria-label="Lines by their change"
        aria-valuemin={0}
        aria-valuemax={stems.length - 1}
        aria-valuenow={Math.max(chosen, 0)}
        aria-valuetext={stem ? told(stem) : `${stems.length} lines; arrow keys go from one to the next`}
        className="cursor-crosshair touch-none select-none"
        onPointerDown={(e) => {
          e.currentTarget.setPointerCapture?.(e.pointerId);
          setDrag({ from: place(e.clientX), to: place(e.clientX) });
        }}
        onPointerMove={(e) => {
          const to = place(e.clientX);
          setAt(nearest(to));
          setDrag((d) => d && { ...d, to });
        }}
        onPointerUp={(e) => release(place(e.clientX))}
        onPointerLeave={() => setAt(null)}
        onBlur={() => setAt(null)}
        onKeyDown={(e) => {
          const step = { ArrowLeft: -1, ArrowRight: 1, Home: -stems.length, End: stems.length }[e.key];
          if (step !== undefined) {
            move((chosen < 0 ? (step > 0 ? -1 : stems.length) : chosen) + step);
            e.preventDefault();
          } else if (e.key === "Enter" && stem) {
            choose(stem.line);
          }
        }}
      >
        <svg width={width} height={height} aria-hidden="true" className="block">
          <rect
            x={x(1 / band)}
            width={Math.max(2, x(band) - x(1 / band))}
            y={0}
            height={height - foot}
            className="fill-band"
          />
          {shown && (
            <rect
              x={shown.low}
              width={Math.max(1, shown.high - shown.low)}
              y={0}
              height={height - foot}
              className="fill-chosen"
            />
          )}
          {ticksOf(reach)
            .filter((t) => width >= roomForTicks || t === 1 || t === reach || t === 1 / reach)
            .map((t) => (
              <g key={t}>
                <line
                  x1={x(t)}
                  x2={x(t)}
                  y1={t === 1 ? 0 : height - foot - 4}
                  y2={height - foot}
                  className="stroke-rule"
                />
                <text
                  x={x(t)}
                  y={height - 4}
                  textAnchor={
                    t === 1
                      ? "middle"
                      : t < 1 / 1.4 && x(t) < 40
                        ? "start"
                        : x(t) > width - 40
                          ? "end"
                          : "middle"
                  }
                  className="fill-quiet text-xs"
                >
                  {t === 1 ? "no change" : t < 1 ? `${round(1 / t)}x cheaper` : `${round(t)}x dearer`}
                </text>
              </g>
            ))}
          <line x1={0} x2={width} y1={height - foot} y2={height - foot} className="stroke-ink" />
          {stems.map((s, i) => (
            <OneStem
              key={s.line}
              stem={s}
              x={x(s.ratio)}
              y={y(s.share)}
              heads={stems.length <= mostHeads}
              chosen={i === chosen || s.line === selected}
            />
          ))}
        </svg>
      </div>
      <p className="flex min-h-[1.3em] gap-x-3 text-sm text-quiet">
        <span className="min-w-0 truncate">
          {stem
            ? told(stem)
            : `Each line by its change; its height is its share of the bill, ${percent(highest)} at most.`}
        </span>
        {span && (
          <button type="button" className="link ml-auto shrink-0" onClick={() => narrow(undefined)}>
            all changes
          </button>
        )}
      </p>
    </div>
  );
}

const round = (times: number) =>
  times < 10 ? String(Number(times.toPrecision(3))) : count(Math.round(times));

/** A line of the strip in words. */
function told(s: Stem): string {
  return `${s.name}: ${shortRatio(s.ratio)}${s.share > 0 ? `, ${percent(s.share)} of the bill` : ", not in the bill"}${s.verdict ? `, ${s.verdict}` : ", not settled"}`;
}

function OneStem({
  stem,
  x,
  y,
  heads,
  chosen,
}: {
  stem: Stem;
  x: number;
  y: number;
  heads: boolean;
  chosen: boolean;
}) {
  const open = stem.verdict === "unsettled" || stem.verdict === null;
  const beam = heads ? beamOf(stem.verdict) : undefined;
  return (
    <g className={inkOf(stem.verdict)}>
      <rect
        x={x - 1.5}
        width={3}
        y={y}
        height={Math.max(1, height - foot - y)}
        fill={open ? "none" : "currentColor"}
        stroke={chosen ? "var(--color-ink)" : open ? "currentColor" : "none"}
        strokeWidth={chosen ? 2 : 1}
      />
      {beam && (
        <path
          d={beam.beam}
          transform={`translate(${x - 6} ${y - 10}) scale(.75)`}
          fill="none"
          stroke="currentColor"
          strokeWidth={2.4}
          strokeDasharray={beam.dash}
        />
      )}
    </g>
  );
}
