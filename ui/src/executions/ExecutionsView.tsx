import { getRouteApi, Link, useNavigate } from "@tanstack/react-router";
import { scaleLinear, scaleLog } from "@visx/scale";
import { useMemo, useRef, useState } from "react";
import type { Schemas } from "../api/client";
import { type Execution, useExecutions } from "../api/costs";
import type { Narrowing } from "../api/daybook";
import { useBook } from "../api/hooks";
import { count, duration, exactly, three } from "../format/figures";
import { logTicks } from "../format/ticks";
import { labelOf, tickStepFor, ticksBetween } from "../format/timeTicks";
import { BookLink, DaybookLink, Frame } from "../parts/Frame";
import { EmptyState } from "../parts/Notice";
import { ReadAlong } from "../parts/ReadAlong";
import { Rows } from "../parts/Rows";
import { useReadOut } from "../parts/readOut";
import { useWidth } from "../parts/useWidth";

const route = getRouteApi("/books/$bookId/executions");

const height = 300;
const left = 62;
const bottom = 22;
const top = 8;
const near = 8;
const mostRows = 200;

/** A part of the picture: when, and how long. */
type Part = { from: number; to: number; low: number; high: number };

/** All kept executions of a span over time: those that stand out are seen, dragged over, and opened. */
export function ExecutionsView() {
  const id = Number(route.useParams().bookId);
  const search = route.useSearch();
  const page = useExecutions(id, search);
  const name = useBook(id).data?.book.name;
  return (
    <Frame
      title={`Kept executions, ${name ?? `book ${id}`}`}
      at={
        <>
          <BookLink id={id} name={name} /> / <DaybookLink id={id} /> / kept executions
        </>
      }
      of={page}
      reading="Reading the executions."
    >
      {page.data && <Seen book={id} page={page.data} search={search} />}
    </Frame>
  );
}

function Seen({ book, page, search }: { book: number; page: Schemas["ExecutionsPage"]; search: Narrowing }) {
  const navigate = useNavigate();
  const [part, setPart] = useState<Part | null>(null);
  // By time, as arrow keys go through them.
  const all = useMemo(() => [...page.executions].sort((a, b) => Date.parse(a.at) - Date.parse(b.at)), [page]);
  const inside = part ? all.filter((e) => within(part, e)) : all;
  const rows = [...inside].sort((a, b) => b.ms - a.ms).slice(0, mostRows);
  const open = (e: Execution) =>
    navigate({ to: "/books/$bookId/statements/$hash", params: { bookId: String(book), hash: e.hash } });
  return (
    <>
      <div className="shrink-0 px-5 pt-3">
        <div className="flex flex-wrap items-baseline gap-x-4">
          <h1 className="head">
            {count(page.count)} kept {page.count === 1 ? "execution" : "executions"}
            {page.executions.length < page.count && `, the ${count(page.executions.length)} longest drawn`}
          </h1>
          <label className="text-quiet">
            from{" "}
            <input
              type="number"
              min={0}
              className="field w-24 text-ink"
              value={search.slow ?? 0}
              onChange={(e) =>
                navigate({
                  to: ".",
                  search: { ...search, slow: Number(e.target.value) || undefined },
                  replace: true,
                })
              }
            />{" "}
            ms on
          </label>
          {(search.table || search.text || search.kind || search.tag) && (
            <span className="text-quiet">
              narrowed to {[search.table, search.kind, search.text, search.tag].filter(Boolean).join(", ")}
            </span>
          )}
          {part && (
            <button type="button" className="link" onClick={() => setPart(null)}>
              all of them
            </button>
          )}
        </div>
        <p className="text-sm text-quiet">
          The ledger keeps of each statement its slowest, its failed and some ordinary executions. Drag over a
          part to list it; choose a point to open its statement.
        </p>
        {all.length > 0 && (
          <Scatter
            executions={all}
            texts={page.texts}
            from={Date.parse(page.from)}
            to={Date.parse(page.to)}
            part={part}
            setPart={setPart}
            open={open}
          />
        )}
      </div>
      <section
        aria-label="Executions"
        className="min-h-0 flex-1 overflow-y-auto border-t border-ink px-5 pb-4"
      >
        {rows.length === 0 ? (
          <EmptyState title="No execution is kept there">Take a longer span, or a lower limit.</EmptyState>
        ) : (
          <table className="ruled">
            <thead>
              <tr>
                <th scope="col">when</th>
                <th scope="col" className="num">
                  took
                </th>
                <th scope="col">
                  statement
                  {inside.length > rows.length &&
                    ` (the ${count(rows.length)} longest of ${count(inside.length)})`}
                </th>
              </tr>
            </thead>
            <Rows>
              {rows.map((e) => (
                <tr key={e.id}>
                  <td className="whitespace-nowrap">{exactly(e.at)}</td>
                  <td className="num">
                    {duration(e.ms)}
                    {e.error && <span className="text-failed"> failed</span>}
                  </td>
                  <td className="w-full">
                    <Link
                      className="line-clamp-1 font-mono text-xs hover:underline"
                      title={page.texts[e.hash]}
                      to="/books/$bookId/statements/$hash"
                      params={{ bookId: String(book), hash: e.hash }}
                    >
                      {page.texts[e.hash]}
                    </Link>
                  </td>
                </tr>
              ))}
            </Rows>
          </table>
        )}
      </section>
    </>
  );
}

