import type { GateCourse } from "../api/gate";

const height = 18;
const line = 5;
const step = 5;
const most = 24;

/**
 * A limit through the checks: a post for each, as high as what is used of the limit, and the limit as a line above them. What is broken stands through the line;
 * what could not be judged is hollow.
 */
export function Course({ course }: { course: GateCourse }) {
  const points = course.points.slice(-most);
  const top = (p: (typeof points)[number]) => {
    const used = p.room === null ? (p.state === "broken" || p.state === "excused" ? 1.2 : 0.25) : 1 - p.room;
    return Math.min(height - 1.5, Math.max(0.5, line + (height - line) * (1 - Math.min(1.35, used))));
  };
  return (
    <svg
      width={most * step}
      height={height}
      viewBox={`0 0 ${most * step} ${height}`}
      aria-hidden="true"
      className="inline-block align-[-4px]"
    >
      <path d={`M0 ${line}H${most * step}`} stroke="currentColor" strokeWidth="1" opacity="0.45" />
      {points.map((p, i) => {
        const x = (most - points.length + i) * step + 0.5;
        return p.state === "notJudged" ? (
          <rect
            key={p.check}
            x={x + 0.5}
            y={line + 4}
            width="2.5"
            height={height - line - 4.5}
            fill="none"
            stroke="currentColor"
            strokeWidth="0.8"
          />
        ) : (
          <rect
            key={p.check}
            x={x}
            y={top(p)}
            width="3.5"
            height={height - top(p)}
            className={p.state === "broken" ? "fill-dearer" : "fill-quiet"}
          />
        );
      })}
    </svg>
  );
}