const within = (p: Part, e: Execution) => {
  const at = Date.parse(e.at);
  return at >= p.from && at <= p.to && e.ms >= p.low && e.ms <= p.high;
};

type ScatterProps = {
  executions: Execution[];
  texts: Record<string, string>;
  from: number;
  to: number;
  part: Part | null;
  setPart: (part: Part | null) => void;
  open: (e: Execution) => void;
};

function Scatter(p: ScatterProps) {
  const frame = useRef<HTMLDivElement>(null);
  const width = useWidth(frame, 1200, 260);
  const [drag, setDrag] = useState<{ x: number; y: number; toX: number; toY: number } | null>(null);
  const read = useReadOut(p.executions.length);
  const times = p.executions.map((e) => e.ms).filter((m) => m > 0);
  const low = Math.min(...times) / 1.3;
  const high = Math.max(...times) * 1.3;
  const x = scaleLinear({ domain: [p.from, p.to], range: [left, width - 10] });
  const y = scaleLog({ domain: [low, high], range: [height - bottom, top], clamp: true });
  const tickStep = tickStepFor(p.from, p.to, width - left);
  const point = read.at === null ? undefined : p.executions[read.at];
  const told = point
    ? `${exactly(point.at)}, ${duration(point.ms)}${point.error ? ", failed" : ""}: ${p.texts[point.hash] ?? ""}`
    : "";
  const place = (e: React.PointerEvent) => {
    const box = frame.current?.getBoundingClientRect();
    return { x: e.clientX - (box?.left ?? 0), y: e.clientY - (box?.top ?? 0) };
  };
  const nearest = (at: { x: number; y: number }) => {
    let best = -1;
    let least = near;
    p.executions.forEach((e, i) => {
      const away = Math.hypot(x(Date.parse(e.at)) - at.x, y(e.ms) - at.y);
      if (away <= least) {
        [best, least] = [i, away];
      }
    });
    return best < 0 ? null : best;
  };
  const release = () => {
    if (drag && Math.hypot(drag.toX - drag.x, drag.toY - drag.y) > 5) {
      p.setPart({
        from: x.invert(Math.min(drag.x, drag.toX)).valueOf(),
        to: x.invert(Math.max(drag.x, drag.toX)).valueOf(),
        low: y.invert(Math.max(drag.y, drag.toY)),
        high: y.invert(Math.min(drag.y, drag.toY)),
      });
    } else if (drag) {
      const found = nearest(drag);
      const execution = found === null ? undefined : p.executions[found];
      if (execution) {
        p.open(execution);
      }
    }
    setDrag(null);
  };
  const box = drag
    ? {
        x: Math.min(drag.x, drag.toX),
        y: Math.min(drag.y, drag.toY),
        w: Math.abs(drag.toX - drag.x),
        h: Math.abs(drag.toY - drag.y),
      }
    : p.part && {
        x: x(p.part.from),
        y: y(p.part.high),
        w: x(p.part.to) - x(p.part.from),
        h: y(p.part.low) - y(p.part.high),
      };
  return (
    <div ref={frame}>
      <ReadAlong
        label="Kept executions over time"
        count={p.executions.length}
        read={read}
        told={told}
        hint="arrow keys go from one to the next, Enter opens its statement"
        onKey={(e) => {
          if (e.key === "Enter" && point) {
            p.open(point);
          }
          if (e.key === "Escape") {
            p.setPart(null);
          }
        }}
        className="cursor-crosshair touch-none select-none"
      >
        <svg
          width={width}
          height={height}
          role="img"
          aria-label={`${p.executions.length} executions between ${three(Math.min(...times))} and ${three(Math.max(...times))} ms`}
          className="block"
          onPointerDown={(e) => {
            e.currentTarget.setPointerCapture?.(e.pointerId);
            const at = place(e);
            setDrag({ ...at, toX: at.x, toY: at.y });
          }}
          onPointerMove={(e) => {
            const at = place(e);
            read.setAt(nearest(at));
            setDrag((d) => d && { ...d, toX: at.x, toY: at.y });
          }}
          onPointerUp={release}
        >
          {logTicks(low, high).map((t) => (
            <g key={t}>
              <line x1={left} x2={width - 10} y1={y(t)} y2={y(t)} className="stroke-rule" />
              <text x={left - 6} y={y(t) + 4} textAnchor="end" className="fill-quiet text-xs">
                {duration(t)}
              </text>
            </g>
          ))}
          {ticksBetween(p.from, p.to, tickStep).map((t) => (
            <text key={t} x={x(t)} y={height - 6} textAnchor="middle" className="fill-quiet text-xs">
              {labelOf(t, tickStep)}
            </text>
          ))}
          {box && <rect x={box.x} y={box.y} width={box.w} height={box.h} className="fill-chosen" />}
          {p.executions.map((e, i) => (
            <circle
              key={e.id}
              cx={x(Date.parse(e.at))}
              cy={y(e.ms)}
              r={i === read.at ? 6 : 3}
              className={e.error ? "fill-paper stroke-failed" : "fill-ink stroke-paper"}
              strokeWidth={e.error ? 2 : 0.7}
            />
          ))}
        </svg>
      </ReadAlong>
      <p className="min-h-[1.4em] truncate text-sm">{told}</p>
    </div>
  );
}
